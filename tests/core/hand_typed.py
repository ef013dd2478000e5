"""Shows as operators type them, in situations of every week, each with the mistakes that are usual there."""

from __future__ import annotations

from typing import Any

from kymaphon.core.model.show import Show

Rows = list[dict[str, Any]]


def typed(title: str, places: Rows, parties: Rows, devices: Rows, cables: list[tuple[Any, ...]], **more: Any) -> Show:
    """A show from short rows: a cable is (from, to), or (from, to, metres), or with an adapter after that."""
    wired = []
    for source, target, *rest in cables:
        row: dict[str, Any] = {"from": source, "to": target}
        if rest:
            row["length_m"] = rest[0]
        if len(rest) > 1:
            row["adapter"] = rest[1]
        wired.append(row)
    return Show.model_validate(
        {
            "kymaphon": 1,
            "title": title,
            "places": places,
            "parties": parties,
            "devices": devices,
            "cables": wired,
            **more,
        }
    )


def wants(**rows: str) -> Rows:
    """`stream="ann ben"`: who should hear whom, each on the mark."""
    return [
        {"listener": who, "voice": voice, "want": "hear"} for who, voices in rows.items() for voice in voices.split()
    ]


def lesson() -> Show:
    """A piano lesson by a call: voice and piano into an interface, the app set for speech, the microphone too low."""
    return typed(
        "Piano lesson",
        [
            {"id": "home", "name": "Music room", "size_m": [5, 4], "ambient_dba": 32},
            {"id": "away", "name": "Pupil's room", "ambient_dba": 38},
        ],
        [
            {
                "id": "tess",
                "name": "Tess",
                "kind": "presenter",
                "place": "home",
                "at_m": [2, 2],
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
            },
            {
                "id": "keys",
                "name": "Piano",
                "kind": "instrument",
                "place": "home",
                "speaks": True,
                "plays_on": "piano.out",
            },
            {
                "id": "pupil",
                "name": "Pupil",
                "kind": "remote",
                "place": "away",
                "speaks": True,
                "listens": True,
                "hears_on": "pcans",
            },
        ],
        [
            {"id": "mic", "kind": "dynamic-close", "place": "home", "party": "tess", "at_m": [2.15, 2]},
            {"id": "piano", "kind": "keyboard", "name": "Stage piano", "place": "home"},
            {
                "id": "face",
                "kind": "interface-4",
                "name": "Interface",
                "place": "home",
                "host": "pc",
                "settings": {"in1": {"gain_db": 32}},
            },
            {"id": "pc", "kind": "laptop", "place": "home"},
            {
                "id": "mix",
                "kind": "soft-mixer",
                "name": "Mixer program",
                "host": "pc",
                "settings": {
                    "in3": {"pan": 0},
                    "in1>send1": {"on": True},
                    "in2>send1": {"on": True},
                    "in3>send1": {"on": True},
                },
            },
            {"id": "call", "kind": "conference-app", "name": "Call", "host": "pc"},
            {"id": "cans", "kind": "headphones", "place": "home"},
            {"id": "pmic", "kind": "usb-microphone", "place": "away", "party": "pupil", "host": "ppc"},
            {"id": "ppc", "kind": "laptop", "name": "Pupil's laptop", "place": "away"},
            {"id": "pcans", "kind": "headphones", "name": "Pupil's headphones", "place": "away"},
        ],
        [
            ("mic.out", "face.in1", 3),
            ("piano.out.l", "face.in2", 3),
            ("piano.out.r", "face.in3", 3),
            ("face.usb1", "mix.in1"),
            ("face.usb2", "mix.in2"),
            ("face.usb3", "mix.in3"),
            ("mix.send1", "call.mic"),
            ("call.out", "pc.sound"),
            ("pc.usb-out", "face.usb-in"),
            ("face.phones", "cans.in", 2, "jack-minijack"),
            ("pmic.usb", "call.far-in"),
            ("call.far", "ppc.sound"),
            ("ppc.phones", "pcans.in", 2),
        ],
        wants=wants(pupil="tess keys", tess="pupil"),
    )


