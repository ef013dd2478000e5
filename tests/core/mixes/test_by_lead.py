"""A mix that is free at the desk and needed in the computer: a lead, its pad, and the steps that leave the programme alone."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.monitoring import own_ears
from kymaphon.core.mixes.by_lead import by_lead
from kymaphon.core.mixes.doing import steps_between
from kymaphon.core.mixes.planner import FeedPlan, plan_feeds
from kymaphon.core.mixes.ways_out import WayOut, ways_out
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import Unplug, apply_all
from kymaphon.core.model.show import Show
from kymaphon.core.model.wants import unsaid, wants_by_role
from kymaphon.core.report.mixes import missing_words
from kymaphon.core.wiring.open_ends import deaf_end, outputs_with
from tests.core.mixes.rooms import studio, usb_desk

CATALOGUE = shipped_catalogue()
FACE = {"id": "face", "kind": "interface-2", "name": "Interface", "host": "pc", "place": "room"}
HEADSET = ("desk.send2", "pc.headset-mic")


def lead(show: Show) -> tuple[FeedPlan, WayOut | None]:
    plan = plan_feeds(show, CATALOGUE)
    ways = ways_out(show, CATALOGUE, plan)
    return plan, next((row for row in ways if row.sort == "lead"), None)


class TestShortage:
    def test_it_is_said_that_what_is_free_does_not_go_in(self) -> None:
        plan, _ = lead(usb_desk())
        [row] = plan.missing
        text = missing_words(plan.after.show, plan.after.catalogue, row)
        assert [bus.id for bus in row.unfit] == ["send1", "send2"]
        assert (
            "Free is send 1, send 2, which comes out analogue and does not go into Call, microphone, digital." in text
        )

    def test_of_a_desk_whose_sends_are_all_taken_nothing_is_said_to_be_free(self) -> None:
        plan = plan_feeds(studio("desk-1-send", 4), CATALOGUE)
        assert plan.missing
        assert all(row.unfit == () for row in plan.missing)


class TestLead:
    def test_a_send_by_the_headset_socket_with_a_pad(self) -> None:
        """A line is 40 dB and more over what a computer's microphone socket bears: common practice."""
        show = usb_desk()
        plan, way = lead(show)
        assert not plan.whole
        assert way is not None
        assert "Desk, send 1 into Laptop, headset socket, microphone, with a 40 dB pad between" in way.text
        assert way.lost == ()
        after = apply_all(show, way.edits)
        done = analyse(after)
        assert done.feeds["far", "far"].verdict == "silent"
        assert {done.feeds["far", row].verdict for row in ("host", "guest")} <= {"heard", "quiet"}
        assert {done.feeds["stream", row].verdict for row in ("host", "guest", "far")} <= {"heard", "quiet"}
        assert plan_feeds(after, CATALOGUE).whole

    def test_a_line_input_of_an_interface_needs_none(self) -> None:
        show = usb_desk(FACE, plugs=(HEADSET,))
        _, way = lead(show)
        assert way is not None
        assert "Desk, send 1 into Interface" in way.text
        after = apply_all(show, way.edits)
        assert any(cable.target == "app.mic" and cable.source.startswith("face.") for cable in after.cables)
        assert analyse(after).feeds["far", "far"].verdict == "silent"

    @pytest.mark.parametrize(
        "show",
        [
            usb_desk(plugs=(HEADSET,)),  # no input of the computer is free
            studio("desk-1-send", 4),  # no computer
            studio("desk-8", 2),  # nothing is missing
        ],
    )
    def test_there_is_not_always_one(self, show: Show) -> None:
        plan = plan_feeds(show, CATALOGUE)
        assert by_lead(apply_all(show, plan.wants), CATALOGUE, plan) is None


