"""Show -> SignalGraph: every device laid out inside, every cable, then the air between mouths, microphones
and ears.
"""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core import air
from kymaphon.core.catalogue import Catalogue, Kind, Port
from kymaphon.core.derive import Derived
from kymaphon.core.device import DeviceBuilder
from kymaphon.core.draft import Draft, sides
from kymaphon.core.graph import Edge, Node, NoiseSource, SignalGraph
from kymaphon.core.noise import loading_gain_db
from kymaphon.core.phantom import phantom_of
from kymaphon.core.show import Device, Show


def build_graph(show: Show, catalogue: Catalogue) -> SignalGraph:
    """The signal graph of a show whose references hold (`references.check_references`).

    Raises:
        KeyError: the show names what does not exist.
    """
    draft = Draft(show, catalogue.with_kinds(*show.kinds))
    for device in show.devices:
        _lay_out(draft, device)
    for cable in show.cables:
        _join_cable(draft, cable.source, cable.target)
    air.add_air(draft)
    return SignalGraph(
        tuple(draft.nodes),
        tuple(draft.edges),
        tuple(draft.noises),
        draft.mouths,
        draft.ears,
        tuple(draft.unknown),
    )


@dataclass(frozen=True, slots=True)
class _Laid:
    """A device as it was laid out, kept so that an edit to another device need not do it again."""

    device: Device
    kind: Kind
    nodes: tuple[Node, ...]
    edges: tuple[Edge, ...]
    noises: tuple[NoiseSource, ...]


_LAID: dict[tuple[int, int, int, int, bool], _Laid] = {}
MOST_LAID = 4096


def _lay_out(draft: Draft, device: Device) -> None:
    """Lays out a device, or takes it as it was when nothing that it depends on has changed.

    Devices and kinds are immutable, so the very same objects at the same place in the graph give the same nodes and edges. The objects are held
    beside the result, so that their identities cannot be taken by others.
    """
    kind = draft.kind(device)
    powered = not phantom_of(draft.show, draft.catalogue, device).broken
    key = (id(device), id(kind), len(draft.nodes), draft.show.sample_rate_hz, powered)
    known = _LAID.get(key)
    if known is not None and known.device is device and known.kind is kind:
        for node in known.nodes:
            draft.add(node)
        draft.edges.extend(known.edges)
        draft.noises.extend(known.noises)
        return
    starts = len(draft.nodes), len(draft.edges), len(draft.noises)
    DeviceBuilder(draft, device).build()
    if len(_LAID) >= MOST_LAID:
        _LAID.clear()
    nodes, edges, noises = starts
    _LAID[key] = _Laid(
        device, kind, tuple(draft.nodes[nodes:]), tuple(draft.edges[edges:]), tuple(draft.noises[noises:])
    )


def _port_at(draft: Draft, reference: str) -> tuple[Device, Port, str]:
    device_id, port_id, *side = reference.split(".")
    device = draft.show.device(device_id)
    port = draft.kind(device).port(port_id)
    if port is None:
        raise KeyError(reference)
    return device, port, f".{side[0]}" if side else ""


def _join_cable(draft: Draft, source: str, target: str) -> None:
    """A cable, with what the load takes off the level. A mono plug feeds both sides; a stereo one in a mono
    socket loses its right.
    """
    _, out, out_side = _port_at(draft, source)
    _, into, in_side = _port_at(draft, target)
    parts: tuple[Derived, ...] = ()
    if out.impedance_ohm and into.impedance_ohm and out.domain == into.domain == "analog":
        loss = loading_gain_db(out.impedance_ohm, into.impedance_ohm)
        name = f"loading, {out.impedance_ohm:.0f} ohm into {into.impedance_ohm:.0f}"
        formula = f"20 lg({into.impedance_ohm:.0f} / ({out.impedance_ohm:.0f} + {into.impedance_ohm:.0f}))"
        parts = (Derived(name, loss, "dB", formula, source="voltage divider"),)
    outs = [out_side] if out_side else list(sides(out.stereo))
    ins = [in_side] if in_side else list(sides(into.stereo))
    if len(outs) == 2 and len(ins) == 1:
        outs = outs[:1]
    pairs = zip(outs * 2, ins, strict=False) if len(outs) == 1 else zip(outs, ins, strict=True)
    for a, b in pairs:
        first, second = ".".join(source.split(".")[:2]) + a, ".".join(target.split(".")[:2]) + b
        draft.join(first, second, parts, label="cable")
