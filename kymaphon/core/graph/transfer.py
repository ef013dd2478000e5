"""Totals over all ways at once, from the structure of the graph rather than from counting paths.

Three questions: how much power of a source reaches every node (H solved for |A|^2), what the complex response
is at given
frequencies (H = (I - A)^-1), and whether a set of loops stays below howling (spectral radius of |A|).
"""

from __future__ import annotations

import heapq
import math
from array import array
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.graph.block import AT_ONCE, DENSE, Block, Floats, sparse_factors
from kymaphon.core.graph.components import strong_components
from kymaphon.core.graph.signal import SignalGraph, reachable
from kymaphon.core.graph.stability import NOTHING_ROUND, Stability
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.stopping import check_wanted

Complexes = NDArray[np.complex128]

_Answer = TypeVar("_Answer")
FEW = 8
"""So many steps are quicker taken one by one than as an array."""
TOGETHER = 32
"""So many targets are searched for at once: of a large rig all of them together take hundreds of megabytes."""


@dataclass
class Effort:
    """A bound on work that is no clock: the same show is searched as far on every machine.

    Attributes:
        left: long searches for single ways may still look at so many partial ways, all together.
        short: so many of those searches ended before all was seen.
    """

    left: int = 20_000
    short: int = 0


@dataclass(frozen=True)
class Transfer:
    """Solves for one graph; keeps what several questions share.

    Attributes:
        uncut: the rig that this one was cut from; None for a whole one.
        effort: what is left for long searches for single ways, in this rig and in those cut from it.
    """

    graph: SignalGraph
    uncut: Transfer | None = field(default=None, compare=False)
    effort: Effort = field(default_factory=Effort, compare=False)
    _answers: dict[Callable[[Transfer], Any], Any] = field(default_factory=dict, repr=False, compare=False)

    def once(self, question: Callable[[Transfer], _Answer]) -> _Answer:
        """What a function tells of this rig, asked once."""
        if question not in self._answers:
            self._answers.setdefault(question, question(self))
        answer: _Answer = self._answers[question]
        return answer

    def without(self, refs: frozenset[SettingRef]) -> Transfer:
        """The same rig with the edges behind some switches cut. The order of flow is kept, as taking edges
        away cannot upset it.
        """
        return Transfer(self.graph.without(refs), self, self.effort)

    @cached_property
    def gone(self) -> frozenset[int]:
        """Positions of the edges that were cut from `uncut`; none of a whole rig."""
        return frozenset(self.uncut.graph.live).difference(self.graph.live) if self.uncut else frozenset()

    @cached_property
    def components(self) -> list[list[int]]:
        """`strong_components` of the graph; of one that was cut, of the uncut one."""
        return strong_components(self.graph) if self.uncut is None else self.uncut.components

    @cached_property
    def cyclic_components(self) -> list[list[int]]:
        """The components in which signal can go round."""
        looping = {node for node, row in enumerate(self.graph.steps_out) for _, after, _ in row if after == node}
        return [part for part in self.components if len(part) > 1 or part[0] in looping]

    @cached_property
    def stabilities(self) -> list[Stability]:
        """How far each of `cyclic_components` is from howling: the one place where that is asked."""
        return [Stability(self.block(part)) for part in self.cyclic_components]

    @cached_property
    def stability(self) -> Stability:
        """That of the worst of them."""
        return max(self.stabilities, key=lambda row: (row.returned, row.radius), default=NOTHING_ROUND)

    @property
    def howls(self) -> bool:
        """Whether anything that goes round builds up, or comes so near to it that no gain is known so well."""
        return any(row.howls for row in self.stabilities)

    @cached_property
    def unstable(self) -> frozenset[int]:
        """Nodes of the loops that howl: of levels there no figure can be told."""
        pairs = zip(self.cyclic_components, self.stabilities, strict=True)
        return frozenset(node for part, row in pairs if row.howls for node in part)

    def block(self, part: Sequence[int]) -> Block:
        """|A| inside a component."""
        return self.weighed(part, 10 ** (self.graph.gain_db / 20))

    def weighed(self, part: Sequence[int], weight: Floats) -> Block:
        """Weights of the live edges inside a component, in the order of the graph's live arrays; shape (edges,)."""
        place = np.full(len(self.graph.nodes), -1, dtype=np.intp)
        place[list(part)] = np.arange(len(part))
        source, target = place[self.graph.source], place[self.graph.target]
        inside = (source >= 0) & (target >= 0)
        return Block.of(len(part), target[inside], source[inside], weight[inside])

    def power_from(self, sources: Sequence[int]) -> Floats:
        """Power of each source at every node: sum over all paths, round loops too, of the squared gains.

        Where loops howl there is no finite sum; inside those, only the ways that go round nowhere count.

        Args:
            sources: node positions, length S.

        Returns:
            Power ratios (unit of the node over unit of the source), shape (nodes, S).
        """
        portions = list(self.power_in_portions(sources))
        if len(portions) == 1:
            return portions[0]
        return np.concatenate([np.zeros((len(self.graph.nodes), 0)), *portions], axis=1)

    @cached_property
    def voice_power(self) -> Floats:
        """Power of each voice at every node, in the order of the graph's mouths; shape (nodes, voices)."""
        return self.power_from([node for node, _ in self.graph.mouths.values()])

    def power_in_portions(self, sources: Sequence[int]) -> Iterator[Floats]:
        """The same, `AT_ONCE` sources after `AT_ONCE`: of thousands the whole takes hundreds of megabytes."""
        blocks = self._power_blocks(sources)
        for start in range(0, len(sources), AT_ONCE):
            check_wanted()
            yield self._power(sources[start : start + AT_ONCE], blocks)

    def _power_blocks(self, sources: Sequence[int]) -> dict[int, Block]:
        """First node of each loop's component -> its squared gains; where it howls cut open, seen from where the sources come in."""
        weight = self._squared
        blocks = {part[0]: self.weighed(part, weight) for part in self.cyclic_components}
        if self.unstable and len(sources):
            onward = self.graph.steps_out
            reached = reachable(self.graph, sources)
            for part in self.cyclic_components:
                if part[0] not in self.unstable:
                    continue
                members = set(part)
                entered = {node for node in sources if node in members}
                entered |= {after for node in reached - members for _, after, _ in onward[node] if after in members}
                first = [i for i, node in enumerate(part) if node in entered]
                blocks[part[0]] = blocks[part[0]].opened(first)
        return blocks

    @cached_property
    def _squared(self) -> Floats:
        squared: Floats = 10 ** (self.graph.gain_db / 10)
        return squared

    def _power(self, sources: Sequence[int], blocks: dict[int, Block]) -> Floats:
        graph, weight = self.graph, self._squared
        power = np.zeros((len(graph.nodes), len(sources)))
        for column, node in enumerate(sources):
            power[node, column] = 1.0
        origin = graph.source.tolist()
        for part in self.components:
            if part[0] in blocks:
                power[list(part)] = blocks[part[0]].solved(self._entering(part, power))
                continue
            for k in graph.incoming[part[0]]:
                power[part[0]] += weight[k] * power[origin[k]]
        return power

    def _entering(self, part: Sequence[int], power: Floats) -> Floats:
        """What begins in a component, and what arrives from those before it; shape (nodes of the component, sources)."""
        graph = self.graph
        place = np.full(len(graph.nodes), -1, dtype=np.intp)
        place[list(part)] = np.arange(len(part))
        source, target = place[graph.source], place[graph.target]
        entering = power[list(part)]
        rows = np.flatnonzero((source < 0) & (target >= 0))
        rows = rows[np.argsort(target[rows], kind="stable")]
        if len(rows):
            starts = np.flatnonzero(np.diff(target[rows], prepend=-1))
            arrived = np.add.reduceat(self._squared[rows, None] * power[graph.source[rows]], starts, axis=0)
            entering[target[rows[starts]]] += arrived
        return entering

    @cached_property
    def _complex_order(self) -> tuple[Floats, Floats]:
        return 10 ** (self.graph.gain_db / 20), self.graph.delay_ms / 1000

    def response(self, source: int, target: int, frequencies_hz: Floats) -> Complexes:
        """Complex response between two nodes, all ways and loops in one: the element of (I - A(f))^-1.

        Args:
            frequencies_hz: shape (F,).

        Returns:
            Shape (F,); in the unit of the target over that of the source.
        """
        amplitude, delay_s = self._complex_order
        graph = self.graph
        turn = np.exp(-2j * np.pi * np.outer(np.asarray(frequencies_hz, dtype=float), delay_s)) * amplitude
        field = np.zeros((len(graph.nodes), len(frequencies_hz)), dtype=complex)
        field[source] = 1
        for part in self.components:
            members = set(part)
            if len(part) == 1 and not any(graph.source[k] in members for k in graph.incoming[part[0]]):
                for k in graph.incoming[part[0]]:
                    field[part[0]] += turn[:, k] * field[graph.source[k]]
                continue
            place = {node: i for i, node in enumerate(part)}
            entering = field[list(part)].T.copy()
            inside: list[tuple[int, int, int]] = []
            for i, node in enumerate(part):
                for k in graph.incoming[node]:
                    before = int(graph.source[k])
                    if before in place:
                        inside.append((i, place[before], k))
                    else:
                        entering[:, i] += turn[:, k] * field[before]
            if len(part) > DENSE:
                rows, columns, steps = np.array(inside, dtype=np.intp).T
                for f in range(len(frequencies_hz)):
                    factors = sparse_factors(len(part), rows, columns, turn[f, steps])
                    field[list(part), f] = factors.solve(entering[f])
                continue
            matrix = np.zeros((len(frequencies_hz), len(part), len(part)), dtype=complex)
            for row, column, k in inside:
                matrix[:, row, column] += turn[:, k]
            solved = np.linalg.solve(np.eye(len(part)) - matrix, entering[..., None])
            field[list(part)] = solved[..., 0].T
        answer: Complexes = field[target]
        return answer

    @cached_property
    def best_ways(self) -> dict[object, set[SettingRef] | None]:
        """Switches on the best way of pairs that somebody looked at; kept beside what they were computed from."""
        return {}

    @cached_property
    def _best(self) -> dict[tuple[int, frozenset[int] | None], tuple[Sequence[float], Sequence[int]]]:
        return {}

    def best_gain_to(self, target: int, within: frozenset[int] | None = None) -> Sequence[float]:
        """Strongest gain in dB from every node to the target; -inf where there is no way. Kept once computed.

        Components are taken from the end of the signal flow backwards. Inside a loop the search goes on
        until nothing rises; a loop above 0 dB would
        rise without end, so there it stops after as many rounds as a path can have steps, which is still an
        upper bound for every path that goes
        nowhere twice.

        Args:
            within: only through these nodes, if given.

        Returns:
            One level per node, in the order of the graph.
        """
        key = (target, within)
        if key not in self._best:
            self._best[key] = self._find_best(target, within)
        return self._best[key][0]

    def best_edge_to(self, target: int) -> Sequence[int]:
        """For every node the edge with which its strongest way to the target begins; -1 where there is no way."""
        self.best_gain_to(target)
        return self._best[target, None][1]

    def closed_gains(self, part: Sequence[int]) -> dict[int, float]:
        """For each node an upper bound of the gain of every loop through it: the strongest closed walk inside the part, by Floyd and
        Warshall's method over levels. Exact where no loop amplifies.

        Args:
            part: node positions.

        Returns:
            Gain in dB by node, -inf where nothing leads back.
        """
        place = {node: i for i, node in enumerate(part)}
        walks = np.full((len(part), len(part)), -np.inf)
        for node in part:
            for _, after, gain in self.graph.steps_out[node]:
                if after in place:
                    walks[place[node], place[after]] = max(walks[place[node], place[after]], gain)
        for i in range(len(part)):
            np.maximum(walks, walks[:, i, None] + walks[None, i, :], out=walks)
        return {node: float(walks[i, i]) for node, i in place.items()}

    def prepare_best(self, targets: Sequence[int]) -> None:
        """Does at once, for many targets, what `best_gain_to` does for one."""
        missing = [target for target in dict.fromkeys(targets) if (target, None) not in self._best]
        if len(missing) < 4:
            return
        for start in range(0, len(missing), TOGETHER):
            self._prepare(missing[start : start + TOGETHER])

    def _prepare(self, missing: Sequence[int]) -> None:
        best = np.full((len(self.graph.nodes), len(missing)), -np.inf)
        for column, target in enumerate(missing):
            best[target, column] = 0.0
        steps = self.graph.steps_out
        for part in self._upstream:
            if len(part) > 1:
                self._settle_all(part, best)
                continue
            onward = steps[part[0]]
            if len(onward) > FEW:
                after = [step[1] for step in onward]
                gain = np.array([step[2] for step in onward])[:, None]
                np.maximum(best[part[0]], (best[after] + gain).max(axis=0), out=best[part[0]])
                continue
            for _, node, by in onward:
                np.maximum(best[part[0]], best[node] + by, out=best[part[0]])
        for column, target in enumerate(missing):
            # A target passes nothing on to itself, round whichever circle.
            best[target, column] = 0.0
        hops = self._hops(best)
        for column, target in enumerate(missing):
            row = hops[:, column]
            row[target] = -1
            # Of a large rig lists of numbers would take four times as much.
            self._best[target, None] = (
                array("d", best[:, column].tobytes()),
                array("i", row.astype(np.intc).tobytes()),
            )

    def _settle_all(self, part: list[int], best: Floats) -> None:
        """`_settle` for many targets: rounds over the steps that lead to what rose in the round before, until nothing rises."""
        rows = [(node, after, gain) for node in part for _, after, gain in self.graph.steps_out[node]]
        source = np.array([row[0] for row in rows], dtype=np.intp)
        after = np.array([row[1] for row in rows], dtype=np.intp)
        gain = np.array([row[2] for row in rows])[:, None]
        fixed = best == 0.0
        risen = np.ones(len(best), dtype=bool)
        for _ in range(len(part) + 1):
            live = np.flatnonzero(risen[after])
            if not len(live):
                return
            starts = np.flatnonzero(np.diff(source[live], prepend=-1))
            nodes = source[live[starts]]
            before = best[nodes]
            lifted = np.maximum(np.maximum.reduceat(best[after[live]] + gain[live], starts, axis=0), before)
            lifted[fixed[nodes]] = 0.0
            risen[:] = False
            risen[nodes] = (lifted != before).any(axis=1)
            best[nodes] = lifted

    def _hops(self, best: Floats) -> NDArray[np.intp]:
        """For every node and target an edge with which a strongest way begins."""
        hops = np.full(best.shape, -1, dtype=np.intp)
        live = np.array(self.graph.live, dtype=np.intp)
        reached = best[self.graph.target] + self.graph.gain_db[:, None]
        rows, columns = np.nonzero((reached == best[self.graph.source]) & np.isfinite(reached))
        hops[self.graph.source[rows], columns] = live[rows]
        return hops

    def _find_best(self, target: int, within: frozenset[int] | None) -> tuple[list[float], list[int]]:
        steps = self.graph.steps_out
        none = -math.inf
        best = [none] * len(self.graph.nodes)
        hops = [-1] * len(self.graph.nodes)
        best[target] = 0.0
        for part in self._upstream:
            if len(part) > 1:
                self._settle(part, target, within, best, hops)
                continue
            node = part[0]
            row = steps[node]
            if not row or node == target or (within is not None and node not in within):
                continue
            strongest = none
            for edge, after, gain in row:
                possible = gain + best[after]
                if possible > strongest and (within is None or after in within):
                    strongest = possible
                    hops[node] = edge
            best[node] = strongest
        return best, hops

    @cached_property
    def _upstream(self) -> list[list[int]]:
        """The components from the end of the signal flow backwards."""
        return self.components[::-1]

    def _settle(
        self, part: list[int], target: int, within: frozenset[int] | None, best: list[float], hops: list[int]
    ) -> None:
        """Raises the levels inside a loop until nothing rises, or until a path could have no more steps."""
        steps, into = self.graph.steps_out, self.graph.steps_in
        members = {node for node in part if node != target and (within is None or node in within)}
        for node in members:
            for edge, after, gain in steps[node]:
                if (within is None or after in within) and gain + best[after] > best[node]:
                    best[node] = gain + best[after]
                    hops[node] = edge
        # The strongest first: a level that is final is passed on once, as in Dijkstra's search, wherever no step amplifies.
        waiting = [(-best[node], node) for node in part if best[node] > -math.inf]
        heapq.heapify(waiting)
        rounds = dict.fromkeys(part, 0)
        while waiting:
            negative, node = heapq.heappop(waiting)
            if -negative < best[node] or rounds[node] > len(part):
                continue
            rounds[node] += 1
            level = best[node]
            for edge, before, gain in into[node]:
                if before in members and gain + level > best[before]:
                    best[before] = gain + level
                    hops[before] = edge
                    heapq.heappush(waiting, (-best[before], before))
