"""Sample peak and true peak, from blocks of any length."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

OVERSAMPLING = 8
"""Read so finely that a sine at 0.45 of the rate is found within 0.14 dB: 20 lg cos(pi 0.45 / 8)."""
TAPS = 48
KAISER = 7.0
"""Length and window of the interpolating filter: flat to 0.01 dB up to 0.45 of the rate (Kaiser 1974)."""
SEGMENT = 16
"""Samples that are looked at together when it is asked whether a true peak may lie there."""
BATCH = 128
FAST_ENOUGH_HZ = 176400
"""From this rate on samples are close enough as they stand (ITU-R BS.1770-5, annex 2)."""


@cache
def interpolator() -> Floats:
    """Weights of the samples around for each point between two of them; shape (TAPS, OVERSAMPLING - 1).

    A sinc under a Kaiser window, each point's weights adding up to one. BS.1770-5, annex 2, gives a shorter filter as one that
    will do, and leaves the choice free; this one is held against band-limited reconstruction in the tests.
    """
    points = np.arange(1, OVERSAMPLING) / OVERSAMPLING
    apart = np.arange(TAPS)[:, None] - (TAPS // 2 - 1) - points[None, :]
    window = np.i0(KAISER * np.sqrt(np.maximum(1 - (apart / (TAPS / 2)) ** 2, 0.0))) / np.i0(KAISER)
    weights = np.sinc(apart) * window
    return np.asarray(weights / weights.sum(axis=0))


LEVELS: tuple[tuple[tuple[int, ...], float], ...] = (((4,), 0.75), ((1, 2, 3, 5, 6, 7), 1.0))
"""Points between two samples in the order in which they are looked at, and the part of the highest peak that what is known by
then of a stretch must come to for it to be looked at further. By Bernstein's inequality a sound below 0.45 of the rate falls
from its highest peak by at most (2 pi 0.45 d)^2 / 2 within d samples: by a quarter to the next half sample.
"""


@cache
def _segment_weights() -> tuple[tuple[NDArray[np.float32], ...], float]:
    """For each of `LEVELS` the weights from the samples in and around a segment to its points, shape (SEGMENT + TAPS - 1,
    points); and the highest that any point can be over the largest of those samples.
    """
    weights = interpolator()
    tables = []
    for phases, _ in LEVELS:
        chosen = weights[:, [phase - 1 for phase in phases]]
        table = np.zeros((SEGMENT + TAPS - 1, SEGMENT, len(phases)))
        for place in range(SEGMENT):
            table[place : place + TAPS, place] = chosen
        tables.append(table.reshape(len(table), -1).astype(np.float32))
    return tuple(tables), float(np.abs(weights).sum(axis=0).max())


def _row_maxima(rows: NDArray[np.float32]) -> NDArray[np.float32]:
    """Highest of each row, halved again and again: quicker than along a short axis."""
    while rows.shape[1] > 1:
        half = rows.shape[1] // 2
        rows = np.maximum(rows[:, :half], rows[:, half:])
    return rows[:, 0]


class TruePeakMeter:
    """Takes blocks in order; `peak` and `true_peak` are the highest so far, full scale 1.

    Between samples the signal is read at eight times its rate. Coarse first: no point between samples is higher than the
    largest sample near it times the sum of the filter's weights without their signs; where that does not reach the highest
    so far, nothing is computed, and nothing is missed.

    Raises:
        ValueError: no channels.
    """

    def __init__(self, sample_rate_hz: int, channels: int = 1) -> None:
        if channels < 1:
            raise ValueError("a meter needs at least one channel")
        self._between = sample_rate_hz < FAST_ENOUGH_HZ
        self._tail = np.zeros((TAPS - 1, channels), dtype=np.float32)
        self.peak: Floats = np.zeros(channels)
        self.true_peak: Floats = np.zeros(channels)

    def add(self, block: NDArray[np.floating]) -> None:
        """The next samples; shape (frames, channels). Raises ValueError for another number of channels."""
        if block.ndim != 2 or block.shape[1] != len(self.peak):
            raise ValueError(f"expected {len(self.peak)} channels")
        if not len(block):
            return
        highest, lowest = block.max(axis=0), block.min(axis=0)
        self.peak = np.maximum(self.peak, np.maximum(highest, -lowest).astype(np.float64))
        self.true_peak = np.maximum(self.true_peak, self.peak)
        if self._between:
            joined = np.concatenate((self._tail, block.astype(np.float32, copy=False)))
            near = np.maximum(np.maximum(highest, -lowest), np.abs(self._tail).max(axis=0))
            for channel in np.flatnonzero(near * _segment_weights()[1] > self.true_peak):
                self._look(joined[:, channel], int(channel))
            # Points that lean on samples still to come wait for them.
            whole = max(0, (len(joined) - TAPS + 1) // SEGMENT)
            self._tail = joined[whole * SEGMENT :].copy()

    def _look(self, signal: NDArray[np.float32], channel: int) -> None:
        """True peaks of one channel, where there may be one above the highest so far."""
        tables, reach = _segment_weights()
        count = (len(signal) - TAPS + 1) // SEGMENT
        if count < 1:
            return
        around = SEGMENT + TAPS - 1
        padded = np.ascontiguousarray(signal[: (count - 1) * SEGMENT + around])
        parts = -(-len(padded) // SEGMENT)
        magnitude = np.zeros(parts * SEGMENT, dtype=np.float32)
        np.abs(padded, out=magnitude[: len(padded)])
        highest = _row_maxima(magnitude.reshape(parts, SEGMENT))
        # A segment's points lean on the samples of the next three segments too.
        spread = -(-around // SEGMENT)
        near = np.concatenate((highest, np.zeros(spread, dtype=np.float32)))
        near = np.maximum.reduce([near[i : i + count] for i in range(spread)])
        order = np.flatnonzero(near * reach > self.true_peak[channel])
        order = order[np.argsort(-near[order])]
        rows = np.lib.stride_tricks.sliding_window_view(padded, around)[::SEGMENT]
        for some in np.array_split(order, max(1, len(order) // BATCH)):
            some = some[near[some] * reach > self.true_peak[channel]]
            held = rows[some]
            between = np.abs(held[:, TAPS // 2 - 1 : TAPS // 2 + SEGMENT])
            known = between.max(axis=1)
            for table, (_, part) in zip(tables, LEVELS, strict=True):
                if not len(held):
                    break
                points = held @ table
                known = np.maximum(known, np.maximum(points.max(axis=1), -points.min(axis=1)))
                self.true_peak[channel] = max(self.true_peak[channel], float(known.max()))
                going = known > part * self.true_peak[channel]
                held, known = held[going], known[going]

    def finish(self) -> None:
        """Reads what lies after the last sample: the filter runs out into silence. Only once, at the end."""
        if self._between:
            self.add(np.zeros((TAPS - 1 + SEGMENT, len(self.peak)), dtype=np.float32))
