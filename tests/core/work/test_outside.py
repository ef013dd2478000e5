"""Lines, positions, circuits tried by voice, and the desk of a show: held against the acoustics and the rig computed another way."""

from __future__ import annotations

import math
from datetime import UTC, datetime
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.edits import AddLog, RemoveRow, SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.core.talk.checks import check_of, check_states
from kymaphon.core.work.desk import allot_edits, allot_show, desks_of, plan_of, sources_of
from kymaphon.core.work.lines import jackfield, line_states, switch_to_reserve
from kymaphon.core.work.positions import effects_of, position_needs, separations
from kymaphon.files.demo import FAULTY, FINAL, REPAIRED, demo_path
from kymaphon.files.show_file import read_show
from tests.core.talk.rigs import van

NOW = datetime(2026, 8, 15, 9, 0, tzinfo=UTC)


@pytest.fixture(scope="module")
def final() -> Show:
    return read_show(demo_path(FINAL))


@pytest.fixture(scope="module")
def figures(final: Show) -> Computed:
    return figures_of(final)


class TestSeparation:
    def test_at_the_lip_it_is_tens_of_decibels_better_than_at_arms_length(self, figures: Computed) -> None:
        """Common practice: in crowd noise the extreme is a close-talking microphone at the lip, deaf beyond a few inches."""
        rows = {row.name: row for row in separations(figures, figures.show.party("odile"))}
        gain = rows["at the lip"].over.value - rows["at arm's length"].over.value
        assert gain > 20 * math.log10(0.6 / 0.04)

    def test_an_omni_gains_the_distance_law_alone(self) -> None:
        """20 lg of the ratio of distances: a hand and a half against an arm is 12.04 dB."""

        def change(rows: dict[str, Any]) -> None:
            rows["devices"][0]["kind"] = "reporter-omni"

        found = {row.name: row for row in separations(figures_of(van(change)), van(change).party("ann"))}
        gain = found["a hand and a half"].over_noise.value - found["at arm's length"].over_noise.value
        assert gain == pytest.approx(20 * math.log10(0.6 / 0.15), abs=0.3)

    def test_the_lines_add_up(self, figures: Computed) -> None:
        for row in separations(figures, figures.show.party("odile")):
            for one in (row.over_noise, row.over_crowd, row.over):
                assert one is not None
                assert one.value == pytest.approx(sum(term.value for term in one.terms))
            assert row.over.value <= min(row.over_noise.value, row.over_crowd.value if row.over_crowd else math.inf)

    def test_as_it_stands_is_the_graphs_own_figure(self, figures: Computed) -> None:
        """The placing's direct sound against the noise of the place, as Cast has it."""
        sound = figures.sound("slipway")
        m = sound.mic_index["mic-odile"]
        assert separations(figures, figures.show.party("odile"))[0].over_noise.value == pytest.approx(
            float(sound.voice_over_room[m])
        )

    def test_without_a_microphone_nothing(self, figures: Computed) -> None:
        assert separations(figures, figures.show.party("station")) == ()
        assert separations(figures, figures.show.party("cam-5")) == ()


class TestEffects:
    def test_the_event_by_the_distance_law(self, figures: Computed) -> None:
        """82 dB at 1 m is 88 at half a metre: 20 lg 2."""
        found = next(row for row in effects_of(figures) if row.party == "oars")
        assert found.metres == pytest.approx(0.5)
        flat = found.event.value - figures.sound("start").weighting_db[figures.sound("start").source_index["oars"]]
        assert flat == pytest.approx(82 + 20 * math.log10(2), abs=0.05)

    def test_over_the_rest_is_the_sum_of_powers(self, figures: Computed) -> None:
        for row in effects_of(figures):
            rest = 10 * math.log10(sum(10 ** (one.value / 10) for one in row.others))
            assert row.over.value == pytest.approx(row.event.value - rest)

    def test_a_louder_event_has_less_headroom(self, final: Show) -> None:
        louder = apply_all(final, (SetField("parties", "oars", "level_db_spl_1m", 100.0),))
        before, after = (
            next(row.headroom for row in effects_of(figures_of(show)) if row.party == "oars")
            for show in (final, louder)
        )
        assert before is not None
        assert after is not None
        assert before.value - after.value == pytest.approx(18, abs=0.1)


