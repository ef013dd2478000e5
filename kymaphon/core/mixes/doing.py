"""A plan as steps at the desk, the interface and the software: set up, mute first, switch off, pan, plug, set, switch on, open last."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from kymaphon.core.dynamics.chain import words_of
from kymaphon.core.model.catalogue import Bus, Catalogue, Kind, Path, Port
from kymaphon.core.model.connectors import adapters
from kymaphon.core.model.edits import AddRow, Edit, RemoveRow, SetField, apply_all
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.processing import NAMES
from kymaphon.core.model.show import Cable, Device, Setting, Show
from kymaphon.core.model.talk import Task

Act = Literal["start", "mute", "off", "unplug", "pan", "plug", "set", "on", "open"]
ACTS: tuple[Act, ...] = ("start", "mute", "off", "unplug", "pan", "plug", "set", "on", "open")
"""The order of a safe change: nothing is opened before everything that could go round is shut, nothing is plugged where what must
not be there has still to be panned away, and no gain is up when a plug goes in.
"""
PREFIX = "feeds-"
"""Ids of the tasks that are steps of a plan begin so."""


@dataclass(frozen=True, slots=True)
class Instruction:
    """One thing to do, at one device.

    Attributes:
        act: what sort of thing; the steps are in the order of `ACTS`.
        device: id of the device; for a cable, of the one that it comes from.
        text: in plain words, with the value.
    """

    act: Act
    device: str
    text: str


def steps_between(before: Show, after: Show, catalogue: Catalogue) -> tuple[Instruction, ...]:
    """What to do so that a rig that stands as in one show stands as in another.

    Only settings and cables are looked at; what is new is set up first, and stands as delivered. What is opened or plugged is shut
    first, and opened last: at the bus that it is on, or, where others hear that bus meanwhile, at the headphones' knob, the channel
    or what the lead goes into. Where nothing is opened nothing needs to be muted.

    Raises:
        KeyError: a device or socket that the catalogue does not have.
    """
    catalogue = catalogue.with_kinds(*after.kinds)
    rows = [*_settings(before, after, catalogue), *_cables(before, after, catalogue)]
    rows += _around(before, after, catalogue, rows)
    order = {device.id: i for i, device in enumerate(after.devices)}
    # sorted() keeps what was found first where two are alike.
    ordered = sorted(rows, key=lambda row: (ACTS.index(row[0].act), order.get(row[0].device, -1)))
    return tuple(step for step, _ in ordered)


@dataclass(frozen=True, slots=True)
class _Bears:
    """What a step bears on: a bus or output of its device, with the input whose crosspoint it is, or the socket that a lead goes into;
    or a channel by itself.
    """

    bus: str = ""
    strip: str = ""
    source: str = ""
    target: str = ""


_Found = tuple[Instruction, _Bears | None]
"""A step, and what it bears on."""


def _settings(before: Show, after: Show, catalogue: Catalogue) -> Iterator[_Found]:
    was = {device.id: device for device in before.devices}
    for device in after.devices:
        old = was.get(device.id)
        kind = catalogue[device.kind]
        name = device.name or kind.name
        if old is None:
            yield Instruction("start", device.id, _put_in(after, catalogue, device, name)), None
            old = Device(id=device.id, kind=device.kind)
        if old.kind != device.kind:
            yield (
                Instruction(
                    "unplug",
                    device.id,
                    f"{name}: put {kind.name} in its place, its plugs as they were but for those below",
                ),
                None,
            )
        paths = {path.key: path for path in kind.paths}
        names = names_of(kind)
        for key in dict.fromkeys((*old.settings, *device.settings)):
            a, b = (row.settings.get(key, Setting()) for row in (old, device))
            if a != b:
                where = f"{name}, {setting_name(names, paths.get(key), key)}"
                yield from _values(device, kind, key, paths.get(key), where, a, b)


def _put_in(after: Show, catalogue: Catalogue, device: Device, name: str) -> str:
    """What to do about a device that was not there."""
    if device.host is None:
        return f"{name}: set it up"
    host = after.device(device.host)
    return f"{name}: start it in {host.name or catalogue[host.kind].name}"


def _values(
    device: Device, kind: Kind, key: str, path: Path | None, where: str, old: Setting, new: Setting
) -> Iterator[_Found]:
    bears = _Bears(path.target, source=path.source) if path is not None else None
    on_before = path is not None and (path.on if old.on is None else old.on)
    on_after = path is not None and (path.on if new.on is None else new.on)
    if path is not None and path.switch and on_before != on_after:
        yield (
            Instruction("on" if on_after else "off", device.id, f"{where}: {'on' if on_after else 'off'}"),
            bears,
        )
    if path is None:
        yield from _strip_values(device, kind, key, where, old, new)
    elif on_after:
        # What a crosspoint that is off would do is nobody's business.
        words = [
            *_gain_words(path, old, new, fresh=not on_before),
            *_tap_words(path, old, new, fresh=not on_before),
        ]
        if words:
            yield Instruction("set", device.id, f"{where}: {', '.join(words)}"), None
    if (old.pan or 0.0) != (new.pan or 0.0):
        yield Instruction("pan", device.id, f"{where}: pan {_pan_words(new.pan or 0.0)}"), None
    if new.fader_db is not None and new.fader_db != old.fader_db:
        yield Instruction("set", device.id, f"{where}: fader to {_signed(new.fader_db)} dB"), None
    if bool(old.mute) != bool(new.mute):
        yield (
            Instruction("off" if new.mute else "open", device.id, f"{where}: {'mute' if new.mute else 'unmute'}"),
            None,
        )


def _strip_values(device: Device, kind: Kind, key: str, where: str, old: Setting, new: Setting) -> Iterator[_Found]:
    """What is set at a channel, a control, a processor or a buffer, faders, mutes and pans apart."""
    if new.gain_db is not None and new.gain_db != old.gain_db:
        yield Instruction("set", device.id, f"{where}, gain: {_signed(new.gain_db)} dB"), None
    for field, on, off in (
        ("pad", "pad in", "pad out"),
        ("hi_z", "switched for instruments", "not switched for instruments"),
    ):
        if bool(getattr(old, field)) != bool(getattr(new, field)):
            yield Instruction("set", device.id, f"{where}: {on if getattr(new, field) else off}"), None
    if bool(old.phantom) != bool(new.phantom):
        act: Act = "set" if new.phantom else "off"
        yield (
            Instruction(act, device.id, f"{where}: phantom {'on' if new.phantom else 'off'}"),
            _Bears(strip=key),
        )
    if new.samples is not None and new.samples != old.samples:
        yield Instruction("set", device.id, f"{where}: {new.samples} samples"), None
    processor = next((row for row in kind.processors if row.id == key), None)
    if processor is not None:
        before, after = (processor.on if row.on is None else row.on for row in (old, new))
        if before != after:
            yield (
                Instruction("on" if after else "off", device.id, f"{where}: {'on' if after else 'off'}"),
                None,
            )
    had, have = old.chain or (), new.chain or ()
    for row in have:
        if row not in had:
            yield Instruction("set", device.id, f"{where}: {words_of(row)}"), None
    for row in had:
        if all(row.sort != other.sort for other in have):
            yield Instruction("off", device.id, f"{where}: {NAMES[row.sort]} out"), None


def _gain_words(path: Path, old: Setting, new: Setting, *, fresh: bool) -> Iterator[str]:
    """The gain of a crosspoint, where it is turned or was of no account before."""
    if isinstance(path.gain_db, tuple):
        given = path.default_gain_db if path.default_gain_db is not None else path.gain_db[1]
        a, b = (given if row.gain_db is None else row.gain_db for row in (old, new))
        if a != b or fresh:
            yield f"{_signed(b)} dB"


def _tap_words(path: Path, old: Setting, new: Setting, *, fresh: bool) -> Iterator[str]:
    """Before or after the fader, where there is a choice."""
    if len(path.tap) > 1:
        a, b = (row.tap or path.tap[0] for row in (old, new))
        if a != b or fresh:
            yield f"{'before' if b == 'pre' else 'after'} the fader"


def _cables(before: Show, after: Show, catalogue: Catalogue) -> Iterator[_Found]:
    for cable in before.cables:
        if all(row.ends != cable.ends for row in after.cables):
            yield (
                Instruction(
                    "unplug",
                    cable.source_device,
                    _cable_words(before, catalogue, cable, "take out"),
                ),
                None,
            )
    yield from _usb_leads(before, after, catalogue)
    for cable in after.cables:
        if all(row.ends != cable.ends for row in before.cables):
            device_id, port_id, _ = PortId.of(cable.source)
            yield (
                Instruction("plug", device_id, _cable_words(after, catalogue, cable, "plug")),
                _Bears(port_id, target=cable.target),
            )


def _usb_leads(before: Show, after: Show, catalogue: Catalogue) -> Iterator[_Found]:
    """The one USB lead of a box on a computer, of which nothing was plugged yet; its channels are chosen in the software."""
    touched = {name for cable in before.cables for name in (cable.source_device, cable.target_device)}
    now = {name for cable in after.cables for name in (cable.source_device, cable.target_device)}
    for device in after.devices:
        kind = catalogue[device.kind]
        usb = any(port.connector == "usb" for port in (*kind.inputs, *kind.outputs))
        if device.host is None or not usb or device.id in touched or device.id not in now:
            continue
        host = after.device(device.host)
        host_name = host.name or catalogue[host.kind].name
        text = f"{device.name or kind.name} by USB to {host_name}: plug"
        yield Instruction("plug", device.id, text), None


def _cable_words(show: Show, catalogue: Catalogue, cable: Cable, verb: str) -> str:
    ends = [_end_words(show, catalogue, row) for row in cable.ends]
    sockets = {end_of(show, catalogue, row).port.connector for row in cable.ends}
    if "network" in sockets:
        return f"{ends[0]} to {ends[1]}: {'connect' if verb == 'plug' else 'disconnect'} the call"
    if "inside" in sockets or sockets == {"usb"}:
        return f"{ends[1]}: {'choose' if verb == 'plug' else 'let go of'} {ends[0]}"
    label = f", cable {cable.label}" if cable.label else ""
    known = {row.id: row.name for row in adapters().values()}
    adapter = f", with {known[cable.adapter]}" if cable.adapter in known and verb == "plug" else ""
    return f"{ends[0]} to {ends[1]}: {verb}{label}{adapter}"


def _around(before: Show, after: Show, catalogue: Catalogue, rows: list[_Found]) -> Iterator[_Found]:
    """Mutes before, and opens after, whatever would let a bang or a loop through where something is opened or plugged."""
    done: set[str] = set()
    for step, bears in rows:
        if bears is None or not (bears.strip or step.act in ("on", "plug")):
            continue
        gate = _gate(before, after, catalogue, after.device(step.device), bears)
        if gate is None or gate.where in done:
            continue
        done.add(gate.where)
        yield Instruction("mute", gate.device, f"{gate.where}: {gate.shut}"), None
        yield Instruction("open", gate.device, f"{gate.where}: {gate.open}"), None


def _end_words(show: Show, catalogue: Catalogue, reference: str) -> str:
    """Device and socket; where several devices are called alike, with whose it is, or else its id."""
    end = end_of(show, catalogue, reference)
    names = [row.name or catalogue[row.kind].name for row in show.devices]
    name = end.device.name or end.kind.name
    if names.count(name) < 2:
        return end.name
    owners = [
        party.name for party in show.parties if party.id == end.device.party or party.hears_device == end.device.id
    ]
    told = f"{name} of {owners[0]}" if owners else f"{name} ({end.device.id})"
    return end.name.replace(device_name(show, end.device, end.kind.name), told, 1)


@dataclass(frozen=True, slots=True)
class _Gate:
    """Something to shut before and to open after: the device that it is at, and the words."""

    device: str
    where: str
    shut: str
    open: str


def _gate(before: Show, after: Show, catalogue: Catalogue, device: Device, bears: _Bears) -> _Gate | None:
    """What to shut: the bus that it comes on, but never one that others hear meanwhile: there the headphones' knob, the channel,
    or what the lead goes into; None where that can be shut nowhere, or is shut anyway.
    """
    kind = catalogue[device.kind]
    if bears.strip:
        return _channel_gate(before, device, kind, kind.port(bears.strip))
    row = _opener(kind, bears.bus)
    if row is None and bears.target:
        end = end_of(after, catalogue, bears.target)
        return _channel_gate(before, end.device, end.kind, end.port)
    whole = row is not None and any(bus.id == row.id for bus in kind.buses)
    if not (whole and row is not None and _others_hear(before, kind, device, row.id, bears.bus)):
        return _strip_gate(device, kind, row)
    knob = next(
        (knob for knob in kind.controls if knob.moves and all(path.endswith(f">{bears.bus}") for path in knob.moves)),
        None,
    )
    if knob is not None:
        gain = device.settings.get(knob.id, Setting()).gain_db
        level = _signed(knob.default_gain_db if gain is None else gain)
        return _Gate(device.id, f"{device.name or kind.name}, {knob.name}", "down", f"slowly up to {level} dB")
    if bears.source:
        return _strip_gate(device, kind, kind.port(bears.source))
    end = end_of(after, catalogue, bears.target)
    return _strip_gate(end.device, end.kind, end.port)


def _channel_gate(before: Show, device: Device, kind: Kind, port: Port | None) -> _Gate | None:
    """A channel's mute or fader, where the device is heard before the change; else what it feeds is shut anyway."""
    heard = any(cable.source_device == device.id for cable in before.cables)
    return _strip_gate(device, kind, port) if heard else None


