"""Buttons of which one is down: the views of a stage."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget


def view_buttons(
    parent: QWidget,
    head: QHBoxLayout,
    views: Iterable[tuple[str, str, str]],
    chosen: Callable[[str], object],
    *,
    keys: bool = False,
) -> QButtonGroup:
    """A button for each view (name, words, tip) into a row; `chosen` gets the name of the one that is pressed.

    Args:
        keys: Alt and a figure press them, the first with 1.
    """
    group = QButtonGroup(parent)
    group.setExclusive(True)
    for n, (name, words, text) in enumerate(views, 1):
        tip = f"{text} Alt+{n}." if keys else text
        button = QPushButton(words)
        button.setCheckable(True)
        button.setObjectName(f"view {name}")
        button.setToolTip(tip)
        button.setStatusTip(tip)
        if keys:
            # Of the stage, not of the button: in a narrow window the buttons are behind one menu.
            QShortcut(QKeySequence(f"Alt+{n}"), parent, lambda name=name: chosen(name))
        button.clicked.connect(lambda _checked=False, name=name: chosen(name))
        group.addButton(button)
        head.addWidget(button)
    return group


def mark_view(group: QButtonGroup, name: str) -> None:
    """Shows a view's button as the one that is down."""
    for button in group.buttons():
        button.setChecked(button.objectName() == f"view {name}")


def three_rows(scale: float) -> int:
    """The height of a table in which its heading and three rows are seen."""
    return round((26 * 3 + 38) * scale)
