"""Which voices come by wire to the outputs of a rig: by their own microphones, what bleeds into others' left aside."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.graph.block import Floats
from kymaphon.core.graph.signal import UNINTENDED
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.catalogue import Port
from kymaphon.core.model.show import Device
from kymaphon.core.units import power_to_db


@dataclass(frozen=True)
class Outlet:
    """An output of a device, and what comes out there.

    Attributes:
        voices: voices by wire -> level there, in the unit of the point, strongest first.
        bleeds: voice -> level of it there by whatever way, for all voices.
    """

    device: Device
    port: Port
    side: str
    unit: str
    voices: dict[str, float]
    bleeds: dict[str, float]

    @property
    def ref(self) -> str:
        return f"{self.device.id}.{self.port.id}" + (f".{self.side}" if self.side else "")

    def under_db(self, voice: str) -> float | None:
        """How far the loudest other voice lies under one here; None where there is no other."""
        others = [level for name, level in self.bleeds.items() if name != voice]
        return self.bleeds[voice] - max(others) if others and voice in self.bleeds else None


def outlets(analysis: Computed) -> list[Outlet]:
    """Every electrical output of the rig, each side of a stereo one by itself, with the voices on it."""
    graph = analysis.graph
    mouths = list(graph.mouths.items())
    if not mouths:
        return []
    wired = Transfer(graph.only(tuple(i for i in graph.live if graph.edges[i].kind not in UNINTENDED)))
    names = [name for name, _ in mouths]
    sources = [node for _, (node, _) in mouths]
    levels = np.array([level.value for _, (_, level) in mouths])
    by_wire = _levels(wired.power_from(sources), levels)
    by_all = _levels(analysis.transfer.power_from(sources), levels)
    out = []
    for device in analysis.show.devices:
        for port in analysis.catalogue[device.kind].outputs:
            if port.domain == "acoustic" or port.ear:
                continue
            for side in ("l", "r") if port.stereo else ("",):
                node = graph.index[f"{device.id}.{port.id}" + (f".{side}" if side else "")]
                out.append(
                    Outlet(
                        device,
                        port,
                        side,
                        graph.nodes[node].unit,
                        _heard(names, by_wire[node]),
                        _heard(names, by_all[node]),
                    )
                )
    return out


def _levels(power: Floats, levels: Floats) -> Floats:
    floor = 1e-30
    out: Floats = 10 * np.log10(np.maximum(power, floor)) + levels[None, :]
    return out


def _heard(names: list[str], row: Floats) -> dict[str, float]:
    """Voices within reach of the strongest, strongest first."""
    strongest = float(row.max())
    if strongest < power_to_db(1e-20):
        return {}
    weakest = strongest - number("comes-by")
    found = {name: float(level) for name, level in zip(names, row, strict=True) if level > weakest}
    return dict(sorted(found.items(), key=lambda item: -item[1]))