def _strip_gate(device: Device, kind: Kind, row: Port | Bus | None) -> _Gate | None:
    """The mute of a channel, output or bus, else its fader; None where it has neither, or is muted."""
    if row is None or row.strip is None:
        return None
    where, setting = f"{device.name or kind.name}, {row.name}", device.settings.get(row.id, Setting())
    if setting.mute:
        return None
    if row.strip.mute:
        return _Gate(device.id, where, "mute", "unmute")
    if not row.strip.fader_db:
        return None
    level = row.strip.fader_default_db if setting.fader_db is None else setting.fader_db
    return _Gate(device.id, where, "fader down", f"fader slowly up to {_signed(level)} dB")


def _others_hear(before: Show, kind: Kind, device: Device, bus: str, socket: str) -> bool:
    """Whether, before the change, leads come from outputs of a bus: from others than this one, or from any where it is the bus itself."""
    outs = {path.target for path in kind.paths if path.source == bus}
    plugged = {PortId.of(cable.source).port for cable in before.cables if cable.source_device == device.id}
    return bool((outs if socket == bus else outs | {socket}) & plugged)


def _opener(kind: Kind, bus: str) -> Port | Bus | None:
    """The output or bus whose fader or mute shuts a mix: its own, else that of the bus which feeds it."""
    feeding = {path.source for path in kind.paths if path.target == bus}
    rows: list[Port | Bus] = [*kind.outputs, *kind.buses]
    own = [row for row in rows if row.id == bus]
    return next(
        (
            row
            for row in (*own, *(row for row in kind.buses if row.id in feeding))
            if row.strip is not None and (row.strip.mute or row.strip.fader_db)
        ),
        None,
    )


