"""Talk in the window: by the keyboard, on the second act of the demo."""

from __future__ import annotations

import time
from collections.abc import Iterator
from datetime import datetime, timedelta, timezone
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from kymaphon.app.stages.talk.check import CheckPage
from kymaphon.app.stages.talk.desk import DeskPage
from kymaphon.app.stages.talk.forms import clock_of, fresh
from kymaphon.app.stages.talk.hearing import HearingPage
from kymaphon.app.stages.talk.lines import LinesPage
from kymaphon.app.stages.talk.positions import PositionsPage
from kymaphon.app.stages.talk.stage import TalkStage
from kymaphon.app.stages.talk.work import WorkPage
from kymaphon.app.window import Window
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.edits import SetField, apply_all
from kymaphon.core.model.show import Show
from kymaphon.files.demo import FINAL, demo_path, second_act
from kymaphon.files.show_file import read_show
from tests.app.conftest import LONGEST_S, button, fill, settle, why_words, window_on, with_form
from tests.core.hand_typed import podcast_for_two

KEY = Qt.Key


@pytest.fixture(scope="module")
def final() -> Show:
    return read_show(demo_path(FINAL))


@pytest.fixture(scope="module")
def final_report(final: Show) -> Report:
    return analyse(final)


@pytest.fixture
def window(
    qtbot: QtBot, final: Show, final_report: Report, monkeypatch: pytest.MonkeyPatch, spared: None
) -> Iterator[Window]:
    with window_on(final, final_report, "Talk", monkeypatch) as row:
        yield row


def ready(window: Window) -> None:
    """Waits for the findings, and for what Talk computes in a worker."""
    until = time.monotonic() + LONGEST_S
    while time.monotonic() < until:
        settle(window)
        QApplication.processEvents()
        if not window.talk.bench.busy:
            return
        time.sleep(0.005)
    raise AssertionError("the plan never came")


def view(window: Window, name: str) -> Any:
    window.talk.choose_view(name)
    ready(window)
    return window.talk.page


def keys(qtbot: QtBot, widget: Any, *pressed: Qt.Key) -> None:
    for key in pressed:
        qtbot.keyClick(widget, key)


def go_to(window: Window, party: str, circuit: str) -> Any:
    """To a cell, as an arrow or the mouse goes there; the matrix."""
    matrix = window.talk.circuits.matrix
    rows = [row.party for row in matrix.people.rows]
    columns = [name for name, _ in matrix.people.circuits]
    matrix.setCurrentIndex(matrix.people.index(rows.index(party), columns.index(circuit) + 1))
    return matrix


def member(window: Window, circuit: str, party: str) -> Any:
    return next(row for row in window.document.show.circuits if row.id == circuit).member(party)


