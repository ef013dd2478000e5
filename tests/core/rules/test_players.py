"""Players that run on, and what ducking reaches: facts of the trade, with the sums by hand."""

from __future__ import annotations

from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.processing import Ducker
from kymaphon.core.model.references import ShowProblem, check_references
from kymaphon.core.model.show import Setting, Show
from tests.core.rigs import STUDIO, VOICE, dev, of_code, rig, wire

STREAM = {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"}
SONG = {"id": "song", "name": "Song", "kind": "player", "speaks": True, "plays_on": "deck.disc"}
OTHER = {"id": "other", "name": "Other", "kind": "player", "speaks": True, "plays_on": "pc.sound"}


def box(
    *,
    mute: bool = False,
    deck: str = "player-run-on",
    single: bool | None = None,
    duck: bool = False,
    **more: Any,
) -> Show:
    """A voice and a record on a streaming box, and music of the computer beside them."""
    settings = {"in1": {"gain_db": 34, "phantom": True}, "ducking": {"on": duck}, "usb-in>main": {"on": True}}
    armed = {} if single is None else {"single": {"on": single}}
    plays = {**SONG, "plays_on": "deck.disc" if deck != "player" else "deck.out"}
    return rig(
        [
            dev("mic", "condenser-broad", at_m=[1.2, 1]),
            dev("box", "stream-box", host="pc", settings=settings),
            dev("deck", deck, name="Deck", settings=armed),
            dev("pc", "laptop"),
            dev("enc", "stream-encoder", host="pc"),
        ],
        [
            wire("mic.out", "box.in1"),
            wire("deck.out", "box.music"),
            wire("pc.usb-out", "box.usb-in"),
            wire("box.usb", "enc.in"),
        ],
        [VOICE, plays, OTHER, STREAM],
        places=[{**STUDIO, "speakers_mute": mute}],
        **more,
    )


class TestRunsOn:
    """Common practice of studios: single-track play armed; the next record under an interview is the classic disaster."""

    def test_one_that_goes_on_under_an_open_microphone_is_found(self) -> None:
        (row,) = of_code(box(), "player-runs-on")
        assert row.severity == "note"
        assert "Deck goes on into the next piece by itself" in row.message
        assert "Mira" in row.message

    def test_where_the_loudspeakers_are_muted_nobody_hears_it_and_it_is_to_be_mended(self) -> None:
        (row,) = of_code(box(mute=True), "player-runs-on")
        assert row.severity == "fix"
        assert "Studio the loudspeakers are muted" in row.message

    def test_the_remedy_arms_it_and_then_it_is_gone(self) -> None:
        show = box(mute=True)
        (row,) = of_code(show, "player-runs-on")
        remedy = offers_of(analyse(show), row).remedies[0]
        after = remedy.apply(show)
        assert after.device("deck").settings["single"].on is True
        assert not of_code(after, "player-runs-on")

    @pytest.mark.parametrize("show", [box(single=True), box(deck="player")])
    def test_one_that_stops_by_itself_is_not(self, show: Show) -> None:
        assert not of_code(show, "player-runs-on")

    def test_nor_one_whose_fader_is_down_or_that_plays_where_nobody_talks(self) -> None:
        down = apply_all(box(), (SetValue(SettingRef("box", "music-knob", "gain_db"), -60.0),))
        shut = apply_all(box(), (SetValue(SettingRef("box", "in1", "mute"), True),))
        assert not of_code(down, "player-runs-on")
        assert not of_code(shut, "player-runs-on")

    def test_only_a_player_that_runs_on_can_be_armed(self) -> None:
        show = box()
        wrong = show.with_(
            devices=tuple(
                row.with_(settings={"single": Setting(on=True)}) if row.id == "enc" else row for row in show.devices
            )
        )
        with pytest.raises(ShowProblem, match="has no single"):
            check_references(wrong, shipped_catalogue())


class TestDucking:
    def test_how_far_it_dips_and_what_goes_round_it(self) -> None:
        """By hand: music level less the depth of the box (12 dB), against the voice at the same end."""
        show = box(duck=True)
        analysis = analyse(show)
        (row,) = of_code(show, "ducking-reaches")
        voice, song, other = (analysis.feeds["stream", name].level_db for name in ("mira", "song", "other"))
        dipped = voice - song + 12.0
        side = "under" if dipped >= 0 else "over"
        assert f"Song dips by 12.0 dB, to {abs(dipped):.1f} dB {side} the talk" in row.message
        gap = voice - other
        assert (
            f"Other goes round it and stays {abs(gap):.1f} dB {'under' if gap >= 0 else 'over'} the talk" in row.message
        )
        assert "20.0 dB under it are wanted" in row.message

    def test_without_a_ducker_nothing_is_said(self) -> None:
        assert not of_code(box(), "ducking-reaches")

    def test_where_all_music_dips_far_enough_nothing_is_wrong(self) -> None:
        """WCAG 2.2, 1.4.7: background 20 dB under speech."""
        show = box(duck=True)
        quiet = apply_all(
            show,
            (
                SetValue(SettingRef("box", "music-knob", "gain_db"), -40.0),
                SetValue(SettingRef("box", "usb-in>main", "on"), False),
            ),
        )
        assert not of_code(quiet, "ducking-reaches")

    def test_a_ducker_in_a_strip_counts_by_its_own_depth(self) -> None:
        kinds = [
            dev("mix", "soft-mixer", host="pc"),
            dev("pc", "laptop"),
            dev("deck", "player-program", host="pc"),
            dev("mic", "usb-microphone", host="pc", at_m=[1.2, 1]),
            dev("enc", "stream-encoder", host="pc"),
        ]
        show = rig(
            kinds,
            [wire("mic.usb", "mix.in1"), wire("deck.out", "mix.in5"), wire("mix.out", "enc.in")],
            [VOICE, SONG, STREAM],
        )
        chain = (Ducker(depth_db=6.0),)
        mix = show.device("mix").with_(settings={"in5": Setting(chain=chain)})
        ducked = apply_all(show, (SetField("devices", "mix", "settings", mix.settings),))
        (row,) = of_code(ducked, "ducking-reaches")
        assert "Song dips by 6.0 dB" in row.message
