"""Lines that stay where they are: hum of the mains, lamps and dimmers, a telephone's frames."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import show_number
from kymaphon.core.takes.faults.kinds import SoundFault, fault, limit
from kymaphon.core.takes.faults.stretch import STRETCH_S, Floats, Stretch
from kymaphon.core.takes.spectrum import HumLines

HIGHEST_HZ = 2400.0
"""Lines are looked for up to here."""
TELEPHONE_HZ = 1 / 0.004615
"""Frames of TDMA telephones; 216.7 Hz."""
MAINS_HZ = (50.0, 60.0)
MULTIPLES = 9
LOW_RATE = 1000
LOW_HZ = 480.0
WINDOW_S = 16.0
ALONE = 2
"""Of so low a multiple one line is enough: no voice holds a tone so still, and few go as low."""
MAINS_OFF = 0.005
"""Mains keep to two parts in a thousand (EN 50160, from memory); a generator is worse."""


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a spectrum: where, how strong in dBFS, and how far it stands over what is around it, in dB."""

    hertz: float
    dbfs: float
    over_db: float


def line_near(spectrum: Floats, step_hz: float, hertz: float, within: float) -> Line | None:
    """The line near a frequency, read between the bins by a parabola through its logarithm; None where none stands out.

    Args:
        spectrum: amplitudes, `step_hz` apart; shape (bins,).
    """
    low, high = math.ceil((hertz - within) / step_hz), math.floor((hertz + within) / step_hz)
    if high < low:
        low = high = round(hertz / step_hz)
    if high >= len(spectrum) - 24 or low < 2:
        return None
    at = low + int(np.argmax(spectrum[low : high + 1]))
    around = np.concatenate((spectrum[max(0, at - 24) : max(0, at - 4)], spectrum[at + 5 : at + 25]))
    over = 20 * math.log10(max(float(spectrum[at]), 1e-12) / max(float(np.median(around)), 1e-12))
    if over < limit("line-over") or spectrum[at] < max(spectrum[at - 1], spectrum[at + 1]):
        return None
    a, b, c = (math.log(max(float(spectrum[at + k]), 1e-12)) for k in (-1, 0, 1))
    apart = 0.5 * (a - c) / (a - 2 * b + c) if a - 2 * b + c < -1e-9 else 0.0
    return Line((at + apart) * step_hz, 20 * math.log10(max(float(spectrum[at]), 1e-12)), over)


@dataclass(frozen=True)
class Mains:
    """Lines at multiples of one frequency.

    Attributes:
        hertz: the frequency that fits all of them best, each as often as it is a multiple.
        lines: (multiple, line).
    """

    hertz: float
    lines: tuple[tuple[int, Line], ...]

    @property
    def level_dbfs(self) -> float:
        """All together."""
        return 10 * math.log10(sum(10 ** (line.dbfs / 10) for _, line in self.lines))

    @property
    def even(self) -> float:
        """The part of their power in even multiples, 0 to 1: rectified mains, as behind a lamp's supply, has nothing else."""
        power = [(n, 10 ** (line.dbfs / 10)) for n, line in self.lines]
        return sum(row for n, row in power if n % 2 == 0) / sum(row for _, row in power)


def mains_in(spectrum: Floats, step_hz: float) -> Mains | None:
    """Hum in a spectrum: lines at two multiples at least of one frequency near 50 or 60 Hz."""
    best: Mains | None = None
    # What lies as far under the strongest line is an echo of the arithmetic.
    least = max(20 * math.log10(max(float(spectrum.max(initial=0.0)), 1e-12)) - 70, limit("hum-level") - 10)
    for nominal in MAINS_HZ:
        rows = [
            (n, line)
            for n in range(1, MULTIPLES + 1)
            if (line := line_near(spectrum, step_hz, n * nominal, max(n * nominal * MAINS_OFF, step_hz))) is not None
            and line.dbfs > least
        ]
        fit = _fit(rows, step_hz)
        if fit is not None and len(fit.lines) > 1 and 3 * len(fit.lines) < standing(spectrum, step_hz):
            continue  # a line at every step has some at these too
        if fit is not None and (best is None or len(fit.lines) > len(best.lines)):
            best = fit
    return best


def standing(spectrum: Floats, step_hz: float) -> int:
    """How many lines stand out of a spectrum, from 30 Hz on, wherever they are."""
    reach = 24
    wide = np.lib.stride_tricks.sliding_window_view(spectrum, 2 * reach + 1)
    over = 10 ** (limit("line-over") / 20) * np.maximum(np.median(wide, axis=1), 1e-9)
    own = spectrum[reach : len(spectrum) - reach]
    first = max(1, round(30 / step_hz) - reach)
    top = (own[1:-1] > own[:-2]) & (own[1:-1] >= own[2:]) & (own[1:-1] > over[1:-1])
    return int(top[first:].sum())


