"""Feeds as a user works with it: pairs and listeners, the plan taken over, steps ticked, loops, what goes out."""

from __future__ import annotations

import time
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from kymaphon.app.stages.feeds.out import OutPage
from kymaphon.app.stages.feeds.stage import FeedsStage
from kymaphon.app.stages.feeds.words import FEED_VIEWS
from kymaphon.app.window import Window
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.delivery import Recording
from kymaphon.core.model.edits import Unplug, apply_all
from tests.app.conftest import button, fill, settle, why_words, with_form
from tests.conftest import two_desks
from tests.core.mixes.rooms import calls, laptop_only, studio, two_rooms, usb_desk


@pytest.fixture
def feeds(window: Window) -> FeedsStage:
    window.go("Feeds")
    settle(window)
    return window.feeds


def planned(window: Window) -> None:
    """Waits for the plan."""
    model = window.feeds.model
    for _ in range(3000):
        QApplication.processEvents()
        if model.fresh and not model.busy:
            return
        time.sleep(0.005)
    raise AssertionError("the plan never came")


def plan_view(window: Window) -> None:
    window.go("Feeds")
    window.feeds.choose_view("plan")
    planned(window)


class TestViews:
    def test_each_opens_with_its_title_and_its_why(self, window: Window, feeds: FeedsStage) -> None:
        titles = set()
        for name, _, _ in FEED_VIEWS:
            feeds.choose_view(name)
            if name == "plan":
                planned(window)
            settle(window)
            titles.add(feeds.title.text())
            assert feeds.subtitle.text()
            assert window.why.widget() is not None
            window.grab()
        assert len(titles) == len(FEED_VIEWS)

    def test_they_are_in_the_menu_with_their_keys(self, window: Window, qtbot: QtBot) -> None:
        window.go("Cast")
        qtbot.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
        assert (window.stage, window.feeds.view) == ("Feeds", "plan")
        qtbot.keyClick(window, Qt.Key.Key_I, Qt.KeyboardModifier.ControlModifier)
        assert window.feeds.view == "doing"

    def test_large_text_in_a_small_window_has_a_list_instead_of_buttons(
        self, window: Window, feeds: FeedsStage
    ) -> None:
        window.resize(1024, 700)
        window.set_scale(1.5)
        QApplication.processEvents()
        feeds = window.feeds
        assert feeds.short.isVisible()
        assert not any(row.isVisible() for row in feeds._views.buttons())
        feeds.short.setCurrentIndex(feeds.short.findData("circles"))
        feeds.short.activated.emit(feeds.short.currentIndex())
        assert feeds.view == "circles"
        window.resize(1600, 900)
        window.set_scale(1.0)
        QApplication.processEvents()
        assert not window.feeds.short.isVisible()
        assert window.feeds.view == "circles"

    def test_a_circles_finding_opens_the_circles(self, window: Window) -> None:
        on = {"in5>send1": {"on": True, "gain_db": 4}}
        window.document.replace(two_desks(a=on, b=on), None)
        window.go("Feeds")
        finding = next(row for row in window.document.analysis.findings if row.code == "loop-howls")
        window.feeds.show_finding(finding)
        assert window.feeds.view == "circles"
        assert "howl" in window.feeds.subtitle.text()
        assert "howls" in window.feeds.page.picture.words


