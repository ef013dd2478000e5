"""A fault that is heard in a recording, and the figures from which on one is told (`core/data/prove.json`, `sound`)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from kymaphon.core.derive import UNIT_KEYS, Derived
from kymaphon.core.figures import data_table

MOST_MARKS = 20
MINUTE_S = 60.0
"""What happens again and again is counted by the minute; a recording that is shorter counts as one."""
MOST_SURE = 0.99


@dataclass(frozen=True, slots=True)
class SoundFault:
    """One fault heard.

    Attributes:
        code: as in `core/data/prove.json`, `sound`.
        confidence: 0 to 1; see `confidence`.
        evidence: what was measured, in words with figures.
        at_s: where it is heard, at most twenty places of all; empty where it is heard throughout.
        limit: the figure of the table that it was measured against; `measured` in that one's unit.
    """

    code: str
    confidence: float
    evidence: str
    at_s: tuple[float, ...] = ()
    limit: str = ""
    measured: float = 0.0

    def explain(self) -> Derived | None:
        """How sure it is, and why; None of one that was not measured here."""
        if not self.limit:
            return None
        row = data_table("prove")["sound"]["limits"][self.limit]
        unit = row["unit"] if row["unit"] in UNIT_KEYS else ""
        terms = (
            Derived(f"measured{'' if unit == row['unit'] else ', in ' + row['unit']}", self.measured, unit),
            Derived("told from here on: one half", float(row["value"]), unit, source=row["source"]),
            Derived("nothing else gives as much: 95 %", float(row["sure"]), unit, source="assumed"),
        )
        return Derived("how sure", 100 * self.confidence, "%", "logistic curve through both", terms)

    @property
    def name(self) -> str:
        """For people."""
        return name_of(self.code)

    @property
    def cure(self) -> str:
        """What to do."""
        return str(_kinds()[self.code]["cure"])

    @property
    def test(self) -> str:
        """What to try, that tells whether it is this."""
        return str(_kinds()[self.code]["test"])

    @property
    def explained_by(self) -> tuple[str, ...]:
        """Faults that leave the same traces as this one."""
        return tuple(_kinds()[self.code].get("explained", ()))

    def to_json(self) -> dict[str, object]:
        return {
            "code": self.code,
            "name": self.name,
            "confidence": round(self.confidence, 2),
            "evidence": self.evidence,
            "at_s": [round(row, 3) for row in self.at_s],
            "test": self.test,
            "cure": self.cure,
        }


@cache
def _kinds() -> dict[str, dict[str, Any]]:
    return {row["code"]: row for row in data_table("prove")["sound"]["kinds"]}


def codes() -> tuple[str, ...]:
    """Every fault that can be heard, in the order of the table."""
    return tuple(_kinds())


def name_of(code: str) -> str:
    """A fault's name, for people. Raises KeyError: none of the table."""
    return str(_kinds()[code]["name"])


def limit(name: str) -> float:
    """From how much on something is told."""
    return float(data_table("prove")["sound"]["limits"][name]["value"])


def often(name: str, marks: Sequence[float], seconds: float) -> bool:
    """Whether something happens often enough to be told: so many times as `name` says, and as many a minute throughout, or twice as many in
    some one minute. A number alone would be reached by every recording that is long enough.

    Args:
        marks: when, in s from the beginning, in order.
    """
    least = limit(name)
    if len(marks) < least:
        return False
    at = np.asarray(marks, dtype=np.float64)
    most = int(np.max(np.searchsorted(at, at + MINUTE_S, side="right") - np.arange(len(at))))
    return len(at) / max(seconds, MINUTE_S) >= least / MINUTE_S or (seconds > MINUTE_S and most >= 2 * least)


def confidence(name: str, measured: float) -> float:
    """How sure a measurement against a limit makes: 0.5 at the limit, 0.95 at the figure that nothing else gives, by a logistic curve.

    Args:
        name: a limit that has a `sure` figure.
        measured: in its unit.

    >>> round(confidence("drift", limit("drift")), 2)
    0.5
    """
    row = data_table("prove")["sound"]["limits"][name]
    value, sure = float(row["value"]), float(row["sure"])
    steps = (measured - value) / (sure - value) * math.log(0.95 / 0.05)
    return min(1 / (1 + math.exp(-max(min(steps, 6.0), -6.0))), MOST_SURE)


def fault(code: str, name: str, measured: float, evidence: str, at_s: Sequence[float] = ()) -> SoundFault:
    """A fault of the table, measured against a limit; of more than twenty places some, evenly over all of them.

    Raises:
        KeyError: none of the table, or no such limit.
    """
    if code not in _kinds():
        raise KeyError(code)
    step = max(1.0, len(at_s) / MOST_MARKS)
    kept = tuple(float(at_s[int(k * step)]) for k in range(min(len(at_s), MOST_MARKS)))
    return SoundFault(code, confidence(name, measured), evidence, kept, name, float(measured))
