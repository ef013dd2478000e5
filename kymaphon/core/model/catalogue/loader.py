"""Reads the shipped kinds and expands the short form in which many like channels are written."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from functools import cache, cached_property
from pathlib import Path
from typing import Any

from kymaphon.core.model.catalogue.kind import Kind


class _Written:
    """A kind as it is written in its file, read when it is first asked for: a show has a third of those that there are."""

    def __init__(self, data: dict[str, Any]) -> None:
        self.id = str(data["id"])
        self._data = data

    @cached_property
    def kind(self) -> Kind:
        return read_kind(self._data)


class Catalogue:
    """Kinds by id. Immutable; `with_kinds` makes a larger one."""

    def __init__(self, kinds: Iterable[Kind | _Written]) -> None:
        self._kinds = {kind.id: kind for kind in kinds}

    def __getitem__(self, kind_id: str) -> Kind:
        row = self._kinds[kind_id]
        return row.kind if isinstance(row, _Written) else row

    def __contains__(self, kind_id: str) -> bool:
        return kind_id in self._kinds

    def __iter__(self) -> Iterator[Kind]:
        return map(self.__getitem__, self._kinds)

    def with_kinds(self, *kinds: Kind) -> Catalogue:
        """This catalogue and some more kinds; one of the same id is replaced."""
        return Catalogue([*self._kinds.values(), *kinds]) if kinds else self


MOST_ROWS = 4096
"""Rows of one kind that `each` may write out: more than any desk has, and no bomb."""
MOST_OWN_ROWS = 512
"""The same in a show's own kinds."""


def expand(data: dict[str, Any], most: int = MOST_ROWS) -> dict[str, Any]:
    """Writes out rows with `"each": [first, last]`: `{n}` in their strings counts through, both ends
    included.

    Raises:
        ValueError: `each` is no pair of counting numbers, or the rows come to more than `most`.
    """
    out = dict(data)
    count = 0
    for key in ("inputs", "outputs", "buses", "paths", "controls", "keys"):
        rows: list[Any] = []
        given = data.get(key, ())
        if not isinstance(given, list | tuple):
            continue
        for row in given:
            if not isinstance(row, dict) or "each" not in row:
                rows.append(row)
                continue
            first, last = _counted(row["each"])
            count += last - first + 1
            if count > most:
                raise ValueError(f"{key} come to more than {most} rows")
            template = {name: value for name, value in row.items() if name != "each"}
            rows.extend(_numbered(template, n) for n in range(first, last + 1))
        out[key] = rows
    return out


def _counted(each: Any) -> tuple[int, int]:
    good = isinstance(each, list | tuple) and len(each) == 2
    if not good or not all(isinstance(end, int) and not isinstance(end, bool) and 0 <= end <= 9999 for end in each):
        raise ValueError(f'"each" is first and last, two whole numbers, not {str(each)[:40]}')
    first, last = each
    if last < first:
        raise ValueError(f'"each" counts up: {first} to {last} does not')
    return first, last


def _numbered(value: Any, n: int) -> Any:
    if isinstance(value, str):
        return value.replace("{n}", str(n))
    if isinstance(value, dict):
        return {name: _numbered(below, n) for name, below in value.items()}
    if isinstance(value, list):
        return [_numbered(below, n) for below in value]
    return value


def read_kind(data: dict[str, Any]) -> Kind:
    """A kind from its JSON form, short rows expanded.

    Raises:
        pydantic.ValidationError: it breaks the model, or its paths name what it does not have.
    """
    return Kind.model_validate(expand(data))


@cache
def shipped_catalogue() -> Catalogue:
    """All kinds that come with the product."""
    files = sorted((Path(__file__).parent / "kinds").glob("*.json"))
    return Catalogue(_Written(row) for file in files for row in json.loads(file.read_text(encoding="utf-8"))["kinds"])
