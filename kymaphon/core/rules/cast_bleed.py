"""Rules about who else is in a microphone: the neighbours, three to one, and loudspeakers."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from functools import partial

import numpy as np

from kymaphon.core.acoustics.cast import ENOUGH, PlaceSound
from kymaphon.core.acoustics.pickup import Pickup
from kymaphon.core.acoustics.placements import direction_deg
from kymaphon.core.acoustics.sound import comb, travel_ms
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.model.edits import Edit, SetField
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.placement.moves import (
    Placed,
    aim,
    along,
    fader_of,
    held_inside,
    move,
    placed_in,
    rounded,
    turned_down,
)
from kymaphon.core.rules.record import rule

WITHIN = 0.8
"""Share of the tolerated angle within which the own voice is kept when a microphone is turned."""


def under_own_db(sound: PlaceSound, voice: int, mic: int) -> float:
    """How far a voice lies under the microphone's own one, both direct: with every channel lined up to one mark, that
    is how far its second arrival lies under the first.
    """
    own = int(sound.own[mic])
    return float(sound.direct_db[own, mic] - sound.direct_db[voice, mic])


@rule("three-to-one", stage="Cast", reads=("levels",))
def three_to_one(analysis: Computed) -> Iterator[Finding]:
    """A voice reaches two open microphones: both together comb it, unless one lies 9.54 dB under the other."""
    for place in analysis.show.places:
        rows = [row for row in placed_in(analysis, place.id) if row.sound.is_open(row.mic)]
        for other in rows:
            for row in rows:
                if row.party != other.party:
                    found = _pair(analysis, row, other)
                    if found is not None:
                        yield found


def _pair(analysis: Computed, row: Placed, other: Placed) -> Finding | None:
    """The voice of one microphone in another."""
    sound = row.sound
    under = under_own_db(sound, row.voice, other.mic)
    need = number(ENOUGH)
    if under >= need - 0.005:
        return None
    near, far = row.metres, float(sound.distance_m[row.voice, other.mic])
    first, second = travel_ms(near), travel_ms(far)
    if abs(second - first) < 1e-6:
        return None
    notch, peak, dip = comb(first, second, max(under, 0.0))
    text = (
        f"{row.party_name} is in {other.name} {_under_words(under)} {other.party_name}{_with_the_room(row, other, under)}. "
        "With both channels on one mark "
        f"the two arrivals lie {abs(second - first):.1f} ms apart: hollow, {show_number(peak, 'dB', sign=True)} to "
        f"{show_number(dip, 'dB', sign=True)}, first notch at {notch:.0f} Hz. Wanted: {need:.1f} dB or more."
    )
    why = total(
        f"{row.party_name} under {other.party_name} in {other.name}",
        "dB",
        (
            Derived(
                f"{other.party_name} in {other.name}, {show_number(other.metres, 'm')}",
                float(sound.direct_db[other.voice, other.mic]),
                "dB",
            ),
            Derived(
                f"less {row.party_name} in it, {show_number(far, 'm')}",
                -float(sound.direct_db[row.voice, other.mic]),
                "dB",
            ),
        ),
        source="three times the distance: 20 lg 3 = 9.54 dB (common practice)",
    )
    figures = (
        Derived("under", under, "dB"),
        Derived(
            "under with the room",
            _whole_under(row, other),
            "dB",
            source="levels in the microphone, the room's sound in them",
        ),
        Derived("wanted", need, "dB"),
        Derived("apart", abs(second - first), "ms"),
        Derived("first notch", notch, "Hz"),
        Derived("peak", peak, "dB"),
        Derived("dip", dip, "dB"),
        Derived("distance", far, "m"),
    )
    title = f"Bleed: {row.party_name} is in {other.name} too"
    return Finding(
        "three-to-one",
        "fix",
        "Cast",
        (row.party, other.device, other.party),
        title,
        text,
        figures,
        why,
        Later(partial(_parted, analysis, row, other, need - under)),
    )


def _whole_under(row: Placed, other: Placed) -> float:
    """How far a voice lies under the microphone's own one with all that the room returns, dB."""
    return float(row.sound.own_db[other.mic] - row.sound.level_db[row.voice, other.mic])


def _with_the_room(row: Placed, other: Placed, under: float) -> str:
    """What the table of who is in which microphone says instead, where the room makes a difference; for direct sound combs."""
    whole = _whole_under(row, other)
    if abs(whole - under) < number("edge-inside"):
        return ""
    return f" by direct sound, which is what combs ({abs(whole):.1f} dB {'under' if whole >= 0 else 'over'} with the room's)"


def _under_words(under: float) -> str:
    return f"only {under:.1f} dB under" if under >= 0 else f"{-under:.1f} dB over"


