"""Faults of a rig as changes of the graph that plays, never of the show: what is broken, swapped, or stands otherwise than it was typed.

Each is told by its place; what it does to levels is a list of steps of the signal that go elsewhere or with another gain. Faults
that change no level (hum, crackle) have none, and are heard.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache

from kymaphon.core.computing.computed import Computed
from kymaphon.core.dynamics.places import strips_of
from kymaphon.core.figures import data_table
from kymaphon.core.graph.signal import EdgeKind, Knob, SignalGraph, Switch
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.ids import NodeId, SettingRef
from kymaphon.core.model.processing import Gate
from kymaphon.core.model.show import Cable

SILENT = -math.inf


def reading_figure(name: str) -> float:
    """A figure of how meters are read and gains go wrong, from `core/data/prove.json`, where its source stands."""
    return float(data_table("prove")["reading"][name]["value"])


TOO_LOW_DB, TOO_HIGH_DB = -reading_figure("gain-off"), reading_figure("gain-off")
"""How far a gain that stands wrong is taken to be off."""
NO_LEADS = ("gate-high",)
"""Faults that are heard and are no matter of a lead."""
NEXT_TO = 2
"""Sockets so far apart are mistaken for each other."""
LEVEL_SORTS = (
    "dead-cable",
    "swapped-pair",
    "wrong-input",
    "open-crosspoint",
    "doubled-path",
    "muted-channel",
    "gain-low",
    "gain-high",
    "missing-pad",
    "phantom-off",
    "low-battery",
)


@dataclass(frozen=True, slots=True)
class Sort:
    """A sort of fault.

    Attributes:
        prior: how likely one is at one place, before anything was seen.
        cure: what to do about it, with `{where}` for its place.
        sounds: what is heard of it, for those that change no level.
    """

    id: str
    name: str
    prior: float
    cure: str
    source: str
    sounds: str = ""


@cache
def sorts() -> dict[str, Sort]:
    """Every sort of fault, by id."""
    return {row["id"]: Sort(**row) for row in data_table("prove")["faults"]}


@dataclass(frozen=True, slots=True)
class Move:
    """One step of the signal as a fault has it: where it goes and with which gain (dB; -inf where nothing passes)."""

    edge: int
    target: int
    gain_db: float


@dataclass(frozen=True)
class Fault:
    """One thing wrong.

    Attributes:
        id: `sort:place`; sockets of the show, settings as in `kymaphon set`.
        label: for people, in one line.
        where: id of the device to look at.
        moves: what becomes of steps of the signal.
        ref: the setting that stands otherwise, of faults that are a setting.
        node: where it is heard, of faults that change no level; -1 for others.
        gate: the gate that its strip has instead of its own.
    """

    id: str
    sort: str
    label: str
    where: str
    moves: tuple[Move, ...] = ()
    ref: SettingRef | None = None
    node: int = -1
    gate: Gate | None = None

    @property
    def prior(self) -> float:
        return sorts()[self.sort].prior

    @property
    def cure(self) -> str:
        return sorts()[self.sort].cure


def single_faults(analysis: Computed) -> tuple[Fault, ...]:
    """Every fault that changes a level, at every place where it can be."""
    found: dict[str, Fault] = {}
    for make in (_cables, _switches, _gains, _supplies):
        for fault in make(analysis):
            if fault.moves:
                found.setdefault(fault.id, fault)
    return tuple(found.values())


def audible_faults(analysis: Computed) -> tuple[Fault, ...]:
    """Every fault that changes no level and is heard, at every lead of the rig."""
    graph = analysis.graph
    out = []
    for ends, edges in cable_edges(graph).items():
        device = ends[1].partition(".")[0]
        for sort in sorts().values():
            if sort.sounds and sort.id not in NO_LEADS:
                label = f"{sort.name[:1].upper()}{sort.name[1:]} at {analysis.device_name(device)}, {_part(analysis, ends[1])}"
                node = graph.edges[edges[0]].target
                out.append(Fault(f"{sort.id}:{ends[1]}", sort.id, label, device, node=node))
    return (*out, *_gates(analysis))


def _gates(analysis: Computed) -> Iterator[Fault]:
    """A gate that opens only for the loudest syllables, in each strip that a voice passes and that has one by its kind's data."""
    seen = set()
    for voice in analysis.voices:
        ladder = analysis.any_ladder(voice.id)
        if voice.kind in NO_SPEECH or ladder is None:
            continue
        speech = {rung.node: rung.speech_db for rung in ladder.rungs}
        for strip in strips_of(analysis, voice.id):
            if not (strip.has("gate") or any(row.sort == "gate" for row in strip.chain)) or strip.node in seen:
                continue
            seen.add(strip.node)
            opens = speech[strip.node] + reading_figure("gate-high")
            gate = Gate(open_db=opens, close_db=opens - 3, attack_ms=5, hold_ms=20, release_ms=20, range_db=60)
            place = f"{strip.ref.device}.{strip.ref.key}"
            node = analysis.graph.index[strip.node]
            yield Fault(
                f"gate-high:{place}",
                "gate-high",
                f"Gate set too high at {strip.name}",
                strip.ref.device,
                node=node,
                gate=gate,
            )


