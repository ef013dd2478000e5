"""One question: its answers as chips, a line to type the next one into, and what could not be done of it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import empty, label

LINE_LETTERS = 34


@dataclass(frozen=True, slots=True)
class Answer:
    """A chip: what it is about, its name, a detail, and whether it is only proposed; `hue` of a party, or None."""

    id: str
    name: str
    detail: str = ""
    hue: int | None = None
    proposed: bool = False


class QuestionCard(QFrame):
    """The card of a question.

    Signals:
        typed: what stands in the line, as it changes.
        taken: what was typed, with Enter.
        pressed: the id of a chip that was pressed.
        removed: the id of a chip that goes; empty for the last one.
    """

    typed = Signal(str)
    taken = Signal(str)
    pressed = Signal(str)
    removed = Signal(str)

    def __init__(self, number: int, title: str, hint: str, tip: str, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setObjectName("card")
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 16, 10)
        column.setSpacing(6)
        head = QHBoxLayout()
        mark = label(str(number), "number", wrap=False)
        head.addWidget(mark)
        head.addWidget(label(title, "heading", wrap=False))
        head.addStretch(1)
        self.told = QLabel()
        self.told.setProperty("role", "muted")
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        head.addWidget(self.told)
        column.addLayout(head)
        self._chips = QWidget()
        self._row = FlowLayout(6)
        self._chips.setLayout(self._row)
        column.addWidget(self._chips)
        self.line = QLineEdit()
        self.line.setPlaceholderText(hint)
        self.line.setAccessibleName(title)
        self.line.setToolTip(plain_tip(tip))
        self.line.setStatusTip(tip)
        self.fit_line()
        self.line.textChanged.connect(self.typed)
        self.line.returnPressed.connect(lambda: self.taken.emit(self.line.text()))
        self.line.installEventFilter(self)
        self.remarks = label("", "muted")
        self.remarks.hide()
        column.addWidget(self.remarks)
        self._answers: tuple[Answer, ...] = ()
        self.set_answers(())

    def fit_line(self) -> None:
        """The line as wide as its hint, in the size of text that there is."""
        self.line.setMinimumWidth(self.line.fontMetrics().averageCharWidth() * LINE_LETTERS)

    def set_answers(self, answers: Iterable[Answer]) -> None:
        """The chips, with the line behind them."""
        focused = self._focused()
        had = self.line.hasFocus()
        self._answers = tuple(answers)
        self._row.removeWidget(self.line)
        self.line.setParent(self._chips)
        empty(self._row)
        for row in self._answers:
            self._row.addWidget(self._chip(row))
        self._row.addWidget(self.line)
        self.line.show()
        if had:
            self.line.setFocus()
        elif focused is not None:
            again = next((chip for chip in self.chips() if chip.property("answer") == focused), self.line)
            again.setFocus()
        self._order()

    def chips(self) -> list[QPushButton]:
        """The chips in order."""
        items = (self._row.itemAt(n) for n in range(self._row.count()))
        return [widget for item in items if item is not None and isinstance(widget := item.widget(), QPushButton)]

    def tell(self, text: str) -> None:
        """What Enter would take, or why it would not."""
        self.told.setText(text)

    def set_remarks(self, rows: Iterable[str]) -> None:
        """What could not be done as it was answered."""
        text = "\n".join(rows)
        self.remarks.setText(text)
        self.remarks.setVisible(bool(text))

    def _focused(self) -> str | None:
        return next((str(chip.property("answer")) for chip in self.chips() if chip.hasFocus()), None)

    def _chip(self, row: Answer) -> QPushButton:
        chip = QPushButton(f"{row.name}   {row.detail}" if row.detail else row.name)
        chip.setProperty("role", "answer")
        chip.setProperty("answer", row.id)
        color = self.theme.party(row.hue).name() if row.hue is not None else self.theme.line
        style = "dashed" if row.proposed else "solid"
        color = self.theme.lantern if row.proposed else color
        chip.setStyleSheet(f"QPushButton:!focus {{ border: 1px {style} {color}; }}")
        does = (
            "Proposed. Enter: it is there." if row.proposed else "Enter: other ways to have it. Delete: takes it away."
        )
        chip.setStatusTip(f"{row.name}. {does}")
        chip.setToolTip(plain_tip(does))
        chip.setAccessibleName(f"{row.name}, {row.detail}" if row.detail else row.name)
        chip.clicked.connect(lambda _checked=False, name=row.id: self.pressed.emit(name))
        chip.setAutoDefault(True)
        chip.installEventFilter(self)
        return chip

    def _order(self) -> None:
        rows = [*self.chips(), self.line]
        for before, after in zip(rows, rows[1:], strict=False):
            QWidget.setTabOrder(before, after)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.KeyPress or not isinstance(event, QKeyEvent):
            return super().eventFilter(watched, event)
        key = event.key()
        if watched is self.line:
            if key == Qt.Key.Key_Backspace and not self.line.text() and self._answers:
                self.removed.emit("")
                return True
            if key == Qt.Key.Key_Left and self.line.cursorPosition() == 0 and self.chips():
                self.chips()[-1].setFocus(Qt.FocusReason.TabFocusReason)
                return True
        elif isinstance(watched, QPushButton):
            chips = self.chips()
            at = chips.index(watched) if watched in chips else 0
            if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
                self.removed.emit(str(watched.property("answer")))
                self.line.setFocus()
                return True
            if key == Qt.Key.Key_Left and at > 0:
                chips[at - 1].setFocus(Qt.FocusReason.TabFocusReason)
                return True
            if key == Qt.Key.Key_Right:
                (chips[at + 1] if at + 1 < len(chips) else self.line).setFocus(Qt.FocusReason.TabFocusReason)
                return True
        return super().eventFilter(watched, event)
