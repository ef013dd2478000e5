"""A rig in outline and who hears whom, small: pictures that grow beside answers. Nothing in them is pressed; both tell themselves in words."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.app.widgets.rig_paint import LINK_LOOKS
from kymaphon.core.report.outline import Hearing, Outline

TALL, WIDE, APART = 30.0, 132.0, 8.0
CELL_WORDS = {
    "hears": "hears",
    "own": "hears direct",
    "itself": "must not hear, and does not",
    "missing": "does not hear",
}


class OutlinePicture(QWidget):
    """Boxes in columns from microphones to ears, in the hue of whose they are; lines in the tint of their level."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.scale = theme, 1.0
        self.outline, self.hues = Outline((), ()), dict[str, int]()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(150)
        self.setAccessibleName("How it will be plugged")

    def set_outline(self, outline: Outline, hues: dict[str, int]) -> None:
        """What to draw, and the hue of each party."""
        self.outline, self.hues = outline, hues
        self.setAccessibleDescription(self.describe())
        self.update()

    def describe(self) -> str:
        """The picture in words."""
        names = {box.id: box.name for box in self.outline.boxes}
        rows = [f"{names[a]} to {names[b]}" for a, b, _ in self.outline.links]
        return "; ".join(rows) or "Nothing is plugged yet."

    def sizeHint(self) -> QSize:
        return QSize(480, 220)

    def _places(self) -> dict[str, QRectF]:
        used = sorted({box.column for box in self.outline.boxes})
        columns = max(len(used), 1)
        wide = min(WIDE * self.scale, (self.width() - 16.0) / (columns + (columns - 1) * 0.35))
        gap = (self.width() - columns * wide) / max(columns - 1, 1) if columns > 1 else 0.0
        out = {}
        for column, key in enumerate(used):
            rows = [box for box in self.outline.boxes if box.column == key]
            tall = min(TALL * self.scale, (self.height() - APART * (len(rows) - 1)) / max(len(rows), 1))
            step = min(tall + 22 * self.scale, self.height() / max(len(rows), 1))
            top = (self.height() - step * len(rows)) / 2 + (step - tall) / 2
            for n, box in enumerate(rows):
                out[box.id] = QRectF(column * (wide + gap), top + n * step, wide, tall)
        return out

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.outline.boxes:
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(10, scale=self.scale))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), "It grows as you answer.")
            painter.end()
            return
        places = self._places()
        for a, b, level in self.outline.links:
            width, role = LINK_LOOKS.get(level, (1.8, "others"))
            painter.setPen(QPen(self.theme.color(role), width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(self._line(places[a], places[b]))
        row = font(9, QFont.Weight.DemiBold, self.scale)
        painter.setFont(row)
        metrics = QFontMetricsF(row)
        for box in self.outline.boxes:
            rect = places[box.id].adjusted(1, 1, -1, -1)
            hue = self.hues.get(box.party)
            painter.setBrush(self.theme.color("raised"))
            painter.setPen(QPen(self.theme.party(hue) if hue is not None else self.theme.color("line"), 1.4))
            painter.drawRoundedRect(rect, 5, 5)
            painter.setPen(self.theme.color("text"))
            inner = rect.adjusted(8, 0, -6, 0)
            text = metrics.elidedText(box.name, Qt.TextElideMode.ElideRight, inner.width())
            painter.drawText(inner, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), text)
        painter.end()

    @staticmethod
    def _line(a: QRectF, b: QRectF) -> QPainterPath:
        if b.left() >= a.right():
            start, end = QPointF(a.right(), a.center().y()), QPointF(b.left(), b.center().y())
        elif a.left() >= b.right():
            start, end = QPointF(a.left(), a.center().y()), QPointF(b.right(), b.center().y())
        else:
            start, end = QPointF(a.center().x(), a.bottom()), QPointF(b.center().x(), b.top())
        path = QPainterPath(start)
        if a.right() <= b.left() or b.right() <= a.left():
            middle = (start.x() + end.x()) / 2
            path.cubicTo(QPointF(middle, start.y()), QPointF(middle, end.y()), end)
        else:
            path.lineTo(end)
        return path


class HearingPicture(QWidget):
    """A row for each listener, a column for each voice: a dot where it is heard, a ring at once, a dash where it must not be."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.scale = theme, 1.0
        self.hearing, self.hues = Hearing((), ()), dict[str, int]()
        self.setAccessibleName("Who will hear whom")
        self.setMinimumHeight(60)

    def set_hearing(self, hearing: Hearing, hues: dict[str, int]) -> None:
        """What to draw, and the hue of each party."""
        self.hearing, self.hues = hearing, hues
        self.setAccessibleDescription(self.describe())
        self.setMinimumHeight(round((len(hearing.rows) + 1) * 20 * self.scale) if len(hearing.rows) <= 7 else 160)
        self.update()

    def describe(self) -> str:
        """The picture in words."""
        rows = []
        for name, cells in self.hearing.rows:
            for (_, voice), cell in zip(self.hearing.voices, cells, strict=True):
                if cell:
                    rows.append(f"{name} {CELL_WORDS[cell]} {voice}")
        return "; ".join(rows) or "Nobody hears anybody yet."

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        row = font(9, scale=self.scale)
        painter.setFont(row)
        metrics = QFontMetricsF(row)
        if not self.hearing.rows or not self.hearing.voices:
            painter.setPen(self.theme.color("muted"))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), "Nobody hears anybody yet.")
            painter.end()
            return
        first = min(max(metrics.horizontalAdvance(name) for name, _ in self.hearing.rows) + 14, self.width() * 0.34)
        step = (self.width() - first) / len(self.hearing.voices)
        tall = min(20.0 * self.scale, self.height() / (len(self.hearing.rows) + 1))
        centre = int(Qt.AlignmentFlag.AlignCenter)
        left = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        painter.setPen(self.theme.color("muted"))
        for n, (_, name) in enumerate(self.hearing.voices):
            text = metrics.elidedText(name, Qt.TextElideMode.ElideRight, step - 4)
            painter.drawText(QRectF(first + n * step, 0, step, tall), centre, text)
        for k, (name, cells) in enumerate(self.hearing.rows, 1):
            painter.setPen(self.theme.color("text"))
            text = metrics.elidedText(name, Qt.TextElideMode.ElideRight, first - 8)
            painter.drawText(QRectF(0, k * tall, first, tall), left, text)
            for n, cell in enumerate(cells):
                spot = QPointF(first + (n + 0.5) * step, (k + 0.5) * tall)
                self._cell(painter, spot, cell, self.hues.get(self.hearing.voices[n][0], 0))
        painter.end()

    def _cell(self, painter: QPainter, spot: QPointF, cell: str, hue: int) -> None:
        color = self.theme.party(hue)
        if cell == "missing":
            draw_mark(painter, QRectF(spot.x() - 6, spot.y() - 6, 12, 12), "stop", self.theme)
        elif cell == "itself":
            painter.setPen(QPen(self.theme.color("muted"), 2))
            painter.drawLine(spot - QPointF(4, 0), spot + QPointF(4, 0))
        elif cell:
            painter.setPen(QPen(color, 2))
            painter.setBrush(color if cell == "hears" else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(spot, 4, 4)