class TestHearing:
    def test_ways_are_drawn_with_the_device_where_the_voice_turns(self, feeds: FeedsStage) -> None:
        feeds.choose("ferry", "ferry")
        feeds.hearing.choose_below("ways")
        rows = feeds.hearing.ways.rows
        assert [station.name for station in rows[0].stations] == [
            "Ferry phone",
            "Ferry codec",
            "Desk",
            "Ferry codec",
            "Ferry phone",
        ]
        assert [station.turns for station in rows[0].stations] == [False, False, True, False, False]
        assert rows[0].delay_ms == pytest.approx(sum(station.delay_ms for station in rows[0].stations))
        assert "Ferry phone to Ferry codec to Desk" in feeds.hearing.ways.accessibleDescription()

    def test_only_a_late_way_turns_round(self, window: Window, feeds: FeedsStage) -> None:
        window.document.replace(two_rooms(), None)
        feeds.choose("host", "host")
        feeds.hearing.choose_below("ways")
        direct, late = feeds.hearing.ways.rows
        assert direct.delay_ms < 1 < 300 < late.delay_ms
        assert not any(row.turns for row in direct.stations)
        assert [row.name for row in late.stations if row.turns] == ["Outside desk"]

    def test_the_response_has_its_notches(self, feeds: FeedsStage) -> None:
        feeds.choose("stream", "mira")
        feeds.hearing.choose_below("response")
        picture = feeds.hearing.response
        assert picture.notches[0] == pytest.approx(94, abs=1)
        assert "ripple" in picture.accessibleDescription()
        picture.resize(600, 200)
        picture.grab()
        assert "Ripple" in "\n".join(row.name.capitalize() for row in feeds.why().more)

    def test_no_way_no_response(self, window: Window) -> None:
        window.document.replace(studio("desk-8", 1), None)
        window.go("Feeds")
        window.feeds.choose("far1", "host")
        window.feeds.hearing.choose_below("response")
        assert window.feeds.hearing.response.words == "No signal path leads there."
        window.feeds.hearing.choose_below("ways")
        assert window.feeds.hearing.ways.accessibleDescription() == "no path"
        window.grab()

    def test_wants_and_what_is_got_stand_side_by_side(self, window: Window, feeds: FeedsStage, qtbot: QtBot) -> None:
        feeds.choose("ferry", "jingles")
        feeds.hearing.choose_below("wants")
        table = feeds.hearing.wants
        row = next(row for row in table.words.rows if row.key == ("ferry", "jingles"))
        assert row.cells[1:] == ("should hear, \u22126.0 dB", "\u22126.0 dB, 82.0 ms", "0.0 dB", "heard") or row.cells[
            1
        ].startswith("should hear, \u22126.0")
        table.setCurrentIndex(table.words.index(0, 0))
        qtbot.keyClick(table, Qt.Key.Key_Return)
        assert window.document.analysis.feeds["ferry", "mira"].want == "never"

    def test_a_name_at_the_left_gives_its_listener_in_one_sentence(self, window: Window, feeds: FeedsStage) -> None:
        place = feeds.matrix.feeds.listeners.index("ferry")
        feeds.matrix.verticalHeader().sectionClicked.emit(place)
        words = why_words(window)
        assert words.startswith("Ferry\nFerry hears itself 164.1 ms late")
        assert "arrive twice" not in words  # that is the stream's
        assert feeds.hearing.below == "wants"
        feeds.choose("ferry", "tam")
        assert "Ferry hears Tam" in why_words(window)

    def test_the_listeners_key(self, window: Window, feeds: FeedsStage, qtbot: QtBot) -> None:
        feeds.choose("stream", "mira")
        qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
        assert why_words(window).startswith("Stream\nStream hears")

    def test_wants_by_role_for_one_listener_and_for_all(self, window: Window) -> None:
        window.document.replace(studio("desk-8", 2), None)
        window.go("Feeds")
        window.feeds.hearing.choose_listener("far1")
        button(window, "act by role").click()
        assert {want.listener for want in window.document.show.wants} == {"far1"}
        assert window.document.analysis.feeds["far1", "far1"].want == "never"
        action = next(
            row for menu in window.menuBar().actions() for row in menu.menu().actions() if "by &role" in row.text()
        )
        action.trigger()
        assert {want.listener for want in window.document.show.wants} == {"host", "stream", "far1", "far2"}
        count = len(window.document.show.wants)
        action.trigger()
        assert len(window.document.show.wants) == count

    def test_a_pair_that_is_wrong_leads_to_the_plan(self, window: Window, feeds: FeedsStage) -> None:
        feeds.choose("ferry", "ferry")
        button(window, "act plan").click()
        assert feeds.view == "plan"
        feeds.choose_view("hearing")
        feeds.choose("ferry", "mira")
        assert "Plan the feeds" not in [action.label for action in feeds.why().actions]

    def test_the_wanted_level_is_typed(self, window: Window, feeds: FeedsStage) -> None:
        feeds.choose("ferry", "mira")
        press = button(window, "act level")
        with_form(press.click, lambda form: fill(form, gain_db="-6"))
        feed = window.document.analysis.feeds["ferry", "mira"]
        assert (feed.want, feed.wanted_gain_db) == ("hear", -6)
        press = button(window, "act level")
        with_form(press.click, lambda form: fill(form, gain_db="-300"))
        assert window.document.analysis.feeds["ferry", "mira"].wanted_gain_db == -6

    def test_a_preview_outlines_what_changes_and_says_what_it_was(self, window: Window, feeds: FeedsStage) -> None:
        feeds.choose("ferry", "ferry")
        button(window, "preview own-voice-back cut-1").click()
        model = feeds.matrix.feeds
        changed = {key for key, feed in window.document.analysis.feeds.items() if model.was(feed) is not None}
        assert changed == {("ferry", "ferry")}
        index = model.index(model.listeners.index("ferry"), model.voices.index("ferry"))
        assert "was: own voice back" in model.data(index, Qt.ItemDataRole.ToolTipRole)
        assert "1 pair changes" in feeds.subtitle.text()
        assert "Was: comes back 164.1 ms late" in why_words(window)
        window.document.end_preview()
        assert all(model.was(feed) is None for feed in window.document.analysis.feeds.values())


