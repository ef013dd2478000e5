"""What every drill is: a task, rounds that are asked, and answers that are judged."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.analysis.report import Report
from kymaphon.core.dynamics.places import strips_of
from kymaphon.core.graph.ladder import Rung
from kymaphon.core.model.base import NO_SPEECH

Floats = NDArray[np.float64]
Answer = int | frozenset[int] | float
ROUNDS = 3


@dataclass(frozen=True, slots=True)
class Task:
    """A drill that can be chosen.

    Attributes:
        level: 1 to 3, growing.
        seconds: what an expert takes for a step.
        missing: what the show lacks for it; empty where it can be done.
    """

    id: str
    level: int
    name: str
    about: str
    seconds: float
    missing: str = ""


@dataclass(frozen=True)
class Round:
    """Something that is asked.

    Attributes:
        kind: one of the options, all that apply, or a number in `unit`.
        play: gives what is to be heard, shape (sides, frames); None where nothing is.
    """

    prompt: str
    kind: Literal["one", "all", "number"]
    options: tuple[str, ...] = ()
    unit: str = ""
    hint: str = ""
    play: Callable[[], Floats] | None = None


@dataclass(frozen=True, slots=True)
class Feedback:
    """How an answer was, and what an expert says to it."""

    right: bool
    words: str


@dataclass
class Drill:
    """One that is running.

    Attributes:
        round: what is asked now; None when it is over.
        steps: answers given; `right` of them right; `of` how many there are to be right.
        expert_steps: how many an expert needs.
    """

    task: Task
    round: Round | None = None
    steps: int = 0
    right: int = 0
    of: int = 0
    expert_steps: int = 0
    mistakes: list[str] = field(default_factory=list)

    def answer(self, given: Answer) -> Feedback:
        """Judges an answer and goes on to the next round. Raises ValueError: the drill is over."""
        if self.round is None:
            raise ValueError("this drill is over")
        self.steps += 1
        told = self.judge(given)
        self.right += told.right and bool(told.words)  # a part of an answer is not judged
        if not told.right:
            self.mistakes.append(told.words)
        return told

    def judge(self, given: Answer) -> Feedback:
        """What an answer is worth; sets the next round."""
        raise NotImplementedError

    def result(self, seconds: float) -> str:
        """For the log, in a sentence."""
        expert = self.expert_steps * self.task.seconds
        count = f"{self.right} of {self.of} right" if self.of else "ended"
        return (
            f"Practice, {self.task.name[:1].lower()}{self.task.name[1:]}: {count} in {seconds:.0f} s, {self.steps} steps; "
            f"an expert: {self.expert_steps} steps, {expert:.0f} s"
        )


@dataclass(frozen=True, slots=True)
class Strip:
    voice: str
    name: str
    rung: Rung
    step: float


def strips(report: Report) -> list[Strip]:
    """The first channel with a gain of each talker, with its point on the ladder."""
    out = []
    for party in report.voices:
        ladder = report.any_ladder(party.id)
        if party.kind in NO_SPEECH or ladder is None:
            continue
        rungs = {row.node: row for row in ladder.rungs}
        strip = next((row for row in strips_of(report, party.id) if row.gain_db is not None), None)
        if strip is None:
            continue
        rung = rungs[strip.node]
        knob = next((knob for knob in rung.knobs if knob.is_gain), None)
        out.append(Strip(party.id, strip.name, rung, knob.step if knob is not None and knob.step else 1.0))
    return out
