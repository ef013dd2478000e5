"""Talk, positions: the commentator's voice out of the crowd, effects at the action, and what a commentary position needs."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.talk.bench import TalkBench
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.picker import Picker
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.derive import Derived
from kymaphon.core.model.edits import AddRow, Edit, SetField
from kymaphon.core.model.show import Party
from kymaphon.core.model.talk import Task
from kymaphon.core.work.positions import Need, effects_of, position_needs, separations

HEADINGS = ("What", "How far", "Level or answer", "Against the crowd", "Against all of it")
HELP = (
    "The voice at a distance, an effects microphone, or what the position needs",
    "From mouth or event to the microphone",
    "Over the noise of the place, or the event's own level; of a need, whether it is there",
    "Over the crowd alone",
    "Over noise and everything else together, A-weighted",
)
_Shown = tuple[Row, tuple[Derived, ...], Need | None]
"""A row, the arithmetic behind it, and the need that it is of."""
STATE_WORDS = {"yes": "yes", "no": "no", "ask": "to be asked"}


class PositionsPage(StagePage):
    """One table: distances of the voice, effects, needs. Space answers what has to be asked."""

    def __init__(self, bench: TalkBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        self.picker = Picker("Commentator", "Whose position.")
        self.picker.picked.connect(lambda: self.refresh("", ""))
        self.picker.addStretch(1)
        self.column.addLayout(self.picker)
        inside = self.card(1)
        self.table = RowTable(
            theme, "Positions", "Enter answers what has to be asked; the Why panel has the arithmetic."
        )
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.table.opened.connect(lambda _row: self.act("answer"))
        inside.addWidget(self.table)
        self.rows: list[_Shown] = []

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(28 * scale))
        self.table.setMinimumHeight(round(240 * scale))

    def first(self) -> QWidget | None:
        return self.table if self.rows else self.picker.box

    @property
    def commentators(self) -> list[Party]:
        """Presenters and guests with a place, those who are on a circuit with a key first."""
        show = self.document.show
        keyed = {row.party for circuit in show.circuits for row in circuit.members if row.key}
        rows = [
            row for row in show.parties if row.kind in ("presenter", "guest") and row.place is not None and row.speaks
        ]
        return sorted(rows, key=lambda row: row.id not in keyed)

    @property
    def party(self) -> Party | None:
        return next((row for row in self.commentators if row.id == self.picker.value), None)

    def refresh(self, voice: str, end: str) -> None:
        report = self.document.analysis
        if report.standing:
            return
        self.picker.offer([(row.id, row.name) for row in self.commentators])
        self.rows = [*self._voice(), *self._effects(), *self._needs()]
        chosen = self.table.currentIndex().row()
        self.table.set_rows(HEADINGS, HELP, tuple(row for row, _, _ in self.rows))
        self.table.choose(min(max(chosen, 0), len(self.rows) - 1))
        party = self.party
        words = (
            "Nobody who comments is placed yet." if party is None else f"{party.name}, and what is hidden at the action"
        )
        self.title.emit("Positions", words)
        self.why_changed.emit()

    def _voice(self) -> list[_Shown]:
        party = self.party
        out: list[_Shown] = []
        for n, row in enumerate(separations(self.document.analysis, party) if party is not None else ()):
            name = f"{party.name}, {row.name}" if party is not None else row.name
            crowd = row.over_crowd.text() if row.over_crowd is not None else DASH
            cells = (name, f"{row.metres * 100:.0f} cm", f"{row.over_noise.text()} over noise", crowd, row.over.text())
            lines = tuple(one for one in (row.over, row.over_noise, row.over_crowd) if one is not None)
            out.append((Row(("voice", str(n)), cells), lines, None))
        return out

    def _effects(self) -> list[_Shown]:
        report = self.document.analysis
        out: list[_Shown] = []
        for row in effects_of(report):
            event = f"{row.event.text()} of {report.party_name(row.party)}"
            cells = (report.device_name(row.device), f"{row.metres:.2f} m", event, DASH, row.over.text())
            lines = tuple(one for one in (row.over, row.event, row.headroom) if one is not None)
            out.append((Row(("effect", row.device), cells), lines, None))
        return out

    def _needs(self) -> list[_Shown]:
        party = self.party
        out: list[_Shown] = []
        for need in position_needs(self.document.analysis, party) if party is not None else ():
            mark = {"yes": "settled", "no": "fix", "ask": "note"}[need.state]
            cells = (need.text, DASH, f"{STATE_WORDS[need.state]}: {need.evidence}", "", "")
            out.append((Row(("need", need.id), cells, marks=((0, mark),)), (), need))
        return out

    def act(self, action: str) -> None:
        place = self.table.currentIndex().row()
        need = self.rows[place][2] if 0 <= place < len(self.rows) else None
        party = self.party
        if action != "answer" or party is None:
            return
        if need is None or not need.task:
            self.say.emit("This is computed: nothing has to be answered here.")
            return
        known = next((row for row in self.document.show.tasks if row.id == need.task), None)
        text = f"{party.name}'s position: {need.text[:1].lower()}{need.text[1:]}"
        edit: Edit = (
            SetField("tasks", need.task, "done", not known.done)
            if known is not None
            else AddRow("tasks", Task(id=need.task, text=text, done=True))
        )
        self.document.apply((edit,), text)

    def why(self) -> WhyContent:
        place = self.table.currentIndex().row()
        if not 0 <= place < len(self.rows):
            return WhyContent(
                "Positions", hint="Somebody who comments has to be placed in Cast, with a microphone of their own."
            )
        row, lines, need = self.rows[place]
        if need is not None:
            ask = Action("answer", "It is not so" if need.state == "yes" else "It is so", "Enter.")
            return WhyContent(
                need.text, STATE_WORDS[need.state], lead=(ask,) if need.task else (), notes=(need.evidence,)
            )
        if row.key[0] == "voice":
            hint = "Nearer is louder against everything: twice as near, 6 dB; a lip microphone more, for it is deaf to what is far."
            return WhyContent(row.cells[0], row.cells[1], lines=lines, hint=hint)
        return WhyContent(
            row.cells[0], row.cells[1], lines=lines, hint="The event's level is what stands for it in Cast, at 1 m."
        )
