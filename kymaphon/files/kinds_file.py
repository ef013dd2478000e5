"""Kinds of device in and out of files: JSON holds every kind, CSV the microphones, players and desks that a row can hold.

The shelf is the user's own JSON file of kinds, kept across shows.
"""

from __future__ import annotations

import csv
import io
import json
import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.catalogue.loader import read_kind
from kymaphon.core.model.catalogue.recipe import RECIPES, recipe_of
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard
from kymaphon.files.locked import locked
from kymaphon.files.row_file import RowProblems, cells_of, number_text, read_rows, row_error
from kymaphon.files.sheet_file import harmless
from kymaphon.files.show_file import plain_error
from kymaphon.files.text_file import read_json, read_text, write_whole

FORMAT_VERSION = 1
MOST_KINDS = 20000
COLUMNS = tuple(dict.fromkeys(name for recipe in RECIPES.values() for name in recipe.model_fields))


def read_kinds(path: str | Path) -> tuple[Kind, ...]:
    """Kinds from a .json or .csv file.

    Raises:
        RowProblems: some rows of a list cannot be used.
        FileProblem: missing, neither JSON nor CSV, a newer version, or a wrong value.
    """
    path = Path(path)
    text = read_text(path)
    if path.suffix.lower() == ".csv":
        return _read_csv(path, text)
    return _read_json(path, text)


def _read_json(path: Path, text: str) -> tuple[Kind, ...]:
    data = read_json(path, text)
    if not isinstance(data, dict) or "kymaphon_kinds" not in data:
        raise FileProblem(path, 'is no list of kinds: it has no "kymaphon_kinds" version')
    version = data["kymaphon_kinds"]
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= FORMAT_VERSION:
        raise FileProblem(path, f"version {version!r} is not one that this program knows (1)", "kymaphon_kinds")
    rows = data.get("kinds")
    if not isinstance(rows, list) or len(rows) > MOST_KINDS:
        raise FileProblem(path, f"must be a list of at most {MOST_KINDS} kinds", "kinds")
    kinds, seen = [], set()
    for i, row in enumerate(rows):
        where = f"kinds[{i}]"
        if not isinstance(row, dict):
            raise FileProblem(path, "must be an object", where)
        try:
            kind = read_kind(row)
        except ValidationError as error:
            first = error.errors()[0]
            raise FileProblem(path, plain_error(first), ".".join([where, *map(str, first["loc"])])) from error
        if kind.id in seen:
            raise FileProblem(path, f"{kind.id} stands twice", where)
        seen.add(kind.id)
        kinds.append(kind)
    return tuple(kinds)


def _read_csv(path: Path, text: str) -> tuple[Kind, ...]:
    """Commas, semicolons or tabs; with or without a byte order mark. An empty cell stands for the usual value."""
    table = read_rows(path, text, "kinds", MOST_KINDS)
    head = table.head
    unknown = [name for name in head if name and name not in COLUMNS]
    missing = [name for name in ("group", "id", "name") if name not in head]
    if unknown or missing or len(set(head)) != len(head):
        what = (
            f"has no column {missing[0]}"
            if missing
            else f"column {unknown[0]} is not known"
            if unknown
            else "names a column twice"
        )
        raise FileProblem(path, f"{what}; columns are {', '.join(COLUMNS)}", "row 1")
    kinds: dict[str, Kind] = {}
    problems: list[str] = []
    for number, row in table.rows:
        try:
            kind = _kind_of_row(head, row, comma=table.decimal_comma)
            if kind.id in kinds:
                raise ValueError(f"{kind.id} stands twice")
            kinds[kind.id] = kind
        except ValueError as error:
            problems.append(f"row {number}: {row_error(error)}")
    if problems:
        raise RowProblems(path, problems, tuple(kinds.values()))
    return tuple(kinds.values())