class TestPlan:
    def test_taken_over_it_is_one_step_and_its_steps_wait_to_be_ticked(self, window: Window, qtbot: QtBot) -> None:
        plan_view(window)
        assert "nobody hears themselves late" in window.feeds.subtitle.text()
        before = window.document.show
        button(window, "do feed-plan plan").click()
        settle(window)
        assert not [row for row in window.document.analysis.findings if row.stage == "Feeds" and row.severity != "note"]
        assert [task.text for task in window.document.show.tasks] == [
            "Desk, channel 5, send 1: off",
            "Software mixer, stereo input 5, programme: off",
        ]
        window.document.undo_stack.undo()
        assert window.document.show == before

    def test_it_can_be_looked_at_first(self, window: Window) -> None:
        plan_view(window)
        button(window, "preview feed-plan plan").click()
        assert window.document.previewing
        assert window.document.analysis.feeds["ferry", "ferry"].verdict == "silent"
        assert window.document.show.tasks == ()

    def test_levels_are_left_to_the_line_up_and_named(self, window: Window) -> None:
        plan_view(window)
        assert "Left to them: Ilse too quiet for everybody." in why_words(window)

    def test_planned_and_set_there_is_nothing_to_take_over(self, window: Window) -> None:
        plan_view(window)
        button(window, "do feed-plan plan").click()
        planned(window)
        assert "all set as they should be" in window.feeds.subtitle.text()
        assert "Apply the plan" not in why_words(window)

    def test_a_changed_show_is_planned_anew(self, window: Window) -> None:
        plan_view(window)
        window.feeds.choose_view("switches")
        grid = window.feeds.page.crosspoints
        place = grid.points.index(grid.points.sources.index("in6"), grid.points.targets.index("send2"))
        grid.flipped.emit(grid.points.path(place), True)
        window.feeds.choose_view("plan")
        planned(window)
        row = next(row for row in window.feeds.page.mixes.words.rows if row.cells[0] == "Lighthouse")
        assert row.cells[2] == "mix-minus: everyone but Lighthouse; channel 6 (Lighthouse) off"
        assert row.cells[3].startswith("1 setting changes")

    def test_a_mix_says_what_its_listeners_should_hear(self, window: Window) -> None:
        plan_view(window)
        table = window.feeds.page.mixes
        place = next(n for n, row in enumerate(table.words.rows) if row.cells[0] == "Ferry")
        table.setCurrentIndex(table.words.index(place, 0))
        assert "Ferry should hear Mira" in why_words(window)
        assert "never Ferry" in why_words(window)

    def test_what_cannot_be_made_is_told_with_its_ways_out(self, window: Window) -> None:
        window.document.replace(studio("desk-1-send", 4), None)
        plan_view(window)
        words = why_words(window)
        assert "1 mix cannot be made" in words
        assert "Far 4 gets no mix" in words
        button(window, "do feed-plan-short way-0").click()
        settle(window)
        feeds = window.document.analysis.feeds
        assert not [feed for feed in feeds.values() if feed.verdict in ("back", "missing")]
        planned(window)
        assert "cannot be made" not in window.feeds.subtitle.text()

    def test_a_call_that_nothing_takes_is_mixed_in_the_computer(self, window: Window) -> None:
        window.document.replace(calls(2), None)
        plan_view(window)
        words = why_words(window)
        assert "No free input takes Far 2" in words
        assert "Far 2 gets as far as Call 2, far end's voice and no further" in words
        row = window.feeds.page.mixes.words.rows[0]
        assert row.cells[1:] == ("no free input", "Far 2", "ends at Call 2, far end's voice")
        button(window, "preview feed-plan-short way-0").click()
        assert window.document.analysis.feeds["host", "far2"].verdict != "missing"
        button(window, "do feed-plan-short way-0").click()
        settle(window)
        assert {feed.verdict for key, feed in window.document.analysis.feeds.items() if key[0] == key[1]} <= {
            "silent",
            "local",
        }
        assert any("start it in Laptop" in task.text for task in window.document.show.tasks)
        planned(window)
        assert "No free input" not in window.feeds.subtitle.text()
        window.document.undo_stack.undo()
        assert window.document.show == calls(2)

    def test_a_free_send_is_led_into_the_computer(self, window: Window) -> None:
        window.document.replace(usb_desk(), None)
        plan_view(window)
        words = why_words(window)
        assert "does not go into Call, microphone" in words
        assert "A lead from Desk, send 1 into Laptop, headset socket" in words
        button(window, "do feed-plan-short way-0").click()
        settle(window)
        assert window.document.analysis.feeds["far", "far"].verdict == "silent"
        assert any(device.kind == "pad-40" for device in window.document.show.devices)
        planned(window)
        assert "all set as they should be" in window.feeds.subtitle.text()

    def test_where_nothing_mixes_a_software_mixer_is_offered(self, window: Window) -> None:
        window.document.replace(laptop_only(), None)
        plan_view(window)
        assert "Nothing here mixes" in window.feeds.subtitle.text()
        button(window, "do feed-plan-short way-0").click()
        settle(window)
        assert window.document.analysis.feeds["stream", "far"].verdict in ("heard", "quiet")
        window.document.undo_stack.undo()
        assert window.document.show == laptop_only()

    def test_a_lead_that_was_forgotten_is_in_the_plan(self, window: Window) -> None:
        show = apply_all(studio("desk-8", 2), (Unplug("codec2.near-out", "desk.in6"),))
        window.document.replace(show, None)
        plan_view(window)
        row = window.feeds.page.mixes.words.rows[0]
        assert row.cells[3] == "plugged in from Call codec, return from the far end"
        button(window, "do feed-plan plan").click()
        settle(window)
        assert any(cable.source == "codec2.near-out" for cable in window.document.show.cables)

    def test_an_empty_show_has_no_plan_and_says_what_to_add(self, window: Window) -> None:
        window.document.replace(
            window.document.show.with_(parties=(), devices=(), cables=(), wants=(), takes=(), kinds=()), None
        )
        plan_view(window)
        assert "add a desk" in window.feeds.subtitle.text()
        for name, _, _ in FEED_VIEWS:
            window.feeds.choose_view(name)
            window.grab()


