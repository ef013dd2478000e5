"""What a measured take says about the rig: a recorded room tone instead of an assumed ambient level."""

from __future__ import annotations

from kymaphon.core.derive import Derived, total
from kymaphon.core.model.show import Device, Party, Show, Take
from kymaphon.core.model.weights import voice_k
from kymaphon.core.noise import without_noise_db


def room_take(show: Show, device: Device) -> Take | None:
    """The newest room-tone take that was made through this microphone, if one is attached."""
    if device.party is None:
        return None
    found = [take for take in show.takes if take.what == "room-tone" and take.voice == device.party]
    usable = [take for take in found if take.noise_dbfs is not None and take.path_gain_db is not None]
    return usable[-1] if usable else None


def measured_ambient(show: Show, device: Device) -> Derived | None:
    """Room noise at a microphone, A-weighted, worked back from a take: what was recorded, less the rig's gain, less its
    own noise.

    The gain and the electronic noise are those of the rig when the take was made, so turning a gain later
    changes nothing here.
    Returns None without a take, and for one that was measured without A-weighting: an unweighted figure does not stand
    in for one in dBA. A take that lies at or below the rig's own noise gives that noise as an upper bound, and says so.
    """
    take = room_take(show, device)
    if take is None or take.noise_a_dbfs is None or take.path_gain_db is None:
        return None
    return _worked_back(take, take.noise_a_dbfs, take.electronic_noise_a_dbfs, take.path_gain_db, "dBFS(A)", "dBA")


def measured_flat_db(show: Show, device: Device) -> float | None:
    """The same unweighted, in dB SPL: what meters and gates see. None without a take."""
    take = room_take(show, device)
    if take is None or take.noise_dbfs is None or take.path_gain_db is None:
        return None
    return _worked_back(take, take.noise_dbfs, take.electronic_noise_dbfs, take.path_gain_db, "dBFS", "dB SPL").value


def level_of_take(show: Show, party: Party, unit: str, full_scale_dbu: float | None) -> Derived | None:
    """How loud a player's programme is where it begins, from the loudness of a take of it; None where that is not known.

    A finished programme is told in LUFS, of both its channels; the level of one is AES17's. To volts it goes by the
    player's full scale.

    Args:
        unit: of the point where it begins, dBFS or dBu.
        full_scale_dbu: analogue level of 0 dBFS at that socket; without it a take says nothing in dBu.
    """
    takes = [
        row for row in show.takes if row.voice == party.id and row.what != "room-tone" and row.loudness_lufs is not None
    ]
    if not takes or takes[-1].loudness_lufs is None or (unit == "dBu" and full_scale_dbu is None):
        return None
    take = takes[-1]
    spectrum = voice_k(party.kind)
    terms = [
        Derived(f"loudness of {take.file}", takes[-1].loudness_lufs, "LUFS", source="measured: ITU-R BS.1770-5"),
        Derived("less what K-weighting adds", -spectrum.value, "dB", source=spectrum.source),
    ]
    if unit == "dBu":
        terms.append(Derived("0 dBFS of the player", full_scale_dbu or 0.0, "dB", source="device data"))
    return total(f"{party.name}, from its take", unit, tuple(terms), source="both channels alike")


def _worked_back(
    take: Take, noise: float, electronics: float | None, path_gain_db: float, unit: str, sound_unit: str
) -> Derived:
    recorded = Derived(f"room tone in {take.file}", noise, unit, source="measured: quietest half second")
    gain = Derived("rig, from dB SPL at the microphone to dBFS", path_gain_db, "dB", source="as the rig stood then")
    if electronics is None:
        level = recorded.value - gain.value
        return Derived("room noise, measured", level, sound_unit, "recorded \u2212 gain", (recorded, gain), "take")
    own = Derived("noise of microphone and electronics", electronics, unit, source="computed for the rig then")
    left = without_noise_db(recorded.value, own.value)
    if left is None:
        level = recorded.value - gain.value
        name = "room noise, at most (the take shows only the rig's own noise)"
        return Derived(name, level, sound_unit, "recorded \u2212 gain", (recorded, gain, own), "take")
    formula = "10 lg(10^(recorded/10) \u2212 10^(own/10)) \u2212 gain"
    return Derived("room noise, measured", left - gain.value, sound_unit, formula, (recorded, own, gain), "take")
