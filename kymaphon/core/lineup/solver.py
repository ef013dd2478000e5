"""The line-up solver: a mixed-integer convex programme, solved by outer approximation.

First as little over any ceiling as can be, then as near to the marks, then as little noise against speech (Duran and
Grossmann, Mathematical Programming 36, 1986: the convex part is replaced by its tangents where it was looked at; each
integer programme gives a lower bound, each of its answers an upper one, and when they meet nothing better exists).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kymaphon.core.figures import number
from kymaphon.core.lineup.model import Floats, LineUpModel

MOST_ROUNDS = 60
GAP_DB = 0.005
"""Bounds as near as this have met."""


@dataclass(frozen=True, slots=True)
class Solved:
    """Answer of the solver.

    Attributes:
        x: gain of each turn in dB; shape (turns,).
        over_db, off_db, noise_db: of each voice: over its tightest ceiling (0 when below), from its mark, noise
        against speech; shape (voices,).
        gap_db: how much less noise, over all voices, any other answer could have at most.
        rounds: how many integer programmes it took.
    """

    x: Floats
    over_db: Floats
    off_db: Floats
    noise_db: Floats
    gap_db: float
    rounds: int


class _Programme:
    """Variables: steps y of each turn, then of each voice: over a ceiling, from the mark, noise; then each turn's move."""

    def __init__(self, model: LineUpModel) -> None:
        self.model = model
        turns, voices = model.turns, model.voices
        self.n, self.m = len(turns), len(voices)
        self.size = 2 * self.n + 3 * self.m
        self.low = np.array([turn.low for turn in turns])
        self.step = np.array([turn.step for turn in turns])
        self.rows: list[Floats] = []
        self.upper: list[float] = []
        self.most = np.full(self.size, np.inf)
        self.least = np.zeros(self.size)
        self.least[self.n + 2 * self.m : self.n + 3 * self.m] = -np.inf
        self.hold = np.array([turn.hold if turn.held_by else turn.now for turn in turns])
        self.held = {i for i, turn in enumerate(turns) if turn.held_by or turn.positions < 1}
        for i, turn in enumerate(turns):
            self.most[i] = turn.positions
        self._frame()

    def place(self, sort: int, voice: int) -> int:
        """Position of a voice's variable: 0 over, 1 off, 2 noise."""
        return self.n + sort * self.m + voice

    def gain(self, y: Floats) -> Floats:
        """Gains of the turns at some steps; one that is held stays where it is, on a step or not."""
        x = self.low + self.step * np.round(y[: self.n])
        for i in self.held:
            x[i] = self.hold[i]
        return x

    def at_most(self, slopes: Floats, constant: float, *more: tuple[int, float]) -> None:
        """slopes . x + constant + more <= 0, with x in dB."""
        row = np.zeros(self.size)
        constant += float(slopes @ self._base())
        for i in range(self.n):
            if i not in self.held:
                row[i] = slopes[i] * self.step[i]
        for place, factor in more:
            row[place] += factor
        self.rows.append(row)
        self.upper.append(-constant)

    def _base(self) -> Floats:
        base = self.low.copy()
        for i in self.held:
            base[i] = self.hold[i]
        return base

    def _frame(self) -> None:
        now, near = self.model.now, number("mark-near")
        for v, voice in enumerate(self.model.voices):
            for limit in voice.limits:
                self.at_most(limit.slopes, limit.level - limit.most, (self.place(0, v), -1.0))
            if voice.wanted is not None:
                level, slopes = voice.speech
                self.at_most(slopes, level - voice.wanted - near, (self.place(1, v), -1.0))
                self.at_most(-slopes, voice.wanted - level - near, (self.place(1, v), -1.0))
        for i in range(self.n):
            unit = np.zeros(self.n)
            unit[i] = 1.0
            place = self.n + 3 * self.m + i
            self.at_most(unit, -now[i], (place, -1.0))
            self.at_most(-unit, now[i], (place, -1.0))

    def solve(self, cost: Floats) -> tuple[Floats, float]:
        """Steps and value of the least cost. Raises ValueError when the solver gives none."""
        from scipy.optimize import Bounds, LinearConstraint, milp

        whole = np.zeros(self.size)
        whole[: self.n] = 1
        most = self.most.copy()
        for i in self.held:
            most[i] = 0
        # Presolve of HiGHS gives up on one such programme in two thousand (status 4); without it they are solved.
        for presolve in (True, False):
            answer = milp(
                cost,
                integrality=whole,
                bounds=Bounds(self.least, most),
                # A rig without a ceiling, a mark or anything to turn has no rows.
                constraints=LinearConstraint(
                    np.array(self.rows).reshape(-1, self.size), -np.inf, np.array(self.upper)
                ),
                options={"mip_rel_gap": 0.0, "presolve": presolve},
            )
            if answer.x is not None:
                break
        if answer.x is None:
            raise ValueError(f"the line-up has no answer: {answer.message}")
        return np.asarray(answer.x, dtype=np.float64), float(answer.fun)


