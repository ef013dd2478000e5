"""Which cause explains a fault that somebody hears: by questions, by what a recording has, and by what the show itself has.

A table (`core/data/prove.json`, `questions`) says how often each cause is the one, and how likely each answer is with it. By Bayes'
rule over all answers, taken to be independent; the next question is the one that is expected to take away most of what is still open:
the mutual information of cause and answer (Lindley 1956; Shannon 1948). Weights are told in decibels of odds, as in the *weight of
evidence* (Good 1950), so that they add up.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache, cached_property
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.figures import data_table
from kymaphon.core.model.findings import Finding
from kymaphon.core.takes.faults.kinds import SoundFault

Has = Callable[[Computed], bool]


def _table() -> dict[str, Any]:
    table: dict[str, Any] = data_table("prove")["questions"]
    return table


def figure(name: str) -> float:
    """A figure of the table."""
    return float(_table()["figures"][name]["value"])


@dataclass(frozen=True, slots=True)
class Question:
    """Something to try or to listen for.

    Attributes:
        answers: (id, words).
        default: how likely each answer is with a cause that says nothing of it.
        hint: what to mind.
        short: what it is about, in few words; empty where the answer says it.
    """

    id: str
    text: str
    answers: tuple[tuple[str, str], ...]
    default: Mapping[str, float]
    hint: str = ""
    short: str = ""

    def told(self, answer: str) -> str:
        """An answer in few words, with what it is about."""
        return f"{self.short}: {self.words_of(answer)}" if self.short else self.words_of(answer)

    def words_of(self, answer: str) -> str:
        """An answer's words. Raises KeyError: it is none of this question's."""
        return dict(self.answers)[answer]


@dataclass(frozen=True, slots=True)
class Cause:
    """Something that can be wrong.

    Attributes:
        prior: how often it is the one, against the others.
        heard: faults of a recording that it makes, as `SoundFault.code`.
        findings: findings of the show that speak for it.
        needs: what the show must have for it (see `NEEDS`); empty for none.
        says: question -> answer -> how likely.
        note: what is to be known of it.
    """

    id: str
    name: str
    prior: float
    heard: tuple[str, ...]
    findings: tuple[str, ...]
    needs: str
    says: Mapping[str, Mapping[str, float]]
    cure: str
    test: str
    note: str = ""

    def chance(self, question: Question, answer: str) -> float:
        """How likely an answer is with this cause: what the table says, the rest shared out, and some slips. Over all answers it is 1."""
        said = self.says.get(question.id, question.default)
        left = [row for row, _ in question.answers if row not in said]
        rest = max(0.0, 1 - sum(said.values())) / max(len(left), 1)
        plain = float(said.get(answer, rest))
        whole = sum(said.values()) + rest * len(left)
        slip = figure("slip")
        return (1 - slip) * plain / whole + slip / len(question.answers)


@cache
def questions() -> tuple[Question, ...]:
    """All, in the order of the table."""
    return tuple(
        Question(
            row["id"],
            row["text"],
            tuple((answer["id"], answer["text"]) for answer in row["answers"]),
            row["default"],
            row["hint"],
            row["short"],
        )
        for row in _table()["asked"]
    )


def question(name: str) -> Question:
    """One by its id. Raises KeyError: there is none."""
    return {row.id: row for row in questions()}[name]


@cache
def causes() -> tuple[Cause, ...]:
    """All, in the order of the table."""
    return tuple(
        Cause(
            row["id"],
            row["name"],
            float(row["prior"]),
            tuple(row["heard"]),
            tuple(row["findings"]),
            row["needs"],
            row["says"],
            row["cure"],
            row["test"],
            row["note"],
        )
        for row in _table()["causes"]
    )


def _groups(analysis: Computed) -> list[str]:
    known = analysis.catalogue.with_kinds(*analysis.show.kinds)
    return [known[row.kind].group for row in analysis.show.devices]


def _on_battery(analysis: Computed) -> bool:
    known = analysis.catalogue.with_kinds(*analysis.show.kinds)
    return any(known[row.kind].runs_on_battery for row in analysis.show.devices)


def _phantom(analysis: Computed) -> bool:
    known = analysis.catalogue.with_kinds(*analysis.show.kinds)
    kinds = (known[row.kind] for row in analysis.show.devices)
    return any(port.phantom_ma or port.phantom_may_ma for kind in kinds for port in (*kind.inputs, *kind.outputs))


def _gated(analysis: Computed) -> bool:
    chains = (row.chain or () for device in analysis.show.devices for row in device.settings.values())
    return any(row.sort == "gate" and row.on for chain in chains for row in chain)


def _digital(analysis: Computed) -> bool:
    return (
        sum(group in ("interface", "codec", "recorder", "encoder", "host", "desk") for group in _groups(analysis)) > 1
    )


NEEDS: Mapping[str, tuple[str, Has]] = {
    "wireless": ("a wireless set", lambda analysis: "wireless" in _groups(analysis)),
    "battery": ("anything on a battery", _on_battery),
    "phantom": ("a microphone or box that needs phantom power", _phantom),
    "two-mics": ("a second microphone", lambda analysis: _groups(analysis).count("microphone") > 1),
    "digital": ("two digital devices", _digital),
    "computer": ("a computer", lambda analysis: bool({"host", "software", "encoder", "app"} & set(_groups(analysis)))),
    "gate": ("a gate", _gated),
    "call": ("a far end", lambda analysis: bool({"codec", "phone", "app"} & set(_groups(analysis)))),
    "loudspeaker": ("a loudspeaker", lambda analysis: "loudspeaker" in _groups(analysis)),
    "mains": ("", lambda analysis: True),
}
"""What a cause may need: words, and whether a show has it."""


@dataclass(frozen=True, slots=True)
class Weight:
    """One reason for or against a cause: words, its factor, and its source."""

    words: str
    factor: float
    source: str = ""


@dataclass(frozen=True)
class Ranked:
    """A cause, how likely it is now, and why."""

    cause: Cause
    chance: float
    weights: tuple[Weight, ...]

    def explain(self, together: float) -> Derived:
        """Its weight line by line, in decibels of odds; `together` is what all causes give together."""
        rows = [Derived(row.words, 10 * math.log10(row.factor), "dB", source=row.source) for row in self.weights]
        rows.append(Derived("less what all causes give together", -10 * math.log10(together), "dB"))
        return Derived(
            f"{self.cause.name}: {self.chance:.0%}",
            10 * math.log10(max(self.chance, 1e-12)),
            "dB",
            "sum of the lines; 10 lg of a chance",
            tuple(rows),
            "Bayes' rule; weight of evidence (Good 1950)",
            True,
        )


@dataclass(frozen=True)
class Standing:
    """What is known, and which cause it speaks for.

    Attributes:
        answers: question -> answer.
        heard: faults of a recording; None where none was listened to.
        analysis: the show; None where there is none.
    """

    answers: Mapping[str, str] = field(default_factory=dict)
    heard: Sequence[SoundFault] | None = None
    analysis: Computed | None = None
    findings: Sequence[Finding] = ()

    def __post_init__(self) -> None:
        for name, answer in self.answers.items():
            if name not in {row.id for row in questions()}:
                raise ValueError(f"there is no question {name!r}; there are {', '.join(row.id for row in questions())}")
            known = [row for row, _ in question(name).answers]
            if answer not in known:
                raise ValueError(f"{name} is answered with {', '.join(known)}, not {answer!r}")

    def weights(self, cause: Cause) -> tuple[Weight, ...]:
        """All that speaks for and against a cause."""
        rows = [Weight("how often it is this one", cause.prior, str(_table()["source"]))]
        rows += self._of_the_show(cause)
        rows += self._of_the_recording(cause)
        for name, answer in self.answers.items():
            asked = question(name)
            rows.append(Weight(f"{asked.text} {asked.words_of(answer)}", cause.chance(asked, answer)))
        return tuple(rows)

    def _of_the_show(self, cause: Cause) -> list[Weight]:
        if self.analysis is None:
            return []
        rows = []
        if cause.needs:
            words, there = NEEDS[cause.needs]
            if not there(self.analysis):
                rows.append(Weight(f"the show has not {words}", figure("needless"), _source("needless")))
        found = next((row for row in self.findings if row.code in cause.findings), None)
        if found is not None:
            rows.append(Weight(f"the show: {found.title}", figure("finding"), _source("finding")))
        return rows

    def _of_the_recording(self, cause: Cause) -> list[Weight]:
        if self.heard is None or not cause.heard:
            return []
        sure = max((row.confidence for row in self.heard if row.code in cause.heard), default=None)
        if sure is None:
            return [Weight("the recording has nothing of it", figure("not-heard"), _source("not-heard"))]
        row = max((row for row in self.heard if row.code in cause.heard), key=lambda row: row.confidence)
        factor = min(max(sure / (1 - sure), 1.0), figure("heard-most"))
        return [Weight(f"the recording: {row.evidence}", factor, f"{row.name}, {sure:.0%} sure; odds")]

    @cached_property
    def together(self) -> float:
        """What all causes give together."""
        return sum(math.prod(row.factor for row in self.weights(cause)) for cause in causes())

    @cached_property
    def ranking(self) -> tuple[Ranked, ...]:
        """Every cause, the likeliest first."""
        rows = []
        for cause in causes():
            weights = self.weights(cause)
            rows.append(Ranked(cause, math.prod(row.factor for row in weights) / self.together, weights))
        return tuple(sorted(rows, key=lambda row: -row.chance))

    def bits(self, asked: Question) -> float:
        """How much an answer is expected to tell of the cause, in bits."""
        told = 0.0
        for answer, _ in asked.answers:
            rows = [(row.chance, row.cause.chance(asked, answer)) for row in self.ranking]
            whole = sum(p * q for p, q in rows)
            told += sum(p * q * math.log2(q / whole) for p, q in rows if p > 0)
        return told

    def open_questions(self) -> tuple[tuple[Question, float], ...]:
        """Questions without an answer and what each would tell, the most telling first."""
        rows = [(row, self.bits(row)) for row in questions() if row.id not in self.answers]
        return tuple(sorted(rows, key=lambda row: -row[1]))

    @property
    def next_question(self) -> Question | None:
        """The most telling one; None when all are answered."""
        rows = self.open_questions()
        return rows[0][0] if rows else None

    @property
    def against_each_other(self) -> tuple[str, ...]:
        """Answers that the likeliest cause does not explain: told, never averaged away."""
        best = self.ranking[0].cause
        out = []
        for name, answer in self.answers.items():
            asked = question(name)
            most = max(best.chance(asked, other) for other, _ in asked.answers)
            if best.chance(asked, answer) < 0.25 * most:
                out.append(f"{asked.text} {asked.words_of(answer)}")
        return tuple(out)


def _source(name: str) -> str:
    return str(_table()["figures"][name]["source"])