class TestPosition:
    def test_what_the_show_tells_and_what_has_to_be_asked(self, figures: Computed) -> None:
        needs = {row.id: row for row in position_needs(figures, figures.show.party("odile"))}
        assert {name: row.state for name, row in needs.items()} == {
            "sight": "ask",
            "monitor": "ask",
            "light": "ask",
            "headset": "yes",
            "reply": "yes",
            "power": "yes",
        }
        assert "never to air" in needs["reply"].evidence

    def test_ticked_it_is_so(self, final: Show) -> None:
        rows = [*final.tasks, {"id": "position-odile-sight", "text": "Sees", "done": True}]
        show = Show.model_validate({**final.model_dump(mode="json"), "tasks": rows})
        needs = {row.id: row for row in position_needs(figures_of(show), show.party("odile"))}
        assert needs["sight"].state == "yes"

    def test_without_a_headset_or_a_key(self, final: Show) -> None:
        show = apply_all(final, (RemoveRow("devices", "phones-odile"), RemoveRow("circuits", "commentary")))
        needs = {row.id: row for row in position_needs(figures_of(show), show.party("odile"))}
        assert needs["headset"].state == "no"
        assert needs["reply"].state == "no"


class TestLines:
    def test_what_is_on_it_is_the_level_of_the_graph(self, figures: Computed) -> None:
        state = line_states(figures)[0]
        loudness = dict(state.voices)
        assert set(loudness) == {"Odile", "Rook", "Anthem", "Crowd", "Oars", "Finish bell"}
        node = figures.graph.index["line-main.in"]
        mouth, level = figures.graph.mouths["odile"]
        column = list(figures.graph.mouths).index("odile")
        power = figures.transfer.voice_power[node, column]
        assert loudness["Odile"] == pytest.approx(level.value + 10 * math.log10(power), abs=0.2)
        assert mouth >= 0

    def test_one_that_nothing_feeds(self, figures: Computed) -> None:
        state = line_states(figures)[1]
        assert not state.fed
        assert state.voices == ()

    def test_over_to_the_reserve(self, final: Show, figures: Computed) -> None:
        """The same voices at the station as before, by the other line."""
        plan = switch_to_reserve(figures, "main")
        assert plan is not None
        assert "19 ms later" in plan.effect
        after = figures_of(plan.apply(final))
        for voice in ("odile", "crowd", "oars"):
            before = figures.feeds["station", voice].gain_db
            now = after.feeds["station", voice].gain_db
            assert before is not None
            assert now == pytest.approx(before, abs=0.01)
        assert line_states(after)[1].fed
        assert not line_states(after)[0].fed

    def test_without_a_reserve_there_is_no_plan(self, final: Show, figures: Computed) -> None:
        assert switch_to_reserve(figures, "reserve") is None
        with pytest.raises(KeyError):
            switch_to_reserve(figures, "nothing")

    def test_what_the_far_end_read(self, final: Show) -> None:
        show = apply_all(final, (SetField("lines", "main", "received_dbu", 1.5),))
        lost = line_states(figures_of(show))[0].lost_db
        assert lost is not None
        assert lost.value == pytest.approx(-2.5)

    def test_the_jackfield_is_in_its_order(self, figures: Computed) -> None:
        assert [row[0] for row in jackfield(figures)] == ["A1", "A2"]


