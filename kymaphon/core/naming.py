"""What a device is called on screen: its name; without one that of its kind, with its id where that alone would not tell it from
another.
"""

from __future__ import annotations

from collections import Counter

from kymaphon.core.show import Device, Show

_KNOWN: dict[int, tuple[tuple[Device, ...], Counter[str]]] = {}
_MOST_KNOWN = 64


def _unnamed(show: Show) -> Counter[str]:
    """How many devices of each kind have no name. Kept by the very tuple of devices, which is never changed."""
    known = _KNOWN.get(id(show.devices))
    if known is None or known[0] is not show.devices:
        if len(_KNOWN) >= _MOST_KNOWN:
            _KNOWN.clear()
        known = _KNOWN[id(show.devices)] = (
            show.devices,
            Counter(device.kind for device in show.devices if not device.name),
        )
    return known[1]


def device_name(show: Show, device: Device, kind_name: str) -> str:
    """The device's name; else its kind's, and its id where another without a name is of that kind."""
    if device.name:
        return device.name
    return f"{kind_name} {device.id}" if _unnamed(show)[device.kind] > 1 else kind_name
