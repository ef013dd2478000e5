"""A mouth: how speech falls off to the side and behind, and where the mouth goes when the head turns."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from kymaphon.core.figures import acoustic_data, number
from kymaphon.core.model.base import Point

TURNS_DEG = (30, 60, 90)
"""The turns of the head that every microphone is tried with."""
SPEAKERS = frozenset({"presenter", "guest", "remote", "crew"})
"""Kinds of party that are one person with a mouth; all others sound alike to every side."""


@cache
def _table() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    rows = acoustic_data()["mouth"]
    return np.array(rows["angles_deg"], dtype=float), np.array(rows["gains_db"], dtype=float)


def mouth_gain_db(angle_deg: ArrayLike) -> NDArray[np.float64]:
    """Level of speech at an angle off where the talker faces, against straight ahead at the same distance, in dB.

    Any shape; angles beyond 180 degrees are held to 180. Source: `mouth` in data/acoustics.json.
    """
    angles, gains = _table()
    found: NDArray[np.float64] = np.asarray(np.interp(np.abs(np.asarray(angle_deg, dtype=float)), angles, gains))
    return found


def mouth_source() -> str:
    """Where the table of `mouth_gain_db` comes from."""
    return str(acoustic_data()["mouth"]["source"])


def turned_mouth(mouth_at: Point, faces_deg: float, turn_deg: float) -> tuple[Point, float]:
    """Where the mouth is, and where it faces, after the head turned about its own axis.

    Args:
        mouth_at: where the mouth is now, in metres; the axis lies `head-radius` behind it.
        turn_deg: anticlockwise.
    """
    radius = number("head-radius")
    now, then = math.radians(faces_deg), math.radians(faces_deg + turn_deg)
    axis = (mouth_at[0] - radius * math.cos(now), mouth_at[1] - radius * math.sin(now))
    return (axis[0] + radius * math.cos(then), axis[1] + radius * math.sin(then)), faces_deg + turn_deg


@cache
def _lists() -> tuple[list[float], list[float]]:
    angles, gains = _table()
    return angles.tolist(), gains.tolist()


def mouth_gain_at_db(angle_deg: float) -> float:
    """`mouth_gain_db` at one angle: for one, numpy takes ten times as long and lets other threads wait."""
    return between(abs(angle_deg), *_lists())


def between(at: float, points: Sequence[float], values: Sequence[float]) -> float:
    """What numpy.interp tells of one point, to the last digit: straight lines between stated points, held beyond them.

    Args:
        points: rising.
    """
    i = bisect_right(points, at) - 1
    if i < 0:
        return values[0]
    if i >= len(points) - 1:
        return values[-1]
    slope = (values[i + 1] - values[i]) / (points[i + 1] - points[i])
    return slope * (at - points[i]) + values[i]


@dataclass(frozen=True, slots=True)
class Worn:
    """Mouth to a microphone that is worn: how far, and how far off the front of the face.

    `turned` is the same after a turn of the head: a microphone on the head comes along, one on the chest stays.
    """

    where: str

    def reach(self, turn_deg: float = 0.0) -> tuple[float, float]:
        """Distance in m and angle off the face in degrees, with the head turned by so much.

        The chest point lies `chest-below` under the mouth, and `chest-ahead` before the axis of the head.
        """
        if self.where == "head":
            return number("headset-distance"), number("headset-angle")
        radius = number("head-radius")
        turn = math.radians(turn_deg)
        mouth = (radius * math.cos(turn), radius * math.sin(turn), 0.0)
        chest = (number("chest-ahead"), 0.0, -number("chest-below"))
        away = math.dist(mouth, chest)
        along = (chest[0] - mouth[0]) * math.cos(turn) + (chest[1] - mouth[1]) * math.sin(turn)
        return away, math.degrees(math.acos(max(-1.0, min(1.0, along / away))))