def podcast_for_two() -> Show:
    """Host and guest at one table, left and right of a file; the monitor mix is taken twice, and the guest is far too loud."""
    return typed(
        "Talk at the kitchen table",
        [
            {
                "id": "kitchen",
                "name": "Kitchen",
                "size_m": [4, 3],
                "ambient_dba": 36,
                "noises": [{"id": "fridge", "name": "Fridge", "at_m": [3.6, 0.4], "level_dba_1m": 38}],
            }
        ],
        [
            {
                "id": "host",
                "name": "Ina",
                "kind": "presenter",
                "place": "kitchen",
                "at_m": [1, 1.5],
                "faces_deg": 0,
                "speaks": True,
                "listens": True,
                "hears_on": "c1",
            },
            {
                "id": "guest",
                "name": "Olu",
                "kind": "guest",
                "place": "kitchen",
                "at_m": [2.6, 1.5],
                "faces_deg": 180,
                "speaks": True,
                "listens": True,
                "hears_on": "c2",
            },
            {"id": "file", "name": "File", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        [
            {
                "id": "m1",
                "kind": "dynamic-close",
                "name": "Ina's microphone",
                "place": "kitchen",
                "party": "host",
                "at_m": [1.12, 1.5],
            },
            {
                "id": "m2",
                "kind": "dynamic-close",
                "name": "Olu's microphone",
                "place": "kitchen",
                "party": "guest",
                "at_m": [2.48, 1.5],
            },
            {
                "id": "face",
                "kind": "interface-2",
                "name": "Interface",
                "place": "kitchen",
                "host": "pc",
                "settings": {"in1": {"gain_db": 46}, "in2": {"gain_db": 58}},
            },
            {"id": "pc", "kind": "laptop", "place": "kitchen"},
            {
                "id": "mix",
                "kind": "soft-mixer",
                "name": "Mixer program",
                "host": "pc",
                "settings": {"in1": {"pan": -1}, "in2": {"pan": 1}},
            },
            {"id": "rec", "kind": "recorder", "host": "pc"},
            {"id": "amp", "kind": "headphone-amp", "name": "Headphone amplifier", "place": "kitchen"},
            {"id": "c1", "kind": "headphones", "place": "kitchen"},
            {"id": "c2", "kind": "headphones", "place": "kitchen"},
        ],
        [
            ("m1.out", "face.in1", 3),
            ("m2.out", "face.in2", 3),
            ("face.usb1", "mix.in1"),
            ("face.usb2", "mix.in2"),
            ("face.usb34", "mix.in5"),
            ("mix.out", "rec.in"),
            ("face.phones", "amp.in", 1),
            ("amp.phones1", "c1.in", 2),
            ("amp.phones2", "c2.in", 2),
        ],
        wants=wants(file="host guest", host="guest", guest="host"),
    )


def choir() -> Show:
    """A choir under two condensers with an announcer; nobody switched phantom on."""
    return typed(
        "Choir rehearsal",
        [{"id": "hall", "name": "Parish hall", "size_m": [14, 9], "ambient_dba": 33, "liveliness": "live"}],
        [
            {
                "id": "choir",
                "name": "Choir",
                "kind": "instrument",
                "place": "hall",
                "at_m": [7, 6],
                "speaks": True,
                "level_db_spl_1m": 82,
            },
            {"id": "pat", "name": "Pat", "kind": "presenter", "place": "hall", "at_m": [7, 3], "speaks": True},
            {"id": "file", "name": "Recording", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        [
            {
                "id": "m1",
                "kind": "condenser-slim",
                "name": "Choir microphone",
                "place": "hall",
                "party": "choir",
                "at_m": [7, 4.9],
            },
            {
                "id": "m2",
                "kind": "dynamic-close",
                "name": "Announcer's microphone",
                "place": "hall",
                "party": "pat",
                "at_m": [7, 2.85],
            },
            {
                "id": "face",
                "kind": "interface-4",
                "name": "Interface",
                "place": "hall",
                "host": "pc",
                "settings": {"in1": {"gain_db": 30}, "in2": {"gain_db": 44}},
            },
            {"id": "pc", "kind": "laptop", "place": "hall"},
            {"id": "mix", "kind": "soft-mixer", "name": "Mixer program", "host": "pc"},
            {"id": "rec", "kind": "recorder", "host": "pc"},
        ],
        [
            ("m1.out", "face.in1", 10),
            ("m2.out", "face.in2", 10),
            ("face.usb1", "mix.in1"),
            ("face.usb2", "mix.in2"),
            ("mix.out", "rec.in"),
        ],
        wants=wants(file="choir pat"),
    )


def commentary() -> Show:
    """Two commentators at a game: a bare crowd microphone in the wind, a plain lead into the line, a microphone too low."""
    return typed(
        "Match of the week",
        [
            {
                "id": "stand",
                "name": "Stand",
                "size_m": [12, 8],
                "ambient_dba": 62,
                "noise": "crowd",
                "outdoors": True,
                "wind_m_s": 4,
            }
        ],
        [
            {
                "id": "one",
                "name": "Commentator",
                "kind": "presenter",
                "place": "stand",
                "at_m": [3, 3],
                "faces_deg": 90,
                "effort": "raised",
                "speaks": True,
                "listens": True,
                "hears_on": "c1",
            },
            {
                "id": "two",
                "name": "Summariser",
                "kind": "guest",
                "place": "stand",
                "at_m": [4.4, 3],
                "faces_deg": 90,
                "effort": "raised",
                "speaks": True,
                "listens": True,
                "hears_on": "c2",
            },
            {
                "id": "crowd",
                "name": "Crowd",
                "kind": "crowd",
                "place": "stand",
                "at_m": [9, 6],
                "speaks": True,
                "level_db_spl_1m": 80,
            },
            {"id": "studio", "name": "Studio", "kind": "audience", "listens": True, "hears_on": "line"},
        ],
        [
            {
                "id": "l1",
                "kind": "lip-ribbon",
                "name": "Commentator's microphone",
                "place": "stand",
                "party": "one",
                "at_m": [3, 3.02],
            },
            {
                "id": "l2",
                "kind": "lip-ribbon",
                "name": "Summariser's microphone",
                "place": "stand",
                "party": "two",
                "at_m": [4.4, 3.02],
            },
            {
                "id": "fx",
                "kind": "gun-short",
                "name": "Crowd microphone",
                "place": "stand",
                "party": "crowd",
                "at_m": [7.5, 5],
            },
            {
                "id": "desk",
                "kind": "desk-8",
                "name": "Desk",
                "place": "stand",
                "settings": {
                    "in1": {"gain_db": 46},
                    "in2": {"gain_db": 34},
                    "in3": {"gain_db": 44, "phantom": True, "fader_db": -10},
                },
            },
            {"id": "amp", "kind": "headphone-amp", "place": "stand"},
            {"id": "c1", "kind": "headphones", "place": "stand"},
            {"id": "c2", "kind": "headphones", "place": "stand"},
            {"id": "line", "kind": "studio-line", "name": "Line to the studio"},
        ],
        [
            ("l1.out", "desk.in1", 3),
            ("l2.out", "desk.in2", 3),
            ("fx.out", "desk.in3", 20),
            ("desk.main-out.l", "line.in", 2),
            ("desk.phones", "amp.in", 1),
            ("amp.phones1", "c1.in", 2),
            ("amp.phones2", "c2.in", 2),
        ],
        practice="desk-pfl",
        wants=[
            *wants(studio="one two", one="two", two="one"),
            {"listener": "studio", "voice": "crowd", "want": "hear", "gain_db": -20},
        ],
    )


def backing_track() -> Show:
    """A song over a backing track: the player by a plain phono lead, one side of it only, the microphone without power."""
    return typed(
        "A song for the feast",
        [{"id": "attic", "name": "Attic", "size_m": [4, 3], "ambient_dba": 34}],
        [
            {
                "id": "singer",
                "name": "Singer",
                "kind": "presenter",
                "place": "attic",
                "at_m": [2, 1.5],
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
                "level_db_spl_1m": 76,
            },
            {"id": "band", "name": "Backing", "kind": "player", "speaks": True, "plays_on": "deck.out"},
            {"id": "file", "name": "Take", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        [
            {"id": "mic", "kind": "condenser-broad", "place": "attic", "party": "singer", "at_m": [2.2, 1.5]},
            {"id": "deck", "kind": "player", "name": "Player", "place": "attic"},
            {
                "id": "face",
                "kind": "interface-4",
                "name": "Interface",
                "place": "attic",
                "host": "pc",
                "settings": {"in1": {"gain_db": 24}},
            },
            {"id": "pc", "kind": "laptop", "place": "attic"},
            {"id": "mix", "kind": "soft-mixer", "name": "Mixer program", "host": "pc"},
            {"id": "rec", "kind": "recorder", "host": "pc"},
            {"id": "cans", "kind": "headphones", "place": "attic"},
        ],
        [
            ("mic.out", "face.in1", 3),
            ("deck.out.l", "face.in2", 1),
            ("face.usb1", "mix.in1"),
            ("face.usb2", "mix.in2"),
            ("mix.out", "rec.in"),
            ("face.phones", "cans.in", 2),
        ],
        wants=[
            *wants(file="singer", singer="band"),
            {"listener": "file", "voice": "band", "want": "hear", "gain_db": -3},
        ],
    )


def interpreter() -> Show:
    """A talk and its interpreter: two streams of one software mixer, the floor left in the interpreted one."""
    return typed(
        "A talk in two languages",
        [
            {"id": "hall", "name": "Hall", "size_m": [12, 8], "ambient_dba": 36},
            {"id": "booth", "name": "Booth", "size_m": [2, 2], "ambient_dba": 28, "liveliness": "dead"},
        ],
        [
            {"id": "floor", "name": "Speaker", "kind": "presenter", "place": "hall", "at_m": [3, 4], "speaks": True},
            {
                "id": "voice",
                "name": "Interpreter",
                "kind": "guest",
                "place": "booth",
                "at_m": [1, 1],
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
            },
            {"id": "s1", "name": "Stream, as spoken", "kind": "audience", "listens": True, "hears_on": "e1"},
            {"id": "s2", "name": "Stream, interpreted", "kind": "audience", "listens": True, "hears_on": "e2"},
        ],
        [
            {
                "id": "m1",
                "kind": "dynamic-close",
                "name": "Lectern microphone",
                "place": "hall",
                "party": "floor",
                "at_m": [3.15, 4],
            },
            {
                "id": "m2",
                "kind": "headset",
                "name": "Interpreter's headset microphone",
                "place": "booth",
                "party": "voice",
            },
            {
                "id": "face",
                "kind": "interface-4",
                "name": "Interface",
                "place": "booth",
                "host": "pc",
                "settings": {"in1": {"gain_db": 50}, "in2": {"gain_db": 28, "phantom": True}},
            },
            {"id": "pc", "kind": "laptop", "place": "booth"},
            {
                "id": "mix",
                "kind": "soft-mixer",
                "name": "Mixer program",
                "host": "pc",
                "settings": {"in1>send1": {"on": True}, "in2>send1": {"on": True}, "in2>main": {"on": False}},
            },
            {"id": "e1", "kind": "stream-encoder", "name": "Encoder, as spoken", "host": "pc"},
            {"id": "e2", "kind": "stream-encoder", "name": "Encoder, interpreted", "host": "pc"},
            {"id": "cans", "kind": "headphones", "place": "booth"},
        ],
        [
            ("m1.out", "face.in1", 20),
            ("m2.out", "face.in2", 2),
            ("face.usb1", "mix.in1"),
            ("face.usb2", "mix.in2"),
            ("mix.out", "e1.in"),
            ("mix.send1", "e2.in"),
            ("face.phones", "cans.in", 2),
        ],
        wants=[
            *wants(s1="floor", s2="voice", voice="floor"),
            {"listener": "s2", "voice": "floor", "want": "never"},
            {"listener": "s1", "voice": "voice", "want": "never"},
        ],
        streaming={"video_kbps": 3000, "audio_kbps": 128, "up_mbps": 20, "down_mbps": 40},
    )


def play() -> Show:
    """A play on three tracks: two actors with lapel microphones by wireless, one of them turned so far up that it clips."""
    return typed(
        "A play in the barn",
        [{"id": "barn", "name": "Barn", "size_m": [14, 8], "ambient_dba": 34}],
        [
            {
                "id": "anna",
                "name": "Anna",
                "kind": "presenter",
                "place": "barn",
                "at_m": [3, 4],
                "effort": "loud",
                "speaks": True,
            },
            {
                "id": "bert",
                "name": "Bert",
                "kind": "presenter",
                "place": "barn",
                "at_m": [9, 4],
                "effort": "loud",
                "speaks": True,
            },
            {"id": "t1", "name": "Track 1", "kind": "recorder", "listens": True, "hears_on": "rec.track1"},
            {"id": "t2", "name": "Track 2", "kind": "recorder", "listens": True, "hears_on": "rec.track2"},
        ],
        [
            {"id": "m1", "kind": "lapel", "name": "Anna's microphone", "place": "barn", "party": "anna"},
            {"id": "m2", "kind": "lapel", "name": "Bert's microphone", "place": "barn", "party": "bert"},
            {"id": "w1", "kind": "wireless-link", "name": "Anna's link", "place": "barn"},
            {"id": "w2", "kind": "wireless-link", "name": "Bert's link", "place": "barn"},
            {
                "id": "face",
                "kind": "interface-4",
                "name": "Interface",
                "place": "barn",
                "host": "pc",
                "settings": {"in1": {"gain_db": 20}, "in2": {"gain_db": 46}},
            },
            {"id": "pc", "kind": "laptop", "place": "barn"},
            {"id": "rec", "kind": "multitrack", "name": "Recorder", "host": "pc"},
        ],
        [
            ("m1.out", "w1.in"),
            ("m2.out", "w2.in"),
            ("w1.out", "face.in1", 2),
            ("w2.out", "face.in2", 2),
            ("face.usb1", "rec.in1"),
            ("face.usb2", "rec.in2"),
        ],
        wants=wants(t1="anna", t2="bert"),
    )


def hall_with_loudspeakers() -> Show:
    """A talk over loudspeakers and on a stream: the microphone far from the mouth and the desk turned up until it howls."""
    return typed(
        "Evening in the hall",
        [{"id": "hall", "name": "Village hall", "size_m": [12, 8], "ambient_dba": 40}],
        [
            {
                "id": "speaker",
                "name": "Speaker",
                "kind": "presenter",
                "place": "hall",
                "at_m": [2, 4],
                "faces_deg": 0,
                "speaks": True,
            },
            {"id": "house", "name": "House", "kind": "audience", "place": "hall", "at_m": [9, 4], "listens": True},
            {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
        ],
        [
            {
                "id": "mic",
                "kind": "dynamic-close",
                "name": "Lectern microphone",
                "place": "hall",
                "party": "speaker",
                "at_m": [2.5, 4],
            },
            {
                "id": "desk",
                "kind": "desk-8",
                "name": "Desk",
                "place": "hall",
                "settings": {"in1": {"gain_db": 60, "fader_db": 10}},
            },
            {
                "id": "pa",
                "kind": "loudspeaker",
                "name": "Loudspeaker",
                "place": "hall",
                "at_m": [3.2, 4.8],
                "aim_deg": 230,
            },
            {"id": "pc", "kind": "laptop", "place": "hall"},
            {"id": "enc", "kind": "stream-encoder", "host": "pc"},
        ],
        [("mic.out", "desk.in1", 10), ("desk.main-out.l", "pa.in", 10), ("desk.usb", "enc.in")],
        wants=wants(house="speaker", stream="speaker"),
        streaming={"video_kbps": 2500, "audio_kbps": 128, "up_mbps": 12, "down_mbps": 40},
    )


def game_stream() -> Show:
    """A game on a stream with a friend in a call, all in one computer: its whole sound is shared into the call."""
    return typed(
        "Games night",
        [
            {"id": "room", "name": "Bedroom", "size_m": [4, 3], "ambient_dba": 36},
            {"id": "away", "name": "Friend's room", "ambient_dba": 36},
        ],
        [
            {
                "id": "kim",
                "name": "Kim",
                "kind": "presenter",
                "place": "room",
                "at_m": [2, 1.5],
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
            },
            {
                "id": "game",
                "name": "Game",
                "kind": "player",
                "speaks": True,
                "plays_on": "player.disc",
                "level_dbfs": -24,
            },
            {
                "id": "lou",
                "name": "Lou",
                "kind": "remote",
                "place": "away",
                "speaks": True,
                "listens": True,
                "hears_on": "lcans",
            },
            {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
        ],
        [
            {
                "id": "mic",
                "kind": "usb-microphone",
                "name": "Kim's microphone",
                "place": "room",
                "party": "kim",
                "at_m": [2.2, 1.5],
                "host": "pc",
            },
            {"id": "pc", "kind": "laptop", "name": "Computer", "place": "room"},
            {"id": "cans", "kind": "headphones", "place": "room"},
            {
                "id": "player",
                "kind": "player-program",
                "name": "Game",
                "host": "pc",
                "settings": {"single": {"on": True}},
            },
            {"id": "call", "kind": "conference-app", "name": "Call", "host": "pc"},
            {
                "id": "mix",
                "kind": "soft-mixer",
                "name": "Mixer program",
                "host": "pc",
                "settings": {"in1>send1": {"on": True}},
            },
            {"id": "enc", "kind": "stream-encoder", "host": "pc"},
            {
                "id": "lmic",
                "kind": "usb-microphone",
                "name": "Lou's microphone",
                "place": "away",
                "party": "lou",
                "host": "lpc",
            },
            {"id": "lpc", "kind": "laptop", "name": "Lou's computer", "place": "away"},
            {"id": "lcans", "kind": "headphones", "name": "Lou's headphones", "place": "away"},
        ],
        [
            ("mic.usb", "mix.in1"),
            ("player.out", "pc.sound"),
            ("call.out", "pc.sound"),
            ("pc.phones", "cans.in", 2),
            ("pc.played", "mix.in5"),
            ("pc.played", "call.share"),
            ("mix.send1", "call.mic"),
            ("mix.out", "enc.in"),
            ("lmic.usb", "call.far-in"),
            ("call.far", "lpc.sound"),
            ("lpc.phones", "lcans.in", 2),
        ],
        wants=[
            *wants(stream="kim lou", lou="kim", kim="lou"),
            {"listener": "stream", "voice": "game", "want": "hear", "gain_db": -10},
        ],
        streaming={"video_kbps": 4500, "audio_kbps": 160, "up_mbps": 6, "down_mbps": 40},
    )


def phone_in() -> Show:
    """A phone-in on a small station: the caller gets the whole programme back, the record player runs on, the guest has no headphones."""
    return typed(
        "Phone-in",
        [
            {
                "id": "studio",
                "name": "Studio",
                "size_m": [4, 3],
                "ambient_dba": 28,
                "liveliness": "treated",
                "speakers_mute": True,
            },
            {"id": "home", "name": "Caller's home", "ambient_dba": 40},
        ],
        [
            {
                "id": "jo",
                "name": "Jo",
                "kind": "presenter",
                "place": "studio",
                "at_m": [1, 1.5],
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
            },
            {
                "id": "caller",
                "name": "Caller",
                "kind": "remote",
                "place": "home",
                "speaks": True,
                "listens": True,
                "hears_on": "tel",
            },
            {"id": "disc", "name": "Records", "kind": "player", "speaks": True, "plays_on": "deck.disc"},
            {"id": "tx", "name": "Transmitter", "kind": "audience", "listens": True, "hears_on": "line"},
        ],
        [
            {
                "id": "mic",
                "kind": "dynamic-close",
                "name": "Jo's microphone",
                "place": "studio",
                "party": "jo",
                "at_m": [1.15, 1.5],
            },
            {"id": "deck", "kind": "player-run-on", "name": "Player", "place": "studio"},
            {
                "id": "desk",
                "kind": "desk-8",
                "name": "Desk",
                "place": "studio",
                "settings": {
                    "in1": {"gain_db": 52},
                    "in5": {"gain_db": 8},
                    "in1>send1": {"on": True},
                    "in5>send1": {"on": True},
                    "in7>send1": {"on": True},
                    "in8>send1": {"on": True},
                },
            },
            {"id": "hybrid", "kind": "call-codec", "name": "Telephone hybrid", "place": "studio"},
            {"id": "tel", "kind": "phone", "name": "Caller's telephone", "place": "home", "party": "caller"},
            {"id": "cans", "kind": "headphones", "place": "studio"},
            {"id": "line", "kind": "studio-line", "name": "Line to the transmitter"},
        ],
        [
            ("mic.out", "desk.in1", 3),
            ("hybrid.near-out", "desk.in5", 2, "xlr-jack"),
            ("desk.send1", "hybrid.near-in", 2, "xlr-jack"),
            ("deck.out.l", "desk.in7", 2),
            ("deck.out.r", "desk.in8", 2),
            ("tel.call-out", "hybrid.far-in"),
            ("hybrid.far-out", "tel.call-in"),
            ("desk.phones", "cans.in", 2),
            ("desk.main-out.l", "line.in", 2),
        ],
        practice="desk-pfl",
        wants=[
            *wants(tx="jo caller", jo="caller", caller="jo"),
            {"listener": "tx", "voice": "disc", "want": "hear", "gain_db": -3},
        ],
    )


def two_calls() -> Show:
    """An online panel: two callers by two apps in one laptop, neither hears the other; one of them listens by a loudspeaker."""
    return typed(
        "Online panel",
        [
            {"id": "den", "name": "Den", "size_m": [4, 3], "ambient_dba": 32},
            {"id": "flat", "name": "Ola's flat", "size_m": [4, 3], "ambient_dba": 36},
            {"id": "office", "name": "Piet's office", "size_m": [4, 3], "ambient_dba": 36},
        ],
        [
            {
                "id": "kim",
                "name": "Kim",
                "kind": "presenter",
                "place": "den",
                "at_m": [1, 1.5],
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
            },
            {
                "id": "ola",
                "name": "Ola",
                "kind": "remote",
                "place": "flat",
                "at_m": [1, 1.5],
                "faces_deg": 0,
                "speaks": True,
                "listens": True,
            },
            {
                "id": "piet",
                "name": "Piet",
                "kind": "remote",
                "place": "office",
                "at_m": [1, 1.5],
                "faces_deg": 0,
                "speaks": True,
                "listens": True,
                "hears_on": "pcans",
            },
            {"id": "one", "name": "Kim's track", "kind": "recorder", "listens": True, "hears_on": "rec.track1"},
            {"id": "two", "name": "Ola's track", "kind": "recorder", "listens": True, "hears_on": "rec.track2"},
            {"id": "three", "name": "Piet's track", "kind": "recorder", "listens": True, "hears_on": "rec.track3"},
        ],
        [
            {
                "id": "mic",
                "kind": "dynamic-close",
                "name": "Kim's microphone",
                "place": "den",
                "party": "kim",
                "at_m": [1.1, 1.5],
            },
            {
                "id": "face",
                "kind": "interface-2",
                "name": "Interface",
                "place": "den",
                "host": "pc",
                "settings": {"in1": {"gain_db": 54}, "monitor>usb34": {"on": False}},
            },
            {"id": "pc", "kind": "laptop", "place": "den"},
            {"id": "first", "kind": "conference-app", "name": "Call with Ola", "host": "pc"},
            {"id": "second", "kind": "conference-app", "name": "Call with Piet", "host": "pc"},
            {"id": "rec", "kind": "multitrack", "name": "Recording program", "host": "pc"},
            {"id": "cans", "kind": "headphones", "place": "den"},
            {
                "id": "omic",
                "kind": "usb-microphone",
                "name": "Ola's microphone",
                "place": "flat",
                "party": "ola",
                "at_m": [1.3, 1.5],
                "host": "opc",
            },
            {
                "id": "opc",
                "kind": "laptop",
                "name": "Ola's laptop",
                "place": "flat",
                "settings": {"volume": {"gain_db": -4}},
            },
            {"id": "box", "kind": "loudspeaker", "name": "Ola's loudspeaker", "place": "flat", "at_m": [1.8, 2.3]},
            {
                "id": "pmic",
                "kind": "usb-microphone",
                "name": "Piet's microphone",
                "place": "office",
                "party": "piet",
                "at_m": [1.3, 1.5],
                "host": "ppc",
            },
            {"id": "ppc", "kind": "laptop", "name": "Piet's laptop", "place": "office"},
            {"id": "pcans", "kind": "earphones", "name": "Piet's earphones", "place": "office"},
        ],
        [
            ("mic.out", "face.in1", 3),
            ("face.usb1", "first.mic"),
            ("face.usb1", "second.mic"),
            ("face.usb1", "rec.in1"),
            ("first.out", "rec.in2"),
            ("second.out", "rec.in3"),
            ("first.out", "face.usb-in"),
            ("face.phones", "cans.in", 2),
            ("omic.usb", "first.far-in"),
            ("first.far", "opc.sound"),
            ("opc.phones.l", "box.in", 1),
            ("pmic.usb", "second.far-in"),
            ("second.far", "ppc.sound"),
            ("ppc.phones", "pcans.in", 1),
        ],
        wants=[*wants(one="kim", two="ola", three="piet"), *wants(kim="ola piet", ola="kim piet", piet="kim ola")],
        recording={"way": "each"},
    )


def rehearsal() -> Show:
    """A song and its guest on tracks by direct outs: low tracks, low headphones on one Y lead, and nobody said who hears whom."""
    sends = {f"in{n}>send1": {"on": True, "tap": "pre"} for n in (1, 2, 3)}
    return typed(
        "Rehearsal",
        [{"id": "room", "name": "Front room", "size_m": [5, 4.5], "liveliness": "treated", "ambient_dba": 30}],
        [
            {
                "id": "hal",
                "name": "Hal",
                "kind": "presenter",
                "place": "room",
                "at_m": [1, 1],
                "speaks": True,
                "listens": True,
                "hears_on": "hcans",
            },
            {
                "id": "gia",
                "name": "Gia",
                "kind": "guest",
                "place": "room",
                "at_m": [3, 1],
                "speaks": True,
                "listens": True,
                "hears_on": "gcans",
            },
            {
                "id": "lute",
                "name": "Lute",
                "kind": "instrument",
                "place": "room",
                "at_m": [4, 3.2],
                "speaks": True,
                "listens": True,
                "hears_on": "lcans",
                "level_db_spl_1m": 72,
            },
            *(
                {
                    "id": f"tape{n}",
                    "name": f"Track {n}",
                    "kind": "recorder",
                    "listens": True,
                    "hears_on": f"rec.track{n}",
                }
                for n in (1, 2, 3)
            ),
        ],
        [
            {"id": "hmic", "kind": "dynamic-close", "place": "room", "party": "hal", "at_m": [1.15, 1]},
            {"id": "gmic", "kind": "dynamic-close", "place": "room", "party": "gia", "at_m": [3.15, 1]},
            {"id": "lmic", "kind": "condenser-slim", "place": "room", "party": "lute", "at_m": [4.4, 3.2]},
            {"id": "hcans", "kind": "headphones", "place": "room"},
            {"id": "gcans", "kind": "headphones", "place": "room"},
            {"id": "lcans", "kind": "headphones", "place": "room"},
            {
                "id": "desk",
                "kind": "desk-direct",
                "name": "Desk",
                "place": "room",
                "settings": {
                    "in1": {"gain_db": 50},
                    "in2": {"gain_db": 50},
                    "in3": {"gain_db": 34, "phantom": True},
                    **sends,
                },
            },
            {"id": "amp", "kind": "headphone-amp", "name": "Cans amp", "place": "room"},
            {"id": "face", "kind": "interface-8", "name": "Interface", "place": "room", "host": "pc"},
            {"id": "pc", "kind": "laptop", "place": "room"},
            {"id": "rec", "kind": "multitrack", "name": "Recorder", "host": "pc"},
        ],
        [
            ("hmic.out", "desk.in1", 5),
            ("gmic.out", "desk.in2", 5),
            ("lmic.out", "desk.in3", 5),
            ("desk.send1", "amp.in", 3),
            ("amp.phones1", "lcans.in"),
            ("desk.phones", "hcans.in"),
            ("desk.phones", "gcans.in"),
            *((f"desk.direct{n}", f"face.in{n}", 2) for n in (1, 2, 3)),
            *((f"face.usb{n}", f"rec.in{n}") for n in (1, 2, 3)),
        ],
        wants=wants(tape1="hal", tape2="gia", tape3="lute"),
    )


def concert() -> Show:
    """A song on a stage, an announcer in a van: each desk feeds the other, all of it comes too low, one side of the organ is plugged."""
    return typed(
        "Concert",
        [
            {"id": "stage", "name": "Stage", "size_m": [8, 6], "ambient_dba": 45},
            {"id": "van", "name": "Van", "size_m": [4, 2], "ambient_dba": 40},
        ],
        [
            {
                "id": "vera",
                "name": "Vera",
                "kind": "presenter",
                "place": "stage",
                "at_m": [2, 3],
                "speaks": True,
                "listens": True,
                "hears_on": "ears",
                "level_db_spl_1m": 80,
            },
            {
                "id": "olaf",
                "name": "Olaf",
                "kind": "presenter",
                "place": "van",
                "at_m": [1, 1],
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
            },
            {"id": "organ", "name": "Organ", "kind": "instrument", "speaks": True, "plays_on": "kb.out"},
            {"id": "air", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"},
        ],
        [
            {"id": "mic", "kind": "dynamic-close", "place": "stage", "party": "vera", "at_m": [2.08, 3]},
            {"id": "omic", "kind": "dynamic-close", "place": "van", "party": "olaf", "at_m": [1.1, 1]},
            {"id": "kb", "kind": "keyboard", "name": "Organ", "place": "stage"},
            {
                "id": "hall",
                "kind": "desk-stereo",
                "name": "Hall desk",
                "place": "stage",
                "settings": {"in1": {"gain_db": 40}},
            },
            {
                "id": "vdesk",
                "kind": "desk-stereo",
                "name": "Van desk",
                "place": "van",
                "settings": {"in1": {"gain_db": 50}},
            },
            {"id": "face", "kind": "interface-2", "place": "van", "host": "pc"},
            {"id": "pc", "kind": "laptop", "place": "van"},
            {"id": "enc", "kind": "stream-encoder", "host": "pc"},
            {"id": "mix", "kind": "soft-mixer", "host": "pc"},
            {"id": "ears", "kind": "headphones", "place": "stage"},
            {"id": "cans", "kind": "headphones", "place": "van"},
        ],
        [
            ("mic.out", "hall.in1", 5),
            ("kb.out.l", "hall.in5", 3),
            ("omic.out", "vdesk.in1", 3),
            ("hall.main-out.l", "vdesk.in5", 40, "xlr-jack"),
            ("vdesk.main-out.l", "hall.in6", 40, "xlr-jack"),
            ("vdesk.main-out.r", "face.in1", 3),
            ("face.usb1", "mix.in1"),
            ("mix.out", "enc.in"),
            ("hall.phones", "ears.in"),
            ("vdesk.phones", "cans.in"),
        ],
        wants=[
            *({"listener": who, "voice": who, "want": "local"} for who in ("vera", "olaf")),
            *wants(vera="organ olaf", olaf="vera organ", air="vera olaf organ"),
        ],
    )


SHOWS = {
    row.__name__.replace("_", "-"): row
    for row in (
        lesson,
        podcast_for_two,
        choir,
        commentary,
        backing_track,
        interpreter,
        play,
        hall_with_loudspeakers,
        game_stream,
        phone_in,
        two_calls,
        rehearsal,
        concert,
    )
}


def interview() -> Show:
    """Clean: an interview by wireless, two handhelds near the mouths, into a recorder."""
    return typed(
        "Interview on the quay",
        [
            {
                "id": "quay",
                "name": "Quay",
                "size_m": [10, 6],
                "ambient_dba": 45,
                "noise": "traffic",
                "outdoors": True,
                "wind_m_s": 2,
            }
        ],
        [
            {
                "id": "rep",
                "name": "Reporter",
                "kind": "presenter",
                "place": "quay",
                "at_m": [3, 3],
                "faces_deg": 0,
                "effort": "raised",
                "speaks": True,
                "listens": True,
                "hears_on": "cans",
            },
            {
                "id": "guest",
                "name": "Skipper",
                "kind": "guest",
                "place": "quay",
                "at_m": [3.9, 3],
                "faces_deg": 180,
                "effort": "raised",
                "speaks": True,
            },
            {"id": "file", "name": "Recording", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        [
            {
                "id": "mic",
                "kind": "reporter-omni",
                "name": "Handheld",
                "place": "quay",
                "party": "rep",
                "at_m": [3.08, 3],
                "shield": "foam",
            },
            {
                "id": "mic2",
                "kind": "reporter-omni",
                "name": "Second handheld",
                "place": "quay",
                "party": "guest",
                "at_m": [3.82, 3],
                "shield": "foam",
            },
            {"id": "w1", "kind": "wireless-link", "place": "quay", "settings": {"in": {"gain_db": 30}}},
            {
                "id": "w2",
                "kind": "wireless-link",
                "name": "Second link",
                "place": "quay",
                "settings": {"in": {"gain_db": 30}},
            },
            {
                "id": "face",
                "kind": "interface-2-plain",
                "name": "Interface",
                "place": "quay",
                "host": "pc",
                "settings": {"in1": {"gain_db": 39}, "in2": {"gain_db": 39}},
            },
            {"id": "pc", "kind": "laptop", "place": "quay", "power": "battery"},
            {"id": "rec", "kind": "recorder", "host": "pc"},
            {"id": "cans", "kind": "headphones", "place": "quay"},
        ],
        [
            ("mic.out", "w1.in"),
            ("mic2.out", "w2.in"),
            ("w1.out", "face.in1", 2),
            ("w2.out", "face.in2", 2),
            ("face.usb", "rec.in"),
            ("face.phones", "cans.in", 2),
        ],
        wants=wants(file="rep guest", rep="guest"),
    )


def classroom() -> Show:
    """Clean: a class with one pupil at home, who comes out of a loudspeaker."""
    return typed(
        "A lesson for those at home",
        [
            {"id": "class", "name": "Classroom", "size_m": [9, 7], "ambient_dba": 38},
            {"id": "home", "name": "At home", "ambient_dba": 36},
        ],
        [
            {
                "id": "teacher",
                "name": "Teacher",
                "kind": "presenter",
                "place": "class",
                "at_m": [4.5, 1],
                "faces_deg": 90,
                "effort": "raised",
                "speaks": True,
            },
            {
                "id": "pupil",
                "name": "Pupil at home",
                "kind": "remote",
                "place": "home",
                "speaks": True,
                "listens": True,
                "hears_on": "hs",
            },
            {"id": "all", "name": "Class", "kind": "audience", "place": "class", "at_m": [4.5, 4], "listens": True},
        ],
        [
            {"id": "m", "kind": "lapel", "name": "Teacher's microphone", "place": "class", "party": "teacher"},
            {"id": "w", "kind": "wireless-link", "place": "class"},
            {
                "id": "face",
                "kind": "interface-1",
                "name": "Interface",
                "place": "class",
                "host": "pc",
                "settings": {"in1": {"gain_db": 40}},
            },
            {
                "id": "pc",
                "kind": "laptop",
                "place": "class",
                "power": "battery",
                "settings": {"volume": {"gain_db": -2}},
            },
            {"id": "call", "kind": "conference-app", "host": "pc"},
            {
                "id": "box",
                "kind": "loudspeaker",
                "name": "Loudspeaker",
                "place": "class",
                "at_m": [8, 1],
                "aim_deg": 120,
            },
            {"id": "hs", "kind": "headphones", "place": "home"},
            {"id": "hpc", "kind": "laptop", "name": "Laptop at home", "place": "home"},
            {"id": "hm", "kind": "usb-microphone", "place": "home", "party": "pupil", "host": "hpc"},
        ],
        [
            ("m.out", "w.in"),
            ("w.out", "face.in1", 2),
            ("face.usb1", "call.mic"),
            ("call.out", "pc.sound"),
            ("pc.phones.l", "box.in", 5, "stereo-breakout"),
            ("hm.usb", "call.far-in"),
            ("call.far", "hpc.sound"),
            ("hpc.phones", "hs.in", 2, "jack-minijack"),
        ],
        wants=wants(pupil="teacher", all="pupil"),
    )


CLEAN = {row.__name__: row for row in (interview, classroom)}
