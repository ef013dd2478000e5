"""What differs between two states of a show: every edit that can be made is told, and nothing else."""

from __future__ import annotations

import pytest

from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.changes import changes
from kymaphon.core.model.edits import AddRow, Edit, RemoveRow, SetField, SetValue, SetWant, Unplug
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.model.talk import Circuit

KINDS = shipped_catalogue()


def test_nothing_differs_from_itself(demo: Show) -> None:
    assert changes(demo, demo, KINDS) == ()
    assert changes(demo, Show.model_validate(demo.model_dump(by_alias=True)), KINDS) == ()


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (SetValue(SettingRef("desk", "in1", "gain_db"), 33.0), "Desk, channel 1, gain: +33.0 dB there, +42.0 dB here."),
        (
            SetValue(SettingRef("desk", "in5>send1", "on"), False),
            "Desk, channel 5 to send 1, switch: off there, on here.",
        ),
        (SetField("show", None, "title", "Quay"), "Title: Quay there, Lantern Quay here."),
        (SetField("places", "boathouse", "ambient_dba", 28.0), "Boathouse studio, room noise: 28 there, 34 here."),
        (SetField("parties", "mira", "name", "Mirabel"), "Mira, name: Mirabel there, Mira here."),
        (
            Unplug("mic-mira.out", "desk.in1"),
            "Cable Mira's microphone, output to Desk, channel 1 is here and not there.",
        ),
        (SetWant("ferry", "tam", "never"), "What Ferry should hear of Tam, want: never there, hear here."),
        (RemoveRow("devices", "booster"), "is here and not there."),
        (SetField("", None, "fixed_channels", ("desk.in2",)), "Fixed channels: desk.in2 there, none here."),
        (AddRow("circuits", Circuit(id="cue", name="Cue")), "Circuit Cue is there and not here."),
    ],
)
def test_one_edit_is_told_in_a_sentence(demo: Show, edit: Edit, words: str) -> None:
    there = edit.apply(demo)
    rows = changes(demo, there, KINDS)
    assert any(words in row for row in rows), rows
    back = changes(there, demo, KINDS)
    assert len(back) == len(rows)
    assert back != rows
