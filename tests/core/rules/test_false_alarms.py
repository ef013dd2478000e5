"""What an expert's show must not be told: each false alarm beside the real fault that looks like it (common practice)."""

from __future__ import annotations

from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.connectors import one_hole
from kymaphon.core.model.show import Show
from kymaphon.core.wiring.earth import earth_loops, earth_ties
from tests.core.analysis.test_offers import two_desks
from tests.core.rigs import STUDIO, TAPE, VOICE, dev, of_code, rig, wire
from tests.core.rooms import cast_codes, mic, person, room


def taped(*, gain_db: float = 55.0, wants: list[dict[str, Any]] | None = None, **more: Any) -> Show:
    return rig(
        [
            dev("mic", "dynamic-close", at_m=[1.15, 1]),
            dev("face", "interface-2", settings={"in1": {"gain_db": gain_db}}),
            dev("rec", "recorder"),
        ],
        [wire("mic.out", "face.in1"), wire("face.usb1", "rec.in")],
        [{**VOICE, "effort": "raised"}, TAPE],
        wants=wants or [],
        **more,
    )


def test_a_balanced_pair_of_jacks_is_two_sockets() -> None:
    """Left and right share a hole only where each has one wire of it."""
    for kind in shipped_catalogue():
        for port in (*kind.inputs, *kind.outputs):
            if port.stereo and port.balanced:
                assert not one_hole(port), (kind.id, port.id)
    shared = [port for kind in shipped_catalogue() for port in kind.outputs if one_hole(port)]
    assert shared, "headphones are still one plug"


def test_a_box_that_may_live_on_phantom_is_no_idle_phantom() -> None:
    def show(box: str) -> Show:
        return rig(
            [
                dev("gtr", "instrument-passive"),
                dev("di", box),
                dev("desk", "desk-8", settings={"in2": {"phantom": True}}),
            ],
            [wire("gtr.out", "di.in"), wire("di.out", "desk.in2")],
            [],
        )

    kinds = {row.id for row in shipped_catalogue()}
    assert {"di-active", "di-passive"} <= kinds
    source = (
        "instrument-passive"
        if "instrument-passive" in kinds
        else next(row.id for row in shipped_catalogue() if row.group == "instrument")
    )
    live, idle = (
        (
            Show.model_validate(
                {
                    **show("di-active").model_dump(by_alias=True),
                    "devices": [
                        {**row.model_dump(), "kind": {"gtr": source, "di": box}.get(row.id, row.kind)}
                        for row in show("di-active").devices
                    ],
                }
            )
            for box in ("di-active", "di-passive")
        )
        if source != "instrument-passive"
        else (show("di-active"), show("di-passive"))
    )
    assert not of_code(live, "phantom-idle")
    assert of_code(idle, "phantom-idle") or of_code(idle, "phantom-harms")


def test_a_condenser_by_a_jack_lead_gets_nothing_and_an_xlr_cable_mends_it() -> None:
    """IEC 61938: phantom power goes by the contacts of the XLR; a beginner's fault of every week (common practice)."""

    def show(lead: str | None) -> Show:
        cable = wire("mic.out", "face.in1") | ({"adapter": lead} if lead else {})
        return rig(
            [
                dev("mic", "condenser-broad", at_m=[1.15, 1], party="mira"),
                dev("face", "interface-2", settings={"in1": {"phantom": True, "gain_db": 30}}),
                dev("rec", "recorder"),
            ],
            [cable, wire("face.usb1", "rec.in")],
            [VOICE, TAPE],
        )

    assert not of_code(show(None), "phantom-missing")
    (missing,) = of_code(show("xlr-jack"), "phantom-missing")
    assert missing.severity == "stop"
    assert "XLR to 6.35 mm jack lead into Two-input interface, input 1 carries none" in missing.message
    assert analyse(show("xlr-jack")).feeds["tape", "mira"].path is None
    (remedy,) = offers_of(analyse(show("xlr-jack")), missing).remedies
    assert remedy.apply(show("xlr-jack")).cables[-1].adapter is None
    assert not of_code(remedy.apply(show("xlr-jack")), "phantom-missing")


