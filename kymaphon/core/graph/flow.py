"""What flows through the rig: the level at every point, and why there is none where there is none."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.graph.signal import Edge, SignalGraph
from kymaphon.core.graph.transfer import Transfer

NOTHING = -300.0
"""The level of a point that no voice reaches, in the unit of the point."""


@dataclass(frozen=True)
class Flow:
    """Levels at every node of a graph, in the node's unit.

    Attributes:
        speech_db: of the loudest voice there; shape (N,).
        peak_db: of the loudest voice's sample peaks; shape (N,).
        voice: number of that voice in `voices`, -1 for none; shape (N,).
        voices: ids of the parties that are heard.
        power: power gain from each voice to each node; shape (N, V).
    """

    graph: SignalGraph
    voices: tuple[str, ...]
    speech_db: NDArray[np.float64]
    peak_db: NDArray[np.float64]
    voice: NDArray[np.intp]
    power: NDArray[np.float64]

    def level(self, node_id: str) -> float | None:
        """The loudest voice's level at a node; None where nothing comes. Raises KeyError for an unknown node."""
        value = float(self.speech_db[self.graph.index[node_id]])
        return value if value > NOTHING else None

    def silence(self, node_id: str) -> str:
        """Why nothing comes to a node, in words; empty when something does.

        Goes back against the signal through what is shut, to the first place where something still is.
        """
        start = self.graph.index[node_id]
        if self.speech_db[start] > NOTHING:
            return ""
        seen, work, broken = {start}, [start], ""
        plugged = False
        while work:
            node = work.pop(0)
            for edge in self._into.get(node, ()):
                plugged = True
                if not edge.on:
                    reason = why_shut(edge)
                    if self.speech_db[edge.source] > NOTHING:
                        return reason
                    broken = broken or reason
                if edge.source not in seen:
                    seen.add(edge.source)
                    work.append(edge.source)
        if broken:
            return broken
        return "nothing is plugged in before it" if not plugged else "nobody speaks or plays into it"

    @cached_property
    def _into(self) -> dict[int, list[Edge]]:
        """Node -> edges that reach it, open or shut."""
        out: dict[int, list[Edge]] = {}
        for edge in self.graph.edges:
            out.setdefault(edge.target, []).append(edge)
        return out


def why_shut(edge: Edge) -> str:
    """Why no signal passes an edge: what is broken, else the switch that is open."""
    if edge.broken:
        return edge.broken
    switch = next((row for row in edge.switches if not row.passes), None)
    if switch is None:
        return ""
    return f"{switch.label} is {'on' if switch.ref.field == 'mute' else 'off'}"


def flow_of(graph: SignalGraph, transfer: Transfer, crests: Mapping[str, float]) -> Flow:
    """Levels of the loudest voice at every node; loops that howl count as no level.

    Args:
        crests: from average to highest sample of each voice, in dB.
    """
    voices = tuple(graph.mouths)
    n = len(graph.nodes)
    if not voices:
        nothing = np.full(n, NOTHING)
        return Flow(graph, (), nothing, nothing, np.full(n, -1, dtype=np.intp), np.zeros((n, 0)))
    mouths = [graph.mouths[voice] for voice in voices]
    power = transfer.voice_power
    levels = np.array([level.value for _, level in mouths])
    with np.errstate(divide="ignore"):
        speech = np.where((power > 0) & np.isfinite(power), 10 * np.log10(np.maximum(power, 1e-30)), NOTHING)
    speech = np.where(speech > NOTHING, speech + levels, NOTHING)
    peaks = np.where(speech > NOTHING, speech + np.array([crests[voice] for voice in voices]), NOTHING)
    best = speech.argmax(axis=1)
    top = speech.max(axis=1)
    number_of = np.where(top > NOTHING, best, -1)
    return Flow(graph, voices, top, peaks.max(axis=1), number_of, power)
