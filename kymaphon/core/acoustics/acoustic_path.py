"""What a microphone hears, line by line: a voice, a loudspeaker, the noise of the place.

The lines are those of the graph's edges; `cast.PlaceSound` computes the same in arrays and is held against them.
"""

from __future__ import annotations

import math
from functools import lru_cache

from kymaphon.core.acoustics.mouth import Worn, mouth_gain_at_db, mouth_source
from kymaphon.core.acoustics.pickup import Pickup
from kymaphon.core.acoustics.placements import (
    Placement,
    facing_deg,
    has_face,
    loudspeaker_pickup,
    loudspeaker_q,
)
from kymaphon.core.acoustics.room import liveliness_words, reverberant_gain_db
from kymaphon.core.acoustics.sound import angle_between_deg, distance_gain_db
from kymaphon.core.derive import Derived, less, show_number, total
from kymaphon.core.figures import figure, number
from kymaphon.core.model.base import Point
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.show import Device, NoiseSpot, Party, Place, Show
from kymaphon.core.model.weights import sound_a_db
from kymaphon.core.units import uncorrelated_sum_db

Parts = tuple[Derived, ...]


@lru_cache(maxsize=8192)
def distance_part(metres: float, source: str, reference_m: float = 1.0) -> Derived:
    """The free-field distance law from the reference distance, held at `nearest-distance`."""
    held = max(metres, number("nearest-distance"))
    name = f"{show_number(metres, 'm')} instead of {show_number(reference_m, 'm')}"
    formula = f"\u221220 lg({held:.2f} / {reference_m:.2f})"
    return Derived(name, distance_gain_db(held, reference_m), "dB", formula, source=source)


@lru_cache(maxsize=8192)
def _off_axis_part(pickup: Pickup, angle_deg: float, metres: float) -> Derived:
    gain = pickup.gain_at_db(angle_deg, metres)
    name = f"{angle_deg:.0f}\u00b0 off {pickup.a_name}"
    return Derived(name, gain, "dB", pickup.formula, source=pickup.source)


@lru_cache(maxsize=8192)
def _face_part(name: str, angle_deg: float) -> Derived:
    gain = mouth_gain_at_db(angle_deg)
    return Derived(f"{angle_deg:.0f}\u00b0 off {name}'s face", gain, "dB", source=mouth_source())


def near_part(stand: Placement, metres: float) -> Parts:
    """What a microphone that lives on nearness makes of the distance, on its axis; nothing for all others."""
    if stand.pickup.pattern != "close-talking":
        return ()
    return (_off_axis_part(stand.pickup, 0.0, metres),)


@lru_cache(maxsize=64)
def worn_parts(name: str, worn: Worn, *, faced: bool = True) -> tuple[Parts, float]:
    """From a mouth to the microphone that its owner wears, head straight; parts and metres.

    Args:
        faced: whether the owner sounds louder ahead than to the side.
    """
    metres, angle = worn.reach()
    where = f"worn on the {worn.where}"
    face = (_face_part(name, round(angle, 3)),) if faced else ()
    return (distance_part(metres, f"assumed: {where}"), *face), metres


def voice_parts(show: Show, party: Party, stand: Placement, place: Place | None) -> tuple[Parts, float]:
    """From a mouth to a microphone, both of known position; parts and metres.

    Raises:
        ValueError: a position is missing.
    """
    if party.at_m is None or stand.at is None:
        raise ValueError(f"{party.name} into {stand.name}: no position")
    metres = math.dist(stand.at, party.at_m)
    parts: list[Derived] = [distance_part(metres, "free-field distance law")]
    parts += _polar(stand, party.at_m, metres)
    faces = facing_deg(show, party) if has_face(party) else None
    if faces is not None:
        angle = angle_between_deg(party.at_m, faces, stand.at)
        if abs(mouth_gain_at_db(angle)) >= 0.05:
            parts.append(_face_part(party.name, angle))
    q = None if has_face(party) else 1.0
    return tuple(parts) + _reverberation(
        stand.pickup, "the microphone takes", place, q, sum(part.value for part in parts)
    ), metres


