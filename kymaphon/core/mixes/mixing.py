"""What a plan makes of one mixer: its needs on its buses, as edits, with what cannot be made."""

from __future__ import annotations

from dataclasses import dataclass, field

from kymaphon.core.figures import number
from kymaphon.core.mixes.assign import (
    Assignment,
    RequiredInputs,
    assign,
    domains_of,
    is_plugged,
    lacks,
    required_inputs,
)
from kymaphon.core.mixes.mixer import MixBus, Mixer
from kymaphon.core.mixes.requirements import MixRequirement
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.edits import Edit, SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Device, Setting, Show
from kymaphon.core.wiring.plugging import from_elsewhere, plug


@dataclass(frozen=True)
class Mix:
    """One mix of the plan.

    Attributes:
        device, bus: what makes it.
        needs: who takes it.
        inputs: what is on it and brings a voice, in the order of the sockets.
        left_out: inputs that are kept off for somebody's sake.
        how: in a few words, what is special about it.
        moved: cables to be plugged, as from and to.
    """

    device: str
    bus: MixBus
    needs: tuple[MixRequirement, ...]
    inputs: tuple[str, ...]
    left_out: tuple[str, ...]
    how: tuple[str, ...] = ()
    moved: tuple[tuple[str, str], ...] = ()

    @property
    def listeners(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(row for need in self.needs for row in need.listeners))

    @property
    def last(self) -> bool:
        """Whether it is what its listeners hear: nothing mixes after it."""
        return all(need.last for need in self.needs)


@dataclass(frozen=True)
class Missing:
    """A mix that is needed and cannot be made.

    Attributes:
        need: who takes it; None of its voices come where `bus` is None.
        voices: what is wanted and does not come.
        back: what must not come and does.
        buses, asked: how many mixes the device has, and how many different ones are asked of it.
        unfit: mixes that nobody takes, and that come out as what the need's socket does not take: analogue for digital.
    """

    device: str
    need: MixRequirement
    bus: MixBus | None
    voices: tuple[str, ...]
    back: tuple[str, ...]
    buses: int
    asked: int
    unfit: tuple[MixBus, ...] = ()


@dataclass
class Mixed:
    """What came of one mixer."""

    edits: list[Edit] = field(default_factory=list)
    mixes: list[Mix] = field(default_factory=list)
    missing: list[Missing] = field(default_factory=list)
    opened: list[SettingRef] = field(default_factory=list)


def mix_on(show: Show, catalogue: Catalogue, mixer: Mixer, needs: list[MixRequirement]) -> Mixed:
    """Puts the needs of one mixer on its buses.

    Args:
        show: the show as the plan has left it so far.
    """
    asks = [required_inputs(mixer, need) for need in needs]
    got = assign(mixer, asks)
    done = Mixed()
    by_bus: dict[str, list[RequiredInputs]] = {}
    for row in asks:
        bus = got.buses.get(row.need.key)
        if bus is not None:
            by_bus.setdefault(bus.id, []).append(row)
    taken: dict[tuple[str, str], int] = {}
    for row in asks:
        bus = got.buses.get(row.need.key)
        if bus is not None and row.need.socket is not None and row.need.socket[0] in {name for name, _ in bus.sockets}:
            taken[row.need.socket] = taken.get(row.need.socket, 0) + 1
    for bus in mixer.buses:
        rows = by_bus.get(bus.id)
        if rows:
            _make(show, catalogue, mixer, bus, rows, got, taken, done)
    _main_settings(mixer, got, done)
    _tell_missing(mixer, asks, got, done)
    return done


