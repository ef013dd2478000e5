"""The patch list as a table that is edited in place: ends from lists ordered by fit, adapter, length, label."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import (
    QAbstractItemModel,
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.marks import mark_icon
from kymaphon.app.widgets.tips import plain_tip

Index = QModelIndex | QPersistentModelIndex
HEADINGS = ("Label", "From", "To", "Cable", "Length", "Carries")
FIELDS = ("label", "source", "target", "adapter", "length_m", "")
HELP = (
    "What is written on the cable. F2 or a double click edits.",
    "Where it comes from. F2 or a double click shows other outputs, the best fitting first.",
    "Where it goes. F2 or a double click shows other inputs, the best fitting first; those that do not fit say why.",
    "What is on its two ends. F2 or a double click chooses an adapter.",
    "Metres. F2 or a double click edits; empty: its route on the plan.",
    "The loudest voice's level in it, or why nothing comes.",
)
Options = tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class PatchRow:
    """One cable in words, its ends, and the severity of what is wrong with it."""

    ends: tuple[str, str]
    cells: tuple[str, ...]
    worst: str = ""
    silent: bool = False


class PatchModel(QAbstractTableModel):
    """Rows of cables. An edit is handed on as it was typed; the model changes only when the show has."""

    edited = Signal(object, str, str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.rows: tuple[PatchRow, ...] = ()

    def set_rows(self, rows: tuple[PatchRow, ...]) -> None:
        same = len(rows) == len(self.rows)
        if not same:
            self.beginResetModel()
        self.rows = rows
        if not same:
            self.endResetModel()
        elif rows:
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(HEADINGS) - 1))

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(HEADINGS)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row, column = self.rows[index.row()], index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return row.cells[column]
        if role == Qt.ItemDataRole.EditRole:
            return row.cells[column].removesuffix(" m") if FIELDS[column] == "length_m" else row.cells[column]
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(f"{HEADINGS[column]}: {row.cells[column] or 'nothing yet'}")
        if role == Qt.ItemDataRole.DecorationRole and column == 1 and row.worst:
            return mark_icon(row.worst, self.theme)
        if role == Qt.ItemDataRole.ForegroundRole and column == 5 and row.silent:
            return self.theme.color("fix")
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

    def flags(self, index: Index) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsEditable if FIELDS[index.column()] else flags

    def setData(self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.EditRole or index.row() >= len(self.rows):
            return False
        row = self.rows[index.row()]
        text = str(value).strip()
        if text != str(self.data(index, Qt.ItemDataRole.EditRole)):
            self.edited.emit(row.ends, FIELDS[index.column()], text)
        return True


class PatchDelegate(QStyledItemDelegate):
    """Lists for the ends and the adapter, a line for the rest."""

    def __init__(self, parent: QWidget, options: Callable[[tuple[str, str], str], Options]) -> None:
        super().__init__(parent)
        self._options = options

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        model = index.model()
        field = FIELDS[index.column()]
        if isinstance(model, PatchModel) and field in ("source", "target", "adapter"):
            editor = ChoiceBox(parent)
            for value, words in self._options(model.rows[index.row()].ends, field):
                editor.addItem(words, value)
            editor.setAccessibleName(HEADINGS[index.column()])
            editor.setMinimumContentsLength(12)
            editor.view().setMinimumWidth(420)
            return editor
        line = QLineEdit(parent)
        line.setAccessibleName(HEADINGS[index.column()])
        return line

    def setEditorData(self, editor: QWidget, index: Index) -> None:
        if isinstance(editor, QLineEdit):
            editor.setText(str(index.data(Qt.ItemDataRole.EditRole) or ""))

    def setModelData(self, editor: QWidget, model: QAbstractItemModel, index: Index) -> None:
        if isinstance(editor, ChoiceBox):
            if editor.currentData() is not None:
                model.setData(index, editor.currentData())
        elif isinstance(editor, QLineEdit):
            model.setData(index, editor.text())


class PatchTable(QTableView):
    """The table.

    Signals:
        chosen: the ends of the cable that the user went to.
        removed: of the one that Delete was pressed on.
        edited: ends, field, text.
    """

    chosen = Signal(object)
    removed = Signal(object)
    edited = Signal(object, str, str)

    def __init__(
        self, theme: Theme, options: Callable[[tuple[str, str], str], Options], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setTabKeyNavigation(False)  # Tab goes on; the arrows go about in it
        self._quiet = False
        self.patch = PatchModel(theme)
        self.patch.edited.connect(self.edited)
        self.setModel(self.patch)
        self.setItemDelegate(PatchDelegate(self, options))
        self.setAccessibleName("Patch list")
        self.setStatusTip(
            "Every cable. F2 or a double click edits a cell in place, Delete unplugs; the picture and the Why panel follow the row."
        )
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        triggers = QAbstractItemView.EditTrigger
        self.setEditTriggers(triggers.DoubleClicked | triggers.EditKeyPressed)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self.horizontalHeader().setHighlightSections(False)

    def set_rows(self, rows: tuple[PatchRow, ...]) -> None:
        """What to show; the selection stays where it is."""
        self._quiet = True
        self.patch.set_rows(rows)
        self._fit()
        self._quiet = False

    def choose(self, ends: tuple[str, str] | None) -> None:
        """Selects a cable without saying so; none when it is not there."""
        row = next((k for k, row in enumerate(self.patch.rows) if row.ends == ends), -1)
        self._quiet = True
        if row < 0:
            self.clearSelection()
            self.setCurrentIndex(QModelIndex())
        elif self.currentIndex().row() != row:
            self.setCurrentIndex(self.patch.index(row, max(self.currentIndex().column(), 0)))
            self.scrollTo(self.currentIndex())
        self._quiet = False

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        if not self._quiet and current.isValid() and current.row() < len(self.patch.rows):
            self.chosen.emit(self.patch.rows[current.row()].ends)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        row = self.currentIndex().row()
        editing = self.state() == QAbstractItemView.State.EditingState
        if event.key() == Qt.Key.Key_Delete and 0 <= row < len(self.patch.rows) and not editing:
            self.removed.emit(self.patch.rows[row].ends)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and row >= 0 and not editing:
            self.edit(self.currentIndex())
        else:
            super().keyPressEvent(event)

    def _fit(self) -> None:
        metrics = self.fontMetrics()
        widths = []
        for column, heading in enumerate(HEADINGS):
            texts = [heading, *(row.cells[column] for row in self.patch.rows[:400])]
            widths.append(max(metrics.horizontalAdvance(text) for text in texts) + 16 + (20 if column == 1 else 0))
        room = self.viewport().width()
        while sum(widths) > room:
            longest = max(range(len(widths)), key=widths.__getitem__)
            if widths[longest] <= 90:
                break
            widths[longest] = max(90, widths[longest] - max(8, (sum(widths) - room) // 3))
        spare = max(0, room - sum(widths)) // len(widths)
        for column, width in enumerate(widths):
            self.setColumnWidth(column, width + spare)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()
        if self.currentIndex().isValid():
            self.scrollTo(self.currentIndex())
