"""Long work for a window: in a worker thread, with progress, and a way to stop it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal
from PySide6.QtWidgets import QProgressDialog, QWidget


class WorkSignals(QObject):
    """What work tells: part done, what came of it, or what went wrong (nothing when it was stopped)."""

    progress = Signal(float)
    done = Signal(object)
    failed = Signal(str)


class LongWork(QRunnable):
    """Work that can be stopped. `run` is written by what derives from it; it calls `step` now and then."""

    def __init__(self) -> None:
        super().__init__()
        self.signals = WorkSignals()
        self.stop = False

    def step(self, part: float) -> bool:
        """Tells how much is done, 0 to 1; returns whether to go on."""
        self.signals.progress.emit(part)
        return not self.stop


class WorkDesk(QObject):
    """Does one piece of long work at a time.

    Args:
        done: gets the work and what came of it.
        failed: gets what went wrong; an empty text means that it was stopped.
    """

    def __init__(
        self, window: QWidget, done: Callable[[LongWork, object], None], failed: Callable[[str], None]
    ) -> None:
        super().__init__(window)
        self.window = window
        self._done, self._failed = done, failed
        self._work: LongWork | None = None
        self._progress: QProgressDialog | None = None

    def start(self, work: LongWork, words: str) -> None:
        """Starts work in a worker thread; what ran before is stopped."""
        self.stop()
        work.setAutoDelete(False)
        self._progress = QProgressDialog(words, "Stop", 0, 1000, self.window)
        self._progress.setMinimumDuration(400)
        self._progress.setWindowModality(Qt.WindowModality.WindowModal)
        self._progress.canceled.connect(self.stop)
        work.signals.progress.connect(self._step)
        work.signals.done.connect(self._finished)
        work.signals.failed.connect(self._broke)
        self._work = work
        QThreadPool.globalInstance().start(work)

    def stop(self) -> None:
        """Ends work that runs."""
        if self._work is not None:
            self._work.stop = True

    def _step(self, part: float) -> None:
        if self._progress is not None:
            self._progress.setValue(min(999, round(part * 1000)))

    def _end(self) -> LongWork | None:
        work, self._work = self._work, None
        if self._progress is not None:
            self._progress.reset()
            self._progress.deleteLater()
            self._progress = None
        return work

    def _finished(self, result: object) -> None:
        work = self._end()
        if work is not None:
            self._done(work, result)

    def _broke(self, text: str) -> None:
        self._end()
        self._failed(text)
