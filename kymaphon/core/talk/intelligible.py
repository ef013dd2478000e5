"""Whether talkback is followed in an ear: the Speech Intelligibility Index of ANSI S3.5-1997 by octave bands.

Sound pressure at the ear of a headphone is taken as if it were that of the free field, and both ears as one.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived
from kymaphon.core.figures import acoustic_data, data_table
from kymaphon.core.weighting import a_gain_db

Floats = NDArray[np.float64]
SPEECH = "speech"
Verdict = Literal["good", "fair", "poor"]


def speech_intelligibility_index(
    speech_db: Sequence[float] | Floats,
    noise_db: Sequence[float] | Floats,
    threshold_db: Sequence[float] | Floats = (0.0,) * 6,
) -> float:
    """Speech Intelligibility Index by the octave band procedure of ANSI S3.5-1997.

    Args:
        speech_db, noise_db: equivalent spectrum levels at 250, 500, 1000, 2000, 4000 and 8000 Hz, dB; shape (6,).
        threshold_db: equivalent hearing threshold levels, dB HL; shape (6,). 0 for normal hearing.

    Returns:
        0, nothing of speech can be used, to 1, all of it.

    Raises:
        ValueError: not six bands.

    The standard's own example (Annex C, example C.1):

    >>> round(speech_intelligibility_index([50, 40, 40, 30, 20, 0], [70, 65, 45, 25, 1, -15]), 3)
    0.504
    """
    rows = [np.asarray(row, dtype=float) for row in (speech_db, noise_db, threshold_db)]
    if any(row.shape != (6,) for row in rows):
        raise ValueError("the octave band procedure has six bands, 250 to 8000 Hz")
    speech, noise, threshold = rows
    audibility, loudness = _parts(speech, noise, threshold)
    table = data_table("talk")["sii"]
    return float(np.array(table["importance"]) @ (audibility * loudness))


def _parts(speech: Floats, noise: Floats, threshold: Floats) -> tuple[Floats, Floats]:
    """What of each band is above the noise, and what of it is left where it is uncomfortably loud; each 0 to 1, shape (6,)."""
    table = data_table("talk")["sii"]
    floor = np.maximum(noise, np.array(table["internal_noise_db"]) + threshold)
    audibility = np.clip((speech - floor + 15) / 30, 0, 1)
    loudness = np.minimum(1 - (speech - np.array(table["speech_normal_db"]) - 10) / 160, 1)
    return audibility, np.maximum(loudness, 0)


def speech_spectrum(level_db: float, *, narrow: bool = False) -> Floats:
    """Spectrum levels of speech of an overall level in dB SPL, unweighted, by the long-term average of Byrne et al. 1994; shape (6,).

    Args:
        narrow: it came by a telephone.
    """
    answer: Floats = level_db + _speech_shape(narrow)
    return answer


@cache
def _speech_shape(narrow: bool) -> Floats:
    bands = np.array(acoustic_data()["speech_share"]["db"], dtype=float)
    levels = bands - 10 * math.log10(float(np.sum(10 ** (bands / 10))))
    narrowed = np.array(data_table("talk")["narrow_band"]["db"], dtype=float) if narrow else np.zeros(6)
    shape: Floats = levels[1:] + narrowed - _widths_db()
    return shape


def noise_spectrum(level_db: float, kind: str, *, weighted: bool = True) -> Floats:
    """Spectrum levels of a noise of a kind (`acoustics.json`), by its level in dBA, or unweighted in dB SPL; shape (6,)."""
    answer: Floats = level_db + _noise_shape(kind, weighted)
    return answer


@cache
def _noise_shape(kind: str, weighted: bool) -> Floats:
    shares = np.array(acoustic_data()["noise_share"][kind], dtype=float)
    levels = 10 * np.log10(shares / shares.sum()) - a_gain_db(np.array(acoustic_data()["bands_hz"], dtype=float))
    if not weighted:
        levels = levels - 10 * math.log10(float(np.sum(10 ** (levels / 10))))
    shape: Floats = levels[1:] - _widths_db()
    return shape


@cache
def _widths_db() -> Floats:
    """Ten times the logarithm of each octave's width in hertz: from a band's level to its spectrum level."""
    centre = np.array(data_table("talk")["sii"]["bands_hz"], dtype=float)
    answer: Floats = 10 * np.log10(centre / math.sqrt(2))
    return answer


def indices(speech_db: Floats, noise_db: Floats) -> Floats:
    """The index of many at once, hearing normal; both of shape (N, 6), answer (N,)."""
    audibility, loudness = _parts(speech_db, noise_db, np.zeros(6))
    answer: Floats = (audibility * loudness) @ np.array(data_table("talk")["sii"]["importance"])
    return answer


def summed(rows: Sequence[Floats]) -> Floats:
    """Spectra that have nothing to do with each other, added as powers; silence where there are none. Shape (6,)."""
    if not rows:
        return np.full(6, -100.0)
    answer: Floats = 10 * np.log10(np.sum(10 ** (np.array(rows) / 10), axis=0))
    return answer


@dataclass(frozen=True, slots=True)
class Masker:
    """Something else in an ear while somebody talks.

    Attributes:
        level: unweighted in dB SPL, or in dBA.
        kind: `speech`, or a kind of noise of `acoustics.json`.
    """

    name: str
    level: Derived
    kind: str

    @property
    def spectrum(self) -> Floats:
        if self.kind == SPEECH:
            return speech_spectrum(self.level.value)
        return noise_spectrum(self.level.value, self.kind, weighted=self.level.unit == "dBA")


def index_of(talk: Derived, maskers: Sequence[Masker], *, narrow: bool = False) -> Derived:
    """The index of talkback of a level in dB SPL over everything else in the ear, with its arithmetic."""
    speech = speech_spectrum(talk.value, narrow=narrow)
    noise = summed([row.spectrum for row in maskers])
    audibility, loudness = _parts(speech, noise, np.zeros(6))
    table = data_table("talk")["sii"]
    rows = tuple(
        Derived(
            f"{hz} Hz, of {share:.0%}",
            float(share * a * b),
            "SII",
            source=f"speech {s:.0f}, noise {n:.0f} dB per hertz",
        )
        for hz, share, a, b, s, n in zip(
            table["bands_hz"], table["importance"], audibility, loudness, speech, noise, strict=True
        )
    )
    return Derived(
        "intelligibility index",
        sum(row.value for row in rows),
        "SII",
        "sum over octaves of importance \u00d7 (speech \u2212 noise + 15) / 30",
        (*rows, talk, *(row.level for row in maskers)),
        "ANSI S3.5-1997, octave band procedure",
    )


def verdict_of(index: float) -> Verdict:
    """How good that is, by the standard's own words."""
    table = data_table("talk")["sii"]
    return "good" if index >= table["good"] else "fair" if index >= table["poor"] else "poor"


def limit(name: str) -> float:
    """A limit of talkback, by its name in data/talk.json. Raises KeyError when there is none."""
    return float(data_table("talk")["limits"][name]["value"])
