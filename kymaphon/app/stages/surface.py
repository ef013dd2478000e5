"""What every stage is to the window: something that follows the document and tells the Why panel what to show."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QHBoxLayout, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.why import WhyContent, label
from kymaphon.core.model.findings import Finding

TITLE_LETTERS = 26
"""So many letters of a title stand beside the buttons, or none."""


class StageSurface(QWidget):
    """The work surface of one stage: a head with title and subtitle, and a column below. Made when it is first gone to.

    Signals:
        why_changed: the selection changed, and so what `why` gives.
        go_to_why: the user wants the keyboard in the Why panel.
    """

    why_changed = Signal()
    go_to_why = Signal()

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.theme = document, theme
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(16, 12, 12, 12)
        self.column.setSpacing(8)
        self.title, self.subtitle = label("", "title"), label("", "muted")
        self.head = QHBoxLayout()
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self.title)
        words.addWidget(self.subtitle)
        self.head.addLayout(words, 1)
        self.column.addLayout(self.head)
        # Large text in a small window: the buttons of the views give way to a list of them.
        self._view_buttons: list[QAbstractButton] = []
        self.short = ChoiceBox()
        self.short.setAccessibleName("View")
        self.short.setToolTip("Another view of this stage.")
        self.short.setStatusTip("Another view of this stage.")
        self.short.hide()
        self.head.addWidget(self.short, 1)

    def offer_views(self, group: QButtonGroup, choose: Callable[[str], object]) -> None:
        """Takes the buttons of the stage's views, for `fit_head` to put a list in their place where they do not fit."""
        self._view_buttons = group.buttons()
        for button in self._view_buttons:
            self.short.addItem(button.text(), button.objectName().removeprefix("view "))
            button.toggled.connect(self._follow_view)
        self.short.activated.connect(lambda _index: choose(self.short.currentData()))

    def _follow_view(self) -> None:
        down = next((row for row in self._view_buttons if row.isChecked()), None)
        if down is not None:
            self.short.setCurrentIndex(self.short.findData(down.objectName().removeprefix("view ")))

    def fit_head(self) -> None:
        """The title gives way to the buttons where both do not fit, and the buttons of the views to a list."""
        margins = self.column.contentsMargins()
        room = self.width() - margins.left() - margins.right()
        gap = self.head.spacing()
        items = (self.head.itemAt(n) for n in range(self.head.count()))
        widgets = [row for item in items if item is not None and (row := item.widget()) is not None]
        views = sum(row.sizeHint().width() + gap for row in self._view_buttons)
        others = sum(
            row.sizeHint().width() + gap
            for row in widgets
            if row not in (*self._view_buttons, self.short) and not row.isHidden()
        )
        wide = views + others + self.fontMetrics().averageCharWidth() * TITLE_LETTERS <= room
        fits = views + others <= room
        for row in (self.title, self.subtitle):
            row.setVisible(wide)
        for button in self._view_buttons:
            button.setVisible(fits)
        self.short.setVisible(bool(self._view_buttons) and not fits)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit_head()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self.fit_head()

    def refresh(self) -> None:
        """Follows the document's analysis."""

    def why(self) -> WhyContent:
        """What the Why panel shows for the selection."""
        return WhyContent("")

    def act(self, action: str) -> None:
        """What a button of the Why panel asks for."""

    def escape(self) -> None:
        """What Esc does here, beside ending a preview."""

    def show_finding(self, finding: Finding) -> None:
        """Selects what a finding is about."""

    def zoom(self, steps: int) -> None:
        """The picture nearer or further by steps; 0 shows all of it. Stages without such a picture do nothing."""

    def set_scale(self, scale: float) -> None:
        """Text size of what is painted by hand."""

    def first(self) -> QWidget | None:
        """Where the keyboard goes when the stage is shown."""
        return None
