"""Where a way turns round, loop by loop what it does, and what a pair's ways sound like together."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.graph.block import Floats
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import IN_STEP_BELOW_DB, Delivery
from kymaphon.core.graph.signal import STRAY, EdgeKind
from kymaphon.core.graph.stability import howls_at
from kymaphon.core.graph.transfer import Transfer

LOWEST_HZ, HIGHEST_HZ = 40.0, 16000.0
POINTS = 4096


@dataclass(frozen=True, slots=True)
class TurningPoint:
    """Where a voice that comes back turns round.

    Attributes:
        device: id of the device in the middle of the way.
        crosspoint: the switch there that it turns by, in words; empty where there is none.
        own_end: at the end of whoever hears themselves.
    """

    device: str
    crosspoint: str
    own_end: bool


def devices_along(analysis: Computed, path: SignalPath) -> list[str]:
    """Ids of the devices along a way, each once in a row."""
    known = {device.id for device in analysis.show.devices}
    out: list[str] = []
    for node in path.nodes:
        owner = analysis.graph.nodes[node].owner
        if owner in known and (not out or out[-1] != owner):
            out.append(owner)
    return out


def turn_of(analysis: Computed, path: SignalPath, party: str) -> TurningPoint | None:
    """Where a way back turns: at what gives it into the air towards a microphone that lies between going out and coming home by the
    same devices, or in the middle of those; else at its last crosspoint.
    """
    along = devices_along(analysis, path)
    if not along:
        return None
    pairs = [(j - i, i, j) for i in range(len(along)) for j in range(i + 1, len(along)) if along[i] == along[j]]
    switched = [step for step in path.steps() if step.switches and step.label]
    if pairs:
        _, i, j = min(pairs)
        aloud = [analysis.graph.nodes[step.source].owner for step in path.steps() if step.kind in STRAY]
        device = next((owner for owner in aloud if owner in along[i : j + 1]), along[(i + j) // 2])
    elif switched:
        device = analysis.graph.nodes[switched[-1].source].owner
    else:
        device = along[len(along) // 2]
    there = [step for step in switched if analysis.graph.nodes[step.source].owner == device]
    home = analysis.show.party(party).place
    own = analysis.show.device(device).party == party or (
        home is not None and analysis.show.device(device).place == home
    )
    return TurningPoint(device, there[-1].label if there else "", own)


@dataclass(frozen=True, slots=True)
class Leg:
    """A device on a way, with the gain and the time from leaving the last device to leaving this one."""

    device: str
    name: str
    gain_db: float
    delay_ms: float


def legs_of(analysis: Computed, path: SignalPath) -> tuple[Leg, ...]:
    """A way device by device; air and cables count to the device that they lead into, what is left at the end to the last."""
    out: list[Leg] = []
    gain = delay = 0.0
    names = {device.id: analysis.device_name(device.id) for device in analysis.show.devices}
    for step in path.steps():
        gain += step.gain_db
        delay += step.delay_ms
        owner = analysis.graph.nodes[step.target].owner
        if owner not in names:
            continue
        if out and out[-1].device == owner:
            out[-1] = Leg(owner, names[owner], out[-1].gain_db + gain, out[-1].delay_ms + delay)
        else:
            out.append(Leg(owner, names[owner], gain, delay))
        gain = delay = 0.0
    if out:
        out[-1] = Leg(out[-1].device, out[-1].name, out[-1].gain_db + gain, out[-1].delay_ms + delay)
    return tuple(out)


@dataclass(frozen=True, slots=True)
class Loop:
    """One loop, and what it does.

    Attributes:
        gain, delay: once round.
        gain_margin_db: below howling; see `Stability` for what howls.
        spacing_hz: between the frequencies at which it rings first; nought without delay.
        peak_db, dip_db: what it does to the sound that goes through, at those and between them.
        cause: in a few words, what sort of loop it is.
    """

    path: SignalPath
    gain: Derived
    delay: Derived
    gain_margin_db: float
    spacing_hz: float
    peak_db: float
    dip_db: float
    devices: tuple[str, ...]
    cause: str

    @property
    def howls(self) -> bool:
        return howls_at(-self.gain_margin_db)

    def in_hand(self) -> str:
        """How far from howling, in words."""
        if self.howls:
            if self.gain_margin_db > 0:
                return f"{show_number(self.gain_margin_db, 'dB')} from howling: gains are known no better"
            return f"{show_number(-self.gain_margin_db, 'dB')} over howling"
        return f"gain margin {show_number(self.gain_margin_db, 'dB')}"

    @property
    def rings(self) -> bool:
        """Nearer to howling than is let pass."""
        return self.gain_margin_db < number("loop-margin")

    def comb(self, count: int = 5) -> tuple[float, ...]:
        """The first frequencies that stand out, Hz."""
        return tuple(self.spacing_hz * k for k in range(1, count + 1)) if self.spacing_hz else ()


def loops_of(analysis: Computed) -> tuple[Loop, ...]:
    """The loops of a rig, strongest first."""
    return tuple(loop_of(analysis, path) for path in one_of_a_pair(analysis.circles.paths))


def one_of_a_pair(paths: Iterable[SignalPath]) -> tuple[SignalPath, ...]:
    """Loops with the two sides of a stereo way taken as one: of those that go through the same points but for left and right,
    or through neighbouring sockets with the same gain and time, the first, which is the strongest.
    """
    kept: dict[frozenset[str], list[tuple[frozenset[str], SignalPath]]] = {}
    for path in paths:
        sides = frozenset(_SIDE.sub("", name) for name in path.node_ids)
        rows = kept.setdefault(frozenset(_NUMBER.sub("", name) for name in sides), [])
        if not any(sides == other or _alike(path, row) for other, row in rows):
            rows.append((sides, path))
    return tuple(sorted((path for rows in kept.values() for _, path in rows), key=lambda path: -path.gain_db))


def _alike(path: SignalPath, other: SignalPath) -> bool:
    return abs(path.gain_db - other.gain_db) < 0.01 and abs(path.delay_ms - other.delay_ms) < 0.01


_SIDE = re.compile(r"\.[lr](?=$|:)")
_NUMBER = re.compile(r"(?<=[a-z-])\d+(?=$|:)")
"""Of a socket's id, as `in2` beside `in1`."""


