"""What an edit computes in the worker: first figures, drawn at once with the findings as they stood, then its own findings."""

from __future__ import annotations

import time
from collections.abc import Iterator
from threading import Event

import pytest
from PySide6.QtCore import QThreadPool
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot

import kymaphon.app.document as module
from kymaphon.app.window import Window
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.edits import SetValue, Unplug
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.stopping import check_wanted
from tests.app.conftest import button, settle
from tests.core.analysis.test_incremental import told

GAIN = SettingRef("desk", "in1", "gain_db")


class Slow:
    """Stands in for the search for findings, which waits for a word: so that what is drawn meanwhile can be looked at."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.go_on, self.asked = Event(), 0
        self._real = module.report
        monkeypatch.setattr(module, "report", self)

    def __call__(self, figures: Computed, before: Report | None = None) -> Report:
        self.asked += 1
        while not self.go_on.wait(0.002):
            check_wanted()
        return self._real(figures, before)


@pytest.fixture
def slow(window: Window, monkeypatch: pytest.MonkeyPatch) -> Iterator[Slow]:
    window.document.at_once = False
    row = Slow(monkeypatch)
    yield row
    row.go_on.set()


def turn(window: Window, value: float) -> None:
    window.document.apply((SetValue(GAIN, value),), f"gain {value}")


def drawn_gain(window: Window) -> float | None:
    """What the picture of the ladder shows."""
    return next(knob.value for row in window.level.rungs for knob in row.knobs if knob.ref == GAIN)  # type: ignore[return-value]


def _words(window: Window) -> str:
    """What Why says now, without waiting for anything."""
    return "\n".join(row.text() for row in window.why.widget().findChildren(QLabel) if not row.isHidden())


def until_sought(qtbot: QtBot, slow: Slow, times: int = 1) -> None:
    """Waits until the search for findings runs."""
    qtbot.waitUntil(lambda: slow.asked >= times, timeout=5000)


class TestFiguresFirst:
    def test_the_picture_shows_a_turned_gain_while_findings_are_looked_for(
        self, window: Window, slow: Slow, qtbot: QtBot
    ) -> None:
        before = window.document.analysis
        counts = {name: row.text() for name, row in window.bar.counts.items()}
        turn(window, 20.0)
        until_sought(qtbot, slow)
        drawn = window.document.analysis
        assert drawn.standing
        assert drawn.show is window.document.show
        assert drawn_gain(window) == 20.0
        expected = analyse(window.document.show).ladder(window.level.voice, window.level.end)
        assert window.level.ladder.last.speech_db == expected.last.speech_db
        assert drawn.findings == before.findings, "as they stood"
        # On a slow machine the mark that they are being looked for anew stands behind them by now.
        assert {name: row.text().removesuffix(" \u2026") for name, row in window.bar.counts.items()} == counts
        assert window.document.busy, "it says that it is not done"

    def test_findings_follow_and_are_those_of_the_show(self, window: Window, slow: Slow, qtbot: QtBot) -> None:
        turn(window, 0.0)
        until_sought(qtbot, slow)
        slow.go_on.set()
        settle(window)
        assert not window.document.analysis.standing
        fresh = analyse(window.document.show)
        assert told(window.document.analysis) == told(fresh)
        assert window.bar.counts["stop"].text() == str(fresh.counts()["stop"])
        assert window.document.settled is window.document.analysis

    def test_nothing_is_offered_by_findings_of_another_state(self, window: Window, slow: Slow, qtbot: QtBot) -> None:
        window.go("Feeds")
        qtbot.wait(50)
        turn(window, 20.0)
        until_sought(qtbot, slow)
        qtbot.wait(200)
        assert window.why.trying
        assert not window.offering.busy
        slow.go_on.set()
        assert "own-voice-back" in button(window, "do own-voice-back cut-1").objectName()
        assert not window.why.trying

    def test_the_arithmetic_follows_the_picture(self, window: Window, slow: Slow, qtbot: QtBot) -> None:
        at = window.level.picture.index
        turn(window, 21.0)
        until_sought(qtbot, slow)

        def told() -> bool:
            return f"{window.level.rungs[at].speech_db:.1f}".lstrip("-") in _words(window)

        qtbot.waitUntil(told, timeout=2000)
        assert window.document.analysis.standing

    def test_a_pulled_plug_shows_nothing_of_what_was(self, window: Window, slow: Slow, qtbot: QtBot) -> None:
        before = window.document.analysis
        cable = window.document.show.cables[0]
        window.document.apply((Unplug(cable.source, cable.target),), "unplugged")
        until_sought(qtbot, slow)
        assert window.document.analysis is before, "neither half is drawn: findings may be about what is gone"
        slow.go_on.set()
        settle(window)
        assert told(window.document.analysis) == told(analyse(window.document.show))

    def test_a_newer_turn_does_not_wait_for_findings_of_an_older_one(
        self, window: Window, slow: Slow, qtbot: QtBot
    ) -> None:
        turn(window, 20.0)
        until_sought(qtbot, slow)
        turn(window, 30.0)
        qtbot.waitUntil(lambda: drawn_gain(window) == 30.0, timeout=3000)
        assert window.document.analysis.standing
        until_sought(qtbot, slow, 2)
        slow.go_on.set()
        settle(window)
        assert told(window.document.analysis) == told(analyse(window.document.show))

    def test_undone_while_findings_are_looked_for(self, window: Window, slow: Slow, qtbot: QtBot) -> None:
        before = window.document.analysis
        turn(window, 20.0)
        until_sought(qtbot, slow)
        window.document.undo_stack.undo()
        slow.go_on.set()
        settle(window)
        assert told(window.document.analysis) == told(before)
        assert window.document.show == before.show


class TestStopped:
    def test_figures_stay_and_the_rest_can_be_gone_on_with(self, window: Window, slow: Slow, qtbot: QtBot) -> None:
        turn(window, 20.0)
        until_sought(qtbot, slow)
        window.document.stop()
        assert window.document.stopped
        assert not window.document.busy
        qtbot.wait(100)
        assert drawn_gain(window) == 20.0
        assert window.document.analysis.standing
        assert window.bar.halt.isVisible()
        slow.go_on.set()
        window.bar.halt.click()
        settle(window)
        assert not window.document.stopped
        assert not window.document.analysis.standing
        assert told(window.document.analysis) == told(analyse(window.document.show))

    def test_an_error_in_the_search_is_told_and_the_figures_stay(
        self, window: Window, slow: Slow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        def broken(*_args: object) -> Report:
            raise ZeroDivisionError("made for this test")

        with monkeypatch.context() as patch:
            patch.setattr(module, "report", broken)
            with qtbot.captureExceptions() as seen:
                turn(window, 20.0)
                qtbot.waitUntil(lambda: bool(seen), timeout=5000)
        assert seen[0][0] is ZeroDivisionError
        assert drawn_gain(window) == 20.0
        assert window.document.stopped, "it is not asked for anew by itself"
        slow.go_on.set()
        turn(window, 21.0)
        settle(window)
        assert told(window.document.analysis) == told(analyse(window.document.show))


class TestPreviews:
    def test_a_preview_is_drawn_before_its_findings_and_its_end_takes_it_back(
        self, window: Window, slow: Slow, qtbot: QtBot
    ) -> None:
        before = window.document.analysis
        window.document.preview((SetValue(GAIN, 10.0),), "quiet")
        until_sought(qtbot, slow)
        assert drawn_gain(window) == 10.0
        assert window.document.show is before.show
        window.document.end_preview()
        assert drawn_gain(window) == 42.0
        slow.go_on.set()
        settle(window)
        assert window.document.analysis is before
        assert drawn_gain(window) == 42.0

    def test_figures_of_a_preview_that_was_ended_do_not_come_back(
        self, window: Window, slow: Slow, qtbot: QtBot
    ) -> None:
        for value in range(10, 30):
            window.document.preview((SetValue(GAIN, float(value)),), f"{value}")
            window.document.end_preview()
        slow.go_on.set()
        for _ in range(40):
            QApplication.processEvents()
            time.sleep(0.005)
            assert drawn_gain(window) == 42.0
        settle(window)
        assert not window.document.analysis.standing


def test_a_closed_document_asks_for_nothing_any_more(window: Window, slow: Slow, qtbot: QtBot) -> None:
    """What is stopped by closing must not begin anew: it would compute for a window that is no more."""
    turn(window, 20.0)
    until_sought(qtbot, slow)
    window.document.close()
    for _ in range(40):
        QApplication.processEvents()
        time.sleep(0.005)
    assert slow.asked == 1
    assert QThreadPool.globalInstance().activeThreadCount() == 0
