"""Talk, lines: what goes out by which line, at what level, how late; the reserve as a plan."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.talk.bench import TalkBench
from kymaphon.app.stages.talk.forms import TalkForms
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.derive import show_number
from kymaphon.core.model.edits import RemoveRow, SetField
from kymaphon.core.model.findings import Remedy
from kymaphon.core.words import counted
from kymaphon.core.work.lines import LineState, line_states, switch_to_reserve

HEADINGS = ("Line", "Number", "Fed by", "Loudest on it", "Against agreed", "Latency", "Tone read", "Result")
HELP = (
    "What it is for",
    "As its owner calls it",
    "The socket of the rig that it comes from",
    "Who is loudest on it, and how loud",
    "That level against the line-up level agreed",
    "Delay to the far end, as measured",
    "Tone as the far end read it, against what was sent",
    "What the far end said",
)
RESULTS = {"good": "good", "bad": "bad", "untested": "not tried"}


class LinesPage(StagePage):
    """One row for each line."""

    def __init__(self, bench: TalkBench, forms: TalkForms, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench, self.forms = bench, forms
        inside = self.card(1)
        self.table = RowTable(
            theme, "Lines out", "Enter opens a line, Delete takes it out; the Why panel has its level and its reserve."
        )
        self.table.spare = (1, 5)
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.table.opened.connect(lambda _row: self.act("open"))
        self.table.removed.connect(lambda _row: self.act("remove"))
        inside.addWidget(self.table)
        row = QHBoxLayout()
        self.new = QPushButton("New line\u2026")
        self.new.setToolTip("An outgoing circuit to a station.")
        self.new.clicked.connect(lambda: self.act("new-line"))
        row.addWidget(self.new)
        row.addStretch(1)
        inside.addLayout(row)
        self.states: tuple[LineState, ...] = ()

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(30 * scale))
        self.table.setMinimumHeight(round(160 * scale))

    def first(self) -> QWidget | None:
        return self.table if self.states else self.new

    def refresh(self, voice: str, end: str) -> None:
        self.states = line_states(self.document.analysis)
        chosen = self.table.currentIndex().row()
        self.table.set_rows(HEADINGS, HELP, tuple(self._row(row) for row in self.states))
        self.table.choose(min(max(chosen, 0), len(self.states) - 1))
        good = sum(row.line.result == "good" for row in self.states)
        words = (
            f"{counted(len(self.states), 'line')}, {good} answered good"
            if self.states
            else "No line yet: make one, or add its device in Rig first."
        )
        self.title.emit("Lines out", words)
        self.why_changed.emit()

    def _row(self, row: LineState) -> Row:
        line = row.line
        loud = f"{row.voices[0][0]}, {show_number(row.voices[0][1], row.unit)}" if row.voices else DASH
        off = row.off_db.text() if row.off_db is not None else DASH
        late = f"{line.delay_ms:.0f} ms" if line.delay_ms is not None else DASH
        lost = row.lost_db.text() if row.lost_db is not None else DASH
        main = next((one.line.called for one in self.states if one.line.id == line.reserve_for), "")
        fed = row.source_words or (f"nothing: stands in for {main}" if main else "nothing")
        mark = {"good": "settled", "bad": "stop"}.get(line.result, "" if row.fed or line.reserve_for else "fix")
        cells = (line.called, line.number, fed, loud, off, late, lost, RESULTS[line.result])
        return Row(("line", line.id), cells, marks=((7, mark),) if mark else ())

    @property
    def state(self) -> LineState | None:
        place = self.table.currentIndex().row()
        return self.states[place] if 0 <= place < len(self.states) else None

    @property
    def reserve(self) -> Remedy | None:
        state = self.state
        known = state is not None and any(row.id == state.line.id for row in self.document.show.lines)
        return switch_to_reserve(self.document.analysis, state.line.id) if state is not None and known else None

    def act(self, action: str) -> None:
        state = self.state
        if action == "new-line":
            self.forms.line(None)
        elif state is None:
            self.say.emit("There is no line yet: make one first.")
        elif action == "open":
            self.forms.line(state.line)
        elif action == "remove":
            self.document.apply((RemoveRow("lines", state.line.id),), f"{state.line.called} taken out")
        elif action in ("good", "bad"):
            self.document.apply((SetField("lines", state.line.id, "result", action),), f"{state.line.called}: {action}")
        elif action == "preview":
            plan = self.reserve
            if plan is not None:
                self.document.preview(plan.edits, plan.label)
        elif action == "switch":
            plan = self.reserve
            if plan is not None:
                self.document.apply(plan.edits, plan.label)
                self.say.emit(f"{plan.label}. Mute before the plug goes over; undo puts it back.")

    def why(self) -> WhyContent:
        state = self.state
        if state is None:
            return WhyContent(
                "Lines out", hint="A line has a number, a level and a delay; the far end says what comes."
            )
        lines = tuple(row for row in (state.off_db, state.lost_db) if row is not None)
        notes = [f"{name} at {show_number(level, state.unit)}." for name, level in state.voices[:6]]
        if state.listeners:
            notes.append(f"Heard by {', '.join(state.listeners)}.")
        if state.line.ident:
            notes.append(f'Ident: "{state.line.ident}".')
        actions = [
            Action("good", "The far end says good", "Tone and ident came as they should."),
            Action("bad", "The far end says bad", "They did not."),
            Action("open", "This line\u2026", "Enter."),
        ]
        plan = self.reserve
        if plan is not None:
            notes.append(f"{plan.label}: {plan.effect}")
            actions += [
                Action("preview", f"Preview: {plan.label}", plan.effect),
                Action("switch", plan.label, plan.effect),
            ]
        subtitle = f"fed by {state.source_words}" if state.fed else "fed by nothing"
        return WhyContent(state.line.called, subtitle, lines=lines, actions=tuple(actions), notes=tuple(notes))
