"""The two weightings: K, the ear's filter of the loudness standard, for any sample rate; A, that of sound level meters."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

SHELF = (1681.974450955533, 3.999843853973347, 0.7071752369554196)
HIGH_PASS = (38.13547087602444, 0.5003270373238773)
"""Corner in Hz, gain in dB and Q of the head's shelf; corner and Q of the high-pass. They give the coefficients
of ITU-R BS.1770-5, annex 1, tables 1 and 2, back at 48 kHz (checked in the tests) and the same curve at any
other rate (bilinear transform).
"""
SHELF_EXPONENT = 0.4996667741545416
"""Where the shelf's middle gain lies between nothing and all of it, as in the tables."""
OFFSET = -0.691
"""dB: makes a 1 kHz sine read its level (BS.1770-5, equation 2)."""


def k_sections(sample_rate_hz: float) -> Floats:
    """The two second-order sections of the K-weighting; shape (2, 6): b0 b1 b2 a0 a1 a2.

    Raises:
        ValueError: a rate so low that the filter's corners do not fit in.
    """
    corner, gain_db, q = SHELF
    if sample_rate_hz <= 2 * corner:
        raise ValueError(f"K-weighting needs a sample rate above {2 * corner:.0f} Hz")
    k = math.tan(math.pi * corner / sample_rate_hz)
    high = 10 ** (gain_db / 20)
    band = high**SHELF_EXPONENT
    a0 = 1 + k / q + k * k
    shelf = [
        (high + band * k / q + k * k) / a0,
        2 * (k * k - high) / a0,
        (high - band * k / q + k * k) / a0,
        1.0,
        2 * (k * k - 1) / a0,
        (1 - k / q + k * k) / a0,
    ]
    corner, q = HIGH_PASS
    k = math.tan(math.pi * corner / sample_rate_hz)
    a0 = 1 + k / q + k * k
    high_pass = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    return np.array([shelf, high_pass])


def k_gain_db(frequency_hz: NDArray[np.float64] | float, sample_rate_hz: float = 48000.0) -> Floats:
    """Gain of the K-weighting at some frequencies, in dB; shape as `frequency_hz`. 0.69 dB at 1 kHz."""
    z = np.exp(-2j * np.pi * np.asarray(frequency_hz, dtype=np.float64) / sample_rate_hz)
    out = np.ones_like(z)
    for b0, b1, b2, a0, a1, a2 in k_sections(sample_rate_hz):
        out = out * (b0 + b1 * z + b2 * z * z) / (a0 + a1 * z + a2 * z * z)
    gain: Floats = 20 * np.log10(np.abs(out))
    return gain


def a_gain_db(frequency_hz: NDArray[np.float64] | float) -> Floats:
    """A-weighting in dB; shape as `frequency_hz`. IEC 61672-1:2013, annex E: 0 dB at 1 kHz."""
    square = np.asarray(frequency_hz, dtype=np.float64) ** 2
    f1, f2, f3, f4 = 20.598997**2, 107.65265**2, 737.86223**2, 12194.217**2
    with np.errstate(divide="ignore"):
        gain = f4 * square**2 / ((square + f1) * np.sqrt((square + f2) * (square + f3)) * (square + f4))
        out: Floats = 20 * np.log10(gain) + 2.0
    return out
