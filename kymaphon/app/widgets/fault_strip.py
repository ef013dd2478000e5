"""A recording from left to right: its level, and where a fault is heard in it."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.axes import Axes, plot_area, round_levels, time_step
from kymaphon.app.widgets.trace import draw_trace, fill_under

Floats = NDArray[np.float64]
DEEPEST_DB = 70.0
NEAR_PX = 8


class FaultStrip(QWidget):
    """The level of a take over its time, with marks. A press on it plays from there.

    Signals:
        pressed: a time in the recording, in seconds; that of a mark where one is near.
    """

    pressed = Signal(float)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.seconds = 0.0
        self.level: Floats = np.zeros(0)
        self.marks: tuple[float, ...] = ()
        self.others: tuple[float, ...] = ()
        self.chosen = -1
        self.empty = ""
        self.setMinimumHeight(130)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The recording, with where the fault is heard")

    def set_take(self, seconds: float, level: Floats, empty: str) -> None:
        """Levels in dBFS, evenly over the time, shape (points,); without any, `empty` is told instead."""
        self.seconds, self.level, self.empty = seconds, level, empty
        self.update()

    def set_marks(self, marks: tuple[float, ...], others: tuple[float, ...], chosen: int) -> None:
        """Where the chosen fault is heard and, dim, where all the others are, in s; and which mark is the next to be played."""
        self.marks, self.others, self.chosen = marks, others, chosen
        places = ", ".join(f"{at:.1f} s" for at in marks[:5])
        self.setAccessibleDescription(f"Heard at {places}." if marks else "Heard throughout, or nothing is chosen.")
        self.update()

    def _plot(self) -> QRectF:
        return plot_area(self.width(), self.height(), self.scale)

    def _x(self, at: float) -> float:
        plot = self._plot()
        return plot.left() + plot.width() * min(max(at / max(self.seconds, 1e-9), 0.0), 1.0)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.seconds:
            return
        x, plot = event.position().x(), self._plot()
        near = min(self.marks, key=lambda at: abs(self._x(at) - x), default=None)
        if near is not None and abs(self._x(near) - x) <= NEAR_PX * self.scale:
            self.pressed.emit(near)
        else:
            self.pressed.emit(min(max((x - plot.left()) / max(plot.width(), 1.0), 0.0), 1.0) * self.seconds)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not len(self.level):
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(11, scale=self.scale))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.empty)
            painter.end()
            return
        plot = self._plot()
        high = math.ceil(max(float(self.level.max()), -60.0) / 10) * 10
        low = high - DEEPEST_DB
        axes = Axes(painter, self.theme, plot, self.scale)
        axes.levels(
            round_levels(low + 1, high), lambda level: plot.bottom() - plot.height() * (level - low) / DEEPEST_DB
        )
        step = time_step(self.seconds, 8)
        axes.times(list(map(float, np.arange(0, self.seconds + 1e-9, step))), step, self._x)
        columns = min(len(self.level), max(2, int(plot.width())))
        starts = np.linspace(0, len(self.level), columns, endpoint=False).astype(int)
        tops = np.clip(np.maximum.reduceat(self.level, starts), low, high)
        along = plot.left() + plot.width() * (np.arange(columns) + 0.5) / columns
        line = [
            QPointF(float(x), float(plot.bottom() - plot.height() * (level - low) / DEEPEST_DB))
            for x, level in zip(along, tops, strict=True)
        ]
        fill_under(painter, line, plot.bottom(), self.theme.color("voice"), 0.25)
        draw_trace(painter, line, self.theme.color("voice"))
        dim = self.theme.color("muted")
        dim.setAlphaF(0.5)
        painter.setPen(QPen(dim, 1))
        for at in self.others:
            painter.drawLine(QPointF(self._x(at), plot.bottom() - 8), QPointF(self._x(at), plot.bottom()))
        for n, at in enumerate(self.marks):
            painter.setPen(QPen(self.theme.color("fix"), 2.5 if n == self.chosen else 1.2))
            painter.drawLine(QPointF(self._x(at), plot.top()), QPointF(self._x(at), plot.bottom()))
        painter.end()
