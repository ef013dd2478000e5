"""Measuring a recording in a worker thread, and attaching it to a voice."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QRunnable, Signal
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QVBoxLayout, QWidget

from kymaphon.app.widgets.choice import Choice
from kymaphon.app.widgets.why import label
from kymaphon.core.analysis import Analysis
from kymaphon.core.derive import show_number
from kymaphon.core.take.measure import TakeMeasure
from kymaphon.files.audio import Cancelled, fingerprint, measure_take
from kymaphon.files.errors import FileProblem

AUDIO_SUFFIXES = (".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff", ".w64", ".rf64", ".opus")


class MeasureSignals(QObject):
    """What a measuring tells: part done, the measure with the file's fingerprint, or what went wrong."""

    progress = Signal(float)
    done = Signal(object, str)
    failed = Signal(str)


class MeasureWork(QRunnable):
    """Measures one recording. Set `stop` to end it."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self.path = path
        self.signals = MeasureSignals()
        self.stop = False

    def run(self) -> None:
        try:
            measure = measure_take(self.path, progress=self._step)
            self.signals.done.emit(measure, fingerprint(self.path))
        except FileProblem as problem:
            self.signals.failed.emit(str(problem))
        except Cancelled:
            self.signals.failed.emit("")

    def _step(self, part: float) -> bool:
        self.signals.progress.emit(part)
        return not self.stop


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
            ("Peak", _level(measure.peak_dbfs)),
            ("Average, rms", _level(measure.rms_dbfs)),
            ("Noise floor, quietest half second", _level(measure.noise_floor_dbfs)),
            ("Clipped runs", str(measure.clipped_runs)),
        )  # fmt: skip
        for name, text in rows:
            form.addRow(label(name, "muted", wrap=False), label(text, wrap=False))
        column.addLayout(form)
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


def _level(value: float | None) -> str:
    return "\u2013" if value is None else show_number(value, "dBFS")
