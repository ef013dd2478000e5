"""How much a level differs with and without A-weighting, and how high its peaks go, by what it is the level of.

What drives volts and clips is unweighted. Voice over noise and the day's dose are told A-weighted, both sides of the
comparison alike. Rooms, own noise of microphones and efforts of talkers are stated A-weighted; equivalent input noise and
thermal noise are not. Whoever compares one with the other comes by here first.
"""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING

import numpy as np

from kymaphon.core.derive import Derived, total
from kymaphon.core.figures import acoustic_data, figure, number
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.weighting import OFFSET, a_gain_db, k_gain_db

if TYPE_CHECKING:
    from kymaphon.core.model.show import Party

A_WEIGHTING = "IEC 61672-1"
_LEAST_HZ = 20.0


@cache
def speech_a_db() -> float:
    """A-weighted less unweighted level of long-term average speech: about -4.0 dB (Byrne et al. 1994, octave bands)."""
    data = acoustic_data()
    power = 10 ** (np.array(data["speech_share"]["db"], dtype=np.float64) / 10)
    gains = 10 ** (a_gain_db(np.array(data["bands_hz"], dtype=np.float64)) / 10)
    return float(10 * np.log10((power * gains).sum() / power.sum()))


@cache
def sound_a_db(noise: str) -> float:
    """A-weighted less unweighted level of a noise whose A-weighted shares stand in data/acoustics.json.

    What lies below the lowest octave band (125 Hz) is left out, so the unweighted level is the least that it can be.

    Raises:
        KeyError: no such spectrum.
    """
    data = acoustic_data()
    shares = np.array(data["noise_share"][noise], dtype=np.float64)
    gains = a_gain_db(np.array(data["bands_hz"], dtype=np.float64))
    return float(-10 * np.log10((shares / shares.sum() * 10 ** (-gains / 10)).sum()))


@cache
def white_a_db() -> float:
    """A-weighted less unweighted level of white noise from 20 Hz over the bandwidth of noise figures: about -2.3 dB
    to 20 kHz. Thermal noise, and nearly all electronic noise, is white.
    """
    frequency = np.linspace(_LEAST_HZ, number("noise-bandwidth"), 40001)
    return float(10 * np.log10(np.mean(10 ** (a_gain_db(frequency) / 10))))


def voice_a(kind: str) -> Derived:
    """What A-weighting takes off the sound of a party, by its kind."""
    spectrum = {"instrument": "music", "player": "music", "crowd": "crowd"}.get(kind)
    if kind == "effect":
        return Derived("A-weighting of an unknown sound", 0.0, "dB", source="assumed: its spectrum is not known")
    if spectrum is None:
        value, source = speech_a_db(), acoustic_data()["speech_share"]["source"]
        return Derived("A-weighting of speech", value, "dB", source=f"{A_WEIGHTING}; {source}")
    source = acoustic_data()["noise_source"]
    return Derived(f"A-weighting of {spectrum}", sound_a_db(spectrum), "dB", source=f"{A_WEIGHTING}; {source}")


def crest_of(kind: str) -> Derived:
    """Highest sample over the average level (AES17) of the sound of a party, by its kind: what clips goes by it."""
    return figure("music-crest" if kind == "player" else "crest-highest")


def grows(party: Party) -> bool:
    """Whether a party gets louder on warming up: people and what they play do; a player does not, nor an instrument that is a
    line output, whose level its maker and its volume set.
    """
    return party.kind != "player" and not (party.kind in ("instrument", *NO_SPEECH) and party.plays_on)


def growth_of(party: Party) -> Derived:
    """What should be left for a party's peaks at line-up; see `headroom_wanted`."""
    return headroom_wanted(party.kind if grows(party) else "player")


def headroom_wanted(kind: str) -> Derived:
    """What should be left between the highest sample and a ceiling at line-up: what a talker gains on warming up, less
    how much lower than the usual talker's the peaks of the mildest lie. Below it, clipping is sure to come.
    """
    if kind == "player":
        return Derived("the level of a line source does not grow", 0.0, "dB")
    growth, crest = figure("growth"), crest_of(kind)
    low = crest.spread[0] if crest.spread else crest.value
    mild = Derived("less: talkers' peaks differ by", low - crest.value, "dB", source=crest.source)
    return total("headroom wanted", "dB", (growth, mild))


def voice_k(kind: str) -> Derived:
    """Loudness in LUFS, with the sound in both channels, less the AES17 level of one, by the kind of party: -0.691 dB and
    what the K-weighting adds to its spectrum (ITU-R BS.1770-5). Both channels together make up for the 3.01 dB of AES17.
    """
    data = acoustic_data()
    gains = k_gain_db(np.array(data["bands_hz"], dtype=np.float64))
    if kind in ("instrument", "player", "crowd"):
        shares = np.array(data["noise_share"]["crowd" if kind == "crowd" else "music"], dtype=np.float64)
        power, source = (
            shares * 10 ** (-a_gain_db(np.array(data["bands_hz"], dtype=np.float64)) / 10),
            data["noise_source"],
        )
    else:
        power, source = (
            10 ** (np.array(data["speech_share"]["db"], dtype=np.float64) / 10),
            data["speech_share"]["source"],
        )
    weighting = float(10 * np.log10((power * 10 ** (gains / 10)).sum() / power.sum()))
    return Derived(
        "K-weighting of both channels over the level of one",
        OFFSET + weighting,
        "dB",
        source=f"ITU-R BS.1770-5; {source}",
    )


def white_a() -> Derived:
    """What A-weighting takes off white noise."""
    bandwidth = figure("noise-bandwidth")
    return Derived(
        "A-weighting of white noise",
        white_a_db(),
        "dB",
        source=f"{A_WEIGHTING}, 20 Hz to {bandwidth.value / 1000:.0f} kHz",
    )


def weighted_unit(unit: str) -> str:
    """The unit of an A-weighted level at a point: `dB SPL` becomes `dBA`, `dBu` becomes `dBu(A)`."""
    return "dBA" if unit == "dB SPL" else f"{unit}(A)"


def crest_together(count: int) -> tuple[Derived, Derived]:
    """Highest sample of some talkers at once over the sum of their levels (AES17): in half of all half minutes, and in one of
    ten. Measured: see `speech_together` in data/acoustics.json.
    """
    data = acoustic_data()["speech_together"]
    rows = []
    for name, key in (
        ("in one half minute of two", "middle_db"),
        ("in one half minute of ten", "one_in_ten_db"),
    ):
        value = float(np.interp(count, data["talkers"], data[key]))
        rows.append(
            Derived(
                f"highest sample of {count} talkers over their sum, {name}",
                value,
                "dB",
                source=data["source"],
            )
        )
    return rows[0], rows[1]
