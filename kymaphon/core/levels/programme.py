"""The programme summed: what the meters of desk and software show with all wanted sources at once, and what the practice says to it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, in_sentence
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Rung
from kymaphon.core.graph.points import base_of
from kymaphon.core.levels.lineup.expected import figure_on
from kymaphon.core.model.scales import house_at, reading, scales
from kymaphon.core.model.wants import wants_of
from kymaphon.core.model.weights import crest_together
from kymaphon.core.units import db_to_power, power_to_db
from kymaphon.core.words import counted

SHOWN = ("desk", "interface", "software", "recorder", "encoder")
"""Groups of devices whose meters an operator watches."""


@dataclass(frozen=True, slots=True)
class Summed:
    """All wanted sources at one meter.

    Attributes:
        level: average of all of them together, in the unit of the point; powers add.
        shows: what the meter of that device shows of it.
        peak_db: the highest sample in one half minute of two (`crest_together`); `ceiling_db` where the point clips.
        mark: (low, high) of the practice there; None where it says nothing.
    """

    point: Rung
    device: str
    voices: tuple[str, ...]
    level: Derived
    shows: Derived
    meter: str
    peak_db: float
    ceiling_db: float | None
    mark: tuple[float, float] | None

    @property
    def clips(self) -> bool:
        return self.ceiling_db is not None and self.peak_db > self.ceiling_db

    def words(self) -> str:
        """What the operator sees, and what the practice says to it."""
        unit = scales()[self.meter].unit
        where = self.point.label.removeprefix(self.device + ", ").removesuffix(", left").removesuffix(", right")
        text = (
            f"{scales()[self.meter].name} of {self.device}, {where}: {counted(len(self.voices), 'source')} at "
            f"once read about {figure_on(self.shows.value, unit)}"
        )
        if self.clips:
            text += "; their peaks clip there"
        return f"{text}; {self._against()}." if self.mark is not None else f"{text}."

    def _against(self) -> str:
        """The practice's word on the sum: a mark of the programme is held against it, one of each source is not."""
        assert self.mark is not None
        low, high = self.mark
        practice = self.point.wanted.practice if self.point.wanted is not None else None
        name = in_sentence(practice.name) if practice is not None else "the practice"
        over, under = self.level.value - high, low - self.level.value
        if practice is not None and practice.programme:
            if over > number("meter-shows"):
                return f"{name} wants {over:.1f} dB less of the programme: take it off at the fader of the mix, or leave each source so much lower"
            return (
                f"{name} wants {under:.1f} dB more of the programme"
                if under > number("meter-shows")
                else f"as {name} wants the programme"
            )
        alone = power_to_db(len(self.voices))
        return f"{name} speaks of one source by itself; {len(self.voices)} alike at once read {alone:.1f} dB more"

    def to_json(self) -> dict[str, Any]:
        return {
            "point": self.point.node,
            "device": self.device,
            "voices": list(self.voices),
            "level": round(self.level.value, 3),
            "unit": self.point.unit,
            "shows": round(self.shows.value, 3),
            "meter": self.meter,
            "peak": round(self.peak_db, 3),
            "clips": self.clips,
        }


def programme(analysis: Computed) -> tuple[Summed, ...]:
    """For each end of the programme, the last point of every metered device on its way that two or more wanted sources pass; kept
    with the analysis.
    """
    return analysis.once(_programme)


def _programme(analysis: Computed) -> tuple[Summed, ...]:
    return tuple(_rows(analysis))


def summed_at(analysis: Computed, node: str) -> Summed | None:
    """All sources at once at a point of the rig, either side of it; None where no meter is watched there or one source comes."""
    return next((row for row in programme(analysis) if base_of(row.point.node) == base_of(node)), None)


def _rows(analysis: Computed) -> Iterator[Summed]:
    wants = wants_of(analysis.show)
    told: set[str] = set()
    for end in analysis.ends:
        ladders = {
            voice: ladder
            for (voice, target), ladder in analysis.ladders.items()
            if target == end.id and wants[end.id, voice].want == "hear"
        }
        points: dict[str, dict[str, Rung]] = {}
        order: dict[str, str] = {}
        for voice, ladder in ladders.items():
            last: dict[str, Rung] = {}
            for rung in ladder.rungs:
                last[rung.owner] = rung
            for device, rung in last.items():
                base = rung.node.removesuffix(".l").removesuffix(".r")
                points.setdefault(base, {})[voice] = rung
                order[base] = device
        for base, rungs in points.items():
            kind = next((analysis.catalogue[row.kind] for row in analysis.show.devices if row.id == order[base]), None)
            if len(rungs) < 2 or kind is None or kind.group not in SHOWN or base in told:
                continue
            told.add(base)
            owners = [order[base]]
            yield _summed(analysis, base, rungs, kind.meter, owners)


def _summed(analysis: Computed, base: str, rungs: dict[str, Rung], meter: str | None, owners: list[str]) -> Summed:
    first = next(iter(rungs.values()))
    terms = tuple(
        Derived(analysis.party_name(voice), rung.speech_db, rung.unit, source="its ladder")
        for voice, rung in rungs.items()
    )
    whole = power_to_db(sum(db_to_power(row.value) for row in terms))
    level = Derived("all at once", whole, first.unit, "10 lg Σ 10^(L/10)", terms, "uncorrelated sum")
    scale = meter or ("desk-peak" if first.unit == "dBu" else "dbfs")
    peaks = scales()[scale].average_lead_db is None or scale == "desk-peak"
    shows = reading(scale, whole, first.unit, house_at(analysis.show, analysis.catalogue, owners), peaks=peaks)
    peak = whole + crest_together(len(rungs))[0].value
    return Summed(
        first,
        analysis.device_name(owners[0]),
        tuple(rungs),
        level,
        shows,
        scale,
        peak,
        first.ceiling_db if first.ceiling_here else None,
        first.mark,
    )
