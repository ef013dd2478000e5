"""What a spot on a plan is worth for a party's microphone: direct voice over the place's noise, at every spot, for any kind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.acoustics.acoustic_path import wind_noise
from kymaphon.core.acoustics.cast import PlaceSound, SoundSource
from kymaphon.core.acoustics.mouth import mouth_gain_db
from kymaphon.core.acoustics.pickup import Pickup, pickup_of
from kymaphon.core.acoustics.placements import Placement, has_face
from kymaphon.core.acoustics.room import reverberant_gain_db
from kymaphon.core.figures import number
from kymaphon.core.model.base import Shield
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.show import Device, Place

Floats = NDArray[np.float64]
POINTS = 100


@dataclass(frozen=True)
class PlacementMap:
    """What each spot of a plan is worth for one party and one kind of microphone, always aimed at the mouth.

    Attributes:
        x_m, y_m: of the columns and rows; shapes (X,), (Y,).
        over_db: direct voice against the place's noise, or how far from howling; shape (Y, X).
        allowed: within the distances that the kind is made for, clear of every head; shape (Y, X).
    """

    x_m: Floats
    y_m: Floats
    over_db: Floats
    allowed: NDArray[np.bool_]


def bounds_of(sound: PlaceSound) -> tuple[float, float, float, float]:
    """Left, bottom, right and top of a plan in metres: the place, else what stands in it with a metre and a half around."""
    if sound.place.size_m is not None:
        return 0.0, 0.0, *sound.place.size_m
    points = [source.at for source in sound.sources] + [mic.at for mic in sound.mics if mic.at is not None]
    points += [spot.at_m for spot in sound.place.noises]
    if not points:
        return 0.0, 0.0, 4.0, 3.0
    xs, ys = zip(*points, strict=True)
    return min(xs) - 1.5, min(ys) - 1.5, max(xs) + 1.5, max(ys) + 1.5


def placement_map(
    sound: PlaceSound,
    voice: int,
    kind: Kind,
    shield: Shield = "none",
    points: int = POINTS,
    bounds: tuple[float, float, float, float] | None = None,
) -> PlacementMap:
    """Computes the map of one party and one kind, `points` by `points` over the place.

    Args:
        bounds: left, bottom, right and top in metres of a part of the plan, instead of all of it.
    """
    source = sound.sources[voice]

    def over(grid: Floats) -> Floats:
        heard = direct_db(source, kind, grid) + source.weighting.value
        return np.asarray(heard - room_db(noise_place(sound, voice), source, kind, shield, grid))

    return map_over(sound, voice, kind, over, bounds or bounds_of(sound), points)


def map_over(
    sound: PlaceSound,
    voice: int,
    kind: Kind,
    worth: Callable[[Floats], Floats],
    bounds: tuple[float, float, float, float],
    points: int = POINTS,
) -> PlacementMap:
    """A map of what spots are worth, in dB.

    Args:
        worth: of points, shape (..., 2), to their worth, shape (...).
    """
    left, bottom, right, top = bounds
    x, y = np.linspace(left, right, points), np.linspace(bottom, top, points)
    grid = np.stack(np.meshgrid(x, y), axis=-1)
    return PlacementMap(x, y, worth(grid), allowed_at(sound, sound.sources[voice], kind, grid))


def noise_place(sound: PlaceSound, voice: int) -> Place:
    """The place with the noise that counts for a party: as a take through its microphone tells it, else as assumed.

    A take holds everything that was to be heard, background, standing noises and wind alike, so it is taken to come from
    all sides; worked back through the microphone's random efficiency.
    """
    for m, known in enumerate(sound.measured):
        if known is not None and sound.own[m] == voice:
            around = known.value - sound.mics[m].pickup.diffuse_db(sound.place.noise)
            return sound.place.with_(ambient_dba=min(max(around, -10.0), 140.0), noises=(), wind_m_s=0.0)
    return sound.place


def offsets(source: SoundSource, points: Floats) -> tuple[Floats, Floats, Floats]:
    """Distance, and bearing from the mouth to each point in degrees, and the angle off the face."""
    apart = points - np.asarray(source.at)
    distance = np.hypot(apart[..., 0], apart[..., 1])
    bearing = np.degrees(np.arctan2(apart[..., 1], apart[..., 0]))
    if source.faces_deg is None:
        return distance, bearing, np.zeros_like(distance)
    off = np.mod(bearing - source.faces_deg, 360.0)
    return distance, bearing, np.minimum(off, 360.0 - off)


def direct_db(source: SoundSource, kind: Kind, points: Floats) -> Floats:
    """Direct voice in a microphone of a kind at each point, aimed at the mouth, in dB SPL."""
    return np.asarray(source.level.value + direct_gain_db(source, kind, points))


def direct_gain_db(source: SoundSource, kind: Kind, points: Floats) -> Floats:
    """From a source at 1 m to a microphone of a kind at each point, aimed at it, direct sound only, in dB."""
    distance, _, face = offsets(source, points)
    held = np.maximum(distance, number("nearest-distance"))
    thrown = mouth_gain_db(face) if source.faces_deg is not None else 0.0
    found: Floats = thrown - 20 * np.log10(held)
    pickup = pickup_of(kind)
    if pickup.pattern == "close-talking":
        found = found + _by_distance(pickup, held)
    return found


def _by_distance(pickup: Pickup, held: Floats) -> Floats:
    """Near-field gain on the axis; from a table over the distances, as every point would cost a sum over bands."""
    steps = np.geomspace(number("nearest-distance"), max(float(held.max()), 0.1), 256)
    return np.asarray(np.interp(held, steps, pickup.gain_db(np.zeros_like(steps), steps)))


def room_db(place: Place, source: SoundSource, kind: Kind, shield: Shield, points: Floats) -> Floats:
    """The place's noise in a microphone of a kind at each point, aimed at the mouth, in dBA."""
    pickup = pickup_of(kind)
    power = np.full(points.shape[:-1], 10 ** ((place.ambient_dba + pickup.diffuse_db(place.noise)) / 10))
    stand = _stand(kind, source, shield)
    wind = wind_noise(place, stand)
    if wind is not None:
        power += 10 ** (wind.value / 10)
    around = reverberant_gain_db(place, 1.0)
    _, bearing, _ = offsets(source, points)
    for spot in place.noises:
        apart = np.asarray(spot.at_m) - points
        distance = np.maximum(np.hypot(apart[..., 0], apart[..., 1]), number("nearest-distance"))
        to = np.degrees(np.arctan2(apart[..., 1], apart[..., 0]))
        off = np.mod(to - bearing - 180.0, 360.0)
        off = np.minimum(off, 360.0 - off)
        gain = taken_db(pickup, off)
        power += 10 ** ((spot.level_dba_1m - 20 * np.log10(distance) + gain) / 10)
        if around is not None:
            power += 10 ** ((spot.level_dba_1m + around + pickup.reverberant_db()) / 10)
    return np.asarray(10 * np.log10(power))


