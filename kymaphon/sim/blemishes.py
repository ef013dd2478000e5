"""What faults that change no level do to a sound: hum, buzz, bursts, crackle, gaps; each the same for the same seed, in any blocks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
FRAME_S, SLOT_S = 0.004615, 0.000577
"""A telephone sends one slot of eight in each frame: 216.7 Hz and its multiples."""
EVENT_S = 0.05
"""Crackle, gaps and pops are drawn for each stretch of so long."""
HUM = ((1, 1.0), (2, 0.35), (3, 0.6), (5, 0.25), (7, 0.1))
"""Multiples of mains frequency and their strengths."""


def blemish(sort: str, out: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    """Puts a fault into a stretch of sound, in place.

    Args:
        out: shape (frames,); `start` is the number of its first frame since the beginning.
        strength: peak of what is added, in the unit of the sound.

    Raises:
        KeyError: no sound is known of that sort.
    """
    time = (start + np.arange(len(out))) / rate
    _SORTS[sort](out, time, start, rate, seed, mains_hz, strength)


def _hum(out: Floats, time: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    out += strength * sum(part * np.sin(2 * np.pi * mains_hz * n * time + n) for n, part in HUM)


def _touch(out: Floats, time: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    # A hand is on it for two seconds of five.
    rasp = sum(np.sin(2 * np.pi * mains_hz * n * time) / np.sqrt(n) for n in range(1, 12))
    out += strength * 0.5 * rasp * (np.mod(time, 5.0) < 2.0)


def _dimmer(out: Floats, time: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    out += strength * 0.4 * sum(np.sin(4 * np.pi * mains_hz * n * time) / np.sqrt(n) for n in range(1, 21))


def _telephone(out: Floats, time: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    sending = np.mod(time, 6.0) < 3.0
    # Its mean does not come through an input.
    out += strength * ((np.mod(time, FRAME_S) < SLOT_S) - SLOT_S / FRAME_S) * sending


def _wash(out: Floats, time: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    swell = np.maximum(0.0, np.sin(2 * np.pi * time / 3.1)) ** 2
    for first, last, rng in _stretches(start, len(out), rate, seed):
        whole = rng.normal(0, 1, round(EVENT_S * rate))
        a, b = max(first, start), min(last, start + len(out))
        out[a - start : b - start] += strength * 0.4 * swell[a - start : b - start] * whole[a - first : b - first]


def _strand(out: Floats, time: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    for first, last, rng in _stretches(start, len(out), rate, seed):
        if rng.random() > 0.25:
            continue
        begin, length = rng.integers(0, last - first), rng.integers(rate // 400, rate // 25)
        gap = first + int(begin)
        a, b = max(gap, start), min(gap + int(length), last, start + len(out))
        if b > a:
            out[a - start : b - start] *= 0.03
        for pop in (gap, min(gap + int(length), last - 1)):
            if start <= pop < start + len(out):
                out[pop - start] += strength * 20 * rng.choice([-1.0, 1.0])


def _dropped(out: Floats, time: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    for first, last, rng in _stretches(start, len(out), rate, seed):
        if rng.random() > 0.1:
            continue
        gap = first + int(rng.integers(0, (last - first) // 2))
        a, b = max(gap, start), min(gap + int(rng.integers(rate // 1000, rate // 120)), last, start + len(out))
        if b > a:
            out[a - start : b - start] = 0.0


def _polarity(out: Floats, time: Floats, start: int, rate: int, seed: int, mains_hz: int, strength: float) -> None:
    out *= -1.0


def _stretches(start: int, count: int, rate: int, seed: int) -> list[tuple[int, int, np.random.Generator]]:
    """First and last frame of every stretch that a block lies in, each with a generator of its own: blocks may be of any length."""
    long = round(EVENT_S * rate)
    numbers = range(start // long, (start + count - 1) // long + 1)
    return [(n * long, (n + 1) * long, np.random.default_rng([seed, n])) for n in numbers]


_SORTS = {
    "hum": _hum,
    "touch-buzz": _touch,
    "dimmer-buzz": _dimmer,
    "telephone-burst": _telephone,
    "wireless-wash": _wash,
    "broken-strand": _strand,
    "dropped-samples": _dropped,
    "polarity": _polarity,
}
HEARD = tuple(_SORTS)
"""Sorts of fault of which the sound is known."""
