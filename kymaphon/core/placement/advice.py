"""What to tell an operator about a party's microphone: what it can reach, and when that is not enough, what would."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from kymaphon.core.acoustics.acoustic_path import wind_speed_m_s
from kymaphon.core.acoustics.cast import PlaceSound
from kymaphon.core.acoustics.pickup import pickup_of
from kymaphon.core.acoustics.spots import noise_place
from kymaphon.core.derive import in_sentence, show_number
from kymaphon.core.figures import number
from kymaphon.core.model.base import Shield
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.placement.placing import MicrophoneChoice, best_of, choices_for


@dataclass(frozen=True, slots=True)
class Way:
    """A way to the wanted voice over room.

    Attributes:
        name: `nearer`, `tighter`, `another kind`, `quieter`, `shielded` or `close-talking`.
        reached_db: what it comes to.
        enough: whether that is what is wanted.
        choice: the kind and spot; None for a quieter place.
    """

    name: str
    text: str
    reached_db: float
    enough: bool
    choice: MicrophoneChoice | None = None


@dataclass(frozen=True)
class Advice:
    """What the adviser says of one party.

    Attributes:
        kind: the microphone that the party has, or that is asked about.
        now_db: voice over room as it stands; None when the party has no microphone on the plan.
        choices: all kinds, best first.
        reached: whether the party's own kind comes to the wanted figure at its best spot.
    """

    kind: Kind
    wanted_db: float
    now_db: float | None
    best: MicrophoneChoice | None
    choices: tuple[MicrophoneChoice, ...]
    ways: tuple[Way, ...]

    @property
    def reached(self) -> bool:
        return self.best is not None and self.best.over_room_db >= self.wanted_db

    def sentence(self, party: str) -> str:
        """In one sentence or two: how far the microphone can come, and if that is not enough, what would do."""
        if self.best is None:
            return f"There is no allowed spot for {_lower(self.kind.name)} at {party}."
        where = f"at {show_number(self.best.metres, 'm')}" if self.best.at else "as worn"
        text = f"At its best, {where}, {_lower(self.kind.name)} gives {party} {self.best.over_room_db:.1f} dB over the room"
        if self.reached:
            more = f" {self.best.nearer[:1].upper()}{self.best.nearer[1:]}." if self.best.nearer else ""
            return f"{text}; {self.wanted_db:.0f} are wanted.{more}"
        text = (
            f"No placement of {_lower(self.kind.name)} reaches {self.wanted_db:.0f} dB over the "
            "room "
            f"for {party}: its best is {self.best.over_room_db:.1f} dB, {where}."
        )
        good = [way.text for way in self.ways if way.enough]
        return f"{text} What would: {'; '.join(good)}." if good else f"{text} Nothing in the catalogue does."


def _lower(name: str) -> str:
    return f"the {in_sentence(name)}"


def advise(
    sound: PlaceSound,
    voice: int,
    kind: Kind,
    kinds: Iterable[Kind],
    mic: int | None = None,
    shield: Shield = "none",
) -> Advice:
    """What can be reached for a party, with which microphone, where; and what would do when it cannot.

    Args:
        voice: position among the sources.
        kind: the microphone asked about.
        mic: position of the party's microphone, if it stands on the plan.
    """
    wanted = number("wanted-snr")
    rows = choices_for(sound, voice, kinds, shield)
    best = next((row for row in rows if row.kind.id == kind.id), None)
    now = float(sound.voice_over_room[mic]) if mic is not None else None
    ways = [*_shielded(sound, voice, kind, best, wanted, shield), *_ways(rows, best, kind, now, wanted)]
    return Advice(kind, wanted, now, best, tuple(rows), tuple(ways))


def _shielded(
    sound: PlaceSound, voice: int, kind: Kind, best: MicrophoneChoice | None, wanted: float, shield: Shield
) -> Iterable[Way]:
    """What a shield against the wind would give, where one blows and there is none."""
    if wind_speed_m_s(noise_place(sound, voice)) <= 0 or shield != "none" or best is None:
        return
    with_fur = best_of(sound, voice, kind, "fur")
    if with_fur is not None and with_fur.over_room_db > best.over_room_db + 0.5:
        reached = with_fur.over_room_db
        text = f"shielded: fur over a basket gives {reached:.1f} dB at {show_number(with_fur.metres, 'm')}"
        yield Way("shielded", text, reached, reached >= wanted, with_fur)


def _ways(
    rows: list[MicrophoneChoice], best: MicrophoneChoice | None, kind: Kind, now: float | None, wanted: float
) -> Iterable[Way]:
    usable = [row for row in rows if row.usable]
    if best is not None and (now is None or best.over_room_db > now + 0.5):
        text = f"nearer: {show_number(best.metres, 'm')} gives {best.over_room_db:.1f} dB"
        yield Way("nearer", text, best.over_room_db, best.over_room_db >= wanted, best)
    others = [row for row in usable if row.kind.id != kind.id and not row.narrow]
    mine = pickup_of(kind).reverberant_db()
    tight = [row for row in others if pickup_of(row.kind).reverberant_db() < mine - 0.3]
    for name, rows_of in (("tighter", tight), ("another kind", others)):
        found = max(rows_of, key=lambda row: row.over_room_db, default=None)
        reached = best.over_room_db if best is not None else -math.inf
        if name == "another kind" and tight:
            reached = max(reached, *(row.over_room_db for row in tight))
        if found is not None and found.over_room_db > reached + 0.5:
            text = f"{name}: {_lower(found.kind.name)} at {show_number(found.metres, 'm')} gives {found.over_room_db:.1f} dB"
            yield Way(name, text, found.over_room_db, found.over_room_db >= wanted, found)
    if best is not None and best.over_room_db < wanted:
        short = wanted - best.over_room_db
        yield Way("quieter", f"quieter: a place {short:.1f} dB quieter", wanted, True)
    near = [row for row in usable if row.narrow]
    close = max(near, key=lambda row: row.over_room_db, default=None)
    if (
        close is not None
        and close.kind.id != kind.id
        and (best is None or close.over_room_db > best.over_room_db + 0.5)
    ):
        text = f"close-talking: {_lower(close.kind.name)} at {show_number(close.metres, 'm')} gives {close.over_room_db:.1f} dB"
        yield Way("close-talking", text, close.over_room_db, close.over_room_db >= wanted, close)
