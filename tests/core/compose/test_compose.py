"""Composed shows: held against the rules as they stand, against the planner, and for three of them against what is done by hand."""

from __future__ import annotations

import math
import os

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.compose.again import recompose
from kymaphon.core.compose.compose import Composed, compose, plugged
from kymaphon.core.compose.starts import starts
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.model.answers import Answers, HaveAnswer, HearerAnswer, RoomAnswer, VoiceAnswer
from kymaphon.core.model.catalogue import Kind, shipped_catalogue
from tests.core.compose.random_answers import random_answers

CATALOGUE = shipped_catalogue()
SEEDS = int(os.environ.get("KYMAPHON_ANSWERS", "8"))
"""So many random answers; `bench/compose.py` runs five hundred."""


def answers(*names: str, far: int = 0, hears: tuple[HearerAnswer, ...] = (), **fields: object) -> Answers:
    voices = [VoiceAnswer(id=name.lower(), name=name) for name in names]
    voices += [VoiceAnswer(id=f"far-{n}", name=f"Far {n}", sort="remote") for n in range(1, far + 1)]
    return Answers.model_validate({"voices": voices, "hearers": hears, **fields})


def wrong(made: Composed) -> list[str]:
    """What the rules find to stop for or to fix in the show itself, asked anew."""
    return [row.message for row in analyse(made.show).findings if row.severity != "note"]


def gain(made: Composed, device: str, key: str) -> float | None:
    setting = made.show.device(device).settings.get(key)
    return setting.gain_db if setting is not None else None


RECORDING = HearerAnswer(sort="recording")
EACH = HearerAnswer(sort="recording", each=True)
STREAM = HearerAnswer(sort="stream")
EARS = HearerAnswer(sort="ears")


class TestNothingIsWrong:
    """The promise: no stop and no fix, whatever was answered."""

    @pytest.mark.parametrize("start", starts(), ids=lambda row: row.id)
    def test_each_starting_point(self, start) -> None:  # type: ignore[no-untyped-def]
        made = compose(start.answers)
        assert wrong(made) == []
        assert not [row for row in made.remarks if row.left_out]
        assert {row.name for row in start.answers.voices} <= {row.name for row in made.show.parties}

    @pytest.mark.parametrize("seed", range(2, 2 + SEEDS))
    def test_random_answers(self, seed: int) -> None:
        made = compose(random_answers(seed))
        assert wrong(made) == []
        here = {row.name for row in made.show.parties}
        out = {row.answer for row in made.remarks if row.left_out}
        for voice in random_answers(seed).voices:
            # Nobody goes without a word.
            unheard = voice.sort == "player" and not random_answers(seed).hearers
            assert voice.name in here or voice.id in out or unheard

    def test_composing_twice_gives_the_same(self) -> None:
        one, other = (compose(starts()[0].answers).show for _ in range(2))
        assert one == other


