"""What can be turned for one pair of ears: a send or a headphone knob that moves nobody else's sound, and headphones that leak."""

from __future__ import annotations

import math
from collections.abc import Sequence

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import Delivery, by_the_air, goes_astray
from kymaphon.core.graph.signal import EdgeKind, Knob
from kymaphon.core.levels.turning import gain_knobs, turn_remedies
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.rules.feeds_ways import echo_cancellers


def for_this_ear(analysis: Computed, feeds: Sequence[Delivery], offs: Sequence[float]) -> tuple[Remedy, ...]:
    """What can be turned for one listener without moving what others get: one voice's send, or the knob for all that it hears,
    where all of it is off by the like.

    Args:
        feeds: of one listener, the furthest off first; `offs` by how much, dB.
    """
    first = feeds[0]
    ladder = analysis.ladder(first.voice, first.listener)
    if ladder is None:
        return ()
    mine = [
        feed.gain_db - feed.wanted_gain_db
        for feed in analysis.feeds.values()
        if feed.listener == first.listener
        and feed.want == "hear"
        and feed.gain_db is not None
        and feed.path is not None
    ]
    tolerance = number("level-tolerance")
    one_way = bool(mine) and (min(mine) > 0 or max(mine) < 0)
    # All of it off that far, or all of it near enough together to be on its level by one turn.
    far = 2 * tolerance if one_way and min(map(abs, mine)) > tolerance else tolerance
    alike = one_way and max(mine) - min(mine) <= far
    knobs = own_knobs(analysis, ladder, first, beside=not alike)
    by = -(sum(mine) / len(mine) if alike else offs[0])
    listener = analysis.party_name(first.listener)
    in_room = by_the_air(ladder.path)
    others = "who else is in the room has it too" if in_room else "nobody else gets anything else"
    along = [analysis.party_name(row.listener) for row in _as_far_off(analysis, first)]
    if along and not in_room:
        others = f"so may {', '.join(along)}, as far off with it"
    effect = f"{listener} then gets it as wanted, and {others}"
    # Where no knob reaches so far, to where it is neither loud nor quiet any more.
    near = by - math.copysign(tolerance - number("mark-near"), by)
    return turn_remedies(analysis, ladder, knobs, by, effect) or turn_remedies(analysis, ladder, knobs, near, effect)


def own_knobs(analysis: Computed, ladder: Ladder, feed: Delivery, *, beside: bool = False) -> list[Knob]:
    """The knobs along a way that move nothing of what other listeners get, nearest to the ear first.

    Args:
        beside: only those, too, that move nothing else that this listener hears.
    """
    in_room = by_the_air(ladder.path)
    along = {row.key for row in _as_far_off(analysis, feed)}

    def keeps(other: Delivery) -> bool:
        """Whether what this feed passes is not to be touched."""
        if other.path is None or other.key == feed.key or (other.want == "any" and other.voice == feed.voice):
            return False  # of this very voice only what somebody asked for is kept
        if other.key in along:
            return False  # and who is as badly off with it is helped along
        # Who shares the room shares its loudspeakers; what leaks from one's headphones goes along with them.
        shared = in_room and by_the_air(other.path)
        return (other.listener != feed.listener and not shared and not goes_astray(other.path)) or (
            beside and other.listener == feed.listener and other.want == "hear"
        )

    by = analysis.once(_feeds_by_knob)
    return [knob for knob in reversed(gain_knobs(ladder)) if not any(map(keeps, by.get(knob.ref, ())))]


def _feeds_by_knob(analysis: Computed) -> dict[SettingRef, list[Delivery]]:
    """Knob -> the feeds whose way passes it."""
    known: dict[SettingRef, list[Delivery]] = {}
    for row in analysis.feeds.values():
        if row.path is not None:
            for ref in dict.fromkeys(knob.ref for step in row.path.steps() for knob in step.knobs):
                known.setdefault(ref, []).append(row)
    return known


def _as_far_off(analysis: Computed, feed: Delivery) -> list[Delivery]:
    """Feeds of the same voice to others, who asked for it and are off by the like and in the same direction."""
    tolerance = number("level-tolerance")

    def off(row: Delivery) -> float:
        return 0.0 if row.gain_db is None else row.gain_db - row.wanted_gain_db

    return [
        row
        for row in analysis.feeds.values()
        if row.voice == feed.voice
        and row.listener != feed.listener
        and row.want == "hear"
        and min(abs(off(row)), abs(off(feed))) > tolerance
        and abs(off(row) - off(feed)) <= tolerance
    ]


def over_the_room(analysis: Computed, feed: Delivery, short_db: float) -> tuple[Remedy, ...]:
    """Headphones turned up until what comes across the room lies far enough under them."""
    ladder = analysis.ladder(feed.voice, feed.listener)
    if ladder is None or not any(step.kind is EdgeKind.LISTENS for step in ladder.path.steps()):
        return ()
    listener = analysis.party_name(feed.listener)
    effect = f"{listener} hears it in the headphones, and the room no longer competes"
    return turn_remedies(analysis, ladder, own_knobs(analysis, ladder, feed), float(math.ceil(short_db)), effect)


def leaks(path: SignalPath) -> bool:
    """Whether a way gets into a microphone out of somebody's headphones."""
    return any(step.kind is EdgeKind.LEAK for step in path.steps())


def echo_cancelled(analysis: Computed, path: SignalPath) -> bool:
    """Whether what leaks out of headphones on a way is taken away by an echo canceller after the microphone."""
    return leaks(path) and bool(echo_cancellers(analysis, path))


def leak_turned_down(analysis: Computed, feed: Delivery) -> tuple[Remedy, ...]:
    """The headphones whose leak brings a voice where it must not be, turned down until it is under what is heard."""
    if feed.path is None or not leaks(feed.path) or feed.gain_db is None:
        return ()
    graph = analysis.graph
    place = next(n for n, step in enumerate(feed.path.steps()) if step.kind is EdgeKind.LEAK)
    leaking = graph.edges[feed.path.edges[place]]
    owner = graph.nodes[leaking.source].owner
    wearer = next((row for row in analysis.listeners if row.hears_device == owner), None)
    inner = analysis.feeds.get((wearer.id, feed.voice)) if wearer is not None else None
    ladder = analysis.ladder(feed.voice, wearer.id) if wearer is not None else None
    if wearer is None or inner is None or ladder is None:
        return ()
    by = -float(math.ceil(feed.gain_db - number("heard-floor") + number("edge-inside")))
    effect = f"less of it leaks into the microphone, and {analysis.party_name(feed.listener)} no longer gets it back"
    knobs = own_knobs(analysis, ladder, inner)
    return turn_remedies(analysis, ladder, knobs, by, effect)
