"""The noise budget at a point: who brings how much of it; the noise of a chain, ready for moves to be tried on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, in_sentence, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import NOISE_NAMES, Ladder, Rung
from kymaphon.core.levels.lineup.model import (
    Floats,
    LineUpModel,
    NoiseTerm,
    VoiceModel,
    edits_to,
    model_of,
    moved_beside,
)
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.edits import Edit, SetField
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Device
from kymaphon.core.units import db_to_power, power_to_db

HALF_DB = 20 * math.log10(2)
NOTHING_LEFT_DB = 200.0
"""Voice over noise that stands for no noise at all."""


@dataclass(frozen=True, slots=True)
class Share:
    """One kind of noise, or one contribution, in a budget. `part` is its share of the power, 0 to 1."""

    kind: str
    name: str
    level_db: float
    part: float

    def to_json(self) -> dict[str, Any]:
        return {
            "kind": self.kind,
            "name": self.name,
            "level_db": round(self.level_db, 3),
            "share": round(self.part, 5),
        }


def shares(rung: Rung) -> tuple[Share, ...]:
    """Kinds of noise at a point, strongest first; their shares sum to 1. Empty where there is none."""
    return parted([(kind, NOISE_NAMES[kind], level) for kind, level in rung.noise_db.items()])


def contributions(rung: Rung) -> tuple[Share, ...]:
    """Every single noise at a point, strongest first; their shares sum to 1."""
    rows: list[tuple[str, str, float]] = [
        (source.kind, source.level.name, source.level.value + gain) for source, gain in rung.own_noise
    ]
    if "others" in rung.noise_db:
        rows.append(("others", "noise of the other open channels", rung.noise_db["others"]))
    return parted(rows)


def parted(rows: Sequence[tuple[str, str, float]]) -> tuple[Share, ...]:
    """Shares of (kind, name, level) in the sum of their powers, strongest first."""
    whole = sum(db_to_power(level) for _, _, level in rows)
    if whole <= 0:
        return ()
    made = [Share(kind, name, level, db_to_power(level) / whole) for kind, name, level in rows]
    return tuple(sorted(made, key=lambda row: -row.level_db))


@dataclass(frozen=True)
class Budget:
    """The noise of one voice at its end, ready for moves to be tried on.

    Attributes:
        model, voice: what the line-up solver knows of the chain.
        x: its settings as they stand.
        others_db: noise of all other open channels against the speech; minus infinity for none.
        shared: settings on the way that move other voices too.
    """

    analysis: Computed
    ladder: Ladder
    model: LineUpModel
    voice: VoiceModel
    x: Floats
    others_db: float
    shared: frozenset[SettingRef]

    @property
    def over_noise_db(self) -> float:
        return self.ladder.last.voice_over_noise_db

    @property
    def alone_db(self) -> float:
        """Voice over the noise of this channel alone, all others shut."""
        return self.alone(self.voice.noises)

    def alone(self, noises: tuple[NoiseTerm, ...], speech_db: float = 0.0) -> float:
        """The same with other noises, once speech that came up by `speech_db` is taken back by the gains."""
        own, _ = replace(self.voice, noises=noises).noise(self.restored(speech_db))
        return min(-own, NOTHING_LEFT_DB)

    def with_others(self, alone_db: float) -> float:
        """Voice over all noise, when it is so much over that of its own channel."""
        return -power_to_db(db_to_power(-alone_db) + db_to_power(self.others_db))

    def restored(self, up_db: float) -> Floats:
        """The settings with so much taken back (or added, when negative): at the first gain while it has range, then
        at the next.
        """
        x = self.x.copy()
        left = up_db
        for i, turn in enumerate(self.model.turns):
            if abs(left) < 1e-9:
                break
            if turn.sort != "gain" or self.voice.speech[1][i] <= 0:
                continue
            held = min(max(x[i] - left, turn.low), turn.high)
            left -= x[i] - held
            x[i] = held
        return x


def budget_of(analysis: Computed, voice: str, end: str) -> Budget | None:
    """The budget of a voice at an end; None when it does not get there, or there is no noise on its way."""
    ladder = analysis.ladder(voice, end)
    if ladder is None or not ladder.last.noise_db:
        return None
    model = model_of(analysis, [(voice, end)])
    last = ladder.last
    others = last.noise_db.get("others", -math.inf) - last.weighted_speech_db
    moved = moved_beside(analysis, {voice})
    shared = frozenset(row.ref for row in model.turns if moved.get(row.ref))
    return Budget(analysis, ladder, model, model.voices[0], model.now, others, shared)


def shares_of_own(budget: Budget) -> tuple[Share, ...]:
    """Shares of what comes in along this chain alone, against the speech."""
    powers: dict[str, float] = {}
    for row in budget.voice.noises:
        powers[row.kind] = powers.get(row.kind, 0.0) + db_to_power(row.at(budget.x))
    return parted([(kind, NOISE_NAMES[kind], power_to_db(power)) for kind, power in powers.items()])


@dataclass(frozen=True, slots=True)
class Buy:
    """What one move would buy.

    Attributes:
        gain_db: more voice over all noise at the end, at the same speech level there; below zero it costs.
        alone_db: more voice over the noise of this channel alone.
        text: what it stands on, in a sentence.
        edits: how to do it; empty where it is only a comparison.
        why: voice over noise after, line by line.
    """

    id: str
    label: str
    gain_db: float
    alone_db: float
    text: str
    edits: tuple[Edit, ...]
    why: Derived

    def to_json(self) -> dict[str, Any]:
        return {
            "move": self.id,
            "label": self.label,
            "buys_db": round(self.gain_db, 3),
            "buys_alone_db": round(self.alone_db, 3),
            "text": self.text,
            "can_be_done": bool(self.edits),
        }


def move_made(
    budget: Budget,
    move: str,
    label: str,
    alone_db: float,
    text: str,
    edits: tuple[Edit, ...] = (),
    *,
    shut: bool = False,
) -> Buy:
    """A move after which the voice is so much over the noise of its own channel; `shut`: all others are."""
    before = budget.over_noise_db
    after = alone_db if shut else budget.with_others(alone_db)
    terms = (
        Derived("voice over noise now", before, "dB"),
        Derived(
            f"with: {in_sentence(label)}",
            after,
            "dB",
            source="noises added as powers, speech at one level",
        ),
    )
    why = Derived(f"{label} buys", after - before, "dB", "with it \u2212 now", terms, "cascade: Friis 1944")
    return Buy(move, label, after - before, alone_db - budget.alone_db, text, edits, why)


def microphone_of(budget: Budget) -> tuple[Device, Kind] | None:
    """The microphone on the way."""
    for rung in budget.ladder.rungs:
        owner = rung.owner
        device = next((row for row in budget.analysis.show.devices if row.id == owner), None)
        if device is not None and budget.analysis.catalogue[device.kind].is_microphone:
            return device, budget.analysis.catalogue[device.kind]
    return None


def turned_back(budget: Budget, up_db: float) -> tuple[Edit, ...] | None:
    """The gains turned back by what came up, in their steps; None where that would move other voices too."""
    x = budget.restored(up_db)
    out: list[Edit] = []
    for i, turn in enumerate(budget.model.turns):
        if abs(x[i] - turn.now) < turn.step / 2:
            continue
        if turn.ref in budget.shared:
            return None
        out.extend(edits_to(budget.analysis, turn, turn.snap(x[i])))
    return tuple(out)


def half_distance(budget: Budget) -> Buy | None:
    """The microphone at half the distance from the mouth; None where that cannot be told."""
    found = microphone_of(budget)
    if found is None or found[1].microphone is None or found[1].microphone.worn:
        return None
    device, kind = found
    party = budget.analysis.show.party(budget.ladder.voice)
    if device.at_m is None or party.at_m is None or device.place != party.place:
        return None
    distance = math.dist(device.at_m, party.at_m)
    if distance <= 0:
        return None
    noises = tuple(replace(row, level=row.level - HALF_DB) for row in budget.voice.noises)
    nearest = found[1].microphone.nearest_m
    ok = distance / 2 >= max(nearest, number("nearest-distance"))
    text = f"From {show_number(distance, 'm')} to {show_number(distance / 2, 'm')}: the voice comes up by 6.0 dB, the room stays."
    if not ok:
        text += f" That is nearer than this {in_sentence(kind.name)} is made for ({show_number(nearest, 'm')})."
    x, y = ((device.at_m[i] + party.at_m[i]) / 2 for i in (0, 1))
    edits: tuple[Edit, ...] = (SetField("devices", device.id, "at_m", (round(x, 3), round(y, 3))),)
    after = budget.alone(noises, HALF_DB)
    back = turned_back(budget, HALF_DB)
    return move_made(
        budget,
        "half-distance",
        "Half the distance",
        after,
        text,
        (*edits, *back) if ok and back is not None else (),
    )
