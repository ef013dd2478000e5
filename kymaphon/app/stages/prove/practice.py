"""Prove, practice: drills on the simulated rig of this show, by the keyboard; time, steps, and what an expert would have done."""

from __future__ import annotations

import random
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import cast

import numpy as np
from PySide6.QtCore import QElapsedTimer, QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from kymaphon.app.player import NoPlayerError, Player
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.prove.bench import ProveBench
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.form import number_of
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import LogEntry
from kymaphon.files.errors import FileProblem
from kymaphon.files.takes import write_audio
from kymaphon.sim.drills import begin, tasks
from kymaphon.sim.drills.base import Answer, Drill, Feedback, Task
from kymaphon.sim.drills.tapping import BY_TAPPING, choose_hidden, expert_taps

HEADINGS = ("Drill", "Grade", "What it is", "Last time")
HELP = (
    "What is practised",
    "1 to 3, growing",
    "What is asked",
    "From the log of this show",
)
SUBJECT = "practice"
KEYS = "Enter answers. 1 to 9 choose, Space marks several, P plays again, Escape leaves the drill."
EARS = "Headphones off the ears until it plays; it never plays louder than half of full scale."
PLAYED = 0.3
TICK_MS = 1000


class PracticePage(StagePage):
    """The drills of this show, and the one that is running. Nothing of the show is changed but its log."""

    def __init__(self, bench: ProveBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        self.drill: Drill | None = None
        self.feedback: Feedback | None = None
        self.marked: set[int] = set()
        self.told = ""
        self.problem = ""
        self.tapping: Task | None = None
        self._taps = 0
        self._expert = 0
        self._sound: np.ndarray | None = None
        self._card()
        self.table = RowTable(theme, "Drills", "Enter begins the drill.")
        self.table.let_grow(2)
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.table.opened.connect(lambda _row: self.act("begin"))
        self.column.addWidget(self.table, 3)
        self._clock = QElapsedTimer()
        self._tick = QTimer(self)
        self._tick.setInterval(TICK_MS)
        self._tick.timeout.connect(self._tell_time)
        self._player = Player(self)
        self._worker = Worker(self, self._made, self._failed)
        bench.changed.connect(self._tapped)
        bench.document.exchanged.connect(self._another_show)

    def _card(self) -> None:
        """The drill that is running: what is asked, how to answer, how the last answer was."""
        self.drill_card = QWidget()
        self.drill_card.setObjectName("card")
        inside = QVBoxLayout(self.drill_card)
        inside.setContentsMargins(12, 10, 12, 10)
        self.said = label("", "muted")
        self.asked = label("", "title")
        self.hint = label("", "muted")
        self.options = RowTable(self.theme, "Answers", KEYS)
        self.options.horizontalHeader().hide()
        self.options.wide = (1,)
        self.options.installEventFilter(self)
        self.options.opened.connect(self._enter)
        self.options.clicked.connect(lambda index: self._option(index.row()))
        self.number = QLineEdit()
        self.number.setAccessibleName("Your answer, a number")
        self.number.setMaximumWidth(160)
        self.number.installEventFilter(self)
        self.number.returnPressed.connect(self._typed)
        self.unit = label("", "muted", wrap=False)
        line = QHBoxLayout()
        line.addWidget(self.number)
        line.addWidget(self.unit)
        line.addStretch(1)
        for row in (self.said, self.asked, self.hint):
            inside.addWidget(row)
        inside.addLayout(line)
        inside.addWidget(self.options, 1)
        self.space = QWidget()
        inside.addWidget(self.space, 1)
        self.column.addWidget(self.drill_card, 5)

    @property
    def busy(self) -> bool:
        """Whether a drill is being made, or a sound of it."""
        return self._worker.busy

    def set_scale(self, scale: float) -> None:
        self.options.verticalHeader().setDefaultSectionSize(round(24 * scale))
        self.options.setMinimumHeight(round(110 * scale))
        self.table.setMinimumHeight(round(150 * scale))

    def first(self) -> QWidget | None:
        if self.drill is None or self.drill.round is None:
            return self.table
        return self.number if self.drill.round.kind == "number" else self.options

    def refresh(self, voice: str, end: str) -> None:
        self._fill()

    # what is shown

    @property
    def tasks(self) -> tuple[Task, ...]:
        """All drills, the easiest first."""
        return tasks(self.document.analysis)

    @property
    def task(self) -> Task:
        """The row that is chosen."""
        rows = self.tasks
        return rows[max(0, min(self.table.currentIndex().row(), len(rows) - 1))]

    def _fill(self) -> None:
        running = self.drill is not None and self.drill.round is not None
        self.drill_card.setVisible(running or self.busy)
        self.table.setVisible(not running and not self.busy)
        rows = []
        for row in self.tasks:
            last = _last(self.document.analysis, row)
            mark = "stop" if row.missing else "tick" if _well(last) else "fix" if last else "note"
            rows.append(
                Row(
                    ("drill", row.id),
                    (row.name, str(row.level), row.missing or row.about, last or DASH),
                    marks=((0, mark),),
                )
            )
        chosen = self.table.currentIndex().row()
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.table.choose(min(max(chosen, 0), len(rows) - 1))
        if running:
            self._show_round()
        elif self.busy:
            self.said.setText("")
            self.asked.setText("Being made ready \u2026")
            self.hint.setText("")
            self.options.hide()
            self.number.hide()
            self.unit.hide()
            self.space.show()
        self._tell_time()
        self.why_changed.emit()

    def _show_round(self) -> None:
        assert self.drill is not None
        asked = self.drill.round
        assert asked is not None
        if self.feedback is not None and self.feedback.words:
            right = "Right. " if self.feedback.right else "No. "
            self.said.setText(f"{right}{self.feedback.words}" if self.drill.of > 1 else self.feedback.words)
        else:
            self.said.setText("")
        self.asked.setText(asked.prompt)
        self.hint.setText(asked.hint)
        numeric = asked.kind == "number"
        self.number.setVisible(numeric)
        self.unit.setVisible(numeric)
        self.unit.setText(asked.unit)
        self.options.setVisible(not numeric)
        self.space.setVisible(numeric)
        if not numeric:
            rows = [
                Row(("option", str(n)), (self._lead(n, asked.kind == "all"), words))
                for n, words in enumerate(asked.options)
            ]
            chosen = self.options.currentIndex().row()
            self.options.set_rows(("Key", "Answer"), ("", ""), tuple(rows))
            self.options.choose(max(0, min(chosen, len(rows) - 1)))

    def _lead(self, place: int, several: bool) -> str:
        key = str(place + 1) if place < 9 else ""
        return f"{key}  {chr(0x25CF) if place in self.marked else chr(0x25CB)}" if several else key

    def _tell_time(self) -> None:
        if self.drill is not None and self.drill.round is not None:
            done = f"{self.drill.right} of {self.drill.of} right" if self.drill.of > 1 else f"{self.drill.steps} steps"
            self.title.emit(self.drill.task.name, f"{self._clock.elapsed() // 1000} s, {done}.")
        elif self.tapping is not None:
            self.title.emit("Practice", f"{self.tapping.name}: go on at Tap. {self._taps} tapped.")
        else:
            self.title.emit(
                "Practice", self.problem or self.told or "On the simulated rig of this show; nothing of it is changed."
            )

    def why(self) -> WhyContent:
        if self.drill is not None and self.drill.round is not None:
            actions = [Action("leave", "Leave the drill", "Escape. It is not noted.")]
            lead: tuple[Action, ...] = ()
            if self.drill.round.play is not None:
                lead = (Action("hear", "Play it again", "P."),)
                actions.insert(0, Action("save", "Save as a sound file\u2026", "To hear it elsewhere."))
            notes = (EARS,) if lead else ()
            said = (self.feedback.words,) if self.feedback is not None and self.feedback.words else ()
            return WhyContent(
                self.drill.task.name,
                self.drill.task.about,
                extra=said,
                notes=notes,
                lead=lead,
                actions=tuple(actions),
                hint=KEYS,
            )
        task = self.task
        lead = () if task.missing else (Action("begin", "Begin", "Enter."),)
        extra = [task.about]
        if task.missing:
            extra.append(f"Not with this show: {task.missing}.")
        if self.told:
            extra.append(self.told)
        if self.drill is not None:
            extra += self.drill.mistakes[:6]
        expert = f"An expert takes about {task.seconds:.0f} s for each step (assumed)."
        return WhyContent(task.name, f"grade {task.level} of 3", extra=tuple(extra), notes=(expert,), lead=lead)

    # what the user does

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and self.drill is not None:
            key = event.key()
            if event.type() == QEvent.Type.ShortcutOverride and key == Qt.Key.Key_Escape:
                event.accept()  # the window has a use of its own for it
                return True
            if event.type() != QEvent.Type.KeyPress:
                return super().eventFilter(watched, event)
            if key == Qt.Key.Key_Escape:
                self.act("leave")
                return True
            if watched is self.options and Qt.Key.Key_1 <= key <= Qt.Key.Key_9:
                self._option(key - Qt.Key.Key_1)
                return True
            if watched is self.options and key == Qt.Key.Key_Space:
                self._option(self.options.currentIndex().row())
                return True
            if watched is self.options and key == Qt.Key.Key_P:
                self.act("hear")
                return True
        return super().eventFilter(watched, event)

    def act(self, action: str) -> None:
        if action == "begin":
            self.begin(self.task)
        elif action == "leave":
            self.drill, self.tapping, self.feedback = None, None, None
            self._tick.stop()
            self._player.stop()
            self._fill()
            self.table.setFocus()
            self.say.emit("Left; nothing is noted.")
        elif action == "hear":
            self._hear()
        elif action == "save":
            self._save()

    def _another_show(self) -> None:
        """A drill on the rig of the show that was open is over, and not noted."""
        if self.drill is not None or self.tapping is not None:
            self.drill, self.tapping, self.feedback = None, None, None
            self._tick.stop()
            self._player.stop()
        self.told = ""

    def begin(self, task: Task, seed: int | None = None) -> None:
        """Begins a drill; of a seed always the same."""
        if task.missing:
            self.say.emit(f"{task.name}: {task.missing}.")
            return
        seed = random.randrange(1 << 30) if seed is None else seed
        self.feedback, self.problem, self.told = None, "", ""
        self.marked.clear()
        if task.id in BY_TAPPING:
            self._begin_tapping(task, seed)
            return
        report = self.document.analysis
        self._worker.ask(partial(begin, report, task.id, seed), "drill")
        self._fill()

    def _made(self, about: object, result: object) -> None:
        if about == "drill":
            self.drill = cast("Drill", result)
            self._start()
        elif self.drill is not None and about is self.drill.round:
            self._play(cast("np.ndarray", result))

    def _failed(self, error: Exception) -> None:
        self.drill, self.problem = None, str(error)
        self._fill()

    def _start(self) -> None:
        self._clock.start()
        self._tick.start()
        self.number.clear()
        self._fill()
        first = self.first()
        if first is not None:
            first.setFocus()
        self._hear()

    def _enter(self, row: int) -> None:
        """Enter: the row that is chosen, or of several all that are marked."""
        if self.drill is None or self.drill.round is None:
            return
        if self.drill.round.kind == "all":
            self._answer(frozenset(self.marked))
        else:
            self._answer(row)

    def _option(self, place: int) -> None:
        """A number, Space or a press: chosen, or of several put in or out."""
        if self.drill is None or self.drill.round is None or not 0 <= place < len(self.drill.round.options):
            return
        if self.drill.round.kind == "all":
            self.marked ^= {place}
            self.options.choose(place)
            self._show_round()
        else:
            self._answer(place)

    def _typed(self) -> None:
        if self.drill is None or self.drill.round is None:
            return
        try:
            value = number_of(self.number.text(), "Your answer")
        except ValueError as problem:
            self.say.emit(f"{problem}; 12 or -6.5 would be.")
            return
        self.number.clear()
        self._answer(value)

    def _answer(self, given: Answer) -> None:
        assert self.drill is not None
        self.feedback = self.drill.answer(given)
        self.marked.clear()
        if self.drill.round is None:
            self._end()
            return
        self._fill()
        first = self.first()
        if first is not None:
            first.setFocus()
        self._hear()

    def _end(self) -> None:
        assert self.drill is not None
        self._note(self.drill.result(self._clock.elapsed() / 1000))
        last = self.feedback.words if self.feedback is not None else ""
        if last and last not in self.drill.mistakes:
            self.told += f" {last}"
        self._fill()
        self.table.setFocus()

    def _note(self, text: str) -> None:
        self._tick.stop()
        self._player.stop()
        self.told = f"{text}."
        entry = LogEntry(at=datetime.now(UTC), text=text[:2000], subject=SUBJECT, sort="drill")
        self.document.log(entry)
        self.say.emit(f"In the log: {text}.")

    # what is heard

    def _hear(self) -> None:
        asked = self.drill.round if self.drill is not None else None
        self._sound = None
        if asked is not None and asked.play is not None:
            self.say.emit("Being played into memory \u2026")
            self._worker.ask(asked.play, asked)

    def _save(self) -> None:
        if self._sound is None:
            self.say.emit("It is still being played into memory.")
            return
        kinds = "Sound (*.wav *.flac *.ogg)"
        name, _ = QFileDialog.getSaveFileName(self, "Save what is heard", str(Path.home() / "what-is-wrong.wav"), kinds)
        if not name:
            return
        try:
            rate = self.document.show.sample_rate_hz
            write_audio(name, (self._sound * PLAYED).T.astype(np.float32), rate, about="Simulated: what is wrong here?")
        except FileProblem as problem:
            self.say.emit(str(problem))
        else:
            self.say.emit(f"Saved: {Path(name).name}.")

    def _play(self, sound: np.ndarray) -> None:
        self._sound = sound
        try:
            self._player.play((sound * PLAYED).T.astype(np.float32), self.document.show.sample_rate_hz)
            self.say.emit("Playing. P plays it again.")
        except NoPlayerError as problem:
            self.say.emit(str(problem))

    # by tapping

    def _begin_tapping(self, task: Task, seed: int) -> None:
        model = self.bench.model
        if model is None:
            self.say.emit(self.bench.problem or "The tap test is still being computed; try again in a moment.")
            return
        try:
            hidden = choose_hidden(model, random.Random(seed), 2 if task.id == "tap-two" else 1)
        except ValueError as problem:
            self.say.emit(f"{task.name}: {problem}.")
            return
        self._expert = expert_taps(model, hidden)
        self.tapping, self._taps = task, 0
        self.bench.hide(hidden)
        self._clock.start()
        self.say.emit("Hidden. R reads a tap from the simulated rig, Enter goes to the one that tells most.")
        self.wants_voice.emit("tap")

    def _tapped(self) -> None:
        """Whether what was hidden is found: the likeliest explanation has it."""
        now, task = self.bench.diagnosis, self.tapping
        if task is None or now is None:
            return
        self._taps = len({tap for tap, _ in self.bench.seen})
        if not self.bench.hidden:
            self.tapping = None  # shown or begun anew: the practice is over, and not noted
            return
        if self._taps and not self.bench.busy and now.found and now.ranked[0].has(*self.bench.hidden):
            self.tapping = None
            seconds = self._clock.elapsed() / 1000
            self._note(
                f"Practice, {task.name[:1].lower()}{task.name[1:]}: found in {seconds:.0f} s, {self._taps} taps; "
                f"an expert: {self._expert} taps, {self._expert * task.seconds:.0f} s"
            )


def _last(report: Report, task: Task) -> str:
    """What the log says of the last time."""
    start = f"Practice, {task.name[:1].lower()}{task.name[1:]}: "
    rows = [row.text for row in report.show.log if row.subject == SUBJECT and row.text.startswith(start)]
    return rows[-1].removeprefix(start).partition(";")[0] if rows else ""


def _well(last: str) -> bool:
    """Whether a drill ended with all of it right, or with what was hidden found."""
    words = last.split()
    return last.startswith("found") or (len(words) > 2 and words[0] == words[2])
