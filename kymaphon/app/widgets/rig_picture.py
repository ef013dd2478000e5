"""The rig from left to right: pan, zoom, search, choose with the keyboard, pull a cable from box to box. Changes nothing."""

from __future__ import annotations

import math

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from kymaphon.app.theme import Theme
from kymaphon.app.widgets import rig_paint as paint
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.app.widgets.painted import Painted, Part
from kymaphon.core.report.chain import Chain, ChainBox, ChainLink
from kymaphon.core.wiring.layered import PlacedBox

Key = tuple[str, str]
NOTHING: Key = ("", "")
MARGIN = 18.0
LEAST, MOST, STEP = 0.25, 2.5, 1.2
READABLE = 0.95
"""Below this nearness words are hard to read: a large rig begins here, with a map of the whole in the corner."""
FIGURES_FROM = 0.6
BEYOND = 130.0
"""How far past its end the drawing can be moved, so that nothing stays under the small map."""


class RigPicture(Painted):
    """Draws a chain. Arrows go from box to box, PageUp and PageDown from cable to cable of the box, Enter opens, Delete
    takes away; the wheel moves, Ctrl and the wheel go nearer.

    Signals:
        selected: kind (`device`, `place`, `cable`) and id; a cable's id is `from>to`.
        opened, removed: the same.
        pulled: device ids from and to, between which the pointer pulled a cable.
    """

    selected = Signal(str, str)
    opened = Signal(str, str)
    removed = Signal(str, str)
    pulled = Signal(str, str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.chain: Chain | None = None
        self.hues: dict[str, int] = {}
        self.places: dict[str, int] = {}
        self.chosen: Key = NOTHING
        self.found: frozenset[str] | None = None
        self.nearness = 1.0
        self._offset = QPointF(MARGIN, MARGIN)
        self._paths: list[QPainterPath] = []
        self._grip: tuple[str, QPointF] | None = None
        self._pull: QPointF | None = None
        self._fresh = True
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumHeight(200)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The rig from left to right")
        self.setStatusTip(
            "Arrows go from box to box, PageUp and PageDown from cable to cable. Enter: details. Delete: takes away. "
            "Ctrl+J plugs; pull from box to box with the pointer. Ctrl and the wheel: nearer."
        )

    # what is shown

    def set_chain(self, chain: Chain, hues: dict[str, int], places: dict[str, int]) -> None:
        """What to draw: hues of parties and of places by id."""
        before = self.chain
        self.chain, self.hues, self.places = chain, hues, places
        self._paths = [
            paint.link_path(way, back=back) for way, back in zip(chain.drawing.ways, chain.drawing.back, strict=True)
        ]
        if self._fresh or before is None or not before.boxes:
            self.whole()
        self._hold()
        self.setAccessibleDescription(self.describe())
        self.update()

    def choose(self, key: Key, *, show: bool = True) -> None:
        """Selects something and brings it into sight, without saying so."""
        self.chosen = key
        if show:
            self._into_sight()
        self.setAccessibleDescription(self.describe())
        self.update()
        self.told()

    def describe(self) -> str:
        """The selection in words."""
        box, link = self.box, self.link
        if box is not None:
            return f"{box.name}, {_box_words(box)}"
        if link is not None and self.chain is not None:
            return f"{_cable_name(self.chain, link)}, {_cable_words(link)}"
        return "Nothing is selected." if self.chain and self.chain.boxes else "Nothing is in the rig yet."

    def parts(self) -> tuple[Part, ...]:
        """Devices, then cables."""
        chain = self.chain
        if chain is None:
            return ()
        out = []
        for box in chain.boxes:
            place = chain.drawing.boxes[box.id]
            out.append(
                Part(
                    box.name,
                    _box_words(box),
                    self._on_screen(QRectF(place.x, place.y, place.width, place.height)),
                    _key(box) == self.chosen,
                )
            )
        for link, path in zip(chain.links, self._paths, strict=True):
            chosen = self.chosen == ("cable", cable_id(link))
            box_of = self._on_screen(path.boundingRect())
            out.append(Part(_cable_name(chain, link), _cable_words(link), box_of, chosen))
        return tuple(out)

    def _on_screen(self, box: QRectF) -> QRectF:
        """A box of the drawing in points of the picture."""
        return QRectF(self._offset + box.topLeft() * self.nearness, box.size() * self.nearness)

    @property
    def box(self) -> ChainBox | None:
        """The selected box."""
        if self.chain is None or self.chosen[0] not in ("device", "place"):
            return None
        return next((row for row in self.chain.boxes if _key(row) == self.chosen), None)

    @property
    def link(self) -> ChainLink | None:
        """The selected cable."""
        if self.chain is None or self.chosen[0] != "cable":
            return None
        return next((row for row in self.chain.links if cable_id(row) == self.chosen[1]), None)

    # how near

    def whole(self) -> None:
        """All of it, but never so far that its words cannot be read; then from its left."""
        if self.chain is None or self.width() < 50:
            self._fresh = True
            return
        drawing = self.chain.drawing
        fits = min(
            (self.width() - 2 * MARGIN) / max(drawing.width, 1), (self.height() - 2 * MARGIN) / max(drawing.height, 1)
        )
        self.nearness = min(max(fits, READABLE * self.scale), 1.15 * self.scale)
        self._offset = QPointF(MARGIN, MARGIN)
        self._fresh = False
        self._into_sight()
        self.update()

    def zoom(self, steps: int, around: QPointF | None = None) -> None:
        """Nearer or further by steps around a point of the widget, else around its middle; 0 shows the whole."""
        if steps == 0:
            self.see_all()
            return
        spot = around if around is not None else QPointF(self.width() / 2, self.height() / 2)
        before = self.nearness
        self.nearness = min(max(before * STEP**steps, LEAST), MOST)
        self._offset = spot - (spot - self._offset) * (self.nearness / before)
        self._hold()
        self.update()

    def see_all(self) -> None:
        """Really all of it, however small."""
        if self.chain is None:
            return
        drawing = self.chain.drawing
        self.nearness = min(
            max(
                min(
                    (self.width() - 2 * MARGIN) / max(drawing.width, 1),
                    (self.height() - 2 * MARGIN) / max(drawing.height, 1),
                ),
                LEAST,
            ),
            1.15,
        )
        self._offset = QPointF(MARGIN, MARGIN)
        self._hold()
        self.update()

    def _hold(self) -> None:
        """Keeps the drawing within reach; one that fits stands in the middle."""
        if self.chain is None:
            return
        wide, tall = self.chain.drawing.width * self.nearness, self.chain.drawing.height * self.nearness
        self._offset = QPointF(
            _held(self._offset.x(), wide, self.width()), _held(self._offset.y(), tall, self.height())
        )

    def seen(self) -> QRectF:
        """The part of the drawing that is in sight."""
        return QRectF(self._to_drawing(QPointF(0, 0)), self._to_drawing(QPointF(self.width(), self.height())))

    def _to_drawing(self, spot: QPointF) -> QPointF:
        return (spot - self._offset) * (1 / self.nearness)

    def _into_sight(self) -> None:
        place = self._place_of_choice()
        if place is None or self.width() < 50:
            return
        box = QRectF(place.x, place.y, place.width, place.height)
        seen = self.seen()
        if seen.contains(box):
            return
        room = 60 / self.nearness
        dx = max(box.right() + room - seen.right(), 0) + min(box.left() - room - seen.left(), 0)
        dy = max(box.bottom() + room - seen.bottom(), 0) + min(box.top() - room - seen.top(), 0)
        self._offset -= QPointF(dx, dy) * self.nearness
        self._hold()

    def _place_of_choice(self) -> PlacedBox | None:
        if self.chain is None:
            return None
        box, link = self.box, self.link
        name = box.id if box is not None else link.source if link is not None else ""
        return self.chain.drawing.boxes.get(name)

    # drawing

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chain = self.chain
        if chain is not None:
            painter.save()
            painter.translate(self._offset)
            painter.scale(self.nearness, self.nearness)
            self._draw_links(painter, chain)
            for box in chain.boxes:
                self._draw_box(painter, box, chain.drawing.boxes[box.id])
            if self.nearness >= FIGURES_FROM:
                for link, way in zip(chain.links, chain.drawing.ways, strict=True):
                    paint.draw_figure(painter, QPointF(*way[0]), link, self.theme)
            self._draw_marks(painter, chain)
            if self._pull is not None and self._grip is not None:
                painter.setPen(QPen(self.theme.color("lantern"), 2, Qt.PenStyle.DashLine))
                painter.drawLine(self._to_drawing(self._grip[1]), self._to_drawing(self._pull))
            painter.restore()
            if self._map_box() is not None:
                paint.draw_map(
                    painter,
                    chain,
                    self._map_box() or QRectF(),
                    self.seen(),
                    self.theme,
                    self.box.id if self.box else "",
                )
        self.paint_focus(painter)
        painter.end()

    def _draw_links(self, painter: QPainter, chain: Chain) -> None:
        mine = self.box.id if self.box is not None else ""
        rows = sorted(zip(chain.links, self._paths, strict=True), key=lambda row: cable_id(row[0]) == self.chosen[1])
        for link, path in rows:
            chosen = self.chosen[0] == "cable" and cable_id(link) == self.chosen[1]
            away = bool(mine) and mine not in (link.source, link.target)
            painter.setOpacity(0.45 if away else 1.0)
            paint.draw_link(painter, path, link, self.theme, chosen=chosen)
        painter.setOpacity(1.0)

    def _draw_marks(self, painter: QPainter, chain: Chain) -> None:
        """The shapes of what is to mend, in the middle of each link."""
        for link, path in zip(chain.links, self._paths, strict=True):
            if link.worst is None or link.worst == "note":
                continue
            middle = path.pointAtPercent(0.85)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color("panel"))
            painter.drawEllipse(middle, 10, 10)
            draw_mark(painter, QRectF(middle.x() - 7, middle.y() - 7, 14, 14), link.worst, self.theme)

    def _draw_box(self, painter: QPainter, box: ChainBox, place: PlacedBox) -> None:
        hue = self.theme.party(self.hues[box.party]) if box.party in self.hues else None
        edge = self._edge(box.place)
        dim = self.found is not None and box.id not in self.found
        painter.setOpacity(0.35 if dim else 1.0)
        paint.draw_box(
            painter,
            box,
            place,
            self.theme,
            hue=hue,
            edge=edge,
            chosen=_key(box) == self.chosen,
            focus=self.hasFocus(),
            dim=dim,
        )
        painter.setOpacity(1.0)

    def _edge(self, place: str) -> QColor | None:
        return self.theme.party(self.places[place]) if place in self.places else None

    def _map_box(self) -> QRectF | None:
        """Where the small map is; None when all is in sight."""
        if self.chain is None or not self.chain.boxes:
            return None
        drawing, seen = self.chain.drawing, self.seen()
        if seen.contains(QRectF(0, 0, drawing.width, drawing.height)):
            return None
        wide = min(150.0, self.width() / 5.5)
        tall = min(max(wide * drawing.height / max(drawing.width, 1), 30.0), 110.0)
        return QRectF(self.width() - wide - 8, self.height() - tall - 8, wide, tall)

    # the pointer

    def _box_at(self, spot: QPointF) -> ChainBox | None:
        if self.chain is None:
            return None
        at = self._to_drawing(spot)
        for box in self.chain.boxes:
            place = self.chain.drawing.boxes[box.id]
            if QRectF(place.x, place.y, place.width, place.height).contains(at):
                return box
        return None

    def _link_at(self, spot: QPointF) -> ChainLink | None:
        if self.chain is None:
            return None
        at = self._to_drawing(spot)
        reach = max(7.0, 7.0 / self.nearness)
        around = QRectF(at.x() - reach, at.y() - reach, 2 * reach, 2 * reach)
        for link, path in zip(self.chain.links, self._paths, strict=True):
            if path.boundingRect().intersects(around) and _near(path, at) <= reach:
                return link
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spot = event.position()
        small = self._map_box()
        if small is not None and small.contains(spot):
            self._jump(spot, small)
            return
        box = self._box_at(spot)
        if box is not None:
            self._grip = (box.id, spot)
            self._say(_key(box))
            return
        link = self._link_at(spot)
        if link is not None:
            self._say(("cable", cable_id(link)))
            return
        self._grip = ("", spot)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grip is None:
            return
        name, start = self._grip
        if not name:
            self._offset += event.position() - start
            self._grip = ("", event.position())
            self._hold()
        elif self._pull is not None or (event.position() - start).manhattanLength() > 8:
            self._pull = event.position()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, pull = self._grip, self._pull
        self._grip = self._pull = None
        self.update()
        if grip is None or pull is None:
            return
        onto = self._box_at(event.position())
        if onto is not None and onto.id != grip[0]:
            self.pulled.emit(grip[0], onto.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._grip = None
        box, link = self._box_at(event.position()), self._link_at(event.position())
        if box is not None:
            self.opened.emit(*_key(box))
        elif link is not None:
            self.opened.emit("cable", cable_id(link))

    def wheelEvent(self, event: QWheelEvent) -> None:
        step = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(1 if step.y() > 0 else -1, event.position())
            return
        sideways = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        move = QPointF(step.y(), 0) if sideways else QPointF(step.x(), step.y())
        self._offset += move * 0.5
        self._hold()
        self.update()

    def _jump(self, spot: QPointF, small: QRectF) -> None:
        if self.chain is None:
            return
        scale = paint.map_scale(self.chain, small)
        at = (spot - small.topLeft() - QPointF(6, 6)) * (1 / scale)
        self._offset = QPointF(self.width() / 2, self.height() / 2) - at * self.nearness
        self._hold()
        self.update()

    # the keyboard

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        moves = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if key in moves:
            self._step(*moves[Qt.Key(key)])
        elif key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self._next_cable(1 if key == Qt.Key.Key_PageDown else -1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen != NOTHING:
            self.opened.emit(*self.chosen)
        elif key == Qt.Key.Key_Delete and self.chosen != NOTHING:
            self.removed.emit(*self.chosen)
        else:
            super().keyPressEvent(event)

    def _step(self, dx: int, dy: int) -> None:
        """To the nearest box that way."""
        if self.chain is None or not self.chain.boxes:
            return
        here = self._place_of_choice()
        places = self.chain.drawing.boxes
        if here is None:
            self._say(_key(self.chain.boxes[0]))
            return
        if self.link is not None:
            self._say(self._key_of(self.link.source if dx <= 0 else self.link.target))
            return
        best = None
        for box in self.chain.boxes:
            there = places[box.id]
            if box.id == here.id:
                continue
            across = there.column - here.column
            down = (there.y + there.height / 2) - (here.y + here.height / 2)
            if dx and across * dx > 0:
                cost = abs(across) * 400 + abs(down)
            elif dy and across == 0 and down * dy > 0:
                cost = abs(down)
            else:
                continue
            if best is None or cost < best[0]:
                best = cost, box
        if best is not None:
            self._say(_key(best[1]))

    def _key_of(self, name: str) -> Key:
        box = next((row for row in self.chain.boxes if row.id == name), None) if self.chain else None
        return _key(box) if box is not None else NOTHING

    def _next_cable(self, step: int) -> None:
        if self.chain is None or not self.chain.links:
            return
        box, link = self.box, self.link
        mine = box.id if box is not None else self._cables_from if link is not None else ""
        rows = [row for row in self.chain.links if not mine or mine in (row.source, row.target)]
        if not rows:
            return
        self._cables_from = mine
        here = next((k for k, row in enumerate(rows) if link is not None and row is link), -1 if step > 0 else 0)
        self._say(("cable", cable_id(rows[(here + step) % len(rows)])))

    _cables_from = ""
    """The box whose cables PageUp and PageDown go through."""

    def _say(self, key: Key) -> None:
        if key[0] != "cable":
            self._cables_from = ""
        self.choose(key)
        self.selected.emit(*key)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        if self._fresh:
            self.whole()
        self._hold()
        self._into_sight()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            spot = QPointF(event.pos())
            box, link = self._box_at(spot), self._link_at(spot)
            if box is not None:
                QToolTip.showText(event.globalPos(), f"{box.name}: {box.note}", self)
            elif link is not None:
                state = link.figure or f"no signal here, because {link.silence}"
                QToolTip.showText(
                    event.globalPos(),
                    f"{link.cable.source} to {link.cable.target}, {paint.LINK_WORDS[link.level]}: {state}",
                    self,
                )
            else:
                QToolTip.hideText()
            return True
        return super().event(event)


def cable_id(link: ChainLink) -> str:
    """What tells a cable from the others: `from>to`."""
    return ">".join(link.ends)


def _key(box: ChainBox) -> Key:
    return ("place" if box.group == "place" else "device", box.id)


def _held(offset: float, size: float, room: float) -> float:
    if size + 2 * MARGIN <= room:
        return (room - size) / 2
    return min(max(offset, room - size - BEYOND), 2 * MARGIN)


def _near(path: QPainterPath, spot: QPointF) -> float:
    """How far a point is from a path, in steps along it."""
    n = max(12, int(path.length() / 10))
    points = [path.pointAtPercent(k / n) for k in range(n + 1)]
    return min(math.hypot(point.x() - spot.x(), point.y() - spot.y()) for point in points)


def _box_words(box: ChainBox) -> str:
    return f"{box.note}, {len(box.inputs)} plugged in, {len(box.outputs)} out"


def _cable_name(chain: Chain, link: ChainLink) -> str:
    """A cable by the names of what it joins."""
    boxes = {box.id: box for box in chain.boxes}
    ends = []
    for box_id, ref, outputs in ((link.source, link.cable.source, True), (link.target, link.cable.target, False)):
        box = boxes[box_id]
        port = next((row.name for row in (box.outputs if outputs else box.inputs) if row.ref == ref), "")
        ends.append(f"{box.name}, {port}" if port else box.name)
    return f"Cable from {ends[0]} to {ends[1]}"


def _cable_words(link: ChainLink) -> str:
    return link.figure or f"no signal, {link.silence}"
