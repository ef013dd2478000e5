"""Talkback, the order of work, the desk and the lines as tables, lines of text and JSON: for commands, sheets and views alike."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.model.show import Party
from kymaphon.core.model.talk import Circuit
from kymaphon.core.report.sheet import CAUTIONS, Sheet, Table
from kymaphon.core.talk.checks import CheckState, check_states
from kymaphon.core.talk.hearing import Hearing, TalkHearing, hearing_of
from kymaphon.core.talk.keys import key_action, key_words
from kymaphon.core.talk.proofs import AirProof, air_proofs
from kymaphon.core.work.allotment import Allotment
from kymaphon.core.work.lines import LineState, jackfield, line_states
from kymaphon.core.work.plan import Drop, WorkPlan

BY_WORDS = {
    None: "",
    "loudspeaker": "loudspeaker",
    "headphones": "headphones",
    "one-ear": "one ear",
    "camera-cable": "camera cable",
    "four-wire": "four-wire",
    "call": "call",
    "telephone": "telephone",
}
TALK_CAUTIONS = (
    "Talkback in the ears all day adds up: 85 dBA for 8 hours is the usual limit, half the time for every 3 dB more (NIOSH 1998).",
    "Power at temporary sites, masts and roofs: a competent, licensed person, by local rules.",
    *CAUTIONS[3:],
)


def circuit_name(circuit: Circuit) -> str:
    """A circuit as it is called on screen."""
    return circuit.name or circuit.id


def hears_words(row: Hearing | None) -> str:
    """What somebody makes of what comes on a circuit, in a few words."""
    if row is None:
        return "nobody speaks"
    way = row.way
    if way.state == "outside":
        return "by telephone"
    if way.state == "howls":
        return "howls"
    if way.state == "none" or way.level_db is None:
        return "no way"
    words = show_number(way.level_db, way.unit)
    if row.index is not None:
        words += f", index {row.index:.2f}"
    if row.by_air:
        words += ", across the place"
    return words if row.usable else f"{words}: too little"


def plain_line(analysis: Computed) -> str:
    """Where a show has no circuits, one line on how whoever leads it speaks to those who take part."""
    leads = [row for row in analysis.voices if row.kind == "crew"] or [
        row for row in analysis.voices if row.kind == "presenter"
    ]
    if not leads:
        return "Nobody who leads speaks in this show."
    lead = leads[0]
    rows = [row for row in analysis.listeners if row.id != lead.id and row.speaks]
    if not rows:
        return f"{lead.name} has nobody to speak to."
    heard = [row for row in rows if _comes(analysis, row, lead)]
    deaf = [row for row in rows if row not in heard]
    air = any(row.kind in ("audience", "recorder") and _comes(analysis, row, lead) for row in analysis.listeners)
    text = f"{lead.name} speaks to {_listed(heard)}" if heard else f"Nobody hears {lead.name}"
    if heard:
        text += " by the programme alone: all of it goes out" if air else " and is not on air"
    if deaf:
        text += f"; {_listed(deaf)} cannot hear {lead.name}"
    return f"{text}. For a word apart, agree a call or a message before air." if air or deaf else f"{text}."


def _comes(analysis: Computed, listener: Party, voice: Party) -> bool:
    feed = analysis.feeds.get((listener.id, voice.id))
    return feed is not None and feed.verdict not in ("silent", "missing") and feed.path is not None


def _listed(rows: list[Party]) -> str:
    names = [row.name for row in rows]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def talk_lines(analysis: Report) -> Iterator[str]:
    """The circuits as text: each with who may speak by which key, who hears it and how well."""
    if not analysis.show.circuits:
        yield plain_line(analysis)
        return
    hearing = analysis.once(hearing_of)
    for circuit in analysis.show.circuits:
        private = ", private" if circuit.private else ""
        yield f"{circuit_name(circuit)} ({circuit.purpose}{private})"
        for row in member_rows(analysis, hearing, circuit):
            yield f"  {row[0]}: {', '.join(cell for cell in row[1:] if cell)}"


def member_rows(analysis: Computed, hearing: TalkHearing, circuit: Circuit) -> list[tuple[str, str, str, str]]:
    """For each on a circuit: name; how they speak; how they hear; what else there is to know."""
    names = {row.id: row.name for row in analysis.show.parties}
    out = []
    if len(circuit.members) > 2 and all(row.by == "telephone" and row.speaks and row.hears for row in circuit.members):
        everybody = ", ".join(names.get(row.party, row.party) for row in circuit.members)
        return [(everybody, "by telephone, all to all", "", "")]
    for member in circuit.members:
        if member.party not in names:
            out.append((member.party, "", "", "not in the show"))
            continue
        speaks = ""
        if member.speaks:
            action = key_action(analysis, member)
            speaks = f"speaks by {key_words(analysis, member.key)} ({action})" if member.key else "speaks"
            if member.by == "telephone":
                speaks = "speaks by telephone"
        hears = ""
        if member.hears:
            hears = f"hears {hears_words(hearing.best_to(circuit.id, member.party))}"
        more = [BY_WORDS[member.by]] if member.by and member.by != "telephone" else []
        if member.acts:
            more.append("acts on cues")
        if member.spoken_for_by:
            more.append(f"{names.get(member.spoken_for_by, member.spoken_for_by)} answers")
        if member.cue_light:
            more.append("cue lamp")
        out.append((names[member.party], speaks, hears, ", ".join(more)))
    return out


def talkback_sheet(analysis: Report) -> Sheet:
    """The talkback sheet: a page of circuits, who is on them by which key, what was tried, and the proofs."""
    hearing = analysis.once(hearing_of)
    lines: list[tuple[str, ...]] = []
    for circuit in analysis.show.circuits:
        more = [
            circuit.purpose if circuit.purpose != circuit_name(circuit).lower() else "",
            "private" if circuit.private else "",
        ]
        more.append(f"dims {circuit.dim_db:.0f} dB" if circuit.dim_db else "")
        words = ", ".join(row for row in more if row)
        title = f"{circuit_name(circuit)}: {words}" if words else circuit_name(circuit)
        for n, row in enumerate(member_rows(analysis, hearing, circuit)):
            lines.append((title if n == 0 else "", *row))
    tables = [Table("Circuits", ("Circuit", "Who", "Speaks", "Hears", ""), tuple(lines))]
    tried = any(row.check is not None for row in check_states(analysis))
    checks = tuple(_check_rows(analysis)) if tried else ()
    tables.append(Table("By voice, each way", ("Circuit", "From", "Good", "Still to be tried"), checks))
    proofs = tuple(_proof_rows(analysis))
    tables.append(Table("Never to air", ("Who", "Proof"), proofs))
    show = analysis.show
    summary = (
        plain_line(analysis)
        if not show.circuits
        else f"{len(show.circuits)} circuits, {len({m.party for c in show.circuits for m in c.members})} people."
    )
    return Sheet(
        show.title, _subtitle(analysis, "talkback"), summary, tuple(row for row in tables if row.rows), TALK_CAUTIONS
    )


def _proof_rows(analysis: Computed) -> Iterator[tuple[str, ...]]:
    """What is proven; who share a proof stand in one row, each with their circuits."""
    rows: dict[str, dict[str, list[str]]] = {}
    for row in analysis.once(air_proofs):
        if row.keys:
            name = analysis.party_name(row.speaker)
            rows.setdefault(proof_words(analysis, row), {}).setdefault(name, []).append(_circuit(analysis, row.circuit))
    for words, who in rows.items():
        yield "; ".join(f"{name} on {', '.join(circuits)}" for name, circuits in who.items()), words


def _circuit(analysis: Computed, circuit_id: str) -> str:
    return next((circuit_name(row) for row in analysis.show.circuits if row.id == circuit_id), circuit_id)


def _subtitle(analysis: Computed, what: str) -> str:
    show = analysis.show
    air = f", on air {show.air_at:%Y-%m-%d %H:%M %Z}" if show.air_at is not None else ""
    return f"{show.subtitle}{', ' if show.subtitle else ''}{what}{air}"


def _check_rows(analysis: Computed) -> Iterator[tuple[str, ...]]:
    """For each speaker on each circuit: to whom, how many of those were good, who is still to be tried."""
    rows: dict[tuple[str, str], list[CheckState]] = {}
    for row in check_states(analysis):
        if row.way.state == "outside":
            continue  # by telephone: numbers are exchanged, and nothing of the rig is tried
        rows.setdefault((row.way.circuit, row.way.speaker), []).append(row)
    for (circuit, speaker), states in rows.items():
        missing = [analysis.party_name(row.way.listener) for row in states if not row.holds]
        good = f"{len(states) - len(missing)} of {len(states)}"
        words = "everybody" if len(missing) == len(states) > 3 else ", ".join(missing) or "\u2013"
        yield (_circuit(analysis, circuit), analysis.party_name(speaker), good, words)


def proof_words(analysis: Computed, row: AirProof) -> str:
    """What is proven of somebody's talk, in a sentence."""
    if row.problem:
        return f"not proven: {row.problem}"
    if row.now:
        names = ", ".join(_end(analysis, leak.target) for leak in row.now)
        return f"reaches {names} now"
    if row.leaks:
        leak = row.leaks[0]
        keys = " and ".join(
            f"{key_words(analysis, f'{ref.device}.{ref.key}')} {'down' if down else 'up'}" for ref, down in leak.needs
        )
        return f"reaches {_end(analysis, leak.target)} with {keys}"
    return f"never to air, a recorder or a loudspeaker, in every position of {row.keys} other keys"


