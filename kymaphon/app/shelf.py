"""The catalogue with the user's own kinds, for whatever offers kinds: forms, dialogs, the page for a new show."""

from __future__ import annotations

from collections.abc import Callable

from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.files.errors import FileProblem
from kymaphon.files.kinds_file import read_shelf, shelf_path


class Shelf:
    """The user's own kinds, read again only when the file has changed.

    Args:
        tell: gets what is wrong with the file, in words; then nothing of it is offered.
    """

    def __init__(self, tell: Callable[[str], object]) -> None:
        self._tell = tell
        self._own: tuple[int, tuple[Kind, ...]] | None = None

    def kinds(self) -> tuple[Kind, ...]:
        """What lies on it now."""
        try:
            stamp = shelf_path().stat().st_mtime_ns if shelf_path().exists() else 0
            if self._own is None or self._own[0] != stamp:
                self._own = stamp, read_shelf()
        except FileProblem as problem:
            self._tell(str(problem))
            self._own = None
            return ()
        return self._own[1]

    def on(self, known: Catalogue) -> Catalogue:
        """A catalogue with what lies on the shelf and is not in it."""
        return known.with_kinds(*(kind for kind in self.kinds() if kind.id not in known))
