"""Makes what the demo ships besides its hand-written show: two short takes, and the repaired copy of the
show.

Speech comes from espeak-ng (Debian package `espeak-ng`); everything else is NumPy with a fixed seed. Run from
the root of the checkout:

    python tools/make_demo.py
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import soundfile

from kymaphon.core.analyse import analyse
from kymaphon.core.edits import AttachTake
from kymaphon.core.show import Show
from kymaphon.core.takes import room_tone_take
from kymaphon.files.audio import fingerprint, measure_take
from kymaphon.files.show_file import read_show, write_show

RATE = 48000
ROOM_DBFS = -62.5
SPEECH_DBFS = -20.6
TEXT = (
    "Good evening from Lantern Quay. The tide is in, the boats are lit, "
    "and the trio is tuning up behind me. We will hear from the ferry in a minute."
)
DEMO = Path(__file__).resolve().parent.parent / "kymaphon" / "demo"


def room_tone(seconds: float, seed: int) -> np.ndarray:
    """Fan and air: noise falling 6 dB an octave above 200 Hz, a little 50 Hz hum; rms as AES17 tells it."""
    draw = np.random.default_rng(seed)
    spectrum = np.fft.rfft(draw.standard_normal(int(seconds * RATE)))
    frequency = np.fft.rfftfreq(int(seconds * RATE), 1 / RATE)
    noise = np.fft.irfft(
        spectrum / np.sqrt(1 + (frequency / 200) ** 2) * (frequency > 20), n=int(seconds * RATE)
    )
    time = np.arange(len(noise)) / RATE
    noise = noise / np.std(noise) + 0.05 * np.sin(2 * np.pi * 50 * time)
    return noise / np.std(noise) * 10 ** (ROOM_DBFS / 20) / np.sqrt(2)


def speech() -> np.ndarray:
    """One talker, synthesised, at 48 kHz; 0.8 s of room before and after."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "speech.wav"
        command = ["espeak-ng", "-v", "en-gb+f3", "-s", "150", "-g", "4", "-w", str(path), TEXT]
        try:
            subprocess.run(command, check=True, capture_output=True)
        except FileNotFoundError:
            sys.exit("espeak-ng is not installed: apt-get install espeak-ng")
        samples, rate = soundfile.read(path)
    time = np.arange(int(len(samples) * RATE / rate)) / RATE
    voice = np.interp(time, np.arange(len(samples)) / rate, samples)
    level = np.sqrt(np.mean(voice[np.abs(voice) > 0.02] ** 2) * 2)
    voice = voice / level * 10 ** (SPEECH_DBFS / 20)
    pad = np.zeros(int(0.8 * RATE))
    return np.concatenate((pad, voice, pad))


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
        analyse(show).any_ladder("mira"), "mira", take_id="room-tone-mira", file=path.name,
        noise_dbfs=measure.noise_floor_dbfs, sha256=fingerprint(path),
    )  # fmt: skip
    return AttachTake(take).apply(show).with_(title="Lantern Quay, repaired")


def main() -> None:
    """Writes the takes and the repaired show into the demo folder."""
    voice = speech()
    soundfile.write(
        DEMO / "voice.flac", voice + room_tone(len(voice) / RATE + 1, 7)[: len(voice)], RATE, subtype="PCM_24"
    )
    soundfile.write(DEMO / "room-tone.flac", room_tone(6, 11), RATE, subtype="PCM_24")
    write_show(DEMO / "lantern-quay-repaired.json", repaired(read_show(DEMO / "lantern-quay.json")))


if __name__ == "__main__":
    main()
