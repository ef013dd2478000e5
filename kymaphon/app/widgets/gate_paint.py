"""What the gate's picture is painted with: axes, openings, level, eaten words, histograms, thresholds."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen

from kymaphon.app.theme import font
from kymaphon.app.widgets.axes import Axes, round_levels, time_step
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.app.widgets.trace import draw_trace, fill_under
from kymaphon.core.derive import show_number
from kymaphon.core.dynamics.envelope import edges

if TYPE_CHECKING:
    from kymaphon.app.widgets.gate_picture import GatePicture


def paint_grid(picture: GatePicture, painter: QPainter) -> None:
    plot, (low, high) = picture.plot(), picture.limits
    axes = Axes(painter, picture.theme, plot, picture.scale, picture.width() - 8.0)
    axes.levels(round_levels(low, high, 10 if high - low <= 90 else 20), picture.y_of)
    first, last = picture.view
    step = time_step(last - first, max(plot.width() / (90 * picture.scale), 2))
    marks = np.arange(np.ceil(first / step) * step, last + 1e-9, step)
    axes.times(list(map(float, marks)), step, picture.x_of, ticks=True, drop=16.0)


def paint_open(picture: GatePicture, painter: QPainter) -> None:
    """Where the gate is open: shaded, and a bar along the bottom."""
    if picture.verdict is None:
        return
    plot, (a, b) = picture.plot(), picture.view
    shade = picture.theme.color("voice")
    shade.setAlphaF(0.16)
    # Column by column: a long take has more openings than the picture has columns.
    columns = max(2, int(plot.width()))
    turns = np.stack((picture.verdict.open_s, picture.verdict.shut_s))
    inside = (turns[1] >= a) & (turns[0] <= b)
    first, last = np.floor((np.clip(turns[:, inside], a, b) - a) / max(b - a, 1e-9) * columns).astype(np.int64)
    marks = np.zeros(columns + 2, dtype=np.int64)
    np.add.at(marks, np.minimum(first, columns - 1), 1)
    np.add.at(marks, np.minimum(last, columns - 1) + 1, -1)
    starts, ends = edges(np.cumsum(marks)[:columns] > 0)
    bar = picture.theme.color("voice")
    for start, end in zip(starts.tolist(), ends.tolist(), strict=True):
        left, width = plot.left() + start * plot.width() / columns, (end - start) * plot.width() / columns
        painter.fillRect(QRectF(left, plot.top(), width, plot.height()), shade)
        painter.fillRect(QRectF(left, plot.bottom() + 4, width, 5), bar)
    for spans, role in zip(picture.by_hand, ("room", "voice"), strict=True):
        painter.setPen(QPen(picture.theme.color(role), 2, Qt.PenStyle.DotLine))
        for start, end in spans:
            y = plot.bottom() + 11
            painter.drawLine(QPointF(picture.x_of(start), y), QPointF(picture.x_of(end), y))
    if picture.span is not None:
        mark = picture.theme.color("lantern")
        mark.setAlphaF(0.25)
        left, right = sorted(picture.x_of(at) for at in picture.span)
        painter.fillRect(QRectF(left, plot.top(), right - left, plot.height()), mark)


def draw_level(picture: GatePicture, painter: QPainter, levels: np.ndarray) -> None:
    """The level of the take in dBFS, a point for each column."""
    plot, (low, high) = picture.plot(), picture.limits
    x = plot.left() + np.arange(len(levels)) * (plot.width() / len(levels)) + 0.5
    y = plot.bottom() - plot.height() * (np.clip(levels, low, high) - low) / (high - low)
    points = [QPointF(float(px), float(py)) for px, py in zip(x, y, strict=True)]
    voice = picture.theme.color("voice")
    fill_under(painter, points, plot.bottom(), voice, 0.28)
    draw_trace(painter, points, voice)


def paint_eaten(picture: GatePicture, painter: QPainter) -> None:
    """Words eaten: the lost parts in full height, a mark above; the chosen word is bracketed."""
    trial, verdict = picture.trial, picture.verdict
    if trial is None or verdict is None:
        return
    plot, (a, b) = picture.plot(), picture.view
    lost = picture.theme.color("stop")
    lost.setAlphaF(0.6)
    size = round(12 * picture.scale)
    last = -1e9
    for row in verdict.eaten:
        end = row.at_s + row.length_ms / 1000
        if end < a or row.at_s > b:
            continue
        parts = [(row.at_s, row.at_s + row.start_ms / 1000), (end - row.end_ms / 1000, end)]
        for start, stop in parts:
            if stop > start:
                left, right = picture.x_of(start), picture.x_of(stop)
                painter.fillRect(QRectF(left, plot.top(), max(right - left, 2.0), plot.height()), lost)
        x = picture.x_of(row.at_s)
        if x - last >= size * 0.8:
            draw_mark(painter, QRectF(x - size / 2, plot.top() - size - 3, size, size), "fix", picture.theme)
            last = x
    if 0 <= picture.word < len(trial.talk.words):
        word = trial.talk.words[picture.word]
        left, right = picture.x_of(word.start_s), picture.x_of(word.end_s)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(picture.theme.color("lantern"), 2))
        painter.drawRect(QRectF(left - 1, plot.top(), max(right - left, 3) + 2, plot.height()))


def paint_shapes(picture: GatePicture, painter: QPainter) -> None:
    """How often each level comes: words and room, each against its own most."""
    if picture.shapes is None:
        return
    plot, (low, high) = picture.plot(), picture.limits
    left, width = plot.right() + 12, picture.width() - plot.right() - 22
    painter.setFont(font(8.5, scale=picture.scale))
    metrics = QFontMetricsF(painter.font())
    placed: list[float] = []
    for shape, role, name in zip(picture.shapes, ("voice", "room"), ("voice", "room"), strict=True):
        color = QColor(picture.theme.color(role))
        color.setAlphaF(0.72)
        path = QPainterPath(QPointF(left, plot.bottom()))
        for i, part in enumerate(shape):
            level = low + (high - low) * (i + 0.5) / len(shape)
            path.lineTo(left + width * float(part), picture.y_of(level))
        path.lineTo(left, picture.y_of(high))
        path.closeSubpath()
        painter.setPen(QPen(picture.theme.color(role), 1))
        painter.setBrush(color)
        painter.drawPath(path)
        middle = low + (high - low) * (float(np.argmax(shape)) + 0.5) / len(shape)
        y = picture.y_of(middle) + (metrics.ascent() / 2 if name == "room" else -metrics.ascent() / 2)
        while any(abs(y - other) < metrics.height() for other in placed):
            y += metrics.height()
        placed.append(y)
        plate(picture, painter, metrics, left + width - metrics.horizontalAdvance(name) - 4, y, name, role)


def plate(
    picture: GatePicture, painter: QPainter, metrics: QFontMetricsF, x: float, y: float, text: str, role: str
) -> None:
    """Words on a plate, so that they can be read over a shape."""
    box = QRectF(x - 4, y - metrics.ascent() - 1, metrics.horizontalAdvance(text) + 8, metrics.height() + 2)
    back = QColor(picture.theme.panel)
    back.setAlphaF(0.9)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(back)
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(picture.theme.color(role))
    painter.drawText(QPointF(x, y), text)


def paint_thresholds(picture: GatePicture, painter: QPainter) -> None:
    plot = picture.plot()
    painter.setFont(font(9.5, QFont.Weight.DemiBold, picture.scale))
    metrics = QFontMetricsF(painter.font())
    for name, level in picture.handles():
        y = picture.y_of(level)
        here = name == picture.handle
        style = Qt.PenStyle.SolidLine if name == "open" else Qt.PenStyle.DashLine
        painter.setPen(QPen(picture.theme.color("lantern"), 2.4 if here else 1.6, style))
        painter.drawLine(QPointF(plot.left(), y), QPointF(picture.width() - 8, y))
        text = f"{name} {show_number(level, 'dB').removesuffix(' dB')}"
        width, height = metrics.horizontalAdvance(text) + 18, metrics.height() + 4
        top = y - height - 3 if name == "open" else y + 3
        box = QRectF(plot.left() + 6, top, width, height)
        painter.setBrush(picture.theme.color("ground"))
        painter.setPen(QPen(picture.theme.color("lantern"), 2 if here else 1))
        painter.drawRoundedRect(box, height / 2, height / 2)
        painter.setPen(picture.theme.color("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    if picture.after:
        plate(
            picture,
            painter,
            metrics,
            plot.right() - metrics.horizontalAdvance("behind the gate") - 10,
            plot.top() + metrics.ascent() + 4,
            "behind the gate",
            "lantern",
        )
