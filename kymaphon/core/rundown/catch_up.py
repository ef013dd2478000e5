"""What to cut when a hard time will be missed, and what to stretch when there is time to fill: the fewest changes that do it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations, product
from math import comb, prod
from typing import Literal

from kymaphon.core.model.clock import span_words
from kymaphon.core.model.edits import Edit, RemoveRow, SetField
from kymaphon.core.rundown.timing import TOLERANCE_S, HardTime, Timed, Timeline, planned_s

MOST_TRIED = 50_000
"""So many combinations are looked at in full; beyond, the longest ones are taken."""
MOST_OFFERED = 3


@dataclass(frozen=True, slots=True)
class Cut:
    """One way to be shorter.

    Attributes:
        sort: "shorten" takes any time up to `saves_s`, "drop" the whole segment, "play" something that plays in it.
        play: which of the things that play, for "play".
        loses: what the show goes without.
    """

    segment: str
    name: str
    sort: Literal["shorten", "drop", "play"]
    saves_s: float
    play: int = -1
    loses: str = ""


@dataclass(frozen=True, slots=True)
class Advice:
    """Cuts that together do it.

    Attributes:
        cuts: each with the time that is taken of it.
        saves_s: in all; `enough`: the hard time is met then.
    """

    cuts: tuple[tuple[Cut, float], ...]
    saves_s: float
    enough: bool

    @property
    def words(self) -> str:
        """What to do, in words: `cut 0:40 of Interview`."""
        rows = []
        for cut, takes in self.cuts:
            if cut.sort == "shorten":
                rows.append(f"cut {span_words(takes)} of {cut.name}")
            else:
                rows.append(f"drop {cut.name} ({span_words(takes)})")
        return " and ".join(rows)


def edits_of(line: Timeline, advice: Advice) -> tuple[Edit, ...]:
    """What puts advice into the rundown."""
    out: list[Edit] = []
    for cut, takes in advice.cuts:
        segment = line.of(cut.segment).segment
        if cut.sort == "drop":
            out.append(RemoveRow("rundown", cut.segment))
            continue
        length = (planned_s(segment) or 0.0) - takes
        if segment.shortest_s is not None and segment.shortest_s > length:
            out.append(SetField("rundown", cut.segment, "shortest_s", length))
        out.append(SetField("rundown", cut.segment, "length_s", length))
        if cut.sort == "play":
            kept = tuple(row for n, row in enumerate(segment.plays) if n != cut.play)
            out.append(SetField("rundown", cut.segment, "plays", kept))
    return tuple(out)


def cuts_before(line: Timeline, hard: HardTime) -> tuple[tuple[Cut, ...], ...]:
    """What can still be cut towards a hard time, by segment; of one segment only one can be taken."""
    groups = (tuple(_cuts_of(row)) for row in line.towards(hard))
    return tuple(group for group in groups if group)


def _cuts_of(row: Timed) -> Iterator[Cut]:
    segment, planned = row.segment, planned_s(row.segment)
    if planned is None:
        return
    if segment.shortest_s is not None:
        most = planned - max(segment.shortest_s, row.spent_s)
        if most >= 1:
            yield Cut(segment.id, segment.name, "shorten", most, loses=segment.loses)
    if row.state == "on":
        return
    if segment.can_drop and planned:
        yield Cut(segment.id, segment.name, "drop", planned, loses=segment.loses)
    for n, play in enumerate(segment.plays):
        if play.can_drop and play.length_s and not play.under and play.length_s < planned:
            yield Cut(segment.id, play.called, "play", play.length_s, n)


def catch_up(line: Timeline, hard: HardTime | None = None) -> tuple[Advice, ...]:
    """What meets a hard time that will be missed: the fewest cuts, and of those what wastes least; several where one does. The last
    resort, where nothing is enough, is everything together, and `enough` is False. Empty where nothing is over.

    Args:
        hard: which; None for the next one that is over.
    """
    found = hard or next((row for row in line.hard if row.missed and _ahead(line, row)), None)
    if found is None or not found.missed:
        return ()
    groups = cuts_before(line, found)
    need = found.off_s
    most = sorted((max(row.saves_s for row in group) for group in groups), reverse=True)
    count = next((k for k in range(1, len(most) + 1) if sum(most[:k]) >= need), 0)
    if not count:
        cuts = tuple(max(group, key=lambda row: row.saves_s) for group in groups)
        taken = tuple((row, row.saves_s) for row in cuts)
        return (Advice(taken, sum(most), False),) if taken else ()
    return tuple(_fewest(groups, need, count))[:MOST_OFFERED]


def _ahead(line: Timeline, hard: HardTime) -> bool:
    return line.rows[hard.place].state != "done"


def _fewest(groups: Sequence[Sequence[Cut]], need: float, count: int) -> list[Advice]:
    tried = comb(len(groups), count) * prod(sorted(map(len, groups), reverse=True)[:count])
    if tried > MOST_TRIED:
        longest = sorted(groups, key=lambda group: -max(row.saves_s for row in group))[:count]
        chosen = [tuple(max(group, key=lambda row: row.saves_s) for group in longest)]
    else:
        chosen = [cuts for rows in combinations(groups, count) for cuts in product(*rows)]
    found = [row for row in (_taken(cuts, need) for cuts in chosen) if row is not None]
    return sorted(found, key=lambda row: (round(row.saves_s - need), sum(cut.sort == "drop" for cut, _ in row.cuts)))


def _taken(cuts: Sequence[Cut], need: float) -> Advice | None:
    """So much of each as is needed: what can be cut to the second gives what the others leave. None where it does not do."""
    whole = sum(row.saves_s for row in cuts if row.sort != "shorten")
    left = need - whole
    if left > sum(row.saves_s for row in cuts if row.sort == "shorten") + 1e-9:
        return None
    taken = []
    for row in sorted(cuts, key=lambda row: row.saves_s):
        takes = row.saves_s
        if row.sort == "shorten":
            takes = min(row.saves_s, max(left, 0.0))
            left -= takes
        if takes <= 0:
            return None  # it does without that one
        taken.append((row, takes))
    order = {row: n for n, row in enumerate(cuts)}
    rows = tuple(sorted(taken, key=lambda item: order[item[0]]))
    return Advice(rows, sum(takes for _, takes in rows), True)


@dataclass(frozen=True, slots=True)
class Fill:
    """Time to fill before a hard time: what may be stretched, and what is left to fill then."""

    hard: HardTime
    stretches: tuple[tuple[str, float], ...]
    left_s: float

    @property
    def left(self) -> bool:
        """Whether stretching is not enough."""
        return self.left_s > TOLERANCE_S

    @property
    def words(self) -> str:
        rows = " and ".join(f"stretch {name} by {span_words(by)}" for name, by in self.stretches)
        if not self.left:
            return rows
        rest = f"{span_words(self.left_s)} stay to be filled"
        return f"{rows}; {rest}" if rows else rest


def fill(line: Timeline, hard: HardTime) -> Fill | None:
    """What fills the time before a hard time that comes too late; None where nothing is under."""
    need = -hard.off_s
    if not hard.early:
        return None
    options = []
    for row in line.towards(hard):
        planned, longest = planned_s(row.segment), row.segment.longest_s
        if planned is not None and longest is not None and longest - planned >= 1:
            options.append((row.segment.name, longest - planned))
    taken = []
    for name, most in sorted(options, key=lambda row: -row[1]):
        by = min(most, need)
        if by > TOLERANCE_S:
            taken.append((name, by))
            need -= by
    return Fill(hard, tuple(taken), max(need, 0.0))