class TestCircuits:
    def test_it_begins_with_the_worst_and_offers_what_cures_it(self, window: Window) -> None:
        assert window.talk.circuits.matrix.here() == ("wren", "production")
        words = why_words(window)
        assert "Wren on Production is heard at Harbour station" in words
        assert "Release Talkback matrix, Key 1 to 8" in words

    def test_a_remedy_is_applied_and_undone(self, window: Window) -> None:
        before = window.document.show
        button(window, "do talk-key-down release").click()
        settle(window)
        assert window.document.show != before
        assert not [row for row in window.document.analysis.findings if row.code == "talk-key-down"]
        window.document.undo_stack.undo()
        settle(window)
        assert window.document.show == before

    def test_space_goes_through_hears_both_speaks_and_off(self, qtbot: QtBot, window: Window) -> None:
        matrix = go_to(window, "bram", "production")
        seen = []
        for _ in range(4):
            keys(qtbot, matrix, KEY.Key_Space)
            settle(window)
            row = member(window, "production", "bram")
            seen.append((row.speaks, row.hears) if row is not None else None)
        assert seen == [(False, True), (True, True), (True, False), None]
        assert matrix.here() == ("bram", "production")

    def test_quick_presses_all_count(self, qtbot: QtBot, window: Window) -> None:
        matrix = go_to(window, "bram", "commentary")
        keys(qtbot, matrix, KEY.Key_Space, KEY.Key_Space)
        settle(window)
        row = member(window, "commentary", "bram")
        assert (row.speaks, row.hears) == (True, True)

    def test_delete_takes_off_and_undo_puts_back(self, qtbot: QtBot, window: Window) -> None:
        matrix = go_to(window, "cam-1", "production")
        keys(qtbot, matrix, KEY.Key_Delete)
        settle(window)
        assert member(window, "production", "cam-1") is None
        window.document.undo_stack.undo()
        settle(window)
        assert member(window, "production", "cam-1") is not None

    def test_delete_where_nobody_is_changes_nothing(self, qtbot: QtBot, window: Window) -> None:
        matrix = go_to(window, "bram", "commentary")
        before = window.document.show
        keys(qtbot, matrix, KEY.Key_Delete)
        assert window.document.show is before

    def test_enter_says_how_somebody_is_on_it(self, qtbot: QtBot, window: Window) -> None:
        matrix = go_to(window, "perrin", "production")
        with_form(
            lambda: keys(qtbot, matrix, KEY.Key_Return),
            lambda form: fill(form, action="momentary", spoken_for_by="soli", acts=False),
        )
        settle(window)
        row = member(window, "production", "perrin")
        assert (row.action, row.spoken_for_by, row.acts, row.key) == ("momentary", "soli", False, "pack-perrin.talk")

    def test_a_new_circuit(self, window: Window) -> None:
        with_form(
            window.talk.circuits.new.click, lambda form: fill(form, name="Lighting", purpose="lighting", dim_db="15")
        )
        settle(window)
        row = window.document.show.circuits[-1]
        assert (row.id, row.name, row.dim_db) == ("lighting", "Lighting", 15)
        assert window.talk.circuits.matrix.people.circuits[-1] == ("lighting", "Lighting")
        assert any(one.code == "circuit-mute" for one in window.document.analysis.findings)

    @pytest.mark.parametrize(
        ("values", "words"),
        [
            ({"name": ""}, "A name is needed"),
            ({"name": "X", "dim_db": "abc"}, "is not a number"),
            ({"name": "X", "dim_db": "99"}, "60"),
        ],
    )
    def test_what_is_wrong_is_told_and_kept(self, window: Window, values: dict[str, Any], words: str) -> None:
        said: list[str] = []

        def type_(form: Any) -> None:
            fill(form, **values)
            form.accept()
            said.append(form.trouble.text())

        with_form(window.talk.circuits.new.click, type_)
        assert words in said[0]
        assert len(window.document.show.circuits) == 5

    def test_this_circuit_overrides_and_is_taken_out(self, window: Window) -> None:
        page = window.talk.circuits
        go_to(window, "soli", "sound")
        with_form(page.this.click, lambda form: fill(form, **{"private": True, "over production": True}))
        settle(window)
        row = next(one for one in window.document.show.circuits if one.id == "sound")
        assert (row.private, row.overrides) == (True, ("production",))
        page.act("remove-circuit")
        settle(window)
        assert "sound" not in {one.id for one in window.document.show.circuits}

    def test_a_finding_leads_here(self, window: Window) -> None:
        finding = next(row for row in window.document.analysis.findings if row.code == "talk-under-noise")
        window.go("Cast")
        window.go(finding.stage)
        window.talk.show_finding(finding)
        assert window.talk.circuits.matrix.here() == ("perrin", "production")

    def test_a_lazy_key_is_proven_in_the_panel(self, window: Window) -> None:
        go_to(window, "odile", "commentary")
        words = why_words(window)
        assert "By wire never to air, a recorder or a loudspeaker, in every position of" in words
        assert "Talk key: Commentator's box, Lazy key." in words

    def test_cells_tell_in_words_what_they_show(self, window: Window) -> None:
        model = window.talk.circuits.matrix.people
        rows = {row.party: row for row in model.rows}
        assert rows["cam-5"].cells[0].comes == "none"
        assert rows["cam-4"].cells[0].word == "by Perrin"
        assert rows["odile"].cells[1].word == "keyed"
        assert rows["cam-1"].cells[0].word == "latches"
        assert rows["bram"].cells[4].comes == "outside"
        index = model.index(0, 1)
        assert "is not on Production" in str(model.data(index))

    @pytest.mark.parametrize("scale", [1.0, 1.5])
    @pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
    def test_every_view_is_drawn_at_every_size(self, window: Window, scale: float, size: tuple[int, int]) -> None:
        window.resize(*size)
        window.set_scale(scale)
        for name in ("circuits", "hearing", "work", "desk", "positions", "lines", "check"):
            view(window, name)
            assert not window.grab().isNull()


