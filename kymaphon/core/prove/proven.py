"""What was proven: which wanted pair was seen to come, which forbidden one was seen not to; and whether that still holds.

A proof is of the steps between a source and a pair of ears as they were when it was tapped. It goes stale when one of those steps, or
a switch beside them, changes; what lies elsewhere may change as it likes.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.signal import STRAY
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.show import ProvenPair
from kymaphon.core.prove.diagnosis import SILENT, Observations
from kymaphon.core.prove.model import NEVER, SHOWN_DB, TapModel
from kymaphon.core.prove.points import Tap, taps_of

COMES = ("hear", "local")
WEAKER_DB = 30.0
"""A way so much weaker than the strongest is no part of a proof."""


@dataclass(frozen=True, slots=True)
class PairProof:
    """A wanted or forbidden pair, and how far it is proven.

    Attributes:
        comes: it has to come; else it must not.
        proven: what stands in the log about it, the newest; None for nothing.
        stale: something on its way has changed since.
    """

    listener: str
    voice: str
    comes: bool
    proven: ProvenPair | None
    stale: bool

    @property
    def holds(self) -> bool:
        """Proven, and nothing has changed since."""
        return self.proven is not None and not self.stale


def wanted_pairs(analysis: Computed) -> list[tuple[str, str, bool]]:
    """(listener, voice, whether it has to come) of every pair that somebody asked for or forbade and that can be tapped."""
    tapped = {tap.id for tap in taps_of(analysis)}
    return [
        (feed.listener, feed.voice, feed.want in COMES)
        for feed in analysis.feeds.values()
        if feed.want in (*COMES, "never") and feed.voice in tapped
    ]


def proofs(analysis: Computed) -> tuple[PairProof, ...]:
    """How far each pair is proven, in the order of the feeds."""
    newest = {(row.listener, row.voice): row for entry in analysis.show.log for row in entry.proven}
    taps = {tap.id: tap for tap in taps_of(analysis)}
    out = []
    for listener, voice, comes in wanted_pairs(analysis):
        known = newest.get((listener, voice))
        stale = known is not None and (known.comes != comes or known.way != way_digest(analysis, taps[voice], listener))
        out.append(PairProof(listener, voice, comes, known, stale))
    return tuple(out)


def newly_proven(analysis: Computed, model: TapModel, seen: Observations) -> tuple[ProvenPair, ...]:
    """Pairs of which a tap has shown what was wanted at the listener's own ears."""
    ears = {meter.ear: n for n, meter in enumerate(model.meters) if meter.ear}
    taps = {tap.id: k for k, tap in enumerate(model.taps)}
    out = []
    for listener, voice, comes in wanted_pairs(analysis):
        if listener not in ears or voice not in taps:
            continue
        what = seen.get((taps[voice], ears[listener]))
        if what is not None and (what != SILENT) == comes:
            tap = model.taps[taps[voice]]
            out.append(ProvenPair(listener=listener, voice=voice, comes=comes, way=way_digest(analysis, tap, listener)))
    return tuple(out)


def way_digest(analysis: Computed, tap: Tap, listener: str) -> str:
    """What a proof is of: the steps that a source takes to a listener as they stand, and the switches that would open another way to
    them, in sixteen letters. Ways so weak that no meter shows them do not count.
    """
    graph = analysis.graph
    transfer = analysis.transfer
    onward = np.array(transfer.once(_gains_from)(tap.node))
    ears = graph.ears[listener]
    back = np.max([transfer.best_gain_to(node) for node in ears], axis=0)
    level = NEVER.get(graph.nodes[ears[0]].unit, 0.0) + SHOWN_DB - tap.level_db
    least = max(level, float(back[tap.node]) - WEAKER_DB)
    source, target, gain = transfer.once(_whole)
    counted = np.flatnonzero(onward[source] + gain + back[target] >= least)
    rows = []
    for edge in (graph.edges[i] for i in counted):
        ends = graph.nodes[edge.source].id, graph.nodes[edge.target].id
        rows.append(f"{ends[0]}>{ends[1]} {f'{edge.gain_db:.1f} {edge.delay_ms:.1f}' if edge.on else 'off'}")
    return hashlib.sha256("\n".join(sorted(rows)).encode()).hexdigest()[:16]


def _whole(transfer: Transfer) -> tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.float64]]:
    """Source, target and gain of every step of the rig, open switches too; -inf for what is broken or goes astray. Shape (edges,)."""
    edges = transfer.graph.edges
    ends = np.array([(row.source, row.target) for row in edges], dtype=np.intp).reshape(-1, 2)
    gain = [-math.inf if row.broken or row.kind in STRAY else row.gain_db for row in edges]
    return ends[:, 0], ends[:, 1], np.array(gain, dtype=np.float64)


def _gains_from(transfer: Transfer) -> Callable[[int], list[float]]:
    """Strongest gain in dB from a node to every other, kept; -inf where no way leads. Bellman 1958, a step at a time."""
    graph = transfer.graph
    known: dict[int, list[float]] = {}

    def gains(start: int) -> list[float]:
        if start not in known:
            best = [-math.inf] * len(graph.nodes)
            best[start] = 0.0
            work = [start]
            for _ in range(len(graph.nodes)):
                reached = set()
                for node in work:
                    for _, after, gain in graph.steps_out[node]:
                        if best[node] + gain > best[after] + 1e-9:
                            best[after] = best[node] + gain
                            reached.add(after)
                work = list(reached)
                if not work:
                    break
            known[start] = best
        return known[start]

    return gains
