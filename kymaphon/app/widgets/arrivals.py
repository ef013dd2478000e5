"""A voice's arrivals at a listener: level up, milliseconds along, each named by the devices it came
through.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.painted import Part, Walked
from kymaphon.core.derive import MINUS, show_number
from kymaphon.core.figures import number


@dataclass(frozen=True, slots=True)
class Stem:
    """One arrival: when, how strong against the mark, by which way."""

    delay_ms: float
    gain_db: float
    way: str


SPAN_DB = 40.0


def own_voice_zones() -> tuple[tuple[float, float, str], ...]:
    """From, to, and what own voice back at that delay does: the figures of the rules (Haas 1951, Lee 1950)."""
    colours, hollow, blurred, stops = (number(f"delay-{name}") for name in ("colours", "hollow", "blurred", "stops"))
    return (
        (colours, hollow, "hollow"),
        (hollow, blurred, "blurred"),
        (blurred, stops, "a clear echo"),
        (stops, math.inf, "stops speech"),
    )


class ArrivalPicture(Walked):
    """Stems on a time axis. For own voice the zones of what the delay does lie behind them."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.stems: tuple[Stem, ...] = ()
        self.hue = QColor(theme.voice)
        self.zones: tuple[tuple[float, float, str], ...] = ()
        self.setMinimumHeight(130)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Arrivals over time")

    def set_stems(self, stems: tuple[Stem, ...], hue: QColor, zones: tuple[tuple[float, float, str], ...]) -> None:
        """What to draw."""
        self.stems, self.hue, self.zones = stems, hue, zones
        words = "; ".join(
            f"{show_number(row.gain_db, 'dB', sign=True)} after {show_number(row.delay_ms, 'ms')}, {row.way}"
            for row in stems
        )
        self.setAccessibleDescription(words or "nothing arrives")
        self.at = 0
        self.update()

    def parts(self) -> tuple[Part, ...]:
        """The arrivals, the first that comes first."""
        if not self.stems:
            return ()
        rows = []
        for n, row in enumerate(sorted(self.stems, key=lambda stem: stem.delay_ms)):
            zone = next((word for low, high, word in self.zones if low <= row.delay_ms < high), "")
            value = f"{show_number(row.gain_db, 'dB', sign=True)} against the mark, {row.way}"
            spot = self._spot(row)
            box = QRectF(spot.x() - 8, spot.y(), 16, self._area().bottom() - spot.y())
            rows.append(
                Part(
                    f"After {show_number(row.delay_ms, 'ms')}", f"{value}; {zone}" if zone else value, box, n == self.at
                )
            )
        return tuple(rows)

    def _area(self) -> QRectF:
        return QRectF(48, 8, self.width() - 68, self.height() - 12 - 22 * self.scale)

    def _spot(self, row: Stem) -> QPointF:
        """Where the head of an arrival is painted."""
        first, last = self._axis()
        area, top_db = self._area(), self._top_db()
        x = area.left() + area.width() * (row.delay_ms - first) / (last - first)
        return QPointF(x, area.top() + area.height() * (top_db - max(row.gain_db, -SPAN_DB)) / (top_db + SPAN_DB))

    def _top_db(self) -> float:
        return max(20.0, max(row.gain_db for row in self.stems) + 14)

    def _axis(self) -> tuple[float, float]:
        """First and last millisecond drawn: from nought, unless everything comes late and close together."""
        delays = [row.delay_ms for row in self.stems]
        low, high = min(delays), max(delays)
        spread = high - low
        if not self.zones and low > 20 * max(spread, 1.0):
            pad = max(spread * 0.6, 2.0)
            return max(0.0, low - pad), high + pad * 1.6
        return 0.0, max(high * 1.28, 4.0)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        if not self.stems:
            painter.setFont(font(10, scale=self.scale))
            painter.setPen(theme.color("muted"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Nothing arrives.")
            painter.end()
            return
        first, last = self._axis()
        top_db, area = self._top_db(), self._area()

        def x(ms: float) -> float:
            return area.left() + area.width() * (ms - first) / (last - first)

        def y(db: float) -> float:
            held = max(db, -SPAN_DB)
            return area.top() + area.height() * (top_db - held) / (top_db + SPAN_DB)

        painter.setFont(font(8.5, scale=self.scale))
        metrics = QFontMetricsF(painter.font())
        for i, (low, high, word) in enumerate(self.zones):
            left, right = x(max(low, first)), x(min(high, last))
            if right <= left:
                continue
            shade = QColor(theme.raised)
            shade.setAlphaF(0.35 + 0.2 * (i % 2))
            painter.fillRect(QRectF(left, area.top(), right - left, area.height()), shade)
            if right - left > metrics.horizontalAdvance(word) + 8:
                painter.setPen(theme.color("muted"))
                painter.drawText(
                    QRectF(left + 4, area.top() + 2, right - left, metrics.height()),
                    word,
                )
        for db in (0, -20, -40):
            painter.setPen(QPen(theme.color("line"), 1.2 if db == 0 else 0.7))
            painter.drawLine(QPointF(area.left(), y(db)), QPointF(area.right(), y(db)))
            painter.setPen(theme.color("muted"))
            text = "mark" if db == 0 else f"{MINUS}{-db}"
            painter.drawText(
                QRectF(0, y(db) - 9, area.left() - 6, 18),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )
        self._paint_times(painter, area, first, last)
        self._paint_stems(painter, x, y, area)
        self.paint_part(painter, self.scale)
        painter.end()

    def _paint_times(self, painter: QPainter, area: QRectF, first: float, last: float) -> None:
        span = last - first
        step = next(s for s in (0.5, 1, 2, 5, 10, 20, 30, 60, 100, 200, 500, 1000, 2000, 5000, 1e9) if span / s <= 8)
        tick = first - first % step + (step if first % step else 0)
        painter.setPen(self.theme.color("muted"))
        while tick <= last:
            place = area.left() + area.width() * (tick - first) / span
            text = f"{tick:g} ms" if tick < 10000 else f"{tick / 1000:.3f} s"
            painter.drawText(
                QRectF(place - 50, area.bottom() + 2, 100, 18 * self.scale),
                Qt.AlignmentFlag.AlignCenter,
                text,
            )
            tick += step

    def _paint_stems(self, painter: QPainter, x: object, y: object, area: QRectF) -> None:
        painter.setFont(font(9, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        taken: list[QRectF] = []
        labels: list[tuple[QRectF, str]] = []
        for row in sorted(self.stems, key=lambda stem: -stem.gain_db):
            if row.gain_db < -SPAN_DB:
                continue
            spot = QPointF(x(row.delay_ms), y(row.gain_db))  # type: ignore[operator]
            painter.setPen(QPen(self.hue, 3))
            painter.drawLine(QPointF(spot.x(), area.bottom()), spot)
            painter.setBrush(self.hue)
            painter.setPen(QPen(self.theme.color("panel"), 1))
            painter.drawEllipse(spot, 5.5, 5.5)
            text = metrics.elidedText(
                f"{show_number(row.delay_ms, 'ms')}, {row.way}", Qt.TextElideMode.ElideRight, area.width() - 8
            )
            width = metrics.horizontalAdvance(text) + 8
            left = min(max(spot.x() - 8, area.left()), area.right() - width)
            box = QRectF(left, spot.y() - metrics.height() - 9, width, metrics.height())
            while any(box.intersects(other) for other in taken) and box.top() > 0:
                box.translate(0, -metrics.height() - 2)
            if any(box.intersects(other) for other in taken):
                continue
            taken.append(box)
            labels.append((box, text))
            painter.setPen(QPen(self.theme.color("muted"), 1))
            painter.drawLine(QPointF(spot.x(), spot.y() - 7), QPointF(spot.x(), box.bottom()))
        for box, text in labels:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color("panel"))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(self.theme.color("text"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