def _kind_of_row(head: tuple[str, ...], row: tuple[str, ...], *, comma: bool) -> Kind:
    given = cells_of(head, row)
    recipe = RECIPES.get(given.get("group", ""))
    if recipe is None:
        raise ValueError(f"group must be one of {', '.join(RECIPES)}")
    strange = [name for name in given if name not in recipe.model_fields]
    if strange:
        raise ValueError(f"a {given['group']} has no {strange[0]}")
    texts = {"group", "id", "name", "about", "pattern", "worn", "output_stage"}
    values: dict[str, Any] = {
        name: cell if name in texts else number_text(cell, comma=comma) for name, cell in given.items()
    }
    return recipe.model_validate(values).kind()


def kinds_json(kinds: Iterable[Kind]) -> str:
    """Kinds as JSON text, what stands at its default left out."""
    rows = [kind.model_dump(mode="json", by_alias=True, exclude_defaults=True) for kind in kinds]
    data = {"kymaphon_kinds": FORMAT_VERSION, "kinds": rows}
    return json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def kinds_csv(kinds: Iterable[Kind]) -> tuple[str, tuple[Kind, ...]]:
    """Kinds as CSV text, and those that a row cannot hold."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    left: list[Kind] = []
    for kind in kinds:
        recipe = recipe_of(kind)
        if recipe is None:
            left.append(kind)
            continue
        data = recipe.model_dump()
        writer.writerow([_cell(data.get(name)) for name in COLUMNS])
    return out.getvalue(), tuple(left)


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, bool | int | float):
        return f"{value:g}" if isinstance(value, float) else str(value).lower()
    return harmless(str(value))


def write_kinds(path: str | Path, kinds: Iterable[Kind]) -> tuple[Kind, ...]:
    """Writes kinds as .json or .csv; gives those that the form cannot hold.

    Raises:
        FileProblem: another ending, or it cannot be written.
    """
    path = Path(path)
    guard(path)
    suffix = path.suffix.lower()
    if suffix == ".json":
        write_whole(path, kinds_json(kinds).encode("utf-8"))
        return ()
    if suffix == ".csv":
        text, left = kinds_csv(kinds)
        write_whole(path, text.encode("utf-8"))
        return left
    raise FileProblem(path, "kinds are written as .json or .csv")


def shelf_path() -> Path:
    """Where the shelf lies; `KYMAPHON_SHELF` names another file, `KYMAPHON_STATE` another folder."""
    given, state = os.environ.get("KYMAPHON_SHELF"), os.environ.get("KYMAPHON_STATE")
    if given:
        return Path(given)
    if state:
        return Path(state) / "shelf.json"
    import platformdirs

    return platformdirs.user_data_path("kymaphon") / "shelf.json"


def read_shelf() -> tuple[Kind, ...]:
    """The user's own kinds; none when there is no shelf yet.

    Raises:
        FileProblem: the shelf is damaged; nothing is written over it.
    """
    path = shelf_path()
    return _read_json(path, read_text(path)) if path.exists() else ()


def put_on_shelf(*kinds: Kind) -> tuple[Kind, ...]:
    """Adds kinds to the shelf, or replaces those of the same id; gives the whole shelf.

    Raises:
        FileProblem: the shelf is damaged or cannot be written; it stays as it is.
    """
    with locked(shelf_path()):
        rows = {kind.id: kind for kind in read_shelf()}
        rows.update({kind.id: kind for kind in kinds})
        return _write_shelf(rows.values())


def take_off_shelf(kind_id: str) -> tuple[Kind, ...]:
    """Takes a kind off the shelf. Shows that use it keep their own copy.

    Raises:
        FileProblem: the shelf is damaged or cannot be written; it stays as it is.
    """
    with locked(shelf_path()):
        return _write_shelf(kind for kind in read_shelf() if kind.id != kind_id)


def _write_shelf(kinds: Iterable[Kind]) -> tuple[Kind, ...]:
    rows = tuple(kinds)
    write_whole(shelf_path(), kinds_json(rows).encode("utf-8"))
    return rows
