"""The noise budget at a point: who brings how much of it, and what each possible move would buy.

A move is told at one speech level at the end: what it makes louder is taken back at the first gains on the way, within
their ranges, and each preamplifier's equivalent input noise is that of the gain it then has.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from kymaphon.core.acoustics import PATTERNS
from kymaphon.core.analysis import Analysis
from kymaphon.core.catalogue import Kind
from kymaphon.core.catalogue.kind import Microphone
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.edits import Edit, SetField, SetValue
from kymaphon.core.figures import number
from kymaphon.core.graph import SettingRef
from kymaphon.core.levels import NOISE_NAMES, Ladder, Rung
from kymaphon.core.lineup.model import Floats, Hiss, LineUpModel, VoiceModel, edits_to, model_of
from kymaphon.core.lineup.solver import solve
from kymaphon.core.noise import ein_at_gain_dbu
from kymaphon.core.pickup import Pickup
from kymaphon.core.plugging import inserted, taken_out
from kymaphon.core.show import Device
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
    return _parted([(kind, NOISE_NAMES[kind], level) for kind, level in rung.noise_db.items()])


def contributions(rung: Rung) -> tuple[Share, ...]:
    """Every single noise at a point, strongest first; their shares sum to 1."""
    rows: list[tuple[str, str, float]] = [
        (source.kind, source.level.name, source.level.value + gain) for source, gain in rung.own_noise
    ]
    if "others" in rung.noise_db:
        rows.append(("others", "noise of the other open channels", rung.noise_db["others"]))
    return _parted(rows)


def _parted(rows: Sequence[tuple[str, str, float]]) -> tuple[Share, ...]:
    whole = sum(db_to_power(level) for _, _, level in rows)
    if whole <= 0:
        return ()
    made = [Share(kind, name, level, db_to_power(level) / whole) for kind, name, level in rows]
    return tuple(sorted(made, key=lambda row: -row.level_db))


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


@dataclass(frozen=True)
class Budget:
    """The noise of one voice at its end, ready for moves to be tried on.

    Attributes:
        model, voice: what the line-up solver knows of the chain.
        x: its settings as they stand.
        others_db: noise of all other open channels against the speech; minus infinity for none.
    """

    analysis: Analysis
    ladder: Ladder
    model: LineUpModel
    voice: VoiceModel
    x: Floats
    others_db: float

    @property
    def over_noise_db(self) -> float:
        return self.ladder.last.voice_over_noise_db

    @property
    def alone_db(self) -> float:
        """Voice over the noise of this channel alone, all others shut."""
        return self.alone(self.voice.noises)

    def alone(self, noises: tuple[Hiss, ...], speech_db: float = 0.0) -> float:
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


def budget_of(analysis: Analysis, voice: str, end: str) -> Budget | None:
    """The budget of a voice at an end; None when it does not get there, or there is no noise on its way."""
    ladder = analysis.ladder(voice, end)
    if ladder is None or not ladder.last.noise_db:
        return None
    model = model_of(analysis, [(voice, end)])
    last = ladder.last
    others = last.noise_db.get("others", -math.inf) - last.speech_db
    return Budget(analysis, ladder, model, model.voices[0], model.now, others)


def buys(budget: Budget) -> tuple[Buy, ...]:
    """Every move that makes sense here, what buys most first."""
    rows = [
        half_distance(budget), _tighter(budget), _quieter_room(budget), booster_move(budget), _quieter_preamp(budget),
        _quieter_converter(budget), _gain_early(budget), _others_shut(budget),
    ]  # fmt: skip
    return tuple(
        sorted(
            (row for row in rows if row is not None), key=lambda row: (-round(row.gain_db, 1), -row.alone_db)
        )
    )


def _made(
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
            f"with: {label[:1].lower()}{label[1:]}",
            after,
            "dB",
            source="noises added as powers, speech at one level",
        ),
    )
    why = Derived(f"{label} buys", after - before, "dB", "with it \u2212 now", terms, "cascade: Friis 1944")
    return Buy(move, label, after - before, alone_db - budget.alone_db, text, edits, why)


def _microphone(budget: Budget) -> tuple[Device, Kind] | None:
    """The microphone on the way."""
    for rung in budget.ladder.rungs:
        owner = rung.node.partition(".")[0]
        device = next((row for row in budget.analysis.show.devices if row.id == owner), None)
        if device is not None and budget.analysis.catalogue[device.kind].group == "microphone":
            return device, budget.analysis.catalogue[device.kind]
    return None


def half_distance(budget: Budget) -> Buy | None:
    """The microphone at half the distance from the mouth; None where that cannot be told."""
    found = _microphone(budget)
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
        text += f" That is nearer than this {kind.name.lower()} is made for ({show_number(nearest, 'm')})."
    x, y = ((device.at_m[i] + party.at_m[i]) / 2 for i in (0, 1))
    edits: tuple[Edit, ...] = (SetField("devices", device.id, "at_m", (round(x, 3), round(y, 3))),)
    after = budget.alone(noises, HALF_DB)
    return _made(
        budget,
        "half-distance",
        "Half the distance",
        after,
        text,
        (*edits, *_turned_back(budget, HALF_DB)) if ok else (),
    )


def _turned_back(budget: Budget, up_db: float) -> tuple[Edit, ...]:
    """The gains turned back by what came up, in their steps, where nothing else is moved by them."""
    x = budget.restored(up_db)
    out: list[Edit] = []
    for i, turn in enumerate(budget.model.turns):
        if abs(x[i] - turn.now) < turn.step / 2:
            continue
        stepped = turn.low + round((x[i] - turn.low) / turn.step) * turn.step
        out.extend(edits_to(budget.analysis, turn, stepped))
    return tuple(out)


TIGHTER = ("omni", "wide-cardioid", "cardioid", "supercardioid", "hypercardioid")


def _tighter(budget: Budget) -> Buy | None:
    found = _microphone(budget)
    if found is None or found[1].microphone is None or found[1].microphone.pattern not in TIGHTER[:-1]:
        return None
    mic: Microphone = found[1].microphone
    after = TIGHTER[TIGHTER.index(mic.pattern) + 1]
    noise = "room-tone"
    change = Pickup(after).diffuse_db(noise) - Pickup(mic.pattern).diffuse_db(noise)
    noises = tuple(
        replace(row, level=row.level + change) if row.kind == "room" else row for row in budget.voice.noises
    )
    text = (
        f"As {Pickup(after).a_name} instead of {Pickup(mic.pattern).a_name}, {show_number(-change, 'dB')} less of a diffuse room "
        f"(pattern part A {PATTERNS[after]:g}); noise that stands in its axis stays."
    )
    return _made(budget, "tighter", "A tighter pattern", budget.alone(noises), text)


def _quieter_room(budget: Budget) -> Buy | None:
    if not any(row.kind == "room" for row in budget.voice.noises):
        return None
    noises = tuple(
        replace(row, level=row.level - 10.0) if row.kind == "room" else row for row in budget.voice.noises
    )
    text = "A fan off, a window shut, another room: everything around it 10 dB down."
    return _made(budget, "quieter-room", "A room 10 dB quieter", budget.alone(noises), text)


def booster_on(budget: Budget) -> tuple[Device, float, int, int] | None:
    """The booster on the way: device, its gain, and the numbers of its first and last rung; None without one."""
    analysis, rungs = budget.analysis, budget.ladder.rungs
    for device in analysis.show.devices:
        if analysis.catalogue[device.kind].group != "booster":
            continue
        mine = [i for i, rung in enumerate(rungs) if rung.node.partition(".")[0] == device.id]
        if mine:
            return device, rungs[mine[-1]].speech_db - rungs[mine[0]].speech_db, mine[0], mine[-1]
    return None


def booster_worth_db(budget: Budget) -> float | None:
    """What the booster on the way buys its own channel, against none and the gain made up after it; None without one."""
    if booster_on(budget) is None:
        return None
    return budget.alone_db - _alone_without_booster(budget)


def _alone_without_booster(budget: Budget) -> float:
    """Voice over its own channel's noise, the booster taken out and its gain made up after it."""
    found = booster_on(budget)
    if found is None:
        return budget.alone_db
    _, gain, first, last = found
    noises = tuple(
        # Without it, what comes in after it stands against speech that much weaker.
        replace(row, level=row.level + gain) if row.place >= last else row
        for row in budget.voice.noises
        if not (first <= row.place < last)
    )
    return budget.alone(noises, -gain)


