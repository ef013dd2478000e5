"""Where talkback must never get, proven: to air, a recorder or loudspeakers, in every position of every key that anybody has.

A key only adds ways when it closes a path; where one also opens paths, as a lazy key does, a way that needs it both up and down is no
way. So a search that carries the positions which its way has needed so far tries every combination at once.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.graph.signal import ACOUSTIC, Edge, EdgeKind, spread
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.talk import Circuit
from kymaphon.core.talk.circuits import OUTSIDE
from kymaphon.core.talk.keys import Refs, key_ref

ON_AIR = ("audience", "recorder")
_AIR = frozenset(ACOUSTIC - {EdgeKind.SPEAKS})
MOST_LOOKED_AT = 200_000
"""So many pairs of a point and the keys that it needs are looked at; a search that ends there has proven nothing and says so."""


_Here = tuple[int, frozenset[tuple[SettingRef, bool]]]
"""A point, and the positions of keys that the way to it has needed."""


class NotProvenError(Exception):
    """More combinations than are tried."""


@dataclass(frozen=True, slots=True)
class Leak:
    """A way by wire that should not be.

    Attributes:
        target: id of the party that it comes to, or of the loudspeaker.
        edges: its steps.
        needs: positions of keys that it takes, of those that stand otherwise now.
    """

    target: str
    edges: tuple[int, ...]
    needs: tuple[tuple[SettingRef, bool], ...]


@dataclass(frozen=True, slots=True)
class AirProof:
    """Whether somebody's talk on a circuit can get where it must not.

    Attributes:
        leaks: ways that it can take; none where it is proven that there is none.
        now: of those the ones that are there with their key down and all others as they stand.
        keys: so many keys were tried in every position; none where there is nothing to prove.
        problem: why nothing is proven; empty where it is.
    """

    circuit: str
    speaker: str
    leaks: tuple[Leak, ...]
    now: tuple[Leak, ...]
    keys: int
    problem: str = ""

    @property
    def proven(self) -> bool:
        return not self.leaks and not self.problem


@dataclass(frozen=True)
class AirSearch:
    """What every proof of one show shares. Made by `search_of`."""

    analysis: Computed
    circuits: tuple[Circuit, ...]

    @cached_property
    def keys(self) -> Refs:
        """Keys that somebody can put up or down: those on boxes, and of a matrix those that a circuit names or that stand down."""
        out: set[SettingRef] = set()
        for device in self.analysis.show.devices:
            for key in self.analysis.catalogue[device.kind].keys:
                setting = device.settings.get(key.id)
                down = key.on if setting is None or setting.on is None else setting.on
                if not key.programmed or down:
                    out.add(SettingRef(device.id, key.id, "on"))
        for circuit in self.circuits:
            for row in circuit.members:
                named = (key_ref(self.analysis, row.key), key_ref(self.analysis, row.listen_key))
                out |= {ref for ref in named if ref is not None}
        return frozenset(out)

    @cached_property
    def standing(self) -> dict[SettingRef, bool]:
        """How each of them stands now."""
        graph = self.analysis.graph
        return {
            ref: row.now
            for ref in self.keys
            for i in graph.moved.get(ref, ())
            for row in graph.edges[i].switches
            if row.ref == ref
        }

    @cached_property
    def ends(self) -> dict[int, str]:
        """Node -> whom talkback must not reach there: audiences, recorders, and the loudspeakers of rooms (talkback's own boxes aside)."""
        analysis = self.analysis
        out = {
            node: party.id
            for party in analysis.listeners
            if party.kind in ON_AIR
            for node in analysis.graph.ears[party.id]
        }
        for device in analysis.show.devices:
            kind = analysis.catalogue[device.kind]
            for port in kind.outputs if kind.is_loudspeaker else ():
                for end in ("", ".l", ".r"):
                    node = analysis.graph.index.get(f"{device.id}.{port.id}{end}")
                    if node is not None and port.domain == "acoustic" and not port.ear:
                        out[node] = device.id
        return out

    @cached_property
    def steps(self) -> dict[int, list[int]]:
        """Node -> steps by wire that leave it and pass something in some position of the keys."""
        out: dict[int, list[int]] = {}
        for i, edge in enumerate(self.analysis.graph.edges):
            if not edge.broken and edge.kind not in _AIR and _asked(edge, self.keys, {}) is not None:
                out.setdefault(edge.source, []).append(i)
        return out

    @cached_property
    def may_leak(self) -> frozenset[int]:
        """Nodes from which such steps lead to a forbidden end: from all others none does in any position of any key."""
        before: dict[int, list[int]] = {}
        for rows in self.steps.values():
            for i in rows:
                edge = self.analysis.graph.edges[i]
                before.setdefault(edge.target, []).append(edge.source)
        return frozenset(spread(before, self.ends))

    @cached_property
    def _two_ways(self) -> Refs:
        """Keys that let something pass in either position: only they can stand in a way's own way."""
        sorts: dict[SettingRef, set[bool]] = {}
        for edge in self.analysis.graph.edges:
            for row in edge.switches:
                if row.ref in self.keys:
                    sorts.setdefault(row.ref, set()).add(row.closed)
        return frozenset(ref for ref, ways in sorts.items() if len(ways) == 2)

    def leaks(self, speaker: str, ends: dict[int, str], free: Refs, held: dict[SettingRef, bool]) -> tuple[Leak, ...]:
        """The shortest way by wire from somebody's mouth to each forbidden end, in any position of some keys; none proves that there is
        none.

        Args:
            ends: node -> who is there.
            free: keys that may stand either way.
            held: keys that stand as given.

        Raises:
            NotProvenError: there are more combinations than are tried.
        """
        edges, both = self.analysis.graph.edges, self._two_ways
        start: _Here = (self.analysis.graph.mouths[speaker][0], frozenset())
        came: dict[_Here, tuple[_Here, int] | None] = {start: None}
        work = deque([start])
        found: dict[str, Leak] = {}
        while work:
            node, needed = here = work.popleft()
            if node in ends and ends[node] not in found:
                way = tuple(_back(came, here))
                found[ends[node]] = Leak(ends[node], way, _needs(edges, way, free))
            for i in self.steps.get(node, ()):
                asked = _asked(edges[i], free, held)
                if asked is None or edges[i].target not in self.may_leak:
                    continue
                telling = frozenset(row for row in asked if row[0] in both)
                if any((ref, not value) in needed for ref, value in telling):
                    continue
                after = (edges[i].target, needed | telling)
                if after not in came:
                    if len(came) >= MOST_LOOKED_AT:
                        raise NotProvenError(f"more than {MOST_LOOKED_AT} combinations of keys and points")
                    came[after] = (here, i)
                    work.append(after)
        return tuple(found[name] for name in dict.fromkeys(ends.values()) if name in found)

    def proof(self, circuit: Circuit, speaker: str) -> AirProof:
        """Whether what somebody says on a circuit can get to air, a recorder or a room's loudspeakers: their key down, every other one
        either way. Who talks without a key and is on air is heard there on purpose, and has nothing to prove; nor has a telephone.
        """
        member = circuit.member(speaker)
        ref = key_ref(self.analysis, member.key if member is not None else None)
        held = {ref: True} if ref is not None else {}
        free = self.keys - frozenset(held)
        mouth = self.analysis.graph.mouths.get(speaker)
        aside = ref is None and (
            self.analysis.show.party(speaker).kind != "crew" or (member is not None and member.by in OUTSIDE)
        )
        if mouth is None or aside:
            return AirProof(circuit.id, speaker, (), (), 0)
        if mouth[0] not in self.may_leak:
            return AirProof(circuit.id, speaker, (), (), len(free))
        on_it = {row.party for row in circuit.members}
        ends = {node: who for node, who in self.ends.items() if who not in on_it}
        now: tuple[Leak, ...] = ()
        try:
            now = self.leaks(speaker, ends, frozenset(), {**self.standing, **held})
            every = self.leaks(speaker, ends, free, held)
        except NotProvenError as problem:
            return AirProof(circuit.id, speaker, now, now, len(free), str(problem))
        return AirProof(circuit.id, speaker, every, now, len(free))


@reading("feeds")
def search_of(analysis: Computed) -> AirSearch:
    """The search of a show; ask by `Computed.once`."""
    return AirSearch(analysis.bare(), analysis.show.circuits)


@reading("feeds")
def air_proofs(analysis: Computed) -> tuple[AirProof, ...]:
    """For each who may speak on a circuit, whether it can get to air; ask by `Computed.once`."""
    search = analysis.once(search_of)
    return tuple(
        search.proof(circuit, row.party)
        for circuit in analysis.show.circuits
        for row in circuit.members
        if row.speaks and row.party in analysis.graph.mouths
    )


def air_proof(analysis: Computed, circuit: Circuit, speaker: str) -> AirProof:
    """Whether what somebody says on a circuit can get where it must not; see `AirSearch.proof`."""
    return analysis.once(search_of).proof(circuit, speaker)


def _asked(edge: Edge, free: Refs, held: dict[SettingRef, bool]) -> list[tuple[SettingRef, bool]] | None:
    """The positions of free keys that a step takes; None where it passes nothing however they stand."""
    out = []
    for row in edge.switches:
        if row.ref in held:
            if held[row.ref] != row.closed:
                return None
        elif row.ref in free:
            out.append((row.ref, row.closed))
        elif not row.passes:
            return None
    return out


def _back(came: dict[_Here, tuple[_Here, int] | None], here: _Here) -> Iterator[int]:
    steps = []
    while (step := came[here]) is not None:
        here = step[0]
        steps.append(step[1])
    return reversed(steps)


def _needs(edges: tuple[Edge, ...], way: tuple[int, ...], free: Refs) -> tuple[tuple[SettingRef, bool], ...]:
    rows = {
        (row.ref, row.closed): None
        for i in way
        for row in edges[i].switches
        if row.ref in free and row.now != row.closed
    }
    return tuple(rows)
