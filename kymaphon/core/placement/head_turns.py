"""The head-turn test: what a microphone loses when its party turns, to either side and to everybody beside them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kymaphon.core.acoustics.mouth import TURNS_DEG, mouth_gain_at_db, turned_mouth
from kymaphon.core.acoustics.placements import direction_deg
from kymaphon.core.acoustics.sound import angle_between_deg
from kymaphon.core.figures import number
from kymaphon.core.model.base import Point
from kymaphon.core.placement.moves import Placed


@dataclass(frozen=True, slots=True)
class HeadTurn:
    """What a turn of the head does to the level in the own microphone.

    Attributes:
        turn_deg: anticlockwise.
        change_db: against the head held straight.
        towards: name of somebody who is there, or empty.
    """

    turn_deg: float
    change_db: float
    towards: str = ""


def turned_level_db(row: Placed, turn_deg: float, at: Point | None = None) -> float:
    """Direct level in the own microphone, against 1 m ahead, with the head turned by so much.

    Args:
        at: tries the microphone at another spot, aimed at the straight head.
    """
    source, stand = row.sound.sources[row.voice], row.sound.mics[row.mic]
    faces = source.faces_deg or 0.0
    if stand.worn is not None:
        metres, angle = stand.worn.reach(turn_deg)
        return -20 * math.log10(metres) + mouth_gain_at_db(angle)
    if stand.goes_along:
        return float(row.sound.direct_db[row.voice, row.mic] - source.level.value)
    spot = at if at is not None else row.at
    axis = direction_deg(spot, source.at) if at is not None else stand.aim_deg
    mouth, now = turned_mouth(source.at, faces, turn_deg)
    metres = max(math.dist(mouth, spot), number("nearest-distance"))
    off = angle_between_deg(spot, axis, mouth) if axis is not None else 0.0
    face = angle_between_deg(mouth, now, spot)
    return -20 * math.log10(metres) + stand.pickup.gain_at_db(off, metres) + mouth_gain_at_db(face)


def turns_of(row: Placed) -> list[HeadTurn]:
    """The head-turn test of a microphone: 30, 60 and 90 degrees to its worse side, and to everybody beside the talker."""
    source = row.sound.sources[row.voice]
    stand = row.sound.mics[row.mic]
    if source.faces_deg is None or (stand.goes_along and stand.worn is None):
        return []
    straight = turned_level_db(row, 0)
    rows = []
    for turn in map(float, TURNS_DEG):
        worst = min((turn, -turn), key=lambda signed: turned_level_db(row, signed))
        rows.append(HeadTurn(worst, turned_level_db(row, worst) - straight))
    for angle, name in _neighbours(row):
        rows.append(HeadTurn(angle, turned_level_db(row, angle) - straight, name))
    return rows


def _neighbours(row: Placed) -> list[tuple[float, str]]:
    """Everybody whom the talker may turn to, with the turn that it takes."""
    me = row.sound.sources[row.voice]
    out = []
    for other in row.sound.sources:
        if other.party is None or other.id == me.id or other.faces_deg is None or me.faces_deg is None:
            continue
        to = direction_deg(me.at, other.at)
        if to is None or math.dist(me.at, other.at) > number("turn-reach"):
            continue
        turn = (to - me.faces_deg + 180) % 360 - 180
        if number("nudge") <= abs(turn) <= number("furthest-turn"):
            out.append((turn, other.name))
    return out
