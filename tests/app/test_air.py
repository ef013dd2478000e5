"""Air in the window: the demo's evening run from the keyboard, with three things going wrong by themselves."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QMessageBox, QPlainTextEdit
from pytestqt.qtbot import QtBot

import kymaphon.app.stages.air.bench as bench_module
from kymaphon.app import recovery
from kymaphon.app.stages.air.live import LiveMeters, digital_points
from kymaphon.app.start import unexpected
from kymaphon.app.window import Window
from kymaphon.core.air.run import run_of
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.files.demo import EVENING, demo_path
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import read_show, write_show
from kymaphon.sim.on_air import SimulatedMeters, planted, play_all
from kymaphon.sim.talker import talk
from tests.app.conftest import button, fill, settle, why_words, window_on, with_form

KEY = Qt.Key
SEVEN = datetime(2026, 8, 14, 18, 0, tzinfo=UTC)


@pytest.fixture(scope="module")
def tonight() -> Show:
    return read_show(demo_path(EVENING))


@pytest.fixture(scope="module")
def report(tonight: Show) -> Report:
    return analyse(tonight)


@pytest.fixture(scope="module")
def meters(report: Report) -> SimulatedMeters:
    return play_all(report)


class Clock:
    """The clock of the bench, moved by hand; ticks come as it goes."""

    def __init__(self, window: Window) -> None:
        self.window, self.at = window, SEVEN
        self.bench = window.air.bench
        self.bench._timer.stop()
        self.bench.now = lambda: self.at  # type: ignore[method-assign]

    def run(self, seconds: float, step: float = 1.0) -> None:
        until = self.at + timedelta(seconds=seconds)
        while self.at < until:
            self.at += timedelta(seconds=step)
            self.bench.tick()


@pytest.fixture
def window(
    qtbot: QtBot,
    tonight: Show,
    report: Report,
    meters: SimulatedMeters,
    monkeypatch: pytest.MonkeyPatch,
    spared: None,
) -> Iterator[Window]:
    monkeypatch.setattr(bench_module, "play_all", lambda _report: meters)
    with window_on(tonight, report, "Air", monkeypatch) as row:
        yield row


@pytest.fixture
def clock(window: Window) -> Clock:
    return Clock(window)


def metered(window: Window) -> None:
    window.air.act("meters sim")
    while window.air.bench.busy:
        QApplication.processEvents()
    QApplication.processEvents()


def keys(qtbot: QtBot, window: Window, *pressed: Qt.Key) -> None:
    for key in pressed:
        qtbot.keyClick(window.air.now, key)


def texts(window: Window) -> list[str]:
    return [row.text for row in window.document.show.log]


class TestAnEvening:
    def test_from_start_to_end_by_keys_with_three_things_going_wrong(
        self, qtbot: QtBot, window: Window, clock: Clock, tonight: Show
    ) -> None:
        metered(window)
        assert [(row.what, row.voice) for row in planted(tonight)] == [
            ("warms-up", "tam"),
            ("gone", "ferry"),
            ("runs-on", "jingles"),
        ]
        seen: dict[str, set[str]] = {}
        for segment in tonight.rundown:
            keys(qtbot, window, KEY.Key_Space)
            assert window.air.bench.state.segment == segment.id
            length = min(segment.length_s or 0.0, 240.0)
            for _ in range(int(length // 4)):
                clock.run(4)
                seen.setdefault(segment.id, set()).update(
                    f"{row.code} {row.subjects[0]}" for row in window.air.bench.hazards if not row.soon
                )
            if segment.id == "haul-away":
                keys(qtbot, window, KEY.Key_N)
            if segment.id == "interview":
                assert (
                    "Turn Tam down 4 dB" in window.air.page.why().lead[0].label
                    or "Tam" in window.air.page.why().lead[0].label
                )
                before = window.document.show.device("desk").settings["in2"].gain_db
                window.air.act("turn tam")
                window.keeper.flush()
                after = window.document.show.device("desk").settings["in2"].gain_db
                assert before is not None
                assert after is not None
                assert after < before
                clock.run(30)
                assert not window.air.bench.trends["tam"].apart
        assert "louder tam" in seen["interview"]
        assert "silent-line ferry" in seen["table"]
        assert "silent-line ferry" not in seen["ferry"]
        assert "player-runs-on jingles" in seen["haul-away"]
        assert "player-runs-on jingles" not in seen["tide"]
        keys(qtbot, window, KEY.Key_Space)
        assert window.air.bench.state.on_air is False
        assert texts(window)[-1].startswith("Off air after ")
        assert any(text.startswith("Changed on air: Tam, Desk, channel 2, gain down") for text in texts(window))
        assert sum(row.note is not None for row in window.document.show.log) == 1

    def test_what_is_on_what_is_next_and_the_clock_stand_on_the_page(
        self, qtbot: QtBot, window: Window, clock: Clock
    ) -> None:
        page = window.air.now
        clock.at = SEVEN - timedelta(seconds=75)
        clock.run(1)
        assert (page.time.words.text(), page.time.figure.text()) == ("to air", "1:14")
        keys(qtbot, window, KEY.Key_Space)
        clock.run(30)
        assert window.air.title.text() == "Opening jingle"
        assert page.time.figure.text() == "\u22120:10"
        assert page.time.figure.property("role") == "late"
        assert page.coming.title.text() == "Welcome, 1:40"
        assert (
            page.coming.moves.text()
            == "1.  Stop Jingles  \u00b7  Desk, channel 7 and 8\n2.  Open Mira  \u00b7  Desk, channel 1"
        )
        assert page.time.playing.text() == "Jingles"
        keys(qtbot, window, KEY.Key_Space)
        clock.run(1)
        assert "to out at 19:30:00" in page.time.then.text()
        assert page.time.playing.text() == "nothing"

    def test_late_the_page_says_what_to_cut(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(20)
        keys(qtbot, window, KEY.Key_Space)
        clock.run(160)
        assert "As it runs now Close ends 0:40 late. Cut 0:40 of " in window.air.now.advice.text()


class TestKeys:
    def test_letters_note_and_digits_open_and_close(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(20)
        keys(qtbot, window, KEY.Key_Space)
        clock.run(5)
        keys(qtbot, window, KEY.Key_R, KEY.Key_N, KEY.Key_C, KEY.Key_G, KEY.Key_W)
        notes = [row.note.kind for row in window.document.show.log if row.note is not None]
        assert notes == ["retake", "noise", "clip", "good", "fader"]
        keys(qtbot, window, KEY.Key_2)
        assert window.air.bench.state.open == {"mira", "tam"}
        clock.run(1)
        assert "open-unplanned" in {row.code for row in window.air.bench.hazards}
        keys(qtbot, window, KEY.Key_2, KEY.Key_1)
        assert window.air.bench.state.open == frozenset()
        assert "Mira not open" in why_words(window)

    def test_words_are_typed_where_letters_are_no_keys(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(3)
        keys(qtbot, window, KEY.Key_T)
        field = window.air.now.coming.text
        assert field.hasFocus()
        before = len(window.document.show.log)
        qtbot.keyClicks(field, "rng bell, good one")
        assert len(window.document.show.log) == before
        qtbot.keyClick(field, KEY.Key_Return)
        assert texts(window)[-1] == "rng bell, good one"
        assert not field.hasFocus()
        keys(qtbot, window, KEY.Key_T)
        qtbot.keyClicks(field, "not this")
        qtbot.keyClick(field, KEY.Key_Escape)
        assert (field.text(), len(window.document.show.log)) == ("", before + 1)

    @pytest.mark.parametrize("scale", [1.0, 1.25, 1.5])
    def test_the_hint_of_the_note_is_read_in_any_size(self, window: Window, scale: float) -> None:
        field = window.air.now.coming.text
        window.resize(1280, 800)
        window.set_scale(scale)
        for _ in range(3):
            QApplication.processEvents()
        assert field.width() >= field.fontMetrics().horizontalAdvance(field.placeholderText()) + 24
        beside = field.y() == window.air.now.coming.go.y()
        assert beside == (scale == 1.0)
        window.set_scale(1.0)

    def test_one_press_is_one_step(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space, KEY.Key_Space)
        assert window.air.bench.state.segment == "opening"
        clock.run(1)
        keys(qtbot, window, KEY.Key_Space)
        assert window.air.bench.state.segment == "welcome"
        keys(qtbot, window, KEY.Key_B)
        assert window.air.bench.state.segment == "opening"
        keys(qtbot, window, KEY.Key_H)
        clock.run(20)
        assert window.air.bench.timeline.on is not None
        assert window.air.bench.timeline.on.spent_s <= 1
        assert window.air.now.coming.hold.text().startswith("Go on")

    def test_space_on_a_button_that_has_the_keyboard_is_still_go(
        self, qtbot: QtBot, window: Window, clock: Clock
    ) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(2)
        window.air.now.coming.hold.setFocus()
        qtbot.keyClick(window.air.now.coming.hold, KEY.Key_Space)
        assert window.air.bench.state.segment == "welcome"
        assert window.air.bench.state.held_since is None

    def test_the_keys_hold_wherever_the_keyboard_is(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        """After a click into the panel, the rail or the views' buttons, as somebody mid-show does."""
        keys(qtbot, window, KEY.Key_Space)
        settle(window)
        for widget in (button(window, "act note good"), window.rail, window.air._view_buttons[1]):
            clock.run(2)
            before = window.air.bench.state.segment
            widget.setFocus()
            assert widget.hasFocus()
            qtbot.keyClick(widget, KEY.Key_Space)
            assert window.air.bench.state.segment != before
            qtbot.keyClick(widget, KEY.Key_R)
            assert texts(window)[-1] == "Retake"
        assert window.air.view == "now"
        good = button(window, "act note good")
        good.setFocus()
        qtbot.keyClick(good, KEY.Key_Return)
        assert texts(window)[-1] == "Good bit"
        window.air.choose_view("rundown")
        count = len(window.document.show.log)
        qtbot.keyClick(window.air.page, KEY.Key_Space)
        qtbot.keyClick(window.air.page, KEY.Key_R)
        assert len(window.document.show.log) == count

    def test_d_does_what_is_advised(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        metered(window)
        for seconds in (20, 100, 200, 300):
            keys(qtbot, window, KEY.Key_Space)
            clock.run(seconds)
        before = window.document.show.device("desk").settings["in2"].gain_db
        assert before is not None
        assert window.air.page.why().lead[0].label.startswith("Turn Tam down")
        keys(qtbot, window, KEY.Key_D)
        assert (window.document.show.device("desk").settings["in2"].gain_db or 0.0) < before
        keys(qtbot, window, KEY.Key_D)
        assert "nothing advised" in window.status.text()

    def test_no_undo_takes_back_what_happened(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space, KEY.Key_R)
        count = len(window.document.show.log)
        window.undo()
        assert len(window.document.show.log) == count
        assert window.document.undo_stack.isClean()

    def test_nothing_covers_the_page_on_air(
        self, qtbot: QtBot, window: Window, clock: Clock, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        shown: list[str] = []
        monkeypatch.setattr(QMessageBox, "exec", lambda self: shown.append(self.text()))
        window.problem("Something", "went wrong")
        assert shown == ["Something"]
        keys(qtbot, window, KEY.Key_Space)
        window.problem("Something else", "went wrong")
        assert shown == ["Something"]
        assert window.air.now.trouble.text() == "Something else. went wrong"
        unexpected(window, ValueError, ValueError("ours"), None)
        assert "Something went wrong in Kymaphon. Your show is safe" in window.air.now.trouble.text()
        assert shown == ["Something"]
        keys(qtbot, window, KEY.Key_Escape)
        assert window.air.now.trouble.isHidden()

    def test_without_a_rundown_it_says_how_to_make_one(self, qtbot: QtBot, window: Window, tonight: Show) -> None:
        window.document.replace(tonight.model_copy(update={"rundown": (), "log": ()}), None)
        settle(window)
        assert window.air.now.how.isVisible()
        keys(qtbot, window, KEY.Key_Space)
        assert "There is no rundown" in window.status.text()
        keys(qtbot, window, KEY.Key_R)
        assert texts(window)[-1] == "Retake"


class TestKept:
    def test_each_note_is_on_disk_before_it_is_drawn(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space)
        for key in (KEY.Key_R, KEY.Key_N, KEY.Key_G):
            keys(qtbot, window, key)
            kept = window.document._autosave
            assert kept is not None
            assert kept.file is not None
            assert recovery._read(kept.file).show.log == window.document.show.log
        journal = kept.file.with_suffix(recovery.JOURNAL)
        assert len(journal.read_text().splitlines()) == 3
        window.document.keep()
        assert not journal.exists()
        assert recovery._read(kept.file).show.log == window.document.show.log

    def test_a_line_that_a_crash_cut_short_spoils_none_after_it(
        self, qtbot: QtBot, window: Window, clock: Clock
    ) -> None:
        keys(qtbot, window, KEY.Key_Space, KEY.Key_R)
        kept = window.document._autosave
        assert kept is not None
        assert kept.file is not None
        journal = kept.file.with_suffix(recovery.JOURNAL)
        with journal.open("ab") as file:
            file.write(b'{"at": 99, "row": {"at": "2026-')
        assert recovery._read(kept.file).show.log == window.document.show.log
        keys(qtbot, window, KEY.Key_N)
        assert recovery._read(kept.file).show.log == window.document.show.log

    def test_a_full_disk_loses_nothing_and_says_so(
        self, qtbot: QtBot, window: Window, clock: Clock, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        keys(qtbot, window, KEY.Key_Space)

        def full(*_args: Any) -> None:
            raise FileProblem("x.log", "cannot be written: No space left on device")

        with monkeypatch.context() as patch:
            patch.setattr(recovery, "append_lines", full)
            patch.setattr(recovery, "write_whole", full)
            keys(qtbot, window, KEY.Key_R)
            assert not window.document.log_is_kept
            assert "the disk did not take it yet" in window.status.text()
            clock.run(1)
            assert "Notes are not on disk" in why_words(window)
            keys(qtbot, window, KEY.Key_N)
        assert texts(window)[-2:] == ["Retake", "Noise"]
        keys(qtbot, window, KEY.Key_G)
        clock.run(1)
        assert "Notes are not on disk" not in why_words(window)
        kept = window.document._autosave
        assert kept is not None
        assert kept.file is not None
        assert recovery._read(kept.file).show.log == window.document.show.log
        assert window.document.log_is_kept

    def test_a_show_saved_on_another_disk_has_its_notes(
        self, qtbot: QtBot, window: Window, clock: Clock, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
    ) -> None:
        keys(qtbot, window, KEY.Key_Space)

        def full(*_args: Any) -> None:
            raise FileProblem("x.log", "cannot be written: No space left on device")

        monkeypatch.setattr(recovery, "append_lines", full)
        monkeypatch.setattr(recovery, "write_whole", full)
        keys(qtbot, window, KEY.Key_R)
        window.document.save(tmp_path / "elsewhere.json")
        clock.run(1)
        assert read_show(tmp_path / "elsewhere.json").log == window.document.show.log
        assert "Notes are not on disk" not in why_words(window)
        keys(qtbot, window, KEY.Key_N)
        clock.run(1)
        assert "Notes are not on disk" in why_words(window)

    def test_a_run_goes_on_in_a_program_started_anew(
        self, qtbot: QtBot, window: Window, clock: Clock, tmp_path: Path
    ) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(20)
        keys(qtbot, window, KEY.Key_Space, KEY.Key_R)
        write_show(tmp_path / "s.json", window.document.show)
        again = read_show(tmp_path / "s.json")
        assert again.log == window.document.show.log
        assert run_of(again.log) == window.air.bench.state
        row = json.loads((tmp_path / "s.json").read_text())["log"][-1]
        assert row == {
            "at": "2026-08-14T18:00:20Z",
            "text": "Retake",
            "subject": "welcome",
            "note": {"kind": "retake", "show_s": 20.0, "segment": "welcome"},
        }

    def test_logging_is_no_step_of_undo_and_is_told_to_whoever_listens(self, window: Window) -> None:
        heard: list[Any] = []
        window.document.logged.connect(heard.append)
        entry = LogEntry(at=SEVEN, text="Battery changed", sort="incident")
        assert window.document.log(entry)
        assert heard == [(entry,)]
        assert window.document.undo_stack.count() == 0
        assert window.document.unsaved


class TestMeters:
    def test_none_until_they_are_asked_for(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(30)
        assert window.air.bench.trends == {}
        assert "choose where the meters come from" in window.air.now.meters_told.text()

    def test_a_gain_that_is_turned_moves_the_meter_along(
        self, window: Window, clock: Clock, report: Report, meters: SimulatedMeters
    ) -> None:
        from kymaphon.core.model.edits import SetValue
        from kymaphon.core.model.ids import SettingRef

        gain = report.show.device("desk").settings["in1"].gain_db or 0.0
        turned = meters.turned(analyse(SetValue(SettingRef("desk", "in1", "gain_db"), gain - 5).apply(report.show)))
        by = [a - b for a, b in zip(turned.voices["mira"].readings, meters.voices["mira"].readings, strict=True)]
        assert by == pytest.approx([-5.0] * len(by), abs=0.01)
        assert turned.voices["tam"].readings == meters.voices["tam"].readings

    def test_what_the_rig_shows_agrees_with_its_line_up(self, report: Report, meters: SimulatedMeters) -> None:
        """The line-up of the demo was read of other words of the same talkers: within two decibels."""
        from statistics import median

        from kymaphon.core.air.trends import lined_up_db

        for voice, base in lined_up_db(report).items():
            assert median(meters.voices[voice].readings) == pytest.approx(base, abs=2.0), voice

    def test_a_real_input_is_read_as_the_line_up_is(self, report: Report) -> None:
        """Talk of a known active level, 3 dB over the mark, is read as 3 dB over; a silent channel as nothing."""
        import numpy as np

        rows = digital_points(report)[:2]
        (_, expected), _ = rows
        rate, opened = 48000, []

        class Silent:
            def stop(self) -> None:
                opened.append("stopped")

        def open_(take: Any) -> Silent:
            opened.append(take)
            return Silent()

        live = LiveMeters(rows, rate, open_)
        sound = talk(4.2, rate, level_dbfs=expected.wanted_db + 3.0, seed=3)
        both = np.stack([sound, np.zeros_like(sound)], axis=1).astype(np.float32)
        for start in range(0, len(both), 4800):
            opened[0](both[start : start + 4800])
            live.take_in()
        assert live.reading(rows[0][0]) == pytest.approx(3.0, abs=1.0)
        assert live.reading(rows[1][0]) is None
        needle = live.needle(rows[0][0])
        assert needle is not None
        live.stop()
        assert opened[-1] == "stopped"

    def test_an_input_that_is_not_there_is_told_in_the_page(
        self, window: Window, clock: Clock, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        from kymaphon.files import capture

        def none(_device: Any = None) -> int:
            raise capture.CaptureProblem("There is no input: plug one in.")

        monkeypatch.setattr(capture, "input_channels", none)
        window.air.act("meters input")
        assert window.air.now.trouble.text() == "There is no input: plug one in."
        assert window.air.bench.source == "none"


class TestRundown:
    def view(self, window: Window) -> Any:
        window.air.choose_view("rundown")
        page: Any = window.air.page
        while page._worker.busy:
            QApplication.processEvents()
        QApplication.processEvents()
        settle(window)
        return page

    def test_it_says_who_hears_whom_and_what_is_moved(self, window: Window) -> None:
        page = self.view(window)
        page._go_to("ferry")
        while page._worker.busy:
            QApplication.processEvents()
        words = why_words(window)
        assert "1. Open Ferry (Desk, channel 5)" in words
        assert "Ferry: Mira" in words
        assert "Spare before the next hard time" in words

    def test_segments_are_moved_made_and_taken_out_by_keys(self, qtbot: QtBot, window: Window) -> None:
        page = self.view(window)
        page.table.choose(1)
        page._chosen(1)
        qtbot.keyClick(page.table, KEY.Key_Down, Qt.KeyboardModifier.AltModifier)
        assert [row.id for row in window.document.show.rundown][:3] == ["opening", "ferry", "welcome"]
        qtbot.keyClick(page.table, KEY.Key_Delete)
        assert "welcome" not in [row.id for row in window.document.show.rundown]
        window.undo()
        window.undo()
        with_form(
            lambda: qtbot.keyClick(page.table, KEY.Key_Insert),
            lambda form: fill(
                form, name="News", length_s="1:30", open="mira", plays='jingles "Bed" under', ends_by="19:05"
            ),
        )
        made = next(row for row in window.document.show.rundown if row.name == "News")
        assert (made.length_s, made.open, made.plays[0].under) == (90, ("mira",), True)
        assert made.ends_by == SEVEN + timedelta(minutes=5)

    def test_a_form_says_what_is_wrong_and_keeps_what_was_typed(self, window: Window) -> None:
        page = self.view(window)
        told: list[str] = []

        def type_(form: Any) -> None:
            for field, value in (
                ("length_s", "-1:00"),
                ("open", "nobody"),
                ("plays", "x y"),
                ("ends_by", "soon"),
                ("name", ""),
            ):
                before = form.findChild(object, f"field {field}").text()
                fill(form, **{field: value})
                form.accept()
                told.append(form.trouble.text())
                fill(form, **{field: before})

        with_form(lambda: page.act("open"), type_)
        assert [text.split(":")[0] for text in told[:1]] == ["\u22121"] or "below nothing" in told[0]
        assert "Nobody called nobody" in told[1]
        assert "Nobody called x" in told[2]
        assert "Soon is no time of day" in told[3]
        assert "needs a name" in told[4]

    def test_a_form_changes_nothing_that_was_not_typed(self, window: Window) -> None:
        """A hard start before air, half seconds of a track: they stand after a note was added, to the thousandth."""
        page = self.view(window)
        first = window.document.show.rundown[0]
        play = first.plays[0].with_(length_s=20.4)
        begins = SEVEN - timedelta(minutes=2)
        kept = first.with_(length_s=20.4, starts_at=begins, ends_by=SEVEN + timedelta(days=1, hours=3), plays=(play,))
        rows = (kept, *window.document.show.rundown[1:])
        window.document.apply((SetField("", None, "rundown", rows),), "odd times")
        page = self.view(window)
        page._go_to("opening")
        with_form(
            lambda: page.act("open"),
            lambda form: form.findChild(QPlainTextEdit, "field note").setPlainText("cue light"),
        )
        assert window.document.show.rundown[0] == kept.with_(note="cue light")

    def test_time_of_air_with_a_zone(self, window: Window) -> None:
        self.view(window)
        with_form(
            lambda: window.air.act("air-time"),
            lambda form: fill(form, day="2026-10-24", time="23:30", zone="Europe/Lisbon"),
        )
        air = window.document.show.air_at
        assert air == datetime(2026, 10, 24, 22, 30, tzinfo=UTC)
        assert window.document.show.time_zone == "Europe/Lisbon"

    def test_on_another_day_the_hard_out_goes_along(self, window: Window) -> None:
        """Found with last week's file: the close was 2,618 hours late, and no cut would do."""
        self.view(window)
        show = window.document.show
        assert show.air_at is not None
        out = show.rundown[-1].ends_by
        assert out is not None
        with_form(lambda: window.air.act("air-time"), lambda form: fill(form, day="2026-12-01"))
        there = window.document.show
        assert there.air_at is not None
        assert there.rundown[-1].ends_by is not None
        assert there.rundown[-1].ends_by - there.air_at == out - show.air_at
        assert "time of air with hard times" in window.document.undo_stack.undoText()

    def test_a_run_on_another_day_is_told_in_days(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        for days, way in ((109, "109 days before this run"), (-3, "3 days after this run")):
            clock.at += timedelta(days=days)
            keys(qtbot, window, KEY.Key_Space)
            clock.run(1)
            assert way in window.air.now.advice.text()
            assert ("ago" if days > 0 else "in 3 days") in window.air.now.time.then.text()
            window.air.act("end")
            clock.at -= timedelta(days=days)

    def test_a_list_with_bad_rows_takes_nothing_over_and_says_which(self, window: Window, tmp_path: Path) -> None:
        page = self.view(window)
        path = tmp_path / "r.csv"
        path.write_text("name,length,open\nA,1:00,mira\nB,soon,\n", encoding="utf-8")
        before = window.document.show.rundown
        page.take_list(path)
        assert window.document.show.rundown is before
        assert "row 3: soon is no length" in page.told.text()
        path.write_text("name,length,open\nA,1:00,mira\n", encoding="utf-8")
        page.take_list(path)
        assert [row.name for row in window.document.show.rundown] == ["A"]

    def test_a_finding_leads_to_its_segment(self, window: Window) -> None:
        window.document.apply((SetField("rundown", "quiz", "open", ()),), "nobody")
        finding = next(row for row in window.document.analysis.findings if row.code == "dead-air")
        window.air.show_finding(finding)
        assert window.air.view == "rundown"
        assert window.air.page._at == "quiz"


class TestNotesAndScreens:
    def test_notes_are_saved_in_the_format_of_the_name(
        self, qtbot: QtBot, window: Window, clock: Clock, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(12)
        keys(qtbot, window, KEY.Key_R)
        window.air.choose_view("notes")
        page: Any = window.air.page
        assert [row.text for row in page.cues] == ["Opening jingle", "Retake"]
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(tmp_path / "n.vtt"), ""))
        page.act("save")
        assert "00:00:12.000 --> " in (tmp_path / "n.vtt").read_text()
        with_form(lambda: page.act("begins"), lambda form: fill(form, at="18:58:00"))
        assert page.cues[0].at_s == 120
        assert "00:02:00.000" in window.air.page.table.words.rows[0].cells[0]
        soundfile.write(tmp_path / "show.wav", np.zeros(48_000 * 140), 48_000)
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: (str(tmp_path / "show.wav"), ""))
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(tmp_path / "marked.wav"), ""))
        page.act("mark")
        qtbot.waitUntil(lambda: not page._copier.busy, timeout=20_000)
        assert window.status.text() == "2 cue points in marked.wav; the recording itself stays as it is."
        assert (tmp_path / "marked.wav").stat().st_size > (tmp_path / "show.wav").stat().st_size

    def test_a_second_screen_says_the_same(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(30)
        window.air.second_screen()
        screen: Any = window.air._screen
        assert screen.words()[:5] == ("Opening jingle", "\u22120:10", "left", "Jingles", "Welcome")
        screen.grab()
        assert screen.windowFlags() & Qt.WindowType.WindowDoesNotAcceptFocus  # the keyboard stays with the show
        window.air.second_screen()
        assert not screen.isVisible()

    def test_the_rail_counts_what_was_on(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space)
        clock.run(5)
        keys(qtbot, window, KEY.Key_Space)
        settle(window)
        state = window.document.analysis.stages["Air"]
        assert (state.settled, state.items) == (2, 11)

    def test_buttons_note_too(self, qtbot: QtBot, window: Window, clock: Clock) -> None:
        keys(qtbot, window, KEY.Key_Space)
        settle(window)
        button(window, "act note good").click()
        assert texts(window)[-1] == "Good bit"
