"""Which switches to open so that something bad is gone and everything wanted is still there; and which to
close to bring something.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

from kymaphon.core.edits import SetValue
from kymaphon.core.graph import SettingRef, SignalGraph, Switch
from kymaphon.core.paths import PathThrough
from kymaphon.core.transfer import Transfer

MOST_TOGETHER = 3
MOST_TRIED = 120
"""So many sets of one size are tried at most."""
Bad = Callable[[Transfer], list[list[PathThrough]]]


@dataclass(frozen=True, slots=True)
class Kept:
    """A wanted pair: its gain from `mouth` to one of `ears` must stay above `floor_db`."""

    mouth: int
    ears: tuple[int, ...]
    floor_db: float
    listener: str
    voice: str


@dataclass(frozen=True, slots=True)
class Cut:
    """Switches that cure together, the wanted pairs that they would break, and the pairs nobody asked for that they would silence."""

    switches: tuple[Switch, ...]
    breaks: tuple[Kept, ...]
    silences: tuple[Kept, ...]
    disturbs: int

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
            switches=tuple(
                replace(row, now=not row.now) if row.ref in turned else row for row in edge.switches
            ),
        )
        if any(row.ref in turned for row in edge.switches)
        else edge
        for edge in graph.edges
    )
    return SignalGraph(graph.nodes, edges, graph.noises, graph.mouths, graph.ears, graph.unknown)


def switches_on(paths: Iterable[PathThrough]) -> list[Switch]:
    """The closed switches that these ways run through, crosspoints before mutes, each once."""
    found: dict[SettingRef, Switch] = {}
    for path in paths:
        for step in path.steps():
            for switch in step.switches:
                found.setdefault(switch.ref, switch)
    return sorted(found.values(), key=lambda switch: switch.ref.field == "mute")


def fewest_cuts(
    whole: Transfer, bad: Bad, kept: list[Kept], spare: list[Kept], *, most: int = 3
) -> list[Cut]:
    """The smallest sets of switches that leave nothing bad, the least harmful first.

    A set can only cure if it has a switch on each bad way that is known, so only such sets are tried; what is still bad after
    one was tried is learnt, and rules out others.

    Args:
        bad: the bad ways of a rig, in groups: of each group at least one way must go. Nothing when all is well.
        kept: wanted pairs that must stay whole.
        spare: pairs that are heard though nobody asked; a cut that leaves more of them alone is the less harmful.

    Returns:
        Sets that keep every want. If there is none up to `MOST_TOGETHER`, the one that breaks fewest wants, so that the caller can
        name what stands in the way; nothing at all where some bad way has no switch in it.
    """
    candidates: dict[SettingRef, Switch] = {}
    must_hit: list[frozenset[SettingRef]] = []

    def learn(groups: list[list[PathThrough]]) -> bool:
        for group in groups:
            switches = switches_on(group)
            if not switches:
                return False
            must_hit.append(frozenset(switch.ref for switch in switches))
            for switch in switches:
                candidates.setdefault(switch.ref, switch)
        return True

    if not learn(bad(whole)):
        return []
    harmful: list[Cut] = []
    for size in range(1, MOST_TOGETHER + 1):
        clean: list[Cut] = []
        tried: set[frozenset[SettingRef]] = set()
        for refs in _hitting_sets(candidates, must_hit, size, tried):
            cut = whole.without(refs)
            left = bad(cut)
            if left:
                if not learn(left):
                    return []
                continue
            behind = reachable(whole.graph, _behind(whole.graph, refs), backward=False)
            breaks = lost(cut, [row for row in kept if not behind.isdisjoint(row.ears)])
            silences = () if breaks else lost(cut, [row for row in spare if not behind.isdisjoint(row.ears)])
            switches = tuple(candidates[ref] for ref in sorted(refs, key=list(candidates).index))
            (harmful if breaks else clean).append(Cut(switches, breaks, silences, len(behind)))
        if clean:
            return sorted(clean, key=lambda cut: (len(cut.silences), cut.disturbs, _mutes(cut)))[:most]
    return sorted(harmful, key=lambda cut: (len(cut.breaks), len(cut.switches), cut.disturbs))[:1]


def _hitting_sets(
    candidates: dict[SettingRef, Switch],
    must_hit: list[frozenset[SettingRef]],
    size: int,
    tried: set[frozenset[SettingRef]],
) -> Iterator[frozenset[SettingRef]]:
    """Sets of just so many candidates that hit every set known; takes in what is learnt between one and the next."""
    while True:
        for together in itertools.combinations(list(candidates), size):
            refs = frozenset(together)
            if refs not in tried and all(not refs.isdisjoint(row) for row in must_hit):
                tried.add(refs)
                yield refs
                break
        else:
            return
        if len(tried) > MOST_TRIED:
            return


def _mutes(cut: Cut) -> int:
    return sum(switch.ref.field == "mute" for switch in cut.switches)


def _behind(graph: SignalGraph, refs: frozenset[SettingRef]) -> list[int]:
    """Where the edges lead that these settings switch."""
    return [graph.edges[i].target for ref in refs for i in graph.switched[ref]]


def lost(transfer: Transfer, kept: list[Kept]) -> tuple[Kept, ...]:
    """Which of the wanted pairs no longer reach their floor."""
    onward = {ear: transfer.best_gain_to(ear) for ear in {ear for row in kept for ear in row.ears}}
    return tuple(row for row in kept if max(onward[ear][row.mouth] for ear in row.ears) < row.floor_db)


def closers(
    graph: SignalGraph,
    mouth: int,
    ears: tuple[int, ...],
    is_fine: Callable[[Transfer], bool],
    *,
    most: int = 2,
) -> list[Switch]:
    """Single open switches that would bring a voice to its listener without doing harm."""
    forward = reachable(graph, [mouth], backward=False)
    backward = reachable(graph, list(ears), backward=True)
    found: dict[SettingRef, Switch] = {}
    for edge in graph.edges:
        shut = [switch for switch in edge.switches if not switch.passes]
        if edge.broken or len(shut) != 1 or edge.source not in forward or edge.target not in backward:
            continue
        found.setdefault(shut[0].ref, shut[0])
    good = []
    for switch in found.values():
        if is_fine(Transfer(flipped(graph, [switch.ref]))):
            good.append(switch)
            if len(good) == most:
                break
    return good


def reachable(graph: SignalGraph, starts: list[int], *, backward: bool) -> set[int]:
    """Nodes that signal reaches from the starts, or (backward) that reach them; the starts included."""
    rows = graph.steps_in if backward else graph.steps_out
    seen, work = set(starts), list(starts)
    while work:
        for _, after, _ in rows[work.pop()]:
            if after not in seen:
                seen.add(after)
                work.append(after)
    return seen
