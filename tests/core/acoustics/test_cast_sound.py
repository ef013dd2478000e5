"""The sound of a place in arrays: against the graph's lines, against the laws of sound, and against bad input."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.acoustics.acoustic_path import wind_noise
from kymaphon.core.acoustics.cast import PlaceSound, open_cost_db, sound_of
from kymaphon.core.acoustics.placements import stand_of
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.graph.signal import EdgeKind
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.show import Show
from kymaphon.core.model.take_figures import room_take
from kymaphon.core.report import cast_explain as explain
from kymaphon.core.report.sheet import placing
from tests.budget import tries
from tests.core.rooms import mic, person, room

KINDS = sorted(kind.id for kind in shipped_catalogue() if kind.microphone is not None)
QUICK = settings(max_examples=tries(13))


def sound(show: Show) -> PlaceSound:
    return sound_of(show, shipped_catalogue(), "room")


def graph_levels(analysis: Report) -> dict[tuple[str, str], float]:
    """Level of every voice in every microphone as the graph's edges have it."""
    graph = analysis.graph
    out = {}
    for edge in graph.edges:
        if edge.kind in (EdgeKind.SPEAKS, EdgeKind.BLEEDS):
            voice, mic_id = graph.nodes[edge.source].owner, graph.nodes[edge.target].owner
            out[voice, mic_id] = graph.mouths[voice][1].value + edge.gain_db
    return out


class TestAgainstTheGraph:
    def test_the_demo_is_the_same_by_arrays_and_by_lines(self, demo_analysis: Report) -> None:
        by_lines = graph_levels(demo_analysis)
        seen = 0
        for place in demo_analysis.show.places:
            row = demo_analysis.sound(place.id)
            for v, source in enumerate(row.sources):
                for m, stand in enumerate(row.mics):
                    assert row.level_db[v, m] == pytest.approx(by_lines[source.id, stand.device.id], abs=0.06)
                    seen += 1
        assert seen == 3 * 3 + 2 * 2 + 1 + 1

    @given(data=st.data())
    @QUICK
    def test_so_is_any_place(self, data: st.DataObject) -> None:
        """The lines leave out what is under a twentieth of a decibel, twice at most."""
        show = data.draw(places())
        by_lines = graph_levels(analyse(show))
        row = sound(show)
        for v, source in enumerate(row.sources):
            for m, stand in enumerate(row.mics):
                if source.party is not None:
                    assert row.level_db[v, m] == pytest.approx(by_lines[source.id, stand.device.id], abs=0.11)
                assert np.isfinite(row.level_db[v, m])

    def test_noise_is_the_same(self, demo_analysis: Report) -> None:
        graph = demo_analysis.graph
        rooms = {graph.nodes[row.node].owner: row.level.value for row in graph.noises if row.kind == "room"}
        for place in demo_analysis.show.places:
            row = demo_analysis.sound(place.id)
            for m, stand in enumerate(row.mics):
                assert row.ambient_db[m] == pytest.approx(rooms[stand.device.id])

    def test_every_figure_unfolds_to_itself(self, demo_analysis: Report) -> None:
        for place in demo_analysis.show.places:
            row = demo_analysis.sound(place.id)
            for m in range(len(row.mics)):
                over = explain.explain_over_room(demo_analysis.show, row, m)
                assert over is not None
                assert over.value == pytest.approx(row.voice_over_room[m], abs=0.06)
                assert over.value == pytest.approx(sum(term.value for term in over.terms))
                head = explain.explain_headroom(row, m)
                assert head is not None
                assert head.value == pytest.approx(row.headroom_db[m])
                own = explain.explain_own_reverberation(row, m)
                if own is not None:
                    assert own.value == pytest.approx(row.voice_over_reverberation[m])
                for v in range(len(row.sources)):
                    level = explain.explain_level(demo_analysis.show, row, v, m)
                    assert level.value == pytest.approx(row.level_db[v, m], abs=0.06)
                    under = explain.explain_under_own(row, v, m)
                    if under is not None:
                        assert under.value == pytest.approx(row.own_db[m] - row.level_db[v, m])


