"""Drives the real program from within its own event loop: keys and menus as an operator has them, nothing of its internals.

Run as `python -m tests.app.real GUIDE`, with an empty home and no display; prints what went wrong, one line each.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMainWindow, QMenu, QMessageBox

KEY = re.compile(
    r"(?:Ctrl\+|Shift\+|Alt\+)*(?:F\d{1,2}|Esc|Home|End|Tab|Delete|Space|Enter|Backspace|PgUp|PgDown|Up|Down|Left|Right|[A-Z0-9+\-,.])(?![a-z])"
)
SKIPPED = ("Quit",)


def main(guide: str) -> int:
    from kymaphon.app.start import run

    app = QApplication(["kymaphon"])  # the program takes the one that is there; timers need it
    wrong: list[str] = []
    seen: list[str] = []
    driver = _Driver(_steps(guide, wrong, seen), wrong, seen)
    QTimer.singleShot(2500, driver.next)
    code = run(None, demo=True)
    for row in wrong:
        print(row, flush=True)
    del app
    return code


class _Driver:
    """One step after the other, each in the event loop; whatever asks meanwhile is left with Escape."""

    def __init__(self, steps: Iterator[str], wrong: list[str], seen: list[str]) -> None:
        self.steps, self.wrong, self.seen, self.at, self.ending = steps, wrong, seen, "", False
        self.leaver = QTimer()
        self.leaver.setInterval(40)
        self.leaver.timeout.connect(self.leave)
        self.leaver.start()

    def leave(self) -> None:
        for widget in (QApplication.activePopupWidget(), QApplication.activeModalWidget()):
            if widget is None:
                continue
            self.seen.append(widget.windowTitle())
            if isinstance(widget, QMessageBox) and "went wrong" in widget.windowTitle():
                self.wrong.append(f"{self.at}: {widget.detailedText().strip().splitlines()[-1]}")
            discard = widget.button(QMessageBox.StandardButton.Discard) if isinstance(widget, QMessageBox) else None
            if self.ending and discard is not None:
                discard.click()
                continue
            QTest.keyClick(widget, Qt.Key.Key_Escape)
            if widget.isVisible():
                widget.close()

    def next(self) -> None:
        try:
            self.at = next(self.steps)
        except StopIteration:
            self.ending = True
            _press("Ctrl+Q")
            return
        except Exception as error:  # noqa: BLE001 - told as what went wrong
            self.wrong.append(f"after {self.at}: {type(error).__name__}: {error}")
        QTimer.singleShot(60, self.next)


def _window() -> QMainWindow:
    return next(row for row in QApplication.topLevelWidgets() if isinstance(row, QMainWindow))


def _press(keys: str) -> None:
    """A sequence of keys into the window, as it is in front; what does not come there is told by what does not happen."""
    window = _window()
    window.activateWindow()
    QApplication.processEvents()
    QTest.keySequence(QApplication.focusWidget() or window, QKeySequence(keys))


def _menus(menu: QMenu) -> Iterator[QMenu]:
    yield menu
    for action in menu.actions():
        inner = action.menu()
        if isinstance(inner, QMenu):
            yield from _menus(inner)


def _steps(guide: str, wrong: list[str], seen: list[str]) -> Iterator[str]:
    window = _window()
    window.activateWindow()
    yield "start"
    _press("Ctrl+K")
    yield "the command list, first of all"
    if "Find a command" not in seen:
        wrong.append("Ctrl+K opened nothing")
    seen.clear()
    for top in window.menuBar().actions():
        found = top.menu()
        assert isinstance(found, QMenu), top.text()
        for menu in list(_menus(found)):
            menu.aboutToShow.emit()
            if not menu.actions():
                wrong.append(f"the menu {menu.title()} is dead")
            yield f"the menu {menu.title()}"
    names = [action.text() for action in _all(window)]
    if len(names) < 60:
        wrong.append(f"only {len(names)} commands")
    for n in range(len(names)):
        actions = list(_all(window))
        if n < len(actions) and actions[n].text().replace("&", "") not in SKIPPED and actions[n].isEnabled():
            actions[n].trigger()
            yield f"the command {actions[n].text()}"
            QTest.keyClick(window, Qt.Key.Key_Escape)
    for keys in _keys(guide):
        _press(keys)
        yield f"the keys {keys}"
    seen.clear()
    _press("Ctrl+K")
    yield "the command list, last of all"
    if "Find a command" not in seen:
        wrong.append("Ctrl+K opened nothing in the end")


def _all(window: QMainWindow) -> Iterator[QAction]:
    for top in window.menuBar().actions():
        found = top.menu()
        assert isinstance(found, QMenu)
        for menu in _menus(found):
            for action in menu.actions():
                if action.text() and action.menu() is None:
                    yield action


def _keys(guide: str) -> list[str]:
    """The first column of the guide's table of keys."""
    keys: list[str] = []
    for line in Path(guide).read_text(encoding="utf-8").splitlines():
        if (line.startswith("| ") and "Ctrl" in line.split("|")[1]) or re.match(
            r"\| (F\d|Esc|Home|Del|Space|Enter)", line
        ):
            keys += KEY.findall(line.split("|")[1])
    return [row for row in dict.fromkeys(keys) if row not in ("Ctrl+Q",)]


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
