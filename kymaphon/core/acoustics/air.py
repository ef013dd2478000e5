"""The edges that run through the air: mouth to microphone, loudspeaker to microphone and ear, headphone
leak, room noise.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

from kymaphon.core.acoustics.acoustic_path import (
    distance_part,
    loudspeaker_parts,
    loudspeaker_to_ears,
    near_part,
    room_noise,
    room_noise_flat_db,
    voice_parts,
    worn_parts,
)
from kymaphon.core.acoustics.placements import Placement, has_face, stand_of, voice_level
from kymaphon.core.acoustics.sound import travel_ms
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.signal import EdgeKind, Node
from kymaphon.core.model.catalogue import Catalogue, Kind, Port
from kymaphon.core.model.ends import nominal_dbu, usual_output
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.scales import shipped_digital
from kymaphon.core.model.show import Device, Party, Place, Show
from kymaphon.core.model.take_figures import level_of_take, measured_ambient, measured_flat_db

if TYPE_CHECKING:
    from kymaphon.core.graph.draft import Draft

LEAK_REFERENCE_M = 0.3
"""Distance from the head at which a kind states its headphone leak."""

MUTED = "an open microphone mutes the loudspeakers"


def add_air(draft: Draft) -> None:
    """Adds the parties, what they say into, what they listen on, and every sound path of each place."""
    hearing = {party.id: _ear_ports(draft, party) for party in draft.show.parties if party.listens}
    for party in draft.show.parties:
        if party.speaks:
            _add_mouth(draft, party)
        if party.listens:
            _add_ear(draft, party, hearing[party.id])
    for device in draft.show.devices:
        kind = draft.kind(device)
        for port in kind.inputs:
            if port.domain == "acoustic":
                _add_pickup(draft, device, kind, port)
    _add_room_hearing(draft, hearing)


def _add_mouth(draft: Draft, party: Party) -> None:
    if party.plays_on:
        node = _side_or_both(draft, party.plays_on)
        unit = draft.nodes[node[0]].unit
        level = _played_level(draft, unit, party)
        mouth = draft.add(Node(f"{party.id}.voice", party.name, unit, party.id))
        for target in node:
            draft.join(f"{party.id}.voice", draft.nodes[target].id, kind=EdgeKind.PLAYS)
        draft.mouths[party.id] = (mouth, level)
        return
    mouth = draft.add(Node(f"{party.id}.mouth", f"{party.name}, at 1 m", "dB SPL", party.id, party.place))
    draft.mouths[party.id] = (mouth, voice_level(party))


def _played_level(draft: Draft, unit: str, party: Party) -> Derived:
    """The level at which a voice without a mouth begins: measured in the show, from a take of it, else the nominal level
    of the socket that it plays on. A digital one is taken to be on the mark.
    """
    device_id, port_id, _ = PortId.of(party.plays_on or "")
    device = draft.show.device(device_id)
    kind = draft.kind(device)
    port = kind.port(port_id)
    measured = party.level_dbu if unit == "dBu" else party.level_dbfs
    if measured is not None:
        return Derived(f"{party.name}, measured", measured, unit, source="measured, in the show")
    full_scale = None if port is None else port.full_scale_dbu
    taken = level_of_take(draft.show, party, unit, full_scale if full_scale is not None else kind.full_scale_dbu)
    if taken is not None:
        return taken
    if unit == "dBFS" or port is None:
        mark = draft.mark if draft.mark.unit == "dBFS" else shipped_digital()
        return Derived(f"{party.name}, taken to be on the mark", mark.average, "dBFS", source=mark.source)
    stated = "device data" if port.nominal_dbu is not None else usual_output(port).source
    name = f"{party.name}, nominal level of {device_name(draft.show, device, kind.name)}, {port.name}"
    return Derived(name, nominal_dbu(port), "dBu", source=f"{stated}: {kind.name}")


def _side_or_both(draft: Draft, reference: str) -> list[int]:
    if reference in draft.index:
        return [draft.index[reference]]
    return [draft.index[f"{reference}.l"], draft.index[f"{reference}.r"]]


def is_muted(show: Show, catalogue: Catalogue, place_id: str | None) -> bool:
    """Whether the loudspeakers of a place are off the air: it mutes them where a microphone is open, and it has one."""
    place = next((row for row in show.places if row.id == place_id), None)
    return (
        place is not None
        and place.speakers_mute
        and any(
            device.place == place_id and any(port.domain == "acoustic" for port in catalogue[device.kind].inputs)
            for device in show.devices
        )
    )


def _ear_ports(draft: Draft, party: Party) -> tuple[Device, Kind, tuple[Port, ...]] | None:
    """What a party listens on: one port; a recorder that is named as a whole, every track of it."""
    if not party.hears_on:
        return None
    device_id, port_id, _ = PortId.of(party.hears_on)
    device = draft.show.device(device_id)
    kind = draft.kind(device)
    ports = tuple(port for port in kind.outputs if port.id == port_id or (not port_id and port.ear))
    return device, kind, ports if kind.is_recorder else ports[:1]


def _add_ear(draft: Draft, party: Party, hearing: tuple[Device, Kind, tuple[Port, ...]] | None) -> None:
    if hearing is None:
        ear = draft.add(Node(f"{party.id}.ear", f"{party.name}'s ears", "dB SPL", party.id, party.place))
        draft.ears[party.id] = (ear,)
        return
    device, _, ports = hearing
    nodes = []
    for i, port in enumerate(ports):
        # The first keeps the plain name; of further tracks each has its own.
        number, track = (f"{i + 1}", f", {port.name}") if len(ports) > 1 else ("", "")
        for side in (".l", ".r") if port.stereo else ("",):
            source = draft.nodes[draft.index[f"{device.id}.{port.id}{side}"]]
            word = track + {".l": ", left", ".r": ", right"}.get(side, "")
            name = f"{party.name}'s ears{word}" if source.unit == "dB SPL" else f"{party.name}{word}"
            node = f"{party.id}.ear{number if i else ''}{side}"
            nodes.append(draft.add(Node(node, name, source.unit, party.id, party.place)))
            draft.join(source.id, node, kind=EdgeKind.LISTENS)
    draft.ears[party.id] = tuple(nodes)


def _add_pickup(draft: Draft, device: Device, kind: Kind, port: Port) -> None:
    """Everything in the same place that a microphone hears: its talker, other talkers, loudspeakers,
    headphones, the room.
    """
    target = f"{device.id}.{port.id}"
    stand = stand_of(draft.show, kind, device)
    place = draft.show.place(device.place) if device.place is not None else None
    for party in draft.show.parties:
        if not party.speaks or party.plays_on:
            continue
        own = party is stand.own
        if own and None not in (party.place, device.place) and party.place != device.place:
            continue  # a finding of its own
        sort = EdgeKind.SPEAKS if own else EdgeKind.BLEEDS
        if own and stand.worn is not None:
            parts, metres = worn_parts(party.name, stand.worn, faced=has_face(party))
        elif own and (party.at_m is None or stand.at is None):
            usual = "handset-distance" if kind.is_phone else "speaking-distance"
            metres = number(usual)
            parts = (distance_part(metres, figure(usual).source), *near_part(stand, metres))
        elif own or (party.place is not None and party.place == device.place):
            if party.at_m is None or stand.at is None:
                draft.unknown.append(f"{party.name} into {stand.name}: no position")
                continue
            parts, metres = voice_parts(draft.show, party, stand, place)
        else:
            continue
        draft.join(f"{party.id}.mouth", target, parts, delays=_travel(metres), kind=sort)
    _add_leaks(draft, stand, target, place)
    ambient, flat = measured_ambient(draft.show, device), measured_flat_db(draft.show, device)
    if ambient is None and place is not None:
        ambient = room_noise(place, stand)
    if flat is None and place is not None:
        flat = room_noise_flat_db(place, stand)
    if ambient is not None and flat is not None:
        draft.noise(target, "room", ambient, flat)


@lru_cache(maxsize=8192)
def _travel(metres: float) -> tuple[Derived, ...]:
    return (Derived(f"{show_number(metres, 'm')} of air", travel_ms(metres), "ms", source="343.2 m/s at 20 \u00b0C"),)


def _add_leaks(draft: Draft, mic: Placement, target: str, place: Place | None) -> None:
    for device in draft.show.devices:
        if device.id == mic.device.id or device.place is None or device.place != mic.device.place:
            continue
        kind = draft.kind(device)
        if kind.leak_db is not None:
            _add_headphone_leak(draft, device, kind, mic, target)
        for port in kind.outputs:
            if port.domain == "acoustic" and not port.ear:
                if device.at_m is None or mic.at is None:
                    draft.unknown.append(f"{device_name(draft.show, device, kind.name)} into {mic.name}: no position")
                    continue
                parts, metres = loudspeaker_parts(device, kind, mic, place)
                muted = MUTED if is_muted(draft.show, draft.catalogue, device.place) else ""
                draft.join(
                    f"{device.id}.{port.id}",
                    target,
                    parts,
                    delays=_travel(metres),
                    kind=EdgeKind.LOUDSPEAKER,
                    broken=muted,
                )


def _add_headphone_leak(draft: Draft, device: Device, kind: Kind, mic: Placement, target: str) -> None:
    wearer = next((p for p in draft.show.parties if p.hears_device == device.id), None)
    metres = _leak_metres(wearer, device, mic) if wearer is not None else None
    if wearer is None:
        return
    if metres is None:
        draft.unknown.append(f"headphones of {wearer.name} into {mic.name}: no position")
        return
    for port in kind.outputs:
        if not port.ear:
            continue
        leak = Derived(f"{kind.name}, leak at 30 cm", kind.leak_db or 0.0, "dB", source="device data")
        parts: tuple[Derived, ...] = (
            leak,
            distance_part(metres, "free-field distance law", LEAK_REFERENCE_M),
        )
        if port.stereo:
            parts += (Derived("each side half", -20 * math.log10(2), "dB", source="two sides at half"),)
        for side in (".l", ".r") if port.stereo else ("",):
            draft.join(f"{device.id}.{port.id}{side}", target, parts, delays=_travel(metres), kind=EdgeKind.LEAK)


def _leak_metres(wearer: Party, device: Device, mic: Placement) -> float | None:
    """From somebody's head to a microphone: to their own, where nothing is placed, the usual distance; None where it is not known."""
    at, own = wearer.at_m or device.at_m, mic.own is wearer
    if own and mic.worn is not None:
        return number("ear-to-mouth")
    if at is None or mic.at is None:
        return number("speaking-distance") if own else None
    return math.dist(mic.at, at)


