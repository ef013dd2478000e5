"""Sources onto the channels and groups of the desk there is, on paper beforehand.

Families together, what is ridden most in reach of the middle of the desk, commentary apart and clean, effects in groups of their own, fixed
ones where they are, spares left; and where there are more sources than channels, what to mix before the desk, and what that loses. Sources
of one family and level are alike, so the integer programme gives channels to sorts of source, not to each: a fiftieth of the variables.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from kymaphon.core.figures import data_table
from kymaphon.core.stopping import check_wanted

Takes = Literal["mic", "line"]
NODES = 4000
"""So many nodes of the search at most for each aim: a count, no clock. What is not proven by then is told with its bound."""
AIMS = (
    "commentary left out",
    "others left out",
    "mixed before the desk, and spares lost",
    "pieces of families",
    "commentary beside others",
    "reach",
)
"""What an allotment is judged by, the first thing first: nothing later makes up for anything before it (lexicographic optimisation)."""
SAME = 1e-6
TO_THE_LEFT = 0.2
"""So many strips left of its middle a desk is reached best: nothing but what tells mirrored allotments apart."""


@dataclass(frozen=True, slots=True)
class Source:
    """Something that wants a channel.

    Attributes:
        family: a key of data/work.json, families.
        takes: the level that it comes at.
        stereo: two sides; on a mono desk it is summed to one.
        fixed: id of the channel that it has to have; None for any.
        at: id of the channel that it is plugged into now; `right_at` that of its second side.
    """

    id: str
    name: str
    family: str
    takes: Takes
    stereo: bool = False
    fixed: str | None = None
    at: str | None = None
    right_at: str | None = None


@dataclass(frozen=True, slots=True)
class Channel:
    """A channel of the desk; `takes` what its socket is for: a microphone's takes a line too where it has a pad."""

    id: str
    name: str
    takes: tuple[Takes, ...]


@dataclass(frozen=True, slots=True)
class DeskPlan:
    """A desk as it is allotted: its channels in the order of its strips, its groups, and whether its mix has two sides."""

    id: str
    name: str
    channels: tuple[Channel, ...]
    groups: tuple[tuple[str, str], ...] = ()
    stereo: bool = False


@dataclass(frozen=True, slots=True)
class Strip:
    """One channel of the result.

    Attributes:
        sources: ids; several where they are mixed before the desk, none for a spare.
        label: for the strip, short.
        group: id of the group, or empty.
        note: mono of a stereo source, its second side, mixed before the desk.
    """

    channel: str
    name: str
    sources: tuple[str, ...]
    family: str
    label: str
    group: str
    note: str = ""


@dataclass(frozen=True, slots=True)
class Submix:
    """Sources of one family mixed before the desk.

    Attributes:
        noise_db: so much the noise and the room of that many open microphones add up to.
        loses: what that costs, in a sentence.
    """

    family: str
    sources: tuple[str, ...]
    noise_db: float
    loses: str


@dataclass(frozen=True, slots=True)
class Aim:
    """One of `AIMS`, as far as it was met: its cost, and what none can cost less than, the aims before it staying as they are."""

    name: str
    cost: float
    bound: float

    @property
    def proven(self) -> bool:
        return self.cost <= self.bound + SAME * max(1.0, abs(self.cost))


@dataclass(frozen=True)
class Allotment:
    """Sources on channels.

    Attributes:
        strips: every channel, in the order of the desk.
        left: ids of sources for which there is nothing.
        aims: what it was judged by, in their order.
        problems: fixed channels that do not exist, are wanted twice or do not take the source; in sentences.
    """

    desk: DeskPlan
    sources: tuple[Source, ...]
    strips: tuple[Strip, ...]
    submixes: tuple[Submix, ...]
    left: tuple[str, ...]
    aims: tuple[Aim, ...]
    problems: tuple[str, ...]

    @property
    def proven(self) -> bool:
        """Whether none is better."""
        return all(row.proven for row in self.aims)

    @property
    def spares(self) -> int:
        return sum(not row.sources for row in self.strips)


