"""The planner's parts by themselves: what a mixer offers, what hangs on it, what is put together; and what else the views ask."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.computing.build import build_graph
from kymaphon.core.derive import Derived
from kymaphon.core.figures import data_table
from kymaphon.core.graph.signal import Edge, Node, SignalGraph
from kymaphon.core.mixes.assign import assign, cost, fits, is_plugged, lacks, price, required_inputs
from kymaphon.core.mixes.mixer import InputArrival, Mixer, _needless, buses_of, mixer_of, mixers_of, mixes
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.mixes.requirements import Around, MixRequirement, fed_by, requirements_of, unplugged
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Device, Show
from kymaphon.core.model.wants import unsaid, wants_by_role, wants_of
from kymaphon.core.report.mixes import missing_words, mix_words, plan_lines
from kymaphon.files.disk import free_bytes
from kymaphon.files.errors import FileProblem
from kymaphon.sim.impulse import impulse_arrivals
from tests.core.mixes.rooms import studio

CATALOGUE = shipped_catalogue()


def parts(show: Show, device: str = "desk") -> tuple[Around, Mixer]:
    """The rig around, and one of its mixers."""
    graph = build_graph(show, CATALOGUE.with_kinds(*show.kinds))
    kinds = CATALOGUE.with_kinds(*show.kinds)
    return Around(show, kinds, graph), mixer_of(kinds, graph, show.device(device))


class TestMixer:
    @pytest.mark.parametrize(
        ("kind", "buses"),
        [
            ("desk-8", ["send1", "send2", "main", "main.l", "main.r"]),
            ("desk-stereo", ["main", "main.l", "main.r"]),
            ("desk-24-mono", ["send1", "send2", "main"]),
            (
                "desk-12-4",
                ["send1", "send2", "send3", "send4", "main", "main.l", "main.r", "group", "group.l", "group.r"],
            ),
            ("soft-mixer", ["send1", "send2", "main"]),
        ],
    )
    def test_every_mix_that_a_kind_can_make(self, kind: str, buses: list[str]) -> None:
        found = buses_of(Device(id="x", kind=kind), CATALOGUE[kind])
        assert [row.id for row in found if not all(point.fixed for point in row.inputs.values())] == buses

    def test_direct_outputs_come_last_and_are_fixed(self) -> None:
        found = buses_of(Device(id="x", kind="desk-direct"), CATALOGUE["desk-direct"])
        direct = [row for row in found if row.id.startswith("direct")]
        assert len(direct) == 8
        assert found[-8:] == tuple(direct)
        assert all(list(row.inputs) == [f"in{row.id[-1]}"] for row in direct)

    def test_groups_on_the_way_to_the_main_mix_are_its_crosspoints(self) -> None:
        """A desk whose channels reach the main mix by groups only: the group that a channel is on is its way there."""
        kind = CATALOGUE["desk-24-mono"]
        main = next(row for row in buses_of(Device(id="x", kind=kind.id), kind) if row.id == "main")
        assert main.inputs["in3"].path.key == "in3>group1"
        device = Device.model_validate(
            {
                "id": "x",
                "kind": kind.id,
                "settings": {"in3>group1": {"on": False}, "in3>group2": {"on": True}},
            }
        )
        main = next(row for row in buses_of(device, kind) if row.id == "main")
        assert main.inputs["in3"].path.key == "in3>group2"

    def test_what_mixes_and_what_does_not(self) -> None:
        assert [
            kind
            for kind in ("desk-8", "soft-mixer", "interface-2", "headphone-amp", "call-codec", "recorder")
            if mixes(CATALOGUE[kind])
        ] == [
            "desk-8",
            "soft-mixer",
            "interface-2",
        ]

    def test_voices_by_their_own_microphones_not_by_bleed(self, demo: Show) -> None:
        """Tam is 7 dB under Ilse in her microphone, and does not come by it."""
        _, desk = parts(demo)
        assert set(desk.voices["in2"]) == {"tam"}
        assert set(desk.voices["in3"]) == {"ilse"}
        assert set(desk.voices["in4"]) == {"trio", "crowd"}
        assert desk.voices["usb-in"] == {}

    def test_two_sides_of_a_pair_are_both_needed_a_monitor_mix_is_not(self, demo: Show) -> None:
        _, soft = parts(demo, "mixer")
        assert soft.needless == frozenset({"in5"})
        assert soft.carrying("mira") == ("in1", "in2")

    def test_what_comes_first_but_with_its_gain_down_does_not_stand_in_for_what_is_heard(self, demo: Show) -> None:
        """The monitor mix brings every voice again, later. With the gain of all that comes sooner 25 dB down it is what is heard."""

        def turned(gain_db: float) -> Mixer:
            changes = (SetValue(SettingRef("mixer", f"in{row}", "gain_db"), gain_db) for row in (1, 2))
            return parts(apply_all(demo, changes), "mixer")[1]

        assert turned(-10.0).needless == frozenset({"in5"})
        assert turned(-25.0).needless == frozenset()

    @pytest.mark.parametrize(
        ("used", "needless"),
        [((), {"late"}), (("early",), {"late"}), (("late",), {"early"}), (("early", "late"), {"late"})],
    )
    def test_of_two_inputs_with_one_voice_the_one_that_is_on_stays(
        self, used: tuple[str, ...], needless: set[str]
    ) -> None:
        """Both on, or neither: the later one is too much. One on: the other, whichever came first; what works is left alone."""
        voices = {name: {"ann": InputArrival(0.0, delay)} for name, delay in (("early", 1.0), ("late", 12.0))}
        assert _needless(voices, set(used)) == needless

    def test_mixers_are_found_in_the_shows_order(self, demo: Show) -> None:
        kinds = CATALOGUE.with_kinds(*demo.kinds)
        assert [row.id for row in mixers_of(demo, kinds)] == ["desk", "slip-mixer", "interface", "mixer"]


class TestNeeds:
    def test_two_sides_of_the_main_output_are_one_need(self, demo: Show) -> None:
        around, desk = parts(demo)
        rows = {row.targets: row for row in requirements_of(around, desk)}
        both = rows["interface.in1", "interface.in2"]
        assert both.stereo
        assert not both.last
        assert set(both.listeners) == {"stream", "station", "podcast"}
        assert both.socket == ("main-out", "")

    def test_what_a_guest_must_not_have_is_kept_off(self, demo: Show) -> None:
        around, desk = parts(demo)
        need = next(row for row in requirements_of(around, desk) if "ferry" in row.listeners)
        assert need.keep_off == frozenset({"ferry"})
        assert need.hear["jingles"] == -6
        assert need.listeners["ferry"] == pytest.approx(82)

    def test_before_another_mixer_nothing_is_kept_off_that_somebody_wants(self, demo: Show) -> None:
        """The slipway's mixer feeds everybody by the desk; what one of them must not have is kept off there."""
        around, slip = parts(demo, "slip-mixer")
        (need,) = requirements_of(around, slip)
        assert not need.last
        assert need.keep_off.isdisjoint({"trio", "crowd"})

    def test_a_telephones_leak_feeds_nobody(self, demo: Show) -> None:
        """What a guest's telephone gives back of the call is no feed of those behind the desk."""
        around, desk = parts(demo)
        need = next(row for row in requirements_of(around, desk) if "ferry" in row.listeners)
        assert set(need.listeners) == {"ferry"}

    def test_who_is_not_fed_yet_is_looked_for_from_the_ear_back(self) -> None:
        show = studio("desk-8", 2)
        around, desk = parts(show)
        fed = fed_by(around, desk)
        assert fed == {"host", "stream"}
        assert [row.targets for row in unplugged(around, desk, fed)] == [
            ("codec1.near-in",),
            ("codec2.near-in",),
        ]


