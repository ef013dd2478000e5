"""The findings of one sort as a list over the page: stage, sentence and first remedy; walking through it goes to each where it stands."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.marks import SEVERITY_NAMES, mark_icon
from kymaphon.app.widgets.why import label
from kymaphon.core.model.findings import Finding, Later

ROWS = 7
"""So many are seen at once; the rest by scrolling."""


class FindingList(QFrame):
    """Up and Down walk, one press each; Enter stays at the one that is chosen, Esc goes back to the page.

    Signals:
        walked: the finding that is chosen now.
        closed: True by Enter: on to its remedies.
    """

    walked = Signal(object)
    closed = Signal(bool)

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme = theme
        self.setObjectName("sheet")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 12)
        column.setSpacing(6)
        self.title = label("", "heading")
        column.addWidget(self.title)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setStatusTip("Up and Down walk through them. Enter: what can be done. Esc: back.")
        self.list.currentRowChanged.connect(self._walk)
        self.list.itemActivated.connect(lambda _item: self._close(stay=True))
        column.addWidget(self.list, 1)
        self.rows: tuple[Finding, ...] = ()
        self.severity = ""
        self.hide()

    @property
    def chosen(self) -> Finding | None:
        """The finding that is chosen."""
        at = self.list.currentRow()
        return self.rows[at] if 0 <= at < len(self.rows) else None

    def open(self, severity: str, rows: Sequence[Finding]) -> None:
        """Shows findings, the first chosen."""
        self._fill(severity, rows)
        self._place()
        self.show()
        self.raise_()
        self.list.setCurrentRow(0)
        self.list.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def follow(self, rows: Sequence[Finding]) -> None:
        """Shows what has become of the findings: the chosen one stays chosen; where it is gone, the one that stands in its place is gone
        to.
        """
        if tuple(rows) == self.rows:
            return
        at = max(self.list.currentRow(), 0)
        before = self.rows[at].key if at < len(self.rows) else None
        self._fill(self.severity, rows)
        self._place()
        here = next((n for n, row in enumerate(self.rows) if row.key == before), None)
        self.list.blockSignals(here is not None)
        self.list.setCurrentRow(here if here is not None else min(at, len(self.rows) - 1))
        self.list.blockSignals(False)

    def _fill(self, severity: str, rows: Sequence[Finding]) -> None:
        self.severity, self.rows = severity, tuple(rows)
        self.title.setText(f"{len(rows)} {SEVERITY_NAMES.get(severity, severity)}")
        self.list.setAccessibleName(self.title.text())
        self.list.blockSignals(True)
        self.list.clear()
        for row in rows:
            text = f"{row.stage}: {row.message}"
            remedy = first_remedy(row)
            if remedy:
                text += f"\n\u2192 {remedy}"
            item = QListWidgetItem(mark_icon(severity, self.theme), text)
            item.setToolTip(row.message)
            self.list.addItem(item)
        self.list.blockSignals(False)

    def next(self) -> None:
        """On to the next, and round."""
        if self.rows:
            self.list.setCurrentRow((self.list.currentRow() + 1) % len(self.rows))
            self.list.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _place(self) -> None:
        parent = self.parentWidget()
        if parent is None:
            return
        width = min(parent.width() - 40, 720)
        tall = min(parent.height() - 120, 60 + 58 * min(len(self.rows), ROWS))
        self.setGeometry(parent.width() - width - 20, 52, width, tall)

    def _walk(self, at: int) -> None:
        if 0 <= at < len(self.rows):
            self.walked.emit(self.rows[at])
            self.list.setFocus()

    def _close(self, *, stay: bool) -> None:
        self.hide()
        self.closed.emit(stay)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._close(stay=False)
            return
        super().keyPressEvent(event)


def first_remedy(finding: Finding) -> str:
    """What the first remedy does; empty where there is none, or where it takes looking for."""
    rows = finding.remedies
    if isinstance(rows, Later) or not rows:
        return ""
    return rows[0].label
