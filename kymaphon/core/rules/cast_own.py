"""Rules about a microphone and its own party: how near, which way, and what a turn of the head does."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kymaphon.core.acoustics.placements import direction_deg
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import figure, number
from kymaphon.core.model.base import NO_SPEECH, Point
from kymaphon.core.model.catalogue.kind import Microphone
from kymaphon.core.model.edits import Edit, SetField
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.placement.head_turns import HeadTurn, turned_level_db, turns_of
from kymaphon.core.placement.moves import Placed, aim, inside, move, placed_in
from kymaphon.core.rules.record import rule

ROUNDED_M = 0.001
"""Positions are kept to the millimetre, so a limit is not missed by less."""


def _each(analysis: Computed) -> Iterator[tuple[Placed, Microphone]]:
    for place in analysis.show.places:
        for row in placed_in(analysis, place.id):
            mic = row.sound.mics[row.mic].kind.microphone
            if mic is not None and row.sound.mics[row.mic].worn is None:
                yield row, mic


def nearest_allowed_m(row: Placed, mic: Microphone) -> float:
    """How near the party may come; a shield against breath lets it come nearer."""
    shield = row.sound.mics[row.mic].device.shield
    return mic.nearest_m * (1.0 if shield == "none" else number("breath-shield"))


def _comes_well(row: Placed) -> bool:
    """Whether what is in front comes as far over the room's noise as is wanted, however far it is."""
    return float(row.sound.voice_over_room[row.mic]) >= number("wanted-snr")


def _talks(analysis: Computed, row: Placed) -> bool:
    return analysis.show.party(row.party).kind not in (*NO_SPEECH, "instrument")


@rule("too-far", stage="Cast", reads=("layout", "takes", "sound"))
def too_far(analysis: Computed) -> Iterator[Finding]:
    """Further from the mouth than the microphone is made for. A kind's range is that of talkers before it: what is wide or loud is taken
    from further on purpose (common practice: a main pair before an orchestra), and is too far only where the room wins.
    """
    for row, mic in _each(analysis):
        well, talks = _comes_well(row), _talks(analysis, row)
        if row.metres <= mic.farthest_m + ROUNDED_M or (well and not talks):
            continue
        near = float(row.sound.voice_over_reverberation[row.mic]) >= number("least-direct")
        near = near and row.metres <= number("little-too-far") * mic.farthest_m
        to = min(max(number("speaking-distance"), nearest_allowed_m(row, mic)), mic.farthest_m)
        gained = 20 * math.log10(row.metres / to)
        over = float(row.sound.voice_over_room[row.mic])
        text = (
            f"{row.party_name} is {show_number(row.metres, 'm')} from {row.name}, which is made for up to "
            f"{show_number(mic.farthest_m, 'm')}: the voice is {show_number(over, 'dB')} over the room. "
            f"{show_number(row.metres - to, 'm')} nearer gains {gained:.1f} dB."
        )
        why = total(
            f"{row.party_name} over the room",
            "dB",
            (
                Derived("direct voice in the microphone", float(row.sound.direct_db[row.voice, row.mic]), "dB SPL"),
                row.sound.sources[row.voice].weighting,
                Derived(
                    "less the place's noise in it", -float(row.sound.ambient_db[row.mic]), "dB", source="A-weighted"
                ),
            ),
        )
        figures = (
            Derived("distance", row.metres, "m"),
            Derived("farthest", mic.farthest_m, "m"),
            Derived("voice over room", over, "dB"),
            Derived("gain", gained, "dB"),
        )
        spot = row.spot(to)
        remedies = _kept(
            row,
            "nearer",
            f"Move {row.name} {show_number(row.metres - to, 'm')} nearer",
            f"{show_number(to, 'm')} from {row.party_name}: {gained:.1f} dB more voice, and no more room.",
            (move(row.device, spot),),
        )
        yield Finding(
            "too-far",
            "note" if well and near else "fix",
            "Cast",
            (row.party, row.device),
            f"{row.name} is too far from {row.party_name}",
            text,
            figures,
            why,
            remedies,
        )


def _kept(row: Placed, name: str, label: str, effect: str, edits: tuple[Edit, ...]) -> tuple[Remedy, ...]:
    """The remedy, when the place allows it."""
    after = row.tried(*edits)
    return (Remedy(name, label, effect, edits),) if after is not None and after.keeps_clear() else ()


