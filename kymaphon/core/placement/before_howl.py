"""How far from howling a microphone would be, at every spot and for every kind: for a voice that loudspeakers in its own room
carry.

What counts is how far the loudspeakers lie under the voice in the microphone: what it takes more of the voice is taken back at
the gain, and with it the loop. So the margin moves by as much as that ratio does, whatever the microphone's sensitivity.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from kymaphon.core.acoustics.cast import PlaceSound, SoundSource
from kymaphon.core.acoustics.mouth import Worn, mouth_gain_at_db
from kymaphon.core.acoustics.pickup import Pickup, pickup_of
from kymaphon.core.acoustics.room import reverberant_gain_db
from kymaphon.core.acoustics.spots import Floats, PlacementMap, bounds_of, direct_gain_db, map_over, taken_db
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, less, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.graph.signal import EdgeKind
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.base import Shield
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.placement.placing import MicrophoneChoice, best_of
from kymaphon.core.units import power_to_db

_LEAST_GAIN_DB = -150.0


@dataclass(frozen=True)
class BeforeHowl:
    """One voice, the loudspeakers that carry it, and what its microphone makes of both as it stands.

    Attributes:
        voice: position among the sources of the place.
        boxes: positions of the loudspeakers among them, each with its gain from the microphone's diaphragm, in dB.
        own_db: gain from the mouth at 1 m into the microphone as it stands; what another spot takes more is taken back at the gain.
        now_db: how far it is from howling as it stands; negative where it howls.
    """

    sound: PlaceSound
    voice: int
    boxes: tuple[tuple[int, float], ...]
    own_db: float = 0.0
    now_db: float = 0.0

    def gain_margin_db(self, kind: Kind, points: Floats) -> Floats:
        """How far from howling it would be with a kind of microphone at each point, aimed at the mouth, the voice as loud as now;
        of one that is worn the points count as the mouth.

        Args:
            points: shape (..., 2), in metres.
        """
        own, backs = self._parts(kind, points)
        # Circles by several loudspeakers are in step at some frequency, and there it howls.
        back = sum((10 ** (row / 20) for row in backs), np.zeros(points.shape[:-1]))
        return np.asarray(own - 20 * np.log10(back) - self.own_db)

    def _parts(self, kind: Kind, points: Floats) -> tuple[Floats, list[Floats]]:
        """What of the voice at 1 m gets into a microphone of a kind at each point, and of each loudspeaker for what left the diaphragm
        as it stands, in dB.
        """
        source, pickup = self.sound.sources[self.voice], pickup_of(kind)
        place, worn = self.sound.place, kind.microphone.worn if kind.microphone is not None else None
        if worn is None:
            own = direct_gain_db(source, kind, points)
            aim = _aims(source, points)
        else:
            metres, angle = Worn(worn).reach()
            thrown = mouth_gain_at_db(angle) if source.faces_deg is not None else 0.0
            own = np.full(points.shape[:-1], -20 * math.log10(metres) + thrown)
            ahead = source.faces_deg if worn == "head" else None
            aim = np.full(points.shape[:-1], np.nan if ahead is None else ahead + 180.0)
        power = 10 ** (own / 10)
        around = reverberant_gain_db(place, source.q)
        if around is not None:
            power = power + 10 ** ((around + pickup.reverberant_db()) / 10)
        backs = [
            10 * np.log10(_back(self.sound.sources[v], gain, pickup, place_gain, points, aim))
            for v, gain, place_gain in self._rows()
        ]
        return np.asarray(10 * np.log10(power)), backs

    def explain(self, choice: MicrophoneChoice) -> Derived:
        """How far from howling a ranked kind is at its spot, line by line."""
        source = self.sound.sources[self.voice]
        point = np.array([source.at if choice.at is None else choice.at])
        own, backs = self._parts(choice.kind, point)
        rows = tuple(
            Derived(
                self.sound.sources[v].name,
                float(row[0]),
                "dB",
                "gain of the rig, path through the air and pattern",
                source="computed: the rig as it stands; distance law, pattern and the room's reverberation",
            )
            for (v, _), row in zip(self.boxes, backs, strict=True)
        )
        back = 20 * math.log10(sum(10 ** (row.value / 20) for row in rows))
        round_ = Derived(
            "once round by the loudspeakers",
            back,
            "dB",
            "20 lg \u03a3 10^(L/20)",
            rows,
            "paths in step ring first: the worst case",
        )
        voice = Derived(
            "voice there, of its level at 1 m",
            float(own[0]),
            "dB",
            source="distance law, pattern and the room's reverberation",
        )
        now = Derived(
            "voice in the microphone as it stands",
            self.own_db,
            "dB",
            source="computed: the gain is taken back by the difference",
        )
        return total(f"{choice.kind.name} before it howls", "dB", (voice, less(now), less(round_)))

    def _rows(self) -> Iterable[tuple[int, float, float | None]]:
        for v, gain in self.boxes:
            yield v, gain, reverberant_gain_db(self.sound.place, self.sound.sources[v].q)

    def map_of(self, kind: Kind, bounds: tuple[float, float, float, float] | None = None) -> PlacementMap:
        """How far from howling at every spot of the plan, for one kind."""
        return map_over(
            self.sound,
            self.voice,
            kind,
            lambda grid: self.gain_margin_db(kind, grid),
            bounds or bounds_of(self.sound),
        )

    def ranked(self, kinds: Iterable[Kind], shield: Shield = "none") -> list[MicrophoneChoice]:
        """Every kind at the spot that lets most through before it howls, the most first; those that would clip last. Close-talking
        kinds sound narrow and hide the mouth: they come after all others where those keep the margin.
        """
        rows = []
        for kind in kinds:
            if kind.microphone is not None:
                rows.append(best_of(self.sound, self.voice, kind, shield, partial(self.gain_margin_db, kind)))
        found = [row for row in rows if row is not None and row.before_howl_db is not None]
        margin = number("loop-margin")
        easy = any(row.usable and not row.narrow and (row.before_howl_db or 0.0) >= margin for row in found)
        found.sort(key=lambda row: (not row.usable, easy and row.narrow, -(row.before_howl_db or 0.0)))
        return [replace(row, reason=_reason(row, found[0], self.now_db)) for row in found]


def _aims(source: SoundSource, points: Floats) -> Floats:
    """The bearing from each point to the mouth, in degrees."""
    apart = np.asarray(source.at) - points
    return np.asarray(np.degrees(np.arctan2(apart[..., 1], apart[..., 0])))


def _back(
    box: SoundSource, gain_db: float, pickup: Pickup, around: float | None, points: Floats, aim: Floats
) -> Floats:
    """Power of one loudspeaker in a microphone at each point, for what left its diaphragm."""
    apart = np.asarray(box.at) - points
    metres = np.maximum(np.hypot(apart[..., 0], apart[..., 1]), number("nearest-distance"))
    to = np.degrees(np.arctan2(apart[..., 1], apart[..., 0]))
    off = np.mod(to - aim, 360.0)
    # On a chest it looks up: all else on the plan lies at a right angle.
    off = np.where(np.isnan(aim), 90.0, np.minimum(off, 360.0 - off))
    taken = taken_db(pickup, off)
    thrown = np.zeros_like(metres)
    if box.faces_deg is not None:
        side = np.mod(to + 180.0 - box.faces_deg, 360.0)
        thrown = np.asarray(box.thrown_db(np.minimum(side, 360.0 - side)))
    power = 10 ** ((gain_db - 20 * np.log10(metres) + taken + thrown) / 10)
    if around is not None:
        power = power + 10 ** ((gain_db + around + pickup.reverberant_db()) / 10)
    return np.asarray(power)


def _reason(row: MicrophoneChoice, best: MicrophoneChoice, now_db: float) -> str:
    hand = row.before_howl_db or 0.0
    more = hand - now_db
    where = "worn" if row.at is None else f"{show_number(row.metres, 'm')} from the mouth"
    text = f"{where}; {show_number(abs(more), 'dB')} {'more' if more >= 0 else 'less'} than now"
    if not row.usable:
        return f"{text}; peaks lie {-row.headroom_db:.0f} dB above its maximum"
    behind = (best.before_howl_db or 0.0) - hand
    if behind < 0:
        return f"{text}; sounds narrow and hides the mouth: for where nothing else is enough"
    return text if row is best else f"{text}; {behind:.1f} dB behind the best"


def before_howl(analysis: Computed, party_id: str) -> BeforeHowl | None:
    """What a party's microphone gives back of the loudspeakers of its own place; None where none carries it, or it has none.

    Raises:
        KeyError: there is no such party.
    """
    party = analysis.show.party(party_id)
    if party.place is None or party.at_m is None:
        return None
    sound = analysis.sound(party.place)
    voice = sound.source_index.get(party_id)
    mic = next((m for m in range(len(sound.mics)) if voice is not None and sound.own[m] == voice), None)
    if voice is None or mic is None:
        return None
    boxes = tuple(_boxes(analysis, sound, mic))
    if not boxes:
        return None
    gain = sound.level_db[:, mic] - np.array([source.level.value for source in sound.sources])
    back = sum(10 ** ((float(gain[v]) + through) / 20) for v, through in boxes)
    return BeforeHowl(sound, voice, boxes, float(gain[voice]), -20 * math.log10(back))


def _boxes(analysis: Computed, sound: PlaceSound, mic: int) -> Iterable[tuple[int, float]]:
    """The loudspeakers of a place that carry what a microphone hears, with the gain from its diaphragm, once round left out."""
    graph = analysis.graph
    device = sound.mics[mic].device.id
    port = next((row.id for row in sound.mics[mic].kind.inputs if row.domain == "acoustic"), None)
    node = graph.index.get(f"{device}.{port}")
    if node is None:
        return
    open_ = Transfer(graph.only(tuple(i for i in graph.live if graph.edges[i].kind is not EdgeKind.LOUDSPEAKER)))
    power = open_.power_from([node])[:, 0]
    for v, source in enumerate(sound.sources):
        if source.device is None or source.kind is None:
            continue
        outs = [f"{source.device.id}.{row.id}" for row in source.kind.outputs if row.domain == "acoustic"]
        best = max((float(power[graph.index[name]]) for name in outs if name in graph.index), default=0.0)
        if power_to_db(best) > _LEAST_GAIN_DB:
            yield v, power_to_db(best)
