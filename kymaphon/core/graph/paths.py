"""Single ways through the rig, strongest first, and the loops in it: for explaining, and for exact gains
and delays.

A general graph library's best-first search refuses weights of the wrong sign, and preamplifiers have gains
above 0 dB; so the search here is bounded
by the strongest gain that any way onward can have (an A* search with an exact bound wherever no loop
amplifies).
"""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from kymaphon.core.derive import Derived
from kymaphon.core.figures import number
from kymaphon.core.graph.components import strong_components
from kymaphon.core.graph.signal import Edge, SignalGraph
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.stopping import check_wanted

MOST_PATHS = 32
LARGEST_CLOSED = 400
"""Up to this many nodes it is cheap to tell beforehand which of them no loop above the floor can pass."""
MOST_ROUNDS = 40_000
"""So many nodes in all are looked at as parts of meshes in which loops are searched."""
MOST_STEPS = 40000
"""How many partial ways one search may look at before it stops and says that the list is not complete."""
LEAST_STEPS = 200
"""How many it may look at in any case, when the searches before it in the same rig have used up `Transfer.effort`: where loops
amplify, ever longer ways look promising. What is told of totals then still comes from the solve.
"""
FURTHER_STEPS = 400_000
"""Once so many more have been looked at, a tenth of it: of hundreds of people in one mesh few arrivals are told apart, and that is
said (`Effort.short`).
"""


@dataclass(frozen=True, slots=True)
class SignalPath:
    """One way from node to node. For a loop the first and last node are the same."""

    graph: SignalGraph
    edges: tuple[int, ...]
    gain_db: float
    delay_ms: float

    def on(self, graph: SignalGraph) -> SignalPath:
        """The same way in another state of the rig, in which its steps are as they were."""
        return SignalPath(graph, self.edges, self.gain_db, self.delay_ms)

    @property
    def nodes(self) -> tuple[int, ...]:
        steps = [self.graph.edges[i] for i in self.edges]
        return (steps[0].source, *(step.target for step in steps)) if steps else ()

    @property
    def node_ids(self) -> tuple[str, ...]:
        return tuple(self.graph.nodes[i].id for i in self.nodes)

    def steps(self) -> Iterator[Edge]:
        for i in self.edges:
            yield self.graph.edges[i]

    def gain_parts(self) -> tuple[Derived, ...]:
        """The lines of the gain, those of 0 dB left out."""
        return tuple(part for step in self.steps() for part in step.parts if round(part.value, 4))

    def delay_parts(self) -> tuple[Derived, ...]:
        """The lines of the delay."""
        return tuple(part for step in self.steps() for part in step.delays if part.value)


@dataclass(frozen=True, slots=True)
class PathList:
    """Paths strongest first, and whether the search saw them all down to its limit."""

    paths: tuple[SignalPath, ...]
    complete: bool


def best_paths(
    transfer: Transfer,
    source: int,
    target: int,
    *,
    bound: Sequence[float] | None = None,
    most: int = MOST_PATHS,
    below_db: float | None = None,
    floor_db: float = -np.inf,
    within: frozenset[int] | None = None,
) -> PathList:
    """Ways from source to target that visit no node twice, strongest first.

    Args:
        bound: `Transfer.best_gain_to(target)`, when the caller has it already.
        most: stop after this many.
        below_db: stop this far below the strongest (a positive number of dB); None takes the house figure.
        floor_db: stop below this gain, whatever the strongest is.
        within: only through these nodes. With source equal to target this finds loops.
    """
    reach = -number("paths-below") if below_db is None else below_db
    if source == target and within is None:
        return PathList((), True)
    if within is None and most == MOST_PATHS:
        if transfer.uncut is None:
            return _searched_once(transfer, source, target, bound, reach, floor_db)
        left = _after_cut(transfer, transfer.uncut, source, target, reach, floor_db)
        if left is not None:
            return left
    return _search(transfer, source, target, bound, most, reach, floor_db, within)


def _searched_once(
    transfer: Transfer,
    source: int,
    target: int,
    bound: Sequence[float] | None,
    reach: float,
    floor_db: float,
) -> PathList:
    """A search of a whole rig, kept: cuts of it begin with what it found."""
    known = transfer.once(_searches)
    key = (source, target, reach, floor_db)
    if key not in known:
        known[key] = _search(transfer, source, target, bound, MOST_PATHS, reach, floor_db, None)
    return known[key]


def _searches(transfer: Transfer) -> dict[tuple[int, int, float, float], PathList]:
    """The searches so far, by both ends, reach and floor."""
    return {}


