"""The real window, driven as a user drives it: keys, clicks, the stages, themes and sizes."""

from __future__ import annotations

import gc
import time

import pytest
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from kymaphon.app import state
from kymaphon.app.document import Document
from kymaphon.app.widgets.command_list import CommandList, commands_of
from kymaphon.app.window import Window
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.model.stages import STAGES
from tests.app.conftest import button, gain, settle, why_words


class TestLevel:
    def test_opens_on_the_first_gain_of_the_first_voice(self, window: Window) -> None:
        assert window.stage == "Level"
        assert window.level.voice == "mira"
        rung = window.level.rungs[window.level.picture.index]
        assert rung.node == "desk.in1:pre"
        assert "Desk, channel 1" in why_words(window)

    def test_keys_turn_the_gain_and_make_one_step_of_undo(self, window: Window, qtbot: QtBot) -> None:
        before = window.level.ladder.last.speech_db
        for _ in range(3):
            qtbot.keyClick(window.level.picture, Qt.Key.Key_Up)
        assert gain(window) == 45
        assert window.level.ladder.last.speech_db == pytest.approx(before + 3)
        assert window.document.undo_stack.count() == 1
        window.document.undo_stack.undo()
        assert gain(window) == 42
        assert window.level.ladder.last.speech_db == pytest.approx(before)

    def test_page_keys_and_the_end_of_the_range(self, window: Window, qtbot: QtBot) -> None:
        for _ in range(6):
            qtbot.keyClick(window.level.picture, Qt.Key.Key_PageUp)
        assert gain(window) == 60

    def test_left_and_right_choose_the_point_and_the_table_follows(self, window: Window, qtbot: QtBot) -> None:
        qtbot.keyClick(window.level.picture, Qt.Key.Key_Right)
        index = window.level.picture.index
        assert window.level.table.currentIndex().row() == index
        assert window.level.rungs[index].label.split(",")[0] in why_words(window)

    def test_dragging_a_gain_previews_and_releasing_sets_it(self, window: Window, qtbot: QtBot) -> None:
        picture = window.level.picture
        picture.repaint()
        box = next(box for box, _, knob in picture._pills if knob.ref.key == "in1" and knob.ref.device == "desk")
        start = box.center().toPoint()
        per_db = picture._area().height() / 118
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
        qtbot.mouseMove(picture, start - QPoint(0, round(6 * per_db)))
        assert window.document.previewing
        assert gain(window) == 42
        assert window.level.chain.badge.isVisible()
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=start - QPoint(0, round(6 * per_db)))
        assert not window.document.previewing
        assert gain(window) == 48
        assert "gain to +48.0 dB" in window.bar.last.accessibleName()

    def test_chips_and_ends_choose_the_chain(self, window: Window, qtbot: QtBot) -> None:
        chip = next(row for row in window.level._chips.buttons() if row.property("voice") == "ferry")
        qtbot.mouseClick(chip, Qt.MouseButton.LeftButton)
        assert window.level.title.text() == "Ferry, remote"
        window.level.ends.setCurrentIndex(window.level.ends.findData("mira"))
        window.level.ends.activated.emit(window.level.ends.currentIndex())
        assert window.level.ladder.target == "mira"

    def test_every_point_shows_the_faders(self, window: Window, qtbot: QtBot) -> None:
        few = window.level.table.levels.rowCount()
        window.level.every.setChecked(True)
        assert window.level.table.levels.rowCount() > few
        assert window.level.table.levels.rowCount() == len(window.level.ladder.rungs)

    def test_a_voice_without_a_way_says_so(self, window: Window) -> None:
        window.level.voice, window.level.end = "mira", "mira"
        window.document.replace(window.document.show.with_(cables=()), None)
        window.level.end = "stream"
        window.level.refresh()
        assert "No signal path leads" in window.level.subtitle.text()
        window.grab()


