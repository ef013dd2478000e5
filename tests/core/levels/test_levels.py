"""The ladder by hand: every figure of a short chain worked out from the formulae, then the demo's."""

from __future__ import annotations

import math

import pytest

from kymaphon.core import units
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.levels.budget import budget_of, half_distance
from kymaphon.core.levels.turning import turn
from kymaphon.core.model.edits import AttachTake, SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.model.weights import speech_a_db, white_a_db
from kymaphon.core.noise import thermal_noise_dbu
from kymaphon.core.takes.attaching import room_tone_take


def one_chain(**changes: object) -> Show:
    """One talker 15 cm from a dynamic microphone, into the interface, to a recorder."""
    data: dict[str, object] = {
        "places": [{"id": "room", "name": "Room", "ambient_dba": 30}],
        "parties": [
            {
                "id": "ann",
                "name": "Ann",
                "kind": "presenter",
                "place": "room",
                "at_m": [1, 1],
                "speaks": True,
            },
            {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        "devices": [
            {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 58}, "in2": {}}},
            {"id": "rec", "kind": "recorder"},
        ],
        "cables": [{"from": "mic.out", "to": "face.in1"}, {"from": "face.usb1", "to": "rec.in"}],
    }
    return Show.model_validate({**data, **changes})


@pytest.fixture
def ladder() -> Ladder:
    return analyse(one_chain()).ladders["ann", "tape"]


def rung(ladder: Ladder, node: str):  # type: ignore[no-untyped-def]
    return next(row for row in ladder.rungs if row.node == node)


FLAT_DB = 60 - speech_a_db()
"""Speech at 1 m, unweighted: 60 dBA (ISO 9921, from memory) and 4.0 dB for the spectrum of speech."""


class TestByHand:
    """60 dBA at 1 m (ISO 9921, from memory); free field; sensitivity -55 dBV/Pa; 200 ohm into 3 kilohm."""

    def test_at_the_microphone(self, ladder: Ladder) -> None:
        assert rung(ladder, "mic.diaphragm").speech_db == pytest.approx(FLAT_DB + 20 * math.log10(1 / 0.15), abs=1e-9)

    def test_microphone_output(self, ladder: Ladder) -> None:
        spl = FLAT_DB + 20 * math.log10(1 / 0.15)
        assert rung(ladder, "mic.out").speech_db == pytest.approx(spl - 93.979 - 55 + 2.2185, abs=2e-3)

    def test_after_the_interface(self, ladder: Ladder) -> None:
        out = rung(ladder, "mic.out").speech_db
        loading = 20 * math.log10(3000 / 3200)
        assert rung(ladder, "face.in1:pre").speech_db == pytest.approx(out + loading + 58 - 12)

    def test_room_noise_goes_in_through_the_pattern(self, ladder: Ladder) -> None:
        """A cardioid hears 4.77 dB less of a diffuse room than an omni (Eargle)."""
        assert rung(ladder, "mic.diaphragm").noise_db["room"] == pytest.approx(30 - 4.77, abs=0.01)

    def test_the_microphone_s_own_noise_is_thermal(self, ladder: Ladder) -> None:
        """Referred to sound and back to volts, it is the Johnson noise of its 200 ohm."""
        assert rung(ladder, "mic.out").noise_db["microphone"] == pytest.approx(
            thermal_noise_dbu(200) + white_a_db(), abs=1e-6
        )

    def test_preamp_and_converter_noise(self, ladder: Ladder) -> None:
        """The EIN of -128.5 dBu was measured with 150 ohm (-130.9 dBu) across the input: the amplifier alone makes -132.2."""
        noises = rung(ladder, "face.in1:pre").noise_db
        alone = 10 * math.log10(10**-12.85 - 10 ** (thermal_noise_dbu(150) / 10))
        assert alone == pytest.approx(-132.2, abs=0.05)
        assert noises["preamp"] == pytest.approx(alone + white_a_db() + 58 - 12)
        assert noises["converter"] == pytest.approx(-112)

    def test_microphone_and_preamplifier_come_to_the_ein_with_the_real_source(self, ladder: Ladder) -> None:
        """Behind 150 ohm in place of 200, source and amplifier together would be the data sheet's EIN again."""
        noises = rung(ladder, "face.in1").noise_db
        loading = 20 * math.log10(3000 / 3200)
        source = noises["microphone"] - loading - 10 * math.log10(200 / 150)
        both = units.uncorrelated_sum_db((source, noises["preamp"]))
        assert both == pytest.approx(-128.5 + white_a_db(), abs=1e-6)

    def test_the_sum_is_of_powers(self, ladder: Ladder) -> None:
        last = ladder.last
        assert last.noise_total_db == pytest.approx(units.uncorrelated_sum_db(last.noise_db.values()))
        assert last.voice_over_noise_db == pytest.approx(last.speech_db + speech_a_db() - last.noise_total_db)
        assert last.explain_over_noise().value == pytest.approx(last.voice_over_noise_db)

    def test_delay(self, ladder: Ladder) -> None:
        """15 cm of air, the converter, one buffer of 256 samples at 48 kHz."""
        assert ladder.last.delay_ms == pytest.approx(0.15 * 2.914 + 0.6 + 256 / 48, abs=2e-3)

    def test_headroom(self, ladder: Ladder) -> None:
        point = rung(ladder, "face.in1:pre")
        assert point.headroom_db == pytest.approx(0 - (point.speech_db + 15))
        assert rung(ladder, "mic.diaphragm").headroom_db == pytest.approx(
            150 - 15 - FLAT_DB - 20 * math.log10(1 / 0.15)
        )

    def test_every_figure_adds_up(self, ladder: Ladder) -> None:
        for row in ladder.rungs:
            assert sum(term.value for term in row.speech.terms) == pytest.approx(row.speech_db)
            assert all(term.source for term in row.speech.terms if term.unit == "dB")
            for part in row.noise_parts:
                assert part.value == pytest.approx(sum(term.value for term in part.terms) if part.terms else part.value)


