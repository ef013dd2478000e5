"""Which switches to open so that something bad is gone and everything wanted is still there; and which to
close to bring something.

A choice among the switches (`hitting.py`), whose rows are found as they are needed: a bad way that is still there after a cut asks
for one of its switches; a want that a cut breaks forbids the switches that break it together. Both only ever rule out
what really fails, so what comes out last is the fewest, and of those the least harmful.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace

from kymaphon.core.graph.hitting import HittingSet
from kymaphon.core.graph.paths import SignalPath, strongest_path
from kymaphon.core.graph.signal import SignalGraph, Switch, reachable
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.stopping import check_wanted

MOST_ROUNDS = 40
"""So often a choice is made at most; each round rules out at least what the last one chose."""
LEARNT_AT_ONCE = 2
"""From so many of the wants that a choice breaks it is learnt why."""
EFFORT = 20_000
"""So many branches are looked at for one question, over all rounds; beyond it the smallest set found so far is told as such."""
MOST_HARMFUL = 5
"""Where nothing cures without breaking a want, so many rounds look for the set that breaks fewest: it only names what stands in the way."""
Bad = Callable[[Transfer], list[list[SignalPath]]]
Refs = frozenset[SettingRef]


@dataclass(frozen=True, slots=True)
class PairConstraint:
    """A wanted pair: its gain from `mouth` to one of `ears` must stay above `floor_db`.

    Attributes:
        mouth: where the voice is followed from: its own microphone, where it has one.
        spoken: the mouth itself, where what bleeds into other people's microphones must not be the stronger part of it.
        air_db: gain from there into its own microphone.
        near_db: from this gain on, mouth to ear, bleed alone will do.
    """

    mouth: int
    ears: tuple[int, ...]
    floor_db: float
    listener: str
    voice: str
    spoken: int | None = None
    air_db: float = 0.0
    near_db: float = math.inf


@dataclass(frozen=True, slots=True)
class Cut:
    """Switches that cure together, the wanted pairs that they would break, and the pairs nobody asked for that they would silence.

    Attributes:
        fewest: whether it is known that no smaller set does it; otherwise it is the smallest found so far.
    """

    switches: tuple[Switch, ...]
    breaks: tuple[PairConstraint, ...]
    silences: tuple[PairConstraint, ...]
    disturbs: int
    fewest: bool = True

    @property
    def edits(self) -> tuple[SetValue, ...]:
        return tuple(SetValue(switch.ref, not switch.now) for switch in self.switches)

    @property
    def label(self) -> str:
        """What to do, as a button says it."""
        return "; ".join(switch_words(switch) for switch in self.switches)


def switch_words(switch: Switch) -> str:
    """`Mute: desk, channel 5` or `Switch off: desk, channel 5 to send 1`."""
    if switch.ref.field == "mute":
        verb = "Mute" if not switch.now else "Unmute"
        return f"{verb}: {switch.label.removesuffix(', mute')}"
    return f"{'Switch off' if switch.now else 'Switch on'}: {switch.label}"


def flipped(graph: SignalGraph, refs: Iterable[SettingRef]) -> SignalGraph:
    """The same rig with some switches the other way."""
    turned = set(refs)
    edges = tuple(
        replace(
            edge,
            switches=tuple(replace(row, now=not row.now) if row.ref in turned else row for row in edge.switches),
        )
        if any(row.ref in turned for row in edge.switches)
        else edge
        for edge in graph.edges
    )
    return SignalGraph(graph.nodes, edges, graph.noises, graph.mouths, graph.ears, graph.unknown)


def switches_on(paths: Iterable[SignalPath]) -> list[Switch]:
    """The closed switches that these ways run through, crosspoints before mutes, each once; no keys, which nobody holds for ever."""
    found: dict[SettingRef, Switch] = {}
    for path in paths:
        for step in path.steps():
            for switch in (row for row in step.switches if not row.key):
                found.setdefault(switch.ref, switch)
    return sorted(found.values(), key=lambda switch: switch.ref.field == "mute")


class NoSwitch(Exception):
    """A bad way runs through no switch at all: nothing that can be switched takes it away."""


@dataclass
class _Learnt:
    """What is known so far of one question: the rows of the choice."""

    whole: Transfer
    bad: Bad
    kept: list[PairConstraint]
    spare: list[PairConstraint]
    steady: bool
    candidates: dict[SettingRef, Switch] = field(default_factory=dict)
    effort: int = field(default_factory=lambda: EFFORT)
    proven: bool = True
    _behind: dict[SettingRef, int] = field(default_factory=dict)
    must_hit: list[tuple[Refs, Refs]] = field(default_factory=list)
    """Once the first are open, one of the second has to be as well."""
    breaking: list[tuple[Refs, PairConstraint]] = field(default_factory=list)
    silencing: list[tuple[Refs, PairConstraint]] = field(default_factory=list)

    def learn(self, groups: list[list[SignalPath]], opened: Refs = frozenset()) -> None:
        """Takes in bad ways that are there with some switches open. Raises NoSwitch where one runs through no switch at all.

        Opening more switches can make something bad that was not: of three arrivals the weaker two, once the first is gone. So a
        bad way counts only together with what was open when it was found, unless it is known to be bad whatever else is.
        """
        for group in groups:
            switches = switches_on(group)
            if not switches and (self.steady or not opened):
                raise NoSwitch
            given = frozenset() if self.steady else opened
            self.must_hit.append((given, frozenset(switch.ref for switch in switches)))
            for switch in switches:
                self.candidates.setdefault(switch.ref, switch)

    def look(self, refs: Refs, *, every: bool = False) -> Cut | None:
        """What these switches do together; None, and wiser, where something bad is left.

        Args:
            every: whether to tell every want that they break, instead of the first.
        """
        check_wanted()
        cut = self.whole.without(refs)
        left = self.bad(cut)
        if left:
            self.learn(left, refs)
            return None
        losing = lost(self.whole, cut, refs, self.kept)
        breaks = tuple(losing) if every else tuple(itertools.islice(losing, 1))
        silences = () if breaks else tuple(lost(self.whole, cut, refs, self.spare))
        order = list(self.candidates)
        switches = tuple(self.candidates[ref] for ref in sorted(refs, key=order.index))
        return Cut(switches, breaks, silences, self.behind(refs))

    def behind(self, refs: Iterable[SettingRef]) -> int:
        """How many points of the rig lie behind these switches."""
        starts = [self.whole.graph.edges[i].target for ref in refs for i in self.whole.graph.switched[ref]]
        return len(reachable(self.whole.graph, starts, backward=False))

    def disturbs(self, ref: SettingRef) -> int:
        if ref not in self._behind:
            self._behind[ref] = self.behind([ref])
        return self._behind[ref]

    def least(self, refs: Refs, row: PairConstraint) -> Refs:
        """As few of these switches as still break a pair together."""
        held = set(refs)
        for ref in sorted(refs, key=repr):
            fewer = frozenset(held - {ref})
            if any(lost(self.whole, self.whole.without(fewer), fewer, [row])):
                held = set(fewer)
        return frozenset(held)


def fewest_cuts(
    whole: Transfer,
    bad: Bad,
    kept: list[PairConstraint],
    spare: list[PairConstraint],
    *,
    most: int = 3,
    steady: bool = False,
) -> list[Cut]:
    """The smallest sets of switches that leave nothing bad, the least harmful first.

    Args:
        bad: the bad ways of a rig, in groups: of each group at least one way must go. Nothing when all is well.
        kept: wanted pairs that must stay whole.
        spare: pairs that are heard though nobody asked; a cut that leaves more of them alone is the less harmful.
        steady: whether what is bad is so whatever else is open, such as a way above a floor; then fewer tries are needed.

    Returns:
        Sets that keep every want. If there is none, the one that breaks fewest wants of those looked at, so that the caller can
        name what stands in the way; nothing at all where some bad way has no switch in it.
    """
    known = _Learnt(whole, bad, kept, spare, steady)
    try:
        known.learn(bad(whole))
        if not known.must_hit:
            return []
        cuts = _single(known)
        cuts = cuts or _together(known, most)
        if not cuts:
            return [replace(cut, fewest=known.proven) for cut in _harmful(known)]
    except NoSwitch:
        return []
    if not known.proven:
        cuts = [replace(cut, fewest=False) for cut in cuts]
    return sorted(cuts, key=lambda cut: (len(cut.silences), cut.disturbs, _mutes(cut)))[:most]


def _mutes(cut: Cut) -> int:
    return sum(switch.ref.field == "mute" for switch in cut.switches)


def _single(known: _Learnt) -> list[Cut]:
    """Single switches that cure and keep every want: simply tried, as loading a solver for them would take longer."""
    clean: list[Cut] = []
    tried: set[SettingRef] = set()
    while True:
        rest = [
            ref
            for ref in known.candidates
            if ref not in tried and all(ref in row for given, row in known.must_hit if given <= {ref})
        ]
        if not rest:
            return clean
        tried.add(rest[0])
        cut = known.look(frozenset(rest[:1]))
        if cut is None:
            continue
        if cut.breaks:
            known.breaking += [(frozenset(rest[:1]), row) for row in cut.breaks]
        else:
            clean.append(cut)


def _together(known: _Learnt, most: int) -> list[Cut]:
    """The smallest sets of more than one switch, by the integer programme; nothing where no set keeps every want."""
    clean: list[Cut] = []
    apart: list[Refs] = []
    for _ in range(MOST_ROUNDS):
        refs = _solve(known, apart)
        if refs is None or (clean and len(refs) > len(clean[0].switches)):
            return clean
        cut = known.look(refs, every=True)
        if cut is None:
            continue
        if cut.breaks:
            # A few are enough to rule this out, and what rules out most is found by the next rounds.
            known.breaking += [(known.least(refs, row), row) for row in cut.breaks[:LEARNT_AT_ONCE]]
            continue
        if _silent_anew(known, refs, cut):
            continue
        clean.append(cut)
        apart.append(refs)
        if len(clean) == most:
            return clean
    return clean


def _silent_anew(known: _Learnt, refs: Refs, cut: Cut) -> bool:
    """Adds a constraint for each pair that opening these switches silences; whether any of them is new to the solver."""
    foreseen = {id(row) for subset, row in known.silencing if subset <= refs}
    fresh = [row for row in cut.silences if id(row) not in foreseen]
    known.silencing += [(known.least(refs, row), row) for row in fresh]
    return bool(fresh)


def _harmful(known: _Learnt) -> list[Cut]:
    """The set that cures and breaks the fewest wants, as far as `MOST_HARMFUL` rounds tell."""
    best: Cut | None = None
    for _ in range(MOST_HARMFUL):
        refs = _solve(known, [], wants_may_break=True)
        if refs is None:
            break
        cut = known.look(refs, every=True)
        if cut is None:
            continue
        if best is None or (len(cut.breaks), len(cut.switches)) < (len(best.breaks), len(best.switches)):
            best = cut
        foreseen = {id(row) for subset, row in known.breaking if subset <= refs}
        fresh = [row for row in cut.breaks if id(row) not in foreseen]
        if not fresh:
            return [cut]
        known.breaking += [(known.least(refs, row), row) for row in fresh]
    return [best] if best is not None else []


def _solve(known: _Learnt, apart: list[Refs], *, wants_may_break: bool = False) -> Refs | None:
    """One round: as few switches as the rows allow, then as few pairs silenced, then as little disturbed.

    Args:
        apart: sets that were chosen already; none of them may lie in the next.
        wants_may_break: each broken want then costs more than all switches together, instead of being forbidden.

    Returns:
        The switches; None where the rows allow no set, or none was found within what is left of the effort.
    """
    order = list(known.candidates)
    spare = {id(row) for _, row in known.silencing}
    one = 2.0 + len(spare)
    points = len(known.whole.graph.nodes)
    cost = {}
    for ref in order:
        # Less than one pair silenced, whatever is chosen: only between sets that are alike otherwise.
        slight = 0.0 if wants_may_break else known.disturbs(ref) / points + (ref.field == "mute") / 2
        cost[ref] = one + slight / (2 * len(order))
    dear = [(refs, id(row), 1.0) for refs, row in known.silencing]
    forbidden = list(apart)
    if wants_may_break:
        dear += [(refs, id(row), one * (len(order) + 1)) for refs, row in known.breaking]
    else:
        forbidden += [refs for refs, _ in known.breaking]
    choice = HittingSet(cost, known.must_hit, forbidden, dear, effort=known.effort)
    found = choice.least()
    known.effort = choice.effort
    known.proven &= choice.proven
    return found


def lost(whole: Transfer, cut: Transfer, refs: Refs, kept: list[PairConstraint]) -> Iterator[PairConstraint]:
    """Which pairs no longer reach their floor in a rig with some switches opened.

    Only those are looked at anew whose best way ran through one of these switches.

    Args:
        whole: the rig before.
        cut: the rig with `refs` opened.
    """
    return (row for row in kept if not _holds(whole, row, refs) and not reaches(cut, row))


def reaches(transfer: Transfer, row: PairConstraint) -> bool:
    """Whether a pair reaches its floor, and by its own microphone rather than by others'."""
    own = max(transfer.best_gain_to(ear)[row.mouth] for ear in row.ears)
    if own < row.floor_db or row.spoken is None:
        return own >= row.floor_db
    best = max(transfer.best_gain_to(ear)[row.spoken] for ear in row.ears)
    return best >= row.near_db or own + row.air_db >= best - 1e-6


