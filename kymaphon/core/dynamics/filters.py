"""Low cut and equaliser: their sections, their curves, and the corner that a voice and a room ask for."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure, number
from kymaphon.core.model.processing import Band, Equaliser, Gate, LowCut
from kymaphon.core.takes.spectrum import Spectrum

Floats = NDArray[np.float64]
SLOPES = (6, 12, 18, 24)


def low_cut_sections(low_cut: LowCut, sample_rate_hz: float) -> Floats:
    """Second-order sections of a Butterworth high-pass by the bilinear transform; shape (n, 6): b0 b1 b2 a0 a1 a2.

    Raises:
        ValueError: the corner lies above half the sample rate.
    """
    return butterworth(low_cut.corner_hz, low_cut.slope_db_per_octave // 6, sample_rate_hz)


def butterworth(corner_hz: float, order: int, sample_rate_hz: float, *, low_pass: bool = False) -> Floats:
    """Butterworth high-pass, or low-pass, of some order, 3.01 dB down at its corner; shape (n, 6).

    Poles on a circle (Butterworth 1930), bilinear transform with the corner pre-warped.

    Raises:
        ValueError: the corner lies above half the sample rate, or the order is below 1.
    """
    if order < 1:
        raise ValueError("a filter is at least of the first order")
    if not 0 < corner_hz < sample_rate_hz / 2:
        raise ValueError(f"a corner of {corner_hz:g} Hz does not fit into {sample_rate_hz:g} samples a second")
    k = math.tan(math.pi * corner_hz / sample_rate_hz)
    rows = []
    if order % 2:
        b = (k, k) if low_pass else (1.0, -1.0)
        rows.append([b[0] / (1 + k), b[1] / (1 + k), 0.0, 1.0, (k - 1) / (1 + k), 0.0])
    for i in range(order // 2):
        q = 1 / (2 * math.cos(math.pi * (2 * i + 1 + order % 2) / (2 * order)))
        norm = 1 + k / q + k * k
        b0, b1 = (k * k, 2 * k * k) if low_pass else (1.0, -2.0)
        rows.append([b0 / norm, b1 / norm, b0 / norm, 1.0, 2 * (k * k - 1) / norm, (1 - k / q + k * k) / norm])
    return np.array(rows)


def band_sections(band: Band, sample_rate_hz: float) -> Floats:
    """One section of an equaliser; shape (1, 6).

    Bell and shelves of the Audio EQ Cookbook (Bristow-Johnson; W3C note 2021), the shelves by Q.

    Raises:
        ValueError: the centre lies above half the sample rate.
    """
    if band.centre_hz >= sample_rate_hz / 2:
        raise ValueError(f"{band.centre_hz:g} Hz does not fit into {sample_rate_hz:g} samples a second")
    a = 10 ** (band.gain_db / 40)
    w = 2 * math.pi * band.centre_hz / sample_rate_hz
    cos, alpha = math.cos(w), math.sin(w) / (2 * band.q)
    if band.shape == "bell":
        b = (1 + alpha * a, -2 * cos, 1 - alpha * a)
        d = (1 + alpha / a, -2 * cos, 1 - alpha / a)
    else:
        # The high shelf is the low one with the cosine's sign turned round.
        s = 1.0 if band.shape == "low-shelf" else -1.0
        root = 2 * math.sqrt(a) * alpha
        b = (
            a * ((a + 1) - s * (a - 1) * cos + root),
            s * 2 * a * ((a - 1) - s * (a + 1) * cos),
            a * ((a + 1) - s * (a - 1) * cos - root),
        )
        d = (
            (a + 1) + s * (a - 1) * cos + root,
            -s * 2 * ((a - 1) + s * (a + 1) * cos),
            (a + 1) + s * (a - 1) * cos - root,
        )
    return np.array([[b[0] / d[0], b[1] / d[0], b[2] / d[0], 1.0, d[1] / d[0], d[2] / d[0]]])


def equaliser_sections(equaliser: Equaliser, sample_rate_hz: float) -> Floats:
    """All bands one after the other; shape (bands, 6). Raises ValueError as `band_sections`."""
    return np.concatenate([band_sections(band, sample_rate_hz) for band in equaliser.bands])


def key_sections(gate: Gate, sample_rate_hz: float) -> Floats | None:
    """A gate's key filter: second-order Butterworth high-pass and low-pass; None where it has none.

    A low-pass above half the sample rate lets all of it through, and is left out.
    """
    rows = []
    if gate.key_low_hz:
        rows.append(butterworth(gate.key_low_hz, 2, sample_rate_hz))
    if gate.key_high_hz and gate.key_high_hz < sample_rate_hz / 2:
        rows.append(butterworth(gate.key_high_hz, 2, sample_rate_hz, low_pass=True))
    return np.concatenate(rows) if rows else None


def gain_db(sections: Floats, frequency_hz: Floats, sample_rate_hz: float) -> Floats:
    """Gain of some sections at some frequencies, in dB; shape as `frequency_hz`."""
    z = np.exp(-2j * np.pi * np.asarray(frequency_hz, dtype=np.float64) / sample_rate_hz)
    out = np.ones_like(z)
    for b0, b1, b2, a0, a1, a2 in sections:
        out = out * (b0 + b1 * z + b2 * z * z) / (a0 + a1 * z + a2 * z * z)
    return np.asarray(20 * np.log10(np.maximum(np.abs(out), 1e-15)))


@dataclass(frozen=True)
class LowCutChoice:
    """A low cut for a voice in a room.

    Attributes:
        low_cut: None where none is worth it.
        room_db, voice_db: what it takes off the room and off the voice.
        below_share: part of the room's energy below its corner, 0 to 1.
    """

    low_cut: LowCut | None
    room_db: float
    voice_db: float
    below_share: float

    @property
    def buys_db(self) -> float:
        return self.room_db - self.voice_db

    def why(self) -> Derived:
        """What it buys, line by line."""
        return Derived(
            "voice over room, more",
            self.buys_db,
            "dB",
            terms=(
                Derived("off the room", self.room_db, "dB", source="its spectrum through the filter's curve"),
                Derived(
                    "less off the voice",
                    -self.voice_db,
                    "dB",
                    source="the voice's spectrum, room taken off, through the same",
                ),
            ),
            adds=True,
        )


def choose_low_cut(voice: Spectrum, room: Spectrum) -> LowCutChoice:
    """The corner that takes most off the room for what it may take off the voice.

    Corners from 30 to 140 Hz, 12 and 18 dB an octave; the voice's spectrum has the room's taken off, bin by bin. The voice
    may lose no more than `low-cut-voice`; of corners that buy nearly the same, the lowest.
    """
    rows = []
    for corner in np.arange(30, 141, 2.0):
        for slope in (12, 18):
            row = try_low_cut(LowCut(corner_hz=float(corner), slope_db_per_octave=slope), voice, room)
            if row.voice_db <= number("low-cut-voice"):
                rows.append(row)
    best = max((row.buys_db for row in rows), default=0.0)
    if best < number("low-cut-worth"):
        return LowCutChoice(None, 0.0, 0.0, 0.0)
    good = [row for row in rows if row.buys_db >= best - number("low-cut-ease") and row.low_cut is not None]
    return min(good, key=_mildest)


def _mildest(row: LowCutChoice) -> tuple[float, int]:
    return (row.low_cut.corner_hz, row.low_cut.slope_db_per_octave) if row.low_cut is not None else (0.0, 0)


def try_low_cut(low_cut: LowCut, voice: Spectrum, room: Spectrum) -> LowCutChoice:
    """What one low cut takes off a room and off a voice."""
    clean = without_room(voice, room)
    off_room = room.level_dbfs - room.through(_curve(low_cut, room))
    off_voice = clean.level_dbfs - clean.through(_curve(low_cut, clean))
    return LowCutChoice(low_cut, off_room, off_voice, room.share(0, low_cut.corner_hz))


def without_room(voice: Spectrum, room: Spectrum) -> Spectrum:
    """A voice's spectrum with the room's taken off, bin by bin."""
    pure = np.maximum(voice.power - np.interp(voice.frequency_hz, room.frequency_hz, room.power), 0)
    return Spectrum(voice.sample_rate_hz, voice.frequency_hz, pure, voice.tops)


def _curve(low_cut: LowCut, spectrum: Spectrum) -> Floats:
    return gain_db(low_cut_sections(low_cut, spectrum.sample_rate_hz), spectrum.frequency_hz, spectrum.sample_rate_hz)


def low_cut_limits() -> tuple[Derived, ...]:
    """The figures that a low cut is chosen by."""
    return tuple(figure(name) for name in ("low-cut-voice", "low-cut-worth", "low-cut-ease"))
