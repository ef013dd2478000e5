"""Loops as their few entries, against full matrices: what the sparse ways tell must be what LAPACK tells."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.graph import block as blocks
from kymaphon.core.graph.block import Block
from kymaphon.core.graph.ladder import NoiseField
from kymaphon.core.graph.stability import Stability
from kymaphon.core.graph.transfer import Transfer
from tests.budget import tries
from tests.core.graph.test_paths_transfer import random_graphs


def mesh(seed: int, size: int = 60, each: float = 2.2, radius: float = 0.7) -> np.ndarray:
    """Weights between points in units of their own, as sound, volts and full scale are, with one ring through all."""
    draw = np.random.default_rng(seed)
    matrix = (
        draw.random((size, size)) * (draw.random((size, size)) < each / size) + np.roll(np.eye(size), 1, axis=0) * 0.4
    )
    matrix *= radius / np.abs(np.linalg.eigvals(matrix)).max()
    unit = 10 ** draw.uniform(-6, 6, size)
    return matrix * unit[:, None] / unit[None, :]


@pytest.fixture
def sparse(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every block is taken as a large one, and its right sides in portions."""
    monkeypatch.setattr(blocks, "DENSE", 0)
    monkeypatch.setattr(blocks, "AT_ONCE", 7)


@pytest.mark.parametrize("seed", range(5))
def test_sparse_solution_is_the_full_one(seed: int, sparse: None) -> None:
    matrix = mesh(seed)
    entering = np.zeros((60, 20))
    entering[np.random.default_rng(seed).integers(0, 60, 20), range(20)] = 1.0
    full = np.linalg.solve(np.eye(60) - matrix, entering)
    ours = Block.full(matrix).solved(entering)
    assert ours == pytest.approx(full, rel=1e-9, abs=np.abs(full).max() * 1e-14)


@pytest.mark.parametrize("seed", range(5))
def test_rounds_are_the_diagonal_of_the_inverse(seed: int, sparse: None) -> None:
    matrix = mesh(seed)
    inverse = np.diag(np.linalg.inv(np.eye(60) - matrix))
    assert Block.full(matrix).balanced().rounds() == pytest.approx(inverse, rel=1e-8)


@pytest.mark.parametrize("seed", range(12))
def test_without_the_points_between_as_much_comes_back(seed: int, sparse: None) -> None:
    """The most that comes back at any point, of the knots against that of every point."""
    matrix = mesh(seed, each=0.6, radius=0.5 + 0.04 * seed)
    full = float((1 - 1 / np.diag(np.linalg.inv(np.eye(60) - matrix))).max())
    knots = Block.full(matrix).knots()
    assert 0 < knots.size < 45, "a ring with few ways across has few knots"
    assert Stability(Block.full(matrix)).returned == pytest.approx(full, rel=1e-8)
    inside = np.diag(np.linalg.inv(np.eye(knots.size) - knots.matrix))
    assert float((1 - 1 / inside).max()) == pytest.approx(full, rel=1e-8)


def test_a_ring_has_one_knot_with_its_gain_on_it() -> None:
    ring = np.roll(np.eye(50), 1, axis=0) * 0.99
    knot = Block.full(ring).knots()
    assert knot.matrix == pytest.approx(np.array([[0.99**50]]))


@given(st.integers(0, 10_000))
@settings(max_examples=tries(20))
def test_opened_nothing_goes_round_and_all_is_still_reached(seed: int) -> None:
    matrix = mesh(seed, size=14)
    opened = Block.full(matrix).opened([3])
    assert not np.linalg.matrix_power((opened.matrix > 0).astype(int), 14).any(), "no way is as long as all points"
    reached = np.linalg.matrix_power(np.eye(14) + (opened.matrix > 0), 14)[:, 3]
    assert (reached > 0).all(), "the ring went through all of them"
    assert (matrix[opened.target, opened.source] == opened.weight).all()


@given(random_graphs(low=-30, high=4))
@settings(max_examples=tries(20))
def test_large_and_small_say_the_same_of_a_rig(graph) -> None:
    """Powers and responses of the same random rig, taken as small and as large; where it howls too, where the same is cut open."""
    every = list(range(len(graph.nodes)))
    frequencies = np.array([31.5, 1000.0, 7777.0])
    small = Transfer(graph)
    power = small.power_from(every)
    answers = None if small.howls else [small.response(0, node, frequencies) for node in every]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(blocks, "DENSE", 0)
        patch.setattr(blocks, "AT_ONCE", 2)
        for name, value in (("DENSE", 0), ("AT_ONCE", 2)):
            patch.setattr("kymaphon.core.graph.transfer." + name, value)
        large = Transfer(graph)
        assert large.power_from(every) == pytest.approx(power, rel=1e-9, abs=1e-12)
        assert large.stability.margin_db == pytest.approx(small.stability.margin_db, abs=1e-6)
        for node, answer in zip(every, answers or (), strict=False):
            assert large.response(0, node, frequencies) == pytest.approx(answer, abs=1e-9)


def test_noises_in_single_precision_are_told_to_a_millionth_of_a_db(monkeypatch: pytest.MonkeyPatch) -> None:
    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    analysis = analyse(read_show(demo_path()), remedies=False)
    nodes = range(len(analysis.graph.nodes))
    double = analysis.noise.foreign_at(nodes, [0, 3])
    monkeypatch.setattr("kymaphon.core.graph.ladder.MOST_DOUBLE", 0)
    single = NoiseField(analysis.graph, analysis.transfer).foreign_at(nodes, [0, 3])
    heard = double > 1e-25
    assert heard.sum() > 200
    assert np.abs(10 * np.log10(single[heard] / double[heard])).max() < 2e-6
