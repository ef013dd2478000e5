"""One piece of computing at a time in a worker thread, for a view that shows the newest answer."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal, SignalInstance


class _Answer(QObject):
    done = Signal(object, object)
    failed = Signal(object)


class _Work(QRunnable):
    def __init__(self, run: Callable[[], object], about: object, answer: _Answer) -> None:
        super().__init__()
        self._run, self._about, self._answer = run, about, answer

    def run(self) -> None:
        try:
            result = self._run()
        except Exception as error:  # noqa: BLE001 - carried to the window's thread, and told or raised there
            tell(self._answer.failed, error)
            return
        tell(self._answer.done, self._about, result)


def tell(signal: SignalInstance, *values: object) -> None:
    """Emits from a worker; where the program is ending, and nobody is there to hear it any more, does nothing."""
    with suppress(RuntimeError):
        signal.emit(*values)


_ANSWERS: list[_Answer] = []
"""Kept for good: work may still end when the view that asked for it is gone with its theme or its window."""


class Worker(QObject):
    """Does one thing at a time in a worker thread; what was asked for while it was busy is done next, the newest only.

    Args:
        done: gets what it was about, and the result.
        failed: gets a ValueError that work raised; any other error is raised in the window's thread.
    """

    def __init__(
        self, parent: QObject, done: Callable[[object, object], None], failed: Callable[[Exception], None]
    ) -> None:
        super().__init__(parent)
        self._done, self._failed = done, failed
        self._answer = _Answer()
        _ANSWERS.append(self._answer)
        self._answer.done.connect(self._arrived)
        self._answer.failed.connect(self._broke)
        self._next: tuple[Callable[[], object], object] | None = None
        self._busy = False

    @property
    def busy(self) -> bool:
        return self._busy

    def ask(self, run: Callable[[], object], about: object) -> None:
        """Work to be done; `about` comes back with the result."""
        if self._busy:
            self._next = run, about
            return
        self._busy = True
        QThreadPool.globalInstance().start(_Work(run, about, self._answer))

    def _go_on(self) -> None:
        self._busy = False
        if self._next is not None:
            run, about = self._next
            self._next = None
            self.ask(run, about)

    def _arrived(self, about: object, result: object) -> None:
        self._go_on()
        self._done(about, result)

    def _broke(self, error: Exception) -> None:
        self._go_on()
        if not isinstance(error, ValueError | KeyError):
            raise error
        self._failed(error)
