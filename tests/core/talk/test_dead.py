"""Circuits that are dead, wholly or one way, and leads in each other's sockets: what is told, what is offered, what stays to be tried."""

from __future__ import annotations

from itertools import combinations
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.model.edits import Plug, Unplug, apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.show import Show
from kymaphon.core.talk.checks import check_states
from kymaphon.files.demo import FINAL, demo_path
from kymaphon.files.show_file import read_show
from tests.budget import some
from tests.core.talk.rigs import van

FOUR_WIRE: dict[str, list[dict[str, Any]]] = {
    "places": [{"id": "hut", "name": "Hut", "size_m": [3, 3], "ambient_dba": 40}],
    "parties": [
        {"id": "hub", "name": "Hub", "kind": "crew", "place": "hut", "at_m": [1, 1], "speaks": True, "listens": True}
    ],
    "devices": [
        {"id": "four", "kind": "four-wire-box", "place": "van"},
        {"id": "far", "kind": "talk-panel", "place": "hut", "at_m": [1, 0.6], "party": "hub"},
    ],
    "cables": [
        {"from": "panel.out3", "to": "four.a-in"},
        {"from": "four.b-out", "to": "far.in1"},
        {"from": "far.out1", "to": "four.b-in"},
        {"from": "four.a-out", "to": "panel.in3"},
    ],
    "circuits": [
        {
            "id": "host",
            "name": "Host",
            "members": [{"party": "dee", "key": "panel.talk3"}, {"party": "hub", "key": "far.talk1"}],
        }
    ],
}


def four_wire(*out: int) -> Show:
    """A four-wire to another panel, some of its four leads out."""

    def change(rows: dict[str, Any]) -> None:
        for name, more in FOUR_WIRE.items():
            rows[name] += [row for n, row in enumerate(more) if name != "cables" or n not in out]

    return van(change)


def told(show: Show, code: str) -> list[Finding]:
    return [row for row in analyse(show).findings if row.code == code]


class TestDeadCircuits:
    def test_a_whole_four_wire_is_no_finding(self) -> None:
        assert told(four_wire(), "circuit-dead") == []
        ways = {(row.way.circuit, row.way.speaker, row.way.listener) for row in check_states(analyse(four_wire()))}
        assert {("host", "dee", "hub"), ("host", "hub", "dee")} <= ways

    @pytest.mark.parametrize("out", [(0, 1, 2, 3), (0, 1), (2, 3), (0,), (1,), (2,), (3,)])
    def test_each_lead_that_is_out_is_told_and_what_it_was_of_stays_to_be_tried(self, out: tuple[int, ...]) -> None:
        """Whoever should hear and has no path: leads 0 and 1 are from Dee to the hub, 2 and 3 back."""
        show = four_wire(*out)
        (row,) = told(show, "circuit-dead")
        mute = {name for name, leads in (("dee", {0, 1}), ("hub", {2, 3})) if leads & set(out)}
        deaf = {{"dee": "hub", "hub": "dee"}[name] for name in mute}
        assert set(row.subjects) == {"host", *mute, *deaf}
        assert row.severity == "fix"
        states = {
            (one.way.speaker, one.way.listener): one for one in check_states(analyse(show)) if one.way.circuit == "host"
        }
        assert set(states) == {("dee", "hub"), ("hub", "dee")}
        assert {key[0] for key, one in states.items() if not one.usable} == mute

    @pytest.mark.parametrize("out", [0, 1, 2, 3])
    def test_the_one_lead_that_is_out_is_offered(self, out: int) -> None:
        report = analyse(four_wire(out))
        (row,) = (one for one in report.findings if one.code == "circuit-dead")
        offers = offers_of(report, row).remedies
        assert offers
        wanted = FOUR_WIRE["cables"][out]
        assert any(
            isinstance(edit, Plug)
            and edit.cable.source == wanted["from"]
            and edit.cable.target_device == wanted["to"].split(".")[0]
            for remedy in offers
            for edit in remedy.edits
        )
        assert told(offers[0].apply(report.show), "circuit-dead") == []

    def test_who_acts_on_cues_and_has_no_path_is_a_stop(self) -> None:
        def change(rows: dict[str, Any]) -> None:
            rows["cables"] = [one for one in rows["cables"] if one["from"] != "panel.out1"]

        found = analyse(van(change)).findings
        assert [row.severity for row in found if row.code == "cue-not-heard"] == ["stop"]
        assert [row.subjects for row in found if row.code == "circuit-dead"] == [("comm", "dee")]


def swapped(show: Show, one: int, other: int, *, by: str) -> Show:
    """Two leads with their sources, or their targets, exchanged."""
    a, b = show.cables[one], show.cables[other]
    plugs = [a.with_(**{by: getattr(b, by)}), b.with_(**{by: getattr(a, by)})]
    return apply_all(show, [Unplug(*a.ends), Unplug(*b.ends), *map(Plug, plugs)])


class TestExchangedLeads:
    def test_the_commentators_two_leads_are_put_back_first(self) -> None:
        """To air and to the van in each other's sockets: the words go out while the lazy key is down, and are nowhere while it is up."""
        whole = van()
        ends = [row.source for row in whole.cables]
        show = swapped(whole, ends.index("box.programme"), ends.index("box.lazy"), by="source")
        report = analyse(show)
        stops = [row for row in report.findings if row.severity == "stop"]
        assert {row.code for row in stops} >= {"talk-on-air", "wanted-not-heard"}
        for row in (one for one in stops if one.code != "end-silent"):
            first = offers_of(report, row).remedies[0]
            assert "Exchange the two leads" in first.label, row.code
            assert {one.ends for one in first.apply(show).cables} == {one.ends for one in whole.cables}

    def test_a_muted_microphone_is_not_exchanged_with_somebody_elses(self) -> None:
        """That only takes the other off instead."""
        report = analyse(read_show(demo_path(FINAL)))
        for row in report.findings:
            assert not any("Exchange" in remedy.label for remedy in offers_of(report, row).remedies), row.message

    def test_wherever_exchanging_two_plugs_of_one_box_silences_somebody_putting_them_back_is_offered(self) -> None:
        """Every two leads of like kind at one box of the second act, exchanged; those that take a wanted voice from somebody by it."""
        show = read_show(demo_path(FINAL))
        rest = {row.key for row in analyse(show).findings}
        boxes = {row.id for row in show.devices if row.kind == "commentator-box"}
        cases = [
            (one, other, by)
            for one, other in combinations(range(len(show.cables)), 2)
            for by in ("source", "target")
            if (a := show.cables[one]) and (b := show.cables[other])
            if getattr(a, f"{by}_device") == getattr(b, f"{by}_device") and getattr(a, f"{by}_device") in boxes
        ]
        assert cases
        tried = 0
        for one, other, by in some(cases, 6):
            wrong = swapped(show, one, other, by=by)
            report = analyse(wrong)
            missing = [row for row in report.findings if row.code == "wanted-not-heard" and row.key not in rest]
            for row in missing[:1]:
                first = offers_of(report, row).remedies[:1]
                for remedy in first:
                    after = analyse(remedy.apply(wrong))
                    assert not [one for one in after.findings if one.key == row.key]
                tried += bool(first)
        assert tried
