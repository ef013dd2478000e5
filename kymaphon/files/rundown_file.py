"""The rundown in and out of CSV."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.clock import clock_of, seconds_of, zone_of
from kymaphon.core.model.references import instead, rundown_problems
from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.show import Show
from kymaphon.core.report.rundown import COLUMNS, rundown_list
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard
from kymaphon.files.row_file import RowProblems, cells_of, read_rows, row_error
from kymaphon.files.sheet_file import table_csv
from kymaphon.files.text_file import read_text, write_whole

MOST_SEGMENTS = 2000
OTHER_NAMES = {
    "segment": "name",
    "title": "name",
    "duration": "length",
    "who": "open",
    "start": "starts_at",
    "out": "ends_by",
}
_YES = {"yes", "y", "true", "1", "x"}
_NO = {"no", "n", "false", "0", ""}
_PLAYS = re.compile(r'(?:[^;"]|"(?:[^"\\]|\\.)*")+')
_PLAY = re.compile(r'\s*([^";]+?)\s*(?:"((?:[^"\\]|\\.)*)"\s*(.*?))?\s*')
_TOPIC = re.compile(r"(?:([^:|]{1,64}):\s*)?(.*?)(?:\s*\((\d+(?:\.\d+)?) min\))?")


def read_rundown(path: str | Path, show: Show) -> tuple[Segment, ...]:
    """The segments of a list for a show. Who is open and what plays are told by id or by name; times by the clock of the show, with or
    without a date.

    Raises:
        RowProblems: some rows cannot be used; `good` has the segments of the others.
        FileProblem: missing, no CSV, or columns that are not known.
    """
    path = Path(path)
    table = read_rows(path, read_text(path), "segments", MOST_SEGMENTS)
    head = tuple(OTHER_NAMES.get(name, name) for name in table.head)
    unknown = [name for name in head if name and name not in COLUMNS]
    if unknown or "name" not in head or len(set(head)) != len(head):
        what = (
            f"column {unknown[0]} is not known"
            if unknown
            else "has no column name"
            if "name" not in head
            else "names a column twice"
        )
        raise FileProblem(path, f"{what}; columns are {', '.join(COLUMNS)}", "row 1")
    found: list[Segment] = []
    problems: list[str] = []
    for number, row in table.rows:
        try:
            segment = _segment(cells_of(head, row), show, {one.id for one in found})
            wrong = next(rundown_problems(show.model_copy(update={"rundown": (segment,)})), None)
            if wrong is not None:
                raise ValueError(wrong.what)
            found.append(segment)
        except ValueError as error:
            problems.append(f"row {number}: {row_error(error)}")
    if problems:
        raise RowProblems(path, problems, tuple(found))
    return tuple(found)


def _segment(cells: dict[str, str], show: Show, taken: set[str]) -> Segment:
    """A row. Raises ValueError, pydantic.ValidationError."""
    name = cells.get("name", "")
    if not name:
        raise ValueError("has no name")
    given: dict[str, Any] = {
        "id": fresh_name(cells.get("id") or name, taken) if not cells.get("id") else cells["id"],
        "name": name,
        "sort": cells.get("sort", "other").lower(),
        "open": parties_of(cells.get("open", ""), show),
        "plays": plays_of(cells.get("plays", ""), show),
        "topics": topics_of(cells.get("topics", ""), show),
        "talkback": tuple(_circuit(part, show) for part in cells.get("talkback", "").replace(",", " ").split()),
        "loses": cells.get("loses", ""),
        "note": cells.get("note", ""),
        "can_drop": _yes(cells.get("can_drop", "")),
    }
    if given["id"] in taken:
        raise ValueError(f"id {given['id']} is there twice")
    for column, field in (("length", "length_s"), ("shortest", "shortest_s"), ("longest", "longest_s")):
        if column in cells:
            given[field] = seconds_of(cells[column])
    for field in ("starts_at", "ends_by"):
        if field in cells:
            given[field] = _time(cells[field], show)
    return Segment.model_validate(given)


def fresh_name(name: str, taken: set[str]) -> str:
    """An id from a name that is not taken: Ferry: the pier -> ferry-the-pier."""
    plain = re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower()[:48] or "segment"
    return (
        plain
        if plain not in taken
        else next(f"{plain}-{n}" for n in range(2, len(taken) + 3) if f"{plain}-{n}" not in taken)
    )


def parties_of(text: str, show: Show) -> tuple[str, ...]:
    """Ids of people named in a text, by id or name, between commas. Raises ValueError."""
    return tuple(dict.fromkeys(_party(part, show) for part in _parts(text, show)))


def plays_of(text: str, show: Show) -> tuple[dict[str, Any], ...]:
    """What plays, as `play_text` writes it, between semicolons. Raises ValueError."""
    return tuple(_play(part, show) for part in _PLAYS.findall(text) if part.strip())


def topics_of(text: str, show: Show) -> tuple[dict[str, Any], ...]:
    """Topics, as `topic_text` writes them, between upright strokes. Raises ValueError."""
    return tuple(_topic(part.strip(), show) for part in text.split("|") if part.strip())


def _parts(cell: str, show: Show) -> list[str]:
    """Names in a cell: between commas; ids also between blanks."""
    if "," in cell:
        return [part for part in (row.strip() for row in cell.split(",")) if part]
    known = {row.name.casefold() for row in show.parties}
    return [cell] if cell.casefold() in known else cell.split()


def _party(text: str, show: Show) -> str:
    for row in show.parties:
        if text in (row.id, row.name) or text.casefold() == row.name.casefold():
            return row.id
    raise ValueError(f"nobody called {text[:40]}{instead(text, {row.id for row in show.parties})}")


def _circuit(text: str, show: Show) -> str:
    if any(row.id == text for row in show.circuits):
        return text
    raise ValueError(f"no circuit called {text[:40]}{instead(text, {row.id for row in show.circuits})}")


def _play(text: str, show: Show) -> dict[str, Any]:
    found = _PLAY.fullmatch(text)
    if found is None:
        raise ValueError(f'{text[:40]} is nothing that plays, such as jingles "Title" 0:20 under')
    who, title, rest = found.groups()
    words = (rest or "").split()
    if title is None:
        who, *words = who.split()
    given: dict[str, Any] = {"party": _party(who, show), "title": re.sub(r"\\(.)", r"\1", title or "")}
    for word in words:
        if word in ("run-on", "single"):
            given["follow"] = word
        elif word == "under":
            given["under"] = True
        elif word == "can-drop":
            given["can_drop"] = True
        else:
            given["length_s"] = seconds_of(word)
    return given


def _topic(text: str, show: Show) -> dict[str, Any]:
    """Somebody's, where it begins with who; everybody's else."""
    found = _TOPIC.fullmatch(text)
    assert found is not None  # it takes any text
    who, what, minutes = found.groups()
    given: dict[str, Any] = {"minutes": float(minutes)} if minutes else {}
    if who is None or who.casefold() == "everybody":
        return {**given, "text": what}
    try:
        return {**given, "text": what, "party": _party(who.strip(), show)}
    except ValueError:
        return {**given, "text": f"{who}: {what}"}


def _yes(text: str) -> bool:
    plain = text.strip().casefold()
    if plain in _YES or plain in _NO:
        return plain in _YES
    raise ValueError(f"{text[:20]} is neither yes nor no")


def _time(text: str, show: Show) -> datetime | None:
    """A moment: with its date and offset, or by the clock of the show, the first one after it is on air."""
    if "T" in text or "-" in text:
        try:
            at = datetime.fromisoformat(text)
        except ValueError:
            raise ValueError(f"{text[:40]} is no time, such as 19:30:00 or 2026-08-15T19:30+01:00") from None
        if at.tzinfo is None:
            zone = zone_of(show)
            if zone is None:
                raise ValueError(f"{text[:40]} has no offset from UTC, such as +01:00")
            at = at.replace(tzinfo=zone)
        return at
    air = show.air_at
    return clock_of(
        text, air.astimezone(zone_of(show)) if air is not None else None, air - timedelta(seconds=1) if air else None
    )


def write_rundown(path: str | Path, analysis: Computed) -> None:
    """Writes the rundown as a list that can be read again.

    Raises:
        FileProblem: it cannot be written.
    """
    guard(path)
    write_whole(Path(path), table_csv(rundown_list(analysis)).encode("utf-8"))
