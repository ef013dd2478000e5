"""The plan of a show's work against the clock: from its tasks, its crew and what is ticked; what to drop when it is late."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import combinations

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import data_table
from kymaphon.core.model.clock import zone_of
from kymaphon.core.model.show import Show
from kymaphon.core.model.talk import Task, TaskSort
from kymaphon.core.work.network import CircleError, Job, Network, circle_in
from kymaphon.core.work.schedule import SAMPLES, Hand, Schedule, able, schedule, with_hands_enough
from kymaphon.core.work.tasks import minutes_of, work_told

USUAL: dict[TaskSort, str] = {
    "communications": "talk-place",
    "power": "power-place",
    "rigging": "microphone",
    "commentary": "commentary",
    "effects": "effects",
    "crowd": "crowd",
    "lines": "line",
    "tone": "tone",
    "line-up": "line-up",
    "tap-test": "tap",
    "rehearsal": "rehearsal",
    "other": "microphone",
}
MOST_DROPPED = 4
"""So many tasks at most are dropped together in what is offered."""
MOST_TRIED = 60
DROP_SAMPLES = 8


def limit(name: str) -> float:
    """A limit of the work, by its name in data/work.json."""
    return float(data_table("work")["limits"][name]["value"])


@dataclass(frozen=True, slots=True)
class Learnt:
    """What ticks have told of a sort of work.

    Attributes:
        factor: it takes so many times its figure.
        count: from so many tasks that were timed.
    """

    sort: TaskSort
    factor: float
    count: int


@dataclass(frozen=True, slots=True)
class Drop:
    """What could be left out.

    Attributes:
        tasks: ids.
        saves_min: so much earlier everything is done.
        in_time: whether it is done in time then.
        loses: what the show goes without.
    """

    tasks: tuple[str, ...]
    saves_min: float
    in_time: bool
    loses: tuple[str, ...]


@dataclass(frozen=True)
class WorkPlan:
    """The work of a show, planned.

    Attributes:
        tasks: all of them, done ones too, in their order.
        told: the show has none of its own, and these are told from it.
        schedule: of those that are left; minutes from `begins`.
        begins: when the plan begins: now, or when the first of the crew comes; by the clock of the show, as `zone_of` says.
        deadline: when all has to be done; None where nobody said when air is.
        learnt: by sort.
        minutes: of each task, as planned.
        problems: in sentences: who waits for each other, who is at two places.
    """

    tasks: tuple[Task, ...]
    told: bool
    schedule: Schedule
    begins: datetime | None
    deadline: datetime | None
    learnt: dict[TaskSort, Learnt]
    minutes: dict[str, float]
    problems: tuple[str, ...]

    @property
    def ends(self) -> datetime | None:
        """When all is done."""
        return None if self.begins is None else self.begins + timedelta(minutes=self.schedule.end)

    @property
    def spare_min(self) -> float | None:
        """Minutes between that and the deadline; below nought it is late. None where there is no clock."""
        if self.deadline is None or self.ends is None:
            return None
        return (self.deadline - self.ends).total_seconds() / 60

    def task(self, task_id: str) -> Task:
        """Raises KeyError when there is none."""
        for row in self.tasks:
            if row.id == task_id:
                return row
        raise KeyError(task_id)

    def at(self, minutes: float) -> datetime | None:
        return None if self.begins is None else self.begins + timedelta(minutes=minutes)


def is_work(task: Task) -> bool:
    """Whether a task is planned: it has a sort, minutes or something that comes first; a note to remember has none of them."""
    return task.sort != "other" or task.minutes is not None or bool(task.after)


def learnt_of(tasks: Sequence[Task]) -> dict[TaskSort, Learnt]:
    """How long each sort of work takes against its figure, from those that were timed: the mean of what they took, in which the figure
    itself counts as so many tasks as `learnt_from` (a mean shrunk towards its prior).
    """
    rows: dict[TaskSort, list[float]] = {}
    for task in tasks:
        if task.done and task.started_at is not None and task.done_at is not None:
            took = (task.done_at - task.started_at).total_seconds() / 60
            if took > 0:
                rows.setdefault(task.sort, []).append(took / usual_minutes(task))
    weight = limit("learnt_from")
    out = {}
    for sort, ratios in rows.items():
        mean = (weight + sum(ratios)) / (weight + len(ratios))
        out[sort] = Learnt(sort, min(max(mean, limit("learnt_least")), limit("learnt_most")), len(ratios))
    return out


def usual_minutes(task: Task) -> float:
    """As it is written, else as is usual for its sort."""
    return task.minutes if task.minutes is not None else minutes_of(USUAL[task.sort])


def plan_work(analysis: Computed, now: datetime | None = None, *, samples: int = SAMPLES) -> WorkPlan:
    """Plans the work of a show: its own tasks, or, where it has none, those that it tells.

    Args:
        now: the clock; before the first of the crew comes, and without one, the plan begins when they come.
    """
    show = analysis.show
    tasks = work_of(analysis)
    told = not any(is_work(row) for row in show.tasks)
    learnt = learnt_of(tasks)
    minutes = {
        row.id: round(usual_minutes(row) * (learnt[row.sort].factor if row.sort in learnt else 1.0), 1) for row in tasks
    }
    begins = _begins(show, now)
    problems = list(_problems(show, tasks))
    jobs = _without_circles(list(_jobs(show, tasks, minutes, begins)), problems)
    found = schedule(jobs, _hands(show, begins), samples=samples) if show.crew else with_hands_enough(jobs)
    problems = [f"{row.text}: {found.unplaced[row.id]}." for row in tasks if row.id in found.unplaced] + problems
    deadline = show.air_at - timedelta(minutes=limit("stand_by_min")) if show.air_at is not None else None
    return WorkPlan(tasks, told, found, begins, deadline, learnt, minutes, tuple(problems))


@dataclass(frozen=True, slots=True)
class Undoable:
    """Work that the crew there is cannot do, at whatever time.

    Attributes:
        why: what it takes, and who there is for it.
        waits: it could be done, and waits for something that cannot.
    """

    task: Task
    why: str
    waits: bool


def work_of(analysis: Computed) -> tuple[Task, ...]:
    """The show's own tasks, or, where it has none, those that it tells."""
    return tuple(row for row in analysis.show.tasks if is_work(row)) or work_told(analysis)


