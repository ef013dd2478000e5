"""What a knob moves, by turning it: the listeners whose level changes are those that are named, and no others."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.graph.routing import goes_astray
from kymaphon.core.model.catalogue import Kind, shipped_catalogue
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.wiring.controls import is_on, reaches, touches
from kymaphon.core.wiring.plugging import inserted, moved, plug, same_sockets, settings_along, taken_out
from tests.core.rigs import VOICE, dev, of_code, rig, wire

KINDS = shipped_catalogue()
KNOBBED = [kind for kind in KINDS if kind.controls]


def _everything(kind: Kind) -> Show:
    """Somebody plays into every input of a device, and somebody listens at every output of it."""
    devices, cables, parties = [dev("box", kind.id)], [], []
    for port in kind.inputs:
        if port.domain == "acoustic":
            continue
        parties.append(
            {
                "id": f"voice-{port.id}",
                "name": f"Voice {port.id}",
                "kind": "player",
                "speaks": True,
                "plays_on": f"box.{port.id}",
            }
        )
    for port in kind.outputs:
        if port.domain == "acoustic":
            continue
        ear = "recorder" if port.domain == "digital" else "headphones"
        devices.append(dev(f"ear-{port.id}", ear))
        cables.append(wire(f"box.{port.id}", f"ear-{port.id}.in"))
        parties.append(
            {
                "id": f"who-{port.id}",
                "name": f"Who {port.id}",
                "kind": "guest",
                "listens": True,
                "hears_on": f"ear-{port.id}",
            }
        )
    return rig(devices, cables, parties)


@pytest.mark.parametrize("kind", KNOBBED, ids=lambda kind: kind.id)
def test_turning_a_knob_changes_what_it_is_said_to_change(kind: Kind) -> None:
    show = _everything(kind)
    before = analyse(show)
    heard: set[str] = set()
    named: set[str] = set()
    for reach in reaches(before, show.device("box")):
        low, high = reach.control.gain_db
        value = reach.control.default_gain_db
        other = value - 7 if value - 7 >= low else min(value + 7, high)
        after = analyse(SetValue(SettingRef("box", reach.control.id, "gain_db"), other).apply(show))
        changed = set()
        for party in before.listeners:
            for node in before.graph.ears[party.id]:
                one, two = before.flow.power[node], after.flow.power[node]
                if (abs(one - two) > 1e-9 * (one + two)).any():
                    changed.add(party.name)
        assert changed <= set(reach.who), reach.control.name
        heard |= changed
        named |= set(reach.who)
    # Where anybody is named at all, some knob is heard by somebody.
    assert bool(heard) == bool(named)


def test_a_knob_that_also_turns_the_stream_is_told_and_the_safe_one_named() -> None:
    """A monitor knob that also turns down what the stream gets; a headphone knob that changes nothing on air."""
    stream = {"id": "air", "name": "Air", "kind": "audience", "listens": True, "hears_on": "enc"}
    show = rig(
        [
            dev("mic", "dynamic-close"),
            dev("box", "stream-box", power="adaptor", settings={"in1": {"gain_db": 45}}),
            dev("enc", "stream-encoder"),
        ],
        [wire("mic.out", "box.in1"), wire("box.usb", "enc.in")],
        [VOICE, stream],
    )
    found = of_code(show, "control-on-air")
    assert [row.subjects[1] for row in found] == ["box.monitor-knob"]
    assert "also turns what Air gets" in found[0].message
    assert "Turn Headphones instead" in found[0].message
    after = found[0].remedies[0].apply(show)
    assert after.tasks[0].text.startswith("Hands off on air")


def test_a_record_slider_that_is_down_silences_the_recording() -> None:
    tape = {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"}
    show = rig(
        [
            dev("mic", "dynamic-close"),
            dev(
                "box",
                "stream-box",
                power="adaptor",
                settings={"in1": {"gain_db": 45}, "record-slider": {"gain_db": -60}},
            ),
            dev("rec", "recorder"),
        ],
        [wire("mic.out", "box.in1"), wire("box.usb", "rec.in")],
        [VOICE, tape],
    )
    found = of_code(show, "control-down")[0]
    assert found.severity == "stop"
    level = analyse(show).flow.level("rec.in.l")
    mended = analyse(found.remedies[0].apply(show)).flow.level("rec.in.l")
    assert level is not None
    assert mended is not None
    assert mended - level == pytest.approx(60)


def test_a_processor_that_cannot_be_switched_is_on() -> None:
    kind = KINDS["conference-app"]
    device = rig([dev("app", "conference-app", settings={"suppress": {"on": False}})], []).device("app")
    states = {row.id: is_on(device, row) for row in kind.processors}
    assert states == {
        "suppress": False,
        "echo": True,
        "rider": True,
        "far-rider": True,
        "far-echo": True,
        "share-suppress": False,
    }
    assert is_on(device, kind.processors[0].model_copy(update={"fixed": True}))


class TestPlugging:
    SHOW = rig(
        [
            dev("mic", "dynamic-close"),
            dev(
                "desk",
                "desk-8",
                settings={"in1": {"gain_db": 40, "fader_db": -5, "pan": 0.3}, "in1>send1": {"on": True, "gain_db": -3}},
            ),
            dev("other", "desk-8"),
        ],
        [
            wire("mic.out", "desk.in1", length_m=7, label="M"),
            wire("desk.main-out.l", "other.in5", adapter="xlr-jack"),
            wire("desk.main-out.r", "other.in6", adapter="xlr-jack"),
        ],
    )

    def _apply(self, *edits: object) -> Show:
        show = self.SHOW
        for edit in edits:
            show = edit.apply(show)  # type: ignore[attr-defined]
        return show

    def test_something_put_between_keeps_the_length_and_the_label(self) -> None:
        cable = self.SHOW.cables[0]
        show = self._apply(*inserted(self.SHOW, KINDS, [cable], "pad-10", "Pad"))
        first, second = (row for row in show.cables if "pad-10" in row.source or "pad-10" in row.target)
        assert (first.ends, first.length_m, first.label) == (("mic.out", "pad-10.in"), 7, "M")
        assert second.ends == ("pad-10.out", "desk.in1")
        assert show.device("pad-10").place == "studio"

    def test_a_pair_goes_through_one_box_of_two(self) -> None:
        pair = list(self.SHOW.cables[1:])
        show = self._apply(*inserted(self.SHOW, KINDS, pair, "isolator-pair", "Isolator"))
        ends = {row.ends for row in show.cables}
        assert ("isolator-pair.out.l", "other.in5") in ends
        assert ("isolator-pair.out.r", "other.in6") in ends
        with pytest.raises(ValueError, match="cannot stand between"):
            inserted(self.SHOW, KINDS, pair, "isolator-line", "Isolator")
        with pytest.raises(ValueError, match="cannot stand between"):
            inserted(self.SHOW, KINDS, pair[:1], "usb-hub", "Hub")

    def test_taken_out_again_it_is_as_it_was(self) -> None:
        show = self._apply(*inserted(self.SHOW, KINDS, [self.SHOW.cables[0]], "pad-10", "Pad"))
        edits = taken_out(show, KINDS, show.device("pad-10"))
        assert edits is not None
        for edit in edits:
            show = edit.apply(show)
        assert {row.ends for row in show.cables} == {row.ends for row in self.SHOW.cables}
        assert show.devices == self.SHOW.devices
        assert taken_out(self.SHOW, KINDS, self.SHOW.device("desk")) is None

    def test_what_is_plugged_into_itself_stays(self) -> None:
        show = rig([dev("booster", "booster-inline")], [wire("booster.out", "booster.in")])
        assert taken_out(show, KINDS, show.device("booster")) is None

    def test_a_plug_moved_takes_its_channel_along(self) -> None:
        target, into = end_of(self.SHOW, KINDS, "desk.in1"), end_of(self.SHOW, KINDS, "desk.in3")
        show = self._apply(*moved(self.SHOW, KINDS, self.SHOW.cables[0], "desk.in3"), *settings_along(target, into))
        desk = show.device("desk")
        assert (desk.settings["in3"].fader_db, desk.settings["in3"].pan) == (-5, 0.3)
        assert (desk.settings["in3>send1"].on, desk.settings["in3>send1"].gain_db) == (True, -3)
        assert "gain_db" not in {name for name, value in desk.settings["in3"] if value is not None}
        cable = next(row for row in show.cables if row.target == "desk.in3")
        assert (cable.length_m, cable.label) == (7, "M")

    def test_a_cable_gets_the_adapter_that_it_takes(self) -> None:
        assert plug(self.SHOW, KINDS, "mic.out", "desk.in5").cable.adapter == "xlr-jack"
        assert plug(self.SHOW, KINDS, "mic.out", "desk.in2").cable.adapter is None

    def test_kinds_that_can_take_each_others_place(self) -> None:
        assert same_sockets(KINDS["dynamic-close"], KINDS["condenser-slim"])
        assert not same_sockets(KINDS["dynamic-close"], KINDS["usb-microphone"])
        assert same_sockets(KINDS["desk-1-send"], KINDS["desk-8"])


def _turned(show: Show, ref: SettingRef, value: float) -> set[str]:
    """The listeners for whom a voice changes by a tenth of a decibel when one setting is turned: the show analysed anew. What only
    leaks out of headphones into open microphones, and what nobody hears, is left out.
    """
    before, after = analyse(show, remedies=False), analyse(SetValue(ref, value).apply(show), remedies=False)
    changed = set()
    for (listener, voice), feed in before.feeds.items():
        if feed.path is None or goes_astray(feed.path) or feed.verdict in ("silent", "missing"):
            continue
        column = before.flow.voices.index(voice)
        for node in before.graph.ears[listener]:
            one, two = (float(state.flow.power[node, column]) for state in (before, after))
            if abs(one - two) > 0.0115 * (one + two):
                changed.add(before.party_name(listener))
    return changed


class TestTouches:
    """Which knobs may be touched on air: held against turning each of them."""

    def box(self) -> Show:
        people = [
            {**VOICE, "listens": True, "hears_on": "cans"},
            {"id": "song", "name": "Song", "kind": "player", "speaks": True, "plays_on": "deck.out"},
            {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
        ]
        return rig(
            [
                dev("mic", "condenser-broad", at_m=[1.2, 1]),
                dev("box", "stream-box", host="pc", settings={"in1": {"gain_db": 30, "phantom": True}}),
                dev("deck", "player"),
                dev("cans", "headphones"),
                dev("pc", "laptop"),
                dev("enc", "stream-encoder", host="pc"),
            ],
            [
                wire("mic.out", "box.in1"),
                wire("deck.out", "box.music"),
                wire("box.usb", "enc.in"),
                wire("box.phones", "cans.in"),
            ],
            people,
        )

    def test_each_is_heard_by_those_who_are_named(self) -> None:
        show = self.box()
        rows = touches(analyse(show, remedies=False))
        for row in rows:
            down = row.now - 6 if row.now - 6 >= row.lowest else row.now + 6
            assert _turned(show, row.ref, down) == set(row.who), row.label

    def test_input_gains_are_among_them(self) -> None:
        labels = {row.label: row for row in touches(analyse(self.box(), remedies=False))}
        gain = next(row for label, row in labels.items() if label.endswith("microphone 1, gain"))
        assert gain.air == ("Stream",)
        assert gain.words().startswith("on air: Mira, Stream")

    def test_common_practice_headphones_may_be_touched_the_monitor_knob_of_this_box_may_not(self) -> None:
        rows = {row.label.rpartition(", ")[2]: row for row in touches(analyse(self.box(), remedies=False))}
        assert rows["Headphones"].words() == "may be touched: only Mira"
        assert rows["Monitor"].air == ("Stream",)

    def test_what_nothing_passes_is_left_out(self) -> None:
        labels = [row.label for row in touches(analyse(self.box(), remedies=False))]
        assert not [label for label in labels if "microphone 2" in label]
        assert touches(analyse(rig([dev("desk", "desk-8")], []))) == ()

    def test_on_the_demo_too(self, demo: Show) -> None:
        """Of a whole outside broadcast, forty knobs: nobody hears one turned who is not named."""
        rows = touches(analyse(demo, remedies=False))
        assert len(rows) > 40
        for row in rows[:: max(1, len(rows) // 8)]:
            down = row.now - 6 if row.now - 6 >= row.lowest else row.now + 6
            assert _turned(demo, row.ref, down) <= set(row.who), row.label
