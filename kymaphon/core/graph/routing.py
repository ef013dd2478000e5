"""Who hears what: for each listener and voice the total over all ways, how late it is, and whether that is
as wanted.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.paths import SignalPath, best_paths, round_once, strong_cycles, strongest_path
from kymaphon.core.graph.signal import STRAY, Edge, EdgeKind, SignalGraph
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.base import WantKind
from kymaphon.core.model.scales import Mark, shipped_digital, show_mark
from kymaphon.core.model.show import Party, Show
from kymaphon.core.units import SILENCE_DB, correlated_sum_db, power_to_db, uncorrelated_sum_db

Verdict = Literal["heard", "local", "silent", "missing", "quiet", "loud", "late", "back", "unwanted", "twice", "free"]
"""heard: as wanted. local: own voice, at once. silent: rightly not heard. missing: wanted, no way or too
weak.
quiet, loud: further from the wanted level than the tolerance. late: later than conversation bears. back: own
voice, late.
unwanted: heard and must not be. twice: two arrivals close in level. free: heard or not, nobody asked."""
IN_STEP_BELOW_DB = 40.0
"""Ways weaker than this against the strongest are taken as powers in a total: in step they could change it
by 0.09 dB at most.
"""
SEVERAL_DB = 0.1
"""A total this much above the strongest way means that others are near enough to matter: four ways in step that come to the
three-to-one difference together are powers that add 0.12 dB."""
SILENT_GAIN_DB = -120.0
"""Everything below this against the mark is reported as not there at all."""


@dataclass(frozen=True, slots=True)
class Arrival:
    """One time at which a voice reaches a listener: ways of equal length, added in step."""

    delay_ms: float
    gain_db: float
    paths: tuple[SignalPath, ...]


@dataclass(frozen=True, slots=True)
class Delivery:
    """One cell of who hears whom.

    Attributes:
        want: what was asked for, or the default by role; `asked` tells which.
        node: where the listener gets it (the louder side), or None when no way leads there.
        level_db: level there, in `unit`.
        gain_db: that level against the listener's mark; 0 is on the mark. None when there is no way.
        delay_ms: along the strongest path; where own voice comes back late, that of the return (and so are level and path).
        path: the strongest way.
        twice: another arrival lies within the three-to-one difference.
        arrivals: every arrival, strongest first, where there is more than one worth adding; else empty (see
        `Computed.arrivals`).
        whole: the search for those arrivals saw all that counts; else a second one near the first may not be told.
        unstable: the way runs through a loop that howls, so the level is only that of the first pass.
    """

    listener: str
    voice: str
    want: WantKind
    asked: bool
    wanted_gain_db: float
    verdict: Verdict
    node: int | None = None
    unit: str = ""
    level_db: float | None = None
    gain_db: float | None = None
    delay_ms: float | None = None
    path: SignalPath | None = None
    twice: bool = False
    unstable: bool = False
    arrivals: tuple[Arrival, ...] = ()
    whole: bool = True

    @property
    def key(self) -> tuple[str, str]:
        return self.listener, self.voice

    @property
    def well(self) -> bool:
        """Nothing to do here."""
        return self.verdict in ("heard", "local", "silent", "free") and not self.howling

    @property
    def howling(self) -> bool:
        """It comes by what howls: there is no figure to tell."""
        return self.unstable and self.path is not None

    def gain_words(self) -> str:
        """Its level against the mark as it is told; empty where nothing comes."""
        if self.howling:
            return "no figure: it howls"
        return "" if self.gain_db is None else show_number(self.gain_db, "dB", sign=True)


def mark_of(unit: str, mark: Mark, listener: Party) -> Derived:
    """The level at which a voice is on the mark for a listener, in the unit of its point."""
    if unit == "dBFS":
        row = mark if mark.unit == "dBFS" else shipped_digital()
        return Derived(f"mark, {row.name}", row.average, "dBFS", source=row.source)
    if unit != "dBu":
        in_room = mark.room is not None and listener.hears_on is None
        return mark.room if mark.room is not None and in_room else figure("ear-mark")
    if mark.unit == "dBu":
        return Derived(f"mark, {mark.name}", mark.average, "dBu", source=mark.source)
    usual = figure("house-alignment")
    if mark.zero_vu_dbu == usual.value:
        return usual
    return Derived("house line-up level", mark.zero_vu_dbu, "dBu", source="show: 0 VU")


def default_want(listener: Party, voice: Party) -> WantKind:
    """What goes without saying: a remote party never gets itself back; anyone else may hear themselves at
    once.
    """
    if listener.id != voice.id:
        return "any"
    return "never" if listener.kind == "remote" else "local"


def all_feeds(show: Show, graph: SignalGraph, transfer: Transfer) -> dict[tuple[str, str], Delivery]:
    """Every cell of listeners by voices, in the order of the show's parties."""
    mark = show_mark(show)
    voices = [show.party(name) for name in graph.mouths]
    power = transfer.voice_power
    wants = {(want.listener, want.voice): want for want in show.wants}
    transfer.prepare_best([node for nodes in graph.ears.values() for node in nodes])
    own = own_microphones(graph)
    feeds: dict[tuple[str, str], Delivery] = {}
    for listener in show.parties:
        nodes = graph.ears.get(listener.id)
        if not nodes:
            continue
        onward = {node: transfer.best_gain_to(node) for node in nodes}
        for column, voice in enumerate(voices):
            want = wants.get((listener.id, voice.id))
            kind = want.want if want else default_want(listener, voice)
            wanted = want.gain_db if want else 0.0
            mics = own.get(graph.mouths[voice.id][0], ())
            node = _where(nodes, power[:, column], onward, mics)
            feed = Delivery(listener.id, voice.id, kind, want is not None, wanted, "silent", node)
            two_way = listener.speaks and voice.listens
            feeds[feed.key] = _measure(
                feed,
                graph,
                transfer,
                float(power[node, column]),
                onward[node],
                mark_of(graph.nodes[node].unit, mark, listener).value,
                two_way,
                mics,
            )
    return feeds


