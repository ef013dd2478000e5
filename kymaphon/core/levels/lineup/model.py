"""A show as the line-up solver sees it: what can be turned, and how every level, ceiling and noise follows.

All levels are straight sums of settings in dB. So speech at a point, and with it a ceiling or a mark, is an affine
function of the settings; a noise against speech is one too (but for a preamplifier's equivalent input noise, which falls
as its gain rises, in straight pieces); and the sum of noises as powers is a convex function of them.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.computing.computed import Computed
from kymaphon.core.computing.riders import is_ridden
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.graph.own_noise import own_ein
from kymaphon.core.graph.signal import Knob, nearest_step
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.catalogue.kind import Strip
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import NodeId, SettingRef
from kymaphon.core.model.wants import asked_at
from kymaphon.core.model.weights import grows, growth_of, headroom_wanted
from kymaphon.core.noise import ein_at_gain_dbu
from kymaphon.core.wiring.linked_controls import knob_at, turned_together, twins_along

Floats = NDArray[np.float64]
FaderStrategy = Literal["stay", "unity", "free"]
"""What faders do: stay as they are; go to 0 and stay there; may be moved like gains."""


@dataclass(frozen=True, slots=True)
class Adjustment:
    """Something that can be turned or switched.

    Attributes:
        ref: the setting; of a pad its switch.
        low, high, step, now: gain that it adds, in dB; a pad has two positions, its loss and 0.
        sort: gain, fader (also sends and controls) or pad.
        held_by: why it is not to be moved; empty when it may.
        twins: settings of the other side of a stereo way, which go along.
        hold: where one that is held stands then; it is `now` for all but faders that go to 0.
    """

    ref: SettingRef
    label: str
    low: float
    high: float
    step: float
    now: float
    sort: Literal["gain", "fader", "pad"]
    held_by: str = ""
    hold: float = 0.0
    twins: tuple[SettingRef, ...] = ()

    def snap(self, wanted: float) -> float:
        """The nearest position that it has, in dB."""
        return nearest_step(wanted, self.low, self.high, self.step)

    @property
    def positions(self) -> int:
        """How many steps there are above the lowest position."""
        return round((self.high - self.low) / self.step + 1e-9) if self.step else 0


@dataclass(frozen=True, slots=True)
class Limit:
    """A ceiling: level and its slopes must stay at or below `most`."""

    label: str
    node: str
    unit: str
    level: float
    slopes: Floats
    most: float


@dataclass(frozen=True, slots=True)
class NoiseTerm:
    """A noise against speech, both A-weighted: constant, slopes, and for a preamplifier the curve of its own noise (EIN
    less the resistor that it was measured with) over a turn.

    `place` is the number of the rung at which it comes in.
    """

    name: str
    kind: str
    level: float
    slopes: Floats
    ein: tuple[tuple[float, float], ...] = ()
    ein_turn: int = -1
    place: int = 0

    def at(self, x: Floats) -> float:
        value = self.level + float(self.slopes @ x)
        return value + (ein_at_gain_dbu(self.ein, float(x[self.ein_turn])) if self.ein else 0.0)

    def gradient(self, x: Floats) -> Floats:
        if not self.ein:
            return self.slopes
        out = self.slopes.copy()
        gain = float(x[self.ein_turn])
        points = self.ein
        if points[0][0] <= gain < points[-1][0]:
            before, after = next((a, b) for a, b in zip(points, points[1:], strict=False) if a[0] <= gain < b[0])
            out[self.ein_turn] += (after[1] - before[1]) / (after[0] - before[0])
        return out


@dataclass(frozen=True)
class VoiceModel:
    """One voice to its end.

    Attributes:
        wanted: level where it should be at `point`; None where the practice says nothing on its way.
        wanted_by: the practice, or that it stays where it is: what is no speech keeps its place beside the voices.
        speech: level at the point of the mark, with its slopes.
        limits, noises: along the way.
        grows: a talker, who gets louder on warming up; a player does not.
        knobs: along its way, in order.
        near_db: nearer to the mark nothing is won; one that is on it now is not taken further off.
        tolerance_db: so far from the mark is still on it, and what a talker gains on warming up is no reason to leave it.
    """

    voice: str
    ladder: Ladder
    point: Rung | None
    wanted: float | None
    wanted_by: str
    speech: tuple[float, Floats]
    limits: tuple[Limit, ...]
    noises: tuple[NoiseTerm, ...]
    grows: bool = True
    knobs: tuple[SettingRef, ...] = ()
    near_db: float = field(default_factory=lambda: number("mark-near"))
    tolerance_db: float = 0.0

    def off(self, x: Floats) -> float:
        """Above the mark, in dB; 0 where there is none."""
        return self.speech[0] + float(self.speech[1] @ x) - self.wanted if self.wanted is not None else 0.0

    def over(self, x: Floats) -> float:
        """How far its peaks go over the tightest ceiling, in dB; negative when they stay below."""
        return max((row.level + float(row.slopes @ x) - row.most for row in self.limits), default=-math.inf)

    def clip(self, x: Floats) -> float:
        """How far its peaks go over the tightest ceiling today, before anybody warms up, in dB; negative when they stay below."""
        return self.over(x) - peak_growth(self).value

    def missed(self, x: Floats) -> float:
        """How far it is from the mark beyond `near_db`, in dB."""
        return max(0.0, abs(self.off(x)) - self.near_db)

    def strayed(self, x: Floats) -> float:
        """How far it is outside of what the mark lets pass, in dB."""
        return max(0.0, abs(self.off(x)) - max(self.tolerance_db, self.near_db))

    def noise(self, x: Floats, least: float = -math.inf) -> tuple[float, Floats]:
        """All its noise against its speech in dB, with the gradient; `least` is added as a noise that nothing changes."""
        if not self.noises:
            return least, np.zeros(len(x))
        levels = np.array([*(row.at(x) for row in self.noises), least])
        powers = 10 ** ((levels - levels.max()) / 10)
        slopes = np.array([*(row.gradient(x) for row in self.noises), np.zeros(len(x))])
        total = float(levels.max() + 10 * np.log10(powers.sum()))
        return total, np.asarray(powers @ slopes / powers.sum(), dtype=np.float64)


@dataclass(frozen=True)
class LineUpModel:
    """Everything of a line-up. `x` in its methods holds the gain of each turn, in dB."""

    turns: tuple[Adjustment, ...]
    voices: tuple[VoiceModel, ...]

    @property
    def now(self) -> Floats:
        return np.array([turn.now for turn in self.turns], dtype=np.float64)

    @property
    def convex(self) -> bool:
        """Whether every EIN curve falls ever less steeply, as preamplifiers' do: then the solver's proof holds."""
        return all(_convex(row.ein) for voice in self.voices for row in voice.noises)


def _convex(points: Sequence[tuple[float, float]]) -> bool:
    slopes = [(b[1] - a[1]) / (b[0] - a[0]) for a, b in zip(points, points[1:], strict=False)]
    # Held to its first and last point outside them: level before, so a falling start is a bend the wrong way, but no
    # gain lies there.
    # Taking the measuring resistor off bends a straight curve by less than a thousandth, which moves no proof.
    return all(a <= b + 1e-3 for a, b in zip(slopes, slopes[1:], strict=False)) and (not slopes or slopes[-1] <= 1e-9)


def model_of(
    analysis: Computed,
    pairs: Iterable[tuple[str, str]],
    *,
    strategy: FaderStrategy = "stay",
    alone: bool = False,
) -> LineUpModel:
    """The model of some voices, each to one end.

    Args:
        pairs: (voice, end).
        alone: hold what also moves other voices.

    Raises:
        KeyError: an unknown voice or end.
    """
    ladders = [ladder for pair in pairs if (ladder := analysis.ladder(*pair)) is not None]
    found = _turns(analysis, ladders, strategy)
    if alone:
        moved = moved_beside(analysis, {ladder.voice for ladder in ladders})
        found = [_held(turn, ", ".join(names)) if (names := moved.get(turn.ref)) else turn for turn in found]
    turns = tuple(found)
    index = {turn.ref: i for i, turn in enumerate(turns)}
    return LineUpModel(turns, tuple(_voice(analysis, ladder, turns, index) for ladder in ladders))


def _held(turn: Adjustment, sharers: str) -> Adjustment:
    return replace(turn, held_by=f"also moves {sharers}", hold=turn.now)


def moved_beside(analysis: Computed, chosen: set[str]) -> dict[SettingRef, list[str]]:
    """The settings that move other voices than the chosen ones on their way to an end, with the names of those voices."""
    moved: dict[SettingRef, dict[str, None]] = {}
    for voice, end in analysis.ladders:
        if voice in chosen:
            continue
        name = analysis.party_name(voice)
        for ref in analysis.once(_refs_by_ladder)[voice, end]:
            moved.setdefault(ref, {})[name] = None
    return {ref: list(names) for ref, names in moved.items()}


def _refs_by_ladder(analysis: Computed) -> dict[tuple[str, str], set[SettingRef]]:
    """(voice, end) -> every setting that moves its chain."""
    return {
        key: {ref for refs in _edge_refs(analysis, ladder) for ref in refs} for key, ladder in analysis.ladders.items()
    }


def _strip_of(analysis: Computed, node: str) -> tuple[str, str, Strip] | None:
    """Device, port and strip of an input socket's node; None when it is no socket with a strip."""
    if ":" in node or "." not in node:
        return None
    device_id, port_id, *_ = NodeId.of(node)
    strip = analysis.once(_strips).get((device_id, port_id))
    return (device_id, port_id, strip) if strip is not None else None


