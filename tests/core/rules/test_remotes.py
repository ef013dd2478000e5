"""Mix-minus by its rule: n remote parties need n different mixes (common practice)."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.graph.routing import goes_astray
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.mixes.ways_out import ways_out
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.report.sheet import feed_severity
from kymaphon.core.wiring.plugging import inserted
from tests.core.hand_typed import two_calls
from tests.core.rigs import of_code


def remotes(*, shared: bool) -> Show:
    """A presenter and two remote guests on one desk: each fed from a send of its own, or both from send 1."""
    parties = [
        {
            "id": "host",
            "name": "Host",
            "kind": "presenter",
            "place": "room",
            "at_m": [1, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "phones",
        },
    ]
    devices = [
        {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "host", "at_m": [1.15, 1]},
        {"id": "phones", "kind": "headphones"},
    ]
    cables = [{"from": "mic.out", "to": "desk.in1"}, {"from": "desk.phones", "to": "phones.in"}]
    settings: dict[str, dict[str, object]] = {"in1": {"gain_db": 60}, "phones-knob": {"gain_db": -26}}
    wants = [{"listener": "host", "voice": "host", "want": "local"}]
    for i in (1, 2):
        send = 1 if shared else i
        parties.append(
            {
                "id": f"far{i}",
                "name": f"Far {i}",
                "kind": "remote",
                "speaks": True,
                "listens": True,
                "hears_on": f"tel{i}",
            }
        )
        devices += [
            {"id": f"tel{i}", "kind": "phone", "party": f"far{i}"},
            {"id": f"codec{i}", "kind": "call-codec"},
        ]
        cables += [
            {"from": f"tel{i}.call-out", "to": f"codec{i}.far-in"},
            {"from": f"codec{i}.near-out", "to": f"desk.in{4 + i}"},
            {"from": f"codec{i}.far-out", "to": f"tel{i}.call-in"},
            {"from": f"desk.send{send}", "to": f"codec{i}.near-in"},
        ]
        settings[f"in1>send{i}"] = {"on": True}
        other = 3 - i
        settings.setdefault(f"in{4 + i}>send{1 if shared else other}", {"on": True})
        wants += [
            {"listener": f"far{i}", "voice": "host", "want": "hear"},
            {"listener": f"far{i}", "voice": f"far{other}", "want": "hear"},
            {"listener": "host", "voice": f"far{i}", "want": "hear"},
        ]
    devices.append({"id": "desk", "kind": "desk-8", "settings": settings})
    return Show.model_validate(
        {
            "places": [{"id": "room", "name": "Room", "ambient_dba": 25}],
            "parties": parties,
            "devices": devices,
            "cables": cables,
            "wants": wants,
        }
    )


def backs(show: Show) -> set[str]:
    return {row.subjects[0] for row in analyse(show).findings if row.code == "own-voice-back"}


def test_a_mix_each_and_nobody_hears_themselves_late() -> None:
    analysis = analyse(remotes(shared=False))
    assert backs(remotes(shared=False)) == set()
    assert {feed.verdict for feed in analysis.feeds.values()} <= {"heard", "local", "silent", "quiet", "loud"}


def test_one_mix_for_both_gives_both_themselves_back() -> None:
    assert backs(remotes(shared=True)) == {"far1", "far2"}


def test_and_no_switch_cures_that_without_taking_one_from_the_other() -> None:
    """The planner's job: one send cannot be two mixes. It is said, with the pair that would lose."""
    rows = [row for row in analyse(remotes(shared=True)).findings if row.code == "own-voice-back"]
    assert all(row.remedies == () for row in rows)
    assert "Far 2 would lose Far 1" in rows[0].message


@pytest.mark.parametrize("which", [1, 2])
def test_a_wrong_send_is_found_and_taken_back(which: int) -> None:
    good = remotes(shared=False)
    ref = SettingRef("desk", f"in{4 + which}>send{which}", "on")
    bad = SetValue(ref, True).apply(good)
    assert backs(bad) == {f"far{which}"}
    remedy = next(row for row in analyse(bad).findings if row.code == "own-voice-back").remedies[0]
    assert remedy.edits == (SetValue(ref, False),)
    assert backs(remedy.apply(bad)) == set()


def test_the_round_trip_is_twice_the_codec_and_once_the_air() -> None:
    bad = SetValue(SettingRef("desk", "in5>send1", "on"), True).apply(remotes(shared=False))
    feed = analyse(bad).feeds["far1", "far1"]
    assert feed.delay_ms == pytest.approx(2 * 82 + 0.05 * 2.914, abs=0.01)


def test_two_wrong_sends_are_two_findings_and_two_presses() -> None:
    show = apply_all(
        remotes(shared=False),
        tuple(SetValue(SettingRef("desk", f"in{4 + i}>send{i}", "on"), True) for i in (1, 2)),
    )
    presses = 0
    while rows := [row for row in analyse(show).findings if row.code == "own-voice-back"]:
        show = rows[0].remedies[0].apply(show)
        presses += 1
        assert presses < 5
    assert presses == 2


