"""Outputs that nothing is plugged into, what comes out of them and the best free input for each; listeners who are plugged into nothing."""

from __future__ import annotations

import math
from collections.abc import Collection

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.graph.flow import NOTHING
from kymaphon.core.model.edits import Edit, SetValue
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.model.weights import crest_of
from kymaphon.core.wiring.fit import Comes, Fit, partners
from kymaphon.core.wiring.plugging import plug


def level_at(analysis: Computed, end: End) -> Comes | None:
    """What comes out of an analogue output: the average of the loudest there and its peaks; None where nothing does."""
    if end.port.domain != "analog":
        return None
    flow, index = analysis.flow, analysis.graph.index
    nodes = [index[node] for side in ("", ".l", ".r") if (node := f"{end.device.id}.{end.port.id}{side}") in index]
    best = max(nodes, key=lambda n: flow.speech_db[n], default=None)
    if best is None or flow.speech_db[best] <= NOTHING:
        return None
    crest = crest_of(analysis.show.party(flow.voices[flow.voice[best]]).kind)
    over = float(flow.peak_db[best] - flow.speech_db[best])
    if abs(over - crest.value) > 1e-6:
        crest = Derived("highest peaks there over that", over, "dB", source="computed")
    return Comes(float(flow.speech_db[best]), crest)


def levels_out(analysis: Computed) -> dict[str, Comes]:
    """Reference of each plugged analogue output -> what comes out there, where something does."""
    out = {}
    for cable in analysis.show.cables:
        end = end_of(analysis.show, analysis.catalogue, cable.source)
        level = level_at(analysis, end)
        if level is not None:
            out[end.ref] = level
    return out


def best_input(
    analysis: Computed,
    end: End,
    levels: dict[str, Comes],
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
    mates = {cable.target_device for cable in now.cables if cable.source_device == end.device.id}
    rows: list[tuple[bool, bool, int, Fit]] = []
    for i, fit in enumerate(partners(now, analysis.catalogue, end, output=True, levels=levels)):
        target = fit.target
        if not fit.works or target.side or (among is not None and target.device.id not in among):
            continue
        if _elsewhere(end, target):
            continue
        nodes = [
            analysis.graph.index[name]
            for side in ("", ".l", ".r")
            if (name := f"{target.ref}{side}") in analysis.graph.index
        ]
        if not ears or leading & set(nodes):
            rows.append((target.device.id not in mates, end.level != target.port.level, i, fit))
    return min(rows, key=lambda row: row[:3])[3] if rows else None


def deaf_end(analysis: Computed, listener: str) -> End | None:
    """The first socket of what somebody listens on, where nothing is plugged into any of it; None where something is, or it has none."""
    device_id = analysis.show.party(listener).hears_device
    if not device_id:
        return None
    device = analysis.show.device(device_id)
    kind = analysis.catalogue[device.kind]
    ports = [port for port in kind.inputs if port.domain != "acoustic"]
    plugged = {cable.target_device for cable in analysis.show.cables}
    return End(device, kind, ports[0]) if ports and device_id not in plugged else None


def outputs_with(analysis: Computed, end: End, voices: Collection[str]) -> tuple[Fit, ...]:
    """Outputs that fit an open input and carry something of some voices now: those made for it first, then those with most of them.

    Args:
        voices: ids of parties.
    """
    transfer, graph = analysis.transfer, analysis.graph
    mouths = [graph.mouths[voice][0] for voice in voices if voice in graph.mouths]
    rows: list[tuple[bool, int, int, Fit]] = []
    for i, fit in enumerate(partners(analysis.show, analysis.catalogue, end, output=False)):
        source = fit.source
        if source.kind.is_recorder:
            continue  # what is recorded goes nowhere else: a track is no source for a call
        if not fit.works or source.side or _elsewhere(source, end) or source.port.stereo != end.port.stereo:
            continue
        nodes = [graph.index[name] for side in ("", ".l", ".r") if (name := f"{source.ref}{side}") in graph.index]
        count = sum(any(transfer.best_gain_to(node)[mouth] > -math.inf for node in nodes) for mouth in mouths)
        if count:
            rows.append(((source.level == "headphone") != (end.port.level == "headphone"), -count, i, fit))
    return tuple(fit for *_, fit in sorted(rows, key=lambda row: row[:3]))


def _elsewhere(end: End, target: End) -> bool:
    """Whether one of two ends is inside a computer, and the other is not at that computer."""
    return "inside" in (end.port.connector, target.port.connector) and _computer(end) != _computer(target)


def _computer(end: End) -> str | None:
    """The computer that an end is in: a computer is in itself."""
    return end.device.id if end.kind.is_computer else end.device.host


def plug_edits(show: Show, analysis: Computed, fit: Fit) -> tuple[Edit, ...]:
    """The cable of a fit, with phantom power where what is plugged needs it."""
    target = fit.target
    edits: list[Edit] = [plug(show, analysis.catalogue, fit.source.ref, target.ref)]
    strip = target.port.strip
    if fit.source.port.phantom_ma is not None and strip is not None and strip.phantom:
        edits.append(SetValue(SettingRef(target.device.id, target.port.id, "phantom"), True))
    return tuple(edits)