def _add_room_hearing(draft: Draft, hearing: dict[str, tuple[Device, Kind, tuple[Port, ...]] | None]) -> None:
    """What ears get straight from the room: people and loudspeakers in the same place, less what is worn
    over the ears.
    """
    for listener in draft.show.parties:
        if not listener.listens or listener.place is None:
            continue
        worn = hearing[listener.id]
        if worn is not None and (worn[2][0].domain != "acoustic" or worn[1].isolation_db is None):
            continue
        shield: tuple[Derived, ...] = ()
        if worn is not None:
            shield = (
                Derived(f"{worn[1].name}, isolation", -(worn[1].isolation_db or 0.0), "dB", source="device data"),
            )
        sounds = [
            (f"{party.id}.mouth", party.at_m)
            for party in draft.show.parties
            if party.speaks and not party.plays_on and party.id != listener.id and party.place == listener.place
        ]
        muted = MUTED if is_muted(draft.show, draft.catalogue, listener.place) else ""
        loud = set()
        for device in draft.show.devices:
            if device.place == listener.place:
                loud |= {f"{device.id}.{port.id}" for port in draft.kind(device).outputs}
                sounds += [
                    (f"{device.id}.{port.id}", device.at_m)
                    for port in draft.kind(device).outputs
                    if port.domain == "acoustic" and not port.ear
                ]
        for source, at in sounds:
            if at is None or listener.at_m is None:
                draft.unknown.append(f"{source.partition('.')[0]} to the ears of {listener.name}: no position")
                continue
            if source in loud:
                box = draft.show.device(PortId.of(source).device)
                heard, metres = loudspeaker_to_ears(
                    box, draft.kind(box), listener.at_m, draft.show.place(listener.place)
                )
            else:
                metres = math.dist(at, listener.at_m)
                heard = (distance_part(metres, "free-field distance law"),)
            parts = (*heard, *shield)
            for ear in draft.ears[listener.id]:
                draft.join(
                    source,
                    draft.nodes[ear].id,
                    parts,
                    delays=_travel(metres),
                    kind=EdgeKind.THROUGH_AIR,
                    broken=muted if source in loud else "",
                )