def undoable(show: Show, tasks: Sequence[Task]) -> tuple[Undoable, ...]:
    """What of the work nobody of a show's crew can do, told without planning it; none where the show says nothing of its crew."""
    if not show.crew:
        return ()
    jobs = _without_circles(list(_jobs(show, tasks, {row.id: usual_minutes(row) for row in tasks}, None)), [])
    _, bad = able(Network(tuple(jobs)), _hands(show, None))
    by_id = {row.id: row for row in tasks}
    return tuple(Undoable(by_id[name], row.why, row.waits_for is not None) for name, row in bad.items())


def _begins(show: Show, now: datetime | None) -> datetime | None:
    """When the plan begins. A show of another day is planned from when its crew comes."""
    at = min((row.from_at for row in show.crew if row.from_at is not None), default=None)
    if now is not None and (at is None or now >= at) and (show.air_at is None or now < show.air_at):
        at = now
    elif at is None:
        at = show.air_at - timedelta(hours=limit("begin_before_h")) if show.air_at is not None else now
    return at.astimezone(zone_of(show)) if at is not None else None


def _hands(show: Show, begins: datetime | None) -> list[Hand]:
    out = []
    for row in show.crew:
        from_ = until = None
        if begins is not None:
            from_ = (row.from_at - begins).total_seconds() / 60 if row.from_at is not None else None
            until = (row.until_at - begins).total_seconds() / 60 if row.until_at is not None else None
        out.append(Hand(row.id, max(from_ or 0.0, 0.0), until if until is not None else float("inf")))
    return out


