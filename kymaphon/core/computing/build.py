"""Show -> SignalGraph: every device laid out inside, every cable, then the air between mouths, microphones
and ears.
"""

from __future__ import annotations

from dataclasses import dataclass
from threading import Lock

from kymaphon.core.acoustics import air
from kymaphon.core.computing.riders import ride
from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure
from kymaphon.core.graph.device import DeviceBuilder
from kymaphon.core.graph.draft import Draft, sides
from kymaphon.core.graph.own_noise import source_noise
from kymaphon.core.graph.phantom import phantom_of
from kymaphon.core.graph.signal import Edge, EdgeKind, Node, NoiseKind, NoiseSource, SignalGraph
from kymaphon.core.model.catalogue import Catalogue, Kind, Port
from kymaphon.core.model.connectors import balanced
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import Device, Show
from kymaphon.core.noise import loading_gain_db


def build_graph(show: Show, catalogue: Catalogue) -> SignalGraph:
    """The signal graph of a show whose references hold (`references.check_references`).

    Raises:
        KeyError: the show names what does not exist.
    """
    draft = Draft(show, catalogue.with_kinds(*show.kinds))
    for device in show.devices:
        _lay_out(draft, device)
    _KEPT.trim(max(KEPT_EDGES, 2 * len(draft.edges)))
    loads = _loads(draft)
    for cable in show.cables:
        _join_cable(draft, cable.source, cable.target, loads)
    _add_source_noise(draft)
    air.add_air(draft)
    ride(draft)
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


_Key = tuple[int, int, int, int, bool, str]

KEPT_EDGES = 16_000
"""So many edges of devices are kept, about 20 MB, or twice those of the show where it has more; what was wanted longest ago goes."""


class _Kept:
    """What was laid out, by identity; shared by all threads that compute."""

    def __init__(self) -> None:
        self._rows: dict[_Key, _Laid] = {}
        self._edges = 0
        self._lock = Lock()

    def get(self, key: _Key, device: Device, kind: Kind) -> _Laid | None:
        with self._lock:
            known = self._rows.pop(key, None)
            if known is None:
                return None
            self._rows[key] = known
        return known if known.device is device and known.kind is kind else None

    def put(self, key: _Key, laid: _Laid) -> None:
        with self._lock:
            before = self._rows.pop(key, None)
            self._edges += len(laid.edges) - (len(before.edges) if before is not None else 0)
            self._rows[key] = laid

    def trim(self, most: int) -> None:
        """Lets go what was wanted longest ago until so many edges are left."""
        with self._lock:
            while self._edges > most:
                self._edges -= len(self._rows.pop(next(iter(self._rows))).edges)


_KEPT = _Kept()


def _lay_out(draft: Draft, device: Device) -> None:
    """Lays out a device, or takes it as it was when nothing that it depends on has changed.

    Devices and kinds are immutable, so the very same objects at the same place in the graph give the same nodes and edges. The objects are held
    beside the result, so that their identities cannot be taken by others.
    """
    kind = draft.kind(device)
    powered = not phantom_of(draft.show, draft.catalogue, device).broken
    name = device_name(draft.show, device, kind.name)
    key = (id(device), id(kind), len(draft.nodes), draft.show.sample_rate_hz, powered, name)
    known = _KEPT.get(key, device, kind)
    if known is not None:
        for node in known.nodes:
            draft.add(node)
        draft.edges.extend(known.edges)
        draft.noises.extend(known.noises)
        return
    starts = len(draft.nodes), len(draft.edges), len(draft.noises)
    DeviceBuilder(draft, device).build()
    nodes, edges, noises = starts
    laid = tuple(draft.nodes[nodes:]), tuple(draft.edges[edges:]), tuple(draft.noises[noises:])
    _KEPT.put(key, _Laid(device, kind, *laid))


def _port_at(draft: Draft, reference: str) -> tuple[Device, Port, str]:
    device_id, port_id, side = PortId.of(reference)
    device = draft.show.device(device_id)
    port = draft.kind(device).port(port_id)
    if port is None:
        raise KeyError(reference)
    return device, port, f".{side}" if side else ""


