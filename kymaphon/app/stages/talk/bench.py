"""What the views of Talk share: the plan of the work and the allotment of the desk, from a worker. Draws nothing."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import cast

from PySide6.QtCore import QObject, Signal

from kymaphon.app.document import Document
from kymaphon.app.worker import Worker
from kymaphon.core.work.allotment import Allotment
from kymaphon.core.work.desk import allot_show, desks_of
from kymaphon.core.work.plan import Drop, WorkPlan, drops, plan_work


@dataclass(frozen=True, eq=False)
class _About:
    """What an answer is of: parts of a show, which are the same when they are the very same, and values beside them.

    The parts are held, so that no other takes their place in memory.
    """

    parts: tuple[object, ...]
    values: tuple[object, ...]

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, _About)
            and self.values == other.values
            and all(a is b for a, b in zip(self.parts, other.parts, strict=True))
        )

    __hash__ = None  # type: ignore[assignment]


class TalkBench(QObject):
    """The circuits, work and desk of the show that is open.

    Signals:
        changed: another plan or another allotment came.

    Attributes:
        plan, late: the work planned, and what to leave out; None until it came.
        allotment: None until it came, or where there is no desk.
        desk: id of the desk that is allotted; empty for the largest.
        spares: channels to be left free; None as usual.
        circuit, party: what is chosen in the matrix, which other views begin with.
    """

    changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.plan: WorkPlan | None = None
        self.late: tuple[Drop, ...] = ()
        self.allotment: Allotment | None = None
        self.desk = ""
        self.spares: int | None = None
        self.circuit = self.party = ""
        self._planned_of: _About | None = None
        self._allotted_of: _About | None = None
        self._planner = Worker(self, self._plan_came, self._failed)
        self._allotter = Worker(self, self._allotment_came, self._failed)

    @property
    def busy(self) -> bool:
        return self._planner.busy or self._allotter.busy

    def now(self) -> datetime:
        """The clock."""
        return datetime.now(UTC)

    def want_plan(self) -> None:
        """Plans the work where it has changed since, or a minute has gone by."""
        report = self.document.analysis
        show = report.show
        minute = self.now().replace(second=0, microsecond=0)
        about = _About(
            (show.tasks, show.crew, show.devices, show.cables, show.lines, show.circuits, show.parties),
            (show.air_at, minute),
        )
        if about == self._planned_of:
            return
        self._planned_of = about
        now = self.now()

        def work() -> tuple[WorkPlan, tuple[Drop, ...]]:
            plan = plan_work(report, now)
            return plan, drops(report, plan)

        self._planner.ask(work, about)

    def _plan_came(self, about: object, result: object) -> None:
        if about is not self._planned_of:
            return
        self.plan, self.late = cast("tuple[WorkPlan, tuple[Drop, ...]]", result)
        self.changed.emit()

    def want_allotment(self) -> None:
        """Allots the desk where what comes to it has changed since."""
        report = self.document.analysis
        rows = desks_of(report)
        if not rows:
            self.allotment, self._allotted_of = None, None
            self.changed.emit()
            return
        chosen = next((row for row in rows if row.id == self.desk), rows[0])
        show = report.show
        about = _About((show.devices, show.cables, show.parties), (chosen.id, self.spares, show.fixed_channels))
        if about == self._allotted_of:
            return
        self._allotted_of = about
        spares = self.spares
        self._allotter.ask(lambda: allot_show(report, chosen, spares=spares), about)

    def _allotment_came(self, about: object, result: object) -> None:
        if about is not self._allotted_of:
            return
        self.allotment = cast("Allotment | None", result)
        self.changed.emit()

    def _failed(self, error: Exception) -> None:
        self._planned_of = self._allotted_of = None
        self.document.trouble.emit(str(error))

    def forget(self) -> None:
        """Another show: nothing of the one before counts."""
        self.plan, self.late, self.allotment = None, (), None
        self._planned_of = self._allotted_of = None
        self.desk, self.spares, self.circuit, self.party = "", None, "", ""
