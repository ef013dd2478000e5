"""All detectors at once, fed block by block: what is wrong with a recording, the surest first."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from kymaphon.core.takes.faults.kinds import SoundFault
from kymaphon.core.takes.faults.noise import Noise
from kymaphon.core.takes.faults.room import Decay, Twice
from kymaphon.core.takes.faults.sides import Sides
from kymaphon.core.takes.faults.stretch import STRETCH_S, Frames, Samples, Stretch
from kymaphon.core.takes.faults.tones import Hum, Telephone
from kymaphon.core.takes.faults.tops import Clicks, Gaps, Offset, Tops
from kymaphon.core.takes.faults.voice import Chopping, Codec, HowTaken

LEAST_RATE_HZ = 4000


class Detector(Protocol):
    """One sort of listening."""

    def take(self, stretch: Stretch) -> None:
        """Takes in the next stretch."""

    def found(self) -> Iterator[SoundFault]:
        """What was heard of its faults so far."""


@dataclass
class FaultFinder:
    """Listens to a recording block by block; `result` at any time, of what has been heard so far.

    Works on stretches of four seconds; of an hour it keeps some 80 MB (levels of bands every 10 ms, lines of every stretch).

    Attributes:
        channels: of the recording; two are held against each other.
    """

    sample_rate_hz: int
    channels: int
    frames: int = 0
    _waiting: list[Samples] = field(default_factory=list)
    _count: int = 0
    _frames: Frames = field(init=False)
    _detectors: tuple[Detector, ...] = field(init=False)

    def __post_init__(self) -> None:
        rate = self.sample_rate_hz
        kept = self._frames = Frames(rate)
        # What happens to samples is told at any rate; what needs a voice, a tone or a room is not below that of a telephone.
        samples: tuple[Detector, ...] = (Tops(), Gaps(), Sides(self.channels), Offset(self.channels))
        if rate < LEAST_RATE_HZ:
            self._detectors = samples
            return
        self._detectors = (
            *samples,
            Telephone(rate),
            Hum(rate),
            Clicks(),
            Twice(rate),
            Decay(kept),
            Noise(kept),
            HowTaken(kept),
            Codec(rate),
            Chopping(kept),
        )

    @property
    def _stretch(self) -> int:
        return round(STRETCH_S * self.sample_rate_hz)

    def add(self, block: Samples) -> None:
        """Takes in a block of shape (frames, channels)."""
        self._waiting.append(block.reshape(-1, self.channels))
        self._count += len(self._waiting[-1])
        while self._count >= self._stretch:
            whole = np.concatenate(self._waiting)
            self._take(whole[: self._stretch], whole=True)
            rest = whole[self._stretch :]
            self._waiting, self._count = [rest], len(rest)

    def _take(self, samples: Samples, *, whole: bool) -> None:
        stretch = Stretch(samples, self.frames / self.sample_rate_hz, self.sample_rate_hz, whole)
        if self.sample_rate_hz >= LEAST_RATE_HZ:
            self._frames.add(stretch)
        for detector in self._detectors:
            detector.take(stretch)
        self.frames += len(samples)

    def result(self) -> tuple[SoundFault, ...]:
        """Every fault heard, the surest first. What is left after the last whole stretch is listened to as well."""
        if self._count:
            self._take(np.concatenate(self._waiting), whole=False)
            self._waiting, self._count = [], 0
        if not self.frames:
            return ()
        return ranked(row for detector in self._detectors for row in detector.found())


def ranked(found: Iterable[SoundFault]) -> tuple[SoundFault, ...]:
    """The surest first, and of each sort once. What another fault explains is left out where that one is surer (`explained` in the data)."""
    best: dict[str, SoundFault] = {}
    for row in found:
        if row.code not in best or row.confidence > best[row.code].confidence:
            best[row.code] = row
    kept: list[SoundFault] = []
    for row in sorted(best.values(), key=lambda row: -row.confidence):
        if not any(other.code in row.explained_by for other in kept):
            kept.append(row)
    return tuple(kept)


def in_common(found: Sequence[Sequence[SoundFault]]) -> tuple[tuple[str, ...], dict[int, tuple[str, ...]]]:
    """Which faults all of several recordings have, and which only one of them has.

    Returns:
        Codes that are in all; for each recording (by number) those that are in it alone.
    """
    sets = [{row.code for row in rows} for rows in found]
    every = set.intersection(*sets) if sets else set()
    alone = {
        n: tuple(sorted(code for code in rows if sum(code in other for other in sets) == 1))
        for n, rows in enumerate(sets)
        if len(sets) > 1
    }
    return tuple(sorted(every)), {n: rows for n, rows in alone.items() if rows}
