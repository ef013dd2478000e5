"""Talkback as it comes to an ear: over the programme there, over the noise of the place, and whether it is followed."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.derive import Derived, total
from kymaphon.core.graph.signal import UNINTENDED
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Party
from kymaphon.core.model.talk import Circuit
from kymaphon.core.talk.circuits import KeyState, TalkModel, TalkWay, talk_of
from kymaphon.core.talk.intelligible import (
    SPEECH,
    Masker,
    Verdict,
    index_of,
    indices,
    limit,
    speech_spectrum,
    summed,
    verdict_of,
)
from kymaphon.core.talk.proofs import ON_AIR

Floats = NDArray[np.float64]
_NOISES = {"crowd": "crowd", "effect": "crowd", "player": "music", "instrument": "music"}
"""What sort of noise a voice that does not speak is taken for."""


@dataclass(frozen=True, slots=True)
class Hearing:
    """What somebody makes of one who talks to them on a circuit.

    Attributes:
        way: how it comes.
        index: the intelligibility index, 0 to 1; None where the ear is no point in a room (a line, a call) or nothing comes.
        over_db: level over the loudest of the programme in that ear; None where nothing of it comes.
        dimmed_db: by so much that programme is dimmed.
        by_air: it comes across the room alone.
        narrow: a telephone is on the way.
    """

    way: TalkWay
    index: float | None = None
    over_db: float | None = None
    dimmed_db: float = 0.0
    by_air: bool = False
    narrow: bool = False

    @property
    def verdict(self) -> Verdict | None:
        return None if self.index is None else verdict_of(self.index)

    @property
    def usable(self) -> bool:
        """Whether the listener can act on it: enough of it, and not just shouted across a noisy place."""
        if self.way.state == "outside":
            return True
        if self.way.state != "heard" or self.way.gain_db is None:
            return False
        if self.by_air:
            return self.verdict in ("good", "fair")
        return self.way.gain_db >= limit("faint_db")


@dataclass(frozen=True, slots=True)
class Beside:
    """Another circuit in the same ear, should somebody talk on it at the same time.

    Attributes:
        over_db: talkback over the loudest on that circuit there; with `overridden` it goes down as what else is in the ear does.
    """

    circuit: str
    over_db: float
    overridden: bool


@dataclass(frozen=True, slots=True)
class Explained:
    """One way as it is heard, with its arithmetic: the level, what else is in the ear (the loudest first), the index, the delay."""

    level: Derived
    maskers: tuple[Masker, ...]
    index: Derived | None
    delay: Derived


@dataclass(frozen=True)
class TalkHearing:
    """Every way of every circuit as it is heard. Made by `hearing_of`."""

    model: TalkModel
    rows: dict[tuple[str, str, str], Hearing]

    def of(self, circuit: str, speaker: str, listener: str) -> Hearing | None:
        return self.rows.get((circuit, speaker, listener))

    def to(self, circuit: str, listener: str) -> list[Hearing]:
        """Everybody who speaks to a listener on a circuit."""
        return self._to.get((circuit, listener), [])

    def from_(self, circuit: str, speaker: str) -> list[Hearing]:
        """Everybody whom a speaker talks to on a circuit."""
        return self._from.get((circuit, speaker), [])

    @cached_property
    def _to(self) -> dict[tuple[str, str], list[Hearing]]:
        out: dict[tuple[str, str], list[Hearing]] = {}
        for (circuit, _, listener), row in self.rows.items():
            out.setdefault((circuit, listener), []).append(row)
        return out

    @cached_property
    def _from(self) -> dict[tuple[str, str], list[Hearing]]:
        out: dict[tuple[str, str], list[Hearing]] = {}
        for (circuit, speaker, _), row in self.rows.items():
            out.setdefault((circuit, speaker), []).append(row)
        return out

    def best_to(self, circuit: str, listener: str) -> Hearing | None:
        """The one of those that is followed best: usable ones first, then by the index, then by the level."""
        return max(self.to(circuit, listener), key=_worth, default=None)

    def beside(self, row: Hearing) -> tuple[Beside, ...]:
        """Other circuits that come to the same ear, those that it is least over first."""
        way = row.way
        if way.level_db is None:
            return ()
        circuit = self.model.circuit(way.circuit)
        listener = self.model.analysis.show.party(way.listener)
        dim = dim_db(circuit, listener) or limit("dim_db")
        out = []
        for other in self.model.circuits:
            levels = [
                found.way.level_db
                for found in self.to(other.id, way.listener)
                if found.way.level_db is not None and found.way.unit == way.unit and found.way.speaker != way.speaker
            ]
            if other.id != circuit.id and levels:
                over = other.id in circuit.overrides
                out.append(Beside(other.id, way.level_db - max(levels) + (dim if over else 0.0), over))
        return tuple(sorted(out, key=lambda one: one.over_db))

    def explain(self, row: Hearing) -> Explained | None:
        """The arithmetic of one; None where nothing comes."""
        way, analysis = row.way, self.model.analysis
        if way.node is None or way.level_db is None:
            return None
        listener, speaker = analysis.show.party(way.listener), analysis.show.party(way.speaker)
        edges, _ = self.model.steps(way)
        source = analysis.graph.mouths[way.speaker][1]
        steps = tuple(_step_part(self.model, way, i) for i in edges)
        rest = way.level_db - source.value - sum(part.value for part in steps if abs(part.value) >= 0.05)
        terms = [source, *(part for part in steps if abs(part.value) >= 0.05)]
        if abs(rest) > 0.05:
            terms.append(Derived("other paths to the same ear", rest, "dB", source="solved over all paths"))
        level = total(f"{speaker.name} at {listener.name}'s ear", way.unit, tuple(terms))
        maskers = tuple(sorted(_maskers(self.model, row), key=lambda masker: -masker.level.value))
        index = index_of(level, _together(maskers), narrow=row.narrow) if way.unit == "dB SPL" else None
        parts = tuple(part for i in edges for part in analysis.graph.edges[i].delays)
        return Explained(level, maskers, index, total("delay along the strongest path", "ms", parts))


def _step_part(model: TalkModel, way: TalkWay, position: int) -> Derived:
    """What one step of a way does while its speaker talks: a gain in dB by the names of its two points."""
    graph = model.analysis.graph
    edge = graph.edges[position]
    state = model.states[way.circuit, way.speaker]
    gain = next((row.gain_db for row in state.changes if row.edge == position), edge.gain_db)
    name = f"{graph.nodes[edge.source].label} to {graph.nodes[edge.target].label}"
    return Derived(name, gain, "dB", terms=edge.parts, source=edge.label or "inside the device")


def _together(maskers: Sequence[Masker]) -> list[Masker]:
    """What of those goes on at once: of voices one speaks at a time, the loudest; what is no speech goes on under it."""
    words = [row for row in maskers if row.kind == SPEECH]
    first = max(words, key=lambda row: row.level.value, default=None)
    return [row for row in maskers if row.kind != SPEECH or row is first]


def _worth(row: Hearing) -> tuple[bool, float, float]:
    index = row.index if row.index is not None else -1.0
    return row.usable, index, row.way.gain_db if row.way.gain_db is not None else -math.inf


@reading("feeds")
def hearing_of(analysis: Computed) -> TalkHearing:
    """How each way of each circuit is heard; ask by `Computed.once`."""
    model = analysis.once(talk_of)
    rows = {(way.circuit, way.speaker, way.listener): Hearing(way) for way in model.ways}
    by_state: dict[tuple[str, str], list[TalkWay]] = {}
    for way in model.ways:
        if way.state == "heard":
            by_state.setdefault((way.circuit, way.speaker), []).append(way)
    ears = _Ears(model)
    for key, ways in by_state.items():
        circuit = model.circuit(key[0])
        for hearing in ears.heard(circuit, model.states[key], ways):
            rows[key[0], key[1], hearing.way.listener] = hearing
    return TalkHearing(model, rows)


class _Ears:
    """What is worked out once for all ears of a show."""

    def __init__(self, model: TalkModel) -> None:
        self.model = model
        self.analysis = model.analysis
        self.programme = programme_voices(self.analysis)
        self.across = _across(self.analysis)
        kinds = (self.analysis.catalogue[row.kind] for row in self.analysis.show.devices)
        self.telephones = any(kind.is_phone for kind in kinds)
        self._rooms: dict[tuple[str, int], Floats] = {}
        self._parties = {row.id: row for row in self.analysis.show.parties}

    def heard(self, circuit: Circuit, state: KeyState, ways: list[TalkWay]) -> Iterator[Hearing]:
        model = self.model
        listeners = [self._parties[way.listener] for way in ways]
        depth = np.array([dim_db(circuit, row) for row in listeners])
        silent = silent_while(circuit, state.speaker)
        voices = [row for row in self.programme if row.id not in silent]
        levels = self._levels(state, ways, voices)
        wired = np.array(
            [[(row.id, voice.id) not in self.across for voice in voices] for row in listeners], dtype=bool
        ).reshape(len(ways), len(voices))
        levels = levels - depth[:, None] * wired
        for n, row in enumerate(listeners):
            levels[n, [voice.id == row.id for voice in voices]] = -math.inf
        reached = model.intended(state)
        speech, noise = np.empty((len(ways), 6)), np.empty((len(ways), 6))
        narrow = [self.telephones and _by_telephone(model, way) for way in ways]
        for n, way in enumerate(ways):
            assert way.level_db is not None
            speech[n] = speech_spectrum(way.level_db, narrow=narrow[n])
            noise[n] = self._noise(way, listeners[n], voices, levels[n])
        index = indices(speech, noise)
        most = levels.max(axis=1, initial=-math.inf)
        for n, way in enumerate(ways):
            assert way.node is not None
            assert way.level_db is not None
            audible = most[n] - model.mark(way.listener, way.unit) >= limit("unheard_db")
            yield Hearing(
                way,
                float(index[n]) if way.unit == "dB SPL" else None,
                float(way.level_db - most[n]) if audible else None,
                float(depth[n]),
                way.node not in reached,
                narrow[n],
            )

    def _levels(self, state: KeyState, ways: list[TalkWay], voices: list[Party]) -> Floats:
        """Levels of the programme's voices at each ear while somebody talks; -inf for none. Shape (ways, voices)."""
        mouths = [self.analysis.graph.mouths[row.id] for row in voices]
        nodes = [way.node for way in ways if way.node is not None]
        powers = self.model.powers(state, [node for node, _ in mouths], nodes)
        if powers is None:
            return np.full((len(ways), len(voices)), -math.inf)
        with np.errstate(divide="ignore"):
            answer: Floats = np.array([level.value for _, level in mouths]) + 10 * np.log10(powers)
        return answer

    def _noise(self, way: TalkWay, listener: Party, voices: list[Party], levels: Floats) -> Floats:
        rows = [self._room(way, listener)]
        talk = [n for n, voice in enumerate(voices) if sound_of_voice(voice) == SPEECH]
        loudest = max(talk, key=lambda n: levels[n], default=None)
        for n, voice in enumerate(voices):
            if levels[n] > -200 and (n not in talk or n == loudest):
                rows.append(_masker_spectrum(sound_of_voice(voice), float(levels[n])))
        return summed(rows)

    def _room(self, way: TalkWay, listener: Party) -> Floats:
        key = (listener.id, way.node or 0)
        if key not in self._rooms:
            self._rooms[key] = summed([row.spectrum for row in room_maskers(self.analysis, way, listener)])
        return self._rooms[key]


