"""The patch list in and out of CSV."""

from __future__ import annotations

from pathlib import Path

from kymaphon.core.analysis.report import Report
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Cable, Show, same_socket
from kymaphon.core.report.sheet import patch_table
from kymaphon.core.wiring.patching import COLUMNS, PatchBook
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard
from kymaphon.files.row_file import RowProblems, cells_of, number_text, read_rows, row_error
from kymaphon.files.sheet_file import table_csv
from kymaphon.files.text_file import read_text, write_whole

MOST_CABLES = 20000
OTHER_NAMES = {"length": "length_m", "source": "from", "target": "to", "lead": "cable", "length (m)": "length_m"}


def read_patch(path: str | Path, show: Show, catalogue: Catalogue) -> tuple[Cable, ...]:
    """The cables of a patch list for a show.

    Raises:
        RowProblems: some rows cannot be used; `good` has the cables of the others.
        FileProblem: missing, no CSV, or columns that are not known.
    """
    path = Path(path)
    table = read_rows(path, read_text(path), "cables", MOST_CABLES)
    head = tuple(OTHER_NAMES.get(name, name) for name in table.head)
    unknown = [name for name in head if name and name not in COLUMNS]
    missing = [name for name in ("from", "to") if name not in head]
    if missing or unknown or len(set(head)) != len(head):
        what = (
            f"has no column {missing[0]}"
            if missing
            else f"column {unknown[0]} is not known"
            if unknown
            else "names a column twice"
        )
        raise FileProblem(path, f"{what}; columns are {', '.join(COLUMNS)}", "row 1")
    book = PatchBook(show, catalogue)
    cables: dict[str, tuple[int, Cable]] = {}
    problems: list[str] = []
    for number, row in table.rows:
        try:
            cells = cells_of(head, row)
            length = cells.get("length_m")
            text = None if length is None else number_text(length.removesuffix("m").strip(), comma=table.decimal_comma)
            cable = book.cable(cells, text)
            base = cable.target_socket
            if end_of(show, catalogue, cable.target).port.mixes:
                cables[f"{cable.source} > {cable.target}"] = number, cable
                continue
            other = next(
                (
                    name
                    for name in (cable.target, base, f"{base}.l", f"{base}.r")
                    if name in cables and same_socket(name, cable.target)
                ),
                None,
            )
            if other is not None:
                raise ValueError(f"{cable.target} is taken by row {cables[other][0]}; one socket, one plug")
            cables[cable.target] = number, cable
        except ValueError as error:
            problems.append(f"row {number}: {row_error(error)}")
    good = tuple(cable for _, cable in cables.values())
    if problems:
        raise RowProblems(path, problems, good)
    return good


def patch_csv(analysis: Report) -> str:
    """The patch list as CSV text, what a spreadsheet would take for a formula made harmless."""
    return table_csv(patch_table(analysis))


def write_patch(path: str | Path, analysis: Report) -> None:
    """Writes the patch list.

    Raises:
        FileProblem: it cannot be written.
    """
    guard(path)
    write_whole(Path(path), patch_csv(analysis).encode("utf-8"))
