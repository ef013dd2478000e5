"""Buttons of which one is down: the views of a stage."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton


def view_buttons(
    parent: QObject,
    head: QHBoxLayout,
    views: Iterable[tuple[str, str, str]],
    chosen: Callable[[str], object],
) -> QButtonGroup:
    """A button for each view (name, words, tip) into a row; `chosen` gets the name of the one that is pressed."""
    group = QButtonGroup(parent)
    group.setExclusive(True)
    for name, words, tip in views:
        button = QPushButton(words)
        button.setCheckable(True)
        button.setObjectName(f"view {name}")
        button.setToolTip(tip)
        button.setStatusTip(tip)
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
