"""Voices that come to no mixer, and mix-minus in a software mixer of one computer."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.mixes.doing import steps_between
from kymaphon.core.mixes.planner import FeedPlan, plan_feeds
from kymaphon.core.mixes.unrouted import unrouted_sources
from kymaphon.core.mixes.ways_out import WayOut, ways_out
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import AddRow, Plug, SetField, SetValue, Unplug, apply_all
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Cable, Show
from kymaphon.core.model.wants import wants_by_role
from kymaphon.core.report.mixes import level_words
from kymaphon.core.wiring.fit import fit_of
from tests.core.mixes.rooms import calls, laptop_only, studio
from tests.core.rigs import of_code

CATALOGUE = shipped_catalogue()


def planned(show: Show) -> FeedPlan:
    return plan_feeds(show, CATALOGUE)


def by_computer(show: Show) -> WayOut:
    return next(row for row in ways_out(show, CATALOGUE, planned(show)) if row.sort == "computer")


def without(show: Show, *ends: tuple[str, str]) -> Show:
    return apply_all(show, tuple(Unplug(*row) for row in ends))


class TestStrays:
    def test_a_return_that_nobody_plugged_is_plugged_in(self) -> None:
        """The second guest's codec is at hand and not at the desk: its lead goes into the free line channel, and everybody has everybody."""
        show = without(studio("desk-8", 2), ("codec2.near-out", "desk.in6"))
        plan = planned(show)
        (row,) = plan.unrouted_sources
        assert (row.voices, row.end.ref, row.into and row.into.ref) == (
            ("far2",),
            "codec2.near-out",
            "desk.in6",
        )
        assert plan.whole
        assert plan.unmet == ()
        steps = steps_between(show, plan.after.show, CATALOGUE)
        assert any(
            step.act == "plug" and "Call codec (codec2), return from the far end to " in step.text for step in steps
        )
        assert planned(plan.after.show).unrouted_sources == ()

    def test_a_microphone_gets_its_phantom_power_with_it(self) -> None:
        data = studio("desk-8", 1).model_dump(mode="json", by_alias=True)
        next(row for row in data["devices"] if row["id"] == "mic")["kind"] = "condenser-broad"
        show = without(Show.model_validate(data), ("mic.out", "desk.in1"))
        (row,) = planned(show).unrouted_sources
        assert row.into is not None
        assert row.into.ref == "desk.in1"
        assert [(edit.ref.key, edit.ref.field, edit.value) for edit in row.edits if isinstance(edit, SetValue)] == [
            ("in1", "phantom", True)
        ]

    def test_two_strays_do_not_get_one_socket(self) -> None:
        show = without(studio("desk-8", 2), ("codec1.near-out", "desk.in5"), ("codec2.near-out", "desk.in6"))
        plan = planned(show)
        assert sorted(row.into.ref for row in plan.unrouted_sources if row.into) == ["desk.in5", "desk.in6"]
        assert plan.unmet == ()

    def test_where_no_input_is_free_it_is_said(self) -> None:
        plan = planned(calls(2))
        (row,) = plan.unrouted_sources
        assert row.into is None
        assert row.end.ref == "app2.out"
        assert not plan.whole

    def test_nothing_strays_where_it_is_only_switched_off(self) -> None:
        assert unrouted_sources(analyse(studio("desk-8", 2))) == ()

    def test_a_voice_that_nobody_wants_stays_where_it_is(self) -> None:
        wants = [{"listener": name, "voice": "host", "want": "hear"} for name in ("stream", "far1", "far2")]
        show = without(studio("desk-8", 2, wants=wants), ("codec2.near-out", "desk.in6"))
        wanting = {row.voice for row in show.wants if row.want == "hear"}
        assert "far2" not in wanting
        hears = [{"listener": "host", "voice": "far1", "want": "hear"}]
        show = Show.model_validate({**show.model_dump(mode="json", by_alias=True), "wants": [*wants, *hears]})
        assert planned(show).unrouted_sources == ()

    def test_no_program_reaches_into_another_computer(self) -> None:
        """What plays in one computer cannot be patched to a mixer in another without a cable between the two."""
        mixer = {"id": "soft", "kind": "soft-mixer-8", "host": "other"}
        show = calls(2, {"id": "other", "kind": "laptop"}, mixer)
        show = apply_all(show, (Plug(Cable(source="soft.out", target="enc.in")),))
        (row,) = planned(show).unrouted_sources
        assert row.into is None

    def test_the_finding_says_where_the_voice_ends_and_offers_the_plug(self) -> None:
        show = without(studio("desk-8", 1), ("codec1.near-out", "desk.in5"))
        show = apply_all(show, wants_by_role(show))
        row = next(row for row in of_code(show, "wanted-not-heard") if row.subjects == ("stream", "far1"))
        assert "it gets as far as Call codec, return from the far end, where nothing is plugged in" in row.message
        (remedy,) = row.remedies
        assert remedy.label.startswith("Plug Call codec")
        done = analyse(remedy.apply(show))
        assert done.feeds["stream", "far1"].verdict != "missing"
        assert not [row for row in done.findings if row.code == "own-voice-back"]


