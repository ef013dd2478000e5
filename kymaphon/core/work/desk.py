"""The desk of a show as something to be allotted: what comes to it, its channels and groups, and an allotment as edits."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.catalogue import Kind, Port, Strip
from kymaphon.core.model.edits import Edit, SetField
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable, Device, Setting
from kymaphon.core.work.allotment import Allotment, Channel, DeskPlan, Source, Takes, allot, family_of


def desks_of(analysis: Computed) -> list[Device]:
    """Desks that can be allotted, the one with most channels first."""
    rows = [row for row in analysis.show.devices if analysis.catalogue[row.kind].is_desk]
    return sorted(rows, key=lambda row: -len(_strips(analysis.catalogue[row.kind])))


def _strips(kind: Kind) -> list[Port]:
    """Inputs that are channels: mono sockets with a strip."""
    return [row for row in kind.inputs if row.strip is not None and not row.stereo and row.domain == "analog"]


def plan_of(analysis: Computed, desk: Device) -> DeskPlan:
    """A desk's channels, groups and sides."""
    kind = analysis.catalogue[desk.kind]
    channels = []
    for port in _strips(kind):
        padded = port.strip is not None and port.strip.pad_db is not None
        takes: tuple[Takes, ...] = ("line",) if port.level != "mic" else ("mic", "line") if padded else ("mic",)
        channels.append(Channel(port.id, port.name, takes))
    fed = {path.target for path in kind.paths if path.source in {row.id for row in channels} and path.switch}
    onward = {path.source for path in kind.paths if path.target in {row.id for row in kind.buses}}
    groups = tuple((row.id, row.name) for row in kind.buses if row.id in fed and row.id in onward)
    stereo = any(row.stereo for row in kind.buses if row.id not in {name for name, _ in groups})
    return DeskPlan(desk.id, analysis.device_name(desk.id), tuple(channels), groups, stereo)


def sources_of(analysis: Computed, desk: Device) -> tuple[Source, ...]:
    """What comes to a desk's channels, and voices' microphones that are plugged into nothing yet, in the order of the show.

    A source is called by the voice whose microphone or player is at the other end of its lead, else by the device.
    """
    show = analysis.show
    into = {row.target_socket: row for row in show.cables}
    out: list[Source] = []
    seen: set[str] = set()
    stereo = plan_of(analysis, desk).stereo
    for port in _strips(analysis.catalogue[desk.kind]):
        cable = into.get(f"{desk.id}.{port.id}")
        if cable is None:
            continue
        end = _origin(analysis, cable, into)
        device, socket, side = PortId.of(cable.source)
        found = analysis.catalogue[show.device(device).kind].port(socket)
        name, family = _named(analysis, end)
        takes: Takes = "mic" if found is not None and found.level in ("mic", "instrument") else "line"
        seen.add(end)
        other = next((row for row in out if side == "r" and stereo and row.id == f"{device}.{socket}.l"), None)
        if other is not None:
            pair = replace(other, id=f"{device}.{socket}", name=name, stereo=True, right_at=port.id)
            out[out.index(other)] = pair
            continue
        word = f" {side.upper()}" if side else ""
        fixed = port.id if f"{desk.id}.{port.id}" in analysis.show.fixed_channels else None
        out.append(Source(cable.source, f"{name}{word}", family, takes, False, fixed, port.id))
    for device_ in show.devices:
        kind = analysis.catalogue[device_.kind]
        used = any(row.source_device == device_.id for row in show.cables)
        if device_.party is None or used or device_.id in seen or not kind.is_microphone or not kind.outputs:
            continue
        name, family = _named(analysis, device_.id)
        if analysis.show.party(device_.party).kind != "crew":
            out.append(Source(f"{device_.id}.{kind.outputs[0].id}", name, family, "mic"))
    return tuple(out)


def _origin(analysis: Computed, cable: Cable, into: dict[str, Cable]) -> str:
    """The device at the far end of a lead: through boosters, boxes and splitters back to what has a party, or to the first."""
    device, out, _ = PortId.of(cable.source)
    for _ in range(16):
        row = analysis.show.device(device)
        if row.party is not None or any(party.plays_device == device for party in analysis.show.parties):
            return device
        kind = analysis.catalogue[row.kind]
        feeding = {path.source for path in kind.paths if path.target == out}
        back = [into[f"{device}.{name}"] for name in feeding if f"{device}.{name}" in into]
        if len(feeding) != 1 or not back or kind.is_call:
            return device
        device, out, _ = PortId.of(back[0].source)
    return device