class TestFeeds:
    def test_the_worst_pair_is_chosen_and_explained(self, window: Window, qtbot: QtBot) -> None:
        qtbot.keyClick(window, Qt.Key.Key_6, Qt.KeyboardModifier.ControlModifier)
        assert window.stage == "Feeds"
        words = why_words(window)
        assert "Ferry hears Ferry" in words
        assert "164.1 ms" in words
        assert "82.0 ms" in words

    def test_both_faults_are_removed_by_their_remedies(self, window: Window, qtbot: QtBot) -> None:
        window.go("Feeds")
        qtbot.mouseClick(button(window, "do own-voice-back cut-1"), Qt.MouseButton.LeftButton)
        assert window.document.analysis.counts()["stop"] == 0
        window.feeds.choose("stream", "mira")
        qtbot.mouseClick(button(window, "do arrives-twice cut-1"), Qt.MouseButton.LeftButton)
        left = {row.code for row in window.document.analysis.findings if row.stage == "Feeds"}
        assert not left & {"own-voice-back", "arrives-twice"}
        assert window.bar.counts["stop"].text() == "0"
        for _ in range(2):
            window.bar.last.click()
        assert window.document.analysis.counts()["stop"] == 1
        assert not window.document.unsaved

    def test_a_preview_changes_the_picture_and_not_the_show(self, window: Window, qtbot: QtBot) -> None:
        window.go("Feeds")
        before = window.document.show
        qtbot.mouseClick(button(window, "preview own-voice-back cut-1"), Qt.MouseButton.LeftButton)
        assert window.document.analysis.feeds["ferry", "ferry"].verdict == "silent"
        assert window.document.show is before
        assert window.feeds.badge.isVisible()
        assert "nothing changed yet" in why_words(window)
        qtbot.mouseClick(button(window, "end held"), Qt.MouseButton.LeftButton)
        assert window.document.analysis.feeds["ferry", "ferry"].verdict == "back"
        qtbot.mouseClick(button(window, "preview own-voice-back cut-1"), Qt.MouseButton.LeftButton)
        qtbot.mouseClick(button(window, "do held"), Qt.MouseButton.LeftButton)
        assert window.document.show.device("desk").settings["in5>send1"].on is False

    def test_leaving_the_stage_ends_a_preview(self, window: Window, qtbot: QtBot) -> None:
        window.go("Feeds")
        qtbot.mouseClick(button(window, "preview own-voice-back cut-1"), Qt.MouseButton.LeftButton)
        window.go("Level")
        assert not window.document.previewing
        assert window.why.held is None

    def test_space_switches_the_want(self, window: Window, qtbot: QtBot) -> None:
        window.go("Feeds")
        window.feeds.choose("ferry", "mira")
        qtbot.keyClick(window.feeds.matrix, Qt.Key.Key_Space)
        assert window.document.analysis.feeds["ferry", "mira"].want == "never"
        assert window.document.analysis.feeds["ferry", "mira"].verdict == "unwanted"
        window.document.undo_stack.undo()
        assert window.document.analysis.feeds["ferry", "mira"].want == "hear"

    def test_arrow_keys_move_and_the_why_panel_follows(self, window: Window, qtbot: QtBot) -> None:
        window.go("Feeds")
        window.feeds.choose("mira", "mira")
        qtbot.keyClick(window.feeds.matrix, Qt.Key.Key_Right)
        assert "Mira hears Tam" in why_words(window)

    def test_switches_on_the_way_can_be_flipped(self, window: Window, qtbot: QtBot) -> None:
        window.go("Feeds")
        window.feeds.choose("stream", "tam")
        qtbot.mouseClick(button(window, "switch desk in2>main on"), Qt.MouseButton.LeftButton)
        assert window.document.show.device("desk").settings["in2>main"].on is False
        assert window.document.analysis.feeds["stream", "tam"].verdict == "missing"

    def test_crosspoints_switch_from_the_keyboard(self, window: Window, qtbot: QtBot) -> None:
        window.go("Feeds")
        window.feeds.choose_view("switches")
        grid = window.feeds.page.crosspoints
        row, column = grid.points.sources.index("in5"), grid.points.targets.index("send1")
        grid.setCurrentIndex(grid.points.index(row, column))
        qtbot.keyClick(grid, Qt.Key.Key_Space)
        assert window.document.analysis.counts()["stop"] == 0
        assert "off" in grid.points.data(grid.points.index(row, column))
        qtbot.keyClick(grid, Qt.Key.Key_Return)
        assert window.document.analysis.counts()["stop"] == 1

    def test_every_cell_says_itself_in_words(self, window: Window) -> None:
        model = window.feeds.matrix.feeds
        for row in range(model.rowCount()):
            for column in range(model.columnCount()):
                words = model.data(model.index(row, column), Qt.ItemDataRole.AccessibleTextRole)
                assert words
                assert ": " in words

    def test_unfolding_a_figure_shows_its_source(self, window: Window, qtbot: QtBot) -> None:
        from PySide6.QtWidgets import QToolButton

        arrows = window.why.widget().findChildren(QToolButton)
        assert arrows
        qtbot.mouseClick(arrows[1], Qt.MouseButton.LeftButton)
        assert "free-field" in why_words(window).lower()


