"""What can be turned for one pair of ears: held against the changed show, and against everybody else's."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.figures import number
from kymaphon.core.levels.turning import gain_knobs, turn_remedies
from kymaphon.core.model.edits import SetValue, SetWant, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.rules.ears import echo_cancelled, own_knobs
from tests.core.hand_typed import SHOWS
from tests.core.levels.test_levels import one_chain
from tests.core.rigs import STUDIO, TAPE, VOICE, dev, of_code, rig, wire


def two_in_headphones(knob: float = -16.0, apart: float = 1.2) -> Show:
    """Two people at one table, each at a knob of their own."""
    people = [
        {
            "id": "ann",
            "name": "Ann",
            "kind": "presenter",
            "place": "studio",
            "at_m": [1, 1],
            "faces_deg": 0,
            "speaks": True,
            "listens": True,
            "hears_on": "c1",
        },
        {
            "id": "ben",
            "name": "Ben",
            "kind": "guest",
            "place": "studio",
            "at_m": [1 + apart, 1],
            "faces_deg": 180,
            "speaks": True,
            "listens": True,
            "hears_on": "c2",
        },
        TAPE,
    ]
    return rig(
        [
            dev("m1", "dynamic-close", party="ann", at_m=[1.12, 1]),
            dev("m2", "dynamic-close", party="ben", at_m=[1 + apart - 0.12, 1]),
            dev("pc", "laptop"),
            dev("face", "interface-2", host="pc", settings={"in1": {"gain_db": 57}, "in2": {"gain_db": 57}}),
            dev("mix", "soft-mixer", host="pc"),
            dev("rec", "recorder", host="pc"),
            dev("amp", "headphone-amp", settings={"knob1": {"gain_db": knob}, "knob2": {"gain_db": -8}}),
            dev("c1", "headphones"),
            dev("c2", "headphones"),
        ],
        [
            wire("m1.out", "face.in1"),
            wire("m2.out", "face.in2"),
            wire("face.usb1", "mix.in1"),
            wire("face.usb2", "mix.in2"),
            wire("mix.out", "rec.in"),
            wire("face.phones", "amp.in"),
            wire("amp.phones1", "c1.in"),
            wire("amp.phones2", "c2.in"),
        ],
        people,
        wants=[
            {"listener": "ann", "voice": "ben", "want": "hear"},
            {"listener": "ben", "voice": "ann", "want": "hear"},
        ],
    )


class TestForOneListener:
    @pytest.mark.parametrize("knob", [-20.0, 12.0])
    def test_too_quiet_and_too_loud_turn_that_knob_alone(self, knob: float) -> None:
        show = two_in_headphones(knob, 3.5)
        analysis = analyse(show)
        rows = [
            row
            for row in analysis.findings
            if row.code in ("heard-too-quiet", "heard-too-loud") and row.subjects[0] == "ann"
        ]
        for row in rows:
            remedy = offers_of(analysis, row).remedies[0]
            assert {edit.ref.key for edit in remedy.edits} == {"knob1"}
            after = analyse(remedy.apply(show))
            assert abs(after.feeds["ann", "ben"].gain_db) <= number("level-tolerance")
            for key, feed in analysis.feeds.items():
                if key[0] != "ann":
                    assert after.feeds[key].gain_db == pytest.approx(feed.gain_db, abs=0.3), key
        assert rows or abs(analysis.feeds["ann", "ben"].gain_db) <= number("level-tolerance")

    def test_one_voice_of_several_is_turned_at_its_own_send(self) -> None:
        """The others are on their level: their sound stays."""
        analysis = analyse(SHOWS["commentary"]())
        (row,) = [
            row for row in analysis.findings if row.code.startswith("heard-too") and row.subjects[1] == "crowd"
        ] or [None]
        if row is None:
            ladder = analysis.ladder("crowd", "studio")
            knobs = own_knobs(analysis, ladder, analysis.feeds["studio", "crowd"], beside=True)
            assert {knob.ref.key for knob in knobs} == {"in3"}
            return
        assert all(edit.ref.key == "in3" for remedy in offers_of(analysis, row).remedies for edit in remedy.edits)


class TestAcrossTheRoom:
    """Common practice: who hears the other across the table and in low headphones hears hollow; turning them up cures it."""

    def test_low_headphones_are_a_note_with_the_knob(self) -> None:
        show = two_in_headphones(-20.0, 0.6)
        analysis = analyse(show)
        assert not of_code(show, "arrives-twice") or all(
            row.severity == "note" for row in of_code(show, "arrives-twice")
        )
        (row,) = [row for row in of_code(show, "room-beside-headphones") if row.subjects[0] == "ann"]
        assert row.severity == "note"
        remedy = offers_of(analysis, row).remedies[0]
        assert {edit.ref.key for edit in remedy.edits} == {"knob1"}
        assert not [row for row in of_code(remedy.apply(show), "room-beside-headphones") if row.subjects[0] == "ann"]

    def test_far_from_each_other_it_is_none(self) -> None:
        assert not of_code(two_in_headphones(-8.0, 3.5), "room-beside-headphones")


class TestLeak:
    """What leaks out of headphones into an open microphone and comes back to a caller."""

    def loud(self, *, echo: bool) -> Show:
        show = SHOWS["game-stream"]()
        show = show.with_(cables=tuple(row for row in show.cables if row.ends != ("pc.played", "call.share")))
        # Loud headphones, and a gain after the microphone so that the leak counts.
        edits = (
            SetValue(SettingRef("pc", "volume", "gain_db"), 0.0),
            SetValue(SettingRef("mic", "diaphragm>usb", "gain_db"), 45.0),
            SetValue(SettingRef("call", "rider", "on"), False),
            SetValue(SettingRef("call", "echo", "on"), echo),
        )
        return apply_all(show, edits)

    def test_without_echo_control_the_headphones_are_turned_down(self) -> None:
        show = self.loud(echo=False)
        analysis = analyse(show)
        assert analysis.feeds["lou", "lou"].verdict in ("unwanted", "back")
        rows = [row for row in analysis.findings if row.code == "heard-unwanted" and row.subjects[0] == "lou"]
        for row in rows:
            remedy = offers_of(analysis, row).remedies[0]
            assert {edit.ref.key for edit in remedy.edits} == {"volume"}
            assert analyse(remedy.apply(show)).feeds["lou", "lou"].verdict == "silent"

    def test_with_it_nothing_is_to_be_mended(self) -> None:
        analysis = analyse(self.loud(echo=True))
        feed = analysis.feeds["lou", "lou"]
        assert not [row for row in analysis.findings if row.code == "heard-unwanted" and row.subjects[0] == "lou"]
        assert feed.path is None or echo_cancelled(analysis, feed.path) or feed.verdict == "silent"


class TestOrderOfTurning:
    """Gain early is quieter (Friis 1944): the first gain goes as far as it can before one further on does the rest."""

    def chain(self, gain: float) -> Show:
        return one_chain(
            devices=[
                {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
                {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": gain}, "in2": {}}},
                {"id": "mix", "kind": "soft-mixer"},
                {"id": "rec", "kind": "recorder"},
            ],
            cables=[
                {"from": "mic.out", "to": "face.in1"},
                {"from": "face.usb1", "to": "mix.in1"},
                {"from": "mix.out", "to": "rec.in"},
            ],
        )

    def remedies(self, gain: float, by: float) -> list[list[tuple[str, float]]]:
        analysis = analyse(self.chain(gain))
        ladder = analysis.ladders["ann", "tape"]
        rows = turn_remedies(analysis, ladder, gain_knobs(ladder), by, "so")
        return [[(edit.ref.device, edit.value) for edit in row.edits] for row in rows]

    def test_the_first_alone_where_it_reaches(self) -> None:
        assert self.remedies(30.0, 12.0)[0] == [("face", 42.0)]

    def test_else_the_first_to_its_end_and_the_next_for_the_rest(self) -> None:
        """By hand: of 20 dB the preamplifier has 18 left, from 40 to its end at 58; the mixer gives 2."""
        assert self.remedies(40.0, 20.0)[0] == [("face", 58.0), ("mix", 2.0)]

    def test_where_next_to_nothing_is_left_the_next_gives_it_all(self) -> None:
        assert self.remedies(55.0, 20.0)[0] == [("mix", 20.0)]

    def test_it_is_quieter_than_all_of_it_later(self) -> None:
        show = self.chain(40.0)
        analysis = analyse(show)
        ladder = analysis.ladders["ann", "tape"]
        rows = turn_remedies(analysis, ladder, gain_knobs(ladder), 20.0, "so")
        over = [analyse(row.apply(show)).ladders["ann", "tape"].last.voice_over_noise_db for row in rows]
        assert over[0] == max(over)


class TestSides:
    def split(self, bleed_gain: float) -> Show:
        show = two_in_headphones()
        return apply_all(
            show,
            (
                SetValue(SettingRef("mix", "in1", "pan"), -1.0),
                SetValue(SettingRef("mix", "in2", "pan"), 1.0),
                SetValue(SettingRef("face", "in2", "gain_db"), bleed_gain),
            ),
        )

    @pytest.mark.parametrize("gain", [45.0, 58.0])
    def test_a_split_recording_is_one_note_however_much_bleeds(self, gain: float) -> None:
        """Each side is told by its own microphone: what of a voice gets into the other's is no side of it."""
        (row,) = of_code(self.split(gain), "one-sided")
        assert row.severity == "note"
        assert "Ann on the left, Ben on the right" in row.message


