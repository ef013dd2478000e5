"""What is bounded is said; what is only quick must tell what the slow way tells."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kymaphon.core.acoustics.mouth import between, mouth_gain_at_db, mouth_gain_db
from kymaphon.core.acoustics.pickup import PATTERNS, Pickup
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.graph import paths
from kymaphon.core.graph.transfer import Effort, Transfer
from kymaphon.core.indexed import Indexed
from kymaphon.core.model.show import Show


def ring(desks: int) -> Show:
    """Desks that feed each other in a ring by both mixes, each with a talker who listens."""
    devices, cables, parties = [], [], []
    for i in range(desks):
        devices += [
            {"id": f"d{i}", "kind": "desk-8"},
            {
                "id": f"m{i}",
                "kind": "dynamic-close",
                "party": f"p{i}",
                "place": "r",
                "at_m": [1.1 + 2 * i, 1],
            },
            {"id": f"h{i}", "kind": "headphones", "place": "r"},
        ]
        parties.append(
            {
                "id": f"p{i}",
                "name": f"P{i}",
                "kind": "presenter",
                "place": "r",
                "at_m": [1 + 2 * i, 1],
                "speaks": True,
                "listens": True,
                "hears_on": f"h{i}",
            }
        )
        for out, into in (("main-out.l", "in5"), ("send1", "in6")):
            cables.append({"from": f"d{i}.{out}", "to": f"d{(i + 1) % desks}.{into}"})
        cables += [{"from": f"m{i}.out", "to": f"d{i}.in1"}, {"from": f"d{i}.phones", "to": f"h{i}.in"}]
    return Show.model_validate(
        {"kymaphon": 1, "places": [{"id": "r", "name": "R"}], "parties": parties, "devices": devices, "cables": cables}
    )


def test_a_rig_with_more_ways_than_are_followed_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    show = ring(4)
    whole = analyse(show, remedies=True)
    monkeypatch.setattr(paths, "MOST_STEPS", 12)
    monkeypatch.setattr(paths, "MOST_ROUNDS", 10)
    cut = analyse(show, remedies=True)
    told = next(row for row in cut.findings if row.code == "not-all-listed")
    short = [feed for feed in cut.feeds.values() if not feed.whole]
    assert short
    assert f"{len(short)} of {len(cut.feeds)} pairs" in told.message
    assert "loops" in told.message
    assert not cut.circles.complete
    assert told.severity == "note"
    # What is bounded is the list; the totals are from the solve and stay.
    assert cut.transfer.stability.margin_db == whole.transfer.stability.margin_db
    assert cut.transfer.power_from([0]) == pytest.approx(whole.transfer.power_from([0]))


def test_a_small_rig_says_nothing_of_it() -> None:
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    found = analyse(read_show(demo_path()))
    assert all(feed.whole for feed in found.feeds.values())
    assert "not-all-listed" not in {row.code for row in found.findings}


def test_long_searches_one_after_the_other_use_up_the_effort_and_get_shorter(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Every step counts on when only the least is left, until a tenth of that is granted: it never stalls in between."""
    monkeypatch.setattr(paths, "FURTHER_STEPS", 100)
    graph = analyse(ring(6), remedies=False).graph
    transfer = Transfer(graph, effort=Effort(left=paths.LEAST_STEPS))
    ear = graph.ears["p0"][0]
    spent = []
    for name in graph.mouths:
        before = transfer.effort.left
        paths.best_paths(transfer, graph.mouths[name][0], ear, below_db=60.0)
        spent.append(before - transfer.effort.left)
    assert max(spent) > 100, "they would look at more than the tenth"
    assert spent[-1] <= paths.LEAST_STEPS // 10


@given(st.floats(-400, 400))
def test_one_angle_is_the_array_of_one(angle: float) -> None:
    assert mouth_gain_at_db(angle) == float(mouth_gain_db(angle))
    for pattern in PATTERNS:
        pickup = Pickup(pattern)
        assert pickup.gain_at_db(angle, 0.4) == float(pickup.gain_db(angle, 0.4)), pattern


@given(
    st.lists(st.integers(-1000, 1000), min_size=2, max_size=9, unique=True).map(sorted),
    st.floats(-2e3, 2e3),
    st.integers(0, 99),
)
def test_between_is_numpys_interpolation(points: list[int], at: float, seed: int) -> None:
    values = np.random.default_rng(seed).normal(size=len(points)).tolist()
    for spot in (at, *points):
        assert between(spot, points, values) == pytest.approx(
            float(np.interp(spot, points, values)), rel=1e-12, abs=1e-12
        )


def test_an_index_is_made_once_for_a_tuple_and_anew_for_another() -> None:
    made = []

    def make(rows: tuple[str, ...]) -> int:
        made.append(rows)
        return len(made)

    index = Indexed(make, most=2)
    first = ("a", "b")
    same = tuple(iter(first))
    assert first is not same
    assert (index(first), index(first), index(same), index(first)) == (1, 1, 2, 1)
    third = ("c",)
    assert index(third) == 3, "the others are let go"
    assert index(first) == 4
