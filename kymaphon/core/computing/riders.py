"""Automatic level: what calls do to a voice before they pass it on, as a gain that brings its speech to one level."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import TYPE_CHECKING

from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.signal import UNINTENDED, Edge, SignalGraph
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.ids import NodeId

if TYPE_CHECKING:
    from kymaphon.core.graph.draft import Draft
    from kymaphon.core.model.catalogue import Catalogue
    from kymaphon.core.model.catalogue.parts import Processor
    from kymaphon.core.model.show import Device, Show


def ride(draft: Draft) -> None:
    """Gives every automatic level that is on the gain by which it brings the loudest voice before it to `call-level`, at most
    `call-range` up or down. What comes by the air into somebody else's microphone does not count; with no voice it stays at rest.

    In the order of the show's devices, each with those before it at work.
    """
    for base, key in _at_work(draft):
        edges = [k for k, edge in enumerate(draft.edges) if _is_between(draft, k, base, key)]
        if not edges:
            continue
        level = max(_loudest(draft, draft.edges[k].source) for k in edges)
        if level == -math.inf:
            continue
        wanted, most = figure("call-level"), number("call-range")
        gain = min(max(wanted.value - level, -most), most)
        held = "" if abs(gain) < most else f", as far as it goes ({most:.0f} dB)"
        part = Derived(f"{RIDES} {show_number(level + gain, 'dBFS')}{held}", gain, "dB", source=wanted.source)
        for k in edges:
            draft.edges[k] = replace(draft.edges[k], parts=(*draft.edges[k].parts, part))


RIDES = "automatic level, brings speech to"


def is_ridden(edge: Edge) -> bool:
    """Whether an automatic level works on an edge."""
    return any(part.name.startswith(RIDES) for part in edge.parts)


def has_own_app(show: Show, catalogue: Catalogue, device: Device, processor: Processor) -> bool:
    """Whether the far end of a call has an app of its own in the show: then that does what this one would stand in for."""
    ports = {f"{device.id}.{key.partition('>')[0]}" for key in processor.sits}
    return any(
        cable.target_socket in ports and catalogue[show.device(cable.source_device).kind].is_app
        for cable in show.cables
    )


def _at_work(draft: Draft) -> Iterator[tuple[str, str]]:
    """(device id, path key) of every automatic level that is on."""
    for device in draft.show.devices:
        for row in draft.kind(device).processors:
            setting = device.settings.get(row.id)
            given = setting.on if setting is not None else None
            if row.does != "level-rider" or not (row.fixed or (row.on if given is None else given)):
                continue
            if not (row.far and has_own_app(draft.show, draft.catalogue, device, row)):
                yield from ((device.id, key) for key in row.sits)


def _is_between(draft: Draft, k: int, device: str, key: str) -> bool:
    edge = draft.edges[k]
    first, last = key.split(">")
    names = (draft.nodes[edge.source].id, draft.nodes[edge.target].id)
    owner, port = zip(*(NodeId.of(name)[:2] for name in names), strict=True)
    return set(owner) == {device} and tuple(port) == (first, last)


def _loudest(draft: Draft, node: int) -> float:
    """Level of the loudest voice at a point, in dBFS, by its own microphone where it has one; minus infinity for none."""
    live = tuple(k for k, edge in enumerate(draft.edges) if edge.on and edge.kind not in UNINTENDED)
    graph = SignalGraph(tuple(draft.nodes), tuple(draft.edges), (), draft.mouths, draft.ears)
    onward = Transfer(graph.only(live)).best_gain_to(node)
    return max((level.value + onward[mouth] for mouth, level in draft.mouths.values()), default=-math.inf)
