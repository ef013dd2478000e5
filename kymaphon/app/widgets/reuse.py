"""Widgets that are used again for the next thing to show: making and styling one anew costs more than setting its text."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable

import shiboken6
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractButton, QLabel, QLayout, QPushButton, QToolButton, QWidget

SPARE = 40
"""So many of one kind are kept hidden for later; what is over goes."""

Press = Callable[[bool], object]


class _Pressed:
    """What a button does now. The connection is made once; what it leads to is exchanged."""

    then: Press | None = None

    def press(self, checked: bool = False) -> None:
        if self.then is not None:
            self.then(checked)


class PushButton(_Pressed, QPushButton):
    """A button that can be given something else to do. Enter presses it too: Space may be a key of the stage beside it."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.isAutoRepeat():
            self.click()
        else:
            super().keyPressEvent(event)


class ArrowButton(_Pressed, QToolButton):
    """An arrow that can be given something else to do."""


class Reused:
    """The widgets of one body, taken anew for each thing that it shows.

    Between `begin` and `end` each part is asked for by its kind; what was not asked for is hidden, and lent later.
    """

    def __init__(self, body: QWidget) -> None:
        self._body = body
        self._free: dict[Hashable, list[QWidget]] = defaultdict(list)
        self._used: list[tuple[Hashable, QWidget]] = []

    def begin(self) -> None:
        """Everything that is on screen may be taken again, first those that were first."""
        spare = self._free
        self._free = defaultdict(list)
        for kind, widget in self._used:
            self._free[kind].append(widget)
        for kind, rows in spare.items():
            self._free[kind].extend(rows)
        self._used = []

    def end(self) -> None:
        """Hides what is not wanted any more, and lets go what is over."""
        for rows in self._free.values():
            for widget in rows:
                if widget.hasFocus():
                    # Hidden, it would hand the keyboard on to whatever comes next, which may do something else.
                    widget.clearFocus()
                widget.hide()
                # A name that the style sheet knows stays: a change of it alone is not styled anew.
                if isinstance(widget, QLabel):
                    widget.clear()
                elif isinstance(widget, PushButton | ArrowButton):
                    widget.setObjectName("")
                    widget.then = None
            for widget in rows[SPARE:]:
                widget.deleteLater()
            del rows[SPARE:]
        self._in_order()

    def _in_order(self) -> None:
        """Who reads the window aloud goes by the order of children: that of the screen."""
        wanted = [widget for _, widget in self._used]
        among = set(wanted)
        if [row for row in self._body.children() if row in among] != wanted:
            for widget in wanted:
                widget.raise_()

    def take(self, kind: Hashable, make: Callable[[], QWidget], name: str = "") -> QWidget:
        """One of a kind: the one of that name if it is there, else any other, else a new one."""
        rows = self._free[kind]
        idle = next((i for i, row in enumerate(rows) if not row.hasFocus()), 0)
        at = next((i for i, row in enumerate(rows) if row.objectName() == name), idle)
        widget = rows.pop(at) if rows else make()
        if widget.parentWidget() is not self._body:
            widget.setParent(self._body)
        if widget.objectName() != name:
            if isinstance(widget, QAbstractButton):
                # Pressed or in focus, it was meant for what it was before.
                widget.setDown(False)
                widget.clearFocus()
            widget.setObjectName(name)
        self._used.append((kind, widget))
        if widget.isHidden():
            widget.show()
        return widget


def loosen(layout: QLayout) -> None:
    """Takes everything out of a layout and of those within it; the widgets stay.

    Their items are deleted here: a box gives them out without an owner, and a widget tells only the first item that
    it was ever given of a new size. One left over would leave the next with the height of an older text.
    """
    while (item := layout.takeAt(0)) is not None:
        inner = item.layout()
        if inner is None:
            shiboken6.delete(item)
        else:
            loosen(inner)
            inner.deleteLater()
