"""Where in the rig a gate can sit for a voice, and what its thresholds read there: conversion from one point to another."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.processing import NAMES, Processing, Sort
from kymaphon.core.model.show import Setting, Take


@dataclass(frozen=True)
class StripPlace:
    """A strip that a voice passes.

    Attributes:
        node: behind its gain, where its chain begins.
        does: what it has, by its kind's data.
        shared: ids of other voices that pass it too.
        gain_db: its gain as it is set; None where it has none.
    """

    ref: SettingRef
    node: str
    name: str
    unit: str
    does: tuple[str, ...]
    shared: tuple[str, ...]
    chain: tuple[Processing, ...]
    gain_db: float | None

    def has(self, sort: Sort) -> bool:
        return sort in self.does


def strips_of(analysis: Computed, voice: str) -> tuple[StripPlace, ...]:
    """The strips that a voice passes on its way to its first end, in order; none where it reaches none.

    Raises:
        KeyError: no such voice.
    """
    ladder = analysis.any_ladder(voice)
    return () if ladder is None else tuple(_strips(analysis, ladder))


def _strips(analysis: Computed, ladder: Ladder) -> list[StripPlace]:
    others = analysis.passing
    out = []
    for rung in ladder.rungs:
        place = strip_at(analysis, rung, others, ladder.voice)
        if place is not None:
            out.append(place)
    return out


def strip_at(analysis: Computed, rung: Rung, others: dict[str, set[str]], voice: str) -> StripPlace | None:
    """The strip whose chain begins at a point; None where none does."""
    if not rung.node.endswith(":pre"):
        return None
    base = rung.node.removesuffix(":pre")
    device_id, key, _ = PortId.of(base)
    device = analysis.show.device(device_id)
    port = analysis.catalogue[device.kind].port(key)
    if port is None or port.strip is None:
        return None
    setting = device.settings.get(key, Setting())
    strip = port.strip
    gain = None
    if strip.gain_db is not None:
        gain = strip.gain_default_db if setting.gain_db is None else setting.gain_db
    shared = tuple(sorted(others.get(rung.node, set()) - {voice}))
    return StripPlace(
        SettingRef(device_id, key, "chain"),
        rung.node,
        f"{analysis.device_name(device_id)}, {port.name}",
        rung.unit,
        strip.does,
        shared,
        setting.chain or (),
        gain,
    )


def best_strip(strips: tuple[StripPlace, ...], sort: Sort) -> StripPlace | None:
    """Where a processor is best put: in a strip of the voice's own that has it, else in any own one, else anywhere."""
    if not strips:
        return None
    ranked = sorted(strips, key=lambda row: (bool(row.shared) and sort != "limiter", not row.has(sort)))
    return ranked[0]


def take_rung(analysis: Computed, voice: str, at: str | None) -> Rung | None:
    """The point where a take of a voice was made; without one, the first digital point of its way."""
    ladder = analysis.any_ladder(voice)
    if ladder is None:
        return None
    if at is not None:
        return next((rung for rung in ladder.rungs if rung.node == at), None)
    return next((rung for rung in ladder.rungs if rung.unit == "dBFS"), None)


def step_between(analysis: Computed, voice: str, at: str | None, strip: StripPlace) -> Derived:
    """How much higher levels are at a strip than where the take was made, in dB.

    Raises:
        ValueError: the voice does not pass both points.
    """
    here = take_rung(analysis, voice, at)
    ladder = analysis.any_ladder(voice)
    there = None if ladder is None else next((rung for rung in ladder.rungs if rung.node == strip.node), None)
    if here is None or there is None:
        name = analysis.party_name(voice)
        raise ValueError(
            f"{name} does not pass both {at or 'a digital point'} and {strip.name}: thresholds cannot be carried over"
        )
    return Derived(
        f"from the take to {strip.name}",
        there.speech_db - here.speech_db,
        "dB",
        terms=(
            Derived(
                f"speech at {there.label}",
                there.speech_db,
                there.unit,
                source="the ladder, as the rig stands",
            ),
            Derived(
                f"less speech at {here.label}, where the take was made",
                -here.speech_db,
                "dB",
                source="the same",
            ),
        ),
        adds=True,
    )


def gain_since(analysis: Computed, take: Take) -> float | None:
    """How far the gain before a take's point was turned since it was made, in dB; None where that is not known."""
    if take.voice is None or take.path_gain_db is None:
        return None
    rung = take_rung(analysis, take.voice, take.at)
    ladder = analysis.any_ladder(take.voice)
    if rung is None or ladder is None:
        return None
    sound = next((row for row in ladder.rungs[1:] if row.unit == "dB SPL"), None)
    return None if sound is None else rung.speech_db - sound.speech_db - take.path_gain_db


def missing_words(place: StripPlace, sort: Sort) -> str:
    """That a strip has no such processor, and what to do; empty where it has."""
    if place.has(sort):
        return ""
    return f"By its kind's data {place.name} has no {NAMES[sort]}: insert one there, or set it further on."
