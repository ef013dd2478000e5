"""Lining up: a reading and a mark for each talker."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import show_number
from kymaphon.sim.drills.base import Answer, Drill, Feedback, Round, Strip, Task, strips

MOST_TALKERS = 6
CLOSE_DB = 1.0
"""A gain that is right to a decibel is right."""
FARTHEST_DB = 20


@dataclass
class LineUp(Drill):
    """A reading and a mark for each talker: by how much is the gain turned."""

    rows: list[tuple[str, Strip, float, float]] = field(default_factory=list)

    def judge(self, given: Answer) -> Feedback:
        name, strip, reading, mark = self.rows[self.steps - 1]
        wanted = mark - reading
        turned = round(wanted / strip.step) * strip.step
        right = isinstance(given, int | float) and abs(float(given) - turned) <= max(CLOSE_DB, strip.step / 2)
        words = (
            f"{show_number(turned, 'dB', sign=True)}: the mark less the reading, {show_number(mark, strip.rung.unit)} less "
            f"{show_number(reading, strip.rung.unit)}; the control goes in steps of {strip.step:g} dB"
        )
        self.ask()
        return Feedback(right, f"{name}: {words}.")

    def ask(self) -> None:
        """The next talker, or nobody any more."""
        if self.steps >= len(self.rows):
            self.round = None
            return
        name, strip, reading, mark = self.rows[self.steps]
        unit = strip.rung.unit
        self.round = Round(
            f"{name}, {strip.name}: the meter reads {show_number(reading, unit)}, the mark is {show_number(mark, unit)}. "
            "By how much do you turn the gain?",
            "number",
            unit="dB",
            hint="Plus for more, minus for less.",
        )


def line_up(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    rows = []
    there = strips(report)
    for strip in draw.sample(there, min(MOST_TALKERS, len(there))):
        mark = round(strip.rung.wanted.average if strip.rung.wanted is not None else strip.rung.speech_db)
        off = draw.choice([row for row in range(-FARTHEST_DB, FARTHEST_DB + 1) if abs(row) >= 3])
        rows.append((report.party_name(strip.voice), strip, float(mark + off), float(mark)))
    drill = LineUp(task, of=len(rows), expert_steps=len(rows), rows=rows)
    drill.ask()
    return drill
