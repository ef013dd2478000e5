"""The guide and the glossary in the window: pages of text that ship with the program, found as one types, without a network."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from importlib import resources
from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QImage, QKeyEvent, QTextDocument
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QListWidget, QTextBrowser, QVBoxLayout, QWidget

from kymaphon.app.widgets.why import label

PAGES = ("first-show", "place-microphones", "plug", "line-up", "gate", "feeds", "prove", "run")
"""The pages in the order of work."""
OF_STAGE = {
    "Welcome": "first-show",
    "Cast": "place-microphones",
    "Rig": "plug",
    "Talk": "feeds",
    "Level": "line-up",
    "Quiet": "gate",
    "Feeds": "feeds",
    "Prove": "prove",
    "Air": "run",
    "Book": "run",
}
"""Stage -> the page that F1 opens there."""


@dataclass(frozen=True, slots=True)
class Term:
    """A term of the trade: other words for it, what it means, where it stands in the window, and who says so."""

    term: str
    also: tuple[str, ...]
    means: str
    where: str
    source: str

    @property
    def text(self) -> str:
        """The term as a paragraph."""
        also = f" (also: {', '.join(self.also)})" if self.also else ""
        return f"**{self.term}**{also}. {self.means} *{self.where}.* Source: {self.source}."


def page_text(name: str) -> str:
    """A page of the guide. Raises FileNotFoundError for one that is not there."""
    return resources.files("kymaphon.guide").joinpath(f"{name}.md").read_text(encoding="utf-8")


@cache
def terms() -> tuple[Term, ...]:
    """The glossary, by the alphabet."""
    rows = json.loads(resources.files("kymaphon.guide").joinpath("glossary.json").read_text(encoding="utf-8"))["terms"]
    found = (Term(row["term"], tuple(row["also"]), row["means"], row["where"], row["source"]) for row in rows)
    return tuple(sorted(found, key=lambda row: row.term.lower()))


def glossary_text(wanted: str = "") -> str:
    """The glossary as a page: of the terms that some letters are found in, or of all."""
    rows = [row for row in terms() if wanted.lower() in " ".join((row.term, *row.also)).lower()]
    if wanted and not rows:
        rows = [row for row in terms() if wanted.lower() in row.means.lower()]
    body = "\n\n".join(row.text for row in rows) or f"No term is called {wanted}."
    return f"# Glossary\n\nThe trade's words, as they stand in the window.\n\n{body}\n"


class _Pages(QTextBrowser):
    """Shows a page; pictures come from the documents where those are there."""

    def loadResource(self, kind: int, name: QUrl) -> object:  # type: ignore[override]
        if kind == QTextDocument.ResourceType.ImageResource.value:
            path = Path(__file__).resolve().parent.parent / "guide" / name.toString()
            image = QImage(str(path))
            return image.scaledToWidth(560, Qt.TransformationMode.SmoothTransformation) if not image.isNull() else image
        return super().loadResource(kind, name)


class HelpWindow(QDialog):
    """The guide beside the window: pages at the left, the page at the right, and a line that finds terms and pages."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide")
        self.setModal(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        self.line = QLineEdit()
        self.line.setPlaceholderText("a term: mix-minus, loopback, latency \u2026")
        self.line.setAccessibleName("Find a term or a page")
        self.line.textChanged.connect(self._find)
        column.addWidget(self.line)
        row = QHBoxLayout()
        self.list = QListWidget()
        self.list.setAccessibleName("Pages")
        self.list.setFixedWidth(210)
        for name in PAGES:
            title = page_text(name).splitlines()[0].removeprefix("# ")
            self.list.addItem(title.partition(":")[0])
        self.list.addItem("Glossary")
        self.list.currentRowChanged.connect(self._choose)
        row.addWidget(self.list)
        self.page = _Pages()
        self.page.setOpenLinks(False)
        self.page.setAccessibleName("The page")
        row.addWidget(self.page, 1)
        column.addLayout(row, 1)
        column.addWidget(label("Esc closes it. The show stays as it is.", "muted"))
        self.resize(860, 620)

    def show_page(self, name: str) -> None:
        """A page by its name, or the glossary."""
        self.line.clear()
        self.list.setCurrentRow(PAGES.index(name) if name in PAGES else len(PAGES))
        self._choose(self.list.currentRow())
        self.show()
        self.activateWindow()
        self.line.setFocus()

    def _choose(self, at: int) -> None:
        self.page.setMarkdown(page_text(PAGES[at]) if 0 <= at < len(PAGES) else glossary_text())

    def _find(self, text: str) -> None:
        if text.strip():
            self.page.setMarkdown(glossary_text(text.strip()))
        else:
            self._choose(self.list.currentRow())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up) and self.line.hasFocus():
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
            return
        super().keyPressEvent(event)
