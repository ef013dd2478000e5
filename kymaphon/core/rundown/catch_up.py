"""What to cut when a hard time will be missed, and what to stretch when there is time to fill: the fewest changes that do it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from math import comb
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
    for name in dict.fromkeys(cut.segment for cut, _ in advice.cuts):
        mine = [(cut, takes) for cut, takes in advice.cuts if cut.segment == name]
        if any(cut.sort == "drop" for cut, _ in mine):
            out.append(RemoveRow("rundown", name))
            continue
        segment = line.of(name).segment
        length = (planned_s(segment) or 0.0) - sum(takes for _, takes in mine)
        if segment.shortest_s is not None and segment.shortest_s > length:
            out.append(SetField("rundown", name, "shortest_s", length))
        out.append(SetField("rundown", name, "length_s", length))
        gone = {cut.play for cut, _ in mine if cut.sort == "play"}
        if gone:
            kept = tuple(row for n, row in enumerate(segment.plays) if n not in gone)
            out.append(SetField("rundown", name, "plays", kept))
    return tuple(out)


def cuts_before(line: Timeline, hard: HardTime) -> tuple[tuple[Cut, ...], ...]:
    """What can still be cut towards a hard time, by segment: of one segment either as much as it may be shorter, or all of it, or any of
    what plays in it, so long as something is left.
    """
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
    groups = [_Group.of(line, group) for group in cuts_before(line, found)]
    need = found.off_s
    saved, longest = _most_saved(groups, need)[-1]
    if saved < need:
        cuts = [cut for group in groups for cut in group.all_together]
        taken = tuple((row, row.saves_s) for row in cuts)
        return (Advice(taken, sum(row.saves_s for row in cuts), False),) if taken else ()
    return tuple(_fewest(groups, need, longest))[:MOST_OFFERED]


@dataclass(frozen=True, slots=True)
class _Group:
    """What can be cut of one segment.

    Attributes:
        whole: shorten and drop, of which one alone can be taken.
        plays: those that can go together, the longest first.
        planned_s: of the segment.
    """

    whole: tuple[Cut, ...]
    plays: tuple[Cut, ...]
    planned_s: float

    @staticmethod
    def of(line: Timeline, cuts: Sequence[Cut]) -> _Group:
        planned = planned_s(line.of(cuts[0].segment).segment) or 0.0
        plays = sorted((row for row in cuts if row.sort == "play"), key=lambda row: -row.saves_s)
        return _Group(tuple(row for row in cuts if row.sort != "play"), tuple(plays), planned)

    def together(self, plays: Sequence[Cut]) -> bool:
        """Whether the segment still has a length without them."""
        return sum(row.saves_s for row in plays) < self.planned_s - TOLERANCE_S

    @property
    def ways(self) -> Iterator[tuple[Cut, ...]]:
        """What saves most with one cut, with two, and so on."""
        ones = [(row,) for row in (*self.whole, *self.plays[:1])]
        if ones:
            yield max(ones, key=lambda row: row[0].saves_s)
        for count in range(2, len(self.plays) + 1):
            rows = self.plays[:count]
            if not self.together(rows) and comb(len(self.plays), count) <= MOST_TRIED:
                fitting = [row for row in combinations(self.plays, count) if self.together(row)]
                rows = max(fitting, key=lambda row: sum(cut.saves_s for cut in row), default=rows)
            if self.together(rows):
                yield rows

    @property
    def all_together(self) -> tuple[Cut, ...]:
        return max(self.ways, key=lambda rows: sum(row.saves_s for row in rows))


def _most_saved(groups: Sequence[_Group], need: float) -> list[tuple[float, tuple[Cut, ...]]]:
    """What saves most with no cut, with one, with two and so on, with the seconds that it saves: until it is enough or there are no more."""
    best: list[tuple[float, tuple[Cut, ...]]] = [(0.0, ())]
    for group in groups:
        after = list(best)
        for rows in group.ways:
            saves = sum(row.saves_s for row in rows)
            for k, (before, taken) in enumerate(best):
                place = k + len(rows)
                after += [(0.0, ())] * (place + 1 - len(after))
                after[place] = max(after[place], (before + saves, (*taken, *rows)), key=lambda row: row[0])
        enough = next((k for k, (saves, _) in enumerate(after) if saves >= need), len(after))
        best = after[: enough + 1]
    return best


def _ahead(line: Timeline, hard: HardTime) -> bool:
    return line.rows[hard.place].state != "done"


def _fewest(groups: Sequence[_Group], need: float, longest: tuple[Cut, ...]) -> list[Advice]:
    """Every choice of as few cuts as `longest`, what wastes least first; that one alone where there are too many to look at."""
    every = [(n, cut) for n, group in enumerate(groups) for cut in (*group.whole, *group.plays)]
    chosen: list[tuple[Cut, ...]] = [longest]
    if comb(len(every), len(longest)) <= MOST_TRIED:
        chosen = [tuple(cut for _, cut in rows) for rows in combinations(every, len(longest)) if _can_be(groups, rows)]
    found = [row for row in (_taken(cuts, need) for cuts in chosen) if row is not None]
    return sorted(found, key=lambda row: (round(row.saves_s - need), sum(cut.sort == "drop" for cut, _ in row.cuts)))


def _can_be(groups: Sequence[_Group], rows: Sequence[tuple[int, Cut]]) -> bool:
    """Whether cuts can be taken together."""
    for n in {place for place, _ in rows}:
        mine = [cut for place, cut in rows if place == n]
        if len(mine) > 1 and (any(cut.sort != "play" for cut in mine) or not groups[n].together(mine)):
            return False
    return True


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
