"""Hum in the audio cables of a show: how far it lies under the voice in each, and which run too near to power."""

from __future__ import annotations

from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.derive import Derived, less
from kymaphon.core.figures import figure, number
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Cable
from kymaphon.core.wiring.routes import Meeting, meetings


def signal_in(analysis: Computed, cable: Cable) -> Derived:
    """The level in a cable: of the loudest voice, else that of its class."""
    source = end_of(analysis.show, analysis.catalogue, cable.source)
    base = f"{source.device.id}.{source.port.id}"
    sides = (source.side,) if source.side else ("", "l", "r")
    nodes = [base + (f".{side}" if side else "") for side in sides]
    levels = [analysis.flow.level(node) for node in nodes if node in analysis.graph.index]
    known = [level for level in levels if level is not None]
    if known:
        return Derived("voice in this cable", max(known), "dBu", source="computed")
    name = "mic-output" if source.level in ("mic", "instrument", "any") else "line-professional"
    return figure(name)


def under_voice(analysis: Computed, cable: Cable, hum: Derived) -> Derived:
    """How far hum lies under the voice in a cable."""
    voice = signal_in(analysis, cable)
    return Derived(
        "hum under the voice", voice.value - hum.value, "dB", "sum of the lines", (voice, less(hum)), "", True
    )


def is_risk(meeting: Meeting, under_db: float) -> bool:
    """Whether a cable is too near to power for its length, or takes up hum that is heard."""
    beside = meeting.beside_m > number("beside-length") and meeting.nearest_m < number("power-distance")
    return beside or under_db < number("hum-under")


@reading("layout", "wiring")
def _meetings(analysis: Computed) -> tuple[Meeting, ...]:
    return meetings(analysis.show, analysis.catalogue)


def ranked_meetings(analysis: Computed) -> list[tuple[Meeting, Derived]]:
    """Every audio cable with every power run of its place, with its hum under the voice: the worst first."""
    rows = [(row, under_voice(analysis, row.cable, row.level)) for row in analysis.once(_meetings)]
    return sorted(rows, key=lambda row: row[1].value)


def cable_name(analysis: Computed, cable: Cable) -> str:
    """A cable in words: its label, else its two ends."""
    source = end_of(analysis.show, analysis.catalogue, cable.source).device.id
    target = end_of(analysis.show, analysis.catalogue, cable.target).device.id
    names = f"{analysis.device_name(source)} to {analysis.device_name(target)}"
    return f"Cable {cable.label} ({names})" if cable.label else f"The cable {names}"