def loop_of(analysis: Computed, path: SignalPath) -> Loop:
    """What one loop does: each round adds the gain, so through it goes 1 / (1 \u2213 g) at the comb's peaks and dips."""
    g = 10 ** (path.gain_db / 20)
    peak = -20 * math.log10(1 - g) if g < 1 else math.inf
    return Loop(
        path,
        total("gain once round", "dB", path.gain_parts(), source="gains add round the loop"),
        total("time once round", "ms", path.delay_parts(), source="delays add along the way"),
        -path.gain_db,
        1000 / path.delay_ms if path.delay_ms > 0 else 0.0,
        peak,
        -20 * math.log10(1 + g),
        tuple(devices_along(analysis, path)),
        cause_of(analysis, path),
    )


def cause_of(analysis: Computed, path: SignalPath) -> str:
    """What sort of loop it is: by air, round a computer, two desks into each other."""
    steps = {step.kind for step in path.steps()}
    kinds = {analysis.catalogue[analysis.show.device(row).kind].group for row in devices_along(analysis, path)}
    if EdgeKind.LOUDSPEAKER in steps:
        return "through the air, from a loudspeaker into a microphone"
    if EdgeKind.LEAK in steps:
        return "through the air, from headphones into a microphone"
    if kinds & {"host", "software", "app"} or "interface" in kinds:
        return "round the computer: its sound goes out and comes back in"
    if "phone" in kinds:
        return "through a telephone that gives back what it gets"
    desks = [row for row in devices_along(analysis, path) if analysis.catalogue[analysis.show.device(row).kind].is_desk]
    if len(set(desks)) > 1:
        return "two desks feed each other"
    return "what goes out comes back in"


def together(analysis: Computed) -> Derived | None:
    """What comes back to a point by all loops at once, in step, against what left it: the most at any point. None where nothing goes
    round, or where it howls.

    See `Stability`: for one loop that is its gain.
    """
    if analysis.transfer.howls:
        return None
    most = analysis.transfer.stability.returned
    if most <= 0:
        return None
    source = "(I − |A|)⁻¹; stable while the spectral radius of |A| is below one (Perron, Frobenius)"
    return Derived("all loops together", 20 * math.log10(most), "dB", f"20 lg {most:.4f}", source=source)


