"""Rules of Level beside the ladder: each with a show that breaks it, one that keeps it, and its remedies tried."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.dose import allowed_hours, daily_exposure_dba, dose_percent, listenings
from kymaphon.core.levels.lineup.safety import safety_copy
from kymaphon.core.levels.monitoring import own_ears
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.model.weights import speech_a_db
from tests.core.levels.test_budget import boosted
from tests.core.levels.test_levels import one_chain


def of_code(show: Show, code: str) -> list[Finding]:
    return [row for row in analyse(show).findings if row.code == code]


# NIOSH 98-126 (1998), table 1-1: level in dBA and hours allowed.
@pytest.mark.parametrize(
    ("level", "hours"), [(85, 8), (88, 4), (91, 2), (94, 1), (97, 0.5), (100, 0.25), (82, 16), (106, 1 / 16)]
)
def test_niosh_table(level: float, hours: float) -> None:
    assert allowed_hours(level) == pytest.approx(hours)
    assert dose_percent(level, hours) == pytest.approx(100)
    assert dose_percent(level + 3, hours / 2) == pytest.approx(100)


def test_daily_exposure() -> None:
    """Directive 2003/10/EC, ISO 1999: the same energy over eight hours; half the time is 3 dB less."""
    assert daily_exposure_dba(85, 8) == pytest.approx(85)
    assert daily_exposure_dba(85, 4) == pytest.approx(81.99, abs=0.01)
    with pytest.raises(ValueError, match="some time"):
        daily_exposure_dba(85, 0)
    with pytest.raises(ValueError, match="below zero"):
        dose_percent(85, -1)


def listener(knob: float, **changes: object) -> Show:
    """The talker hears itself on headphones at the interface."""
    return one_chain(
        parties=[
            {
                "id": "ann",
                "name": "Ann",
                "kind": "presenter",
                "place": "room",
                "at_m": [1, 1],
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
                "level_db_spl_1m": 80,
            },
            {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        devices=[
            {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
            {
                "id": "face",
                "kind": "interface-2",
                "settings": {
                    "in1": {"gain_db": 50},
                    "in2": {},
                    "phones-knob": {"gain_db": knob},
                    **(changes.pop("settings", {})),
                },
            },
            {"id": "rec", "kind": "recorder"},
            {"id": "cans", "kind": "headphones", "place": "room", "party": "ann"},
        ],
        cables=[
            {"from": "mic.out", "to": "face.in1"},
            {"from": "face.usb1", "to": "rec.in"},
            {"from": "face.phones", "to": "cans.in"},
            *(changes.pop("cables", [])),
        ],
    )


class TestHeadphones:
    def test_level_is_that_of_all_voices_and_the_knob(self) -> None:
        quiet, loud = (listenings(analyse(listener(knob)))[0] for knob in (-30, -20))
        assert loud.level.value - quiet.level.value == pytest.approx(10.0, abs=0.05)
        assert loud.knob.ref == SettingRef("face", "phones-knob", "gain_db")
        assert loud.loudest.value == pytest.approx(quiet.loudest.value, abs=0.05)
        assert loud.dose.value == pytest.approx(quiet.dose.value * 2 ** (10 / 3), rel=0.02)

    def test_loud_ones_are_told_and_turned_down(self) -> None:
        show = listener(0)
        assert listenings(analyse(show))[0].exposure.value > 85
        finding = of_code(show, "headphones-loud")[0]
        assert finding.severity == "fix"
        assert "of a day's dose" in finding.message
        after = apply_all(show, finding.remedies[0].edits)
        assert not of_code(after, "headphones-loud")
        assert listenings(analyse(after))[0].exposure.value == pytest.approx(79, abs=1.1)

    def test_what_a_knob_could_do_is_warned_of(self) -> None:
        found = of_code(listener(-35), "headphones-reach-far")
        assert [row.severity for row in found] == ["note"]
        assert "Start low" in found[0].message
        assert not of_code(listener(-35), "headphones-loud")

    def test_nobody_on_headphones_nothing_to_say(self) -> None:
        assert listenings(analyse(one_chain())) == ()


class TestOwnVoice:
    def test_direct(self) -> None:
        ears = own_ears(analyse(listener(-30)), "ann")
        assert ears.computer is None
        assert ears.direct.delay_ms < 3
        assert "direct" in ears.words()
        assert not of_code(listener(-30), "own-voice-by-computer")

    def test_through_the_computer_counts_its_buffers(self) -> None:
        """256 samples at 48 kHz are 5.33 ms, each way (hand calculation)."""
        show = listener(-30, settings={"in1>monitor": {"on": False}}, cables=[])
        show = show.model_copy(
            update={
                "devices": (
                    *show.devices[:3],
                    *Show.model_validate({"devices": [{"id": "mix", "kind": "soft-mixer"}]}).devices,
                    show.devices[3],
                )
            }
        )
        wires = [
            {"from": "mic.out", "to": "face.in1"},
            {"from": "face.usb1", "to": "mix.in1"},
            {"from": "mix.out", "to": "face.usb-in"},
            {"from": "face.phones", "to": "cans.in"},
        ]
        show = show.with_(cables=Show.model_validate({"cables": wires}).cables)
        ears = own_ears(analyse(show), "ann")
        assert ears.direct is None
        assert ears.computer.delay_ms >= 2 * 256 / 48
        assert sum(term.value for term in ears.lines()[0].terms) == pytest.approx(ears.computer.delay_ms)
        finding = of_code(show, "own-voice-by-computer")[0]
        assert "only through the computer" in finding.message
        both = apply_all(show, (SetValue(SettingRef("face", "in1>monitor", "on"), True),))
        twice = own_ears(analyse(both), "ann")
        assert twice.direct is not None
        assert "twice" in twice.words() or "weaker" in twice.words()

    def test_who_does_not_speak_has_no_own_voice(self, demo: Show) -> None:
        assert own_ears(analyse(demo), "stream") is None
        assert "late" not in own_ears(analyse(demo), "ferry").words()


class TestBoosters:
    def test_one_that_buys_little_is_told_with_what_buys_more(self) -> None:
        show = boosted(places=[{"id": "room", "name": "Room", "ambient_dba": 45}])
        finding = of_code(show, "booster-buys-little")[0]
        assert "not worth it" in finding.message
        without = next(row for row in finding.remedies if row.id == "without")
        after = apply_all(show, without.edits)
        assert not of_code(after, "booster-buys-little")
        assert analyse(after).ladders["ann", "tape"].last.speech_db == pytest.approx(
            analyse(show).ladders["ann", "tape"].last.speech_db, abs=1.1
        )
        nearer = next(row for row in finding.remedies if row.id == "nearer")
        assert (
            analyse(apply_all(show, nearer.edits)).ladders["ann", "tape"].last.voice_over_noise_db
            > 5 + analyse(show).ladders["ann", "tape"].last.voice_over_noise_db
        )

    def test_none_nothing_to_say(self) -> None:
        assert not of_code(one_chain(), "booster-buys-little")


class TestPeaksOverPractice:
    def test_told_while_still_inside_the_mark(self) -> None:
        """Common practice, digital voice: average -20 within 3, never over -6; even a mild talker peaks 13 over the average."""
        show = one_chain()
        gain = analyse(show).ladders["ann", "tape"].last.speech_db

        def at(level: float) -> Show:
            return apply_all(show, (SetField("parties", "ann", "level_db_spl_1m", 60 - speech_a_db() + level - gain),))

        loud = next(
            level
            for level in (-17.5, -17.3, -17.1)
            if analyse(at(level)).ladders["ann", "tape"].last.peak_db - 2 > -5.9
        )
        assert of_code(at(loud), "peaks-over-practice")
        assert not of_code(at(-20), "peaks-over-practice")


class TestSafetyCopy:
    def test_a_second_input_lower_has_as_much_more_to_spare(self) -> None:
        analysis = analyse(one_chain())
        copy = safety_copy(analysis, "ann", 12)
        assert copy.possible
        assert copy.copy_spare_db - copy.spare_db == pytest.approx(12.0)
        after = analyse(apply_all(analysis.show, copy.edits))
        gains = {key: value.gain_db for key, value in after.show.device("face").settings.items()}
        assert gains["in1"] - gains["in2"] == pytest.approx(12)
        assert after.show.tracks[-1].source == "face.usb2"
        assert after.show.device("face").settings["in2>monitor"].on is False
        # What it says of the copy is what an analysis finds there.
        rung = after.ladder_to_node("ann", "face.usb2").last
        assert rung.headroom_db - 4 == pytest.approx(copy.copy_spare_db, abs=0.8)
        own = [source.level.value + more for source, more in rung.own_noise]
        assert rung.weighted_speech_db - 10 * __import__("math").log10(
            sum(10 ** (row / 10) for row in own)
        ) == pytest.approx(copy.over_noise_db, abs=0.3)
        assert copy.lines()[0].value == pytest.approx(copy.copy_spare_db)
        assert copy.to_json()["possible"]

    def test_after_a_mix_there_is_none_and_it_says_why(self, demo: Show) -> None:
        copy = safety_copy(analyse(demo), "mira", 12)
        assert not copy.possible
        assert "one mix" in copy.text
        assert copy.edits == ()
        assert copy.lines() == () or copy.spare_db is not None

    def test_no_input_left_and_nonsense(self) -> None:
        show = one_chain(
            devices=[
                {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
                {"id": "mic2", "kind": "dynamic-close", "place": "room"},
                {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 58}}},
                {"id": "rec", "kind": "recorder"},
            ],
            cables=[
                {"from": "mic.out", "to": "face.in1"},
                {"from": "mic2.out", "to": "face.in2"},
                {"from": "face.usb1", "to": "rec.in"},
            ],
        )
        assert "no free microphone input" in safety_copy(analyse(show), "ann").text
        with pytest.raises(ValueError, match="above zero"):
            safety_copy(analyse(show), "ann", 0)
        with pytest.raises(KeyError):
            safety_copy(analyse(show), "nobody")