@dataclass(frozen=True)
class _Sort:
    """Sources that are alike to the search: of one family, level and width, not fixed."""

    family: str
    takes: Takes
    wide: bool
    sources: tuple[Source, ...]
    submix: bool = False


def family_of(kind: str) -> str:
    """The family of a kind of party."""
    return next((name for name, row in data_table("work")["families"].items() if kind in row["kinds"]), "other")


def weight(name: str) -> float:
    """A figure of the allotment, by its name in data/work.json."""
    return float(data_table("work")["allot"][name]["value"])


def reach_cost(position: int, count: int, family: str) -> float:
    """What a strip away from the middle of the desk costs a family: its share of riding times the strips between. Of two that are as far
    the left one is nearer, so that there are not two of every answer.
    """
    return float(data_table("work")["families"][family]["ride"]) * abs(position - (count - 1) / 2 + TO_THE_LEFT)


def allot(sources: Sequence[Source], desk: DeskPlan, *, spares: int | None = None) -> Allotment:
    """Gives sources channels.

    Args:
        spares: channels to leave free; as usual where it is not said.

    Raises:
        Stopped: it is no longer wanted; see `stopping`.
    """
    wanted = int(weight("spares")) if spares is None else spares
    placed, rest, problems = _fixed(sources, desk)
    taken = {channel for row in placed for channel in row[1]}
    sorts = _sorts(rest, desk)
    counts, aims = _solve(sorts, desk, placed, taken, wanted)
    return _written(sources, desk, placed, sorts, counts, aims, problems)


def _wide(source: Source, desk: DeskPlan) -> bool:
    return source.stereo and desk.stereo


def _fixed(
    sources: Sequence[Source], desk: DeskPlan
) -> tuple[list[tuple[Source, tuple[int, ...]]], list[Source], list[str]]:
    """Sources whose channel is given, with the positions that they take; the rest; and which cannot have it, why."""
    at = {row.id: n for n, row in enumerate(desk.channels)}
    placed: list[tuple[Source, tuple[int, ...]]] = []
    rest: list[Source] = []
    problems: list[str] = []
    taken: dict[int, str] = {}
    for source in sources:
        if source.fixed is None:
            rest.append(source)
            continue
        n = at.get(source.fixed)
        if n is None:
            problems.append(
                f"{source.name} is fixed to {source.fixed}, which {desk.name} does not have: put where it fits."
            )
            rest.append(source)
            continue
        rows = (n, n + 1) if _wide(source, desk) else (n,)
        channel = desk.channels[n]
        wrong = next(
            (desk.channels[r] for r in rows if r < len(at) and source.takes not in desk.channels[r].takes), None
        )
        if wrong is not None:
            side = "" if wrong is channel else f" with its right side on {wrong.name}"
            problems.append(
                f"{source.name} is fixed to {channel.name}{side}, which takes no {source.takes} level: put where it fits."
            )
            rest.append(source)
        elif any(row in taken or row >= len(desk.channels) for row in rows):
            other = next((taken[row] for row in rows if row in taken), "the end of the desk")
            problems.append(
                f"{source.name} and {other} are both fixed to {channel.name}: {source.name} is put where it fits."
            )
            rest.append(source)
        else:
            taken.update(dict.fromkeys(rows, source.name))
            placed.append((source, rows))
    return placed, rest, problems


def _sorts(rest: Sequence[Source], desk: DeskPlan) -> list[_Sort]:
    rows: dict[tuple[str, Takes, bool], list[Source]] = {}
    for source in rest:
        rows.setdefault((source.family, source.takes, _wide(source, desk)), []).append(source)
    out = [_Sort(*key, tuple(found)) for key, found in rows.items()]
    for family in dict.fromkeys(source.family for source in rest):
        if data_table("work")["families"][family]["submix"] is not None:
            # A small mixer gives line level.
            out.append(_Sort(family, "line", False, (), submix=True))
    return out