def _fit(rows: list[tuple[int, Line]], step_hz: float) -> Mains | None:
    """The frequency of which most lines are multiples; a line that is none, as of a voice, is left out."""
    best: list[tuple[int, Line]] = []
    for n, line in rows:
        base = line.hertz / n
        near = [(k, row) for k, row in rows if abs(row.hertz - k * base) <= 0.3 * step_hz * max(1.0, k / n)]
        if len(near) > len(best):
            best = near
    alone = len(best) == 1 and best[0][0] <= ALONE and best[0][1].over_db >= limit("line-alone")
    if not alone and (len(best) < 2 or all(n > 8 for n, _ in best)):
        return None
    # Least squares through nothing: each line is read to the same width, so a high multiple tells more.
    hertz = sum(n * line.hertz for n, line in best) / sum(n * n for n, _ in best)
    return Mains(hertz, tuple(best))


@dataclass
class Telephone:
    """Listens for lines at multiples of a telephone's frame rate, in some stretches."""

    rate: int
    _rows: list[tuple[float, NDArray[np.float32]]] = field(default_factory=list)

    def take(self, stretch: Stretch) -> None:
        if stretch.whole:
            last = round(HIGHEST_HZ * STRETCH_S)
            self._rows.append((stretch.start_s, stretch.spectrum[: last + 1].astype(np.float32)))

    def found(self) -> Iterator[SoundFault]:
        step = self.rate / round(STRETCH_S * self.rate)
        marks, best = [], 0
        for start, kept in self._rows:
            row = kept.astype(np.float64)
            lines = [line_near(row, step, TELEPHONE_HZ * k, 1.5) for k in range(1, 11)]
            count = sum(1 for line in lines if line is not None)
            right = sum(
                1 for k, line in enumerate(lines, 1) if line is not None and abs(line.hertz / k - TELEPHONE_HZ) < 0.15
            )
            if right < limit("telephone-lines") or right < 0.7 * count:
                continue
            # Where lines stand everywhere some stand here too.
            if standing(row, step) <= 5 * right + 10:
                marks.append(start)
                best = max(best, right)
        if marks:
            words = f"{best} of 10 multiples of {TELEPHONE_HZ:.1f} Hz, in {len(marks)} of {len(self._rows)} stretches"
            yield fault("telephone-burst", "telephone-lines", best, words, marks)


@dataclass
class Hum:
    """Listens below half a kilohertz, in windows of sixteen seconds: so long a voice holds no tone, and mains do."""

    rate: int
    _filter: Any = None
    _state: Any = None
    _skip: int = 0
    _rows: list[NDArray[np.float32]] = field(default_factory=list)

    @property
    def _every(self) -> int:
        return max(1, self.rate // LOW_RATE)

    def take(self, stretch: Stretch) -> None:
        from scipy.signal import cheby2, sosfilt, sosfilt_zi

        if self._filter is None:
            if self._every == 1:
                self._filter = False
            else:
                self._filter = cheby2(10, 90, 1.1 * LOW_RATE / self.rate, output="sos")
                self._state = sosfilt_zi(self._filter) * 0.0
        sound = stretch.mono
        if self._filter is not False:
            sound, self._state = sosfilt(self._filter, sound, zi=self._state)
        self._rows.append(sound[self._skip :: self._every].astype(np.float32))
        self._skip = (self._skip - len(sound)) % self._every

    def mains(self) -> Mains | None:
        """What is in three of four windows, bin by bin; None where no hum is."""
        sound = np.concatenate(self._rows).astype(np.float64) if self._rows else np.zeros(0)
        rate = self.rate / self._every
        size = min(round(WINDOW_S * rate), len(sound))
        if size < 6 * rate:
            return None
        rows = np.lib.stride_tricks.sliding_window_view(sound, size)[:: max(1, size // 2)]
        window = np.hanning(size)
        lines = np.abs(np.fft.rfft(rows * window, axis=1)) * 2 / window.sum()
        lines = lines[:, : round(LOW_HZ * size / rate)]
        return mains_in(np.percentile(lines, 25, axis=0), rate / size)

    def found(self) -> Iterator[SoundFault]:
        mains = self.mains()
        if mains is None or mains.level_dbfs < limit("hum-level"):
            return
        rows = ", ".join(f"{n}x {show_number(line.dbfs, 'dBFS')}" for n, line in mains.lines[:6])
        count = len(mains.lines)
        more = f" and {count - 6} more" if count > 6 else ""
        together = show_number(mains.level_dbfs, "dBFS")
        words = f"{count} line{'' if count == 1 else 's'} at multiples of {mains.hertz:.2f} Hz, {together} together: {rows}{more}"
        yield fault(sort_of(mains), "hum-lines", count, words)


def sort_of(mains: Mains) -> str:
    """Hum, or a lamp's or dimmer's buzz where nearly all is in even multiples."""
    return "dimmer-buzz" if mains.even > limit("even-share") and all(n > 1 for n, _ in mains.lines) else "hum"


def pause_fault(hum: HumLines) -> SoundFault:
    """What lines at multiples of the mains are in the quietest half second: hum, or a lamp's or dimmer's buzz where even ones carry most."""
    power = {round(hertz / hum.mains_hz): 10 ** (level / 10) for hertz, level in hum.lines}
    even = sum(row for n, row in power.items() if n % 2 == 0) / sum(power.values())
    code = "dimmer-buzz" if even > limit("even-share") else "hum"
    return fault(code, "hum-lines", len(hum.lines), hum.words)
