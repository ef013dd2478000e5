"""Measuring a recording in a worker thread, and attaching it to a voice."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.document import Document
from kymaphon.app.filing import Filing
from kymaphon.app.progress import LongWork, WorkDesk
from kymaphon.app.state import takes_folder
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.why import label
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.model.edits import AttachTake, DetachTake
from kymaphon.core.model.scales import take_against
from kymaphon.core.model.show import Take
from kymaphon.core.takes.attaching import first_gain, free_id, room_tone_take, voice_take
from kymaphon.core.takes.measure import TakeMeasure
from kymaphon.files.audio import Cancelled, fingerprint, measure_take
from kymaphon.files.capture import CaptureProblem, CaptureStopped, capture
from kymaphon.files.demo import demo_path
from kymaphon.files.errors import FileProblem
from kymaphon.files.takes import FORMATS, convert, read_bext, write_audio
from kymaphon.sim.rig import SimulatedRig

ROOM_S, TALK_S = 10.0, 30.0
LEAST_S = 0.5
WHATS = (
    ("voice", "talk"),
    ("room-tone", "the room, nobody speaking"),
    ("speakers", "loudspeakers, as this microphone hears them"),
    ("music", "music, as its player gives it"),
)
HINTS = {
    "voice": "Quiet then finds this voice's gate from it. Tell people before you record them.",
    "room-tone": "Its noise floor then replaces the assumed room in the ladder, worked back through "
    "the gains as they stand now, with the other channels shut; Quiet takes it for the room.",
    "speakers": "Quiet then tells how loud the loudspeakers may be with this microphone open.",
    "music": "Quiet then tells how far it has to go down under a voice.",
}
AUDIO_SUFFIXES = (".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff", ".w64", ".rf64", ".opus")


class MeasureWork(LongWork):
    """Measures one recording. Gives its measure and the file's fingerprint."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self.path = path

    def run(self) -> None:
        try:
            measure = measure_take(self.path, progress=self.step)
            self.signals.done.emit((measure, fingerprint(self.path)))
        except FileProblem as problem:
            self.signals.failed.emit(str(problem))
        except Cancelled:
            self.signals.failed.emit("")


class RecordWork(LongWork):
    """Records one take. Gives its path, what was measured of it, and the file's fingerprint."""

    def __init__(self, analysis: Report, voice: str, node: str, what: str, path: Path, *, real: bool) -> None:
        super().__init__()
        self.analysis, self.voice, self.node, self.what, self.path, self.real = (
            analysis,
            voice,
            node,
            what,
            path,
            real,
        )

    def run(self) -> None:
        try:
            seconds = ROOM_S if self.what == "room-tone" else TALK_S
            rate = self.analysis.show.sample_rate_hz
            if self.real:
                samples = capture(seconds, rate, progress=self.step)[:, 0]
            else:
                rig = SimulatedRig(rate)
                sound = rig.play(self.analysis, self.voice, self.node, seconds=seconds, silent=self.what == "room-tone")
                samples = sound.astype(np.float32)
                if not self.step(0.6):
                    raise Cancelled
            write_audio(self.path, samples, rate, about=f"{self.analysis.party_name(self.voice)}, {self.what}")
            measure = measure_take(self.path)
            self.signals.done.emit((self.path, measure, fingerprint(self.path)))
        except (FileProblem, CaptureProblem, ValueError) as problem:
            self.signals.failed.emit(str(problem))
        except (Cancelled, CaptureStopped):
            self.signals.failed.emit("")


class ConvertWork(LongWork):
    """Writes a recording in another format. Gives the new file's path."""

    def __init__(self, source: Path, target: Path) -> None:
        super().__init__()
        self.source, self.target = source, target

    def run(self) -> None:
        try:
            convert(self.source, self.target, progress=self.step)
            self.signals.done.emit(self.target)
        except FileProblem as problem:
            self.signals.failed.emit(str(problem))
        except Cancelled:
            self.signals.failed.emit("")