def _end(analysis: Computed, target: str) -> str:
    party = next((row for row in analysis.show.parties if row.id == target), None)
    return party.name if party is not None else analysis.device_name(target)


# the order of work


def clock(plan: WorkPlan, minutes: float) -> str:
    """A time of the plan as people say it: by the clock where there is one, else minutes from the start."""
    at = plan.at(minutes)
    return f"{at:%H:%M}" if at is not None else f"+{minutes:.0f} min"


def plan_words(analysis: Computed, plan: WorkPlan) -> str:
    """The plan in a sentence or two: when all is done, how good that is, how much time is left."""
    if not plan.tasks:
        return "Nothing is to be done: the show has no tasks and tells none."
    left = len(plan.schedule.rows)
    if not left:
        return "Everything is done." if all(row.done for row in plan.tasks) else "Nothing of it can be planned."
    text = f"{left} tasks for {len(analysis.show.crew)} people, done at {clock(plan, plan.schedule.end)}"
    if plan.schedule.proven:
        text += "; no plan is shorter"
    else:
        text += f"; no plan is shorter than {plan.schedule.bound:.0f} of these {plan.schedule.end:.0f} min"
    if plan.spare_min is not None:
        spare = plan.spare_min
        text += (
            f". {spare:.0f} min to spare before stand-by" if spare >= 0 else f". {-spare:.0f} min too late for stand-by"
        )
    return f"{text}."