def names_of(kind: Kind) -> dict[str, str]:
    """What everything of a kind that can be set is called at the device, by its id."""
    rows = (kind.inputs, kind.outputs, kind.buses, kind.controls, kind.processors)
    return {row.id: row.name for group in rows for row in group}


def setting_name(names: dict[str, str], path: Path | None, key: str) -> str:
    """A strip, crosspoint or control as it is called at the device: `channel 5, send 1`."""
    if path is not None:
        return path.name or f"{names[path.source]}, {names[path.target]}"
    return names.get(key, key)


def _signed(value: float) -> str:
    return "0" if value == 0 else f"{value:+g}".replace("-", "\u2212")


def _pan_words(pan: float) -> str:
    if pan == 0:
        return "centre"
    side = "left" if pan < 0 else "right"
    return f"hard {side}" if abs(pan) == 1 else f"{abs(pan):.0%} {side}"


def from_nothing(show: Show) -> Show:
    """The same rig as it comes out of its boxes: every setting as delivered, no cable between devices plugged."""
    bare = tuple(device.model_copy(update={"settings": {}}) for device in show.devices)
    return show.model_copy(update={"devices": bare, "cables": ()})


def doing_edits(before: Show, edits: Iterable[Edit], catalogue: Catalogue) -> tuple[Edit, ...]:
    """A plan's edits with its steps as tasks of the show, in place of the steps of an older plan that are done.

    Steps of an older plan that nobody has ticked stay: what is not done at the desk is not done.
    """
    changes = tuple(edits)
    steps = steps_between(before, apply_all(before, changes), catalogue)
    gone = tuple(RemoveRow("tasks", row.id) for row in before.tasks if row.id.startswith(PREFIX) and row.done)
    taken = {row.id for row in before.tasks if not (row.id.startswith(PREFIX) and row.done)}
    numbers = (n for n in range(1, 100_000) if f"{PREFIX}{n}" not in taken)
    rows = tuple(
        AddRow("tasks", Task(id=f"{PREFIX}{n}", text=step.text)) for step, n in zip(steps, numbers, strict=False)
    )
    return (*changes, *gone, *rows)


def tick(task: Task) -> SetField:
    """The edit that ticks a task, or takes the tick away."""
    return SetField("tasks", task.id, "done", not task.done)