@pytest.mark.parametrize(
    ("source", "lead", "harms"),
    [
        ("deck.out.l", "jack-phono", False),
        ("kb.out.l", None, False),
        ("kb.out.l", "xlr-jack", True),
        ("codec.near-out", "xlr-jack", False),
        ("codec.near-out", None, True),
    ],
)
def test_phantom_is_on_the_xlr_contacts_of_a_combination_socket_alone(
    source: str, lead: str | None, *, harms: bool
) -> None:
    """Common practice of such sockets: a jack in them, by its own plug or by a lead, meets no phantom power."""
    cable = wire(source, "face.in1") | ({"adapter": lead} if lead else {})
    show = rig(
        [
            dev("deck", "player"),
            dev("kb", "keyboard"),
            dev("codec", "call-codec"),
            dev("face", "interface-2", settings={"in1": {"phantom": True}}),
        ],
        [cable],
        [],
    )
    assert bool(of_code(show, "phantom-harms")) == harms


def test_hum_that_nobody_can_hear_is_no_finding() -> None:
    """Balanced, and ninety decibels under: gone. The same loop unbalanced is still told."""
    devices = [dev("desk", "desk-8"), dev("pc", "laptop"), dev("face", "interface-2", host="pc")]
    show = rig(devices, [wire("desk.main-out.l", "face.in1"), wire("desk.main-out.r", "face.in2")], [])
    assert earth_loops(earth_ties(show, shipped_catalogue())), "it is there"
    assert not of_code(show, "earth-loop")
    loud = rig([dev("desk", "desk-8"), dev("pc", "laptop")], [wire("pc.phones.l", "desk.in5")], [])
    assert of_code(loud, "earth-loop")


class TestHeads:
    """Across a table one turns the head; to somebody across the hall one turns round, or not at all."""

    def neighbours(self, apart: float, kind: str = "dynamic-close") -> Show:
        return room(
            [person("ann", 2, 3, 0), person("bob", 2 + apart * 0.09, 3 + apart * 0.996, 270)],
            [mic("ann", 2.1, 3, kind)],
        )

    @pytest.mark.parametrize(("apart", "told"), [(1.2, True), (3.0, False)])
    def test_only_who_sits_near_counts(self, apart: float, *, told: bool) -> None:
        assert ("head-turn" in cast_codes(self.neighbours(apart))) == told

    @pytest.mark.parametrize("kind", ["headset", "lapel", "lip-ribbon"])
    def test_what_comes_along_does_not_mind(self, kind: str) -> None:
        assert "head-turn" not in cast_codes(self.neighbours(1.2, kind))


class TestAsked:
    def test_what_is_wanted_as_never_or_any_has_no_mark_there(self) -> None:
        for want in ("never", "any"):
            show = taped(gain_db=20, wants=[{"listener": "tape", "voice": "mira", "want": want}])
            assert not of_code(show, "off-mark")
        assert of_code(taped(gain_db=20, wants=[{"listener": "tape", "voice": "mira", "want": "hear"}]), "off-mark")

    def test_a_lower_level_that_was_asked_for_is_the_mark(self) -> None:
        """Ten under, as asked: right at ten under, wrong on the plain mark."""
        asked = [{"listener": "tape", "voice": "mira", "want": "hear", "gain_db": -10.0}]
        plain = analyse(taped()).ladders["mira", "tape"].last
        assert plain.mark is not None
        middle = sum(plain.mark) / 2
        on = 55 - (plain.speech_db - middle)
        assert not of_code(taped(gain_db=round(on)), "off-mark")
        assert of_code(taped(gain_db=round(on), wants=asked), "off-mark")
        assert not of_code(taped(gain_db=round(on) - 10, wants=asked), "off-mark")

    @pytest.mark.parametrize("end", [0, 1])
    def test_the_tolerance_itself_is_within_it(self, end: int) -> None:
        """Told to a tenth: 3.0 dB off, where 3 are allowed, is no fault; 3.1 dB are one."""
        plain = analyse(taped()).ladders["mira", "tape"].last
        assert plain.mark is not None
        on, way = 55 - (plain.speech_db - plain.mark[end]), (-1, 1)[end]
        assert not of_code(taped(gain_db=on + way * 0.04), "off-mark")
        assert of_code(taped(gain_db=on + way * 0.06), "off-mark")


