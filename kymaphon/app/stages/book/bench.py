"""What the views of Book share: what is remembered, read in a worker, and what it proposes for the show. Draws nothing."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import cast

from PySide6.QtCore import QObject, Signal

from kymaphon.app.document import Document
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.report import Report
from kymaphon.core.book.facts import Fact, Proposal, proposals
from kymaphon.files.errors import FileProblem
from kymaphon.files.memory import Memory, RememberedShow

Change = tuple[Callable[[Memory], object], Callable[[object], str]]
Read = tuple[list[Fact], list[RememberedShow], tuple[Proposal, ...], str]


class BookBench(QObject):
    """The memory as it was read last.

    Signals:
        changed: it was read anew.

    Attributes:
        facts, shows: what is in it; `proposals` what of it fits the show that is open.
        problem: why it cannot be read; empty where it can.
    """

    changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.facts: list[Fact] = []
        self.shows: list[RememberedShow] = []
        self.proposals: tuple[Proposal, ...] = ()
        self.problem = ""
        self._due: deque[Change] = deque()
        self._worker = Worker(
            self, lambda _about, result: self._arrived(result), lambda error: document.trouble.emit(str(error))
        )

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def read(self) -> None:
        """Reads the memory, and looks what of it fits."""
        report = self.document.settled
        if not report.unsearched or self._due:
            self._worker.ask(lambda: self._done(report), report)

    def _arrived(self, result: object) -> None:
        self.facts, self.shows, self.proposals, self.problem = cast(Read, result)
        self.changed.emit()

    def change(self, do: Callable[[Memory], object], said: Callable[[object], str]) -> None:
        """Changes the memory, in a worker, and reads it anew.

        Args:
            do: what is done; may raise FileProblem, KeyError or ValueError.
            said: from what it gave to what is told.
        """
        self._due.append((do, said))
        self.read()

    def _done(self, report: Report) -> Read:
        """In the worker: every change that is due, in order, and what the memory has then. The worker does the newest thing it was asked,
        so that changes wait here, where none is passed over.
        """
        memory = Memory()
        while self._due:
            do, said = self._due.popleft()
            try:
                told = said(do(memory))
            except (FileProblem, KeyError, ValueError) as problem:
                told = str(problem)
            self.document.trouble.emit(told)
        try:
            facts, shows = memory.facts(), memory.shows()
        except FileProblem as problem:
            return [], [], (), str(problem)
        return facts, shows, proposals(report, facts) if not report.unsearched else (), ""
