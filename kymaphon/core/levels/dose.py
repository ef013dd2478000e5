"""Headphones: how loud they are, how long that may be listened to, and what a day of it adds up to."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.signal import ACOUSTIC, Knob
from kymaphon.core.model.weights import voice_a
from kymaphon.core.units import db_to_power, power_to_db

LIMIT_DBA = 85.0
LIMIT_HOURS = 8.0
EXCHANGE_DB = 3.0
"""NIOSH 98-126 (1998): recommended exposure limit 85 dBA for 8 h, exchange rate 3 dB."""
EU_LOWER_DBA, EU_UPPER_DBA, EU_LIMIT_DBA = 80.0, 85.0, 87.0
"""Directive 2003/10/EC: lower and upper action values, and the limit, for a day of 8 h."""


def allowed_hours(level_dba: float) -> float:
    """How long a day at this level may last: 8 / 2^((L - 85) / 3) hours (NIOSH 98-126). 94 dBA: one hour."""
    return LIMIT_HOURS / 2 ** ((level_dba - LIMIT_DBA) / EXCHANGE_DB)


def dose_percent(level_dba: float, hours: float) -> float:
    """Share of a day's dose, in percent (NIOSH 98-126). Raises ValueError for less than no time."""
    if hours < 0:
        raise ValueError("hours cannot be below zero")
    return 100 * hours / allowed_hours(level_dba)


def daily_exposure_dba(level_dba: float, hours: float) -> float:
    """The same energy spread over eight hours: L + 10 lg(T / 8) (Directive 2003/10/EC, ISO 1999).

    Raises:
        ValueError: no time.
    """
    if hours <= 0:
        raise ValueError("an exposure needs some time")
    return level_dba + 10 * math.log10(hours / LIMIT_HOURS)


@dataclass(frozen=True)
class Listening:
    """One party on its headphones.

    Attributes:
        level: programme at the ear with every wanted voice at its loudest, and its lines.
        hours: how long, and where that comes from.
        knob: what turns it down; None when nothing does.
        loudest: level with that knob fully up.
    """

    party: str
    level: Derived
    hours: Derived
    knob: Knob | None
    loudest: Derived | None

    @property
    def allowed(self) -> Derived:
        value = allowed_hours(self.level.value)
        return Derived(
            "allowed in a day at this level",
            value,
            "h",
            "8 / 2^((L \u2212 85) / 3)",
            (self.level,),
            "NIOSH 98-126 (1998)",
        )

    @property
    def exposure(self) -> Derived:
        value = daily_exposure_dba(self.level.value, self.hours.value)
        return Derived(
            "over eight hours",
            value,
            "dBA",
            "L + 10 lg(T / 8)",
            (self.level, self.hours),
            "Directive 2003/10/EC",
        )

    @property
    def dose(self) -> Derived:
        value = dose_percent(self.level.value, self.hours.value)
        return Derived("day's dose", value, "%", "100 T / allowed", (self.hours, self.allowed), "NIOSH 98-126 (1998)")


def listenings(analysis: Computed) -> tuple[Listening, ...]:
    """Every party that hears on headphones, with what comes of all voices together."""
    out = []
    voices = _voices_dba(analysis)
    for party in analysis.listeners:
        nodes = analysis.graph.ears[party.id]
        ears = [node for node in nodes if analysis.graph.nodes[node].unit == "dB SPL"]
        if not ears or not _on_headphones(analysis, party.id):
            continue
        levels = [_level_at(analysis, row, voices) for row in ears]
        level = max(levels)
        node = ears[levels.index(level)]
        if not math.isfinite(level) or level < number("ear-least"):
            continue
        full = figure("programme-crest")
        term = Derived(
            "all voices that it gets, A-weighted, as powers",
            level,
            "dBA",
            "10 lg \u03a3 10^(L/10)",
            source="solve over all open paths; each voice by its own spectrum",
        )
        shown = Derived(
            "level at the ear",
            level + full.value,
            "dBA",
            "sum of the lines",
            (term, full, figure("headphone-spread")),
            "A-weighted, as NIOSH 98-126 and 2003/10/EC count it",
            True,
        )
        knob = _knob(analysis, node)
        loudest = None
        if knob is not None:
            up = Derived("the knob fully up", knob.highest - knob.value, "dB", source=f"range of {knob.label}")
            loudest = Derived(
                "level with the knob fully up",
                shown.value + up.value,
                "dBA",
                "sum of the lines",
                (shown, up),
                "",
                True,
            )
        out.append(Listening(party.id, shown, _hours(analysis), knob, loudest))
    return tuple(out)


def _on_headphones(analysis: Computed, party_id: str) -> bool:
    device_id = analysis.show.party(party_id).hears_device
    device = next((row for row in analysis.show.devices if row.id == device_id), None)
    return device is not None and analysis.catalogue[device.kind].is_headphones


def _voices_dba(analysis: Computed) -> list[float]:
    """A-weighted power of each voice where it begins, in the order of the flow's columns."""
    rows = ((analysis.graph.mouths[voice][1], analysis.show.party(voice)) for voice in analysis.flow.voices)
    return [db_to_power(level.value + voice_a(party.kind).value) for level, party in rows]


def _level_at(analysis: Computed, node: int, voices: list[float]) -> float:
    """A-weighted level of all voices together at an ear, in dBA.

    Args:
        voices: their powers, as `_voices_dba` has them.
    """
    gains = analysis.flow.power[node].tolist()
    power = sum(gain * voice for gain, voice in zip(gains, voices, strict=True))
    return power_to_db(power) if 0 < power < math.inf else -math.inf


def _knob(analysis: Computed, ear: int) -> Knob | None:
    """The last knob before an ear, going back along the wires: the one for these headphones."""
    graph = analysis.graph
    seen, work = {ear}, [ear]
    while work:
        node = work.pop(0)
        for k in graph.incoming[node]:
            edge = graph.edges[graph.live[k]]
            if edge.kind in ACOUSTIC:
                continue
            for knob in edge.knobs:
                if knob.lowest < knob.highest:
                    return knob
            if edge.source not in seen:
                seen.add(edge.source)
                work.append(edge.source)
    return None


def _hours(analysis: Computed) -> Derived:
    planned = sum(row.length_s or 0.0 for row in analysis.show.rundown) / 3600
    least = number("session-hours")
    if planned > least:
        return Derived("time on headphones", planned, "h", source="the rundown")
    return Derived("time on headphones", least, "h", source="assumed: rigging, line-up and show")
