"""A layered drawing of a directed graph: boxes with ports in columns from left to right, few crossings, short ways.

The steps are those of Sugiyama, Tagawa and Toda 1981: break loops (the greedy order of Eades, Lin and Smyth 1993),
layers by longest path, dummies for long links, barycentre sweeps for the order, then places. Places within a column are
an isotonic regression (pool adjacent violators): each box as near as may be to the mean of what it is joined to, none
over another.
"""

from __future__ import annotations

from bisect import bisect_right, insort
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field

HEAD, ROW, GAP, COLUMN_GAP, LANE = 46.0, 20.0, 18.0, 82.0, 12.0
"""Heights of a box's head and of one port, space between boxes and between columns, and what a passing link takes."""
SWEEPS, SETTLE = 12, 10


@dataclass(frozen=True, slots=True)
class BoxSpec:
    """A box to be placed: its id, width, and its ports from top to bottom."""

    id: str
    width: float
    inputs: tuple[str, ...] = ()
    outputs: tuple[str, ...] = ()

    @property
    def height(self) -> float:
        """As tall as its ports need."""
        return HEAD + ROW * max(len(self.inputs), len(self.outputs), 1)


@dataclass(frozen=True, slots=True)
class LinkSpec:
    """A link from an output of a box to an input of a box."""

    source: str
    out: str
    target: str
    into: str


@dataclass(frozen=True, slots=True)
class PlacedBox:
    """A box with the upper left corner of its place."""

    id: str
    x: float
    y: float
    width: float
    height: float
    column: int


@dataclass(frozen=True)
class Drawing:
    """A finished layout.

    Attributes:
        boxes: by id.
        ports: (box, port) -> where its link begins or ends.
        ways: for each link, in the order given, the points that it runs through; `back` says which run right to left.
    """

    boxes: dict[str, PlacedBox]
    ports: dict[tuple[str, str], tuple[float, float]]
    ways: tuple[tuple[tuple[float, float], ...], ...]
    back: tuple[bool, ...]
    width: float
    height: float
    columns: int = 0


@dataclass
class _Layers:
    """Cells of each column, a cell being a box id or a dummy `(link, column)`; and who is joined to whom.

    `anchor` holds the ends of links that run back: dummy -> the box in its own column that it turns round at, and the
    height of the socket within that.
    """

    cells: list[list[Hashable]]
    before: dict[Hashable, list[tuple[Hashable, float, float]]] = field(default_factory=dict)
    after: dict[Hashable, list[tuple[Hashable, float, float]]] = field(default_factory=dict)
    anchor: dict[Hashable, tuple[str, float]] = field(default_factory=dict)

    def join(self, left: Hashable, right: Hashable, left_y: float, right_y: float) -> None:
        """A link between neighbouring columns, with the heights of its ends within their cells."""
        self.after.setdefault(left, []).append((right, left_y, right_y))
        self.before.setdefault(right, []).append((left, right_y, left_y))


def draw_layers(boxes: Sequence[BoxSpec], links: Sequence[LinkSpec]) -> Drawing:
    """Places boxes and links.

    Raises:
        KeyError: a link names a box or port that is not there.
    """
    specs = {box.id: box for box in boxes}
    offsets = {
        (box.id, port): HEAD + ROW * (k + 0.5)
        for box in boxes
        for ports in (box.inputs, box.outputs)
        for k, port in enumerate(ports)
    }
    for link in links:
        if link.out not in specs[link.source].outputs or link.into not in specs[link.target].inputs:
            raise KeyError(f"{link.source}.{link.out} to {link.target}.{link.into}")
    rank = _order(list(specs), links)
    back = tuple(rank[link.source] >= rank[link.target] for link in links)
    layer = _layer(list(specs), links, rank)
    layers, chains = _with_dummies(specs, links, layer, back, offsets)
    _reduce_crossings(layers)
    height = {cell: specs[cell].height if isinstance(cell, str) else LANE for cells in layers.cells for cell in cells}
    top = _places(layers, height)
    return _finish(specs, links, layers, chains, back, layer, top, offsets)


def _order(ids: list[str], links: Sequence[LinkSpec]) -> dict[str, int]:
    """A linear order with few links against it (Eades, Lin and Smyth 1993): sinks last, sources first, else the box with
    most more going out than coming in.
    """
    after: dict[str, set[str]] = {name: set() for name in ids}
    before: dict[str, set[str]] = {name: set() for name in ids}
    for link in links:
        if link.source != link.target:
            after[link.source].add(link.target)
            before[link.target].add(link.source)
    left = dict.fromkeys(ids)
    out_degree = {name: len(after[name]) for name in ids}
    in_degree = {name: len(before[name]) for name in ids}
    head: list[str] = []
    tail: list[str] = []

    def remove(name: str) -> None:
        del left[name]
        for other in after[name]:
            in_degree[other] -= 1
        for other in before[name]:
            out_degree[other] -= 1

    while left:
        sink = next((name for name in left if out_degree[name] == 0), None)
        if sink is not None:
            remove(sink)
            tail.append(sink)
            continue
        source = next((name for name in left if in_degree[name] == 0), None)
        name = source if source is not None else max(left, key=lambda row: out_degree[row] - in_degree[row])
        remove(name)
        head.append(name)
    return {name: k for k, name in enumerate(head + tail[::-1])}