@pytest.mark.parametrize(("kind", "clips"), [("soft-mixer", False), ("soft-mixer-fixed", True)])
def test_what_counts_in_floating_point_clips_nowhere_inside(kind: str, *, clips: bool) -> None:
    """40 dB up at the channel and as much down at the programme's fader: whole where numbers float (IEEE 754: some 770 dB upwards)."""
    plain = next(row for row in shipped_catalogue() if row.id == "soft-mixer")
    fixed = plain.model_copy(update={"id": "soft-mixer-fixed", "floating_point": False})
    high = max(row.strip.gain_db[1] for row in plain.inputs if row.strip is not None and row.strip.gain_db is not None)
    show = taped(gain_db=50)
    devices = [
        *(row.model_dump() for row in show.devices),
        dev("mixer", kind, settings={"in1": {"gain_db": high}, "main": {"fader_db": -high}}),
    ]
    cables = [wire("mic.out", "face.in1"), wire("face.usb1", "mixer.in1"), wire("mixer.out", "rec.in")]
    people = [row.model_dump() for row in show.parties]
    found = analyse(rig(devices, cables, people, kinds=[fixed.model_dump(by_alias=True)])).findings
    rows = [row for row in found if row.code in ("clips", "little-headroom")]
    assert any(row.severity != "note" for row in rows) is clips
    assert clips or all("floating point" in row.message for row in rows)


def test_a_line_is_read_against_the_houses_own_zero() -> None:
    """0 VU at 0 dBu: a line at 0 dBu is on its mark; at +4 it is four over."""
    plain, zero = analyse(taped()), analyse(taped(vu_zero_dbu=0.0))
    assert plain.mark_for("tape", "dBu").value == 4
    assert zero.mark_for("tape", "dBu").value == 0


def test_one_sided_is_not_told_of_what_howls() -> None:
    """Where levels have no figure there is no side either."""
    show = two_desks(40)
    loud = show.with_(
        devices=[
            row.with_(settings={**row.settings, "in5": row.settings["in5"].with_(gain_db=12)})
            if row.id in ("stage", "truck")
            else row
            for row in show.devices
        ]
    )
    analysis = analyse(loud)
    if analysis.transfer.howls:
        howling = {voice for (_, voice), feed in analysis.feeds.items() if feed.howling}
        assert not [row for row in analysis.findings if row.code == "one-sided" and set(row.subjects) & howling]
    assert analysis.transfer.howls, "the test is about a rig that howls"


def test_the_second_input_of_a_safety_copy_is_no_shared_socket() -> None:
    cables = [wire("mic.out", "face.in1"), wire("mic.out", "face.in2"), wire("face.usb1", "rec.in")]
    rows = [dev("mic", "dynamic-close", at_m=[1.15, 1]), dev("face", "interface-2"), dev("rec", "recorder")]
    plain = rig(rows, cables, [VOICE, TAPE])
    assert of_code(plain, "socket-shared")
    labelled = rig(
        rows,
        [cables[0], wire("mic.out", "face.in2", label="Y lead for the safety copy"), cables[2]],
        [VOICE, TAPE],
    )
    assert not of_code(labelled, "socket-shared")


