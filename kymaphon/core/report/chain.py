"""The rig as a picture: a box for each device, a link for each cable, with level and state; places can be collapsed."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.show import Cable, Device
from kymaphon.core.model.stages import SEVERITIES, Severity
from kymaphon.core.wiring.layered import BoxSpec, Drawing, LinkSpec, draw_layers

BOX_WIDTH = 168.0
PLACE = "place:"


@dataclass(frozen=True, slots=True)
class ChainPort:
    """A socket of a box that something is plugged into; `ref` is its reference, with the side where it has one."""

    ref: str
    name: str


@dataclass(frozen=True, slots=True)
class ChainBox:
    """A device, or a place that is collapsed into one box.

    Attributes:
        id: device id, or `place:` and the place's id.
        note: kind, or why no signal comes out.
        silent: whether `note` says that.
        worst: severity of its worst finding of Rig, or empty.
        members: ids of the devices in it.
        party: id of the party whose it is, or empty.
    """

    id: str
    name: str
    note: str
    group: str
    silent: bool
    worst: Severity | None
    members: tuple[str, ...]
    inputs: tuple[ChainPort, ...] = ()
    outputs: tuple[ChainPort, ...] = ()
    party: str = ""
    place: str = ""


@dataclass(frozen=True, slots=True)
class ChainLink:
    """A cable with what runs in it.

    Attributes:
        level: class of its level, as `line`.
        figure: the loudest voice's level as it is printed; empty where nothing comes.
        silence: why nothing comes; empty where something does.
    """

    cable: Cable
    source: str
    target: str
    level: str
    figure: str
    silence: str
    worst: Severity | None

    @property
    def ends(self) -> tuple[str, str]:
        return self.cable.ends


@dataclass(frozen=True)
class Chain:
    """Boxes and links in the order of the show, and where they are drawn."""

    boxes: tuple[ChainBox, ...]
    links: tuple[ChainLink, ...]
    drawing: Drawing

    def box_of(self, device: str) -> ChainBox | None:
        """The box that a device is in."""
        return next((row for row in self.boxes if device in row.members), None)


def worst_by_subject(analysis: Report) -> dict[str, Severity]:
    """Subject of Rig's findings -> the worst of them."""
    out: dict[str, Severity] = {}
    for finding in analysis.findings:
        if finding.stage != "Rig":
            continue
        for subject in finding.subjects:
            known = out.get(subject)
            if known is None or SEVERITIES.index(finding.severity) < SEVERITIES.index(known):
                out[subject] = finding.severity
    return out


def node_of(analysis: Computed, end: End) -> str | None:
    """The node of an end, the left one of a stereo port; None where the graph has none."""
    base = f"{end.device.id}.{end.port.id}"
    names = (f"{base}.{end.side}",) if end.side else (base, f"{base}.l")
    return next((name for name in names if name in analysis.graph.index), None)


def link_state(analysis: Computed, cable: Cable) -> tuple[str, str]:
    """Level as printed, and why there is none: what a cable carries at its near end."""
    end = end_of(analysis.show, analysis.catalogue, cable.source)
    base = f"{end.device.id}.{end.port.id}"
    nodes = [f"{base}.{end.side}"] if end.side else [base, f"{base}.l", f"{base}.r"]
    here = [name for name in nodes if name in analysis.graph.index]
    levels = [(level, name) for name in here if (level := analysis.flow.level(name)) is not None]
    if levels:
        level, name = max(levels)
        return show_number(level, analysis.graph.nodes[analysis.graph.index[name]].unit), ""
    return "", analysis.flow.silence(here[0]) if here else "it is not computed"


def chain_of(analysis: Report, collapsed: frozenset[str] = frozenset()) -> Chain:
    """The picture of an analysed show. Ports are those in use; the devices of a collapsed place are one box.

    Args:
        collapsed: ids of places.
    """
    show, catalogue = analysis.show, analysis.catalogue
    worst = worst_by_subject(analysis)
    home = {device.id: _home(device, collapsed) for device in show.devices}
    links: list[ChainLink] = []
    used: dict[str, tuple[dict[str, ChainPort], dict[str, ChainPort]]] = {
        box: ({}, {}) for box in dict.fromkeys(home.values())
    }
    silent: dict[str, str] = {}
    for cable in show.cables:
        source, target = (end_of(show, catalogue, end) for end in cable.ends)
        a, b = home[source.device.id], home[target.device.id]
        if a == b:
            continue
        figure, silence = link_state(analysis, cable)
        if silence:
            silent.setdefault(a, silence)
        links.append(ChainLink(cable, a, b, source.level, figure, silence, _worse(worst, cable.source, cable.target)))
        used[a][1][source.ref] = ChainPort(source.ref, _port_name(source, a))
        used[b][0][target.ref] = ChainPort(target.ref, _port_name(target, b))
    boxes = []
    order = _order(analysis)
    for box_id, (into, out) in used.items():
        members = tuple(name for name, where in home.items() if where == box_id)
        boxes.append(_box(analysis, box_id, members, into, out, silent.get(box_id, ""), worst, order))
    specs = [
        BoxSpec(box.id, BOX_WIDTH, tuple(p.ref for p in box.inputs), tuple(p.ref for p in box.outputs)) for box in boxes
    ]
    lines = [LinkSpec(row.source, row.cable.source, row.target, row.cable.target) for row in links]
    return Chain(tuple(boxes), tuple(links), draw_layers(specs, lines))


def _home(device: Device, collapsed: frozenset[str]) -> str:
    return f"{PLACE}{device.place}" if device.place in collapsed else device.id


def _port_name(end: End, box: str) -> str:
    if box.startswith(PLACE):
        return end.name
    return end.name.removeprefix(f"{end.shown or end.device.name or end.kind.name}, ")


def _worse(worst: dict[str, Severity], *names: str) -> Severity | None:
    found = [worst[name] for name in names if name in worst]
    return min(found, key=SEVERITIES.index, default=None)


def _box(
    analysis: Report,
    box_id: str,
    members: tuple[str, ...],
    into: dict[str, ChainPort],
    out: dict[str, ChainPort],
    silence: str,
    worst: dict[str, Severity],
    order: dict[str, int],
) -> ChainBox:
    show = analysis.show
    ins, outs = (tuple(sorted(rows.values(), key=lambda row: order[row.ref])) for rows in (into, out))
    if box_id.startswith(PLACE):
        place = show.place(box_id.removeprefix(PLACE))
        note = f"{len(members)} devices"
        return ChainBox(
            box_id, place.name, note, "place", False, _worse(worst, *members), members, ins, outs, place=place.id
        )
    device = show.device(box_id)
    kind = analysis.catalogue[device.kind]
    note = f"no signal: {silence}" if silence else kind.name
    hung = sum(row.host == device.id for row in show.devices)
    if hung and not silence:
        note = f"{kind.name}, {hung} on it"
    return ChainBox(
        box_id,
        analysis.device_name(device.id),
        note,
        kind.group,
        bool(silence),
        worst.get(box_id),
        members,
        ins,
        outs,
        party=device.party or "",
        place=device.place or "",
    )


def _order(analysis: Computed) -> dict[str, int]:
    """Every reference to a socket in the order of devices and kinds."""
    order: dict[str, int] = {}
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        for port in (*kind.inputs, *kind.outputs):
            for side in ("", ".l", ".r"):
                order[f"{device.id}.{port.id}{side}"] = len(order)
    return order
