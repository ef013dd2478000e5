"""Sample peak and true peak, from blocks of any length."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

_FIRST = (
    0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
    0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500,
)  # fmt: skip
_SECOND = (
    -0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
    0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375,
)  # fmt: skip
PHASES: Floats = np.array([_FIRST, _SECOND, _SECOND[::-1], _FIRST[::-1]])
"""The interpolating filter of ITU-R BS.1770-5, annex 2: four phases of twelve taps; shape (4, 12)."""
TAPS = PHASES.shape[1]
SEGMENT = 64
"""Samples that are looked at together when it is asked whether a true peak may lie there."""


class TruePeakMeter:
    """Takes blocks in order; `peak` and `true_peak` are the highest so far, full scale 1.

    The signal is read at four times its rate; from 176.4 kHz on as it is. No sample between others is higher than the
    largest near it times the sum of the filter's taps without their signs; where that does not reach the highest so
    far, nothing is computed, and nothing is missed.

    Raises:
        ValueError: no channels.
    """

    def __init__(self, sample_rate_hz: int, channels: int = 1) -> None:
        if channels < 1:
            raise ValueError("a meter needs at least one channel")
        # Convolution turns the filter round; windows are multiplied as they stand.
        self._phases = PHASES[: 0 if sample_rate_hz >= 176400 else 4, ::-1]
        self._reach = float(np.abs(self._phases).sum(axis=1).max(initial=1.0))
        self._tail = np.zeros((TAPS - 1, channels))
        self.peak: Floats = np.zeros(channels)
        self.true_peak: Floats = np.zeros(channels)

    def add(self, block: NDArray[np.floating]) -> None:
        """The next samples; shape (frames, channels). Raises ValueError for another number of channels."""
        if block.ndim != 2 or block.shape[1] != len(self.peak):
            raise ValueError(f"expected {len(self.peak)} channels")
        if not len(block):
            return
        self.peak = np.maximum(self.peak, np.abs(block).max(axis=0))
        self.true_peak = np.maximum(self.true_peak, self.peak)
        if len(self._phases):
            joined = np.concatenate((self._tail.astype(block.dtype), block))
            for channel in range(len(self.peak)):
                self._look(joined[:, channel], channel)
            self._tail = joined[-(TAPS - 1) :].astype(np.float64)

    def _look(self, signal: NDArray[np.floating], channel: int) -> None:
        """True peaks of one channel, where there may be one above the highest so far."""
        windows = len(signal) - TAPS + 1
        phases = self._phases.T.astype(signal.dtype)
        count = -(-len(signal) // SEGMENT)
        padded = np.zeros(count * SEGMENT, dtype=signal.dtype)
        padded[: len(signal)] = np.abs(signal)
        highest = padded.reshape(count, SEGMENT).max(axis=1)
        # A window that begins in a segment may end in the next.
        reach = np.maximum(highest, np.append(highest[1:], 0.0)) * self._reach
        order = np.flatnonzero(reach > self.true_peak[channel])
        order = order[np.argsort(-reach[order])]
        for some in np.array_split(order, max(1, len(order) // 256)):
            some = some[reach[some] > self.true_peak[channel]]
            if not len(some):
                break
            starts = (some[:, None] * SEGMENT + np.arange(SEGMENT)).ravel()
            starts = starts[starts < windows]
            held = signal[starts[:, None] + np.arange(TAPS)]
            found = np.abs(held @ phases).max(initial=0.0)
            self.true_peak[channel] = max(self.true_peak[channel], float(found))

    def finish(self) -> None:
        """Reads what lies after the last sample: the filter runs out into silence. Only once, at the end."""
        if len(self._phases):
            silence = np.zeros((TAPS - 1, len(self.peak)))
            self.add(silence)
