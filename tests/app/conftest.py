"""The window under test, and what tests of it share."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import pytest
import shiboken6
from PySide6.QtCore import Qt, QThreadPool, QTimer
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot

import kymaphon.app.document as module
from kymaphon.app import theme
from kymaphon.app.document import Document
from kymaphon.app.stages.cast.stage import CastStage
from kymaphon.app.stages.rig.stage import RigStage
from kymaphon.app.widgets.form import Form
from kymaphon.app.window import Window
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Show


@pytest.fixture(autouse=True)
def at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Most tests ask for one thing after the other; those of the worker, and of the real program, take this back."""
    monkeypatch.setattr(Document, "at_once", True)


@pytest.fixture(autouse=True)
def collected_here() -> Iterator[None]:
    """As in the program, garbage is collected in the window's thread and in no other: a document that a test drops has timers, and a
    worker that let go of it would leave them running for nobody.
    """
    gc.disable()
    yield
    QThreadPool.globalInstance().waitForDone()
    gc.collect()
    gc.enable()


@pytest.fixture(scope="session")
def spared() -> None:
    """What the modules have made stays: collecting garbage after each window does not look through it."""
    gc.collect()
    gc.freeze()


@pytest.fixture
def demo_known(monkeypatch: pytest.MonkeyPatch, demo: Show, demo_analysis: Report, spared: None) -> None:
    """The demo is computed once, and its remedies are tried once, for all windows that begin with it."""
    analyse = module.analyse

    def known(show: Show, *args: Any, **more: Any) -> Report:
        return demo_analysis if show is demo else analyse(show, *args, **more)

    monkeypatch.setattr(module, "analyse", known)


@pytest.fixture
def window(qtbot: QtBot, demo: Show, demo_known: None) -> Iterator[Window]:
    theme.load_fonts()
    row = Window(Document(demo))
    row.show()
    QApplication.processEvents()
    yield row
    row.document.close()
    end(row)


@pytest.fixture
def empty(qtbot: QtBot, spared: None) -> Iterator[Window]:
    """A window without a show, as at the first start: the keyboard is in it."""
    theme.load_fonts()
    row = Window(Document(autosave=False))
    row.show()
    row.activateWindow()
    qtbot.waitUntil(lambda: QApplication.focusWidget() is not None, timeout=5000)
    yield row
    row.document.close()
    end(row)


@contextmanager
def window_on(show: Show, report: Report, stage: str, monkeypatch: pytest.MonkeyPatch) -> Iterator[Window]:
    """A window on a show whose report is there already, at a stage."""
    plain = module.analyse
    monkeypatch.setattr(
        module, "analyse", lambda given, *args, **more: report if given is show else plain(given, *args, **more)
    )
    theme.load_fonts()
    row = Window(Document(show))
    row.resize(1280, 800)
    row.show()
    QApplication.processEvents()
    row.go(stage)
    yield row
    row.document.close()
    end(row)


LONGEST_S = 60.0
"""So long a laden machine may take; what has not come then never will."""


def end(window: Window) -> None:
    """Lets a window go. Workers are waited for: while one computes, Python must not collect what Qt owns in its thread."""
    # First the window goes, so that no answer asks for more; then what is still computed ends.
    shiboken6.delete(window)
    QThreadPool.globalInstance().waitForDone()
    QApplication.processEvents()
    gc.collect()


def settle(window: Window) -> None:
    """Waits for what a slow machine does in a worker: an analysis, and trying remedies."""
    end = time.monotonic() + LONGEST_S
    while time.monotonic() < end:
        QApplication.processEvents()
        if not (window.document.busy or window.offering.busy):
            return
        time.sleep(0.005)
    which = "the analysis" if window.document.busy else "the remedies"
    raise AssertionError(f"{which} never came; threads at work: {QThreadPool.globalInstance().activeThreadCount()}")


def button(window: Window, name: str) -> QPushButton:
    settle(window)
    return next(row for row in window.why.widget().findChildren(QPushButton) if row.objectName() == name)


def why_words(window: Window) -> str:
    settle(window)
    return "\n".join(row.text() for row in window.why.widget().findChildren(QLabel) if not row.isHidden())


def gain(window: Window, device: str = "desk", key: str = "in1") -> float | None:
    return window.document.show.device(device).settings[key].gain_db


@pytest.fixture
def cast(window: Window) -> CastStage:
    window.go("Cast")
    window.cast.picture.setFocus()
    return window.cast


@pytest.fixture
def rig(window: Window) -> RigStage:
    window.go("Rig")
    settle(window)
    window.rig.picture.setFocus()
    return window.rig


def at(window: Window, device: str) -> tuple[float, float]:
    found = window.document.show.device(device).at_m
    assert found is not None
    return found


def fill(form: Form, **values: Any) -> None:
    """Types into a form."""
    for name, value in values.items():
        field = form.findChild(QWidget, f"field {name}")
        if isinstance(field, QComboBox):
            field.setCurrentIndex(field.findData(value))
        elif isinstance(field, QLineEdit):
            field.setText(value)
        else:
            field.setChecked(value)  # type: ignore[union-attr]


def with_form(run: Callable[[], Any], type_: Callable[[Form], None]) -> None:
    """Opens a modal form by `run`, types into it, and takes it over."""
    seen: list[Form] = []

    def drive() -> None:
        form = QApplication.activeModalWidget()
        assert isinstance(form, Form)
        seen.append(form)
        type_(form)
        form.accept()
        if form.isVisible():
            form.reject()

    QTimer.singleShot(0, drive)
    run()
    assert seen


def press(
    qtbot: QtBot,
    cast: CastStage,
    key: Qt.Key,
    held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    times: int = 1,
) -> None:
    for _ in range(times):
        qtbot.keyClick(cast.picture, key, held)
