"""Who stands where: people round a table, each opposite nobody's back; players of a stage in a row, the room before them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kymaphon.core.compose.settle import Settled, settings
from kymaphon.core.model.answers import RoomAnswer, VoiceAnswer
from kymaphon.core.model.base import Point
from kymaphon.core.model.show import Place


@dataclass(frozen=True, slots=True)
class Seat:
    """A spot, and the way that somebody there faces, degrees anticlockwise from the x axis."""

    at: Point
    faces_deg: float


def seats_in(settled: Settled, room: RoomAnswer) -> dict[str, Seat]:
    """Id of a voice -> its seat in a room, all of them inside it.

    Round a table each microphone looks out over the table's edge at its own mouth, so that its deaf back is towards those opposite.
    On a stage, where loudspeakers stand before it, all face the same way: away from nobody's microphone but their own.
    """
    data = settings()["seats"]
    width, depth = room.size_m or (5.0, 4.0)
    wall = min(data["wall_m"], width / 4, depth / 4)
    rows = [row for row in settled.voices if row.room == room.id]
    crowd = [row for row in rows if row.sort == "crowd"]
    effects = [row for row in rows if row.sort == "effect"]
    seated = [row for row in rows if row.sort in ("person", "instrument")]
    out: dict[str, Seat] = {}
    loud = settled.hearer("loudspeakers")
    stage = loud is not None and loud_room(settled) == room.id and not room.studio
    people = [row for row in seated if row.sort == "person"]
    players = [row for row in seated if row.sort == "instrument"]
    if stage or not people or not players:
        out |= (
            _stage(seated, width, depth, wall) if stage or players else _table(seated, width, depth, wall, bool(crowd))
        )
    else:
        # What is played is loud: along the far wall, before nobody's microphone.
        out |= _table(people, width, depth, wall, True)
        for n, row in enumerate(players):
            out[row.id] = Seat(_rounded(width - wall, depth * (n + 1) / (len(players) + 1)), 180.0)
    for n, row in enumerate(crowd):
        aside = max(wall, min(data["crowd_wall_m"], width / 4))
        out[row.id] = Seat(_rounded(width - aside, depth * (n + 1) / (len(crowd) + 1)), 180.0)
    for n, row in enumerate(effects):
        aside = max(wall, min(data["crowd_wall_m"], depth / 4))
        out[row.id] = Seat(_rounded(width * (n + 1) / (len(effects) + 1), aside), 90.0)
    return out


def another_seat(place: Place, taken: list[Point]) -> Seat:
    """A seat for one more at the table of a place: of the ring on which all have room, the one furthest from those who sit there."""
    data = settings()["seats"]
    width, depth = place.size_m or (5.0, 4.0)
    rows = [VoiceAnswer(id=f"seat-{n}", name="seat") for n in range(max(2, len(taken) + 1))]
    seats = _table(rows, width, depth, min(data["wall_m"], width / 4, depth / 4), False)
    return max(seats.values(), key=lambda seat: min((math.dist(seat.at, other) for other in taken), default=0.0))


def loud_room(settled: Settled) -> str | None:
    """Id of the room whose loudspeakers play; None where none do, or there is no room."""
    row = settled.hearer("loudspeakers")
    if row is None or not settled.rooms:
        return None
    known = {room.id for room in settled.rooms}
    return row.room if row.room in known else settled.rooms[0].id


def echoes_by_loudspeakers(settled: Settled) -> bool:
    """Whether what somebody far away says would come back to them: by loudspeakers beside open microphones."""
    room = next((row for row in settled.rooms if row.id == loud_room(settled)), None)
    if room is None or room.studio or not settled.of("remote"):
        return False
    return any(row.room == room.id for row in settled.in_rooms)


def crowded(settled: Settled, room: RoomAnswer) -> bool:
    """Whether people would sit nearer than an arm's length."""
    spots = [seat.at for seat in seats_in(settled, room).values()]
    near = settings()["seats"]["elbow_m"]
    return any(math.dist(a, b) < near for i, a in enumerate(spots) for b in spots[:i])


def _table(rows: list[VoiceAnswer], width: float, depth: float, wall: float, beside: bool) -> dict[str, Seat]:
    data = settings()["seats"]
    middle = (width * (0.35 if beside else 0.5), depth / 2)
    count = len(rows)
    # A ring on which each has an arm's length, no wider than the room.
    around = max(data["across_m"] / 2, count * data["apart_m"] / (2 * math.pi))
    rx = min(around, middle[0] - wall, width - middle[0] - wall)
    ry = min(around, depth / 2 - wall)
    if count == 1:
        return {rows[0].id: Seat(_rounded(middle[0] - rx / 2, middle[1]), 0.0)}
    # A ring that the room has pressed flat grows as far as it may the other way.
    short = data["apart_m"] * count / math.pi
    if rx + ry < short:
        rx, ry = min(short, middle[0] - wall, width - middle[0] - wall), min(short, depth / 2 - wall)
    out = {}
    for n, row in enumerate(rows):
        # With something loud at one side of the room nobody's microphone looks at it: across, not along.
        angle = (math.pi / 2 if beside else math.pi) + 2 * math.pi * n / count
        at = _rounded(middle[0] + rx * math.cos(angle), middle[1] + ry * math.sin(angle))
        out[row.id] = Seat(at, round(math.degrees(math.atan2(middle[1] - at[1], middle[0] - at[0])) % 360, 0))
    return out


def _stage(rows: list[VoiceAnswer], width: float, depth: float, wall: float) -> dict[str, Seat]:
    data = settings()["seats"]
    deep = min(max(wall, depth * 0.3), depth - wall)
    room = width - 2 * wall
    fits = max(int(room / data["apart_m"]) + 1, 1)
    count = min(len(rows), fits)
    apart = min(data["stage_apart_m"], room / max(count - 1, 1))
    out = {}
    for n, row in enumerate(rows):
        line, place = divmod(n, count)
        x = width / 2 + (place - (count - 1) / 2) * apart
        y = max(deep - line * data["apart_m"], wall)
        out[row.id] = Seat(_rounded(x, y), 90.0)
    return out


def _rounded(x: float, y: float) -> Point:
    return round(x, 2), round(y, 2)