def loudspeaker_parts(device: Device, kind: Kind, mic: Placement, place: Place | None) -> tuple[Parts, float]:
    """From a loudspeaker to a microphone, both of known position; parts and metres.

    Raises:
        ValueError: a position is missing.
    """
    if device.at_m is None or mic.at is None:
        raise ValueError(f"{device.name or kind.name} into {mic.name}: no position")
    metres = math.dist(mic.at, device.at_m)
    parts: list[Derived] = [distance_part(metres, "free-field distance law")]
    parts += _polar(mic, device.at_m, metres)
    parts += _thrown(device, kind, mic.at)
    q, direct = loudspeaker_q(kind), sum(part.value for part in parts)
    return tuple(parts) + _reverberation(mic.pickup, "the microphone takes", place, q, direct), metres


def loudspeaker_to_ears(device: Device, kind: Kind, at: Point, place: Place | None) -> tuple[Parts, float]:
    """From a loudspeaker to somebody's ears, which hear alike from all around; parts and metres.

    Raises:
        ValueError: the loudspeaker has no position.
    """
    if device.at_m is None:
        raise ValueError(f"{device.name or kind.name}: no position")
    metres = math.dist(at, device.at_m)
    parts = (distance_part(metres, "free-field distance law"), *_thrown(device, kind, at))
    q, direct = loudspeaker_q(kind), sum(part.value for part in parts)
    return parts + _reverberation(Pickup("omni"), "ears take", place, q, direct), metres


def _thrown(device: Device, kind: Kind, at: Point) -> Parts:
    """What a loudspeaker throws less to a spot aside of where it points."""
    throws = loudspeaker_pickup(kind)
    if device.aim_deg is None or device.at_m is None or throws.pattern == "omni":
        return ()
    angle = angle_between_deg(device.at_m, device.aim_deg, at)
    name = f"{angle:.0f}\u00b0 off the loudspeaker, {throws.a_name}"
    return (Derived(name, float(throws.gain_db(angle)), "dB", throws.formula, source="assumed; see the kind"),)


def _polar(stand: Placement, to: tuple[float, float], metres: float) -> list[Derived]:
    """Off-axis loss; a microphone on a chest looks up, so that all else on the plan lies 90 degrees off."""
    if stand.at is None or stand.pickup.pattern in ("omni", "boundary"):
        return []
    if stand.worn is not None and stand.worn.where == "chest":
        return [_off_axis_part(stand.pickup, 90.0, metres)]
    if stand.aim_deg is None:
        return list(near_part(stand, metres))
    return [_off_axis_part(stand.pickup, angle_between_deg(stand.at, stand.aim_deg, to), metres)]


def polar_db(stand: Placement, to: tuple[float, float], metres: float) -> float:
    """Off-axis loss of a sound from a spot, as one figure."""
    return sum(part.value for part in _polar(stand, to, metres))


def _reverberation(pickup: Pickup, takes: str, place: Place | None, q: float | None, direct_db: float) -> Parts:
    """What the room adds to a sound that comes direct; nothing below a twentieth of a decibel."""
    gain = reverberant_gain_db(place, q) if place is not None else None
    if gain is None or place is None:
        return ()
    around = gain + pickup.reverberant_db()
    added = uncorrelated_sum_db((direct_db, around)) - direct_db
    if added < 0.05:
        return ()
    return (_room_part(place.name, liveliness_words(place), added, gain, pickup.reverberant_db(), takes, direct_db),)


@lru_cache(maxsize=8192)
def _room_part(
    place: str, liveliness: str, added: float, gain: float, diffuse: float, takes: str, direct: float
) -> Derived:
    terms = (
        Derived("direct sound against 1 m", direct, "dB", source="the lines above"),
        Derived(
            f"{place} gives back, {liveliness}",
            gain,
            "dB",
            "\u221220 lg(0.141 \u221a(Q R))",
            source="Davis & Patronis, Sound System Engineering",
        ),
        Derived(f"of sound from all around {takes}", diffuse, "dB"),
    )
    formula = f"10 lg(10^({direct:.1f}/10) + 10^({gain + diffuse:.1f}/10)) \u2212 {direct:.1f}".replace("(-", "(\u2212")
    return Derived("the room's reverberation", added, "dB", formula, terms, "powers add")


