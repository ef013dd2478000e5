"""How a voice was taken: too quiet, drifting, off its microphone, blown into it, muffled or thin, through a codec, chopped by a gate."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import show_number
from kymaphon.core.figures import data_table
from kymaphon.core.takes.faults.kinds import SoundFault, fault, limit, often
from kymaphon.core.takes.faults.stretch import BANDS_HZ, FINE_S, LOWEST, Floats, Frames, Stretch, Voice
from kymaphon.core.words import counted

LEAST_TALK_S = 3.0
"""Of less nothing is told of how a voice sounds."""
WINDOW_S = 1.5
EDGE_STEP_HZ = 50.0


def band(low_hz: int, high_hz: int) -> tuple[int, int]:
    """Places in `BANDS_HZ` of the bands between two of its edges."""
    return BANDS_HZ.index(low_hz) + 1, BANDS_HZ.index(high_hz) + 1


@dataclass
class HowTaken:
    """Level, balance and blasts of a voice, from its frames."""

    frames: Frames

    def take(self, stretch: Stretch) -> None:
        """Its frames are kept once for all."""

    def found(self) -> Iterator[SoundFault]:
        voice = self.frames.voice()
        if voice is None or voice.talk_s < LEAST_TALK_S:
            return
        if voice.level_db < limit("quiet-level"):
            words = f"the voice is at {show_number(voice.level_db, 'dBFS')} on average"
            yield fault("too-quiet", "quiet-level", voice.level_db, words)
        yield from _drift(voice)
        yield from _off_microphone(voice)
        yield from _breath(voice)
        yield from _balance(voice, self.frames.rate)


def windows(voice: Voice) -> tuple[Floats, Floats]:
    """Where each second and a half with talk in it begins, and its level in dBFS.

    Windows half overlap; talk here is what stands over the pauses, however soft against the rest.
    """
    size = max(2, round(WINDOW_S / voice.hop_s))
    rows = []
    for start in range(0, len(voice.power) - size + 1, size // 2):
        part = slice(start, start + size)
        heard = voice.over[part]
        if heard.mean() >= 0.25:
            mean = float(voice.power[part][heard].sum(axis=1).mean())
            rows.append((float(voice.at_s[start]), 10 * math.log10(max(mean, LOWEST)) + 3.01))
    at, level = (np.array([row[k] for row in rows]) for k in range(2))
    return at, level


def _drift(voice: Voice) -> Iterator[SoundFault]:
    """A line through the level of the talk: how much it changes from end to end, and how often its own standard error that is."""
    at, level = windows(voice)
    if len(at) < 20 or at[-1] - at[0] < limit("drift-time"):
        return
    slope, start = np.polyfit(at, level, 1)
    change = float(slope * (at[-1] - at[0]))
    left = level - (start + slope * at)
    # Windows half overlap: half of them are independent.
    error = math.sqrt(float(left.var()) / (len(at) / 2)) / max(float(at.std()), 1e-9)
    if abs(change) > limit("drift") and abs(float(slope)) > limit("drift-sigmas") * error:
        way = "rises" if change > 0 else "falls"
        words = f"the voice {way} by {show_number(abs(change), 'dB')} from beginning to end, {at[-1] - at[0]:.0f} s"
        yield fault("drift", "drift", abs(change), words)


def _off_microphone(voice: Voice) -> Iterator[SoundFault]:
    """Passages of two seconds and more where the voice is much softer than it mostly is, and duller, taken together."""
    at, level = windows(voice)
    if len(at) < 8:
        return
    off = level < np.median(level) - limit("off-level")
    runs = np.flatnonzero(np.diff(np.concatenate(([False], off, [False])).astype(np.int8))).reshape(-1, 2)
    runs = runs[runs[:, 1] - runs[:, 0] >= 2]
    if not len(runs):
        return
    far = np.concatenate([np.arange(a, b) for a, b in runs])
    low, dull = float(np.median(level) - np.median(level[far])), _tilt(voice, at[~off]) - _tilt(voice, at[far])
    if dull > limit("off-tilt"):
        words = f"{counted(len(runs), 'passage')} {show_number(low, 'dB')} softer and {show_number(dull, 'dB')} duller than the rest"
        marks = [float(at[a]) for a, _ in runs]
        yield fault("off-microphone", "off-level", low, words, marks)


def _tilt(voice: Voice, at: Floats) -> float:
    """2.5 to 6.3 kHz against 250 Hz to 1 kHz, of all windows that begin at some times, in dB."""
    near = np.zeros(len(voice.power), dtype=bool)
    for start in at:
        near |= (voice.at_s >= start) & (voice.at_s < start + WINDOW_S)
    near &= voice.over
    return voice.share(*band(2500, 6300), near) - voice.share(*band(250, 1000), near)


def _breath(voice: Voice) -> Iterator[SoundFault]:
    """Blasts: short bursts under 60 Hz as strong as the voice itself."""
    low = 10 * np.log10(np.maximum(voice.power[:, 0], LOWEST)) + 3.01
    usual = float(np.median(low[voice.talk]))
    # More than the two bands over it: a deep voice's own pitch leaks down from there.
    next_ = 10 * np.log10(np.maximum(voice.power[:, 1:3].sum(axis=1), LOWEST)) + 3.01
    hit = (low > voice.level_db - limit("breath-under")) & (low > usual + 12) & (low > next_ + 3)
    spans = [row for row in voice.runs(hit, 0.015) if row[1] - row[0] < 0.4]
    if often("breaths", [row[0] for row in spans], len(voice.power) * voice.hop_s):
        words = f"{counted(len(spans), 'blast')} below 60 Hz, as strong as the voice to {limit('breath-under'):.0f} dB and more"
        yield fault("breath", "breaths", len(spans), words, [row[0] for row in spans])


def _balance(voice: Voice, rate: int) -> Iterator[SoundFault]:
    """Lows and highs of the talk against the middle, held against long-term average speech."""
    table = data_table("prove")["sound"]["speech"]
    (a, b), (c, d), (e, f) = band(100, 250), band(400, 1600), band(2500, 6300)
    middle = voice.share(c, d, voice.talk)
    low = voice.share(a, b, voice.talk) - middle - float(table["low_db"])
    if rate >= 12600:
        high = voice.share(e, f, voice.talk) - middle - float(table["high_db"])
        if high < -limit("muffled"):
            words = f"2.5 to 6.3 kHz lie {show_number(-high, 'dB')} lower against the middle than in average speech"
            yield fault("muffled", "muffled", -high, words)
    if low < -limit("thin"):
        words = f"100 to 250 Hz lie {show_number(-low, 'dB')} lower against the middle than in average speech"
        yield fault("thin", "thin", -low, words)


@dataclass
class Codec:
    """Listens for a cliff at the top of a voice's band, as a call or a codec leaves it."""

    rate: int
    _rows: list[Floats] = field(default_factory=list)

    def take(self, stretch: Stretch) -> None:
        if not stretch.whole:
            return
        size = round(EDGE_STEP_HZ * (len(stretch.mono) / self.rate))
        power = stretch.spectrum**2
        count = len(power) // size
        self._rows.append(power[: count * size].reshape(count, size).mean(axis=1))

    def found(self) -> Iterator[SoundFault]:
        if not self._rows:
            return
        level = 10 * np.log10(np.maximum(np.max(np.stack(self._rows), axis=0), 1e-20))
        top = len(level)
        best, at = 0.0, 0
        for edge in range(round(2500 / EDGE_STEP_HZ), top - round(800 / EDGE_STEP_HZ)):
            below = float(np.median(level[edge - 8 : edge]))
            above = float(np.max(level[edge + 8 :]))
            if below - above > best:
                best, at = below - above, edge
        if best > limit("cliff"):
            # The edge itself: half way down.
            low = float(np.max(level[at + 8 :])) + best / 2
            hertz = (at - 8 + int(np.argmax(level[at - 8 : at + 9] < low))) * EDGE_STEP_HZ
            of = f"of {self.rate / 2000:g} kHz that the recording could hold"
            words = f"nothing above {hertz / 1000:.1f} kHz: {show_number(best, 'dB')} within 800 Hz, {of}"
            yield fault("codec-band", "cliff", best, words)