def _strips(analysis: Computed) -> dict[tuple[str, str], Strip | None]:
    return {
        (device.id, port.id): port.strip
        for device in analysis.show.devices
        for port in analysis.catalogue[device.kind].inputs
    }


def _edge_refs(analysis: Computed, ladder: Ladder) -> list[list[SettingRef]]:
    """For every step of a chain the settings that move it, pads among them."""
    nodes = ladder.path.graph.nodes
    out = []
    for step in ladder.path.steps():
        refs = [knob.ref for knob in step.knobs]
        found = _strip_of(analysis, nodes[step.source].id)
        if found is not None and found[2].pad_db and nodes[step.target].id.endswith(":pre"):
            refs.append(SettingRef(found[0], found[1], "pad"))
        out.append(refs)
    return out


def _turns(analysis: Computed, ladders: Sequence[Ladder], strategy: FaderStrategy) -> list[Adjustment]:
    rows: dict[SettingRef, Adjustment] = {}
    for ladder in ladders:
        nodes = ladder.path.graph.nodes
        twins = twins_along(analysis, ladder)
        for step in ladder.path.steps():
            for knob in step.knobs:
                gain = knob.own
                held = "" if gain or strategy == "free" else "faders and sends stay as they are"
                hold = knob.value
                if knob.ref.field == "fader_db" and strategy == "unity":
                    held, hold = "faders stay at 0", min(max(0.0, knob.lowest), knob.highest)
                sort: Literal["gain", "fader"] = "gain" if gain else "fader"
                limits = *_range(analysis, knob, twins.get(knob.ref, ())), knob.step, knob.value
                rows.setdefault(
                    knob.ref,
                    Adjustment(
                        knob.ref,
                        _named(knob.label, knob.ref, twins),
                        *limits,
                        sort,
                        held,
                        hold,
                        twins.get(knob.ref, ()),
                    ),
                )
            found = _strip_of(analysis, nodes[step.source].id)
            if found is not None and found[2].pad_db and nodes[step.target].id.endswith(":pre"):
                device, port, strip = found
                ref = SettingRef(device, port, "pad")
                setting = analysis.show.device(device).settings.get(port)
                loss = strip.pad_db or 0.0
                name = nodes[step.source].label.removesuffix(", left").removesuffix(", right")
                now = -loss if setting is not None and setting.pad else 0.0
                rows.setdefault(
                    ref,
                    Adjustment(
                        ref,
                        _named(f"{name}, pad", ref, twins),
                        -loss,
                        0.0,
                        loss,
                        now,
                        "pad",
                        twins=twins.get(ref, ()),
                    ),
                )
    return list(rows.values())