def _masker_spectrum(kind: str, level: float) -> Floats:
    return Masker("", Derived("", level, "dB SPL"), kind).spectrum


def sound_of_voice(voice: Party) -> str:
    """What a voice of the programme masks like: speech, or a kind of noise."""
    return _NOISES.get(voice.kind, SPEECH) if voice.kind in (*NO_SPEECH, "instrument") else SPEECH


def programme_voices(analysis: Computed) -> list[Party]:
    """Voices that are in ears beside talkback: all but the crew, and but for those who are on a circuit and not on air themselves."""
    on_it = {row.party for circuit in analysis.show.circuits for row in circuit.members}
    on_air = {
        feed.voice
        for feed in analysis.feeds.values()
        if analysis.show.party(feed.listener).kind in ON_AIR and feed.verdict not in ("silent", "missing")
    }
    return [row for row in analysis.voices if row.kind != "crew" and (row.id not in on_it or row.id in on_air)]


def silent_while(circuit: Circuit, speaker: str) -> frozenset[str]:
    """Who of the programme is silent while somebody talks on a circuit: themselves. Where they talk without a key the circuit is the
    conversation that is on air, and the others who do take turns; by a key they are talked to while all on air go on.
    """
    member = circuit.member(speaker)
    if member is None or member.key:
        return frozenset((speaker,))
    return frozenset((speaker, *(row.party for row in circuit.members if row.speaks and not row.key)))


