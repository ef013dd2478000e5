"""Prove: the rig as it is held against the rig as it was planned."""

from __future__ import annotations

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.stages.prove.bench import ProveBench
from kymaphon.app.stages.prove.tap import TapPage
from kymaphon.app.stages.prove.words import PROVE_VIEWS
from kymaphon.app.theme import Theme
from kymaphon.core.model.findings import Finding


class ProveStage(PagedStage):
    """The tap test, and what it has proven."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, PROVE_VIEWS, "tap", lambda view: made(view, self.bench, theme))
        self.bench = ProveBench(document)
        self.bench.setParent(self)
        self.column.addWidget(self.stack, 1)
        self.show_view("tap")
        self.refresh()

    @property
    def tap(self) -> TapPage:
        """The view of the tap test."""
        page = self._pages["tap"]
        assert isinstance(page, TapPage)
        return page

    def refresh(self) -> None:
        """Follows the document's analysis."""
        self.refresh_page()

    def show_finding(self, finding: Finding) -> None:
        """Nothing is found here by rules."""

    def _page_made(self, page: StagePage) -> None:
        page.wants_voice.connect(lambda _voice: self.choose_view("tap"))


def made(view: str, bench: ProveBench, theme: Theme) -> StagePage:
    """A view, made when it is first wanted."""
    if view == "tap":
        return TapPage(bench, theme)
    if view == "listen":
        from kymaphon.app.stages.prove.listen import ListenPage

        return ListenPage(bench, theme)
    from kymaphon.app.stages.prove.pairs import PairsPage

    return PairsPage(bench, theme)
