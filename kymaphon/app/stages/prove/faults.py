"""Prove, faults in a recording: what is heard to be wrong, how sure, where; a test that tells, and the cure."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QWidget

from kymaphon.app.player import NoPlayerError, Player
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.prove.ear import FaultEar
from kymaphon.app.takes import AUDIO_SUFFIXES
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.fault_strip import FaultStrip
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.core.takes.faults.kinds import SoundFault
from kymaphon.files.audio import excerpt
from kymaphon.files.errors import FileProblem

HEADINGS = ("Fault", "How sure", "What was measured", "Where")
HELP = (
    "What is heard to be wrong",
    "One half at the limit from which on it is told; more, the further beyond",
    "The figures that say so",
    "Where in the recording; throughout where nothing is said",
)
BEFORE_S, PLAYED_S = 1.0, 3.0
LOUDEST = 0.4
"""What is played is brought to this part of full scale at most."""
LISTENING = "Listening \u2026 ten minutes take some seconds."
NONE = "Choose a take of this show, or open any recording: it is listened to for twenty-five faults."


class FaultsPage(StagePage):
    """The faults of one recording, the surest first. Enter plays where the next one is heard."""

    def __init__(self, ear: FaultEar, theme: Theme) -> None:
        super().__init__(ear.document, theme)
        self.ear = ear
        self.recordings = ChoiceBox()
        self.recordings.setAccessibleName("Recording")
        self.recordings.setToolTip("Which recording is listened to.")
        self.recordings.setStatusTip("Takes of this show, and what was opened.")
        self.recordings.activated.connect(lambda _index: self._chosen())
        self.open = QPushButton("Another recording\u2026")
        self.open.setStatusTip("Opens any recording and listens for what is wrong with it; the show is not changed.")
        self.open.clicked.connect(lambda: self.act("open"))
        top = QHBoxLayout()
        top.addWidget(label("Recording", "muted", wrap=False))
        top.addWidget(self.recordings)
        top.addWidget(self.open)
        top.addStretch(1)
        self.column.addLayout(top)
        inside = self.card(3, margin=0)
        self.strip = FaultStrip(theme)
        self.strip.pressed.connect(self._play_from)
        inside.addWidget(self.strip)
        self.table = RowTable(theme, "Faults heard", "Enter plays where it is heard, and again the next place.")
        self.table.let_grow(2)
        self.table.chosen.connect(lambda _row, _column: self._moved())
        self.table.opened.connect(lambda _row: self.act("play"))
        self.column.addWidget(self.table, 4)
        self.mark = 0
        self._player = Player(self)
        ear.changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.strip.scale = scale
        self.strip.setMinimumHeight(round(130 * scale))
        self.table.setMinimumHeight(round(150 * scale))

    def first(self) -> QWidget | None:
        return self.table if self.faults else self.recordings if self.recordings.count() > 1 else self.open

    def refresh(self, voice: str, end: str) -> None:
        rows = self.ear.recordings
        if self.ear.path is None and rows:
            self.ear.choose(rows[0][0])
        self._fill()

    def _follow(self) -> None:
        if self.isVisible():
            self._fill()
            if self.faults and (self.open.hasFocus() or self.recordings.hasFocus()):
                self.table.setFocus()

    # what is shown

    @property
    def faults(self) -> tuple[SoundFault, ...]:
        """What was heard of the recording."""
        heard = self.ear.heard
        return heard.faults if heard is not None else ()

    @property
    def fault(self) -> SoundFault | None:
        """The row that is chosen."""
        place = self.table.currentIndex().row()
        return self.faults[place] if 0 <= place < len(self.faults) else None

    def _fill(self) -> None:
        rows = self.ear.recordings
        self.recordings.blockSignals(True)
        self.recordings.clear()
        for path, words in rows:
            self.recordings.addItem(words, str(path))
        if not rows:
            self.recordings.addItem("none yet", "")
        self.recordings.setCurrentIndex(max(0, self.recordings.findData(str(self.ear.path or ""))))
        self.recordings.blockSignals(False)
        heard = self.ear.heard
        name = self.ear.path.name if self.ear.path is not None else ""
        words, level, seconds = NONE, np.zeros(0), 0.0
        if heard is not None and heard.measured is not None:
            level = 10 * np.log10(np.maximum(2 * heard.measured.hop_power.astype(np.float64), 1e-12))
            seconds, count = heard.measured.duration_s, len(heard.faults)
            found = "Nothing is heard to be wrong with it." if not count else f"{count} heard, the surest first."
            words = f"{name}, {seconds:.0f} s. {found}"
        elif heard is not None:
            words = heard.problem
        elif name:
            words = LISTENING
        self.strip.set_take(seconds, level, words)
        self.table.set_rows(HEADINGS, HELP, tuple(self._row(row) for row in self.faults))
        chosen = self.table.currentIndex().row()
        self.table.choose(min(max(chosen, 0), len(self.faults) - 1))
        self.table.setVisible(bool(self.faults))
        self.title.emit("Faults in a recording", words)
        self._moved()

    @staticmethod
    def _row(row: SoundFault) -> Row:
        places = ", ".join(f"{at:.1f}" for at in row.at_s[:3])
        more = f" and {len(row.at_s) - 3} more" if len(row.at_s) > 3 else ""
        cells = (row.name, f"{row.confidence:.0%}", row.evidence, f"{places} s{more}" if places else DASH)
        return Row(("fault", row.code), cells, marks=((0, "fix" if row.confidence >= 0.75 else "note"),))

    def _moved(self) -> None:
        self.mark = 0
        self._mark()
        self.why_changed.emit()

    def _mark(self) -> None:
        fault = self.fault
        marks = fault.at_s if fault is not None else ()
        others = tuple(at for row in self.faults if row is not fault for at in row.at_s)
        self.strip.set_marks(marks, others, self.mark)

    def why(self) -> WhyContent:
        fault = self.fault
        again = (Action("open", "Another recording\u2026", "Any recording; the show is not changed."),)
        ask = Action("questions", "Find its cause by questions", "What was measured counts with what you answer.")
        if fault is None:
            heard = self.ear.heard
            if heard is None or heard.problem:
                return WhyContent("Faults", hint=(heard.problem if heard else NONE), actions=again)
            text = "Nothing is heard to be wrong with it, of the faults that are listened for."
            return WhyContent("Nothing heard", hint=text, notes=self.ear.compared, actions=(ask, *again))
        play = Action("play", self._play_words(fault), "Enter; again: the next place.")
        return WhyContent(
            fault.name[:1].upper() + fault.name[1:],
            f"{fault.confidence:.0%} sure",
            bad=True,
            extra=(fault.evidence, fault.cure, f"To be sure: {fault.test}"),
            lines=(line,) if (line := fault.explain()) is not None else (),
            notes=self.ear.compared,
            lead=(play,),
            actions=(ask, *again),
        )

    def _play_words(self, fault: SoundFault) -> str:
        if not fault.at_s:
            return "Play from the beginning"
        return f"Play at {fault.at_s[self.mark % len(fault.at_s)]:.1f} s"

    # what the user does

    def _chosen(self) -> None:
        path = self.recordings.currentData()
        if path:
            self.ear.choose(Path(path))

    def act(self, action: str) -> None:
        if action == "open":
            kinds = " ".join(f"*{row}" for row in AUDIO_SUFFIXES)
            name, _ = QFileDialog.getOpenFileName(
                self, "Listen to a recording", str(Path.home()), f"Recordings ({kinds});;All files (*)"
            )
            if name:
                self.ear.choose(Path(name))
        elif action == "questions":
            self.ear.ask_about(self.fault.code if self.fault is not None else "")
            self.wants_voice.emit("questions")
        elif action == "play":
            fault = self.fault
            if fault is None:
                return
            if fault.at_s:
                self._play_from(fault.at_s[self.mark % len(fault.at_s)])
                self.mark = (self.mark + 1) % len(fault.at_s)
                self._mark()
                self.why_changed.emit()
            else:
                self._play_from(BEFORE_S)

    def _play_from(self, at: float) -> None:
        """A second before a place, and two after it."""
        if self.ear.path is None:
            return
        try:
            sound, rate = excerpt(self.ear.path, at - BEFORE_S, PLAYED_S)
            most = float(np.abs(sound).max(initial=0.0))
            self._player.play(sound * np.float32(LOUDEST / most if most > 0 else 1.0), rate)
            self.say.emit(f"{at:.1f} s, from a second before.")
        except (FileProblem, NoPlayerError) as problem:
            self.say.emit(str(problem))
