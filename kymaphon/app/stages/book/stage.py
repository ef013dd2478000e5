"""Book: the log, what was so over shows, and what is remembered; and shows carried over, compared and put away."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox

from kymaphon.app.document import Document
from kymaphon.app.stages.book.bench import BookBench
from kymaphon.app.stages.book.log import LogPage
from kymaphon.app.stages.book.words import BOOK_VIEWS
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.theme import Theme
from kymaphon.app.worker import Worker
from kymaphon.core.model.changes import changes
from kymaphon.core.rundown.carry import next_week
from kymaphon.core.words import counted
from kymaphon.files.archive import pack, unpack
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import read_show

MOST_TOLD = 24


class BookStage(PagedStage):
    """The three views."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, BOOK_VIEWS, "log", self._made)
        self.bench = BookBench(document)
        self.bench.setParent(self)
        self._packer = Worker(self, self._packed, lambda error: self.say.emit(str(error)))
        self.column.addWidget(self.stack, 1)
        self.show_view("log")
        self.refresh()

    def _made(self, view: str) -> StagePage:
        if view == "log":
            return LogPage(self.document, self.theme)
        if view == "over":
            from kymaphon.app.stages.book.over import OverPage

            return OverPage(self.bench, self.theme)
        from kymaphon.app.stages.book.memory import MemoryPage

        return MemoryPage(self.bench, self.theme)

    def refresh(self) -> None:
        """Follows the document's analysis."""
        self.refresh_page()

    @property
    def busy(self) -> bool:
        return self.bench.busy or self._packer.busy

    # shows as files

    def file_act(self, action: str) -> None:
        """What is done with whole shows.

        Args:
            action: `next-week`, `compare`, `archive` or `unpack`.
        """
        if self._packer.busy and action in ("archive", "unpack"):
            self.say.emit("An archive is being packed or unpacked: wait until it is done.")
            return
        getattr(self, f"_{action.replace('-', '_')}")()

    def _next_week(self) -> None:
        filing = getattr(self.window(), "filing", None)
        if filing is None or not filing.may_leave():
            return
        show, told = next_week(self.document.show)
        self.document.replace(show, None)
        self._tell("Next week's show", "It has no file yet: save it under a name of its own.", told)

    def _compare(self) -> None:
        given, _ = QFileDialog.getOpenFileName(self, "Compare with", "", "Shows (*.json)")
        if not given:
            return
        try:
            other = read_show(Path(given))
        except FileProblem as problem:
            self.document.trouble.emit(str(problem))
            return
        rows = changes(self.document.show, other, self.document.analysis.catalogue)
        head = (
            f"{counted(len(rows), 'difference')}; there is {Path(given).name}, here the show that is open."
            if rows
            else "They are the same."
        )
        self._tell("Two shows compared", head, rows)

    def _tell(self, title: str, head: str, rows: tuple[str, ...]) -> None:
        box = QMessageBox(QMessageBox.Icon.NoIcon, title, title, QMessageBox.StandardButton.Close, self)
        more = f"\nand {len(rows) - MOST_TOLD} more, all of them below" if len(rows) > MOST_TOLD else ""
        box.setInformativeText("\n".join([head, "", *rows[:MOST_TOLD]]) + more)
        if len(rows) > MOST_TOLD:
            box.setDetailedText("\n".join(rows))
        box.exec()

    def _archive(self) -> None:
        title = "".join(c if c.isalnum() else "-" for c in self.document.show.title.lower()).strip("-") or "show"
        given, _ = QFileDialog.getSaveFileName(self, "Archive", f"{title}.zip", "Archives (*.zip)")
        if not given:
            return
        show, folder = self.document.show, self.document.path.parent if self.document.path is not None else None
        target = Path(given if given.lower().endswith(".zip") else f"{given}.zip")
        self.say.emit("Being packed\u2026")

        def work() -> str:
            try:
                count, left = pack(target, show, folder)
            except FileProblem as problem:
                return str(problem)
            lost = f" Not found, and not in it: {', '.join(left)}." if left else ""
            return f"{target.name}: the show and {counted(count, 'recording')}.{lost}"

        self._packer.ask(work, None)

    def _packed(self, _about: object, told: object) -> None:
        """What came of packing or unpacking: words, or where a show lies now that is to be opened."""
        if isinstance(told, Path):
            filing = getattr(self.window(), "filing", None)
            if filing is not None and filing.may_leave():
                filing.open(told)
            self.say.emit(f"Unpacked: {told}.")
        else:
            self.say.emit(str(told))

    def _unpack(self) -> None:
        given, _ = QFileDialog.getOpenFileName(self, "Unpack an archive", "", "Archives (*.zip)")
        if not given:
            return
        into = QFileDialog.getExistingDirectory(self, "Into which folder")
        if not into:
            return
        self.say.emit("Being unpacked\u2026")

        def work() -> Path | str:
            try:
                return unpack(given, into)
            except FileProblem as problem:
                return str(problem)

        self._packer.ask(work, None)
