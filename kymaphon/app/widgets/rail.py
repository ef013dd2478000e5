"""The stage rail: the order of work, how far each stage is, and its worst finding as a shape."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.marks import SEVERITY_NAMES, draw_mark
from kymaphon.app.widgets.tips import plain_tip

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import StageState

ROW = 64
WIDTH = 132


class StageRail(QWidget):
    """Nine stages from top to bottom. Up and Down move, Ctrl+1 to Ctrl+9 jump (by the window)."""

    chosen = Signal(str)

    def __init__(self, stages: tuple[str, ...], theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.stages = stages
        self.current = stages[0]
        self.theme = theme
        self.scale = 1.0
        self._states: dict[str, StageState] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Stages, in the order of work")
        self.setFixedWidth(WIDTH)

    def sizeHint(self) -> QSize:
        return QSize(self.width(), ROW * len(self.stages) + 24)

    def set_states(self, states: dict[str, StageState]) -> None:
        """What each stage shows."""
        self._states = states
        self.setAccessibleDescription("; ".join(self.describe(stage) for stage in self.stages))
        self.update()

    def set_scale(self, scale: float) -> None:
        """Text size."""
        self.scale = scale
        self.setFixedWidth(round(WIDTH * (0.6 + 0.4 * scale)))
        self.update()

    def describe(self, stage: str) -> str:
        """A stage in words, for the status line and for screen readers."""
        state = self._states.get(stage)
        if state is None:
            return stage
        worst = f", worst: {SEVERITY_NAMES[state.worst]}" if state.worst else ""
        return f"{stage}: {progress_words(stage, state) or 'nothing here yet'}{worst}"

    def select(self, stage: str) -> None:
        """Marks a stage as the one on screen."""
        self.current = stage
        self.update()

    def _row_height(self) -> float:
        return min(ROW * max(1.0, self.scale * 0.9), (self.height() - 16) / len(self.stages))

    def _box(self, index: int) -> QRectF:
        return QRectF(8, 12 + index * self._row_height(), self.width() - 8, self._row_height() - 8)

    def _at(self, y: float) -> int | None:
        index = int((y - 12) // self._row_height())
        return index if 0 <= index < len(self.stages) else None

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        for i, stage in enumerate(self.stages):
            box = self._box(i)
            here = stage == self.current
            if here:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color("ground"))
                painter.drawRoundedRect(box, 6, 6)
                painter.setBrush(theme.color("lantern"))
                painter.drawRoundedRect(QRectF(box.left(), box.top() + 6, 4, box.height() - 12), 2, 2)
                if self.hasFocus():
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.setPen(theme.color("lantern"))
                    painter.drawRoundedRect(box.adjusted(1, 1, -2, -1), 6, 6)
            state = self._states.get(stage)
            heavy = QFont.Weight.DemiBold if here else QFont.Weight.Medium
            painter.setFont(font(11, heavy, self.scale))
            words = progress_words(stage, state) if state else ""
            painter.setPen(theme.color("text"))
            upper = QRectF(box.left() + 16, box.top() + 4, box.width() - 44, box.height() / 2 - 2)
            flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(
                upper if words else QRectF(box.left() + 16, box.top(), box.width() - 44, box.height()),
                flags,
                stage,
            )
            painter.setFont(font(9, scale=self.scale))
            painter.setPen(theme.color("muted"))
            painter.drawText(upper.translated(0, box.height() / 2 - 6).adjusted(0, 0, 28, 0), flags, words)
            mark = _mark(state)
            if mark:
                draw_mark(painter, QRectF(box.right() - 26, box.top() + 10, 13, 13), mark, theme)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self._at(event.position().y())
        if index is not None:
            self.chosen.emit(self.stages[index])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        index = self._at(event.position().y())
        if index is not None:
            self.setStatusTip(f"{self.describe(self.stages[index])}. Ctrl+{index + 1}")
            self.setToolTip(plain_tip(self.describe(self.stages[index])))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        index = (self.stages.index(self.current) + step) % len(self.stages)
        self.chosen.emit(self.stages[index])

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()


def progress_words(stage: str, state: StageState) -> str:
    """So many of so many; empty where a stage has nothing to count yet."""
    if not state.items:
        return ""
    return (
        f"{state.items} {'row' if state.items == 1 else 'rows'}"
        if stage == "Book"
        else f"{state.settled} of {state.items}"
    )


def _mark(state: StageState | None) -> str:
    if state is None:
        return ""
    if state.worst:
        return state.worst
    return "tick" if state.items and state.settled == state.items else ""
