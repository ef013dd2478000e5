"""The order of work as bars against the clock: what decides is solid, what has slack is outlined with its slack behind it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from kymaphon.app.theme import Theme, font

ROW = 20
NAMES = 250
TOP = 38
"""Clock, and the words of now, stand-by and air, above the first bar."""
STEPS_MIN = (5, 10, 15, 30, 60, 120, 240, 480, 1440)
"""Minutes between two lines of the clock: the first at which the words do not meet."""


@dataclass(frozen=True, slots=True)
class Bar:
    """One task: minutes from the start of the plan."""

    id: str
    text: str
    start: float
    end: float
    slack: float
    decides: bool
    who: str


class WorkBars(QWidget):
    """The picture.

    Signals:
        chosen: the task that was clicked.
    """

    chosen = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.scale = 1.0
        self.bars: tuple[Bar, ...] = ()
        self.begins_min = 0.0
        """Minutes after midnight at which the plan begins, for the words of the clock; below nought where there is no clock."""
        self.deadline: float | None = None
        self.air: float | None = None
        self.now: float | None = None
        self.selected = ""
        self.setAccessibleName("Order of work against the clock")

    def show_plan(
        self,
        bars: tuple[Bar, ...],
        begins_min: float,
        *,
        deadline: float | None,
        air: float | None,
        now: float | None,
        words: str,
    ) -> None:
        """Another plan. `deadline`, `air` and `now` are minutes from its start; None where there is none."""
        self.bars, self.begins_min = bars, begins_min
        self.deadline, self.air, self.now = deadline, air, now
        self.setAccessibleDescription(words)
        self.updateGeometry()
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def select(self, task: str) -> None:
        self.selected = task
        self.update()

    def set_scale(self, scale: float) -> None:
        self.scale = scale
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(640, round((TOP + 8 + ROW * max(len(self.bars), 4)) * self.scale))

    @property
    def _span(self) -> float:
        """Minutes that are shown: the plan, and air where it is not so far that the plan would shrink to nothing."""
        end = max((row.end for row in self.bars), default=60.0)
        marks = [row for row in (self.deadline, self.air, self.now) if row is not None and row > 0]
        near = [row for row in marks if row <= 2.5 * end]
        return max([end, *near]) * 1.02

    def _x(self, minutes: float) -> float:
        left = NAMES * self.scale
        return left + (self.width() - left - 70 * self.scale) * minutes / self._span

    def _y(self, row: int) -> float:
        return (TOP + ROW * row) * self.scale

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._clock(painter)
        for n, row in enumerate(self.bars):
            self._bar(painter, n, row)
        self._lines(painter)
        painter.end()

    def _ticks(self, metrics: QFontMetricsF) -> Iterator[tuple[float, str]]:
        room = metrics.horizontalAdvance("00:00 ") * 1.3
        step = next((row for row in STEPS_MIN if self._x(row) - self._x(0) >= room), STEPS_MIN[-1])
        first = -self.begins_min % step if self.begins_min >= 0 else 0.0
        at = first
        while at <= self._span:
            yield at, self._words(at)
            at += step

    def _words(self, minutes: float) -> str:
        if self.begins_min < 0:
            return f"{minutes:.0f} min"
        whole = round(self.begins_min + minutes) % 1440
        return f"{whole // 60:02d}:{whole % 60:02d}"

    def _clock(self, painter: QPainter) -> None:
        painter.setFont(font(9, QFont.Weight.Normal, self.scale))
        metrics = QFontMetricsF(painter.font())
        bottom = self._y(len(self.bars))
        for at, words in self._ticks(metrics):
            x = self._x(at)
            painter.setPen(QPen(self.theme.color("line"), 1))
            painter.drawLine(QPointF(x, 20 * self.scale), QPointF(x, bottom))
            painter.setPen(self.theme.color("muted"))
            painter.drawText(QPointF(x - metrics.horizontalAdvance(words) / 2, 14 * self.scale), words)

    def _bar(self, painter: QPainter, n: int, row: Bar) -> None:
        theme, s = self.theme, self.scale
        top = self._y(n)
        if row.id == self.selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("raised"))
            painter.drawRoundedRect(QRectF(0, top, self.width(), ROW * s), 3, 3)
        weight = QFont.Weight.DemiBold if row.decides else QFont.Weight.Normal
        painter.setFont(font(9, weight, s))
        metrics = QFontMetricsF(painter.font())
        painter.setPen(theme.color("text"))
        text = metrics.elidedText(row.text, Qt.TextElideMode.ElideRight, (NAMES - 12) * s)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(2, top, (NAMES - 10) * s, ROW * s), middle, text)
        left, right = self._x(row.start), max(self._x(row.end), self._x(row.start) + 3)
        box = QRectF(left, top + 4 * s, right - left, (ROW - 8) * s)
        if row.slack > 0.5:
            # Until here it may take without anything ending later.
            painter.setPen(QPen(theme.color("muted"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(right, box.center().y()), QPointF(self._x(row.end + row.slack), box.center().y()))
        painter.setPen(QPen(theme.color("lantern"), 1.2))
        painter.setBrush(theme.color("lantern") if row.decides else theme.color("raised"))
        painter.drawRoundedRect(box, 3, 3)
        painter.setFont(font(8, QFont.Weight.Normal, s))
        painter.setPen(theme.color("muted"))
        metrics = QFontMetricsF(painter.font())
        free = self._x(row.end + row.slack) + 2 if row.slack > 0.5 else right
        room = self.width() - free - 8
        painter.drawText(
            QRectF(free + 5, top, room, ROW * s),
            middle,
            metrics.elidedText(row.who, Qt.TextElideMode.ElideRight, room),
        )

    def _lines(self, painter: QPainter) -> None:
        """Now, stand-by and air."""
        painter.setFont(font(8, QFont.Weight.DemiBold, self.scale))
        bottom = self._y(len(self.bars))
        rows = (("now", self.now, "text"), ("stand by", self.deadline, "fix"), ("air", self.air, "stop"))
        for words, at, color in rows:
            if at is None or at < 0 or at > self._span:
                continue
            x = self._x(at)
            painter.setPen(QPen(self.theme.color(color), 2))
            painter.drawLine(QPointF(x, 32 * self.scale), QPointF(x, bottom))
            wide = QFontMetricsF(painter.font()).horizontalAdvance(words)
            # Stand-by ends at its line and air begins at it: they are often near each other.
            left = {"stand by": x - wide - 3, "air": x + 3}.get(words, x - wide / 2)
            painter.drawText(QPointF(min(left, self.width() - wide), 29 * self.scale), words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        n = int((event.position().y() / self.scale - TOP) // ROW)
        if 0 <= n < len(self.bars):
            self.chosen.emit(self.bars[n].id)
