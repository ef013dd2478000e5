"""How the rig is painted: boxes, links by the class of their level, the small map in the corner."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.core.report.chain import Chain, ChainBox, ChainLink
from kymaphon.core.wiring.layered import HEAD, ROW, PlacedBox

LINK_LOOKS: dict[str, tuple[float, str]] = {
    "mic": (1.3, "microphone"),
    "instrument": (1.6, "preamp"),
    "line": (2.4, "voice"),
    "headphone": (1.8, "room"),
    "speaker": (4.0, "fix"),
    "digital": (2.0, "converter"),
    "any": (1.8, "others"),
}
"""Class of level -> line weight and colour role."""
LINK_WORDS = {
    "mic": "microphone",
    "instrument": "instrument",
    "line": "line",
    "headphone": "headphones",
    "speaker": "loudspeaker",
    "digital": "digital",
    "any": "as it comes",
}


def link_path(way: tuple[tuple[float, float], ...], *, back: bool) -> QPainterPath:
    """The line of a link: soft curves from left to right, rounded corners where it runs back."""
    points = [QPointF(x, y) for x, y in way]
    path = QPainterPath(points[0])
    if back:
        for before, here, after in zip(points, points[1:], points[2:], strict=False):
            radius = min(9.0, _length(here - before) / 2, _length(after - here) / 2)
            if radius < 0.5:
                path.lineTo(here)
                continue
            path.lineTo(here - (here - before) * (radius / max(_length(here - before), 1e-6)))
            path.quadTo(here, here + (after - here) * (radius / max(_length(after - here), 1e-6)))
        path.lineTo(points[-1])
        return path
    for before, here in zip(points, points[1:], strict=False):
        middle = (before.x() + here.x()) / 2
        path.cubicTo(QPointF(middle, before.y()), QPointF(middle, here.y()), here)
    return path


def _length(step: QPointF) -> float:
    return math.hypot(step.x(), step.y())


def draw_link(painter: QPainter, path: QPainterPath, link: ChainLink, theme: Theme, *, chosen: bool) -> None:
    """A link in the weight and tint of its class; interrupted where no signal comes."""
    width, role = LINK_LOOKS[link.level]
    color = theme.color("lantern") if chosen else theme.color(role)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if chosen:
        halo = QColor(color)
        halo.setAlpha(60)
        painter.setPen(QPen(halo, width + 7))
        painter.drawPath(path)
    pen = QPen(color, width)
    if link.silence:
        pen.setColor(theme.color("lantern") if chosen else theme.color("muted"))
        pen.setDashPattern([2.0, 3.5])
    painter.setPen(pen)
    painter.drawPath(path)
    if link.level == "digital" and not link.silence:
        painter.setPen(QPen(theme.color("panel"), width / 3))
        painter.drawPath(path)


def draw_figure(painter: QPainter, start: QPointF, link: ChainLink, theme: Theme) -> None:
    """The level beside the socket that a link comes out of, or that there is none."""
    row = font(8.5, QFont.Weight.Medium)
    text = link.figure or "no signal"
    metrics = QFontMetricsF(row)
    box = QRectF(
        start.x() + 7, start.y() - metrics.height() - 0.5, metrics.horizontalAdvance(text) + 4, metrics.height()
    )
    ground = theme.color("panel")
    ground.setAlpha(215)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ground)
    painter.drawRoundedRect(box.adjusted(-2, 1, 1, -1), 3, 3)
    painter.setFont(row)
    painter.setPen(theme.color("text") if link.figure else theme.color("fix"))
    painter.drawText(box, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), text)


def draw_box(
    painter: QPainter,
    box: ChainBox,
    place: PlacedBox,
    theme: Theme,
    *,
    hue: QColor | None,
    edge: QColor | None,
    chosen: bool,
    focus: bool,
    dim: bool,
) -> None:
    """A device: its name, what it is or why it is silent, its sockets in use."""
    rect = QRectF(place.x, place.y, place.width, place.height)
    painter.setPen(QPen(theme.color("lantern"), 2.6 if focus else 2.0) if chosen else QPen(theme.color("line"), 1.2))
    painter.setBrush(theme.color("raised"))
    if box.group == "place":
        painter.drawRoundedRect(rect.translated(5, 5), 7, 7)
    painter.drawRoundedRect(rect, 7, 7)
    if edge is not None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(edge)
        painter.drawRoundedRect(QRectF(rect.left() + 4, rect.top() + 7, 3, rect.height() - 14), 1.5, 1.5)
    left = rect.left() + 14
    if hue is not None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(hue)
        painter.drawEllipse(QPointF(left + 4, rect.top() + 15), 4, 4)
        left += 14
    right = rect.right() - 10
    if box.worst is not None:
        draw_mark(painter, QRectF(rect.right() - 23, rect.top() + 8, 14, 14), box.worst, theme)
        right -= 18
    bold, small = font(10, QFont.Weight.DemiBold), font(8.5)
    _words(
        painter, QRectF(left, rect.top() + 5, right - left, 20), box.name, bold, theme.color("muted" if dim else "text")
    )
    note = theme.color("fix") if box.silent else theme.color("muted")
    _words(painter, QRectF(rect.left() + 14, rect.top() + 24, rect.width() - 24, 16), box.note, small, note)
    metrics = QFontMetricsF(small)
    room = rect.width() - 30
    for k in range(max(len(box.inputs), len(box.outputs))):
        y = rect.top() + HEAD + ROW * k
        into = box.inputs[k].name if k < len(box.inputs) else ""
        out = box.outputs[k].name if k < len(box.outputs) else ""
        need, other = metrics.horizontalAdvance(into) + 2, metrics.horizontalAdvance(out) + 2
        if need + other > room:
            # The shorter of the two keeps its words, as far as it can.
            need = min(need, max(room - other, room / 2))
            other = room - need
        if into:
            _words(painter, QRectF(rect.left() + 14, y, need, ROW), into, small, theme.color("text"))
            _socket(painter, QPointF(rect.left(), y + ROW / 2), theme)
        if out:
            where = QRectF(rect.right() - 12 - other, y, other, ROW)
            _words(painter, where, out, small, theme.color("text"), Qt.AlignmentFlag.AlignRight)
            _socket(painter, QPointF(rect.right(), y + ROW / 2), theme)


def _socket(painter: QPainter, spot: QPointF, theme: Theme) -> None:
    painter.setPen(QPen(theme.color("muted"), 1.2))
    painter.setBrush(theme.color("panel"))
    painter.drawEllipse(spot, 3.4, 3.4)


def _words(
    painter: QPainter,
    box: QRectF,
    text: str,
    row: QFont,
    color: QColor,
    side: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
) -> None:
    metrics = QFontMetricsF(row)
    painter.setFont(row)
    painter.setPen(color)
    short = metrics.elidedText(text, Qt.TextElideMode.ElideRight, box.width())
    painter.drawText(box, int(side | Qt.AlignmentFlag.AlignVCenter), short)


def draw_map(painter: QPainter, chain: Chain, box: QRectF, seen: QRectF, theme: Theme, chosen: str) -> None:
    """The whole rig small, with what is seen of it framed."""
    painter.setPen(QPen(theme.color("line"), 1))
    ground = theme.color("panel")
    ground.setAlpha(235)
    painter.setBrush(ground)
    painter.drawRoundedRect(box, 5, 5)
    scale = map_scale(chain, box)
    painter.setPen(Qt.PenStyle.NoPen)
    for name, place in chain.drawing.boxes.items():
        painter.setBrush(theme.color("lantern") if name == chosen else theme.color("muted"))
        painter.drawRect(
            QRectF(
                box.left() + 6 + place.x * scale,
                box.top() + 6 + place.y * scale,
                max(place.width * scale, 2),
                max(place.height * scale, 2),
            )
        )
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.color("text"), 1.2))
    frame = QRectF(
        box.left() + 6 + seen.left() * scale,
        box.top() + 6 + seen.top() * scale,
        seen.width() * scale,
        seen.height() * scale,
    )
    painter.drawRect(frame.intersected(box.adjusted(2, 2, -2, -2)))


def map_scale(chain: Chain, box: QRectF) -> float:
    """Pixels of the small map for each of the drawing."""
    drawing = chain.drawing
    return min((box.width() - 12) / max(drawing.width, 1), (box.height() - 12) / max(drawing.height, 1))