def solve(model: LineUpModel) -> Solved:
    """The best settings for a model.

    Raises:
        ValueError: the integer programme gave no answer.
    """
    if not model.voices:
        return Solved(model.now, np.zeros(0), np.zeros(0), np.zeros(0), 0.0, 0)
    programme = _Programme(model)
    best = np.zeros(programme.size)
    voices = range(programme.m)
    sorts = np.zeros((3, programme.size))
    for sort in range(3):
        sorts[sort, [programme.place(sort, v) for v in voices]] = 1.0
    for sort in range(2):
        best, value = programme.solve(sorts[sort])
        programme.at_most(
            np.zeros(programme.n),
            -max(0.0, value) - 1e-6,
            *((int(place), 1.0) for place in np.flatnonzero(sorts[sort])),
        )
    return _least_noise(programme, sorts, programme.gain(best))


def _least_noise(programme: _Programme, sorts: Floats, start: Floats) -> Solved:
    model = programme.model
    cost = sorts[2].copy()
    # Of two answers alike, the one that turns less, and early: what is lined up where it comes in stands on the marks of the
    # desk too, and a gain that several share costs more than all of theirs.
    lazy = number("turning-cost") * _lateness(model)
    cost[programme.n + 3 * programme.m :] = lazy
    chosen, lowest, bound, done = start, math.inf, -math.inf, 0
    x = start
    for done in range(1, MOST_ROUNDS + 1):  # noqa: B007 - told in the answer
        value = 0.0
        for v, voice in enumerate(model.voices):
            noise, gradient = voice.noise(x, -number("noise-unheard"))
            if not voice.noises:
                programme.most[programme.place(2, v)] = programme.least[programme.place(2, v)] = 0.0
                continue
            value += noise
            programme.at_most(gradient, noise - float(gradient @ x), (programme.place(2, v), -1.0))
        value += float(lazy @ np.abs(x - model.now))
        if value < lowest:
            lowest, chosen = value, x
        if lowest - bound <= GAP_DB:
            break
        steps, bound = programme.solve(cost)
        x = programme.gain(steps)
    over = np.array([max(0.0, voice.over(chosen)) for voice in model.voices])
    off = np.array([voice.off(chosen) for voice in model.voices])
    hiss = np.array([voice.noise(chosen)[0] for voice in model.voices])
    return Solved(chosen, over, off, hiss, max(0.0, lowest - bound), done)


def _lateness(model: LineUpModel) -> Floats:
    """How much a decibel at each turn counts: 1 at the first gain of a voice, elsewhere twice the voices that it moves."""
    first = set()
    for voice in model.voices:
        known = {
            turn.ref: i for i, turn in enumerate(model.turns) if turn.sort == "gain" and not turn.held_by
        }
        early = next((known[ref] for ref in voice.knobs if ref in known), None)
        if early is not None:
            first.add(early)
    moved = sum(
        (np.asarray(voice.speech[1] != 0, dtype=np.float64) for voice in model.voices),
        np.zeros(len(model.turns)),
    )
    return np.array([1.0 if i in first else 2.0 * max(float(moved[i]), 1.0) for i in range(len(model.turns))])


def recipe(model: LineUpModel) -> Floats:
    """The simple recipe: each voice's first gain is turned until it is on the mark, in its steps and within its range,
    then the next for what is left; ceilings and noise are not looked at.
    """
    x = np.array([turn.hold if turn.held_by else turn.now for turn in model.turns])
    for voice in model.voices:
        if voice.wanted is None:
            continue
        for i, turn in enumerate(model.turns):
            slope = voice.speech[1][i]
            if turn.held_by or turn.sort != "gain" or slope <= 0 or turn.positions < 1:
                continue
            off = voice.off(x)
            wanted = x[i] - off / slope
            stepped = turn.low + round((wanted - turn.low) / turn.step) * turn.step
            x[i] = min(max(stepped, turn.low), turn.high)
            if abs(voice.off(x)) <= turn.step / 2 + 1e-9:
                break
    return x
