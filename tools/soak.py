"""The attacks of tests/attacks.py for as long as one likes: `make soak`, or `python tools/soak.py --minutes 60 --seed 4`.

Prints one line for each round and a last one for all of them; exits with 1 when anything went wrong. The last figures, with their
date, stand in docs/reliability.md.
"""

from __future__ import annotations

import argparse
import os
import random
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=10.0)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.environ["KYMAPHON_STATE"] = str(folder / "state")
        return _soak(folder, options.minutes, options.seed)


def _soak(folder: Path, minutes: float, seed: int) -> int:
    from tests.attacks import attack_readers, kill_while_editing, two_writers

    draw = random.Random(seed)
    end = time.monotonic() + 60 * minutes
    inputs = kills = writes = rounds = 0
    wrong: list[str] = []
    while time.monotonic() < end:
        rounds += 1
        place = folder / f"round-{rounds}"
        place.mkdir()
        tried, found = attack_readers(place, seed=seed * 1000 + rounds, count=400)
        inputs += tried
        for n in range(4):
            found += kill_while_editing(place, folder / f"state-{rounds}-{n}", draw.uniform(0.1, 6.0))
            kills += 1
        found += two_writers(place, 150)
        writes += 300
        wrong += found
        print(f"round {rounds}: {inputs} inputs, {kills} kills, {writes} writes, {len(wrong)} wrong", flush=True)
        for row in found:
            print(f"  {row}", flush=True)
    print(
        f"{minutes:g} minutes, seed {seed}: {inputs} inputs, {kills} kills, {writes} writes by two programs, {len(wrong)} wrong"
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
