"""A row with a word and a choice behind it: whose, which circuit, which desk."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout

from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.why import label


class Picker(QHBoxLayout):
    """The row; `box` is the choice, further widgets may be added behind it.

    Signals:
        picked: somebody chose; not what `offer` or `show_value` do.
    """

    picked = Signal()

    def __init__(self, words: str, tip: str) -> None:
        super().__init__()
        self.addWidget(label(words, wrap=False))
        self.box = ChoiceBox()
        self.box.setAccessibleName(words)
        self.box.setToolTip(tip)
        self.box.activated.connect(lambda _n: self.picked.emit())
        self.addWidget(self.box)

    @property
    def value(self) -> str | None:
        """What is chosen."""
        found: str | None = self.box.currentData()
        return found

    def offer(self, options: Sequence[tuple[str | None, str]]) -> None:
        """What there is to choose from; the choice stays where it is as long as they are the same."""
        rows = list(options)
        if [(self.box.itemData(n), self.box.itemText(n)) for n in range(self.box.count())] == rows:
            return
        self.box.clear()
        for value, words in rows:
            self.box.addItem(words, value)

    def show_value(self, value: str | None) -> None:
        """Shows a choice as the one that is made; the first where there is none of that value."""
        self.box.setCurrentIndex(max(self.box.findData(value), 0))
