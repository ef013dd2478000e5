"""Measuring a recording in a worker thread, and attaching it to a voice."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.document import Document
from kymaphon.app.filing import Filing
from kymaphon.app.progress import LongWork, WorkDesk
from kymaphon.app.widgets.choice import Choice
from kymaphon.app.widgets.why import label
from kymaphon.core.analysis import Analysis
from kymaphon.core.derive import show_number
from kymaphon.core.edits import AttachTake, DetachTake
from kymaphon.core.figures import number
from kymaphon.core.scales import take_against
from kymaphon.core.take.measure import TakeMeasure
from kymaphon.core.takes import room_tone_take
from kymaphon.files.audio import Cancelled, fingerprint, measure_take
from kymaphon.files.errors import FileProblem

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


class TakeDialog(QDialog):
    """What was measured, and whose room tone it is."""

    def __init__(
        self, path: Path, measure: TakeMeasure, analysis: Analysis, voice: str, parent: QWidget | None = None
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
            ("Format", f"{measure.sample_rate_hz} Hz, {measure.channels} channel{'s' if measure.channels > 1 else ''}, {measure.duration_s:.1f} s"),
            *((name[:1].upper() + name[1:], "\u2013" if value is None else show_number(value, unit)) for name, value, unit in measure.table()),
            ("Clipped runs", str(measure.clipped_runs)),
        )  # fmt: skip
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
        self.voices = Choice()
        self.voices.setAccessibleName("Whose microphone recorded this room tone")
        for party in analysis.voices:
            if any(
                device.party == party.id and analysis.catalogue[device.kind].group == "microphone"
                for device in analysis.show.devices
            ):
                self.voices.addItem(f"Room tone through {party.name}'s microphone", party.id)
        self.voices.setCurrentIndex(max(self.voices.findData(voice), 0))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        if measure.noise_floor_dbfs is not None and self.voices.count():
            column.addSpacing(4)
            column.addWidget(self.voices)
            text = "Its noise floor then replaces the assumed room in the ladder, worked back through the gains as they stand now, with the other channels shut."
            hint = label(text, "muted")
            hint.setMinimumWidth(420)
            column.addWidget(hint)
            attach = buttons.addButton("Attach", QDialogButtonBox.ButtonRole.AcceptRole)
            attach.setProperty("role", "primary")
            attach.setDefault(True)
            attach.setToolTip("Adds this take to the show. Can be undone.")
            buttons.accepted.connect(self.accept)
        column.addWidget(buttons)

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

    def ask_take(self) -> None:
        """Asks for a recording and measures it."""
        names = " ".join(f"*{suffix}" for suffix in AUDIO_SUFFIXES)
        name, _ = QFileDialog.getOpenFileName(
            self.window,
            "Measure a recording",
            str(self.filing.folder()),
            f"Recordings ({names});;All files (*)",
        )
        if name:
            self.measure(Path(name))

    def measure(self, path: Path) -> None:
        """Measures a recording in a worker thread, with progress; then offers to attach it."""
        self.start(MeasureWork(path), f"Measuring {path.name}")

    def done(self, work: LongWork, result: object) -> None:
        """Shows what was measured."""
        if not isinstance(work, MeasureWork) or not isinstance(result, tuple):
            return
        measure, sha256 = result
        dialog = TakeDialog(work.path, measure, self.document.analysis, self.voice(), self.window)
        if dialog.exec() and measure.noise_floor_dbfs is not None:
            self.attach(work.path, measure.noise_floor_dbfs, dialog.voice, sha256)

    def failed(self, text: str) -> None:
        """Tells what went wrong."""
        if text:
            self.filing.problem("The recording was not measured", text)
        else:
            self.filing.say("Measuring was stopped; nothing was changed.")

    def attach(self, path: Path, noise_dbfs: float, voice: str, sha256: str | None = None) -> None:
        """Attaches a room tone to a voice."""
        file = str(path)
        if self.document.path is not None and path.is_relative_to(self.document.path.parent):
            file = str(path.relative_to(self.document.path.parent))
        try:
            take = room_tone_take(
                self.document.analysis.any_ladder(voice),
                voice,
                take_id=f"room-tone-{voice}",
                file=file,
                noise_dbfs=noise_dbfs,
                sha256=sha256,
            )
        except ValueError as error:
            self.filing.problem("The take was not attached", str(error))
            return
        self.document.apply((AttachTake(take),), f"room tone of {self.document.analysis.party_name(voice)}")

    def fill_detach(self, menu: QMenu) -> None:
        """The takes that can be taken off the show."""
        menu.clear()
        for take in self.document.show.takes:
            row = menu.addAction(take.id)
            row.setStatusTip(
                f"Takes {take.file} off the show; the recording stays where it is. Can be undone."
            )
            row.triggered.connect(
                lambda _checked=False, take=take: self.document.apply(
                    (DetachTake(take.id),), f"detached {take.id}"
                )
            )
        if menu.isEmpty():
            menu.addAction("None attached").setEnabled(False)