def booster_move(budget: Budget) -> Buy | None:
    """Taking the booster out, or putting one in; None where neither makes sense."""
    found = booster_on(budget)
    if found is not None:
        worth = booster_worth_db(budget) or 0.0
        device = found[0]
        label = f"Take {device.name or budget.analysis.catalogue[device.kind].name} out"
        text = f"It is worth {show_number(worth, 'dB')} here; its {show_number(found[1], 'dB')} would be made up at the next gain."
        return _made(budget, "booster", label, _alone_without_booster(budget), text, _without_booster(budget))
    return _with_booster(budget)


def _with_booster(budget: Budget) -> Buy | None:
    found = _microphone(budget)
    if found is None:
        return None
    device, kind = found
    out = kind.port("out")
    rungs = budget.ladder.rungs
    place = next((i for i, rung in enumerate(rungs) if rung.node == f"{device.id}.out"), None)
    if (
        out is None
        or place is None
        or place + 1 >= len(rungs)
        or out.domain != "analog"
        or out.phantom_ma is not None
        or out.connector != "xlr"
    ):
        return None
    booster = budget.analysis.catalogue["booster-inline"]
    strip = booster.inputs[0].strip
    if strip is None or strip.gain_db is None:
        return None
    gain = strip.gain_db[0]
    hiss = Hiss(
        "booster",
        "preamp",
        ein_at_gain_dbu(strip.ein_dbu, gain) - rungs[place + 1].speech_db,
        np.zeros(len(budget.x)),
        place=place,
    )
    noises = (
        *(replace(row, level=row.level - gain) if row.place > place else row for row in budget.voice.noises),
        hiss,
    )
    after = budget.alone(noises, gain)
    text = f"{gain:.0f} dB with an equivalent input noise of {show_number(strip.ein_dbu[0][1], 'dBu')} before the first preamplifier; it lifts voice and room alike."
    edits = _booster_edits(budget, device, gain)
    return _made(budget, "booster", "An in-line booster", after, text, edits)


