"""Voices on air, a row each: the last ten minutes against the line-up, the meter as it stands against its mark, and what to turn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.app.widgets.trace import draw_trace

ROW, TALLEST = 26, 40
"""Height of a row at least, and at most where there is room."""
ROWS_A_FRAME = 2
"""So many rows are painted anew in one frame: a second of them is spread over its frames."""
SPAN_S = 600.0
LOW, HIGH = -24.0, 10.0
"""What the meter shows round its mark, dB."""
BAND = 3.0
"""Either side of the line-up nothing needs turning."""
GAP_S = 12.0
TREND = 12.0
"""The last ten minutes reach so far either side of the line-up, dB."""


@dataclass(frozen=True, slots=True)
class Strip:
    """A voice.

    Attributes:
        hue: number of its party's hue.
        state: "open", "closed", or "plays".
        trace: (seconds ago, dB above its line-up), the oldest first.
        change: against the line-up in words; `words`: what follows; `mark`: severity, "settled" or empty.
        tolerance: either side of its mark nothing is wrong with the meter.
    """

    voice: str
    name: str
    hue: int
    state: str
    trace: tuple[tuple[float, float], ...] = ()
    change: str = ""
    words: str = ""
    mark: str = ""
    tolerance: float = 3.0


class AirStrips(QWidget):
    """The picture: each row is painted into a picture of its own when something in it has changed, a few rows a frame; the meters over it.

    Signals:
        chosen: the voice that was clicked.
    """

    chosen = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.scale = theme, 1.0
        self.rows: tuple[Strip, ...] = ()
        self.needles: Sequence[float | None] = ()
        self.metered = False
        self.selected = ""
        self._painted: dict[int, tuple[Strip, QPixmap]] = {}
        self._look: tuple[object, ...] = ()
        self._more = QTimer(self)
        self._more.setSingleShot(True)
        self._more.setInterval(0)
        self._more.timeout.connect(self.update)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("Voices against their line-up")

    def sizeHint(self) -> QSize:
        return QSize(600, round(ROW * max(len(self.rows), 3) * self.scale))

    def minimumSizeHint(self) -> QSize:
        return QSize(300, self.sizeHint().height())

    def set_scale(self, scale: float) -> None:
        self.scale = scale
        self._painted.clear()
        self.updateGeometry()
        self.update()

    def show_rows(self, rows: tuple[Strip, ...], *, metered: bool) -> None:
        """Other voices, or the same a little later."""
        if rows == self.rows and metered == self.metered:
            return
        grown = len(rows) != len(self.rows)
        if metered != self.metered or grown:
            self._painted.clear()
        self.rows, self.metered = rows, metered
        self.setAccessibleDescription("; ".join(f"{row.name}, {row.state}: {row.change} {row.words}" for row in rows))
        if grown:
            self.updateGeometry()
        self.update()

    def show_needles(self, needles: Sequence[float | None]) -> None:
        """Where the meters stand: dB above each mark, None for nothing; in the order of the rows."""
        if needles != self.needles:
            self.needles = needles
            x, wide = self._meter_x
            self.update(int(x) - 2, 0, int(wide) + 4, self.height())

    def select(self, voice: str) -> None:
        self.selected = voice
        self._painted.clear()
        self.update()

    @property
    def _row_height(self) -> float:
        rows = max(len(self.rows), 1)
        return min(max(self.height() / rows, ROW * self.scale), TALLEST * self.scale)

    @property
    def _meter_x(self) -> tuple[float, float]:
        s = self.scale
        left = 118 * s
        trace = max(60.0, (self.width() - left) * 0.26)
        return left + trace + 12 * s, max(60.0, (self.width() - left) * 0.22)

    def paintEvent(self, event: QPaintEvent) -> None:
        look = (self.size(), self.theme.name, self.devicePixelRatioF())
        if look != self._look:
            self._painted.clear()
            self._look = look
        left = ROWS_A_FRAME
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.color("panel"))
        x, wide = self._meter_x
        height = self._row_height
        for n, row in enumerate(self.rows):
            known = self._painted.get(n)
            if known is None or (known[0] != row and left > 0):
                left -= known is not None
                known = self._painted[n] = row, self._picture_of(n, row)
            elif known[0] != row:
                self._more.start()  # the rest in the next frames
            painter.drawPixmap(0, round(height * n), known[1])
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n, (row, needle) in enumerate(zip(self.rows, self.needles, strict=False)):
            self._needle(painter, QRectF(x, height * n, wide, height), row, needle)
        painter.end()

    def _at(self, box: QRectF, off: float) -> float:
        return box.left() + box.width() * (min(max(off, LOW), HIGH) - LOW) / (HIGH - LOW)

    def _needle(self, painter: QPainter, box: QRectF, row: Strip, needle: float | None) -> None:
        if needle is None or needle <= LOW:
            return
        middle = box.center().y()
        over = needle > row.tolerance
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.party(row.hue))
        end = self._at(box, needle)
        painter.drawRect(QRectF(box.left(), middle - 3 * self.scale, end - box.left(), 6 * self.scale))
        if over:
            painter.setPen(QPen(self.theme.color("stop"), 2))
            painter.drawLine(QPointF(end, middle - 8 * self.scale), QPointF(end, middle + 8 * self.scale))

    def _picture_of(self, n: int, row: Strip) -> QPixmap:
        ratio = self.devicePixelRatioF()
        height = round(self._row_height * (n + 1)) - round(self._row_height * n)
        pixmap = QPixmap(round(self.width() * ratio), round(height * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(self.theme.color("panel"))
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._row(painter, row)
        painter.end()
        return pixmap

    def _row(self, painter: QPainter, row: Strip) -> None:
        theme, s = self.theme, self.scale
        height, top = self._row_height, 0.0
        if row.voice == self.selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("raised"))
            painter.drawRoundedRect(QRectF(0, top + 1, self.width(), height - 2), 3, 3)
        closed = row.state == "closed"
        painter.setFont(font(10, QFont.Weight.Normal if closed else QFont.Weight.DemiBold, s))
        metrics = QFontMetricsF(painter.font())
        painter.setPen(theme.color("muted" if closed else "text"))
        middle = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        name = metrics.elidedText(row.name, Qt.TextElideMode.ElideRight, 92 * s)
        painter.drawText(QRectF(20 * s, top, 94 * s, height), middle, name)
        # Open is a full ring round the dot, closed a hollow one: told without colour too.
        painter.setPen(QPen(theme.party(row.hue), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush if closed else theme.party(row.hue))
        painter.drawEllipse(QPointF(9 * s, top + height / 2), 4.5 * s, 4.5 * s)
        x, wide = self._meter_x
        self._trend(painter, QRectF(118 * s, top + 4 * s, x - 130 * s, height - 8 * s), row)
        self._scale_line(painter, QRectF(x, top, wide, height), row)
        left = x + wide + 12 * s
        painter.setFont(font(10, QFont.Weight.DemiBold, s))
        metrics = QFontMetricsF(painter.font())
        role = row.mark if row.mark in ("stop", "fix") else "text"
        painter.setPen(theme.color(role))
        painter.drawText(QRectF(left, top, 64 * s, height), middle, row.change)
        if row.mark:
            draw_mark(painter, QRectF(left + 68 * s, top + height / 2 - 6 * s, 12 * s, 12 * s), row.mark, theme)
        painter.setFont(font(9, QFont.Weight.Normal, s))
        metrics = QFontMetricsF(painter.font())
        painter.setPen(theme.color("muted"))
        room = self.width() - left - 90 * s
        self._two_lines(painter, metrics, row.words, QRectF(left + 86 * s, top, room, height))

    def _two_lines(self, painter: QPainter, metrics: QFontMetricsF, text: str, box: QRectF) -> None:
        """Words in one line, or two small ones, cut with dots only where both are full."""
        middle = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        if metrics.horizontalAdvance(text) <= box.width():
            painter.drawText(box, middle, text)
            return
        first, words = "", text.split()
        while words and metrics.horizontalAdvance(f"{first} {words[0]}".strip()) <= box.width():
            first = f"{first} {words.pop(0)}".strip()
        second = metrics.elidedText(" ".join(words), Qt.TextElideMode.ElideRight, box.width())
        half = box.height() / 2
        painter.drawText(box.adjusted(0, 0, 0, -half + 1), Qt.AlignmentFlag.AlignBottom, first)
        painter.drawText(box.adjusted(0, half - 1, 0, 0), Qt.AlignmentFlag.AlignTop, second)

    def _trend(self, painter: QPainter, box: QRectF, row: Strip) -> None:
        theme = self.theme
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("ground"))
        painter.drawRect(box)
        per = box.height() / 2 / TREND
        painter.setBrush(theme.color("raised"))
        painter.drawRect(QRectF(box.left(), box.center().y() - BAND * per, box.width(), 2 * BAND * per))
        color = theme.party(row.hue)
        points: list[QPointF] = []
        last = SPAN_S
        for ago, off in (*row.trace, (-GAP_S - 1, 0.0)):
            if points and last - ago > GAP_S:
                # It was silent between: no line over that.
                draw_trace(painter, points if len(points) > 1 else [points[0], points[0] + QPointF(1, 0)], color)
                points = []
            if 0 <= ago <= SPAN_S:
                y = box.center().y() - min(max(off, -TREND), TREND) * per
                points.append(QPointF(box.right() - box.width() * ago / SPAN_S, y))
            last = ago

    def _scale_line(self, painter: QPainter, box: QRectF, row: Strip) -> None:
        """The line that the meter moves on: its mark, and what is right round it."""
        theme, s = self.theme, self.scale
        middle = box.center().y()
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("raised"))
        low, high = self._at(box, -row.tolerance), self._at(box, row.tolerance)
        painter.drawRect(QRectF(low, middle - 7 * s, high - low, 14 * s))
        painter.setPen(QPen(theme.color("text" if self.metered else "muted"), 1.4))
        at = self._at(box, 0.0)
        painter.drawLine(QPointF(at, middle - 9 * s), QPointF(at, middle + 9 * s))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        n = int(event.position().y() // self._row_height)
        if 0 <= n < len(self.rows):
            self.chosen.emit(self.rows[n].voice)
