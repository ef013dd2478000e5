"""What belongs together, added in one step."""

from __future__ import annotations

import math

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.compose.compose import compose
from kymaphon.core.compose.starts import starts
from kymaphon.core.compose.together import far_guest, headphones_for, heard_by, talker, usb_lead
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import Plug, apply_all
from kymaphon.core.model.show import Device, Show, Want

CATALOGUE = shipped_catalogue()
PODCAST = compose(starts()[0].answers).show
PHONE_IN = compose(starts()[2].answers).show


@pytest.mark.parametrize("by", ["call", "telephone"])
def test_a_guest_in_the_computer_comes_with_app_far_end_and_ears(by: str) -> None:
    after = apply_all(PODCAST, far_guest(PODCAST, CATALOGUE, "Dora", by))  # type: ignore[arg-type]
    dora = next(row for row in after.parties if row.name == "Dora")
    assert dora.kind == "remote"
    assert dora.hears_on is not None
    call = next(row for row in after.devices if row.kind == "conference-app" and "dora" in row.id)
    assert call.host == "laptop"
    into = {row.target: row.source for row in after.cables}
    assert [row.target for row in after.cables if row.source == f"{call.id}.out"]
    assert f"{call.id}.mic" not in into  # both sends of the small mixer are taken: the planner says what would do
    planned = apply_all(after, plan_feeds(after, CATALOGUE).edits)
    report = analyse(planned)
    assert report.feeds["ann", dora.id].verdict in ("heard", "quiet", "loud")


def test_a_guest_by_codec_hangs_on_the_desk() -> None:
    show = PHONE_IN.model_copy(
        update={"cables": tuple(c for c in PHONE_IN.cables if "caller-2" not in c.source + c.target)}
    )
    after = apply_all(show, far_guest(show, CATALOGUE, "Pier", "codec"))
    into = {row.target: row.source for row in after.cables}
    assert into["codec-pier.near-in"] == "desk.send2"
    assert next(row.target for row in after.cables if row.source == "codec-pier.near-out").startswith("desk.in")


def test_without_a_mixer_a_guest_far_away_is_refused_in_words() -> None:
    with pytest.raises(ValueError, match="no desk and no mixer program"):
        far_guest(Show(), CATALOGUE, "Dora", "call")


def test_headphones_are_what_their_owner_hears_on_and_a_laptops_socket_comes_last() -> None:
    edits = headphones_for(PODCAST, CATALOGUE, "ann", "earphones", "Spare pair")
    after = apply_all(PODCAST, edits)
    device = next(row for row in after.devices if row.name == "Spare pair")
    assert after.party("ann").hears_on == device.id
    lead = next(row for row in after.cables if row.target_device == device.id)
    assert lead.source == "interface.phones"
    bare = PODCAST.model_copy(
        update={"devices": tuple(row for row in PODCAST.devices if row.id != "interface"), "cables": ()}
    )
    after = apply_all(bare, headphones_for(bare, CATALOGUE, "ann", "headphones"))
    assert next(row for row in after.cables).source == "laptop.phones"


def test_one_usb_lead_plugs_all_channels_both_ways_and_no_voice_twice() -> None:
    cables = tuple(row for row in PODCAST.cables if "interface.usb" not in row.source + row.target)
    bare = PODCAST.model_copy(update={"cables": cables})
    after = apply_all(bare, usb_lead(bare, CATALOGUE, "interface"))
    into = {row.target: row.source for row in after.cables}
    assert into["mixer.in1"] == "interface.usb1"
    assert into["interface.usb-in"].startswith("mixer.")
    assert "interface.usb34" not in into.values()
    assert not [row for row in analyse(after).findings if row.code == "arrives-twice"]
    again = usb_lead(after, CATALOGUE, "interface")
    assert not [row for row in again if isinstance(row, Plug)]  # what is plugged is not plugged again


