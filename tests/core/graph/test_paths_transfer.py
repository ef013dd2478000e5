"""Ways, loops and totals: the search against networkx, the sums against a direct solve of (I - A)^-1."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction

import networkx as nx
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from kymaphon.core.derive import Derived
from kymaphon.core.figures import number
from kymaphon.core.graph.block import Block
from kymaphon.core.graph.components import strong_components
from kymaphon.core.graph.paths import best_paths, simple_cycles, strong_cycles, strongest_path
from kymaphon.core.graph.signal import Edge, Node, SignalGraph, Switch
from kymaphon.core.graph.stability import spectral_radius
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.ids import SettingRef
from tests.budget import tries


def graph_of(count: int, edges: list[tuple[int, int, float, float]]) -> SignalGraph:
    """A bare graph: (source, target, gain dB, delay ms)."""
    nodes = tuple(Node(f"n{i}", f"node {i}", "dBFS", "x") for i in range(count))
    rows = tuple(
        Edge(a, b, (Derived("gain", gain, "dB"),), (Derived("delay", delay, "ms"),)) for a, b, gain, delay in edges
    )
    return SignalGraph(nodes, rows)


@st.composite
def random_graphs(draw: st.DrawFn, *, low: float = -30, high: float = 12) -> SignalGraph:
    count = draw(st.integers(2, 7))
    ends = st.integers(0, count - 1)
    edges = draw(st.lists(st.tuples(ends, ends, st.floats(low, high), st.floats(0, 20)), max_size=14))
    unique = {(a, b): (a, b, gain, delay) for a, b, gain, delay in edges if a != b}
    return graph_of(count, list(unique.values()))


def direct_solve(graph: SignalGraph, frequency_hz: float) -> np.ndarray:
    """H = (I - A)^-1, by numpy, from nothing but the edges."""
    matrix = np.zeros((len(graph.nodes), len(graph.nodes)), dtype=complex)
    for edge in graph.edges:
        turn = np.exp(-2j * math.pi * frequency_hz * edge.delay_ms / 1000)
        matrix[edge.target, edge.source] += 10 ** (edge.gain_db / 20) * turn
    return np.linalg.inv(np.eye(len(graph.nodes)) - matrix)


@given(random_graphs())
@settings(max_examples=tries(50))
def test_every_way_is_found_strongest_first(graph: SignalGraph) -> None:
    """networkx lists all simple paths; ours are the same, in order, and say when they are complete."""
    other = nx.DiGraph()
    other.add_nodes_from(range(len(graph.nodes)))
    for edge in graph.edges:
        other.add_edge(edge.source, edge.target, gain=edge.gain_db)
    target = len(graph.nodes) - 1
    expected = sorted(
        (
            sum(other[a][b]["gain"] for a, b in nx.utils.pairwise(path))
            for path in nx.all_simple_paths(other, 0, target)
        ),
        reverse=True,
    )
    found = best_paths(Transfer(graph), 0, target, most=10000, below_db=1e6)
    assert found.complete
    assert [path.gain_db for path in found.paths] == pytest.approx(expected)
    for path in found.paths:
        assert len(set(path.nodes)) == len(path.nodes)


@given(random_graphs(low=-12, high=0), st.data())
@settings(max_examples=tries(50))
def test_what_a_cut_leaves_is_what_a_search_of_the_cut_rig_finds(graph: SignalGraph, data: st.DataObject) -> None:
    """A cut begins with what was found before it; the same ways, in the same order, as in a rig that never had those edges."""
    edges = [
        replace(edge, switches=(Switch(SettingRef("d", f"e{i}", "on"), f"e{i}", True, True),))
        for i, edge in enumerate(graph.edges)
    ]
    switched = SignalGraph(graph.nodes, tuple(edges), graph.noises, graph.mouths, graph.ears, graph.unknown)
    refs = data.draw(st.sets(st.sampled_from([row.switches[0].ref for row in edges]))) if edges else set()
    cut = Transfer(switched).without(frozenset(refs))
    alone = Transfer(switched.without(frozenset(refs)))
    target = len(graph.nodes) - 1
    reach = data.draw(st.sampled_from((6.0, 20.0, 60.0)))
    ours, theirs = (best_paths(row, 0, target, below_db=reach) for row in (cut, alone))
    assert [path.edges for path in ours.paths] == [path.edges for path in theirs.paths]
    assert [path.gain_db for path in ours.paths] == [path.gain_db for path in theirs.paths]
    assert ours.complete == theirs.complete


@given(random_graphs())
@settings(max_examples=tries(50))
def test_every_circle_is_found(graph: SignalGraph) -> None:
    other = nx.DiGraph([(edge.source, edge.target) for edge in graph.edges])
    expected = {frozenset(nx.utils.pairwise([*cycle, cycle[0]])) for cycle in nx.simple_cycles(other)}
    found = simple_cycles(Transfer(graph), floor_db=-1e6, most=10000)
    ours = [frozenset(nx.utils.pairwise(path.nodes)) for path in found.paths]
    assert len(ours) == len(set(ours))
    assert set(ours) == expected


@given(random_graphs())
@settings(max_examples=tries(33))
def test_components_and_their_order(graph: SignalGraph) -> None:
    other = nx.DiGraph([(edge.source, edge.target) for edge in graph.edges])
    other.add_nodes_from(range(len(graph.nodes)))
    parts = strong_components(graph)
    assert {frozenset(part) for part in parts} == {frozenset(part) for part in nx.strongly_connected_components(other)}
    place = {node: i for i, part in enumerate(parts) for node in part}
    assert all(place[edge.source] <= place[edge.target] for edge in graph.edges)


@given(random_graphs(low=-40, high=-14), st.floats(20, 8000))
@settings(max_examples=tries(33))
def test_response_is_the_direct_solve(graph: SignalGraph, frequency: float) -> None:
    """At most 6 edges of -14 dB leave a node, so no loop can build up and the inverse exists."""
    transfer = Transfer(graph)
    direct = direct_solve(graph, frequency)
    for target in range(len(graph.nodes)):
        ours = transfer.response(0, target, np.array([frequency]))[0]
        assert ours == pytest.approx(direct[target, 0], abs=1e-9)


@given(random_graphs(low=-40, high=-14))
@settings(max_examples=tries(33))
def test_power_is_the_direct_solve_of_squared_gains(graph: SignalGraph) -> None:
    matrix = np.zeros((len(graph.nodes), len(graph.nodes)))
    for edge in graph.edges:
        matrix[edge.target, edge.source] += 10 ** (edge.gain_db / 10)
    direct = np.linalg.inv(np.eye(len(graph.nodes)) - matrix)
    ours = Transfer(graph).power_from(list(range(len(graph.nodes))))
    assert ours == pytest.approx(direct, abs=1e-9)


@st.composite
def far_apart(draw: st.DrawFn) -> SignalGraph:
    """Loops in which everything loses something, between points whose levels lie up to 300 dB apart, as sound and full scale do."""
    count = draw(st.integers(3, 7))
    level = draw(st.lists(st.floats(-150, 150), min_size=count, max_size=count))
    pairs = st.tuples(st.integers(0, count - 1), st.integers(0, count - 1), st.floats(30, 60))
    rows = draw(st.lists(pairs, min_size=count, max_size=3 * count))
    ring = [(i, (i + 1) % count, draw(st.floats(30, 60))) for i in range(count)]
    return graph_of(count, [(a, b, level[b] - level[a] - loss, 0) for a, b, loss in (*ring, *rows)])


def _exact(graph: SignalGraph) -> list[Fraction]:
    """x = e_0 + W x in whole numbers: Gauss and Jordan, with no rounding."""
    n = len(graph.nodes)
    rows = [[Fraction(int(i == j)) for j in range(n)] + [Fraction(int(i == 0))] for i in range(n)]
    for edge in graph.edges:
        rows[edge.target][edge.source] -= Fraction(10 ** (edge.gain_db / 10))
    for i in range(n):
        k = next(k for k in range(i, n) if rows[k][i] != 0)
        rows[i], rows[k] = rows[k], rows[i]
        rows[i] = [value / rows[i][i] for value in rows[i]]
        for j in range(n):
            if j != i and rows[j][i] != 0:
                rows[j] = [a - rows[j][i] * b for a, b in zip(rows[j], rows[i], strict=True)]
    return [row[-1] for row in rows]


@given(far_apart())
@settings(max_examples=tries(20))
def test_no_power_is_lost_in_the_rounding_of_a_larger_one(graph: SignalGraph) -> None:
    ours = Transfer(graph).power_from([0])[:, 0]
    for value, exact in zip(ours, _exact(graph), strict=True):
        assert value == pytest.approx(float(exact), rel=1e-9)


@given(random_graphs(low=-30, high=-14), st.floats(50, 5000))
@settings(max_examples=tries(20))
def test_without_circles_the_response_is_the_sum_over_ways(graph: SignalGraph, frequency: float) -> None:
    forward = graph_of(
        len(graph.nodes),
        [(e.source, e.target, e.gain_db, e.delay_ms) for e in graph.edges if e.source < e.target],
    )
    transfer = Transfer(forward)
    target = len(forward.nodes) - 1
    ways = best_paths(transfer, 0, target, most=10000, below_db=1e6).paths
    total = sum(10 ** (p.gain_db / 20) * np.exp(-2j * math.pi * frequency * p.delay_ms / 1000) for p in ways)
    assert transfer.response(0, target, np.array([frequency]))[0] == pytest.approx(total, abs=1e-9)


def rings(*gains_db: float) -> SignalGraph:
    """Loops of two nodes each, side by side, of such gains."""
    edges = []
    for n, gain in enumerate(gains_db):
        edges += [(2 * n, 2 * n + 1, gain, 1.0), (2 * n + 1, 2 * n, 0.0, 1.0)]
    return graph_of(2 * len(gains_db), edges)


def test_circles_are_listed_down_to_the_house_figure_and_no_further() -> None:
    floor = number("loop-of-interest")
    found = simple_cycles(Transfer(rings(floor + 0.5, floor - 0.5, -3.0)))
    assert [row.gain_db for row in found.paths] == pytest.approx([-3.0, floor + 0.5])


def test_circles_are_followed_down_to_the_weakest_that_is_noticed_and_none_that_howls() -> None:
    floor = number("loop-of-return")
    found = strong_cycles(Transfer(rings(floor + 0.5, floor - 0.5, -3.0)))
    assert [row.gain_db for row in found] == pytest.approx([-3.0, floor + 0.5])
    assert strong_cycles(Transfer(rings(floor - 0.5, floor - 5))) == ()
    assert [row.gain_db for row in strong_cycles(Transfer(rings(2.0, -20.0)))] == pytest.approx([-20.0])


def test_two_ways_make_the_comb_of_the_handbook() -> None:
    """1 ms apart and equal: a null at 500 Hz, +6.02 dB at 1 kHz (reference figures of two arrivals)."""
    graph = graph_of(4, [(0, 1, 0, 0), (0, 2, 0, 1), (1, 3, 0, 0), (2, 3, 0, 0)])
    response = np.abs(Transfer(graph).response(0, 3, np.array([500.0, 1000.0])))
    assert response[0] == pytest.approx(0, abs=1e-9)
    assert 20 * math.log10(response[1]) == pytest.approx(6.02, abs=0.005)


def test_a_circle_adds_up_like_a_geometric_series() -> None:
    """Gain 1/2 round the loop: 1 / (1 - 1/2) = 2 in step, and in powers 1 / (1 - 1/4)."""
    half = 20 * math.log10(0.5)
    graph = graph_of(3, [(0, 1, 0, 0), (1, 2, 0, 0), (2, 1, half, 0)])
    transfer = Transfer(graph)
    assert abs(transfer.response(0, 2, np.array([0.0]))[0]) == pytest.approx(2)
    assert transfer.power_from([0])[2, 0] == pytest.approx(4 / 3)
    assert transfer.stability.radius == pytest.approx(math.sqrt(0.5))
    assert transfer.stability.margin_db == pytest.approx(6.0206, abs=1e-4), "the gain margin of one loop is its gain"
    circle = simple_cycles(transfer).paths[0]
    assert circle.gain_db == pytest.approx(half)


@pytest.mark.parametrize("gain_db", [-12.0, -3.0, -1.01, -1.0, -0.99, -0.1, -1e-9, 0.0, 1e-12, 1e-9, 0.1, 6.0])
def test_a_loop_at_any_gain_is_told_or_howls_and_nothing_between(gain_db: float) -> None:
    """A single loop's margin is its gain (a handbook fact); within the tolerance of 0 dB no level is told of it."""
    transfer = Transfer(graph_of(4, [(0, 1, 0, 0), (1, 2, 0, 3), (2, 1, gain_db, 7), (2, 3, 0, 0)]))
    near = gain_db > -number("loop-tolerance")
    assert transfer.howls == near or gain_db == -number("loop-tolerance")
    assert transfer.unstable == (frozenset({1, 2}) if transfer.howls else frozenset())
    power = transfer.power_from([0])
    assert np.isfinite(power).all()
    if not transfer.howls:
        assert transfer.stability.margin_db == pytest.approx(-gain_db, abs=1e-9)
        assert power[3, 0] == pytest.approx(1 / (1 - 10 ** (gain_db / 10)))


