"""Prove, what is proven: every wanted and forbidden pair, when it was seen, and what went stale since."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.prove.bench import ProveBench
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.prove.proven import PairProof

HEADINGS = ("Listener", "Voice", "Wanted", "How it stands", "Tapped")
HELP = (
    "Who listens",
    "Whose voice",
    "Whether it has to come",
    "Proven, stale since its path was changed, or not yet",
    "When the log says that it was seen",
)


class PairsPage(StagePage):
    """One row for each pair; Enter goes to the tap that would prove it."""

    def __init__(self, bench: ProveBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        inside = self.card(1)
        self.table = RowTable(theme, "What is proven", "Enter goes to the tap that proves it.")
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.table.opened.connect(lambda _row: self.act("tap it"))
        inside.addWidget(self.table)
        self.rows: tuple[PairProof, ...] = ()
        bench.changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(round(220 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        self.bench.follow()
        self._fill()

    def _follow(self) -> None:
        if self.isVisible():
            self._fill()

    def _fill(self) -> None:
        rank = {"stale": 0, "not yet": 1, "proven": 2}
        self.rows = tuple(sorted(self.bench.proofs, key=lambda row: rank[_state(row)]))
        analysis = self.document.analysis
        when = {(pair.listener, pair.voice): entry.at for entry in analysis.show.log for pair in entry.proven}
        rows = []
        for row in self.rows:
            state = _state(row)
            at = when.get((row.listener, row.voice))
            cells = (
                analysis.party_name(row.listener),
                analysis.party_name(row.voice),
                "heard" if row.comes else "silent",
                state,
                at.astimezone().strftime("%d.%m. %H:%M") if at is not None else DASH,
            )
            mark = {"proven": "tick", "stale": "fix"}.get(state)
            rows.append(Row(("pair", f"{row.listener}>{row.voice}"), cells, marks=((3, mark),) if mark else ()))
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.table.choose(max(0, min(self.table.currentIndex().row(), len(rows) - 1)))
        holds, stale = sum(row.holds for row in self.rows), sum(row.stale for row in self.rows)
        words = (
            f"{holds} of {len(self.rows)} proven, {stale} stale"
            if self.rows
            else "Nobody has been asked for yet: Feeds."
        )
        self.title.emit("What is proven", words)
        self.why_changed.emit()

    def why(self) -> WhyContent:
        place = self.table.currentIndex().row()
        if not 0 <= place < len(self.rows):
            return WhyContent("What is proven", hint="What the taps prove stands here, pair by pair.")
        row = self.rows[place]
        analysis = self.document.analysis
        names = f"{analysis.party_name(row.listener)} {'hears' if row.comes else 'does not hear'} {analysis.party_name(row.voice)}"
        if row.holds:
            text = "Seen at their ears, and nothing on the way has changed since."
        elif row.stale:
            text = "It was seen, and a step on its way, or a switch beside it, has been changed since: tap it again."
        else:
            text = "Nobody has looked yet."
        return WhyContent(
            names,
            _state(row),
            bad=row.stale,
            extra=(text,),
            actions=(
                Action("tap it", f"Tap {analysis.party_name(row.voice)}", "Goes to the tap that proves it. Enter."),
            ),
        )

    def act(self, action: str) -> None:
        place = self.table.currentIndex().row()
        if action == "tap it" and 0 <= place < len(self.rows):
            self.bench.choose(self.rows[place].voice)
            self.wants_voice.emit(self.rows[place].voice)


def _state(row: PairProof) -> str:
    return "proven" if row.holds else "stale" if row.stale else "not yet"
