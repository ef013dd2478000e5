"""People by circuits as a table: a wedge for who may speak, arcs for who hears, dotted where nothing comes."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QKeyEvent, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.app.widgets.matrix import VoiceHeader
from kymaphon.app.widgets.tips import plain_tip

Index = QModelIndex | QPersistentModelIndex
CELL_ROLE = Qt.ItemDataRole.UserRole + 1
MARK_ROLE = Qt.ItemDataRole.UserRole + 2
NARROWEST = 112
"""A cell's width at usual text size: wedge, arcs and a word."""


@dataclass(frozen=True, slots=True)
class TalkCell:
    """One person on one circuit.

    Attributes:
        speaks, hears: whether they may.
        heard_by: to so many of the others somebody's words come from them; None where they do not speak.
        comes: "good", "fair", "poor", "none", "outside" or "howls"; empty where they do not hear.
        word: what there is to know beside: keyed, latches, lazy, lamp.
        severity: the worst that is wrong here, or empty.
        told: all of it in words.
    """

    speaks: bool = False
    hears: bool = False
    heard_by: int | None = None
    comes: str = ""
    word: str = ""
    severity: str = ""
    told: str = ""


@dataclass(frozen=True, slots=True)
class TalkRow:
    """One person: name, where they are, the worst that is wrong with them, and their cells by circuit."""

    party: str
    name: str
    place: str
    severity: str
    cells: tuple[TalkCell, ...]


