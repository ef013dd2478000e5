"""Line-up tone: what every meter along a way should read of a sine sent from its beginning at the house's reference.

A sine has no swing: every meter reads its level, whatever its ballistics (IEC 60268-10, IEC 60268-17 and AES17 define
them so), and loudness meters that of BS.1770 at 1 kHz. The tone goes in where the voice's own channel has line level: at the
first desk, preamplifier or interface input on the way, after its gain.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import UNIT_KEYS, Derived, total
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.model.scales import House, house_at, socket_scales, tone_reading

TONE_HZ = 1000.0


@dataclass(frozen=True)
class TonePoint:
    """The tone at one point of a way.

    Attributes:
        level: there, with the gains since it went in.
        readings: of every meter that can be read there, by the id of its scale.
    """

    rung: Rung
    level: Derived
    readings: dict[str, Derived]

    def to_json(self) -> dict[str, Any]:
        return {
            "node": self.rung.node,
            "label": self.rung.label,
            f"level{UNIT_KEYS[self.rung.unit]}": round(self.level.value, 3),
            "meters": {name + UNIT_KEYS[row.unit]: round(row.value, 3) for name, row in self.readings.items()},
        }


def tone_along(analysis: Computed, ladder: Ladder) -> tuple[TonePoint, ...]:
    """The tone at every point of a way from where it goes in, those too at which nothing changes: there is a meter or a plug at each.
    Empty where nothing there has a line level.
    """
    rungs = [rung for rung in ladder.rungs if rung.unit in ("dBu", "dBFS")]
    start = next((rung for rung in rungs if rung.node.endswith((":pre", ":post"))), None)
    start = start or (rungs[0] if rungs else None)
    if start is None:
        return ()
    owners = [rung.owner for rung in ladder.rungs]
    out = []
    for rung in rungs[rungs.index(start) :]:
        place = next(i for i, row in enumerate(ladder.rungs) if row.node == rung.node)
        house = house_at(analysis.show, analysis.catalogue, [*owners[place::-1], *owners[place + 1 :]])
        sent = _sent(analysis, start, house_at(analysis.show, analysis.catalogue, owners[: place + 1][::-1] + owners))
        gain = Derived(
            f"gain from {start.label} to here",
            rung.speech_db - start.speech_db,
            "dB",
            source="as the rig stands",
        )
        level = total("tone here", rung.unit, (sent, gain))
        readings = {name: tone_reading(name, level.value, rung.unit, house) for name in socket_scales()}
        out.append(TonePoint(rung, level, readings))
    return tuple(out)


def _sent(analysis: Computed, start: Rung, house: House) -> Derived:
    """The tone where it goes in: the house's reference, in the unit of that point."""
    reference = analysis.show.vu_zero_dbu
    line = Derived("house reference, 0 VU", reference, "dBu", source="show: vu_zero_dbu")
    if start.unit == "dBu":
        return line
    converter = Derived("dBu to dBFS", -house.full_scale_dbu, "dB", source=house.how)
    return total("house reference, 0 VU", "dBFS", (line, converter))