def test_a_return_by_the_air_turns_at_the_loudspeaker_and_headphones_stop_it() -> None:
    """Common practice: what comes back from a far end's loudspeaker is stopped there, by headphones, and by no switch here."""
    one = analyse(two_calls())
    (back,) = of_code(one.show, "own-voice-back")
    assert back.subjects == ("kim",)
    assert "It turns round in Ola's loudspeaker (Ola's flat)" in back.message
    assert "headphones at that end" in back.message
    (aloud,) = of_code(one.show, "remote-on-loudspeaker")
    remedy = next(row for row in aloud.remedies if row.id == "headphones")
    after = analyse(remedy.apply(one.show))
    assert not of_code(after.show, "own-voice-back")
    assert not of_code(after.show, "remote-on-loudspeaker")
    assert after.show.party("ola").hears_on == "phones-ola"
    assert [row.target for row in after.show.cables if row.source.startswith("opc.phones")] == ["phones-ola.in"]
    assert after.feeds["ola", "kim"].path is not None


def test_for_a_return_by_the_air_headphones_are_offered_and_no_other_mix() -> None:
    """And the loudspeaker that nothing is plugged into then is worth a note, nothing to mend."""
    one = analyse(two_calls())
    (back,) = of_code(one.show, "own-voice-back")
    offered = offers_of(one, back)
    assert [row.id for row in offered.remedies] == ["headphones"]
    after = analyse(offered.remedies[0].apply(one.show))
    unplugged = [row for row in after.findings if row.code == "loudspeaker-into-microphone"]
    assert [row.severity for row in unplugged] == ["note"] * len(unplugged)
    before = {row.key for row in one.findings if row.severity != "note"}
    assert {row.key for row in after.findings if row.severity != "note"} <= before


def test_headphones_take_the_socket_behind_what_lies_between() -> None:
    """An isolator between laptop and loudspeaker: the headphones are plugged into the laptop, not into the isolator."""
    one = analyse(two_calls())
    cable = next(row for row in one.show.cables if row.target == "box.in")
    between = analyse(apply_all(one.show, inserted(one.show, one.catalogue, (cable,), "isolator-line", "Isolator")))
    (aloud,) = of_code(between.show, "remote-on-loudspeaker")
    after = analyse(next(row for row in aloud.remedies if row.id == "headphones").apply(between.show))
    assert [row.target for row in after.show.cables if row.source.startswith("opc.phones")] == ["phones-ola.in"]
    (back,) = of_code(between.show, "own-voice-back")
    assert "turns round in Ola's loudspeaker" in back.message


def test_two_calls_in_one_computer_are_mixed_there_though_one_end_is_on_a_loudspeaker() -> None:
    """Each caller a mix without themselves from one mixer program; no interface output is taken for it."""
    show = two_calls()
    plan = plan_feeds(show, analyse(show).catalogue)
    assert not plan.whole
    way = next(row for row in ways_out(show, analyse(show).catalogue, plan) if row.sort == "computer")
    after = analyse(apply_all(show, way.edits))
    for listener, voice in (("kim", "piet"), ("ola", "piet"), ("piet", "ola"), ("ola", "kim")):
        feed = after.feeds[listener, voice]
        assert feed.path is not None
        assert not goes_astray(feed.path), (listener, voice)
    mixers = [row.id for row in after.show.devices if row.kind.startswith("soft-mixer")]
    feeding = {row.source.partition(".")[0] for row in after.show.cables if row.target in ("first.mic", "second.mic")}
    assert list(feeding) == mixers
    again = plan_feeds(after.show, after.catalogue)
    assert not [edit for edit in again.edits if edit not in again.wants]
    assert not [row for row in ways_out(after.show, after.catalogue, again) if row.edits]


def test_a_voice_whose_own_microphone_is_weaker_than_its_bleed_is_not_missing() -> None:
    """It is there by its own way, too weak: that is a matter of level. With its own send off, only bleed is left, and it is missing."""
    raw = remotes(shared=False).model_dump(mode="json", exclude_none=True)
    raw["devices"][0]["kind"] = "reporter-omni"
    raw["parties"].append(
        {"id": "guest", "name": "Guest", "kind": "guest", "place": "room", "at_m": [1.4, 1], "speaks": True}
    )
    raw["devices"].append(
        {"id": "gmic", "kind": "dynamic-close", "place": "room", "party": "guest", "at_m": [1.4, 1.15]}
    )
    raw["cables"].append({"from": "gmic.out", "to": "desk.in2"})
    raw["wants"].append({"listener": "far1", "voice": "guest", "want": "hear"})
    show = apply_all(Show.model_validate(raw), (SetValue(SettingRef("desk", "in2", "gain_db"), 40.0),))
    send = SettingRef("desk", "in2>send1", "on")
    bled = analyse(show).feeds["far1", "guest"]
    assert bled.path is not None
    assert goes_astray(bled.path)
    assert bled.verdict == "missing"
    weak = analyse(apply_all(show, (SetValue(send, True),))).feeds["far1", "guest"]
    assert weak.path is not None
    assert not goes_astray(weak.path)
    assert weak.path.gain_db < bled.path.gain_db
    assert weak.verdict == "quiet"


def test_a_pair_is_marked_as_its_finding_says() -> None:
    """An own voice that comes back is a stop, and with echo control on its way no more than a note; so is its mark among the pairs."""
    one = analyse(two_calls())
    marks = {key: feed_severity(one, feed) for key, feed in one.feeds.items()}
    assert one.feeds["kim", "kim"].verdict == "back"
    assert marks["kim", "kim"] == "note"
    assert marks["kim", "piet"] == "fix"
    assert marks["kim", "ola"] is None
    switch = SetValue(SettingRef("first", "far-echo", "on"), False)
    off = analyse(apply_all(one.show, (switch,)))
    assert feed_severity(off, off.feeds["kim", "kim"]) == "stop"
