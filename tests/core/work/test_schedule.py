"""The critical path against a published example and another library; the scheduler against every plan of small cases."""

from __future__ import annotations

from itertools import combinations, permutations, product
from random import Random

import networkx
import pytest

from kymaphon.core.work.network import CircleError, Job, Network, circle_in
from kymaphon.core.work.schedule import Hand, Schedule, lower_bound, one_machine, schedule, with_hands_enough

RELIABLE = {
    "A": (2, ""),
    "B": (4, "A"),
    "C": (10, "B"),
    "D": (6, "C"),
    "E": (4, "C"),
    "F": (5, "E"),
    "G": (7, "D"),
    "H": (9, "EG"),
    "I": (7, "C"),
    "J": (8, "FI"),
    "K": (4, "J"),
    "L": (5, "J"),
    "M": (2, "H"),
    "N": (6, "KL"),
}
"""The construction project of Hillier & Lieberman, Introduction to Operations Research, chapter on PERT/CPM (from memory): 44 weeks by
A, B, C, E, F, J, L, N."""


def published() -> tuple[Job, ...]:
    return tuple(Job(name, minutes, tuple(first)) for name, (minutes, first) in RELIABLE.items())


def random_case(seed: int, jobs: int, hands: int) -> tuple[list[Job], list[Hand]]:
    chance = Random(seed)
    crew = [Hand(f"h{n}", chance.choice([0, 0, 5])) for n in range(hands)]
    names = [row.id for row in crew]
    rows = []
    for n in range(jobs):
        can = tuple(sorted(chance.sample(names, chance.randint(1, hands))))
        people = chance.choice([1, 1, 2]) if len(can) > 1 else 1
        who = (chance.choice(can),) if chance.random() < 0.2 else ()
        after = tuple(f"j{m}" for m in range(n) if chance.random() < 0.3)
        rows.append(Job(f"j{n}", chance.choice([2, 3, 5, 8]), after, people, who, can))
    return rows, crew


def best_by_trying(jobs: list[Job], hands: list[Hand]) -> float:
    """The shortest plan of all: every order, every choice of hands for each job, each as early as it can be. Some such plan is best
    (every measure that only grows with the ends has an active one among its best: Sprecher, Kolisch & Drexl 1995).
    """
    there = {row.id: row.from_ for row in hands}
    best = float("inf")
    choices = {
        job.id: [rows for rows in combinations(job.can, max(job.people, len(job.who))) if set(job.who) <= set(rows)]
        for job in jobs
    }
    for order in permutations(jobs):
        at = {job.id: n for n, job in enumerate(order)}
        if any(at[first] > at[job.id] for job in jobs for first in job.after):
            continue
        for picks in product(*(choices[job.id] for job in order)):
            busy: dict[str, list[tuple[float, float]]] = {name: [] for name in there}
            ends: dict[str, float] = {}
            for job, picked in zip(order, picks, strict=True):
                ready = max([0.0, *(ends[first] for first in job.after), *(there[who] for who in picked)])
                taken = sorted(row for who in picked for row in busy[who])
                start = min(
                    time
                    for time in (ready, *(end for _, end in taken if end > ready))
                    if all(time + job.minutes <= a or time >= b for a, b in taken)
                )
                ends[job.id] = start + job.minutes
                for who in picked:
                    busy[who].append((start, ends[job.id]))
                if ends[job.id] >= best:
                    break
            else:
                best = min(best, max(ends.values()))
    return best


def holds(found: Schedule, jobs: list[Job], hands: list[Hand]) -> None:
    """Whether a plan keeps every rule."""
    at = {row.job: row for row in found.rows}
    there = {row.id: row for row in hands}
    for job in jobs:
        row = at[job.id]
        assert row.end - row.start == pytest.approx(job.minutes)
        assert len(row.hands) == max(job.people, len(job.who)) == len(set(row.hands))
        assert set(job.who) <= set(row.hands) <= set(job.can or there)
        for first in job.after:
            assert first not in at or at[first].end <= row.start + 1e-9
        for who in row.hands:
            assert there[who].from_ <= row.start + 1e-9
            assert row.end <= there[who].until + 1e-9
    for one, other in combinations(found.rows, 2):
        if set(one.hands) & set(other.hands):
            assert one.end <= other.start + 1e-9 or other.end <= one.start + 1e-9


