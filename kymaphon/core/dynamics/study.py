"""Everything that is told of a take of talk, with or without a take of its room: one reading of each file, then one more.

The first reading makes the key's levels and finds words; the second makes the spectra of voice and room. Memory grows by
32 bytes for a millisecond of take; the sound itself is never held.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import show_number
from kymaphon.core.dynamics.envelope import edges
from kymaphon.core.dynamics.filters import LowCutChoice, choose_low_cut, key_sections, low_cut_sections
from kymaphon.core.dynamics.key import Key, KeyMeter, Signal
from kymaphon.core.dynamics.speech import NoTalkError, Spans, SpeechSegments, segment_speech
from kymaphon.core.figures import number
from kymaphon.core.model.processing import Gate, LowCut
from kymaphon.core.takes.measure import CLIP_LEVEL, NotANumberError
from kymaphon.core.takes.spectrum import NoiseKind, Spectrum, SpectrumMeter, noise_kind
from kymaphon.core.words import counted

LONGEST_S = 3600.0
BLOCK = 1 << 16
SHORTEST_WORD_S = 0.18
"""A window of the spectrum has to fit into it."""


class Source(Protocol):
    """A recording that can be read from its beginning as often as wanted."""

    @property
    def name(self) -> str: ...

    @property
    def sample_rate_hz(self) -> int: ...

    @property
    def channels(self) -> int: ...

    @property
    def frames(self) -> int: ...

    def blocks(self) -> Iterator[NDArray[np.float32]]:
        """Its samples in order; each block of shape (frames, channels), full scale 1."""
        ...


@dataclass(frozen=True)
class Held:
    """A recording that is held in memory; `samples` of shape (frames,) or (frames, channels)."""

    samples: NDArray[np.float32]
    sample_rate_hz: int
    name: str = "take"

    @property
    def channels(self) -> int:
        return 1 if self.samples.ndim == 1 else self.samples.shape[1]

    @property
    def frames(self) -> int:
        return len(self.samples)

    def blocks(self) -> Iterator[NDArray[np.float32]]:
        rows = self.samples.reshape(len(self.samples), -1)
        for start in range(0, len(rows), BLOCK):
            yield rows[start : start + BLOCK]


@dataclass(frozen=True)
class Study:
    """A take of talk, studied.

    Attributes:
        channel: which was listened to, from 1.
        low_cut: what comes before the gate's key; the words were found behind it.
        voice, room: their spectra, before any filter; None where no stretch is long enough.
        kind: what sort of noise the room is.
        choice: the low cut that voice and room ask for; None where it cannot be told.
        notes: what the user should know.
    """

    talk: SpeechSegments
    channel: int
    low_cut: LowCut | None
    voice: Spectrum | None
    room: Spectrum | None
    kind: NoiseKind | None
    choice: LowCutChoice | None
    notes: tuple[str, ...] = field(default=())


Progress = Callable[[float], bool]


class Stopped(Exception):
    """The user stopped the work."""


def study(
    take: Source,
    room: Source | None = None,
    *,
    channel: int | None = None,
    low_cut: LowCut | None = None,
    gate: Gate | None = None,
    room_spans: Spans | None = None,
    talk_spans: Spans | None = None,
    progress: Progress | None = None,
) -> Study:
    """Listens to a take.

    Args:
        channel: from 1; None takes the loudest. The room's take is listened to in the same one, if it has it.
        low_cut: what the sound passes before the gate.
        gate: whose key filter the key passes.

    Raises:
        NoTalkError: no gate can be set from it; the message says why.
        NotANumberError: a sample is no number.
        ValueError: there is no such channel, or a filter does not fit into the sample rate.
        Stopped: `progress` said so.
    """
    whole = [row for row in (take, room) if row is not None]
    steps = _Steps(progress, sum(row.frames for row in whole) * 2)
    notes = list(_about(take, room))
    if channel is not None and not 1 <= channel <= take.channels:
        raise ValueError(f"channel {channel} is wanted; {take.name} has {take.channels}")
    chosen = channel - 1 if channel is not None else loudest_channel(take)
    if take.channels > 1 and channel is None:
        notes.append(f"channel {chosen + 1} of {take.channels} is listened to: the loudest")
    filters = key_filters(take, low_cut, gate)
    key, clipped = _key(take, chosen, filters, steps)
    room_key = None
    room_channel = 0
    if room is not None:
        room_channel = chosen if chosen < room.channels else 0
        room_key, _ = _key(room, room_channel, key_filters(room, low_cut, gate), steps)
    if clipped:
        share = clipped * key.step_s / max(key.seconds, 1e-9)
        if share > number("clipped-share") / 100:
            raise NoTalkError(
                f"clipped from end to end ({share:.0%} of its time): its levels say nothing of the voice; turn the gain down "
                "and record again"
            )
        notes.append(f"clipped in {clipped} places: the loudest words were louder than they look; turn the gain down")
    talk = segment_speech(key, room_key, room_spans=room_spans, talk_spans=talk_spans)
    voice = _spectrum(take, chosen, ((word.start_s, word.end_s) for word in talk.words), steps)
    if room is None:
        silent = _spectrum(take, chosen, talk.room_s, steps)
    else:
        silent = _spectrum(room, room_channel, ((0.0, room.frames / room.sample_rate_hz),), steps)
    kind = noise_kind(silent) if silent is not None else None
    choice = choose_low_cut(voice, silent) if voice is not None and silent is not None else None
    return Study(talk, chosen + 1, low_cut, voice, silent, kind, choice, (*notes, *talk.notes))


class _Steps:
    """Counts what was read, and tells."""

    def __init__(self, progress: Progress | None, frames: int) -> None:
        self._progress, self._frames, self._done = progress, max(frames, 1), 0

    def add(self, frames: int) -> None:
        self._done += frames
        if self._progress is not None and not self._progress(min(1.0, self._done / self._frames)):
            raise Stopped


def _about(take: Source, room: Source | None) -> Iterator[str]:
    if take.sample_rate_hz < 16000:
        yield (
            f"recorded at {take.sample_rate_hz / 1000:g} kHz: nothing above {take.sample_rate_hz / 2000:g} kHz is in it, and "
            "consonants live there"
        )
    if take.frames / take.sample_rate_hz > LONGEST_S:
        yield f"only its first {LONGEST_S / 60:.0f} minutes are listened to"
    if room is not None and room.sample_rate_hz != take.sample_rate_hz:
        yield (
            f"the room was recorded at {room.sample_rate_hz / 1000:g} kHz and the talk at {take.sample_rate_hz / 1000:g}: "
            "their noise is counted over different widths"
        )


def key_filters(source: Source, low_cut: LowCut | None, gate: Gate | None) -> NDArray[np.float64] | None:
    """The filters before a key: the low cut of the strip, then those of the key; None for none."""
    rows = []
    if low_cut is not None and low_cut.on:
        rows.append(low_cut_sections(low_cut, source.sample_rate_hz))
    if gate is not None:
        keyed = key_sections(gate, source.sample_rate_hz)
        if keyed is not None:
            rows.append(keyed)
    return np.concatenate(rows) if rows else None


def _blocks(source: Source, channel: int) -> Iterator[Signal]:
    left = round(LONGEST_S * source.sample_rate_hz)
    at = 0
    for block in source.blocks():
        column = np.ascontiguousarray(block[:left, channel], dtype=np.float32)
        if not np.isfinite(column).all():
            bad = int(np.flatnonzero(~np.isfinite(column))[0])
            raise NotANumberError((at + bad) / source.sample_rate_hz)
        yield column
        at += len(column)
        left -= len(column)
        if left <= 0:
            return


def loudest_channel(source: Source) -> int:
    """The channel with most energy, from 0."""
    if source.channels == 1:
        return 0
    power = np.zeros(source.channels)
    for block in source.blocks():
        sums = np.einsum("ij,ij->j", block, block, dtype=np.float64)
        power += np.where(np.isfinite(sums), sums, 0.0)
    return int(np.argmax(power))


def _key(source: Source, channel: int, sections: NDArray[np.float64] | None, steps: _Steps) -> tuple[Key, int]:
    """The key, and in how many runs of at least three samples the sound before its filters is clipped."""
    meter = KeyMeter(source.sample_rate_hz, sections)
    clipped = 0
    for block in _blocks(source, channel):
        meter.add(block)
        starts, ends = edges(np.abs(block) >= CLIP_LEVEL)
        clipped += int((ends - starts >= 3).sum())
        steps.add(len(block))
    return meter.result(), clipped


def _spectrum(source: Source, channel: int, spans: Iterable[tuple[float, float]], steps: _Steps) -> Spectrum | None:
    """The spectrum of some stretches, cut out of one reading."""
    rate = source.sample_rate_hz
    wanted = [(round(a * rate), round(b * rate)) for a, b in spans if b - a >= SHORTEST_WORD_S]
    meter = SpectrumMeter(rate)
    held: list[Signal] = []
    at, next_ = 0, 0
    for block in _blocks(source, channel):
        end = at + len(block)
        while next_ < len(wanted) and wanted[next_][0] < end:
            a, b = wanted[next_]
            held.append(block[max(a - at, 0) : max(b - at, 0)])
            if b > end and sum(len(piece) for piece in held) < LONG_STRETCH * rate:
                break
            meter.add(np.concatenate(held))
            held = []
            if b > end:
                # A long stretch is added in parts; it goes on at the next block.
                wanted[next_] = (end, b)
                break
            next_ += 1
        at = end
        steps.add(len(block))
    if held:
        meter.add(np.concatenate(held))
    return meter.result()


LONG_STRETCH = 5.0
"""Seconds of one stretch that are held at a time."""


def study_words(found: Study) -> tuple[str, ...]:
    """What was measured, in lines."""
    talk = found.talk
    lines = [
        f"speech {show_number(talk.speech_dbfs, 'dBFS')}, room {show_number(talk.noise_dbfs, 'dBFS')}, voice over room "
        f"{show_number(talk.snr_db, 'dB')}; {counted(len(talk.words), 'word')}"
    ]
    if found.room is not None:
        lines.append(f"room A-weighted {show_number(found.room.weighted_dbfs, 'dBFS')}")
    if found.kind is not None:
        lines.append(found.kind.words)
    return tuple(lines)
