"""The signal graph: nodes are points where a level can be told, edges carry gain and delay from one to the
next.

Levels stay in the unit of their node (dB SPL, dBu, dBFS); an edge's gain is the step from the one unit to the
other, so gains along a path
add up and a closed loop's sum is a true gain.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived
from kymaphon.core.model.ids import SettingRef

Step = tuple[int, int, float]
"""Position of an edge, the node at its other end, its gain in dB."""
NoiseKind = Literal["room", "microphone", "preamp", "converter"]


@dataclass(frozen=True, slots=True)
class Switch:
    """Something that opens or closes an edge. `closed` is the value at which signal passes.

    Attributes:
        key: a key under a finger, for talkback or a cough: nothing that is set once and left, so no cure is made of it.
    """

    ref: SettingRef
    label: str
    closed: bool
    now: bool
    key: bool = False

    @property
    def passes(self) -> bool:
        return self.now == self.closed


def nearest_step(wanted: float, lowest: float, highest: float, step: float) -> float:
    """The nearest position of a control that moves in steps from its lowest and stops at its highest.

    The end of the range is a position too, where it lies between two steps.

    >>> nearest_step(27.4, 0, 60, 3)
    27
    >>> nearest_step(99, 0, 60, 3)
    60
    >>> nearest_step(10, 0, 10, 3)
    10
    """
    stepped = min(max(lowest + round((wanted - lowest) / step) * step, lowest), highest)
    return highest if abs(highest - wanted) < abs(stepped - wanted) else stepped


@dataclass(frozen=True, slots=True)
class Knob:
    """Something that sets the gain of an edge, with the range that the device gives it.

    Attributes:
        own: the gain of an input or of a microphone itself, which lines a source up; not a fader, send or control.
    """

    ref: SettingRef
    label: str
    value: float
    lowest: float
    highest: float
    step: float
    own: bool = False

    def snap(self, wanted: float) -> float:
        """The nearest position that it has, in dB, to a thousandth."""
        return round(nearest_step(wanted, self.lowest, self.highest, self.step), 3)

    @property
    def is_gain(self) -> bool:
        """A gain, or a control with a name of its own; no fader and no send."""
        return self.ref.field == "gain_db" and (self.own or ">" not in self.ref.key)


@dataclass(frozen=True, slots=True)
class Node:
    """A point of the rig.

    Attributes:
        id: `device.port`, `device.port.l`, a tap as `device.in1:pre`, or `party.mouth`, `party.ear`.
        label: for people.
        unit: `dB SPL`, `dBu` or `dBFS`.
        owner: id of the device or party.
        place: id of the place, or None.
        ceiling: the level at which it clips; None where nothing there does.
    """

    id: str
    label: str
    unit: str
    owner: str
    place: str | None = None
    ceiling: Derived | None = None


class EdgeKind(StrEnum):
    """What a step of the signal is. Every one but a path inside a device has these words as its label."""

    INSIDE = ""
    CABLE = "cable"
    PLAYS = "plays"
    LISTENS = "listens"
    SPEAKS = "speaks into"
    BLEEDS = "bleeds into"
    LOUDSPEAKER = "loudspeaker into microphone"
    LEAK = "headphone leak"
    THROUGH_AIR = "through the air"


ACOUSTIC = frozenset((EdgeKind.SPEAKS, EdgeKind.BLEEDS, EdgeKind.LOUDSPEAKER, EdgeKind.LEAK, EdgeKind.THROUGH_AIR))
"""Steps through the air of a place, not through the rig."""
UNINTENDED = ACOUSTIC - {EdgeKind.SPEAKS}
"""Of those all but a voice into its own microphone: what nobody plugged or placed for it."""
STRAY = UNINTENDED - {EdgeKind.THROUGH_AIR}
"""Steps by which sound gets into a microphone that is not meant for it."""


@dataclass(frozen=True, slots=True)
class Dim:
    """A key that takes an edge down while it is pressed. Where `now` is so, its depth is in the edge's gain already."""

    ref: SettingRef
    depth_db: float
    now: bool


@dataclass(frozen=True, slots=True)
class Edge:
    """A step of the signal. `parts` are the lines of its gain; their sum is the gain.

    Attributes:
        kind: what sort of step it is; `label` is what people read: of a path inside a device its name.
    """

    source: int
    target: int
    parts: tuple[Derived, ...]
    delays: tuple[Derived, ...] = ()
    broken: str = ""
    switches: tuple[Switch, ...] = ()
    knobs: tuple[Knob, ...] = ()
    controls: tuple[str, ...] = ()
    dims: tuple[Dim, ...] = ()
    label: str = ""
    kind: EdgeKind = EdgeKind.INSIDE
    gain_db: float = field(init=False, default=0.0)
    delay_ms: float = field(init=False, default=0.0)

    def __post_init__(self) -> None:
        object.__setattr__(self, "gain_db", sum(part.value for part in self.parts))
        object.__setattr__(self, "delay_ms", sum(part.value for part in self.delays))

    @property
    def on(self) -> bool:
        """Whether signal passes: nothing broken, every switch closed."""
        return not self.broken and all(switch.passes for switch in self.switches)