def _make(
    show: Show,
    catalogue: Catalogue,
    mixer: Mixer,
    bus: MixBus,
    rows: list[RequiredInputs],
    got: Assignment,
    taken: dict[tuple[str, str], int],
    done: Mixed,
) -> None:
    """One mix: its crosspoints, its master, its cables."""
    on = frozenset(source for row in rows for source in row.on) & bus.inputs.keys()
    off = frozenset(source for row in rows for source in row.off) & bus.inputs.keys()
    on -= off
    how: list[str] = []
    if any(bus.base == row.base and row.side for row in mixer.buses):
        side = {"": (True, True), "l": (True, False), "r": (False, True)}[bus.side]
        there = tuple(
            source
            for source in bus.inputs
            if any(a and b for a, b in zip(got.sides[bus.base, source], side, strict=True))
        )
        if bus.side and any(need.socket is None or not need.socket[1] for need in (row.need for row in rows)):
            how.append(
                f"one side of {bus.name.partition(',')[0]}, what must not be on it panned to the other: it costs stereo"
            )
    else:
        _crosspoints(mixer, bus, rows, on, off, done)
        there = tuple(source for source in bus.inputs if source in on or (source not in off and bus.inputs[source].on))
    how += _how(mixer, bus, rows)
    used = _cables(show, catalogue, mixer, bus, rows, taken, done)
    _master(mixer, bus, used, done)
    done.mixes.append(
        Mix(
            mixer.device.id,
            bus,
            tuple(row.need for row in rows),
            tuple(row for row in there if mixer.voices.get(row)),
            tuple(source for source in bus.inputs if source in off and source not in mixer.needless),
            tuple(how),
        )
    )


def _how(mixer: Mixer, bus: MixBus, rows: list[RequiredInputs]) -> list[str]:
    out = []
    if len(rows) > 1:
        out.append(f"one mix for {len(rows)}")
    taps = {_tap(mixer.device, bus, source, rows) for source in bus.inputs if bus.inputs[source].path.tap}
    if len(taps) == 1 and bus.gained:
        tap = taps.pop()
        out.append("before the faders" if tap == "pre" else "after the faders")
    if all(point.fixed for point in bus.inputs.values()):
        out.append("fixed, nothing to set")
    needless = [source for source in bus.inputs if source in mixer.needless and bus.inputs[source].on]
    if needless:
        names = ", ".join(mixer.port_name(source) for source in needless)
        out.append(f"without {names}, which brings the same again, later")
    return out


def _tap(device: Device, bus: MixBus, source: str, rows: list[RequiredInputs]) -> str:
    """Before or after the fader: as it is set where it is on; else ears in the house before it, all others after."""
    point = bus.inputs[source]
    set_to = device.settings.get(point.path.key, Setting()).tap
    if point.on and point.path.tap:
        return set_to or point.path.tap[0]
    ears = all(row.need.kinds <= {"presenter", "guest", "crew", "instrument"} for row in rows)
    wish = "pre" if ears else "post"
    return wish if wish in point.path.tap else point.path.tap[0]


def _crosspoints(
    mixer: Mixer,
    bus: MixBus,
    rows: list[RequiredInputs],
    on: frozenset[str],
    off: frozenset[str],
    done: Mixed,
) -> None:
    device = mixer.device
    for source, point in bus.inputs.items():
        if point.fixed:
            continue
        ref = SettingRef(device.id, point.path.key, "on")
        if source in off and point.on:
            done.edits.append(SetValue(ref, False))
        elif source in on and not point.on:
            done.edits.append(SetValue(ref, True))
            if point.path.tap:
                tap = _tap(device, bus, source, rows)
                done.edits.append(SetValue(SettingRef(device.id, point.path.key, "tap"), tap))
            if point.gains is not None:
                wish = max(
                    (
                        row.need.hear.get(voice, 0.0)
                        for row in rows
                        for voice in row.groups
                        if source in row.groups[voice]
                    ),
                    default=0.0,
                )
                low, high = point.gains
                gain = SettingRef(device.id, point.path.key, "gain_db")
                done.edits.append(SetValue(gain, round(min(max(wish, low), high))))
                done.opened.append(gain)


def _cables(
    show: Show,
    catalogue: Catalogue,
    mixer: Mixer,
    bus: MixBus,
    rows: list[RequiredInputs],
    taken: dict[tuple[str, str], int],
    done: Mixed,
) -> set[str]:
    """Plugs what is not plugged into one of the bus's sockets yet: headphones where they belong, then a free socket first.

    Returns:
        The sockets of the bus that are in use then.
    """
    stereo = {port.id for port in mixer.kind.outputs if port.stereo}
    used: set[str] = set()
    for row in rows:
        need = row.need
        if is_plugged(need, bus):
            used |= {need.socket[0]} if need.socket is not None else set()
            continue
        socket = _best_socket(mixer, bus, need, taken)
        used.add(socket[0])
        taken[socket] = taken.get(socket, 0) + 1
        two = not socket[1] and socket[0] in stereo and len(need.targets) > 1
        sides = ["l", "r"] if two else [socket[1]]
        for target, side in zip(need.targets, sides * len(need.targets), strict=False):
            source = f"{mixer.device.id}.{socket[0]}" + (f".{side}" if side else "")
            there = next((cable for cable in need.cables if cable.target == target), None)
            if there is not None and there.source == source:
                continue
            done.edits += (
                from_elsewhere(show, catalogue, there, source)
                if there is not None
                else (plug(show, catalogue, source, target),)
            )
    return used


