"""A show on air: its state by the log, what can go wrong, trends against the line-up, notes in the formats of the edit."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from io import StringIO
from typing import Any

import jsonschema
import pytest
import webvtt
from hypothesis import given
from hypothesis import strategies as st

from kymaphon.core.air import run
from kymaphon.core.air.cues import (
    Cue,
    chapters,
    cues_of,
    edit_list,
    inside,
    label_track,
    recording_begins,
    timecode,
)
from kymaphon.core.air.cues import webvtt as webvtt_of
from kymaphon.core.air.hazards import Heard, hazards, standing
from kymaphon.core.air.run import RunState, after, run_of
from kymaphon.core.air.trends import READING_S, MeterHistory, lined_up_db, trend_of
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.levels.lineup.run import steps_of
from kymaphon.core.model.edits import RemoveRow, SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.processing import Gate
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.core.rundown.timing import timeline
from kymaphon.files.demo import EVENING, demo_path
from kymaphon.files.show_file import read_show

AT = datetime(2026, 8, 14, 18, 0, tzinfo=UTC)


@pytest.fixture(scope="module")
def tonight() -> Report:
    return analyse(read_show(demo_path(EVENING)))


def played(show: Show, *steps: tuple[float, str]) -> Show:
    """A show whose log has these actions, so many seconds after seven."""
    for seconds, action in steps:
        state = run_of(show.log)
        now = AT + timedelta(seconds=seconds)
        name, _, rest = action.partition(" ")
        entry = (
            run.toggle(show, state, rest, rest, now)
            if name == "toggle"
            else run.note(show, state, rest, "", now)  # type: ignore[arg-type]
            if name == "note"
            else getattr(run, name)(show, state, now)
        )
        assert entry is not None
        show = show.model_copy(update={"log": (*show.log, entry)})
    return show


class TestRun:
    def test_a_show_from_start_to_end(self, tonight: Report) -> None:
        show = played(tonight.show, *((60 * n, "go") for n in range(11)))
        state = run_of(show.log)
        assert (state.segment, state.on_air) == ("close", True)
        assert (state.open, state.playing) == ({"mira"}, {"jingles"})
        assert run.next_of(show, state) is None
        over = run.go(show, state, AT + timedelta(seconds=700))
        assert over is not None
        assert over.text == "Off air after 11:40; Close ran +0:40"
        ended = after(state, over.at, over.air or pytest.fail("no event"))
        assert (ended.on_air, ended.segment, ended.open) == (False, "", frozenset())
        assert run.go(show, ended, over.at) is None

    def test_each_step_tells_how_the_one_before_ran(self, tonight: Report) -> None:
        show = played(tonight.show, (0, "go"), (20, "go"), (130, "go"))
        assert [row.text for row in show.log[-3:]] == [
            "On air: Opening jingle",
            "On: Welcome; Opening jingle ran as planned",
            "On: Ferry: leaving the pier; Welcome ran +0:10",
        ]

    def test_back_hold_and_who_is_opened_by_hand(self, tonight: Report) -> None:
        show = played(tonight.show, (0, "go"), (20, "go"), (30, "toggle tam"), (40, "hold"), (70, "hold"), (80, "back"))
        states = [run_of(show.log[: len(tonight.show.log) + n]) for n in range(1, 7)]
        assert states[2].open == {"mira", "tam"}
        assert states[2].opened["tam"] == AT + timedelta(seconds=30)
        assert states[2].opened["mira"] == AT + timedelta(seconds=20)
        assert states[3].held_since == AT + timedelta(seconds=40)
        assert states[4].held_s == 30
        assert states[4].progress(AT + timedelta(seconds=75)).held_s == 30
        assert (states[5].segment, states[5].held_s, states[5].playing) == ("opening", 0.0, {"jingles"})
        assert run.back(show, states[5], AT) is None

    def test_off_air_nothing_is_held_opened_or_ended(self, tonight: Report) -> None:
        for state in (RunState(), run_of(played(tonight.show, (0, "go"), (5, "end")).log)):
            assert run.hold(tonight.show, state, AT) is None
            assert run.toggle(tonight.show, state, "tam", "Tam", AT) is None
            assert run.end(tonight.show, state, AT) is None
            assert run.back(tonight.show, state, AT) is None

    def test_a_show_begun_again_begins_anew(self, tonight: Report) -> None:
        show = played(tonight.show, (0, "go"), (20, "go"), (25, "end"))
        entry = run.go(show, RunState(), AT + timedelta(seconds=60))
        assert entry is not None
        state = run_of((*show.log, entry))
        assert (state.segment, dict(state.began)) == ("opening", {"opening": AT + timedelta(seconds=60)})

    def test_a_segment_taken_out_while_it_is_on_leaves_a_way_on(self, tonight: Report) -> None:
        show = played(tonight.show, (0, "go"), (20, "go"))
        without = RemoveRow("rundown", "welcome").apply(show)
        following = run.next_of(without, run_of(show.log))
        assert following is not None
        assert following.id == "ferry"
        timeline(without, run_of(show.log).progress(AT + timedelta(seconds=60)))

    def test_notes_have_clock_show_time_and_segment(self, tonight: Report) -> None:
        show = played(tonight.show, (0, "go"), (20, "go"), (33.5, "note retake"))
        note = show.log[-1].note
        assert note is not None
        assert (note.kind, note.show_s, note.segment) == ("retake", 33.5, "welcome")
        before = run.note(
            tonight.show, RunState(), "text", "  a\n b ", (tonight.show.air_at or AT) - timedelta(seconds=9)
        )
        assert before.note is not None
        assert (before.text, before.note.show_s) == ("a b", -9)
        assert len(run.note(tonight.show, RunState(), "clip", "x" * 5000, AT).text) <= 2000
        days = run.note(tonight.show, RunState(), "clip", "", AT + timedelta(days=90))
        assert days.note is not None
        assert days.note.show_s is None

    @given(st.lists(st.sampled_from(["go", "back", "hold", "end", "toggle tam", "toggle jingles"]), max_size=30))
    def test_any_keys_leave_a_state_that_the_log_tells(self, keys: list[str]) -> None:
        """The state told step by step is that of the whole log, and its times never run backwards."""
        show = read_show(demo_path(EVENING))
        state = run_of(show.log)
        for n, key in enumerate(keys):
            now = AT + timedelta(seconds=7 * n)
            name, _, rest = key.partition(" ")
            entry = run.toggle(show, state, rest, rest, now) if rest else getattr(run, name)(show, state, now)
            if entry is None:
                continue
            show = show.model_copy(update={"log": (*show.log, entry)})
            assert entry.air is not None
            state = after(state, entry.at, entry.air)
            assert state == run_of(show.log)
            line = timeline(show, state.progress(now + timedelta(seconds=3)))
            starts = [row.starts for row in line.rows if row.state == "to come" and row.starts is not None]
            assert starts == sorted(starts)
            assert sum(row.state == "on" for row in line.rows) == (1 if state.on_air else 0)


def codes(report: Report, state: RunState, heard: Heard | None = None) -> set[str]:
    return {row.code for row in hazards(report, state, heard or Heard({}, {}))}


def at(report: Report, segment: str) -> RunState:
    """On air in a segment, as the rundown has it."""
    row = next(one for one in report.show.rundown if one.id == segment)
    on, plays = frozenset(row.open), frozenset(one.party for one in row.plays)
    return RunState(AT, None, segment, {segment: AT}, on, plays, AT, dict.fromkeys(on | plays, AT))


def changed(*edits: Any) -> Callable[[Show], Show]:
    return lambda show: apply_all(show, edits)


BROKEN: dict[str, tuple[str, Callable[[Show], Show], Callable[[RunState], RunState]]] = {
    "mic-under-player": ("welcome", changed(), lambda s: replace(s, playing=frozenset({"jingles"}))),
    "not-open": ("interview", changed(), lambda s: replace(s, open=frozenset({"mira", "tam"}))),
    "open-unplanned": ("haul-away", changed(), lambda s: replace(s, open=frozenset({"trio", "ilse"}))),
    "player-runs-on": (
        "close",
        changed(SetField("devices", "player", "kind", "player-run-on")),
        lambda s: s,
    ),
    "speakers-muted": (
        "welcome",
        changed(SetField("places", "boathouse", "speakers_mute", True), SetField("parties", "tam", "hears_on", None)),
        lambda s: s,
    ),
    "not-lined-up": ("lighthouse", changed(), lambda s: s),
    "never-warmed-up": ("lighthouse", changed(), lambda s: s),
    "no-mix": ("ferry", changed(SetValue(SettingRef("desk", "in5>send1", "on"), True)), lambda s: s),
    "stale": ("ferry", changed(SetValue(SettingRef("desk", "in5", "gain_db"), 6.0)), lambda s: s),
    "effects-off": (
        "interview",
        changed(SetValue(SettingRef("desk", "in3", "chain"), (Gate(on=False, open_db=-30, close_db=-36),))),
        lambda s: s,
    ),
}


@pytest.mark.parametrize("code", BROKEN)
def test_each_hazard_is_found_where_it_is_and_not_where_it_is_not(code: str, tonight: Report) -> None:
    segment, change, state = BROKEN[code]
    report = analyse(change(tonight.show))
    found = [row for row in hazards(report, state(at(report, segment))) if not row.soon]
    assert code in {row.code for row in found}
    assert all(row.text.endswith(".") and row.title for row in found)
    assert codes(tonight, at(tonight, "interview")) == set()


class TestHazards:
    def test_what_comes_with_the_next_segment_is_told_before_it(self, tonight: Report) -> None:
        rows = hazards(tonight, at(tonight, "haul-away"))
        assert {(row.code, row.soon) for row in rows} == {("never-warmed-up", True), ("not-lined-up", True)}

    def test_a_player_that_a_meter_shows_is_heard_whatever_the_rundown_says(self, tonight: Report) -> None:
        state = at(tonight, "welcome")
        assert "mic-under-player" in codes(tonight, state, Heard({"jingles": -2.0}, {}))
        assert codes(tonight, state, Heard({"jingles": None}, {})) == set()
        assert codes(tonight, state, Heard({"jingles": -45.0}, {})) == set()

    def test_a_line_of_which_nothing_comes(self, tonight: Report) -> None:
        state = at(tonight, "ferry")
        rows = hazards(tonight, state, Heard({"ferry": None}, {}))
        assert [(row.code, row.severity) for row in rows] == [("silent-line", "stop")]
        assert "Have Mira go on" in rows[0].text
        assert codes(tonight, state, Heard({"ferry": -1.0}, {})) == set()
        assert codes(tonight, state, Heard({}, {})) == set()

    def test_how_long_it_stands(self, tonight: Report) -> None:
        rows = hazards(tonight, at(tonight, "haul-away"))
        first = standing(rows, {}, AT)
        known = {row.key: row.since or AT for row in first}
        later = standing(hazards(tonight, at(tonight, "haul-away")), known, AT + timedelta(minutes=2))
        assert {row.since for row in later} == {AT}
        opened = hazards(tonight, replace(at(tonight, "welcome"), playing=frozenset({"jingles"})))
        assert opened[0].since == AT

    def test_a_call_that_is_late_is_told_by_the_delay_of_its_cue(self, tonight: Report) -> None:
        """ITU-T G.114: up to 150 ms one way most people notice nothing."""
        feed = tonight.feeds["ferry", "mira"]
        state = at(tonight, "ferry")
        assert (feed.delay_ms or 0.0) < 150
        assert "late-cue" not in codes(tonight, state)
        slow = replace(tonight, feeds={**tonight.feeds, ("ferry", "mira"): replace(feed, delay_ms=151.0)})
        (row,) = [row for row in hazards(slow, state) if row.code == "late-cue"]
        assert "151 ms late" in row.text

    def test_what_runs_over_is_told_with_the_hard_time_that_it_costs(self, tonight: Report) -> None:
        segment = next(row for row in tonight.show.rundown if row.id == "interview")
        state = replace(at(tonight, "interview"), began={"interview": AT})
        planned = timedelta(seconds=segment.length_s or 0)

        def told(report: Report, over: float) -> list[tuple[str, str, str]]:
            now = AT + planned + timedelta(seconds=over)
            rows = hazards(report, state, now=now)
            return [(row.code, row.severity, row.title) for row in rows if row.code in ("runs-over", "hard-time-ahead")]

        free = analyse(
            apply_all(
                tonight.show,
                [
                    SetField("rundown", row.id, name, None)
                    for row in tonight.show.rundown
                    for name in ("starts_at", "ends_by")
                ],
            )
        )
        assert told(free, -60) == told(free, 10) == []
        assert told(free, 281) == [("runs-over", "note", f"{segment.name} runs 4:41 over")]
        out = (
            AT
            + planned
            + timedelta(
                seconds=sum(row.length_s or 0 for row in free.show.rundown[free.show.rundown.index(segment) + 1 :])
            )
        )
        last = free.show.rundown[-1].id
        bound = analyse(apply_all(free.show, [SetField("rundown", last, "ends_by", out)]))
        assert told(bound, -60) == []
        assert told(bound, 281) == [("runs-over", "fix", f"{segment.name} runs 4:41 over")]
        (row,) = [
            row for row in hazards(bound, state, now=AT + planned + timedelta(seconds=281)) if row.code == "runs-over"
        ]
        assert "4:41 after its hard time" in row.text

    def test_off_air_and_after_it_nothing_is_open(self, tonight: Report) -> None:
        assert codes(tonight, RunState()) == set()
        assert codes(tonight, run_of(played(tonight.show, (0, "go"), (5, "end")).log)) == set()

    def test_a_log_that_is_not_on_disk_is_told_on_air_and_off(self, tonight: Report) -> None:
        for state in (at(tonight, "interview"), RunState()):
            (row,) = hazards(tonight, state, log_is_kept=False)
            assert (row.code, row.severity) == ("log-not-kept", "stop")

    def test_every_hazard_has_its_risk_and_source(self) -> None:
        from kymaphon.core.figures import data_table

        for name, row in data_table("air")["hazards"].items():
            assert row["risk"] > 0, name
            assert row["source"], name
        assert all(row["source"] for row in data_table("air")["limits"].values())


class TestTrends:
    def step(self, report: Report, voice: str) -> Any:
        return next(row for row in steps_of(report) if row.voice == voice)

    def history(self, voice: str, rows: list[tuple[float, float]]) -> MeterHistory:
        out = MeterHistory()
        for t, off in rows:
            out.add(voice, t, off)
        return out

    def test_four_db_in_ten_minutes_are_told_with_what_to_turn(self, tonight: Report) -> None:
        base = lined_up_db(tonight)["tam"]
        rows = [(t, base + 4.2 * min(1.0, t / 540)) for t in range(0, 604, 4)]
        trend = trend_of(tonight, self.step(tonight, "tam"), self.history("tam", rows), 600.0)
        assert trend is not None
        assert trend.change_db == pytest.approx(4.2, abs=0.3)
        assert trend.turn_db == -4.0
        assert trend.words == "4 dB up since line-up, for 4 min: turn down 4 at Desk, channel 2, gain"
        assert trend.figure.value == pytest.approx(trend.change_db)

    def test_pauses_and_the_silence_of_others_do_not_count(self, tonight: Report) -> None:
        base = lined_up_db(tonight)["tam"]
        rows = [(t, base if t % 8 else base - 40) for t in range(0, 120, 4)]
        trend = trend_of(tonight, self.step(tonight, "tam"), self.history("tam", rows), 120.0)
        assert trend is not None
        assert (trend.change_db, trend.apart, trend.turn_db) == (pytest.approx(0, abs=0.01), False, 0.0)

    def test_nothing_is_said_of_who_has_hardly_talked(self, tonight: Report) -> None:
        history = self.history("tam", [(0.0, 9.0)])
        assert trend_of(tonight, self.step(tonight, "tam"), history, READING_S) is None
        assert trend_of(tonight, self.step(tonight, "tam"), history, 500.0) is None

    def test_who_was_never_lined_up_is_held_against_the_mark(self, tonight: Report) -> None:
        rows = [(t, -6.0) for t in range(0, 60, 4)]
        trend = trend_of(tonight, self.step(tonight, "lighthouse"), self.history("lighthouse", rows), 60.0)
        assert trend is not None
        assert trend.words.startswith("6 dB down off the mark, never lined up")

    def test_a_clock_that_is_set_back_and_a_very_long_show(self) -> None:
        history = self.history("a", [(10.0, 1.0), (5.0, 2.0), (11.0, 3.0)])
        assert history.rows["a"] == [(10.0, 1.0), (11.0, 3.0)]
        for n in range(30_000):
            history.add("b", float(n), 0.0)
        assert len(history.rows["b"]) <= 20_000
        assert history.since("b", 29_990.0)[-1] == (29_999.0, 0.0)


def noted(*rows: tuple[float, str, str]) -> tuple[Cue, ...]:
    return tuple(Cue(at_s, kind, text, "Interview", AT + timedelta(seconds=at_s)) for at_s, kind, text in rows)


words = st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=40).filter(
    lambda text: bool(text.split())
)
cue_lists = st.lists(
    st.tuples(st.floats(0, 20_000), st.sampled_from(["retake", "good", "text"]), words), max_size=8
).map(lambda rows: noted(*sorted(rows)))


class TestFormats:
    def test_cues_of_a_show_by_the_clock_of_its_recording(self, tonight: Report) -> None:
        show = played(tonight.show, (0, "go"), (20, "go"), (33.5, "note retake"))
        assert recording_begins(show) == AT
        rows = cues_of(show, AT - timedelta(seconds=90))
        assert [(row.at_s, row.kind) for row in rows] == [(90.0, "segment"), (110.0, "segment"), (123.5, "retake")]
        late = cues_of(show, AT + timedelta(seconds=25))
        assert [row.at_s for row in late] == [-25.0, -5.0, 8.5]
        assert len(inside(late)) == 1
        assert inside(late, 5.0) == ()

    @given(cue_lists)
    def test_webvtt_is_read_again_by_another_reader(self, rows: tuple[Cue, ...]) -> None:
        """webvtt-py, a reader of the format (W3C WebVTT)."""
        found = webvtt.from_buffer(StringIO(webvtt_of(rows)))
        assert len(found) == len(rows)
        for caption, row in zip(found, rows, strict=True):
            assert caption.start_in_seconds == pytest.approx(int(row.at_s + 0.0005), abs=1)
            assert caption.start == timecode(row.at_s)

    def test_webvtt_keeps_the_words_and_none_of_its_own_signs(self) -> None:
        (caption,) = webvtt.from_buffer(StringIO(webvtt_of(noted((3.25, "text", "a --> b <i> & c")))))
        assert caption.raw_text == "a \u2192 b &lt;i&gt; &amp; c"
        assert (caption.start, caption.end) == ("00:00:03.250", "00:00:07.250")

    def test_chapters_hold_to_their_published_form(self) -> None:
        """JSON Chapters 1.2.0 of the Podcasting 2.0 namespace, its required fields from memory."""
        rows = (
            Cue(0.2, "segment", "Opening", "Opening", AT),
            Cue(20.0, "segment", "Welcome", "Welcome", AT),
            Cue(33.0, "retake", "Retake", "Welcome", AT),
            Cue(60.0, "segment", "Gone past", "x", AT),
            Cue(60.0, "segment", "Ferry", "Ferry", AT),
        )
        data = json.loads(chapters(rows, "Lantern Quay"))
        jsonschema.validate(
            data,
            {
                "type": "object",
                "required": ["version", "chapters"],
                "properties": {
                    "version": {"const": "1.2.0"},
                    "chapters": {
                        "type": "array",
                        "items": {
                            "type": "object",
                            "required": ["startTime"],
                            "properties": {"startTime": {"type": "number", "minimum": 0}, "title": {"type": "string"}},
                        },
                    },
                },
            },
        )
        assert [(row["startTime"], row["title"]) for row in data["chapters"]] == [
            (0.0, "Opening"),
            (20.0, "Welcome"),
            (60.0, "Ferry"),
        ]

    def test_labels_and_cuts_are_plain_lines(self) -> None:
        rows = noted((40.0, "retake", "Retake: the name"), (50.5, "good", "Good bit"), (5.0, "clip", "tab\there"))
        assert label_track(rows).splitlines()[0] == "40.000000\t40.000000\tRetake: the name"
        assert label_track(rows).splitlines()[2].count("\t") == 2
        assert edit_list(rows).splitlines() == [
            "001  00:00:25.000  00:00:40.000  cut     Interview  Retake: the name",
            "002  00:00:50.500  00:00:50.500  keep    Interview  Good bit",
            "003  00:00:00.000  00:00:05.000  check   Interview  tab here",
        ]
        assert label_track(()) == ""


def test_what_an_entry_is_told_by_what_it_carries() -> None:
    assert LogEntry(at=AT, text="a").told_sort == "other"
    assert LogEntry(at=AT, text="a", sort="incident").told_sort == "incident"
    assert run.note(Show(), RunState(), "clip", "", AT).told_sort == "note"
