"""Plain-text presets on disk."""

from __future__ import annotations

from pathlib import Path

from kymaphon.core.dynamics.preset import PresetProblem, read_preset
from kymaphon.core.model.processing import Processing
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard
from kymaphon.files.text_file import write_whole

LARGEST = 1 << 20


def write_text(path: str | Path, text: str) -> None:
    """Writes a text beside its place, then renames it there.

    Raises:
        FileProblem: it cannot be written, or would take the place of a recording or a show.
    """
    guard(path)
    write_whole(path, text.encode("utf-8"))


def open_preset(path: str | Path) -> tuple[tuple[Processing, ...], str]:
    """The chain of a preset file, and the unit of its thresholds.

    Raises:
        FileProblem: missing, too large, or no preset; it says in which line.
    """
    path = Path(path)
    try:
        if path.stat().st_size > LARGEST:
            raise FileProblem(path, "is too large for a preset")
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise FileProblem(path, "is no plain text") from error
    except OSError as error:
        raise FileProblem(path, f"cannot be read: {error.strerror}") from error
    try:
        return read_preset(text)
    except PresetProblem as problem:
        raise FileProblem(path, str(problem).partition(": ")[2], f"line {problem.line}") from problem
