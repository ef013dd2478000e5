"""What happens to single samples: flat tops, gaps of nothing, clicks; and a constant offset."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np

from kymaphon.core.takes.faults.kinds import SoundFault, fault, limit, often
from kymaphon.core.takes.faults.stretch import Floats, Samples, Stretch
from kymaphon.core.words import counted

FULL = 0.985
"""Flat tops from here on are at full scale."""


@dataclass
class Tops:
    """Listens for clipping, at full scale or below it, where something before the recorder clipped."""

    _flat: list[tuple[float, float, int]] = field(default_factory=list)

    def take(self, stretch: Stretch) -> None:
        for row in stretch.samples.T:
            self._flat += flat_runs(row, stretch.start_s, stretch.rate)

    def found(self) -> Iterator[SoundFault]:
        full = [row for row in self._flat if row[1] >= FULL]
        below = [row for row in self._flat if row[1] < FULL]
        if len(full) >= limit("flat-runs"):
            words = f"{len(full)} flat tops at full scale, the longest of {max(row[2] for row in full)} samples"
            yield fault("clipping", "flat-runs", len(full), words, sorted(row[0] for row in full))
        if len(below) >= limit("flat-runs"):
            level = 20 * math.log10(float(np.median([row[1] for row in below])))
            words = (
                f"{len(below)} flat tops at {level:.1f} dBFS, below full scale: something before the recorder clipped"
            )
            yield fault("clipping-before", "flat-runs", len(below), words, sorted(row[0] for row in below))


@dataclass
class Gaps:
    """Listens for dropped samples."""

    _at: list[float] = field(default_factory=list)

    def take(self, stretch: Stretch) -> None:
        for row in stretch.samples.T:
            self._at += gaps(row, stretch.start_s, stretch.rate)

    def found(self) -> Iterator[SoundFault]:
        marks = sorted(set(self._at))
        if len(marks) >= limit("gaps"):
            words = f"{counted(len(marks), 'gap')} of nothing at all in the middle of sound"
            yield fault("dropped-samples", "gaps", len(marks), words, marks)


@dataclass
class Clicks:
    """Listens for jumps that last less than a millisecond: a lead that breaks contact now and then, or a clock that slips evenly."""

    _at: list[tuple[float, float]] = field(default_factory=list)
    _seconds: float = 0.0

    def take(self, stretch: Stretch) -> None:
        self._seconds += len(stretch.mono) / stretch.rate
        self._at += clicks(stretch.mono, stretch.start_s, stretch.rate)

    def found(self) -> Iterator[SoundFault]:
        marks = [row[0] for row in self._at]
        if not often("clicks", marks, self._seconds):
            return
        over = float(np.median([row[1] for row in self._at]))
        every = evenly(marks)
        words = f"{counted(len(marks), 'click')} in {self._seconds:.0f} s, half of them {over:.0f} dB and more over what is around"
        if every is not None:
            words += f"; one every {every:.3f} s or a multiple of it: a clock"
        yield fault("clicks" if every is not None else "crackle", "clicks", len(marks), words, marks)


@dataclass
class Offset:
    """Adds up each channel's mean."""

    channels: int
    _sums: Floats = field(init=False)
    _frames: int = 0

    def __post_init__(self) -> None:
        self._sums = np.zeros(self.channels)

    def take(self, stretch: Stretch) -> None:
        self._sums += stretch.samples.sum(axis=0, dtype=np.float64)
        self._frames += len(stretch.samples)

    def found(self) -> Iterator[SoundFault]:
        means = self._sums / max(self._frames, 1)
        worst = int(np.argmax(np.abs(means)))
        level = 20 * math.log10(max(abs(float(means[worst])), 1e-9))
        if level > limit("dc-level"):
            words = f"channel {worst + 1} stands {level:.1f} dBFS off its middle"
            yield fault("dc", "dc-level", level, words)


