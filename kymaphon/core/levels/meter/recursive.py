"""Recursive filters on blocks, with numpy alone.

Measuring a recording should not wait a second for a signal-processing library to load. A filter whose poles differ is a sum of
one-pole ones (partial fractions), and those run over stretches of samples at once: within a stretch by the impulse response,
from stretch to stretch by powers of the poles, doubled until they are nothing (Hillis & Steele 1986). The tests hold it against
scipy's sosfilt and lfilter.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
STRETCH = 16
NOTHING = 1e-18


class RecursiveFilter:
    """A filter in second-order sections, for blocks of any length, channel by channel.

    Args:
        sections: shape (n, 6), each b0 b1 b2 a0 a1 a2 with a0 of one, as scipy has them.
        channels: of the blocks.

    Raises:
        ValueError: two poles coincide, or lie at nought, or outside the unit circle.
    """

    def __init__(self, sections: Floats, channels: int = 1) -> None:
        numerator, denominator = np.ones(1), np.ones(1)
        for row in np.asarray(sections, dtype=np.float64):
            numerator = np.convolve(numerator, np.trim_zeros(row[:3], "b"))
            denominator = np.convolve(denominator, np.trim_zeros(row[3:], "b"))
        poles = np.roots(denominator)
        apart = np.abs(poles[:, None] - poles[None, :]) + np.eye(len(poles))
        if (
            not len(poles)
            or len(numerator) > len(denominator)
            or apart.min() < 1e-6
            or not (np.abs(poles) > 0).all()
            or np.abs(poles).max() >= 1
        ):
            raise ValueError("a filter of distinct poles inside the unit circle is needed")
        at = 1 / poles
        others = np.where(np.eye(len(poles), dtype=bool), 1.0, 1 - poles[None, :] * at[:, None]).prod(axis=1)
        residues = np.polyval(numerator[::-1], at) / others
        # Of a pair of conjugates one is enough: twice its real part.
        kept = poles.imag >= 0
        self._poles = poles[kept]
        self._residues = residues[kept] * np.where(poles[kept].imag > 0, 2.0, 1.0)
        direct = numerator[-1] / denominator[-1] if len(numerator) == len(denominator) else 0.0
        powers = self._poles[:, None] ** np.arange(STRETCH + 1)
        response = (self._residues[:, None] * powers[:, :STRETCH]).sum(axis=0).real
        response[0] += direct
        self._toeplitz = np.array(
            [[response[n - m] if n >= m else 0.0 for n in range(STRETCH)] for m in range(STRETCH)]
        )
        self._gather = powers[:, STRETCH - 1 :: -1].T
        self._spread = self._residues[:, None] * powers[:, 1:]
        self._gather_parts = np.hstack((self._gather.real, self._gather.imag))
        self._spread_parts = np.vstack((self._spread.real, -self._spread.imag))
        self._state = np.zeros((channels, len(self._poles)), dtype=np.complex128)

    def __call__(self, block: NDArray[np.floating]) -> Floats:
        """The next samples, filtered; shape (frames, channels) in and out."""
        frames, channels = block.shape
        whole = frames // STRETCH
        out = np.empty((frames, channels))
        for channel in range(channels):
            signal = np.asarray(block[:, channel], dtype=np.float64)
            body = signal[: whole * STRETCH].reshape(whole, STRETCH)
            made = body @ self._toeplitz
            made += self._carried(body, channel) @ self._spread_parts
            out[: whole * STRETCH, channel] = made.ravel()
            rest = signal[whole * STRETCH :]
            if len(rest):
                count = len(rest)
                state = self._state[channel]
                tail = rest @ self._toeplitz[:count, :count] + (state @ self._spread[:, :count]).real
                out[whole * STRETCH :, channel] = tail
                self._state[channel] = state * self._poles**count + rest @ self._gather[STRETCH - count :]
        return out

    def _carried(self, body: Floats, channel: int) -> Floats:
        """What each pole has gathered before every stretch; shape (stretches, 2 poles), real parts first. Moves the state on."""
        count, many = len(body), len(self._poles)
        added = body @ self._gather_parts
        parts = np.empty((count, 2 * many))
        for i, pole in enumerate(self._poles**STRETCH):
            row = np.empty(count + 1, dtype=np.complex128)
            row[0] = self._state[channel, i]
            row[1:].real, row[1:].imag = added[:, i], added[:, many + i]
            step, weight = 1, pole
            while step <= count and abs(weight) > NOTHING:
                row[step:] += weight * row[:-step]
                step, weight = 2 * step, weight * weight
            parts[:, i], parts[:, many + i] = row.real[:-1], row.imag[:-1]
            self._state[channel, i] = row[-1]
        return parts


def one_pole(pole: float, channels: int = 1) -> RecursiveFilter:
    """Smoothing y = (1 - pole) x + pole y before, as an RC has it."""
    return RecursiveFilter(np.array([[1 - pole, 0.0, 0.0, 1.0, -pole, 0.0]]), channels)