def _holds(whole: Transfer, row: PairConstraint, refs: Refs) -> bool:
    """Whether a pair's best way runs through none of these switches, and so is as it was."""
    if row not in whole.best_ways:
        ear = max(row.ears, key=lambda ear: whole.best_gain_to(ear)[row.mouth])
        enough = whole.best_gain_to(ear)[row.mouth] >= row.floor_db
        path = strongest_path(whole, row.mouth, ear) if enough and ear != row.mouth else None
        on = None if path is None else {switch.ref for step in path.steps() for switch in step.switches}
        whole.best_ways[row] = on
    switches = whole.best_ways[row]
    return switches is not None and switches.isdisjoint(refs)


def closing_switches(
    graph: SignalGraph,
    mouth: int,
    ears: tuple[int, ...],
    is_fine: Callable[[Transfer], bool],
    *,
    most: int = 2,
) -> list[Switch]:
    """Single open switches that would bring a voice to its listener without doing harm."""
    good = []
    for switch in candidate_switches(graph, mouth, ears):
        if is_fine(Transfer(flipped(graph, [switch.ref]))):
            good.append(switch)
            if len(good) == most:
                break
    return good


def candidate_switches(graph: SignalGraph, mouth: int, ears: tuple[int, ...]) -> Iterator[Switch]:
    """Open switches between what a voice reaches and what leads to its listener, each once."""
    forward = reachable(graph, [mouth], backward=False)
    backward = reachable(graph, list(ears), backward=True)
    found: dict[SettingRef, Switch] = {}
    for edge in graph.edges:
        shut = [switch for switch in edge.switches if not switch.passes]
        if edge.broken or len(shut) != 1 or shut[0].key or edge.source not in forward or edge.target not in backward:
            continue
        found.setdefault(shut[0].ref, shut[0])
    yield from found.values()
