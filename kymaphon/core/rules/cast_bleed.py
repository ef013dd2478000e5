"""Rules about what else a microphone hears: the neighbours, loudspeakers, reflections, wind, too many open ones."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kymaphon.core.acoustics import angle_between_deg, comb, travel_ms
from kymaphon.core.analysis import Analysis, Rule
from kymaphon.core.cast import PlaceSound, open_cost_db
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.edits import Edit, SetField, SetValue
from kymaphon.core.figures import number
from kymaphon.core.findings import Finding, Remedy
from kymaphon.core.graph import SettingRef
from kymaphon.core.heard import wind_noise, wind_speed_m_s
from kymaphon.core.mouth import mouth_gain_db
from kymaphon.core.moves import (
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
from kymaphon.core.room import Reflection, reflections
from kymaphon.core.standing import direction_deg

ENOUGH = "double-difference"


def under_own_db(sound: PlaceSound, voice: int, mic: int) -> float:
    """How far a voice lies under the microphone's own one, both direct: with every channel lined up to one mark, that
    is how far its second arrival lies under the first.
    """
    own = int(sound.own[mic])
    return float(sound.direct_db[own, mic] - sound.direct_db[voice, mic])


def three_to_one(analysis: Analysis) -> Iterator[Finding]:
    """A voice reaches two open microphones: both together comb it, unless one lies 9.54 dB under the other."""
    for place in analysis.show.places:
        rows = [row for row in placed_in(analysis, place.id) if row.sound.is_open(row.mic)]
        for other in rows:
            for row in rows:
                if row.party != other.party:
                    found = _pair(analysis, row, other)
                    if found is not None:
                        yield found


def _pair(analysis: Analysis, row: Placed, other: Placed) -> Finding | None:
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
        f"{row.party_name} is in {other.name} only {under:.1f} dB under {other.party_name}. With both channels on one mark "
        f"the two arrivals lie {abs(second - first):.1f} ms apart: hollow, {show_number(peak, 'dB', sign=True)} to "
        f"{show_number(dip, 'dB', sign=True)}, first notch at {notch:.0f} Hz. Wanted: {need:.1f} dB or more."
    )
    why = total(
        f"{row.party_name} under {other.party_name} in {other.name}", "dB",
        (
            Derived(f"{other.party_name} in {other.name}, {show_number(other.metres, 'm')}", float(sound.direct_db[other.voice, other.mic]), "dB"),
            Derived(f"less {row.party_name} in it, {show_number(far, 'm')}", -float(sound.direct_db[row.voice, other.mic]), "dB"),
        ),
        source="three times the distance: 20 lg 3 = 9.54 dB (common practice)",
    )  # fmt: skip
    figures = (
        Derived("under", under, "dB"),
        Derived("wanted", need, "dB"),
        Derived("apart", abs(second - first), "ms"),
        Derived("first notch", notch, "Hz"),
        Derived("peak", peak, "dB"),
        Derived("dip", dip, "dB"),
        Derived("distance", far, "m"),
    )
    title = f"{row.party_name} is in {other.name} too"
    return Finding(
        "three-to-one", "fix", "Cast", (row.party, other.device, other.party), title, text, figures, why,
        _parted(analysis, row, other, need - under),
    )  # fmt: skip


def _parted(analysis: Analysis, row: Placed, other: Placed, need: float) -> tuple[Remedy, ...]:
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
            out.append(Remedy("nearer", f"Move {other.name} {show_number(other.metres - to, 'm')} nearer to {other.party_name}", f"{other.party_name} is {by:.1f} dB louder in it, and {row.party_name} far enough under; turn the gain back by as much.", nearer))  # fmt: skip
    turned = _aimed_away(other, row)
    if turned is not None and enough(turned) is not None:
        out.append(Remedy("aim", f"Turn {other.name} away from {row.party_name}", f"{row.party_name} falls into its quiet side; {other.party_name} stays in front of it.", (turned,)))  # fmt: skip
    apart = _stepped_apart(other, row, enough)
    if apart is not None:
        metres, edits = apart
        out.append(Remedy("apart", f"Put {other.party_name} and {other.name} {show_number(metres, 'm')} further away", f"{row.party_name} is then far enough under {other.party_name} in it.", edits))  # fmt: skip
    knob = fader_of(analysis, other.device)
    down = turned_down(knob, need) if knob is not None else None
    if knob is not None and down is not None and isinstance(down.value, float):
        out.append(Remedy("level", f"Take {knob.value - down.value:.0f} dB off while {other.party_name} is silent: {knob.label}", f"the second arrival of {row.party_name} lies far enough under; turn it up again when {other.party_name} speaks.", (down,)))  # fmt: skip
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
    limit = stand.pickup.tolerance_deg() * 0.8
    options = [own + step for step in range(-int(limit), int(limit) + 1, 5)]
    gains = [
        float(stand.pickup.gain_db(abs((away - option + 180) % 360 - 180), 1.0) - stand.pickup.gain_db(abs(option - own), 1.0))
        for option in options
    ]  # fmt: skip
    return aim(mic.device, options[min(range(len(options)), key=gains.__getitem__)])


def _stepped_apart(mic: Placed, from_: Placed, enough: object) -> tuple[float, tuple[Edit, ...]] | None:
    """Talker and microphone carried straight away from the other talker, in steps of a hand's breadth."""
    assert callable(enough)
    away = direction_deg(from_.mouth, mic.mouth)
    if away is None:
        return None
    for step in range(1, 31):
        metres = step / 10
        party, device = along(mic.mouth, away, metres), along(mic.at, away, metres)
        if held_inside(mic.sound.place, party) != party or held_inside(mic.sound.place, device) != device:
            return None
        edits: tuple[Edit, ...] = (
            SetField("parties", mic.party, "at_m", rounded(party)),
            move(mic.device, device),
        )
        if enough(*edits) is not None:
            return metres, edits
    return None


