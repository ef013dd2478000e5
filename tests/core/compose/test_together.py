"""What belongs together, added in one step."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.compose.compose import compose
from kymaphon.core.compose.starts import starts
from kymaphon.core.compose.together import far_guest, headphones_for, usb_lead
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import Plug, apply_all
from kymaphon.core.model.show import Show

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