def input_ohm(device: Device, port: Port) -> float | None:
    """The impedance of an input as it is switched."""
    strip = port.strip
    setting = device.settings.get(port.id)
    if strip is not None and strip.hi_z_ohm is not None and setting is not None and setting.hi_z:
        return strip.hi_z_ohm
    return port.impedance_ohm


def _loads(draft: Draft) -> dict[tuple[str, str], list[float]]:
    """(output, side) -> impedances of everything that hangs on it; side is empty for both."""
    out: dict[tuple[str, str], list[float]] = {}
    for cable in draft.show.cables:
        _, port, side = _port_at(draft, cable.source)
        device, into, _ = _port_at(draft, cable.target)
        ohms = input_ohm(device, into)
        if ohms and port.domain == into.domain == "analog":
            base = cable.source_socket
            for one in (side,) if side else sides(port.stereo):
                out.setdefault((base, one), []).append(ohms)
    return out


def _add_source_noise(draft: Draft) -> None:
    """Thermal noise of every source's impedance before a preamplifier. A microphone's is part of its own noise already."""
    done: set[str] = set()
    for cable in draft.show.cables:
        device, out, side = _port_at(draft, cable.source)
        _, into, _ = _port_at(draft, cable.target)
        kind = draft.kind(device)
        listens = any(port.domain == "acoustic" for port in kind.inputs)
        heard = into.strip is not None and bool(into.strip.ein_dbu)
        if listens or not heard or out.domain != "analog" or into.domain != "analog":
            continue
        base = cable.source_socket
        sort: NoiseKind = "microphone" if out.level in ("mic", "instrument") else "preamp"
        for one in (side,) if side else sides(out.stereo):
            if base + one not in done:
                done.add(base + one)
                draft.white_noise(base + one, sort, source_noise(out, device_name(draft.show, device, kind.name)))


def _join_cable(draft: Draft, source: str, target: str, loads: dict[tuple[str, str], list[float]]) -> None:
    """A cable, with what all loads on its output together take off the level. A mono plug feeds both sides; a stereo
    one in a mono socket loses its right.
    """
    _, out, out_side = _port_at(draft, source)
    _, into, in_side = _port_at(draft, target)
    outs = [out_side] if out_side else list(sides(out.stereo))
    ins = [in_side] if in_side else list(sides(into.stereo))
    if len(outs) == 2 and len(ins) == 1:
        outs = outs[:1]
    base = PortId.of(source).socket
    hung = loads.get((base, outs[0]), [])
    parts: tuple[Derived, ...] = ()
    if out.impedance_ohm and hung and out.domain == into.domain == "analog":
        parts = (loading(out.impedance_ohm, hung),)
    parts += one_leg(end_of(draft.show, draft.catalogue, source), into)
    pairs = zip(outs * 2, ins, strict=False) if len(outs) == 1 else zip(outs, ins, strict=True)
    for a, b in pairs:
        draft.join(base + a, PortId.of(target).socket + b, parts, kind=EdgeKind.CABLE)


def one_leg(source: End, into: Port) -> tuple[Derived, ...]:
    """What a balanced output loses into an unbalanced input, which takes one of its legs against earth.

    Nothing from a transformer, a ground-sensing stage or one driven leg; half the voltage where each leg is driven from earth
    (textbook: Ballou, Handbook for Sound Engineers, from memory).
    """
    out = source.port
    if not (out.domain == into.domain == "analog") or not balanced(out) or balanced(into) or out.level == "headphone":
        return ()
    stage = source.output_stage
    if stage is None:
        return (figure("leg-unknown"),)
    return (figure("one-leg"),) if stage == "each-leg" else ()


def loading(source_ohm: float, loads_ohm: list[float]) -> Derived:
    """What all loads on an output together take off its level: 20 lg(ZL / (ZS + ZL)), ZL in parallel."""
    together = 1 / sum(1 / ohms for ohms in loads_ohm)
    into = f"{together:.0f}"
    if len(loads_ohm) > 1:
        into += f" ({len(loads_ohm)} in parallel)"
    formula = f"20 lg({together:.0f} / ({source_ohm:.0f} + {together:.0f}))"
    name = f"loading, {source_ohm:.0f} ohm into {into}"
    return Derived(name, loading_gain_db(source_ohm, together), "dB", formula, source="voltage divider")
