"""The open show: edits with undo, analysis that follows, previews, autosave. Knows nothing of any view."""

from __future__ import annotations

import time
from collections.abc import Iterable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from kymaphon.app.state import Autosave, note_recent
from kymaphon.core.analyse import analyse
from kymaphon.core.analysis import Analysis
from kymaphon.core.edits import Edit, apply_all
from kymaphon.core.references import check_references
from kymaphon.core.show import Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import read_show, write_show
from kymaphon.files.takes import rehomed

AUTOSAVE_MS = 1500
WAIT_MS = 3000
QUICK_S = 0.05
"""A show whose last analysis took longer than this is computed in a worker thread the next time."""


class _ShowCommand(QUndoCommand):
    """One edit: the show before and after. Turning one knob on and on makes one command."""

    def __init__(self, document: Document, before: Show, after: Show, text: str, merge: str) -> None:
        super().__init__(text)
        self._document, self._before, self._after, self._merge = document, before, after, merge

    def redo(self) -> None:
        self._document._take_safely(self._after)

    def undo(self) -> None:
        self._document._take_safely(self._before)

    def id(self) -> int:
        return 1 if self._merge else -1

    def mergeWith(self, other: QUndoCommand) -> bool:
        if not isinstance(other, _ShowCommand) or other._merge != self._merge:
            return False
        self._after = other._after
        self.setText(other.text())
        return True


class _Answer(QObject):
    done = Signal(object, float)
    failed = Signal(object)


_ANSWERS: list[_Answer] = []
"""Kept for good: an analysis may still end when its document is gone."""


class _Work(QRunnable):
    def __init__(self, show: Show, answer: _Answer) -> None:
        super().__init__()
        self._show, self._answer = show, answer

    def run(self) -> None:
        start = time.perf_counter()
        try:
            analysis = analyse(self._show)
        except Exception as error:  # noqa: BLE001 - carried to the window's thread and raised there
            self._answer.failed.emit(error)
            return
        self._answer.done.emit(analysis, time.perf_counter() - start)


