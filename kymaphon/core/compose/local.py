"""Those in rooms: who they are, what they are heard by and where it stands, as the adviser of placement finds it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from kymaphon.core.acoustics.cast import PlaceSound, sound_of
from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.compose.rig import Rig
from kymaphon.core.compose.seats import crowded, seats_in
from kymaphon.core.compose.settle import Settled, own_kinds, settings
from kymaphon.core.figures import number
from kymaphon.core.model.answers import RoomAnswer, VoiceAnswer
from kymaphon.core.model.base import PartyKind, Point, Shield
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.show import Place
from kymaphon.core.placement.head_turns import HeadTurn, turned_level_db, turns_of
from kymaphon.core.placement.moves import Placed, inside, placed_in, rounded
from kymaphon.core.placement.placing import best_of
from kymaphon.core.units import DBV_TO_DBU_DB, PASCAL_DB_SPL

FEW = 2
"""Up to so many share a two-input interface, which has gain enough for a moving coil."""
FURTHER = (1.0, 1.25, 1.5)
ASIDE_DEG = (30, -30, 15, -15, 0)
"""Spots that are tried for a microphone whose talker turns the head: so much further away, so far aside of straight ahead."""
KINDS: dict[str, PartyKind] = {"instrument": "instrument", "crowd": "crowd", "effect": "effect"}


@dataclass(frozen=True)
class Source:
    """Something that must come into the rig by a lead.

    Attributes:
        ends: its outputs, as `device.port` with the side where it has two; left first.
        kind: of the device.
        level_dbu: what a microphone gives on average; None where it is not told.
    """

    voice: VoiceAnswer
    party: str
    device: str
    kind: Kind
    ends: tuple[str, ...]
    level_dbu: float | None = None

    @property
    def usb(self) -> bool:
        """It is its own interface."""
        return self.kind.is_microphone and self.kind.outputs[0].domain == "digital"


def put_in_rooms(rig: Rig, settled: Settled) -> dict[str, str]:
    """The rooms and everybody in them; id of a voice -> id of its party."""
    data = settings()["rooms"]
    out: dict[str, str] = {}
    first = True
    for room in settled.rooms:
        rig.place(
            Place(
                id=room.id,
                name=room.name,
                size_m=room.size_m,
                ambient_dba=data["outdoors_dba" if room.outdoors else "ambient_dba"],
                outdoors=room.outdoors,
                speakers_mute=room.studio,
                liveliness="treated" if room.studio else "ordinary",
            )
        )
        seats = seats_in(settled, room)
        if crowded(settled, room):
            width, depth = room.size_m or (0.0, 0.0)
            text = f"{room.name}: {len(seats)} in {width:g} by {depth:g} m sit nearer than an elbow's width; a larger room is better."
            settled.say("heard", room.id, text)
        for row in (row for row in settled.voices if row.room == room.id):
            seat = seats[row.id]
            person = row.sort == "person"
            kind: PartyKind = KINDS.get(row.sort, "presenter" if first else "guest")
            first = first and not person
            out[row.id] = rig.party(
                row.id,
                row.name,
                kind,
                place=room.id,
                at_m=seat.at,
                faces_deg=seat.faces_deg if person else None,
                speaks=True,
                listens=person,
            )
    return out


def microphones(rig: Rig, settled: Settled, parties: dict[str, str], tries: dict[str, int]) -> list[Source]:
    """What each in a room is heard by.

    Args:
        tries: id of a voice -> which of the proposed microphones is taken; 0 where none is named.
    """
    out = []
    bare = rig.show
    sounds = {room.id: sound_of(bare, rig.catalogue, room.id) for room in settled.rooms}
    for row in settled.in_rooms:
        party = parties[row.id]
        kind_id = proposed(settled, row)[tries.get(row.id, 0)]
        if rig.catalogue[kind_id].group == "instrument":
            if row.microphone is None:
                text = f"{row.name}: by a microphone it would be in the others\u2019 too; by its pickup it is not."
                settled.say("heard", row.id, text)
            out.append(plugged_in(rig, settled, row, party, kind_id))
            continue
        room = next(room for room in settled.rooms if room.id == row.room)
        settled.stock.take(kind_id)
        out.append(stood(rig, row, party, kind_id, room, sounds[room.id]))
    for_turning_heads(rig)
    return out


def stood(rig: Rig, row: VoiceAnswer, party: str, kind_id: str, room: RoomAnswer, sound: PlaceSound) -> Source:
    """A microphone before its voice, on the spot that the adviser of placement finds."""
    kind = rig.catalogue[kind_id]
    shield: Shield = "fur" if room.outdoors else "none"
    spot = best_of(sound, sound.source_index[party], kind, shield)
    at: Point | None = spot.at if spot is not None else None
    if row.sort in ("crowd", "effect") and spot is not None:
        at = _towards_the_middle(room, sound.sources[sound.source_index[party]].at, spot.metres)
    name = f"{row.name}\u2019s microphone"
    device = rig.device(kind_id, f"mic-{row.id}", name, place=room.id, at=at, party=party, shield=shield)
    socket = next(port.id for port in kind.outputs if port.domain != "acoustic")
    level = None
    if spot is not None and kind.microphone is not None:
        heard = spot.voice_db - spot.weighting.value
        level = heard - PASCAL_DB_SPL + kind.microphone.sensitivity_dbv_pa + DBV_TO_DBU_DB
    return Source(row, party, device, kind, (f"{device}.{socket}",), level)


def _towards_the_middle(room: RoomAnswer, at: Point, metres: float) -> Point:
    """A spot before something, on the side of the room's middle: away from what reflects."""
    width, depth = room.size_m or (0.0, 0.0)
    away = math.dist(at, (width / 2, depth / 2)) or 1.0
    return rounded((at[0] + (width / 2 - at[0]) / away * metres, at[1] + (depth / 2 - at[1]) / away * metres))


