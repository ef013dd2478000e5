"""Level, line-up: what the solver would turn, why no further, and where every voice then is."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.offers import cost_words
from kymaphon.core.derive import show_number
from kymaphon.core.levels.lineup.model import FaderStrategy
from kymaphon.core.levels.lineup.plan import LineUpPlan, VoiceResult, line_up, strategy_words

STRATEGIES: tuple[FaderStrategy, ...] = ("stay", "unity", "free")
VOICE_HEADINGS = ("Voice", "Off the mark", "then", "To spare", "Over noise", "then", "What forbids")
VOICE_HELP = (
    "Who is heard",
    "Speech against its mark as it stands",
    "Speech against its mark after the line-up",
    "From the peaks, with what a talker gains on warming up, to the nearest ceiling",
    "Voice over all noise at the end, as it stands",
    "The same after the line-up",
    "What keeps it from its mark; nothing when it is on it",
)
MOVE_HEADINGS = ("Turn", "Now", "To", "By", "Without it", "Why no further up")
MOVE_HELP = (
    "What is turned or switched",
    "Where it stands",
    "Where it goes",
    "How far that is",
    "What would be if this one were left as it is and all others turned",
    "Gain early is quiet until something forbids it: a ceiling, the end of a range",
)


class SolvePage(StagePage):
    """The line-up of the whole show, or of one voice: solved anew whenever the show changes."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        row = FlowLayout()
        self.scope = ChoiceBox()
        self.scope.setAccessibleName("Whom to line up")
        self.scope.setToolTip("The whole show, or one voice: then only what moves nobody else is turned.")
        self.scope.activated.connect(lambda _index: self._solve())
        self.strategy = ChoiceBox()
        self.strategy.setAccessibleName("What faders do")
        self.strategy.setToolTip("Whether faders stay as they are, go to 0, or may be moved like gains.")
        for name in STRATEGIES:
            self.strategy.addItem(strategy_words(name), name)
        self.strategy.activated.connect(lambda _index: self._strategy_chosen())
        self.do = QPushButton("Do all of it")
        self.do.setProperty("role", "primary")
        self.do.setToolTip("Turns everything that is listed, as one step. Can be undone.")
        self.do.clicked.connect(lambda: self.act("do line-up"))
        self.look = QPushButton("Preview")
        self.look.setCheckable(True)
        self.look.setToolTip("Shows every picture as it would be, without changing anything. Press again to end.")
        self.look.clicked.connect(self._preview)
        for widget in (self.scope, self.strategy, self.do, self.look):
            row.addWidget(widget)
        self.column.addLayout(row)
        self.told = label("", "")
        self.recipe = label("", "muted")
        self.column.addWidget(self.told)
        self.column.addWidget(self.recipe)
        self.voices = RowTable(theme, "Voices", "Every voice before and after. The Why panel has the sums.")
        self.voices.spare = (4, 5)
        self.voices.chosen.connect(lambda row, _column: self._chosen("voice", row))
        self.column.addWidget(self.voices, 3)
        self.moves = RowTable(theme, "Turns", "What would be turned. Enter on a row turns that one alone.")
        self.moves.chosen.connect(lambda row, _column: self._chosen("move", row))
        self.moves.opened.connect(self._turn_one)
        self.column.addWidget(self.moves, 3)
        self.plan: LineUpPlan | None = None
        self._selected = ("voice", 0)
        self._strategy: FaderStrategy | None = None
        self._about: object = None
        self._worker = Worker(self, self._arrived, self._failed)

    def set_scale(self, scale: float) -> None:
        for table in (self.voices, self.moves):
            table.verticalHeader().setDefaultSectionSize(round(26 * scale))
            table.setMinimumHeight(round(130 * scale))

    def first(self) -> QWidget | None:
        return self.voices

    def refresh(self, voice: str, end: str) -> None:
        self.look.setChecked(bool(self.document.previewing))
        if self.document.previewing:
            return
        analysis = self.document.analysis
        kept = self.scope.currentData()
        rows = [("", "The whole show"), *((row.id, f"{row.name} alone") for row in analysis.voices)]
        self.scope.blockSignals(True)
        self.scope.clear()
        for name, words in rows:
            self.scope.addItem(words, name)
        self.scope.setCurrentIndex(max(0, next((i for i, row in enumerate(rows) if row[0] == kept), 0)))
        self.scope.blockSignals(False)
        if self._strategy is None:
            self.strategy.setCurrentIndex(STRATEGIES.index("unity" if analysis.mark.practice.unity else "stay"))
        self._solve()

    def _strategy_chosen(self) -> None:
        self._strategy = self.strategy.currentData()
        self._solve()

    def _solve(self) -> None:
        if self.document.previewing:
            self.document.end_preview()
            return
        analysis = self.document.analysis
        voice, strategy = self.scope.currentData(), self.strategy.currentData()
        self._about = analysis, voice, strategy
        voices = (voice,) if voice else None

        def work() -> tuple[LineUpPlan, str]:
            plan = line_up(analysis, voices, strategy=strategy)
            return plan, cost_words(analysis, plan.edits)

        self._worker.ask(work, self._about)
        if self.plan is None:
            self.told.setText("Working it out.")

    def _failed(self, error: Exception) -> None:
        self.plan = None
        self.told.setText(str(error))
        self.why_changed.emit()

    def _arrived(self, about: object, result: object) -> None:
        if about is not self._about or not isinstance(result, tuple):
            return
        plan, costs = result
        self.plan = plan
        self.told.setText(f"{costs}. {plan.sentence()}" if costs else plan.sentence())
        self.recipe.setText(plan.against_recipe())
        self.do.setEnabled(bool(plan.moves))
        self.look.setEnabled(bool(plan.moves))
        hues = {party.id: k for k, party in enumerate(self.document.show.parties)}
        rows = []
        for row in plan.voices:
            mark = "" if row.on_mark else "fix"
            rows.append(
                Row(
                    ("voice", row.voice),
                    (
                        _name(plan, row),
                        _db(row.off_before_db, sign=True),
                        _db(row.off_db, sign=True),
                        _db(row.spare_db),
                        _db(row.over_noise_before_db),
                        _db(row.over_noise_db),
                        row.forbids or DASH,
                    ),
                    hues.get(row.voice, -1),
                    ((2, mark),) if mark and row.on_mark is not None else (),
                )
            )
        self.voices.set_rows(VOICE_HEADINGS, VOICE_HELP, tuple(rows))
        turned = []
        for move in plan.moves:
            pad = move.turn.sort == "pad"
            now, then = (
                ("in" if gain < 0 else "out") if pad else _db(gain, sign=True) for gain in (move.turn.now, move.after)
            )
            by = _db(move.after - move.turn.now, sign=True)
            cells = (move.turn.label, now, then, by, move.without or DASH, move.limit or DASH)
            turned.append(Row(("move", move.turn.label), cells))
        self.moves.set_rows(MOVE_HEADINGS, MOVE_HELP, tuple(turned))
        sort, number = self._selected
        table = self.voices if sort == "voice" else self.moves
        self._selected = sort, max(0, min(number, len(table.words.rows) - 1))
        self._mark_selected()
        self.title.emit(
            "Line-up",
            "Gains and pads that put speech on its marks, keep peaks under every ceiling, and lose the least to noise.",
        )
        self.why_changed.emit()

    def _chosen(self, sort: str, row: int) -> None:
        self._selected = sort, row
        self._mark_selected()
        if sort == "voice" and self.plan is not None:
            self.wants_voice.emit(self.plan.voices[row].voice)
        self.why_changed.emit()

    def _mark_selected(self) -> None:
        sort, number = self._selected
        self.voices.choose(number if sort == "voice" and self.voices.words.rows else -1)
        self.moves.choose(number if sort == "move" and self.moves.words.rows else -1)

    def why(self) -> WhyContent:
        plan = self.plan
        if plan is None:
            return WhyContent("Line-up", self.told.text())
        proof = (
            "Proven: with these marks and ceilings no other settings have less noise over all voices "
            f"together, but for less than the turning is worth (50 dB of it for 1 dB) (solved in {plan.rounds} rounds)."
            if plan.proven
            else f"The best that was found; that nothing better exists is not proven: {plan.unproven}."
        )
        actions = (
            (
                Action(
                    "do line-up",
                    "Do all of it",
                    "Turns everything that is listed, as one step. Can be undone.",
                ),
            )
            if plan.moves
            else ()
        )
        sort, number = self._selected
        if sort == "move" and number < len(plan.moves):
            move = plan.moves[number]
            extra = [f"Without it: {move.without}."] if move.without else []
            if move.limit:
                extra.append(f"No further up: {move.limit}.")
            one = Action("turn one", "Turn this one alone", f"{move.words}, and nothing else. Can be undone.")
            return WhyContent(
                move.turn.label,
                f"{move.words}",
                extra=tuple(extra),
                lines=(move.line(),),
                actions=(one, *actions),
                hint=proof,
            )
        if number < len(plan.voices):
            row = plan.voices[number]
            forbids = (f"{row.forbids[:1].upper()}{row.forbids[1:]}.",) if row.forbids else ()
            held = tuple(f"Held: {text}." for text in plan.held)
            return WhyContent(
                _name(plan, row),
                "on the mark" if row.on_mark else "no mark is read" if row.on_mark is None else "not on the mark",
                bad=row.on_mark is False,
                extra=forbids,
                lines=plan.lines(row),
                actions=actions,
                notes=held,
                hint=proof,
            )
        return WhyContent("Line-up", plan.sentence(), actions=actions, hint=proof)

    def act(self, action: str) -> None:
        plan = self.plan
        if plan is None or not plan.moves:
            self.say.emit("Nothing is to turn.")
        elif action == "do line-up":
            self.document.apply(plan.edits, f"line-up, {len(plan.moves)} turned")
            self.say.emit(f"Done: {len(plan.moves)} turned. Ctrl+Z takes it back.")
        elif action == "turn one":
            self._turn_one(self._selected[1])

    def _turn_one(self, number: int) -> None:
        if self.plan is not None and number < len(self.plan.moves):
            move = self.plan.moves[number]
            self.document.apply(move.edits, move.words)

    def _preview(self, on: bool) -> None:
        if on and self.plan is not None and self.plan.moves:
            self.document.preview(self.plan.edits, f"line-up, {len(self.plan.moves)} turned")
        else:
            self.document.end_preview()


def _name(plan: LineUpPlan, row: VoiceResult) -> str:
    """A voice, and its end where it has several in the plan."""
    name = plan.after.party_name(row.voice)
    several = sum(other.voice == row.voice for other in plan.voices) > 1
    return f"{name}, to {plan.after.party_name(row.end)}" if several else name


def _db(value: float | None, *, sign: bool = False) -> str:
    return DASH if value is None else show_number(value, "dB", sign=sign)
