"""The figures of a place, each with its arithmetic: what the Why panel shows of a microphone or a crossing."""

from __future__ import annotations

import math

from kymaphon.core.acoustics.acoustic_path import loudspeaker_parts, voice_parts, worn_parts
from kymaphon.core.acoustics.cast import NOTHING_DB, PlaceSound, open_cost_db
from kymaphon.core.acoustics.placements import has_face
from kymaphon.core.acoustics.room import explain_reverberation
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.model.show import Show

REVERBERATION = "the room's reverberation"


def _parts(show: Show, sound: PlaceSound, v: int, m: int) -> tuple[Derived, ...]:
    """The lines from a source to a microphone, its level at 1 m first, the reverberation last if it counts."""
    source, mic = sound.sources[v], sound.mics[m]
    if source.device is not None and source.kind is not None:
        parts, _ = loudspeaker_parts(source.device, source.kind, mic, sound.place)
    elif source.party is not None and mic.worn is not None and mic.own is source.party:
        parts, _ = worn_parts(source.name, mic.worn, faced=has_face(source.party))
    elif source.party is not None:
        parts, _ = voice_parts(show, source.party, mic, sound.place)
    else:
        parts = ()
    return (source.level, *parts)


def explain_level(show: Show, sound: PlaceSound, v: int, m: int) -> Derived:
    """Level of a source in a microphone, direct and by the room."""
    return total(f"{sound.sources[v].name} in {sound.mics[m].name}", "dB SPL", _parts(show, sound, v, m))


def explain_over_room(show: Show, sound: PlaceSound, m: int) -> Derived | None:
    """Own voice's direct sound over the place's noise; None for a microphone without a party on the plan."""
    v = int(sound.own[m])
    if v < 0:
        return None
    lines = [part for part in _parts(show, sound, v, m) if part.name != REVERBERATION]
    room = sound.ambient[m]
    # The noise's own lines stay under it; its sign turns, as it is taken off.
    less = Derived(f"less {room.name}", -room.value, "dB", room.equation(), room.terms, room.source)
    return total(f"{sound.sources[v].name} over the room", "dB", (*lines, sound.sources[v].weighting, less))


def explain_over_microphone(sound: PlaceSound, m: int) -> Derived | None:
    """Own voice over the microphone's own noise; None where either is not known."""
    if int(sound.own[m]) < 0 or sound.noise[m].value <= NOTHING_DB:
        return None
    noise = sound.noise[m]
    less = Derived(f"less {noise.name}", -noise.value, "dB", noise.equation(), noise.terms, noise.source)
    voice = Derived("voice in the microphone", float(sound.own_db[m]), "dB SPL")
    weighting = sound.sources[int(sound.own[m])].weighting
    return total("voice over the microphone's own noise", "dB", (voice, weighting, less))


def explain_headroom(sound: PlaceSound, m: int) -> Derived | None:
    """Highest peaks against the microphone's maximum level; None where that is not stated."""
    if int(sound.own[m]) < 0 or math.isinf(float(sound.most_db[m])):
        return None
    crest = sound.sources[int(sound.own[m])].crest
    return total(
        "peaks under its maximum",
        "dB",
        (
            Derived(
                "its maximum level", float(sound.most_db[m]), "dB SPL", source=f"device data: {sound.mics[m].kind.name}"
            ),
            Derived("less the voice on average", -float(sound.own_db[m]), "dB"),
            Derived(f"less {crest.name.lower()}", -crest.value, "dB", source=crest.source),
        ),
    )


def explain_own_reverberation(sound: PlaceSound, m: int) -> Derived | None:
    """Direct voice over its own reverberation; None outdoors."""
    v = int(sound.own[m])
    if v < 0 or float(sound.reverberant_db[v, m]) <= NOTHING_DB + 1:
        return None
    room = explain_reverberation(sound.place, sound.sources[v].q)
    if room is None:
        return None
    level = sound.sources[v].level
    return total(
        "direct voice over its reverberation",
        "dB",
        (
            Derived("direct voice", float(sound.direct_db[v, m]), "dB SPL"),
            Derived("less the voice at 1 m", -level.value, "dB", source=level.source),
            Derived(
                f"less what {room.name[0].lower()}{room.name[1:]}",
                -room.value,
                "dB",
                room.formula,
                room.terms,
                room.source,
            ),
            Derived(
                f"less of sound from all around, {sound.mics[m].pickup.a_name}",
                -sound.mics[m].pickup.reverberant_db(),
                "dB",
                source=sound.mics[m].pickup.source,
            ),
        ),
    )


def explain_under_own(sound: PlaceSound, v: int, m: int) -> Derived | None:
    """How far a source lies under the microphone's own voice; None without one, and for the own voice itself."""
    own = int(sound.own[m])
    if own < 0 or own == v:
        return None
    return total(
        f"{sound.sources[v].name} under {sound.sources[own].name}",
        "dB",
        (
            Derived(f"{sound.sources[own].name} in {sound.mics[m].name}", float(sound.level_db[own, m]), "dB SPL"),
            Derived(
                f"less {sound.sources[v].name} in it, {show_number(float(sound.distance_m[v, m]), 'm')}",
                -float(sound.level_db[v, m]),
                "dB",
            ),
        ),
    )


def explain_open(sound: PlaceSound) -> Derived:
    """What the open microphones of a place cost together, in feedback margin and room noise."""
    count = sum(sound.is_open(m) for m in range(len(sound.mics)))
    name = f"cost of {count} open microphone{'' if count == 1 else 's'}"
    return Derived(name, open_cost_db(count), "dB", f"10 lg {max(count, 1)}", source="10 lg NOM: Davis & Patronis")