class TestByHand:
    """Three shows as somebody who knows the trade would set them up: gains, a mix-minus for each far end, tracks."""

    def test_podcast_with_a_guest_far_away(self) -> None:
        made = compose(answers("Ann", "Ben", far=1, hears=(EACH, EARS), have=(HaveAnswer(kind="interface-2"),)))
        show = made.show
        # Gain by hand: a talker of normal effort, 60 dBA at 1 m and some 3 dB more unweighted, at the spot that was found for the
        # microphone; its sensitivity; 0 dBFS at +12 dBu; the mark at -20 dBFS.
        kind = CATALOGUE["condenser-tight"]
        assert kind.microphone is not None
        device = show.device("mic-ann")
        assert device.at_m is not None
        away = math.dist(device.at_m, show.party("ann").at_m or (0.0, 0.0))
        level = 60 + 3 - 20 * math.log10(away) - 94 + kind.microphone.sensitivity_dbv_pa + 2.22
        by_hand = (12 - 20) - level
        set_to = gain(made, "interface", "in1")
        assert set_to is not None
        assert abs(set_to - by_hand) <= 4
        # Mix-minus by hand: the guest's send has both in the room and not the guest; the headphones' send has the guest alone.
        mixer = show.device("mixer").settings
        into = {row.target: row.source for row in show.cables}
        guest_send = into["call-far-1.mic"].split(".")[1]
        ears_send = into["interface.usb-in"].split(".")[1]
        on = {key for key, row in mixer.items() if row.on}
        assert {f"in1>{guest_send}", f"in2>{guest_send}"} <= on
        assert f"in3>{guest_send}" not in on
        assert f"in3>{ears_send}" in on
        assert not {f"in1>{ears_send}", f"in2>{ears_send}"} & on
        # Tracks by hand: one each, straight from the interface and from the call.
        assert [into[f"recorder.in{n}"] for n in (1, 2, 3)] == ["interface.usb1", "interface.usb2", "call-far-1.out"]
        assert {row.id for row in show.parties if row.kind == "recorder"} == {"track-ann", "track-ben", "track-far-1"}

    def test_phone_in_on_a_desk(self) -> None:
        made = compose(next(row for row in starts() if row.id == "phone-in").answers)
        show = made.show
        into = {row.target: row.source for row in show.cables}
        # Common practice: each caller on a line channel and a send of their own.
        sends = {into[f"codec-caller-{n}.near-in"] for n in (1, 2)}
        assert sends == {"desk.send1", "desk.send2"}
        channels = {row.source: row.target.split(".")[1] for row in show.cables}
        desk = show.device("desk").settings
        for n in (1, 2):
            send = into[f"codec-caller-{n}.near-in"].split(".")[1]
            mine, other = (channels[f"codec-caller-{k}.near-out"] for k in (n, 3 - n))
            assert not (f"{mine}>{send}" in desk and desk[f"{mine}>{send}"].on)
            assert desk[f"{other}>{send}"].on
            assert desk[f"in1>{send}"].on
            assert desk[f"in2>{send}"].on
        # The line and the recording get the main mix.
        assert into["station-line.in.l"] == "desk.main-out.l"
        assert into["recorder.in"] == "desk.usb"

    def test_song_over_a_backing_track(self) -> None:
        made = compose(next(row for row in starts() if row.id == "song").answers)
        show = made.show
        into = {row.target: row.source for row in show.cables}
        # Voice and player each on an input of their own, both on the stream; the singer hears the music from the computer and the own
        # voice at once.
        assert into["mixer.in1"] == "interface.usb1"
        assert into["mixer.in5"] == "player-backing.out"
        direct = show.device("interface").settings.get("in1>monitor")
        assert direct is None or direct.on is not False
        assert (
            made.report.feeds["stream", "singer"].verdict == made.report.feeds["stream", "backing"].verdict == "heard"
        )
        assert made.report.feeds["singer", "singer"].verdict == "local"


class TestAgainstThePlanner:
    @pytest.mark.parametrize("start", starts(), ids=lambda row: row.id)
    def test_the_plan_of_a_composed_show_changes_nobodys_verdict(self, start) -> None:  # type: ignore[no-untyped-def]
        plan = plan_feeds(compose(start.answers).show, CATALOGUE)
        assert not plan.changed
        assert not plan.howls
        assert not [row for row in plan.unmet if row.verdict in ("missing", "back", "unwanted")]