def _solve(
    sorts: list[_Sort],
    desk: DeskPlan,
    placed: list[tuple[Source, tuple[int, ...]]],
    taken: set[int],
    spares: int,
) -> tuple[dict[tuple[int, int], bool], tuple[Aim, ...]]:
    """Which sort begins at which channel, and how far each aim was met.

    Variables, in this order: x[k, c] a source of sort k begins at channel c; m[k] so many of a sort are mixed before the desk; u[k] so many
    are left out; z[f] a family has such a mix; b[f, c] a family's piece begins at c; g[c] commentary beside another family; s a spare lost.
    """
    from scipy.sparse import coo_array

    count = len(desk.channels)
    families = list(dict.fromkeys([*(row.family for row in sorts), *(source.family for source, _ in placed)]))
    kinds, many = len(sorts), len(families)
    x0, m0 = 0, kinds * count
    u0, z0 = m0 + kinds, m0 + 2 * kinds
    b0, g0 = z0 + many, z0 + many + many * count
    s0 = g0 + max(count - 1, 0)
    total = s0 + 1
    table = data_table("work")["families"]
    cost = np.zeros((len(AIMS), total))
    commentary, others, ahead, pieces, beside, reach = range(len(AIMS))
    upper = np.ones(total)
    for k, row in enumerate(sorts):
        for c in range(count):
            fits = row.takes in desk.channels[c].takes and c not in taken
            if row.wide:
                fits = fits and c + 1 < count and c + 1 not in taken and row.takes in desk.channels[c + 1].takes
            upper[x0 + k * count + c] = 1.0 if fits else 0.0
            cost[reach, x0 + k * count + c] = reach_cost(c, count, row.family)
        number = len(row.sources)
        may = table[row.family]["submix"] is not None and not row.submix
        upper[m0 + k] = number if may else 0
        cost[ahead, m0 + k] = float(table[row.family]["submix"]) if may else 0.0
        upper[u0 + k] = 0 if row.submix else number
        cost[commentary if row.family == "commentary" else others, u0 + k] = 1.0
    cost[pieces, b0 : b0 + many * count] = 1.0
    cost[beside, g0:s0] = 1.0
    cost[ahead, s0] = weight("spare-lost")
    upper[s0] = max(spares, 0)
    rows: list[tuple[dict[int, float], float, float]] = []
    for k, row in enumerate(sorts):
        begins = {x0 + k * count + c: 1.0 for c in range(count)}
        f = families.index(row.family)
        if row.submix:
            rows.append(({**begins, z0 + f: -1.0}, 0.0, 0.0))
        else:
            each = float(len(row.sources))
            rows.append(({**begins, m0 + k: 1.0, u0 + k: 1.0}, each, each))
    for f, family in enumerate(families):
        mine = {m0 + k: 1.0 for k, row in enumerate(sorts) if row.family == family and not row.submix}
        most = float(sum(len(row.sources) for row in sorts if row.family == family))
        if mine:
            # A mix has two sources at least, and there is none without one.
            rows.append(({**mine, z0 + f: -most}, -math.inf, 0.0))
            rows.append(({**mine, z0 + f: -2.0}, 0.0, math.inf))
    for c in range(count):
        use = {i: 1.0 for k in range(kinds) for i in _covering(sorts[k], x0 + k * count, c)}
        if use:
            rows.append((use, -math.inf, 1.0))
    here = {(family, n) for source, at in placed for n in at for family in (source.family,)}
    for f, family in enumerate(families):
        for c in range(count):
            # A piece of a family begins where it is and was not one strip before.
            now = {
                i: -1.0
                for k, row in enumerate(sorts)
                if row.family == family
                for i in _covering(row, x0 + k * count, c)
            }
            before = {
                i: 1.0
                for k, row in enumerate(sorts)
                if row.family == family and c
                for i in _covering(row, x0 + k * count, c - 1)
            }
            given = float((family, c) in here) - float((family, c - 1) in here)
            both = dict(now)
            for i, value in before.items():
                both[i] = both.get(i, 0.0) + value
            rows.append(({**both, b0 + f * count + c: 1.0}, given, math.inf))
    for f, family in enumerate(families):
        # Whatever is done a family has one piece at least, unless all of it is left out: follows from the rest, and halves the search.
        one = {b0 + f * count + c: 1.0 for c in range(count)}
        one |= {u0 + k: 1.0 for k, row in enumerate(sorts) if row.family == family and not row.submix}
        rows.append((one, 1.0, math.inf))
    rows += _beside(sorts, families, placed, count, x0, g0)
    free = count - len(taken)
    everything = {x0 + k * count + c: (2.0 if row.wide else 1.0) for k, row in enumerate(sorts) for c in range(count)}
    rows.append(({**everything, s0: -1.0}, -math.inf, float(free - spares)))
    entries = [(r, i, value) for r, (line, _, _) in enumerate(rows) for i, value in line.items()]
    down, across, values = zip(*entries, strict=True)
    matrix = coo_array((values, (down, across)), shape=(len(rows), total)).tocsr()
    whole = np.ones(total)
    whole[b0:s0] = 0  # follow from the rest by themselves
    lower = np.array([line[1] for line in rows])
    higher = np.array([line[2] for line in rows])
    x, aims = _in_order(cost, matrix, lower, higher, upper, whole)
    chosen = {(k, c): x[x0 + k * count + c] > 0.5 for k in range(kinds) for c in range(count)}
    given = sum(reach_cost(n, count, source.family) for source, at in placed for n in at[:1])
    last = Aim(AIMS[-1], aims[-1].cost + given, aims[-1].bound + given)
    return chosen, (*aims[:-1], last)


