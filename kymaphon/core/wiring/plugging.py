"""Edits that plug: a cable with the adapter that it takes, something put into a cable, a cable moved elsewhere."""

from __future__ import annotations

from collections.abc import Sequence

from kymaphon.core.indexed import Indexed
from kymaphon.core.model.catalogue import Catalogue, Kind, Port
from kymaphon.core.model.edits import AddRow, Edit, Plug, RemoveRow, SetField, SetValue, Unplug
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Cable, Device, Show
from kymaphon.core.wiring.fit import Comes, Fit, fit_of

SAFETY_LEAD = "Y lead for the safety copy"
"""The label of a lead that feeds two inputs on purpose."""


def plug(
    show: Show,
    catalogue: Catalogue,
    source: str,
    target: str,
    *,
    length_m: float | None = None,
    label: str = "",
) -> Plug:
    """The cable between two ends, with the adapter that it takes. Raises KeyError for an end that is not there."""
    into = end_of(show, catalogue, target)
    fit = fit_of(end_of(show, catalogue, source), into)
    adapter = fit.adapter.id if fit.adapter is not None else None
    cable = Cable(source=source, target=target, length_m=length_m, label=label, adapter=adapter)
    return Plug(cable, into.port.mixes)


def moved(show: Show, catalogue: Catalogue, cable: Cable, target: str) -> tuple[Edit, ...]:
    """A cable's far end in another socket, its adapter looked for anew; the settings of the channel go along."""
    fresh = plug(show, catalogue, cable.source, target, length_m=cable.length_m, label=cable.label)
    route = fresh.cable.with_(route_m=cable.route_m, coiled=cable.coiled)
    return (Unplug(*cable.ends), Plug(route, fresh.beside))


def from_elsewhere(show: Show, catalogue: Catalogue, cable: Cable, source: str) -> tuple[Edit, ...]:
    """A cable's near end in another socket."""
    fresh = plug(show, catalogue, source, cable.target, length_m=cable.length_m, label=cable.label)
    return (Unplug(*cable.ends), fresh)


def inserted(
    show: Show,
    catalogue: Catalogue,
    cables: Sequence[Cable],
    kind_id: str,
    name: str,
    *,
    into: str | None = None,
) -> tuple[Edit, ...]:
    """A new device of a kind put into one cable, or into two that are the sides of a pair.

    The near end keeps the cable with its length; what comes after is a short lead, to another socket where `into` is
    given.

    Raises:
        KeyError: no such kind.
        ValueError: the kind has no sockets to go through, or none for two.
    """
    kind = catalogue[kind_id]
    way_in = next((port for port in kind.inputs if port.domain == "analog"), None)
    way_out = next((port for port in kind.outputs if port.domain == "analog"), None)
    if way_in is None or way_out is None or (len(cables) == 2 and not (way_in.stereo and way_out.stereo)):
        raise ValueError(f"{kind.name} cannot stand between")
    owner = show.device(cables[0].target_device)
    device = Device.model_validate(
        {
            "id": fresh_id(show, kind_id),
            "kind": kind_id,
            "name": name,
            "place": owner.place,
        }
    )
    grown = show.model_copy(update={"devices": (*show.devices, device)})
    edits: list[Edit] = [AddRow("devices", device)]
    sides = (".l", ".r") if len(cables) == 2 else (_side_for(show, catalogue, cables[0], way_in),)
    for cable, side in zip(cables, sides, strict=True):
        box, out = f"{device.id}.{way_in.id}{side}", f"{device.id}.{way_out.id}{side}"
        edits.append(Unplug(*cable.ends))
        edits.append(plug(grown, catalogue, cable.source, box, length_m=cable.length_m, label=cable.label))
        edits.append(plug(grown, catalogue, out, into or cable.target, length_m=1.0))
    return tuple(edits)


def _side_for(show: Show, catalogue: Catalogue, cable: Cable, way_in: Port) -> str:
    """Which side of a stereo box a single cable goes through: the left one, unless the cable carries both."""
    if not way_in.stereo:
        return ""
    source, target = end_of(show, catalogue, cable.source), end_of(show, catalogue, cable.target)
    whole = source.port.stereo and not source.side and target.port.stereo and not target.side
    return "" if whole else ".l"


_taken: Indexed[set[str]] = Indexed(lambda rows: {row.target_socket for row in rows})
"""Of the cables of a show: the sockets that one is plugged into, whichever side."""


def free_inputs(show: Show, catalogue: Catalogue, device: Device) -> tuple[End, ...]:
    """Sockets of a device that take a plug: nothing is in them, or they mix what comes; in its order."""
    taken = _taken(show.cables)
    kind = catalogue[device.kind]
    return tuple(
        End(device, kind, port)
        for port in kind.inputs
        if port.domain != "acoustic" and (port.mixes or f"{device.id}.{port.id}" not in taken)
    )


def better_input(show: Show, catalogue: Catalogue, cable: Cable, code: str, comes: Comes | None = None) -> Fit | None:
    """A free socket of the same device into which a cable fits without that fault; the best of them, or None."""
    source = end_of(show, catalogue, cable.source)
    target = end_of(show, catalogue, cable.target)
    found = [
        fit_of(source, end, comes=comes)
        for end in free_inputs(show, catalogue, target.device)
        if end.port.stereo == target.port.stereo or end.port.stereo
    ]
    good = [fit for fit in found if fit.works and all(fault.code != code for fault in fit.faults)]
    return min(good, key=lambda fit: fit.cost, default=None)


def settings_along(target: End, into: End) -> tuple[Edit, ...]:
    """What of a channel's settings can go along when its plug is moved to another channel of the same device."""
    from kymaphon.core.model.ids import SettingRef

    out: list[Edit] = []
    before, strip = target.setting, into.port.strip
    if strip is None:
        return ()
    for field, has in (("fader_db", strip.fader_db), ("mute", strip.mute), ("pan", strip.pan)):
        value = getattr(before, field)
        if value is not None and has:
            out.append(SetValue(SettingRef(into.device.id, into.port.id, field), value))
    for path in target.kind.paths:
        if path.source != target.port.id or path.key not in target.device.settings:
            continue
        twin = target.kind.path(f"{into.port.id}>{path.target}")
        setting = target.device.settings[path.key]
        if twin is None:
            continue
        for field in ("on", "gain_db", "tap"):
            value = getattr(setting, field)
            if value is not None and (field != "gain_db" or isinstance(twin.gain_db, tuple)):
                out.append(SetValue(SettingRef(into.device.id, twin.key, field), value))
    return tuple(out)


def taken_out(show: Show, catalogue: Catalogue, device: Device) -> tuple[Edit, ...] | None:
    """A device with one cable in and one out, taken out of the way: the first cable goes where the second went.

    None where it has more or fewer, or is plugged into itself.
    """
    into = [row for row in show.cables if row.target_device == device.id]
    out = [row for row in show.cables if row.source_device == device.id]
    if len(into) != 1 or len(out) != 1 or into == out:
        return None
    fresh = plug(show, catalogue, into[0].source, out[0].target, length_m=into[0].length_m, label=into[0].label)
    return (RemoveRow("devices", device.id), fresh)


def same_sockets(first: Kind, second: Kind) -> bool:
    """Whether one kind can take the other's place with its cables as they are."""
    names = {(port.id, port.stereo, port.domain) for port in (*first.inputs, *first.outputs)}
    return names <= {(port.id, port.stereo, port.domain) for port in (*second.inputs, *second.outputs)}


def powered_by(device: Device, feed: str) -> SetField:
    """The device run from something else."""
    return SetField("devices", device.id, "power", feed)