def hand_names(analysis: Computed, hands: tuple[str, ...]) -> str:
    names = {row.id: row.name for row in analysis.show.crew}
    return ", ".join(names.get(name, name) for name in hands) or "nobody yet"


def work_rows(analysis: Computed, plan: WorkPlan) -> list[tuple[str, str, str, str, str]]:
    """Start, end, what, who, whether it decides, slack; of what is left to do."""
    out = []
    for row in plan.schedule.rows:
        slack = plan.schedule.slack.get(row.job, 0.0)
        decides = "decides" if row.job in plan.schedule.critical else f"{slack:.0f} min"
        task = plan.task(row.job)
        out.append((clock(plan, row.start), clock(plan, row.end), task.text, hand_names(analysis, row.hands), decides))
    return out


def drop_words(plan: WorkPlan, row: Drop) -> str:
    """What to leave out and what that costs."""
    names = " and ".join(plan.task(name).text for name in row.tasks)
    enough = "in time then" if row.in_time else "still late"
    return f"Without {names}: {row.saves_min:.0f} min earlier, {enough}. Costs: {'; '.join(row.loses)}."


def work_sheet(analysis: Report, plan: WorkPlan, late: tuple[Drop, ...] = ()) -> Sheet:
    """The schedule as a page."""
    tables = [Table("Order of work", ("From", "To", "What", "Who", "Slack"), tuple(work_rows(analysis, plan)))]
    if late:
        tables.append(Table("To leave out", ("",), tuple((drop_words(plan, row),) for row in late)))
    if plan.problems:
        tables.append(Table("To be sorted out", ("",), tuple((text,) for text in plan.problems)))
    show = analysis.show
    return Sheet(
        show.title,
        _subtitle(analysis, "order of work"),
        plan_words(analysis, plan),
        tuple(row for row in tables if row.rows),
        TALK_CAUTIONS,
    )


