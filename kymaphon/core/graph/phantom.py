"""Phantom power: who needs it, who supplies it, what is left of it (IEC 61938)."""

from __future__ import annotations

from dataclasses import dataclass, replace

from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure
from kymaphon.core.model.catalogue import Catalogue, Kind, Port
from kymaphon.core.model.connectors import adapters
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import Cable, Device, Setting, Show


@dataclass(frozen=True, slots=True)
class Phantom:
    """How a device stands for phantom power.

    Attributes:
        needs_ma: what it draws; None when it needs none.
        supply: the setting that would feed it; None when nothing it is plugged into can.
        on: whether that supply is on.
        blocked_by: id of a device in between that passes none on.
        into: what it is plugged into, for people.
        least_v: voltage that it works from, at its own socket; None where it does not say.
        supply_v: of the supply without load.
        lead: the cable on the way that carries none, for its far plug is no XLR; None where there is no such.
    """

    needs_ma: float | None = None
    supply: SettingRef | None = None
    on: bool = False
    blocked_by: str | None = None
    into: str = ""
    least_v: float | None = None
    supply_v: float | None = None
    lead: Cable | None = None

    @property
    def left(self) -> Derived:
        """Volts left at the device."""
        return voltage_left(self.needs_ma or 0.0, self.supply_v)

    @property
    def too_low(self) -> bool:
        """It is fed, and with less than it works from."""
        return self.on and self.least_v is not None and self.left.value < self.least_v

    @property
    def broken(self) -> str:
        """Why no signal comes out for lack of power; empty when all is well."""
        if self.too_low:
            return "phantom power is too low"
        return "" if self.needs_ma is None or self.on else "no phantom power"


def phantom_of(show: Show, catalogue: Catalogue, device: Device) -> Phantom:
    """Follows the cable from the output that needs phantom power to the first socket that could supply it."""
    kind = catalogue[device.kind]
    for port in kind.outputs:
        if port.phantom_ma is not None:
            found = _follow(show, catalogue, f"{device.id}.{port.id}", port.phantom_ma)
            return replace(found, least_v=port.phantom_least_v)
    return Phantom()


def _follow(show: Show, catalogue: Catalogue, reference: str, needs_ma: float) -> Phantom:
    seen = {reference}
    while True:
        cable = next((row for row in show.cables if row.source == reference), None)
        if cable is None:
            return Phantom(needs_ma)
        device_id, port_id, _ = PortId.of(cable.target)
        device = show.device(device_id)
        kind = catalogue[device.kind]
        port = kind.port(port_id)
        if _ends_without(show, catalogue, cable):
            return Phantom(needs_ma, into=socket_name(show, device, kind, port), lead=cable)
        if port is not None and port.strip is not None and port.strip.phantom:
            given = device.settings.get(port_id, Setting()).phantom
            ref = SettingRef(device_id, port_id, "phantom")
            into = socket_name(show, device, kind, port)
            on = port.strip.phantom_on if given is None else given
            return Phantom(needs_ma, ref, on, None, into, supply_v=port.strip.phantom_v)
        if not kind.passes_phantom or not kind.outputs:
            return Phantom(needs_ma, blocked_by=device_id, into=device_name(show, device, kind.name))
        reference = f"{device_id}.{kind.outputs[0].id}"
        if reference in seen:
            return Phantom(needs_ma, blocked_by=device_id, into=device_name(show, device, kind.name))
        seen.add(reference)


def socket_name(show: Show, device: Device, kind: Kind, port: Port | None) -> str:
    """A socket of a device for people."""
    name = device_name(show, device, kind.name)
    return f"{name}, {port.name}" if port is not None else name


def _ends_without(show: Show, catalogue: Catalogue, cable: Cable) -> bool:
    """Whether a cable starts as an XLR and ends as another plug: phantom power goes by the XLR of both ends alone (IEC 61938; a jack in
    a combination socket meets none, common practice).
    """
    adapter = adapters().get(cable.adapter or "")
    device_id, port_id, _ = PortId.of(cable.source)
    port = catalogue[show.device(device_id).kind].port(port_id)
    return adapter is not None and "xlr" in adapter.joins and port is not None and port.connector == "xlr"


def voltage_left(draw_ma: float, supply_v: float | None = None) -> Derived:
    """Volts left at the device: 48 - I x 3.4 kilohm. 3 mA leaves 37.8 V (IEC 61938; P24 and P12 have resistors of their own).

    Args:
        supply_v: of the input without load; None for P48.
    """
    supply = figure("phantom-volts")
    if supply_v is not None and supply_v != supply.value:
        supply = Derived("phantom supply, no load", supply_v, "V", source="device data")
    feed = figure(
        "phantom-kohm" if supply.value > 30 else "phantom-kohm-24" if supply.value > 18 else "phantom-kohm-12"
    )
    value = supply.value - draw_ma * feed.value
    formula = f"{supply.value:.0f} \u2212 {draw_ma:.1f} mA \u00d7 {feed.value:.2f} k\u2126"
    draw = Derived("draws", draw_ma, "mA", source="device data")
    return Derived("phantom voltage left", value, "V", formula, (supply, draw, feed), "IEC 61938")


def current_limit(supply_v: float | None = None) -> Derived:
    """The most current that a phantom supply gives: P48 and P24 10 mA, P12 15 mA (IEC 61938); `supply_v` without load, None for P48."""
    return figure("phantom-limit-12" if supply_v is not None and supply_v <= 18 else "phantom-limit")


def within_budget(draw_ma: float, supply_v: float | None = None) -> bool:
    """Whether the supply can give that much."""
    return draw_ma <= current_limit(supply_v).value