def _booster_edits(budget: Budget, device: Device, gain: float) -> tuple[Edit, ...]:
    show = budget.analysis.show
    cable = next((row for row in show.cables if row.source == f"{device.id}.out"), None)
    if cable is None:
        return ()
    target, port_id = cable.target.split(".")[:2]
    port = budget.analysis.catalogue[show.device(target).kind].port(port_id)
    edits = inserted(show, budget.analysis.catalogue, (cable,), "booster-inline", "Booster")
    if port is not None and port.strip is not None and port.strip.phantom:
        edits = (*edits, SetValue(SettingRef(target, port_id, "phantom"), True))
    return (*edits, *_turned_back(budget, gain))


def _without_booster(budget: Budget) -> tuple[Edit, ...]:
    found = booster_on(budget)
    if found is None:
        return ()
    device, gain, _, _ = found
    show = budget.analysis.show
    out = taken_out(show, budget.analysis.catalogue, device)
    lead = next((row for row in show.cables if row.source.partition(".")[0] == device.id), None)
    if out is None or lead is None:
        return ()
    restored = budget.restored(-gain)
    short = gain - float((budget.voice.speech[1] * (restored - budget.x)).sum())
    if short > number("mark-near"):
        return ()
    edits: list[Edit] = list(out)
    target, port_id = lead.target.split(".")[:2]
    setting = show.device(target).settings.get(port_id)
    mic = _microphone(budget)
    if (
        setting is not None
        and setting.phantom
        and mic is not None
        and not any(p.phantom_ma for p in mic[1].outputs)
    ):
        edits.append(SetValue(SettingRef(target, port_id, "phantom"), False))
    return (*edits, *_turned_back(budget, -gain))


def _quieter_preamp(budget: Budget) -> Buy | None:
    rows = [row for row in budget.voice.noises if row.ein]
    if not rows:
        return None
    first = min(rows, key=lambda row: row.place)
    best, name = _best_ein(budget, float(budget.x[first.ein_turn]))
    here = ein_at_gain_dbu(first.ein, float(budget.x[first.ein_turn]))
    if best >= here - 0.05:
        return None
    noises = tuple(
        replace(row, level=row.level + best, ein=(), ein_turn=-1) if row is first else row
        for row in budget.voice.noises
    )
    perfect = budget.alone(tuple(row for row in budget.voice.noises if row is not first)) - budget.alone_db
    text = (
        f"The quietest of the catalogue ({name}) has {show_number(best, 'dBu')} at this gain, this one {show_number(here, 'dBu')}; "
        f"a perfect one would buy {show_number(perfect, 'dB')}."
    )
    return _made(budget, "quieter-preamp", "A quieter preamplifier", budget.alone(noises), text)


