"""Takes for tests: real speech at known ratios to a noise, and the room's own take.

The speech: see tests/data/speech/README.md.
"""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

import numpy as np
import soundfile

from kymaphon.core.levels.meter.active import SpeechMeter

SPEECH = Path(__file__).resolve().parents[2] / "data" / "speech"
RATE = 16000
SINE_DB = 10 * np.log10(2)


@cache
def alignment() -> dict[str, list[dict[str, object]]]:
    return json.loads((SPEECH / "words.json").read_text())


@cache
def reading() -> np.ndarray:
    """The five sentences, a second of silence after each."""
    parts = []
    for name in alignment():
        samples, rate = soundfile.read(SPEECH / f"{name}.flac")
        assert rate == RATE
        parts += [samples, np.zeros(RATE)]
    return np.concatenate(parts)


@cache
def reading_dbfs() -> float:
    """Its active speech level by ITU-T P.56, method B."""
    meter = SpeechMeter(RATE)
    meter.add(reading())
    level = meter.level_dbfs()
    assert level is not None
    return level


def noise(seconds: float, level_dbfs: float, seed: int, rate: int = RATE) -> np.ndarray:
    """White noise at an AES17 level."""
    samples = np.random.default_rng(seed).normal(0, 1, round(seconds * rate))
    return samples * 10 ** ((level_dbfs - SINE_DB) / 20) / np.sqrt(np.mean(samples**2))


def pink(seconds: float, level_dbfs: float, seed: int, rate: int = RATE) -> np.ndarray:
    """Pink noise, 3 dB an octave down, at an AES17 level."""
    count = round(seconds * rate)
    spectrum = np.fft.rfft(np.random.default_rng(seed).normal(0, 1, count))
    spectrum[1:] /= np.sqrt(np.fft.rfftfreq(count, 1 / rate)[1:])
    spectrum[0] = 0
    samples = np.fft.irfft(spectrum, count)
    return samples * 10 ** ((level_dbfs - SINE_DB) / 20) / np.sqrt(np.mean(samples**2))


def mixed(snr_db: float, seed: int = 1, sort: str = "white") -> tuple[np.ndarray, np.ndarray]:
    """The reading at a ratio to white or pink noise, and ten seconds of such noise alone."""
    level = reading_dbfs() - snr_db
    made = pink if sort == "pink" else noise
    talk = reading() + made(len(reading()) / RATE, level, seed)
    return talk.astype(np.float32), made(10, level, seed + 100).astype(np.float32)


def burst(
    start_s: float, end_s: float, seconds: float, level_dbfs: float, rate: int = 48000, hz: float = 1000.0
) -> np.ndarray:
    """A tone burst on silence; level as AES17."""
    time = np.arange(round(seconds * rate)) / rate
    tone = 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hz * (time - start_s))
    return np.where((time >= start_s) & (time < end_s), tone, 0.0).astype(np.float32)
