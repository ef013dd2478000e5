"""A studio with remote guests on one desk, and a streamer with calls in a laptop, for the tests of the planner: no wants but those of the roles."""

from __future__ import annotations

from typing import Any

from kymaphon.core.model.show import Show

FIRST_LINE = {"desk-8": 5, "desk-1-send": 5, "desk-stereo": 5, "desk-12-4": 9, "desk-direct": 5}
"""The channel that the first remote guest comes in by."""


def studio(desk: str, remotes: int, *, wants: list[dict[str, Any]] | None = None, **settings: Any) -> Show:
    """A host with headphones on the desk's, a stream from its main out, and so many telephones whose sends are not plugged.

    Args:
        settings: more settings of the desk, by key; `_` for `>`.
    """
    first = FIRST_LINE[desk]
    parties: list[dict[str, Any]] = [
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
        {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "encoder"},
    ]
    devices: list[dict[str, Any]] = [
        {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "host", "at_m": [1.15, 1]},
        {"id": "phones", "kind": "headphones"},
        {"id": "face", "kind": "interface-2-plain"},
        {"id": "encoder", "kind": "stream-encoder"},
    ]
    cables: list[dict[str, Any]] = [
        {"from": "mic.out", "to": "desk.in1"},
        {"from": "desk.phones", "to": "phones.in"},
        {"from": "desk.main-out.l", "to": "face.in1"},
        {"from": "desk.main-out.r", "to": "face.in2"},
        {"from": "face.usb", "to": "encoder.in"},
    ]
    for i in range(1, remotes + 1):
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
            {"from": f"codec{i}.near-out", "to": f"desk.in{first - 1 + i}"},
            {"from": f"codec{i}.far-out", "to": f"tel{i}.call-in"},
        ]
    given = {
        "in1": {"gain_db": 50},
        "phones-knob": {"gain_db": -26},
        **{k.replace("_", ">"): v for k, v in settings.items()},
    }
    devices.append({"id": "desk", "kind": desk, "settings": given})
    return Show.model_validate(
        {
            "places": [{"id": "room", "name": "Room", "ambient_dba": 25}],
            "parties": parties,
            "devices": devices,
            "cables": cables,
            "wants": wants or [],
        }
    )


