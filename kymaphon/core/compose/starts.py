"""Starting points: answers made ready, to be changed before starting."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from kymaphon.core.figures import data_table
from kymaphon.core.model.answers import Answers


@dataclass(frozen=True)
class Start:
    """A starting point.

    Attributes:
        name: on its button; `about` under it.
        answers: what it begins with.
    """

    id: str
    name: str
    about: str
    answers: Answers


@cache
def starts() -> tuple[Start, ...]:
    """All starting points, in the order of their buttons; from data/starts.json."""
    rows = data_table("starts")["starts"]
    return tuple(Start(row["id"], row["name"], row["about"], Answers.model_validate(row["answers"])) for row in rows)
