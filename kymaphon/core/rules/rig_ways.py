"""Rules about where the signal goes: nowhere, late by the computer, out and back for nothing, wireless."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.model.edits import AddRow, Edit, SetCable, SetValue, Unplug, apply_all
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.ids import NodeId, SettingRef
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Device, Party
from kymaphon.core.rules.record import rule
from kymaphon.core.rules.rig_controls import path_keys
from kymaphon.core.wiring.fit import Comes, fit_of, partners
from kymaphon.core.wiring.open_ends import best_input, levels_out, plug_edits
from kymaphon.core.wiring.plugging import free_inputs, plug

SOURCES = ("microphone", "player", "instrument")


@rule("not-plugged", "input-goes-nowhere", stage="Rig", reads=("levels",))
def goes_nowhere(analysis: Computed) -> Iterator[Finding]:
    """Sources plugged into nothing, and inputs whose signal no listener, recorder or line can ever get."""
    ears = [node for nodes in analysis.graph.ears.values() for node in nodes]
    leading = analysis.leading_to(ears)
    show, catalogue = analysis.show, analysis.catalogue
    plugged = {cable.source_socket for cable in show.cables}
    levels = levels_out(analysis)
    for device in show.devices:
        kind = catalogue[device.kind]
        outs = [port for port in kind.outputs if port.domain != "acoustic"]
        if kind.group not in SOURCES or not outs or any(f"{device.id}.{port.id}" in plugged for port in outs):
            continue
        end = End(device, kind, outs[0])
        name = analysis.device_name(device.id)
        text = f"{name} is plugged into nothing: nobody can hear it."
        yield Finding(
            "not-plugged",
            "note",
            "Rig",
            (device.id,),
            f"{name} is not plugged in",
            text,
            (),
            None,
            tuple(_best_plug(analysis, end, levels)),
        )
    if not ears:
        return
    for cable in show.cables:
        target = end_of(show, catalogue, cable.target)
        source = end_of(show, catalogue, cable.source)
        if catalogue[source.device.kind].group not in SOURCES:
            continue
        nodes = [
            analysis.graph.index[name]
            for side in ("", ".l", ".r")
            if (name := f"{target.device.id}.{target.port.id}{side}") in analysis.graph.index
        ]
        if leading & set(nodes):
            continue
        dead, port = _dead_end(analysis, target)
        where = analysis.device_name(dead.device.id)
        what = f"{source.device.name or source.kind.name} into {target.name}"
        text = f"{what} gets as far as {where} and no further: nobody hears it and nothing records it."
        remedies = (
            tuple(_best_plug(analysis, port, levels)) or tuple(_recorded(analysis, port)) if port is not None else ()
        )
        yield Finding(
            "input-goes-nowhere",
            "fix",
            "Rig",
            (source.device.id, target.device.id, *cable.ends),
            f"{target.name} is taken by nothing",
            text,
            (),
            None,
            remedies,
        )


def _best_plug(analysis: Computed, end: End, levels: dict[str, Comes]) -> Iterator[Remedy]:
    """Plugging an output into the best free input."""
    fit = best_input(analysis, end, levels)
    if fit is None:
        return
    edits = plug_edits(analysis.show, analysis, fit)
    extra = f", with {fit.adapter.name}" if fit.adapter is not None else ""
    power = " and phantom on" if len(edits) > 1 else ""
    yield Remedy(
        "plug",
        f"Plug {end.name} into {fit.target.name}",
        f"It is the best free socket{extra}{power}; set its gain at Level.",
        edits,
    )


def _recorded(analysis: Computed, end: End) -> Iterator[Remedy]:
    """Where a computer is as far as it gets, and no program there takes it: one that records it."""
    if not end.kind.is_computer:
        return
    show, catalogue = analysis.show, analysis.catalogue
    device = Device(id=fresh_id(show, "recorder"), kind="recorder", host=end.device.id)
    party = Party(id=fresh_id(show, "recording"), name="Recording", kind="recorder", listens=True, hears_on=device.id)
    rows: tuple[Edit, ...] = (AddRow("devices", device), AddRow("parties", party))
    fits = partners(apply_all(show, rows), catalogue, end, output=True)
    fit = next((row for row in fits if row.target.device.id == device.id and row.works), None)
    if fit is None:
        return
    edits = (*rows, plug(apply_all(show, rows), catalogue, end.ref, fit.target.ref))
    where = analysis.device_name(end.device.id)
    yield Remedy(
        "record",
        f"Record it: a recorder on {where}",
        "It is recorded there, and its level can be set. Where it should go out as well, add what takes it.",
        edits,
    )


def _dead_end(analysis: Computed, start: End) -> tuple[End, End | None]:
    """How far a signal gets, and the last output on the way that nothing is plugged into."""
    show, catalogue = analysis.show, analysis.catalogue
    end, seen = start, set()
    while end.device.id not in seen:
        seen.add(end.device.id)
        outs = _fed_outputs(end)
        onward = [
            cable for cable in show.cables if any(cable.source.startswith(f"{end.device.id}.{name}") for name in outs)
        ]
        free = next(
            (
                End(end.device, end.kind, port)
                for port in end.kind.outputs
                if port.id in outs
                and port.domain != "acoustic"
                and port.level != "headphone"
                and not any(cable.source_socket == f"{end.device.id}.{port.id}" for cable in show.cables)
            ),
            None,
        )
        nexts = [
            end_of(show, catalogue, cable.target)
            for cable in onward
            if not catalogue[show.device(cable.target_device).kind].is_headphones
        ]
        if not nexts:
            return end, free
        end = nexts[0]
    return end, None


def _fed_outputs(end: End) -> list[str]:
    """Ids of the outputs of a device that an input of it leads to, in its order, straight ways first."""
    kind = end.kind
    reached, work = [end.port.id], [end.port.id]
    while work:
        here = work.pop(0)
        for path in kind.paths:
            if path.source == here and path.target not in reached:
                reached.append(path.target)
                work.append(path.target)
    names = {port.id for port in kind.outputs}
    return [name for name in reached if name in names]


@rule("monitor-late", stage="Rig", reads=("feeds",))
def late_by_the_computer(analysis: Computed) -> Iterator[Finding]:
    """Own voice by way of the computer while the interface offers it directly."""
    show, catalogue = analysis.show, analysis.catalogue
    for party in analysis.listeners:
        feed = analysis.feeds.get((party.id, party.id))
        if feed is None or feed.path is None or feed.delay_ms is None:
            continue
        keys = list(path_keys(analysis, feed.path))
        for owner in dict.fromkeys(device for device, _ in keys):
            device = show.device(owner)
            kind = catalogue[device.kind]
            inside = [key for name, key in keys if name == owner]
            if len(inside) < 2 or not any(port.connector == "usb" for port in kind.outputs):
                continue
            direct = next(
                (
                    path
                    for path in kind.paths
                    if path.source == inside[0].partition(">")[0]
                    and path.switch
                    and path.key != inside[0]
                    and "monitor" in path.target
                ),
                None,
            )
            if direct is None:
                continue
            setting = device.settings.get(direct.key)
            on = direct.on if setting is None or setting.on is None else setting.on
            if on:
                continue
            name, who = analysis.device_name(owner), party.name
            text = (
                f"{who} hears their own voice through the computer, {show_number(feed.delay_ms, 'ms')} "
                f"late; {name} can give it direct ({direct.name or direct.key})."
            )
            yield Finding(
                "monitor-late",
                "fix",
                "Rig",
                (party.id, owner),
                f"Monitoring latency: {who} hears themselves by the computer",
                text,
                (Derived("late", feed.delay_ms, "ms"),),
                None,
                (
                    Remedy(
                        "direct",
                        f"Switch on: {name}, {direct.name or direct.key}",
                        "Own voice comes direct; take it out of what the computer plays back, or it comes twice.",
                        (SetValue(SettingRef(owner, direct.key, "on"), True),),
                    ),
                ),
            )


@rule("out-and-back", stage="Rig", reads=("feeds",))
def out_and_back(analysis: Computed) -> Iterator[Finding]:
    """Ways that leave the computer by a converter and come back by the same device's: they only add noise."""
    kinds = [analysis.catalogue[name] for name in {device.kind for device in analysis.show.devices}]
    if not any(
        any(port.domain == "digital" for port in kind.inputs)
        and any(port.domain == "analog" and port.level == "line" for port in kind.outputs)
        for kind in kinds
    ):
        return
    computers = {
        device.id
        for device in analysis.show.devices
        for kind in (analysis.catalogue[device.kind],)
        if kind.is_computer or any(port.connector == "usb" for port in kind.outputs)
    }
    told: set[tuple[str, str]] = set()
    for (listener, voice), feed in analysis.feeds.items():
        if feed.path is None or listener == voice or feed.verdict == "silent":
            continue
        nodes = [analysis.graph.nodes[node] for node in feed.path.nodes]
        for i, node in enumerate(nodes[1:], start=1):
            if not (node.unit == "dBu" and nodes[i - 1].unit == "dBFS" and node.owner == nodes[i - 1].owner):
                continue
            if node.owner not in computers:
                continue
            back = next((j for j in range(i, len(nodes)) if nodes[j].unit == "dBFS"), None)
            if back is None or nodes[back].owner != node.owner or (node.owner, nodes[back].id) in told:
                continue
            if not _by_cable(analysis, feed.path.node_ids[i : back + 1]):
                continue  # mixed inside a desk with a converter: no detour
            told.add((node.owner, nodes[back].id))
            yield _out_and_back(analysis, feed.path, i, back, voice, listener)
            break


