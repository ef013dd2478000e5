"""Who hears whom on the circuits: with somebody's key down, what comes to each pair of ears, how late, and by which steps.

With A the powers of the steps at rest, a mouth of unit power at m gives (I - A)^-1 e_m. A key changes a few entries of A, so the levels
with it down come from those at rest by a small solve (Sherman, Morrison & Woodbury; Golub & Van Loan, Matrix Computations, section
2.1.4): no rig is solved anew for a key.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.graph.paths import SignalPath, strongest_path
from kymaphon.core.graph.routing import (
    IN_STEP_BELOW_DB,
    SEVERAL_DB,
    SILENT_GAIN_DB,
    arrivals_of,
    total_gain_db,
)
from kymaphon.core.graph.signal import STRAY, UNINTENDED, EdgeKind
from kymaphon.core.graph.stability import Stability
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Party
from kymaphon.core.model.talk import Circuit, CircuitMember
from kymaphon.core.talk.keys import Pressed, Refs, key_ref, pressed, with_keys

Floats = NDArray[np.float64]
OUTSIDE = ("call", "telephone")
"""Means that need nothing of the rig: a call by mobile telephone is up to who makes it."""


@dataclass(frozen=True, slots=True)
class TalkWay:
    """One way on a circuit: who speaks to whom.

    Attributes:
        state: "heard"; "none" where no signal comes; "outside" where it goes by a telephone that is no part of the rig; "howls" where
            the key closes a loop that builds up.
        node: where the listener gets it, as a position in the graph; None where nothing comes.
        level_db: level there, in its unit, over all ways.
        gain_db: that level against the listener's mark.
    """

    circuit: str
    speaker: str
    listener: str
    state: str
    node: int | None = None
    unit: str = ""
    level_db: float | None = None
    gain_db: float | None = None

    @property
    def heard(self) -> bool:
        return self.state in ("heard", "outside")


@dataclass(frozen=True)
class KeyState:
    """The rig while somebody talks on a circuit: their key down, and the listen keys of all who hear it.

    Attributes:
        down: the keys that are down.
        changes: what they change.
    """

    circuit: str
    speaker: str
    down: Refs
    changes: tuple[Pressed, ...]

    @property
    def opened(self) -> tuple[Pressed, ...]:
        """Steps that pass something only with the keys down."""
        return tuple(row for row in self.changes if row.before_db == -math.inf)


@dataclass(frozen=True)
class TalkModel:
    """The circuits of a show, computed. Made by `talk_of`.

    Attributes:
        circuits: those of the show.
        states: for each circuit and each who may speak on it.
    """

    analysis: Computed
    circuits: tuple[Circuit, ...]
    states: dict[tuple[str, str], KeyState]

    def circuit(self, circuit_id: str) -> Circuit:
        """Raises KeyError when there is none."""
        for row in self.circuits:
            if row.id == circuit_id:
                return row
        raise KeyError(circuit_id)

    @cached_property
    def ways(self) -> tuple[TalkWay, ...]:
        """Every way of every circuit, in the order of the show: each who speaks to each who hears."""
        return tuple(row for row in self._all_ways if row.listener != row.speaker)

    @cached_property
    def returns(self) -> tuple[TalkWay, ...]:
        """What comes back of each speaker to their own ears on each circuit that they hear."""
        return tuple(row for row in self._all_ways if row.listener == row.speaker)

    @cached_property
    def _all_ways(self) -> list[TalkWay]:
        out: list[TalkWay] = []
        for circuit in self.circuits:
            rows = [row.party for row in circuit.members if row.hears and row.party in self._parties]
            for speaker in circuit.members:
                if speaker.speaks and speaker.party in self._parties:
                    out += self.ways_from(circuit, speaker.party, rows)
        return out

    def way(self, circuit: Circuit, speaker: str, listener: str) -> TalkWay:
        """What comes of a speaker on a circuit to a listener, who need not be on it; oneself too."""
        return self.ways_from(circuit, speaker, [listener])[0]

    def ways_from(self, circuit: Circuit, speaker: str, listeners: Sequence[str]) -> list[TalkWay]:
        """The same for several listeners at once."""
        mouth = self.analysis.graph.mouths.get(speaker)
        state = self.states.get((circuit.id, speaker))
        ends = [self.nodes_of(name, circuit.member(name)) for name in listeners]
        reach = self.reach(state) if state is not None else frozenset()
        live = [tuple(node for node in nodes if node in reach) for nodes in ends]
        asked = list(dict.fromkeys(node for nodes in live for node in nodes))
        powers = None
        if mouth is not None and state is not None and asked:
            powers = self.powers(state, (mouth[0],), asked)
        at = {node: n for n, node in enumerate(asked)}
        out = []
        for listener, nodes in zip(listeners, live, strict=True):
            if self._outside(circuit, speaker, listener):
                out.append(TalkWay(circuit.id, speaker, listener, "outside"))
            elif mouth is None or not nodes:
                out.append(TalkWay(circuit.id, speaker, listener, "none"))
            elif powers is None:
                out.append(TalkWay(circuit.id, speaker, listener, "howls", nodes[0]))
            else:
                rows = [float(powers[at[node], 0]) for node in nodes]
                best = max(range(len(rows)), key=rows.__getitem__)
                assert state is not None
                gain = self._total_db(state, mouth[0], nodes[best], rows[best])
                out.append(self._way(circuit, speaker, listener, nodes[best], mouth[1].value + gain))
        return out

    def _total_db(self, state: KeyState, mouth: int, node: int, power: float) -> float:
        """Gain over all ways while somebody talks, those of one length added in step, as `routing` does for a pair of the rig at rest."""
        if power <= 0:
            return -math.inf
        gain = 10 * math.log10(power)
        steps, _ = self.strongest(state, mouth, node)
        alone = sum(self._gain_db(state, i) for i in steps)
        if not steps or gain - alone <= SEVERAL_DB or alone < SILENT_GAIN_DB:
            return gain
        arrivals = arrivals_of(self.transfer(state), mouth, node, below_db=IN_STEP_BELOW_DB)
        return total_gain_db(power, arrivals)

    def _gain_db(self, state: KeyState, position: int) -> float:
        """Gain of one step while somebody talks."""
        known = self._changed.get((state.circuit, state.speaker))
        if known is None:
            known = self._changed[state.circuit, state.speaker] = {row.edge: row.gain_db for row in state.changes}
        return known.get(position, self.analysis.graph.edges[position].gain_db)

    @cached_property
    def _changed(self) -> dict[tuple[str, str], dict[int, float]]:
        return {}

    def _way(self, circuit: Circuit, speaker: str, listener: str, node: int, level: float) -> TalkWay:
        unit = self.analysis.graph.nodes[node].unit
        gain = level - self.mark(listener, unit)
        if gain < SILENT_GAIN_DB:
            return TalkWay(circuit.id, speaker, listener, "none")
        return TalkWay(circuit.id, speaker, listener, "heard", node, unit, level, gain)

    def mark(self, listener: str, unit: str) -> float:
        """The level at which a voice is on the mark in somebody's ears."""
        known = self._marks.get((listener, unit))
        if known is None:
            known = self._marks[listener, unit] = self.analysis.mark_for(listener, unit).value
        return known

    @cached_property
    def _marks(self) -> dict[tuple[str, str], float]:
        return {}

    def steps(self, way: TalkWay) -> tuple[tuple[int, ...], float]:
        """The strongest way of one that is heard: its steps, as positions in the graph, and its delay in ms; none where nothing comes."""
        state = self.states.get((way.circuit, way.speaker))
        if way.node is None or state is None or way.state != "heard":
            return (), 0.0
        key = (way.circuit, way.speaker, way.node)
        if key not in self._steps:
            self._steps[key] = self.strongest(state, self.analysis.graph.mouths[way.speaker][0], way.node)
        return self._steps[key]

    @cached_property
    def _steps(self) -> dict[tuple[str, str, int], tuple[tuple[int, ...], float]]:
        return {}

    def _outside(self, circuit: Circuit, speaker: str, listener: str) -> bool:
        rows = [circuit.member(name) for name in (speaker, listener)]
        return all(row is not None and row.by in OUTSIDE for row in rows)

    @cached_property
    def _parties(self) -> dict[str, Party]:
        return {row.id: row for row in self.analysis.show.parties}

    def nodes_of(self, party: str, member: CircuitMember | None = None) -> tuple[int, ...]:
        """Where somebody hears: what they hear a circuit on, where they say it, else their ears."""
        graph = self.analysis.graph
        if member is not None and member.hears_on:
            device, port, side = PortId.of(member.hears_on)
            found = self.analysis.show.find_device(device)
            ports = self.analysis.catalogue[found.kind].outputs if found is not None else ()
            names = [row.id for row in ports if row.id == port or (not port and row.ear)]
            for name in names[:1]:
                ends = [f"{device}.{name}.{side}"] if side else [f"{device}.{name}{end}" for end in ("", ".l", ".r")]
                nodes = tuple(graph.index[end] for end in ends if end in graph.index)
                if nodes:
                    return nodes
            return ()
        return graph.ears.get(party, ())

    # what the keys change

    @cached_property
    def _columns(self) -> dict[int, int]:
        """Node -> its column in `_power`: mouths first, then where each changed step leads."""
        graph = self.analysis.graph
        nodes = [node for node, _ in graph.mouths.values()]
        nodes += [graph.edges[row.edge].target for state in self.states.values() for row in state.changes]
        return {node: n for n, node in enumerate(dict.fromkeys(nodes))}

    @cached_property
    def _power(self) -> Floats:
        """Power at every node of every column's node, the keys at rest; shape (nodes, columns)."""
        transfer = self.analysis.transfer
        mouths = len(dict.fromkeys(node for node, _ in self.analysis.graph.mouths.values()))
        rest = list(self._columns)[mouths:]
        if len(transfer.voice_power[0]) != mouths:
            return transfer.power_from(list(self._columns))
        return np.concatenate([transfer.voice_power, transfer.power_from(rest)], axis=1)

    def powers(self, state: KeyState, mouths: Sequence[int], nodes: Sequence[int]) -> Floats | None:
        """Power of some mouths at some nodes while somebody talks, over all ways; shape (nodes, mouths). None where it howls."""
        columns = [self._columns[node] for node in mouths]
        power = self._power[np.ix_(list(nodes), columns)]
        if not state.changes:
            return power
        if self.howls(state):
            return None
        if self.analysis.transfer.howls:
            # What a key opens may be just what howls at rest: that is no change of a finite sum.
            return self.transfer(state).power_from(list(mouths))[list(nodes)]
        back, by, sources, targets = self._small(state)
        into = by[:, None] * self._power[np.ix_(sources, columns)]
        answer: Floats = np.maximum(power + self._power[np.ix_(list(nodes), targets)] @ (back @ into), 0.0)
        return answer

    def stability(self, state: KeyState) -> Stability:
        """How near the rig is to howling while somebody talks: the same question as of the rig with that key left down."""
        known = self._stabilities.get(state.down)
        if known is None:
            at_rest = self.analysis.transfer
            asked = self.transfer(state) if self.closes(state) else at_rest
            known = self._stabilities[state.down] = asked.stability
        return known

    @cached_property
    def _stabilities(self) -> dict[Refs, Stability]:
        return {}

    def howls(self, state: KeyState) -> bool:
        """Whether the keys close a loop that builds up, or comes so near to it that no gain is known so well."""
        return self.closes(state) and self.stability(state).howls

    def closes(self, state: KeyState) -> bool:
        """Whether anything goes round through what the keys change."""
        graph = self.analysis.graph
        edges = [graph.edges[row.edge] for row in state.changes]
        onward = self._power[np.ix_([row.source for row in edges], [self._columns[row.target] for row in edges])] > 0
        for k in range(len(edges)):
            onward |= np.outer(onward[:, k], onward[k])
        return bool(onward.diagonal().any())

    def _small(self, state: KeyState) -> tuple[Floats, NDArray[np.float64], list[int], list[int]]:
        """Of what the keys change: the inverse of one less what comes round, by how much each step changes, where from, where to."""
        key = (state.circuit, state.speaker)
        known = self._smalls.get(key)
        if known is None:
            edges = [self.analysis.graph.edges[row.edge] for row in state.changes]
            by = np.array([_power(row.gain_db) - _power(row.before_db) for row in state.changes])
            sources = [edge.source for edge in edges]
            targets = [self._columns[edge.target] for edge in edges]
            small = np.eye(len(by)) - by[:, None] * self._power[np.ix_(sources, targets)]
            # Below howling by amplitudes the sum of powers is finite: no square is larger than its root there.
            inverse = np.asarray(np.linalg.inv(small), dtype=np.float64)
            known = self._smalls[key] = (inverse, by, sources, targets)
        return known

    @cached_property
    def _smalls(self) -> dict[tuple[str, str], tuple[Floats, NDArray[np.float64], list[int], list[int]]]:
        return {}

    def reach(self, state: KeyState) -> frozenset[int]:
        """Nodes that signal from the speaker's mouth comes to while they talk."""
        return self._reached((state.circuit, state.speaker))

    def _reached(self, key: tuple[str, str]) -> frozenset[int]:
        known = self._reaches.get(key)
        if known is None:
            state = self.states[key]
            known = self._reaches[key] = frozenset(self._walk(state, self.analysis.graph.mouths[state.speaker][0]))
        return known

    @cached_property
    def _reaches(self) -> dict[tuple[str, str], frozenset[int]]:
        return {}

    def _walk(
        self, state: KeyState, start: int, kinds: frozenset[EdgeKind] = frozenset(), *, by_microphone: bool = False
    ) -> set[int]:
        """Nodes reached from a node while somebody talks, by no step of some kinds; `by_microphone`: a voice by its own alone at first."""
        graph = self.analysis.graph
        onward = self._onward(kinds)
        shut = {row.edge for row in state.changes if row.gain_db == -math.inf}
        turned: dict[int, tuple[int, ...]] = {}
        for node in {graph.edges[i].source for i in shut}:
            turned[node] = tuple(
                after for i, after, _ in graph.steps_out[node] if i not in shut and graph.edges[i].kind not in kinds
            )
        for row in state.opened:
            edge = graph.edges[row.edge]
            turned[edge.source] = (*turned.get(edge.source, onward[edge.source]), edge.target)
        seen, work = {start}, [start]
        if by_microphone and graph.nodes[start].unit == "dB SPL":
            work = [after for i, after, _ in graph.steps_out[start] if graph.edges[i].kind is EdgeKind.SPEAKS]
            seen.update(work)
        while work:
            node = work.pop()
            for after in turned.get(node, onward[node]):
                if after not in seen:
                    seen.add(after)
                    work.append(after)
        return seen

    def _onward(self, kinds: frozenset[EdgeKind]) -> tuple[tuple[int, ...], ...]:
        """Node -> nodes that signal goes on to at rest, by no step of some kinds; kept."""
        known = self._onwards.get(kinds)
        if known is None:
            graph = self.analysis.graph
            edges = graph.edges
            known = self._onwards[kinds] = tuple(
                tuple(after for i, after, _ in row if edges[i].kind not in kinds) for row in graph.steps_out
            )
        return known

    @cached_property
    def _onwards(self) -> dict[frozenset[EdgeKind], tuple[tuple[int, ...], ...]]:
        return {}

    def wired(self, state: KeyState) -> frozenset[int]:
        """Nodes that signal gets to by wire alone: into the speaker's own microphones, and through no air after that."""
        key = (state.circuit, state.speaker)
        known = self._wired.get(key)
        if known is None:
            mouth = self.analysis.graph.mouths[state.speaker][0]
            known = self._wired[key] = frozenset(self._walk(state, mouth, UNINTENDED))
        return known

    def intended(self, state: KeyState) -> frozenset[int]:
        """Nodes that a voice gets to by its own microphone and by no other on the way: loudspeakers in a room count, a voice across it
        does not.
        """
        key = (state.circuit, state.speaker)
        known = self._intended.get(key)
        if known is None:
            mouth = self.analysis.graph.mouths[state.speaker][0]
            rows = self._walk(state, mouth, STRAY, by_microphone=True)
            known = self._intended[key] = frozenset(rows)
        return known

    @cached_property
    def _intended(self) -> dict[tuple[str, str], frozenset[int]]:
        return {}

    @cached_property
    def _wired(self) -> dict[tuple[str, str], frozenset[int]]:
        return {}

    # single ways

    def strongest(self, state: KeyState, start: int, end: int) -> tuple[tuple[int, ...], float]:
        """The strongest way between two nodes while somebody talks: its steps and its delay in ms; none and nought where there is none."""
        rows = self._joined(state, start, end)
        if rows is None:
            path = self._searched(state, start, end)
            return (path.edges, path.delay_ms) if path is not None else ((), 0.0)
        return rows, sum(self.analysis.graph.edges[i].delay_ms for i in rows)

    def _joined(self, state: KeyState, start: int, end: int) -> tuple[int, ...] | None:
        """The strongest way put together from stretches at rest and the steps that the keys open. None where that does not hold: a
        stretch runs through a step that the keys shut or dim, or goes somewhere twice.
        """
        graph, transfer = self.analysis.graph, self.analysis.transfer
        opened = state.opened
        onward = transfer.best_gain_to(end)
        to = [transfer.best_gain_to(graph.edges[row.edge].source) for row in opened]
        gains = [before[start] + row.gain_db for before, row in zip(to, opened, strict=True)]
        came: list[int | None] = [None] * len(opened)
        for _ in opened:
            for n, row in enumerate(opened):
                for m, other in enumerate(opened):
                    gain = gains[m] + to[n][graph.edges[other.edge].target] + row.gain_db
                    if n != m and gain > gains[n] + 1e-12:
                        gains[n], came[n] = gain, m
        last: int | None = None
        best = onward[start]
        for n, row in enumerate(opened):
            gain = gains[n] + onward[graph.edges[row.edge].target]
            if gain > best:
                best, last = gain, n
        if best == -math.inf:
            return None
        return self._stretches(state, start, end, opened, came, last)

    def _stretches(
        self,
        state: KeyState,
        start: int,
        end: int,
        opened: tuple[Pressed, ...],
        came: list[int | None],
        last: int | None,
    ) -> tuple[int, ...] | None:
        graph = self.analysis.graph
        order: list[int] = []
        while last is not None:
            if last in order:
                return None
            order.insert(0, last)
            last = came[last]
        steps: list[int] = []
        node = start
        for n in order:
            edge = graph.edges[opened[n].edge]
            steps += [*self._rest_way(node, edge.source), opened[n].edge]
            node = edge.target
        steps += self._rest_way(node, end)
        changed = {row.edge for row in state.changes} - {row.edge for row in opened}
        nodes = [start, *(graph.edges[i].target for i in steps)]
        if changed.intersection(steps) or len(set(nodes)) != len(nodes):
            return None
        return tuple(steps)

    def _rest_way(self, start: int, end: int) -> Iterator[int]:
        hops = self.analysis.transfer.best_edge_to(end)
        node, left = start, len(hops)
        while node != end and left and hops[node] >= 0:
            yield hops[node]
            node, left = self.analysis.graph.edges[hops[node]].target, left - 1

    def _searched(self, state: KeyState, start: int, end: int) -> SignalPath | None:
        return strongest_path(self.transfer(state), start, end)

    def path(self, way: TalkWay) -> SignalPath | None:
        """The strongest way of one that is heard, in the rig with its keys down; None where nothing comes."""
        steps, _ = self.steps(way)
        if not steps:
            return None
        graph = self.transfer(self.states[way.circuit, way.speaker]).graph
        edges = [graph.edges[i] for i in steps]
        return SignalPath(graph, steps, sum(row.gain_db for row in edges), sum(row.delay_ms for row in edges))

    def transfer(self, state: KeyState) -> Transfer:
        """The rig while somebody talks, solved in full: for explaining, and for what is seldom asked."""
        known = self._transfers.get(state.down)
        if known is None:
            known = self._transfers[state.down] = Transfer(with_keys(self.analysis.graph, state.down))
        return known

    @cached_property
    def _transfers(self) -> dict[Refs, Transfer]:
        return {}

    def prepare(self) -> None:
        """Does at once what every way asks for by itself."""
        graph = self.analysis.graph
        ends = {
            node
            for circuit in self.circuits
            for row in circuit.members
            if row.hears
            for node in self.nodes_of(row.party, row)
        }
        ends |= {graph.edges[row.edge].source for state in self.states.values() for row in state.opened}
        self.analysis.transfer.prepare_best(sorted(ends))


def _power(gain_db: float) -> float:
    return 0.0 if gain_db == -math.inf else float(10 ** (gain_db / 10))


def states_of(analysis: Computed, circuits: Iterable[Circuit]) -> dict[tuple[str, str], KeyState]:
    """The state of the keys for each circuit and each who may speak on it and is there."""
    out = {}
    for circuit in circuits:
        listening = {key_ref(analysis, row.listen_key) for row in circuit.members if row.hears}
        for row in circuit.members:
            if row.speaks and row.party in analysis.graph.mouths:
                down = frozenset(ref for ref in (key_ref(analysis, row.key), *listening) if ref is not None)
                out[circuit.id, row.party] = KeyState(circuit.id, row.party, down, pressed(analysis.graph, down))
    return out


@reading("feeds")
def talk_of(analysis: Computed) -> TalkModel:
    """The circuits of a show; ask by `Computed.once`."""
    circuits = analysis.show.circuits
    model = TalkModel(analysis.bare(), circuits, states_of(analysis, circuits))
    model.prepare()
    return model
