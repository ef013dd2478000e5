"""The ends of cables: a port of a device, or one side of it, with the class and strength of what it gives."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure
from kymaphon.core.indexed import Indexed
from kymaphon.core.model.catalogue import Catalogue, Kind, Port
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import Cable, Device, Setting, Show


@dataclass(frozen=True, slots=True)
class Given:
    """What a device without a level of its own, such as a pad, gives on: class, nominal and strongest level."""

    level: str
    nominal_dbu: float
    most_dbu: float | None
    output_stage: str | None = None


@dataclass(frozen=True, slots=True)
class End:
    """One end of a cable: a port of a device, or one side of a stereo one."""

    device: Device
    kind: Kind
    port: Port
    side: str = ""
    given: Given | None = None
    shown: str = ""

    @property
    def level(self) -> str:
        """The class of its level: an output that gives on what its device is given has that."""
        return self.given.level if self.given is not None else self.port.level

    @property
    def nominal_dbu(self) -> float:
        """The level that a line or headphone port is made for, or is given."""
        return self.given.nominal_dbu if self.given is not None else nominal_dbu(self.port)

    @property
    def most_dbu(self) -> float | None:
        """The strongest that can come out; None where that is not known."""
        return self.given.most_dbu if self.given is not None else self.port.max_db

    @property
    def output_stage(self) -> str | None:
        """How a balanced output is driven; a box that gives on what it is given leaves that as it is. None: not known."""
        return self.port.output_stage or (self.given.output_stage if self.given is not None else None)

    @property
    def ref(self) -> str:
        """`device.port`, with `.l` or `.r` for one side."""
        return f"{self.device.id}.{self.port.id}" + (f".{self.side}" if self.side else "")

    @property
    def name(self) -> str:
        """Device and socket in words."""
        side = {"l": ", left", "r": ", right"}.get(self.side, "")
        return f"{self.shown or self.device.name or self.kind.name}, {self.port.name}{side}"

    @property
    def setting(self) -> Setting:
        return self.device.settings.get(self.port.id, Setting())


def end_of(show: Show, catalogue: Catalogue, reference: str) -> End:
    """The end that a reference names. Raises KeyError when there is none."""
    device_id, port_id, side = PortId.of(reference)
    device = show.device(device_id)
    kind = catalogue[device.kind]
    port = kind.port(port_id)
    if port is None:
        raise KeyError(reference)
    given = _given(show, catalogue, device, port)
    return End(device, kind, port, side, given, device_name(show, device, kind.name))


_first_into: Indexed[dict[str, Cable]] = Indexed(lambda rows: {row.target_device: row for row in reversed(rows)})
"""Of the cables of a show: device -> the first that goes into it."""


def _given(show: Show, catalogue: Catalogue, device: Device, port: Port) -> Given | None:
    """What an output gives on; None for one that has a level of its own, and for one that is given nothing."""
    gain, seen = 0.0, set()
    while port.level == "any":
        kind = catalogue[device.kind]
        cable = _first_into(show.cables).get(device.id)
        if cable is None or device.id in seen or port not in kind.outputs:
            return None
        seen.add(device.id)
        path = next((row for row in kind.paths if row.target == port.id), None)
        gain += path.gain_db if path is not None and isinstance(path.gain_db, int | float) else 0.0
        owner, port_id, _ = PortId.of(cable.source)
        device = show.device(owner)
        before = catalogue[device.kind].port(port_id)
        if before is None:
            return None
        port = before
    if not seen:
        return None
    most = port.max_db
    return Given(port.level, nominal_dbu(port) + gain, most + gain if most is not None else None, port.output_stage)


def usual_output(port: Port) -> Derived:
    """The usual level of a class of port, where its kind states none: a line is taken to be professional."""
    return figure({"mic": "mic-output", "instrument": "instrument-output"}.get(port.level, "line-professional"))


def nominal_dbu(port: Port) -> float:
    """The level that a port is made for."""
    return usual_output(port).value if port.nominal_dbu is None else port.nominal_dbu


def ends_of(show: Show, catalogue: Catalogue, wanted: Literal["output", "input"]) -> Iterator[End]:
    """Every end that a cable can have, both sides of a stereo port that has two sockets beside the whole."""
    for device in show.devices:
        kind = catalogue[device.kind]
        for port in kind.outputs if wanted == "output" else kind.inputs:
            if port.domain == "acoustic":
                continue
            given, name = _given(show, catalogue, device, port), device_name(show, device, kind.name)
            yield End(device, kind, port, given=given, shown=name)
            if port.stereo and port.domain == "analog":
                yield End(device, kind, port, "l", given, name)
                yield End(device, kind, port, "r", given, name)
