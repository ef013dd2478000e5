"""Text and JSON files: read with care, written whole. What is said of a show by its records is in `show_file`."""

from __future__ import annotations

import glob
import json
import os
import re
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, BinaryIO, NoReturn

from kymaphon.files.errors import FileProblem

LARGEST_BYTES = 32 * 1024 * 1024
"""A show of a thousand devices is under a megabyte; anything near this is something else."""


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
        raise FileProblem(path, f"is not JSON: {error.msg}", f"line {error.lineno}, column {error.colno}") from error
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


def write_whole(path: str | Path, data: bytes) -> None:
    """Writes a file whole, or not at all: see `whole_file`."""
    with whole_file(path) as file:
        file.write(data)


@contextmanager
def whole_file(path: str | Path) -> Iterator[BinaryIO]:
    """A temporary file beside the target, to be written; then synced to disk, and renamed over the target. What is raised while it is
    written leaves the target as it was, and nothing beside it.

    Raises:
        FileProblem: it cannot be written.
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
            yield file
            file.flush()
            os.fsync(file.fileno())
        mode = target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~umask()
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


def append_lines(path: Path, lines: list[str]) -> None:
    """Puts lines at the end of a file and syncs it to disk; what was there is not touched.

    A line that a crash has left half written is closed first, so that it spoils none that follow.

    Raises:
        FileProblem: the disk does not take it.
    """
    try:
        with open(path, "ab+") as file:
            fresh = file.tell() == 0
            if not fresh:
                file.seek(-1, os.SEEK_END)
                if file.read(1) != b"\n":
                    file.write(b"\n")
            file.write(("\n".join(lines) + "\n").encode("utf-8"))
            file.flush()
            os.fsync(file.fileno())
        if fresh:
            folder = os.open(path.parent, os.O_RDONLY)
            try:
                os.fsync(folder)
            finally:
                os.close(folder)
    except OSError as error:
        raise FileProblem(path, f"cannot be written: {error.strerror or error}") from error


ABANDONED_S = 60.0
"""A temporary file as old as this is nobody's any more: writing takes less than a second."""


def _sweep(folder: Path, prefix: str) -> None:
    """Takes away what saves that were killed have left."""
    for row in folder.glob(f"{glob.escape(prefix)}*.part"):
        with suppress(OSError):
            if time.time() - row.stat().st_mtime > ABANDONED_S:
                row.unlink()


def umask() -> int:
    """What the user keeps from others of new files."""
    mask = os.umask(0)
    os.umask(mask)
    return mask
