"""`kymaphon talk`: who can tell whom, the order of work, the desk, the lines."""

from __future__ import annotations

import argparse
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from kymaphon.cli.answer import Unusable, load, print_json, save

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report
    from kymaphon.core.report.sheet import Sheet, Table


def add_talk_options(row: argparse.ArgumentParser) -> None:
    """The options of the command."""
    row.add_argument(
        "--check", action="store_true", help="what is wrong with the circuits, and where talkback can get to air"
    )
    row.add_argument("--schedule", action="store_true", help="the order of work for the crew there is")
    row.add_argument(
        "--now", metavar="TIME", help="with --schedule: the clock, as 2026-08-15T10:30+01:00; left out: now"
    )
    row.add_argument("--allot", action="store_true", help="sources onto the channels and groups of the desk")
    row.add_argument("--desk", metavar="ID", help="with --allot: which desk; left out: the largest")
    row.add_argument("--spares", type=int, metavar="N", help="with --allot: channels to leave free")
    row.add_argument("--lines", action="store_true", help="outgoing lines: level, delay, result, reserve")
    row.add_argument(
        "--add-work", action="store_true", help="put the tasks that the show tells on its list; needs -o SHOW"
    )
    row.add_argument(
        "-o",
        "--output",
        metavar="X",
        help="talkback sheet, schedule or channel list as .html, .pdf or .csv; with --add-work: the show file to write",
    )


def talk(options: argparse.Namespace) -> int:
    """Runs the command; 0. Raises FileProblem, Unusable."""
    asked = [name for name in ("check", "schedule", "allot", "lines", "add_work") if getattr(options, name)]
    if options.output and len(asked) > 1:
        raise Unusable("-o writes one of them: ask for one")
    report = load(options.show)
    if options.add_work:
        _add_work(options, report)
        return 0
    data: dict[str, Any] = {}
    lines: list[str] = []
    sheet: tuple[Sheet, Table] | None = None
    for name in asked or ["circuits"]:
        part, words, sheet = _PARTS[name](options, report)
        data |= part
        lines += ([""] if lines else []) + words
    if options.output and sheet is not None:
        from kymaphon.files.sheet_file import write_sheet

        write_sheet(options.output, *sheet)
        if not options.json:
            return 0
    if options.json:
        print_json(data)
    else:
        print("\n".join(lines))
    return 0


_Part = tuple[dict[str, Any], list[str], "tuple[Sheet, Table] | None"]


def _circuits(options: argparse.Namespace, report: Report) -> _Part:
    from kymaphon.core.report.talk import talk_json, talk_lines, talkback_sheet

    sheet = talkback_sheet(report)
    empty = _no_table()
    return talk_json(report), list(talk_lines(report)), (sheet, sheet.tables[0] if sheet.tables else empty)


def _no_table() -> Table:
    from kymaphon.core.report.sheet import Table

    return Table("Talkback", ("Who", "Speaks", "Hears", ""), ())


def _check(options: argparse.Namespace, report: Report) -> _Part:
    from kymaphon.core.analysis.offers import with_offers
    from kymaphon.core.report.sheet import SEVERITY_WORDS
    from kymaphon.core.report.talk import proof_words, talk_json, talkback_sheet
    from kymaphon.core.talk.proofs import air_proofs

    rows = [with_offers(report, row) for row in report.findings if row.stage == "Talk"]
    lines: list[str] = []
    for row in rows:
        lines.append(f"{SEVERITY_WORDS[row.severity]}: {row.message}")
        lines += [f"    {remedy.label}: {remedy.effect}" for remedy in row.remedies]
        lines += [f"    {refused}" for refused in row.refused]
    names = {circuit.id: circuit.called for circuit in report.show.circuits}
    for proof in report.once(air_proofs):
        if proof.keys:
            who = report.party_name(proof.speaker)
            lines.append(f"{who} on {names[proof.circuit]}: {proof_words(report, proof)}.")
    if not rows:
        lines.insert(0, "Nothing is wrong with the circuits." if names else next(iter(_circuits(options, report)[1])))
    sheet = talkback_sheet(report)
    data = {"findings": [row.to_json() for row in rows], "proofs": talk_json(report)["proofs"]}
    return data, lines, (sheet, sheet.tables[0] if sheet.tables else _no_table())