class TestTalker:
    def test_with_microphone_headphones_and_phantom_power(self) -> None:
        bare = PODCAST.model_copy(
            update={
                "cables": tuple(row for row in PODCAST.cables if "ben" not in row.source + row.target),
                "devices": tuple(row for row in PODCAST.devices if "ben" not in row.id),
                "parties": tuple(row for row in PODCAST.parties if "ben" not in row.id),
                "wants": (),
            }
        )
        place = bare.places[0].id
        edits = talker(bare, CATALOGUE, "Ben", place_id=place, microphone="condenser-tight", headphones="headphones")
        after = apply_all(bare, edits)
        ben = next(row for row in after.parties if row.name == "Ben")
        into = {row.target: row.source for row in after.cables}
        assert into["interface.in2"] == f"mic-{ben.id}.out"
        assert after.device("interface").settings["in2"].phantom is True
        assert into[f"{ben.hears_on}.in"] == "interface.phones"
        report = analyse(after)
        assert not [row for row in report.findings if row.severity == "stop" and ben.id in row.subjects]
        # Common practice, three to one: the other microphone is at least three times as far as one's own.
        mine, other = (after.device(f"mic-{name}").at_m for name in (ben.id, "ann"))
        assert ben.at_m is not None
        assert mine is not None
        assert other is not None
        assert math.dist(ben.at_m, other) >= 3 * math.dist(ben.at_m, mine)

    def test_in_a_show_with_nothing_in_it_there_is_a_room_then_and_what_cannot_be_plugged_stays_unplugged(self) -> None:
        edits = talker(Show(), CATALOGUE, "Ann", place_id=None, microphone="dynamic-close", headphones=None)
        after = apply_all(Show(), edits)
        assert [row.name for row in after.places] == ["Room"]
        assert [row.kind for row in after.devices] == ["dynamic-close"]
        assert not after.cables
        assert not after.parties[0].listens

    def test_who_says_what_they_hear_hears_the_newcomer_too_and_who_does_not_stays_with_the_role(self) -> None:
        silent = PODCAST.model_copy(update={"wants": ()})
        place = silent.places[0].id
        edits = talker(silent, CATALOGUE, "Dora", place_id=place, microphone=None, headphones=None)
        assert not apply_all(silent, edits).wants
        said = silent.model_copy(update={"wants": (Want(listener="guest", voice="ann", want="hear"),)})
        after = apply_all(said, talker(said, CATALOGUE, "Dora", place_id=place, microphone=None, headphones=None))
        dora = next(row.id for row in after.parties if row.name == "Dora")
        assert {(row.listener, row.voice) for row in after.wants} == {("guest", "ann"), ("guest", dora)}

    def test_who_is_far_away_lends_no_room_and_no_computer(self) -> None:
        """A guest far away was there first: the talker is not put beside them, and the interface hangs on the computer that is here."""
        devices = (
            Device(id="laptop", kind="laptop"),
            Device(id="mixer", kind="soft-mixer", host="laptop"),
            Device(id="face", kind="interface-2"),
        )
        show = Show(devices=devices)
        show = apply_all(show, far_guest(show, CATALOGUE, "Cy", "call"))
        assert sum(CATALOGUE[row.kind].is_computer for row in show.devices) == 2
        show = apply_all(show, usb_lead(show, CATALOGUE, "face"))
        assert show.device("face").host == "laptop"
        show = apply_all(
            show, talker(show, CATALOGUE, "Ann", place_id=None, microphone="dynamic-close", headphones="headphones")
        )
        ann, cy = (next(row for row in show.parties if row.name == name) for name in ("Ann", "Cy"))
        assert ann.place is not None
        assert ann.place != cy.place
        assert {row.place for row in show.devices if row.id in ("laptop", "mixer", "face")} == {ann.place}
        into = {row.target: row.source for row in show.cables}
        assert into["face.in1"].startswith("mic-ann")
        assert into[f"{ann.hears_on}.in"] == "face.phones"

    def test_an_unknown_microphone_is_refused(self) -> None:
        with pytest.raises(KeyError):
            talker(PODCAST, CATALOGUE, "Dora", place_id=None, microphone="abacus", headphones=None)


@pytest.mark.parametrize(
    ("kind", "sort"), [("recorder", "recorder"), ("stream-encoder", "audience"), ("multitrack", ""), ("desk-8", "")]
)
def test_an_encoder_and_a_recorder_come_with_whoever_hears_them(kind: str, sort: str) -> None:
    device = Device(id="box", kind=kind)
    rows = heard_by(PODCAST, device, CATALOGUE[kind])
    after = apply_all(PODCAST.model_copy(update={"devices": (*PODCAST.devices, device)}), rows)
    assert [row.kind for row in after.parties if row.hears_on == "box"] == ([sort] if sort else [])
