"""The open show: edits with undo, analysis that follows, previews, autosave. Knows nothing of any view."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial
from hashlib import sha256
from pathlib import Path
from threading import Event

from PySide6.QtCore import QElapsedTimer, QObject, QRunnable, QThreadPool, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from kymaphon.app.recovery import Autosave
from kymaphon.app.state import note_recent
from kymaphon.app.worker import tell
from kymaphon.core.analysis.analyse import analyse, figures_of, report
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import Edit, apply_all
from kymaphon.core.model.references import check_references
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.core.stopping import Stopped, stopped_by
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import read_show, write_show
from kymaphon.files.takes import rehomed

BEARABLE_MS = 400
"""So long an analysis may go on though something newer is wanted."""
FRAME_MS = 16
"""So long after figures were handed to the views their findings are looked for: the views are painted by then."""
AUTOSAVE_MS = 1500
"""So long after the first edit that is not kept yet it is kept, whatever else is edited meanwhile."""
UNDO_STEPS = 1000
"""So far back undo goes; without an end a day's work would not fit into memory."""


class _ShowCommand(QUndoCommand):
    """One edit: the show before and after. Turning one knob on and on makes one command."""

    def __init__(self, document: Document, before: Show, after: Show, text: str, merge: str) -> None:
        super().__init__(text)
        self._document, self._before, self._after, self._merge = document, before, after, merge

    def redo(self) -> None:
        self._document._take_safely(self._after, self.text())

    def undo(self) -> None:
        self._document._take_safely(self._before, f"{self.text()}, taken back")

    def id(self) -> int:
        return 1 if self._merge else -1

    def mergeWith(self, other: QUndoCommand) -> bool:
        if not isinstance(other, _ShowCommand) or other._merge != self._merge:
            return False
        self._after = other._after
        self.setText(other.text())
        return True


def _differ_in_log_alone(one: Show, other: Show) -> bool:
    return all(getattr(one, name) is getattr(other, name) for name in Show.model_fields if name != "log")


def _print_of(path: Path) -> str:
    """What tells a file's content from any other; empty where there is none to read."""
    try:
        return sha256(path.read_bytes()).hexdigest()
    except OSError:
        return ""


class _Answer(QObject):
    figures = Signal(object, object)
    done = Signal(object, object)
    failed = Signal(object, object)


_ANSWERS: list[_Answer] = []
"""Kept for good: an analysis may still end when its document is gone."""


class _Work(QRunnable):
    """One analysis in a worker thread: the figures of a show whose findings may stand until its own are there, then the findings; of any
    other both at once. `unwanted` set, it ends at its next step without an answer.

    Args:
        before: a report of another state: what an edit did not touch is taken from it.
        figures: of the show, where they are there already.
        tried: it is of a preview, or of a show that is being opened.
        opening: it is of a show that is being opened.
    """

    def __init__(
        self,
        show: Show,
        before: Report,
        figures: Report | None,
        answer: _Answer,
        *,
        tried: bool,
        opening: bool,
    ) -> None:
        super().__init__()
        self.show, self._before, self._figures, self.tried = show, before, figures, tried
        self._answer, self._opening = answer, opening
        self.has_figures = figures is not None
        self.unwanted = Event()
        self.clock = QElapsedTimer()
        self.clock.start()

    def run(self) -> None:
        try:
            with stopped_by(self.unwanted.is_set):
                figures = self._figures or figures_of(self.show, before=self._before)
                if self._figures is None and (self._opening or figures.same_rig(self._before)):
                    before = None if self._opening else self._before
                    tell(self._answer.figures, Report.held_over(figures, before), self)
                    return
                analysis = report(figures, self._before)
        except Exception as error:  # noqa: BLE001 - carried to the window's thread and raised there
            tell(self._answer.failed, error, self)
            return
        tell(self._answer.done, analysis, self)


@dataclass(frozen=True)
class _Opening:
    """A show that takes the place of the one that is open once it is computed."""

    show: Show
    path: Path | None
    restored: bool
    on_disk: str
    then: Callable[[], None] | None


