"""Loudspeakers in a room: whose way is judged, at which mark, oneself from a wedge, and what the box throws to which side."""

from __future__ import annotations

import math
from typing import Any

import pytest

from kymaphon.core.acoustics.room import reverberant_gain_db
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.levels.lineup.plan import line_up
from kymaphon.core.mixes.sentence import listener_sentence
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetField, SetValue, SetWant, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.practice import PointMark
from kymaphon.core.model.references import ShowProblem, check_references, reference_problems
from kymaphon.core.model.show import Show
from kymaphon.core.report.before_air import before_air
from tests.core.analysis.test_offers import wedge
from tests.core.rigs import of_code

YARD = {"id": "studio", "name": "Yard", "outdoors": True, "ambient_dba": 40}
SEND = SettingRef("desk", "in1>send1", "on")


def set_up(show: Show | None = None, **changes: Any) -> Show:
    """A singer at a desk that feeds a loudspeaker for the house and a wedge for her."""
    return apply_all(show or wedge(), tuple(SetField("show", None, name, value) for name, value in changes.items()))


def at(practice: str) -> tuple[PointMark, ...]:
    return (PointMark(at="room", practice=practice),)


class TestWhoseWay:
    def test_the_ladder_of_a_voice_goes_over_its_microphone_though_the_air_is_louder(self) -> None:
        """Common practice: what is turned is the desk, however loud somebody sings across the room."""
        soft = apply_all(wedge(), (SetValue(SettingRef("desk", "in1", "gain_db"), 0.0),))
        analysis = analyse(soft)
        feed = analysis.feeds["house", "ann"]
        assert [step.label for step in feed.path.steps()] == ["through the air"]
        nodes = [rung.node for rung in analysis.ladders["ann", "house"].rungs]
        assert "desk.in1:pre" in nodes
        assert nodes[-1] == "house.ear"

    def test_across_a_room_without_loudspeakers_it_is_the_air(self) -> None:
        show = wedge()
        bare = show.with_(cables=[row for row in show.cables if row.source.startswith("mic")])
        assert [rung.node for rung in analyse(bare).ladders["ann", "house"].rungs] == [
            "ann.mouth",
            "house.ear",
        ]

    def test_the_desk_before_the_loudspeakers_has_its_own_mark_whatever_the_house_asked_for(self) -> None:
        """The house asks for 15 dB over a comfortable level: that is a level at its ears, not on the desk's meter."""
        analysis = analyse(set_up(practice="desk-pfl"))
        plan = line_up(analysis)
        (row,) = plan.voices
        assert row.wanted == pytest.approx(-1.5)
        after = plan.after.ladders["ann", "house"]
        point = next(rung for rung in reversed(after.rungs) if rung.mark is not None)
        assert point.unit == "dBu"
        assert row.on_mark

    def test_a_house_in_the_room_has_no_chat(self) -> None:
        assert not [line for line in before_air(analyse(wedge())) if "chat" in line]


class TestMark:
    def test_a_comfortable_level_until_a_mark_is_set(self) -> None:
        plain, marked = analyse(wedge()), analyse(set_up(marks=at("room-music")))
        assert plain.mark_for("house", "dB SPL").value == 70
        assert marked.mark_for("house", "dB SPL").value == 85
        change = marked.feeds["house", "ann"].gain_db - plain.feeds["house", "ann"].gain_db
        assert change == pytest.approx(-15.0)

    def test_it_is_none_of_headphones(self) -> None:
        show = set_up(marks=at("room-music"))
        party = show.parties[0].with_(hears_on="cans")
        assert analyse(show).mark_for("ann", "dB SPL").value == 85
        from kymaphon.core.graph.routing import mark_of

        assert mark_of("dB SPL", analyse(show).mark, party).value == 70

    def test_a_room_off_its_mark_is_told_and_the_first_remedy_brings_it_there(self) -> None:
        wants = [{"listener": "house", "voice": "ann", "want": "hear"}]
        show = Show.model_validate({**set_up(marks=at("room-music")).model_dump(by_alias=True), "wants": wants})
        soft = apply_all(show, (SetValue(SettingRef("desk", "in1", "gain_db"), 14.0),))
        (row,) = [row for row in of_code(soft, "off-mark") if "House" in row.message]
        assert "85.0 dB SPL" in row.message
        analysis = analyse(soft)
        offers = offers_of(analysis, row)
        then = offers.remedies[0].apply(soft)
        assert not [row for row in of_code(then, "off-mark") if "House" in row.message]

    @pytest.mark.parametrize(
        ("marks", "practice", "word"),
        [
            (at("digital-voice"), "digital-voice", "judged in dB SPL"),
            ((PointMark(at="desk", practice="room-music"),), "digital-voice", "judged in dB SPL"),
            ((), "room-speech", "a mark at room"),
        ],
    )
    def test_what_is_read_elsewhere_is_refused(self, marks: tuple[PointMark, ...], practice: str, word: str) -> None:
        show = set_up(marks=marks, practice=practice)
        (problem,) = reference_problems(show, shipped_catalogue())
        assert word in str(problem)
        with pytest.raises(ShowProblem):
            check_references(show, shipped_catalogue())


