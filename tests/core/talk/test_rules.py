"""Talk's rules: each on a show that breaks it and on one that keeps it, and each remedy tried."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import with_offers
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.show import Show
from kymaphon.core.report.work import plan_words
from kymaphon.core.talk.cures import pack_for
from kymaphon.core.work.plan import plan_work, undoable
from kymaphon.files.demo import FINAL, demo_path
from kymaphon.files.show_file import read_show
from tests.core.talk.rigs import computed, member, row, van

Change = Callable[[dict[str, Any]], None]


def talk(show: Show) -> list[Finding]:
    return [one for one in analyse(show).findings if one.stage == "Talk"]


def cut(*sources: str) -> Change:
    def change(rows: dict[str, Any]) -> None:
        rows["cables"] = [one for one in rows["cables"] if one["from"] not in sources]

    return change


def camera(rows: dict[str, Any]) -> None:
    """Somebody at a camera that carries pictures only, on the circuit."""
    rows["parties"].append(
        {"id": "cam", "name": "Cam", "kind": "crew", "place": "studio", "at_m": [6, 2], "speaks": True, "listens": True}
    )
    rows["devices"].append({"id": "camera", "kind": "camera-plain", "place": "studio", "party": "cam"})
    row(rows, "circuits", "comm")["members"].append({"party": "cam", "speaks": False, "acts": True})
    rows["devices"].append({"id": "packs", "kind": "talk-station", "place": "van"})
    rows["cables"].append({"from": "panel.out3", "to": "packs.join-in"})
    rows["circuits"].append(
        {
            "id": "cams",
            "name": "Cameras",
            "members": [
                {"party": "dee", "key": "panel.talk3", "action": "momentary"},
                {"party": "cam", "speaks": False, "acts": True},
            ],
        }
    )
    row(rows, "circuits", "comm")["members"].pop()


def alone(rows: dict[str, Any]) -> None:
    """The commentator can no longer answer, and has nobody beside."""
    cut("box.lazy")(rows)


def drowned(rows: dict[str, Any]) -> None:
    row(rows, "devices", "box")["settings"] = {"volume": {"gain_db": -50}}
    row(rows, "places", "studio")["ambient_dba"] = 72


def late(rows: dict[str, Any]) -> None:
    """What the director says goes to the commentator by a call and comes back to the director's own panel by another key."""
    rows["devices"] += [{"id": "call", "kind": "call-codec", "place": "van"}]
    rows["cables"] += [
        {"from": "panel.out3", "to": "call.near-in"},
        {"from": "call.far-out", "to": "call.far-in"},
        {"from": "call.near-out", "to": "panel.in3"},
    ]
    rows["circuits"].append(
        {
            "id": "far",
            "name": "Far",
            "members": [
                {"party": "dee", "key": "panel.talk3", "action": "momentary"},
                {"party": "ann", "speaks": False},
            ],
        }
    )


def exchanged(rows: dict[str, Any]) -> None:
    """The commentator's two leads in each other's sockets: to air and to the van."""
    cables = {one["from"]: one for one in rows["cables"]}
    air, lazy = cables["box.programme"], cables["box.lazy"]
    air["from"], lazy["from"] = "box.lazy", "box.programme"


def one_pair_of_hands(rows: dict[str, Any]) -> None:
    rows["crew"] = [
        {"id": "tor", "name": "Tor", "party": "dee", "does": ["tone"]},
        {"id": "liv", "name": "Liv", "party": "ann", "does": ["rigging", "effects"]},
    ]
    rows["tasks"] = [
        {"id": "work-lay", "text": "Leads", "sort": "rigging", "people": 2},
        {"id": "work-mic", "text": "Microphone", "sort": "effects", "after": ["work-lay"]},
        {"id": "work-tone", "text": "Tone", "sort": "tone"},
    ]


def on_air(rows: dict[str, Any]) -> None:
    """The circuit's own key goes to a channel of the desk that is open."""
    rows["cables"] = [one for one in rows["cables"] if one["from"] != "panel.out2"]
    rows["cables"].append({"from": "panel.out1", "to": "desk.in24"})
    row(rows, "devices", "desk")["settings"] = {}


def slate(rows: dict[str, Any]) -> None:
    row(rows, "devices", "desk")["settings"] = {}


