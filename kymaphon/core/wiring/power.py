"""What a device runs from, and what hangs on the USB supply of its host."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.derive import Derived, total
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.phantom import phantom_of
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.catalogue.parts import Feed
from kymaphon.core.model.show import Device, Show

FEED_WORDS: dict[str, str] = {
    "mains-earthed": "earthed mains",
    "mains-two-pin": "mains without earth",
    "adaptor": "a plug-top adaptor",
    "bus": "the USB of its host",
    "battery": "batteries",
}


def feed_of(device: Device, kind: Kind) -> Feed | None:
    """What a device runs from: as set, else as delivered; None for what needs nothing."""
    if kind.power is None:
        return None
    return device.power or kind.power.by[0]


@dataclass(frozen=True, slots=True)
class HostBudget:
    """What a host gives by USB and what hangs on it.

    Attributes:
        gives: of the host; None when it is not known.
        drawn: the sum of what hangs on it, mA.
        users: ids of the devices that draw, most first.
    """

    host: str
    gives: Derived | None
    drawn: Derived
    users: tuple[str, ...]

    @property
    def over_ma(self) -> float:
        """How much more is drawn than given; negative when there is room."""
        return self.drawn.value - (self.gives.value if self.gives is not None else 0.0)


def phantom_share(show: Show, catalogue: Catalogue, device: Device) -> tuple[Derived, ...]:
    """What each microphone that a bus-powered device feeds with phantom power costs it at 5 V.

    I x 48 V / (5 V x efficiency); the efficiency is assumed.
    """
    out = []
    for other in show.devices:
        state = phantom_of(show, catalogue, other)
        if state.needs_ma is None or not state.on or state.supply is None or state.supply.device != device.id:
            continue
        volts, bus, share = figure("phantom-volts"), figure("usb-volts"), figure("phantom-efficiency")
        value = state.needs_ma * volts.value / (bus.value * share.value / 100)
        name = other.name or catalogue[other.kind].name
        formula = f"{state.needs_ma:.1f} mA × {volts.value:.0f} V / ({bus.value:.0f} V × {share.value:.0f} %)"
        out.append(Derived(f"phantom for {name}", value, "mA", formula, (volts, bus, share), share.source))
    return tuple(out)


def draw_of(show: Show, catalogue: Catalogue, device: Device) -> Derived | None:
    """What a device draws from its host's USB, the phantom power that it gives on with it; None when it draws none."""
    kind = catalogue[device.kind]
    if feed_of(device, kind) != "bus" or kind.power is None or kind.power.bus_ma is None:
        return None
    name = device.name or kind.name
    own = Derived(f"{name} itself", kind.power.bus_ma, "mA", source=f"device data: {kind.name}")
    return total(name, "mA", (own, *phantom_share(show, catalogue, device)))


def host_budgets(show: Show, catalogue: Catalogue) -> tuple[HostBudget, ...]:
    """For each host that something draws from: what it gives and what is drawn."""
    draws: dict[str, list[tuple[str, Derived]]] = {}
    for device in show.devices:
        drawn = draw_of(show, catalogue, device)
        if drawn is not None and device.host is not None:
            draws.setdefault(device.host, []).append((device.id, drawn))
    out = []
    for host_id, rows in draws.items():
        host = show.device(host_id)
        kind = catalogue[host.kind]
        name = host.name or kind.name
        gives = None
        if kind.power is not None and kind.power.gives_ma is not None:
            gives = Derived(f"{name} gives", kind.power.gives_ma, "mA", source=_gives_source(kind))
        rows.sort(key=lambda row: -row[1].value)
        drawn = total(f"drawn from {name}", "mA", tuple(row for _, row in rows))
        out.append(HostBudget(host_id, gives, drawn, tuple(user for user, _ in rows)))
    return tuple(out)


def _gives_source(kind: Kind) -> str:
    given = kind.power.gives_ma if kind.power is not None else None
    for name in ("usb-2", "usb-3"):
        if given == number(name):
            return figure(name).source
    return f"device data: {kind.name}"