def _best_socket(mixer: Mixer, bus: MixBus, need: MixRequirement, taken: dict[tuple[str, str], int]) -> tuple[str, str]:
    """Headphones and lines where they belong, then the socket with fewest plugs."""
    ports = {port.id: port for port in mixer.kind.outputs}
    ears = need.level == "headphone"
    fitting = (row for row in bus.sockets if ports[row[0]].domain == need.domain)
    return min(fitting, key=lambda row: ((ports[row[0]].level == "headphone") != ears, taken.get(row, 0)))


def _master(mixer: Mixer, bus: MixBus, used: set[str], done: Mixed) -> None:
    """Opens a bus that is muted or turned down altogether, and switches on what gives it to the sockets in use."""
    keys = [bus.base, *(socket for socket, _ in bus.sockets if bus.base == socket)]
    for key in dict.fromkeys(keys):
        setting = mixer.device.settings.get(key, Setting())
        if setting.mute:
            done.edits.append(SetValue(SettingRef(mixer.device.id, key, "mute"), False))
        if setting.fader_db is not None and setting.fader_db <= number("off-fader"):
            done.edits.append(SetValue(SettingRef(mixer.device.id, key, "fader_db"), 0.0))
    for path in mixer.kind.paths:
        if path.source == bus.base and path.target in used and path.switch:
            setting = mixer.device.settings.get(path.key, Setting())
            if not (path.on if setting.on is None else setting.on):
                done.edits.append(SetValue(SettingRef(mixer.device.id, path.key, "on"), True))


def _main_settings(mixer: Mixer, got: Assignment, done: Mixed) -> None:
    """The main mix as its needs leave it: what is on it, and on which side."""
    for base in dict.fromkeys(bus.base for bus in mixer.buses if bus.side):
        bus = mixer.bus(base)
        if not any(row.base == base for row in got.buses.values()):
            continue
        for source, point in bus.inputs.items():
            left, right = got.sides[base, source]
            if point.on != (left or right) and not point.fixed:
                ref = SettingRef(mixer.device.id, point.path.key, "on")
                done.edits.append(SetValue(ref, left or right))
            was = mixer.pans_to(source)
            if (left or right) and mixer.pannable(source) and was != (left, right):
                value = 0.0 if left and right else -1.0 if left else 1.0
                done.edits.append(SetValue(SettingRef(mixer.device.id, source, "pan"), value))


def _tell_missing(mixer: Mixer, asks: list[RequiredInputs], got: Assignment, done: Mixed) -> None:
    """What cannot be had, need by need."""
    free = [bus for bus in mixer.buses if not all(point.fixed for point in bus.inputs.values()) and not bus.side]
    different: list[RequiredInputs] = []
    for row in asks:
        if not any(not row.conflicts(other) for other in different):
            different.append(row)
    for row in asks:
        need = row.need
        if not need.last:
            continue  # told where it ends
        bus = got.buses.get(need.key)
        if bus is None:
            voices = (*(voice for voice in row.groups if voice in row.need.hear), *row.unable)
            if voices:
                used = {taken.id for taken in got.buses.values()}
                unfit = tuple(row for row in free if row.id not in used and need.domain not in domains_of(mixer, row))
                done.missing.append(Missing(mixer.device.id, need, None, voices, (), len(free), len(different), unfit))
            continue
        lacking, harm = lacks(row, bus)
        back = tuple(voice for source in harm for voice in mixer.voices[source] if voice in row.need.keep_off)
        voices = tuple(voice for voice in (*lacking, *row.unable) if voice in row.need.hear)
        if voices or back:
            done.missing.append(Missing(mixer.device.id, row.need, bus, voices, back, len(free), len(different)))
