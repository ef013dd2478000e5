"""Sheets as PDF, on A4 or Letter, in black and grey: the first page for who walks in now, wide tables split with their words kept whole,
what is drawn across on pages turned; name, sort and page number at the foot of each.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from functools import cache
from importlib import resources
from typing import Any

from kymaphon.core.report.drawing import Box, Dot, Drawing, Line, Words
from kymaphon.core.report.sheet import Sheet, Table
from kymaphon.files.sheet_file import Paper, fitted

REGULAR, BOLD = "Sheet", "Sheet-Bold"
SIZE, SMALL = 8.5, 7.6
EDGE_MM, FOOT_MM = 14, 15
PAD = 6.0
LARGEST_ACROSS = 0.75
SMALLEST = 6.6
"""Words of a table are made no smaller than this before it is split."""


@cache
def _fonts() -> None:
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    folder = resources.files("kymaphon").joinpath("fonts")
    for name, weight in ((REGULAR, "Regular"), (BOLD, "SemiBold")):
        with resources.as_file(folder.joinpath(f"AtkinsonHyperlegibleNext-{weight}.ttf")) as font:
            pdfmetrics.registerFont(TTFont(name, str(font)))


def _wide(text: str, size: float, *, bold: bool = False) -> float:
    from reportlab.pdfbase.pdfmetrics import stringWidth

    return float(stringWidth(text, BOLD if bold else REGULAR, size))


def sheet_pdf(sheet: Sheet, paper: Paper = "a4") -> bytes:
    """The sheet as a PDF in the shipped typeface."""
    from reportlab.lib.pagesizes import A4, landscape, letter
    from reportlab.lib.units import mm
    from reportlab.platypus import BaseDocTemplate, Frame, NextPageTemplate, PageBreak, PageTemplate, Paragraph, Spacer

    _fonts()
    size = A4 if paper == "a4" else letter
    edge, foot = EDGE_MM * mm, FOOT_MM * mm
    styles = _styles()
    width, height = size[0] - 2 * edge, size[1] - edge - foot
    story: list[Any] = [
        Paragraph(_escaped(sheet.title), styles["title"]),
        Paragraph(_escaped(sheet.subtitle), styles["small"]),
    ]
    story += [Spacer(1, 4), Paragraph(_escaped(sheet.summary), styles["body"])]
    if sheet.front:
        story += _front(sheet.front, width)
        plans = [row for row in sheet.drawings if not row.across]
        story += _plans(plans, width)
        story.append(PageBreak())
    for table in sheet.tables:
        for part in _parts(table, width):
            story += _grid(part, width)
    story.append(Paragraph("Take care", styles["section"]))
    story += [Paragraph(_escaped(text), styles["body"]) for text in sheet.cautions]
    across = [row for row in sheet.drawings if row.across]
    turned = landscape(size)
    for row in across:
        story += [NextPageTemplate("across"), PageBreak(), Paragraph(_escaped(row.title), styles["section"])]
        story.append(_picture(row, turned[0] - 2 * edge, turned[1] - edge - foot - 40))
    buffer = io.BytesIO()
    document = BaseDocTemplate(
        buffer,
        pagesize=size,
        title=f"{sheet.title}: {sheet.sort}",
        author="Kymaphon",
        leftMargin=edge,
        rightMargin=edge,
    )
    upright = Frame(edge, foot, width, height, 0, 0, 0, 0, id="upright")
    flat = Frame(edge, foot, turned[0] - 2 * edge, turned[1] - edge - foot, 0, 0, 0, 0, id="flat")
    document.addPageTemplates(
        [PageTemplate("upright", [upright], pagesize=size), PageTemplate("across", [flat], pagesize=turned)]
    )
    document.build(story, canvasmaker=_numbered(f"{sheet.title}, {sheet.sort}", edge))
    return buffer.getvalue()


def _styles() -> dict[str, Any]:
    from reportlab.lib.colors import black, gray
    from reportlab.lib.styles import ParagraphStyle

    body = ParagraphStyle(
        "body", fontName=REGULAR, fontSize=SIZE, leading=SIZE * 1.3, textColor=black, splitLongWords=0
    )
    return {
        "body": body,
        "small": ParagraphStyle("small", parent=body, textColor=gray),
        "title": ParagraphStyle("title", parent=body, fontName=BOLD, fontSize=18, leading=22),
        "section": ParagraphStyle(
            "section", parent=body, fontName=BOLD, fontSize=11, leading=14, spaceBefore=9, spaceAfter=3, keepWithNext=1
        ),
    }


def _numbered(words: str, edge: float) -> Any:
    """A canvas that knows at the foot of each page how many there are."""
    from reportlab.pdfgen.canvas import Canvas

    class Numbered(Canvas):  # type: ignore[misc]
        def __init__(self, *args: Any, **more: Any) -> None:
            super().__init__(*args, **more)
            self._pages: list[dict[str, Any]] = []

        def showPage(self) -> None:
            self._pages.append(dict(self.__dict__))
            self._startPage()

        def save(self) -> None:
            for page in self._pages:
                self.__dict__.update(page)
                self.setFont(REGULAR, 7.5)
                self.setFillGray(0.3)
                number = f"page {self._pageNumber} of {len(self._pages)}"
                room = self._pagesize[0] - 2 * edge - _wide(number, 7.5) - 20
                self.drawString(edge, 22, fitted(words, room, lambda text: _wide(text, 7.5)))
                self.drawRightString(self._pagesize[0] - edge, 22, number)
                super().showPage()
            super().save()

    return Numbered


def _front(tables: Sequence[Table], width: float) -> list[Any]:
    """The first across the page, the others in two columns, the longer ones first."""
    from reportlab.platypus import Table as Grid

    first, *rest = tables
    story = _grid(first, width, SMALL)
    columns: list[list[Any]] = [[], []]
    heights = [0, 0]
    half = (width - 14) / 2
    for table in rest:
        place = heights.index(min(heights))
        columns[place] += _grid(table, half, SMALL)
        heights[place] += len(table.rows) + 3
    if rest:
        side = Grid([[columns[0], columns[1]]], colWidths=[half + 7, half + 7], splitInRow=1)
        side.setStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (0, -1), 0),
                ("LEFTPADDING", (1, 0), (1, -1), 7),
                ("RIGHTPADDING", (0, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 0),
            ]
        )
        story.append(side)
    return story


def _plans(drawings: Sequence[Drawing], width: float) -> list[Any]:
    """Two plans beside each other."""
    from reportlab.platypus import KeepTogether, Paragraph
    from reportlab.platypus import Table as Grid

    styles = _styles()
    half = (width - 14) / 2
    cells = [[Paragraph(_escaped(row.title), styles["section"]), _picture(row, half, 190)] for row in drawings]
    rows = [cells[n : n + 2] for n in range(0, len(cells), 2)]
    out = []
    for row in rows:
        grid = Grid([row + [""] * (2 - len(row))], colWidths=[half + 7, half + 7])
        grid.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
        out.append(KeepTogether([grid]))
    return out


def _grid(table: Table, width: float, size: float = SIZE) -> list[Any]:
    from reportlab.lib.colors import Color, black
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Paragraph
    from reportlab.platypus import Table as Grid

    styles = _styles()
    size = _size(table, width, size)
    # A word that is longer than the page has to break somewhere; no other does.
    breaks = int(sum(_needs(table, size)) > width)
    cell = ParagraphStyle("cell", parent=styles["body"], fontSize=size, leading=size * 1.27, splitLongWords=breaks)
    head = ParagraphStyle("head", parent=cell, fontName=BOLD)
    rows = [[Paragraph(_escaped(text), head) for text in table.headings]]
    rows += [[Paragraph(_escaped(text), cell) for text in row] for row in table.rows]
    grid = Grid(rows, colWidths=_widths(table, width, size), repeatRows=1)
    line = Color(0.7, 0.7, 0.7)
    grid.setStyle(
        [
            ("LINEBELOW", (0, 0), (-1, 0), 0.8, black),
            ("LINEBELOW", (0, 1), (-1, -1), 0.4, line),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ("RIGHTPADDING", (0, 0), (-1, -1), PAD),
            ("TOPPADDING", (0, 0), (-1, -1), 1.2),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 1.6),
        ]
    )
    out: list[Any] = [Paragraph(_escaped(table.title), styles["section"]), grid]
    if table.note:
        out.append(Paragraph(_escaped(table.note), styles["small"]))
    return out


def _needs(table: Table, size: float) -> list[float]:
    """As wide as the longest word of each column."""
    out = []
    for n, heading in enumerate(table.headings):
        words = {word for row in table.rows for word in row[n].split()}
        widest = max((_wide(word, size) for word in words), default=0.0)
        title = max((_wide(word, size, bold=True) for word in heading.split()), default=0.0)
        out.append(max(widest, title) + PAD + 1.5)
    return out


def _size(table: Table, width: float, size: float) -> float:
    """Smaller words where the longest would not stand in their columns."""
    while size > SMALLEST and sum(_needs(table, size)) > width:
        size -= 0.2
    return max(size, SMALLEST)


def _parts(table: Table, width: float) -> list[Table]:
    """A table that is too wide even with small words, in parts that begin with its first column."""
    return table.parted(_needs(table, SMALLEST), width)


def _widths(table: Table, width: float, size: float) -> list[float]:
    """What each longest word needs, and the rest by how much text there is."""
    needs = _needs(table, size)
    whole = sum(needs)
    if whole >= width:
        # Short columns keep what they need; the long ones share what is left.
        fair = width / len(needs)
        short = sum(row for row in needs if row <= fair)
        long = sum(row for row in needs if row > fair)
        return [row if row <= fair else (width - short) * row / long for row in needs]
    wants = []
    for n, heading in enumerate(table.headings):
        cells = [heading, *(row[n] for row in table.rows)]
        longest = max(_wide(cell, size) for cell in cells) + PAD + 1.5
        # Long cells count for more than short ones: a few of them make a row tall.
        usual = (sum(_wide(cell, size) ** 2 for cell in cells) / len(cells)) ** 0.5 + PAD
        wants.append(max(0.0, min(longest, usual * 1.3) - needs[n]))
    left = width - whole
    if sum(wants) <= left:
        # What nobody needs goes to the columns with most text.
        spare = left - sum(wants)
        total = sum(needs) + sum(wants)
        return [need + want + spare * (need + want) / total for need, want in zip(needs, wants, strict=True)]
    return [need + left * want / sum(wants) for need, want in zip(needs, wants, strict=True)]


def _picture(drawing: Drawing, width: float, height: float) -> Any:
    """A drawing as large as its room, never larger than it was made; one across the page no larger than its words need."""
    from reportlab.lib.colors import Color
    from reportlab.platypus import Flowable

    scale = min(width / drawing.width, height / drawing.height, LARGEST_ACROSS if drawing.across else 1.0)

    class Picture(Flowable):  # type: ignore[misc]
        def wrap(self, *_room: float) -> tuple[float, float]:
            return drawing.width * scale, drawing.height * scale

        def draw(self) -> None:
            canvas = self.canv
            canvas.saveState()
            canvas.translate(0, drawing.height * scale)
            canvas.scale(scale, -scale)
            for shape in drawing.shapes:
                _shape(canvas, shape, Color)
            canvas.restoreState()

    return Picture()


def _shape(canvas: Any, shape: Line | Box | Dot | Words, color: Any) -> None:
    if isinstance(shape, Line):
        canvas.setStrokeColor(color(shape.shade, shape.shade, shape.shade))
        canvas.setLineWidth(shape.width)
        canvas.setDash([5, 4] if shape.dashed else [])
        path = canvas.beginPath()
        path.moveTo(*shape.points[0])
        for point in shape.points[1:]:
            path.lineTo(*point)
        canvas.drawPath(path)
        canvas.setDash([])
        return
    canvas.setStrokeColor(color(0, 0, 0))
    if isinstance(shape, Box):
        canvas.setLineWidth(shape.edge)
        canvas.setFillGray(1.0 if shape.fill is None else shape.fill)
        canvas.rect(shape.x, shape.y, shape.width, shape.height, fill=int(shape.fill is not None))
    elif isinstance(shape, Dot):
        canvas.setLineWidth(0.8)
        canvas.setFillGray(1.0 if shape.fill is None else shape.fill)
        canvas.circle(shape.x, shape.y, shape.radius, fill=1)
    else:
        text = fitted(_letters(shape.text), shape.room, lambda words: _wide(words, shape.size, bold=shape.bold))
        wide = _wide(text, shape.size, bold=shape.bold)
        left = shape.x - {"start": 0.0, "middle": wide / 2, "end": wide}[shape.anchor]
        canvas.saveState()
        canvas.translate(left, shape.y)
        canvas.scale(1, -1)
        canvas.setFillGray(shape.shade)
        canvas.setFont(BOLD if shape.bold else REGULAR, shape.size)
        canvas.drawString(0, 0, text)
        canvas.restoreState()


def _letters(text: str) -> str:
    """The typeface has no arrows."""
    return text.replace("\u2192", "to")


def _escaped(text: str) -> str:
    return _letters(text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;"))
