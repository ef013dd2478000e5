"""The feed planner: by the rules of the trade, by hand where the answer is known, and against every assignment on small desks."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.computing.build import build_graph
from kymaphon.core.mixes.assign import assign, required_inputs
from kymaphon.core.mixes.mixer import mixer_of, mixers_of
from kymaphon.core.mixes.planner import FeedPlan, plan_feeds
from kymaphon.core.mixes.requirements import Around, requirements_of, unplugged
from kymaphon.core.mixes.ways_out import ways_out
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import Plug, SetValue, SetWant, apply_all
from kymaphon.core.model.show import Setting, Show
from tests.budget import tries
from tests.conftest import two_desks
from tests.core.mixes.rooms import studio, two_rooms

CATALOGUE = shipped_catalogue()


def planned(show: Show) -> FeedPlan:
    return plan_feeds(show, CATALOGUE)


def own_voices(plan: FeedPlan) -> dict[str, str]:
    """Verdict of each remote guest's own voice in its own ear."""
    return {
        key[0]: feed.verdict for key, feed in plan.after.feeds.items() if key[0] == key[1] and key[0].startswith("far")
    }


class TestTheTrade:
    """Facts of the trade, marked as common practice."""

    @pytest.mark.parametrize("count", [1, 2, 3, 4])
    def test_n_remote_guests_take_n_different_mixes(self, count: int) -> None:
        """Common practice: every remote party gets everything but itself, so each needs a mix of its own."""
        plan = planned(studio("desk-12-4", count))
        mine = {mix.listeners[0]: mix for mix in plan.mixes if mix.listeners[0].startswith("far")}
        assert len(mine) == count
        assert len({mix.bus.id for mix in mine.values()}) == count
        channels = {f"far{i}": f"in{8 + i}" for i in range(1, count + 1)}
        for name, mix in mine.items():
            assert set(mix.inputs) == {"in1", *channels.values()} - {channels[name]}
            assert mix.left_out == (channels[name],)
        assert set(own_voices(plan).values()) == {"silent"}
        assert plan.unmet == ()
        assert plan.missing == ()

    def test_with_too_few_sends_the_pan_pot_is_a_router(self) -> None:
        """Common practice: the third takes one side of the main output, its return is panned to the other only; it costs stereo."""
        plan = planned(studio("desk-8", 3))
        assert plan.missing == ()
        assert plan.unmet == ()
        assert set(own_voices(plan).values()) == {"silent"}
        sided = next(mix for mix in plan.mixes if mix.bus.side)
        assert "costs stereo" in " ".join(sided.how)
        (channel,) = sided.left_out
        pan = next(
            edit
            for edit in plan.edits
            if isinstance(edit, SetValue) and edit.ref.key == channel and edit.ref.field == "pan"
        )
        assert pan.value == {"l": 1.0, "r": -1.0}[sided.bus.side]

    def test_two_on_a_desk_without_sends_take_a_side_each(self) -> None:
        plan = planned(studio("desk-stereo", 2))
        assert {mix.bus.id for mix in plan.mixes if mix.bus.side} == {"main.l", "main.r"}
        assert plan.unmet == ()

    def test_equal_mixes_are_shared(self) -> None:
        """Two recorders that want the same take one mix, and no send is spent on them."""
        show = studio("desk-8", 1)
        plan = planned(show)
        main = next(mix for mix in plan.mixes if mix.bus.id == "main")
        assert set(main.listeners) == {"host", "stream"}

    def test_ears_before_the_fader_guests_after(self) -> None:
        """Ears in the house do not follow the faders; who is far away hears what is on air."""
        show = studio("desk-8", 1)
        cables = tuple(row for row in show.cables if row.source != "desk.phones")
        plan = planned(show.model_copy(update={"cables": cables}))
        taps = {
            edit.ref.key.partition(">")[2]: edit.value
            for edit in plan.edits
            if isinstance(edit, SetValue) and edit.ref.field == "tap"
        }
        far = next(mix.bus.id for mix in plan.mixes if mix.listeners == ("far1",))
        assert taps[far] == "post"

    def test_a_monitor_mix_offered_beside_the_inputs_is_left_out(self, demo: Show) -> None:
        plan = planned(demo)
        mixer = next(mix for mix in plan.mixes if mix.device == "mixer")
        assert "in5" not in mixer.inputs
        assert "brings the same again" in " ".join(mixer.how)


