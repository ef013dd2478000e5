"""What a step of the signal is, is told by its kind; its label is only for reading."""

from __future__ import annotations

from dataclasses import replace

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.graph.signal import ACOUSTIC, STRAY, UNINTENDED, EdgeKind
from kymaphon.core.model.show import Show
from kymaphon.files.demo import demo_path
from kymaphon.files.show_file import read_show


def small(path_name: str) -> Show:
    """One microphone through a box of the show's own, whose path has a name of its own, to headphones."""
    box = {
        "id": "box",
        "name": "Box",
        "group": "preamp",
        "inputs": [{"id": "in", "name": "in", "domain": "analog", "connector": "xlr", "level": "mic"}],
        "outputs": [{"id": "out", "name": "out", "domain": "analog", "connector": "jack-3", "level": "headphone"}],
        "paths": [{"from": "in", "to": "out", "gain_db": 40.0, "name": path_name}],
    }
    return Show.model_validate(
        {
            "kymaphon": 1,
            "kinds": [box],
            "places": [{"id": "r", "name": "R"}],
            "parties": [
                {
                    "id": "ann",
                    "name": "Ann",
                    "kind": "presenter",
                    "place": "r",
                    "speaks": True,
                    "listens": True,
                    "hears_on": "cans",
                }
            ],
            "devices": [
                {"id": "mic", "kind": "dynamic-close", "party": "ann", "place": "r"},
                {"id": "b", "kind": "box"},
                {"id": "cans", "kind": "headphones", "place": "r"},
            ],
            "cables": [{"from": "mic.out", "to": "b.in"}, {"from": "b.out", "to": "cans.in"}],
        }
    )


@pytest.mark.parametrize("name", ["headphone leak", "bleeds into", "through the air", "cable", "listens"])
def test_a_path_that_is_called_like_a_way_through_the_air_is_still_a_path(name: str) -> None:
    """Nobody is kept from naming a path of their own kind; what it is called changes no figure."""
    plain, odd = analyse(small("gain")), analyse(small(name))
    assert odd.feeds["ann", "ann"].verdict == plain.feeds["ann", "ann"].verdict
    assert odd.feeds["ann", "ann"].gain_db == plain.feeds["ann", "ann"].gain_db
    assert [row.code for row in odd.findings] == [row.code for row in plain.findings]
    step = next(edge for edge in odd.graph.edges if edge.label == name and edge.kind is EdgeKind.INSIDE)
    assert not step.kind


def test_sets_of_kinds() -> None:
    assert STRAY < UNINTENDED < ACOUSTIC
    assert {kind for kind in EdgeKind if kind not in ACOUSTIC} == {
        EdgeKind.INSIDE,
        EdgeKind.CABLE,
        EdgeKind.PLAYS,
        EdgeKind.LISTENS,
    }


def test_of_the_demo_each_acoustic_edge_touches_sound_in_a_place_and_no_other_does() -> None:
    graph = analyse(read_show(demo_path()), remedies=False).graph
    for edge in graph.edges:
        units = {graph.nodes[edge.source].unit, graph.nodes[edge.target].unit}
        if edge.kind in ACOUSTIC:
            assert units == {"dB SPL"}
        assert (edge.label == edge.kind) == (edge.kind is not EdgeKind.INSIDE or not edge.label)
    some = graph.of_kinds(STRAY)
    assert some == {i for i, edge in enumerate(graph.edges) if edge.kind in STRAY}
    assert graph.without(frozenset()).of_kinds(STRAY) is some, "kept along"
    assert replace(graph.edges[0], kind=EdgeKind.LEAK).kind in STRAY