class TestNothingMixes:
    def test_a_software_mixer_is_the_way_out(self) -> None:
        show = laptop_only()
        plan = plan_feeds(show, CATALOGUE)
        assert plan.made
        assert not plan.whole
        assert {(row.listener, row.voice) for row in plan.unmet} == {("stream", "host"), ("stream", "far")}
        [way] = ways_out(show, CATALOGUE, plan)
        assert "it takes USB microphone and Call" in way.text
        after = apply_all(show, way.edits)
        ends = {cable.ends for cable in after.cables}
        assert ("soft-mixer.out", "enc.in") in ends
        assert ("app.out", "pc.sound") in ends, "the host hears the call as before"
        done = plan_feeds(after, CATALOGUE)
        assert done.whole
        assert done.after.feeds["stream", "far"].verdict in ("heard", "quiet")
        assert done.after.feeds["far", "far"].verdict == "silent"

    def test_what_only_comes_too_weak_is_a_matter_of_level(self) -> None:
        """A microphone whose gain nobody has set yet, half a metre off, in a call that does not ride its level."""
        show = laptop_only()
        off = (
            SetValue(SettingRef("app", "rider", "on"), False),
            SetValue(SettingRef("mic", "diaphragm>usb", "gain_db"), 0.0),
        )
        plan = plan_feeds(apply_all(show, (SetField("devices", "mic", "at_m", (1.5, 1.0)), *off)), CATALOGUE)
        assert plan.off_level["host", "faint"] == ("far",)
        assert "Host too weak to be heard by Far" in level_words(plan)

    def test_nothing_inside_goes_into_the_computers_own_usb_socket(self) -> None:
        show = laptop_only()
        fit = fit_of(end_of(show, CATALOGUE, "app.out"), end_of(show, CATALOGUE, "pc.usb1"))
        assert not fit.works
        assert "inside the computer already" in fit.faults[0].text
        assert fit_of(end_of(show, CATALOGUE, "mic.usb"), end_of(show, CATALOGUE, "pc.usb1")).works


