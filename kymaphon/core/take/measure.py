"""Measures a recording block by block: peaks, rms, speech level, loudness, noise floor, clipped runs. Memory does
not grow with its length, but for 20 values of loudness a second.

Levels are dBFS as in AES17: a full-scale sine reads 0 dBFS rms; sample peak is re full scale.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived
from kymaphon.core.figures import number
from kymaphon.core.meter.active import SpeechMeter
from kymaphon.core.meter.loudness import LAYOUTS, LoudnessMeter
from kymaphon.core.meter.peaks import TruePeakMeter
from kymaphon.core.units import amplitude_to_db, power_to_db

LOWEST_RATE_HZ = 8000
"""Below this neither loudness nor speech can be told."""
GATHERED_FRAMES = 8192
HOP_S = 0.05
FLOOR_WINDOW_S = 0.5
WINDOW_HOPS = round(FLOOR_WINDOW_S / HOP_S)
CLIP_LEVEL = 0.9999
"""Samples at or above this part of full scale count as clipped; the largest 16-bit value is 0.99997."""
CLIP_RUN = 3
"""So many of them in a row make a clipped run; one or two can be an honest peak (common practice)."""
SINE_DB = 10 * math.log10(2)
"""AES17: the rms of a full-scale sine is 0 dBFS, so rms levels are 3.01 dB up on the rms of the samples."""


@dataclass(frozen=True, slots=True)
class ClippedRun:
    """Where a run of clipped samples begins, in seconds, its length in samples, and the channel (from 1)."""

    at_s: float
    samples: int
    channel: int


@dataclass(frozen=True, slots=True)
class TakeMeasure:
    """What was measured. Levels are None where there is nothing to tell: digital silence, or a take too
    short.

    Attributes:
        peak_dbfs, rms_dbfs: over all channels: the highest peak, the loudest channel's rms.
        true_peak_dbtp: of all channels (BS.1770-5, annex 2).
        speech_dbfs, speech_share: active speech level of the loudest channel and the share of the time that is active
        (ITU-T P.56); None where no speech stands out.
        hop_power: mean square of the loudest channel in every twentieth of a second, as it went; shape (hops,).
        integrated_lufs, momentary_max_lufs, short_max_lufs, range_lu: of a mono or stereo take (BS.1770-5, EBU R 128).
        noise_floor_dbfs: the quietest sustained half second of the loudest channel.
        floor_at_s: where that half second begins.
        clipped_runs: how many; `first_runs` are the first of them.
    """

    sample_rate_hz: int
    channels: int
    frames: int
    peak_dbfs: float | None
    rms_dbfs: float | None
    noise_floor_dbfs: float | None
    floor_at_s: float | None
    clipped_runs: int
    longest_run: int
    first_runs: tuple[ClippedRun, ...]
    channel_peak_dbfs: tuple[float | None, ...]
    channel_rms_dbfs: tuple[float | None, ...]
    notes: tuple[str, ...]
    true_peak_dbtp: float | None = None
    speech_dbfs: float | None = None
    speech_share: float | None = None
    integrated_lufs: float | None = None
    momentary_max_lufs: float | None = None
    short_max_lufs: float | None = None
    range_lu: float | None = None
    hop_power: NDArray[np.float32] = field(
        default_factory=lambda: np.zeros(0, dtype=np.float32), compare=False, repr=False
    )

    @property
    def duration_s(self) -> float:
        return self.frames / self.sample_rate_hz

    def noise_floor(self) -> Derived | None:
        """The noise floor with how it came about."""
        if self.noise_floor_dbfs is None:
            return None
        source = (
            f"quietest half second, at {self.floor_at_s or 0:.1f} s; windows of 0.5 s every 0.05 s; AES17"
        )
        return Derived("noise floor", self.noise_floor_dbfs, "dBFS", "10 lg(2 mean x\u00b2)", source=source)

    def table(self) -> tuple[tuple[str, float | None, str], ...]:
        """What is told of a take, each with its unit; None where there is nothing to tell."""
        share = None if self.speech_share is None else 100 * self.speech_share
        return (
            ("peak", self.peak_dbfs, "dBFS"),
            ("true peak", self.true_peak_dbtp, "dBTP"),
            ("average, rms", self.rms_dbfs, "dBFS"),
            ("speech level", self.speech_dbfs, "dBFS"),
            ("of the time speech", share, "%"),
            ("loudness, integrated", self.integrated_lufs, "LUFS"),
            ("momentary, highest", self.momentary_max_lufs, "LUFS"),
            ("short-term, highest", self.short_max_lufs, "LUFS"),
            ("loudness range", self.range_lu, "LU"),
            ("noise floor", self.noise_floor_dbfs, "dBFS"),
        )

    def to_json(self) -> dict[str, Any]:
        return {
            "sample_rate_hz": self.sample_rate_hz,
            "channels": self.channels,
            "frames": self.frames,
            "duration_s": round(self.duration_s, 6),
            "peak_dbfs": _rounded(self.peak_dbfs),
            "true_peak_dbtp": _rounded(self.true_peak_dbtp),
            "speech_dbfs": _rounded(self.speech_dbfs),
            "speech_share": _rounded(self.speech_share),
            "integrated_lufs": _rounded(self.integrated_lufs),
            "momentary_max_lufs": _rounded(self.momentary_max_lufs),
            "short_max_lufs": _rounded(self.short_max_lufs),
            "range_lu": _rounded(self.range_lu),
            "rms_dbfs": _rounded(self.rms_dbfs),
            "noise_floor_dbfs": _rounded(self.noise_floor_dbfs),
            "noise_floor_at_s": _rounded(self.floor_at_s),
            "clipped_runs": self.clipped_runs,
            "longest_clipped_run_samples": self.longest_run,
            "first_clipped_runs": [
                {"at_s": round(run.at_s, 6), "samples": run.samples, "channel": run.channel}
                for run in self.first_runs
            ],
            "channel_peak_dbfs": [_rounded(value) for value in self.channel_peak_dbfs],
            "channel_rms_dbfs": [_rounded(value) for value in self.channel_rms_dbfs],
            "notes": list(self.notes),
        }


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 4)


class NotANumberError(ValueError):
    """A sample is not a number, or infinite. `at_s` says where."""

    def __init__(self, at_s: float) -> None:
        super().__init__(f"a sample at {at_s:.3f} s is not a number")
        self.at_s = at_s


@dataclass
class TakeMeter:
    """Takes blocks in order, then tells what it measured.

    Raises:
        ValueError: no channels, or a sample rate not above zero.
    """

    sample_rate_hz: int
    channels: int
    frames: int = 0
    _peaks: TruePeakMeter = field(init=False)
    _speech: tuple[SpeechMeter, ...] = field(init=False)
    _loudness: LoudnessMeter | None = field(init=False, default=None)
    _power: NDArray[np.float64] = field(init=False)
    _hop: int = field(init=False)
    _rest: NDArray[np.float32] = field(init=False)
    _window: NDArray[np.float64] = field(init=False)
    _floor: NDArray[np.float64] = field(init=False)
    _floor_at: NDArray[np.float64] = field(init=False)
    _hops: int = 0
    _hop_rows: list[NDArray[np.float32]] = field(default_factory=list)
    _open_run: NDArray[np.int64] = field(init=False)
    _waiting: list[NDArray[np.float32]] = field(default_factory=list)
    _waiting_frames: int = 0
    _clipped: int = 0
    _runs: int = 0
    _longest: int = 0
    _first: list[ClippedRun] = field(default_factory=list)

    def __post_init__(self) -> None:
        if self.channels < 1 or self.sample_rate_hz < 1:
            raise ValueError("a take has at least one channel and a sample rate above zero")
        self._peaks = TruePeakMeter(self.sample_rate_hz, self.channels)
        told = self.sample_rate_hz >= LOWEST_RATE_HZ
        self._speech = tuple(SpeechMeter(self.sample_rate_hz) for _ in range(self.channels if told else 0))
        if told and self.channels <= 2:
            self._loudness = LoudnessMeter(
                self.sample_rate_hz, LAYOUTS["mono" if self.channels == 1 else "stereo"]
            )
        self._power = np.zeros(self.channels)
        self._hop = max(1, round(HOP_S * self.sample_rate_hz))
        self._rest = np.zeros((0, self.channels), dtype=np.float32)
        self._window = np.zeros((0, self.channels))
        self._floor = np.full(self.channels, np.inf)
        self._floor_at = np.zeros(self.channels)
        self._open_run = np.zeros(self.channels, dtype=np.int64)

    def add(self, block: NDArray[np.float32]) -> None:
        """The next samples.

        Args:
            block: shape (frames, channels), full scale 1.

        Raises:
            ValueError: another number of channels.
            NotANumberError: a sample is not a finite number.
        """
        if block.ndim != 2 or block.shape[1] != self.channels:
            raise ValueError(f"expected {self.channels} channels")
        if not len(block):
            return
        # The sum of squares is a number exactly when every sample is one.
        flat = np.ascontiguousarray(block).ravel()
        if not math.isfinite(float(np.dot(flat, flat))):
            bad = int(np.flatnonzero(~np.isfinite(block).all(axis=1))[0])
            raise NotANumberError((self.frames + self._waiting_frames + bad) / self.sample_rate_hz)
        self._waiting.append(np.asarray(block, dtype=np.float32))
        self._waiting_frames += len(block)
        if self._waiting_frames >= GATHERED_FRAMES:
            self._measure()

    @property
    def taken(self) -> int:
        """Frames that were taken in."""
        return self.frames + self._waiting_frames

    def _measure(self) -> None:
        """Measures what is gathered: short blocks would cost more in passing on than in measuring."""
        if not self._waiting:
            return
        block = self._waiting[0] if len(self._waiting) == 1 else np.concatenate(self._waiting)
        self._waiting, self._waiting_frames = [], 0
        squares = block * block
        self._peaks.add(block)
        for channel, meter in enumerate(self._speech):
            meter.add(block[:, channel])
        if self._loudness is not None:
            self._loudness.add(block)
        if float(squares.max()) >= CLIP_LEVEL**2 or self._open_run.any():
            self._count_clipping(np.abs(block))
        self._add_hops(squares)
        self.frames += len(block)

    def _count_clipping(self, magnitude: NDArray[np.float32]) -> None:
        hot = magnitude >= CLIP_LEVEL
        self._clipped += int(hot.any(axis=1).sum())
        touched = hot.any(axis=0) | (self._open_run > 0)
        for channel in np.flatnonzero(touched):
            column = np.concatenate(([self._open_run[channel] > 0], hot[:, channel], [False]))
            change = np.diff(column.astype(np.int8))
            starts = np.flatnonzero(change == 1)
            ends = np.flatnonzero(change == -1)
            if column[0]:
                starts = np.concatenate(([0], starts))
            carried = int(self._open_run[channel])
            self._open_run[channel] = 0
            for start, end in zip(starts, ends, strict=True):
                length = int(end - start)
                begin = self.frames + int(start)
                if start == 0 and carried:
                    length += carried
                    begin -= carried
                if end == len(magnitude):
                    self._open_run[channel] = length
                else:
                    self._close_run(begin, length, int(channel))

    def _close_run(self, begin: int, length: int, channel: int) -> None:
        if length < CLIP_RUN:
            return
        self._runs += 1
        self._longest = max(self._longest, length)
        if len(self._first) < 20:
            self._first.append(ClippedRun(begin / self.sample_rate_hz, length, channel + 1))

    def _add_hops(self, squares: NDArray[np.float32]) -> None:
        rest = np.concatenate((self._rest, squares)) if len(self._rest) else squares
        whole = len(rest) // self._hop
        if whole:
            used = np.ascontiguousarray(rest[: whole * self._hop])
            # Sums of every hop in one sweep; a hop is short enough for the precision of the samples.
            shaped = used.reshape(whole, self._hop, self.channels).transpose(0, 2, 1)
            sums = np.matmul(shaped, np.ones(self._hop, dtype=used.dtype))
            self._add_powers(sums.astype(np.float64) / self._hop)
        self._rest = rest[whole * self._hop :].copy()

    def _add_powers(self, powers: NDArray[np.float64]) -> None:
        """Mean squares of some hops: the whole's power, and the quietest window of each channel."""
        self._power += powers.sum(axis=0) * self._hop
        self._hop_rows.append(powers.astype(np.float32))
        joined = np.concatenate((self._window, powers))
        first = self._hops - len(self._window)
        count = len(joined) - WINDOW_HOPS + 1
        if count > 0:
            means = np.lib.stride_tricks.sliding_window_view(joined, WINDOW_HOPS, axis=0).mean(axis=-1)
            lowest = means.argmin(axis=0)
            found = means[lowest, np.arange(self.channels)]
            lower = found < self._floor
            self._floor = np.where(lower, found, self._floor)
            begins = (first + lowest) * self._hop / self.sample_rate_hz
            self._floor_at = np.where(lower, begins, self._floor_at)
        self._hops += len(powers)
        self._window = joined[-(WINDOW_HOPS - 1) :]

    def result(self) -> TakeMeasure:
        """What was measured. Call it once, at the end."""
        self._measure()
        for channel in np.flatnonzero(self._open_run):
            length = int(self._open_run[channel])
            self._close_run(self.frames - length, length, int(channel))
            self._open_run[channel] = 0
        self._peaks.finish()
        mean = self._power / max(self.frames, 1)
        loudest = int(np.argmax(mean))
        peaks, levels = _levels(self._peaks.peak, amplitude_to_db), _levels(mean, power_to_db, SINE_DB)
        true_peak = _levels(self._peaks.true_peak, amplitude_to_db)
        notes: list[str] = []
        floor, floor_at = self._noise_floor(loudest, notes)
        speech, share = self._active_speech(loudest, floor, notes)
        if self._runs:
            notes.append(
                f"{self._runs} clipped run{'s' if self._runs > 1 else ''}, the longest {self._longest} samples"
            )
        if self.frames and self._clipped > self.frames * number("clipped-share") / 100:
            notes.append(
                f"clipped from end to end ({self._clipped / self.frames:.0%} of the samples): its levels say nothing of "
                "the sound, only of the clipping"
            )
        meter = self._loudness
        if self.channels > 2:
            notes.append(
                f"{self.channels} channels are taken as {self.channels} separate tracks: loudness is told of mono and stereo"
            )
        elif meter is None and self.frames:
            notes.append(f"below {LOWEST_RATE_HZ} samples a second neither loudness nor speech can be told")
        elif meter is not None and peaks[loudest] is not None and meter.momentary_lufs is None:
            notes.append("shorter than 0.4 s: no loudness can be told")
        return TakeMeasure(
            self.sample_rate_hz, self.channels, self.frames, _highest(peaks), levels[loudest], floor, floor_at,
            self._runs, self._longest, tuple(sorted(self._first, key=lambda run: run.at_s)), peaks, levels, tuple(notes),
            _highest(true_peak), speech, share, *self._loudness_told(), self._hop_powers(loudest),
        )  # fmt: skip

    def _hop_powers(self, channel: int) -> NDArray[np.float32]:
        if not self._hop_rows:
            return np.zeros(0, dtype=np.float32)
        return np.concatenate([rows[:, channel] for rows in self._hop_rows])

    def _loudness_told(self) -> tuple[float | None, float | None, float | None, float | None]:
        """Integrated, highest momentary, highest short-term, range; None each where none is told."""
        meter = self._loudness
        if meter is None:
            return None, None, None, None
        return meter.integrated_lufs(), meter.momentary_max_lufs, meter.short_max_lufs, meter.range_lu()

    def _noise_floor(self, loudest: int, notes: list[str]) -> tuple[float | None, float | None]:
        """The quietest half second of the loudest channel and where it begins; None with a note that says why."""
        if not self.frames:
            notes.append("the take is empty")
        elif not self._peaks.peak.any():
            notes.append("digital silence from end to end: nothing was recorded")
        elif not np.isfinite(self._floor[loudest]):
            notes.append("shorter than half a second: no noise floor can be told")
        elif self._floor[loudest] == 0:
            notes.append(
                "half a second of digital silence: a gate, a mute or an edit; no noise floor can be told"
            )
        else:
            return power_to_db(float(self._floor[loudest])) + SINE_DB, float(self._floor_at[loudest])
        return None, None

    def _active_speech(
        self, loudest: int, floor: float | None, notes: list[str]
    ) -> tuple[float | None, float | None]:
        """Active speech level and its share of the time, where something stands out from the floor."""
        if not self._speech or not self._peaks.peak.any():
            return None, None
        meter = self._speech[loudest]
        level, share = meter.level_dbfs(), meter.activity
        if level is None:
            notes.append("too short, or too quiet throughout, for a speech level")
            return None, None
        if floor is not None and level - floor < number("speech-stands-out"):
            notes.append(
                f"no speech found: what is there lies within {number('speech-stands-out'):.0f} dB of its own quietest half second"
            )
            return None, None
        return level, share


def _levels(
    values: NDArray[np.float64], to_db: Callable[[float], float], more_db: float = 0.0
) -> tuple[float | None, ...]:
    """Each in dB, None for nothing."""
    return tuple(to_db(float(value)) + more_db if value > 0 else None for value in values)


def _highest(levels: tuple[float | None, ...]) -> float | None:
    return max((level for level in levels if level is not None), default=None)
