"""The rundown and a podcast's outline as tables, lines of text and JSON: for the command, the sheets and the views alike."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from kymaphon.core.analysis.report import Report
from kymaphon.core.analysis.segments import breaks_in
from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.clock import by_the_clock, offset_words, span_text, span_words, zone_of
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.rundown import Play, Segment, Topic
from kymaphon.core.report.sheet import CAUTIONS, SEVERITY_WORDS, Sheet, Table, show_line
from kymaphon.core.rundown.catch_up import Advice, catch_up, fill
from kymaphon.core.rundown.channels import channels_of
from kymaphon.core.rundown.limits import limit
from kymaphon.core.rundown.states import Change, heard_in, moves_between, state_of
from kymaphon.core.rundown.timing import Timeline, planned_s, timeline
from kymaphon.core.words import counted

DASH = "\u2013"
COLUMNS = (
    "id",
    "name",
    "length",
    "sort",
    "open",
    "plays",
    "talkback",
    "starts_at",
    "ends_by",
    "shortest",
    "longest",
    "can_drop",
    "loses",
    "note",
    "topics",
)
"""Columns of a rundown as a list that can be read again."""
RUNDOWN_CAUTIONS = (*CAUTIONS[:2], *CAUTIONS[3:])


def play_words(segment: Segment) -> str:
    """What plays in a segment: title, how it follows, whether under the talk."""
    rows = []
    for row in segment.plays:
        how = [] if row.follow == "single" else ["runs on"]
        how += ["under the talk"] if row.under else []
        told = f" ({', '.join(how)})" if how else ""
        rows.append(f"{row.called}{told}")
    return ", ".join(rows)


def names_of(analysis: Computed, parties: tuple[str, ...]) -> str:
    return ", ".join(analysis.party_name(name) for name in parties)


def timing_words(analysis: Computed, line: Timeline) -> str:
    """The whole against the clock, in a sentence: how long, when over, by how much hard times are missed and what helps."""
    show = analysis.show
    if not line.rows:
        return "There is no rundown yet."
    text = f"{counted(len(line.rows), 'segment')}, {span_words(line.length_s)}"
    if line.ends is not None:
        text += f", over at {by_the_clock(show, line.ends)}"
    missed = next((row for row in line.hard if row.missed), None)
    if missed is not None:
        advice = catch_up(line, missed)
        name = line.of(missed.segment).segment.name
        text += f"; {span_words(missed.off_s)} over at {name} ({by_the_clock(show, missed.at)})"
        text += f". {advice_words(advice)}"
        return text
    under = next((row for row in reversed(line.hard) if row.early), None)
    if under is not None:
        text += f"; {span_words(-under.off_s)} under at {line.of(under.segment).segment.name}"
        filling = fill(line, under)
        if filling is not None:
            return f"{text}: {filling.words}."
    elif line.hard:
        text += "; hard times are met"
    return f"{text}."


def running_words(line: Timeline) -> str:
    """How the hard times will be met as it runs now, and what helps; empty without any. Of a show that runs on another day than its own
    (a rehearsal, last week's file) it says that alone.
    """
    apart = next((row for row in line.hard if abs(row.off_s) > limit("other_day_h") * 3600), None)
    if apart is not None:
        way = "before" if apart.off_s > 0 else "after"
        return (
            f"The hard time of {line.of(apart.segment).segment.name} lies {days_words(apart.off_s)} {way} this run: "
            "the rundown's times are of another day. For a run today set when the show is on air: On air at\u2026, on Rundown."
        )
    late = next((row for row in line.hard if row.missed and line.rows[row.place].state != "done"), None)
    if late is not None:
        name = line.of(late.segment).segment.name
        verb = "ends" if late.sort == "out" else "begins"
        return f"As it runs now {name} {verb} {span_words(late.off_s)} late. {advice_words(catch_up(line, late))}"
    following = line.next_hard
    filling = fill(line, following) if following is not None else None
    if following is not None and filling is not None:
        return f"{span_words(-following.off_s)} under at {line.of(following.segment).segment.name}: {filling.words}."
    return "Hard times are met." if line.hard else ""


def days_words(seconds: float) -> str:
    """A long span in whole days, at least one.

    >>> days_words(50_000), days_words(-9_427_081)
    ('1 day', '109 days')
    """
    days = max(round(abs(seconds) / 86_400), 1)
    return f"{days} day{'s' if days > 1 else ''}"


def advice_words(advice: tuple[Advice, ...]) -> str:
    """What to cut, the alternatives beside each other."""
    enough = [row.words for row in advice if row.enough]
    if enough:
        return f"{enough[0][:1].upper()}{enough[0][1:]}" + "".join(f"; or {words}" for words in enough[1:]) + "."
    if advice:
        return f"All that may be cut saves {span_words(advice[0].saves_s)}, which is not enough: {advice[0].words}."
    return "Nothing may be cut: the rundown says of no segment that it may be shorter or go."


def all_moves(analysis: Computed) -> tuple[tuple[Change, ...], ...]:
    """What to do before each segment, from the one before it."""
    out = []
    open_now: frozenset[str] = frozenset()
    playing: frozenset[str] = frozenset()
    for segment in analysis.show.rundown:
        out.append(moves_between(analysis, open_now, playing, segment))
        open_now, playing = frozenset(segment.open), frozenset(row.party for row in segment.plays)
    return tuple(out)


def move_words(rows: tuple[Change, ...]) -> str:
    """Moves in one line, in their order."""
    return "; ".join(f"{row.words} ({row.where})" if row.where else row.words for row in rows)


def rundown_table(analysis: Computed, line: Timeline) -> Table:
    """Segment by segment: when, how long, by when at the latest, who is open, what plays, what is moved."""
    show = analysis.show
    rows = []
    for n, (row, moves) in enumerate(zip(line.rows, all_moves(analysis), strict=True), start=1):
        segment = row.segment
        starts = by_the_clock(show, row.starts) if row.starts is not None else DASH
        hard = f"hard {by_the_clock(show, segment.starts_at)}" if segment.starts_at is not None else ""
        out = f"out {by_the_clock(show, segment.ends_by)}" if segment.ends_by is not None else ""
        rows.append(
            (
                f"{n}",
                starts,
                span_words(row.length_s) if row.known else DASH,
                by_the_clock(show, row.latest) if row.latest is not None else DASH,
                segment.name + (f" [{', '.join(filter(None, (hard, out)))}]" if hard or out else ""),
                names_of(analysis, segment.open) or DASH,
                play_words(segment) or DASH,
                move_words(moves) or DASH,
                "; ".join(filter(None, (segment.note, talkback_words(analysis, segment)))),
            )
        )
    headings = ("", "From", "Length", "Latest", "Segment", "Open", "Plays", "Before it", "Note")
    return Table("Rundown", headings, tuple(rows), "Latest: by then it has to begin for every hard time after it.")


def talkback_words(analysis: Computed, segment: Segment) -> str:
    names = {row.id: row.called for row in analysis.show.circuits}
    rows = [names.get(name, name) for name in segment.talkback]
    return f"talkback: {', '.join(rows)}" if rows else ""


def hearing_rows(analysis: Computed, segment: Segment) -> list[tuple[str, str]]:
    """(listener, whom they hear of those who are on) in a segment, the rig computed in its state."""
    state = state_of(analysis, heard_in(segment))
    out = []
    for listener in state.figures.listeners:
        heard = state.hears(listener.id)
        out.append((listener.name, names_of(analysis, heard) or "nobody"))
    return out


def states_table(analysis: Computed) -> Table:
    """Who hears whom in each segment; listeners that hear the same are told together."""
    rows = []
    for segment in analysis.show.rundown:
        groups: dict[str, list[str]] = {}
        for listener, heard in hearing_rows(analysis, segment):
            groups.setdefault(heard, []).append(listener)
        for heard, listeners in groups.items():
            rows.append((segment.name, ", ".join(listeners), heard))
    return Table("Who hears whom in each segment", ("Segment", "Listener", "Hears"), tuple(rows))


def outline_table(analysis: Computed) -> Table:
    """Topics by segment, whose they are, for how long, and when that is where they are."""
    show = analysis.show
    line = timeline(show)
    zones = {row.id: row.time_zone for row in show.parties}
    rows = []
    for row in line.rows:
        for topic in row.segment.topics:
            who = analysis.party_name(topic.party) if topic.party is not None else "everybody"
            zone = zones.get(topic.party or "")
            there = local_words(show, row.starts, zone) if zone is not None and row.starts is not None else DASH
            minutes = f"{topic.minutes:g} min" if topic.minutes is not None else DASH
            when = by_the_clock(show, row.starts, seconds=False) if row.starts is not None else DASH
            rows.append((row.segment.name, when, who, topic.text, minutes, there))
    headings = ("Segment", "From", "Whose", "Topic", "For", "By their clock")
    return Table("Outline", headings, tuple(rows))


def guests_table(analysis: Computed) -> Table:
    """When each guest is on, by the show's clock and by their own."""
    show = analysis.show
    line = timeline(show)
    rows = []
    for party in show.parties:
        mine = [row for row in line.rows if party.id in row.segment.open]
        if not mine or party.kind not in ("guest", "remote", "presenter"):
            continue
        first = mine[0].starts
        when = by_the_clock(show, first, seconds=False) if first is not None else DASH
        there = local_words(show, first, party.time_zone) if first is not None and party.time_zone else DASH
        told = sum(topic.minutes or 0.0 for row in mine for topic in row.segment.topics if topic.party == party.id)
        whole = sum(row.length_s for row in mine)
        rows.append(
            (
                party.name,
                when,
                there,
                ", ".join(row.segment.name for row in mine),
                span_words(whole),
                f"{told:g} min" if told else DASH,
            )
        )
    headings = ("Who", "First on", "By their clock", "In", "On for", "Own topics")
    return Table("Guests", headings, tuple(rows))


def local_words(show: Any, at: datetime, zone: str) -> str:
    """A moment by somebody's own clock, with the day where it is another one there: 03:04 on Saturday, 15 August, Asia/Tokyo."""
    there = at.astimezone(ZoneInfo(zone))
    here = at.astimezone(zone_of(show))
    day = "" if there.date() == here.date() else f" on {there:%A, %-d %B}"
    return f"{there:%H:%M}{offset_words(there)}{day}, {zone}"


def rundown_sheet(analysis: Report, *, hearing: bool = True) -> Sheet:
    """The rundown as a page: the times, what to do before each segment, who then hears whom, findings, the outline."""
    show = analysis.show
    line = timeline(show)
    found = tuple((SEVERITY_WORDS[row.severity], row.message) for row in analysis.findings if row.stage == "Air")
    found += tuple((SEVERITY_WORDS[one.severity], words) for one, words in breaks_words(analysis))
    tables = [rundown_table(analysis, line), Table("What is wrong in it", ("", "What"), found)]
    tables += [guests_table(analysis), outline_table(analysis), channel_key(analysis)]
    if hearing:
        tables.append(states_table(analysis))
    return Sheet(
        show.title,
        show_line(show, "rundown"),
        timing_words(analysis, line),
        tuple(row for row in tables if row.rows),
        RUNDOWN_CAUTIONS,
        sort="rundown",
    )


def breaks_words(analysis: Report) -> list[tuple[Finding, str]]:
    """What breaks in which segments, each once with the segments that it breaks in."""
    rows: dict[tuple[str, tuple[str, ...]], tuple[Finding, list[str]]] = {}
    for segment in analysis.show.rundown:
        for finding in breaks_in(analysis, segment):
            rows.setdefault(finding.key, (finding, []))[1].append(segment.name)
    return [(finding, f"In {', '.join(names)}: {finding.message}") for finding, names in rows.values()]


def channel_key(analysis: Computed) -> Table:
    """Which channel opens whom."""
    rows = tuple((row.label, names_of(analysis, row.voices)) for row in analysis.once(channels_of).rows)
    return Table("Channels", ("Channel", "Opens"), rows)


def rundown_list(analysis: Computed) -> Table:
    """The rundown by the columns of a list that can be read again."""
    show = analysis.show

    def span(value: float | None) -> str:
        return span_text(value) if value is not None else ""

    rows = tuple(
        (
            row.id,
            row.name,
            span(row.length_s),
            row.sort,
            " ".join(row.open),
            "; ".join(play_text(play) for play in row.plays),
            " ".join(row.talkback),
            row.starts_at.isoformat() if row.starts_at is not None else "",
            row.ends_by.isoformat() if row.ends_by is not None else "",
            span(row.shortest_s),
            span(row.longest_s),
            "yes" if row.can_drop else "",
            row.loses,
            row.note,
            " | ".join(topic_text(topic) for topic in row.topics),
        )
        for row in show.rundown
    )
    return Table("Rundown", COLUMNS, rows)


def play_text(play: Play) -> str:
    """Something that plays, as a cell of the list: `jingles "The lantern is lit" 0:20 under`."""
    parts = [play.party]
    if play.title:
        title = play.title.replace("\\", "\\\\").replace('"', '\\"')
        parts.append(f'"{title}"')
    if play.length_s is not None:
        parts.append(span_text(play.length_s))
    parts += ["run-on"] if play.follow == "run-on" else []
    parts += ["under"] if play.under else []
    parts += ["can-drop"] if play.can_drop else []
    return " ".join(parts)


def topic_text(topic: Topic) -> str:
    """A topic, as a part of a cell of the list: `tam: The hull, plank by plank (3 min)`."""
    minutes = f" ({topic.minutes:g} min)" if topic.minutes is not None else ""
    return f"{topic.party or 'everybody'}: {topic.text.replace('|', '/')}{minutes}"


def rundown_lines(analysis: Report, *, hearing: bool = False) -> list[str]:
    """The rundown as lines of text."""
    show = analysis.show
    line = timeline(show)
    out = [timing_words(analysis, line)]
    for row, moves in zip(line.rows, all_moves(analysis), strict=True):
        segment = row.segment
        starts = by_the_clock(show, row.starts) if row.starts is not None else "--:--:--"
        length = span_words(row.length_s) if row.known else "?"
        spare = f", {span_words(row.spare_s, sign=True)} to the latest" if row.spare_s is not None else ""
        out.append(f"{starts}  {length:>6}  {segment.name}{spare}")
        if moves:
            out.append(f"    {move_words(moves)}")
        if hearing:
            groups: dict[str, list[str]] = {}
            for listener, heard in hearing_rows(analysis, segment):
                groups.setdefault(heard, []).append(listener)
            out += [f"    {', '.join(names)}: {heard}" for heard, names in groups.items()]
    found = [row for row in analysis.findings if row.stage == "Air"]
    out += [f"{SEVERITY_WORDS[row.severity]}: {row.message}" for row in found]
    out += [f"{SEVERITY_WORDS[row.severity]}: {words}" for row, words in breaks_words(analysis)]
    return out


def rundown_json(analysis: Report, *, hearing: bool = False) -> dict[str, Any]:
    """The rundown in base units."""
    line = timeline(analysis.show)
    rows = []
    for row, moves in zip(line.rows, all_moves(analysis), strict=True):
        segment = row.segment
        entry: dict[str, Any] = {
            "id": segment.id,
            "name": segment.name,
            "starts_at": row.starts.isoformat() if row.starts is not None else None,
            "latest_at": row.latest.isoformat() if row.latest is not None else None,
            "length_s": planned_s(segment),
            "spare_s": row.spare_s,
            "open": list(segment.open),
            "plays": [play.party for play in segment.plays],
            "breaks": [one.to_json() for one in breaks_in(analysis, segment)],
            "moves": [{"does": m.does, "party": m.party, "words": m.words, "where": m.where} for m in moves],
        }
        if hearing:
            state = state_of(analysis, heard_in(segment))
            entry["hears"] = {one.id: list(state.hears(one.id)) for one in state.figures.listeners}
        rows.append(entry)
    return {
        "segments": rows,
        "length_s": line.length_s,
        "ends_at": line.ends.isoformat() if line.ends is not None else None,
        "hard_times": [
            {"segment": row.segment, "sort": row.sort, "at": row.at.isoformat(), "over_s": row.off_s}
            for row in line.hard
        ],
        "advice": [{"words": row.words, "saves_s": row.saves_s, "enough": row.enough} for row in catch_up(line)],
        "findings": [row.to_json() for row in analysis.findings if row.stage == "Air"],
    }
