"""What a gate listens to: the level of the key in steps of a quarter of a millisecond, and the detectors made of it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Signal = NDArray[np.float32]
Levels = NDArray[np.float32]
STEP_S = 0.00025
"""Decisions are taken this often."""
CHUNK = 1 << 16
"""Samples taken at a time: they stay in the processor's cache."""
STRETCH = 1 << 20
"""Steps of a detector that are made at a time."""
SILENT_DB = -200.0
SINE_DB = 10 * math.log10(2)
"""AES17: the rms of a full-scale sine is 0 dBFS."""


def step_samples(sample_rate_hz: int) -> int:
    """Samples in one step.

    Raises:
        ValueError: a rate not above zero.
    """
    if sample_rate_hz <= 0:
        raise ValueError("a sample rate is above zero")
    return max(1, round(sample_rate_hz * STEP_S))


@dataclass(frozen=True)
class Key:
    """Levels of one channel, step by step.

    Attributes:
        samples: in one step.
        peak: highest magnitude in each step, full scale 1; shape (steps,).
        power: mean square of each step; shape (steps,).
    """

    sample_rate_hz: int
    samples: int
    peak: Levels
    power: Levels

    @property
    def step_s(self) -> float:
        return self.samples / self.sample_rate_hz

    @property
    def seconds(self) -> float:
        return len(self.peak) * self.step_s

    def steps(self, seconds: float) -> int:
        """The nearest whole number of steps, at least none."""
        return max(0, round(seconds / self.step_s))

    def part(self, start_s: float, end_s: float) -> Key:
        """The key between two times."""
        first, last = self.steps(start_s), self.steps(end_s)
        return Key(self.sample_rate_hz, self.samples, self.peak[first:last], self.power[first:last])

    def detector(self, sort: Literal["peak", "rms"] = "peak", window_ms: float = 10.0) -> Levels:
        """Level in dBFS at every step; shape (steps,).

        A peak detector gives the highest sample of the last `window_ms`, an rms detector their rms as in AES17 (a sine
        reads the same on both).
        """
        count = max(1, self.steps(window_ms / 1000))
        out = np.empty(len(self.peak), dtype=np.float32)
        # Stretch by stretch, each with the window before it: an hour's levels stand once in memory, not four times.
        for start in range(0, len(out), STRETCH):
            end, before = start + STRETCH, max(0, start - count + 1)
            if sort == "peak":
                level = _level(sliding_max(self.peak[before:end], count), 20.0)
            else:
                mean = sliding_sum(self.power[before:end], count) / np.float32(count)
                level = _level(mean, 10.0, SINE_DB)
            out[start:end] = level[start - before :]
        return out


def _level(values: Levels, factor: float, more_db: float = 0.0) -> Levels:
    least = np.float32(10 ** (SILENT_DB / factor))
    out: Levels = np.log10(np.maximum(values, least))
    out *= np.float32(factor)
    out += np.float32(more_db)
    return out


def sliding_max(values: Levels, count: int) -> Levels:
    """The highest of the last `count` values, at each; shape as `values`."""
    out, reach = values, 1
    while reach < count:
        step = min(reach, count - reach)
        nxt = out.copy()
        np.maximum(nxt[step:], out[:-step] if step < len(out) else out[:0], out=nxt[step:])
        out, reach = nxt, reach + step
    return out


def sliding_sum(values: Levels, count: int) -> Levels:
    """The sum of the last `count` values at each, made of sums of powers of two: nothing drifts, nothing cancels."""
    out: Levels | None = None
    taken, reach, power = 0, 1, values
    left = count
    while left:
        if left & 1:
            piece = _late(power, taken)
            out = piece.copy() if out is None else out + piece
            taken += reach
        left >>= 1
        if left:
            power = power + _late(power, reach)
            reach *= 2
    return values if out is None else out


def _late(values: Levels, steps: int) -> Levels:
    if not steps:
        return values
    out = np.zeros_like(values)
    if steps < len(values):
        out[steps:] = values[:-steps]
    return out


class KeyMeter:
    """Takes blocks of one channel in order and makes a `Key` of them.

    Args:
        sections: second-order sections that the key passes first, shape (n, 6); None for none.

    Raises:
        ValueError: a rate not above zero.
    """

    def __init__(self, sample_rate_hz: int, sections: NDArray[np.float64] | None = None) -> None:
        self.sample_rate_hz = sample_rate_hz
        self._samples = step_samples(sample_rate_hz)
        self._sections = sections
        self._state = None if sections is None else np.zeros((len(sections), 2))
        self._rest = np.zeros(0, dtype=np.float32)
        self._peak: list[Levels] = []
        self._power: list[Levels] = []
        self._ones = np.ones(self._samples, dtype=np.float32)

    def add(self, block: Signal) -> None:
        """The next samples; shape (frames,), full scale 1."""
        chunk = CHUNK - CHUNK % self._samples
        for start in range(0, len(block), chunk):
            self._add(block[start : start + chunk])

    def _add(self, block: Signal) -> None:
        if self._sections is not None:
            from scipy.signal import sosfilt

            block, self._state = sosfilt(self._sections, block, zi=self._state)
            block = block.astype(np.float32)
        if len(self._rest):
            block = np.concatenate((self._rest, block))
        whole = len(block) // self._samples
        used = block[: whole * self._samples].reshape(whole, self._samples)
        self._rest = np.array(block[whole * self._samples :], dtype=np.float32)
        if not whole:
            return
        # Column by column: a maximum along so short a row would cost more in starting than in comparing.
        columns = np.abs(used.T)
        highest = columns[0].copy()
        for column in columns[1:]:
            np.maximum(highest, column, out=highest)
        self._peak.append(highest)
        self._power.append(np.asarray((used * used) @ self._ones / np.float32(self._samples), dtype=np.float32))

    def result(self) -> Key:
        """The key of what was taken, once; samples that fill no whole step at the end are left out."""
        return Key(self.sample_rate_hz, self._samples, _joined(self._peak), _joined(self._power))


def _joined(pieces: list[Levels]) -> Levels:
    """The pieces one after the other; each is let go once it is copied."""
    out = np.empty(sum(len(row) for row in pieces), dtype=np.float32)
    end = len(out)
    while pieces:
        last = pieces.pop()
        out[end - len(last) : end] = last
        end -= len(last)
    return out


def key_of(blocks: Iterable[Signal] | Signal, sample_rate_hz: int, sections: NDArray[np.float64] | None = None) -> Key:
    """The key of one channel, from blocks of it or from all of it.

    Raises:
        ValueError: a rate not above zero.
    """
    meter = KeyMeter(sample_rate_hz, sections)
    for block in (blocks,) if isinstance(blocks, np.ndarray) else blocks:
        meter.add(np.asarray(block, dtype=np.float32))
    return meter.result()