class TestHearing:
    def test_the_worst_comes_first_with_its_arithmetic(self, window: Window) -> None:
        page = view(window, "hearing")
        assert isinstance(page, HearingPage)
        assert page.rows[0].way.listener == "cam-5"
        place = next(n for n, row in enumerate(page.rows) if row.way.listener == "perrin")
        page.table.setCurrentIndex(page.table.words.index(place, 0))
        words = why_words(window)
        assert "Intelligibility index" in words
        assert "ANSI S3.5-1997" in words
        assert "Perrin's pack, Volume to" in words

    def test_another_circuit_and_all_of_them(self, window: Window) -> None:
        page = view(window, "hearing")
        for place, count in ((page.picker.box.findData("commentary"), 2), (0, len(page.hearing.rows))):
            page.picker.box.setCurrentIndex(place)
            page.picker.box.activated.emit(place)
            assert len(page.rows) == count

    def test_by_telephone_nothing_is_computed(self, window: Window) -> None:
        page = view(window, "hearing")
        place = page.picker.box.findData("rigging")
        page.picker.box.setCurrentIndex(place)
        page.picker.box.activated.emit(place)
        assert "By telephone" in why_words(window)


class TestWork:
    def page(self, window: Window) -> WorkPage:
        found: WorkPage = view(window, "work")
        return found

    def test_it_is_told_from_the_show_and_filled(self, window: Window) -> None:
        page = self.page(window)
        assert page.plan is not None
        assert page.plan.told
        page.fill.click()
        ready(window)
        assert len(window.document.show.tasks) == len(page.tasks) > 20
        assert not page.fill.isEnabled()

    def test_space_begins_and_then_ticks_the_same_task_wherever_it_goes(self, qtbot: QtBot, window: Window) -> None:
        page = self.page(window)
        page.fill.click()
        ready(window)
        page.table.setFocus()
        keys(qtbot, page.table, KEY.Key_Down, KEY.Key_Down, KEY.Key_Down)
        task = page.task
        assert task is not None
        keys(qtbot, page.table, KEY.Key_Space, KEY.Key_Space)
        ready(window)
        now = next(row for row in window.document.show.tasks if row.id == task.id)
        assert now.done
        assert now.started_at is not None
        assert sum(row.done or row.started_at is not None for row in window.document.show.tasks) == 1
        assert page.task is not None
        assert page.task.id == task.id
        keys(qtbot, page.table, KEY.Key_Space)
        ready(window)
        assert not any(row.done or row.started_at for row in window.document.show.tasks)

    def test_what_is_told_cannot_be_ticked_yet(self, qtbot: QtBot, window: Window) -> None:
        page = self.page(window)
        said: list[str] = []
        page.say.connect(said.append)
        keys(qtbot, page.table, KEY.Key_Space)
        assert "fill the list first" in said[-1]
        assert window.document.show.tasks == ()

    def test_a_task_of_ones_own_with_what_comes_first(self, window: Window) -> None:
        page = self.page(window)
        page.fill.click()
        ready(window)
        with_form(
            page.new.click,
            lambda form: fill(form, text="Flags on the pontoon", minutes="12", after="work-talk-base", place="start"),
        )
        ready(window)
        task = window.document.show.tasks[-1]
        assert (task.id, task.minutes, task.after, task.place) == (
            "flags-on-the-pontoon",
            12,
            ("work-talk-base",),
            "start",
        )
        assert page.plan is not None
        row, first = page.plan.schedule.of(task.id), page.plan.schedule.of("work-talk-base")
        assert row is not None
        assert first is not None
        assert row.start >= first.end

    @pytest.mark.parametrize(
        ("values", "words"),
        [
            ({"text": ""}, "Say what is to be done"),
            ({"text": "X", "people": "1.5"}, "whole number"),
            ({"text": "X", "after": "nothing"}, "there is no task nothing"),
        ],
    )
    def test_a_task_that_makes_no_sense_is_told(self, window: Window, values: dict[str, Any], words: str) -> None:
        page = self.page(window)
        said: list[str] = []

        def type_(form: Any) -> None:
            fill(form, **values)
            form.accept()
            said.append(form.trouble.text())

        with_form(page.new.click, type_)
        assert words in said[0]
        assert window.document.show.tasks == ()

    def test_somebody_more_makes_it_shorter(self, window: Window) -> None:
        page = self.page(window)
        assert page.plan is not None
        before = page.plan.schedule.end
        with_form(page.crew.click, lambda form: fill(form, name="Nell", from_at="9:00"))
        ready(window)
        assert window.document.show.crew[-1].from_at == datetime.fromisoformat("2026-08-15T09:00:00+01:00")
        assert page.plan.schedule.end < before

    def test_late_it_offers_what_to_leave_out(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
        page = self.page(window)
        page.fill.click()
        ready(window)
        monkeypatch.setattr(window.talk.bench, "now", lambda: datetime.fromisoformat("2026-08-15T11:40:00+01:00"))
        window.talk.bench.want_plan()
        ready(window)
        assert window.talk.bench.late
        assert "Without Rehearsal" in why_words(window)
        count = len(window.document.show.tasks)
        page.act(f"drop {' '.join(window.talk.bench.late[0].tasks)}")
        ready(window)
        assert len(window.document.show.tasks) < count

    def test_a_bar_is_clicked_and_enter_opens_and_delete_takes_out(self, qtbot: QtBot, window: Window) -> None:
        page = self.page(window)
        page.fill.click()
        ready(window)
        qtbot.mouseClick(page.bars, Qt.MouseButton.LeftButton, pos=QPoint(40, int(page.bars._y(4)) + 6))
        assert page.task is not None
        assert page.task.id == page.bars.bars[4].id == page.bars.selected
        with_form(lambda: keys(qtbot, page.table, KEY.Key_Return), lambda form: fill(form, minutes="33"))
        ready(window)
        task = page.task
        assert task.minutes == 33
        keys(qtbot, page.table, KEY.Key_Delete)
        ready(window)
        assert task.id not in {row.id for row in window.document.show.tasks}

    @pytest.mark.parametrize("hours", [-7, 0, 11])
    def test_the_second_act_tells_its_time_by_the_clock_of_now(self, hours: int) -> None:
        now = datetime(2026, 12, 1, 23, 40, tzinfo=timezone(timedelta(hours=hours)))
        show = second_act(now)
        assert show.air_at == now + timedelta(hours=4, minutes=45)
        assert f"{show.air_at:%d %H:%M}" == "02 04:25"
        assert all(row.from_at is not None and row.from_at.utcoffset() == now.utcoffset() for row in show.crew)

    def test_the_live_second_act_is_under_way(self) -> None:
        now = datetime.fromisoformat("2026-12-01T09:00:00+00:00")
        show = second_act(now)
        assert show.air_at == now + timedelta(hours=4, minutes=45)
        assert all(row.from_at is not None and row.from_at <= now for row in show.crew)


class TestDesk:
    def test_it_is_allotted_applied_and_undone(self, window: Window) -> None:
        page = view(window, "desk")
        assert isinstance(page, DeskPage)
        assert page.apply.isEnabled()
        before = window.document.show
        page.apply.click()
        settle(window)
        assert not any(row.target == "desk.in21" for row in window.document.show.cables)
        window.document.undo_stack.undo()
        settle(window)
        assert window.document.show.cables == before.cables

    def test_too_many_spares_ask_for_a_mix_before_the_desk(self, window: Window) -> None:
        page = view(window, "desk")
        page.spares.setValue(22)
        ready(window)
        assert window.talk.bench.spares == 22
        said: list[str] = []
        page.say.connect(said.append)
        found = window.talk.bench.allotment
        assert found is not None
        if found.submixes or found.left:
            assert not page.apply.isEnabled()
            page.act("apply-desk")
            assert "Not applied" in said[-1]

    def test_enter_holds_a_channel_and_lets_it_go(self, qtbot: QtBot, window: Window) -> None:
        page = view(window, "desk")
        page.table.setCurrentIndex(page.table.words.index(20, 0))
        for held in (("desk.in21",), ()):
            keys(qtbot, page.table, KEY.Key_Return)
            ready(window)
            assert window.document.show.fixed_channels == held
            found = window.talk.bench.allotment
            assert found is not None
            assert (found.strips[20].sources == ("box.programme",)) is bool(held)

    def test_a_click_on_a_strip_goes_to_its_channel(self, qtbot: QtBot, window: Window) -> None:
        page = view(window, "desk")
        assert isinstance(page, DeskPage)
        found = window.talk.bench.allotment
        assert found is not None
        assert [face.label for face in page.strips.faces] == [row.label for row in found.strips]
        wide = page.strips.width() / len(page.strips.faces)
        for place in (20, 3):
            at = QPoint(round((place + 0.5) * wide), page.strips.height() // 2)
            qtbot.mouseClick(page.strips, Qt.MouseButton.LeftButton, pos=at)
            assert page.table.currentIndex().row() == page.strips.at == place
            assert page.why().subtitle.startswith(found.strips[place].name)

    def test_an_empty_channel_has_nothing_to_hold(self, window: Window) -> None:
        page = view(window, "desk")
        page.table.setCurrentIndex(page.table.words.index(23, 0))
        page.table.setCurrentIndex(page.table.words.index(0, 0))
        said: list[str] = []
        page.say.connect(said.append)
        page.act("hold")
        assert "nothing to hold" in said[-1]

    def test_without_a_desk_it_says_what_to_do(self, window: Window, final: Show) -> None:
        devices = tuple(row for row in final.devices if row.id != "desk")
        cables = tuple(row for row in final.cables if "desk" not in (row.source_device, row.target_device))
        window.document.replace(final.model_copy(update={"devices": devices, "cables": cables}), None)
        settle(window)
        view(window, "desk")
        assert "add one in Rig first" in window.talk.subtitle.text()


class TestPositions:
    def test_distances_effects_and_needs(self, window: Window) -> None:
        page = view(window, "positions")
        assert isinstance(page, PositionsPage)
        names = [row.cells[0] for row, _, _ in page.rows]
        assert names[:4] == [
            "Odile, as it stands",
            "Odile, at the lip",
            "Odile, a hand and a half",
            "Odile, at arm's length",
        ]
        assert "Oars microphone" in names
        assert "Reply key" in names

    def test_what_has_to_be_asked_is_answered_by_enter(self, qtbot: QtBot, window: Window) -> None:
        page = view(window, "positions")
        place = next(n for n, (_, _, need) in enumerate(page.rows) if need is not None and need.id == "sight")
        page.table.setCurrentIndex(page.table.words.index(place, 0))
        for done in (True, False):
            keys(qtbot, page.table, KEY.Key_Return)
            settle(window)
            task = next(row for row in window.document.show.tasks if row.id == "position-odile-sight")
            assert task.done is done


class TestLines:
    def test_what_is_on_them_and_over_to_the_reserve(self, window: Window) -> None:
        page = view(window, "lines")
        assert isinstance(page, LinesPage)
        assert [row.fed for row in page.states] == [True, False]
        page.act("preview")
        settle(window)
        window.document.end_preview()
        settle(window)
        page.act("switch")
        settle(window)
        assert [row.fed for row in page.states] == [False, True]
        assert window.document.show.party("station").hears_on == "line-reserve"

    def test_the_far_ends_word(self, window: Window) -> None:
        page = view(window, "lines")
        page.act("good")
        settle(window)
        assert window.document.show.lines[0].result == "good"
        assert "1 answered good" in window.talk.subtitle.text()

    def test_a_line_by_its_form(self, window: Window) -> None:
        page = view(window, "lines")
        with_form(
            page.new.click,
            lambda form: fill(form, name="Cue feed", number="77", at="codec-control.near-in", received_dbu="2"),
        )
        settle(window)
        line = window.document.show.lines[-1]
        assert (line.id, line.at, line.received_dbu) == ("cue-feed", "codec-control.near-in", 2)


class TestCheck:
    def test_keys_note_and_go_on_however_quickly(self, qtbot: QtBot, window: Window) -> None:
        page = view(window, "check")
        assert isinstance(page, CheckPage)
        page.who.setText("Soli")
        page.table.setFocus()
        keys(qtbot, page.table, KEY.Key_G, KEY.Key_W, KEY.Key_N)
        settle(window)
        rows = [row.circuit_check for row in window.document.show.log]
        assert [(row.listener, row.result, row.by) for row in rows if row is not None] == [
            ("soli", "good", "Soli"),
            ("perrin", "weak", "Soli"),
            ("cam-1", "nothing", "Soli"),
        ]
        assert "1 of " in window.talk.subtitle.text()

    def test_stale_once_its_way_has_changed(self, qtbot: QtBot, window: Window) -> None:
        page = view(window, "check")
        keys(qtbot, page.table, KEY.Key_G)
        settle(window)
        members = tuple(
            row.with_(key="matrix.k1-5") if row.party == "wren" else row
            for row in window.document.show.circuits[0].members
        )
        window.document.apply((SetField("circuits", "production", "members", members),), "another key")
        ready(window)
        page = view(window, "check")
        assert not any(row.holds for row in page.states)


class TestSheets:
    @pytest.mark.parametrize("what", ["talkback", "schedule", "channels"])
    def test_a_page_is_written(
        self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, what: str
    ) -> None:
        for name in ("work", "desk", "circuits"):
            view(window, name)
        path = tmp_path / f"{what}.html"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(path), ""))
        window.talk.save_sheet(what)
        assert "Lantern Quay" in path.read_text(encoding="utf-8")

    def test_what_cannot_be_written_is_told(
        self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        told: list[str] = []
        window.document.trouble.connect(told.append)
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(tmp_path / "x.odd"), ""))
        window.talk.save_sheet("talkback")
        assert "written as one of" in told[0]

    def test_nothing_asked_nothing_written(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: ("", ""))
        window.talk.save_sheet("talkback")


