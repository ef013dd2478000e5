"""A loop cured by levels: the least turn of the fewest knobs that leaves the gain margin which loops shall keep."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations

from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.block import Floats
from kymaphon.core.graph.signal import Knob
from kymaphon.core.graph.stability import Stability
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.ids import SettingRef

FEW_KNOBS = 6
"""Where no knob alone is enough, so many of those that give most are tried in twos."""


@dataclass(frozen=True, slots=True)
class Turn:
    """A knob turned down.

    Attributes:
        to_db: where it then stands.
    """

    knob: Knob
    to_db: float

    @property
    def by_db(self) -> float:
        """By so much it goes down."""
        return self.knob.value - self.to_db

    @property
    def words(self) -> str:
        return f"Turn {self.knob.label} down {show_number(self.by_db, 'dB')}".replace(".0 dB", " dB")


@dataclass(frozen=True)
class _Loops:
    """The parts of a rig that are nearer to howling than the margin, with the knobs in them."""

    transfer: Transfer
    margin_db: float

    @cached_property
    def parts(self) -> list[list[int]]:
        rows = zip(self.transfer.cyclic_components, self.transfer.stabilities, strict=True)
        return [part for part, row in rows if row.margin_db < self.margin_db]

    @cached_property
    def knobs(self) -> dict[SettingRef, Knob]:
        """Knobs on steps inside those parts, in the order of the graph."""
        out: dict[SettingRef, Knob] = {}
        for part in self.parts:
            members = set(part)
            for node in part:
                for position, after, _ in self.transfer.graph.steps_out[node]:
                    for knob in self.transfer.graph.edges[position].knobs if after in members else ():
                        if knob.ref.field != "pad" and knob.value - knob.lowest >= knob.step:
                            out.setdefault(knob.ref, knob)
        return out

    @cached_property
    def _moved(self) -> dict[SettingRef, list[int]]:
        """Setting -> live edges whose gain it moves, as positions in the live arrays."""
        out: dict[SettingRef, list[int]] = {}
        for k, position in enumerate(self.transfer.graph.live):
            for knob in self.transfer.graph.edges[position].knobs:
                out.setdefault(knob.ref, []).append(k)
        return out

    def margin(self, *turns: Turn) -> float:
        """The least gain margin of all parts with some knobs turned."""
        weight: Floats = 10 ** (self.transfer.graph.gain_db / 20)
        for turn in turns:
            weight[self._moved[turn.knob.ref]] *= 10 ** (-turn.by_db / 20)
        return min(Stability(self.transfer.weighed(part, weight)).margin_db for part in self.parts)

    def keeps(self, *turns: Turn) -> bool:
        return self.margin(*turns) >= self.margin_db

    def least(self, knob: Knob, beside: Sequence[Turn] = ()) -> Turn | None:
        """The least turn of a knob that is enough, beside turns of others; None where its whole range is not."""
        steps = _steps(knob)
        if not steps or not self.keeps(*beside, _down(knob, steps)):
            return None
        low, high = 0, steps
        while high - low > 1:
            middle = (low + high) // 2
            if self.keeps(*beside, _down(knob, middle)):
                high = middle
            else:
                low = middle
        return _down(knob, high)


def _steps(knob: Knob) -> int:
    """So many steps it can go down."""
    return math.floor((knob.value - knob.lowest) / knob.step + 1e-9)


def _down(knob: Knob, steps: int) -> Turn:
    return Turn(knob, knob.snap(knob.value - steps * knob.step))


def turned_down(transfer: Transfer) -> Iterator[tuple[Turn, ...]]:
    """Turns that leave every loop `loop-margin` from howling: each knob that does it alone, the least turn first; where none does, two.

    What is turned down is quieter for whoever hears by it: whether everybody still has what they should is for whoever offers it to
    look at.
    """
    loops = _Loops(transfer, number("loop-margin"))
    single = [turn for knob in loops.knobs.values() if (turn := loops.least(knob)) is not None]
    yield from ((turn,) for turn in sorted(single, key=lambda turn: turn.by_db))
    if not single and loops.parts:
        yield from sorted(_twos(loops), key=lambda turns: sum(turn.by_db for turn in turns))


def _twos(loops: _Loops) -> Iterator[tuple[Turn, ...]]:
    """Pairs of knobs, each the least turn of both together that is looked at: the first in eight stretches of its range."""
    alone = sorted(loops.knobs.values(), key=lambda knob: -loops.margin(_down(knob, _steps(knob))))[:FEW_KNOBS]
    for one, other in combinations(alone, 2):
        tries = sorted({max(1, round(_steps(one) * n / 8)) for n in range(1, 9)})
        found = [(_down(one, n), rest) for n in tries if (rest := loops.least(other, (_down(one, n),))) is not None]
        if found:
            yield min(found, key=lambda turns: sum(turn.by_db for turn in turns))


def has_knobs(transfer: Transfer) -> bool:
    """Whether there is anything to turn in the loops that are too near to howling."""
    return bool(_Loops(transfer, number("loop-margin")).knobs)


def turning_remedies(transfer: Transfer, effect: str) -> Iterator[Remedy]:
    """The same as remedies, to be tried by whoever offers them."""
    for turns in turned_down(transfer):
        rows = [turn.knob.ref for turn in turns]
        words = "; ".join(turn.words for turn in turns)
        yield Remedy(
            f"down-{'-'.join(f'{ref.device}-{ref.key}' for ref in rows)}",
            words[0].upper() + words[1:],
            effect,
            tuple(SetValue(turn.knob.ref, turn.to_db) for turn in turns),
        )