class TakeDialog(QDialog):
    """What was measured, what it is, and in whose channel it was recorded."""

    def __init__(
        self, path: Path, measure: TakeMeasure, analysis: Report, voice: str, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(path.name)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(label(path.name, "title"))
        form = QFormLayout()
        form.setHorizontalSpacing(24)
        rows = (
            (
                "Format",
                f"{measure.sample_rate_hz} Hz, {measure.channels} channel{'s' if measure.channels > 1 else ''}, {measure.duration_s:.1f} s",
            ),
            *(
                (name[:1].upper() + name[1:], "\u2013" if value is None else show_number(value, unit))
                for name, value, unit in measure.table()
            ),
            ("Clipped runs", str(measure.clipped_runs)),
        )
        for name, text in rows:
            form.addRow(label(name, "muted", wrap=False), label(text, wrap=False))
        column.addLayout(form)
        if measure.speech_dbfs is not None:
            off = take_against(analysis.show, measure.speech_dbfs).value
            way = "over" if off > 0 else "under"
            column.addWidget(
                label(
                    f"Speech is {abs(off):.1f} dB {way} the mark of digital points."
                    if abs(off) >= number("level-learnt")
                    else "Speech is on the mark of digital points."
                )
            )
        for note in measure.notes:
            column.addWidget(label(note[:1].upper() + note[1:] + "."))
        self.what = ChoiceBox()
        self.what.setAccessibleName("What this recording is")
        for what, words in WHATS:
            self.what.addItem(words, what)
        self.what.setCurrentIndex(0 if measure.speech_dbfs is not None else 1)
        self.voices = ChoiceBox()
        self.voices.setAccessibleName("Whose channel it was recorded in")
        self._with_microphone = [
            party
            for party in analysis.voices
            if any(
                device.party == party.id and analysis.catalogue[device.kind].is_microphone
                for device in analysis.show.devices
            )
        ]
        self._players = [party for party in analysis.voices if party.kind == "player"]
        self._floor = measure.noise_floor_dbfs
        self.hint = label("", "muted")
        self.hint.setMinimumWidth(420)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        self._attach: QPushButton | None = None
        told = measure.frames > 0 and measure.peak_dbfs is not None and measure.duration_s >= LEAST_S
        if told and (self._with_microphone or self._players):
            column.addSpacing(4)
            row = QFormLayout()
            row.addRow(label("This is", "muted", wrap=False), self.what)
            row.addRow(label("of", "muted", wrap=False), self.voices)
            column.addLayout(row)
            column.addWidget(self.hint)
            self._attach = buttons.addButton("Attach", QDialogButtonBox.ButtonRole.AcceptRole)
            self._attach.setProperty("role", "primary")
            self._attach.setDefault(True)
            self._attach.setToolTip("Adds this take to the show. Can be undone.")
            buttons.accepted.connect(self.accept)
            self.what.currentIndexChanged.connect(lambda _index: self._fill(voice))
            self._fill(voice)
        column.addWidget(buttons)

    def _fill(self, voice: str) -> None:
        """Whose it can be, by what it is."""
        chosen = self.voices.currentData() or voice
        what = self.sort
        self.voices.clear()
        for party in self._players if what == "music" else self._with_microphone:
            self.voices.addItem(party.name, party.id)
        self.voices.setCurrentIndex(max(self.voices.findData(chosen), 0))
        self.hint.setText(HINTS[what])
        if self._attach is not None:
            usable = self.voices.count() > 0 and (what != "room-tone" or self._floor is not None)
            self._attach.setEnabled(usable)
            if what == "room-tone" and self._floor is None:
                self.hint.setText("No noise floor can be told of it, so it cannot be a room; the notes above say why.")

    @property
    def sort(self) -> str:
        """What the recording is said to be: a key of `HINTS`."""
        return str(self.what.currentData())

    @property
    def voice(self) -> str:
        """The chosen voice."""
        return str(self.voices.currentData())


class TakeDesk(WorkDesk):
    """Measures recordings for one window and attaches them to the show.

    Args:
        voice: tells whose voice is on screen, to be offered first.
    """

    def __init__(self, window: QWidget, document: Document, filing: Filing, voice: Callable[[], str]) -> None:
        super().__init__(window, self.done, self.failed)
        self.document, self.filing, self.voice = document, filing, voice
        self._waiting: list[Path] = []

    def ask_take(self) -> None:
        """Asks for recordings and measures them."""
        names = " ".join(f"*{suffix}" for suffix in AUDIO_SUFFIXES)
        names_, _ = QFileDialog.getOpenFileNames(
            self.window,
            "Measure recordings",
            str(self.filing.folder()),
            f"Recordings ({names});;All files (*)",
        )
        self.measure(*(Path(name) for name in names_))

    def measure(self, *paths: Path) -> None:
        """Measures recordings in a worker thread, with progress; then offers to attach each, one after the other."""
        self._waiting = list(paths[1:])
        if paths:
            self.start(MeasureWork(paths[0]), f"Measuring {paths[0].name}")

    def _next(self) -> None:
        if self._waiting:
            self.measure(*self._waiting)

    def done(self, work: LongWork, result: object) -> None:
        """Shows what was measured, or attaches what was recorded."""
        if isinstance(work, RecordWork) and isinstance(result, tuple):
            path, measure, sha256 = result
            if self.attach(path, measure, work.voice, sha256, what=work.what):
                self.filing.say(f"Recorded and attached: {path}")
            return
        if isinstance(work, ConvertWork):
            self.filing.say(f"Written: {work.target}")
            return
        if not isinstance(work, MeasureWork) or not isinstance(result, tuple):
            return
        measure, sha256 = result
        dialog = TakeDialog(work.path, measure, self.document.analysis, self.voice(), self.window)
        if dialog.exec():
            self.attach(work.path, measure, dialog.voice, sha256, what=dialog.sort)
        self._next()

    def failed(self, text: str) -> None:
        """Tells what went wrong."""
        if text:
            self.filing.problem("That did not work", text)
        else:
            self.filing.say("Stopped; nothing was changed.")
        self._next()

    def attach(
        self,
        path: Path,
        measure: TakeMeasure | None,
        voice: str,
        sha256: str | None = None,
        *,
        what: str = "room-tone",
    ) -> bool:
        """Attaches a take to a voice; tells why where it cannot."""
        file = str(path)
        folder = self.document.path.parent if self.document.path is not None else None
        if folder is not None and path.is_relative_to(folder):
            file = str(path.relative_to(folder))
        analysis = self.document.analysis
        name = analysis.party_name(voice)
        at = read_bext(path)[0] or datetime.fromtimestamp(path.stat().st_mtime).astimezone()
        ladder, gain = analysis.any_ladder(voice), first_gain(analysis, voice)
        try:
            if what == "room-tone":
                if measure is None or measure.noise_floor_dbfs is None:
                    raise ValueError("no noise floor can be told of it")
                take = room_tone_take(
                    ladder,
                    voice,
                    take_id=f"room-tone-{voice}"[:64],
                    file=file,
                    noise_dbfs=measure.noise_floor_dbfs,
                    noise_a_dbfs=measure.noise_floor_a_dbfs,
                    sha256=sha256,
                    recorded_at=at,
                    gain_db=gain,
                )
            else:
                # What a player plays begins at its loudness; a microphone's take says nothing of that.
                party = analysis.show.party(voice)
                played = measure.integrated_lufs if measure is not None and party.plays_on else None
                take_id = free_id(analysis.show, f"{'talk' if what == 'voice' else 'music'}-{voice}")
                take = voice_take(
                    ladder,
                    voice,
                    take_id=take_id,
                    file=file,
                    what="voice" if what == "voice" else "music",
                    sha256=sha256,
                    recorded_at=at,
                    gain_db=gain,
                    loudness_lufs=played,
                )
        except ValueError as error:
            self.filing.problem("The take was not attached", str(error))
            return False
        words = {"room-tone": f"room tone of {name}", "voice": f"talk of {name}"}.get(what, f"music at {name}")
        self.document.apply((AttachTake(take),), words)
        self.filing.say(f"Attached: {words}, {path.name}. Ctrl+Z takes it off again.")
        return True

    def ask_convert(self) -> None:
        """Asks for a recording and for the file to write it to; the ending tells the format."""
        names = " ".join(f"*{suffix}" for suffix in AUDIO_SUFFIXES)
        source, _ = QFileDialog.getOpenFileName(
            self.window, "Which recording", str(self.filing.folder()), f"Recordings ({names});;All files (*)"
        )
        if not source:
            return
        endings = " ".join(f"*{ending}" for ending in FORMATS)
        target, _ = QFileDialog.getSaveFileName(
            self.window, "Save it as", str(Path(source).with_suffix(".flac")), f"Recordings ({endings})"
        )
        if target:
            self.convert(Path(source), Path(target))

    def convert(self, source: Path, target: Path) -> None:
        """Writes a recording in another format, in a worker thread, with progress."""
        self._waiting = []
        self.start(ConvertWork(source, target), f"Writing {target.name}")

    # recording

    def record(self, voice: str, what: str, *, real: bool = False) -> None:
        """Records a voice's channel on the simulated rig, or from a real input; then attaches it."""
        analysis = self.document.analysis
        if not voice:
            self.filing.say("Choose a voice first.")
            return
        ladder = analysis.any_ladder(voice)
        node = next((rung.node for rung in ladder.rungs if rung.unit == "dBFS"), None) if ladder is not None else None
        name = analysis.party_name(voice)
        if node is None:
            self.filing.say(f"{name} reaches no digital point; plug the microphone in first.")
            return
        if real:
            from kymaphon.files.capture import CaptureProblem, input_names

            try:
                input_names()
            except CaptureProblem as problem:
                self.filing.problem("Nothing can be recorded here", str(problem))
                return
        try:
            folder = self._folder()
        except FileProblem as problem:
            self.filing.problem("The take cannot be recorded", str(problem))
            return
        stamp = datetime.now().astimezone()
        path = folder / f"{voice}-{'room' if what == 'room-tone' else 'talk'}-{stamp:%Y%m%d-%H%M%S}.wav"
        words = f"Recording {'the room in ' if what == 'room-tone' else ''}{name}'s channel"
        self.start(RecordWork(analysis, voice, node, what, path, real=real), words)

    def _folder(self) -> Path:
        """Beside the show; for a show without a place of its own, or the demo, among the program's own files."""
        path = self.document.path
        if path is None or path.parent == demo_path().parent:
            return takes_folder()
        return path.parent

    def _what(self, take: Take) -> str:
        """What a take is, as a menu says it."""
        show = self.document.show
        name = next((row.name for row in show.parties if row.id == take.voice), "")
        words = {"voice": "Talk of", "room-tone": "Room tone of", "music": "Music at"}.get(take.what, "Recording of")
        return f"{words} {name}" if name else take.id

    def _detach(self, take: Take) -> None:
        what = self._what(take)
        self.document.apply((DetachTake(take.id),), f"Detach {what[:1].lower()}{what[1:]}")
        self.filing.say(f"{what} is off the show; the recording stays where it is. Ctrl+Z attaches it again.")

    def fill_detach(self, menu: QMenu) -> None:
        """The takes that can be taken off the show."""
        menu.clear()
        for take in self.document.show.takes:
            row = menu.addAction(f"{self._what(take)}, {Path(take.file).name}")
            row.setStatusTip(f"Takes {take.file} off the show; the recording stays where it is. Can be undone.")
            row.triggered.connect(lambda _checked=False, take=take: self._detach(take))
        if menu.isEmpty():
            menu.addAction("None attached").setEnabled(False)
