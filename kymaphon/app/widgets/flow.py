"""A row that goes on in the next line when it is full."""

from __future__ import annotations

from PySide6.QtCore import QMargins, QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem


class FlowLayout(QLayout):
    """Items from left to right, as many lines as it takes."""

    def __init__(self, gap: int = 8) -> None:
        super().__init__()
        self._rows: list[QLayoutItem] = []
        self._sizes: list[QSize] = []
        self._heights: dict[int, int] = {}
        self.setSpacing(gap)
        self.setContentsMargins(QMargins(0, 0, 0, 0))

    def addItem(self, item: QLayoutItem) -> None:
        self._rows.append(item)
        self.invalidate()

    def count(self) -> int:
        return len(self._rows)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._rows[index] if 0 <= index < len(self._rows) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        if not 0 <= index < len(self._rows):
            return None
        item = self._rows.pop(index)
        self.invalidate()
        return item

    def invalidate(self) -> None:
        self._sizes, self._heights = [], {}
        super().invalidate()

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            self._heights[width] = self._lay(QRect(0, 0, width, 0), move=False)
        return self._heights[width]

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, move=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize(0, 0)
        for item in self._rows:
            size = size.expandedTo(item.minimumSize())
        return size

    def _lay(self, rect: QRect, *, move: bool) -> int:
        """Places the items within a width; the height that they take."""
        x, y, tall = rect.x(), rect.y(), 0
        if not self._sizes:
            self._sizes = [item.sizeHint() for item in self._rows]
        for item, size in zip(self._rows, self._sizes, strict=True):
            if x > rect.x() and x + size.width() > rect.x() + rect.width():
                x, y, tall = rect.x(), y + tall + self.spacing(), 0
            if move:
                item.setGeometry(QRect(QPoint(x, y), size))
            x += size.width() + self.spacing()
            tall = max(tall, size.height())
        return y + tall - rect.y()
