"""Keys that close loops: Talk and Feeds are asked the same question and must give one answer, with its margin; and what cures a howl."""

from __future__ import annotations

import math
from random import Random
from typing import Any

import networkx
import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse, figures_of
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.graph.routing import SEVERAL_DB
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.talk.circuits import KeyState, talk_of
from kymaphon.core.talk.hearing import hearing_of
from tests.budget import tries
from tests.core.rigs import wire


def rig(draw: Random, speakers: int) -> Show:
    """A panel whose key plays through so many loudspeakers beside it, and a listener; everything set anyhow."""
    spots = [(round(draw.uniform(1, 7), 2), round(draw.uniform(4.6, 7.5), 2)) for _ in range(speakers)]
    boxes: list[dict[str, Any]] = [
        {
            "id": f"box{n}",
            "kind": "talk-speaker",
            "place": "van",
            "at_m": spot,
            "settings": {"volume": {"gain_db": draw.choice([-12, -6, -3, 0, 3, 6])}},
        }
        for n, spot in enumerate(spots)
    ]
    return Show.model_validate(
        {
            "kymaphon": 1,
            "places": [
                {"id": "van", "name": "Van", "size_m": [8, 8], "ambient_dba": 40, "outdoors": draw.random() < 0.5}
            ],
            "parties": [
                {"id": "dee", "name": "Dee", "kind": "crew", "place": "van", "at_m": [4, 4], "speaks": True},
                {"id": "rob", "name": "Rob", "kind": "crew", "place": "van", "at_m": [4, 6.5], "listens": True},
            ],
            "devices": [
                {"id": "matrix", "kind": "talk-matrix", "place": "van", "settings": {"k1-3": {"on": False}}},
                {"id": "panel", "kind": "matrix-panel", "place": "van", "at_m": [4, 3.5], "party": "dee"},
                *boxes,
            ],
            "cables": [
                wire("panel.to-matrix", "matrix.in1"),
                *(wire("matrix.out3", f"box{n}.line-in") for n in range(speakers)),
            ],
            "circuits": [
                {
                    "id": "c",
                    "name": "C",
                    "members": [{"party": "dee", "key": "matrix.k1-3"}, {"party": "rob", "speaks": False}],
                }
            ],
        }
    )


def key_down(figures: Computed, state: KeyState) -> Computed:
    edits = tuple(SetValue(ref, True) for ref in state.down)
    return figures_of(apply_all(figures.show, edits), figures.catalogue)


def by_hand(there: Computed) -> float:
    """What comes back the first time against what left, by amplitude, the most at any point: 1 - 1 / N_vv, solved dense; infinite where
    the spectral radius is one or more.
    """
    graph = networkx.DiGraph()
    size = len(there.graph.nodes)
    matrix = np.zeros((size, size))
    for edge in there.graph.edges:
        if edge.on:
            matrix[edge.target, edge.source] += 10 ** (edge.gain_db / 20)
            graph.add_edge(edge.source, edge.target)
    most = 0.0
    for part in networkx.strongly_connected_components(graph):
        rows = sorted(part)
        inside = matrix[np.ix_(rows, rows)]
        if not inside.any():
            continue
        if np.abs(np.linalg.eigvals(inside)).max() >= 1:
            return math.inf
        most = max(most, float((1 - 1 / np.diag(np.linalg.inv(np.eye(len(rows)) - inside))).max()))
    return most