Mics = tuple[tuple[int, Edge], ...]
"""A voice's own microphones: number and edge of every way from its mouth into one."""


def own_microphones(graph: SignalGraph) -> dict[int, Mics]:
    """Mouth -> its own microphones; none where it has none."""
    out: dict[int, Mics] = {}
    for k, edge in enumerate(graph.edges):
        if edge.kind is EdgeKind.SPEAKS:
            out[edge.source] = (*out.get(edge.source, ()), (k, edge))
    return out


def own_way(transfer: Transfer, mics: Mics, node: int) -> SignalPath | None:
    """The strongest way from a voice's own microphones to a point, by no room on the way; None where none leads there."""
    onward = transfer.best_gain_to(node)
    best: SignalPath | None = None
    for k, edge in mics:
        if not edge.on or onward[edge.target] == -math.inf:
            continue
        rest = strongest_path(transfer, edge.target, node) or next(
            iter(best_paths(transfer, edge.target, node, bound=onward, most=1).paths), None
        )
        if rest is None or goes_astray(rest):
            continue
        gain = edge.gain_db + rest.gain_db
        if best is None or gain > best.gain_db:
            best = SignalPath(transfer.graph, (k, *rest.edges), gain, edge.delay_ms + rest.delay_ms)
    return best


def _where(nodes: tuple[int, ...], power: NDArray[np.float64], onward: dict[int, Sequence[float]], mics: Mics) -> int:
    """Which of a listener's points a voice is looked at in: where its own microphone brings it, of those the loudest.

    Of two ears that get the same it is the first, whatever the rounding.
    """
    mine = [max((edge.gain_db + onward[n][edge.target] for _, edge in mics), default=-math.inf) for n in nodes]
    best = max(mine)
    rows = [n for n, gain in zip(nodes, mine, strict=True) if gain >= best - 0.1] if best > -math.inf else list(nodes)
    most = max(power[n] for n in rows) * (1 - 1e-6)
    return next(n for n in rows if power[n] >= most)


