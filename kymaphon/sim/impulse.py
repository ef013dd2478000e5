"""An impulse sent through a rig, arrival by arrival: every way and every round of every loop, until too weak to matter.

It follows events in time and knows nothing of matrices or of lists of paths, so that both can be held against it.
"""

from __future__ import annotations

import heapq
import math

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.graph.signal import SignalGraph

MOST_EVENTS = 2_000_000


def impulse_arrivals(
    graph: SignalGraph, source: int, target: int, *, until_ms: float, below_db: float = -90.0
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """When and how strong an impulse of 1 at one node arrives at another.

    Args:
        source, target: node positions.
        until_ms: arrivals later than this are left out.
        below_db: an impulse weaker than this against what left the source is not followed further.

    Returns:
        Times in ms, rising, and amplitudes in the unit of the target over that of the source; both of shape (arrivals,).

    Raises:
        ValueError: there is a loop without delay, or there are more events than can be followed.
    """
    gains = 10 ** (graph.gain_db / 20)
    delays = graph.delay_ms
    out: list[list[tuple[int, float, float]]] = [[] for _ in graph.nodes]
    for k in range(len(graph.live)):
        out[int(graph.source[k])].append((int(graph.target[k]), float(gains[k]), float(delays[k])))
    # Units differ along a way, so what is too weak is told by what can still come of it at the target.
    onward = _strongest_onward(out, target)
    floor = 10 ** (below_db / 20)
    events = [(0.0, source, 1.0)]
    times: list[float] = []
    amplitudes: list[float] = []
    for _ in range(MOST_EVENTS):
        if not events:
            order = np.argsort(times, kind="stable")
            return np.array(times)[order], np.array(amplitudes)[order]
        at, node, amplitude = heapq.heappop(events)
        if node == target:
            times.append(at)
            amplitudes.append(amplitude)
        for after, gain, delay in out[node]:
            if (
                onward[after] > 0
                and at + delay <= until_ms
                and amplitude * gain * onward[after] >= floor * onward[source]
            ):
                heapq.heappush(events, (at + delay, after, amplitude * gain))
    raise ValueError("more arrivals than can be followed: a loop without delay, or one that howls")


def _strongest_onward(out: list[list[tuple[int, float, float]]], target: int) -> list[float]:
    """For each node the strongest gain of any way on to the target, a way as long as there are nodes at most (Bellman 1958)."""
    best = [0.0] * len(out)
    best[target] = 1.0
    for _ in range(len(out)):
        changed = False
        for node, row in enumerate(out):
            for after, gain, _ in row:
                value = gain * best[after]
                if value > best[node] * (1 + 1e-12) and math.isfinite(value):
                    best[node] = value
                    changed = True
        if not changed:
            break
    return best