def work_json(analysis: Computed, plan: WorkPlan, late: tuple[Drop, ...]) -> dict[str, Any]:
    """The schedule as data."""
    return {
        "told_from_the_show": plan.told,
        "begins": plan.begins.isoformat() if plan.begins else None,
        "ends": plan.ends.isoformat() if plan.ends else None,
        "deadline": plan.deadline.isoformat() if plan.deadline else None,
        "spare_min": plan.spare_min,
        "length_min": plan.schedule.end,
        "bound_min": plan.schedule.bound,
        "proven": plan.schedule.proven,
        "tasks": [
            {
                "id": row.job,
                "text": plan.task(row.job).text,
                "sort": plan.task(row.job).sort,
                "start_min": row.start,
                "end_min": row.end,
                "hands": list(row.hands),
                "critical": row.job in plan.schedule.critical,
                "slack_min": plan.schedule.slack.get(row.job, 0.0),
                "after": list(plan.task(row.job).after),
            }
            for row in plan.schedule.rows
        ],
        "learnt": {name: {"factor": row.factor, "tasks": row.count} for name, row in plan.learnt.items()},
        "drops": [
            {"tasks": list(row.tasks), "saves_min": row.saves_min, "in_time": row.in_time, "loses": list(row.loses)}
            for row in late
        ],
        "problems": list(plan.problems),
    }


# the desk


def allot_words(found: Allotment) -> str:
    """An allotment in a sentence or two."""
    text = f"{len(found.sources)} sources on {found.desk.name}'s {len(found.strips)} channels, {found.spares} spare"
    if found.left:
        by_id = {row.id: row.name for row in found.sources}
        text += f"; nothing for {', '.join(by_id[name] for name in found.left)}"
    if found.submixes:
        text += f"; {sum(len(row.sources) for row in found.submixes)} mixed before the desk"
    quality = (
        "none is better"
        if found.proven
        else f"none can be better than {found.bound / max(found.cost, 1e-9):.0%} of its cost"
    )
    return f"{text}; {quality}."


def channel_rows(found: Allotment) -> list[tuple[str, str, str, str, str]]:
    """The channel list: channel, label, what, group, note."""
    by_id = {row.id: row for row in found.sources}
    groups = dict(found.desk.groups)
    out = []
    for row in found.strips:
        names = ", ".join(by_id[name].name for name in row.sources)
        out.append(
            (
                row.name,
                row.label,
                names,
                groups.get(row.group, "") if row.sources else "",
                row.note if row.sources else "spare",
            )
        )
    return out


def channel_table(found: Allotment) -> Table:
    return Table("Channels", ("Channel", "Label", "What", "Group", ""), tuple(channel_rows(found)))


def channel_sheet(analysis: Report, found: Allotment) -> Sheet:
    """The channel list as a page."""
    tables = [channel_table(found)]
    if found.submixes:
        tables.append(Table("Mixed before the desk", ("",), tuple((row.loses,) for row in found.submixes)))
    if found.problems:
        tables.append(Table("To be sorted out", ("",), tuple((text,) for text in found.problems)))
    return Sheet(
        analysis.show.title, _subtitle(analysis, "channel list"), allot_words(found), tuple(tables), CAUTIONS[:1]
    )