def _named(analysis: Computed, device_id: str) -> tuple[str, str]:
    show = analysis.show
    device = show.device(device_id)
    party = next((row for row in show.parties if row.id == device.party or row.plays_device == device_id), None)
    if party is None or party.kind == "crew":
        kind = analysis.catalogue[device.kind]
        return analysis.device_name(device_id), "returns" if kind.is_call else "other"
    several = sum(row.party == party.id and analysis.catalogue[row.kind].is_microphone for row in show.devices) > 1
    return (analysis.device_name(device_id) if several else party.name), family_of(party.kind)


def allot_show(analysis: Computed, desk: Device | None = None, *, spares: int | None = None) -> Allotment | None:
    """The desk of a show allotted; None where it has none.

    Args:
        desk: the largest where it is not said.
    """
    rows = desks_of(analysis)
    chosen = desk or (rows[0] if rows else None)
    if chosen is None:
        return None
    return allot(sources_of(analysis, chosen), plan_of(analysis, chosen), spares=spares)


def allot_edits(analysis: Computed, found: Allotment) -> tuple[Edit, ...]:
    """An allotment as edits: leads go to their new channels, and what was set of a channel goes along with its source; groups as allotted.

    Raises:
        ValueError: something is mixed before the desk, or left out: its mixer has to be there, or it has to go, first.
    """
    if found.submixes or found.left:
        names = [name for row in found.submixes for name in row.sources] + list(found.left)
        by_name = {row.id: row.name for row in found.sources}
        raise ValueError(f"{', '.join(by_name[name] for name in names)} cannot be plugged into the desk as it is")
    show = analysis.show
    desk = show.device(found.desk.id)
    by_id = {row.id: row for row in found.sources}
    moves: dict[str, str] = {}
    cables = list(show.cables)
    groups: dict[str, str] = {}
    for strip in found.strips:
        if not strip.sources:
            continue
        source = by_id[strip.sources[0]]
        groups[strip.channel] = strip.group
        if strip.note == "right side":
            if source.right_at is not None:
                moves[source.right_at] = strip.channel
            continue
        target = f"{desk.id}.{strip.channel}"
        if source.at is None:
            cables.append(Cable(source=source.id, target=target))
        else:
            moves[source.at] = strip.channel
    moved = tuple(_moved(row, desk.id, moves) for row in cables)
    kept = tuple(row for n, row in enumerate(moved) if all(row.target != other.target for other in moved[n + 1 :]))
    settings = dict(_settings(analysis, desk, found, moves, groups))
    return (SetField("", None, "cables", kept), SetField("devices", desk.id, "settings", settings))


def _moved(cable: Cable, desk: str, moves: dict[str, str]) -> Cable:
    device, port, _ = PortId.of(cable.target)
    if device != desk or port not in moves:
        return cable
    return cable.with_(target=f"{desk}.{moves[port]}")


def _settings(
    analysis: Computed, desk: Device, found: Allotment, moves: dict[str, str], groups: dict[str, str]
) -> Iterator[tuple[str, Setting]]:
    """A desk's settings with its channels changed over. A channel that loses its source and gets none stands as delivered."""
    kind = analysis.catalogue[desk.kind]
    channels = {row.id for row in found.desk.channels}
    busses = {name for name, _ in found.desk.groups}
    for key, setting in desk.settings.items():
        channel, arrow, bus = key.partition(">")
        if channel not in channels:
            yield key, setting
        elif channel in moves and bus not in busses:
            strip = next(row for row in kind.inputs if row.id == moves[channel]).strip
            yield f"{moves[channel]}{arrow}{bus}", _fitting(setting, strip) if not arrow else setting
    for channel, group in groups.items():
        for bus in busses:
            if kind.path(f"{channel}>{bus}") is not None:
                yield f"{channel}>{bus}", Setting(on=bus == group)


def _fitting(setting: Setting, strip: Strip | None) -> Setting:
    """A channel's setting on another channel: its gain brought into that one's range, and no more than that one has."""
    if strip is None:
        return Setting()
    gain = setting.gain_db
    if gain is not None:
        gain = min(max(gain, strip.gain_db[0]), strip.gain_db[1]) if strip.gain_db is not None else None
    return setting.with_(
        gain_db=gain,
        phantom=setting.phantom if strip.phantom else None,
        pad=setting.pad if strip.pad_db is not None else None,
    )
