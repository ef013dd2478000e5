"""The work that a show tells, planned against the clock: its order, what was ticked, what to drop."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import combinations
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.figures import data_table
from kymaphon.core.model.edits import SetField, apply_all
from kymaphon.core.model.show import Show
from kymaphon.core.model.talk import Task
from kymaphon.core.report.work import clock, time_words
from kymaphon.core.work.network import Job, Network
from kymaphon.core.work.plan import Drop, WorkPlan, drops, learnt_of, plan_work
from kymaphon.core.work.tasks import base_place, minutes_of, missing_work, work_told
from kymaphon.files.demo import FAULTY, FINAL, demo_path
from kymaphon.files.show_file import read_show
from tests.core.talk.rigs import van

NINE = datetime.fromisoformat("2026-08-15T09:00:00+01:00")


@pytest.fixture(scope="module")
def final() -> Show:
    return read_show(demo_path(FINAL))


def with_tasks(*rows: dict[str, Any], **more: Any) -> Show:
    return van(
        lambda show: show.update(tasks=list(rows), crew=[{"id": "a", "name": "Ava"}, {"id": "b", "name": "Bo"}], **more)
    )


def planned(show: Show, now: datetime | None = None) -> WorkPlan:
    return plan_work(figures_of(show), now, samples=20)


class TestTold:
    def test_communications_come_first(self, final: Show) -> None:
        """Common practice: only then does the rest get plugged and checked over it."""
        rows = work_told(figures_of(final))
        assert rows[0].sort == "communications"
        net = Network(tuple(Job(row.id, row.minutes or 1, row.after) for row in rows))
        for row in rows[1:]:
            seen, work = set(), list(row.after)
            while work:
                name = work.pop()
                if name not in seen:
                    seen.add(name)
                    work += net.by_id[name].after
            assert rows[0].id in seen, row.text

    def test_every_sort_of_the_trade_is_there(self, final: Show) -> None:
        sorts = {row.sort for row in work_told(figures_of(final))}
        assert sorts == {
            "communications",
            "power",
            "rigging",
            "commentary",
            "effects",
            "crowd",
            "lines",
            "tone",
            "line-up",
            "tap-test",
            "rehearsal",
        }

    def test_the_rehearsal_is_last(self, final: Show) -> None:
        rows = work_told(figures_of(final))
        assert rows[-1].sort == "rehearsal"
        assert not any(rows[-1].id in row.after for row in rows)

    def test_where_it_is_led_from(self, final: Show) -> None:
        found = base_place(figures_of(final))
        assert found is not None
        assert found.id == "van"

    def test_nobody_rigs_at_the_far_end_of_a_call(self) -> None:
        rows = work_told(figures_of(read_show(demo_path(FAULTY))))
        assert not any("Ferry" in row.text or "Lighthouse" in row.text for row in rows)
        assert any("Slipway" in row.text for row in rows)

    def test_longer_leads_take_longer(self, final: Show) -> None:
        rows = {row.id: row for row in work_told(figures_of(final))}
        cables = tuple(row.with_(length_m=300) if row.label == "S" else row for row in final.cables)
        further = {row.id: row for row in work_told(figures_of(final.model_copy(update={"cables": cables})))}
        assert (further["work-lay-start"].minutes or 0) - (rows["work-lay-start"].minutes or 0) == pytest.approx(
            minutes_of("lay-per-10m") * (300 - 130) / 10
        )

    def test_what_is_on_the_list_is_not_told_again(self, final: Show) -> None:
        told = work_told(figures_of(final))
        show = final.model_copy(update={"tasks": told[:5]})
        assert [row.id for row in missing_work(figures_of(show))] == [row.id for row in told[5:]]

    def test_every_figure_has_its_source(self) -> None:
        for table in ("minutes", "limits"):
            assert all(row["source"] for row in data_table("work")[table].values())

    def test_mains_is_told_with_its_caution(self, final: Show) -> None:
        texts = [row.text for row in work_told(figures_of(final)) if row.sort == "power"]
        assert texts
        assert all("competent" in text and "local rules" in text for text in texts)


class TestAgainstTheClock:
    def test_it_begins_when_the_crew_comes(self, final: Show) -> None:
        assert planned(final).begins == NINE
        assert planned(final, NINE - timedelta(hours=3)).begins == NINE

    def test_it_begins_now_once_they_are_there(self, final: Show) -> None:
        now = NINE + timedelta(minutes=40)
        assert planned(final, now).begins == now

    def test_it_tells_the_time_by_the_clock_of_the_show(self, final: Show) -> None:
        """A machine that counts in UTC plans an hour's difference away from nobody."""
        now = (NINE + timedelta(minutes=40)).astimezone(UTC)
        plan = planned(final, now)
        assert plan.begins == now
        assert clock(plan, 0) == "09:40"
        assert time_words(final, now) == "09:40"
        task = {"id": "t", "text": "T", "started_at": now.isoformat(), "done_at": NINE.isoformat(), "minutes": 5}
        wrong = with_tasks(task, air_at="2026-08-15T14:00:00+01:00")
        assert any("09:40 to 09:00" in text for text in planned(wrong).problems)

    def test_a_show_that_is_over_is_planned_as_it_was_meant(self, final: Show) -> None:
        assert planned(final, NINE + timedelta(days=30)).begins == NINE

    def test_spare_time(self, final: Show) -> None:
        """A quarter of an hour before air everything is done (common practice)."""
        plan = planned(final)
        assert plan.deadline == datetime.fromisoformat("2026-08-15T13:45:00+01:00")
        assert plan.spare_min == pytest.approx((plan.deadline - NINE).total_seconds() / 60 - plan.schedule.end)

    def test_past_midnight(self) -> None:
        show = with_tasks({"id": "t", "text": "T", "minutes": 90}, air_at="2026-08-16T01:00:00+01:00")
        show = show.model_copy(update={"crew": (show.crew[0].with_(from_at="2026-08-15T23:00:00+01:00"),)})
        plan = planned(show)
        assert plan.ends == datetime.fromisoformat("2026-08-16T00:30:00+01:00")
        assert plan.spare_min == pytest.approx(15)

    def test_what_is_done_is_not_planned(self) -> None:
        show = with_tasks(
            {"id": "t", "text": "T", "minutes": 10, "done": True},
            {"id": "u", "text": "U", "minutes": 5, "after": ["t"]},
        )
        assert [row.job for row in planned(show).schedule.rows] == ["u"]

    def test_what_is_being_done_takes_what_is_left_of_it(self) -> None:
        show = with_tasks({"id": "t", "text": "T", "minutes": 30, "started_at": NINE.isoformat()})
        assert planned(show, NINE + timedelta(minutes=20)).schedule.end == pytest.approx(10)
        assert planned(show, NINE + timedelta(minutes=90)).schedule.end == pytest.approx(1)

    def test_notes_to_remember_are_no_work(self) -> None:
        show = with_tasks({"id": "hands-off", "text": "Hands off the monitor knob."})
        assert planned(show).told


