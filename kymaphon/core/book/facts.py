"""What worked in a show, as facts to be remembered; and what remembered facts propose for the next one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime

from kymaphon.core.air.run import RunState, after, over_s, run_of
from kymaphon.core.book.robust import Middle, middle, sure_words
from kymaphon.core.computing.computed import Computed
from kymaphon.core.levels.lineup.run import RunStep, last_readings, steps_of
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import Edit, SetField, SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import LogEntry, Party, Show
from kymaphon.core.model.take_figures import measured_ambient
from kymaphon.core.rundown.limits import limit
from kymaphon.core.wiring.linked_controls import turned_together

UNITS = {
    "gain": "dB",
    "level": "dB SPL",
    "distance": "m",
    "noise": "dBA",
    "knob": "dB",
    "battery": "h",
    "over": "s",
}


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing that was so in one show.

    Attributes:
        sort: "person", "microphone", "room", "desk", "call" or "show".
        name: of whom or what, as it is called.
        what: as in `UNITS`.
        context: what it depends on: of a gain the kinds of microphone and desk.
        show: title of the show; `at`: when it was on.
        id: in the memory; 0 for one that is not in it yet.
    """

    sort: str
    name: str
    what: str
    value: float
    context: str
    show: str
    at: datetime
    id: int = 0

    @property
    def key(self) -> tuple[str, str, str, str]:
        """What facts of several shows have in common."""
        return self.sort, self.name.casefold(), self.what, self.context


def facts_of(analysis: Computed, now: datetime) -> tuple[Fact, ...]:
    """What is worth remembering of a show as it stands: of everybody whose line-up passed gain, level and distance; the noise of rooms
    that was measured; where the knobs of desks stand; delays of calls; how long batteries held; how far segments ran over.
    """
    show = analysis.show
    at = run_of(show.log).started or show.air_at or max((row.at for row in show.log), default=now)

    def fact(sort: str, name: str, what: str, value: float, context: str = "") -> Fact:
        return Fact(sort, name, what, round(float(value), 3), context, show.title, at)

    steps = {row.voice: row for row in steps_of(analysis)}
    passed = {
        voice for voice, entry in last_readings(analysis).items() if entry.line_up is not None and entry.line_up.passed
    }
    out: list[Fact] = []
    for voice in (row for row in analysis.voices if row.id in passed and row.id in steps):
        step = steps[voice.id]
        sort = "call" if voice.kind == "remote" else "person"
        context = context_of(analysis, step)
        if step.knob is not None:
            out.append(fact(sort, voice.name, "gain", step.knob.value, context))
        if voice.level_db_spl_1m is not None and voice.kind not in NO_SPEECH:
            out.append(fact(sort, voice.name, "level", voice.level_db_spl_1m))
    for place in show.places:
        noise = room_noise_dba(analysis, place.id)
        if noise is not None:
            out.append(fact("room", place.name, "noise", noise))
        sound = analysis.sound(place.id)
        for m, mic in enumerate(sound.mics):
            own = int(sound.own[m])
            if own >= 0 and sound.sources[own].id in passed and not mic.goes_along:
                metres = float(sound.distance_m[own, m])
                out.append(fact("person", sound.sources[own].name, "distance", metres, mic.kind.name))
    for device in show.devices:
        kind = analysis.catalogue[device.kind]
        for control in kind.controls:
            setting = device.settings.get(control.id)
            if setting is not None and setting.gain_db is not None and (kind.is_desk or kind.is_call):
                out.append(fact("desk", analysis.device_name(device.id), "knob", setting.gain_db, control.name))
    out += [fact("microphone", name, "battery", hours) for name, hours in battery_hours(show.log, analysis)]
    out += [fact("show", name, "over", seconds) for name, seconds in ran_over(show)]
    return tuple(out)


def show_key(show: Show, now: datetime) -> tuple[str, datetime | None]:
    """What tells a show from others in the memory, its title and its day, and when it was on."""
    at = run_of(show.log).started or show.air_at
    return f"{show.title} {at or now:%Y-%m-%d}", at


