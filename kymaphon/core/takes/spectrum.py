"""The spectrum of a noise or a voice, its A-weighted level, and what sort of noise it is.

Power spectra after Welch (1967): Hann windows of about a sixth of a second, half overlapped, averaged.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.units import power_to_db
from kymaphon.core.weighting import a_gain_db

Floats = NDArray[np.float64]
Signal = NDArray[np.float32]
WINDOW_S = 0.17
SINE_DB = 10 * math.log10(2)
NoiseSort = Literal["rumble", "hum", "hiss", "unsteady", "broad"]


@dataclass(frozen=True)
class Spectrum:
    """Mean square in each bin.

    Attributes:
        frequency_hz: middle of each bin; shape (bins,).
        power: mean square of what lies in it, full scale 1; shape (bins,). Its sum is the mean square of the sound.
        tops: level of every window, in dBFS, in order: how it varies.
    """

    sample_rate_hz: int
    frequency_hz: Floats
    power: Floats
    tops: Floats

    @property
    def level_dbfs(self) -> float:
        """All of it, AES17."""
        return power_to_db(float(self.power.sum())) + SINE_DB

    @property
    def weighted_dbfs(self) -> float:
        """A-weighted, AES17."""
        return power_to_db(float((self.power * 10 ** (a_gain_db(self.frequency_hz) / 10)).sum())) + SINE_DB

    def through(self, gain_db: Floats) -> float:
        """Level in dBFS of what a filter with this gain in each bin would leave."""
        return power_to_db(float((self.power * 10 ** (gain_db / 10)).sum())) + SINE_DB

    def share(self, low_hz: float, high_hz: float) -> float:
        """The part of its energy between two frequencies, 0 to 1."""
        whole = float(self.power.sum())
        inside = (self.frequency_hz >= low_hz) & (self.frequency_hz < high_hz)
        return float(self.power[inside].sum()) / whole if whole > 0 else 0.0

    def bands(self, per_octave: int = 3) -> tuple[Floats, Floats]:
        """Middle frequencies and levels in dBFS of fractional-octave bands (IEC 61260-1 middles: 1000 x 2^(k/n)).

        A bin that lies across an edge is shared out between both bands.
        """
        top = self.sample_rate_hz / 2
        first, last = (
            math.ceil(per_octave * math.log2(25 / 1000)),
            math.floor(per_octave * math.log2(top / 1000)),
        )
        middles = 1000.0 * 2.0 ** (np.arange(first, last + 1) / per_octave)
        half = 2.0 ** (0.5 / per_octave)
        width = self.frequency_hz[1] - self.frequency_hz[0]
        edges = np.concatenate((self.frequency_hz - width / 2, [self.frequency_hz[-1] + width / 2]))
        grown = np.concatenate(([0.0], np.cumsum(self.power)))
        inside = np.interp(middles * half, edges, grown) - np.interp(middles / half, edges, grown)
        return middles, np.asarray(10 * np.log10(np.maximum(inside, 1e-30)) + SINE_DB)


class SpectrumMeter:
    """Adds up spectra of stretches of one channel.

    Raises:
        ValueError: a rate not above zero.
    """

    def __init__(self, sample_rate_hz: int) -> None:
        if sample_rate_hz <= 0:
            raise ValueError("a sample rate is above zero")
        self.sample_rate_hz = sample_rate_hz
        self.size = 1 << max(8, round(math.log2(sample_rate_hz * WINDOW_S)))
        self._window = np.hanning(self.size + 1)[:-1].astype(np.float32)
        self._norm = float((self._window.astype(np.float64) ** 2).sum()) * self.size
        self._sum = np.zeros(self.size // 2 + 1)
        self._tops: list[Floats] = []
        self.windows = 0

    def add(self, stretch: Signal) -> None:
        """A stretch; shape (frames,). What is shorter than a window is left out."""
        half = self.size // 2
        count = (len(stretch) - self.size) // half + 1
        for first in range(0, count, 64):
            last = min(first + 64, count)
            rows = np.lib.stride_tricks.sliding_window_view(
                stretch[first * half : (last - 1) * half + self.size], self.size
            )[::half]
            power = np.abs(np.fft.rfft(rows * self._window, axis=1)) ** 2 / self._norm
            power[:, 1:-1] *= 2
            self._sum += power.sum(axis=0)
            self._tops.append(10 * np.log10(np.maximum(power.sum(axis=1), 1e-20)) + SINE_DB)
            self.windows += last - first

    def result(self) -> Spectrum | None:
        """The mean of all windows; None when there was none."""
        if not self.windows:
            return None
        frequency = np.arange(self.size // 2 + 1) * (self.sample_rate_hz / self.size)
        power = np.asarray(self._sum / self.windows, dtype=np.float64)
        return Spectrum(self.sample_rate_hz, frequency.astype(np.float64), power, np.concatenate(self._tops))


def spectrum_of(stretches: Iterable[Signal], sample_rate_hz: int) -> Spectrum | None:
    """The spectrum of some stretches of one channel; None when none is as long as a window."""
    meter = SpectrumMeter(sample_rate_hz)
    for stretch in stretches:
        meter.add(stretch)
    return meter.result()


def spectrum_of_one(stretch: Signal, sample_rate_hz: int) -> Spectrum:
    """One stretch as a single window, its mean taken off: as fine in frequency as its length allows.

    Args:
        stretch: one channel; shape (frames,), at least two.
    """
    window = np.hanning(len(stretch) + 1)[:-1]
    signal = stretch.astype(np.float64) - float(np.mean(stretch, dtype=np.float64))
    power = np.abs(np.fft.rfft(signal * window)) ** 2 / (float((window**2).sum()) * len(stretch))
    power[1:-1] *= 2
    # The estimate is of one window: put to the power that the samples have.
    whole = float(power.sum())
    if whole > 0:
        power *= float(np.mean(signal**2)) / whole
    frequency = np.asarray(np.fft.rfftfreq(len(stretch), 1 / sample_rate_hz), dtype=np.float64)
    tops = np.array([power_to_db(float(power.sum())) + SINE_DB])
    return Spectrum(sample_rate_hz, frequency, np.asarray(power, dtype=np.float64), tops)


@dataclass(frozen=True, slots=True)
class HumLines:
    """Hum in a noise: the mains' frequency, and the multiples of it that stand out, each with its level (AES17)."""

    mains_hz: float
    lines: tuple[tuple[float, float], ...]

    @property
    def level_dbfs(self) -> float:
        """All lines together."""
        return 10 * math.log10(sum(10 ** (level / 10) for _, level in self.lines))

    @property
    def words(self) -> str:
        rows = ", ".join(f"{frequency:.0f} Hz {show_number(level, 'dBFS')}" for frequency, level in self.lines)
        return f"hum of {self.mains_hz:g} Hz mains: {rows}"


