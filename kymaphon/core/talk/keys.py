"""Talk keys as the rig has them: from a name in the show to what it switches, and a rig with some of them down."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.graph.signal import SignalGraph
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.talk import CircuitMember, KeyAction

Refs = frozenset[SettingRef]


@dataclass(frozen=True, slots=True)
class Pressed:
    """What some keys do to one step of the signal, against the rig with them up.

    Attributes:
        edge: position of the step.
        gain_db: its gain with them down; -inf where nothing passes then.
        before_db: with them up.
    """

    edge: int
    gain_db: float
    before_db: float


def key_ref(analysis: Computed, reference: str | None) -> SettingRef | None:
    """What a key named in the show switches; None where there is no such key or crosspoint, or none was named."""
    if not reference:
        return None
    device_id, _, key = reference.partition(".")
    device = analysis.show.find_device(device_id)
    if device is None:
        return None
    kind = analysis.catalogue[device.kind]
    if kind.key(key) is None:
        path = kind.path(key)
        if path is None or not path.switch:
            return None
    return SettingRef(device_id, key, "on")


def key_words(analysis: Computed, reference: str) -> str:
    """A key as people call it: `Director's panel, Talk 1`; a crosspoint by its two ends."""
    device_id, _, name = reference.partition(".")
    device = analysis.show.find_device(device_id)
    if device is None:
        return reference
    kind = analysis.catalogue[device.kind]
    key, path = kind.key(name), kind.path(name)
    if key is not None:
        words = key.name
    elif path is not None:
        names = {row.id: row.name for rows in (kind.inputs, kind.outputs, kind.buses) for row in rows}
        ends = [names[end] for end in (path.source, path.target)]
        words = path.name or " to ".join(ends)
    else:
        words = name
    return f"{analysis.device_name(device_id)}, {words}"


def key_action(analysis: Computed, member: CircuitMember) -> KeyAction | None:
    """Whether somebody's talk key stays down by itself: as they say, else as it is made, where one that can do either may be left
    latched; a crosspoint stays as it is put. None without a key.
    """
    if not member.key:
        return None
    if member.action is not None:
        return member.action
    device_id, _, name = member.key.partition(".")
    device = analysis.show.find_device(device_id)
    key = analysis.catalogue[device.kind].key(name) if device is not None else None
    return "latching" if key is None or key.action != "momentary" else "momentary"


def can_be_momentary(analysis: Computed, member: CircuitMember) -> bool:
    """Whether their key is made to spring back too."""
    device_id, _, name = (member.key or "").partition(".")
    device = analysis.show.find_device(device_id)
    key = analysis.catalogue[device.kind].key(name) if device is not None else None
    return key is not None and key.action != "latching"


def pressed(graph: SignalGraph, down: Refs) -> tuple[Pressed, ...]:
    """The steps that some keys change when they are put down; those that are down already change nothing."""
    out = []
    for i in sorted({i for ref in down for i in graph.moved.get(ref, ())}):
        edge = graph.edges[i]
        gain = edge.gain_db - sum(row.depth_db for row in edge.dims if row.ref in down and not row.now)
        passes = not edge.broken and all(
            row.closed if row.ref in down and not row.now else row.passes for row in edge.switches
        )
        before = edge.gain_db if edge.on else -math.inf
        after = gain if passes else -math.inf
        if after != before:
            out.append(Pressed(i, after, before))
    return tuple(out)


def with_keys(graph: SignalGraph, down: Iterable[SettingRef]) -> SignalGraph:
    """The rig with some keys down, as a graph of its own."""
    held = set(down)
    edges = []
    for edge in graph.edges:
        moved = {row.ref for row in edge.switches if not row.now} | {row.ref for row in edge.dims if not row.now}
        if moved & held:
            depth = sum(row.depth_db for row in edge.dims if row.ref in held and not row.now)
            edge = replace(
                edge,
                switches=tuple(replace(row, now=True) if row.ref in held else row for row in edge.switches),
                dims=tuple(replace(row, now=True) if row.ref in held else row for row in edge.dims),
                parts=(*edge.parts, _dimmed(-depth)) if depth else edge.parts,
            )
        edges.append(edge)
    return SignalGraph(graph.nodes, tuple(edges), graph.noises, graph.mouths, graph.ears, graph.unknown)


def _dimmed(by: float) -> Derived:
    return Derived("dimmed while it is talked", by, "dB", source="device data")


def port_words(analysis: Computed, reference: str) -> str:
    """A socket as people call it."""
    device_id, port_id, _ = PortId.of(reference)
    device = analysis.show.find_device(device_id)
    port = analysis.catalogue[device.kind].port(port_id) if device is not None else None
    return reference if port is None else f"{analysis.device_name(device_id)}, {port.name}"