# cables


def cable_edges(graph: SignalGraph) -> Mapping[tuple[str, str], tuple[int, ...]]:
    """(socket, socket) -> the steps of the cable between them; of a stereo cable both sides."""
    rows: dict[tuple[str, str], list[int]] = {}
    for i, edge in enumerate(graph.edges):
        if edge.kind is EdgeKind.CABLE:
            ends = graph.nodes[edge.source].id, graph.nodes[edge.target].id
            rows.setdefault((NodeId.of(ends[0]).socket, NodeId.of(ends[1]).socket), []).append(i)
    return {ends: tuple(row) for ends, row in rows.items()}


def _cables(analysis: Computed) -> Iterator[Fault]:
    graph = analysis.graph
    held = cable_edges(graph)
    named = {(_socket(row.source), _socket(row.target)): row for row in analysis.show.cables}
    into: dict[str, list[tuple[str, str]]] = {}
    for ends, edges in held.items():
        words = _cable_words(analysis, ends, named.get(ends))
        cut = tuple(Move(i, graph.edges[i].target, SILENT) for i in edges)
        yield Fault(f"dead-cable:{ends[0]}>{ends[1]}", "dead-cable", f"{words} is dead", ends[1].partition(".")[0], cut)
        into.setdefault(ends[1].partition(".")[0], []).append(ends)
    for device, cables in into.items():
        yield from _mistaken(analysis, device, cables, held)


def _mistaken(
    analysis: Computed, device: str, cables: list[tuple[str, str]], held: Mapping[tuple[str, str], tuple[int, ...]]
) -> Iterator[Fault]:
    """Leads in each other's sockets at a device, and leads in the free socket beside their own."""
    graph = analysis.graph
    kind = analysis.catalogue[analysis.show.device(device).kind]
    order = [port.id for port in kind.inputs]
    plugs = {port.id: (port.connector, port.level, port.domain) for port in kind.inputs}
    used = {ends[1].partition(".")[2] for ends in cables}
    for n, ends in enumerate(cables):
        port = ends[1].partition(".")[2]
        if port not in plugs:
            continue
        for other in cables[n + 1 :]:
            there = other[1].partition(".")[2]
            like = there in plugs and plugs[there] == plugs[port] and there != port
            if like and abs(order.index(port) - order.index(there)) <= NEXT_TO:
                moves = _exchanged(graph, held[ends], held[other])
                label = f"{_part(analysis, ends[1])} and {_part(analysis, other[1])} are swapped at {analysis.device_name(device)}"
                yield Fault(f"swapped-pair:{ends[1]}~{other[1]}", "swapped-pair", label, device, moves)
        for there in order:
            near = abs(order.index(port) - order.index(there)) <= NEXT_TO
            if there == port or there in used or plugs[there] != plugs[port] or not near:
                continue
            moves = _moved(graph, held[ends], f"{device}.{there}")
            label = f"The lead of {_part(analysis, ends[1])} is in {_part(analysis, f'{device}.{there}')}"
            yield Fault(f"wrong-input:{ends[1]}>{there}", "wrong-input", label, device, moves)


def _exchanged(graph: SignalGraph, one: tuple[int, ...], other: tuple[int, ...]) -> tuple[Move, ...]:
    if len(one) != len(other):
        return ()
    pairs = [*zip(one, other, strict=True), *zip(other, one, strict=True)]
    return tuple(Move(i, graph.edges[k].target, graph.edges[i].gain_db) for i, k in pairs)


def _moved(graph: SignalGraph, edges: tuple[int, ...], socket: str) -> tuple[Move, ...]:
    """A cable's steps into another socket; none where that has other sides."""
    targets = []
    for i in edges:
        side = graph.nodes[graph.edges[i].target].id.rpartition(".")[2]
        target = graph.index.get(f"{socket}.{side}" if side in ("l", "r") else socket)
        if target is None:
            return ()
        targets.append(target)
    return tuple(Move(i, target, graph.edges[i].gain_db) for i, target in zip(edges, targets, strict=True))


def _socket(ref: str) -> str:
    return NodeId.of(ref).socket


def _part(analysis: Computed, socket: str) -> str:
    """A socket as people name it at its device: `channel 3`."""
    device, _, port = socket.partition(".")
    kind = analysis.catalogue[analysis.show.device(device).kind]
    found = kind.port(port)
    return found.name if found is not None and found.name else port


