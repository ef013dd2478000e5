"""The cheapest choice that hits every row: branch and bound over bit sets, for a few dozen things to choose from.

A row asks for one of its things once all of another set are chosen; a forbidden set may not be chosen whole; a dear set, chosen
whole, costs more. Costs are positive and choosing more never makes anything cheaper, so that only a thing which a row still asks
for is worth a branch. (Land and Doig, Econometrica 28, 1960. A general integer programme answers the same in fifty times the
time, most of it for being called; the tests hold the two against each other.)
"""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Generic, TypeVar

Thing = TypeVar("Thing", bound=Hashable)
NOTHING = 1e-9


@dataclass
class HittingSet(Generic[Thing]):
    """One question.

    Attributes:
        cost: of each thing, above 0; in the order in which equal ones are tried.
        rows: (given, things): once all of the first are chosen, one of the second has to be.
        forbidden: sets of which not all may be chosen.
        dear: (set, whose, cost): chosen whole it costs more, once for all sets of the same `whose`.
        effort: so many branches are looked at, at most; what is left of it afterwards.
        proven: whether all that could be cheaper was looked at.
    """

    cost: Mapping[Thing, float]
    rows: Sequence[tuple[frozenset[Thing], frozenset[Thing]]] = ()
    forbidden: Sequence[frozenset[Thing]] = ()
    dear: Sequence[tuple[frozenset[Thing], int, float]] = ()
    effort: int = 20_000
    proven: bool = field(default=True, init=False)

    def __post_init__(self) -> None:
        self._things = list(self.cost)
        self._place = {thing: 1 << i for i, thing in enumerate(self._things)}
        self._costs = {bit: float(self.cost[thing]) for thing, bit in self._place.items()}
        bits = dict.fromkeys((self._bits(given), self._bits(things)) for given, things in self.rows)
        self._rows = sorted(bits, key=lambda row: row[1].bit_count())
        self._forbidden = list(dict.fromkeys(map(self._bits, self.forbidden)))
        self._dear = [(self._bits(things), whose, cost) for things, whose, cost in self.dear]

    def _bits(self, things: frozenset[Thing]) -> int:
        return sum(self._place[thing] for thing in things)

    def least(self) -> frozenset[Thing] | None:
        """The cheapest choice; None where there is none, or none was found within the effort (`proven` tells which)."""
        self._best: int | None = None
        self._worth = float("inf")
        self._look(0, 0, 0.0)
        if self._best is None:
            return None
        return frozenset(thing for thing, bit in self._place.items() if self._best & bit)

    def _look(self, chosen: int, left_out: int, cost: float) -> None:
        if self.effort <= 0:
            self.proven = False
            return
        self.effort -= 1
        if any(row & chosen == row for row in self._forbidden):
            return
        dear = {whose: more for things, whose, more in self._dear if things & chosen == things}
        sure = cost + sum(dear.values())
        # Each row that shares nothing with those before it costs its cheapest thing at least.
        still, taken, branch, fewest = sure, 0, 0, 0
        for given, things in self._rows:
            if given & chosen != given or things & chosen:
                continue
            free = things & ~left_out
            if not free:
                return
            if not branch or free.bit_count() < fewest:
                branch, fewest = free, free.bit_count()
            if not free & taken:
                taken |= free
                still += min(map(self._costs.__getitem__, _each(free)))
        if still >= self._worth - NOTHING:
            return
        if not branch:
            self._best, self._worth = chosen, sure
            return
        for bit in sorted(_each(branch), key=self._costs.__getitem__):
            self._look(chosen | bit, left_out, cost + self._costs[bit])
            left_out |= bit


def _each(bits: int) -> list[int]:
    out = []
    while bits:
        lowest = bits & -bits
        out.append(lowest)
        bits ^= lowest
    return out
