"""Prove, ready for air: what is still open of this very show, in the order that saves most risk a minute."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.prove.bench import ProveBench
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.derive import Derived
from kymaphon.core.model.show import LogEntry
from kymaphon.core.report.ready import OpenPoint, open_points, time_words

HEADINGS = ("What is open", "How that is known", "Takes", "Settled on")
HELP = (
    "What has to be done or seen before air",
    "From what in the show it is told",
    "About how long it takes",
    "Where it is settled: Enter goes there, or notes that it was done",
)
CLOCK_MS = 5000


class ReadyPage(StagePage):
    """One row for each open point; Enter goes where it is settled, or notes in the log that it was done.

    Signals:
        wants_place: stage and view in which a point is settled.
    """

    wants_place = Signal(str, str)

    def __init__(self, bench: ProveBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        inside = self.card(1)
        self.table = RowTable(theme, "Open before air", "Enter goes where it is settled, or notes that it was done.")
        self.table.wide = (0, 1)
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.table.opened.connect(lambda _row: self.act("settle"))
        inside.addWidget(self.table)
        self.points: tuple[OpenPoint, ...] = ()
        self._clock = QTimer(self)
        self._clock.setInterval(CLOCK_MS)
        self._clock.timeout.connect(self._tell_time)
        self._clock.start()

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(30 * scale))
        self.table.setMinimumHeight(round(220 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        if self.document.analysis.standing:
            return  # what is open is told by findings too: those are on their way
        self.points = open_points(self.document.analysis)
        rows = [
            Row(
                ("open", point.id),
                (point.title, point.evidence, f"{point.minutes:.1f} min", "noted here" if point.note else point.stage),
                marks=((0, "stop" if point.id == "stops" else "fix"),),
            )
            for point in self.points
        ]
        chosen = self.table.currentIndex().row()
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.table.choose(min(max(chosen, 0), len(rows) - 1))
        self._tell_time()
        self.why_changed.emit()

    def _tell_time(self) -> None:
        if self.isVisible() or not self.points:
            words = time_words(self.points, self.document.show.air_at, datetime.now(UTC))
            self.title.emit("Ready for air", words)

    @property
    def point(self) -> OpenPoint | None:
        """The row that is chosen."""
        place = self.table.currentIndex().row()
        return self.points[place] if 0 <= place < len(self.points) else None

    def why(self) -> WhyContent:
        point = self.point
        if point is None:
            return WhyContent("Ready", hint="Nothing of this show is open, as far as it is computed.")
        settle = Action("settle", "It was done: note it" if point.note else f"Go to {point.stage}", "Enter.")
        worth = Derived(
            "risk saved a minute",
            point.worth,
            "",
            "risk / minutes",
            (Derived("risk, against the others", point.risk, ""), Derived("time", point.minutes, "min")),
            "assumed, in core/data/prove.json",
        )
        return WhyContent(point.title, point.evidence, lines=(worth,), lead=(settle,))

    def act(self, action: str) -> None:
        point = self.point
        if action != "settle" or point is None:
            return
        if point.note:
            entry = LogEntry(at=datetime.now(UTC), text=point.note, subject=point.id)
            self.document.log(entry)
            self.say.emit(f"In the log: {point.note}.")
        else:
            self.wants_place.emit(point.stage, point.view)
