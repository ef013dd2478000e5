"""Patterns, mouths and rooms against handbook tables."""

from __future__ import annotations

import math

import numpy as np
import pytest

from kymaphon.core.acoustics.mouth import Worn, mouth_gain_db, turned_mouth
from kymaphon.core.acoustics.pickup import Pickup, pickup_of
from kymaphon.core.acoustics.room import (
    critical_distance_m,
    reflections,
    reverberant_gain_db,
    room_constant_m2,
)
from kymaphon.core.acoustics.sound import PATTERNS
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.show import Place, Surface

TABLE = {
    # pattern: dB at 45, 90, 135, 180 degrees, random efficiency, distance factor
    "omni": (0, 0, 0, 0, 0, 1),
    "wide-cardioid": (-0.80, -3.10, -6.23, -7.96, -2.84, 1.39),
    "cardioid": (-1.38, -6.02, -16.69, -30, -4.77, 1.73),
    "supercardioid": (-1.78, -8.73, -21.69, -11.44, -5.72, 1.93),
    "hypercardioid": (-2.15, -12.04, -11.05, -6.02, -6.02, 2.00),
    "figure-of-eight": (-3.01, -30, -3.01, 0, -4.77, 1.73),
}


class TestPickup:
    @pytest.mark.parametrize("pattern", TABLE)
    def test_the_pattern_table(self, pattern: str) -> None:
        """Eargle, The Microphone Book: first-order patterns; nulls held at the deepest of a real room."""
        *angles, efficiency, factor = TABLE[pattern]
        found = Pickup(pattern).gain_db([45, 90, 135, 180])
        assert found == pytest.approx(angles, abs=0.02)
        assert Pickup(pattern).diffuse_db() == pytest.approx(efficiency, abs=0.01)
        assert 10 ** (-Pickup(pattern).diffuse_db() / 20) == pytest.approx(factor, abs=0.01)

    @pytest.mark.parametrize("pattern", [*PATTERNS, "gun"])
    def test_diffuse_sound_is_the_mean_over_the_sphere(self, pattern: str) -> None:
        """Half the integral of p^2 sin t over the angles, done numerically; the floor of the nulls adds next to nothing."""
        angles = np.linspace(0, 180, 3601)
        power = 10 ** (Pickup(pattern).gain_db(angles) / 10) * np.sin(np.radians(angles)) / 2
        mean = 10 * math.log10(np.trapezoid(power, np.radians(angles)))
        assert Pickup(pattern).reverberant_db() == pytest.approx(mean, abs=0.03)

    def test_a_gun_is_narrower_than_its_capsule_and_a_longer_one_narrower_still(self) -> None:
        capsule, short, long = Pickup("supercardioid"), Pickup("gun", 0.25), Pickup("gun", 0.5)
        for angle in (40, 60, 80):
            assert capsule.gain_db(angle) > short.gain_db(angle) > long.gain_db(angle)
        assert long.tolerance_deg() < short.tolerance_deg() < capsule.tolerance_deg()

    def test_a_very_short_gun_is_its_capsule(self) -> None:
        angles = [0, 45, 90, 150]
        assert Pickup("gun", 0.001).gain_db(angles) == pytest.approx(Pickup("supercardioid").gain_db(angles), abs=0.05)

    def test_a_boundary_gives_direct_sound_three_decibels_over_diffuse(self) -> None:
        """From memory: pressure doubles for what comes direct, 6 dB, and power for what is diffuse, 3 dB (Waterhouse 1955)."""
        assert Pickup("boundary").diffuse_db() == pytest.approx(-3.01, abs=0.01)
        assert Pickup("boundary").gain_db([0, 90, 180]) == pytest.approx([0, 0, 0])

    def test_a_close_talking_one_is_deaf_beyond_a_few_inches(self) -> None:
        """Common practice: a lip microphone falls off far faster than the distance law."""
        lip = Pickup("close-talking", port_gap_m=0.02)
        assert lip.gain_db(0, 0.03) == pytest.approx(0, abs=0.01)
        further = lip.gain_db(0, [0.03, 0.06, 0.12, 0.5])
        assert np.all(np.diff(further) < 0)
        assert further[2] < -4
        assert lip.diffuse_db("crowd") < Pickup("hypercardioid").diffuse_db()

    def test_at_its_rear_port_it_has_a_figure(self) -> None:
        """A sound two centimetres behind the front port is at the rear one: near, but of no infinite level."""
        lip = Pickup("close-talking", port_gap_m=0.02)
        gains = lip.gain_db(180, [0.003, 0.019999, 0.02, 0.020001, 0.021])
        assert np.isfinite(gains).all()

    def test_tolerances_are_where_three_decibels_are_lost(self) -> None:
        """Cardioid: (1 + cos t)/2 = 0.708 at 65.4 degrees; figure of eight at 45 (Eargle)."""
        assert Pickup("cardioid").tolerance_deg() == pytest.approx(65.4, abs=0.6)
        assert Pickup("figure-of-eight").tolerance_deg() == pytest.approx(45, abs=0.5)
        assert Pickup("omni").tolerance_deg() == 180

    def test_where_each_is_quietest(self) -> None:
        """Nulls at 180, 126.9 (arccos -A/B, supercardioid .366/.634: 125.3), 109.5 and 90 degrees (Eargle)."""
        assert Pickup("cardioid").quietest_deg() == 180
        assert Pickup("supercardioid").quietest_deg() == pytest.approx(125.3, abs=1.5)
        assert Pickup("hypercardioid").quietest_deg() == pytest.approx(109.5, abs=1.5)
        assert Pickup("figure-of-eight").quietest_deg() == pytest.approx(90, abs=1)

    def test_nearness_lifts_lows_of_gradients_only(self) -> None:
        """A figure of eight rises by |1 + 1/jkr|: at kr = 1, 3.01 dB; an omni by nothing (Eargle)."""
        frequency = 343.2 / (2 * math.pi * 0.5)
        assert Pickup("figure-of-eight").proximity_db(0.5, frequency) == pytest.approx(3.01, abs=0.02)
        assert Pickup("omni").proximity_db(0.03) == 0
        assert Pickup("cardioid").proximity_db(0.05) > Pickup("cardioid").proximity_db(0.15) > 0

    def test_every_shipped_microphone_has_a_pickup_in_words(self) -> None:
        for kind in shipped_catalogue():
            if kind.microphone is not None:
                pickup = pickup_of(kind)
                assert pickup.a_name.split()[0] in ("a", "an")
                assert pickup.source
                assert pickup.formula

    def test_an_omni_takes_an_article_that_fits(self) -> None:
        assert Pickup("omni").a_name == "an omni"
        assert Pickup("gun").a_name == "a gun microphone"


