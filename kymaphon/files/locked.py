"""Locks between programs: what is read, changed and written back by several at once is nobody's loss."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from kymaphon.files.errors import FileProblem

try:
    import fcntl
except ImportError:  # pragma: no cover - no such locks on this system
    fcntl = None  # type: ignore[assignment]


class Lock:
    """A lock file, held until it is let go or the process ends, however it ends; the system lets go of it then.

    So nothing depends on process numbers, which live again after a restart and in every container.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._handle: int | None = None

    def take(self, *, wait: bool = False) -> bool:
        """Takes it. False where somebody else has it.

        Args:
            wait: until it is free.

        Raises:
            OSError: the lock file cannot be made.
        """
        if self._handle is not None:
            return True
        handle = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        if fcntl is not None:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | (0 if wait else fcntl.LOCK_NB))
            except BlockingIOError:
                os.close(handle)
                return False
            except OSError:
                os.close(handle)
                raise
        self._handle = handle
        return True

    def let_go(self, *, remove: bool = False) -> None:
        """Lets go of it; `remove` takes its file away too, while it is still held."""
        if self._handle is None:
            return
        if remove:
            with suppress(OSError):
                self.path.unlink()
        os.close(self._handle)
        self._handle = None


@contextmanager
def locked(path: Path) -> Iterator[None]:
    """Nobody else is in a block for the same file meanwhile.

    Raises:
        FileProblem: the folder cannot be written.
    """
    lock = Lock(path.with_name(f".{path.name}.lock"))
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        lock.take(wait=True)
    except OSError as error:
        raise FileProblem(path, f"cannot be written: {error.strerror}") from error
    try:
        yield
    finally:
        lock.let_go()
