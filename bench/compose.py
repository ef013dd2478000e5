"""Composing, measured: the starting points without a window, and five hundred random answers that must come out with nothing wrong.

`python -m bench.compose [COUNT]`, on every core; a line for each hundred, and for each answer with something wrong. No timing is part of
a test.
"""

from __future__ import annotations

import os
import sys
import time
from concurrent.futures import ProcessPoolExecutor

from kymaphon.core.compose.compose import compose, plugged
from kymaphon.core.compose.finish import wrong
from kymaphon.core.compose.starts import starts
from tests.core.compose.random_answers import random_answers


def one(seed: int) -> tuple[float, int, list[str]]:
    """Seconds that one random answer takes, how many voices are left out with a reason, and what is wrong in the show."""
    begun = time.perf_counter()
    made = compose(random_answers(seed))
    left = sum(row.left_out for row in made.remarks)
    return time.perf_counter() - begun, left, [row.message for row in wrong(made.report)]


def starting_points() -> None:
    """How long each takes, from the answers to the picture and to the show."""
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


def main(count: int = 500) -> int:
    """Prints what was measured; 1 where something was wrong in a composed show."""
    starting_points()
    took, bad, left = [], 0, 0
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for seed, (seconds, out, messages) in enumerate(pool.map(one, range(count))):
            took.append(seconds)
            left += out
            bad += bool(messages)
            for message in messages:
                print(f"  {seed}: {message}")
            if (seed + 1) % 100 == 0:
                print(f"{seed + 1} of {count}, {bad} with something wrong", flush=True)
    took.sort()
    print(
        f"{count} random answers: median {took[count // 2]:.2f} s, nine in ten under {took[count * 9 // 10]:.1f} s, longest "
        f"{took[-1]:.1f} s; {left} voices left out with a reason; {bad} with something wrong"
    )
    return int(bool(bad))


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 500))
