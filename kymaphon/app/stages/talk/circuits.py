"""Talk, circuits: people by circuits; Space changes a cell, Enter opens it, the Why panel has what comes of it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.talk.bench import TalkBench
from kymaphon.app.stages.talk.cells import talk_rows
from kymaphon.app.stages.talk.forms import TalkForms
from kymaphon.app.stages.talk.words import NO_CIRCUITS
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.talk_matrix import TalkMatrix
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.core.derive import Derived
from kymaphon.core.model.edits import RemoveRow, SetField
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.talk import Circuit, CircuitMember
from kymaphon.core.report.talk import plain_line, proof_words
from kymaphon.core.talk.cures import with_member
from kymaphon.core.talk.hearing import hearing_of
from kymaphon.core.talk.keys import key_words
from kymaphon.core.talk.proofs import air_proofs
from kymaphon.core.talk.reach import people, straight
from kymaphon.core.words import counted

LEGEND = (
    "Wedge: may speak, filled where somebody hears it. Arcs: hears, two well, one just; dotted: hears nothing that helps. "
    "Space changes a cell, Enter says how, Delete takes off."
)
NEXT = {(False, True): (True, True), (True, True): (True, False), (True, False): (None, None)}
"""What Space makes of (speaks, hears): hears, both, speaks, then off the circuit."""


class CircuitsPage(StagePage):
    """The matrix."""

    def __init__(self, bench: TalkBench, forms: TalkForms, theme: Theme) -> None:
        super().__init__(bench.document, theme, scrolls=False)
        self.bench, self.forms = bench, forms
        inside = self.card(1)
        self.empty = label("", "muted")
        self.matrix = TalkMatrix(theme)
        self.matrix.setStatusTip(LEGEND)
        self.matrix.cell_chosen.connect(self._chosen)
        self.matrix.switched.connect(self._switch)
        self.matrix.opened.connect(self._open)
        self.matrix.taken_off.connect(self._take_off)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        inside.addWidget(self.empty, 1)
        inside.addWidget(self.matrix, 1)
        self.legend = label(LEGEND, "muted")
        inside.addWidget(self.legend)
        row = QHBoxLayout()
        self.new = QPushButton("New circuit\u2026")
        self.new.setToolTip("A circuit of its own, with its people to be put on it.")
        self.new.clicked.connect(lambda: self.act("new-circuit"))
        self.this = QPushButton("This circuit\u2026")
        self.this.setToolTip("Name, purpose, private, what it overrides, how far it dims.")
        self.this.clicked.connect(lambda: self.act("circuit"))
        for button in (self.new, self.this):
            row.addWidget(button)
        row.addStretch(1)
        inside.addLayout(row)

    def set_scale(self, scale: float) -> None:
        self.matrix.set_scale(scale)

    def first(self) -> QWidget | None:
        return self.matrix if self.matrix.people.rows and self.matrix.people.circuits else self.new

    def refresh(self, voice: str, end: str) -> None:
        report = self.document.analysis
        if report.standing:
            return  # what people hear is told with the findings: those are on their way
        show = report.show
        self.matrix.people.set_rows(tuple((row.id, row.called) for row in show.circuits), talk_rows(report))
        self.matrix.fit()
        some = bool(show.circuits)
        self.matrix.setVisible(some)
        self.legend.setVisible(some)
        self.this.setEnabled(some)
        self.empty.setVisible(not some)
        self.empty.setText(f"{NO_CIRCUITS}\n\n{plain_line(report)}")
        known = {row.id for row in show.circuits}, {row.party for row in self.matrix.people.rows}
        if some and (self.bench.circuit not in known[0] or self.bench.party not in known[1]):
            self.bench.circuit = show.circuits[0].id
            self.bench.party = self._worst_party()
        if some:
            self.matrix.choose(self.bench.party, self.bench.circuit)
        missing = sum(row.severity in ("stop", "fix") for row in self.matrix.people.rows)
        count = len({row.party for circuit in show.circuits for row in circuit.members})
        words = f"{counted(count, 'person', 'people')}, {counted(len(show.circuits), 'circuit')}; {missing or 'none'} with something to sort out"
        self.title.emit("Who can tell whom", words if some else "no circuits")
        self.why_changed.emit()

    def _worst_party(self) -> str:
        rows = self.matrix.people.rows
        for severity in ("stop", "fix"):
            for row in rows:
                if row.severity == severity:
                    return row.party
        return rows[0].party if rows else ""

    def _chosen(self, party: str, circuit: str) -> None:
        self.bench.party = party
        self.bench.circuit = circuit or self.bench.circuit
        self.why_changed.emit()

    @property
    def circuit(self) -> Circuit | None:
        """The one that is chosen."""
        return next((row for row in self.document.show.circuits if row.id == self.bench.circuit), None)

    @property
    def member(self) -> CircuitMember | None:
        circuit = self.circuit
        return circuit.member(self.bench.party) if circuit is not None else None

    # what is done

    def _switch(self, party: str, circuit_id: str) -> None:
        circuit = next((row for row in self.document.show.circuits if row.id == circuit_id), None)
        if circuit is None:
            return
        member = circuit.member(party)
        speaks, hears = (False, True) if member is None else NEXT.get((member.speaks, member.hears), (False, True))
        name, whom = circuit.called, self.document.analysis.party_name(party)
        if speaks is None:
            self._take_off(party, circuit_id)
            return
        words = "speaks and hears" if speaks and hears else "hears" if hears else "speaks"
        edit = with_member(circuit, party, speaks=speaks, hears=hears)
        self.document.apply((edit,), f"{whom} {words} on {name}")
        self.say.emit(f"{whom} {words} on {name}. Space goes on; Enter says how.")

    def _take_off(self, party: str, circuit_id: str) -> None:
        circuit = next((row for row in self.document.show.circuits if row.id == circuit_id), None)
        if circuit is None or circuit.member(party) is None:
            return
        rows = tuple(row for row in circuit.members if row.party != party)
        text = f"{self.document.analysis.party_name(party)} off {circuit.called}"
        self.document.apply((SetField("circuits", circuit.id, "members", rows),), text)
        self.say.emit(f"{text}. Undo puts them back.")

    def _open(self, party: str, circuit_id: str) -> None:
        circuit = next((row for row in self.document.show.circuits if row.id == circuit_id), None)
        if circuit is not None:
            self.forms.member(circuit, party)
        elif self.document.show.circuits:
            self.say.emit("Go to a circuit's column first: there Enter says how somebody is on it.")

    def act(self, action: str) -> None:
        circuit = self.circuit
        if action == "new-circuit":
            self.forms.circuit(None)
        elif circuit is None:
            self.say.emit("There is no circuit yet: make one first.")
        elif action == "circuit":
            self.forms.circuit(circuit)
        elif action == "member":
            self.forms.member(circuit, self.bench.party)
        elif action == "take-off":
            self._take_off(self.bench.party, circuit.id)
        elif action == "remove-circuit":
            self.document.apply((RemoveRow("circuits", circuit.id),), f"{circuit.called} taken out")

    # the Why panel

    def show_finding(self, finding: Finding) -> None:
        """Goes to what a finding is about."""
        circuits = {row.id for row in self.document.show.circuits}
        parties = {row.id for row in people(self.document.analysis)}
        self.bench.circuit = next((name for name in finding.subjects if name in circuits), self.bench.circuit)
        self.bench.party = next((name for name in finding.subjects if name in parties), self.bench.party)
        self.matrix.choose(self.bench.party, self.bench.circuit)
        self.why_changed.emit()

    def why(self) -> WhyContent:
        report = self.document.analysis
        circuit = self.circuit
        if report.standing or circuit is None or not any(row.id == self.bench.party for row in report.show.parties):
            more = (Action("new-circuit", "New circuit\u2026", "A circuit of its own."),)
            return WhyContent("Circuits", plain_line(report) if not report.standing else "", actions=more)
        party, member = report.show.party(self.bench.party), self.member
        about = {party.id, circuit.id}
        rows = tuple(
            row
            for row in report.findings
            if row.stage == "Talk" and (about <= set(row.subjects) or row.subjects[:1] in ((party.id,), (circuit.id,)))
        )
        if member is None:
            put = (Action("member", f"Put {party.name} on {circuit.called}\u2026", "Enter, or Space in the cell."),)
            return WhyContent(party.name, f"not on {circuit.called}", findings=rows, actions=put, notes=self._reaches())
        hearing = report.once(hearing_of)
        best = hearing.best_to(circuit.id, party.id) if member.hears else None
        told = hearing.explain(best) if best is not None else None
        lines: tuple[Derived, ...] = ()
        if told is not None:
            lines = tuple(row for row in (told.level, told.index, told.delay) if row is not None)
        acts = (
            Action("member", "How they are on it\u2026", "Key, how they hear, cues, who answers for them."),
            Action("take-off", f"Off {circuit.called}", "Delete in the cell."),
            Action("circuit", "This circuit\u2026", "Name, purpose, private, what it overrides, dimming."),
            Action("remove-circuit", f"Take {circuit.called} out", "Undo puts it back."),
        )
        subtitle = f"on {circuit.called}"
        if best is not None:
            subtitle += f"; best heard: {report.party_name(best.way.speaker)}"
        return WhyContent(
            party.name,
            subtitle,
            lines=() if rows else lines,
            findings=rows,
            more=lines if rows else (),
            actions=acts,
            notes=(*self._proof(circuit), *self._reaches()),
        )

    def _proof(self, circuit: Circuit) -> tuple[str, ...]:
        report = self.document.analysis
        member = self.member
        out = [f"Talk key: {key_words(report, member.key)}."] if member is not None and member.key else []
        for row in report.once(air_proofs):
            if row.keys and (row.circuit, row.speaker) == (circuit.id, self.bench.party):
                words = proof_words(report, row)
                out.append(f"{words[:1].upper()}{words[1:]}.")
        return tuple(out)

    def _reaches(self) -> tuple[str, ...]:
        """Whom they reach, by which circuit."""
        report = self.document.analysis
        names = {row.id: row.called for row in report.show.circuits}
        rows = straight(report.once(hearing_of)).get(self.bench.party, {})
        if not rows:
            return (f"{report.party_name(self.bench.party)} reaches nobody.",)
        by: dict[str, list[str]] = {}
        for listener, circuit in rows.items():
            by.setdefault(circuit, []).append(report.party_name(listener))
        return tuple(f"Reaches {', '.join(who)} by {names[circuit]}." for circuit, who in by.items())
