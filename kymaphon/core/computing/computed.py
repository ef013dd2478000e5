"""The figures of a show: graph, who hears whom, and what follows from them once somebody asks. No findings; those are `Report`'s."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar, overload

import numpy as np

from kymaphon.core.acoustics.air import is_muted
from kymaphon.core.acoustics.cast import NOTHING_DB, PlaceSound, is_loudspeaker, microphones, sound_of
from kymaphon.core.computing.facets import ALL, Facet, changed
from kymaphon.core.derive import Derived
from kymaphon.core.graph.flow import Flow, flow_of
from kymaphon.core.graph.ladder import Ladder, NoiseField, build_ladder
from kymaphon.core.graph.paths import PathList, SignalPath, best_paths, listed_cycles
from kymaphon.core.graph.points import PointMark, marks_along
from kymaphon.core.graph.routing import (
    Arrival,
    Delivery,
    Mics,
    arrivals_of,
    by_the_air,
    explain_delay,
    explain_level,
    goes_astray,
    mark_of,
    own_microphones,
    own_way,
)
from kymaphon.core.graph.signal import ACOUSTIC, EdgeKind, SignalGraph, spread
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.processing import Processing
from kymaphon.core.model.scales import Mark, show_mark
from kymaphon.core.model.show import Party, Show
from kymaphon.core.model.weights import crest_of

_Kept = TypeVar("_Kept")
_Make = TypeVar("_Make", bound=Callable[..., Any])

MOST_LADDERS = 1500
"""Ladders are read to so many pairs of voice and listener where nobody is named as audience or recorder."""


class lazy(Generic[_Kept]):  # noqa: N801 - reads like the decorator that it is
    """A property of `Computed` that is computed when first asked for and kept in `kept`, so that a report shares it.

    Attributes:
        reads: the facets that it is computed from, where `reading` told; an edit that touches none of them leaves it.
    """

    def __init__(self, make: Callable[[Any], _Kept]) -> None:
        self._make, self.__doc__ = make, make.__doc__
        self.reads: frozenset[Facet] = getattr(make, "reads", ALL)

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, of: None, owner: type) -> lazy[_Kept]: ...
    @overload
    def __get__(self, of: Computed, owner: type) -> _Kept: ...
    def __get__(self, of: Computed | None, owner: type) -> lazy[_Kept] | _Kept:
        if of is None:
            return self
        if self._name not in of.kept:
            of.kept.setdefault(self._name, self._make(of))
        found: _Kept = of.kept[self._name]
        return found


def reading(*facets: Facet) -> Callable[[_Make], _Make]:
    """Says of what `lazy` or `Computed.once` keeps from which facets it is computed: an edit of others takes it along."""

    def said(make: _Make) -> _Make:
        make.reads = frozenset(facets)  # type: ignore[attr-defined]
        return make

    return said


@dataclass(frozen=True)
class Computed:
    """One show, computed. What takes long is computed when first asked for, once, by whoever asks.

    Attributes:
        remedies: whether rules look for the switches that would cure, which takes most of their time.
        kept: what was asked for so far, by its name or by what made it; a report shares it with the figures that it is of.
    """

    show: Show
    catalogue: Catalogue
    graph: SignalGraph
    transfer: Transfer
    feeds: dict[tuple[str, str], Delivery]
    remedies: bool = True
    kept: dict[Hashable, Any] = field(default_factory=dict, repr=False, compare=False)

    def once(self, make: Callable[[Any], _Kept]) -> _Kept:
        """What a function tells of these figures, asked once.

        Args:
            make: takes a `Computed` and reads nothing but it.
        """
        if make not in self.kept:
            # Of two threads that ask at once both are told the same one.
            self.kept.setdefault(make, make(self))
        found: _Kept = self.kept[make]
        return found

    def bare(self) -> Computed:
        """The same figures with nothing kept: for what is kept beside them and looks at them again, so that none holds on to itself."""
        return Computed(self.show, self.catalogue, self.graph, self.transfer, self.feeds, self.remedies)

    @property
    def searched_short(self) -> bool:
        """Whether a search for single ways ended before all was seen: then what is found depends on what was asked before."""
        return self.transfer.effort.short > 0

    def same_rig(self, other: Computed) -> bool:
        """Whether the same people, devices and cables are in both, however they are set."""
        return not changed(other.show, self.show) & {"layout", "wiring"}

    def take_from(self, before: Computed, changes: frozenset[Facet]) -> None:
        """Takes along what is kept in another state of the show and holds for this one too, which differs from it in these facets."""
        for key, value in before.left_by(changes).items():
            self.kept.setdefault(key, value)

    def left_by(self, changes: frozenset[Facet]) -> dict[Hashable, Any]:
        """What is kept here and holds for another state of the show too, which differs from this one in these facets."""
        return {key: value for key, value in dict(self.kept).items() if _reads(key).isdisjoint(changes)}

    @lazy
    @reading("layout")
    def mark(self) -> Mark:
        """The show's practice on its own meter."""
        return show_mark(self.show)

    def mark_for(self, listener: str, unit: str) -> Derived:
        """The level at which a voice is on the mark for a listener, in the unit of its point."""
        return mark_of(unit, self.mark, self.show.party(listener))

    @lazy
    @reading("levels")
    def circles(self) -> PathList:
        """The loops of the rig, strongest first."""
        return listed_cycles(self.transfer)

    @lazy
    @reading("levels")
    def noise(self) -> NoiseField:
        return NoiseField(self.graph, self.transfer)

    @lazy
    @reading("levels")
    def flow(self) -> Flow:
        """The level at every point, and why there is none."""
        return flow_of(self.graph, self.transfer, {row.id: crest_of(row.kind).value for row in self.show.parties})

    @lazy
    @reading("levels")
    def wired_after(self) -> dict[int, tuple[int, ...]]:
        """Node -> nodes that the rig leads to from it as it is switched, the air of places left out."""
        out: dict[int, list[int]] = {}
        for edge in self.graph.edges:
            if edge.on and edge.kind not in ACOUSTIC:
                out.setdefault(edge.source, []).append(edge.target)
        return {node: tuple(targets) for node, targets in out.items()}

    @lazy
    @reading("levels")
    def voices(self) -> tuple[Party, ...]:
        """Parties that are heard, in the show's order."""
        return tuple(party for party in self.show.parties if party.id in self.graph.mouths)

    @lazy
    @reading("levels")
    def listeners(self) -> tuple[Party, ...]:
        """Parties that hear, in the show's order."""
        return tuple(party for party in self.show.parties if party.id in self.graph.ears)

    @property
    def ends(self) -> tuple[Party, ...]:
        """Where the programme goes: audiences, then recorders; if there are none, every listener, up to so many that `MOST_LADDERS` are
        enough for all voices.
        """
        rows = [party for kind in ("audience", "recorder") for party in self.listeners if party.kind == kind]
        return tuple(rows) or self.listeners[: max(1, MOST_LADDERS // max(1, len(self.voices)))]

    @lazy
    @reading("feeds")
    def ladders(self) -> dict[tuple[str, str], Ladder]:
        """(voice, end) -> ladder, for every voice that reaches an end; of one that reaches them across the room alone also to everybody
        else who should hear it, as whoever teaches a class with one pupil at home.
        """
        out = {}
        for voice in self.voices:
            for end in self.ends:
                ladder = self.ladder(voice.id, end.id)
                if ladder is not None and voice.id != end.id:
                    out[voice.id, end.id] = ladder
            reached = [row for (name, _), row in out.items() if name == voice.id]
            if reached and all(_is_air(row) for row in reached):
                out |= self._to_others(voice.id)
        return out

    def _to_others(self, voice: str) -> dict[tuple[str, str], Ladder]:
        """A voice's ladders to those who are no end and should hear it."""
        rows = {}
        for listener in self.listeners:
            feed = self.feeds[listener.id, voice]
            if listener not in self.ends and feed.want == "hear" and listener.id != voice:
                ladder = self.ladder(voice, listener.id)
                if ladder is not None:
                    rows[voice, listener.id] = ladder
        return rows

    @lazy
    @reading("feeds")
    def main_ladders(self) -> dict[str, Ladder]:
        """For each voice its ladder to the first end that should have it and on whose way its mark can be read; where none has one, to the
        first that should have it, else to the first that it reaches.
        """
        out: dict[str, Ladder] = {}
        ranks: dict[str, tuple[bool, bool]] = {}
        for (voice, listener), ladder in self.ladders.items():
            rank = self.feeds[listener, voice].want == "hear", _is_marked(ladder)
            if voice not in out or rank > ranks[voice]:
                out[voice], ranks[voice] = ladder, rank
        return out

    def ladder(self, voice: str, listener: str) -> Ladder | None:
        """The ladder of a voice to a listener along its strongest way, by its own microphone where it has one; None when no such
        way leads there: what bleeds into other people's microphones is no chain of this voice.
        """
        if (voice, listener) not in self._one_by_one:
            self._one_by_one[voice, listener] = self._ladder(voice, listener)
        return self._one_by_one[voice, listener]

    @lazy
    @reading("feeds")
    def _one_by_one(self) -> dict[tuple[str, str], Ladder | None]:
        """Ladders that were asked for so far."""
        return {}

    def _ladder(self, voice: str, listener: str) -> Ladder | None:
        feed = self.feeds.get((listener, voice))
        if feed is None or feed.path is None or feed.node is None:
            return None
        path, mics = feed.path, self.microphones.get(self.graph.mouths[voice][0], ())
        party = self.show.party(voice)
        if goes_astray(path) and (mics or party.plays_on or party.kind == "crew"):
            return None
        if mics and by_the_air(path):
            # Heard across the room too: what an operator turns is the way over the loudspeakers.
            path = own_way(self.transfer, mics, feed.node) or path
        return self._ladder_along(voice, listener, path)

    @lazy
    @reading("levels")
    def microphones(self) -> dict[int, Mics]:
        """Mouth -> the ways from it into microphones of its own."""
        return own_microphones(self.graph)

    def any_ladder(self, voice: str) -> Ladder | None:
        """The ladder of a voice to the first end that it reaches; None when it reaches none."""
        return next((row for (who, _), row in self.ladders.items() if who == voice), None)

    def ladder_to_node(self, voice: str, node: str) -> Ladder | None:
        """The ladder of a voice to any point of the rig, by its own microphone if that leads there. Raises KeyError for an unknown
        point.
        """
        target, mouth = self.graph.index[node], self.graph.mouths[voice][0]
        mine = own_way(self.transfer, self.microphones.get(mouth, ()), target)
        ways = (mine,) if mine is not None else best_paths(self.transfer, mouth, target, most=1).paths
        return self._ladder_along(voice, node, ways[0]) if ways else None

    def _ladder_along(self, voice: str, target: str, path: SignalPath) -> Ladder:
        marks = self._marks.get(path.nodes)
        if marks is None:
            marks = self._marks[path.nodes] = marks_along(self.show, self.catalogue, self.graph, path.nodes)
        return build_ladder(self.show, self.noise, voice, target, path, marks)

    @lazy
    @reading("layout", "wiring", "switches")
    def _marks(self) -> dict[tuple[int, ...], list[PointMark]]:
        """Marks along the ways that were asked for so far: what is turned moves no mark."""
        return {}

    def arrivals(self, listener: str, voice: str) -> tuple[Arrival, ...]:
        """Every time at which a voice reaches a listener, strongest first."""
        feed = self.feeds[listener, voice]
        if feed.node is None or feed.arrivals:
            return feed.arrivals
        return arrivals_of(self.transfer, self.graph.mouths[voice][0], feed.node, own=listener == voice)

    def explain_feed(self, feed: Delivery) -> tuple[Derived, Derived] | None:
        """Level against the mark over all ways, and delay along the strongest; None when there is no way."""
        if feed.path is None:
            return None
        wanted = self.mark_for(feed.listener, self.graph.nodes[feed.path.nodes[-1]].unit)
        return explain_level(self.graph, feed, feed.path, wanted), explain_delay(feed.path)

    @lazy
    @reading("levels")
    def open_microphones(self) -> frozenset[str]:
        """Ids of the microphones that are not shut: signal gets to some ear, recorder or line, or they are not plugged
        into anything yet that leads to one.
        """
        ears = [node for nodes in self.graph.ears.values() for node in nodes]
        heard = [self.transfer.best_gain_to(node) for node in ears]
        plugged = self.leading_to(ears)
        out = set()
        for stand in microphones(self.show, self.catalogue):
            ports = (f"{stand.device.id}.{port.id}" for port in stand.kind.inputs if port.domain == "acoustic")
            nodes = [self.graph.index[name] for name in ports if name in self.graph.index]
            passes = any(row[node] > -math.inf for row in heard for node in nodes)
            if passes or plugged.isdisjoint(nodes):
                out.add(stand.device.id)
        return frozenset(out)

    def leading_to(self, ends: list[int]) -> set[int]:
        """Nodes from which the rig leads to some end, every switch and fader in it taken as open."""
        before: dict[int, list[int]] = {}
        for edge in self.graph.edges:
            before.setdefault(edge.target, []).append(edge.source)
        return spread(before, ends)

    @lazy
    @reading("levels")
    def shut_microphones(self) -> frozenset[str]:
        """Ids of the microphones from which signal gets nowhere."""
        rows = microphones(self.show, self.catalogue)
        return frozenset(row.device.id for row in rows) - self.open_microphones

    @lazy
    @reading("levels")
    def loudspeaker_db(self) -> dict[str, float]:
        """Level at 1 m of each loudspeaker with every voice speaking, by device id.

        One that is plugged in and silent has `NOTHING_DB`; one that is not plugged in yet is left out.
        """
        mouths = list(self.graph.mouths.values())
        speakers = [
            (device.id, self.graph.index[f"{device.id}.{port.id}"])
            for device in self.show.devices
            if is_loudspeaker(self.catalogue[device.kind])
            for port in self.catalogue[device.kind].outputs
            if port.domain == "acoustic"
        ]
        if not mouths or not speakers:
            return {}
        power = self.transfer.voice_power
        levels = np.array([10 ** (level.value / 10) for _, level in mouths])
        sums = {name: float(power[node] @ levels) for name, node in speakers}
        plugged = {cable.target_device for cable in self.show.cables}
        silent = {device.id for device in self.show.devices if is_muted(self.show, self.catalogue, device.place)}
        return {
            name: 10 * math.log10(total) if total > 1 and name not in silent else NOTHING_DB
            for name, total in sums.items()
            if name in plugged and total < math.inf
        }

    @lazy
    @reading("layout", "takes", "sound")
    def _sounds(self) -> dict[str, PlaceSound]:
        return {}

    def sound(self, place_id: str) -> PlaceSound:
        """The sound of one place. Raises KeyError when there is none."""
        if place_id not in self._sounds:
            self._sounds[place_id] = self.sketch(self.show, place_id)
        return self._sounds[place_id]

    def sketch(self, show: Show, place_id: str) -> PlaceSound:
        """The sound of a place of a changed show, with this one's loudspeaker levels and shut microphones: quick
        enough to follow a drag. Raises KeyError when there is no such place.
        """
        kinds = self.catalogue.with_kinds(*show.kinds)
        return sound_of(show, kinds, place_id, self.loudspeaker_db, self.shut_microphones)

    def gates(self, voice: str) -> tuple[str, ...]:
        """Nodes of the strips with a gate that is on, on a voice's way to its first end."""
        ladder = self.any_ladder(voice)
        return tuple(
            rung.node
            for rung in (ladder.rungs if ladder is not None else ())
            if any(row.sort == "gate" and row.on for row in self.chain_at(rung.node))
        )

    @lazy
    @reading("feeds")
    def passing(self) -> dict[str, set[str]]:
        """Node -> ids of the voices whose way to their first end goes through it."""
        out: dict[str, set[str]] = {}
        for voice in self.voices:
            ladder = self.any_ladder(voice.id)
            for rung in ladder.rungs if ladder is not None else ():
                out.setdefault(rung.node, set()).add(voice.id)
        return out

    def chain_at(self, node: str) -> tuple[Processing, ...]:
        """What a strip does behind its gain, at its node there; nothing elsewhere."""
        base, tap, _ = node.partition(":pre")
        if not tap or "." not in base:
            return ()
        device_id, key, _ = PortId.of(base)
        return self._chains.get((device_id, key), ())

    @lazy
    @reading("switches")
    def _chains(self) -> dict[tuple[str, str], tuple[Processing, ...]]:
        return {
            (device.id, key): setting.chain
            for device in self.show.devices
            for key, setting in device.settings.items()
            if setting.chain
        }

    def party_name(self, party_id: str) -> str:
        return self.show.party(party_id).name

    def device_name(self, device_id: str) -> str:
        """What a device is called on screen. Raises KeyError when there is none."""
        device = self.show.device(device_id)
        return device_name(self.show, device, self.catalogue[device.kind].name)


def _reads(key: Hashable) -> frozenset[Facet]:
    """The facets that something kept was computed from, by its key: the name of a lazy property, or what made it."""
    made = getattr(Computed, key, None) if isinstance(key, str) else key
    return getattr(made, "reads", ALL)


def _is_air(ladder: Ladder) -> bool:
    """Whether a ladder runs through nothing but the air of a room."""
    return all(step.kind is EdgeKind.THROUGH_AIR for step in ladder.path.steps())


def _is_marked(ladder: Ladder) -> bool:
    """Whether a mark can be read anywhere on a ladder."""
    return any(rung.mark is not None for rung in ladder.rungs)
