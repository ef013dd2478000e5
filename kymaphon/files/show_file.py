"""Show files: JSON in and out, versions, schema. The only code that reads or writes them."""

from __future__ import annotations

import glob
import json
import os
import re
import time
from contextlib import suppress
from pathlib import Path
from typing import Any, NoReturn

from pydantic import ValidationError

from kymaphon.core.model.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.model.references import ShowProblem, check_references
from kymaphon.core.model.show import FORMAT_VERSION, Show
from kymaphon.files.errors import FileProblem

LARGEST_BYTES = 32 * 1024 * 1024
"""A show of a thousand devices is under a megabyte; anything near this is something else."""


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


def read_text(path: Path) -> str:
    """The text of a file.

    Raises:
        FileProblem: missing, no file, too large, or not UTF-8.
    """
    try:
        size = path.stat().st_size
        if path.is_dir():
            raise FileProblem(path, "is a folder, not a show file")
        if not path.is_file():
            raise FileProblem(path, "is no ordinary file")
        if size > LARGEST_BYTES:
            raise FileProblem(
                path, f"{size / 1e6:.0f} MB is too large for a show (at most {LARGEST_BYTES / 1e6:.0f} MB)"
            )
        return path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        raise FileProblem(path, "is not text: a show file is JSON in UTF-8", f"byte {error.start}") from error
    except FileNotFoundError as error:
        raise FileProblem(path, "there is no such file") from error
    except OSError as error:
        raise FileProblem(path, f"cannot be read: {error.strerror}") from error


def parse_show(path: Path, text: str) -> Show:
    """A show from JSON text; `path` is only for the messages. References are not checked.

    Raises:
        FileProblem: not JSON, an unknown version, or a wrong value.
    """
    if not text.strip():
        raise FileProblem(path, "is empty: there is no show in it")
    return _validated(path, migrated(path, read_json(path, text)))


def read_json(path: Path, text: str) -> Any:
    """JSON text, without what JSON does not allow; `path` is only for the messages.

    Raises:
        FileProblem: not JSON, nested too deep, a key twice, or a number that is none.
    """
    try:
        data = json.loads(
            text,
            parse_constant=_refuse_constant,
            object_pairs_hook=_refuse_repeats,
            parse_float=_finite,
            parse_int=_short,
        )
    except json.JSONDecodeError as error:
        raise FileProblem(
            path, f"is not JSON: {error.msg}", f"line {error.lineno}, column {error.colno}"
        ) from error
    except RecursionError as error:
        raise FileProblem(path, "is nested too deep") from error
    except _BadJson as error:
        raise FileProblem(path, str(error)) from error
    half = _HALF_A_LETTER.search(text)
    if half is not None and _has_half_letters(data):
        place = f"line {text.count(chr(10), 0, half.start()) + 1}"
        raise FileProblem(path, "holds half of a letter (a lone surrogate), which no text can hold", place)
    return data


_HALF_A_LETTER = re.compile(r"\\u[dD][89abcdefABCDEF]")
MOST_DIGITS = 300


def _has_half_letters(data: Any) -> bool:
    """Whether some text in it cannot be written: pairs of surrogates are one letter by now, lone ones are left."""
    waiting = [data]
    while waiting:
        row = waiting.pop()
        if isinstance(row, str):
            if any("\ud800" <= letter <= "\udfff" for letter in row):
                return True
        elif isinstance(row, dict):
            waiting += [*row, *row.values()]
        elif isinstance(row, list):
            waiting += row
    return False


def _finite(text: str) -> float:
    value = float(text)
    if abs(value) == float("inf"):
        raise _BadJson(f"{text[:20]} is more than a number can be")
    return value


def _short(text: str) -> int:
    if len(text) > MOST_DIGITS:
        raise _BadJson(f"{text[:12]}\u2026 is a number of {len(text)} digits")
    return int(text)


class _BadJson(ValueError):
    """JSON that Python would take and a show must not."""


def _refuse_constant(name: str) -> NoReturn:
    raise _BadJson(f"{name} is not a number that a show can hold")


def _refuse_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for key, value in pairs:
        if key in out:
            raise _BadJson(f'"{key}" stands twice in one object')
        out[key] = value
    return out


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
    message = message[0].lower() + message[1:]
    return f"{shown}: {message}" if shown else message


def show_text(show: Show) -> str:
    """The show as JSON text. What stands at its default in settings and cables is left out, so that it stays readable."""
    data = show.model_dump(mode="json", by_alias=True)
    data["cables"] = [
        cable.model_dump(mode="json", by_alias=True, exclude_defaults=True) for cable in show.cables
    ]
    for device in data["devices"]:
        settings = {}
        for key, setting in device["settings"].items():
            given = {name: value for name, value in setting.items() if value is not None}
            if given:
                settings[key] = given
        device["settings"] = settings
    data["kinds"] = [
        kind.model_dump(mode="json", by_alias=True, exclude_defaults=True) for kind in show.kinds
    ]
    return json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def write_show(path: str | Path, show: Show) -> None:
    """Writes the show so that a crash at any moment leaves the old file or the new one whole.

    Raises:
        FileProblem: the folder cannot be written, or the disk is full. The old file is untouched.
    """
    write_whole(path, show_text(show).encode("utf-8"))


def write_whole(path: str | Path, data: bytes) -> None:
    """Writes a temporary file beside the target, syncs it to disk, and renames it over the target.

    Raises:
        FileProblem: it cannot be written; the target is untouched.
    """
    import tempfile

    path = Path(path)
    target = path.resolve() if path.is_symlink() else path
    temporary: str | None = None
    try:
        # A name may be as long as the disk allows; what is put before and behind it must not make it longer.
        prefix = f".{target.name[:24]}."
        _sweep(target.parent, prefix)
        handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=prefix, suffix=".part")
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        mode = target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask()
        os.chmod(temporary, mode)
        os.replace(temporary, target)
        temporary = None
        folder = os.open(target.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    except (OSError, ValueError) as error:
        gone = not target.parent.is_dir()
        why = f"there is no folder {target.parent}" if gone else getattr(error, "strerror", None) or error
        raise FileProblem(path, f"cannot be written: {why}") from error
    finally:
        if temporary is not None and os.path.exists(temporary):
            os.unlink(temporary)


ABANDONED_S = 60.0
"""A temporary file as old as this is nobody's any more: writing takes less than a second."""


def _sweep(folder: Path, prefix: str) -> None:
    """Takes away what saves that were killed have left."""
    for row in folder.glob(f"{glob.escape(prefix)}*.part"):
        with suppress(OSError):
            if time.time() - row.stat().st_mtime > ABANDONED_S:
                row.unlink()


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def show_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of the show file, from the models."""
    schema = Show.model_json_schema(by_alias=True)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": "kymaphon-show-1", **schema}
