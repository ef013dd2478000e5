"""What the views of Prove share: the rig as it is to be proven, what was seen so far, and what explains it. Draws nothing."""

from __future__ import annotations

import random
from datetime import UTC, datetime
from typing import cast

from PySide6.QtCore import QObject, Signal

from kymaphon.app.document import Document
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import LogEntry
from kymaphon.core.prove.diagnosis import Diagnosis, Observations, Seen, diagnose
from kymaphon.core.prove.faults import Fault
from kymaphon.core.prove.model import TapModel, tap_model
from kymaphon.core.prove.proven import PairProof, newly_proven, proofs
from kymaphon.core.report.prove import must_move, must_not_move, read_by

SAME_DB = 1.0
"""What was seen stays seen where the plan of it changed by less."""


class ProveBench(QObject):
    """The tap test of the show that is open. Analyses and diagnoses come from a worker.

    Signals:
        changed: another tap, another answer, or another diagnosis.
    """

    changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.model: TapModel | None = None
        self.diagnosis: Diagnosis | None = None
        self.problem = ""
        self.tap = ""
        self.seen: dict[tuple[str, str], Seen] = {}
        """(tap, meter) -> what was seen, by their ids: an edit may add to either."""
        self.order: list[tuple[str, str]] = []
        self.simulated: set[tuple[str, str]] = set()
        """Of what was seen what a simulated rig has shown: it proves nothing of the real one."""
        self.hidden: tuple[Fault, ...] = ()
        self._of: Report | None = None
        self._planned: dict[tuple[str, str], float] = {}
        self._worker = Worker(self, self._arrived, self._failed)

    @property
    def busy(self) -> bool:
        """Whether a diagnosis is on its way."""
        return self._worker.busy

    # the rig

    def follow(self) -> None:
        """Takes over what the document has computed."""
        report = self.document.analysis
        if report is self._of or report.standing:
            return
        if self._of is not None and report.graph is self._of.graph and self.model is not None:
            self._of = report  # a line of the log, a title: nothing to prove anew
            self.changed.emit()
            return
        self._of = report
        self._ask(report)

    def _ask(self, report: Report | None = None) -> None:
        model, seen = self.model, dict(self.seen)

        def work() -> tuple[TapModel, Diagnosis]:
            rig = tap_model(report) if report is not None else model
            assert rig is not None
            return rig, diagnose(rig, numbered(rig, seen))

        self._worker.ask(work, (report, seen))

    def _arrived(self, about: object, result: object) -> None:
        report, seen = cast("tuple[Report | None, dict[tuple[str, str], Seen]]", about)
        model, diagnosis = cast("tuple[TapModel, Diagnosis]", result)
        if report is not None and report is not self._of:
            return
        if report is not None:
            self._forget_what_changed(model)
        self.model, self.problem = model, ""
        self.diagnosis = diagnosis
        if seen != self.seen:
            self._ask()
        taps = [row.id for row in model.taps]
        if self.tap not in taps:
            ask = diagnosis.next_tap()
            self.tap = taps[ask[0]] if ask is not None else taps[0] if taps else ""
        self.changed.emit()

    def _failed(self, error: Exception) -> None:
        self.model, self.diagnosis, self.problem = None, None, str(error)
        self.changed.emit()

    def _forget_what_changed(self, model: TapModel) -> None:
        """What was seen of a way that an edit has changed is no longer about this rig."""
        planned = {
            (tap.id, meter.id): float(model.planned_db[k, n])
            for k, tap in enumerate(model.taps)
            for n, meter in enumerate(model.meters)
        }
        before = self._planned
        kept = {
            cell: what
            for cell, what in self.seen.items()
            if cell in planned and _same(planned[cell], before.get(cell, planned[cell]))
        }
        self.seen, self._planned = kept, planned
        self.order = [cell for cell in self.order if cell in kept]
        self.hidden = tuple(row for row in model.faults if row.id in {old.id for old in self.hidden})

    # taps and answers

    @property
    def place(self) -> int:
        """The tap's place in the model."""
        assert self.model is not None
        return next((k for k, row in enumerate(self.model.taps) if row.id == self.tap), 0)

    @property
    def rows(self) -> list[int]:
        """The meters that this tap is looked at on: those that it must move, then those that it must not."""
        if self.model is None or not self.model.taps:
            return []
        return must_move(self.model, self.place) + must_not_move(self.model, self.place)

    def expected(self, meter: int) -> float:
        """What a meter should show of this tap, below its mark; -inf for silent."""
        assert self.model is not None
        return float(self.model.planned[self.place, meter])

    def answer_of(self, meter: int) -> Seen | None:
        """What was seen of this tap."""
        assert self.model is not None
        return self.seen.get((self.tap, self.model.meters[meter].id))

    def answer(self, meter: int, what: Seen) -> None:
        """Something seen; the ranking follows."""
        self.answer_all({meter: what})

    def answer_all(self, rows: dict[int, Seen]) -> None:
        """Several at once."""
        assert self.model is not None
        for meter, what in rows.items():
            cell = self.tap, self.model.meters[meter].id
            self.seen[cell] = what
            self.simulated.discard(cell)
            self.order = [row for row in self.order if row != cell] + [cell]
        self._ask()
        self.changed.emit()

    def take_back(self) -> tuple[str, str] | None:
        """The last answer, no longer; what it was of."""
        if not self.order:
            return None
        cell = self.order.pop()
        del self.seen[cell]
        self.tap = cell[0]
        self._ask()
        self.changed.emit()
        return cell

    def choose(self, tap: str) -> None:
        """Another source."""
        self.tap = tap
        self.changed.emit()

    def restart(self) -> None:
        """Nothing seen."""
        self.seen, self.order, self.hidden, self.simulated = {}, [], (), set()
        self._ask()
        self.changed.emit()

    def read(self) -> None:
        """This tap as the simulated rig shows it."""
        assert self.model is not None
        seen = read_by(self.model, self.hidden, self.place)
        self.answer_all({meter: what for (_, meter), what in seen.items()})
        self.simulated |= {(self.tap, self.model.meters[meter].id) for _, meter in seen}

    def hide(self, faults: tuple[Fault, ...] = ()) -> None:
        """Hides faults in the simulated rig; without any one that tapping can find."""
        assert self.model is not None
        self.seen, self.order, self.simulated = {}, [], set()
        self.hidden = faults or (random.choice([row.faults[0] for row in self.model.suspects]),)
        self._ask()
        self.changed.emit()

    # what is proven

    @property
    def proofs(self) -> tuple[PairProof, ...]:
        """How far every wanted pair is proven."""
        return proofs(self.document.analysis)

    def log_tap(self) -> int:
        """Writes into the log which pairs this tap has proven; how many. What a simulated rig shows proves nothing."""
        if self.model is None or self.hidden:
            return 0
        report = self.document.analysis
        tap = self.place
        real = {cell: what for cell, what in self.seen.items() if cell not in self.simulated}
        seen: Observations = {cell: what for cell, what in numbered(self.model, real).items() if cell[0] == tap}
        known = {(row.listener, row.voice): row.proven for row in proofs(report) if row.holds}
        rows = tuple(
            row for row in newly_proven(report, self.model, seen) if known.get((row.listener, row.voice)) != row
        )
        if rows:
            name = self.model.taps[tap].name
            text = f"Tapped {name}: {len(rows)} {'pair' if len(rows) == 1 else 'pairs'} as wanted"
            entry = LogEntry(at=datetime.now(UTC), text=text, subject=self.model.taps[tap].id, proven=rows)
            self.document.log(entry)
        return len(rows)


def numbered(model: TapModel, seen: dict[tuple[str, str], Seen]) -> Observations:
    """Observations by places instead of ids; what is not in the model any more is left out."""
    taps = {row.id: k for k, row in enumerate(model.taps)}
    meters = {row.id: n for n, row in enumerate(model.meters)}
    return {(taps[t], meters[m]): what for (t, m), what in seen.items() if t in taps and m in meters}


def _same(one: float, other: float) -> bool:
    return one == other or abs(one - other) < SAME_DB