def _by_cable(analysis: Computed, ids: tuple[str, ...]) -> bool:
    """Whether a stretch of a way runs through some cable."""
    sockets = {_socket(name) for name in ids}
    return any(_socket(cable.source) in sockets and _socket(cable.target) in sockets for cable in analysis.show.cables)


def _out_and_back(analysis: Computed, path: SignalPath, out: int, back: int, voice: str, listener: str) -> Finding:
    graph = analysis.graph
    ids = path.node_ids
    device = graph.nodes[path.nodes[out]].owner
    between = [
        name for name in dict.fromkeys(graph.nodes[node].owner for node in path.nodes[out:back]) if name != device
    ]
    steps = list(path.steps())
    gain_after = {node: sum(step.gain_db for step in steps[k:back]) for k, node in enumerate(path.nodes[: back + 1])}
    terms = tuple(
        Derived(
            source.level.name.removesuffix(", A-weighted"),
            source.flat_db + gain_after[source.node],
            graph.nodes[path.nodes[back]].unit,
            source=source.level.source,
        )
        for source in graph.noises
        if source.node in path.nodes[out : back + 1]
    )
    noise = 10 * math.log10(sum(10 ** (term.value / 10) for term in terms)) if terms else -300.0
    why = Derived("noise that the detour adds", noise, "dBFS", "10 lg Σ 10^(L/10)", terms, "uncorrelated sum")
    names = " and ".join(analysis.device_name(row) for row in between) or "its own sockets"
    who = analysis.device_name(device)
    text = (
        f"{analysis.party_name(voice)} leaves the computer at {who}, runs through {names} and comes "
        f"back at {who}: two converters and an analogue stretch that add noise at {show_number(noise, 'dBFS')} and nothing else."
    )
    remedies = tuple(_straight(analysis, ids, device, out, back))
    return Finding(
        "out-and-back",
        "fix" if not between else "note",
        "Rig",
        (voice, listener, device, *between),
        f"Out of {who} and back",
        text,
        (Derived("noise added", noise, "dBFS"),) if terms else (),
        why,
        remedies,
    )


