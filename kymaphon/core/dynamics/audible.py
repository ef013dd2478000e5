"""How much of a word is heard to be missing when a part of it is turned away: loudness lost, over time.

Eleven milliseconds of a soft consonant are not eighty of a vowel. Each moment of a word counts by its loudness against that of
the word as a whole: half for 10 dB less, a quarter for 20 (sone scale: Stevens 1955, from memory), never more than once. What
lies near the room or under it is partly masked: with the exponent a of the sone scale its loudness in noise of power N is as
(S + N)^a - N^a (partial loudness: Zwicker & Fastl, Psychoacoustics, from memory). The sum over the lost stretch is a time,
as if that much of the word at its own level were missing: studies of clipped speech tell its damage by length and by what is
lost (Gruber & Strawczynski 1985: clips of a word's front pass below some tens of milliseconds; from memory).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.dynamics.key import SINE_DB
from kymaphon.core.dynamics.speech import FRAME_STEPS, SpeechSegments
from kymaphon.core.figures import number

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Audible:
    """Loudness-weighted milliseconds of the words of a take, added up along it.

    Attributes:
        step_s: of `grown`.
        grown: up to each step; shape (steps + 1,). Flat outside the words.
    """

    step_s: float
    grown: Floats

    def at(self, seconds: Floats) -> Floats:
        """Weighted milliseconds of words up to some times; shape as `seconds`."""
        place = np.clip(seconds / self.step_s, 0, len(self.grown) - 1)
        low = np.floor(place).astype(np.intp)
        high = np.minimum(low + 1, len(self.grown) - 1)
        part = place - low
        return np.asarray(self.grown[low] * (1 - part) + self.grown[high] * part)


def audible_of(talk: SpeechSegments) -> Audible:
    """The weights of a take's words, in frames of 5 ms."""
    key = talk.key
    whole = len(key.power) // FRAME_STEPS
    frames = key.power[: whole * FRAME_STEPS].reshape(whole, FRAME_STEPS).mean(axis=1, dtype=np.float64)
    frame_s = FRAME_STEPS * key.step_s
    room = 10 ** ((talk.noise_dbfs - SINE_DB) / 10)
    # Half as loud for so many decibels less: a power of the energy.
    exponent = 10 * np.log10(2) / number("gate-loudness-halves")
    masked = room**exponent
    loudness = np.maximum(np.maximum(frames, room) ** exponent - masked, 0.0)
    weight = np.zeros(whole)
    for word in talk.words:
        a, b = round(word.start_s / frame_s), round(word.end_s / frame_s)
        level = max(float(frames[a:b].mean()), room) ** exponent - masked if b > a else 0.0
        if level > 0:
            weight[a:b] = np.minimum(loudness[a:b] / level, 1.0)
    return Audible(frame_s, np.concatenate(([0.0], np.cumsum(weight) * frame_s * 1000)))