def wind_speed_m_s(place: Place) -> float:
    """Wind at a place: as given, else assumed where its noise is wind, else none; calm counts as none."""
    if place.wind_m_s is not None:
        return place.wind_m_s if place.wind_m_s >= number("calm") else 0.0
    return number("wind-speed") if place.noise == "wind" else 0.0


def wind_noise(place: Place, stand: Placement) -> Derived | None:
    """What wind makes in a microphone with the shield that it has; None where no wind blows.

    Turbulent pressure goes with the square of the speed and its spectrum with the speed, so about 60 lg(v / v0)
    (from memory; common practice measures 50 to 65).
    """
    speed = wind_speed_m_s(place)
    if speed <= 0:
        return None
    base, shield = figure("wind-noise"), figure(f"shield-{stand.device.shield}")
    terms = [Derived(base.name, base.value, "dBA", source=base.source, spread=base.spread)]
    if speed != number("wind-speed"):
        gain = 60 * math.log10(speed / number("wind-speed"))
        terms.append(Derived(f"{round(speed, 1):g} m/s instead of 5", gain, "dB", "60 lg(v / 5)", source="from memory"))
    if stand.pickup.pattern not in ("omni", "boundary"):
        extra = figure("wind-gradient")
        terms.append(extra)
    if shield.value:
        terms.append(less(shield, shield.name))
    return total(f"wind in {stand.name}", "dBA", tuple(terms))


def spot_noise(place: Place, spot: NoiseSpot, stand: Placement) -> Derived | None:
    """What a microphone takes of a noise that stands somewhere; None when the microphone's position is not known."""
    if stand.at is None:
        return None
    metres = math.dist(stand.at, spot.at_m)
    level = Derived(f"{spot.name} at 1 m", spot.level_dba_1m, "dBA", source="show")
    parts = [distance_part(metres, "free-field distance law"), *_polar(stand, spot.at_m, metres)]
    around = _reverberation(stand.pickup, "the microphone takes", place, 1.0, sum(part.value for part in parts))
    return total(f"{spot.name} in {stand.name}", "dBA", (level, *parts, *around))


def room_noise(place: Place, stand: Placement) -> Derived:
    """All noise of a place in a microphone, A-weighted: background from all sides, noises that stand on the plan, wind."""
    efficiency = stand.pickup.diffuse_db(place.noise)
    formula = "10 lg(A\u00b2 + B\u00b2/3)" if stand.pickup.formula.startswith("20 lg |A + B cos \u03b8|") else ""
    terms = (
        Derived(f"{place.name}, assumed ambient level", place.ambient_dba, "dBA", source="show"),
        Derived(f"diffuse sound into {stand.pickup.a_name}", efficiency, "dB", formula, source=stand.pickup.source),
    )
    name = f"room noise in {stand.name}"
    background = Derived(name, place.ambient_dba + efficiency, "dBA", "", terms, "", True)
    rows = [background, *(spot_noise(place, spot, stand) for spot in place.noises), wind_noise(place, stand)]
    found = [row for row in rows if row is not None]
    if len(found) == 1:
        return background
    formula = "10 lg \u03a3 10^(L/10)"
    found[0] = Derived(f"{place.name}, background", background.value, "dBA", "", terms, "", True)
    return Derived(name, uncorrelated_sum_db(row.value for row in found), "dBA", formula, tuple(found), "powers add")


def room_noise_flat_db(place: Place, stand: Placement) -> float:
    """The same unweighted, each noise by its own spectrum: what meters and gates see of it."""
    levels = [place.ambient_dba + stand.pickup.diffuse_db(place.noise) - sound_a_db(place.noise)]
    for spot in place.noises:
        row = spot_noise(place, spot, stand)
        if row is not None:
            levels.append(row.value - sound_a_db(spot.noise))
    wind = wind_noise(place, stand)
    if wind is not None:
        levels.append(wind.value - sound_a_db("wind"))
    return uncorrelated_sum_db(levels)
