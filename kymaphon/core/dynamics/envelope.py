"""The gate itself: when it opens and closes, the gain that follows, and the sound that comes out.

Stated exactly, in steps of a quarter of a millisecond:

- The detector reads the highest sample (or the rms) of the last `detector_ms` of the key.
- Shut, the gate opens in the first step at which the detector is at or above `open_db`.
- Open, it shuts in the first step at which the detector has been below `close_db` for `hold_ms` and one step.
- Opening, the gain rises in a straight line of amplitude, from all of the range to none in `attack_ms`.
- Shutting, it falls in a straight line of decibels, from none to all of the range in `release_ms`. A gate that mutes
  falls so by `LOWEST_DB`, and is silent from there on.
- Turned round half way, the gain goes on from where it is, at the slope of the other way.
- It begins shut. The sound is delayed by `look_ahead_ms` against the detector.

Nothing here goes sample by sample: thresholds are crossed in arrays, and only the turns are walked.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.dynamics.key import Levels, Signal
from kymaphon.core.model.processing import LOWEST_DB, Gate

Steps = NDArray[np.int64]


@dataclass(frozen=True)
class Turns:
    """When a gate turned: step by step, opened[i] < shut[i] <= opened[i + 1]; the last may be cut off by the end."""

    opened: Steps
    shut: Steps
    steps: int


def turns(levels: Levels, open_db: float, close_db: float, hold_steps: int) -> Turns:
    """When a gate opens and shuts.

    Args:
        levels: the detector in dBFS; shape (steps,).
        hold_steps: the detector may be below `close_db` for as many steps.
    """
    count = len(levels)
    none = np.zeros(0, dtype=np.int64)
    rises, _ = edges(levels >= np.float32(open_db))
    if not len(rises):
        return Turns(none, none, count)
    starts, ends = edges(levels >= np.float32(close_db))
    # Dips that last no longer than the hold are none.
    gaps = starts[1:] - ends[:-1]
    parted = np.flatnonzero(gaps > hold_steps)
    first = starts[np.concatenate(([0], parted + 1))]
    last = np.minimum(ends[np.concatenate((parted, [len(ends) - 1]))] + hold_steps, count)
    # Of each stretch above the lower threshold, the first crossing of the upper one opens the gate.
    place = np.searchsorted(rises, first)
    found = place < len(rises)
    opened = np.where(found, rises[np.minimum(place, len(rises) - 1)], count)
    meant = opened < last
    return Turns(opened[meant], last[meant], count)


def edges(over: NDArray[np.bool_]) -> tuple[Steps, Steps]:
    """Where runs of True begin, and where each has ended."""
    if not len(over):
        none = np.zeros(0, dtype=np.int64)
        return none, none
    change = np.flatnonzero(over[1:] != over[:-1]) + 1
    starts_over = bool(over[0])
    marks = np.concatenate(([0] if starts_over else [], change, [len(over)] if over[-1] else [])).astype(np.int64)
    return marks[0::2], marks[1::2]


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of the gain: from one step to another, from one gain in dB to another.

    Attributes:
        rising: in a straight line of amplitude; falling and level pieces are straight in dB.
    """

    start: float
    end: float
    from_db: float
    to_db: float
    rising: bool = False

    def at(self, step: NDArray[np.float64]) -> NDArray[np.float64]:
        """Gain as amplitude at some steps within it."""
        if self.from_db == self.to_db:
            return np.full(len(step), amplitude(self.from_db))
        part = (step - self.start) / (self.end - self.start)
        if self.rising:
            low, high = amplitude(self.from_db), amplitude(self.to_db)
            return np.asarray(low + (high - low) * part, dtype=np.float64)
        return np.asarray(10 ** ((self.from_db + (self.to_db - self.from_db) * part) / 20), dtype=np.float64)


def amplitude(gain_db: float) -> float:
    """A gain as amplitude; at the bottom of a gate that mutes it is nothing."""
    return 0.0 if gain_db <= -LOWEST_DB else float(10 ** (gain_db / 20))


def pieces(turned: Turns, gate: Gate, step_s: float) -> Iterator[Piece]:
    """The gain from beginning to end, piece by piece, in steps of the detector."""
    floor_db = -gate.range_db
    floor = amplitude(floor_db)
    attack, release = gate.attack_ms / 1000 / step_s, gate.release_ms / 1000 / step_s
    now, gain_db = 0.0, floor_db
    for opened, shut in zip(turned.opened.tolist(), turned.shut.tolist(), strict=True):
        # Shut until here: fall on, then rest.
        yield from _fall(now, float(opened), gain_db, floor_db, release)
        gain_db = _fallen(gain_db, floor_db, opened - now, release)
        level = amplitude(gain_db)
        rise = attack * (1 - level) / (1 - floor) if floor < 1 else 0.0
        top = opened + rise
        if top <= shut:
            if top > opened:
                yield Piece(float(opened), top, gain_db, 0.0, True)
            if shut > top:
                yield Piece(top, float(shut), 0.0, 0.0)
            gain_db = 0.0
        else:
            reached = level + (1 - floor) * (shut - opened) / attack
            reached_db = max(20 * math.log10(reached), floor_db) if reached > 0 else floor_db
            yield Piece(float(opened), float(shut), gain_db, reached_db, True)
            gain_db = reached_db
        now = float(shut)
    yield from _fall(now, float(turned.steps), gain_db, floor_db, release)


def _fallen(gain_db: float, floor_db: float, steps: float, release: float) -> float:
    if release <= 0 or floor_db == 0:
        return floor_db if steps > 0 else gain_db
    return max(floor_db, gain_db + floor_db * steps / release)


