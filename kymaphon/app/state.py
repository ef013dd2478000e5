"""What the application keeps between runs: recent files, theme, and shows not yet saved when it was killed."""

from __future__ import annotations

import json
import os
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from kymaphon.core.show import Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import parse_show, show_text, write_whole

MOST_RECENT = 10


def state_folder() -> Path:
    """Where the state lies; `KYMAPHON_STATE` names another place."""
    given = os.environ.get("KYMAPHON_STATE")
    if given:
        folder = Path(given)
    else:
        import platformdirs

        folder = platformdirs.user_state_path("kymaphon")
    folder.mkdir(parents=True, exist_ok=True)
    return folder


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
    path = state_folder() / "settings.json"
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return {}
    except (OSError, ValueError):
        path.replace(path.with_name("settings.json.bad"))
        return {}
    return data if isinstance(data, dict) else {}


def write_setting(name: str, value: Any) -> None:
    """Changes one setting. Raises FileProblem when the folder cannot be written."""
    data = {**read_settings(), name: value}
    write_whole(state_folder() / "settings.json", json.dumps(data, indent=1).encode("utf-8"))


def recent_files() -> list[str]:
    """The files opened or saved last, the newest first; those that are gone are left out."""
    rows = read_settings().get("recent", [])
    return [row for row in rows if isinstance(row, str) and Path(row).exists()]


def note_recent(path: Path) -> None:
    """Puts a file at the head of the recent ones."""
    name = str(path.resolve())
    write_setting("recent", [name, *(row for row in recent_files() if row != name)][:MOST_RECENT])


@dataclass(frozen=True, slots=True)
class Recovered:
    """A show that was not saved when its program ended."""

    file: Path
    show: Show
    path: Path | None
    saved_at: float


class Autosave:
    """The unsaved show of this process, kept on disk until it is saved or closed."""

    def __init__(self) -> None:
        folder = state_folder() / "recovery"
        folder.mkdir(exist_ok=True)
        self.file = folder / f"{os.getpid()}-{time.time_ns()}.json"

    def keep(self, show: Show, path: Path | None) -> None:
        """Writes the show. Raises FileProblem when the disk does not take it."""
        data = {
            "pid": os.getpid(),
            "path": str(path) if path else None,
            "saved_at": time.time(),
            "show": show_text(show),
        }
        write_whole(self.file, json.dumps(data).encode("utf-8"))

    def drop(self) -> None:
        """Nothing is unsaved any more."""
        self.file.unlink(missing_ok=True)


def left_behind() -> list[Recovered]:
    """Shows whose program is gone without saving or discarding them, the newest first. Unreadable ones stay
    on disk and are left out.
    """
    found = []
    for file in (state_folder() / "recovery").glob("*.json"):
        try:
            data = json.loads(file.read_text(encoding="utf-8"))
            if _alive(int(data["pid"])):
                continue
            show = parse_show(file, data["show"])
            path = Path(data["path"]) if data.get("path") else None
            found.append(Recovered(file, show, path, float(data["saved_at"])))
        except (OSError, ValueError, KeyError, TypeError, FileProblem):
            continue
    return sorted(found, key=lambda row: -row.saved_at)


def _alive(pid: int) -> bool:
    if pid == os.getpid():
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
