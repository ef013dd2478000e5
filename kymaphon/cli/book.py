"""`kymaphon book`: the log looked through, moments reviewed, what memory has, shows carried over, compared and put away."""

from __future__ import annotations

import argparse
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kymaphon.cli.answer import Unusable, load, print_json, save
from kymaphon.core.words import counted

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report
    from kymaphon.core.model.show import Show

DOES = (
    "review",
    "notes",
    "mark",
    "memory",
    "remember",
    "forget",
    "next_week",
    "compare",
    "archive",
    "unpack",
)


def add_book_options(row: argparse.ArgumentParser) -> None:
    """The options of the command."""
    row.add_argument("--search", metavar="WORDS", default="", help="rows of the log that have all of them")
    row.add_argument(
        "--sort",
        metavar="SORT",
        action="append",
        default=[],
        help="rows of a sort: note, air, line-up, incident \u2026",
    )
    row.add_argument(
        "--review",
        metavar="TIME",
        help="what was set, open and heard then: 19:12:30, 2026-08-15T19:12:30+01:00, or +12:30 into the show",
    )
    row.add_argument(
        "--notes", metavar="X", help="write the notes: .txt labels, .vtt, .json chapters, .edl.txt cuts, .csv"
    )
    row.add_argument("--mark", metavar="WAV", help="put the notes as cue points into a copy of a recording; needs -o")
    row.add_argument(
        "--begins", metavar="TIME", help="with --notes and --mark: when the recording began; left out: as the show did"
    )
    row.add_argument("--memory", action="store_true", help="what worked before and fits this show")
    row.add_argument("--remember", action="store_true", help="put this show into the memory")
    row.add_argument("--forget", metavar="NAME", help="forget somebody, everywhere in the memory")
    row.add_argument("--next-week", action="store_true", help="begin next week's show from this one; needs -o")
    row.add_argument("--compare", metavar="SHOW", help="what differs between this show and another")
    row.add_argument("--archive", metavar="ZIP", help="write the show and its recordings into one file")
    row.add_argument("--unpack", action="store_true", help="SHOW is an archive: unpack it; needs -o FOLDER")
    row.add_argument("-o", "--output", metavar="X", help="the log as .csv; with --review a page; else as said there")


def book(options: argparse.Namespace) -> int:
    """Runs the command; 0. Raises FileProblem, Unusable."""
    asked = [name for name in DOES if getattr(options, name)]
    if len(asked) > 1:
        raise Unusable(f"--{asked[0].replace('_', '-')} or --{asked[1].replace('_', '-')}, not both")
    name = asked[0] if asked else "log"
    if name == "unpack":
        return _unpack(options)
    report = load(options.show)
    return _DOES[name](options, report)


