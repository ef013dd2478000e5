"""Where the recordings of a show lie, which of them are missing, and where they have gone."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from kymaphon.core.model.show import Show, Take
from kymaphon.files.audio import fingerprint
from kymaphon.files.demo import demo_path
from kymaphon.files.errors import FileProblem


def take_path(take: Take, folder: Path | None) -> Path:
    """Where a take's file lies: beside the show, unless its name says otherwise."""
    path = Path(take.file)
    where = path if path.is_absolute() or folder is None else folder / path
    if there(where):
        return where
    # One that was moved beside the show is found there; the demo has no place of its own, and its takes lie where it came from.
    tries = ([folder / path.name] if folder is not None else []) + (
        [] if path.is_absolute() else [demo_path(take.file)]
    )
    return next((row for row in tries if there(row)), where)


def there(path: Path) -> bool:
    """Whether a file is there; a loop of links or a name that no file can have is none."""
    try:
        return path.is_file()
    except (OSError, ValueError):
        return False


MOST_FILES = 20_000
"""So many files are looked at, at most, when missing recordings are looked for in a folder."""


def missing(show: Show, folder: Path | None) -> tuple[Take, ...]:
    """The takes of a show whose recordings are not where they should be."""
    return tuple(take for take in show.takes if not there(take_path(take, folder)))


def find(takes: Iterable[Take], folder: Path) -> dict[str, Path]:
    """Take id -> its recording somewhere under a folder, told by its name, and by its content where that is known."""
    names: dict[str, list[Take]] = {}
    for take in takes:
        names.setdefault(Path(take.file).name, []).append(take)
    found: dict[str, Path] = {}
    seen = 0
    for at, folders, files in os.walk(folder):
        folders[:] = sorted(row for row in folders if not row.startswith("."))
        for name in sorted(files):
            seen += 1
            if seen > MOST_FILES:
                return found
            for take in names.get(name, ()):
                path = Path(at) / name
                if take.id not in found and (take.sha256 is None or _digest(path) == take.sha256):
                    found[take.id] = path
    return found


def _digest(path: Path) -> str:
    try:
        return fingerprint(path)
    except FileProblem:
        return ""
