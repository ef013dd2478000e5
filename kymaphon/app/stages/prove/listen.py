"""Prove, listening: what anybody hears of the whole show, as it is and after a remedy, switched while it plays."""

from __future__ import annotations

import math
from functools import partial
from pathlib import Path
from typing import cast

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QElapsedTimer
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from kymaphon.app.player import NoPlayerError, Player
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.prove.bench import ProveBench
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.model.show import Show
from kymaphon.core.report.versions import Version, versions_for
from kymaphon.files.errors import FileProblem
from kymaphon.files.takes import write_audio
from kymaphon.sim.playing import ShowPlayer, rms_dbfs
from kymaphon.sim.through import heard_through, throughs

Floats = NDArray[np.float64]
SECONDS = 8.0
PEAK = 0.4
"""The show as it is plays up to this part of full scale; every other version by the same gain, so that they compare."""
HEADINGS = ("What is heard", "For", "Level", "Against as it is")
HELP = (
    "The show as it is, or with a remedy done",
    "The finding that the remedy is for",
    "RMS of eight seconds, in the file",
    "Louder or softer than the show as it is",
)
EARS = "Headphones off the ears until it plays; it never plays louder than half of full scale."


class ListenPage(StagePage):
    """Versions of the show, each heard by the same ears. Enter plays and stops; another row goes on from where the first one was."""

    def __init__(self, bench: ProveBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.listener = ChoiceBox()
        self.listener.setAccessibleName("Whose ears")
        self.listener.setToolTip("Whose ears it is heard with.")
        self.listener.setStatusTip("Whose ears it is heard with.")
        self.listener.activated.connect(lambda _index: self._begin())
        self.through = ChoiceBox()
        self.through.setAccessibleName("Heard on what")
        self.through.addItem("as it is there", "")
        for row in throughs().values():
            self.through.addItem(f"on {row.name}", row.id)
        self.through.setToolTip("What it is heard on: a band, stated in the Why panel.")
        self.through.setStatusTip("What it is heard on: a band, stated in the Why panel.")
        self.through.activated.connect(lambda _index: self._again())
        top = QHBoxLayout()
        top.addWidget(label("Heard by", "muted", wrap=False))
        top.addWidget(self.listener)
        top.addWidget(self.through)
        top.addStretch(1)
        self.column.addLayout(top)
        inside = self.card(1)
        self.table = RowTable(theme, "Versions of the show", "Enter plays and stops; another row goes on from there.")
        self.table.chosen.connect(lambda _row, _column: self._moved())
        self.table.opened.connect(lambda _row: self.act("play"))
        inside.addWidget(self.table)
        self.versions: tuple[Version, ...] = ()
        self.sounds: dict[int, Floats] = {}
        self.problem = ""
        self._report: Report | None = None
        self._playing = False
        self._clock = QElapsedTimer()
        self._player = Player(self)
        self._worker = Worker(self, self._arrived, self._failed)

    @property
    def busy(self) -> bool:
        """Whether a version is still being played into memory."""
        return self._worker.busy

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(28 * scale))
        self.table.setMinimumHeight(round(180 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        report = self.document.analysis
        if report is self._report or report.standing:
            self._fill()
            return
        self._report = report
        held = self.listener.currentData()
        self.listener.blockSignals(True)
        self.listener.clear()
        for party in report.listeners:
            self.listener.addItem(party.name, party.id)
        self.listener.setCurrentIndex(max(0, self.listener.findData(held)))
        self.listener.blockSignals(False)
        self._begin()

    # sounds

    def _begin(self) -> None:
        """Other ears, or another show: everything is played anew, one version after the other."""
        self.stop()
        self.versions, self.sounds, self.problem = (), {}, ""
        report, listener = self._report, self.listener.currentData()
        if report is not None and listener:
            self._worker.ask(partial(versions_for, report, listener), (report, listener, -1))
        self._fill()

    def _arrived(self, about: object, result: object) -> None:
        report, listener, place = cast("tuple[Report, str, int]", about)
        if report is not self._report or listener != self.listener.currentData():
            return
        if place < 0:
            self.versions = cast("tuple[Version, ...]", result)
        else:
            self.sounds[place] = cast("Floats", result)
        left = next((n for n in range(len(self.versions)) if n not in self.sounds), None)
        if left is not None:
            show = self.versions[left].show
            self._worker.ask(partial(_played, report, show, listener), (report, listener, left))
        self._fill()

    def _failed(self, error: Exception) -> None:
        self.problem = str(error)
        self._fill()

    def heard(self, place: int) -> Floats | None:
        """A version as it is heard on what was chosen; shape (sides, frames). None while it is not there yet."""
        sound = self.sounds.get(place)
        if sound is None or not self.through.currentData():
            return sound
        return heard_through(sound, self._rate, throughs()[self.through.currentData()])

    @property
    def _rate(self) -> int:
        return self._report.show.sample_rate_hz if self._report is not None else 48000

    @property
    def place(self) -> int:
        """The row that is chosen."""
        return max(0, min(self.table.currentIndex().row(), len(self.versions) - 1))

    def _gain(self) -> float:
        """The same for every version: what brings the show as it is to its peak."""
        first = self.heard(0)
        most = float(np.abs(first).max()) if first is not None and first.size else 0.0
        return PEAK / most if most > 0 else 1.0

    # what is shown

    def _fill(self) -> None:
        rows = []
        levels = {n: _level(sound * self._gain()) for n in self.sounds if (sound := self.heard(n)) is not None}
        for n, version in enumerate(self.versions):
            if n in levels:
                apart = show_number(levels[n] - levels[0], "dB", sign=True) if n and 0 in levels else DASH
                cells = (version.label, version.about or DASH, show_number(levels[n], "dBFS"), apart)
            else:
                cells = (version.label, version.about or DASH, "being played \u2026", DASH)
            rows.append(Row(("version", str(n)), cells))
        chosen = self.place
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.table.choose(min(chosen, len(rows) - 1))
        name = self.listener.currentText()
        if not name:
            self.title.emit("Listen", "Nobody listens in this show yet: Cast and Feeds come first.")
        else:
            ready = (
                f"{len(self.sounds)} of {len(self.versions)} versions are there"
                if self.versions
                else "Computing \u2026"
            )
            self.title.emit(f"What {name} hears", self.problem or f"{SECONDS:.0f} s of the whole show. {ready}.")
        self.why_changed.emit()

    def why(self) -> WhyContent:
        name = self.listener.currentText()
        if not self.versions:
            return WhyContent("Listen", hint=self.problem or "The whole show is played by the simulated rig.")
        version = self.versions[self.place]
        notes = [
            "Every voice, room, microphone and stage of the rig at once, as the graph has them; strips process as on Quiet, duckers do not."
        ]
        chosen = self.through.currentData()
        if chosen:
            row = throughs()[chosen]
            notes.append(f"Heard on {row.name}: {row.low_hz:g} Hz to {row.high_hz:g} Hz; {row.source}.")
        notes.append(EARS)
        sound = self.heard(self.place)
        lines = (self._line(sound),) if sound is not None else ()
        play = Action(
            "play", "Stop" if self._playing else "Play", "Enter. Another row goes on from where this one was."
        )
        return WhyContent(
            version.label,
            version.about or f"what {name} hears",
            lines=lines,
            notes=tuple(notes),
            lead=(play,),
            actions=(Action("save", "Save as a sound file\u2026", "The version that is chosen, as WAV, FLAC or OGG."),),
        )

    def _line(self, sound: Floats) -> Derived:
        """How the level of the table came about."""
        ears = self._report.graph.ears[self.listener.currentData()][0] if self._report is not None else 0
        unit = self._report.graph.nodes[ears].unit if self._report is not None else "dBFS"
        gain = 20 * math.log10(self._gain())
        own = _level(sound)
        source = f"{SECONDS:.0f} s from when everybody has arrived, the louder side; AES17"
        terms = (
            Derived("RMS at the ears", own, unit, "10 lg(2 mean x\u00b2)", source=source),
            Derived("for playing: the show as it is to its peak, all alike", gain, "dB"),
        )
        return Derived(self.versions[self.place].label, own + gain, "dBFS", "sum of the lines", terms, "", True)

    # what the user does

    def _again(self) -> None:
        if self._playing:
            self._play_from_here()
        self._fill()

    def _moved(self) -> None:
        if self._playing:
            self._play_from_here()
        self.why_changed.emit()

    def act(self, action: str) -> None:
        if action == "save":
            self._save()
        elif action == "play" and self._playing:
            self.stop()
        elif action == "play":
            self._clock.start()
            self._playing = True
            self._play_from_here()
        self.why_changed.emit()

    def stop(self) -> None:
        """Ends what is playing."""
        self._playing = False
        self._player.stop()

    def _play_from_here(self) -> None:
        sound = self.heard(self.place)
        if sound is None:
            self.say.emit("This version is still being played into memory.")
            return
        frames = sound.shape[1]
        at = round(self._clock.elapsed() / 1000 * self._rate) % frames
        out = np.roll(sound, -at, axis=1) * self._gain()
        try:
            self._player.play(out.T.astype(np.float32), self._rate)
        except NoPlayerError as problem:
            self._playing = False
            self.say.emit(str(problem))

    def _save(self) -> None:
        sound = self.heard(self.place)
        if sound is None:
            self.say.emit("This version is still being played into memory.")
            return
        name, _ = QFileDialog.getSaveFileName(
            self, "Save what is heard", str(Path.home() / "heard.wav"), "Sound (*.wav *.flac *.ogg)"
        )
        if not name:
            return
        about = f"Simulated: what {self.listener.currentText()} hears. {self.versions[self.place].label}"
        try:
            write_audio(name, (sound * self._gain()).T.astype(np.float32), self._rate, about=about)
        except FileProblem as problem:
            self.say.emit(str(problem))
        else:
            self.say.emit(f"Saved: {Path(name).name}.")


def _played(report: Report, show: Show, listener: str) -> Floats:
    """Eight seconds of a show at somebody's ears, from when everybody has arrived there; shape (sides, frames)."""
    changed = report if show is report.show else figures_of(show, before=report)
    return ShowPlayer(changed, sample_rate_hz=changed.show.sample_rate_hz).arrived(listener, SECONDS)


def _level(sound: Floats) -> float:
    """RMS of the louder side, in dBFS."""
    return float(rms_dbfs(sound).max()) if sound.size else float("-inf")
