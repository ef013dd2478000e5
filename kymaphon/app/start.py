"""Starts the window: its frame first, then what computes, then the show asked for; fonts, theme, and a net under unexpected errors.

Nothing of the core may be imported at the top: the frame is on screen before that is read.
"""

from __future__ import annotations

import os
import sys
import traceback
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from PySide6.QtCore import QEventLoop, QThreadPool, QTimer, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from kymaphon.app import state, theme
from kymaphon.app.collecting import spare_what_is_there
from kymaphon.app.widgets import painted
from kymaphon.app.window import Window
from kymaphon.files.errors import FileProblem

if TYPE_CHECKING:
    from kymaphon.app.document import Document

SOON_MS = 1500
TICK_MS = 20
"""So often it is looked whether a show that was to be opened has failed."""
DEMO_LEAD = timedelta(minutes=20)
"""The demo is always this long before air."""


def run(show: str | None, *, demo: bool = False, picture: str | None = None) -> int:
    """Opens the window and stays until it is closed; with `picture`, saves a PNG of it and ends.

    Raises:
        FileProblem: the show asked for cannot be used. No window is left open.
    """
    if picture and "QT_QPA_PLATFORM" not in os.environ and not os.environ.get("DISPLAY"):
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setApplicationName("Kymaphon")
    qInstallMessageHandler(_quiet_fonts)
    window = frame()
    sys.excepthook = lambda kind, error, trace: unexpected(window, kind, error, trace)
    try:
        fill(window, Path(show) if show else None, demo=demo)
    except FileProblem:
        window.close()
        raise
    if picture:
        QTimer.singleShot(200, lambda: _save_picture(window, picture))
    code = int(app.exec())
    if QThreadPool.globalInstance().activeThreadCount():
        # Everything is on disk by now: nobody waits for an answer that nobody reads.
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
    return code


def frame() -> Window:
    """The window without a show, on screen."""
    theme.load_fonts()
    painted.install()
    window = Window()
    window.say("Starting \u2026")
    window.show()
    _paint()
    return window


def fill(window: Window, path: Path | None, *, demo: bool = False, autosave: bool = True) -> None:
    """Reads what computes, then the show, and shows it; each is announced in the status line.

    Args:
        path: of a show; None for an empty one, or the demo.

    Raises:
        FileProblem: the show cannot be used.
    """
    if path is not None:
        _announce(window, f"Reading {path.name} \u2026")
    from kymaphon.app.document import Document

    document = Document(autosave=autosave, searched=False)
    window.furnish(document)
    if path is not None:
        document.open(path)
    elif demo:
        from kymaphon.files.demo import demo_path
        from kymaphon.files.show_file import read_show

        loaded = read_show(demo_path()).with_(air_at=datetime.now(UTC).replace(microsecond=0) + DEMO_LEAD)
        document.replace(loaded, None)
    else:
        document.go_on()
    if document.opening:
        _announce(window, f"Computing {document.opening} \u2026")
        _wait_for(document)
    spare_what_is_there()
    window.begin()
    window.filing.offer_recovery()


def _announce(window: Window, words: str) -> None:
    window.say(words)
    _paint()


def _paint() -> None:
    """Lets what is due be drawn; keys and clicks wait in the window until there is something to do them to."""
    QApplication.processEvents()


def _wait_for(document: Document) -> None:
    """Gives a show of usual size the time to be there before an empty one is drawn; a larger one comes into the window."""
    loop, soon = QEventLoop(), QTimer()
    # Both are gone when this ends, and with them what would call them: nothing may come back to a loop that is no more.
    soon.setSingleShot(True)
    soon.timeout.connect(loop.quit)
    soon.start(SOON_MS)
    document.exchanged.connect(loop.quit)
    tick = QTimer()
    tick.timeout.connect(lambda: None if document.opening else loop.quit())
    tick.start(TICK_MS)
    loop.exec()
    tick.stop()
    document.exchanged.disconnect(loop.quit)


def _quiet_fonts(_kind: object, _context: object, message: str) -> None:
    """Qt's remarks go to standard error, but for the one on platforms that cannot raise a window."""
    if "propagateSizeHints" not in message:
        print(message, file=sys.stderr)


def _save_picture(window: Window, picture: str) -> None:
    if window.document.busy or window.offering.busy:
        QTimer.singleShot(100, lambda: _save_picture(window, picture))
        return
    saved = window.grab().save(picture)
    if not saved:
        print(f"kymaphon: {Path(picture).name}: cannot be written", file=sys.stderr)
    window.offering.close()
    window.document.close()
    QApplication.exit(0 if saved else 2)


def unexpected(window: Window, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """A mistake of ours: kept in a log file, shown with details to copy; the show is kept for recovery
    first.
    """
    if issubclass(kind, KeyboardInterrupt):
        QApplication.exit(130)
        return
    details = "".join(traceback.format_exception(kind, error, trace))
    kept = window.furnished and window.document.keep()
    where = _logged(details)
    if window.furnished and window.tells_on_air(f"Something went wrong in Kymaphon. {_words_of_keeping(kept)} {where}"):
        return
    from PySide6.QtWidgets import QMessageBox

    box = QMessageBox(
        QMessageBox.Icon.NoIcon,
        "Something went wrong",
        "<b>Something went wrong in Kymaphon</b>",
        QMessageBox.StandardButton.Close,
        window,
    )
    box.setInformativeText(f"{_words_of_keeping(kept) if window.furnished else 'No show was open yet.'} {where}")
    box.setDetailedText(details)
    box.exec()


def _words_of_keeping(kept: bool) -> str:
    if kept:
        return "Your show is safe: it is kept for recovery."
    return "Your show could not be kept for recovery: save it now, elsewhere if need be."


def _logged(details: str) -> str:
    """Where the details are, beside the dialog: on a full disk nowhere."""
    try:
        log = state.state_folder() / "errors.log"
        with log.open("a", encoding="utf-8", errors="backslashreplace") as file:
            file.write(details + "\n")
    except (OSError, FileProblem) as error:
        return f"The details below could not be written to a log ({error})."
    return f"The details below are also in {log.name} in the program's state folder."
