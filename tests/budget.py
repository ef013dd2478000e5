"""How long the random tests go on: a little in every run, for long in `make soak`, which is run before a release."""

from __future__ import annotations

import os

BUDGET = int(os.environ.get("KYMAPHON_TEST_BUDGET", "1"))
"""So many times what a run of every day does."""


def tries(often: int) -> int:
    """How many examples a random test takes, of so many in a run of every day."""
    return often * BUDGET
