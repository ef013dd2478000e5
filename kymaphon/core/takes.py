"""What a measured take says about the rig: a recorded room tone instead of an assumed ambient level."""

from __future__ import annotations

from kymaphon.core.derive import Derived
from kymaphon.core.noise import without_noise_db
from kymaphon.core.show import Device, Show, Take


def room_take(show: Show, device: Device) -> Take | None:
    """The newest room-tone take that was made through this microphone, if one is attached."""
    if device.party is None:
        return None
    found = [take for take in show.takes if take.what == "room-tone" and take.voice == device.party]
    usable = [take for take in found if take.noise_dbfs is not None and take.path_gain_db is not None]
    return usable[-1] if usable else None


def measured_ambient(show: Show, device: Device) -> Derived | None:
    """Room noise at a microphone, worked back from a take: what was recorded, less the rig's gain, less its own noise.

    The gain and the electronic noise are those of the rig when the take was made, so turning a gain later changes nothing here.
    Returns None without a take. A take that lies at or below the rig's own noise gives that noise as an upper bound, and says so.
    """
    take = room_take(show, device)
    if take is None or take.noise_dbfs is None or take.path_gain_db is None:
        return None
    recorded = Derived(
        f"room tone in {take.file}", take.noise_dbfs, "dBFS", source="measured: quietest half second"
    )
    gain = Derived(
        "rig, from dB SPL at the microphone to dBFS", take.path_gain_db, "dB", source="as the rig stood then"
    )
    if take.electronic_noise_dbfs is None:
        level = recorded.value - gain.value
        return Derived(
            "room noise, measured", level, "dB SPL", "recorded \u2212 gain", (recorded, gain), "take"
        )
    own = Derived(
        "noise of microphone and electronics",
        take.electronic_noise_dbfs,
        "dBFS",
        source="computed for the rig then",
    )
    left = without_noise_db(recorded.value, own.value)
    if left is None:
        level = recorded.value - gain.value
        name = "room noise, at most (the take shows only the rig's own noise)"
        return Derived(name, level, "dB SPL", "recorded \u2212 gain", (recorded, gain, own), "take")
    formula = "10 lg(10^(recorded/10) \u2212 10^(own/10)) \u2212 gain"
    return Derived(
        "room noise, measured", left - gain.value, "dB SPL", formula, (recorded, own, gain), "take"
    )
