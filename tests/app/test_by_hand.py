"""The work of a show by keyboard alone, counted: a rig built by hand from nothing, and six questions that an operator asks."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog, QLabel, QWidget
from pytestqt.qtbot import QtBot

from kymaphon.app.stages.rig.dialogs import PlugDialog
from kymaphon.app.window import Window

KEY = Qt.Key
CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
ALT = Qt.KeyboardModifier.AltModifier
PLAIN = Qt.KeyboardModifier.NoModifier


class Hands:
    """Presses keys where the keyboard is, in the window and in the dialogs over it, and counts them."""

    def __init__(self, qtbot: QtBot, window: Window) -> None:
        self.qtbot, self.window = qtbot, window
        self.count = 0

    def _there(self) -> QWidget:
        """Where the keyboard is. A real window manager gives it back to the window when a dialog closes; here that is done for it."""
        if QApplication.activeModalWidget() is None:
            self.window.activateWindow()
        self.qtbot.waitUntil(lambda: QApplication.focusWidget() is not None, timeout=10_000)
        where = QApplication.focusWidget()
        assert isinstance(where, QWidget)
        return where

    def press(self, key: Qt.Key, held: Qt.KeyboardModifier = PLAIN) -> None:
        where = self._there()
        self.count += 1
        QTest.keyClick(where, key, held)
        if QApplication.activeModalWidget() is None:
            self.qtbot.waitUntil(lambda: not self.window.document.busy, timeout=60_000)
        QApplication.processEvents()

    def type(self, text: str) -> None:
        for letter in text:
            self.count += 1
            QTest.keyClicks(self._there(), letter)
            QApplication.processEvents()

    def in_dialog(self, open_with: Callable[[], None], *then: Callable[[QDialog], None]) -> None:
        """Opens a dialog, and works in it and in each that comes after it; every one must have closed in the end."""
        seen: list[QDialog] = []
        trouble: list[BaseException] = []

        def drive(steps: tuple[Callable[[QDialog], None], ...]) -> None:
            dialog = QApplication.activeModalWidget()
            ready = isinstance(dialog, QDialog) and dialog.isActiveWindow() and QApplication.focusWidget() is not None
            if not isinstance(dialog, QDialog) or not ready or (seen and dialog is seen[-1]):
                QTimer.singleShot(20, lambda: drive(steps))
                return
            seen.append(dialog)
            if len(steps) > 1:
                QTimer.singleShot(20, lambda: drive(steps[1:]))
            try:
                steps[0](dialog)
            except BaseException as problem:  # noqa: BLE001 - told below, outside of Qt
                trouble.append(problem)
            if dialog.isVisible():
                dialog.reject()

        QTimer.singleShot(20, lambda: drive(then))
        open_with()
        self.qtbot.waitUntil(lambda: not self.window.document.busy, timeout=60_000)
        assert not trouble, trouble
        assert len(seen) == len(then)

    def told(self) -> str:
        """What the Why panel says."""
        rows = [row.text() for row in self.window.why.findChildren(QLabel) if row.isVisibleTo(self.window.why)]
        return "\n".join(rows)


def test_a_podcast_with_a_guest_far_away_by_hand_in_at_most_sixty_keys(qtbot: QtBot, empty: Window) -> None:
    """Two people at microphones, an interface, a laptop, a guest far away, a recording; from an empty show, without the questions."""
    hands = Hands(qtbot, empty)
    said: list[str] = []
    empty.document.trouble.connect(said.append)

    def enter(text: str) -> Callable[[QDialog], None]:
        def step(_dialog: QDialog) -> None:
            hands.type(text)
            hands.press(KEY.Key_Return)

        return step

    def away(_dialog: QDialog) -> None:
        hands.press(KEY.Key_Escape)

    def plug(dialog: QDialog) -> None:
        assert isinstance(dialog, PlugDialog)
        assert dialog.outs.value() == "soft-mixer.out"  # not a socket of the laptop: its own come last
        hands.press(KEY.Key_Return)
        hands.press(KEY.Key_Return)

    hands.in_dialog(lambda: hands.press(KEY.Key_D, CTRL), enter("lapt"))
    hands.in_dialog(lambda: hands.press(KEY.Key_D, CTRL), enter("mixer"), away)
    hands.in_dialog(lambda: hands.press(KEY.Key_D, CTRL), enter("two"))
    hands.in_dialog(lambda: hands.press(KEY.Key_D, CTRL), enter("rec"), plug)
    hands.in_dialog(lambda: hands.press(KEY.Key_D, CTRL | SHIFT), enter("Ann"))
    hands.in_dialog(lambda: hands.press(KEY.Key_D, CTRL | SHIFT), enter("Ben"))
    hands.in_dialog(lambda: hands.press(KEY.Key_F, CTRL | SHIFT), enter("Cy"))
    assert "All of its USB lead is plugged: 3 channels, to the mixer program and back." in said
    show = empty.document.show
    kinds = [row.kind for row in show.devices if row.kind != "headphones"]
    assert sorted(kinds) == sorted(
        [
            "laptop",
            "soft-mixer",
            "interface-2",
            "recorder",
            "dynamic-close",
            "condenser-tight",
            "conference-app",
            "laptop",
            "usb-microphone",
            "earphones",
        ]
    )
    for stage in (KEY.Key_U, KEY.Key_E):
        hands.press(stage, CTRL)
        qtbot.waitUntil(lambda: empty.why.proposal() is not None, timeout=60_000)
        hands.press(KEY.Key_Return, CTRL)
    # What was added before there was a room stands in it, and the leads are as long as across a table.
    assert {row.place for row in empty.document.show.devices if "cy" not in row.id} == {"room"}
    assert all(row.length_m is None or row.length_m <= 5 for row in empty.document.show.cables)
    report = empty.document.analysis
    assert report.counts()["stop"] == report.counts()["fix"] == 0
    verdicts = {key: feed.verdict for key, feed in report.feeds.items()}
    assert verdicts["cy", "cy"] == "silent"
    assert verdicts["recording", "ann"] == verdicts["recording", "cy"] == verdicts["cy", "ben"] == "heard"
    assert hands.count <= 60
    # Each was one step, and is one undo.
    assert empty.document.undo_stack.count() <= 10
    while empty.document.undo_stack.canUndo():
        empty.document.undo_stack.undo()
    assert not empty.document.show.devices
    assert not empty.document.show.parties


class TestSixQuestions:
    """Each in at most four keys, on the demo as it opens."""

    @pytest.fixture
    def hands(self, qtbot: QtBot, window: Window) -> Hands:
        return Hands(qtbot, window)

    def test_who_gets_an_echo(self, hands: Hands) -> None:
        hands.press(KEY.Key_6, CTRL)
        assert "Ferry gets its own voice back 164.1 ms late" in hands.told()
        assert hands.count <= 4

    def test_ilse_six_decibels_louder_without_clipping(self, hands: Hands) -> None:
        said: list[str] = []

        def ask(dialog: QDialog) -> None:
            hands.type("i")
            found = dialog.findChild(QLabel, "effect")
            assert isinstance(found, QLabel)
            hands.qtbot.waitUntil(lambda: "channel 3" in found.text(), timeout=30_000)
            said.append(found.text())
            hands.press(KEY.Key_Return)

        before = hands.window.document.analysis.main_ladders["ilse"].last.speech_db
        hands.in_dialog(lambda: hands.press(KEY.Key_U, CTRL | SHIFT), ask)
        assert said[0].startswith("Add 6 dB at: Desk, channel 3, gain. Peaks ")
        assert "below clipping" in said[0]
        after = hands.window.document.analysis.main_ladders["ilse"].last.speech_db
        assert after - before == pytest.approx(6.0, abs=0.05)
        assert hands.count <= 4

    def test_why_is_it_hollow(self, hands: Hands) -> None:
        hands.press(KEY.Key_1, CTRL)
        assert "the two arrivals lie 3.1 ms apart: hollow" in hands.told()
        assert hands.count <= 4

    def test_what_does_this_knob_move(self, hands: Hands) -> None:
        hands.press(KEY.Key_4, CTRL)
        assert "It moves Mira for " in hands.told()
        assert hands.count <= 4

    def test_which_microphone_is_better(self, hands: Hands) -> None:
        hands.press(KEY.Key_1, CTRL)
        hands.press(KEY.Key_3, ALT)
        assert hands.window.cast.view == "best"
        assert hands.count <= 4

    def test_print_the_doing_list(self, hands: Hands, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
        path = tmp_path / "doing.pdf"

        def asked(_parent: object, title: str, name: str, _filter: str) -> tuple[str, str]:
            hands.count += 1  # Enter takes the name that stands there
            assert "rig sheet" in title
            assert name.endswith("rig-sheet.pdf")
            return str(path), ""

        monkeypatch.setattr(QFileDialog, "getSaveFileName", asked)
        hands.press(KEY.Key_I, CTRL)
        assert (hands.window.stage, hands.window.feeds.view) == ("Feeds", "doing")
        hands.press(KEY.Key_P, CTRL)
        hands.qtbot.waitUntil(path.exists, timeout=60_000)
        assert hands.count <= 4