def _straight(analysis: Computed, ids: tuple[str, ...], device: str, out: int, back: int) -> Iterator[Remedy]:
    """What feeds the device's playback goes straight into what takes its inputs."""
    show = analysis.show
    before, after = ({_socket(name) for name in names} for names in (ids[:out], ids[back:]))
    feeding = next(
        (cable for cable in show.cables if _socket(cable.target) in before and cable.target_device == device), None
    )
    taking = next(
        (cable for cable in show.cables if _socket(cable.source) in after and cable.source_device == device), None
    )
    if feeding is None or taking is None:
        return
    if feeding.source_device == taking.target_device:
        edits: tuple[Edit, ...] = (Unplug(*taking.ends),)
        yield Remedy(
            "unplug",
            f"Take {analysis.device_name(taking.target.partition('.')[0])} off what comes back",
            "It has the sound already, before the detour.",
            edits,
        )
        return
    source = end_of(show, analysis.catalogue, feeding.source)
    target = end_of(show, analysis.catalogue, taking.target)
    if fit_of(source, target).works:
        fresh = plug(show, analysis.catalogue, feeding.source, taking.target, label=taking.label)
        yield Remedy(
            "straight",
            f"Plug {source.name} straight into {target.name}",
            "It stays in the computer: no converter, no noise.",
            (fresh,),
        )


def _socket(name: str) -> str:
    """`device.port` of a node or of an end of a cable, side and tap left out."""
    return NodeId.of(name).socket


