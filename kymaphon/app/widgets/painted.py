"""What a painted picture is to a screen reader: a list with a child for each thing in it, with name, value and place on screen."""

from __future__ import annotations

from dataclasses import dataclass

import shiboken6
from PySide6.QtCore import QObject, QPoint, QPointF, QRect, QRectF, Qt
from PySide6.QtGui import (
    QAccessible,
    QAccessibleEvent,
    QAccessibleInterface,
    QFocusEvent,
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QPainter,
    QPen,
)
from PySide6.QtWidgets import QAccessibleWidget, QWidget

from kymaphon.app.theme import Theme, font


@dataclass(frozen=True, slots=True)
class Part:
    """One thing in a picture.

    Attributes:
        name: what it is called, never its id.
        value: what it shows, as `-5.2 dBu`.
        box: where it is painted, in the picture's own points.
        chosen: it is the selected one.
    """

    name: str
    value: str
    box: QRectF
    chosen: bool = False


class Painted(QWidget):
    """A picture with parts."""

    theme: Theme

    def parts(self) -> tuple[Part, ...]:
        """What is painted, in the order in which the keyboard goes through it."""
        raise NotImplementedError

    def told(self) -> None:
        """Says to a reader that another part is chosen, or that the chosen one says something else."""
        if not QAccessible.isActive():
            return
        at = next((n for n, part in enumerate(self.parts()) if part.chosen), -1)
        event = QAccessibleEvent(self, QAccessible.Event.Focus if self.hasFocus() else QAccessible.Event.Selection)
        if at >= 0:
            event.setChild(at)
        QAccessible.updateAccessibility(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.told()

    def paint_focus(self, painter: QPainter) -> None:
        """A line around the picture while the keyboard is in it."""
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(self.theme.color("lantern"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), 6, 6)


class Walked(Painted):
    """A picture to be read: Left and Right go from part to part, Home and End to the first and last."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.at = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        count = len(self.parts())
        keys = Qt.Key
        to = {
            keys.Key_Left: self.at - 1,
            keys.Key_Right: self.at + 1,
            keys.Key_Home: 0,
            keys.Key_End: count - 1,
        }.get(keys(event.key()))
        if to is None or not count:
            event.ignore()
            return
        self.walk_to(to)

    def walk_to(self, at: int) -> None:
        """Chooses a part, held to those there are."""
        self.at = max(0, min(at, len(self.parts()) - 1))
        self.update()
        self.told()

    def paint_part(self, painter: QPainter, scale: float) -> None:
        """While the keyboard is in it: what the chosen part says, in words, and a line where it is."""
        part = self.part
        if not self.hasFocus():
            return
        self.paint_focus(painter)
        if part is None:
            return
        painter.setPen(QPen(self.theme.color("lantern"), 1.6))
        x = part.box.center().x()
        painter.drawLine(QPointF(x, part.box.top()), QPointF(x, part.box.bottom()))
        painter.setFont(font(9.5, QFont.Weight.DemiBold, scale))
        metrics = QFontMetricsF(painter.font())
        words = metrics.elidedText(f"{part.name}: {part.value}", Qt.TextElideMode.ElideRight, self.width() - 24)
        wide = metrics.horizontalAdvance(words) + 14
        left = min(max(x - wide / 2, 6.0), self.width() - wide - 6)
        box = QRectF(left, 5, wide, metrics.height() + 6)
        painter.setPen(QPen(self.theme.color("lantern"), 1))
        painter.setBrush(self.theme.color("panel"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(self.theme.color("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    @property
    def part(self) -> Part | None:
        """The chosen part."""
        rows = self.parts()
        return rows[min(self.at, len(rows) - 1)] if rows else None


class _Child(QAccessibleInterface):
    """One part, as a reader asks for it. What it says is looked up in the picture each time: parts come and go."""

    def __init__(self, picture: Painted, at: int) -> None:
        super().__init__()
        self.picture, self.at = picture, at

    def _part(self) -> Part | None:
        if not shiboken6.isValid(self.picture):
            return None
        rows = self.picture.parts()
        return rows[self.at] if self.at < len(rows) else None

    def isValid(self) -> bool:
        return self._part() is not None

    def object(self) -> QObject | None:  # type: ignore[override]
        return None

    def parent(self) -> QAccessibleInterface | None:  # type: ignore[override]
        return QAccessible.queryAccessibleInterface(self.picture) if shiboken6.isValid(self.picture) else None

    def child(self, _index: int) -> QAccessibleInterface | None:  # type: ignore[override]
        return None

    def childAt(self, _x: int, _y: int) -> QAccessibleInterface | None:  # type: ignore[override]
        return None

    def childCount(self) -> int:
        return 0

    def indexOfChild(self, _child: QAccessibleInterface) -> int:
        return -1

    def role(self) -> QAccessible.Role:
        return QAccessible.Role.ListItem

    def state(self) -> QAccessible.State:
        state = QAccessible.State()
        part = self._part()
        if part is None:
            state.invalid = True
            return state
        state.selectable = state.focusable = True
        state.selected = part.chosen
        state.focused = part.chosen and self.picture.hasFocus()
        return state

    def text(self, kind: QAccessible.Text) -> str:
        part = self._part()
        if part is None:
            return ""
        if kind == QAccessible.Text.Name:
            return f"{part.name}, {part.value}" if part.value else part.name
        return part.value if kind in (QAccessible.Text.Value, QAccessible.Text.Description) else ""

    def setText(self, kind: QAccessible.Text, text: str) -> None:
        """Nothing: a picture is not typed into."""

    def rect(self) -> QRect:
        part = self._part()
        if part is None:
            return QRect()
        box = part.box.toAlignedRect().intersected(self.picture.rect())
        return QRect(self.picture.mapToGlobal(box.topLeft()), box.size())


_KEPT: list[_Child] = []
"""Every child that was ever asked for: the reader's side may hold on to it longer than the picture is there."""


class _Picture(QAccessibleWidget):
    """A picture as a reader asks for it."""

    def __init__(self, picture: Painted) -> None:
        super().__init__(picture, QAccessible.Role.List)
        self.picture = picture
        self._children: list[_Child] = []

    def childCount(self) -> int:
        return len(self.picture.parts()) if shiboken6.isValid(self.picture) else 0

    def child(self, index: int) -> QAccessibleInterface | None:  # type: ignore[override]
        if not 0 <= index < self.childCount():
            return None
        while len(self._children) <= index:
            self._children.append(_Child(self.picture, len(self._children)))
            _KEPT.append(self._children[-1])
        return self._children[index]

    def childAt(self, x: int, y: int) -> QAccessibleInterface | None:  # type: ignore[override]
        spot = self.picture.mapFromGlobal(QPoint(x, y)).toPointF()
        at = next((n for n, part in enumerate(self.picture.parts()) if part.box.contains(spot)), -1)
        return self.child(at)

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        return child.at if isinstance(child, _Child) else -1

    def focusChild(self) -> QAccessibleInterface | None:  # type: ignore[override]
        at = next((n for n, part in enumerate(self.picture.parts()) if part.chosen), -1)
        return self.child(at)


def _made(_sort: str, thing: QObject | None) -> QAccessibleInterface | None:
    """What Qt asks for each object that a reader comes to; pictures keep theirs."""
    if not isinstance(thing, Painted):
        return None
    reading = _Picture(thing)
    thing._reading = reading  # type: ignore[attr-defined]
    return reading


_installed = False


def install() -> None:
    """Has readers told of the parts of pictures. Once for the whole program."""
    global _installed
    if not _installed:
        QAccessible.installFactory(_made)
        _installed = True
