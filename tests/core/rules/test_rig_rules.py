"""For every rule of Rig: a show that breaks it, one that does not, and remedies that turn the first into the second."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.model.show import Show
from tests.core.rigs import MUSIC, STUDIO, TAPE, VOICE, dev, of_code, rig, rig_codes, wire

DESK = dev("desk", "desk-8", settings={"in1": {"gain_db": 45}})
LAPTOP = dev("laptop", "laptop")
BARE = {
    "id": "odd",
    "name": "Odd box",
    "group": "desk",
    "about": "Own.",
    "inputs": [{"id": "in", "name": "in", "domain": "analog", "level": "mic", "impedance_ohm": 2000}],
}
RUN = {"id": "feed", "name": "Light feed", "sort": "dimmed", "points_m": [[1, 3], [7, 3]], "current_a": 10}


def _studio(**more: object) -> list[dict[str, object]]:
    return [{**STUDIO, **more}]


def _mic_to_desk(kind: str = "dynamic-close", *extra: dict[str, object], **cable: object) -> Show:
    return rig([dev("mic", kind, at_m=[1, 1]), DESK, *extra], [wire("mic.out", "desk.in1", length_m=5, **cable)])


def _chain(**settings: object) -> Show:
    """Voice, streaming box, laptop, recorder."""
    return rig(
        [
            dev("mic", "dynamic-close"),
            LAPTOP,
            dev("box", "stream-box", host="laptop", power="adaptor", settings={"in1": {"gain_db": 48}, **settings}),
            dev("rec", "recorder", host="laptop"),
        ],
        [wire("mic.out", "box.in1"), wire("box.usb", "rec.in")],
        [VOICE, TAPE],
    )


def _app(*parties: dict[str, object], **settings: object) -> Show:
    """A microphone and a player into a conference app with somebody at the far end."""
    far = {"id": "far", "name": "Far", "kind": "remote", "listens": True, "hears_on": "phone"}
    return rig(
        [
            dev("mic", "usb-microphone", host="laptop"),
            LAPTOP,
            dev("disc", "player-run-on"),
            dev("app", "conference-app", host="laptop", settings=settings),
            dev("phone", "phone"),
        ],
        [wire("mic.usb", "app.mic"), wire("app.far", "phone.call-in")],
        [VOICE, far, *parties],
    )


def _music_in_app() -> Show:
    show = _app()
    song = {**MUSIC, "plays_on": "app.mic"}
    return Show.model_validate({**show.model_dump(by_alias=True), "parties": [*show.model_dump()["parties"], song]})


def _interface(kind: str = "interface-2", *, second: bool = True, **settings: object) -> Show:
    """Two microphones in an interface; a software mixer takes input 1 and, with `second`, input 2."""
    other = {"id": "tam", "name": "Tam", "kind": "guest", "place": "studio", "at_m": [4, 4], "speaks": True}
    cables = [
        wire("mic.out", "face.in1"),
        wire("mic2.out", "face.in2"),
        wire("face.usb1", "mix.in1"),
        wire("mix.out", "rec.in"),
    ]
    if second:
        cables.insert(3, wire("face.usb2", "mix.in2"))
    return rig(
        [
            dev("mic", "dynamic-close"),
            dev("mic2", "dynamic-close", party="tam"),
            LAPTOP,
            dev("face", kind, host="laptop", settings=settings),
            dev("mix", "soft-mixer", host="laptop"),
            dev("rec", "recorder", host="laptop"),
        ],
        cables,
        [VOICE, other, TAPE],
    )


def _plain_pair() -> Show:
    """One voice on the left input of an interface that records on one pair."""
    return rig(
        [
            dev("mic", "dynamic-close"),
            LAPTOP,
            dev("face", "interface-2-plain", host="laptop", settings={"in1": {"gain_db": 50, "pan": -1}}),
            dev("mix", "soft-mixer", host="laptop"),
            dev("rec", "recorder", host="laptop"),
        ],
        [wire("mic.out", "face.in1"), wire("face.usb", "mix.in5"), wire("mix.out", "rec.in")],
        [VOICE, TAPE],
    )


def _through_the_computer(**settings: object) -> Show:
    """Mira hears herself by the software's monitor."""
    mira = {**VOICE, "listens": True, "hears_on": "cans"}
    return rig(
        [
            dev("mic", "dynamic-close"),
            LAPTOP,
            dev("face", "interface-2-plain", host="laptop", settings={"in1": {"gain_db": 50}, **settings}),
            dev("mix", "soft-mixer", host="laptop"),
            dev("rec", "recorder", host="laptop"),
            dev("cans", "headphones"),
        ],
        [
            wire("mic.out", "face.in1"),
            wire("face.usb", "mix.in5"),
            wire("mix.mon", "face.usb-in"),
            wire("mix.out", "rec.in"),
            wire("face.phones", "cans.in"),
        ],
        [mira, TAPE],
    )