class TestChecks:
    def checked(self, show: Show, result: str = "good") -> Show:
        figures = figures_of(show)
        check = check_of(figures, "production", "wren", "cam-1", result, by="Soli")
        entry = LogEntry(
            at=NOW, text="Wren to Camera 1 on Production: good.", subject="production", circuit_check=check
        )
        return apply_all(show, (AddLog(entry),))

    def state(self, show: Show) -> Any:
        rows = check_states(figures_of(show))
        return next(
            row
            for row in rows
            if (row.way.circuit, row.way.speaker, row.way.listener) == ("production", "wren", "cam-1")
        )

    def test_it_holds_until_its_way_changes(self, final: Show) -> None:
        show = self.checked(final)
        assert self.state(final).check is None
        assert self.state(show).holds
        assert self.state(apply_all(show, (SetField("parties", "odile", "name", "Odilie"),))).holds
        knob = SetValue(SettingRef("camera-1", "volume", "gain_db"), -40.0)
        assert self.state(apply_all(show, (knob,))).stale

    def test_weak_is_not_good(self, final: Show) -> None:
        found = self.state(self.checked(final, "weak"))
        assert found.check.by == "Soli"
        assert not found.holds

    def test_another_key_is_another_way(self, final: Show) -> None:
        show = self.checked(final)
        rows = tuple(row.with_(key="matrix.k1-5") if row.party == "wren" else row for row in show.circuits[0].members)
        found = [
            row
            for row in check_states(figures_of(apply_all(show, (SetField("circuits", "production", "members", rows),))))
            if row.check
        ]
        assert not any(row.holds for row in found)

    def test_a_telephone_holds(self, final: Show) -> None:
        check = check_of(figures_of(final), "rigging", "wren", "bram", "good")
        show = apply_all(final, (AddLog(LogEntry(at=NOW, text="Called.", circuit_check=check)),))
        held = [row for row in check_states(figures_of(show)) if row.holds]
        assert [(row.way.speaker, row.way.listener) for row in held] == [("wren", "bram")]

    def test_who_is_on_no_circuit_cannot_be_checked(self, figures: Computed) -> None:
        with pytest.raises(KeyError):
            check_of(figures, "production", "station", "wren", "good")


class TestDesk:
    def test_sources_are_called_by_their_voices(self, figures: Computed) -> None:
        rows = {row.name: row for row in sources_of(figures, figures.show.device("desk"))}
        assert {name: row.family for name, row in rows.items()} == {
            "Odile": "commentary",
            "Rook": "commentary",
            "Crowd microphone": "crowd",
            "Far crowd microphone": "crowd",
            "Oars": "effects",
            "Finish bell": "effects",
            "Anthem L": "music",
            "Talkback matrix": "other",
        }
        assert rows["Odile"].takes == "line"
        assert rows["Odile"].at == "in21"

    def test_the_desk_as_it_is(self, figures: Computed) -> None:
        """24 channels and three groups in mono."""
        plan = plan_of(figures, desks_of(figures)[0])
        assert len(plan.channels) == 24
        assert len(plan.groups) == 3
        assert not plan.stereo

    def test_two_sides_into_a_stereo_desk_are_one_source(self) -> None:
        figures = figures_of(read_show(demo_path(FAULTY)))
        rows = [row for row in sources_of(figures, figures.show.device("desk")) if row.stereo]
        assert [(row.name, row.at, row.right_at) for row in rows] == [("Jingles", "in7", "in8")]

    @pytest.mark.parametrize("name", [FINAL, REPAIRED])
    def test_taken_over_everybody_still_hears_what_they_heard(self, name: str) -> None:
        """Leads, gains and sends go along. A line that comes to a microphone's socket is loaded more: less than two decibels."""
        show = read_show(demo_path(name))
        figures = figures_of(show)
        found = allot_show(figures, spares=0)
        assert found is not None
        if found.submixes or found.left:
            with pytest.raises(ValueError, match="cannot be plugged"):
                allot_edits(figures, found)
            return
        after = figures_of(apply_all(show, allot_edits(figures, found)))
        for key, feed in figures.feeds.items():
            if feed.want == "hear" and feed.gain_db is not None:
                assert after.feeds[key].gain_db == pytest.approx(feed.gain_db, abs=2.0), key

    def test_what_is_held_stays(self, final: Show) -> None:
        show = apply_all(final, (SetField("", None, "fixed_channels", ("desk.in21", "desk.in2")),))
        found = allot_show(figures_of(show))
        assert found is not None
        at = {row.channel: row.sources for row in found.strips if row.sources}
        assert at["in21"] == ("box.programme",)
        assert at["in2"] == ("mic-crowd.out",)

    def test_no_desk_no_allotment(self) -> None:
        show = van(
            lambda rows: rows.update(devices=[row for row in rows["devices"] if row["id"] not in ("desk",)], cables=[])
        )
        assert allot_show(figures_of(show)) is None