def _measure(
    feed: Delivery,
    graph: SignalGraph,
    transfer: Transfer,
    power: float,
    onward: Sequence[float],
    mark: float,
    two_way: bool,
    mics: Mics,
) -> Delivery:
    node = feed.node
    if node is None:
        return feed
    mouth, source_level = graph.mouths[feed.voice]
    unit = graph.nodes[node].unit
    offset = source_level.value - mark
    path = None
    if offset + onward[mouth] >= SILENT_GAIN_DB:
        path = strongest_path(transfer, mouth, node) or next(
            iter(best_paths(transfer, mouth, node, bound=onward, most=1).paths), None
        )
    if path is None:
        return replace(feed, node=None, verdict="missing" if feed.want == "hear" else "silent")
    astray = bool(mics) and goes_astray(path)
    if astray:
        # A voice is followed by its own microphone, wherever that leads, though another's brings more of it.
        mine = own_way(transfer, mics, node)
        if mine is not None and offset + mine.gain_db >= SILENT_GAIN_DB:
            path = mine
            astray = offset + mine.gain_db - feed.wanted_gain_db < number("heard-floor")
    unstable = bool(transfer.unstable) and not transfer.unstable.isdisjoint(path.nodes)
    own = feed.listener == feed.voice
    gain, twice = path.gain_db, False
    arrivals: tuple[Arrival, ...] = ()
    cut_short = transfer.effort.short
    if own or (not unstable and power_to_db(power) - path.gain_db > SEVERAL_DB):
        # Of one's own voice nothing under the floor is a return; looking no deeper is what keeps this quick.
        floor = number("own-voice-floor") - offset if own else -math.inf
        arrivals = arrivals_of(transfer, mouth, node, onward, IN_STEP_BELOW_DB, floor, own=own)
        if not unstable:
            gain = total_gain_db(power, arrivals)
        second = second_arrival(arrivals)
        twice = second is not None and not _in_the_room(arrivals[0], second)
    if own and feed.want == "hear" and mics:
        # Oneself from a wedge or headphones: what one's own microphone brings, not what the air and the bones do.
        mine = own_way(transfer, mics, node)
        if mine is None:
            return replace(feed, verdict="missing", arrivals=arrivals)
        path, gain = mine, mine.gain_db
    late = late_return(arrivals, offset, at_once_ms(feed.want)) if own else None
    if late is not None:
        path, gain = late.paths[0], late.gain_db
    verdict = _judge(
        feed, gain + offset, path.delay_ms, twice=twice, late=late is not None, two_way=two_way, astray=astray
    )
    level = source_level.value + gain
    return replace(
        feed,
        verdict=verdict,
        unit=unit,
        level_db=level,
        gain_db=gain + offset,
        delay_ms=path.delay_ms,
        path=path,
        twice=twice,
        unstable=unstable,
        arrivals=arrivals,
        whole=transfer.effort.short == cut_short,
    )


def at_once_ms(want: WantKind) -> float:
    """Up to where an own voice counts as at once: whoever must not have it back is told sooner than who monitors it directly."""
    return number("delay-colours" if want == "never" else "delay-direct")


def late_return(arrivals: tuple[Arrival, ...], offset_db: float, at_once: float) -> Arrival | None:
    """The strongest arrival of somebody's own voice that comes back late enough, and loud enough, to be noticed.

    What comes back within the time of a blur only colours what is heard at once, so there it counts only when it is not
    far below that (three-to-one rule); later than that it is an echo of its own (Haas 1951). The air before the microphone
    does not count as lateness.

    Args:
        offset_db: level of the voice less the listener's mark, added to an arrival's gain.
        at_once: what comes back sooner than this, in ms, is no return.
    """
    blur = number("delay-blurred")
    direct = max((row.gain_db for row in arrivals if row.delay_ms <= at_once), default=-math.inf)
    for row in arrivals:
        masked = row.delay_ms <= blur and direct - row.gain_db > number("double-difference")
        # From a wedge nobody minds what converters add; in headphones it colours what the bones bring at once.
        limit = max(at_once, number("delay-hollow")) if by_the_air(row.paths[0]) else at_once
        if (
            row.delay_ms - _own_air_ms(row) > limit
            and not masked
            and row.gain_db + offset_db > number("own-voice-floor")
        ):
            return row
    return None


