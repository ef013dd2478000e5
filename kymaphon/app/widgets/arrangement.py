"""What goes where in a panel, told anew each time and laid out only where it differs: taking a layout apart costs more than setting texts."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QBoxLayout, QGridLayout, QHBoxLayout, QLayout, QWidget

from kymaphon.app.widgets.reuse import loosen


def _row() -> QHBoxLayout:
    row = QHBoxLayout()
    row.setSpacing(8)
    return row


def _grid() -> QGridLayout:
    grid = QGridLayout()
    grid.setContentsMargins(0, 4, 0, 0)
    grid.setHorizontalSpacing(6)
    grid.setVerticalSpacing(3)
    grid.setColumnStretch(1, 1)
    return grid


class Slot:
    """A layout that is to be: it takes down what is to be added to it, by the names of the toolkit."""

    def __init__(self, told: list[tuple[Any, ...]], number: int) -> None:
        self._told, self.number = told, number

    def addWidget(self, widget: QWidget, *where: Any) -> None:
        self._told.append(("widget", self.number, widget, where))

    def addLayout(self, place: Slot) -> None:
        self._told.append(("layout", self.number, place.number))

    def addSpacing(self, pixels: int) -> None:
        self._told.append(("spacing", self.number, pixels))

    def addStretch(self, share: int) -> None:
        self._told.append(("stretch", self.number, share))


class Arrangement:
    """Lays out the column of a panel.

    Args:
        column: holds all of it.
    """

    def __init__(self, column: QBoxLayout) -> None:
        self._column = column
        self._told: list[tuple[Any, ...]] = []
        self._stands: list[tuple[Any, ...]] = []
        self._count = 0

    def begin(self) -> Slot:
        """The column, to be told anew what is in it."""
        self._told, self._count = [], 0
        return Slot(self._told, 0)

    def row(self) -> Slot:
        """Widgets side by side."""
        return self._made("row")

    def grid(self) -> Slot:
        """Lines of an arrow, a name and a figure."""
        return self._made("grid")

    def _made(self, kind: str) -> Slot:
        self._count += 1
        self._told.append((kind, self._count))
        return Slot(self._told, self._count)

    def end(self) -> bool:
        """Lays out what was told, if anything of it is not where it stands already. Tells whether anything was."""
        if self._told == self._stands:
            return False
        loosen(self._column)
        makers: dict[str, Callable[[], QLayout]] = {"row": _row, "grid": _grid}
        places: dict[int, Any] = {0: self._column}
        for what, number, *rest in self._told:
            if what in makers:
                places[number] = makers[what]()
            elif what == "widget":
                places[number].addWidget(rest[0], *rest[1])
            elif what == "layout":
                places[number].addLayout(places[rest[0]])
            elif what == "spacing":
                places[number].addSpacing(rest[0])
            else:
                places[number].addStretch(rest[0])
        self._stands = self._told
        return True