def test_a_transmitter_on_the_belt_feeds_its_microphone() -> None:
    """A lapel microphone on a wireless link needs no box more; switched off, it is told."""
    show = rig(
        [
            dev("mic", "lapel"),
            dev("link", "wireless-link"),
            dev("face", "interface-2"),
            dev("rec", "recorder"),
        ],
        [wire("mic.out", "link.in"), wire("link.out", "face.in1"), wire("face.usb1", "rec.in.l")],
        [VOICE, TAPE],
        places=[STUDIO],
    )
    assert not of_code(show, "phantom-missing")
    off = apply_all(show, (SetValue(SettingRef("link", "in", "phantom"), False),))
    assert of_code(off, "phantom-missing")


def test_what_only_wants_noting_is_worth_no_new_fault() -> None:
    """A note's remedy that leaves something to mend is told, not offered."""
    show = apply_all(two_in_headphones(), (SetWant("ann", "ben", "hear", 40.0),))
    analysis = analyse(show)
    for row in analysis.findings:
        if row.severity == "note":
            assert not [
                remedy.label for remedy in offers_of(analysis, row).remedies if remedy.label.startswith("Then ")
            ]


def with_a_song(fader: float) -> Show:
    """Two people in headphones and a record on channels 5 and 6 of their desk, wanted by both and by the recorder."""
    people = [
        {
            "id": "ann",
            "name": "Ann",
            "kind": "presenter",
            "place": "studio",
            "at_m": [1, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "c1",
        },
        {
            "id": "ben",
            "name": "Ben",
            "kind": "guest",
            "place": "studio",
            "at_m": [3, 1],
            "listens": True,
            "hears_on": "c2",
        },
        {"id": "song", "name": "Song", "kind": "player", "speaks": True, "plays_on": "deck.out"},
        TAPE,
    ]
    settings = {
        "in1": {"gain_db": 60},
        "in5": {"gain_db": 8, "fader_db": fader},
        "in6": {"gain_db": 8, "fader_db": fader},
    }
    return rig(
        [
            dev("m1", "dynamic-close", party="ann", at_m=[1.12, 1]),
            dev("deck", "player", name="Player"),
            dev("desk", "desk-8", name="Desk", settings=settings),
            dev("amp", "headphone-amp", settings={"knob1": {"gain_db": 0}, "knob2": {"gain_db": 0}}),
            dev("pc", "laptop"),
            dev("face", "interface-2-plain", host="pc"),
            dev("rec", "recorder", host="pc"),
            dev("c1", "headphones"),
            dev("c2", "headphones"),
        ],
        [
            wire("m1.out", "desk.in1"),
            wire("deck.out.l", "desk.in5"),
            wire("deck.out.r", "desk.in6"),
            wire("desk.phones", "amp.in"),
            wire("amp.phones1", "c1.in"),
            wire("amp.phones2", "c2.in"),
            wire("desk.main-out.l", "face.in1"),
            wire("desk.main-out.r", "face.in2"),
            wire("face.usb", "rec.in"),
        ],
        people,
        wants=[
            *({"listener": name, "voice": "song", "want": "hear"} for name in ("ann", "ben", "tape")),
            {"listener": "ann", "voice": "ann", "want": "hear"},
            {"listener": "ben", "voice": "ann", "want": "hear"},
            {"listener": "tape", "voice": "ann", "want": "hear"},
        ],
    )


def test_what_all_get_too_quietly_is_turned_up_where_all_take_it() -> None:
    """Common practice: a record that nobody hears is brought up at its own channel, not in everybody's headphones."""
    show = with_a_song(-28.0)
    analysis = analyse(show)
    rows = [row for row in of_code(show, "heard-too-quiet") if row.subjects[1:] == ("song",)]
    assert rows
    for row in rows:
        remedy = offers_of(analysis, row).remedies[0]
        assert {edit.ref.key for edit in remedy.edits} == {"in5", "in6"}
        after = analyse(remedy.apply(show))
        for name in ("ann", "ben", "tape"):
            assert after.feeds[name, "song"].verdict == "heard", name
        assert after.feeds["ann", "ann"].gain_db == pytest.approx(analysis.feeds["ann", "ann"].gain_db, abs=0.5)


def test_where_one_alone_gets_it_too_quietly_the_channel_stays() -> None:
    show = with_a_song(-8.0)
    low = apply_all(show, (SetValue(SettingRef("amp", "knob2", "gain_db"), -24.0),))
    rows = [row for row in of_code(low, "heard-too-quiet") if row.subjects[0] == "ben"]
    assert rows
    remedy = offers_of(analyse(low), rows[0]).remedies[0]
    assert {edit.ref.key for edit in remedy.edits} == {"knob2"}


def test_where_all_is_low_and_near_together_one_knob_does() -> None:
    """The song is let pass as it is and Ann is not: one turn for both brings each nearer, and no send has to be touched."""
    show = apply_all(with_a_song(-8.0), (SetValue(SettingRef("amp", "knob2", "gain_db"), -10.0),))
    analysis = analyse(show)
    assert analysis.feeds["ben", "song"].verdict == "heard"
    (row,) = [row for row in of_code(show, "heard-too-quiet") if row.subjects[0] == "ben"]
    remedy = offers_of(analysis, row).remedies[0]
    assert {edit.ref.key for edit in remedy.edits} == {"knob2"}
    after = analyse(remedy.apply(show))
    for voice in ("ann", "song"):
        assert abs(after.feeds["ben", voice].gain_db) < abs(analysis.feeds["ben", voice].gain_db)
