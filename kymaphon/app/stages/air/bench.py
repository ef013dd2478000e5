"""What the views of Air share: where the show is by its log, the clock, the meters, and what can go wrong. Draws nothing."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import cast

from PySide6.QtCore import QObject, QTimer, Signal

from kymaphon.app.document import Document
from kymaphon.app.stages.air.live import LiveMeters
from kymaphon.app.worker import Worker
from kymaphon.core.air import run
from kymaphon.core.air.hazards import Hazard, Heard, hazards, standing
from kymaphon.core.air.run import RunState, after, run_of
from kymaphon.core.air.trends import READING_S, MeterHistory, Trend, lined_up_db, trends_of
from kymaphon.core.analysis.report import Report
from kymaphon.core.book.entries import stands
from kymaphon.core.levels.lineup.run import RunStep, steps_of
from kymaphon.core.model.edits import Edit, SetValue
from kymaphon.core.model.rundown import NoteKind
from kymaphon.core.model.show import LogEntry
from kymaphon.core.rundown.timing import Timeline, timeline
from kymaphon.core.wiring.linked_controls import turned_together
from kymaphon.sim.on_air import SimulatedMeters, play_all, talks

TICK_MS = 100
GUARD_S = 0.4
"""A second Go so soon after the first is a finger that has bounced."""


class AirBench(QObject):
    """The show that is open, on air.

    Signals:
        ticked: the clock has moved on, and the meters with it.
        changed: what is on, the trends or the hazards are others.

    Attributes:
        source: where the meters come from: "none", "sim" or "input".
        meters: those of the simulated rig; None until they were played.
    """

    ticked = Signal()
    changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.source = "none"
        self.meters: SimulatedMeters | None = None
        self.history = MeterHistory()
        self.trends: dict[str, Trend] = {}
        self.hazards: tuple[Hazard, ...] = ()
        self.steps: dict[str, RunStep] = {}
        self._base: dict[str, float] = {}
        self._of: Report | None = None
        self._log: tuple[LogEntry, ...] = ()
        self._state = RunState()
        self._known: dict[tuple[str, tuple[str, ...]], datetime] = {}
        self._line: tuple[object, ...] = ()
        self._timeline: Timeline | None = None
        self._second = self._reading_at = 0.0
        self.live: LiveMeters | None = None
        self._player = Worker(self, self._played, lambda error: document.trouble.emit(str(error)))
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self.tick)
        self._timer.start()
        document.logged.connect(lambda _entries: self.follow())
        document.exchanged.connect(self.forget)

    @property
    def busy(self) -> bool:
        return self._player.busy

    def now(self) -> datetime:
        """The clock."""
        return datetime.now(UTC)

    @property
    def state(self) -> RunState:
        """Where the show is on air, by its log."""
        log = self.document.show.log
        if log is not self._log:
            known = len(self._log)
            if known and len(log) >= known and log[known - 1] is self._log[-1]:
                for entry in log[known:]:
                    if entry.air is not None:
                        self._state = after(self._state, entry.at, entry.air)
            else:
                self._state = run_of(log)
            self._log = log
        return self._state

    @property
    def timeline(self) -> Timeline:
        """The rundown against the clock, to the second."""
        show, state, now = self.document.show, self.state, self.now()
        about = (show.rundown, show.air_at, id(state), int(now.timestamp()))
        if self._timeline is None or about != self._line:
            begun = state.started is not None or (show.air_at is not None and now > show.air_at)
            self._timeline = timeline(show, state.progress(now) if begun else None)
            self._line = about
        return self._timeline

    # what goes on by itself

    def tick(self) -> None:
        """The clock moves on: meters at each tick, the rest each second."""
        now = self.now()
        if self.live is not None:
            self.live.take_in()
        at = now.timestamp()
        if at - self._reading_at >= READING_S or at < self._reading_at:
            self._reading_at = at
            self._read(now)
        if at - self._second >= 1.0 or at < self._second:
            self._second = at
            self._judge()
        self.ticked.emit()

    def follow(self) -> None:
        """The show, its figures or its log are others."""
        report = self.document.analysis
        if report is not self._of and not report.unsearched:
            self._of = report
            self.steps = {row.voice: row for row in steps_of(report)}
            self._base = lined_up_db(report)
            if self.meters is not None:
                self.meters = self.meters.turned(report)
        self._judge()

    def _read(self, now: datetime) -> None:
        """What the meters show of the last seconds goes into the history, of those who are on."""
        state = self.state
        span = state.show_s(now)
        if span is None:
            return
        for voice in self.voices:
            value = self._reading(voice, now)
            if value is not None and voice in state.open | state.playing:
                self.history.add(voice, span, value)

    def _reading(self, voice: str, now: datetime) -> float | None:
        if self.source == "sim" and self.meters is not None:
            return self.meters.reading(voice, self.state, now)
        if self.source == "input" and self.live is not None:
            return self.live.reading(voice)
        return None

    def needle(self, voice: str) -> float | None:
        """Where the meter of a voice stands, dB above its mark; None for nothing."""
        if self.source == "sim" and self.meters is not None:
            return self.meters.needle(voice, self.state, self.now())
        if self.source == "input" and self.live is not None:
            return self.live.needle(voice)
        return None

    @property
    def voices(self) -> list[str]:
        """Voices that can be on, in the order of the show."""
        return [row.id for row in self.document.analysis.voices if row.kind != "crew"]

    def followed(self, voice: str) -> bool:
        """Whether a voice is held against its line-up."""
        return talks(self.document.show, voice)

    def trace(self, voice: str) -> tuple[tuple[float, float], ...]:
        """(seconds ago, dB above its line-up) of the last ten minutes."""
        span = self.state.show_s(self.now()) or 0.0
        base = self._base.get(voice, 0.0)
        return tuple((span - t, off - base) for t, off in self.history.since(voice, span - 600))

    def _judge(self) -> None:
        report = self.document.analysis
        if report.unsearched:
            return
        now, state = self.now(), self.state
        span = state.show_s(now) or 0.0
        followed = {voice: step for voice, step in self.steps.items() if self.followed(voice)}
        self.trends = trends_of(report, followed, self.history, span)
        off: dict[str, float | None] = {}
        if self.metering:
            off = {voice: self._reading(voice, now) for voice in self.steps}
        rows = hazards(report, state, Heard(off, self.trends), self.document.log_is_kept, self.now())
        found = standing(rows, self._known, now)
        self._known = {row.key: row.since or now for row in found}
        self.hazards = found
        self.changed.emit()

    @property
    def metering(self) -> bool:
        """Whether meters show anything yet."""
        return (self.source == "sim" and self.meters is not None) or (self.source == "input" and self.live is not None)

    # meters

    def meter_from(self, source: str, live: LiveMeters | None = None) -> None:
        """Another source of the meters; what was read stays in the history."""
        if self.live is not None and live is not self.live:
            self.live.stop()
        self.source, self.live = source, live
        if source == "sim" and self.meters is None:
            report = self.document.analysis
            self._player.ask(lambda: play_all(report), report)
        self._judge()

    def _played(self, about: object, result: object) -> None:
        meters = cast(SimulatedMeters, result)
        report = self.document.analysis
        if about is not report:
            if cast(Report, about).show.parties is not report.show.parties:
                return  # of another show
            meters = meters.turned(report)
        self.meters = meters
        self._judge()

    # what the user does

    def _log_it(self, entry: LogEntry | None) -> bool:
        if entry is None:
            return False
        self.document.log(entry)
        return True

    def go(self) -> bool:
        """The next segment is on. False where there is none, or where it was pressed twice by one press."""
        state, now = self.state, self.now()
        last = state.began.get(state.segment)
        if last is not None and 0 <= (now - last).total_seconds() < GUARD_S:
            return False
        if not state.on_air:
            self.history.rows.clear()
        entry = run.go(self.document.show, self.fresh(), now)
        if entry is not None and entry.air is not None and entry.air.action == "start":
            # What was set then is told by the log alone.
            entry = entry.with_(sets=stands(self.document.show))
        return self._log_it(entry)

    def fresh(self) -> RunState:
        """The state to go on from: after the end, a new run."""
        return RunState() if self.state.ended is not None else self.state

    def back(self) -> bool:
        return self._log_it(run.back(self.document.show, self.state, self.now()))

    def hold(self) -> bool:
        return self._log_it(run.hold(self.document.show, self.state, self.now()))

    def end(self) -> bool:
        return self._log_it(run.end(self.document.show, self.state, self.now()))

    def toggle(self, party: str) -> bool:
        name = self.document.analysis.party_name(party)
        return self._log_it(run.toggle(self.document.show, self.state, party, name, self.now()))

    def note(self, kind: NoteKind, text: str = "") -> LogEntry:
        """Notes something; on disk when this returns, but for what `Document.log_is_kept` says."""
        entry = run.note(self.document.show, self.state, kind, text, self.now())
        self.document.log(entry)
        return entry

    def turn(self, voice: str) -> str:
        """Turns a voice back to its line-up, and logs that; in words what was turned, empty where there is nothing to turn."""
        trend, step, report = self.trends.get(voice), self.steps.get(voice), self.document.analysis
        if trend is None or step is None or step.knob is None or not trend.turn_db:
            return ""
        knob = step.knob
        to = SetValue(knob.ref, round(knob.value + trend.turn_db, 3))
        edits: list[Edit] = list(turned_together(report, {knob.ref: step.twins}, to, knob.value))
        text = f"{knob.label} {'up' if trend.turn_db > 0 else 'down'} {abs(trend.turn_db):g} dB, to {knob.value + trend.turn_db:+g}"
        # What was read before it was turned says nothing of now; and it is turned once, however often it is pressed.
        self.history.rows[voice] = [(t, off + trend.turn_db) for t, off in self.history.rows.get(voice, [])]
        del self.trends[voice]
        self.document.apply(edits, f"{step.name}, {text}")
        self._judge()
        return text

    def forget(self) -> None:
        """Another show: nothing of the one before counts."""
        self.history = MeterHistory()
        self.meters, self.trends, self.hazards, self._known = None, {}, (), {}
        self._of, self._timeline = None, None
        if self.live is not None:
            self.live.stop()
        self.live = None
        if self.source == "input":
            self.source = "none"
        elif self.source == "sim":
            self.meter_from("sim")
