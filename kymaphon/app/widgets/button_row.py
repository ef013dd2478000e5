"""A row of buttons under a table: what can be done with it."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtWidgets import QHBoxLayout, QPushButton


def button_row(rows: Iterable[tuple[str, str, str]], act: Callable[[str], None]) -> QHBoxLayout:
    """Buttons from the left: (words, tip, what is done)."""
    row = QHBoxLayout()
    for words, tip, name in rows:
        button = QPushButton(words)
        button.setToolTip(tip)
        button.setStatusTip(tip)
        button.clicked.connect(lambda _checked=False, name=name: act(name))
        row.addWidget(button)
    row.addStretch(1)
    return row
