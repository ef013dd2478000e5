"""A row of buttons, one for each voice, of which one is down; each with the worst that is found about it."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QButtonGroup, QPushButton, QWidget

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.app.widgets.marks import SEVERITY_NAMES, mark_icon
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import empty


class VoiceChips(QWidget):
    """The chips; they flow into as many lines as are needed.

    Signals:
        chosen: id of the voice that was pressed.
    """

    chosen = Signal(str)

    def __init__(self, theme: Theme, tip: Callable[[str], str]) -> None:
        """Args:
        tip: from a voice's name to what its chip does.
        """
        super().__init__()
        self.theme, self._tip = theme, tip
        self._row = FlowLayout()
        self.setLayout(self._row)
        self._group = QButtonGroup(self)
        self._group.setExclusive(True)

    def buttons(self) -> list[QPushButton]:
        """The chips in order."""
        return [row for row in self._group.buttons() if isinstance(row, QPushButton)]

    def set_voices(self, voices: Iterable[tuple[str, str, str]], chosen: str) -> None:
        """Voices as (id, name, mark), and which is down; an empty mark is none."""
        rows = list(voices)
        if [button.property("voice") for button in self.buttons()] != [voice for voice, _, _ in rows]:
            empty(self._row)
            for button in self.buttons():
                self._group.removeButton(button)
            for voice, _, _ in rows:
                button = QPushButton()
                button.setCheckable(True)
                button.setProperty("role", "chip")
                button.setProperty("voice", voice)
                button.clicked.connect(lambda _checked=False, voice=voice: self.chosen.emit(voice))
                self._group.addButton(button)
                self._row.addWidget(button)
        for button, (voice, name, mark) in zip(self.buttons(), rows, strict=True):
            button.setText(name)
            button.setIcon(mark_icon(mark, self.theme) if mark else QIcon())
            button.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
            button.setChecked(voice == chosen)
            button.setToolTip(plain_tip(self._tip(name)))
            button.setStatusTip(self._tip(name))
            button.setAccessibleName(f"{name}, {SEVERITY_NAMES.get(mark, 'nothing set')}")
