"""Starts the window: fonts, theme, the show asked for, and a net under unexpected errors."""

from __future__ import annotations

import os
import sys
import traceback
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QTimer, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from kymaphon.app import state, theme
from kymaphon.app.document import Document
from kymaphon.app.window import Window
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import read_show

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
    elif path is not None:
        loaded = read_show(path)
    if picture and "QT_QPA_PLATFORM" not in os.environ and not os.environ.get("DISPLAY"):
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setApplicationName("Kymaphon")
    qInstallMessageHandler(_quiet_fonts)
    theme.load_fonts()
    window = Window(Document(loaded, path))
    sys.excepthook = lambda kind, error, trace: unexpected(window, kind, error, trace)
    if path is not None:
        try:
            state.note_recent(path)
        except FileProblem as problem:
            window.say(str(problem))
    window.show()
    window.filing.offer_recovery()
    if picture:
        QTimer.singleShot(200, lambda: _save_picture(window, picture))
    return int(app.exec())


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
    window.document.keep()
    log = state.state_folder() / "errors.log"
    with log.open("a", encoding="utf-8") as file:
        file.write(details + "\n")
    from PySide6.QtWidgets import QMessageBox

    box = QMessageBox(
        QMessageBox.Icon.NoIcon,
        "Something went wrong",
        "<b>Something went wrong in Kymaphon</b>",
        QMessageBox.StandardButton.Close,
        window,
    )
    box.setInformativeText(
        f"Your show is safe: it is kept for recovery. The details below are also in {log.name} in the program's state folder."
    )
    box.setDetailedText(details)
    box.exec()
