"""All the sound of a place at once, in arrays: every voice and loudspeaker into every microphone.

The same figures as the lines of `heard`, fast enough to follow a drag; tests hold the two against each other.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.acoustics.acoustic_path import polar_db, room_noise, wind_noise
from kymaphon.core.acoustics.mouth import mouth_gain_db
from kymaphon.core.acoustics.placements import (
    Placement,
    facing_deg,
    has_face,
    loudspeaker_pickup,
    loudspeaker_q,
    stand_of,
    voice_level,
)
from kymaphon.core.acoustics.room import reverberant_gain_db
from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.own_noise import own_noise
from kymaphon.core.model.base import Point
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import Device, Party, Place, Show
from kymaphon.core.model.take_figures import measured_ambient
from kymaphon.core.model.weights import crest_of, voice_a

Floats = NDArray[np.float64]
NOTHING_DB = -300.0


@dataclass(frozen=True, slots=True)
class SoundSource:
    """Something that sounds: a mouth, an instrument, a loudspeaker.

    Attributes:
        faces_deg: where it throws its sound; None when it sounds alike to every side.
        level: at 1 m ahead, unweighted.
        party: None for a loudspeaker.
    """

    id: str
    name: str
    at: Point
    faces_deg: float | None
    level: Derived
    q: float | None
    party: Party | None = None
    device: Device | None = None
    kind: Kind | None = None

    @property
    def weighting(self) -> Derived:
        """A-weighted less unweighted level; a loudspeaker is taken to play speech."""
        return voice_a(self.party.kind if self.party is not None else "presenter")

    @property
    def crest(self) -> Derived:
        """From its average to its highest sample."""
        return crest_of(self.party.kind if self.party is not None else "presenter")

    def thrown_db(self, angle_deg: Floats) -> Floats:
        """Level to the side against straight ahead."""
        if self.faces_deg is None:
            return np.zeros_like(angle_deg)
        if self.kind is not None:
            return loudspeaker_pickup(self.kind).gain_db(angle_deg)
        return mouth_gain_db(angle_deg)


def microphones(show: Show, catalogue: Catalogue, place: str | None = None) -> list[Placement]:
    """Every device that hears the air for the programme, in the show's order; only those of a place when it is given. Talkback's own
    are none: nobody places them to sound well.
    """
    rows = []
    for device in show.devices:
        kind = catalogue[device.kind]
        if kind.is_talkback or place not in (None, device.place):
            continue
        if any(port.domain == "acoustic" for port in kind.inputs):
            rows.append(stand_of(show, kind, device))
    return rows


def is_loudspeaker(kind: Kind) -> bool:
    """Whether a kind sounds into the room rather than into an ear."""
    return any(port.domain == "acoustic" and not port.ear for port in kind.outputs)


@dataclass(frozen=True)
class PlaceSound:
    """The sound of one place. V sources, M microphones; levels of voices in dB SPL, on average; noises in dBA.

    Attributes:
        sources, mics: those whose position is known. A worn microphone stands where its wearer does.
        unplaced: names of what takes part and has no position.
        own: for each microphone, the position of its own party among the sources, or -1; shape (M,).
        distance_m, angle_deg, face_deg: geometry; angle off the microphone's axis, off the front of the source;
            shape (V, M).
        direct_db, reverberant_db: what comes straight, and by the room; shape (V, M).
        measured: the place's noise in each microphone where a take tells it; else None.
        ambient_db, noise_db, most_db: the place's noise, the microphone's own, its maximum; shape (M,); the last is
            inf where it is not stated.
    """

    place: Place
    sources: tuple[SoundSource, ...]
    mics: tuple[Placement, ...]
    unplaced: tuple[str, ...]
    own: NDArray[np.intp]
    distance_m: Floats
    angle_deg: Floats
    face_deg: Floats
    direct_db: Floats
    reverberant_db: Floats
    ambient_db: Floats
    measured: tuple[Derived | None, ...]
    noise: tuple[Derived, ...]
    most_db: Floats
    shut: frozenset[str] = field(default=frozenset())

    @cached_property
    def level_db(self) -> Floats:
        """Direct and reverberant together; shape (V, M)."""
        return np.asarray(np.logaddexp(self.direct_db * _LN, self.reverberant_db * _LN) / _LN)

    @cached_property
    def ambient(self) -> tuple[Derived, ...]:
        """The place's noise in each microphone with its arithmetic: as measured, else as assumed."""
        return tuple(known or room_noise(self.place, mic) for known, mic in zip(self.measured, self.mics, strict=True))

    @cached_property
    def noise_db(self) -> Floats:
        return np.array([row.value for row in self.noise])

    @cached_property
    def own_db(self) -> Floats:
        """Level of its own party in each microphone, direct and by the room; NaN where it has none here; shape (M,)."""
        return self._of_own(self.level_db)

    @cached_property
    def weighting_db(self) -> Floats:
        """A-weighted less unweighted level of each source; shape (V,)."""
        return np.array([source.weighting.value for source in self.sources])

    @cached_property
    def _own_weighting(self) -> Floats:
        return self._of_own(np.repeat(self.weighting_db[:, None], len(self.mics), axis=1))

    @cached_property
    def voice_over_room(self) -> Floats:
        """Own voice's direct sound against the place's noise, both A-weighted, in dB; shape (M,)."""
        return self._of_own(self.direct_db) + self._own_weighting - self.ambient_db

    @cached_property
    def voice_over_mic(self) -> Floats:
        """Own voice against the microphone's own noise, both A-weighted, in dB; shape (M,)."""
        return self.own_db + self._own_weighting - self.noise_db

    @cached_property
    def voice_over_reverberation(self) -> Floats:
        """Own voice's direct sound against its own reverberation, in dB; shape (M,)."""
        return self._of_own(self.direct_db) - self._of_own(self.reverberant_db)

    @cached_property
    def headroom_db(self) -> Floats:
        """From the highest sample of the own voice to the microphone's maximum; shape (M,)."""
        crests = np.array([source.crest.value for source in self.sources])
        return self.most_db - self.own_db - self._of_own(np.repeat(crests[:, None], len(self.mics), axis=1))

    def _of_own(self, table: Floats) -> Floats:
        if not len(self.sources):
            return np.full(len(self.mics), np.nan)
        picked = table[np.maximum(self.own, 0), np.arange(len(self.mics))]
        return np.where(self.own >= 0, picked, np.nan)

    def next_loudest(self, mic: int) -> tuple[int, float] | None:
        """The loudest other source in a microphone, and how far it lies under the own voice in dB (or its level in
        dB SPL below 0 dB when there is no own voice); None when there is no other.
        """
        others = [v for v in range(len(self.sources)) if v != self.own[mic]]
        if not others:
            return None
        loudest = max(others, key=lambda v: self.level_db[v, mic])
        mine = self.own_db[mic]
        reference = 0.0 if math.isnan(mine) else mine
        return loudest, float(reference - self.level_db[loudest, mic])

    def is_open(self, mic: int) -> bool:
        """Whether the microphone's channel lets signal through somewhere."""
        return self.mics[mic].device.id not in self.shut

    @cached_property
    def mic_index(self) -> dict[str, int]:
        return {mic.device.id: i for i, mic in enumerate(self.mics)}

    @cached_property
    def source_index(self) -> dict[str, int]:
        return {source.id: i for i, source in enumerate(self.sources)}


