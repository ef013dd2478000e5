"""Meters of a real input on air: a channel for each voice, read as its line-up is read. Nothing of the sound is kept."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.air.trends import READING_S
from kymaphon.core.analysis.report import Report
from kymaphon.core.levels.lineup.expected import Expected, expected_at
from kymaphon.core.levels.lineup.run import needle_of, on_scale, read_meter, steps_of

Block = NDArray[np.float32]
MOST_BLOCKS = 2000


class Input(Protocol):
    """What gives the sound."""

    def stop(self) -> None: ...


class LiveMeters:
    """The meters. Blocks come from the sound library's thread and are taken in by the window's.

    Args:
        voices: channel by channel, what should be read of whom.
        opened: opens the input, given what takes its blocks.
    """

    def __init__(
        self,
        voices: tuple[tuple[str, Expected], ...],
        sample_rate_hz: int,
        opened: Callable[[Callable[[Block], None]], Input],
    ) -> None:
        self.voices, self._rate = voices, sample_rate_hz
        self._blocks: deque[Block] = deque(maxlen=MOST_BLOCKS)
        self._held: list[Block] = []
        self._needles = {voice: needle_of(expected, sample_rate_hz) for voice, expected in voices}
        self._needle: dict[str, float | None] = {}
        self._reading: dict[str, float | None] = {}
        self._input = opened(self._blocks.append)

    def take_in(self) -> None:
        """Reads what came since."""
        while self._blocks:
            block = self._blocks.popleft()
            self._held.append(block)
            for n, (voice, expected) in enumerate(self.voices):
                if n >= block.shape[1]:
                    continue
                meter = self._needles[voice]
                meter.add(block[:, n].astype(np.float64))
                level = meter.dbfs
                told = on_scale(expected.meter, level, expected) if level is not None else None
                shows = expected.shows.value
                self._needle[voice] = (told - shows) / expected.meter.per_db if told is not None else None
        if sum(len(block) for block in self._held) >= READING_S * self._rate:
            whole = np.concatenate(self._held)
            self._held = []
            for n, (voice, expected) in enumerate(self.voices):
                self._reading[voice] = _read(expected, whole[:, n], self._rate) if n < whole.shape[1] else None

    def needle(self, voice: str) -> float | None:
        """Where the meter stands, dB above its mark; None for nothing."""
        return self._needle.get(voice)

    def reading(self, voice: str) -> float | None:
        """What it showed of the last seconds; None for nothing."""
        return self._reading.get(voice)

    def stop(self) -> None:
        self._input.stop()


def _read(expected: Expected, sound: Block, rate: int) -> float | None:
    try:
        shown = read_meter(expected, sound.astype(np.float64), rate, 0.0).shown
    except ValueError:
        return None
    return expected.level(shown) - expected.wanted_db


def digital_points(analysis: Report) -> tuple[tuple[str, Expected], ...]:
    """For each voice that can be lined up what its channel should show where it is first digital; those that never are, are left out."""
    out = []
    for step in steps_of(analysis):
        ladder = analysis.any_ladder(step.voice)
        rows = ladder.rungs if ladder is not None else ()
        point = next((row for row in rows if row.unit == "dBFS"), None)
        expected = expected_at(analysis, ladder, point) if ladder is not None and point is not None else None
        if expected is not None:
            out.append((step.voice, expected))
    return tuple(out)