@pytest.mark.parametrize("split", range(5))
def test_gains_that_cancel_round_a_loop_do_not_hide_it(split: int) -> None:
    """The same 0 dB loop out of gains that round differently: howls in each."""
    gains = [(0.0, 0.0), (23.7, -23.7), (60.0, -60.0), (-17.3, 17.3), (0.1, -0.1)][split]
    transfer = Transfer(graph_of(3, [(0, 1, 0, 0), (1, 2, gains[0], 0), (2, 1, gains[1], 0)]))
    assert transfer.howls


@given(random_graphs(low=-25, high=4))
@settings(max_examples=tries(50))
def test_first_return_by_cutting_the_point_open(graph: SignalGraph) -> None:
    """Opened at a point, all that comes back to it the first time, by a direct solve with its outgoing edges taken away."""
    for stability, part in zip(Transfer(graph).stabilities, Transfer(graph).cyclic_components, strict=True):
        if stability.radius >= 0.999:
            continue
        count = len(part)
        block = stability.block.matrix
        returned = []
        for v in range(count):
            rest = [i for i in range(count) if i != v]
            inside = np.linalg.inv(np.eye(count - 1) - block[np.ix_(rest, rest)]) if rest else np.zeros((0, 0))
            returned.append(block[v, v] + block[v, rest] @ inside @ block[rest, v])
        assert stability.returned == pytest.approx(max(returned), rel=1e-6, abs=1e-9)


