"""Air: the show run against the clock, on one screen or two."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from kymaphon.app.document import Document
from kymaphon.app.stages.air.bench import AirBench
from kymaphon.app.stages.air.now import NowPage
from kymaphon.app.stages.air.second import SecondScreen
from kymaphon.app.stages.air.words import AIR_VIEWS
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.theme import Theme
from kymaphon.core.model.findings import Finding
from kymaphon.files.errors import FileProblem
from kymaphon.files.sheet_file import write_sheet


class AirStage(PagedStage):
    """Now, the rundown, and the notes."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, AIR_VIEWS, "now", self._made)
        self.bench = AirBench(document)
        self.bench.setParent(self)
        self._screen: SecondScreen | None = None
        self.column.addWidget(self.stack, 1)
        self.show_view("now")
        self.refresh()

    def _made(self, view: str) -> StagePage:
        if view == "now":
            return NowPage(self.bench, self.theme)
        if view == "rundown":
            from kymaphon.app.stages.air.rundown import RundownPage

            return RundownPage(self.bench, self.theme)
        from kymaphon.app.stages.air.notes import NotesPage

        return NotesPage(self.bench, self.theme)

    @property
    def now(self) -> NowPage:
        """The view that a show is run from."""
        page = self.page_of("now")
        assert isinstance(page, NowPage)
        return page

    def refresh(self) -> None:
        """Follows the document's analysis."""
        self.bench.follow()
        self.refresh_page()

    def tell_trouble(self, text: str) -> bool:
        """Takes a problem that would else be a dialog: on air nothing covers the page. False off air."""
        if not self.bench.state.on_air or self.view != "now" or not self.isVisible():
            return False
        self.now.tell_trouble(text)
        return True

    def escape(self) -> None:
        if self.view == "now":
            self.now.escape()

    def show_finding(self, finding: Finding) -> None:
        """Selects what a finding is about: its segment in the rundown."""
        if self.view != "rundown":
            self.choose_view("rundown")
        show = getattr(self.page, "show_finding", None)
        if show is not None:
            show(finding)

    def second_screen(self) -> None:
        """Now and next in a window of its own, on another screen where there is one; gone again where it is there."""
        if self._screen is None:
            self._screen = SecondScreen(self.bench, self.theme)
        if self._screen.isVisible():
            self._screen.close()
        else:
            self._screen.place(self.window())

    def set_scale(self, scale: float) -> None:
        super().set_scale(scale)
        if self._screen is not None:
            self._screen.update()

    def close_screens(self) -> None:
        """The window is closed: its second one too, and an input is let go."""
        if self._screen is not None:
            self._screen.close()
        if self.bench.live is not None:
            self.bench.meter_from("none")

    def save_sheet(self, what: str) -> None:
        """Asks where to, and writes the rundown or the notes.

        Args:
            what: `rundown` or `notes`.
        """
        report = self.document.analysis
        if report.standing:
            self.say.emit("The findings are still looked for: a moment.")
            return
        if what == "notes":
            from kymaphon.app.stages.air.notes import save_notes

            save_notes(self, self.document, self.say.emit)
            return
        if not report.show.rundown:
            self.say.emit("There is no rundown to write yet.")
            return
        given, _ = QFileDialog.getSaveFileName(
            self, "Rundown", "rundown.html", "Page (*.html);;PDF (*.pdf);;List (*.csv)"
        )
        if not given:
            return
        path = Path(given)
        path = path if path.suffix else path.with_suffix(".html")
        try:
            if path.suffix.lower() == ".csv":
                from kymaphon.files.rundown_file import write_rundown

                write_rundown(path, report)
            else:
                from kymaphon.core.report.rundown import rundown_list, rundown_sheet

                write_sheet(path, rundown_sheet(report), rundown_list(report))
        except FileProblem as problem:
            self.document.trouble.emit(str(problem))
            return
        self.say.emit(f"Rundown written: {path.name}.")