def allot_json(found: Allotment) -> dict[str, Any]:
    """An allotment as data."""
    by_id = {row.id: row.name for row in found.sources}
    return {
        "desk": found.desk.id,
        "channels": [
            {
                "channel": row.channel,
                "label": row.label,
                "sources": [{"id": name, "name": by_id[name]} for name in row.sources],
                "family": row.family or None,
                "group": row.group or None,
                "note": row.note,
            }
            for row in found.strips
        ],
        "submixes": [
            {"family": row.family, "sources": list(row.sources), "noise_db": row.noise_db, "loses": row.loses}
            for row in found.submixes
        ],
        "left_out": list(found.left),
        "spares": found.spares,
        "cost": found.cost,
        "bound": found.bound,
        "proven": found.proven,
        "problems": list(found.problems),
    }


# lines


def line_words(row: LineState) -> str:
    """A line in one line of text."""
    line = row.line
    words = [f"fed by {row.source_words}" if row.fed else "fed by nothing"]
    if row.voices:
        words.append(f"{row.voices[0][0]} at {show_number(row.voices[0][1], row.unit)}")
    if row.off_db is not None:
        words.append(f"{show_number(row.off_db.value, 'dB', sign=True)} against the level agreed")
    if row.lost_db is not None:
        words.append(f"tone read {show_number(row.lost_db.value, 'dB', sign=True)} against what was sent")
    if line.delay_ms is not None:
        words.append(f"{line.delay_ms:.0f} ms")
    words.append({"good": "good", "bad": "bad", "untested": "not tried yet"}[line.result])
    return f"{row.name}{f' ({line.number})' if line.number and line.name else ''}: {', '.join(words)}"


def lines_table(analysis: Computed) -> Table:
    """The jackfield list."""
    return Table("Jackfield", ("Jack", "Number", "Line", "Fed by", "Reserve for"), tuple(jackfield(analysis)))


# data


def talk_json(analysis: Report) -> dict[str, Any]:
    """Circuits, what everybody hears on them, proofs, lines and what was tried, as data."""
    hearing = analysis.once(hearing_of)
    return {
        "line": plain_line(analysis) if not analysis.show.circuits else None,
        "circuits": [
            {
                "id": circuit.id,
                "name": circuit_name(circuit),
                "purpose": circuit.purpose,
                "private": circuit.private,
                "members": [row.model_dump(mode="json", exclude_none=True) for row in circuit.members],
                "ways": [_way_json(hearing, row) for key, row in hearing.rows.items() if key[0] == circuit.id],
            }
            for circuit in analysis.show.circuits
        ],
        "proofs": [
            {
                "circuit": row.circuit,
                "speaker": row.speaker,
                "proven": row.proven,
                "keys_tried": row.keys,
                "reaches": [leak.target for leak in row.leaks],
                "reaches_now": [leak.target for leak in row.now],
            }
            for row in analysis.once(air_proofs)
        ],
        "lines": [
            {
                "id": row.line.id,
                "number": row.line.number,
                "fed_by": row.source or None,
                "off_db": row.off_db.value if row.off_db else None,
                "lost_db": row.lost_db.value if row.lost_db else None,
                "delay_ms": row.line.delay_ms,
                "reserve_for": row.line.reserve_for,
                "result": row.line.result,
            }
            for row in line_states(analysis)
        ],
        "checks": [
            {
                "circuit": row.way.circuit,
                "speaker": row.way.speaker,
                "listener": row.way.listener,
                "result": row.check.result if row.check else None,
                "stale": row.stale,
            }
            for row in check_states(analysis)
        ],
    }


def _way_json(hearing: TalkHearing, row: Hearing) -> dict[str, Any]:
    way = row.way
    unit = {"dB SPL": "level_db_spl", "dBu": "level_dbu", "dBFS": "level_dbfs"}.get(way.unit, "level_db")
    steps, delay = hearing.model.steps(way)
    return {
        "speaker": way.speaker,
        "listener": way.listener,
        "state": way.state,
        "usable": row.usable,
        **({unit: way.level_db} if way.level_db is not None else {}),
        "against_mark_db": way.gain_db,
        "delay_ms": delay if steps else None,
        "over_programme_db": row.over_db,
        "intelligibility_index": row.index,
        "across_the_place": row.by_air,
    }