class TestCriticalPath:
    def test_the_published_project(self) -> None:
        net = Network(published())
        assert net.length == 44
        assert net.critical == tuple("ABCEFJLN")

    def test_its_slack_too(self) -> None:
        """The same source: D, G, H and M may be 4 weeks later, I two, K one."""
        slack = Network(published()).slack
        assert {name: slack[name] for name in "DGHMIK"} == {"D": 4, "G": 4, "H": 4, "M": 4, "I": 2, "K": 1}

    @pytest.mark.parametrize("seed", range(20))
    def test_the_length_is_networkx_longest_path(self, seed: int) -> None:
        jobs, _ = random_case(seed, 30, 3)
        graph = networkx.DiGraph()
        for job in jobs:
            graph.add_edge((job.id, "begin"), (job.id, "end"), weight=job.minutes)
            for first in job.after:
                graph.add_edge((first, "end"), (job.id, "begin"), weight=0)
        net = Network(tuple(jobs))
        assert net.length == networkx.dag_longest_path_length(graph)
        assert sum(net.by_id[name].minutes for name in net.critical) == pytest.approx(net.length)

    def test_with_hands_enough_the_plan_is_the_critical_path(self) -> None:
        found = with_hands_enough(published())
        assert (found.end, found.bound) == (44, 44)
        assert set("ABCEFJLN") <= found.critical
        crowd = [Hand(f"h{n}") for n in range(14)]
        assert schedule(published(), crowd).end == 44

    def test_a_circle_is_named(self) -> None:
        jobs = (Job("a", 1, ("c",)), Job("b", 1, ("a",)), Job("c", 1, ("b",)), Job("d", 1))
        assert set(circle_in(jobs)) == {"a", "b", "c"}
        with pytest.raises(CircleError, match="waits for") as caught:
            Network(jobs)
        assert set(caught.value.ids) == {"a", "b", "c"}
        assert circle_in((Job("a", 1, ("a",)),)) == ("a",)

    def test_what_is_not_there_is_taken_as_done(self) -> None:
        assert Network((Job("a", 2, ("gone",)),)).length == 2