def overheard(rows: dict[str, Any]) -> None:
    """The private circuit's key feeds somebody else's headphones too."""
    rows["parties"].append(
        {
            "id": "eve",
            "name": "Eve",
            "kind": "guest",
            "place": "studio",
            "at_m": [7, 5],
            "listens": True,
            "hears_on": "eves",
        }
    )
    rows["devices"] += [
        {"id": "eves", "kind": "talk-headset", "place": "studio"},
        {"id": "eve-pack", "kind": "beltpack", "place": "studio"},
        {"id": "matrix", "kind": "talk-matrix", "place": "van", "settings": {"k1-1": {"on": True}}},
    ]
    rows["cables"] += [
        {"from": "panel.out1", "to": "matrix.in1"},
        {"from": "matrix.out1", "to": "eve-pack.line-in"},
        {"from": "eve-pack.phones", "to": "eves.in"},
    ]


def left_down(rows: dict[str, Any]) -> None:
    row(rows, "devices", "panel")["settings"] = {"talk1": {"on": True}}


def latched(rows: dict[str, Any]) -> None:
    member(rows, "comm", "dee").pop("action")


def unknown(rows: dict[str, Any]) -> None:
    member(rows, "comm", "dee")["party"] = "de"


def unknown_key(rows: dict[str, Any]) -> None:
    member(rows, "comm", "ann")["key"] = "box.lazykey"


def silent(rows: dict[str, Any]) -> None:
    for one in row(rows, "circuits", "comm")["members"]:
        one["speaks"] = False


def two_circuits(rows: dict[str, Any]) -> None:
    """Everything by one matrix, and no telephone to fall back on."""
    rows["devices"].append({"id": "matrix", "kind": "talk-matrix", "place": "van", "settings": {"k2-1": {"on": True}}})
    rows["devices"].append({"id": "squawk", "kind": "talk-speaker", "place": "van", "at_m": [4, 1], "party": "sam"})
    rows["parties"].append(
        {"id": "sam", "name": "Sam", "kind": "crew", "place": "van", "at_m": [4, 1.5], "speaks": True, "listens": True}
    )
    rows["cables"] = [one for one in rows["cables"] if one["from"] not in ("panel.out1", "panel.out2", "box.lazy")]
    rows["cables"] += [
        {"from": "panel.out1", "to": "matrix.in1"},
        {"from": "box.lazy", "to": "matrix.in2"},
        {"from": "matrix.out1", "to": "panel.in1"},
        {"from": "matrix.out2", "to": "box.talk-in"},
        {"from": "matrix.out3", "to": "squawk.line-in"},
        {"from": "squawk.line-out", "to": "matrix.in3"},
    ]
    for one in row(rows, "circuits", "comm")["members"]:
        one["listen_key"] = "matrix.k1-2"
    row(rows, "circuits", "comm")["private"] = False
    members = [{"party": "sam", "key": "matrix.k3-2"}, {"party": "ann", "speaks": False}]
    rows["circuits"].append(
        {
            "id": "two",
            "name": "Second",
            "members": [{**members[0], "action": "momentary", "listen_key": "squawk.talk"}, members[1]],
        }
    )


def nobody_tells(rows: dict[str, Any]) -> None:
    rows["parties"].append(
        {
            "id": "hand",
            "name": "Hand",
            "kind": "crew",
            "place": "studio",
            "at_m": [7.9, 5.9],
            "speaks": False,
            "listens": True,
            "hears_on": "hands",
        }
    )
    rows["devices"].append({"id": "hands", "kind": "talk-headset", "place": "studio"})


def riggers(rows: dict[str, Any]) -> None:
    rows["parties"].append(
        {"id": "rig", "name": "Rig", "kind": "crew", "place": "van", "at_m": [2, 1], "speaks": True, "listens": True}
    )
    rows["crew"] = [{"id": "rig", "name": "Rig", "party": "rig", "does": ["rigging"]}]


