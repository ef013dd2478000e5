"""The window's frame: there before anything is computed; what is typed and chosen meanwhile is done once there is a show."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from kymaphon.app import theme
from kymaphon.app.document import Document
from kymaphon.app.start import fill, frame
from kymaphon.app.window import SEEKING, Window
from kymaphon.core.model.show import Show
from tests.app.conftest import end, gain, settle

LIGHT = """
import sys
from PySide6.QtWidgets import QApplication
app = QApplication(sys.argv)
from kymaphon.app.start import frame
window = frame()
assert window.isVisible() and window.rail.isVisible() and window.menuBar().actions()
print(sorted(name for name in sys.modules if name.split(".")[0] in ("numpy", "scipy", "pydantic")))
print(sorted(name for name in sys.modules if name.startswith("kymaphon.core")))
"""


@pytest.fixture
def bare(qtbot: QtBot) -> Iterator[Window]:
    theme.load_fonts()
    row = Window()
    row.show()
    QApplication.processEvents()
    yield row
    if row.furnished:
        row.document.close()
    end(row)


def test_it_needs_nothing_that_computes() -> None:
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", LIGHT], env=environment, capture_output=True, text=True, timeout=60, check=True
    )
    heavy, core = done.stdout.splitlines()
    assert heavy == "[]"
    assert core == str(["kymaphon.core", "kymaphon.core.model", "kymaphon.core.model.stages", "kymaphon.core.words"])


def test_the_command_that_starts_it_needs_nothing_that_computes_either() -> None:
    code = "import sys, kymaphon.cli; print([name for name in ('numpy', 'pydantic', 'PySide6') if name in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout.strip() == "[]"


def test_it_says_that_nothing_is_known_yet(bare: Window) -> None:
    assert {row.text() for row in bare.bar.counts.values()} == {"\u2013"}
    assert bare.rail.describe("Level") == "Level"
    assert bare.rail.current == ""
    assert not bare.bar.counts["stop"].isEnabled(), "a press would lead nowhere"


def test_keys_typed_before_the_show_is_there_reach_what_has_the_keyboard_then(
    bare: Window, qtbot: QtBot, demo: Show
) -> None:
    for _ in range(3):
        qtbot.keyClick(bare, Qt.Key.Key_Up)
    bare.furnish(Document(demo, autosave=False))
    bare.begin()
    assert bare.level.picture.hasFocus() or bare.focusWidget() is bare.level.picture
    assert gain(bare) == 45, "three steps up from 42"


def test_commands_and_keys_are_done_in_their_order(bare: Window, qtbot: QtBot, demo: Show) -> None:
    qtbot.keyClick(bare, Qt.Key.Key_Up)
    bare.activateWindow()
    qtbot.keyClick(bare, "6", Qt.KeyboardModifier.ControlModifier)
    assert bare.stage == "", "there is none yet"
    bare.furnish(Document(demo, autosave=False))
    bare.begin()
    assert gain(bare) == 43, "on Level, before it went on"
    assert bare.stage == "Feeds"


def test_every_command_waits(bare: Window, demo: Show) -> None:
    """Each of them before there is a show: none may fail, none may do anything."""
    from kymaphon.app.widgets.command_list import commands_of

    rows = commands_of(bare.menuBar())
    assert len(rows) > 60
    for row in rows:
        row.trigger()
    for menu in (bare.menus.recent, bare.menus.practice, bare.menus.detach):
        menu.aboutToShow.emit()
    assert not bare.ready
    assert len(bare._held) >= len(rows)
    bare._held.clear()
    bare.furnish(Document(demo, autosave=False))
    bare.begin()
    assert bare.stage == "Level"


def test_it_can_be_closed_before_there_is_a_show(bare: Window) -> None:
    assert bare.close()
    assert not bare.isVisible()


def test_the_demo_comes_into_the_frame_and_each_step_is_told(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Document, "at_once", False)
    told: list[str] = []
    window = frame()
    say = window.status.setText
    monkeypatch.setattr(window.status, "setText", lambda words: (told.append(words), say(words)))
    told.append(window.status.text())
    qtbot.keyClick(window, Qt.Key.Key_Up)
    fill(window, None, demo=True, autosave=False)
    settle(window)
    assert told[0] == "Starting \u2026"
    assert "Computing Lantern Quay \u2026" in told
    assert SEEKING in told
    assert told.index(SEEKING) > told.index("Computing Lantern Quay \u2026")
    assert window.status.text() not in (SEEKING, told[0])
    assert window.stage == "Level"
    assert gain(window) == 43
    assert window.bar.counts["stop"].text() == str(window.document.analysis.counts()["stop"])
    window.document.close()
    end(window)


def test_without_a_show_it_begins_with_three_questions(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Document, "at_once", False)
    window = frame()
    fill(window, None, autosave=False)
    settle(window)
    assert window.stage == "Welcome"
    assert not window.document.analysis.standing
    assert window.bar.counts["stop"].text() == "0"
    window.document.close()
    end(window)


def test_of_another_show_nothing_is_said_before_it_was_searched(
    window: Window, repaired: Show, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The counts of the show before must not stand beside this one's figures."""
    import kymaphon.app.document as module
    from tests.app.test_worker import Slow

    window.go("Rig")
    settle(window)
    before = window.bar.counts["fix"].text()
    assert before != "0"
    window.document.at_once = False
    slow = Slow(monkeypatch)
    window.document.replace(repaired.with_(title="Another"), None)
    qtbot.waitUntil(lambda: slow.asked > 0, timeout=8000)
    assert window.document.show.title == "Another"
    assert window.document.analysis.unsearched
    # On a laden machine it says by now that it is being computed: a dash, and dots after it.
    assert {row.text()[:1] for row in window.bar.counts.values()} == {"\u2013"}
    assert "being looked for" in window.rig.subtitle.text()
    assert "Nothing speaks against" not in window.rig.why().hint
    slow.go_on.set()
    settle(window)
    assert "being looked for" not in window.rig.subtitle.text()
    assert window.bar.counts["fix"].text() == str(window.document.analysis.counts()["fix"])
    assert module.report is slow