def _own_air_ms(arrival: Arrival) -> float:
    """The air between a mouth and the first microphone, and between a wedge and the ears: no delay of the rig. A loudspeaker
    so far away that its sound is an echo of itself counts.
    """
    steps = list(arrival.paths[0].steps())
    if not steps:
        return 0.0
    first, last = steps[0].delay_ms, steps[-1].delay_ms
    near = by_the_air(arrival.paths[0]) and len(steps) > 1 and first + last <= number("delay-blurred")
    return first + (last if near else 0.0)


def by_the_air(path: SignalPath) -> bool:
    """Whether a way ends in the room: from a loudspeaker, or straight from a mouth, to the ears."""
    last = [path.graph.edges[i].kind for i in path.edges[-2:]]
    return last[-1:] == [EdgeKind.THROUGH_AIR] or last == [EdgeKind.THROUGH_AIR, EdgeKind.LISTENS]


def _in_the_room(first: Arrival, second: Arrival) -> bool:
    """Whether two arrivals are what every room with loudspeakers has: both by the air, so little apart that they are heard as one
    (Haas 1951).
    """
    close = abs(first.delay_ms - second.delay_ms) <= number("delay-blurred")
    return close and by_the_air(first.paths[0]) and by_the_air(second.paths[0])


def arrivals_of(
    transfer: Transfer,
    mouth: int,
    node: int,
    onward: Sequence[float] | None = None,
    below_db: float | None = None,
    floor_db: float = -math.inf,
    *,
    own: bool = False,
) -> tuple[Arrival, ...]:
    """The times at which a voice arrives, strongest first; ways of the same length are added in step.

    Args:
        below_db: how far below the strongest way to look; None takes the house figure.
        floor_db: no way weaker than this is looked at, however far below the strongest it is.
        own: for somebody's own voice, each way also once more round each loop on it: what is mixed where it comes back to goes
            through no point twice but by a loop.

    Steps of polarity are not modelled: ways of the same length always help each other.
    """
    found = best_paths(transfer, mouth, node, bound=onward, below_db=below_db, floor_db=floor_db).paths
    laps = []
    for circle in strong_cycles(transfer) if own else ():
        rows = (round_once(path, circle) for path in found)
        best = max((row for row in rows if row is not None), key=lambda row: row.gain_db, default=None)
        if best is not None and best.gain_db >= floor_db:
            laps.append(best)
    return _grouped((*found, *laps))


def _grouped(paths: Iterable[SignalPath]) -> tuple[Arrival, ...]:
    """Ways of the same length together, strongest first."""
    groups: list[list[SignalPath]] = []
    apart = number("double-apart")
    for path in sorted(paths, key=lambda row: row.delay_ms):
        if groups and path.delay_ms - groups[-1][0].delay_ms <= apart:
            groups[-1].append(path)
        else:
            groups.append([path])
    return tuple(sorted(map(_arrival, groups), key=lambda row: -row.gain_db))


def _arrival(group: list[SignalPath]) -> Arrival:
    """Ways of one length, added in step."""
    if len(group) == 1:
        return Arrival(group[0].delay_ms, group[0].gain_db, (group[0],))
    ordered = sorted(group, key=lambda row: -row.gain_db)
    return Arrival(ordered[0].delay_ms, correlated_sum_db(row.gain_db for row in group), tuple(ordered))


def total_gain_db(power: float, arrivals: tuple[Arrival, ...]) -> float:
    """Gain over all ways: the solve's sum of powers, with the ways of equal length put in step.

    The solve counts every way and every round; listing may stop early. So the total is the solve's, plus what
    adding in step gives over adding as
    powers for the ways that are listed.
    """
    listed = uncorrelated_sum_db(path.gain_db for arrival in arrivals for path in arrival.paths)
    in_step = uncorrelated_sum_db(arrival.gain_db for arrival in arrivals)
    extra = 10 ** (in_step / 10) - 10 ** (listed / 10) if arrivals else 0.0
    return power_to_db(max(power + extra, 10 ** (SILENCE_DB / 10)))


def second_arrival(arrivals: tuple[Arrival, ...]) -> Arrival | None:
    """The strongest arrival after the first that is near enough in level to be heard as a second; None if
    all is well.
    """
    if len(arrivals) < 2:
        return None
    near = arrivals[0].gain_db - arrivals[1].gain_db <= number("double-difference")
    return arrivals[1] if near else None