def _round_trip() -> Show:
    song = {**MUSIC, "plays_on": "mix.in5"}
    return rig(
        [
            LAPTOP,
            dev("mix", "soft-mixer", host="laptop"),
            dev("face", "interface-2-loop", host="laptop"),
            DESK,
            dev("rec", "multitrack", host="laptop"),
        ],
        [
            wire("mix.out", "face.usb-in"),
            wire("face.line-out.l", "desk.in5"),
            wire("desk.main-out.l", "face.in1"),
            wire("face.usb1", "rec.in1"),
        ],
        [song, {**TAPE, "hears_on": "rec.track1"}],
    )


def _beside(**run: object) -> Show:
    return rig(
        [
            dev("mic", "dynamic-close", at_m=[1, 1]),
            dev("desk", "desk-8", at_m=[7, 3.2], settings={"in1": {"gain_db": 45}}),
        ],
        [wire("mic.out", "desk.in1", length_m=9, route_m=[[1, 3.05], [6.9, 3.05]])],
        places=_studio(runs=[{**RUN, **run}]),
    )


def _loop(second: str = "laptop", **more: object) -> Show:
    """Desk and laptop on earthed mains, joined by the laptop's headset socket, which is not balanced."""
    return rig([DESK, dev("laptop", second, **more)], [wire("laptop.phones.l", "desk.in5")])


def _headset(**cable: object) -> Show:
    listener = {"id": "ear", "name": "Ear", "kind": "guest", "listens": True, "hears_on": "set.ear"}
    return rig([LAPTOP, dev("set", "call-headset")], [wire("laptop.phones", "set.in", **cable)], [listener])


def _bus(**more: object) -> Show:
    """Two condensers on phantom power from an interface on a phone."""
    phantom = {"phantom": True, "gain_db": 30}
    return rig(
        [
            dev("mic", "condenser-slim"),
            dev("phone", "smartphone"),
            dev("face", "interface-2", host="phone", settings={"in1": phantom}),
            *([more["extra"]] if "extra" in more else []),
        ],
        [wire("mic.out", "face.in1")],
    )


