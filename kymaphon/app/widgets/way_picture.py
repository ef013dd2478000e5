"""Ways from a voice to a listener, each as a row of devices with what each adds in time, strongest first."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.core.derive import show_number

MOST = 4


@dataclass(frozen=True, slots=True)
class Station:
    """A device on a way: its name, what it adds in time, whether the way turns round in it."""

    name: str
    delay_ms: float
    turns: bool = False


@dataclass(frozen=True, slots=True)
class WayRow:
    """One way: its stations, and its level and lateness as a whole."""

    stations: tuple[Station, ...]
    gain_db: float
    delay_ms: float


class WayPicture(QWidget):
    """Rows of chips joined by lines; what adds time is written under its chip."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.rows: tuple[WayRow, ...] = ()
        self.more = 0
        self.hue = QColor(theme.voice)
        self.setMinimumHeight(130)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Signal paths of the chosen pair")

    def sizeHint(self) -> QSize:
        return QSize(400, 160)

    def set_rows(self, rows: tuple[WayRow, ...], hue: QColor) -> None:
        """What to draw; more than there is room for are counted."""
        self.rows, self.more, self.hue = rows[:MOST], max(0, len(rows) - MOST), hue
        words = "; ".join(
            f"{' to '.join(row.name for row in way.stations)}: {show_number(way.gain_db, 'dB', sign=True)}, {show_number(way.delay_ms, 'ms')}"
            for way in rows
        )
        self.setAccessibleDescription(words or "no path")
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.rows:
            painter.setFont(font(10, scale=self.scale))
            painter.setPen(self.theme.color("muted"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "No signal path leads there.")
            painter.end()
            return
        s = self.scale
        high = min((self.height() - 8) / len(self.rows), 62 * s)
        for i, row in enumerate(self.rows):
            self._paint_way(painter, row, QRectF(8, 4 + i * high, self.width() - 16, high), strongest=not i)
        if self.more:
            painter.setFont(font(8.5, scale=s))
            painter.setPen(self.theme.color("muted"))
            painter.drawText(
                self.rect().adjusted(0, 0, -8, -2),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom,
                f"and {self.more} weaker",
            )
        painter.end()

    def _paint_way(self, painter: QPainter, row: WayRow, box: QRectF, *, strongest: bool) -> None:
        theme, s = self.theme, self.scale
        painter.setFont(font(9.5, QFont.Weight.DemiBold if strongest else QFont.Weight.Normal, s))
        metrics = QFontMetricsF(painter.font())
        figure = f"{show_number(row.gain_db, 'dB', sign=True)}, {show_number(row.delay_ms, 'ms')}"
        right = metrics.horizontalAdvance(figure) + 12
        painter.setPen(theme.color("text"))
        middle = box.top() + min(box.height() / 2, 16 * s)
        painter.drawText(
            QRectF(box.right() - right, middle - 10 * s, right, 20 * s),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            figure,
        )
        room = box.width() - right - 12
        part = room / max(len(row.stations), 1)
        painter.setFont(font(8.5, scale=s))
        metrics = QFontMetricsF(painter.font())
        painter.setPen(QPen(self.hue, 2.4 if strongest else 1.2))
        painter.drawLine(QPointF(box.left() + 4, middle), QPointF(box.left() + room, middle))
        for n, station in enumerate(row.stations):
            wide = min(metrics.horizontalAdvance(station.name) + 14, part - 8)
            chip = QRectF(box.left() + n * part, middle - 10 * s, max(wide, 12), 20 * s)
            painter.setBrush(theme.color("raised"))
            painter.setPen(QPen(theme.color("stop" if station.turns else "line"), 2 if station.turns else 1))
            painter.drawRoundedRect(chip, 4, 4)
            painter.setPen(theme.color("text"))
            text = metrics.elidedText(station.name, Qt.TextElideMode.ElideRight, chip.width() - 10)
            painter.drawText(chip, Qt.AlignmentFlag.AlignCenter, text)
            if station.delay_ms >= 0.05 and box.height() > 40 * s:
                painter.setPen(theme.color("muted"))
                under = QRectF(chip.left(), chip.bottom() + 1, part, metrics.height())
                text = f"+{show_number(station.delay_ms, 'ms')}"
                if metrics.horizontalAdvance(text) > part - 4:
                    text = f"+{station.delay_ms:.0f}"
                painter.drawText(under, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