class TestWindow:
    def test_nine_stages_by_key_and_the_rest_say_one_honest_sentence(self, window: Window, qtbot: QtBot) -> None:
        for i, stage in enumerate(STAGES):
            qtbot.keyClick(window, Qt.Key(Qt.Key.Key_1 + i), Qt.KeyboardModifier.ControlModifier)
            assert window.stage == stage
            assert window.rail.current == stage
            window.grab()

    def test_rail_describes_itself(self, window: Window) -> None:
        assert window.rail.describe("Feeds") == "Feeds: 28 of 57, worst: stop"
        assert "settled" not in window.rail.describe("Talk")

    def test_counts_jump_to_the_first_finding(self, window: Window, qtbot: QtBot) -> None:
        qtbot.mouseClick(window.bar.counts["stop"], Qt.MouseButton.LeftButton)
        assert window.stage == "Feeds"
        assert window.feeds.matrix.current_feed().key == ("ferry", "ferry")
        qtbot.mouseClick(window.bar.counts["note"], Qt.MouseButton.LeftButton)
        first = next(row for row in window.document.analysis.findings if row.severity == "note")
        assert window.stage == first.stage

    def test_what_is_mended_leaves_the_list_and_the_next_stands_there(self, window: Window, qtbot: QtBot) -> None:
        window.walk.jump("stop")
        rows = window.walk.list
        assert rows is not None
        first = window.walk.chosen
        assert first is not None
        assert first.code == "own-voice-back"
        qtbot.waitUntil(lambda: not window.why.trying, timeout=30_000)
        window.do_proposed()
        assert window.document.analysis.counts()["stop"] == 0
        assert not rows.isVisible()
        assert window.walk.chosen is None
        window.walk.jump("fix")
        before = [row.key for row in rows.rows]
        mended = window.walk.chosen
        assert mended is not None
        qtbot.waitUntil(lambda: not window.why.trying, timeout=30_000)
        assert window.why.proposal(mended.code) is not None
        window.do_proposed()
        assert rows.isVisible()
        assert mended.key in before
        assert mended.key not in [row.key for row in rows.rows]
        assert window.walk.chosen is not None
        # What is done is about the finding that is chosen, or nothing is done.
        there = window.document.show
        chosen = window.walk.chosen
        if window.why.proposal(chosen.code) is None:
            window.do_proposed()
            assert window.document.show is there

    @pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
    @pytest.mark.parametrize("scale", [1.0, 1.5])
    def test_themes_and_sizes_keep_the_work(self, window: Window, size: tuple[int, int], scale: float) -> None:
        window.resize(*size)
        window.level.choose_voice("tam")
        window.set_scale(scale)
        window.swap_theme()
        assert window.level.voice == "tam"
        assert window.theme.name == "light"
        assert state.read_settings() == {"text_scale": scale, "theme": "light"}
        for stage in ("Level", "Feeds"):
            window.go(stage)
            assert not window.grab().isNull()
        assert window.width() == size[0]

    def test_every_button_has_a_name_and_every_control_a_tip(self, window: Window) -> None:
        for stage in ("Level", "Feeds"):
            window.go(stage)
            for row in window.findChildren(QPushButton):
                if row.isVisible():
                    assert row.text() or row.accessibleName()

    def test_commands_are_found_by_typing(self, window: Window, qtbot: QtBot) -> None:
        actions = [row for menu in window.menuBar().actions() for row in menu.menu().actions() if not row.isSeparator()]
        dialog = CommandList(actions, window)
        qtbot.addWidget(dialog)
        dialog.field.setText("rig sh")
        assert dialog.rows.item(0).text().startswith("Rig sheet")
        qtbot.keyClick(dialog.field, Qt.Key.Key_Return)
        assert "sheet" in dialog.chosen.text()

    def test_the_very_first_press_opens_the_list_and_does_what_is_chosen(self, demo: Show, qtbot: QtBot) -> None:
        """On a window of which nothing else was touched, with all that Python would let go of gone."""
        window = Window(Document(demo, autosave=False))
        qtbot.addWidget(window)
        window.show()
        gc.collect()
        for _ in range(2):
            actions = commands_of(window.menuBar())
            gc.collect()
            assert len(actions) > 60
            assert all(row.text() for row in actions)

        seen: list[int] = []

        def choose() -> None:
            dialog = QApplication.activeModalWidget()
            assert isinstance(dialog, CommandList)
            dialog.field.setText("cut list none such")
            seen.append(dialog.rows.item(0).flags() == Qt.ItemFlag.NoItemFlags)
            dialog.field.setText("rig sh")
            seen.append(dialog.rows.count())
            qtbot.keyClick(dialog.field, Qt.Key.Key_Escape)

        QTimer.singleShot(200, choose)
        window.find_command()
        assert seen[0], "that nothing is found is said in a row that cannot be chosen"
        assert seen[1] > 0

    def test_an_empty_show_says_what_to_do_first(self, window: Window) -> None:
        window.filing.new()
        assert window.stage == "Welcome"
        window.go("Level")
        assert window.level.title.text() == "No voice yet"
        assert "open a show or the demo" in window.level.subtitle.text()
        window.go("Feeds")
        assert "Add parties" in window.feeds.subtitle.text()
        window.grab()

    def test_the_clock_counts_to_air(self, window: Window) -> None:
        from datetime import UTC, datetime, timedelta

        assert not window.bar.clock.isVisible()
        window.document.replace(window.document.show.with_(air_at=datetime.now(UTC) + timedelta(seconds=3725)), None)
        assert window.bar.clock.text().startswith("01:02:0")


