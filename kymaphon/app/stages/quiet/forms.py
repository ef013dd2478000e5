"""Forms and files of Quiet: every value of a processor typed, takes and settings written and read."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog, QWidget

from kymaphon.app.stages.quiet.model import QuietModel
from kymaphon.app.widgets.form import Field, Form
from kymaphon.core.dynamics.chain import moved, put_in, run_chain
from kymaphon.core.dynamics.places import StripPlace
from kymaphon.core.dynamics.preset import preset_text
from kymaphon.core.dynamics.study import Study
from kymaphon.core.model.processing import NAMES, Band, Equaliser, Gate, Processing
from kymaphon.files.errors import FileProblem
from kymaphon.files.preset_file import open_preset, write_text
from kymaphon.files.takes import FORMATS, FileTake, excerpt, write_audio

LABELS = {
    "on": "On",
    "corner_hz": "Corner, Hz",
    "slope_db_per_octave": "Slope, dB an octave",
    "open_db": "Opens at, {unit}",
    "close_db": "Closes below, {unit}",
    "attack_ms": "Attack, ms",
    "hold_ms": "Hold, ms",
    "release_ms": "Release, ms",
    "range_db": "Range, dB (120 mutes)",
    "look_ahead_ms": "Look-ahead, ms",
    "detector": "Detector",
    "detector_ms": "Detector window, ms",
    "key_low_hz": "Key filter: nothing below, Hz",
    "key_high_hz": "Key filter: nothing above, Hz",
    "threshold_db": "Threshold, {unit}",
    "ratio": "Ratio, to 1",
    "knee_db": "Knee, dB",
    "make_up_db": "Made up, dB",
    "ceiling_db": "Ceiling, {unit}",
    "depth_db": "Depth, dB",
}
CHOICES: dict[str, tuple[tuple[Any, str], ...]] = {
    "slope_db_per_octave": ((6, "6"), (12, "12"), (18, "18"), (24, "24")),
    "detector": (("peak", "highest sample"), ("rms", "rms")),
}
EMPTY = {"key_low_hz": "none", "key_high_hz": "none"}
SHAPES = (("bell", "bell"), ("low-shelf", "low shelf"), ("high-shelf", "high shelf"))


class QuietForms:
    """Opens the forms and file dialogs over a window.

    Args:
        say: puts one line into the status line.
    """

    def __init__(self, window: QWidget, model: QuietModel, say: Callable[[str], object]) -> None:
        self.window, self.model, self.say = window, model, say

    def do(self, action: str) -> None:
        """What a button asks for."""
        if action == "edit gate" and self.model.gate is not None:
            self._edit_on_screen(self.model.gate)
        elif action == "save gated":
            self._save_gated()
        elif action == "save preset":
            self._save_preset()
        elif action == "load preset":
            self._load_preset()

    # values

    def _edit_on_screen(self, gate: Gate) -> None:
        """The gate on screen, in the levels of the take."""
        self._form(
            "The gate on screen",
            gate,
            "dBFS",
            lambda row: self.model.set_gate(row) if isinstance(row, Gate) else None,
        )

    def edit(self, strip: StripPlace, row: Processing, *, new: bool = False) -> None:
        """A processor of a strip, in the levels of the strip."""

        def take(changed: Processing) -> None:
            if isinstance(changed, Gate):
                changed = changed.model_copy(update={"set_at_gain_db": strip.gain_db})
            if new:
                self.model.set_chain(strip, put_in(strip.chain, changed), f"{NAMES[row.sort]} in {strip.name}")
            else:
                self.model.replace(strip, row, changed)

        self._form(f"{NAMES[row.sort].capitalize()} in {strip.name}", row, strip.unit, take)

    def _form(self, title: str, row: Processing, unit: str, take: Callable[[Processing], object]) -> None:
        if isinstance(row, Equaliser):
            self._bands(title, row, take)
            return
        fields = []
        for name, value in row:
            if name in ("sort", "set_at_gain_db"):
                continue
            label = LABELS[name].format(unit=unit)
            if name in CHOICES:
                fields.append(Field(name, label, "choice", value, CHOICES[name]))
            elif isinstance(value, bool):
                fields.append(Field(name, label, "check", value))
            else:
                fields.append(Field(name, label, "number", value, empty=EMPTY.get(name, "")))
        Form(title, tuple(fields), lambda values: _done(take(row.with_(**values))), self.window).exec()

    def _bands(self, title: str, row: Equaliser, take: Callable[[Processing], object]) -> None:
        fields = [Field("on", "On", "check", row.on)]
        bands = (*row.bands, *(Band() for _ in range(4 - len(row.bands))))
        for n, band in enumerate(bands, start=1):
            fields += [
                Field(f"shape {n}", f"Band {n}, shape", "choice", band.shape, SHAPES),
                Field(f"centre {n}", f"Band {n}, Hz", "number", band.centre_hz),
                Field(f"gain {n}", f"Band {n}, dB", "number", band.gain_db, tip="0 dB: the band does nothing."),
                Field(f"q {n}", f"Band {n}, Q", "number", band.q),
            ]

        def done(values: dict[str, Any]) -> None:
            made = tuple(
                Band(
                    shape=values[f"shape {n}"],
                    centre_hz=values[f"centre {n}"],
                    gain_db=values[f"gain {n}"],
                    q=values[f"q {n}"],
                )
                for n in range(1, 5)
            )
            _done(take(Equaliser(on=values["on"], bands=made)))

        Form(title, tuple(fields), done, self.window).exec()

    # files

    def _folder(self) -> str:
        return str(self.model.folder or Path.home())

    def _gated(self) -> tuple[FileTake, Study, Gate] | None:
        """The take and the gate that is shown on it; None where there is none of them."""
        heard, shown = self.model.heard, self.model.shown()
        if heard is None or heard.source is None or heard.study is None or shown is None or shown[3].gate is None:
            self.say("There is no gated take to be saved.")
            return None
        return heard.source, heard.study, shown[3].gate

    def _save_gated(self) -> None:
        gated = self._gated()
        if gated is None:
            return
        names = " ".join(f"*{ending}" for ending in FORMATS)
        given = f"{self._folder()}/{gated[0].path.stem}-gated.wav"
        name, _ = QFileDialog.getSaveFileName(self.window, "Save the gated take", given, f"Recordings ({names})")
        if name:
            self.save_gated(Path(name))

    def save_gated(self, path: Path) -> None:
        """Writes the take behind low cut and gate."""
        gated = self._gated()
        if gated is None:
            return
        source, found, gate = gated
        if path.exists() and path.samefile(source.path):
            self.say(f"{path.name} is the take itself; choose another name.")
            return
        try:
            sound = excerpt(source, 0, source.frames / source.sample_rate_hz, found.channel)
            before = (found.low_cut,) if found.low_cut else ()
            done = run_chain(sound, (*before, gate), source.sample_rate_hz)
            write_audio(path, done, source.sample_rate_hz, about=f"gated: {source.name}")
        except (FileProblem, ValueError) as problem:
            self.say(str(problem))
        else:
            self.say(f"Written: {path}")

    def _save_preset(self) -> None:
        strip = self.model.strip("gate")
        name = self.model.document.analysis.party_name(self.model.voice)
        if strip is None:
            self.say(f"{name} passes no strip.")
            return
        given = f"{self._folder()}/{self.model.voice}-strip.txt"
        path, _ = QFileDialog.getSaveFileName(self.window, "Save as plain text", given, "Plain text (*.txt)")
        if path:
            self.save_preset(Path(path))

    def save_preset(self, path: Path) -> None:
        """Writes the strip's chain; while the gate on screen is not in the show, with that gate in it."""
        strip, model = self.model.strip("gate"), self.model
        if strip is None:
            return
        chain, unit, at = strip.chain, strip.unit, strip.name
        if model.gate is not None and not model.in_show():
            try:
                chain = put_in(chain, moved(model.gate, model.step(strip).value))
            except ValueError:
                chain, unit, at = put_in((), model.gate), "dBFS", "where the take was recorded"
        try:
            write_text(
                path,
                preset_text(chain, name=model.document.analysis.party_name(model.voice), at=at, unit=unit),
            )
        except FileProblem as problem:
            self.say(str(problem))
        else:
            self.say(f"Written: {path}")

    def _load_preset(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Read from plain text", self._folder(), "Plain text (*.txt);;All files (*)"
        )
        if path:
            self.load_preset(Path(path))

    def load_preset(self, path: Path) -> None:
        """Puts the processors of a text into the strip, each instead of the one of its sort."""
        strip = self.model.strip("gate")
        if strip is None:
            self.say("This voice passes no strip.")
            return
        try:
            rows, unit = open_preset(path)
        except FileProblem as problem:
            self.say(str(problem))
            return
        chain = strip.chain
        for row in rows:
            if unit != strip.unit:
                try:
                    row = moved(row, self.model.step(strip).value)
                except ValueError as error:
                    self.say(f"{error}.")
                    return
            chain = put_in(chain, row)
        self.model.set_chain(strip, chain, f"settings of {path.name}")
        carried = "" if unit == strip.unit else f", thresholds carried over from {unit} to {strip.unit}"
        self.say(f"{len(rows)} put into {strip.name}{carried}. Ctrl+Z takes it back.")


def _done(_result: object) -> None:
    """A form's taker gives nothing."""