def test_both_sides_of_a_long_lead_are_one_finding_and_one_remedy() -> None:
    """A box for each side, with the channels' settings and their gains along: each alone would part the two."""
    show = rig(
        [
            dev("keys", "keyboard", place="studio"),
            dev("desk", "desk-8", settings={"in5": {"gain_db": 8}, "in6": {"gain_db": 8}}),
            dev("rec", "recorder"),
        ],
        [
            wire("keys.out.l", "desk.in5", length_m=25),
            wire("keys.out.r", "desk.in6", length_m=25),
            wire("desk.usb", "rec.in"),
        ],
        [{"id": "mira", "name": "Mira", "kind": "instrument", "plays_on": "keys.out", "speaks": True}, TAPE],
        wants=[{"listener": "tape", "voice": "mira", "want": "hear"}],
    )
    before = analyse(show)
    (found,) = (row for row in before.findings if row.code == "long-unbalanced")
    assert found.severity == "fix", "25 m, where 6 are good practice"
    first = offers_of(before, found).remedies[0]
    assert first.id == "insert"
    after = analyse(first.apply(show))
    assert not [row for row in after.findings if row.code == "long-unbalanced"]
    assert {row.target_device for row in after.show.cables if row.source.startswith("keys")}.isdisjoint({"desk"})
    was, now = (row.feeds["tape", "mira"].gain_db for row in (before, after))
    assert was is not None
    assert now == pytest.approx(was, abs=1.0)


@pytest.mark.parametrize(
    ("phantom", "severity"), [((True, False), "note"), ((True, True), "fix"), ((False, False), "fix")]
)
def test_a_y_lead_of_which_one_side_gives_phantom_is_nothing_to_mend(phantom: tuple[bool, bool], severity: str) -> None:
    """One microphone on two desks, the supply from one of them alone (common practice); from both, each pushes into the other."""
    settings = [{"in1": {"phantom": row, "gain_db": 30}} for row in phantom]
    show = rig(
        [
            dev("mic", "condenser-slim", at_m=[1.15, 1]),
            dev("desk", "desk-8", settings=settings[0]),
            dev("other", "desk-8", settings=settings[1]),
        ],
        [wire("mic.out", "desk.in1"), wire("mic.out", "other.in1")],
        [VOICE],
    )
    (row,) = of_code(show, "socket-shared")
    assert row.severity == severity
    assert ("from Eight-channel desk desk, input 1 alone" in row.message or "alone, as it should" in row.message) == (
        severity == "note"
    )


