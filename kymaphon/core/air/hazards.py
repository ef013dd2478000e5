"""What can go wrong on air as it runs now, the worst first: each with what it means, what to do, and how long it has stood.

Told from the rundown, the log and the figures of the rig; with meters also from what they show.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from kymaphon.core.air.run import RunState, next_of, place_of
from kymaphon.core.air.trends import Trend
from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.figures import data_table
from kymaphon.core.graph.routing import comes_through
from kymaphon.core.levels.lineup.run import last_readings
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.clock import by_the_clock, span_words
from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.stages import Severity
from kymaphon.core.prove.proven import PairProof, proofs
from kymaphon.core.rundown.catch_up import catch_up
from kymaphon.core.rundown.channels import channels_of
from kymaphon.core.rundown.limits import limit
from kymaphon.core.rundown.states import microphones_open
from kymaphon.core.rundown.timing import HardTime, Timeline, planned_s, timeline
from kymaphon.core.wiring.controls import reaches, runs_on

NOT_KEPT = (
    "The disk does not take what is noted. It stands in the show that is open and is tried again every few seconds and with each note: "
    "make room on the disk, or save the show on another one, before the program is closed."
)
ENDS = ("audience", "recorder")


@dataclass(frozen=True, slots=True)
class Hazard:
    """Something that can go wrong.

    Attributes:
        code: its sort, as in `core/data/air.json`.
        subjects: ids of parties, devices or segments that it is about.
        title, text: in a few words, and what it means and what to do.
        since: when it came up; None where nobody knows.
        soon: it is not so yet, and will be with the next segment.
    """

    code: str
    severity: Severity
    subjects: tuple[str, ...]
    title: str
    text: str
    since: datetime | None = None
    soon: bool = False

    @property
    def key(self) -> tuple[str, tuple[str, ...]]:
        return self.code, self.subjects

    @property
    def risk(self) -> float:
        """How much it costs, against the others; half where it is still to come."""
        return float(data_table("air")["hazards"][self.code]["risk"]) * (0.5 if self.soon else 1.0)


@dataclass(frozen=True, slots=True)
class Heard:
    """What meters show.

    Attributes:
        off_db: voice -> above its mark as its meter shows it now; None for nothing. A voice that has no meter is not in it.
        trends: voice -> its trend.
    """

    off_db: Mapping[str, float | None]
    trends: Mapping[str, Trend]


NOTHING_HEARD = Heard({}, {})


def hazards(
    analysis: Computed,
    state: RunState,
    heard: Heard = NOTHING_HEARD,
    log_is_kept: bool = True,
    now: datetime | None = None,
) -> tuple[Hazard, ...]:
    """Everything that can go wrong now or with the next segment, the worst first. Off air, what is to be settled before.

    Args:
        log_is_kept: whether all of the log is on disk.
        now: the clock; without one nothing is told of what runs over.
    """
    found = [*_now(analysis, state, heard), *_next(analysis, state)]
    if now is not None and state.on_air:
        found += _over(analysis, timeline(analysis.show, state.progress(now)))
    if not log_is_kept:
        found.append(Hazard("log-not-kept", "stop", (), "Notes are not on disk", NOT_KEPT))
    once: dict[tuple[str, tuple[str, ...]], Hazard] = {}
    for row in found:
        once.setdefault(row.key, row)
    return tuple(sorted(once.values(), key=lambda row: (row.soon, -row.risk)))


def standing(
    rows: Iterable[Hazard], known: Mapping[tuple[str, tuple[str, ...]], datetime], now: datetime
) -> tuple[Hazard, ...]:
    """The same with how long they have stood: those known before since then, new ones without a time of their own since now."""
    return tuple(row if row.since is not None else replace(row, since=known.get(row.key, now)) for row in rows)


def _segment(analysis: Computed, state: RunState) -> Segment | None:
    place = place_of(analysis.show, state)
    return analysis.show.rundown[place] if place >= 0 else None


def _names(analysis: Computed, parties: Iterable[str]) -> str:
    return ", ".join(analysis.party_name(name) for name in parties)


def _talkers(analysis: Computed, on: Iterable[str]) -> list[str]:
    there = {row.id: row for row in analysis.show.parties}
    rows = [there[name] for name in on if name in there]
    order = {row.id: n for n, row in enumerate(analysis.show.parties)}
    talk = [row.id for row in rows if row.kind not in (*NO_SPEECH, "instrument")]
    return sorted(talk, key=lambda name: order[name])


def _now(analysis: Computed, state: RunState, heard: Heard) -> Iterator[Hazard]:
    segment = _segment(analysis, state)
    talkers = _talkers(analysis, state.open)
    under = {row.party for row in segment.plays if row.under} if segment is not None else set()
    if state.on_air:
        yield from _players(analysis, state, heard, talkers, under)
        yield from _faders(analysis, state, segment)
        yield from _muted(analysis, state)
        yield from _lines(analysis, state, heard)
        yield from _louder(analysis, state, heard)
    yield from _about(analysis, frozenset(talkers), state.changed, soon=False)


def _players(
    analysis: Computed, state: RunState, heard: Heard, talkers: list[str], under: set[str]
) -> Iterator[Hazard]:
    """Players that are heard under open microphones: by the rundown, or because a meter shows one that should not play."""
    players = [row.id for row in analysis.show.parties if row.kind == "player"]
    for name in players:
        off = heard.off_db.get(name)
        shows = off is not None and off > -limit("plays_under_db")
        device = analysis.show.find_device(analysis.show.party(name).plays_device)
        who = analysis.party_name(name)
        talk = _names(analysis, talkers)
        if name in state.playing and name not in under and talkers:
            yield Hazard(
                "mic-under-player",
                "stop",
                (name, *talkers),
                f"{who} plays, and {talk} {'is' if len(talkers) == 1 else 'are'} open",
                f"Every word of {talk} goes out over it. Close the microphone, or take {who} down.",
                max((state.opened[row] for row in (name, *talkers) if row in state.opened), default=None),
            )
        elif shows and name not in state.playing:
            text = f"Its meter shows it {abs(off or 0):.0f} dB {'over' if (off or 0) > 0 else 'under'} its line-up, and by the rundown nothing plays."
            yield Hazard(
                "mic-under-player" if talkers else "player-runs-on",
                "stop" if talkers else "fix",
                (name, *talkers),
                f"{who} plays on" + (f" under {talk}" if talkers else ""),
                f"{text} Stop it, or close its fader.",
            )
        if name in state.playing and talkers and device is not None and runs_on(analysis, device):
            yield Hazard(
                "player-runs-on",
                "fix",
                (name,),
                f"{who} runs on under the talk",
                f"{analysis.device_name(device.id)} goes on into the next track by itself. Arm it for a single track.",
                state.opened.get(name),
            )


def _faders(analysis: Computed, state: RunState, segment: Segment | None) -> Iterator[Hazard]:
    """Who should be open and is not, who is open and should not be, and who is open twice."""
    if segment is None:
        return
    missing = [name for name in segment.open if name not in state.open]
    if missing:
        yield Hazard(
            "not-open",
            "fix",
            tuple(missing),
            f"{_names(analysis, missing)} not open",
            f"By the rundown {_names(analysis, missing)} {'is' if len(missing) == 1 else 'are'} on in {segment.name}.",
            state.changed,
        )
    extra = [name for name in _talkers(analysis, state.open) if name not in segment.open]
    if extra:
        yield Hazard(
            "open-unplanned",
            "fix",
            tuple(extra),
            f"{_names(analysis, extra)} open, not in {segment.name}",
            "Whatever is said there goes out. Close, or leave it where it is meant.",
            max((state.opened[name] for name in extra if name in state.opened), default=None),
        )
    channels = analysis.once(channels_of)
    parties = {row.id: row for row in analysis.show.parties}
    for name in _talkers(analysis, state.open):
        strips = channels.of(name)
        if len(strips) > 1 and not parties[name].plays_on:
            yield Hazard(
                "doubled",
                "note",
                (name,),
                f"{analysis.party_name(name)} is open on {len(strips)} channels",
                f"{' and '.join(row.label for row in strips)}: the voice arrives twice. Close one.",
                state.opened.get(name),
            )


def _muted(analysis: Computed, state: RunState) -> Iterator[Hazard]:
    """Somebody without headphones where an open microphone mutes the loudspeakers."""
    for place in analysis.show.places:
        if not place.speakers_mute or place.id not in microphones_open(analysis, state.open):
            continue
        deaf = [row for row in analysis.listeners if row.place == place.id and not row.hears_on]
        deaf += [
            row
            for row in analysis.listeners
            if row.place == place.id
            and row.hears_on
            and any(
                port.domain == "acoustic" and not port.ear
                for port in analysis.catalogue[analysis.show.device(row.hears_device).kind].outputs
            )
        ]
        if deaf:
            names = ", ".join(row.name for row in deaf)
            yield Hazard(
                "speakers-muted",
                "fix",
                (place.id, *(row.id for row in deaf)),
                f"{names} hears nothing in {place.name}",
                f"The open microphone mutes the loudspeakers, and {names} {'has' if len(deaf) == 1 else 'have'} no headphones: a record "
                "that runs on would go out unheard there.",
                state.changed,
            )


def _over(analysis: Computed, line: Timeline) -> Iterator[Hazard]:
    """The segment that is on runs past its planned end, and the hard time that will be missed as it runs, with what meets it."""
    on = line.on
    late = next((row for row in line.hard if row.missed and line.rows[row.place].state != "done"), None)
    if late is not None and abs(late.off_s) > limit("other_day_h") * 3600:
        late = None  # a run of another day than the rundown's
    if on is not None and planned_s(on.segment) is not None and -on.left_s > limit("over_s"):
        over = span_words(-on.left_s)
        costs = "No hard time is missed by it as it runs." if late is None else _late_words(analysis, line, late)
        yield Hazard(
            "runs-over",
            "note" if late is None else "fix",
            (on.segment.id,),
            f"{on.segment.name} runs {over} over",
            f"It was planned {span_words(planned_s(on.segment) or 0.0)} and has been on for {span_words(on.spent_s)}. {costs}",
            on.starts + timedelta(seconds=on.spent_s + on.left_s) if on.starts is not None else None,
        )
    elif late is not None:
        name = line.of(late.segment).segment.name
        words = _late_words(analysis, line, late)
        yield Hazard("hard-time-ahead", "fix", (late.segment,), f"{name} will be {span_words(late.off_s)} late", words)


def _late_words(analysis: Computed, line: Timeline, hard: HardTime) -> str:
    name, advice = line.of(hard.segment).segment.name, catch_up(line, hard)
    verb, at = "ends" if hard.sort == "out" else "begins", by_the_clock(analysis.show, hard.at)
    told = "; or ".join(row.words for row in advice if row.enough)
    ways = f" {told[:1].upper()}{told[1:]}." if told else " Nothing that may be cut makes up for it."
    return f"As it runs {name} {verb} {span_words(hard.off_s)} after its hard time, {at}.{ways}"


def _lines(analysis: Computed, state: RunState, heard: Heard) -> Iterator[Hazard]:
    """Somebody far away who is open and of whom nothing comes."""
    for party in analysis.show.parties:
        if (
            party.kind == "remote"
            and party.id in state.open
            and party.id in heard.off_db
            and heard.off_db[party.id] is None
        ):
            yield Hazard(
                "silent-line",
                "stop",
                (party.id,),
                f"Nothing comes of {party.name}",
                f"{party.name} is open and the meter shows nothing at all: the line may be gone. Have {_talkers_beside(analysis, state, party.id)} "
                "go on, and call back.",
            )


def _talkers_beside(analysis: Computed, state: RunState, party: str) -> str:
    rest = [name for name in _talkers(analysis, state.open) if name != party]
    return _names(analysis, rest[:1]) or "the presenter"


def _louder(analysis: Computed, state: RunState, heard: Heard) -> Iterator[Hazard]:
    """Voices that have moved away from their line-up."""
    for name, trend in heard.trends.items():
        if trend.apart and name in state.open:
            who = analysis.party_name(name)
            yield Hazard(
                "louder",
                "fix" if trend.change_db > 0 else "note",
                (name,),
                f"{who} is {abs(trend.change_db):.0f} dB {'up' if trend.change_db > 0 else 'down'}",
                f"{trend.words[:1].upper()}{trend.words[1:]}.",
            )


def _next(analysis: Computed, state: RunState) -> Iterator[Hazard]:
    following = next_of(analysis.show, state)
    if following is None or state.ended is not None:
        return
    talkers = frozenset(_talkers(analysis, following.open)) - state.open
    yield from _about(analysis, talkers, None, soon=True)
    for row in following.plays:
        device = analysis.show.find_device(analysis.show.party(row.party).plays_device)
        if row.follow == "single" and device is not None and runs_on(analysis, device):
            yield Hazard(
                "player-runs-on",
                "fix",
                (row.party,),
                f"{analysis.party_name(row.party)} is not armed for a single track",
                f"{row.called} in {following.name} is to stop after one track, and {analysis.device_name(device.id)} goes on by itself.",
                soon=True,
            )


@reading("feeds", "programme")
def _pairs(analysis: Computed) -> tuple[PairProof, ...]:
    return proofs(analysis)


@reading("feeds")
def _air_controls(analysis: Computed) -> tuple[tuple[str, str, str], ...]:
    """(device, control, whom it moves) of controls for listening that also move what goes out."""
    ends = {row.name for row in analysis.listeners if row.kind in ENDS}
    own = {row.name for row in analysis.listeners if row.kind not in ENDS}
    out = []
    for device in analysis.show.devices:
        for reach in reaches(analysis, device):
            who = {name for _, names in reach.paths for name in names}
            if who & ends and who & own:
                out.append((device.id, reach.control.name, ", ".join(sorted(who & ends))))
    return tuple(out)


def _about(analysis: Computed, talkers: frozenset[str], since: datetime | None, *, soon: bool) -> Iterator[Hazard]:
    """What is not settled of those who are open, or will be with the next segment: line-up, warm-up, mix, delay, proofs, effects."""
    show = analysis.show
    passed = {
        name for name, entry in last_readings(analysis).items() if entry.line_up is not None and entry.line_up.passed
    }
    order = [row for row in show.parties if row.id in talkers]
    pairs = analysis.once(_pairs)
    for party in order:
        if party.id not in passed and party.kind not in NO_SPEECH:
            yield Hazard(
                "not-lined-up",
                "fix",
                (party.id,),
                f"{party.name} is not lined up",
                f"No line-up of {party.name} has passed: nobody knows how loud they come. A sentence on pre-fade listen does it.",
                since,
                soon,
            )
        mine = [row for row in pairs if row.voice == party.id]
        if party.kind == "remote":
            if not any(row.proven is not None for row in mine if row.comes):
                yield Hazard(
                    "never-warmed-up",
                    "fix",
                    (party.id,),
                    f"{party.name} was never warmed up",
                    f"Nothing in the log says that {party.name} was heard before the show. Call them and listen, off air.",
                    since,
                    soon,
                )
            own = analysis.feeds.get((party.id, party.id))
            if own is not None and own.verdict == "back":
                yield Hazard(
                    "no-mix",
                    "fix",
                    (party.id,),
                    f"{party.name} gets themselves back",
                    f"What {party.name} hears has their own voice in it, late by the round trip: no mix-minus. See Feeds.",
                    since,
                    soon,
                )
            others = [
                feed
                for (name, voice), feed in analysis.feeds.items()
                if name == party.id and voice != party.id and voice in talkers
            ]
            if others and not any(comes_through(feed) for feed in others):
                yield Hazard(
                    "no-mix",
                    "fix",
                    (party.id, "others"),
                    f"{party.name} hears nobody who is on",
                    f"{party.name} is to talk with the others and gets none of them. See Feeds.",
                    since,
                    soon,
                )
            late = max((feed.delay_ms or 0.0 for feed in others if comes_through(feed)), default=0.0)
            if late > limit("late_ms"):
                yield Hazard(
                    "late-cue",
                    "note",
                    (party.id,),
                    f"{party.name} hears it {late:.0f} ms late",
                    f"A cue comes to {party.name} {late:.0f} ms late, and their answer as late again: ask, then wait.",
                    since,
                    soon,
                )
        stale = [row for row in mine if row.stale]
        if stale:
            yield Hazard(
                "stale",
                "fix",
                (party.id,),
                f"{party.name}'s path has changed since it was tapped",
                f"{len(stale)} of {len(mine)} pairs of {party.name} were proven on a path that is another now. Tap again in Prove.",
                since,
                soon,
            )
    if soon:
        return
    if talkers:
        yield from _effects(analysis, talkers)
        for device, control, who in analysis.once(_air_controls):
            yield Hazard(
                "moves-air",
                "note",
                (device, control),
                f"{analysis.device_name(device)}, {control} moves what goes out",
                f"Turned for somebody's ears it also turns {who}. Leave it where it stands.",
                None,
            )


def _effects(analysis: Computed, talkers: frozenset[str]) -> Iterator[Hazard]:
    """Gates and other steps that are set in an open strip and switched off."""
    channels = analysis.once(channels_of)
    for channel in channels.rows:
        setting = analysis.show.device(channel.device).settings.get(channel.ref.key)
        off = [row.sort for row in (setting.chain or () if setting is not None else ()) if not row.on]
        if off and not talkers.isdisjoint(channel.voices):
            yield Hazard(
                "effects-off",
                "note",
                (channel.device, channel.ref.key),
                f"{', '.join(off)} of {channel.label} {'is' if len(off) == 1 else 'are'} off",
                "It is set and not in force. Switch it on before it is wanted, or leave it.",
            )
