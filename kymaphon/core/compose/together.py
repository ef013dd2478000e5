"""What belongs together, added to a show by hand in one step: a talker with a microphone and headphones, a guest far away, all channels
of a USB lead, whoever hears what an encoder or a recorder gets.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress

from kymaphon.core.acoustics.cast import sound_of
from kymaphon.core.compose.ends import far_end
from kymaphon.core.compose.leads import bring_in
from kymaphon.core.compose.local import Source, stood
from kymaphon.core.compose.rig import Rig, line_inputs, microphone_inputs, outputs
from kymaphon.core.compose.seats import another_seat
from kymaphon.core.compose.settle import settings, settle
from kymaphon.core.model.answers import Answers, Link, RoomAnswer, VoiceAnswer
from kymaphon.core.model.base import PartyKind
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.edits import AddRow, Edit, Plug, SetField, SetValue, SetWant, apply_all
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Device, Party, Place, Setting, Show
from kymaphon.core.model.wants import wants_by_role
from kymaphon.core.wiring.plugging import plug


def far_guest(show: Show, catalogue: Catalogue, name: str, by: Link) -> tuple[Edit, ...]:
    """Somebody far away with all that joins them: the app or codec, their end, the leads, and what they listen on.

    A call runs in the computer that has a mixer program; a codec, and a telephone where there is a desk and no such program, hangs on the
    desk. Their voice goes into a free input and their mix comes from a free send, as far as there are any; what is on that send is the
    planner's to say.

    Raises:
        ValueError: there is neither a mixer program nor a desk.
    """
    mixer = next((row for row in show.devices if catalogue[row.kind].is_mixing_software), None)
    desk = next((row for row in show.devices if catalogue[row.kind].is_desk), None)
    in_computer = by != "codec" and mixer is not None and mixer.host is not None
    if not in_computer and desk is None:
        raise ValueError("there is no desk and no mixer program yet that a guest far away could come into")
    box = mixer if in_computer else desk
    assert box is not None
    rig = Rig(catalogue, show)
    answer = VoiceAnswer(id=fresh_id(show, name), name=name, sort="remote", by=by)
    settled = settle(Answers(), catalogue)
    end = far_end(rig, settled, answer, place=box.place, host=box.host if in_computer else None)
    kind = catalogue[box.kind]
    taken = {cable.target_socket for cable in show.cables}
    used = {cable.source_socket for cable in show.cables}
    free = _inputs(kind) if in_computer else line_inputs(kind)
    into = next((f"{box.id}.{port}" for port in free if f"{box.id}.{port}" not in taken), None)
    send = next((f"{box.id}.{port}" for port in outputs(kind, "send") if f"{box.id}.{port}" not in used), None)
    if into is not None:
        rig.lead(end.out, into)
    if send is not None:
        rig.lead(send, end.into)
    return (*_between(show, rig.show), *wanted_by_role(rig.show, end.party))


def proposed_microphone(show: Show, catalogue: Catalogue) -> str:
    """The kind for one more talker: close by alone at an interface, a condenser beside others or at a desk, whose gain is enough for it."""
    several = sum(party.speaks and party.place is not None and party.kind != "remote" for party in show.parties)
    desk = any(catalogue[row.kind].is_desk for row in show.devices)
    name = "person-of-several" if several or desk else "person"
    return str(settings()["propose"][name][0])


def rooms_here(show: Show) -> tuple[Place, ...]:
    """Places where nobody is who is far away."""
    far = {party.place for party in show.parties if party.kind == "remote"}
    return tuple(row for row in show.places if row.id not in far)


def computers_here(show: Show, catalogue: Catalogue) -> tuple[str, ...]:
    """Ids of the computers that are not somebody's far away."""
    here = {None, *(row.id for row in rooms_here(show))}
    return tuple(row.id for row in show.devices if catalogue[row.kind].is_computer and row.place in here)


def proposed_room_m() -> tuple[float, float]:
    """Width and depth of a room that nobody has measured, in metres."""
    width, depth = settings()["rooms"]["size_m"]
    return float(width), float(depth)


