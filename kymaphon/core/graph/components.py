"""Parts of the graph in which signal can go round."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from kymaphon.core.graph.signal import SignalGraph


def strong_components(graph: SignalGraph, within: Collection[int] | None = None) -> list[list[int]]:
    """Strongly connected components of the live edges, in an order in which signal flows forward
    (Tarjan 1972).

    Args:
        within: only these nodes and the edges between them, if given.

    Returns:
        Lists of node positions; a component comes before every component that it feeds.
    """
    count = len(graph.nodes)
    roots: Collection[int] = range(count) if within is None else within
    successors: list[list[int]] = [[] for _ in range(count)]
    for node in roots:
        successors[node] = [after for _, after, _ in graph.steps_out[node] if within is None or after in within]
    return components_of(successors, roots)


def components_of(successors: Sequence[Sequence[int]], roots: Iterable[int] | None = None) -> list[list[int]]:
    """The same of any graph: for each node those that it leads to. Only what the roots lead to, where they are given."""
    count = len(successors)
    order = [-1] * count
    low = [0] * count
    on_stack = [False] * count
    stack: list[int] = []
    found: list[list[int]] = []
    clock = 0
    for root in range(count) if roots is None else roots:
        if order[root] >= 0:
            continue
        work = [(root, 0)]
        while work:
            node, step = work.pop()
            if step == 0:
                order[node] = low[node] = clock
                clock += 1
                stack.append(node)
                on_stack[node] = True
            descended = False
            for i in range(step, len(successors[node])):
                after = successors[node][i]
                if order[after] < 0:
                    work.append((node, i + 1))
                    work.append((after, 0))
                    descended = True
                    break
                if on_stack[after]:
                    low[node] = min(low[node], order[after])
            if descended:
                continue
            if low[node] == order[node]:
                part = []
                while True:
                    member = stack.pop()
                    on_stack[member] = False
                    part.append(member)
                    if member == node:
                        break
                found.append(part)
            if work:
                above = work[-1][0]
                low[above] = min(low[above], low[node])
    found.reverse()
    return found