def chest_in_the_open(pattern: str) -> Show:
    """Ann wears a microphone of a pattern on her chest; Ben speaks two metres before her, facing her; no room around."""
    kind = next(row for row in shipped_catalogue() if row.id == "lapel")
    assert kind.microphone is not None
    own = kind.model_copy(update={"id": "worn", "microphone": kind.microphone.model_copy(update={"pattern": pattern})})
    people = [person("ann", 1, 1, 0), person("ben", 3, 1, 180)]
    bare = room(people, [mic("ann", 1, 1, "lapel")], outdoors=True)
    worn = [row.model_copy(update={"kind": "worn"}) for row in bare.devices]
    return bare.with_(kinds=[own.model_dump(mode="json", by_alias=True, exclude_none=True)], devices=worn)


@pytest.mark.parametrize(("pattern", "loss_db"), [("cardioid", 6.02), ("figure-of-eight", None), ("omni", 0.0)])
def test_on_a_chest_everybody_else_is_beside_the_microphone(pattern: str, loss_db: float | None) -> None:
    """It looks up, so that all that is on the plan lies 90 degrees off its axis: a cardioid takes half, a figure of eight
    next to nothing (Eargle, polar equations); its wearer it hears as on the axis."""
    omni, other = (analyse(chest_in_the_open(row)) for row in ("omni", pattern))
    for levels in (graph_levels, lambda row: _by_arrays(row.sound("room"))):
        before, after = levels(omni), levels(other)
        assert after["ann", "mic-ann"] == pytest.approx(before["ann", "mic-ann"], abs=0.01)
        lost = before["ben", "mic-ann"] - after["ben", "mic-ann"]
        assert lost == pytest.approx(loss_db, abs=0.06) if loss_db is not None else lost > 25


def _by_arrays(row: PlaceSound) -> dict[tuple[str, str], float]:
    return {
        (source.id, stand.device.id): float(row.level_db[v, m])
        for v, source in enumerate(row.sources)
        for m, stand in enumerate(row.mics)
    }


@st.composite
def places(draw: st.DrawFn) -> Show:
    """People and microphones anywhere in a place, of any kind, aimed anyhow."""
    spot = st.tuples(st.floats(0, 8), st.floats(0, 6))
    angle = st.one_of(st.none(), st.floats(-180, 180))
    people, devices = [], []
    for n in range(draw(st.integers(1, 4))):
        x, y = draw(spot)
        kind = draw(st.sampled_from(["guest", "presenter", "instrument", "crowd"]))
        people.append(person(f"p{n}", x, y, draw(angle), kind=kind))
        if draw(st.booleans()):
            mx, my = draw(spot)
            devices.append(mic(f"p{n}", mx, my, draw(st.sampled_from(KINDS)), draw(angle)))
    noises = [{"id": "fan", "name": "Fan", "at_m": list(draw(spot)), "level_dba_1m": draw(st.floats(0, 90))}]
    more: dict[str, Any] = {"noises": noises, "outdoors": draw(st.booleans())}
    more["liveliness"] = draw(st.sampled_from(["dead", "treated", "ordinary", "live"]))
    return room(people, devices, **more)


def moved(show: Show, turn_deg: float, dx: float, dy: float) -> Show:
    """The whole place turned about the origin and carried away; open air, so that there is no outline to leave."""
    angle = math.radians(turn_deg)

    def to(at: tuple[float, float] | None) -> tuple[float, float] | None:
        if at is None:
            return None
        x, y = at
        return x * math.cos(angle) - y * math.sin(angle) + dx, x * math.sin(angle) + y * math.cos(angle) + dy

    def turned(degrees: float | None) -> float | None:
        return None if degrees is None else degrees + turn_deg

    return show.with_(
        places=[
            place.with_(size_m=None, outdoors=True, noises=[spot.with_(at_m=to(spot.at_m)) for spot in place.noises])
            for place in show.places
        ],
        parties=[row.with_(at_m=to(row.at_m), faces_deg=turned(row.faces_deg)) for row in show.parties],
        devices=[row.with_(at_m=to(row.at_m), aim_deg=turned(row.aim_deg)) for row in show.devices],
    )


