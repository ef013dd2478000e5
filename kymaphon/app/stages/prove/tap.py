"""Prove, the tap test: which meters must move at this tap, which did, and which fault explains all that was seen."""

from __future__ import annotations

import math

from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.prove.bench import ProveBench
from kymaphon.app.stages.prove.words import EMPTY, HURTS, KEYS
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.tap_picture import DEEPEST, Plumb, TapPicture
from kymaphon.app.widgets.voice_chips import VoiceChips
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.derive import Derived
from kymaphon.core.prove.diagnosis import MOVED, SILENT, Hypothesis, Seen
from kymaphon.core.prove.model import SHOWN_DB
from kymaphon.core.report.prove import (
    cure_of,
    explanation,
    look_at,
    misreadings,
    reads_wrong,
    told,
    verdict,
)
from kymaphon.core.words import counted

HEADINGS = ("What explains everything seen so far", "Chance", "How well")
HELP = (
    "The plan, one fault, or two at once",
    "Of all that may be, after what was seen",
    "What it explains, and what it takes for a misreading",
)
STEP_DB = 5.0
HIGH_DB = 12.0
"""What H answers: so far above what is expected."""


class TapPage(StagePage):
    """Meters above, explanations below. Everything by one hand on the keys."""

    def __init__(self, bench: ProveBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        self.meter = 0
        self.chips = VoiceChips(theme, lambda name: f"The tap of {name}")
        self.chips.chosen.connect(self._tap_chosen)
        self.column.addWidget(self.chips)
        inside = self.card(4, margin=0)
        self.picture = TapPicture(theme)
        self.picture.setStatusTip(KEYS)
        self.picture.selected.connect(self._meter_chosen)
        self.picture.key.connect(self._pressed)
        inside.addWidget(self.picture)
        self.table = RowTable(theme, "Explanations", "Ranked by how well each explains all that was seen.")
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.table.wide = (0,)
        self.column.addWidget(self.table, 2)
        bench.changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.picture.scale = scale
        self.picture.setMinimumHeight(round(210 * scale))
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(round(130 * scale))

    def first(self) -> QWidget | None:
        return self.picture

    def refresh(self, voice: str, end: str) -> None:
        self.bench.follow()
        self._fill()

    def _follow(self) -> None:
        if self.isVisible():
            self._fill()

    # what is shown

    def _fill(self) -> None:
        bench = self.bench
        model, diagnosis = bench.model, bench.diagnosis
        if model is None or diagnosis is None or not model.taps:
            words = bench.problem[:1].upper() + bench.problem[1:] if bench.problem else EMPTY
            if not bench.problem and bench.busy:
                words = "Computing what every tap does \u2026"
            self.picture.set_rows((), 0, words)
            self.chips.set_voices([], "")
            self.table.set_rows(HEADINGS, HELP, ())
            self.title.emit("Tap test", words)
            self.why_changed.emit()
            return
        self.chips.set_voices([(tap.id, tap.name, self._mark_of(tap.id)) for tap in model.taps], bench.tap)
        tap = model.taps[bench.place]
        rows = bench.rows
        self.meter = max(0, min(self.meter, len(rows) - 1))
        self.picture.set_rows([self._plumb(n) for n in rows], self.meter, f"{tap.name} comes to no meter.")
        must = sum(bench.expected(n) > SHOWN_DB for n in rows)
        number = f"{bench.place + 1} of {len(model.taps)}"
        self.title.emit(
            f"{tap.act}", f"Tap {number}: {must} should move, {len(rows) - must} must not. {len(bench.seen)} seen."
        )
        chosen = self.table.currentIndex().row()
        self.table.set_rows(HEADINGS, HELP, tuple(self._row(row) for row in told(diagnosis)))
        self.table.choose(min(max(chosen, 0), len(told(diagnosis)) - 1))
        self.why_changed.emit()

    def _mark_of(self, tap: str) -> str:
        """Whether a tap was made, and showed what it should."""
        bench, model = self.bench, self.bench.model
        assert model is not None
        answers = {meter: what for (name, meter), what in bench.seen.items() if name == tap}
        if not answers:
            return ""
        place = next(k for k, row in enumerate(model.taps) if row.id == tap)
        wrong = any(
            reads_wrong(float(model.planned[place, n]), answers[row.id])
            for n, row in enumerate(model.meters)
            if row.id in answers
        )
        return "stop" if wrong else "tick"

    def _plumb(self, meter: int) -> Plumb:
        bench = self.bench
        assert bench.model is not None
        row, expected, what = bench.model.meters[meter], bench.expected(meter), bench.answer_of(meter)
        seen = None if what is None else _level_of(what, expected)
        return Plumb(row.name, row.part, expected, seen, what is not None and reads_wrong(expected, what))

    def _row(self, row: Hypothesis) -> Row:
        assert self.bench.diagnosis is not None
        key = "+".join(suspect.faults[0].id for suspect in row.suspects) or "plan"
        mark = "tick" if not row.suspects else "fix"
        return Row(
            ("explanation", key),
            (row.label, f"{row.chance:.0%}", explanation(self.bench.diagnosis, row)),
            marks=((0, mark),),
        )

    def why(self) -> WhyContent:
        bench = self.bench
        model, diagnosis = bench.model, bench.diagnosis
        if model is None or diagnosis is None or not model.taps:
            return WhyContent("Tap test", hint=bench.problem or EMPTY)
        ask = diagnosis.next_tap()
        rows = told(diagnosis)
        chosen = rows[max(0, min(self.table.currentIndex().row(), len(rows) - 1))] if rows else diagnosis.ranked[0]
        lines = [self._open_line()]
        if bench.rows:
            lines.insert(0, self._meter_line(bench.rows[self.meter]))
        extra = [verdict(diagnosis)]
        if diagnosis.contradicting:
            extra.append(misreadings(diagnosis, diagnosis.ranked[0]))
        notes = []
        if chosen.suspects:
            extra += [cure_of(suspect.faults[0]) for suspect in chosen.suspects]
            others = look_at(chosen)[1:] if len(chosen.suspects) == 1 else []
            if others:
                notes.append(f"No tap tells it from: {'; '.join(others)}.")
            notes.append(HURTS)
        proofs = bench.proofs
        holds, stale = sum(row.holds for row in proofs), sum(row.stale for row in proofs)
        gone = f", {stale} stale since an edit" if stale else ""
        notes.append(f"{holds} of {len(proofs)} wanted pairs are proven{gone}.")
        if bench.hidden:
            notes.insert(0, "A fault is hidden in the simulated rig: R reads each tap from it.")
        if any(tap == bench.tap for tap, _ in bench.simulated):
            notes.insert(
                0, "Read from the simulated rig: it proves nothing of the real one, and does not go into the log."
            )
        lead: tuple[Action, ...] = ()
        if ask is not None:
            name = model.taps[ask[0]].name
            tip = f"Settles {ask[1]:.2f} of the {diagnosis.open_bits:.2f} bits that are open. Enter."
            lead = (Action("next", f"Next tap: {name}", tip),)
        return WhyContent(
            model.taps[bench.place].name,
            f"{diagnosis.open_bits:.1f} bits still open",
            bad=diagnosis.found,
            extra=tuple(extra),
            lines=tuple(lines),
            notes=tuple(notes),
            lead=lead,
            actions=self._actions(),
            hint=KEYS,
        )

    def _actions(self) -> tuple[Action, ...]:
        read = Action("read", "Read from the simulated rig", "Answers this tap as a rig plays it. R.")
        if self.bench.hidden:
            return (
                read,
                Action("reveal", "Show the hidden fault", "Ends the practice: where it was."),
                Action("restart", "Begin anew", "Forgets what was seen; what is proven stays in the log."),
            )
        return (
            read,
            Action("plant", "Hide a fault to be found", "For practice: one fault somewhere in the simulated rig."),
            Action("restart", "Begin anew", "Forgets what was seen; what is proven stays in the log."),
        )

    def _meter_line(self, meter: int) -> Derived:
        bench = self.bench
        assert bench.model is not None
        model = bench.model
        row, expected = model.meters[meter], bench.expected(meter)
        tap = model.taps[bench.place]
        if expected <= SHOWN_DB:
            name = f"{row.label}: should stay still, below"
            return Derived(name, DEEPEST, "dB", source="what lies 40 dB under its mark is not seen on a meter")
        level = float(model.planned_db[bench.place, meter])
        start = Derived("the tap where it enters the rig, as loud as the voice", tap.level_db, _unit(model, tap.node))
        through = Derived("the rig from there to the meter, all paths", level - tap.level_db, "dB")
        return Derived(
            f"{row.label}: should show", level, row.unit, "", (start, through), "powers of all paths, (I - A)^-1"
        )

    def _open_line(self) -> Derived:
        diagnosis = self.bench.diagnosis
        assert diagnosis is not None
        return Derived(
            "still open",
            diagnosis.open_bits,
            "bits",
            "-sum p log2 p over everything that may be",
            source=f"Shannon 1948; {counted(len(diagnosis.chances), 'explanation')} weighed",
        )

    # what the user does

    def _tap_chosen(self, tap: str) -> None:
        self._leave()
        self.meter = 0
        self.bench.choose(tap)

    def _meter_chosen(self, index: int) -> None:
        self.meter = index
        self.why_changed.emit()

    def _pressed(self, key: str) -> None:
        bench = self.bench
        if bench.model is None or not bench.rows:
            return
        rows = bench.rows
        if key == "ENTER":
            self.act("next")
        elif key == "R":
            self.act("read")
        elif key == "BACK":
            cell = bench.take_back()
            self.say.emit("There is nothing to take back." if cell is None else f"Taken back: {cell[1]} at {cell[0]}.")
        elif key == "A":
            rest = {n: self._as_it_should(n) for n in rows if bench.answer_of(n) is None}
            bench.answer_all(rest)
            self.say.emit(f"{len(rest)} more as they should be. Enter goes on.")
        else:
            self._answer(rows[self.meter], key)

    def _answer(self, meter: int, key: str) -> None:
        what: Seen
        expected = self.bench.expected(meter)
        base = expected if expected > SHOWN_DB else 0.0
        if key == "N":
            what = SILENT
        elif key == "Y":
            # Of a meter that must not move, that it moved is all that is said.
            what = self._as_it_should(meter) if expected > SHOWN_DB else MOVED
        elif key == "H":
            what = base + HIGH_DB
        else:
            below = base - STEP_DB * int(key)
            what = below if below > SHOWN_DB else SILENT
        if self.meter < len(self.bench.rows) - 1:
            self.meter += 1
        self.bench.answer(meter, what)

    def _as_it_should(self, meter: int) -> Seen:
        expected = self.bench.expected(meter)
        return float(round(expected)) if expected > SHOWN_DB else SILENT

    def _leave(self) -> None:
        """What this tap has proven goes into the log."""
        count = self.bench.log_tap()
        if count:
            self.say.emit(f"{count} {'pair' if count == 1 else 'pairs'} proven, and in the log.")

    def act(self, action: str) -> None:
        bench = self.bench
        if bench.model is None or not bench.model.taps:
            return
        if action == "next":
            self._leave()
            ask = bench.diagnosis.next_tap() if bench.diagnosis is not None else None
            if ask is None:
                self.say.emit("Every source was tapped.")
                return
            self.meter = 0
            bench.choose(bench.model.taps[ask[0]].id)
        elif action == "read":
            bench.read()
            self.say.emit("Read from the simulated rig. Enter goes to the next tap.")
        elif action == "plant":
            bench.hide()
            self.say.emit("A fault is hidden. R reads this tap; Enter goes to the one that tells most.")
        elif action == "reveal":
            if bench.hidden:
                self.say.emit(f"It was: {bench.hidden[0].label}. {cure_of(bench.hidden[0])}")
                bench.restart()
            else:
                self.say.emit("No fault is hidden.")
        elif action == "restart":
            bench.restart()
            self.say.emit("Nothing seen yet.")
        self.picture.setFocus()


def _level_of(what: Seen, expected: float) -> float:
    """Where a weight is drawn."""
    if what == SILENT:
        return -math.inf
    if what == MOVED:
        return expected if expected > SHOWN_DB else -12.0
    return float(what)


def _unit(model: object, node: int) -> str:
    return str(model.graph.nodes[node].unit)  # type: ignore[attr-defined]
