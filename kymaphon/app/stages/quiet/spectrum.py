"""Quiet, spectrum: voice and room by frequency, the sort of noise that the room is, and what a low cut buys."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.quiet.model import QuietModel
from kymaphon.app.stages.quiet.words import EMPTY
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.spectrum_picture import SpectrumPicture
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.derive import show_number
from kymaphon.core.dynamics.filters import (
    LowCutChoice,
    gain_db,
    low_cut_limits,
    low_cut_sections,
    try_low_cut,
    without_room,
)
from kymaphon.core.model.processing import LowCut
from kymaphon.core.takes.spectrum import Spectrum, floor_lines

CORNERS = (40, 50, 60, 70, 80, 90, 100, 120, 150)
LOWEST_HZ, HIGHEST_HZ = 20.0, 300.0
CURVE_FROM_HZ = 26.0
"""The curve is drawn from the picture's left edge on."""
HEADINGS = ("Low cut at", "Off the room", "Off the voice", "Voice over room", "Of the room below it")
HELP = (
    "Corner of the low cut, with the slope that is chosen",
    "What it takes off the room, by the room's spectrum",
    "What it takes off the voice, by the voice's spectrum",
    "What it buys",
    "Share of the room's energy below the corner",
)


class SpectrumPage(StagePage):
    """Bars above, corners below."""

    def __init__(self, model: QuietModel, theme: Theme) -> None:
        super().__init__(model.document, theme)
        self.model = model
        inside = self.card(5, margin=0)
        self.picture = SpectrumPicture(theme)
        self.picture.corner.connect(self._cut)
        inside.addWidget(self.picture)
        self.table = RowTable(
            theme, "Corners of a low cut", "What each corner takes off room and voice; Enter takes it."
        )
        self.table.chosen.connect(lambda row, _column: self._cut(float(CORNERS[row])))
        self.table.opened.connect(lambda _row: self.act("put cut"))
        self.column.addWidget(self.table, 3)
        self.low_cut = LowCut()
        self._voice = ""
        model.heard_changed.connect(self._heard)
        self._heard()

    def set_scale(self, scale: float) -> None:
        self.picture.scale = scale
        self.picture.setMinimumHeight(round(170 * scale))
        self.table.setMinimumHeight(round(120 * scale))
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))

    def first(self) -> QWidget | None:
        return self.picture

    def refresh(self, voice: str, end: str) -> None:
        self._heard()

    @property
    def _spectra(self) -> tuple[Spectrum, Spectrum] | None:
        heard = self.model.heard
        if heard is None or heard.study is None or heard.study.voice is None or heard.study.room is None:
            return None
        return heard.study.voice, heard.study.room

    @property
    def choice(self) -> LowCutChoice | None:
        """The low cut on screen, tried."""
        spectra = self._spectra
        return None if spectra is None else try_low_cut(self.low_cut, *spectra)

    def _heard(self) -> None:
        spectra, heard = self._spectra, self.model.heard
        name = self.document.analysis.party_name(self.model.voice) if self.model.voice else "No talker"
        if spectra is None or heard is None or heard.study is None:
            self.picture.set_bands(np.zeros(0), np.zeros(0), np.zeros(0))
            self.table.set_rows(HEADINGS, HELP, ())
            self.title.emit(name, "no take of the voice yet")
            self.why_changed.emit()
            return
        if self._voice != self.model.voice or self.model.low_cut is not None:
            self._voice = self.model.voice
            proposed = heard.study.choice.low_cut if heard.study.choice is not None else None
            self.low_cut = self.model.low_cut or proposed or LowCut()
        voice, room = spectra
        middles, levels = without_room(voice, room).bands()
        self.picture.set_bands(middles, levels, room.bands()[1])
        kind = heard.study.kind
        self.title.emit(f"{name}: voice and room by frequency", kind.words if kind is not None else "")
        self._show_cut()

    def _show_cut(self) -> None:
        spectra = self._spectra
        if spectra is None:
            return
        voice, room = spectra
        at = np.geomspace(CURVE_FROM_HZ, 2000, 120)
        curve = gain_db(low_cut_sections(self.low_cut, voice.sample_rate_hz), at, voice.sample_rate_hz)
        self.picture.set_cut(self.low_cut.corner_hz, (at, curve), tentative=self.model.low_cut != self.low_cut)
        rows = []
        for corner in CORNERS:
            row = try_low_cut(self.low_cut.with_(corner_hz=float(corner)), voice, room)
            rows.append(
                Row(
                    ("corner", str(corner)),
                    (
                        f"{corner} Hz",
                        show_number(row.room_db, "dB"),
                        show_number(row.voice_db, "dB"),
                        show_number(row.buys_db, "dB", sign=True),
                        f"{row.below_share:.0%}",
                    ),
                )
            )
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.table.choose(CORNERS.index(int(self.low_cut.corner_hz)) if self.low_cut.corner_hz in CORNERS else -1)
        self.why_changed.emit()

    def _cut(self, corner_hz: float) -> None:
        corner = min(max(round(corner_hz), LOWEST_HZ), HIGHEST_HZ)
        self.low_cut = self.low_cut.with_(corner_hz=float(corner))
        self._show_cut()

    def why(self) -> WhyContent:
        heard, choice = self.model.heard, self.choice
        if heard is None or heard.study is None or choice is None:
            problem = heard.problem if heard is not None else ""
            return WhyContent(
                "Nothing to show yet",
                extra=((problem[:1].upper() + problem[1:] + ".") if problem else EMPTY,),
            )
        slope = self.low_cut.slope_db_per_octave
        set_now = self.model.low_cut == self.low_cut
        proposed = heard.study.choice
        text = "No corner is worth a low cut here."
        if proposed is not None and proposed.low_cut is not None:
            text = f"Best by voice and room: {proposed.low_cut.corner_hz:.0f} Hz, {proposed.low_cut.slope_db_per_octave} dB an octave."
        lines = (choice.why(), *(floor_lines(heard.study.room) if heard.study.room is not None else ()))
        strip = self.model.strip("low-cut")
        where = strip.name if strip is not None else "the strip"
        lead = (
            ()
            if set_now
            else (
                Action(
                    "put cut",
                    f"Put it into {where}",
                    "Before the gate, where rumble would open it. Can be undone.",
                ),
            )
        )
        actions: list[Action] = []
        actions.append(
            Action(
                "slope",
                f"{18 if slope == 12 else 24 if slope == 18 else 6 if slope == 24 else 12} dB an octave instead",
                "The next slope.",
            )
        )
        if proposed is not None and proposed.low_cut is not None and proposed.low_cut != self.low_cut:
            actions.append(Action("best", "Show the best one", text))
        if self.model.low_cut is not None:
            actions.append(
                Action("no cut", "Take the low cut out", "The gate then hears the rumble again. Can be undone.")
            )
        return WhyContent(
            f"Low cut at {self.low_cut.corner_hz:.0f} Hz, {slope} dB an octave",
            "set in the show" if set_now else "not in the show",
            extra=(text,),
            lines=lines,
            more=low_cut_limits(),
            lead=lead,
            actions=tuple(actions),
            notes=(
                "A common low cut for speech lies between 50 and 100 Hz; here it is told from this voice in this room.",
            ),
        )

    def act(self, action: str) -> None:
        heard = self.model.heard
        if action == "put cut":
            self.model.put(self.low_cut)
        elif action == "slope":
            order = (6, 12, 18, 24)
            after = order[(order.index(self.low_cut.slope_db_per_octave) + 1) % 4]
            self.low_cut = self.low_cut.with_(slope_db_per_octave=after)
            self._show_cut()
        elif (
            action == "best"
            and heard is not None
            and heard.study is not None
            and heard.study.choice is not None
            and heard.study.choice.low_cut is not None
        ):
            self.low_cut = heard.study.choice.low_cut
            self._show_cut()
        elif action == "no cut":
            self.model.take_out("low-cut")
