"""Show -> SignalGraph: every device laid out inside, every cable, then the air between mouths, microphones
and ears.
"""

from __future__ import annotations

from kymaphon.core import air
from kymaphon.core.catalogue import Catalogue, Port
from kymaphon.core.derive import Derived
from kymaphon.core.device import DeviceBuilder
from kymaphon.core.draft import Draft, sides
from kymaphon.core.graph import SignalGraph
from kymaphon.core.noise import loading_gain_db
from kymaphon.core.show import Device, Show


def build_graph(show: Show, catalogue: Catalogue) -> SignalGraph:
    """The signal graph of a show whose references hold (`references.check_references`).

    Raises:
        KeyError: the show names what does not exist.
    """
    draft = Draft(show, catalogue)
    for device in show.devices:
        DeviceBuilder(draft, device).build()
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