def context_of(analysis: Computed, step: RunStep) -> str:
    """What a gain depends on: the kinds of the microphone, and of what it is turned at."""
    show = analysis.show
    mics = [row for row in show.devices if row.party == step.voice]
    at = show.find_device(step.knob.ref.device) if step.knob is not None else None
    names = [analysis.catalogue[row.kind].name for row in (*mics[:1], *((at,) if at is not None else ()))]
    return " into ".join(names)


def room_noise_dba(analysis: Computed, place: str) -> float | None:
    """Noise of a room as takes have told it, in dBA at a microphone; None where it was only given."""
    rows = [measured_ambient(analysis.show, row) for row in analysis.show.devices if row.place == place]
    found = [row.value for row in rows if row is not None]
    return min(found) if found else None


def battery_hours(log: Iterable[LogEntry], analysis: Computed) -> Iterator[tuple[str, float]]:
    """(device, hours) from a battery that was put in to the next: rows of the log about it whose words begin with `Battery`."""
    last: dict[str, datetime] = {}
    for row in log:
        if row.subject is None or not row.text.casefold().startswith("batter"):
            continue
        device = analysis.show.find_device(row.subject)
        if device is None:
            continue
        if device.id in last:
            hours = (row.at - last[device.id]).total_seconds() / 3600
            if 0 < hours < 500:
                yield analysis.device_name(device.id), hours
        last[device.id] = row.at


def ran_over(show: Show) -> Iterator[tuple[str, float]]:
    """(segment, seconds over its plan) of each that was on in the last run, from one Go to the next, as the log says it then."""
    state = RunState()
    found: list[tuple[str, float]] = []
    for row in show.log:
        if row.air is None:
            continue
        if row.air.action == "start":
            found = []
        elif row.air.action in ("go", "back", "end"):
            over = over_s(show, state, row.at)
            found += [(over[0].name, over[1])] if over is not None else []
        state = after(state, row.at, row.air)
    yield from found


@dataclass(frozen=True, slots=True)
class Proposal:
    """What memory proposes for something of the show.

    Attributes:
        subject: id of the party, place or device that it is about.
        fact: what it is of, the newest.
        middle: of the shows that count, and `values` of them, the newest first.
        now: as it stands in the show; None where nothing stands.
        words: in a sentence, with how sure it is.
        outside: today lies outside what was usual.
        edits: what puts it in; empty where it is there, or nothing can be set.
    """

    subject: str
    fact: Fact
    middle: Middle
    values: tuple[tuple[datetime, float], ...]
    now: float | None
    words: str
    outside: bool
    edits: tuple[Edit, ...]


def proposals(analysis: Computed, facts: Sequence[Fact]) -> tuple[Proposal, ...]:
    """What remembered facts propose for a show: those whose name, and what they depend on, are in it; this show's own do not count."""
    show = analysis.show
    own = (show.title, run_of(show.log).started or show.air_at)
    found = (_proposed(analysis, *row) for row in over_shows(row for row in facts if (row.show, row.at) != own))
    return tuple(row for row in found if row is not None)


def over_shows(facts: Iterable[Fact]) -> list[tuple[list[Fact], Middle]]:
    """Facts that are of the same, the newest first and of so many shows as count, with their middle."""
    groups: dict[tuple[str, str, str, str], list[Fact]] = {}
    for row in facts:
        groups.setdefault(row.key, []).append(row)
    newest = (
        sorted(rows, key=lambda row: row.at, reverse=True)[: round(limit("book_shows"))] for rows in groups.values()
    )
    return [(rows, middle([row.value for row in rows])) for rows in newest]


