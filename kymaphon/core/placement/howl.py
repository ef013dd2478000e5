"""How loud before it howls: for each microphone that loudspeakers reach, what is in hand, where it rings first, and what would give more."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from kymaphon.core.acoustics.placements import direction_deg
from kymaphon.core.computing.compute import without_rules
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.signal import EdgeKind
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.edits import Edit, SetField, apply_all
from kymaphon.core.placement.moves import Placed, along, move, placed_in


@dataclass(frozen=True, slots=True)
class Gain:
    """A move, and how much more is in hand after it."""

    label: str
    more_db: float
    edits: tuple[Edit, ...]


@dataclass(frozen=True, slots=True)
class Spare:
    """One microphone before loudspeakers.

    Attributes:
        gain_margin_db: what comes back to the microphone the first time lies so far under what it heard (1 - 1/N_vv, see `Stability`).
        up_db: by so much its voice can come up and keep `loop-margin`; negative where it has to come down.
        first_hz: the lowest frequency at which the strongest loop can ring; it can at every multiple (1 / time once round).
        gains: what a better spot, aim or pattern would give, the most first.
    """

    voice: str
    name: str
    device: str
    place: str
    gain_margin_db: float
    up_db: float
    first_hz: float
    gains: tuple[Gain, ...]

    def words(self) -> str:
        if self.gain_margin_db <= 0:
            text = f"{self.name} into {self.place}'s loudspeakers howls."
        else:
            can = (
                f"{self.name} can come up by {self.up_db:.0f} dB"
                if self.up_db >= 0
                else f"{self.name} has to come down by {-self.up_db:.0f} dB"
            )
            text = f"{show_number(self.gain_margin_db, 'dB')} before it howls: {can} and keep {number('loop-margin'):.0f} dB."
        if self.first_hz:
            text += f" It rings first at {self.first_hz:.0f} Hz or a multiple of that."
        if self.gains:
            text += " " + "; ".join(f"{row.label}: {row.more_db:.1f} dB more" for row in self.gains) + "."
        return text

    def to_json(self) -> dict[str, Any]:
        return {
            "voice": self.voice,
            "microphone": self.device,
            "place": self.place,
            "in_hand_db": round(self.gain_margin_db, 3),
            "can_come_up_db": round(self.up_db, 3),
            "first_hz": round(self.first_hz, 2),
            "gains": [
                {"label": row.label, "more_db": round(row.more_db, 3), "edits": [edit.to_json() for edit in row.edits]}
                for row in self.gains
            ],
        }


def spares(analysis: Computed, *, tries: bool = True) -> tuple[Spare, ...]:
    """Every placed microphone through which something goes round by a loudspeaker, the nearest to howling first.

    Args:
        tries: whether to try what would give more.
    """
    rows = []
    for place in analysis.show.places:
        for row in placed_in(analysis, place.id):
            node = _diaphragm(analysis, row.device)
            hand = _gain_margin_db(analysis, node) if node is not None else math.inf
            if node is None or not math.isfinite(hand):
                continue
            circle = _circle(analysis, node)
            if circle is None:
                continue
            first = 1000 / circle.delay_ms if circle.delay_ms > 0 else 0.0
            gains = tuple(sorted(_gains(analysis, row, node, hand), key=lambda gain: -gain.more_db)) if tries else ()
            up = hand - number("loop-margin")
            rows.append(Spare(row.party, row.party_name, row.device, place.name, hand, up, first, gains))
    return tuple(sorted(rows, key=lambda row: row.gain_margin_db))


def _diaphragm(analysis: Computed, device: str) -> int | None:
    kind = analysis.catalogue[analysis.show.device(device).kind]
    port = next((row.id for row in kind.inputs if row.domain == "acoustic"), None)
    return analysis.graph.index.get(f"{device}.{port}") if port is not None else None


def _gain_margin_db(analysis: Computed, node: int) -> float:
    """How far what comes back to a point lies under what left it; infinite where nothing does, nought where it howls."""
    part = next((row for row in analysis.transfer.cyclic_components if node in row), None)
    if part is None:
        return math.inf
    if node in analysis.transfer.unstable:
        return 0.0
    back = 1 - 1 / float(analysis.transfer.block(part).rounds()[part.index(node)])
    return -20 * math.log10(back) if back > 0 else math.inf


def _circle(analysis: Computed, node: int) -> SignalPath | None:
    """The strongest loop through a microphone that comes back by a loudspeaker."""
    through = [
        row
        for row in analysis.circles.paths
        if node in row.nodes and any(step.kind is EdgeKind.LOUDSPEAKER for step in row.steps())
    ]
    return max(through, key=lambda row: row.gain_db, default=None)


def _gains(analysis: Computed, row: Placed, node: int, hand: float) -> Iterator[Gain]:
    for label, edits in _moves(analysis, row, node):
        after = without_rules(apply_all(analysis.show, edits), analysis.catalogue)
        there = _diaphragm(after, row.device)
        if there is None:
            continue
        # What counts is how loud the voice itself can be: what it gains at the microphone is taken back at the gain.
        nearer = _own_db(after, row, there) - _own_db(analysis, row, node)
        more = _gain_margin_db(after, there) - hand + nearer
        if number("spot-gives") < more < math.inf:
            yield Gain(label, more, edits)


def _own_db(analysis: Computed, row: Placed, node: int) -> float:
    """Gain from the mouth to the microphone's output: another kind's sensitivity is made up for at the gain, and buys nothing."""
    mouth = analysis.graph.mouths[row.party][0]
    into = [edge.gain_db for edge in analysis.graph.edges if edge.source == mouth and edge.target == node]
    out = [edge.gain_db for edge in analysis.graph.edges if edge.source == node]
    return max(into, default=0.0) + max(out, default=0.0)


def _moves(analysis: Computed, row: Placed, node: int) -> Iterator[tuple[str, tuple[Edit, ...]]]:
    stand = row.sound.mics[row.mic]
    mic = stand.kind.microphone
    if mic is None:
        return
    speaker = _loudest(analysis, node)
    if stand.worn is None:
        half = max(mic.nearest_m, row.metres / 2)
        if half < row.metres - 0.005:
            yield f"{show_number(half, 'm')} from the mouth", (move(row.device, row.spot(half)),)
        best: list[Kind] = [
            kind
            for kind in analysis.catalogue
            if kind.microphone is not None
            and kind.id != stand.kind.id
            and kind.microphone.pattern in ("supercardioid", "hypercardioid")
            and kind.outputs[0].connector == stand.kind.outputs[0].connector
            and kind.microphone.nearest_m <= row.metres
        ]
        for kind in best[:3]:
            yield kind.name, (SetField("devices", row.device, "kind", kind.id),)
    if speaker is None:
        return
    device = analysis.show.device(speaker)
    aim = direction_deg(row.at, row.mouth)
    if device.at_m is None or aim is None or stand.pickup.pattern in ("omni", "boundary"):
        return
    away = math.dist(device.at_m, row.at)
    for side in (1, -1):
        spot = along(row.at, aim + side * stand.pickup.quietest_deg(), away)
        if _inside(row, spot):
            to = direction_deg(spot, row.mouth)
            edits: tuple[Edit, ...] = (move(speaker, spot),)
            edits += (SetField("devices", speaker, "aim_deg", float(round(to)) % 360),) if to is not None else ()
            yield f"{analysis.device_name(speaker)} at the quiet side of {row.name}", edits
            break


def _inside(row: Placed, spot: tuple[float, float]) -> bool:
    size = row.sound.place.size_m
    return size is None or (0 <= spot[0] <= size[0] and 0 <= spot[1] <= size[1])


def _loudest(analysis: Computed, node: int) -> str | None:
    """The loudspeaker by which the strongest loop comes back into a microphone."""
    circle = _circle(analysis, node)
    if circle is None:
        return None
    return next(
        (analysis.graph.nodes[step.source].owner for step in circle.steps() if step.kind is EdgeKind.LOUDSPEAKER),
        None,
    )
