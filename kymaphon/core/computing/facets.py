"""Facets of a show: which parts of it, and of what is computed of it, an edit has changed. What reads none of these need not be asked anew."""

from __future__ import annotations

from typing import Literal

from kymaphon.core.model.show import Device, Setting, Show

Facet = Literal["layout", "wiring", "switches", "gains", "takes", "wants", "programme", "sound", "levels", "feeds"]
"""Parts of a show:

- `layout`: who and what is where: places, parties, devices but for their settings, own kinds, practice, marks, clocks
- `wiring`: the cables
- `gains`: gains and faders of the devices' settings; `switches`: the rest of those
- `takes`: recordings and what was measured of them
- `wants`: who should hear whom, and who talks to whom beside the programme
- `programme`: the title, tracks, what is recorded and streamed, the rundown, lines out, crew, tasks, the log

and what is computed of them:

- `sound`: how loud the loudspeakers are, and which microphones are shut: what the acoustics of a place take from the rig
- `levels`: the graph and everything solved of it
- `feeds`: how each voice comes to each listener, against what was wanted
"""

_PARTS: dict[str, Facet] = {
    "cables": "wiring",
    "takes": "takes",
    "wants": "wants",
    "circuits": "wants",
    **dict.fromkeys(
        (
            "title",
            "subtitle",
            "air_at",
            "time_zone",
            "tracks",
            "recording",
            "streaming",
            "rundown",
            "tasks",
            "log",
            "lines",
            "crew",
            "fixed_channels",
        ),
        "programme",
    ),
}
"""Field of a show -> its facet; every other one is layout, and the devices' settings are told apart by device."""
_SHAPE = tuple(name for name in Device.model_fields if name != "settings")
_SWITCHES = tuple(name for name in Setting.model_fields if name not in ("gain_db", "fader_db"))
_OF_LEVELS = frozenset(("layout", "wiring", "switches", "gains", "takes"))
ALL: frozenset[Facet] = frozenset(Facet.__args__)  # type: ignore[attr-defined]


def changed(before: Show, after: Show) -> frozenset[Facet]:
    """The facets in which two states of a show differ. What is the same object is not looked into.

    Those that are computed count as changed where anything has that they are computed from.
    """
    out = _parts_changed(before, after)
    if out & _OF_LEVELS:
        out |= {"levels", "sound"}
    if out & {"levels", "wants"}:
        out.add("feeds")
    return frozenset(out)


def facet_of(name: str) -> Facet:
    """The facet of a field of a show; of its devices, without their settings."""
    return _PARTS.get(name, "layout")


def _parts_changed(before: Show, after: Show) -> set[Facet]:
    out: set[Facet] = set()
    for name in Show.model_fields:
        facet = facet_of(name)
        if facet not in out and name != "devices" and _differ(getattr(before, name), getattr(after, name)):
            out.add(facet)
    if before.devices is not after.devices:
        out |= _devices_changed(before.devices, after.devices)
    return out


def _devices_changed(before: tuple[Device, ...], after: tuple[Device, ...]) -> set[Facet]:
    if len(before) != len(after):
        return {"layout", "switches", "gains"}
    out: set[Facet] = set()
    for a, b in zip(before, after, strict=True):
        if a is b:
            continue
        if any(_differ(getattr(a, name), getattr(b, name)) for name in _SHAPE):
            out.add("layout")
        if a.settings is not b.settings:
            out |= _settings_changed(a.settings, b.settings)
    return out


def _settings_changed(before: dict[str, Setting], after: dict[str, Setting]) -> set[Facet]:
    out: set[Facet] = set()
    for key in {**before, **after}:
        a, b = before.get(key), after.get(key)
        if a is b:
            continue
        a, b = a or Setting(), b or Setting()
        if a.gain_db != b.gain_db or a.fader_db != b.fader_db:
            out.add("gains")
        if any(getattr(a, name) != getattr(b, name) for name in _SWITCHES):
            out.add("switches")
    return out


def _differ(a: object, b: object) -> bool:
    return a is not b and a != b
