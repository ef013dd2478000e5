"""Which fader or mute opens each voice: where on the operator's desk it first comes in, and whoever else comes in by the same one."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.graph.signal import STRAY, Edge
from kymaphon.core.model.edits import Edit, SetValue
from kymaphon.core.model.ids import SettingRef

GROUPS = ("desk", "host", "interface", "preamp", "recorder")
"""Where a show is run from, the likeliest first."""


@dataclass(frozen=True, slots=True)
class Channel:
    """A strip by which voices come in.

    Attributes:
        ref: its mute; its fader where it has none.
        label: as people call it: `Desk, input 2`.
        number: of the socket on its device, from 1.
        voices: parties that come in by it.
        up_db: where its fader stands when open; None for a mute.
        low_db: where it stands when closed.
        shut: whether it is closed as the show stands.
    """

    ref: SettingRef
    label: str
    number: int
    voices: tuple[str, ...]
    up_db: float | None = None
    low_db: float = 0.0
    shut: bool = False

    def set(self, is_open: bool) -> Edit:
        """What opens or closes it."""
        if self.up_db is None:
            return SetValue(self.ref, not is_open)
        return SetValue(self.ref, self.up_db if is_open else self.low_db)

    @property
    def device(self) -> str:
        return self.ref.device


@dataclass(frozen=True)
class Channels:
    """The strips that a show is run by. Made by `channels_of`.

    Attributes:
        rows: in the order of the rig.
        without: voices that come in by none: nothing here opens or closes them.
    """

    rows: tuple[Channel, ...]
    without: tuple[str, ...]

    def of(self, voice: str) -> tuple[Channel, ...]:
        """The strips of a voice: two of a stereo player."""
        return tuple(row for row in self.rows if voice in row.voices)

    def open_for(self, voices: frozenset[str] | set[str]) -> tuple[Channel, ...]:
        """Those that are open while some voices are to be heard."""
        return tuple(row for row in self.rows if not voices.isdisjoint(row.voices))

    def along(self, voices: frozenset[str] | set[str]) -> tuple[tuple[str, Channel], ...]:
        """Voices that come along because they share an open strip, each with that strip."""
        return tuple((name, row) for row in self.open_for(voices) for name in row.voices if name not in voices)


@reading("levels")
def channels_of(analysis: Computed) -> Channels:
    """The strips of the device that the show is run from, for every voice that comes in there; of any other voice its own strip
    elsewhere. Ask by `Computed.once`.
    """
    found: dict[str, list[tuple[SettingRef, Edge]]] = {
        voice.id: _closers(analysis, voice.id) for voice in analysis.voices
    }
    desk = _operated(analysis, found)
    shared: dict[SettingRef, list[str]] = {}
    edges: dict[SettingRef, Edge] = {}
    without = []
    for voice, rows in found.items():
        own = [row for row in rows if row[0].device == desk] or rows[:1]
        if not own:
            without.append(voice)
        for ref, edge in own:
            edges[ref] = edge
            if voice not in shared.setdefault(ref, []):
                shared[ref].append(voice)
    places = {row.id: n for n, row in enumerate(analysis.show.devices)}
    rows_ = [_channel(analysis, ref, edges[ref], tuple(voices)) for ref, voices in shared.items()]
    return Channels(tuple(sorted(rows_, key=lambda row: (places[row.device], row.number))), tuple(without))


def _closers(analysis: Computed, voice: str) -> list[tuple[SettingRef, Edge]]:
    """The first strip that can be closed on each way of a voice into each device, nearest first; bleed is no way."""
    graph = analysis.graph
    if voice not in graph.mouths:
        return []
    start = graph.mouths[voice][0]
    out: list[tuple[SettingRef, Edge]] = []
    after: dict[int, list[Edge]] = analysis.once(_steps)
    strips: frozenset[tuple[str, str]] = analysis.once(_strips)
    seen: set[tuple[int, frozenset[str]]] = set()
    work: deque[tuple[int, frozenset[str]]] = deque([(start, frozenset())])
    while work:
        node, closed = work.popleft()
        for edge in after.get(node, ()):
            ref = _closer(edge)
            passed = closed
            if ref is not None and ref.device not in closed and (ref.device, ref.key) in strips:
                if all(row[0] != ref for row in out):
                    out.append((ref, edge))
                passed = closed | {ref.device}
            if (edge.target, passed) not in seen:
                seen.add((edge.target, passed))
                work.append((edge.target, passed))
    return out


def _steps(analysis: Computed) -> dict[int, list[Edge]]:
    """Node -> steps on from it that are meant: closed or not, by no air that goes astray."""
    out: dict[int, list[Edge]] = {}
    for edge in analysis.graph.edges:
        others = [row for row in edge.switches if row.ref.field != "mute"]
        if (
            edge.kind not in STRAY
            and all(row.passes for row in others)
            and (not edge.broken or _closer(edge) is not None)
        ):
            out.setdefault(edge.source, []).append(edge)
    return out


def _strips(analysis: Computed) -> frozenset[tuple[str, str]]:
    """(device, socket) of every input: a bus is no channel."""
    rows = ((device.id, analysis.catalogue[device.kind]) for device in analysis.show.devices)
    return frozenset((name, port.id) for name, kind in rows for port in kind.inputs)


def _closer(edge: Edge) -> SettingRef | None:
    """What closes a step: its mute, else its fader."""
    mute = next((row.ref for row in edge.switches if row.ref.field == "mute"), None)
    if mute is not None:
        return mute
    return next((row.ref for row in edge.knobs if row.ref.field == "fader_db"), None)


def _operated(analysis: Computed, found: dict[str, list[tuple[SettingRef, Edge]]]) -> str:
    """The device by which most voices come in; of equal ones the likelier group."""
    counts: dict[str, int] = {}
    for rows in found.values():
        for name in {ref.device for ref, _ in rows}:
            counts[name] = counts.get(name, 0) + 1

    def rank(name: str) -> tuple[int, int]:
        group = analysis.catalogue[analysis.show.device(name).kind].group
        return counts[name], -(GROUPS.index(group) if group in GROUPS else len(GROUPS))

    return max(counts, key=rank, default="")


def _channel(analysis: Computed, ref: SettingRef, edge: Edge, voices: tuple[str, ...]) -> Channel:
    kind = analysis.catalogue[analysis.show.device(ref.device).kind]
    ports = [row.id for row in kind.inputs]
    number = ports.index(ref.key) + 1 if ref.key in ports else 0
    port = kind.port(ref.key)
    name = port.name if port is not None else next((row.name for row in kind.buses if row.id == ref.key), ref.key)
    label = f"{analysis.device_name(ref.device)}, {name}"
    knob = next((row for row in edge.knobs if row.ref == ref), None)
    if knob is None:
        shut = any(row.ref == ref and not row.passes for row in edge.switches)
        return Channel(ref, label, number, voices, shut=shut)
    shut = knob.value <= knob.lowest + 1
    up = min(max(0.0, knob.lowest), knob.highest) if shut else knob.value
    return Channel(ref, label, number, voices, up, knob.lowest, shut)
