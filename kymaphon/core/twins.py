"""Knobs that belong together because they stand in the two sides of one stereo way: turned alone, one would tilt it."""

from __future__ import annotations

from kymaphon.core.analysis import Analysis
from kymaphon.core.edits import SetValue
from kymaphon.core.graph import Edge, Knob, SettingRef, SignalGraph
from kymaphon.core.levels import Ladder
from kymaphon.core.paths import strongest_path


def knob_at(graph: SignalGraph, ref: SettingRef) -> Knob | None:
    """The knob of a setting; None when no edge has it."""
    return next((knob for edge in graph.edges for knob in edge.knobs if knob.ref == ref), None)


def twins_along(analysis: Analysis, ladder: Ladder) -> dict[SettingRef, tuple[SettingRef, ...]]:
    """Setting -> those of the other side, for a stereo listener whose two ways are alike step by step.

    Pads count as settings of the step from a socket to the point after its gain.
    """
    ears = analysis.graph.ears.get(ladder.target, ())
    if len(ears) != 2:
        return {}
    end = ladder.path.nodes[-1]
    other = next((ear for ear in ears if ear != end), None)
    if other is None:
        return {}
    way = strongest_path(analysis.transfer, ladder.path.nodes[0], other)
    mine = tuple(ladder.path.steps())
    theirs = tuple(way.steps()) if way is not None else ()
    if len(mine) != len(theirs):
        return {}
    out: dict[SettingRef, tuple[SettingRef, ...]] = {}
    for here, there in zip(mine, theirs, strict=True):
        for ref, twin in zip(_refs(analysis, here), _refs(analysis, there), strict=False):
            if ref != twin and (ref.device, ref.field) == (twin.device, twin.field):
                out[ref] = (twin,)
    return out


def _refs(analysis: Analysis, step: Edge) -> list[SettingRef]:
    graph = analysis.graph
    refs = [knob.ref for knob in step.knobs]
    name = graph.nodes[step.source].id
    if ":" not in name and graph.nodes[step.target].id.endswith(":pre"):
        device, port = name.split(".")[:2]
        refs.append(SettingRef(device, port, "pad"))
    return refs


def turned_together(
    analysis: Analysis, twins: dict[SettingRef, tuple[SettingRef, ...]], edit: SetValue, now: float | None
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
