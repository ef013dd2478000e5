"""Several takes of one voice compared: measured one after another in a worker, ranked in a dialog."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFileDialog, QVBoxLayout, QWidget

from kymaphon.app.filing import Filing
from kymaphon.app.progress import LongWork, WorkDesk
from kymaphon.app.takes import AUDIO_SUFFIXES
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.why import label
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.takes.compare import Compared, Comparison, compare
from kymaphon.core.takes.measure import TakeMeasure
from kymaphon.core.words import counted
from kymaphon.files.audio import Cancelled, measure_take
from kymaphon.files.errors import FileProblem

HEADINGS = ("Take", "Noise re speech", "Give or take", "Speech", "Noise", "To be equal")
HELP = (
    "Which recording",
    "Noise in its pauses against its speech: the lower the better",
    "Twice the standard uncertainty of that, about 95 %",
    "Active speech level, ITU-T P.56",
    "Noise in the pauses",
    "Gain that brings its speech to that of the first take",
)


class CompareWork(LongWork):
    """Measures some recordings and compares them."""

    def __init__(self, paths: list[Path]) -> None:
        super().__init__()
        self.paths = paths

    def run(self) -> None:
        rows: list[tuple[str, TakeMeasure]] = []
        try:
            for path in self.paths:
                rows.append((path.name, measure_take(path, progress=partial(self._of_one, len(rows)))))
            self.signals.done.emit(compare(rows))
        except Cancelled:
            self.signals.failed.emit("")
        except (FileProblem, ValueError) as problem:
            self.signals.failed.emit(str(problem))

    def _of_one(self, before: int, part: float) -> bool:
        return self.step((before + part) / len(self.paths))


class CompareDialog(QDialog):
    """Takes, the least noise against speech first, with what may be said of them."""

    def __init__(self, comparison: Comparison, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Takes compared")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(label("Takes compared at one speech level", "title"))
        self.verdict = label(comparison.verdict)
        column.addWidget(self.verdict)
        self.table = RowTable(theme, "Takes", "The least noise against speech first.")
        self.table.set_rows(HEADINGS, HELP, tuple(_row(take) for take in comparison.takes))
        self.table.setMinimumSize(720, self.table.fitting_height())
        column.addWidget(self.table, 1)
        for text in sorted({note for take in comparison.takes for note in take.notes}):
            column.addWidget(label(text[:1].upper() + text[1:] + ".", "muted"))
        hint = "A difference is called real when it is larger than twice its standard uncertainty (JCGM 100). Longer takes are surer."
        column.addWidget(label(hint, "muted"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)


def _row(take: Compared) -> Row:
    return Row(
        ("take", take.name),
        (
            take.name,
            show_number(take.noise_re_speech_db, "dB"),
            show_number(number("coverage") * take.u_db, "dB"),
            show_number(take.speech_dbfs, "dBFS"),
            show_number(take.noise_dbfs, "dBFS"),
            show_number(take.equal_gain_db, "dB", sign=True),
        ),
    )


class CompareDesk(WorkDesk):
    """Asks for recordings, measures them, shows how they compare."""

    def __init__(self, window: QWidget, filing: Filing, theme: Theme) -> None:
        super().__init__(window, self.done, self.failed)
        self.filing, self.theme = filing, theme

    def ask(self) -> None:
        """Asks for two recordings or more."""
        names = " ".join(f"*{suffix}" for suffix in AUDIO_SUFFIXES)
        files, _ = QFileDialog.getOpenFileNames(
            self.window,
            "Compare takes of one voice",
            str(self.filing.folder()),
            f"Recordings ({names});;All files (*)",
        )
        if files:
            self.compare([Path(name) for name in files])

    def compare(self, paths: list[Path]) -> None:
        """Measures in a worker thread, with progress; then shows the comparison."""
        self.start(CompareWork(paths), f"Measuring {counted(len(paths), 'take')}")

    def done(self, work: LongWork, result: object) -> None:
        """Shows what was measured."""
        if isinstance(result, Comparison):
            CompareDialog(result, self.theme, self.window).exec()

    def failed(self, text: str) -> None:
        """Tells what went wrong."""
        if text:
            self.filing.problem("The takes were not compared", text)
        else:
            self.filing.say("Comparing was stopped.")
