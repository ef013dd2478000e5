"""A list that is narrowed by typing: used for kinds of the catalogue and for sockets."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.marks import mark_icon
from kymaphon.app.widgets.tips import plain_tip


@dataclass(frozen=True, slots=True)
class PickRow:
    """A line of the list: what it stands for, its words, what is searched beside them, and a mark."""

    value: Any
    words: str
    search: str = ""
    mark: str = ""
    tip: str = ""


class _Line(QLineEdit):
    """Up and down go through the list while the keyboard stays here."""

    stepped = Signal(int)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None:
            self.stepped.emit(step)
            return
        super().keyPressEvent(event)


class PickList(QWidget):
    """A field and a list under it. With `by_name` the shortest name that has the words comes first; without, the order of
    the rows stays.

    Signals:
        changed: another line is the chosen one.
        taken: Enter or a double click on it.
    """

    changed = Signal()
    taken = Signal()

    def __init__(
        self, theme: Theme, name: str, hint: str, parent: QWidget | None = None, *, by_name: bool = False
    ) -> None:
        super().__init__(parent)
        self.theme, self.by_name = theme, by_name
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.field = _Line()
        self.field.setPlaceholderText(hint)
        self.field.setAccessibleName(f"{name}: part of a name")
        self.field.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setAccessibleName(name)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.setFocusProxy(self.field)
        self.field.textChanged.connect(self._filter)
        self.field.stepped.connect(self._step)
        self.field.returnPressed.connect(self.taken)
        self.list.itemDoubleClicked.connect(lambda _item: self.taken.emit())
        self.list.currentRowChanged.connect(lambda _row: self.changed.emit())
        column.addWidget(self.field)
        column.addWidget(self.list, 1)
        self.rows: tuple[PickRow, ...] = ()

    def set_rows(self, rows: tuple[PickRow, ...], chosen: Any = None) -> None:
        """What to choose from; the first is chosen when `chosen` is not there."""
        self.rows = rows
        self._filter(self.field.text(), chosen)

    def value(self) -> Any:
        """What the chosen line stands for; None when none is."""
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def _filter(self, text: str, chosen: Any = None) -> None:
        words = text.lower().split()
        keep = chosen if chosen is not None or words else self.value()
        self.list.blockSignals(True)
        self.list.clear()
        # Those whose very name has the words come before those that are only described by them.
        named = [row for row in self.rows if all(word in row.words.lower() for word in words)]
        if self.by_name and words:
            named.sort(key=lambda row: len(row.words))  # the nearest to what was typed
        rest = [
            row
            for row in self.rows
            if row not in named and all(word in f"{row.words} {row.search}".lower() for word in words)
        ]
        shown = [*named, *rest]
        # What was typed is looked for anew at every key: whole words count, then the order of the rows.
        at = max(range(len(shown)), key=lambda n: (_whole(shown[n], words), -n), default=0)
        at = next((n for n, row in enumerate(shown) if keep is not None and row.value == keep), at)
        for row in shown:
            item = QListWidgetItem(row.words)
            item.setData(Qt.ItemDataRole.UserRole, row.value)
            item.setToolTip(plain_tip(row.tip or row.words))
            if row.mark:
                item.setIcon(mark_icon(row.mark, self.theme))
            self.list.addItem(item)
        if self.list.count():
            self.list.setCurrentRow(at)
        self.list.blockSignals(False)
        self.changed.emit()

    def _step(self, step: int) -> None:
        if self.list.count():
            self.list.setCurrentRow((self.list.currentRow() + step) % self.list.count())


def _whole(row: PickRow, words: list[str]) -> int:
    """How many of the words that were typed are whole words of a row's name."""
    name = re.split(r"\W+", row.words.partition("\u00b7")[0].lower())
    return sum(word in name for word in words)
