"""Forward and back timing, hard times, and what to cut: worked examples, clock changes, and every set of cuts of small rundowns."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import product
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from kymaphon.core.model.clock import by_the_clock, clock_of, seconds_of, span_words
from kymaphon.core.model.edits import MoveRow, apply_all
from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.show import Show
from kymaphon.core.rundown.carry import air_moved, moved_by, next_week
from kymaphon.core.rundown.catch_up import catch_up, cuts_before, edits_of, fill
from kymaphon.core.rundown.timing import Progress, timeline

TEN = datetime.fromisoformat("2026-08-15T10:00:00+01:00")


def show_of(*rows: dict, air: datetime | None = TEN, **more: object) -> Show:
    given = [{"id": f"s{n}", "name": f"S{n}", **row} for n, row in enumerate(rows, start=1)]
    return Show.model_validate({"air_at": air, "rundown": given, **more})


def hour() -> Show:
    """A programme of half an hour into a network join: back-timed by hand, see `test_back_timing`."""
    return show_of(
        {"length_s": 45},
        {"length_s": 310},
        {"length_s": 222},
        {"length_s": 480},
        {"length_s": 251},
        {"length_s": 60, "ends_by": TEN + timedelta(minutes=30)},
    )


class TestAnotherDay:
    """The hard times of a show that is put on another day."""

    def out(self, show: Show, air_at: datetime) -> datetime | None:
        moved = apply_all(show, air_moved(show, air_at))
        assert moved.air_at == air_at
        return moved.rundown[-1].ends_by

    def test_on_the_same_evening_the_network_joins_when_it_joins(self) -> None:
        show = hour()
        assert show.air_at is not None
        late = show.air_at + timedelta(minutes=5)
        assert self.out(show, late) == show.rundown[-1].ends_by

    def test_a_show_that_begins_past_midnight_stays_the_same_evening(self) -> None:
        eve = datetime(2026, 8, 14, 23, 0, tzinfo=UTC)
        show = show_of({"length_s": 60, "ends_by": eve + timedelta(hours=2)}, air=eve)
        assert self.out(show, eve + timedelta(minutes=70)) == eve + timedelta(hours=2)

    def test_over_a_change_of_the_clock_it_is_out_at_the_same_time_by_the_clock(self) -> None:
        """Time zone database: in Lisbon clocks go back an hour on 25 October 2026 at 1:00 UTC."""
        lisbon = ZoneInfo("Europe/Lisbon")
        air = datetime(2026, 10, 23, 19, 0, tzinfo=lisbon)
        show = show_of(
            {"length_s": 60, "ends_by": datetime(2026, 10, 23, 18, 30, tzinfo=UTC)}, air=air, time_zone="Europe/Lisbon"
        )
        assert self.out(show, datetime(2026, 10, 30, 19, 0, tzinfo=lisbon)) == datetime(
            2026, 10, 30, 19, 30, tzinfo=UTC
        )

    def test_at_another_hour_of_another_day_the_slot_is_as_long_as_it_was(self) -> None:
        there = TEN + timedelta(days=7, hours=3)
        assert self.out(hour(), there) == there + timedelta(minutes=30)

    def test_crew_goes_along(self) -> None:
        crew = {"id": "a", "name": "A", "from_at": TEN, "until_at": TEN + timedelta(hours=1)}
        show = show_of({"length_s": 60}, crew=[crew])
        for days in (7, -7):
            there = apply_all(show, air_moved(show, TEN + timedelta(days=days)))
            assert there.crew[0].until_at == TEN + timedelta(days=days, hours=1)

    def test_a_show_without_a_named_zone_goes_by_the_clock_of_its_new_time(self) -> None:
        """A file of the summer on a machine in winter: 10:30 stays 10:30."""
        winter = datetime.fromisoformat("2026-12-01T10:00:00+00:00")
        assert self.out(hour(), winter) == winter + timedelta(minutes=30)


class TestWorkedExample:
    def test_forward_timing_adds_the_lengths_up(self) -> None:
        """By hand: 0:45, 5:10, 3:42, 8:00, 4:11, 1:00 from 10:00:00."""
        line = timeline(hour())
        assert [by_the_clock(hour(), row.starts) for row in line.rows if row.starts is not None] == [
            "10:00:00",
            "10:00:45",
            "10:05:55",
            "10:09:37",
            "10:17:37",
            "10:21:48",
        ]
        assert by_the_clock(hour(), line.ends or TEN) == "10:22:48"

    def test_back_timing_takes_the_lengths_off_the_hard_out(self) -> None:
        """By hand, from 10:30:00 towards the front: a song of 4:11 before a close of 1:00 starts by 10:24:49 (common practice)."""
        line = timeline(hour())
        assert [by_the_clock(hour(), row.latest) for row in line.rows if row.latest is not None] == [
            "10:07:12",
            "10:07:57",
            "10:13:07",
            "10:16:49",
            "10:24:49",
            "10:29:00",
        ]
        assert {row.spare_s for row in line.rows} == {432.0}
        assert [row.off_s for row in line.hard] == [-432.0]

    def test_a_hard_start_parts_the_sums(self) -> None:
        show = show_of({"length_s": 100}, {"length_s": 50, "starts_at": TEN + timedelta(seconds=130)}, {"length_s": 30})
        line = timeline(show)
        assert [row.gap_s for row in line.rows] == [0, 30, 0]
        assert [(row.sort, row.off_s) for row in line.hard] == [("start", -30)]
        assert line.length_s == 210
        assert line.rows[0].latest == TEN + timedelta(seconds=30)
        assert line.rows[1].latest == TEN + timedelta(seconds=130)

    def test_nothing_is_known_of_the_clock_without_a_time_of_air(self) -> None:
        line = timeline(show_of({"length_s": 100}, air=None))
        assert line.rows[0].starts is None
        assert line.ends is None
        assert line.length_s == 100

    def test_a_segment_without_a_length_takes_that_of_what_plays_in_it(self) -> None:
        play = {"party": "p", "title": "A", "length_s": 180}
        show = Show.model_validate(
            {
                "parties": [{"id": "p", "name": "P", "kind": "player", "speaks": True}],
                "rundown": [
                    {"id": "a", "name": "A", "plays": [play, {**play, "length_s": 20}]},
                    {"id": "b", "name": "B", "plays": [{**play, "length_s": None}]},
                    {"id": "c", "name": "C", "plays": [{**play, "under": True}]},
                ],
            }
        )
        line = timeline(show)
        assert [row.length_s for row in line.rows] == [200, 0, 0]
        assert line.unknown == ("b", "c")


class TestOnAir:
    def test_what_is_on_runs_on_past_its_end_and_pushes_the_rest(self) -> None:
        began = {"s1": TEN, "s2": TEN + timedelta(seconds=50)}
        now = TEN + timedelta(seconds=400)
        line = timeline(hour(), Progress(now, "s2", began))
        on = line.on
        assert on is not None
        assert (on.segment.id, on.spent_s, on.left_s) == ("s2", 350, -40)
        assert line.rows[0].length_s == 50
        assert line.rows[2].starts == now
        assert line.following is line.rows[2]
        assert line.hard[0].off_s == -(1800 - 400 - 222 - 480 - 251 - 60)

    def test_a_held_segment_does_not_count_the_hold_as_its_own(self) -> None:
        line = timeline(hour(), Progress(TEN + timedelta(seconds=60), "s1", {"s1": TEN}, held_s=30))
        assert line.on is not None
        assert line.on.spent_s == 30
        assert line.rows[1].starts == TEN + timedelta(seconds=75)

    def test_a_segment_that_was_passed_over_takes_no_time(self) -> None:
        began = {"s1": TEN, "s4": TEN + timedelta(seconds=40)}
        line = timeline(hour(), Progress(TEN + timedelta(seconds=50), "s4", began))
        assert [row.state for row in line.rows] == ["done", "done", "done", "on", "to come", "to come"]
        assert [row.length_s for row in line.rows[:3]] == [40, 0, 0]

    def test_a_show_that_should_have_begun_begins_now(self) -> None:
        late = timeline(hour(), Progress(TEN + timedelta(minutes=5)))
        assert late.rows[0].starts == TEN + timedelta(minutes=5)
        early = timeline(hour(), Progress(TEN - timedelta(minutes=5)))
        assert early.rows[0].starts == TEN

    def test_gone_back_to_a_segment_the_later_ones_are_to_come_again(self) -> None:
        began = {"s1": TEN + timedelta(seconds=90), "s2": TEN + timedelta(seconds=50)}
        line = timeline(hour(), Progress(TEN + timedelta(seconds=100), "s1", began))
        assert [row.state for row in line.rows[:2]] == ["on", "to come"]


class TestClocks:
    """Changes of the clock by the standard time-zone database: in Lisbon clocks go back by an hour at 02:00 on 25 October 2026 and
    forward at 01:00 on 29 March 2026 (last Sundays of October and March, at 01:00 UTC)."""

    LISBON = ZoneInfo("Europe/Lisbon")

    def test_over_midnight_and_the_change_back_an_hour_of_show_is_an_hour(self) -> None:
        air = datetime(2026, 10, 24, 23, 30, tzinfo=self.LISBON)
        show = show_of(*({"length_s": 3600} for _ in range(4)), air=air, time_zone="Europe/Lisbon")
        line = timeline(show)
        told = [by_the_clock(show, row.starts) for row in line.rows if row.starts is not None]
        assert told == ["23:30:00", "00:30:00", "01:30:00 (UTC+1)", "01:30:00 (UTC+0)"]
        assert line.ends is not None
        assert (line.ends - air.astimezone(UTC)).total_seconds() == 4 * 3600

    def test_over_the_change_forward(self) -> None:
        air = datetime(2026, 3, 28, 23, 30, tzinfo=self.LISBON)
        show = show_of(*({"length_s": 3600} for _ in range(3)), air=air, time_zone="Europe/Lisbon")
        told = [by_the_clock(show, row.starts) for row in timeline(show).rows if row.starts is not None]
        assert told == ["23:30:00", "00:30:00", "02:30:00"]

    def test_next_week_stays_at_seven_by_the_clock_over_the_change(self) -> None:
        air = datetime(2026, 10, 23, 19, 0, tzinfo=self.LISBON)
        out = air + timedelta(minutes=30)
        show = show_of({"length_s": 60, "ends_by": out.isoformat()}, air=air, time_zone="Europe/Lisbon")
        later, _ = next_week(show)
        assert later.air_at is not None
        assert f"{later.air_at:%a %d %H:%M %z}" == "Fri 30 19:00 +0000"
        assert f"{show.air_at:%a %d %H:%M %z}" == "Fri 23 19:00 +0100"
        ends = later.rundown[0].ends_by
        assert ends is not None
        assert ends.astimezone(UTC) == later.air_at.astimezone(UTC) + timedelta(minutes=30)

    def test_a_show_moved_by_hours_keeps_its_spans(self) -> None:
        moved = moved_by(hour(), timedelta(days=3, hours=5))
        assert [row.off_s for row in timeline(moved).hard] == [row.off_s for row in timeline(hour()).hard]

    def test_what_is_typed_past_midnight_is_the_first_such_time_after(self) -> None:
        air = datetime(2026, 10, 24, 23, 30, tzinfo=self.LISBON)
        assert clock_of("00:15", air, air) == datetime(2026, 10, 25, 0, 15, tzinfo=self.LISBON)
        assert clock_of("23:45:10", air, air) == datetime(2026, 10, 24, 23, 45, 10, tzinfo=self.LISBON)
        for wrong in ("25:00", "1:2:3:4", "soon", "12:61"):
            with pytest.raises(ValueError, match="no time of day"):
                clock_of(wrong, air)

    def test_an_unknown_zone_is_told(self) -> None:
        with pytest.raises(ValidationError, match="no time zone of the standard database"):
            Show.model_validate({"time_zone": "Quay/Lantern"})
        with pytest.raises(ValidationError, match="no time zone"):
            Show.model_validate({"time_zone": "../../etc/passwd"})


class TestSpans:
    @given(st.integers(0, 604_800))
    def test_what_is_written_is_read_again(self, seconds: int) -> None:
        assert seconds_of(span_words(seconds)) == seconds

    @pytest.mark.parametrize(
        "text", ["-4:00", "\u22124:00", "4:99", "abc", "", "1:2:3:4", "1e9", "99999999", "4:0", "nan"]
    )
    def test_what_is_none_is_told(self, text: str) -> None:
        with pytest.raises(ValueError):
            seconds_of(text)

    @pytest.mark.parametrize("field", ["length_s", "shortest_s", "longest_s"])
    def test_no_length_is_below_nothing(self, field: str) -> None:
        with pytest.raises(ValidationError):
            Segment.model_validate({"id": "a", "name": "A", field: -1})

    def test_lengths_that_contradict_each_other(self) -> None:
        for wrong in (
            {"length_s": 60, "shortest_s": 90},
            {"length_s": 60, "longest_s": 30},
            {"starts_at": TEN, "ends_by": TEN},
        ):
            with pytest.raises(ValidationError):
                Segment.model_validate({"id": "a", "name": "A", **wrong})


lengths = st.integers(5, 60)
segments = st.lists(
    st.tuples(lengths, st.booleans(), st.integers(0, 60), st.booleans(), st.integers(0, 20)), min_size=1, max_size=5
)


class TestCatchUp:
    @given(segments, st.integers(1, 120))
    def test_the_fewest_cuts_as_every_set_of_them_says(self, rows: list, over: int) -> None:
        """Against every choice of one cut, or none, for each segment."""
        total = sum(row[0] for row in rows)
        given = [
            {
                "length_s": length,
                "can_drop": drop,
                **({"shortest_s": max(0, length - by)} if shorter else {}),
                **({"plays": [{"party": "p", "length_s": play, "can_drop": True}]} if play else {}),
            }
            for length, drop, by, shorter, play in rows
        ]
        out = TEN + timedelta(seconds=total - over)
        if out <= TEN:
            return
        given[-1]["ends_by"] = out.isoformat()
        line = timeline(show_of(*given, parties=[{"id": "p", "name": "P", "kind": "player", "speaks": True}]))
        groups = cuts_before(line, line.hard[0])
        best: int | None = None
        for choice in product(*[(None, *group) for group in groups]):
            taken = [row for row in choice if row is not None]
            if sum(row.saves_s for row in taken) >= over and (best is None or len(taken) < best):
                best = len(taken)
        found = catch_up(line)
        if best is None:
            assert not any(row.enough for row in found)
            return
        assert found
        for row in found:
            assert row.enough
            assert len(row.cuts) == best
            assert row.saves_s >= over - 1e-6
            assert all(0 < takes <= cut.saves_s + 1e-9 for cut, takes in row.cuts)

    @given(segments, st.integers(1, 100))
    def test_what_is_advised_meets_the_hard_time(self, rows: list, over: int) -> None:
        given = [
            {"length_s": length, "can_drop": drop, **({"shortest_s": max(0, length - by)} if shorter else {})}
            for length, drop, by, shorter, _ in rows
        ]
        given.append({"length_s": 10})
        out = TEN + timedelta(seconds=sum(row["length_s"] for row in given) - over)
        if out <= TEN:
            return
        given[-1]["ends_by"] = out.isoformat()
        show = show_of(*given)
        line = timeline(show)
        for row in catch_up(line):
            if row.enough:
                after = timeline(apply_all(show, edits_of(line, row)))
                assert after.hard[0].off_s <= 0.5

    @given(st.lists(st.lists(st.integers(5, 60), min_size=1, max_size=3), min_size=1, max_size=3), st.integers(1, 200))
    def test_several_plays_of_one_segment(self, rows: list, over: int) -> None:
        """Against every set of plays that leaves each segment something: the fewest, and none is said not to be enough while a set is."""
        given = [
            {
                "length_s": sum(plays) + 30,
                "plays": [
                    {"party": "p", "title": f"{n}{k}", "length_s": at, "can_drop": True} for k, at in enumerate(plays)
                ],
            }
            for n, plays in enumerate(rows)
        ]
        out = TEN + timedelta(seconds=sum(row["length_s"] for row in given) - over)
        given[-1]["ends_by"] = out.isoformat()
        every = [at for plays in rows for at in plays]
        sets = [
            [at for at, taken in zip(every, bits, strict=True) if taken] for bits in product((0, 1), repeat=len(every))
        ]
        best = min((len(row) for row in sets if sum(row) >= over), default=None)
        if out <= TEN:
            return
        show = show_of(*given, parties=[{"id": "p", "name": "P", "kind": "player", "speaks": True}])
        found = catch_up(timeline(show))
        assert {(row.enough, len(row.cuts)) for row in found} == {(best is not None, best or len(every))}
        for row in found:
            after = timeline(apply_all(show, edits_of(timeline(show), row)))
            assert after.hard[0].off_s == pytest.approx(over - row.saves_s)
            assert sum(len(one.plays) for one in apply_all(show, edits_of(timeline(show), row)).rundown) == len(
                every
            ) - len(row.cuts)

    def test_the_sketch_of_a_late_interview(self) -> None:
        """34 s over: either the interview is cut by so much, or the jingle and a verse go; said with the interview first, which wastes none."""
        show = show_of(
            {"name": "Interview", "length_s": 360, "shortest_s": 300},
            {"name": "Second jingle", "length_s": 40, "can_drop": True},
            {"name": "Close", "length_s": 60, "ends_by": TEN + timedelta(seconds=426)},
        )
        found = catch_up(timeline(show))
        assert [row.words for row in found] == ["cut 0:34 of Interview", "drop Second jingle (0:40)"]

    def test_nothing_before_a_hard_start_helps_after_it(self) -> None:
        show = show_of(
            {"length_s": 100, "can_drop": True},
            {"length_s": 50, "starts_at": TEN + timedelta(seconds=200)},
            {"length_s": 60, "ends_by": TEN + timedelta(seconds=300)},
        )
        line = timeline(show)
        assert line.hard[-1].off_s == 10
        assert catch_up(line, line.hard[-1]) == ()

    def test_what_is_on_can_only_be_cut_by_what_is_left_of_it(self) -> None:
        show = show_of(
            {"length_s": 100, "shortest_s": 20, "can_drop": True},
            {"length_s": 50, "ends_by": TEN + timedelta(seconds=90)},
        )
        line = timeline(show, Progress(TEN + timedelta(seconds=70), "s1", {"s1": TEN}))
        (advice,) = catch_up(line)
        assert advice.enough is False
        assert advice.saves_s == 30

    def test_time_to_fill_takes_what_may_be_stretched(self) -> None:
        show = show_of({"length_s": 100, "longest_s": 130}, {"length_s": 10, "ends_by": TEN + timedelta(seconds=200)})
        line = timeline(show)
        found = fill(line, line.hard[0])
        assert found is not None
        assert found.words == "stretch S1 by 0:30; 1:00 stay to be filled"
        line = timeline(show_of({"length_s": 10, "ends_by": TEN + timedelta(seconds=10)}))
        assert fill(line, line.hard[0]) is None

    def test_a_long_rundown_is_not_searched_for_ever(self) -> None:
        rows = [{"length_s": 60, "shortest_s": 50} for _ in range(300)]
        rows[-1]["ends_by"] = TEN + timedelta(seconds=300 * 60 - 700)
        (advice, *_) = catch_up(timeline(show_of(*rows)))
        assert advice.enough
        assert len(advice.cuts) == 70


class TestEdits:
    def test_a_segment_moves_and_says_so(self) -> None:
        show = hour()
        edit = MoveRow("rundown", "s5", 1)
        assert [row.id for row in edit.apply(show).rundown] == ["s1", "s5", "s2", "s3", "s4", "s6"]
        assert edit.to_json() == {"move": "rundown.s5", "to": 1}
        assert [row.id for row in MoveRow("rundown", "s1", 99).apply(show).rundown][-1] == "s1"
        with pytest.raises(KeyError):
            MoveRow("rundown", "gone", 0).apply(show)
