"""Book, memory: what worked before and fits this show; put in with one key, mended, thrown away, and people forgotten."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.book.bench import BookBench
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.button_row import button_row
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.form import Field, Form
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.core.book.facts import UNITS, WHAT_WORDS, Fact, Proposal, figure_words
from kymaphon.core.book.robust import sure_words
from kymaphon.core.derive import Derived
from kymaphon.core.words import counted

HEADINGS = ("Of", "What", "Usually", "Today", "How sure")
HELP = (
    "Whom or what it is of",
    "The figure",
    "The middle of the shows that count",
    "As the show has it",
    "How many shows, how far apart",
)


class ProposalTable(RowTable):
    """What memory proposes; Space puts one in."""

    def __init__(self, theme: Theme, put_in: Callable[[], None]) -> None:
        super().__init__(
            theme,
            "What memory proposes",
            "Space puts it into the show; Delete throws the newest of it away; Enter mends it.",
        )
        self._put_in = put_in

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and self.currentIndex().isValid():
            self._put_in()
        else:
            super().keyPressEvent(event)


class MemoryPage(StagePage):
    """Proposals, and what is behind each."""

    def __init__(self, bench: BookBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        inside = self.card(1)
        self.told = label("", "muted")
        inside.addWidget(self.told)
        self.table = ProposalTable(theme, lambda: self.act("put-in"))
        self.table.let_grow(0, 4)
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.table.opened.connect(lambda _row: self.act("mend"))
        self.table.removed.connect(lambda _row: self.act("drop"))
        inside.addWidget(self.table)
        buttons = (
            ("Put in  Space", "Into the show that is open; Ctrl+Z takes it back.", "put-in"),
            (
                "Put all in",
                "Everything that was so more than once, differs today, and lies within what is usual.",
                "put-all",
            ),
            ("Remember now", "This show, as it is done whenever it is saved.", "remember"),
            ("Throw a show away\u2026", "Its figures and its log, out of the memory.", "drop-show"),
            ("Forget somebody\u2026", "Everywhere in the memory.", "forget"),
        )
        inside.addLayout(button_row(buttons, self.act))
        self.rows: tuple[Proposal, ...] = ()
        bench.changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.table.setMinimumHeight(round(220 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        self.bench.read()
        self._follow()

    def _follow(self) -> None:
        self.rows = tuple(sorted(self.bench.proposals, key=lambda row: (not row.outside, not row.edits, row.fact.sort)))
        chosen = max(self.table.currentIndex().row(), 0)
        self.table.set_rows(HEADINGS, HELP, tuple(map(self._row, self.rows)))
        self.table.choose(min(chosen, len(self.rows) - 1))
        outside = sum(row.outside for row in self.rows)
        words = f"{counted(len(self.rows), 'figure')} fit this show" + (
            f", {outside} outside what is usual" if outside else ""
        )
        self.title.emit("Memory", words if self.rows else "nothing fits this show yet")
        shows = ", ".join(row.title for row in self.bench.shows[:3])
        self.told.setText(
            self.bench.problem
            or (
                f"From {counted(len(self.bench.shows), 'show')}: {shows}."
                if self.bench.shows
                else "A show is remembered when it is saved, and when it goes off air."
            )
        )
        self.why_changed.emit()

    def _row(self, row: Proposal) -> Row:
        unit = UNITS.get(row.fact.what, "")
        of = f"{row.fact.name}, {row.fact.context}" if row.fact.context else row.fact.name
        now = figure_words(row.now, row.fact.what) if row.now is not None else DASH
        mark = "fix" if row.outside else "settled" if not row.edits and row.now is not None else ""
        cells = (
            of,
            WHAT_WORDS[row.fact.what],
            figure_words(row.middle.value, row.fact.what),
            now,
            sure_words(row.middle, unit),
        )
        return Row(("fact", str(row.fact.id)), cells, marks=((3, mark),) if mark else ())

    @property
    def proposal(self) -> Proposal | None:
        """The one that is chosen."""
        place = self.table.currentIndex().row()
        return self.rows[place] if 0 <= place < len(self.rows) else None

    def act(self, action: str) -> None:
        row = self.proposal
        if action == "put-all":
            rows = [one for one in self.rows if one.edits and one.middle.count > 1 and not one.outside]
            edits = tuple(edit for one in rows for edit in one.edits)
            if edits:
                self.document.apply(edits, f"{counted(len(rows), 'figure')} from memory")
                self.say.emit(f"{counted(len(rows), 'figure')} put in. Ctrl+Z takes them back; line up to be sure.")
            else:
                self.say.emit("There is nothing that was so more than once, differs, and lies within what is usual.")
        elif action == "remember":
            keeper = getattr(self.window(), "keeper", None)
            if keeper is not None:
                keeper.remember()
                self.say.emit("Being remembered.")
        elif action == "forget":
            self._forget()
        elif action == "drop-show":
            self._drop_show()
        elif action == "aside":
            self.bench.change(
                lambda memory: memory.set_aside(), lambda path: f"The memory that could not be read lies at {path} now."
            )
        elif row is None:
            self.say.emit("Nothing fits this show yet.")
        elif action == "put-in":
            if row.edits:
                self.document.apply(row.edits, f"{row.fact.name}, {WHAT_WORDS[row.fact.what]} from memory")
                self.say.emit(f"Put in: {row.words} Line up to be sure.")
            else:
                self.say.emit("It stands so already, or nothing of it can be set.")
        elif action == "mend":
            self._mend(row.fact)
        elif action == "drop":
            name = row.fact.name
            self.bench.change(
                lambda memory: memory.throw_away([row.fact.id]),
                lambda _done: f"The newest of it was thrown away: {name}.",
            )

    def _mend(self, fact: Fact) -> None:
        unit = UNITS.get(fact.what, "")
        field = Field("value", f"{WHAT_WORDS[fact.what].capitalize()} ({unit})", "number", fact.value)

        def take(values: dict[str, object]) -> None:
            value = values["value"]
            assert isinstance(value, float)
            self.bench.change(lambda memory: memory.mend(fact.id, value), lambda _done: f"Mended: {fact.name}.")

        Form(
            f"{fact.name} at {fact.show}",
            (field,),
            take,
            self,
            note="It stays as mended when that show is remembered again.",
        ).exec()

    def _drop_show(self) -> None:
        shows = self.bench.shows
        if not shows:
            self.say.emit(self.bench.problem or "No show is remembered yet.")
            return
        days = {row.id: f"{row.title}, {row.at:%d %b %Y}" if row.at is not None else row.title for row in shows}
        options = tuple((row.id, f"{days[row.id]}: {row.facts} figures, {row.entries} rows") for row in shows)

        def take(values: dict[str, object]) -> None:
            show = str(values["show"])
            self.bench.change(
                lambda memory: memory.throw_show_away(show),
                lambda _done: f"Out of the memory: {days[show]}. Its show file stays as it is.",
            )

        field = Field("show", "Show", "choice", shows[0].id, options)
        Form("Throw a show away", (field,), take, self, note="Out of the memory; it cannot be taken back.").exec()

    def _forget(self) -> None:
        def take(values: dict[str, object]) -> None:
            name = str(values["name"] or "").strip()
            if not name:
                raise ValueError("say whom to forget")

            def done(counts: object) -> str:
                facts, rows = cast("tuple[int, int]", counts)
                told = f"{facts} figures gone, {rows} rows of old logs without the name"
                return f"{name} is forgotten: {told}. Show files that name them are yours to change."

            self.bench.change(lambda memory: memory.forget(name), done)

        field = Field("name", "Whom", value="", tip="The name as it stands in shows")
        Form("Forget somebody", (field,), take, self, note="Everywhere in the memory; it cannot be taken back.").exec()

    def why(self) -> WhyContent:
        row = self.proposal
        if row is None:
            return WhyContent(
                "Memory", hint=self.bench.problem or "What worked in a show is remembered when it is saved."
            )
        unit = UNITS.get(row.fact.what, "")
        terms = tuple(Derived(f"{at:%d %b %Y}", value, unit, source="the memory") for at, value in row.values)
        lines = (Derived("usually", row.middle.value, unit, f"median of {row.middle.count}", terms),)
        lead = (Action("put-in", "Put in", "Space."),) if row.edits else ()
        return WhyContent(
            f"{row.fact.name}, {WHAT_WORDS[row.fact.what]}",
            row.fact.context,
            lines=lines,
            lead=lead,
            extra=(row.words,),
            actions=(
                Action("mend", "Mend the newest\u2026", "Enter."),
                Action("drop", "Throw the newest away", "Delete."),
            ),
        )
