"""Meters with a needle: the VU meter, the two quasi-peak meters, and a running rms. One channel, block by block.

Each reads a steady sine at its level in dBFS (AES17); what a scale prints there is `scales`' affair.
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.units import amplitude_to_db, power_to_db

Floats = NDArray[np.float64]
RECTIFIED_SINE = math.pi / 2
"""Peak of a sine over the mean of it rectified."""
VU_TIME_S = 0.3
VU_REACHED = 0.99
VU_OVERSHOOT = 0.0125
"""IEC 60268-17: 99 % of the final reading after 300 ms, with 1 to 1.5 % of overshoot."""
SLOT_S = 0.001


class VuMeter:
    """Volume indicator, IEC 60268-17: mean of the rectified signal, moved by a needle of second order.

    Attributes:
        highest_dbfs: highest reading so far; None before any sound.
    """

    def __init__(self, sample_rate_hz: int) -> None:
        from scipy.signal import bilinear, lfilter

        self._filter = lfilter
        self._slot = max(1, round(sample_rate_hz * SLOT_S))
        omega, damping = vu_needle()
        b, a = bilinear([omega**2], [1, 2 * damping * omega, omega**2], fs=sample_rate_hz / self._slot)
        self._b, self._a = b, a
        self._state = np.zeros(2)
        self._rest = np.zeros(0)
        self._now = 0.0
        self._highest = 0.0

    def add(self, block: NDArray[np.floating]) -> None:
        """The next samples; shape (frames,), full scale 1."""
        means, self._rest = _slot_means(np.abs(block), self._rest, self._slot)
        if len(means):
            needle, self._state = self._filter(self._b, self._a, means, zi=self._state)
            self._now = max(float(needle[-1]), 0.0)
            self._highest = max(self._highest, float(needle.max()))

    @property
    def dbfs(self) -> float | None:
        """Where the needle stands now."""
        return amplitude_to_db(self._now * RECTIFIED_SINE) if self._now > 0 else None

    @property
    def highest_dbfs(self) -> float | None:
        return amplitude_to_db(self._highest * RECTIFIED_SINE) if self._highest > 0 else None


@cache
def vu_needle() -> tuple[float, float]:
    """Natural angular frequency (1/s) and damping of the needle that IEC 60268-17 asks for."""
    log = math.log(VU_OVERSHOOT)
    damping = -log / math.sqrt(math.pi**2 + log**2)
    swing = math.sqrt(1 - damping**2)

    def reached(x: float) -> float:
        return 1 - math.exp(-damping * x) * (math.cos(swing * x) + damping / swing * math.sin(swing * x))

    low, high = 0.0, math.pi / swing
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if reached(middle) < VU_REACHED else (low, middle)
    return low / VU_TIME_S, damping


def _slot_means(signal: NDArray[np.floating], rest: Floats, slot: int) -> tuple[Floats, Floats]:
    """Means over slots of some samples, and what is left over for the next block."""
    joined = np.concatenate((rest, signal)) if len(rest) else np.asarray(signal, dtype=np.float64)
    whole = len(joined) // slot
    means: Floats = joined[: whole * slot].reshape(whole, slot).mean(axis=1)
    return means, joined[whole * slot :].astype(np.float64)


@dataclass(frozen=True, slots=True)
class QuasiPeakType:
    """One of the two programme meters of IEC 60268-10.

    Attributes:
        charge_s: time constants of the stores that the rectified signal charges.
        shares: of each store in the reading; they sum to 1.
        fall_db_per_s: how fast the reading returns.
    """

    charge_s: tuple[float, ...]
    shares: tuple[float, ...]
    fall_db_per_s: float


QUASI_PEAK: dict[Literal["I", "II"], QuasiPeakType] = {
    "I": QuasiPeakType((0.00153,), (1.0,), 20 / 1.7),
    "II": QuasiPeakType((0.00162, 0.0134), (0.8, 0.2), 24 / 2.8),
}
"""Fitted to the standard's tone bursts (the tests hold them against its table and tolerances); fall: 20 dB in 1.7 s,
24 dB in 2.8 s.
"""
CHUNK_S = 0.01


class QuasiPeakMeter:
    """Programme meter: stores that a rectifier charges quickly and that empty slowly.

    Attributes:
        highest_dbfs: highest reading so far; None before any sound.
    """

    def __init__(self, sample_rate_hz: int, kind: Literal["I", "II"] = "II") -> None:
        row = QUASI_PEAK[kind]
        self._charge = [1 - math.exp(-1 / (sample_rate_hz * time)) for time in row.charge_s]
        self._shares = row.shares
        self._fall = 10 ** (-row.fall_db_per_s / 20 / sample_rate_hz)
        self._chunk = max(1, round(sample_rate_hz * CHUNK_S))
        self._stores = [0.0] * len(row.shares)
        self._highest = 0.0
        # What the stores settle at under a steady sine of 1, so that it reads its level.
        self._steady = 1.0
        time = np.arange(round(sample_rate_hz * 0.25)) / sample_rate_hz
        self.add(np.sin(2 * np.pi * min(1000.0, sample_rate_hz / 8) * time))
        self._steady = self._highest
        self._stores, self._highest = [0.0] * len(row.shares), 0.0

    def add(self, block: NDArray[np.floating]) -> None:
        """The next samples; shape (frames,), full scale 1."""
        signal = np.abs(block)
        for start in range(0, len(signal), self._chunk):
            self._add_chunk(signal[start : start + self._chunk])

    def _add_chunk(self, signal: NDArray[np.floating]) -> None:
        """Only samples above what the stores will at least still hold can charge one; between them they fall."""
        fall, shares, charge, stores = self._fall, self._shares, self._charge, self._stores
        floor = min(stores) * fall ** len(signal)
        places = np.flatnonzero(signal > floor)
        last = -1
        for place, value in zip(places.tolist(), signal[places].tolist(), strict=True):
            fallen = fall ** (place - last)
            last = place
            for i, held in enumerate(stores):
                held *= fallen
                stores[i] = held + (value - held) * charge[i] if value > held else held
            self._highest = max(self._highest, sum(share * held for share, held in zip(shares, stores, strict=True)))
        fallen = fall ** (len(signal) - 1 - last)
        self._stores = [held * fallen for held in stores]

    def _told(self, value: float) -> float | None:
        return amplitude_to_db(value / self._steady) if value > 0 else None

    @property
    def dbfs(self) -> float | None:
        """What it reads now."""
        return self._told(sum(share * held for share, held in zip(self._shares, self._stores, strict=True)))

    @property
    def highest_dbfs(self) -> float | None:
        return self._told(self._highest)


class RmsMeter:
    """Running rms over a window, AES17: a full-scale sine reads 0 dBFS.

    Attributes:
        highest_dbfs: highest reading so far over a whole window; None before there is one.
    """

    def __init__(self, sample_rate_hz: int, window_s: float = 0.3) -> None:
        self._slot = max(1, round(sample_rate_hz * SLOT_S * 10))
        self._slots: deque[float] = deque(maxlen=max(1, round(window_s * sample_rate_hz / self._slot)))
        self._rest = np.zeros(0)
        self._highest = 0.0

    def add(self, block: NDArray[np.floating]) -> None:
        """The next samples; shape (frames,), full scale 1."""
        powers, self._rest = _slot_means(np.asarray(block, dtype=np.float64) ** 2, self._rest, self._slot)
        for power in powers.tolist():
            self._slots.append(power)
            if len(self._slots) == self._slots.maxlen:
                self._highest = max(self._highest, sum(self._slots) / len(self._slots))

    @property
    def dbfs(self) -> float | None:
        """Of the last window, or of as much as there was."""
        mean = sum(self._slots) / len(self._slots) if self._slots else 0.0
        return power_to_db(2 * mean) if mean > 0 else None

    @property
    def highest_dbfs(self) -> float | None:
        return power_to_db(2 * self._highest) if self._highest > 0 else None
