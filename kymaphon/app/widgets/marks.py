"""Severity as one shape filled by degrees, a tick for settled, and the icons and labels made of them."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap
from PySide6.QtWidgets import QWidget

from kymaphon.app.theme import Theme

SEVERITY_NAMES = {"stop": "stop", "fix": "to fix", "note": "note", "tick": "settled"}


def draw_mark(painter: QPainter, box: QRectF, severity: str, theme: Theme) -> None:
    """A lozenge: full for stop, half for fix, hollow for note; a tick for anything else."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if severity not in ("stop", "fix", "note"):
        pen = QPen(theme.color("voice"), max(1.6, box.width() / 7))
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        left, top, width, height = box.left(), box.top(), box.width(), box.height()
        points = [QPointF(left + width * x, top + height * y) for x, y in ((0.15, 0.55), (0.4, 0.8), (0.88, 0.22))]
        painter.drawPolyline(points)
        painter.restore()
        return
    color = theme.color(severity)
    middle = box.center()
    shape = QPainterPath()
    shape.moveTo(middle.x(), box.top())
    shape.lineTo(box.right(), middle.y())
    shape.lineTo(middle.x(), box.bottom())
    shape.lineTo(box.left(), middle.y())
    shape.closeSubpath()
    if severity == "stop":
        painter.fillPath(shape, color)
    elif severity == "fix":
        painter.save()
        painter.setClipRect(QRectF(middle.x(), box.top(), box.width(), box.height()))
        painter.fillPath(shape, color)
        painter.restore()
    painter.setPen(QPen(color, max(1.4, box.width() / 9)))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(shape)
    painter.restore()


def mark_icon(severity: str, theme: Theme, size: int = 16) -> QIcon:
    """The shape as an icon, painted once for each colour."""
    key = severity, theme.color(severity if severity in ("stop", "fix", "note") else "voice").name(), size
    if key not in _ICONS:
        _ICONS[key] = _painted(severity, theme, size)
    return _ICONS[key]


_ICONS: dict[tuple[str, str, int], QIcon] = {}


def _painted(severity: str, theme: Theme, size: int) -> QIcon:
    pixmap = QPixmap(size * 2, size * 2)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(QColor(0, 0, 0, 0))
    painter = QPainter(pixmap)
    draw_mark(painter, QRectF(2, 2, size - 4, size - 4), severity, theme)
    painter.end()
    return QIcon(pixmap)


class MarkLabel(QWidget):
    """One severity shape, by itself."""

    def __init__(self, severity: str, theme: Theme, size: int = 14, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._severity, self._theme = severity, theme
        self.setFixedSize(QSize(size, size))
        self.setAccessibleName(SEVERITY_NAMES.get(severity, severity))

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        draw_mark(painter, QRectF(self.rect()).adjusted(1, 1, -1, -1), self._severity, self._theme)
        painter.end()
