"""Prove: the rig as it is held against the rig as it was planned."""

from __future__ import annotations

from PySide6.QtCore import Signal

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.stages.prove.bench import ProveBench
from kymaphon.app.stages.prove.ear import FaultEar
from kymaphon.app.stages.prove.tap import TapPage
from kymaphon.app.stages.prove.words import PROVE_VIEWS
from kymaphon.app.theme import Theme
from kymaphon.core.model.findings import Finding


class ProveStage(PagedStage):
    """The tap test, what it has proven, what anybody hears, and what is open before air.

    Signals:
        wants_stage: another stage, and a view of it.
    """

    wants_stage = Signal(str, str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, PROVE_VIEWS, "tap", lambda view: made(view, self.bench, self.ear, theme))
        self.bench = ProveBench(document)
        self.bench.setParent(self)
        self.ear = FaultEar(document)
        self.ear.setParent(self)
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
        views = [name for name, _, _ in PROVE_VIEWS]
        page.wants_voice.connect(lambda name: self.choose_view(name if name in views else "tap"))
        wants_place = getattr(page, "wants_place", None)
        if wants_place is not None:
            wants_place.connect(self._to_place)

    def _to_place(self, stage: str, view: str) -> None:
        """Where an open point is settled: a view of this stage, or another stage."""
        if stage == "Prove":
            self.choose_view(view)
        else:
            self.wants_stage.emit(stage, view)


def made(view: str, bench: ProveBench, ear: FaultEar, theme: Theme) -> StagePage:
    """A view, made when it is first wanted."""
    if view == "tap":
        return TapPage(bench, theme)
    if view == "listen":
        from kymaphon.app.stages.prove.listen import ListenPage

        return ListenPage(bench, theme)
    if view == "faults":
        from kymaphon.app.stages.prove.faults import FaultsPage

        return FaultsPage(ear, theme)
    if view == "questions":
        from kymaphon.app.stages.prove.questions import QuestionsPage

        return QuestionsPage(ear, theme)
    if view == "practice":
        from kymaphon.app.stages.prove.practice import PracticePage

        return PracticePage(bench, theme)
    if view == "ready":
        from kymaphon.app.stages.prove.ready import ReadyPage

        return ReadyPage(bench, theme)
    from kymaphon.app.stages.prove.pairs import PairsPage

    return PairsPage(bench, theme)