BROKEN: list[tuple[Change, str, str]] = [
    (cut("panel.out1"), "cue-not-heard", "ann"),
    (camera, "camera-video-only", "cam"),
    (alone, "cannot-answer", "ann"),
    (drowned, "talk-under-noise", "ann"),
    (late, "talk-returns-late", "dee"),
    (on_air, "talk-on-air", "dee"),
    (slate, "talk-can-reach-air", "dee"),
    (overheard, "private-leaks", "dee"),
    (left_down, "talk-key-down", "dee"),
    (latched, "latching-to-air", "dee"),
    (unknown, "talk-unknown", "comm"),
    (unknown_key, "talk-unknown", "comm"),
    (silent, "circuit-mute", "comm"),
    (two_circuits, "talk-one-box", "matrix"),
    (nobody_tells, "talk-unreached", "hand"),
    (riggers, "rigging-without-talk", "rig"),
    (one_pair_of_hands, "work-nobody", "work-lay"),
]
NO_REMEDY = {"cannot-answer"}
"""Where nobody stands beside and no socket is free there is nothing to offer."""


def test_what_nobody_can_do_comes_first() -> None:
    """Not when the rest is done, with minutes to spare."""
    show = van(one_pair_of_hands)
    report = analyse(show)
    words = plan_words(report, plan_work(report))
    assert words.startswith(
        "2 tasks of 3 cannot be done: Leads: it takes 2, and 1 of the crew can do it; 1 more. The other 1 task for 2 people"
    )
    assert undoable(van().model_copy(update={"crew": show.crew}), ()) == ()


def test_a_show_that_keeps_them_all_breaks_none() -> None:
    assert talk(van()) == []


@pytest.mark.parametrize(("change", "code", "subject"), BROKEN, ids=[f"{row[1]}-{row[0].__name__}" for row in BROKEN])
def test_broken_it_is_found_and_its_remedy_mends_it(change: Change, code: str, subject: str) -> None:
    show = van(change)
    report = analyse(show)
    found = [one for one in report.findings if one.code == code]
    assert found, [one.code for one in talk(show)]
    assert found[0].subjects[0] == subject
    assert found[0].message.endswith((".", "?"))
    remedies = list(with_offers(report, found[0]).remedies)
    if code in NO_REMEDY:
        return
    assert remedies, code
    for remedy in remedies:
        after = [one for one in talk(remedy.apply(show)) if one.code == code and one.subjects == found[0].subjects]
        assert after == [], remedy.label


class TestSecondAct:
    """Four faults were left in it; remedies cure them all."""

    def test_they_are_found(self) -> None:
        codes = {one.code for one in talk(read_show(demo_path(FINAL)))}
        assert codes == {
            "camera-video-only",
            "cannot-answer",
            "talk-on-air",
            "private-leaks",
            "talk-key-down",
            "talk-under-noise",
            "talk-through-air",
        }

    def test_remedies_end_them(self) -> None:
        show = read_show(demo_path(FINAL))
        for _ in range(8):
            report = analyse(show)
            rows = (with_offers(report, one) for one in report.findings if one.stage == "Talk")
            offered = next((one.remedies for one in rows if one.remedies), ())
            if not offered:
                break
            show = offered[0].apply(show)
        # The key to the station is all that brings the sound engineer the director: released, she would be without, and by a crosspoint of
        # her own both panels come within 6 dB of howling. So nobody is offered either, and told why.
        report = analyse(show)
        left = [with_offers(report, one) for one in report.findings if one.stage == "Talk" and one.severity != "note"]
        assert {one.code for one in left} <= {"talk-on-air", "private-leaks", "talk-through-air"}
        refused = [" ".join(one.refused) for one in left]
        assert all("Key 1 to 8" in words for words in refused)
        assert any(
            "switch on: Talkback matrix, Key 1 to 2. Then " in words and "of howling" in words for words in refused
        )

    def test_none_makes_anything_else_worse(self) -> None:
        show = read_show(demo_path(FINAL))
        report = analyse(show)
        before = {(one.code, one.subjects) for one in report.findings if one.severity == "stop"}
        for finding in report.findings:
            if finding.stage != "Talk":
                continue
            for remedy in with_offers(report, finding).remedies:
                after = {
                    (one.code, one.subjects) for one in analyse(remedy.apply(show)).findings if one.severity == "stop"
                }
                assert {code for code, _ in after} <= {code for code, _ in before}, remedy.label


