"""A meter's face: the reading as it went, a stream over time, against the band of the mark; not a strip of lamps."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.trace import draw_trace, fill_under
from kymaphon.core.figures import number
from kymaphon.core.levels.lineup.expected import Expected, figure_on
from kymaphon.core.levels.lineup.run import STEP_S, Trace

ABOVE, BELOW = 4.0, 6.0
"""How many tolerances are drawn above the mark and below it."""
FIGURE_WIDTH = 176
Height = Callable[[float], float]
"""From a reading to a height in the picture."""


class MeterFace(QWidget):
    """Shows one meter: where the mark is, how the reading went, where it stands, and by how much that is off."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.expected: Expected | None = None
        self.trace: Trace | None = None
        self.shown: float | None = None
        self.setMinimumHeight(150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def set_meter(self, expected: Expected | None, shown: float | None, trace: Trace | None = None) -> None:
        """Another meter, or another reading of it."""
        self.expected, self.shown, self.trace = expected, shown, trace
        self.setAccessibleName("Meter")
        self.setAccessibleDescription(self.words())
        self.setToolTip(plain_tip(self.words()))
        self.update()

    def words(self) -> str:
        """What it shows, in words."""
        if self.expected is None:
            return "No source is chosen."
        text = self.expected.words()
        return (
            text
            if self.shown is None
            else f"{text} It shows {figure_on(self.shown, self.expected.unit)}: {self._verdict()}."
        )

    def _off_db(self) -> float:
        expected = self.expected
        if expected is None or self.shown is None:
            return 0.0
        return expected.level(self.shown) - expected.wanted_db

    def _verdict(self) -> str:
        off = self._off_db()
        expected = self.expected
        inside = expected is not None and abs(off) <= expected.tolerance_db + 1e-9
        if abs(off) < number("level-learnt"):
            return "on the mark"
        way = "over" if off > 0 else "under"
        return f"{abs(off):.1f} dB {way}{', still right' if inside else ''}"

    # painting

    def _ends(self, expected: Expected) -> tuple[float, float]:
        """Lowest and highest reading that is drawn, in the scale's marks."""
        half = (expected.high - expected.low) / 2
        middle = (expected.high + expected.low) / 2
        low, high = middle - BELOW * half, middle + ABOVE * half
        values = [
            *(self.trace.values if self.trace else ()),
            *([self.shown] if self.shown is not None else ()),
        ]
        if values:
            high = max(high, max(values) + half)
            low = min(low, max(values) - 2 * half)
        return low, high

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        expected = self.expected
        if expected is None:
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(11, scale=self.scale))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Choose a source.")
            painter.end()
            return
        side = FIGURE_WIDTH * min(self.scale, 1.25)
        area = QRectF(12, 12, self.width() - side - 24, self.height() - 24)
        low, high = self._ends(expected)

        def y(value: float) -> float:
            part = (value - low) / (high - low)
            return area.bottom() - area.height() * min(max(part, 0.0), 1.0)

        self._paint_mark(painter, area, expected, y)
        self._paint_trace(painter, area, y)
        self._paint_scale(painter, area, expected, low, high, y)
        self._paint_figure(painter, QRectF(area.right() + 12, area.top(), side - 12, area.height()), expected)
        painter.end()

    def _paint_mark(self, painter: QPainter, area: QRectF, expected: Expected, y: Height) -> None:
        theme = self.theme
        top, bottom = y(expected.high), y(expected.low)
        band = QColor(theme.lantern)
        band.setAlphaF(0.26)
        painter.fillRect(QRectF(area.left(), top, area.width(), bottom - top), band)
        painter.setPen(QPen(theme.color("lantern"), 1.6))
        for edge in (top, bottom):
            painter.drawLine(QPointF(area.left(), edge), QPointF(area.right(), edge))

    def _paint_scale(
        self, painter: QPainter, area: QRectF, expected: Expected, low: float, high: float, y: Height
    ) -> None:
        theme = self.theme
        top, bottom = y(expected.high), y(expected.low)
        painter.setFont(font(8.5, scale=self.scale))
        metrics = QFontMetricsF(painter.font())
        step = _step(high - low)
        value = (low // step + 1) * step
        while value < high:
            height = y(value)
            painter.setPen(QPen(theme.color("line"), 0.6))
            painter.drawLine(QPointF(area.left(), height), QPointF(area.right(), height))
            clear = min(abs(height - top), abs(height - bottom)) > metrics.height() * 0.75
            if area.top() + metrics.height() < height < area.bottom() and clear:
                self._plated(painter, QPointF(area.left() + 4, height), figure_on(value, expected.unit), metrics)
            value += step
        painter.setPen(theme.color("lantern"))
        words = "the mark"
        painter.drawText(QPointF(area.right() - metrics.horizontalAdvance(words) - 6, top - 4), words)

    def _paint_trace(self, painter: QPainter, area: QRectF, y: Height) -> None:
        trace = self.trace
        if trace is None or len(trace.values) < 2:
            return
        across = area.width() / (len(trace.values) - 1)
        points = [QPointF(area.left() + i * across, y(value)) for i, value in enumerate(trace.values)]
        fill_under(painter, points, area.bottom(), self.theme.color("voice"), 0.22)
        draw_trace(painter, points, self.theme.color("voice"), 1.8)
        painter.setFont(font(8.5, scale=self.scale))
        painter.setPen(self.theme.color("muted"))
        metrics = QFontMetricsF(painter.font())
        words = f"{len(trace.values) * STEP_S:.0f} s"
        spot = QPointF(area.right() - metrics.horizontalAdvance(words) - 12, area.bottom() - metrics.height() / 2)
        self._plated(painter, spot, words, metrics)

    def _plated(self, painter: QPainter, middle_left: QPointF, words: str, metrics: QFontMetricsF) -> None:
        """Words on a plate, so that no line runs through them."""
        box = QRectF(
            middle_left.x(),
            middle_left.y() - metrics.height() / 2,
            metrics.horizontalAdvance(words) + 8,
            metrics.height(),
        )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.color("panel"))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(self.theme.color("muted"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_figure(self, painter: QPainter, box: QRectF, expected: Expected) -> None:
        theme = self.theme
        painter.setPen(theme.color("muted"))
        painter.setFont(font(9, scale=self.scale))
        line = QFontMetricsF(painter.font()).height() + 2
        flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        painter.drawText(
            QRectF(box.left(), box.top(), box.width(), line * 2),
            flags,
            "peaks" if expected.peaks else "average",
        )
        painter.setFont(font(20, QFont.Weight.DemiBold, min(self.scale, 1.25)))
        big = QFontMetricsF(painter.font()).height()
        painter.setPen(theme.color("text"))
        text = "\u2013" if self.shown is None else figure_on(self.shown, expected.unit)
        painter.drawText(QRectF(box.left(), box.top() + line, box.width(), big), flags, text)
        painter.setFont(font(10, QFont.Weight.DemiBold, self.scale))
        below = box.top() + line + big + 4
        if self.shown is not None:
            inside = abs(self._off_db()) <= expected.tolerance_db + 1e-9
            painter.setPen(theme.color("voice" if inside else "fix"))
            painter.drawText(QRectF(box.left(), below, box.width(), line * 3), flags, self._verdict())
        painter.setPen(theme.color("muted"))
        painter.setFont(font(9, scale=self.scale))
        wanted = f"expected {figure_on(expected.shows.value, expected.unit)}"
        painter.drawText(QRectF(box.left(), box.bottom() - line, box.width(), line), flags, wanted)


def _step(span: float) -> float:
    """A round distance between lines, about five of them."""
    for step in (0.5, 1.0, 2.0, 5.0, 10.0, 20.0):
        if span / step <= 7:
            return step
    return 50.0