@dataclass(frozen=True, slots=True)
class NoiseSource:
    """Noise that enters at a node, in the unit of that node.

    Attributes:
        level: A-weighted: what voices are held against.
        flat_db: unweighted: what meters and gates see.
    """

    node: int
    kind: NoiseKind
    level: Derived
    flat_db: float


@dataclass(frozen=True)
class SignalGraph:
    """The whole rig as arrays. Made by `build.build_graph`.

    Attributes:
        nodes, edges: in a fixed order; edges name nodes by position.
        noises: everything that adds noise.
        mouths: party id -> node where its voice begins, with its level there.
        ears: party id -> nodes where it listens (one, or left and right).
        unknown: what could not be computed for lack of data, in words.
    """

    nodes: tuple[Node, ...]
    edges: tuple[Edge, ...]
    noises: tuple[NoiseSource, ...] = ()
    mouths: dict[str, tuple[int, Derived]] = field(default_factory=dict)
    ears: dict[str, tuple[int, ...]] = field(default_factory=dict)
    unknown: tuple[str, ...] = ()

    @cached_property
    def index(self) -> dict[str, int]:
        """Node id -> position."""
        return {node.id: i for i, node in enumerate(self.nodes)}

    @cached_property
    def bits(self) -> tuple[int, ...]:
        """A bit for each node: a set of nodes is a number, which searches copy and ask faster than a set."""
        return tuple(1 << i for i in range(len(self.nodes)))

    @cached_property
    def live(self) -> tuple[int, ...]:
        """Positions of the edges through which signal passes."""
        return tuple(i for i, edge in enumerate(self.edges) if edge.on)

    @cached_property
    def source(self) -> NDArray[np.intp]:
        """Source node of each live edge; shape (L,)."""
        return np.array([self.edges[i].source for i in self.live], dtype=np.intp)

    @cached_property
    def target(self) -> NDArray[np.intp]:
        """Target node of each live edge; shape (L,)."""
        return np.array([self.edges[i].target for i in self.live], dtype=np.intp)

    @cached_property
    def gain_db(self) -> NDArray[np.float64]:
        """Gain of each live edge in dB; shape (L,)."""
        return np.array([self.edges[i].gain_db for i in self.live], dtype=np.float64)

    @cached_property
    def delay_ms(self) -> NDArray[np.float64]:
        """Delay of each live edge in ms; shape (L,)."""
        return np.array([self.edges[i].delay_ms for i in self.live], dtype=np.float64)

    @cached_property
    def incoming(self) -> tuple[tuple[int, ...], ...]:
        """For each node, positions in the live arrays of the edges that reach it."""
        rows: list[list[int]] = [[] for _ in self.nodes]
        for k, i in enumerate(self.live):
            rows[self.edges[i].target].append(k)
        return tuple(tuple(row) for row in rows)

    @cached_property
    def leaving(self) -> tuple[tuple[int, ...], ...]:
        """For each node, positions of the edges that leave it, live or not."""
        rows: list[list[int]] = [[] for _ in self.nodes]
        for i, edge in enumerate(self.edges):
            rows[edge.source].append(i)
        return tuple(tuple(row) for row in rows)

    @cached_property
    def steps_out(self) -> tuple[tuple[Step, ...], ...]:
        """For each node the live edges that leave it, for searches step by step."""
        rows: list[list[Step]] = [[] for _ in self.nodes]
        for i in self.live:
            edge = self.edges[i]
            rows[edge.source].append((i, edge.target, edge.gain_db))
        return tuple(tuple(row) for row in rows)

    @cached_property
    def steps_in(self) -> tuple[tuple[Step, ...], ...]:
        """For each node the live edges that reach it; the step's node is where they come from."""
        rows: list[list[Step]] = [[] for _ in self.nodes]
        for node, steps in enumerate(self.steps_out):
            for i, after, gain in steps:
                rows[after].append((i, node, gain))
        return tuple(tuple(row) for row in rows)

    def only(self, live: tuple[int, ...]) -> SignalGraph:
        """The same rig, with signal through these edges and no others, whatever their switches say.

        Args:
            live: positions of edges.
        """
        return _Part(self.nodes, self.edges, self.noises, self.mouths, self.ears, self.unknown, self, live)

    def without(self, refs: frozenset[SettingRef]) -> SignalGraph:
        """The same rig, with no signal through any edge that one of these settings switches."""
        held = self.switched
        gone = frozenset(i for ref in refs for i in held.get(ref, ()))
        live = tuple(i for i in self.live if i not in gone)
        return _Part(self.nodes, self.edges, self.noises, self.mouths, self.ears, self.unknown, self, live, gone)

    @cached_property
    def at_bottom(self) -> frozenset[int]:
        """Positions of the edges with a knob that stands at the bottom of its range."""
        return frozenset(
            i for i, edge in enumerate(self.edges) if any(row.value <= row.lowest + 1 for row in edge.knobs)
        )

    @cached_property
    def _by_kinds(self) -> dict[frozenset[EdgeKind], frozenset[int]]:
        return {}

    def of_kinds(self, kinds: frozenset[EdgeKind]) -> frozenset[int]:
        """Positions of the edges of some kinds; kept."""
        known = self._by_kinds
        if kinds not in known:
            known[kinds] = frozenset(i for i, edge in enumerate(self.edges) if edge.kind in kinds)
        return known[kinds]

    @cached_property
    def switched(self) -> dict[SettingRef, tuple[int, ...]]:
        """Switch -> positions of the edges that it opens and closes."""
        rows: dict[SettingRef, list[int]] = {}
        for i, edge in enumerate(self.edges):
            for switch in edge.switches:
                rows.setdefault(switch.ref, []).append(i)
        return {ref: tuple(row) for ref, row in rows.items()}

    @cached_property
    def moved(self) -> dict[SettingRef, tuple[int, ...]]:
        """Switch or key -> positions of the edges that it opens, closes or dims."""
        rows: dict[SettingRef, list[int]] = {ref: list(row) for ref, row in self.switched.items()}
        for i, edge in enumerate(self.edges):
            for dim in edge.dims:
                rows.setdefault(dim.ref, []).append(i)
        return {ref: tuple(row) for ref, row in rows.items()}


