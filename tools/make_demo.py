"""Makes what the demo ships besides its hand-written show: its takes, and the repaired copy of the show.

Speech comes from espeak-ng (Debian package `espeak-ng`); everything else is NumPy with a fixed seed. Run from
the root of the checkout:

    python tools/make_demo.py
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.lineup.run import edits_of, entry_of, judge, read_meter, steps_of
from kymaphon.core.model.edits import AddLog, AttachTake, apply_all
from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.core.prove.diagnosis import SILENT
from kymaphon.core.prove.model import SHOWN_DB, tap_model
from kymaphon.core.prove.proven import newly_proven
from kymaphon.core.takes.attaching import room_tone_take
from kymaphon.files.audio import fingerprint, measure_take
from kymaphon.files.show_file import read_show, write_show
from kymaphon.sim.rig import FULL_SCALE, SimulatedRig

RATE = 48000
ROOM_DBFS = -62.5
SPEECH_DBFS = -20.6
TEXT = (
    "Good evening from Lantern Quay. The tide is in, the boats are lit, "
    "and the trio is tuning up behind me. We will hear from the ferry in a minute."
)
GUEST_DBFS, FAN_DBFS, RUMBLE_DBFS = -27.3, -54.5, -53.5
GUEST_RATE = 32000
GUEST = (
    ("We mended her hull in March, plank by plank.", 0.0, 0.9),
    ("My father built the boathouse.", -3.0, 1.1),
    ("He would never say so.", -11.0, 1.0),
    ("Then the storm took the slip, and half of the quay with it.", 1.0, 1.2),
    ("So we started again.", -5.0, 0.8),
    ("And tonight she floats.", 2.0, 1.4),
)
"""What the guest says, how much louder than the rest, and the pause after it in seconds. In the third she turns away."""
DEMO = Path(__file__).resolve().parent.parent / "kymaphon" / "demo"


def room_tone(seconds: float, seed: int) -> np.ndarray:
    """Fan and air: noise falling 6 dB an octave above 200 Hz, a little 50 Hz hum; rms as AES17 tells it."""
    draw = np.random.default_rng(seed)
    spectrum = np.fft.rfft(draw.standard_normal(int(seconds * RATE)))
    frequency = np.fft.rfftfreq(int(seconds * RATE), 1 / RATE)
    noise = np.fft.irfft(spectrum / np.sqrt(1 + (frequency / 200) ** 2) * (frequency > 20), n=int(seconds * RATE))
    time = np.arange(len(noise)) / RATE
    noise = noise / np.std(noise) + 0.05 * np.sin(2 * np.pi * 50 * time)
    return noise / np.std(noise) * 10 ** (ROOM_DBFS / 20) / np.sqrt(2)


def spoken(text: str, voice: str, speed: int, rate: int) -> np.ndarray:
    """Words of a speech synthesiser, at a sample rate."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "speech.wav"
        command = ["espeak-ng", "-v", voice, "-s", str(speed), "-g", "4", "-w", str(path), text]
        try:
            subprocess.run(command, check=True, capture_output=True)
        except FileNotFoundError:
            sys.exit("espeak-ng is not installed: apt-get install espeak-ng")
        samples, given = soundfile.read(path)
    time = np.arange(int(len(samples) * rate / given)) / rate
    return np.interp(time, np.arange(len(samples)) / given, samples)


def speech() -> np.ndarray:
    """One talker, synthesised, at 48 kHz; 0.8 s of room before and after."""
    voice = spoken(TEXT, "en-gb+f3", 150, RATE)
    level = np.sqrt(np.mean(voice[np.abs(voice) > 0.02] ** 2) * 2)
    voice = voice / level * 10 ** (SPEECH_DBFS / 20)
    pad = np.zeros(int(0.8 * RATE))
    return np.concatenate((pad, voice, pad))


