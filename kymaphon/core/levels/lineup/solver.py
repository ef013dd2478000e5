"""The line-up solver: a mixed-integer convex programme, solved by outer approximation.

First as little clipping as can be, then as little outside of what the marks let pass, then as little over any ceiling with
what talkers gain on warming up, then as near to the marks, then as little noise against speech (Duran and Grossmann,
Mathematical Programming 36, 1986: the convex part is replaced by its tangents where it was looked at; each integer
programme gives a lower bound, each of its answers an upper one, and when they meet nothing better exists).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kymaphon.core.figures import number
from kymaphon.core.levels.lineup.model import Floats, LineUpModel, peak_growth

MOST_ROUNDS = 60
GAP_DB = 0.005
"""Bounds as near as this have met."""
OVER, OFF, NOISE, CLIP, STRAYED = range(5)
ORDER = (CLIP, STRAYED, OVER, OFF)
"""What is made least one after the other, before the noise."""


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
    """Variables: steps y of each turn, then of each voice: over a ceiling once warm, from the mark, noise, over a ceiling today,
    outside of what the mark lets pass; then each turn's move.
    """

    def __init__(self, model: LineUpModel) -> None:
        self.model = model
        turns, voices = model.turns, model.voices
        self.n, self.m = len(turns), len(voices)
        self.moves = self.n + (len(ORDER) + 1) * self.m
        self.size = self.moves + self.n
        self.low = np.array([turn.low for turn in turns])
        self.step = np.array([turn.step for turn in turns])
        self.rows: list[Floats] = []
        self.upper: list[float] = []
        self.most = np.full(self.size, np.inf)
        self.least = np.zeros(self.size)
        self.least[self.place(NOISE, 0) : self.place(NOISE + 1, 0)] = -np.inf
        self.hold = np.array([turn.hold if turn.held_by else turn.now for turn in turns])
        self.held = {i for i, turn in enumerate(turns) if turn.held_by or turn.positions < 1}
        for i, turn in enumerate(turns):
            self.most[i] = turn.positions
        self._frame()

    def place(self, sort: int, voice: int) -> int:
        """Position of a voice's variable of a sort, as `OVER`."""
        return self.n + sort * self.m + voice

    @property
    def stays(self) -> Floats:
        """Gains as they stand; of what is held, where it is held."""
        x = self.model.now
        for i in self.held:
            x[i] = self.hold[i]
        return x

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
        now = self.model.now
        for v, voice in enumerate(self.model.voices):
            growth = peak_growth(voice).value
            for limit in voice.limits:
                over = limit.level - limit.most
                self.at_most(limit.slopes, over, (self.place(OVER, v), -1.0))
                self.at_most(limit.slopes, over - growth, (self.place(CLIP, v), -1.0))
            if voice.wanted is not None:
                level, slopes = voice.speech
                near, far = voice.near_db, max(voice.tolerance_db, voice.near_db)
                for sort, free in ((OFF, near), (STRAYED, far)):
                    self.at_most(slopes, level - voice.wanted - free, (self.place(sort, v), -1.0))
                    self.at_most(-slopes, voice.wanted - level - free, (self.place(sort, v), -1.0))
        for i in range(self.n):
            unit = np.zeros(self.n)
            unit[i] = 1.0
            place = self.moves + i
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
                constraints=LinearConstraint(np.array(self.rows).reshape(-1, self.size), -np.inf, np.array(self.upper)),
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
    sorts = np.zeros((len(ORDER) + 1, programme.size))
    for sort in range(len(sorts)):
        sorts[sort, [programme.place(sort, v) for v in voices]] = 1.0
    least: list[float] = []
    for sort in ORDER:
        best, value = programme.solve(sorts[sort])
        least.append(max(0.0, value))
        programme.at_most(
            np.zeros(programme.n),
            -max(0.0, value) - 1e-6,
            *((int(place), 1.0) for place in np.flatnonzero(sorts[sort])),
        )
    found = _least_noise(programme, sorts, programme.gain(best))
    as_it_is = _told(model, programme.stays, found.gap_db, found.rounds)
    return as_it_is if _as_good(model, least, as_it_is, found) else found


def _as_good(model: LineUpModel, least: list[float], as_it_is: Solved, found: Solved) -> bool:
    """Whether what stands needs no turning: nothing can be better but the noise, and of that less than is heard side by side."""
    x = as_it_is.x
    worth = (
        sum(max(0.0, voice.clip(x)) for voice in model.voices),
        sum(voice.strayed(x) for voice in model.voices),
        as_it_is.over_db.sum(),
        sum(voice.missed(x) for voice in model.voices),
    )
    right = all(now <= best + 1e-4 for now, best in zip(worth, least, strict=True))
    unheard = -number("noise-unheard")
    won = np.maximum(as_it_is.noise_db, unheard) - np.maximum(found.noise_db, unheard)
    return right and bool(np.all(won < number("worth-little")))


def _told(model: LineUpModel, x: Floats, gap_db: float, rounds: int) -> Solved:
    over = np.array([max(0.0, voice.over(x)) for voice in model.voices])
    off = np.array([voice.off(x) for voice in model.voices])
    noise = np.array([voice.noise(x)[0] for voice in model.voices])
    return Solved(x, over, off, noise, gap_db, rounds)


def _least_noise(programme: _Programme, sorts: Floats, start: Floats) -> Solved:
    model = programme.model
    cost = sorts[NOISE].copy()
    # Of two answers alike, the one that turns less, and early: what is lined up where it comes in stands on the marks of the
    # desk too, and a gain that several share costs more than all of theirs.
    lazy = number("turning-cost") * _lateness(model)
    cost[programme.moves :] = lazy
    chosen, lowest, bound, done = start, math.inf, -math.inf, 0
    x = start
    for done in range(1, MOST_ROUNDS + 1):  # noqa: B007 - told in the answer
        value = 0.0
        for v, voice in enumerate(model.voices):
            noise, gradient = voice.noise(x, -number("noise-unheard"))
            if not voice.noises:
                programme.most[programme.place(NOISE, v)] = programme.least[programme.place(NOISE, v)] = 0.0
                continue
            value += noise
            programme.at_most(gradient, noise - float(gradient @ x), (programme.place(NOISE, v), -1.0))
        value += float(lazy @ np.abs(x - model.now))
        if value < lowest:
            lowest, chosen = value, x
        if lowest - bound <= GAP_DB:
            break
        steps, bound = programme.solve(cost)
        x = programme.gain(steps)
    return _told(model, chosen, max(0.0, lowest - bound), done)


def _lateness(model: LineUpModel) -> Floats:
    """How much a decibel at each turn counts: 1 at the first gain of a voice, elsewhere twice the voices that it moves."""
    first = set()
    for voice in model.voices:
        known = {turn.ref: i for i, turn in enumerate(model.turns) if turn.sort == "gain" and not turn.held_by}
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
            x[i] = turn.snap(x[i] - off / slope)
            if abs(voice.off(x)) <= turn.step / 2 + 1e-9:
                break
    return x
