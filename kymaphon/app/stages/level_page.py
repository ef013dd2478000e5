"""What every view of Level beside the ladder is to its stage."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.why import WhyContent


class LevelPage(QWidget):
    """One view: follows the document, and tells the Why panel what to show.

    Signals:
        why_changed: the selection changed.
        title: words for the stage's head, and those under them.
        say: one line for the status line.
        wants_voice: the user went to another voice.
    """

    why_changed = Signal()
    title = Signal(str, str)
    say = Signal(str)
    wants_voice = Signal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self.document, self.theme = document, theme
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        # Large text in a small window: the view scrolls rather than cut anything off.
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        body = QWidget()
        area.setWidget(body)
        whole.addWidget(area)
        self.column = QVBoxLayout(body)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(8)

    def refresh(self, voice: str, end: str) -> None:
        """Follows the document's analysis, for a voice and an end."""

    def why(self) -> WhyContent:
        """What the Why panel shows."""
        return WhyContent("")

    def act(self, action: str) -> None:
        """What a button of the Why panel asks for."""

    def set_scale(self, scale: float) -> None:
        """Text size of what is painted by hand."""

    def first(self) -> QWidget | None:
        """Where the keyboard goes."""
        return None


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
            self._answer.failed.emit(error)
            return
        self._answer.done.emit(self._about, result)


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
