"""Level's views worked with: noise budget, line-up, the run from the keyboard, marks and comparison."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from kymaphon.app.compare import CompareDialog
from kymaphon.app.document import Document
from kymaphon.app.stages.level.forms import LevelForms
from kymaphon.app.stages.level.menu import fill_practice_menu
from kymaphon.app.stages.level.noise import NoisePage
from kymaphon.app.stages.level.run import RunPage, last_readings_of
from kymaphon.app.stages.level.solve import SolvePage
from kymaphon.app.widgets.form import Form
from kymaphon.app.window import Window
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.lineup.expected import figure_on
from kymaphon.core.model.scales import scales
from kymaphon.core.model.show import Show
from kymaphon.files.show_file import read_show
from kymaphon.sim.rig import SimulatedRig
from kymaphon.sim.talker import talk
from tests.app.conftest import button, fill, settle, why_words, with_form


def work(window: Window) -> None:
    """Waits until a view's worker has answered, and the show is analysed."""
    for _ in range(3000):
        QApplication.processEvents()
        page = window.level.page
        if not window.document.busy and (page is None or not page._worker.busy):
            QApplication.processEvents()
            return
        time.sleep(0.005)
    raise AssertionError("the view never answered")


def view(window: Window, name: str) -> object:
    window.go("Level")
    window.level.choose_view(name)
    work(window)
    return window.level.page


@pytest.fixture
def noise(window: Window) -> NoisePage:
    return view(window, "noise")  # type: ignore[return-value]


@pytest.fixture
def solve(window: Window) -> SolvePage:
    return view(window, "solve")  # type: ignore[return-value]


@pytest.fixture
def run(window: Window) -> RunPage:
    page = view(window, "run")
    assert isinstance(page, RunPage)
    window.activateWindow()
    page.reading.setFocus()
    return page


class TestNoise:
    def test_shares_follow_the_point_and_moves_are_ranked(self, window: Window, noise: NoisePage, qtbot: QtBot) -> None:
        assert "over the noise" in window.level.title.text()
        assert "Loudest: noise of the other open channels" in why_words(window)
        before = noise.picture.index
        qtbot.keyClick(noise.picture, Qt.Key.Key_Left)
        assert noise.picture.index == before - 1
        assert noise.picture.rungs[noise.picture.index].label in why_words(window)
        assert "room" in noise.picture.describe()
        gains = [round(move.gain_db, 1) for move in noise.moves]
        assert gains == sorted(gains, reverse=True)
        assert len(noise.table.words.rows) == len(noise.moves) > 4

    def test_a_move_is_tried_and_done(self, window: Window, noise: NoisePage) -> None:
        window.level.choose_voice("ilse")
        work(window)
        row = next(i for i, move in enumerate(noise.moves) if move.id == "half-distance")
        noise.table.chosen.emit(row, 0)
        assert "46 cm to 23 cm" in why_words(window)
        before = noise._found[1].alone_db
        button(window, "act preview move").click()
        work(window)
        assert window.document.previewing
        window.document.end_preview()
        work(window)
        noise.table.chosen.emit(next(i for i, move in enumerate(noise.moves) if move.id == "half-distance"), 0)
        button(window, "act do move").click()
        work(window)
        assert noise._found[1].alone_db - before > 4
        window.document.undo_stack.undo()
        work(window)
        assert noise._found[1].alone_db == pytest.approx(before)

    def test_a_comparison_cannot_be_done_and_says_so(self, window: Window, noise: NoisePage) -> None:
        row = next(i for i, move in enumerate(noise.moves) if not move.edits)
        noise.table.chosen.emit(row, 0)
        assert "A comparison" in why_words(window)
        noise.act("do move")
        assert "comparison" in window.status.text()

    def test_where_nothing_is_known_it_says_what_to_do(self, qtbot: QtBot) -> None:
        empty = Window(Document(Show(), autosave=False))
        qtbot.addWidget(empty)
        page = view(empty, "noise")
        assert "No noise is known" in page.why().title
        assert not page.picture.rungs
        page.act("do move")
        for name in ("solve", "run"):
            page = view(empty, name)
            assert page.why().title
            page.act("do line-up")
        empty.document.close()


