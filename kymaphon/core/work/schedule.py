"""Who does what when: jobs with an order, on the hands that there are, so that all is done as early as can be.

Resource-constrained project scheduling is NP-hard (Blazewicz, Lenstra & Rinnooy Kan 1983), so this is a stated heuristic with its bound:
serial schedule generation (Kolisch & Hartmann 1999) over priority rules and seeded samples, each pushed to the right and to the left again
(Valls, Ballestin & Quintanilla 2005); and below it the largest of the critical path, of the work that only some hands can do, and of each
hand's own one-machine problem (Jackson 1955). Where both meet, nothing is better.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from kymaphon.core.stopping import check_wanted
from kymaphon.core.work.network import Job, Network

SAMPLES = 120
"""So many schedules are drawn beside those of the rules: bounded by a count, never by a clock."""
SAME = 1e-6


@dataclass(frozen=True, slots=True)
class Hand:
    """Somebody who works.

    Attributes:
        from_, until: there between these, in minutes from the start of the plan.
    """

    id: str
    from_: float = 0.0
    until: float = float("inf")


@dataclass(frozen=True, slots=True)
class Placed:
    """A job in the plan: when, and by whom."""

    job: str
    start: float
    end: float
    hands: tuple[str, ...]


@dataclass(frozen=True)
class Schedule:
    """A plan.

    Attributes:
        rows: in the order of their start.
        end: when all of it is done.
        bound: nothing can be done earlier than this.
        critical: jobs that cannot be later, nor longer, without the end being later or hands being gone: by their order or by whose
            hands they wait for.
        slack: so much later each may end without the end being later and without anybody working past their leaving, the plan staying
            as it is.
        unplaced: jobs that no hands there are can do, and why.
    """

    rows: tuple[Placed, ...]
    end: float
    bound: float
    critical: frozenset[str]
    slack: dict[str, float]
    unplaced: dict[str, str]

    @property
    def proven(self) -> bool:
        """Whether no plan ends earlier."""
        return self.end <= self.bound + SAME

    def of(self, job: str) -> Placed | None:
        return next((row for row in self.rows if row.job == job), None)


def schedule(jobs: Sequence[Job], hands: Sequence[Hand], *, samples: int = SAMPLES, seed: int = 1) -> Schedule:
    """Plans jobs on hands.

    Args:
        samples: plans drawn at random beside those of the priority rules; the same ones for the same seed.

    Raises:
        CircleError: some jobs wait for each other.
        Stopped: it is no longer wanted; see `stopping`.
    """
    network = Network(tuple(jobs))
    can, unable = able(network, hands)
    unplaced = {name: row.why for name, row in unable.items()}
    if unplaced:
        network = Network(tuple(row for row in jobs if row.id not in unplaced))
    if not network.jobs:
        return Schedule((), 0.0, 0.0, frozenset(), {}, unplaced)
    bound = lower_bound(network, hands, can)
    planner = _Planner(network, hands, can)
    best: list[Placed] | None = None
    for order in planner.orders(samples, seed):
        check_wanted()
        rows = planner.place(order)
        if rows is None:
            continue
        for _ in range(2):
            again = planner.justified(rows)
            if again is None or _end(again) > _end(rows) - SAME:
                break
            rows = again
        if best is None or _end(rows) < _end(best) - SAME:
            best = rows
            if _end(best) <= bound + SAME:
                break
    if best is None:
        gone = {row.id: "there is never time for it while its hands are there" for row in network.jobs}
        return Schedule((), 0.0, bound, frozenset(), {}, {**unplaced, **gone})
    rows_ = tuple(sorted(best, key=lambda row: (row.start, row.end, row.job)))
    slack = _slack(network, hands, rows_)
    critical = frozenset(name for name, left in slack.items() if left < SAME)
    return Schedule(rows_, _end(best), min(bound, _end(best)), critical, slack, unplaced)


def with_hands_enough(jobs: Sequence[Job]) -> Schedule:
    """Every job as early as its order allows, by nobody in particular: the critical path alone. Raises CircleError."""
    network = Network(tuple(jobs))
    rows = tuple(
        Placed(name, network.earliest[name], network.earliest[name] + network.by_id[name].minutes, ())
        for name in sorted(network.order, key=lambda name: (network.earliest[name], name))
    )
    slack = network.slack
    critical = frozenset(name for name, left in slack.items() if left < SAME)
    return Schedule(rows, network.length, network.length, critical, slack, {})


def _end(rows: Iterable[Placed]) -> float:
    return max((row.end for row in rows), default=0.0)


@dataclass(frozen=True, slots=True)
class Unable:
    """Why nobody can do a job: in words, and the id of the one that it waits for where that alone is why."""

    why: str
    waits_for: str | None = None


def able(network: Network, hands: Sequence[Hand]) -> tuple[dict[str, tuple[str, ...]], dict[str, Unable]]:
    """Job -> hands that can do it; and the jobs that too few can, with those that wait for them."""
    everybody = [row.id for row in hands]
    can: dict[str, tuple[str, ...]] = {}
    bad: dict[str, Unable] = {}
    for name in network.order:
        job = network.by_id[name]
        missing = [who for who in job.who if who not in everybody]
        rows = tuple(who for who in everybody if who in job.who or not job.can or who in job.can)
        waits = next((first for first in network.before[name] if first in bad), None)
        if missing:
            bad[name] = Unable(f"{', '.join(missing)} is not of the crew")
        elif len(rows) < max(job.people, len(job.who)):
            takes = f"it takes {job.people}, and {len(rows)} of the crew can do it"
            bad[name] = Unable(takes if everybody else "there is no crew")
        elif waits is not None:
            what = network.by_id[waits].name or waits
            bad[name] = Unable(f"it waits for {what}, which nobody can do", waits)
        can[name] = rows
    return can, bad


class _Planner:
    """Places jobs one after the other, each as early as its hands allow."""

    def __init__(self, network: Network, hands: Sequence[Hand], can: dict[str, tuple[str, ...]]) -> None:
        self.network = network
        self.hands = {row.id: row for row in hands}
        self.can = can
        uses: dict[str, float] = dict.fromkeys(self.hands, 0.0)
        for job in network.jobs:
            for who in can[job.id]:
                uses[who] += job.minutes * job.people / len(can[job.id])
        self.wanted = uses

    def orders(self, samples: int, seed: int) -> Iterable[list[str]]:
        """Orders in which jobs are placed: by rules, then by sampling near the best of those."""
        net = self.network
        behind = _followers(net)
        rules: list[Callable[[Job], tuple[float, ...]]] = [
            lambda job: (-(job.minutes + net.tail[job.id]),),
            lambda job: (net.slack[job.id], net.earliest[job.id]),
            lambda job: (net.earliest[job.id] + net.slack[job.id] + job.minutes,),
            lambda job: (-(job.minutes * job.people + net.tail[job.id]),),
            lambda job: (-len(behind[job.id]), -job.minutes),
            lambda job: (len(self.can[job.id]) - job.people, -(job.minutes + net.tail[job.id])),
            lambda job: (-job.people, -job.minutes),
            lambda job: (job.minutes,),
        ]
        for rule in rules:
            yield self.listed({job.id: rule(job) for job in net.jobs})
        chance = random.Random(seed)
        longest = max((job.minutes for job in net.jobs), default=1.0)
        for n in range(samples):
            rule = rules[n % 3]
            spread = longest * (0.25 + n / max(samples, 1))
            yield self.listed(
                {job.id: tuple(value + chance.uniform(-spread, spread) for value in rule(job)) for job in net.jobs}
            )

    def listed(self, keys: dict[str, tuple[float, ...]]) -> list[str]:
        """Jobs so that none stands before what it waits for, otherwise by their keys; those begun first."""
        left = {name: len(row) for name, row in self.network.before.items()}
        ready = [name for name, count in left.items() if count == 0]
        out: list[str] = []
        while ready:
            name = min(ready, key=lambda row: (not self.network.by_id[row].begun, keys[row], row))
            ready.remove(name)
            out.append(name)
            for other in self.network.behind[name]:
                left[other] -= 1
                if left[other] == 0:
                    ready.append(other)
        return out

    def place(self, order: Sequence[str]) -> list[Placed] | None:
        """Each job as early as can be, in that order; None where a hand is gone before."""
        busy: dict[str, list[tuple[float, float]]] = {who: [] for who in self.hands}
        ends: dict[str, float] = {}
        rows = []
        for name in order:
            job = self.network.by_id[name]
            ready = max([job.earliest, 0.0, *(ends[first] for first in self.network.before[name])])
            found = self._first(job, ready, busy)
            if found is None:
                return None
            start, hands = found
            ends[name] = start + job.minutes
            rows.append(Placed(name, start, ends[name], hands))
            for who in hands:
                busy[who].append((start, ends[name]))
                busy[who].sort()
        return rows

    def _first(
        self, job: Job, ready: float, busy: dict[str, list[tuple[float, float]]]
    ) -> tuple[float, tuple[str, ...]] | None:
        """The earliest start, and whose hands: who must, then who has least else to do that others cannot."""
        times = {ready}
        for who in self.can[job.id]:
            times.add(max(self.hands[who].from_, ready))
            times.update(end for _, end in busy[who] if end > ready)
        for start in sorted(times):
            free = [who for who in self.can[job.id] if self._free(who, start, start + job.minutes, busy[who])]
            if any(who not in free for who in job.who):
                continue
            if len(free) < job.people:
                continue
            rest = sorted((who for who in free if who not in job.who), key=lambda who: (self.wanted[who], who))
            return start, (*job.who, *rest)[: max(job.people, len(job.who))]
        return None

    def _free(self, who: str, start: float, end: float, rows: list[tuple[float, float]]) -> bool:
        hand = self.hands[who]
        if start < hand.from_ - SAME or end > hand.until + SAME:
            return False
        return all(other_end <= start + SAME or other_start >= end - SAME for other_start, other_end in rows)

    def justified(self, rows: Sequence[Placed]) -> list[Placed] | None:
        """The same plan with every job pushed as late as the end allows, and then as early again: seldom longer, often shorter."""
        end = _end(rows)
        latest: dict[str, float] = {}
        busy: dict[str, list[tuple[float, float]]] = {who: [] for who in self.hands}
        for row in sorted(rows, key=lambda one: (-one.end, -one.start, one.job)):
            job = self.network.by_id[row.job]
            limit = min([end, *(latest[name] for name in self.network.behind[row.job] if name in latest)])
            start = _latest(job.minutes, limit, [busy[who] for who in row.hands], row.start)
            latest[row.job] = start
            for who in row.hands:
                busy[who].append((start, start + job.minutes))
        keys: dict[str, tuple[float, ...]] = {name: (start,) for name, start in latest.items()}
        return self.place(self.listed(keys))


def _latest(minutes: float, limit: float, rows: list[list[tuple[float, float]]], now: float) -> float:
    """The latest start that ends by a limit and meets nothing else of the same hands; never before where it stands."""
    taken = [row for one in rows for row in one]
    starts = sorted({limit - minutes, *(begin - minutes for begin, _ in taken)}, reverse=True)
    for start in starts:
        if start < now or start + minutes > limit + SAME:
            continue
        if all(start + minutes <= begin + SAME or start >= end - SAME for begin, end in taken):
            return start
    return now


def _followers(net: Network) -> dict[str, set[str]]:
    """Everything that waits for a job, by whatever way."""
    out: dict[str, set[str]] = {}
    for name in reversed(net.order):
        out[name] = set(net.behind[name]).union(*(out[row] for row in net.behind[name]))
    return out


def _slack(network: Network, hands: Sequence[Hand], rows: Sequence[Placed]) -> dict[str, float]:
    """So much later each may end without the end being later: by its order, by the hands as they are planned, and by when those leave."""
    end = _end(rows)
    until = {row.id: row.until for row in hands}
    at = {row.job: row for row in rows}
    next_of: dict[str, list[str]] = {row.job: list(network.behind[row.job]) for row in rows}
    for who in {who for row in rows for who in row.hands}:
        mine = sorted((row for row in rows if who in row.hands), key=lambda row: (row.start, row.end))
        for one, other in zip(mine, mine[1:], strict=False):
            next_of[one.job].append(other.job)
    latest: dict[str, float] = {}
    for row in sorted(rows, key=lambda one: (-one.start, -one.end)):
        follow = [latest[name] - (at[name].end - at[name].start) for name in next_of[row.job] if name in latest]
        latest[row.job] = min([end, *follow, *(until[who] for who in row.hands)])
    return {row.job: max(latest[row.job] - row.end, 0.0) for row in rows}


def lower_bound(network: Network, hands: Sequence[Hand], can: dict[str, tuple[str, ...]]) -> float:
    """Minutes that no plan can be shorter than."""
    heads = _heads(network, hands, can)
    known = replace_heads(network, heads)
    best = known.length
    groups = {frozenset(can[job.id]) for job in network.jobs}
    groups |= {a | b for a in groups for b in groups}
    for group in groups:
        rows = [job for job in network.jobs if set(can[job.id]) <= group]
        first = min(known.earliest[job.id] for job in rows)
        last = min(known.tail[job.id] for job in rows)
        best = max(best, first + sum(job.minutes * max(job.people, len(job.who)) for job in rows) / len(group) + last)
    for hand in hands:
        mine = [
            job
            for job in network.jobs
            if hand.id in job.who or (hand.id in can[job.id] and len(can[job.id]) == max(job.people, len(job.who)))
        ]
        best = max(best, one_machine([(known.earliest[job.id], job.minutes, known.tail[job.id]) for job in mine]))
    return best


def _heads(network: Network, hands: Sequence[Hand], can: dict[str, tuple[str, ...]]) -> dict[str, float]:
    """When each job can begin at the earliest for the hands that it needs to be there at all."""
    there = {row.id: row.from_ for row in hands}
    out = {}
    for job in network.jobs:
        need = max(job.people, len(job.who))
        rows = sorted(there[who] for who in can[job.id])
        out[job.id] = max([job.earliest, rows[need - 1] if need else 0.0, *(there[who] for who in job.who)])
    return out


def replace_heads(network: Network, heads: dict[str, float]) -> Network:
    """The same network with each job's earliest time raised."""
    return Network(tuple(replace(job, earliest=heads[job.id]) for job in network.jobs))


def one_machine(rows: Sequence[tuple[float, float, float]]) -> float:
    """Jackson's bound for jobs that one hand has to do alone: with interruptions allowed, the job with the longest tail first.

    Args:
        rows: earliest start, minutes, and minutes that follow, of each.

    >>> one_machine([(0, 4, 7), (1, 3, 2)])
    11.0
    """
    if not rows:
        return 0.0
    left = sorted(rows)
    time, best = left[0][0], 0.0
    open_: list[list[float]] = []
    while left or open_:
        while left and left[0][0] <= time + SAME:
            _, minutes, tail = left.pop(0)
            open_.append([tail, minutes])
        if not open_:
            time = left[0][0]
            continue
        job = max(open_)
        until = min(time + job[1], left[0][0] if left else float("inf"))
        job[1] -= until - time
        time = until
        if job[1] <= SAME:
            open_.remove(job)
            best = max(best, time + job[0])
    return float(best)
