"""Prove, by questions: what is heard and what changes it, and which cause that speaks for. The next question tells most."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.prove.ear import FaultEar
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.core.model.show import LogEntry
from kymaphon.core.prove.questions import Question, Ranked, Standing, question
from kymaphon.core.report.questions import told, verdict

HEADINGS = ("Cause", "Chance", "To be sure")
HELP = (
    "What may be wrong",
    "How likely it is after all answers, the recording and the show",
    "What to try that tells",
)
KEYS = "1 to 9 or Enter answers, S skips, Backspace takes back, Tab goes to the causes."
EARS = "Loudspeakers down and headphones off the ears before a lead is moved. If a case tingles, stop."
FRESH = "Nothing is answered yet."


class QuestionsPage(StagePage):
    """One question with its answers, and under it the causes, the likeliest first."""

    def __init__(self, ear: FaultEar, theme: Theme) -> None:
        super().__init__(ear.document, theme)
        self.ear = ear
        self.skipped: set[str] = set()
        card = QWidget()
        card.setObjectName("card")
        inside = QVBoxLayout(card)
        inside.setContentsMargins(12, 10, 12, 10)
        self.given = label(FRESH, "muted")
        self.asked = label("", "title")
        self.hint = label("", "muted")
        inside.addWidget(self.given)
        inside.addWidget(self.asked)
        inside.addWidget(self.hint)
        self.answers = RowTable(theme, "Answers", KEYS)
        self.answers.horizontalHeader().hide()
        self.answers.wide = (1,)
        self.answers.opened.connect(self._answer)
        self.answers.clicked.connect(lambda index: self._answer(index.row()))
        self.answers.installEventFilter(self)
        inside.addWidget(self.answers, 1)
        self.column.addWidget(card, 6)
        self.causes = RowTable(
            theme, "Causes", "The likeliest first; the Why panel has what speaks for the chosen one."
        )
        self.causes.let_grow(2)
        self.causes.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.column.addWidget(self.causes, 3)
        self.standing = Standing()
        ear.changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.answers.verticalHeader().setDefaultSectionSize(round(24 * scale))
        self.answers.setMinimumHeight(round(110 * scale))
        self.causes.setMinimumHeight(round(130 * scale))

    def first(self) -> QWidget | None:
        return self.answers

    def refresh(self, voice: str, end: str) -> None:
        if not self.document.analysis.standing:
            self._fill()

    def _follow(self) -> None:
        if self.isVisible():
            self._fill()

    # what is shown

    @property
    def question(self) -> Question | None:
        """The most telling one that was neither answered nor skipped; those that were skipped come again at the end."""
        rows = [row for row, _ in self.standing.open_questions()]
        return next((row for row in rows if row.id not in self.skipped), next(iter(rows), None))

    @property
    def ranked(self) -> Ranked:
        """The cause that is chosen."""
        rows = told(self.standing)
        return rows[max(0, min(self.causes.currentIndex().row(), len(rows) - 1))]

    def _fill(self) -> None:
        self.standing = now = self.ear.standing
        asked = self.question
        given = [question(name).told(answer) for name, answer in now.answers.items()]
        take = ""
        if self.ear.path is not None and now.heard is not None:
            about = ", ".join(row.name for row in now.heard) or "nothing heard to be wrong"
            take = f"{self.ear.path.name}: {about}. "
        self.given.setText(take + (" \u00b7 ".join(given) if given else FRESH))
        if asked is None:
            self.asked.setText("Every question is answered.")
            self.hint.setText("")
            self.answers.set_rows((), (), ())
        else:
            self.asked.setText(asked.text)
            bits = now.bits(asked)
            self.hint.setText(f"{asked.hint} {_worth(bits)}".strip())
            rows = tuple(
                Row(("answer", answer), (f"{n}" if n <= 9 else "", words))
                for n, (answer, words) in enumerate(asked.answers, start=1)
            )
            self.answers.set_rows(("Key", "Answer"), ("", ""), rows)
            self.answers.choose(0)
        chosen = self.causes.currentIndex().row()
        rows_ = told(now)
        self.causes.set_rows(
            HEADINGS,
            HELP,
            tuple(
                Row(
                    ("cause", row.cause.id),
                    (row.cause.name, f"{row.chance:.0%}", row.cause.test),
                    marks=((0, "fix" if row.chance >= 0.5 else "note"),),
                )
                for row in rows_
            ),
        )
        self.causes.choose(min(max(chosen, 0), len(rows_) - 1))
        self.title.emit("Fault by questions", verdict(now))
        self.why_changed.emit()

    def why(self) -> WhyContent:
        now, ranked = self.standing, self.ranked
        extra = [ranked.cause.cure, f"To be sure: {ranked.cause.test}"]
        if ranked.cause.note:
            extra.append(ranked.cause.note)
        notes = []
        if now.against_each_other:
            notes.append(f"Not explained by the likeliest cause: {'; '.join(now.against_each_other)}.")
        notes.append(EARS)
        actions = [Action("note", "It was this: note it", "Writes the cause and the answers into the log.")]
        if now.answers:
            actions.append(Action("restart", "Begin anew", "Forgets the answers."))
        actions.append(Action("faults", "Listen to a recording", "What is measured there counts with the answers."))
        return WhyContent(
            ranked.cause.name[:1].upper() + ranked.cause.name[1:],
            f"{ranked.chance:.0%} likely",
            bad=ranked.chance >= 0.5 and bool(now.answers),
            extra=tuple(extra),
            lines=(ranked.explain(now.together),),
            notes=tuple(notes),
            actions=tuple(actions),
            hint=KEYS,
        )

    # what the user does

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.answers and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
            if plain and Qt.Key.Key_1 <= event.key() <= Qt.Key.Key_9:
                self._answer(event.key() - Qt.Key.Key_1)
                return True
            if plain and event.key() == Qt.Key.Key_S:
                self.act("skip")
                return True
            if plain and event.key() == Qt.Key.Key_Backspace:
                self.act("back")
                return True
        return super().eventFilter(watched, event)

    def _answer(self, place: int) -> None:
        asked = self.question
        if asked is None or not 0 <= place < len(asked.answers):
            return
        self.causes.choose(0)
        self.ear.answer(asked.id, asked.answers[place][0])
        self.say.emit(f"{asked.text} {asked.answers[place][1]}. Backspace takes it back.")

    def act(self, action: str) -> None:
        asked = self.question
        if action == "skip" and asked is not None:
            self.skipped.add(asked.id)
            self._fill()
        elif action == "back":
            name = self.ear.take_back()
            self.skipped.discard(name)
            self.say.emit(f"Taken back: {question(name).text}" if name else "There is nothing to take back.")
        elif action == "restart":
            self.skipped.clear()
            self.ear.restart()
            self.say.emit("Nothing answered.")
        elif action == "faults":
            self.wants_voice.emit("faults")
        elif action == "note":
            self._note()

    def _note(self) -> None:
        row = self.ranked
        given = "; ".join(question(name).told(what) for name, what in self.standing.answers.items())
        text = f"Fault found: {row.cause.name}" + (f" ({given})" if given else "")
        self.document.log(LogEntry(at=datetime.now(UTC), text=text[:500], subject=row.cause.id, sort="incident"))
        self.say.emit(f"In the log: fault found, {row.cause.name}.")


def _worth(bits: float) -> str:
    return f"An answer is expected to tell {bits:.2f} bits." if bits >= 0.005 else "No answer would change much."