def guest_room(seconds: float, seed: int) -> np.ndarray:
    """A fan, and the rumble of boards over water: noise under 60 Hz. Levels as AES17."""
    draw = np.random.default_rng(seed)
    count = int(seconds * GUEST_RATE)
    frequency = np.fft.rfftfreq(count, 1 / GUEST_RATE)

    def shaped(curve: np.ndarray, level_dbfs: float) -> np.ndarray:
        noise = np.fft.irfft(np.fft.rfft(draw.standard_normal(count)) * curve, n=count)
        return noise / np.std(noise) * 10 ** (level_dbfs / 20) / np.sqrt(2)

    fan = shaped(1 / np.sqrt(1 + (frequency / 350) ** 2) * (frequency > 90), FAN_DBFS)
    rumble = shaped((frequency > 18) / np.sqrt(1 + (frequency / 55) ** 8), RUMBLE_DBFS)
    return fan + rumble


def guest() -> np.ndarray:
    """The guest's talk as her channel is recorded: quiet, and quieter where she turns away."""
    parts = [np.zeros(int(1.6 * GUEST_RATE))]
    for text, louder_db, pause in GUEST:
        words = spoken(text, "en-gb+f4", 145, GUEST_RATE)
        level = np.sqrt(np.mean(words[np.abs(words) > 0.02] ** 2) * 2)
        parts += [words / level * 10 ** ((GUEST_DBFS + louder_db) / 20), np.zeros(int(pause * GUEST_RATE))]
    voice = np.concatenate(parts)
    return voice + guest_room(len(voice) / GUEST_RATE + 1, 21)[: len(voice)]


def jingle(seconds: float, level_dbfs: float) -> np.ndarray:
    """A squeeze-box tune over a drone, made of sines: what the player gives."""
    time = np.arange(int(seconds * GUEST_RATE)) / GUEST_RATE
    out = np.zeros(len(time))
    for number, step in enumerate((0, 4, 7, 12, 7, 4, 2, 5, 9, 14, 9, 5, 0, 7, 12, 16)):
        start = number * seconds / 16
        note = np.maximum(0, 1 - (time - start) / 0.9) * (time >= start) * np.minimum(1, (time - start) / 0.02)
        hertz = 220 * 2 ** (step / 12)
        out += note * sum(np.sin(2 * np.pi * hertz * k * time) / k for k in (1, 2, 3, 4))
    out += 0.3 * np.sin(2 * np.pi * 110 * time)
    return out / np.sqrt(2 * np.mean(out**2)) * 10 ** (level_dbfs / 20)


def repaired(show: Show) -> Show:
    """The show with the first remedy of every finding to stop for or to fix, one after the other, and the
    room tone attached.
    """
    for _ in range(20):
        todo = [row for row in analyse(show).findings if row.severity != "note" and row.remedies]
        if not todo:
            break
        show = todo[0].remedies[0].apply(show)
    path = DEMO / "room-tone.flac"
    measure = measure_take(path)
    assert measure.noise_floor_dbfs is not None
    take = room_tone_take(
        analyse(show).any_ladder("mira"),
        "mira",
        take_id="room-tone-mira",
        file=path.name,
        noise_dbfs=measure.noise_floor_dbfs,
        noise_a_dbfs=measure.noise_floor_a_dbfs,
        sha256=fingerprint(path),
    )
    return AttachTake(take).apply(show).with_(title="Lantern Quay, repaired")


