"""A middle and a spread that one wild value does not move: the median, and the median absolute deviation scaled to the standard
deviation of a normal distribution (Rousseeuw & Croux, JASA 88, 1993); how sure that makes, and what lies outside.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from kymaphon.core.rundown.limits import limit

NORMAL = 1.482602218505602
"""Median absolute deviation of a normal distribution, in standard deviations, upside down."""
MEDIAN_ERROR = 1.2533141373155001
"""Standard error of a median of normal values against that of their mean: sqrt(pi / 2)."""


@dataclass(frozen=True, slots=True)
class Middle:
    """What some values have in common.

    Attributes:
        spread: as a standard deviation; 0 of one value, which tells nothing of it.
        count: of the values.
    """

    value: float
    spread: float
    count: int

    @property
    def error(self) -> float:
        """How far the middle itself may be off, as a standard deviation; infinite for a single value."""
        return MEDIAN_ERROR * self.spread / math.sqrt(self.count) if self.count > 1 else math.inf

    def outside(self, value: float, least: float) -> bool:
        """Whether another value lies outside what these let expect, by more than `least` in any case."""
        if self.count < 3:
            return False
        room = limit("outside_sd") * math.hypot(self.spread, self.error)
        return abs(value - self.value) > max(room, least)


def middle(values: Sequence[float]) -> Middle:
    """The middle of some values.

    Raises:
        ValueError: there are none.

    >>> middle([38, 37, 39, 38, 60])
    Middle(value=38, spread=1.482602218505602, count=5)
    """
    if not values:
        raise ValueError("of no values there is no middle")
    at = median(values)
    return Middle(at, NORMAL * median(abs(row - at) for row in values), len(values))


def sure_words(row: Middle, unit: str) -> str:
    """How many, how far apart, and how sure that makes."""
    if row.count == 1:
        return "one time only: a guess"
    digits = 2 if unit == "m" else 1
    least = 0.5 * 10**-digits
    if row.spread < least:
        return f"the last {row.count} times the same" + ("; two say little" if row.count == 2 else "")
    told = f"last {row.count} times, spread {row.spread:.{digits}f} {unit}".rstrip()
    if row.count == 2:
        return f"{told}; two say little"
    return f"{told}; known to \u00b1{row.error:.{digits}f} {unit}".rstrip()
