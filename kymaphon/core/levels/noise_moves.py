"""What each possible move would buy against noise, ranked.

A move is told at one speech level at the end: what it makes louder is taken back at the first gains on the way, within
their ranges, and each preamplifier's equivalent input noise is that of the gain it then has.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from kymaphon.core.acoustics.pickup import Pickup
from kymaphon.core.acoustics.sound import PATTERNS
from kymaphon.core.computing.compute import without_rules
from kymaphon.core.derive import Derived, in_sentence, show_number
from kymaphon.core.graph.own_noise import own_ein
from kymaphon.core.levels.boosters import booster_move
from kymaphon.core.levels.budget import (
    NOTHING_LEFT_DB,
    Budget,
    Buy,
    budget_of,
    half_distance,
    microphone_of,
    move_made,
)
from kymaphon.core.levels.lineup.model import edits_to
from kymaphon.core.levels.lineup.solver import solve
from kymaphon.core.model.catalogue.kind import Microphone
from kymaphon.core.model.edits import Edit, SetField, apply_all
from kymaphon.core.model.show import Place
from kymaphon.core.noise import ein_at_gain_dbu


def buys(budget: Budget) -> tuple[Buy, ...]:
    """Every move that makes sense here, what buys most first."""
    return _ranked([*_quick(budget), _gain_early(budget)])


def quick_buys(budget: Budget) -> tuple[Buy, ...]:
    """The same but for gain early, which takes the line-up solver."""
    return _ranked(_quick(budget))


def _quick(budget: Budget) -> list[Buy | None]:
    return [
        half_distance(budget),
        _tighter(budget),
        *_noises_off(budget),
        _quieter_room(budget),
        booster_move(budget),
        _quieter_preamp(budget),
        _quieter_converter(budget),
        _others_shut(budget),
    ]


def _ranked(rows: Sequence[Buy | None]) -> tuple[Buy, ...]:
    found = [row for row in rows if row is not None]
    return tuple(sorted(found, key=lambda row: (-round(row.gain_db, 1), -row.alone_db)))


TIGHTER = ("omni", "wide-cardioid", "cardioid", "supercardioid", "hypercardioid")


def _tighter(budget: Budget) -> Buy | None:
    found = microphone_of(budget)
    if found is None or found[1].microphone is None or found[1].microphone.pattern not in TIGHTER[:-1]:
        return None
    mic: Microphone = found[1].microphone
    after = TIGHTER[TIGHTER.index(mic.pattern) + 1]
    noise = "room-tone"
    change = Pickup(after).diffuse_db(noise) - Pickup(mic.pattern).diffuse_db(noise)
    noises = tuple(replace(row, level=row.level + change) if row.kind == "room" else row for row in budget.voice.noises)
    text = (
        f"As {Pickup(after).a_name} instead of {Pickup(mic.pattern).a_name}, {show_number(-change, 'dB')} less of a diffuse room "
        f"(pattern part A {PATTERNS[after]:g}); noise that stands in its axis stays."
    )
    return move_made(budget, "tighter", "A tighter pattern", budget.alone(noises), text)


def _place_of(budget: Budget) -> Place | None:
    """The place of the voice's microphone."""
    found = microphone_of(budget)
    name = found[0].place if found is not None else None
    return next((row for row in budget.analysis.show.places if row.id == name), None)


def _noises_off(budget: Budget) -> list[Buy | None]:
    """Each noise that stands in the voice's place, switched off or carried out: quieter in every microphone there."""
    place = _place_of(budget)
    if place is None or not budget.analysis.remedies:
        return []
    return [
        _on_the_show(
            budget,
            f"off-{spot.id}",
            f"{spot.name} off",
            f"{spot.name} switched off or carried out: {spot.level_dba_1m:.0f} dBA at 1 m of it go, in every microphone there.",
            (SetField("places", place.id, "noises", tuple(row for row in place.noises if row.id != spot.id)),),
            done=True,
        )
        for spot in place.noises
    ]


