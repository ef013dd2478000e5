"""Who can be told something at all: people as a graph of who reaches whom, and what would take it down."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.signal import UNINTENDED
from kymaphon.core.model.show import Party
from kymaphon.core.talk.circuits import TalkModel
from kymaphon.core.talk.hearing import Hearing, TalkHearing, hearing_of
from kymaphon.core.talk.intelligible import limit


@dataclass(frozen=True, slots=True)
class Reached:
    """One person of an emergency.

    Attributes:
        by: who reaches them, passing a message on at most so often as `relay_hops`; the direct ones first.
        reaches: whom they reach like that.
    """

    party: str
    by: tuple[str, ...]
    reaches: tuple[str, ...]


def straight(hearing: TalkHearing) -> dict[str, dict[str, str]]:
    """Speaker -> listener -> the circuit by which one gets to the other so that they can act on it."""
    out: dict[str, dict[str, str]] = {}
    for (circuit, speaker, listener), row in hearing.rows.items():
        if row.usable:
            out.setdefault(speaker, {}).setdefault(listener, circuit)
    return out


def people(analysis: Computed) -> tuple[Party, ...]:
    """Everybody who can be told something: the crew, and who is on any circuit."""
    on_it = {row.party for circuit in analysis.show.circuits for row in circuit.members}
    return tuple(row for row in analysis.show.parties if row.kind == "crew" or row.id in on_it)


def in_an_emergency(analysis: Computed) -> tuple[Reached, ...]:
    """Who gets through to whom, with a message passed on and with those tapped on the shoulder who stand beside each other."""
    hearing = analysis.once(hearing_of)
    everybody = people(analysis)
    direct = {name: set(rows) for name, rows in straight(hearing).items()}
    for a in everybody:
        for b in everybody:
            if a.id != b.id and beside(a, b):
                direct.setdefault(a.id, set()).add(b.id)
    hops = int(limit("relay_hops"))
    reaches = {row.id: tuple(_within(direct, row.id, hops)) for row in everybody}
    return tuple(
        Reached(row.id, tuple(name for name, whom in reaches.items() if row.id in whom), reaches[row.id])
        for row in everybody
    )


def _within(direct: dict[str, set[str]], start: str, hops: int) -> Iterator[str]:
    far = {start: 0}
    work = deque([start])
    while work:
        who = work.popleft()
        if far[who] == hops:
            continue
        for other in sorted(direct.get(who, ())):
            if other not in far:
                far[other] = far[who] + 1
                work.append(other)
                yield other


def beside(a: Party, b: Party) -> bool:
    """Whether two stand so near each other that the one can tap the other on the shoulder."""
    if a.place is None or a.place != b.place or a.at_m is None or b.at_m is None:
        return False
    return math.dist(a.at_m, b.at_m) <= limit("beside_m")


@dataclass(frozen=True, slots=True)
class Lifeline:
    """A device that carries talkback, and what goes when it does.

    Attributes:
        circuits: those of which no way is left without it.
        of: so many circuits are carried by the rig at all.
    """

    device: str
    circuits: tuple[str, ...]
    of: int


def lifelines(analysis: Computed) -> tuple[Lifeline, ...]:
    """Devices without which circuits are gone altogether, those that take most first: no way by wire is left on them.

    A circuit that some of its people hold by telephone is never gone.
    """
    hearing = analysis.once(hearing_of)
    model, graph = hearing.model, analysis.graph
    outside = {row.way.circuit for row in hearing.rows.values() if row.way.state == "outside"}
    carried: dict[str, list[Hearing]] = {}
    for row in hearing.rows.values():
        if row.usable and not row.by_air and row.way.circuit not in outside:
            carried.setdefault(row.way.circuit, []).append(row)
    # What somebody wears, or has in front of their mouth, is theirs alone.
    worn = {row.hears_device for row in analysis.show.parties}
    ids = {row.id for row in analysis.show.devices if row.party is None and row.id not in worn}
    lost: dict[str, list[str]] = {}
    for circuit, rows in carried.items():
        # Only what the first of its ways runs through can be on all of them.
        steps, _ = model.steps(rows[0].way)
        owners = [graph.nodes[graph.edges[i].target].owner for i in steps]
        for device in dict.fromkeys(name for name in owners if name in ids):
            if not _survives(model, circuit, rows, device):
                lost.setdefault(device, []).append(circuit)
    out = [Lifeline(name, tuple(gone), len(carried.keys() | outside)) for name, gone in lost.items()]
    kinds = {row.id: analysis.catalogue[row.kind] for row in analysis.show.devices}
    return tuple(sorted(out, key=lambda row: (-len(row.circuits), -len(kinds[row.device].paths), row.device)))


def _survives(model: TalkModel, circuit: str, rows: list[Hearing], device: str) -> bool:
    """Whether by wire anybody of a circuit still gets to anybody else without a device, all its keys down."""
    graph = model.analysis.graph
    states = [state for (name, _), state in model.states.items() if name == circuit]
    opened: dict[int, list[int]] = {}
    for state in states:
        for change in state.opened:
            opened.setdefault(graph.edges[change.edge].source, []).append(graph.edges[change.edge].target)
    ears = {row.way.node: row.way.listener for row in rows}
    for speaker in dict.fromkeys(row.way.speaker for row in rows):
        seen = {graph.mouths[speaker][0]}
        work = list(seen)
        while work:
            node = work.pop()
            if ears.get(node, speaker) != speaker:
                return True
            live = [after for i, after, _ in graph.steps_out[node] if graph.edges[i].kind not in UNINTENDED]
            for after in (*live, *opened.get(node, ())):
                if after not in seen and graph.nodes[after].owner != device:
                    seen.add(after)
                    work.append(after)
    return False
