"""The plan of a place: what stands on it, and the edits that move, turn and remove things."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from kymaphon.core.acoustics.cast import is_loudspeaker
from kymaphon.core.acoustics.placements import Placement, facing_deg, has_face, stand_of
from kymaphon.core.model.base import Point
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.edits import Edit, RemoveRow, SetField
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import NoiseSpot, Place, Show, Surface
from kymaphon.core.placement.moves import held_inside, rounded

Sort = Literal["party", "microphone", "loudspeaker", "noise", "surface"]


@dataclass(frozen=True, slots=True)
class Thing:
    """Something on a plan.

    Attributes:
        at: in metres; None when it has no position yet.
        angle_deg: where it faces or aims, anticlockwise from the x axis; None when it has no direction.
        party: id of the party whose hue it bears, or empty.
        fixed: it goes where its party goes, and cannot be moved by itself.
        ends: of a surface.
    """

    sort: Sort
    id: str
    name: str
    at: Point | None
    angle_deg: float | None = None
    party: str = ""
    fixed: bool = False
    stand: Placement | None = None
    ends: tuple[Point, Point] | None = None

    @property
    def key(self) -> tuple[str, str]:
        return self.sort, self.id


def things_of(show: Show, catalogue: Catalogue, place_id: str) -> tuple[Thing, ...]:
    """Everything on the plan of a place, each party followed by its microphones. Raises KeyError."""
    place = show.place(place_id)
    mics: list[Thing] = []
    speakers: list[Thing] = []
    for device in show.devices:
        kind = catalogue[device.kind]
        if device.place != place_id:
            continue
        if any(port.domain == "acoustic" for port in kind.inputs):
            stand = stand_of(show, kind, device)
            owner = stand.own.id if stand.own else ""
            mics.append(
                Thing("microphone", device.id, stand.name, stand.at, stand.aim_deg, owner, stand.goes_along, stand)
            )
        elif is_loudspeaker(kind):
            speakers.append(
                Thing(
                    "loudspeaker",
                    device.id,
                    device_name(show, device, kind.name),
                    device.at_m,
                    device.aim_deg,
                )
            )
    out: list[Thing] = []
    for party in show.parties:
        if party.place != place_id:
            continue
        angle = facing_deg(show, party) if has_face(party) or party.faces_deg is not None else None
        out.append(Thing("party", party.id, party.name, party.at_m, angle, party.id))
        out += [mic for mic in mics if mic.party == party.id]
    out += [mic for mic in mics if mic not in out]
    out += speakers
    out += [Thing("noise", spot.id, spot.name, spot.at_m) for spot in place.noises]
    for surface in place.surfaces:
        (ax, ay), (bx, by) = surface.from_m, surface.to_m
        out.append(
            Thing(
                "surface",
                surface.id,
                surface.name,
                ((ax + bx) / 2, (ay + by) / 2),
                ends=(surface.from_m, surface.to_m),
            )
        )
    return tuple(out)


def without_place(show: Show) -> tuple[Thing, ...]:
    """Everybody who takes part without a place on a plan."""
    return tuple(Thing("party", party.id, party.name, None) for party in show.parties if party.place is None)


def move_edits(show: Show, place_id: str, thing: Thing, to: Point, *, carry: bool = False) -> tuple[Edit, ...]:
    """The edits that put a thing elsewhere, held inside the place; none for what goes with its party.

    Args:
        carry: a party's own microphones come along.
    """
    place = show.place(place_id)
    spot = rounded(held_inside(place, to))
    if thing.sort == "party":
        edits: list[Edit] = [SetField("parties", thing.id, "at_m", spot)]
        if carry and thing.at is not None:
            dx, dy = spot[0] - thing.at[0], spot[1] - thing.at[1]
            for device in show.devices:
                if device.party == thing.id and device.place == place_id and device.at_m is not None:
                    moved = rounded((device.at_m[0] + dx, device.at_m[1] + dy))
                    edits.append(SetField("devices", device.id, "at_m", moved))
        return tuple(edits)
    if thing.sort in ("microphone", "loudspeaker"):
        return () if thing.fixed else (SetField("devices", thing.id, "at_m", spot),)
    if thing.sort == "noise":
        spots = tuple(row.with_(at_m=spot) if row.id == thing.id else row for row in place.noises)
        return (SetField("places", place_id, "noises", spots),)
    return _surface_edits(place, thing, to)


def _surface_edits(place: Place, thing: Thing, to: Point) -> tuple[Edit, ...]:
    if thing.at is None:
        return ()
    dx, dy = to[0] - thing.at[0], to[1] - thing.at[1]
    rows = []
    for row in place.surfaces:
        if row.id == thing.id:
            start = rounded((row.from_m[0] + dx, row.from_m[1] + dy))
            end = rounded((row.to_m[0] + dx, row.to_m[1] + dy))
            row = row.with_(from_m=start, to_m=end)
        rows.append(row)
    return (SetField("places", place.id, "surfaces", tuple(rows)),)


def turn_edits(show: Show, place_id: str, thing: Thing, to_deg: float) -> tuple[Edit, ...]:
    """The edits that turn a thing to an angle; none for what has no direction of its own."""
    angle = round(to_deg, 1) % 360
    if thing.sort == "party":
        return (SetField("parties", thing.id, "faces_deg", angle),)
    if thing.sort in ("microphone", "loudspeaker"):
        return () if thing.fixed else (SetField("devices", thing.id, "aim_deg", angle),)
    return ()


def remove_edits(show: Show, place_id: str, thing: Thing) -> tuple[Edit, ...]:
    """The edits that take a thing out of the show."""
    if thing.sort == "party":
        return (RemoveRow("parties", thing.id),)
    if thing.sort in ("microphone", "loudspeaker"):
        return (RemoveRow("devices", thing.id),)
    place = show.place(place_id)
    if thing.sort == "noise":
        return (_kept(place, "noises", place.noises, thing.id),)
    return (_kept(place, "surfaces", place.surfaces, thing.id),)


def _kept(place: Place, field: str, rows: tuple[NoiseSpot, ...] | tuple[Surface, ...], gone: str) -> SetField:
    kept = [row for row in rows if row.id != gone]
    return SetField("places", place.id, field, tuple(kept))


def free_spot(show: Show, place: Place) -> Point:
    """Somewhere in a place where nothing stands yet, from the middle outwards."""
    width, depth = place.size_m or (4.0, 3.0)
    taken = [row.at_m for rows in (show.parties, show.devices) for row in rows if row.place == place.id and row.at_m]
    taken += [spot.at_m for spot in place.noises]
    middle = (width / 2, depth / 2)
    for ring in range(40):
        for step in range(max(ring * 6, 1)):
            angle = 2 * math.pi * step / max(ring * 6, 1)
            spot = rounded(
                held_inside(
                    place,
                    (middle[0] + ring * 0.4 * math.cos(angle), middle[1] + ring * 0.4 * math.sin(angle)),
                )
            )
            if all(math.dist(spot, other) > 0.35 for other in taken):
                return spot
    return rounded(middle)
