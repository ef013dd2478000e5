"""Rules about gain against noise: clipping, headroom, the mark, which noise wins, what is only assumed."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, in_sentence, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.graph.paths import best_paths
from kymaphon.core.levels.budget import budget_of
from kymaphon.core.levels.down import down_on
from kymaphon.core.levels.noise_moves import quick_buys
from kymaphon.core.levels.turning import gain_knobs, turn_remedies
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.ids import NodeId
from kymaphon.core.model.show import Place
from kymaphon.core.model.stages import Severity
from kymaphon.core.model.take_figures import measured_ambient, room_take
from kymaphon.core.model.wants import asked_at, asked_db
from kymaphon.core.model.weights import growth_of
from kymaphon.core.rules.record import rule

NOISE_WORDS = {
    "room": "the room",
    "microphone": "the microphone itself",
    "preamp": "the preamplifier",
    "converter": "the converter",
    "others": "the other open channels",
}


@rule("clips", "little-headroom", stage="Level", reads=("feeds",))
def headroom(analysis: Computed) -> Iterator[Finding]:
    """Peaks against the ceiling, with what a talker gains on warming up."""
    seen: set[tuple[str, str]] = set()
    for (voice, _), ladder in analysis.ladders.items():
        growth = growth_of(analysis.show.party(voice))
        hard = (row for row in ladder.rungs if row.headroom_db is not None and not _floats(analysis, row))
        rung = min(hard, key=lambda row: row.headroom_db or 0.0, default=None)
        floats = rung is None or (rung.headroom_db or 0.0) >= growth.value
        rung = ladder.tightest() if floats else rung
        if rung is None or rung.headroom_db is None or rung.headroom_db >= growth.value or (voice, rung.node) in seen:
            continue
        seen.add((voice, rung.node))
        name = analysis.party_name(voice)
        clips = rung.headroom_db < 0 and not floats
        need = growth.value - rung.headroom_db
        asked = not clips and _mark_asks(ladder, need)
        text = (
            f"{name}'s peaks are {abs(rung.headroom_db):.1f} dB {'above' if rung.headroom_db < 0 else 'below'} clipping at {rung.label}; "
            + ("it distorts on air." if clips else f"people gain about {number('growth'):.0f} dB on warming up.")
            + (" Its mark asks for no less: a limiter has to catch the rest." if asked else "")
            + (
                " It counts in floating point there: nothing is lost so long as it is less again where it leaves."
                if floats
                else ""
            )
        )
        yield Finding(
            "clips" if clips else "little-headroom",
            "stop" if clips else "note" if asked or floats else "fix",
            "Level",
            (voice, rung.node),
            f"{name} clips at {rung.label}" if clips else f"{rung.headroom_db:.1f} dB of headroom at {rung.label}",
            text,
            (Derived("headroom", rung.headroom_db, "dB"), Derived("headroom wanted", growth.value, "dB")),
            rung.explain_headroom(),
            Later(partial(_turned_down, analysis, ladder, rung, need, growth.value)),
        )


def _floats(analysis: Computed, rung: Rung) -> bool:
    """Whether a point is inside something that counts in floating point: full scale there is no ceiling (IEEE 754), though line-up keeps
    under it.
    """
    node = NodeId.of(rung.node)
    device = analysis.show.find_device(node.owner)
    kind = analysis.catalogue[device.kind] if device is not None else None
    if kind is None or not kind.floating_point:
        return False
    port = node.port.split(".")[0].split(":")[0]
    return ":" in rung.node or port in {bus.id for bus in kind.buses}


def _turned_down(analysis: Computed, ladder: Ladder, rung: Rung, need_db: float, spare_db: float) -> tuple[Remedy, ...]:
    """What brings the peaks so far below clipping."""
    effect = f"peaks then stay {spare_db:.0f} dB or more below clipping"
    turned = turn_remedies(analysis, ladder, gain_knobs(ladder, rung), -math.ceil(need_db), effect)
    return _only_lasting(analysis, ladder, rung, turned)


def _mark_asks(ladder: Ladder, need_db: float) -> bool:
    """Whether a voice on the lower edge of its mark would still lack headroom: then the practice itself leaves no more."""
    point = next((rung for rung in reversed(ladder.rungs) if rung.mark is not None), None)
    if point is None or point.mark is None:
        return False
    return not point.off_mark_db() and point.speech_db - point.mark[0] < need_db


def _only_lasting(analysis: Computed, ladder: Ladder, rung: Rung, remedies: tuple[Remedy, ...]) -> tuple[Remedy, ...]:
    """Those remedies after which the voice does not still clip here by another way, past the knobs that they turn."""
    graph = analysis.graph
    ways = best_paths(analysis.transfer, graph.mouths[ladder.voice][0], graph.index[rung.node], below_db=120.0).paths
    spare = (rung.ceiling_db or 0.0) - (rung.peak_db - rung.speech_db) - graph.mouths[ladder.voice][1].value
    out = []
    for remedy in remedies:
        turned = {edit.ref for edit in remedy.edits if isinstance(edit, SetValue)}
        past = (way for way in ways if not any(knob.ref in turned for step in way.steps() for knob in step.knobs))
        if all(way.gain_db <= spare for way in past):
            out.append(remedy)
    return tuple(out)


def _why_stuck(ladder: Ladder, off_db: float) -> str:
    """What to say when no gain on the way is enough."""
    ends = [knob for knob in gain_knobs(ladder) if knob.ref.field == "gain_db"]
    if not ends:
        return " Nothing on the way can be turned."
    first = ends[0]
    limit = first.lowest if off_db > 0 else first.highest
    advice = "use the pad" if off_db > 0 else "come nearer, or add a booster or a stronger preamp"
    return f" All gain on the way together is not enough ({first.label} ends at {show_number(limit, 'dB', sign=True)}): {advice}."


@rule("off-mark", "mark-not-read", stage="Level", reads=("feeds",))
def off_mark(analysis: Computed) -> Iterator[Finding]:
    """Average speech against the practice's mark, at the last point of the chain that the practice speaks of."""
    unread: list[str] = []
    mains = analysis.main_ladders
    told: set[tuple[str, str]] = set()
    for (voice, _), ladder in analysis.ladders.items():
        if analysis.show.party(voice).kind in NO_SPEECH or down_on(ladder.path):
            continue  # what is down comes first: no gain makes up for it
        if asked_db(analysis.show, ladder.target, voice) is None:
            continue  # nobody wants it there
        main = ladder is mains[voice]
        point = next((rung for rung in reversed(ladder.rungs) if rung.mark is not None), None)
        if point is None:
            if main:
                unread.append(voice)
            continue
        for rung in _judged(ladder, point):
            if rung.mark is None or (voice, rung.node) in told or not (main or rung.set_here):
                continue
            told.add((voice, rung.node))
            asked = asked_at(analysis.show, ladder, rung) or 0.0
            if rung.off_mark_db(asked):
                yield _off_mark(analysis, voice, ladder, rung, sum(rung.mark) / 2 + asked, asked)
    if unread:
        names = ", ".join(analysis.party_name(voice) for voice in unread)
        mark = analysis.mark
        text = (
            f"The practice {in_sentence(mark.name)} is read on {mark.meter}, and no point on the way of {names} has one: "
            "whether they are on the mark cannot be told."
        )
        yield Finding("mark-not-read", "note", "Level", tuple(unread), "The mark cannot be read here", text)


