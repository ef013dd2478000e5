"""What a desk, an interface or a software mixer offers for feeds: its inputs with the voices on them, and its buses."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kymaphon.core.figures import number
from kymaphon.core.graph.paths import strongest_path
from kymaphon.core.graph.signal import UNINTENDED, SignalGraph
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.catalogue import Catalogue, Kind, Path, Port
from kymaphon.core.model.show import Device, Setting, Show

_SIDES = (".l", ".r")


@dataclass(frozen=True, slots=True)
class InputArrival:
    """A voice at an input: gain from the mouth, and how late, the air before its microphone told apart.

    Attributes:
        preamp_db: what the input's own gain adds, as it is set.
    """

    gain_db: float
    delay_ms: float
    air_ms: float = 0.0
    preamp_db: float = 0.0

    @property
    def set_db(self) -> float:
        """Gain from the mouth to after the input's own gain."""
        return self.gain_db + self.preamp_db


@dataclass(frozen=True, slots=True)
class Crosspoint:
    """A switchable or fixed way from an input onto a bus, as it stands."""

    path: Path
    on: bool

    @property
    def fixed(self) -> bool:
        return not self.path.switch

    @property
    def gains(self) -> tuple[float, float] | None:
        """Lowest and highest gain that can be set here; None where there is no knob."""
        return self.path.gain_db if isinstance(self.path.gain_db, tuple) else None


@dataclass(frozen=True, slots=True)
class MixBus:
    """A mix that the device can make: a send, a group, the main mix, or one side of that.

    Attributes:
        id: of the bus or output, with `.l` or `.r` for one side of a stereo main mix.
        inputs: what can be put on it, by input.
        sockets: output ports that give it out; with a side where only that does.
    """

    id: str
    name: str
    stereo: bool
    inputs: dict[str, Crosspoint]
    sockets: tuple[tuple[str, str], ...]

    @property
    def side(self) -> str:
        return self.id.partition(".")[2]

    @property
    def base(self) -> str:
        return self.id.partition(".")[0]

    @property
    def gained(self) -> bool:
        """Whether levels can be set on it, voice by voice."""
        return any(row.gains is not None for row in self.inputs.values())

    @property
    def before_fader(self) -> bool:
        """Whether it can be taken before the faders."""
        return any("pre" in row.path.tap for row in self.inputs.values())


@dataclass(frozen=True)
class Mixer:
    """A device that mixes, as it stands in a show.

    Attributes:
        voices: input -> voices that come by it, by their own microphones.
        needless: inputs that only bring, later, what others bring already.
    """

    device: Device
    kind: Kind
    name: str
    buses: tuple[MixBus, ...]
    voices: dict[str, dict[str, InputArrival]]
    needless: frozenset[str]

    def bus(self, bus_id: str) -> MixBus:
        """Raises StopIteration for an unknown bus."""
        return next(row for row in self.buses if row.id == bus_id)

    def port_name(self, port_id: str) -> str:
        """The name of a socket or bus."""
        port = self.kind.port(port_id)
        return port.name if port is not None else next(row.name for row in self.kind.buses if row.id == port_id)

    def carrying(self, voice: str) -> tuple[str, ...]:
        """Inputs that bring a voice and are of use."""
        return tuple(row for row, found in self.voices.items() if voice in found and row not in self.needless)

    def through_ms(self, input_id: str) -> float:
        """How late an input is, at the least, at some output, by the converters of the device itself."""
        outputs = {row.id for row in self.kind.outputs}
        late = {input_id: 0.0}
        for _ in range(len(self.kind.paths)):
            fresh = {
                path.target: late[path.source] + path.delay_ms
                for path in self.kind.paths
                if path.source in late and late[path.source] + path.delay_ms < late.get(path.target, math.inf)
            }
            if not fresh:
                break
            late.update(fresh)
        return min((late[name] for name in outputs if name in late), default=0.0)

    def pannable(self, input_id: str) -> bool:
        """Whether an input can be put to one side of the main mix."""
        port = self.kind.port(input_id)
        return port is not None and not port.stereo and port.strip is not None and port.strip.pan

    def pans_to(self, input_id: str) -> tuple[bool, bool]:
        """Whether an input's pan lets it to the left and to the right, as it is set."""
        pan = (self.device.settings.get(input_id, Setting()).pan or 0.0) if self.pannable(input_id) else 0.0
        return pan < 1.0, pan > -1.0


def mixes(kind: Kind) -> bool:
    """Whether a kind can put several inputs together by switches. Talkback's boxes make no mixes for the programme."""
    if kind.is_talkback:
        return False
    inputs = {row.id for row in kind.inputs}
    switched = {path.source for path in kind.paths if path.switch and path.source in inputs}
    return len(switched) > 1


def mixers_of(show: Show, catalogue: Catalogue) -> tuple[Device, ...]:
    """The devices of a show that mix."""
    return tuple(device for device in show.devices if mixes(catalogue[device.kind]))


def mixer_of(catalogue: Catalogue, graph: SignalGraph, device: Device) -> Mixer:
    """A device that mixes, with the voices that reach its inputs as the rest of the rig now stands."""
    kind = catalogue[device.kind]
    voices = _voices_at(graph, device, kind)
    buses = buses_of(device, kind)
    used = {source for bus in buses for source, point in bus.inputs.items() if point.on}
    return Mixer(device, kind, device.name or kind.name, buses, voices, _needless(voices, used))


