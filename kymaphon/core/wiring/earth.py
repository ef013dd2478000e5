"""Earth connections as a graph: mains earth, shields, hosts. Its loops are the earth loops; the smallest set of
isolators opens them.

Between two devices one tie stands for all cables that run there together: the small loops among their shields are left
out, they enclose next to nothing.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from kymaphon.core.derive import Derived, less
from kymaphon.core.figures import figure
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.connectors import balanced, physical
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Device, Show
from kymaphon.core.units import volts_to_dbu
from kymaphon.core.wiring.power import feed_of

EARTH = "earth"


@dataclass(frozen=True, slots=True)
class Tie:
    """A connection between two earths.

    Attributes:
        first, second: device ids, `earth` or `earth:circuit`.
        cables: the ends of the audio cables whose shields make it; empty for mains and USB.
        balanced: whether all of them are.
    """

    first: str
    second: str
    kind: Literal["mains", "shield", "usb"]
    cables: tuple[tuple[str, str], ...] = ()
    balanced: bool = True

    @property
    def removable(self) -> bool:
        """Whether an isolating transformer can open it."""
        return self.kind == "shield"

    @property
    def pair(self) -> frozenset[str]:
        return frozenset((self.first, self.second))


@dataclass(frozen=True, slots=True)
class EarthLoop:
    """A loop of earth connections, and the tie that is best opened; None when no isolator can.

    `circuits` are the mains circuits that it runs through: more than one makes hum likelier.
    """

    ties: tuple[Tie, ...]
    opened: Tie | None
    circuits: tuple[str, ...]

    @property
    def devices(self) -> tuple[str, ...]:
        names = [end for tie in self.ties for end in (tie.first, tie.second)]
        return tuple(dict.fromkeys(name for name in names if not name.startswith(EARTH)))


def circuit_of(show: Show, device: Device) -> str:
    """Name of the mains circuit that a device is plugged into: as given, else that of its place."""
    if device.circuit:
        return device.circuit
    place = next((row.name for row in show.places if row.id == device.place), None)
    return place or "mains"


def earth_ties(show: Show, catalogue: Catalogue) -> tuple[Tie, ...]:
    """Every connection between earths: mains first, then USB, then the shields of audio cables."""
    mains: list[Tie] = []
    circuits: dict[str, None] = {}
    for device in show.devices:
        if feed_of(device, catalogue[device.kind]) == "mains-earthed":
            circuit = circuit_of(show, device)
            circuits[circuit] = None
            mains.append(Tie(f"{EARTH}:{circuit}", device.id, "mains"))
    mains += [Tie(EARTH, f"{EARTH}:{circuit}", "mains") for circuit in circuits]
    ids = {device.id for device in show.devices}
    usb = [
        Tie(device.host, device.id, "usb")
        for device in show.devices
        if device.host in ids and device.host is not None and _hangs_by_usb(catalogue, device)
    ]
    shields: dict[frozenset[str], list[tuple[str, str, bool]]] = {}
    owners = {device.id: catalogue[device.kind] for device in show.devices}
    for cable in show.cables:
        (first, out_id, _), (second, in_id, _) = (PortId.of(end) for end in cable.ends)
        out, into = owners[first].port(out_id), owners[second].port(in_id)
        if out is None or into is None or out.domain != "analog" or into.domain != "analog":
            continue
        if out.isolated or into.isolated or not physical(out) or not physical(into):
            continue
        both = balanced(out) and balanced(into)
        shields.setdefault(frozenset((first, second)), []).append((cable.source, cable.target, both))
    ties = [
        Tie(
            PortId.of(rows[0][0]).device,
            PortId.of(rows[0][1]).device,
            "shield",
            tuple((a, b) for a, b, _ in rows),
            all(row[2] for row in rows),
        )
        for pair, rows in shields.items()
        if len(pair) == 2
    ]
    return (*mains, *usb, *ties)


def _hangs_by_usb(catalogue: Catalogue, device: Device) -> bool:
    kind = catalogue[device.kind]
    return (
        kind.power is not None and any(port.connector == "usb" for port in (*kind.inputs, *kind.outputs))
    ) or kind.group == "hub"


class _Forest:
    """Which earths are joined so far, and by which tie: for the spanning forest of Kruskal 1956."""

    def __init__(self) -> None:
        self.root: dict[str, str] = {}
        self.ties: dict[str, list[Tie]] = {}

    def find(self, node: str) -> str:
        while self.root.setdefault(node, node) != node:
            self.root[node] = self.root[self.root[node]]
            node = self.root[node]
        return node

    def join(self, tie: Tie) -> bool:
        """Adds a tie; False when its ends were joined already."""
        a, b = self.find(tie.first), self.find(tie.second)
        if a == b:
            return False
        self.root[a] = b
        self.ties.setdefault(tie.first, []).append(tie)
        self.ties.setdefault(tie.second, []).append(tie)
        return True

    def way(self, start: str, end: str) -> list[Tie]:
        """The ties of the only way through the forest."""
        back: dict[str, Tie | None] = {start: None}
        work = [start]
        while work:
            node = work.pop()
            for tie in self.ties.get(node, ()):
                other = tie.second if tie.first == node else tie.first
                if other not in back:
                    back[other] = tie
                    work.append(other)
        out: list[Tie] = []
        node = end
        while (step := back.get(node)) is not None:
            out.append(step)
            node = step.first if step.second == node else step.second
        return out


def keep_cost(tie: Tie) -> tuple[int, int]:
    """How unwelcome an isolator in a tie is: unbalanced cables gain most from one; fewer channels are cheaper."""
    return (1 if tie.balanced else 0, len(tie.cables))


def earth_loops(ties: Iterable[Tie]) -> tuple[EarthLoop, ...]:
    """The loops, one for each tie beyond a spanning forest.

    Ties that no isolator can open are laid first, then those that are dearest to open: what is left over is the
    smallest and cheapest set of ties that opens every loop (the forest is a basis of the graphic matroid, so greedy is
    exact). A loop without an openable tie has `opened` None.
    """
    rows = list(ties)
    forest = _Forest()
    spare: list[Tie] = []
    fixed = [tie for tie in rows if not tie.removable]
    free = sorted((tie for tie in rows if tie.removable), key=keep_cost, reverse=True)
    for tie in (*fixed, *free):
        if not forest.join(tie):
            spare.append(tie)
    out = []
    for tie in spare:
        ring = (tie, *forest.way(tie.second, tie.first))
        names = [end for row in ring if row.kind == "mains" for end in (row.first, row.second)]
        circuits = tuple(dict.fromkeys(name.partition(":")[2] for name in names if name.startswith(f"{EARTH}:")))
        out.append(EarthLoop(ring, tie if tie.removable else None, circuits))
    return tuple(out)


def _levels(volts: tuple[float, float] | None) -> tuple[float, float] | None:
    return None if volts is None else (volts_to_dbu(volts[0]), volts_to_dbu(volts[1]))


def loop_hum(tie: Tie) -> Derived:
    """What the difference between two earths puts into the signal at a tie, in dBu: 20 lg(U / 0.775 V), less what a
    balanced input rejects. The difference is assumed.
    """
    volts = figure("earth-difference")
    raw = Derived(
        "the difference as a level",
        20 * math.log10(volts.value / math.sqrt(0.6)),
        "dBu",
        f"20 lg({volts.value * 1000:.0f} mV / 775 mV)",
        (volts,),
        volts.source,
        spread=_levels(volts.spread),
    )
    if not tie.balanced:
        return Derived(
            "hum in an unbalanced link",
            raw.value,
            "dBu",
            "the difference itself",
            (raw,),
            "the shield is part of the signal's path",
            True,
        )
    rejected = figure("balanced-rejection")
    terms = (raw, less(rejected))
    return Derived("hum in a balanced link", raw.value - rejected.value, "dBu", "sum of the lines", terms, "", True)
