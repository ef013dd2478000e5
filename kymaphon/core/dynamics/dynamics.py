"""Compressor and limiter: their gain, and the sound that comes out.

Compressor, exactly: the level is the rms of the last `detector_ms` in steps of a quarter of a millisecond. Over the
threshold it is turned down by (1 - 1/ratio) of what it is over, with a knee that is a parabola of `knee_db` across
(Giannoulis, Massberg and Reiss 2012, equation 4). What is wanted is followed in decibels by a pole: with the time constant
of the attack while it grows, of the release while it shrinks. The gain runs in straight lines from step to step.

Limiter, exactly: the gain that each sample needs is the ceiling over its magnitude; of those within the look-ahead the
least counts; it recovers by 20 dB in `release_ms`, in a straight line of decibels; and it is averaged over the
look-ahead, so that it is down when the peak comes. The sound is late by the look-ahead. No sample passes the ceiling.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived
from kymaphon.core.dynamics.key import Key, Signal, key_of
from kymaphon.core.dynamics.speech import SpeechSegments
from kymaphon.core.figures import figure, number
from kymaphon.core.model.processing import Compressor, Limiter

Floats = NDArray[np.float64]
RECOVERED_DB = 20.0


def compressor_curve(level_db: Floats, compressor: Compressor) -> Floats:
    """What a compressor at rest takes off some levels, in dB, positive; shape as `level_db`."""
    over = np.asarray(level_db, dtype=np.float64) - compressor.threshold_db
    slope, knee = 1 - 1 / compressor.ratio, compressor.knee_db
    hard = np.maximum(over, 0) * slope
    if knee <= 0:
        return np.asarray(hard)
    soft = slope * (over + knee / 2) ** 2 / (2 * knee)
    return np.asarray(np.where(np.abs(over) < knee / 2, soft, hard))


def compressor_reduction(key: Key, compressor: Compressor) -> Floats:
    """What is taken off at every step, in dB, positive; shape (steps,)."""
    wanted = compressor_curve(key.detector("rms", compressor.detector_ms).astype(np.float64), compressor)
    rise, fall = (
        math.exp(-key.step_s * 1000 / ms) if ms > 0 else 0.0 for ms in (compressor.attack_ms, compressor.release_ms)
    )
    out: list[float] = []
    now = 0.0
    # A pole that depends on the way it goes has to be walked.
    for want in wanted.tolist():
        pole = rise if want > now else fall
        now = want + (now - want) * pole
        out.append(now)
    return np.array(out)


def compress(signal: Signal, compressor: Compressor, sample_rate_hz: int) -> Signal:
    """The compressed sound; shape as `signal`, (frames,)."""
    key = key_of(signal, sample_rate_hz)
    taken = compressor_reduction(key, compressor)
    if not len(taken):
        return signal.copy()
    at = np.arange(len(signal)) / key.samples
    gain = np.interp(at, np.arange(len(taken)) + 1.0, compressor.make_up_db - taken)
    return np.asarray(signal * (10 ** (gain / 20)).astype(np.float32), dtype=np.float32)


def limiter_gain(signal: Signal, limiter: Limiter, sample_rate_hz: int) -> Floats:
    """Gain as amplitude for every sample of the delayed sound; shape (frames,)."""
    from scipy.ndimage import minimum_filter1d, uniform_filter1d

    ceiling = 10 ** (limiter.ceiling_db / 20)
    need = np.minimum(1.0, ceiling / np.maximum(np.abs(signal).astype(np.float64), 1e-12))
    ahead = round(limiter.look_ahead_ms / 1000 * sample_rate_hz)
    width = ahead + 1
    # Of the samples that the sound, late by the look-ahead, has still to come to, the least gain counts.
    least = minimum_filter1d(need, width, origin=(width - 1) // 2, mode="constant", cval=1.0)
    recovered = _recovering(least, limiter.release_ms, sample_rate_hz)
    return np.asarray(uniform_filter1d(recovered, width, origin=(width - 1) // 2, mode="constant", cval=1.0))


def _recovering(gain: Floats, release_ms: float, sample_rate_hz: int) -> Floats:
    """A gain that falls at once and rises by 20 dB in the release: the highest of all past reductions, each less its rise."""
    if release_ms <= 0:
        return gain
    slope = RECOVERED_DB / (release_ms / 1000 * sample_rate_hz)
    ramp = slope * np.arange(len(gain))
    taken = np.maximum.accumulate(-20 * np.log10(gain) + ramp) - ramp
    return np.asarray(10 ** (-np.maximum(taken, 0) / 20))


def limit(signal: Signal, limiter: Limiter, sample_rate_hz: int) -> Signal:
    """The limited sound, late by the look-ahead; shape as `signal`, (frames,)."""
    ahead = round(limiter.look_ahead_ms / 1000 * sample_rate_hz)
    late = np.zeros_like(signal)
    if ahead < len(signal):
        late[ahead:] = signal[: len(signal) - ahead]
    ceiling = np.float32(10 ** (limiter.ceiling_db / 20))
    out = late * limiter_gain(signal, limiter, sample_rate_hz).astype(np.float32)
    # Rounding to single precision may pass the ceiling by a part in ten million.
    return np.asarray(np.clip(out, -ceiling, ceiling), dtype=np.float32)


@dataclass(frozen=True)
class LimiterChoice:
    """A limiter for a talker who will get louder.

    Attributes:
        now_db, grown_db: what it takes off the highest peak today, and when the talker has grown.
        busy_now, busy_grown: share of the time in talk in which it works, 0 to 1.
    """

    limiter: Limiter
    now_db: float
    grown_db: float
    busy_now: float
    busy_grown: float
    why: Derived


def choose_limiter(talk: SpeechSegments, ceiling_db: float, growth: Derived | None = None) -> LimiterChoice:
    """A limiter at a ceiling, and how hard it will work.

    Args:
        ceiling_db: where peaks have to end, in dBFS.
        growth: how much louder the talker will get; None takes the house's figure.
    """
    grows = growth or figure("growth")
    peaks = np.maximum(talk.key.peak, 1e-10)
    db = 20 * np.log10(peaks)
    highest = float(db.max())
    words = np.concatenate([db[talk.key.steps(word.start_s) : talk.key.steps(word.end_s)] for word in talk.words])
    now, grown = max(0.0, highest - ceiling_db), max(0.0, highest + grows.value - ceiling_db)
    why = Derived(
        "taken off the highest peak, grown",
        grown,
        "dB",
        terms=(
            Derived("highest peak of the take", highest, "dBFS", source="sample peak"),
            Derived("growth", grows.value, "dB", source=grows.source),
            Derived("less the ceiling", -ceiling_db, "dB", source="setting"),
        ),
        adds=grown > 0,
        formula="" if grown > 0 else "nothing: the peaks stay under the ceiling",
    )
    return LimiterChoice(
        Limiter(ceiling_db=ceiling_db, look_ahead_ms=number("limiter-ahead"), release_ms=number("limiter-release")),
        now,
        grown,
        float((words > ceiling_db).mean()),
        float((words + grows.value > ceiling_db).mean()),
        why,
    )


def choose_compressor(talk: SpeechSegments) -> tuple[Compressor, Derived]:
    """A compressor that evens this talker out: words as loud as the loud tenth come down to near the middle ones.

    The threshold is the level of the words' quieter half, the ratio what brings the loud tenth within `even-words` of it,
    within the usual bounds; made up by what it takes off the middle word.
    """
    levels = np.array([word.level_dbfs for word in talk.words])
    middle, loud = float(np.median(levels)), float(np.percentile(levels, 90))
    spread = loud - middle
    wanted = number("even-words")
    least, most = number("compressor-least"), number("compressor-most")
    ratio = min(most, max(least, round(spread / wanted * 2) / 2)) if spread > wanted else least
    bare = Compressor(threshold_db=round(middle, 1), ratio=ratio)
    taken = float(compressor_curve(np.array([middle]), bare)[0])
    left = spread - float(compressor_curve(np.array([loud]), bare)[0]) + taken
    why = Derived(
        "loud words over middle ones, after it",
        left,
        "dB",
        terms=(
            Derived("before it", spread, "dB", source=f"the loud tenth of {len(levels)} words over their middle"),
            Derived(
                "taken off", left - spread, "dB", source=f"{ratio:g} to 1 over {middle:.1f} dBFS".replace("-", "\u2212")
            ),
        ),
        adds=True,
    )
    return bare.with_(make_up_db=round(taken, 1)), why
