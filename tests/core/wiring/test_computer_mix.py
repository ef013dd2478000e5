"""A computer mixes what its programs play: several cables into its one output, and that mix as a source."""

from __future__ import annotations

from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.levels.lineup.plan import line_up
from kymaphon.core.levels.lineup.run import steps_of
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import Plug, apply_all
from kymaphon.core.model.references import ShowProblem, check_references
from kymaphon.core.model.show import Cable, Show
from kymaphon.core.wiring.patching import merged
from kymaphon.core.wiring.plugging import plug
from kymaphon.files.patch_file import read_patch, write_patch
from tests.core.rigs import STUDIO, TAPE, VOICE, dev, of_code, rig, wire

KINDS = shipped_catalogue()
PEOPLE: list[dict[str, Any]] = [
    {
        "id": "ann",
        "name": "Ann",
        "kind": "presenter",
        "place": "studio",
        "at_m": [1, 1],
        "speaks": True,
        "listens": True,
        "hears_on": "cans",
    },
    {
        "id": "ben",
        "name": "Ben",
        "kind": "remote",
        "place": "away",
        "speaks": True,
        "listens": True,
        "hears_on": "bphone",
    },
    {"id": "song", "name": "Song", "kind": "player", "speaks": True, "plays_on": "jingles.disc"},
    {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
]


def laptop(*, played: bool = True) -> Show:
    """A call app and a player program, both into the one output of a laptop; its mix into the stream beside the microphone."""
    cables = [
        wire("mic.usb", "mix.in1"),
        wire("app.out", "pc.sound"),
        wire("jingles.out", "pc.sound"),
        wire("pc.phones", "cans.in"),
        wire("mix.send1", "app.mic"),
        wire("mix.out", "enc.in"),
        wire("bphone.call-out", "app.far-in"),
        wire("app.far", "bphone.call-in"),
    ]
    settings = {"in1>send1": {"on": True}}
    return rig(
        [
            dev("mic", "usb-microphone", party="ann", at_m=[1.15, 1], host="pc"),
            dev("pc", "laptop"),
            dev("cans", "headphones"),
            {"id": "bphone", "kind": "phone", "party": "ben", "place": "away"},
            dev("app", "conference-app", host="pc"),
            dev("jingles", "player-program", host="pc", settings={"single": {"on": True}}),
            dev("mix", "soft-mixer", host="pc", settings=settings),
            dev("enc", "stream-encoder", host="pc"),
        ],
        [*cables, *([wire("pc.played", "mix.in5")] if played else [])],
        PEOPLE,
        places=[STUDIO, {"id": "away", "name": "Away", "ambient_dba": 35}],
        wants=[{"listener": "stream", "voice": name, "want": "hear"} for name in ("ann", "ben", "song")],
    )


def test_several_programs_are_heard_together() -> None:
    """Common practice: the call and the player both come out of the laptop, and whoever listens there hears both."""
    feeds = analyse(laptop()).feeds
    for voice in ("ben", "song"):
        assert feeds["ann", voice].path is not None
        assert feeds["stream", voice].path is not None
    alone = laptop().with_(cables=tuple(row for row in laptop().cables if row.source != "jingles.out"))
    assert analyse(alone).feeds["ann", "ben"].gain_db == pytest.approx(feeds["ann", "ben"].gain_db, abs=0.01)


def test_the_far_end_does_not_get_itself_back_from_the_mix_unless_it_is_sent() -> None:
    """A shared computer sound is one of the three ways to make the same loop: sent to the call, the far end has itself back."""
    clean = analyse(laptop())
    assert clean.feeds["ben", "ben"].verdict != "back"
    shared = apply_all(laptop(), (plug(laptop(), KINDS, "pc.played", "app.share"),))
    assert analyse(shared).feeds["ben", "ben"].verdict == "back"
    assert [row.severity for row in of_code(shared, "own-voice-back")] == ["stop"]


def test_plugging_beside_keeps_what_is_there_and_into_a_socket_does_not() -> None:
    show = laptop().with_(cables=tuple(row for row in laptop().cables if row.target != "pc.sound"))
    for source in ("app.out", "jingles.out", "app.out"):
        show = plug(show, KINDS, source, "pc.sound").apply(show)
    assert [row.source for row in show.cables if row.target == "pc.sound"] == ["jingles.out", "app.out"]
    other = plug(show, KINDS, "jingles.out", "mix.in5")
    assert not other.beside
    assert [row.source for row in other.apply(show).cables if row.target == "mix.in5"] == ["jingles.out"]
    assert Plug(Cable(source="a.b", target="c.d"), True).to_json()["beside"] is True


def test_the_same_cable_twice_is_refused_and_a_plain_socket_takes_one() -> None:
    show = laptop()
    twice = show.with_(cables=(*show.cables, Cable(source="app.out", target="pc.sound")))
    with pytest.raises(ShowProblem, match="already"):
        check_references(twice, KINDS)
    two = show.with_(cables=(*show.cables, Cable(source="jingles.out", target="mix.in5")))
    with pytest.raises(ShowProblem, match="one socket, one plug"):
        check_references(two, KINDS)


def test_a_patch_list_brings_them_back_as_they_were(tmp_path: Any) -> None:
    show = laptop()
    file = tmp_path / "patch.csv"
    write_patch(file, analyse(show))
    cables = read_patch(file, show, KINDS)
    assert {row.ends for row in cables} == {row.ends for row in show.cables}
    assert {row.ends for row in merged(show, cables, KINDS).apply(show).cables} == {row.ends for row in show.cables}
    bare = show.with_(cables=())
    assert len(merged(bare, cables, KINDS).apply(bare).cables) == len(show.cables)


def test_a_voice_that_only_comes_out_of_the_computer_is_offered_the_mix_as_a_source() -> None:
    """Nothing of the call or the player reaches the stream: the computer's own mix into a free input mends it."""
    show = laptop(played=False)
    rows = of_code(show, "wanted-not-heard")
    assert {row.subjects[1] for row in rows} == {"ben", "song"}
    row = rows[0]
    first = offers_of(analyse(show), row).remedies[0]
    then = analyse(first.apply(show))
    assert then.feeds["stream", row.subjects[1]].verdict != "missing"
    assert then.feeds["ben", "ben"].verdict != "back"


@pytest.mark.parametrize("kind", ["laptop", "laptop-old", "tablet", "smartphone"])
def test_every_computer_does_it(kind: str) -> None:
    port = KINDS[kind].port("sound")
    assert port.mixes
    assert KINDS[kind].path("sound>played") is not None


class TestOwnGain:
    """A microphone with a gain of its own: the knob that lines it up, wherever it is plugged."""

    def straight(self, gain_db: float | None = None) -> Show:
        own = {} if gain_db is None else {"diaphragm>usb": {"gain_db": gain_db}}
        return rig(
            [
                dev("mic", "usb-microphone", at_m=[1.15, 1], host="pc", settings=own),
                dev("pc", "laptop"),
                dev("rec", "recorder", host="pc"),
            ],
            [wire("mic.usb", "rec.in")],
            [VOICE, TAPE],
        )

    @pytest.mark.parametrize("gain", [0.0, 12.0, 45.0])
    def test_it_adds_to_the_sensitivity(self, gain: float) -> None:
        """By hand: -36 dBV/Pa are -33.8 dBFS at 94 dB SPL where 0 dBFS is 0 dBu, and the gain on top."""
        ladder = analyse(self.straight(gain)).ladders["mira", "tape"]
        at = {rung.node: rung.speech_db for rung in ladder.rungs}
        by_hand = at["mic.diaphragm"] - 93.979 - 36.0 + 2.2185 + gain
        assert at["mic.usb"] == pytest.approx(by_hand, abs=0.01)

    def test_line_up_turns_it_and_the_run_watches_it(self) -> None:
        analysis = analyse(self.straight(0.0))
        plan = line_up(analysis)
        assert [move.turn.ref.key for move in plan.moves] == ["diaphragm>usb"]
        assert plan.voices[0].on_mark
        (step,) = steps_of(analysis)
        assert step.knob is not None
        assert step.knob.label == "USB microphone, gain"

    def test_off_its_mark_it_is_the_first_remedy(self) -> None:
        show = self.straight(0.0)
        (row,) = of_code(show, "off-mark")
        first = offers_of(analyse(show), row).remedies[0]
        assert "USB microphone, gain" in first.label
        assert not of_code(first.apply(show), "off-mark")

    def test_as_delivered_an_ordinary_voice_is_on_the_mark(self) -> None:
        assert not of_code(self.straight(), "off-mark")
