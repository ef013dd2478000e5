"""What differs between two states of one show, in plain sentences: what somebody else saved, against what is open here."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from kymaphon.core.derive import show_number
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import Device, Show

FIELD_WORDS = {
    "gain_db": "gain",
    "fader_db": "fader",
    "hi_z": "instrument switch",
    "on": "switch",
    "tap": "tap",
    "samples": "buffer",
    "at_m": "position",
    "aim_deg": "aim",
    "faces_deg": "direction",
    "length_m": "length",
    "ambient_dba": "room noise",
    "air_at": "time on air",
    "chain": "processing",
    "hears_on": "what they listen on",
    "plays_on": "what it plays on",
    "size_m": "size",
    "level_db_spl_1m": "level",
}
TABLES = {
    "places": ("place", "places"),
    "parties": ("party", "parties"),
    "devices": ("device", "devices"),
    "cables": ("cable", "cables"),
    "wants": ("want", "wants"),
    "tracks": ("track", "tracks"),
    "takes": ("take", "takes"),
    "tasks": ("task", "tasks"),
    "log": ("log entry", "log"),
    "kinds": ("kind", "kinds"),
    "practices": ("practice", "practices"),
    "marks": ("mark", "marks"),
    "circuits": ("circuit", "circuits"),
    "lines": ("line", "lines"),
    "crew": ("crew member", "crew"),
    "rundown": ("segment", "rundown"),
}


def changes(here: Show, there: Show, catalogue: Catalogue) -> tuple[str, ...]:
    """Sentences on what is otherwise in one state than in the other; none where they are the same.

    Args:
        here: as it is open; `there`: as it was found on disk.
    """
    return tuple(_all(here, there, catalogue.with_kinds(*there.kinds).with_kinds(*here.kinds)))


def _all(here: Show, there: Show, kinds: Catalogue) -> Iterator[str]:
    for name in type(here).model_fields:
        mine, theirs = getattr(here, name), getattr(there, name)
        if mine == theirs:
            continue
        if name == "log":
            yield from _log(mine, theirs)
        elif name == "devices":
            yield from _devices(here, there, kinds)
        elif name in TABLES:
            yield from _table(here, there, name, kinds)
        else:
            yield f"{_capital(_word(name))}: {_said(theirs)} there, {_said(mine)} here."


def _log(mine: tuple[Any, ...], theirs: tuple[Any, ...]) -> Iterator[str]:
    """A log is told by how much of it is elsewhere: its rows are many, and long."""
    for rows, others, where, not_ in ((theirs, mine, "there", "here"), (mine, theirs, "here", "there")):
        known = {(row.at, row.text) for row in others}
        more = [row for row in rows if (row.at, row.text) not in known]
        if more:
            last = " ".join(more[-1].text.split())[:60]
            rows_are = "row of the log is" if len(more) == 1 else "rows of the log are"
            yield f"{len(more)} {rows_are} {where} and not {not_}, the last: {last}."


def _table(here: Show, there: Show, name: str, kinds: Catalogue) -> Iterator[str]:
    one = TABLES[name][0]
    mine, theirs = ({_key(row): row for row in getattr(show, name)} for show in (here, there))
    for key in dict.fromkeys([*theirs, *mine]):
        if key not in mine:
            yield f"{_told(one, _named(there, theirs[key], kinds))} is there and not here."
        elif key not in theirs:
            yield f"{_told(one, _named(here, mine[key], kinds))} is here and not there."
        elif mine[key] != theirs[key]:
            who = _named(here, mine[key], kinds)
            for field in type(mine[key]).model_fields:
                a, b = getattr(mine[key], field), getattr(theirs[key], field)
                if a != b:
                    yield f"{who}, {_word(field)}: {_said(b)} there, {_said(a)} here."


def _devices(here: Show, there: Show, kinds: Catalogue) -> Iterator[str]:
    mine, theirs = ({row.id: row for row in show.devices} for show in (here, there))
    for key in dict.fromkeys([*theirs, *mine]):
        if key not in mine:
            yield f"{_device(there, theirs[key], kinds)} is there and not here."
            continue
        who = _device(here, mine[key], kinds)
        if key not in theirs:
            yield f"{who} is here and not there."
            continue
        for field in Device.model_fields:
            a, b = getattr(mine[key], field), getattr(theirs[key], field)
            if a == b:
                continue
            if field != "settings":
                yield f"{who}, {_word(field)}: {_said(b)} there, {_said(a)} here."
                continue
            for strip in dict.fromkeys([*b, *a]):
                old, new = b.get(strip), a.get(strip)
                for name in type(new or old).model_fields:
                    x, y = getattr(new, name, None), getattr(old, name, None)
                    if x != y:
                        yield f"{who}, {_strip(kinds, mine[key].kind, strip)}, {_word(name)}: {_said(y, name)} there, {_said(x, name)} here."


def _device(show: Show, device: Device, kinds: Catalogue) -> str:
    return device_name(show, device, kinds[device.kind].name if device.kind in kinds else device.kind)


def _strip(kinds: Catalogue, kind_id: str, strip: str) -> str:
    kind = kinds[kind_id] if kind_id in kinds else None  # noqa: SIM401 - a catalogue is no dictionary
    names = []
    for part in strip.split(">"):
        port = kind.port(part) if kind is not None else None
        bus = next((row for row in kind.buses if row.id == part), None) if kind is not None else None
        names.append(port.name if port is not None else bus.name if bus is not None else part)
    return " to ".join(names)


def _told(sort: str, name: str) -> str:
    return name if sort == "want" else f"{_capital(sort)} {name}"


def _key(row: Any) -> Any:
    """What tells a row from the others of its table."""
    for names in (("id",), ("source", "target"), ("listener", "voice"), ("at", "text")):
        if all(hasattr(row, name) for name in names):
            return tuple(getattr(row, name) for name in names)
    return repr(row)


def _named(show: Show, row: Any, kinds: Catalogue) -> str:
    if hasattr(row, "source") and hasattr(row, "target"):
        return f"{_end(show, row.source, kinds)} to {_end(show, row.target, kinds)}"
    if hasattr(row, "listener") and hasattr(row, "voice"):
        names = {party.id: party.name for party in show.parties}
        return f"What {names.get(row.listener, row.listener)} should hear of {names.get(row.voice, row.voice)}"
    return str(
        getattr(row, "name", None)
        or getattr(row, "text", None)
        or getattr(row, "file", None)
        or getattr(row, "id", row)
    )


def _end(show: Show, end: str, kinds: Catalogue) -> str:
    owner, port_id, _ = PortId.of(end)
    device = next((row for row in show.devices if row.id == owner), None)
    if device is None:
        return end
    port = kinds[device.kind].port(port_id) if device.kind in kinds else None
    return f"{_device(show, device, kinds)}, {port.name if port is not None else port_id}"


def _word(field: str) -> str:
    return FIELD_WORDS.get(field, field.replace("_", " "))


def _said(value: Any, field: str = "") -> str:
    if value is None:
        return "as delivered" if field else "nothing"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float) and field.endswith("_db"):
        return show_number(value, "dB", sign=True)
    if isinstance(value, tuple):
        value = ", ".join(str(getattr(row, "party", None) or getattr(row, "id", row)) for row in value) or "none"
    text = f"{value:g}" if isinstance(value, float) else " ".join(str(value).split())
    return text if len(text) <= 60 else f"{text[:59]}\u2026"


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
