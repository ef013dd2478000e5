"""The rig sheet as a page (HTML, PDF) or a list (CSV)."""

from __future__ import annotations

import csv
import io
import re
from importlib import resources
from pathlib import Path

from kymaphon.core.report.sheet import Sheet, Table
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard
from kymaphon.files.text_file import write_whole

SUFFIXES = (".html", ".pdf", ".csv")
# Where a cell may begin: at its start, and after any separator that some locale or program has.
_BEGINS = r"(^|[;,\t|\n\r\v\f\x1c-\x1e\x85\u2028\u2029])([ \"\u00a0\u3000]*)"
_FORMULA = re.compile(_BEGINS + r"(?=[=+\-@\uff1d\uff0b\uff0d\uff20'])")
_APOSTROPHE = re.compile(_BEGINS + "'")


def write_sheet(path: str | Path, sheet: Sheet, lists: Table) -> None:
    """Writes the sheet, or (for .csv) the list, by the ending of the name.

    Raises:
        FileProblem: another ending, or it cannot be written.
    """
    path = Path(path)
    guard(path)
    suffix = path.suffix.lower()
    if suffix == ".html":
        write_whole(path, sheet_html(sheet).encode("utf-8"))
    elif suffix == ".pdf":
        write_whole(path, sheet_pdf(sheet))
    elif suffix == ".csv":
        write_whole(path, table_csv(lists).encode("utf-8"))
    else:
        raise FileProblem(path, f"a sheet is written as one of {', '.join(SUFFIXES)}")


def sheet_html(sheet: Sheet) -> str:
    """The sheet as one HTML page that needs nothing else."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(loader=PackageLoader("kymaphon.files"), autoescape=True, undefined=StrictUndefined)
    return environment.get_template("sheet.html.j2").render(sheet=sheet)


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


def sheet_pdf(sheet: Sheet) -> bytes:
    """The sheet as an A4 PDF in the shipped typeface."""
    from reportlab.lib import colors
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.lib.units import mm
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont
    from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer
    from reportlab.platypus import Table as Grid

    folder = resources.files("kymaphon").joinpath("fonts")
    for name, weight in (("Sheet", "Regular"), ("Sheet-Bold", "SemiBold")):
        with resources.as_file(folder.joinpath(f"AtkinsonHyperlegibleNext-{weight}.ttf")) as font:
            pdfmetrics.registerFont(TTFont(name, str(font)))
    ink, muted, line = colors.HexColor("#142B33"), colors.HexColor("#50656D"), colors.HexColor("#C9BFAB")
    body = ParagraphStyle("body", fontName="Sheet", fontSize=8.5, leading=11, textColor=ink)
    small = ParagraphStyle("small", parent=body, textColor=muted)
    head = ParagraphStyle("head", parent=body, fontName="Sheet-Bold", textColor=muted)
    title = ParagraphStyle("title", parent=body, fontName="Sheet-Bold", fontSize=18, leading=22)
    section = ParagraphStyle(
        "section",
        parent=body,
        fontName="Sheet-Bold",
        fontSize=11,
        leading=14,
        spaceBefore=10,
        spaceAfter=3,
        keepWithNext=1,
    )
    story = [Paragraph(_escaped(sheet.title), title), Paragraph(_escaped(sheet.subtitle), small)]
    story += [Spacer(1, 4), Paragraph(_escaped(sheet.summary), body)]
    width = A4[0] - 32 * mm - 12
    for table in sheet.tables:
        story.append(Paragraph(_escaped(table.title), section))
        rows = [[Paragraph(_escaped(cell), head) for cell in table.headings]]
        rows += [[Paragraph(_escaped(cell), body) for cell in row] for row in table.rows]
        grid = Grid(rows, colWidths=_widths(table, width), repeatRows=1)
        grid.setStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, line),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
            ]
        )
        story.append(grid)
        if table.note:
            story.append(Paragraph(_escaped(table.note), small))
    story.append(Paragraph("Take care", section))
    story += [Paragraph(_escaped(text), body) for text in sheet.cautions]

    def footer(canvas: object, document: object) -> None:
        canvas.setFont("Sheet", 7.5)  # type: ignore[attr-defined]
        canvas.setFillColor(muted)  # type: ignore[attr-defined]
        text = f"{sheet.title}, page {document.page}"  # type: ignore[attr-defined]
        canvas.drawString(16 * mm, 9 * mm, text)  # type: ignore[attr-defined]

    buffer = io.BytesIO()
    document = SimpleDocTemplate(
        buffer,
        pagesize=A4,
        title=f"{sheet.title}: rig sheet",
        author="Kymaphon",
        leftMargin=16 * mm,
        rightMargin=16 * mm,
        topMargin=15 * mm,
        bottomMargin=16 * mm,
    )
    document.build(story, onFirstPage=footer, onLaterPages=footer)
    return buffer.getvalue()


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace("\u2192", "to")


def _widths(table: Table, width: float) -> list[float]:
    """Columns as wide as their longest word needs and their text deserves."""
    longest = []
    for i, heading in enumerate(table.headings):
        cells = [heading, *(row[i] for row in table.rows)]
        word = max((len(word) for cell in cells for word in cell.split()), default=1)
        mean = sum(len(cell) for cell in cells) / len(cells)
        longest.append(max(word + 2.0, min(mean, 60.0)))
    whole = sum(longest)
    return [width * part / whole for part in longest]
