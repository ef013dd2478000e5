"""The ladder picture: a voice over its noises, between the tide and the ceiling, one column for each point.
Gains are dragged in it.
"""

from __future__ import annotations

from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.painted import Painted, Part
from kymaphon.core.derive import show_number
from kymaphon.core.graph.ladder import NOISE_KINDS, NOISE_NAMES, Ladder, Rung
from kymaphon.core.graph.signal import Knob

FLOOR_DB = -110.0
ROOM_ABOVE_DB = 8.0
"""Drawn above the ceiling, so that clipping is seen as such."""
PAGE_STEPS = 5
LARGEST_NAMES = 1.25
"""Names under the columns grow with the text size up to here; the table below has them in full."""


class LadderPicture(Painted):
    """Draws a ladder. Left and Right choose a point, Up and Down turn its gain by one step, with Page keys
    by five.
    """

    selected = Signal(int)
    turning = Signal(object, float)
    turned = Signal(object, float)
    stepped_by = Signal(object, int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.rungs: tuple[Rung, ...] = ()
        self.index = 0
        self.faders = False
        self._lines: tuple[tuple[int, float], int] | None = None
        self._ladder: Ladder | None = None
        self._drag: tuple[Knob, float, float] | None = None
        self._pills: list[tuple[QRectF, int, Knob]] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumHeight(220)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setStatusTip("Drag a gain, or Up and Down in steps of the device. Left and Right choose the point.")

    def set_ladder(self, ladder: Ladder | None, rungs: tuple[Rung, ...], index: int) -> None:
        """What to draw, and which point is selected."""
        self._ladder, self.rungs = ladder, rungs
        self.index = max(0, min(index, len(rungs) - 1))
        self._lines = None
        self.setAccessibleName("Ladder of levels")
        self.setAccessibleDescription(self.describe())
        self.update()

    def describe(self) -> str:
        """The selected point in words."""
        if not self.rungs:
            return "No signal path from this voice to this end"
        rung = self.rungs[self.index]
        return f"{rung.label}: {_rung_words(rung)}"

    def parts(self) -> tuple[Part, ...]:
        area, rows = self._area(), range(len(self.rungs))
        half = (self._x(1) - self._x(0)) / 2 if len(self.rungs) > 1 else area.width() / 2
        boxes = [QRectF(self._x(i) - half, area.top(), 2 * half, area.height()) for i in rows]
        return tuple(
            Part(rung.label, _rung_words(rung), box, i == self.index)
            for i, (rung, box) in enumerate(zip(self.rungs, boxes, strict=True))
        )

    # geometry

    def _area(self) -> QRectF:
        foot = (16 + 30 * self._label_lines()) * self.scale
        return QRectF(12, 12, self.width() - 24, self.height() - 16 - foot)

    def _label_lines(self) -> int:
        """How many lines each half of a column's name needs at this width and text size, one or two."""
        key = (self.width(), self.scale)
        if self._lines is not None and self._lines[0] == key:
            return self._lines[1]
        step = (self.width() - 96) / max(len(self.rungs) - 1, 1)
        metrics = QFontMetricsF(font(8.5, QFont.Weight.DemiBold, min(self.scale, LARGEST_NAMES)))
        words = (part for rung in self.rungs for part in short_label(rung.label))
        lines = 2 if any(metrics.horizontalAdvance(word) > min(step - 4, 120.0) for word in words) else 1
        self._lines = (key, lines)
        return lines

    def _x(self, i: int) -> float:
        area = self._area()
        inner = area.width() - 72
        return area.left() + 36 + (inner * i / max(len(self.rungs) - 1, 1))

    def _y(self, below: float) -> float:
        """Height of a level given as dB against the ceiling."""
        area = self._area()
        held = max(FLOOR_DB, min(ROOM_ABOVE_DB, below))
        return area.top() + area.height() * (ROOM_ABOVE_DB - held) / (ROOM_ABOVE_DB - FLOOR_DB)

    def _below(self, rung: Rung, level: float) -> float:
        return level - rung.ceiling_db if rung.ceiling_db is not None else FLOOR_DB

    # painting

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._pills = []
        if not self.rungs:
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(11, scale=self.scale))
            text = "No signal path leads from this voice to this end. Feeds shows where it breaks off."
            painter.drawText(
                self.rect().adjusted(24, 24, -24, -24),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                text,
            )
            painter.end()
            return
        self._paint_grid(painter)
        self._paint_noise(painter)
        self._paint_mark(painter)
        self._paint_speech(painter)
        self._paint_columns(painter)
        self._paint_pills(painter)
        self._paint_over_noise(painter)
        self.paint_focus(painter)
        painter.end()

    def _paint_grid(self, painter: QPainter) -> None:
        area, theme = self._area(), self.theme
        top, ceiling = self._y(ROOM_ABOVE_DB), self._y(0)
        stripe = QColor(theme.stop)
        stripe.setAlphaF(0.6)
        painter.save()
        painter.setClipRect(QRectF(area.left(), top, area.width(), ceiling - top))
        painter.setPen(QPen(stripe, 2))
        place = area.left() - (ceiling - top)
        while place < area.right():
            painter.drawLine(QPointF(place, ceiling), QPointF(place + ceiling - top, top))
            place += 9
        painter.restore()
        painter.setPen(QPen(theme.color("stop"), 1.2))
        painter.drawLine(QPointF(area.left(), ceiling), QPointF(area.right(), ceiling))
        painter.setFont(font(8.5, scale=self.scale))
        for below in range(20, 101, 20):
            y = self._y(-below)
            painter.setPen(QPen(theme.color("line"), 0.6))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))

    def _paint_scale(self, painter: QPainter) -> None:
        area = self._area()
        painter.setFont(font(8.5, scale=self.scale))
        for below in range(0, 101, 20):
            text = "clips here" if below == 0 else f"{below} below"
            y = self._y(-below)
            metrics = QFontMetricsF(painter.font())
            box = QRectF(area.left() + 2, y + 2, metrics.horizontalAdvance(text) + 8, metrics.height())
            back = QColor(self.theme.panel)
            back.setAlphaF(0.82)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(back)
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(self.theme.color("stop" if below == 0 else "muted"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _curve(self, points: list[QPointF]) -> QPainterPath:
        path = QPainterPath(points[0])
        for a, b in pairwise(points):
            middle = (a.x() + b.x()) / 2
            path.cubicTo(QPointF(middle, a.y()), QPointF(middle, b.y()), b)
        return path

    def _paint_noise(self, painter: QPainter) -> None:
        bottom = self._y(FLOOR_DB)
        last = self.rungs[-1]
        kinds = sorted(
            (kind for kind in NOISE_KINDS if any(kind in rung.noise_db for rung in self.rungs)),
            key=lambda kind: -last.noise_db.get(kind, -999),
        )
        labels: list[tuple[float, str, str]] = []
        for kind in kinds:
            columns = [i for i, rung in enumerate(self.rungs) if kind in rung.noise_db]
            points = [
                QPointF(self._x(i), self._y(self._below(self.rungs[i], self.rungs[i].noise_db[kind]))) for i in columns
            ]
            if columns[0] > 0:
                points.insert(0, QPointF(self._x(columns[0] - 1), bottom))
            if len(points) < 2:
                points.append(points[0] + QPointF(1, 0))
            path = self._curve(points)
            path.lineTo(points[-1].x(), bottom)
            path.lineTo(points[0].x(), bottom)
            path.closeSubpath()
            color = self.theme.color(kind)
            fill = QColor(color)
            fill.setAlphaF(0.78)
            painter.setPen(QPen(color, 1.2))
            painter.setBrush(fill)
            painter.drawPath(path)
            labels.append((points[-1].y(), NOISE_NAMES[kind], kind))
        noisy = [i for i, rung in enumerate(self.rungs) if rung.noise_db]
        if len(noisy) > 1:
            points = [
                QPointF(self._x(i), self._y(self._below(self.rungs[i], self.rungs[i].noise_total_db))) for i in noisy
            ]
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(self.theme.color("text"), 1.4, Qt.PenStyle.DashLine))
            painter.drawPath(self._curve(points))
        self._paint_noise_labels(painter, labels)

    def _paint_noise_labels(self, painter: QPainter, labels: list[tuple[float, str, str]]) -> None:
        painter.setFont(font(9, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        height = metrics.height()
        # Left of the figure of voice over noise.
        x = self._x(len(self.rungs) - 1) - 116 * self.scale
        floor = self._y(FLOOR_DB)
        y = -1e9
        for top, text, kind in sorted(labels):
            y = max(top + 3, y)
            if y + height > floor:
                break
            width = metrics.horizontalAdvance(text) + 12
            box = QRectF(x - width, y, width, height)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color("panel"))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(self.theme.color(kind))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            y += height + 2

    def _paint_mark(self, painter: QPainter) -> None:
        for i, rung in enumerate(self.rungs):
            if rung.mark is None or rung.ceiling_db is None:
                continue
            half = max(14.0, (self._x(1) - self._x(0)) / 2 if len(self.rungs) > 1 else 30)
            left = self._x(i) - (half if i and self.rungs[i - 1].mark else 16)
            right = self._x(i) + (half if i < len(self.rungs) - 1 and self.rungs[i + 1].mark else 16)
            top, bottom = (self._y(self._below(rung, level)) for level in (rung.mark[1], rung.mark[0]))
            fill = QColor(self.theme.lantern)
            fill.setAlphaF(0.3)
            painter.fillRect(QRectF(left, top, right - left, bottom - top), fill)
            painter.setPen(QPen(self.theme.color("lantern"), 2))
            if not (i and self.rungs[i - 1].mark):
                painter.drawLine(QPointF(left, top), QPointF(left, bottom))
            if i == len(self.rungs) - 1:
                painter.drawLine(QPointF(right, top), QPointF(right, bottom))

    def _paint_speech(self, painter: QPainter) -> None:
        speech = [QPointF(self._x(i), self._y(self._below(rung, rung.speech_db))) for i, rung in enumerate(self.rungs)]
        peaks = [QPointF(self._x(i), self._y(self._below(rung, rung.peak_db))) for i, rung in enumerate(self.rungs)]
        if len(speech) < 2:
            return
        band = self._curve(peaks)
        back = self._curve(speech[::-1])
        band.connectPath(back)
        band.closeSubpath()
        fill = self.theme.color("voice")
        fill.setAlphaF(0.3)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(fill)
        painter.drawPath(band)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self.theme.color("voice"), 1.4, Qt.PenStyle.DotLine))
        painter.drawPath(self._curve(peaks))
        painter.setPen(QPen(self.theme.color("voice"), 3))
        painter.drawPath(self._curve(speech))
        painter.setBrush(self.theme.color("voice"))
        painter.setPen(QPen(self.theme.color("panel"), 1))
        for point in speech:
            painter.drawEllipse(point, 5, 5)

    def _paint_columns(self, painter: QPainter) -> None:
        area, theme = self._area(), self.theme
        step = self._x(1) - self._x(0) if len(self.rungs) > 1 else area.width()
        lines = self._label_lines()
        names = min(self.scale, LARGEST_NAMES)
        for i, rung in enumerate(self.rungs):
            x = self._x(i)
            here = i == self.index
            painter.setPen(QPen(theme.color("lantern" if here else "line"), 1.6 if here else 0.7))
            painter.drawLine(QPointF(x, self._y(0)), QPointF(x, area.bottom()))
            first, second = short_label(rung.label)
            width = min(step - 4, 120.0)
            left = max(2.0, min(x - width / 2, self.width() - width - 2))
            painter.setPen(theme.color("lantern" if here else "text"))
            painter.setFont(font(8.5, QFont.Weight.DemiBold, names))
            line = 15 * self.scale * lines
            self._text(painter, QRectF(left, area.bottom() + 4, width, line), first)
            painter.setPen(theme.color("lantern" if here else "muted"))
            painter.setFont(font(8.5, scale=names))
            self._text(painter, QRectF(left, area.bottom() + 4 + line, width, line), second)
        self._paint_scale(painter)

    def _text(self, painter: QPainter, box: QRectF, text: str) -> None:
        flags = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        painter.drawText(box, flags, text)

    def _paint_over_noise(self, painter: QPainter) -> None:
        last = self.rungs[-1]
        if not last.noise_db:
            return
        x = self._x(len(self.rungs) - 1) + 14
        # The voice as A-weighted as the noise: a little under its line, which is flat.
        top = self._y(self._below(last, last.weighted_speech_db))
        bottom = self._y(self._below(last, last.noise_total_db))
        painter.setPen(QPen(self.theme.color("text"), 1.2))
        painter.drawLine(QPointF(x, top), QPointF(x, bottom))
        for y in (top, bottom):
            painter.drawLine(QPointF(x - 4, y), QPointF(x + 4, y))
        text = show_number(last.voice_over_noise_db, "dB")
        painter.setFont(font(12, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        width = metrics.horizontalAdvance(text) + 6
        middle = (top + bottom) / 2 - metrics.height() * 0.2
        box = QRectF(x - width - 6, middle, width, metrics.height())
        back = QColor(self.theme.panel)
        back.setAlphaF(0.8)
        painter.fillRect(box, back)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight, text)
        painter.setFont(font(8.5, scale=self.scale))
        painter.setPen(self.theme.color("muted"))
        box = QRectF(x - 140, middle - metrics.height() * 0.85, 134, metrics.height())
        painter.drawText(box, Qt.AlignmentFlag.AlignRight, "voice over noise, both A")

    def _paint_pills(self, painter: QPainter) -> None:
        theme = self.theme
        painter.setFont(font(9.5, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        for i, rung in enumerate(self.rungs):
            knob = main_knob(rung, faders=self.faders)
            if knob is None:
                continue
            text = show_number(knob.value, "dB", sign=True).removesuffix(" dB")
            width, height = max(44.0, metrics.horizontalAdvance(text) + 18), metrics.height() + 6
            y = self._y(self._below(rung, rung.speech_db)) + 14
            if i >= len(self.rungs) - 2 and len(self.rungs) > 4:
                y -= 28 + height
            box = QRectF(self._x(i) - width / 2, y, width, height)
            here = i == self.index
            painter.setBrush(theme.color("ground"))
            painter.setPen(QPen(theme.color("lantern" if here else "muted"), 2 if here else 1))
            painter.drawRoundedRect(box, height / 2, height / 2)
            painter.setPen(theme.color("text"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            self._pills.append((box, i, knob))

    # hands

    def _choose(self, index: int) -> None:
        if self.rungs and 0 <= index < len(self.rungs):
            self.index = index
            self.setAccessibleDescription(self.describe())
            self.update()
            self.told()
            self.selected.emit(index)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spot = event.position()
        for box, index, knob in self._pills:
            if box.adjusted(-4, -6, 4, 6).contains(spot):
                self._choose(index)
                self._drag = (knob, spot.y(), knob.value)
                self.setCursor(Qt.CursorShape.SizeVerCursor)
                return
        if self.rungs:
            self._choose(min(range(len(self.rungs)), key=lambda i: abs(self._x(i) - spot.x())))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            over = any(box.contains(event.position()) for box, _, _ in self._pills)
            self.setCursor(Qt.CursorShape.SizeVerCursor if over else Qt.CursorShape.ArrowCursor)
            return
        knob, start, value = self._drag
        per_db = self._area().height() / (ROOM_ABOVE_DB - FLOOR_DB)
        self.turning.emit(knob, knob.snap(value + (start - event.position().y()) / per_db))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            knob, start, value = self._drag
            self._drag = None
            self.unsetCursor()
            per_db = self._area().height() / (ROOM_ABOVE_DB - FLOOR_DB)
            self.turned.emit(knob, knob.snap(value + (start - event.position().y()) / per_db))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        sideways = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key)
        steps = {
            Qt.Key.Key_Up: 1,
            Qt.Key.Key_Down: -1,
            Qt.Key.Key_PageUp: PAGE_STEPS,
            Qt.Key.Key_PageDown: -PAGE_STEPS,
        }.get(key)
        if key == Qt.Key.Key_Escape and self._drag is not None:
            knob, _, value = self._drag
            self._drag = None
            self.turned.emit(knob, value)
        elif sideways is not None:
            self._choose(self.index + sideways)
        elif steps is not None and self.rungs:
            turned = main_knob(self.rungs[self.index], faders=self.faders)
            if turned is not None:
                self.stepped_by.emit(turned, steps)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()


def main_knob(rung: Rung, *, faders: bool = False) -> Knob | None:
    """The knob that a point is turned by: its gain before any fader, a strip's before a crosspoint's.

    Args:
        faders: count faders that stand at 0 too; without, they are left out, as they pass the level on as it
        is.
    """
    movable = [knob for knob in rung.knobs if knob.lowest < knob.highest]
    gains = [knob for knob in movable if knob.is_gain]
    others = [knob for knob in movable if faders or knob.value or knob.ref.field == "gain_db"]
    return next(iter(gains or others), None)


def short_label(text: str) -> tuple[str, str]:
    """A point's name on two lines: the device, and where in it."""
    first, _, rest = text.partition(", ")
    second = rest.split(", ")[0] if rest else ""
    for ending, word in ((", after gain", " gain"), (", after fader", " fader")):
        if text.endswith(ending):
            second = second + word
    return first, second


def _rung_words(rung: Rung) -> str:
    """Speech, noise and headroom of a point."""
    noise = f", noise {show_number(rung.noise_total_db, rung.noise_unit)}" if rung.noise_db else ""
    room = rung.headroom_db
    left = "" if room is None else f", peaks {abs(room):.1f} dB {'below' if room >= 0 else 'above'} clipping"
    knob = main_knob(rung)
    stands = f", {knob.label} at {show_number(knob.value, 'dB', sign=True)}" if knob is not None else ""
    return f"speech {show_number(rung.speech_db, rung.unit)}{noise}{left}{stands}"
