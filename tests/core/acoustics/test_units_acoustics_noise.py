"""Conversions, sums, distance, patterns and noise against published figures."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kymaphon.core import noise, units
from kymaphon.core.acoustics import sound as acoustics
from kymaphon.core.figures import figure

levels = st.floats(-120, 60, allow_nan=False)


class TestUnits:
    """IEC 60268-1 and common engineering handbooks for the references; AES17 for dBFS."""

    @pytest.mark.parametrize(("dbu", "volts"), [(0, 0.774597), (4, 1.22765), (-7.7815, 0.316228)])
    def test_dbu(self, dbu: float, volts: float) -> None:
        assert units.dbu_to_volts(dbu) == pytest.approx(volts, rel=1e-5)
        assert units.volts_to_dbu(volts) == pytest.approx(dbu, abs=1e-4)

    def test_the_two_line_levels_differ_by_11_78_db(self) -> None:
        assert units.dbv_to_dbu(0) == pytest.approx(2.2185, abs=1e-4)
        assert 4 - units.dbv_to_dbu(-10) == pytest.approx(11.7815, abs=1e-4)

    def test_one_pascal(self) -> None:
        assert units.pascal_to_spl(1) == pytest.approx(93.979, abs=1e-3)

    def test_sums(self) -> None:
        assert units.uncorrelated_sum_db([0, 0]) == pytest.approx(3.01, abs=0.01)
        assert units.uncorrelated_sum_db([0] * 10) == pytest.approx(10)
        assert units.uncorrelated_sum_db([0, -10]) == pytest.approx(0.41, abs=0.005)
        assert units.correlated_sum_db([0, 0]) == pytest.approx(6.02, abs=0.005)

    def test_nothing_to_add_is_silence(self) -> None:
        assert units.uncorrelated_sum_db([]) == units.SILENCE_DB
        assert units.correlated_sum_db([]) == units.SILENCE_DB

    def test_negative_ratios_are_refused(self) -> None:
        for convert in (units.amplitude_to_db, units.power_to_db):
            with pytest.raises(ValueError, match="not negative"):
                convert(-1)

    def test_buffer(self) -> None:
        assert units.buffer_ms(256, 48000) == pytest.approx(5.333, abs=1e-3)

    @given(levels)
    def test_there_and_back(self, level: float) -> None:
        assert units.amplitude_to_db(units.db_to_amplitude(level)) == pytest.approx(level, abs=1e-9)
        assert units.dbu_to_dbv(units.dbv_to_dbu(level)) == pytest.approx(level, abs=1e-9)

    @given(levels, levels)
    def test_a_sum_is_never_below_its_parts(self, a: float, b: float) -> None:
        both = units.uncorrelated_sum_db([a, b])
        assert max(a, b) <= both + 1e-9
        assert both <= units.correlated_sum_db([a, b]) + 1e-9


class TestAcoustics:
    """Eargle, The Microphone Book, for patterns; the free-field law from any acoustics handbook."""

    @pytest.mark.parametrize(
        ("pattern", "at45", "at90", "at135", "at180", "ree", "factor"),
        [
            ("omni", 0, 0, 0, 0, 0, 1),
            ("wide-cardioid", -0.80, -3.10, -6.23, -7.96, -2.84, 1.39),
            ("cardioid", -1.38, -6.02, -16.69, None, -4.77, 1.73),
            ("supercardioid", -1.78, -8.73, -21.69, -11.44, -5.72, 1.93),
            ("hypercardioid", -2.15, -12.04, -11.05, -6.02, -6.02, 2.00),
            ("figure-of-eight", -3.01, None, -3.01, 0, -4.77, 1.73),
        ],
    )
    def test_pattern_table(
        self, pattern: str, at45: float, at90: float, at135: float, at180: float, ree: float, factor: float
    ) -> None:
        floor = figure("pattern-floor").value
        for angle, loss in ((45, at45), (90, at90), (135, at135), (180, at180)):
            expected = floor if loss is None else loss
            assert acoustics.pattern_gain_db(pattern, angle) == pytest.approx(expected, abs=0.01)
        assert acoustics.random_efficiency_db(pattern) == pytest.approx(ree, abs=0.01)
        assert acoustics.distance_factor(pattern) == pytest.approx(factor, abs=0.01)

    def test_diffuse_efficiency_is_the_mean_over_the_sphere(self) -> None:
        """Held against a numerical integral of the squared pattern over all directions."""
        cosines = np.linspace(-1, 1, 20001)
        for pattern, a in acoustics.PATTERNS.items():
            mean = np.trapezoid((a + (1 - a) * cosines) ** 2, cosines) / 2
            assert acoustics.random_efficiency_db(pattern) == pytest.approx(10 * math.log10(mean), abs=1e-3)

    def test_distance(self) -> None:
        assert acoustics.distance_gain_db(2) == pytest.approx(-6.02, abs=0.005)
        assert acoustics.distance_gain_db(0.15, 0.30) == pytest.approx(6.02, abs=0.005)

    @pytest.mark.parametrize("bad", [0, -1, math.nan])
    def test_distance_refuses(self, bad: float) -> None:
        with pytest.raises(ValueError, match="above zero"):
            acoustics.distance_gain_db(bad)

    def test_speed_of_sound(self) -> None:
        assert acoustics.speed_of_sound_m_s(20) == pytest.approx(343.2, abs=0.05)
        assert acoustics.travel_ms(1) == pytest.approx(2.914, abs=0.001)
        with pytest.raises(ValueError, match="absolute zero"):
            acoustics.speed_of_sound_m_s(-300)

    def test_comb_of_the_three_to_one_rule(self) -> None:
        """Three to one in distance is 9.54 dB: +2.50 and -3.52 dB (common practice, and the arithmetic of
        two phasors).
        """
        notch, peak, dip = acoustics.comb(0, 1, 20 * math.log10(3))
        assert notch == pytest.approx(500)
        assert peak == pytest.approx(2.50, abs=0.005)
        assert dip == pytest.approx(-3.52, abs=0.005)
        _, peak, dip = acoustics.comb(0, 1, 20)
        assert (peak, dip) == (pytest.approx(0.83, abs=0.005), pytest.approx(-0.92, abs=0.005))

    def test_comb_needs_two_times(self) -> None:
        with pytest.raises(ValueError, match="same time"):
            acoustics.comb(1, 1, 0)

    @given(st.floats(-720, 720), st.floats(-5, 5), st.floats(-5, 5), st.floats(0, 360))
    def test_turning_everything_changes_no_angle(self, aim: float, x: float, y: float, turn: float) -> None:
        if math.hypot(x, y) < 1e-3:
            return
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        before = acoustics.angle_between_deg((0, 0), aim, (x, y))
        after = acoustics.angle_between_deg((0, 0), aim + turn, (c * x - s * y, s * x + c * y))
        assert after == pytest.approx(before, abs=1e-6)


class TestNoise:
    """Johnson 1928, Friis 1944, Bennett 1948."""

    @pytest.mark.parametrize(("ohms", "dbu"), [(150, -130.92), (200, -129.67), (600, -124.90)])
    def test_thermal(self, ohms: float, dbu: float) -> None:
        assert noise.thermal_noise_dbu(ohms) == pytest.approx(dbu, abs=0.01)

    def test_thermal_refuses(self) -> None:
        with pytest.raises(ValueError, match="above zero"):
            noise.thermal_noise_dbu(0)

    @pytest.mark.parametrize(("bits", "snr"), [(16, 98.1), (24, 146.3)])
    def test_converter(self, bits: int, snr: float) -> None:
        assert noise.converter_snr_db(bits) == pytest.approx(snr, abs=0.05)

    @pytest.mark.parametrize(("mv", "spl"), [(1.1, 22.9), (20, -2.3)])
    def test_ein_as_sound(self, mv: float, spl: float) -> None:
        sensitivity = units.volts_to_dbu(mv / 1000)
        assert noise.noise_as_sound_db_spl(-128, sensitivity) == pytest.approx(spl, abs=0.05)

    def test_microphone_output_level(self) -> None:
        """1.1 mV/Pa at 74 dB SPL gives about -77.0 dBu (handbook example)."""
        level = units.volts_to_dbu(1.1e-3) + 74 - units.PASCAL_DB_SPL
        assert level == pytest.approx(-77.0, abs=0.1)

    def test_cascade_by_hand(self) -> None:
        """Friis: a second stage of the same noise behind 20 dB of gain adds a hundredth of the power."""
        assert noise.cascade_noise_db([(-120, 20), (-120, 0)]) == pytest.approx(-120 + 10 * math.log10(1.01))

    @given(st.lists(st.tuples(st.floats(-140, -60), st.floats(0, 40)), min_size=2, max_size=5))
    def test_more_gain_early_never_hurts(self, stages: list[tuple[float, float]]) -> None:
        louder = [(stages[0][0], stages[0][1] + 6), *stages[1:]]
        assert noise.cascade_noise_db(louder) <= noise.cascade_noise_db(stages) + 1e-9

    def test_loading(self) -> None:
        assert noise.loading_gain_db(600, 600) == pytest.approx(-6.02, abs=0.005)
        assert noise.loading_gain_db(100, 1000) == pytest.approx(-0.83, abs=0.005)

    def test_ein_between_points(self) -> None:
        points = ((0.0, -100.0), (40.0, -128.0))
        assert noise.ein_at_gain_dbu(points, 20) == pytest.approx(-114)
        assert noise.ein_at_gain_dbu(points, -10) == -100
        assert noise.ein_at_gain_dbu(points, 99) == -128
        with pytest.raises(ValueError, match="no EIN"):
            noise.ein_at_gain_dbu((), 0)

    def test_taking_a_known_noise_off(self) -> None:
        both = units.uncorrelated_sum_db([-60, -70])
        assert noise.without_noise_db(both, -70) == pytest.approx(-60)
        assert noise.without_noise_db(-70, -60) is None
