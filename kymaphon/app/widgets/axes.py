"""What pictures of levels are drawn over: lines at round levels, words at round frequencies and times."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QFontMetricsF, QPainter, QPen

from kymaphon.app.theme import Theme, font
from kymaphon.core.derive import show_number

OCTAVES_HZ = (31.5, 63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 16000.0)
TIMES_S = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 3600)


def plot_area(width: float, height: float, scale: float) -> QRectF:
    """Where the curve is: room at the left for levels, below for one line of words."""
    return QRectF(46 * scale, 12, width - 46 * scale - 14, height - 12 - 24 * scale)


def round_levels(low: float, high: float, step: int = 10) -> range:
    """The multiples of `step` from `low` to `high`."""
    return range(math.ceil(low / step) * step, math.floor(high) + 1, step)


def time_step(seconds: float, most: float) -> float:
    """A round step of which at most so many lie in a time; at least an hour where it is longer than that."""
    return next((row for row in TIMES_S if seconds / row <= most), TIMES_S[-1])


def time_words(at_s: float, step_s: float) -> str:
    """A time as an axis of that step says it."""
    if step_s < 1:
        return f"{at_s:.1f} s"
    return f"{at_s:.0f} s" if at_s < 120 else f"{int(at_s) // 60}:{int(at_s) % 60:02d}"


@dataclass(frozen=True)
class Axes:
    """Draws the axes of one plot.

    Attributes:
        plot: where the curve is.
        right: how far lines of level go; as far as the plot where it is None.
    """

    painter: QPainter
    theme: Theme
    plot: QRectF
    scale: float
    right: float | None = None

    def _metrics(self) -> QFontMetricsF:
        self.painter.setFont(font(8.5, scale=self.scale))
        return QFontMetricsF(self.painter.font())

    def levels(
        self, values: Iterable[float], y: Callable[[float], float], *, heavy: float | None = None, sign: bool = False
    ) -> None:
        """A line at each level with its number at the left; `heavy`: the one that is drawn stronger."""
        metrics, painter, right = self._metrics(), self.painter, self.right or self.plot.right()
        for level in values:
            at = y(level)
            painter.setPen(QPen(self.theme.color("line"), 1.2 if level == heavy else 0.6))
            painter.drawLine(QPointF(self.plot.left(), at), QPointF(right, at))
            painter.setPen(self.theme.color("muted"))
            text = show_number(level, "dB", sign=sign and bool(level)).removesuffix(".0 dB")
            left = self.plot.left() - metrics.horizontalAdvance(text) - 6
            painter.drawText(QPointF(left, at + metrics.ascent() / 2 - 1), text)

    def frequencies(self, low: float, high: float, x: Callable[[float], float]) -> None:
        """The octaves from `low` to `high`, in Hz."""
        metrics = self._metrics()
        self.painter.setPen(self.theme.color("muted"))
        for n, hertz in enumerate(row for row in OCTAVES_HZ if low <= row <= high):
            text = f"{hertz / 1000:g} kHz" if hertz >= 1000 else f"{hertz:g} Hz" if not n else f"{hertz:g}"
            self._below(x(hertz), text, metrics, 0.0)

    def times(
        self,
        marks: Sequence[float],
        step_s: float,
        x: Callable[[float], float],
        *,
        ticks: bool = False,
        drop: float = 0.0,
    ) -> None:
        """Words below the plot, lower by `drop`; `ticks`: with a short line over each."""
        metrics = self._metrics()
        for at_s in marks:
            if ticks:
                self.painter.setPen(QPen(self.theme.color("line"), 0.6))
                top = self.plot.bottom() + drop - 4
                self.painter.drawLine(QPointF(x(at_s), top), QPointF(x(at_s), top + 4))
            self.painter.setPen(self.theme.color("muted"))
            self._below(x(at_s), time_words(at_s, step_s), metrics, drop)

    def _below(self, x: float, text: str, metrics: QFontMetricsF, drop: float) -> None:
        width = metrics.horizontalAdvance(text)
        left = min(max(x - width / 2, 2), self.plot.right() - width)
        self.painter.drawText(QPointF(left, self.plot.bottom() + drop + metrics.height()), text)