def calls(count: int, *more: dict[str, Any]) -> Show:
    """A streamer with an interface and so many call apps in one laptop; the interface plays the first call and nothing takes the others."""
    parties: list[dict[str, Any]] = [
        {
            "id": "host",
            "name": "Host",
            "kind": "presenter",
            "place": "room",
            "at_m": [1, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "ears",
        },
        {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
    ]
    devices: list[dict[str, Any]] = [
        {"id": "pc", "kind": "laptop", "name": "Laptop", "place": "room"},
        {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "host", "at_m": [1.15, 1]},
        {"id": "face", "kind": "interface-2", "name": "Interface", "host": "pc", "settings": {"in1": {"gain_db": 55}}},
        {"id": "enc", "kind": "stream-encoder", "host": "pc"},
        {"id": "ears", "kind": "headphones", "place": "room"},
        *more,
    ]
    cables = [
        ("mic.out", "face.in1"),
        ("face.phones", "ears.in"),
        ("face.usb34", "enc.in"),
        ("app1.out", "face.usb-in"),
    ]
    for i in range(1, count + 1):
        parties.append(
            {
                "id": f"far{i}",
                "name": f"Far {i}",
                "kind": "remote",
                "place": "away",
                "speaks": True,
                "listens": True,
                "hears_on": f"tel{i}",
            }
        )
        devices += [
            {"id": f"app{i}", "name": f"Call {i}", "kind": "conference-app", "host": "pc"},
            {"id": f"tel{i}", "kind": "phone", "party": f"far{i}"},
        ]
        cables += [
            ("face.usb1", f"app{i}.mic"),
            (f"app{i}.far", f"tel{i}.call-in"),
            (f"tel{i}.call-out", f"app{i}.far-in"),
        ]
    return Show.model_validate(
        {
            "places": [{"id": "room", "name": "Room"}, {"id": "away", "name": "Away"}],
            "parties": parties,
            "devices": devices,
            "cables": [{"from": a, "to": b} for a, b in cables],
        }
    )


def laptop_only() -> Show:
    """A streamer with a USB microphone and one call in a laptop; the stream takes an input of the laptop that nothing comes into."""
    parties: list[dict[str, Any]] = [
        {
            "id": "host",
            "name": "Host",
            "kind": "presenter",
            "place": "room",
            "at_m": [1, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "ears",
        },
        {
            "id": "far",
            "name": "Far",
            "kind": "remote",
            "place": "away",
            "speaks": True,
            "listens": True,
            "hears_on": "tel",
        },
        {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
    ]
    devices: list[dict[str, Any]] = [
        {"id": "pc", "kind": "laptop", "name": "Laptop", "place": "room"},
        {"id": "mic", "kind": "usb-microphone", "host": "pc", "party": "host", "place": "room", "at_m": [1.2, 1]},
        {"id": "ears", "kind": "headphones", "place": "room"},
        {"id": "enc", "kind": "stream-encoder", "host": "pc"},
        {"id": "app", "kind": "conference-app", "host": "pc", "name": "Call"},
        {"id": "tel", "kind": "phone", "party": "far", "place": "away"},
    ]
    cables = [
        ("mic.usb", "app.mic"),
        ("pc.phones", "ears.in"),
        ("app.out", "pc.sound"),
        ("app.far", "tel.call-in"),
        ("tel.call-out", "app.far-in"),
        ("pc.capture", "enc.in"),
    ]
    return Show.model_validate(
        {
            "places": [{"id": "room", "name": "Room"}, {"id": "away", "name": "Away"}],
            "parties": parties,
            "devices": devices,
            "cables": [{"from": a, "to": b} for a, b in cables],
        }
    )


def two_rooms() -> Show:
    """Two desks, each with a talker, that feed each other's channel 5 by codecs from the left of their main outs; the first one streams."""
    parties: list[dict[str, Any]] = [
        {
            "id": "host",
            "name": "Host",
            "kind": "presenter",
            "place": "room",
            "at_m": [1, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "ears",
        },
        {
            "id": "rep",
            "name": "Reporter",
            "kind": "guest",
            "place": "away",
            "at_m": [1, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "ears2",
        },
        {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
    ]
    gain = {"in1": {"gain_db": 50}}
    devices: list[dict[str, Any]] = [
        {"id": "pc", "kind": "laptop", "name": "Laptop", "place": "room"},
        {"id": "enc", "kind": "stream-encoder", "host": "pc"},
        {"id": "desk", "kind": "desk-8", "name": "Studio desk", "place": "room", "settings": gain},
        {"id": "ob", "kind": "desk-8", "name": "Outside desk", "place": "away", "settings": gain},
        {"id": "mic", "kind": "dynamic-close", "party": "host", "place": "room", "at_m": [1.1, 1]},
        {"id": "mic2", "kind": "dynamic-close", "party": "rep", "place": "away", "at_m": [1.1, 1]},
        {"id": "ears", "kind": "headphones", "place": "room"},
        {"id": "ears2", "kind": "headphones", "place": "away"},
        {"id": "here", "kind": "call-codec", "name": "Codec"},
        {"id": "there", "kind": "call-codec", "name": "Outside codec"},
    ]
    cables = [
        ("mic.out", "desk.in1"),
        ("mic2.out", "ob.in1"),
        ("desk.phones", "ears.in"),
        ("ob.phones", "ears2.in"),
        ("desk.usb", "enc.in"),
        ("ob.main-out.l", "there.near-in"),
        ("there.far-out", "here.far-in"),
        ("here.near-out", "desk.in5"),
        ("desk.main-out.l", "here.near-in"),
        ("here.far-out", "there.far-in"),
        ("there.near-out", "ob.in5"),
    ]
    return Show.model_validate(
        {
            "places": [{"id": "room", "name": "Room"}, {"id": "away", "name": "Away"}],
            "parties": parties,
            "devices": devices,
            "cables": [{"from": a, "to": b} for a, b in cables],
        }
    )


def usb_desk(*more: dict[str, Any], plugs: tuple[tuple[str, str], ...] = ()) -> Show:
    """Two at a table with a desk; its USB pair goes to a call and a stream in a laptop, and the call comes back by it. One guest has
    headphones that are not plugged in.
    """
    parties: list[dict[str, Any]] = [
        {
            "id": "host",
            "name": "Host",
            "kind": "presenter",
            "place": "room",
            "at_m": [1, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "ears",
        },
        {
            "id": "guest",
            "name": "Guest",
            "kind": "guest",
            "place": "room",
            "at_m": [3, 1],
            "speaks": True,
            "listens": True,
            "hears_on": "ears2",
        },
        {
            "id": "far",
            "name": "Far",
            "kind": "remote",
            "place": "away",
            "speaks": True,
            "listens": True,
            "hears_on": "tel",
        },
        {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
    ]
    devices: list[dict[str, Any]] = [
        {"id": "pc", "kind": "laptop", "name": "Laptop", "place": "room"},
        {
            "id": "desk",
            "kind": "desk-8",
            "name": "Desk",
            "place": "room",
            "settings": {"in1": {"gain_db": 50}, "in2": {"gain_db": 50}},
        },
        {"id": "mic", "kind": "dynamic-close", "party": "host", "place": "room", "at_m": [1.1, 1]},
        {"id": "mic2", "kind": "dynamic-close", "party": "guest", "place": "room", "at_m": [3.1, 1]},
        {"id": "ears", "kind": "headphones", "place": "room"},
        {"id": "ears2", "kind": "headphones", "place": "room"},
        {"id": "enc", "kind": "stream-encoder", "host": "pc"},
        {"id": "app", "kind": "conference-app", "host": "pc", "name": "Call"},
        {"id": "tel", "kind": "phone", "party": "far", "place": "away"},
        *more,
    ]
    cables = [
        ("mic.out", "desk.in1"),
        ("mic2.out", "desk.in2"),
        ("desk.phones", "ears.in"),
        ("desk.usb", "enc.in"),
        ("desk.usb.l", "app.mic"),
        ("app.out", "desk.usb-in"),
        ("app.far", "tel.call-in"),
        ("tel.call-out", "app.far-in"),
        *plugs,
    ]
    return Show.model_validate(
        {
            "places": [{"id": "room", "name": "Room"}, {"id": "away", "name": "Away"}],
            "parties": parties,
            "devices": devices,
            "cables": [{"from": a, "to": b} for a, b in cables],
        }
    )
