"""The rig sheet as a page (HTML, PDF) or a list (CSV)."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Literal

from kymaphon.core.report.drawing import Box, Dot, Drawing, Line, Words
from kymaphon.core.report.sheet import Sheet, Table, sheet_json
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard
from kymaphon.files.text_file import write_whole

SUFFIXES = (".html", ".pdf", ".csv", ".json")
Paper = Literal["a4", "letter"]
# Where a cell may begin: at its start, and after any separator that some locale or program has.
_BEGINS = r"(^|[;,\t|\n\r\v\f\x1c-\x1e\x85\u2028\u2029])([ \"\u00a0\u3000]*)"
_FORMULA = re.compile(_BEGINS + r"(?=[=+\-@\uff1d\uff0b\uff0d\uff20'])")
_APOSTROPHE = re.compile(_BEGINS + "'")


def write_sheet(path: str | Path, sheet: Sheet, lists: Table, *, paper: Paper = "a4") -> None:
    """Writes the sheet, or (for .csv) the list, by the ending of the name; .json has everything that the sheet says.

    Raises:
        FileProblem: another ending, or it cannot be written.
    """
    path = Path(path)
    guard(path)
    suffix = path.suffix.lower()
    if suffix == ".html":
        write_whole(path, sheet_html(sheet).encode("utf-8"))
    elif suffix == ".pdf":
        from kymaphon.files.sheet_pdf import sheet_pdf

        write_whole(path, sheet_pdf(sheet, paper))
    elif suffix == ".csv":
        write_whole(path, table_csv(lists).encode("utf-8"))
    elif suffix == ".json":
        write_whole(path, (json.dumps(sheet_json(sheet), ensure_ascii=False, indent=1) + "\n").encode("utf-8"))
    else:
        raise FileProblem(path, f"a sheet is written as one of {', '.join(SUFFIXES)}")


def sheet_html(sheet: Sheet) -> str:
    """The sheet as one HTML page that needs nothing else."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(loader=PackageLoader("kymaphon.files"), autoescape=True, undefined=StrictUndefined)
    parts = [part for table in sheet.tables for part in parted(table, HTML_LETTERS)]
    plans = [drawing_svg(row) for row in sheet.drawings if not row.across]
    across = [drawing_svg(row) for row in sheet.drawings if row.across]
    template = environment.get_template("sheet.html.j2")
    return template.render(sheet=sheet, tables=parts, plans=plans, across=across)


HTML_LETTERS = 130
"""So many letters stand on a line of the page: a wider table is split."""


def parted(table: Table, letters: int) -> list[Table]:
    """A table whose columns do not stand on a line, in parts that each begin with its first column; no word is broken.

    Args:
        letters: so many stand on a line.
    """
    needs = []
    for n, heading in enumerate(table.headings):
        words = {word for text in (heading, *(row[n] for row in table.rows)) for word in text.split()}
        needs.append(max(map(len, words), default=1) + 2)
    return table.parted(needs, letters)


def drawing_svg(drawing: Drawing) -> Svg:
    """A drawing as SVG."""
    from markupsafe import Markup, escape

    def grey(shade: float) -> str:
        return f"#{round(255 * shade):02x}" + f"{round(255 * shade):02x}" * 2

    rows = []
    for shape in drawing.shapes:
        if isinstance(shape, Line):
            points = " ".join(f"{x:.1f},{y:.1f}" for x, y in shape.points)
            dash = ' stroke-dasharray="5 4"' if shape.dashed else ""
            rows.append(
                f'<polyline points="{points}" fill="none" stroke="{grey(shape.shade)}" stroke-width="{shape.width}"{dash}/>'
            )
        elif isinstance(shape, Box):
            fill = "none" if shape.fill is None else grey(shape.fill)
            rows.append(
                f'<rect x="{shape.x:.1f}" y="{shape.y:.1f}" width="{shape.width:.1f}" height="{shape.height:.1f}" rx="2" fill="{fill}" '
                f'stroke="#000" stroke-width="{shape.edge}"/>'
            )
        elif isinstance(shape, Dot):
            fill = "#fff" if shape.fill is None else grey(shape.fill)
            rows.append(
                f'<circle cx="{shape.x:.1f}" cy="{shape.y:.1f}" r="{shape.radius}" fill="{fill}" stroke="#000"/>'
            )
        elif isinstance(shape, Words):
            weight = ' font-weight="600"' if shape.bold else ""
            text = fitted(shape.text, shape.room, partial(_about_wide, shape.size))
            rows.append(
                f'<text x="{shape.x:.1f}" y="{shape.y:.1f}" font-size="{shape.size}" text-anchor="{shape.anchor}" '
                f'fill="{grey(shape.shade)}"{weight}>{escape(text)}</text>'
            )
    inside = "".join(rows)
    return Svg(
        drawing.title,
        Markup(
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {drawing.width:.0f} {drawing.height:.0f}" role="img" '
            f'aria-label="{escape(drawing.title)}: {escape(drawing.words[:2000])}">{inside}</svg>'
        ),
        drawing.width,
    )


def _about_wide(size: float, words: str) -> float:
    """How wide words are, where the page's own typeface is not known."""
    return len(words) * size * 0.53


@dataclass(frozen=True, slots=True)
class Svg:
    """A drawing for the page: its markup is ours, with every word in it escaped."""

    title: str
    markup: str
    width: float


def fitted(text: str, room: float | None, measure: Callable[[str], float]) -> str:
    """Words cut with dots where they are wider than their room."""
    if room is None or measure(text) <= room:
        return text
    while text and measure(f"{text}\u2026") > room:
        text = text[:-1]
    return f"{text.rstrip()}\u2026"


def table_csv(table: Table) -> str:
    """A table as CSV. Cells that a spreadsheet would take for a formula get a leading apostrophe."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(table.headings)
    for row in table.rows:
        writer.writerow([harmless(cell) for cell in row])
    return out.getvalue()


def harmless(cell: str) -> str:
    """The cell with an apostrophe before whatever a spreadsheet would take for a formula, also where another locale's separator, or a
    line break, makes a cell of its own of a part of it. A real apostrophe there is doubled, so that `as_it_was` gives back the very cell.
    """
    return _FORMULA.sub(r"\1\2'", cell)


def as_it_was(cell: str) -> str:
    """A cell without the apostrophes that made it harmless."""
    return _APOSTROPHE.sub(r"\1\2", cell)
