"""The cut finder against brute force on small random rigs, and by hand where the answer is known."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.cuts import Kept, closers, fewest_cuts, flipped, switch_words
from kymaphon.core.derive import Derived
from kymaphon.core.graph import Edge, Node, SettingRef, SignalGraph, Switch
from kymaphon.core.paths import PathThrough, best_paths
from kymaphon.core.transfer import Transfer

FLOOR = -100.0


def ref(name: str) -> SettingRef:
    return SettingRef("desk", name, "on")


def rig(count: int, edges: list[tuple[int, int, str]]) -> SignalGraph:
    """Edges of 0 dB; one with a name has a switch of that name, closed; `off:` before the name: open."""
    nodes = tuple(Node(f"n{i}", "", "dBFS", "x") for i in range(count))
    rows = []
    for a, b, name in edges:
        now = not name.startswith("off:")
        switch = (
            (Switch(ref(name.removeprefix("off:")), name.removeprefix("off:"), True, now),) if name else ()
        )
        rows.append(Edge(a, b, (Derived("g", -1.0, "dB"),), switches=switch))
    return SignalGraph(nodes, tuple(rows))


def ways_to(graph: SignalGraph, target: int):  # type: ignore[no-untyped-def]
    def bad(transfer: Transfer) -> list[list[PathThrough]]:
        return [[path] for path in best_paths(transfer, 0, target, most=4, below_db=1e6).paths]

    return bad


def cures_all(graph: SignalGraph, names: tuple[str, ...], target: int) -> bool:
    cut = Transfer(graph.without(frozenset(ref(name) for name in names)))
    return cut.best_gain_to(target)[0] == float("-inf")


@st.composite
def rigs(draw: st.DrawFn) -> SignalGraph:
    count = draw(st.integers(4, 7))
    names = ["", "a", "b", "c", "d", "e"]
    ends = st.tuples(st.integers(0, count - 2), st.integers(1, count - 1), st.sampled_from(names))
    edges = draw(st.lists(ends, min_size=2, max_size=10))
    return rig(count, [(a, b, name) for a, b, name in edges if a < b])


@given(rigs())
@settings(max_examples=200, deadline=None)
def test_as_few_as_brute_force_and_really_cured(graph: SignalGraph) -> None:
    """The bad way leads to the last node; what is wanted is that node 1 is still reached, if it was."""
    target = len(graph.nodes) - 1
    names = sorted({switch.label for edge in graph.edges for switch in edge.switches})
    reached = Transfer(graph).best_gain_to(1)[0] > float("-inf") and target != 1
    kept = [Kept(0, (1,), FLOOR, "one", "nought")] if reached else []

    def whole(together: tuple[str, ...]) -> bool:
        cut = Transfer(graph.without(frozenset(ref(name) for name in together)))
        return not kept or cut.best_gain_to(1)[0] >= FLOOR

    best = None
    for size in range(4):
        good = [
            row for row in itertools.combinations(names, size) if cures_all(graph, row, target) and whole(row)
        ]
        if good:
            best = size
            break
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, target), kept, [])
    clean = [cut for cut in cuts if not cut.breaks]
    if best in (None, 0):
        assert not clean
        return
    assert clean
    assert {len(cut.switches) for cut in clean} == {best}
    for cut in clean:
        assert cures_all(graph, tuple(switch.label for switch in cut.switches), target)


def test_one_switch_before_two() -> None:
    graph = rig(4, [(0, 1, "one"), (1, 2, "left"), (1, 3, "right"), (2, 3, "")])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 3), [], [])
    assert [cut.label for cut in cuts] == ["Switch off: one"]


def test_the_want_forbids_the_easy_cut() -> None:
    """Node 1 must be reached: not the common switch, but both behind it."""
    graph = rig(4, [(0, 1, "one"), (1, 2, "left"), (1, 3, "right"), (2, 3, "")])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 3), [Kept(0, (1,), FLOOR, "l", "v")], [])
    assert [sorted(switch.label for switch in cut.switches) for cut in cuts] == [["left", "right"]]


def test_an_unasked_pair_is_spared_where_it_can_be() -> None:
    """Either switch cures; the second leaves node 1 its sound."""
    graph = rig(3, [(0, 1, "first"), (1, 2, "second")])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 2), [], [Kept(0, (1,), FLOOR, "l", "v")])
    assert [cut.label for cut in cuts] == ["Switch off: second", "Switch off: first"]
    assert not cuts[0].silences
    assert len(cuts[1].silences) == 1


def test_a_way_without_a_switch_cannot_be_cut() -> None:
    graph = rig(3, [(0, 1, "a"), (1, 2, ""), (0, 2, "")])
    assert fewest_cuts(Transfer(graph), ways_to(graph, 2), [], []) == []


def test_where_only_harm_is_possible_the_want_is_named() -> None:
    graph = rig(3, [(0, 1, "a"), (1, 2, "")])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 2), [Kept(0, (1,), FLOOR, "listener", "voice")], [])
    assert [row.listener for row in cuts[0].breaks] == ["listener"]


def test_closing_brings_back_and_only_what_is_fine() -> None:
    graph = rig(4, [(0, 1, ""), (1, 3, "off:good"), (1, 3, "off:bad"), (2, 3, "off:elsewhere")])
    found = closers(graph, 0, (3,), lambda transfer: "bad" not in _on(transfer))
    assert [switch.label for switch in found] == ["good"]


def _on(transfer: Transfer) -> set[str]:
    return {switch.label for i in transfer.graph.live for switch in transfer.graph.edges[i].switches}


def test_flipping_turns_every_edge_of_a_switch() -> None:
    graph = rig(3, [(0, 1, "a"), (1, 2, "a"), (0, 2, "off:b")])
    turned = flipped(graph, [ref("a"), ref("b")])
    assert len(turned.live) == 1
    assert turned.edges[turned.live[0]].target == 2


@pytest.mark.parametrize(
    ("field", "now", "words"),
    [
        ("on", True, "Switch off: desk, x"),
        ("on", False, "Switch on: desk, x"),
        ("mute", False, "Mute: desk, x"),
        ("mute", True, "Unmute: desk, x"),
    ],
)
def test_switches_read_as_orders(field: str, now: bool, words: str) -> None:
    label = "desk, x, mute" if field == "mute" else "desk, x"
    assert switch_words(Switch(SettingRef("desk", "x", field), label, field == "on", now)) == words