class Document(QObject):
    """The show that is open, and everything computed of it.

    `analysis` is what the views draw: that of the show, or of a preview while one is held.
    """

    analysed = Signal()
    changed = Signal()
    trouble = Signal(str)

    def __init__(self, show: Show | None = None, path: Path | None = None, *, autosave: bool = True) -> None:
        super().__init__()
        self.show = show or Show()
        self.opened = self.show
        """The show as it was opened: what the rig is taken to stand at."""
        self.path = path
        self.undo_stack = QUndoStack(self)
        self.previewing = ""
        self.analysis: Analysis = analyse(self.show)
        self._settled = self.analysis
        self._wanted = self.show
        self._working = False
        self.patience_s = QUICK_S
        self._slow = False
        self._waiting = False
        self._answer = _Answer()
        _ANSWERS.append(self._answer)
        self._answer.done.connect(self._arrived)
        self._answer.failed.connect(self._failed)
        self._autosave = Autosave() if autosave else None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AUTOSAVE_MS)
        self._timer.timeout.connect(self.keep)
        self._restored = False
        self._saved_log = len(self.show.log)

    @property
    def unsaved(self) -> bool:
        """Whether anything would be lost if the program ended now."""
        return self._restored or not self.undo_stack.isClean() or len(self.show.log) != self._saved_log

    @property
    def settled(self) -> Analysis:
        """The analysis of the show as it is, also while a preview is drawn."""
        return self._settled

    @property
    def busy(self) -> bool:
        """Whether an analysis is still on its way from a worker."""
        return self._waiting

    def apply(self, edits: Iterable[Edit], text: str, *, merge: str = "") -> None:
        """Changes the show, as one step of undo. Does nothing when nothing changes.

        Args:
            merge: steps in a row with the same word here become one.

        Raises:
            KeyError, pydantic.ValidationError, ShowProblem: the edit does not fit; the show is untouched.
        """
        after = apply_all(self.show, tuple(edits))
        check_references(after, self.analysis.catalogue)
        self.end_preview()
        if after != self.show:
            self.undo_stack.push(_ShowCommand(self, self.show, after, text, merge))

    def preview(self, edits: Iterable[Edit], text: str) -> None:
        """Shows what an edit would do, without doing it. Ends with `end_preview` or the next edit."""
        self.previewing = text
        self._compute(apply_all(self.show, tuple(edits)))

    def end_preview(self) -> None:
        """Back to the show as it is."""
        if self.previewing:
            self.previewing = ""
            if self._settled.show is self.show:
                self._accept(self._settled)
            else:
                self._compute(self.show)

    def _take_safely(self, show: Show) -> None:
        """Takes a show over; an unexpected error is raised once Qt is out of the way: raised through it, it would end the program."""
        try:
            self._take(show)
        except Exception as error:  # noqa: BLE001 - raised a moment later, where it is told
            QTimer.singleShot(0, partial(self._failed, error))

    def _take(self, show: Show) -> None:
        self.previewing = ""
        # What was logged happened: no undo takes it back.
        if len(show.log) < len(self.show.log):
            show = show.model_copy(update={"log": self.show.log})
        logged = len(show.log) > len(self.show.log)
        self.show = show
        if logged:
            # On disk before its row is drawn.
            self.keep()
        self._compute(show)
        self._timer.start()
        self.changed.emit()

    def _compute(self, show: Show) -> None:
        """Asks for the analysis of a show. While a worker is at one, only the newest that was asked for waits its turn."""
        self._wanted = show
        if self._slow:
            self._waiting = True
            if not self._working:
                self._start(show)
            return
        start = time.perf_counter()
        analysis = analyse(show)
        self._slow = time.perf_counter() - start > self.patience_s
        self._accept(analysis)

    def _start(self, show: Show) -> None:
        self._working = True
        QThreadPool.globalInstance().start(_Work(show, self._answer))

    def _arrived(self, analysis: Analysis, seconds: float) -> None:
        self._working = False
        self._slow = seconds > self.patience_s
        if analysis.show is not self._wanted:
            self._start(self._wanted)
        self._accept(analysis)

    def _accept(self, analysis: Analysis) -> None:
        """Keeps an analysis of the show as it is, and draws the one that was asked for last."""
        if analysis.show is self.show:
            self._settled = analysis
        if analysis.show is self._wanted or (not self.previewing and analysis.show is self.show):
            self._wanted = analysis.show
            self._waiting = False
            self.analysis = analysis
            self.analysed.emit()

    def _failed(self, error: Exception) -> None:
        self._working = False
        raise error

    # files

    def replace(self, show: Show, path: Path | None, *, restored: bool = False) -> None:
        """Another show in this document; undo starts anew.

        Raises:
            ShowProblem: it cannot be computed; the show that is open stays.
        """
        analysis = analyse(show)
        self.undo_stack.clear()
        self.show, self.path, self.previewing = show, path, ""
        self.opened = show
        self._wanted, self._waiting = show, False
        self.analysis = self._settled = analysis
        self._restored = restored
        self._saved_log = len(show.log)
        if self._autosave is not None:
            self._autosave.drop()
            if restored:
                self._timer.start()
        self.analysed.emit()
        self.changed.emit()

    def open(self, path: Path) -> None:
        """Opens a show file. Raises FileProblem; the show that is open stays."""
        self.replace(read_show(path), path)
        self._remember(path)

    def save(self, path: Path | None = None) -> None:
        """Saves, under the name given or the one it has.

        Raises:
            FileProblem: it cannot be written; nothing is lost, the show stays unsaved.
            ValueError: it has no name yet.
        """
        target = path or self.path
        if target is None:
            raise ValueError("a new show needs a file name")
        show = rehomed(self.show, self.path.parent if self.path is not None else None, target.parent)
        write_show(target, show)
        if show != self.show:
            # The same show, with its takes' names as they read from the new place: no step of undo.
            self.show = show
            self._compute(show)
        self.path = target
        self._restored = False
        self._saved_log = len(self.show.log)
        self.undo_stack.setClean()
        self._timer.stop()
        if self._autosave is not None:
            self._autosave.drop()
        self._remember(target)
        self.changed.emit()

    def _remember(self, path: Path) -> None:
        try:
            note_recent(path)
        except FileProblem as problem:
            self.trouble.emit(str(problem))

    def keep(self) -> None:
        """Writes the unsaved show where it is found again after a crash."""
        if self._autosave is None:
            return
        if not self.unsaved:
            self._autosave.drop()
            return
        try:
            self._autosave.keep(self.show, self.path)
        except FileProblem as problem:
            self.trouble.emit(f"Not kept for recovery: {problem}")

    def close(self) -> None:
        """The user is done with it: nothing stays for recovery, and no worker is left that would answer to nobody."""
        self._timer.stop()
        # A stack that is let go says that it is clean; by then there is nobody left to hear it.
        self.undo_stack.blockSignals(True)
        if self._working:
            QThreadPool.globalInstance().waitForDone(WAIT_MS)
        if self._autosave is not None:
            self._autosave.drop()