def talker(
    show: Show, catalogue: Catalogue, name: str, *, place_id: str | None, microphone: str | None, headphones: str | None
) -> tuple[Edit, ...]:
    """Somebody in a room with a microphone and headphones of their own: a seat at the table, the microphone on the spot that the adviser
    finds and in a free input with what it takes on the way, the headphones where headphones go. Where there is no room yet one is made;
    what has nothing to be plugged into stays unplugged.

    Args:
        microphone: a kind; None for nobody's.
        headphones: a kind; None for own ears.

    Raises:
        KeyError: no such place or kind.
    """
    rig = Rig(catalogue, show)
    if place_id is None:
        place_id = fresh_id(show, "room")
        rig.place(
            Place(id=place_id, name="Room", size_m=proposed_room_m(), ambient_dba=settings()["rooms"]["ambient_dba"])
        )
        # What stood nowhere while there was no room stands in it.
        for device in show.devices if not rooms_here(show) else ():
            rig.change(device.id, place=device.place or place_id)
    place = rig.show.place(place_id)
    seat = another_seat(place, [row.at_m for row in show.parties if row.place == place_id and row.at_m is not None])
    first = not any(row.kind == "presenter" for row in show.parties)
    party = rig.party(
        fresh_id(show, name),
        name,
        "presenter" if first else "guest",
        place=place_id,
        at_m=seat.at,
        faces_deg=seat.faces_deg,
        speaks=True,
        listens=headphones is not None,
    )
    if microphone is not None:
        source = _at_a_microphone(rig, place, party, name, microphone)
        if source.usb:
            # Without a mixer program it stays unplugged.
            with suppress(ValueError):
                rig.show = apply_all(rig.show, usb_lead(rig.show, catalogue, source.device))
    edits = (*_between(show, rig.show), *wanted_by_role(rig.show, party))
    return edits if headphones is None else (*edits, *headphones_for(rig.show, catalogue, party, headphones))


def _at_a_microphone(rig: Rig, place: Place, party: str, name: str, kind_id: str) -> Source:
    """Somebody's microphone on its spot, and into the first free input of an interface or desk."""
    room = RoomAnswer(id=place.id, name=place.name, size_m=place.size_m, outdoors=place.outdoors)
    row = VoiceAnswer(id=party, name=name, room=place.id, microphone=kind_id)
    settled = settle(Answers(rooms=(room,), voices=(row,)), rig.catalogue)
    source = stood(rig, row, party, kind_id, room, sound_of(rig.show, rig.catalogue, place.id))
    taken = {cable.target_socket for cable in rig.show.cables}
    boxes = sorted(rig.show.devices, key=lambda row: row.place not in (None, place.id))
    for device in () if source.usb else boxes:
        kind = rig.kind(device.id)
        free = [port for port in microphone_inputs(kind) if f"{device.id}.{port}" not in taken]
        if kind.group in ("interface", "desk") and free:
            port = next(port for port in kind.inputs if port.id == free[0])
            bring_in(rig, settled, source, source.ends[0], device.id, port)
            break
    return source


EARS_OF: dict[str, tuple[PartyKind, str]] = {"encoder": ("audience", "Stream"), "recorder": ("recorder", "Recording")}


def heard_by(show: Show, device: Device, kind: Kind) -> tuple[Edit, ...]:
    """Whoever hears what an encoder or a recorder of one input gets: its audience, or the recording; nothing for other devices."""
    known = EARS_OF.get(kind.group)
    if known is None or sum(port.ear for port in kind.outputs) != 1:
        return ()
    sort, name = known
    names = {party.name for party in show.parties}
    called = next(row for row in (name, device.name or kind.name, f"{name} {device.id}") if row not in names)
    party = Party(id=fresh_id(show, called), name=called, kind=sort, speaks=False, listens=True, hears_on=device.id)
    return (AddRow("parties", party),)


def wanted_by_role(show: Show, voice: str) -> tuple[SetWant, ...]:
    """What those listeners should hear of a newcomer of whom it is said what they hear: of the others their roles say it, as long as
    nothing is said.
    """
    said = {row.listener for row in show.wants if row.want == "hear"}
    return tuple(row for row in wants_by_role(show) if row.voice == voice and row.listener in said)


def _inputs(kind: Kind) -> tuple[str, ...]:
    """Inputs of a mixer program, mono ones first."""
    return tuple(port.id for port in sorted(kind.inputs, key=lambda port: port.stereo))


def _between(before: Show, after: Show) -> tuple[Edit, ...]:
    """The edits that add what is new, and the settings that it wants of what was there."""
    edits: list[Edit] = []
    for table in ("places", "parties", "devices"):
        known = {row.id for row in getattr(before, table)}
        edits += [AddRow(table, row) for row in getattr(after, table) if row.id not in known]
    ends = {cable.ends for cable in before.cables}
    edits += [Plug(cable) for cable in after.cables if cable.ends not in ends]
    for device in before.devices:
        place = after.device(device.id).place
        edits += [SetField("devices", device.id, "place", place)] if place != device.place else []
        for key, setting in after.device(device.id).settings.items():
            was = device.settings.get(key, Setting())
            for field in Setting.model_fields:
                value = getattr(setting, field)
                if value != getattr(was, field):
                    edits.append(SetValue(SettingRef(device.id, key, field), value))
    return tuple(edits)