class TestSolve:
    def test_all_of_it_is_previewed_done_and_taken_back(self, window: Window, solve: SolvePage) -> None:
        assert solve.plan is not None
        assert "8 of 8 on the mark" in solve.told.text()
        assert "simple recipe" in solve.recipe.text()
        before = window.document.show
        solve.look.click()
        work(window)
        assert window.document.previewing
        assert window.document.show == before
        solve.look.click()
        work(window)
        assert not window.document.previewing
        solve.do.click()
        work(window)
        assert not [row for row in window.document.analysis.findings if row.code == "off-mark"]
        assert window.document.undo_stack.count() == 1
        window.document.undo_stack.undo()
        assert window.document.show == before

    def test_reasons_and_sums_follow_the_row(self, window: Window, solve: SolvePage) -> None:
        rows = [row.key[1] for row in solve.voices.words.rows]
        solve.voices.chosen.emit(rows.index("ilse"), 0)
        assert "off the mark, then" in why_words(window).lower()
        assert "Proven" in why_words(window)
        assert window.level.voice == "ilse"
        labels = [move.turn.label for move in solve.plan.moves]
        row = labels.index("Desk, channel 3, gain")
        solve.moves.chosen.emit(row, 0)
        assert "range ends at +60.0 dB" in why_words(window)
        button(window, "act turn one").click()
        work(window)
        assert window.document.show.device("desk").settings["in3"].gain_db == 60

    def test_one_voice_and_another_school(self, window: Window, solve: SolvePage) -> None:
        solve.scope.setCurrentIndex(solve.scope.findData("ilse"))
        solve.scope.activated.emit(solve.scope.currentIndex())
        work(window)
        assert [row.voice for row in solve.plan.voices] == ["ilse"]
        assert "also moves Mira" in why_words(window)
        solve.strategy.setCurrentIndex(solve.strategy.findData("free"))
        solve.strategy.activated.emit(solve.strategy.currentIndex())
        work(window)
        assert any(move.turn.sort == "fader" for move in solve.plan.moves)
        assert solve.plan.voices[0].on_mark


