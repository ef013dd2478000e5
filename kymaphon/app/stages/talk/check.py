"""Talk, check: each circuit each way by voice; G, W and N note what came of it, and it goes on to the next."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.talk.bench import TalkBench
from kymaphon.app.stages.talk.words import HURTS
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.core.model.show import LogEntry
from kymaphon.core.report.work import time_words
from kymaphon.core.talk.checks import CheckState, check_of, check_states
from kymaphon.core.talk.keys import key_words

HEADINGS = ("Circuit", "From", "To", "Result", "When", "Who")
HELP = (
    "The circuit",
    "Who speaks, their key down",
    "Who says whether it came",
    "Good, weak, nothing; or changed since: to be tried again",
    "When it was tried",
    "Who tried it",
)
KEYS = {Qt.Key.Key_G: "good", Qt.Key.Key_W: "weak", Qt.Key.Key_N: "nothing"}
TIP = "G good, W weak, N nothing came; it goes into the log, and on to the next that is open."


class CheckTable(RowTable):
    """The ways; the keys note a result."""

    def __init__(self, theme: Theme, note: Callable[[str], None]) -> None:
        super().__init__(theme, "Circuits by voice", TIP)
        self._note = note

    def keyPressEvent(self, event: QKeyEvent) -> None:
        result = KEYS.get(Qt.Key(event.key()))
        if result is not None and event.modifiers() == Qt.KeyboardModifier.NoModifier and self.currentIndex().isValid():
            self._note(result)
        else:
            super().keyPressEvent(event)


class CheckPage(StagePage):
    """One row for each way of each circuit."""

    def __init__(self, bench: TalkBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        inside = self.card(1)
        inside.addWidget(label(f"{TIP} {HURTS}", "muted"))
        row = QHBoxLayout()
        row.addWidget(label("Tried by", wrap=False))
        self.who = QLineEdit()
        self.who.setMaxLength(80)
        self.who.setMaximumWidth(220)
        self.who.setAccessibleName("Who tries the circuits")
        self.who.setToolTip("Goes into the log with each result.")
        row.addWidget(self.who)
        row.addStretch(1)
        inside.addLayout(row)
        self.table = CheckTable(theme, self.note)
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        inside.addWidget(self.table)
        self.states: tuple[CheckState, ...] = ()

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(round(220 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        report = self.document.analysis
        if report.standing:
            return
        self.states = check_states(report)
        chosen = self.table.currentIndex().row()
        self.table.set_rows(HEADINGS, HELP, tuple(self._row(row) for row in self.states))
        self.table.choose(min(max(chosen, 0), len(self.states) - 1))
        held = sum(row.holds for row in self.states)
        words = f"{held} of {len(self.states)} paths good" if self.states else "No circuit carries anything yet."
        self.title.emit("Circuits by voice", words)
        self.why_changed.emit()

    def _row(self, row: CheckState) -> Row:
        report, way = self.document.analysis, row.way
        circuit = next(one for one in report.show.circuits if one.id == way.circuit)
        result = row.check.result if row.check is not None else "open"
        words = f"{result}, changed since" if row.stale else result
        mark = "settled" if row.holds else "fix" if row.check is not None else ""
        at = time_words(report.show, row.at) if row.at is not None else DASH
        who = row.check.by if row.check is not None and row.check.by else DASH
        cells = (circuit.called, report.party_name(way.speaker), report.party_name(way.listener), words, at, who)
        return Row((way.circuit, f"{way.speaker}>{way.listener}"), cells, marks=((3, mark),) if mark else ())

    @property
    def state(self) -> CheckState | None:
        place = self.table.currentIndex().row()
        return self.states[place] if 0 <= place < len(self.states) else None

    def note(self, result: str) -> None:
        """What came of the way that is chosen goes into the log; then the next that is open."""
        state, report = self.state, self.document.analysis
        if state is None:
            return
        way = state.way
        try:
            # Findings may still be looked for: what is heard is told by the figures alone, and no key is lost.
            check = check_of(report, way.circuit, way.speaker, way.listener, result, by=self.who.text().strip())
        except KeyError:
            self.say.emit("That path is no longer there: the circuit has changed.")
            return
        circuit = next(one.called for one in report.show.circuits if one.id == way.circuit)
        text = f"{circuit}, {report.party_name(way.speaker)} to {report.party_name(way.listener)}: {result}"
        entry = LogEntry(at=self.bench.now(), text=text, subject=way.circuit, circuit_check=check)
        place = self.table.currentIndex().row()
        self.document.log(entry)
        self.say.emit(f"In the log: {text}.")
        later = [*range(place + 1, len(self.states)), *range(place)]
        following = next((n for n in later if not self.states[n].holds and self.states[n].check is None), place)
        self.table.choose(following)
        self.why_changed.emit()

    def act(self, action: str) -> None:
        if action in KEYS.values():
            self.note(action)

    def why(self) -> WhyContent:
        state, report = self.state, self.document.analysis
        if state is None or report.standing:
            return WhyContent("Circuits by voice", hint="Say who speaks to whom in Circuits first.")
        way = state.way
        circuit = next(one for one in report.show.circuits if one.id == way.circuit)
        member = circuit.member(way.speaker)
        key = f"Key: {key_words(report, member.key)}." if member is not None and member.key else "No key."
        notes = [key]
        if state.stale:
            notes.append("Its path, level or key has changed since it was tried: try it again.")
        if not state.usable:
            notes.append("By the arithmetic it is not followed: see Hearing.")
        lead = tuple(Action(name, name.capitalize(), f"{name[:1].upper()} on the keyboard.") for name in KEYS.values())
        title = f"{report.party_name(way.speaker)} to {report.party_name(way.listener)}"
        return WhyContent(title, circuit.called, lead=lead, notes=tuple(notes))
