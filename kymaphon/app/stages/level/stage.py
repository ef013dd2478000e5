"""Level: gain against noise. The ladder of a voice, its noise budget, the line-up, and the run."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton

from kymaphon.app.document import Document
from kymaphon.app.stages.level.ladder import LadderPage
from kymaphon.app.stages.level.words import LEVEL_VIEWS
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.ladder import LadderPicture
from kymaphon.app.widgets.level_table import LevelTable
from kymaphon.app.widgets.voice_chips import VoiceChips
from kymaphon.app.widgets.why import findings_about
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.stages import SEVERITIES

EVERY_TIP = "Shows also the points that only pass the signal on, with every fader on the way."
OF_ONE_VOICE = ("ladder", "noise")
"""Views of one voice, and of where it goes."""


class LevelStage(PagedStage):
    """One voice along one chain, its noise budget, the line-up, and the run. Chips choose the voice, the list the end."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, LEVEL_VIEWS, "ladder", lambda view: made(view, document, theme))
        self.voice = ""
        self.end = ""
        self.every = QPushButton("Every point")
        self.every.setCheckable(True)
        self.every.setToolTip(EVERY_TIP)
        self.every.setStatusTip(EVERY_TIP)
        self.every.toggled.connect(self._show_every)
        self.ends = ChoiceBox()
        self.ends.setAccessibleName("Where the chain ends")
        self.ends.setToolTip("Where the chain ends: what the levels are followed to.")
        self.ends.activated.connect(self._choose_end)
        self.head.insertWidget(2, self.every)
        self.head.insertWidget(3, self.ends)
        self._chips = VoiceChips(theme, lambda name: f"The ladder of {name}")
        self._chips.chosen.connect(self.choose_voice)
        self.column.addWidget(self._chips)
        self.column.addWidget(self.stack, 1)
        self.show_view("ladder")
        self.refresh()

    # the ladder, which is this stage's first view

    @property
    def chain(self) -> LadderPage:
        """The view of the ladder."""
        page = self._pages["ladder"]
        assert isinstance(page, LadderPage)
        return page

    @property
    def picture(self) -> LadderPicture:
        return self.chain.picture

    @property
    def table(self) -> LevelTable:
        return self.chain.table

    @property
    def ladder(self) -> Ladder | None:
        """The ladder of the voice to the end."""
        return self.chain.ladder

    @property
    def rungs(self) -> tuple[Rung, ...]:
        """The points of the ladder that are shown."""
        return self.chain.rungs

    # views

    def show_view(self, view: str) -> None:
        super().show_view(view)
        self.every.setVisible(view == "ladder")
        self.ends.setVisible(view in OF_ONE_VOICE)
        self._chips.setVisible(view in OF_ONE_VOICE)

    def refresh(self) -> None:
        """Follows the document's analysis."""
        analysis = self.document.analysis
        voices = [party.id for party in analysis.voices]
        others = (row for row in analysis.listeners if row not in analysis.ends)
        ends = [party.id for party in (*analysis.ends, *others)]
        if self.voice not in voices:
            self.voice = voices[0] if voices else ""
        if self.end not in ends:
            self.end = ends[0] if ends else ""
        self._fill_chips()
        self.ends.blockSignals(True)
        self.ends.clear()
        for end in ends:
            self.ends.addItem(f"to {analysis.party_name(end)}", end)
        self.ends.setCurrentIndex(ends.index(self.end) if self.end else -1)
        self.ends.blockSignals(False)
        self.page.refresh(self.voice, self.end)

    def _fill_chips(self) -> None:
        analysis = self.document.analysis
        rows = [(party.id, party.name, self._worst(party.id)) for party in analysis.voices]
        self._chips.set_voices(rows, self.voice)

    def _worst(self, voice: str) -> str:
        rows = [row.severity for row in findings_about(self.document.analysis.findings, voice) if row.stage == "Level"]
        return next((severity for severity in SEVERITIES if severity in rows), "tick")

    # what the user does

    def show_finding(self, finding: Finding) -> None:
        if self.view != "ladder":
            self.choose_view("ladder")
        if finding.subjects and any(row.id == finding.subjects[0] for row in self.document.analysis.voices):
            self.choose_voice(finding.subjects[0])

    def choose_voice(self, voice: str) -> None:
        """Another voice."""
        self.document.end_preview()
        self.voice = voice
        self.chain.voice = ""  # it begins at the first gain, also where it was this voice's before
        self.refresh()

    def _page_made(self, page: StagePage) -> None:
        page.wants_voice.connect(self._page_voice)

    def _page_voice(self, voice: str) -> None:
        """The voice that a list went to is the one that ladder and budget show next."""
        self.voice = voice

    def _choose_end(self, index: int) -> None:
        self.end = self.ends.itemData(index)
        self.refresh()

    def _show_every(self, on: bool) -> None:
        self.chain.show_every(on)
        self.refresh()


def made(view: str, document: Document, theme: Theme) -> StagePage:
    """A view, made when it is first wanted."""
    if view == "ladder":
        return LadderPage(document, theme)
    if view == "noise":
        from kymaphon.app.stages.level.noise import NoisePage

        return NoisePage(document, theme)
    if view == "solve":
        from kymaphon.app.stages.level.solve import SolvePage

        return SolvePage(document, theme)
    from kymaphon.app.stages.level.run import RunPage

    return RunPage(document, theme)