def _layer(ids: list[str], links: Sequence[LinkSpec], rank: dict[str, int]) -> dict[str, int]:
    """Columns by longest path; a box without anything before it stands right before the first that it goes to."""
    after: dict[str, list[str]] = {name: [] for name in ids}
    before: dict[str, list[str]] = {name: [] for name in ids}
    for link in links:
        a, b = link.source, link.target
        if a == b:
            continue
        if rank[a] > rank[b]:
            a, b = b, a
        after[a].append(b)
        before[b].append(a)
    column = dict.fromkeys(ids, 0)
    for name in sorted(ids, key=rank.__getitem__):
        column[name] = max((column[other] + 1 for other in before[name]), default=0)
    for name in sorted(ids, key=rank.__getitem__, reverse=True):
        if after[name] and len(before[name]) < len(after[name]) + (not before[name]):
            nearest = min(column[other] for other in after[name]) - 1
            column[name] = max(column[name], nearest)
    first = min(column.values(), default=0)
    return {name: value - first for name, value in column.items()}


def _with_dummies(
    specs: dict[str, BoxSpec],
    links: Sequence[LinkSpec],
    layer: dict[str, int],
    back: tuple[bool, ...],
    offsets: dict[tuple[str, str], float],
) -> tuple[_Layers, list[list[Hashable]]]:
    """The cells of each column, with a dummy for each column that a link passes.

    A link that runs back has dummies in the columns of its two boxes too: it turns round outside of them.
    """
    columns = max(layer.values(), default=0) + 1
    layers = _Layers([[] for _ in range(columns)])
    for name in specs:
        layers.cells[layer[name]].append(name)
    chains: list[list[Hashable]] = []
    for k, link in enumerate(links):
        a, b = layer[link.source], layer[link.target]
        span = range(b, a + 1) if back[k] else range(a + 1, b)
        chain: list[Hashable] = [(k, column) for column in span]
        for cell, column in zip(chain, span, strict=True):
            layers.cells[column].append(cell)
        chains.append(chain)
        ends: list[tuple[Hashable, float]] = [(cell, LANE / 2) for cell in chain]
        if back[k]:
            layers.anchor[chain[0]] = link.target, offsets[link.target, link.into]
            layers.anchor[chain[-1]] = link.source, offsets[link.source, link.out]
        if not back[k]:
            ends = [
                (link.source, offsets[link.source, link.out]),
                *ends,
                (link.target, offsets[link.target, link.into]),
            ]
        for (left, left_y), (right, right_y) in zip(ends, ends[1:], strict=False):
            layers.join(left, right, left_y, right_y)
    return layers, chains


def _reduce_crossings(layers: _Layers) -> None:
    """Sweeps to and fro by barycentres; the order with fewest crossings is kept."""
    best, fewest = [list(cells) for cells in layers.cells], _crossings(layers)
    for sweep in range(SWEEPS):
        forward = sweep % 2 == 0
        joined = layers.before if forward else layers.after
        steps = range(1, len(layers.cells)) if forward else range(len(layers.cells) - 2, -1, -1)
        for column in steps:
            other = layers.cells[column - 1 if forward else column + 1]
            position = {cell: k for k, cell in enumerate(other)}
            cells = layers.cells[column]
            here = {cell: k for k, cell in enumerate(cells)}
            middle: dict[Hashable, float] = {}
            for cell in cells:
                near = [position[end] + y / 10000 for end, _, y in joined.get(cell, ()) if end in position]
                middle[cell] = sum(near) / len(near) if near else float(here[cell])
            cells.sort(key=lambda cell: (middle[cell], here[cell]))
        count = _crossings(layers)
        if count < fewest:
            best, fewest = [list(cells) for cells in layers.cells], count
        if fewest == 0:
            break
    layers.cells = best


def _crossings(layers: _Layers) -> int:
    """How many links cross, over all pairs of neighbouring columns."""
    total = 0
    for column in range(len(layers.cells) - 1):
        right = {cell: k for k, cell in enumerate(layers.cells[column + 1])}
        pairs = [
            (k, y, right[end] + there / 10000)
            for k, cell in enumerate(layers.cells[column])
            for end, y, there in layers.after.get(cell, ())
            if end in right
        ]
        pairs.sort()
        seen: list[float] = []
        for _, _, spot in pairs:
            total += len(seen) - bisect_right(seen, spot)
            insort(seen, spot)
    return total


