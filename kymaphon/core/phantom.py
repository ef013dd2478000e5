"""Phantom power: who needs it, who supplies it, what is left of it (IEC 61938)."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.catalogue import Catalogue
from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure, number
from kymaphon.core.graph import SettingRef
from kymaphon.core.show import Device, Setting, Show


@dataclass(frozen=True, slots=True)
class Phantom:
    """How a device stands for phantom power.

    Attributes:
        needs_ma: what it draws; None when it needs none.
        supply: the setting that would feed it; None when nothing it is plugged into can.
        on: whether that supply is on.
        blocked_by: id of a device in between that passes none on.
        into: what it is plugged into, for people.
    """

    needs_ma: float | None = None
    supply: SettingRef | None = None
    on: bool = False
    blocked_by: str | None = None
    into: str = ""

    @property
    def broken(self) -> str:
        """Why no signal comes out for lack of power; empty when all is well."""
        return "" if self.needs_ma is None or self.on else "no phantom power"


def phantom_of(show: Show, catalogue: Catalogue, device: Device) -> Phantom:
    """Follows the cable from the output that needs phantom power to the first socket that could supply it."""
    kind = catalogue[device.kind]
    for port in kind.outputs:
        if port.phantom_ma is not None:
            return _follow(show, catalogue, f"{device.id}.{port.id}", port.phantom_ma)
    return Phantom()


def _follow(show: Show, catalogue: Catalogue, reference: str, needs_ma: float) -> Phantom:
    seen = {reference}
    while True:
        cable = next((row for row in show.cables if row.source == reference), None)
        if cable is None:
            return Phantom(needs_ma)
        device_id, port_id = cable.target.split(".")[:2]
        device = show.device(device_id)
        kind = catalogue[device.kind]
        port = kind.port(port_id)
        if port is not None and port.strip is not None and port.strip.phantom:
            setting = device.settings.get(port_id, Setting())
            ref = SettingRef(device_id, port_id, "phantom")
            return Phantom(
                needs_ma, ref, bool(setting.phantom), None, f"{device.name or kind.name}, {port.name}"
            )
        if not kind.passes_phantom or not kind.outputs:
            return Phantom(needs_ma, blocked_by=device_id, into=device.name or kind.name)
        reference = f"{device_id}.{kind.outputs[0].id}"
        if reference in seen:
            return Phantom(needs_ma, blocked_by=device_id, into=device.name or kind.name)
        seen.add(reference)


def voltage_left(draw_ma: float) -> Derived:
    """Volts left at the device: 48 - I x 3.4 kilohm. 3 mA leaves 37.8 V (IEC 61938)."""
    supply, feed = figure("phantom-volts"), figure("phantom-kohm")
    value = supply.value - draw_ma * feed.value
    formula = f"{supply.value:.0f} \u2212 {draw_ma:.1f} mA \u00d7 {feed.value:.2f} k\u2126"
    draw = Derived("draws", draw_ma, "mA", source="device data")
    return Derived("phantom voltage left", value, "V", formula, (supply, draw, feed), "IEC 61938, P48")


def within_budget(draw_ma: float) -> bool:
    """Whether the supply can give that much."""
    return draw_ma <= number("phantom-limit")
