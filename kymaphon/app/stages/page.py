"""What a view of a stage is to it, where a stage has several."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.why import WhyContent


class StagePage(QWidget):
    """One view: follows the document, and tells the Why panel what to show.

    Signals:
        why_changed: the selection changed.
        title: words for the stage's head, and those under them.
        say: one line for the status line.
        wants_voice: the user went to another voice.
    """

    why_changed = Signal()
    title = Signal(str, str)
    say = Signal(str)
    wants_voice = Signal(str)

    def __init__(self, document: Document, theme: Theme, *, scrolls: bool = True) -> None:
        super().__init__()
        self.document, self.theme = document, theme
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        if not scrolls:  # a table scrolls by itself
            self.column = whole
            return
        # Large text in a small window: the view scrolls rather than cut anything off.
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        body = QWidget()
        area.setWidget(body)
        whole.addWidget(area)
        self.column = QVBoxLayout(body)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(8)

    def card(self, stretch: int = 0, *, margin: int = 8) -> QVBoxLayout:
        """A card at the end of the column, for what belongs together; its layout.

        Args:
            stretch: its share of the room that is left.
            margin: pixels round what is in it.
        """
        card = QWidget()
        card.setObjectName("card")
        self.column.addWidget(card, stretch)
        inside = QVBoxLayout(card)
        inside.setContentsMargins(margin, margin, margin, margin)
        return inside

    def refresh(self, voice: str, end: str) -> None:
        """Follows the document's analysis, for a voice and an end."""

    def why(self) -> WhyContent:
        """What the Why panel shows."""
        return WhyContent("")

    def act(self, action: str) -> None:
        """What a button of the Why panel asks for."""

    def set_scale(self, scale: float) -> None:
        """Text size of what is painted by hand."""

    def first(self) -> QWidget | None:
        """Where the keyboard goes."""
        return None
