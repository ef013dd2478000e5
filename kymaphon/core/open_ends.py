"""Outputs that nothing is plugged into: what comes out of them, and the best free input for each."""

from __future__ import annotations

from collections.abc import Collection

from kymaphon.core.analysis import Analysis
from kymaphon.core.edits import Edit, SetValue
from kymaphon.core.ends import End, end_of
from kymaphon.core.fit import Fit, partners
from kymaphon.core.graph import SettingRef
from kymaphon.core.plugging import plug
from kymaphon.core.show import Show


def level_at(analysis: Analysis, end: End) -> float | None:
    """What comes out of an analogue output on average, dBu; None where nothing does."""
    if end.port.domain != "analog":
        return None
    nodes = [f"{end.device.id}.{end.port.id}{side}" for side in ("", ".l", ".r")]
    levels = [analysis.flow.level(node) for node in nodes if node in analysis.graph.index]
    return max((level for level in levels if level is not None), default=None)


def levels_out(analysis: Analysis) -> dict[str, float]:
    """Reference of each plugged analogue output -> average there, dBu, where something comes out."""
    out = {}
    for cable in analysis.show.cables:
        end = end_of(analysis.show, analysis.catalogue, cable.source)
        level = level_at(analysis, end)
        if level is not None:
            out[end.ref] = level
    return out


def best_input(
    analysis: Analysis,
    end: End,
    levels: dict[str, float],
    *,
    show: Show | None = None,
    among: Collection[str] | None = None,
) -> Fit | None:
    """The best free input for an output: with the others of its device first, then one made for its
    level, and only one that leads to some ear, recorder or line.

    Args:
        levels: what comes out of the outputs, as `levels_out` tells it.
        show: with these cables plugged, where they are other than in the analysis.
        among: ids of the devices that come into question; None takes all.
    """
    now = show or analysis.show
    ears = [node for nodes in analysis.graph.ears.values() for node in nodes]
    leading = analysis.leading_to(ears)
    mates = {
        cable.target.partition(".")[0]
        for cable in now.cables
        if cable.source.partition(".")[0] == end.device.id
    }
    rows: list[tuple[bool, bool, int, Fit]] = []
    for i, fit in enumerate(partners(now, analysis.catalogue, end, output=True, levels=levels)):
        target = fit.target
        if not fit.works or target.side or (among is not None and target.device.id not in among):
            continue
        if _elsewhere(end, target):
            continue
        nodes = [analysis.graph.index[name] for side in ("", ".l", ".r") if (name := f"{target.ref}{side}") in analysis.graph.index]  # fmt: skip
        if not ears or leading & set(nodes):
            rows.append((target.device.id not in mates, end.level != target.port.level, i, fit))
    return min(rows, key=lambda row: row[:3])[3] if rows else None


def _elsewhere(end: End, target: End) -> bool:
    """Whether one of two ends is inside a computer, and the other is not at that computer."""
    return "inside" in (end.port.connector, target.port.connector) and end.device.host != target.device.host


def plug_edits(show: Show, analysis: Analysis, fit: Fit) -> tuple[Edit, ...]:
    """The cable of a fit, with phantom power where what is plugged needs it."""
    target = fit.target
    edits: list[Edit] = [plug(show, analysis.catalogue, fit.source.ref, target.ref)]
    strip = target.port.strip
    if fit.source.port.phantom_ma is not None and strip is not None and strip.phantom:
        edits.append(SetValue(SettingRef(target.device.id, target.port.id, "phantom"), True))
    return tuple(edits)