BREAKS: dict[str, Show] = {
    "plug-mismatch": rig([dev("mic", "dynamic-close"), dev("gear", "desk-stereo")], [wire("mic.out", "gear.in5")]),
    "plug-impossible": rig([LAPTOP, DESK], [wire("laptop.radio", "desk.usb-in")]),
    "contacts-mismatch": rig([LAPTOP, dev("mic", "dynamic-close")], [wire("mic.out", "laptop.headset-mic")]),
    "stereo-into-balanced": rig([dev("song", "player-run-on"), DESK], [wire("song.out", "desk.in5")]),
    "line-into-mic": rig([DESK, dev("pocket", "desk-pocket")], [wire("desk.main-out.l", "pocket.in1")]),
    "mic-into-line": rig([dev("mic", "dynamic-close"), DESK], [wire("mic.out", "desk.in5", adapter="xlr-jack")]),
    "professional-into-consumer": rig(
        [DESK, dev("box", "stream-box", power="adaptor")], [wire("desk.send1", "box.music", adapter="jack-minijack")]
    ),
    "consumer-into-professional": rig(
        [dev("disc", "player"), DESK], [wire("disc.out.l", "desk.in7", adapter="jack-phono")]
    ),
    "headphones-from-line": rig(
        [DESK, dev("cans", "headphones")], [wire("desk.send1", "cans.in", adapter="both-ears")]
    ),
    "loaded-down": rig(
        [dev("guitar", "guitar-passive"), LAPTOP, dev("face", "interface-2", host="laptop")],
        [wire("guitar.out", "face.in1", length_m=3)],
    ),
    "speaker-into-input": rig(
        [dev("amp", "desk-powered"), dev("wedge", "loudspeaker"), dev("desk", "desk-8")],
        [wire("amp.speakers.l", "desk.in5")],
    ),
    "no-amplifier": rig([DESK, dev("horn", "loudspeaker-passive")], [wire("desk.main-out.l", "horn.in")]),
    "length-not-known": rig([dev("keys", "keyboard"), dev("box", "di-passive")], [wire("keys.out.l", "box.in")]),
    "plug-not-known": rig([dev("mic", "dynamic-close"), dev("odd", "odd")], [wire("mic.out", "odd.in")], kinds=[BARE]),
    "socket-shared": rig(
        [dev("mic", "dynamic-close"), DESK, dev("other", "desk-pocket")],
        [wire("mic.out", "desk.in1"), wire("mic.out", "other.in1")],
    ),
    "long-unbalanced": rig([dev("guitar", "guitar-passive"), DESK], [wire("guitar.out", "desk.in5", length_m=12)]),
    "socket-overloaded": rig(
        [
            dev("mic", "condenser-broad", at_m=[1, 1.1]),
            dev(
                "desk",
                "desk-8",
                settings={
                    "in1": {"gain_db": 58, "phantom": True},
                    "in1>send1": {"on": True, "gain_db": 10},
                    "send1": {"fader_db": 10},
                },
            ),
            dev("pocket", "desk-pocket"),
            dev("rec", "recorder"),
        ],
        [wire("mic.out", "desk.in1"), wire("desk.send1", "pocket.in1", adapter="xlr-jack"), wire("desk.usb", "rec.in")],
        [{**VOICE, "effort": "shouted"}, TAPE],
    ),
    "phantom-missing": _mic_to_desk("condenser-slim"),
    "phantom-harms": rig(
        [dev("mic", "ribbon-eight"), dev("desk", "desk-8", settings={"in1": {"phantom": True}})],
        [wire("mic.out", "desk.in1")],
    ),
    "phantom-idle": rig(
        [dev("mic", "dynamic-close"), dev("desk", "desk-8", settings={"in1": {"phantom": True}})],
        [wire("mic.out", "desk.in1")],
    ),
    "bus-over-budget": _bus(),
    "bus-unknown": rig([dev("box", "desk-pocket"), dev("face", "interface-2", host="box")], []),
    "host-not-told": rig([dev("face", "interface-2")], []),
    "beside-power": _beside(),
    "routes-not-told": rig(
        [dev("mic", "dynamic-close", at_m=[1, 1]), DESK], [wire("mic.out", "desk.in1")], places=_studio(runs=[RUN])
    ),
    "earth-loop": _loop(),
    "control-down": _chain(**{"record-slider": {"gain_db": -60}}),
    "two-of-a-kind": rig(
        [
            dev("mic", "dynamic-close"),
            LAPTOP,
            dev("box", "stream-box", host="laptop", power="adaptor", settings={"in1": {"gain_db": 48}}),
            dev("fx", "soft-mixer-effects", settings={"reverb": {"on": True}}),
            dev("rec", "recorder"),
        ],
        [wire("mic.out", "box.in1"), wire("box.usb.l", "fx.in1"), wire("fx.out", "rec.in")],
        [VOICE, TAPE],
    ),
    "processing-against-music": _music_in_app(),
    "echo-control-off": rig(
        [
            dev("mic", "usb-microphone", host="laptop"),
            LAPTOP,
            dev("app", "conference-app", host="laptop", settings={"echo": {"on": False}}),
            dev("phone", "phone"),
            dev("box", "loudspeaker", at_m=[3, 3]),
            DESK,
        ],
        [wire("mic.usb", "app.mic"), wire("app.far", "phone.call-in"), wire("desk.main-out.l", "box.in")],
        [VOICE, {"id": "far", "name": "Far", "kind": "remote", "listens": True, "hears_on": "phone"}],
    ),
    "control-on-air": _chain(),
    "restart-needed": _chain(ducking={"on": True}),
    "one-sided": _plain_pair(),
    "not-plugged": rig([dev("mic", "dynamic-close"), DESK], []),
    "input-goes-nowhere": _interface(second=False, in1={"gain_db": 50}, in2={"gain_db": 50}),
    "monitor-late": _through_the_computer(),
    "out-and-back": _round_trip(),
    "wireless-music": rig(
        [dev("song", "player-run-on"), dev("box", "stream-box", power="adaptor")],
        [wire("song.radio", "box.music-radio")],
    ),
    "headset-adds-microphone": _headset(),
}

