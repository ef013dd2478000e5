"""A recording with the host left and everyone else right: whether it is one, and the pans that would make it one."""

from __future__ import annotations

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.mixes.alone import Outlet
from kymaphon.core.model.edits import Edit, SetValue
from kymaphon.core.model.ids import NodeId, SettingRef
from kymaphon.core.model.show import Device

HOSTS = ("presenter",)
"""Sorts of party that are put on the left."""


def split_of(analysis: Computed, device: Device | None, mix: tuple[Outlet, ...]) -> tuple[list[str], list[Edit]]:
    """Whether the host is left only and everyone else right only; if not, what stands in the way, and the pans that would do it where
    nobody else hears this mix.
    """
    if len(mix) < 2:
        return ["A split takes two sides, and what is recorded has one."], []
    hosts = {party.id for party in analysis.voices if party.kind in HOSTS}
    if not hosts:
        return ["Nobody is the presenter, so there is nobody to put on the left."], []
    left, right = mix
    wrong = [
        name
        for name in dict.fromkeys((*left.voices, *right.voices))
        if not _on_one_side(*((left, right) if name in hosts else (right, left)), name)
    ]
    if not wrong:
        return [], []
    everyone = len(wrong) == len(analysis.voices)
    names = "Everyone" if everyone else ", ".join(analysis.party_name(name) for name in wrong)
    verb = "is" if everyone or len(wrong) == 1 else "are"
    out = [f"{names} {verb} not on one side: the host belongs hard left, the others hard right."]
    refs = {row.ref for row in mix}
    shared = [
        analysis.party_name(feed.listener)
        for feed in analysis.feeds.values()
        if feed.path is not None
        and analysis.show.party(feed.listener).kind == "audience"
        and refs & set(feed.path.node_ids)
    ]
    if shared:
        ends = list(dict.fromkeys(shared))
        out.append(
            f"{', '.join(ends)} {'hears' if len(ends) == 1 else 'hear'} the same mix: panned for the "
            "recorder, it would have the host on one side too. Record from a mix of its own."
        )
        return out, []
    pans, stuck = _pans(analysis, device, hosts)
    if stuck:
        who = ", ".join(analysis.party_name(name) for name in stuck)
        out.append(f"{who} cannot be panned by themselves: no channel on the way is theirs alone and has a pan.")
    return out, list(pans)


def _on_one_side(on: Outlet, off: Outlet, voice: str) -> bool:
    """Whether a voice is on one side and not, or hardly, on the other."""
    if voice not in on.voices:
        return False
    return voice not in off.voices or on.voices[voice] - off.voices[voice] >= number("one-side")


def _pans(analysis: Computed, device: Device | None, hosts: set[str]) -> tuple[list[SetValue], list[str]]:
    """Pans that put hosts left and everyone else right, at the last channel on each voice's way to the recorder that can be panned; and
    voices that have none, or share one with somebody of the other side.
    """
    listener = next(
        (party.id for party in analysis.listeners if device is not None and party.hears_device == device.id), None
    )
    sides: dict[tuple[str, str], set[float]] = {}
    of: dict[str, tuple[str, str]] = {}
    stuck = []
    for voice in analysis.voices:
        feed = analysis.feeds.get((listener, voice.id)) if listener is not None else None
        if feed is None or feed.path is None:
            continue
        spot = None
        for node in feed.path.node_ids:
            owner, port_id, *_ = NodeId.of(node)
            kind = next((analysis.catalogue[row.kind] for row in analysis.show.devices if row.id == owner), None)
            port = kind.port(port_id) if kind is not None else None
            if port is not None and port.strip is not None and port.strip.pan and not port.stereo:
                spot = (owner, port_id)
        if spot is None:
            stuck.append(voice.id)
            continue
        of[voice.id] = spot
        sides.setdefault(spot, set()).add(-1.0 if voice.id in hosts else 1.0)
    stuck += [name for name, spot in of.items() if len(sides[spot]) > 1]
    pans = [SetValue(SettingRef(*spot, "pan"), row.pop()) for spot, row in sides.items() if len(row) == 1]
    return pans, stuck
