"""What a strip does to a take, processor by processor: speech, peaks and room behind each, and how late."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kymaphon.core.dynamics.chain import delay_ms, run_chain
from kymaphon.core.dynamics.key import SINE_DB, Signal
from kymaphon.core.dynamics.speech import Spans, SpeechSegments
from kymaphon.core.model.processing import NAMES, Ducker, Processing
from kymaphon.core.units import SILENCE_DB, power_to_db

LONGEST_S = 90.0
"""Of a longer take the beginning is enough."""


@dataclass(frozen=True, slots=True)
class Behind:
    """The sound behind one processor, in the levels of the take.

    Attributes:
        speech_dbfs: mean level in the words (AES17); `peak_dbfs` the highest sample.
        room_dbfs: mean level in the pauses; `SILENCE_DB` where nothing is left.
        late_ms: by look-ahead, up to here.
    """

    name: str
    speech_dbfs: float
    peak_dbfs: float
    room_dbfs: float
    late_ms: float

    @property
    def over_room_db(self) -> float:
        return self.speech_dbfs - self.room_dbfs


def through(
    signal: Signal, talk: SpeechSegments, chain: Sequence[Processing], sample_rate_hz: int
) -> tuple[Behind, ...]:
    """The take as it is, then behind each processor that is on; shape of `signal`: (frames,).

    Args:
        chain: thresholds in the levels of the take.

    Raises:
        ValueError: a filter does not fit into the sample rate.
    """
    sound = signal[: round(LONGEST_S * sample_rate_hz)]
    words = tuple((word.start_s, word.end_s) for word in talk.words)
    out = [_behind("the take", sound, words, talk.room_s, sample_rate_hz, 0.0)]
    late = 0.0
    for row in chain:
        if not row.on or isinstance(row, Ducker):
            continue
        sound = run_chain(sound, (row,), sample_rate_hz)
        late += delay_ms((row,))
        out.append(_behind(NAMES[row.sort], sound, words, talk.room_s, sample_rate_hz, late))
    return tuple(out)


def _behind(name: str, sound: Signal, words: Spans, room: Spans, rate: int, late_ms: float) -> Behind:
    peak = float(np.abs(sound).max(initial=0.0))
    return Behind(
        name,
        _mean(sound, words, rate, late_ms),
        20 * math.log10(peak) if peak > 0 else SILENCE_DB,
        _mean(sound, room, rate, late_ms),
        late_ms,
    )


def _mean(sound: Signal, spans: Spans, rate: int, late_ms: float) -> float:
    """Mean level in some stretches, in dBFS."""
    energy, frames = 0.0, 0
    for start, end in spans:
        a, b = (min(round((at + late_ms / 1000) * rate), len(sound)) for at in (start, end))
        part = sound[a:b]
        energy += float(np.dot(part, part))
        frames += len(part)
    return power_to_db(energy / frames) + SINE_DB if energy > 0 else SILENCE_DB
