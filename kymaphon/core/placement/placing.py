"""Where to put which microphone: every kind at its best allowed spot, ranked."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from kymaphon.core.acoustics.cast import NOTHING_DB, PlaceSound
from kymaphon.core.acoustics.mouth import Worn, mouth_gain_at_db
from kymaphon.core.acoustics.pickup import pickup_of
from kymaphon.core.acoustics.placements import has_face
from kymaphon.core.acoustics.room import reverberant_gain_db
from kymaphon.core.acoustics.spots import Floats, allowed_at, direct_db, nearest_m, noise_place, room_db
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.graph.own_noise import own_noise
from kymaphon.core.model.base import Point, Shield
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.units import uncorrelated_sum_db

FANS_DEG = tuple(range(-60, 61, 5))
"""Directions off the face that are tried for the best spot."""


@dataclass(frozen=True, slots=True)
class MicrophoneChoice:
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
        before_howl_db: how far from howling it then is, where spots were ranked by that.
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
    before_howl_db: float | None = None

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
        noise = Derived(
            "less all noise",
            -uncorrelated_sum_db(t.value for t in terms),
            "dB",
            "10 lg \u03a3 10^(L/10)",
            tuple(terms),
            "powers add",
        )
        way = Derived(
            f"{show_number(self.metres, 'm')}, face and nearness",
            self.voice_db - self.level.value - self.weighting.value,
            "dB",
            source="free-field distance law, mouth, pattern",
        )
        voice = total(f"voice at {show_number(self.metres, 'm')}", "dBA", (self.level, self.weighting, way))
        return total(f"{self.kind.name}: voice over all", "dB", (voice, noise))


def choices_for(
    sound: PlaceSound, voice: int, kinds: Iterable[Kind], shield: Shield = "none"
) -> list[MicrophoneChoice]:
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
            not row.usable,
            easy and row.narrow,
            not row.reached,
            round(row.discomfort, 1) if row.reached else 0.0,
            -row.over_all_db,
        )
    )
    return [_reasoned(row, found[0], spared=easy and row.narrow) for row in found]


def best_of(
    sound: PlaceSound,
    voice: int,
    kind: Kind,
    shield: Shield,
    worth: Callable[[Floats], Floats] | None = None,
) -> MicrophoneChoice | None:
    """One kind at its best allowed spot for a party; None where nowhere is allowed.

    Args:
        worth: ranks spots by this, of shape (..., 2), instead.

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
        thrown = mouth_gain_at_db(angle) if faced else 0.0
        level = source.level.value - 20 * math.log10(metres) + thrown
        here = np.array(source.at)[None, :]
        # On the head it is before the face all evening; on the chest it is in nobody's way.
        comfort = number("speaking-distance") if mic.worn == "head" else 0.0
        made = _choice(sound, voice, kind, shield, None, here, metres, level, comfort, "")
        return made if worth is None else replace(made, before_howl_db=float(worth(here)[0]))
    faces = source.faces_deg if source.faces_deg is not None else 0.0
    fans = FANS_DEG if source.faces_deg is not None else tuple(range(0, 360, 15))
    angles = np.radians([faces + fan for fan in fans])
    comfort = comfortable_m(kind, shield) if faced else 0.0
    steps = np.geomspace(least, mic.farthest_m, 8)
    if least < comfort < mic.farthest_m:
        steps = np.sort(np.append(steps, comfort))
    points = np.asarray(source.at) + steps[:, None, None] * np.stack((np.cos(angles), np.sin(angles)), axis=-1)[None]
    allowed = allowed_at(sound, source, kind, points)
    if not allowed.any():
        return None
    direct = direct_db(source, kind, points)
    over = np.where(
        allowed,
        direct + source.weighting.value - room_db(noise_place(sound, voice), source, kind, shield, points),
        -np.inf,
    )
    off = np.abs(np.broadcast_to(np.asarray(fans, dtype=float), over.shape))
    enough = over >= number("wanted-snr") + number("place-margin")
    more = None if worth is None else np.where(allowed, worth(points), -np.inf)
    if more is not None:
        rank = np.where(more >= more.max() - 0.01, off, np.inf)
    elif comfort and enough.any():
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
    made = _choice(
        sound,
        voice,
        kind,
        shield,
        at,
        spot[None, :],
        float(steps[row]),
        float(direct[row, column]),
        comfort,
        nearer if more is None else "",
    )
    # At the spot as it is told, to the centimetre.
    return made if worth is None else replace(made, before_howl_db=float(worth(np.array([made.at]))[0]))


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
) -> MicrophoneChoice:
    source = sound.sources[voice]
    room = float(room_db(noise_place(sound, voice), source, kind, shield, spot)[0])
    noise = own_noise(kind, kind.name).value
    others = _others_db(sound, voice, kind, spot[0])
    most = next(
        (port.max_db for port in kind.inputs if port.domain == "acoustic" and port.max_db is not None),
        math.inf,
    )
    heard = level + source.weighting.value
    over_all = heard - uncorrelated_sum_db((room, noise, others))
    return MicrophoneChoice(
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
        direct = loud - 20 * math.log10(metres) + pickup.gain_at_db(off, metres) + thrown
        levels.append(direct)
        around = reverberant_gain_db(sound.place, other.q)
        if around is not None:
            levels.append(loud + around + pickup.reverberant_db())
    return uncorrelated_sum_db(levels)


def _reasoned(row: MicrophoneChoice, best: MicrophoneChoice, *, spared: bool) -> MicrophoneChoice:
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
    return replace(row, reason="; ".join(words))


def _against(row: MicrophoneChoice, best: MicrophoneChoice) -> str:
    """What makes the difference to the best choice, the largest part named."""
    lost = best.over_all_db - row.over_all_db
    voice = best.voice_db - row.voice_db
    cause = "further from the mouth" if voice > lost / 2 else "takes in more of what is around"
    if row.noise_db > max(row.voice_db - row.over_room_db, row.others_db):
        cause = "noisier itself"
    if row.discomfort > best.discomfort + 0.05 and lost < 0:
        return f"{-lost:.1f} dB more than the best, and nearer than is comfortable"
    return f"{lost:.1f} dB behind the best: {cause}" if lost >= 0.05 else "as good as the best"
