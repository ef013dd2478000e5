"""Recordings as takes of a show: what a room tone or a voice was recorded behind, worked back along its chain."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.model.show import Show, Take
from kymaphon.core.units import uncorrelated_sum_db


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
        raise ValueError(f"{voice} reaches no recorder or stream, so there is no point at which it could be recorded")
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
        id=take_id,
        file=file,
        what=what,
        voice=voice,
        at=here.node if here is not None else at,
        sha256=sha256,
        path_gain_db=round(here.speech_db - sound.speech_db, 3) if here is not None and sound is not None else None,
        recorded_at=recorded_at,
        gain_db=gain_db,
        loudness_lufs=None if loudness_lufs is None else round(loudness_lufs, 2),
    )


def free_id(show: Show, wanted: str) -> str:
    """An id that no take has yet: the wanted one, or it with a number behind it."""
    taken = {take.id for take in show.takes}
    wanted = wanted[:60]
    return next(name for name in (wanted, *(f"{wanted}-{n}" for n in range(2, len(taken) + 3))) if name not in taken)


def first_gain(analysis: Computed, voice: str) -> float | None:
    """The gain of the first strip with one on a voice's way, as it is set; None where there is none."""
    ladder = analysis.any_ladder(voice)
    for rung in ladder.rungs if ladder is not None else ():
        for knob in rung.knobs:
            if knob.is_gain:
                return knob.value
    return None
