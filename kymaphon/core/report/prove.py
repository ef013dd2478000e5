"""What is told of a tap test: whom to tap, what must move, which fault explains what was seen, and where to look."""

from __future__ import annotations

from typing import Any

import numpy as np

from kymaphon.core.prove.diagnosis import OFF_DB, SILENT, Diagnosis, Hypothesis, Observations, Seen
from kymaphon.core.prove.faults import Fault, sorts
from kymaphon.core.prove.model import SHOWN_DB, TapModel

MOST_TOLD = 6
LEAST_PART = 0.02
"""What has less than this part of the likeliest one's chance is not worth a word."""
MOST_ALIKE = 3


def must_move(model: TapModel, tap: int) -> list[int]:
    """Meters that a tap has to move, by their places in the model, in the order in which the signal comes to them."""
    rows = [n for n in range(len(model.meters)) if model.planned[tap, n] > SHOWN_DB]
    steps = _steps_from(model, model.taps[tap].node)
    return sorted(rows, key=lambda n: min(steps.get(node, len(steps)) for node in model.meters[n].nodes))


def _steps_from(model: TapModel, start: int) -> dict[int, int]:
    """How many steps of the signal lie between a node and those that it reaches."""
    steps, work = {start: 0}, [start]
    for node in work:
        for _, after, _ in model.graph.steps_out[node]:
            if after not in steps:
                steps[after] = steps[node] + 1
                work.append(after)
    return steps


def must_not_move(model: TapModel, tap: int) -> list[int]:
    """Meters that it must not move, and would by some fault."""
    return list(map(int, np.flatnonzero((model.planned[tap] <= SHOWN_DB) & model.moved_by_some_fault[tap])))


def reads_wrong(expected: float, what: Seen) -> bool:
    """Whether what was seen is not what should be there, both below the meter's mark."""
    should = expected > SHOWN_DB
    if isinstance(what, str):
        return (what == SILENT) == should
    return not should or abs(what - expected) > OFF_DB


def cure_of(fault: Fault) -> str:
    """What to do about a fault."""
    return sorts()[fault.sort].cure


def look_at(hypothesis: Hypothesis) -> list[str]:
    """Where to look, the likeliest first: of faults that no tap tells from each other all are named."""
    rows = [fault.label for suspect in hypothesis.suspects for fault in suspect.faults]
    told = rows[: MOST_ALIKE * max(1, len(hypothesis.suspects))]
    return told + ([f"and {len(rows) - len(told)} more that show the same"] if len(rows) > len(told) else [])


def explanation(diagnosis: Diagnosis, hypothesis: Hypothesis) -> str:
    """How well it explains what was seen: all of it, or what it takes for a misreading."""
    count = len(diagnosis.seen)
    if not count:
        return "nothing was seen yet"
    if not hypothesis.misread:
        return f"explains all {count}"
    return f"explains {hypothesis.explains} of {count}, {len(hypothesis.misread)} would be misread"


def misreadings(diagnosis: Diagnosis, hypothesis: Hypothesis) -> str:
    """Which looks an explanation takes for misread; empty for none."""
    if not hypothesis.misread:
        return ""
    tap, meter = hypothesis.misread[0]
    where = f"{diagnosis.model.meters[meter].label} at {diagnosis.model.taps[tap].name}'s tap"
    more = len(hypothesis.misread) - 1
    return f"Then {where} was misread{f', and {more} more' if more else ''}: look there again."


def verdict(diagnosis: Diagnosis) -> str:
    """One sentence: what is known by now."""
    if not diagnosis.seen:
        return f"Nothing was tapped yet; {diagnosis.open_bits:.1f} bits are open."
    best = diagnosis.ranked[0]
    if not best.suspects:
        left = diagnosis.next_tap()
        if best.misread:
            return f"All but {len(best.misread)} of what was seen is as planned ({best.chance:.0%})."
        if left is None:
            return f"Every tap shows what it should ({best.chance:.0%})."
        return f"What was seen is as planned ({best.chance:.0%}); the rest is not ruled out yet."
    return f"{best.label} ({best.chance:.0%})."


def plan_json(model: TapModel) -> dict[str, Any]:
    """Taps, meters, and what must and must not move."""
    return {
        "meters": [{"id": row.id, "name": row.label, "unit": row.unit} for row in model.meters],
        "taps": [
            {
                "id": tap.id,
                "act": tap.act,
                "must_move": [
                    {"meter": model.meters[n].id, "below_db": round(float(model.planned[k, n]), 2)}
                    for n in must_move(model, k)
                ],
                "must_not_move": [model.meters[n].id for n in must_not_move(model, k)],
            }
            for k, tap in enumerate(model.taps)
        ],
        "faults": len(model.faults),
        "unseen_by_taps": [row.id for row in model.unseen],
    }


def diagnosis_json(diagnosis: Diagnosis) -> dict[str, Any]:
    """What is known after some observations."""
    model, ask = diagnosis.model, diagnosis.next_tap()
    return {
        "seen": seen_json(model, diagnosis.seen),
        "open_bits": round(diagnosis.open_bits, 3),
        "next": None if ask is None else {"tap": model.taps[ask[0]].id, "bits": round(ask[1], 3)},
        "verdict": verdict(diagnosis),
        "ranked": [
            {
                "chance": round(row.chance, 4),
                "faults": [[fault.id for fault in suspect.faults] for suspect in row.suspects],
                "label": row.label,
                "explains": row.explains,
                "misread": [[model.taps[t].id, model.meters[m].id] for t, m in row.misread],
                "cures": [cure_of(suspect.faults[0]) for suspect in row.suspects],
            }
            for row in told(diagnosis)
        ],
    }


def told(diagnosis: Diagnosis) -> list[Hypothesis]:
    """The hypotheses that are worth a word."""
    least = LEAST_PART * diagnosis.ranked[0].chance
    return [row for row in diagnosis.ranked[:MOST_TOLD] if row.chance >= least]


def seen_json(model: TapModel, seen: Observations) -> list[dict[str, Any]]:
    return [
        {"tap": model.taps[tap].id, "meter": model.meters[meter].id, "seen": what}
        for (tap, meter), what in sorted(seen.items(), key=lambda row: row[0])
    ]


def read_by(model: TapModel, faults: tuple[Fault, ...], tap: int) -> Observations:
    """What a rig with these faults shows when one source is tapped, read to the decibel; of the meters that could tell something."""
    levels = model.below(faults)[tap]
    told_ = {*must_move(model, tap), *must_not_move(model, tap)}
    return {(tap, n): SILENT if levels[n] <= SHOWN_DB else float(round(levels[n])) for n in sorted(told_)}
