"""Small rigs with talkback: a van with a panel, a commentator's box at the window, a desk, a line to the station."""

from __future__ import annotations

import copy
from typing import Any

from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.show import Show
from tests.core.rigs import dev, wire

VAN: dict[str, Any] = {
    "kymaphon": 1,
    "places": [
        {"id": "studio", "name": "Window", "size_m": [8, 6], "ambient_dba": 50, "noise": "crowd"},
        {"id": "van", "name": "Van", "size_m": [5, 2.2], "ambient_dba": 40, "noise": "fan"},
    ],
    "parties": [
        {
            "id": "ann",
            "name": "Ann",
            "kind": "presenter",
            "place": "studio",
            "at_m": [2, 2],
            "speaks": True,
            "listens": True,
            "hears_on": "cans",
            "effort": "raised",
        },
        {"id": "dee", "name": "Dee", "kind": "crew", "place": "van", "at_m": [1, 1], "speaks": True, "listens": True},
        {"id": "air", "name": "Air", "kind": "audience", "listens": True, "hears_on": "line"},
    ],
    "devices": [
        dev("mic", "lip-ribbon", party="ann", at_m=[2, 2.04]),
        dev("box", "commentator-box", at_m=[2.5, 2], settings={"volume": {"gain_db": -24}}),
        dev("cans", "headphones"),
        {"id": "panel", "kind": "talk-panel", "place": "van", "at_m": [1, 0.6], "party": "dee"},
        {"id": "desk", "kind": "desk-24-mono", "place": "van", "settings": {"in24>group1": {"on": False}}},
        {"id": "line", "kind": "studio-line", "place": "van"},
    ],
    "cables": [
        wire("mic.out", "box.mic"),
        wire("box.programme", "desk.in21"),
        wire("box.lazy", "panel.in1"),
        wire("panel.out1", "box.talk-in"),
        wire("panel.out2", "desk.in24"),
        wire("box.phones", "cans.in"),
        wire("desk.main-out", "line.in"),
    ],
    "wants": [{"listener": "air", "voice": "ann", "want": "hear"}],
    "circuits": [
        {
            "id": "comm",
            "name": "Commentary",
            "private": True,
            "members": [
                {"party": "dee", "key": "panel.talk1", "action": "momentary"},
                {"party": "ann", "key": "box.lazy-key", "acts": True},
            ],
        }
    ],
}


def van(change: Any = None) -> Show:
    """The rig as it should be, or with something done to its rows: `change` takes them as a plain dict, by ids where they have some."""
    rows = copy.deepcopy(VAN)
    if change is not None:
        change(rows)
    return Show.model_validate(rows)


def row(rows: dict[str, Any], table: str, name: str) -> dict[str, Any]:
    """A row of the plain show by its id."""
    found: dict[str, Any] = next(one for one in rows[table] if one["id"] == name)
    return found


def member(rows: dict[str, Any], circuit: str, party: str) -> dict[str, Any]:
    found: dict[str, Any] = next(one for one in row(rows, "circuits", circuit)["members"] if one["party"] == party)
    return found


def computed(show: Show) -> Computed:
    return figures_of(show)
