"""Drills as an operator does them: by the keyboard alone, judged at once, kept in the log, the show untouched."""

from __future__ import annotations

import re
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QWidget
from pytestqt.qtbot import QtBot

import kymaphon.app.stages.prove.practice as module
from kymaphon.app.player import NoPlayerError
from kymaphon.app.stages.prove.practice import PracticePage
from kymaphon.app.window import Window
from kymaphon.core.model.show import Show
from kymaphon.sim.drills.asking import ByQuestions
from kymaphon.sim.drills.ear import ByEar
from kymaphon.sim.drills.line_up import LineUp
from kymaphon.sim.drills.mixes import Mixes
from tests.app.conftest import LONGEST_S, button, settle, why_words
from tests.app.test_prove_faults import Sink


def ready(window: Window) -> None:
    """Until nothing is computed any more."""
    page, end = window.prove.page, time.monotonic() + LONGEST_S
    while time.monotonic() < end:
        QApplication.processEvents()
        if not (window.document.busy or window.prove.bench.busy or getattr(page, "busy", False)):
            QApplication.processEvents()
            return
        time.sleep(0.005)
    raise AssertionError("it never came")


@pytest.fixture
def page(window: Window, repaired: Show, monkeypatch: pytest.MonkeyPatch) -> PracticePage:
    monkeypatch.setattr(module, "Player", Sink)
    window.document.replace(repaired, None)
    settle(window)
    window.go("Prove")
    ready(window)
    window.prove.choose_view("practice")
    ready(window)
    assert isinstance(window.prove.page, PracticePage)
    return window.prove.page


def begun(window: Window, page: PracticePage, qtbot: QtBot, name: str) -> QWidget:
    """A drill begun by Enter on its row; where the keyboard is then."""
    row = [task.id for task in page.tasks].index(name)
    page.table.setFocus()
    page.table.setCurrentIndex(page.table.words.index(row, 0))
    qtbot.keyClick(page.table, Qt.Key.Key_Return)
    ready(window)
    first = page.first()
    assert first is not None
    return first


def typed(page: PracticePage, qtbot: QtBot, text: str) -> None:
    page.number.clear()
    qtbot.keyClicks(page.number, text)
    qtbot.keyClick(page.number, Qt.Key.Key_Return)


class TestLineUp:
    def test_six_talkers_by_the_keyboard_and_it_stands_in_the_log(
        self, window: Window, page: PracticePage, qtbot: QtBot
    ) -> None:
        before = window.document.show
        assert begun(window, page, qtbot, "line-up") is page.number
        assert isinstance(page.drill, LineUp)
        for _ in range(page.drill.of):
            figures = re.search(r"reads (\S+) \S+, the mark is (\S+) ", page.asked.text())
            assert figures is not None
            reading, mark = (float(row.replace("\u2212", "-")) for row in figures.groups())
            typed(page, qtbot, f"{mark - reading:g}")
        ready(window)
        assert page.drill.round is None
        assert page.table.isVisible()
        assert "6 of 6 right" in window.document.show.log[-1].text
        assert "an expert: 6 steps" in window.document.show.log[-1].text
        row = page.table.words.rows[[task.id for task in page.tasks].index("line-up")]
        assert row.cells[3].startswith("6 of 6 right")
        assert dict(row.marks)[0] == "tick"
        after = window.document.show
        assert after.model_copy(update={"log": before.log}) == before, "nothing else of the show is touched"

    def test_what_is_no_number_is_asked_for_again(self, window: Window, page: PracticePage, qtbot: QtBot) -> None:
        begun(window, page, qtbot, "line-up")
        for text in ("", "loud", "nan", "1e999"):
            typed(page, qtbot, text)
            assert page.drill is not None
            assert page.drill.steps == 0
            assert "number" in window.status.text()
        typed(page, qtbot, "3,5")
        assert page.drill is not None
        assert page.drill.steps == 1
        assert "mark less the reading" in page.said.text()

    def test_escape_leaves_and_notes_nothing(self, window: Window, page: PracticePage, qtbot: QtBot) -> None:
        log = window.document.show.log
        begun(window, page, qtbot, "line-up")
        qtbot.keyClick(page.number, Qt.Key.Key_Escape)
        assert page.drill is None
        assert page.table.isVisible()
        assert window.document.show.log == log
        assert "nothing is noted" in window.status.text()


