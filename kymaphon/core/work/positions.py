"""Positions at an event: the commentator's voice out of the crowd, an effects microphone at the action, and what a commentary position needs."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from kymaphon.core.acoustics.cast import PlaceSound
from kymaphon.core.acoustics.placements import facing_deg
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, total
from kymaphon.core.figures import data_table
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.show import Device, Party
from kymaphon.core.talk.hearing import hearing_of
from kymaphon.core.talk.keys import key_words
from kymaphon.core.talk.proofs import air_proof


@dataclass(frozen=True, slots=True)
class Separation:
    """A voice in its own microphone against everything else in it, at a distance.

    Attributes:
        name: where that is: as it stands, at the lip, a hand and a half, arm's length.
        over_noise: over the noise of the place, both A-weighted.
        over_crowd: over the loudest crowd, or other source where there is no crowd, named by `crowd`; None where there is none.
        over: over noise and all other sources together.
    """

    name: str
    metres: float
    over_noise: Derived
    over_crowd: Derived | None
    crowd: str
    over: Derived


@dataclass(frozen=True, slots=True)
class Effect:
    """An effects microphone at the action.

    Attributes:
        event: level of the event there, as it is stated for it.
        crowd, noise: what else is there.
        over: the event over both together.
        headroom: from the event's highest peak to the microphone's maximum; None where that is not stated.
    """

    device: str
    party: str
    metres: float
    event: Derived
    others: tuple[Derived, ...]
    over: Derived
    headroom: Derived | None


@dataclass(frozen=True, slots=True)
class Need:
    """Something that a commentary position needs.

    Attributes:
        state: "yes" and "no" as the show tells, "ask" where only somebody there can say.
        task: id of the task that ticks it, where it has to be asked.
    """

    id: str
    text: str
    state: Literal["yes", "no", "ask"]
    evidence: str
    task: str = ""


def distances() -> tuple[tuple[str, float], ...]:
    """The distances that are held against each other, by name."""
    return tuple((row["name"], float(row["metres"])) for row in data_table("work")["distances"])


def microphone_of(analysis: Computed, party: Party) -> Device | None:
    """A party's own microphone that is placed; None where it has none."""
    sound = analysis.sound(party.place) if party.place is not None else None
    rows = sound.mics if sound is not None else ()
    return next(
        (row.device for row in rows if row.own is not None and row.own.id == party.id and row.worn is None), None
    )


def separations(analysis: Computed, party: Party) -> tuple[Separation, ...]:
    """A voice against crowd and noise in its own microphone as it stands, and moved along the same line to other distances.

    Nothing where it has no microphone of its own that is placed.
    """
    device = microphone_of(analysis, party)
    if device is None or party.at_m is None or device.at_m is None or party.place is None:
        return ()
    out = [_separation(analysis.sound(party.place), device.id, "as it stands")]
    ahead = math.atan2(device.at_m[1] - party.at_m[1], device.at_m[0] - party.at_m[0])
    if math.dist(device.at_m, party.at_m) < 1e-6:
        ahead = math.radians(facing_deg(analysis.show, party) or 0.0)
    for name, metres in distances():
        at = (party.at_m[0] + metres * math.cos(ahead), party.at_m[1] + metres * math.sin(ahead))
        show = SetField("devices", device.id, "at_m", at).apply(analysis.show)
        out.append(_separation(analysis.sketch(show, party.place), device.id, name))
    return tuple(out)


def _separation(sound: PlaceSound, device: str, name: str) -> Separation:
    m = sound.mic_index[device]
    own = int(sound.own[m])
    mine = Derived(
        "voice in the microphone", float(sound.direct_db[own, m] + sound.weighting_db[own]), "dBA", source="placing"
    )
    noise = Derived(
        "noise of the place in it", float(sound.ambient_db[m]), "dBA", source="place, as this microphone hears it"
    )
    over_noise = total("voice over noise", "dB", (mine, Derived("less the noise", -noise.value, "dB")))
    levels = {v: float(sound.level_db[v, m] + sound.weighting_db[v]) for v in range(len(sound.sources)) if v != own}
    crowds = [v for v in levels if (party := sound.sources[v].party) is not None and party.kind == "crowd"]
    loudest = max(crowds or levels, key=lambda v: levels[v], default=None)
    over_crowd, crowd = None, ""
    if loudest is not None:
        crowd = sound.sources[loudest].name
        over_crowd = total(f"voice over {crowd}", "dB", (mine, Derived(f"less {crowd}", -levels[loudest], "dB")))
    rest = 10 * math.log10(10 ** (noise.value / 10) + sum(10 ** (level / 10) for level in levels.values()))
    others = tuple(Derived(sound.sources[v].name, level, "dBA", source="placing") for v, level in levels.items())
    both = Derived("noise and all others together", rest, "dBA", "10 lg of the sum of powers", (noise, *others))
    over = total("voice over all of it", "dB", (mine, Derived("less all of it", -both.value, "dB", terms=(both,))))
    return Separation(name, float(sound.distance_m[own, m]), over_noise, over_crowd, crowd, over)