class TestShortage:
    def test_what_is_missing_is_named(self) -> None:
        """One send and two sides of the main mix make three; the fourth guest's mix is the one that is missing."""
        plan = planned(studio("desk-1-send", 4))
        (row,) = plan.missing
        assert row.bus is None
        assert len(row.voices) == 4
        assert row.asked == 5  # four guests, and the programme
        assert set(own_voices(plan).values()) == {"silent"}
        assert {feed.listener for feed in plan.unmet} == set(row.need.listeners)

    def test_the_cheapest_way_out_is_to_share(self) -> None:
        show = studio("desk-1-send", 4)
        plan = planned(show)
        ways = ways_out(show, CATALOGUE, plan)
        assert [way.sort for way in ways] == ["share", "desk"]
        share = ways[0]
        done = analyse(apply_all(show, share.edits))
        assert not [row for row in done.findings if row.code == "own-voice-back"]
        assert len(share.lost) == 2
        # They are given up, and nobody but these two misses anybody.
        assert {key for key, feed in done.feeds.items() if feed.verdict == "missing"} == set()
        for pair in share.lost:
            assert done.feeds[pair].want == "any"

    def test_another_desk_is_one_on_which_it_works(self) -> None:
        show = studio("desk-1-send", 4)
        way = next(row for row in ways_out(show, CATALOGUE, planned(show)) if row.sort == "desk")
        done = analyse(apply_all(show, way.edits))
        assert done.show.device("desk").kind != "desk-1-send"
        assert {feed.verdict for key, feed in done.feeds.items() if key[0].startswith("far")} <= {
            "heard",
            "silent",
            "quiet",
            "loud",
        }

    def test_a_software_mixer_with_free_sends_is_offered(self) -> None:
        """Common practice: what the desk cannot mix the computer can; told with its free mixes, as it takes more than switches."""
        data = studio("desk-1-send", 4).model_dump(mode="json", by_alias=True)
        data["devices"].append({"id": "soft", "kind": "soft-mixer", "name": "Program"})
        show = Show.model_validate(data)
        way = next(row for row in ways_out(show, CATALOGUE, planned(show)) if row.sort == "computer")
        assert way.edits == ()
        assert "Take Far 4 into the computer" in way.text
        assert "Program has 2 free mixes" in way.text

    def test_nothing_missing_no_way_out(self) -> None:
        show = studio("desk-8", 2)
        assert ways_out(show, CATALOGUE, planned(show)) == ()

    def test_a_mix_of_guests_cannot_be_parted(self) -> None:
        """Two guests on one line into one channel: neither can have the other without itself, and that is said."""
        show = studio("desk-8", 2)
        data = show.model_dump(mode="json", by_alias=True)
        data["devices"].append({"id": "small", "kind": "desk-pocket"})
        for row in data["cables"]:
            if row["from"] in ("codec1.near-out", "codec2.near-out"):
                row["to"] = {"codec1.near-out": "small.in1", "codec2.near-out": "small.in2"}[row["from"]]
        data["cables"].append({"from": "small.main-out.l", "to": "desk.in5"})
        plan = planned(Show.model_validate(data))
        assert {(row.need.listeners and next(iter(row.need.listeners)), row.voices) for row in plan.missing} == {
            ("far1", ("far2",)),
            ("far2", ("far1",)),
        }


