"""Where a line-up turns, what a player plays, and where a microphone is put: facts of the trade, and sums by hand."""

from __future__ import annotations

from itertools import pairwise

import pytest

from kymaphon.core.acoustics.cast import sound_of
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.lineup.plan import line_up
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.placement.placing import best_of, comfortable_m
from tests.core.rigs import MUSIC, TAPE, VOICE, dev, rig, wire
from tests.core.rooms import person, room
from tests.core.wiring.test_supply_legs_tone import own


def player(socket_dbu: float | None, **party: object) -> Show:
    """Music from a player into a desk and a recorder."""
    kind = own("player", "my-player", out={"nominal_dbu": socket_dbu})
    song = {**MUSIC, "plays_on": "disc.out", **party}
    return rig(
        [dev("disc", "my-player"), dev("desk", "desk-8"), dev("rec", "recorder")],
        [
            wire("disc.out.l", "desk.in7", adapter="jack-phono"),
            wire("disc.out.r", "desk.in8", adapter="jack-phono"),
            wire("desk.usb", "rec.in"),
        ],
        [song, TAPE],
        kinds=[kind],
    )


def played(show: Show) -> tuple[float, str]:
    analysis = analyse(show)
    _, level = analysis.graph.mouths["song"]
    return level.value, level.unit


class TestPlayers:
    def test_a_player_plays_at_the_level_that_its_socket_is_made_for(self) -> None:
        """-10 dBV is 20 lg(0.3162 / 0.7746) = -7.78 dBu (consumer line level); +4 dBu is the professional one."""
        assert played(player(-7.78))[0] == pytest.approx(-7.78, abs=0.01)
        assert played(player(4.0))[0] == pytest.approx(4.0, abs=0.01)

    def test_what_was_measured_goes_before(self) -> None:
        assert played(player(-7.78, level_dbu=-15.5))[0] == pytest.approx(-15.5)
        # 10 dB lower at the player is 10 dB lower at the tape.
        loud, soft = (analyse(player(-7.78, level_dbu=level)) for level in (-8.0, -18.0))
        ends = [row.ladder("song", "tape") for row in (loud, soft)]
        assert ends[0] is not None
        assert ends[1] is not None
        assert ends[0].last.speech_db - ends[1].last.speech_db == pytest.approx(10)


KINDS = {kind.id: kind for kind in shipped_catalogue()}
STANDING = [
    name
    for name, kind in KINDS.items()
    if kind.microphone is not None and kind.microphone.worn is None and kind.microphone.pattern != "close-talking"
]


class TestComfort:
    """Common practice: a hand's breadth or so from the lips, nearer behind a shield against breath, never nearer than made for."""

    @pytest.mark.parametrize("name", STANDING)
    def test_nothing_is_comfortable_at_the_lips_and_a_shield_brings_it_nearer(self, name: str) -> None:
        mic = KINDS[name].microphone
        assert mic is not None
        bare, shielded = (comfortable_m(KINDS[name], shield) for shield in ("none", "foam"))
        assert 0.05 <= shielded <= bare <= mic.farthest_m
        assert shielded >= mic.nearest_m - 1e-9

    @pytest.mark.parametrize("name", ["dynamic-close", "condenser-broad", "gun-short"])
    def test_the_louder_the_room_the_nearer_and_only_as_near_as_it_must(self, name: str) -> None:
        rows = []
        for ambient in (25, 35, 45, 55, 65):
            show = room([person("ann", 4.0, 3.0, 0)], [], ambient_dba=ambient)
            best = best_of(sound_of(show, shipped_catalogue(), "room"), 0, KINDS[name], "none")
            assert best is not None
            rows.append(best)
        metres = [row.metres for row in rows]
        assert all(far >= near - 0.011 for far, near in pairwise(metres)), metres
        assert metres[0] >= metres[-1]
        quiet = rows[0]
        assert quiet.reached
        assert quiet.discomfort == 0, "in a quiet room nothing is put in anybody's way"
        for row in rows:
            if not row.reached:
                assert row.metres <= max(quiet.comfort_m, metres[-1]) + 1e-9


GAIN = SettingRef("desk", "in1", "gain_db")


def two_gains(first: float, later: float) -> Show:
    """A voice whose level is off by what either of two gains could mend: the desk's input, or the mix's fader."""
    settings = {"in1": {"gain_db": first}, "main": {"fader_db": later}}
    return rig(
        [dev("mic", "dynamic-close", at_m=[1, 1.1]), dev("desk", "desk-8", settings=settings), dev("rec", "recorder")],
        [wire("mic.out", "desk.in1"), wire("desk.usb", "rec.in")],
        [VOICE, TAPE],
    )


@pytest.mark.parametrize("short", [6, 10, 14])
def test_what_is_too_soft_is_turned_up_where_it_comes_in(short: int) -> None:
    """Common practice: gain at the first stage, faders at their mark."""
    right = line_up(analyse(two_gains(40.0, 0.0)))
    gain = next(row.after for row in right.moves if row.turn.ref == GAIN)
    moves = {row.turn.ref: row.after for row in line_up(analyse(two_gains(gain - short, 0.0))).moves}
    assert moves == {GAIN: pytest.approx(gain, abs=1)}