def _places(layers: _Layers, height: dict[Hashable, float]) -> dict[Hashable, float]:
    """The top of every cell: columns settle against each other, to and fro."""
    top: dict[Hashable, float] = {}
    for cells in layers.cells:
        y = 0.0
        for cell in cells:
            top[cell] = y
            y += height[cell] + _gap(cell)
    for sweep in range(SETTLE):
        order = range(len(layers.cells)) if sweep % 2 == 0 else range(len(layers.cells) - 1, -1, -1)
        for column in order:
            cells = layers.cells[column]
            wanted, weights = [], []
            for cell in cells:
                near = [
                    top[end] + there - here
                    for end, here, there in (*layers.before.get(cell, ()), *layers.after.get(cell, ()))
                ]
                if cell in layers.anchor:
                    box, there = layers.anchor[cell]
                    near.append(top[box] + there - LANE / 2)
                wanted.append(sum(near) / len(near) if near else top[cell])
                weights.append(float(len(near)) if near else 0.05)
            for cell, y in zip(cells, _apart(cells, wanted, weights, height), strict=True):
                top[cell] = y
    lowest = min(top.values(), default=0.0)
    return {cell: y - lowest for cell, y in top.items()}


def _gap(cell: Hashable) -> float:
    return GAP if isinstance(cell, str) else 2.0


def _apart(
    cells: list[Hashable], wanted: list[float], weights: list[float], height: dict[Hashable, float]
) -> list[float]:
    """The places nearest to those wanted, by weighted squares, in which no cell lies over the next (pool adjacent
    violators).
    """
    shift, shifts = 0.0, []
    for cell in cells:
        shifts.append(shift)
        shift += height[cell] + _gap(cell)
    blocks: list[list[float]] = []  # mean, weight, count
    for want, weight, below in zip(wanted, weights, shifts, strict=True):
        blocks.append([want - below, weight, 1])
        while len(blocks) > 1 and blocks[-2][0] > blocks[-1][0]:
            mean, share, count = blocks.pop()
            last = blocks[-1]
            last[0] = (last[0] * last[1] + mean * share) / (last[1] + share)
            last[1] += share
            last[2] += count
    level = [mean for mean, _, count in blocks for _ in range(int(count))]
    return [z + below for z, below in zip(level, shifts, strict=True)]


def _finish(
    specs: dict[str, BoxSpec],
    links: Sequence[LinkSpec],
    layers: _Layers,
    chains: list[list[Hashable]],
    back: tuple[bool, ...],
    layer: dict[str, int],
    top: dict[Hashable, float],
    offsets: dict[tuple[str, str], float],
) -> Drawing:
    widths = [
        max((specs[cell].width for cell in cells if isinstance(cell, str)), default=40.0) for cells in layers.cells
    ]
    lefts, x = [], 0.0
    for width in widths:
        lefts.append(x)
        x += width + COLUMN_GAP
    boxes = {
        name: PlacedBox(name, lefts[layer[name]], top[name], box.width, box.height, layer[name])
        for name, box in specs.items()
    }
    ports: dict[tuple[str, str], tuple[float, float]] = {}
    for name, box in specs.items():
        place = boxes[name]
        ports.update({(name, port): (place.x, place.y + offsets[name, port]) for port in box.inputs})
        ports.update({(name, port): (place.x + place.width, place.y + offsets[name, port]) for port in box.outputs})
    ways = []
    for k, link in enumerate(links):
        start, end = ports[link.source, link.out], ports[link.target, link.into]
        lane = [(cell[1], top[cell] + LANE / 2) for cell in chains[k] if isinstance(cell, tuple)]
        if back[k]:
            lane.reverse()
            right = lefts[layer[link.source]] + widths[layer[link.source]] + 0.35 * COLUMN_GAP
            left = lefts[layer[link.target]] - 0.35 * COLUMN_GAP
            middle = [spot for column, y in lane for spot in ((lefts[column] + widths[column], y), (lefts[column], y))]
            way = [start, (right, start[1]), (right, lane[0][1]), *middle, (left, lane[-1][1]), (left, end[1]), end]
        else:
            middle = [spot for column, y in lane for spot in ((lefts[column], y), (lefts[column] + widths[column], y))]
            way = [start, *middle, end]
        ways.append(tuple(way))
    height = max((place.y + place.height for place in boxes.values()), default=0.0)
    height = max([height, *(y for way in ways for _, y in way)])
    return Drawing(boxes, ports, tuple(ways), back, max(x - COLUMN_GAP, 0.0), height, len(layers.cells))
