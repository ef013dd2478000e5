"""The choice that hits every row against scipy's integer programme and against every choice there is."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import Bounds, LinearConstraint, milp

from kymaphon.core.graph.hitting import HittingSet
from tests.budget import tries

Sets = list[frozenset[int]]
Rows = list[tuple[frozenset[int], frozenset[int]]]
COUNT = 8
some = st.frozensets(st.integers(0, COUNT - 1), min_size=1, max_size=4)
given_sets = st.one_of(st.just(frozenset()), st.frozensets(st.integers(0, COUNT - 1), max_size=2))
costs = st.lists(st.sampled_from([1.0, 1.1, 2.0, 3.5]), min_size=COUNT, max_size=COUNT)
dears = st.lists(st.tuples(some, st.integers(0, 2), st.just(1.5)), max_size=4)


def by_milp(
    cost: list[float], rows: Rows, forbidden: Sets, dear: list[tuple[frozenset[int], int, float]]
) -> float | None:
    """The same as a 0-1 programme: a dear set has a variable for each of its owners, which is 1 once the set is chosen whole."""
    count = COUNT + 3
    lines, low, high = [], [], []
    for given_, things in rows:
        line = np.zeros(count)
        for thing in things:
            line[thing] += 1
        for thing in given_:
            line[thing] -= 1
        lines.append(line)
        low.append(1 - len(given_))
        high.append(np.inf)
    for refs, owner in [*((row, None) for row in forbidden), *((row, whose) for row, whose, _ in dear)]:
        line = np.zeros(count)
        line[list(refs)] = 1
        if owner is not None:
            line[COUNT + owner] = -1
        lines.append(line)
        low.append(-np.inf)
        high.append(len(refs) - 1)
    every = np.array([*cost, 1.5, 1.5, 1.5])
    limits = LinearConstraint(np.array(lines).reshape(-1, count), low, high)
    found = milp(
        every,
        constraints=limits,
        integrality=np.ones(count),
        bounds=Bounds(0, 1),
        options={"mip_rel_gap": 0.0},
    )
    return None if found.x is None else float(found.fun)


def worth(
    chosen: frozenset[int],
    cost: list[float],
    rows: Rows,
    forbidden: Sets,
    dear: list[tuple[frozenset[int], int, float]],
) -> float | None:
    if any(row <= chosen for row in forbidden) or any(g <= chosen and not things & chosen for g, things in rows):
        return None
    return sum(cost[thing] for thing in chosen) + 1.5 * len({whose for row, whose, _ in dear if row <= chosen})


@given(costs, st.lists(st.tuples(given_sets, some), max_size=6), st.lists(some, max_size=4), dears)
@settings(max_examples=tries(100))
def test_as_cheap_as_every_choice_and_as_an_integer_programme(
    cost: list[float], rows: Rows, forbidden: Sets, dear: list[tuple[frozenset[int], int, float]]
) -> None:
    choice = HittingSet(dict(enumerate(cost)), rows, forbidden, dear)
    found = choice.least()
    assert choice.proven
    every = (frozenset(row) for size in range(COUNT + 1) for row in itertools.combinations(range(COUNT), size))
    values = [value for row in every if (value := worth(row, cost, rows, forbidden, dear)) is not None]
    # A row that is met by its own `given` asks for nothing: the programme counts it alike.
    by_programme = by_milp(cost, rows, forbidden, dear)
    if found is None:
        assert values == []
        assert by_programme is None
        return
    mine = worth(found, cost, rows, forbidden, dear)
    assert mine == pytest.approx(min(values))
    assert mine == pytest.approx(by_programme)


def test_a_bound_on_work_gives_the_best_so_far_and_says_so() -> None:
    """Steiner triples of nine points: five points are the fewest that hit all twelve lines (Hall, Combinatorial Theory, 1967)."""
    lines = [
        (0, 1, 2),
        (3, 4, 5),
        (6, 7, 8),
        (0, 3, 6),
        (1, 4, 7),
        (2, 5, 8),
        (0, 4, 8),
        (1, 5, 6),
        (2, 3, 7),
        (0, 5, 7),
        (1, 3, 8),
        (2, 4, 6),
    ]
    rows = [(frozenset[int](), frozenset(line)) for line in lines]
    whole = HittingSet(dict.fromkeys(range(9), 1.0), rows)
    found = whole.least()
    assert found is not None
    assert len(found) == 5
    assert whole.proven
    short = HittingSet(dict.fromkeys(range(9), 1.0), rows, effort=8)
    first = short.least()
    assert first is not None
    assert all(first & line for _, line in rows)
    assert not short.proven
    assert short.effort == 0
    none = HittingSet(dict.fromkeys(range(9), 1.0), rows, effort=0)
    assert none.least() is None
    assert not none.proven
