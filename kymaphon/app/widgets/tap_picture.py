"""The tap test as plumb lines: each meter hangs from what it should show; a weight lies where it came to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.marks import draw_mark

DEEPEST = -40.0
HIGHEST = 14.0
BAND_DB = 8.0
"""So far off what is expected it is still as it should."""
LEAST_WIDE = 62.0


@dataclass(frozen=True, slots=True)
class Plumb:
    """One meter.

    Attributes:
        name, part: in two lines below it.
        expected: below its mark; -inf where it must not move.
        seen: what was seen: below its mark, -inf for silent; None where nobody has looked.
        wrong: what was seen is not what should be.
    """

    name: str
    part: str
    expected: float
    seen: float | None = None
    wrong: bool = False


class TapPicture(QWidget):
    """Columns of meters, those that must move first.

    Signals:
        selected: the meter that the user went to.
        key: a key that is an answer, in capital letters.
    """

    selected = Signal(int)
    key = Signal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.rows: tuple[Plumb, ...] = ()
        self.index = 0
        self.first = 0
        self.words = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(220)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Meters of this tap")

    def set_rows(self, rows: Sequence[Plumb], index: int, words: str = "") -> None:
        """The meters; `words` stand where there are none."""
        self.rows, self.words = tuple(rows), words
        self.index = max(0, min(index, len(self.rows) - 1))
        self._bring_in()
        self.setAccessibleDescription("; ".join(map(spoken, self.rows)))
        self.update()

    def _bring_in(self) -> None:
        count = self._columns()
        self.first = max(0, min(self.first, self.index, len(self.rows) - count))
        if self.index >= self.first + count:
            self.first = self.index - count + 1

    def _columns(self) -> int:
        return max(1, int((self.width() - 74 * self.scale - 12) / (LEAST_WIDE * self.scale)))

    def _plot(self) -> QRectF:
        s = self.scale
        return QRectF(74 * s, 18, self.width() - 74 * s - 12, self.height() - 18 - 74 * s)

    def _y(self, below: float) -> float:
        plot = self._plot()
        held = min(max(below, DEEPEST), HIGHEST)
        return plot.top() + plot.height() * (HIGHEST - held) / (HIGHEST - DEEPEST)

    def _x(self, place: int) -> float:
        plot, shown = self._plot(), min(self._columns(), max(1, len(self.rows)))
        return plot.left() + plot.width() * (place - self.first + 0.5) / shown

    def resizeEvent(self, event: object) -> None:
        self._bring_in()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.rows:
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(11, scale=self.scale))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(self.rect()).adjusted(40, 0, -40, 0), flags, self.words)
        else:
            self._paint_levels(painter)
            for place in range(self.first, min(len(self.rows), self.first + self._columns())):
                self._paint_plumb(painter, place)
            self._paint_more(painter)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(self.theme.color("lantern"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), 6, 6)
        painter.end()

    def _paint_levels(self, painter: QPainter) -> None:
        plot = self._plot()
        painter.setFont(font(8.5, scale=self.scale))
        metrics = QFontMetricsF(painter.font())
        for below in (0, 10, 20, 30):
            y = self._y(-below)
            painter.setPen(QPen(self.theme.color("line"), 1.0 if not below else 0.6))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            painter.setPen(self.theme.color("muted"))
            painter.drawText(QPointF(10, y + metrics.ascent() / 2 - 1), "its mark" if not below else f"{below} below")
        painter.drawText(QPointF(10, self._y(DEEPEST) + metrics.ascent() / 2 - 1), "silent")

    def _paint_plumb(self, painter: QPainter, place: int) -> None:
        theme, row, x, s = self.theme, self.rows[place], self._x(place), self.scale
        plot, here = self._plot(), place == self.index
        wide = min(34.0 * s, plot.width() / max(1, min(self._columns(), len(self.rows))) * 0.6)
        if here:
            shade = theme.color("raised")
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(shade)
            painter.drawRoundedRect(QRectF(x - wide * 0.85, 6, wide * 1.7, self.height() - 12), 5, 5)
        painter.setPen(QPen(theme.color("line"), 0.8))
        painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        moves = row.expected > DEEPEST
        painter.setPen(Qt.PenStyle.NoPen)
        band = theme.color("voice" if moves else "line")
        band.setAlphaF(0.28 if moves else 0.55)
        painter.setBrush(band)
        if moves:
            top, bottom = self._y(row.expected + BAND_DB), self._y(row.expected - BAND_DB)
        else:
            top, bottom = self._y(DEEPEST + 6), self._y(DEEPEST) + 4
        painter.drawRoundedRect(QRectF(x - wide / 2, top, wide, bottom - top), 4, 4)
        self._paint_weight(painter, row, x)
        self._paint_words(painter, row, x, here=here)

    def _paint_weight(self, painter: QPainter, row: Plumb, x: float) -> None:
        theme, s = self.theme, self.scale
        if row.seen is None:
            return
        y = self._y(row.seen)
        colour = theme.color("stop" if row.wrong else "voice")
        if row.seen > DEEPEST:
            line = theme.color("stop" if row.wrong else "voice")
            line.setAlphaF(0.6)
            painter.setPen(QPen(line, 3))
            painter.drawLine(QPointF(x, self._y(DEEPEST)), QPointF(x, y))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
        else:
            painter.setPen(QPen(colour, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x, y), 6 * s, 6 * s)
        if row.wrong:
            painter.setFont(font(9, QFont.Weight.DemiBold, s))
            painter.setPen(colour)
            words = "silent" if row.seen <= DEEPEST else "moves" if row.expected <= DEEPEST else "off"
            painter.drawText(QRectF(x - 40, y - 28 * s, 80, 18 * s), Qt.AlignmentFlag.AlignCenter, words)

    def _paint_words(self, painter: QPainter, row: Plumb, x: float, *, here: bool) -> None:
        theme, s, plot = self.theme, self.scale, self._plot()
        top = plot.bottom() + 10
        mark = QRectF(x - 6.5, top, 13, 13)
        if row.seen is None:
            painter.setPen(QPen(theme.color("muted"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(mark.adjusted(2, 2, -2, -2))
        else:
            draw_mark(painter, mark, "stop" if row.wrong else "tick", theme)
        wide = plot.width() / max(1, min(self._columns(), len(self.rows)))
        for line, words in enumerate((row.name, row.part)):
            painter.setFont(font(8.5, QFont.Weight.DemiBold if not line else QFont.Weight.Normal, s))
            painter.setPen(theme.color("lantern" if here else "muted" if line else "text"))
            metrics = QFontMetricsF(painter.font())
            shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, wide - 4)
            box = QRectF(x - wide / 2, top + 18 + line * metrics.height(), wide, metrics.height())
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shown)

    def _paint_more(self, painter: QPainter) -> None:
        """That there are more to the left or to the right."""
        painter.setFont(font(8.5, scale=self.scale))
        painter.setPen(self.theme.color("muted"))
        left, right = self.first, len(self.rows) - self.first - self._columns()
        if left > 0:
            painter.drawText(QPointF(10, 14), f"{left} more to the left")
        if right > 0:
            box = QRectF(self.width() - 220, 2, 208, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight, f"{right} more to the right")

    def _go(self, index: int) -> None:
        if self.rows:
            self.index = max(0, min(index, len(self.rows) - 1))
            self._bring_in()
            self.selected.emit(self.index)
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        named = {
            Qt.Key.Key_Return: "ENTER",
            Qt.Key.Key_Enter: "ENTER",
            Qt.Key.Key_Backspace: "BACK",
        }.get(Qt.Key(event.key()))
        letter = event.text().upper()
        if step is not None:
            self._go(self.index + step)
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self._go(0 if event.key() == Qt.Key.Key_Home else len(self.rows) - 1)
        elif named is not None:
            self.key.emit(named)
        elif not event.modifiers() & Qt.KeyboardModifier.ControlModifier and letter and letter in "YNAHR123456789":
            self.key.emit(letter)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        plot, shown = self._plot(), min(self._columns(), max(1, len(self.rows)))
        if self.rows and event.position().x() >= plot.left():
            self._go(self.first + int((event.position().x() - plot.left()) / (plot.width() / shown)))

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()


def spoken(row: Plumb) -> str:
    """A meter in words, for screen readers."""
    should = "must move" if row.expected > DEEPEST else "must not move"
    if row.seen is None:
        return f"{row.name}, {row.part}: {should}, not looked at"
    was = "silent" if row.seen <= DEEPEST else "moved"
    return f"{row.name}, {row.part}: {should}, {was}{', wrong' if row.wrong else ''}"