class TestChoosing:
    def test_a_mix_by_numbers_and_space(self, window: Window, page: PracticePage, qtbot: QtBot) -> None:
        assert begun(window, page, qtbot, "mix-minus") is page.options
        assert isinstance(page.drill, Mixes)
        for _, hear, _ in list(page.drill.rows):
            for n in sorted(hear):
                if n < 2:
                    page.options.setCurrentIndex(page.options.words.index(n, 0))
                    qtbot.keyClick(page.options, Qt.Key.Key_Space)
                else:
                    qtbot.keyClick(page.options, Qt.Key(Qt.Key.Key_1 + n))
            assert page.marked == set(hear)
            qtbot.keyClick(page.options, Qt.Key.Key_Return)
        ready(window)
        assert "3 of 3 right" in window.document.show.log[-1].text

    def test_a_fault_by_ear_is_played_and_named(self, window: Window, page: PracticePage, qtbot: QtBot) -> None:
        begun(window, page, qtbot, "ear")
        ready(window)
        assert isinstance(page.drill, ByEar)
        sink = page._player
        assert isinstance(sink, Sink)
        heard = [sound for sound, rate in sink.played if rate]
        assert len(heard) == 1
        assert 0.2 < np.abs(heard[0]).max() <= 0.31
        qtbot.keyClick(page.options, Qt.Key.Key_P)
        ready(window)
        assert len([1 for _, rate in sink.played if rate]) == 2
        for sort, _, _ in list(page.drill.rows):
            qtbot.keyClick(page.options, Qt.Key(Qt.Key.Key_1 + page.drill.names.index(sort)))
            ready(window)
        assert "3 of 3 right" in window.document.show.log[-1].text

    def test_without_a_sound_output_it_says_so_and_goes_on(
        self, window: Window, page: PracticePage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
    ) -> None:
        def none(*_: object) -> None:
            raise NoPlayerError("Nothing here can play sound.")

        monkeypatch.setattr(page._player, "play", none)
        begun(window, page, qtbot, "ear")
        ready(window)
        assert "Nothing here can play sound" in window.status.text()
        # It can be heard elsewhere; a name that cannot be is told.
        for name, told in (("sound.wav", "Saved: sound.wav"), ("missing/sound.wav", "cannot be written")):
            monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), ""))
            button(window, "act save").click()
            assert told in window.status.text()
        assert soundfile.info(tmp_path / "sound.wav").duration == pytest.approx(6.0, abs=0.1)
        assert page.drill is not None
        assert page.drill.round is not None

    def test_a_cause_by_questions(self, window: Window, page: PracticePage, qtbot: QtBot) -> None:
        begun(window, page, qtbot, "questions")
        drill = page.drill
        assert isinstance(drill, ByQuestions)
        qtbot.keyClick(page.options, Qt.Key.Key_1)
        assert drill.steps == 1
        assert page.said.text()
        last = page.options.words.rowCount() - 1
        page.options.setCurrentIndex(page.options.words.index(last, 0))
        qtbot.keyClick(page.options, Qt.Key.Key_Return)
        assert "Which cause" in page.asked.text()
        qtbot.keyClick(page.options, Qt.Key.Key_2)
        ready(window)
        assert "Practice, find a cause by questions" in window.document.show.log[-1].text


class TestGate:
    def test_three_figures_and_a_verdict(self, window: Window, page: PracticePage, qtbot: QtBot) -> None:
        assert begun(window, page, qtbot, "gate") is page.number
        for text in ("0", "-3", "20"):
            typed(page, qtbot, text)
        assert "words lose something" in page.said.text()
        for _ in range(2):
            for text in ("0", "-3", "20"):
                typed(page, qtbot, text)
        ready(window)
        assert "0 of 1 right" in window.document.show.log[-1].text
        assert "An expert" in why_words(window)


class TestTapping:
    @pytest.mark.parametrize("name", ["tap", "tap-two"])
    def test_what_is_hidden_is_found_on_the_tap_test_and_noted(
        self, window: Window, page: PracticePage, qtbot: QtBot, name: str
    ) -> None:
        """Two keys again and again: read, next."""
        row = [task.id for task in page.tasks].index(name)
        page.begin(page.tasks[row], seed=3)
        ready(window)
        assert window.prove.view == "tap"
        picture = window.prove.tap.picture
        for _ in range(len(window.prove.bench.model.taps)):  # type: ignore[union-attr]
            if page.tapping is None:
                break
            qtbot.keyClick(picture, Qt.Key.Key_R)
            ready(window)
            if page.tapping is None:
                break
            qtbot.keyClick(picture, Qt.Key.Key_Return)
            ready(window)
        if name == "tap":
            assert page.tapping is None
            assert "found in" in window.document.show.log[-1].text
            assert "an expert:" in window.document.show.log[-1].text

    def test_shown_it_is_over_and_not_noted(self, window: Window, page: PracticePage) -> None:
        log = window.document.show.log
        page.begin(next(task for task in page.tasks if task.id == "tap"), seed=1)
        ready(window)
        window.prove.tap.act("reveal")
        ready(window)
        assert page.tapping is None
        assert window.document.show.log == log


def test_an_empty_show_says_what_each_drill_lacks(window: Window, qtbot: QtBot) -> None:
    window.document.replace(Show(title="None"), None)
    window.go("Prove")
    window.prove.choose_view("practice")
    page = window.prove.page
    assert isinstance(page, PracticePage)
    ready(window)
    words = [row.cells[2] for row in page.table.words.rows]
    assert "nobody speaks into a channel with a gain" in words
    page.table.setFocus()
    page.table.setCurrentIndex(page.table.words.index(0, 0))
    qtbot.keyClick(page.table, Qt.Key.Key_Return)
    assert page.drill is None
    assert "nobody" in window.status.text()


def test_another_show_ends_a_drill(window: Window, page: PracticePage, qtbot: QtBot) -> None:
    begun(window, page, qtbot, "line-up")
    window.document.replace(Show(title="Other"), None)
    ready(window)
    assert page.drill is None
    assert not window.document.show.log


def test_both_sizes_draw(window: Window, page: PracticePage, qtbot: QtBot) -> None:
    for scale in (1.0, 1.5):
        window.set_scale(scale)
        assert window.grab().width() == window.width()
    begun(window, page, qtbot, "mix-minus")
    assert window.grab().width() == window.width()
