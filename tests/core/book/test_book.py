"""The book: the log looked through, a moment reviewed from the log alone, robust figures, what memory proposes, next week's show."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from kymaphon.core.air.run import RunState, go, hold, run_of
from kymaphon.core.analysis.analyse import analyse, figures_of
from kymaphon.core.analysis.report import Report
from kymaphon.core.book.entries import LogIndex, Wanted, moved, names_of, setting_of, stands
from kymaphon.core.book.facts import Fact, facts_of, proposals, ran_over
from kymaphon.core.book.review import review
from kymaphon.core.book.robust import MEDIAN_ERROR, middle, sure_words
from kymaphon.core.graph.routing import comes_through
from kymaphon.core.model.changes import changes
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import LogEntry, SetPoint, Show
from kymaphon.core.report.book import incident_sheet, ref_words, review_json, review_lines, value_words
from kymaphon.core.rundown.carry import next_week
from tests.core.book.evenings import TAM, ran

NOW = datetime(2026, 12, 1, tzinfo=UTC)


@pytest.fixture(scope="module")
def show() -> Show:
    return ran()


@pytest.fixture(scope="module")
def report(show: Show) -> Report:
    return analyse(show)


class TestLog:
    def index(self, show: Show) -> LogIndex:
        index = LogIndex(names_of(show))
        index.follow(show.log)
        return index

    def test_by_words_sort_and_time(self, show: Show) -> None:
        index = self.index(show)
        texts = [index.rows[n].text for n in index.find(Wanted(words="FERRY gone"))]
        assert texts == ["Ferry gone for 14 s"]
        sorts = {index.rows[n].told_sort for n in index.find(Wanted(frozenset({"note", "change"})))}
        assert sorts == {"note", "change"}
        at = next(row.at for row in show.log if row.told_sort == "incident")
        assert [index.rows[n].at for n in index.find(Wanted(since=at, until=at))] == [at]
        assert index.find(Wanted(subject="lighthouse")) != []
        assert index.find(Wanted(words="nothing like it")) == []
        assert sum(index.counts().values()) == len(show.log)

    @given(st.lists(st.sampled_from(["tam", "ferry", "ran", "clipped", "on:", "zz"]), max_size=3))
    def test_as_every_row_looked_at_by_itself(self, words: list[str]) -> None:
        show = ran()
        index, names = self.index(show), names_of(show)
        plain = [
            n
            for n, row in enumerate(show.log)
            if all(word in f"{row.text} {names.of(row)} {_sort(row)}".casefold() for word in words)
        ]
        assert index.find(Wanted(words=" ".join(words))) == plain

    def test_rows_that_come_are_added_and_another_log_begins_anew(self, show: Show) -> None:
        index = self.index(show)
        more = (*show.log, LogEntry(at=NOW, text="Battery of the ferry telephone", subject="ferry-phone"))
        index.follow(more)
        assert len(index.rows) == len(more)
        index.follow(show.log[:3])
        assert len(index.rows) == 3

    def test_a_segment_and_a_party_of_the_same_id_are_told_apart(self, show: Show) -> None:
        names = names_of(show)
        on = next(row for row in show.log if row.air is not None and row.subject == "ferry")
        gone = next(row for row in show.log if row.told_sort == "incident")
        assert (names.of(on), names.of(gone)) == ("Ferry: leaving the pier", "Ferry")


def _sort(row: LogEntry) -> str:
    from kymaphon.core.book.entries import SORT_WORDS

    return SORT_WORDS[row.told_sort]


class TestReview:
    def test_what_was_set_open_and_heard_before_and_after_a_change(self, show: Show, report: Report) -> None:
        change = next(row for row in show.log if row.told_sort == "change")
        before = review(report, change.at - timedelta(seconds=1))
        after = review(report, change.at + timedelta(seconds=1))
        assert before.state.segment == after.state.segment == "interview"
        assert before.state.open == {"mira", "tam", "ilse"}
        assert before.sets["desk.in2.gain_db"][0] == 40.0
        assert after.sets["desk.in2.gain_db"][0] == 36.0
        assert before.differs == (("desk.in2.gain_db", 40.0, 36.0),)
        assert after.differs == ()
        assert before.missing == ()

    def test_what_was_heard_is_that_of_the_show_as_it_stood_then(self, show: Show, report: Report) -> None:
        """Against the show with the settings of the log, the channels of whoever was off closed by hand."""
        from kymaphon.core.rundown.channels import channels_of

        at = next(row.at for row in show.log if row.told_sort == "incident")
        found = review(report, at)
        on = found.state.open | found.state.playing
        plain = apply_all(show, tuple(row.set(not on.isdisjoint(row.voices)) for row in report.once(channels_of).rows))
        figures = figures_of(plain)
        for listener, heard in found.heard:
            want = {
                voice
                for (name, voice), feed in figures.feeds.items()
                if name == listener and voice in on and voice != name and comes_through(feed)
            }
            assert set(heard) == want

    def test_before_the_show_and_without_settings_it_says_what_it_does_not_know(
        self, show: Show, report: Report
    ) -> None:
        early = review(report, show.log[0].at)
        assert early.heard == ()
        assert "not on air" in " ".join(early.missing)
        bare = tuple(row.model_copy(update={"sets": ()}) for row in show.log)
        at = next(row.at for row in show.log if row.told_sort == "incident")
        assert any("no settings" in text for text in review(report, at, bare).missing)

    def test_who_is_in_the_show_no_more_is_told(self, show: Show) -> None:
        from kymaphon.core.model.edits import RemoveRow

        at = next(row.at for row in show.log if row.told_sort == "incident")
        found = review(analyse(RemoveRow("parties", "tam").apply(show)), at)
        assert "tam is not in the show any more." in found.missing

    @pytest.mark.parametrize(
        ("ref", "value"),
        [
            ("desk.in2.mute", "loud"),
            ("desk.in2.gain_db", 1e6),
            ("desk.in99.gain_db", 3.0),
            ("desk.in2.chain", "gate"),
            ("gone.in2.gain_db", 3.0),
            ("nonsense", True),
            ("..", None),
        ],
    )
    def test_settings_of_another_rig_are_left_out_and_told(
        self, show: Show, report: Report, ref: str, value: float | str | bool | None
    ) -> None:
        """A log may come from anywhere: what does not fit today's rig makes no error, and no wrong answer."""
        at = next(row.at for row in show.log if row.told_sort == "incident")
        odd = LogEntry(at=at - timedelta(seconds=1), text="odd", sets=(SetPoint(ref=ref, value=value),))
        found = review(report, at, (*show.log, odd))
        assert dict(found.heard)["lighthouse"] == dict(review(report, at).heard)["lighthouse"]
        assert review_lines(report, found)
        assert incident_sheet(report, found).tables
        if ref.startswith("desk.") and not ref.endswith("chain"):
            assert any(text.startswith("Not of today's rig") and ref in text for text in found.missing)

    def test_as_lines_page_and_json(self, show: Show, report: Report) -> None:
        at = next(row.at for row in show.log if row.told_sort == "incident")
        found = review(report, at)
        lines = review_lines(report, found)
        assert lines[:2] == ["19:26:18, 26:18 into the show.", "On: Round the table."]
        assert "Lighthouse, Stream, Harbour station, Podcast heard: Mira, Tam, Ilse, Ferry." in lines
        sheet = incident_sheet(report, found)
        assert sheet.summary == "2026-11-06 19:26:18: Ferry gone for 14 s"
        settings = next(row for row in sheet.tables if row.title == "How it stood")
        assert ("Desk, channel 2, gain", "+36.0 dB", "19:07:23") in settings.rows
        data = review_json(report, found)
        assert data["segment"] == "table"
        assert sorted(data["heard"]["ferry"]) == ["ilse", "mira", "tam"]

    def test_settings_of_the_log_in_words(self, report: Report) -> None:
        assert ref_words(report, "desk.in1>send1.gain_db") == "Desk, channel 1 to send 1, gain"
        assert ref_words(report, "gone.in1.gain_db") == "gone.in1.gain_db"
        assert (value_words("a.b.gain_db", -3.0), value_words("a.b.on", True), value_words("a.b.tap", "pre")) == (
            "\u22123.0 dB",
            "on",
            "pre",
        )
        assert setting_of("desk.in1>send1.on") == SettingRef("desk", "in1>send1", "on")
        assert setting_of("nonsense") is None

    def test_what_moved_between_two_states(self, show: Show) -> None:
        later = apply_all(show, (SetValue(SettingRef("desk", "in2", "mute"), True), SetValue(TAM, None)))
        assert {(row.ref, row.value) for row in moved(show, later)} == {
            ("desk.in2.mute", True),
            ("desk.in2.gain_db", None),
        }
        assert moved(show, show) == ()
        assert len(stands(show)) == len({row.ref for row in stands(show)})


