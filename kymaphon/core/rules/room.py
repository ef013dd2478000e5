"""A voice that comes across the room beside the headphones: low headphones, after what anybody wanted to hear and at what level."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, less, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.graph.routing import Arrival, Delivery, by_the_air, second_arrival
from kymaphon.core.mixes.cures import names
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.wants import BACKGROUND
from kymaphon.core.rules.ears import over_the_room
from kymaphon.core.rules.record import rule

Pair = tuple[Delivery, Arrival, Arrival]
"""A feed and the two ways by which its voice arrives, the earlier first."""


def twice_pairs(analysis: Computed) -> list[Pair]:
    """Every voice that reaches a listener by two ways of different length and like level."""
    pairs: list[Pair] = []
    for feed in analysis.feeds.values():
        if not feed.twice or feed.verdict in ("back", "missing", "silent"):
            continue
        arrivals = analysis.arrivals(feed.listener, feed.voice)
        second = second_arrival(arrivals)
        if second is not None:
            pairs.append((feed, arrivals[0], second))
    return pairs


def across_the_room(first: Arrival, second: Arrival) -> bool:
    """Whether one of two arrivals comes straight across the room, beside what comes by wire: headphones that are low."""
    return by_the_air(first.paths[0]) != by_the_air(second.paths[0])


@rule("room-beside-headphones", stage="Feeds", reads=("feeds",))
def room_beside_headphones(analysis: Computed) -> Iterator[Finding]:
    """Voices that somebody hears across the room nearly as loud as in the headphones: one finding a listener.

    A crowd is all around whoever sits in it; that is no second voice.
    """
    pairs = [
        row
        for row in twice_pairs(analysis)
        if across_the_room(row[1], row[2]) and analysis.show.party(row[0].voice).kind not in BACKGROUND
    ]
    for listener in dict.fromkeys(row[0].listener for row in pairs):
        yield _headphones_low(analysis, [row for row in pairs if row[0].listener == listener])


def _arrives(name: str, arrival: Arrival) -> Derived:
    """The gain of an arrival line by line: along its strongest way, and what others of the same length add in step."""
    path = arrival.paths[0]
    added = Derived("other paths of the same length", arrival.gain_db - path.gain_db, "dB", source="added in step")
    parts = (*path.gain_parts(), *((added,) if len(arrival.paths) > 1 else ()))
    return total(name, "dB", parts, source="gains add along the way")


def _headphones_low(analysis: Computed, rows: list[Pair]) -> Finding:
    """Voices that somebody hears across the room nearly as loud as in the headphones: turning these up cures it."""
    feed, first, second = rows[0]
    wired, air = (second, first) if by_the_air(first.paths[0]) else (first, second)
    over = wired.gain_db - air.gain_db
    listener, voices = analysis.party_name(feed.listener), names(analysis, [row.voice for row, _, _ in rows])
    how = f"{abs(over):.1f} dB {'under' if over >= 0 else 'over'} them"
    text = (
        f"{listener} hears {voices} across the room as well, {how} and {show_number(abs(wired.delay_ms - air.delay_ms), 'ms')} apart: "
        f"hollow. Headphones that are {number('double-difference'):.1f} dB over the room settle it."
    )
    why = total(
        "headphones over the room",
        "dB",
        (_arrives("by the headphones", wired), less(_arrives("across the room", air))),
    )
    return Finding(
        "room-beside-headphones",
        "note",
        "Feeds",
        (feed.listener, *(row.voice for row, _, _ in rows)),
        f"The room competes with {listener}'s headphones",
        text,
        (Derived("headphones over the room", over, "dB", source="computed, both against the mark"),),
        why,
        over_the_room(analysis, feed, number("double-difference") - over),
        tuple(row.key for row, _, _ in rows),
    )