class TestSteps:
    def test_headphones_go_where_headphones_belong_though_it_is_taken(self) -> None:
        """Common practice: a line output does not drive headphones."""
        plan = plan_feeds(usb_desk(), CATALOGUE)
        assert ("desk.phones", "ears2.in") in [cable.ends for cable in plan.after.show.cables]

    def test_the_programme_is_not_faded_for_a_plug(self) -> None:
        show = usb_desk()
        texts = [row.text for row in steps_between(show, plan_feeds(show, CATALOGUE).after.show, CATALOGUE)]
        assert texts == [
            "Desk, Headphones: down",
            "Desk, headphones to Closed headphones of Guest, input: plug",
            "Desk, Headphones: slowly up to \u221230 dB",
        ]

    def test_nor_for_a_channel_that_is_put_on_it(self) -> None:
        before = usb_desk()
        off = {**before.device("desk").settings, "in1>main": {"on": False}}
        before = Show.model_validate(
            {
                **before.model_dump(by_alias=True),
                "devices": [
                    {**row.model_dump(), "settings": off} if row.id == "desk" else row.model_dump()
                    for row in before.devices
                ],
            }
        )
        texts = [row.text for row in steps_between(before, usb_desk(), CATALOGUE)]
        assert texts == ["Desk, channel 1: mute", "Desk, channel 1, main mix: on", "Desk, channel 1: unmute"]

    def test_a_lead_from_it_is_plugged_with_the_input_shut(self) -> None:
        before = usb_desk({"id": "other", "kind": "desk-8", "name": "Other desk", "place": "room"})
        after = usb_desk(
            {"id": "other", "kind": "desk-8", "name": "Other desk", "place": "room"},
            plugs=(("desk.main-out.l", "other.in5"),),
        )
        texts = [row.text for row in steps_between(before, after, CATALOGUE)]
        assert texts[0] == "Other desk, channel 5: mute"
        assert texts[-1] == "Other desk, channel 5: unmute"
        assert not [row for row in texts if "main mix" in row]


class TestAround:
    def test_a_call_mixed_in_a_desk_is_no_detour(self) -> None:
        """Into a desk by USB, mixed there and out by USB is what it is there for."""
        assert not [row for row in analyse(usb_desk()).findings if row.code == "out-and-back"]

    def test_a_far_talker_monitors_nothing_in_our_room(self) -> None:
        """Own voice by way of the studio is a matter of feeds; whatever leaks there is not told as monitoring."""
        for show in (usb_desk(), apply_all(usb_desk(), lead(usb_desk())[1].edits)):  # type: ignore[union-attr]
            ears = own_ears(analyse(show), "far")
            assert ears is not None
            assert ears.computer is None
            assert "own-voice-by-computer" not in {row.code for row in analyse(show).findings}


class TestPluggedIntoNothing:
    def with_roles(self, show: Show) -> Show:
        return apply_all(show, tuple(row for party in unsaid(show) for row in wants_by_role(show, party.id)))

    def test_headphones_are_offered_the_socket_that_is_for_them(self) -> None:
        show = self.with_roles(usb_desk())
        rows = [row for row in analyse(show).findings if row.code == "wanted-not-heard" and row.subjects[0] == "guest"]
        assert len(rows) == 2
        for row in rows:
            assert "Closed headphones, input is plugged into nothing" in row.message
            [remedy] = row.remedies
            assert remedy.label == "Plug Closed headphones, input into Desk, headphones"
            after = analyse(remedy.apply(show))
            assert after.feeds[row.subjects[0], row.subjects[1]].verdict in ("heard", "quiet", "loud")

    def test_a_far_end_is_not_given_the_programme_with_itself(self) -> None:
        """The desk's main mix has their own voice on it; a send without it would be the cure, and that is for the plan."""
        show = self.with_roles(usb_desk())
        show = apply_all(show, (Unplug("app.far", "tel.call-in"),))
        analysis = analyse(show)
        end = deaf_end(analysis, "far")
        assert end is not None
        assert [fit.source.ref for fit in outputs_with(analysis, end, ["host"])] == ["app.far"]
        rows = [row for row in analysis.findings if row.code == "wanted-not-heard" and row.subjects[0] == "far"]
        assert rows
        assert not [remedy for row in rows for remedy in row.remedies]

    def test_who_is_plugged_in_is_not_deaf(self) -> None:
        analysis = analyse(usb_desk())
        assert deaf_end(analysis, "host") is None
        end = deaf_end(analysis, "guest")
        assert end is not None
        best = next(iter(outputs_with(analysis, end, ["host"])))
        assert best.source.ref == "desk.phones"
        assert outputs_with(analysis, end, []) == ()
