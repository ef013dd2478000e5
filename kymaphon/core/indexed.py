"""An index over rows of a show, made once: rows are never changed, so that the very tuple tells whether it still holds."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar

_Index = TypeVar("_Index")


class Indexed(Generic[_Index]):
    """Makes an index of a tuple of rows when first asked, and keeps those of the last few tuples.

    It holds on to them, so that no other tuple can take their identity.

    Args:
        make: makes the index of some rows; from whichever thread asks.
        most: so many are kept.
    """

    def __init__(self, make: Callable[[tuple[Any, ...]], _Index], most: int = 32) -> None:
        self._make, self._most = make, most
        self._known: dict[int, tuple[tuple[Any, ...], _Index]] = {}

    def __call__(self, rows: tuple[Any, ...]) -> _Index:
        known = self._known.get(id(rows))
        if known is None or known[0] is not rows:
            if len(self._known) >= self._most:
                self._known.clear()
            known = self._known[id(rows)] = (rows, self._make(rows))
        return known[1]