def headphones_for(show: Show, catalogue: Catalogue, party_id: str, kind_id: str, name: str = "") -> tuple[Edit, ...]:
    """Headphones of somebody, which are then what they listen on; plugged where headphones go: in the same place, a free outlet first, then
    one that others are on, a computer's own socket last.

    Raises:
        KeyError: no such party or kind.
    """
    party, kind = show.party(party_id), catalogue[kind_id]
    device = Device(
        id=fresh_id(show, f"phones-{party.id}"),
        kind=kind_id,
        name=name or f"{party.name}\u2019s headphones",
        place=party.place,
    )
    grown = show.model_copy(update={"devices": (*show.devices, device)})
    edits: list[Edit] = [
        AddRow("devices", device),
        SetField("parties", party.id, "listens", True),
        SetField("parties", party.id, "hears_on", device.id),
    ]
    socket = next((port.id for port in kind.inputs if port.level == "headphone"), None)
    used = {cable.source_socket for cable in show.cables}
    place = {row.id: row.place for row in show.devices}

    def nearest(row: tuple[str, bool]) -> tuple[bool, bool, bool]:
        outlet, computer = row
        return party.place not in (None, place[PortId.of(outlet).device]), computer, outlet in used

    outlets = sorted(_outlets(show, catalogue), key=nearest)
    if socket is not None and outlets:
        edits.append(plug(grown, catalogue, outlets[0][0], f"{device.id}.{socket}"))
    return tuple(edits)


def _outlets(show: Show, catalogue: Catalogue) -> Iterator[tuple[str, bool]]:
    """Outputs for headphones, and whether each is a computer's own."""
    here = {None, *(row.id for row in rooms_here(show))}
    for device in show.devices:
        kind = catalogue[device.kind]
        if device.place not in here:
            continue
        for port in kind.outputs:
            if port.level == "headphone" and port.domain == "analog":
                yield f"{device.id}.{port.id}", kind.is_computer


def usb_lead(show: Show, catalogue: Catalogue, device_id: str) -> tuple[Edit, ...]:
    """One USB lead: every channel of an interface or desk into a free input of the mixer program of its computer, and that program's
    monitor back; what the box offers as a mix of the same channels stays out, since it would bring each voice twice.

    Raises:
        KeyError: no such device.
        ValueError: it has no USB channels, or there is no mixer program on its computer.
    """
    device = show.device(device_id)
    kind = catalogue[device.kind]
    outs = [port for port in kind.outputs if port.connector == "usb"]
    if not outs:
        raise ValueError(f"{device.name or kind.name} has no USB channels")
    hosts = computers_here(show, catalogue)
    host = device.host or (hosts[0] if len(hosts) == 1 else None)
    mixer = next((row for row in show.devices if catalogue[row.kind].is_mixing_software and row.host == host), None)
    if host is None or mixer is None:
        raise ValueError("there is no mixer program on its computer yet: add one first")
    edits: list[Edit] = [] if device.host == host else [SetField("devices", device.id, "host", host)]
    ports = catalogue[mixer.kind].inputs
    taken = {cable.target_socket for cable in show.cables}
    mono = [f"{mixer.id}.{p.id}" for p in ports if not p.stereo and f"{mixer.id}.{p.id}" not in taken]
    stereo = [f"{mixer.id}.{p.id}" for p in ports if p.stereo and f"{mixer.id}.{p.id}" not in taken]
    here = {cable.source for cable in show.cables if cable.target_device == mixer.id}
    buses = {bus.id for bus in kind.buses}
    channels = [port for port in outs if not port.stereo] or outs
    for port in channels:
        free = stereo if port.stereo else (mono or stereo)
        source = f"{device.id}.{port.id}"
        if source not in here and free:
            edits.append(plug(show, catalogue, source, free.pop(0)))
    if any(not port.stereo for port in outs):
        for path in kind.paths:
            if path.source in buses and path.switch and path.target in {port.id for port in outs if port.stereo}:
                edits.append(SetValue(SettingRef(device.id, path.key, "on"), False))
    back = next((port.id for port in kind.inputs if port.connector == "usb"), None)
    if back is not None and f"{device.id}.{back}" not in taken:
        edits += _back(show, catalogue, device, f"{device.id}.{back}", mixer)
    return tuple(edits)


def _back(show: Show, catalogue: Catalogue, device: Device, into: str, mixer: Device) -> Iterator[Edit]:
    """What the computer plays, to the box: a free send, on which the plan puts what its ears lack; where there is none the monitor, and
    direct monitoring is off, which would bring the same voices a second time.
    """
    kind = catalogue[device.kind]
    used = {cable.source_socket for cable in show.cables}
    send = next((p for p in outputs(catalogue[mixer.kind], "send") if f"{mixer.id}.{p}" not in used), None)
    monitor = next((port.id for port in catalogue[mixer.kind].outputs if port.id == "mon"), None)
    if send is None and monitor is None:
        return
    yield plug(show, catalogue, f"{mixer.id}.{send or monitor}", into)
    buses = {bus.id for bus in kind.buses}
    for path in kind.paths if send is None else ():
        if path.target in buses and path.switch and path.source != PortId.of(into).port:
            yield SetValue(SettingRef(device.id, path.key, "on"), False)
