"""Quiet: gate, low cut, compressor, limiter and ducking of each voice, found from its takes."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QWidget

from kymaphon.app.document import Document
from kymaphon.app.listening import preference_name, takes_of
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.quiet_model import QuietModel
from kymaphon.app.stages.quiet_words import QUIET_VIEWS
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import Choice
from kymaphon.app.widgets.views import mark_view, view_buttons
from kymaphon.app.widgets.voice_chips import VoiceChips
from kymaphon.app.widgets.why import WhyContent, findings_about
from kymaphon.core.findings import SEVERITIES, Finding
from kymaphon.core.gate.design import PREFERENCES, preference_of

NARROW = 560


class QuietStage(StageSurface):
    """Chips choose the voice, buttons the view, the list what matters most.

    Signals:
        say: one line for the status line.
    """

    say = Signal(str)

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, theme, parent)
        self._scale = 1.0
        self.view = "gate"
        self.model = QuietModel(document, self.say.emit)
        self.model.setParent(self)
        self.preference = Choice()
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
        self._views = view_buttons(self, self.head, QUIET_VIEWS, self.choose_view)
        self.chips = VoiceChips(theme, lambda name: f"The take and the gate of {name}")
        self.chips.chosen.connect(self.choose_voice)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.chips, 1)
        row.addWidget(self.preference, 0, Qt.AlignmentFlag.AlignTop)
        self.column.addLayout(row)
        self.stack = QStackedWidget()
        self.column.addWidget(self.stack, 1)
        self._pages: dict[str, StagePage] = {}
        self._show_view(self.view)

    # views

    @property
    def page(self) -> StagePage:
        """The view on screen."""
        return self._pages[self.view]

    def choose_view(self, view: str) -> None:
        """Another view."""
        self.document.end_preview()
        self._show_view(view)
        self.refresh()
        first = self.first()
        if first is not None:
            first.setFocus()

    def _show_view(self, view: str) -> None:
        self.view = view
        if view not in self._pages:
            page = made(view, self.model, self.theme)
            page.set_scale(self._scale)
            page.why_changed.connect(lambda view=view: self._page_changed(view))
            page.title.connect(lambda title, words, view=view: self._page_title(view, title, words))
            page.say.connect(self.say)
            self._pages[view] = page
            self.stack.addWidget(page)
        mark_view(self._views, view)
        self.stack.setCurrentWidget(self._pages[view])

    def _page_changed(self, view: str) -> None:
        if view == self.view:
            self.why_changed.emit()

    def _page_title(self, view: str, title: str, words: str) -> None:
        if view == self.view:
            self.title.setText(title)
            self.subtitle.setText(words)

    # the window's side

    def refresh(self) -> None:
        """Follows the document's analysis."""
        self.model.refresh()
        analysis = self.document.analysis
        rows = [(voice, analysis.party_name(voice), self._mark(voice)) for voice in self.model.talkers]
        self.chips.set_voices(rows, self.model.voice)
        self.page.refresh(self.model.voice, "")

    def _mark(self, voice: str) -> str:
        rows = [
            row.severity
            for row in findings_about(self.document.analysis.findings, voice)
            if row.stage == "Quiet"
        ]
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

    def why(self) -> WhyContent:
        return self.page.why()

    def act(self, action: str) -> None:
        self.page.act(action)

    def show_finding(self, finding: Finding) -> None:
        voice = next((row for row in finding.subjects if row in self.model.talkers), None)
        if voice is not None:
            self.choose_voice(voice)
        self.choose_view("strip")

    def zoom(self, steps: int) -> None:
        zoom = getattr(self.page, "zoom", None)
        if zoom is not None:
            zoom(steps)

    def keep(self) -> object:
        model = self.model
        return (
            model.voice,
            self.view,
            model.preference,
            model.gate if model.by_hand else None,
            model.picked,
            model.hand_over(),
        )

    def restore(self, kept: object) -> None:
        if isinstance(kept, tuple):
            voice, view, preference, gate, picked, known = kept
            model = self.model
            model.voice, model.preference, model.picked = voice, preference, picked
            model.take_over(known)
            if gate is not None:
                model.gate, model.by_hand = gate, True
            self.preference.setCurrentIndex(PREFERENCES.index(preference))
            self._show_view(view)

    def set_scale(self, scale: float) -> None:
        self._scale = scale
        for page in self._pages.values():
            page.set_scale(scale)

    def first(self) -> QWidget | None:
        return self.page.first()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        wide = self.width() >= NARROW * (0.4 + 0.6 * self._scale)
        self.title.setVisible(wide)
        self.subtitle.setVisible(wide)


def made(view: str, model: QuietModel, theme: Theme) -> StagePage:
    """A view, made when it is first wanted."""
    if view == "gate":
        from kymaphon.app.stages.quiet_gate import GatePage

        return GatePage(model, theme)
    if view == "spectrum":
        from kymaphon.app.stages.quiet_spectrum import SpectrumPage

        return SpectrumPage(model, theme)
    if view == "strip":
        from kymaphon.app.stages.quiet_strip import StripPage

        return StripPage(model, theme)
    from kymaphon.app.stages.quiet_duck import DuckPage

    return DuckPage(model, theme)