@rule("wireless-music", stage="Rig", reads=("layout", "wiring"))
def wireless_music(analysis: Computed) -> Iterator[Finding]:
    """A player connected without a wire: other level, and late."""
    show, catalogue = analysis.show, analysis.catalogue
    for cable in show.cables:
        source = end_of(show, catalogue, cable.source)
        if source.port.connector != "radio" or source.port.domain != "digital":
            continue
        radio = next((path for path in source.kind.paths if path.target == source.port.id), None)
        wired = next(
            (
                path
                for path in source.kind.paths
                if radio is not None and path.source == radio.source and path.target != radio.target
            ),
            None,
        )
        if radio is None or wired is None:
            continue
        by = _fixed(radio.gain_db) - _fixed(wired.gain_db)
        late = radio.delay_ms - wired.delay_ms
        name = analysis.device_name(source.device.id)
        text = (
            f"{name} is connected without a wire: {abs(by):.1f} dB {'quieter' if by < 0 else 'louder'} "
            f"than by cable and {show_number(late, 'ms')} late. Whenever that changes, line up again."
        )
        why = Derived(
            "wireless against wire",
            by,
            "dB",
            "difference of the two paths",
            (
                Derived("wireless", _fixed(radio.gain_db), "dB", source=f"device data: {source.kind.name}"),
                Derived("by wire", _fixed(wired.gain_db), "dB", source=f"device data: {source.kind.name}"),
            ),
        )
        out = End(source.device, source.kind, source.kind.port(wired.target) or source.port)
        target = end_of(show, catalogue, cable.target)
        fits = [fit_of(out, end) for end in free_inputs(show, catalogue, target.device)]
        best = min(
            (fit for fit in fits if fit.works and fit.target.level in ("line", "headphone", "mic")),
            key=lambda fit: fit.cost,
            default=None,
        )
        remedies: tuple[Remedy, ...] = ()
        if best is not None:
            fresh = plug(show, catalogue, best.source.ref, best.target.ref, length_m=1.5, label=cable.label)
            remedies = (
                Remedy(
                    "wire",
                    f"Use a wire: {best.source.name} into {best.target.name}",
                    "The level no longer depends on the link; line up once more.",
                    (Unplug(*cable.ends), fresh),
                ),
            )
        yield Finding(
            "wireless-music",
            "note",
            "Rig",
            (source.device.id, *cable.ends),
            f"{name} is wireless",
            text,
            (Derived("against wire", by, "dB"), Derived("late", late, "ms")),
            why,
            remedies,
        )


def _fixed(gain: float | tuple[float, float]) -> float:
    return gain if isinstance(gain, int | float) else gain[1]


@rule("headset-adds-microphone", stage="Rig", reads=("layout", "wiring"))
def headset_microphone(analysis: Computed) -> Iterator[Finding]:
    """A headset in a headset socket: its own microphone comes along."""
    show, catalogue = analysis.show, analysis.catalogue
    for cable in show.cables:
        source, target = (end_of(show, catalogue, end) for end in cable.ends)
        mic_in = next((port for port in source.kind.inputs if port.socket and port.socket == source.port.socket), None)
        mic_out = next(
            (port for port in target.kind.outputs if port.socket and port.socket == target.port.socket), None
        )
        if mic_in is None or mic_out is None or cable.adapter is not None:
            continue
        wanted = any(
            row.ends == (f"{target.device.id}.{mic_out.id}", f"{source.device.id}.{mic_in.id}") for row in show.cables
        )
        if wanted:
            continue
        name, where = analysis.device_name(target.device.id), analysis.device_name(source.device.id)
        text = (
            f"{name} is in the headset socket of {where}: its own microphone comes along and takes "
            "the place of the one that was chosen. In a headphone socket it does not."
        )
        edits = (SetCable(*cable.ends, "adapter", "headset-splitter"),)
        remedies = [
            Remedy(
                "ears-only",
                "Use a headset splitter, headphone leg only",
                "The ears work, and the headset's microphone stays out.",
                edits,
            )
        ]
        fresh = plug(show, catalogue, f"{target.device.id}.{mic_out.id}", f"{source.device.id}.{mic_in.id}")
        if not any(row.target == fresh.cable.target for row in show.cables):
            remedies.append(
                Remedy(
                    "use-it", "Its microphone is meant to be used", "It is then part of the rig, and counted.", (fresh,)
                )
            )
        yield Finding(
            "headset-adds-microphone",
            "fix",
            "Rig",
            (target.device.id, source.device.id, *cable.ends),
            f"{name} adds its microphone",
            text,
            (),
            None,
            tuple(remedies),
        )