class TestAmbientIsNeverImprovedByGain:
    """Gain lifts voice and room alike: voice over room is the same at every rung and every setting, exactly."""

    @pytest.mark.parametrize("gain", [0, 20, 40, 58])
    def test_exactly(self, gain: int) -> None:
        show = SetValue(SettingRef("face", "in1", "gain_db"), float(gain)).apply(one_chain())
        ladder = analyse(show).ladders["ann", "tape"]
        over = {
            round(row.weighted_speech_db - row.noise_db["room"], 9) for row in ladder.rungs if "room" in row.noise_db
        }
        assert over == {round(60 + 20 * math.log10(1 / 0.15) - (30 + units.power_to_db(1 / 3)), 9)}

    def test_a_booster_lifts_both(self) -> None:
        show = one_chain()
        boosted = show.with_(
            devices=(*show.devices, {"id": "boost", "kind": "booster-inline"}),
            cables=[
                {"from": "mic.out", "to": "boost.in"},
                {"from": "boost.out", "to": "face.in1"},
                {"from": "face.usb1", "to": "rec.in"},
            ],
        )
        boosted = SetValue(SettingRef("face", "in1", "phantom"), True).apply(boosted)
        plain, with_booster = (analyse(row).ladders["ann", "tape"].last for row in (show, boosted))
        for last in (plain, with_booster):
            assert last.weighted_speech_db - last.noise_db["room"] == pytest.approx(51.25, abs=0.01)
        assert with_booster.noise_db["preamp"] - with_booster.speech_db < plain.noise_db["preamp"] - plain.speech_db


def test_more_gain_early_buries_the_converter() -> None:
    levels = []
    for gain in (20.0, 40.0):
        last = (
            analyse(SetValue(SettingRef("face", "in1", "gain_db"), gain).apply(one_chain())).ladders["ann", "tape"].last
        )
        levels.append(last.speech_db - last.noise_db["converter"])
    assert levels[1] - levels[0] == pytest.approx(20)


