"""Voice and room by thirds of an octave, and the curve of the low cut over them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.axes import Axes, plot_area, round_levels
from kymaphon.core.dynamics.outline import level_span

Floats = NDArray[np.float64]
LOWEST_HZ, HIGHEST_HZ = 25.0, 16000.0
CURVE_DB = 30.0
"""The low cut's curve has a scale of its own: from nothing at the top to so much off."""


class SpectrumPicture(QWidget):
    """Bars of room and line of voice on a logarithmic axis.

    Signals:
        corner: the corner that the user moved the low cut to, in Hz.
    """

    corner = Signal(float)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.middles: Floats = np.zeros(0)
        self.voice: Floats = np.zeros(0)
        self.room: Floats = np.zeros(0)
        self.curve: tuple[Floats, Floats] | None = None
        self.corner_hz: float | None = None
        self.tentative = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(170)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Voice and room by frequency")
        self.setStatusTip(
            "Left and Right move the low cut's corner; what it buys stands in the table and in the Why panel."
        )

    def set_bands(self, middles: Floats, voice: Floats, room: Floats) -> None:
        """Levels in dBFS of thirds of an octave; shapes (bands,)."""
        inside = (middles >= LOWEST_HZ * 0.95) & (middles <= HIGHEST_HZ * 1.05)
        self.middles, self.voice, self.room = middles[inside], voice[inside], room[inside]
        self.update()

    def set_cut(self, corner_hz: float | None, curve: tuple[Floats, Floats] | None, *, tentative: bool) -> None:
        """The low cut's corner and its curve (Hz, dB); tentative where the show has it not."""
        self.corner_hz, self.curve, self.tentative = corner_hz, curve, tentative
        text = "no low cut" if corner_hz is None else f"low cut at {corner_hz:.0f} Hz"
        self.setAccessibleDescription(text)
        self.update()

    def _plot(self) -> QRectF:
        return plot_area(self.width(), self.height(), self.scale)

    def _x(self, hertz: float) -> float:
        plot = self._plot()
        part = np.log(max(hertz, 1.0) / LOWEST_HZ) / np.log(HIGHEST_HZ / LOWEST_HZ)
        return plot.left() + plot.width() * float(np.clip(part, 0, 1))

    def _hertz(self, x: float) -> float:
        plot = self._plot()
        part = (x - plot.left()) / max(plot.width(), 1.0)
        return float(LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** part)

    def _limits(self) -> tuple[float, float]:
        heard = np.concatenate((self.voice, self.room))
        return level_span(heard[heard > -150], room_db=(10, 2), percent=3, floor_db=-150)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not len(self.middles):
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(11, scale=self.scale))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "No take yet")
        else:
            self._paint(painter)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(self.theme.color("lantern"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), 6, 6)
        painter.end()

    def _paint(self, painter: QPainter) -> None:
        plot, (low, high) = self._plot(), self._limits()

        def y(level: float) -> float:
            return plot.bottom() - plot.height() * (min(max(level, low), high) - low) / (high - low)

        axes = Axes(painter, self.theme, plot, self.scale)
        axes.levels(round_levels(low, high), y)
        axes.frequencies(LOWEST_HZ, HIGHEST_HZ * 0.9, self._x)
        wide = plot.width() / (np.log2(HIGHEST_HZ / LOWEST_HZ) * 3)
        room = self.theme.color("room")
        room.setAlphaF(0.72)
        painter.save()
        painter.setClipRect(plot)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(room)
        for hertz, level in zip(self.middles, self.room, strict=True):
            if level > low:
                top = y(float(level))
                painter.drawRect(QRectF(self._x(float(hertz)) - wide * 0.42, top, wide * 0.84, plot.bottom() - top))
        painter.restore()
        points = [
            QPointF(self._x(float(hertz)), y(float(level)))
            for hertz, level in zip(self.middles, self.voice, strict=True)
        ]
        path = QPainterPath(points[0])
        for point in points[1:]:
            path.lineTo(point)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self.theme.color("voice"), 2.4))
        painter.drawPath(path)
        self._paint_cut(painter, plot)
        self._names(painter, plot, y)

    def _paint_cut(self, painter: QPainter, plot: QRectF) -> None:
        if self.curve is None or self.corner_hz is None:
            return
        hertz, gain = self.curve
        painter.save()
        painter.setClipRect(plot)
        style = Qt.PenStyle.DashLine if self.tentative else Qt.PenStyle.SolidLine
        painter.setPen(QPen(self.theme.color("lantern"), 2, style))
        path = QPainterPath()
        for i, (at, db) in enumerate(zip(hertz, gain, strict=True)):
            point = QPointF(
                self._x(float(at)),
                plot.top() + 6 + plot.height() * min(-float(db), CURVE_DB * 2) / (CURVE_DB * 1.4),
            )
            if i:
                path.lineTo(point)
            else:
                path.moveTo(point)
        painter.drawPath(path)
        painter.restore()
        painter.setFont(font(9.5, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        text = f"low cut {self.corner_hz:.0f} Hz" + (", not set" if self.tentative else "")
        width = metrics.horizontalAdvance(text) + 18
        box = QRectF(self._x(self.corner_hz) + 8, plot.top() + 14, width, metrics.height() + 4)
        painter.setBrush(self.theme.color("ground"))
        painter.setPen(QPen(self.theme.color("lantern"), 2 if self.hasFocus() else 1))
        painter.drawRoundedRect(box, box.height() / 2, box.height() / 2)
        painter.setPen(self.theme.color("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _names(self, painter: QPainter, plot: QRectF, y: object) -> None:
        painter.setFont(font(9, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        x = plot.right() - 8
        for row, (text, role) in enumerate((("voice, room taken off", "voice"), ("room", "room"))):
            width = metrics.horizontalAdvance(text) + 30
            box = QRectF(x - width, plot.top() + 4 + row * (metrics.height() + 4), width, metrics.height() + 2)
            painter.setPen(Qt.PenStyle.NoPen)
            back = self.theme.color("panel")
            back.setAlphaF(0.9)
            painter.setBrush(back)
            painter.drawRoundedRect(box, 3, 3)
            mark = QRectF(
                box.left() + 4,
                box.center().y() - (1.5 if role == "voice" else 5),
                14,
                3 if role == "voice" else 10,
            )
            painter.fillRect(mark, self.theme.color(role))
            painter.setPen(self.theme.color("text"))
            painter.drawText(box.adjusted(24, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if len(self.middles):
            self.corner.emit(self._hertz(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton and len(self.middles):
            self.corner.emit(self._hertz(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {
            Qt.Key.Key_Left: -2.0,
            Qt.Key.Key_Right: 2.0,
            Qt.Key.Key_PageDown: -10.0,
            Qt.Key.Key_PageUp: 10.0,
        }.get(Qt.Key(event.key()))
        if step is not None and self.corner_hz is not None:
            self.corner.emit(self.corner_hz + step)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()
