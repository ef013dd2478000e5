"""Where to put which microphone: voice over room at every spot of a plan, and every kind at its best allowed spot."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.cast import NOTHING_DB, PlaceSound, Source
from kymaphon.core.catalogue import Kind
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.heard import wind_noise
from kymaphon.core.model import Point, Shield
from kymaphon.core.mouth import Worn, mouth_gain_db
from kymaphon.core.own_noise import own_noise
from kymaphon.core.pickup import pickup_of
from kymaphon.core.room import reverberant_gain_db
from kymaphon.core.show import Device, Place
from kymaphon.core.standing import Stand, has_face
from kymaphon.core.units import uncorrelated_sum_db

Floats = NDArray[np.float64]
POINTS = 100
FANS_DEG = tuple(range(-60, 61, 5))
"""Directions off the face that are tried for the best spot."""


@dataclass(frozen=True)
class PlacementMap:
    """Voice over room at each spot of a plan for one party and one kind of microphone, always aimed at the mouth.

    Attributes:
        x_m, y_m: of the columns and rows; shapes (X,), (Y,).
        over_room_db: direct voice against the place's noise; shape (Y, X).
        allowed: within the distances that the kind is made for, clear of every head; shape (Y, X).
    """

    x_m: Floats
    y_m: Floats
    over_room_db: Floats
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
    left, bottom, right, top = bounds or bounds_of(sound)
    x, y = np.linspace(left, right, points), np.linspace(bottom, top, points)
    grid = np.stack(np.meshgrid(x, y), axis=-1)
    source = sound.sources[voice]
    over = (
        _direct_db(source, kind, grid)
        + source.weighting.value
        - _room_db(noise_place(sound, voice), source, kind, shield, grid)
    )
    return PlacementMap(x, y, over, _allowed(sound, source, kind, grid))


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


def _offsets(source: Source, points: Floats) -> tuple[Floats, Floats, Floats]:
    """Distance, and bearing from the mouth to each point in degrees, and the angle off the face."""
    apart = points - np.asarray(source.at)
    distance = np.hypot(apart[..., 0], apart[..., 1])
    bearing = np.degrees(np.arctan2(apart[..., 1], apart[..., 0]))
    if source.faces_deg is None:
        return distance, bearing, np.zeros_like(distance)
    off = np.mod(bearing - source.faces_deg, 360.0)
    return distance, bearing, np.minimum(off, 360.0 - off)


def _direct_db(source: Source, kind: Kind, points: Floats) -> Floats:
    """Direct voice in a microphone of a kind at each point, aimed at the mouth, in dB SPL."""
    distance, _, face = _offsets(source, points)
    held = np.maximum(distance, number("nearest-distance"))
    thrown = mouth_gain_db(face) if source.faces_deg is not None else 0.0
    found: Floats = source.level.value - 20 * np.log10(held) + thrown
    pickup = pickup_of(kind)
    if pickup.pattern == "close-talking":
        found = found + _by_distance(pickup, held)
    return found


def _by_distance(pickup: object, held: Floats) -> Floats:
    """Near-field gain on the axis; from a table over the distances, as every point would cost a sum over bands."""
    gain = pickup.gain_db  # type: ignore[attr-defined]
    steps = np.geomspace(number("nearest-distance"), max(float(held.max()), 0.1), 256)
    return np.asarray(np.interp(held, steps, gain(np.zeros_like(steps), steps)))


def _room_db(place: Place, source: Source, kind: Kind, shield: Shield, points: Floats) -> Floats:
    """The place's noise in a microphone of a kind at each point, aimed at the mouth, in dBA."""
    pickup = pickup_of(kind)
    power = np.full(points.shape[:-1], 10 ** ((place.ambient_dba + pickup.diffuse_db(place.noise)) / 10))
    stand = _stand(kind, source, shield)
    wind = wind_noise(place, stand)
    if wind is not None:
        power += 10 ** (wind.value / 10)
    around = reverberant_gain_db(place, 1.0)
    _, bearing, _ = _offsets(source, points)
    for spot in place.noises:
        apart = np.asarray(spot.at_m) - points
        distance = np.maximum(np.hypot(apart[..., 0], apart[..., 1]), number("nearest-distance"))
        to = np.degrees(np.arctan2(apart[..., 1], apart[..., 0]))
        off = np.mod(to - bearing - 180.0, 360.0)
        off = np.minimum(off, 360.0 - off)
        if pickup.pattern == "close-talking":
            gain = np.interp(off, _ANGLES, pickup.gain_db(_ANGLES, 2.0))
        else:
            gain = pickup.gain_db(off)
        power += 10 ** ((spot.level_dba_1m - 20 * np.log10(distance) + gain) / 10)
        if around is not None:
            power += 10 ** ((spot.level_dba_1m + around + pickup.reverberant_db()) / 10)
    return np.asarray(10 * np.log10(power))


