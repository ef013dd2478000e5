"""Two channels against each other: one silent, one lower, one turned over, one late."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from kymaphon.core.takes.faults.kinds import SoundFault, fault, limit
from kymaphon.core.takes.faults.stretch import Floats, Samples, Stretch

REACH_S = 0.05


@dataclass
class Sides:
    """Listens to a pair; a recording of one channel, or of more than two, is no pair."""

    channels: int
    _squares: Floats = field(init=False)
    _frames: int = 0
    _apart: list[tuple[float, float]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._squares = np.zeros(self.channels)

    def take(self, stretch: Stretch) -> None:
        part = stretch.samples
        self._squares += np.einsum("ij,ij->j", part, part, dtype=np.float64)
        self._frames += len(part)
        if self.channels == 2 and stretch.whole:
            found = between(part[:, 0], part[:, 1], stretch.rate)
            if found is not None:
                self._apart.append(found)

    def found(self) -> Iterator[SoundFault]:
        if self.channels != 2 or not self._frames:
            return
        levels = [10 * math.log10(max(float(row) / self._frames * 2, 1e-15)) for row in self._squares]
        gap = abs(levels[0] - levels[1])
        if max(levels) > limit("side-loud") and gap > limit("side-apart"):
            quiet = 1 + int(levels[1] < levels[0])
            words = f"channel {quiet} lies {gap:.0f} dB under the other"
            yield fault("one-side-silent", "side-apart", gap, words)
            return
        if not self._apart:
            return
        lags, strengths = (np.array([row[k] for row in self._apart]) for k in (0, 1))
        lag, strength = float(np.median(lags)), float(np.median(strengths))
        if strength < -limit("alike"):
            words = f"the channels are alike to {-strength:.2f}, one turned over"
            yield fault("polarity", "alike", -strength, words)
        if abs(strength) > limit("alike") and gap > limit("side-low"):
            quiet = 1 + int(levels[1] < levels[0])
            words = f"channel {quiet} has the same as the other and lies {gap:.1f} dB under it"
            yield fault("one-side-low", "side-low", gap, words)
        if abs(strength) > limit("alike") and abs(lag) > limit("late-ms"):
            later = 2 if lag > 0 else 1
            words = f"channel {later} comes {abs(lag):.2f} ms after the other"
            yield fault("channels-apart", "alike", abs(strength), words)


def between(one: Samples, other: Samples, rate: int) -> tuple[float, float] | None:
    """How late the second channel is in ms, and how alike both are then, -1 to 1; None where one is silent."""
    norm = math.sqrt(float(np.dot(one, one)) * float(np.dot(other, other)))
    if norm < 1e-7 * len(one):
        return None
    # Round the stretch: of four seconds a twentieth at most meets what it does not belong to.
    cross = np.fft.irfft(np.conj(np.fft.rfft(one)) * np.fft.rfft(other), len(one)) / norm
    reach = round(REACH_S * rate)
    lags = np.concatenate((np.arange(reach + 1), np.arange(-reach, 0)))
    values = np.concatenate((cross[: reach + 1], cross[-reach:]))
    best = int(np.argmax(np.abs(values)))
    return 1000 * float(lags[best]) / rate, float(values[best])
