"""Ids of sockets and points, positions of knobs, and what reaches what; and every example in the core's docstrings."""

from __future__ import annotations

import doctest
import importlib
import math
import pkgutil
from pathlib import Path

import networkx as nx
import pytest
from hypothesis import given
from hypothesis import strategies as st

import kymaphon.core
from kymaphon.core.graph.signal import Knob, SignalGraph, nearest_step, reachable
from kymaphon.core.model.ids import NodeId, PortId, SettingRef
from kymaphon.core.model.show import same_socket
from tests.core.graph.test_paths_transfer import random_graphs

NAMES = st.from_regex(r"[a-z][a-z0-9-]{0,7}", fullmatch=True)
SIDES = st.sampled_from(("", "l", "r"))


@given(NAMES, NAMES, SIDES, st.sampled_from(("", "pre", "mix", "post")))
def test_ids_come_back_as_they_were(owner: str, port: str, side: str, tap: str) -> None:
    socket = PortId(owner, port, side)
    assert PortId.of(str(socket)) == socket
    assert str(socket) == f"{owner}.{port}" + (f".{side}" if side else "")
    node = NodeId(owner, port, side, tap)
    assert NodeId.of(str(node)) == node
    assert node.socket == socket.socket == f"{owner}.{port}"
    assert node.reference == str(socket)


@given(NAMES, NAMES, SIDES, SIDES)
def test_two_plugs_go_into_one_socket_only_where_each_has_a_side_of_its_own(
    owner: str, port: str, a: str, b: str
) -> None:
    """Both sides of a stereo socket take a plug each; the whole socket shares with nothing (common practice)."""
    first, second = str(PortId(owner, port, a)), str(PortId(owner, port, b))
    assert same_socket(first, second) == (a == b or not a or not b)
    assert not same_socket(first, str(PortId(owner, f"{port}2", b)))


def test_a_device_that_is_named_as_a_whole_has_no_port() -> None:
    assert PortId.of("recorder") == ("recorder", "", "")
    assert PortId.of("") == ("", "", "")
    assert str(PortId.of("recorder")) == "recorder"


@given(st.floats(-200, 200), st.integers(-100, 0), st.integers(1, 100), st.sampled_from((0.5, 1.0, 3.0, 6.0)))
def test_a_knob_snaps_to_the_nearest_position_that_it_has(wanted: float, lowest: int, span: int, step: float) -> None:
    """Against a search through every position; a range that ends between two positions ends at its end."""
    highest = float(lowest + span)
    knob = Knob(SettingRef("d", "in1", "gain_db"), "gain", 0.0, float(lowest), highest, step)
    positions = [lowest + n * step for n in range(math.floor(span / step + 1e-9) + 1)]
    ours = knob.snap(wanted)
    assert lowest <= ours <= highest
    assert abs(wanted - ours) <= min(abs(wanted - at) for at in (*positions, highest)) + 2e-3
    assert any(ours == pytest.approx(at, abs=1e-3) for at in (*positions, highest))
    assert ours == round(nearest_step(wanted, lowest, highest, step), 3)


@given(random_graphs(low=-20, high=0), st.booleans(), st.data())
def test_reach_is_that_of_a_general_graph_library(graph: SignalGraph, backward: bool, data: st.DataObject) -> None:
    starts = data.draw(st.sets(st.integers(0, len(graph.nodes) - 1), min_size=1, max_size=3))
    other = nx.DiGraph()
    other.add_nodes_from(range(len(graph.nodes)))
    other.add_edges_from((edge.source, edge.target) for edge in graph.edges if edge.on)
    rows = nx.ancestors if backward else nx.descendants
    expected = set(starts).union(*(rows(other, node) for node in starts))
    assert reachable(graph, starts, backward=backward) == expected


def test_every_example_in_the_core_is_as_it_says() -> None:
    tried = 0
    for found in pkgutil.walk_packages(kymaphon.core.__path__, "kymaphon.core."):
        module = importlib.import_module(found.name)
        if ">>>" not in Path(str(module.__file__)).read_text(encoding="utf-8"):
            continue
        result = doctest.testmod(module)
        assert not result.failed, found.name
        tried += result.attempted
    assert tried >= 30
