"""The plan of a place in metres: pick, drag, turn and nudge what stands on it; says what is wanted, changes nothing."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets import plan_paint as paint
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.app.widgets.painted import Painted, Part
from kymaphon.core.acoustics.spots import PlacementMap
from kymaphon.core.model.base import Point
from kymaphon.core.placement.plan import Thing

NUDGE_M, FINE_M = 0.05, 0.01
TURN_DEG, FINE_DEG = 5.0, 1.0
REACH_PX = 18.0
ARM_PX = 40.0
ZOOM_STEP, MOST_NEAR = 1.5, 60.0
Key = tuple[str, str]


@dataclass(frozen=True)
class Span:
    """A line between two spots with words beside its middle; a finding's is dotted and bears its mark."""

    start: Point
    end: Point
    text: str
    severity: str = ""


@dataclass(frozen=True)
class PlanContent:
    """What the plan shows.

    Attributes:
        bounds: left, bottom, right, top in metres.
        hues: party id -> number of its hue; kinds: party id -> kind of party.
        notes: thing key -> words under its name.
        worst: thing key -> severity of its worst finding.
        shut: ids of microphones whose channel is shut.
        best: a spot worth marking, or None.
    """

    bounds: tuple[float, float, float, float] = (0.0, 0.0, 4.0, 3.0)
    things: tuple[Thing, ...] = ()
    walls: bool = True
    hues: dict[str, int] = field(default_factory=dict)
    kinds: dict[str, str] = field(default_factory=dict)
    notes: dict[Key, str] = field(default_factory=dict)
    shapes: dict[str, tuple[str, bool]] = field(default_factory=dict)
    worst: dict[Key, str] = field(default_factory=dict)
    shut: frozenset[str] = frozenset()
    spans: tuple[Span, ...] = ()
    map: PlacementMap | None = None
    map_hue: int = 0
    map_at: Point = (0.0, 0.0)
    best: Point | None = None