def evenly(marks: Sequence[float]) -> float | None:
    """How far apart marks are that come evenly, some of them missed; None where they do not.

    >>> evenly([1.0, 2.5, 4.0, 7.0, 8.5, 10.0])
    1.5
    """
    if len(marks) < 5:
        return None
    apart = np.diff(np.asarray(marks, dtype=np.float64))
    every = float(np.median(apart))
    turns = np.round(apart / every)
    if turns.min() < 1 or float(np.abs(apart - turns * every).max()) > 0.01 * every + 0.002:
        return None
    return round(float((marks[-1] - marks[0]) / turns.sum()), 4)


def flat_runs(signal: Samples, start: float, rate: int) -> list[tuple[float, float, int]]:
    """Flat tops: where, how high, how long. Four samples or more alike, at the very peak of the stretch or within a fiftieth of it."""
    size = np.abs(signal)
    top = float(size.max(initial=0.0))
    if top < 0.02:
        return []
    high = np.flatnonzero(
        (size[1:] == size[:-1]) & (np.sign(signal[1:]) == np.sign(signal[:-1])) & (size[1:] > 0.98 * top)
    )
    if not len(high):
        return []
    parts = np.split(high, np.flatnonzero(np.diff(high) > 1) + 1)
    return [(start + int(row[0]) / rate, float(size[row[0]]), len(row) + 1) for row in parts if len(row) >= 3]


def gaps(signal: Samples, start: float, rate: int) -> list[float]:
    """Stretches of exact nothing, from a millisecond to a fifth of a second, that sound breaks off into and comes back from at once."""
    zero, least = np.flatnonzero(signal == 0.0), max(4, rate // 1000)
    if len(zero) < least:
        return []
    out = []
    near = max(4, rate // 500)
    for row in np.split(zero, np.flatnonzero(np.diff(zero) > 1) + 1):
        if not least <= len(row) <= max(least, rate // 5):
            continue
        before, after = signal[max(0, row[0] - near) : row[0]], signal[row[-1] + 1 : row[-1] + 1 + near]
        loud = [float(np.sqrt(np.mean(part**2))) if len(part) == near else 0.0 for part in (before, after)]
        # Sound that fades away into silence is small at its end; what is cut off is not.
        ends = (
            abs(float(signal[row[0] - 1])) if row[0] else 0.0,
            abs(float(signal[row[-1] + 1])) if row[-1] + 1 < len(signal) else 0.0,
        )
        if min(loud) > 0.004 and max(ends) > 0.3 * min(loud):
            out.append(start + int(row[0]) / rate)
    return out


def clicks(signal: Floats, start: float, rate: int) -> list[tuple[float, float]]:
    """Jumps: where, and how far over what is around, in dB.

    A click stands alone: the second difference in a third of a millisecond is far over that of the 20 ms around, and at once
    gone again. A plosive's burst goes on; a voice's pulses come one after the other.
    """
    block = max(2, rate // 3000)
    bend = np.abs(np.diff(signal, 2))
    count = len(bend) // block
    if count < 200:
        return []
    tops = bend[: count * block].reshape(count, block).max(axis=1)
    reach = round(0.010 * rate / block)
    # The highest near it, itself and its neighbours left out: one more click close by does not hide it if it is the third highest.
    wide = np.lib.stride_tricks.sliding_window_view(np.pad(tops, reach, constant_values=0.0), 2 * reach + 1)
    some = np.flatnonzero((tops > 1e-4) & (tops >= wide.max(axis=1)))
    out: list[tuple[float, float]] = []
    for at in some:
        around = np.delete(wide[at], slice(reach - 1, reach + 2))
        near = float(np.partition(around, -3)[-3])
        over = 20 * math.log10(float(tops[at]) / max(near, 1e-9))
        if over >= limit("click-over") and (not out or start + at * block / rate - out[-1][0] > 0.01):
            out.append((start + at * block / rate, over))
    return out