def _voices_at(graph: SignalGraph, device: Device, kind: Kind) -> dict[str, dict[str, InputArrival]]:
    """Each input's voices: from their own microphones or players, not by other people's, and not round through the device."""
    inside = {i for i, node in enumerate(graph.nodes) if node.owner == device.id}
    live = tuple(i for i in graph.live if graph.edges[i].kind not in UNINTENDED and graph.edges[i].source not in inside)
    before = Transfer(graph.only(live))
    ports = [port for port in kind.inputs if port.domain != "acoustic"]
    nodes = {port.id: _nodes(graph, device, port) for port in ports}
    before.prepare_best([node for row in nodes.values() for node in row])
    found: dict[str, dict[str, InputArrival]] = {}
    for port_id, at in nodes.items():
        here: dict[str, InputArrival] = {}
        for voice, (mouth, _) in graph.mouths.items():
            node = max(at, key=lambda node: before.best_gain_to(node)[mouth])
            gain = before.best_gain_to(node)[mouth]
            path = strongest_path(before, mouth, node)
            if path is not None:
                here[voice] = InputArrival(gain, path.delay_ms, next(path.steps()).delay_ms, _preamp_db(graph, node))
        found[port_id] = here
    weakest = number("comes-by")
    strongest = {
        voice: max(row[voice].gain_db for row in found.values() if voice in row)
        for voice in {voice for row in found.values() for voice in row}
    }
    return {
        port_id: {voice: came for voice, came in row.items() if came.gain_db >= strongest[voice] - weakest}
        for port_id, row in found.items()
    }


def _preamp_db(graph: SignalGraph, node: int) -> float:
    """What the gain of an input adds; 0 for one that has none."""
    after = graph.index.get(f"{graph.nodes[node].id}:pre")
    return next((gain for _, to, gain in graph.steps_out[node] if to == after), 0.0)


def _nodes(graph: SignalGraph, device: Device, port: Port) -> tuple[int, ...]:
    return tuple(graph.index[f"{device.id}.{port.id}{side}"] for side in (_SIDES if port.stereo else ("",)))


def _needless(voices: dict[str, dict[str, InputArrival]], used: set[str]) -> frozenset[str]:
    """Inputs whose every voice comes by another at another time: a monitor mix or loopback beside the inputs themselves.

    Of two that are both on, the later one; where only one is on, the other: what works is left as it is. Two sides of a pair come at
    the same time, and both stay.

    Args:
        used: inputs that are on some bus now.
    """
    apart, stands_in = number("double-apart"), number("stands-in")

    def elsewhere(port_id: str, voice: str, came: InputArrival) -> bool:
        strong = {
            other: row[voice].delay_ms
            for other, row in voices.items()
            if voice in row and row[voice].set_db >= came.set_db - stands_in
        }
        by_use = [delay for other, delay in strong.items() if other in used]
        if port_id not in used and by_use:
            return abs(came.delay_ms - min(by_use)) > apart
        return came.delay_ms > min(by_use or strong.values()) + apart

    return frozenset(
        port_id
        for port_id, row in voices.items()
        if row and all(elsewhere(port_id, voice, came) for voice, came in row.items())
    )


def buses_of(device: Device, kind: Kind) -> tuple[MixBus, ...]:
    """Every mix that a device can make, sends first, then groups, the main mix and its two sides, direct outputs last."""
    inputs = {row.id for row in kind.inputs}
    outputs = {row.id: row for row in kind.outputs if row.domain != "acoustic"}
    found: list[MixBus] = []
    for port in outputs.values():
        into = {path.source: path for path in kind.paths if path.target == port.id and path.source in inputs}
        if into and not any(path.target == port.id and path.source not in inputs for path in kind.paths):
            found.append(MixBus(port.id, port.name, port.stereo, _points(device, into), ((port.id, ""),)))
    found.sort(key=lambda row: all(point.fixed for point in row.inputs.values()))
    direct = [row for row in found if all(point.fixed for point in row.inputs.values())]
    mixed = [row for row in found if row not in direct]
    for bus in kind.buses:
        into = _into_bus(device, kind, bus.id, inputs)
        given = tuple((path.target, "") for path in kind.paths if path.source == bus.id and path.target in outputs)
        if not into or not given:
            continue
        mixed.append(MixBus(bus.id, bus.name, bus.stereo, _points(device, into), given))
        sided = tuple(
            socket
            for socket, _ in given
            if outputs[socket].domain == "analog" and outputs[socket].stereo and outputs[socket].level == "line"
        )
        if bus.stereo and sided:
            mixed += [
                MixBus(
                    f"{bus.id}.{side}",
                    f"{bus.name}, {word} side",
                    False,
                    _points(device, into),
                    tuple((socket, side) for socket in sided),
                )
                for side, word in (("l", "left"), ("r", "right"))
            ]
    return (*mixed, *direct)


def _into_bus(device: Device, kind: Kind, bus_id: str, inputs: set[str]) -> dict[str, Path]:
    """Input -> the crosspoint that puts it on a bus: its own, or that onto a group which goes into it."""
    into = {path.source: path for path in kind.paths if path.target == bus_id and path.source in inputs}
    for group in (path.source for path in kind.paths if path.target == bus_id and path.source not in inputs):
        for path in kind.paths:
            if path.target == group and path.source in inputs:
                known = into.get(path.source)
                if known is None or (_is_on(device, path) and not _is_on(device, known)):
                    into[path.source] = path
    return into


def _points(device: Device, into: dict[str, Path]) -> dict[str, Crosspoint]:
    return {source: Crosspoint(path, _is_on(device, path)) for source, path in into.items()}


def _is_on(device: Device, path: Path) -> bool:
    setting = device.settings.get(path.key, Setting())
    return not path.switch or (path.on if setting.on is None else setting.on)
