"""A show as it grows: rows with ids of their own, leads with the lengths that they need."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from kymaphon.core.compose.settle import settings
from kymaphon.core.figures import data_table
from kymaphon.core.model.base import PartyKind, Point, Shield
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Device, Party, Place, Setting, Show
from kymaphon.core.wiring.plugging import plug


@dataclass
class Rig:
    """What has been put together so far. `show` is the show that it makes."""

    catalogue: Catalogue
    show: Show

    def place(self, row: Place) -> None:
        self.show = self.show.model_copy(update={"places": (*self.show.places, row)})

    def party(self, party_id: str, name: str, kind: PartyKind, **fields: Any) -> str:
        """Somebody or something; the id that it got."""
        party = Party.model_validate({"id": fresh_id(self.show, party_id), "name": name, "kind": kind, **fields})
        self.show = self.show.model_copy(update={"parties": (*self.show.parties, party)})
        return party.id

    def device(
        self,
        kind: str,
        stem: str,
        name: str,
        *,
        place: str | None = None,
        at: Point | None = None,
        party: str | None = None,
        host: str | None = None,
        shield: Shield = "none",
    ) -> str:
        """A device of a kind; its id."""
        row = Device(
            id=fresh_id(self.show, stem),
            kind=kind,
            name=name,
            place=place,
            at_m=at,
            party=party,
            host=host,
            shield=shield,
        )
        self.show = self.show.model_copy(update={"devices": (*self.show.devices, row)})
        return row.id

    def kind(self, device_id: str) -> Kind:
        return self.catalogue[self.show.device(device_id).kind]

    def set(self, device_id: str, key: str, **values: Any) -> None:
        """Settings of one strip, crosspoint or control, on top of what is set."""
        rows = []
        for row in self.show.devices:
            if row.id == device_id:
                setting = row.settings.get(key, Setting()).with_(**values)
                row = row.model_copy(update={"settings": {**row.settings, key: setting}})
            rows.append(row)
        self.show = self.show.model_copy(update={"devices": tuple(rows)})

    def change(self, device_id: str, **fields: Any) -> None:
        """Other fields of a device."""
        rows = tuple(row.with_(**fields) if row.id == device_id else row for row in self.show.devices)
        self.show = self.show.model_copy(update={"devices": rows})

    def lead(self, source: str, target: str, length_m: float | None = None) -> None:
        """A lead between two sockets, with the adapter that it takes. Raises KeyError for a socket that is not there."""
        made = plug(self.show, self.catalogue, source, target, length_m=length_m)
        self.show = self.show.model_copy(update={"cables": (*self.show.cables, made.cable)})

    def along(self, source: str, target: str) -> float:
        """Length of a lead between two devices: along the walls, in the next length that is sold."""
        data = settings()["cables"]
        a, b = (self.show.device(row) for row in (source, target))
        if a.place != b.place and None not in (a.place, b.place):
            wanted = float(data["other_room_m"])
        elif a.at_m is None or b.at_m is None:
            wanted = float(data["short_m"])
        else:
            wanted = math.dist(a.at_m, b.at_m) * data["slack"] + data["ends_m"]
        lengths = data_table("stock")["cable_lengths_m"]
        return float(next((length for length in lengths if length >= wanted), lengths[-1]))

    def kind_of_party(self, party_id: str) -> PartyKind:
        return self.show.party(party_id).kind

    def update_party(self, party_id: str, **fields: Any) -> None:
        rows = tuple(row.with_(**fields) if row.id == party_id else row for row in self.show.parties)
        self.show = self.show.model_copy(update={"parties": rows})


def outputs(kind: Kind, stem: str) -> tuple[str, ...]:
    """Ids of the outputs `stem1`, `stem2` and so on, in order."""
    return tuple(port.id for port in kind.outputs if port.id.removeprefix(stem).isdigit() and port.id.startswith(stem))


def microphone_inputs(kind: Kind) -> tuple[str, ...]:
    """Sockets that a microphone goes into."""
    return tuple(
        port.id
        for port in kind.inputs
        if port.domain == "analog" and port.level == "mic" and port.strip is not None and not port.stereo
    )


def line_inputs(kind: Kind) -> tuple[str, ...]:
    """Mono line inputs with a strip of their own."""
    return tuple(
        port.id
        for port in kind.inputs
        if port.domain == "analog" and port.level == "line" and port.strip is not None and not port.stereo
    )
