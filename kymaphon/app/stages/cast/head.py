"""The head of Cast: a chip for each place, and the menu of what can be added."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from kymaphon.app.stages.cast.view import mark, worst_in_place
from kymaphon.app.stages.cast.words import CAST_COMMANDS
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import empty, label
from kymaphon.core.analysis.report import Report

ELSEWHERE = " elsewhere"
"""Stands for those without a place; no id can begin with a space."""


class CastHead(QObject):
    """Makes the chips and buttons, and says what was pressed.

    Signals:
        place: id of a place, or `ELSEWHERE`.
        wanted: name of one of `CAST_COMMANDS`.
    """

    place = Signal(str)
    wanted = Signal(str)

    def __init__(self, parent: QWidget, theme: Theme, head: QHBoxLayout) -> None:
        super().__init__(parent)
        self.theme = theme
        self.chip_row = FlowLayout()
        self._chips = QButtonGroup(self)
        self._chips.setExclusive(True)
        self.add = QPushButton("Add\u2026")
        self.add.setObjectName("add")
        tip = "Adds somebody, a microphone, a loudspeaker, a noise, a surface or a place; your own kinds."
        self.add.setToolTip(tip)
        self.add.setStatusTip(tip)
        self.menu = QMenu(self.add)
        for name, words, row_tip, _ in CAST_COMMANDS:
            if name == "edit-place":
                self.menu.addSeparator()
            action = QAction(_short(words), self)
            action.setStatusTip(row_tip)
            action.triggered.connect(lambda _checked=False, name=name: self.wanted.emit(name))
            self.menu.addAction(action)
        self.add.setMenu(self.menu)
        head.addWidget(self.add)

    def show_places(self, analysis: Report, chosen: str) -> None:
        """A chip for each place, and one for those without."""
        rows = [(place.id, place.name) for place in analysis.show.places]
        if any(party.place is None for party in analysis.show.parties):
            rows.append((ELSEWHERE, "Elsewhere"))
        if [button.objectName() for button in self._chips.buttons()] != [f"place {name}" for name, _ in rows]:
            self._make([name for name, _ in rows])
        for button, (name, words) in zip(self._chips.buttons(), rows, strict=True):
            worst = worst_in_place(analysis, name)
            button.setText(words)
            button.setChecked(name == chosen)
            button.setIcon(mark(worst or "tick", self.theme))
            button.setToolTip(
                plain_tip(f"The plan of {words}") if name != ELSEWHERE else "Who takes part without a place on a plan"
            )
            button.setAccessibleName(f"{words}, {worst or 'settled'}")

    def _make(self, names: list[str]) -> None:
        empty(self.chip_row)
        for button in self._chips.buttons():
            self._chips.removeButton(button)
        for name in names:
            button = QPushButton()
            button.setProperty("role", "chip")
            button.setCheckable(True)
            button.setObjectName(f"place {name}")
            button.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
            button.clicked.connect(lambda _checked=False, name=name: self.place.emit(name))
            self._chips.addButton(button)
            self.chip_row.addWidget(button)


def _short(words: str) -> str:
    """A command's words under a button that already says Add."""
    text = words.removeprefix("Add a ").removeprefix("Add ")
    letter = 1 if text.startswith("&") else 0
    return text[:letter] + text[letter].upper() + text[letter + 1 :]


def first_steps(steps: tuple[str, ...]) -> QWidget:
    """What to do first, numbered, for a show without places."""
    whole = QWidget()
    column = QVBoxLayout(whole)
    column.setContentsMargins(0, 24, 0, 0)
    for n, words in enumerate(steps, start=1):
        line = label(f"{n}.  {words}")
        line.setMaximumWidth(620)
        column.addWidget(line)
    column.addStretch(1)
    return whole
