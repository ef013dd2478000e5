"""What every stage is to the window: something that follows the document and tells the Why panel what to show."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.why import WhyContent, label
from kymaphon.core.findings import Finding


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

    def refresh(self) -> None:
        """Follows the document's analysis."""

    def why(self) -> WhyContent:
        """What the Why panel shows for the selection."""
        return WhyContent("")

    def act(self, action: str) -> None:
        """What a button of the Why panel asks for."""

    def show_finding(self, finding: Finding) -> None:
        """Selects what a finding is about."""

    def zoom(self, steps: int) -> None:
        """The picture nearer or further by steps; 0 shows all of it. Stages without such a picture do nothing."""

    def set_scale(self, scale: float) -> None:
        """Text size of what is painted by hand."""

    def first(self) -> QWidget | None:
        """Where the keyboard goes when the stage is shown."""
        return None