def test_a_pack_is_said_to_answer_only_where_its_answer_is_heard() -> None:
    """A station without a way back brings cues and takes no word; with it both."""

    def joined(rows: dict[str, Any]) -> None:
        camera(rows)
        rows["cables"].append({"from": "packs.join-out", "to": "panel.in3"})

    for change, words in ((camera, "and cannot answer on it."), (joined, "and answers by its key.")):
        analysis = computed(van(change))
        circuit = next(one for one in analysis.show.circuits if one.id == "cams")
        remedy = pack_for(analysis, circuit, analysis.show.party("cam"))
        assert remedy is not None
        assert remedy.effect.endswith(words)


def test_who_stands_beside_can_answer_for_somebody() -> None:
    def change(rows: dict[str, Any]) -> None:
        alone(rows)
        row(rows, "places", "studio")["ambient_dba"] = 84
        rows["parties"].append(
            {
                "id": "sam",
                "name": "Sam",
                "kind": "crew",
                "place": "studio",
                "at_m": [7, 2],
                "speaks": True,
                "listens": True,
                "hears_on": "sams",
            }
        )
        rows["devices"] += [
            {"id": "sams", "kind": "talk-headset", "place": "studio", "party": "sam"},
            {"id": "pack", "kind": "beltpack", "place": "studio"},
        ]
        rows["cables"] += [
            {"from": "panel.out3", "to": "pack.line-in"},
            {"from": "pack.line-out", "to": "panel.in3"},
            {"from": "pack.phones", "to": "sams.in"},
            {"from": "sams.mic", "to": "pack.headset-mic"},
        ]
        row(rows, "circuits", "comm")["members"].append({"party": "sam", "key": "pack.talk"})

    report = analyse(van(change))
    finding = next(one for one in report.findings if one.code == "cannot-answer")
    remedies = list(with_offers(report, finding).remedies)
    assert "Sam answers for Ann" in [one.label for one in remedies]
    after = next(one for one in remedies if one.label == "Sam answers for Ann").apply(report.show)
    assert "cannot-answer" not in {one.code for one in talk(after)}


@pytest.mark.parametrize(
    ("by", "at", "words"),
    [("gone", [3, 2], "not in the show"), ("dee", None, "another place"), ("ann", None, "cannot be heard")],
)
def test_a_relay_that_is_none_is_told(by: str, at: Any, words: str) -> None:
    def change(rows: dict[str, Any]) -> None:
        alone(rows)
        member(rows, "comm", "ann")["spoken_for_by"] = by

    finding = next(one for one in talk(van(change)) if one.code == "cannot-answer")
    assert words in finding.message


@pytest.mark.parametrize(
    "wrong",
    [
        {"circuits": [{"id": "a", "members": ["nobody"]}]},
        {"circuits": [{"id": "a", "overrides": ["a", "b"], "members": ["ann"]}]},
        {
            "circuits": [
                {
                    "id": "a",
                    "members": [
                        {"party": "ann", "key": "x.y", "cue_light": "z", "hears_on": "q.r", "spoken_for_by": "w"}
                    ],
                }
            ]
        },
        {"lines": [{"id": "l", "at": "line.nothing", "reserve_for": "l"}]},
        {"crew": [{"id": "c", "name": "C", "party": "nobody"}]},
        {"tasks": [{"id": "t", "text": "T", "after": ["u"], "who": ["v"], "place": "w"}]},
    ],
    ids=lambda row: next(iter(row)),
)
def test_names_that_lead_nowhere_are_told_and_the_rest_is_computed(wrong: dict[str, Any]) -> None:
    report = analyse(van(lambda rows: rows.update(wrong)))
    found = [one for one in report.findings if one.code == "talk-unknown"]
    assert found
    assert report.feeds["air", "ann"].verdict == "heard" or report.feeds["air", "ann"].path is not None
    for one in found:
        for remedy in one.remedies:
            left = [row for row in analyse(remedy.apply(report.show)).findings if row.code == "talk-unknown"]
            assert len(left) < len(found)


def test_a_circuit_may_be_written_by_ids_alone() -> None:
    """As older files have it."""
    show = van(lambda rows: rows.update(circuits=[{"id": "old", "members": ["ann", "dee"]}]))
    assert [one.party for one in show.circuits[0].members] == ["ann", "dee"]
    assert all(one.speaks and one.hears for one in show.circuits[0].members)


def test_somebody_twice_on_a_circuit_is_refused() -> None:
    with pytest.raises(ValueError, match="ann is on this circuit twice"):
        van(lambda rows: rows.update(circuits=[{"id": "old", "members": ["ann", "ann"]}]))
