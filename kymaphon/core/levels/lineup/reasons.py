"""Why a line-up is as it is: what a turn is for, why it goes no further up, what keeps a voice from its mark."""

from __future__ import annotations

import math

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.levels.lineup.model import Floats, LineUpModel, VoiceModel

SMALL_DB = 0.05
"""Differences up to this are none."""


def without(analysis: Computed, model: LineUpModel, x: Floats, i: int) -> str:
    """What one turn is for: the voice that would be worst off without it, and how."""
    left = x.copy()
    left[i] = model.turns[i].now
    worst, words = SMALL_DB, ""
    for voice in model.voices:
        name = analysis.party_name(voice.voice)
        over = voice.over(left)
        if over > max(voice.over(x), 0.0) + SMALL_DB and over > worst:
            worst, words = over, f"{name} {over:.1f} dB over a ceiling"
    if words:
        return words
    for voice in model.voices:
        off = voice.off(left)
        if abs(off) > abs(voice.off(x)) + SMALL_DB and abs(off) > worst:
            worst = abs(off)
            words = f"{analysis.party_name(voice.voice)} {abs(off):.1f} dB {'over' if off > 0 else 'under'}"
    if words:
        return words
    lost = max(((voice.noise(left)[0] - voice.noise(x)[0], voice.voice) for voice in model.voices), default=(0.0, ""))
    return f"{analysis.party_name(lost[1])} {lost[0]:.1f} dB noisier" if lost[0] > SMALL_DB else ""


def why_not_further(model: LineUpModel, x: Floats, i: int) -> str:
    """What one step more here would run into: the end of the range, a ceiling, a mark that nothing after it can keep; or
    that nothing would be won.
    """
    turn = model.turns[i]
    if turn.sort == "pad":
        return ""
    if x[i] + turn.step > turn.high + 1e-9:
        return f"its range ends at {show_number(turn.high, 'dB', sign=True)}"
    up = x.copy()
    up[i] += turn.step
    moved = [voice for voice in model.voices if voice.speech[1][i] > 0]
    blocked, won = "", -math.inf
    for back in _taken_back(model, up, i):
        over = _clips_at(model, x, back)
        if over:
            blocked = blocked or f"one step more clips at {over}"
            continue
        won = max(
            won,
            sum(
                voice.noise(x, -number("noise-unheard"))[0] - voice.noise(back, -number("noise-unheard"))[0]
                for voice in model.voices
            ),
        )
    if won > SMALL_DB:
        # Quieter as such, but it would bring somebody nearer to the edge of a mark than the solver lets it.
        return "the marks of those that share it"
    if won > -math.inf:
        return f"nothing to win, {show_number(max(won, 0.0), 'dB')}"
    if blocked:
        return blocked
    if not moved:
        return ""
    direct = _clips_at(model, x, up)
    return f"one step more clips at {direct}" if direct else "nothing after it can take the level back"


def _taken_back(model: LineUpModel, up: Floats, i: int) -> list[Floats]:
    """Settings in which what one turn adds is taken back at one that comes after it for all its voices."""
    step = model.turns[i].step
    voices = [voice for voice in model.voices if voice.speech[1][i] > 0]
    out = []
    for j, turn in enumerate(model.turns):
        after = j != i and turn.sort != "pad" and not turn.held_by and up[j] - step >= turn.low - 1e-9
        if after and voices and all(_follows(voice, i, j) for voice in voices):
            back = up.copy()
            back[j] -= step
            out.append(back)
    return out


def _follows(voice: VoiceModel, i: int, j: int) -> bool:
    """Whether a turn acts on a voice after another: somewhere on the way only the other has acted."""
    return voice.speech[1][j] > 0 and any(row.slopes[i] > 0 and row.slopes[j] <= 0 for row in voice.limits)


def _clips_at(model: LineUpModel, x: Floats, other: Floats) -> str:
    """The first ceiling that other settings run into and these do not; empty when there is none."""
    for voice in model.voices:
        for limit in voice.limits:
            now = limit.level + float(limit.slopes @ x) - limit.most
            then = limit.level + float(limit.slopes @ other) - limit.most
            if then > 1e-6 and then > now + 1e-9:
                return limit.label
    return ""


def forbids(model: LineUpModel, voice: VoiceModel, x: Floats, off: float) -> str:
    """What keeps a voice from its mark: ends of ranges, ceilings, what it shares with others."""
    reasons = []
    slopes = voice.speech[1]
    own = [i for i in range(len(model.turns)) if slopes[i] > 0]
    free = [i for i in own if not model.turns[i].held_by and model.turns[i].sort != "pad"]
    if not own:
        return "nothing on the way can be turned"
    if off < 0:
        ended = [model.turns[i].label for i in free if x[i] >= model.turns[i].high - 1e-9]
        if ended:
            reasons.append(f"{', '.join(ended)} at the end of the range")
        tight = [
            limit.label
            for limit in voice.limits
            if limit.most - limit.level - float(limit.slopes @ x) < max(model.turns[i].step for i in own)
        ]
        if tight:
            reasons.append(f"its loudest peaks come to the ceiling at {tight[0]}")
    else:
        ended = [model.turns[i].label for i in free if x[i] <= model.turns[i].low + 1e-9]
        if ended:
            reasons.append(f"{', '.join(ended)} at the bottom of the range")
    held = [model.turns[i] for i in own if model.turns[i].held_by and model.turns[i].positions > 0]
    shared = [i for i in free if sum(row.speech[1][i] > 0 for row in model.voices) > 1]
    if held:
        reasons.append(f"{held[0].label} is held: {held[0].held_by}")
    elif shared and len(shared) == len(free):
        reasons.append(f"{model.turns[shared[0]].label} is shared with others that are nearer to theirs")
    return "; ".join(reasons) or "the steps of its gains are coarser than that"
