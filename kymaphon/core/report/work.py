"""The order of work, the desk and the lines as tables, lines of text and JSON: for commands, sheets and views alike."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.model.clock import by_the_clock, offset_words
from kymaphon.core.model.show import Show
from kymaphon.core.report.sheet import CAUTIONS, Sheet, Table, show_line
from kymaphon.core.report.talk import TALK_CAUTIONS
from kymaphon.core.words import counted
from kymaphon.core.work.allotment import Allotment
from kymaphon.core.work.lines import LineState, jackfield
from kymaphon.core.work.plan import Drop, WorkPlan


def clock(plan: WorkPlan, minutes: float) -> str:
    """A time of the plan as people say it: by the clock where there is one, else minutes from the start."""
    at = plan.at(minutes)
    return f"{at:%H:%M}{offset_words(at)}" if at is not None else f"+{minutes:.0f} min"


def time_words(show: Show, at: datetime) -> str:
    """A moment by the clock that the show's times are told by."""
    return by_the_clock(show, at, seconds=False)


def plan_words(analysis: Computed, plan: WorkPlan) -> str:
    """The plan in a sentence or two: what nobody can do, when the rest is done, how good that is, how much time is left."""
    if not plan.tasks:
        return "Nothing is to be done: the show has no tasks and tells none."
    left, undone = len(plan.schedule.rows), len(plan.schedule.unplaced)
    first = ""
    if undone:
        task = next(row for row in plan.tasks if row.id in plan.schedule.unplaced)
        first = f"{counted(undone, 'task')} of {left + undone} cannot be done: {task.text}: {plan.schedule.unplaced[task.id]}"
        first += f"; {undone - 1} more. " if undone > 1 else ". "
    if not left:
        rest = "Everything is done." if all(row.done for row in plan.tasks) else "Nothing of it can be planned."
        return f"{first}{rest}" if undone else rest
    people = counted(len(analysis.show.crew), "person", "people")
    text = f"{'The other ' if undone else ''}{counted(left, 'task')} for {people}, done at {clock(plan, plan.schedule.end)}"
    if plan.schedule.proven:
        text += "; no plan is shorter"
    else:
        text += f"; no plan is shorter than {plan.schedule.bound:.0f} of these {plan.schedule.end:.0f} min"
    if plan.spare_min is not None:
        spare = plan.spare_min
        text += (
            f". {spare:.0f} min to spare before stand-by" if spare >= 0 else f". {-spare:.0f} min too late for stand-by"
        )
    return f"{first}{text}."


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
        show_line(show, "order of work"),
        plan_words(analysis, plan),
        tuple(row for row in tables if row.rows),
        TALK_CAUTIONS,
        sort="schedule",
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
        "undone": dict(plan.schedule.unplaced),
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
    text = f"{counted(len(found.sources), 'source')} on {found.desk.name}'s {len(found.strips)} channels, {found.spares} spare"
    if found.left:
        by_id = {row.id: row.name for row in found.sources}
        text += f"; nothing for {', '.join(by_id[name] for name in found.left)}"
    if found.submixes:
        text += f"; {sum(len(row.sources) for row in found.submixes)} mixed before the desk"
    open_ = next((row for row in found.aims if not row.proven), None)
    quality = "none is better"
    if open_ is not None:
        quality = f"not proven: {open_.name} is {open_.cost:.1f}, and {open_.bound:.1f} is not ruled out"
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
        analysis.show.title,
        show_line(analysis.show, "channel list"),
        allot_words(found),
        tuple(tables),
        CAUTIONS[:1],
        sort="channel list",
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
        "aims": [{"name": row.name, "cost": row.cost, "bound": row.bound} for row in found.aims],
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
    return f"{line.called}{f' ({line.number})' if line.number and line.name else ''}: {', '.join(words)}"


def lines_table(analysis: Computed) -> Table:
    """The jackfield list."""
    return Table("Jackfield", ("Jack", "Number", "Line", "Fed by", "Reserve for"), tuple(jackfield(analysis)))