def test_half_the_distance_buys_six_db_only_before_the_gain(ladder: Ladder) -> None:
    """Held against a rig in which the microphone really stands at half the distance and the gain is taken down by as much."""
    near = apply_all(
        one_chain(),
        (
            SetField("devices", "mic", "at_m", (1.075, 1.0)),
            SetValue(SettingRef("face", "in1", "gain_db"), 52.0),
        ),
    )
    moved = analyse(near).ladders["ann", "tape"].last
    gained = moved.voice_over_noise_db - ladder.last.voice_over_noise_db
    budget = budget_of(analyse(one_chain()), "ann", "tape")
    assert budget is not None
    half = half_distance(budget)
    assert half is not None
    assert half.gain_db == pytest.approx(gained, abs=0.01)
    assert 0 < gained < 20 * math.log10(2), "what comes in after the gain stays"


class TestPhantom:
    def condenser(self, on: bool) -> Show:
        show = one_chain()
        devices = list(show.devices)
        devices[0] = devices[0].with_(kind="condenser-broad")
        shown = show.with_(devices=tuple(devices))
        return SetValue(SettingRef("face", "in1", "phantom"), on).apply(shown)

    def test_without_it_no_signal(self) -> None:
        analysis = analyse(self.condenser(False))
        assert ("ann", "tape") not in analysis.ladders
        finding = next(row for row in analysis.findings if row.code == "phantom-missing")
        assert finding.severity == "stop"
        assert "3.0 of the 10 mA" in finding.message
        mended = finding.remedies[0].apply(analysis.show)
        assert not [row for row in analyse(mended).findings if row.code == "phantom-missing"]
        assert ("ann", "tape") in analyse(mended).ladders

    def test_three_milliampere_leave_37_8_volts(self) -> None:
        """IEC 61938: 48 V through 6.81 kilohm in each leg."""
        finding = next(row for row in analyse(self.condenser(False)).findings if row.code == "phantom-missing")
        assert finding.why is not None
        assert finding.why.value == pytest.approx(37.8, abs=0.05)

    def test_a_booster_passes_none_on(self) -> None:
        show = self.condenser(True)
        behind = show.with_(
            devices=(*show.devices, {"id": "boost", "kind": "booster-inline"}),
            cables=[
                {"from": "mic.out", "to": "boost.in"},
                {"from": "boost.out", "to": "face.in1"},
                {"from": "face.usb1", "to": "rec.in"},
            ],
        )
        rows = [row for row in analyse(behind).findings if row.code == "phantom-missing"]
        assert [row.subjects for row in rows] == [("mic",)]
        assert "passes none on" in rows[0].message


