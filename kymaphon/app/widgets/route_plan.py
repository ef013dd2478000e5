"""Where audio cables and power run in a place, from above. Shows and selects; changes nothing."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets import plan_paint as paint
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.core.model.base import Point
from kymaphon.core.placement.plan import Thing

REACH_PX = 9.0


@dataclass(frozen=True, slots=True)
class RouteLine:
    """A lead on the plan: an audio cable by its `from>to`, or power by its id.

    Attributes:
        sort: `audio`, or the sort of the power run.
        worst: severity of what is wrong with it, or empty.
    """

    id: str
    name: str
    sort: str
    points: tuple[Point, ...]
    worst: str = ""


@dataclass(frozen=True)
class RoutePlan:
    """What is drawn of a place: its bounds (left, bottom, right, top in metres), surfaces, devices, leads."""

    bounds: tuple[float, float, float, float] = (0.0, 0.0, 4.0, 3.0)
    walls: bool = True
    surfaces: tuple[tuple[Thing, str, bool], ...] = ()
    devices: tuple[tuple[str, Point], ...] = ()
    lines: tuple[RouteLine, ...] = ()


class RoutePicture(QWidget):
    """Draws the plan. Up and Down go from lead to lead, audio and power; a press on one selects it.

    Signals:
        chosen: id of the lead that the user went to.
        opened, removed: of the one that Enter or Delete was pressed on.
    """

    chosen = Signal(str)
    opened = Signal()
    removed = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.plan = RoutePlan()
        self.key = ""
        self._frame = paint.Frame.fitted(self.plan.bounds, QRectF(0, 0, 100, 100))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(200)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Cables and power from above")
        self.setStatusTip(
            "Up and Down go from lead to lead. Power is broad: plain, barred when dimmed, looped when coiled. Enter: details. Delete: takes away."
        )

    def set_plan(self, plan: RoutePlan, key: str) -> None:
        """What to draw, and which cable is selected."""
        self.plan, self.key = plan, key
        names = [row.name for row in plan.lines if row.id == key]
        self.setAccessibleDescription(f"{names[0]} is selected" if names else "No cable is selected")
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(34 * self.scale, 14, -16, -26 * self.scale)
        self._frame = frame = paint.Frame.fitted(self.plan.bounds, box)
        for thing, shape, hard in self.plan.surfaces:
            paint.draw_surface(painter, frame, thing, shape, hard, self.theme)
        paint.draw_place(painter, frame, self.plan.bounds, self.theme, self.scale, walls=self.plan.walls)
        for line in self.plan.lines:
            if line.sort != "audio":
                self._draw_power(painter, frame, line)
        for line in sorted(self.plan.lines, key=lambda row: row.id == self.key):
            if line.sort == "audio":
                self._draw_audio(painter, frame, line)
        taken: list[QRectF] = []
        small = font(9, scale=self.scale)
        for _, at in self.plan.devices:
            spot = frame.to_px(at)
            painter.setPen(QPen(self.theme.color("muted"), 1.2))
            painter.setBrush(self.theme.color("raised"))
            painter.drawRoundedRect(QRectF(spot.x() - 5, spot.y() - 5, 10, 10), 2, 2)
            taken.append(QRectF(spot.x() - 6, spot.y() - 6, 12, 12))
        for name, at in self.plan.devices:
            self._name(painter, frame.to_px(at), name, small, "text", taken)
        for line in self.plan.lines:
            if line.sort != "audio":
                middle = _middle([frame.to_px(at) for at in line.points])
                self._name(painter, middle, line.name, font(9, QFont.Weight.DemiBold, self.scale), "fix", taken)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(self.theme.color("lantern"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)
        painter.end()

    def _draw_power(self, painter: QPainter, frame: paint.Frame, line: RouteLine) -> None:
        spots = [frame.to_px(at) for at in line.points]
        color = self.theme.color("lantern" if line.id == self.key else "fix")
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if len(spots) == 1:
            painter.setPen(QPen(color, 2))
            painter.drawEllipse(spots[0], 8, 8)
            for k in range(8):
                ray = k * math.pi / 4
                step = QPointF(math.cos(ray), math.sin(ray))
                painter.drawLine(spots[0] + step * 11, spots[0] + step * 15)
            return
        painter.setPen(QPen(color, 5, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawPolyline(QPolygonF(spots))
        if line.sort in ("dimmed", "coil"):
            painter.setPen(QPen(color, 2))
            for spot, turn in _along(spots, 18):
                if line.sort == "coil":
                    painter.drawEllipse(spot, 7, 7)
                else:
                    across = QPointF(-turn.y(), turn.x())
                    painter.drawLine(spot - across * 6, spot + across * 6)

    def _draw_audio(self, painter: QPainter, frame: paint.Frame, line: RouteLine) -> None:
        spots = [frame.to_px(at) for at in line.points]
        chosen = line.id == self.key
        color = self.theme.color("lantern" if chosen else "microphone")
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(color, 3 if chosen else 1.6))
        painter.drawPolyline(QPolygonF(spots))
        if line.worst:
            middle = _middle(spots)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color("panel"))
            painter.drawEllipse(middle, 10, 10)
            draw_mark(painter, QRectF(middle.x() - 7, middle.y() - 7, 14, 14), line.worst, self.theme)

    def _name(self, painter: QPainter, spot: QPointF, text: str, row: QFont, role: str, taken: list[QRectF]) -> None:
        metrics = QFontMetricsF(row)
        wide, tall = metrics.horizontalAdvance(text), metrics.height()
        moves = [(9, -tall / 2), (-9 - wide, -tall / 2), (-wide / 2, 8), (-wide / 2, -8 - tall), (9, 6), (9, -6 - tall)]
        boxes = [QRectF(spot.x() + dx, spot.y() + dy, wide, tall) for dx, dy in moves]
        inside = QRectF(self.rect())
        box = next(
            (box for box in boxes if inside.contains(box) and not any(box.intersects(other) for other in taken)),
            boxes[0],
        )
        taken.append(box)
        ground = self.theme.color("panel")
        ground.setAlpha(200)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(box.adjusted(-2, 0, 2, 0), 3, 3)
        paint.draw_label(painter, box, text, self.theme.color(role), row)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spot = event.position()
        best = min(
            ((_gap([self._frame.to_px(at) for at in row.points], spot), row.id) for row in self.plan.lines),
            default=None,
        )
        if best is not None and best[0] <= REACH_PX:
            self._say(best[1])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        rows = [row.id for row in self.plan.lines]
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.key:
            self.opened.emit()
            return
        if event.key() == Qt.Key.Key_Delete and self.key:
            self.removed.emit()
            return
        if step is None or not rows:
            super().keyPressEvent(event)
            return
        here = rows.index(self.key) if self.key in rows else (-1 if step > 0 else 0)
        self._say(rows[(here + step) % len(rows)])

    def _say(self, key: str) -> None:
        self.set_plan(self.plan, key)
        self.chosen.emit(key)


def _length(step: QPointF) -> float:
    return math.hypot(step.x(), step.y())


def _along(spots: list[QPointF], every: float) -> list[tuple[QPointF, QPointF]]:
    """Points along a line with its direction there."""
    out = []
    for a, b in zip(spots, spots[1:], strict=False):
        whole = _length(b - a)
        if whole < 1:
            continue
        turn = (b - a) * (1 / whole)
        count = max(1, int(whole / every))
        out += [(a + turn * (whole * (k + 0.5) / count), turn) for k in range(count)]
    return out


def _middle(spots: list[QPointF]) -> QPointF:
    """Half-way along a line."""
    left = sum(_length(b - a) for a, b in zip(spots, spots[1:], strict=False)) / 2
    for a, b in zip(spots, spots[1:], strict=False):
        whole = _length(b - a)
        if whole >= left and whole > 0:
            return a + (b - a) * (left / whole)
        left -= whole
    return spots[0]


def _gap(spots: list[QPointF], spot: QPointF) -> float:
    """How far a point is from a line."""
    best = _length(spots[0] - spot)
    for a, b in zip(spots, spots[1:], strict=False):
        step = b - a
        square = step.x() ** 2 + step.y() ** 2
        share = 0.0 if square == 0 else min(max(((spot - a).x() * step.x() + (spot - a).y() * step.y()) / square, 0), 1)
        best = min(best, _length(a + step * share - spot))
    return best
