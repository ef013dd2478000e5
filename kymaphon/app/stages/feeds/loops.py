"""Feeds, loops: what goes round, how far each is from howling, and what it does to the sound."""

from __future__ import annotations

import math

from PySide6.QtWidgets import QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.response_picture import ResponsePicture
from kymaphon.app.widgets.why import WhyContent
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.cuts import switches_on
from kymaphon.core.mixes.returns import Loop, loops_of, response_of, together
from kymaphon.core.words import counted

HEADINGS = ("Through", "Gain round", "Time round", "In hand", "Stands out every", "Sort")
HELP = (
    "Devices that it goes through",
    "Gain once round; at 0 dB it howls",
    "How long once round takes",
    "Below howling; 6 dB are kept",
    "Frequencies at which it rings first",
    "What sort of loop it is",
)


class CirclesPage(StagePage):
    """A table of loops, and what the chosen one does over frequency."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        self.circles: tuple[Loop, ...] = ()
        self.table = RowTable(
            theme,
            "Loops, strongest first",
            "What goes round; the Why panel has its arithmetic and its switches.",
        )
        self.table.let_grow(0, 5)
        self.table.chosen.connect(lambda _row, _column: self._chosen())
        self.picture = ResponsePicture(theme)
        for part, stretch in ((self.table, 3), (self.picture, 2)):
            card = QWidget()
            card.setObjectName("card")
            inside = QVBoxLayout(card)
            inside.setContentsMargins(8, 8, 8, 8)
            inside.addWidget(part)
            self.column.addWidget(card, stretch)

    def set_scale(self, scale: float) -> None:
        self.picture.scale = scale
        self.picture.setMinimumHeight(round(140 * scale))
        self.table.verticalHeader().setMinimumSectionSize(round(30 * scale))
        self.table.setMinimumHeight(round(150 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        analysis = self.document.analysis
        self.circles = loops_of(analysis)
        rows = []
        for n, row in enumerate(self.circles):
            through = " \u203a ".join(analysis.device_name(name) for name in dict.fromkeys(row.devices))
            spacing = show_number(row.spacing_hz, "Hz") if row.spacing_hz else DASH
            cells = (
                through,
                show_number(row.gain.value, "dB", sign=True),
                show_number(row.delay.value, "ms"),
                row.in_hand().removeprefix("gain margin "),
                spacing,
                row.cause,
            )
            mark = ((0, "stop"),) if row.howls else ((0, "fix"),) if row.rings else ()
            rows.append(Row(("circle", str(n)), cells, marks=mark))
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        if rows and self.table.currentIndex().row() < 0:
            self.table.choose(0)
        self.title.emit("Loops", self._headline())
        self._chosen()

    def _headline(self) -> str:
        if not self.circles:
            floor = number("loop-of-interest")
            return f"Nothing goes round, down to {show_number(floor, 'dB')} a round."
        if self.document.analysis.transfer.howls:
            return f"{counted(len(self.circles), 'loop')}; together they howl."
        whole = together(self.document.analysis)
        words = f"{len(self.circles)} {'loop' if len(self.circles) == 1 else 'loops'}"
        return (
            f"{words}, together {show_number(-whole.value, 'dB')} from howling." if whole is not None else f"{words}."
        )

    @property
    def circle(self) -> Loop | None:
        """The loop that is chosen."""
        row = self.table.currentIndex().row()
        return self.circles[row] if 0 <= row < len(self.circles) else None

    def _chosen(self) -> None:
        circle = self.circle
        empty = self.picture.frequencies[:0]
        found = response_of(circle) if circle is not None else None
        hue = self.theme.color("voice")
        if circle is None:
            self.picture.set_curve(empty, empty, (), "Nothing goes round.", hue)
        elif found is None:
            first = ", ".join(show_number(hertz, "Hz") for hertz in circle.comb(4))
            where = f" It builds up near one of {first} \u2026" if first else ""
            self.picture.set_curve(empty, empty, (), f"It howls: there is no steady response.{where}", hue)
        else:
            words = (
                f"this loop alone: {show_number(circle.peak_db, 'dB', sign=True)} to {show_number(circle.dip_db, 'dB')}"
            )
            self.picture.set_curve(*found, (), words, hue)
        self.why_changed.emit()

    def why(self) -> WhyContent:
        analysis = self.document.analysis
        about = tuple(row for row in analysis.findings if row.code.startswith("loop-"))
        circle = self.circle
        if circle is None:
            return WhyContent("Loops", self._headline(), findings=about)
        whole = together(analysis)
        margin = analysis.transfer.stability.margin_db
        more = [] if whole is None else [whole]
        if math.isfinite(margin):
            source = "below howling nothing can build up, whatever the phases (Perron, Frobenius)"
            more.append(Derived("gain margin of all loops together", margin, "dB", source=source))
        first = ", ".join(show_number(hertz, "Hz") for hertz in circle.comb(4))
        notes = (f"Stands out first at {first} \u2026",) if first else ()
        switches = tuple(switches_on([circle.path]))
        words = f"{circle.cause}; {circle.in_hand()}"
        return WhyContent(
            "A loop",
            words,
            circle.rings,
            (circle.gain, circle.delay),
            about,
            tuple(more),
            switches,
            "Switches in it",
            notes=notes,
        )
