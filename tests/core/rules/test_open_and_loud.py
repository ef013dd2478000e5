"""Which microphones count as open, how loud a loudspeaker is, which knob is turned, and what only bleeds."""

from __future__ import annotations

import math
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Place, Show
from kymaphon.core.placement.moves import along, fader_of, held_inside, inside, rounded, turned_down
from tests.core.rooms import finding_of, mic, person, room


def set_on(show: Show, key: str, field: str, value: Any) -> Show:
    return SetValue(SettingRef("desk", key, field), value).apply(show)


@pytest.fixture
def patched() -> Show:
    people = [person("ann", 3, 3, 0), person("bob", 5, 3, 180)]
    return room(people, [mic("ann", 3.15, 3), mic("bob", 4.85, 3)], patched=True)


class TestOpen:
    def test_before_anything_is_plugged_all_are_open(self) -> None:
        analysis = analyse(room([person("ann", 3, 3)], [mic("ann", 3.2, 3)]))
        assert analysis.open_microphones == {"mic-ann"}

    @pytest.mark.parametrize(
        ("key", "field", "value"),
        [("in1", "mute", True), ("in1", "fader_db", -90.0), ("in1>main", "on", False)],
    )
    def test_a_channel_that_lets_nothing_through_shuts_its_microphone(
        self, patched: Show, key: str, field: str, value: Any
    ) -> None:
        analysis = analyse(set_on(patched, key, field, value))
        assert analysis.open_microphones == {"mic-bob"}
        assert analysis.shut_microphones == {"mic-ann"}
        sound = analysis.sound("room")
        assert [sound.is_open(m) for m in range(2)] == [False, True]

    def test_a_sketch_keeps_what_is_shut(self, patched: Show) -> None:
        analysis = analyse(set_on(patched, "in1", "mute", True))
        moved = SetField("devices", "mic-ann", "at_m", (3.3, 3.0)).apply(patched)
        assert analysis.sketch(moved, "room").shut == {"mic-ann"}

    def test_only_open_ones_are_counted(self, patched: Show) -> None:
        extra = patched.devices[1].with_(id="mic-extra", party=None, at_m=(1, 1))
        show = patched.with_(
            devices=(*patched.devices, extra),
            cables=(*patched.cables, {"from": "mic-extra.out", "to": "desk.in3"}),
        )
        row = finding_of(analyse(show), "open-microphones")
        assert row.subjects == ("room", "mic-extra")
        assert row.remedies[0].edits == (SetValue(SettingRef("desk", "in3", "mute"), True),)
        assert "open-microphones" not in {other.code for other in analyse(row.remedies[0].apply(show)).findings}


class TestLoudspeakers:
    @pytest.fixture
    def played(self, patched: Show) -> Show:
        speaker = {"id": "spk", "kind": "loudspeaker", "place": "room", "at_m": [7, 1], "aim_deg": 150}
        return patched.with_(
            devices=(*patched.devices, speaker),
            cables=(*patched.cables, {"from": "desk.main-out.l", "to": "spk.in"}),
        )

    def test_it_is_as_loud_as_what_is_played(self, played: Show) -> None:
        """6 dB at the desk's fader are 6 dB at 1 m of the loudspeaker."""
        before = analyse(played).loudspeaker_db["spk"]
        louder = apply_all(played, (SetValue(SettingRef("desk", "main", "fader_db"), 6.0),))
        # Its own sound comes back by the microphones, so it grows by a little more than that.
        assert analyse(louder).loudspeaker_db["spk"] - before == pytest.approx(6, abs=0.6)

    def test_before_it_is_plugged_in_a_usual_level_is_taken_and_said(self, patched: Show) -> None:
        speaker = {"id": "spk", "kind": "loudspeaker", "place": "room", "at_m": [7, 1]}
        sound = analyse(patched.with_(devices=(*patched.devices, speaker))).sound("room")
        source = sound.sources[sound.source_index["spk"]]
        assert source.level.value == 74
        assert "assumed" in source.level.source

    def test_one_that_is_plugged_in_and_silent_is_in_no_microphone(self, played: Show) -> None:
        near = SetField("devices", "spk", "at_m", (2.8, 3.0)).apply(
            SetField("devices", "spk", "aim_deg", 0.0).apply(played)
        )
        for key in ("in1", "in2"):
            near = set_on(near, key, "gain_db", 60.0)
        assert "loudspeaker-into-microphone" in {row.code for row in analyse(near).findings}
        analysis = analyse(set_on(near, "main", "fader_db", -90.0))
        assert "spk" not in analysis.sound("room").source_index
        assert "loudspeaker-into-microphone" not in {row.code for row in analysis.findings}

    def test_it_throws_more_ahead_than_behind(self, played: Show) -> None:
        ahead = analyse(played).sound("room")
        turned = analyse(SetField("devices", "spk", "aim_deg", 330.0).apply(played)).sound("room")
        v = ahead.source_index["spk"]
        assert (
            ahead.direct_db[v, 0] - ahead.sources[v].level.value
            > turned.direct_db[v, 0] - turned.sources[v].level.value
        )


