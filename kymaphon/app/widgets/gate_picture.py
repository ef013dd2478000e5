"""A take's level over time with a gate's verdict painted on it, both thresholds as handles, and how often each level comes
in words and in the room at the side.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPixmap,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.gate_paint import (
    draw_level,
    paint_eaten,
    paint_grid,
    paint_open,
    paint_shapes,
    paint_thresholds,
)
from kymaphon.app.widgets.painted import Painted, Part
from kymaphon.core.dynamics.evaluation import Evaluation, Trial
from kymaphon.core.dynamics.outline import behind_gate, level_span, outline, spread
from kymaphon.core.model.processing import Gate

STEP_DB = 0.5
PAGE_DB = 3.0
NEAR = 7.0
SHORTEST_S = 0.5
SHORTEST_SPAN_S = 0.15
BINS = 90
CLOSED_DB = -110.0
Spans = tuple[tuple[float, float], ...]


class GatePicture(Painted):
    """Level over time, gate and histograms.

    Signals:
        moving: both thresholds while they are dragged or stepped, in dBFS.
        word_chosen: number of the word that was gone to.
        span_chosen: a stretch that was marked, in seconds; an empty one when the mark was taken away.
        play: the user wants to hear the chosen word.
        before_after: the user wants the other of the two.
        let_go: a threshold that was held.
    """

    moving = Signal(float, float)
    word_chosen = Signal(int)
    span_chosen = Signal(float, float)
    play = Signal()
    before_after = Signal()
    let_go = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.trial: Trial | None = None
        self.gate: Gate | None = None
        self.verdict: Evaluation | None = None
        self.word = -1
        self.handle = "open"
        self.after = False
        self.span: tuple[float, float] | None = None
        self.by_hand: tuple[Spans, Spans] = ((), ())
        self.view = (0.0, 1.0)
        self.limits = (-80.0, 0.0)
        self.shapes: tuple[np.ndarray, np.ndarray] | None = None
        self._outline: tuple[object, np.ndarray] | None = None
        self._drawn: tuple[object, QPixmap] | None = None
        self._drag = ""
        self._from = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumHeight(170)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Level over time, and the gate")
        self.setStatusTip(
            "Up and Down move the chosen threshold, T chooses the other; Left and Right go from word to word, N to the next that "
            "is eaten; Space plays it, B is before and after. Drag along marks a stretch."
        )

    # what is shown

    def set_trial(self, trial: Trial | None) -> None:
        """Another take."""
        self.trial = trial
        self._outline = None
        self.word, self.span = -1, None
        if trial is not None:
            self.view = (0.0, self.seconds)
            self.limits = level_span(trial.levels, room_db=(6, 3), percent=2, floor_db=CLOSED_DB)
            self.shapes = spread(trial, *self.limits, BINS)
        self.update()

    def show_gate(self, gate: Gate | None, verdict: Evaluation | None) -> None:
        """Another gate on the same take, and what it does."""
        self.gate, self.verdict = gate, verdict
        self.setAccessibleDescription(self.describe())
        self.update()

    @property
    def dragging(self) -> bool:
        """Whether a threshold is held."""
        return self._drag in ("open", "close")

    @property
    def seconds(self) -> float:
        """Length of the take."""
        return len(self.trial.levels) * self.trial.step_s if self.trial is not None else 0.0

    def describe(self) -> str:
        """The picture in words."""
        if self.trial is None or self.verdict is None:
            return "No take yet."
        gate = self.gate
        words = f"{self.verdict.words} words, {self.verdict.words_clipped} eaten"
        if gate is None:
            return f"{words}; no gate"
        which = f"the {'opening' if self.handle == 'open' else 'closing'} threshold is chosen"
        return f"{words}; opens at {gate.open_db:.1f}, closes below {gate.close_db:.1f} dBFS; {which}"

    def parts(self) -> tuple[Part, ...]:
        """The words of the take."""
        if self.trial is None:
            return ()
        lost = {row.number: row for row in self.verdict.eaten} if self.verdict is not None else {}
        plot, words = self.plot(), self.trial.talk.words
        out = []
        for n, word in enumerate(words):
            row = lost.get(n)
            gone = row.start_ms + row.middle_ms + row.end_ms if row is not None else 0.0
            state = f"eaten, {gone:.0f} ms lost" if row is not None else "whole" if self.gate is not None else ""
            left, right = self.x_of(word.start_s), self.x_of(word.end_s)
            name = f"Word {n + 1} of {len(words)}, at {word.start_s:.1f} s"
            out.append(Part(name, state, QRectF(left, plot.top(), right - left, plot.height()), n == self.word))
        return tuple(out)

    def zoom(self, steps: int) -> None:
        """Nearer or further around the chosen word, or the middle; 0 shows all of it."""
        if self.trial is None:
            return
        if not steps:
            self.view = (0.0, self.seconds)
        else:
            a, b = self.view
            middle = (a + b) / 2
            if 0 <= self.word < len(self.trial.talk.words):
                middle = self.trial.talk.words[self.word].start_s
            self._zoom_about(middle, 0.7**steps)
        self.update()

    def _zoom_about(self, at: float, by: float) -> None:
        a, b = self.view
        width = min(max((b - a) * by, SHORTEST_S), self.seconds)
        part = (at - a) / (b - a) if a <= at <= b else 0.5
        start = min(max(at - part * width, 0.0), self.seconds - width)
        self.view = (start, start + width)

    def go_to(self, word: int) -> None:
        """Chooses a word, and brings it into view."""
        self.word = word
        if self.trial is not None and 0 <= word < len(self.trial.talk.words):
            row = self.trial.talk.words[word]
            a, b = self.view
            if row.start_s < a or row.end_s > b:
                width = b - a
                start = min(max((row.start_s + row.end_s - width) / 2, 0.0), max(self.seconds - width, 0.0))
                self.view = (start, start + width)
        self.update()
        self.told()

    # places

    def plot(self) -> QRectF:
        s = self.scale
        side = min(130 * s, self.width() * 0.2)
        return QRectF(46 * s, 24 * s, self.width() - 46 * s - side - 8, self.height() - 24 * s - 40 * s)

    def x_of(self, seconds: float) -> float:
        plot, (a, b) = self.plot(), self.view
        return plot.left() + plot.width() * (seconds - a) / max(b - a, 1e-9)

    def _time(self, x: float) -> float:
        plot, (a, b) = self.plot(), self.view
        return a + (b - a) * (x - plot.left()) / max(plot.width(), 1.0)

    def y_of(self, level_db: float) -> float:
        plot, (low, high) = self.plot(), self.limits
        return plot.bottom() - plot.height() * (min(max(level_db, low), high) - low) / (high - low)

    def _level(self, y: float) -> float:
        plot, (low, high) = self.plot(), self.limits
        return low + (high - low) * (plot.bottom() - y) / max(plot.height(), 1.0)

    # painting

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.trial is None:
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(11, scale=self.scale))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "No take yet")
        else:
            paint_grid(self, painter)
            painter.save()
            painter.setClipRect(self.plot().adjusted(0, -20 * self.scale, 0, 14))
            paint_open(self, painter)
            self._paint_level(painter)
            paint_eaten(self, painter)
            painter.restore()
            paint_shapes(self, painter)
            paint_thresholds(self, painter)
        self.paint_focus(painter)
        painter.end()

    def _columns(self) -> np.ndarray:
        """The highest level of each column, in dBFS; behind the gate if that is what is shown."""
        trial = self.trial
        if trial is None:
            return np.zeros(0)
        count = max(2, int(self.plot().width()))
        key = (id(trial), self.view, count)
        if self._outline is None or self._outline[0] != key:
            a, b = (at / trial.step_s for at in self.view)
            self._outline = (key, outline(trial.levels, a, b, count))
        levels = self._outline[1]
        if not self.after or self.gate is None:
            return levels
        return behind_gate(levels, trial, self.gate, self.view)

    def _paint_level(self, painter: QPainter) -> None:
        """The level as a picture of its own, made anew only when it changes: under the hand just the gate moves."""
        levels = self._columns()
        ratio = self.devicePixelRatioF()
        key = (
            self.view,
            self.size(),
            ratio,
            id(self.trial),
            self.theme.name,
            self.limits,
            self.gate if self.after else None,
        )
        if self._drawn is None or self._drawn[0] != key:
            pixmap = QPixmap(self.size() * ratio)
            pixmap.setDevicePixelRatio(ratio)
            pixmap.fill(QColor(0, 0, 0, 0))
            own = QPainter(pixmap)
            own.setRenderHint(QPainter.RenderHint.Antialiasing)
            draw_level(self, own, levels)
            own.end()
            self._drawn = (key, pixmap)
        painter.drawPixmap(0, 0, self._drawn[1])

    def handles(self) -> tuple[tuple[str, float], ...]:
        gate = self.gate
        return () if gate is None else (("open", gate.open_db), ("close", gate.close_db))

    # hands

    def _at_handle(self, spot: QPointF) -> str:
        plot = self.plot()
        if not plot.left() <= spot.x() <= self.width():
            return ""
        height = 24 * self.scale
        for name, level in self.handles():
            y = self.y_of(level)
            pill = QRectF(plot.left(), y - height if name == "open" else y, 110 * self.scale, height)
            if abs(spot.y() - y) <= NEAR or pill.contains(spot):
                return name
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.trial is None:
            return
        spot = event.position()
        name = self._at_handle(spot)
        if name:
            self.handle, self._drag = name, name
            self.setCursor(Qt.CursorShape.SizeVerCursor)
            self.update()
        elif self.plot().contains(spot):
            self._drag, self._from = "span", self._time(spot.x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        spot = event.position()
        if self._drag in ("open", "close"):
            self._move_to(self._level(spot.y()))
        elif self._drag == "span":
            self.span = (self._from, min(max(self._time(spot.x()), 0.0), self.seconds))
            self.update()
        else:
            self.setCursor(Qt.CursorShape.SizeVerCursor if self._at_handle(spot) else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, self._drag = self._drag, ""
        if drag in ("open", "close"):
            self.let_go.emit()
        if drag != "span":
            return
        spot = event.position()
        start, end = sorted((self._from, min(max(self._time(spot.x()), 0.0), self.seconds)))
        if end - start >= SHORTEST_SPAN_S:
            self.span = (start, end)
            self.span_chosen.emit(start, end)
        else:
            had = self.span is not None and drag == "span"
            self.span = None
            if had:
                self.span_chosen.emit(0.0, 0.0)
            self._choose_at(start)
        self.update()

    def _choose_at(self, seconds: float) -> None:
        if self.trial is None:
            return
        words = self.trial.talk.words
        found = next((i for i, word in enumerate(words) if word.start_s - 0.05 <= seconds <= word.end_s + 0.05), -1)
        self.word = found
        self.word_chosen.emit(found)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.trial is None:
            return
        turns = event.angleDelta().y() / 120
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._zoom_about(self._time(event.position().x()), 0.8**turns)
        else:
            a, b = self.view
            width = b - a
            start = min(max(a - turns * width * 0.1, 0.0), max(self.seconds - width, 0.0))
            self.view = (start, start + width)
        self.update()

    def _move_to(self, level: float) -> None:
        """The chosen threshold to a level, in its steps; the closing one never passes the opening one."""
        gate = self.gate
        if gate is None:
            return
        level = round(level / STEP_DB) * STEP_DB
        low, high = self.limits
        level = min(max(level, low), high)
        opening, closing = gate.open_db, gate.close_db
        if self.handle == "open":
            closing = min(level - (opening - closing), level)
            opening = level
        else:
            closing = min(level, opening)
        self.moving.emit(round(opening, 1), round(closing, 1))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        steps = {
            Qt.Key.Key_Up: STEP_DB,
            Qt.Key.Key_Down: -STEP_DB,
            Qt.Key.Key_PageUp: PAGE_DB,
            Qt.Key.Key_PageDown: -PAGE_DB,
        }.get(key)
        along = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key)
        if self.trial is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().keyPressEvent(event)
        elif steps is not None and self.gate is not None:
            self._move_to((self.gate.open_db if self.handle == "open" else self.gate.close_db) + steps)
        elif along is not None:
            self._step_word(along)
        elif key == Qt.Key.Key_N:
            self._next_eaten()
        elif key == Qt.Key.Key_T:
            self.handle = "close" if self.handle == "open" else "open"
            self.setAccessibleDescription(self.describe())
            self.update()
        elif key == Qt.Key.Key_Space:
            self.play.emit()
        elif key == Qt.Key.Key_B:
            self.before_after.emit()
        else:
            super().keyPressEvent(event)

    def _step_word(self, along: int) -> None:
        if self.trial is None or not self.trial.talk.words:
            return
        count = len(self.trial.talk.words)
        self.go_to(min(max(self.word + along, 0), count - 1))
        self.word_chosen.emit(self.word)

    def _next_eaten(self) -> None:
        if self.verdict is None or not self.verdict.eaten:
            return
        numbers = [row.number for row in self.verdict.eaten]
        self.go_to(next((number for number in numbers if number > self.word), numbers[0]))
        self.word_chosen.emit(self.word)

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(700, 330)