class TestAssign:
    def rows(self, show: Show) -> tuple[Mixer, dict[str, MixRequirement]]:
        around, desk = parts(show)
        rows = [*requirements_of(around, desk), *unplugged(around, desk, fed_by(around, desk))]
        return desk, {"+".join(row.listeners): row for row in rows}

    def test_guests_are_at_odds_and_ears_are_not(self, demo: Show) -> None:
        desk, rows = self.rows(demo)
        ferry, lighthouse, mira, tam = (
            required_inputs(desk, rows[name]) for name in ("ferry", "lighthouse", "mira", "tam")
        )
        assert ferry.conflicts(lighthouse)
        assert lighthouse.conflicts(ferry)
        assert not mira.conflicts(tam)
        assert "in5" in ferry.off
        assert "in5" not in lighthouse.off

    def test_prices_by_hand(self, demo: Show) -> None:
        """Where it is plugged and everything can be had nothing is paid; a direct output lacks all but one."""
        desk, rows = self.rows(demo)
        ferry = required_inputs(desk, rows["ferry"])
        assert price(ferry, desk, desk.bus("send1")) == 0
        assert price(ferry, desk, desk.bus("send2")) == cost("re-plug")
        # One side of the main mix has neither levels of its own nor the socket.
        assert price(ferry, desk, desk.bus("main.l")) == cost("re-plug") + cost("one-side") + cost("no-levels")
        assert lacks(ferry, desk.bus("send1")) == ((), ())
        assert is_plugged(rows["ferry"], desk.bus("send1"))
        assert not fits(rows["ferry"], desk, desk.bus("main"))

    def test_ones_own_voice_that_cannot_be_taken_off_a_bus_has_its_price(self, demo: Show) -> None:
        """A mix that holds the ferry's own return by itself, like a direct output, costs that much more than one that can leave it out."""
        desk, rows = self.rows(demo)
        ferry, send = required_inputs(desk, rows["ferry"]), desk.bus("send1")
        fixed = replace(send.inputs["in5"], path=send.inputs["in5"].path.model_copy(update={"switch": False}))
        held = replace(send, inputs={**send.inputs, "in5": fixed})
        assert lacks(ferry, held) == ((), ("in5",))
        assert cost("own-voice") > cost("re-plug")
        assert price(ferry, desk, held) == price(ferry, desk, send) + cost("own-voice")

    def test_nothing_asked_nothing_assigned(self, demo: Show) -> None:
        desk, _ = self.rows(demo)
        got = assign(desk, [])
        assert (got.buses, got.left) == ({}, ())

    def test_every_weight_has_a_reason(self) -> None:
        for name, row in data_table("feeds")["costs"].items():
            assert row["value"] > 0, name
            assert row["about"], name
            assert row["source"], name
        assert cost("own-voice") > cost("missing") > cost("programme-mono") > cost("re-plug") > cost("switch")
        with pytest.raises(KeyError):
            cost("beauty")


