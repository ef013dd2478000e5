"""Rules about who hears whom: own voice back, two arrivals, circles, wants that are not met."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

from kymaphon.core.acoustics import comb
from kymaphon.core.cuts import (
    Cut,
    Kept,
    closers,
    fewest_cuts,
    lost,
    reachable,
    switch_words,
    switches_on,
)
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.edits import SetValue
from kymaphon.core.figures import figure, number
from kymaphon.core.findings import Finding, Remedy, Rule, Severity
from kymaphon.core.graph import Switch
from kymaphon.core.paths import PathThrough, best_paths, find_circles
from kymaphon.core.routing import Arrival, Feed, arrivals_of, echo_class, mark_of, second_arrival
from kymaphon.core.transfer import Transfer

if TYPE_CHECKING:
    from kymaphon.core.analysis import Analysis

_ECHO_WORDS = {
    "hollow": "hollow, like talking into a pipe",
    "blurred": "blurred",
    "echo": "a distinct echo",
    "stops": "late enough to stop people speaking",
}
_ECHO_SEVERITY: dict[str, Severity] = {"hollow": "fix", "blurred": "fix", "echo": "stop", "stops": "stop"}


def wanted_pairs(analysis: Analysis) -> list[Kept]:
    """The pairs that are wanted and heard now, with the gain below which they would count as lost."""
    kept = []
    for feed in analysis.feeds.values():
        if (
            feed.want in ("hear", "local")
            and feed.asked
            and feed.gain_db is not None
            and feed.verdict != "missing"
        ):
            kept.append(_kept(analysis, feed))
    return kept


def _kept(analysis: Analysis, feed: Feed) -> Kept:
    mouth, level = analysis.graph.mouths[feed.voice]
    ears = analysis.graph.ears[feed.listener]
    mark = mark_of(analysis.graph.nodes[ears[0]].unit, analysis.practice).value
    floor = mark + feed.wanted_gain_db + number("heard-floor") - level.value
    return Kept(mouth, ears, floor, feed.listener, feed.voice)


def _names(analysis: Analysis, ids: Iterable[str]) -> str:
    rows = [analysis.party_name(row) for row in dict.fromkeys(ids)]
    return rows[0] if len(rows) == 1 else f"{', '.join(rows[:-1])} and {rows[-1]}"


def _remedies(analysis: Analysis, cuts: list[Cut], done: str, kept: list[Kept]) -> tuple[Remedy, ...]:
    out = []
    for i, cut in enumerate(cuts):
        if cut.breaks:
            continue
        stays = "the one want that is" if len(kept) == 1 else f"all {len(kept)} wants that are"
        out.append(Remedy(f"cut-{i + 1}", cut.label, f"{done}; {stays} met now stay met.", cut.edits))
    return tuple(out)


def _blocked(analysis: Analysis, cuts: list[Cut]) -> str:
    if not cuts:
        return " No switch in the rig opens this way; it needs another routing."
    if cuts[0].breaks:
        first = cuts[0].breaks[0]
        pair = f"{analysis.party_name(first.listener)} would lose {analysis.party_name(first.voice)}"
        return f" No set of switches cures it and keeps every want: with {cuts[0].label.lower()}, {pair}."
    return ""


def own_voice_back(analysis: Analysis) -> Iterator[Finding]:
    """A party that gets its own voice back later than at once (ITU-T G.114, Haas 1951, Lee 1950)."""
    kept = wanted_pairs(analysis)
    for feed in analysis.feeds.values():
        if feed.verdict != "back" or feed.delay_ms is None or feed.gain_db is None or feed.path is None:
            continue
        kind = echo_class(feed.delay_ms)
        name = analysis.party_name(feed.listener)
        floor = _own_floor(analysis, feed)
        mouth, ears = analysis.graph.mouths[feed.voice][0], analysis.graph.ears[feed.listener]
        ways = [path for arrival in analysis.arrivals(feed.listener, feed.voice) for path in arrival.paths]
        loud = [path for path in ways if path.gain_db > floor]

        def is_cured(
            transfer: Transfer, mouth: int = mouth, ears: tuple[int, ...] = ears, floor: float = floor
        ) -> bool:
            return all(transfer.best_gain_to(ear)[mouth] <= floor for ear in ears)

        cuts = fewest_cuts(analysis.transfer, switches_on(loud), is_cured, kept)
        explained = analysis.explain_feed(feed)
        level, delay = explained if explained else (None, None)
        message = (
            f"{name} gets its own voice back {show_number(feed.delay_ms, 'ms')} late, "
            f"{_against_mark(feed.gain_db)}: {_ECHO_WORDS[kind]}.{_blocked(analysis, cuts)}"
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
            _remedies(analysis, cuts, f"{name} no longer hears itself late", kept),
            (feed.key,),
        )


def _own_floor(analysis: Analysis, feed: Feed) -> float:
    mark = mark_of(feed.unit, analysis.practice).value
    return mark + number("own-voice-floor") - analysis.graph.mouths[feed.voice][1].value


def _against_mark(gain_db: float) -> str:
    if abs(gain_db) < 0.05:
        return "at the mark"
    return f"{abs(gain_db):.1f} dB {'above' if gain_db > 0 else 'under'} the mark"


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
    feed, first, second = pairs[0]
    only_first = {row.ref for row in switches_on(first.paths)}
    only_second = {row.ref for row in switches_on(second.paths)}
    candidates = [
        row
        for row in switches_on([*second.paths, *first.paths])
        if not (row.ref in only_first and row.ref in only_second)
    ]

    def single(transfer: Transfer, row: Feed = feed) -> bool:
        return not _still_twice(analysis, transfer, row)

    cuts = fewest_cuts(analysis.transfer, candidates, single, wanted_pairs(analysis))
    cured = {feed.key}
    for cut in cuts[:1]:
        transfer = analysis.transfer.without(frozenset(switch.ref for switch in cut.switches))
        cured |= {row.key for row, _, _ in pairs if not _still_twice(analysis, transfer, row)}
    return cuts, cured


def _still_twice(analysis: Analysis, transfer: Transfer, feed: Feed) -> bool:
    mouth = analysis.graph.mouths[feed.voice][0]
    near = number("double-difference") + 0.5
    arrivals = (
        arrivals_of(transfer, mouth, ear, below_db=near) for ear in analysis.graph.ears[feed.listener]
    )
    return any(second_arrival(row) is not None for row in arrivals)


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
        f"{_names(analysis, voices)} {arrive} twice at {_names(analysis, listeners)}, {show_number(apart, 'ms')} apart and "
        f"{difference:.1f} dB different: {heard}, {show_number(peak, 'dB', sign=True)} to {show_number(dip, 'dB')}, first notch at "
        f"{notch:.0f} Hz.{_blocked(analysis, cuts)}"
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
        f"{_names(analysis, voices[:1])} reaches {_names(analysis, listeners[:1])} twice"
        + _and_more(len(group)),
        message,
        (
            Derived("apart", apart, "ms"),
            Derived("difference", difference, "dB"),
            Derived("first notch", notch, "Hz"),
            Derived("pairs", len(group), ""),
        ),
        Derived("two arrivals", apart, "ms", "second \u2212 first", terms, "comb of two arrivals"),
        _remedies(
            analysis,
            cuts,
            f"each of {len(group)} pairs arrives once" if len(group) > 1 else "it arrives once",
            kept,
        ),
        tuple(row.key for row, _, _ in group),
    )


def _and_more(count: int) -> str:
    return f", and {count - 1} more like it" if count > 1 else ""


def way_devices(analysis: Analysis, path: PathThrough) -> list[str]:
    """Names of the devices along a way, each once in a row."""
    devices = {
        device.id: device.name or analysis.catalogue[device.kind].name for device in analysis.show.devices
    }
    names: list[str] = []
    for node in path.nodes:
        name = devices.get(analysis.graph.nodes[node].owner)
        if name and (not names or names[-1] != name):
            names.append(name)
    return names


def way_words(analysis: Analysis, path: PathThrough, others: Sequence[PathThrough]) -> str:
    """What tells a way from the others: the crosspoint or socket that it alone runs through; else its devices."""
    elsewhere = {k for other in others if other is not path for k in other.edges}
    own = [step for k, step in zip(path.edges, path.steps(), strict=True) if k not in elsewhere]
    if others and own and len(own) < len(path.edges):
        named = [step for step in own if step.label and step.label not in ("cable", "listens", "plays")]
        telling = next((step for step in reversed(named) if step.switches), next(iter(named), None))
        if telling is not None:
            owner = analysis.graph.nodes[telling.source].label.partition(", ")[0]
            return f"by {owner}, {telling.label}"
    devices = way_devices(analysis, path)
    if len(devices) > 5:
        devices = [*devices[:3], "\u2026", *devices[-2:]]
    return " \u203a ".join(devices)


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

    def is_cured(transfer: Transfer) -> bool:
        calm = all(radius < 1 for radius in transfer.radius)
        return calm and not find_circles(transfer, floor_db=-margin, most=1).paths

    kept = wanted_pairs(analysis)
    cuts = fewest_cuts(analysis.transfer, switches_on(ways), is_cured, kept)
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
        text + _blocked(analysis, cuts),
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
        _remedies(analysis, cuts, "no circle is left within 6 dB of howling", kept),
    )


def wants_not_met(analysis: Analysis) -> Iterator[Finding]:
    """Wanted and not heard, heard and not wanted, too loud, too quiet, too late."""
    kept = wanted_pairs(analysis)
    for feed in analysis.feeds.values():
        if feed.verdict == "missing":
            yield _missing(analysis, feed)
        elif feed.verdict == "unwanted":
            yield _unwanted(analysis, feed, kept)
        elif feed.verdict in ("loud", "quiet"):
            yield _off_level(analysis, feed)
        elif feed.verdict == "late":
            yield _late(analysis, feed)


def _pair(analysis: Analysis, feed: Feed) -> tuple[str, str]:
    return analysis.party_name(feed.listener), analysis.party_name(feed.voice)


def _missing(analysis: Analysis, feed: Feed) -> Finding:
    listener, voice = _pair(analysis, feed)
    kept = _kept(analysis, feed)
    others = [row for row in wanted_pairs(analysis) if (row.listener, row.voice) != feed.key]

    def is_fine(transfer: Transfer) -> bool:
        if lost(transfer, [kept, *others]) or not all(radius < 1 for radius in transfer.radius):
            return False
        return not _new_echo(analysis, transfer)

    doors = closers(analysis.graph, kept.mouth, kept.ears, is_fine)
    remedies = tuple(
        Remedy(f"open-{i + 1}", switch_words(door), f"{listener} hears {voice}; nobody hears themselves late for it.", (SetValue(door.ref, not door.now),))
        for i, door in enumerate(doors)
    )  # fmt: skip
    if feed.gain_db is None:
        reason = _why_silent(analysis, kept)
        text = f"{listener} should hear {voice} and there is no way there{reason}."
    else:
        text = f"{listener} should hear {voice}, and gets it only {_against_mark(feed.gain_db)}."
    figures = (Derived("gain", feed.gain_db, "dB"),) if feed.gain_db is not None else ()
    return Finding(
        "wanted-not-heard",
        "fix",
        "Feeds",
        (feed.listener, feed.voice),
        f"{listener} does not hear {voice}",
        text,
        figures,
        None,
        remedies,
        (feed.key,),
    )


def _why_silent(analysis: Analysis, kept: Kept) -> str:
    """The first break behind the voice, if there is just one thing that stops it."""
    forward = reachable(analysis.graph, [kept.mouth], backward=False)
    for edge in analysis.graph.edges:
        if edge.source in forward and edge.broken and edge.broken != "panned to the other side":
            return f": {edge.broken} at {analysis.graph.nodes[edge.source].label}"
    return ""


def _new_echo(analysis: Analysis, transfer: Transfer) -> bool:
    """Whether any party would now get itself back late that does not today."""
    for feed in analysis.feeds.values():
        if feed.listener != feed.voice or feed.verdict == "back":
            continue
        mouth, level = analysis.graph.mouths[feed.voice]
        for ear in analysis.graph.ears[feed.listener]:
            mark = mark_of(analysis.graph.nodes[ear].unit, analysis.practice).value
            ways = best_paths(
                transfer, mouth, ear, floor_db=mark + number("own-voice-floor") - level.value, most=4
            ).paths
            if any(path.delay_ms > number("delay-colours") for path in ways):
                return True
    return False


def _unwanted(analysis: Analysis, feed: Feed, kept: list[Kept]) -> Finding:
    listener, voice = _pair(analysis, feed)
    mouth, ears = analysis.graph.mouths[feed.voice][0], analysis.graph.ears[feed.listener]
    floor = (
        mark_of(feed.unit, analysis.practice).value
        + number("heard-floor")
        - analysis.graph.mouths[feed.voice][1].value
    )

    def is_cured(transfer: Transfer) -> bool:
        return all(transfer.best_gain_to(ear)[mouth] <= floor for ear in ears)

    ways = [
        path
        for arrival in analysis.arrivals(feed.listener, feed.voice)
        for path in arrival.paths
        if path.gain_db > floor
    ]
    cuts = fewest_cuts(analysis.transfer, switches_on(ways), is_cured, kept)
    explained = analysis.explain_feed(feed)
    return Finding(
        "heard-unwanted",
        "fix",
        "Feeds",
        (feed.listener, feed.voice),
        f"{listener} hears {voice} and must not",
        f"{listener} must not hear {voice}, and does, {_against_mark(feed.gain_db or 0.0)}.{_blocked(analysis, cuts)}",
        (Derived("gain", feed.gain_db or 0.0, "dB"), Derived("delay", feed.delay_ms or 0.0, "ms")),
        explained[0] if explained else None,
        _remedies(analysis, cuts, f"{listener} no longer hears {voice}", kept),
        (feed.key,),
    )


def _off_level(analysis: Analysis, feed: Feed) -> Finding:
    listener, voice = _pair(analysis, feed)
    off = (feed.gain_db or 0.0) - feed.wanted_gain_db
    word = "too loud" if off > 0 else "too quiet"
    explained = analysis.explain_feed(feed)
    text = f"{listener} gets {voice} {abs(off):.1f} dB {'above' if off > 0 else 'under'} the wanted level: {word}."
    return Finding(f"heard-{word.replace(' ', '-')}", "note", "Feeds", (feed.listener, feed.voice), f"{voice} is {word} for {listener}", text, (Derived("off", off, "dB"),), explained[0] if explained else None, pairs=(feed.key,))  # fmt: skip


def _late(analysis: Analysis, feed: Feed) -> Finding:
    listener, voice = _pair(analysis, feed)
    delay = feed.delay_ms or 0.0
    limit = figure("one-way-limit")
    explained = analysis.explain_feed(feed)
    text = f"{voice} reaches {listener} {show_number(delay, 'ms')} late; conversation bears {limit.value:.0f} ms at most."
    return Finding("one-way-late", "fix", "Feeds", (feed.listener, feed.voice), f"{voice} is late for {listener}", text, (Derived("delay", delay, "ms"),), explained[1] if explained else None, pairs=(feed.key,))  # fmt: skip


RULES: tuple[Rule, ...] = (own_voice_back, circles, arrives_twice, wants_not_met)


def switches_of_feed(analysis: Analysis, feed: Feed) -> list[Switch]:
    """Closed switches on every way of a pair, crosspoints first."""
    return switches_on(
        path for arrival in analysis.arrivals(feed.listener, feed.voice) for path in arrival.paths
    )