def _parted(analysis: Computed, row: Placed, other: Placed, need: float) -> tuple[Remedy, ...]:
    """Moves that put the voice far enough under: nearer to the own talker, turned away, further apart; a level change."""

    def enough(*edits: Edit) -> Placed | None:
        after = other.tried(*edits)
        if after is None or not after.keeps_clear():
            return None
        voice = after.sound.source_index[row.party]
        return after if under_own_db(after.sound, voice, after.mic) >= number(ENOUGH) else None

    out: list[Remedy] = []
    mic = other.sound.mics[other.mic].kind.microphone
    to = math.floor(other.metres * 10 ** (-need / 20) * 100) / 100
    if mic is not None and mic.worn is None and to >= mic.nearest_m:
        nearer = (move(other.device, other.spot(to)),)
        after = enough(*nearer)
        if after is not None:
            by = 20 * math.log10(other.metres / to)
            out.append(
                Remedy(
                    "nearer",
                    f"Move {other.name} {show_number(other.metres - to, 'm')} nearer to {other.party_name}",
                    f"{other.party_name} is {by:.1f} dB louder in it, and {row.party_name} far enough under; turn the gain back by as much.",
                    nearer,
                )
            )
    turned = _aimed_away(other, row)
    if turned is not None and enough(turned) is not None:
        out.append(
            Remedy(
                "aim",
                f"Turn {other.name} away from {row.party_name}",
                f"{row.party_name} falls into its quiet side; {other.party_name} stays in front of it.",
                (turned,),
            )
        )
    apart = _stepped_apart(other, row, enough)
    if apart is not None:
        metres, edits = apart
        out.append(
            Remedy(
                "apart",
                f"Put {other.party_name} and {other.name} {show_number(metres, 'm')} further away",
                f"{row.party_name} is then far enough under {other.party_name} in it.",
                edits,
            )
        )
    knob = fader_of(analysis, other.device)
    down = turned_down(knob, need) if knob is not None else None
    if knob is not None and down is not None and isinstance(down.value, float):
        out.append(
            Remedy(
                "level",
                f"Take {knob.value - down.value:.0f} dB off while {other.party_name} is silent: {knob.label}",
                f"the second arrival of {row.party_name} lies far enough under; turn it up again when {other.party_name} speaks.",
                (down,),
            )
        )
    return tuple(out)


def _aimed_away(mic: Placed, from_: Placed) -> SetField | None:
    """The microphone turned so that a talker comes near its quietest angle, its own party still in front."""
    stand = mic.sound.mics[mic.mic]
    if stand.worn is not None or stand.pickup.pattern in ("omni", "boundary") or stand.at is None:
        return None
    own = direction_deg(stand.at, mic.mouth)
    away = direction_deg(stand.at, from_.mouth)
    if own is None or away is None:
        return None
    return aim(mic.device, quiet_aim_deg(stand.pickup, own, away))


def quiet_aim_deg(pickup: Pickup, own_deg: float, away_deg: float) -> float:
    """Where to aim so that a sound from one direction is picked up least against the own voice from another, which stays
    well within what the pattern tolerates.
    """
    limit = int(pickup.tolerance_deg() * WITHIN)
    turns = np.arange(-limit, limit + 1, 5, dtype=float)
    off = np.abs((away_deg - own_deg - turns + 180) % 360 - 180)
    gains = pickup.gain_db(off, 1.0) - pickup.gain_db(np.abs(turns), 1.0)
    return own_deg + float(turns[int(np.argmin(gains))])


def _stepped_apart(
    mic: Placed, from_: Placed, enough: Callable[..., Placed | None]
) -> tuple[float, tuple[Edit, ...]] | None:
    """Talker and microphone carried straight away from the other talker, in steps of a hand's breadth."""
    away = direction_deg(from_.mouth, mic.mouth)
    if away is None:
        return None
    for step in range(1, 31):
        metres = step / 10
        party, device = along(mic.mouth, away, metres), along(mic.at, away, metres)
        if held_inside(mic.sound.place, party) != party or held_inside(mic.sound.place, device) != device:
            return None
        edits: tuple[Edit, ...] = (SetField("parties", mic.party, "at_m", rounded(party)),)
        if not mic.sound.mics[mic.mic].goes_along:
            edits += (move(mic.device, device),)
        if enough(*edits) is not None:
            return metres, edits
    return None


@rule("loudspeaker-into-microphone", stage="Cast", reads=("levels",))
def loudspeaker_into_microphone(analysis: Computed) -> Iterator[Finding]:
    """A loudspeaker that an open microphone hears nearly as loud as its own party."""
    for place in analysis.show.places:
        for row in placed_in(analysis, place.id):
            if not row.sound.is_open(row.mic):
                continue
            for v, source in enumerate(row.sound.sources):
                if source.device is None:
                    continue
                under = float(row.sound.own_db[row.mic] - row.sound.level_db[v, row.mic])
                if under < number(ENOUGH):
                    yield _loudspeaker(analysis, row, v, under)


