"""Loudspeakers on while the microphone is live: how loud they may be for the gate to stay shut, and to shut again."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.acoustics.cast import NOTHING_DB
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.key import SILENT_DB, Key
from kymaphon.core.dynamics.places import take_rung
from kymaphon.core.dynamics.speech import detector_of
from kymaphon.core.figures import data_table, figure
from kymaphon.core.model.processing import Gate
from kymaphon.core.units import uncorrelated_sum_db


@dataclass(frozen=True)
class SpeakersAllowed:
    """What the loudspeakers may do.

    Attributes:
        music_db: the highest that the gate's detector reads of them, at the gate.
        may_turn_db: they may be so much louder; below nothing, they have to be turned down.
        text: in a sentence.
    """

    music_db: float
    may_turn_db: float
    why: Derived
    text: str


def speakers_allowed(gate: Gate, music: Key) -> SpeakersAllowed:
    """From a take of the loudspeakers alone at the microphone.

    Raises:
        ValueError: the take is silent.
    """
    levels = detector_of(music, gate.detector, gate.detector_ms)
    if not len(levels) or float(levels.max()) <= SILENT_DB + 1:
        raise ValueError("the take of the loudspeakers is silent")
    source = f"highest of {music.seconds:.0f} s; {gate.detector} detector, {gate.detector_ms:g} ms"
    return allowed_for(gate, Derived("loudspeakers at the microphone", float(levels.max()), "dBFS", source=source))


def planned(gate: Gate, at_microphone_db_spl: Derived, path_gain_db: Derived, unit: str = "dBFS") -> SpeakersAllowed:
    """From the plan: the loudspeakers' level at the microphone and the rig's gain from there to the gate.

    Args:
        at_microphone_db_spl: mean level of the loudspeakers at the microphone.
        path_gain_db: level at the gate for 0 dB SPL at the microphone.
    """
    crest = figure("music-crest") if gate.detector == "peak" else Derived("an rms detector reads no crest", 0.0, "dB")
    level = Derived(
        "loudspeakers at the gate",
        at_microphone_db_spl.value + path_gain_db.value + crest.value,
        unit,
        terms=(at_microphone_db_spl, path_gain_db, crest),
        adds=True,
    )
    return allowed_for(gate, level)


def planned_for(analysis: Computed, voice: str, gate: Gate, at: str | None) -> SpeakersAllowed | None:
    """From the plan of a show: what its loudspeakers do to a voice's microphone, at the point where a take is made.

    Args:
        gate: with thresholds as they read there.
        at: that point; None takes the first digital one.

    Returns None where the voice's place has no loudspeaker that plays, or the microphone does not lead there.
    """
    rung = take_rung(analysis, voice, at)
    ladder = analysis.any_ladder(voice)
    device = next((row for row in analysis.show.devices if row.party == voice and row.place is not None), None)
    if rung is None or ladder is None or device is None or device.place is None:
        return None
    sound = analysis.sound(device.place)
    mic = sound.mic_index.get(device.id)
    at_mic = next((row for row in ladder.rungs[1:] if row.unit == "dB SPL"), None)
    levels = [
        float(sound.level_db[v, mic])
        for v, source in enumerate(sound.sources)
        if mic is not None
        and source.kind is not None
        and analysis.loudspeaker_db.get(source.id, NOTHING_DB) > NOTHING_DB
    ]
    if not levels or at_mic is None:
        return None
    heard = Derived(
        "loudspeakers at the microphone",
        uncorrelated_sum_db(levels),
        "dB SPL",
        source="the plan, every voice speaking",
    )
    gain = Derived(
        "rig, from dB SPL to the take's point",
        rung.speech_db - at_mic.speech_db,
        "dB",
        source="the ladder, as the rig stands",
    )
    return planned(gate, heard, gain, rung.unit)


def allowed_for(gate: Gate, music: Derived) -> SpeakersAllowed:
    """How far loudspeakers of a level at the gate are from opening it, and from keeping it open.

    They must stay under the opening threshold by the margin, and under the closing one: a gate that a word has opened
    would otherwise never shut again.
    """
    margin = float(data_table("gates")["speakers_margin_db"])
    opening, closing = gate.open_db - margin, gate.close_db
    ceiling = min(opening, closing)
    which = (
        Derived("closing threshold", gate.close_db, music.unit, source="once open, the gate must shut again")
        if closing < opening
        else Derived(
            "opening threshold less the margin",
            opening,
            music.unit,
            terms=(
                Derived("opening threshold", gate.open_db, music.unit, source="setting"),
                Derived("less the margin", -margin, "dB", source=data_table("gates")["speakers_source"]),
            ),
            adds=True,
        )
    )
    why = Derived(
        "loudspeakers' room under the gate",
        ceiling - music.value,
        "dB",
        terms=(which, Derived(f"less {music.name}", -music.value, "dB", terms=music.terms, source=music.source)),
        adds=True,
    )
    turn = ceiling - music.value
    if turn >= 0:
        text = f"Loudspeakers may be on: they stay {show_number(turn, 'dB')} under what the gate allows."
    else:
        text = (
            f"Turn the loudspeakers down by {show_number(-turn, 'dB')}: now they "
            f"{'open the gate' if music.value >= gate.open_db else 'come too near to it'}"
            f"{' and hold it open' if music.value >= gate.close_db else ''}."
        )
    return SpeakersAllowed(music.value, turn, why, text)