class TestThePlanItself:
    def test_the_demo_takes_two_switches(self, demo: Show) -> None:
        plan = planned(demo)
        assert {(edit.ref.key, edit.value) for edit in plan.edits if isinstance(edit, SetValue)} == {
            ("in5>send1", False),
            ("in5>main", False),
        }
        assert len(plan.edits) == 2
        assert plan.unmet == ()
        done = analyse(apply_all(demo, plan.edits))
        assert not [row for row in done.findings if row.stage == "Feeds" and row.severity != "note"]

    @pytest.mark.parametrize(("desk", "count"), [("desk-8", 2), ("desk-8", 3), ("desk-stereo", 2), ("desk-12-4", 4)])
    def test_planned_again_nothing_changes(self, desk: str, count: int) -> None:
        show = studio(desk, count)
        once = apply_all(show, planned(show).edits)
        assert planned(once).edits == ()

    def test_the_line_up_is_left_alone(self) -> None:
        show = studio("desk-8", 3)
        done = apply_all(show, planned(show).edits)
        before, after = show.device("desk").settings, done.device("desk").settings
        for key in (f"in{i}" for i in range(1, 9)):
            a, b = before.get(key), after.get(key)
            for name in ("gain_db", "fader_db", "mute", "pad", "phantom", "chain"):
                assert getattr(a, name, None) == getattr(b, name, None)

    def test_what_the_roles_want_is_written_down(self) -> None:
        show = studio("desk-8", 1)
        plan = planned(show)
        assert SetWant("far1", "far1", "never") in plan.wants
        assert SetWant("far1", "host", "hear") in plan.edits

    def test_what_was_asked_stands_against_the_role(self) -> None:
        """The guest asked not to hear the host: the channel stays off its send."""
        wants = [
            {"listener": "far1", "voice": "host", "want": "never"},
            {"listener": "far1", "voice": "far2", "want": "hear"},
        ]
        plan = planned(studio("desk-8", 2, wants=wants))
        mix = next(row for row in plan.mixes if row.listeners == ("far1",))
        assert mix.inputs == ("in6",)

    def test_a_muted_send_is_opened(self) -> None:
        show = apply_all(studio("desk-8", 1), ())
        once = apply_all(show, planned(show).edits)
        send = next(mix.bus.id for mix in planned(once).mixes if mix.listeners == ("far1",))
        data = once.model_dump(mode="json", by_alias=True)
        desk = next(row for row in data["devices"] if row["id"] == "desk")
        desk["settings"][send] = {"mute": True, "fader_db": -90}
        edits = planned(Show.model_validate(data)).edits
        assert {(edit.ref.key, edit.ref.field, edit.value) for edit in edits if isinstance(edit, SetValue)} == {
            (send, "mute", False),
            (send, "fader_db", 0.0),
        }

    def test_sockets_of_one_domain_only(self) -> None:
        """An analogue codec is never plugged into a USB output."""
        plan = planned(studio("desk-8", 4))
        kinds = {port.id: port.domain for port in CATALOGUE["desk-8"].outputs}
        plugs = [edit.cable for edit in plan.edits if isinstance(edit, Plug)]
        assert plugs
        assert {kinds[row.source.split(".")[1]] for row in plugs} == {"analog"}

    def test_a_rig_without_a_mixer_has_no_plan(self) -> None:
        show = Show.model_validate(
            {"parties": [{"id": "a", "name": "A", "kind": "guest", "speaks": True, "listens": True}]}
        )
        plan = planned(show)
        assert plan.mixes == ()
        assert plan.missing == ()


def _cheapest(show: Show) -> tuple[int, int]:
    """By trying every assignment of needs to buses: fewest needs without a bus, and what `assign` left out."""
    graph = build_graph(show, CATALOGUE)
    around = Around(show, CATALOGUE, graph)
    mixer = mixer_of(CATALOGUE, graph, next(row for row in mixers_of(show, CATALOGUE) if row.id == "desk"))
    needs = [*requirements_of(around, mixer), *unplugged(around, mixer, {"host", "stream"})]
    asks = [required_inputs(mixer, need) for need in needs]
    far = [row for row in asks if "remote" in row.need.kinds]
    sends = [bus for bus in mixer.buses if bus.gained]
    best = len(far)
    # Sends hold what they like; a side of the main mix keeps off what is panned to the other.
    for choice in itertools.product([None, *[bus.id for bus in sends], "l", "r"], repeat=len(far)):
        rows: dict[str | None, list] = {}  # type: ignore[type-arg]
        for row, where in zip(far, choice, strict=True):
            rows.setdefault(where, []).append(row)
        fine = all(
            not a.conflicts(b) for where, group in rows.items() if where for a, b in itertools.combinations(group, 2)
        )
        left, right = (rows.get(side, []) for side in "lr")
        for group, others in ((left, right), (right, left)):
            off = {channel for row in group for channel in row.off}
            wanted = {channel for row in others for channel in row.off}
            fine = fine and not (off & wanted)  # nothing can be off both sides and still be in the programme
        if fine:
            best = min(best, len(rows.get(None, [])))
    got = assign(mixer, asks)
    return best, sum("remote" in row.need.kinds for row in got.left)


