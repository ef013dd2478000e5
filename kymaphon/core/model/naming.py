"""What a device is called on screen: its name; without one that of its kind, with its id where that alone would not tell it from
another.
"""

from __future__ import annotations

from collections import Counter

from kymaphon.core.indexed import Indexed
from kymaphon.core.model.show import Device, Show

_unnamed: Indexed[Counter[str]] = Indexed(lambda rows: Counter(row.kind for row in rows if not row.name))
"""Of the devices of a show: how many of each kind have no name."""


def device_name(show: Show, device: Device, kind_name: str) -> str:
    """The device's name; else its kind's, and its id where another without a name is of that kind."""
    if device.name:
        return device.name
    return f"{kind_name} {device.id}" if _unnamed(show.devices)[device.kind] > 1 else kind_name


def fresh_id(show: Show, stem: str) -> str:
    """An id that no row of the show bears yet: the stem, else with a number behind it."""
    taken = {row.id for rows in (show.parties, show.devices, show.places, show.kinds) for row in rows}
    for place in show.places:
        taken |= {spot.id for spot in place.noises} | {surface.id for surface in place.surfaces}
    clean = "".join(c if c.isascii() and (c.isalnum() or c in "-_") else "-" for c in stem.lower()).strip("-_")
    clean = clean[:56] or "new"
    if clean not in taken:
        return clean
    return next(f"{clean}-{n}" for n in range(2, len(taken) + 3) if f"{clean}-{n}" not in taken)
