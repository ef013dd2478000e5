"""A desk from above: one strip a channel, its label along it, its family in a hue, its group below; spares are hollow."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kymaphon.app.theme import Theme, font

HIGH = 128


@dataclass(frozen=True, slots=True)
class StripFace:
    """What is seen of one strip.

    Attributes:
        number: of the channel, as it is told under the strip.
        label: along it; empty for a spare.
        hue: number of its family's hue; -1 for a spare.
        group: as it is told at its foot; empty for none.
        several: mixed before the desk.
        held: what is plugged in stays.
    """

    number: str
    label: str
    hue: int
    group: str
    several: bool = False
    held: bool = False


class DeskStrips(QWidget):
    """The picture.

    Signals:
        chosen: the place of the strip that was clicked.
    """

    chosen = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.scale = 1.0
        self.faces: tuple[StripFace, ...] = ()
        self.at = -1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The desk's strips")

    def sizeHint(self) -> QSize:
        return QSize(480, round(HIGH * self.scale))

    def set_scale(self, scale: float) -> None:
        self.scale = scale
        self.setFixedHeight(round(HIGH * scale))
        self.update()

    def show_desk(self, faces: tuple[StripFace, ...], words: str) -> None:
        """Other strips; `words` tell them."""
        self.faces = faces
        self.setAccessibleDescription(words)
        self.update()

    def select(self, place: int) -> None:
        self.at = place
        self.update()

    def _box(self, n: int) -> QRectF:
        wide = self.width() / max(len(self.faces), 1)
        return QRectF(n * wide + 1.5, 3, wide - 3, self.height() - 6)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n, face in enumerate(self.faces):
            self._strip(painter, self._box(n), face, n == self.at)
        painter.end()

    def _strip(self, painter: QPainter, box: QRectF, face: StripFace, chosen: bool) -> None:
        theme, s = self.theme, self.scale
        foot = 30 * s
        body = box.adjusted(0, 0, 0, -foot)
        painter.setBrush(theme.color("raised") if face.label else Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("lantern"), 2) if chosen else QPen(theme.color("line"), 1))
        painter.drawRoundedRect(body, 3, 3)
        if face.label:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.party(face.hue))
            painter.drawRoundedRect(QRectF(body.left() + 2, body.top() + 2, body.width() - 4, 4 * s), 2, 2)
            if face.several:
                # A second bar: more than one comes down this strip.
                painter.drawRoundedRect(QRectF(body.left() + 2, body.top() + 9 * s, body.width() - 4, 4 * s), 2, 2)
            self._along(painter, body.adjusted(0, 14 * s, 0, -3), face.label)
        painter.setFont(font(8, QFont.Weight.DemiBold if chosen else QFont.Weight.Normal, s))
        painter.setPen(theme.color("text" if face.label else "muted"))
        middle = Qt.AlignmentFlag.AlignCenter
        painter.drawText(QRectF(box.left() - 4, body.bottom() + 1, box.width() + 8, 14 * s), middle, face.number)
        painter.setPen(theme.color("muted"))
        foot_words = "held" if face.held and box.width() > 26 * s else face.group
        painter.drawText(QRectF(box.left() - 4, body.bottom() + 14 * s, box.width() + 8, 14 * s), middle, foot_words)

    def _along(self, painter: QPainter, box: QRectF, text: str) -> None:
        """Words along a strip, from its foot up."""
        painter.save()
        painter.translate(box.center().x(), box.bottom())
        painter.rotate(-90)
        painter.setFont(font(9, QFont.Weight.DemiBold, self.scale))
        painter.setPen(self.theme.color("text"))
        metrics = QFontMetricsF(painter.font())
        words = metrics.elidedText(text, Qt.TextElideMode.ElideRight, box.height())
        painter.drawText(QPointF(0, metrics.ascent() / 2 - metrics.descent() / 2), words)
        painter.restore()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = next((n for n in range(len(self.faces)) if self._box(n).contains(event.position())), -1)
        if place >= 0:
            self.chosen.emit(place)