values = st.lists(st.floats(-90, 90), min_size=1, max_size=30)


class TestRobust:
    @given(values)
    def test_the_middle_and_spread_are_those_of_scipy(self, rows: list[float]) -> None:
        """scipy.stats.median_abs_deviation with the scale of a normal distribution."""
        found = middle(rows)
        assert found.value == pytest.approx(float(np.median(rows)), abs=1e-9)
        assert found.spread == pytest.approx(float(stats.median_abs_deviation(rows, scale="normal")), abs=1e-6)
        assert found.count == len(rows)

    def test_the_error_of_the_middle_is_that_of_drawing_again(self) -> None:
        """Standard error of the median of normal values, sqrt(pi / 2) of that of the mean (textbook), by 4,000 draws."""
        draws = np.random.default_rng(5).normal(38, 1.5, (4000, 25))
        assert np.std(np.median(draws, axis=1)) == pytest.approx(MEDIAN_ERROR * 1.5 / math.sqrt(25), rel=0.05)

    def test_one_wild_value_moves_nothing(self) -> None:
        calm, wild = middle([38, 37, 39, 38, 38]), middle([38, 37, 39, 38, 90])
        assert wild.value == calm.value
        assert wild.spread <= calm.spread + 1.5

    def test_few_values_say_little_and_nothing_lies_outside_them(self) -> None:
        assert sure_words(middle([38]), "dB") == "one time only: a guess"
        assert sure_words(middle([38, 40]), "dB") == "last 2 times, spread 1.5 dB; two say little"
        assert sure_words(middle([38, 37, 39, 38]), "dB").startswith("last 4 times, spread 0.7 dB; known to \u00b1")
        assert sure_words(middle([0.15] * 3), "m") == "the last 3 times the same"
        assert not middle([38]).outside(60, 3)
        assert not middle([38, 38]).outside(60, 3)
        assert middle([38, 38, 38]).outside(42, 3)
        assert not middle([38, 38, 38]).outside(40, 3)
        with pytest.raises(ValueError, match="of no values"):
            middle([])


