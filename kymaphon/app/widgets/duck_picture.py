"""Music under a voice: the voice's level, the music's as it is and as it is turned down, over time."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.axes import Axes, plot_area, round_levels, time_step
from kymaphon.app.widgets.painted import Part, Walked
from kymaphon.app.widgets.trace import draw_trace, fill_under
from kymaphon.core.derive import show_number

Floats = NDArray[np.float64]
DEEPEST_DB = 60.0
READ_IN = 24
"""Into so many stretches of equal length it is parted for the keyboard and for readers."""


class DuckPicture(Walked):
    """Three traces over the time of the voice's take."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.seconds = 0.0
        self.voice: Floats = np.zeros(0)
        self.music: Floats = np.zeros(0)
        self.gain: Floats = np.zeros(0)
        self.setMinimumHeight(170)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Music under the voice, over time")

    def set_traces(self, seconds: float, voice: Floats, music: Floats, gain: Floats) -> None:
        """Levels in dBFS and the music's gain in dB, all of one length; shape (points,)."""
        self.seconds, self.voice, self.music, self.gain = seconds, voice, music, gain
        low = float(gain.min(initial=0.0))
        self.setAccessibleDescription(
            f"Music goes down by {-low:.1f} dB under the voice." if len(gain) else "No takes yet."
        )
        self.update()

    def parts(self) -> tuple[Part, ...]:
        """Stretches of the take, each with what voice and music are in it."""
        count = min(READ_IN, len(self.gain))
        if not count:
            return ()
        plot = plot_area(self.width(), self.height(), self.scale)
        edges = np.linspace(0, len(self.gain), count + 1).astype(int)
        rows = []
        for n, (a, b) in enumerate(pairwise(edges)):
            start, end = (self.seconds * edge / len(self.gain) for edge in (a, b))
            voice, music = float(self.voice[a:b].max()), float((self.music + self.gain)[a:b].mean())
            value = (
                f"voice up to {show_number(voice, 'dBFS')}, music at {show_number(music, 'dBFS')}, "
                f"down by {-float(self.gain[a:b].mean()):.1f} dB"
            )
            left, right = (plot.left() + plot.width() * edge / len(self.gain) for edge in (a, b))
            box = QRectF(left, plot.top(), right - left, plot.height())
            rows.append(Part(f"{start:.1f} to {end:.1f} s", value, box, n == self.at))
        return tuple(rows)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not len(self.gain):
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(11, scale=self.scale))
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter,
                "A take of the voice and one of the music are needed",
            )
            painter.end()
            return
        s = self.scale
        plot = plot_area(self.width(), self.height(), s)
        high = float(np.ceil(max(self.voice.max(), self.music.max()) / 10) * 10)
        low = high - DEEPEST_DB

        def y(level: Floats) -> Floats:
            return np.asarray(plot.bottom() - plot.height() * (np.clip(level, low, high) - low) / (high - low))

        axes = Axes(painter, self.theme, plot, s)
        axes.levels(round_levels(low + 1, high), lambda level: float(y(np.array([level]))[0]))
        step = time_step(self.seconds, 10)
        marks = np.arange(0, self.seconds + 1e-9, step)
        axes.times(list(map(float, marks)), step, lambda at: plot.left() + plot.width() * at / self.seconds)
        along = plot.left() + plot.width() * (np.arange(len(self.gain)) + 0.5) / len(self.gain)

        def line(levels: Floats) -> list[QPointF]:
            return [QPointF(float(a), float(b)) for a, b in zip(along, y(levels), strict=True)]

        voice = line(self.voice)
        fill_under(painter, voice, plot.bottom(), self.theme.color("voice"), 0.3)
        draw_trace(painter, line(self.music), self.theme.color("muted"))
        draw_trace(painter, line(self.music + self.gain), self.theme.color("lantern"), 2.4)
        self._names(painter, plot)
        self.paint_part(painter, self.scale)
        painter.end()

    def _names(self, painter: QPainter, plot: QRectF) -> None:
        painter.setFont(font(9, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        x = plot.left() + 10
        for text, role in (
            ("voice", "voice"),
            ("music as it is, dotted", "muted"),
            ("music under the voice", "lantern"),
        ):
            width = metrics.horizontalAdvance(text) + 32
            box = QRectF(x, plot.top() + 4, width, metrics.height() + 4)
            back = self.theme.color("panel")
            back.setAlphaF(0.92)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(back)
            painter.drawRoundedRect(box, 3, 3)
            painter.fillRect(QRectF(box.left() + 5, box.center().y() - 2, 14, 4), self.theme.color(role))
            painter.setPen(self.theme.color("text"))
            painter.drawText(box.adjusted(25, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, text)
            x += width + 8