class TestInComputer:
    @pytest.mark.parametrize("count", [2, 3, 5])
    def test_every_call_gets_its_own_mix_minus(self, count: int) -> None:
        """Common practice: n calls take n mixes, each of everything but itself, and the host's ears one more without the host."""
        show = calls(count)
        way = by_computer(show)
        assert f"gives everybody a mix without themselves, Far 2{' and' if count == 3 else ''}" in way.text
        done = analyse(apply_all(show, way.edits))
        for (listener, voice), feed in done.feeds.items():
            if listener == voice:
                assert feed.verdict in ("silent", "local"), (listener, voice)
            else:
                assert feed.verdict in ("heard", "quiet", "loud", "late"), (listener, voice, feed.verdict)
        mixer = next(row.id for row in done.show.devices if row.kind == "soft-mixer-8")
        sends = {row.source for row in done.show.cables if row.source.startswith(f"{mixer}.send")}
        assert len(sends) == count + 1
        assert not done.transfer.howls

    def test_nothing_outside_the_computer_is_touched(self) -> None:
        show = calls(3)
        after = apply_all(show, by_computer(show).edits)
        inside = {row.id for row in after.devices if row.host == "pc"}

        def outside(rows: Show) -> set[tuple[str, str]]:
            return {row.ends for row in rows.cables if not {end.partition(".")[0] for end in row.ends} <= inside}

        assert outside(after) == outside(show)
        for row in show.devices:
            assert after.device(row.id).settings == row.settings

    def test_a_mixer_that_is_there_is_taken(self) -> None:
        show = calls(2, {"id": "soft", "kind": "soft-mixer-8", "name": "Program", "host": "pc"})
        way = by_computer(show)
        assert way.text.startswith("Lead everything in Laptop through Program: it takes Interface, Call 1 and Call 2")
        assert not any(isinstance(edit, AddRow) for edit in way.edits)

    def test_one_with_too_few_sends_is_passed_over(self) -> None:
        show = calls(3, {"id": "soft", "kind": "soft-mixer", "name": "Program", "host": "pc"})
        way = by_computer(show)
        assert way.text.startswith("Put a software mixer into Laptop (Software mixer, eight sends)")

    def test_more_calls_than_sends_are_not_promised(self) -> None:
        show = calls(9)
        assert "computer" not in {row.sort for row in ways_out(show, CATALOGUE, planned(show))}

    def test_it_is_started_before_anything_is_plugged_into_it(self) -> None:
        show = calls(2)
        steps = steps_between(show, apply_all(show, by_computer(show).edits), CATALOGUE)
        assert steps[0].text == "Software mixer: start it in Laptop"
        assert steps[1].act == "mute"
        assert steps[-1].act == "open"

    def test_tracks_of_a_recorder_stay(self) -> None:
        show = calls(2, {"id": "tape", "kind": "multitrack", "host": "pc"})
        data = show.model_dump(mode="json", by_alias=True)
        data["cables"] += [{"from": "face.usb1", "to": "tape.in1"}, {"from": "app1.out", "to": "tape.in2"}]
        show = Show.model_validate(data)
        after = apply_all(show, by_computer(show).edits)
        assert {("face.usb1", "tape.in1"), ("app1.out", "tape.in2")} <= {row.ends for row in after.cables}

    def test_the_sides_of_a_programme_stay_apart(self) -> None:
        """A desk's main mix comes by two inputs of the interface: in the software they are panned left and right."""
        data = calls(2).model_dump(mode="json", by_alias=True)
        data["devices"].append({"id": "desk", "kind": "desk-8", "place": "room", "settings": {"in1": {"gain_db": 50}}})
        next(row for row in data["devices"] if row["id"] == "face")["settings"] = {
            "in1": {"gain_db": 10, "pan": -1},
            "in2": {"gain_db": 10, "pan": 1},
        }
        data["cables"] = [row for row in data["cables"] if row["from"] != "mic.out"]
        data["cables"] += [
            {"from": "mic.out", "to": "desk.in1"},
            {"from": "desk.main-out.l", "to": "face.in1"},
            {"from": "desk.main-out.r", "to": "face.in2"},
        ]
        show = Show.model_validate(data)
        after = apply_all(show, by_computer(show).edits)
        mixer = next(row for row in after.devices if row.kind == "soft-mixer-8")
        fed = {
            row.source: row.target.partition(".")[2] for row in after.cables if row.target.startswith(f"{mixer.id}.")
        }
        assert mixer.settings[fed["face.usb1"]].pan == -1.0
        assert mixer.settings[fed["face.usb2"]].pan == 1.0