class TestWants:
    def test_what_is_said_stands_and_the_rest_goes_by_the_role(self) -> None:
        show = studio("desk-8", 2, wants=[{"listener": "far1", "voice": "host", "want": "hear", "gain_db": -3}])
        rows = wants_of(show)
        assert (rows["far1", "host"].want, rows["far1", "host"].gain_db, rows["far1", "host"].asked) == (
            "hear",
            -3,
            True,
        )
        assert rows["far1", "far2"].want == "any"  # somebody has said what far1 hears, and that was not in it
        assert rows["far2", "host"].want == "hear"
        assert [party.id for party in unsaid(show)] == ["host", "stream", "far2"]

    def test_by_role_adds_and_replaces_nothing(self) -> None:
        show = studio("desk-8", 1, wants=[{"listener": "far1", "voice": "host", "want": "never"}])
        done = apply_all(show, wants_by_role(show))
        assert next(row for row in done.wants if (row.listener, row.voice) == ("far1", "host")).want == "never"

    def test_who_listens_to_the_room_asks_nothing_of_who_speaks_in_it(self) -> None:
        data = studio("desk-8", 1).model_dump(mode="json", by_alias=True)
        data["parties"].append({"id": "hall", "name": "Hall", "kind": "guest", "listens": True, "place": "room"})
        rows = wants_of(Show.model_validate(data))
        assert rows["hall", "host"].want == "any"
        assert rows["hall", "far1"].want == "hear"