class TestOneAnswer:
    """Talk, and Feeds of the same rig with the key left down, agree on howl, margin and level."""

    @pytest.mark.parametrize("seed", range(tries(24)))
    def test_on_random_rigs(self, seed: int) -> None:
        draw = Random(seed)
        figures = figures_of(rig(draw, draw.randint(1, 4)))
        model = figures.once(talk_of)
        ((_, state),) = model.states.items()
        there = key_down(figures, state)
        told = model.stability(state)
        assert told.howls == there.transfer.howls
        assert told.margin_db == pytest.approx(there.transfer.stability.margin_db, abs=1e-6)
        back = by_hand(there)
        assert told.margin_db == pytest.approx(-20 * math.log10(back) if math.isfinite(back) else -math.inf, abs=1e-3)
        (way,) = model.ways
        feed = there.feeds["rob", "dee"]
        if told.howls:
            assert way.state == "howls"
            assert feed.howling
        else:
            assert way.node == feed.node
            assert way.level_db == pytest.approx(feed.level_db, abs=SEVERAL_DB + 1e-6)

    @pytest.mark.parametrize("seed", range(tries(12)))
    def test_what_is_told_is_what_is_so(self, seed: int) -> None:
        """A finding by the margin alone: howling within the tolerance a stop, under the margin to keep a fix, else none."""
        draw = Random(1000 + seed)
        report = analyse(rig(draw, draw.randint(1, 3)))
        model = report.once(talk_of)
        ((_, state),) = model.states.items()
        margin = key_down(report, state).transfer.stability.margin_db
        codes = {row.code for row in report.findings if row.code in ("talk-howls", "talk-rings")}
        expected = (
            {"talk-howls"}
            if margin <= number("loop-tolerance")
            else {"talk-rings"}
            if margin < number("loop-margin")
            else set()
        )
        assert codes == expected

    def test_two_loops_that_are_safe_alone_howl_together(self) -> None:
        """Loops add by amplitude: two of one gain are 6.02 dB over the one."""
        draw = Random(3)
        show = rig(draw, 2)
        even = apply_all(show, tuple(row for n in (0, 1) for row in _alike(n)))
        model = figures_of(even).once(talk_of)
        ((_, state),) = model.states.items()
        alone = apply_all(even, (SetValue(_ref("box1", "volume"), -60.0),))
        single = figures_of(alone).once(talk_of)
        one = single.stability(single.states["c", "dee"]).margin_db
        both = model.stability(state).margin_db
        assert one - both == pytest.approx(20 * math.log10(2), abs=0.05)


def _ref(device: str, key: str) -> SettingRef:
    return SettingRef(device, key, "gain_db")


def _alike(n: int) -> tuple[Any, ...]:
    """A loudspeaker put as far to the one side of the panel as the other is to the other, at one volume; in the open."""
    return (
        SetField("devices", f"box{n}", "at_m", (2.4 + 3.2 * n, 5.0)),
        SetValue(_ref(f"box{n}", "volume"), -12.0),
        SetField("places", "van", "outdoors", True),
    )


class TestCure:
    @pytest.mark.parametrize("seed", range(tries(16)))
    def test_where_any_single_knob_cures_it_one_is_offered(self, seed: int) -> None:
        """Every knob in steps of 1 dB, the changed rig solved anew: where one leaves the margin and the circuit usable, one is offered;
        and what is offered does it.
        """
        draw = Random(2000 + seed)
        report = analyse(rig(draw, draw.randint(1, 3)))
        found = next((row for row in report.findings if row.code in ("talk-howls", "talk-rings")), None)
        if found is None:
            return
        remedies = offers_of(report, found).remedies
        least = cured_by_one_knob(report)
        if least is not None:
            assert remedies
            turned = [row for row in remedies if len(row.edits) == 1]
            assert turned
            assert _turned(report, turned[0].edits[0]) <= least + 1e-6
        for remedy in remedies:
            after = analyse(remedy.apply(report.show))
            assert not [row for row in after.findings if row.code in ("talk-howls", "talk-rings")]


def cured_by_one_knob(report: Report) -> float | None:
    """The least turn in whole dB of any knob of the rig after which the key keeps its margin and the listener follows; None for none."""
    knobs = {knob.ref: knob for edge in report.graph.edges for knob in edge.knobs}
    best: float | None = None
    for knob in knobs.values():
        for by in range(1, math.floor(knob.value - knob.lowest) + 1):
            if best is not None and by >= best:
                break
            figures = figures_of(apply_all(report.show, (SetValue(knob.ref, knob.value - by),)))
            hearing = figures.once(hearing_of)
            state = hearing.model.states["c", "dee"]
            if hearing.model.stability(state).margin_db < number("loop-margin"):
                continue
            row = hearing.of("c", "dee", "rob")
            if row is not None and row.usable:
                best = by
            break
    return best


def _turned(report: Report, edit: Any) -> float:
    knob = next(row for edge in report.graph.edges for row in edge.knobs if row.ref == edit.ref)
    return float(knob.value - edit.value)