_LN = math.log(10) / 10


def sound_of(
    show: Show,
    catalogue: Catalogue,
    place_id: str,
    loudspeaker_db: Mapping[str, float] | None = None,
    shut: frozenset[str] = frozenset(),
) -> PlaceSound:
    """Computes one place.

    Args:
        loudspeaker_db: level at 1 m of loudspeakers by device id, where it is known; `NOTHING_DB` for a silent one.
        shut: ids of microphones whose signal goes nowhere.

    Raises:
        KeyError: there is no such place.
    """
    place = show.place(place_id)
    unplaced: list[str] = []
    mics = []
    for stand in microphones(show, catalogue, place_id):
        if stand.at is None:
            unplaced.append(stand.name)
        else:
            mics.append(stand)
    sources = _sources(show, catalogue, place_id, loudspeaker_db or {}, unplaced)
    return _compute(show, place, tuple(sources), tuple(mics), tuple(unplaced), shut)


def _sources(
    show: Show, catalogue: Catalogue, place_id: str, loud: Mapping[str, float], unplaced: list[str]
) -> list[SoundSource]:
    rows = []
    for party in show.parties:
        if party.speaks and not party.plays_on and party.place == place_id:
            if party.at_m is None:
                unplaced.append(party.name)
                continue
            faced = has_face(party)
            faces = facing_deg(show, party) if faced else None
            rows.append(
                SoundSource(party.id, party.name, party.at_m, faces, voice_level(party), None if faced else 1.0, party)
            )
    for device in show.devices:
        kind = catalogue[device.kind]
        if device.place == place_id and is_loudspeaker(kind):
            if device.at_m is None:
                unplaced.append(device_name(show, device, kind.name))
                continue
            if loud.get(device.id, 0.0) <= NOTHING_DB:
                continue  # plugged in, and nothing gets to it
            usual = figure("bystander")
            level = (
                Derived("what it plays now, at 1 m", loud[device.id], "dB SPL", source="levels of the rig")
                if device.id in loud
                else Derived(usual.name, usual.value, "dB SPL", source=usual.source)
            )
            faces = device.aim_deg if kind.pattern not in (None, "omni") else None
            rows.append(
                SoundSource(
                    device.id,
                    device_name(show, device, kind.name),
                    device.at_m,
                    faces,
                    level,
                    loudspeaker_q(kind),
                    device=device,
                    kind=kind,
                )
            )
    return rows


