"""Forward and back timing of a rundown: when each segment begins as planned, by when it has to, and how far hard times are missed.

Forward: each begins when the one before ends. Back: from each hard time towards the front, by when each has to begin for all that
follow to fit (common practice of radio, where it is done on paper). All sums are of elapsed seconds, in UTC: over a change of the
clock an hour of show is still an hour.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.show import Show

State = Literal["done", "on", "to come"]
TOLERANCE_S = 0.5
"""Rundowns are written and told in whole seconds: less than half of one is none."""


def planned_s(segment: Segment) -> float | None:
    """How long a segment is planned: as it says, else what plays in it one after the other; None where neither is known."""
    if segment.length_s is not None:
        return segment.length_s
    lengths = [row.length_s for row in segment.plays if not row.under]
    known = [row for row in lengths if row is not None]
    return sum(known) if known and len(known) == len(lengths) else None


@dataclass(frozen=True, slots=True)
class Progress:
    """Where a rundown is on air.

    Attributes:
        at: id of the segment that is on; empty before the first and after the last.
        began: id -> when it began, of those that were on.
        now: the clock.
        held_s: the segment that is on was held so long, which counts as no part of it.
        over: the show has ended.
    """

    now: datetime
    at: str = ""
    began: Mapping[str, datetime] | None = None
    held_s: float = 0.0
    over: bool = False


@dataclass(frozen=True, slots=True)
class Timed:
    """A segment against the clock.

    Attributes:
        starts: when it began, or begins as it runs now; None without a time of air.
        latest: by when it has to begin for every hard time after it; None where none follows.
        length_s: how long it is or was; as it runs now, of the one that is on.
        known: its length is planned; else it counts as nothing.
        gap_s: between the end of the one before and its own hard start: to be filled where above 0, cut where below.
        spent_s: of the one that is on, so long it has been.
    """

    segment: Segment
    starts: datetime | None
    latest: datetime | None
    length_s: float
    known: bool
    state: State = "to come"
    gap_s: float = 0.0
    spent_s: float = 0.0

    @property
    def ends(self) -> datetime | None:
        return self.starts + timedelta(seconds=self.length_s) if self.starts is not None else None

    @property
    def left_s(self) -> float:
        """Of the one that is on: until its planned end; below 0 once that is past."""
        planned = planned_s(self.segment)
        return (planned or 0.0) - self.spent_s

    @property
    def spare_s(self) -> float | None:
        """So much later it could begin; below 0: so much too late. None without a hard time after it."""
        if self.starts is None or self.latest is None:
            return None
        return (self.latest - self.starts).total_seconds()

    @property
    def late(self) -> bool:
        """Whether it begins too late for a hard time after it."""
        return self.spare_s is not None and self.spare_s < -TOLERANCE_S


@dataclass(frozen=True, slots=True)
class HardTime:
    """A time that has to be met, and how far it is missed as it runs.

    Attributes:
        segment: the one whose hard time it is.
        sort: "start": what comes before has to be over; "out": it has to be over itself.
        off_s: over where above 0, under where below.
        place: position in the rundown of the last segment that counts towards it.
    """

    segment: str
    sort: Literal["start", "out"]
    at: datetime
    off_s: float
    place: int

    @property
    def missed(self) -> bool:
        """Over by what a rundown in whole seconds tells."""
        return self.off_s > TOLERANCE_S

    @property
    def early(self) -> bool:
        """Under by as much."""
        return self.off_s < -TOLERANCE_S


@dataclass(frozen=True)
class Timeline:
    """A rundown against the clock. Made by `timeline`."""

    rows: tuple[Timed, ...]
    hard: tuple[HardTime, ...]
    ends: datetime | None
    length_s: float
    unknown: tuple[str, ...]

    @property
    def on(self) -> Timed | None:
        return next((row for row in self.rows if row.state == "on"), None)

    @property
    def following(self) -> Timed | None:
        """The next one that is to come."""
        return next((row for row in self.rows if row.state == "to come"), None)

    @property
    def next_hard(self) -> HardTime | None:
        """The next hard time that is not past: of a segment on or to come."""
        first = next((n for n, row in enumerate(self.rows) if row.state != "done"), len(self.rows))
        return next((row for row in self.hard if row.place >= first), None)

    def towards(self, hard: HardTime) -> tuple[Timed, ...]:
        """The segments that count towards a hard time and are not over: those since the last hard start before it, since what is saved or
        stretched before that is waited for there.
        """
        starts = (n for n, row in enumerate(self.rows[: hard.place + 1]) if row.segment.starts_at is not None)
        return tuple(row for row in self.rows[max(starts, default=0) : hard.place + 1] if row.state != "done")

    def of(self, segment: str) -> Timed:
        """Raises KeyError for an unknown segment."""
        for row in self.rows:
            if row.segment.id == segment:
                return row
        raise KeyError(segment)


def timeline(show: Show, progress: Progress | None = None) -> Timeline:
    """A show's rundown as planned, or as it runs.

    Args:
        progress: where it is on air; None before it is.
    """
    air = show.air_at.astimezone(UTC) if show.air_at is not None else None
    forward = list(_forward(show.rundown, air, progress))
    latest = _backward(show.rundown, forward)
    rows = tuple(
        Timed(row.segment, row.starts, at, row.length_s, row.known, row.state, row.gap_s, row.spent_s)
        for row, at in zip(forward, latest, strict=True)
    )
    ends = rows[-1].ends if rows else air
    total = sum(row.length_s + max(row.gap_s, 0.0) for row in rows)
    unknown = tuple(row.segment.id for row in rows if not row.known and row.state == "to come")
    return Timeline(rows, tuple(_hard(rows)), ends, total, unknown)


def _forward(segments: Sequence[Segment], air: datetime | None, progress: Progress | None) -> Iterator[Timed]:
    began = progress.began or {} if progress is not None else {}
    at = next((n for n, row in enumerate(segments) if progress is not None and row.id == progress.at), None)
    clock = air
    if progress is not None and at is None and air is not None and not began:
        clock = max(air, progress.now.astimezone(UTC))  # not begun, though its time has come
    for n, segment in enumerate(segments):
        planned = planned_s(segment)
        length, known, spent, gap = planned or 0.0, planned is not None, 0.0, 0.0
        state: State = "to come"
        start = began.get(segment.id)
        if start is not None and progress is not None and (progress.over or (at is not None and n <= at)):
            start = start.astimezone(UTC)
            if n == at:
                state = "on"
                spent = max(0.0, (progress.now - start).total_seconds() - progress.held_s)
                length = max(length + progress.held_s, (progress.now - start).total_seconds())
            else:
                state = "done"
                nexts = [began[row.id] for row in segments[n + 1 :] if row.id in began and began[row.id] >= start]
                length = (min(nexts) - start).total_seconds() if nexts else length
            clock = start
        elif progress is not None and (progress.over or (at is not None and n < at)):
            state, length = "done", 0.0  # passed over
        elif segment.starts_at is not None:
            hard = segment.starts_at.astimezone(UTC)
            gap = (hard - clock).total_seconds() if clock is not None else 0.0
            clock = hard if progress is None or clock is None else max(hard, clock)
        yield Timed(segment, clock, None, length, known, state, gap, spent)
        if clock is not None:
            clock += timedelta(seconds=length)


def _backward(segments: Sequence[Segment], forward: Sequence[Timed]) -> list[datetime | None]:
    bound: datetime | None = None
    out: list[datetime | None] = []
    for segment, row in zip(reversed(segments), reversed(forward), strict=True):
        if segment.ends_by is not None:
            own = segment.ends_by.astimezone(UTC)
            bound = own if bound is None else min(bound, own)
        bound = bound - timedelta(seconds=row.length_s) if bound is not None else None
        if segment.starts_at is not None:
            hard = segment.starts_at.astimezone(UTC)
            bound = hard if bound is None else min(bound, hard)
        out.append(bound)
    return out[::-1]


def _hard(rows: Sequence[Timed]) -> Iterator[HardTime]:
    for n, row in enumerate(rows):
        if row.segment.starts_at is not None and n and row.state == "to come" and rows[n - 1].ends is not None:
            yield HardTime(row.segment.id, "start", row.segment.starts_at.astimezone(UTC), -row.gap_s, n - 1)
        if row.segment.ends_by is not None and row.ends is not None:
            out = row.segment.ends_by.astimezone(UTC)
            yield HardTime(row.segment.id, "out", out, (row.ends - out).total_seconds(), n)
