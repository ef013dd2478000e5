"""The doing list: complete, in a safe order, and no longer than what differs."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.mixes.doing import ACTS, PREFIX, doing_edits, from_nothing, steps_between, tick
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import Edit, SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.processing import Gate
from kymaphon.core.model.show import Setting, Show
from tests.budget import tries
from tests.core.mixes.rooms import studio, usb_desk

CATALOGUE = shipped_catalogue()


def planned(show: Show) -> Show:
    return apply_all(show, plan_feeds(show, CATALOGUE).edits)


def texts(before: Show, after: Show) -> list[str]:
    return [step.text for step in steps_between(before, after, CATALOGUE)]


class TestOrder:
    def test_mute_first_open_last(self) -> None:
        """Common practice: nothing is opened or plugged into an open output; it is opened when all is in place."""
        show = studio("desk-8", 3)
        steps = steps_between(show, planned(show), CATALOGUE)
        acts = [step.act for step in steps]
        assert acts == sorted(acts, key=ACTS.index)
        assert acts[0] == "mute"
        assert acts[-1] == "open"
        muted = [step.text.removesuffix(": mute") for step in steps if step.text.endswith(": mute")]
        opened = [step.text.removesuffix(": unmute") for step in steps if step.text.endswith(": unmute")]
        assert muted == opened

    def test_where_nothing_is_opened_nothing_is_muted(self, demo: Show) -> None:
        assert texts(demo, planned(demo)) == [
            "Desk, channel 5, send 1: off",
            "Software mixer, stereo input 5, programme: off",
        ]

    @given(
        st.lists(
            st.tuples(st.integers(1, 8), st.sampled_from(["send1", "send2", "main"]), st.booleans()),
            max_size=8,
        )
    )
    @settings(max_examples=tries(13))
    def test_half_way_through_nothing_new_is_heard(self, turns: list[tuple[int, str, bool]]) -> None:
        """Offs come before ons: at no step is anything on that is on neither before nor after."""
        show = studio("desk-8", 2)
        edits = tuple(SetValue(SettingRef("desk", f"in{n}>{bus}", "on"), on) for n, bus, on in turns)
        after = apply_all(show, edits)
        acts = [step.act for step in steps_between(show, after, CATALOGUE) if step.act in ("off", "on")]
        assert acts == sorted(acts, key=["off", "on"].index)
        wanted = {(f"in{n}>{bus}") for n, bus, _ in turns}
        assert len(acts) <= len(wanted)

    @pytest.mark.parametrize("count", [2, 3, 4])
    def test_half_way_through_nobody_has_themselves_back(self, count: int) -> None:
        """On two sends and the sides of the main mix: what must not be on a side is panned away before a lead is plugged there."""
        show = studio("desk-8", count)
        plan = plan_feeds(show, CATALOGUE)

        def act(edit: Edit) -> str:
            if isinstance(edit, SetValue) and edit.ref.field == "on":
                return "on" if edit.value else "off"
            if isinstance(edit, SetValue) and edit.ref.field == "pan":
                return "pan"
            return {"Plug": "plug", "Unplug": "unplug"}.get(type(edit).__name__, "set")

        for now in ACTS:
            show = apply_all(show, tuple(edit for edit in plan.edits if act(edit) == now))
            feeds = analyse(show).feeds
            assert not [i for i in range(1, count + 1) if feeds[f"far{i}", f"far{i}"].verdict == "back"], now
        assert {cable.ends for cable in show.cables} == {cable.ends for cable in plan.after.show.cables}

    def test_of_two_that_are_called_alike_each_has_its_name(self) -> None:
        rows = [text for text in texts(studio("desk-8", 2), planned(studio("desk-8", 2))) if "plug" in text]
        assert ["(codec1)" in row for row in rows] == [True, False]
        assert ["(codec2)" in row for row in rows] == [False, True]


class TestWords:
    def test_each_setting_in_its_words(self) -> None:
        show = studio("desk-8", 1)
        edits = (
            SetValue(SettingRef("desk", "in5>send1", "on"), True),
            SetValue(SettingRef("desk", "in5>send1", "gain_db"), -6.0),
            SetValue(SettingRef("desk", "in5>send1", "tap"), "pre"),
            SetValue(SettingRef("desk", "in5", "pan"), -0.5),
            SetValue(SettingRef("desk", "in5", "mute"), True),
            SetValue(SettingRef("desk", "in1", "gain_db"), 44.0),
            SetValue(SettingRef("desk", "send1", "fader_db"), -3.0),
        )
        name = "Eight-channel desk, two sends, USB pair"
        assert texts(show, apply_all(show, edits)) == [
            f"{name}, send 1: mute",
            f"{name}, channel 5: mute",
            f"{name}, channel 5: pan 50% left",
            f"{name}, channel 1, gain: +44 dB",
            f"{name}, channel 5, send 1: \u22126 dB, before the fader",
            f"{name}, send 1: fader to \u22123 dB",
            f"{name}, channel 5, send 1: on",
            f"{name}, send 1: unmute",
        ]

    @pytest.mark.parametrize(
        ("ref", "value", "words"),
        [
            (
                SettingRef("desk", "in1", "phantom"),
                True,
                ["channel 1: mute", "channel 1: phantom on", "channel 1: unmute"],
            ),
            (SettingRef("face", "in2", "hi_z"), True, ["input 2: switched for instruments"]),
            (SettingRef("face", "in1", "pad"), True, ["input 1: pad in"]),
            (SettingRef("pc", "buffer", "samples"), 512, ["buffer: 512 samples"]),
            (SettingRef("app", "echo", "on"), False, ["echo control: off"]),
            (SettingRef("desk", "in1", "chain"), (Gate(),), ["channel 1: gate opens"]),
        ],
    )
    def test_whatever_is_set_is_a_step(self, ref: SettingRef, value: object, words: list[str]) -> None:
        face = {"id": "face", "kind": "interface-2", "name": "Interface", "host": "pc", "place": "room"}
        show = usb_desk(face)
        device = next(row for row in show.devices if row.id == ref.device)
        fresh = device.settings.get(ref.key, Setting()).model_copy(update={ref.field: value})
        after = show.with_(
            devices=tuple(
                row.with_(settings={**row.settings, ref.key: fresh}) if row.id == ref.device else row
                for row in show.devices
            )
        )
        there = texts(show, after)
        assert len(there) == len(words)
        assert all(word in text for word, text in zip(words, there, strict=True))
        assert len(texts(after, show)) >= (1 if ref.field != "samples" else 0), "and it is taken back by one"

    def test_a_microphone_is_plugged_with_its_channel_shut(self) -> None:
        """Common practice: mute, plug, phantom, open; while the rest is on air."""
        mic = {"id": "third", "kind": "condenser-slim", "name": "Third", "place": "room"}
        before, after = usb_desk(mic), usb_desk(mic, plugs=(("third.out", "desk.in3"),))
        after = apply_all(after, (SetValue(SettingRef("desk", "in3", "phantom"), True),))
        assert [text.split(": ", 1)[1].partition(",")[0] for text in texts(before, after)] == [
            "mute",
            "plug",
            "phantom on",
            "unmute",
        ]
        mutes = [
            text
            for text in texts(from_nothing(after), after)
            if text.startswith("Desk, channel") and text.endswith("mute")
        ]
        assert not mutes, "with nothing plugged yet the main mix alone is shut"

    def test_what_a_crosspoint_that_is_off_would_do_is_left_out(self) -> None:
        show = studio("desk-8", 1)
        edits = (
            SetValue(SettingRef("desk", "in5>send1", "gain_db"), -6.0),
            SetValue(SettingRef("desk", "in5>send1", "tap"), "pre"),
        )
        assert texts(show, apply_all(show, edits)) == []

    def test_cables_with_their_adapters(self) -> None:
        show = studio("desk-8", 1)
        rows = [text for text in texts(show, planned(show)) if "plug" in text]
        assert rows == [
            "Eight-channel desk, two sends, USB pair, send 1 to Call codec, send to the far end: plug, with XLR to 6.35 mm jack lead"
        ]

    def test_another_desk_in_its_place(self) -> None:
        show = studio("desk-8", 1)
        edits = (SetField("devices", "desk", "kind", "desk-direct"),)
        assert any("put Desk with direct outputs in its place" in text for text in texts(show, apply_all(show, edits)))


class TestComplete:
    @pytest.mark.parametrize(("desk", "count"), [("desk-8", 2), ("desk-8", 3), ("desk-stereo", 2), ("desk-12-4", 4)])
    def test_from_now_it_is_only_what_differs(self, desk: str, count: int) -> None:
        show = studio(desk, count)
        done = planned(show)
        assert texts(done, done) == []
        assert 0 < len(texts(show, done)) < len(texts(from_nothing(done), done))

    def test_from_nothing_every_switch_that_is_not_as_delivered_is_there(self) -> None:
        done = planned(studio("desk-8", 2))
        rows = texts(from_nothing(done), done)
        desk = done.device("desk")
        kind = CATALOGUE["desk-8"]
        for key, setting in desk.settings.items():
            path = kind.path(key)
            if path is not None and path.switch and setting.on is not None and setting.on != path.on:
                names = {row.id: row.name for row in (*kind.inputs, *kind.outputs, *kind.buses)}
                assert any(
                    f"{names[path.source]}, {names[path.target]}: {'on' if setting.on else 'off'}" in row
                    for row in rows
                )


class TestTasks:
    def test_steps_are_ticked_and_kept(self) -> None:
        show = studio("desk-8", 1)
        plan = plan_feeds(show, CATALOGUE)
        done = apply_all(show, doing_edits(show, plan.edits, CATALOGUE))
        steps = [task for task in done.tasks if task.id.startswith(PREFIX)]
        assert [task.text for task in steps] == texts(show, done)
        first = tick(steps[0]).apply(done)
        assert [task.done for task in first.tasks][:2] == [True, False]
        assert tick(first.tasks[0]).apply(first).tasks[0].done is False

    def test_a_second_plan_keeps_what_is_not_done(self) -> None:
        """What is not ticked at the desk is not done; what is ticked has served its turn."""
        show = studio("desk-8", 1)
        first = apply_all(show, doing_edits(show, plan_feeds(show, CATALOGUE).edits, CATALOGUE))
        ticked = tick(first.tasks[0]).apply(first)
        more = (SetValue(SettingRef("desk", "in1>send2", "on"), True),)
        second = apply_all(ticked, doing_edits(ticked, more, CATALOGUE))
        kept = {task.text for task in first.tasks[1:]}
        assert kept <= {task.text for task in second.tasks}
        assert len({task.id for task in second.tasks}) == len(second.tasks)
        assert any("channel 1, send 2" in task.text for task in second.tasks)
        assert analyse(second).show.tasks == second.tasks

    def test_they_are_on_the_sheet(self) -> None:
        from kymaphon.core.report.sheet import tasks

        show = studio("desk-8", 1)
        done = apply_all(show, doing_edits(show, plan_feeds(show, CATALOGUE).edits, CATALOGUE))
        rows = [row[1] for row in tasks(analyse(done)).rows]
        assert rows[-len(done.tasks) :] == [task.text for task in done.tasks]
        assert done.tasks
