"""Two plugs of like kind that are in each other's sockets: found where something that should come ends at the one and is waited for at the
other.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.signal import STRAY, SignalGraph, spread
from kymaphon.core.model.catalogue import Port
from kymaphon.core.model.edits import Edit, Plug, Unplug
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.show import Cable
from kymaphon.core.wiring.fit import fit_of


@dataclass(frozen=True, slots=True)
class Miss:
    """Somebody who should be heard and is not: nodes that the voice comes to, and nodes that lead to the ears."""

    comes: frozenset[int]
    leads: frozenset[int]


def miss_of(analysis: Computed, voice: str, listener: str) -> Miss | None:
    """What is missing between a voice and a listener of the programme; None where either is nowhere in the rig."""
    graph = analysis.graph
    if voice not in graph.mouths or not graph.ears.get(listener):
        return None
    return Miss(meant_after(graph, [graph.mouths[voice][0]]), meant_before(graph, graph.ears[listener]))


def meant_after(graph: SignalGraph, starts: Iterable[int]) -> frozenset[int]:
    """Nodes that some nodes lead to over what is open, by nobody else's microphone."""
    return _spread(graph, starts, onward=True)


def meant_before(graph: SignalGraph, ends: Iterable[int]) -> frozenset[int]:
    """Nodes that lead to some nodes over what is open, by nobody else's microphone."""
    return _spread(graph, ends, onward=False)


def _spread(graph: SignalGraph, nodes: Iterable[int], *, onward: bool) -> frozenset[int]:
    steps: dict[int, list[int]] = {}
    for edge in graph.edges:
        if edge.on and edge.kind not in STRAY:
            here, there = (edge.source, edge.target) if onward else (edge.target, edge.source)
            steps.setdefault(here, []).append(there)
    return frozenset(spread(steps, nodes))


def exchanges(analysis: Computed, misses: Iterable[Miss]) -> Iterator[Remedy]:
    """Each two plugs beside each other whose exchange joins what is missing: both outputs or both inputs are on one box and of like kind,
    each lead fits where it then is, and what came by the second is missing at the first, or nothing came by it. Nothing is tried here but the plugs.
    """
    told: set[frozenset[tuple[str, str]]] = set()
    rows = tuple(misses)
    if not rows:
        return
    graph = analysis.graph
    carrying = meant_after(graph, [node for node, _ in graph.mouths.values()])
    for miss in rows:
        for gone in analysis.show.cables:
            if not _is_on(analysis, gone.source, miss.comes) or _is_on(analysis, gone.target, miss.leads):
                continue
            for waits in analysis.show.cables:
                if not _is_on(analysis, waits.target, miss.leads) or _is_on(analysis, waits.source, miss.comes):
                    continue
                back = any(
                    _is_on(analysis, waits.source, row.comes) and _is_on(analysis, gone.target, row.leads)
                    for row in rows
                )
                if _is_on(analysis, waits.source, carrying) and not back:
                    continue  # somebody else comes by it, and would be lost
                pair = frozenset((gone.ends, waits.ends))
                remedy = _exchanged(analysis, gone, waits) if pair not in told else None
                if remedy is not None:
                    told.add(pair)
                    yield remedy


def _is_on(analysis: Computed, reference: str, nodes: frozenset[int]) -> bool:
    index = analysis.graph.index
    return any(index.get(f"{reference}{side}") in nodes for side in ("", ".l", ".r") if f"{reference}{side}" in index)


def _like(one: Port, other: Port) -> bool:
    return (one.domain, one.level, one.connector, one.stereo) == (
        other.domain,
        other.level,
        other.connector,
        other.stereo,
    )


def _exchanged(analysis: Computed, one: Cable, other: Cable) -> Remedy | None:
    show, catalogue = analysis.show, analysis.catalogue
    sources = [end_of(show, catalogue, row.source) for row in (one, other)]
    targets = [end_of(show, catalogue, row.target) for row in (one, other)]
    at_source = one.source_device == other.source_device and _like(sources[0].port, sources[1].port)
    at_target = one.target_device == other.target_device and _like(targets[0].port, targets[1].port)
    if not (at_source or at_target):
        return None
    crossed = [(sources[1], targets[0], one.adapter), (sources[0], targets[1], other.adapter)]
    if not all(fit_of(source, target, adapter).works for source, target, adapter in crossed):
        return None
    ends = sources if at_source else targets
    if at_source:
        plugs = [one.with_(source=other.source), other.with_(source=one.source)]
    else:
        plugs = [one.with_(target=other.target), other.with_(target=one.target)]
    edits: tuple[Edit, ...] = (Unplug(*one.ends), Unplug(*other.ends), *(Plug(row) for row in plugs))
    return Remedy(
        f"exchange-{ends[0].ref}-{ends[1].ref}",
        f"Exchange the two leads: {ends[0].name} and {ends[1].port.name}",
        f"They are in each other's sockets at {analysis.device_name(ends[0].device.id)}; "
        f"{sources[0].port.name} then goes to {targets[1].name}, {sources[1].port.name} to {targets[0].name}.",
        edits,
        leads=True,
    )
