"""Quiet: gate, low cut, compressor, limiter and ducking of each voice, found from its takes."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout

from kymaphon.app.document import Document
from kymaphon.app.listening import preference_name, takes_of
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.stages.quiet.model import QuietModel
from kymaphon.app.stages.quiet.words import QUIET_VIEWS
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.voice_chips import VoiceChips
from kymaphon.app.widgets.why import findings_about
from kymaphon.core.dynamics.design import PREFERENCES, preference_of
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.stages import SEVERITIES


class QuietStage(PagedStage):
    """Chips choose the voice, buttons the view, the list what matters most."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, QUIET_VIEWS, "gate", lambda view: made(view, self.model, self.theme))
        self.model = QuietModel(document, self.say.emit)
        self.model.setParent(self)
        self.preference = ChoiceBox()
        self.preference.setAccessibleName("What matters most")
        for name in PREFERENCES:
            self.preference.addItem(preference_name(name), name)
        self.preference.setCurrentIndex(PREFERENCES.index(self.model.preference))
        tip = "What matters most; another gate is found for each. " + " ".join(
            str(preference_of(row)["about"]) for row in PREFERENCES
        )
        self.preference.setToolTip(tip)
        self.preference.setStatusTip(tip)
        self.preference.activated.connect(lambda index: self.choose_preference(index))
        self.chips = VoiceChips(theme, lambda name: f"The take and the gate of {name}")
        self.chips.chosen.connect(self.choose_voice)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.chips, 1)
        row.addWidget(self.preference, 0, Qt.AlignmentFlag.AlignTop)
        self.column.addLayout(row)
        self.column.addWidget(self.stack, 1)
        self.show_view(self.view)

    # the window's side

    def refresh(self) -> None:
        """Follows the document's analysis."""
        self.model.refresh()
        analysis = self.document.analysis
        rows = [(voice, analysis.party_name(voice), self._mark(voice)) for voice in self.model.talkers]
        self.chips.set_voices(rows, self.model.voice)
        self.refresh_page()

    def refresh_page(self) -> None:
        self.page.refresh(self.model.voice, "")

    def _mark(self, voice: str) -> str:
        rows = [row.severity for row in findings_about(self.document.analysis.findings, voice) if row.stage == "Quiet"]
        worst = next((severity for severity in SEVERITIES if severity in rows), "")
        if worst:
            return worst
        if self.document.analysis.gates(voice):
            return "tick"
        return "note" if takes_of(self.document.analysis.show, voice).talk is not None else ""

    def choose_voice(self, voice: str) -> None:
        """Another voice."""
        self.model.choose_voice(voice)
        self.refresh()

    def choose_preference(self, index: int) -> None:
        """What matters most, by its place in the list."""
        self.preference.setCurrentIndex(index)
        self.model.choose_preference(PREFERENCES[index])

    def show_finding(self, finding: Finding) -> None:
        voice = next((row for row in finding.subjects if row in self.model.talkers), None)
        if voice is not None:
            self.choose_voice(voice)
        self.choose_view("strip")


def made(view: str, model: QuietModel, theme: Theme) -> StagePage:
    """A view, made when it is first wanted."""
    if view == "gate":
        from kymaphon.app.stages.quiet.gate import GatePage

        return GatePage(model, theme)
    if view == "spectrum":
        from kymaphon.app.stages.quiet.spectrum import SpectrumPage

        return SpectrumPage(model, theme)
    if view == "strip":
        from kymaphon.app.stages.quiet.strip import StripPage

        return StripPage(model, theme)
    from kymaphon.app.stages.quiet.duck import DuckPage

    return DuckPage(model, theme)