class PlanPicture(Painted):
    """Draws a place. PageUp and PageDown choose a thing, arrows nudge it 5 cm, Shift and arrows turn it 5 degrees; Alt
    makes the steps fine, Ctrl takes a party's microphones along.
    """

    selected = Signal(str, str)
    moving = Signal(object, object, bool)
    moved = Signal(object, object, bool)
    turning = Signal(object, float)
    turned = Signal(object, float)
    nudged = Signal(object, float, float, bool)
    spun = Signal(object, float)
    opened = Signal(object)
    removed = Signal(object)
    dropped = Signal()
    looked = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.content = PlanContent()
        self.chosen: Key = ("", "")
        self._frame = paint.Frame.fitted(self.content.bounds, QRectF(0, 0, 100, 100))
        self._grip: tuple[Thing, str, QPointF] | None = None
        self._carried = False
        self._pulled: QPointF | None = None
        self._image: tuple[PlacementMap, str, QImage] | None = None
        self._nearness = 1.0
        self._centre: Point = (0.0, 0.0)
        self._bounds = self.content.bounds
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Plan of the place")
        self.setStatusTip(
            "PageUp and PageDown choose. Drag, or arrows nudge 5 cm (Alt: 1 cm; Ctrl: with the microphone), Shift with arrows turns. "
            "Enter: details. Delete removes."
        )

    def set_content(self, content: PlanContent, chosen: Key) -> None:
        """What to draw, and which thing is selected."""
        self.content, self.chosen = content, chosen
        if content.bounds != self._bounds:
            self._bounds, self._nearness = content.bounds, 1.0
        self.setAccessibleDescription(self.describe())
        self.update()
        self.told()

    def parts(self) -> tuple[Part, ...]:
        """Everybody and everything that stands on the plan."""
        ring = 15 * self.scale
        out = []
        for row in self.content.things:
            spot = self._frame.to_px(row.at) if row.at is not None else QPointF(-1e4, -1e4)
            box = QRectF(spot - QPointF(ring, ring), spot + QPointF(ring, ring))
            out.append(Part(row.name, _thing_words(row), box, row.key == self.chosen))
        return tuple(out)

    def describe(self) -> str:
        """The selected thing in words."""
        thing = self.thing
        if thing is None:
            return "Nothing is selected." if self.content.things else "Nothing stands here yet."
        return f"{thing.name}, {_thing_words(thing)}"

    @property
    def thing(self) -> Thing | None:
        """The selected thing."""
        return next((row for row in self.content.things if row.key == self.chosen), None)

    # how near

    def seen(self) -> tuple[float, float, float, float]:
        """The part of the plan that is shown: left, bottom, right, top in metres."""
        return self.seen_of(self.content.bounds)

    def seen_of(self, bounds: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
        """The part that would be shown of a plan of other bounds; all of them when they are new."""
        if self._nearness <= 1 or bounds != self._bounds:
            return bounds
        left, bottom, right, top = bounds
        width, height = (right - left) / self._nearness, (top - bottom) / self._nearness
        x = min(max(self._centre[0] - width / 2, left), right - width)
        y = min(max(self._centre[1] - height / 2, bottom), top - height)
        return x, y, x + width, y + height

    def zoom(self, steps: int, around: Point | None = None) -> None:
        """Nearer or further by steps around a spot, else around what is selected; 0 steps show the whole place."""
        thing = self.thing
        before = self._nearness
        self._nearness = 1.0 if steps == 0 else min(max(before * ZOOM_STEP**steps, 1.0), MOST_NEAR)
        spot = around or (thing.at if thing is not None and thing.at is not None else None)
        if spot is not None and around is not None and before > 0:
            # What lies under the pointer stays under it.
            share = before / self._nearness
            left, bottom, right, top = self.seen() if before > 1 else self.content.bounds
            middle = ((left + right) / 2, (bottom + top) / 2)
            spot = (around[0] + (middle[0] - around[0]) * share, around[1] + (middle[1] - around[1]) * share)
        if spot is not None:
            self._centre = spot
        self.update()
        self.looked.emit()

    # drawing

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        margin = 30 * self.scale
        box = QRectF(self.rect()).adjusted(margin, 12, -14, -24 * self.scale)
        content = self.content
        self._frame = frame = paint.Frame.fitted(self.seen(), box)
        if content.map is not None:
            painter.save()
            painter.setClipRect(frame.box)
            paint.draw_map(painter, frame, content.map, self._map_image(content.map))
            painter.restore()
        order = {"surface": 0, "noise": 1, "loudspeaker": 2, "microphone": 3, "party": 4}
        things = sorted((row for row in content.things if row.at is not None), key=lambda row: order[row.sort])
        painter.save()
        painter.setClipRect(frame.box)
        for thing in (row for row in things if row.sort == "surface"):
            shape, hard = content.shapes.get(thing.id, ("wall", True))
            paint.draw_surface(painter, frame, thing, shape, hard, self.theme)
        painter.restore()
        paint.draw_place(painter, frame, content.bounds, self.theme, self.scale, walls=content.walls)
        painter.setClipRect(frame.box.adjusted(-14, -14, 14, 14))
        for thing in things:
            self._draw_thing(painter, frame, thing)
        taken = [
            QRectF(frame.to_px(row.at) - QPointF(13, 13), frame.to_px(row.at) + QPointF(13, 13))
            for row in things
            if row.at is not None and row.sort != "surface"
        ]
        for span in content.spans:
            self._draw_span(painter, frame, span, taken)
        if content.best is not None:
            self._draw_best(painter, frame.to_px(content.best))
        self._draw_chosen(painter, frame)
        busy = self._draw_names(painter, frame, things, taken)
        if content.map is not None:
            paint.draw_map_labels(painter, frame, content.map, self.theme, self.scale, content.map_at, busy)
        painter.end()

    def _map_image(self, found: PlacementMap) -> QImage:
        hue = self.theme.party(self.content.map_hue)
        if self._image is None or self._image[0] is not found or self._image[1] != hue.name():
            self._image = found, hue.name(), paint.map_image(found, hue)
        return self._image[2]

    def _draw_thing(self, painter: QPainter, frame: paint.Frame, thing: Thing) -> None:
        if thing.at is None:
            return
        spot, scale = frame.to_px(thing.at), self.scale
        hue = (
            self.theme.party(self.content.hues[thing.party])
            if thing.party in self.content.hues
            else self.theme.color("muted")
        )
        if thing.sort == "microphone":
            paint.draw_microphone(painter, spot, thing, hue, scale, shut=thing.id in self.content.shut)
        elif thing.sort == "party":
            paint.draw_party(painter, spot, thing, self.content.kinds.get(thing.id, ""), hue, self.theme, scale)
        elif thing.sort == "loudspeaker":
            paint.draw_loudspeaker(painter, spot, thing, self.theme, scale)
        elif thing.sort == "noise":
            paint.draw_noise(painter, spot, self.theme, scale)

    def _draw_span(self, painter: QPainter, frame: paint.Frame, span: Span, taken: list[QRectF]) -> None:
        start, end = frame.to_px(span.start), frame.to_px(span.end)
        color = self.theme.color(span.severity if span.severity else "lantern")
        pen = QPen(color, 1.6, Qt.PenStyle.DotLine if span.severity else Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.drawLine(start, end)
        middle = QPointF((start.x() + end.x()) / 2, (start.y() + end.y()) / 2)
        row = font(9, QFont.Weight.DemiBold, self.scale)
        metrics = QFontMetricsF(row)
        if span.severity:
            paint_box = QRectF(middle.x() - 7, middle.y() - 7, 14, 14)
            painter.setBrush(self.theme.color("panel"))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(middle, 9, 9)
            draw_mark(painter, paint_box, span.severity, self.theme)
        width, height = metrics.horizontalAdvance(span.text), metrics.height()
        gap = 13.0 if span.severity else 8.0
        moves = [
            QPointF(gap, -height / 2),
            QPointF(-gap - width, -height / 2),
            QPointF(-width / 2, gap),
            QPointF(-width / 2, -gap - height),
            QPointF(gap + 10, gap),
            QPointF(-gap - 10 - width, gap),
            QPointF(gap + 10, -gap - height),
            QPointF(-gap - 10 - width, -gap - height),
        ]
        boxes = [QRectF(middle + move, middle + move + QPointF(width, height)) for move in moves]
        if not span.severity:
            boxes = boxes[2:] + boxes[:2]
        box = _free(boxes, taken, frame.box) or boxes[0]
        self._plate(painter, box)
        paint.draw_label(painter, box, span.text, self.theme.color("text"), row)
        taken.append(box)

    def _plate(self, painter: QPainter, box: QRectF) -> None:
        """A quiet ground under words that lie over lines."""
        ground = self.theme.color("panel")
        ground.setAlpha(190)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(box.adjusted(-3, 0, 3, 0), 3, 3)

    def _draw_best(self, painter: QPainter, spot: QPointF) -> None:
        painter.setPen(QPen(self.theme.color("lantern"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            painter.drawLine(spot + QPointF(dx * 5, dy * 5), spot + QPointF(dx * 12, dy * 12))
        painter.drawEllipse(spot, 5, 5)

    def _draw_chosen(self, painter: QPainter, frame: paint.Frame) -> None:
        thing = self.thing
        if thing is None or thing.at is None:
            return
        spot = frame.to_px(thing.at)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self.theme.color("lantern"), 2.4 if self.hasFocus() else 1.4))
        ring = (15 if thing.sort == "party" else 9) * self.scale
        painter.drawEllipse(spot, ring, ring)
        if self._turns(thing) and thing.angle_deg is not None:
            arm = spot + paint.heading(thing.angle_deg, ARM_PX * self.scale)
            painter.setPen(QPen(self.theme.color("lantern"), 1.4))
            painter.drawLine(spot + paint.heading(thing.angle_deg, ring), arm)
            painter.setBrush(self.theme.color("panel"))
            painter.drawEllipse(arm, 5, 5)

    def _draw_names(
        self, painter: QPainter, frame: paint.Frame, things: list[Thing], taken: list[QRectF]
    ) -> list[QRectF]:
        """Names beside mouths, loudspeakers, noises and surfaces, out of each other's way."""
        bold, small = font(10, QFont.Weight.DemiBold, self.scale), font(9, scale=self.scale)
        busy = list(taken)
        for thing in things:
            note = self.content.notes.get(thing.key, "")
            named = thing.sort == "party" or thing.key == self.chosen or not thing.party
            if thing.at is None or not named or (thing.sort == "microphone" and thing.party):
                continue
            row = bold if thing.sort == "party" else small
            text = thing.name if thing.sort == "party" or not note else f"{thing.name}, {note}"
            metrics = QFontMetricsF(row)
            size = QPointF(metrics.horizontalAdvance(text), metrics.height())
            spot = frame.to_px(thing.at)
            if thing.sort == "surface":
                beside = [
                    QPointF(8, -size.y() / 2),
                    QPointF(-size.x() - 8, -size.y() / 2),
                    QPointF(-size.x() / 2, 6),
                    QPointF(-size.x() / 2, -6 - size.y()),
                ]
                if thing.ends is not None and abs(thing.ends[0][0] - thing.ends[1][0]) > abs(
                    thing.ends[0][1] - thing.ends[1][1]
                ):
                    beside = beside[2:] + beside[:2]
                table = self.content.shapes.get(thing.id, ("", True))[0] == "table"
                spots = [QPointF(-size.x() / 2, -size.y() / 2), *beside] if table else beside
            else:
                gap = 17 * self.scale
                spots = [
                    QPointF(-size.x() / 2, -gap - size.y()),
                    QPointF(gap, -size.y() / 2),
                    QPointF(-gap - size.x(), -size.y() / 2),
                    QPointF(-size.x() / 2, gap),
                    QPointF(gap, -gap - size.y()),
                    QPointF(-gap - size.x(), -gap - size.y()),
                    QPointF(gap, gap),
                    QPointF(-gap - size.x(), gap),
                ]
            boxes = [QRectF(spot + move, spot + move + size) for move in spots]
            box = (
                _free(boxes, busy, frame.box.adjusted(3, 3, -3, -3))
                or _free(boxes, busy, QRectF(self.rect()))
                or boxes[0]
            )
            busy.append(box)
            color = self.theme.color("text") if thing.sort == "party" else self.theme.color("muted")
            if thing.sort != "surface":
                self._plate(painter, box)
            paint.draw_label(painter, box, text, color, row)
            worst = self.content.worst.get(thing.key)
            if worst:
                mark = QRectF(box.right() + 5, box.center().y() - 6, 12, 12)
                draw_mark(painter, mark, worst, self.theme)
                busy.append(mark)
        return busy

    # the mouse

    def _at(self, spot: QPointF) -> Thing | None:
        """What lies nearest under the pointer; small things before large ones."""
        best: tuple[float, Thing] | None = None
        for thing in self.content.things:
            if thing.at is None:
                continue
            away = spot - self._frame.to_px(thing.at)
            apart = math.hypot(away.x(), away.y())
            reach = REACH_PX * self.scale
            if thing.sort == "surface":
                apart += reach * 0.6
            if apart <= reach and (best is None or apart < best[0]):
                best = apart, thing
        return best[1] if best else None

    def _turns(self, thing: Thing) -> bool:
        return thing.sort in ("party", "microphone", "loudspeaker") and not thing.fixed

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        spot, now = event.position(), self.thing
        if now is not None and now.at is not None and now.angle_deg is not None and self._turns(now):
            arm = self._frame.to_px(now.at) + paint.heading(now.angle_deg, ARM_PX * self.scale) - spot
            if math.hypot(arm.x(), arm.y()) <= 9:
                self._grip = now, "turn", spot
                return
        thing = self._at(spot)
        if thing is not None and thing.at is not None:
            self._grip = thing, "move", self._frame.to_px(thing.at) - spot
            if thing.key != self.chosen:
                self.choose(thing.key)
        elif self._nearness > 1:
            self._pulled = spot

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grip is None:
            if self._pulled is not None:
                moved = event.position() - self._pulled
                left, bottom, right, top = self.seen()
                per_m = self._frame.per_m
                self._centre = (
                    (left + right) / 2 - moved.x() / per_m,
                    (bottom + top) / 2 + moved.y() / per_m,
                )
                self._pulled = event.position()
                self.update()
                self.looked.emit()
            return
        thing, how, offset = self._grip
        self._carried = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if how == "turn":
            self.turning.emit(thing, self._bearing(thing, event.position()))
        else:
            self.moving.emit(thing, self._frame.to_m(event.position() + offset), self._carried)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pulled = None
        if self._grip is None:
            return
        thing, how, offset = self._grip
        self._grip = None
        if how == "turn":
            self.turned.emit(thing, self._bearing(thing, event.position()))
            return
        to = self._frame.to_m(event.position() + offset)
        if thing.at is not None and math.dist(to, thing.at) * self._frame.per_m >= 2:
            self.moved.emit(thing, to, self._carried)
        else:
            self.dropped.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        thing = self._at(event.position())
        if thing is not None:
            self.opened.emit(thing)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and event.angleDelta().y():
            self.zoom(1 if event.angleDelta().y() > 0 else -1, self._frame.to_m(event.position()))
            event.accept()
            return
        thing = self.thing
        if thing is not None and self._turns(thing) and event.angleDelta().y():
            self.spun.emit(thing, TURN_DEG if event.angleDelta().y() > 0 else -TURN_DEG)
            event.accept()

    def _bearing(self, thing: Thing, spot: QPointF) -> float:
        x, y = self._frame.to_m(spot)
        at = thing.at or (0.0, 0.0)
        return float(round(math.degrees(math.atan2(y - at[1], x - at[0])))) % 360

    # the keyboard

    def choose(self, key: Key) -> None:
        """Selects a thing and says so."""
        self.chosen = key
        self.setAccessibleDescription(self.describe())
        self.update()
        self.selected.emit(*key)

    def event(self, event: QEvent) -> bool:
        """While something is dragged, Esc is the plan's, whatever else it is the shortcut of."""
        dragging = event.type() == QEvent.Type.ShortcutOverride and self._grip is not None
        if dragging and event.key() == Qt.Key.Key_Escape:  # type: ignore[attr-defined]
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, held = event.key(), event.modifiers()
        rows, thing = self.content.things, self.thing
        fine = bool(held & Qt.KeyboardModifier.AltModifier)
        arrows = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        if key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp) and rows:
            step = 1 if key == Qt.Key.Key_PageDown else -1
            place = next((i for i, row in enumerate(rows) if row.key == self.chosen), -1 if step > 0 else 0)
            self.choose(rows[(place + step) % len(rows)].key)
        elif key == Qt.Key.Key_Escape and self._grip is not None:
            self._grip = None
            self.dropped.emit()
        elif thing is None:
            super().keyPressEvent(event)
        elif key in arrows and held & Qt.KeyboardModifier.ShiftModifier:
            turn = FINE_DEG if fine else TURN_DEG
            if self._turns(thing):
                self.spun.emit(thing, turn if key in (Qt.Key.Key_Left, Qt.Key.Key_Up) else -turn)
        elif key in arrows:
            dx, dy = arrows[Qt.Key(key)]
            step_m = FINE_M if fine else NUDGE_M
            self.nudged.emit(thing, dx * step_m, dy * step_m, bool(held & Qt.KeyboardModifier.ControlModifier))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit(thing)
        elif key == Qt.Key.Key_Delete:
            self.removed.emit(thing)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        super().focusInEvent(event)  # type: ignore[arg-type]
        self.update()

    def focusOutEvent(self, event: object) -> None:
        super().focusOutEvent(event)  # type: ignore[arg-type]
        self.update()


def _free(boxes: list[QRectF], busy: list[QRectF], within: QRectF) -> QRectF | None:
    """The first box that lies within and overlaps nothing."""
    return next(
        (box for box in boxes if within.contains(box) and not any(box.intersects(other) for other in busy)),
        None,
    )


def _thing_words(thing: Thing) -> str:
    """What it is, where it stands and which way it is turned."""
    where = "has no position" if thing.at is None else f"at {thing.at[0]:.2f}, {thing.at[1]:.2f} m"
    turn = "" if thing.angle_deg is None else f", turned {thing.angle_deg % 360:.0f} degrees"
    return f"{thing.sort}, {where}{turn}"