@given(random_graphs(low=-20, high=10))
@example(graph_of(4, [(0, 2, 0.0, 0.0), (2, 0, 0.0, 0.0), (1, 3, 1.0, 0.0), (3, 1, 0.0, 0.0)]))
@settings(max_examples=tries(33))
def test_stability_is_the_largest_eigenvalue(graph: SignalGraph) -> None:
    matrix = np.zeros((len(graph.nodes), len(graph.nodes)))
    for edge in graph.edges:
        matrix[edge.target, edge.source] += 10 ** (edge.gain_db / 20)
    largest = float(np.abs(np.linalg.eigvals(matrix)).max())
    assert Transfer(graph).stability.radius == pytest.approx(largest, rel=1e-6, abs=2e-3)


@pytest.mark.parametrize(
    ("size", "scale", "near"),
    [(120, 0.3, 1e-6), (120, 0.02, 1e-6), (120, 4.0, 2e-3), (1100, 0.01, 1e-6), (1100, 3.0, 2e-3)],
)
def test_large_blocks_use_the_iteration_and_agree(size: int, scale: float, near: float) -> None:
    """Against LAPACK's eigenvalues; where it howls anyway, to 0.02 dB."""
    draw = np.random.default_rng(5)
    block = draw.random((size, size)) * (draw.random((size, size)) < 6 / size) + np.roll(np.eye(size), 1, axis=0) * 0.3
    block *= scale
    largest = float(np.abs(np.linalg.eigvals(block)).max())
    assert spectral_radius(Block.full(block)) == pytest.approx(largest, rel=near)


