"""A stereo record or instrument whose two sides are set apart."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, less, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.rules.record import rule
from kymaphon.core.wiring.linked_controls import knob_at, twins_along


@rule("sides-apart", stage="Rig", reads=("feeds",))
def sides_apart(analysis: Computed) -> Iterator[Finding]:
    """A stereo record or instrument whose sides come to an end at different gains: a knob of one side was turned and that of the other
    was not. Who plays two different things on the two sides means it.
    """
    graph, transfer = analysis.graph, analysis.transfer
    for voice in analysis.voices:
        played = voice.plays_on or ""
        left, right = (graph.index.get(f"{played}{side}") for side in (".l", ".r"))
        if voice.kind not in ("player", "instrument") or left is None or right is None:
            continue
        for end in analysis.listeners:
            gains = [
                max(float(transfer.best_gain_to(ear)[start]) for ear in graph.ears[end.id]) for start in (left, right)
            ]
            if end.kind not in ("audience", "recorder") or not all(map(math.isfinite, gains)):
                continue
            gap = gains[0] - gains[1]
            if abs(gap) >= number("sides-apart"):
                yield _apart(analysis, voice.id, end.id, gains)
                break


def _apart(analysis: Computed, voice: str, end: str, gains: list[float]) -> Finding:
    gap = gains[0] - gains[1]
    who, where = analysis.party_name(voice), analysis.party_name(end)
    lower, higher = ("right", "left") if gap > 0 else ("left", "right")
    ladder = analysis.ladder(voice, end)
    pairs = twins_along(analysis, ladder) if ladder is not None else {}
    remedies, told = [], []
    for ref, twins in pairs.items():
        one, other = (knob_at(analysis.graph, row) for row in (ref, twins[0]))
        if one is None or other is None or abs(one.value - other.value) < number("edge-inside"):
            continue
        # The ladder goes by the stronger side.
        told.append(
            f"{one.label} stands at {show_number(one.value, 'dB', sign=True)}, {other.label} at {show_number(other.value, 'dB', sign=True)}"
        )
        for sort, knob, value in (("weaker", other, one.value), ("stronger", one, other.value)):
            if knob.lowest <= value <= knob.highest:
                remedies.append(
                    Remedy(
                        f"level-{sort}",
                        f"{knob.label} to {show_number(value, 'dB', sign=True)}, as the other side",
                        "Both sides then come at one level.",
                        (SetValue(knob.ref, value),),
                    )
                )
    why = f": {'; '.join(told)}" if told else ""
    by_way = "its strongest path through the rig, gains added"
    sides = [
        Derived(f"{side} side to {where}", gain, "dB", source=by_way)
        for side, gain in zip(("left", "right"), gains, strict=True)
    ]
    why_apart = total("between sides", "dB", (sides[0], less(sides[1])))
    text = (
        f"The {lower} side of {who} comes to {where} {abs(gap):.1f} dB under its {higher}{why}. "
        "What is in the middle of the record leans to one side, and in mono one side covers the other."
    )
    return Finding(
        "sides-apart",
        "note",
        "Rig",
        (voice, end),
        f"The sides of {who} are {abs(gap):.1f} dB apart",
        text,
        (Derived("between sides", abs(gap), "dB", source="computed"),),
        why_apart,
        tuple(remedies),
    )
