"""Talkback through the air to air: against the distance law by hand, and against the same rig with the key left down, as Feeds hears it."""

from __future__ import annotations

import math
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.figures import number
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.report.talk import proof_words
from kymaphon.core.talk.proofs import air_proofs
from kymaphon.core.talk.through_air import through_air
from kymaphon.files.demo import EVENING, FINAL, demo_path
from kymaphon.files.show_file import read_show
from tests.core.talk.rigs import row, van


def cue_loudspeaker(metres: float, volume: float = -10.0, kind: str = "dynamic-close") -> Show:
    """A talkback box with a loudspeaker so far from the presenter's open microphone."""

    def change(rows: dict[str, Any]) -> None:
        row(rows, "devices", "mic")["kind"] = kind
        row(rows, "devices", "mic")["at_m"] = [2, 2.15]
        rows["devices"].append(
            {
                "id": "wall",
                "kind": "talk-speaker",
                "place": "studio",
                "at_m": [2 + metres, 2.15],
                "settings": {"volume": {"gain_db": volume}},
            }
        )
        rows["cables"] = [one for one in rows["cables"] if one["from"] != "panel.out3"]
        rows["cables"].append({"from": "panel.out3", "to": "wall.line-in"})
        rows["circuits"].append(
            {
                "id": "cue",
                "name": "Cue",
                "members": [
                    {"party": "dee", "key": "panel.talk3"},
                    {"party": "ann", "hears_on": "wall.", "speaks": False},
                ],
            }
        )

    return van(change)


def to_air(show: Show) -> float:
    """So far under who is on air the director comes while the key is down."""
    (found,) = (one for one in analyse(show).once(through_air) if (one.circuit, one.target) == ("cue", "air"))
    return found.under_db


class TestLevel:
    def test_it_is_what_feeds_hears_with_that_key_left_down(self) -> None:
        """One question of one rig: the key down for a moment, or as a setting."""
        show = cue_loudspeaker(0.8)
        left = apply_all(show, [SetValue(SettingRef("panel", "talk3", "on"), True)])
        feeds = analyse(left).feeds
        dee, ann = feeds["air", "dee"].gain_db, feeds["air", "ann"].gain_db
        assert dee is not None
        assert ann is not None
        assert to_air(show) == pytest.approx(ann - dee, abs=0.1)

    def test_a_decibel_of_volume_is_a_decibel_on_air(self) -> None:
        assert to_air(cue_loudspeaker(0.8, -16)) - to_air(cue_loudspeaker(0.8, -10)) == pytest.approx(6, abs=0.05)

    def test_twice_as_far_is_no_more_than_the_distance_law(self) -> None:
        """20 lg 2 in the free field (ISO 9613-2); in a room less, since its sound stays."""
        fall = to_air(cue_loudspeaker(1.2)) - to_air(cue_loudspeaker(0.6))
        assert 0 < fall <= 20 * math.log10(2) + 1.0

    def test_somebody_by_telephone_is_no_leak(self) -> None:
        def change(rows: dict[str, Any]) -> None:
            rows["circuits"].append(
                {
                    "id": "tel",
                    "name": "Telephone",
                    "members": [{"party": "dee", "by": "telephone"}, {"party": "ann", "by": "telephone"}],
                }
            )

        assert not [one for one in analyse(van(change)).once(through_air) if one.circuit == "tel"]


class TestFinding:
    def test_the_words_the_finding_and_the_proof_say_the_same_level(self) -> None:
        report = analyse(cue_loudspeaker(0.8))
        (found,) = (one for one in report.findings if one.code == "talk-through-air")
        under = found.figures[0].value
        assert found.severity == ("stop" if under < number("air-leak-stop") else "fix")
        assert set(found.subjects) >= {"dee", "air", "wall", "mic", "cue"}
        assert f"{under:.1f} dB under Ann" in found.message
        (proof,) = (one for one in report.once(air_proofs) if (one.circuit, one.speaker) == ("cue", "dee"))
        assert proof.proven, "by wire it gets nowhere"
        assert proof_words(report, proof).startswith("reaches Air through the air by ")
        assert f"{under:.1f} dB under Ann; by wire never to air" in proof_words(report, proof)

    def test_what_is_offered_ends_it(self) -> None:
        report = analyse(cue_loudspeaker(0.8))
        (found,) = (one for one in report.findings if one.code == "talk-through-air")
        for remedy in offers_of(report, found).remedies:
            after = analyse(remedy.apply(report.show))
            assert not [one for one in after.findings if one.code == "talk-through-air"], remedy.label

    @pytest.mark.parametrize("shut", [True, False])
    def test_a_microphone_that_is_shut_takes_nothing_to_air(self, *, shut: bool) -> None:
        show = apply_all(cue_loudspeaker(0.8), [SetValue(SettingRef("desk", "in21", "mute"), shut)])
        found = [one for one in analyse(show).findings if one.code == "talk-through-air"]
        assert bool(found) is not shut

    def test_a_private_circuit_that_comes_across_the_room_is_worth_a_note(self) -> None:
        show = cue_loudspeaker(0.8)
        private = apply_all(show, [SetField("circuits", "cue", "private", True)])
        eve = {"id": "eve", "name": "Eve", "kind": "guest", "place": "studio", "at_m": [5, 3], "listens": True}
        rows = private.model_dump(mode="json", by_alias=True, exclude_none=True)
        rows["parties"].append(eve)
        found = [one for one in analyse(Show.model_validate(rows)).findings if one.code == "talk-through-air"]
        assert {one.severity for one in found if "eve" in one.subjects} <= {"note"}

    def test_the_evening_has_none_and_the_final_that_of_its_panels(self) -> None:
        assert not analyse(read_show(demo_path(EVENING))).once(through_air)
        rows = [
            one
            for one in analyse(read_show(demo_path(FINAL))).findings
            if one.code == "talk-through-air" and one.severity == "stop"
        ]
        assert len(rows) == 1
        assert "Wren's panel" in rows[0].message
