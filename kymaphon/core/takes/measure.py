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

from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.levels.meter.active import SpeechMeter
from kymaphon.core.levels.meter.loudness import LAYOUTS, LoudnessMeter
from kymaphon.core.levels.meter.peaks import TruePeakMeter
from kymaphon.core.takes.floor import Floor, FloorMeter, dc_dbfs
from kymaphon.core.takes.spectrum import HumLines
from kymaphon.core.units import amplitude_to_db, power_to_db

LOWEST_RATE_HZ = 8000
"""Below this neither loudness nor speech can be told."""
GATHERED_FRAMES = 8192
CLIP_LEVEL = 0.9999
"""Samples at or above this part of full scale count as clipped; the largest 16-bit value is 0.99997."""
CLIP_RUN = 3
"""So many of them in a row make a clipped run; one or two can be an honest peak (common practice)."""
LEAST_TOLD_DC = 1e-5
"""DC below -100 dB re full scale is not told."""
LOUDEST_SAMPLE = 1e6
"""Samples beyond 120 dB over full scale are no sound: damaged, or of another format."""
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
        integrated_lufs, momentary_max_lufs, short_max_lufs, range_lu: of the channels that were counted as one programme
        (BS.1770-5, EBU R 128); `loudness_of` says which.
        noise_floor_dbfs, noise_floor_a_dbfs: the quietest sustained half second of the loudest channel, flat and A-weighted,
        without DC.
        floor_at_s: where that half second begins.
        hum: hum of the mains in it, or None.
        channel_dc: mean of each channel, re full scale.
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
    noise_floor_a_dbfs: float | None = None
    hum: HumLines | None = None
    channel_dc: tuple[float, ...] = ()
    loudness_of: str = ""
    hop_power: NDArray[np.float32] = field(
        default_factory=lambda: np.zeros(0, dtype=np.float32), compare=False, repr=False
    )

    @property
    def duration_s(self) -> float:
        return self.frames / self.sample_rate_hz

    @property
    def dc_dbfs(self) -> float | None:
        """The strongest channel's DC in dB re full scale; None where it is too little to tell."""
        most = max((abs(value) for value in self.channel_dc), default=0.0)
        return amplitude_to_db(most) if most > LEAST_TOLD_DC else None

    def noise_floor(self) -> Derived | None:
        """The noise floor with how it came about."""
        if self.noise_floor_dbfs is None:
            return None
        source = f"quietest half second, at {self.floor_at_s or 0:.1f} s; windows of 0.5 s every 0.05 s; AES17"
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
            ("noise floor, A-weighted", self.noise_floor_a_dbfs, "dBFS(A)"),
            ("DC, re full scale", self.dc_dbfs, "dB"),
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
            "noise_floor_dbfs_a": _rounded(self.noise_floor_a_dbfs),
            "noise_floor_at_s": _rounded(self.floor_at_s),
            "dc_db_re_full_scale": _rounded(self.dc_dbfs),
            "channel_dc": [round(value, 7) for value in self.channel_dc],
            "hum": None
            if self.hum is None
            else {
                "mains_hz": self.hum.mains_hz,
                "lines": [{"at_hz": at, "level_dbfs": round(level, 3)} for at, level in self.hum.lines],
            },
            "loudness_of": self.loudness_of,
            "clipped_runs": self.clipped_runs,
            "longest_clipped_run_samples": self.longest_run,
            "first_clipped_runs": [
                {"at_s": round(run.at_s, 6), "samples": run.samples, "channel": run.channel} for run in self.first_runs
            ],
            "channel_peak_dbfs": [_rounded(value) for value in self.channel_peak_dbfs],
            "channel_rms_dbfs": [_rounded(value) for value in self.channel_rms_dbfs],
            "notes": list(self.notes),
        }


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 4)


class NotANumberError(ValueError):
    """A sample is not a number, infinite, or far beyond any sound. `at_s` says where, `what` how."""

    def __init__(self, at_s: float, what: str = "that are not numbers") -> None:
        super().__init__(f"samples {what}, at {at_s:.3f} s")
        self.at_s = at_s
        self.what = what


