"""Moves of microphones and people on a plan, tried before they are offered."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kymaphon.core.acoustics.cast import PlaceSound, is_loudspeaker
from kymaphon.core.acoustics.placements import direction_deg, has_face
from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.graph.paths import strongest_path
from kymaphon.core.graph.signal import Knob
from kymaphon.core.model.base import Point
from kymaphon.core.model.edits import Edit, SetField, SetValue, apply_all
from kymaphon.core.model.show import Place, Show


def move(device: str, to: Point) -> SetField:
    """A microphone or loudspeaker put elsewhere, to the millimetre."""
    return SetField("devices", device, "at_m", rounded(to))


def aim(device: str, degrees: float) -> SetField:
    """A microphone or loudspeaker turned, to the degree."""
    return SetField("devices", device, "aim_deg", float(round(degrees)) % 360)


def rounded(point: Point) -> Point:
    return round(point[0], 3), round(point[1], 3)


def along(start: Point, direction: float, metres: float) -> Point:
    """The point so many metres from another in a direction in degrees."""
    angle = math.radians(direction)
    return start[0] + metres * math.cos(angle), start[1] + metres * math.sin(angle)


def inside(place: Place, point: Point) -> bool:
    """Whether a point lies in a place; everywhere, when the size of the place is not known."""
    if place.size_m is None:
        return True
    return 0 <= point[0] <= place.size_m[0] and 0 <= point[1] <= place.size_m[1]


def held_inside(place: Place, point: Point) -> Point:
    """The nearest point in the place."""
    if place.size_m is None:
        return point
    return min(max(point[0], 0.0), place.size_m[0]), min(max(point[1], 0.0), place.size_m[1])


@dataclass(frozen=True, slots=True)
class Placed:
    """One microphone with its party in a place's sound: what the rules look at one by one."""

    analysis: Computed
    sound: PlaceSound
    mic: int

    @property
    def device(self) -> str:
        return self.sound.mics[self.mic].device.id

    @property
    def name(self) -> str:
        return self.sound.mics[self.mic].name

    @property
    def voice(self) -> int:
        return int(self.sound.own[self.mic])

    @property
    def party(self) -> str:
        return self.sound.sources[self.voice].id

    @property
    def party_name(self) -> str:
        return self.sound.sources[self.voice].name

    @property
    def metres(self) -> float:
        return float(self.sound.distance_m[self.voice, self.mic])

    @property
    def mouth(self) -> Point:
        return self.sound.sources[self.voice].at

    @property
    def at(self) -> Point:
        found = self.sound.mics[self.mic].at
        return found if found is not None else self.mouth

    def direction(self) -> float:
        """From the mouth to the microphone; where the mouth faces when both are at one spot."""
        found = direction_deg(self.mouth, self.at)
        return found if found is not None else self.sound.sources[self.voice].faces_deg or 0.0

    def spot(self, metres: float, direction: float | None = None) -> Point:
        """A spot so far from the mouth, in the direction where the microphone is now unless another is given."""
        return along(self.mouth, self.direction() if direction is None else direction, metres)

    def tried(self, *edits: Edit) -> Placed | None:
        """The same microphone after some edits; None where it would stand outside the place."""
        show = self._alone(apply_all(self.analysis.show, edits))
        sound = self.analysis.sketch(show, self.sound.place.id)
        after = sound.mic_index.get(self.device)
        if after is None:
            return None
        at = sound.mics[after].at
        if at is None or not inside(sound.place, at):
            return None
        return Placed(self.analysis, sound, after)

    def _alone(self, show: Show) -> Show:
        """The show without other people's microphones, where nobody's facing depends on them: a trial looks at this one
        microphone only, and a place may have many.
        """
        if any(row.faces_deg is None and has_face(row) for row in show.parties):
            return show
        kinds = self.analysis.catalogue.with_kinds(*show.kinds)
        kept = tuple(row for row in show.devices if row.id == self.device or is_loudspeaker(kinds[row.kind]))
        return show.model_copy(update={"devices": kept})

    def keeps_clear(self) -> bool:
        """Whether the microphone stays out of every head but its own party's."""
        return self.clear_at(self.at)

    def clear_at(self, spot: Point) -> bool:
        """Whether a spot is clear of every head but that of its own party, which its kind's nearest distance minds."""
        return all(
            math.dist(spot, source.at) >= number("map-margin") - 1e-9
            for source in self.sound.sources
            if source.party is not None and source.id != self.party
        )


def placed_in(analysis: Computed, place_id: str) -> list[Placed]:
    """Every microphone of a place that has its own party on the plan."""
    sound = analysis.sound(place_id)
    return [Placed(analysis, sound, m) for m in range(len(sound.mics)) if sound.own[m] >= 0]


def fader_of(analysis: Computed, device: str) -> Knob | None:
    """The fader behind a microphone, else the first gain on its way to an end; None when there is neither."""
    graph = analysis.graph
    starts = [graph.index[node] for node in (f"{device}.diaphragm", f"{device}.mouthpiece") if node in graph.index]
    knobs: list[Knob] = []
    for end in analysis.ends:
        for start in starts:
            for ear in graph.ears[end.id]:
                way = strongest_path(analysis.transfer, start, ear)
                if way is not None:
                    knobs.extend(knob for step in way.steps() for knob in step.knobs)
        if knobs:
            break
    faders = [knob for knob in knobs if knob.ref.field == "fader_db"]
    return next(iter(faders or knobs), None)


def turned_down(knob: Knob, by_db: float) -> SetValue | None:
    """The edit that takes so much off at a knob; None when its range does not allow it."""
    to = knob.lowest + math.floor((knob.value - by_db - knob.lowest) / knob.step + 1e-9) * knob.step
    return SetValue(knob.ref, round(to, 3)) if to >= knob.lowest else None