def _in_order(cost: Any, matrix: Any, lower: Any, higher: Any, upper: Any, whole: Any) -> tuple[Any, list[Aim]]:
    """The least of each aim in turn, those before it held where they are.

    Args:
        cost: (aims, variables); matrix: (rows, variables), between `lower` and `higher`; upper, whole: (variables,).
    """
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import csr_array, vstack

    aims: list[Aim] = []
    x = np.zeros(0)
    for name, aim in zip(AIMS, cost, strict=True):
        check_wanted()
        if not aim.any():
            aims.append(Aim(name, 0.0, 0.0))
            continue
        found: Any = milp(
            aim,
            constraints=LinearConstraint(matrix, lower, higher),
            integrality=whole,
            bounds=Bounds(np.zeros(len(upper)), upper),
            options={"node_limit": NODES, "mip_rel_gap": 0.0},
        )
        if found.x is None:
            raise RuntimeError(f"the allotment has no answer: {found.message}")
        x = found.x
        value = float(aim @ np.where(whole > 0, np.round(x), x))
        low = found.mip_dual_bound if found.mip_dual_bound is not None else value
        aims.append(Aim(name, value, min(float(low), value)))
        matrix = vstack([matrix, csr_array(aim[None, :])]).tocsr()
        lower, higher = np.append(lower, -np.inf), np.append(higher, value + SAME)
    return x, aims


def _covering(row: _Sort, start: int, channel: int) -> Iterator[int]:
    """The variables of a sort that take up a channel."""
    yield start + channel
    if row.wide and channel:
        yield start + channel - 1


def _beside(
    sorts: list[_Sort],
    families: list[str],
    placed: list[tuple[Source, tuple[int, ...]]],
    count: int,
    x0: int,
    g0: int,
) -> list[tuple[dict[int, float], float, float]]:
    """Commentary and another family on neighbouring strips cost what `beside` says."""
    if "commentary" not in families:
        return []
    out: list[tuple[dict[int, float], float, float]] = []
    given = {n: source.family for source, at in placed for n in at}
    for c in range(count - 1):
        for mine, other in ((c, c + 1), (c + 1, c)):
            row: dict[int, float] = {g0 + c: -1.0}
            for k, sort in enumerate(sorts):
                at = mine if sort.family == "commentary" else other
                for i in _covering(sort, x0 + k * count, at):
                    row[i] = row.get(i, 0.0) + 1.0
            known = float(given.get(mine) == "commentary") + float(given.get(other, "commentary") != "commentary")
            out.append((row, -math.inf, 1.0 - known))
    return out


