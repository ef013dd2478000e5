"""Where a show is on air, told by its log alone: what is on since when, who is open, what plays, held or not; and the entries that
carry it on. After a crash, or in another window, the same log tells the same.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime

from kymaphon.core.model.clock import span_words
from kymaphon.core.model.rundown import AirAction, AirEvent, AirNote, NoteKind, Segment
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.core.rundown.timing import Progress, planned_s

NOTE_WORDS: dict[NoteKind, str] = {
    "retake": "Retake",
    "noise": "Noise",
    "clip": "Clipped",
    "good": "Good bit",
    "fader": "Wrong fader",
    "text": "Note",
}


@dataclass(frozen=True, slots=True)
class RunState:
    """A show on air, or before, or after it.

    Attributes:
        started: when it began; None before.
        ended: when it was over; None while it is on.
        segment: id of the one that is on; empty before and after.
        began: id -> when it began last.
        open: who is open; `playing`: which players play.
        changed: when who is open or what plays changed last.
        opened: party -> since when it is open or plays.
        held_since: it is held since then; None while it runs.
        held_s: what is on was held so long before that.
    """

    started: datetime | None = None
    ended: datetime | None = None
    segment: str = ""
    began: Mapping[str, datetime] = field(default_factory=dict)
    open: frozenset[str] = frozenset()
    playing: frozenset[str] = frozenset()
    changed: datetime | None = None
    opened: Mapping[str, datetime] = field(default_factory=dict)
    held_since: datetime | None = None
    held_s: float = 0.0

    @property
    def on_air(self) -> bool:
        return self.started is not None and self.ended is None

    def progress(self, now: datetime) -> Progress:
        """For the timing of the rundown."""
        held = self.held_s + ((now - self.held_since).total_seconds() if self.held_since is not None else 0.0)
        return Progress(now, self.segment, self.began, held, self.ended is not None)

    def show_s(self, now: datetime) -> float | None:
        """Seconds since it began; None before."""
        return (now - self.started).total_seconds() if self.started is not None else None


def run_of(log: Iterable[LogEntry]) -> RunState:
    """Where the log leaves a show. A show that begins again begins anew."""
    state = RunState()
    for entry in log:
        if entry.air is not None:
            state = after(state, entry.at, entry.air)
    return state


def after(state: RunState, at: datetime, event: AirEvent) -> RunState:
    """The state after one more event."""
    began = dict(state.began)
    started, ended, held_since, held_s = state.started, state.ended, state.held_since, state.held_s
    if event.action == "start":
        started, ended, began, held_since, held_s = at, None, {}, None, 0.0
    elif event.action == "end":
        ended, held_since, held_s = at, None, 0.0
    elif event.action == "hold":
        held_since = held_since or at
    elif event.action == "resume" and held_since is not None:
        held_s, held_since = held_s + (at - held_since).total_seconds(), None
    if event.action in ("start", "go", "back"):
        held_since, held_s = None, 0.0
        if event.segment is not None:
            began[event.segment] = at
    heard, plays = frozenset(event.open), frozenset(event.playing)
    was = state.open | state.playing
    opened = {name: state.opened[name] if name in was and name in state.opened else at for name in heard | plays}
    same = heard == state.open and plays == state.playing and state.changed is not None
    segment = "" if event.action == "end" else event.segment or ""
    return RunState(
        started, ended, segment, began, heard, plays, state.changed if same else at, opened, held_since, held_s
    )


def _entry(
    show: Show,
    at: datetime,
    action: AirAction,
    segment: Segment | None,
    on: Iterable[str],
    plays: Iterable[str],
    text: str,
) -> LogEntry:
    names = [row.id for row in show.parties]
    order = {name: n for n, name in enumerate(names)}
    event = AirEvent(
        action=action,
        segment=segment.id if segment is not None else None,
        open=tuple(sorted(on, key=lambda name: order.get(name, 0))),
        playing=tuple(sorted(plays, key=lambda name: order.get(name, 0))),
    )
    return LogEntry(at=at, text=text, subject=segment.id if segment is not None else None, air=event)


def place_of(show: Show, state: RunState) -> int:
    """Position in the rundown of what is on; -1 before it begins, and where that is no longer in it."""
    return next((n for n, row in enumerate(show.rundown) if row.id == state.segment), -1)


def next_of(show: Show, state: RunState) -> Segment | None:
    """What comes after what is on; None after the last. Where the one that is on was taken out of the rundown, the first that was not on."""
    place = place_of(show, state)
    if place < 0 and state.on_air:
        return next((row for row in show.rundown if row.id not in state.began), None)
    return show.rundown[place + 1] if place + 1 < len(show.rundown) else None


def go(show: Show, state: RunState, now: datetime) -> LogEntry | None:
    """The next segment is on, or the first; after the last the show is over. None where there is nothing to go to."""
    if state.ended is not None or not show.rundown:
        return None
    following = next_of(show, state)
    if following is None:
        return end(show, state, now)
    over = _over_words(show, state, now)
    action: AirAction = "go" if state.on_air else "start"
    text = f"On air: {following.name}" if action == "start" else f"On: {following.name}{over}"
    return _entry(show, now, action, following, following.open, (row.party for row in following.plays), text)


def over_s(show: Show, state: RunState, now: datetime) -> tuple[Segment, float] | None:
    """The segment that is on, and by how many seconds it is over its plan; what it was held does not count. None without a plan."""
    place = place_of(show, state)
    if place < 0:
        return None
    last = show.rundown[place]
    planned, began = planned_s(last), state.began.get(last.id)
    if planned is None or began is None:
        return None
    return last, (now - began).total_seconds() - state.progress(now).held_s - planned


def _over_words(show: Show, state: RunState, now: datetime) -> str:
    """How the segment that ends ran against its plan."""
    found = over_s(show, state, now)
    if found is None:
        return ""
    last, off = found
    return f"; {last.name} ran {span_words(off, sign=True)}" if abs(off) >= 1 else f"; {last.name} ran as planned"


def back(show: Show, state: RunState, now: datetime) -> LogEntry | None:
    """The segment before is on again. None before the second, and off air."""
    place = place_of(show, state)
    if place < 1 or not state.on_air:
        return None
    before = show.rundown[place - 1]
    return _entry(show, now, "back", before, before.open, (row.party for row in before.plays), f"Back to {before.name}")


def hold(show: Show, state: RunState, now: datetime) -> LogEntry | None:
    """The clock of the segment stands, or runs on. None off air."""
    if not state.on_air:
        return None
    place = place_of(show, state)
    segment = show.rundown[place] if place >= 0 else None
    held = state.held_since is not None
    text = "Goes on" if held else "Held"
    action: AirAction = "resume" if held else "hold"
    return _entry(show, now, action, segment, state.open, state.playing, text)


def toggle(show: Show, state: RunState, party: str, name: str, now: datetime) -> LogEntry | None:
    """Somebody is opened or closed, or a player begins or stops, beside the rundown. None off air."""
    if not state.on_air:
        return None
    place = place_of(show, state)
    segment = show.rundown[place] if place >= 0 else None
    kind = next((row.kind for row in show.parties if row.id == party), "")
    on, plays = set(state.open), set(state.playing)
    rows = plays if kind == "player" else on
    is_on = party in rows
    rows.symmetric_difference_update({party})
    verb = ("stopped" if is_on else "plays") if kind == "player" else ("closed" if is_on else "open")
    action: AirAction = "close" if is_on else "open"
    return _entry(show, now, action, segment, on, plays, f"{name} {verb}")


def end(show: Show, state: RunState, now: datetime) -> LogEntry | None:
    """Off air. None where it is not on."""
    if not state.on_air:
        return None
    whole = state.show_s(now) or 0.0
    return _entry(show, now, "end", None, (), (), f"Off air after {span_words(whole)}{_over_words(show, state, now)}")


def note(show: Show, state: RunState, kind: NoteKind, text: str, now: datetime) -> LogEntry:
    """A note, with the clock, the time in the show and the segment."""
    span = state.show_s(now)
    if span is None and show.air_at is not None:
        span = (now - show.air_at).total_seconds()
    if span is not None and abs(span) > 604_800:
        span = None
    words = " ".join(text.split())[:1900]
    told = NOTE_WORDS[kind] + (f": {words}" if words else "")
    if kind == "text" and words:
        told = words
    segment = state.segment or None
    return LogEntry(at=now, text=told, subject=segment, note=AirNote(kind=kind, show_s=span, segment=segment))