class TestKnobs:
    def test_the_fader_of_a_microphone_is_its_channels(self, patched: Show) -> None:
        knob = fader_of(analyse(patched), "mic-bob")
        assert knob is not None
        assert knob.ref == SettingRef("desk", "in2", "fader_db")

    def test_turning_down_is_at_least_as_much_and_within_the_range(self, patched: Show) -> None:
        knob = fader_of(analyse(patched), "mic-ann")
        assert knob is not None
        edit = turned_down(knob, 3.4)
        assert edit is not None
        assert isinstance(edit.value, float)
        assert knob.value - edit.value >= 3.4
        assert turned_down(knob, 500) is None

    def test_without_a_desk_there_is_none(self) -> None:
        assert fader_of(analyse(room([person("ann", 3, 3)], [mic("ann", 3.2, 3)])), "mic-ann") is None


class TestGeometry:
    PLACE = Place(id="p", name="P", size_m=(4, 3))

    def test_along(self) -> None:
        assert along((1, 1), 90, 2) == pytest.approx((1, 3))
        assert along((1, 1), 225, math.sqrt(2)) == pytest.approx((0, 0))

    def test_held_inside_is_inside_and_leaves_what_is(self) -> None:
        for point in ((-1.0, 2.0), (9.0, 9.0), (2.0, -4.0)):
            assert inside(self.PLACE, held_inside(self.PLACE, point))
        assert held_inside(self.PLACE, (1.5, 2.5)) == (1.5, 2.5)
        assert inside(self.PLACE.with_(size_m=None), (99, 99))

    def test_positions_are_kept_to_the_millimetre(self) -> None:
        assert rounded((1.23456, 2.0)) == (1.235, 2.0)


class TestBleed:
    def test_a_muted_voice_that_bleeds_is_missing_and_said_to_bleed(self, patched: Show) -> None:
        wanted = patched.with_(wants=[{"listener": "tape", "voice": "ann", "want": "hear"}])
        for key in ("in1", "in2"):
            wanted = set_on(wanted, key, "gain_db", 58.0)
        row = finding_of(analyse(set_on(wanted, "in1", "mute", True)), "wanted-not-heard")
        assert "by way of other people's microphones" in row.message
        assert row.remedies[0].label.startswith("Unmute")

    def test_one_microphone_for_two_is_no_bleed(self) -> None:
        """Bob has no microphone of his own: what he has is the one on the table."""
        people = [person("ann", 3, 3, 0), person("bob", 3.3, 3.3, 0)]
        show = room(people, [mic("ann", 3.4, 3.1, "boundary-plate")], patched=True)
        wanted = show.with_(wants=[{"listener": "tape", "voice": "bob", "want": "hear"}])
        assert "wanted-not-heard" not in {row.code for row in analyse(wanted).findings}

    def test_own_voice_is_not_late_for_the_air_before_the_microphone(self) -> None:
        """1.5 m of air are 4.4 ms, and no fault of the rig."""
        show = room(
            [person("ann", 3, 3, 0, listens=True, hears_on="phones")],
            [mic("ann", 4.5, 3, "condenser-slim")],
            patched=True,
        )
        heard = show.with_(
            devices=(*show.devices, {"id": "phones", "kind": "headphones", "place": "room"}),
            cables=(*show.cables, {"from": "desk.phones", "to": "phones.in"}),
        )
        assert analyse(set_on(heard, "phones-knob", "gain_db", 10.0)).feeds["ann", "ann"].verdict in (
            "local",
            "silent",
        )