def _judged(ladder: Ladder, last: Rung) -> list[Rung]:
    """Points at which a voice is held against its mark: the last that has one, and of every run of points with a mark
    of their own the last.
    """
    ends = [
        rung
        for rung, after in zip(ladder.rungs, (*ladder.rungs[1:], None), strict=True)
        if rung.set_here and not (after is not None and after.set_here and _practice(after) == _practice(rung))
    ]
    return [*(rung for rung in ends if rung is not last), last]


def _practice(rung: Rung) -> str:
    return rung.wanted.practice.id if rung.wanted is not None else ""


def _off_mark(analysis: Computed, voice: str, ladder: Ladder, point: Rung, middle: float, asked: float) -> Finding:
    name, level, unit = analysis.party_name(voice), point.speech_db, point.unit
    where = analysis.party_name(ladder.target) if point is ladder.last else point.label
    off = level - middle
    text = (
        f"{name} reaches {where} at {show_number(level, unit)}; the mark is {show_number(middle, unit)} "
        f"({in_sentence(point.wanted.name) if point.wanted else ''}), so it is {abs(off):.1f} dB too {'loud' if off > 0 else 'quiet'}."
    )
    effect = f"{name} then reaches {where} at about {show_number(middle, unit)}"
    remedies = turn_remedies(analysis, ladder, gain_knobs(ladder, point), -off, effect)
    if point.mark is not None:
        # Where peaks would clip on the middle of the mark, its edge is still on it.
        inside = number("edge-inside")
        edge = (point.mark[0] + inside if off < 0 else point.mark[1] - inside) + asked
        near = f"{name} then reaches {where} at about {show_number(edge, unit)}, within what the mark lets pass"
        remedies += tuple(
            replace(row, id=f"edge-{row.id}")
            for row in turn_remedies(analysis, ladder, gain_knobs(ladder, point), edge - level, near)
        )
    if not remedies:
        text += _why_stuck(ladder, off)
    figures = (Derived("level", level, unit), Derived("mark", middle, unit), Derived("off", off, "dB"))
    title = f"{name} is {abs(off):.1f} dB {'above' if off > 0 else 'below'} the mark"
    return Finding("off-mark", "fix", "Level", (voice, ladder.target), title, text, figures, point.speech, remedies)