class TestMyselfFromTheWedge:
    def wanting(self, gain_db: float = 0.0, **changes: Any) -> Show:
        return apply_all(set_up(**changes), (SetWant("ann", "ann", "hear", gain_db),))

    def test_her_own_head_is_no_wedge(self) -> None:
        """Off: she hears herself by the bones all the same, and it is not what she asked for."""
        off = apply_all(
            self.wanting(), (SetValue(SEND, False), SetValue(SettingRef("desk", "main", "fader_db"), -90.0))
        )
        feed = analyse(off).feeds["ann", "ann"]
        assert feed.verdict == "missing"
        assert "should hear itself" in listener_sentence(analyse(off), "ann")

    def test_it_is_found_and_the_send_is_offered(self) -> None:
        off = apply_all(self.wanting(), (SetValue(SEND, False),))
        quiet = apply_all(off, (SetField("devices", "pa", "at_m", (7.9, 5.9)),))
        found = [row for row in of_code(quiet, "wanted-not-heard") if row.subjects[0] == "ann"]
        level = analyse(quiet).feeds["ann", "ann"]
        # From the loudspeaker across the room she has a little of herself; with the send on it is the wedge.
        on = analyse(apply_all(quiet, (SetValue(SEND, True),))).feeds["ann", "ann"]
        assert on.gain_db > level.gain_db + 6
        for row in found:
            assert any(SetValue(SEND, True) in remedy.edits for remedy in offers_of(analyse(quiet), row).remedies)

    def test_its_level_is_what_her_microphone_brings(self) -> None:
        """By hand: the send up by 6 dB is 6 dB more of it, whatever she sings across the air."""
        first = analyse(self.wanting()).feeds["ann", "ann"]
        louder = apply_all(self.wanting(), (SetValue(SettingRef("desk", "in1", "gain_db"), 52.0),))
        assert analyse(louder).feeds["ann", "ann"].gain_db - first.gain_db == pytest.approx(6.0)

    @pytest.mark.parametrize(("asked", "verdict"), [(0.0, "local"), (-20.0, "loud"), (25.0, "quiet")])
    def test_too_loud_and_too_quiet_are_against_what_was_asked(self, asked: float, verdict: str) -> None:
        now = analyse(self.wanting()).feeds["ann", "ann"].gain_db
        assert analyse(self.wanting(now + asked)).feeds["ann", "ann"].verdict == verdict

    def soft(self, asked: float) -> Show:
        """The same with the channel 16 dB lower, so that there is room to come up."""
        return apply_all(self.wanting(asked), (SetValue(SettingRef("desk", "in1", "gain_db"), 30.0),))

    def test_too_quiet_offers_to_come_up_and_keeps_the_margin(self) -> None:
        now = analyse(self.soft(0.0)).feeds["ann", "ann"].gain_db
        analysis = analyse(self.soft(now + 13.0))
        (row,) = [row for row in analysis.findings if row.code == "heard-too-quiet" and row.subjects[0] == "ann"]
        assert row.message.startswith("Ann gets itself 13.0 dB under")
        first = offers_of(analysis, row).remedies[0]
        then = analyse(first.apply(analysis.show))
        assert then.feeds["ann", "ann"].verdict == "local"
        assert then.transfer.stability.margin_db > 6

    def test_what_would_clip_the_box_is_not_offered(self) -> None:
        """At +46 there are 13 dB before it howls, and none before the wedge clips."""
        now = analyse(self.wanting()).feeds["ann", "ann"].gain_db
        analysis = analyse(self.wanting(now + 13.0))
        (row,) = [row for row in analysis.findings if row.code == "heard-too-quiet" and row.subjects[0] == "ann"]
        offers = offers_of(analysis, row)
        assert offers.remedies == ()
        assert any("clips at" in line for line in offers.why_not())


class TestBox:
    @pytest.mark.parametrize(("aim", "loss"), [(0.0, 0.0), (90.0, -3.10), (180.0, -7.96)])
    def test_outdoors_ears_get_what_its_pattern_leaves(self, aim: float, loss: float) -> None:
        """A wide cardioid thrown (Eargle's table of patterns): 0, 3.10 and 7.96 dB down at 0, 90 and 180 degrees, and 1/r."""
        show = wedge().with_(places=[YARD])
        kind = shipped_catalogue()["loudspeaker"]
        assert kind.pattern == "wide-cardioid"
        rows = [row.with_(at_m=(3.0, 3.0), aim_deg=aim) if row.id == "pa" else row for row in show.devices]
        show = Show.model_validate(
            {
                **show.model_dump(by_alias=True),
                "places": [YARD],
                "devices": [row.model_dump(by_alias=True) for row in rows],
            }
        )
        graph = analyse(show).graph
        (edge,) = [
            edge
            for edge in graph.edges
            if graph.nodes[edge.source].id == "pa.sound" and graph.nodes[edge.target].id == "house.ear"
        ]
        assert edge.gain_db == pytest.approx(-20 * math.log10(3.0) + loss, abs=0.02)

    def test_a_room_adds_its_own_as_powers(self) -> None:
        graph = analyse(wedge()).graph
        place = wedge().places[0]
        (edge,) = [
            edge
            for edge in graph.edges
            if graph.nodes[edge.source].id == "wedge.sound" and graph.nodes[edge.target].id == "house.ear"
        ]
        direct = sum(part.value for part in edge.parts[:-1])
        q = 10 ** (2.84 / 10)
        around = reverberant_gain_db(place, q)
        assert edge.gain_db == pytest.approx(10 * math.log10(10 ** (direct / 10) + 10 ** (around / 10)), abs=0.02)
