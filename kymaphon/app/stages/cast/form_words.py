"""What Cast's forms offer, and what their values come to in words: roles, rooms, ways in from far away."""

from __future__ import annotations

from typing import Any

from kymaphon.app.widgets.form import Field
from kymaphon.core.acoustics.room import critical_distance_m, reverberation_time_s
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.edits import AddRow, Edit, Plug, SetValue, apply_all
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Device, Party, Place, Show
from kymaphon.core.model.wants import ROLE_WORDS

KINDS = (
    ("presenter", "presenter"),
    ("guest", "guest"),
    ("remote", "remote guest"),
    ("instrument", "instrument or singers"),
    ("crowd", "crowd"),
    ("effect", "effect"),
    ("player", "player"),
    ("audience", "audience"),
    ("recorder", "recorder"),
    ("crew", "crew"),
)
EFFORTS = (
    ("quiet", "quiet, 54 dB SPL"),
    ("normal", "normal, 60"),
    ("raised", "raised, 66"),
    ("loud", "loud, 72"),
    ("shouted", "shouted, 81"),
)
NOISES = (
    ("room-tone", "room tone"),
    ("fan", "fan"),
    ("traffic", "traffic"),
    ("crowd", "crowd"),
    ("music", "music on loudspeakers"),
    ("wind", "wind"),
)
LIVELINESS = (
    ("dead", "dead, a booth"),
    ("treated", "treated"),
    ("ordinary", "ordinary, furnished"),
    ("live", "live, stone and glass"),
)
LINKS = (("call", "call, in the computer"), ("telephone", "telephone"), ("codec", "programme codec"))
LINK_WORDS = {
    "call": "A conference app in the computer, their laptop with a microphone and earphones at the other end.",
    "telephone": "Their telephone at the other end; here the computer where it has a mixer program, else a box on the desk.",
    "codec": "A codec on the desk: a line channel in, a send back, their handset at the other end.",
}
SHIELDS = (("none", "none"), ("foam", "foam"), ("fur", "fur over a basket"))


def played(party: Party | None) -> tuple[Field, ...]:
    """The measured level of somebody or something that begins at a socket instead of a mouth."""
    if party is None or not party.plays_on:
        return ()
    tip = "Average level where it begins. Left empty: from a take of it, else the nominal level of the socket."
    return (
        Field(
            "level_dbu",
            "Plays at (dBu, analogue)",
            "number",
            party.level_dbu,
            empty="nominal level of its socket",
            tip=tip,
        ),
        Field("level_dbfs", "Plays at (dBFS, digital)", "number", party.level_dbfs, empty="on the mark", tip=tip),
    )


FACED = ("presenter", "guest", "remote", "crew")
NOWHERE = ("audience", "recorder", "player")
"""Roles that stand nowhere on a plan as a rule."""


def somewhere(values: dict[str, Any]) -> bool:
    return values["kind"] not in ("recorder", "player") or values["place"] is not None


def indoors(values: dict[str, Any]) -> bool:
    return not values["outdoors"]


def standing(values: dict[str, Any]) -> bool:
    return somewhere(values) and values["place"] is not None


def of_role(kind: str, place_id: str | None) -> dict[str, Any]:
    """What goes without saying of a role: who speaks, who hears, and who stands on the plan that is open."""
    out: dict[str, Any] = {
        "speaks": kind not in ("audience", "recorder"),
        "listens": kind in ("presenter", "guest", "remote", "audience", "recorder", "crew"),
    }
    if kind in (*NOWHERE, "remote"):
        out |= {"place": None, "at_m": None}
    else:
        out["place"] = place_id
    return out


def role_words(values: dict[str, Any]) -> str:
    """What somebody of a role is heard by and hears, as it goes by the roles."""
    hears = ROLE_WORDS.get(str(values["kind"]), "")
    rows = []
    if values["listens"] and hears:
        rows.append(f"Hears by the role: {hears}.")
    if values["kind"] == "remote":
        rows.append("A call or codec to them: Cast, Add, A guest far away.")
    return " ".join(rows)


def room_words(values: dict[str, Any]) -> str:
    """How a room sounds: where a voice and its reverberation are equally loud."""
    place = Place.model_validate({**values, "id": "room", "name": values["name"] or "room"})
    distance = critical_distance_m(place)
    if distance is None:
        return "Out of doors: nothing comes back but what stands on the plan." if place.outdoors else ""
    time = reverberation_time_s(place)
    after = f", reverberation time {time:.1f} s" if time is not None else ""
    return f"Critical distance {distance:.1f} m{after}: a microphone further from a mouth hears more room than voice."


def plugged_words(show: Show, catalogue: Catalogue, edits: tuple[Edit, ...]) -> str:
    """Where the leads of something new go, and what goes on for it; what stays without one."""
    after = apply_all(show, edits)
    known = catalogue.with_kinds(*after.kinds)
    new = {row.row.id: row.row for row in edits if isinstance(row, AddRow) and isinstance(row.row, Device)}
    rows = []
    for edit in edits:
        if not isinstance(edit, Plug):
            continue
        cable = edit.cable
        ends = [end_of(after, known, ref) for ref in (cable.source, cable.target)]
        there = next((end for end, ref in zip(ends, cable.ends, strict=True) if ref.split(".")[0] not in new), None)
        mine = next((new[ref.split(".")[0]] for ref in cable.ends if ref.split(".")[0] in new), None)
        if there is not None and mine is not None:
            rows.append(f"{known[mine.kind].name} {'into' if cable.target == there.ref else 'on'} {there.name}")
    phantom = any(isinstance(row, SetValue) and row.ref.field == "phantom" and row.value for row in edits)
    plugged = {ref.split(".")[0] for row in edits if isinstance(row, Plug) for ref in row.cable.ends}
    loose = [known[row.kind].name for row in new.values() if row.id not in plugged]
    words = "; ".join(rows) + (", phantom power on" if phantom else "")
    if loose:
        words += f"{'; ' if rows else ''}{' and '.join(loose)}: not plugged, nothing is free for it"
    return f"{words[:1].upper()}{words[1:]}." if words else ""
