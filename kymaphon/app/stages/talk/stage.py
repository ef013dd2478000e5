"""Talk: circuits, the order of work, and what is settled on paper before the van is unpacked."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.stages.talk.bench import TalkBench
from kymaphon.app.stages.talk.circuits import CircuitsPage
from kymaphon.app.stages.talk.forms import TalkForms
from kymaphon.app.stages.talk.words import TALK_VIEWS
from kymaphon.app.theme import Theme
from kymaphon.core.model.findings import Finding
from kymaphon.core.report.sheet import Sheet, Table
from kymaphon.files.errors import FileProblem
from kymaphon.files.sheet_file import write_sheet


class TalkStage(PagedStage):
    """Who can tell whom, and who does what when."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(
            document, theme, TALK_VIEWS, "circuits", lambda view: made(view, self.bench, self.forms, theme)
        )
        self.bench = TalkBench(document)
        self.bench.setParent(self)
        self.forms = TalkForms(self, document)
        document.exchanged.connect(self.bench.forget)
        self.column.addWidget(self.stack, 1)
        self.show_view("circuits")
        self.refresh()

    @property
    def circuits(self) -> CircuitsPage:
        """The view of the circuits."""
        page = self.page_of("circuits")
        assert isinstance(page, CircuitsPage)
        return page

    def refresh(self) -> None:
        """Follows the document's analysis."""
        self.refresh_page()

    def show_finding(self, finding: Finding) -> None:
        """Selects what a finding is about: a task in the order of work, all else in the matrix."""
        tasks = {row.id for row in self.document.show.tasks}
        view = "work" if tasks.intersection(finding.subjects) else "circuits"
        if self.view != view:
            self.choose_view(view)
        show = getattr(self.page, "show_finding", None)
        if show is not None:
            show(finding)

    # sheets

    def save_sheet(self, what: str) -> None:
        """Asks where to, and writes the talkback sheet, the schedule or the channel list.

        Args:
            what: `talkback`, `schedule` or `channels`.
        """
        found = self.sheet(what)
        if found is None:
            return
        title = {"talkback": "Talkback sheet", "schedule": "Schedule", "channels": "Channel list"}[what]
        given, _ = QFileDialog.getSaveFileName(self, title, f"{what}.html", "Page (*.html);;PDF (*.pdf);;List (*.csv)")
        if not given:
            return
        path = Path(given)
        try:
            write_sheet(path if path.suffix else path.with_suffix(".html"), *found)
        except FileProblem as problem:
            self.document.trouble.emit(str(problem))
            return
        self.say.emit(f"{title} written: {path.name}.")

    def sheet(self, what: str) -> tuple[Sheet, Table] | None:
        """A sheet, and its first table for a list; None where there is nothing to write yet, which is said."""
        from kymaphon.core.report.talk import talkback_sheet
        from kymaphon.core.report.work import channel_sheet, channel_table, work_sheet

        report = self.document.analysis
        if report.standing:
            self.say.emit("The findings are still looked for: a moment.")
            return None
        if what == "schedule":
            if self.bench.plan is None:
                self.bench.want_plan()
                self.say.emit("The work is being planned: ask again in a moment.")
                return None
            sheet = work_sheet(report, self.bench.plan, self.bench.late)
        elif what == "channels":
            if self.bench.allotment is None:
                self.bench.want_allotment()
                self.say.emit("There is no allotment yet: see the view Desk.")
                return None
            return channel_sheet(report, self.bench.allotment), channel_table(self.bench.allotment)
        else:
            sheet = talkback_sheet(report)
        if not sheet.tables:
            self.say.emit(f"There is nothing to write yet: {sheet.summary}")
            return None
        return sheet, sheet.tables[0]


def made(view: str, bench: TalkBench, forms: TalkForms, theme: Theme) -> StagePage:
    """A view, made when it is first wanted."""
    if view == "circuits":
        return CircuitsPage(bench, forms, theme)
    if view == "hearing":
        from kymaphon.app.stages.talk.hearing import HearingPage

        return HearingPage(bench, theme)
    if view == "work":
        from kymaphon.app.stages.talk.work import WorkPage

        return WorkPage(bench, forms, theme)
    if view == "desk":
        from kymaphon.app.stages.talk.desk import DeskPage

        return DeskPage(bench, theme)
    if view == "positions":
        from kymaphon.app.stages.talk.positions import PositionsPage

        return PositionsPage(bench, theme)
    if view == "lines":
        from kymaphon.app.stages.talk.lines import LinesPage

        return LinesPage(bench, forms, theme)
    from kymaphon.app.stages.talk.check import CheckPage

    return CheckPage(bench, theme)
