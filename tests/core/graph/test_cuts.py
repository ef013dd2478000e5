"""The cut finder against brute force on small random rigs, and by hand where the answer is known."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.derive import Derived
from kymaphon.core.graph.cuts import PairConstraint, closing_switches, fewest_cuts, flipped, switch_words
from kymaphon.core.graph.paths import SignalPath, best_paths
from kymaphon.core.graph.signal import Edge, Node, SignalGraph, Switch
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.ids import SettingRef
from tests.budget import tries

FLOOR = -100.0


def ref(name: str) -> SettingRef:
    return SettingRef("desk", name, "on")


def rig(count: int, edges: list[tuple[int, int, str]]) -> SignalGraph:
    """Edges of 0 dB; one with a name has a switch of that name, closed; `off:` before the name: open."""
    nodes = tuple(Node(f"n{i}", "", "dBFS", "x") for i in range(count))
    rows = []
    for a, b, name in edges:
        now = not name.startswith("off:")
        switch = (Switch(ref(name.removeprefix("off:")), name.removeprefix("off:"), True, now),) if name else ()
        rows.append(Edge(a, b, (Derived("g", -1.0, "dB"),), switches=switch))
    return SignalGraph(nodes, tuple(rows))


def ways_to(graph: SignalGraph, target: int):  # type: ignore[no-untyped-def]
    def bad(transfer: Transfer) -> list[list[SignalPath]]:
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


@given(rigs(), st.sets(st.integers(1, 5), max_size=3))
@settings(max_examples=tries(66))
def test_as_few_as_brute_force_and_really_cured(graph: SignalGraph, wanted: set[int]) -> None:
    """The bad way leads to the last node; the wants are nodes before it that are reached. Every set of switches is tried beside it."""
    target = len(graph.nodes) - 1
    names = sorted({switch.label for edge in graph.edges for switch in edge.switches})
    level = Transfer(graph).best_gain_to
    kept = [
        PairConstraint(0, (node,), FLOOR, f"n{node}", "nought")
        for node in sorted(wanted)
        if node < target and level(node)[0] >= FLOOR
    ]

    def broken(together: tuple[str, ...]) -> int:
        cut = Transfer(graph.without(frozenset(ref(name) for name in together)))
        return sum(cut.best_gain_to(row.ears[0])[0] < FLOOR for row in kept)

    every = [row for size in range(len(names) + 1) for row in itertools.combinations(names, size)]
    cures = [row for row in every if cures_all(graph, row, target)]
    whole = [row for row in cures if broken(row) == 0]
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, target), kept, [])
    clean = [cut for cut in cuts if not cut.breaks]
    if whole and not whole[0]:
        assert cuts == []  # nothing is bad
        return
    if not whole:
        assert not clean
        assert bool(cuts) == bool(cures)
        assert all(len(cut.breaks) == min(broken(row) for row in cures) for cut in cuts)
        return
    assert clean
    assert {len(cut.switches) for cut in clean} == {min(len(row) for row in whole)}
    for cut in clean:
        labels = tuple(switch.label for switch in cut.switches)
        assert cures_all(graph, labels, target)
        assert broken(labels) == 0


def test_four_ways_need_four_switches() -> None:
    """No limit stands in the way: four ways side by side, a switch in each, and a want that forbids the one before them all."""
    graph = rig(6, [(0, 1, "all"), *((1, i, f"s{i}") for i in range(2, 6)), *((i, 5, "") for i in range(2, 5))])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 5), [PairConstraint(0, (1,), FLOOR, "l", "v")], [])
    assert [sorted(switch.label for switch in cut.switches) for cut in cuts] == [["s2", "s3", "s4", "s5"]]


def test_of_two_pairs_of_switches_the_one_that_silences_fewer() -> None:
    """Two ways in series of two switches each; the later pair leaves node 1 and node 2 theirs."""
    graph = rig(5, [(0, 1, "a1"), (0, 2, "b1"), (1, 4, "a2"), (2, 4, "b2"), (0, 3, "")])
    spare = [PairConstraint(0, (node,), FLOOR, f"n{node}", "v") for node in (1, 2)]
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 4), [PairConstraint(0, (3,), FLOOR, "l", "v")], spare)
    assert sorted(switch.label for switch in cuts[0].switches) == ["a2", "b2"]
    assert [len(cut.silences) for cut in cuts] == [0, 1, 1]


def test_one_switch_before_two() -> None:
    graph = rig(4, [(0, 1, "one"), (1, 2, "left"), (1, 3, "right"), (2, 3, "")])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 3), [], [])
    assert [cut.label for cut in cuts] == ["Switch off: one"]


def test_the_want_forbids_the_easy_cut() -> None:
    """Node 1 must be reached: not the common switch, but both behind it."""
    graph = rig(4, [(0, 1, "one"), (1, 2, "left"), (1, 3, "right"), (2, 3, "")])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 3), [PairConstraint(0, (1,), FLOOR, "l", "v")], [])
    assert [sorted(switch.label for switch in cut.switches) for cut in cuts] == [["left", "right"]]


def test_an_unasked_pair_is_spared_where_it_can_be() -> None:
    """Either switch cures; the second leaves node 1 its sound."""
    graph = rig(3, [(0, 1, "first"), (1, 2, "second")])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 2), [], [PairConstraint(0, (1,), FLOOR, "l", "v")])
    assert [cut.label for cut in cuts] == ["Switch off: second", "Switch off: first"]
    assert not cuts[0].silences
    assert len(cuts[1].silences) == 1


def heard(gains: dict[tuple[int, str], float]) -> SignalGraph:
    """Ways from node 0 to ears, each by a switch of its own or, without a name, by none: (ear, switch) -> gain."""
    ears = sorted({ear for ear, _ in gains})
    nodes = tuple(Node(f"n{i}", "", "dBFS", "x") for i in range(1 + len(ears) + len(gains)))
    edges = []
    for k, ((ear, name), gain) in enumerate(gains.items()):
        between = 1 + len(ears) + k
        switch = (Switch(ref(name), name, True, True),) if name.isalpha() else ()
        edges.append(Edge(0, between, (Derived("g", gain, "dB"),), switches=switch))
        edges.append(Edge(between, ear, ()))
    return SignalGraph(nodes, tuple(edges))


def doubled(ears: tuple[int, ...]):  # type: ignore[no-untyped-def]
    """At an ear the two strongest ways lie within the three-to-one difference: one of them has to go."""

    def bad(transfer: Transfer) -> list[list[SignalPath]]:
        found = (best_paths(transfer, 0, ear, below_db=100).paths for ear in ears)
        return [list(row[:2]) for row in found if len(row) > 1 and row[0].gain_db - row[1].gain_db <= 9.54]

    return bad


def test_what_a_cut_makes_bad_speaks_against_that_cut_alone() -> None:
    """At the first ear a and b double. At the second a covers two weak ways; opening a would uncover them, opening b does not.

    What is found bad with a open must not be asked of b.
    """
    graph = heard({(1, "a"): 0, (1, "b"): -2, (2, "a"): 0, (2, "c"): -20, (2, "d"): -22})
    cuts = fewest_cuts(Transfer(graph), doubled((1, 2)), [], [])
    assert [cut.label for cut in cuts] == ["Switch off: b"]


@given(
    st.dictionaries(
        st.tuples(st.integers(1, 2), st.sampled_from([*"abcde", "1", "2"])),
        st.floats(-30, 0),
        min_size=2,
        max_size=8,
    )
)
@settings(max_examples=tries(50))
def test_doubles_as_few_as_brute_force(gains: dict[tuple[int, str], float]) -> None:
    """Bad here comes and goes as switches open; every set of switches is tried beside it."""
    both = {(ear, name): gain for (ear, name), gain in gains.items()} | {(ear, "9"): -60.0 for ear in (1, 2)}
    graph = heard(both)
    bad = doubled((1, 2))
    names = sorted({name for _, name in gains if name.isalpha()})
    every = [row for size in range(len(names) + 1) for row in itertools.combinations(names, size)]
    cures = [row for row in every if not bad(Transfer(graph.without(frozenset(ref(name) for name in row))))]
    cuts = fewest_cuts(Transfer(graph), bad, [], [])
    if not cures or not cures[0]:
        assert cuts == []
        return
    assert {len(cut.switches) for cut in cuts} == {min(len(row) for row in cures)}
    for cut in cuts:
        assert tuple(sorted(switch.label for switch in cut.switches)) in cures


def test_a_way_without_a_switch_cannot_be_cut() -> None:
    graph = rig(3, [(0, 1, "a"), (1, 2, ""), (0, 2, "")])
    assert fewest_cuts(Transfer(graph), ways_to(graph, 2), [], []) == []


def test_where_only_harm_is_possible_the_want_is_named() -> None:
    graph = rig(3, [(0, 1, "a"), (1, 2, "")])
    cuts = fewest_cuts(Transfer(graph), ways_to(graph, 2), [PairConstraint(0, (1,), FLOOR, "listener", "voice")], [])
    assert [row.listener for row in cuts[0].breaks] == ["listener"]


def test_closing_brings_back_and_only_what_is_fine() -> None:
    graph = rig(4, [(0, 1, ""), (1, 3, "off:good"), (1, 3, "off:bad"), (2, 3, "off:elsewhere")])
    found = closing_switches(graph, 0, (3,), lambda transfer: "bad" not in _on(transfer))
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


def test_beyond_its_effort_it_tells_the_smallest_set_found_so_far(monkeypatch: pytest.MonkeyPatch) -> None:
    """Lines of nine points again, as ways: every way runs through three switches and is heard by itself."""
    lines = ["abc", "def", "ghi", "adg", "beh", "cfi", "aei", "bfg", "cdh", "afh", "bdi", "ceg"]
    edges, count = [], 2
    for line in lines:
        edges += [(0, count, line[0]), (count, count + 1, line[1]), (count + 1, 1, line[2])]
        count += 2
    graph = rig(count, edges)

    def bad(transfer: Transfer) -> list[list[SignalPath]]:
        return [[path] for path in best_paths(transfer, 0, 1, most=20, below_db=1e6).paths]

    proven = fewest_cuts(Transfer(graph), bad, [], [])
    assert {len(cut.switches) for cut in proven} == {5}
    assert all(cut.fewest for cut in proven)
    monkeypatch.setattr("kymaphon.core.graph.cuts.EFFORT", 12)
    some = fewest_cuts(Transfer(graph), bad, [], [])
    assert some
    assert not any(cut.fewest for cut in some)
    for cut in some:
        assert bad(Transfer(graph.without(frozenset(row.ref for row in cut.switches)))) == []
