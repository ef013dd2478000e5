"""Book, over shows: what was measured and set, show by show, with its middle and what is usual."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.book.bench import BookBench
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.over_shows import OverShows, Series
from kymaphon.app.widgets.why import WhyContent, label
from kymaphon.core.book.facts import UNITS, WHAT_WORDS, Fact, Proposal, figure_words, over_shows
from kymaphon.core.book.robust import Middle, sure_words
from kymaphon.core.derive import Derived

HEADINGS = ("Of", "What", "Usually", "Spread", "Times", "Today")
HELP = (
    "Whom or what it is of, and what it depends on",
    "The figure",
    "The middle of the shows that count: the median, which one wild show does not move",
    "Median absolute deviation, scaled to a standard deviation",
    "So many shows",
    "As the show that is open has it",
)


class OverPage(StagePage):
    """The picture of one figure over the table of all."""

    def __init__(self, bench: BookBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        inside = self.card(1)
        self.told = label("", "muted")
        inside.addWidget(self.told)
        self.picture = OverShows(theme)
        inside.addWidget(self.picture, 1)
        self.table = RowTable(
            theme, "Figures over shows", "What is remembered over shows; the picture is of the row that is chosen."
        )
        self.table.let_grow(0)
        self.table.chosen.connect(lambda row, _column: self._chosen(row))
        self.column.addWidget(self.table, 1)
        self.groups: list[tuple[list[Fact], Middle]] = []
        bench.changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.picture.set_scale(scale)
        self.table.setMinimumHeight(round(160 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        self.bench.read()
        self._follow()

    def _follow(self) -> None:
        here = {row.fact.key for row in self.bench.proposals}
        self.groups = sorted(over_shows(self.bench.facts), key=lambda row: (row[0][0].key not in here, row[0][0].key))
        chosen = max(self.table.currentIndex().row(), 0)
        self.table.set_rows(HEADINGS, HELP, tuple(self._row(*row) for row in self.groups))
        self.table.choose(min(chosen, len(self.groups) - 1))
        shows = len(self.bench.shows)
        self.title.emit("Over shows", f"{shows} shows remembered" if shows else "nothing is remembered yet")
        self.told.setText(
            self.bench.problem
            or ("" if self.groups else "A show is remembered when it is saved, and when it goes off air.")
        )
        self.told.setVisible(bool(self.told.text()))
        self._chosen(min(chosen, len(self.groups) - 1))

    def _proposal(self, fact: Fact) -> Proposal | None:
        return next((row for row in self.bench.proposals if row.fact.key == fact.key), None)

    def _row(self, rows: list[Fact], found: Middle) -> Row:
        fact = rows[0]
        here = self._proposal(fact)
        now = figure_words(here.now, fact.what) if here is not None and here.now is not None else DASH
        of = f"{fact.name}, {fact.context}" if fact.context else fact.name
        marks = ((5, "fix"),) if here is not None and here.outside else ()
        usual = figure_words(found.value, fact.what)
        spread = figure_words(found.spread, fact.what) if found.count > 1 else DASH
        return Row(
            ("fact", str(fact.id)), (of, WHAT_WORDS[fact.what], usual, spread, f"{found.count}", now), marks=marks
        )

    def _chosen(self, place: int) -> None:
        if not 0 <= place < len(self.groups):
            self.picture.show_series(None)
            self.why_changed.emit()
            return
        rows, found = self.groups[place]
        here = self._proposal(rows[0])
        unit = UNITS.get(rows[0].what, "")
        points = tuple((f"{row.at:%d %b}", row.value) for row in reversed(rows))
        words = f"{rows[0].name}, {WHAT_WORDS[rows[0].what]}: {sure_words(found, unit)}"
        self.picture.show_series(
            Series(
                unit, points, found.value, found.spread, here.now if here else None, bool(here and here.outside), words
            )
        )
        self.why_changed.emit()

    def why(self) -> WhyContent:
        place = self.table.currentIndex().row()
        if not 0 <= place < len(self.groups):
            return WhyContent("Over shows", hint=self.bench.problem or "Nothing is remembered yet.")
        rows, found = self.groups[place]
        fact, unit = rows[0], UNITS.get(rows[0].what, "")
        terms = tuple(Derived(f"{row.show}, {row.at:%d %b %Y}", row.value, unit, source="the memory") for row in rows)
        lines = (
            Derived("middle", found.value, unit, f"median of {found.count}", terms),
            Derived(
                "spread",
                found.spread,
                unit,
                "1.4826 \u00d7 median of |value \u2212 middle|",
                source="Rousseeuw & Croux 1993",
            ),
        )
        here = self._proposal(fact)
        notes = (here.words,) if here is not None else (f"{fact.name} is not in the show that is open.",)
        return WhyContent(
            f"{fact.name}, {WHAT_WORDS[fact.what]}",
            fact.context,
            lines=lines,
            extra=(sure_words(found, unit).capitalize() + ".",),
            notes=notes,
        )