class TestMemory:
    def facts(self, *gains: float) -> list[Fact]:
        return [row for week, gain in enumerate(gains) for row in facts_of(analyse(ran(week, gain)), NOW)]

    def test_what_worked_is_remembered_of_who_passed(self, report: Report) -> None:
        rows = {(row.sort, row.name, row.what): row for row in facts_of(report, NOW)}
        assert rows["person", "Tam", "gain"].value == 36.0
        assert "into Eight-channel desk" in rows["person", "Tam", "gain"].context
        assert rows["call", "Ferry", "gain"].value == -3.0
        assert ("call", "Lighthouse", "gain") not in rows
        assert rows["room", "Boathouse studio", "noise"].value == pytest.approx(31.8, abs=0.5)
        assert rows["show", "Welcome", "over"].value == 7.0
        assert {row.show for row in rows.values()} == {"Lantern Quay"}

    def test_the_next_show_gets_it_with_how_sure_it_is(self) -> None:
        later, _ = next_week(ran(3, 44.0))
        report = analyse(later)
        found = next(
            row
            for row in proposals(report, self.facts(41.0, 42.0, 42.0, 43.0))
            if row.fact.name == "Tam" and row.fact.what == "gain"
        )
        assert found.middle.value == 38.0
        assert found.words == "Tam, gain: 38.0 dB; last 4 times, spread 0.7 dB; known to \u00b10.5 dB."
        assert found.now == 40.0
        assert not found.outside
        after = apply_all(later, found.edits)
        assert after.device("desk").settings["in2"].gain_db == 38.0

    def test_today_outside_what_was_usual_is_said(self) -> None:
        later, _ = next_week(ran(3, 60.0))
        rows = proposals(analyse(later), self.facts(41.0, 42.0, 42.0))
        found = next(row for row in rows if row.fact.name == "Tam" and row.fact.what == "gain")
        assert found.outside
        assert found.words.endswith("Today 56.0 dB lies outside.")

    def test_another_microphone_is_another_gain(self) -> None:
        later, _ = next_week(ran(3))
        other = SetField("devices", "mic-tam", "kind", "condenser-broad").apply(later)
        rows = proposals(analyse(other), self.facts(41.0, 42.0))
        assert not [row for row in rows if row.fact.name == "Tam" and row.fact.what == "gain"]

    def test_the_show_itself_does_not_count(self) -> None:
        show = ran(1, 42.0)
        rows = proposals(analyse(show), self.facts(41.0, 42.0))
        assert {row.middle.count for row in rows} == {1}

    def test_only_the_last_dozen_count(self) -> None:
        facts = [Fact("person", "Tam", "level", 60.0 + n, "", f"Week {n}", NOW + timedelta(weeks=n)) for n in range(30)]
        later, _ = next_week(ran())
        found = next(row for row in proposals(analyse(later), facts) if row.fact.what == "level")
        assert found.middle.count == 12
        assert found.values[0][1] == 89.0

    def test_how_far_segments_ran_over_is_told_by_the_log(self, show: Show) -> None:
        rows = dict(ran_over(show))
        assert rows["Opening jingle"] == -2.0
        assert rows["Interview with the boatbuilder"] == 7.0
        assert len(rows) == 11
        assert list(ran_over(Show())) == []

    def test_what_was_held_is_not_run_over(self) -> None:
        """The log says of the same segment that it ran as planned."""
        show = Show.model_validate({"rundown": [{"id": "a", "name": "A", "length_s": 60}, {"id": "b", "name": "B"}]})
        state, clock = RunState(), datetime(2026, 8, 14, 18, 0, tzinfo=UTC)
        for wait, step in ((0, go), (20, hold), (45, hold), (40, go)):
            clock += timedelta(seconds=wait)
            entry = step(show, state, clock)
            assert entry is not None
            show, state = show.model_copy(update={"log": (*show.log, entry)}), run_of((*show.log, entry))
        assert show.log[-1].text == "On: B; A ran as planned"
        assert list(ran_over(show)) == [("A", 0.0)]

    def test_battery_hours_from_one_to_the_next(self, show: Show) -> None:
        from kymaphon.core.book.facts import battery_hours

        at = show.log[0].at
        log = tuple(
            LogEntry(at=at + timedelta(hours=hours), text="Battery changed", subject="ferry-phone", sort="incident")
            for hours in (0, 6.5, 12)
        )
        assert list(battery_hours(log, figures_of(show))) == [("Ferry phone", 6.5), ("Ferry phone", 5.5)]


class TestNextWeek:
    def test_what_carries_over_and_what_is_done_again(self, show: Show) -> None:
        later, told = next_week(show)
        assert later.log == ()
        assert later.air_at == (show.air_at or NOW) + timedelta(weeks=1)
        assert later.rundown[-1].ends_by == (show.rundown[-1].ends_by or NOW) + timedelta(weeks=1)
        assert (later.devices, later.cables, later.wants) == (show.devices, show.cables, show.wants)
        assert any("Line up again: 7 sources" in row for row in told)
        assert any("Tap again: 49 pairs" in row for row in told)

    def test_two_weeks_compared_in_sentences(self, show: Show, report: Report) -> None:
        rows = changes(show, ran(1, 43.0), report.catalogue)
        assert "Desk, channel 2, gain: +39.0 dB there, +36.0 dB here." in rows
        assert sum("rows of the log" in row for row in rows) == 2
        assert len(rows) == 5
        assert changes(show, show, report.catalogue) == ()