class TestOtherShows:
    def open(self, window: Window, show: Show) -> TalkStage:
        window.document.replace(show, None)
        ready(window)
        return window.talk

    def test_a_podcast_for_two_has_one_line(self, window: Window) -> None:
        stage = self.open(window, podcast_for_two())
        assert "speaks to" in stage.circuits.empty.text()
        assert not stage.circuits.matrix.isVisible()
        assert stage.first() is stage.circuits.new

    def test_an_empty_show_has_every_view_and_says_what_to_do(self, window: Window) -> None:
        stage = self.open(window, Show())
        for name in ("circuits", "hearing", "work", "desk", "positions", "lines", "check"):
            view(window, name)
            for action in ("member", "circuit", "tick", "open", "remove", "answer", "switch", "good", "apply-desk"):
                if not (name == "circuits" and action == "circuit"):
                    stage.act(action)
        assert window.document.show == Show()

    def test_nothing_of_the_show_before_counts(self, window: Window) -> None:
        view(window, "work")
        view(window, "desk")
        stage = self.open(window, podcast_for_two())
        assert stage.bench.allotment is None or stage.bench.allotment.desk.id != "desk"
        assert stage.bench.circuit == ""

    def test_names_that_lead_nowhere_do_no_harm(self, window: Window, final: Show) -> None:
        rows = tuple(row.with_(party="nobody") if row.party == "perrin" else row for row in final.circuits[0].members)
        stage = self.open(window, apply_all(final, (SetField("circuits", "production", "members", rows),)))
        for name in ("hearing", "check", "circuits"):
            view(window, name)
        finding = next(row for row in window.document.analysis.findings if row.code == "talk-unknown")
        stage.show_finding(finding)
        assert "nobody" in finding.title


