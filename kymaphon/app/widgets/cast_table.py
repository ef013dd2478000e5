"""Microphones and their parties as a table, and the bleed matrix of sources by microphones."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QKeyEvent, QPainter, QPixmap, QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.marks import mark_icon
from kymaphon.app.widgets.tips import plain_tip

Index = QModelIndex | QPersistentModelIndex
DASH = "\u2013"
NARROWEST = 90
"""No column of words is made narrower than this, in pixels."""
AIR = 10
"""Pixels above and below the words of a row that grows, together."""
Key = tuple[str, str]


@dataclass(frozen=True, slots=True)
class Row:
    """One row of words.

    Attributes:
        key: the thing that it stands for.
        hue: number of its party's hue; -1 for none.
        marks: severity for a column, by position.
    """

    key: Key
    cells: tuple[str, ...]
    hue: int = -1
    marks: tuple[tuple[int, str], ...] = ()


def dot_icon(color: QColor, size: int = 14) -> QIcon:
    """A party's dot."""
    pixmap = QPixmap(size * 2, size * 2)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(QColor(0, 0, 0, 0))
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    painter.drawEllipse(3, 3, size - 6, size - 6)
    painter.end()
    icon = QIcon(pixmap)
    icon.addPixmap(pixmap, QIcon.Mode.Selected)
    return icon


class RowModel(QAbstractTableModel):
    """Rows of words under headings, each with its explanation."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.headings: tuple[str, ...] = ()
        self.help: tuple[str, ...] = ()
        self.rows: tuple[Row, ...] = ()

    def set_rows(self, headings: tuple[str, ...], help_: tuple[str, ...], rows: tuple[Row, ...]) -> None:
        """Other rows, or the same with other words."""
        same = headings == self.headings and len(rows) == len(self.rows)
        if not same:
            self.beginResetModel()
        self.headings, self.help, self.rows = headings, help_, rows
        if not same:
            self.endResetModel()
        elif rows and headings:
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(headings) - 1))

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.rows)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.headings)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row, column = self.rows[index.row()], index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return row.cells[column]
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(f"{self.headings[column]}: {row.cells[column]}")
        if role == Qt.ItemDataRole.DecorationRole:
            found = dict(row.marks).get(column)
            if found:
                return mark_icon(found, self.theme)
            if column == 0 and row.hue >= 0:
                return dot_icon(self.theme.party(row.hue))
        if role == Qt.ItemDataRole.ForegroundRole and row.cells[column] == DASH:
            return self.theme.color("muted")
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation != Qt.Orientation.Horizontal or section >= len(self.headings):
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self.headings[section]
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(self.help[section] if section < len(self.help) else self.headings[section])
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        return None


class RowTable(QTableView):
    """A quiet table: columns as wide as their words, what is left shared out; `spare` columns give way when it is narrow,
    `wide` ones share what is left and wrap.

    Signals:
        chosen: the row and column that the user went to.
        opened: the row that was double-clicked, or that Enter was pressed on.
        removed: the row that Delete was pressed on.
    """

    chosen = Signal(int, int)
    opened = Signal(int)
    removed = Signal(int)

    def __init__(
        self, theme: Theme, name: str, tip: str, *, cells: bool = False, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setTabKeyNavigation(False)  # Tab goes on; the arrows go about in it
        self._quiet = self._grows = False
        self.spare: tuple[int, ...] = ()
        self.wide: tuple[int, ...] = ()
        self.words = RowModel(theme)
        self.setModel(self.words)
        self.setAccessibleName(name)
        self.setStatusTip(tip)
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setWordWrap(False)
        behaviour = QAbstractItemView.SelectionBehavior
        self.setSelectionBehavior(behaviour.SelectItems if cells else behaviour.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self.horizontalHeader().setHighlightSections(False)
        self.doubleClicked.connect(lambda index: self.opened.emit(index.row()))

    def set_rows(self, headings: tuple[str, ...], help_: tuple[str, ...], rows: tuple[Row, ...]) -> None:
        """What to show; the selection stays where it is."""
        self._quiet = True
        self.words.set_rows(headings, help_, rows)
        self._fit()
        self._quiet = False

    def let_grow(self, *wide: int) -> None:
        """Lets long words in some columns wrap, and rows grow with them, so that nothing is cut."""
        self.wide, self._grows = wide, True
        self.setWordWrap(True)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)

    def sizeHintForRow(self, row: int) -> int:
        return super().sizeHintForRow(row) + (AIR if self._grows else 0)

    def choose(self, row: int, column: int = 0) -> None:
        """Selects a cell without saying so; none when the row is negative."""
        self._quiet = True
        if row < 0:
            self.clearSelection()
            self.setCurrentIndex(QModelIndex())
        else:
            self.setCurrentIndex(self.words.index(row, column))
        self._quiet = False

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        if not self._quiet and current.isValid():
            self.chosen.emit(current.row(), current.column())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        row = self.currentIndex().row()
        if row >= 0 and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit(row)
        elif row >= 0 and event.key() == Qt.Key.Key_Delete:
            self.removed.emit(row)
        else:
            super().keyPressEvent(event)

    def fitting_height(self) -> int:
        """As tall as its rows need."""
        rows = max(len(self.words.rows), 1) * self.verticalHeader().defaultSectionSize()
        return self.horizontalHeader().sizeHint().height() + rows + 14

    def _fit(self) -> None:
        metrics = self.fontMetrics()
        widths = []
        for column, heading in enumerate(self.words.headings):
            texts = [heading, *(row.cells[column] for row in self.words.rows)]
            marked = any(dict(row.marks).get(column) for row in self.words.rows) or (
                column == 0 and any(row.hue >= 0 for row in self.words.rows)
            )
            widths.append(max(metrics.horizontalAdvance(text) for text in texts) + 14 + 20 * marked)
        if not widths:
            return
        if self.wide:
            # Long words share what the others leave, and go on in a second line.
            rest = sum(width for column, width in enumerate(widths) if column not in self.wide)
            part = max(NARROWEST, (self.viewport().width() - rest) // len(self.wide))
            for column, width in enumerate(widths):
                self.setColumnWidth(column, part if column in self.wide else width)
            return
        room = self.width() - 2 * self.frameWidth() - self.verticalScrollBar().sizeHint().width()
        for column in self.spare:
            # What does not fit is left to the Why panel, the least wanted first.
            if column < len(widths) and sum(widths) - max(0, max(widths) - NARROWEST) > room:
                widths[column] = 0
        for column, width in enumerate(widths):
            if self.isColumnHidden(column) != (width == 0):
                self.setColumnHidden(column, width == 0)
        left = self.viewport().width() - sum(widths)
        share = max(0, left) // len(widths)
        if left < 0:
            # The longest words give way: they are cut with dots, and whole in their tooltip.
            longest = max(range(len(widths)), key=widths.__getitem__)
            widths[longest] = max(widths[longest] + left, NARROWEST)
        for column, width in enumerate(widths):
            if width and self.columnWidth(column) != width + share:
                self.setColumnWidth(column, width + share)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()


def known(value: float) -> bool:
    """Whether a figure can be shown at all."""
    return not (math.isnan(value) or math.isinf(value))
