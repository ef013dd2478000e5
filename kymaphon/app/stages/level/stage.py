"""Level: gain against noise, point by point. The ladder picture, its table, and what the Why panel says of
it.
"""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.document import Document
from kymaphon.app.stages.level.words import LEVEL_VIEWS
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import Choice
from kymaphon.app.widgets.ladder import LadderPicture, main_knob
from kymaphon.app.widgets.level_table import LevelTable
from kymaphon.app.widgets.views import mark_view, three_rows, view_buttons
from kymaphon.app.widgets.voice_chips import VoiceChips
from kymaphon.app.widgets.why import Action, WhyContent, findings_about, label
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.graph.signal import Knob
from kymaphon.core.levels.lineup.expected import expected_at, figure_on, readings_here
from kymaphon.core.levels.lineup.tone import tone_along
from kymaphon.core.levels.monitoring import own_ears
from kymaphon.core.levels.programme import summed_at
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.stages import SEVERITIES


class LevelStage(StageSurface):
    """One voice along one chain, its noise budget, the line-up, and the run. Chips choose the voice, the list the end.

    Signals:
        say: one line for the status line.
    """

    say = Signal(str)

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, theme, parent)
        self._scale = 1.0
        self.voice = ""
        self.end = ""
        self._every = False
        self.every = QPushButton("Every point")
        self.every.setCheckable(True)
        self.every.setToolTip(
            "Shows also the points that only pass the signal on, with every fader on the way."
        )
        self.every.setStatusTip(
            "Shows also the points that only pass the signal on, with every fader on the way."
        )
        self.every.toggled.connect(self._show_every)
        self.ends = Choice()
        self.ends.setAccessibleName("Where the chain ends")
        self.ends.setToolTip("Where the chain ends: what the levels are followed to.")
        self.ends.activated.connect(self._choose_end)
        self.head.addWidget(self.every)
        self.head.addWidget(self.ends)
        self.view = "ladder"
        self._pages: dict[str, StagePage] = {}
        self._views = view_buttons(self, self.head, LEVEL_VIEWS, self.choose_view)
        self.offer_views(self._views, self.choose_view)
        self._chips = VoiceChips(theme, lambda name: f"The ladder of {name}")
        self._chips.chosen.connect(self.choose_voice)
        self.column.addWidget(self._chips)
        self.stack = QStackedWidget()
        self.column.addWidget(self.stack, 1)
        ladder_page = QWidget()
        ladder_column = QVBoxLayout(ladder_page)
        ladder_column.setContentsMargins(0, 0, 0, 0)
        ladder_column.setSpacing(8)
        self.stack.addWidget(ladder_page)
        card = QWidget()
        card.setObjectName("card")
        inside = QVBoxLayout(card)
        inside.setContentsMargins(0, 0, 0, 0)
        self.picture = LadderPicture(theme)
        self.badge = label("", "badge", wrap=False)
        self.badge.setParent(self.picture)
        self.badge.hide()
        self.picture.selected.connect(self._select)
        self.picture.turning.connect(self._turning)
        self.picture.turned.connect(self._turned)
        self.picture.stepped_by.connect(self._stepped)
        inside.addWidget(self.picture)
        ladder_column.addWidget(card, 3)
        self.table = LevelTable(theme)
        self.table.chosen.connect(self._select)
        ladder_column.addWidget(self.table, 2)
        mark_view(self._views, self.view)
        voices = document.analysis.voices
        if voices:
            self.voice = voices[0].id
            self.end = document.analysis.ends[0].id if document.analysis.ends else ""
            self._choose_first_gain()

    def set_scale(self, scale: float) -> None:
        self._scale = scale
        for page in self._pages.values():
            page.set_scale(scale)
        self.picture.scale = scale
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(three_rows(scale))

    def first(self) -> QWidget | None:
        page = self.page
        return self.picture if page is None else page.first()

    # views

    @property
    def page(self) -> StagePage | None:
        """The view on screen beside the ladder; None for the ladder itself."""
        return self._pages.get(self.view)

    def choose_view(self, view: str) -> None:
        """Another view of the stage."""
        self.document.end_preview()
        self._show_view(view)
        self.refresh()
        first = self.first()
        if first is not None:
            first.setFocus()

    def _show_view(self, view: str) -> None:
        self.view = view
        if view != "ladder" and view not in self._pages:
            page = made(view, self.document, self.theme)
            page.set_scale(self._scale)
            page.why_changed.connect(lambda view=view: self._page_changed(view))
            page.title.connect(lambda title, words, view=view: self._page_title(view, title, words))
            page.say.connect(self.say)
            page.wants_voice.connect(self._page_voice)
            self._pages[view] = page
            self.stack.addWidget(page)
        mark_view(self._views, view)
        here = self._pages.get(view)
        if here is None:
            self.stack.setCurrentIndex(0)
        else:
            self.stack.setCurrentWidget(here)
        self.every.setVisible(view == "ladder")
        self.ends.setVisible(view in ("ladder", "noise"))
        self._chips.setVisible(view in ("ladder", "noise"))

    def _page_changed(self, view: str) -> None:
        if view == self.view:
            self.why_changed.emit()

    def _page_title(self, view: str, title: str, words: str) -> None:
        if view == self.view:
            self.title.setText(title)
            self.subtitle.setText(words)

    def _page_voice(self, voice: str) -> None:
        """The voice that a list went to is the one that ladder and budget show next."""
        self.voice = voice

    def act(self, action: str) -> None:
        if self.page is not None:
            self.page.act(action)
        elif action == "mark point" and self.rungs:
            from kymaphon.app.stages.level.forms import LevelForms

            rung = self.rungs[self.picture.index]
            LevelForms(self, self.document, self.say.emit).mark_point(rung.node, rung.label)

    # what is shown

    @property
    def ladder(self) -> Ladder | None:
        """The ladder on screen."""
        analysis = self.document.analysis
        return analysis.ladder(self.voice, self.end) if self.voice and self.end else None

    @property
    def rungs(self) -> tuple[Rung, ...]:
        ladder = self.ladder
        if ladder is None:
            return ()
        return ladder.rungs if self._every else ladder.shown()

    def refresh(self) -> None:
        """Follows the document's analysis."""
        analysis = self.document.analysis
        voices = [party.id for party in analysis.voices]
        ends = [
            party.id
            for party in (*analysis.ends, *(row for row in analysis.listeners if row not in analysis.ends))
        ]
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
        if self.page is not None:
            self.page.refresh(self.voice, self.end)
            return
        if self.voice:
            party = self.document.analysis.show.party(self.voice)
            self.title.setText(f"{party.name}, {party.kind}")
        else:
            self.title.setText("No voice yet")
        self.subtitle.setText(self._chain_words())
        rungs = self.rungs
        self.picture.set_ladder(self.ladder, rungs, self.picture.index)
        self.table.set_rungs(rungs, self.picture.index, faders=self._every)
        self.badge.setText(f"Preview: {self.document.previewing}")
        self.badge.setVisible(bool(self.document.previewing))
        self.badge.adjustSize()
        self.badge.move(max(8, (self.picture.width() - self.badge.width()) // 2), 26)
        self.why_changed.emit()

    def _chain_words(self) -> str:
        if not self.voice:
            return "Add a party that speaks; open a show or the demo to see one."
        ladder = self.ladder
        if ladder is None:
            return f"No way leads from here to {self.ends.currentText().removeprefix('to ')}."
        device = next((row for row in self.document.analysis.show.devices if row.party == self.voice), None)
        kind = self.document.analysis.catalogue[device.kind].name if device else "no microphone of its own"
        return f"{kind.removesuffix(' microphone')}, {show_number(ladder.last.delay_ms, 'ms')} late there"

    def _fill_chips(self) -> None:
        analysis = self.document.analysis
        rows = [(party.id, party.name, self._worst(party.id)) for party in analysis.voices]
        self._chips.set_voices(rows, self.voice)

    def _worst(self, voice: str) -> str:
        rows = [
            row.severity
            for row in findings_about(self.document.analysis.findings, voice)
            if row.stage == "Level"
        ]
        return next((severity for severity in SEVERITIES if severity in rows), "tick")

    def why(self) -> WhyContent:
        """What the Why panel shows for the selected point, or for what the view has selected."""
        if self.page is not None:
            return self.page.why()
        rungs = self.rungs
        analysis = self.document.analysis
        if not rungs:
            about = findings_about(analysis.findings, self.voice) if self.voice else ()
            return WhyContent(
                "Nothing to follow", "", findings=about, hint="Choose a voice and an end that a way joins."
            )
        rung = rungs[self.picture.index]
        knob = main_knob(rung, faders=self._every)
        subtitle = (
            f"{knob.label} stands at {show_number(knob.value, 'dB', sign=True)}"
            if knob
            else "nothing to turn here"
        )
        more = [
            row
            for row in (rung.explain_headroom(), rung.explain_over_noise() if rung.noise_db else None)
            if row
        ]
        places = {
            device.place for device in analysis.show.devices if device.party == self.voice and device.place
        }
        found = tuple(
            row
            for row in findings_about(analysis.findings, self.voice, *places)
            if row.stage in ("Level", "Rig")
        )
        notes: tuple[str, ...] = ()
        ladder = self.ladder
        expected = expected_at(analysis, ladder, rung) if ladder is not None else None
        if expected is not None:
            shown = expected.now()
            more = [expected.shows, *more, readings_here(expected)]
            tone = (
                next((row for row in tone_along(analysis, ladder) if row.rung.node == rung.node), None)
                if ladder is not None
                else None
            )
            if tone is not None:
                name = "line-up tone here, and what each meter reads of it"
                more.append(
                    Derived(
                        name,
                        tone.level.value,
                        rung.unit,
                        "",
                        tuple(tone.readings.values()),
                        "0 VU of the house, sent at the channel",
                    )
                )
            now, then = (figure_on(row.value, expected.unit) for row in (shown, expected.shows))
            what = "peaks" if expected.peaks else "average"
            notes = (
                f"{expected.meter.name} of {expected.device} shows {what} of {now} now; for the mark it should show {then}.",
            )
        together = summed_at(analysis, rung.node)
        if together is not None:
            notes = (*notes, together.words())
            more.append(together.shows)
        own = own_ears(analysis, self.voice)
        if own is not None and own.lines():
            more.extend(own.lines())
            notes = (*notes, own.words())
        return WhyContent(
            rung.label,
            subtitle,
            lines=(rung.speech,),
            findings=found,
            more=tuple(more),
            extra=notes,
            actions=self._point_actions(rung),
        )

    def _point_actions(self, rung: Rung) -> tuple[Action, ...]:
        if rung.unit not in ("dBu", "dBFS"):
            return ()
        return (
            Action(
                "mark point",
                "A mark for this point\u2026",
                "A practice for this very point; the voice is then judged here too.",
            ),
        )

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
        self._choose_first_gain()
        self.refresh()

    def _choose_first_gain(self) -> None:
        gains = (i for i, rung in enumerate(self.rungs) if main_knob(rung, faders=self._every))
        self.picture.index = next(gains, 0)

    def _choose_end(self, index: int) -> None:
        self.end = self.ends.itemData(index)
        self.refresh()

    def _show_every(self, on: bool) -> None:
        node = self.rungs[self.picture.index].node if self.rungs else ""
        self._every = on
        self.picture.faders = on
        self.picture.index = next((i for i, rung in enumerate(self.rungs) if rung.node == node), 0)
        self.refresh()

    def _select(self, index: int) -> None:
        self.picture.index = index
        self.picture.update()
        self.table.choose(index)
        self.why_changed.emit()

    def _turning(self, knob: Knob, value: float) -> None:
        self.document.preview(
            (SetValue(knob.ref, value),), f"{knob.label} at {show_number(value, 'dB', sign=True)}"
        )

    def _stands_at(self, knob: Knob) -> float:
        """Where a knob stands in the show now, even while its analysis is still on the way."""
        setting = self.document.show.device(knob.ref.device).settings.get(knob.ref.key)
        given = getattr(setting, knob.ref.field) if setting is not None else None
        return knob.value if given is None else float(given)

    def _turned(self, knob: Knob, value: float, merge: str = "") -> None:
        if abs(value - self._stands_at(knob)) < 1e-9:
            self.document.end_preview()
            return  # a press without a turn changes nothing
        text = f"{knob.label} to {show_number(value, 'dB', sign=True)}"
        self.document.end_preview()
        self.document.apply((SetValue(knob.ref, value),), text, merge=merge)

    def _stepped(self, knob: Knob, steps: int) -> None:
        """By the keyboard: from where the show stands now, even while its analysis is still on the way."""
        now = self._stands_at(knob)
        value = knob.snap(now + steps * knob.step)
        if abs(value - now) < 1e-9:
            end = show_number(knob.highest if steps > 0 else knob.lowest, "dB", sign=True)
            self.document.trouble.emit(
                f"{knob.label} stands at {show_number(now, 'dB', sign=True)}; its range ends at {end}."
            )
            return
        self._turned(knob, value, f"turn {knob.ref}")


def made(view: str, document: Document, theme: Theme) -> StagePage:
    """A view, made when it is first wanted."""
    if view == "noise":
        from kymaphon.app.stages.level.noise import NoisePage

        return NoisePage(document, theme)
    if view == "solve":
        from kymaphon.app.stages.level.solve import SolvePage

        return SolvePage(document, theme)
    from kymaphon.app.stages.level.run import RunPage

    return RunPage(document, theme)