@rule("voice-over-noise", stage="Level", reads=("feeds", "programme"))
def voice_over_noise(analysis: Computed) -> Iterator[Finding]:
    """Speech against all noise at the end of the chain, both A-weighted: which noise wins and by how much, and what each
    move buys, by the noise budget. Voices that one noise from another channel covers are one finding.
    """
    wanted = number("wanted-snr")
    shared: dict[tuple[str, int], list[Ladder]] = {}
    for voice, ladder in analysis.main_ladders.items():
        last = ladder.last
        party = analysis.show.party(voice)
        if asked_db(analysis.show, ladder.target, voice) is None:
            continue
        if not last.noise_db or last.voice_over_noise_db >= wanted or party.plays_on or down_on(ladder.path):
            continue
        if party.kind in ("crowd", "effect"):
            continue  # what others call noise is what is wanted here
        if last.loudest_noise == "others":
            shared.setdefault((ladder.target, _loudest_foreign(analysis, ladder)), []).append(ladder)
        else:
            yield _own_noise_wins(analysis, ladder)
    for (_, source), ladders in shared.items():
        yield _others_win(analysis, ladders, source)


def _own_noise_wins(analysis: Computed, ladder: Ladder) -> Finding:
    """A voice whose own channel brings most of its noise."""
    last, voice = ladder.last, ladder.voice
    name, over = analysis.party_name(voice), show_number(ladder.last.voice_over_noise_db, "dB")
    ranked = sorted(last.noise_db.items(), key=lambda item: -item[1])
    winner, level = ranked[0]
    by = f", {level - ranked[1][1]:.1f} dB above {NOISE_WORDS[ranked[1][0]]}" if len(ranked) > 1 else ""
    budget = budget_of(analysis, voice, ladder.target)
    rows = quick_buys(budget) if budget else ()
    moves = [row for row in rows if row.gain_db >= number("worth-little")]
    half = next((row for row in rows if row.id == "half-distance"), None)
    advice = " Nothing that can be done on its way buys anything worth it."
    if moves:
        advice = f" {moves[0].label} would buy most, {moves[0].gain_db:.1f} dB"
        advice += f"; half the distance {half.gain_db:.1f} dB." if half and half.id != moves[0].id else "."
    text = (
        f"{name} is {over} over the noise at {analysis.party_name(ladder.target)}, both A-weighted. "
        f"The loudest noise is {NOISE_WORDS[winner]}{by}.{advice}"
    )
    figures = [Derived("voice over noise", last.voice_over_noise_db, "dB")]
    figures += [Derived(f"{row.label} buys", row.gain_db, "dB") for row in moves[:3]]
    remedies = tuple(
        Remedy(row.id, row.label, f"{row.text} It buys {row.gain_db:.1f} dB at the end.", row.edits)
        for row in moves
        if row.edits
    )
    return Finding(
        "voice-over-noise",
        _noise_severity(ladder),
        "Level",
        (voice, ladder.target),
        f"{name} is {over} over the noise",
        text,
        tuple(figures),
        last.explain_over_noise(),
        remedies,
    )


def _noise_severity(ladder: Ladder) -> Severity:
    return "fix" if ladder.last.voice_over_noise_db < number("poor-snr") else "note"


def _foreign_noise(analysis: Computed, ladder: Ladder) -> list[tuple[float, int]]:
    """(power at the end, number of the noise) of all that does not come in along a chain."""
    on_path = set(ladder.path.nodes)
    here = analysis.noise.at(ladder.path.nodes[-1])
    rows = analysis.graph.noises
    return [(float(here[i]), i) for i, row in enumerate(rows) if row.node not in on_path]


def _loudest_foreign(analysis: Computed, ladder: Ladder) -> int:
    return max(_foreign_noise(analysis, ladder))[1]