def loudspeaker_into_microphone(analysis: Analysis) -> Iterator[Finding]:
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


def _loudspeaker(analysis: Analysis, row: Placed, v: int, under: float) -> Finding:
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
    remedies = []
    for name, label, effect, edits in _loudspeaker_moves(row, v):
        after = row.tried(*edits)
        if after is None or not after.keeps_clear():
            continue
        now = float(
            after.sound.own_db[after.mic]
            - after.sound.level_db[after.sound.source_index[source.id], after.mic]
        )
        if now >= number(ENOUGH):
            remedies.append(Remedy(name, label, f"{effect}: {now:.1f} dB under {row.party_name}.", edits))
    down = _turned_loudspeaker_down(analysis, source.id, number(ENOUGH) - under)
    if down is not None:
        remedies.append(down)
    why = total(
        f"{source.name} under {row.party_name} in {row.name}", "dB",
        (
            Derived(f"{row.party_name} in it", float(row.sound.own_db[row.mic]), "dB"),
            Derived(f"less {source.name}: {source.level.name} {source.level.text()}", -float(row.sound.level_db[v, row.mic]), "dB", source=source.level.source),
        ),
    )  # fmt: skip
    figures = (
        Derived("under", under, "dB"),
        Derived("wanted", number(ENOUGH), "dB"),
        Derived("angle", angle, "\u00b0"),
    )
    return Finding(
        "loudspeaker-into-microphone", "fix", "Cast", (source.id, row.device), f"{source.name} points into {row.name}",
        text, figures, why, tuple(remedies),
    )  # fmt: skip


def _loudspeaker_moves(row: Placed, v: int) -> Iterator[tuple[str, str, str, tuple[Edit, ...]]]:
    source, stand = row.sound.sources[v], row.sound.mics[row.mic]
    own = direction_deg(row.at, row.mouth)
    to = direction_deg(row.at, source.at)
    if (
        own is not None
        and to is not None
        and stand.worn is None
        and stand.pickup.pattern not in ("omni", "boundary")
    ):
        limit = int(stand.pickup.tolerance_deg() * 0.8)
        options = range(-limit, limit + 1, 5)
        gain = stand.pickup.gain_db
        step = min(
            options,
            key=lambda step: float(
                gain(abs((to - own - step + 180) % 360 - 180), 2.0) - gain(abs(step), 2.0)
            ),
        )
        yield (
            "aim",
            f"Turn {row.name}, its quiet side to {source.name}",
            "it is then",
            (aim(row.device, own + step),),
        )
    throws = source.kind is not None and source.kind.pattern not in (None, "omni")
    back = direction_deg(source.at, row.at)
    if throws and back is not None:
        yield "turn", f"Turn {source.name} away from {row.name}", "it is then", (aim(source.id, back + 180),)
    if own is not None and to is not None and stand.kind.microphone is not None and stand.worn is None:
        nearest = stand.kind.microphone.nearest_m
        if row.metres > nearest * 1.05:
            yield (
                "nearer", f"Move {row.name} {show_number(row.metres - nearest, 'm')} nearer to {row.party_name}",
                "it is then", (move(row.device, row.spot(nearest)),),
            )  # fmt: skip


