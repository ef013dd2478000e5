"""Who can be tapped, and where it can be seen: the sources and the meters of a rig, as a tap test has them."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.graph.signal import EdgeKind, Node
from kymaphon.core.model.ids import NodeId

ENTERS = (EdgeKind.SPEAKS, EdgeKind.PLAYS)
"""Steps by which a source gets into the rig where it is meant to."""


@dataclass(frozen=True, slots=True)
class Tap:
    """Something that makes a sound by itself: a microphone that is tapped, a player that plays, a far end that speaks.

    Attributes:
        id: of the party whose sound it is; of the microphone where it is nobody's.
        name, act: whose it is, and what to do.
        node: where the sound enters the rig.
        level_db: level there, in the unit of the node: that of the party's speech.
    """

    id: str
    name: str
    act: str
    node: int
    level_db: float


@dataclass(frozen=True, slots=True)
class Meter:
    """A place where somebody sees or hears whether something comes: a channel, a mix, an input, a track, an ear.

    Attributes:
        id: of its node; of a stereo pair without the side.
        name, part: the device or party, and which of its points.
        nodes: its points in the graph, both sides of a stereo pair; the louder one is what is seen.
        unit: of the levels there.
        ear: id of the party who listens there, or empty.
    """

    id: str
    name: str
    part: str
    nodes: tuple[int, ...]
    unit: str
    ear: str = ""

    @property
    def label(self) -> str:
        return f"{self.name}, {self.part}"


def taps_of(analysis: Computed) -> tuple[Tap, ...]:
    """Every source of a show: voices in the show's order, then microphones that hear nobody in particular."""
    graph = analysis.graph
    out: list[Tap] = []
    entered: set[int] = set()
    for party in analysis.voices:
        mouth, level = graph.mouths[party.id]
        ways = [graph.edges[i] for i in graph.leaving[mouth] if graph.edges[i].kind in ENTERS]
        if not ways:
            continue
        way = max(ways, key=lambda edge: edge.gain_db)
        entered.add(way.target)
        spoken = way.kind is EdgeKind.SPEAKS
        act = f"Tap {party.name}'s microphone" if spoken else f"Let {party.name} play"
        if party.kind == "remote":
            act = f"Have {party.name} speak"
        out.append(Tap(party.id, party.name, act, way.target, level.value + way.gain_db))
    for edge in graph.edges:
        node = graph.nodes[edge.target]
        if edge.kind is EdgeKind.BLEEDS and edge.target not in entered:
            entered.add(edge.target)
            name = analysis.device_name(node.owner)
            out.append(Tap(node.owner, name, f"Tap {name}", edge.target, number("tap-level")))
    return tuple(out)


def meters_of(analysis: Computed) -> tuple[Meter, ...]:
    """Every place where a level is seen or heard, in the order of the rig, ears last."""
    graph, show = analysis.graph, analysis.show
    kinds = {row.id: analysis.catalogue[row.kind] for row in show.devices}
    rows: dict[str, list[int]] = {}
    for i, node in enumerate(graph.nodes):
        kind = kinds.get(node.owner)
        if kind is None or node.unit == "dB SPL":
            continue
        where = NodeId.of(node.id)
        inputs = {port.id for port in kind.inputs}
        metered = where.tap == "pre" if where.port in inputs else not where.tap and kind.is_desk
        if metered:
            rows.setdefault(_pair(node), []).append(i)
    out = [_meter(analysis, name, tuple(nodes)) for name, nodes in rows.items()]
    for party in analysis.listeners:
        ears = graph.ears[party.id]
        unit = graph.nodes[ears[0]].unit
        out.append(Meter(f"{party.id}.ear", party.name, "what they hear", ears, unit, party.id))
    return tuple(out)


def _pair(node: Node) -> str:
    """A node's id without the side of a stereo pair."""
    where = NodeId.of(node.id)
    return f"{where.socket}:{where.tap}" if where.tap else where.socket


def _meter(analysis: Computed, name: str, nodes: tuple[int, ...]) -> Meter:
    node = analysis.graph.nodes[nodes[0]]
    device = analysis.device_name(node.owner)
    part = node.label.removeprefix(f"{device}, ").removesuffix(", after gain")
    if len(nodes) > 1:
        part = part.removesuffix(", left").removesuffix(", right").replace(", left,", ",")
    return Meter(name, device, part, nodes, node.unit)
