"""The head of Rig: two buttons, the search, and a chip for each place."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QLineEdit, QPushButton, QWidget

from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import empty
from kymaphon.core.model.show import Show

BUTTONS = (
    ("add", "Add\u2026", "Adds something from the catalogue (Ctrl+D)."),
    ("plug", "Plug\u2026", "Plugs a cable from the selected device (Ctrl+J)."),
)


class RigHead(QObject):
    """Makes the buttons, and says what was pressed or typed.

    Signals:
        wanted: name of a command.
        fold: id of a place that is to be one box, or no longer.
        find: what is searched, and whether to go on to the next.
    """

    wanted = Signal(str)
    fold = Signal(str)
    find = Signal(str, bool)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.chips = FlowLayout()
        self.buttons: list[QPushButton] = []
        for name, words, tip in BUTTONS:
            button = QPushButton(words)
            button.setObjectName(f"rig {name}")
            button.setToolTip(tip)
            button.setStatusTip(tip)
            button.clicked.connect(lambda _checked=False, name=name: self.wanted.emit(name))
            self.buttons.append(button)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find a device or socket")
        self.search.setAccessibleName("Find in the rig")
        self.search.setStatusTip("Goes to devices, kinds and sockets as you type; Enter goes to the next.")
        self.search.setClearButtonEnabled(True)
        self.search.setFixedWidth(190)
        self.search.textChanged.connect(lambda text: self.find.emit(text, False))
        self.search.returnPressed.connect(lambda: self.find.emit(self.search.text(), True))
        self._places: tuple[tuple[str, str], ...] | None = None
        self._folds: dict[str, QPushButton] = {}

    def show_places(self, show: Show, collapsed: frozenset[str]) -> None:
        """A chip for each place that has devices: pressed, the place is one box."""
        used = {device.place for device in show.devices}
        rows = tuple((place.id, place.name) for place in show.places if place.id in used)
        if rows != self._places:
            self._make(rows)
        for name, chip in self._folds.items():
            chip.setChecked(name in collapsed)

    def _make(self, rows: tuple[tuple[str, str], ...]) -> None:
        self._places, self._folds = rows, {}
        for widget in (*self.buttons, self.search):
            widget.setParent(None)
        empty(self.chips)
        for button in self.buttons:
            self.chips.addWidget(button)
        self.chips.addWidget(self.search)
        for name, words in rows:
            chip = QPushButton(words)
            chip.setProperty("role", "chip")
            chip.setCheckable(True)
            chip.setObjectName(f"fold {name}")
            tip = f"Collapses {words} into one box, and opens it again."
            chip.setToolTip(plain_tip(tip))
            chip.setStatusTip(tip)
            chip.clicked.connect(lambda _checked=False, name=name: self.fold.emit(name))
            self.chips.addWidget(chip)
            self._folds[name] = chip
        for widget in (*self.buttons, self.search):
            widget.show()
