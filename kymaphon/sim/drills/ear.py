"""Faults named by ear: in one channel, or in what a listener hears."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from kymaphon.core.analysis.report import Report
from kymaphon.core.prove.faults import Fault, audible_faults, sorts
from kymaphon.sim.drills.base import ROUNDS, Answer, Drill, Feedback, Floats, Round, Task, strips
from kymaphon.sim.playing import ShowPlayer

HEARD_S = 6.0
BY_EAR = (
    "hum",
    "dimmer-buzz",
    "telephone-burst",
    "wireless-wash",
    "broken-strand",
    "dropped-samples",
    "gate-high",
)
"""Faults that are told apart by ear in one channel."""


@dataclass
class ByEar(Drill):
    """What is heard: which of six faults is it."""

    rows: list[tuple[str, str, Callable[[], Floats]]] = field(default_factory=list)
    names: tuple[str, ...] = ()

    def judge(self, given: Answer) -> Feedback:
        sort, where, _ = self.rows[self.steps - 1]
        row = sorts()[sort]
        right = given == self.names.index(sort)
        self.ask()
        return Feedback(right, f"It was {row.name}, {where}: {row.sounds}. {row.cure}")

    def ask(self) -> None:
        """The next sound, or none any more."""
        if self.steps >= len(self.rows):
            self.round = None
            return
        _, where, play = self.rows[self.steps]
        options = tuple(f"{sorts()[name].name}: {sorts()[name].sounds}" for name in self.names)
        self.round = Round(f"Listen: {where}. What is wrong?", "one", options, hint="P plays it again.", play=play)


def by_ear(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    by_place: dict[tuple[str, str], Fault] = {}
    for fault in audible_faults(report):
        by_place[fault.sort, fault.id.partition(":")[2]] = fault
    rows: list[tuple[str, str, Callable[[], Floats]]] = []
    there: set[str] = set()
    places = []
    for strip in strips(report):
        place = strip.rung.node.removesuffix(":pre")
        found = [sort for sort in BY_EAR if (sort, place) in by_place]
        there.update(found)
        if found:
            places.append((strip, place, found))
    names = tuple(sort for sort in BY_EAR if sort in there)[:6]
    whole = task.id == "ear-mix"
    sorts_left = list(names)
    draw.shuffle(sorts_left)
    for number, sort in enumerate(sorts_left[:ROUNDS]):
        strip, place, _ = draw.choice([row for row in places if sort in row[2]])
        fault = by_place[sort, place]
        if whole:
            listener = draw.choice([row.id for row in report.listeners if _hears(report, row.id, strip.voice)] or [""])
            if not listener:
                continue
            nodes, where = report.graph.ears[listener], f"what {report.party_name(listener)} hears"
        else:
            nodes, where = (report.graph.index[strip.rung.node],), f"{strip.name} alone"
        rows.append((sort, where, partial(_heard, report, tuple(nodes), fault, seed + number)))
    if not rows:
        raise ValueError(f"{task.name}: no fault of this rig is heard there")
    drill = ByEar(task, of=len(rows), expert_steps=len(rows), rows=rows, names=names)
    drill.ask()
    return drill


def _hears(report: Report, listener: str, voice: str) -> bool:
    row = report.feeds.get((listener, voice))
    return row is not None and row.path is not None


def _heard(report: Report, nodes: tuple[int, ...], fault: Fault, seed: int) -> Floats:
    """A fault as it sounds at some points, at one peak; shape (sides, frames)."""
    rate = report.show.sample_rate_hz
    player = ShowPlayer(report, sample_rate_hz=rate, seed=seed, faults=(fault,))
    sound = player.at(nodes, HEARD_S + 1.0)[:, rate:]
    most = float(np.abs(sound).max(initial=0.0))
    return np.asarray(sound / most) if most > 0 else sound