def _range(analysis: Computed, knob: Knob, twins: tuple[SettingRef, ...]) -> tuple[float, float]:
    """How far a knob can go down and up, in its steps, with its twins going along within theirs."""
    low, high = knob.lowest, knob.highest
    for twin in (knob_at(analysis.graph, ref) for ref in twins):
        if twin is not None and knob.step:
            apart = knob.value - twin.value
            low += max(0, math.ceil((twin.lowest + apart - low) / knob.step - 1e-9)) * knob.step
            high -= max(0, math.ceil((high - twin.highest - apart) / knob.step - 1e-9)) * knob.step
    return min(low, knob.value), max(high, knob.value)


def _named(label: str, ref: SettingRef, twins: Mapping[SettingRef, object]) -> str:
    return f"{label}, both sides" if ref in twins else label


def _voice(analysis: Computed, ladder: Ladder, turns: Sequence[Adjustment], index: dict[SettingRef, int]) -> VoiceModel:
    count = len(turns)
    now = np.array([turn.now for turn in turns])
    slopes = np.zeros((len(ladder.rungs), count))
    for i, (refs, step) in enumerate(zip(_edge_refs(analysis, ladder), ladder.path.steps(), strict=True), start=1):
        # Whatever is turned before an automatic level, it takes back.
        slopes[i] = 0.0 if is_ridden(step) else slopes[i - 1]
        for ref in refs:
            slopes[i, index[ref]] += 1.0
    party = analysis.show.party(ladder.voice)
    more = ladder.last.crest.value + growth_of(party).value
    limits, noises = [], []
    for i, rung in enumerate(ladder.rungs):
        pad = _pad_index(analysis, rung.node, index)
        base = rung.speech_db - float(slopes[i] @ now)
        if rung.ceiling_here and rung.ceiling_db is not None:
            slope, most = slopes[i].copy(), rung.ceiling_db
            if pad >= 0:
                # The pad sits before what clips: with it in, the socket takes as much more.
                slope[pad] += 1.0
                most += now[pad]
            limits.append(Limit(rung.label, rung.node, rung.unit, base + more, slope, most))
    last = {rung.node: i for i, rung in enumerate(ladder.rungs)}
    graph = ladder.path.graph
    for source, _ in ladder.last.own_noise:
        node = graph.nodes[source.node].id
        i = last[node]
        level = source.level.value - (ladder.rungs[i].weighted_speech_db - float(slopes[i] @ now))
        slope = -slopes[i]
        strip = _strip_of(analysis, node) if source.kind == "preamp" else None
        gain = index.get(SettingRef(strip[0], strip[1], "gain_db"), -1) if strip else -1
        if strip is not None and strip[2].ein_dbu:
            pad = _pad_index(analysis, node, index)
            slope = slope.copy()
            if pad >= 0:
                slope[pad] -= 1.0
                level += now[pad]
            if gain >= 0:
                curve = own_ein(strip[2])
                level -= ein_at_gain_dbu(curve, float(now[gain]))
                noises.append(NoiseTerm(source.level.name, source.kind, level, slope, curve, gain, i))
                continue
        noises.append(NoiseTerm(source.level.name, source.kind, level, slope, place=i))
    point = next((rung for rung in reversed(ladder.rungs) if rung.wanted is not None), None)
    at = last[point.node] if point is not None else 0
    speech = ladder.rungs[at].speech_db - float(slopes[at] @ now)
    wanted, by = (None, "") if point is None or point.wanted is None else (point.wanted.average, point.wanted.name)
    asked = asked_at(analysis.show, ladder, point) if point is not None else None
    if wanted is not None and asked:
        wanted, by = wanted + asked, f"{by}, {show_number(asked, 'dB', sign=True)} as asked for"
    if party.kind in NO_SPEECH:
        at = len(ladder.rungs) - 1
        point, wanted, by = ladder.last, ladder.last.speech_db, "stays where it is"
        speech = wanted - float(slopes[at] @ now)
    knobs = tuple(knob.ref for step in ladder.path.steps() for knob in step.knobs)
    near, tolerance = number("mark-near"), 0.0
    if wanted is not None and point is not None:
        tolerance = point.wanted.tolerance_db if point.wanted is not None else 0.0
        there = abs(ladder.rungs[at].speech_db - wanted)
        near = near if there > near else max(there, number("mark-nearest"))
    return VoiceModel(
        ladder.voice,
        ladder,
        point,
        wanted,
        by,
        (speech, slopes[at]),
        tuple(limits),
        tuple(noises),
        grows(party),
        knobs,
        near,
        tolerance,
    )


def _pad_index(analysis: Computed, node: str, index: dict[SettingRef, int]) -> int:
    found = _strip_of(analysis, node)
    return index.get(SettingRef(found[0], found[1], "pad"), -1) if found else -1


def peak_growth(voice: VoiceModel) -> Derived:
    """What has to be left for a voice's peaks, as people warm up."""
    return headroom_wanted("presenter" if voice.grows else "player")


def edits_to(analysis: Computed, turn: Adjustment, value: float) -> tuple[SetValue, ...]:
    """The edits that bring a turn to a gain, its twins with it."""
    if turn.sort == "pad":
        edit, now = SetValue(turn.ref, value < 0), None
    else:
        edit, now = SetValue(turn.ref, round(float(value), 3)), turn.now
    return turned_together(analysis, {turn.ref: turn.twins}, edit, now)
