"""Rules of Level beside the ladder: headphones and hearing, boosters that buy nothing, peaks over what a practice allows,
one's own voice late from the computer.
"""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.signal import Knob
from kymaphon.core.levels.boosters import (
    booster_move,
    booster_on,
    booster_verdict,
    booster_worth_db,
    made_up_without,
)
from kymaphon.core.levels.budget import budget_of, half_distance
from kymaphon.core.levels.dose import (
    EU_LIMIT_DBA,
    EU_LOWER_DBA,
    EU_UPPER_DBA,
    Listening,
    allowed_hours,
    listenings,
)
from kymaphon.core.levels.monitoring import own_ears
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.placement.moves import turned_down
from kymaphon.core.rules.record import rule


@rule("headphones-loud", "headphones-reach-far", stage="Level", reads=("feeds", "programme"))
def headphones(analysis: Computed) -> Iterator[Finding]:
    """Level at each ear against a day's dose; and how far the knob beside it reaches."""
    rows = listenings(analysis)
    for row in rows:
        if row.exposure.value >= EU_LOWER_DBA:
            yield _too_loud(analysis, row)
    reach: dict[SettingRef, list[Listening]] = {}
    for row in rows:
        if row.knob is not None and row.loudest is not None and row.loudest.value >= number("ears-hurt"):
            reach.setdefault(row.knob.ref, []).append(row)
    rows_far = [max(same, key=lambda row: row.loudest.value if row.loudest else 0.0) for same in reach.values()]
    rows_far = [row for row in rows_far if row.knob is not None and row.loudest is not None]
    if rows_far:
        yield _reach_far(
            analysis, sorted(rows_far, key=lambda row: -(row.loudest.value if row.loudest else 0.0)), reach
        )


def _reach_far(analysis: Computed, rows: list[Listening], reach: dict[SettingRef, list[Listening]]) -> Finding:
    """Knobs that can hurt, the worst first; one note for all of them."""
    told = []
    for row in rows:
        if row.knob is None or row.loudest is None:
            continue
        names = ", ".join(analysis.party_name(other.party) for other in reach[row.knob.ref])
        told.append(
            f"{row.knob.label} gives {names} {row.loudest.text()}: {_time_told(row.loudest)} of that is a day's dose"
        )
    worst = rows[0]
    label = worst.knob.label if worst.knob is not None else ""
    minutes = allowed_hours(worst.loudest.value if worst.loudest is not None else 0.0) * 60
    parties = tuple(dict.fromkeys(other.party for row in rows if row.knob is not None for other in reach[row.knob.ref]))
    figures = (
        *((worst.loudest,) if worst.loudest is not None else ()),
        Derived("allowed in a day", minutes, "min", source="NIOSH 98-126 (1998)"),
    )
    more = f", and {len(rows) - 1} more" if len(rows) > 1 else ""
    return Finding(
        "headphones-reach-far",
        "note",
        "Level",
        parties,
        f"{label} can hurt{more}",
        f"Fully up, {'; '.join(told)}. Start low, mute before plugging, and mark where it stands now.",
        figures,
        worst.loudest,
    )


def _time_told(level: Derived) -> str:
    """How long a level makes a day's dose, by its spread."""
    low, high = level.span() or (level.value, level.value)
    minutes = sorted(allowed_hours(row) * 60 for row in (low, high))
    short = f"{minutes[0]:.1f}" if minutes[0] < 10 else f"{minutes[0]:.0f}"
    long = f"{minutes[1]:.0f}"
    return f"{short} to {long} min" if minutes[1] >= 1 else "less than a minute"


def _too_loud(analysis: Computed, row: Listening) -> Finding:
    name = analysis.party_name(row.party)
    loud = row.exposure.value
    severe = loud >= EU_UPPER_DBA
    text = (
        f"{name} gets {row.level.text()} in the headphones for {show_number(row.hours.value, 'h')}: "
        f"{show_number(row.dose.value, '%')} of a day's dose, {show_number(row.allowed.value, 'h')} are allowed. "
        + ("Over the limit of 87 dBA a day. " if loud >= EU_LIMIT_DBA else "")
        + "Local rules come first."
    )
    remedies: tuple[Remedy, ...] = ()
    down = row.knob and turned_down(row.knob, loud - EU_LOWER_DBA + 1)
    if row.knob is not None and isinstance(down, SetValue) and isinstance(down.value, float):
        by = row.knob.value - down.value
        effect = f"{row.knob.label} goes to {show_number(down.value, 'dB', sign=True)}; {name} then gets {show_number(row.level.value - by, 'dBA')}."
        remedies = (Remedy("softer", f"Take {by:.0f} dB off: {row.knob.label}", effect, (down,)),)
        remedies += tuple(_made_up(analysis, row.knob, down, by, effect))
    return Finding(
        "headphones-loud",
        "fix" if severe else "note",
        "Level",
        (row.party,),
        f"{name}'s headphones are loud",
        text,
        (row.level, row.dose),
        row.dose,
        remedies,
    )


