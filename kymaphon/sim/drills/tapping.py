"""Faults found by tapping: what is hidden, and how soon an expert would have it."""

from __future__ import annotations

import random

from kymaphon.core.prove.diagnosis import Seen, diagnose
from kymaphon.core.prove.faults import Fault
from kymaphon.core.prove.model import TapModel
from kymaphon.core.report.prove import read_by

BY_TAPPING = ("tap", "tap-two")
"""Drills that are done on the tap test itself."""


def expert_taps(model: TapModel, hidden: tuple[Fault, ...]) -> int:
    """How many taps find what is hidden, always the most telling next; all of them where it stays open."""
    seen: dict[tuple[int, int], Seen] = {}
    now = diagnose(model, seen)
    count = 0
    while (ask := now.next_tap()) is not None:
        seen = {**seen, **read_by(model, hidden, ask[0])}
        now = diagnose(model, seen)
        count += 1
        if now.ranked[0].has(*hidden):
            break
    return count


def choose_hidden(model: TapModel, draw: random.Random, count: int) -> tuple[Fault, ...]:
    """Faults to be found by tapping: such as some tap shows. Raises ValueError: no tap shows any."""
    shown = [row.faults[0] for row in model.suspects]
    if len(shown) < count:
        raise ValueError("no tap of this rig shows a fault")
    return tuple(draw.sample(shown, count))
