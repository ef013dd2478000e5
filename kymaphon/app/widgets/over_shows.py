"""One figure over shows: a point for each, the middle and what is usual round it, and today."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font

LEFT, RIGHT, TOP, BOTTOM = 64, 90, 18, 44
LEAST_SPAN = 6.0
"""So much is shown of the figure at least: what hardly varies is not to look wild."""


@dataclass(frozen=True, slots=True)
class Series:
    """What is drawn.

    Attributes:
        points: (label, value) show by show, the oldest first.
        middle, spread: of those that count; `today` as it stands, None where nothing does.
        words: all of it in a sentence, for who cannot see it.
    """

    unit: str
    points: tuple[tuple[str, float], ...]
    middle: float
    spread: float
    today: float | None
    outside: bool
    words: str


class OverShows(QWidget):
    """The picture."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.scale = theme, 1.0
        self.series: Series | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Over shows")

    def sizeHint(self) -> QSize:
        return QSize(560, round(260 * self.scale))

    def set_scale(self, scale: float) -> None:
        self.scale = scale
        self.setMinimumHeight(round(180 * scale))
        self.update()

    def show_series(self, series: Series | None) -> None:
        self.series = series
        self.setAccessibleDescription(series.words if series is not None else "")
        self.update()

    def _span(self, series: Series) -> tuple[float, float]:
        rows = [value for _, value in series.points]
        rows += [series.middle - series.spread, series.middle + series.spread]
        rows += [series.today] if series.today is not None else []
        low, high = min(rows), max(rows)
        least = LEAST_SPAN if series.unit.startswith("dB") else abs(series.middle) * 0.4 + 1e-6
        pad = max(0.0, least - (high - low)) / 2 + (high - low) * 0.1
        return low - pad, high + pad

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.series is not None and self.series.points:
            self._draw(painter, self.series)
        painter.end()

    def _draw(self, painter: QPainter, series: Series) -> None:
        theme, s = self.theme, self.scale
        low, high = self._span(series)
        box = QRectF(LEFT * s, TOP * s, self.width() - (LEFT + RIGHT) * s, self.height() - (TOP + BOTTOM) * s)

        def y(value: float) -> float:
            return box.bottom() - box.height() * (value - low) / (high - low)

        count = len(series.points) + (series.today is not None)
        step = box.width() / max(count, 1)

        def x(n: int) -> float:
            return box.left() + step * (n + 0.5)

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("raised"))
        top, bottom = y(series.middle + series.spread), y(series.middle - series.spread)
        painter.drawRect(QRectF(box.left(), top, box.width(), max(bottom - top, 2.0)))
        painter.setPen(QPen(theme.color("lantern"), 1.6))
        painter.drawLine(QPointF(box.left(), y(series.middle)), QPointF(box.right(), y(series.middle)))
        painter.setFont(font(9, QFont.Weight.DemiBold, s))
        painter.drawText(
            QRectF(box.right() + 6 * s, y(series.middle) - 10 * s, (RIGHT - 8) * s, 20 * s),
            Qt.AlignmentFlag.AlignVCenter,
            _figure(series.middle, series.unit),
        )
        painter.setPen(QPen(theme.color("voice"), 1.4))
        line = [QPointF(x(n), y(value)) for n, (_, value) in enumerate(series.points)]
        painter.drawPolyline(QPolygonF(line))
        painter.setBrush(theme.color("voice"))
        for at in line:
            painter.drawEllipse(at, 4 * s, 4 * s)
        if series.today is not None:
            # A lozenge, so that today is told from the others without its colour.
            at = QPointF(x(len(series.points)), y(series.today))
            painter.setPen(QPen(theme.color("fix" if series.outside else "text"), 1.6))
            painter.setBrush(theme.color("panel"))
            r = 6 * s
            points = [at + QPointF(0, -r), at + QPointF(r, 0), at + QPointF(0, r), at + QPointF(-r, 0)]
            painter.drawPolygon(QPolygonF(points))
        self._words(painter, series, box, step, y, low, high)

    def _words(
        self,
        painter: QPainter,
        series: Series,
        box: QRectF,
        step: float,
        y: Callable[[float], float],
        low: float,
        high: float,
    ) -> None:
        theme, s = self.theme, self.scale
        painter.setFont(font(9, QFont.Weight.Normal, s))
        metrics = QFontMetricsF(painter.font())
        painter.setPen(theme.color("muted"))
        for value in (low + (high - low) * 0.1, (low + high) / 2, high - (high - low) * 0.1):
            painter.drawText(
                QRectF(0, y(value) - 10 * s, (LEFT - 8) * s, 20 * s),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                _figure(value, series.unit, sign=False),
            )
        labels = [row for row, _ in series.points] + (["today"] if series.today is not None else [])
        wide = max((metrics.horizontalAdvance(row) for row in labels), default=1.0) + 8
        every = max(1, int(-(-wide // max(step, 1.0))))
        for n, words in enumerate(labels):
            if n % every == 0 or n == len(labels) - 1:
                at = box.left() + step * (n + 0.5)
                left = min(max(at - wide / 2, 0.0), self.width() - wide)
                painter.drawText(QRectF(left, box.bottom() + 8 * s, wide, 20 * s), Qt.AlignmentFlag.AlignHCenter, words)


def _figure(value: float, unit: str, *, sign: bool = True) -> str:
    digits = 2 if unit == "m" else 1
    text = f"{value:.{digits}f}".replace("-", "\u2212")
    return f"{text} {unit}" if sign else text
