"""What the meter at any point should show, so that the mark further on is met as the gains after it stand."""

from __future__ import annotations

from dataclasses import dataclass, replace

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.scales import House, Scale, house_at, level_of, reading, scales, socket_scales
from kymaphon.core.model.wants import asked_at

MINUS = " \u2212 "


@dataclass(frozen=True)
class Expected:
    """What is expected at a point.

    Attributes:
        scale: id of the meter there; `peaks` says that it is read at its peaks.
        wanted_db: active speech level wanted there, in the unit of the point; `tolerance_db` either side is right.
        shows: what the meter then shows; `low` and `high` are the ends of what is right.
        mark: how the wanted level came about.
        device: the device that the meter is on.
    """

    point: Rung
    scale: str
    peaks: bool
    house: House
    wanted_db: float
    tolerance_db: float
    shows: Derived
    low: float
    high: float
    mark: Derived
    device: str

    @property
    def meter(self) -> Scale:
        return scales()[self.scale]

    @property
    def unit(self) -> str:
        return self.meter.unit

    def level(self, shown: float) -> float:
        """The speech level at the point when the meter shows so much."""
        return level_of(self.scale, shown, self.point.unit, self.house, peaks=self.peaks)

    def now(self) -> Derived:
        """What the meter shows as the plan stands."""
        return reading(self.scale, self.point.speech_db, self.point.unit, self.house, peaks=self.peaks)

    def on(self, scale_id: str) -> Expected:
        """The same, read on another sort of meter. Raises KeyError when there is no such."""
        peaks = scales()[scale_id].average_lead_db is None or scale_id == "desk-peak"
        shows, low, high = (
            reading(scale_id, self.wanted_db + sign * self.tolerance_db, self.point.unit, self.house, peaks=peaks)
            for sign in (0, -1, 1)
        )
        return replace(self, scale=scale_id, peaks=peaks, shows=shows, low=low.value, high=high.value)

    def words(self) -> str:
        what = "its peaks" if self.peaks else "the average"
        low, high = figure_on(self.low, self.unit), figure_on(self.high, self.unit)
        return f"{self.meter.name} of {self.device}: {what} should come to {figure_on(self.shows.value, self.unit)}, from {low} to {high}."


def figure_on(value: float, unit: str) -> str:
    """A reading as it is printed on its scale."""
    return show_number(value, unit, sign=unit in ("dB", "VU"))


def expected_at(analysis: Computed, ladder: Ladder, point: Rung) -> Expected | None:
    """What is expected of a voice at a point of its ladder; None where nothing electrical can be read, or
    where its mark can be read nowhere on the way: what stands there now is no wanted level.

    What is no speech is expected where the plan has it: its level is a matter of taste beside the voices.
    """
    if point.unit not in ("dBu", "dBFS"):
        return None
    party = analysis.show.party(ladder.voice)
    kept = party.kind in NO_SPEECH
    if not kept and all(rung.wanted is None for rung in ladder.rungs):
        return None
    said = any(
        (row.listener, row.voice, row.want) == (ladder.target, ladder.voice, "hear") for row in analysis.show.wants
    )
    goal = next((rung for rung in reversed(ladder.rungs) if rung.wanted is not None), None)
    asks = said and goal is not None and (party.kind == "player" or not kept)
    asked = asked_at(analysis.show, ladder, goal) if asks and goal is not None else None
    wanted, tolerance, mark = _wanted(ladder, point, goal, kept=kept, name=party.name, asked_db=asked)
    owners = [rung.owner for rung in ladder.rungs]
    place = next(i for i, rung in enumerate(ladder.rungs) if rung.node == point.node)
    house = house_at(analysis.show, analysis.catalogue, [*owners[place::-1], *owners[place + 1 :]])
    device = next((row for row in analysis.show.devices if row.id == owners[place]), None)
    kind = analysis.catalogue[device.kind] if device is not None else None
    scale = (kind.meter if kind is not None else None) or ("desk-peak" if point.unit == "dBu" else "dbfs")
    peaks = scales()[scale].average_lead_db is None or scale == "desk-peak"
    shows, low, high = (
        reading(scale, wanted + sign * tolerance, point.unit, house, peaks=peaks) for sign in (0, -1, 1)
    )
    name = (device.name or (kind.name if kind else "")) if device is not None else analysis.party_name(owners[place])
    return Expected(point, scale, peaks, house, wanted, tolerance, shows, low.value, high.value, mark, name)


def _wanted(
    ladder: Ladder, point: Rung, goal: Rung | None, *, kept: bool, name: str, asked_db: float | None
) -> tuple[float, float, Derived]:
    """Level wanted at a point, what may be off, and the lines of it.

    Args:
        kept: what is no speech stays where the plan has it, unless somebody asked for it at `asked_db` against the mark.
    """
    under = asked_db
    if goal is None or goal.wanted is None or (kept and under is None):
        mark = Derived(f"{name}, as the plan has it", point.speech_db, point.unit, source="where the plan puts it")
        return point.speech_db, number("level-near"), mark
    later = Derived(
        f"gain from here to {goal.label}", goal.speech_db - point.speech_db, "dB", source="as the rig stands"
    )
    asked = under or 0.0
    wanted = goal.wanted.average + asked - later.value
    formula = f"mark{MINUS}gain" if goal.unit == point.unit else f"mark{MINUS}gain and converter"
    lines: tuple[Derived, ...] = (goal.wanted.line, later)
    if asked:
        formula = f"mark + what was asked for{MINUS}gain"
        lines = (goal.wanted.line, Derived("asked for, against the mark", asked, "dB", source="want"), later)
    mark = Derived("wanted here", wanted, point.unit, formula, lines, goal.wanted.source)
    return wanted, goal.wanted.tolerance_db, mark


def readings_here(expected: Expected) -> Derived:
    """What every sort of meter would show of this voice at the point, each with its lines."""
    terms = []
    for scale in socket_scales().values():
        peaks = scale.average_lead_db is None
        terms.append(reading(scale.id, expected.point.speech_db, expected.point.unit, expected.house, peaks=peaks))
    return Derived(
        "the same on other meters",
        expected.point.speech_db,
        expected.point.unit,
        "each through the alignments of this rig",
        tuple(terms),
        expected.house.how,
    )
