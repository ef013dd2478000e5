"""Feeds: who hears whom, the plan, the doing list, loops, what goes out, and the switches."""

from __future__ import annotations

from PySide6.QtCore import Qt

from kymaphon.app.document import Document
from kymaphon.app.stages.feeds.hearing import HearingPage
from kymaphon.app.stages.feeds.model import FeedsModel
from kymaphon.app.stages.feeds.words import FEED_VIEWS
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.matrix import FeedMatrix
from kymaphon.app.widgets.why import label
from kymaphon.core.model.findings import Finding


class FeedsStage(PagedStage):
    """Six views of one routing; the first is who hears whom."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, FEED_VIEWS, "hearing", lambda view: made(view, self.model, document, theme))
        self.model = FeedsModel(document, self.say.emit)
        self.model.setParent(self)
        self.badge = label("Preview", "badge", wrap=False)
        self.badge.hide()
        self.head.insertWidget(1, self.badge, 0, Qt.AlignmentFlag.AlignVCenter)
        self.column.addWidget(self.stack, 1)
        self.show_view("hearing")
        self.hearing.wants_view.connect(self.choose_view)
        self.refresh()
        self.hearing.choose_worst()

    @property
    def hearing(self) -> HearingPage:
        """The table of who hears whom."""
        page = self._pages["hearing"]
        assert isinstance(page, HearingPage)
        return page

    @property
    def matrix(self) -> FeedMatrix:
        return self.hearing.matrix

    def refresh(self) -> None:
        """Follows the document's analysis."""
        self.badge.setVisible(bool(self.document.previewing))
        self.refresh_page()

    def choose(self, listener: str, voice: str) -> None:
        """Selects a pair in the table."""
        self.hearing.choose(listener, voice)

    def choose_listener(self) -> None:
        """The listener of the chosen pair as a whole."""
        if self.view != "hearing":
            self.choose_view("hearing")
        feed = self.matrix.current_feed()
        if feed is not None:
            self.hearing.choose_listener(feed.listener)

    def show_finding(self, finding: Finding) -> None:
        view = "circles" if finding.code.startswith("loop-") else "hearing"
        if self.view != view:
            self.choose_view(view)
        if view == "hearing":
            self.hearing.show_finding(finding)


def made(view: str, model: FeedsModel, document: Document, theme: Theme) -> StagePage:
    """A view, made when it is first wanted."""
    if view == "hearing":
        return HearingPage(document, theme)
    if view == "plan":
        from kymaphon.app.stages.feeds.plan import PlanPage

        return PlanPage(model, theme)
    if view == "doing":
        from kymaphon.app.stages.feeds.doing import DoingPage

        return DoingPage(model, theme)
    if view == "circles":
        from kymaphon.app.stages.feeds.loops import CirclesPage

        return CirclesPage(document, theme)
    if view == "out":
        from kymaphon.app.stages.feeds.out import OutPage

        return OutPage(document, theme)
    from kymaphon.app.stages.feeds.switches import SwitchesPage

    return SwitchesPage(document, theme)
