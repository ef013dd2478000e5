"""Voices that come to no mixer: where each of them ends, and the free input that it is plugged into."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.signal import UNINTENDED, SignalGraph
from kymaphon.core.mixes.mixer import mixers_of
from kymaphon.core.model.edits import Edit, apply_all
from kymaphon.core.model.ends import End
from kymaphon.core.model.ids import NodeId
from kymaphon.core.model.wants import wants_of
from kymaphon.core.wiring.open_ends import best_input, levels_out, plug_edits


@dataclass(frozen=True)
class UnroutedSource:
    """A voice that somebody should hear, and that goes no further than an output with nothing plugged in.

    Attributes:
        end: that output.
        into: the input that it is plugged into; None where no mixer has a free one that fits.
        edits: the cable, with phantom power where it is needed.
        harms: a free input was tried, and plugged in there it closes a loop or costs somebody a voice.
    """

    voices: tuple[str, ...]
    end: End
    into: End | None
    edits: tuple[Edit, ...] = ()
    harms: bool = False


def unrouted_sources(analysis: Computed, among: frozenset[str] | None = None) -> tuple[UnroutedSource, ...]:
    """Every wanted voice that reaches neither a mixer nor any of those who should hear it, however the switches stand.

    Args:
        among: ids of the devices that may take one; None takes all that mix.
    """
    show, catalogue, graph = analysis.show, analysis.catalogue, analysis.graph
    mixing = frozenset(device.id for device in mixers_of(show, catalogue)) if among is None else among
    hearers: dict[str, list[str]] = {}
    for (listener, voice), row in wants_of(show).items():
        if row.want == "hear" and listener != voice and listener in graph.ears:
            hearers.setdefault(voice, []).append(listener)
    ended: dict[str, tuple[End, list[str]]] = {}
    for voice in (party.id for party in analysis.voices if party.id in hearers):
        way = _onward(graph, graph.mouths[voice][0])
        served = {node for name in hearers[voice] for node in graph.ears[name]}
        if served & set(way) or any(graph.nodes[node].owner in mixing for node in way):
            continue
        end = _last_open(analysis, way)
        if end is not None:
            ended.setdefault(end.ref, (end, []))[1].append(voice)
    levels = levels_out(analysis) if ended else {}
    out = []
    now = show
    for end, voices in ended.values():
        fit = best_input(analysis, end, levels, show=now, among=mixing)
        edits = plug_edits(now, analysis, fit) if fit is not None else ()
        now = apply_all(now, edits)
        out.append(UnroutedSource(tuple(voices), end, fit.target if fit is not None else None, edits))
    return tuple(out)


def _onward(graph: SignalGraph, start: int) -> list[int]:
    """Nodes that a voice gets to by wire with every switch and fader open, the nearest first."""
    after: dict[int, list[int]] = {}
    for edge in graph.edges:
        if edge.kind not in UNINTENDED:
            after.setdefault(edge.source, []).append(edge.target)
    seen, work = {start}, deque([start])
    order = []
    while work:
        node = work.popleft()
        order.append(node)
        for row in after.get(node, ()):
            if row not in seen:
                seen.add(row)
                work.append(row)
    return order


def _last_open(analysis: Computed, way: list[int]) -> End | None:
    """The furthest output on a way that takes a plug and has none."""
    show, catalogue = analysis.show, analysis.catalogue
    taken = {cable.source_socket for cable in show.cables}
    devices = {device.id: device for device in show.devices}
    for node in reversed(way):
        point = NodeId.of(analysis.graph.nodes[node].id)
        device = devices.get(point.owner)
        if device is None or point.socket in taken:
            continue
        kind = catalogue[device.kind]
        port = next((row for row in kind.outputs if row.id == point.port), None)
        if port is None or port.domain == "acoustic" or port.ear or port.level in ("headphone", "speaker"):
            continue
        if port.connector != "network":
            return End(device, kind, port)
    return None
