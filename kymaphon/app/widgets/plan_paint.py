"""How the things of a plan are drawn: mouths, microphones with their pickup, loudspeakers, noises, surfaces, the map."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPainterPath, QPen, QPolygonF

from kymaphon.app.theme import Theme, font
from kymaphon.core.acoustics.pickup import Pickup
from kymaphon.core.acoustics.spots import PlacementMap
from kymaphon.core.model.base import Point
from kymaphon.core.placement.plan import Thing

MOUTH_PX = 10.0
LOBE_PX = 24.0
STEPS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000)
STRONGEST = 7
BANDS_DB = (6.0, 12.0, 18.0, 24.0, 30.0, 36.0, 42.0, 48.0, 54.0, 60.0)


@dataclass(frozen=True, slots=True)
class Frame:
    """Metres to pixels. The y axis of a plan points up."""

    left: float
    bottom: float
    right: float
    top: float
    x0: float
    y0: float
    per_m: float

    @staticmethod
    def fitted(bounds: tuple[float, float, float, float], box: QRectF) -> Frame:
        left, bottom, right, top = bounds
        per_m = min(box.width() / (right - left), box.height() / (top - bottom))
        x0 = box.left() + (box.width() - per_m * (right - left)) / 2
        y0 = box.top() + (box.height() - per_m * (top - bottom)) / 2
        return Frame(left, bottom, right, top, x0, y0, per_m)

    def to_px(self, at: Point) -> QPointF:
        return QPointF(self.x0 + (at[0] - self.left) * self.per_m, self.y0 + (self.top - at[1]) * self.per_m)

    def to_m(self, spot: QPointF) -> Point:
        return (
            self.left + (spot.x() - self.x0) / self.per_m,
            self.top - (spot.y() - self.y0) / self.per_m,
        )

    @property
    def box(self) -> QRectF:
        """What is seen, in pixels."""
        return self.box_of((self.left, self.bottom, self.right, self.top))

    def box_of(self, bounds: tuple[float, float, float, float]) -> QRectF:
        """Left, bottom, right and top in metres as a box in pixels."""
        left, bottom, right, top = bounds
        return QRectF(self.to_px((left, top)), self.to_px((right, bottom)))


def heading(angle_deg: float, length: float) -> QPointF:
    """A step in a direction of the plan, in pixels."""
    angle = math.radians(angle_deg)
    return QPointF(length * math.cos(angle), -length * math.sin(angle))


def draw_place(
    painter: QPainter,
    frame: Frame,
    bounds: tuple[float, float, float, float],
    theme: Theme,
    scale: float,
    *,
    walls: bool,
) -> None:
    """The outline of the place, as far as it is seen, and a ruler in metres under it and at its left."""
    box = frame.box
    pen = QPen(theme.color("muted"), 2.0 if walls else 1.2)
    if not walls:
        pen.setStyle(Qt.PenStyle.DashLine)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.save()
    painter.setClipRect(box.adjusted(-2, -2, 2, 2))
    painter.drawRoundedRect(frame.box_of(bounds), 2, 2)
    painter.restore()
    small = font(8.5, scale=scale)
    painter.setFont(small)
    metrics = QFontMetricsF(small)
    step = next((row for row in STEPS if row * frame.per_m >= metrics.horizontalAdvance("00.0 m") * 1.3), STEPS[-1])
    painter.setPen(QPen(theme.color("muted"), 1))
    left, bottom = bounds[0], bounds[1]
    for n in _ticks(frame.left - left, frame.right - left, step):
        x = frame.to_px((left + n, 0)).x()
        painter.drawLine(QPointF(x, box.bottom()), QPointF(x, box.bottom() + 4))
        text = f"{n:g} m"
        painter.drawText(QPointF(x - metrics.horizontalAdvance(text) / 2, box.bottom() + 6 + metrics.ascent()), text)
    for n in _ticks(frame.bottom - bottom, frame.top - bottom, step):
        y = frame.to_px((0, bottom + n)).y()
        painter.drawLine(QPointF(box.left() - 4, y), QPointF(box.left(), y))
        text = f"{n:g}"
        painter.drawText(QPointF(box.left() - 8 - metrics.horizontalAdvance(text), y + metrics.ascent() / 2 - 1), text)


def _ticks(low: float, high: float, step: float) -> list[float]:
    """Multiples of a step above the low end, up to the high one."""
    first = math.floor(low / step + 1e-9) + 1
    return [round(n * step, 6) for n in range(first, math.floor(high / step + 1e-9) + 1)]


def map_image(found: PlacementMap, color: QColor) -> QImage:
    """The placement map as bands of one hue, denser the better; 6 dB each."""
    over = found.over_db
    fine = 3
    rows = np.linspace(0, over.shape[0] - 1, over.shape[0] * fine)
    columns = np.linspace(0, over.shape[1] - 1, over.shape[1] * fine)
    low = np.floor(rows).astype(int)
    high = np.minimum(low + 1, over.shape[0] - 1)
    part = (rows - low)[:, None]
    tall = over[low] * (1 - part) + over[high] * part
    low = np.floor(columns).astype(int)
    high = np.minimum(low + 1, over.shape[1] - 1)
    part = (columns - low)[None, :]
    whole = tall[:, low] * (1 - part) + tall[:, high] * part
    bands = np.searchsorted(np.array(BANDS_DB), whole)
    alpha = np.minimum(bands, STRONGEST) / STRONGEST * 150.0
    pixels = np.zeros((*whole.shape, 4), dtype=np.uint8)
    share = alpha / 255
    for i, value in enumerate((color.blue(), color.green(), color.red())):
        pixels[..., i] = np.round(value * share).astype(np.uint8)
    pixels[..., 3] = np.round(alpha).astype(np.uint8)
    flipped = np.ascontiguousarray(pixels[::-1])
    image = QImage(
        flipped.data, flipped.shape[1], flipped.shape[0], flipped.strides[0], QImage.Format.Format_ARGB32_Premultiplied
    )
    return image.copy()


def draw_map(painter: QPainter, frame: Frame, found: PlacementMap, image: QImage) -> None:
    """The map under everything else."""
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    x, y = found.x_m, found.y_m
    painter.drawImage(frame.box_of((float(x[0]), float(y[0]), float(x[-1]), float(y[-1]))), image)


def draw_map_labels(
    painter: QPainter,
    frame: Frame,
    found: PlacementMap,
    theme: Theme,
    scale: float,
    mouth: Point,
    busy: list[QRectF],
) -> None:
    """The figure of each band where it ends, on some way outwards from the mouth where nothing else is written."""
    small = font(8.5, scale=scale)
    painter.setFont(small)
    painter.setPen(theme.color("text"))
    metrics = QFontMetricsF(small)
    said: set[float] = set()
    for direction in (-35.0, 35.0, -145.0, 145.0, -80.0, 80.0):
        _band_labels(painter, frame, found, metrics, mouth, direction, busy, said)


def _band_labels(
    painter: QPainter,
    frame: Frame,
    found: PlacementMap,
    metrics: QFontMetricsF,
    mouth: Point,
    direction: float,
    busy: list[QRectF],
    said: set[float],
) -> None:
    angle = math.radians(direction)
    before: float | None = None
    step_m = 2.0 / frame.per_m
    x0, y0 = float(found.x_m[0]), float(found.y_m[0])
    dx, dy = float(found.x_m[1]) - x0, float(found.y_m[1]) - y0
    for step in range(4, 600):
        at = (mouth[0] + step * step_m * math.cos(angle), mouth[1] + step * step_m * math.sin(angle))
        column = math.ceil((at[0] - x0) / dx)
        row = math.ceil((at[1] - y0) / dy)
        if not (0 < column < len(found.x_m) and 0 < row < len(found.y_m)):
            return
        value = float(found.over_db[row, column])
        crossed = [band for band in BANDS_DB if before is not None and value < band <= before and band not in said]
        if crossed:
            text = f"{crossed[0]:.0f} dB"
            spot = frame.to_px(at)
            width, height = metrics.horizontalAdvance(text), metrics.height()
            box = QRectF(spot.x() - width / 2, spot.y() - height / 2, width, height)
            free = not any(box.adjusted(-6, -2, 6, 2).intersects(other) for other in busy)
            if frame.box.adjusted(2, 2, -2, -2).contains(box) and free:
                painter.drawText(QPointF(box.left(), box.top() + metrics.ascent()), text)
                busy.append(box)
                said.add(crossed[0])
        before = value


def lobe(pickup: Pickup, aim_deg: float | None, radius: float) -> QPainterPath:
    """The pickup pattern around the origin as computed, amplitude as radius; a circle when it has no aim."""
    path = QPainterPath()
    if aim_deg is None:
        path.addEllipse(QPointF(0, 0), radius * 0.8, radius * 0.8)
        return path
    angles = np.linspace(-180, 180, 121)
    sizes = 10 ** (pickup.gain_db(np.abs(angles), 0.05 if pickup.pattern == "close-talking" else 1.0) / 20)
    sizes = sizes / max(float(sizes.max()), 1e-9)
    polygon = QPolygonF([heading(aim_deg + float(a), radius * float(s)) for a, s in zip(angles, sizes, strict=True)])
    path.addPolygon(polygon)
    path.closeSubpath()
    return path


def draw_microphone(painter: QPainter, spot: QPointF, thing: Thing, hue: QColor, scale: float, *, shut: bool) -> None:
    """A dot with its pickup around it; hollow when its channel is shut."""
    painter.save()
    painter.translate(spot)
    if thing.stand is not None:
        shape = lobe(thing.stand.pickup, thing.angle_deg, LOBE_PX * scale)
        fill = QColor(hue)
        fill.setAlpha(0 if shut else 56)
        painter.setBrush(fill)
        pen = QPen(hue, 1.2)
        if shut:
            pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.drawPath(shape)
    painter.setPen(QPen(hue, 2))
    painter.setBrush(Qt.BrushStyle.NoBrush if shut else hue)
    painter.drawEllipse(QPointF(0, 0), 3.5 * scale, 3.5 * scale)
    painter.restore()


def draw_party(
    painter: QPainter, spot: QPointF, thing: Thing, kind: str, hue: QColor, theme: Theme, scale: float
) -> None:
    """A mouth: a ring with a beak where it faces. Instruments are a square ring, a crowd three rings, others as a mouth."""
    size = MOUTH_PX * scale
    painter.setBrush(theme.color("ground"))
    painter.setPen(QPen(hue, 2.4))
    if kind in ("instrument", "effect", "player"):
        painter.drawRoundedRect(QRectF(spot.x() - size, spot.y() - size, 2 * size, 2 * size), 4, 4)
    elif kind in ("crowd", "audience"):
        for dx, dy in ((-0.85, 0.45), (0.85, 0.45), (0, -0.75)):
            painter.drawEllipse(spot + QPointF(dx * size, dy * size), size * 0.7, size * 0.7)
    else:
        painter.drawEllipse(spot, size, size)
    if thing.angle_deg is not None:
        pen = QPen(hue, 3)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        painter.drawLine(spot + heading(thing.angle_deg, size * 0.35), spot + heading(thing.angle_deg, size * 1.35))


def draw_loudspeaker(painter: QPainter, spot: QPointF, thing: Thing, theme: Theme, scale: float) -> None:
    """A box and a horn, turned to where it throws."""
    painter.save()
    painter.translate(spot)
    painter.rotate(-(thing.angle_deg or 0.0))
    size = 9.0 * scale
    painter.setPen(QPen(theme.color("text"), 1.8))
    painter.setBrush(theme.color("ground"))
    painter.drawRect(QRectF(-size, -size * 0.6, size * 0.8, size * 1.2))
    painter.drawPolygon(
        QPolygonF(
            [
                QPointF(-size * 0.2, -size * 0.6),
                QPointF(size, -size * 1.3),
                QPointF(size, size * 1.3),
                QPointF(-size * 0.2, size * 0.6),
            ]
        )
    )
    painter.restore()


def draw_noise(painter: QPainter, spot: QPointF, theme: Theme, scale: float) -> None:
    """Three broken rings around a point."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for i, size in enumerate((4.0, 8.0, 12.0)):
        painter.setPen(QPen(theme.color("room"), 1.8))
        box = QRectF(spot.x() - size * scale, spot.y() - size * scale, 2 * size * scale, 2 * size * scale)
        if i == 0:
            painter.drawEllipse(box)
        else:
            for start in (20, 140, 260):
                painter.drawArc(box, (start + i * 40) * 16, 80 * 16)


def draw_surface(painter: QPainter, frame: Frame, thing: Thing, shape: str, hard: bool, theme: Theme) -> None:
    """A table's outline, or a wall's line; a covered one is dashed."""
    if thing.ends is None:
        return
    first, second = frame.to_px(thing.ends[0]), frame.to_px(thing.ends[1])
    pen = QPen(theme.color("line") if shape == "table" else theme.color("muted"), 1.4 if shape == "table" else 4)
    if not hard:
        pen.setStyle(Qt.PenStyle.DashLine)
    painter.setPen(pen)
    if shape == "table":
        fill = theme.color("raised")
        fill.setAlpha(150)
        painter.setBrush(fill)
        painter.drawRoundedRect(QRectF(first, second).normalized(), 10, 10)
    else:
        painter.drawLine(first, second)


def draw_label(painter: QPainter, box: QRectF, text: str, color: QColor, row: QFont) -> None:
    """One line of words at the top left of a box."""
    painter.setFont(row)
    painter.setPen(color)
    painter.drawText(QPointF(box.left(), box.top() + QFontMetricsF(row).ascent()), text)