class TestRoomTone:
    def attach(self, show: Show, level: float, flat: float | None = None) -> Show:
        take = room_tone_take(
            analyse(show).any_ladder("ann"),
            "ann",
            take_id="t",
            file="t.wav",
            noise_dbfs=level if flat is None else flat,
            noise_a_dbfs=level,
        )
        return AttachTake(take).apply(show)

    def test_a_take_of_the_computed_noise_gives_the_assumed_room_back(self) -> None:
        """What the ladder predicts, recorded, must lead back to the room it was predicted from."""
        show = one_chain()
        ladder = analyse(show).ladders["ann", "tape"]
        point = rung(ladder, "face.in1:pre")
        measured = analyse(self.attach(show, point.noise_total_db, point.noise_flat_db)).ladders["ann", "tape"]
        assert rung(measured, "mic.diaphragm").noise_db["room"] == pytest.approx(30 - 4.77, abs=0.01)
        assert rung(measured, "mic.diaphragm").noise_flat_db == pytest.approx(
            rung(ladder, "mic.diaphragm").noise_flat_db, abs=0.01
        )

    def test_an_unweighted_floor_does_not_stand_in_for_dba(self) -> None:
        """A take from before the weighting: the room stays as it was assumed, A-weighted, and the note says so."""
        show = one_chain()
        take = room_tone_take(analyse(show).any_ladder("ann"), "ann", take_id="t", file="t.wav", noise_dbfs=-40.0)
        analysis = analyse(AttachTake(take).apply(show))
        last = rung(analysis.ladders["ann", "tape"], "mic.diaphragm")
        assert last.noise_db["room"] == pytest.approx(30 - 4.77, abs=0.01)
        note = next(row for row in analysis.findings if row.code == "ambient-assumed")
        assert "without A-weighting" in note.message

    def test_a_louder_take_lifts_the_room_by_as_much(self) -> None:
        show = one_chain()
        loud = analyse(self.attach(show, -40.0)).ladders["ann", "tape"]
        point = rung(loud, "face.in1:pre")
        assert point.noise_total_db == pytest.approx(-40, abs=0.01)
        assert "measured" in next(p for p in point.noise_parts if p.name.startswith("room noise")).name

    def test_turning_a_gain_later_moves_voice_and_room_together(self) -> None:
        show = self.attach(one_chain(), -40.0)
        before = analyse(show).ladders["ann", "tape"].last
        after = analyse(SetValue(SettingRef("face", "in1", "gain_db"), 38.0).apply(show)).ladders["ann", "tape"].last
        assert after.noise_db["room"] - before.noise_db["room"] == pytest.approx(-20)

    def test_a_take_of_nothing_but_electronics_is_an_upper_bound(self) -> None:
        measured = analyse(self.attach(one_chain(), -100.0)).ladders["ann", "tape"]
        part = next(p for p in measured.last.noise_parts if p.name.startswith("room noise"))
        assert "at most" in part.name

    def test_the_note_about_the_guess_goes(self) -> None:
        assert "ambient-assumed" in {row.code for row in analyse(one_chain()).findings}
        assert "ambient-assumed" not in {row.code for row in analyse(self.attach(one_chain(), -60)).findings}

    def test_a_voice_without_a_way_is_refused(self) -> None:
        show = one_chain(cables=[])
        with pytest.raises(ValueError, match="reaches no recorder"):
            room_tone_take(analyse(show).any_ladder("ann"), "ann", take_id="t", file="t.wav", noise_dbfs=-60)


