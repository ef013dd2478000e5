"""The noise budget as a picture: for every point the shares of its noises, and how far each lies under the voice."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.painted import Painted, Part
from kymaphon.core.derive import show_number
from kymaphon.core.graph.ladder import Rung
from kymaphon.core.levels.budget import Share, shares

LEAST_PART = 0.004
"""A smaller share is not drawn: it is less than a line."""
NAMED_PART = 0.06
DEEPEST_DB = 100.0
SHORT = {"microphone": "mic", "converter": "conv.", "others": "others"}
"""Names where there is little room; the Why panel has them in full."""


class BudgetPicture(Painted):
    """Two staffs for each point with noise: its kinds of noise as shares of the power, the loudest at the bottom; and beside
    that each kind as far under the voice as it lies there.

    Signals:
        chosen: the number of the point that the user went to.
    """

    chosen = Signal(int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0
        self.rungs: tuple[Rung, ...] = ()
        self.index = 0
        self._shares: list[tuple[Share, ...]] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(170)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setStatusTip(
            "Left and Right choose the point; each column is all noise there, parted by where it comes from."
        )

    def set_rungs(self, rungs: tuple[Rung, ...], index: int) -> None:
        """Points with noise, and which is chosen."""
        self.rungs = tuple(rung for rung in rungs if rung.noise_db)
        self._shares = [shares(rung) for rung in self.rungs]
        self.index = max(0, min(index, len(self.rungs) - 1))
        self.setAccessibleName("Noise budget")
        self.setAccessibleDescription(self.describe())
        self.update()

    def describe(self) -> str:
        """The chosen point in words."""
        if not self.rungs:
            return "No noise is known on this path."
        return f"{self.rungs[self.index].label}: {self._words(self.index)}"

    def _words(self, i: int) -> str:
        return ", ".join(f"{row.name} {row.part:.0%}" for row in self._shares[i])

    def parts(self) -> tuple[Part, ...]:
        return tuple(
            Part(rung.label, self._words(i), self._column(i), i == self.index) for i, rung in enumerate(self.rungs)
        )

    def _column(self, i: int) -> QRectF:
        """Where the shares of a point are drawn; its other staff is as wide again."""
        count = max(len(self.rungs), 1)
        left = 12 + 58 * self.scale
        width = (self.width() - left - 12) / count
        head, foot = 34 * self.scale, 40 * self.scale
        return QRectF(left + i * width + width * 0.1, head, width * 0.32, self.height() - head - foot)

    def _y(self, box: QRectF, under_db: float) -> float:
        """Height of a noise so far under the voice."""
        return box.top() + box.height() * min(max(under_db, 0.0), DEEPEST_DB) / DEEPEST_DB

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.rungs:
            painter.setPen(self.theme.color("muted"))
            painter.setFont(font(11, scale=self.scale))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.describe())
            painter.end()
            return
        self._paint_grid(painter)
        for i in range(len(self.rungs)):
            self._paint_column(painter, i)
        self.paint_focus(painter)
        painter.end()

    def _paint_grid(self, painter: QPainter) -> None:
        box = self._column(0)
        painter.setFont(font(8.5, scale=self.scale))
        metrics = QFontMetricsF(painter.font())
        for under in range(0, int(DEEPEST_DB) + 1, 20):
            y = self._y(box, under)
            painter.setPen(QPen(self.theme.color("voice" if not under else "line"), 1.4 if not under else 0.6))
            painter.drawLine(QPointF(box.left() - 8, y), QPointF(self.width() - 12, y))
            painter.setPen(self.theme.color("voice" if not under else "muted"))
            words = "the voice" if not under else f"{under} under"
            painter.drawText(QPointF(12, y + metrics.ascent() / 2 - 1), words)

    def _paint_column(self, painter: QPainter, i: int) -> None:
        theme, box, rung = self.theme, self._column(i), self.rungs[i]
        here = i == self.index
        painter.setFont(font(8.5, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        self._paint_shares(painter, i, box, metrics)
        self._paint_levels(painter, i, box, metrics)
        whole = QRectF(box.left(), box.top(), box.width() * 2.72, box.height())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("lantern" if here else "line"), 2 if here else 0.8))
        painter.drawRect(whole.adjusted(-4, -2, 4, 2) if here else box)
        painter.setPen(theme.color("lantern" if here else "text"))
        head = QRectF(whole.left() - 8, whole.top() - metrics.height() - 6, whole.width() + 16, metrics.height())
        painter.drawText(head, Qt.AlignmentFlag.AlignCenter, show_number(rung.noise_total_db, rung.noise_unit))
        name, _, rest = rung.label.partition(", ")
        wide = whole.adjusted(-6, 0, 6, 0).width()
        for line, words in enumerate((name, rest.removesuffix(", after gain").removesuffix(", before its fader"))):
            painter.setFont(font(8.5, QFont.Weight.DemiBold if not line else QFont.Weight.Normal, self.scale))
            painter.setPen(theme.color("lantern" if here else "muted" if line else "text"))
            below = QRectF(whole.left() - 6, whole.bottom() + 4 + line * metrics.height(), wide, metrics.height())
            shown = QFontMetricsF(painter.font()).elidedText(words, Qt.TextElideMode.ElideRight, wide)
            painter.drawText(below, Qt.AlignmentFlag.AlignCenter, shown)

    def _paint_shares(self, painter: QPainter, i: int, box: QRectF, metrics: QFontMetricsF) -> None:
        theme, bottom = self.theme, box.bottom()
        for row in self._shares[i]:
            if row.part < LEAST_PART:
                continue
            height = box.height() * row.part
            part = QRectF(box.left(), bottom - height, box.width(), height)
            color = theme.color(row.kind)
            color.setAlphaF(0.85)
            painter.fillRect(part, color)
            words = f"{row.part:.0%}"
            if (
                row.part >= NAMED_PART
                and height > metrics.height()
                and metrics.horizontalAdvance(words) + 2 <= part.width()
            ):
                plate = QRectF(0, 0, min(metrics.horizontalAdvance(words) + 8, part.width()), metrics.height())
                plate.moveCenter(part.center())
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color("panel"))
                painter.drawRoundedRect(plate, 3, 3)
                painter.setPen(theme.color("text"))
                painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, words)
            bottom -= height

    def _paint_levels(self, painter: QPainter, i: int, box: QRectF, metrics: QFontMetricsF) -> None:
        """Each kind as a mark as far under the voice as it lies, with its name; names give way to each other downwards."""
        rung, x = self.rungs[i], box.right() + box.width() * 0.25
        last = -1e9
        for row in self._shares[i]:
            under = rung.speech_db - row.level_db
            y = self._y(box, under)
            painter.setPen(QPen(self.theme.color(row.kind), 3))
            painter.drawLine(QPointF(x - box.width() * 0.2, y), QPointF(x + box.width() * 0.25, y))
            if under > DEEPEST_DB:
                continue
            words = SHORT.get(row.kind, row.name)
            at = max(y, last + metrics.height())
            if at + metrics.height() / 2 > box.bottom():
                continue
            painter.setPen(self.theme.color(row.kind))
            painter.drawText(QPointF(x + box.width() * 0.32, at + metrics.ascent() / 2 - 1), words)
            last = at

    def _choose(self, index: int) -> None:
        if self.rungs and 0 <= index < len(self.rungs) and index != self.index:
            self.index = index
            self.setAccessibleDescription(self.describe())
            self.update()
            self.told()
            self.chosen.emit(index)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spot: QPointF = event.position()
        if self.rungs:
            self._choose(min(range(len(self.rungs)), key=lambda i: abs(self._column(i).center().x() - spot.x())))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is not None:
            self._choose(self.index + step)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()
