"""Leak proofs against every combination of keys, tried one by one on the rig itself."""

from __future__ import annotations

from itertools import product
from random import Random
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.graph.signal import ACOUSTIC, EdgeKind
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.show import Show
from kymaphon.core.talk import proofs
from kymaphon.core.talk.keys import key_ref
from kymaphon.core.talk.proofs import air_proofs, search_of
from tests.core.talk.rigs import member, row, van

AIR = ACOUSTIC - {EdgeKind.SPEAKS}


def by_hand(show: Show, circuit_id: str, speaker: str, spared: tuple[str, ...] = ()) -> set[str]:
    """Who is reached by wire in some position of the keys, the speaker's own down: every position set in the show and walked.

    Args:
        spared: keys left as they stand, of sockets that nothing is plugged into.
    """
    figures = figures_of(show)
    circuit = next(one for one in show.circuits if one.id == circuit_id)
    place = circuit.member(speaker)
    mine = key_ref(figures, place.key if place else None)
    free = sorted((ref for ref in figures.once(search_of).keys - {mine} if ref.key not in spared), key=str)
    ends = figures.once(search_of).ends
    found: set[str] = set()
    for positions in product((False, True), repeat=len(free)):
        edits = [SetValue(ref, down) for ref, down in zip(free, positions, strict=True)]
        if mine is not None:
            edits.append(SetValue(mine, True))
        graph = figures_of(apply_all(show, tuple(edits))).graph
        seen, work = set(), [graph.mouths[speaker][0]]
        while work:
            node = work.pop()
            if node in seen:
                continue
            seen.add(node)
            work += [
                graph.edges[i].target
                for i in graph.leaving[node]
                if graph.edges[i].on and graph.edges[i].kind not in AIR
            ]
        found |= {ends[node] for node in seen & ends.keys() if circuit.member(ends[node]) is None}
    return found


def proven(show: Show) -> dict[tuple[str, str], set[str]]:
    figures = figures_of(show)
    return {(one.circuit, one.speaker): {leak.target for leak in one.leaks} for one in figures.once(air_proofs)}


def test_the_van_is_clean() -> None:
    """A commentator's lazy microphone reaches the van only; and whoever talks to them does not reach air."""
    assert set(map(frozenset, proven(van()).values())) == {frozenset()}


def lazy_beside(rows: dict[str, Any]) -> None:
    """The lazy output goes to a channel of the desk as well."""
    rows["cables"].append({"from": "box.lazy", "to": "desk.in23"})


def slate(rows: dict[str, Any]) -> None:
    """The second key of the panel goes to air."""
    row(rows, "devices", "desk")["settings"] = {}


def by_the_wrong_key(rows: dict[str, Any]) -> None:
    """The commentator is told to talk by the key that opens nothing."""
    rows["cables"].append({"from": "box.programme", "to": "panel.in2"})
    member(rows, "comm", "ann")["key"] = "panel.listen2"


def crossed(rows: dict[str, Any]) -> None:
    """What the commentator says lazily comes back by the panel's own second box and reaches air only with the cough key up."""
    rows["devices"].append({"id": "second", "kind": "commentator-box", "place": "van"})
    rows["cables"] += [{"from": "box.lazy", "to": "second.mic"}, {"from": "second.programme", "to": "desk.in23"}]


@pytest.mark.parametrize("change", [None, lazy_beside, slate, by_the_wrong_key, crossed])
def test_every_combination_of_keys(change: Any) -> None:
    show = van(change)
    for key, found in proven(show).items():
        assert found == by_hand(show, *key, spared=("talk3", "talk4", "listen3", "listen4")), key


@pytest.mark.parametrize("seed", range(8))
def test_random_leads_between_boxes_with_keys(seed: int) -> None:
    """Two commentators' boxes and a desk joined at random: five keys, every position of them tried."""
    chance = Random(seed)

    def change(rows: dict[str, Any]) -> None:
        rows["devices"] = [one for one in rows["devices"] if one["id"] != "panel"]
        rows["devices"].append({"id": "second", "kind": "commentator-box", "place": "van"})
        rows["devices"].append({"id": "pack", "kind": "beltpack", "place": "van"})
        outs = ["box.programme", "box.lazy", "second.programme", "second.lazy", "pack.line-out"]
        ins = ["second.mic", "pack.headset-mic", "desk.in21", "desk.in22", "pack.line-in", "box.talk-in"]
        rows["cables"] = [{"from": "mic.out", "to": "box.mic"}, {"from": "desk.main-out", "to": "line.in"}]
        rows["cables"] += [{"from": chance.choice(outs), "to": into} for into in chance.sample(ins, 5)]
        row(rows, "circuits", "comm")["members"] = [{"party": "dee"}, {"party": "ann", "key": "box.lazy-key"}]

    show = van(change)
    assert proven(show)["comm", "ann"] == by_hand(show, "comm", "ann")


def test_a_crosspoint_that_nobody_has_is_no_key() -> None:
    """Of a matrix only those that a circuit names, or that stand down."""

    def change(rows: dict[str, Any]) -> None:
        rows["devices"].append({"id": "matrix", "kind": "talk-matrix", "place": "van"})
        rows["cables"] = [one for one in rows["cables"] if one["from"] not in ("box.lazy", "panel.out2")]
        rows["cables"] += [
            {"from": "box.lazy", "to": "matrix.in1"},
            {"from": "matrix.out1", "to": "panel.in1"},
            {"from": "matrix.out2", "to": "desk.in23"},
        ]
        row(rows, "devices", "matrix")["settings"] = {"k1-1": {"on": True}}

    assert proven(van(change))["comm", "ann"] == set()

    def left_down(rows: dict[str, Any]) -> None:
        change(rows)
        row(rows, "devices", "matrix")["settings"]["k1-2"] = {"on": True}

    assert proven(van(left_down))["comm", "ann"] == {"air"}


def test_loudspeakers_and_recorders_count() -> None:
    def change(rows: dict[str, Any]) -> None:
        row(rows, "devices", "desk")["settings"] = {}
        rows["devices"].append({"id": "horn", "kind": "loudspeaker", "place": "studio", "at_m": [6, 5]})
        rows["cables"] = [one for one in rows["cables"] if one["from"] != "panel.out2"]
        rows["cables"].append({"from": "panel.out2", "to": "horn.in"})

    assert proven(van(change))["comm", "dee"] == {"horn"}


def test_a_search_without_end_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(proofs, "MOST_LOOKED_AT", 3)
    found = [one for one in figures_of(van(slate)).once(air_proofs) if one.speaker == "dee"]
    assert found[0].problem
    assert not found[0].proven


def test_what_it_takes_is_told() -> None:
    """The keys of a leak that stand otherwise now."""
    figures = figures_of(van(slate))
    leak = next(one for one in figures.once(air_proofs) if one.speaker == "dee").leaks[0]
    assert [(ref.key, down) for ref, down in leak.needs] == [("talk2", True)]
