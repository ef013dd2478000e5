"""A check box whose check is a tick, as wide as it is and no wider."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPalette, QPen
from PySide6.QtWidgets import QCheckBox, QSizePolicy

SIDE = 18


class TickBox(QCheckBox):
    """A check box without words of its own: they stand beside it, in the form."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(SIDE + 8, SIDE + 8)

    def hitButton(self, pos: object) -> bool:
        return True

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        palette = self.palette()
        ink = palette.color(QPalette.ColorRole.WindowText)
        accent = palette.color(QPalette.ColorRole.Highlight)
        box = QRectF(3, (self.height() - SIDE) / 2, SIDE, SIDE)
        painter.setPen(QPen(accent if self.hasFocus() else ink, 2.0 if self.hasFocus() else 1.2))
        painter.setBrush(palette.color(QPalette.ColorRole.Base))
        painter.drawRoundedRect(box, 4, 4)
        if self.isChecked():
            painter.setPen(QPen(ink, 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
            at = box.topLeft()
            painter.drawPolyline([at + QPointF(4.5, 9.5), at + QPointF(8, 13), at + QPointF(14, 5)])
        painter.end()
