"""The rundown along the clock: what was, what is on and how far, what is to come, and the hard times that it has to meet."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font

HEIGHT = 72
TOP, BLOCK = 22, 30
LEAST = 3.0
"""A segment is never narrower than this, in pixels."""


@dataclass(frozen=True, slots=True)
class Block:
    """A segment: seconds from the start of the show."""

    id: str
    name: str
    start: float
    end: float
    state: str


@dataclass(frozen=True, slots=True)
class HardLine:
    """A hard time: seconds from the start, its words, and whether it will be missed."""

    at: float
    words: str
    missed: bool


class RundownBar(QWidget):
    """The picture.

    Signals:
        chosen: id of the segment that was clicked.
    """

    chosen = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.scale = theme, 1.0
        self.blocks: tuple[Block, ...] = ()
        self.hard: tuple[HardLine, ...] = ()
        self.now: float | None = None
        self.selected = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Rundown along the clock")

    def sizeHint(self) -> QSize:
        return QSize(600, round(HEIGHT * self.scale))

    def set_scale(self, scale: float) -> None:
        self.scale = scale
        self.setFixedHeight(round(HEIGHT * scale))
        self.update()

    def show_rundown(
        self, blocks: tuple[Block, ...], hard: tuple[HardLine, ...], now: float | None, words: str
    ) -> None:
        """Other segments, or the same further on. `now` is in seconds from the start; None where nothing runs."""
        if (blocks, hard, now) == (self.blocks, self.hard, self.now):
            return
        self.blocks, self.hard, self.now = blocks, hard, now
        self.setAccessibleDescription(words)
        self.update()

    def select(self, segment: str) -> None:
        self.selected = segment
        self.update()

    @property
    def _ends(self) -> tuple[float, float]:
        """What is shown, in seconds. A long rundown shows what is round now."""
        ends = [row.end for row in self.blocks] + [row.at for row in self.hard] + ([self.now] if self.now else [])
        return 0.0, max(ends, default=1.0) or 1.0

    def _x(self, seconds: float) -> float:
        first, last = self._ends
        room = self.width() - 2 * 12
        return 12 + room * (seconds - first) / max(last - first, 1.0)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        s = self.scale
        painter.setFont(font(9, QFont.Weight.DemiBold, s))
        metrics = QFontMetricsF(painter.font())
        for row in self.blocks:
            self._block(painter, metrics, row)
        taken: list[tuple[float, float]] = []
        if self.now is not None:
            self._line(painter, metrics, self.now, "now", "text", taken)
        for hard in self.hard:
            self._line(painter, metrics, hard.at, hard.words, "stop" if hard.missed else "muted", taken)
        painter.end()

    def _block(self, painter: QPainter, metrics: QFontMetricsF, row: Block) -> None:
        theme, s = self.theme, self.scale
        left = self._x(row.start)
        right = max(self._x(row.end) - 2, left + LEAST)
        box = QRectF(left, TOP * s, right - left, BLOCK * s)
        on = row.state == "on"
        painter.setPen(QPen(theme.color("lantern" if on or row.id == self.selected else "line"), 1.6 if on else 1.0))
        painter.setBrush(theme.color("lantern") if on else theme.color("line" if row.state == "done" else "raised"))
        painter.drawRoundedRect(box, 3, 3)
        room = box.width() - 8
        if room > metrics.averageCharWidth() * 3:
            painter.setPen(theme.color("on_lantern") if on else theme.color("muted" if row.state == "done" else "text"))
            text = metrics.elidedText(row.name, Qt.TextElideMode.ElideRight, room)
            painter.drawText(
                box.adjusted(4, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text
            )

    def _line(
        self,
        painter: QPainter,
        metrics: QFontMetricsF,
        at: float,
        words: str,
        role: str,
        taken: list[tuple[float, float]],
    ) -> None:
        s = self.scale
        x = self._x(at)
        painter.setPen(QPen(self.theme.color(role), 2))
        painter.drawLine(QPointF(x, (TOP - 5) * s), QPointF(x, (TOP + BLOCK + 8) * s))
        wide = metrics.horizontalAdvance(words)
        left = min(max(2.0, x - wide / 2), self.width() - wide - 2)
        # Words that would meet others over the blocks stand under them.
        below = any(left < b + 6 and a < left + wide + 6 for a, b in taken)
        if not below:
            taken.append((left, left + wide))
        painter.drawText(QPointF(left, ((TOP + BLOCK + 20) if below else TOP - 9) * s), words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        found = next((row.id for row in self.blocks if self._x(row.start) <= x <= self._x(row.end)), None)
        if found is not None:
            self.chosen.emit(found)