_ANGLES = np.arange(0.0, 181.0)


def taken_db(pickup: Pickup, off_deg: Floats) -> Floats:
    """What a microphone takes from so far off its axis, from afar; of a close-talking one from a table over the angles, as every point
    would cost a sum over bands.
    """
    if pickup.pattern == "close-talking":
        return np.asarray(np.interp(off_deg, _ANGLES, pickup.gain_db(_ANGLES, 2.0)))
    return np.asarray(pickup.gain_db(off_deg))


def _stand(kind: Kind, source: SoundSource, shield: Shield) -> Placement:
    device = Device.model_construct(id="tried", kind=kind.id, name=None, shield=shield, settings={})
    return Placement(device, kind, source.party, source.at, None, pickup_of(kind))


def nearest_m(source: SoundSource, kind: Kind) -> float:
    """How near a microphone of a kind may be put: what it is made for, and what the party wants."""
    least = kind.microphone.nearest_m if kind.microphone else number("nearest-distance")
    if source.party is None or has_face(source.party):
        return least
    return max(least, number("nearest-crowd" if source.party.kind == "crowd" else "nearest-instrument"))


def allowed_at(sound: PlaceSound, source: SoundSource, kind: Kind, points: Floats) -> NDArray[np.bool_]:
    mic = kind.microphone
    distance, _, _ = offsets(source, points)
    good = np.ones(distance.shape, dtype=bool)
    if mic is not None:
        good &= (distance >= nearest_m(source, kind) - 1e-9) & (distance <= mic.farthest_m + 1e-9)
    for other in sound.sources:
        if other.party is not None and other.id != source.id:
            apart = points - np.asarray(other.at)
            good &= np.hypot(apart[..., 0], apart[..., 1]) >= number("map-margin")
    if sound.place.size_m is not None:
        width, depth = sound.place.size_m
        good &= (points[..., 0] >= 0) & (points[..., 0] <= width) & (points[..., 1] >= 0) & (points[..., 1] <= depth)
    return good