def _jobs(show: Show, tasks: Sequence[Task], minutes: dict[str, float], begins: datetime | None) -> Iterator[Job]:
    done = {row.id for row in tasks if row.done}
    crew = [row.id for row in show.crew]
    for task in tasks:
        if task.done:
            continue
        can = tuple(row.id for row in show.crew if not row.does or task.sort in row.does or task.sort == "other")
        left, begun = minutes[task.id], False
        if task.started_at is not None and begins is not None and task.started_at <= begins:
            left = max(left - (begins - task.started_at).total_seconds() / 60, 1.0)
            begun = True
        who = tuple(name for name in task.who if name in crew)
        people = max(task.people, len(who))
        after = tuple(name for name in task.after if name not in done)
        yield Job(task.id, left, after, people, who, can or ("",), 0.0, begun, task.text)


def _without_circles(jobs: list[Job], problems: list[str]) -> list[Job]:
    """The same with each loop opened where it closes, and told."""
    while circle := circle_in(jobs):
        last = circle[-1]
        problems.append(
            f"{' waits for '.join((*circle, circle[0]))}: planned as if {last} did not wait for {circle[0]}."
        )
        jobs = [
            replace(row, after=tuple(name for name in row.after if name != circle[0])) if row.id == last else row
            for row in jobs
        ]
    return jobs


def _problems(show: Show, tasks: Sequence[Task]) -> Iterator[str]:
    if not show.crew:
        yield "There is no crew: these are the times with hands enough. Say who works, and it is planned."
    names = {row.id: row.name for row in show.crew}
    running = [row for row in tasks if not row.done and row.started_at is not None]
    for one, other in combinations(running, 2):
        both = set(one.who) & set(other.who)
        if both:
            who = ", ".join(sorted(names.get(name, name) for name in both))
            where = ""
            if one.place is not None and other.place is not None and one.place != other.place:
                where = " in two places"
            yield f"{who} is at two tasks at once{where}: {one.text} and {other.text}."
    for task in tasks:
        if task.started_at is not None and task.done_at is not None and task.done_at < task.started_at:
            begun, done = (at.astimezone(zone_of(show)) for at in (task.started_at, task.done_at))
            yield f"{task.text} was done before it was begun: {begun:%H:%M} to {done:%H:%M}."


def drops(analysis: Computed, plan: WorkPlan) -> tuple[Drop, ...]:
    """What could be left out when it is late, the least first: single tasks and few together, until it is in time. None where it is in
    time, or nothing can be dropped.
    """
    late = -(plan.spare_min or 0.0)
    if plan.spare_min is None or late <= 0:
        return ()
    loose = [row for row in plan.tasks if row.can_drop and not row.done and row.started_at is None]
    loose.sort(key=lambda row: -plan.minutes[row.id] * row.people)
    out: list[Drop] = []
    tried = 0
    for count in range(1, MOST_DROPPED + 1):
        for rows in combinations(loose, count):
            if tried == MOST_TRIED:
                break
            tried += 1
            saves = plan.schedule.end - _end_without(analysis, plan, {row.id for row in rows})
            loses = tuple(dict.fromkeys(row.loses or row.text for row in rows))
            if saves > 0.05:
                out.append(Drop(tuple(row.id for row in rows), saves, saves >= late - 1e-6, loses))
        if any(row.in_time for row in out):
            break
    return tuple(sorted(out, key=lambda row: (not row.in_time, len(row.tasks), -row.saves_min)))


def _end_without(analysis: Computed, plan: WorkPlan, gone: set[str]) -> float:
    """When all is done without some tasks; what waited for them waits for what they waited for."""
    show = analysis.show
    rows = {row.id: row for row in plan.tasks}

    def first(names: Sequence[str], seen: frozenset[str]) -> Iterator[str]:
        for name in names:
            if name in gone and name in rows and name not in seen:
                yield from first(rows[name].after, seen | {name})
            elif name not in gone:
                yield name

    kept = [
        row.model_copy(update={"after": tuple(dict.fromkeys(first(row.after, frozenset())))})
        for row in plan.tasks
        if row.id not in gone
    ]
    jobs = _without_circles(list(_jobs(show, kept, plan.minutes, plan.begins)), [])
    try:
        return schedule(jobs, _hands(show, plan.begins), samples=DROP_SAMPLES).end
    except CircleError:
        return plan.schedule.end
