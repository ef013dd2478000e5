"""Sorts of points, alignments along a rig, and what a meter should show for a mark further on."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.graph.points import base_of, sort_of
from kymaphon.core.levels.lineup.expected import expected_at, readings_here
from kymaphon.core.levels.lineup.run import judge, steps_of
from kymaphon.core.levels.programme import programme
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.practice import POINTS, PointMark
from kymaphon.core.model.scales import house_at, socket_scales
from kymaphon.core.model.show import Show
from kymaphon.core.wiring.linked_controls import turned_together, twins_along
from tests.core.levels.test_levels import one_chain


@pytest.mark.parametrize(
    ("node", "sort"),
    [
        ("desk.in1:pre", "input"),
        ("desk.main.l", "desk"),
        ("desk.in1", None),
        ("podcast.ear.l", "recorder"),
        ("stream.ear.l", "stream"),
        ("mira.mouth", None),
        ("mixer.in1:pre", None),
    ],
)
def test_sorts_of_points(demo: Show, node: str, sort: str | None) -> None:
    analysis = analyse(demo)
    assert sort_of(analysis.graph.nodes[analysis.graph.index[node]], demo, analysis.catalogue) == sort
    assert sort is None or sort in POINTS


def test_ends_of_remotes_and_lines_have_sorts(demo: Show) -> None:
    analysis = analyse(demo)
    sorts = {sort_of(node, demo, analysis.catalogue) for node in analysis.graph.nodes}
    assert {"far-end", "recorder", "stream", "input", "desk"} <= sorts
    assert base_of("desk.main.l:mix") == "desk.main"
    assert base_of("stream.ear.l") == "stream.ear"


def test_full_scale_is_that_of_the_nearest_converter(demo: Show) -> None:
    analysis = analyse(demo)
    near = house_at(demo, analysis.catalogue, ["mixer", "interface", "desk"])
    assert near.full_scale_dbu == analysis.catalogue["interface-2"].full_scale_dbu
    assert "Interface" in near.how
    # EBU R 68 where no converter says: 0 dBu at -18 dBFS.
    assert house_at(demo, analysis.catalogue, ["mixer", "nobody"]).full_scale_dbu == 18.0


class TestExpected:
    def test_the_same_mark_on_every_meter_of_the_way(self, demo: Show) -> None:
        """Turned until it is on the mark at the end, each meter on the way shows what it was expected to."""
        analysis = analyse(demo)
        ladder = analysis.any_ladder("tam")
        off = ladder.last.speech_db - ladder.last.wanted.average
        gain = demo.device("desk").settings["in2"].gain_db
        louder = apply_all(demo, (SetValue(SettingRef("desk", "in2", "gain_db"), round(gain - off)),))
        after = analyse(louder).any_ladder("tam")
        for rung in ladder.rungs:
            wanted = expected_at(analysis, ladder, rung)
            past = "desk.in2:pre" in [row.node for row in ladder.rungs[: ladder.rungs.index(rung) + 1]]
            if wanted is None or not past:
                continue
            there = next(row for row in after.rungs if row.node == rung.node)
            assert wanted.wanted_db == pytest.approx(there.speech_db, abs=0.55), rung.node
            assert wanted.low < wanted.shows.value < wanted.high
            assert wanted.level(wanted.now().value) == pytest.approx(rung.speech_db)

    def test_sound_has_no_meter(self, demo: Show) -> None:
        analysis = analyse(demo)
        ladder = analysis.any_ladder("mira")
        assert expected_at(analysis, ladder, ladder.rungs[0]) is None

    def test_a_crowd_is_expected_where_the_plan_has_it(self, demo: Show) -> None:
        analysis = analyse(demo)
        ladder = analysis.any_ladder("crowd")
        rung = next(row for row in ladder.rungs if row.unit == "dBu")
        wanted = expected_at(analysis, ladder, rung)
        assert wanted.wanted_db == pytest.approx(rung.speech_db)
        assert "as the plan has it" in wanted.mark.name

    def test_a_kind_can_have_its_own_meter(self) -> None:
        show = one_chain(
            devices=[
                {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
                {"id": "desk", "kind": "desk-24-mono", "settings": {"in1": {"gain_db": 50}}},
                {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 0}}},
                {"id": "rec", "kind": "recorder"},
            ],
            cables=[
                {"from": "mic.out", "to": "desk.in1"},
                {"from": "desk.main-out", "to": "face.in1"},
                {"from": "face.usb1", "to": "rec.in"},
            ],
        )
        analysis = analyse(show)
        ladder = analysis.any_ladder("ann")
        rung = next(row for row in ladder.rungs if row.node == "desk.in1:pre")
        wanted = expected_at(analysis, ladder, rung)
        assert wanted.scale == "vu"
        assert not wanted.peaks
        assert wanted.shows.unit == "VU"
        assert "VU meter" in wanted.words()

    def test_all_meters_at_one_point(self, demo: Show) -> None:
        analysis = analyse(demo)
        ladder = analysis.any_ladder("mira")
        rung = next(row for row in ladder.rungs if row.node == "desk.in1:pre")
        told = readings_here(expected_at(analysis, ladder, rung))
        by_name = {term.name: term for term in told.terms}
        assert len(by_name) == len(socket_scales())
        # +4 dBu is 0 VU (common practice); the needle's middle swing lies 1 dB under the active level (measured).
        assert by_name["VU meter, average"].value == pytest.approx(rung.speech_db - 4 - 1)
        assert by_name["Peak lamps, average"].value == pytest.approx(rung.speech_db - 4)
        for term in told.terms:
            assert term.source
            assert term.terms

    def test_a_mark_of_its_own_at_the_desk_moves_what_is_expected_after_it(self, demo: Show) -> None:
        show = demo.with_(marks=(PointMark(at="stream", practice="podcast-stereo"),))
        plain, marked = (analyse(row) for row in (demo, show))
        rows = []
        for analysis in (plain, marked):
            ladder = analysis.ladders["mira", "stream"]
            rows.append(expected_at(analysis, ladder, next(row for row in ladder.rungs if row.node == "desk.in1:pre")))
        change = rows[1].wanted_db - rows[0].wanted_db
        marks = [analysis.ladders["mira", "stream"].last.wanted.average for analysis in (plain, marked)]
        assert change == pytest.approx(marks[1] - marks[0])


class TestTwins:
    def test_the_sides_of_a_pair_know_each_other(self, demo: Show) -> None:
        analysis = analyse(demo)
        twins = twins_along(analysis, analysis.ladders["mira", "stream"])
        gain = SettingRef("interface", "in1", "gain_db")
        assert twins[gain] == (SettingRef("interface", "in2", "gain_db"),)
        assert SettingRef("interface", "in1", "pad") in twins
        # One's own channel has no other side.
        assert SettingRef("desk", "in1", "gain_db") not in twins
        mono = analyse(one_chain())
        assert twins_along(mono, mono.ladders["ann", "tape"]) == {}

    def test_a_twin_goes_by_as_much_and_stays_in_its_range(self, demo: Show) -> None:
        ref, twin = SettingRef("interface", "in1", "gain_db"), SettingRef("interface", "in2", "gain_db")
        show = apply_all(demo, (SetValue(twin, 55.0),))
        analysis = analyse(show)
        rows = turned_together(analysis, {ref: (twin,)}, SetValue(ref, 10.0), 0.0)
        assert [(row.ref, row.value) for row in rows] == [(ref, 10.0), (twin, 58.0)]
        pads = turned_together(analysis, {ref: (twin,)}, SetValue(ref, True), None)
        assert [row.value for row in pads] == [True, True]


class TestMeterOffset:
    """A desk whose meter is trimmed: what it should show moves, where the level should be does not."""

    @pytest.mark.parametrize("offset", [0.0, 4.0, -6.5])
    def test_it_is_added_to_what_the_meter_shows(self, demo: Show, offset: float) -> None:
        plain = analyse(demo)
        show = apply_all(demo, (SetField("devices", "desk", "meter_offset_db", offset),))
        analysis = analyse(show)
        rows = []
        for state in (plain, analysis):
            ladder = state.ladders["mira", "stream"]
            point = next(row for row in ladder.rungs if row.node == "desk.in1:pre")
            rows.append(expected_at(state, ladder, point))
        assert rows[1].wanted_db == pytest.approx(rows[0].wanted_db)
        assert rows[1].shows.value - rows[0].shows.value == pytest.approx(offset)
        assert rows[1].now().value - rows[0].now().value == pytest.approx(offset)

    def test_what_is_typed_in_from_it_is_taken_back(self, demo: Show) -> None:
        """Read 4 dB high on a meter that reads 4 dB high: on the mark, nothing to turn."""
        show = apply_all(demo, (SetField("devices", "desk", "meter_offset_db", 4.0),))
        plain, trimmed = (
            next(row for row in steps_of(analyse(state)) if row.voice == "mira") for state in (demo, show)
        )
        told = plain.expected.shows.value + 4.0
        assert judge(trimmed, told).off_db == pytest.approx(judge(plain, plain.expected.shows.value).off_db, abs=0.01)
        assert judge(plain, told).off_db == pytest.approx(4.0, abs=0.01)

    def test_other_devices_keep_their_readings(self, demo: Show) -> None:
        show = apply_all(demo, (SetField("devices", "desk", "meter_offset_db", 4.0),))
        rows = [
            next(row for row in programme(analyse(state)) if row.device == "Software mixer") for state in (demo, show)
        ]
        assert rows[0].shows.value == pytest.approx(rows[1].shows.value)
