"""Mix-minus by software: the calls, microphones and players of one computer brought together in a software mixer, and planned there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kymaphon.core.graph.routing import is_for_far_end
from kymaphon.core.mixes.alone import Outlet, outlets
from kymaphon.core.mixes.mixer import mixer_of, mixers_of, mixes
from kymaphon.core.mixes.planner import FeedPlan, plan_feeds
from kymaphon.core.model.catalogue import Catalogue, Kind, Port
from kymaphon.core.model.edits import AddRow, Edit, Plug, SetValue, Unplug, apply_all
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Cable, Device, Show
from kymaphon.core.wiring.plugging import free_inputs


@dataclass(frozen=True)
class InComputer:
    """A software mixer in the middle of a computer, wired and planned.

    Attributes:
        device: the mixer.
        fresh: whether it is new in the show.
        sources: names of the devices that go into it.
        edits: the mixer, its wiring and the plan, to be applied together.
    """

    device: Device
    fresh: bool
    host: Device
    sources: tuple[str, ...]
    edits: tuple[Edit, ...]


def in_computer(show: Show, catalogue: Catalogue, plan: FeedPlan) -> InComputer | None:
    """A software mixer on which nothing is missing: one that is there, else one put in; None where none does it.

    Everything inside the computer that leads from one thing to another is taken apart and led through the mixer; tracks of a
    recorder stay as they are. Nothing outside the computer is touched.

    Args:
        show: with the wants of the plan in it.
    """
    for host in _hosts(show, catalogue, plan):
        here = [
            row
            for row in show.devices
            if row.host == host.id and catalogue[row.kind].is_mixing_software and mixes(catalogue[row.kind])
        ]
        kinds = sorted(
            (kind for kind in catalogue if kind.is_mixing_software and mixes(kind)),
            key=lambda kind: (len(kind.outputs), len(kind.inputs)),
        )
        new = [
            Device(id=fresh_id(show, kind.id), kind=kind.id, name=_fresh_name(show, kind), host=host.id)
            for kind in kinds
        ]
        for device in (*here, *new):
            found = _with_mixer(show, catalogue, plan, host, device, fresh=device in new)
            if found is not None:
                return found
    return None


def _hosts(show: Show, catalogue: Catalogue, plan: FeedPlan) -> Iterator[Device]:
    """Computers in which somebody is short of a mix, a voice of an input, or a listener of a voice."""
    short = [target for row in plan.missing for target in row.need.targets]
    short += [row.end.ref for row in plan.unrouted_sources if row.into is None]
    for_a_mix = [row for row in plan.unmet if row.verdict != "late" and not is_for_far_end(row)]
    short += [show.party(row.listener).hears_on or "" for row in for_a_mix]
    owners = dict.fromkeys(_host_of(show, name) for ref in short if (name := PortId.of(ref).device))
    yield from (show.device(host) for host in owners if host is not None)


def _host_of(show: Show, name: str) -> str | None:
    """The computer that a device hangs or runs on; of headphones and the like that of the device that feeds them."""
    seen: set[str] = set()
    while name not in seen:
        seen.add(name)
        host = show.device(name).host
        if host is not None:
            return host
        name = next(
            (row.source_device for row in show.cables if row.target_device == name),
            name,
        )
    return None


def _fresh_name(show: Show, kind: Kind) -> str:
    """What a new device is called: its kind in short, with a number where there is one of that name."""
    short = kind.name.partition(",")[0]
    taken = {row.name for row in show.devices}
    return next(name for n in range(1, len(taken) + 3) if (name := f"{short} {n}" if n > 1 else short) not in taken)


def _with_mixer(
    show: Show, catalogue: Catalogue, plan: FeedPlan, host: Device, device: Device, *, fresh: bool
) -> InComputer | None:
    kind = catalogue[device.kind]
    edits: list[Edit] = [AddRow("devices", device)] if fresh else []
    others = {row.id: row for row in show.devices if row.host == host.id and row.id != device.id}
    edits += [Unplug(*cable.ends) for cable in _inside(show, catalogue, host, others)]
    bare = apply_all(show, tuple(edits))
    sources = _into_mixer(bare, catalogue, plan, device, kind, others, fresh=fresh)
    if sources is None:
        return None
    wired, names = sources
    edits += [*wired, *_to_ears(apply_all(bare, wired), catalogue, device, kind, others)]
    done = plan_feeds(apply_all(show, tuple(edits)), catalogue)
    harmed = [row for row in done.unmet if row.verdict != "late" and not is_for_far_end(row)]
    if not done.made or harmed or done.howls or not (*edits, *done.edits):
        return None  # nothing would be better, or all of it stands already
    return InComputer(device, fresh, host, names, (*edits, *done.edits))


def _inside(show: Show, catalogue: Catalogue, host: Device, others: dict[str, Device]) -> Iterator[Cable]:
    """What leads from one thing to another inside the computer, and from inputs of the computer that nothing comes into; tracks of a
    recorder apart.
    """
    for cable in show.cables:
        source, target = (end_of(show, catalogue, ref) for ref in cable.ends)
        idle = source.device.id == host.id and _is_idle(show, source)
        if (
            not (source.device.id in others or idle)
            or target.device.id not in others
            or target.port.domain != "digital"
        ):
            continue
        if target.port.connector == "network":
            continue
        if target.kind.is_recorder and sum(row.domain == "digital" for row in target.kind.inputs) > 1:
            continue
        yield cable


def _is_idle(show: Show, source: End) -> bool:
    """Whether nothing is plugged into whatever an output gives on, and nobody plays into it."""
    feeding = {f"{source.device.id}.{path.source}" for path in source.kind.paths if path.target == source.port.id}
    plugged = {cable.target_socket for cable in show.cables}
    played = {party.plays_on for party in show.parties}
    return feeding.isdisjoint(plugged | played)


def _into_mixer(
    show: Show,
    catalogue: Catalogue,
    plan: FeedPlan,
    device: Device,
    kind: Kind,
    others: dict[str, Device],
    *,
    fresh: bool,
) -> tuple[tuple[Edit, ...], tuple[str, ...]] | None:
    """The plugs that bring every voice of the computer into the mixer, and what they bring; None where its inputs do not reach."""
    there: set[str] = set()
    if not fresh:
        there = {voice for row in mixer_of(catalogue, plan.before.graph, device).voices.values() for voice in row}
    chosen = list(_fewest_together(plan, others, there))
    free = list(free_inputs(show, catalogue, device))
    edits: list[Edit] = []
    names: list[str] = []
    for pair in chosen:
        wide = len(pair) == 1 and pair[0].port.stereo
        for n, outlet in enumerate(pair):
            into = next((row for row in free if row.port.stereo == wide), None)
            if into is None:
                return None
            free.remove(into)
            source = f"{outlet.device.id}.{outlet.port.id}"
            edits.append(Plug(Cable(source=source, target=into.ref), into.port.mixes))
            names.append(outlet.device.name or catalogue[outlet.device.kind].name)
            if len(pair) == 2 and into.port.strip is not None and into.port.strip.pan:
                edits.append(SetValue(SettingRef(device.id, into.port.id, "pan"), (-1.0, 1.0)[n]))
    return tuple(edits), tuple(dict.fromkeys(names))


def _fewest_together(plan: FeedPlan, others: dict[str, Device], there: set[str]) -> Iterator[tuple[Outlet, ...]]:
    """Outputs inside the computer that bring every voice once, each with as few others as can be; two sides of a pair together."""
    rows: dict[str, Outlet] = {}
    for row in outlets(plan.before):
        if row.device.id in others and row.port.domain == "digital" and row.port.connector != "network":
            known = rows.get(f"{row.device.id}.{row.port.id}")
            if known is None or len(row.voices) > len(known.voices):
                rows[f"{row.device.id}.{row.port.id}"] = row
    left = {voice for row in rows.values() for voice in row.voices} - there
    order = sorted(rows.values(), key=lambda row: len(row.voices))
    while left:
        best = next((row for row in order if row.voices and left.issuperset(row.voices)), None)
        if best is None:
            return
        twin = next((row for row in order if row is not best and _is_twin(best, row)), None)
        left -= set(best.voices)
        yield (best,) if twin is None else tuple(sorted((best, twin), key=lambda row: row.port.id))


def _is_twin(one: Outlet, other: Outlet) -> bool:
    """Whether two mono outputs of a device carry the same people: the sides of a programme."""
    mono: tuple[Port, Port] = (one.port, other.port)
    return (
        one.device.id == other.device.id
        and not any(port.stereo for port in mono)
        and set(one.voices) == set(other.voices)
    )


def _to_ears(show: Show, catalogue: Catalogue, device: Device, kind: Kind, others: dict[str, Device]) -> Iterator[Edit]:
    """The mixer's monitor back to what people listen on at this computer; the plan puts another mix there where it has to."""
    giver = [port for port in kind.outputs if port.stereo and port.domain == "digital"]
    if not giver:
        return
    mixing = {row.id for row in mixers_of(show, catalogue)}
    for other in others.values():
        if other.id not in mixing:
            continue
        kind_there = catalogue[other.kind]
        listened = any(port.level == "headphone" or port.ear for port in kind_there.outputs)
        back = next((end for end in free_inputs(show, catalogue, other) if _is_playback(end)), None)
        if listened and back is not None:
            yield Plug(Cable(source=f"{device.id}.{giver[-1].id}", target=back.ref), back.port.mixes)


def _is_playback(end: End) -> bool:
    return end.port.domain == "digital" and end.port.stereo and end.port.connector == "usb"