def hum_lines(spectrum: Spectrum, mains_hz: Sequence[float] = (50, 60)) -> HumLines | None:
    """Hum: lines at multiples of the mains, within what the spectrum can tell apart, and more than one of them.

    A line stands at a multiple when its top, read between the bins by a parabola, lies within a quarter of a bin and a
    thousandth of it (mains keep to two parts in a thousand; EN 50160, from memory), and `noise-hum-over` above the middle of
    what is around. None where fewer than two do.
    """
    width = float(spectrum.frequency_hz[1] - spectrum.frequency_hz[0])
    if width > min(mains_hz) / 8:
        return None
    level = 10 * np.log10(np.maximum(spectrum.power, 1e-30))
    best: HumLines | None = None
    for mains in mains_hz:
        lines = []
        for k in range(1, 9):
            wanted = k * mains
            at = round(wanted / width)
            if at + 3 >= len(level):
                break
            peak = at - 1 + int(np.argmax(level[at - 1 : at + 2]))
            before, top, after = level[peak - 1 : peak + 2]
            bend = before - 2 * top + after
            exact = (peak + (0.5 * (before - after) / bend if bend < 0 else 0.0)) * width
            around = np.abs(spectrum.frequency_hz - wanted) <= mains * 0.45
            around &= np.abs(spectrum.frequency_hz - wanted) > 2.6 * width
            over = float(top - np.median(level[around])) if around.any() else 0.0
            if over >= number("noise-hum-over") and abs(exact - wanted) <= 0.25 * width + 0.002 * wanted:
                own = spectrum.power[peak - 2 : peak + 3].sum()
                lines.append((wanted, power_to_db(float(own)) + SINE_DB))
        if len(lines) > 1 and (best is None or len(lines) > len(best.lines)):
            best = HumLines(mains, tuple(lines))
    return best


@dataclass(frozen=True)
class NoiseKind:
    """What sort of noise it is, the likeliest first, each with the figure that says so."""

    sorts: tuple[tuple[NoiseSort, str], ...]

    @property
    def words(self) -> str:
        return "; ".join(text for _, text in self.sorts)


def noise_kind(spectrum: Spectrum, mains_hz: Sequence[float] = (50, 60)) -> NoiseKind:
    """What sort of noise a room's is: hum, rumble, hiss, unsteady, or broad; several may be true."""
    found: list[tuple[NoiseSort, str]] = []
    hum = hum_lines(spectrum, mains_hz)
    if hum is not None:
        found.append(
            (
                "hum",
                f"hum: {', '.join(f'{at:g}' for at, _ in hum.lines)} Hz, multiples of {hum.mains_hz:g} "
                f"Hz mains, {show_number(hum.level_dbfs, 'dBFS')} together",
            )
        )
    low = spectrum.share(0, number("noise-rumble-below"))
    if low >= number("noise-rumble-share") / 100:
        found.append(("rumble", f"rumble: {low:.0%} of its energy lies below {number('noise-rumble-below'):.0f} Hz"))
    tops = spectrum.tops
    if len(tops) >= 8:
        spread = float(np.percentile(tops, 90) - np.percentile(tops, 10))
        if spread >= number("noise-unsteady"):
            found.append(("unsteady", f"unsteady: {show_number(spread, 'dB')} between its loud and its quiet tenth"))
    high = spectrum.share(number("noise-hiss-above"), math.inf)
    if high >= number("noise-hiss-share") / 100:
        found.append(("hiss", f"hiss: {high:.0%} of its energy lies above {number('noise-hiss-above') / 1000:.0f} kHz"))
    if not found:
        middle = _median_hz(spectrum)
        found.append(
            (
                "broad",
                f"broad and steady, like air or a fan: half of its energy below {show_number(middle, 'Hz')}",
            )
        )
    return NoiseKind(tuple(found))


def _median_hz(spectrum: Spectrum) -> float:
    grown = np.cumsum(spectrum.power)
    return float(spectrum.frequency_hz[int(np.searchsorted(grown, grown[-1] / 2))])


def floor_lines(spectrum: Spectrum) -> tuple[Derived, ...]:
    """The noise, flat and A-weighted."""
    return (
        Derived("room, flat", spectrum.level_dbfs, "dBFS", source="mean square; AES17"),
        Derived("room, A-weighted", spectrum.weighted_dbfs, "dBFS", source="IEC 61672-1, annex E; AES17"),
    )
