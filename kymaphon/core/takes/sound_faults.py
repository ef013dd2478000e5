"""What is wrong with a recording, by ear made of numbers: each fault with what was measured, where it is heard, and what cures it.

Each detector looks at stretches of four seconds, so that an hour takes the memory of a few. Nothing is told that clean speech shows too:
thresholds are in `core/data/prove.json` with their sources, and tests count false alarms on real speech.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.figures import data_table
from kymaphon.core.takes.spectrum import HumLines

Floats = NDArray[np.float64]
STRETCH_S = 4.0
HIGHEST_HZ = 2400.0
"""Lines of hum, dimmers and telephones are looked for up to here."""
TELEPHONE_HZ = 1 / 0.004615
"""Frames of TDMA telephones; 216.7 Hz."""
MOST_MARKS = 20


@dataclass(frozen=True, slots=True)
class SoundFault:
    """One fault heard.

    Attributes:
        code: as in `core/data/prove.json`, `sound`.
        confidence: 0 to 1.
        evidence: what was measured, in words with figures.
        at_s: where it is heard, at most twenty places; empty where it is heard throughout.
        cure: what to do.
    """

    code: str
    confidence: float
    evidence: str
    at_s: tuple[float, ...]
    cure: str

    def to_json(self) -> dict[str, object]:
        return {
            "code": self.code,
            "confidence": round(self.confidence, 2),
            "evidence": self.evidence,
            "at_s": [round(row, 3) for row in self.at_s],
            "cure": self.cure,
        }


def _limit(name: str) -> float:
    return float(data_table("prove")["sound"]["limits"][name]["value"])


def _fault(code: str, confidence: float, evidence: str, at_s: Sequence[float] = ()) -> SoundFault:
    cure = data_table("prove")["sound"]["cures"][code]
    return SoundFault(code, min(max(confidence, 0.0), 1.0), evidence, tuple(at_s[:MOST_MARKS]), cure)


@dataclass
class FaultFinder:
    """Listens to a recording block by block; `result` at any time, of what has been heard so far.

    Attributes:
        channels: of the recording; two are held against each other.
    """

    sample_rate_hz: int
    channels: int
    frames: int = 0
    _waiting: list[NDArray[np.float32]] = field(default_factory=list)
    _count: int = 0
    _lines: list[tuple[float, NDArray[np.float32]]] = field(default_factory=list)
    _sums: Floats = field(init=False)
    _squares: Floats = field(init=False)
    _flat: list[tuple[float, float, int]] = field(default_factory=list)
    _gaps: list[float] = field(default_factory=list)
    _apart: list[tuple[float, float]] = field(default_factory=list)
    _last: NDArray[np.float32] | None = None

    def __post_init__(self) -> None:
        self._sums, self._squares = np.zeros(self.channels), np.zeros(self.channels)

    @property
    def _stretch(self) -> int:
        return round(STRETCH_S * self.sample_rate_hz)

    def add(self, block: NDArray[np.float32]) -> None:
        """Takes in a block of shape (frames, channels)."""
        self._waiting.append(block.reshape(-1, self.channels))
        self._count += len(self._waiting[-1])
        while self._count >= self._stretch:
            whole = np.concatenate(self._waiting)
            self._take(whole[: self._stretch])
            rest = whole[self._stretch :]
            self._waiting, self._count = [rest], len(rest)

    def _take(self, part: NDArray[np.float32], *, whole: bool = True) -> None:
        """Listens to a stretch; one that is not whole is too short for tones and for what lies between two channels."""
        start = self.frames / self.sample_rate_hz
        self._sums += part.sum(axis=0, dtype=np.float64)
        self._squares += np.einsum("ij,ij->j", part, part, dtype=np.float64)
        if whole:
            window = np.hanning(len(part))
            mono = part.mean(axis=1) * window
            spectrum = np.abs(np.fft.rfft(mono)) * 2 / window.sum()
            last = int(HIGHEST_HZ * len(part) / self.sample_rate_hz)
            self._lines.append((start, spectrum[: last + 1].astype(np.float32)))
        for channel in range(self.channels):
            self._flat += _flat_runs(part[:, channel], start, self.sample_rate_hz)
            self._gaps += _gaps(part[:, channel], start, self.sample_rate_hz)
        if self.channels == 2 and whole:
            found = _between(part[:, 0], part[:, 1], self.sample_rate_hz)
            if found is not None:
                self._apart.append(found)
        self.frames += len(part)

    def result(self) -> tuple[SoundFault, ...]:
        """Every fault heard, the surest first. What is left after the last whole stretch is listened to as well."""
        if self._count:
            self._take(np.concatenate(self._waiting), whole=False)
            self._waiting, self._count = [], 0
        if not self.frames:
            return ()
        found = [*self._bursts(), *self._clipped(), *self._dropped(), *self._sides(), *self._offset()]
        return tuple(sorted(found, key=lambda row: -row.confidence))

    # one detector each

    @property
    def _step_hz(self) -> float:
        return self.sample_rate_hz / self._stretch

    def _line(self, spectrum: Floats, hertz: float, within: float) -> tuple[float, float] | None:
        """A line near a frequency: where, by a parabola through its logarithm, and its level in dBFS; None where none stands out."""
        step = self._step_hz
        low, high = math.ceil((hertz - within) / step), math.floor((hertz + within) / step)
        if high >= len(spectrum) - 24 or high < low or low < 2:
            return None
        at = low + int(np.argmax(spectrum[low : high + 1]))
        around = np.concatenate((spectrum[max(0, at - 24) : max(0, at - 4)], spectrum[at + 5 : at + 25]))
        if 20 * math.log10(max(spectrum[at], 1e-12) / max(float(np.median(around)), 1e-12)) < _limit("line-over"):
            return None
        a, b, c = (math.log(max(float(spectrum[at + k]), 1e-12)) for k in (-1, 0, 1))
        apart = 0.5 * (a - c) / (a - 2 * b + c) if a - 2 * b + c < -1e-9 else 0.0
        return (at + apart) * step, 20 * math.log10(max(float(spectrum[at]), 1e-12))

    def _bursts(self) -> Iterator[SoundFault]:
        """A telephone: lines at multiples of its frame rate, in some stretches."""
        marks, best = [], 0
        for start, row in self._lines:
            lines = [self._line(row.astype(np.float64), TELEPHONE_HZ * k, 1.5) for k in range(1, 11)]
            count = sum(1 for line in lines if line is not None)
            right = sum(
                1 for k, line in enumerate(lines, 1) if line is not None and abs(line[0] / k - TELEPHONE_HZ) < 0.15
            )
            if right >= _limit("telephone-lines") and right >= 0.7 * count:
                marks.append(start)
                best = max(best, right)
        if marks:
            words = f"{best} of 10 multiples of {TELEPHONE_HZ:.1f} Hz, in {len(marks)} of {len(self._lines)} stretches"
            yield _fault("telephone-burst", 0.4 + 0.06 * best, words, marks)

    def _clipped(self) -> Iterator[SoundFault]:
        """Tops that are flat: at full scale, or below it, where something before the recorder clipped."""
        full = [row for row in self._flat if row[1] >= 0.985]
        below = [row for row in self._flat if row[1] < 0.985]
        if len(full) >= _limit("flat-runs"):
            words = f"{len(full)} flat tops at full scale, the longest of {max(row[2] for row in full)} samples"
            yield _fault("clipping", 0.6 + 0.01 * len(full), words, [row[0] for row in full])
        if len(below) >= _limit("flat-runs"):
            level = 20 * math.log10(float(np.median([row[1] for row in below])))
            words = (
                f"{len(below)} flat tops at {level:.1f} dBFS, below full scale: something before the recorder clipped"
            )
            yield _fault("clipping-before", 0.6 + 0.01 * len(below), words, [row[0] for row in below])

    def _dropped(self) -> Iterator[SoundFault]:
        marks = sorted(set(self._gaps))
        if len(marks) >= _limit("gaps"):
            words = f"{len(marks)} gaps of nothing at all in the middle of sound"
            yield _fault("dropped-samples", 0.5 + 0.05 * len(marks), words, marks)

    def _sides(self) -> Iterator[SoundFault]:
        """Two channels against each other: one silent, one turned over, one late."""
        if self.channels != 2:
            return
        power = self._squares / max(self.frames, 1)
        levels = [10 * math.log10(max(float(row) * 2, 1e-15)) for row in power]
        if max(levels) > _limit("side-loud") and abs(levels[0] - levels[1]) > _limit("side-apart"):
            quiet = 1 + int(levels[1] < levels[0])
            yield _fault(
                "one-side-silent", 0.9, f"channel {quiet} lies {abs(levels[0] - levels[1]):.0f} dB under the other"
            )
            return
        if not self._apart:
            return
        lags, strengths = (np.array([row[k] for row in self._apart]) for k in (0, 1))
        lag, strength = float(np.median(lags)), float(np.median(strengths))
        if strength < -_limit("alike"):
            words = f"the channels are alike to {-strength:.2f}, one turned over"
            yield _fault("polarity", -strength, words)
        if abs(strength) > _limit("alike") and abs(lag) > _limit("late-ms"):
            later = 2 if lag > 0 else 1
            yield _fault("channels-apart", abs(strength), f"channel {later} comes {abs(lag):.2f} ms after the other")

    def _offset(self) -> Iterator[SoundFault]:
        means = self._sums / max(self.frames, 1)
        worst = int(np.argmax(np.abs(means)))
        level = 20 * math.log10(max(abs(float(means[worst])), 1e-9))
        if level > _limit("dc-level"):
            yield _fault("dc", 0.9, f"channel {worst + 1} stands {level:.1f} dBFS off its middle")


def tone_fault(hum: HumLines) -> SoundFault:
    """What lines at multiples of the mains are: hum, or the buzz of a dimmer or lamp where the even ones carry most (rectified mains)."""
    power = {round(hertz / hum.mains_hz): 10 ** (level / 10) for hertz, level in hum.lines}
    even = sum(row for n, row in power.items() if n % 2 == 0)
    code = "dimmer-buzz" if even > 0.7 * sum(power.values()) else "hum"
    return _fault(code, 0.5 + 0.08 * len(hum.lines), hum.words)


def _flat_runs(signal: NDArray[np.float32], start: float, rate: int) -> list[tuple[float, float, int]]:
    """Flat tops: where, how high, how long. Four samples or more alike, at the very peak of the stretch or within a hundredth of it."""
    size = np.abs(signal)
    top = float(size.max(initial=0.0))
    if top < 0.02:
        return []
    high = np.flatnonzero(
        (size[1:] == size[:-1]) & (np.sign(signal[1:]) == np.sign(signal[:-1])) & (size[1:] > 0.98 * top)
    )
    if not len(high):
        return []
    parts = np.split(high, np.flatnonzero(np.diff(high) > 1) + 1)
    return [(start + int(row[0]) / rate, float(size[row[0]]), len(row) + 1) for row in parts if len(row) >= 3]


def _gaps(signal: NDArray[np.float32], start: float, rate: int) -> list[float]:
    """Stretches of exact nothing, from a millisecond to a fifth of a second, that sound breaks off into and comes back from at once."""
    zero = np.flatnonzero(signal == 0.0)
    if len(zero) < rate // 1000:
        return []
    out = []
    near = max(4, rate // 500)
    for row in np.split(zero, np.flatnonzero(np.diff(zero) > 1) + 1):
        if not rate // 1000 <= len(row) <= rate // 5:
            continue
        before, after = signal[max(0, row[0] - near) : row[0]], signal[row[-1] + 1 : row[-1] + 1 + near]
        loud = [float(np.sqrt(np.mean(part**2))) if len(part) == near else 0.0 for part in (before, after)]
        # Sound that fades away into silence is small at its end; what is cut off is not.
        ends = (
            abs(float(signal[row[0] - 1])) if row[0] else 0.0,
            abs(float(signal[row[-1] + 1])) if row[-1] + 1 < len(signal) else 0.0,
        )
        if min(loud) > 0.004 and max(ends) > 0.3 * min(loud):
            out.append(start + int(row[0]) / rate)
    return out


def _between(one: NDArray[np.float32], other: NDArray[np.float32], rate: int) -> tuple[float, float] | None:
    """How late the second channel is in ms, and how alike both are then, -1 to 1; None where one is silent."""
    norm = math.sqrt(float(np.dot(one, one)) * float(np.dot(other, other)))
    if norm < 1e-4 * len(one) * 1e-3:
        return None
    size = 1 << (2 * len(one) - 1).bit_length()
    cross = np.fft.irfft(np.conj(np.fft.rfft(one, size)) * np.fft.rfft(other, size), size) / norm
    reach = round(0.05 * rate)
    lags = np.concatenate((np.arange(reach + 1), np.arange(-reach, 0)))
    values = np.concatenate((cross[: reach + 1], cross[-reach:]))
    best = int(np.argmax(np.abs(values)))
    return 1000 * float(lags[best]) / rate, float(values[best])