class Document(QObject):
    """The show that is open, and everything computed of it.

    `analysis` is what the views draw: that of the show, or of a preview while one is held. It comes from a worker thread; of what is
    asked for while one is at work the newest is next, and the older one is stopped.
    """

    analysed = Signal()
    changed = Signal()
    trouble = Signal(str)
    exchanged = Signal()
    """Another show is open."""
    edited = Signal(object, object, str)
    """The show was edited, or an edit was taken back: before, after, and what it was."""
    saved = Signal()
    logged = Signal(tuple)
    """Rows were added to the log."""
    working = Signal()
    """An analysis began, ended or was stopped: see `busy` and `stopped`."""
    at_once = False
    """For tests: computed where it is asked for, before it returns."""

    def __init__(
        self,
        show: Show | None = None,
        path: Path | None = None,
        *,
        autosave: bool = True,
        searched: bool = True,
    ) -> None:
        super().__init__()
        self.show = show or Show()
        self.opened = self.show
        """The show as it was opened: what the rig is taken to stand at."""
        self.path = path
        self.undo_stack = QUndoStack(self)
        self.undo_stack.setUndoLimit(UNDO_STEPS)
        self.previewing = ""
        self.analysis: Report = analyse(self.show) if searched else Report.held_over(figures_of(self.show), None)
        self._settled = self._whole = self.analysis
        self._wanted = self.show
        self._work: _Work | None = None
        self._opening: _Opening | None = None
        self.stopped = False
        """Whether the user has stopped the analysis of what is open: what is drawn is older than the show."""
        self._answer = _Answer()
        _ANSWERS.append(self._answer)
        self._answer.figures.connect(self._figured)
        self._answer.done.connect(self._arrived)
        self._answer.failed.connect(self._failed)
        self._autosave = Autosave() if autosave else None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AUTOSAVE_MS)
        self._timer.timeout.connect(self.keep)
        self._closed = False
        self._frame = QTimer(self)
        self._frame.setSingleShot(True)
        self._frame.setInterval(FRAME_MS)
        self._frame.timeout.connect(self._next)
        self.log_is_kept = True
        """Whether all that was logged is on disk, with the file or beside it."""
        self._restored = False
        self._saved_log = len(self.show.log)
        self._on_disk = _print_of(path) if path is not None else ""

    @property
    def unsaved(self) -> bool:
        """Whether anything would be lost if the program ended now."""
        return self._restored or not self.undo_stack.isClean() or len(self.show.log) != self._saved_log

    @property
    def settled(self) -> Report:
        """The analysis of the show as it is, also while a preview is drawn."""
        return self._settled

    @property
    def busy(self) -> bool:
        """Whether an analysis is still on its way from a worker."""
        return self._opening is not None or (self._behind and not self.stopped)

    @property
    def _behind(self) -> bool:
        """Whether what is drawn is older than what was asked for."""
        return self._wanted is not self.analysis.show or self.analysis.standing

    @property
    def opening(self) -> str:
        """The title of a show that is being computed to take this one's place; empty for none."""
        return self._opening.show.title if self._opening is not None else ""

    def stop(self) -> None:
        """Stops the analysis that is under way. The show stays as it is, and what is drawn is from before."""
        if self.busy:
            self.stopped = self._opening is None
            self._opening, self.previewing = None, ""
            if self._work is not None:
                self._work.unwanted.set()
            self.working.emit()

    def go_on(self) -> None:
        """Computes what was stopped, or not yet begun."""
        if self._behind and self._work is None and self._opening is None:
            self._compute(self.show)

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

    def _take_safely(self, show: Show, text: str) -> None:
        """Takes a show over; an unexpected error is raised once Qt is out of the way: raised through it, it would end the program."""
        try:
            before = self.show
            self._take(show)
            self.edited.emit(before, self.show, text)
        except Exception as error:  # noqa: BLE001 - raised a moment later, where it is told
            QTimer.singleShot(0, partial(self._failed, error))

    def _take(self, show: Show) -> None:
        self.previewing = ""
        self._opening = None  # whoever edits the show that is open stays with it
        # What was logged happened: no undo takes it back.
        if len(show.log) < len(self.show.log):
            show = show.model_copy(update={"log": self.show.log})
        before, self.show = self.show, show
        entries = show.log[len(before.log) :]
        # On disk before its row is drawn.
        kept = bool(entries) and self._keep_log(before, entries)
        self._compute(show)
        if not kept and not self._timer.isActive():
            self._timer.start()
        self.changed.emit()
        if entries:
            self.logged.emit(entries)

    def log(self, *entries: LogEntry) -> bool:
        """Adds to the log: on disk before it is drawn, and no step of undo, since what happened happened. False where the disk did not
        take it: then it stays with the show that is open, and keeping it is tried again.
        """
        self._take(self.show.model_copy(update={"log": (*self.show.log, *entries)}))
        return self.log_is_kept

    def _keep_log(self, before: Show, entries: tuple[LogEntry, ...]) -> bool:
        """Keeps what was logged: behind the show that is kept already where nothing else has changed, else with all of it. False where
        the disk did not take it.
        """
        kept = self._autosave
        if kept is not None and kept.file is not None and self.log_is_kept and _differ_in_log_alone(before, self.show):
            try:
                kept.log(entries, len(before.log))
            except FileProblem as problem:
                self.log_is_kept = False
                self.trouble.emit(f"Not kept for recovery: {problem}")
            return self.log_is_kept
        self.log_is_kept = self.keep() or kept is None
        return self.log_is_kept

    def _compute(self, show: Show) -> None:
        """Asks for the analysis of a show, to be drawn once it is there."""
        self._wanted, self.stopped = show, False
        if self.at_once:
            self._accept(analyse(show, before=self._whole))
            return
        self._ask(show)

    def _ask(self, show: Show) -> None:
        work = self._work
        if work is None:
            opening = self._opening is not None
            figures = self.analysis if self.analysis.standing and self.analysis.show is show else None
            self._work = _Work(
                show,
                self._whole,
                figures,
                self._answer,
                tried=bool(self.previewing) or opening,
                opening=opening,
            )
            QThreadPool.globalInstance().start(self._work)
        elif work.show is not show:
            # Figures that are nearly there are drawn while a knob is still being turned; findings give way, and what takes long.
            wait = 0 if work.has_figures else max(0, BEARABLE_MS - work.clock.elapsed())
            QTimer.singleShot(wait, work.unwanted.set)
        self.working.emit()

    def _next(self) -> None:
        """The worker is free: what is wanted and not there yet comes next."""
        if self._work is not None or self._closed:
            return  # whoever was told has asked for something already, or nobody wants anything any more
        if self._opening is not None:
            self._ask(self._opening.show)
        elif self.busy:
            self._ask(self._wanted)
        else:
            self.working.emit()

    def _figured(self, analysis: Report, work: _Work) -> None:
        """Figures are drawn at once, with the findings as they stood; only then the show's own are looked for, so that the worker does not
        hold the drawing up.
        """
        self._work = None
        if self._closed:
            return
        opening = self._opening
        if opening is not None and analysis.show is opening.show:
            self._exchange(opening, analysis)
        elif not (self.stopped or opening) and work.tried == bool(self.previewing):
            # Those of a moment ago too: a knob that is still being turned is not to stand still.
            self.analysis = analysis
            self.analysed.emit()
        self._frame.start()

    def _arrived(self, analysis: Report, work: _Work) -> None:
        self._work = None
        if self._closed:
            return
        opening = self._opening
        if opening is not None and analysis.show is opening.show:
            self._exchange(opening, analysis)
        elif not self.stopped:
            self._accept(analysis, tried=work.tried)
        self._next()

    def _accept(self, analysis: Report, *, tried: bool = False) -> None:
        """Keeps an analysis of the show as it is, and draws the one that was asked for last."""
        self._whole = analysis
        if analysis.show is self.show:
            self._settled = analysis
        if analysis.show is self._wanted or (not self.previewing and analysis.show is self.show):
            self._wanted = analysis.show
            self.analysis = analysis
            self.analysed.emit()
        elif not self.previewing and not tried:
            # On the way to the newest: drawn, and known to be older.
            self.analysis = analysis
            self.analysed.emit()

    def _failed(self, error: Exception, work: _Work | None = None) -> None:
        if isinstance(error, Stopped) or self._closed:
            self._work = None
            self._next()
            return
        # Nothing is asked for anew that has just failed; what is open stays as it is drawn where another was to be opened.
        self.stopped = self._opening is None and self._behind
        self._opening = self._work = None
        self.working.emit()
        raise error

    # files

    def replace(
        self,
        show: Show,
        path: Path | None,
        *,
        restored: bool = False,
        on_disk: str = "",
        then: Callable[[], None] | None = None,
    ) -> None:
        """Another show in this document, once it is computed; undo starts anew. Until then the one that is open stays.

        Args:
            on_disk: what its file held when it was read.
            then: done once it has taken the place.

        Raises:
            ShowProblem: a reference in it leads nowhere; the show that is open stays.
        """
        check_references(show, shipped_catalogue().with_kinds(*show.kinds))
        self.end_preview()
        opening = _Opening(show, path, restored, on_disk, then)
        if self.at_once:
            self._exchange(opening, analyse(show))
            return
        self._opening = opening
        self._ask(show)

    def _exchange(self, opening: _Opening, analysis: Report) -> None:
        self._opening, self.stopped = None, False
        self.undo_stack.clear()
        self.show, self.path, self.previewing = opening.show, opening.path, ""
        self.opened = self._wanted = opening.show
        self.analysis = self._settled = self._whole = analysis
        self._restored = opening.restored
        self._on_disk = opening.on_disk
        self._saved_log, self.log_is_kept = len(opening.show.log), True
        if self._autosave is not None:
            self._autosave.drop()
            if opening.restored:
                self._timer.start()
        self.exchanged.emit()
        self.analysed.emit()
        self.changed.emit()
        if opening.then is not None:
            opening.then()

    def open(self, path: Path) -> None:
        """Opens a show file. Raises FileProblem; the show that is open stays."""
        found = _print_of(path)
        self.replace(read_show(path), path, on_disk=found, then=lambda: self._remember(path))

    @property
    def changed_on_disk(self) -> bool:
        """Whether somebody else has written the show's file since it was opened or saved here."""
        if self.path is None or not self._on_disk:
            return False
        found = _print_of(self.path)
        return bool(found) and found != self._on_disk

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
        self._on_disk = _print_of(target)
        if show != self.show:
            # The same show, with its takes' names as they read from the new place: no step of undo.
            self.show = show
            self._compute(show)
        self.path = target
        self._restored = False
        self._saved_log, self.log_is_kept = len(self.show.log), True
        self.undo_stack.setClean()
        self._timer.stop()
        if self._autosave is not None:
            self._autosave.drop()
        self._remember(target)
        self.changed.emit()
        self.saved.emit()

    def _remember(self, path: Path) -> None:
        try:
            note_recent(path)
        except FileProblem as problem:
            self.trouble.emit(str(problem))

    @property
    def is_kept(self) -> bool:
        """Whether the show as it is can be read back from where unsaved shows are kept."""
        return self._autosave is not None and self._autosave.holds(self.show)

    def keep(self) -> bool:
        """Writes the unsaved show where it is found again after a crash. False where it could not be kept."""
        if self._autosave is None:
            return False
        if not self.unsaved:
            self._autosave.drop()
            return True
        try:
            self._autosave.keep(self.show, self.path, self._on_disk)
        except FileProblem as problem:
            self.trouble.emit(f"Not kept for recovery: {problem}")
            self._timer.start()  # tried again: the disk may have room by then
            return False
        self._timer.stop()
        self.log_is_kept = True
        return True

    def close(self) -> None:
        """The user is done with it: nothing stays for recovery, and what is being computed ends at its next step."""
        self._closed = True
        self._timer.stop()
        self._frame.stop()
        # A stack that is let go says that it is clean; by then there is nobody left to hear it.
        self.undo_stack.blockSignals(True)
        self._opening = None
        if self._work is not None:
            self._work.unwanted.set()
        if self._autosave is not None:
            self._autosave.drop()