def _written(
    sources: Sequence[Source],
    desk: DeskPlan,
    placed: list[tuple[Source, tuple[int, ...]]],
    sorts: list[_Sort],
    chosen: dict[tuple[int, int], bool],
    aims: tuple[Aim, ...],
    problems: list[str],
) -> Allotment:
    """The answer by name: within a sort sources keep their order; the last ones of a family are those that are mixed before the desk."""
    count = len(desk.channels)
    at: dict[int, tuple[tuple[str, ...], str, str]] = {}
    groups = _groups(desk, sources)
    mixed: dict[str, list[Source]] = {}
    left: list[str] = []
    for source, places in placed:
        at[places[0]] = ((source.id,), source.family, "left side" if len(places) == 2 else _note(source, desk))
        if len(places) == 2:
            at[places[1]] = ((source.id,), source.family, "right side")
    for k, row in enumerate(sorts):
        if row.submix:
            continue
        begins = [c for c in range(count) if chosen[k, c]]
        order = sorted(row.sources, key=lambda source: (source.at is None, _number(desk, source.at)))
        keep = order[: len(begins)]
        for source, c in zip(keep, begins, strict=True):
            at[c] = ((source.id,), source.family, _note(source, desk))
            if row.wide:
                at[c] = ((source.id,), source.family, "left side")
                at[c + 1] = ((source.id,), source.family, "right side")
        mixed.setdefault(row.family, []).extend(order[len(begins) :])
    for k, row in enumerate(sorts):
        begins = [c for c in range(count) if chosen[k, c]] if row.submix else []
        if begins:
            names = tuple(source.id for source in mixed.pop(row.family, []))
            at[begins[0]] = (names, row.family, "mixed before the desk")
    for rows_ in mixed.values():
        left += [source.id for source in rows_]
    by_id = {source.id: source for source in sources}
    strips = []
    for n, channel in enumerate(desk.channels):
        names, family, note = at.get(n, ((), "", ""))
        strips.append(
            Strip(
                channel.id,
                channel.name,
                names,
                family,
                _label(by_id, names, family, note),
                groups.get(family, ""),
                note,
            )
        )
    submixes = tuple(_submix(by_id, row) for row in strips if len(row.sources) > 1)
    return Allotment(desk, tuple(sources), tuple(strips), submixes, tuple(left), aims, tuple(problems))


def _number(desk: DeskPlan, channel: str | None) -> int:
    return next((n for n, row in enumerate(desk.channels) if row.id == channel), len(desk.channels))


def _note(source: Source, desk: DeskPlan) -> str:
    return "both sides summed to mono" if source.stereo and not desk.stereo else ""


def _label(by_id: dict[str, Source], names: tuple[str, ...], family: str, note: str) -> str:
    """What is written on the strip: short enough for a finger's breadth of tape."""
    if not names:
        return ""
    name = f"{data_table('work')['families'][family]['name']} mix" if len(names) > 1 else by_id[names[0]].name
    side = {"left side": " L", "right side": " R"}.get(note, "")
    return name.replace("microphone", "mic")[: 12 - len(side)].rstrip() + side


def _submix(by_id: dict[str, Source], strip: Strip) -> Submix:
    number = len(strip.sources)
    noise = 10 * math.log10(number)
    names = ", ".join(by_id[name].name for name in strip.sources)
    return Submix(
        strip.family,
        strip.sources,
        noise,
        f"{names} share one fader and one tone: their balance is made before the desk and cannot be mended at it, none has a track of its "
        f"own, and {number} open microphones bring {noise:.1f} dB more room and noise than one.",
    )


def _groups(desk: DeskPlan, sources: Sequence[Source]) -> dict[str, str]:
    """Family -> group: commentary the first, then each in the order of its riding; those for which none is left share the last."""
    ids = [name for name, _ in desk.groups]
    if not ids:
        return {}
    table = data_table("work")["families"]
    there = sorted(
        {source.family for source in sources}, key=lambda name: (name != "commentary", -table[name]["ride"], name)
    )
    return {family: ids[min(n, len(ids) - 1)] for n, family in enumerate(there)}