def _turned_loudspeaker_down(analysis: Analysis, device: str, by_db: float) -> Remedy | None:
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
                    return Remedy("level", f"Take {off:.0f} dB off: {knob.label}", f"the loudspeaker is {off:.0f} dB quieter.", (down,))  # fmt: skip
    return None


def _back(analysis: Analysis, node: int) -> Iterator[tuple[int, int, float]]:
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


def reflection_close(analysis: Analysis) -> Iterator[Finding]:
    """A surface so near that its reflection combs the voice."""
    for place in analysis.show.places:
        for row in placed_in(analysis, place.id):
            stand = row.sound.mics[row.mic]
            if stand.goes_along or stand.pickup.pattern == "boundary":
                continue
            found = [(under, way) for way in reflections(place, row.mouth, row.at) if (under := reflected_db(row, way)) < number(ENOUGH)]  # fmt: skip
            if found:
                yield _reflection(row, *min(found, key=lambda item: item[0]))


def reflected_db(row: Placed, way: Reflection) -> float:
    """How far a reflection lies under the direct voice in a microphone, in dB."""
    stand, source = row.sound.mics[row.mic], row.sound.sources[row.voice]
    off = way.off_deg
    if off is None:
        off = angle_between_deg(row.at, stand.aim_deg, way.point) if stand.aim_deg is not None else 0.0
    direct = stand.pickup.gain_db(row.sound.angle_deg[row.voice, row.mic], row.metres)
    lost = float(direct - stand.pickup.gain_db(off, max(way.length_m, row.metres)))
    if source.faces_deg is not None and way.off_deg is None:
        leaves = angle_between_deg(source.at, source.faces_deg, way.point)
        lost += float(mouth_gain_db(row.sound.face_deg[row.voice, row.mic]) - mouth_gain_db(leaves))
    return lost - way.loss_db


def _reflection(row: Placed, under: float, way: Reflection) -> Finding:
    apart = travel_ms(way.length_m) - travel_ms(way.direct_m)
    notch, peak, dip = comb(0.0, max(apart, 1e-3), max(under, 0.0))
    text = (
        f"{row.party_name} reaches {row.name} a second time by {way.surface}, {apart:.2f} ms later and {under:.1f} dB under: "
        f"{show_number(peak, 'dB', sign=True)} to {show_number(dip, 'dB', sign=True)}, first notch at {notch:.0f} Hz."
    )
    remedies = []
    mic = row.sound.mics[row.mic].kind.microphone
    for metres in (row.metres * share for share in (0.75, 0.5, 0.33)):
        if mic is None or metres < mic.nearest_m:
            continue
        edits = (move(row.device, row.spot(metres)),)
        after = row.tried(*edits)
        if after is None or not after.keeps_clear():
            continue
        again = [reflected_db(after, other) for other in reflections(row.sound.place, after.mouth, after.at)]
        if min(again, default=math.inf) >= number(ENOUGH):
            remedies.append(Remedy("nearer", f"Move {row.name} {show_number(row.metres - metres, 'm')} nearer", f"the reflection is then {min(again, default=0.0):.1f} dB under.", edits))  # fmt: skip
            break
    surface = next(
        (item for item in row.sound.place.surfaces if item.name == way.surface and item.finish == "hard"),
        None,
    )
    softer = number("hard-reflection") - number("soft-reflection")
    if surface is not None and under + softer >= number(ENOUGH):
        rows = tuple(
            item.with_(finish="soft") if item.id == surface.id else item for item in row.sound.place.surfaces
        )
        remedies.append(Remedy("cover", f"Cover {surface.name} with cloth", f"about {softer:.1f} dB less comes back at the frequencies of speech.", (SetField("places", row.sound.place.id, "surfaces", rows),)))  # fmt: skip
    why = Derived(
        "reflection against the direct voice", -under, "dB", "distance, surface, pattern and face",
        (
            Derived("straight", way.direct_m, "m"),
            Derived(f"by {way.surface}", way.length_m, "m"),
            Derived("by distance and surface", way.loss_db, "dB", "image method"),
        ),
        "image method; heights above a table assumed",
    )  # fmt: skip
    figures = (
        Derived("under", under, "dB"), Derived("apart", apart, "ms"), Derived("first notch", notch, "Hz"),
        Derived("peak", peak, "dB"), Derived("dip", dip, "dB"),
    )  # fmt: skip
    return Finding(
        "reflection-close", "fix", "Cast", (row.party, row.device), f"{way.surface} reflects into {row.name}"[:1].upper() + f"{way.surface} reflects into {row.name}"[1:],
        text, figures, why, tuple(remedies),
    )  # fmt: skip


