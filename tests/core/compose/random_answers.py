"""Answers as anybody might give them, and a few that nobody would: told by a seed."""

from __future__ import annotations

import random

from kymaphon.core.model.answers import Answers, HaveAnswer, HearerAnswer, RoomAnswer, VoiceAnswer

NAMES = ("Mira", "Tam", "Ilse", "Rook", "Jon", "Ada")
MICROPHONES = ("dynamic-close", "condenser-broad", "headset", "usb-microphone", "lapel", "no-such-kind")
THINGS = (
    "interface-1",
    "interface-2",
    "interface-2-loop",
    "interface-2-plain",
    "interface-4",
    "interface-8",
    "laptop",
    "laptop-old",
    "dynamic-close",
    "condenser-slim",
    "headphones",
    "earphones",
    "usb-microphone",
    "desk-8",
    "desk-12-4",
    "desk-multi",
    "desk-stereo",
    "player",
    "studio-line",
    "no-such-thing",
)


def random_answers(seed: int) -> Answers:
    """One set of answers: rooms too small and large, nobody to a crowd, microphones and desks of all sorts."""
    r = random.Random(seed)
    size = (r.choice([0.5, 2.5, 4.0, 6.0, 10.0]), r.choice([2.5, 3.0, 4.0, 8.0]))
    rooms = [RoomAnswer(id="room", name="Room", size_m=size, studio=r.random() < 0.2)]
    if r.random() < 0.3:
        rooms.append(RoomAnswer(id="yard", name="Yard", outdoors=r.random() < 0.7))
    voices = []
    for name in NAMES[: r.choice([0, 1, 2, 2, 3, 4, 5, 6])]:
        kind = r.choice([None] * 6 + list(MICROPHONES))
        voices.append(VoiceAnswer(id=name.lower(), name=name, room=r.choice(rooms).id, microphone=kind))
    for n in range(r.choice([0, 0, 1, 1, 2, 3, 5])):
        link = r.choice(["call", "telephone", "codec"])
        voices.append(VoiceAnswer.model_validate({"id": f"far{n}", "name": f"Far {n}", "sort": "remote", "by": link}))
    for n in range(r.choice([0, 0, 0, 1, 2, 3])):
        kind = r.choice([None, None, "guitar-passive", "keyboard"])
        room = r.choice(rooms).id
        voices.append(VoiceAnswer(id=f"inst{n}", name=f"Inst {n}", sort="instrument", room=room, microphone=kind))
    for n in range(r.choice([0, 0, 1, 2])):
        voices.append(VoiceAnswer(id=f"play{n}", name=f"Player {n}", sort="player"))
    if r.random() < 0.2:
        voices.append(VoiceAnswer(id="crowd", name="Crowd", sort="crowd", room=rooms[-1].id))
    if r.random() < 0.2:
        voices.append(VoiceAnswer(id="bell", name="Bell", sort="effect", room=rooms[-1].id))
    hearers = []
    if r.random() < 0.6:
        hearers.append(HearerAnswer(sort="stream"))
    if r.random() < 0.6:
        hearers.append(HearerAnswer(sort="recording", each=r.random() < 0.5))
    if r.random() < 0.5:
        hearers.append(HearerAnswer(sort="ears"))
    if r.random() < 0.3:
        hearers.append(HearerAnswer(sort="line"))
    if r.random() < 0.2:
        hearers.append(HearerAnswer(sort="loudspeakers", room=r.choice(rooms).id))
    have = [HaveAnswer(kind=r.choice(THINGS), count=r.randint(1, 3)) for _ in range(r.randint(0, 4))]
    return Answers(rooms=tuple(rooms), voices=tuple(voices), hearers=tuple(hearers), have=tuple(have))
