"""Tasks and what must come first: loops in it, earliest and latest times, and the chain that decides (the critical path).

Critical path method: Kelley & Walker 1959. Times are minutes from the start of the work.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property


@dataclass(frozen=True, slots=True)
class Job:
    """Something to do, as the scheduler sees it.

    Attributes:
        minutes: how long it takes.
        after: ids of jobs that come first.
        people: so many at once.
        who: ids of hands that must be among them; `can` those that may, all where it is empty.
        earliest: it cannot begin before.
        begun: it is being done and goes on from the start of the plan, before anything else.
        name: as people call it; its id where it is empty.
    """

    id: str
    minutes: float
    after: tuple[str, ...] = ()
    people: int = 1
    who: tuple[str, ...] = ()
    can: tuple[str, ...] = ()
    earliest: float = 0.0
    begun: bool = False
    name: str = ""


class CircleError(ValueError):
    """Jobs that wait for each other.

    Attributes:
        ids: of the jobs of one loop, in its order.
    """

    def __init__(self, ids: Sequence[str]) -> None:
        super().__init__(" waits for ".join([*ids, ids[0]]))
        self.ids = tuple(ids)


@dataclass(frozen=True)
class Network:
    """Jobs and their order. What a job waits for that is not among them is taken as done.

    Raises:
        CircleError: some wait for each other.

    The worked example of a four-job network: B and C after A, D after both.

    >>> net = Network((Job("A", 3), Job("B", 2, ("A",)), Job("C", 4, ("A",)), Job("D", 1, ("B", "C"))))
    >>> net.length, net.critical
    (8.0, ('A', 'C', 'D'))
    >>> net.slack["B"]
    2.0
    """

    jobs: tuple[Job, ...]

    def __post_init__(self) -> None:
        circle = circle_in(self.jobs)
        if circle:
            raise CircleError(circle)

    @cached_property
    def by_id(self) -> dict[str, Job]:
        return {row.id: row for row in self.jobs}

    @cached_property
    def before(self) -> dict[str, tuple[str, ...]]:
        """Job -> jobs among these that come first."""
        return {row.id: tuple(name for name in dict.fromkeys(row.after) if name in self.by_id) for row in self.jobs}

    @cached_property
    def behind(self) -> dict[str, tuple[str, ...]]:
        """Job -> jobs that wait for it."""
        rows: dict[str, list[str]] = {row.id: [] for row in self.jobs}
        for name, first in self.before.items():
            for other in first:
                rows[other].append(name)
        return {name: tuple(row) for name, row in rows.items()}

    @cached_property
    def order(self) -> tuple[str, ...]:
        """Every job behind all that it waits for; otherwise in the order given (Kahn 1962)."""
        left = {name: len(row) for name, row in self.before.items()}
        ready = [row.id for row in self.jobs if left[row.id] == 0]
        out: list[str] = []
        while ready:
            name = ready.pop(0)
            out.append(name)
            for other in self.behind[name]:
                left[other] -= 1
                if left[other] == 0:
                    ready.append(other)
        return tuple(out)

    @cached_property
    def earliest(self) -> dict[str, float]:
        """When each can begin, had it all the hands that it wants."""
        out: dict[str, float] = {}
        for name in self.order:
            job = self.by_id[name]
            ends = (out[other] + self.by_id[other].minutes for other in self.before[name])
            out[name] = max(job.earliest, *ends, 0.0) if self.before[name] else max(job.earliest, 0.0)
        return out

    @cached_property
    def tail(self) -> dict[str, float]:
        """Minutes that still have to follow each job."""
        out: dict[str, float] = {}
        for name in reversed(self.order):
            out[name] = max((self.by_id[other].minutes + out[other] for other in self.behind[name]), default=0.0)
        return out

    @cached_property
    def length(self) -> float:
        """How long it takes at least, with hands enough."""
        return max((self.earliest[row.id] + row.minutes + self.tail[row.id] for row in self.jobs), default=0.0)

    @cached_property
    def slack(self) -> dict[str, float]:
        """So much later each may begin without anything ending later."""
        return {row.id: self.length - self.tail[row.id] - row.minutes - self.earliest[row.id] for row in self.jobs}

    @cached_property
    def critical(self) -> tuple[str, ...]:
        """A longest chain: what is late in it makes all late."""
        out: list[str] = []
        left = [name for name in self.order if abs(self.slack[name]) < 1e-9]
        here = next((name for name in left if not self.before[name] or self._begins(name)), None)
        while here is not None:
            out.append(here)
            end = self.earliest[here] + self.by_id[here].minutes
            here = next(
                (row for row in self.behind[here] if row in left and abs(self.earliest[row] - end) < 1e-9), None
            )
        return tuple(out)

    def _begins(self, name: str) -> bool:
        """Whether a job's start is given by its own earliest time rather than by what comes first."""
        return abs(self.earliest[name] - self.by_id[name].earliest) < 1e-9


def circle_in(jobs: Iterable[Job]) -> tuple[str, ...]:
    """Ids of jobs that wait for each other, in the order in which they do; none where no job does."""
    return _circle({row.id: list(row.after) for row in jobs})


def _circle(rows: Mapping[str, Sequence[str]]) -> tuple[str, ...]:
    state: dict[str, int] = {}
    for start in rows:
        if state.get(start):
            continue
        way: list[str] = [start]
        steps = [iter(rows[start])]
        state[start] = 1
        while steps:
            name = next(steps[-1], None)
            if name is None:
                state[way.pop()] = 2
                steps.pop()
            elif state.get(name) == 1:
                return tuple(way[way.index(name) :])
            elif name in rows and not state.get(name):
                state[name] = 1
                way.append(name)
                steps.append(iter(rows[name]))
    return ()
