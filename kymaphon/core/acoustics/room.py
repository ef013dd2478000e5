"""What a room does to sound in it: its reverberation, and the reflections from what stands close by.

A diffuse field over a direct one: Lp = Lw + 10 lg(Q / 4 pi r^2 + 4 / R), R = S a / (1 - a), so that both are equal at
Dc = sqrt(Q R / 16 pi) = 0.141 sqrt(Q R) (Davis & Patronis, Sound System Engineering; Beranek, Acoustics).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from kymaphon.core.derive import Derived
from kymaphon.core.figures import acoustic_data, figure, number
from kymaphon.core.model.base import Point
from kymaphon.core.model.show import Place, Surface

EYRING = 0.161
"""s/m at 20 degrees: 24 ln 10 / c (Eyring 1930; Sabine)."""


def absorption(place: Place) -> float:
    """Average absorption coefficient of a place, 0 to 1: from its measured reverberation time, else by its liveliness.

    Eyring 1930: T = 0.161 V / (-S ln(1 - a)), so a = 1 - exp(-0.161 V / (S T)); air absorbs nothing in it.
    """
    size = _size(place)
    if place.rt60_s is None or size is None:
        return float(acoustic_data()["absorption"][place.liveliness])
    area, volume = size
    return 1 - math.exp(-EYRING * volume / (area * place.rt60_s))


def liveliness_words(place: Place) -> str:
    """How live a place is, in words: its measured reverberation time where there is one."""
    return place.liveliness if place.rt60_s is None else f"{place.rt60_s:.2f} s measured"


def reverberation_time_s(place: Place) -> float | None:
    """Reverberation time of a room: as measured, else what its liveliness and size come to; None outdoors."""
    size = _size(place)
    if size is None:
        return None
    return place.rt60_s or EYRING * size[1] / (-size[0] * math.log(1 - absorption(place)))


def _size(place: Place) -> tuple[float, float] | None:
    """Surface in square metres and volume in cubic metres; None outdoors, or where the size is not known."""
    if place.outdoors or place.size_m is None:
        return None
    width, depth = place.size_m
    height = place.height_m or number("room-height")
    return 2 * (width * depth + width * height + depth * height), width * depth * height


@lru_cache(maxsize=512)
def room_constant_m2(place: Place) -> float | None:
    """R = S a / (1 - a) in square metres; None outdoors, or where the size is not known."""
    size = _size(place)
    if size is None:
        return None
    share = absorption(place)
    return size[0] * share / (1 - share)


def critical_distance_m(place: Place, q: float | None = None) -> float | None:
    """Where a voice and its reverberation are equally loud: 0.141 sqrt(Q R); None where nothing reverberates."""
    constant = room_constant_m2(place)
    if constant is None:
        return None
    return math.sqrt((q or number("talker-q")) * constant / (16 * math.pi))


def reverberant_gain_db(place: Place, q: float | None = None) -> float | None:
    """Reverberation anywhere in the room against the direct sound at 1 m ahead of its source: 20 lg(1 m / Dc)."""
    distance = critical_distance_m(place, q)
    return None if distance is None else 20 * math.log10(1 / distance)


def explain_reverberation(place: Place, q: float | None = None) -> Derived | None:
    """`reverberant_gain_db` with its arithmetic; None where nothing reverberates."""
    gain, constant = reverberant_gain_db(place, q), room_constant_m2(place)
    if gain is None or constant is None:
        return None
    measured = place.rt60_s is not None
    share = Derived(
        "absorption",
        100 * absorption(place),
        "%",
        f"1 \u2212 exp(\u22120.161 V / (S \u00d7 {place.rt60_s:.2f} s))" if measured else "",
        source="Eyring 1930, from the measured reverberation time"
        if measured
        else acoustic_data()["absorption_source"],
    )
    spread = figure("talker-q") if q is None else Derived("directivity factor Q", q, "")
    distance = critical_distance_m(place, q) or 1.0
    formula = f"\u221220 lg(0.141 \u221a({spread.value:.1f} \u00d7 {constant:.1f}) m)"
    return Derived(
        f"{place.name} gives back, {liveliness_words(place)}",
        gain,
        "dB",
        formula,
        (share, Derived("voice and reverberation are equal at", distance, "m", source="0.141 \u221a(Q R)"), spread),
        "Davis & Patronis, Sound System Engineering",
    )


@dataclass(frozen=True, slots=True)
class Reflection:
    """A way from a mouth to a microphone by one surface.

    Attributes:
        surface: its name.
        length_m: of the way by the surface; `direct_m` straight.
        loss_db: by distance and at the surface against the straight way, a negative figure.
        point: where on the plan it is reflected.
        off_deg: angle between the two ways at the microphone, where it lies out of the plan (a table); else None.
    """

    surface: str
    length_m: float
    direct_m: float
    loss_db: float
    point: Point
    off_deg: float | None = None


def reflections(
    place: Place, mouth: Point, microphone: Point, *, above_m: tuple[float, float] | None = None
) -> Iterator[Reflection]:
    """First reflections by the image method: the walls of a room of known size, and what stands in the place.

    A table top needs both within its outline's reach: the point of reflection must lie on it.

    Args:
        above_m: mouth and microphone above a table top; left out, as assumed (`mouth-above-table`, `mic-above-table`).
    """
    direct = max(math.dist(mouth, microphone), number("nearest-distance"))
    for surface in (*_walls(place), *place.surfaces):
        if surface.shape == "table":
            yield from _by_table(surface, mouth, microphone, above_m)
            continue
        image = _mirrored(mouth, surface)
        if image is None or not _same_side(surface, mouth, microphone):
            continue
        point = _crossing(surface, image, microphone)
        if point is None:
            continue
        length = math.dist(image, microphone)
        loss = _loss_db(surface.finish) if surface.id != _ROOM else 10 * math.log10(1 - absorption(place))
        yield Reflection(surface.name, length, direct, loss - 20 * math.log10(length / direct), point)


_ROOM = "room"


def _walls(place: Place) -> tuple[Surface, ...]:
    if place.outdoors or place.size_m is None:
        return ()
    w, d = place.size_m
    corners = ((0.0, 0.0), (w, 0.0), (w, d), (0.0, d))
    return tuple(
        Surface.model_construct(
            id=_ROOM,
            name="the wall",
            shape="wall",
            from_m=corners[i],
            to_m=corners[(i + 1) % 4],
            finish="hard",
        )
        for i in range(4)
    )


def _loss_db(finish: str) -> float:
    return number(f"{finish}-reflection")


def _side(surface: Surface, point: Point) -> float:
    (ax, ay), (bx, by) = surface.from_m, surface.to_m
    return (bx - ax) * (point[1] - ay) - (by - ay) * (point[0] - ax)


def _same_side(surface: Surface, one: Point, other: Point) -> bool:
    return _side(surface, one) * _side(surface, other) > 0


def _mirrored(point: Point, surface: Surface) -> Point | None:
    (ax, ay), (bx, by) = surface.from_m, surface.to_m
    dx, dy = bx - ax, by - ay
    square = dx * dx + dy * dy
    if square == 0:
        return None
    along = ((point[0] - ax) * dx + (point[1] - ay) * dy) / square
    foot = (ax + along * dx, ay + along * dy)
    return 2 * foot[0] - point[0], 2 * foot[1] - point[1]


def _crossing(surface: Surface, image: Point, to: Point) -> Point | None:
    """Where the straight line from the image to the microphone meets the surface; None beside it."""
    (ax, ay), (bx, by) = surface.from_m, surface.to_m
    dx, dy, ex, ey = to[0] - image[0], to[1] - image[1], bx - ax, by - ay
    ux, uy = ax - image[0], ay - image[1]
    across = dx * ey - dy * ex
    if across == 0:
        return None
    way, share = (ux * ey - uy * ex) / across, (ux * dy - uy * dx) / across
    if not (0 <= way <= 1 and 0 <= share <= 1):
        return None
    return ax + share * ex, ay + share * ey


def _by_table(
    surface: Surface, mouth: Point, microphone: Point, above_m: tuple[float, float] | None
) -> Iterator[Reflection]:
    above, below = above_m or (number("mouth-above-table"), number("mic-above-table"))
    share = above / (above + below)
    point = (
        mouth[0] + share * (microphone[0] - mouth[0]),
        mouth[1] + share * (microphone[1] - mouth[1]),
    )
    (ax, ay), (bx, by) = surface.from_m, surface.to_m
    if not (min(ax, bx) <= point[0] <= max(ax, bx) and min(ay, by) <= point[1] <= max(ay, by)):
        return
    flat = math.dist(mouth, microphone)
    straight = max(math.hypot(flat, above - below), number("nearest-distance"))
    length = math.hypot(flat, above + below)
    off = math.degrees(math.atan2(above + below, flat) - math.atan2(above - below, flat))
    loss = _loss_db(surface.finish) - 20 * math.log10(length / straight)
    yield Reflection(surface.name, length, straight, loss, point, off)
