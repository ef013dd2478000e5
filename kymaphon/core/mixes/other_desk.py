"""Another kind in a desk's place: its leads in the sockets that are like those they come from, its channels set as they were."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from kymaphon.core.model.catalogue import Catalogue, Kind, Port
from kymaphon.core.model.edits import Edit, Plug, SetField, Unplug
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable, Device, Setting, Show
from kymaphon.core.wiring.plugging import plug

_IN = ("mic", "line", "instrument")


@dataclass(frozen=True)
class Exchange:
    """A device of another kind, as edits.

    Attributes:
        moved: leads that go into a socket of another name.
    """

    edits: tuple[Edit, ...]
    moved: int


def exchange(show: Show, catalogue: Catalogue, device: Device, kind: Kind) -> Exchange | None:
    """A device exchanged for one of another kind; None where it has no socket for some lead.

    A socket of the same name, sort and width is taken first, then the first free one of the same sort and width; two sides of a
    stereo input may go into two channels, panned apart. What a channel has set goes along as far as the new one has it.
    """
    own = catalogue[device.kind]
    mine = [row for row in show.cables if device.id in (_owner(row.source), _owner(row.target))]
    if any(_owner(row.source) == _owner(row.target) for row in mine):
        return None
    into = [row for row in mine if _owner(row.target) == device.id]
    out_of = [row for row in mine if _owner(row.source) == device.id]
    ins = _matched(_used(show, catalogue, into, source=False), own.inputs, kind.inputs)
    outs = _matched(_used(show, catalogue, out_of, source=True), own.outputs, kind.outputs)
    listened = {
        port
        for party in show.parties
        for ref in (party.hears_on, party.plays_on)
        if ref is not None and _owner(ref) == device.id and (port := ref[len(device.id) + 1 :])
    }
    known = {port.id for port in (*kind.inputs, *kind.outputs)}
    if ins is None or outs is None or not listened <= known:
        return None
    after = show.model_copy(
        update={
            "devices": tuple(
                row.with_(kind=kind.id, settings={}) if row.id == device.id else row for row in show.devices
            )
        }
    )
    edits: list[Edit] = [
        SetField("devices", device.id, "settings", _settings(device, own, kind, ins)),
        SetField("devices", device.id, "kind", kind.id),
    ]
    moved = 0
    for cable in mine:
        fresh = list(_leads(after, catalogue, device, cable, ins, outs))
        if [row.ends for row in fresh] == [cable.ends]:
            continue
        moved += 1
        edits += [Unplug(*cable.ends), *(Plug(row) for row in fresh)]
    return Exchange(tuple(edits), moved)


def _owner(reference: str) -> str:
    return PortId.of(reference).device


def _port(reference: str) -> str:
    return PortId.of(reference).port


def _matched(
    used: dict[str, bool], have: tuple[Port, ...], there: tuple[Port, ...]
) -> dict[str, tuple[str, ...]] | None:
    """Used socket -> the socket, or two, that take its leads; None where one finds none.

    Args:
        used: socket -> whether both sides of it are in use.
    """
    wanted = [port for port in have if port.id in used]
    free = {port.id: port for port in there if port.domain != "acoustic"}
    out: dict[str, tuple[str, ...]] = {}
    for port in wanted:
        same = free.get(port.id)
        if same is not None and _alike(port, same) and same.stereo == port.stereo:
            out[port.id] = (same.id,)
            del free[same.id]
    for port in wanted:
        if port.id in out:
            continue
        like = [row for row in free.values() if _alike(port, row)]
        # A channel made for that level before one that can be made to.
        like = [row for row in like if row.level == port.level] + [row for row in like if row.level != port.level]
        wide = [row for row in like if row.stereo]
        narrow = [row for row in like if not row.stereo]
        panned = [row for row in narrow if row.strip is not None and row.strip.pan]
        if not used[port.id] and narrow:
            out[port.id] = (narrow[0].id,)
        elif port.stereo and wide:
            out[port.id] = (wide[0].id,)
        elif port.stereo and len(panned) > 1:
            out[port.id] = (panned[0].id, panned[1].id)
        else:
            return None
        for name in out[port.id]:
            del free[name]
    return out


def _used(show: Show, catalogue: Catalogue, rows: list[Cable], *, source: bool) -> dict[str, bool]:
    """Sockets of one side that leads are in -> whether both sides of them are in use."""
    out: dict[str, bool] = {}
    for cable in rows:
        ref = cable.source if source else cable.target
        port = catalogue[show.device(_owner(ref)).kind].port(_port(ref))
        giver = catalogue[show.device(_owner(cable.source)).kind].port(_port(cable.source))
        sided = bool(PortId.of(ref).side)
        whole = giver is not None and giver.stereo and not PortId.of(cable.source).side
        both = port is not None and port.stereo and (sided or whole)
        out[_port(ref)] = both or out.get(_port(ref), False)
    return out


def _alike(old: Port, new: Port) -> bool:
    """Whether a socket takes what the other took: a channel for a microphone takes a line, the other way round it does not."""
    if old.domain != new.domain:
        return False
    same = old.level == new.level or "any" in (old.level, new.level)
    channel = new.strip is not None and new.strip.gain_db is not None
    return same or (channel and new.level == "mic" and old.level in _IN)


def _leads(
    after: Show,
    catalogue: Catalogue,
    device: Device,
    cable: Cable,
    ins: dict[str, tuple[str, ...]],
    outs: dict[str, tuple[str, ...]],
) -> Iterable[Cable]:
    """A lead in its new sockets; two where a stereo input became two channels."""
    source, target = cable.source, cable.target
    if _owner(source) == device.id:
        _, name, side = PortId.of(source)
        source = ".".join(filter(None, (device.id, outs[name][0], side)))
    if _owner(target) != device.id:
        yield _lead(after, catalogue, cable, source, target)
        return
    _, name, side = PortId.of(target)
    there = ins[name]
    if len(there) == 1:
        yield _lead(after, catalogue, cable, source, ".".join(filter(None, (device.id, there[0], side))))
        return
    giver = catalogue[after.device(_owner(source)).kind].port(_port(source))
    both = not side and giver is not None and giver.stereo and not PortId.of(source).side
    for n, letter in enumerate("lr"):
        if both:
            yield _lead(after, catalogue, cable, f"{source}.{letter}", f"{device.id}.{there[n]}")
        elif letter == (side or "l"):
            yield _lead(after, catalogue, cable, source, f"{device.id}.{there[n]}")


def _lead(after: Show, catalogue: Catalogue, cable: Cable, source: str, target: str) -> Cable:
    if (source, target) == cable.ends:
        return cable
    return plug(after, catalogue, source, target, length_m=cable.length_m, label=cable.label).cable


def _settings(device: Device, own: Kind, kind: Kind, ins: dict[str, tuple[str, ...]]) -> dict[str, Setting]:
    """What of a device's settings the new kind has as well, at the sockets where its leads now are."""
    out: dict[str, Setting] = {}
    same = {row.id for rows in (kind.outputs, kind.buses, kind.controls, kind.processors) for row in rows} | {"buffer"}
    for key, setting in device.settings.items():
        name, _, bus = key.partition(">")
        if name not in {port.id for port in own.inputs}:
            if key in same or kind.path(key) is not None:
                out[key] = setting
            continue
        for fresh in ins.get(name, ()):
            path = kind.path(f"{fresh}>{bus}") if bus else None
            if path is not None:
                level = setting.gain_db if isinstance(path.gain_db, tuple) else None
                tap = setting.tap if setting.tap in path.tap else None
                out[path.key] = Setting(on=setting.on if path.switch else None, gain_db=level, tap=tap)
            elif not bus and (port := kind.port(fresh)) is not None:
                out[fresh] = _strip_setting(setting, port)
    for pair in (row for row in ins.values() if len(row) == 2):
        for name, pan in zip(pair, (-1.0, 1.0), strict=True):
            out[name] = out.get(name, Setting()).with_(pan=pan)
    return out


def _strip_setting(setting: Setting, port: Port) -> Setting:
    strip = port.strip
    if strip is None:
        return Setting()
    return Setting(
        gain_db=_within(setting.gain_db, strip.gain_db),
        pad=setting.pad if strip.pad_db else None,
        phantom=setting.phantom if strip.phantom else None,
        hi_z=setting.hi_z if strip.hi_z_ohm else None,
        fader_db=_within(setting.fader_db, strip.fader_db),
        mute=setting.mute if strip.mute else None,
        pan=setting.pan if strip.pan else None,
        chain=setting.chain,
    )


def _within(value: float | None, there: tuple[float, float] | None) -> float | None:
    return None if value is None or there is None else min(max(value, there[0]), there[1])
