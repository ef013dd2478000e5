"""A cause found by questions to somebody who has the fault."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

from kymaphon.core.analysis.report import Report
from kymaphon.core.prove.questions import Standing, causes, questions
from kymaphon.sim.drills.base import Answer, Drill, Feedback, Round, Task


@dataclass
class ByQuestions(Drill):
    """Questions are asked until the cause is named."""

    cause: str = ""
    standing: Standing = field(default_factory=Standing)
    naming: bool = False

    def judge(self, given: Answer) -> Feedback:
        place = int(given) if isinstance(given, int | float) else -1
        cause = next(row for row in causes() if row.id == self.cause)
        if self.naming:
            right = place == list(causes()).index(cause)
            self.round = None
            best = self.standing.ranking[0]
            told = f"It was: {cause.name}. {cause.cure}"
            if not right:
                told += f" Your answers spoke most for {best.cause.name} ({best.chance:.0%})."
            return Feedback(right, told)
        asked = [row for row in questions() if row.id not in self.standing.answers]
        if not 0 <= place < len(asked):
            self.steps -= 1
            self.naming = True
            self.ask()
            return Feedback(True, "Name the cause.")
        row = asked[place]
        answer = max((name for name, _ in row.answers), key=lambda name: cause.chance(row, name))
        expert, bits = self.standing.next_question, self.standing.bits(row)
        best_bits = self.standing.bits(expert) if expert is not None else 0.0
        self.standing = Standing({**self.standing.answers, row.id: answer}, None, self.standing.analysis)
        self.ask()
        words = f"{row.text} {row.words_of(answer)[:1].upper()}{row.words_of(answer)[1:]}."
        if expert is not None and expert is not row and bits < best_bits - 0.1:
            words += f" More would have told ({best_bits:.1f} against {bits:.1f} bits): {expert.text}"
        return Feedback(True, words)

    def ask(self) -> None:
        """What can still be asked, or the causes to choose from."""
        if self.naming:
            self.round = Round("Which cause is it?", "one", tuple(row.name for row in causes()))
            return
        left = tuple(row.text for row in questions() if row.id not in self.standing.answers)
        self.round = Round(
            "Somebody reports a fault. What do you ask?",
            "one",
            (*left, "I know it: name the cause"),
            hint="As few questions as you can.",
        )

    def answer(self, given: Answer) -> Feedback:
        told = super().answer(given)
        # Asking is not right or wrong; only naming is.
        self.right = int(self.round is None and told.right)
        return told


def by_questions(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    # A cause that its own answers lead to: with the others even an expert would be wrong.
    fair = [row for row in causes() if _expert_way(report, row.id)[1]]
    cause = draw.choice(fair)
    steps, _ = _expert_way(report, cause.id)
    drill = ByQuestions(task, of=1, expert_steps=steps + 1, cause=cause.id, standing=Standing({}, None, report))
    drill.ask()
    return drill


def _expert_way(report: Report, name: str) -> tuple[int, bool]:
    """How many of the most telling questions lead to a cause, and whether they do."""
    cause = next(row for row in causes() if row.id == name)
    now = Standing({}, None, report)
    while now.ranking[0].chance < 0.8 and (asked := now.next_question) is not None:
        answer = max((row for row, _ in asked.answers), key=lambda row, asked=asked: cause.chance(asked, row))  # type: ignore[misc]
        now = Standing({**now.answers, asked.id: answer}, None, report)
    return len(now.answers), now.ranking[0].cause.id == name