@given(st.sampled_from(["desk-8", "desk-1-send", "desk-stereo"]), st.data())
@settings(max_examples=tries(8))
def test_as_good_as_every_assignment_tried(desk: str, data: st.DataObject) -> None:
    """Random wants among remote guests: never more of them without a mix than the best of all assignments leaves."""
    count = data.draw(st.integers(1, 2 if desk == "desk-stereo" else 4))
    names = ["host", *(f"far{i}" for i in range(1, count + 1))]
    kinds = st.sampled_from(["hear", "hear", "any", "never"])
    wants = []
    for listener in names[1:]:
        rows = [(voice, "never" if voice == listener else data.draw(kinds)) for voice in names]
        if not any(want == "hear" for _, want in rows):
            rows[0] = ("host", "hear")
        wants += [{"listener": listener, "voice": voice, "want": want} for voice, want in rows]
    best, left = _cheapest(studio(desk, count, wants=wants))
    assert left == best


class TestOddRigs:
    def test_somebody_who_listens_on_the_desk_itself(self) -> None:
        """No cable leads to them: the output that they listen on is planned where it is."""
        show = studio("desk-8", 1)
        data = show.model_dump(mode="json", by_alias=True)
        own = CATALOGUE["desk-8"].model_dump(mode="json", by_alias=True, exclude_defaults=True)
        own["id"] = "desk-own"
        next(row for row in own["outputs"] if row["id"] == "send2")["ear"] = True
        data["kinds"] = [own]
        next(row for row in data["devices"] if row["id"] == "desk")["kind"] = "desk-own"
        data["parties"].append(
            {"id": "ops", "name": "Operator", "kind": "guest", "listens": True, "hears_on": "desk.send2"}
        )
        plan = planned(Show.model_validate(data))
        mix = next(row for row in plan.mixes if "ops" in row.listeners)
        assert mix.bus.id == "send2"
        assert mix.moved == ()
        assert plan.after.feeds["ops", "host"].verdict in ("heard", "quiet", "loud")
        assert next(row for row in plan.mixes if row.listeners == ("far1",)).bus.id == "send1"

    def test_loudspeakers_do_not_get_the_voices_of_their_own_room(self) -> None:
        """Who speaks beside a loudspeaker is heard without it; on it, it would go round."""
        show = studio("desk-8", 1)
        data = show.model_dump(mode="json", by_alias=True)
        data["parties"].append(
            {"id": "hall", "name": "Hall", "kind": "guest", "listens": True, "place": "room", "at_m": [3, 3]}
        )
        data["devices"].append({"id": "box", "kind": "loudspeaker", "place": "room", "at_m": [4, 4]})
        data["cables"].append({"from": "desk.send2", "to": "box.in"})
        plan = planned(Show.model_validate(data))
        mix = next(row for row in plan.mixes if "hall" in row.listeners)
        assert mix.inputs == ("in5",)
        assert "in1" in mix.left_out
        assert not [row for row in analyse(plan.after.show).findings if row.code.startswith("loop-")]

    def test_but_what_was_asked_for_is_given(self) -> None:
        wants = [{"listener": "hall", "voice": "host", "want": "hear"}]
        data = studio("desk-8", 1, wants=wants[:0]).model_dump(mode="json", by_alias=True)
        data["parties"].append(
            {"id": "hall", "name": "Hall", "kind": "guest", "listens": True, "place": "room", "at_m": [3, 3]}
        )
        data["devices"].append({"id": "box", "kind": "loudspeaker", "place": "room", "at_m": [4, 4]})
        data["cables"].append({"from": "desk.send2", "to": "box.in"})
        data["wants"] = wants
        plan = planned(Show.model_validate(data))
        assert "in1" in next(row for row in plan.mixes if "hall" in row.listeners).inputs

    def test_two_desks_into_each_other_are_planned_both(self) -> None:
        """Each sends the other everything but the other: no loop, no echo, and planned again nothing changes."""
        show = two_desks(a={"in5>send1": {"on": True}}, b={"in5>send1": {"on": True}})
        plan = planned(show)
        done = apply_all(show, plan.edits)
        codes = {row.code for row in analyse(done).findings}
        assert not codes & {"loop-howls", "loop-rings", "own-voice-back"}
        assert planned(done).edits == ()

    def test_the_largest_rig_gives_each_remote_its_own(self) -> None:
        """24 remote guests, each with everybody but itself."""
        from bench.generated import remote_show

        show, catalogue = remote_show(24, 28, 26, routed=False)
        plan = plan_feeds(show, catalogue)
        own = [plan.after.feeds[f"far{i}", f"far{i}"].verdict for i in range(1, 25)]
        assert set(own) == {"silent"}
        assert plan.missing == ()
        assert plan.unmet == ()

    def test_a_pair_of_sockets_on_a_mono_send(self) -> None:
        """The stream must not have the host, whose ears are on the main mix: both its sockets go on one send, by a Y lead."""
        wants = [
            {"listener": "stream", "voice": "host", "want": "never"},
            {"listener": "stream", "voice": "far1", "want": "hear"},
            {"listener": "host", "voice": "host", "want": "local"},
            {"listener": "host", "voice": "far1", "want": "hear"},
        ]
        plan = planned(studio("desk-8", 1, wants=wants))
        assert plan.unmet == ()
        mine = next(mix for mix in plan.mixes if mix.device == "desk" and mix.listeners == ("stream",))
        assert mine.inputs == ("in5",)
        assert analyse(plan.after.show).feeds["stream", "far1"].verdict in ("heard", "quiet", "loud")


