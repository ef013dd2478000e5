"""The adviser: its map against single spots, its ranking against the laws, what it says when nothing reaches."""

from __future__ import annotations

import math

import numpy as np
import pytest

from kymaphon.core.acoustics.cast import sound_of
from kymaphon.core.acoustics.spots import noise_place, placement_map
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.show import Show
from kymaphon.core.placement.advice import Advice, advise
from kymaphon.core.placement.placing import choices_for
from tests.core.rooms import mic, person, room

KINDS = shipped_catalogue()
NOISY = {"noises": [{"id": "fan", "name": "Fan", "at_m": [6.5, 3], "level_dba_1m": 60}], "ambient_dba": 45}


def sound(show: Show):
    return sound_of(show, KINDS, "room")


def advice(show: Show, kind: str) -> Advice:
    return advise(sound(show), 0, KINDS[kind], list(KINDS))


@pytest.mark.parametrize("kind", ["dynamic-close", "gun-short", "lip-ribbon", "ribbon-eight", "boundary-plate"])
def test_the_map_is_what_a_microphone_there_would_hear(kind: str) -> None:
    """Every tenth point of the map against a microphone really put there, aimed at the mouth."""
    base = room([person("ann", 4.02, 3.03, 20)], [], **NOISY)
    found = placement_map(sound(base), 0, KINDS[kind])
    for i in range(5, 100, 30):
        for j in range(5, 100, 30):
            x, y = float(found.x_m[i]), float(found.y_m[j])
            there = sound(room([person("ann", 4.02, 3.03, 20)], [mic("ann", x, y, kind)], **NOISY))
            assert found.over_db[j, i] == pytest.approx(there.voice_over_room[0], abs=0.05)


def test_the_map_has_a_hundred_by_hundred_finite_points() -> None:
    found = placement_map(sound(room([person("ann", 4, 3)], [], **NOISY)), 0, KINDS["condenser-broad"])
    assert found.over_db.shape == found.allowed.shape == (100, 100)
    assert np.isfinite(found.over_db).all()


def test_allowed_spots_keep_the_distances_and_out_of_heads() -> None:
    base = room([person("ann", 4, 3, 0), person("bob", 4.4, 3, 180)], [])
    found = placement_map(sound(base), 0, KINDS["condenser-slim"], points=200)
    ys, xs = np.nonzero(found.allowed)
    assert len(xs)
    for x, y in zip(found.x_m[xs], found.y_m[ys], strict=True):
        assert 0.15 - 1e-6 <= math.hypot(x - 4, y - 3) <= 1.5 + 1e-6
        assert math.hypot(x - 4.4, y - 3) >= 0.1 - 1e-6


def test_a_place_without_a_size_is_mapped_around_what_stands_in_it() -> None:
    found = placement_map(sound(room([person("ann", 40, 30)], [], size_m=None)), 0, KINDS["dynamic-close"])
    assert found.x_m[0] == pytest.approx(38.5)
    assert found.y_m[-1] == pytest.approx(31.5)


class TestRanking:
    def test_the_best_spot_is_as_good_as_any_point_that_is_allowed(self) -> None:
        base = room([person("ann", 4.02, 3.03, 20)], [], **NOISY)
        row = next(row for row in choices_for(sound(base), 0, KINDS) if row.kind.id == "gun-short")
        found = placement_map(sound(base), 0, KINDS["gun-short"], points=300)
        assert row.over_room_db >= found.over_db[found.allowed].max() - 0.5

    def test_a_choice_is_what_a_microphone_there_would_hear(self) -> None:
        people = [person("ann", 4, 3, 0), person("bob", 5.2, 3, 180)]
        for row in choices_for(sound(room(people, [], **NOISY)), 0, KINDS):
            spot = row.at or (4, 3)
            there = sound(room(people, [mic("ann", *spot, row.kind.id)], **NOISY))
            # The spot is given to the millimetre.
            assert row.over_room_db == pytest.approx(there.voice_over_room[0], abs=0.25)
            assert row.others_db == pytest.approx(there.level_db[1, 0] + there.weighting_db[1], abs=0.3)
            explained = row.explain()
            assert explained.value == pytest.approx(row.over_all_db)

    def test_it_is_ordered_and_reasoned(self) -> None:
        rows = choices_for(sound(room([person("ann", 4, 3, 0), person("bob", 5, 3, 180)], [])), 0, KINDS)
        usual = [row for row in rows if row.usable and not row.narrow]
        order = [(not row.reached, round(row.discomfort, 1) if row.reached else 0.0, -row.over_all_db) for row in usual]
        assert order == sorted(order), "what reaches, then comfort, then decibels"
        assert usual[0].reached
        assert usual[0].discomfort == 0
        assert rows[-1].narrow, "the lip microphone comes last where others will do"
        assert all(row.reason for row in rows)
        told = ("behind the best", "as good", "nearer than is comfortable")
        assert len(usual) > 3
        assert all(any(words in row.reason for words in told) for row in usual[1:])

    def test_what_would_clip_comes_last_and_says_so(self) -> None:
        loud = room([person("ann", 4, 3, 0, level_db_spl_1m=112)], [])
        rows = choices_for(sound(loud), 0, KINDS)
        assert not rows[-1].usable
        assert "above its maximum" in rows[-1].reason
        assert rows[0].usable or not any(row.usable for row in rows)

    def test_nobody_puts_a_headset_on_a_crowd_or_a_microphone_into_an_accordion(self) -> None:
        """Common practice: a crowd from a metre and more, an instrument from a foot."""
        for kind, least in (("crowd", 1.0), ("instrument", 0.3)):
            rows = choices_for(sound(room([person("ann", 4, 3, kind=kind)], [])), 0, KINDS)
            assert rows
            assert all(row.metres >= least - 1e-9 and row.at is not None for row in rows)


