"""Shows of any size: every voice on its own microphone into one large desk, every listener on a send of its own."""

from __future__ import annotations

from typing import Any

from kymaphon.core.model.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.model.catalogue.loader import read_kind
from kymaphon.core.model.show import Show


def big_desk(channels: int, sends: int) -> dict[str, Any]:
    """A desk kind with so many channels and sends."""
    return {
        "id": "desk-big",
        "name": "Large desk",
        "group": "desk",
        "inside_max_dbu": 22,
        "residual_dbu": -88,
        "full_scale_dbu": 18,
        "dynamic_range_db": 100,
        "inputs": [
            {
                "each": [1, channels],
                "id": "in{n}",
                "name": "channel {n}",
                "domain": "analog",
                "level": "mic",
                "impedance_ohm": 2400,
                "max_db": 22,
                "strip": {
                    "gain_db": [0, 60],
                    "gain_default_db": 60,
                    "phantom": True,
                    "fader_db": [-90, 10],
                    "mute": True,
                    "pan": True,
                    "ein_dbu": [[0, -96], [60, -128]],
                },
            }
        ],
        "buses": [{"id": "main", "name": "main mix", "stereo": True, "strip": {"fader_db": [-90, 10]}}],
        "outputs": [
            {"id": "usb", "name": "USB pair", "domain": "digital", "stereo": True, "level": "digital"},
            {
                "each": [1, sends],
                "id": "send{n}",
                "name": "send {n}",
                "domain": "analog",
                "level": "line",
                "max_db": 22,
                "impedance_ohm": 120,
                "strip": {"fader_db": [-90, 10], "mute": True},
            },
        ],
        "paths": [
            {"each": [1, channels], "from": "in{n}", "to": "main", "tap": ["post"], "switch": True},
            *[
                {
                    "each": [1, channels],
                    "from": "in{n}",
                    "to": f"send{send}",
                    "tap": ["post", "pre"],
                    "gain_db": [-60, 10],
                    "default_gain_db": 0,
                    "switch": True,
                }
                for send in range(1, sends + 1)
            ],
            {"from": "main", "to": "usb"},
        ],
    }