def test_the_far_ends_own_knob_is_not_hands_off_for_its_own_ears() -> None:
    """Their headphones, at their desk, in their room."""
    people = [
        {**VOICE, "listens": True, "hears_on": "ears"},
        {
            "id": "perf",
            "name": "Performer",
            "kind": "remote",
            "place": "hall",
            "at_m": [1, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "cans",
        },
    ]
    show = rig(
        [
            dev("mic", "dynamic-close", at_m=[1.15, 1]),
            dev("ears", "headphones"),
            dev("desk", "desk-1-send", settings={"in1": {"gain_db": 50}}),
            dev("codec", "call-codec"),
            {**dev("pmic", "dynamic-close", party="perf", at_m=[1.15, 1]), "place": "hall"},
            {**dev("cans", "headphones"), "place": "hall"},
            {**dev("pdesk", "desk-pocket"), "place": "hall"},
            {**dev("pcodec", "call-codec"), "place": "hall"},
        ],
        [
            wire("mic.out", "desk.in1"),
            wire("desk.phones", "ears.in"),
            wire("desk.main-out.l", "codec.near-in"),
            wire("codec.far-out", "pcodec.far-in"),
            wire("pcodec.near-out", "pdesk.line-in.l"),
            wire("pdesk.phones", "cans.in"),
            wire("pmic.out", "pdesk.in1"),
        ],
        people,
        places=[STUDIO, {"id": "hall", "name": "Hall", "ambient_dba": 35}],
    )
    assert not [row for row in of_code(show, "control-on-air") if row.subjects[0] == "pdesk"]


class TestHalfLost:
    """One side of a record plugged is half the record; of a keyboard it may be its L/MONO socket (common practice)."""

    def played(self, kind: str, party: str, **more: str) -> Show:
        people = [
            {"id": "song", "name": "Song", "kind": party, "speaks": True, "plays_on": "source.out"},
            TAPE,
        ]
        sides = [wire("source.out.l", "desk.in5")] + ([wire("source.out.r", "desk.in6")] if more.get("right") else [])
        return rig(
            [dev("source", kind), dev("desk", "desk-8"), dev("rec", "recorder")],
            [*sides, wire("desk.usb", "rec.in")],
            people,
        )

    def test_one_side_of_a_record_is_half_of_it(self) -> None:
        (row,) = of_code(self.played("player", "player"), "half-lost")
        assert row.severity == "fix"
        mended = row.remedies[0].apply(self.played("player", "player"))
        assert not of_code(mended, "half-lost")
        assert not of_code(self.played("player", "player", right="yes"), "half-lost")

    def test_a_keyboards_left_socket_may_be_all_of_it(self) -> None:
        kinds = [
            row.id
            for row in shipped_catalogue()
            if row.group == "instrument" and any(port.stereo for port in row.outputs)
        ]
        assert kinds
        (row,) = of_code(self.played(kinds[0], "instrument"), "half-lost")
        assert row.severity == "note"
        assert "L/MONO" in row.message


class TestSidesApart:
    """One side of a record turned up and the other forgotten: it leans by the difference of the two knobs (levels in dB add)."""

    def typed(self, **settings: dict[str, float]) -> Show:
        return rig(
            [dev("deck", "player"), dev("desk", "desk-8", settings=settings), dev("rec", "recorder")],
            [wire("deck.out.l", "desk.in5"), wire("deck.out.r", "desk.in6"), wire("desk.usb", "rec.in")],
            [{"id": "song", "name": "Song", "kind": "player", "speaks": True, "plays_on": "deck.out"}, TAPE],
        )

    @pytest.mark.parametrize("weak", ["in5", "in6"])
    def test_by_the_difference_of_their_knobs_and_each_can_follow_the_other(self, weak: str) -> None:
        strong = {"in5": "in6", "in6": "in5"}[weak]
        show = self.typed(**{weak: {"gain_db": 3.0}, strong: {"gain_db": 11.0}})
        (row,) = of_code(show, "sides-apart")
        assert row.severity == "note"
        assert row.figures[0].value == pytest.approx(8.0)
        values = []
        for remedy in row.remedies:
            mended = remedy.apply(show)
            assert not of_code(mended, "sides-apart")
            values.append({mended.device("desk").settings[key].gain_db for key in ("in5", "in6")})
        assert values == [{11.0}, {3.0}]

    def test_not_by_a_step_or_two_and_not_where_both_are_panned_apart(self) -> None:
        assert not of_code(self.typed(in5={"gain_db": 6}, in6={"gain_db": 3}), "sides-apart")
        apart = {"in5": {"gain_db": 6, "pan": -1}, "in6": {"gain_db": 6, "pan": 1}}
        assert not of_code(self.typed(**apart), "sides-apart")
        assert of_code(self.typed(in5={"gain_db": 11, "pan": -1}, in6={"gain_db": 3, "pan": 1}), "sides-apart")


def test_a_headset_in_a_laptops_own_socket_is_at_home_and_a_plug_of_three_contacts_is_not() -> None:
    headset = rig(
        [dev("hs", "call-headset"), dev("pc", "laptop")],
        [wire("hs.mic", "pc.headset-mic"), wire("pc.phones", "hs.in")],
        [],
    )
    assert not {row.code for row in analyse(headset).findings if row.severity != "note"}
    three = rig([dev("song", "player-run-on"), dev("pc", "laptop")], [wire("song.out", "pc.headset-mic")], [])
    assert of_code(three, "contacts-mismatch")


def test_a_consumer_line_that_is_on_its_mark_is_not_told_as_too_quiet() -> None:
    """What a channel lacks may be made up for further on (levels in dB add): it is a matter of noise then, and that is low here."""
    kind = next(
        row.id
        for row in shipped_catalogue()
        if row.group == "instrument" and row.port("out") and row.port("out").stereo
    )

    def show(fader_db: float) -> Show:
        return rig(
            [
                dev("keys", kind),
                dev("desk", "desk-8", settings={"main": {"fader_db": fader_db}, "in5": {"gain_db": 3.0}}),
                dev("rec", "recorder"),
            ],
            [wire("keys.out.l", "desk.in5"), wire("keys.out.r", "desk.in6"), wire("desk.usb", "rec.in")],
            [{"id": "ann", "name": "Ann", "kind": "instrument", "speaks": True, "plays_on": "keys.out"}, TAPE],
        )

    by_fader = {db: of_code(show(db), "consumer-into-professional") for db in (-30.0, 0.0, 3.0, 6.0, 9.0)}
    on_mark = {db: not of_code(show(db), "off-mark") for db in by_fader}
    assert by_fader[-30.0]
    assert any(on_mark.values())
    for db, rows in by_fader.items():
        assert bool(rows) != on_mark[db], db


def test_a_mix_beside_its_inputs_is_blamed_and_not_what_bleeds_into_single_tracks() -> None:
    """Two talkers near each other by their own tracks, and both again by the desk's main pair: twice in step, 20 lg 2 = 6.02 dB louder."""
    people = [{**VOICE, "at_m": [1, 1]}, {**VOICE, "id": "tam", "name": "Tam", "at_m": [2, 1]}, TAPE]
    settings = {name: {"gain_db": 40} for name in ("in1", "in2")} | {"usb-in>main": {"on": False}}
    show = rig(
        [
            dev("one", "dynamic-close", at_m=[1.15, 1], party="mira"),
            dev("two", "dynamic-close", at_m=[2.15, 1], party="tam"),
            dev("pc", "laptop"),
            dev("desk", "desk-multi", settings=settings, host="pc"),
            dev("soft", "soft-mixer-8", host="pc"),
            dev("rec", "recorder"),
        ],
        [
            wire("one.out", "desk.in1"),
            wire("two.out", "desk.in2"),
            wire("desk.usb1", "soft.in1"),
            wire("desk.usb2", "soft.in2"),
            wire("desk.usb-mix", "soft.in9"),
            wire("soft.out", "rec.in"),
        ],
        people,
        wants=[{"listener": "tape", "voice": name, "want": "hear"} for name in ("mira", "tam")],
    )
    analysis = analyse(show)
    (found,) = (row for row in analysis.findings if row.code == "mix-offered-twice")
    assert found.severity == "fix"
    assert "USB main pair at stereo input 9" in found.message
    assert found.figures[0].value == pytest.approx(6.02, abs=0.05)
    for remedy in offers_of(analysis, found).remedies:
        after = analyse(remedy.apply(show))
        assert not [row for row in after.findings if row.code == "mix-offered-twice"]
        assert all(after.feeds["tape", name].verdict != "missing" for name in ("mira", "tam"))


@pytest.mark.parametrize("into", ["hp.in", "cans.in"])
def test_the_cure_of_a_wrong_plug_is_the_right_one(into: str) -> None:
    """A microphone that is in a socket for headphones, or in the line input of an amplifier for them, belongs into the free microphone input."""
    show = rig(
        [
            dev("mic", "condenser-slim", at_m=[1.1, 1], party="mira"),
            dev("desk", "desk-8"),
            dev("hp", "headphone-amp"),
            dev("cans", "headphones"),
            dev("rec", "recorder"),
        ],
        [wire("mic.out", into), wire("desk.usb", "rec.in")],
        [VOICE, TAPE],
        wants=[{"listener": "tape", "voice": "mira", "want": "hear"}],
    )
    analysis = analyse(show)
    wrong = ("mic-into-line", "headphones-from-line", "plug-impossible")
    found = [row for row in analysis.findings if row.code in wrong and "mic.out" in row.subjects]
    assert found
    offered = [remedy for row in found for remedy in offers_of(analysis, row).remedies]
    assert offered[0].id == "right", [row.label for row in offered]
    after = offered[0].apply(show)
    (cable,) = (row for row in after.cables if row.source == "mic.out")
    assert cable.target.startswith("desk.in")
    assert after.device("desk").settings[cable.target.split(".")[1]].phantom is True
