"""The same sound twice, and a room: a comb, an echo, and how long a sound takes to go."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from kymaphon.core.derive import show_number
from kymaphon.core.figures import data_table
from kymaphon.core.takes.faults.kinds import SoundFault, fault, limit
from kymaphon.core.takes.faults.stretch import FINE_S, STRETCH_S, Floats, Frames, Stretch
from kymaphon.core.words import counted

COMB_S = (0.0005, 0.02)
ECHO_S = (0.02, 1.2)
"""Two arrivals closer than some 20 ms are heard as a colour, further apart as two (Haas 1951, from memory)."""
LINES = 64
"""What has four fifths of its power in so few lines is a tone; of four seconds of speech they have a third."""
ENOUGH = 15
"""From so many stretches on, a minute, the bar for a second arrival stays where it is: its figure was measured on takes of that length."""
CYCLES_S = (1 / 50, 1 / 60, 0.004615)
"""What mains and telephones repeat after, and after each multiple of it, is no second arrival."""


@dataclass
class Twice:
    """Listens for a second arrival of the same sound.

    Where a sound comes again after a time, the logarithm of its spectrum has a ripple, of which the spectrum (the cepstrum: Bogert,
    Healy and Tukey 1963) stands at that time, as high as the second is to the first. Averaged over stretches, what a voice has of
    its own goes away, for its pitch moves.
    """

    rate: int
    _sum: Floats = field(init=False)
    _count: int = 0
    _single: dict[tuple[float, float], float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._sum = np.zeros(round(ECHO_S[1] * self.rate))

    def take(self, stretch: Stretch) -> None:
        if not stretch.whole or float(np.mean(stretch.mono**2)) < 1e-8:
            return
        power = stretch.spectrum**2
        strongest = np.partition(power, -LINES)[-LINES:]
        if len(power) <= LINES or float(strongest.sum()) > 0.8 * float(power.sum()):
            return  # a tone comes again after each of its periods
        # What lies in the noise has no ripple, and only adds its own.
        cepstrum = np.fft.irfft(np.log(np.maximum(power, 1e-6 * float(np.mean(power)))), round(STRETCH_S * self.rate))
        self._sum += cepstrum[: len(self._sum)]
        self._count += 1
        for span in (COMB_S, ECHO_S):
            a, b = (round(row * self.rate) for row in span)
            steps = np.abs(np.diff(cepstrum[a:b]))
            self._single[span] = self._single.get(span, 0.0) + 1.4826 * float(np.median(steps)) / math.sqrt(2)

    def arrival(self, span_s: tuple[float, float]) -> tuple[float, float, float] | None:
        """The strongest second arrival in a span: when in s, how strong against the first, how far over chance (in sigmas)."""
        if not self._count:
            return None
        mean = self._sum / self._count
        a, b = (round(row * self.rate) for row in span_s)
        around = max(4, round(0.0004 * self.rate))
        part = (
            mean[a - around : b + around + 1] if a > around else np.pad(mean[: b + around + 1], (around - a, 0), "edge")
        )
        # A voice's own shape is smooth there; an arrival is a point.
        wide = np.lib.stride_tricks.sliding_window_view(part, 2 * around + 1)
        middle = np.median(np.delete(wide, slice(around - 1, around + 2), axis=1), axis=1)
        own = part[around : around + len(middle)] - middle
        spread = 1.4826 * float(np.median(np.abs(own)))
        # Averaged over ever more stretches chance goes away, and what a voice has of its own does not: it must not pass a bar that sinks.
        spread = max(spread, self._single[span_s] / self._count / math.sqrt(min(self._count, ENOUGH)))
        for cycle in CYCLES_S:
            first = round(cycle * self.rate)
            if self._over(mean, first, around) < limit("arrival-over") * spread:
                continue
            for k in range(1, int(span_s[1] / cycle) + 2):
                at = round(k * cycle * self.rate) - a
                own[max(at - 2, 0) : max(at + 3, 0)] = 0.0
        best = int(np.argmax(own))
        if not 1 <= best < len(own) - 1:
            return None
        y = own[best - 1 : best + 2]
        bend = y[0] - 2 * y[1] + y[2]
        apart = 0.5 * (y[0] - y[2]) / bend if bend < 0 else 0.0
        # Between two samples an arrival is shared out over both.
        strong = float(y[1] + max(y[0], y[2], 0.0))
        return (a + best + apart) / self.rate, strong, float(y[1]) / max(spread, 1e-9)

    @staticmethod
    def _over(mean: Floats, at: int, around: int) -> float:
        """How far one place stands over what is near it."""
        near = np.concatenate((mean[at - around : at - 1], mean[at + 2 : at + around + 1]))
        return float(mean[at - 1 : at + 2].max() - np.median(near))

    def found(self) -> Iterator[SoundFault]:
        for code, span in (("comb", COMB_S), ("echo", ECHO_S)):
            row = self.arrival(span)
            if row is None:
                continue
            when, strong, over = row
            level = 20 * math.log10(max(strong, 1e-6))
            least = limit("comb") if code == "comb" else echo_limit_db(when * 1000)
            if over > limit("arrival-over") and level > least:
                words = f"the same sound again after {when * 1000:.2f} ms, {show_number(level, 'dB')} against the first"
                yield fault(code, "arrival", level - least, words)


def echo_limit_db(ms: float) -> float:
    """How strong a second arrival must be to disturb, in dB against the first, by its delay: between the points of the table, beyond as at its ends.

    >>> echo_limit_db(100.0)
    -22.0
    """
    table = data_table("prove")["sound"]["echo"]
    return float(np.interp(ms, table["ms"], table["db"]))


@dataclass
class Decay:
    """Listens to how fast a sound goes after a word: no room lets it go faster than its reverberation time."""

    frames: Frames

    def slopes(self) -> Floats:
        """How fast the level falls after each word, in dB a second, from 5 to 25 dB under it; shape (falls,)."""
        fine = np.concatenate(self.frames.fine) if self.frames.fine else np.zeros(0)
        if len(fine) < 400:
            return np.zeros(0)
        smooth = np.convolve(fine, np.ones(4) / 4, "same")
        level = 10 * np.log10(np.maximum(smooth, 1e-13))
        floor, top = np.percentile(level[level > -125], (10, 95)) if (level > -125).any() else (0.0, 0.0)
        if top - floor < 30:
            return np.zeros(0)
        out = []
        reach = round(1.5 / FINE_S)
        peaks = np.flatnonzero((level[1:-1] > top - 10) & (level[1:-1] >= level[:-2]) & (level[1:-1] > level[2:])) + 1
        for at in peaks:
            after = level[at : at + reach]
            first = int(np.argmax(after < level[at] - 5))
            last = int(np.argmax(after < level[at] - 25))
            # A fall of its own, with no other sound in it, that ends above the noise.
            if first and last > first and level[at] - 25 > floor + 5 and after[: last + 1].max() <= level[at]:
                rises = np.diff(after[first : last + 1])
                if rises.max(initial=0.0) < 3:
                    out.append(20 / ((last - first) * FINE_S))
        return np.array(out)

    def take(self, stretch: Stretch) -> None:
        """Its frames are kept once for all."""

    def found(self) -> Iterator[SoundFault]:
        slopes = self.slopes()
        if len(slopes) < limit("falls"):
            return
        seconds = 60 / float(np.percentile(slopes, 75))
        if seconds > limit("reverberation"):
            words = f"after {counted(len(slopes), 'word')} the sound takes {seconds:.2f} s to fall by 60 dB, where it falls fastest"
            yield fault("reverberant", "reverberation", seconds, words)
