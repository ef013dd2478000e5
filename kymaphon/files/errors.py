"""What goes wrong at the disk, in words that a user can act on."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class FileProblem(Exception):
    """A file that cannot be used or written: which, where in it, what is wrong and what to do. One line."""

    def __init__(self, path: str | Path, what: str, where: str = "") -> None:
        self.path = Path(path)
        self.where = where
        self.what = what
        place = f" at {where}" if where else ""
        super().__init__(" ".join(f"{self.path.name}{place}: {what}".split()))


@contextmanager
def told_of(path: str | Path) -> Iterator[None]:
    """What goes wrong while a file is read, as a `FileProblem`: it went, its disk was pulled, it may not be read."""
    try:
        yield
    except OSError as error:
        raise FileProblem(path, f"cannot be read: {error.strerror or error}") from error