def _loudspeaker(analysis: Computed, row: Placed, v: int, under: float) -> Finding:
    source, stand = row.sound.sources[v], row.sound.mics[row.mic]
    angle = float(row.sound.angle_deg[v, row.mic])
    metres = float(row.sound.distance_m[v, row.mic])
    best = stand.pickup.quietest_deg()
    sees = f"{angle:.0f}\u00b0 off its axis" if stand.aim_deg is not None else "from no known side"
    quiet = "" if stand.pickup.pattern in ("omni", "boundary") else f"; its quietest side is {best:.0f}\u00b0"
    text = (
        f"{source.name} is in {row.name} {abs(under):.1f} dB {'under' if under >= 0 else 'over'} {row.party_name}, from "
        f"{show_number(metres, 'm')}, {sees}{quiet}. What it plays goes on air a second time, and may ring."
    )
    plugged = any(row.target_device == source.id for row in analysis.show.cables)
    if not plugged:
        text = f"Nothing is plugged into it yet; at {show_number(source.level.value, 'dB SPL')} at 1 m {text}"
    remedies = []
    for name, label, effect, edits in _loudspeaker_moves(row, v):
        after = row.tried(*edits)
        if after is None or not after.keeps_clear():
            continue
        now = float(
            after.sound.own_db[after.mic] - after.sound.level_db[after.sound.source_index[source.id], after.mic]
        )
        if now >= number(ENOUGH):
            remedies.append(Remedy(name, label, f"{effect}: {now:.1f} dB under {row.party_name}.", edits))
    down = _turned_loudspeaker_down(analysis, source.id, number(ENOUGH) - under)
    if down is not None:
        remedies.append(down)
    why = total(
        f"{source.name} under {row.party_name} in {row.name}",
        "dB",
        (
            Derived(f"{row.party_name} in it", float(row.sound.own_db[row.mic]), "dB"),
            Derived(
                f"less {source.name}: {source.level.name} {source.level.text()}",
                -float(row.sound.level_db[v, row.mic]),
                "dB",
                source=source.level.source,
            ),
        ),
    )
    figures = (
        Derived("under", under, "dB"),
        Derived("wanted", number(ENOUGH), "dB"),
        Derived("angle", angle, "\u00b0"),
    )
    return Finding(
        "loudspeaker-into-microphone",
        "fix" if plugged else "note",
        "Cast",
        (source.id, row.device),
        f"{source.name} points into {row.name}",
        text,
        figures,
        why,
        tuple(remedies),
    )


def _loudspeaker_moves(row: Placed, v: int) -> Iterator[tuple[str, str, str, tuple[Edit, ...]]]:
    source, stand = row.sound.sources[v], row.sound.mics[row.mic]
    own = direction_deg(row.at, row.mouth)
    to = direction_deg(row.at, source.at)
    if own is not None and to is not None and stand.worn is None and stand.pickup.pattern not in ("omni", "boundary"):
        turned = aim(row.device, quiet_aim_deg(stand.pickup, own, to))
        yield "aim", f"Turn {row.name}, its quiet side to {source.name}", "it is then", (turned,)
    throws = source.kind is not None and source.kind.pattern not in (None, "omni")
    back = direction_deg(source.at, row.at)
    if throws and back is not None:
        yield "turn", f"Turn {source.name} away from {row.name}", "it is then", (aim(source.id, back + 180),)
    if own is not None and to is not None and stand.kind.microphone is not None and stand.worn is None:
        nearest = stand.kind.microphone.nearest_m
        if row.metres > nearest * 1.05:
            yield (
                "nearer",
                f"Move {row.name} {show_number(row.metres - nearest, 'm')} nearer to {row.party_name}",
                "it is then",
                (move(row.device, row.spot(nearest)),),
            )


def _turned_loudspeaker_down(analysis: Computed, device: str, by_db: float) -> Remedy | None:
    """The last knob before the loudspeaker, turned down by so much."""
    graph = analysis.graph
    if device not in analysis.loudspeaker_db:
        return None
    node = next(i for i, row in enumerate(graph.nodes) if row.owner == device and row.unit == "dB SPL")
    for _, source, _ in _back(analysis, node):
        for edge in (graph.edges[i] for i, _, _ in graph.steps_in[source]):
            for knob in reversed(edge.knobs):
                down = turned_down(knob, by_db)
                if down is not None and isinstance(down.value, float):
                    off = knob.value - down.value
                    return Remedy(
                        "level",
                        f"Take {off:.0f} dB off: {knob.label}",
                        f"the loudspeaker is {off:.0f} dB quieter.",
                        (down,),
                    )
    return None


def _back(analysis: Computed, node: int) -> Iterator[tuple[int, int, float]]:
    """Upwards along the loudest step each time, as far as there is one."""
    seen = set()
    step = (0, node, 0.0)
    while step[1] not in seen:
        seen.add(step[1])
        yield step
        ways = analysis.graph.steps_in[step[1]]
        if not ways:
            return
        step = max(ways, key=lambda row: row[2])