@dataclass
class Chopping:
    """Listens for words that break off: from the level of talk to the bottom in 20 ms, again and again, as a gate does."""

    frames: Frames

    def take(self, stretch: Stretch) -> None:
        """Its frames are kept once for all."""

    def falls(self) -> list[float]:
        """When a sound as loud as talk was cut off."""
        fine: NDArray[np.float32] = np.concatenate(self.frames.fine) if self.frames.fine else np.zeros(0, np.float32)
        if len(fine) < 400:
            return []
        level = 10 * np.log10(np.maximum(fine, 1e-13))
        loud = float(np.percentile(level, 90))
        drop = limit("chop-drop")
        steps = round(0.02 / FINE_S)
        fell = level[:-steps] - level[steps:]
        out: list[float] = []
        for at in np.flatnonzero((level[:-steps] > loud - 20) & (fell > drop)):
            after = level[at + steps : at + steps + round(0.1 / FINE_S)]
            # And it stays down.
            if len(after) and after.max() < level[at] - drop and (not out or at * FINE_S - out[-1] > 0.1):
                out.append(float(at * FINE_S))
        return out

    def found(self) -> Iterator[SoundFault]:
        marks = self.falls()
        seconds = sum(len(row) for row in self.frames.fine) * FINE_S
        if len(marks) >= limit("chops") and len(marks) / max(seconds, 1.0) > limit("chop-rate"):
            words = f"{len(marks)} times talk breaks off by {limit('chop-drop'):.0f} dB and more within 20 ms, and stays down"
            yield fault("gate-chopping", "chops", len(marks), words, marks)