def _fall(start: float, end: float, gain_db: float, floor_db: float, release: float) -> Iterator[Piece]:
    if end <= start:
        return
    if release > 0 and gain_db > floor_db:
        bottom = start + release * (gain_db - floor_db) / -floor_db
        if bottom >= end:
            yield Piece(start, end, gain_db, _fallen(gain_db, floor_db, end - start, release))
            return
        yield Piece(start, bottom, gain_db, floor_db)
        start = bottom
    yield Piece(start, end, floor_db, floor_db)


def gain_at(turned: Turns, gate: Gate, step_s: float, step: NDArray[np.float64]) -> NDArray[np.float64]:
    """Gain as amplitude at some steps, which rise; what is before the beginning has the gain there."""
    out = np.full(len(step), amplitude(-gate.range_db))
    for piece in pieces(turned, gate, step_s):
        a, b = np.searchsorted(step, (piece.start, piece.end))
        if b > a:
            out[a:b] = piece.at(step[a:b])
    return out


def passing(
    turned: Turns, gate: Gate, step_s: float, *, at_db: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """When the gain is above `at_db`: where such stretches begin and end, in steps of the sound, not of the detector."""
    ahead = gate.look_ahead_ms / 1000 / step_s
    if gate.range_db <= -at_db:
        return np.zeros(1), np.array([float(turned.steps)])
    starts: list[float] = []
    ends: list[float] = []
    limit = amplitude(at_db)
    for piece in pieces(turned, gate, step_s):
        high, low = max(piece.from_db, piece.to_db), min(piece.from_db, piece.to_db)
        if high <= at_db:
            continue
        start, end = piece.start, piece.end
        if low < at_db:
            length = piece.end - piece.start
            if piece.rising:
                a, b = amplitude(piece.from_db), amplitude(piece.to_db)
                start = piece.start + length * (limit - a) / (b - a)
            else:
                end = piece.start + length * (at_db - piece.from_db) / (piece.to_db - piece.from_db)
        if ends and start <= ends[-1]:
            ends[-1] = end
        else:
            starts.append(start)
            ends.append(end)
    return np.array(starts) - ahead, np.array(ends) - ahead


def render(signal: Signal, turned: Turns, gate: Gate, samples_per_step: int, sample_rate_hz: int) -> Signal:
    """The gated sound, as long as what went in and late by the look-ahead; shape as `signal`, (frames,) or
    (frames, channels).
    """
    late = round(gate.look_ahead_ms / 1000 * sample_rate_hz)
    out = np.zeros_like(signal)
    if late < len(signal):
        out[late:] = signal[: len(signal) - late]
    apply_gain(out, turned, gate, samples_per_step, sample_rate_hz)
    return out


def apply_gain(out: Signal, turned: Turns, gate: Gate, samples_per_step: int, sample_rate_hz: int) -> None:
    """Multiplies a sound, in place, by the gate's gain."""
    last = len(out)
    step_s = samples_per_step / sample_rate_hz
    for piece in pieces(turned, gate, step_s):
        a, b = math.ceil(piece.start * samples_per_step), min(math.ceil(piece.end * samples_per_step), last)
        if piece.end >= turned.steps:
            b = last
        if b <= a:
            continue
        if piece.from_db == piece.to_db:
            if piece.from_db == 0:
                continue
            out[a:b] *= np.float32(amplitude(piece.from_db))
            continue
        gain = piece.at(np.minimum(np.arange(a, b) / samples_per_step, piece.end)).astype(np.float32)
        out[a:b] *= gain if out.ndim == 1 else gain[:, None]


class GateStream:
    """Gates a sound block by block: the same as `render` of all of it, in the memory of a block.

    Args:
        turned: of the whole sound, from its key.
    """

    def __init__(self, turned: Turns, gate: Gate, samples_per_step: int, sample_rate_hz: int) -> None:
        self._turned, self._gate, self._samples = turned, gate, samples_per_step
        self._rows = list(pieces(turned, gate, samples_per_step / sample_rate_hz))
        self._ends = np.array([row.end * samples_per_step for row in self._rows])
        late = round(gate.look_ahead_ms / 1000 * sample_rate_hz)
        self._held = np.zeros(late, dtype=np.float32)
        self._at = 0

    def __call__(self, block: Signal) -> Signal:
        """The next samples, gated and late by the look-ahead; shape (frames,) in and out."""
        joined = np.concatenate((self._held, block))
        out, self._held = joined[: len(block)].copy(), joined[len(block) :]
        first = int(np.searchsorted(self._ends, self._at, side="right"))
        end = self._at + len(out)
        for row in self._rows[first:]:
            start = math.ceil(row.start * self._samples)
            if start >= end:
                break
            last = end if row.end >= self._turned.steps else min(math.ceil(row.end * self._samples), end)
            a, b = max(start, self._at), last
            if b <= a:
                continue
            if row.from_db == row.to_db:
                if row.from_db != 0:
                    out[a - self._at : b - self._at] *= np.float32(amplitude(row.from_db))
                continue
            gain = row.at(np.minimum(np.arange(a, b) / self._samples, row.end))
            out[a - self._at : b - self._at] *= gain.astype(np.float32)
        self._at = end
        return out


def gate_turns(levels: Levels, gate: Gate, step_s: float) -> Turns:
    """When a gate as it is set opens and shuts on a detector's levels."""
    return turns(levels, gate.open_db, gate.close_db, round(gate.hold_ms / 1000 / step_s))