def wind_unshielded(analysis: Analysis) -> Iterator[Finding]:
    """A microphone in the wind without a shield, and the wind nearly as loud in it as the voice."""
    for place in analysis.show.places:
        if wind_speed_m_s(place) <= 0:
            continue
        sound = analysis.sound(place.id)
        for m, stand in enumerate(sound.mics):
            if stand.device.shield != "none":
                continue
            wind = wind_noise(place, stand)
            own = float(sound.own_db[m])
            over = (own if not math.isnan(own) else 0.0) - (wind.value if wind else 0.0)
            if wind is None or (not math.isnan(own) and over >= number("wanted-snr")):
                continue
            fur, foam = number("shield-fur"), number("shield-foam")
            against = (
                "" if math.isnan(own) else f"; {stand.own.name if stand.own else ''} is {over:.1f} dB over it"
            )
            assumed = "" if place.wind_m_s is not None else " (assumed)"
            text = (
                f"{stand.name} has no shield in a wind of {wind_speed_m_s(place):.0f} m/s{assumed}: it makes "
                f"{show_number(wind.value, 'dB SPL')} in it{against}. Foam takes off {foam:.0f} dB, fur {fur:.0f}."
            )
            names = (
                ("fur", "foam") if math.isnan(own) or over + foam < number("wanted-snr") else ("foam", "fur")
            )
            remedies = tuple(
                Remedy(f"shield-{name}", f"Put {'fur over a basket' if name == 'fur' else 'a foam shield'} on {stand.name}", f"{number(f'shield-{name}'):.0f} dB less wind.", (SetField("devices", stand.device.id, "shield", name),))
                for name in names
            )  # fmt: skip
            figures = (Derived("wind", wind.value, "dB SPL"),) + (() if math.isnan(own) else (Derived("voice over wind", over, "dB"),))  # fmt: skip
            yield Finding(
                "wind-unshielded", "fix", "Cast", (stand.device.id,), f"{stand.name} stands bare in the wind", text, figures,
                wind, remedies,
            )  # fmt: skip


def open_microphones(analysis: Analysis) -> Iterator[Finding]:
    """More microphones open in a place than there is to hear: each doubling costs 3 dB."""
    for place in analysis.show.places:
        sound = analysis.sound(place.id)
        opened = [m for m in range(len(sound.mics)) if sound.is_open(m)]
        best: dict[int, int] = {}
        for m in opened:
            v = int(sound.own[m])
            if v >= 0 and (v not in best or sound.voice_over_room[m] > sound.voice_over_room[best[v]]):
                best[v] = m
        spare = [m for m in opened if m not in best.values()]
        needed = max(len(opened) - len(spare), 1)
        cost = open_cost_db(len(opened)) - open_cost_db(needed)
        if not spare or cost < number("nom-tolerance"):
            continue
        names = ", ".join(sound.mics[m].name for m in spare)
        text = (
            f"{len(opened)} microphones are open in {place.name} and {needed} would do ({names} not needed): "
            f"{cost:.1f} dB less margin before feedback, and as much more room noise."
        )
        why = Derived(
            "cost of the open microphones", cost, "dB", f"10 lg({len(opened)} / {needed})",
            (Derived("open", len(opened), ""), Derived("needed", needed, "")),
            "10 lg NOM: Davis & Patronis, Sound System Engineering",
        )  # fmt: skip
        edits = tuple(edit for m in spare if (edit := _mute(analysis, sound.mics[m].device.id)) is not None)
        remedies = (Remedy("mute", f"Mute {names}", f"{needed} open: {cost:.1f} dB regained.", edits),) if len(edits) == len(spare) else ()  # fmt: skip
        yield Finding(
            "open-microphones", "fix", "Cast", (place.id, *(sound.mics[m].device.id for m in spare)),
            f"{len(spare)} microphone{'s' if len(spare) > 1 else ''} too many open in {place.name}", text,
            (Derived("open", len(opened), ""), Derived("needed", needed, ""), Derived("cost", cost, "dB")), why, remedies,
        )  # fmt: skip


def _mute(analysis: Analysis, device: str) -> SetValue | None:
    """The mute of the channel behind a microphone, or its fader all down."""
    knob = fader_of(analysis, device)
    if knob is None:
        return None
    for edge in analysis.graph.edges:
        for switch in edge.switches:
            if switch.ref == SettingRef(knob.ref.device, knob.ref.key, "mute"):
                return SetValue(switch.ref, True)
    return SetValue(knob.ref, knob.lowest) if knob.ref.field == "fader_db" else None


RULES: tuple[Rule, ...] = (
    three_to_one,
    loudspeaker_into_microphone,
    reflection_close,
    wind_unshielded,
    open_microphones,
)
