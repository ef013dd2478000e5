"""The layered drawing: nothing lies over anything, links run from left to right, few cross."""

from __future__ import annotations

import random
from itertools import combinations

import networkx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.wiring.layered import GAP, BoxSpec, Drawing, LinkSpec, draw_layers
from tests.budget import tries


def _random(n: int, seed: int, density: float = 0.5) -> tuple[list[BoxSpec], list[LinkSpec]]:
    dice = random.Random(seed)
    ins, outs = [dice.randint(1, 5) for _ in range(n)], [dice.randint(1, 4) for _ in range(n)]
    boxes = [
        BoxSpec(
            f"b{k}",
            dice.choice((120.0, 168.0)),
            tuple(f"i{p}" for p in range(ins[k])),
            tuple(f"o{p}" for p in range(outs[k])),
        )
        for k in range(n)
    ]
    links = [
        LinkSpec(f"b{other}", f"o{dice.randrange(outs[other])}", f"b{k}", f"i{port}")
        for k in range(n)
        for port in range(ins[k])
        if dice.random() < density
        for other in (dice.randrange(max(0, k - 12), min(n, k + 3)),)
        if other != k
    ]
    return boxes, links


def _check(drawing: Drawing, boxes: list[BoxSpec], links: list[LinkSpec]) -> None:
    for first, second in combinations(drawing.boxes.values(), 2):
        if first.column == second.column:
            apart = max(first.y, second.y) - min(first.y + first.height, second.y + second.height)
            assert apart >= GAP - 1e-6 or abs(first.y - second.y) >= min(first.height, second.height)
        else:
            left, right = sorted((first, second), key=lambda box: box.column)
            assert left.x + left.width < right.x
    for link, way, back in zip(links, drawing.ways, drawing.back, strict=True):
        assert way[0] == drawing.ports[link.source, link.out]
        assert way[-1] == drawing.ports[link.target, link.into]
        columns = drawing.boxes[link.source].column, drawing.boxes[link.target].column
        assert (columns[0] < columns[1]) != back
        if not back:
            assert all(a[0] <= b[0] for a, b in zip(way, way[1:], strict=False))
    assert all(box.y >= 0 and box.y + box.height <= drawing.height + 1e-6 for box in drawing.boxes.values())
    assert len(drawing.boxes) == len(boxes)


@given(st.integers(1, 24), st.integers(0, 10**6), st.floats(0, 1))
@settings(max_examples=tries(20))
def test_whatever_it_is_given(n: int, seed: int, density: float) -> None:
    boxes, links = _random(n, seed, density)
    _check(draw_layers(boxes, links), boxes, links)


@pytest.mark.parametrize("n", [60, 300])
def test_large_ones(n: int) -> None:
    boxes, links = _random(n, 5)
    _check(draw_layers(boxes, links), boxes, links)


@given(st.integers(2, 14), st.integers(0, 10**6))
@settings(max_examples=tries(13))
def test_nothing_runs_back_where_there_is_no_circle(n: int, seed: int) -> None:
    """What networkx calls acyclic is drawn from left to right throughout."""
    boxes, links = _random(n, seed)
    graph = networkx.DiGraph((link.source, link.target) for link in links)
    drawing = draw_layers(boxes, links)
    assert any(drawing.back) != networkx.is_directed_acyclic_graph(graph)


def test_a_chain_is_straight_and_in_order() -> None:
    boxes = [BoxSpec(name, 100, ("in",), ("out",)) for name in "dacb"]
    drawing = draw_layers(boxes, [LinkSpec(a, "out", b, "in") for a, b in ("ab", "bc", "cd")])
    assert [drawing.boxes[name].column for name in "abcd"] == [0, 1, 2, 3]
    assert len({round(drawing.boxes[name].y, 3) for name in "abcd"}) == 1


def test_a_crossing_that_need_not_be_is_none() -> None:
    """Two pairs given in crossed order are drawn uncrossed."""
    boxes = [BoxSpec(name, 100, ("in",), ("out",)) for name in ("a", "b", "y", "x")]
    drawing = draw_layers(boxes, [LinkSpec("a", "out", "x", "in"), LinkSpec("b", "out", "y", "in")])
    tops = {name: box.y for name, box in drawing.boxes.items()}
    assert (tops["a"] < tops["b"]) == (tops["x"] < tops["y"])


def test_a_port_that_is_not_there() -> None:
    with pytest.raises(KeyError):
        draw_layers([BoxSpec("a", 100, (), ("out",)), BoxSpec("b", 100, ("in",))], [LinkSpec("a", "out", "b", "no")])


def test_nothing_at_all() -> None:
    assert draw_layers([], []).boxes == {}