def echo_class(delay_ms: float) -> str:
    """What own voice back does at this delay: `colours`, `hollow`, `blurred`, `echo`, or `stops` (Haas
    1951, Lee 1950).
    """
    if delay_ms <= number("delay-colours"):
        return "colours"
    if delay_ms <= number("delay-hollow"):
        return "hollow"
    if delay_ms <= number("delay-blurred"):
        return "blurred"
    return "stops" if delay_ms >= number("delay-stops") else "echo"


def goes_astray(path: SignalPath) -> bool:
    """Whether a voice that has a microphone of its own comes by this way through one that is not meant for it: somebody
    else's, or by a loudspeaker or a leaking headphone into one.
    """
    return not path.graph.of_kinds(STRAY).isdisjoint(path.edges)


def comes_through(feed: Delivery) -> bool:
    """Whether a listener hears a voice by a way that is meant for it, well enough to be followed."""
    return (
        feed.path is not None
        and feed.gain_db is not None
        and feed.gain_db - feed.wanted_gain_db > number("heard-floor")
        and not goes_astray(feed.path)
    )


def is_for_far_end(feed: Delivery) -> bool:
    """Whether somebody has themselves back by a loudspeaker and a microphone: that is for echo control there, not for a mix."""
    return feed.verdict == "back" and feed.path is not None and goes_astray(feed.path)


def _judge(
    feed: Delivery, gain: float, delay: float, *, twice: bool, late: bool, two_way: bool, astray: bool
) -> Verdict:
    if feed.listener == feed.voice:
        return _judge_own(feed, gain, twice=twice, late=late)
    off = gain - feed.wanted_gain_db
    if feed.want == "never":
        return "unwanted" if gain > number("heard-floor") else "silent"
    # What comes only by other people's microphones is bleed, not that voice; near them it may still do.
    if feed.want == "hear" and off < (-number("level-tolerance") if astray else number("heard-floor")):
        return "missing"
    if twice and gain > number("heard-floor"):
        return "twice"
    if feed.want != "hear":
        return "free"
    if two_way and delay > number("one-way-limit"):
        return "late"
    if abs(off) > number("level-tolerance"):
        return "loud" if off > 0 else "quiet"
    return "heard"


def _judge_own(feed: Delivery, gain: float, *, twice: bool, late: bool) -> Verdict:
    if late:
        return "back"
    if feed.want == "hear":
        off = gain - feed.wanted_gain_db
        if off < number("heard-floor"):
            return "missing"
        return ("loud" if off > 0 else "quiet") if abs(off) > number("level-tolerance") else "local"
    if gain <= number("own-voice-floor"):
        return "silent"
    if feed.want == "never":
        return "unwanted"
    return "twice" if twice else "local"


def explain_level(graph: SignalGraph, feed: Delivery, path: SignalPath, wanted: Derived) -> Derived:
    """Level of a voice at a listener against what is wanted: the strongest way line by line, then what the other ways add."""
    end = graph.nodes[path.nodes[-1]]
    source = graph.mouths[feed.voice][1]
    text = f"less the mark, {wanted.value:.1f} {wanted.unit}".replace("-", "\u2212")
    terms = [source, *path.gain_parts()]
    added = (feed.level_db or 0.0) - source.value - path.gain_db
    if feed.verdict != "back" and abs(added) >= 0.005:
        others = tuple(
            Derived(f"arriving after {show_number(arrival.delay_ms, 'ms')}", arrival.gain_db - path.gain_db, "dB")
            for arrival in feed.arrivals
        )
        how = "paths of one length in step, others as powers, each against the strongest path"
        terms.append(Derived("what other paths add", added, "dB", how, others, "sum over all paths"))
    terms.append(Derived(text, -wanted.value, "dB", source=wanted.source))
    return total(f"{end.label}, against the mark", "dB", tuple(terms))


def explain_delay(path: SignalPath) -> Derived:
    """Delay along a way, line by line."""
    return total("delay", "ms", path.delay_parts(), source="delays add along the way")
