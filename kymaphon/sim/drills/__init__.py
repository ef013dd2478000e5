"""Practice on the simulated rig of a show: drills of growing difficulty, each judged, and held against what an expert would have done.

A drill goes round by round: something is asked, answered, judged, and told how an expert goes about it. Nothing of the show is changed.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from functools import cache

from kymaphon.core.analysis.report import Report
from kymaphon.core.figures import data_table
from kymaphon.sim.drills.asking import by_questions
from kymaphon.sim.drills.base import Drill, Task, strips
from kymaphon.sim.drills.ear import by_ear
from kymaphon.sim.drills.gate import set_gate
from kymaphon.sim.drills.line_up import line_up
from kymaphon.sim.drills.mixes import listeners, mixes


@cache
def _tasks() -> tuple[Task, ...]:
    return tuple(
        Task(row["id"], row["level"], row["name"], row["about"], float(row["seconds"]))
        for row in data_table("prove")["drills"]
    )


def tasks(report: Report) -> tuple[Task, ...]:
    """All drills, the easiest first, each with what this show lacks for it."""
    out = []
    talkers = strips(report)
    for row in _tasks():
        missing = ""
        if row.id in ("line-up", "gate", "ear", "ear-mix") and not talkers:
            missing = "nobody speaks into a channel with a gain"
        elif row.id == "mix-minus" and not listeners(report):
            missing = "nobody hears more than one voice"
        elif row.id == "ear-mix" and not report.listeners:
            missing = "nobody listens"
        elif row.id in ("tap", "tap-two") and not report.voices:
            missing = "there is nothing to tap"
        out.append(Task(row.id, row.level, row.name, row.about, row.seconds, missing))
    return tuple(sorted(out, key=lambda row: row.level))


def begin(report: Report, name: str, seed: int) -> Drill:
    """A drill, ready to be answered; some seconds of computing for a gate. Those by tapping are done on the tap test itself.

    Args:
        seed: which faults, talkers and readings.

    Raises:
        KeyError: there is no such drill here.
        ValueError: the show lacks something for it; the message says what.
    """
    task = next(row for row in tasks(report) if row.id == name) if name in {row.id for row in _tasks()} else None
    if task is None or name not in _MADE:
        raise KeyError(name)
    if task.missing:
        raise ValueError(f"{task.name}: {task.missing}")
    return _MADE[name](report, task, random.Random(seed), seed)


_MADE: dict[str, Callable[[Report, Task, random.Random, int], Drill]] = {
    "line-up": line_up,
    "mix-minus": mixes,
    "ear": by_ear,
    "ear-mix": by_ear,
    "questions": by_questions,
    "gate": set_gate,
}
