"""The ladder: speech, peak, noise and headroom at every point of a chain, and which noise wins."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import UNIT_KEYS, Derived, total
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.points import PointMark
from kymaphon.core.graph.signal import EdgeKind, Knob, NoiseSource, SignalGraph
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.ids import NodeId
from kymaphon.core.model.scales import Mark
from kymaphon.core.model.show import Show
from kymaphon.core.model.weights import crest_of, voice_a, weighted_unit
from kymaphon.core.units import db_to_power, power_to_db, uncorrelated_sum_db

NOISE_KINDS = ("room", "microphone", "preamp", "converter", "others")
"""`others` is what comes in from every other channel that is open into the same mix."""


_PASSING = frozenset((EdgeKind.CABLE, EdgeKind.LISTENS, EdgeKind.PLAYS))
"""Steps that only pass a signal on."""
MOST_DOUBLE = 4_000_000
"""Up to so many gains of noises to nodes are kept in double precision, in 32 MB."""
NOISE_NAMES = {kind: kind for kind in NOISE_KINDS} | {"others": "other channels"}


TOLD_DB = 0.05
"""Levels are told in tenths of a decibel: what is off by less reads as the tolerance itself."""


@dataclass(frozen=True)
class Along:
    """What all rungs of one chain share, each up to where it is.

    Attributes:
        terms: the lines of the speech level at the end.
        own: (place in the chain, gain from its start to there, noise) of everything that enters along it, in the graph's order.
    """

    terms: tuple[Derived, ...]
    own: tuple[tuple[int, float, NoiseSource], ...]


@dataclass(frozen=True)
class Rung:
    """One point of a chain. Levels are in `unit`; `headroom_db` is from the peak to the ceiling.

    Attributes:
        gain_db: since the last rung that is not `minor`; likewise `knobs`.
        minor: nothing happens here; the signal is only passed on.
        ceiling_here: it clips at this very point; otherwise the ceiling is a neighbour's, for drawing.
        along: what the rungs of the chain share; of that this one has the first `lines` lines and what enters up to `place`.
        reached_db: gain from the start of the chain to here.
        weighting: A-weighted less unweighted level of the voice.
        crest: from its average to its highest sample, which is what clips.
        others_power: A-weighted noise power of everything else that is open into this point; `others_flat_power` without
            weighting.
        knobs: what can be turned between the rung before and this one.
        wanted: the mark here, or None where the practice says nothing; `set_here` says that it was set for this point.
    """

    node: str
    label: str
    unit: str
    speech_db: float
    weighting: Derived
    crest: Derived
    along: Along
    place: int
    lines: int
    reached_db: float
    gain_db: float
    delay_ms: float
    others_power: float
    others_flat_power: float
    ceiling_db: float | None
    ceiling_here: bool
    knobs: tuple[Knob, ...]
    wanted: Mark | None
    set_here: bool
    minor: bool

    @property
    def terms(self) -> tuple[Derived, ...]:
        """The lines of the speech level."""
        return self.along.terms[: self.lines]

    @property
    def own_noise(self) -> tuple[tuple[NoiseSource, float], ...]:
        """What enters along this chain, each with its gain to here."""
        return tuple((row, self.reached_db - before) for place, before, row in self.along.own if place <= self.place)

    @property
    def owner(self) -> str:
        """Id of the device or party whose point it is."""
        return NodeId.of(self.node).owner

    @property
    def mark(self) -> tuple[float, float] | None:
        """Low and high end of where speech is right here."""
        return self.wanted.window if self.wanted else None

    def off_mark_db(self, asked_db: float = 0.0) -> float:
        """How far speech is outside the mark here: above where positive, 0 within it. As it is told, to a tenth of a decibel: what reads as
        the tolerance is within it.

        Raises:
            ValueError: there is no mark here.
        """
        if self.mark is None:
            raise ValueError(f"no mark at {self.node}")
        low, high = (end + asked_db for end in self.mark)
        off = max(self.speech_db - high, 0.0) + min(self.speech_db - low, 0.0)
        return off if abs(off) > TOLD_DB else 0.0

    @property
    def speech(self) -> Derived:
        """Average speech here, line by line from the mouth."""
        return total(f"speech at {self.label}", self.unit, self.terms)

    @property
    def peak_db(self) -> float:
        """The highest sample of it, told as the level of a sine that goes as high."""
        return self.speech_db + self.crest.value

    @property
    def peak(self) -> Derived:
        """The highest sample of speech here."""
        speech = Derived("speech", self.speech_db, self.unit)
        return total(f"peak at {self.label}", self.unit, (speech, self.crest))

    @cached_property
    def noise_db(self) -> dict[str, float]:
        """Level of each kind of noise here, A-weighted; kinds that are not there are left out."""
        powers: dict[str, float] = {}
        for source, gain in self.own_noise:
            powers[source.kind] = powers.get(source.kind, 0.0) + db_to_power(source.level.value + gain)
        own = sum(powers.values())
        if self.others_power > max(own * 1e-6, 1e-20):
            powers["others"] = self.others_power
        return {kind: power_to_db(powers[kind]) for kind in NOISE_KINDS if kind in powers}

    @property
    def noise_total_db(self) -> float:
        """All noise here, A-weighted."""
        return uncorrelated_sum_db(self.noise_db.values())

    @property
    def noise_flat_db(self) -> float:
        """All noise here, unweighted: what a meter or a gate sees of it."""
        own = sum(db_to_power(source.flat_db + gain) for source, gain in self.own_noise)
        return power_to_db(own + self.others_flat_power)

    @property
    def noise_unit(self) -> str:
        """The unit of the A-weighted noise."""
        return weighted_unit(self.unit)

    @property
    def weighted_speech_db(self) -> float:
        """Average speech here, A-weighted: what stands against the noise."""
        return self.speech_db + self.weighting.value

    @property
    def voice_over_noise_db(self) -> float:
        """Both A-weighted."""
        return self.weighted_speech_db - self.noise_total_db

    def explain_over_noise(self) -> Derived:
        """Voice over noise, both A-weighted."""
        noise = self.explain_noise()
        less = Derived(f"less {noise.name}", -noise.value, "dB", noise.equation(), noise.terms, noise.source)
        speech = Derived(f"speech at {self.label}", self.speech_db, self.unit, source="the lines above")
        return total("voice over noise", "dB", (speech, self.weighting, less))

    @property
    def headroom_db(self) -> float | None:
        """From the peak to clipping; None where nothing clips."""
        return self.ceiling_db - self.peak_db if self.ceiling_db is not None and self.ceiling_here else None

    @property
    def noise_parts(self) -> tuple[Derived, ...]:
        """Every single contribution here, strongest first."""
        parts = [
            Derived(
                source.level.name,
                source.level.value + gain,
                self.noise_unit,
                "",
                (source.level, Derived("gain from there to here", gain, "dB")),
                source.level.source,
                True,
            )
            for source, gain in self.own_noise
        ]
        if "others" in self.noise_db:
            name = "noise of the other open channels"
            parts.append(Derived(name, self.noise_db["others"], self.noise_unit, source="solve over all open paths"))
        return tuple(sorted(parts, key=lambda part: -part.value))

    @property
    def loudest_noise(self) -> str:
        return max(self.noise_db, key=lambda kind: self.noise_db[kind], default="")

    def explain_noise(self) -> Derived:
        """The noise here, A-weighted, as a sum of powers, strongest part first."""
        value = self.noise_total_db
        parts = self.noise_parts
        return Derived(
            f"noise at {self.label}",
            value,
            self.noise_unit,
            "10 lg \u03a3 10^(L/10)",
            parts,
            "uncorrelated sum",
        )

    def explain_headroom(self) -> Derived | None:
        """From peak to ceiling."""
        if self.ceiling_db is None or not self.ceiling_here:
            return None
        ceiling = Derived("clips at", self.ceiling_db, self.unit, source="device data")
        peak = Derived("less the peak", -self.peak_db, "dB")
        return total(f"headroom at {self.label}", "dB", (ceiling, peak))

    def to_json(self) -> dict[str, Any]:
        key, weighted = UNIT_KEYS[self.unit], UNIT_KEYS[self.noise_unit]
        out: dict[str, Any] = {
            "node": self.node,
            "label": self.label,
            f"speech{key}": round(self.speech_db, 3),
            f"peak{key}": round(self.peak_db, 3),
            f"noise{key}": round(self.noise_flat_db, 3) if self.noise_db else None,
            f"noise{weighted}": round(self.noise_total_db, 3) if self.noise_db else None,
            "noise_parts": {kind + weighted: round(level, 3) for kind, level in self.noise_db.items()},
            "loudest_noise": self.loudest_noise or None,
            "voice_over_noise_db": round(self.voice_over_noise_db, 3) if self.noise_db else None,
            "headroom_db": None if self.headroom_db is None else round(self.headroom_db, 3),
            "gain_db": round(self.gain_db, 3),
            "delay_ms": round(self.delay_ms, 4),
        }
        if self.mark:
            out[f"mark{key}"] = list(self.mark)
        return out


@dataclass(frozen=True, slots=True)
class Ladder:
    """A voice along one chain, to where it is heard."""

    voice: str
    target: str
    rungs: tuple[Rung, ...]
    path: SignalPath

    @property
    def last(self) -> Rung:
        return self.rungs[-1]

    def shown(self) -> tuple[Rung, ...]:
        """The rungs at which something happens; the others only pass the signal on."""
        return tuple(rung for rung in self.rungs if not rung.minor)

    def tightest(self) -> Rung | None:
        """The rung with the least headroom."""
        rows = [rung for rung in self.rungs if rung.headroom_db is not None]
        return min(rows, key=lambda rung: rung.headroom_db or 0.0, default=None)

    def to_json(self) -> dict[str, Any]:
        return {"voice": self.voice, "to": self.target, "rungs": [rung.to_json() for rung in self.rungs]}


@dataclass(frozen=True)
class NoiseField:
    """Every noise at every node; shared by all ladders of one graph."""

    graph: SignalGraph
    transfer: Transfer

    @cached_property
    def _entering(self) -> tuple[list[int], NDArray[np.intp]]:
        """Nodes at which noise enters, and for each noise which of them."""
        rows = self.graph.noises
        entering = sorted({row.node for row in rows})
        place = {node: i for i, node in enumerate(entering)}
        return entering, np.array([place[row.node] for row in rows], dtype=np.intp)

    @cached_property
    def _power(self) -> NDArray[np.float64] | NDArray[np.float32]:
        """Power gain from each of these to each node, shape (nodes, entering).

        Of a large rig in single precision: 24 bits are 3e-7 dB.
        """
        entering = self._entering[0]
        nodes = len(self.graph.nodes)
        if nodes * len(entering) <= MOST_DOUBLE:
            return self.transfer.power_from(entering)
        out = np.empty((nodes, len(entering)), dtype=np.float32)
        start = 0
        for portion in self.transfer.power_in_portions(entering):
            # Smaller ones single precision keeps with fewer digits, and slowly.
            portion[portion < 1e-37] = 0.0
            out[:, start : start + portion.shape[1]] = portion
            start += portion.shape[1]
        return out

    @cached_property
    def _strength(self) -> NDArray[np.float64]:
        """A-weighted and unweighted power of each noise where it enters, shape (noises, 2)."""
        rows = [(db_to_power(row.level.value), db_to_power(row.flat_db)) for row in self.graph.noises]
        return np.array(rows, dtype=np.float64).reshape(-1, 2)

    @cached_property
    def by_node(self) -> dict[int, tuple[int, ...]]:
        """Node -> numbers of the noises that enter there."""
        out: dict[int, tuple[int, ...]] = {}
        for i, row in enumerate(self.graph.noises):
            out[row.node] = (*out.get(row.node, ()), i)
        return out

    def at(self, node: int) -> NDArray[np.float64]:
        """A-weighted power of each noise source at a node, shape (noises,)."""
        levels: NDArray[np.float64] = self._power[node, self._entering[1]] * self._strength[:, 0]
        return levels

    def foreign_at(self, nodes: Sequence[int], own: Collection[int]) -> NDArray[np.float64]:
        """Power of all noises together but some, at some nodes, A-weighted and unweighted.

        Args:
            nodes: positions, length N.
            own: numbers of the noises that are left out.

        Returns:
            Shape (N, 2).
        """
        entering, place = self._entering
        strength = self._strength.copy()
        strength[list(own)] = 0.0
        arriving = np.stack([np.bincount(place, column, len(entering)) for column in strength.T], axis=1)
        power = self._power
        powers: NDArray[np.float64] = (power[list(nodes)] @ arriving.astype(power.dtype)).astype(np.float64)
        return powers


def build_ladder(
    show: Show,
    field: NoiseField,
    voice: str,
    target: str,
    path: SignalPath,
    marks: Sequence[PointMark],
) -> Ladder:
    """The ladder of a voice along one way. Own noise follows the way; noise of other channels comes from
    the solve.

    Args:
        marks: `points.marks_along` of the way's nodes.
    """
    graph = field.graph
    start_level = graph.mouths[voice][1]
    kind = show.party(voice).kind
    weighting, crest = voice_a(kind), crest_of(kind)
    nodes = path.nodes
    steps = tuple(path.steps())
    own_rows = sorted(k for node in set(nodes) for k in field.by_node.get(node, ()))
    others = field.foreign_at(nodes, own_rows).tolist()
    reached = [0.0]
    for step in steps:
        reached.append(reached[-1] + step.gain_db)
    on_path = {node: i for i, node in enumerate(nodes)}
    places = [(on_path[graph.noises[k].node], graph.noises[k]) for k in own_rows]
    own = tuple((i, reached[i], row) for i, row in places)
    terms, lines = [start_level], [1]
    for step in steps:
        terms.extend(part for part in step.parts if round(part.value, 4))
        lines.append(len(terms))
    along = Along(tuple(terms), own)
    delay, carried, rungs = 0.0, 0.0, []
    knobs: tuple[Knob, ...] = ()
    ceilings = _ceilings(graph, nodes, reached)
    if kind == "remote":
        # A call comes at a call's level (ITU-T G.100: about -26 dBov): the house's mark is for what it can turn, from the first gain on;
        # where there is none, for where it comes to.
        first = next((i for i, step in enumerate(steps, start=1) if step.knobs), 0)
        marks = [row if i >= first or row[1] else (None, False) for i, row in enumerate(marks)]
    for i, position in enumerate(nodes):
        node = graph.nodes[position]
        if i:
            delay += steps[i - 1].delay_ms
            carried += steps[i - 1].gain_db
            knobs += steps[i - 1].knobs
        ceiling, clips_here = ceilings[i]
        minor = 0 < i < len(nodes) - 1 and _is_minor(graph, position, steps[i - 1].kind, knobs, carried)
        rungs.append(
            Rung(
                node.id,
                node.label,
                node.unit,
                start_level.value + reached[i],
                weighting,
                crest,
                along,
                i,
                lines[i],
                reached[i],
                carried,
                delay,
                others[i][0],
                others[i][1],
                ceiling,
                clips_here,
                knobs,
                *marks[i],
                minor,
            )
        )
        if not minor:
            carried, knobs = 0.0, ()
    return Ladder(voice, target, tuple(rungs), path)


def _is_minor(graph: SignalGraph, position: int, kind: EdgeKind, knobs: tuple[Knob, ...], gain_db: float) -> bool:
    if kind in _PASSING:
        return True
    if any(knob.is_gain and knob.step >= 1 for knob in knobs):
        return False
    return abs(gain_db) < 0.05 and graph.nodes[position].unit != "dB SPL"


def _ceilings(graph: SignalGraph, nodes: tuple[int, ...], reached: list[float]) -> list[tuple[float | None, bool]]:
    """Ceiling of each node, and whether it clips there; a point that does not clip takes its neighbour's,
    for drawing.
    """
    own = [graph.nodes[node].ceiling for node in nodes]
    clipping = [i for i, ceiling in enumerate(own) if ceiling is not None]
    out: list[tuple[float | None, bool]] = []
    nearest = clipping[0] if clipping else -1
    for i, ceiling in enumerate(own):
        if ceiling is not None:
            nearest = i
        found = own[nearest] if nearest >= 0 else None
        if found is None:
            out.append((None, False))
        else:
            out.append((found.value + reached[i] - reached[nearest], ceiling is not None))
    return out