def effects_of(analysis: Computed) -> tuple[Effect, ...]:
    """Every placed microphone of an effect, in the order of the show."""
    out = []
    for place in analysis.show.places:
        sound = analysis.sound(place.id)
        for m, mic in enumerate(sound.mics):
            if mic.own is not None and mic.own.kind == "effect" and sound.own[m] >= 0:
                out.append(_effect(sound, m))
    return tuple(out)


def _effect(sound: PlaceSound, m: int) -> Effect:
    mic, own = sound.mics[m], int(sound.own[m])
    source = sound.sources[own]
    metres = float(sound.distance_m[own, m])
    event = Derived(
        f"{source.name} at {metres:.2f} m",
        float(sound.direct_db[own, m] + sound.weighting_db[own]),
        "dBA",
        terms=(source.level,),
        source="stated at 1 m, by the distance law and the microphone's pattern",
    )
    others = [Derived(f"noise of {sound.place.name}", float(sound.ambient_db[m]), "dBA", source="place")]
    for v, row in enumerate(sound.sources):
        if v != own:
            others.append(
                Derived(row.name, float(sound.level_db[v, m] + sound.weighting_db[v]), "dBA", source="placing")
            )
    rest = 10 * math.log10(sum(10 ** (row.value / 10) for row in others))
    over = total(
        f"{source.name} over the rest",
        "dB",
        (event, Derived("less the rest together", -rest, "dB", terms=tuple(others))),
    )
    headroom = None
    if np.isfinite(sound.most_db[m]):
        value = float(sound.headroom_db[m])
        headroom = Derived("headroom to the microphone's maximum", value, "dB", source="device data, crest of effects")
    party = mic.own.id if mic.own is not None else ""
    return Effect(mic.device.id, party, metres, event, tuple(others), over, headroom)


def position_needs(analysis: Computed, party: Party) -> tuple[Need, ...]:
    """What a commentary position needs, told from the show where it can be: headset with programme and talkback, reply key that never
    reaches air, power; and what only somebody there can say: sight, monitor, light.
    """
    show = analysis.show
    done = {row.id for row in show.tasks if row.done}
    out = []
    for row in data_table("work")["position"]:
        task = f"position-{party.id}-{row['id']}"
        ticked = task in done
        out.append(
            Need(
                row["id"],
                row["text"],
                "yes" if ticked else "ask",
                "ticked" if ticked else "to be said by somebody there",
                task,
            )
        )
    out.append(_headset(analysis, party))
    out.append(_reply(analysis, party))
    devices = [row for row in show.devices if row.place == party.place]
    mains = [
        row
        for row in devices
        if (power := analysis.catalogue[row.kind].power) is not None and (row.power or power.by[0]).startswith("mains")
    ]
    names = ", ".join(analysis.device_name(row.id) for row in mains[:3])
    out.append(
        Need(
            "power",
            "Power",
            "yes",
            f"{names} on mains there: by somebody competent" if mains else "nothing there wants mains",
        )
    )
    return tuple(out)


def _headset(analysis: Computed, party: Party) -> Need:
    hearing = analysis.once(hearing_of)
    talk = [row for (_, _, who), row in hearing.rows.items() if who == party.id and row.usable]
    programme = any(
        feed.path is not None and feed.voice != party.id and analysis.show.party(feed.voice).kind != "crew"
        for feed in analysis.feeds.values()
        if feed.listener == party.id
    ) or any(feed.listener == feed.voice == party.id and feed.path is not None for feed in analysis.feeds.values())
    if party.hears_on is None:
        return Need("headset", "Headset", "no", "nothing to listen on")
    words = [word for word, there in (("programme", programme), ("talkback", bool(talk))) if there]
    return Need("headset", "Headset", "yes" if len(words) == 2 else "no", f"hears {' and '.join(words) or 'nothing'}")


def _reply(analysis: Computed, party: Party) -> Need:
    hearing = analysis.once(hearing_of)
    for circuit in analysis.show.circuits:
        member = circuit.member(party.id)
        if member is None or not member.speaks or not member.key:
            continue
        proof = air_proof(analysis, circuit, party.id)
        heard = any(row.usable for row in hearing.from_(circuit.id, party.id))
        words = key_words(analysis, member.key)
        if proof.proven and heard:
            return Need(
                "reply", "Reply key", "yes", f"{words}: never to air, in every position of {proof.keys} other keys"
            )
        return Need("reply", "Reply key", "no", f"{words}: {'nobody hears it' if not heard else 'it can get to air'}")
    return Need("reply", "Reply key", "no", "on no circuit with a key")
