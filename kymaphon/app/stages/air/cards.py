"""The two cards over Air's meters: the time that is left, and what comes next with what to move for it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.widgets.why import label


class Big(QLabel):
    """Figures that can be read across a room."""

    def __init__(self) -> None:
        super().__init__("\u2013")
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setProperty("role", "big")

    def show_text(self, text: str, *, late: bool) -> None:
        """What is late is told by its minus sign too, not by colour alone."""
        self.setText(text)
        role = "late" if late else "big"
        if role != self.property("role"):
            self.setProperty("role", role)
            self.style().unpolish(self)
            self.style().polish(self)


class TimeCard(QWidget):
    """What is left of the segment, the clock and the next hard time; what open microphones mute, and what plays."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 16, 10)
        column.setSpacing(2)
        self.words, self.figure, self.then = label("", "muted"), Big(), label("", "muted")
        for widget in (self.words, self.figure, self.then):
            column.addWidget(widget)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setColumnStretch(1, 1)
        self.shut, self.playing = label(""), label("")
        for row, (name, widget) in enumerate((("Muted by that", self.shut), ("Playing", self.playing))):
            grid.addWidget(label(name, "muted", wrap=False), row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(widget, row, 1)
        column.addLayout(grid)
        column.addStretch(1)


ROUND_TEXT = 24
"""Pixels a field has left and right of its text: padding, border and the room of the caret."""


class NextCard(QWidget):
    """What comes next, what to move in which order, the three keys, and a line for notes.

    Args:
        act: what a button does: `go`, `back` or `hold`.
    """

    def __init__(self, act: Callable[[str], None]) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 16, 10)
        column.setSpacing(4)
        self.words, self.title, self.moves = label("Next", "muted"), label("", "next"), label("")
        self.moves.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.MinimumExpanding)
        self.moves.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.go, self.back, self.hold = QPushButton("Go  Space"), QPushButton("Back  B"), QPushButton("Hold  H")
        self.go.setProperty("role", "primary")
        row = QHBoxLayout()
        for button, tip, name in (
            (self.go, "The next segment is on: who is in it is open, who is not is closed.", "go"),
            (self.back, "The segment before is on again.", "back"),
            (self.hold, "The clock of this segment stands until it is pressed again.", "hold"),
        ):
            button.setToolTip(tip)
            button.setStatusTip(tip)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _checked=False, name=name: act(name))
            row.addWidget(button)
        self.text = QLineEdit()
        self.text.setMaxLength(1900)
        self.text.setPlaceholderText("T: a note in words")
        self.text.setAccessibleName("Note in words")
        self.lines, self.keys = QVBoxLayout(), row
        self.lines.setSpacing(4)
        self.lines.addLayout(row)
        row.addWidget(self.text, 1)
        for widget in (self.words, self.title, self.moves):
            column.addWidget(widget)
        column.addStretch(1)
        column.addLayout(self.lines)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The note stands beside the keys while its own hint can be read there, else under them."""
        hint = self.text.fontMetrics().horizontalAdvance(self.text.placeholderText()) + ROUND_TEXT
        buttons = sum(button.sizeHint().width() + self.keys.spacing() for button in (self.go, self.back, self.hold))
        margins = self.contentsMargins().left() + self.contentsMargins().right()
        beside = self.width() - margins - 2 * 16 - buttons >= hint
        there = self.keys if beside else self.lines
        if there.indexOf(self.text) < 0:
            there.addWidget(self.text, 1 if beside else 0)
        super().resizeEvent(event)