class TestLaws:
    @given(places(), st.floats(-180, 180), st.floats(-5, 5), st.floats(-5, 5))
    @QUICK
    def test_turning_everything_together_changes_nothing(self, show: Show, turn: float, dx: float, dy: float) -> None:
        before, after = sound(moved(show, 0, 0, 0)), sound(moved(show, turn, dx, dy))
        # Where two things coincide there is no direction to keep, and a microphone in its talker's mouth has no aim.
        apart = (before.distance_m > 0.02).all(axis=0)
        assert after.direct_db[:, apart] == pytest.approx(before.direct_db[:, apart], abs=1e-3)
        if before.distance_m.size and before.distance_m.min() > 0.02:
            assert after.ambient_db == pytest.approx(before.ambient_db, abs=1e-3)

    @given(places())
    @QUICK
    def test_superposition(self, show: Show) -> None:
        """Each voice is the same alone as among the others, and noises add as powers."""
        whole = sound(show)
        for v, source in enumerate(whole.sources):
            alone = sound(show.with_(parties=[row.with_(speaks=row.id == source.id) for row in show.parties]))
            assert alone.level_db[0] == pytest.approx(whole.level_db[v], abs=1e-6)
        quiet = sound(show.with_(places=[place.with_(noises=()) for place in show.places]))
        silent = sound(show.with_(places=[place.with_(ambient_dba=-10) for place in show.places]))
        for m in range(len(whole.mics)):
            fan = 10 ** (silent.ambient_db[m] / 10) - 10 ** (
                (quiet.ambient_db[m] - show.places[0].ambient_dba - 10) / 10
            )
            assert 10 ** (whole.ambient_db[m] / 10) == pytest.approx(10 ** (quiet.ambient_db[m] / 10) + fan, rel=1e-6)

    @given(st.sampled_from(KINDS), st.floats(0.03, 2.0), st.floats(0.03, 2.0))
    @QUICK
    def test_nearer_is_never_worse_for_voice_over_room(self, kind: str, one: float, other: float) -> None:
        near, far = sorted((one, other))
        over = [
            sound(room([person("ann", 2, 2, 0)], [mic("ann", 2 + d, 2, kind)])).voice_over_room[0] for d in (near, far)
        ]
        assert over[0] >= over[1] - 1e-9

    def test_half_the_distance_is_six_decibels(self) -> None:
        """30 cm to 15 cm: +6.02 dB; the room stays (inverse distance law)."""
        far, near = (sound(room([person("ann", 2, 2, 0)], [mic("ann", 2 + d, 2)])) for d in (0.3, 0.15))
        assert near.direct_db[0, 0] - far.direct_db[0, 0] == pytest.approx(6.02, abs=0.005)
        assert near.ambient_db == pytest.approx(far.ambient_db)
        assert near.voice_over_room[0] - far.voice_over_room[0] == pytest.approx(6.02, abs=0.005)

    def test_a_cardioid_hears_a_room_as_an_omni_does_at_1_73_times_less_distance(self) -> None:
        """Distance factor 1.73 (Eargle): the same voice over diffuse noise."""
        omni = sound(room([person("ann", 2, 2, 0)], [mic("ann", 2.2, 2, "hidden-omni")]))
        cardioid = sound(room([person("ann", 2, 2, 0)], [mic("ann", 2 + 0.2 * math.sqrt(3), 2, "condenser-slim")]))
        assert cardioid.voice_over_room[0] == pytest.approx(omni.voice_over_room[0], abs=0.02)

    def test_open_microphones_cost_three_decibels_each_doubling(self) -> None:
        """10 lg NOM (Davis & Patronis, Sound System Engineering)."""
        assert [open_cost_db(n) for n in (1, 2, 4, 8)] == pytest.approx([0, 3.01, 6.02, 9.03], abs=0.005)
        assert open_cost_db(0) == 0

    def test_wind_is_louder_in_gradients_and_grows_with_speed(self) -> None:
        show = room([person("ann", 2, 2, 0)], [mic("ann", 2.1, 2, "hidden-omni"), mic("ann", 2.2, 2)], wind_m_s=5)
        kinds = shipped_catalogue()
        omni, cardioid = (stand_of(show, kinds[device.kind], device) for device in show.devices)
        place = show.places[0]
        soft, hard = wind_noise(place, omni), wind_noise(place, cardioid)
        assert soft is not None
        assert hard is not None
        assert hard.value - soft.value == pytest.approx(10)
        double = wind_noise(place.with_(wind_m_s=10), omni)
        assert double is not None
        assert double.value - soft.value == pytest.approx(60 * math.log10(2))
        assert wind_noise(place.with_(wind_m_s=0), omni) is None

    def test_measured_levels_and_takes_win_over_assumed_ones(self, repaired: Show) -> None:
        analysis = analyse(repaired)
        row = analysis.sound("boathouse")
        assert room_take(repaired, repaired.device("mic-mira")) is not None
        assert "measured" in row.ambient[row.mic_index["mic-mira"]].name
        loud = sound(room([person("ann", 2, 2, 0, level_db_spl_1m=70)], [mic("ann", 2.1, 2)]))
        assert loud.direct_db[0, 0] == pytest.approx(90, abs=0.01)