def _proposed(analysis: Computed, rows: list[Fact], row: Middle) -> Proposal | None:
    fact = rows[0]
    found = _here(analysis, fact)
    if found is None:
        return None
    subject, now, edits = found
    unit = UNITS.get(fact.what, "")
    outside = now is not None and row.outside(now, limit(f"least_{fact.what}"))
    value = figure_words(row.value, fact.what)
    words = f"{fact.name}, {WHAT_WORDS[fact.what]}: {value}; {sure_words(row, unit)}"
    if outside and now is not None:
        words += f". Today {figure_words(now, fact.what)} lies outside"
    return Proposal(
        subject,
        fact,
        row,
        tuple((one.at, one.value) for one in rows),
        now,
        f"{words}.",
        outside,
        edits(row.value) if now is None or abs(now - row.value) >= 0.05 else (),
    )


WHAT_WORDS = {
    "gain": "gain",
    "level": "level at 1 m",
    "distance": "distance",
    "noise": "room noise",
    "knob": "knob",
    "battery": "battery holds",
    "over": "runs over",
}


def figure_words(value: float, what: str) -> str:
    """A figure as it is told: 38.0 dB, 0.18 m."""
    text = f"{value:.2f}" if what == "distance" else f"{value:.1f}"
    return f"{text} {UNITS.get(what, '')}".replace("-", "\u2212").rstrip()


Setter = Callable[[float], tuple[Edit, ...]]


def _nothing(_value: float) -> tuple[Edit, ...]:
    return ()


def _here(analysis: Computed, fact: Fact) -> tuple[str, float | None, Setter] | None:
    """What a fact is about in this show: its id, how it stands, and what sets it; None where it is not in it."""
    show, name = analysis.show, fact.name.casefold()
    if fact.sort in ("person", "call"):
        party = next((row for row in analysis.voices if row.name.casefold() == name), None)
        return _of_party(analysis, party, fact) if party is not None else None
    if fact.sort == "room":
        place = next((row for row in show.places if row.name.casefold() == name), None)
        if place is None:
            return None
        measured = room_noise_dba(analysis, place.id)
        if measured is not None:
            return place.id, measured, _nothing
        return (
            place.id,
            place.ambient_dba,
            lambda value: (SetField("places", place.id, "ambient_dba", round(value, 1)),),
        )
    if fact.sort in ("desk", "microphone"):
        device = next((row for row in show.devices if analysis.device_name(row.id).casefold() == name), None)
        if device is None:
            return None
        control = next((row for row in analysis.catalogue[device.kind].controls if row.name == fact.context), None)
        if fact.what != "knob" or control is None:
            return (device.id, None, _nothing) if fact.what == "battery" else None
        ref = SettingRef(device.id, control.id, "gain_db")
        setting = device.settings.get(control.id)
        return (
            device.id,
            setting.gain_db if setting is not None else None,
            lambda value: (SetValue(ref, round(value, 1)),),
        )
    segment = next((row for row in show.rundown if row.name.casefold() == name), None)
    return (segment.id, None, _nothing) if segment is not None else None


def _of_party(analysis: Computed, party: Party, fact: Fact) -> tuple[str, float | None, Setter] | None:
    if fact.what == "level":
        return (
            party.id,
            party.level_db_spl_1m,
            lambda value: (SetField("parties", party.id, "level_db_spl_1m", round(value, 1)),),
        )
    if fact.what == "distance":
        sound = analysis.sound(party.place) if party.place is not None else None
        for m, mic in enumerate(sound.mics if sound is not None else ()):
            assert sound is not None
            own = int(sound.own[m])
            if own >= 0 and sound.sources[own].id == party.id and mic.kind.name == fact.context:
                return party.id, float(sound.distance_m[own, m]), _nothing
        return None
    step = next((row for row in steps_of(analysis) if row.voice == party.id), None)
    if step is None or step.knob is None or context_of(analysis, step) != fact.context:
        return None
    knob, twins = step.knob, step.twins

    def turned(value: float) -> tuple[Edit, ...]:
        to = SetValue(knob.ref, round(knob.snap(value), 3))
        return tuple(turned_together(analysis, {knob.ref: twins}, to, knob.value))

    return party.id, knob.value, turned
