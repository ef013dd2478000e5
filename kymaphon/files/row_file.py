"""Lists as CSV: commas, semicolons or tabs, with or without a byte order mark; what is wrong is told by row."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kymaphon.files.errors import FileProblem
from kymaphon.files.sheet_file import as_it_was
from kymaphon.files.show_file import plain_error


class RowProblems(FileProblem):
    """Rows of a list that cannot be used; `good` is what the others give, for the user to keep or not."""

    def __init__(self, path: Path, problems: list[str], good: tuple[Any, ...]) -> None:
        more = f" (and {len(problems) - 1} more)" if len(problems) > 1 else ""
        super().__init__(path, problems[0] + more)
        self.problems, self.good = problems, good


@dataclass(frozen=True, slots=True)
class RowSheet:
    """A list: its column names in lower case, its rows that are not empty with their numbers in the file.

    `decimal_comma` says that commas do not separate cells, so that one in a number is decimal.
    """

    head: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]
    decimal_comma: bool


def read_rows(path: Path, text: str, what: str, most: int) -> RowSheet:
    """The rows of a CSV text.

    Raises:
        FileProblem: empty, no CSV, or more than `most` rows.
    """
    first = next((line for line in text.splitlines() if line.strip()), "")
    if not first:
        raise FileProblem(path, f"is empty: there are no {what} in it")
    separator = max(",;\t", key=first.count)
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=separator, strict=True))
    except csv.Error as error:
        raise FileProblem(path, f"is not CSV: {error}") from error
    numbered = [(n, tuple(row)) for n, row in enumerate(rows, start=1) if any(cell.strip() for cell in row)]
    if not numbered:
        raise FileProblem(path, f"is empty: there are no {what} in it")
    head = tuple(cell.strip().lower() for cell in numbered[0][1])
    if len(numbered) - 1 > most:
        raise FileProblem(path, f"has {len(numbered) - 1} rows; at most {most} are read")
    return RowSheet(head, tuple(numbered[1:]), separator != ",")


def cells_of(head: Sequence[str], row: Sequence[str]) -> dict[str, str]:
    """Column -> cell, empty ones left out; the apostrophe that made a cell harmless is taken off again.

    Raises:
        ValueError: more cells than columns.
    """
    if len(row) > len(head) and any(cell.strip() for cell in row[len(head) :]):
        raise ValueError(f"has {len(row)} cells, and there are {len(head)} columns")
    return {name: _plain(cell) for name, cell in zip(head, row, strict=False) if name and cell.strip()}


def _plain(cell: str) -> str:
    """What we made harmless exactly as it was; what somebody typed without the blanks around it."""
    value = as_it_was(cell)
    return value if value != cell else value.strip()


def number_text(cell: str, *, comma: bool) -> str:
    """The cell as pydantic reads it: a true minus sign, and a decimal comma where commas do not separate."""
    text = cell.replace("\u2212", "-")
    return text.replace(",", ".") if comma and "." not in text else text


def row_error(error: ValueError) -> str:
    """What is wrong with a row, in words."""
    if isinstance(error, ValidationError):
        first = error.errors()[0]
        where = ".".join(map(str, first["loc"]))
        return f"{where}: {plain_error(first)}" if where else plain_error(first)
    return str(error)