def _cable_words(analysis: Computed, ends: tuple[str, str], cable: Cable | None) -> str:
    devices = [end.partition(".")[0] for end in ends]
    words = f"The lead from {analysis.device_name(devices[0])} to {analysis.device_name(devices[1])}, {_part(analysis, ends[1])}"
    return f"{words} ({cable.label})" if cable is not None and cable.label else words


# switches and gains


def setting_id(ref: SettingRef) -> str:
    """A setting in one word: `desk.in1>send1.on`."""
    return f"{ref.device}.{ref.key}.{ref.field}"


def _switches(analysis: Computed) -> Iterator[Fault]:
    graph = analysis.graph
    for ref, edges in graph.switched.items():
        switch = next(row for row in graph.edges[edges[0]].switches if row.ref == ref)
        moves = tuple(_with_switch(graph, i, ref) for i in edges)
        changed = tuple(row for row in moves if (row.gain_db > SILENT) != graph.edges[row.edge].on)
        if not changed:
            continue
        sort = _sort_of(switch)
        label = switch.label.removesuffix(", mute")
        words = {
            "muted-channel": f"{label} is muted",
            "open-crosspoint": f"{label} is off",
            "doubled-path": f"{label} is on",
        }[sort]
        if switch.key:
            words = f"{label} is {'up' if switch.now else 'held down'}"
        yield Fault(f"{sort}:{setting_id(ref)}", sort, words[:1].upper() + words[1:], ref.device, changed, ref)


def _sort_of(switch: Switch) -> str:
    if switch.ref.field == "mute":
        return "muted-channel" if switch.passes else "doubled-path"
    return "open-crosspoint" if switch.passes else "doubled-path"


def _with_switch(graph: SignalGraph, position: int, ref: SettingRef) -> Move:
    edge = graph.edges[position]
    passes = not edge.broken and all(row.passes != (row.ref == ref) for row in edge.switches)
    return Move(position, edge.target, edge.gain_db if passes else SILENT)


def _gains(analysis: Computed) -> Iterator[Fault]:
    graph = analysis.graph
    turned: dict[SettingRef, list[tuple[int, Knob]]] = {}
    for i in graph.live:
        for knob in graph.edges[i].knobs:
            turned.setdefault(knob.ref, []).append((i, knob))
    for ref, rows in turned.items():
        knob = rows[0][1]
        for sort, by in (("gain-low", TOO_LOW_DB), ("gain-high", TOO_HIGH_DB)):
            to = min(max(knob.value + by, knob.lowest), knob.highest)
            if abs(to - knob.value) < abs(by) / 2:
                continue
            moves = tuple(Move(i, graph.edges[i].target, graph.edges[i].gain_db + to - knob.value) for i, _ in rows)
            words = f"{knob.label} stands {abs(to - knob.value):.0f} dB too {'low' if by < 0 else 'high'}"
            yield Fault(f"{sort}:{setting_id(ref)}", sort, words[:1].upper() + words[1:], ref.device, moves, ref)


# supplies and pads


def _supplies(analysis: Computed) -> Iterator[Fault]:
    graph, show = analysis.graph, analysis.show
    for device in show.devices:
        kind = analysis.catalogue[device.kind]
        name = analysis.device_name(device.id)
        if any(port.phantom_ma for port in kind.outputs):
            moves = _all_of(graph, device.id, SILENT)
            yield Fault(f"phantom-off:{device.id}", "phantom-off", f"{name} gets no phantom power", device.id, moves)
        if kind.group == "wireless":
            moves = _all_of(graph, device.id, TOO_LOW_DB)
            yield Fault(
                f"low-battery:{device.id}", "low-battery", f"{name}: the battery is nearly empty", device.id, moves
            )
        for port in kind.inputs:
            strip = port.strip
            setting = device.settings.get(port.id)
            if strip is None or not strip.pad_db or setting is None or not setting.pad:
                continue
            ref = SettingRef(device.id, port.id, "pad")
            node = graph.index.get(f"{device.id}.{port.id}")
            if node is None:
                continue
            moves = tuple(
                Move(i, graph.edges[i].target, graph.edges[i].gain_db + strip.pad_db)
                for i in graph.leaving[node]
                if graph.nodes[graph.edges[i].target].id.endswith(":pre")
            )
            words = f"The pad of {name}, {port.name or port.id} is out"
            yield Fault(f"missing-pad:{setting_id(ref)}", "missing-pad", words, device.id, moves, ref)


def _all_of(graph: SignalGraph, device: str, gain_db: float) -> tuple[Move, ...]:
    """Every live step within a device, silent or with so much more gain."""
    return tuple(
        Move(i, graph.edges[i].target, SILENT if gain_db == SILENT else graph.edges[i].gain_db + gain_db)
        for i in graph.live
        if graph.edges[i].kind is EdgeKind.INSIDE
        and graph.nodes[graph.edges[i].source].owner == device
        and graph.nodes[graph.edges[i].target].owner == device
    )
