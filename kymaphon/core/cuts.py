"""Which switches to open so that something bad is gone and everything wanted is still there; and which to
close to bring something.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from kymaphon.core.edits import SetValue
from kymaphon.core.graph import SettingRef, SignalGraph, Switch
from kymaphon.core.paths import PathThrough
from kymaphon.core.transfer import Transfer

MOST_TOGETHER = 3
MOST_CANDIDATES = 14


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
    whole: Transfer,
    candidates: list[Switch],
    is_cured: Callable[[Transfer], bool],
    kept: list[Kept],
    spare: list[Kept],
    *,
    most: int = 3,
) -> list[Cut]:
    """The smallest sets of switches that cure, the least harmful first.

    Args:
        kept: wanted pairs that must stay whole.
        spare: pairs that are heard though nobody asked; a cut that leaves more of them alone is the less harmful.

    Every set of one switch is tried, then every set of two, then three; the search stops at the first size at
    which a set cures and takes
    nothing wanted away. Sets that cure but break a want are returned only when no set leaves all wants whole,
    so that the caller can name what stands in the way.
    """
    harmful: list[Cut] = []
    for size in range(1, MOST_TOGETHER + 1):
        clean: list[Cut] = []
        for together in itertools.combinations(candidates[:MOST_CANDIDATES], size):
            transfer = whole.without(frozenset(switch.ref for switch in together))
            if not is_cured(transfer):
                continue
            breaks = lost(transfer, kept)
            silences = () if breaks else lost(transfer, spare)
            cut = Cut(together, breaks, silences, _disturbed(whole.graph, together))
            (harmful if breaks else clean).append(cut)
        if clean:
            return sorted(clean, key=lambda cut: (len(cut.silences), cut.disturbs, _mutes(cut)))[:most]
    return sorted(harmful, key=lambda cut: (len(cut.breaks), len(cut.switches), cut.disturbs))[:1]


def _mutes(cut: Cut) -> int:
    return sum(switch.ref.field == "mute" for switch in cut.switches)


def _disturbed(graph: SignalGraph, switches: tuple[Switch, ...]) -> int:
    """How many nodes lie behind the cut edges: a measure of how much of the rig a cut touches."""
    refs = {switch.ref for switch in switches}
    return len(
        reachable(graph, [graph.edges[i].target for ref in refs for i in graph.switched[ref]], backward=False)
    )


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
