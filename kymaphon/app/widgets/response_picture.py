"""What several ways, or a loop, do to a sound over frequency: the combined response on a logarithmic axis."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.axes import Axes, plot_area
from kymaphon.app.widgets.painted import Part, Walked
from kymaphon.core.derive import show_number

Floats = NDArray[np.float64]
LOWEST_DB, HIGHEST_DB = -30.0, 12.0


class ResponsePicture(Walked):
    """A band from the lowest to the highest level in each pixel's breadth, so that a comb finer than the screen stays a band."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.frequencies: Floats = np.zeros(0)
        self.level: Floats = np.zeros(0)
        self.notches: tuple[float, ...] = ()
        self.words = ""
        self.hue = QColor(theme.voice)
        self.setMinimumHeight(130)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Combined frequency response")

    def set_curve(
        self, frequencies: Floats, level: Floats, notches: tuple[float, ...], words: str, hue: QColor
    ) -> None:
        """The response in dB; shapes (F,). With none, only the words are shown."""
        self.frequencies, self.level, self.notches, self.words, self.hue = (
            frequencies,
            level,
            notches,
            words,
            hue,
        )
        self.setAccessibleDescription(words)
        self.at = 0
        self.update()

    def parts(self) -> tuple[Part, ...]:
        """The notches, and where it is highest, from low to high."""
        if not len(self.frequencies):
            return ()
        top = float(self.frequencies[int(np.argmax(self.level))])
        rows = []
        for n, hertz in enumerate(sorted({*self.notches, top})):
            level = float(np.interp(np.log(hertz), np.log(self.frequencies), self.level))
            name = f"{'Highest' if hertz == top else 'Notch'} at {show_number(hertz, 'Hz')}"
            x, y = self._x(hertz), self._y(level)
            box = QRectF(x - 6, y, 12, self._plot().bottom() - y)
            rows.append(Part(name, show_number(level, "dB", sign=True), box, n == self.at))
        return tuple(rows)

    def _plot(self) -> QRectF:
        return plot_area(self.width(), self.height(), self.scale)

    def _x(self, hertz: float) -> float:
        plot, first, last = self._plot(), float(self.frequencies[0]), float(self.frequencies[-1])
        return plot.left() + plot.width() * float(np.log(hertz / first) / np.log(last / first))

    def _y(self, db: float) -> float:
        plot, held = self._plot(), min(max(db, LOWEST_DB), HIGHEST_DB)
        return plot.top() + plot.height() * (HIGHEST_DB - held) / (HIGHEST_DB - LOWEST_DB)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not len(self.frequencies):
            painter.setFont(font(10, scale=self.scale))
            painter.setPen(self.theme.color("muted"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.words)
        else:
            self._paint(painter)
        self.paint_part(painter, self.scale)
        painter.end()

    def _paint(self, painter: QPainter) -> None:
        theme, s = self.theme, self.scale
        plot, x, y = self._plot(), self._x, self._y
        first, last = float(self.frequencies[0]), float(self.frequencies[-1])

        axes = Axes(painter, theme, plot, s)
        axes.levels((10.0, 0.0, -10.0, -20.0, -30.0), y, heavy=0.0, sign=True)
        axes.frequencies(first, last, x)
        self._paint_band(painter, plot, x, y)
        painter.setFont(font(9, QFont.Weight.DemiBold, s))
        metrics = QFontMetricsF(painter.font())
        edge = plot.left()
        for hertz in self.notches:
            painter.setPen(QPen(theme.color("fix"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x(hertz), plot.top()), QPointF(x(hertz), plot.bottom()))
            text = show_number(hertz, "Hz")
            left = max(x(hertz) + 3, edge)
            painter.setPen(theme.color("text"))
            painter.drawText(QPointF(left, plot.bottom() - 4), text)
            edge = left + metrics.horizontalAdvance(text) + 6
        painter.setPen(theme.color("text"))
        wide = metrics.horizontalAdvance(self.words) + 12
        box = QRectF(plot.right() - wide, plot.top() + 2, wide, metrics.height() + 2)
        back = theme.color("panel")
        back.setAlphaF(0.9)
        painter.fillRect(box, back)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.words)

    def _paint_band(self, painter: QPainter, plot: QRectF, x: object, y: object) -> None:
        columns = np.array([round(x(float(hertz))) for hertz in self.frequencies])  # type: ignore[operator]
        places = np.unique(columns)
        starts = np.searchsorted(columns, places)
        high = np.maximum.reduceat(self.level, starts)
        low = np.minimum.reduceat(self.level, starts)
        # Joined with the neighbour, so that the band has no gaps.
        high[1:] = np.maximum(high[1:], low[:-1])
        low[1:] = np.minimum(low[1:], high[:-1])
        path = QPainterPath(QPointF(float(places[0]), y(float(high[0]))))  # type: ignore[operator]
        for place, level in zip(places, high, strict=True):
            path.lineTo(QPointF(float(place), y(float(level))))  # type: ignore[operator]
        for place, level in zip(places[::-1], low[::-1], strict=True):
            path.lineTo(QPointF(float(place), y(float(level))))  # type: ignore[operator]
        fill = QColor(self.hue)
        fill.setAlphaF(0.35)
        painter.save()
        painter.setClipRect(plot.adjusted(0, -1, 0, 1))
        painter.setBrush(fill)
        painter.setPen(QPen(self.hue, 1.4))
        painter.drawPath(path)
        painter.restore()
