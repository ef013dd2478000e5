"""What is told of a fault that is looked for by questions: the likeliest causes, what speaks for them, and what to try next."""

from __future__ import annotations

from typing import Any

from kymaphon.core.prove.questions import Ranked, Standing

TOLD = 0.02
"""A cause that is less likely is not worth a line."""
MOST_TOLD = 6


def told(now: Standing) -> tuple[Ranked, ...]:
    """The causes that are worth a line."""
    return tuple(row for row in now.ranking[:MOST_TOLD] if row.chance >= TOLD) or now.ranking[:1]


def verdict(now: Standing) -> str:
    """How it stands, in a sentence."""
    first, second = now.ranking[:2]
    if not now.answers and not now.heard:
        return "Nothing is answered yet: the ranking is how often each cause is the one."
    if first.chance >= 0.8:
        return f"It is very likely: {first.cause.name}."
    if first.chance >= 0.5:
        return f"Most likely: {first.cause.name}; {second.cause.name} is still possible."
    return f"Still open: {first.cause.name}, or {second.cause.name}."


def standing_lines(now: Standing) -> list[str]:
    """The answer as lines of text."""
    rows = [verdict(now)]
    for row in told(now):
        rows.append(f"  {row.chance:4.0%}  {row.cause.name}")
        for weight in row.weights[1:]:
            rows.append(f"         x {weight.factor:.2g}  {weight.words}")
        if row is now.ranking[0]:
            rows.append(f"        {row.cause.cure}")
            rows.append(f"        To be sure: {row.cause.test}")
            if row.cause.note:
                rows.append(f"        {row.cause.note}")
    if now.against_each_other:
        rows.append(f"Not explained by the likeliest: {'; '.join(now.against_each_other)}")
    asked = now.next_question
    if asked is not None:
        rows.append(f"Next, worth {now.bits(asked):.2f} bits: {asked.text} ({asked.id})")
        if asked.hint:
            rows.append(f"  {asked.hint}")
        rows += [f"  {asked.id}={answer}: {words}" for answer, words in asked.answers]
    return rows


def standing_json(now: Standing) -> dict[str, Any]:
    """The same as data."""
    asked = now.next_question
    return {
        "verdict": verdict(now),
        "causes": [
            {
                "id": row.cause.id,
                "name": row.cause.name,
                "chance": round(row.chance, 4),
                "weights": [
                    {"words": weight.words, "factor": round(weight.factor, 4), "source": weight.source}
                    for weight in row.weights
                ],
                "cure": row.cause.cure,
                "test": row.cause.test,
            }
            for row in now.ranking
        ],
        "not_explained": list(now.against_each_other),
        "next": None
        if asked is None
        else {
            "id": asked.id,
            "text": asked.text,
            "bits": round(now.bits(asked), 3),
            "answers": [{"id": answer, "text": words} for answer, words in asked.answers],
        },
    }