class TestLearnt:
    def row(self, name: str, took: float, minutes: float = 10) -> Task:
        return Task(
            id=name,
            text=name,
            sort="effects",
            minutes=minutes,
            done=True,
            started_at=NINE,
            done_at=NINE + timedelta(minutes=took),
        )

    def test_a_mean_that_the_figure_itself_is_in(self) -> None:
        """By hand: two that took twice as long and the figure counted twice: (2 + 2 + 2) / 4."""
        found = learnt_of([self.row("a", 20), self.row("b", 20)])["effects"]
        assert (found.factor, found.count) == (1.5, 2)

    def test_what_was_not_timed_teaches_nothing(self) -> None:
        assert learnt_of([Task(id="t", text="T", done=True)]) == {}
        backwards = self.row("a", -5)
        assert learnt_of([backwards]) == {}

    def test_what_comes_is_planned_by_it(self) -> None:
        done = [self.row(f"d{n}", 20).model_dump(mode="json") for n in range(2)]
        show = with_tasks(*done, {"id": "t", "text": "T", "sort": "effects", "minutes": 10})
        assert planned(show).minutes["t"] == 15

    def test_no_sort_becomes_absurd(self) -> None:
        assert learnt_of([self.row(f"d{n}", 500) for n in range(20)])["effects"].factor == 3
        assert learnt_of([self.row(f"d{n}", 0.1) for n in range(20)])["effects"].factor == 0.4


