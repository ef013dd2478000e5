"""Shows that were not saved when their program ended: kept while they are edited, found again, and never lost on the way."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from kymaphon.app.state import state_folder
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.locked import Lock
from kymaphon.files.show_file import parse_show, show_text
from kymaphon.files.text_file import append_lines, read_json, read_text, write_whole

JOURNAL = ".log"
"""Ending of the file beside an unsaved show that has what was logged since it was written whole, a row on each line."""


def recovery_folder() -> Path:
    """Where unsaved shows are kept.

    Raises:
        FileProblem: it cannot be made.
    """
    folder = state_folder() / "recovery"
    try:
        folder.mkdir(exist_ok=True)
    except OSError as error:
        raise FileProblem(folder, f"cannot be made: {error.strerror}") from error
    return folder


@dataclass(frozen=True, slots=True)
class Recovered:
    """A show that was not saved when its program ended."""

    file: Path
    show: Show
    path: Path | None
    saved_at: float
    on_disk: str = ""
    """What its file held when it was opened or saved last; see `Document.changed_on_disk`."""

    def set_aside(self) -> None:
        """Keeps it on disk under another name, to be offered no more. Raises FileProblem."""
        try:
            journal = self.file.with_suffix(JOURNAL)
            if journal.exists():
                journal.replace(journal.with_suffix(f"{JOURNAL}.old"))
            self.file.replace(self.file.with_suffix(".json.old"))
        except OSError as error:
            raise FileProblem(self.file, f"cannot be set aside: {error.strerror}") from error


class Autosave:
    """The unsaved show of one document, kept on disk until it is saved or closed. A lock beside it says that its program lives."""

    def __init__(self) -> None:
        self.name = f"{os.getpid()}-{time.time_ns()}"
        self.file: Path | None = None
        self._lock: Lock | None = None

    def keep(self, show: Show, path: Path | None, on_disk: str = "") -> None:
        """Writes the show. Raises FileProblem when the disk does not take it."""
        folder = recovery_folder()
        if self._lock is None:
            lock = Lock(folder / f"{self.name}.lock")
            try:
                lock.take()
            except OSError as error:
                raise FileProblem(lock.path, f"cannot be written: {error.strerror}") from error
            self._lock = lock
        file = folder / f"{self.name}.json"
        data = {
            "path": str(path) if path else None,
            "saved_at": time.time(),
            "on_disk": on_disk,
            "show": show_text(show),
        }
        write_whole(file, json.dumps(data).encode("utf-8"))
        self.file = file
        with suppress(OSError):
            # Whatever it has stands in the show that was written.
            file.with_suffix(JOURNAL).unlink(missing_ok=True)

    def log(self, entries: Sequence[LogEntry], at: int) -> None:
        """Puts rows of the log behind the show that is kept: a few bytes, synced, however large the show is.

        Args:
            at: place of the first of them in the log.

        Raises:
            FileProblem: the disk does not take it, or nothing is kept yet.
        """
        if self.file is None:
            raise FileProblem(self.name, "nothing is kept yet")
        rows = (
            {"at": at + n, "row": row.model_dump(mode="json", by_alias=True, exclude_defaults=True)}
            for n, row in enumerate(entries)
        )
        append_lines(self.file.with_suffix(JOURNAL), [json.dumps(row) for row in rows])

    def holds(self, show: Show) -> bool:
        """Whether what is on disk reads as that show: looked up there, not remembered."""
        if self.file is None:
            return False
        try:
            return _read(self.file).show == show
        except FileProblem:
            return False

    def drop(self) -> None:
        """Nothing is unsaved any more."""
        if self.file is not None:
            with suppress(OSError):
                self.file.unlink(missing_ok=True)
                self.file.with_suffix(JOURNAL).unlink(missing_ok=True)
            self.file = None
        if self._lock is not None:
            self._lock.let_go(remove=True)
            self._lock = None


def left_behind() -> list[Recovered]:
    """Shows whose program is gone without saving or discarding them, the newest first."""
    return sorted(look()[0], key=lambda row: -row.saved_at)


def look() -> tuple[list[Recovered], list[FileProblem]]:
    """What was left behind, and files among it that cannot be read: those stay where they are. Locks that nobody holds and that
    guard nothing are swept.
    """
    found: list[Recovered] = []
    problems: list[FileProblem] = []
    try:
        folder = recovery_folder()
        files = sorted(folder.glob("*.json"))
        locks = sorted(folder.glob("*.lock"))
    except (FileProblem, OSError):
        return [], []  # nothing can be kept there, which is told elsewhere
    for file in files:
        if _held(file.with_suffix(".lock")):
            continue
        try:
            found.append(_read(file))
        except FileProblem as problem:
            problems.append(problem)
    for path in locks:
        if not path.with_suffix(".json").exists():
            _held(path, sweep=True)
    return found, problems


def _held(path: Path, *, sweep: bool = False) -> bool:
    """Whether a living program holds a lock; it is taken away where none does and `sweep` says so."""
    if not path.exists():
        return False
    lock = Lock(path)
    try:
        taken = lock.take()
    except OSError:
        return False
    if taken:
        lock.let_go(remove=sweep)
    return not taken


def _read(file: Path) -> Recovered:
    """One recovery file. Raises FileProblem whatever is wrong with it: it may be damaged, or nobody's who means well."""
    data = read_json(file, read_text(file))
    if not isinstance(data, dict) or not isinstance(data.get("show"), str):
        raise FileProblem(file, "holds no unsaved show")
    path, saved_at = data.get("path"), data.get("saved_at")
    if not isinstance(path, str | None) or (path is not None and "\0" in path):
        raise FileProblem(file, "names no file", "path")
    if isinstance(saved_at, bool) or not isinstance(saved_at, int | float) or not abs(saved_at) < 1e12:
        raise FileProblem(file, "has no time", "saved_at")
    held = data.get("on_disk")
    return Recovered(
        file,
        _with_journal(file, parse_show(file, data["show"])),
        Path(path) if path else None,
        float(saved_at),
        held if isinstance(held, str) else "",
    )


def _with_journal(file: Path, show: Show) -> Show:
    """A show with what was logged since it was written. A line that was cut short by a crash was never said to be kept."""
    journal = file.with_suffix(JOURNAL)
    if not journal.exists():
        return show
    log = list(show.log)
    for line in read_text(journal).splitlines():
        try:
            row = json.loads(line)
            if isinstance(row, dict) and row.get("at") == len(log):
                log.append(LogEntry.model_validate_json(json.dumps(row["row"])))
        except (ValueError, KeyError):
            continue
    return show.model_copy(update={"log": tuple(log)})
