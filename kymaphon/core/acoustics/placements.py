"""Where mouths, microphones and loudspeakers stand, which way they point, and how loud a voice is by itself."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from kymaphon.core.acoustics.mouth import SPEAKERS, Worn
from kymaphon.core.acoustics.pickup import Pickup, pickup_of
from kymaphon.core.derive import Derived, total
from kymaphon.core.figures import figure, number
from kymaphon.core.model.base import Point
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import Device, Party, Show
from kymaphon.core.model.weights import voice_a

_LEVELS = {"instrument": "level-instrument", "crowd": "level-crowd", "effect": "level-effect"}


@dataclass(frozen=True, slots=True)
class Placement:
    """A microphone on the plan.

    Attributes:
        own: the party that it is there for, or None.
        at: in metres, a worn one where its wearer is; None when not known.
        aim_deg: anticlockwise from the x axis; None when neither set nor to be told from its party.
        worn: how it is worn, or None.
    """

    device: Device
    kind: Kind
    own: Party | None
    at: Point | None
    aim_deg: float | None
    pickup: Pickup
    worn: Worn | None = None
    shown: str = ""

    @property
    def name(self) -> str:
        return self.shown or self.device.name or self.kind.name

    @property
    def goes_along(self) -> bool:
        """Whether it moves with its party: worn, or a handset held to the mouth."""
        return self.worn is not None or (self.kind.is_phone and self.device.at_m is None)


def voice_level(party: Party) -> Derived:
    """How loud a voice is at 1 m, unweighted: measured if there is a figure, else by effort (stated A-weighted), or by
    what kind of thing it is.
    """
    if party.level_db_spl_1m is not None:
        return Derived(f"{party.name} at 1 m", party.level_db_spl_1m, "dB SPL", source="measured, in the show")
    if party.kind in _LEVELS:
        usual = figure(_LEVELS[party.kind])
        return Derived(f"{party.name} at 1 m, usual level", usual.value, "dB SPL", source=usual.source)
    effort = figure(f"effort-{party.effort}")
    stated = Derived(f"{party.name} at 1 m, {party.effort} effort", effort.value, "dBA", source=effort.source)
    weighting = voice_a(party.kind)
    flat = Derived("unweighted over A-weighted, speech", -weighting.value, "dB", source=weighting.source)
    return total(f"{party.name} at 1 m, {party.effort} effort", "dB SPL", (stated, flat), source=effort.source)


def direction_deg(at: Point, to: Point) -> float | None:
    """Direction from one point to another, anticlockwise from the x axis; None when they coincide."""
    dx, dy = to[0] - at[0], to[1] - at[1]
    return math.degrees(math.atan2(dy, dx)) if (dx or dy) else None


def facing_deg(show: Show, party: Party) -> float | None:
    """Where a party faces: as set, else towards its own microphone; None when that cannot be told."""
    if party.faces_deg is not None:
        return party.faces_deg
    if party.at_m is None:
        return None
    for device in show.devices:
        if device.party == party.id and device.at_m is not None and device.place == party.place:
            return direction_deg(party.at_m, device.at_m)
    return None


def has_face(party: Party) -> bool:
    """Whether the party sounds louder ahead than behind."""
    return party.kind in SPEAKERS


def stand_of(show: Show, kind: Kind, device: Device) -> Placement:
    """Where a device that hears stands, and where it points: as set, else at its own party."""
    own = next((party for party in show.parties if party.id == device.party), None)
    shown = device_name(show, device, kind.name)
    worn_on = kind.microphone.worn if kind.microphone else None
    if kind.is_phone and device.at_m is None and own is not None and own.at_m is not None:
        # A handset is held to the mouth and goes where it goes.
        ahead, reach = math.radians(facing_deg(show, own) or 0.0), number("handset-distance")
        held = (own.at_m[0] + reach * math.cos(ahead), own.at_m[1] + reach * math.sin(ahead))
        return Placement(device, kind, own, held, None, pickup_of(kind), shown=shown)
    if worn_on is None or own is None:
        aim = device.aim_deg
        if aim is None and own is not None and own.at_m is not None and device.at_m is not None:
            aim = direction_deg(device.at_m, own.at_m)
        return Placement(device, kind, own, device.at_m, aim, pickup_of(kind), shown=shown)
    faces = facing_deg(show, own)
    aim = None if faces is None or worn_on == "chest" else faces + 180
    return Placement(device, kind, own, own.at_m, aim, pickup_of(kind), Worn(worn_on), shown)


@lru_cache(maxsize=512)
def loudspeaker_pickup(kind: Kind) -> Pickup:
    """How a loudspeaker throws its sound: its `pattern`, else alike to every side."""
    return Pickup(kind.pattern or "omni")


def loudspeaker_q(kind: Kind) -> float:
    """Directivity factor Q of a loudspeaker: the inverse of its pattern's random efficiency."""
    return float(10 ** (-loudspeaker_pickup(kind).diffuse_db() / 10))
