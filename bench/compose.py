"""Composing, measured: the starting points without a window, and five hundred random answers that must come out with nothing wrong.

`python -m bench.compose [COUNT]`; no timing is part of a test.
"""

from __future__ import annotations

import sys
import time

from kymaphon.core.compose.compose import compose, plugged
from kymaphon.core.compose.finish import wrong
from kymaphon.core.compose.starts import starts
from tests.core.compose.random_answers import random_answers


def main(count: int = 500) -> int:
    """Prints what was measured; 1 where something was wrong in a composed show."""
    compose(starts()[0].answers)
    for row in starts():
        begun = time.perf_counter()
        show, _ = plugged(row.answers)
        drawn = time.perf_counter()
        made = compose(row.answers)
        done = time.perf_counter()
        print(
            f"{row.id:12} plugged {1000 * (drawn - begun):6.1f} ms, composed {done - drawn:5.2f} s, {len(show.devices)} devices, "
            f"{len(wrong(made.report))} wrong"
        )
    took, bad, left = [], [], 0
    for seed in range(count):
        begun = time.perf_counter()
        made = compose(random_answers(seed))
        took.append(time.perf_counter() - begun)
        bad += [(seed, row.message) for row in wrong(made.report)]
        left += sum(row.left_out for row in made.remarks)
    took.sort()
    print(
        f"{count} random answers: median {took[count // 2]:.2f} s, longest {took[-1]:.1f} s, {left} voices left out with a reason"
    )
    for seed, message in bad:
        print(f"  {seed}: {message}")
    return int(bool(bad))


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 500))