@dataclass
class TakeMeter:
    """Takes blocks in order, then tells what it measured.

    Attributes:
        group: channels, from 1, whose loudness is told as one programme; None takes all of a mono or stereo take, and those
            of a 5.1 one. `layout` names their weights where it is not told by their number.

    Raises:
        ValueError: no channels, a sample rate not above zero, a channel that is not there, or a layout of another size.
    """

    sample_rate_hz: int
    channels: int
    frames: int = 0
    group: tuple[int, ...] | None = None
    layout: str | None = None
    _peaks: TruePeakMeter = field(init=False)
    _speech: tuple[SpeechMeter, ...] = field(init=False)
    _loudness: LoudnessMeter | None = field(init=False, default=None)
    _floor: FloorMeter = field(init=False)
    _grouped: tuple[int, ...] = ()
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
        self._floor = FloorMeter(self.sample_rate_hz, self.channels)
        self._grouped, weights = self._programme()
        if told and self._grouped:
            self._loudness = LoudnessMeter(self.sample_rate_hz, weights)
        self._open_run = np.zeros(self.channels, dtype=np.int64)

    def _programme(self) -> tuple[tuple[int, ...], tuple[float, ...]]:
        """Channels, from 0, that are one programme, and their weights; empty where they are tracks of their own."""
        chosen = self.group
        if chosen is None:
            whole = self.layout is not None or self.channels <= 2
            chosen = tuple(range(1, self.channels + 1)) if whole else ()
        bad = [row for row in chosen if not 1 <= row <= self.channels]
        if bad:
            raise ValueError(f"there is no channel {bad[0]}: the take has {self.channels}")
        if len(set(chosen)) != len(chosen):
            raise ValueError("a channel is named twice")
        weights = LAYOUTS[self.layout] if self.layout is not None else (1.0,) * len(chosen)
        if len(weights) != len(chosen):
            raise ValueError(f"{self.layout} has {len(weights)} channels, not {len(chosen)}")
        return tuple(row - 1 for row in chosen), weights

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
        # The sum of squares is small enough only when every sample is a number, and one that can be.
        flat = np.ascontiguousarray(block).ravel()
        with np.errstate(over="ignore", invalid="ignore"):
            together = float(np.dot(flat, flat))
        if not together < LOUDEST_SAMPLE:
            with np.errstate(invalid="ignore"):
                wild = np.flatnonzero(~(np.abs(block) < LOUDEST_SAMPLE).all(axis=1))
            if len(wild):
                bad = int(wild[0])
                finite = bool(np.isfinite(block[bad]).all())
                at = (self.frames + self._waiting_frames + bad) / self.sample_rate_hz
                what = (
                    f"far beyond full scale ({float(np.abs(block[bad]).max()):.0e} times)"
                    if finite
                    else "that are not numbers"
                )
                raise NotANumberError(at, what)
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
        self._peaks.add(block)
        still = self._floor.shifted(block)
        for channel, meter in enumerate(self._speech):
            meter.add(still[:, channel])
        if self._loudness is not None:
            whole = len(self._grouped) == self.channels
            self._loudness.add(block if whole else block[:, list(self._grouped)])
        if float(max(block.max(), -block.min())) >= CLIP_LEVEL or self._open_run.any():
            self._count_clipping(np.abs(block))
        self._floor.add(still)
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

    def result(self) -> TakeMeasure:
        """What was measured. Call it once, at the end."""
        self._measure()
        for channel in np.flatnonzero(self._open_run):
            length = int(self._open_run[channel])
            self._close_run(self.frames - length, length, int(channel))
            self._open_run[channel] = 0
        self._peaks.finish()
        mean = self._floor.mean_square
        loudest = int(np.argmax(mean))
        peaks, levels = _levels(self._peaks.peak, amplitude_to_db), _levels(mean, power_to_db, SINE_DB)
        true_peak = _levels(self._peaks.true_peak, amplitude_to_db)
        notes: list[str] = []
        quiet = self._noise_floor(loudest, notes)
        floor = None if quiet is None else quiet.level_dbfs
        speech, share = self._active_speech(loudest, floor, notes)
        self._tell_dc(notes)
        if quiet is not None and quiet.hum is not None:
            notes.append(quiet.hum.words)
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
        if not self._grouped:
            notes.append(
                f"{self.channels} channels are taken as {self.channels} separate tracks: no loudness is told of them together; name "
                "those that are one programme with --group, or their layout with --layout"
            )
        elif meter is None and self.frames:
            notes.append(f"below {LOWEST_RATE_HZ} samples a second neither loudness nor speech can be told")
        elif meter is not None and peaks[loudest] is not None and not meter.long_enough:
            notes.append("shorter than 0.4 s: no loudness can be told")
        return TakeMeasure(
            self.sample_rate_hz,
            self.channels,
            self.frames,
            _highest(peaks),
            levels[loudest],
            floor,
            None if quiet is None else quiet.at_s,
            self._runs,
            self._longest,
            tuple(sorted(self._first, key=lambda run: run.at_s)),
            peaks,
            levels,
            tuple(notes),
            _highest(true_peak),
            speech,
            share,
            *self._loudness_told(),
            None if quiet is None else quiet.weighted_dbfs,
            None if quiet is None else quiet.hum,
            tuple(float(value) for value in self._floor.dc),
            self._loudness_of(),
            self._floor.hop_powers(loudest),
        )

    def _loudness_of(self) -> str:
        """Which channels the loudness is of, in words; empty where none is told."""
        if self._loudness is None:
            return ""
        if self.layout is not None:
            return self.layout
        if len(self._grouped) == self.channels:
            return "mono" if self.channels == 1 else "stereo" if self.channels == 2 else f"{self.channels} channels"
        return "channel" + ("s " if len(self._grouped) > 1 else " ") + ", ".join(str(row + 1) for row in self._grouped)

    def _tell_dc(self, notes: list[str]) -> None:
        for channel, mean in enumerate(self._floor.dc):
            level = dc_dbfs(float(mean))
            if level is not None and level >= number("dc-told"):
                where = f" in channel {channel + 1}" if self.channels > 1 else ""
                notes.append(
                    f"DC of {abs(mean):.2%} of full scale ({show_number(level, 'dB')}){where}: it is taken off the levels and the noise floor; "
                    "it costs headroom, and clicks where the take is cut"
                )

    def _loudness_told(self) -> tuple[float | None, float | None, float | None, float | None]:
        """Integrated, highest momentary, highest short-term, range; None each where none is told."""
        meter = self._loudness
        if meter is None:
            return None, None, None, None
        return meter.integrated_lufs(), meter.momentary_max_lufs, meter.short_max_lufs, meter.range_lu()

    def _noise_floor(self, loudest: int, notes: list[str]) -> Floor | None:
        """The quietest half second of the loudest channel; None with a note that says why."""
        if not self.frames:
            notes.append("the take is empty")
        elif not self._peaks.peak.any():
            notes.append("digital silence from end to end: nothing was recorded")
        elif not self._floor.told(loudest):
            notes.append("shorter than half a second: no noise floor can be told")
        elif self._floor.silent(loudest):
            notes.append("half a second of digital silence: a gate, a mute or an edit; no noise floor can be told")
        else:
            return self._floor.floor(loudest)
        return None

    def _active_speech(self, loudest: int, floor: float | None, notes: list[str]) -> tuple[float | None, float | None]:
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
