"""A drop-down list whose arrow is drawn in the theme's own ink."""

from __future__ import annotations

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter, QPalette, QPen
from PySide6.QtWidgets import QComboBox


class ChoiceBox(QComboBox):
    """A combo box; only its arrow differs."""

    def paintEvent(self, event: object) -> None:
        super().paintEvent(event)  # type: ignore[arg-type]
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.palette().color(QPalette.ColorRole.Text), 1.6))
        x, y = self.width() - 15.0, self.height() / 2 - 2
        painter.drawPolyline([QPointF(x - 4, y), QPointF(x, y + 4), QPointF(x + 4, y)])
        painter.end()