class TestAdvice:
    def test_a_quiet_room_reaches_and_says_how(self) -> None:
        row = advice(room([person("ann", 4, 3, 0)], []), "dynamic-close")
        assert row.reached
        assert "30 are wanted" in row.sentence("Ann")

    def test_a_crowd_of_noise_is_not_beaten_by_a_boundary_and_the_lip_microphone_is_named(self) -> None:
        loud = room([person("ann", 4, 3, 0)], [], ambient_dba=78, noise="crowd")
        row = advice(loud, "boundary-plate")
        assert not row.reached
        text = row.sentence("Ann")
        assert text.startswith("No placement of the boundary microphone reaches 30 dB over the room for Ann")
        names = {way.name for way in row.ways}
        assert {"tighter", "quieter", "close-talking"} <= names
        quieter = next(way for way in row.ways if way.name == "quieter")
        assert row.best is not None
        short = 30 - row.best.over_room_db
        assert f"{short:.1f} dB quieter" in quieter.text
        assert advice(
            room([person("ann", 4, 3, 0)], [], ambient_dba=78 - short, noise="crowd"), "boundary-plate"
        ).reached

    def test_nearer_is_named_when_the_microphone_stands_too_far(self) -> None:
        show = room([person("ann", 4, 3, 0)], [mic("ann", 4.25, 3)], ambient_dba=60)
        row = advise(sound(show), 0, KINDS["dynamic-close"], list(KINDS), 0)
        nearer = next(way for way in row.ways if way.name == "nearer")
        assert row.now_db is not None
        assert nearer.reached_db == pytest.approx(row.now_db + 20 * math.log10(0.25 / 0.05), abs=0.05)

    def test_in_the_wind_a_shield_is_named(self) -> None:
        row = advice(room([person("ann", 4, 3, 0)], [], wind_m_s=8, outdoors=True), "condenser-slim")
        assert "shielded" in {way.name for way in row.ways}

    def test_a_crowd_that_no_kind_may_come_near_enough_to(self) -> None:
        row = advice(room([person("ann", 4, 3, kind="crowd")], []), "dynamic-close")
        assert row.best is None
        assert "no allowed spot" in row.sentence("Crowd")


def test_the_demo_advises_on_everybody_with_a_place(demo: Show) -> None:
    analysis = analyse(demo)
    from kymaphon.core.report.cast import advice_json, advice_of

    for party in demo.parties:
        if party.place is None:
            with pytest.raises(ValueError):
                advice_of(analysis, party.id)
            continue
        row, _ = advice_of(analysis, party.id)
        data = advice_json(row, party.id, party.name)
        assert data["ranked"]
        assert all(math.isfinite(item["voice_over_room_db"]) for item in data["ranked"])


def test_a_measured_room_counts_and_not_the_assumed_one(repaired: Show) -> None:
    """Mira's room tone is attached: where her microphone stands, map and figure are one."""
    row = analyse(repaired).sound("boathouse")
    v, m = row.source_index["mira"], row.mic_index["mic-mira"]
    assert row.measured[m] is not None
    at = row.mics[m].at
    assert at is not None
    bounds = (at[0], at[1], at[0] + 1, at[1] + 1)
    found = placement_map(row, v, row.mics[m].kind, points=2, bounds=bounds)
    assert found.over_db[0, 0] == pytest.approx(row.voice_over_room[m], abs=0.01)
    louder = noise_place(row, v).ambient_dba
    assert louder != repaired.place("boathouse").ambient_dba
    assert noise_place(row, row.source_index["tam"]) == repaired.place("boathouse")
