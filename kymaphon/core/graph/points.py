"""The sorts of points at which a mark can be set, and which mark holds at a point of a chain."""

from __future__ import annotations

from kymaphon.core.graph.signal import Node, SignalGraph
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.ids import NodeId
from kymaphon.core.model.practice import practices
from kymaphon.core.model.scales import Mark, house_at, house_of, mark_at, scales
from kymaphon.core.model.show import Show

_ENDS = {"recorder": "recorder", "audience": "stream", "remote": "far-end"}


def sort_of(node: Node, show: Show, catalogue: Catalogue) -> str | None:
    """Which of `POINTS` a point of the rig is; None for every other."""
    party = next((row for row in show.parties if row.id == node.owner), None)
    if party is not None:
        if node.unit == "dB SPL" and party.hears_on is None:
            return "room" if ".ear" in node.id else None
        return _ENDS.get(party.kind) if ".ear" in node.id else None
    device = next((row for row in show.devices if row.id == node.owner), None)
    if device is None:
        return None
    kind = catalogue[device.kind]
    base = NodeId.of(node.id).port
    if kind.is_line:
        return "line"
    port = kind.port(base)
    if node.id.endswith(":pre") and port is not None and port.strip is not None and port.strip.gain_db:
        return "input" if port.level in ("mic", "instrument") else None
    if kind.is_desk and ":" not in node.id and port not in kind.inputs:
        return "desk"
    return None


def base_of(node_id: str) -> str:
    """`desk.main.l:mix` as `desk.main`."""
    return NodeId.of(node_id).socket


def _metered(show: Show, catalogue: Catalogue, owners: set[str]) -> dict[str, Kind]:
    """Devices on a way that an analogue practice is read on: its desks, else preamplifiers and lines."""
    kinds = {row.id: catalogue[row.kind] for row in show.devices if row.id in owners}
    desks = {name: kind for name, kind in kinds.items() if kind.is_desk}
    return desks or {name: kind for name, kind in kinds.items() if kind.group in ("preamp", "line")}


def _is_socket(node: Node, kind: Kind) -> bool:
    """Whether a point is an input before its gain: what comes there has no level of the house yet."""
    port = NodeId.of(node.id).port
    return ":" not in node.id and any(row.id == port and row.strip is not None for row in kind.inputs)


PointMark = tuple[Mark | None, bool]
"""The mark at a point, and whether it was set for that point or its sort."""


def marks_along(show: Show, catalogue: Catalogue, graph: SignalGraph, nodes: tuple[int, ...]) -> list[PointMark]:
    """The mark at each point of a chain, and whether it was set for that point or its sort.

    One set for the very point comes first, then one for its sort, then the show's practice where its meter can be read.
    """
    known = practices(show.practices)
    own = {row.at: known[row.practice] for row in show.marks}
    usual = known[show.practice]
    out: list[tuple[Mark | None, bool]] = []
    passed: list[str] = []
    first_input = True
    metered = _metered(show, catalogue, {graph.nodes[position].owner for position in nodes})
    for position in nodes:
        node = graph.nodes[position]
        passed.insert(0, node.owner)
        if node.unit == "dB SPL":
            at = sort_of(node, show, catalogue) if own else None
            there = own.get("room") if at == "room" else None
            out.append((mark_at(there, node.unit, house_of(show)), True) if there is not None else (None, False))
            continue
        chosen = own.get(node.id) or own.get(base_of(node.id)) if own else None
        if chosen is None and own:
            sort = sort_of(node, show, catalogue)
            if sort == "input":
                # What comes after the first gain is no microphone any more.
                sort, first_input = ("input" if first_input else None), False
            chosen = own.get(sort or "")
        practice = chosen or usual
        elsewhere = scales()[practice.scale].domain != node.unit or (
            node.unit == "dBu" and (node.owner not in metered or _is_socket(node, metered[node.owner]))
        )
        if chosen is None and elsewhere:
            out.append((None, False))
            continue
        house = house_at(show, catalogue, passed, mono=practice.mono)
        out.append((mark_at(practice, node.unit, house), chosen is not None))
    return out
