"""Knobs that belong together because they stand in the two sides of one stereo way: turned alone, one would tilt it."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.graph.paths import SignalPath, strongest_path
from kymaphon.core.graph.signal import Edge, Knob, SignalGraph
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import NodeId, SettingRef


def knob_at(graph: SignalGraph, ref: SettingRef) -> Knob | None:
    """The knob of a setting; None when no edge has it."""
    return next((knob for edge in graph.edges for knob in edge.knobs if knob.ref == ref), None)


def twins_along(analysis: Computed, ladder: Ladder) -> dict[SettingRef, tuple[SettingRef, ...]]:
    """Setting -> those of the other side: of what comes with two sides, or goes to a listener with two.

    The two sides of a stereo source keep their balance wherever each is panned, into one ear or two. Pads count as settings of the
    step from a socket to the point after its gain.
    """
    out: dict[SettingRef, tuple[SettingRef, ...]] = {}
    mine = _refs_of(analysis, ladder.path)
    for way in _other_ways(analysis, ladder):
        theirs = _refs_of(analysis, way)
        own, its = ([ref for ref in refs if ref not in others] for refs, others in ((mine, theirs), (theirs, mine)))
        if [_sort(ref) for ref in own] != [_sort(ref) for ref in its]:
            continue
        for ref, twin in zip(own, its, strict=True):
            out.setdefault(ref, (twin,))
    return out


def _other_ways(analysis: Computed, ladder: Ladder) -> Iterator[SignalPath]:
    """The strongest ways of the other side: of the source, to whichever ear it is strongest in; and to the other ear."""
    graph, nodes = analysis.graph, ladder.path.nodes
    ears = analysis.graph.ears.get(ladder.target, ())
    side = next((node for node in nodes[:-1] if graph.nodes[node].id.endswith((".l", ".r"))), None)
    if side is not None:
        name = graph.nodes[side].id
        other = graph.index.get(f"{name[:-1]}{'r' if name.endswith('l') else 'l'}")
        feeds = any(graph.edges[i].target == other for i in graph.leaving[nodes[0]])
        if other is not None and feeds:
            ways = [way for ear in ears if (way := strongest_path(analysis.transfer, other, ear)) is not None]
            yield from sorted(ways, key=lambda way: -way.gain_db)[:1]
    for ear in ears:
        if ear != nodes[-1] and (way := strongest_path(analysis.transfer, nodes[0], ear)) is not None:
            yield way


def _sort(ref: SettingRef) -> tuple[str, str]:
    return ref.device, ref.field


def _refs_of(analysis: Computed, way: SignalPath) -> list[SettingRef]:
    """Every setting along a way, pads among them."""
    return list(dict.fromkeys(ref for step in way.steps() for ref in _refs(analysis, step)))


def _refs(analysis: Computed, step: Edge) -> list[SettingRef]:
    graph = analysis.graph
    refs = [knob.ref for knob in step.knobs]
    name = graph.nodes[step.source].id
    if ":" not in name and graph.nodes[step.target].id.endswith(":pre"):
        device, port, *_ = NodeId.of(name)
        refs.append(SettingRef(device, port, "pad"))
    return refs


def turned_together(
    analysis: Computed, twins: dict[SettingRef, tuple[SettingRef, ...]], edit: SetValue, now: float | None
) -> tuple[SetValue, ...]:
    """An edit of a knob with those of its twins: a switch the same, a gain by as much, held to the twin's range.

    Args:
        now: where the knob stands; None for a switch.
    """
    out = [edit]
    for ref in twins.get(edit.ref, ()):
        knob = knob_at(analysis.graph, ref)
        if now is None or knob is None or not isinstance(edit.value, float):
            out.append(SetValue(ref, edit.value))
        else:
            value = min(max(knob.value + edit.value - now, knob.lowest), knob.highest)
            out.append(SetValue(ref, round(value, 3)))
    return tuple(out)