def kitchen() -> Show:
    """A streamer at a laptop: interface, software mixer, a call; the monitor mix comes back in, and the guest is not fed yet."""
    return Show.model_validate(
        {
            "places": [{"id": "room", "name": "Room"}, {"id": "away", "name": "Away"}],
            "parties": [
                {
                    "id": "host",
                    "name": "Host",
                    "kind": "presenter",
                    "place": "room",
                    "at_m": [1, 1],
                    "speaks": True,
                    "listens": True,
                    "hears_on": "ears",
                },
                {
                    "id": "far",
                    "name": "Far",
                    "kind": "remote",
                    "place": "away",
                    "speaks": True,
                    "listens": True,
                    "hears_on": "far-ears",
                },
                {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
                {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
            ],
            "devices": [
                {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "host", "at_m": [1.15, 1]},
                {"id": "face", "kind": "interface-2", "host": "pc", "settings": {"in1": {"gain_db": 55}}},
                {"id": "pc", "kind": "laptop"},
                {"id": "mixer", "kind": "soft-mixer", "host": "pc"},
                {"id": "app", "kind": "conference-app", "host": "pc"},
                {"id": "enc", "kind": "stream-encoder", "host": "pc"},
                {"id": "rec", "kind": "recorder", "host": "pc"},
                {"id": "ears", "kind": "headphones", "place": "room"},
                {"id": "far-app", "kind": "conference-app"},
                {"id": "far-face", "kind": "interface-1", "settings": {"in1": {"gain_db": 50}}},
                {"id": "far-mic", "kind": "dynamic-close", "place": "away", "party": "far"},
                {"id": "far-ears", "kind": "headphones", "place": "away"},
            ],
            "cables": [
                {"from": a, "to": b}
                for a, b in (
                    ("mic.out", "face.in1"),
                    ("face.usb1", "mixer.in1"),
                    ("face.usb34", "mixer.in5"),
                    ("mixer.mon", "face.usb-in"),
                    ("face.phones", "ears.in"),
                    ("mixer.out", "enc.in"),
                    ("mixer.out", "rec.in"),
                    ("app.out", "mixer.in2"),
                    ("app.far", "far-app.far-in"),
                    ("far-app.out", "far-face.usb-in"),
                    ("far-face.phones", "far-ears.in"),
                    ("far-mic.out", "far-face.in1"),
                    ("far-face.usb1", "far-app.mic"),
                    ("far-app.far", "app.far-in"),
                )
            ],
        }
    )


class TestTwoDesks:
    def test_each_sends_what_is_its_own(self) -> None:
        """Two desks that feed each other: cut at both ends there is neither a loop nor an echo (common practice), and each is heard once."""
        show = two_rooms()
        plan = planned(show)
        assert plan.whole
        mixes = {(mix.device, mix.listeners, mix.last): mix for mix in plan.mixes}
        assert mixes["desk", ("rep",), False].inputs == ("in1",)
        assert mixes["ob", ("host", "stream"), False].inputs == ("in1",)
        done = analyse(plan.after.show)
        assert not [row for row in done.findings if row.code.startswith("loop-")]
        assert done.feeds["stream", "host"].verdict in ("heard", "quiet")
        assert not done.feeds["stream", "host"].twice
        assert done.feeds["host", "host"].verdict == done.feeds["rep", "rep"].verdict == "local"

    def test_the_programme_keeps_its_middle(self) -> None:
        """The free send goes out, rather than the reporter on one side of the stream."""
        plan = planned(two_rooms())
        out = next(mix for mix in plan.mixes if mix.device == "desk" and not mix.last)
        assert out.bus.id == "send1"
        assert not plan.after.show.device("desk").settings.get("in5", Setting()).pan

    def test_where_there_is_no_send_it_goes_to_one_side(self) -> None:
        """The pan pot as a router: somebody heard on one side is better than an echo."""
        show = two_rooms()
        bare = show.with_(
            devices=tuple(row.with_(kind="desk-stereo") if row.kind == "desk-8" else row for row in show.devices)
        )
        bare = bare.with_(
            cables=tuple(
                row.with_(source="desk.main-out") if row.source == "desk.usb" else row
                for row in bare.cables
                if row.target != "enc.in"
            )
        )
        plan = planned(bare)
        assert plan.made
        assert plan.after.show.device("desk").settings["in5"].pan == 1.0
        assert plan.after.feeds["rep", "rep"].verdict == "local"
        assert plan.after.feeds["host", "host"].verdict == "local"


class TestSoftware:
    def test_mix_minus_in_the_computer(self) -> None:
        """Common practice: the call gets a send without its own return, the host's headphones the return without the host, the programme both,
        and the monitor mix comes off the software's inputs.
        """
        show = kitchen()
        assert "loop-howls" in {row.code for row in analyse(show).findings}
        plan = planned(show)
        assert plan.unmet == ()
        mixes = {mix.listeners: mix for mix in plan.mixes if mix.device == "mixer"}
        assert mixes["far",].inputs == ("in1",)
        assert mixes["far",].moved == (("mixer.send1", "app.mic"),)
        assert mixes["host",].inputs == ("in2",)
        assert set(mixes["stream", "tape"].inputs) == {"in1", "in2"}
        done = analyse(plan.after.show)
        assert not [row for row in done.findings if row.stage == "Feeds" and row.severity != "note"]
        assert done.feeds["host", "host"].verdict == "local"
        assert planned(plan.after.show).edits == ()

    def test_direct_monitoring_is_at_once(self) -> None:
        """A converter each way, about 1 ms, is what people call without delay; through the computer it is late."""
        show = kitchen()
        data = show.model_dump(mode="json", by_alias=True)
        data["cables"] = [row for row in data["cables"] if row["from"] not in ("mixer.mon", "face.usb34")]
        feed = analyse(Show.model_validate(data)).feeds["host", "host"]
        assert feed.verdict == "local"
        assert 1.0 < (feed.delay_ms or 0.0) < 3.0


def test_no_mix_is_plugged_into_a_player_whose_music_has_a_track() -> None:
    """A player's own disk is no socket for a mix: plugged there, the mix would go round."""
    show = Show.model_validate(
        {
            "parties": [
                {"id": "song", "name": "Song", "kind": "player", "speaks": True, "plays_on": "play.out"},
                {"id": "live", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
                {"id": "t1", "name": "Track 1", "kind": "recorder", "listens": True, "hears_on": "rec.track1"},
                {"id": "t2", "name": "Track 2", "kind": "recorder", "listens": True, "hears_on": "rec.track2"},
            ],
            "devices": [
                {"id": "lap", "kind": "laptop"},
                {"id": "play", "kind": "player-program", "host": "lap"},
                {"id": "mix", "kind": "soft-mixer", "host": "lap"},
                {"id": "enc", "kind": "stream-encoder", "host": "lap"},
                {"id": "rec", "kind": "multitrack", "host": "lap"},
            ],
            "cables": [
                {"from": "play.out", "to": "mix.in5"},
                {"from": "mix.out", "to": "enc.in"},
                {"from": "play.out.l", "to": "rec.in1"},
                {"from": "play.out.r", "to": "rec.in2"},
            ],
            "wants": [{"listener": t, "voice": "song", "want": "hear"} for t in ("t1", "t2")],
        }
    )
    plan = plan_feeds(show, shipped_catalogue())
    after = apply_all(show, plan.edits)
    assert not [row for row in after.cables if row.target_device == "play"]
    assert not [row for row in analyse(after).findings if row.code in ("half-lost", "loop-howls")]
