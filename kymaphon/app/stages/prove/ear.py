"""What the views Faults and Questions share: recordings that were listened to, and answers. Draws nothing."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import cast

from PySide6.QtCore import QObject, Signal

from kymaphon.app.document import Document
from kymaphon.app.worker import Worker
from kymaphon.core.prove.questions import Standing
from kymaphon.core.takes.faults.finder import in_common
from kymaphon.core.takes.faults.kinds import SoundFault, name_of
from kymaphon.core.takes.measure import TakeMeasure
from kymaphon.files.audio import faults_of, measure_take
from kymaphon.files.errors import FileProblem
from kymaphon.files.take_places import take_path, there


@dataclass(frozen=True)
class Heard:
    """A recording that was listened to; `problem` says why it could not be."""

    measured: TakeMeasure | None = None
    faults: tuple[SoundFault, ...] = ()
    problem: str = ""


def listen(path: Path) -> Heard:
    """Measures a recording and listens for what is wrong with it."""
    try:
        measured = measure_take(path)
        return Heard(measured, faults_of(path, measured))
    except (FileProblem, ValueError) as problem:
        return Heard(problem=str(problem))


class FaultEar(QObject):
    """Recordings of the show and others, listened to in a worker; and what was answered.

    Signals:
        changed: another recording, another answer, or something was heard.
    """

    changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.path: Path | None = None
        self.others: list[Path] = []
        self.answers: dict[str, str] = {}
        self.about = ""
        """The fault of the recording that is asked about; empty for all that are in it."""
        self._key: tuple[Path, int] | None = None
        """The chosen recording as it was when it was chosen: it may be written anew, or go, while it is listened to."""
        self._heard: dict[tuple[Path, int], Heard] = {}
        self._worker = Worker(self, self._arrived, self._failed)
        document.exchanged.connect(self._another_show)

    @property
    def busy(self) -> bool:
        """Whether a recording is being listened to."""
        return self._worker.busy

    # recordings

    @property
    def recordings(self) -> tuple[tuple[Path, str], ...]:
        """Takes of the show that are there, and what was opened besides; each with its words."""
        report = self.document.analysis
        folder = self.document.path.parent if self.document.path is not None else None
        rows: dict[Path, str] = {}
        for take in report.show.takes:
            path = take_path(take, folder)
            if there(path):
                whose = f"{report.party_name(take.voice)}: " if take.voice else ""
                rows.setdefault(path, f"{whose}{path.name}")
        for path in self.others:
            rows.setdefault(path, path.name)
        return tuple(rows.items())

    def _another_show(self) -> None:
        """A take of the show that was open, and what was asked about its rig, are not of this one."""
        self.answers.clear()
        self.about = ""
        kept = [row for row, _ in self.recordings]
        self._heard = {key: row for key, row in self._heard.items() if key[0] in kept}
        if self.path not in kept:
            self.path, self._key = None, None
        self.changed.emit()

    def choose(self, path: Path | None) -> None:
        """Another recording, or none; it is listened to once."""
        self.path, self.about, self._key = path, "", None
        if path is not None:
            self._key = path, _version(path)
            if path not in [row for row, _ in self.recordings]:
                self.others.append(path)
            if self.heard is None:
                self._worker.ask(partial(listen, path), self._key)
        self.changed.emit()

    @property
    def heard(self) -> Heard | None:
        """What was heard of the chosen recording; None while it is listened to, and where none is chosen."""
        return self._heard.get(self._key) if self._key is not None else None

    @property
    def compared(self) -> tuple[str, ...]:
        """What all recordings that were listened to have, and what only the chosen one has, in sentences; nothing of one alone."""
        rows = [(key, row) for key, row in self._heard.items() if not row.problem]
        if len(rows) < 2 or self._key not in [key for key, _ in rows]:
            return ()
        every, alone = in_common([row.faults for _, row in rows])
        place = [key for key, _ in rows].index(self._key)
        both = "Both" if len(rows) == 2 else f"All {len(rows)}"
        shared = ", ".join(name_of(code) for code in every)
        out = [f"{both} recordings that were listened to have {shared}: look after where they meet."] if shared else []
        if place in alone:
            only = ", ".join(name_of(code) for code in alone[place])
            out.append(f"Of {len(rows)} recordings only this one has {only}: look at what is its own.")
        return tuple(out)

    def _arrived(self, about: object, result: object) -> None:
        key = cast("tuple[Path, int]", about)
        if key[0] in [row for row, _ in self.recordings]:  # else it is of a show that was open before
            self._heard[key] = cast("Heard", result)
        self.changed.emit()

    def _failed(self, error: Exception) -> None:
        if self._key is not None:
            self._heard[self._key] = Heard(problem=str(error))
        self.changed.emit()

    # answers

    @property
    def standing(self) -> Standing:
        """All that is known: answers, the recording, the show."""
        report = self.document.analysis
        heard = self.heard
        faults = heard.faults if heard is not None and not heard.problem else None
        if faults and self.about:
            faults = tuple(row for row in faults if row.code == self.about)
        return Standing(dict(self.answers), faults, report, report.findings)

    def ask_about(self, code: str) -> None:
        """One fault of several in a recording: the others have causes of their own. Empty for all of them."""
        self.about = code
        self.changed.emit()

    def answer(self, question: str, answer: str) -> None:
        """An answer; one that was given before is another now."""
        self.answers.pop(question, None)
        self.answers[question] = answer
        self.changed.emit()

    def take_back(self) -> str:
        """The last answer, no longer; the question, or nothing."""
        name = next(reversed(self.answers), "")
        self.answers.pop(name, None)
        self.changed.emit()
        return name

    def restart(self) -> None:
        """Nothing answered."""
        self.answers.clear()
        self.changed.emit()


def _version(path: Path) -> int:
    """When a file was written, so that another recording of the same name is listened to again."""
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return 0