class TestDoing:
    def test_steps_are_ticked_by_key_and_cleared(self, window: Window, qtbot: QtBot) -> None:
        plan_view(window)
        button(window, "do feed-plan plan").click()
        window.feeds.choose_view("doing")
        table = window.feeds.page.table
        table.setCurrentIndex(table.words.index(0, 0))
        qtbot.keyClick(table, Qt.Key.Key_Return)
        assert [task.done for task in window.document.show.tasks] == [True, False]
        assert window.feeds.page.count.text() == "1 of 2 done"
        assert table.currentIndex().row() == 1
        button(window, "act tick").click()
        assert [task.done for task in window.document.show.tasks] == [True, True]
        button(window, "act clear").click()
        assert window.document.show.tasks == ()
        window.document.undo_stack.undo()
        assert len(window.document.show.tasks) == 2

    def test_what_the_plan_would_change_and_everything_from_nothing(self, window: Window) -> None:
        window.go("Feeds")
        window.feeds.choose_view("doing")
        page = window.feeds.page
        assert "Nothing waits" in page.count.text()
        for name, least in (("now", 2), ("all", 60)):
            page.sort.setCurrentIndex(page.sort.findData(name))
            page.sort.activated.emit(page.sort.currentIndex())
            if name == "now":
                planned(window)
            assert len(page.table.words.rows) >= least
        assert page.table.words.rows[0].cells[2] == "mute first"
        assert "headphones off the ears" in why_words(window)

    def test_whatever_was_changed_since_it_was_opened_is_a_step(self, window: Window) -> None:
        """A remedy pressed anywhere still has to be done at the desk."""
        window.go("Feeds")
        window.feeds.choose("ferry", "ferry")
        button(window, "do own-voice-back cut-1").click()
        window.feeds.choose_view("doing")
        page = window.feeds.page
        page.choose_sort("opened")
        assert [row.cells[1] for row in page.table.words.rows] == ["Desk, channel 5, send 1: off"]
        window.document.undo_stack.undo()
        assert page.table.words.rows == ()