_ANGLES = np.arange(0.0, 181.0)


def _stand(kind: Kind, source: Source, shield: Shield) -> Stand:
    device = Device.model_construct(id="tried", kind=kind.id, name=None, shield=shield, settings={})
    return Stand(device, kind, source.party, source.at, None, pickup_of(kind))


def nearest_m(source: Source, kind: Kind) -> float:
    """How near a microphone of a kind may be put: what it is made for, and what the party wants."""
    least = kind.microphone.nearest_m if kind.microphone else number("nearest-distance")
    if source.party is None or has_face(source.party):
        return least
    return max(least, number("nearest-crowd" if source.party.kind == "crowd" else "nearest-instrument"))


def _allowed(sound: PlaceSound, source: Source, kind: Kind, points: Floats) -> NDArray[np.bool_]:
    mic = kind.microphone
    distance, _, _ = _offsets(source, points)
    good = np.ones(distance.shape, dtype=bool)
    if mic is not None:
        good &= (distance >= nearest_m(source, kind) - 1e-9) & (distance <= mic.farthest_m + 1e-9)
    for other in sound.sources:
        if other.party is not None and other.id != source.id:
            apart = points - np.asarray(other.at)
            good &= np.hypot(apart[..., 0], apart[..., 1]) >= number("map-margin")
    if sound.place.size_m is not None:
        width, depth = sound.place.size_m
        good &= (
            (points[..., 0] >= 0)
            & (points[..., 0] <= width)
            & (points[..., 1] >= 0)
            & (points[..., 1] <= depth)
        )
    return good


@dataclass(frozen=True, slots=True)
class Choice:
    """One kind of microphone for a party, at its best allowed spot.

    Attributes:
        at: None when it is worn, or when nowhere is allowed.
        over_room_db: direct voice over the place's noise.
        over_all_db: over the place, the microphone's own noise and the other voices in it together.
        headroom_db: to its maximum level at the highest peak; inf where none is stated.
        voice_db, others_db, noise_db: A-weighted, at its diaphragm.
        level: the party at 1 m, unweighted; `weighting` takes it to dBA.
        comfort_m: nearer than this it is in the way: breath, the rise of the lows, the script, the face; 0 where nothing is.
        nearer: what the nearest spot that the kind is made for would buy, in words; empty where it stands there.
        reason: why it stands where it stands in the ranking.
    """

    kind: Kind
    at: Point | None
    metres: float
    over_room_db: float
    over_all_db: float
    others_db: float
    noise_db: float
    voice_db: float
    headroom_db: float
    level: Derived
    weighting: Derived
    comfort_m: float
    nearer: str
    reason: str = ""

    @property
    def usable(self) -> bool:
        """Loud peaks stay under its maximum."""
        return self.headroom_db >= 0

    @property
    def reached(self) -> bool:
        """It comes to the wanted figure with the margin that a moving head takes."""
        return self.over_room_db >= number("wanted-snr") + number("place-margin")

    @property
    def discomfort(self) -> float:
        """How much nearer than comfortable it stands, as a part: 0 at ease, 1 at the lips."""
        return max(0.0, 1 - self.metres / self.comfort_m) if self.comfort_m > 0 else 0.0

    @property
    def narrow(self) -> bool:
        """A close-talking microphone: for where nothing else is enough."""
        return self.kind.microphone is not None and self.kind.microphone.pattern == "close-talking"

    def explain(self) -> Derived:
        """Voice over everything, line by line."""
        room = self.voice_db - self.over_room_db
        terms = [
            Derived("the place", room, "dBA", source="its noise at that spot, by the pattern"),
            Derived("its own noise", self.noise_db, "dBA", source="device data"),
        ]
        if self.others_db > NOTHING_DB:
            terms.append(
                Derived(
                    "other voices and loudspeakers",
                    self.others_db,
                    "dBA",
                    source="distance, pattern, face and reverberation",
                )
            )
        noise = Derived("less all noise", -uncorrelated_sum_db(t.value for t in terms), "dB", "10 lg \u03a3 10^(L/10)", tuple(terms), "powers add")  # fmt: skip
        way = Derived(f"{show_number(self.metres, 'm')}, face and nearness", self.voice_db - self.level.value - self.weighting.value, "dB", source="free-field distance law, mouth, pattern")  # fmt: skip
        voice = total(f"voice at {show_number(self.metres, 'm')}", "dBA", (self.level, self.weighting, way))
        return total(f"{self.kind.name}: voice over all", "dB", (voice, noise))


