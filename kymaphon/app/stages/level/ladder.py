"""The ladder: one voice along one chain, point by point, with its table and what the Why panel says of a point."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.ladder import LadderPicture, main_knob
from kymaphon.app.widgets.level_table import LevelTable
from kymaphon.app.widgets.views import three_rows
from kymaphon.app.widgets.why import Action, WhyContent, findings_about, label
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.graph.signal import Knob
from kymaphon.core.levels.lineup.expected import expected_at, figure_on, readings_here
from kymaphon.core.levels.lineup.tone import tone_along
from kymaphon.core.levels.monitoring import own_ears
from kymaphon.core.levels.programme import summed_at
from kymaphon.core.model.edits import SetValue
from kymaphon.core.wiring.controls import touched_words


class LadderPage(StagePage):
    """Picture and table of one chain; a gain is turned in the picture, by hand or by key.

    Attributes:
        voice, end: whose chain, and to whom.
        every: whether the points that only pass the signal on are shown too, with every fader on the way.
    """

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        self.voice = self.end = ""
        self.every = False
        inside = self.card(3, margin=0)
        self.picture = LadderPicture(theme)
        self.badge = label("", "badge", wrap=False)
        self.badge.setParent(self.picture)
        self.badge.hide()
        self.picture.selected.connect(self._select)
        self.picture.turning.connect(self._turning)
        self.picture.turned.connect(self._turned)
        self.picture.stepped_by.connect(self._stepped)
        inside.addWidget(self.picture)
        self.table = LevelTable(theme)
        self.table.chosen.connect(self._select)
        self.column.addWidget(self.table, 2)

    def set_scale(self, scale: float) -> None:
        self.picture.scale = scale
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(three_rows(scale))

    def first(self) -> QWidget | None:
        return self.picture

    def act(self, action: str) -> None:
        if action == "mark point" and self.rungs:
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
        """The points on screen."""
        ladder = self.ladder
        if ladder is None:
            return ()
        return ladder.rungs if self.every else ladder.shown()

    def refresh(self, voice: str, end: str) -> None:
        """Follows the document's analysis, for a voice and an end; another voice begins at its first gain."""
        another = voice != self.voice
        self.voice, self.end = voice, end
        if another:
            self.choose_first_gain()
        if voice:
            party = self.document.analysis.show.party(voice)
            self.title.emit(f"{party.name}, {party.kind}", self._chain_words())
        else:
            self.title.emit("No voice yet", self._chain_words())
        rungs = self.rungs
        self.picture.set_ladder(self.ladder, rungs, self.picture.index)
        self.table.set_rungs(rungs, self.picture.index, faders=self.every)
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
            return f"No signal path leads from here to {self.document.analysis.party_name(self.end)}."
        device = next((row for row in self.document.analysis.show.devices if row.party == self.voice), None)
        kind = self.document.analysis.catalogue[device.kind].name if device else "no microphone of its own"
        return f"{kind.removesuffix(' microphone')}, {show_number(ladder.last.delay_ms, 'ms')} late there"

    def why(self) -> WhyContent:
        """The selected point."""
        rungs = self.rungs
        analysis = self.document.analysis
        if not rungs:
            about = findings_about(analysis.findings, self.voice) if self.voice else ()
            return WhyContent(
                "Nothing to follow", "", findings=about, hint="Choose a voice and an end that a signal path joins."
            )
        rung = rungs[self.picture.index]
        knob = main_knob(rung, faders=self.every)
        subtitle = (
            f"{knob.label} stands at {show_number(knob.value, 'dB', sign=True)}" if knob else "nothing to turn here"
        )
        more = [row for row in (rung.explain_headroom(), rung.explain_over_noise() if rung.noise_db else None) if row]
        places = {device.place for device in analysis.show.devices if device.party == self.voice and device.place}
        found = tuple(
            row for row in findings_about(analysis.findings, self.voice, *places) if row.stage in ("Level", "Rig")
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
            notes = (f"{expected.meter.name} of {expected.device}: {what} of {now} now, {then} for the mark.",)
        if knob is not None:
            notes = (*notes, touched_words(analysis, knob.ref))
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

    def choose_first_gain(self) -> None:
        """Selects the first point that has something to turn."""
        gains = (i for i, rung in enumerate(self.rungs) if main_knob(rung, faders=self.every))
        self.picture.index = next(gains, 0)

    def show_every(self, on: bool) -> None:
        """Every point, or those where something happens; the selected one stays."""
        node = self.rungs[self.picture.index].node if self.rungs else ""
        self.every = on
        self.picture.faders = on
        self.picture.index = next((i for i, rung in enumerate(self.rungs) if rung.node == node), 0)

    def _select(self, index: int) -> None:
        self.picture.index = index
        self.picture.update()
        self.table.choose(index)
        self.why_changed.emit()

    def _turning(self, knob: Knob, value: float) -> None:
        self.document.preview((SetValue(knob.ref, value),), f"{knob.label} at {show_number(value, 'dB', sign=True)}")

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
