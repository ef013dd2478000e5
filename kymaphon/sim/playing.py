"""The whole show played: every voice, room and stage of the rig at once, as sound at any of its points.

Built once from the graph: which steps lead to what is listened to, in which order, with how many samples of delay. What flows one way
is mixed in long chunks; what goes round is mixed in blocks so short that every loop has one step that is longer, so that loops really
come back, and howl where they do, bounded by what clips. A level of L in the unit of a point is a signal of RMS 10^(L/20)/sqrt(2)
(AES17: a full sine reads its peak).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, field
from functools import lru_cache
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.computing.computed import Computed
from kymaphon.core.dynamics.chain import run_chain
from kymaphon.core.graph.components import components_of
from kymaphon.core.graph.flow import NOTHING
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.signal import STRAY, Edge
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.processing import Processing
from kymaphon.core.prove.faults import SILENT, Fault, Move
from kymaphon.sim.blemishes import blemish
from kymaphon.sim.talker import talk

Floats = NDArray[np.float64]
FULL_SCALE = {"dBFS": 0.0, "dBu": 30.0, "dB SPL": 140.0}
"""Level, in the unit of a point, of a full-scale sine of the simulation there."""
CHUNK = 12000
BLOCK = 4000
OTHER = -1
"""No node: what is about to be added to one."""
BANK = 1 << 20
TALK_S = 6.0
MURMUR_S = 10.2
"""Six of its swells."""
TALKERS = 6
"""So many talkers are made, each so long; voices share them, each from a place of its own, and they go round."""
SHORTEST = 16
"""A loop without delay is given one of so many samples: no sound goes round in no time."""
LEAST_S = 1.0
WEAK_ROUND = 0.01
"""What comes round at 40 dB under what went out is not followed in its time."""
BLEMISH_DB = {"dBu": -34.0, "dBFS": -48.0, "dB SPL": 55.0}
"""Peak of what a fault adds where nobody is heard, in the unit of the point."""
USUAL_UNDER_DB = 27.0
"""So far its peak lies under the average of the loudest voice at that very point: hum with its multiples then lies 25 dB under it (assumed)."""
BLEMISH_UNDER_DB = {"telephone-burst": 0.0}
"""The same of sorts that are louder: a telephone beside a lead bursts as high as speech, an eighth of the time (assumed)."""


@dataclass(frozen=True, slots=True)
class _Step:
    source: int
    gain: float
    delay: int
    stray: bool = False


@dataclass(frozen=True)
class _Part:
    """Nodes that are mixed together: one, or all of a loop in their order, in blocks of so many samples."""

    nodes: tuple[int, ...]
    block: int


@dataclass(slots=True)
class _Noise:
    """What hisses at a node: in each chunk it reads the bank from another place, so that no two are alike, nor one at two times."""

    rng: np.random.Generator
    rms: float
    at: int = 0


@lru_cache(2)
def noise_bank(seed: int) -> Floats:
    """White noise of RMS 1, made once for all sources: shape (BANK,)."""
    return np.random.default_rng([seed, BANK]).normal(0.0, 1.0, BANK)


def rms_dbfs(sound: Floats) -> Floats:
    """RMS of each side in dBFS by AES17, where a sine of full scale is 0; silence is -200.

    Args:
        sound: shape (sides, frames).

    >>> rms_dbfs(np.sin(np.arange(480) * np.pi / 24)[None]).round(6) + 0.0
    array([0.])
    """
    return np.asarray(10 * np.log10(np.maximum((sound**2).mean(axis=1) * 2, 1e-20)))


@dataclass
class ShowPlayer:
    """A rig that plays.

    Attributes:
        seed: which talk and which noise.
        faults: what is wrong with the rig that plays; the show stays as it is.
        noise: whether rooms, microphones and stages add theirs.
        voices: whether anybody speaks.
        chains: whether strips process (`core/dynamics`, exactly as on Quiet). Duckers do not: they listen to another strip. What comes
            round a loop into its own strip comes there as if that strip did not process.
    """

    analysis: Computed
    sample_rate_hz: int = 48000
    seed: int = 1
    faults: tuple[Fault, ...] = ()
    noise: bool = True
    voices: bool = True
    chains: bool = True
    _steps: list[list[_Step]] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        moved = {row.edge: row for fault in self.faults for row in fault.moves}
        self._steps = self._steps_of(enumerate(self.analysis.graph.edges), moved)

    def _steps_of(self, edges: Iterable[tuple[int, Edge]], moved: Mapping[int, Move]) -> list[list[_Step]]:
        """What comes to each node by some steps of the signal, as they are or as faults have them."""
        steps: list[list[_Step]] = [[] for _ in self.analysis.graph.nodes]
        for i, edge in edges:
            move = moved.get(i)
            target, gain_db = (move.target, move.gain_db) if move else (edge.target, edge.gain_db)
            if (move is None and not edge.on) or gain_db == SILENT:
                continue
            delay = round(edge.delay_ms * self.sample_rate_hz / 1000)
            steps[target].append(_Step(edge.source, 10 ** (gain_db / 20), delay, edge.kind in STRAY))
        return steps

    def along(self, path: SignalPath) -> ShowPlayer:
        """The same rig with the steps of one chain alone: one voice heard, every other channel shut."""
        player = copy(self)
        player._steps = self._steps_of(((i, path.graph.edges[i]) for i in path.edges), {})
        return player

    def listen(self, listener: str, seconds: float, *, sources: Mapping[int, Floats] | None = None) -> Floats:
        """What a listener hears; shape (sides, frames), in the unit of their ears.

        Raises:
            KeyError: nobody of that id listens.
            ValueError: less than a second.
        """
        return self.at(self.analysis.graph.ears[listener], seconds, sources=sources)

    def skipped_ms(self, listener: str) -> float:
        """When the last of the voices has come to a listener: until then it would be silence."""
        feeds = self.analysis.feeds.items()
        late = (row.path.delay_ms for (ears, _), row in feeds if ears == listener and row.path is not None)
        return max(late, default=0.0)

    def arrived(self, listener: str, seconds: float) -> Floats:
        """What a listener hears, `seconds` of it from when everybody has arrived there; as `listen`."""
        late = self.skipped_ms(listener) / 1000
        return self.listen(listener, seconds + late)[:, round(late * self.sample_rate_hz) :]

    def at(self, nodes: Sequence[int], seconds: float, *, sources: Mapping[int, Floats] | None = None) -> Floats:
        """The sound at some points; shape (points, frames).

        Args:
            sources: what sounds at some nodes instead of the voices; each of shape (frames,).
        """
        frames = round(seconds * self.sample_rate_hz)
        parts = list(self.chunks(nodes, frames, sources=sources))
        return np.concatenate(parts, axis=1) if parts else np.zeros((len(nodes), 0))

    def chunks(
        self, nodes: Sequence[int], frames: int, *, sources: Mapping[int, Floats] | None = None
    ) -> Iterator[Floats]:
        """The same, chunk by chunk, in bounded memory but for what is spoken; shapes (points, frames of the chunk)."""
        if frames < LEAST_S * self.sample_rate_hz:
            raise ValueError("a rig plays for a second at least")
        yield from self._played(nodes, frames, sources, self._processed(nodes, frames, sources))

    def _processed(self, nodes: Sequence[int], frames: int, sources: Mapping[int, Floats] | None) -> dict[int, Floats]:
        """What comes out of each strip that processes, the first on the way first; node -> shape (frames,)."""
        out: dict[int, Floats] = {}
        if not self.chains:
            return out
        chained = {node: chain for node in self._needed(nodes) if (chain := self._chain(node))}
        before = {node: set(self._needed([node])) & set(chained) - {node} for node in chained}
        # Whatever else processes on the way to a strip goes first; strips in one loop go together.
        while len(out) < len(chained):
            left = [node for node in chained if node not in out]
            free = [node for node in left if before[node] <= set(out)] or left
            sounds = np.concatenate(list(self._played(free, frames, sources, out)), axis=1)
            for node, sound in zip(free, sounds, strict=True):
                out[node] = run_chain(sound.astype(np.float32), chained[node], self.sample_rate_hz).astype(np.float64)
        return out

    def _chain(self, node: int) -> tuple[Processing, ...]:
        """What a strip does at its node, with the faults that are in it."""
        chain = tuple(row for row in self.analysis.chain_at(self.analysis.graph.nodes[node].id) if row.on)
        for fault in self.faults:
            if fault.gate is not None and fault.node == node:
                chain = (fault.gate, *(row for row in chain if row.sort != "gate"))
        return chain

    def _played(
        self,
        nodes: Sequence[int],
        frames: int,
        sources: Mapping[int, Floats] | None,
        given: Mapping[int, Floats],
    ) -> Iterator[Floats]:
        """Everything mixed; `given` is what sounds at some nodes whatever comes there."""
        player = copy(self)
        player._steps = [[] if n in given else list(row) for n, row in enumerate(self._steps)]
        player.faults = tuple(row for row in self.faults if row.gate is None and row.node not in given)
        return player._mixed(nodes, frames, sources, given)

    def _mixed(
        self,
        nodes: Sequence[int],
        frames: int,
        sources: Mapping[int, Floats] | None,
        given: Mapping[int, Floats],
    ) -> Iterator[Floats]:
        needed = self._needed(nodes)
        spoken = self._spoken(frames, needed) if sources is None else dict(sources)
        spoken.update(given)
        order = self._order(needed)
        kept = self._history(needed)
        store = {node: np.zeros(kept[node] + CHUNK) for node in needed}
        store[OTHER] = np.zeros(CHUNK)
        draws = {node: row for node, row in self._draws(needed).items() if node not in given}
        limits = {node: most for node, most in self._limits(needed, order).items() if node not in given}
        for start in range(0, frames, CHUNK):
            count = min(CHUNK, frames - start)
            for noise in draws.values():
                noise.at = int(noise.rng.integers(0, BANK - CHUNK))
            for node in needed:
                row = store[node]
                if start:
                    row[: kept[node]] = row[CHUNK : CHUNK + kept[node]].copy()
            for part in order:
                for at in range(0, count, part.block):
                    length = min(part.block, count - at)
                    for node in part.nodes:
                        self._mix(node, store, kept, at, length, start, spoken, draws, limits)
            yield np.array([store[node][kept[node] : kept[node] + count] for node in nodes])

    # what is built once

    def _needed(self, nodes: Sequence[int]) -> list[int]:
        """Every node from which sound comes to some others, those included, in the order of the graph."""
        seen, work = set(nodes), list(nodes)
        while work:
            for step in self._steps[work.pop()]:
                if step.source not in seen:
                    seen.add(step.source)
                    work.append(step.source)
        return sorted(seen)

    def _order(self, needed: list[int]) -> list[_Part]:
        """Parts in the order of flow; what goes round with the longest blocks that its delays allow."""
        for members in self._components(needed):
            if len(members) > 1:
                self._let_weak_rounds_wait(members)
        parts = []
        for members in self._components(needed):
            inside = set(members)
            if len(members) == 1 and all(step.source != members[0] for step in self._steps[members[0]]):
                parts.append(_Part((members[0],), CHUNK))
                continue
            parts.append(self._loop(members, inside))
        return parts

    def _components(self, needed: list[int]) -> list[list[int]]:
        """What goes round together within a chunk, in the order of flow."""
        place = {node: k for k, node in enumerate(needed)}
        after: list[list[int]] = [[] for _ in needed]
        for node in needed:
            for step in self._steps[node]:
                if step.delay < CHUNK:
                    after[place[step.source]].append(place[node])
        return [[needed[k] for k in row] for row in components_of(after)]

    def _let_weak_rounds_wait(self, members: list[int]) -> None:
        """What gets astray and comes round so weakly that nobody hears it comes a chunk later: then it need not be followed in blocks."""
        inside = set(members)
        rows = [(node, step) for node in members for step in self._steps[node] if step.source in inside]
        out: dict[int, list[tuple[int, float]]] = {}
        for node, step in rows:
            out.setdefault(step.source, []).append((node, step.gain))
        for node in {node for node, step in rows if step.stray}:
            best = _gains_from(node, out)
            self._steps[node] = [
                _Step(s.source, s.gain, s.delay + CHUNK, s.stray)
                if s.stray and s.source in inside and s.gain * best.get(s.source, 0.0) < WEAK_ROUND
                else s
                for s in self._steps[node]
            ]

    def _loop(self, members: list[int], inside: set[int]) -> _Part:
        delays = sorted(
            {s.delay for n in members for s in self._steps[n] if s.source in inside and s.delay >= SHORTEST}
        )
        for block in [min(BLOCK, delay) for delay in reversed(delays)]:
            order = self._sorted(members, inside, block)
            if order is not None:
                return _Part(order, block)
        # Some loop has no step of any length: each of its steps is given the shortest.
        for node in members:
            self._steps[node] = [
                _Step(s.source, s.gain, max(s.delay, SHORTEST), s.stray) if s.source in inside else s
                for s in self._steps[node]
            ]
        return _Part(tuple(members), SHORTEST)

    def _sorted(self, members: list[int], inside: set[int], block: int) -> tuple[int, ...] | None:
        """An order in which every step shorter than the block comes from a node before; None where there is none."""
        waits = {
            node: {s.source for s in self._steps[node] if s.source in inside and s.delay < block} for node in members
        }
        out: list[int] = []
        left = list(members)
        while left:
            ready = [node for node in left if not waits[node] & set(left)]
            if not ready:
                return None
            out += ready
            left = [node for node in left if node not in ready]
        return tuple(out)

    def _history(self, needed: list[int]) -> dict[int, int]:
        """How many past samples of each node are still wanted."""
        kept = dict.fromkeys(needed, 0)
        for node in needed:
            for step in self._steps[node]:
                kept[step.source] = max(kept[step.source], step.delay)
        return kept

    def _draws(self, needed: list[int]) -> dict[int, _Noise]:
        """Noise of each node, of all its sources together: where it reads the bank, and its RMS."""
        if not self.noise:
            return {}
        wanted, names = set(needed), self.analysis.graph.nodes
        power: dict[int, float] = {}
        for source in self.analysis.graph.noises:
            if source.node in wanted and math.isfinite(source.flat_db):
                power[source.node] = power.get(source.node, 0.0) + 10 ** (source.flat_db / 10) / 2
        return {
            node: _Noise(np.random.default_rng([self.seed, crc32(names[node].id.encode())]), math.sqrt(row))
            for node, row in power.items()
        }

    def _limits(self, needed: list[int], order: list[_Part]) -> dict[int, float]:
        """Where a signal clips, at its peak; in loops everywhere, so that what howls stays finite."""
        nodes = self.analysis.graph.nodes
        looping = {node for part in order if part.block < CHUNK for node in part.nodes}
        out = {}
        for node in needed:
            ceiling = nodes[node].ceiling
            if ceiling is not None:
                out[node] = 10 ** (ceiling.value / 20)
            elif node in looping:
                out[node] = 10 ** (FULL_SCALE.get(nodes[node].unit, 0.0) / 20)
        return out

    def _spoken(self, frames: int, needed: list[int]) -> dict[int, Floats]:
        """What begins at each mouth."""
        if not self.voices:
            return {}
        wanted, out = set(needed), {}
        for party in self.analysis.voices:
            node, level = self.analysis.graph.mouths[party.id]
            if node not in wanted:
                continue
            seed = crc32(party.id.encode()) + self.seed
            if party.kind in NO_SPEECH or party.kind == "instrument":
                sound = np.resize(_murmur(self.sample_rate_hz, seed), frames)
            else:
                talker = _talker(self.sample_rate_hz, self.seed * TALKERS + seed % TALKERS)
                begin = (seed // TALKERS) % len(talker)
                sound = np.resize(np.roll(talker, -begin), frames)
            out[node] = sound * 10 ** (level.value / 20)
        return out

    # every block

    def _mix(
        self,
        node: int,
        store: dict[int, Floats],
        kept: dict[int, int],
        at: int,
        length: int,
        start: int,
        spoken: Mapping[int, Floats],
        draws: Mapping[int, _Noise],
        limits: Mapping[int, float],
    ) -> None:
        first, bank = kept[node] + at, noise_bank(self.seed)
        out, other = store[node][first : first + length], store[OTHER][:length]
        begun = False
        for step in self._steps[node]:
            begin = kept[step.source] + at - step.delay
            heard = store[step.source][begin : begin + length]
            np.multiply(heard, step.gain, out=other if begun else out)
            if begun:
                out += other
            begun = True
        if not begun:
            out[:] = 0.0
        noise = draws.get(node)
        if noise is not None:
            begin = noise.at + at
            np.multiply(bank[begin : begin + length], noise.rms, out=other)
            out += other
        own = spoken.get(node)
        if own is not None:
            part = own[start + at : start + at + length]
            out[: len(part)] += part
        for fault in self.faults:
            if fault.node == node:
                self._blemish(fault, out, start + at)
        most = limits.get(node)
        if most is not None:
            np.minimum(out, most, out=out)
            np.maximum(out, -most, out=out)

    def _blemish(self, fault: Fault, out: Floats, start: int) -> None:
        # Against what is said at that very point: a line is 40 dB over a microphone, and hum on either lies as far under its speech.
        speech = float(self.analysis.flow.speech_db[fault.node])
        unit = self.analysis.graph.nodes[fault.node].unit
        level = (
            speech - BLEMISH_UNDER_DB.get(fault.sort, USUAL_UNDER_DB)
            if speech > NOTHING
            else BLEMISH_DB.get(unit, -50.0)
        )
        strength = 10 ** (level / 20)
        blemish(fault.sort, out, start, self.sample_rate_hz, self.seed, self.analysis.show.mains_hz, strength)


def _gains_from(start: int, out: Mapping[int, list[tuple[int, float]]]) -> dict[int, float]:
    """Strongest gain from a node to those that it leads to, over rounds of at most as many steps as there are nodes (Bellman 1958)."""
    best, work = {start: 1.0}, [start]
    for _ in range(len(out) + 1):
        reached = set()
        for node in work:
            for after, gain in out.get(node, ()):
                if best[node] * gain > best.get(after, 0.0) * (1 + 1e-9):
                    best[after] = best[node] * gain
                    reached.add(after)
        work = list(reached)
        if not work:
            break
    return best


@lru_cache(2 * TALKERS)
def _talker(rate: int, seed: int) -> Floats:
    """Talk of `TALK_S` at 0 dBFS; kept, for it is played again and again."""
    return talk(TALK_S, rate, level_dbfs=0.0, seed=seed)


@lru_cache(8)
def _murmur(rate: int, seed: int) -> Floats:
    """What is no speech: noise that falls by 3 dB an octave and swells slowly, at 0 dBFS (AES17); `MURMUR_S` long, and goes round."""
    frames = round(MURMUR_S * rate)
    rng = np.random.default_rng(seed)
    spectrum = np.fft.rfft(rng.normal(0, 1, frames))
    spectrum[1:] /= np.sqrt(np.arange(1, len(spectrum)))
    spectrum[0] = 0.0
    sound = np.fft.irfft(spectrum, frames) * (1 + 0.3 * np.sin(2 * np.pi * np.arange(frames) / (rate * 1.7)))
    return np.asarray(sound / np.sqrt(np.mean(sound**2)) / np.sqrt(2))