KEEPS: dict[str, Show] = {
    "plug-mismatch": _mic_to_desk(),
    "plug-impossible": _interface(),
    "contacts-mismatch": rig(
        [LAPTOP, dev("mic", "dynamic-close")], [wire("mic.out", "laptop.headset-mic", adapter="headset-splitter")]
    ),
    "stereo-into-balanced": rig(
        [dev("song", "player-run-on"), DESK], [wire("song.out.l", "desk.in5", adapter="stereo-breakout")]
    ),
    "line-into-mic": rig([DESK, dev("other", "desk-12-4")], [wire("desk.main-out.l", "other.in9", adapter="xlr-jack")]),
    "mic-into-line": _mic_to_desk(),
    "professional-into-consumer": rig(
        [dev("song", "player-run-on"), dev("box", "stream-box", power="adaptor")], [wire("song.out", "box.music")]
    ),
    "consumer-into-professional": rig(
        [dev("disc", "player"), dev("desk", "desk-8", settings={"in7": {"gain_db": 12}})],
        [wire("disc.out.l", "desk.in7", adapter="jack-phono")],
    ),
    "headphones-from-line": rig([DESK, dev("cans", "headphones")], [wire("desk.phones", "cans.in")]),
    "loaded-down": rig(
        [
            dev("guitar", "guitar-passive"),
            LAPTOP,
            dev("face", "interface-2", host="laptop", settings={"in1": {"hi_z": True}}),
        ],
        [wire("guitar.out", "face.in1", length_m=3)],
    ),
    "speaker-into-input": rig(
        [dev("amp", "desk-powered"), dev("horn", "loudspeaker-passive")], [wire("amp.speakers.l", "horn.in")]
    ),
    "no-amplifier": rig(
        [dev("amp", "desk-powered"), dev("horn", "loudspeaker-passive")], [wire("amp.speakers.l", "horn.in")]
    ),
    "length-not-known": _mic_to_desk(),
    "plug-not-known": _mic_to_desk(),
    "socket-shared": rig(
        [dev("mic", "dynamic-close"), dev("split", "splitter-3"), DESK, dev("other", "desk-pocket")],
        [wire("mic.out", "split.in"), wire("split.direct", "desk.in1"), wire("split.iso1", "other.in1")],
    ),
    "long-unbalanced": rig(
        [dev("guitar", "guitar-passive"), dev("box", "di-active")], [wire("guitar.out", "box.in", length_m=3)]
    ),
    "socket-overloaded": _mic_to_desk(),
    "phantom-missing": rig(
        [dev("mic", "condenser-slim"), dev("desk", "desk-8", settings={"in1": {"phantom": True}})],
        [wire("mic.out", "desk.in1")],
    ),
    "phantom-harms": rig([dev("mic", "ribbon-eight"), DESK], [wire("mic.out", "desk.in1")]),
    "phantom-idle": rig(
        [dev("mic", "condenser-slim"), dev("desk", "desk-8", settings={"in1": {"phantom": True}})],
        [wire("mic.out", "desk.in1")],
    ),
    "bus-over-budget": rig([LAPTOP, dev("face", "interface-2", host="laptop")], []),
    "bus-unknown": rig([LAPTOP, dev("face", "interface-2", host="laptop")], []),
    "host-not-told": rig([LAPTOP, dev("face", "interface-2", host="laptop")], []),
    "beside-power": rig(
        [
            dev("mic", "dynamic-close", at_m=[4, 1]),
            dev("desk", "desk-8", at_m=[4, 5.5], settings={"in1": {"gain_db": 45}}),
        ],
        [wire("mic.out", "desk.in1")],
        places=_studio(runs=[RUN]),
    ),
    "routes-not-told": _beside(),
    "earth-loop": _loop("laptop-old"),
    "control-down": _chain(),
    "two-of-a-kind": _chain(),
    "processing-against-music": _app(),
    "echo-control-off": _app(),
    "control-on-air": _interface(),
    "restart-needed": _chain(),
    "one-sided": _interface(),
    "not-plugged": _mic_to_desk(),
    "input-goes-nowhere": _interface(),
    "monitor-late": _through_the_computer(**{"in1>monitor": {"on": True}}),
    "out-and-back": _interface(),
    "wireless-music": rig(
        [dev("song", "player-run-on"), dev("box", "stream-box", power="adaptor")], [wire("song.out", "box.music")]
    ),
    "headset-adds-microphone": _headset(adapter="headset-splitter"),
}