def _compute(
    show: Show,
    place: Place,
    sources: tuple[SoundSource, ...],
    mics: tuple[Placement, ...],
    unplaced: tuple[str, ...],
    shut: frozenset[str],
) -> PlaceSound:
    count = len(sources), len(mics)
    at = np.array([source.at for source in sources], dtype=float).reshape(-1, 2)
    to = np.array([mic.at for mic in mics], dtype=float).reshape(-1, 2)
    apart = to[None, :, :] - at[:, None, :]
    distance = np.hypot(apart[..., 0], apart[..., 1])
    bearing = np.degrees(np.arctan2(apart[..., 1], apart[..., 0]))
    faces = np.array([np.nan if row.faces_deg is None else row.faces_deg for row in sources])[:, None]
    face = np.where(distance > 0, _apart_deg(bearing, faces), 0.0)
    own = np.full(len(mics), -1, dtype=np.intp)
    places = {source.party.id: v for v, source in enumerate(sources) if source.party is not None}
    angle = np.zeros(count)
    gain = np.zeros(count)
    around = np.full(len(mics), 0.0)
    measured, noise = [], []
    ambient = np.zeros(len(mics))
    for m, mic in enumerate(mics):
        own[m] = places.get(mic.own.id, -1) if mic.own is not None else -1
        if mic.worn is not None and own[m] >= 0:
            distance[own[m], m], face[own[m], m] = mic.worn.reach()
        if mic.worn is not None and mic.worn.where == "chest":
            angle[:, m] = 90.0
        elif mic.aim_deg is not None:
            angle[:, m] = np.where(distance[:, m] > 0, _apart_deg(bearing[:, m] + 180, mic.aim_deg), 0.0)
        if mic.worn is not None and own[m] >= 0:
            angle[own[m], m] = 0.0
        if mic.aim_deg is not None or mic.worn is not None or mic.pickup.pattern == "close-talking":
            gain[:, m] = mic.pickup.gain_db(angle[:, m], distance[:, m])
        if mic.worn is not None and own[m] >= 0:
            gain[own[m], m] = 0.0
        around[m] = mic.pickup.reverberant_db()
        known = measured_ambient(show, mic.device)
        measured.append(known)
        ambient[m] = known.value if known is not None else _ambient_db(place, mic)
        noise.append(_noise_of(mic))
    thrown = np.array([row.thrown_db(np.nan_to_num(face[v])) for v, row in enumerate(sources)]).reshape(count)
    for m, mic in enumerate(mics):
        if mic.worn is not None and own[m] >= 0:
            faced = mic.own is not None and has_face(mic.own)
            thrown[own[m], m] = float(mouth_gain_db(face[own[m], m])) if faced else 0.0
    level = np.array([row.level.value for row in sources])[:, None]
    held = np.maximum(distance, number("nearest-distance"))
    direct = level - 20 * np.log10(held) + gain + thrown
    room = np.array([_reverb(place, row.q) for row in sources])[:, None]
    reverberant = np.broadcast_to(level + room + around[None, :], count).copy()
    for m, mic in enumerate(mics):
        if mic.worn is not None and own[m] >= 0:
            reverberant[own[m], m] = NOTHING_DB
    most = np.array([_most(mic) for mic in mics])
    return PlaceSound(
        place,
        sources,
        mics,
        unplaced,
        own,
        distance,
        angle,
        np.nan_to_num(face),
        direct,
        reverberant,
        ambient,
        tuple(measured),
        tuple(noise),
        most,
        shut,
    )


