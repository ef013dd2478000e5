"""Where cables run, and what power beside them induces.

A mains lead is two conductors with opposite currents; at a distance r, large against their spacing s, its field is
B = mu0 I s / (2 pi r^2) (two-wire line, e.g. Ott, Electromagnetic Compatibility Engineering). It induces 2 pi f B w in
each metre of a loop of width w beside it, times the cosine of the angle between the two, so that nothing is induced
where they cross at right angles. A coil of n turns counts n times; twisting and balance take off what is assumed.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure, number
from kymaphon.core.model.base import Point
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.connectors import balanced
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable, Device, Place, PowerRun, Show

MU0_OVER_2PI = 2e-7
STEP_M = 0.05
MOST_STEPS = 4000
"""Of one straight piece: 200 m at the usual step; longer ones are followed more coarsely."""
SORT_WORDS = {"mains": "mains lead", "dimmed": "dimmed lead", "lamp": "lamp", "coil": "coiled mains lead"}
Points = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Meeting:
    """An audio cable and a power run in one place.

    Attributes:
        nearest_m: between the two at their nearest.
        beside_m: how much of the cable runs within the usual distance, counted by how parallel it is.
        angle_deg: between the two where they are nearest, 90 when they cross at right angles.
        induced_v: volts in the cable.
    """

    cable: Cable
    place: Place
    run: PowerRun
    nearest_m: float
    beside_m: float
    angle_deg: float
    induced_v: float
    is_balanced: bool

    @property
    def level(self) -> Derived:
        """What is induced, in dBu, with its arithmetic."""
        raw = 20 * math.log10(max(self.induced_v, 1e-15) / math.sqrt(0.6))
        formula = "20 lg(U / 0.775 V), U = Σ 2π f µ0 I s w n cos α Δl / (2π r²)"
        amps = Derived(
            f"current, {self.run.current_a:g} A at", self.nearest_m, "m", source="given, and the nearest distance"
        )
        rows = [
            Derived(
                "induced in the bare loop",
                raw,
                "dBu",
                formula,
                (amps, Derived("beside for", self.beside_m, "m"), figure("lead-spacing"), figure("pair-width")),
                "two-wire line (Ott)",
            ),
        ]
        for name in _extras(self.run):
            rows.append(figure(name))
        if self.is_balanced and not self.cable.coiled:
            rows.append(figure("twist"))
        return Derived(
            "hum in this cable", sum(row.value for row in rows), "dBu", "sum of the lines", tuple(rows), "", True
        )


def _extras(run: PowerRun) -> tuple[str, ...]:
    return {"dimmed": ("dimmer-buzz",), "lamp": ("lamp-buzz",)}.get(run.sort, ())


def position_of(show: Show, device: Device) -> Point | None:
    """Where a device is: as given, else with its party, that of a headset or handset with who listens on it."""
    if device.at_m is not None:
        return device.at_m
    for party in show.parties:
        mine = device.party == party.id or party.hears_device == device.id
        if mine and party.place == device.place and party.at_m is not None:
            return party.at_m
    return None


def way_of(show: Show, cable: Cable) -> tuple[Place, Points] | None:
    """Place and line of a cable on its plan, shape (K, 2) in metres; None where it cannot be told.

    It runs from device to device by way of `route_m`; a cable between two places is followed in that of its source.
    """
    first, second = (show.device(PortId.of(end).device) for end in cable.ends)
    place = next((row for row in show.places if row.id == first.place), None)
    if place is None:
        return None
    points: list[Point] = list(cable.route_m)
    start, end = position_of(show, first), position_of(show, second)
    if start is not None:
        points.insert(0, start)
    if end is not None and second.place == first.place:
        points.append(end)
    if len(points) < 2:
        return None
    return place, np.array(points, dtype=np.float64)


def length_of(show: Show, cable: Cable) -> Derived | None:
    """How long a cable must be: as stated, else its route on the plan and some slack; None where neither is known."""
    if cable.length_m is not None:
        return Derived("length", cable.length_m, "m", source="given")
    found = way_of(show, cable)
    first, second = (show.device(PortId.of(end).device) for end in cable.ends)
    if found is None or first.place != second.place or None in (position_of(show, first), position_of(show, second)):
        return None
    way = float(np.hypot(*np.diff(found[1], axis=0).T).sum())
    slack = figure("slack")
    return Derived(
        "length",
        way * (1 + slack.value / 100),
        "m",
        f"{way:.2f} m and {slack.value:.0f} %",
        (slack,),
        "its route on the plan",
    )


def _sampled(points: Points) -> tuple[Points, Points, NDArray[np.float64]]:
    """Middles, directions and lengths of short pieces of a line: shapes (P, 2), (P, 2), (P,)."""
    middles, directions, lengths = [], [], []
    for a, b in zip(points[:-1], points[1:], strict=True):
        whole = float(np.hypot(*(b - a)))
        if whole < 1e-9:
            continue
        n = min(max(1, math.ceil(whole / STEP_M)), MOST_STEPS)
        at = (np.arange(n) + 0.5) / n
        middles.append(a + at[:, None] * (b - a))
        directions.append(np.repeat(((b - a) / whole)[None], n, axis=0))
        lengths.append(np.full(n, whole / n))
    if not middles:
        return np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0)
    return np.concatenate(middles), np.concatenate(directions), np.concatenate(lengths)


def _meet(way: Points, run: PowerRun, mains_hz: float) -> tuple[float, float, float, float]:
    """Nearest distance, stretch beside, angle there, volts."""
    middles, directions, lengths = _sampled(way)
    spots = np.array(run.points_m, dtype=np.float64)
    if not len(middles):
        return math.inf, 0.0, 90.0, 0.0
    if len(spots) == 1:
        distance = np.hypot(*(middles - spots[0]).T)
        cosine = np.ones(len(middles))  # a lamp's field has no direction to cross
    else:
        best = np.full(len(middles), np.inf)
        cosine = np.zeros(len(middles))
        for a, b in zip(spots[:-1], spots[1:], strict=True):
            along = b - a
            square = float(along @ along)
            if square < 1e-12:
                continue
            share = np.clip((middles - a) @ along / square, 0, 1)
            gap = np.hypot(*(middles - (a + share[:, None] * along)).T)
            turn = np.abs(directions @ along) / math.sqrt(square)
            cosine = np.where(gap < best, turn, cosine)
            best = np.minimum(best, gap)
        distance = best
    near = np.maximum(distance, number("closest-lead"))
    turns = number("coil-turns") if run.sort == "coil" else 1.0
    field = MU0_OVER_2PI * run.current_a * turns * number("lead-spacing") / near**2
    volts = 2 * math.pi * mains_hz * number("pair-width") * float((field * cosine * lengths).sum())
    close = distance < number("power-distance")
    k = int(distance.argmin())
    angle = math.degrees(math.acos(min(1.0, float(cosine[k]))))
    return float(distance[k]), float((lengths * cosine)[close].sum()), angle, volts


def meetings(show: Show, catalogue: Catalogue, cables: Iterable[Cable] | None = None) -> tuple[Meeting, ...]:
    """Every analogue cable with every power run of its place."""
    out = []
    for cable in show.cables if cables is None else cables:
        first, second = (show.device(PortId.of(end).device) for end in cable.ends)
        port = catalogue[first.kind].port(PortId.of(cable.source).port)
        into = catalogue[second.kind].port(PortId.of(cable.target).port)
        if port is None or into is None or port.domain != "analog":
            continue
        found = way_of(show, cable)
        if found is None:
            continue
        place, way = found
        for run in place.runs:
            nearest, beside, angle, volts = _meet(way, run, show.mains_hz)
            if cable.coiled:
                volts *= number("coil-turns")
            both = balanced(port) and balanced(into)
            out.append(Meeting(cable, place, run, nearest, beside, angle, volts, both))
    return tuple(out)


def detours(place: Place, way: Points, run: PowerRun) -> tuple[tuple[Point, ...], ...]:
    """Other ways for a cable between the same two spots: by either corner, and round either side of the run."""
    start, end = way[0], way[-1]
    keep = number("power-distance") * (1 + number("detour-spare") / 100)
    spots = np.array(run.points_m)
    low, high = spots.min(axis=0) - keep, spots.max(axis=0) + keep
    lines: list[list[tuple[float, float]]] = [
        [],
        [(start[0], end[1])],
        [(end[0], start[1])],
    ]
    for y in (low[1], high[1]):
        lines.append([(start[0], y), (end[0], y)])
    for x in (low[0], high[0]):
        lines.append([(x, start[1]), (x, end[1])])
    for x in (low[0], high[0]):
        for y in (low[1], high[1]):
            lines.append([(start[0], y), (x, y), (x, end[1])])
            lines.append([(x, start[1]), (x, y), (end[0], y)])
    out = []
    for line in lines:
        if all(_inside(place, spot) for spot in line):
            out.append(tuple((round(float(x), 2), round(float(y), 2)) for x, y in line))
    return tuple(dict.fromkeys(out))


def _inside(place: Place, spot: tuple[float, float]) -> bool:
    if place.size_m is None:
        return True
    return 0 <= spot[0] <= place.size_m[0] and 0 <= spot[1] <= place.size_m[1]
