"""What a measured take says about the rig: a recorded room tone instead of an assumed ambient level."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Literal

from kymaphon.core.derive import Derived, total
from kymaphon.core.model.show import Device, Party, Show, Take
from kymaphon.core.model.weights import voice_k
from kymaphon.core.noise import without_noise_db
from kymaphon.core.units import uncorrelated_sum_db

if TYPE_CHECKING:
    from kymaphon.core.computing.computed import Computed
    from kymaphon.core.graph.ladder import Ladder


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
    return _worked_back(
        take, take.noise_a_dbfs, take.electronic_noise_a_dbfs, take.path_gain_db, "dBFS(A)", "dBA"
    )


def measured_flat_db(show: Show, device: Device) -> float | None:
    """The same unweighted, in dB SPL: what meters and gates see. None without a take."""
    take = room_take(show, device)
    if take is None or take.noise_dbfs is None or take.path_gain_db is None:
        return None
    return _worked_back(
        take, take.noise_dbfs, take.electronic_noise_dbfs, take.path_gain_db, "dBFS", "dB SPL"
    ).value


def level_of_take(show: Show, party: Party, unit: str, full_scale_dbu: float | None) -> Derived | None:
    """How loud a player's programme is where it begins, from the loudness of a take of it; None where that is not known.

    A finished programme is told in LUFS, of both its channels; the level of one is AES17's. To volts it goes by the
    player's full scale.

    Args:
        unit: of the point where it begins, dBFS or dBu.
        full_scale_dbu: analogue level of 0 dBFS at that socket; without it a take says nothing in dBu.
    """
    takes = [row for row in show.takes if row.voice == party.id and row.what != "room-tone" and row.loudness_lufs is not None]  # fmt: skip
    if not takes or takes[-1].loudness_lufs is None or (unit == "dBu" and full_scale_dbu is None):
        return None
    take = takes[-1]
    spectrum = voice_k(party.kind)
    terms = [
        Derived(
            f"loudness of {take.file}", takes[-1].loudness_lufs, "LUFS", source="measured: ITU-R BS.1770-5"
        ),
        Derived("less what K-weighting adds", -spectrum.value, "dB", source=spectrum.source),
    ]
    if unit == "dBu":
        terms.append(Derived("0 dBFS of the player", full_scale_dbu or 0.0, "dB", source="device data"))
    return total(f"{party.name}, from its take", unit, tuple(terms), source="both channels alike")


def _worked_back(
    take: Take, noise: float, electronics: float | None, path_gain_db: float, unit: str, sound_unit: str
) -> Derived:
    recorded = Derived(f"room tone in {take.file}", noise, unit, source="measured: quietest half second")
    gain = Derived(
        "rig, from dB SPL at the microphone to dBFS", path_gain_db, "dB", source="as the rig stood then"
    )
    if electronics is None:
        level = recorded.value - gain.value
        return Derived(
            "room noise, measured", level, sound_unit, "recorded \u2212 gain", (recorded, gain), "take"
        )
    own = Derived(
        "noise of microphone and electronics", electronics, unit, source="computed for the rig then"
    )
    left = without_noise_db(recorded.value, own.value)
    if left is None:
        level = recorded.value - gain.value
        name = "room noise, at most (the take shows only the rig's own noise)"
        return Derived(name, level, sound_unit, "recorded \u2212 gain", (recorded, gain, own), "take")
    formula = "10 lg(10^(recorded/10) \u2212 10^(own/10)) \u2212 gain"
    return Derived(
        "room noise, measured", left - gain.value, sound_unit, formula, (recorded, own, gain), "take"
    )


def room_tone_take(
    ladder: Ladder | None,
    voice: str,
    *,
    take_id: str,
    file: str,
    noise_dbfs: float,
    noise_a_dbfs: float | None = None,
    at: str | None = None,
    sha256: str | None = None,
    recorded_at: datetime | None = None,
    gain_db: float | None = None,
) -> Take:
    """A room-tone take made through a talker's microphone, with the rig as it stands: its gain and its own
    noise there.

    Args:
        ladder: that of the voice to any recorder or stream (`Computed.any_ladder`); None when it reaches none.
        noise_dbfs, noise_a_dbfs: floor of the take, unweighted and A-weighted.
        at: node of the rig where it was recorded; None takes the first point after the microphone where the
        signal is digital.

    Raises:
        ValueError: the voice has no microphone that leads to a digital point, or `at` does not lie on its
        way.
    """
    if ladder is None:
        raise ValueError(
            f"{voice} reaches no recorder or stream, so there is no point at which it could be recorded"
        )
    digital = [rung for rung in ladder.rungs if rung.unit == "dBFS" and (at is None or rung.node == at)]
    sound = next((rung for rung in ladder.rungs[1:] if rung.unit == "dB SPL"), None)
    if not digital or sound is None:
        raise ValueError(f"{voice} has no microphone that leads to {at or 'a digital point'}")
    rung = digital[0]
    own = [(source, gain) for source, gain in rung.own_noise if source.kind != "room"]
    flat = uncorrelated_sum_db(source.flat_db + gain for source, gain in own)
    weighted = uncorrelated_sum_db(source.level.value + gain for source, gain in own)
    return Take(
        id=take_id,
        file=file,
        what="room-tone",
        voice=voice,
        at=rung.node,
        noise_dbfs=round(noise_dbfs, 3),
        path_gain_db=round(rung.speech_db - sound.speech_db, 3),
        electronic_noise_dbfs=round(flat, 3) if own else None,
        noise_a_dbfs=None if noise_a_dbfs is None else round(noise_a_dbfs, 3),
        electronic_noise_a_dbfs=round(weighted, 3) if own else None,
        sha256=sha256,
        recorded_at=recorded_at,
        gain_db=gain_db,
    )


def voice_take(
    ladder: Ladder | None,
    voice: str,
    *,
    take_id: str,
    file: str,
    what: Literal["voice", "music"] = "voice",
    at: str | None = None,
    sha256: str | None = None,
    recorded_at: datetime | None = None,
    gain_db: float | None = None,
    loudness_lufs: float | None = None,
) -> Take:
    """A take of talk, or of loudspeakers, in a voice's channel, with the rig's gain as it stands.

    Args:
        ladder: that of the voice to any recorder or stream; None when it reaches none: the take then knows no point.
        at: node of the rig where it was recorded; None takes the first digital one after the microphone.
        loudness_lufs: of a programme that the party plays: where it begins then follows from it.
    """
    rungs = ladder.rungs if ladder is not None else ()
    here = next((rung for rung in rungs if (rung.node == at if at else rung.unit == "dBFS")), None)
    sound = next((rung for rung in rungs[1:] if rung.unit == "dB SPL"), None)
    return Take(
        id=take_id, file=file, what=what, voice=voice, at=here.node if here is not None else at, sha256=sha256,
        path_gain_db=round(here.speech_db - sound.speech_db, 3) if here is not None and sound is not None else None,
        recorded_at=recorded_at, gain_db=gain_db, loudness_lufs=None if loudness_lufs is None else round(loudness_lufs, 2),
    )  # fmt: skip


def free_id(show: Show, wanted: str) -> str:
    """An id that no take has yet: the wanted one, or it with a number behind it."""
    taken = {take.id for take in show.takes}
    wanted = wanted[:60]
    return next(
        name for name in (wanted, *(f"{wanted}-{n}" for n in range(2, len(taken) + 3))) if name not in taken
    )


def first_gain(analysis: Computed, voice: str) -> float | None:
    """The gain of the first strip with one on a voice's way, as it is set; None where there is none."""
    ladder = analysis.any_ladder(voice)
    for rung in ladder.rungs if ladder is not None else ():
        for knob in rung.knobs:
            if knob.is_gain:
                return knob.value
    return None