@rule("too-near", stage="Cast", reads=("layout", "takes", "sound"))
def too_near(analysis: Computed) -> Iterator[Finding]:
    """Nearer than the microphone is made for: breath blasts, and the low end swells."""
    for row, mic in _each(analysis):
        least = nearest_allowed_m(row, mic)
        if row.metres >= least - ROUNDED_M:
            continue
        rise = row.sound.mics[row.mic].pickup.proximity_db(max(row.metres, number("nearest-distance")))
        lost = 20 * math.log10(least / max(row.metres, number("nearest-distance")))
        bass = f" and lows swell by {rise:.1f} dB at 100 Hz" if rise >= 0.5 else ""
        text = (
            f"{row.party_name} is {show_number(row.metres, 'm')} from {row.name}; nearer than {show_number(least, 'm')} "
            f"breath blasts it{bass}. {show_number(least - row.metres, 'm')} back costs {lost:.1f} dB."
        )
        back = move(row.device, row.spot(least))
        remedies = list(
            _kept(
                row,
                "back",
                f"Move {row.name} {show_number(least - row.metres, 'm')} back",
                f"{show_number(least, 'm')} from {row.party_name}, {lost:.1f} dB less voice and no blasts.",
                (back,),
            )
        )
        shield = row.sound.mics[row.mic].device.shield
        if shield == "none" and row.metres >= mic.nearest_m * number("breath-shield"):
            remedies.append(
                Remedy(
                    "shield",
                    f"Put a foam shield on {row.name}",
                    "breath is stopped; the distance, and so the voice over the room, stays.",
                    (SetField("devices", row.device, "shield", "foam"),),
                )
            )
        why = Derived(
            "rise at 100 Hz by nearness",
            rise,
            "dB",
            "20 lg |A + B (1 + 1/(jkr))|",
            (Derived("distance", row.metres, "m"), Derived("frequency", 100, "Hz")),
            "Eargle, The Microphone Book",
        )
        figures = (
            Derived("distance", row.metres, "m"),
            Derived("nearest", least, "m"),
            Derived("rise at 100 Hz", rise, "dB"),
            Derived("cost", lost, "dB"),
        )
        yield Finding(
            "too-near",
            "fix",
            "Cast",
            (row.party, row.device),
            f"{row.name} is too near {row.party_name}",
            text,
            figures,
            why,
            tuple(remedies),
        )


@rule("off-axis", stage="Cast", reads=("layout", "takes", "sound"))
def off_axis(analysis: Computed) -> Iterator[Finding]:
    """The mouth lies further off the microphone's axis than its pattern tolerates."""
    for row, _ in _each(analysis):
        stand = row.sound.mics[row.mic]
        angle = float(row.sound.angle_deg[row.voice, row.mic])
        limit = stand.pickup.tolerance_deg()
        if stand.aim_deg is None or angle <= limit + 1e-6:
            continue
        loss = float(stand.pickup.gain_db(0.0, row.metres) - stand.pickup.gain_db(angle, row.metres))
        to = direction_deg(row.at, row.mouth)
        text = (
            f"{row.party_name} speaks {angle:.0f}\u00b0 off the axis of {row.name}; {stand.pickup.a_name} tolerates "
            f"{limit:.0f}\u00b0 for {number('off-axis-tolerance'):.0f} dB. {loss:.1f} dB of voice is lost there, and none of the room."
        )
        remedies = (
            (
                Remedy(
                    "aim",
                    f"Turn {row.name} to {row.party_name}",
                    f"on the axis again: {loss:.1f} dB more voice over the room.",
                    (aim(row.device, to),),
                ),
            )
            if to is not None
            else ()
        )
        why = Derived(
            f"{angle:.0f}\u00b0 off {stand.pickup.a_name}",
            -loss,
            "dB",
            stand.pickup.formula,
            source=stand.pickup.source,
        )
        yield Finding(
            "off-axis",
            "fix",
            "Cast",
            (row.party, row.device),
            f"{row.party_name} is off the axis of {row.name}",
            text,
            (Derived("angle", angle, "\u00b0"), Derived("tolerates", limit, "\u00b0"), Derived("loss", loss, "dB")),
            why,
            remedies,
        )


