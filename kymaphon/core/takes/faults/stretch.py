"""A stretch of four seconds of a recording, and what several detectors want to know of it, computed once."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Samples = NDArray[np.float32]
STRETCH_S = 4.0
FINE_S = 0.005
"""A step of the fine track of level."""
BANDS_HZ = (60, 100, 160, 250, 400, 630, 1000, 1600, 2500, 4000, 6300, 10000, 16000)
"""Edges between the bands of `Frames`."""
LOWEST = 1e-15


@dataclass(frozen=True)
class Stretch:
    """Part of a recording.

    Attributes:
        samples: shape (frames, channels).
        start_s: where it begins.
        whole: of full length; one that is not is too short for tones, and for what lies between two channels.
    """

    samples: Samples
    start_s: float
    rate: int
    whole: bool = True

    @cached_property
    def mono(self) -> Floats:
        """The louder channel, without its offset; two that cancel each other are not added."""
        power = np.einsum("ij,ij->j", self.samples, self.samples)
        one = self.samples[:, int(np.argmax(power))].astype(np.float64)
        return np.asarray(one - one.mean(), dtype=np.float64)

    @cached_property
    def spectrum(self) -> Floats:
        """Amplitude of the lines of the whole stretch, Hann: a sine of amplitude 1 stands as 1; shape (frames / 2 + 1,)."""
        window = hann(len(self.mono))
        return np.asarray(np.abs(np.fft.rfft(self.mono * window)) * 2 / window.sum())

    @cached_property
    def fine(self) -> Floats:
        """Mean square of every 5 ms, of the sound without what lies under 100 Hz or so; shape (steps,)."""
        step = round(FINE_S * self.rate)
        count = len(self.mono) // step
        # A difference over a millisecond and a half: little below 100 Hz, the voice as it is.
        gap = max(1, round(0.0015 * self.rate))
        high = self.mono[gap:] - self.mono[:-gap] if len(self.mono) > gap else self.mono
        high = np.concatenate((np.zeros(len(self.mono) - len(high)), high))
        return np.asarray((high[: count * step].reshape(count, step) ** 2).mean(axis=1) / 2)

    @cached_property
    def bands(self) -> Floats:
        """Mean square in each band of `BANDS_HZ` (below the first, between, above the last), about every 10 ms; shape (steps, bands)."""
        size = frame_size(self.rate)
        hop = size // 4
        if len(self.mono) < size:
            return np.zeros((0, len(BANDS_HZ) + 1))
        window = np.hanning(size + 1)[:-1]
        rows = np.lib.stride_tricks.sliding_window_view(self.mono, size)[::hop] * window
        power = np.abs(np.fft.rfft(rows, axis=1)) ** 2 * (2 / (float((window**2).sum()) * size))
        edges = [0, *(min(math.ceil(hertz * size / self.rate), size // 2 + 1) for hertz in BANDS_HZ), size // 2 + 1]
        grown = np.concatenate((np.zeros((len(power), 1)), np.cumsum(power, axis=1)), axis=1)
        return np.asarray(np.diff(grown[:, edges], axis=1))


@lru_cache(4)
def hann(count: int) -> Floats:
    """A Hann window, shape (count,); kept."""
    return np.hanning(count)


def frame_size(rate: int) -> int:
    """Frames of a window of `Stretch.bands`: about 40 ms."""
    return 1 << max(6, round(math.log2(0.04 * rate)))


@dataclass
class Frames:
    """What was heard of all stretches, frame by frame: see `Stretch.bands` and `Stretch.fine`."""

    rate: int
    power: list[NDArray[np.float32]] = field(default_factory=list)
    at_s: list[NDArray[np.float64]] = field(default_factory=list)
    fine: list[NDArray[np.float32]] = field(default_factory=list)

    def add(self, stretch: Stretch) -> None:
        bands = stretch.bands
        hop = frame_size(self.rate) // 4
        self.power.append(bands.astype(np.float32))
        self.at_s.append(stretch.start_s + (np.arange(len(bands)) * hop + 2 * hop) / self.rate)
        self.fine.append(stretch.fine.astype(np.float32))

    def voice(self) -> Voice | None:
        """Where somebody talks; None where nothing stands out, as in steady noise."""
        if not self.power:
            return None
        power, at = np.concatenate(self.power).astype(np.float64), np.concatenate(self.at_s)
        if len(power) < 100:
            return None
        return voice_of(power, at, frame_size(self.rate) / 4 / self.rate)


@dataclass(frozen=True)
class Voice:
    """Talk and pauses of a recording.

    Attributes:
        power: mean square of each band in each frame; shape (frames, bands).
        at_s: middle of each frame.
        talk: whether somebody talks; `over`: whether anything stands over the pauses, however soft; `pause`: whether nobody talks,
            nor did a moment ago; shapes (frames,).
        hop_s: from one frame to the next.
    """

    power: Floats
    at_s: Floats
    talk: NDArray[np.bool_]
    over: NDArray[np.bool_]
    pause: NDArray[np.bool_]
    hop_s: float

    def share(self, low: int, high: int, which: NDArray[np.bool_]) -> float:
        """Mean power of bands low to high (not included) over some frames, in dB re full scale squared."""
        part = self.power[which, low:high].sum(axis=1)
        return 10 * math.log10(max(float(part.mean()), LOWEST)) if len(part) else -150.0

    @property
    def level_db(self) -> float:
        """Mean power of the talk in dBFS (AES17: a full sine is 0)."""
        return self.share(0, len(BANDS_HZ) + 1, self.talk) + 3.01

    @property
    def talk_s(self) -> float:
        return float(self.talk.sum()) * self.hop_s

    def runs(self, which: NDArray[np.bool_], least_s: float) -> list[tuple[float, float]]:
        """Stretches of frames, from when to when, of a length at least."""
        edges = np.flatnonzero(np.diff(np.concatenate(([False], which, [False])).astype(np.int8)))
        spans = edges.reshape(-1, 2)
        return [(float(self.at_s[a]), float(self.at_s[b - 1])) for a, b in spans if (b - a) * self.hop_s >= least_s]


def voice_of(power: Floats, at_s: Floats, hop_s: float) -> Voice | None:
    """Talk stands 12 dB at least over what is always there, in the band of 250 Hz to 4 kHz, and not more than 25 under its loud parts."""
    low, high = BANDS_HZ.index(250) + 1, BANDS_HZ.index(4000) + 1
    level = 10 * np.log10(np.maximum(power[:, low:high].sum(axis=1), LOWEST))
    floor, top = np.percentile(level[level > -140], (10, 95)) if (level > -140).any() else (0.0, 0.0)
    if top - floor < 12:
        return None
    talk = level > max(floor + 10, top - 25)
    hold = max(1, round(0.15 / hop_s))
    near = np.convolve(talk, np.ones(2 * hold + 1), "same") > 0.5
    return Voice(power, at_s, talk, level > floor + 10, ~near, hop_s)