def _ambient_db(place: Place, mic: Placement) -> float:
    """What `heard.room_noise` tells line by line, as one figure."""
    power = 10 ** ((place.ambient_dba + mic.pickup.diffuse_db(place.noise)) / 10)
    wind = wind_noise(place, mic)
    if wind is not None:
        power += 10 ** (wind.value / 10)
    if place.noises and mic.at is not None:
        apart = np.array([spot.at_m for spot in place.noises]) - np.asarray(mic.at)
        metres = np.hypot(apart[:, 0], apart[:, 1])
        gains = np.array([polar_db(mic, spot.at_m, float(d)) for spot, d in zip(place.noises, metres, strict=True)])
        levels = np.array([spot.level_dba_1m for spot in place.noises])
        direct = levels - 20 * np.log10(np.maximum(metres, number("nearest-distance"))) + gains
        power += float(np.sum(10 ** (direct / 10)))
        around = reverberant_gain_db(place, 1.0)
        if around is not None:
            power += float(np.sum(10 ** ((levels + around + mic.pickup.reverberant_db()) / 10)))
    return 10 * math.log10(power)


def _apart_deg(one: Floats, other: Floats | float) -> Floats:
    off = np.mod(one - other, 360.0)
    return np.asarray(np.minimum(off, 360.0 - off))


def _reverb(place: Place, q: float | None) -> float:
    gain = reverberant_gain_db(place, q)
    return NOTHING_DB if gain is None else gain


def _most(mic: Placement) -> float:
    ports = [port.max_db for port in mic.kind.inputs if port.domain == "acoustic" and port.max_db is not None]
    return ports[0] if ports else math.inf


def _noise_of(mic: Placement) -> Derived:
    if mic.kind.microphone is not None:
        return own_noise(mic.kind, mic.name)
    return Derived(f"{mic.name}, own noise not stated", NOTHING_DB, "dBA", source="device data")


def open_cost_db(count: int) -> float:
    """What so many open microphones cost in feedback margin and room noise against one: 10 lg NOM (Davis & Patronis)."""
    return 10 * math.log10(count) if count > 0 else 0.0


ENOUGH = "double-difference"
