"""Active speech level, the pauses left out: ITU-T P.56, method B."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.levels.meter.recursive import one_pole
from kymaphon.core.units import power_to_db

Floats = NDArray[np.float64]
SMOOTHING_S = 0.03
HANGOVER_S = 0.2
MARGIN_DB = 15.9
"""P.56, method B: time constant of the envelope, hangover, and how far the threshold lies below the level."""
THRESHOLDS = 20
"""Halved each time from full scale on: down to -114 dB."""
SLOT_S = 0.001
"""The envelope is followed in slots of a millisecond: P.56 asks for at least 600 values a second."""
SINE_DB = 10 * math.log10(2)
"""AES17: a full-scale sine reads 0 dBFS."""


class SpeechMeter:
    """Takes blocks of one channel in order.

    Raises:
        ValueError: a sample rate below 2 kHz.
    """

    def __init__(self, sample_rate_hz: int) -> None:
        if sample_rate_hz < 2000:
            raise ValueError("speech is told from 2 kHz on")
        self._slot = max(1, round(sample_rate_hz * SLOT_S))
        self._slot_s = self._slot / sample_rate_hz
        pole = math.exp(-self._slot_s / SMOOTHING_S)
        self._smoothing = (one_pole(pole), one_pole(pole))
        self._rest = np.zeros(0)
        self._hang = round(HANGOVER_S / self._slot_s)
        self._levels = 2.0 ** -np.arange(THRESHOLDS)
        self._active = np.zeros(THRESHOLDS)
        self._since = np.full(THRESHOLDS, self._hang)
        self.slots = 0
        self._energy = 0.0
        self._frames = 0

    def add(self, block: NDArray[np.floating]) -> None:
        """The next samples; shape (frames,), full scale 1."""
        if not len(block):
            return
        signal = np.concatenate((self._rest, block)) if len(self._rest) else block
        whole = len(signal) // self._slot
        used = signal[: whole * self._slot]
        self._rest = np.asarray(signal[whole * self._slot :], dtype=np.float64)
        if not whole:
            return
        self._energy += float(np.dot(used, used))
        self._frames += len(used)
        # Slots are short: their sums lose nothing in the signal's own precision, and are made in one sweep.
        envelope = (np.abs(used).reshape(whole, self._slot) @ np.ones(self._slot, used.dtype)).astype(np.float64)
        envelope /= self._slot
        for smooth in self._smoothing:
            envelope = smooth(envelope[:, None])[:, 0]
        self._count(envelope)
        self.slots += whole

    def _count(self, envelope: Floats) -> None:
        """Adds to each threshold's time of activity: the envelope is over it, or was within the hangover."""
        place = np.arange(1, len(envelope) + 1)
        highest, lowest = float(envelope.max()), float(envelope.min())
        for i, level in enumerate(self._levels):
            if level > highest:
                # Nothing reaches it: only the hangover runs out.
                self._active[i] += min(len(envelope), max(0, self._hang - self._since[i] - 1))
                self._since[i] += len(envelope)
                continue
            if level <= lowest:
                self._active[i] += len(envelope)
                self._since[i] = 0
                continue
            over = envelope >= level
            last = np.maximum.accumulate(np.where(over, place, -int(self._since[i])))
            since = place - last
            self._active[i] += np.count_nonzero(since < self._hang) if self._hang else over.sum()
            self._since[i] = int(since[-1])

    @property
    def activity(self) -> float | None:
        """Share of the time in which somebody speaks, 0 to 1; None when no level can be told."""
        found = self._solve()
        return None if found is None else found[1]

    def level_dbfs(self) -> float | None:
        """Active speech level, rms as in AES17; None when there is no sound, or less than a hangover of it."""
        found = self._solve()
        return None if found is None else found[0] + SINE_DB

    def _solve(self) -> tuple[float, float] | None:
        """Level (dB re a mean square of 1) and activity, where the level lies 15.9 dB over the threshold."""
        if self._energy <= 0 or self.slots <= self._hang:
            return None
        mean = self._energy / self._frames
        rows = [
            (power_to_db(mean * self.slots / count), 20 * math.log10(level), count)
            for level, count in zip(self._levels, self._active, strict=True)
            if count > 0
        ]
        # From the lowest threshold up: the first that lies no more than the margin under its level.
        before: tuple[float, float, float] | None = None
        for row in reversed(rows):
            gap = row[0] - row[1]
            if gap <= MARGIN_DB:
                if before is None:
                    return row[0], row[2] / self.slots
                lower = before[0] - before[1]
                part = (MARGIN_DB - lower) / (gap - lower)
                level = before[0] + part * (row[0] - before[0])
                return level, float(min(1.0, mean / 10 ** (level / 10)))
            before = row
        return None
