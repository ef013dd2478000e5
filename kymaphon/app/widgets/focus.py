"""The way of the Tab key: in the order on screen, row by row."""

from __future__ import annotations

from itertools import pairwise

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QWidget

ROW = 24
"""What begins within so many points stands in one row."""


def in_screen_order(root: QWidget) -> list[QWidget]:
    """Puts what Tab reaches within a widget into the order in which it stands on screen, and tells it."""
    found = []
    for row in root.findChildren(QWidget):
        inside = row.parentWidget()
        # Of buttons that exclude each other Qt lets Tab reach the one that is down: all keep their place.
        shown = row.isVisibleTo(root) and row.window() is root.window()
        if row.focusPolicy() != Qt.FocusPolicy.NoFocus and shown and inside is not None:
            spot = row.mapTo(root, QPoint(0, 0))
            found.append((spot.y(), spot.x(), row))
    found.sort(key=lambda row: row[:2])
    rows: list[list[tuple[int, int, QWidget]]] = []
    for entry in found:
        if not rows or entry[0] - rows[-1][0][0] >= ROW:
            rows.append([])
        rows[-1].append(entry)
    order = [entry[2] for row in rows for entry in sorted(row, key=lambda part: part[1])]
    for before, after in pairwise(order):
        QWidget.setTabOrder(before, after)
    return order