class TestWhatCannotBe:
    """Answers that cannot be meant: a sentence at the answer, and the rest composed."""

    def test_nobody_who_speaks(self) -> None:
        made = compose(answers(hears=(STREAM,)))
        assert any(row.question == "heard" and "Nobody speaks" in row.text for row in made.remarks)
        assert any(row.kind == "audience" for row in made.show.parties)

    def test_nobody_who_hears(self) -> None:
        made = compose(answers("Ann"))
        assert any(row.question == "hears" for row in made.remarks)
        assert wrong(made) == []

    def test_forty_far_away(self) -> None:
        made = compose(answers("Ann", far=40, hears=(RECORDING,)))
        assert sum(row.kind == "remote" for row in made.show.parties) == 7
        assert len([row for row in made.remarks if row.left_out]) == 33
        assert wrong(made) == []

    def test_kinds_that_do_not_exist(self) -> None:
        made = compose(answers("Ann", hears=(STREAM,), have=(HaveAnswer(kind="abacus"),)))
        row = next(row for row in made.remarks if row.question == "have")
        assert row.answer == "abacus"
        assert row.left_out

    def test_a_desk_with_no_free_input(self) -> None:
        rows = tuple(f"P{n}" for n in range(1, 7))
        made = compose(answers(*rows, hears=(HearerAnswer(sort="line"), EARS), have=(HaveAnswer(kind="desk-8"),)))
        row = next(row for row in made.remarks if row.question == "have")
        assert "4 microphone channels for 6" in row.text
        assert "takes it all" in row.text
        assert made.show.device("desk").kind == "desk-12-4"
        assert wrong(made) == []

    @pytest.mark.parametrize("size", [(0.0, 3.0), (-2.0, 4.0), (5000.0, 1.0)])
    def test_a_room_of_no_size(self, size: tuple[float, float]) -> None:
        made = compose(answers("Ann", "Ben", hears=(RECORDING,), rooms=(RoomAnswer(id="r", name="Shed", size_m=size),)))
        assert any("Shed" in row.text and "measures" in row.text for row in made.remarks)
        assert made.show.place("r").size_m == (5.0, 4.0)

    def test_an_interface_that_is_too_small_names_the_one_that_does(self) -> None:
        made = compose(answers("A", "B", "C", hears=(RECORDING,), have=(HaveAnswer(kind="interface-2"),)))
        row = next(row for row in made.remarks if row.question == "have")
        assert "2 inputs for 3" in row.text
        assert "four-input interface" in row.text

    def test_loudspeakers_beside_open_microphones_give_way_to_those_far_away(self) -> None:
        loud = HearerAnswer(sort="loudspeakers")
        made = compose(answers("Ann", far=1, hears=(RECORDING, loud)))
        assert any(row.answer == "loudspeakers" and row.left_out for row in made.remarks)
        assert not any(row.kind == "loudspeaker" for row in made.show.devices)
        studio = compose(answers("Ann", far=1, hears=(RECORDING, loud), rooms=(RoomAnswer(id="r", studio=True),)))
        assert any(row.kind == "loudspeaker" for row in studio.show.devices)


class TestSeats:
    @pytest.mark.parametrize("count", range(1, 7))
    def test_three_to_one_is_kept_and_nobody_is_in_a_wall(self, count: int) -> None:
        """Common practice: another microphone at least three times as far as one's own."""
        names = tuple(f"P{n}" for n in range(count))
        room = RoomAnswer(id="r", name="R", size_m=(5.0, 4.0))
        made = compose(answers(*names, hears=(RECORDING,), rooms=(room,)))
        mics = {row.party: row.at_m for row in made.show.devices if row.party and row.at_m}
        for party in (row for row in made.show.parties if row.place == "r"):
            assert party.at_m is not None
            assert 0 < party.at_m[0] < 5
            assert 0 < party.at_m[1] < 4
            own = mics.get(party.id)
            for name, at in mics.items():
                if own is not None and name != party.id:
                    assert math.dist(party.at_m, at) >= 3 * math.dist(party.at_m, own)


def test_what_is_there_is_used_and_what_is_missing_is_named() -> None:
    have = (HaveAnswer(kind="interface-4"), HaveAnswer(kind="dynamic-close", count=2), HaveAnswer(kind="laptop"))
    made = compose(answers("Ann", "Ben", hears=(EACH, EARS), have=have))
    kinds = [row.kind for row in made.show.devices]
    assert kinds.count("dynamic-close") == 2
    assert "interface-4" in kinds
    assert "interface-4" not in made.to_get
    assert made.to_get["headphones"] == 2
    # A moving coil at 0 dBFS for +18 dBu wants more than the 60 dB there are.
    assert made.to_get["booster-inline"] == 2


def own(kind: str, name: str) -> Kind:
    """A kind of somebody's own shelf, built like one that ships."""
    return CATALOGUE[kind].model_copy(update={"id": name, "name": name.capitalize()})


