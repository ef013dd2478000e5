"""Meters' scales and practices: alignments of the standards, and marks set for single points."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import firwin2, lfilter

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.figures import acoustic_data
from kymaphon.core.levels.meter.loudness import LAYOUTS, LoudnessMeter
from kymaphon.core.model.practice import PointMark, Practice, practices, shipped_practices
from kymaphon.core.model.references import ShowProblem
from kymaphon.core.model.scales import House, house_of, level_of, mark_at, reading, scales, show_mark
from kymaphon.core.model.show import Show

HOUSE = House(4.0, 18.0, "EBU R 68")


@pytest.mark.parametrize(
    ("scale", "level", "unit", "shown"),
    [
        # Common practice: 0 VU is +4 dBu; the needle's middle swing on speech lies 1 dB under its active level (measured).
        ("vu", 5.0, "dBu", 0.0),
        ("vu", -13.0, "dBFS", 0.0),  # EBU R 68: 0 dBu is -18 dBFS, so +4 dBu is -14
        ("dbu", -18.0, "dBFS", 0.0),  # EBU R 68
        ("dbfs", 0.0, "dBu", -18.0),  # EBU R 68
        ("dbfs", -20.0, "dBFS", -20.0),
    ],
)
def test_averages_through_the_alignments(scale: str, level: float, unit: str, shown: float) -> None:
    assert reading(scale, level, unit, HOUSE).value == pytest.approx(shown, abs=1e-9)


def test_a_line_up_tone_on_every_scale() -> None:
    """Common practice: 0 dBu is mark 4 of type IIa, TEST of type IIb, -6 of type I whose 0 is at +6 dBu; 4 dB a mark.
    A tone has no swing, so what speech adds at its peaks is taken off again.
    """
    for scale, shown in (("ppm-2a", 4.0), ("ppm-2b", 0.0), ("ppm-1", -6.0)):
        row = scales()[scale]
        found = reading(scale, 0.0, "dBu", HOUSE, peaks=True).value - row.per_db * row.peak_lead_db
        assert found == pytest.approx(shown)
    # From memory: speech swings 8 dB higher on a programme meter than on a VU meter; and speech at -23 LUFS peaks to
    # about mark 6, as it did before loudness was measured.
    swing = scales()["ppm-2a"].peak_lead_db - scales()["vu"].peak_lead_db
    assert swing == pytest.approx(8.0)
    level = mark_at(shipped_practices()["r128-programme"], "dBu", HOUSE).average
    assert reading("ppm-2a", level, "dBu", HOUSE, peaks=True).value == pytest.approx(6.0, abs=0.5)


def test_smpte_alignment_is_a_setting_of_the_show() -> None:
    # SMPTE RP 155: line-up at -20 dBFS.
    house = house_of(Show(line_up_dbfs=-20.0))
    assert reading("dbfs", 0.0, "dBu", house).value == pytest.approx(-20.0)


@given(st.sampled_from(sorted(scales())), st.floats(-60, 20), st.sampled_from(["dBu", "dBFS"]))
def test_reading_and_level_undo_each_other(scale: str, level: float, unit: str) -> None:
    shown = reading(scale, level, unit, HOUSE, peaks=True)
    assert level_of(scale, shown.value, unit, HOUSE, peaks=True) == pytest.approx(level, abs=1e-9)
    if shown.adds:
        assert sum(term.value for term in shown.terms) == pytest.approx(shown.value)


def test_loudness_of_speech_is_that_of_noise_with_its_spectrum() -> None:
    """Byrne et al. 1994 by bands, through the meter itself: noise with that spectrum reads what the scale says."""
    data = acoustic_data()
    bands = np.array(data["bands_hz"], dtype=float)
    density = np.array(data["speech_share"]["db"]) - 10 * np.log10(bands)
    edges = np.concatenate(([0, 80], bands, [12000, 24000]))
    wanted = np.concatenate(([0, 10 ** (density[0] / 20)], 10 ** (density / 20), [1e-4, 1e-4]))
    taps = firwin2(2049, edges, wanted / wanted.max(), fs=48000)
    noise = lfilter(taps, 1, np.random.default_rng(3).normal(0, 1, 48000 * 10))
    noise *= 0.05 / noise.std()
    meter = LoudnessMeter(48000, LAYOUTS["stereo"])
    meter.add(np.column_stack([noise, noise]))
    level = 20 * np.log10(0.05) + 3.01
    assert meter.integrated_lufs() == pytest.approx(reading("lufs", level, "dBFS", HOUSE).value, abs=0.3)


def test_mono_and_stereo_podcasts_are_one_level() -> None:
    """From memory: -19 LUFS mono is -16 stereo, the same voice once or in both channels."""
    levels = [mark_at(shipped_practices()[name], "dBFS", HOUSE).average for name in ("podcast-mono", "podcast-stereo")]
    assert levels[0] == pytest.approx(levels[1], abs=0.02)


@pytest.mark.parametrize("name", sorted(shipped_practices()))
def test_every_mark_adds_up_and_its_meter_agrees(name: str) -> None:
    practice = shipped_practices()[name]
    for unit in ("dBu", "dBFS"):
        mark = mark_at(practice, unit, HOUSE)
        house = House(4.0, 18.0, "", practice.mono)
        assert mark.line.value == pytest.approx(mark.average)
        assert reading(practice.scale, mark.average, unit, house).value == pytest.approx(practice.average)
        assert mark.never_over is not None
        assert mark.window == (mark.average - mark.tolerance_db, mark.average + mark.tolerance_db)


def test_a_programme_meter_is_marked_at_its_peaks() -> None:
    own = Practice(id="van", name="Van", scale="ppm-2a", peak=5.0)
    mark = mark_at(own, "dBu", HOUSE)
    assert reading("ppm-2a", mark.average, "dBu", HOUSE, peaks=True).value == pytest.approx(5.0)
    assert mark.average == pytest.approx(-8.0), "mark 5 is +4 dBu, and speech swings 12 dB over its level"
    with pytest.raises(ValueError, match="read at its peaks"):
        reading("ppm-2a", 0.0, "dBu", HOUSE)
    with pytest.raises(ValueError, match="average or the peaks"):
        Practice(id="none", name="None", scale="vu")
    with pytest.raises(ValueError, match="must rise"):
        Practice(id="odd", name="Odd", scale="vu", average=3, peak=0)


class TestMarksOfPoints:
    def test_a_sort_of_point_takes_another_practice(self, demo: Show) -> None:
        show = demo.with_(marks=(PointMark(at="recorder", practice="podcast-stereo"),))
        ladders = analyse(show).ladders
        usual, set_there = ladders["mira", "stream"].last, ladders["mira", "podcast"].last
        assert usual.wanted.practice.id == "digital-voice"
        assert set_there.wanted.practice.id == "podcast-stereo"
        assert set_there.set_here
        assert not usual.set_here

    def test_a_desk_mark_says_what_its_meter_shows_for_the_recorder(self, demo: Show) -> None:
        """The very point of the rig goes before its sort; a mark in dBu at an analogue point holds there."""
        marks = (
            PointMark(at="desk", practice="station-desk"),
            PointMark(at="desk.main", practice="desk-pfl"),
            PointMark(at="input", practice="station-desk"),
        )
        ladder = analyse(demo.with_(marks=marks)).ladders["mira", "stream"]
        by_node = {rung.node: rung for rung in ladder.rungs}
        assert by_node["desk.main.l"].wanted.practice.id == "desk-pfl"
        assert by_node["desk.in1:pre"].wanted.practice.id == "station-desk"
        assert by_node["desk.in1:pre"].wanted.average == pytest.approx(5.0)

    def test_off_a_mark_of_its_own_is_told_there(self, demo: Show) -> None:
        show = demo.with_(marks=(PointMark(at="input", practice="station-desk"),))
        rows = [row for row in analyse(show).findings if row.code == "off-mark" and row.subjects[0] == "mira"]
        assert len(rows) == 1
        assert "station desk" in rows[0].message
        assert "Desk, channel 1" in rows[0].message

    def test_own_practices_and_names_that_lead_nowhere(self, demo: Show) -> None:
        own = Practice(id="harbour", name="Harbour", scale="dbfs", average=-24, source="house rule")
        show = demo.with_(practices=(own,), practice="harbour")
        assert show_mark(show).average == pytest.approx(-24)
        assert analyse(show).mark.name == "Harbour"
        assert practices(show.practices)["harbour"] is own
        with pytest.raises(ShowProblem, match="no practice called"):
            analyse(demo.with_(marks=(PointMark(at="desk", practice="station"),)))
        with pytest.raises(ShowProblem, match="known"):
            analyse(demo.with_(practice="harbour"))
        with pytest.raises(ShowProblem, match="marks"):
            analyse(demo.with_(marks=(PointMark(at="dsek", practice="unity"),)))