class TestCircles:
    def test_the_table_and_the_arithmetic(self, window: Window, qtbot: QtBot) -> None:
        show = two_desks(a={"in5>send1": {"on": True}}, b={"in5>send1": {"on": True, "gain_db": -4}})
        window.document.replace(show, None)
        window.go("Feeds")
        window.feeds.choose_view("circles")
        page = window.feeds.page
        assert page.table.words.rows[0].cells[2] == "328.0 ms"
        words = why_words(window)
        assert "two desks feed each other" in words
        assert "Gain once round" in words
        assert "All loops together" in words
        assert len(page.picture.frequencies)
        button(window, "switch desk-a in5>send1 on").click()
        settle(window)
        assert page.circles == ()
        assert "Nothing goes round" in window.feeds.subtitle.text()


def out_view(window: Window) -> OutPage:
    """The view, when it has been computed."""
    window.go("Feeds")
    if window.feeds.view != "out":
        window.feeds.choose_view("out")
    page = window.feeds.page
    assert isinstance(page, OutPage)
    for _ in range(3000):
        QApplication.processEvents()
        if not page.busy:
            return page
        time.sleep(0.005)
    raise AssertionError("tracks never came")


class TestOut:
    def test_tracks_are_taken_over(self, window: Window, feeds: FeedsStage) -> None:
        page = out_view(window)
        assert "mix\nlantern-quay_" in page.tracks.words.rows[0].cells[0]
        button(window, "act take over").click()
        out_view(window)
        assert [(row.id, row.source) for row in window.document.show.tracks] == [("plan-1", "mixer.out.l")]
        assert window.document.show.recording == Recording()
        assert "Take these tracks over" not in why_words(window)

    def test_how_it_is_recorded_is_typed(self, window: Window, feeds: FeedsStage) -> None:
        out_view(window)
        press = button(window, "act recording")
        with_form(
            press.click,
            lambda form: fill(form, way="each", bits=16, length_min="90", free_gb="2"),
        )
        out_view(window)
        how = window.document.show.recording
        assert how is not None
        assert (how.way, how.bits, how.length_s, how.free_bytes) == ("each", 16, 5400, 2 * 10**9)
        assert "One track a person cannot be had" in why_words(window)
        assert "The disk is full after" in why_words(window) or "the disk after" in why_words(window)

    def test_bad_values_are_told_and_change_nothing(self, window: Window, feeds: FeedsStage) -> None:
        out_view(window)
        before = window.document.show
        press = button(window, "act recording")
        with_form(press.click, lambda form: fill(form, length_min="-3"))
        press = button(window, "act recording")
        with_form(press.click, lambda form: fill(form, rate_hz="44100.5"))
        assert window.document.show == before

    def test_the_disks_free_space_is_read(self, window: Window, feeds: FeedsStage, tmp_path: Path) -> None:
        out_view(window)
        window.document.path = tmp_path / "show.json"
        button(window, "act free").click()
        how = window.document.show.recording
        assert how is not None
        assert (how.free_bytes or 0) > 0
        window.document.path = tmp_path / "gone" / "show.json"
        button(window, "act free").click()
        assert "free space" in window.status.text()

    def test_the_network_is_typed_and_judged(self, window: Window, feeds: FeedsStage) -> None:
        page = out_view(window)
        table = page.net
        table.setCurrentIndex(table.words.index(0, 0))
        press = button(window, "act stream")
        with_form(press.click, lambda form: fill(form, video_kbps="4500", up_mbps="6", down_mbps="20"))
        out_view(window)
        words = why_words(window)
        assert "Upload is 6.0 Mbit/s and 15.7 are needed" in words
        assert "12 to 15 s ago" in words
        assert window.document.show.streaming is not None
        table.setCurrentIndex(table.words.index(0, 0))
        press = button(window, "act stream")
        with_form(press.click, lambda form: fill(form, streams="1.5"))
        assert window.document.show.streaming.streams is None


def test_the_stage_keeps_its_place_over_a_change_of_theme(window: Window, feeds: FeedsStage) -> None:
    feeds.choose("stream", "tam")
    feeds.hearing.choose_below("ways")
    feeds.choose_view("circles")
    window.swap_theme()
    feeds = window.feeds
    assert feeds.view == "circles"
    feeds.choose_view("hearing")
    assert feeds.matrix.current_feed().key == ("stream", "tam")
    assert feeds.hearing.below == "ways"
    assert analyse(window.document.show).feeds.keys() == window.document.analysis.feeds.keys()
