"""Earth loops against networkx and against trying every set of isolators."""

from __future__ import annotations

from itertools import combinations

import networkx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.figures import number
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.wiring.earth import Tie, earth_loops, earth_ties, loop_hum
from tests.budget import tries
from tests.core.rigs import dev, of_code, rig, wire

NAMES = ("a", "b", "c", "d", "e", "f")


@st.composite
def _ties(draw: st.DrawFn) -> list[Tie]:
    pairs = draw(st.lists(st.sampled_from(list(combinations(NAMES, 2))), min_size=1, max_size=9, unique=True))
    out = []
    for k, (first, second) in enumerate(pairs):
        kind = draw(st.sampled_from(["shield", "shield", "mains", "usb"]))
        cables = tuple((f"{first}.o{k}{n}", f"{second}.i{k}{n}") for n in range(draw(st.integers(1, 2))))
        out.append(Tie(first, second, kind, cables if kind == "shield" else (), draw(st.booleans())))  # type: ignore[arg-type]
    return out


def _circles(ties: list[Tie]) -> int:
    """Independent loops: edges less nodes and parts (the circuit rank), by networkx."""
    graph = networkx.MultiGraph()
    graph.add_edges_from((tie.first, tie.second) for tie in ties)
    return graph.number_of_edges() - graph.number_of_nodes() + networkx.number_connected_components(graph)


@given(_ties())
@settings(max_examples=tries(50))
def test_as_many_loops_as_the_circuit_rank(ties: list[Tie]) -> None:
    assert len(earth_loops(ties)) == _circles(ties)


@given(_ties())
@settings(max_examples=tries(40))
def test_no_smaller_or_cheaper_set_opens_as_much(ties: list[Tie]) -> None:
    """Every set of openable ties is tried: what the forest leaves over is smallest, and of the smallest the cheapest."""
    opened = [loop.opened for loop in earth_loops(ties) if loop.opened is not None]
    left = _circles([tie for tie in ties if tie not in opened])
    free = [tie for tie in ties if tie.removable]
    fixed = _circles([tie for tie in ties if not tie.removable]) if any(not tie.removable for tie in ties) else 0
    assert left == fixed
    good = (
        [
            group
            for size in range(len(opened) + 1)
            for group in combinations(free, size)
            if _circles([tie for tie in ties if tie not in group] or ties[:0]) == left
        ]
        if len(ties) > len(opened)
        else []
    )
    if good:
        assert min(len(group) for group in good) == len(opened)
        cost = lambda group: sorted((tie.balanced, len(tie.cables)) for tie in group)  # noqa: E731
        cheapest = min(
            sum(len(tie.cables) + 100 * tie.balanced for tie in group) for group in good if len(group) == len(opened)
        )
        assert sum(len(tie.cables) + 100 * tie.balanced for tie in opened) == cheapest, cost(opened)


@given(_ties())
@settings(max_examples=tries(26))
def test_each_loop_is_a_circle(ties: list[Tie]) -> None:
    for loop in earth_loops(ties):
        ends: dict[str, int] = {}
        for tie in loop.ties:
            for end in (tie.first, tie.second):
                ends[end] = ends.get(end, 0) + 1
        assert all(count == 2 for count in ends.values())


def _two_desks(**more: object) -> list[dict[str, object]]:
    return [dev("a", "desk-8", **more), dev("b", "desk-12-4")]


class TestRigs:
    def test_one_cable_between_two_earthed_desks_is_a_loop(self) -> None:
        """One circuit grounded at two points with a difference between them: reference books on grounding (Ott)."""
        show = rig(_two_desks(), [wire("a.main-out.l", "b.in1")])
        loops = earth_loops(earth_ties(show, shipped_catalogue()))
        assert [set(loop.devices) for loop in loops] == [{"a", "b"}]

    @pytest.mark.parametrize("kind", ["desk-stereo", "desk-pocket"])
    def test_none_without_a_second_mains_earth(self, kind: str) -> None:
        show = rig([dev("a", "desk-8"), dev("b", kind)], [wire("a.main-out.l", "b.in1")])
        assert earth_loops(earth_ties(show, shipped_catalogue())) == ()

    @pytest.fixture(autouse=True)
    def every_loop_told(self, monkeypatch: pytest.MonkeyPatch) -> None:
        """However far under the voice its hum lies."""
        monkeypatch.setattr(
            "kymaphon.core.rules.rig_hum.number",
            lambda name: 1000.0 if name == "hum-forgotten" else number(name),
        )

    def test_two_circuits_are_told(self) -> None:
        show = rig(_two_desks(circuit="Van"), [wire("a.main-out.l", "b.in1")])
        assert "2 mains circuits" in of_code(show, "earth-loop")[0].message

    def test_the_isolators_of_all_findings_open_every_loop_and_no_mains_earth(self) -> None:
        devices = [
            *_two_desks(),
            dev("c", "desk-24-mono"),
            dev("laptop", "laptop"),
            dev("face", "interface-8", host="laptop"),
        ]
        cables = [
            wire("a.main-out.l", "b.in1"),
            wire("b.main-out.l", "c.in1"),
            wire("a.send1", "c.in2"),
            wire("c.main-out", "face.in1"),
        ]
        show = rig(devices, cables)
        mains = [tie for tie in earth_ties(show, shipped_catalogue()) if tie.kind == "mains"]
        for _ in range(9):
            found = of_code(show, "earth-loop")
            if not found:
                break
            show = found[0].remedies[0].apply(show)
        left = earth_loops(earth_ties(show, shipped_catalogue()))
        assert all(loop.opened is None for loop in left)
        assert [tie for tie in earth_ties(show, shipped_catalogue()) if tie.kind == "mains"] == mains
        analyse(show)

    def test_an_unbalanced_link_has_the_difference_in_the_signal(self) -> None:
        """10 mV is 20 lg(10 / 774.6) = -37.8 dBu; a balanced input rejects some 60 dB of it (from memory)."""
        loose = loop_hum(Tie("a", "b", "shield", (("a.o", "b.i"),), balanced=False))
        tight = loop_hum(Tie("a", "b", "shield", (("a.o", "b.i"),), balanced=True))
        assert loose.value == pytest.approx(-37.78, abs=0.01)
        assert loose.value - tight.value == pytest.approx(60)

    def test_a_transformer_in_the_way_is_no_tie(self) -> None:
        show = rig(
            [*_two_desks(), dev("iso", "isolator-line")], [wire("a.main-out.l", "iso.in"), wire("iso.out", "b.in1")]
        )
        assert earth_loops(earth_ties(show, shipped_catalogue())) == ()
