"""Quiet, ducking: the music's dip under this voice, its depth and its times, from both takes."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.quiet.model import QuietModel
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.duck_picture import DuckPicture
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.chain import put_in
from kymaphon.core.dynamics.duck import DuckChoice, choose_ducker, duck_traces
from kymaphon.core.dynamics.outline import outline
from kymaphon.core.dynamics.places import StripPlace, best_strip, missing_words, step_between, strips_of
from kymaphon.core.figures import figure

POINTS = 700
HEADINGS = ("Ducker", "By these takes", "From")
HELP = ("What is set", "As the takes ask for", "Where it comes from")


class DuckPage(StagePage):
    """Traces above, values below."""

    def __init__(self, model: QuietModel, theme: Theme) -> None:
        super().__init__(model.document, theme)
        self.model = model
        inside = self.card(5, margin=0)
        self.picture = DuckPicture(theme)
        inside.addWidget(self.picture)
        self.table = RowTable(theme, "The ducker's values", "Found from both takes; the Why panel has the sums.")
        self.column.addWidget(self.table, 3)
        self.choice: DuckChoice | None = None
        self.problem = ""
        model.heard_changed.connect(self._follow)
        model.gate_changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.picture.scale = scale
        self.picture.setMinimumHeight(round(150 * scale))
        self.table.setMinimumHeight(round(120 * scale))
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        self._fill()

    def _follow(self) -> None:
        # A view that is not on screen catches up when it is gone to.
        if self.isVisible():
            self._fill()

    def _fill(self) -> None:
        heard, gate, trial = self.model.heard, self.model.gate, self.model.trial
        self.choice, self.problem = None, ""
        name = self.document.analysis.party_name(self.model.voice) if self.model.voice else "No talker"
        empty = np.zeros(0)
        if heard is None or heard.study is None or heard.music is None or gate is None or trial is None:
            self.picture.set_traces(0.0, empty, empty, empty)
            self.table.set_rows(HEADINGS, HELP, ())
            self.title.emit(f"{name}: music under the voice", "needs a take of the voice and one of the music")
            self.why_changed.emit()
            return
        talk, music = heard.study.talk, heard.music
        try:
            choice = choose_ducker(talk, music, gate.open_db)
        except ValueError as error:
            self.problem = str(error)
            self.picture.set_traces(0.0, empty, empty, empty)
            self.why_changed.emit()
            return
        self.choice = choice
        voice = outline(trial.levels, 0, len(trial.levels), POINTS).astype(np.float64)
        self.picture.set_traces(talk.key.seconds, voice, *duck_traces(talk.key, music, choice.ducker, POINTS))
        row = choice.ducker
        rows = (
            ("Threshold", show_number(row.threshold_db, "dBFS"), "the voice's gate opens there"),
            ("Depth", show_number(row.depth_db, "dB"), figure("music-under-voice").source),
            ("Attack", f"{row.attack_ms:g} ms", figure("duck-attack").source),
            ("Hold", f"{row.hold_ms:g} ms", "nine in ten of this talker's pauses within a thought"),
            ("Release", f"{row.release_ms:g} ms", figure("duck-release").source),
            (
                "Dips in this take",
                f"{choice.dips}, {choice.pumps} of them pump",
                "music up for less than a breath and a half",
            ),
        )
        self.table.set_rows(HEADINGS, HELP, tuple(Row(("ducker", cells[0]), cells) for cells in rows))
        self.title.emit(
            f"{name}: music {show_number(row.depth_db, 'dB')} down",
            f"{show_number(choice.under_db, 'dB')} under the voice then",
        )
        self.why_changed.emit()

    def strip(self) -> StripPlace | None:
        """Where the music can be ducked: a strip of the player's that has it, else the best."""
        analysis = self.document.analysis
        player = next((voice.id for voice in analysis.voices if voice.kind == "player"), None)
        return None if player is None else best_strip(strips_of(analysis, player), "ducker")

    def why(self) -> WhyContent:
        choice = self.choice
        if choice is None:
            text = self.problem or "Attach a take of this voice and one of the music: drop both on the window."
            return WhyContent(
                "Music under the voice",
                extra=(text[:1].upper() + text[1:],),
                notes=("Music volume is best set at the player: that is the safe place.",),
            )
        strip = self.strip()
        actions: tuple[Action, ...] = ()
        notes = ["Not all players survive a restart with their ducking on: try it before each show."]
        if strip is not None:
            actions = (
                Action(
                    "put ducker",
                    f"Put it into {strip.name}",
                    "Keyed by this voice; its threshold is that of the voice at its own strip. Can be undone.",
                ),
            )
            missing = missing_words(strip, "ducker")
            if missing:
                notes.insert(0, missing)
        else:
            notes.insert(0, "No player is in this show whose strip could be ducked.")
        lines = (
            choice.why,
            Derived("music, loud tenth", choice.music_dbfs, "dBFS", source="half seconds of its take; AES17"),
        )
        return WhyContent(
            "Music under the voice",
            f"{show_number(choice.under_db, 'dB')} under it while down",
            lines=lines,
            notes=tuple(notes),
            lead=actions,
        )

    def act(self, action: str) -> None:
        strip = self.strip()
        if action != "put ducker" or self.choice is None or strip is None:
            return
        row, model = self.choice.ducker, self.model
        own = model.strip("gate")
        if own is not None:
            try:
                talk = model.takes.talk
                step = step_between(self.document.analysis, model.voice, talk.at if talk is not None else None, own)
                row = row.with_(threshold_db=round(row.threshold_db + step.value, 1))
            except ValueError as error:
                self.say.emit(f"{error}.")
                return
        model.set_chain(strip, put_in(strip.chain, row), f"ducker in {strip.name}")
        self.say.emit(f"Ducker put into {strip.name}. Ctrl+Z takes it back.")
