"""Small places for the tests of Cast: people, microphones and whatever else, by a few words each."""

from __future__ import annotations

from typing import Any

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Show

ROOM = {"id": "room", "name": "Room", "size_m": [8, 6], "ambient_dba": 30, "liveliness": "treated"}


def person(name: str, x: float, y: float, faces: float | None = None, **more: Any) -> dict[str, Any]:
    row = {"id": name, "name": name.title(), "kind": "guest", "place": "room", "at_m": [x, y], "speaks": True}
    return {**row, **({} if faces is None else {"faces_deg": faces}), **more}


def mic(
    name: str, x: float, y: float, kind: str = "dynamic-close", aim: float | None = None, **more: Any
) -> dict[str, Any]:
    row = {"id": f"mic-{name}", "kind": kind, "place": "room", "at_m": [x, y], "party": name}
    return {**row, **({} if aim is None else {"aim_deg": aim}), **more}


def room(people: list[dict[str, Any]], devices: list[dict[str, Any]], *, patched: bool = False, **place: Any) -> Show:
    """A show of one place. With `patched`, the first four microphones go to a desk and on to a recorder."""
    parties, cables = list(people), []
    devices = list(devices)
    if patched:
        parties.append({"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"})
        settings = {f"in{n}": {"gain_db": 40, "phantom": True} for n in range(1, 5)}
        mics = [row["id"] for row in devices if row["id"].startswith("mic-")][:4]
        devices += [
            {"id": "desk", "kind": "desk-8", "settings": settings},
            {"id": "rec", "kind": "recorder"},
        ]
        cables = [{"from": f"{name}.out", "to": f"desk.in{n}"} for n, name in enumerate(mics, start=1)]
        cables.append({"from": "desk.usb", "to": "rec.in"})
    return Show.model_validate(
        {
            "kymaphon": 1,
            "places": [{**ROOM, **place}],
            "parties": parties,
            "devices": devices,
            "cables": cables,
        }
    )


def cast_codes(show: Show) -> set[str]:
    """The codes of Cast's findings."""
    return {row.code for row in analyse(show).findings if row.stage == "Cast"}


def finding_of(analysis: Report, code: str) -> Any:
    return next(row for row in analysis.findings if row.code == code)
