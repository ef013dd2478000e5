"""How long the random tests go on: a little in every run, for long in `make soak`, which is run before a release."""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import TypeVar

Row = TypeVar("Row")

BUDGET = int(os.environ.get("KYMAPHON_TEST_BUDGET", "1"))
"""So many times what a run of every day does."""


def tries(often: int) -> int:
    """How many examples a random test takes, of so many in a run of every day."""
    return often * BUDGET


def some(rows: Sequence[Row], few: int) -> Sequence[Row]:
    """So many of the rows of a long random or exhaustive test in a run of every day, spread over all; every one in `make soak`."""
    if BUDGET > 1 or len(rows) <= few:
        return rows
    return [rows[round(k * (len(rows) - 1) / max(1, few - 1))] for k in range(few)]
