"""The noise floor of a take: its quietest sustained half second, flat and A-weighted, without the DC that it stands on, and
the hum in it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.takes.spectrum import HumLines, hum_lines, spectrum_of_one
from kymaphon.core.units import amplitude_to_db, power_to_db

Floats = NDArray[np.float64]
Signal = NDArray[np.float32]
HOP_S = 0.05
FLOOR_WINDOW_S = 0.5
WINDOW_HOPS = round(FLOOR_WINDOW_S / HOP_S)
SINE_DB = 10 * float(np.log10(2))
SILENT_POWER = 2e-16
"""Mean square below which a stretch is digital silence: the rounding of 24 bits alone makes 1.2e-15."""
FIRST_FRAMES = 8192
DOUBTFUL = 1e-3
"""A hop that moves by less than this part of its mean square is summed again in double precision."""
LEAST_DC = 1e-3
"""DC that is taken off before squares are summed, re full scale; less does not touch the precision of the sums."""


@dataclass(frozen=True, slots=True)
class Floor:
    """The quietest half second of a channel.

    Attributes:
        level_dbfs, weighted_dbfs: flat and A-weighted, AES17.
        at_s: where it begins.
        hum: hum of the mains in it, line by line; None where there is none.
    """

    level_dbfs: float
    weighted_dbfs: float
    at_s: float
    hum: HumLines | None


class FloorMeter:
    """Takes blocks in order; keeps 20 powers a second and the samples of the quietest half second of each channel.

    Args:
        sample_rate_hz, channels: of the take.
    """

    def __init__(self, sample_rate_hz: int, channels: int) -> None:
        self.sample_rate_hz = sample_rate_hz
        self.channels = channels
        self._hop = max(1, round(HOP_S * sample_rate_hz))
        self._rest: Signal = np.zeros((0, channels), dtype=np.float32)
        self._shift: Signal | None = None
        self._recent: Signal = np.zeros((0, channels), dtype=np.float32)
        self._window: tuple[Floats, Floats] = (np.zeros((0, channels)), np.zeros((0, channels)))
        self._floor: Floats = np.full(channels, np.inf)
        self._floor_at: Floats = np.zeros(channels)
        self._quiet: list[Signal] = [np.zeros(0, dtype=np.float32) for _ in range(channels)]
        self._sum: Floats = np.zeros(channels)
        self._square: Floats = np.zeros(channels)
        self._frames = 0
        self._rows: list[Floats] = []
        self._hops = 0

    def shifted(self, block: Signal) -> Signal:
        """A block without the DC of the first one: what is left of it is small enough to sum in single precision."""
        if self._shift is None:
            first = block[:FIRST_FRAMES].mean(axis=0, dtype=np.float64)
            self._shift = np.where(np.abs(first) > LEAST_DC, first, 0.0).astype(np.float32)
        return block - self._shift if self._shift.any() else block

    def add(self, block: Signal) -> None:
        """The next samples, `shifted`; shape (frames, channels)."""
        joined = np.concatenate((self._rest, block)) if len(self._rest) else block
        whole = len(joined) // self._hop
        used = np.ascontiguousarray(joined[: whole * self._hop])
        self._rest = joined[whole * self._hop :].copy()
        if not whole:
            return
        # Sums of every hop in one sweep; a hop is short enough for the precision of the samples.
        shaped = used.reshape(whole, self._hop, self.channels).transpose(0, 2, 1)
        ones = np.ones(self._hop, dtype=np.float32)
        means = np.matmul(shaped, ones).astype(np.float64) / self._hop
        squares = np.einsum("hcs,hcs->hc", shaped, shaped).astype(np.float64) / self._hop
        for hop, channel in np.argwhere(squares - means * means <= DOUBTFUL * squares):
            exact = shaped[hop, channel].astype(np.float64)
            means[hop, channel] = exact.mean() if np.ptp(exact) else exact[0]
            squares[hop, channel] = exact.var() + means[hop, channel] ** 2
        self._sum += means.sum(axis=0) * self._hop
        self._square += squares.sum(axis=0) * self._hop
        self._frames += len(used)
        self._rows.append(np.stack((means, squares)))
        self._look(used, means, squares)

    def _look(self, used: Signal, means: Floats, squares: Floats) -> None:
        """The quietest window that ends in these hops, each against its own mean."""
        first = self._hops - len(self._window[0])
        rows = [np.concatenate(pair) for pair in zip(self._window, (means, squares), strict=True)]
        audio = np.concatenate((self._recent, used))
        if len(rows[0]) >= WINDOW_HOPS:
            sliding = np.lib.stride_tricks.sliding_window_view
            mean, square = (sliding(row, WINDOW_HOPS, axis=0).mean(axis=-1) for row in rows)
            power = np.maximum(square - mean * mean, 0.0)
            lowest = power.argmin(axis=0)
            for channel in np.flatnonzero(power[lowest, np.arange(self.channels)] < self._floor):
                at = int(lowest[channel])
                self._floor[channel] = power[at, channel]
                self._floor_at[channel] = (first + at) * self._hop / self.sample_rate_hz
                begin = at * self._hop
                self._quiet[channel] = audio[begin : begin + WINDOW_HOPS * self._hop, channel].copy()
        self._hops += len(means)
        kept = WINDOW_HOPS - 1
        self._window = (rows[0][-kept:], rows[1][-kept:])
        self._recent = audio[len(audio) - min(len(audio), kept * self._hop) :].copy()

    @property
    def dc(self) -> Floats:
        """Mean of each channel, re full scale; shape (channels,)."""
        shift = self._shift if self._shift is not None else np.zeros(self.channels, dtype=np.float32)
        return np.asarray(self._sum / max(self._frames, 1) + shift, dtype=np.float64)

    @property
    def mean_square(self) -> Floats:
        """Mean square of each channel without its DC; shape (channels,)."""
        if not self._frames:
            return np.zeros(self.channels)
        mean = self._sum / self._frames
        return np.asarray(np.maximum(self._square / self._frames - mean * mean, 0.0))

    def hop_powers(self, channel: int) -> NDArray[np.float32]:
        """Mean square of every twentieth of a second without the channel's DC; shape (hops,)."""
        if not self._rows:
            return np.zeros(0, dtype=np.float32)
        rows = np.concatenate(self._rows, axis=1)[..., channel]
        mean = float(self._sum[channel]) / self._frames
        # A hop that does not move at all is digital silence, whatever DC the rest of the take has.
        still = rows[1] - rows[0] ** 2 <= SILENT_POWER
        powers = np.where(still, 0.0, np.maximum(rows[1] - 2 * mean * rows[0] + mean * mean, 0.0))
        return np.asarray(powers, dtype=np.float32)

    def told(self, channel: int) -> bool:
        """Whether there was a whole half second."""
        return bool(np.isfinite(self._floor[channel]))

    def silent(self, channel: int) -> bool:
        """Whether the quietest half second is digital silence."""
        return bool(self._floor[channel] < SILENT_POWER or not np.ptp(self._quiet[channel]))

    def floor(self, channel: int) -> Floor:
        """The quietest half second of a channel. Call it where one was `told` that is not `silent`."""
        spectrum = spectrum_of_one(self._quiet[channel], self.sample_rate_hz)
        return Floor(
            power_to_db(float(self._floor[channel])) + SINE_DB,
            spectrum.weighted_dbfs,
            float(self._floor_at[channel]),
            hum_lines(spectrum),
        )


def dc_dbfs(mean: float) -> float | None:
    """DC in dB re full scale; None for none."""
    return amplitude_to_db(abs(mean)) if mean else None
