"""Book in the window: the log searched and reviewed, the memory put in, mended and forgotten, shows carried over and put away."""

from __future__ import annotations

import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QMessageBox
from pytestqt.qtbot import QtBot

from kymaphon.app.window import Window
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.edits import AttachTake, SetValue
from kymaphon.core.model.show import LogEntry, Show, Take
from kymaphon.core.rundown.carry import next_week
from kymaphon.files.memory import Memory, remember_show
from kymaphon.files.show_file import read_show, write_show
from tests.app.conftest import LONGEST_S, fill, settle, why_words, window_on, with_form
from tests.core.book.evenings import TAM, ran

NOW = datetime(2026, 12, 1, tzinfo=UTC)
KEY = Qt.Key


@pytest.fixture(scope="module")
def third() -> Show:
    return ran(2, 42.0)


@pytest.fixture(scope="module")
def reports(third: Show) -> tuple[Report, ...]:
    return tuple(analyse(show) for show in (ran(0, 41.0), ran(1, 43.0), third))


@pytest.fixture
def window(
    qtbot: QtBot, third: Show, reports: tuple[Report, ...], monkeypatch: pytest.MonkeyPatch, spared: None
) -> Iterator[Window]:
    for report in reports:
        remember_show(Memory(), report, "", NOW)
    with window_on(third, reports[2], "Book", monkeypatch) as row:
        yield row


def ready(window: Window) -> None:
    until = time.monotonic() + LONGEST_S
    while time.monotonic() < until:
        settle(window)
        QApplication.processEvents()
        page: Any = window.book.page
        worker = getattr(page, "_worker", None)
        if not (window.book.busy or window.keeper.busy or (worker is not None and worker.busy)):
            QApplication.processEvents()
            return
        time.sleep(0.005)
    raise AssertionError("the memory never came")


def view(window: Window, name: str) -> Any:
    window.book.choose_view(name)
    ready(window)
    return window.book.page


def choose(window: Window, page: Any, words: str) -> None:
    place = next(n for n, row in enumerate(page.table.words.rows) if words in row.text)
    page.table.setCurrentIndex(page.table.words.index(place, 0))
    ready(window)


class TestLog:
    def test_words_find_rows_as_they_are_typed(self, qtbot: QtBot, window: Window) -> None:
        page = view(window, "log")
        assert page.search.hasFocus()
        qtbot.keyClicks(page.search, "ferry gone")
        assert [row.text for row in page.table.words.rows] == ["Ferry gone for 14 s"]
        assert window.book.subtitle.text() == "1 of 23 rows"
        page.search.clear()
        page.sort.setCurrentIndex(page.sort.findData("change"))
        page.sort.activated.emit(page.sort.currentIndex())
        assert len(page.table.words.rows) == 1

    def test_of_a_row_it_says_what_was_set_open_and_heard(self, window: Window) -> None:
        page = view(window, "log")
        choose(window, page, "Tam laughs")
        words = why_words(window)
        assert "On: Interview with the boatbuilder." in words
        assert "Open: Mira, Tam, Ilse." in words
        assert "Ferry, Lighthouse, Stream, Harbour station, Podcast heard: Mira, Tam, Ilse." in words
        assert "Desk, channel 2, gain stood at +42.0 dB; today +38.0 dB." in words

    def test_an_incident_is_noted_and_its_report_written(
        self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        page = view(window, "log")
        with_form(lambda: page.act("incident"), lambda form: fill(form, subject="ferry"))
        assert window.document.show.log[-1].text != ""  # nothing was said: nothing is noted
        assert window.document.show.log[-1].told_sort == "air"
        with_form(
            lambda: page.act("incident"),
            lambda form: (form._inputs["text"].setPlainText("Battery changed"), fill(form, subject="ferry-phone")),
        )
        row = window.document.show.log[-1]
        assert (row.text, row.subject, row.told_sort) == ("Battery changed", "ferry-phone", "incident")
        ready(window)
        choose(window, page, "Ferry gone")
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(tmp_path / "i.html"), ""))
        page.act("report")
        assert "Who heard whom" in (tmp_path / "i.html").read_text(encoding="utf-8")

    def test_ten_thousand_rows_are_found_at_once(self, window: Window, third: Show) -> None:
        """By count of what is looked at, not by a clock: the picture asks for the rows on screen alone."""
        log = tuple(LogEntry(at=NOW, text=f"row {n} of many", subject="tam") for n in range(10_000))
        window.document.replace(third.model_copy(update={"log": log}), None)
        page = view(window, "log")
        asked: list[int] = []
        plain = page.table.words._cell
        page.table.words._cell = lambda row, column: asked.append(1) or plain(row, column)
        page.search.setText("row 77")
        QApplication.processEvents()
        assert len(page.table.words.rows) == sum("77" in str(n) for n in range(10_000))
        assert len(asked) < 2000


