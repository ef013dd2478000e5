"""A place's sound and the adviser's answer as plain data and as lines of words: what the command prints."""

from __future__ import annotations

import math
from typing import Any

from kymaphon.core.acoustics.cast import NOTHING_DB, PlaceSound, open_cost_db
from kymaphon.core.acoustics.room import liveliness_words
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import MINUS, show_number
from kymaphon.core.placement.advice import Advice, advise
from kymaphon.core.placement.head_turns import turns_of
from kymaphon.core.placement.moves import Placed


def _round(value: float) -> float | None:
    return None if math.isnan(value) or math.isinf(value) or value <= NOTHING_DB else round(value, 4)


def place_json(analysis: Computed, place_id: str) -> dict[str, Any]:
    """Everything of one place: each microphone with its party, and the bleed of every source. Raises KeyError."""
    sound = analysis.sound(place_id)
    opened = sum(sound.is_open(m) for m in range(len(sound.mics)))
    return {
        "id": place_id,
        "name": sound.place.name,
        "unplaced": list(sound.unplaced),
        "open_microphones": opened,
        "open_cost_db": round(open_cost_db(opened), 4),
        "microphones": [_mic_json(analysis, sound, m) for m in range(len(sound.mics))],
        "bleed": [
            {
                "source": source.id,
                "microphone": mic.device.id,
                "distance_m": round(float(sound.distance_m[v, m]), 4),
                "direct_db_spl": _round(float(sound.direct_db[v, m])),
                "level_db_spl": _round(float(sound.level_db[v, m])),
            }
            for v, source in enumerate(sound.sources)
            for m, mic in enumerate(sound.mics)
        ],
    }


def _mic_json(analysis: Computed, sound: PlaceSound, m: int) -> dict[str, Any]:
    mic, own = sound.mics[m], int(sound.own[m])
    row: dict[str, Any] = {
        "microphone": mic.device.id,
        "party": mic.own.id if mic.own else None,
        "open": sound.is_open(m),
        "ambient_dba": _round(float(sound.ambient_db[m])),
        "noise_dba": _round(float(sound.noise_db[m])),
    }
    if own >= 0:
        row |= {
            "distance_m": round(float(sound.distance_m[own, m]), 4),
            "angle_deg": round(float(sound.angle_deg[own, m]), 4),
            "face_deg": round(float(sound.face_deg[own, m]), 4),
            "voice_db_spl": _round(float(sound.own_db[m])),
            "voice_over_room_db": _round(float(sound.voice_over_room[m])),
            "voice_over_microphone_db": _round(float(sound.voice_over_mic[m])),
            "voice_over_reverberation_db": _round(float(sound.voice_over_reverberation[m])),
            "headroom_db": _round(float(sound.headroom_db[m])),
            "turns": [
                {"turn_deg": turn.turn_deg, "change_db": round(turn.change_db, 4), "towards": turn.towards or None}
                for turn in turns_of(Placed(analysis, sound, m))
            ],
        }
    following = sound.next_loudest(m)
    if following is not None and own >= 0:
        row["next_loudest"] = {
            "source": sound.sources[following[0]].id,
            "under_db": round(following[1], 4),
        }
    return row


def place_lines(analysis: Computed, place_id: str) -> list[str]:
    """The same in lines for people."""
    sound = analysis.sound(place_id)
    place = sound.place
    size = f"{place.size_m[0]:.1f} by {place.size_m[1]:.1f} m, " if place.size_m else ""
    lines = [
        f"{place.name}: {size}{liveliness_words(place)}, {show_number(place.ambient_dba, 'dBA')} of {place.noise.replace('-', ' ')}"
    ]
    if sound.mics:
        lines.append(
            f"  {'microphone':26}{'party':14}{'distance':>9}{'angle':>7}{'voice':>13}{'over room':>11}  next loudest"
        )
    for m, mic in enumerate(sound.mics):
        own = int(sound.own[m])
        if own < 0:
            lines.append(f"  {mic.name[:25]:26}{'nobody':14}")
            continue
        following = sound.next_loudest(m)
        bleed = f"{sound.sources[following[0]].name} {MINUS}{following[1]:.1f} dB" if following else "-"
        lines.append(
            f"  {mic.name[:25]:26}{sound.sources[own].name[:13]:14}"
            f"{show_number(float(sound.distance_m[own, m]), 'm'):>9}{show_number(float(sound.angle_deg[own, m]), '°'):>7}"
            f"{show_number(float(sound.own_db[m]), 'dB SPL'):>13}{show_number(float(sound.voice_over_room[m]), 'dB'):>11}  {bleed}"
        )
    if sound.unplaced:
        lines.append(f"  without a position: {', '.join(sound.unplaced)}")
    return lines


def advice_of(analysis: Computed, party_id: str) -> tuple[Advice, PlaceSound]:
    """The adviser on a party with its own microphone, or with the first kind there is when it has none.

    Raises:
        KeyError: there is no such party.
        ValueError: the party has no place or no position, or no voice of its own there.
    """
    party = analysis.show.party(party_id)
    if party.place is None or party.at_m is None:
        raise ValueError(f"{party_id} has no position in a place; give it place and at_m")
    sound = analysis.sound(party.place)
    voice = sound.source_index.get(party_id)
    if voice is None:
        raise ValueError(f"{party_id} has no voice in {sound.place.name}")
    mic = next((m for m in range(len(sound.mics)) if sound.own[m] == voice), None)
    kinds = list(analysis.catalogue)
    kind = sound.mics[mic].kind if mic is not None else None
    if kind is None or kind.microphone is None:
        kind = next(row for row in kinds if row.microphone is not None)
    shield = sound.mics[mic].device.shield if mic is not None else "none"
    return advise(sound, voice, kind, kinds, mic, shield), sound


def advice_json(advice: Advice, party_id: str, name: str) -> dict[str, Any]:
    """The adviser's answer as data."""
    return {
        "party": party_id,
        "kind": advice.kind.id,
        "wanted_db": advice.wanted_db,
        "now_db": None if advice.now_db is None else _round(advice.now_db),
        "reached": advice.reached,
        "sentence": advice.sentence(name),
        "ways": [
            {
                "way": way.name,
                "text": way.text,
                "reached_db": round(way.reached_db, 4),
                "enough": way.enough,
                "kind": way.choice.kind.id if way.choice else None,
            }
            for way in advice.ways
        ],
        "ranked": [
            {
                "kind": row.kind.id,
                "at_m": None if row.at is None else list(row.at),
                "distance_m": round(row.metres, 4),
                "voice_over_room_db": round(row.over_room_db, 4),
                "voice_over_all_db": round(row.over_all_db, 4),
                "headroom_db": _round(row.headroom_db),
                "reason": row.reason,
            }
            for row in advice.choices
        ],
    }