def _after_cut(
    cut: Transfer, whole: Transfer, source: int, target: int, reach: float, floor_db: float
) -> PathList | None:
    """What a cut leaves of the ways of the rig before it, where its strongest way is among them and all were seen: taking edges away
    makes no new ones. None where it has to be searched anew.
    """
    known = best_paths(whole, source, target, below_db=reach, floor_db=floor_db)
    if not known.complete or (known.paths and not cut.gone.isdisjoint(known.paths[0].edges)):
        return None
    kept = (path for path in known.paths if cut.gone.isdisjoint(path.edges))
    return PathList(tuple(path.on(cut.graph) for path in kept), True)


def _search(
    transfer: Transfer,
    source: int,
    target: int,
    bound: Sequence[float] | None,
    most: int,
    reach: float,
    floor_db: float,
    within: frozenset[int] | None,
) -> PathList:
    """`best_paths` by searching, best first."""
    graph = transfer.graph
    onward = transfer.best_gain_to(target, within) if bound is None else bound
    steps, bits, push, pop = graph.steps_out, graph.bits, heapq.heappush, heapq.heappop
    floor, count = floor_db, 0
    # Of what waits only the last step is its own; most of it is never looked at. What was passed is a bit for each node.
    heap: list[tuple[float, int, float, int, int, tuple[int, ...], int]] = []
    found: list[SignalPath] = []
    strongest: float | None = None
    effort = transfer.effort
    check_wanted()
    least = LEAST_STEPS if effort.left > -FURTHER_STEPS else LEAST_STEPS // 10
    allowed = min(MOST_STEPS, max(least, effort.left))
    edges: tuple[int, ...] = ()
    node, gain, seen = source, 0.0, bits[source]
    looked = 0
    while True:
        for k, after, step_db in steps[node]:
            if (seen & bits[after] and after != target) or (within is not None and after not in within):
                continue
            so_far = gain + step_db
            possible = so_far + onward[after]
            if possible >= floor and possible > -np.inf:
                push(heap, (-possible, count, so_far, after, k, edges, seen))
                count += 1
        while looked < allowed:
            if not heap:
                return PathList(_sorted(found), True)
            if looked >= LEAST_STEPS or effort.left <= LEAST_STEPS:
                effort.left -= 1
            looked += 1
            negative, _, gain, node, last, before, seen = pop(heap)
            edges = (*before, last)
            if strongest is not None and -negative < strongest - reach:
                return PathList(_sorted(found), True)
            if node != target:
                seen |= bits[node]
                break
            delay = sum(graph.edges[i].delay_ms for i in edges)
            found.append(SignalPath(graph, edges, gain, delay))
            strongest = gain if strongest is None else max(strongest, gain)
            floor = max(floor, strongest - reach)
            if len(found) >= most:
                return PathList(_sorted(found), not heap)
        else:
            break
    if heap:
        effort.short += 1
    if not found and source != target and onward[source] >= floor_db:
        near = _near_path(transfer, source, target, within)
        found = [near] if near is not None and near.gain_db >= floor_db else []
    return PathList(_sorted(found), False)


def _near_path(transfer: Transfer, source: int, target: int, within: frozenset[int] | None) -> SignalPath | None:
    """A strong way of few steps, where loops amplify and the strongest is not found: Dijkstra's search over how far each step is
    below the strongest step of the rig.
    """
    graph = transfer.graph
    known = transfer.once(_near_trees)
    if (source, within) not in known:
        known[source, within] = _near_tree(transfer, source, within)
    by = known[source, within]
    if target not in by:
        return None
    edges: list[int] = []
    node = target
    while node != source:
        node, k = by[node]
        edges.append(k)
    edges.reverse()
    gain, delay = (
        sum(values) for values in zip(*((graph.edges[k].gain_db, graph.edges[k].delay_ms) for k in edges), strict=True)
    )
    return SignalPath(graph, tuple(edges), float(gain), float(delay))


def _near_trees(transfer: Transfer) -> dict[tuple[int, frozenset[int] | None], dict[int, tuple[int, int]]]:
    """Those that were asked for so far, by source and bounds."""
    return {}


def _near_tree(transfer: Transfer, source: int, within: frozenset[int] | None) -> dict[int, tuple[int, int]]:
    """Node -> the node before it and the edge between, on the way from a source."""
    graph = transfer.graph
    most = float(graph.gain_db.max(initial=0.0))
    best: dict[int, float] = {source: 0.0}
    by: dict[int, tuple[int, int]] = {}
    heap = [(0.0, source)]
    while heap:
        cost, node = heapq.heappop(heap)
        if cost > best[node]:
            continue
        for k, after, step_db in graph.steps_out[node]:
            dearer = cost + most - step_db
            if (within is None or after in within) and dearer < best.get(after, np.inf):
                best[after], by[after] = dearer, (node, k)
                heapq.heappush(heap, (dearer, after))
    return by