class TestSlowMachine:
    """When an analysis takes long it is done in a worker, and nothing that is pressed meanwhile is lost."""

    @pytest.fixture
    def slow(self, window: Window) -> Window:
        window.document.at_once = False
        return window

    def test_quick_presses_all_count(self, slow: Window, qtbot: QtBot) -> None:
        for _ in range(6):
            qtbot.keyClick(slow.level.picture, Qt.Key.Key_Up)
        assert gain(slow) == 48
        settle(slow)
        knob = next(k for row in slow.level.rungs for k in row.knobs if k.ref == SettingRef("desk", "in1", "gain_db"))
        assert knob.value == 48

    def test_it_can_be_stopped_and_gone_on_with(self, slow: Window, qtbot: QtBot) -> None:
        qtbot.keyClick(slow.level.picture, Qt.Key.Key_Up)
        assert slow.document.busy
        shown = slow.document.analysis
        slow.document.stop()
        assert slow.document.stopped
        assert not slow.document.busy
        assert slow.bar.halt.isVisible()
        qtbot.wait(600)
        assert slow.document.analysis is shown
        assert gain(slow) == 43, "the show keeps what was typed"
        slow.bar.halt.click()
        settle(slow)
        assert not slow.document.stopped
        assert slow.document.analysis.show is slow.document.show

    def test_another_show_takes_the_place_once_it_is_computed(self, slow: Window, demo: Show) -> None:
        slow.document.replace(demo.with_(title="The next one"), None)
        assert slow.document.show.title != "The next one"
        assert slow.document.opening == "The next one"
        settle(slow)
        assert slow.document.show.title == "The next one"
        assert slow.document.analysis.show is slow.document.show

    def test_closing_waits_for_nothing(self, slow: Window, qtbot: QtBot) -> None:
        qtbot.keyClick(slow.level.picture, Qt.Key.Key_Up)
        work = slow.document._work
        assert work is not None
        slow.document.close()
        assert work.unwanted.is_set()

    def test_a_remedy_arrives(self, slow: Window, qtbot: QtBot) -> None:
        slow.go("Feeds")
        qtbot.mouseClick(button(slow, "do own-voice-back cut-1"), Qt.MouseButton.LeftButton)
        settle(slow)
        assert slow.document.analysis.counts()["stop"] == 0
        assert slow.bar.counts["stop"].text() == "0"

    def test_a_preview_ended_early_does_not_come_back(self, slow: Window, qtbot: QtBot) -> None:
        slow.go("Feeds")
        qtbot.mouseClick(button(slow, "preview own-voice-back cut-1"), Qt.MouseButton.LeftButton)
        slow.document.end_preview()
        time.sleep(0.4)
        settle(slow)
        assert slow.document.analysis.feeds["ferry", "ferry"].verdict == "back"

    def test_an_edit_and_then_a_preview_ended_show_the_edit(self, slow: Window, qtbot: QtBot) -> None:
        """The preview overtakes the edit's analysis; ending it must not fall back to what was before the edit."""
        from kymaphon.core.model.edits import SetValue

        ref = SettingRef("desk", "in5>send1", "on")
        slow.document.apply((SetValue(ref, False),), "off")
        slow.document.preview((SetValue(SettingRef("desk", "in1", "gain_db"), 20.0),), "quiet")
        slow.document.end_preview()
        settle(slow)
        assert slow.document.analysis.show is slow.document.show
        assert slow.document.analysis.feeds["ferry", "ferry"].verdict == "silent"

    def test_dragging_asks_for_no_more_than_one_at_a_time(
        self, slow: Window, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        from kymaphon.core.model.edits import SetValue

        started: list[object] = []
        import kymaphon.app.document as module

        work = module._Work
        monkeypatch.setattr(module, "_Work", lambda *args, **more: started.append(args[0]) or work(*args, **more))
        for value in range(20, 40):
            slow.document.preview((SetValue(SettingRef("desk", "in1", "gain_db"), float(value)),), f"{value}")
        settle(slow)
        assert len({id(show) for show in started}) <= 3, "the first and the newest, not the eighteen between"
        assert slow.document.analysis.show.device("desk").settings["in1"].gain_db == 39


def test_an_unexpected_error_in_an_edit_does_not_end_the_program(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Raised through the undo stack it would crash the interpreter; it comes a moment later, and the edit is kept."""
    import kymaphon.app.document as module
    from kymaphon.core.model.edits import SetValue
    from kymaphon.core.model.ids import SettingRef

    def broken(_show: object, **_more: object) -> None:
        raise ZeroDivisionError("made for this test")

    monkeypatch.setattr(module, "analyse", broken)
    with qtbot.captureExceptions() as seen:
        window.document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), 12.0),), "turned")
        qtbot.waitUntil(lambda: bool(seen), timeout=5000)
    assert seen[0][0] is ZeroDivisionError
    assert window.document.show.device("desk").settings["in1"].gain_db == 12.0
    monkeypatch.undo()
    window.document.undo_stack.undo()
    assert window.document.analysis.show is window.document.show
