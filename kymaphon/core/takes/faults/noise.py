"""Noise between words: a steady hiss, and a wash that comes and goes as on a wireless."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from kymaphon.core.derive import show_number
from kymaphon.core.takes.faults.kinds import SoundFault, fault, limit, often
from kymaphon.core.takes.faults.stretch import BANDS_HZ, LOWEST, Frames, Stretch, Voice

SPAN_S = 0.6
"""No sound of speech hisses as long."""


@dataclass
class Noise:
    """Listens to the pauses."""

    frames: Frames

    def take(self, stretch: Stretch) -> None:
        """Its frames are kept once for all."""

    def found(self) -> Iterator[SoundFault]:
        voice = self.frames.voice()
        if voice is None or voice.talk_s < 1.0:
            return
        yield from _hiss(voice)
        yield from _wash(voice)


def _hiss(voice: Voice) -> Iterator[SoundFault]:
    """How far the noise of the pauses lies under the voice, where most of it is above a kilohertz."""
    pause = voice.pause
    if pause.sum() * voice.hop_s < 0.5:
        return
    last = len(BANDS_HZ) + 1
    # The quieter half of the pauses: breath and chairs are no hiss.
    whole = voice.power[pause, 1:last].sum(axis=1)
    quiet = np.zeros(len(voice.power), dtype=bool)
    quiet[np.flatnonzero(pause)[whole <= np.median(whole)]] = True
    noise = voice.share(1, last, quiet)
    high = voice.share(BANDS_HZ.index(1000) + 1, last, quiet)
    under = voice.level_db - 3.01 - noise
    share = 10 ** ((high - noise) / 10)
    if under < limit("hiss-under") and share > limit("hiss-high"):
        words = (
            f"the noise of the pauses lies {show_number(under, 'dB')} under the voice, {share:.0%} of it above 1 kHz"
        )
        yield fault("hiss", "hiss-under", under, words)


def _wash(voice: Voice) -> Iterator[SoundFault]:
    """Stretches longer than any sound of speech that hiss far over the usual noise, in all bands alike."""
    a = BANDS_HZ.index(1000) + 1
    widths = np.diff(BANDS_HZ)[a - 1 :]
    bands = 10 * np.log10(np.maximum(voice.power[:, a : a + len(widths)], LOWEST) / widths)
    heard = (voice.power[:, a : a + len(widths)] > LOWEST).any(axis=0)
    bands = bands[:, heard]
    if bands.shape[1] < 3:
        return
    level = bands.mean(axis=1)
    # Up to where there is anything: a recording at 16 kHz has less of the last band.
    flat = bands[:, :3].max(axis=1) - bands[:, :3].min(axis=1)
    floor = float(np.percentile(level, 10))
    # And loud enough to matter beside the voice: after digital silence any noise is far over what there was.
    loud = float(level[voice.talk].mean()) - limit("wash-under")
    hiss = (level > max(floor + limit("wash-over"), loud)) & (flat < limit("wash-flat"))
    size = max(1, round(SPAN_S / voice.hop_s))
    most = np.convolve(hiss, np.ones(size), "same") > 0.85 * size
    spans = voice.runs(most, 0.1)
    if often("washes", [row[0] for row in spans], len(voice.power) * voice.hop_s):
        over = float(np.median(level[most]) - floor)
        words = f"{len(spans)} times a hiss swells up, {show_number(over, 'dB')} over the usual noise, for longer than any sound of speech"
        yield fault("wireless-wash", "washes", len(spans), words, [row[0] for row in spans])