def dim_db(circuit: Circuit, listener: Party) -> float:
    """So far the programme goes down in somebody's ears while a circuit talks, beside what its keys do by themselves: as the circuit
    says, else as their own box does; across the room nothing does.
    """
    if listener.hears_on is None:
        return 0.0
    if circuit.dim_db is not None:
        return circuit.dim_db
    return listener.dim_db or 0.0


def _by_telephone(model: TalkModel, way: TalkWay) -> bool:
    edges, _ = model.steps(way)
    analysis = model.analysis
    for i in edges:
        owner = analysis.show.find_device(analysis.graph.nodes[analysis.graph.edges[i].target].owner)
        if owner is not None and analysis.catalogue[owner.kind].is_phone:
            return True
    return False


def _across(analysis: Computed) -> frozenset[tuple[str, str]]:
    """(listener, voice) of those that come across the listener's place more than by any wire."""
    return frozenset(
        key
        for key, feed in analysis.feeds.items()
        if feed.path is not None and all(step.kind in UNINTENDED for step in feed.path.steps())
    )


def _maskers(model: TalkModel, row: Hearing) -> Iterator[Masker]:
    """Everything else in an ear while somebody talks, each with its arithmetic."""
    way, analysis = row.way, model.analysis
    if way.node is None:
        return
    state, circuit = model.states[way.circuit, way.speaker], model.circuit(way.circuit)
    listener = analysis.show.party(way.listener)
    silent = {listener.id, *silent_while(circuit, way.speaker)}
    voices = [voice for voice in programme_voices(analysis) if voice.id not in silent]
    mouths = [analysis.graph.mouths[voice.id] for voice in voices]
    powers = model.powers(state, [node for node, _ in mouths], [way.node]) if voices else None
    across = _across(analysis)
    for n, voice in enumerate(voices):
        power = float(powers[0, n]) if powers is not None else 0.0
        if power <= 0:
            continue
        gain = 10 * math.log10(power)
        terms = [mouths[n][1], Derived("all steps to this ear", gain, "dB", source="the rig, with the key down")]
        if row.dimmed_db and (listener.id, voice.id) not in across:
            terms.append(Derived("dimmed while it is talked", -row.dimmed_db, "dB", source="circuit"))
        level = total(f"{voice.name} in the same ear", way.unit, tuple(terms))
        if level.value - model.mark(way.listener, way.unit) >= limit("unheard_db"):
            yield Masker(voice.name, level, sound_of_voice(voice))
    yield from room_maskers(analysis, way, listener)


