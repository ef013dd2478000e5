"""Quiet driven as a user would: takes heard, thresholds dragged and stepped, words gone to, settings put into the show."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from kymaphon.app import listening, theme
from kymaphon.app.listening import HeardTakes
from kymaphon.app.player import NoPlayerError, Player
from kymaphon.app.stages.quiet import model
from kymaphon.app.stages.quiet.forms import QuietForms
from kymaphon.app.stages.quiet.gate import GatePage
from kymaphon.app.stages.quiet.spectrum import SpectrumPage
from kymaphon.app.stages.quiet.stage import QuietStage
from kymaphon.app.stages.quiet.strip import StripPage
from kymaphon.app.takes import TakeDialog
from kymaphon.app.widgets.gate_picture import GatePicture
from kymaphon.app.window import Window
from kymaphon.core.model.processing import Compressor, Gate, Limiter, LowCut
from kymaphon.core.model.show import Show
from kymaphon.files.audio import measure_take
from kymaphon.files.demo import demo_path
from kymaphon.files.take_places import take_path
from tests.app.conftest import button, fill, settle, why_words, with_form

STRIP = "desk.in3:pre"


def heard(window: Window) -> None:
    """Waits until the takes are listened to."""
    for _ in range(4000):
        QApplication.processEvents()
        page = window.quiet.page
        worker = getattr(page, "_worker", None)
        if not window.document.busy and not window.quiet.model.busy and not (worker is not None and worker.busy):
            return
        time.sleep(0.005)
    raise AssertionError("the take was never heard")


_HEARD: dict[object, HeardTakes] = {}


@pytest.fixture(autouse=True)
def heard_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """What is listened to does not change between the tests: the same takes, low cut and detector are heard once by each process."""
    real = model.listen

    def listen(show: Show, voice: str, folder: Path | None, **how: Any) -> HeardTakes:
        takes = listening.takes_of(show, voice)
        files = []
        for take in (takes.talk, takes.room, takes.music, takes.speakers):
            if take is not None:
                path = take_path(take, folder)
                stat = path.stat() if path.exists() else None
                files.append((take.model_dump_json(), path, stat and (stat.st_size, stat.st_mtime_ns)))
        key = (voice, tuple(files), how.get("low_cut"), how.get("like"))
        if key not in _HEARD:
            found = real(show, voice, folder, **how)
            if found.problem == listening.STOPPED:
                return found
            _HEARD[key] = found
        return _HEARD[key]

    monkeypatch.setattr(model, "listen", listen)


@pytest.fixture
def quiet(window: Window) -> Iterator[QuietStage]:
    window.resize(1280, 800)
    window.go("Quiet")
    window.quiet.choose_voice("ilse")
    heard(window)
    yield window.quiet
    heard(window)


def picture(quiet: QuietStage) -> GatePicture:
    page = quiet.page
    assert isinstance(page, GatePage)
    page.picture.setFocus()
    return page.picture


def gate_of(quiet: QuietStage) -> Gate:
    assert quiet.model.gate is not None
    return quiet.model.gate


def gate_in(window: Window) -> Gate:
    return next(row for row in window.document.analysis.chain_at(STRIP) if isinstance(row, Gate))


class TestGate:
    def test_the_take_is_heard_and_a_gate_found(self, window: Window, quiet: QuietStage) -> None:
        rows = {row[0]: row[3] for row in quiet.model.rows()}
        assert rows["here"].words_clipped == 0
        assert rows["here"].words > 30
        assert rows["times-25"].words_clipped > 0
        assert "words whole" in why_words(window)
        assert "over the room" in quiet.title.text()
        table = quiet.page.table
        assert table.words.rows[0].cells[0] == "As set here"
        assert len(table.words.rows) == 8
        last = table.rowViewportPosition(7) + table.rowHeight(7)
        assert last <= table.viewport().height()

    def test_put_into_the_strip_thresholds_read_in_its_unit(self, window: Window, quiet: QuietStage) -> None:
        found = gate_of(quiet)
        button(window, "act put gate").click()
        heard(window)
        there = gate_in(window)
        strip = quiet.model.strip("gate")
        assert strip is not None
        assert strip.unit == "dBu"
        step = quiet.model.step(strip).value
        assert there.open_db == pytest.approx(found.open_db + step, abs=0.01)
        assert there.set_at_gain_db == 54
        assert quiet.model.in_show()
        assert "as the show has it" in why_words(window)
        log = window.document.show.log[-1]
        assert "words eaten" in log.text
        assert log.subject == "ilse"
        window.document.undo_stack.undo()
        heard(window)
        assert window.document.analysis.chain_at(STRIP) == ()
        # What was logged happened.
        assert window.document.show.log[-1] == log

    def test_keys_move_thresholds_and_choose_words(self, window: Window, quiet: QuietStage, qtbot: QtBot) -> None:
        row = picture(quiet)
        before = gate_of(quiet)
        qtbot.keyClick(row, Qt.Key.Key_Up)
        assert gate_of(quiet).open_db == pytest.approx(round((before.open_db + 0.5) * 2) / 2)
        between = before.open_db - before.close_db
        assert gate_of(quiet).open_db - gate_of(quiet).close_db == pytest.approx(between, abs=0.01)
        qtbot.keyClick(row, Qt.Key.Key_T)
        opens = gate_of(quiet).open_db
        qtbot.keyClick(row, Qt.Key.Key_PageDown)
        assert gate_of(quiet).open_db == opens
        assert gate_of(quiet).close_db == pytest.approx(round((opens - between - 3) * 2) / 2, abs=0.26)
        for _ in range(30):
            qtbot.keyClick(row, Qt.Key.Key_PageUp)
        assert gate_of(quiet).close_db == gate_of(quiet).open_db
        qtbot.keyClick(row, Qt.Key.Key_Right)
        assert row.word == 0
        assert "Word 1" in why_words(window)
        qtbot.keyClick(row, Qt.Key.Key_Left)
        assert row.word == 0

    def test_dragging_a_threshold_judges_at_once(self, quiet: QuietStage, qtbot: QtBot) -> None:
        row = picture(quiet)
        opens = gate_of(quiet).open_db
        plot = row.plot()
        start = QPoint(round(plot.center().x()), round(row.y_of(opens)))
        end = QPoint(start.x(), round(row.y_of(-20.0)))
        qtbot.mousePress(row, Qt.MouseButton.LeftButton, pos=start)
        move = QMouseEvent(
            QEvent.Type.MouseMove,
            QPointF(end),
            row.mapToGlobal(QPointF(end)),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        QApplication.sendEvent(row, move)
        assert gate_of(quiet).open_db == pytest.approx(-20, abs=0.6)
        assert quiet.model.verdict is not None
        assert quiet.model.verdict.words_clipped > 5
        qtbot.mouseRelease(row, Qt.MouseButton.LeftButton, pos=end)
        assert quiet.model.by_hand
        assert not quiet.model.in_show()

    def test_a_word_that_is_eaten_is_gone_to_and_saved(self, window: Window, quiet: QuietStage, qtbot: QtBot) -> None:
        row = picture(quiet)
        quiet.page._row_chosen(6)
        assert quiet.model.picked == "times-25"
        for _ in range(24):
            qtbot.keyClick(row, Qt.Key.Key_Up)
        verdict = quiet.model.verdict
        assert verdict is not None
        assert len(verdict.eaten) > 3
        qtbot.keyClick(row, Qt.Key.Key_N)
        assert row.word >= 0
        assert "loses its" in why_words(window) or "is lost" in why_words(window)
        first = row.word
        qtbot.keyClick(row, Qt.Key.Key_N)
        assert row.word != first
        names = [action.id for action in quiet.page.why().lead]
        assert names
        button(window, f"act {names[0]}").click()
        assert quiet.model.picked == "here"
        assert quiet.model.verdict is not None
        assert all(eaten.number != row.word for eaten in quiet.model.verdict.eaten)

    def test_another_row_is_shown_and_set(self, window: Window, quiet: QuietStage) -> None:
        quiet.page._row_chosen(4)
        assert "Start values" in why_words(window)
        start = quiet.model.shown()
        assert start is not None
        button(window, "act use row").click()
        assert quiet.model.picked == "here"
        assert start[3].gate is not None
        assert gate_of(quiet).open_db == start[3].gate.open_db
        quiet.page._row_chosen(7)
        assert quiet.page.picture.gate is None
        quiet.act("back")
        assert quiet.page.picture.gate is not None

    def test_preferences_and_the_low_cut_find_another_gate(self, window: Window, quiet: QuietStage) -> None:
        wide = gate_of(quiet)
        quiet.choose_preference(2)
        assert gate_of(quiet).range_db == 60
        quiet.choose_preference(1)
        assert gate_of(quiet) == wide
        button(window, "act put gate").click()
        heard(window)
        button(window, "act low cut").click()
        heard(window)
        chain = window.document.analysis.chain_at(STRIP)
        assert [row.sort for row in chain] == ["low-cut", "gate"]
        assert quiet.model.heard is not None
        assert quiet.model.heard.study is not None
        assert quiet.model.heard.study.low_cut == chain[0]
        # The room is quieter behind it, so that another gate fits; the show's stays until it is wanted.
        assert quiet.model.in_show()
        button(window, "act anew").click()
        assert gate_of(quiet).open_db < wide.open_db
        assert not quiet.model.in_show()

    def test_stretches_by_hand(self, window: Window, quiet: QuietStage, qtbot: QtBot) -> None:
        row = picture(quiet)
        plot = row.plot()
        y = round(plot.top() + 4)
        a, b = (QPoint(round(row.x_of(at)), y) for at in (0.1, 1.4))
        qtbot.mousePress(row, Qt.MouseButton.LeftButton, pos=a)
        qtbot.mouseRelease(row, Qt.MouseButton.LeftButton, pos=b)
        assert row.span is not None
        assert "A stretch" in why_words(window)
        button(window, "act span room").click()
        heard(window)
        take = next(take for take in window.document.show.takes if take.id == "ilse-talk")
        assert take.room_s[0] == pytest.approx((0.1, 1.4), abs=0.05)
        assert quiet.page.picture.by_hand[0] == take.room_s
        row.span = (2.0, 3.0)
        quiet.act("span none")
        heard(window)
        take = next(take for take in window.document.show.takes if take.id == "ilse-talk")
        assert take.room_s == ()

    def test_zoom_and_wheel_keep_inside_the_take(self, quiet: QuietStage) -> None:
        row = picture(quiet)
        whole = row.view
        quiet.zoom(3)
        assert row.view[1] - row.view[0] < whole[1] - whole[0]
        for turn in (-120, 120, 240, -2400, 2400):
            for held in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier):
                spot = row.plot().center()
                QApplication.sendEvent(
                    row,
                    QWheelEvent(
                        spot,
                        row.mapToGlobal(spot),
                        QPoint(),
                        QPoint(0, turn),
                        Qt.MouseButton.NoButton,
                        held,
                        Qt.ScrollPhase.NoScrollPhase,
                        False,
                    ),
                )
                assert 0 <= row.view[0] < row.view[1] <= row.seconds + 1e-6
                row.grab()
        quiet.zoom(0)
        assert row.view == whole

    def test_before_and_after(self, quiet: QuietStage, qtbot: QtBot) -> None:
        row = picture(quiet)
        dry = row._columns().copy()
        qtbot.keyClick(row, Qt.Key.Key_B)
        assert row.after
        behind = row._columns()
        assert behind.min() < dry.min() - 20
        assert behind.max() == pytest.approx(dry.max(), abs=0.1)
        row.grab()


class TestHearing:
    def test_a_word_is_played_behind_the_gate_and_without(
        self, quiet: QuietStage, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        played: list[np.ndarray] = []
        monkeypatch.setattr(Player, "play", lambda _self, samples, rate, **_: played.append(samples))
        said: list[str] = []
        quiet.say.connect(said.append)
        row = picture(quiet)
        qtbot.keyClick(row, Qt.Key.Key_Space)
        assert "Choose a word first" in said[-1]
        qtbot.keyClick(row, Qt.Key.Key_Right)
        qtbot.keyClick(row, Qt.Key.Key_Space)
        quiet.act("hear dry")
        gated, dry = played
        assert len(gated) == len(dry)
        lead = slice(0, 6000)
        assert np.abs(gated[lead]).max() < np.abs(dry[lead]).max() / 3
        assert np.abs(gated).max() == pytest.approx(np.abs(dry).max(), rel=0.01)

    def test_without_anything_to_play_with_it_says_so(
        self, quiet: QuietStage, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        monkeypatch.setattr("importlib.util.find_spec", lambda _name: None)
        monkeypatch.setattr("shutil.which", lambda _name: None)
        said: list[str] = []
        quiet.say.connect(said.append)
        qtbot.keyClick(picture(quiet), Qt.Key.Key_Right)
        quiet.act("hear")
        assert "install the extra" in said[-1]
        with pytest.raises(NoPlayerError):
            Player().play(np.zeros(10, dtype=np.float32), 48000)

    def test_a_player_of_the_system_gets_a_file_and_it_is_cleared_away(
        self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        script = tmp_path / "player"
        script.write_text(f'#!/bin/sh\ncp "$1" {tmp_path}/heard.wav\n')
        script.chmod(0o755)
        monkeypatch.setattr("importlib.util.find_spec", lambda _name: None)
        monkeypatch.setattr("shutil.which", lambda name: str(script) if name == "pw-play" else None)
        player = Player()
        player.play(np.ones(4800, dtype=np.float32), 48000)
        file = player._file
        assert file is not None
        qtbot.waitUntil(lambda: player._process is None, timeout=10000)
        sound, rate = soundfile.read(tmp_path / "heard.wav")
        assert rate == 48000
        # Never above half of full scale: whoever listens wears headphones.
        assert np.abs(sound).max() == pytest.approx(0.5, abs=1e-3)
        assert not file.exists()


class TestFiles:
    def test_the_gated_take_is_written(self, quiet: QuietStage, tmp_path: Path) -> None:
        said: list[str] = []
        forms = QuietForms(quiet, quiet.model, said.append)
        forms.save_gated(tmp_path / "gated.flac")
        sound, rate = soundfile.read(tmp_path / "gated.flac")
        dry, _ = soundfile.read(demo_path("guest-talk.flac"))
        assert rate == 32000
        assert len(sound) == len(dry)
        quiet_part = slice(0, 32000)
        assert np.sqrt(np.mean(sound[quiet_part] ** 2)) < np.sqrt(np.mean(dry[quiet_part] ** 2)) / 10
        forms.save_gated(tmp_path / "gated.xyz")
        assert "ending" in said[-1]
        forms.save_gated(demo_path("guest-talk.flac"))
        assert "is the take itself" in said[-1]

    def test_settings_as_text_and_back(
        self, window: Window, quiet: QuietStage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        path = tmp_path / "ilse.txt"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
        quiet.act("save preset")
        text = path.read_text()
        assert "thresholds in: dBu" in text
        assert "Desk, channel 3" in text
        path.write_text(
            text.replace("thresholds in: dBu", "thresholds in: dBFS").replace("hold: 160 ms", "hold: 333 ms")
        )
        quiet.choose_view("strip")
        said: list[str] = []
        quiet.say.connect(said.append)
        quiet.act("load preset")
        heard(window)
        assert gate_in(window).hold_ms == 333
        assert "carried over from dBFS to dBu" in said[-1]
        path.write_text("nonsense")
        quiet.act("load preset")
        assert "is no Kymaphon strip settings" in said[-1]


class TestOtherViews:
    def test_spectrum_and_its_corner(self, window: Window, quiet: QuietStage, qtbot: QtBot) -> None:
        quiet.choose_view("spectrum")
        heard(window)
        page = quiet.page
        assert isinstance(page, SpectrumPage)
        assert "rumble" in quiet.subtitle.text()
        best = page.low_cut
        page.picture.setFocus()
        qtbot.keyClick(page.picture, Qt.Key.Key_Right)
        assert page.low_cut.corner_hz == best.corner_hz + 2
        page.table.chosen.emit(0, 0)
        assert page.low_cut.corner_hz == 40
        spot = page.picture._plot().center().toPoint()
        qtbot.mouseClick(page.picture, Qt.MouseButton.LeftButton, pos=spot)
        assert page.low_cut.corner_hz == 300
        quiet.act("slope")
        assert page.low_cut.slope_db_per_octave != best.slope_db_per_octave
        quiet.act("best")
        assert page.low_cut == best
        button(window, "act put cut").click()
        heard(window)
        assert window.document.analysis.chain_at(STRIP) == (best,)
        assert "set in the show" in why_words(window)
        quiet.act("no cut")
        heard(window)
        assert window.document.analysis.chain_at(STRIP) == ()

    def test_strip_puts_in_edits_switches_and_takes_out(self, window: Window, quiet: QuietStage) -> None:
        quiet.choose_view("strip")
        heard(window)
        page = quiet.page
        assert isinstance(page, StripPage)
        for index in (0, 1, 3):
            page.table.chosen.emit(index, 0)
            button(window, "act put").click()
            heard(window)
        chain = window.document.analysis.chain_at(STRIP)
        assert [type(row) for row in chain] == [LowCut, Gate, Compressor]
        rows = page.behind.words.rows
        assert [row.cells[0] for row in rows] == ["The take", "Low cut", "Gate", "Compressor"]
        page.table.chosen.emit(4, 0)
        button(window, "act put").click()
        heard(window)
        assert any(isinstance(row, Limiter) for row in window.document.analysis.chain_at("mixer.in1:pre"))
        assert page.behind.words.rows[-1].cells[0] == "Limiter"
        page.table.chosen.emit(3, 0)
        change = button(window, "act edit")
        with_form(change.click, lambda form: fill(form, ratio="7", threshold_db="-9"))
        heard(window)
        edited = next(row for row in window.document.analysis.chain_at(STRIP) if isinstance(row, Compressor))
        assert (edited.ratio, edited.threshold_db) == (7, -9)
        quiet.act("switch")
        heard(window)
        assert not window.document.analysis.chain_at(STRIP)[2].on
        quiet.act("out")
        heard(window)
        assert [type(row) for row in window.document.analysis.chain_at(STRIP)] == [LowCut, Gate]

    def test_a_gate_that_makes_no_sense_is_told_in_the_form(self, window: Window, quiet: QuietStage) -> None:
        seen: list[str] = []

        def type_(form) -> None:
            fill(form, open_db="-60", close_db="-20")
            form.accept()
            seen.append(form.trouble.text())
            fill(form, open_db="-30", close_db="-36", key_low_hz="200")

        change = button(window, "act edit gate")
        with_form(change.click, type_)
        heard(window)
        assert "above where it opens" in seen[0]
        assert gate_of(quiet).open_db == -30
        # Another key filter: the take is heard anew through it.
        assert gate_of(quiet).key_low_hz == 200
        assert quiet.model.heard is not None
        assert quiet.model.heard.designs["balanced"].gate.key_low_hz == 200

    def test_an_equaliser_by_hand(self, window: Window, quiet: QuietStage) -> None:
        quiet.choose_view("strip")
        heard(window)
        quiet.page.table.chosen.emit(2, 0)
        new = button(window, "act new")
        with_form(
            new.click,
            lambda form: form.findChild(type(form.findChild(object, "field gain 2")), "field gain 2").setText("-4"),
        )  # type: ignore[arg-type]
        heard(window)
        row = window.document.analysis.chain_at(STRIP)[0]
        assert row.sort == "equaliser"
        assert row.bands[1].gain_db == -4  # type: ignore[union-attr]

    def test_music_goes_under_the_voice(self, window: Window, quiet: QuietStage) -> None:
        quiet.choose_view("duck")
        heard(window)
        assert "down" in quiet.title.text()
        assert "WCAG" in " ".join(cell for row in quiet.page.table.words.rows for cell in row.cells)
        button(window, "act put ducker").click()
        heard(window)
        node = next(node for node in window.document.analysis.graph.index if window.document.analysis.chain_at(node))
        rows = [row for node in window.document.analysis.graph.index for row in window.document.analysis.chain_at(node)]
        assert node
        assert any(row.sort == "ducker" for row in rows)

    def test_findings_lead_here(self, window: Window, quiet: QuietStage) -> None:
        found = next(row for row in window.document.analysis.findings if row.stage == "Quiet")
        quiet.show_finding(found)
        heard(window)
        assert quiet.model.voice == "tam"
        assert "compressor before gate" in why_words(window).lower()
        button(window, f"do {found.code} in-order").click()
        heard(window)
        assert not [row for row in window.document.analysis.findings if row.stage == "Quiet"]

    @pytest.mark.parametrize("scale", [1.0, 1.5])
    def test_both_themes_and_large_text_draw(self, window: Window, quiet: QuietStage, scale: float) -> None:
        for _ in range(2):
            window.swap_theme()
            window.set_scale(scale)
            for view in ("gate", "spectrum", "strip", "duck"):
                window.quiet.choose_view(view)
                heard(window)
                window.grab()
        assert window.quiet.model.voice == "ilse"


class TestTakes:
    def test_without_a_take_it_says_what_to_do(self, window: Window, quiet: QuietStage) -> None:
        quiet.choose_voice("ferry")
        heard(window)
        for view in ("gate", "spectrum", "strip", "duck"):
            quiet.choose_view(view)
            heard(window)
            window.grab()
        quiet.choose_view("gate")
        assert "half a minute of the room" in why_words(window)

    def test_a_take_that_cannot_do_is_explained(self, window: Window, quiet: QuietStage, tmp_path: Path) -> None:
        path = tmp_path / "hiss.wav"
        soundfile.write(path, np.random.default_rng(1).normal(0, 0.01, 48000 * 5), 48000)
        window.takes.attach(path, None, "tam", what="voice")
        quiet.choose_voice("tam")
        heard(window)
        assert "No speech found" in why_words(window)
        path.unlink()
        quiet.model._known.clear()
        quiet.model._wanted = None
        quiet.refresh()
        heard(window)
        assert "no such file" in why_words(window)

    def test_talk_and_room_are_recorded_on_the_simulated_rig(
        self, window: Window, quiet: QuietStage, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, qtbot: QtBot
    ) -> None:
        monkeypatch.setattr("kymaphon.app.takes.TALK_S", 12.0)
        quiet.choose_voice("mira")
        heard(window)
        before = len(window.document.show.takes)
        window.takes.record("mira", "room-tone")
        qtbot.waitUntil(lambda: len(window.document.show.takes) == before + 1, timeout=30000)
        window.takes.record("mira", "voice")
        qtbot.waitUntil(lambda: len(window.document.show.takes) == before + 2, timeout=30000)
        heard(window)
        talk = window.document.show.takes[-1]
        assert talk.what == "voice"
        assert talk.recorded_at is not None
        assert talk.gain_db == 42
        assert Path(talk.file).exists()
        # What it measures is what the ladder has there, give or take the talker's surprise.
        assert quiet.model.heard is not None
        assert quiet.model.heard.study is not None, quiet.model.heard.problem
        level = quiet.model.heard.study.talk.speech_dbfs
        rung = next(row for row in window.document.analysis.any_ladder("mira").rungs if row.node == talk.at)  # type: ignore[union-attr]
        assert level == pytest.approx(rung.speech_db, abs=9)

    def test_without_the_sound_library_recording_says_so(
        self, window: Window, quiet: QuietStage, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        import sys

        seen: list[str] = []
        monkeypatch.setitem(sys.modules, "sounddevice", None)
        monkeypatch.setattr(window.filing, "problem", lambda _title, text: seen.append(text))
        window.takes.record("ilse", "voice", real=True)
        assert "install the extra 'capture'" in seen[0]

    def test_both_dropped_at_once_are_attached_one_after_the_other(
        self, window: Window, quiet: QuietStage, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        sorts: list[str] = []

        def answer(dialog: TakeDialog) -> int:
            dialog.voices.setCurrentIndex(dialog.voices.findData("tam"))
            sorts.append(dialog.sort)
            return 1

        monkeypatch.setattr(TakeDialog, "exec", answer)
        before = len(window.document.show.takes)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(demo_path(name))) for name in ("guest-talk.flac", "guest-room.flac")])
        window.dropEvent(
            QDropEvent(
                QPointF(5, 5), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
            )
        )
        qtbot.waitUntil(lambda: len(window.document.show.takes) == before + 2, timeout=60000)
        assert sorts == ["voice", "room-tone"]
        quiet.choose_voice("tam")
        heard(window)
        assert quiet.model.heard is not None
        assert quiet.model.heard.study is not None
        assert quiet.model.heard.study.talk.own_room

    def test_one_of_several_takes_is_listened_to(self, window: Window, quiet: QuietStage) -> None:
        window.takes.attach(demo_path("voice.flac"), None, "ilse", what="voice")
        heard(window)
        assert quiet.model.takes.talk is not None
        assert quiet.model.takes.talk.file.endswith("voice.flac")
        assert quiet.model.heard is not None
        assert quiet.model.heard.source is not None
        assert quiet.model.heard.source.name == "voice.flac"
        button(window, "act next take").click()
        heard(window)
        assert quiet.model.takes.talk.id == "ilse-talk"
        assert quiet.model.heard.source.name == "guest-talk.flac"
        window.document.undo_stack.undo()
        heard(window)
        assert quiet.model.heard.source.name == "voice.flac"

    def test_listening_can_be_stopped_and_taken_up_again(
        self, window: Window, quiet: QuietStage, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        import threading

        go_on = threading.Event()
        _HEARD.clear()
        quiet.model._known.clear()
        real = listening.study

        def slow(*given: object, **named: object) -> object:
            go_on.wait(20)
            return real(*given, **named)  # type: ignore[arg-type]

        monkeypatch.setattr(listening, "study", slow)
        quiet.choose_voice("mira")
        QApplication.processEvents()
        # Nothing of the voice before stays under this one's name.
        assert quiet.model.heard is None
        assert "Listening" in why_words(window)
        button(window, "act stop").click()
        go_on.set()
        heard(window)
        assert "Listening was stopped" in why_words(window)
        button(window, "act again").click()
        heard(window)
        assert quiet.model.heard is not None
        assert quiet.model.heard.study is not None

    def test_another_theme_need_not_listen_again(
        self, window: Window, quiet: QuietStage, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        import kymaphon.app.stages.quiet.model as module

        before = quiet.model.heard
        asked: list[object] = []
        monkeypatch.setattr(module, "listen", lambda *given, **_: asked.append(given))
        window.swap_theme()
        heard(window)
        assert window.quiet is quiet
        assert quiet.model.heard is before
        assert asked == []

    def test_loudspeakers_at_the_microphone(self, window: Window, quiet: QuietStage) -> None:
        window.takes.attach(demo_path("jingle.flac"), None, "ilse", what="speakers")
        heard(window)
        assert "Turn the loudspeakers down by" in why_words(window)

    def test_the_dialog_offers_what_fits(self, window: Window, quiet: QuietStage, qtbot: QtBot) -> None:
        path = demo_path("guest-room.flac")
        dialog = TakeDialog(path, measure_take(path), window.document.analysis, "ilse", window)
        qtbot.addWidget(dialog)
        assert dialog.sort == "room-tone"
        assert dialog.voice == "ilse"
        dialog.what.setCurrentIndex(3)
        assert [dialog.voices.itemData(i) for i in range(dialog.voices.count())] == ["jingles"]

    def test_a_show_saved_elsewhere_still_finds_its_takes(
        self, window: Window, quiet: QuietStage, tmp_path: Path
    ) -> None:
        first, second = tmp_path / "a", tmp_path / "b"
        first.mkdir()
        second.mkdir()
        (first / "talk.flac").write_bytes(demo_path("guest-talk.flac").read_bytes())
        window.document.save(first / "show.json")
        window.takes.attach(first / "talk.flac", None, "ilse", what="voice")
        heard(window)
        assert window.document.show.takes[-1].file == "talk.flac"
        window.document.save(second / "show.json")
        settle(window)
        assert Path(window.document.show.takes[-1].file) == (first / "talk.flac").resolve()
        assert not window.document.unsaved


def test_pictures_have_colour(qtbot: QtBot) -> None:
    for look in (theme.DARK, theme.LIGHT):
        row = GatePicture(look)
        qtbot.addWidget(row)
        row.resize(600, 300)
        assert row.describe() == "No take yet."
        row.grab()
