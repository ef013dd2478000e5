"""Starts the window: fonts, theme, the show asked for, and a net under unexpected errors."""

from __future__ import annotations

import os
import sys
import traceback
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QEventLoop, QThreadPool, QTimer, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from kymaphon.app import state, theme
from kymaphon.app.collecting import spare_what_is_there
from kymaphon.app.document import Document
from kymaphon.app.window import Window
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import read_show

SOON_MS = 1500
DEMO_LEAD = timedelta(minutes=20)
"""The demo is always this long before air."""


def run(show: str | None, *, demo: bool = False, picture: str | None = None) -> int:
    """Opens the window and stays until it is closed; with `picture`, saves a PNG of it and ends.

    Raises:
        FileProblem: the show asked for cannot be used.
    """
    path = Path(show) if show else None
    loaded = None
    if demo:
        from kymaphon.files.demo import demo_path

        loaded = read_show(demo_path()).with_(air_at=datetime.now(UTC).replace(microsecond=0) + DEMO_LEAD)
    if picture and "QT_QPA_PLATFORM" not in os.environ and not os.environ.get("DISPLAY"):
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setApplicationName("Kymaphon")
    qInstallMessageHandler(_quiet_fonts)
    theme.load_fonts()
    document = Document()
    window = Window(document)
    sys.excepthook = lambda kind, error, trace: unexpected(window, kind, error, trace)
    if path is not None:
        document.open(path)
    elif loaded is not None:
        document.replace(loaded, None)
    _wait_for(document)
    spare_what_is_there()
    window.show()
    window.filing.offer_recovery()
    if picture:
        QTimer.singleShot(200, lambda: _save_picture(window, picture))
    code = int(app.exec())
    if QThreadPool.globalInstance().activeThreadCount():
        # Everything is on disk by now: nobody waits for an answer that nobody reads.
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
    return code


def _wait_for(document: Document) -> None:
    """Gives a show of usual size the time to be there when the window comes up; a larger one comes into the window."""
    loop = QEventLoop()
    document.working.connect(lambda: None if document.busy else loop.quit())
    QTimer.singleShot(SOON_MS, loop.quit)
    if document.busy:
        loop.exec()


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


def unexpected(
    window: Window, kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> None:
    """A mistake of ours: kept in a log file, shown with details to copy; the show is kept for recovery
    first.
    """
    if issubclass(kind, KeyboardInterrupt):
        QApplication.exit(130)
        return
    details = "".join(traceback.format_exception(kind, error, trace))
    kept = window.document.keep()
    where = _logged(details)
    from PySide6.QtWidgets import QMessageBox

    box = QMessageBox(
        QMessageBox.Icon.NoIcon,
        "Something went wrong",
        "<b>Something went wrong in Kymaphon</b>",
        QMessageBox.StandardButton.Close,
        window,
    )
    box.setInformativeText(
        f"{'Your show is safe: it is kept for recovery.' if kept else 'Your show could not be kept for recovery: save it now, elsewhere if need be.'} {where}"
    )
    box.setDetailedText(details)
    box.exec()


def _logged(details: str) -> str:
    """Where the details are, beside the dialog: on a full disk nowhere."""
    try:
        log = state.state_folder() / "errors.log"
        with log.open("a", encoding="utf-8", errors="backslashreplace") as file:
            file.write(details + "\n")
    except (OSError, FileProblem) as error:
        return f"The details below could not be written to a log ({error})."
    return f"The details below are also in {log.name} in the program's state folder."