class TestWords:
    def test_a_mix_in_a_line(self, demo: Show) -> None:
        plan = plan_feeds(demo, CATALOGUE)
        lines = [mix_words(plan, mix) for mix in plan.mixes]
        assert (
            "Lighthouse: Desk, send 2, mix-minus, with channel 1, channel 2, channel 3, channel 4, channel 5, "
            "channel 7, channel 8; without channel 6 (after the faders)" in lines
        )

    def test_voices_that_cannot_be_parted_are_told(self) -> None:
        data = studio("desk-8", 2).model_dump(mode="json", by_alias=True)
        data["devices"].append({"id": "small", "kind": "desk-pocket"})
        for row in data["cables"]:
            row["to"] = {"codec1.near-out": "small.in1", "codec2.near-out": "small.in2"}.get(row["from"], row["to"])
        data["cables"].append({"from": "small.main-out.l", "to": "desk.in5"})
        plan = plan_feeds(Show.model_validate(data), CATALOGUE)
        text = missing_words(plan.after.show, plan.after.catalogue, plan.missing[0])
        assert "cannot hear Far 2, who comes to" in text
        assert "only together with somebody that must be kept off" in text

    def test_a_plan_that_howls_says_so(self, demo: Show) -> None:
        plan = plan_feeds(demo, CATALOGUE)
        assert not any(line.startswith("!") for line in plan_lines(plan, (), ()))


class TestImpulse:
    def graph(self, edges: list[tuple[int, int, float, float]]) -> SignalGraph:
        nodes = tuple(Node(f"n{i}", "", "dBFS", "x") for i in range(3))
        return SignalGraph(
            nodes,
            tuple(Edge(a, b, (Derived("g", gain, "dB"),), (Derived("d", delay, "ms"),)) for a, b, gain, delay in edges),
        )

    def test_rounds_of_a_circle_come_one_by_one(self) -> None:
        """A loop of -6.02 dB and 10 ms before a way on: 1, 1/2, 1/4 ... every 10 ms."""
        graph = self.graph([(0, 1, 0.0, 1.0), (1, 1, -6.0206, 10.0), (1, 2, 0.0, 2.0)])
        times, amplitudes = impulse_arrivals(graph, 0, 2, until_ms=45, below_db=-60)
        assert times == pytest.approx([3, 13, 23, 33, 43])
        assert amplitudes == pytest.approx(0.5 ** np.arange(5), rel=1e-4)

    def test_no_way_nothing_arrives(self) -> None:
        times, amplitudes = impulse_arrivals(self.graph([(0, 1, 0.0, 1.0), (1, 1, -1.0, 0.0)]), 0, 2, until_ms=10)
        assert len(times) == len(amplitudes) == 0

    def test_a_circle_without_delay_is_told(self) -> None:
        with pytest.raises(ValueError, match="loop without delay"):
            impulse_arrivals(self.graph([(0, 1, 0.0, 0.0), (1, 1, 0.0, 0.0), (1, 2, 0.0, 0.0)]), 0, 2, until_ms=10)


def test_free_space_of_a_disk_and_of_none(tmp_path: Path) -> None:
    assert free_bytes(tmp_path) > 0
    with pytest.raises(FileProblem, match="free space"):
        free_bytes(tmp_path / "gone")


@pytest.mark.parametrize("field", [{"speakers_mute": True}, {"speakers_mute": False}])
def test_places_keep_what_mutes_them(field: dict[str, Any]) -> None:
    show = Show.model_validate({"places": [{"id": "a", "name": "A", **field}]})
    assert Show.model_validate(show.model_dump(mode="json", by_alias=True)) == show


def test_a_switch_turned_by_hand_after_the_plan_is_found_again(demo: Show) -> None:
    """The plan is not remembered anywhere: what is wrong is found in what is set."""
    done = apply_all(demo, plan_feeds(demo, CATALOGUE).edits)
    wrong = apply_all(done, (SetValue(SettingRef("desk", "in6>send2", "on"), True),))
    assert analyse(wrong).feeds["lighthouse", "lighthouse"].verdict == "back"
    assert [edit.to_json() for edit in plan_feeds(wrong, CATALOGUE).edits] == [
        {"set": "desk.settings.in6>send2.on", "to": False}
    ]
