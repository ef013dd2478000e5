"""Rules about left and right: a voice on one side alone, and half of a stereo record that gets nowhere."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import islice

from kymaphon.core.computing.build import build_graph
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.figures import number
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import own_way
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.edits import Edit, SetValue, Unplug, apply_all
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.show import Cable, Setting, Show
from kymaphon.core.rules.record import rule
from kymaphon.core.rules.rig_controls import path_keys
from kymaphon.core.wiring.plugging import free_inputs, plug


@rule("one-sided", stage="Rig", reads=("feeds",))
def one_sided(analysis: Computed) -> Iterator[Finding]:
    """A voice that reaches a stereo end on one side alone."""
    limit = number("one-side")
    told: set[str] = set()
    for end in analysis.listeners:
        ears = analysis.graph.ears[end.id]
        if end.kind not in ("audience", "recorder") or len(ears) != 2:
            continue
        sides: dict[str, tuple[float, float]] = {}
        for voice in analysis.voices:
            feed = analysis.feeds[end.id, voice.id]
            if feed.verdict in ("silent", "missing") or feed.path is None or feed.howling:
                continue
            levels = _sides(analysis, voice.id, ears)
            if levels is not None:
                sides[voice.id] = levels
        lone = {name: row for name, row in sides.items() if abs(row[0] - row[1]) >= limit}
        fresh = {name: left - right for name, (left, right) in lone.items() if name not in told}
        told |= set(fresh)
        if end.kind == "recorder" and len({row[0] > row[1] for row in lone.values()}) == 2:
            if fresh:
                yield _split(analysis, end.id, fresh)
            continue
        for name, gap in fresh.items():
            yield _one_sided(analysis, end.id, name, gap)


def _sides(analysis: Computed, voice: str, ears: tuple[int, ...]) -> tuple[float, float] | None:
    """What a voice has on the left and on the right, dB: by its own microphone, as what bleeds into others' is no side of it; None
    where it has no figure.
    """
    mics = analysis.microphones.get(analysis.graph.mouths[voice][0], ())
    if mics:
        ways = [own_way(analysis.transfer, mics, node) for node in ears]
        gains = [way.gain_db if way is not None else -300.0 for way in ways]
        return (gains[0], gains[1]) if max(gains) > -300.0 else None
    column = analysis.flow.voices.index(voice)
    left, right = (float(analysis.flow.power[node, column]) for node in ears)
    if not (math.isfinite(left) and math.isfinite(right)) or max(left, right) <= 0:
        return None
    return _db(left), _db(right)


def _db(power: float) -> float:
    return 10 * math.log10(power) if power > 1e-30 else -300.0


def _split(analysis: Computed, end: str, gaps: dict[str, float]) -> Finding:
    """A recording split between left and right, as one matter."""
    sides = ", ".join(
        f"{analysis.party_name(name)} on the {'left' if gap > 0 else 'right'}" for name, gap in gaps.items()
    )
    text = (
        f"{analysis.party_name(end)} has {sides}, and nothing of them on the other side: as a split "
        "recording that may be meant; in mono or with one ear half of it is lost."
    )
    figures = tuple(
        Derived(f"between sides, {analysis.party_name(name)}", min(abs(gap), 99.0), "dB") for name, gap in gaps.items()
    )
    return Finding(
        "one-sided",
        "note",
        "Rig",
        (*gaps, end),
        f"{analysis.party_name(end)} is split left and right",
        text,
        figures,
    )


def _one_sided(analysis: Computed, end: str, voice: str, gap: float) -> Finding:
    path = analysis.feeds[end, voice].path
    who, where = analysis.party_name(voice), analysis.party_name(end)
    side = "left" if gap > 0 else "right"
    by = min(abs(gap), 99.0)
    text = f"{who} reaches {where} only on the {side} ({by:.0f} dB more than on the other side): "
    text += "whoever listens with one ear, or in mono on a phone, loses them or half their level."
    tried = (
        (row for row in _to_the_middle(analysis, path) if _in_the_middle(analysis, row.edits, end, voice))
        if path is not None
        else ()
    )
    remedies = tuple(islice(tried, 1))
    return Finding(
        "one-sided",
        "fix",
        "Rig",
        (voice, end),
        f"{who} is on one side",
        text,
        (Derived("between sides", by, "dB"),),
        None,
        remedies,
    )


@rule("half-lost", stage="Rig", reads=("levels",))
def half_lost(analysis: Computed) -> Iterator[Finding]:
    """A stereo record or instrument of which one side gets to an end and the other gets nowhere: one side plugged, or a mono line
    that takes one side of a mix.
    """
    graph, transfer = analysis.graph, analysis.transfer
    ends = [row for row in analysis.listeners if row.kind in ("audience", "recorder")]
    for voice in analysis.voices:
        played = voice.plays_on or ""
        sides = [graph.index.get(f"{played}{side}") for side in (".l", ".r")]
        if voice.kind not in ("player", "instrument") or sides[0] is None or sides[1] is None:
            continue
        starts = [node for node in sides if node is not None]
        for end in ends:
            # The two sides on two tracks of one recorder are both kept.
            same = [row for row in ends if row.kind == "recorder" and row.hears_device == end.hears_device] or [end]
            ears = [ear for row in same for ear in graph.ears[row.id]]
            reached = [max(transfer.best_gain_to(ear)[start] for ear in ears) > -math.inf for start in starts]
            if reached[0] == reached[1]:
                continue
            kept, lost = ("left", "right") if reached[0] else ("right", "left")
            text = (
                f"Only the {kept} side of {voice.name} gets to {end.name}: all that is on its {lost} "
                "is missing there. Plug both sides, or take a sum "
                "of both where the line is mono; never one side of a stereo mix."
            )
            remedies = tuple(_other_side_plugged(analysis, played, kept[0], lost[0]))
            alone = (
                voice.kind == "instrument"
                and kept == "left"
                and not any(row.source in (played, f"{played}.r") for row in analysis.show.cables)
            )
            if alone:
                text += " Most instruments give both sides on their left socket where only that is plugged (L/MONO): look whether this one does."
            yield Finding(
                "half-lost",
                "note" if alone else "fix",
                "Rig",
                (voice.id, end.id),
                f"The {lost} side of {voice.name} is lost",
                text,
                (),
                None,
                remedies,
            )
            break


def _other_side_plugged(analysis: Computed, output: str, kept: str, lost: str) -> Iterator[Remedy]:
    """The missing side into the next free input beside the one that is plugged, set as that one is; or, where it is plugged, panned
    the same way.
    """
    show, catalogue = analysis.show, analysis.catalogue
    there = next((row for row in show.cables if row.source == f"{output}.{kept}"), None)
    astray = next((row for row in show.cables if row.source == f"{output}.{lost}"), None)
    if there is None or any(row.source == output for row in show.cables):
        return
    target = end_of(show, catalogue, there.target)
    setting = target.device.settings.get(target.port.id, Setting())
    if astray is not None:
        other = end_of(show, catalogue, astray.target)
        if other.port.strip is not None and other.port.strip.pan:
            edit = SetValue(SettingRef(other.device.id, other.port.id, "pan"), setting.pan or 0.0)
            yield Remedy(
                "pan-along",
                f"Pan {other.name} as {target.name}",
                "Both sides then go the same way, as a sum.",
                (edit,),
            )
        return
    free = [
        row
        for row in free_inputs(show, catalogue, target.device)
        if not row.port.stereo and row.port.domain == target.port.domain
    ]
    free.sort(key=lambda row: row.port.level != target.port.level)
    for other in free[:1]:
        same = tuple(
            SetValue(SettingRef(target.device.id, other.port.id, field), value)
            for field, value in setting
            if value is not None and field in ("gain_db", "fader_db")
        )
        edits: tuple[Edit, ...] = (
            plug(show, catalogue, f"{output}.{lost}", other.ref, length_m=there.length_m),
            *same,
        )
        on = _carried_on(show, catalogue, target, other)
        names = " and ".join(f"{out.name} into {into.name}" for out, into in on)
        edits += tuple(plug(show, catalogue, out.ref, into.ref) for out, into in on)
        yield Remedy(
            "other-side",
            f"Plug its other side into {other.name}{f', {names}' if names else ''}",
            "Both sides are there; pan them left and right where the mix is stereo.",
            edits,
        )


def _carried_on(show: Show, catalogue: Catalogue, beside: End, fresh: End) -> list[tuple[End, End]]:
    """How a freshly plugged input of a device goes on as the one beside it does: its own output into a free input where that one's is."""
    kind = beside.kind
    gives = {path.source: path.target for path in kind.paths if kind.port(path.target) in kind.outputs}
    mine, its = gives.get(beside.port.id), gives.get(fresh.port.id)
    if (
        mine is None
        or its is None
        or mine == its
        or any(row.source == f"{fresh.device.id}.{its}" for row in show.cables)
    ):
        return []
    lead = next((row for row in show.cables if row.source == f"{beside.device.id}.{mine}"), None)
    if lead is None:
        return []
    into = end_of(show, catalogue, lead.target)
    free = [
        row
        for row in free_inputs(show, catalogue, into.device)
        if row.port.stereo == into.port.stereo and row.port.connector == into.port.connector
    ]
    return [(end_of(show, catalogue, f"{fresh.device.id}.{its}"), free[0])] if free else []


