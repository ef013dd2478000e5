"""One guard for everything that is written: no output takes the place of a recording, of a show, or of what is being read."""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import Path
from typing import Literal

from kymaphon.files.errors import FileProblem

Output = Literal["show", "list"]
"""What is written: a show, or anything else."""
LOOKED_AT = 4096
SOUNDS = (
    b"RIFF",
    b"RIFX",
    b"RF64",
    b"BW64",
    b"fLaC",
    b"OggS",
    b"FORM",
    b"ID3",
    b"riff",
    b"\xff\xfb",
    b"\xff\xf3",
    b"\xff\xf2",
    b".snd",
    b"caff",
)
"""First bytes of recordings: RIFF and its large kin, FLAC, Ogg, AIFF, MP3, W64, AU, CAF."""
_SHOW = re.compile(rb'^\s*(?:\xef\xbb\xbf)?\s*\{.*?"kymaphon"\s*:', re.DOTALL)


def guard(path: str | Path, output: Output = "list", *, read: Iterable[str | Path] = ()) -> None:
    """Whether something may be written here; nothing when it may.

    Args:
        read: what is being read meanwhile. A show may be written back into itself.

    Raises:
        FileProblem: it would take the place of a recording, of a show, or of what is being read, also through a link.
    """
    path = Path(path)
    try:
        if not path.exists():
            return
        if path.is_dir():
            raise FileProblem(path, "is a folder; name a file in it")
        itself = any(_same(path, row) for row in read)
        with path.open("rb") as file:
            head = file.read(LOOKED_AT)
    except ValueError as error:
        raise FileProblem(path, "is no name that a file can have") from error
    except OSError as error:
        raise FileProblem(path, f"cannot be written: {error.strerror}") from error
    held = _what(head)
    if itself and not (output == "show" and held == "show"):
        raise FileProblem(path, "is what is being read here; give what is written another name")
    if held == "recording":
        raise FileProblem(path, "is a recording, and no recording is written over; give another name")
    if held == "show" and not itself:
        raise FileProblem(path, "is a show, and is not written over; give another name, or take it away first")
    if output == "show" and head and held != "show":
        raise FileProblem(path, "is no show, and is not written over by one; give another name")


def _same(path: Path, other: str | Path) -> bool:
    try:
        return path.samefile(other)
    except (OSError, ValueError):
        return False


def _what(head: bytes) -> str:
    if head.startswith(SOUNDS):
        return "recording"
    return "show" if _SHOW.match(head) else ""


def is_show(path: str | Path) -> bool:
    """Whether a file looks like a show."""
    try:
        with Path(path).open("rb") as file:
            return _what(file.read(LOOKED_AT)) == "show"
    except (OSError, ValueError):
        return False