class TestRun:
    def test_from_start_to_finish_by_the_keyboard_alone(self, window: Window, run: RunPage, qtbot: QtBot) -> None:
        """Space, T and Enter for every source: all are read, what was off is turned, and the log has all of it."""
        names = [step.voice for step in run.steps]
        assert names[0] == "mira"
        turned = 0
        for _ in range(3 * len(names)):
            if all(last_readings_of(window.document).get(name) for name in names):
                break
            voice = run.voice
            qtbot.keyClick(run.reading, Qt.Key.Key_Space)
            work(window)
            assert run.voice == voice
            assert run.outcome is not None, run.told.text()
            assert run.face.trace is not None
            if not run.outcome.passed and run.outcome.turn_db:
                qtbot.keyClick(run.reading, Qt.Key.Key_T)
                work(window)
                turned += 1
                assert run.voice == voice
                assert "Read it again" in run.told.text()
                qtbot.keyClick(run.reading, Qt.Key.Key_Space)
                work(window)
            qtbot.keyClick(run.reading, Qt.Key.Key_Return)
            work(window)
        found = last_readings_of(window.document)
        assert set(found) == set(names)
        assert turned >= 2
        log = window.document.show.log
        assert len(log) >= len(names) + turned
        assert all(row.line_up is not None and row.line_up.measured for row in log)
        # The plan now agrees with what was heard: nobody who passed is off the mark.
        off = {row.subjects[0] for row in window.document.analysis.findings if row.code == "off-mark"}
        assert not off & {name for name, passed in found.items() if passed}

    def test_typed_readings_are_judged_as_they_are_typed(self, window: Window, run: RunPage, qtbot: QtBot) -> None:
        step = run.step
        qtbot.keyClicks(run.reading, f"{step.expected.shows.value + 6:.1f}")
        assert "over the mark" in run.told.text()
        assert "down, anticlockwise" in run.told.text()
        assert "dB over" in run.face.words()
        qtbot.keyClick(run.reading, Qt.Key.Key_F2)
        assert run.note.hasFocus() or not window.isActiveWindow()
        run.note.setText("close to the mic")
        qtbot.keyClick(run.note, Qt.Key.Key_Return)
        work(window)
        entry = window.document.show.log[-1]
        assert entry.line_up.note == "close to the mic"
        assert not entry.line_up.measured
        assert not entry.line_up.passed
        assert run.voice != step.voice
        row = next(row for row in run.table.words.rows if row.key[1] == step.voice)
        assert "close to the mic" in row.cells
        # Six dB more than the show had: taken over.
        assert window.document.show.party("mira").level_db_spl_1m is not None

    @pytest.mark.parametrize("scale", ["vu", "ppm-1", "ppm-2a", "ppm-2b", "lufs", "dbfs", "dbu"])
    def test_any_sort_of_meter_can_be_read(self, window: Window, run: RunPage, qtbot: QtBot, scale: str) -> None:
        """The same talker, told alike by every meter: what it teaches of the level is the same within its swings."""
        run.rig = SimulatedRig(true_to_plan=True)
        run.meter.setCurrentIndex(run.meter.findData(scale))
        run.meter.activated.emit(run.meter.currentIndex())
        assert run.step.expected.scale == scale
        assert run.step.expected.meter.name in run.watch.text()
        qtbot.keyClick(run.reading, Qt.Key.Key_Space)
        work(window)
        assert run.outcome is not None
        assert abs(run.outcome.learnt_db) < 3.5
        assert len(run.face.trace.values) > 50
        qtbot.keyClick(run.reading, Qt.Key.Key_Return)
        work(window)
        assert window.document.show.log[-1].line_up.scale == scale
        row = next(row for row in run.table.words.rows if row.key[1] == "mira")
        assert row.cells[2] == figure_on(window.document.show.log[-1].line_up.shown, scales()[scale].unit)

    def test_nonsense_and_nothing_are_told_and_lose_nothing(self, window: Window, run: RunPage, qtbot: QtBot) -> None:
        qtbot.keyClick(run.reading, Qt.Key.Key_Return)
        assert "No reading yet" in run.told.text()
        qtbot.keyClick(run.reading, Qt.Key.Key_T)
        assert "No reading yet" in run.told.text()
        run.reading.setText("loud")
        qtbot.keyClick(run.reading, Qt.Key.Key_Return)
        assert "not a number" in run.told.text()
        run.reading.setText("900")
        qtbot.keyClick(run.reading, Qt.Key.Key_Return)
        assert "on no meter" in run.told.text()
        assert run.reading.text() == "900"
        assert not window.document.show.log

    def test_page_keys_go_from_source_to_source(self, window: Window, run: RunPage, qtbot: QtBot) -> None:
        names = [step.voice for step in run.steps]
        qtbot.keyClick(run.reading, Qt.Key.Key_PageDown)
        assert run.voice == names[1]
        qtbot.keyClick(run.reading, Qt.Key.Key_PageUp)
        qtbot.keyClick(run.reading, Qt.Key.Key_PageUp)
        assert run.voice == names[-1]
        run.table.chosen.emit(2, 0)
        assert run.voice == names[2]
        assert run.step.say in run.say_words.text()
        assert "VU meter" in why_words(window)

    def test_a_show_opened_again_has_the_talkers_that_were_heard(
        self, window: Window, run: RunPage, qtbot: QtBot
    ) -> None:
        """What was learnt of a talker is in the show: read again in another session, it is where the plan has it."""
        names = [step.voice for step in run.steps]
        odd = next(name for name in names if abs(run.rig.surprise_db(name)) > 2 and name != "jingles")
        run._go(names.index(odd))
        for key in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            qtbot.keyClick(run.reading, key)
            work(window)
        again = Window(Document(window.document.show, autosave=False))
        qtbot.addWidget(again)
        page = view(again, "run")
        assert isinstance(page, RunPage)
        page._go(names.index(odd))
        page.measure()
        work(again)
        assert abs(page.outcome.learnt_db) < 0.6
        again.document.close()

    def test_what_was_logged_no_undo_takes_back_and_it_is_on_disk_at_once(
        self, window: Window, run: RunPage, qtbot: QtBot, tmp_path: Path
    ) -> None:
        run.reading.setText("2")
        qtbot.keyClick(run.reading, Qt.Key.Key_Return)
        kept = sorted((tmp_path / "state").rglob("*.json"))
        assert any("Line-up, Mira" in path.read_text(encoding="utf-8") for path in kept)
        work(window)
        level = window.document.show.party("mira").level_db_spl_1m
        window.document.undo_stack.undo()
        work(window)
        assert len(window.document.show.log) == 1
        assert window.document.show.party("mira").level_db_spl_1m != level
        assert window.document.unsaved
        window.document.save(tmp_path / "kept.json")
        assert not window.document.unsaved
        assert len(read_show(tmp_path / "kept.json").log) == 1