def test_a_ring_of_one_loop_has_the_root_of_its_gain() -> None:
    """A loop of 1,200 steps of -0.1 dB has its gain's 1,200th root as radius, though it never mixes."""
    ring = np.roll(np.eye(1200), 1, axis=0) * 10 ** (-0.1 / 20)
    assert spectral_radius(Block.full(ring)) == pytest.approx(10 ** (-0.1 / 20), rel=1e-6)


def test_a_mesh_too_large_to_list_says_so_and_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("kymaphon.core.graph.paths.MOST_ROUNDS", 30)
    count = 16
    edges = [(a, b, -1.0, 1.0) for a in range(count) for b in range(count) if a != b]
    found = simple_cycles(Transfer(graph_of(count, edges)), floor_db=-1e6, most=100)
    assert not found.complete
    assert found.paths
    assert [row.gain_db for row in found.paths] == sorted((row.gain_db for row in found.paths), reverse=True)


def test_where_a_circle_howls_totals_stay_finite() -> None:
    graph = graph_of(3, [(0, 1, 0, 0), (1, 2, 0, 0), (2, 1, 3, 1)])
    transfer = Transfer(graph)
    assert transfer.unstable == {1, 2}
    power = transfer.power_from([0])
    assert np.isfinite(power).all()
    assert power[2, 0] == pytest.approx(1)


