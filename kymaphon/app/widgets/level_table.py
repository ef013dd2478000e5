"""The ladder as a table: one row for each point."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.ladder import main_knob
from kymaphon.app.widgets.marks import mark_icon
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.core.derive import show_number
from kymaphon.core.graph.ladder import NOISE_NAMES, Rung
from kymaphon.core.model.weights import headroom_wanted

Index = QModelIndex | QPersistentModelIndex
DASH = "\u2013"
NARROWEST = 140
"""The names of points are not made narrower than this, in pixels."""
HEADINGS = ("Point", "Speech", "Peak", "Noise", "Headroom", "Noise from", "Latency", "Gain set")
HELP = (
    "Where the point stands in the chain",
    "Average speech there",
    "Short peaks: average and 12 dB",
    "All noises together",
    "From the peak to clipping",
    "Which noise wins there",
    "How long after it was said it is there",
    "What the device's knob stands at, of how much it has",
)
HEADROOM = 4


class LevelModel(QAbstractTableModel):
    """Rungs as rows of words and figures."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.rungs: tuple[Rung, ...] = ()
        self._cells: list[tuple[str, ...]] = []

    def set_rungs(self, rungs: tuple[Rung, ...], *, faders: bool) -> None:
        """Other rungs, or the same with other levels."""
        cells = [_cells(rung, faders) for rung in rungs]
        same = len(cells) == len(self._cells)
        if not same:
            self.beginResetModel()
        self.rungs, self._cells = rungs, cells
        if not same:
            self.endResetModel()
        elif cells:
            self.dataChanged.emit(self.index(0, 0), self.index(len(cells) - 1, len(HEADINGS) - 1))

    def column(self, column: int) -> list[str]:
        """All texts of a column, the heading with them."""
        return [HEADINGS[column], *(row[column] for row in self._cells)]

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self._cells)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(HEADINGS)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        text = self._cells[index.row()][index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return text
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(text)
        if role == Qt.ItemDataRole.DecorationRole and index.column() == HEADROOM:
            headroom = self.rungs[index.row()].headroom_db
            if headroom is not None and headroom < headroom_wanted("presenter").value:
                return mark_icon("stop" if headroom < 0 else "fix", self.theme)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return HEADINGS[section]
        if role == Qt.ItemDataRole.ToolTipRole:
            return HELP[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        return None


class LevelTable(QTableView):
    """The table. Columns are as wide as their texts; the first takes what is left."""

    chosen = Signal(int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabKeyNavigation(False)  # Tab goes on; the arrows go about in it
        self._quiet = False
        self.levels = LevelModel(theme)
        self.setModel(self.levels)
        self.setAccessibleName("Levels at every point")
        self.setStatusTip("One row for each point of the chain. The picture and the Why panel follow the row.")
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self.horizontalHeader().setHighlightSections(False)

    def set_rungs(self, rungs: tuple[Rung, ...], index: int, *, faders: bool) -> None:
        """What to show, and which row is selected."""
        self._quiet = True
        self.levels.set_rungs(rungs, faders=faders)
        self._fit()
        if rungs:
            self.setCurrentIndex(self.levels.index(index, 0))
        self._quiet = False

    def choose(self, index: int) -> None:
        """Selects a row without saying so."""
        self._quiet = True
        self.setCurrentIndex(self.levels.index(index, 0))
        self._quiet = False

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        if not self._quiet and current.isValid():
            self.chosen.emit(current.row())

    def _fit(self) -> None:
        metrics = self.fontMetrics()
        widths = [
            max(metrics.horizontalAdvance(text) for text in self.levels.column(i)) + 14 for i in range(len(HEADINGS))
        ]
        widths[HEADROOM] += 20
        left = self.viewport().width() - sum(widths)
        # The names give way first: they are whole in their tooltip, and under the picture.
        widths[0] = max(widths[0] + left, NARROWEST)
        for i, width in enumerate(widths):
            if self.columnWidth(i) != width:
                self.setColumnWidth(i, width)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()


def _cells(rung: Rung, faders: bool) -> tuple[str, ...]:
    knob = main_knob(rung, faders=faders)
    gain = (
        DASH if knob is None else show_number(knob.value, "dB", sign=True).removesuffix(" dB") + f" of {knob.highest:g}"
    )
    return (
        rung.label,
        show_number(rung.speech_db, rung.unit),
        show_number(rung.peak_db, rung.unit),
        show_number(rung.noise_total_db, rung.noise_unit) if rung.noise_db else DASH,
        DASH if rung.headroom_db is None else show_number(rung.headroom_db, "dB"),
        NOISE_NAMES.get(rung.loudest_noise, DASH),
        show_number(rung.delay_ms, "ms"),
        gain,
    )
