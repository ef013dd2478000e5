"""Level, noise: who brings how much of it at every point, and what each possible move would buy."""

from __future__ import annotations

import math

from PySide6.QtWidgets import QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.budget_picture import BudgetPicture
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent, findings_about
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.levels.boosters import booster_verdict
from kymaphon.core.levels.budget import Budget, Buy, budget_of, contributions
from kymaphon.core.levels.noise_moves import buys

HEADINGS = ("Move", "Buys at the end", "Others shut", "What it stands on")
HELP = (
    "What could be done about noise",
    "More voice over all noise at the end, at the same speech level",
    "The same with all other channels shut: what it does for this channel alone",
    "How it was worked out",
)
Found = tuple[Ladder | None, Budget | None, tuple[Buy, ...], str]


class NoisePage(StagePage):
    """Shares of noise at every point of a chain above, moves below, the best first."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        inside = self.card(4, margin=0)
        self.picture = BudgetPicture(theme)
        self.picture.chosen.connect(self._point_chosen)
        inside.addWidget(self.picture)
        self.table = RowTable(
            theme, "Moves", "What each move would buy, ranked. The Why panel has the sum, and does it."
        )
        self.table.chosen.connect(lambda row, _column: self._move_chosen(row))
        self.table.opened.connect(lambda _row: self.act("preview move"))
        self.column.addWidget(self.table, 3)
        self._found: Found = (None, None, (), "")
        self._move = 0
        self._at_point = True
        self._about: object = None
        self._worker = Worker(self, self._arrived, lambda error: self.say.emit(str(error)))

    def set_scale(self, scale: float) -> None:
        self.picture.scale = scale
        self.picture.setMinimumHeight(round(200 * scale))
        self.table.setMinimumHeight(round(120 * scale))
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))

    def first(self) -> QWidget | None:
        return self.picture

    @property
    def moves(self) -> tuple[Buy, ...]:
        """The moves on screen."""
        return self._found[2]

    def refresh(self, voice: str, end: str) -> None:
        analysis = self.document.analysis
        self._about = analysis, voice, end
        self._worker.ask(lambda: _find(analysis, voice, end), self._about)

    def _arrived(self, about: object, result: object) -> None:
        if about is not self._about or not isinstance(result, tuple):
            return
        self._found = result
        ladder, budget, moves, _ = self._found
        rungs = ladder.shown() if ladder is not None else ()
        last = len([rung for rung in rungs if rung.noise_db]) - 1
        index = self.picture.index if 0 < self.picture.index <= last else last
        self.picture.set_rungs(rungs, index)
        self._move = min(self._move, max(len(moves) - 1, 0))
        rows = tuple(
            Row(
                ("move", move.id),
                (
                    move.label,
                    show_number(move.gain_db, "dB", sign=True),
                    show_number(move.alone_db, "dB", sign=True) if move.id != "others-shut" else DASH,
                    move.text,
                ),
            )
            for move in moves
        )
        self.table.set_rows(HEADINGS, HELP, rows)
        self.table.choose(-1 if self._at_point or not moves else self._move)
        if budget is not None and ladder is not None:
            name = self.document.analysis.party_name(ladder.voice)
            over = show_number(budget.over_noise_db, "dB")
            alone = show_number(budget.alone_db, "dB")
            shut = f"; {alone} with the other channels shut" if budget.others_db > -math.inf else ""
            self.title.emit(f"{name}: {over} over the noise", f"at {self._end_name(ladder)}{shut}")
        else:
            self.title.emit("No noise is known on this path", "Choose a voice and an end that a signal path joins.")
        self.why_changed.emit()

    def _end_name(self, ladder: Ladder) -> str:
        return self.document.analysis.party_name(ladder.target)

    def _point_chosen(self, _index: int) -> None:
        self._at_point = True
        self.table.choose(-1)
        self.why_changed.emit()

    def _move_chosen(self, row: int) -> None:
        self._move, self._at_point = row, False
        self.why_changed.emit()

    def why(self) -> WhyContent:
        ladder, _, moves, verdict = self._found
        if ladder is None or not self.picture.rungs:
            return WhyContent("No noise is known here", hint="Choose a voice and an end that a signal path joins.")
        if self._at_point or not moves:
            rung = self.picture.rungs[self.picture.index]
            shown = contributions(rung)
            loudest = shown[0]
            lead = shown[0].level_db - shown[1].level_db if len(shown) > 1 else 0.0
            text = f"Loudest: {loudest.name}, {loudest.part:.0%} of all noise here" + (
                f", {lead:.1f} dB over the next." if len(shown) > 1 else "."
            )
            about = tuple(
                row
                for row in findings_about(self.document.analysis.findings, ladder.voice)
                if row.code in ("voice-over-noise", "booster-buys-little")
            )
            notes = (verdict,) if verdict and not any(row.code == "booster-buys-little" for row in about) else ()
            return WhyContent(
                rung.label,
                "noise at this point",
                extra=(text,),
                lines=(rung.explain_noise(),),
                findings=about,
                notes=notes,
            )
        move = moves[min(self._move, len(moves) - 1)]
        alone = Derived(
            "the same with the other channels shut",
            move.alone_db,
            "dB",
            source="this channel's own noises only",
        )
        actions: tuple[Action, ...] = ()
        if move.edits:
            actions = (
                Action(
                    "do move",
                    "Do this",
                    f"{move.label}. Gains follow, so that the voice keeps its level. Can be undone.",
                ),
                Action("preview move", "Preview", "Shows what would change, without changing it. Esc ends it."),
            )
        hint = "" if move.edits else "A comparison: there is no single setting that does it."
        more = (alone,) if move.id != "others-shut" else ()
        return WhyContent(
            move.label,
            f"buys {show_number(move.gain_db, 'dB', sign=True)}",
            extra=(move.text,),
            lines=(move.why, *more),
            actions=actions,
            hint=hint,
        )

    def act(self, action: str) -> None:
        moves = self.moves
        if not moves:
            return
        move = moves[min(self._move, len(moves) - 1)]
        if not move.edits:
            self.say.emit(f"{move.label} is a comparison; no single setting does it.")
        elif action == "do move":
            self.document.apply(move.edits, move.label)
            self.say.emit(f"Done: {move.label}. Ctrl+Z takes it back.")
        elif action == "preview move":
            self.document.preview(move.edits, move.label)


def _find(analysis: Report, voice: str, end: str) -> Found:
    """Everything of the view; made in a worker, since the solver has a part in it."""
    if not voice or not end:
        return None, None, (), ""
    budget = budget_of(analysis, voice, end)
    if budget is None:
        return analysis.ladder(voice, end), None, (), ""
    return budget.ladder, budget, buys(budget), booster_verdict(budget)
