"""Turning something: the knobs along a way, the edits that move a level by so much, and remedies made of them."""

from __future__ import annotations

from collections.abc import Sequence

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.graph.signal import Knob
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.wiring.linked_controls import turned_together, twins_along


def turn(knob: Knob, by_db: float) -> SetValue | None:
    """The edit that turns a knob by so much, in its steps and within its range; None when it cannot move
    that way at all.
    """
    to = knob.snap(knob.value + by_db)
    return None if abs(to - knob.value) < 5e-4 else SetValue(knob.ref, to)


def gain_knobs(ladder: Ladder, upto: Rung | None = None) -> list[Knob]:
    """Gain knobs along the chain up to a rung, first in the chain first; faders and sends after them."""
    knobs: list[Knob] = []
    for step in ladder.path.steps():
        knobs.extend(step.knobs)
        if upto is not None and ladder.path.graph.nodes[step.target].id == upto.node:
            break
    return sorted(knobs, key=lambda knob: not knob.is_gain)


def turn_remedies(
    analysis: Computed, ladder: Ladder, knobs: Sequence[Knob], by_db: float, effect: str
) -> tuple[Remedy, ...]:
    """Knobs that alone move the level by so much, after the first gain as far as it goes with the next where that is quieter; when
    none does, the fewest that do together, first in the chain first.
    """
    twins = twins_along(analysis, ladder)
    single: list[Remedy] = []
    for knob in knobs:
        edit = turn(knob, by_db)
        if edit is not None and abs(_moved(knob, edit) - by_db) <= knob.step / 2 + 1e-6:
            name = f"turn-{len(single) + 1}"
            single.append(_turn_remedy(analysis, twins, name, [(knob, edit, _moved(knob, edit))], effect))

    # What has most of its range left in that direction comes first the second time: a control that somebody left far down.
    def rank(knob: Knob) -> tuple[bool, float]:
        left = (knob.highest - knob.value) if by_db > 0 else (knob.value - knob.lowest)
        turned_down = by_db > 0 and knob.value <= -number("fell-by")
        return not turned_down, -left

    orders = [("turn-together", list(knobs)), ("turn-widest", sorted(knobs, key=rank))]
    if single:
        # Then only by what moves no other voice: else the later one alone is the better.
        early = [("turn-together", _alone(analysis, ladder, knobs))]
        orders = early if _early_first(knobs, single, by_db) else []
    together: list[Remedy] = []
    for remedy_id, order in orders:
        moves = _together(order, by_db)
        if moves:
            remedy = _turn_remedy(analysis, twins, remedy_id, moves, effect)
            if all(set(remedy.edits) != set(row.edits) for row in (*single, *together)):
                together.append(remedy)
    return (*together, *single)


def _alone(analysis: Computed, ladder: Ladder, knobs: Sequence[Knob]) -> list[Knob]:
    """Those knobs that no other voice passes on its way to an end."""
    shared = {
        knob.ref
        for (voice, _), other in analysis.ladders.items()
        if voice != ladder.voice
        for step in other.path.steps()
        for knob in step.knobs
    }
    return [knob for knob in knobs if knob.ref not in shared]


def _early_first(knobs: Sequence[Knob], alone: Sequence[Remedy], by_db: float) -> bool:
    """Whether what is missing should come from the first gain as far as it goes, before one further on gives all of it."""
    first = knobs[0]
    turned = {edit.ref for edit in alone[0].edits if isinstance(edit, SetValue)}
    return by_db > 0 and first.own and first.ref not in turned and first.highest - first.value >= number("fell-by")


def _together(knobs: Sequence[Knob], by_db: float) -> list[tuple[Knob, SetValue, float]]:
    """As few knobs as move a level by so much together, in their order; none where all of them are not enough."""
    moves: list[tuple[Knob, SetValue, float]] = []
    left = by_db
    for knob in knobs:
        part = turn(knob, left)
        if abs(left) > max(knob.step / 2, 0.5) and part is not None:
            moves.append((knob, part, _moved(knob, part)))
            left -= _moved(knob, part)
    return moves if abs(left) <= 1 else []


def _moved(knob: Knob, edit: SetValue) -> float:
    return (edit.value if isinstance(edit.value, float) else 0.0) - knob.value


def _turn_remedy(
    analysis: Computed,
    twins: dict[SettingRef, tuple[SettingRef, ...]],
    remedy_id: str,
    moves: list[tuple[Knob, SetValue, float]],
    effect: str,
) -> Remedy:
    words, stands = [], []
    edits: list[SetValue] = []
    for knob, edit, moved in moves:
        name = f"{knob.label}, both sides" if knob.ref in twins else knob.label
        edits.extend(turned_together(analysis, twins, edit, knob.value))
        words.append(f"{'Take' if moved < 0 else 'Add'} {abs(moved):.0f} dB {'off' if moved < 0 else 'at'}: {name}")
        before, after = (show_number(value, "dB", sign=True) for value in (knob.value, knob.value + moved))
        stands.append(f"{name} goes from {before} to {after}")
    return Remedy(remedy_id, "; ".join(words), f"{'; '.join(stands)}; {effect}.", tuple(edits))