def _log(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.core.book.entries import SORT_WORDS, LogIndex, Wanted, names_of
    from kymaphon.core.report.book import log_json, log_table

    unknown = [row for row in options.sort if row not in SORT_WORDS]
    if unknown:
        raise Unusable(f"there is no sort {unknown[0]}; there are {', '.join(SORT_WORDS)}")
    index = LogIndex(names_of(report.show))
    index.follow(report.show.log)
    rows = [index.rows[n] for n in index.find(Wanted(frozenset(options.sort), options.search))]
    if options.output:
        from kymaphon.core.report.sheet import Sheet
        from kymaphon.files.sheet_file import write_sheet

        table = log_table(report.show, rows)
        write_sheet(
            options.output, Sheet(report.show.title, "log", f"{counted(len(rows), 'row')}", (table,), ()), table
        )
        if not options.json:
            return 0
    if options.json:
        print_json({"log": log_json(rows)})
        return 0
    from kymaphon.core.model.clock import zone_of

    zone = zone_of(report.show)
    for row in rows:
        print(f"{row.at.astimezone(zone):%Y-%m-%d %H:%M:%S}  {SORT_WORDS[row.told_sort]:<13}  {row.text}")
    if not rows:
        print("Nothing in the log fits." if report.show.log else "Nothing is logged yet.")
    return 0


def _review(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.core.book.review import review
    from kymaphon.core.report.book import incident_sheet, review_json, review_lines

    found = review(report, _moment(options.review, report.show))
    if options.output:
        from kymaphon.files.sheet_file import write_sheet

        sheet = incident_sheet(report, found)
        write_sheet(options.output, sheet, sheet.tables[0])
        if not options.json:
            return 0
    if options.json:
        print_json(review_json(report, found))
    else:
        print("\n".join(review_lines(report, found)))
    return 0


def _moment(text: str, show: Show) -> datetime:
    """A time as people type it."""
    from kymaphon.core.air.cues import recording_begins
    from kymaphon.core.model.clock import clock_of, seconds_of, zone_of

    begins = recording_begins(show)
    try:
        if text.startswith("+"):
            if begins is None:
                raise Unusable("the show has no beginning yet to count from")
            return begins + timedelta(seconds=seconds_of(text[1:]))
        if "T" in text or "-" in text:
            at = datetime.fromisoformat(text)
            return at if at.tzinfo is not None else at.replace(tzinfo=zone_of(show) or UTC)
        if begins is None:
            raise Unusable("the show has no day yet: give the time with its date")
        local = begins.astimezone(zone_of(show))
        found = clock_of(text, local, local - timedelta(hours=12))
    except ValueError as problem:
        raise Unusable(f"{text[:40]} is no time: {problem}") from problem
    if found is None:
        raise Unusable("no time is given")
    return found


def _begins(options: argparse.Namespace, show: Show) -> datetime:
    from kymaphon.core.air.cues import recording_begins

    begins = _moment(options.begins, show) if options.begins else recording_begins(show)
    if begins is None:
        raise Unusable("nobody knows when the recording began: say so with --begins")
    return begins


def _notes(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.core.air.cues import cues_of, inside
    from kymaphon.files.cue_file import write_cues

    cues = cues_of(report.show, _begins(options, report.show))
    write_cues(options.notes, cues, report.show.title)
    return _said(options, {"points": len(inside(cues))}, f"{len(inside(cues))} points written.")


def _mark(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.core.air.cues import cues_of
    from kymaphon.files.cue_file import mark_recording

    if not options.output:
        raise Unusable("--mark needs -o, the copy to write")
    count = mark_recording(options.mark, options.output, cues_of(report.show, _begins(options, report.show)))
    return _said(
        options, {"cue_points": count}, f"{count} cue points in the copy; the recording itself stays as it is."
    )


def _memory(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.core.book.facts import proposals
    from kymaphon.core.report.book import proposal_json
    from kymaphon.files.memory import Memory

    memory = Memory()
    rows = proposals(report, memory.facts())
    words = "\n".join(row.words for row in rows) or "Nothing that is remembered fits this show."
    return _said(options, {"memory": str(memory.path), "proposals": [proposal_json(row) for row in rows]}, words)


def _remember(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.files.memory import Memory, remember_show

    facts, rows = remember_show(Memory(), report, str(Path(options.show).resolve()), datetime.now(UTC))
    return _said(options, {"facts": facts, "log": rows}, f"Remembered: {facts} figures, {rows} rows of the log.")


def _forget(options: argparse.Namespace, _report: Report) -> int:
    from kymaphon.files.memory import Memory

    try:
        facts, rows = Memory().forget(options.forget)
    except ValueError as problem:
        raise Unusable(str(problem)) from problem
    words = f"{facts} figures are gone, and {rows} rows of old logs are without the name. Show files that name them are yours to change."
    return _said(options, {"facts": facts, "log": rows}, words)


def _next_week(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.core.rundown.carry import next_week

    if not options.output:
        raise Unusable("--next-week needs -o, the show file to write")
    if Path(options.output).exists() and Path(options.output).samefile(options.show):
        raise Unusable("next week's show needs a file of its own: last week's log is in this one")
    show, told = next_week(report.show)
    save(show, options.show, options.output)
    return _said(options, {"again": list(told)}, "\n".join(told))


def _compare(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.core.model.changes import changes
    from kymaphon.files.show_file import read_show

    rows = changes(report.show, read_show(options.compare), report.catalogue)
    return _said(options, {"changes": list(rows)}, "\n".join(rows) or "They are the same.")


def _archive(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.files.archive import pack

    count, lost = pack(options.archive, report.show, Path(options.show).resolve().parent)
    words = f"The show and {counted(count, 'recording')}." + (
        f" Not found, and not in it: {', '.join(lost)}." if lost else ""
    )
    return _said(options, {"recordings": count, "missing": list(lost)}, words)


def _unpack(options: argparse.Namespace) -> int:
    from kymaphon.files.archive import unpack

    if not options.output:
        raise Unusable("--unpack needs -o, the folder to unpack into")
    path = unpack(options.show, options.output)
    return _said(options, {"show": str(path)}, f"Unpacked: {path}")


def _said(options: argparse.Namespace, data: dict[str, Any], words: str) -> int:
    if options.json:
        print_json(data)
    else:
        print(words)
    return 0


_DOES = {
    "log": _log,
    "review": _review,
    "notes": _notes,
    "mark": _mark,
    "memory": _memory,
    "remember": _remember,
    "forget": _forget,
    "next_week": _next_week,
    "compare": _compare,
    "archive": _archive,
}
