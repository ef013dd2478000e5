"""Music down while a voice speaks: how deep, how fast, and what it sounds like.

A ducker is a gate on the voice turned round: while the gate would be open, the music is down by the depth. It falls in
`attack_ms` and comes back in `release_ms`, both in straight lines of decibels; `hold_ms` after the last word.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived
from kymaphon.core.dynamics.envelope import Turns, turns
from kymaphon.core.dynamics.key import Key, Levels, Signal
from kymaphon.core.dynamics.speech import SpeechSegments
from kymaphon.core.figures import figure, number
from kymaphon.core.model.processing import Ducker

Floats = NDArray[np.float64]


def ducker_turns(levels: Levels, ducker: Ducker, step_s: float) -> Turns:
    """When the music goes down and comes back, on a voice's detector in dBFS; shape (steps,)."""
    return turns(
        levels,
        ducker.threshold_db,
        ducker.threshold_db - number("ducker-between"),
        round(ducker.hold_ms / 1000 / step_s),
    )


def ducker_points(turned: Turns, ducker: Ducker, step_s: float) -> tuple[Floats, Floats]:
    """The music's gain in dB as points to be joined by straight lines: steps, and gains."""
    at, gain = [0.0], [0.0]
    down = ducker.depth_db / max(ducker.attack_ms / 1000 / step_s, 1e-9)
    up = ducker.depth_db / max(ducker.release_ms / 1000 / step_s, 1e-9)
    now = 0.0
    moment = 0.0

    def go(to: float, goal: float, slope: float) -> None:
        nonlocal now, moment
        if slope > 0 and now != goal:
            reached = moment + abs(goal - now) / slope
            if reached < to:
                at.append(reached)
                gain.append(goal)
                now = goal
            else:
                now += math.copysign(slope * (to - moment), goal - now)
        at.append(to)
        gain.append(now)
        moment = to

    for opened, shut in zip(turned.opened.tolist(), turned.shut.tolist(), strict=True):
        go(float(opened), 0.0, up)
        go(float(shut), -ducker.depth_db, down)
    go(float(turned.steps), 0.0, up)
    return np.array(at), np.array(gain)


def duck_traces(voice: Key, music: Key, ducker: Ducker, points: int) -> tuple[Floats, Floats]:
    """A picture's worth of a ducker at work, over the time of the voice's take.

    Returns:
        The music's level in dBFS (RMS over 100 ms), its take going round until the voice's ends, and the gain that the ducker
        gives it in dB; each of shape (points,).
    """
    levels = music.detector("rms", 100.0)
    times = (np.arange(points) + 0.5) * voice.seconds / points
    places = np.round(np.mod(times, music.seconds) / music.step_s).astype(np.int64) % max(len(levels), 1)
    turned = ducker_turns(voice.detector(), ducker, voice.step_s)
    at, gain = ducker_points(turned, ducker, voice.step_s)
    return levels[places].astype(np.float64), np.interp(times / voice.step_s, at, gain)


def duck(music: Signal, voice: Key, ducker: Ducker) -> Signal:
    """The ducked music, as long as it is; what goes on after the voice's take is not ducked. Shape as `music`."""
    turned = ducker_turns(voice.detector(), ducker, voice.step_s)
    at, gain = ducker_points(turned, ducker, voice.step_s)
    out = music.astype(np.float32, copy=True)
    last = min(len(out), turned.steps * voice.samples)
    curve = (10 ** (np.interp(np.arange(last) / voice.samples, at, gain) / 20)).astype(np.float32)
    out[:last] *= curve if out.ndim == 1 else curve[:, None]
    return out


@dataclass(frozen=True)
class DuckChoice:
    """A ducker for a voice and a music.

    Attributes:
        music_dbfs: the music's level in its loud parts.
        under_db: voice over music while it is down.
        pumps: how often the music comes back up between two sentences, for less than a breath.
        at_s, gain_db: the music's gain over the time of the take, points to be joined.
    """

    ducker: Ducker
    music_dbfs: float
    under_db: float
    pumps: int
    dips: int
    at_s: Floats
    gain_db: Floats
    why: Derived


def choose_ducker(talk: SpeechSegments, music: Key, threshold_db: float) -> DuckChoice:
    """Depth from how far the music has to lie under the voice, hold from the talker's own pauses.

    Args:
        threshold_db: opening threshold of the voice's gate, in dBFS.

    Raises:
        ValueError: the music's take is silent.
    """
    if not len(music.power) or not music.power.max() > 0:
        raise ValueError("the music's take is silent")
    level = loud_part_dbfs(music)
    wanted = figure("music-under-voice")
    lies = talk.speech_dbfs - level
    depth = max(0.0, math.ceil(wanted.value - lies))
    gaps = np.array([b.start_s - a.end_s for a, b in zip(talk.words[:-1], talk.words[1:], strict=True)])
    inner = gaps[gaps < number("duck-longest-hold") / 1000]
    hold = number("duck-least-hold")
    if len(inner):
        hold = max(hold, 50.0 * math.ceil(float(np.percentile(inner, 90)) * 20 + 1))
    ducker = Ducker(
        threshold_db=round(threshold_db, 1),
        depth_db=depth,
        attack_ms=number("duck-attack"),
        hold_ms=hold,
        release_ms=max(number("duck-release"), depth / number("duck-rise") * 1000),
    )
    turned = ducker_turns(talk.key.detector(), ducker, talk.key.step_s)
    at, gain = ducker_points(turned, ducker, talk.key.step_s)
    up = (turned.opened[1:] - turned.shut[:-1]) * talk.key.step_s
    why = Derived(
        "voice over music while it is down",
        lies + depth,
        "dB",
        terms=(
            Derived("speech", talk.speech_dbfs, "dBFS", source="after ITU-T P.56"),
            Derived("less the music", -level, "dB", source="its loud tenth of half seconds; AES17"),
            Derived("depth", depth, "dB", source=f"what is lacking to {wanted.value:.0f} dB: {wanted.source}"),
        ),
        adds=True,
    )
    pumps = int((up < number("duck-pump") / 1000).sum())
    return DuckChoice(ducker, level, lies + depth, pumps, len(turned.opened), at * talk.key.step_s, gain, why)


def loud_part_dbfs(key: Key) -> float:
    """Level that a tenth of all half seconds lies above, in dBFS (AES17)."""
    half = key.steps(0.5)
    whole = max(1, len(key.power) // half)
    means = key.power[: whole * half].reshape(whole, -1).mean(axis=1, dtype=np.float64)
    return float(10 * np.log10(max(float(np.percentile(means, 90)), 1e-20)) + 10 * math.log10(2))
