"""A talker made of numbers: sound with the rhythm, spectrum and crest of speech, and no words."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.levels.meter.active import SpeechMeter

Floats = NDArray[np.float64]
PHRASE_S = (1.2, 2.6)
PAUSE_S = (0.25, 0.6)
SYLLABLE_S = (0.14, 0.26)


def talk(seconds: float, sample_rate_hz: int = 48000, *, level_dbfs: float = -20.0, seed: int = 0) -> Floats:
    """Some seconds of talk at an active speech level (ITU-T P.56) in dBFS (AES17); shape (frames,).

    Syllables of voiced sound (harmonics of a gliding pitch, falling by 6 to 12 dB an octave) and hiss, in phrases with
    pauses. Nothing is limited: peaks may go beyond full scale.

    Raises:
        ValueError: shorter than a second, or a rate below 8 kHz.
    """
    if seconds < 1 or sample_rate_hz < 8000:
        raise ValueError("a talker needs at least a second, and 8 kHz")
    rng = np.random.default_rng(seed)
    frames = round(seconds * sample_rate_hz)
    out = np.zeros(frames)
    pitch = float(rng.uniform(95, 210))
    # Each harmonic has a phase of its own: in step they would make a click at every period.
    phases = rng.uniform(0, 2 * np.pi, 64)
    at = 0
    while at < frames:
        end = at + round(rng.uniform(*PHRASE_S) * sample_rate_hz)
        while at < min(end, frames):
            length = round(rng.uniform(*SYLLABLE_S) * sample_rate_hz)
            sound = _syllable(rng, length, sample_rate_hz, pitch, phases)
            part = out[at : at + length]
            part += sound[: len(part)]
            at += length
        at += round(rng.uniform(*PAUSE_S) * sample_rate_hz)
    meter = SpeechMeter(sample_rate_hz)
    meter.add(out)
    level = meter.level_dbfs()
    if level is None:
        raise ValueError("too short for a speech level")
    return out * 10 ** ((level_dbfs - level) / 20)


def _syllable(rng: np.random.Generator, length: int, rate: int, pitch: float, phases: Floats) -> Floats:
    time = np.arange(length) / rate
    glide = pitch * (1 + rng.uniform(-0.12, 0.12)) * (1 - 0.1 * time / time[-1])
    phase = 2 * np.pi * np.cumsum(glide) / rate
    highest = int(min(4000, rate / 2.5) // (pitch * 1.2))
    formant = rng.uniform(400, 900)
    voiced = np.zeros(length)
    for number in range(1, highest + 1):
        hertz = number * pitch
        strength = (pitch / hertz) ** 0.8 * (1 + 2.0 * np.exp(-(((hertz - formant) / 250) ** 2)))
        voiced += strength * np.cos(number * phase + phases[number % len(phases)])
    rise = np.minimum(1.0, time / 0.03)
    fall = np.minimum(1.0, (time[-1] - time) / 0.06)
    stress = 10 ** (rng.normal(0, 2.6) / 20)
    hiss = rng.normal(0, 1, length) * np.exp(-time / 0.025) * rng.choice([0.0, 0.4, 1.2])
    return np.asarray(stress * (rise * fall * voiced + hiss), dtype=np.float64)


def crest_db(signal: Floats, sample_rate_hz: int) -> float:
    """Highest sample over the active speech level, both as in AES17."""
    meter = SpeechMeter(sample_rate_hz)
    meter.add(signal)
    level = meter.level_dbfs()
    return float(20 * np.log10(np.abs(signal).max()) - (level or 0.0))