def _others_win(analysis: Computed, ladders: list[Ladder], source: int) -> Finding:
    """One noise of another channel, and the voices that it stands over their own noise of."""
    ladders = sorted(ladders, key=lambda row: row.last.voice_over_noise_db)
    worst = ladders[0]
    noise = analysis.graph.noises[source].level.name
    where = analysis.party_name(worst.target)
    rows = _foreign_noise(analysis, worst)
    share = next(power for power, i in rows if i == source) / sum(power for power, _ in rows)
    told = "; ".join(
        f"{analysis.party_name(row.voice)} {show_number(row.last.voice_over_noise_db, 'dB')}" for row in ladders
    )
    found = budget_of(analysis, worst.voice, worst.target)
    would = (
        f" With the other channels shut {analysis.party_name(worst.voice)} would be {show_number(found.alone_db, 'dB')} over its own noise."
        if found is not None and found.alone_db > 0
        else ""
    )
    text = (
        f"At {where} the noise of other open channels is the loudest under {'these voices' if len(ladders) > 1 else analysis.party_name(worst.voice)}"
        f": most of it ({share:.0%}) is {noise}. Voice over noise, A-weighted: {told}. "
        f"Keep that channel shut while nobody is wanted there, or turn it down.{would}"
    )
    title = (
        f"{noise[:1].upper()}{noise[1:]} lies under {len(ladders)} voices"
        if len(ladders) > 1
        else f"{analysis.party_name(worst.voice)} is {show_number(worst.last.voice_over_noise_db, 'dB')} over the noise"
    )
    figures = tuple(
        Derived(
            f"{analysis.party_name(row.voice)} over noise" if len(ladders) > 1 else "voice over noise",
            row.last.voice_over_noise_db,
            "dB",
        )
        for row in ladders
    )
    return Finding(
        "voice-over-noise",
        _noise_severity(worst),
        "Level",
        (*(row.voice for row in ladders), worst.target),
        title,
        text,
        figures,
        worst.last.explain_over_noise(),
    )


@rule("ambient-assumed", stage="Level", reads=("layout", "takes"), notes_only=True)
def assumed_ambient(analysis: Computed) -> Iterator[Finding]:
    """Rooms whose noise nobody measured: the ladder stands on an assumption, and says so; one note for all of them."""
    told: list[str] = []
    rooms: list[Place] = []
    for place in analysis.show.places:
        mics = [
            device
            for device in analysis.show.devices
            if device.place == place.id and device.party and analysis.catalogue[device.kind].is_microphone
        ]
        bare = [device for device in mics if measured_ambient(analysis.show, device) is None]
        if not bare:
            continue
        rooms.append(place)
        names = ", ".join(analysis.party_name(device.party or "") for device in bare)
        text = f"{place.name} is taken to be {place.ambient_dba:.0f} dBA for {names}."
        old = [take for device in bare if (take := room_take(analysis.show, device)) is not None]
        if old:
            files = ", ".join(take.file for take in old)
            text += f" The room tone in {files} was measured without A-weighting, and says nothing in dBA: measure and attach it again."
        voices = {device.party for device in bare}
        raw = [
            take
            for take in analysis.show.takes
            if take.what == "room-tone" and take.voice in voices and take.noise_dbfs is None
        ]
        if raw:
            text += (
                f" The room tone in {', '.join(take.file for take in raw)} stands in the show "
                "without its measure, and replaces nothing: attach it again, so that it is measured."
            )
        told.append(text)
    if not rooms:
        return
    where = rooms[0].name if len(rooms) == 1 else f"{len(rooms)} places"
    yield Finding(
        "ambient-assumed",
        "note",
        "Level",
        tuple(place.id for place in rooms),
        f"Room noise in {where} is assumed",
        f"{' '.join(told)} Record half a minute of room tone and attach it to replace the guess.",
        tuple(
            Derived(
                "assumed ambient" if len(rooms) == 1 else f"assumed ambient, {place.name}",
                place.ambient_dba,
                "dBA",
                source="show",
            )
            for place in rooms
        ),
    )


@rule("position-unknown", stage="Cast", reads=("levels",), notes_only=True)
def unknown_places(analysis: Computed) -> Iterator[Finding]:
    """Sound paths that could not be computed because somebody or something has no position."""
    rows = analysis.graph.unknown
    if rows:
        text = (
            f"{len(rows)} sound path{'s' if len(rows) > 1 else ''} could not be computed: "
            f"{'; '.join(rows[:3])}{' and more' if len(rows) > 3 else ''}."
        )
        yield Finding(
            "position-unknown",
            "note",
            "Cast",
            (),
            "Positions are missing",
            text,
            (Derived("paths", len(rows), ""),),
        )