@rule("head-turn", stage="Cast", reads=("layout", "takes", "sound"))
def head_turn(analysis: Computed) -> Iterator[Finding]:
    """Somebody sits beside the talker, and turning to them loses more than is let pass."""
    for place in analysis.show.places:
        for row in placed_in(analysis, place.id):
            stand = row.sound.mics[row.mic]
            if stand.worn is not None or stand.pickup.pattern == "close-talking":
                continue  # what is worn, or held at the lip, comes along well enough
            turns = turns_of(row)
            beside = [turn for turn in turns if turn.towards]
            if not beside:
                continue
            worst = min(beside, key=lambda turn: turn.change_db)
            if worst.change_db >= -number("turn-tolerance"):
                continue
            yield _head_turn(row, turns, worst)


def _head_turn(row: Placed, turns: list[HeadTurn], worst: HeadTurn) -> Finding:
    table = tuple(
        Derived(
            f"{turn.turn_deg:.0f}\u00b0" + (f", to {turn.towards}" if turn.towards else ""),
            turn.change_db,
            "dB",
        )
        for turn in turns
    )
    better = _better_spot(row, worst)
    text = (
        f"When {row.party_name} turns to {worst.towards} ({abs(worst.turn_deg):.0f}\u00b0), the level in {row.name} falls by "
        f"{-worst.change_db:.1f} dB in mid-sentence; more than {number('turn-tolerance'):.0f} dB cannot be mixed."
    )
    remedies: tuple[Remedy, ...] = ()
    if better is not None:
        spot, change, cost = better
        moved = f"costs {-cost:.1f} dB straight ahead" if cost < -0.05 else "costs nothing straight ahead"
        edits: tuple[Edit, ...] = (move(row.device, spot),)
        to = direction_deg(spot, row.mouth)
        if row.sound.mics[row.mic].device.aim_deg is not None and to is not None:
            edits += (aim(row.device, to),)
        remedies = (
            Remedy(
                "between",
                f"Move {row.name} round towards {worst.towards}",
                f"the turn then changes the level by {show_number(change, 'dB', sign=True)}; it {moved}.",
                edits,
            ),
        )
    else:
        text += " No spot at this distance does better: give the talker a microphone worn on the head, or the other a seat further to the front."
    tolerance = figure("turn-tolerance")
    why = Derived(
        f"change in {row.name} when the head turns",
        worst.change_db,
        "dB",
        "distance, pattern and face, turned against straight",
        table,
        tolerance.source,
    )
    figures = (Derived("turn", abs(worst.turn_deg), "\u00b0"), Derived("change", worst.change_db, "dB"))
    return Finding(
        "head-turn",
        "fix",
        "Cast",
        (row.party, row.device),
        f"{row.party_name} turns away from {row.name}",
        text,
        figures,
        why,
        remedies,
    )


def _better_spot(row: Placed, worst: HeadTurn) -> tuple[Point, float, float] | None:
    """A spot at the same distance, between straight ahead and the neighbour, where neither way of facing loses too
    much: spot, change by the turn, cost straight ahead. None when there is none.
    """
    source, stand = row.sound.sources[row.voice], row.sound.mics[row.mic]
    if stand.worn is not None or source.faces_deg is None:
        return None
    straight = turned_level_db(row, 0)
    metres = max(row.metres, stand.kind.microphone.nearest_m if stand.kind.microphone else 0.0)
    best: tuple[Point, float, float] | None = None
    sign = 1 if worst.turn_deg > 0 else -1
    others = [turn for turn in turns_of(row) if turn.towards]
    for step in range(5, int(abs(worst.turn_deg)) + 1, 5):
        spot = row.spot(metres, source.faces_deg + sign * step)
        spot = (round(spot[0], 2), round(spot[1], 2))
        here = turned_level_db(row, 0, spot)
        change = turned_level_db(row, worst.turn_deg, spot) - here
        if best is not None and abs(change) >= abs(best[1]):
            continue
        away = min(turned_level_db(row, turn.turn_deg, spot) - here for turn in others)
        if away < -number("turn-tolerance"):
            continue
        if not inside(row.sound.place, spot) or not row.clear_at(spot):
            continue
        best = spot, change, here - straight
    return best