class TestScheduler:
    @pytest.mark.parametrize("seed", range(40))
    def test_against_every_plan(self, seed: int) -> None:
        """Never better than the best of all, never a bound above it, and mostly the best itself."""
        jobs, hands = random_case(seed, 5, 1 + seed % 3)
        best = best_by_trying(jobs, hands)
        found = schedule(jobs, hands)
        holds(found, jobs, hands)
        assert found.bound <= best + 1e-9 <= found.end + 2e-9
        assert found.end <= best * 1.2 + 1e-9

    def test_how_often_it_is_the_best(self) -> None:
        """Over forty small cases at least nineteen in twenty; what it calls proven always."""
        hits = 0
        for seed in range(40):
            jobs, hands = random_case(seed, 5, 1 + seed % 3)
            best = best_by_trying(jobs, hands)
            found = schedule(jobs, hands)
            hits += found.end <= best + 1e-9
            assert not found.proven or found.end == pytest.approx(best)
        assert hits >= 38

    @pytest.mark.parametrize("seed", range(4))
    def test_sixty_tasks_and_six_people(self, seed: int) -> None:
        jobs, hands = random_case(100 + seed, 60, 6)
        found = schedule(jobs, hands, samples=20)
        holds(found, jobs, hands)
        assert found.bound <= found.end <= 1.25 * found.bound

    def test_the_same_plan_every_time(self) -> None:
        jobs, hands = random_case(7, 30, 4)
        assert schedule(jobs, hands) == schedule(jobs, hands)

    def test_slack_is_what_it_says(self) -> None:
        """A task made longer by its slack, the plan staying as it is, moves no end; a critical one made longer does."""
        jobs, hands = random_case(3, 12, 3)
        found = schedule(jobs, hands)
        assert found.critical
        for row in found.rows:
            assert row.end + found.slack[row.job] <= found.end + 1e-9

    @pytest.mark.parametrize("seed", range(12))
    def test_nobody_works_past_their_leaving_by_it(self, seed: int) -> None:
        """Each job alone put off by its slack, and whatever follows with it as far as it must: every hand is still there, the end stands."""
        jobs, hands = random_case(seed, 8, 3)
        end = schedule(jobs, hands).end
        leaving = [Hand(row.id, row.from_, end + 2 * n) for n, row in enumerate(hands)]
        found = schedule(
            [*jobs, Job("last", 30, tuple(row.id for row in jobs), can=(hands[-1].id,))], [*leaving[:-1], hands[-1]]
        )
        gone = {row.id: row.until for row in (*leaving[:-1], hands[-1])}
        net = Network(tuple(jobs))
        for late in found.rows:
            ends = {row.job: row.end for row in found.rows}
            ends[late.job] += found.slack[late.job]
            for row in found.rows:
                before = [
                    ends[other.job]
                    for other in found.rows
                    if other.start < row.start and set(other.hands) & set(row.hands)
                ]
                before += [ends[name] for name in (net.before.get(row.job) or ()) if name in ends]
                ends[row.job] = max(ends[row.job], max(before, default=0.0) + row.end - row.start)
                assert ends[row.job] <= found.end + 1e-9
                assert all(ends[row.job] <= gone[who] + 1e-9 for who in row.hands)

    def test_ten_minutes_and_not_a_hundred(self) -> None:
        """Who is gone at 20 has 10 min of slack for what takes the first 10, however long others go on."""
        found = schedule([Job("a", 10, can=("h",)), Job("b", 110, can=("i",))], [Hand("h", 0, 20), Hand("i")])
        assert found.slack["a"] == 10

    def test_one_hand_does_one_thing_after_the_other(self) -> None:
        jobs = [Job(f"j{n}", 10) for n in range(4)]
        found = schedule(jobs, [Hand("a")])
        assert (found.end, found.proven) == (40, True)
        assert len(found.critical) == 4

    def test_who_comes_late_works_late(self) -> None:
        found = schedule([Job("j", 10, who=("b",))], [Hand("a"), Hand("b", 30)])
        assert (found.end, found.bound) == (40, 40)

    def test_who_goes_early_is_not_there(self) -> None:
        found = schedule([Job("i", 10), Job("j", 10)], [Hand("a", 0, 15), Hand("b", 12)])
        holds(found, [Job("i", 10), Job("j", 10)], [Hand("a", 0, 15), Hand("b", 12)])
        assert found.end == 22

    def test_what_nobody_can_do_is_told_with_what_waits_for_it(self) -> None:
        jobs = [Job("a", 5, people=3), Job("b", 5, ("a",)), Job("c", 5), Job("d", 5, who=("z",))]
        found = schedule(jobs, [Hand("h"), Hand("i")])
        assert [row.job for row in found.rows] == ["c"]
        assert set(found.unplaced) == {"a", "b", "d"}
        assert "takes 3" in found.unplaced["a"]
        assert "waits for a" in found.unplaced["b"]
        assert "not of the crew" in found.unplaced["d"]
        assert schedule([Job("a", 5)], []).unplaced == {"a": "there is no crew"}
        assert schedule([], [Hand("h")]).end == 0

    def test_where_everybody_is_gone_before(self) -> None:
        assert schedule([Job("a", 20)], [Hand("h", 0, 10)]).unplaced

    def test_what_is_being_done_goes_on_first(self) -> None:
        found = schedule([Job("a", 30), Job("b", 5, begun=True)], [Hand("h")])
        assert found.rows[0].job == "b"


class TestBounds:
    def test_jackson(self) -> None:
        """Worked by hand: heads 0, 1, 2; minutes 4, 2, 3; tails 1, 8, 6. With interruptions the second runs 1 to 3, the third 3 to 6,
        and the first ends at 9: 3 + 8, 6 + 6, 9 + 1.
        """
        assert one_machine([(0, 4, 1), (1, 2, 8), (2, 3, 6)]) == 12
        assert one_machine([]) == 0

    @pytest.mark.parametrize("seed", range(20))
    def test_no_hand_can_be_quicker_than_its_own_work(self, seed: int) -> None:
        jobs, hands = random_case(seed, 8, 2)
        net = Network(tuple(jobs))
        can = {job.id: job.can for job in jobs}
        bound = lower_bound(net, hands, can)
        assert bound >= net.length - 1e-9
        assert bound <= schedule(jobs, hands).end + 1e-9
