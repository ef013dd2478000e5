"""Prove as an operator works with it: one hand on the keys, a hidden fault found, what was proven kept and gone stale by an edit."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

import kymaphon.app.stages.prove.listen as module
from kymaphon.app.player import NoPlayerError
from kymaphon.app.stages.prove.listen import PEAK, ListenPage
from kymaphon.app.stages.prove.pairs import PairsPage
from kymaphon.app.stages.prove.ready import ReadyPage
from kymaphon.app.stages.prove.stage import ProveStage
from kymaphon.app.widgets.tap_picture import TapPicture
from kymaphon.app.window import Window
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.sim.playing import ShowPlayer
from tests.app.conftest import button, settle, why_words


def wait(window: Window) -> None:
    """Until the diagnosis is there."""
    for _ in range(2000):
        QApplication.processEvents()
        if not (window.prove.bench.busy or window.document.busy):
            QApplication.processEvents()
            if not window.prove.bench.busy:
                return
        time.sleep(0.005)
    raise AssertionError("the diagnosis never came")


@pytest.fixture
def prove(window: Window, repaired: Show) -> ProveStage:
    window.document.replace(repaired, None)
    window.go("Prove")
    wait(window)
    return window.prove


def press(prove: ProveStage, qtbot: QtBot, *keys: Qt.Key | str) -> None:
    for key in keys:
        pressed = Qt.Key(ord(key)) if isinstance(key, str) else key
        qtbot.keyClick(prove.tap.picture, pressed)
        wait(prove.window())  # type: ignore[arg-type]


def hide(prove: ProveStage, name: str) -> None:
    assert prove.bench.model is not None
    prove.bench.hidden = (next(row for row in prove.bench.model.faults if row.id == name),)


class TestTap:
    def test_it_begins_with_the_tap_that_tells_most_and_the_keyboard_in_its_picture(
        self, window: Window, prove: ProveStage
    ) -> None:
        bench = prove.bench
        assert bench.model is not None
        assert bench.diagnosis is not None
        ask = bench.diagnosis.next_tap()
        assert ask is not None
        assert bench.tap == bench.model.taps[ask[0]].id
        assert prove.tap.first() is prove.tap.picture
        assert "should move" in prove.subtitle.text()
        assert "bits still open" in why_words(window)

    def test_answers_by_keys_go_on_to_the_next_meter(self, prove: ProveStage, qtbot: QtBot) -> None:
        picture = prove.tap.picture
        press(prove, qtbot, "Y")
        assert picture.index == 1
        assert picture.rows[0].seen is not None
        assert not picture.rows[0].wrong
        press(prove, qtbot, "N")
        assert picture.rows[1].wrong
        assert picture.rows[1].seen == -float("inf")
        press(prove, qtbot, "4")
        assert picture.rows[2].seen == pytest.approx(picture.rows[2].expected - 20, abs=0.6)
        assert picture.rows[2].wrong
        assert len(prove.bench.seen) == 3

    def test_backspace_takes_answers_back_one_by_one(self, prove: ProveStage, qtbot: QtBot, window: Window) -> None:
        press(prove, qtbot, "Y", "N", Qt.Key.Key_Backspace)
        assert len(prove.bench.seen) == 1
        press(prove, qtbot, Qt.Key.Key_Backspace, Qt.Key.Key_Backspace)
        assert not prove.bench.seen
        assert "nothing to take back" in window.status.text()

    def test_all_the_rest_as_it_should(self, prove: ProveStage, qtbot: QtBot) -> None:
        press(prove, qtbot, "N", "A")
        rows = prove.tap.picture.rows
        assert all(row.seen is not None for row in rows)
        assert [row.wrong for row in rows] == [True] + [False] * (len(rows) - 1)

    def test_arrows_and_the_mouse_choose_a_meter_and_why_follows(
        self, window: Window, prove: ProveStage, qtbot: QtBot
    ) -> None:
        picture = prove.tap.picture
        press(prove, qtbot, Qt.Key.Key_Right)
        assert picture.index == 1
        assert f"{picture.rows[1].name}, {picture.rows[1].part}" in why_words(window)
        press(prove, qtbot, Qt.Key.Key_End)
        assert picture.index == len(picture.rows) - 1
        assert picture.first > 0, "the last column is brought in"
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=QPoint(110, 80))
        assert picture.index == picture.first

    def test_one_silent_meter_does_not_outweigh_all_others(
        self, window: Window, prove: ProveStage, qtbot: QtBot
    ) -> None:
        """A look at the wrong lamp: told as what does not fit, not as a fault."""
        assert prove.bench.model is not None
        first = next(n for n, row in enumerate(prove.tap.picture.rows) if row.part == "main mix")
        for _ in range(first):
            press(prove, qtbot, Qt.Key.Key_Right)
        press(prove, qtbot, "N", "A")
        words = why_words(window)
        assert "All but 1 of what was seen is as planned" in words
        assert "look there again" in words

    @pytest.mark.parametrize(
        ("fault", "found"),
        [
            ("dead-cable:mic-ilse.out>desk.in3", "Ilse's microphone to Desk, channel 3"),
            ("open-crosspoint:desk.in3>send1.on", "channel 3 to send 1 is off"),
            ("swapped-pair:desk.in1~desk.in3", "swapped at Desk"),
        ],
    )
    def test_a_hidden_fault_is_found_with_two_keys(
        self, window: Window, prove: ProveStage, qtbot: QtBot, fault: str, found: str
    ) -> None:
        hide(prove, fault)
        for _ in range(8):
            press(prove, qtbot, "R")
            assert prove.bench.diagnosis is not None
            if prove.bench.diagnosis.found:
                break
            press(prove, qtbot, Qt.Key.Key_Return)
        assert found in prove.bench.diagnosis.ranked[0].label
        assert found in why_words(window)
        assert found in prove.tap.table.words.rows[0].cells[0]
        assert window.document.show.log == (), "practice writes nothing"

    def test_hide_reveal_and_begin_anew_by_the_panel(self, window: Window, prove: ProveStage) -> None:
        button(window, "act plant").click()
        wait(window)
        assert len(prove.bench.hidden) == 1
        hidden = prove.bench.hidden[0]
        button(window, "act reveal").click()
        wait(window)
        assert hidden.label in window.status.text()
        assert prove.bench.hidden == ()
        button(window, "act restart").click()
        wait(window)
        assert prove.bench.seen == {}


class TestProven:
    def prove_all(self, prove: ProveStage, qtbot: QtBot) -> None:
        assert prove.bench.model is not None
        for _ in prove.bench.model.taps:
            press(prove, qtbot, "A", Qt.Key.Key_Return)

    def test_the_whole_rig_by_two_keys_and_it_stands_in_the_log(
        self, window: Window, prove: ProveStage, qtbot: QtBot
    ) -> None:
        self.prove_all(prove, qtbot)
        proofs = prove.bench.proofs
        assert len(proofs) == 57
        assert all(row.holds for row in proofs)
        assert window.rail.describe("Prove") == "Prove: 57 of 57"
        assert sum(len(entry.proven) for entry in window.document.show.log) == 57
        assert "Every tap shows what it should" in why_words(window)

    def test_an_edit_makes_just_its_own_ways_stale_and_tapping_proves_them_again(
        self, window: Window, prove: ProveStage, qtbot: QtBot
    ) -> None:
        self.prove_all(prove, qtbot)
        window.document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), 30.0),), "gain")
        wait(window)
        stale = {(row.listener, row.voice) for row in prove.bench.proofs if row.stale}
        assert {voice for _, voice in stale} == {"mira"}
        assert window.rail.describe("Prove") == f"Prove: {57 - len(stale)} of 57"
        left = {what for (tap, _), what in prove.bench.seen.items() if tap == "mira"}
        assert left <= {"silent"}, "what moved at her tap is of a rig that is no more; what was silent still is"
        assert {tap for tap, _ in prove.bench.seen} >= {"tam", "ilse", "ferry"}
        prove.bench.choose("mira")
        press(prove, qtbot, "A", Qt.Key.Key_Return)
        assert all(row.holds for row in prove.bench.proofs)

    def test_undo_takes_back_the_edit_and_not_the_log(self, window: Window, prove: ProveStage, qtbot: QtBot) -> None:
        self.prove_all(prove, qtbot)
        count = len(window.document.show.log)
        window.document.apply((SetValue(SettingRef("desk", "send2", "fader_db"), -3.0),), "fader")
        wait(window)
        assert any(row.stale for row in prove.bench.proofs)
        window.document.undo_stack.undo()
        wait(window)
        assert len(window.document.show.log) == count
        assert all(row.holds for row in prove.bench.proofs), "the way is again as it was tapped"

    def test_what_a_simulated_rig_shows_proves_nothing_of_the_real_one(
        self, window: Window, prove: ProveStage, qtbot: QtBot
    ) -> None:
        press(prove, qtbot, "R")
        assert "proves nothing of the real one" in why_words(window)
        press(prove, qtbot, Qt.Key.Key_Return)
        assert window.document.show.log == ()
        assert not any(row.holds for row in prove.bench.proofs)
        prove.bench.choose(next(iter(prove.bench.seen))[0])
        ear = next(n for n, row in enumerate(prove.tap.picture.rows) if row.part == "what they hear")
        prove.tap.picture._go(ear)
        press(prove, qtbot, "Y", Qt.Key.Key_Return)
        assert sum(row.holds for row in prove.bench.proofs) == 1, "what was looked at by hand, and that alone"

    def test_the_list_of_pairs_leads_to_the_tap(self, window: Window, prove: ProveStage, qtbot: QtBot) -> None:
        prove.choose_view("pairs")
        page = prove.page
        assert isinstance(page, PairsPage)
        assert "0 of 57 proven" in prove.subtitle.text()
        row = next(n for n, pair in enumerate(page.rows) if pair.voice == "tam")
        page.table.setCurrentIndex(page.table.words.index(row, 0))
        assert "Nobody has looked yet" in why_words(window)
        qtbot.keyClick(page.table, Qt.Key.Key_Return)
        wait(window)
        assert prove.view == "tap"
        assert prove.bench.tap == "tam"


class TestBadRigs:
    def test_an_empty_show_says_what_comes_first(self, window: Window, qtbot: QtBot) -> None:
        window.document.replace(Show(), None)
        window.go("Prove")
        wait(window)
        assert "Cast and Rig come first" in window.prove.subtitle.text()
        for key in (Qt.Key.Key_Y, Qt.Key.Key_Return, Qt.Key.Key_R, Qt.Key.Key_A, Qt.Key.Key_Backspace):
            qtbot.keyClick(window.prove.tap.picture, key)
        for name in ("next", "read", "plant", "reveal", "restart"):
            window.prove.act(name)
        window.grab()

    def test_a_rig_that_howls_is_sent_to_feeds_and_comes_back_once_it_is_mended(
        self, window: Window, qtbot: QtBot
    ) -> None:
        from tests.conftest import two_desks

        both = {"in5>send1": {"on": True}, "in5": {"gain_db": 20}}
        window.document.replace(two_desks(a=both, b=both), None)
        window.go("Prove")
        wait(window)
        assert "howls" in window.prove.subtitle.text()
        window.document.apply((SetValue(SettingRef("desk-a", "in5>send1", "on"), False),), "open")
        wait(window)
        assert "should move" in window.prove.subtitle.text()

    def test_both_themes_and_large_text_draw(self, window: Window, prove: ProveStage, qtbot: QtBot) -> None:
        press(prove, qtbot, "N", "A")
        for scale in (1.0, 1.5):
            window.set_scale(scale)
            window.swap_theme()
            settle(window)
            assert not window.grab().isNull()
        picture = prove.findChild(TapPicture)
        assert picture is not None
        assert "must not move" in picture.accessibleDescription()


class TestReady:
    def test_enter_goes_where_a_point_is_settled_or_notes_that_it_was(
        self, window: Window, prove: ProveStage, qtbot: QtBot
    ) -> None:
        prove.choose_view("ready")
        page = prove.page
        assert isinstance(page, ReadyPage)
        count = len(page.points)
        assert f"{count} open" in prove.subtitle.text()
        place = next(n for n, row in enumerate(page.points) if row.id == "consent")
        page.table.setCurrentIndex(page.table.words.index(place, 0))
        assert button(window, "act settle").text() == "It was done: note it"
        qtbot.keyClick(page.table, Qt.Key.Key_Return)
        wait(window)
        assert window.document.show.log[-1].subject == "consent"
        assert len(page.points) == count - 1
        place = next(n for n, row in enumerate(page.points) if row.id == "line-up")
        page.table.setCurrentIndex(page.table.words.index(place, 0))
        qtbot.keyClick(page.table, Qt.Key.Key_Return)
        assert window.stage == "Level"
        assert window.level.view == "run"

    def test_taps_are_settled_on_the_stage_itself(self, window: Window, prove: ProveStage, qtbot: QtBot) -> None:
        prove.choose_view("ready")
        page = prove.page
        assert isinstance(page, ReadyPage)
        place = next(n for n, row in enumerate(page.points) if row.id == "unproven")
        page.table.setCurrentIndex(page.table.words.index(place, 0))
        qtbot.keyClick(page.table, Qt.Key.Key_Return)
        assert prove.view == "tap"


class TestListen:
    @pytest.fixture
    def listen(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> ListenPage:
        monkeypatch.setattr(module, "SECONDS", 1.0)
        window.go("Prove")
        window.prove.choose_view("listen")
        page = window.prove.page
        assert isinstance(page, ListenPage)
        page.listener.setCurrentIndex(page.listener.findData("ferry"))
        page._begin()
        self.wait(page)
        return page

    def wait(self, page: ListenPage) -> None:
        for _ in range(6000):
            QApplication.processEvents()
            if page.versions and len(page.sounds) == len(page.versions):
                return
            time.sleep(0.005)
        raise AssertionError("the versions were never played")

    def test_own_voice_is_gone_after_its_remedy(self, listen: ListenPage) -> None:
        """Of Ferry alone, who speaks: as the show is it comes back; in the version with that send off nothing of it does."""
        place = next(n for n, row in enumerate(listen.versions) if row.about.startswith("Echo: Ferry hears itself"))
        assert listen.sounds[place].shape == listen.sounds[0].shape
        assert not np.array_equal(listen.sounds[place], listen.sounds[0])
        powers = []
        for version in (listen.versions[0], listen.versions[place]):
            report = analyse(version.show)
            mouth = report.graph.mouths["ferry"][0]
            own = np.random.default_rng(1).normal(0, 1.0, 48000)
            heard = ShowPlayer(report, noise=False).listen("ferry", 1.0, sources={mouth: own})
            powers.append(10 * np.log10(float((heard**2).mean()) + 1e-30))
        assert powers[1] < powers[0] - 30

    def test_versions_are_switched_while_it_plays_and_go_on_from_there(
        self, window: Window, listen: ListenPage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        played: list[np.ndarray] = []
        monkeypatch.setattr(listen._player, "play", lambda sound, rate: played.append(sound))
        monkeypatch.setattr(listen._player, "stop", lambda: None)
        qtbot.keyClick(listen.table, Qt.Key.Key_Return)
        assert len(played) == 1
        assert float(np.abs(played[0]).max()) <= PEAK + 1e-6
        monkeypatch.setattr(listen._clock, "elapsed", lambda: 250)
        listen.table.setCurrentIndex(listen.table.words.index(1, 0))
        assert len(played) == 2
        expected = np.roll(listen.sounds[1], -12000, axis=1) * listen._gain()
        assert played[1] == pytest.approx(expected.T.astype(np.float32), abs=1e-6)
        assert "Stop" in button(window, "act play").text()
        qtbot.keyClick(listen.table, Qt.Key.Key_Return)
        assert not listen._playing

    def test_on_a_telephone_it_is_thinner_and_says_what_is_assumed(self, window: Window, listen: ListenPage) -> None:
        plain = listen.heard(0)
        listen.through.setCurrentIndex(listen.through.findData("phone"))
        listen.through.activated.emit(listen.through.currentIndex())
        thin = listen.heard(0)
        assert plain is not None
        assert thin is not None
        assert float((thin**2).mean()) < float((plain**2).mean())
        assert "500 Hz to 8000 Hz; assumed" in why_words(window)

    def test_without_anything_to_play_with_it_says_what_to_do(
        self, window: Window, listen: ListenPage, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        def silent(*_given: object) -> None:
            raise NoPlayerError("Nothing here can play sound.")

        monkeypatch.setattr(listen._player, "play", silent)
        listen.act("play")
        assert "Nothing here can play sound" in window.status.text()
        assert not listen._playing

    def test_it_is_saved_and_a_name_that_cannot_be_is_told(
        self, window: Window, listen: ListenPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        for name, words in (("heard.flac", "Saved: heard.flac"), ("no/such/folder.wav", "cannot be written")):
            target = str(tmp_path / name)
            monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, target=target: (target, ""))
            listen.act("save")
            assert words in window.status.text()
        assert soundfile.info(tmp_path / "heard.flac").duration == pytest.approx(1.0)

    def test_nobody_listens(self, window: Window) -> None:
        window.document.replace(Show(), None)
        window.go("Prove")
        window.prove.choose_view("listen")
        assert "Nobody listens in this show yet" in window.prove.subtitle.text()
        for act in ("play", "save"):
            window.prove.act(act)
        window.grab()