class TestMemory:
    def test_what_worked_is_put_in_with_one_key(self, qtbot: QtBot, window: Window, third: Show) -> None:
        later, _ = next_week(SetValue(TAM, 42.0).apply(third))
        window.document.replace(later, None)
        page = view(window, "memory")
        place = next(n for n, row in enumerate(page.rows) if row.fact.name == "Tam" and row.fact.what == "gain")
        page.table.choose(place)
        page.why_changed.emit()
        assert "last 3 times, spread 1.5 dB; known to" in why_words(window)
        qtbot.keyClick(page.table, KEY.Key_Space)
        assert window.document.show.device("desk").settings["in2"].gain_db == 38.0
        window.undo()
        assert window.document.show.device("desk").settings["in2"].gain_db == 42.0

    def test_a_figure_is_mended_and_thrown_away(self, qtbot: QtBot, window: Window, third: Show) -> None:
        window.document.replace(next_week(third)[0], None)
        page = view(window, "memory")
        place = next(n for n, row in enumerate(page.rows) if row.fact.name == "Tam" and row.fact.what == "gain")
        page.table.choose(place)
        known = page.rows[place].fact.id
        with_form(lambda: page.act("mend"), lambda form: fill(form, value="35.5"))
        ready(window)
        assert {row.id: row.value for row in Memory().facts()}[known] == 35.5
        page.table.choose(next(n for n, row in enumerate(page.rows) if row.fact.id == known))
        qtbot.keyClick(page.table, KEY.Key_Delete)
        ready(window)
        assert known not in {row.id for row in Memory().facts()}

    def test_all_are_put_in_but_for_what_lies_outside(self, window: Window, third: Show) -> None:
        """What lies outside is looked at first: one key does not take it over with the rest."""
        later, _ = next_week(SetValue(TAM, 60.0).apply(third))
        window.document.replace(later, None)
        page = view(window, "memory")
        (tam,) = (row for row in page.rows if row.fact.name == "Tam" and row.fact.what == "gain")
        assert tam.outside
        page.act("put-all")
        assert window.document.show.device("desk").settings["in2"].gain_db == 60.0
        window.document.apply((SetValue(TAM, 42.0),), "within")
        page = view(window, "memory")
        page.act("put-all")
        assert window.document.show.device("desk").settings["in2"].gain_db == 38.0

    def test_a_show_is_thrown_away(self, window: Window) -> None:
        page = view(window, "memory")
        shows = Memory().shows()
        with_form(lambda: page.act("drop-show"), lambda form: fill(form, show=shows[0].id))
        ready(window)
        assert [row.id for row in Memory().shows()] == [row.id for row in shows[1:]]
        assert len(Memory().facts()) == sum(row.facts for row in shows[1:])
        assert "Out of the memory: Lantern Quay" in window.status.text()

    def test_none_of_several_changes_is_passed_over(self, window: Window) -> None:
        """The worker does the newest thing it was asked: a second Delete, or a look at the memory, must not undo the first."""
        page = view(window, "memory")
        gone = [row.id for row in Memory().facts()[:3]]
        for one in gone:
            window.book.bench.change(lambda memory, one=one: memory.throw_away([one]), lambda _done: "gone")
        page.refresh("", "")
        ready(window)
        assert not {row.id for row in Memory().facts()} & set(gone)

    def test_somebody_is_forgotten(self, window: Window) -> None:
        page = view(window, "memory")
        with_form(lambda: page.act("forget"), lambda form: fill(form, name="Tam"))
        ready(window)
        assert "Tam" not in {row.name for row in Memory().facts()}
        assert all("Tam " not in row.text for row in Memory().entries(words="clipped"))
        assert "Tam is forgotten: 6 figures gone" in window.status.text()

    def test_a_damaged_memory_is_told_and_set_aside(self, window: Window) -> None:
        Memory().path.write_bytes(b"no memory at all, only words, " * 30)
        page = view(window, "memory")
        assert "is damaged" in page.told.text()
        assert view(window, "over").told.text() == page.told.text()
        page = view(window, "memory")
        page.act("aside")
        ready(window)
        assert Memory().facts() == []
        assert list(Memory().path.parent.glob("memory-aside-*.sqlite"))

    def test_over_shows_draws_what_is_remembered(self, window: Window) -> None:
        page = view(window, "over")
        place = next(n for n, (rows, _) in enumerate(page.groups) if rows[-1].name == "Tam" and rows[-1].what == "gain")
        page.table.choose(place)
        page._chosen(place)
        series = page.picture.series
        assert series is not None
        assert [value for _, value in series.points] == [37.0, 39.0, 38.0]
        assert (series.middle, series.today) == (38.0, 38.0)
        page.picture.grab()
        assert "median of 3" in why_words(window)