@given(random_graphs(low=-30, high=0))
@settings(max_examples=tries(26))
def test_the_strongest_way_is_the_first_found(graph: SignalGraph) -> None:
    transfer = Transfer(graph)
    target = len(graph.nodes) - 1
    found = best_paths(transfer, 0, target, most=1).paths
    best = strongest_path(transfer, 0, target)
    if not found:
        assert best is None
        return
    if best is not None:
        assert best.gain_db == pytest.approx(found[0].gain_db)


def test_a_long_list_says_that_it_is_cut_short() -> None:
    edges = [(0, i, -1.0 * i, 0.0) for i in range(1, 11)] + [(i, 11, 0.0, 0.0) for i in range(1, 11)]
    transfer = Transfer(graph_of(12, edges))
    assert not best_paths(transfer, 0, 11, most=3).complete
    assert best_paths(transfer, 0, 11, most=3).paths[0].gain_db == -1
    near = best_paths(transfer, 0, 11, below_db=2.5)
    assert [path.gain_db for path in near.paths] == [-1, -2, -3]
    assert near.complete


def test_cutting_a_switch_keeps_all_else() -> None:
    ref = SettingRef("desk", "a>b", "on")
    nodes = tuple(Node(f"n{i}", "", "dBFS", "x") for i in range(3))
    gate = Switch(ref, "a to b", True, True)
    edges = (Edge(0, 1, (), switches=(gate,)), Edge(1, 2, ()), Edge(0, 2, (Derived("g", -6.0, "dB"),)))
    whole = Transfer(SignalGraph(nodes, edges))
    cut = whole.without(frozenset({ref}))
    assert whole.best_gain_to(2)[0] == 0
    assert cut.best_gain_to(2)[0] == -6
    assert len(cut.graph.live) == 2


@given(random_graphs(low=-30, high=0))
@settings(max_examples=tries(33))
def test_many_targets_at_once_are_the_same_as_one_by_one(graph: SignalGraph) -> None:
    """Without amplifying loops, where both are exact; with some, either is only a bound."""
    together, single = Transfer(graph), Transfer(graph)
    targets = list(range(len(graph.nodes)))
    together.prepare_best(targets)
    for target in targets:
        assert together.best_gain_to(target) == pytest.approx(single.best_gain_to(target))
        for source in targets:
            ours, theirs = strongest_path(together, source, target), strongest_path(single, source, target)
            if ours is not None and theirs is not None:
                assert ours.gain_db == pytest.approx(theirs.gain_db)


@given(random_graphs(low=-30, high=0))
@settings(max_examples=tries(26))
def test_no_circle_is_stronger_than_the_bound_of_its_nodes(graph: SignalGraph) -> None:
    transfer = Transfer(graph)
    closed = transfer.closed_gains(list(range(len(graph.nodes))))
    for circle in simple_cycles(transfer, floor_db=-1e6, most=10000).paths:
        for node in circle.nodes:
            assert closed[node] >= circle.gain_db - 1e-9