def choices_for(
    sound: PlaceSound, voice: int, kinds: Iterable[Kind], shield: Shield = "none"
) -> list[Choice]:
    """Every kind that has a microphone at its best allowed spot, best first.

    Those that reach the wanted figure with a margin come first, the most comfortable of them before the others; only then
    do decibels count. Close-talking kinds sound narrow and hide the mouth: they come after all others where those reach the
    wanted figure too. Kinds that would clip come last.
    """
    rows = [best_of(sound, voice, kind, shield) for kind in kinds if kind.microphone is not None]
    found = [row for row in rows if row is not None]
    wanted = number("wanted-snr")
    easy = any(row.usable and not row.narrow and row.over_room_db >= wanted for row in found)
    found.sort(
        key=lambda row: (
            not row.usable, easy and row.narrow, not row.reached, round(row.discomfort, 1) if row.reached else 0.0, -row.over_all_db,
        )
    )  # fmt: skip
    return [_reasoned(row, found[0], spared=easy and row.narrow) for row in found]


def best_of(sound: PlaceSound, voice: int, kind: Kind, shield: Shield) -> Choice | None:
    """One kind at its best allowed spot for a party; None where nowhere is allowed.

    The best spot is the most comfortable one that reaches the wanted figure with a margin: at the distance from which on
    breath, nearness and the face are out of the way, and a little aside, where a script and the others can be seen. Where
    none reaches it, it is the one with most decibels.
    """
    mic, source = kind.microphone, sound.sources[voice]
    if mic is None:
        return None
    least = nearest_m(source, kind)
    faced = source.party is not None and has_face(source.party)
    if not faced and (mic.worn is not None or least >= mic.farthest_m):
        return None
    if mic.worn is not None:
        metres, angle = Worn(mic.worn).reach()
        thrown = float(mouth_gain_db(angle)) if faced else 0.0
        level = source.level.value - 20 * math.log10(metres) + thrown
        here = np.array(source.at)[None, :]
        # On the head it is before the face all evening; on the chest it is in nobody's way.
        comfort = number("speaking-distance") if mic.worn == "head" else 0.0
        return _choice(sound, voice, kind, shield, None, here, metres, level, comfort, "")
    faces = source.faces_deg if source.faces_deg is not None else 0.0
    fans = FANS_DEG if source.faces_deg is not None else tuple(range(0, 360, 15))
    angles = np.radians([faces + fan for fan in fans])
    comfort = comfortable_m(kind, shield) if faced else 0.0
    steps = np.geomspace(least, mic.farthest_m, 8)
    if least < comfort < mic.farthest_m:
        steps = np.sort(np.append(steps, comfort))
    points = (
        np.asarray(source.at)
        + steps[:, None, None] * np.stack((np.cos(angles), np.sin(angles)), axis=-1)[None]
    )
    allowed = _allowed(sound, source, kind, points)
    if not allowed.any():
        return None
    direct = _direct_db(source, kind, points)
    over = np.where(
        allowed,
        direct + source.weighting.value - _room_db(noise_place(sound, voice), source, kind, shield, points),
        -np.inf,
    )
    off = np.abs(np.broadcast_to(np.asarray(fans, dtype=float), over.shape))
    enough = over >= number("wanted-snr") + number("place-margin")
    if comfort and enough.any():
        # How far from comfortable, then how far from a little aside; only then decibels.
        short = np.maximum(1 - steps / comfort, 0.0)[:, None] + np.maximum(steps / comfort - 1, 0.0)[:, None]
        aside = np.abs(off - number("place-aside"))
        rank = np.where(enough, np.round(short, 2) * 1e6 + aside * 1e3 - over, np.inf)
    else:
        # Of spots as good as the best one to a hundredth, the one nearest to straight ahead.
        rank = np.where(over >= over.max() - 0.01, off, np.inf)
    row, column = np.unravel_index(int(rank.argmin()), rank.shape)
    spot = points[row, column]
    at = (round(float(spot[0]), 3), round(float(spot[1]), 3))
    most = float(over.max())
    nearest = float(steps[np.unravel_index(int(over.argmax()), over.shape)[0]])
    nearer = ""
    if most > float(over[row, column]) + 0.5 and nearest < float(steps[row]):
        nearer = f"{show_number(nearest, 'm')} would buy {most - float(over[row, column]):.1f} dB more"
    return _choice(
        sound,
        voice,
        kind,
        shield,
        at,
        spot[None, :],
        float(steps[row]),
        float(direct[row, column]),
        comfort,
        nearer,
    )


def comfortable_m(kind: Kind, shield: Shield) -> float:
    """From how far on a microphone of a kind is in nobody's way: the usual speaking distance, what its nearness does to the lows,
    and what it is made for; a shield against breath lets it come nearer.
    """
    mic = kind.microphone
    if mic is None or mic.pattern == "close-talking":
        return 0.0
    wanted = number("speaking-distance") * (1.0 if shield == "none" else number("breath-shield"))
    pickup = pickup_of(kind)
    steps = np.geomspace(number("nearest-distance"), mic.farthest_m, 64)
    calm = [step for step in steps.tolist() if pickup.proximity_db(step) <= number("proximity-limit")]
    return float(min(max(wanted, mic.nearest_m, calm[0] if calm else 0.0), mic.farthest_m))


