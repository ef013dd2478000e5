"""Loudness: momentary, short-term, integrated and range, from blocks of any length (ITU-R BS.1770-5, EBU R 128).

The signal is K-weighted and its power gathered in slots of 10 ms. Momentary is the last 40 of them, short-term the
last 300, so their highest values are found to 10 ms; the gating blocks are those of the standard, 400 ms with three
quarters of overlap.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.levels.meter.recursive import RecursiveFilter
from kymaphon.core.weighting import OFFSET, k_sections

Floats = NDArray[np.float64]
SLOT_S = 0.01
MOMENTARY = 40
SHORT = 300
STEP = 10
"""Slots from one gating block to the next: 100 ms."""
ABSOLUTE_LUFS = -70.0
RELATIVE_LU = -10.0
RANGE_LU = -20.0
"""Gates of BS.1770-5 (integrated) and EBU Tech 3342 (range)."""
SURROUND = 1.41
LAYOUTS: dict[str, tuple[float, ...]] = {
    "mono": (1.0,),
    "stereo": (1.0, 1.0),
    "5.1": (1.0, 1.0, 1.0, 0.0, SURROUND, SURROUND),
}
"""Weight of each channel: left, right, centre, low-frequency effects (not counted), the two surrounds."""


def loudness_lufs(power: float) -> float:
    """Loudness of a K-weighted, channel-weighted mean square; minus infinity for nothing."""
    return OFFSET + 10 * math.log10(power) if power > 0 else -math.inf


def _power(lufs: float) -> float:
    return 10 ** ((lufs - OFFSET) / 10)


class LoudnessMeter:
    """Takes blocks in order.

    Args:
        sample_rate_hz: from 8000 on.
        weights: of the channels, as in `LAYOUTS`.

    Raises:
        ValueError: no channels, or a rate too low.
    """

    def __init__(self, sample_rate_hz: int, weights: Sequence[float] = (1.0,)) -> None:
        if not len(weights):
            raise ValueError("a loudness meter needs at least one channel")
        if sample_rate_hz < 8000:
            raise ValueError("loudness is told from 8 kHz on")
        self._filter = RecursiveFilter(k_sections(sample_rate_hz), len(weights))
        self.weights = np.array(weights, dtype=np.float64)
        self._slot = round(sample_rate_hz * SLOT_S)
        self._rest = np.zeros((0, len(weights)))
        self._last = np.zeros(0)
        self._phase = 0
        self._gating: list[Floats] = []
        self._short: list[Floats] = []
        self._momentary_max = self._short_max = 0.0
        self.momentary_power = self.short_power = math.nan

    def add(self, block: NDArray[np.floating]) -> None:
        """The next samples; shape (frames, channels), full scale 1. Raises ValueError for another shape."""
        if block.ndim != 2 or block.shape[1] != len(self.weights):
            raise ValueError(f"expected {len(self.weights)} channels")
        if not len(block):
            return
        weighted = self._filter(block)
        if len(self._rest):
            weighted = np.concatenate((self._rest, weighted))
        whole = len(weighted) // self._slot
        if whole:
            shaped = weighted[: whole * self._slot].reshape(whole, self._slot, len(self.weights))
            powers = np.einsum("wsc,wsc->wc", shaped, shaped)
            slots = powers @ self.weights / self._slot
            self._add_slots(slots)
        self._rest = weighted[whole * self._slot :].copy()

    def _add_slots(self, slots: Floats) -> None:
        row = np.concatenate((self._last, slots))
        sums = np.concatenate(([0.0], np.cumsum(row)))
        for length, kept, name in ((MOMENTARY, self._gating, "momentary"), (SHORT, self._short, "short")):
            # Windows that end with one of the new slots.
            ends = np.arange(max(length, len(self._last) + 1), len(row) + 1)
            if not len(ends):
                continue
            means = np.maximum((sums[ends] - sums[ends - length]) / length, 0.0)
            setattr(self, f"{name}_power", float(means[-1]))
            setattr(self, f"_{name}_max", max(getattr(self, f"_{name}_max"), float(means.max())))
            number = self._phase + ends - len(self._last)
            kept.append(means[(number - length) % STEP == 0])
        self._phase += len(slots)
        self._last = row[-(SHORT - 1) :]

    @property
    def long_enough(self) -> bool:
        """Whether there were 400 ms: with less no loudness can be told."""
        return self._phase >= MOMENTARY

    @property
    def momentary_lufs(self) -> float | None:
        """Of the last 400 ms; None before there are as many."""
        return _told(self.momentary_power)

    @property
    def short_lufs(self) -> float | None:
        """Of the last 3 s; None before there are as many."""
        return _told(self.short_power)

    @property
    def momentary_max_lufs(self) -> float | None:
        return _told(self._momentary_max or math.nan)

    @property
    def short_max_lufs(self) -> float | None:
        return _told(self._short_max or math.nan)

    def integrated_lufs(self) -> float | None:
        """Gated loudness of everything so far; None when nothing passes the gates, or it is shorter than 400 ms."""
        blocks = _joined(self._gating)
        loud = blocks[blocks > _power(ABSOLUTE_LUFS)]
        if not len(loud):
            return None
        threshold = loudness_lufs(float(loud.mean())) + RELATIVE_LU
        return loudness_lufs(float(loud[loud > _power(threshold)].mean()))

    def range_lu(self) -> float | None:
        """Loudness range: tenth to ninety-fifth percentile of the gated short-term loudness (EBU Tech 3342)."""
        blocks = _joined(self._short)
        loud = blocks[blocks > _power(ABSOLUTE_LUFS)]
        if not len(loud):
            return None
        threshold = loudness_lufs(float(loud.mean())) + RANGE_LU
        kept = np.sort(OFFSET + 10 * np.log10(loud[loud > _power(threshold)]))
        low, high = (kept[round((len(kept) - 1) * part)] for part in (0.10, 0.95))
        return float(high - low)


def _told(power: float) -> float | None:
    return None if math.isnan(power) or power <= 0 else loudness_lufs(power)


def _joined(rows: list[Floats]) -> Floats:
    return np.concatenate(rows) if rows else np.zeros(0)