def _best_ein(budget: Budget, gain: float) -> tuple[float, str]:
    rows = []
    for kind in budget.analysis.catalogue:
        for port in kind.inputs:
            strip = port.strip
            if strip is None or not strip.ein_dbu or strip.gain_db is None or kind.group == "booster":
                continue
            if port.level == "mic" and strip.gain_db[0] <= gain <= strip.gain_db[1]:
                rows.append((ein_at_gain_dbu(strip.ein_dbu, gain), kind.name))
    return min(rows, default=(math.inf, ""))


def _quieter_converter(budget: Budget) -> Buy | None:
    if not any(row.kind == "converter" for row in budget.voice.noises):
        return None
    noises = tuple(row for row in budget.voice.noises if row.kind != "converter")
    text = "What perfect converters would buy: the most that any other can."
    return _made(budget, "quieter-converter", "Perfect converters", budget.alone(noises), text)


def _gain_early(budget: Budget) -> Buy | None:
    """The line-up solver on this chain alone: as much early as ceilings allow, at the level that it has now."""
    gains = [
        turn for turn in budget.model.turns if turn.sort == "gain" and turn.positions > 0 and not turn.held_by
    ]
    if len(gains) < 2:
        return None
    voice = replace(budget.voice, wanted=budget.voice.speech[0] + float(budget.voice.speech[1] @ budget.x))
    try:
        solved = solve(replace(budget.model, voices=(voice,)))
    except ValueError:
        return None
    up = voice.off(solved.x)
    own, _ = voice.noise(solved.x)
    after = min(-own, NOTHING_LEFT_DB)
    moved = [
        f"{turn.label} {show_number(float(value), 'dB', sign=True)}"
        for turn, value in zip(budget.model.turns, solved.x, strict=True)
        if abs(value - turn.now) > 1e-6
    ]
    if not moved:
        return _made(
            budget,
            "gain-early",
            "More gain early",
            budget.alone_db,
            "The gains already stand as early as ceilings allow.",
        )
    edits = tuple(
        edit
        for turn, value in zip(budget.model.turns, solved.x, strict=True)
        if abs(value - turn.now) > 1e-6
        for edit in edits_to(budget.analysis, turn, float(value))
    )
    text = f"{'; '.join(moved)}; speech at the end changes by {show_number(up, 'dB', sign=True)}. It cannot change voice against room."
    return _made(budget, "gain-early", "More gain early", after, text, edits)


def _others_shut(budget: Budget) -> Buy | None:
    if budget.others_db <= -200:
        return None
    text = (
        "Right faders up, all others down while nobody speaks there: only this channel's own noise is left."
    )
    return _made(budget, "others-shut", "The other channels shut", budget.alone_db, text, shut=True)


def booster_verdict(budget: Budget) -> str:
    """What the booster on the way is worth, in plain words; empty without one."""
    worth = booster_worth_db(budget)
    if worth is None:
        return ""
    little, much = number("worth-little"), number("worth-much")
    word = "not worth it" if worth < little else "worth a little" if worth < much else "worth it"
    ranked = shares(budget.ladder.last)
    rows = {row.kind: row for row in shares_of_own(budget)}
    text = f"The booster is worth {show_number(worth, 'dB')} here: {word}."
    if worth < much and "room" in rows:
        without = _preamp_without_booster(budget)
        if without is not None and rows["room"].level_db - without > 0:
            text += f" The room is {rows['room'].level_db - without:.0f} dB louder than the preamplifier would be without it; gain lifts voice and room alike."
    half = half_distance(budget)
    if worth < little and half is not None and half.alone_db > worth:
        text += f" Half the distance buys {show_number(half.alone_db, 'dB')}."
    elif worth < little and ranked and ranked[0].kind == "others":
        text += " What is loudest here comes from the other channels."
    return text


def shares_of_own(budget: Budget) -> tuple[Share, ...]:
    """Shares of what comes in along this chain alone, against the speech."""
    powers: dict[str, float] = {}
    for row in budget.voice.noises:
        powers[row.kind] = powers.get(row.kind, 0.0) + db_to_power(row.at(budget.x))
    return _parted([(kind, NOISE_NAMES[kind], power_to_db(power)) for kind, power in powers.items()])


def _preamp_without_booster(budget: Budget) -> float | None:
    """The next preamplifier's noise against speech if the booster were not there; None without one."""
    found = booster_on(budget)
    if found is None:
        return None
    rows = [row for row in budget.voice.noises if row.ein and row.place >= found[3]]
    if not rows:
        return None
    first = min(rows, key=lambda row: row.place)
    return replace(first, level=first.level + found[1]).at(budget.restored(-found[1]))