AIR = datetime.fromisoformat("2026-08-14T19:00:00+01:00")
TABLE = ("mira", "tam", "ilse")
EVENING: tuple[dict[str, Any], ...] = (
    {"id": "opening", "name": "Opening jingle", "length_s": 20, "sort": "jingle", "play": "The lantern is lit"},
    {"id": "welcome", "name": "Welcome", "length_s": 100, "sort": "talk", "open": ("mira",)},
    {
        "id": "ferry",
        "name": "Ferry: leaving the pier",
        "length_s": 210,
        "sort": "remote",
        "open": ("mira", "ferry"),
        "shortest_s": 150,
        "topics": ({"text": "How full is she tonight?", "party": "ferry", "minutes": 1.5},),
    },
    {
        "id": "interview",
        "name": "Interview with the boatbuilder",
        "length_s": 360,
        "sort": "interview",
        "open": TABLE,
        "shortest_s": 270,
        "note": "Tam laughs loud: a hand on his fader.",
        "topics": (
            {"text": "The hull, plank by plank", "party": "tam", "minutes": 3},
            {"text": "The storm, and starting again", "party": "ilse", "minutes": 2},
        ),
    },
    {
        "id": "jingle-2",
        "name": "Second jingle",
        "length_s": 20,
        "sort": "jingle",
        "play": "Rope and oar",
        "can_drop": True,
        "loses": "a breath before the trio",
    },
    {"id": "haul-away", "name": "Shanty trio: Haul away", "length_s": 190, "sort": "music", "open": ("trio",)},
    {
        "id": "lighthouse",
        "name": "Lighthouse: the lamp room",
        "length_s": 240,
        "sort": "remote",
        "open": ("mira", "lighthouse"),
        "shortest_s": 180,
        "topics": ({"text": "What can be seen from up there", "party": "lighthouse", "minutes": 3},),
    },
    {
        "id": "quiz",
        "name": "Knots quiz",
        "length_s": 180,
        "sort": "talk",
        "open": TABLE,
        "can_drop": True,
        "loses": "the prize is given next week",
    },
    {"id": "tide", "name": "Shanty trio: The tide is in", "length_s": 220, "sort": "music", "open": ("trio",)},
    {
        "id": "table",
        "name": "Round the table",
        "length_s": 180,
        "sort": "talk",
        "open": (*TABLE, "ferry"),
        "longest_s": 220,
    },
    {
        "id": "close",
        "name": "Close",
        "length_s": 60,
        "sort": "talk",
        "open": ("mira",),
        "play": "The lantern is lit",
        "under": True,
        "ends_by": AIR + timedelta(minutes=30),
    },
)
"""The evening from the opening to the hard out, half an hour after it began."""


def evening(show: Show) -> Show:
    """The repaired show with its rundown, lined up and tapped on the simulated rig, but for the lighthouse, whom nobody has heard yet."""
    rows = []
    for given in EVENING:
        row = dict(given)
        title, under = row.pop("play", ""), row.pop("under", False)
        if title:
            row["plays"] = ({"party": "jingles", "title": title, "length_s": row["length_s"], "under": under},)
        rows.append(Segment.model_validate(row))
    show = show.with_(title="Lantern Quay", air_at=AIR, rundown=tuple(rows))
    at = AIR - timedelta(minutes=40)
    rig = SimulatedRig(seed=4, true_to_plan=True)
    for step in steps_of(analyse(show)):
        report = analyse(show)
        now = next(row for row in steps_of(report) if row.voice == step.voice)
        sound = rig.play(report, step.voice, step.point.node)
        outcome = judge(now, read_meter(now.expected, sound, rig.sample_rate_hz, FULL_SCALE[step.point.unit]).shown)
        turned = not outcome.passed
        entry = entry_of(now, outcome, at, turned=turned, measured=True)
        if step.voice != "lighthouse":
            show = apply_all(show, edits_of(report, now, outcome, entry, turned=turned))
            at += timedelta(minutes=1)
    report = analyse(show)
    model = tap_model(report)
    seen = {
        (tap, meter): SILENT if below < SHOWN_DB else float(below)
        for tap, row in enumerate(model.planned)
        for meter, below in enumerate(row)
    }
    pairs = newly_proven(report, model, seen)
    entry = LogEntry(
        at=at,
        text="Tap test: everybody but the lighthouse, as planned.",
        proven=tuple(row for row in pairs if row.voice != "lighthouse"),
    )
    return AddLog(entry).apply(show)


def main() -> None:
    """Writes the takes, the repaired show and the evening with its rundown into the demo folder."""
    voice = speech()
    soundfile.write(
        DEMO / "voice.flac", voice + room_tone(len(voice) / RATE + 1, 7)[: len(voice)], RATE, subtype="PCM_24"
    )
    soundfile.write(DEMO / "guest-talk.flac", guest(), GUEST_RATE, subtype="PCM_16")
    soundfile.write(DEMO / "guest-room.flac", guest_room(10, 22), GUEST_RATE, subtype="PCM_16")
    soundfile.write(DEMO / "jingle.flac", jingle(16, -27.0), GUEST_RATE, subtype="PCM_16")
    soundfile.write(DEMO / "room-tone.flac", room_tone(6, 11), RATE, subtype="PCM_24")
    mended = repaired(read_show(DEMO / "lantern-quay.json"))
    write_show(DEMO / "lantern-quay-repaired.json", mended)
    write_show(DEMO / "lantern-quay-evening.json", evening(mended))


if __name__ == "__main__":
    main()
