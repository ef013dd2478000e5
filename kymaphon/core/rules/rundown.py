"""Rules about the rundown: what is wrong with a segment before it is on, and with the whole against the clock."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.graph.routing import comes_through
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.clock import by_the_clock, span_words
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.rundown import Segment
from kymaphon.core.rules.record import rule
from kymaphon.core.rundown.catch_up import catch_up, edits_of, fill
from kymaphon.core.rundown.channels import channels_of
from kymaphon.core.rundown.states import talkers_in
from kymaphon.core.rundown.timing import HardTime, Timeline, planned_s, timeline

ENDS = ("audience", "recorder")


@rule("segment-player-under-mic", "segment-runs-on", stage="Air", reads=("programme", "layout", "switches"))
def player_under_talk(analysis: Computed) -> Iterator[Finding]:
    """A player under an open microphone that nobody meant to be there, and one that would run on under it (common practice of studios:
    microphones closed under music, single-track play armed).
    """
    for segment in analysis.show.rundown:
        talkers = talkers_in(analysis.show, segment)
        if not talkers:
            continue
        names = ", ".join(map(analysis.party_name, talkers))
        loud = [row for row in segment.plays if not row.under]
        if loud:
            what = ", ".join(row.title or analysis.party_name(row.party) for row in loud)
            kept = tuple(name for name in segment.open if name not in talkers)
            under = tuple(row.with_(under=True) for row in segment.plays)
            yield Finding(
                "segment-player-under-mic",
                "fix",
                "Air",
                (segment.id, *(row.party for row in loud), *talkers),
                f"{segment.name}: {what} plays under an open microphone",
                f"In {segment.name} {what} plays while {names} {'is' if len(talkers) == 1 else 'are'} open: every word and breath goes out "
                "over it. Close them, or say that it is meant to play under the talk.",
                remedies=(
                    Remedy(
                        "close",
                        f"Close {names} in {segment.name}",
                        "Nobody is open under it.",
                        (SetField("rundown", segment.id, "open", kept),),
                    ),
                    Remedy(
                        "under",
                        "It is meant to play under the talk",
                        "The rundown says so, and it is to be ducked or turned down.",
                        (SetField("rundown", segment.id, "plays", under),),
                    ),
                ),
            )
        runs = [row for row in segment.plays if row.follow == "run-on"]
        if runs:
            what = ", ".join(row.title or analysis.party_name(row.party) for row in runs)
            single = tuple(row.with_(follow="single") for row in segment.plays)
            yield Finding(
                "segment-runs-on",
                "fix",
                "Air",
                (segment.id, *(row.party for row in runs), *talkers),
                f"{segment.name}: {what} runs on under the talk",
                f"In {segment.name} {what} goes on into the next track by itself while {names} "
                f"{'talks' if len(talkers) == 1 else 'talk'}. Armed for a single track it stops.",
                remedies=(
                    Remedy(
                        "single",
                        "Arm for a single track",
                        "It stops at the end of the track.",
                        (SetField("rundown", segment.id, "plays", single),),
                    ),
                ),
            )


@rule("segment-no-mix", stage="Air", reads=("programme", "feeds"))
def remote_without_mix(analysis: Computed) -> Iterator[Finding]:
    """Somebody far away who is on with others and hears none of them, or hears themselves back late."""
    for party in analysis.listeners:
        if party.kind != "remote":
            continue
        deaf: list[Segment] = []
        back: list[Segment] = []
        others_of: set[str] = set()
        own = analysis.feeds.get((party.id, party.id))
        for segment in analysis.show.rundown:
            if party.id not in segment.open:
                continue
            others = [name for name in talkers_in(analysis.show, segment) if name != party.id]
            feeds = [analysis.feeds.get((party.id, name)) for name in others]
            if others and not any(feed is not None and comes_through(feed) for feed in feeds):
                deaf.append(segment)
                others_of.update(others)
            if own is not None and own.verdict == "back":
                back.append(segment)
        if deaf:
            names = ", ".join(analysis.party_name(name) for name in sorted(others_of))
            yield Finding(
                "segment-no-mix",
                "fix",
                "Air",
                (party.id, *(row.id for row in deaf)),
                f"{party.name} is on and hears nobody",
                f"In {_listed(deaf)} {party.name} is on with {names} and hears none of them: there is no answer to a question that was not "
                "heard. Give them their mix-minus in Feeds first.",
                pairs=tuple((party.id, name) for name in sorted(others_of)),
            )
        elif back:
            yield Finding(
                "segment-no-mix",
                "fix",
                "Air",
                (party.id, *(row.id for row in back)),
                f"{party.name} is on and hears themselves back",
                f"In {_listed(back)} {party.name} is on and has their own voice back late: what they get is no mix-minus. See Feeds.",
                pairs=((party.id, party.id),),
            )


def _listed(segments: list[Segment]) -> str:
    names = [row.name for row in segments]
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


@rule("segment-no-channel", "segment-comes-along", "segment-doubled", stage="Air", reads=("programme", "levels"))
def channels_of_segments(analysis: Computed) -> Iterator[Finding]:
    """Who is to be opened and has no channel to be opened by; who comes along by the same channel; who is open twice."""
    channels = analysis.once(channels_of)
    rows = analysis.show.rundown
    for name in dict.fromkeys(name for segment in rows for name in segment.open):
        if name in channels.without:
            yield Finding(
                "segment-no-channel",
                "note",
                "Air",
                (name,),
                f"Nothing here opens or closes {analysis.party_name(name)}",
                f"{analysis.party_name(name)} is opened in the rundown, and comes in by no channel with a mute or a fader: "
                "they are on whenever they speak.",
            )
        parties = {row.id: row for row in analysis.show.parties}
        strips = channels.of(name)
        if len(strips) > 1 and not parties[name].plays_on and parties[name].kind not in NO_SPEECH:
            labels = " and ".join(row.label for row in strips)
            yield Finding(
                "segment-doubled",
                "note",
                "Air",
                (name,),
                f"{analysis.party_name(name)} comes in by two channels",
                f"{analysis.party_name(name)} comes in by {labels}: with both open the voice arrives twice, hollow where the times differ. "
                "Open one of them.",
            )
    seen: set[tuple[str, str]] = set()
    for segment in rows:
        on = frozenset(segment.open) | frozenset(row.party for row in segment.plays)
        for other, channel in channels.along(on):
            own = next(name for name in channel.voices if name in on)
            if (own, other) in seen:
                continue
            seen.add((own, other))
            yield Finding(
                "segment-comes-along",
                "note",
                "Air",
                (own, other),
                f"{analysis.party_name(other)} comes along with {analysis.party_name(own)}",
                f"In {segment.name} {channel.label} opens {analysis.party_name(own)}, and {analysis.party_name(other)} with it: they share "
                "that channel.",
            )


@rule("dead-air", "segment-no-length", stage="Air", reads=("programme",))
def empty_segments(analysis: Computed) -> Iterator[Finding]:
    """Segments in which nothing is heard, and those without a length before a hard time."""
    rows = analysis.show.rundown
    silent = [row for row in rows if not row.open and not row.plays and row.sort != "break" and planned_s(row) != 0]
    if silent:
        yield Finding(
            "dead-air",
            "fix" if len(silent) < len(rows) else "note",
            "Air",
            tuple(row.id for row in silent),
            f"Nobody is open and nothing plays in {_listed(silent)}",
            f"In {_listed(silent)} nobody is open and nothing plays: dead air, unless somebody opens a microphone that the rundown "
            "does not know of. Say who is open, or make it a break.",
        )
    hard = [n for n, row in enumerate(rows) if row.ends_by is not None or (row.starts_at is not None and n)]
    unknown = [row for row in rows[: max(hard) + 1] if planned_s(row) is None] if hard else []
    if unknown:
        yield Finding(
            "segment-no-length",
            "note",
            "Air",
            tuple(row.id for row in unknown),
            f"{_listed(unknown)} {'has' if len(unknown) == 1 else 'have'} no length",
            f"{_listed(unknown)} {'has' if len(unknown) == 1 else 'have'} no planned length, and a hard time follows: "
            "whether it is met cannot be said.",
        )


@rule("hard-time-missed", "hard-time-early", stage="Air", reads=("programme",))
def hard_times(analysis: Computed) -> Iterator[Finding]:
    """Hard times that the rundown as planned runs over, with the fewest cuts that meet them; and time to fill before them."""
    line = timeline(analysis.show)
    for hard in line.hard:
        if hard.missed:
            yield _missed(analysis, line, hard)
            return  # what follows it follows from it
    for hard in line.hard:
        filling = fill(line, hard)
        if filling is None or hard.sort == "out":
            continue
        at = by_the_clock(analysis.show, hard.at)
        name = line.of(hard.segment).segment.name
        yield Finding(
            "hard-time-early",
            "fix" if filling.left else "note",
            "Air",
            (hard.segment,),
            f"{span_words(-hard.off_s)} to fill before {name}",
            f"{name} begins at {at}, and what comes before it is over {span_words(-hard.off_s)} sooner: {filling.words}.",
            (Derived("to fill", -hard.off_s, "s"),),
            Derived(
                "to fill",
                -hard.off_s,
                "s",
                "hard time \u2212 end of what comes before",
                source="forward timing of the rundown",
            ),
        )


def _missed(analysis: Computed, line: Timeline, hard: HardTime) -> Finding:
    segment = line.of(hard.segment).segment
    advice = catch_up(line, hard)
    what = "begins" if hard.sort == "start" else "has to be over"
    told = "; or ".join(row.words for row in advice if row.enough)
    text = (
        f"{segment.name} {what} at {by_the_clock(analysis.show, hard.at)}, and as planned "
        f"{'what comes before it ends' if hard.sort == 'start' else 'it ends'} {span_words(hard.off_s)} late."
    )
    if told:
        text += f" {told[:1].upper()}{told[1:]}."
    elif advice:
        text += f" All that may be cut saves {span_words(advice[0].saves_s)}, which is not enough."
    else:
        text += " Nothing before it may be cut: say in the rundown what may be shorter, or go."
    lengths = tuple(
        Derived(row.segment.name, row.length_s, "s", source="rundown") for row in line.rows[: hard.place + 1]
    )
    return Finding(
        "hard-time-missed",
        "fix",
        "Air",
        (hard.segment,),
        f"{span_words(hard.off_s)} over at {segment.name}",
        text,
        (Derived("over", hard.off_s, "s"),),
        Derived("over", hard.off_s, "s", "sum of lengths \u2212 time from air to the hard time", lengths),
        tuple(
            Remedy(f"cut-{n}", row.words[:1].upper() + row.words[1:], "The hard time is met.", edits_of(line, row))
            for n, row in enumerate(advice, start=1)
            if row.enough
        ),
    )