def _quieter_room(budget: Budget) -> Buy | None:
    place = _place_of(budget)
    if place is None or not any(row.kind == "room" for row in budget.voice.noises):
        return None
    text = "A window shut, another room: everything around it 10 dB down, in all its microphones."
    noises = tuple(row.with_(level_dba_1m=max(row.level_dba_1m - 10, 0.0)) for row in place.noises)
    edits = (
        SetField("places", place.id, "ambient_dba", max(place.ambient_dba - 10, 0.0)),
        SetField("places", place.id, "noises", noises),
    )
    return _on_the_show(budget, "quieter-room", "A room 10 dB quieter", text, edits, done=False)


def _on_the_show(
    budget: Budget, move: str, label: str, text: str, edits: tuple[Edit, ...], *, done: bool
) -> Buy | None:
    """What a change of the place buys, on the changed show: it is quieter in all microphones of it.

    Args:
        done: whether the edits can be offered; else the move is only a comparison.
    """
    analysis, ladder = budget.analysis, budget.ladder
    after = without_rules(apply_all(analysis.show, edits), analysis.catalogue)
    then = budget_of(after, ladder.voice, ladder.target)
    if then is None:
        return None
    terms = (
        Derived("voice over noise now", budget.over_noise_db, "dB"),
        Derived(f"with: {in_sentence(label)}", then.over_noise_db, "dB", source="the changed show"),
    )
    gain = then.over_noise_db - budget.over_noise_db
    why = Derived(f"{label} buys", gain, "dB", "with it \u2212 now", terms, "noises add as powers")
    return Buy(move, label, gain, then.alone_db - budget.alone_db, text, edits if done else (), why)


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
        f"The quietest of the catalogue ({name}) adds {show_number(best, 'dBu')} of its own at this gain, this one {show_number(here, 'dBu')}; "
        f"a perfect one would buy {show_number(perfect, 'dB')}."
    )
    return move_made(budget, "quieter-preamp", "A quieter preamplifier", budget.alone(noises), text)


def _best_ein(budget: Budget, gain: float) -> tuple[float, str]:
    rows = []
    for kind in budget.analysis.catalogue:
        for port in kind.inputs:
            strip = port.strip
            if strip is None or not strip.ein_dbu or strip.gain_db is None or kind.is_booster:
                continue
            if port.level == "mic" and strip.gain_db[0] <= gain <= strip.gain_db[1]:
                rows.append((ein_at_gain_dbu(own_ein(strip), gain), kind.name))
    return min(rows, default=(math.inf, ""))


def _quieter_converter(budget: Budget) -> Buy | None:
    if not any(row.kind == "converter" for row in budget.voice.noises):
        return None
    noises = tuple(row for row in budget.voice.noises if row.kind != "converter")
    text = "What perfect converters would buy: the most that any other can."
    return move_made(budget, "quieter-converter", "Perfect converters", budget.alone(noises), text)


def _gain_early(budget: Budget) -> Buy | None:
    """The line-up solver on this chain alone: as much early as ceilings allow, at the level that it has now."""
    gains = [turn for turn in budget.model.turns if turn.sort == "gain" and turn.positions > 0 and not turn.held_by]
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
        return move_made(
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
    if any(
        turn.ref in budget.shared
        for turn, value in zip(budget.model.turns, solved.x, strict=True)
        if abs(value - turn.now) > 1e-6
    ):
        text += " That moves other voices too: Line-up does it for all of them."
        edits = ()
    return move_made(budget, "gain-early", "More gain early", after, text, edits)


def _others_shut(budget: Budget) -> Buy | None:
    if budget.others_db == -math.inf:
        return None
    text = "Right faders up, all others down while nobody speaks there: only this channel's own noise is left."
    return move_made(budget, "others-shut", "The other channels shut", budget.alone_db, text, shut=True)
