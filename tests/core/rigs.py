"""Small rigs for the tests of Rig: devices and cables by a few words each."""

from __future__ import annotations

from typing import Any

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.show import Show

Wire = tuple[str, str] | tuple[str, str, dict[str, Any]]
STUDIO = {"id": "studio", "name": "Studio", "size_m": [8, 6], "ambient_dba": 30, "liveliness": "treated"}
VOICE = {"id": "mira", "name": "Mira", "kind": "presenter", "place": "studio", "at_m": [1, 1], "speaks": True}
TAPE = {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"}
MUSIC = {"id": "song", "name": "Song", "kind": "player", "speaks": True}


def dev(device_id: str, kind: str, /, **more: Any) -> dict[str, Any]:
    """A device in the studio."""
    return {"id": device_id, "kind": kind, "place": "studio", **more}


def wire(source: str, target: str, **more: Any) -> dict[str, Any]:
    return {"from": source, "to": target, **more}


def rig(
    devices: list[dict[str, Any]],
    cables: list[dict[str, Any]],
    parties: list[dict[str, Any]] | None = None,
    *,
    places: list[dict[str, Any]] | None = None,
    **more: Any,
) -> Show:
    """A show of one studio; without parties, a voice at the microphone `mic` where there is one."""
    if parties is None:
        parties = [VOICE] if any(row["id"] == "mic" for row in devices) else []
    heard = any(row["id"] == "mira" for row in parties)
    rows = [{**row, "party": "mira"} if row["id"] == "mic" and heard else row for row in devices]
    return Show.model_validate(
        {
            "kymaphon": 1,
            "places": places or [STUDIO],
            "parties": parties,
            "devices": rows,
            "cables": cables,
            **more,
        }
    )


def of_code(show: Show, code: str) -> list[Finding]:
    """The findings of one code."""
    return [row for row in analyse(show).findings if row.code == code]


def rig_codes(show: Show) -> set[str]:
    """The codes of Rig's findings."""
    return {row.code for row in analyse(show).findings if row.stage == "Rig"}