def room_maskers(analysis: Computed, way: TalkWay, listener: Party) -> Iterator[Masker]:
    """The noise of the place at the listener's ear, and of what stands on its plan by the free-field distance law, less what is worn over
    the ear.
    """
    place = next((row for row in analysis.show.places if row.id == listener.place), None)
    if place is None:
        return
    kept_out = _isolation(analysis, way, listener)
    given = Derived(f"noise of {place.name}", place.ambient_dba, "dBA", source="show: level at a listener's position")
    yield Masker(place.name, total(f"noise of {place.name} at the ear", "dBA", (given, *kept_out)), place.noise)
    for spot in place.noises if listener.at_m is not None else ():
        assert listener.at_m is not None
        metres = max(math.dist(spot.at_m, listener.at_m), 1.0)
        near = Derived(f"{spot.name} at 1 m", spot.level_dba_1m, "dBA", source="measured, in the show")
        away = Derived(f"{metres:.1f} m away", -20 * math.log10(metres), "dB", source="free-field distance law")
        yield Masker(spot.name, total(f"{spot.name} at the ear", "dBA", (near, away, *kept_out)), spot.noise)


def _isolation(analysis: Computed, way: TalkWay, listener: Party) -> tuple[Derived, ...]:
    """What is worn over the ears keeps out: what the talkback comes by there, else what the listener hears on."""
    owner = analysis.graph.nodes[way.node].owner if way.node is not None else ""
    for name in (owner, PortId.of(listener.hears_on or "").device):
        device = analysis.show.find_device(name)
        kind = analysis.catalogue[device.kind] if device is not None else None
        if kind is not None and kind.isolation_db:
            return (Derived(f"{kind.name}, isolation", -kind.isolation_db, "dB", source="device data"),)
    return ()