def test_kinds_of_the_own_shelf_are_taken_and_go_with_the_show() -> None:
    kinds = CATALOGUE.with_kinds(
        own("interface-2", "trusty"), own("condenser-tight", "faithful"), own("pad-10", "idle")
    )
    have = (HaveAnswer(kind="trusty"), HaveAnswer(kind="faithful"))
    asked = answers("Ann", "Ben", hears=(EACH, EARS), have=have)
    made = compose(asked, kinds)
    assert wrong(made) == []  # asked anew by the shipped catalogue and what the show carries
    assert {row.id for row in made.show.kinds} == {"trusty", "faithful"}
    taken = [row.kind for row in made.show.devices]
    assert taken.count("trusty") == taken.count("faithful") == 1
    assert "trusty" not in made.to_get
    # Other answers without them: they go, and nothing else is asked of whoever has no such shelf.
    after = recompose(made.show, asked.with_(have=()), kinds).show
    assert not [row for row in after.devices if row.kind in ("trusty", "faithful")]
    assert not after.kinds


class TestWhereNobodyHearsAProgramme:
    """A lesson, a rehearsal: only those in the room and far away hear each other. A recording gives all of them one mark."""

    def test_it_is_recorded_and_told_and_nobody_is_left_out(self) -> None:
        far = answers("Ann", "Ben", far=1, hears=(EARS,))
        voices = [VoiceAnswer(id=f"i{n}", name=f"I{n}", sort="instrument", microphone="guitar-passive") for n in (1, 2)]
        made = compose(far.with_(voices=(*far.voices, *voices)))
        assert wrong(made) == []
        assert not [row for row in made.remarks if row.left_out]
        assert any("a recording of the mix is in it" in row.text for row in made.remarks)
        assert [row.name for row in made.show.parties if row.kind == "recorder"] == ["Recording"]

    def test_what_is_answered_is_enough(self) -> None:
        made = compose(answers("Ann", far=1, hears=(STREAM, EARS)))
        assert not any(row.kind == "recorder" for row in made.show.parties)


def test_a_line_is_what_a_desk_is_lined_up_along_and_the_stream_behind_it_is_trimmed() -> None:
    """A station's line has no gain of its own: the channels put it on its mark, the interface behind the desk the stream on its."""
    made = compose(
        answers("Ann", "Ben", hears=(HearerAnswer(sort="line"), STREAM), have=(HaveAnswer(kind="desk-multi"),))
    )
    assert wrong(made) == []
    ladders = made.report.ladders
    for end in ("station", "stream"):
        for voice in ("ann", "ben"):
            marked = next(rung for rung in reversed(ladders[voice, end].rungs) if rung.wanted is not None)
            assert marked.wanted is not None
            assert marked.wanted.average is not None
            assert abs(marked.speech_db - marked.wanted.average) <= marked.wanted.tolerance_db
    assert made.report.main_ladders["ann"].target == "station"


def test_it_always_comes_to_an_end(monkeypatch: pytest.MonkeyPatch) -> None:
    """Even where everything is wrong whatever is done: everybody is left out with a word, or what is wrong is told."""
    from kymaphon.core.compose import compose as module

    monkeypatch.setattr(module, "PATIENCE", 0)
    crowded = answers(
        *(f"P{n}" for n in range(6)),
        hears=(HearerAnswer(sort="loudspeakers"),),
        rooms=(RoomAnswer(id="r", size_m=(2.5, 2.5)),),
    )
    made = compose(crowded)
    said = " ".join(row.text for row in made.remarks)
    assert all(message in said for message in wrong(made))


def test_a_picture_needs_no_planning() -> None:
    show, _ = plugged(starts()[0].answers)
    assert show.cables
    assert show.wants[0].want != "never"


def test_somebody_called_like_a_room_is_somebody_else() -> None:
    made = compose(answers("Room", "Desk", "Laptop", far=1, hears=(RECORDING, EARS)))
    assert wrong(made) == []
    assert {"Room", "Desk", "Laptop"} <= {row.name for row in made.show.parties}