@dataclass(frozen=True)
class Combined:
    """What all ways of a pair do together, over frequency.

    Attributes:
        frequencies_hz: shape (F,), evenly spaced on a logarithmic scale.
        level_db: against the strongest way alone; shape (F,).
        ripple: from the deepest dip to the highest peak between 100 Hz and 8 kHz.
        notches_hz: the first dips, from below.
    """

    frequencies_hz: Floats
    level_db: Floats
    ripple: Derived
    notches_hz: tuple[float, ...]


def _of_account(analysis: Computed, mouth: int, ear: int) -> tuple[int, ...]:
    """Edges on ways no further under the strongest than `IN_STEP_BELOW_DB`: what is left out could change the sum by 0.09 dB each."""
    graph = analysis.graph
    reached = np.full(len(graph.nodes), -np.inf)
    reached[mouth] = 0.0
    # As often as a way can have steps (Bellman 1958); it is done much sooner wherever no circle amplifies.
    for _ in graph.nodes:
        before = reached.copy()
        np.maximum.at(reached, graph.target, reached[graph.source] + graph.gain_db)
        if np.array_equal(before, reached):
            break
    onward = np.array(analysis.transfer.best_gain_to(ear))
    through = reached[graph.source] + graph.gain_db + onward[graph.target]
    kept = np.flatnonzero(through >= onward[mouth] - IN_STEP_BELOW_DB)
    return tuple(graph.live[k] for k in kept.tolist())


def response_of(circle: Loop) -> tuple[Floats, Floats] | None:
    """What one loop does to a sound that goes through it, 1 / (1 \u2212 g e^(\u2212j\u03c9\u03c4)): Hz and dB, shapes (F,). None where it howls."""
    if circle.howls:
        return None
    frequencies = np.geomspace(LOWEST_HZ, HIGHEST_HZ, POINTS)
    turn = 10 ** (circle.gain.value / 20) * np.exp(-2j * np.pi * frequencies * circle.delay.value / 1000)
    level = -20 * np.log10(np.abs(1 - turn))
    if circle.spacing_hz:
        # Where the comb is finer than the points, peaks and dips by turns: what lies between them is all there.
        step = (HIGHEST_HZ / LOWEST_HZ) ** (1 / (POINTS - 1)) - 1
        fine = frequencies * step > circle.spacing_hz / 8
        level[fine] = np.where(np.arange(POINTS) % 2, circle.dip_db, circle.peak_db)[fine]
    return frequencies, level


def combined(analysis: Computed, feed: Delivery) -> Combined | None:
    """The response of a pair over all its ways and loops that are of account, H = (I \u2212 A)\u207b\u00b9; None where no way
    leads, or where a loop howls.

    What loudspeakers, microphones and rooms do to the sound over frequency is not in it: every way is taken as flat.
    """
    if feed.path is None or feed.node is None or feed.unstable:
        return None
    frequencies = np.geomspace(LOWEST_HZ, HIGHEST_HZ, POINTS)
    mouth = analysis.graph.mouths[feed.voice][0]
    ear = feed.path.nodes[-1]
    live = _of_account(analysis, mouth, ear)
    ways = Transfer(analysis.graph.only(live))
    if ways.howls:
        return None
    response = np.abs(ways.response(mouth, ear, frequencies))
    level = 20 * np.log10(np.maximum(response, 1e-12)) - feed.path.gain_db
    inside = (frequencies >= number("ripple-from")) & (frequencies <= number("ripple-to"))
    high, low = float(level[inside].max()), float(level[inside].min())
    ripple = Derived(
        "ripple, 100 Hz to 8 kHz",
        high - low,
        "dB",
        f"{high:+.1f} \u2212 ({low:+.1f})".replace("-", "\u2212"),
        (Derived("highest", high, "dB"), Derived("deepest", low, "dB")),
        "H = (I \u2212 A)\u207b\u00b9, every path flat",
    )
    return Combined(frequencies, level, ripple, _notches(frequencies, level))


def _notches(frequencies: Floats, level: Floats, most: int = 3) -> tuple[float, ...]:
    """The first dips that are at least a decibel below what lies on both sides of them."""
    dips = np.flatnonzero((level[1:-1] < level[:-2]) & (level[1:-1] <= level[2:])) + 1
    out: list[float] = []
    start = 0
    for place in dips.tolist():
        before = float(level[start:place].max()) if place > start else -math.inf
        after = float(level[place : place + 1 + max(place - start, 1)].max())
        if min(before, after) - float(level[place]) >= 1.0:
            out.append(float(frequencies[place]))
            start = place
        if len(out) == most:
            break
    return tuple(out)