def for_turning_heads(rig: Rig) -> None:
    """Moves microphones so that nobody is lost who turns to a neighbour: of the spots about the mouth, the one where the worst turn costs
    least; those that the adviser chose and that lose nothing that counts stay.
    """
    figures = figures_of(rig.show, rig.catalogue, remedies=False)
    tolerance = number("turn-tolerance")
    for place in rig.show.places:
        for row in placed_in(figures, place.id):
            beside = [turn for turn in turns_of(row) if turn.towards]
            stand = row.sound.mics[row.mic]
            faces = row.sound.sources[row.voice].faces_deg
            limit = stand.kind.microphone
            if not beside or faces is None or stand.worn is not None or limit is None:
                continue
            if min(turn.change_db for turn in beside) >= -tolerance:
                continue
            spots = [
                rounded(row.spot(min(row.metres * far, limit.farthest_m), faces + aside))
                for far in FURTHER
                for aside in ASIDE_DEG
            ]

            def worst(spot: Point, row: Placed = row, beside: list[HeadTurn] = beside) -> float:
                here = turned_level_db(row, 0, spot)
                return min(turned_level_db(row, turn.turn_deg, spot) - here for turn in beside)

            free = [spot for spot in spots if inside(row.sound.place, spot) and row.clear_at(spot)]
            if free:
                # The nearest that does; where none does, the best.
                best = next((spot for spot in free if worst(spot) >= -tolerance), None) or max(free, key=worst)
                rig.change(row.device, at_m=best)


def plugged_in(rig: Rig, settled: Settled, row: VoiceAnswer, party: str, kind_id: str) -> Source:
    """An instrument that is plugged: its own output, both sides where it has two."""
    kind = rig.catalogue[kind_id]
    settled.stock.take(kind.id)
    device = rig.device(kind.id, f"inst-{row.id}", row.name, place=row.room)
    port = kind.outputs[0]
    rig.update_party(party, plays_on=f"{device}.{port.id}", place=None, at_m=None)
    ends = tuple(f"{device}.{port.id}.{side}" for side in "lr") if port.stereo else (f"{device}.{port.id}",)
    return Source(row, party, device, kind, ends)


def proposed(settled: Settled, row: VoiceAnswer) -> tuple[str, ...]:
    """Kinds of microphone that come into question for a voice, the best first: as answered, then what is there, then the usual ones."""
    data = settings()["propose"]
    room = next(room for room in settled.rooms if room.id == row.room)
    several = sum(other.sort == "person" for other in settled.voices) > FEW
    played = any(other.sort in ("instrument", "crowd") and other.room == row.room for other in settled.voices)
    record = settled.hearer("recording")
    tracks = record is not None and record.each
    name: str = row.sort
    if row.sort == "person":
        name = (
            "person-outdoors"
            if room.outdoors
            else "person-of-several"
            if several or played or settled.desk or tracks
            else "person"
        )
    usual = tuple(data[name])
    asked = (row.microphone,) if row.microphone is not None else ()
    return tuple(dict.fromkeys((*asked, *_there(settled, row, data), *usual)))


def _there(settled: Settled, row: VoiceAnswer, data: dict[str, Any]) -> tuple[str, ...]:
    """The microphone that is there for a voice: the first voice that names none gets the first that is there, and so on; and others
    of those kinds after it.
    """
    suited = [*data.get(f"{row.sort}-there", data.get(row.sort, ()))]
    # A microphone of somebody's own is for who speaks or plays.
    own = own_kinds(settled.catalogue) if row.sort in ("person", "instrument") else {}
    suited += [name for name, kind in own.items() if kind.is_microphone and kind.outputs[0].domain == "analog"]
    left = {have.kind: 0 for have in settled.answers.have if have.kind in suited}
    for have in settled.answers.have:
        if have.kind in left:
            left[have.kind] += have.count
    for other in settled.voices:
        if other.microphone in left:
            left[str(other.microphone)] -= 1
    single = [kind for kind, count in left.items() for _ in range(max(count, 0))]
    before = [other for other in settled.voices if other.sort == row.sort and other.microphone is None]
    at = before.index(row) if row in before else len(single)
    return tuple(dict.fromkeys(single[at:]))


def another_microphone(settled: Settled, row: VoiceAnswer, tried: int) -> bool:
    """Whether anything is left to be tried for a voice."""
    return tried + 1 < len(proposed(settled, row))
