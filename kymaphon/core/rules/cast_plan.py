"""Rules about the plan itself: two things at one spot, things outside, levels nobody has."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kymaphon.core.acoustics.cast import is_loudspeaker, microphones
from kymaphon.core.acoustics.placements import facing_deg
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.model.base import Point
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.placement.moves import Placed, along, held_inside, inside, move, placed_in, rounded
from kymaphon.core.rules.record import rule


@rule("same-spot", stage="Cast", reads=("layout", "takes", "sound"))
def same_spot(analysis: Computed) -> Iterator[Finding]:
    """Positions that coincide: no distance can be told, so the nearest that is computed stands in."""
    least = number("nearest-distance")
    for place in analysis.show.places:
        rows: list[tuple[str, str, Point]] = [
            (party.id, party.name, party.at_m)
            for party in analysis.show.parties
            if party.place == place.id and party.at_m is not None
        ]
        for device in analysis.show.devices:
            kind = analysis.catalogue[device.kind]
            hears = any(port.domain == "acoustic" for port in kind.inputs) and not (
                kind.microphone and kind.microphone.worn
            )
            if device.place == place.id and device.at_m is not None and (hears or is_loudspeaker(kind)):
                rows.append((device.id, device.name or device.id, device.at_m))
        owners = {row.device: row for row in placed_in(analysis, place.id)}
        for i, (one, name, at) in enumerate(rows):
            for other, other_name, to in rows[i + 1 :]:
                if math.dist(at, to) >= least:
                    continue
                text = (
                    f"{name} and {other_name} stand at one spot in {place.name}; {show_number(least, 'm')} is computed "
                    "with instead, the nearest there is."
                )
                yield Finding(
                    "same-spot",
                    "fix",
                    "Cast",
                    (one, other),
                    f"{name} and {other_name} at one spot",
                    text,
                    (Derived("distance", math.dist(at, to), "m"),),
                    None,
                    _apart(owners.get(other), one),
                )


def _apart(row: Placed | None, other: str) -> tuple[Remedy, ...]:
    if row is None or row.party != other:
        return ()
    mic = row.sound.mics[row.mic].kind.microphone
    metres = max(number("speaking-distance"), mic.nearest_m) if mic else number("speaking-distance")
    spot = row.spot(metres)
    if not inside(row.sound.place, spot):
        spot = row.spot(metres, row.direction() + 180)
    label = f"Put {row.name} {show_number(metres, 'm')} before {row.party_name}"
    return (Remedy("apart", label, "the usual speaking distance of this microphone.", (move(row.device, spot),)),)


@rule("other-place", stage="Cast", reads=("layout",))
def other_place(analysis: Computed) -> Iterator[Finding]:
    """A microphone in one place and its party in another: it cannot hear them."""
    names = {place.id: place.name for place in analysis.show.places}
    parties = {party.id: party for party in analysis.show.parties}
    for stand in microphones(analysis.show, analysis.catalogue):
        party = parties.get(stand.device.party or "")
        if party is None or party.place is None or stand.device.place is None or party.place == stand.device.place:
            continue
        there, here = names[party.place], names[stand.device.place]
        text = f"{stand.name} is {party.name}'s and stands in {here}, while {party.name} is in {there}: it does not hear them."
        spot = None
        if party.at_m is not None and stand.worn is None:
            faces = facing_deg(analysis.show, party) or 0.0
            mic = stand.kind.microphone
            metres = max(number("speaking-distance"), mic.nearest_m) if mic else number("speaking-distance")
            place = analysis.show.place(party.place)
            spot = rounded(held_inside(place, along(party.at_m, faces, metres)))
        edits = (
            SetField("devices", stand.device.id, "place", party.place),
            SetField("devices", stand.device.id, "at_m", spot),
            SetField("devices", stand.device.id, "aim_deg", None),
        )
        take = Remedy("bring", f"Bring {stand.name} to {there}", f"it then stands before {party.name}.", edits)
        free = Remedy(
            "free",
            f"{stand.name} is not {party.name}'s",
            "it is nobody's, until its details say whose.",
            (SetField("devices", stand.device.id, "party", None),),
        )
        yield Finding(
            "other-place",
            "fix",
            "Cast",
            (party.id, stand.device.id),
            f"{stand.name} is not where {party.name} is",
            text,
            (),
            None,
            (take, free),
        )


@rule("outside-place", stage="Cast", reads=("layout",))
def outside_place(analysis: Computed) -> Iterator[Finding]:
    """Positions outside the place that they are said to be in."""
    places = {place.id: place for place in analysis.show.places}
    for table, rows in (("parties", analysis.show.parties), ("devices", analysis.show.devices)):
        for row in rows:
            place = places.get(row.place or "")
            if place is None or place.size_m is None or row.at_m is None or inside(place, row.at_m):
                continue
            to = rounded(held_inside(place, row.at_m))
            name = row.name or row.id
            text = (
                f"{name} stands at {row.at_m[0]:.2f}, {row.at_m[1]:.2f} m and {place.name} is "
                f"{place.size_m[0]:.1f} by {place.size_m[1]:.1f} m: outside it."
            )
            remedy = Remedy(
                "inside",
                f"Put {name} at {to[0]:.2f}, {to[1]:.2f} m",
                f"the nearest spot in {place.name}.",
                (SetField(table, row.id, "at_m", to),),
            )
            yield Finding(
                "outside-place",
                "fix",
                "Cast",
                (row.id,),
                f"{name} is outside {place.name}",
                text,
                (Derived("outside by", math.dist(row.at_m, to), "m"),),
                None,
                (remedy,),
            )


@rule("absurd-level", stage="Cast", reads=("layout",))
def absurd_level(analysis: Computed) -> Iterator[Finding]:
    """Levels that nobody has: computed with as given, and doubted."""
    loudest = figure("loudest-voice")
    for party in analysis.show.parties:
        level = party.level_db_spl_1m
        if level is None or number("quietest-voice") <= level <= loudest.value:
            continue
        what = "louder than a brass section" if level > loudest.value else "quieter than a whisper"
        text = (
            f"{party.name} is given {show_number(level, 'dB SPL')} at 1 m: {what}. Measured at the mouth, or with another "
            "weighting? It is computed with as it stands."
        )
        remedy = Remedy(
            "usual",
            f"Use the usual level of {party.name}",
            "the measured figure is taken out; undo brings it back.",
            (SetField("parties", party.id, "level_db_spl_1m", None),),
        )
        yield Finding(
            "absurd-level",
            "note",
            "Cast",
            (party.id,),
            f"{party.name} at {show_number(level, 'dB SPL')}",
            text,
            (Derived("level", level, "dB SPL"), Derived("limit", loudest.value, "dB SPL")),
            None,
            (remedy,),
        )
    for place in analysis.show.places:
        limit = number("loudest-place")
        if place.ambient_dba > limit:
            text = (
                f"{place.name} is given {show_number(place.ambient_dba, 'dBA')} of ambient noise, above {limit:.0f}: nobody "
                "works there without ear protection. It is computed with as it stands."
            )
            yield Finding(
                "absurd-level",
                "note",
                "Cast",
                (place.id,),
                f"{place.name} at {show_number(place.ambient_dba, 'dBA')}",
                text,
                (Derived("ambient", place.ambient_dba, "dBA"),),
            )
