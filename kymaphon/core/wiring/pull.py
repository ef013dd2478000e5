"""The pull list: what to take out of the store for a rig. Cables by kind and length, adapters, stands, batteries, spares."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from kymaphon.core.acoustics.placements import stand_of
from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import data_table, figure
from kymaphon.core.model.connectors import adapters, balanced, connectors, one_hole, physical
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable
from kymaphon.core.wiring.power import feed_of
from kymaphon.core.wiring.routes import length_of

UNKNOWN_LENGTH = "length not known"


@dataclass(frozen=True, slots=True)
class PullRow:
    """One line of the list: what sort of thing, what, how many, of which so many are spares, and for whom."""

    sort: str
    what: str
    count: int
    spares: int
    used_for: str


def stock_length(metres: float) -> float | None:
    """The shortest length in stock that is long enough; None when none is."""
    return next((size for size in data_table("stock")["cable_lengths_m"] if size >= metres - 1e-9), None)


def lead_of(analysis: Computed, cable: Cable) -> str:
    """A cable in words by what is on its ends: `XLR, balanced`, `6.35 mm jack to phono lead`. Empty where nothing of
    metal is plugged.
    """
    source, target = (end_of(analysis.show, analysis.catalogue, end) for end in cable.ends)
    if cable.adapter is not None:
        return adapters()[cable.adapter].name
    if not (physical(source.port) and physical(target.port)):
        return "" if source.port.domain == "digital" else "lead"
    if source.port.domain == "digital":
        return "network cable" if "network" in (source.port.connector, target.port.connector) else ""
    plug = connectors()[_plug(source, target)].name
    if target.level == "headphone":
        return ""  # headphones come with their lead
    both = balanced(source.port) and balanced(target.port)
    form = "stereo" if one_hole(source.port) else "balanced" if both else "unbalanced"
    return f"{plug}, {form}"


def _plug(source: End, target: End) -> str:
    """The connector on a cable between two ends that mate; a combination socket takes what the other is."""
    first, second = source.port.connector or "", target.port.connector or ""
    return second if first == "combo" else first


def pull_list(analysis: Computed) -> tuple[PullRow, ...]:
    """Everything to take along, sort by sort."""
    return (
        *_cables(analysis),
        *_adapters(analysis),
        *_devices(analysis),
        *_stands(analysis),
        *_batteries(analysis),
    )


def _spares(count: int) -> int:
    return max(1, math.ceil(count * figure("spare-share").value / 10))


def _cables(analysis: Computed) -> Iterator[PullRow]:
    lengths: dict[tuple[str, str], list[str]] = {}
    for cable in analysis.show.cables:
        what = lead_of(analysis, cable)
        if not what or _is_small(cable):
            continue
        length = length_of(analysis.show, cable)
        size = None if length is None else stock_length(length.value)
        if length is None:
            words = UNKNOWN_LENGTH
        elif size is None:
            words = f"{length.value:.0f} m, joined"
        else:
            words = f"{size:g} m"
        lengths.setdefault((what, words), []).append(cable.label or _short(analysis, cable))
    for (what, words), names in sorted(lengths.items(), key=lambda row: (row[0][0], _metres(row[0][1]))):
        spares = _spares(len(names))
        yield PullRow("Cables", f"{what}, {words}", len(names) + spares, spares, ", ".join(names))
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        usb = any(port.connector == "usb" for port in (*kind.inputs, *kind.outputs))
        if device.host is not None and usb:
            yield PullRow("Cables", "USB lead", 2, 1, analysis.device_name(device.id))


def _metres(words: str) -> float:
    first = words.split(" ")[0]
    return float(first) if first.replace(".", "", 1).isdigit() else math.inf


def _is_small(cable: Cable) -> bool:
    """Whether the adapter is a piece put on a cable, not a cable of its own."""
    return cable.adapter is not None and bool(adapters()[cable.adapter].form)


def _short(analysis: Computed, cable: Cable) -> str:
    source, target = (PortId.of(end).device for end in cable.ends)
    return f"{analysis.device_name(source)} to {analysis.device_name(target)}"


def _adapters(analysis: Computed) -> Iterator[PullRow]:
    rows: dict[str, list[str]] = {}
    for cable in analysis.show.cables:
        if cable.adapter is not None and _is_small(cable):
            rows.setdefault(adapters()[cable.adapter].name, []).append(cable.label or _short(analysis, cable))
    for what, names in sorted(rows.items()):
        spares = _spares(len(names))
        yield PullRow("Adapters", what, len(names) + spares, spares, ", ".join(names))


def _devices(analysis: Computed) -> Iterator[PullRow]:
    rows: dict[str, list[str]] = {}
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        if kind.group in ("software", "encoder", "recorder", "app", "line", "phone"):
            continue
        rows.setdefault(kind.name, []).append(analysis.device_name(device.id))
    for what, names in rows.items():
        yield PullRow("Devices", what, len(names), 0, ", ".join(names))


def _stands(analysis: Computed) -> Iterator[PullRow]:
    stands: Counter[str] = Counter()
    shields: Counter[str] = Counter()
    names: dict[str, list[str]] = {}
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        if kind.microphone is None:
            continue
        if device.shield != "none":
            words = {"foam": "foam shield", "fur": "fur over a basket"}[device.shield]
            shields[words] += 1
            names.setdefault(words, []).append(analysis.device_name(device.id))
        if kind.microphone.worn is not None or kind.microphone.pattern in ("boundary", "close-talking"):
            continue
        stand = stand_of(analysis.show, kind, device)
        if stand.goes_along:
            continue
        own = stand.own
        far = own is None or own.kind in ("crowd", "effect", "instrument")
        words = "tall stand with boom" if far else "table stand or arm"
        stands[words] += 1
        names.setdefault(words, []).append(analysis.device_name(device.id))
    for what, count in (*stands.items(), *shields.items()):
        yield PullRow("Stands and shields", what, count, 0, ", ".join(names[what]))


def _batteries(analysis: Computed) -> Iterator[PullRow]:
    rows: dict[str, list[tuple[str, float | None]]] = {}
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        if kind.power is None or not kind.power.cells or feed_of(device, kind) != "battery":
            continue
        rows.setdefault(kind.power.cells, []).append((analysis.device_name(device.id), kind.power.cell_hours))
    for cells, users in sorted(rows.items()):
        spares = len(users)  # a whole set for each, to be put in before air
        hours = min((hours for _, hours in users if hours is not None), default=None)
        lasts = f"; a set lasts about {hours:g} h" if hours is not None else ""
        yield PullRow(
            "Batteries", f"set of {cells}", len(users) + spares, spares, ", ".join(name for name, _ in users) + lasts
        )
