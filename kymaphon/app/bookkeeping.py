"""What keeps the book while shows are worked on: changes on air and takes go into the log, and what was done into the memory."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from kymaphon.app.document import Document
from kymaphon.app.worker import Worker
from kymaphon.core.air.run import run_of
from kymaphon.core.book.entries import moved
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.files.errors import FileProblem

if TYPE_CHECKING:
    from kymaphon.files.memory import Memory


REST_MS = 800
"""So long a knob rests before its change on air is logged."""


class BookKeeper(QObject):
    """Listens to a document.

    Signals:
        remembered: the show was put into the memory.
        trouble: why it was not; nothing of the show is lost by that.
    """

    remembered = Signal()
    trouble = Signal(str)

    def __init__(self, document: Document, memory: Memory | None = None) -> None:
        super().__init__()
        self.document = document
        self.memory = memory
        self._turned: tuple[Show, str] | None = None
        """How the show was before a change on air that is not logged yet, and what the change is."""
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self.flush)
        document.edited.connect(self._edited)
        document.exchanged.connect(self._forget)
        document.saved.connect(self.remember)
        document.logged.connect(self._logged)
        self._worker = Worker(
            self, lambda _about, result: self._done(result), lambda error: self.trouble.emit(str(error))
        )

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def now(self) -> datetime:
        """The clock."""
        return datetime.now(UTC)

    def _edited(self, before: Show, after: Show, text: str) -> None:
        """An edit, or one that was taken back: on air it goes into the log; takes do at any time."""
        if run_of(after.log).on_air:
            if self._turned is not None and self._turned[1] != text:
                self.flush()
            # A knob that is still being turned is one change: it is logged when it has come to rest.
            self._turned = (self._turned[0] if self._turned is not None else before, text)
            self._rest.start()
        if before.takes is not after.takes:
            known = {row.id for row in before.takes}
            for take in after.takes:
                if take.id not in known:
                    words = f"Take of {take.what}: {take.file}"
                    self.document.log(LogEntry(at=self.now(), text=words[:2000], subject=take.voice, sort="take"))

    def flush(self) -> None:
        """Logs what was changed on air and has come to rest."""
        self._rest.stop()
        if self._turned is None:
            return
        (before, text), after = self._turned, self.document.show
        self._turned = None
        sets = moved(before, after)
        if sets or before.cables != after.cables or before.devices != after.devices:
            segment = run_of(after.log).segment or None
            words = f"Changed on air: {text}"[:2000]
            self.document.log(LogEntry(at=self.now(), text=words, subject=segment, sort="change", sets=sets))

    def _forget(self) -> None:
        self._rest.stop()
        self._turned = None

    def _logged(self, entries: tuple[LogEntry, ...]) -> None:
        if any(row.air is not None and row.air.action == "end" for row in entries):
            self.remember()

    def remember(self) -> None:
        """The show as it is goes into the memory, from a worker: it was saved, or is over."""
        self.flush()
        report = self.document.settled
        if report.unsearched:
            return
        path, now = str(self.document.path or ""), self.now()

        def work() -> str:
            from kymaphon.files.memory import Memory, remember_show

            try:
                # Where it lies is looked up each time: the folder may be there by now.
                remember_show(self.memory or Memory(), report, path, now)
            except FileProblem as problem:
                return str(problem)
            return ""

        self._worker.ask(work, report)

    def _done(self, problem: object) -> None:
        if problem:
            self.trouble.emit(f"Not remembered: {problem}. The show file has all of it.")
        else:
            self.remembered.emit()
