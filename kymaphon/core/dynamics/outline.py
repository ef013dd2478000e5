"""Levels made ready for a picture: the highest of each column, and how often each level comes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.dynamics.envelope import gain_at
from kymaphon.core.dynamics.evaluation import Trial
from kymaphon.core.dynamics.key import Levels
from kymaphon.core.model.processing import Gate

Floats = NDArray[np.float64]


def outline(levels: Levels, first: float, last: float, columns: int) -> Levels:
    """The highest level of each column between two steps; shape (columns,). Outside the take there is the lowest."""
    out = np.full(columns, -200.0, dtype=np.float32)
    if not len(levels) or columns < 1 or last <= first:
        return out
    edges = first + (last - first) * np.arange(columns + 1) / columns
    starts = np.floor(edges[:-1]).astype(np.int64)
    ends = np.maximum(np.floor(edges[1:]).astype(np.int64), starts + 1)
    inside = (starts < len(levels)) & (starts >= 0)
    if not inside.any():
        return out
    a, b = int(starts[inside][0]), min(int(ends[inside][-1]), len(levels))
    heard = levels[a:b]
    places = np.minimum(starts[inside] - a, len(heard) - 1)
    out[inside] = np.maximum.reduceat(heard, places)
    return out


def behind_gate(levels: Levels, trial: Trial, gate: Gate, span_s: tuple[float, float]) -> Floats:
    """The levels of columns of a span as a gate lets them through, in dBFS; shape as `levels`.

    Each column has the gain at its beginning; a gate that is shut takes at most 120 dB.
    """
    steps = np.linspace(*span_s, len(levels), endpoint=False) / trial.step_s
    gain = gain_at(trial.turns(gate), gate, trial.step_s, steps)
    return np.asarray(levels + 20 * np.log10(np.maximum(gain, 1e-6)))


def level_span(
    levels: Levels | Floats, *, room_db: tuple[float, float], percent: float, floor_db: float
) -> tuple[float, float]:
    """What part of the level axis shows a distribution: from a little under its lowest few per cent to over its highest.

    Args:
        room_db: what is left under and over it.
        percent: so much of it may lie lower.
        floor_db: nothing lower is shown.

    Returns:
        Both ends in dB, rounded outwards to 5 dB; -80 to 0 dB of nothing.

    >>> level_span(np.array([-61.0, -40.0, -12.0]), room_db=(6, 3), percent=0, floor_db=-90)
    (-70.0, -5.0)
    """
    if not len(levels):
        return -80.0, 0.0
    low, high = float(np.percentile(levels, percent)) - room_db[0], float(levels.max()) + room_db[1]
    return max(float(np.floor(low / 5) * 5), floor_db), float(np.ceil(high / 5) * 5)


def spread(trial: Trial, low_db: float, high_db: float, bins: int) -> tuple[Floats, Floats]:
    """How often the detector reads each level in words and in the room, each from the bottom up and 1 at its highest.

    Returns:
        Two arrays of shape (bins,).
    """
    talk = trial.talk
    words = (
        np.concatenate([trial.levels[int(a) : int(b)] for a, b in trial.words])
        if len(trial.words)
        else trial.levels[:0]
    )
    if len(trial.room):
        room = trial.room
    else:
        spans = [(round(a / trial.step_s), round(b / trial.step_s)) for a, b in talk.room_s]
        room = np.concatenate([trial.levels[a:b] for a, b in spans]) if spans else trial.levels[:0]
    return _shape(words, low_db, high_db, bins), _shape(room, low_db, high_db, bins)


def _shape(levels: Levels, low_db: float, high_db: float, bins: int) -> Floats:
    counts, _ = np.histogram(levels, bins=bins, range=(low_db, high_db))
    # A little smoothing: a bin narrower than a decibel is no finding.
    smooth = np.convolve(counts, (0.25, 0.5, 0.25), mode="same")
    top = float(smooth.max(initial=0.0))
    return np.asarray(smooth / top if top > 0 else smooth, dtype=np.float64)