class TalkMatrixModel(QAbstractTableModel):
    """Rows of people; the first column is where they are."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[TalkRow, ...] = ()
        self.circuits: tuple[tuple[str, str], ...] = ()

    def set_rows(self, circuits: tuple[tuple[str, str], ...], rows: tuple[TalkRow, ...]) -> None:
        """Other people or circuits, or the same as they stand now; (id, name) of each circuit."""
        same = [row.party for row in rows] == [row.party for row in self.rows] and circuits == self.circuits
        if not same:
            self.beginResetModel()
        self.rows, self.circuits = rows, circuits
        if not same:
            self.endResetModel()
        elif rows:
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(circuits)))

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.rows)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.circuits) + 1 if self.rows else 0

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.rows[index.row()]
        if index.column() == 0:
            if role == MARK_ROLE:
                return row.severity
            return row.place if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole) else None
        cell = row.cells[index.column() - 1]
        if role == CELL_ROLE:
            return cell
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(cell.told)
        if role in (Qt.ItemDataRole.StatusTipRole, Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.DisplayRole):
            return cell.told
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Vertical:
            return self.rows[section].name
        return "" if section == 0 else self.circuits[section - 1][1]


class CircuitHeader(VoiceHeader):
    """Names of the circuits over bars of their hues; the first column, where people are, has none."""

    def paintSection(self, painter: QPainter, rect: object, index: int) -> None:
        if index:
            super().paintSection(painter, rect, index)  # type: ignore[arg-type]


class TalkDelegate(QStyledItemDelegate):
    """Paints a cell."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(round(NARROWEST * self.scale), round(32 * self.scale))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setBrush(self.theme.color("raised"))
            painter.setPen(QPen(self.theme.color("lantern"), 2))
            painter.drawRoundedRect(box.adjusted(2, 2, -2, -2), 5, 5)
        cell = index.data(CELL_ROLE)
        if isinstance(cell, TalkCell):
            self._cell(painter, box, cell, self.theme.party(index.column()))
        else:
            self._place(painter, box, str(index.data()), str(index.data(MARK_ROLE) or ""))
        painter.restore()

    def _place(self, painter: QPainter, box: QRectF, text: str, severity: str) -> None:
        left = box.left() + 4
        if severity:
            draw_mark(painter, QRectF(left, box.center().y() - 6, 12, 12), severity, self.theme)
        painter.setFont(font(9, QFont.Weight.Normal, self.scale))
        painter.setPen(self.theme.color("muted"))
        room = QRectF(left + 18, box.top(), box.width() - 22, box.height())
        words = QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, words)

    def _cell(self, painter: QPainter, box: QRectF, cell: TalkCell, hue: QColor) -> None:
        at = QPointF(box.left() + 8, box.center().y())
        if cell.speaks:
            self._wedge(painter, at, hue, cell.heard_by)
        at = QPointF(box.left() + 30, box.center().y())
        if cell.hears:
            self._arcs(painter, at, hue, cell)
        word = cell.word
        if cell.hears and cell.comes == "none":
            word = "no path"
        elif cell.hears and cell.comes == "howls":
            word = "howls"
        left = box.left() + (52 if cell.speaks or cell.hears else 8)
        if cell.severity:
            draw_mark(painter, QRectF(left, box.center().y() - 6, 12, 12), cell.severity, self.theme)
            left += 16
        if not word:
            return
        painter.setPen(self.theme.color(cell.severity if cell.severity in ("stop", "fix") else "muted"))
        painter.setFont(font(9, QFont.Weight.DemiBold if cell.severity else QFont.Weight.Normal, self.scale))
        room = QRectF(left, box.top(), box.right() - left - 2, box.height())
        text = QFontMetricsF(painter.font()).elidedText(word, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)

    def _wedge(self, painter: QPainter, at: QPointF, hue: QColor, heard_by: int | None) -> None:
        """Filled where somebody hears it, a line round nothing where nobody does."""
        painter.setPen(QPen(hue, 1.6))
        painter.setBrush(hue if heard_by else Qt.BrushStyle.NoBrush)
        painter.drawPolygon([at + QPointF(0, -5.5), at + QPointF(12, 0), at + QPointF(0, 5.5)])

    def _arcs(self, painter: QPainter, at: QPointF, hue: QColor, cell: TalkCell) -> None:
        """Two arcs where it is followed well, one where it is just followed, dotted where it is not."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if cell.comes == "outside":
            painter.setPen(QPen(hue, 2))
            painter.drawRoundedRect(QRectF(at.x(), at.y() - 6, 7, 12), 2, 2)
            painter.drawLine(at + QPointF(2, 3.5), at + QPointF(5, 3.5))
            return
        bad = cell.comes in ("none", "poor", "howls")
        ink = self.theme.color("stop" if cell.comes != "poor" else "fix") if bad else hue
        pen = QPen(ink, 2, Qt.PenStyle.DotLine if bad else Qt.PenStyle.SolidLine)
        painter.setPen(pen)
        painter.drawArc(QRectF(at.x() - 8, at.y() - 6, 12, 12), -60 * 16, 120 * 16)
        if cell.comes == "fair":
            return
        painter.drawArc(QRectF(at.x() - 11, at.y() - 10, 20, 20), -55 * 16, 110 * 16)


class TalkMatrix(QTableView):
    """The table.

    Signals:
        cell_chosen: party and circuit that the user went to; the circuit is empty in the first column.
        switched: the next of hears, both, speaks, neither is wanted here (Space).
        opened: the form of this place is wanted (Enter, double click).
        taken_off: Delete was pressed here.
    """

    cell_chosen = Signal(str, str)
    switched = Signal(str, str)
    opened = Signal(str, str)
    taken_off = Signal(str, str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabKeyNavigation(False)  # Tab goes on; the arrows go about in it
        self._quiet = False
        self.people = TalkMatrixModel()
        self.setModel(self.people)
        self.delegate = TalkDelegate(theme, self)
        self.setItemDelegate(self.delegate)
        self.setShowGrid(False)
        self.setMouseTracking(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setAccessibleName("Who can tell whom: people down, circuits across")
        self.names = CircuitHeader(theme, self)
        self.setHorizontalHeader(self.names)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.verticalHeader().setMinimumWidth(104)
        for header in (self.horizontalHeader(), self.verticalHeader()):
            header.setSectionsClickable(False)
            header.setHighlightSections(False)
        self.doubleClicked.connect(lambda index: self.opened.emit(*self.here(index)))

    def here(self, index: Index | None = None) -> tuple[str, str]:
        """Party and circuit of a cell, of the current one where none is given; empty where there is none."""
        index = self.currentIndex() if index is None else index
        if not index.isValid() or index.row() >= len(self.people.rows):
            return "", ""
        column = index.column() - 1
        circuit = self.people.circuits[column][0] if 0 <= column < len(self.people.circuits) else ""
        return self.people.rows[index.row()].party, circuit

    def choose(self, party: str, circuit: str) -> None:
        """Goes to a cell without saying so; stays where it is when there is no such cell."""
        rows = [row.party for row in self.people.rows]
        columns = [name for name, _ in self.people.circuits]
        if party not in rows:
            return
        self._quiet = True
        column = columns.index(circuit) + 1 if circuit in columns else 0
        self.setCurrentIndex(self.people.index(rows.index(party), column))
        self._quiet = False

    def set_scale(self, scale: float) -> None:
        self.delegate.scale = self.names.scale = scale
        self.fit()

    def fit(self) -> None:
        """Rows as high as there is room for, columns as wide, within reason."""
        scale = self.delegate.scale
        least = round(26 * scale)
        rows = max(self.people.rowCount(), 1)
        self.verticalHeader().setDefaultSectionSize(
            max(least, min(self.viewport().height() // rows, round(least * 1.4)))
        )
        columns = len(self.people.circuits)
        if not columns:
            return
        first = round(118 * scale)
        each = max(round(NARROWEST * scale), (self.viewport().width() - first) // columns)
        self.setColumnWidth(0, first)
        for column in range(columns):
            self.setColumnWidth(column + 1, min(each, round(240 * scale)))

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        if not self._quiet and current.isValid():
            self.cell_chosen.emit(*self.here(current))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        here = self.here()
        if here[0] and event.key() == Qt.Key.Key_Space:
            self.switched.emit(*here)
        elif here[0] and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit(*here)
        elif here[0] and event.key() == Qt.Key.Key_Delete:
            self.taken_off.emit(*here)
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit()
