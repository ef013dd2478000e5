"""A voice that comes to somebody twice: by two ways of different length, which sounds hollow, and what would open one of them."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.acoustics.sound import comb
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.cuts import (
    Cut,
    PairConstraint,
)
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import (
    IN_STEP_BELOW_DB,
    Arrival,
    Delivery,
    arrivals_of,
    second_arrival,
)
from kymaphon.core.graph.signal import STRAY
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.mixes.cures import (
    blocked,
    cuts_of,
    names,
    remedies_of,
    wanted_pairs,
    way_words,
)
from kymaphon.core.mixes.far_desk import far_end
from kymaphon.core.model.findings import Finding
from kymaphon.core.rules.feeds_ways import (
    mix_beside_inputs,
)
from kymaphon.core.rules.record import rule
from kymaphon.core.rules.room import across_the_room, twice_pairs


@rule("arrives-twice", stage="Feeds", reads=("feeds", "programme"))
def arrives_twice(analysis: Computed) -> Iterator[Finding]:
    """A voice that reaches a listener by two ways of different length and like level. Pairs with one cause make one finding.

    What comes the second time by the air into somebody else's microphone is bleed, as there is in every room with two
    microphones: no switch mends it that takes nobody off the air, and how much of it is too much is Cast's to tell.
    """
    pairs = [row for row in twice_pairs(analysis) if not across_the_room(row[1], row[2])]
    bleeding = [row for row in pairs if _by_air(row[1], row[2])]
    pairs = [row for row in pairs if not _by_air(row[1], row[2])]
    if bleeding:
        bleeding.sort(key=lambda row: row[1].gain_db - row[2].gain_db)
        yield _twice_finding(analysis, bleeding, [], wanted_pairs(analysis))
    while pairs:
        cuts, cured = _cure_twice(analysis, pairs)
        kept = wanted_pairs(analysis)
        group = [row for row in pairs if row[0].key in cured]
        pairs = [row for row in pairs if row[0].key not in cured]
        yield _twice_finding(analysis, group, cuts, kept)


def _cure_twice(
    analysis: Computed, pairs: list[tuple[Delivery, Arrival, Arrival]]
) -> tuple[list[Cut], set[tuple[str, str]]]:
    """The cuts for the first pair, those first that cure most of the others, and all pairs that the first of them cures."""
    feed = pairs[0][0]

    def bad(transfer: Transfer) -> list[list[SignalPath]]:
        return _twice_ways(analysis, transfer, feed)

    cuts = cuts_of(analysis, bad, wanted_pairs(analysis))
    cured: list[set[tuple[str, str]]] = []
    for cut in cuts:
        transfer = analysis.transfer.without(frozenset(switch.ref for switch in cut.switches))
        cured.append({row.key for row, _, _ in pairs if not _twice_ways(analysis, transfer, row)})
    # A mix that is taken beside its inputs doubles everybody: what cures all of it at once is the cause.
    order = sorted(range(len(cuts)), key=lambda n: -len(cured[n]))
    return [cuts[n] for n in order], {feed.key} | (cured[order[0]] if order else set())


def _by_air(first: Arrival, second: Arrival) -> bool:
    """Whether one of two arrivals gets into a microphone that is not meant for it: another's, or by a loudspeaker."""
    return any(step.kind in STRAY for row in (first, second) for step in row.paths[0].steps())


def _twice_ways(analysis: Computed, transfer: Transfer, feed: Delivery) -> list[list[SignalPath]]:
    """For each ear that a voice reaches twice, the ways of both arrivals: one of them must go. Looked at as deep as the cell
    itself was: several weak ways of one length can add up to a second arrival.
    """
    mouth = analysis.graph.mouths[feed.voice][0]
    groups = []
    for ear in analysis.graph.ears[feed.listener]:
        arrivals = arrivals_of(transfer, mouth, ear, below_db=IN_STEP_BELOW_DB)
        second = second_arrival(arrivals)
        if second is not None:
            groups.append([*second.paths, *arrivals[0].paths])
    return groups


def _twice_finding(
    analysis: Computed,
    group: list[tuple[Delivery, Arrival, Arrival]],
    cuts: list[Cut],
    kept: list[PairConstraint],
) -> Finding:
    _, first, second = group[0]
    ways = (first.paths[0], second.paths[0])
    apart = abs(second.delay_ms - first.delay_ms)
    difference = first.gain_db - second.gain_db
    notch, peak, dip = comb(first.delay_ms, second.delay_ms, difference)
    voices = list(dict.fromkeys(row.voice for row, _, _ in group))
    listeners = list(dict.fromkeys(row.listener for row, _, _ in group))
    heard = "hollow, watery" if apart <= number("delay-blurred") else "an echo"
    arrive = "arrives" if len(voices) == 1 else "arrive"
    by_air = _by_air(first, second)
    far_words, asked, ask = ("", False, ()) if by_air else far_end(analysis, ways)
    stuck = (
        " One of them comes by somebody else's microphone: that is for Cast, nearer and further, or for a gate."
        if by_air
        else blocked(analysis, cuts)
    )
    message = (
        f"{names(analysis, voices)} {arrive} twice at {names(analysis, listeners)}, {show_number(apart, 'ms')} apart and "
        f"{difference:.1f} dB different: {heard}, {show_number(peak, 'dB', sign=True)} to {show_number(dip, 'dB')}, first notch at "
        f"{notch:.0f} Hz.{_offered(analysis, ways)}{stuck}{far_words}"
    )
    terms = (
        Derived(
            f"first arrival, {way_words(analysis, first.paths[0], ways)}",
            first.delay_ms,
            "ms",
            source="delays add along the way",
        ),
        Derived(
            f"second arrival, {way_words(analysis, second.paths[0], ways)}",
            second.delay_ms,
            "ms",
            source="delays add along the way",
        ),
        Derived("difference in level", difference, "dB"),
        Derived(
            "first notch",
            notch,
            "Hz",
            f"1 / (2 \u00d7 {apart:.2f} ms)",
            source="two arrivals, one inverted at half a period",
        ),
        Derived("peak", peak, "dB", "20 lg(1 + g)"),
        Derived("dip", dip, "dB", "20 lg(1 \u2212 g)"),
    )
    return Finding(
        "arrives-twice",
        "note" if by_air or asked else "fix",
        "Feeds",
        (*voices, *listeners),
        f"{names(analysis, voices[:1])} reaches {names(analysis, listeners[:1])} twice" + _and_more(len(group)),
        message,
        (
            Derived("apart", apart, "ms"),
            Derived("difference", difference, "dB"),
            Derived("first notch", notch, "Hz"),
            Derived("pairs", len(group), ""),
        ),
        Derived("two arrivals", apart, "ms", "second \u2212 first", terms, "comb of two arrivals"),
        remedies_of(
            analysis,
            cuts,
            f"each of {len(group)} pairs arrives once" if len(group) > 1 else "it arrives once",
            kept,
        )
        or ask,
        tuple(row.key for row, _, _ in group),
    )


def _offered(analysis: Computed, ways: tuple[SignalPath, ...]) -> str:
    """Whether one of two ways is a mix of the very device that the other leaves by an output of its own."""
    row = mix_beside_inputs(analysis, ways[0], ways[1])
    if row is None:
        return ""
    giver, taker, label = row
    return f" {giver} offers {taker} its {label} beside the inputs themselves, and {taker} takes both."


def _and_more(count: int) -> str:
    return f", and {count - 1} more like it" if count > 1 else ""
