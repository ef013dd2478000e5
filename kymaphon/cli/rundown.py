"""`kymaphon rundown`: the rundown against the clock, what each change moves, who then hears whom; in and out as a list."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kymaphon.cli.answer import Unusable, load, print_json, save

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report


def add_rundown_options(row: argparse.ArgumentParser) -> None:
    """The options of the command."""
    row.add_argument(
        "--hears", action="store_true", help="who hears whom in each segment, the rig computed in its state"
    )
    row.add_argument("--outline", action="store_true", help="guests, topics and their own clocks")
    row.add_argument("--import", dest="take_in", metavar="CSV", help="take a rundown over from a list; needs -o SHOW")
    row.add_argument(
        "-o", "--output", metavar="X", help="the rundown as .html, .pdf or .csv; with --import: the show file to write"
    )


def rundown(options: argparse.Namespace) -> int:
    """Runs the command; 0. Raises FileProblem, Unusable."""
    report = load(options.show)
    if options.take_in:
        return _take_in(options, report)
    from kymaphon.core.report.rundown import guests_table, outline_table, rundown_json, rundown_lines

    if options.output:
        _write(options, report)
        if not options.json:
            return 0
    if options.json:
        print_json(rundown_json(report, hearing=options.hears))
    elif options.outline:
        for table in (guests_table(report), outline_table(report)):
            print(table.title)
            for row in table.rows:
                print("  " + "  ".join(row))
    else:
        print("\n".join(rundown_lines(report, hearing=options.hears)))
    return 0


def _write(options: argparse.Namespace, report: Report) -> None:
    from kymaphon.core.report.rundown import rundown_list, rundown_sheet
    from kymaphon.files.rundown_file import write_rundown
    from kymaphon.files.sheet_file import write_sheet

    if options.output.lower().endswith(".csv"):
        write_rundown(options.output, report)
    else:
        write_sheet(options.output, rundown_sheet(report), rundown_list(report))


def _take_in(options: argparse.Namespace, report: Report) -> int:
    from kymaphon.files.rundown_file import read_rundown

    if not options.output:
        raise Unusable("--import needs -o, the show file to write")
    rows = read_rundown(options.take_in, report.show)
    save(report.show.model_copy(update={"rundown": rows}), options.show, options.output)
    if options.json:
        print_json({"segments": [row.id for row in rows]})
    else:
        print(f"{len(rows)} segment{'s' if len(rows) != 1 else ''} imported.")
    return 0