class TestKeeper:
    def test_a_show_is_remembered_when_it_is_saved(self, window: Window, tmp_path: Path) -> None:
        window.document.save(tmp_path / "Saved.json")
        ready(window)
        assert any(row.path.endswith("Saved.json") for row in Memory().shows())

    def test_what_cannot_be_remembered_is_told_and_the_show_is_saved(self, window: Window, tmp_path: Path) -> None:
        Memory().path.write_bytes(b"no memory at all, only words, " * 30)
        window.document.save(tmp_path / "Saved.json")
        ready(window)
        assert "Not remembered" in window.status.text()
        assert read_show(tmp_path / "Saved.json").log == window.document.show.log

    def test_a_change_on_air_goes_into_the_log_with_how_it_stood(self, window: Window) -> None:
        on_air = tuple(row for row in window.document.show.log if row.air is None or row.air.action != "end")
        window.document.replace(window.document.show.model_copy(update={"log": on_air}), None)
        for gain in (36.0, 35.0, 34.0, 33.0):
            window.document.apply((SetValue(TAM, gain),), "Tam down", merge="tam")
        assert window.document.show.log == on_air  # it is still being turned
        window.keeper.flush()
        assert len(window.document.show.log) == len(on_air) + 1
        row = window.document.show.log[-1]
        assert (row.text, row.told_sort, row.sets[0].ref, row.sets[0].value) == (
            "Changed on air: Tam down",
            "change",
            "desk.in2.gain_db",
            33.0,
        )
        window.undo()
        window.keeper.flush()
        assert window.document.show.log[-1].text == "Changed on air: Tam down, taken back"
        assert window.document.show.log[-1].sets[0].value == 38.0

    def test_off_air_no_change_is_logged_but_a_take_is(self, window: Window) -> None:
        before = len(window.document.show.log)
        window.document.apply((SetValue(TAM, 33.0),), "Tam down")
        assert len(window.document.show.log) == before
        window.document.apply((AttachTake(Take(id="t", file="t.wav", what="voice", voice="tam")),), "take")
        row = window.document.show.log[-1]
        assert (row.text, row.subject, row.told_sort) == ("Take of voice: t.wav", "tam", "take")


class TestShows:
    def answer(self, monkeypatch: pytest.MonkeyPatch) -> list[str]:
        told: list[str] = []
        monkeypatch.setattr(QMessageBox, "exec", lambda self: told.append(self.informativeText()))
        return told

    def test_next_week_begins_from_this_one(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
        told = self.answer(monkeypatch)
        window.book.file_act("next-week")
        settle(window)
        assert window.document.show.log == ()
        assert window.document.path is None
        assert "Line up again: 7 sources" in told[0]

    def test_another_show_is_compared_in_sentences(
        self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        told = self.answer(monkeypatch)
        write_show(tmp_path / "o.json", ran(1, 43.0))
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: (str(tmp_path / "o.json"), ""))
        window.book.file_act("compare")
        assert "Desk, channel 2, gain: +39.0 dB there, +38.0 dB here." in told[0]

    def test_archive_and_back(self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(tmp_path / "evening"), ""))
        window.book.file_act("archive")
        ready(window)
        assert "the show and 5 recordings" in window.status.text()
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: (str(tmp_path / "evening.zip"), ""))
        monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_args: str(tmp_path))
        window.book.file_act("unpack")
        ready(window)
        settle(window)
        assert window.document.path == tmp_path / "evening" / "show.json"
        assert window.document.show.title == "Lantern Quay"

    def test_a_hostile_archive_is_told(self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        (tmp_path / "x.zip").write_bytes(b"no archive")
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: (str(tmp_path / "x.zip"), ""))
        monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_args: str(tmp_path))
        window.book.file_act("unpack")
        ready(window)
        assert "is no archive" in window.status.text()
