"""A fault found in a recording, and by questions, as an operator does it: by the window's own words and the keyboard."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

import kymaphon.app.stages.prove.faults as module
from kymaphon.app.player import NoPlayerError
from kymaphon.app.stages.prove.faults import FaultsPage
from kymaphon.app.stages.prove.questions import QuestionsPage
from kymaphon.app.stages.prove.stage import ProveStage
from kymaphon.app.window import Window
from kymaphon.core.model.show import Show
from tests.app.conftest import LONGEST_S, button, why_words
from tests.core.takes.test_faults import RATE, speech
from tests.core.takes.test_faults import time as times


class Sink:
    """Stands for the sound output."""

    def __init__(self, _parent: object = None) -> None:
        self.played: list[tuple[np.ndarray, int]] = []

    def play(self, samples: np.ndarray, rate: int, *, gain_db: float = 0.0) -> None:
        self.played.append((samples, rate))

    def stop(self) -> None:
        self.played.append((np.zeros(0), 0))


def listened(stage: ProveStage) -> None:
    """Until the recording was listened to."""
    end = time.monotonic() + LONGEST_S
    while stage.ear.busy and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.005)
    QApplication.processEvents()
    assert not stage.ear.busy


@pytest.fixture
def stage(window: Window, monkeypatch: pytest.MonkeyPatch) -> ProveStage:
    monkeypatch.setattr(module, "Player", Sink)
    window.go("Prove")
    return window.prove


@pytest.fixture
def page(stage: ProveStage) -> FaultsPage:
    stage.choose_view("faults")
    listened(stage)
    assert isinstance(stage.page, FaultsPage)
    return stage.page


@pytest.fixture
def bursts(tmp_path: Path) -> Path:
    """A telephone from the eighth to the sixteenth second, and an echo."""
    sound = speech(24)
    t = times(sound)
    sound[round(0.12 * RATE) :] += 0.3 * sound[: -round(0.12 * RATE)].copy()
    sound = sound + 0.01 * (((np.mod(t, 0.004615) < 0.000577) - 0.125) * ((t >= 8) & (t < 16)))
    path = tmp_path / "bursts.wav"
    soundfile.write(path, sound, RATE, subtype="PCM_24")
    return path


def opened(stage: ProveStage, monkeypatch: pytest.MonkeyPatch, path: Path | str) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    stage.page.act("open")
    listened(stage)


class TestFaults:
    def test_a_take_of_the_show_is_listened_to_at_once(self, window: Window, page: FaultsPage) -> None:
        """The demo's take of a guest: nothing wrong with it but the room."""
        assert "guest-talk" in page.recordings.currentText()
        assert "Nothing is heard to be wrong" in window.prove.subtitle.text()
        assert len(page.strip.level) > 100
        assert not page.table.isVisible()

    def test_what_is_wrong_is_listed_and_played_place_by_place(
        self,
        window: Window,
        stage: ProveStage,
        page: FaultsPage,
        bursts: Path,
        monkeypatch: pytest.MonkeyPatch,
        qtbot: QtBot,
    ) -> None:
        opened(stage, monkeypatch, bursts)
        names = [row.cells[0] for row in page.table.words.rows]
        assert set(names) == {"telephone burst", "echo"}
        row = names.index("telephone burst")
        page.table.setFocus()
        page.table.setCurrentIndex(page.table.words.index(row, 0))
        assert "216.7 Hz" in why_words(window)
        assert "Telephones away" in why_words(window)
        assert "To be sure" in why_words(window)
        sink = page._player
        assert isinstance(sink, Sink)
        qtbot.keyClick(page.table, Qt.Key.Key_Return)
        qtbot.keyClick(page.table, Qt.Key.Key_Return)
        assert len(sink.played) == 2
        assert all(np.abs(sound).max() <= 0.41 for sound, _ in sink.played)
        # A second before each place.
        assert page.strip.marks == (8.0, 12.0)
        first, rate = sink.played[0]
        assert rate == RATE
        assert len(first) == 3 * RATE

    def test_a_press_on_the_picture_plays_from_there(
        self, stage: ProveStage, page: FaultsPage, bursts: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        opened(stage, monkeypatch, bursts)
        page.strip.grab()
        heard: list[float] = []
        page.strip.pressed.connect(heard.append)
        middle = QPoint(round(page.strip._x(12.0)), page.strip.height() // 2)
        qtbot.mouseClick(page.strip, Qt.MouseButton.LeftButton, pos=middle)
        assert heard == [pytest.approx(12.0, abs=0.1)]

    @pytest.mark.parametrize("what", ["missing", "text", "empty", "folder"])
    def test_what_is_no_recording_is_told_and_nothing_is_lost(
        self,
        window: Window,
        stage: ProveStage,
        page: FaultsPage,
        tmp_path: Path,
        monkeypatch: pytest.MonkeyPatch,
        what: str,
    ) -> None:
        path = tmp_path / "thing.wav"
        if what == "text":
            path.write_text("not sound")
        elif what == "empty":
            path.write_bytes(b"")
        elif what == "folder":
            path.mkdir()
        before = window.document.show
        opened(stage, monkeypatch, path)
        assert page.strip.empty
        assert stage.ear.heard is not None
        assert stage.ear.heard.problem
        assert page.table.words.rowCount() == 0
        assert window.document.show is before
        stage.page.act("play")  # nothing to play, and nothing breaks

    def test_a_recording_that_goes_while_it_is_listened_to_is_told(
        self, stage: ProveStage, page: FaultsPage, bursts: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(bursts), ""))
        stage.page.act("open")
        bursts.unlink()
        listened(stage)
        assert stage.ear.heard is not None
        assert stage.ear.heard.faults or stage.ear.heard.problem
        stage.page.act("play")
        stage.page._player.played.clear()  # type: ignore[attr-defined]
        assert "Listening" not in stage.subtitle.text()

    def test_without_a_sound_output_it_says_what_to_do(
        self, window: Window, stage: ProveStage, page: FaultsPage, bursts: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        opened(stage, monkeypatch, bursts)

        def none(*_: object) -> None:
            raise NoPlayerError("Nothing here can play sound: install it.")

        monkeypatch.setattr(page._player, "play", none)
        page.act("play")
        assert "Nothing here can play sound" in window.status.text()

    def test_two_recordings_are_held_against_each_other(
        self,
        window: Window,
        stage: ProveStage,
        page: FaultsPage,
        bursts: Path,
        tmp_path: Path,
        monkeypatch: pytest.MonkeyPatch,
    ) -> None:
        sound = speech(24, seed=3)
        sound[round(0.12 * RATE) :] += 0.3 * sound[: -round(0.12 * RATE)].copy()
        soundfile.write(tmp_path / "other.wav", sound, RATE, subtype="PCM_24")
        window.document.replace(Show(title="No takes"), None)
        window.go("Prove")
        opened(stage, monkeypatch, tmp_path / "other.wav")
        assert "recordings" not in why_words(window)
        opened(stage, monkeypatch, bursts)
        words = why_words(window)
        assert "Both recordings that were listened to have echo" in words
        assert "only this one has telephone burst" in words

    def test_another_show_has_other_takes_and_no_answers(
        self, window: Window, stage: ProveStage, page: FaultsPage, bursts: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        stage.ear.answer("sound", "hum")
        window.document.replace(Show(title="Other"), None)
        QApplication.processEvents()
        assert stage.ear.path is None
        assert not stage.ear.answers
        opened(stage, monkeypatch, bursts)
        window.document.replace(Show(title="Third"), None)
        assert stage.ear.path == bursts, "what was opened besides is no show's"

    def test_an_empty_show_says_what_to_open(self, window: Window, stage: ProveStage) -> None:
        window.document.replace(Show(title="None"), None)
        stage.choose_view("faults")
        QApplication.processEvents()
        assert "open any recording" in stage.subtitle.text()
        assert stage.page.first() is stage.page.open  # type: ignore[attr-defined]

    def test_both_themes_and_large_text_draw(
        self, window: Window, stage: ProveStage, page: FaultsPage, bursts: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        opened(stage, monkeypatch, bursts)
        for scale in (1.0, 1.5):
            window.set_scale(scale)
            assert window.grab().width() == window.width()


@pytest.fixture
def asked(stage: ProveStage, window: Window) -> QuestionsPage:
    window.prove.choose_view("questions")
    QApplication.processEvents()
    assert isinstance(stage.page, QuestionsPage)
    return stage.page


def causes(page: QuestionsPage) -> list[str]:
    return [row.key[1] for row in page.causes.words.rows]


def press(page: QuestionsPage, qtbot: QtBot, *keys: Qt.Key) -> None:
    for key in keys:
        qtbot.keyClick(page.answers, key)
        QApplication.processEvents()


class TestQuestions:
    def test_a_newcomer_finds_a_telephone_with_the_keyboard_alone(
        self, window: Window, asked: QuestionsPage, qtbot: QtBot
    ) -> None:
        """Reads each question, and answers as it is with a telephone beside a lead."""
        true = {
            "sound": "stutter",
            "constant": "comes",
            "phone": "changes",
            "touch": "no",
            "move": "no",
            "light": "no",
            "mains": "same",
            "where": "one",
            "desk": "before",
            "gain": "grows",
            "voice": "no",
        }
        assert asked.first() is asked.answers
        for _ in range(3):
            question = asked.question
            assert question is not None
            assert asked.asked.text() == question.text
            place = [answer for answer, _ in question.answers].index(true[question.id])
            press(asked, qtbot, Qt.Key(Qt.Key.Key_1 + place))
        assert causes(asked)[0] == "telephone"
        assert "very likely" in window.prove.subtitle.text()
        assert "Telephones away" in why_words(window)

    def test_skip_take_back_and_begin_anew(self, window: Window, asked: QuestionsPage, qtbot: QtBot) -> None:
        first = asked.question
        press(asked, qtbot, Qt.Key.Key_S)
        assert asked.question is not first
        press(asked, qtbot, Qt.Key.Key_1)
        assert len(window.prove.ear.answers) == 1
        press(asked, qtbot, Qt.Key.Key_Backspace, Qt.Key.Key_Backspace)
        assert not window.prove.ear.answers
        assert "nothing to take back" in window.status.text()
        press(asked, qtbot, Qt.Key.Key_2)
        button(window, "act restart").click()
        assert not window.prove.ear.answers

    def test_to_the_last_question_and_a_key_beyond(self, window: Window, asked: QuestionsPage, qtbot: QtBot) -> None:
        for _ in range(20):
            press(asked, qtbot, Qt.Key.Key_Return)
        assert "Every question is answered" in asked.asked.text()
        press(asked, qtbot, Qt.Key.Key_9, Qt.Key.Key_S, Qt.Key.Key_Return)
        press(asked, qtbot, Qt.Key.Key_Backspace)
        assert asked.question is not None

    def test_enter_on_another_answer_and_a_click(self, window: Window, asked: QuestionsPage, qtbot: QtBot) -> None:
        question = asked.question
        assert question is not None
        press(asked, qtbot, Qt.Key.Key_Down, Qt.Key.Key_Return)
        assert window.prove.ear.answers == {question.id: question.answers[1][0]}
        following = asked.question
        assert following is not None
        spot = asked.answers.visualRect(asked.answers.words.index(0, 1)).center()
        qtbot.mouseClick(asked.answers.viewport(), Qt.MouseButton.LeftButton, pos=spot)
        assert window.prove.ear.answers[following.id] == following.answers[0][0]

    def test_why_follows_the_cause_and_its_lines_add_up(
        self, window: Window, asked: QuestionsPage, qtbot: QtBot
    ) -> None:
        press(asked, qtbot, Qt.Key.Key_2)
        asked.causes.setCurrentIndex(asked.causes.words.index(1, 0))
        words = why_words(window)
        name = asked.causes.words.rows[1].cells[0]
        assert name in words.lower()
        assert "How often it is this one" in words
        assert "What is heard? a steady low hum" in words

    def test_the_cause_goes_into_the_log_and_can_be_undone(
        self, window: Window, asked: QuestionsPage, qtbot: QtBot
    ) -> None:
        press(asked, qtbot, Qt.Key.Key_2)
        before = len(window.document.show.log)
        button(window, "act note").click()
        assert len(window.document.show.log) == before + 1
        assert "Fault found" in window.document.show.log[-1].text
        assert "a steady low hum" in window.document.show.log[-1].text

    def test_a_recording_counts_with_the_answers(
        self, window: Window, stage: ProveStage, page: FaultsPage, bursts: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        """From the fault in the list to its cause: the others in the recording have causes of their own."""
        opened(stage, monkeypatch, bursts)
        names = [row.key[1] for row in page.table.words.rows]
        page.table.setCurrentIndex(page.table.words.index(names.index("telephone-burst"), 0))
        button(window, "act questions").click()
        QApplication.processEvents()
        assert stage.view == "questions"
        assert isinstance(stage.page, QuestionsPage)
        assert causes(stage.page)[0] == "telephone"
        assert "telephone burst" in stage.page.given.text()
        assert "echo" not in stage.page.given.text()
