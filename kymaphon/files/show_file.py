"""Show files: JSON in and out, versions, schema. The only code that reads or writes them."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kymaphon.core.model.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.model.references import ShowProblem, check_references
from kymaphon.core.model.show import FORMAT_VERSION, Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.text_file import read_json, read_text, write_whole


def read_show(path: str | Path, catalogue: Catalogue | None = None) -> Show:
    """A show from its file, with every reference checked.

    Raises:
        FileProblem: missing, too large, not JSON, an unknown version, a wrong value, or a reference that
        leads nowhere.
    """
    path = Path(path)
    show = parse_show(path, read_text(path))
    try:
        check_references(show, catalogue or shipped_catalogue())
    except ShowProblem as problem:
        raise FileProblem(path, problem.what, problem.where) from problem
    return show


def parse_show(path: Path, text: str) -> Show:
    """A show from JSON text; `path` is only for the messages. References are not checked.

    Raises:
        FileProblem: not JSON, an unknown version, or a wrong value.
    """
    if not text.strip():
        raise FileProblem(path, "is empty: there is no show in it")
    return _validated(path, migrated(path, read_json(path, text)))


def migrated(path: Path, data: Any) -> dict[str, Any]:
    """The data in the form of this version.

    Raises:
        FileProblem: no show at all, or a version that this program does not know.
    """
    if not isinstance(data, dict):
        raise FileProblem(path, 'is JSON, but not a show: a show is an object with a "kymaphon" version')
    version = data.get("kymaphon")
    if version is None:
        raise FileProblem(path, 'is JSON, but not a show: it has no "kymaphon" version')
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise FileProblem(path, f"{version!r} is not a version number", "kymaphon")
    if version > FORMAT_VERSION:
        what = f"format {version} is newer than this program knows ({FORMAT_VERSION}); open it with a newer Kymaphon"
        raise FileProblem(path, what, "kymaphon")
    return data


def _validated(path: Path, data: dict[str, Any]) -> Show:
    try:
        return Show.model_validate(data)
    except ValidationError as error:
        rows = error.errors()
        first = rows[0]
        more = f" (and {len(rows) - 1} more)" if len(rows) > 1 else ""
        raise FileProblem(path, plain_error(first) + more, _place(first["loc"], data)) from error


def _place(loc: tuple[int | str, ...], data: Any) -> str:
    text = ""
    for step in loc:
        text += f"[{step}]" if isinstance(step, int) else f".{step}" if text else str(step)
        if isinstance(step, int) and isinstance(data, list) and step < len(data):
            data = data[step]
            if isinstance(data, dict) and isinstance(data.get("id"), str):
                text += f" ({data['id'][:40]})"
        elif isinstance(data, dict):
            data = data.get(step)
    return text


def plain_error(error: Any) -> str:
    """One error of a model, in plain words."""
    kind, given = error["type"], error.get("input")
    shown = json.dumps(given, default=str)[:60] if isinstance(given, str | int | float | bool | None) else ""
    if kind == "missing":
        return "is missing"
    if kind == "extra_forbidden":
        return "is no known key here"
    message = str(error["msg"]).removeprefix("Value error, ")
    if not (isinstance(given, str) and given and message.startswith(given)):
        message = message[0].lower() + message[1:]  # what was typed stays as it was typed
    return f"{shown}: {message}" if shown else message


def show_text(show: Show) -> str:
    """The show as JSON text. What stands at its default in settings, cables, rundown and log is left out, so that it stays readable."""
    data = show.model_dump(mode="json", by_alias=True)
    for name in ("cables", "rundown", "log"):
        rows = getattr(show, name)
        data[name] = [row.model_dump(mode="json", by_alias=True, exclude_defaults=True) for row in rows]
    for device in data["devices"]:
        settings = {}
        for key, setting in device["settings"].items():
            given = {name: value for name, value in setting.items() if value is not None}
            if given:
                settings[key] = given
        device["settings"] = settings
    data["kinds"] = [kind.model_dump(mode="json", by_alias=True, exclude_defaults=True) for kind in show.kinds]
    return json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def write_show(path: str | Path, show: Show) -> None:
    """Writes the show so that a crash at any moment leaves the old file or the new one whole.

    Raises:
        FileProblem: the folder cannot be written, or the disk is full. The old file is untouched.
    """
    write_whole(path, show_text(show).encode("utf-8"))


def show_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of the show file, from the models."""
    schema = Show.model_json_schema(by_alias=True)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": "kymaphon-show-1", **schema}