class TestRules:
    def findings(self, gain: float) -> dict[str, object]:
        analysis = analyse(SetValue(SettingRef("face", "in1", "gain_db"), gain).apply(one_chain()))
        return {row.code: row for row in analysis.findings}

    def test_clipping_stops_and_its_remedy_cures(self) -> None:
        show = one_chain(
            parties=[
                {
                    "id": "ann",
                    "name": "Ann",
                    "kind": "presenter",
                    "place": "room",
                    "at_m": [1, 1],
                    "speaks": True,
                    "effort": "shouted",
                },
                {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
            ]
        )
        analysis = analyse(show)
        finding = next(row for row in analysis.findings if row.code == "clips")
        assert finding.severity == "stop"
        mended = analyse(finding.remedies[0].apply(show))
        assert not {"clips", "little-headroom"} & {row.code for row in mended.findings}

    def raised(self, gain: float) -> Show:
        show = SetField("parties", "ann", "effort", "raised").apply(one_chain())
        return SetValue(SettingRef("face", "in1", "gain_db"), gain).apply(show)

    def test_off_the_mark_and_back(self) -> None:
        show = self.raised(40)
        finding = next(row for row in analyse(show).findings if row.code == "off-mark")
        last = analyse(finding.remedies[0].apply(show)).ladders["ann", "tape"].last
        assert last.mark is not None
        assert last.mark[0] <= last.speech_db <= last.mark[1]

    def test_on_the_mark_is_no_finding(self) -> None:
        assert "off-mark" not in {row.code for row in analyse(self.raised(54)).findings}
        assert "off-mark" in {row.code for row in analyse(self.raised(44)).findings}

    def test_when_no_gain_is_enough_it_says_what_would_be(self) -> None:
        """A quiet dynamic microphone into 58 dB: the mark is out of reach, and the remedy is not a knob."""
        hushed = SetField("parties", "ann", "effort", "quiet").apply(one_chain())
        finding = next(row for row in analyse(hushed).findings if row.code == "off-mark")
        assert finding.remedies == ()
        assert "ends at +58.0 dB" in finding.message
        assert "booster" in finding.message

    def test_two_knobs_together_when_one_is_not_enough(self) -> None:
        show = one_chain(
            devices=[
                {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
                {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 52}}},
                {"id": "mix", "kind": "soft-mixer", "settings": {"in1": {"gain_db": -12, "pan": -1}}},
                {"id": "rec", "kind": "recorder"},
            ],
            cables=[
                {"from": "mic.out", "to": "face.in1"},
                {"from": "face.usb1", "to": "mix.in1"},
                {"from": "mix.out", "to": "rec.in"},
            ],
        )
        finding = next(row for row in analyse(show).findings if row.code == "off-mark")
        last = analyse(finding.remedies[0].apply(show)).ladders["ann", "tape"].last
        assert last.speech_db == pytest.approx(-20, abs=1)

    def test_a_practice_read_on_the_desk_is_read_there(self, demo: Show) -> None:
        """Desk practice is in dBu: the stream's dBFS say nothing about it, the desk's last analogue point does."""
        show = demo.with_(practice="desk-pfl")
        finding = next(row for row in analyse(show).findings if row.code == "off-mark" and row.subjects[0] == "mira")
        assert "Desk, main out" in finding.message
        assert "dBu" in finding.message
        after = analyse(finding.remedies[0].apply(show))
        assert not [row for row in after.findings if row.code == "off-mark" and row.subjects[0] == "mira"]

    def test_a_practice_that_can_be_read_nowhere_says_so(self) -> None:
        show = one_chain(
            parties=[
                {"id": "ann", "name": "Ann", "kind": "remote", "speaks": True, "plays_on": "mix.in1"},
                {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
            ],
            devices=[{"id": "mix", "kind": "soft-mixer"}, {"id": "rec", "kind": "recorder"}],
            cables=[{"from": "mix.out", "to": "rec.in"}],
            practice="desk-pfl",
        )
        note = next(row for row in analyse(show).findings if row.code == "mark-not-read")
        assert note.severity == "note"
        assert "Ann" in note.message

    def test_noise_names_the_winner(self) -> None:
        noisy = one_chain(places=[{"id": "room", "name": "Room", "ambient_dba": 60}])
        finding = next(row for row in analyse(noisy).findings if row.code == "voice-over-noise")
        assert "the room" in finding.message
        half = next(row for row in finding.remedies if row.id == "half-distance")
        assert "It buys 6.0 dB" in half.effect
        moved = analyse(half.apply(noisy)).ladders["ann", "tape"].last
        assert moved.voice_over_noise_db - analyse(noisy).ladders[
            "ann", "tape"
        ].last.voice_over_noise_db == pytest.approx(6.0, abs=0.1)

    def test_a_knob_turns_in_its_steps_and_within_its_range(self) -> None:
        knob = next(
            k
            for row in analyse(one_chain()).ladders["ann", "tape"].rungs
            for k in row.knobs
            if k.ref.field == "gain_db"
        )
        assert turn(knob, -3.4).value == knob.value - 3
        assert turn(knob, 500) is None
        assert turn(knob, -500).value == knob.lowest

    def test_missing_positions_are_told(self) -> None:
        show = one_chain()
        lost = show.with_(
            parties=(
                *show.parties,
                {"id": "bob", "name": "Bob", "kind": "guest", "place": "room", "speaks": True},
            )
        )
        finding = next(row for row in analyse(lost).findings if row.code == "position-unknown")
        assert "Bob" in finding.message


def test_the_demo_explains_the_other_channels(demo_analysis: Report) -> None:
    finding = next(row for row in demo_analysis.findings if row.code == "voice-over-noise")
    assert "Crowd microphone" in finding.message, "bare in the wind, it drowns everybody"
    last = demo_analysis.ladders["mira", "stream"].last
    assert last.loudest_noise == "others"


def test_only_what_clips_there_has_headroom_and_the_rest_is_drawn_by_the_one_before(
    demo_analysis: Report,
) -> None:
    """A line and the ceiling before it move together: the distance from speech to it is that of where it clips."""
    drawn = 0
    for ladder in demo_analysis.ladders.values():
        before = None
        for row in ladder.rungs:
            node = demo_analysis.graph.nodes[demo_analysis.graph.index[row.node]]
            assert row.ceiling_here == (node.ceiling is not None)
            assert (row.headroom_db is None) == (node.ceiling is None)
            if node.ceiling is not None:
                assert row.ceiling_db == node.ceiling.value
                before = row
            elif before is not None and row.ceiling_db is not None and before.ceiling_db is not None:
                over = row.ceiling_db - row.speech_db
                assert over == pytest.approx(before.ceiling_db - before.speech_db)
                drawn += abs(row.speech_db - before.speech_db) > 1
    assert drawn > 10


def two_mouths(fader_db: float) -> Show:
    """Ann and Ben at inputs of their own, summed into one track, Ben's fader at so much."""
    show = one_chain()
    ben = {"id": "ben", "name": "Ben", "kind": "guest", "place": "room", "at_m": [4, 1], "speaks": True}
    strips = {"in1": {"gain_db": 40}, "in2": {"gain_db": 40}}
    return show.with_(
        parties=(*show.parties, ben),
        devices=[
            *(row for row in show.devices if row.id not in ("face", "rec")),
            {"id": "mic2", "kind": "dynamic-close", "place": "room", "party": "ben", "at_m": [4.15, 1]},
            {"id": "face", "kind": "interface-2", "settings": strips},
            {"id": "mix", "kind": "soft-mixer", "settings": {"in2": {"fader_db": fader_db}}},
            {"id": "rec", "kind": "recorder"},
        ],
        cables=[
            {"from": "mic.out", "to": "face.in1"},
            {"from": "mic2.out", "to": "face.in2"},
            {"from": "face.usb1", "to": "mix.in1"},
            {"from": "face.usb2", "to": "mix.in2"},
            {"from": "mix.out", "to": "rec.in"},
        ],
    )


@pytest.mark.parametrize("fader_db", [10.0, 0.0, -15.0, -30.0, -50.0])
def test_other_channels_are_told_however_faint_and_never_when_shut(fader_db: float) -> None:
    """Ben's channel is like Ann's: its noise lies as far under hers as his fader, down to a millionth of the power."""
    last = analyse(two_mouths(fader_db)).ladders["ann", "tape"].last
    own = [level for kind, level in last.noise_db.items() if kind != "others"]
    whole = 10 * math.log10(sum(10 ** (level / 10) for level in own))
    assert last.noise_db["others"] == pytest.approx(whole + fader_db, abs=1.5)
    assert last.noise_total_db == pytest.approx(
        10 * math.log10(sum(10 ** (level / 10) for level in last.noise_db.values()))
    )
    assert (last.loudest_noise == "others") == (last.noise_db["others"] > max(own))
    assert "others" not in analyse(two_mouths(-90.0)).ladders["ann", "tape"].last.noise_db


def test_the_shown_rungs_pass_on_what_the_hidden_ones_did(demo_analysis: Report) -> None:
    for ladder in demo_analysis.ladders.values():
        shown = ladder.shown()
        for before, after in zip(shown, shown[1:], strict=False):
            assert after.speech_db - before.speech_db == pytest.approx(after.gain_db)
        knobs = {knob.ref for row in ladder.rungs if not row.minor for knob in row.knobs}
        assert knobs == {knob.ref for step in ladder.path.steps() for knob in step.knobs}
