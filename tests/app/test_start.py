"""Starting, being killed, and going wrong."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication, QMessageBox

from kymaphon.app import recovery, state
from kymaphon.app.start import unexpected
from kymaphon.app.window import Window
from kymaphon.cli import main
from kymaphon.core.model.show import Show

EDIT_AND_DIE = """
import os, signal, sys
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from kymaphon.app import theme
from kymaphon.app.document import Document
from kymaphon.app.window import Window
from kymaphon.core.model.edits import SetField
from kymaphon.files.demo import demo_path
from kymaphon.files.show_file import read_show
app = QApplication(sys.argv)
window = Window(Document(read_show(demo_path())))
window.show()
window.document.apply((SetField("show", None, "title", "Typed and never saved"),), "title")
QTimer.singleShot(5000, lambda: os.kill(os.getpid(), signal.SIGKILL))
app.exec()
"""


def test_what_was_typed_is_there_after_a_kill(tmp_path: Path) -> None:
    """A real process, really killed; the next one finds the show."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", EDIT_AND_DIE], env=environment, capture_output=True, text=True, timeout=90
    )
    assert done.returncode == -signal.SIGKILL, done.stderr
    found = recovery.left_behind()
    assert [row.show.title for row in found] == ["Typed and never saved"]


def test_the_demo_leaves_a_picture_without_a_screen(tmp_path: Path) -> None:
    """Opened as `make demo` opens it where there is no display; the picture is a PNG of the window's size."""
    target = tmp_path / "demo.png"
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "kymaphon", "--demo", "--picture", str(target)]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=90)
    assert done.returncode == 0, done.stderr
    head = target.read_bytes()[:24]
    assert head[:8] == b"\x89PNG\r\n\x1a\n"
    assert (int.from_bytes(head[16:20], "big"), int.from_bytes(head[20:24], "big")) == (1280, 800)


@pytest.mark.parametrize("text", ["", '{"kymaphon": 4}'])
def test_a_show_that_cannot_be_opened_is_said_and_leaves_no_window(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], text: str
) -> None:
    path = tmp_path / "bad.json"
    path.write_text(text)
    assert main([str(path)]) == 2
    assert capsys.readouterr().err.startswith("kymaphon: bad.json")
    assert not [row for row in QApplication.topLevelWidgets() if row.isVisible()]


def test_a_mistake_of_ours_is_kept_shown_and_costs_nothing(
    window: Window, monkeypatch: pytest.MonkeyPatch, demo: Show
) -> None:
    shown: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: shown.append(box.detailedText()) or 0)
    from kymaphon.core.model.edits import SetField

    window.document.apply((SetField("show", None, "title", "Precious"),), "title")
    try:
        raise RuntimeError("the desk caught fire")
    except RuntimeError as error:
        unexpected(window, type(error), error, error.__traceback__)
    assert "the desk caught fire" in shown[0]
    assert "the desk caught fire" in (state.state_folder() / "errors.log").read_text()
    kept = next((state.state_folder() / "recovery").glob("*.json"))
    assert "Precious" in json.loads(kept.read_text())["show"]


def test_recent_files_forget_what_is_gone(tmp_path: Path) -> None:
    paths = [tmp_path / f"{i}.json" for i in range(14)]
    for path in paths:
        path.write_text("{}")
        state.note_recent(path)
    assert state.recent_files() == [str(path) for path in reversed(paths[-10:])]
    paths[-1].unlink()
    assert str(paths[-1]) not in state.recent_files()
