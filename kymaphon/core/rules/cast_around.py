"""Rules about what surrounds a microphone: surfaces that reflect, wind, and others that are open without need."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from itertools import product

from kymaphon.core.acoustics.acoustic_path import wind_noise, wind_speed_m_s
from kymaphon.core.acoustics.cast import ENOUGH, PlaceSound, open_cost_db
from kymaphon.core.acoustics.mouth import mouth_gain_db
from kymaphon.core.acoustics.placements import has_face
from kymaphon.core.acoustics.room import Reflection, reflections
from kymaphon.core.acoustics.sound import angle_between_deg, comb, travel_ms
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.model.edits import SetField, SetValue
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Place
from kymaphon.core.placement.moves import Placed, fader_of, move, placed_in
from kymaphon.core.rules.record import rule


@rule("reflection-close", stage="Cast", reads=("layout", "takes", "sound"))
def reflection_close(analysis: Computed) -> Iterator[Finding]:
    """A surface so near that its reflection combs the voice."""
    for place in analysis.show.places:
        for row in placed_in(analysis, place.id):
            stand = row.sound.mics[row.mic]
            if stand.goes_along or stand.pickup.pattern == "boundary":
                continue
            found = [
                (under, way)
                for way in reflections(place, row.mouth, row.at)
                if (under := reflected_db(row, way)) < number(ENOUGH)
            ]
            if found:
                yield _reflection(row, *min(found, key=lambda item: item[0]))


def reflected_db(row: Placed, way: Reflection) -> float:
    """How far a reflection lies under the direct voice in a microphone, in dB."""
    stand, source = row.sound.mics[row.mic], row.sound.sources[row.voice]
    off = way.off_deg
    if off is None:
        off = angle_between_deg(row.at, stand.aim_deg, way.point) if stand.aim_deg is not None else 0.0
    direct = stand.pickup.gain_db(row.sound.angle_deg[row.voice, row.mic], row.metres)
    lost = float(direct - stand.pickup.gain_db(off, max(way.length_m, row.metres)))
    if source.faces_deg is not None and way.off_deg is None:
        leaves = angle_between_deg(source.at, source.faces_deg, way.point)
        lost += float(mouth_gain_db(row.sound.face_deg[row.voice, row.mic]) - mouth_gain_db(leaves))
    return lost - way.loss_db


def _apart_ms(way: Reflection) -> float:
    return travel_ms(way.length_m) - travel_ms(way.direct_m)


def _first_notch_hz(way: Reflection) -> float:
    return comb(0.0, max(_apart_ms(way), 1e-3), 1.0)[0]


def _by_heights(row: Placed, way: Reflection) -> list[Reflection]:
    """The way by a table top at the least and the most that mouth and microphone are taken to be above it; none by a wall."""
    if way.off_deg is None:
        return []
    ends = (figure("mouth-above-table").spread or (), figure("mic-above-table").spread or ())
    return [
        other
        for mouth_m, mic_m in product(*ends)
        for other in reflections(row.sound.place, row.mouth, row.at, above_m=(mouth_m, mic_m))
        if other.surface == way.surface
    ]


def _reflection(row: Placed, under: float, way: Reflection) -> Finding:
    apart = _apart_ms(way)
    notch, peak, dip = comb(0.0, max(apart, 1e-3), max(under, 0.0))
    others = _by_heights(row, way)

    def told(name: str, unit: str, figure_of: Callable[[Reflection], float]) -> Derived:
        rows = [figure_of(other) for other in (way, *others)]
        return Derived(name, rows[0], unit, spread=(min(rows), max(rows)) if others else None)

    lies = told("under", "dB", lambda other: reflected_db(row, other))
    begins = told("first notch", "Hz", _first_notch_hz)
    sure = (
        f" ({begins.spread[0]:.0f} to {begins.spread[1]:.0f} by the heights above the table, which are assumed)"
        if begins.spread
        else ""
    )
    text = (
        f"{row.party_name} reaches {row.name} a second time by {way.surface}, {apart:.2f} ms later and {lies.text().removeprefix('+')} under: "
        f"{show_number(peak, 'dB', sign=True)} to {show_number(dip, 'dB', sign=True)}, first notch at {notch:.0f} Hz{sure}."
    )
    remedies = []
    mic = row.sound.mics[row.mic].kind.microphone
    for metres in (row.metres * share for share in (0.75, 0.5, 0.33)):
        if mic is None or metres < mic.nearest_m:
            continue
        edits = (move(row.device, row.spot(metres)),)
        after = row.tried(*edits)
        if after is None or not after.keeps_clear():
            continue
        again = [reflected_db(after, other) for other in reflections(row.sound.place, after.mouth, after.at)]
        if min(again, default=math.inf) >= number(ENOUGH):
            remedies.append(
                Remedy(
                    "nearer",
                    f"Move {row.name} {show_number(row.metres - metres, 'm')} nearer",
                    f"the reflection is then {min(again, default=0.0):.1f} dB under.",
                    edits,
                )
            )
            break
    surface = next(
        (item for item in row.sound.place.surfaces if item.name == way.surface and item.finish == "hard"),
        None,
    )
    if surface is not None:
        rows = tuple(item.with_(finish="soft") if item.id == surface.id else item for item in row.sound.place.surfaces)
        covered = row.sound.place.with_(surfaces=rows)
        again = [reflected_db(row, other) for other in reflections(covered, row.mouth, row.at)]
        if min(again, default=math.inf) >= number(ENOUGH):
            softer = number("hard-reflection") - number("soft-reflection")
            remedies.append(
                Remedy(
                    "cover",
                    f"Cover {surface.name} with cloth",
                    f"about {softer:.1f} dB less comes back at the frequencies of speech.",
                    (SetField("places", row.sound.place.id, "surfaces", rows),),
                )
            )
    why = Derived(
        "reflection against the direct voice",
        -under,
        "dB",
        "distance, surface, pattern and face",
        (
            Derived("straight", way.direct_m, "m"),
            Derived(f"by {way.surface}", way.length_m, "m"),
            Derived("by distance and surface", way.loss_db, "dB", "image method"),
        ),
        "image method; heights above a table assumed" if others else "image method",
        spread=(-lies.spread[1], -lies.spread[0]) if lies.spread else None,
    )
    figures = (
        lies,
        told("apart", "ms", _apart_ms),
        begins,
        Derived("peak", peak, "dB"),
        Derived("dip", dip, "dB"),
    )
    return Finding(
        "reflection-close",
        "fix",
        "Cast",
        (row.party, row.device),
        f"Comb filtering: {way.surface} reflects into {row.name}",
        text,
        figures,
        why,
        tuple(remedies),
    )


@rule("wind-unshielded", "wind-unknown", stage="Cast", reads=("layout", "takes", "sound"))
def wind_unshielded(analysis: Computed) -> Iterator[Finding]:
    """A microphone in the wind without a shield, and the wind nearly as loud in it as the voice."""
    for place in analysis.show.places:
        sound = analysis.sound(place.id)
        if wind_speed_m_s(place) <= 0:
            if place.outdoors and place.wind_m_s is None:
                yield from _wind_unknown(place, sound)
            continue
        for m, stand in enumerate(sound.mics):
            if stand.device.shield != "none":
                continue
            wind = wind_noise(place, stand)
            v = int(sound.own[m])
            own = float(sound.own_db[m]) + (sound.sources[v].weighting.value if v >= 0 else 0.0)
            over = (own if not math.isnan(own) else 0.0) - (wind.value if wind else 0.0)
            if wind is None or (not math.isnan(own) and over >= number("wanted-snr")):
                continue
            fur, foam = number("shield-fur"), number("shield-foam")
            against = (
                ""
                if math.isnan(own)
                else f"; {stand.own.name if stand.own else ''} is {show_number(over, 'dB')} over it"
            )
            assumed = "" if place.wind_m_s is not None else " (assumed)"
            text = (
                f"{stand.name} has no shield in a wind of {round(wind_speed_m_s(place), 1):g} m/s{assumed}: it makes "
                f"{wind.text()} in it{against}. Foam takes off {foam:.0f} dB, fur {fur:.0f}."
            )
            names = ("fur", "foam") if math.isnan(own) or over + foam < number("wanted-snr") else ("foam", "fur")
            remedies = tuple(
                Remedy(
                    f"shield-{name}",
                    f"Put {'fur over a basket' if name == 'fur' else 'a foam shield'} on {stand.name}",
                    f"{number(f'shield-{name}'):.0f} dB less wind.",
                    (SetField("devices", stand.device.id, "shield", name),),
                )
                for name in names
            )
            figures = (Derived("wind", wind.value, "dBA", spread=wind.span()),) + (
                () if math.isnan(own) else (Derived("voice over wind", over, "dB"),)
            )
            yield Finding(
                "wind-unshielded",
                "fix",
                "Cast",
                (stand.device.id,),
                f"{stand.name} stands bare in the wind",
                text,
                figures,
                wind,
                remedies,
            )


def _wind_unknown(place: Place, sound: PlaceSound) -> Iterator[Finding]:
    """Out of doors, and nobody has said how the wind is: what it would do at the usual speed, as a note."""
    bare = [stand for stand in sound.mics if stand.device.shield == "none"]
    usual = number("wind-speed")
    would = [wind_noise(place.with_(wind_m_s=usual), stand) for stand in bare]
    known = [row for row in would if row is not None]
    if not known:
        return
    worst = max(known, key=lambda row: row.value)
    names = ", ".join(stand.name for stand in bare)
    text = (
        f"{place.name} is out of doors and its wind is not given: at {usual:.0f} m/s it would make up to "
        f"{worst.text()} in {names}, without a shield. Say how the wind is, or put shields on."
    )
    edits = tuple(SetField("devices", stand.device.id, "shield", "foam") for stand in bare)
    remedies = (
        Remedy(
            "shields",
            f"Put foam shields on {names}",
            f"{number('shield-foam'):.0f} dB less wind, if there is any.",
            edits,
        ),
        Remedy(
            "calm",
            f"It is calm at {place.name}",
            "no wind is counted with; undo if it comes up.",
            (SetField("places", place.id, "wind_m_s", 0.0),),
        ),
    )
    yield Finding(
        "wind-unknown",
        "note",
        "Cast",
        (place.id, *(stand.device.id for stand in bare)),
        f"Wind at {place.name} is not given",
        text,
        (Derived("wind", worst.value, "dBA", spread=worst.span()),),
        worst,
        remedies,
    )


@rule("open-microphones", stage="Cast", reads=("levels",))
def open_microphones(analysis: Computed) -> Iterator[Finding]:
    """More microphones open in a place than there is to hear: each doubling costs 3 dB."""
    for place in analysis.show.places:
        sound = analysis.sound(place.id)
        opened = [m for m in range(len(sound.mics)) if sound.is_open(m)]
        best: dict[int, int] = {}
        for m in opened:
            v = int(sound.own[m])
            if v >= 0 and (v not in best or sound.voice_over_room[m] > sound.voice_over_room[best[v]]):
                best[v] = m
        spare = [m for m in opened if m not in best.values()]
        needed = max(len(opened) - len(spare), 1)
        cost = open_cost_db(len(opened)) - open_cost_db(needed)
        if not spare or cost < number("nom-tolerance"):
            continue
        names = ", ".join(sound.mics[m].name for m in spare)
        # Two on an instrument or a crowd may well be meant as a pair.
        paired = all((own := sound.mics[m].own) is not None and not has_face(own) for m in spare)
        text = (
            f"{len(opened)} microphones are open in {place.name} and {needed} would do ({names} not needed): "
            f"{cost:.1f} dB less margin before feedback, and as much more room noise."
        )
        why = Derived(
            "cost of the open microphones",
            cost,
            "dB",
            f"10 lg({len(opened)} / {needed})",
            (Derived("open", len(opened), ""), Derived("needed", needed, "")),
            "10 lg NOM: Davis & Patronis, Sound System Engineering",
        )
        edits = tuple(edit for m in spare if (edit := _mute(analysis, sound.mics[m].device.id)) is not None)
        remedies = (
            (Remedy("mute", f"Mute {names}", f"{needed} open: {cost:.1f} dB regained.", edits),)
            if len(edits) == len(spare)
            else ()
        )
        yield Finding(
            "open-microphones",
            "note" if paired else "fix",
            "Cast",
            (place.id, *(sound.mics[m].device.id for m in spare)),
            f"{len(spare)} microphone{'s' if len(spare) > 1 else ''} too many open in {place.name}",
            text,
            (Derived("open", len(opened), ""), Derived("needed", needed, ""), Derived("cost", cost, "dB")),
            why,
            remedies,
        )


def _mute(analysis: Computed, device: str) -> SetValue | None:
    """The mute of the channel behind a microphone, or its fader all down."""
    knob = fader_of(analysis, device)
    if knob is None:
        return None
    for edge in analysis.graph.edges:
        for switch in edge.switches:
            if switch.ref == SettingRef(knob.ref.device, knob.ref.key, "mute"):
                return SetValue(switch.ref, True)
    return SetValue(knob.ref, knob.lowest) if knob.ref.field == "fader_db" else None
