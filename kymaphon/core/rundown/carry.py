"""A show on another day: all its times moved, and what of last week's carries over into this week's."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta, tzinfo

from kymaphon.core.model.clock import zone_of
from kymaphon.core.model.edits import Edit, SetField
from kymaphon.core.model.show import Show
from kymaphon.core.rundown.limits import limit
from kymaphon.core.words import counted


def moved_by(show: Show, by: timedelta, zone: tzinfo | None = None) -> Show:
    """A show with every time of it moved by so much, the log with it.

    Args:
        zone: by whose clock its times are told then; None leaves them as they are.
    """

    def moved(at: datetime | None) -> datetime | None:
        if at is None:
            return None
        later = at.astimezone(UTC) + by
        return later.astimezone(zone if zone is not None else at.tzinfo)

    log = tuple(row.model_copy(update={"at": moved(row.at)}) for row in show.log)
    return _planned_at(show, moved).model_copy(update={"log": log})


def _planned_at(show: Show, moved: Callable[[datetime | None], datetime | None]) -> Show:
    """A show with every time that is planned at another."""
    return show.model_copy(
        update={
            "air_at": moved(show.air_at),
            "crew": tuple(row.with_(from_at=moved(row.from_at), until_at=moved(row.until_at)) for row in show.crew),
            "rundown": tuple(
                row.model_copy(update={"starts_at": moved(row.starts_at), "ends_by": moved(row.ends_by)})
                for row in show.rundown
            ),
        }
    )


def next_week(show: Show, weeks: int = 1) -> tuple[Show, tuple[str, ...]]:
    """This week's show begun from last week's: the rig, the places, who hears whom, the rundown and the work carry over; what was true of
    that evening alone does not. With what has to be done again, in sentences.

    By the clock of the show: 19:00 stays 19:00, also over a change of the clock.
    """
    zone = zone_of(show)

    def moved(at: datetime | None) -> datetime | None:
        return later_by_clock(at, timedelta(weeks=weeks), zone) if at is not None else None

    begun = _planned_at(show, moved).model_copy(
        update={
            "tasks": tuple(row.with_(done=False, started_at=None, done_at=None) for row in show.tasks),
            "lines": tuple(row.with_(result="untested", received_dbu=None) for row in show.lines),
            "log": (),
        }
    )
    return begun, tuple(_again(show))


def air_moved(show: Show, air_at: datetime | None) -> tuple[Edit, ...]:
    """What puts a show on air at another time. On another day its hard times and its crew's times go along, as far from air by the clock
    as they were. On the same evening they stay: the network joins when it joins, however late the show begins.
    """
    edits: list[Edit] = [SetField("", None, "air_at", air_at)]
    if air_at is None or show.air_at is None or abs(air_at - show.air_at) < timedelta(hours=limit("same_evening_h")):
        return tuple(edits)
    zone = zone_of(show)
    by = air_at.replace(tzinfo=None) - show.air_at.astimezone(zone).replace(tzinfo=None)
    for among, begin, end in (("rundown", "starts_at", "ends_by"), ("crew", "from_at", "until_at")):
        for row in getattr(show, among):
            # The later one first where both go on: nobody is gone before they come in between.
            for field in (end, begin) if by > timedelta(0) else (begin, end):
                at = getattr(row, field)
                if at is not None:
                    edits.append(
                        SetField(among, row.id, field, later_by_clock(at, by, zone).replace(tzinfo=air_at.tzinfo))
                    )
    return tuple(edits)


def later_by_clock(at: datetime, by: timedelta, zone: tzinfo | None) -> datetime:
    """A moment so much later as a clock on the wall tells it, over a change of the clock too. Without a zone by its own."""
    local = at.astimezone(zone) if zone is not None else at
    return (local.replace(tzinfo=None) + by).replace(tzinfo=local.tzinfo)


def _again(show: Show) -> list[str]:
    lined = {row.line_up.voice for row in show.log if row.line_up is not None}
    proven = {(pair.listener, pair.voice) for row in show.log for pair in row.proven}
    tried = [row for row in show.log if row.circuit_check is not None]
    out = ["The rig, the places, who hears whom, the gates and the rundown are as last time."]
    if lined:
        out.append(f"Line up again: {counted(len(lined), 'source')} had a reading; their gains stand where they ended.")
    if proven:
        out.append(f"Tap again: {counted(len(proven), 'pair was', 'pairs were')} proven of that evening's plugs.")
    if tried:
        out.append(f"Try the circuits again: {counted(len(tried), 'check')} by voice.")
    done = sum(row.done for row in show.tasks)
    if done:
        out.append(f"{done} ticked tasks are open again.")
    if any(row.result != "untested" for row in show.lines):
        out.append("Send tone and ident again: what the far end said was of that evening.")
    if show.takes:
        out.append(f"{counted(len(show.takes), 'recording')} stay attached, as what is known of rooms and voices.")
    if show.log:
        out.append(f"{counted(len(show.log), 'row')} of the log stay with last week's file.")
    return out