def _made_up(analysis: Computed, knob: Knob, down: SetValue, by_db: float, effect: str) -> Iterator[Remedy]:
    """The same with as much gain further on for who else gets it by that knob: where one knob is for ears and for the air."""
    ups: dict[SettingRef, Knob] = {}
    for ladder in analysis.ladders.values():
        refs = [row.ref for step in ladder.path.steps() for row in step.knobs]
        if knob.ref not in refs:
            continue
        after = [
            row
            for step in ladder.path.steps()
            for row in step.knobs
            if refs.index(row.ref) > refs.index(knob.ref) and row.highest - row.value >= by_db
        ]
        if not after:
            return
        ups[after[0].ref] = after[0]
    if ups:
        words = "; ".join(f"add {by_db:.0f} dB at: {row.label}" for row in ups.values())
        edits = (down, *(SetValue(row.ref, round(row.value + by_db, 3)) for row in ups.values()))
        yield Remedy(
            "softer-made-up",
            f"Take {by_db:.0f} dB off: {knob.label}; {words}",
            f"{effect} What goes out keeps its level.",
            edits,
        )


@rule("booster-buys-little", stage="Level", reads=("feeds",), notes_only=True)
def booster_worth(analysis: Computed) -> Iterator[Finding]:
    """A booster that buys next to nothing, with what would buy more."""
    boosters = {row.id for row in analysis.show.devices if analysis.catalogue[row.kind].is_booster}
    seen: set[str] = set()
    for (voice, end), ladder in analysis.ladders.items():
        if voice in seen or boosters.isdisjoint(analysis.graph.nodes[node].owner for node in ladder.path.nodes):
            continue
        seen.add(voice)
        budget = budget_of(analysis, voice, end)
        found = booster_on(budget) if budget is not None else None
        if budget is None or found is None:
            continue
        worth = booster_worth_db(budget) or 0.0
        if worth >= number("worth-little"):
            continue
        out, half = booster_move(budget), half_distance(budget)
        remedies = []
        if out is not None and out.edits:
            apart = abs(out.alone_db)
            how = f"{show_number(apart, 'dB')} {'less' if out.alone_db < 0 else 'more'}" if apart >= 0.05 else "as far"
            effect = f"{analysis.party_name(voice)} keeps its level and is {how} over its channel's noise; one box less to fail."
            remedies.append(Remedy("without", out.label, effect, out.edits))
        if half is not None and half.edits and half.alone_db > worth:
            effect = f"{half.text} {show_number(half.alone_db, 'dB')} more voice over this channel's noise."
            remedies.append(Remedy("nearer", "Half the distance instead", effect, half.edits))
        name = analysis.device_name(found[0].id)
        yield Finding(
            "booster-buys-little",
            "note",
            "Level",
            (voice, found[0].id),
            f"{name} is worth {show_number(worth, 'dB')}",
            f"{booster_verdict(budget)} {made_up_without(budget)}",
            (Derived("booster is worth", worth, "dB"),),
            out.why if out else None,
            tuple(remedies),
        )


@rule("peaks-over-practice", stage="Level", reads=("feeds",), notes_only=True)
def over_practice(analysis: Computed) -> Iterator[Finding]:
    """Short peaks over what the practice never wants to see, though nothing clips yet."""
    rows: dict[str, list[str]] = {}
    worst: dict[str, tuple[float, float, str]] = {}
    for (voice, _), ladder in analysis.ladders.items():
        if analysis.show.party(voice).kind in NO_SPEECH:
            continue
        point = next((rung for rung in reversed(ladder.rungs) if rung.wanted is not None), None)
        if point is None or point.wanted is None or point.wanted.never_over is None:
            continue
        over = point.peak_db - point.wanted.never_over
        # Talkers' peaks differ: told is what even the mildest would pass.
        spread = point.crest.value - (point.crest.spread or (point.crest.value, 0.0))[0]
        if over <= spread + 0.05 or (point.headroom_db or 0.0) < 0:
            continue
        key = point.wanted.practice.id
        if analysis.party_name(voice) not in rows.setdefault(key, []):
            rows[key].append(analysis.party_name(voice))
        if key not in worst or over > worst[key][0]:
            worst[key] = over, point.wanted.never_over, point.unit
    for key, names in rows.items():
        over, most, unit = worst[key]
        text = (
            f"The highest peaks of {', '.join(names)} reach up to {over:.1f} dB over {show_number(most, unit)}, "
            "which the practice never wants before a limiter. "
            "Take the gain down by as much, or let a limiter catch it."
        )
        yield Finding(
            "peaks-over-practice",
            "note",
            "Level",
            tuple(row.id for row in analysis.voices if row.name in names),
            f"Peaks {over:.1f} dB over what the practice allows",
            text,
            (Derived("over", over, "dB"), Derived("never over", most, unit)),
        )


@rule("own-voice-by-computer", stage="Level", reads=("feeds",), notes_only=True)
def own_voice_late(analysis: Computed) -> Iterator[Finding]:
    """A talker who hears itself round through the computer: only so, or beside the direct way."""
    for party in analysis.voices:
        ears = own_ears(analysis, party.id) if party.listens else None
        if ears is None or ears.computer is None or ears.computer.delay_ms < number("delay-colours"):
            continue
        if ears.direct is not None and (ears.below_db or 0.0) >= number("double-difference"):
            continue
        yield Finding(
            "own-voice-by-computer",
            "note",
            "Level",
            (party.id,),
            f"Monitoring latency: {party.name} hears itself {show_number(ears.computer.delay_ms, 'ms')} late",
            f"{party.name}: {ears.words()[:1].lower()}{ears.words()[1:]}",
            (Derived("through the computer", ears.computer.delay_ms, "ms"),),
            ears.lines()[-1],
        )