def _schedule(options: argparse.Namespace, report: Report) -> _Part:
    from kymaphon.core.report.work import drop_words, plan_words, work_json, work_rows, work_sheet
    from kymaphon.core.work.plan import drops, plan_work

    plan = plan_work(report, _clock(options.now))
    late = drops(report, plan)
    lines = [plan_words(report, plan)]
    lines += plan.problems
    if plan.told and plan.tasks:
        lines.append("The show has no tasks of its own: these are told from it (--add-work puts them on its list).")
    lines += [
        f"  {start} to {end}  {what} ({who}; {slack})" for start, end, what, who, slack in work_rows(report, plan)
    ]
    lines += [drop_words(plan, row) for row in late]
    sheet = work_sheet(report, plan, late)
    return {"schedule": work_json(report, plan, late)}, lines, (sheet, sheet.tables[0] if sheet.tables else _no_table())


def _clock(text: str | None) -> datetime:
    if text is None:
        return datetime.now(UTC)
    try:
        found = datetime.fromisoformat(text)
    except ValueError as problem:
        raise Unusable(f'--now "{text}" is no time, such as 2026-08-15T10:30+01:00') from problem
    if found.tzinfo is None:
        raise Unusable(f'--now "{text}" has no offset from UTC, such as +01:00')
    return found


def _allot(options: argparse.Namespace, report: Report) -> _Part:
    from kymaphon.core.report.work import allot_json, allot_words, channel_rows, channel_sheet, channel_table
    from kymaphon.core.work.desk import allot_show, desks_of

    desks = desks_of(report)
    if not desks:
        raise Unusable("there is no desk in this show")
    chosen = desks[0]
    if options.desk is not None:
        found = next((row for row in desks if row.id == options.desk), None)
        if found is None:
            raise Unusable(f"there is no desk {options.desk}; there are {', '.join(row.id for row in desks)}")
        chosen = found
    if options.spares is not None and options.spares < 0:
        raise Unusable("--spares cannot be less than none")
    allotment = allot_show(report, chosen, spares=options.spares)
    if allotment is None:
        raise Unusable("there is no desk in this show")
    lines = [allot_words(allotment)]
    for name, label, what, group, note in channel_rows(allotment):
        more = f", {note}" if note and what else ""
        lines.append(f"  {name}: {what} [{label}]{f', {group}' if group else ''}{more}" if what else f"  {name}: spare")
    lines += [row.loses for row in allotment.submixes]
    lines += list(allotment.problems)
    return {"allotment": allot_json(allotment)}, lines, (channel_sheet(report, allotment), channel_table(allotment))


def _lines(options: argparse.Namespace, report: Report) -> _Part:
    from kymaphon.core.report.sheet import Sheet
    from kymaphon.core.report.talk import TALK_CAUTIONS, talk_json
    from kymaphon.core.report.work import line_words, lines_table
    from kymaphon.core.work.lines import line_states, switch_to_reserve

    rows = line_states(report)
    lines = [line_words(row) for row in rows] or ["There are no lines out in this show."]
    for row in rows:
        plan = switch_to_reserve(report, row.line.id)
        if plan is not None:
            lines.append(f"If {row.line.called} fails: {plan.label}. {plan.effect}")
    table = lines_table(report)
    sheet = Sheet(report.show.title, "lines out", lines[0], (table,), TALK_CAUTIONS)
    return {"lines": talk_json(report)["lines"]}, lines, (sheet, table)


def _add_work(options: argparse.Namespace, report: Report) -> None:
    from kymaphon.core.work.tasks import missing_work

    if not options.output:
        raise Unusable("--add-work needs -o, the show file to write")
    rows = missing_work(report)
    save(report.show.model_copy(update={"tasks": (*report.show.tasks, *rows)}), options.show, options.output)
    if options.json:
        print_json({"added": [row.id for row in rows]})
    else:
        print(f"{len(rows)} task{'s' if len(rows) != 1 else ''} put on the list.")


_PARTS = {"circuits": _circuits, "check": _check, "schedule": _schedule, "allot": _allot, "lines": _lines}