def _choice(
    sound: PlaceSound,
    voice: int,
    kind: Kind,
    shield: Shield,
    at: Point | None,
    spot: Floats,
    metres: float,
    level: float,
    comfort_m: float,
    nearer: str,
) -> Choice:
    source = sound.sources[voice]
    room = float(_room_db(noise_place(sound, voice), source, kind, shield, spot)[0])
    noise = own_noise(kind, kind.name).value
    others = _others_db(sound, voice, kind, spot[0])
    most = next(
        (port.max_db for port in kind.inputs if port.domain == "acoustic" and port.max_db is not None),
        math.inf,
    )
    heard = level + source.weighting.value
    over_all = heard - uncorrelated_sum_db((room, noise, others))
    return Choice(
        kind,
        at,
        metres,
        heard - room,
        over_all,
        others,
        noise,
        heard,
        most - level - source.crest.value,
        source.level,
        source.weighting,
        comfort_m,
        nearer,
    )


def _others_db(sound: PlaceSound, voice: int, kind: Kind, spot: Floats) -> float:
    """All other sources in a microphone of a kind at a spot, aimed at the mouth of its party, in dBA."""
    source, pickup = sound.sources[voice], pickup_of(kind)
    levels = [NOTHING_DB]
    worn = kind.microphone.worn if kind.microphone else None
    aim = None
    if worn is None:
        aim = math.degrees(math.atan2(source.at[1] - spot[1], source.at[0] - spot[0]))
    elif worn == "head" and source.faces_deg is not None:
        aim = source.faces_deg + 180
    for v, other in enumerate(sound.sources):
        if v == voice:
            continue
        dx, dy = other.at[0] - spot[0], other.at[1] - spot[1]
        metres = max(math.hypot(dx, dy), number("nearest-distance"))
        off = 90.0
        if aim is not None:
            off = (math.degrees(math.atan2(dy, dx)) - aim) % 360
            off = min(off, 360 - off)
        face = 0.0
        if other.faces_deg is not None:
            face = (math.degrees(math.atan2(-dy, -dx)) - other.faces_deg) % 360
            face = min(face, 360 - face)
        thrown = float(other.thrown_db(np.array(face)))
        loud = other.level.value + other.weighting.value
        direct = loud - 20 * math.log10(metres) + float(pickup.gain_db(off, metres)) + thrown
        levels.append(direct)
        around = reverberant_gain_db(sound.place, other.q)
        if around is not None:
            levels.append(loud + around + pickup.reverberant_db())
    return uncorrelated_sum_db(levels)


def _reasoned(row: Choice, best: Choice, *, spared: bool) -> Choice:
    """The choice with the reason for its rank."""
    mic = row.kind.microphone
    assert mic is not None
    where = f"worn on the {mic.worn}" if mic.worn else "from the mouth"
    words = [f"{show_number(row.metres, 'm')} {where}"]
    room = row.voice_db - row.over_room_db
    parts = {
        "the place limits": room,
        "its own noise limits": row.noise_db,
        "the other voices limit": row.others_db,
    }
    loudest = max(parts, key=lambda name: parts[name])
    words.append(f"{loudest} it, {show_number(parts[loudest], 'dBA')}")
    if not row.usable:
        words.append(f"peaks lie {-row.headroom_db:.0f} dB above its maximum")
    elif spared:
        words.append("sounds narrow and hides the mouth: for where nothing else is enough")
    elif row is not best:
        words.append(_against(row, best))
    if row.nearer:
        words.append(row.nearer)
    return Choice(
        row.kind, row.at, row.metres, row.over_room_db, row.over_all_db, row.others_db, row.noise_db, row.voice_db,
        row.headroom_db, row.level, row.weighting, row.comfort_m, row.nearer, "; ".join(words),
    )  # fmt: skip


def _against(row: Choice, best: Choice) -> str:
    """What makes the difference to the best choice, the largest part named."""
    lost = best.over_all_db - row.over_all_db
    voice = best.voice_db - row.voice_db
    cause = "further from the mouth" if voice > lost / 2 else "takes in more of what is around"
    if row.noise_db > max(row.voice_db - row.over_room_db, row.others_db):
        cause = "noisier itself"
    if row.discomfort > best.discomfort + 0.05 and lost < 0:
        return f"{-lost:.1f} dB more than the best, and nearer than is comfortable"
    return f"{lost:.1f} dB behind the best: {cause}" if lost >= 0.05 else "as good as the best"
