"""The window under test, and what tests of it share."""

from __future__ import annotations

import gc
import time
from collections.abc import Iterator

import pytest
import shiboken6
from PySide6.QtWidgets import QApplication, QLabel, QPushButton
from pytestqt.qtbot import QtBot

from kymaphon.app import theme
from kymaphon.app.document import Document
from kymaphon.app.window import Window
from kymaphon.core.show import Show


@pytest.fixture
def window(qtbot: QtBot, demo: Show) -> Iterator[Window]:
    theme.load_fonts()
    row = Window(Document(demo))
    row.show()
    QApplication.processEvents()
    row.document.patience_s = 60.0
    yield row
    row.document.close()
    shiboken6.delete(row)
    gc.collect()


def settle(window: Window) -> None:
    """Waits for an analysis that a slow machine does in a worker."""
    for _ in range(2000):
        QApplication.processEvents()
        if not window.document.busy:
            return
        time.sleep(0.005)
    raise AssertionError("the analysis never came")


def button(window: Window, name: str) -> QPushButton:
    settle(window)
    return next(row for row in window.why.widget().findChildren(QPushButton) if row.objectName() == name)


def why_words(window: Window) -> str:
    return "\n".join(row.text() for row in window.why.widget().findChildren(QLabel))


def gain(window: Window, device: str = "desk", key: str = "in1") -> float | None:
    return window.document.show.device(device).settings[key].gain_db
