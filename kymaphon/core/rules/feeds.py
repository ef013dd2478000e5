"""Rules about who hears whom: own voice back, two arrivals, circles, wants that are not met."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kymaphon.core.acoustics.sound import comb
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.cuts import (
    Cut,
    Kept,
)
from kymaphon.core.graph.paths import PathThrough
from kymaphon.core.graph.routing import (
    IN_STEP_BELOW_DB,
    Arrival,
    Feed,
    arrivals_of,
    at_once_ms,
    echo_class,
    is_for_far_end,
    late_return,
    second_arrival,
)
from kymaphon.core.graph.signal import STRAY, EdgeKind
from kymaphon.core.graph.stability import howls_at
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.mixes.cures import (
    against_mark,
    blocked,
    cuts_of,
    names,
    remedies_of,
    wanted_pairs,
    way_devices,
    way_words,
)
from kymaphon.core.mixes.far_desk import far_end
from kymaphon.core.mixes.loops import loop_cuts, loop_trouble
from kymaphon.core.mixes.returns import circle_of, together, turn_of
from kymaphon.core.model.findings import Finding, Rule, Severity
from kymaphon.core.rules.feeds_ways import (
    echo_cancellers,
    headphones_instead,
    mix_beside_inputs,
    wants_not_said,
)
from kymaphon.core.rules.room import across_the_room, twice_pairs

_ECHO_WORDS = {
    "hollow": "hollow, like talking into a pipe",
    "blurred": "blurred",
    "echo": "a distinct echo",
    "stops": "late enough to stop people speaking",
}
_ECHO_SEVERITY: dict[str, Severity] = {"hollow": "fix", "blurred": "fix", "echo": "stop", "stops": "stop"}


def own_voice_back(analysis: Computed) -> Iterator[Finding]:
    """A party that gets its own voice back later than at once (ITU-T G.114, Haas 1951, Lee 1950)."""
    kept = wanted_pairs(analysis)
    for feed in analysis.feeds.values():
        if feed.verdict != "back" or feed.delay_ms is None or feed.gain_db is None or feed.path is None:
            continue
        kind = echo_class(feed.delay_ms)
        name = analysis.party_name(feed.listener)
        mouth, source = analysis.graph.mouths[feed.voice]
        ears = analysis.graph.ears[feed.listener]
        offset = source.value - analysis.mark_for(feed.listener, feed.unit).value
        floor, at_once = number("own-voice-floor"), at_once_ms(feed.want)
        ways = [path for arrival in analysis.arrivals(*feed.key) for path in arrival.paths]
        loud = [path for path in ways if path.delay_ms > at_once and path.gain_db + offset > floor]

        def bad(
            transfer: Transfer,
            mouth: int = mouth,
            ears: tuple[int, ...] = ears,
            offset: float = offset,
            at_once: float = at_once,
        ) -> list[list[PathThrough]]:
            lowest = number("own-voice-floor") - offset
            arrivals = (arrivals_of(transfer, mouth, ear, floor_db=lowest, own=True) for ear in ears)
            found = (late_return(row, offset, at_once) for row in arrivals)
            return [[path] for late in found if late is not None for path in late.paths]

        cuts = cuts_of(analysis, bad, kept)
        explained = analysis.explain_feed(feed)
        level, delay = explained if explained else (None, None)
        no_switch = blocked(analysis, cuts)
        if no_switch and is_for_far_end(feed):
            no_switch = " It comes back by the air there: headphones at that end stop it, no switch on this side does without taking somebody off."
        message = (
            f"{name} gets its own voice back {show_number(feed.delay_ms, 'ms')} late, "
            f"{against_mark(feed.gain_db)}: {_ECHO_WORDS[kind]}.{_both_ends(analysis, feed)}{no_switch}"
        )
        control = echo_control(analysis, feed.path)
        if control:
            message += f" {control} takes it away while only one end talks; leave it on."
        remedies = remedies_of(analysis, cuts, f"{name} no longer hears itself late", kept)
        words, asked, ask = far_end(analysis, (feed.path,))
        message += words
        remedies = remedies or ask or headphones_instead(analysis, feed.path)
        # A little of oneself in a neighbour's microphone, no later than a hollow tone, is bleed: Cast's to tell.
        bled = kind == "hollow" and any(step.kind is EdgeKind.BLEEDS for step in feed.path.steps())
        yield Finding(
            "own-voice-back",
            "note" if control or asked or bled else _ECHO_SEVERITY[kind],
            "Feeds",
            (feed.listener,),
            f"{name} hears {name}, {show_number(feed.delay_ms, 'ms')} late",
            message,
            (
                Derived("delay", feed.delay_ms, "ms", source="computed"),
                Derived("gain", feed.gain_db, "dB", source="computed, against the mark"),
                Derived("ways back", len(loud), "", source="computed"),
            ),
            Derived(
                "own voice back",
                feed.delay_ms,
                "ms",
                "",
                tuple(row for row in (delay, level) if row),
                figure("delay-stops").source,
            ),
            remedies,
            (feed.key,),
        )


def _both_ends(analysis: Computed, feed: Feed) -> str:
    """Where the voice turns round, and what each end notices."""
    turn = turn_of(analysis, feed.path, feed.listener) if feed.path is not None else None
    if turn is None:
        return ""
    name = analysis.party_name(feed.listener)
    device = analysis.show.device(turn.device)
    where = analysis.device_name(turn.device)
    if device.place is not None:
        where += f" ({analysis.show.place(device.place).name})"
    by = f", {turn.crosspoint}" if turn.crosspoint else ""
    if turn.own_end:
        return f" It turns round at {name}'s own end, in {where}{by}; the other end hears nothing of it."
    return f" It turns round in {where}{by}. Nobody there hears it: only {name} can tell, so ask before each show."


def echo_control(analysis: Computed, path: PathThrough) -> str:
    """The echo canceller that works on a way which goes from a loudspeaker into a microphone; empty where none does."""
    rows = echo_cancellers(analysis, path)
    return f"{analysis.device_name(rows[0].device.id)}, {rows[0].processor.name}," if rows else ""


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
    analysis: Computed, pairs: list[tuple[Feed, Arrival, Arrival]]
) -> tuple[list[Cut], set[tuple[str, str]]]:
    """The cuts for the first pair, those first that cure most of the others, and all pairs that the first of them cures."""
    feed = pairs[0][0]

    def bad(transfer: Transfer) -> list[list[PathThrough]]:
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


def _twice_ways(analysis: Computed, transfer: Transfer, feed: Feed) -> list[list[PathThrough]]:
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
    analysis: Computed, group: list[tuple[Feed, Arrival, Arrival]], cuts: list[Cut], kept: list[Kept]
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
        f"{names(analysis, voices[:1])} reaches {names(analysis, listeners[:1])} twice"
        + _and_more(len(group)),
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


def _offered(analysis: Computed, ways: tuple[PathThrough, ...]) -> str:
    """Whether one of two ways is a mix of the very device that the other leaves by an output of its own."""
    row = mix_beside_inputs(analysis, ways[0], ways[1])
    if row is None:
        return ""
    giver, taker, label = row
    return f" {giver} offers {taker} its {label} beside the inputs themselves, and {taker} takes both."


def _and_more(count: int) -> str:
    return f", and {count - 1} more like it" if count > 1 else ""


def circles(analysis: Computed) -> Iterator[Finding]:
    """Circles in which signal goes round: howling, or too near to it (Davis and Patronis: keep 6 dB), or so long that it comes again as
    an echo (Haas 1951).
    """
    trouble = loop_trouble(analysis)
    if trouble is None:
        return
    margin = number("loop-margin")
    listed, found, ways = trouble.listed, trouble.heard, trouble.ways
    worst, howls, steep = trouble.worst, trouble.howls, trouble.steep
    beyond = howls_at(worst.gain_db)
    kept = wanted_pairs(analysis)
    cuts = loop_cuts(analysis, trouble, kept)
    circle = circle_of(analysis, worst)
    all_rows = together(analysis)
    round_trip = (
        f"{show_number(worst.delay_ms, 'ms')} round, {show_number(worst.gain_db, 'dB', sign=True)} each time"
    )
    spaced = ""
    if circle.spacing_hz:
        first = ", ".join(f"{row:.0f}" for row in circle.comb(3))
        spaced = f", possible every {circle.spacing_hz:.1f} Hz ({first} \u2026)"
    through = f"{', '.join(way_devices(analysis, worst))}: {circle.cause}"
    if howls and not beyond:
        text = (
            f"{len(listed)} circles howl together, though the strongest alone has {-worst.gain_db:.1f} dB in hand ({round_trip}). "
            f"They go through {through}. It builds up{spaced}."
        )
    elif howls and worst.gain_db < 0:
        text = (
            f"Signal goes round in a circle through {through}; {round_trip}. That is {-worst.gain_db:.1f} dB from howling, and gains are known no "
            f"better than to {number('loop-tolerance'):.0f} dB: take it as howling{spaced}. No level of what goes through it can be told."
        )
    elif howls:
        text = (
            f"Signal goes round in a circle through {through}; {round_trip}. It builds up and howls{spaced}. "
            "No level of what goes through it can be told."
        )
    elif not steep:
        rounds = math.ceil(-60 / worst.gain_db)
        text = (
            f"What goes round comes again every {show_number(worst.delay_ms, 'ms')}, {-worst.gain_db:.1f} dB weaker each time: an echo for everybody who hears it, "
            f"60 dB down after {rounds} rounds, {show_number(rounds * worst.delay_ms, 'ms')}. The circle goes through {through}."
        )
    else:
        text = (
            f"A circle through {through}; it has only {-worst.gain_db:.1f} dB in hand ({round_trip}). Keep {margin:.0f} dB, or it rings{spaced}. "
            f"As it is it colours by {show_number(circle.peak_db, 'dB', sign=True)} to {show_number(circle.dip_db, 'dB')}."
        )
    if len(ways) > 1 and all_rows is not None:
        text += f" {len(ways)} circles together come to {show_number(all_rows.value, 'dB', sign=True)}."
    far_words, asked, ask = far_end(analysis, (worst,)) if not steep else ("", False, ())
    gain, delay = circle.gain, circle.delay
    margin_left = Derived(
        "gain margin",
        analysis.transfer.stability.margin_db,
        "dB",
        source="of all loops together, (I − |A|)⁻¹",
    )
    yield Finding(
        "circle-howls" if howls else "circle-rings" if steep else "circle-echoes",
        "stop" if howls else "note" if asked else "fix",
        "Feeds",
        tuple(dict.fromkeys(analysis.graph.nodes[node].owner for node in worst.nodes)),
        "A circle howls"
        if howls
        else f"A circle has {-worst.gain_db:.1f} dB in hand"
        if steep
        else f"An echo every {show_number(worst.delay_ms, 'ms')}",
        text + blocked(analysis, cuts) + far_words,
        (
            Derived("loop gain", worst.gain_db, "dB"),
            Derived("loop delay", worst.delay_ms, "ms"),
            Derived("circles", len(found), ""),
            *((margin_left,) if math.isfinite(margin_left.value) else ()),
        ),
        Derived(
            "circle",
            worst.gain_db,
            "dB",
            "",
            (gain, delay),
            figure("loop-margin" if steep else "loop-echo").source,
        ),
        remedies_of(
            analysis,
            cuts,
            f"no circle is left within {margin:.0f} dB of howling"
            if steep
            else "no echo is left that goes round",
            kept,
        )
        or ask,
    )


# What nobody has said comes before what is heard too low: asked for, the level that is wanted is known.
RULES: tuple[Rule, ...] = (own_voice_back, circles, wants_not_said, arrives_twice)
