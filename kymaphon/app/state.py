"""What the application keeps between runs: recent files, theme and text size. Shows that were not saved are in `recovery`."""

from __future__ import annotations

import json
import os
from contextlib import suppress
from pathlib import Path
from typing import Any

from kymaphon.files.errors import FileProblem
from kymaphon.files.locked import locked
from kymaphon.files.text_file import read_json, read_text, write_whole
from kymaphon.files.user_folders import user_folder

MOST_RECENT = 10


def state_folder() -> Path:
    """Where the state lies; `KYMAPHON_STATE` names another place.

    Raises:
        FileProblem: it cannot be made.
    """
    return user_folder("state")


def why_nothing_is_kept() -> str:
    """Why no settings and no unsaved shows can be kept, and where; empty where they can be."""
    try:
        folder = state_folder()
    except FileProblem as problem:
        return f"{problem.path}: {problem.what}"
    for row in (folder, folder / "recovery"):
        if row.exists() and not (row.is_dir() and os.access(row, os.W_OK | os.X_OK)):
            return f"{row}: cannot be written"
    return ""


def takes_folder() -> Path:
    """Where takes are recorded while the show has no place of its own, or one that is not to be written to.

    Raises:
        FileProblem: it cannot be made.
    """
    folder = state_folder() / "takes"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileProblem(folder, f"cannot be made: {error.strerror}") from error
    return folder


def read_settings() -> dict[str, Any]:
    """The settings; a damaged file counts as none, and is kept beside as `settings.json.bad`."""
    try:
        path = state_folder() / "settings.json"
    except FileProblem:
        return {}  # no place for any: told when something is to be kept
    if not path.exists():
        return {}
    try:
        data = read_json(path, read_text(path))
    except FileProblem:
        with suppress(OSError):
            path.replace(path.with_name("settings.json.bad"))
        return {}
    return data if isinstance(data, dict) else {}


def write_setting(name: str, value: Any) -> None:
    """Changes one setting; two programs that do so at once both have theirs. Raises FileProblem when the folder cannot be written."""
    path = state_folder() / "settings.json"
    with locked(path):
        write_whole(path, json.dumps({**read_settings(), name: value}, indent=1).encode("utf-8"))


def recent_files() -> list[str]:
    """The files opened or saved last, the newest first; those that are gone are left out."""
    rows = read_settings().get("recent")
    return [row for row in rows if isinstance(row, str) and _exists(row)] if isinstance(rows, list) else []


def _exists(name: str) -> bool:
    try:
        return Path(name).exists()
    except (OSError, ValueError):  # a loop of links, a name that no file can have
        return False


def note_recent(path: Path) -> None:
    """Puts a file at the head of the recent ones."""
    name = str(path.resolve())
    write_setting("recent", [name, *(row for row in recent_files() if row != name)][:MOST_RECENT])