def big_show(voices: int, listeners: int) -> tuple[Show, Catalogue]:
    """A show of so many voices and listeners, and a catalogue with its desk."""
    catalogue = shipped_catalogue().with_kinds(read_kind(big_desk(voices, listeners)))
    parties: list[dict[str, Any]] = [
        {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "encoder"}
    ]
    devices: list[dict[str, Any]] = [
        {"id": "desk", "kind": "desk-big"},
        {"id": "encoder", "kind": "stream-encoder"},
    ]
    cables = [{"from": "desk.usb", "to": "encoder.in"}]
    wants = []
    places = [{"id": f"room-{room}", "name": f"Room {room}", "ambient_dba": 25} for room in range((voices + 7) // 8)]
    for i in range(1, voices + 1):
        room = f"room-{(i - 1) // 8}"
        listens = i < listeners
        at = [1.0 + i % 8, 1.0]
        parties.append(
            {
                "id": f"v{i}",
                "name": f"Voice {i}",
                "kind": "guest",
                "effort": "raised",
                "place": room,
                "at_m": at,
                "speaks": True,
                "listens": listens,
                **({"hears_on": f"phones{i}"} if listens else {}),
            }
        )
        devices.append(
            {
                "id": f"mic{i}",
                "kind": "dynamic-close",
                "place": room,
                "party": f"v{i}",
                "at_m": [at[0] + 0.15, 1.0],
            }
        )
        cables.append({"from": f"mic{i}.out", "to": f"desk.in{i}"})
        wants.append({"listener": "stream", "voice": f"v{i}", "want": "hear"})
        if listens:
            devices.append({"id": f"phones{i}", "kind": "headphones", "place": room})
            cables.append({"from": f"desk.send{i}", "to": f"phones{i}.in"})
    settings = {f"send{i}": {"fader_db": -18} for i in range(1, listeners)}
    devices[0]["settings"] = settings
    show = Show.model_validate(
        {
            "title": f"{voices} voices",
            "places": places,
            "parties": parties,
            "devices": devices,
            "cables": cables,
            "wants": wants,
        }
    )
    return show, catalogue


def full_place(count: int) -> Show:
    """One hall with so many talkers, each behind a microphone, four noises and two loudspeakers."""
    kinds = ("dynamic-close", "condenser-broad", "condenser-tight", "gun-short")
    spots = [(1.0 + 1.3 * (i % 8), 2.0 + 3.0 * (i // 8)) for i in range(count)]
    place = {
        "id": "hall",
        "name": "Hall",
        "size_m": [12, 9],
        "ambient_dba": 38,
        "liveliness": "ordinary",
        "noises": [{"id": f"fan-{i}", "name": "Fan", "at_m": [3.0 * i + 1, 8.0]} for i in range(4)],
    }
    parties = [
        {
            "id": f"p-{i}",
            "name": f"P{i}",
            "kind": "guest",
            "place": "hall",
            "at_m": list(at),
            "faces_deg": 90,
            "speaks": True,
        }
        for i, at in enumerate(spots)
    ]
    devices = [
        {"id": f"mic-{i}", "kind": kinds[i % 4], "place": "hall", "at_m": [at[0], at[1] + 0.25], "party": f"p-{i}"}
        for i, at in enumerate(spots)
    ]
    devices += [
        {"id": f"spk-{i}", "kind": "loudspeaker", "place": "hall", "at_m": [1.0 + 10 * i, 8.5], "aim_deg": 270}
        for i in range(2)
    ]
    return Show.model_validate({"places": [place], "parties": parties, "devices": devices})


def big_rig(count: int) -> Show:
    """A show of about so many devices: places with six microphones, a desk, an interface, a laptop and its software,
    each desk's send into the next.
    """
    devices: list[dict[str, Any]] = []
    cables: list[dict[str, Any]] = []
    places: list[dict[str, Any]] = []
    parties: list[dict[str, Any]] = []
    k = 0
    while len(devices) < count:
        k += 1
        place = f"place{k}"
        places.append({"id": place, "name": f"Place {k}", "size_m": [10, 8]})
        devices.append(
            {
                "id": f"desk{k}",
                "kind": "desk-12-4",
                "place": place,
                "settings": {f"in{n}": {"gain_db": 40} for n in range(1, 7)},
            }
        )
        for n in range(1, 7):
            name = f"{k}-{n}"
            parties.append(
                {"id": f"talker{name}", "name": f"Talker {name}", "kind": "guest", "place": place, "speaks": True}
            )
            devices.append({"id": f"mic{name}", "kind": "dynamic-close", "place": place, "party": f"talker{name}"})
            cables.append({"from": f"mic{name}.out", "to": f"desk{k}.in{n}", "length_m": 5})
        for stem, kind in (("face", "interface-4"), ("mix", "soft-mixer"), ("air", "stream-encoder")):
            devices.append({"id": f"{stem}{k}", "kind": kind, "place": place, "host": f"laptop{k}"})
        devices.append({"id": f"laptop{k}", "kind": "laptop", "place": place})
        ends = [
            ("desk{k}.main-out.l", "face{k}.in1"),
            ("desk{k}.main-out.r", "face{k}.in2"),
            ("face{k}.usb1", "mix{k}.in1"),
            ("face{k}.usb2", "mix{k}.in2"),
            ("mix{k}.out", "air{k}.in"),
        ]
        cables += [{"from": a.format(k=k), "to": b.format(k=k)} for a, b in ends]
        parties.append(
            {"id": f"crowd{k}", "name": f"Audience {k}", "kind": "audience", "listens": True, "hears_on": f"air{k}"}
        )
        if k > 1:
            cables.append({"from": f"desk{k - 1}.send1", "to": f"desk{k}.in9", "length_m": 20})
    return Show.model_validate(
        {"kymaphon": 1, "places": places, "parties": parties, "devices": devices, "cables": cables}
    )


def remote_show(
    remotes: int, voices: int, listeners: int, sends: int | None = None, *, routed: bool = True
) -> tuple[Show, Catalogue]:
    """Remote guests over codecs beside talkers in rooms, all on one large desk: who has ears is on a send of its own.

    Args:
        remotes: how many of the voices are far away; each listens as well.
        listeners: how many hear, the remotes and one audience among them.
        sends: of the desk; None for as many as there are listeners.
        routed: whether the sends are set, each remote's with everybody but itself.
    """
    local = voices - remotes
    ears = max(0, min(local, listeners - remotes - 1))
    count = remotes + ears if sends is None else sends
    show, catalogue = big_show(local, 1)
    catalogue = catalogue.with_kinds(read_kind(big_desk(voices, max(count, 1))))
    data = show.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    on = {"on": True} if routed else {"on": False}
    settings: dict[str, Any] = {
        f"in{i}>send{n}": {"on": False} for i in range(1, voices + 1) for n in range(1, count + 1)
    }
    for i in range(1, remotes + 1):
        name, channel = f"far{i}", local + i
        data["parties"].append(
            {"id": name, "name": f"Far {i}", "kind": "remote", "speaks": True, "listens": True, "hears_on": f"tel{i}"}
        )
        data["devices"] += [
            {"id": f"tel{i}", "kind": "phone", "party": name},
            {"id": f"codec{i}", "kind": "call-codec"},
        ]
        data["cables"] += [
            {"from": f"tel{i}.call-out", "to": f"codec{i}.far-in"},
            {"from": f"codec{i}.near-out", "to": f"desk.in{channel}"},
            {"from": f"codec{i}.far-out", "to": f"tel{i}.call-in"},
        ]
        data["wants"].append({"listener": "stream", "voice": name, "want": "hear"})
        data["wants"].append({"listener": name, "voice": name, "want": "never"})
        settings[f"in{channel}"] = {"gain_db": 0}
        if i <= count:
            data["cables"].append({"from": f"desk.send{i}", "to": f"codec{i}.near-in"})
        for other in [f"v{n}" for n in range(1, local + 1)] + [f"far{n}" for n in range(1, remotes + 1)]:
            if other != name:
                data["wants"].append({"listener": name, "voice": other, "want": "hear"})
        for n in range(1, voices + 1):
            if i <= count and n != channel:
                settings[f"in{n}>send{i}"] = dict(on)
    for i in range(1, ears + 1):
        send = remotes + i
        data["devices"].append({"id": f"phones{i}", "kind": "headphones"})
        party = next(row for row in data["parties"] if row["id"] == f"v{i}")
        party.update({"listens": True, "hears_on": f"phones{i}"})
        if send <= count:
            data["cables"].append({"from": f"desk.send{send}", "to": f"phones{i}.in"})
            settings[f"send{send}"] = {"fader_db": -18}
            for n in range(1, voices + 1):
                settings[f"in{n}>send{send}"] = dict(on)
        for n in range(1, remotes + 1):
            data["wants"].append({"listener": f"v{i}", "voice": f"far{n}", "want": "hear"})
    desk = next(row for row in data["devices"] if row["id"] == "desk")
    desk["settings"] = {**desk.get("settings", {}), **settings}
    return Show.model_validate(data), catalogue