class TestBadInput:
    def test_coincident_positions_are_held_at_the_nearest_distance(self) -> None:
        row = sound(
            room([person("ann", 2, 2), person("bob", 2, 2)], [mic("ann", 2, 2), mic("bob", 2, 2, "lip-ribbon")])
        )
        assert np.isfinite(row.level_db).all()
        assert row.direct_db.max() < 120

    def test_nothing_on_the_plan_is_no_trouble(self) -> None:
        row = sound(room([], []))
        assert row.level_db.shape == (0, 0)
        assert sound(room([], [mic("ann", 1, 1) | {"party": None}])).next_loudest(0) is None
        assert sound(room([person("ann", 1, 1)], [])).level_db.shape == (1, 0)

    def test_what_has_no_position_is_named(self) -> None:
        ann = person("ann", 2, 2)
        del ann["at_m"]
        assert sound(room([ann], [mic("ann", 2, 2)])).unplaced == ("Ann",)

    @pytest.mark.parametrize(
        "wrong",
        [
            {"size_m": [0, 5]},
            {"size_m": [-3, 5]},
            {"ambient_dba": 400},
            {"ambient_dba": float("nan")},
            {"height_m": 0},
            {"wind_m_s": -1},
            {"liveliness": "wet"},
        ],
    )
    def test_impossible_places_are_refused(self, wrong: dict[str, Any]) -> None:
        with pytest.raises(ValueError):
            room([], [], **wrong)

    def test_two_noises_of_one_name_are_refused(self) -> None:
        spot = {"id": "fan", "name": "Fan", "at_m": [1, 1]}
        with pytest.raises(ValueError, match="share an id"):
            room([], [], noises=[spot, spot])


def test_the_sheet_tells_where_every_microphone_stands(demo_analysis: Report) -> None:
    table = placing(demo_analysis)
    rows = {row[1]: row for row in table.rows}
    assert rows["Ilse's microphone"][3:6] == ("Ilse", "3.02, 1.76, 1° off the face", "46 cm")
    assert rows["Trio's microphone"][2] == "Slim condenser microphone, foam"
    assert rows["Ferry phone"][4] == "held"
    assert len(rows) == 7
    nobodys = placing(analyse(room([], [mic("ann", 1, 1) | {"party": None}])))
    assert nobodys.rows[0][3:] == ("–", "1.00, 1.00", "–", "–")