class TestMarks:
    def test_points_get_practices_of_their_own(self, window: Window) -> None:
        def type_(form: Form) -> None:
            fill(form, recorder="podcast-stereo", vu_zero_dbu="6")

        with_form(lambda: LevelForms(window, window.document, window.say).marks(), type_)
        show = window.document.show
        assert [(row.at, row.practice) for row in show.marks] == [("recorder", "podcast-stereo")]
        assert show.vu_zero_dbu == 6
        settle(window)
        assert analyse(show).ladders["mira", "podcast"].last.wanted.name == "Spoken podcast, stereo"

    def test_one_point_gets_a_mark_of_its_own_and_loses_it_again(self, window: Window) -> None:
        window.go("Level")
        level = window.level
        level.picture.index = next(i for i, rung in enumerate(level.rungs) if rung.node == "desk.in1:pre")
        level.refresh()
        wanted = button(window, "act mark point")
        with_form(wanted.click, lambda form: fill(form, practice="station-desk"))
        assert [(row.at, row.practice) for row in window.document.show.marks] == [("desk.in1", "station-desk")]
        settle(window)
        rung = level.rungs[level.picture.index]
        assert rung.set_here
        assert rung.wanted.name == "Station desk"
        with_form(lambda: level.act("mark point"), lambda form: fill(form, practice=None))
        assert window.document.show.marks == ()

    def test_a_practice_of_ones_own_is_in_force_and_in_the_menu(self, window: Window) -> None:
        def type_(form: Form) -> None:
            fill(form, name="Harbour nights", average="-24", peak="-15", never_over="-9")

        with_form(lambda: LevelForms(window, window.document, window.say).own_practice(), type_)
        show = window.document.show
        assert show.practice == "harbour-nights"
        assert show.practices[0].average == -24
        fill_practice_menu(window.menus.practice, window.document)
        rows = {row.data(): row for row in window.menus.practice.actions()}
        assert rows["harbour-nights"].isChecked()
        rows["digital-voice"].trigger()
        assert window.document.show.practice == "digital-voice"

    def test_figures_that_cannot_be_are_told_in_the_form(self, window: Window) -> None:
        said: list[str] = []

        def type_(form: Form) -> None:
            fill(form, average="-10", peak="-15")
            form.accept()
            said.append(form.trouble.text())
            form.reject()

        with_form(lambda: LevelForms(window, window.document, window.say).own_practice(), type_)
        assert "must rise" in said[0]
        assert window.document.show.practices == ()

    def test_a_safety_copy_that_cannot_be_says_why(self, window: Window) -> None:
        LevelForms(window, window.document, window.say).safety("mira")
        assert "one mix" in window.status.text()


class TestCompare:
    def test_takes_are_ranked_in_a_dialog(self, window: Window, tmp_path: Path) -> None:
        paths = []
        for name, noise in (("quiet.wav", -66), ("hissy.wav", -48)):
            signal = talk(40, 16000, level_dbfs=-20, seed=4)
            signal = signal + np.random.default_rng(99 + noise).normal(0, 10 ** (noise / 20), len(signal))
            soundfile.write(tmp_path / name, signal, 16000, subtype="PCM_24")
            paths.append(tmp_path / name)
        seen: list[CompareDialog] = []

        def look() -> None:
            dialog = QApplication.activeModalWidget()
            if isinstance(dialog, CompareDialog):
                seen.append(dialog)
                dialog.reject()
            elif not seen:
                QTimer.singleShot(50, look)

        QTimer.singleShot(50, look)
        window.compare.compare(paths)
        for _ in range(2000):
            QApplication.processEvents()
            if seen:
                break
            time.sleep(0.01)
        assert seen
        assert [row.cells[0] for row in seen[0].table.words.rows] == ["quiet.wav", "hissy.wav"]
        assert "real" in seen[0].verdict.text()

    def test_what_cannot_be_compared_is_told(
        self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        said: list[str] = []
        monkeypatch.setattr(window.filing, "problem", lambda title, text: said.append(f"{title}: {text}"))
        (tmp_path / "no.wav").write_bytes(b"nothing")
        window.compare.compare([tmp_path / "no.wav", tmp_path / "no.wav"])
        for _ in range(1000):
            QApplication.processEvents()
            if said:
                break
            time.sleep(0.005)
        assert "not compared" in said[0]
        window.compare.failed("")
        assert "stopped" in window.status.text()


def test_views_keep_through_another_theme(window: Window, qtbot: QtBot) -> None:
    view(window, "run")
    window.swap_theme()
    work(window)
    assert window.level.view == "run"
    assert isinstance(window.level.page, RunPage)
    buttons = [row for row in window.level.findChildren(QPushButton) if row.objectName().startswith("view ")]
    assert [row.objectName() for row in buttons if row.isChecked()] == ["view run"]
    finding = next(row for row in window.document.analysis.findings if row.code == "off-mark")
    window.level.show_finding(finding)
    assert window.level.view == "ladder"
    assert window.level.voice == finding.subjects[0]