@pytest.mark.parametrize(
    ("text", "at"),
    [("9:30", "09:30"), ("0930", "09:30"), ("930", "09:30"), ("7", "07:00"), ("23.15", "23:15"), ("", None)],
)
def test_times_as_people_type_them(text: str, at: str | None) -> None:
    day = datetime.fromisoformat("2026-08-15T14:00:00+01:00")
    found = clock_of(text, day)
    assert (f"{found:%H:%M}" if found else None) == at


def test_past_midnight_is_the_next_day() -> None:
    day = datetime.fromisoformat("2026-08-15T14:00:00+01:00")
    begins = clock_of("22:00", day)
    until = clock_of("1:30", day, begins)
    assert until is not None
    assert begins is not None
    assert until - begins == timedelta(hours=3, minutes=30)


def test_who_comes_for_a_show_after_midnight_comes_the_evening_before(
    window: Window,
) -> None:
    """Typed, shown and taken over again unchanged, by the show's own clock whatever the machine's is."""
    air = datetime.fromisoformat("2026-08-16T00:15:00+01:00")
    window.document.replace(window.document.show.with_(air_at=air, crew=()), None)
    for name, begins, until in (("Fern", "18:00", "23:30"), ("Ivo", "21:00", "1:00"), ("Lio", "", "2:00")):
        typed = {"name": name, "from_at": begins, "until_at": until}
        with_form(lambda: window.talk.forms.hand(None), lambda form, typed=typed: fill(form, **typed))
    fern, ivo, lio = window.document.show.crew
    assert [row and row.isoformat() for row in (fern.from_at, fern.until_at, ivo.until_at, lio.until_at)] == [
        "2026-08-15T18:00:00+01:00",
        "2026-08-15T23:30:00+01:00",
        "2026-08-16T01:00:00+01:00",
        "2026-08-16T02:00:00+01:00",
    ]
    elsewhere = fern.with_(from_at=datetime.fromisoformat("2026-08-15T17:00:00+00:00"))
    window.document.apply((SetField("crew", fern.id, "from_at", elsewhere.from_at),), "by another clock")
    with_form(lambda: window.talk.forms.hand(window.document.show.crew[0]), lambda form: fill(form, name="Fern"))
    assert window.document.show.crew[0].from_at == fern.from_at
    assert window.document.show.crew[0].until_at == fern.until_at


@pytest.mark.parametrize("text", ["noon", "25:00", "9:75", "-1"])
def test_what_is_no_time_is_told(text: str) -> None:
    with pytest.raises(ValueError, match="no time of day"):
        clock_of(text, datetime.fromisoformat("2026-08-15T14:00:00+01:00"))
    with pytest.raises(ValueError, match="on air"):
        clock_of("9:30", None)


def test_ids_of_new_rows() -> None:
    assert fresh("Lighting & co.", set()) == "lighting---co"
    assert fresh("Sound", {"sound"}) == "sound-2"
    assert fresh("", set()) == "new"


def test_every_act_of_the_menu_does_something() -> None:
    from kymaphon.app.stages.talk.words import ACTS, SHEETS, TALK_COMMANDS, TALK_VIEWS

    assert {row[0] for row in TALK_COMMANDS} == {row[0] for row in TALK_VIEWS}
    assert {row[0] for row in ACTS} <= {row[0] for row in TALK_VIEWS}
    assert len(SHEETS) == 3
