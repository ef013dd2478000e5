"""Every knob of the rig that something passes, what it moves, and who hears that: which may be touched on air."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.graph.signal import EdgeKind, Knob, spread
from kymaphon.core.model.catalogue import Control, Kind
from kymaphon.core.model.catalogue.parts import Processor
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.references import SINGLE
from kymaphon.core.model.show import Device, Setting

ON_AIR = ("audience", "recorder", "remote")
"""Sorts of listener that are not in the room: what they hear change is on air."""


@dataclass(frozen=True, slots=True)
class Reach:
    """One control and what it really moves.

    Attributes:
        paths: label of each path, and the names of those who hear what comes through it.
    """

    device: Device
    kind: Kind
    control: Control
    paths: tuple[tuple[str, tuple[str, ...]], ...]

    @property
    def who(self) -> tuple[str, ...]:
        """Everybody whose sound it changes."""
        return tuple(dict.fromkeys(name for _, names in self.paths for name in names))


def path_label(kind: Kind, key: str) -> str:
    """An internal path in words: its name, else its two ends."""
    path = kind.path(key)
    if path is None:
        return key
    names = {row.id: row.name for rows in (kind.inputs, kind.outputs, kind.buses) for row in rows}
    to = names[path.target]
    return path.name or f"{names[path.source]} {to if to.startswith('to ') else f'to {to}'}"


def reaches(analysis: Computed, device: Device) -> tuple[Reach, ...]:
    """What each control of a device moves, and who hears that."""
    kind = analysis.catalogue[device.kind]
    out = []
    for control in kind.controls:
        rows = []
        for key in control.moves:
            path = kind.path(key)
            if path is None:
                continue
            nodes = [
                analysis.graph.index[name]
                for side in ("", ".l", ".r")
                if (name := f"{device.id}.{path.target}{side}") in analysis.graph.index
            ]
            rows.append((path_label(kind, key), tuple(hearers(analysis, nodes))))
        out.append(Reach(device, kind, control, tuple(rows)))
    return tuple(out)


def hearers(analysis: Computed, nodes: list[int]) -> Iterator[str]:
    """Names of the listeners that the rig leads to from some nodes, as it is switched, air left out."""
    seen = spread(analysis.wired_after, nodes)
    for party in analysis.listeners:
        if seen & set(analysis.graph.ears[party.id]):
            yield party.name


@dataclass(frozen=True, slots=True)
class Touch:
    """A knob that something passes, and who hears it turned.

    Attributes:
        who: everybody, in the show's order; `air` those of them who are not in the room.
    """

    ref: SettingRef
    label: str
    now: float
    lowest: float
    highest: float
    who: tuple[str, ...]
    air: tuple[str, ...]

    @property
    def stands(self) -> str:
        now, low = (show_number(value, "dB", sign=True).removesuffix(" dB") for value in (self.now, self.lowest))
        return f"{now} of {low} to {show_number(self.highest, 'dB', sign=True)}"

    def words(self) -> str:
        """Whether it may be touched on air, and who hears it."""
        if self.air:
            return f"on air: {', '.join(self.who)}"
        return f"may be touched: only {', '.join(self.who)}" if self.who else "may be touched: nobody hears it"

    def to_json(self) -> dict[str, Any]:
        return {
            "set": f"{self.ref.device}.settings.{self.ref.key}.{self.ref.field}",
            "label": self.label,
            "now_db": round(self.now, 3),
            "heard_by": list(self.who),
            "on_air": bool(self.air),
        }


def touches(analysis: Computed) -> tuple[Touch, ...]:
    """Every knob that a voice passes by wire, those first that may be touched, each in the order of the rig: gains, faders, sends and
    controls alike (common practice: know which of them may be touched before going on air).
    """
    graph = analysis.graph
    own = [edge.target for edge in graph.edges if edge.kind is EdgeKind.SPEAKS]
    played = [node for node, _ in graph.mouths.values()]
    live = spread(analysis.wired_after, [*own, *played])
    behind: dict[SettingRef, list[int]] = {}
    knobs: dict[SettingRef, Knob] = {}
    for edge in graph.edges:
        for knob in edge.knobs:
            if edge.source in live and knob.highest > knob.lowest and all(row.passes for row in edge.switches):
                knobs.setdefault(knob.ref, knob)
                behind.setdefault(knob.ref, []).append(edge.target)
    air = {party.name for party in analysis.listeners if party.kind in ON_AIR}
    out = []
    for ref, knob in knobs.items():
        who = tuple(hearers(analysis, behind[ref]))
        out.append(
            Touch(
                ref,
                knob.label,
                knob.value,
                knob.lowest,
                knob.highest,
                who,
                tuple(name for name in who if name in air),
            )
        )
    order = {device.id: n for n, device in enumerate(analysis.show.devices)}
    return tuple(sorted(out, key=lambda row: (bool(row.air), order.get(row.ref.device, len(order)))))


def touched_by(analysis: Computed, ref: SettingRef) -> tuple[tuple[str, str], ...]:
    """(listener, voice) of everybody who hears somebody otherwise when a knob is turned: whose strongest way leads through it."""
    out = []
    for (listener, voice), feed in analysis.feeds.items():
        path = feed.path
        if path is not None and any(knob.ref == ref for step in path.steps() for knob in step.knobs):
            out.append((listener, voice))
    return tuple(out)


def touched_words(analysis: Computed, ref: SettingRef) -> str:
    """What a knob moves, in one sentence: whose voice, for whom."""
    pairs = touched_by(analysis, ref)
    if not pairs:
        return "It moves nobody: no voice comes through it to anybody."
    for_whom: dict[tuple[str, ...], list[str]] = {}
    voices: dict[str, list[str]] = {}
    for listener, voice in pairs:
        voices.setdefault(voice, []).append(listener)
    for voice, listeners in voices.items():
        for_whom.setdefault(tuple(listeners), []).append(voice)
    rows = []
    for group, names in for_whom.items():
        whom = [analysis.party_name(row) for row in group]
        rows.append(f"{_list([analysis.party_name(row) for row in names])} for {_list(whom)}")
    return f"It moves {'; '.join(rows)}."


def _list(names: list[str], most: int = 5) -> str:
    if len(names) > most:
        return f"{', '.join(names[:most])} and {len(names) - most} more"
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


def is_on(device: Device, processor: Processor) -> bool:
    """Whether a processor works."""
    given = device.settings.get(processor.id, Setting()).on
    return processor.fixed or (processor.on if given is None else given)


def runs_on(analysis: Computed, device: Device) -> bool:
    """Whether a player goes on into the next piece by itself as it is set."""
    setting = device.settings.get(SINGLE)
    return analysis.catalogue[device.kind].runs_on and not (setting is not None and setting.on)
