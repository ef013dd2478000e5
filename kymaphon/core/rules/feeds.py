"""Rules about who hears whom: own voice back, two arrivals, circles, wants that are not met."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.acoustics import comb
from kymaphon.core.analysis import Analysis, Rule
from kymaphon.core.cuts import (
    Cut,
    Kept,
    fewest_cuts,
)
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import figure, number
from kymaphon.core.findings import Finding, Severity
from kymaphon.core.paths import PathThrough, find_circles
from kymaphon.core.routing import Arrival, Feed, arrivals_of, echo_class, late_return, mark_of, second_arrival
from kymaphon.core.rules.cures import (
    against_mark,
    blocked,
    names,
    remedies_of,
    spare_pairs,
    wanted_pairs,
    way_devices,
    way_words,
)
from kymaphon.core.transfer import Transfer

NEAR_DB = 6.1
"""Ways this much further down are looked at too: two of equal length add up to 6.02 dB more than either."""
_ECHO_WORDS = {
    "hollow": "hollow, like talking into a pipe",
    "blurred": "blurred",
    "echo": "a distinct echo",
    "stops": "late enough to stop people speaking",
}
_ECHO_SEVERITY: dict[str, Severity] = {"hollow": "fix", "blurred": "fix", "echo": "stop", "stops": "stop"}


def own_voice_back(analysis: Analysis) -> Iterator[Finding]:
    """A party that gets its own voice back later than at once (ITU-T G.114, Haas 1951, Lee 1950)."""
    kept = wanted_pairs(analysis)
    for feed in analysis.feeds.values():
        if feed.verdict != "back" or feed.delay_ms is None or feed.gain_db is None or feed.path is None:
            continue
        kind = echo_class(feed.delay_ms)
        name = analysis.party_name(feed.listener)
        mouth, source = analysis.graph.mouths[feed.voice]
        ears = analysis.graph.ears[feed.listener]
        offset = source.value - mark_of(feed.unit, analysis.mark).value
        floor, at_once = number("own-voice-floor"), number("delay-colours")
        ways = [path for arrival in analysis.arrivals(*feed.key) for path in arrival.paths]
        loud = [path for path in ways if path.delay_ms > at_once and path.gain_db + offset > floor]

        def bad(
            transfer: Transfer, mouth: int = mouth, ears: tuple[int, ...] = ears, offset: float = offset
        ) -> list[list[PathThrough]]:
            lowest = number("own-voice-floor") - offset
            arrivals = (arrivals_of(transfer, mouth, ear, floor_db=lowest) for ear in ears)
            found = (late_return(row, offset) for row in arrivals)
            return [[path] for late in found if late is not None for path in late.paths]

        cuts = fewest_cuts(analysis.transfer, bad, kept, spare_pairs(analysis))
        explained = analysis.explain_feed(feed)
        level, delay = explained if explained else (None, None)
        message = (
            f"{name} gets its own voice back {show_number(feed.delay_ms, 'ms')} late, "
            f"{against_mark(feed.gain_db)}: {_ECHO_WORDS[kind]}.{blocked(analysis, cuts)}"
        )
        yield Finding(
            "own-voice-back",
            _ECHO_SEVERITY[kind],
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
            remedies_of(analysis, cuts, f"{name} no longer hears itself late", kept),
            (feed.key,),
        )


def arrives_twice(analysis: Analysis) -> Iterator[Finding]:
    """A voice that reaches a listener by two ways of different length and like level. Pairs with one cause
    make one finding.
    """
    pairs: list[tuple[Feed, Arrival, Arrival]] = []
    for feed in analysis.feeds.values():
        if not feed.twice or feed.verdict in ("back", "missing", "silent"):
            continue
        arrivals = analysis.arrivals(feed.listener, feed.voice)
        second = second_arrival(arrivals)
        if second is not None:
            pairs.append((feed, arrivals[0], second))
    while pairs:
        cuts, cured = _cure_twice(analysis, pairs)
        kept = wanted_pairs(analysis)
        group = [row for row in pairs if row[0].key in cured]
        pairs = [row for row in pairs if row[0].key not in cured]
        yield _twice_finding(analysis, group, cuts, kept)


def _cure_twice(
    analysis: Analysis, pairs: list[tuple[Feed, Arrival, Arrival]]
) -> tuple[list[Cut], set[tuple[str, str]]]:
    """The cut for the first pair, and every pair that it cures as well."""
    feed = pairs[0][0]

    def bad(transfer: Transfer) -> list[list[PathThrough]]:
        return _twice_ways(analysis, transfer, feed)

    cuts = fewest_cuts(analysis.transfer, bad, wanted_pairs(analysis), spare_pairs(analysis))
    cured = {feed.key}
    for cut in cuts[:1]:
        transfer = analysis.transfer.without(frozenset(switch.ref for switch in cut.switches))
        cured |= {row.key for row, _, _ in pairs if not _twice_ways(analysis, transfer, row)}
    return cuts, cured


def _twice_ways(analysis: Analysis, transfer: Transfer, feed: Feed) -> list[list[PathThrough]]:
    """For each ear that a voice reaches twice, the ways of both arrivals: one of them must go."""
    mouth = analysis.graph.mouths[feed.voice][0]
    near = number("double-difference") + NEAR_DB
    groups = []
    for ear in analysis.graph.ears[feed.listener]:
        arrivals = arrivals_of(transfer, mouth, ear, below_db=near)
        second = second_arrival(arrivals)
        if second is not None:
            groups.append([*second.paths, *arrivals[0].paths])
    return groups


def _twice_finding(
    analysis: Analysis, group: list[tuple[Feed, Arrival, Arrival]], cuts: list[Cut], kept: list[Kept]
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
    message = (
        f"{names(analysis, voices)} {arrive} twice at {names(analysis, listeners)}, {show_number(apart, 'ms')} apart and "
        f"{difference:.1f} dB different: {heard}, {show_number(peak, 'dB', sign=True)} to {show_number(dip, 'dB')}, first notch at "
        f"{notch:.0f} Hz.{blocked(analysis, cuts)}"
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
        "fix",
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
        ),
        tuple(row.key for row, _, _ in group),
    )


def _and_more(count: int) -> str:
    return f", and {count - 1} more like it" if count > 1 else ""


def circles(analysis: Analysis) -> Iterator[Finding]:
    """Circles in which signal goes round: howling, or too near to it (Davis and Patronis: keep 6 dB)."""
    margin = number("loop-margin")
    found = [path for path in analysis.circles.paths if path.gain_db > -margin]
    unstable = any(radius >= 1 for radius in analysis.transfer.radius)
    if not found and not unstable:
        return
    ways = found or list(analysis.circles.paths[:3])
    if not ways:
        return
    worst = ways[0]
    howls = unstable or worst.gain_db >= 0

    def bad(transfer: Transfer) -> list[list[PathThrough]]:
        near = [[path] for path in find_circles(transfer, floor_db=-margin, most=4).paths]
        if near or all(radius < 1 for radius in transfer.radius):
            return near
        return [list(find_circles(transfer, most=4).paths)]

    kept = wanted_pairs(analysis)
    cuts = fewest_cuts(analysis.transfer, bad, kept, spare_pairs(analysis))
    names = way_devices(analysis, worst)
    spacing = 1000 / worst.delay_ms if worst.delay_ms > 0 else 0.0
    spaced = f", possible every {spacing:.1f} Hz" if spacing else ""
    round_trip = (
        f"{show_number(worst.delay_ms, 'ms')} round, {show_number(worst.gain_db, 'dB', sign=True)} each time"
    )
    if howls:
        text = f"Signal goes round in a circle through {', '.join(names)}: {round_trip}. It builds up and howls{spaced}."
    else:
        text = f"A circle through {', '.join(names)} has only {-worst.gain_db:.1f} dB in hand ({round_trip}); keep {margin:.0f} dB, or it rings{spaced}."
    gain = total("gain once round", "dB", worst.gain_parts(), source="gains add round the circle")
    delay = total("time once round", "ms", worst.delay_parts(), source="delays add along the way")
    radius = max(analysis.transfer.radius, default=0.0)
    yield Finding(
        "circle-howls" if howls else "circle-rings",
        "stop" if howls else "fix",
        "Feeds",
        tuple(dict.fromkeys(analysis.graph.nodes[node].owner for node in worst.nodes)),
        "A circle howls" if howls else f"A circle has {-worst.gain_db:.1f} dB in hand",
        text + blocked(analysis, cuts),
        (
            Derived("loop gain", worst.gain_db, "dB"),
            Derived("loop delay", worst.delay_ms, "ms"),
            Derived("circles", len(found), ""),
            Derived(
                "all circles together permille",
                round(1000 * radius),
                "",
                source="spectral radius of |A|; 1000 or more howls",
            ),
        ),
        Derived("circle", worst.gain_db, "dB", "", (gain, delay), figure("loop-margin").source),
        remedies_of(analysis, cuts, f"no circle is left within {margin:.0f} dB of howling", kept),
    )


RULES: tuple[Rule, ...] = (own_voice_back, circles, arrives_twice)
