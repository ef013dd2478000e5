"""Level, run: source by source before the show. Everything of it is done from the keyboard, one key each."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.app.widgets.form import number_of
from kymaphon.app.widgets.meter_face import MeterFace
from kymaphon.app.widgets.why import WhyContent, label
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.levels.lineup.expected import figure_on, readings_here
from kymaphon.core.levels.lineup.run import (
    Outcome,
    RunStep,
    Trace,
    caution,
    edits_of,
    entry_of,
    judge,
    last_readings,
    not_read,
    read_meter,
    steps_of,
)
from kymaphon.core.model.scales import scales, socket_scales
from kymaphon.sim.rig import FULL_SCALE, SimulatedRig

HEADINGS = ("Source", "Expected", "Showed", "Off", "Turned", "At", "Note")
HELP = (
    "Who is heard, talkers first",
    "What its meter should show",
    "What it showed last",
    "Above the mark, in dB",
    "By how much the gain was turned, in all",
    "When it was read",
    "What was noted",
)
KEYS = (
    "Space measures on the simulated rig; T turns the gain by what is suggested; Enter notes it "
    "and goes on; Page keys choose the source; F2 writes a note."
)


class ReadingEdit(QLineEdit):
    """Where a reading is typed; the keys of the run that are no part of a number are its too.

    Signals:
        key: measure, turn, note, before, after.
    """

    key = Signal(str)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        name = {
            Qt.Key.Key_Space: "measure",
            Qt.Key.Key_T: "turn",
            Qt.Key.Key_F2: "note",
            Qt.Key.Key_PageUp: "before",
            Qt.Key.Key_PageDown: "after",
            Qt.Key.Key_Up: "before",
            Qt.Key.Key_Down: "after",
        }.get(Qt.Key(event.key()))
        if name is not None and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            self.key.emit(name)
        else:
            super().keyPressEvent(event)


class RunPage(StagePage):
    """The sources as a list; of the one at hand what to say, what to watch, its meter and its reading."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        card = QWidget()
        card.setObjectName("card")
        inside = QVBoxLayout(card)
        inside.setContentsMargins(16, 12, 16, 12)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setVerticalSpacing(4)
        self.say_words, self.listen, self.watch = label("", "heading"), label(""), label("")
        for row, (name, widget) in enumerate((("Say", self.say_words), ("Listen", self.listen), ("Watch", self.watch))):
            grid.addWidget(label(name, "muted", wrap=False), row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(widget, row, 1)
        inside.addLayout(grid)
        self.face = MeterFace(theme)
        inside.addWidget(self.face, 1)
        inside.addLayout(self._keys_row())
        self.told = label("")
        self.told.setMinimumHeight(self.told.fontMetrics().height() * 2)
        inside.addWidget(self.told)
        self.column.addWidget(card, 5)
        self.table = RowTable(
            theme,
            "Sources",
            "Sources in the order of the run, with what came of each. All of it is in the log.",
        )
        self.table.spare = (6, 5)
        self.table.chosen.connect(lambda row, _column: self._go(row))
        self.column.addWidget(self.table, 4)
        self.steps: tuple[RunStep, ...] = ()
        self.voice = ""
        self.outcome: Outcome | None = None
        self.rig = SimulatedRig()
        self._planned: dict[str, float] = {}
        self._trace: Trace | None = None
        self._measured = False
        self._waits = False
        self._worker = Worker(self, self._arrived, lambda error: self._tell(str(error)))

    def _keys_row(self) -> FlowLayout:
        row = FlowLayout()
        self.reading = ReadingEdit()
        self.reading.setPlaceholderText("what the meter showed")
        self.reading.setAccessibleName("Reading of the meter")
        self.reading.setStatusTip(KEYS)
        self.reading.setFixedWidth(210)
        self.reading.textEdited.connect(self._typed)
        self.reading.returnPressed.connect(self.note_it)
        self.reading.key.connect(self._key)
        self.meter = ChoiceBox()
        self.meter.setAccessibleName("Which meter is read")
        self.meter.setToolTip("The meter of this point, or another sort; what it should show follows.")
        self.meter.addItem("Its own meter", "")
        for scale in socket_scales().values():
            self.meter.addItem(scale.name, scale.id)
        self.meter.activated.connect(lambda _index: self._meter_chosen())
        self.note = QLineEdit()
        self.note.setPlaceholderText("note")
        self.note.setAccessibleName("Note for the log")
        self.note.returnPressed.connect(self.note_it)
        self.measure_button = self._button(
            "Measure  (Space)", "Plays this source on the simulated rig and reads its meter.", self.measure
        )
        self.turn_button = self._button(
            "Turn  (T)", "Turns the gain by what is suggested, and logs it. Can be undone.", self.turn
        )
        self.note_button = self._button(
            "Note it  (Enter)", "Logs the reading and goes to the next source.", self.note_it
        )
        self.note_button.setProperty("role", "primary")
        for widget in (self.reading, self.measure_button, self.turn_button, self.note_button, self.meter):
            row.addWidget(widget)
        self.note.setMinimumWidth(150)
        row.addWidget(self.note)
        return row

    def _button(self, words: str, tip: str, run: object) -> QPushButton:
        button = QPushButton(words)
        button.setToolTip(tip)
        button.setStatusTip(tip)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda _checked=False: run())  # type: ignore[operator]
        return button

    def set_scale(self, scale: float) -> None:
        self.face.scale = scale
        self.face.setMinimumHeight(round(140 * scale))
        self.reading.setFixedWidth(round(180 * scale))
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(round(120 * scale))

    def first(self) -> QWidget | None:
        return self.reading

    # what is shown

    @property
    def step(self) -> RunStep | None:
        """The source at hand."""
        found = next((row for row in self.steps if row.voice == self.voice), None)
        return None if found is None else self._as_read(found)

    def _as_read(self, step: RunStep) -> RunStep:
        """A source on the meter that is chosen."""
        chosen = self.meter.currentData()
        return replace(step, expected=step.expected.on(chosen)) if chosen else step

    def refresh(self, voice: str, end: str) -> None:
        analysis = self.document.analysis
        self._note_plan(analysis)
        self.steps = steps_of(analysis)
        names = [row.voice for row in self.steps]
        if self.voice not in names:
            self.voice = voice if voice in names else names[0] if names else ""
            self._forget()
        self._show()
        if self._waits and not self.document.busy:
            self._waits = False
            self.measure()

    def _note_plan(self, analysis: Report) -> None:
        """What the show takes talkers for before the simulated rig is heard. One that was read in an earlier session is
        known by now: its level in the show is what it has.
        """
        heard = last_readings(analysis)
        for name, (node, level) in analysis.graph.mouths.items():
            known = name in heard and analysis.graph.nodes[node].unit == "dB SPL"
            self._planned.setdefault(name, level.value - (self.rig.surprise_db(name) if known else 0.0))

    def _show(self) -> None:
        step, analysis = self.step, self.document.analysis
        self._fill(analysis)
        for widget in (self.reading, self.note, self.measure_button, self.turn_button, self.note_button):
            widget.setEnabled(step is not None)
        if step is None:
            reasons = not_read(analysis)
            self.say_words.setText("No source can be run through yet.")
            self.listen.setText(
                "\n".join(reasons) or "Plug one through to a recorder or a stream; Rig shows where the path breaks off."
            )
            self.watch.setText("")
            self.face.set_meter(None, None)
            self.told.setText("")
            self.title.emit("Line-up run", "Nothing to run through yet.")
            self.why_changed.emit()
            return
        self.say_words.setText(f"\u201c{step.say}\u201d" if not step.say.startswith("Nothing") else step.say)
        self.listen.setText(step.listen)
        self.watch.setText(step.watch)
        shown = self.outcome.shown if self.outcome is not None else None
        self.face.set_meter(step.expected, shown, self._trace)
        can = self.outcome is not None and step.knob is not None and abs(self.outcome.turn_db) > 1e-9
        self.turn_button.setEnabled(can)
        done = sum(
            bool(row.line_up and row.line_up.passed)
            for row in last_readings(analysis).values()
            if row.line_up and row.line_up.voice in [s.voice for s in self.steps]
        )
        place = [row.voice for row in self.steps].index(step.voice) + 1
        self.title.emit(
            f"{place} of {len(self.steps)}: {step.name}",
            f"{done} of {len(self.steps)} lined up. {caution()}",
        )
        if self.outcome is None:
            self.told.setText(self._before(analysis, step))
        else:
            self.told.setText(self.outcome.words)
        self.why_changed.emit()

    def _before(self, analysis: Report, step: RunStep) -> str:
        entry = last_readings(analysis).get(step.voice)
        if entry is None or entry.line_up is None:
            return KEYS
        row = entry.line_up
        what = "passed" if row.passed else "did not pass"
        return (
            f"Read at {entry.at.astimezone():%H:%M}: {figure_on(row.shown, scales()[row.scale].unit)}, {what}. {KEYS}"
        )

    def _fill(self, analysis: Report) -> None:
        found = last_readings(analysis)
        hues = {party.id: k for k, party in enumerate(analysis.show.parties)}
        turned_by: dict[str, float] = {}
        for line in analysis.show.log:
            if line.line_up is not None and line.line_up.turned:
                turned_by[line.line_up.voice] = turned_by.get(line.line_up.voice, 0.0) + line.line_up.turn_db
        rows = []
        for step in map(self._as_read, self.steps):
            entry = found.get(step.voice)
            row = entry.line_up if entry is not None else None
            expected = figure_on(step.expected.shows.value, step.expected.unit)
            if entry is None or row is None:
                cells = (step.name, expected, DASH, DASH, DASH, DASH, DASH)
                marks: tuple[tuple[int, str], ...] = ()
            else:
                by = turned_by.get(step.voice, 0.0)
                turned = show_number(by, "dB", sign=True) if by else DASH
                cells = (
                    step.name,
                    expected,
                    figure_on(row.shown, scales()[row.scale].unit),
                    show_number(row.off_db, "dB", sign=True),
                    turned,
                    f"{entry.at.astimezone():%H:%M}",
                    row.note or DASH,
                )
                marks = ((2, "tick" if row.passed else "fix"),)
            rows.append(Row(("voice", step.voice), cells, hues.get(step.voice, -1), marks))
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.table.choose(next((i for i, step in enumerate(self.steps) if step.voice == self.voice), -1))

    def why(self) -> WhyContent:
        step = self.step
        if step is None:
            return WhyContent("Line-up run", hint="Each source that reaches an end is run through here.")
        lines = [step.expected.shows, step.expected.mark]
        extra = []
        if self.outcome is not None:
            extra.append(self.outcome.words)
            if abs(self.outcome.learnt_db) >= number("level-learnt"):
                extra.append(
                    f"{step.name} is {abs(self.outcome.learnt_db):.1f} dB {'louder' if self.outcome.learnt_db > 0 else 'softer'} "
                    "than the show has it; noting it puts that into the show."
                )
        notes = tuple(
            f"{entry.at.astimezone():%d %b %H:%M}  {entry.text}"
            for entry in self.document.show.log
            if entry.line_up is not None and entry.line_up.voice == step.voice
        )[-4:]
        return WhyContent(
            step.name,
            f"read at {step.point.label}",
            extra=tuple(extra),
            lines=tuple(lines),
            more=(readings_here(step.expected),),
            notes=notes[::-1],
        )

    # what the user does

    def _key(self, name: str) -> None:
        if name == "measure":
            self.measure()
        elif name == "turn":
            self.turn()
        elif name == "note":
            self.note.setFocus()
        else:
            self._move(-1 if name == "before" else 1)

    def _move(self, by: int) -> None:
        names = [row.voice for row in self.steps]
        if names:
            self._go((names.index(self.voice) + by) % len(names) if self.voice in names else 0)

    def _go(self, row: int) -> None:
        if 0 <= row < len(self.steps):
            self.voice = self.steps[row].voice
            self._forget()
            self.wants_voice.emit(self.voice)
            self._show()

    def _meter_chosen(self) -> None:
        """Another meter: what was read on the one before says nothing there."""
        self._forget()
        self._show()
        self.reading.setFocus()

    def _forget(self) -> None:
        self.outcome, self._trace, self._measured, self._waits = None, None, False, False
        self.reading.clear()
        self.note.clear()

    def _tell(self, text: str) -> None:
        self.told.setText(text[:1].upper() + text[1:])
        self.say.emit(text)

    def _typed(self, text: str) -> None:
        """Judges as it is typed, quietly while it is no number yet."""
        self._trace, self._measured = None, False
        step = self.step
        try:
            self.outcome = judge(step, number_of(text, "Reading")) if step is not None and text.strip() else None
        except ValueError:
            self.outcome = None
        self._show()

    def measure(self) -> None:
        """Plays the source at hand on the simulated rig, and reads its meter; in a worker."""
        step, analysis = self.step, self.document.analysis
        if step is None:
            return
        if self.document.busy:
            # The last turn is still being computed; the meter is read when it is.
            self._waits = True
            return
        level = analysis.graph.mouths[step.voice][1].value
        moved = level - self._planned.get(step.voice, level)
        rig = self.rig

        def work() -> Trace:
            signal = rig.play(analysis, step.voice, step.point.node, plan_db=moved)
            return read_meter(step.expected, signal, rig.sample_rate_hz, FULL_SCALE[step.point.unit])

        self.told.setText(f"Listening to {step.name}.")
        self._worker.ask(work, step.voice)

    def _arrived(self, about: object, result: object) -> None:
        step = self.step
        if step is None or about != step.voice or not isinstance(result, Trace):
            return
        self._trace, self._measured = result, True
        try:
            self.outcome = judge(step, round(result.shown, 1))
        except ValueError as error:
            self._tell(str(error))
            return
        self.reading.setText(f"{result.shown:.1f}".replace("-", "\u2212"))
        self._show()

    def _read(self) -> Outcome | None:
        """What stands in the field, judged; None with a word about it when it is no reading."""
        step = self.step
        if step is None:
            return None
        text = self.reading.text().strip()
        if self.document.busy:
            # A reading is judged against the rig as it stands, not as it stood before the last turn.
            self._tell("The last change is still being computed: a moment, then once more.")
            return None
        if not text:
            self._tell("No reading yet: Space measures, or type what the meter showed.")
            return None
        try:
            return judge(step, number_of(text, "Reading"))
        except ValueError as error:
            self._tell(str(error))
            return None

    def note_it(self) -> None:
        """Logs the reading and goes on to the next source that has not passed."""
        outcome, step = self._read(), self.step
        if outcome is None or step is None:
            self.reading.setFocus()
            return
        self._log(step, outcome, turned=False)
        found = last_readings_of(self.document)
        names = [row.voice for row in self.steps]
        start = names.index(step.voice) if step.voice in names else 0
        onward = [names[(start + k) % len(names)] for k in range(1, len(names) + 1)] if names else []
        self.voice = next((name for name in onward if not found.get(name, False)), onward[0] if onward else "")
        self._forget()
        if names and all(found.get(name, False) for name in names):
            self.say.emit("All sources are lined up.")
        self.wants_voice.emit(self.voice)
        self._show()
        self.reading.setFocus()

    def turn(self) -> None:
        """Turns the gain by what is suggested and logs it; the source stays at hand, to be read again."""
        outcome, step = self._read(), self.step
        if outcome is None or step is None:
            return
        if step.knob is None or abs(outcome.turn_db) < 1e-9:
            self._tell("Nothing to turn: " + outcome.words)
            return
        self._log(step, outcome, turned=True)
        text = f"Turned {step.knob.label} by {show_number(outcome.turn_db, 'dB', sign=True)}. Read it again: Space, or type it."
        self._forget()
        self._show()
        self._tell(text)
        self.reading.setFocus()

    def _log(self, step: RunStep, outcome: Outcome, *, turned: bool) -> None:
        note = self.note.text().strip()
        entry = entry_of(step, outcome, datetime.now(UTC), note=note, turned=turned, measured=self._measured)
        analysis = self.document.analysis
        edits = edits_of(analysis, step, outcome, entry, turned=turned)
        self.document.apply(edits, f"line-up of {step.name}")


def last_readings_of(document: Document) -> dict[str, bool]:
    """Voice -> whether its newest line-up passed; of the show as it is, even while its analysis is on the way."""
    return {row.line_up.voice: row.line_up.passed for row in document.show.log if row.line_up is not None}