@dataclass(frozen=True)
class _Part(SignalGraph):
    """A rig of which only some edges carry signal. What does not depend on that is the whole one's.

    Attributes:
        whole: the rig that it is a part of.
        through: positions of the edges that carry signal.
        cut: positions of those that were cut from the whole's; None where they were not cut but chosen.
    """

    whole: SignalGraph | None = field(default=None, compare=False, repr=False)
    through: tuple[int, ...] = ()
    cut: frozenset[int] | None = None

    @cached_property
    def live(self) -> tuple[int, ...]:
        return self.through

    @cached_property
    def bits(self) -> tuple[int, ...]:
        return self._all.bits

    @cached_property
    def _by_kinds(self) -> dict[frozenset[EdgeKind], frozenset[int]]:
        return self._all._by_kinds

    @cached_property
    def steps_out(self) -> tuple[tuple[Step, ...], ...]:
        return super().steps_out if self.cut is None else self._left(self._all.steps_out, "source", self.cut)

    @cached_property
    def steps_in(self) -> tuple[tuple[Step, ...], ...]:
        return super().steps_in if self.cut is None else self._left(self._all.steps_in, "target", self.cut)

    @property
    def _all(self) -> SignalGraph:
        assert self.whole is not None
        return self.whole

    def _left(self, rows: tuple[tuple[Step, ...], ...], end: str, cut: frozenset[int]) -> tuple[tuple[Step, ...], ...]:
        """The whole's steps without those that were cut: only nodes at a cut are looked at."""
        out = list(rows)
        for node in {getattr(self.edges[i], end) for i in cut}:
            out[node] = tuple(step for step in out[node] if step[0] not in cut)
        return tuple(out)


def reachable(graph: SignalGraph, starts: Iterable[int], *, backward: bool = False) -> set[int]:
    """Nodes that signal reaches from the starts as the rig is switched, or (backward) that reach them; the starts included."""
    rows = graph.steps_in if backward else graph.steps_out
    seen = set(starts)
    work = list(seen)
    while work:
        for _, after, _ in rows[work.pop()]:
            if after not in seen:
                seen.add(after)
                work.append(after)
    return seen


def spread(after: Mapping[int, Iterable[int]], starts: Iterable[int]) -> set[int]:
    """Nodes that steps node -> next nodes lead to from the starts, the starts included."""
    seen = set(starts)
    work = list(seen)
    while work:
        for node in after.get(work.pop(), ()):
            if node not in seen:
                seen.add(node)
                work.append(node)
    return seen
