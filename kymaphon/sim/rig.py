"""A rig that plays a show: what would come out of any point of it while one voice speaks, with its noise and clipping.

Talkers are never quite as loud as a plan takes them to be. Each has a hidden difference that stays through a run, so that
lining up finds it, and turning a gain mends it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.analysis.report import Report
from kymaphon.sim.playing import FULL_SCALE as FULL_SCALE
from kymaphon.sim.playing import ShowPlayer
from kymaphon.sim.talker import talk

Floats = NDArray[np.float64]
SPREAD_DB = 3.0
MOST_DB = 7.0


@dataclass(frozen=True)
class SimulatedRig:
    """Plays shows.

    Attributes:
        seed: which talkers.
        true_to_plan: talkers are exactly as loud as the show says.
    """

    sample_rate_hz: int = 48000
    seed: int = 1
    true_to_plan: bool = False
    _talk: dict[tuple[str, int], Floats] = field(default_factory=dict, compare=False, repr=False)

    def surprise_db(self, voice: str) -> float:
        """How much louder a talker is than the show says, to the tenth of a dB."""
        if self.true_to_plan:
            return 0.0
        rng = np.random.default_rng([self.seed, crc32(voice.encode())])
        return float(np.clip(round(rng.normal(0, SPREAD_DB), 1), -MOST_DB, MOST_DB))

    def play(
        self,
        analysis: Report,
        voice: str,
        node: str,
        *,
        seconds: float = 6.0,
        plan_db: float = 0.0,
        silent: bool = False,
    ) -> Floats:
        """One voice alone at a point, other channels shut: speech, noise, and what clips on the way; shape (frames,).

        Args:
            silent: nobody speaks; what is left is the room and the rig's own noise.
            plan_db: how far the show's figure for this talker was moved since by what was measured of it.

        Raises:
            KeyError: an unknown voice or point.
            ValueError: the voice does not come there.
        """
        ladder = analysis.ladder_to_node(voice, node)
        if ladder is None:
            raise ValueError(f"{voice} does not come to {node}")
        rung, mouth = ladder.last, analysis.graph.mouths[voice]
        frames, late = (round(row * self.sample_rate_hz) for row in (seconds, rung.delay_ms / 1000))
        sources = (
            {}
            if silent
            else {mouth[0]: self._voice(voice, frames + late, mouth[1].value + self.surprise_db(voice) - plan_db)}
        )
        # Thresholds of a gate are found in front of it, and gains are lined up by what is not yet compressed.
        player = ShowPlayer(analysis, self.sample_rate_hz, self.seed, chains=False).along(ladder.path)
        least = max(frames + late, self.sample_rate_hz)
        (sound,) = player.at([analysis.graph.index[node]], least / self.sample_rate_hz, sources=sources)
        return np.asarray(sound[late : late + frames] / 10 ** (FULL_SCALE[rung.unit] / 20))

    def _voice(self, voice: str, frames: int, level_db: float) -> Floats:
        """A talker, always the same for a voice and a length."""
        key = (voice, frames)
        if key not in self._talk:
            number = crc32(voice.encode()) + self.seed
            self._talk[key] = talk(frames / self.sample_rate_hz, self.sample_rate_hz, level_dbfs=0.0, seed=number)
        return np.asarray(self._talk[key] * 10 ** (level_db / 20))


def blocks(signal: Floats, frames: int) -> Iterator[Floats]:
    """A signal block by block."""
    for start in range(0, len(signal), frames):
        yield signal[start : start + frames]
