"""Mixes: who must be in what each listener hears."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

from kymaphon.core.analysis.report import Report
from kymaphon.core.model.wants import wants_of
from kymaphon.sim.drills.base import ROUNDS, Answer, Drill, Feedback, Round, Task


def listeners(report: Report) -> list[tuple[str, frozenset[int]]]:
    """Listeners with some wants, and which voices (by number) they must hear."""
    wants, voices = wants_of(report.show), [row.id for row in report.voices]
    out = []
    for party in report.listeners:
        hear = frozenset(
            n for n, voice in enumerate(voices) if (row := wants.get((party.id, voice))) and row.want == "hear"
        )
        if hear:
            out.append((party.id, hear))
    return out


@dataclass
class Mixes(Drill):
    """For each listener: which voices have to be in what they hear."""

    report: Report | None = None
    rows: list[tuple[str, frozenset[int], frozenset[int]]] = field(default_factory=list)

    def judge(self, given: Answer) -> Feedback:
        assert self.report is not None
        listener, hear, may = self.rows[self.steps - 1]
        chosen = given if isinstance(given, frozenset) else frozenset()
        voices = [row.id for row in self.report.voices]
        wrong = sorted((chosen - hear - may) | (hear - chosen))
        name = self.report.party_name(listener)
        own = voices.index(listener) if listener in voices else -1
        words = []
        for n in wrong:
            voice = self.report.party_name(voices[n])
            if n == own:
                words.append(f"{voice} must not get themselves back: their own voice, late, stops speech (mix-minus)")
            elif n in hear:
                words.append(f"{voice} is wanted and missing")
            else:
                words.append(f"{voice} is not wanted there")
        self.ask()
        text = "; ".join(words) if words else f"that is what {name} has to hear"
        return Feedback(not wrong, f"{name}: {text}.")

    def ask(self) -> None:
        """The next listener, or nobody any more."""
        if self.steps >= len(self.rows) or self.report is None:
            self.round = None
            return
        listener = self.rows[self.steps][0]
        names = tuple(row.name for row in self.report.voices)
        party = next(row for row in self.report.show.parties if row.id == listener)
        self.round = Round(
            f"What goes to {party.name} ({party.kind.replace('-', ' ')})? Choose all that they have to hear.",
            "all",
            names,
            hint="Space or the number puts a voice in or out, Enter is done.",
        )


def mixes(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    wants, voices = wants_of(report.show), [row.id for row in report.voices]
    rows = []
    found = listeners(report)
    for listener, hear in draw.sample(found, min(ROUNDS, len(found))):
        may = frozenset(
            n
            for n, voice in enumerate(voices)
            if (row := wants.get((listener, voice))) is not None and row.want not in ("hear", "never")
        )
        rows.append((listener, hear, may - {voices.index(listener)} if listener in voices else may))
    drill = Mixes(task, of=len(rows), expert_steps=len(rows), report=report, rows=rows)
    drill.ask()
    return drill