def _sorted(found: list[SignalPath]) -> tuple[SignalPath, ...]:
    return tuple(sorted(found, key=lambda path: -path.gain_db))


def strongest_path(transfer: Transfer, source: int, target: int) -> SignalPath | None:
    """The strongest way, read straight off the search for the strongest gains; None when there is none, or when a
    loop amplifies on the way.
    """
    graph = transfer.graph
    hops = transfer.best_edge_to(target)
    if source == target or hops[source] < 0:
        return None
    edges: list[int] = []
    seen = {source}
    node, gain, delay = source, 0.0, 0.0
    while node != target:
        edge = graph.edges[hops[node]]
        edges.append(hops[node])
        gain += edge.gain_db
        delay += edge.delay_ms
        node = edge.target
        if node in seen:
            return None
        seen.add(node)
    return SignalPath(graph, tuple(edges), gain, delay)


def simple_cycles(transfer: Transfer, *, floor_db: float | None = None, most: int = MOST_PATHS) -> PathList:
    """Loops of the rig, strongest first: each visits no node twice.

    In each strong component the node with most ways in and out is taken, every loop through it is listed,
    it is taken out, and the rest is split
    again (Johnson 1975, with the root chosen so that few rounds are needed).

    Args:
        floor_db: loops weaker than this are left out; None takes the house figure.
        most: at most this many through any one node, and in all.

    Returns:
        What was found; not complete where a mesh of loops is so large that the search ends at `MOST_ROUNDS`.
    """
    graph = transfer.graph
    left = MOST_ROUNDS
    floor = number("loop-of-interest") if floor_db is None else floor_db
    found: list[SignalPath] = []
    complete = True
    waiting = [frozenset(part) for part in transfer.cyclic_components]
    while waiting:
        part = waiting.pop()
        if left <= 0:
            complete = False
            break
        left -= len(part)
        if len(part) <= LARGEST_CLOSED:
            closed = transfer.closed_gains(sorted(part))
            part = frozenset(node for node, gain in closed.items() if gain >= floor)
            if not part:
                continue
        root = max(part, key=lambda node: (_degree(graph, node, part), -node))
        search = best_paths(transfer, root, root, most=most, below_db=1e9, floor_db=floor, within=part)
        found.extend(search.paths)
        complete = complete and search.complete
        waiting.extend(frozenset(row) for row in strong_components(graph, part - {root}) if len(row) > 1)
    ordered = _sorted(found)
    return PathList(ordered[:most], complete and len(ordered) <= most)


def listed_cycles(transfer: Transfer) -> PathList:
    """The loops that are worth listing, as `simple_cycles` has them; kept with the transfer."""
    return transfer.once(simple_cycles)


def strong_cycles(transfer: Transfer) -> tuple[SignalPath, ...]:
    """Loops that are strong enough to bring an own voice back, and that die away; kept with the transfer.

    A rig that was cut from another has those of the other that are left.
    """
    return transfer.once(_strong_cycles)


def _strong_cycles(transfer: Transfer) -> tuple[SignalPath, ...]:
    known = _left_of(transfer)
    if known is not None:
        return known
    floor = number("loop-of-return")
    near = -transfer.stability.margin_db > floor
    rows = listed_cycles(transfer).paths if near else ()
    return tuple(row for row in rows if floor <= row.gain_db < 0)


def _left_of(transfer: Transfer) -> tuple[SignalPath, ...] | None:
    """Loops of the uncut rig that a cut has left; None where that is not known, as the list of the other was cut short."""
    if transfer.uncut is None:
        return None
    before = strong_cycles(transfer.uncut)
    live = set(transfer.graph.live)
    left = tuple(row for row in before if live.issuperset(row.edges))
    return left if left or listed_cycles(transfer.uncut).complete else None


def round_once(path: SignalPath, circle: SignalPath) -> SignalPath | None:
    """A way that goes once round a loop where it first meets it; None where it does not."""
    ring = circle.nodes[:-1]
    spot = next(((i, ring.index(node)) for i, node in enumerate(path.nodes) if node in ring), None)
    if spot is None:
        return None
    at, start = spot
    lap = circle.edges[start:] + circle.edges[:start]
    edges = (*path.edges[:at], *lap, *path.edges[at:])
    return SignalPath(path.graph, edges, path.gain_db + circle.gain_db, path.delay_ms + circle.delay_ms)


def _degree(graph: SignalGraph, node: int, part: frozenset[int]) -> int:
    inward = sum(before in part for _, before, _ in graph.steps_in[node])
    outward = sum(after in part for _, after, _ in graph.steps_out[node])
    return inward * outward