def _in_the_middle(analysis: Computed, edits: tuple[Edit, ...], end: str, voice: str) -> bool:
    """Whether with some edits a voice is heard, and on both sides."""
    graph = build_graph(apply_all(analysis.show, edits), analysis.catalogue)
    power = Transfer(graph).power_from([graph.mouths[voice][0]])[list(graph.ears[end]), 0]
    left, right = (_db(float(row)) for row in power)
    return max(left, right) > -300 and abs(left - right) < number("one-side")


def _to_the_middle(analysis: Computed, path: SignalPath) -> Iterator[Remedy]:
    """What could bring a voice onto both sides, the nearest at hand first; whether it does is for trying."""
    show, catalogue = analysis.show, analysis.catalogue
    devices = {device.id: device for device in show.devices}
    for owner, key in path_keys(analysis, path):
        strip_id = key.partition(">")[0]
        device = devices[owner]
        port = catalogue[device.kind].port(strip_id)
        setting = device.settings.get(strip_id)
        if (
            port is not None
            and port.strip is not None
            and port.strip.pan
            and setting is not None
            and setting.pan
            and abs(setting.pan) > number("panned")
        ):
            ref = SettingRef(owner, strip_id, "pan")
            name = f"{analysis.device_name(owner)}, {port.name}"
            yield Remedy(
                "centre",
                f"Pan to the centre: {name}",
                "The voice is on both sides alike, 3 dB down on each.",
                (SetValue(ref, 0.0),),
            )
    for cable in _cables_of(analysis, path):
        source, target = (end_of(show, catalogue, end) for end in cable.ends)
        if not (source.port.stereo and target.port.stereo and source.port.domain == "digital") or source.side:
            continue
        free = [end for end in free_inputs(show, catalogue, target.device) if not end.port.stereo]
        lone = _side_used(analysis, path, source)
        if free and lone:
            first = f"{source.ref}.{lone}"
            edits: list[Edit] = [plug(show, catalogue, first, free[0].ref)]
            other = next((end for end in free[1:]), None)
            if other is not None and _other_side_live(analysis, source, lone):
                edits.append(plug(show, catalogue, f"{source.ref}.{'r' if lone == 'l' else 'l'}", other.ref))
            edits.append(Unplug(*cable.ends))
            yield Remedy(
                "mono",
                f"Take its {'left' if lone == 'l' else 'right'} side into {free[0].name}",
                "A mono channel goes to both sides.",
                tuple(edits),
            )
        mono = next((f"{target.ref}.{one}" for one in ("l", "r")), None)
        if lone and mono is not None:
            edits = [
                Unplug(*cable.ends),
                plug(show, catalogue, f"{source.ref}.{lone}", target.ref),
            ]
            yield Remedy(
                "both",
                f"Only its {'left' if lone == 'l' else 'right'} side into both of {target.name}",
                "The voice is on both sides alike; the other side is no longer taken.",
                tuple(edits),
            )


def _cables_of(analysis: Computed, path: SignalPath) -> Iterator[Cable]:
    nodes = set(path.node_ids)
    for cable in analysis.show.cables:
        bases = [PortId.of(end).socket for end in cable.ends]
        if all(any(node == base or node.startswith(f"{base}.") for node in nodes) for base in bases):
            yield cable


def _side_used(analysis: Computed, path: SignalPath, end: End) -> str:
    names = set(path.node_ids)
    base = f"{end.device.id}.{end.port.id}"
    return "l" if f"{base}.l" in names else "r" if f"{base}.r" in names else ""


def _other_side_live(analysis: Computed, end: End, lone: str) -> bool:
    other = f"{end.device.id}.{end.port.id}.{'r' if lone == 'l' else 'l'}"
    return analysis.flow.level(other) is not None
