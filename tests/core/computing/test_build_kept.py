"""Devices that are laid out once and kept: the same graph as one laid out anew, in bounded memory."""

from __future__ import annotations

import pytest

from kymaphon.core.computing import build
from kymaphon.core.computing.build import build_graph
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.files.demo import demo_path
from kymaphon.files.show_file import read_show


def turned(show: Show, gain_db: float) -> Show:
    return apply_all(show, (SetValue(SettingRef("desk", "in1", "gain_db"), gain_db),))


def test_what_is_kept_is_bounded_and_what_comes_of_it_is_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    show, kinds = read_show(demo_path()), shipped_catalogue()
    kept = build._Kept()
    monkeypatch.setattr(build, "_KEPT", kept)
    whole = build_graph(show, kinds)
    monkeypatch.setattr(build, "KEPT_EDGES", len(whole.edges))
    shows = [turned(show, float(gain)) for gain in range(10, 50)]
    for row in shows:
        build_graph(row, kinds)
        assert kept._rows
        assert kept._edges == sum(len(laid.edges) for laid in kept._rows.values())
        assert kept._edges <= 2 * len(whole.edges)
    again = build_graph(shows[0], kinds)
    monkeypatch.setattr(build, "_KEPT", build._Kept())
    anew = build_graph(shows[0], kinds)
    assert again.nodes == anew.nodes
    assert again.edges == anew.edges


def test_what_did_not_change_is_taken_as_it_was(monkeypatch: pytest.MonkeyPatch) -> None:
    show, kinds = read_show(demo_path()), shipped_catalogue()
    monkeypatch.setattr(build, "_KEPT", build._Kept())
    before, after = build_graph(show, kinds), build_graph(turned(show, 20.0), kinds)
    same = {id(edge) for edge in before.edges} & {id(edge) for edge in after.edges}
    desk = sum(after.nodes[edge.source].id.startswith("desk.") for edge in after.edges)
    assert len(same) > 0
    assert desk
    assert not any(
        id(edge) in same
        for edge in after.edges
        if "desk.in1" in after.nodes[edge.source].id and "desk." in after.nodes[edge.target].id
    )