def test_every_rule_has_both() -> None:
    assert BREAKS.keys() == KEEPS.keys()


@pytest.mark.parametrize("code", BREAKS)
def test_a_show_breaks_it(code: str) -> None:
    found = of_code(BREAKS[code], code)
    assert found, rig_codes(BREAKS[code])
    assert all(row.stage == "Rig" and row.message.endswith(".") for row in found)


@pytest.mark.parametrize("code", KEEPS)
def test_a_show_keeps_it(code: str) -> None:
    assert of_code(KEEPS[code], code) == []


@pytest.mark.parametrize("code", BREAKS)
def test_each_remedy_mends_it(code: str) -> None:
    """Each remedy takes its finding away, and what it makes is a show that can be computed."""
    show = BREAKS[code]
    found = of_code(show, code)
    assert found[0].remedies, "a rule without a remedy"
    for finding in found:
        for remedy in finding.remedies:
            after = analyse(remedy.apply(show))
            left = [row for row in after.findings if row.key == finding.key]
            assert left == [], (remedy.label, left[0].message)
            assert remedy.label
            assert remedy.effect.endswith(".")


@pytest.mark.parametrize("code", BREAKS)
def test_the_first_remedy_makes_nothing_worse(code: str) -> None:
    """No new sort of stop or fix of Rig."""
    show = BREAKS[code]
    before = {row.code for row in analyse(show).findings}
    for finding in of_code(show, code):
        after = analyse(finding.remedies[0].apply(show))
        fresh = [
            row for row in after.findings if row.code not in before and row.severity != "note" and row.stage == "Rig"
        ]
        assert fresh == [], (finding.remedies[0].label, [row.message for row in fresh])


def test_what_gets_as_far_as_the_laptop_can_be_recorded_there() -> None:
    """A USB microphone in a laptop on which nothing takes it: one press, and it is on a recording."""
    show = rig(
        [
            dev("mic", "usb-microphone", party="mira", at_m=[1.1, 1], host="pc"),
            dev("pc", "laptop"),
            dev("cans", "headphones"),
        ],
        [wire("mic.usb", "pc.usb1"), wire("pc.phones", "cans.in")],
        [{**VOICE, "listens": True, "hears_on": "cans"}],
    )
    (row,) = of_code(show, "input-goes-nowhere")
    assert "no further" in row.message
    (remedy,) = offers_of(analyse(show), row).remedies
    after = analyse(remedy.apply(show))
    assert not [found for found in after.findings if found.code == "input-goes-nowhere"]
    heard = next(feed for key, feed in after.feeds.items() if key[0].startswith("recording"))
    assert heard.gain_db is not None
    assert after.show.devices[-1].host == "pc"
