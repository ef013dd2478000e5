"""A gate set by the levels of a voice and its room."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

import numpy as np

from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import show_number
from kymaphon.core.dynamics.design import Design, design
from kymaphon.core.dynamics.evaluation import Trial
from kymaphon.core.dynamics.key import key_of
from kymaphon.core.dynamics.speech import segment_speech
from kymaphon.core.model.processing import Gate
from kymaphon.sim.drills.base import Answer, Drill, Feedback, Round, Task, strips
from kymaphon.sim.rig import SimulatedRig

TAKE_S = 30.0
GATE_TRIES = 3


@dataclass
class SetGate(Drill):
    """Opening threshold, closing threshold and hold; tried on a take of the simulated rig."""

    trial: Trial | None = None
    best: Design | None = None
    name: str = ""
    given: list[float] = field(default_factory=list)

    def judge(self, given: Answer) -> Feedback:
        assert self.trial is not None
        assert self.best is not None
        self.given.append(float(given) if isinstance(given, int | float) else 0.0)
        if len(self.given) < 3:
            self.steps -= 1
            self.ask()
            return Feedback(True, "")
        opens, closes, hold = self.given
        self.given = []
        gate = self.best.gate.with_(
            open_db=min(max(opens, -130.0), 30.0),
            close_db=min(max(min(closes, opens), -140.0), 30.0),
            hold_ms=min(max(hold, 0.0), 5000.0),
        )
        found, best = self.trial.judge(gate), self.best.verdict
        right = not found.words_clipped and found.noise_open_ratio <= max(0.05, 1.5 * best.noise_open_ratio)
        over = right or self.steps >= GATE_TRIES
        words = (
            f"{found.words_clipped} of {found.words} words lose something that is heard, {found.noise_open_ratio:.0%} of the room "
            f"comes through, it opens {found.false_openings} times for nothing."
        )
        if over:
            expert = self.best.gate
            self.round = None
            words += (
                f" An expert: opens at {show_number(expert.open_db, 'dBFS')}, closes at {show_number(expert.close_db, 'dBFS')}, "
                f"holds {expert.hold_ms:.0f} ms; {best.words_clipped} words lose something, {best.noise_open_ratio:.0%} of the room."
            )
        else:
            self.ask()
        return Feedback(right, words)

    def ask(self) -> None:
        """The next of its three figures."""
        assert self.trial is not None
        talk = self.trial.talk
        levels = (
            f"{self.name}: the room's loudest reads {show_number(self.trial.room_loudest_db, 'dBFS')}, speech is at "
            f"{show_number(talk.speech_dbfs, 'dBFS')} on average, {show_number(talk.snr_db, 'dB')} over the room."
        )
        what = ("At which level does the gate open?", "At which level does it close?", "How long does it hold?")
        hints = (
            "Over the room's loudest, under the softest beginnings of words.",
            "Some 5 to 10 dB below the opening, and still over the room.",
            "As long as the gaps inside words.",
        )
        n = len(self.given)
        self.round = Round(f"{levels} {what[n]}", "number", unit="ms" if n == 2 else "dBFS", hint=hints[n])


def set_gate(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    strip = draw.choice(strips(report))
    rate = report.show.sample_rate_hz
    sound = SimulatedRig(rate).play(report, strip.voice, strip.rung.node, seconds=TAKE_S)
    most = float(np.abs(sound).max(initial=0.0))
    if most <= 0:
        raise ValueError(f"{task.name}: nothing comes to {strip.name}")
    talk = segment_speech(key_of((sound * (0.3 / most)).astype(np.float32), rate))
    best = design(talk, like=Gate())
    drill = SetGate(
        task,
        of=1,
        expert_steps=1,
        trial=best.trial,
        best=best,
        name=f"{report.party_name(strip.voice)}, {strip.name}",
    )
    drill.ask()
    return drill
