"""What is left of a sound behind a small loudspeaker: models of bands, with their assumptions in `core/data/prove.json`."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.figures import data_table

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Through:
    """A loudspeaker or a pair of them.

    Attributes:
        low_hz, high_hz: corners, at which 3 dB are lost; `order` says how steeply it falls beyond.
        mono: both sides come out of one.
    """

    id: str
    name: str
    low_hz: float
    high_hz: float
    order: int
    mono: bool
    source: str


@cache
def throughs() -> dict[str, Through]:
    """All by id."""
    return {row["id"]: Through(**row) for row in data_table("prove")["through"]}


def heard_through(sound: Floats, sample_rate_hz: int, what: Through) -> Floats:
    """A sound as it comes out; shape as it is, (sides, frames). Butterworth in second-order sections.

    Raises:
        ValueError: the rate is too low for its lower corner.
    """
    from scipy.signal import butter, sosfilt

    if what.low_hz >= sample_rate_hz / 2:
        raise ValueError(f"{sample_rate_hz} Hz is too low for {what.name}")
    out = np.broadcast_to(sound.mean(axis=0), sound.shape) if what.mono else sound
    out = sosfilt(butter(what.order, what.low_hz, "highpass", fs=sample_rate_hz, output="sos"), out, axis=-1)
    if what.high_hz < sample_rate_hz / 2:
        out = sosfilt(butter(what.order, what.high_hz, "lowpass", fs=sample_rate_hz, output="sos"), out, axis=-1)
    return np.asarray(out, dtype=np.float64)