class TestMouth:
    def test_it_is_louder_ahead_than_behind(self) -> None:
        gains = mouth_gain_db(np.arange(0, 181, 5))
        assert gains[0] == 0
        assert np.all(np.diff(gains) <= 0)
        # Chu & Warnock 2002, from memory: about 8 dB from front to back, A-weighted.
        assert gains[-1] == pytest.approx(-8, abs=1)

    def test_left_is_as_right_and_beyond_straight_behind_it_stays(self) -> None:
        assert mouth_gain_db([-70, 70]) == pytest.approx([float(mouth_gain_db(70))] * 2)

    def test_turning_there_and_back_leaves_the_mouth_where_it_was(self) -> None:
        there, faces = turned_mouth((1.0, 2.0), 30, 50)
        back, again = turned_mouth(there, faces, -50)
        assert back == pytest.approx((1.0, 2.0))
        assert again == 30

    def test_a_headset_goes_along_and_a_chest_does_not(self) -> None:
        head, chest = Worn("head"), Worn("chest")
        assert head.reach(0) == head.reach(80)
        assert chest.reach(80)[1] > chest.reach(0)[1]
        assert chest.reach(0)[0] == pytest.approx(0.2, abs=0.02)


class TestRoom:
    PLACE = Place(id="r", name="R", size_m=(10, 8), height_m=3, liveliness="ordinary")

    def test_the_room_constant_by_hand(self) -> None:
        """S = 2 (80 + 30 + 24) = 268 m^2; R = S a / (1 - a) with a = 0.18 (Beranek, Acoustics)."""
        assert room_constant_m2(self.PLACE) == pytest.approx(268 * 0.18 / 0.82)

    def test_critical_distance(self) -> None:
        """Dc = 0.141 sqrt(Q R) (Davis & Patronis, Sound System Engineering)."""
        constant = room_constant_m2(self.PLACE)
        assert constant is not None
        assert critical_distance_m(self.PLACE, 2) == pytest.approx(0.141 * math.sqrt(2 * constant), rel=0.002)

    def test_at_the_critical_distance_direct_and_reverberant_are_one(self) -> None:
        distance, gain = critical_distance_m(self.PLACE), reverberant_gain_db(self.PLACE)
        assert distance is not None
        assert -20 * math.log10(distance) == pytest.approx(gain)

    def test_outdoors_nothing_comes_back(self) -> None:
        assert reverberant_gain_db(self.PLACE.with_(outdoors=True)) is None
        assert reverberant_gain_db(self.PLACE.with_(size_m=None)) is None

    def test_livelier_gives_back_more(self) -> None:
        gains = [
            reverberant_gain_db(self.PLACE.with_(liveliness=name)) for name in ("dead", "treated", "ordinary", "live")
        ]
        assert gains == sorted(gains)

    def test_a_wall_reflects_as_from_an_image(self) -> None:
        """Mouth and microphone 1 m before a wall and 2 m apart: 2 sqrt(2) m by the wall (image method)."""
        wall = Surface(id="w", name="wall", from_m=(-5, 0), to_m=(5, 0))
        place = Place(id="y", name="Yard", outdoors=True, surfaces=(wall,))
        (way,) = reflections(place, (-1, 1), (1, 1))
        assert way.length_m == pytest.approx(2 * math.sqrt(2))
        assert way.point == pytest.approx((0, 0))
        assert way.loss_db == pytest.approx(-20 * math.log10(math.sqrt(2)) - 0.5)

    @pytest.mark.parametrize(
        ("start", "end"), [((3, 0), (5, 0)), ((-5, 0), (-3, 0)), ((0, 0), (0, 0)), ((0, -3), (0, 3))]
    )
    def test_beside_or_behind_a_wall_nothing_comes(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        place = Place(id="y", name="Yard", outdoors=True, surfaces=(Surface(id="w", name="w", from_m=start, to_m=end),))
        assert not list(reflections(place, (-1, 1), (1, 1)))

    def test_a_room_has_four_walls(self) -> None:
        assert len(list(reflections(self.PLACE, (4, 4), (6, 4)))) == 4

    def test_a_table_reflects_only_over_itself(self) -> None:
        table = Surface(id="t", name="Table", shape="table", from_m=(0, 0), to_m=(1, 1))
        place = Place(id="y", name="Yard", outdoors=True, surfaces=(table,))
        (way,) = reflections(place, (0.3, 0.5), (0.7, 0.5))
        assert way.off_deg is not None
        assert 30 < way.off_deg < 90
        assert not list(reflections(place, (2.3, 0.5), (2.7, 0.5)))
