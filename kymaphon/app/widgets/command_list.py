"""The searchable list of everything that the menus hold."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QMenuBar,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.widgets.tips import plain_tip


def commands_of(bar: QMenuBar) -> list[QAction]:
    """Everything that the menus of a bar hold, those that are filled when they are opened too."""
    found: list[QAction] = []

    def collect(menu: QMenu) -> None:
        for row in menu.actions():
            below = row.menu()
            if isinstance(below, QMenu):
                below.aboutToShow.emit()
                collect(below)
            elif not row.isSeparator():
                found.append(row)

    for row in bar.actions():
        below = row.menu()
        if isinstance(below, QMenu):
            collect(below)
    return found


class CommandList(QDialog):
    """Type a few letters, Enter does it.

    Args:
        actions: what can be done.
        also: gives further words for a command by its name, in small letters.
    """

    def __init__(
        self,
        actions: list[QAction],
        parent: QWidget | None = None,
        *,
        also: Callable[[str], str] = lambda _name: "",
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(520, 420)
        column = QVBoxLayout(self)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Type part of a command")
        self.field.setAccessibleName("Part of a command")
        self.field.textChanged.connect(self._filter)
        self.field.returnPressed.connect(self._run)
        self.rows = QListWidget()
        self.rows.setAccessibleName("Commands")
        self.rows.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.rows.itemActivated.connect(lambda _item: self._run())
        column.addWidget(self.field)
        column.addWidget(self.rows)
        self._also = also
        self._actions = [action for action in actions if action.text() and action.isEnabled()]
        self.chosen: QAction | None = None
        self._filter("")

    def _filter(self, text: str) -> None:
        """What is called so first, by whole words before their middles; then what means it: by the trade's words, by what it does."""
        self.rows.clear()
        words = text.lower().split()
        by_words: list[QListWidgetItem] = []
        by_name: list[QListWidgetItem] = []
        by_meaning: list[QListWidgetItem] = []
        for action in self._actions:
            name = action.text().replace("&", "")
            tip = action.statusTip()
            if all(word in name.lower() for word in words):
                keys = action.shortcut().toString()
                # A word that begins so comes before one that has it in its middle: undo before rundown.
                begins = all(f" {word}" in f" {name.lower()}" for word in words)
                (by_words if begins else by_name).append(self._row(action, f"{name}    {keys}" if keys else name))
            elif all(word in f"{name} {self._also(name)} {tip}".lower() for word in words):
                by_meaning.append(self._row(action, f"{name}    {tip}"))
        for item in (*by_words, *by_name, *by_meaning):
            self.rows.addItem(item)
        if self.rows.count():
            self.rows.setCurrentRow(0)
            return
        nothing = QListWidgetItem(f"Nothing in the menus goes by \u201c{text.strip()}\u201d. Try fewer letters.")
        nothing.setFlags(Qt.ItemFlag.NoItemFlags)
        self.rows.addItem(nothing)

    def _row(self, action: QAction, words: str) -> QListWidgetItem:
        item = QListWidgetItem(words)
        item.setData(Qt.ItemDataRole.UserRole, action)
        item.setToolTip(plain_tip(action.statusTip()))
        return item

    def _run(self) -> None:
        item = self.rows.currentItem()
        if item is not None and item.data(Qt.ItemDataRole.UserRole) is not None:
            self.chosen = item.data(Qt.ItemDataRole.UserRole)
            self.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None and self.rows.count():
            self.rows.setCurrentRow((self.rows.currentRow() + step) % self.rows.count())
            return
        super().keyPressEvent(event)