class TestLate:
    def late(self, final: Show) -> Show:
        told = tuple(work_told(figures_of(final)))
        return apply_all(
            final.model_copy(update={"tasks": told}), (SetField("", None, "air_at", NINE + timedelta(minutes=135)),)
        )

    def test_in_time_nothing_is_dropped(self, final: Show) -> None:
        assert drops(figures_of(final), planned(final)) == ()

    def test_what_to_drop_and_what_it_costs(self, final: Show) -> None:
        show = self.late(final)
        plan = planned(show)
        assert plan.spare_min is not None
        assert plan.spare_min < 0
        found = drops(figures_of(show), plan)
        assert found
        assert found[0].in_time
        assert all(row.loses for row in found)
        assert "nobody has run it once" in {text for row in found for text in row.loses}

    def test_dropped_it_is_in_time(self, final: Show) -> None:
        show = self.late(final)
        best = drops(figures_of(show), planned(show))[0]
        kept = tuple(row for row in show.tasks if row.id not in best.tasks)
        after = planned(show.model_copy(update={"tasks": kept}))
        assert after.spare_min is not None
        assert after.spare_min >= -1

    def test_no_smaller_set_is_in_time(self, final: Show) -> None:
        """Every smaller set of what can be dropped, tried."""
        show = self.late(final)
        plan = planned(show)
        best: Drop = drops(figures_of(show), plan)[0]
        loose = [row.id for row in plan.tasks if row.can_drop]
        for count in range(1, len(best.tasks)):
            for rows in combinations(loose, count):
                kept = tuple(row for row in show.tasks if row.id not in rows)
                after = planned(show.model_copy(update={"tasks": kept}))
                assert (after.spare_min or 0) < 1e-6

    def test_without_a_clock_nothing_is_late(self) -> None:
        show = with_tasks({"id": "t", "text": "T", "minutes": 10, "can_drop": True})
        assert planned(show).spare_min is None
        assert drops(figures_of(show), planned(show)) == ()


class TestBadInput:
    def test_a_circle_is_named_and_the_rest_planned(self) -> None:
        show = with_tasks(
            {"id": "a", "text": "A", "minutes": 5, "after": ["b"]},
            {"id": "b", "text": "B", "minutes": 5, "after": ["a"]},
            {"id": "c", "text": "C", "minutes": 5},
        )
        plan = planned(show)
        assert {row.job for row in plan.schedule.rows} == {"a", "b", "c"}
        assert "waits for" in plan.problems[0]

    def test_two_places_at_once(self) -> None:
        row = {"minutes": 30, "who": ["a"], "started_at": NINE.isoformat()}
        show = with_tasks(
            {"id": "s", "text": "S", "place": "studio", **row}, {"id": "t", "text": "T", "place": "van", **row}
        )
        assert "Ava is at two tasks at once in two places: S and T." in planned(show, NINE).problems

    def test_a_crew_of_none(self, final: Show) -> None:
        plan = planned(final.model_copy(update={"crew": ()}))
        assert plan.problems[0].startswith("There is no crew")
        assert len(plan.schedule.rows) == len(plan.tasks)
        assert all(row.hands == () for row in plan.schedule.rows)

    def test_nobody_who_can(self) -> None:
        show = with_tasks({"id": "t", "text": "Mast", "sort": "power", "minutes": 10})
        show = show.model_copy(update={"crew": tuple(row.with_(does=("tone",)) for row in show.crew)})
        assert any("Mast" in text and "0 of the crew can do it" in text for text in planned(show).problems)

    def test_done_before_it_was_begun(self) -> None:
        show = with_tasks(
            {
                "id": "t",
                "text": "T",
                "minutes": 5,
                "done": True,
                "started_at": NINE.isoformat(),
                "done_at": (NINE - timedelta(minutes=5)).isoformat(),
            }
        )
        assert any("done before it was begun" in text for text in planned(show).problems)

    def test_an_unknown_hand_is_left_out(self) -> None:
        show = with_tasks({"id": "t", "text": "T", "minutes": 5, "who": ["zed"]})
        assert planned(show).schedule.rows[0].hands

    def test_gone_before_they_come_is_refused(self) -> None:
        with pytest.raises(ValueError, match="gone before they come"):
            van(
                lambda rows: rows.update(
                    crew=[
                        {
                            "id": "a",
                            "name": "Ava",
                            "from_at": "2026-01-01T10:00:00Z",
                            "until_at": "2026-01-01T09:00:00Z",
                        }
                    ]
                )
            )
