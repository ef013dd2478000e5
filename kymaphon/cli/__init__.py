"""The command line: the same computations without a window."""

from __future__ import annotations

import argparse
import errno
import os
import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from kymaphon import __version__
from kymaphon.cli.answer import Unusable, load, print_json, save
from kymaphon.cli.book import add_book_options, book
from kymaphon.cli.cast import add_cast_options, cast
from kymaphon.cli.check import add_check_options, check
from kymaphon.cli.feeds import add_feeds_options, feeds
from kymaphon.cli.gate import add_gate_options, gate
from kymaphon.cli.level import add_level_options, level
from kymaphon.cli.new import add_new_options, new
from kymaphon.cli.prove import add_prove_options, prove
from kymaphon.cli.rundown import add_rundown_options, rundown
from kymaphon.cli.sim import add_sim_options, sim
from kymaphon.cli.take import take
from kymaphon.cli.talk import add_talk_options, talk
from kymaphon.cli.terminal import plain_output
from kymaphon.core.words import counted
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import Output, guard

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report
    from kymaphon.files.row_file import RowProblems

# Matrices here are small: the threads of a linear-algebra library would only wait for each other, and burn a core that
# the window needs. Read when numpy is first imported, which no command has done yet.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

SHEETS = ("rig", "patch", "channels", "feeds", "talkback", "schedule", "line-up", "rundown", "pull")
COMMANDS = (
    "new",
    "check",
    "cast",
    "rig",
    "feeds",
    "level",
    "talk",
    "prove",
    "rundown",
    "book",
    "sim",
    "take",
    "gate",
    "sheet",
    "kinds",
    "schema",
)


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs a command, or opens the window. Exit 0 clean, 1 when a `stop` finding exists (`check`) and for nothing else, 2 when input
    cannot be used or output cannot be written, 3 when the program itself is at fault.
    """
    given = list(sys.argv[1:] if arguments is None else arguments)
    with plain_output():
        return _run(given)


def _run(given: list[str]) -> int:
    try:
        code = _command(given)
        sys.stdout.flush()
    except (FileProblem, Unusable) as problem:
        print(f"kymaphon: {problem}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read it has gone: nothing more is said, and nothing is flushed when the program ends.
        sys.stdout = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115 - as long as the program
        return 2
    except OSError as error:
        if error.errno not in (errno.ENOSPC, errno.EIO, errno.EDQUOT):
            return _at_fault(error)
        print(f"kymaphon: standard output cannot be written: {error.strerror}", file=sys.stderr)
        sys.__stdout__ = sys.stdout = open(os.devnull, "w", encoding="utf-8")  # type: ignore[misc]  # noqa: SIM115
        return 2
    except Exception as error:  # noqa: BLE001 - told in one line, with all of it in a log
        return _at_fault(error)
    return code


def _at_fault(error: Exception) -> int:
    """A mistake of ours: one line, and the rest in a log."""
    import traceback

    details = "".join(traceback.format_exception(error))
    where = ""
    try:
        from kymaphon.app.state import state_folder

        log = state_folder() / "errors.log"
        with log.open("a", encoding="utf-8", errors="backslashreplace") as file:
            file.write(details + "\n")
        where = f"; details in {log}"
    except (OSError, FileProblem) as other:
        where = f"; no log could be written ({other})"
    words = " ".join(f"{type(error).__name__}: {error}".split())[:300]
    print(f"kymaphon: a mistake of the program: {words}{where}", file=sys.stderr)
    return 3


def _command(given: list[str]) -> int:
    if given and given[0] in COMMANDS:
        options = _parser().parse_args(given)
        _guard(options)
        return int(options.run(options))
    options = _window_parser().parse_args(given)
    _guard(options)
    return _window(options)


READ = ("show", "file", "files", "take_in", "settings", "music", "noise", "mark", "compare")
WRITTEN: dict[str, Output] = {
    "output": "show",
    "export": "list",
    "give_out": "list",
    "preset": "list",
    "render": "list",
    "picture": "list",
    "notes": "list",
    "archive": "list",
}


def _guard(options: argparse.Namespace) -> None:
    """Nothing that a command writes takes the place of what it reads, of a show, or of a recording. Raises FileProblem."""
    read: list[str] = []
    for name in READ:
        value = getattr(options, name, None)
        read += value if isinstance(value, list) else [value] if isinstance(value, str) and value else []
    for name, sort in WRITTEN.items():
        value = getattr(options, name, None)
        if value and name == "output" and getattr(options, "unpack", False):
            continue  # a folder, in which one of its own is made
        if isinstance(value, str) and value:
            run = getattr(options, "run", None)
            page = run is _sheet or (run is talk and not options.add_work) or (run is rundown and not options.take_in)
            page = page or (run is book and not options.next_week)
            guard(value, "list" if page else sort, read=read)


def _window_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="kymaphon",
        description="Computes a show's whole audio path, says what is wrong and why, and proposes the fix.",
        epilog=f"Commands: {', '.join(COMMANDS)}. 'kymaphon COMMAND --help' tells more.",
    )
    parser.add_argument("show", nargs="?", help="show file to open in the window")
    parser.add_argument("--demo", action="store_true", help="open the demo show")
    parser.add_argument("--picture", metavar="PNG", help="save a picture of the window and end")
    parser.add_argument("--version", action="version", version=f"kymaphon {__version__}")
    return parser


def _window(options: argparse.Namespace) -> int:
    if options.show and options.demo:
        raise Unusable("name a show or --demo, not both")
    screens = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    if sys.platform == "linux" and not options.picture and not any(os.environ.get(name) for name in screens):
        raise Unusable("there is no display here for a window; --picture PNG saves a picture of it instead")
    from kymaphon.app.early import start_sooner

    start_sooner()
    from kymaphon.app.start import run

    return run(options.show, demo=options.demo, picture=options.picture)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="kymaphon")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    shared = argparse.ArgumentParser(add_help=False)
    shared.add_argument("--json", action="store_true", help="one JSON document on standard output")

    def command(name: str, run: Any, text: str) -> argparse.ArgumentParser:
        row = commands.add_parser(name, parents=[shared], help=text, description=text)
        row.set_defaults(run=run)
        return row

    for name, run, text in (
        ("check", check, "Findings: what is wrong, why, and what would put it right."),
        (
            "cast",
            cast,
            "Every microphone in its place: voice, room, bleed; the best spot and kind for a party.",
        ),
        ("rig", _rig, "The chain, power, earths, cable routes and controls; patch list in and out as .csv."),
        (
            "feeds",
            feeds,
            "Who hears what, at what level, how late; feeds planned; tracks; the stream's budget.",
        ),
        (
            "level",
            level,
            "Ladders: speech, peak, noise and headroom at every point; line-up, noise budgets, the run.",
        ),
        ("talk", talk, "Who can tell whom by which circuit; the order of work, the desk, the lines."),
        ("prove", prove, "Whom to tap and which meters must move; which fault explains what was seen."),
        ("rundown", rundown, "Times, hard times and cuts; what each change moves; who hears whom in each segment."),
        ("book", book, "The log, moments reviewed, notes, what is remembered; shows carried over, compared, put away."),
        (
            "sim",
            sim,
            "What a listener hears of the whole show, as a sound file; with faults in the rig, through small loudspeakers.",
        ),
        (
            "sheet",
            _sheet,
            "Sheets to print: rig, patch, channels, feeds, talkback, schedule, line-up, rundown, pull list.",
        ),
    ):
        row = command(name, run, text)
        row.add_argument("show", help="show file")
        if name == "level":
            row.add_argument("--from", dest="source", metavar="ID", help="a party, or a device that it speaks into")
            row.add_argument("--to", dest="target", metavar="ID", help="a party that listens, a device, or device.port")
        if name == "check":
            add_check_options(row)
        if name == "level":
            add_level_options(row)
        if name == "feeds":
            add_feeds_options(row)
        if name == "talk":
            add_talk_options(row)
        if name == "prove":
            add_prove_options(row)
        if name == "rundown":
            add_rundown_options(row)
        if name == "book":
            add_book_options(row)
        if name == "sim":
            add_sim_options(row)
        if name == "cast":
            add_cast_options(row)
        if name == "sheet":
            row.add_argument("-o", "--output", metavar="X", help="file to write: .html, .pdf, .csv or .json")
            row.add_argument(
                "--which", choices=SHEETS, default="rig", help="which sheet; its list is what a .csv holds"
            )
            row.add_argument("--list", choices=("patch", "pull"), help="which list a .csv of the rig sheet holds")
            row.add_argument("--paper", choices=("a4", "letter"), default="a4", help="of a .pdf")
        if name == "rig":
            row.add_argument("--export", metavar="CSV", help="write the patch list")
            row.add_argument("--import", dest="take_in", metavar="CSV", help="take a patch list over; needs -o")
            row.add_argument("-o", "--output", metavar="SHOW", help="with --import: the show file to write")
            row.add_argument(
                "--partial",
                action="store_true",
                help="with --import: keep the good rows of a list with bad ones",
            )
    add_new_options(command("new", new, "A show composed from answers: placed, plugged, planned and lined up."))
    recordings = command(
        "take",
        take,
        "Measure recordings: peaks, loudness, speech level, noise floor, clipped runs; compare takes.",
    )
    recordings.add_argument(
        "--faults", action="store_true", help="listen for faults: hum, buzz, clipping, gaps, polarity \u2026"
    )
    recordings.add_argument("files", nargs="+", metavar="FILE")
    recordings.add_argument(
        "--partial", action="store_true", help="measure what is there of a recording that was cut short"
    )
    recordings.add_argument(
        "--group",
        metavar="CHANNELS",
        help="channels whose loudness counts as one programme, such as 1,2 or 3-8",
    )
    recordings.add_argument(
        "--layout",
        choices=("mono", "stereo", "5.1"),
        help="what those channels are (5.1: weights of ITU-R BS.1770)",
    )
    recordings.add_argument(
        "--compare", action="store_true", help="rank takes of one voice by noise at equal speech level"
    )
    add_gate_options(
        command("gate", gate, "Find a gate from a recording; what the schools' values would do; the gated sound.")
    )
    kinds = command("kinds", _kinds, "Your own kinds of device: list, import, export (.json or .csv).")
    what = kinds.add_mutually_exclusive_group()
    what.add_argument("--import", dest="take_in", metavar="FILE", help="put the kinds of a file on the shelf")
    what.add_argument("--export", dest="give_out", metavar="FILE", help="write the shelf, or one kind, to a file")
    what.add_argument("--remove", metavar="ID", help="take a kind off the shelf")
    what.add_argument(
        "--all",
        nargs="?",
        const="",
        metavar="GROUP",
        help="the whole catalogue, or a group of it, with sockets, settings and what they stand at",
    )
    kinds.add_argument(
        "--kind", metavar="ID", action="append", help="with --export: only this kind, also a shipped one"
    )
    kinds.add_argument(
        "--partial", action="store_true", help="with --import: keep the good rows of a list with bad ones"
    )
    command("schema", _schema, "JSON Schema of the show file.")
    return parser


def _rig(options: argparse.Namespace) -> int:
    from kymaphon.core.report.rig import rig_json, rig_lines

    analysis = load(options.show)
    done = []
    if options.take_in:
        if not options.output:
            raise Unusable("--import needs -o, the show file to write")
        analysis = _take_patch(analysis, options)
        done.append(f"written: {options.output}")
    if options.export:
        from kymaphon.files.patch_file import write_patch

        write_patch(options.export, analysis)
        done.append(f"written: {options.export}")
    if options.json:
        print_json({"done": done, **rig_json(analysis)})
        return 0
    for line in done or rig_lines(analysis):
        print(line)
    return 0


def _good_rows(problem: RowProblems, options: argparse.Namespace) -> tuple[Any, ...]:
    """The good rows of a list with bad ones, which are told; only where they were asked for. Raises the problem."""
    if not options.partial or not problem.good:
        raise problem
    for text in problem.problems:
        print(f"kymaphon: {problem.path.name}: {text}", file=sys.stderr)
    return tuple(problem.good)


def _take_patch(analysis: Report, options: argparse.Namespace) -> Report:
    """The show with a patch list taken over, written to another file."""
    from kymaphon.core.wiring.patching import merged
    from kymaphon.files.patch_file import read_patch
    from kymaphon.files.row_file import RowProblems

    try:
        cables = read_patch(options.take_in, analysis.show, analysis.catalogue)
    except RowProblems as problem:
        cables = _good_rows(problem, options)
    show = merged(analysis.show, cables, analysis.catalogue).apply(analysis.show)
    from kymaphon.core.analysis.analyse import analyse

    done = analyse(show)
    save(show, options.show, options.output)
    return done


def _kinds(options: argparse.Namespace) -> int:
    from kymaphon.core.model.catalogue import shipped_catalogue
    from kymaphon.files.kinds_file import (
        put_on_shelf,
        read_kinds,
        read_shelf,
        shelf_path,
        take_off_shelf,
        write_kinds,
    )
    from kymaphon.files.row_file import RowProblems

    if options.all is not None:
        return _catalogue(options)
    done = ""
    if options.take_in:
        try:
            found = read_kinds(options.take_in)
        except RowProblems as problem:
            found = _good_rows(problem, options)
        put_on_shelf(*found)
        done = f"{len(found)} put on the shelf"
    if options.remove:
        if options.remove not in [kind.id for kind in read_shelf()]:
            raise Unusable(f"--remove {options.remove}: not on the shelf")
        take_off_shelf(options.remove)
        done = f"{options.remove} taken off the shelf"
    shelf = read_shelf()
    if options.give_out:
        known = shipped_catalogue().with_kinds(*shelf)
        missing = [name for name in options.kind or () if name not in known]
        if missing:
            raise Unusable(f"--kind {missing[0]}: no such kind")
        chosen = [known[name] for name in options.kind] if options.kind else list(shelf)
        left = write_kinds(options.give_out, chosen)
        done = f"written: {options.give_out}"
        for kind in left:
            print(f"kymaphon: {kind.id} has more than a row of CSV can hold; write it as .json", file=sys.stderr)
    rows = [{"id": kind.id, "name": kind.name, "group": kind.group} for kind in shelf]
    if options.json:
        print_json({"done": done or None, "shelf": str(shelf_path()), "kinds": rows})
        return 0
    if done:
        print(done)
    else:
        for kind in shelf:
            print(f"{kind.id:20} {kind.group:12} {kind.name}")
        print(f"{len(shelf)} of your own in {shelf_path()}")
    return 0


def _catalogue(options: argparse.Namespace) -> int:
    """Every kind that a show can name, the shelf's own among them."""
    from kymaphon.core.model.catalogue import shipped_catalogue
    from kymaphon.core.model.catalogue.listing import kind_lines
    from kymaphon.files.kinds_file import read_shelf

    kinds = list(shipped_catalogue().with_kinds(*read_shelf()))
    groups = sorted({kind.group for kind in kinds})
    if options.all and options.all not in groups:
        raise Unusable(f"--all {options.all}: no such group; there are: {', '.join(groups)}")
    chosen = [kind for kind in kinds if not options.all or kind.group == options.all]
    if options.json:
        rows = [kind.model_dump(mode="json", by_alias=True, exclude_defaults=True) for kind in chosen]
        print_json({"kinds": rows})
        return 0
    for kind in chosen:
        print("\n".join(kind_lines(kind)))
    print(counted(len(chosen), "kind"))
    return 0


def _sheet(options: argparse.Namespace) -> int:
    from kymaphon.core.report.sheet import sheet_json
    from kymaphon.core.report.sheets import sheet_of
    from kymaphon.files.sheet_file import write_sheet

    analysis = load(options.show)
    name = (
        options.list if options.list and options.output and options.output.lower().endswith(".csv") else options.which
    )
    try:
        sheet, table = sheet_of(analysis, name)
    except ValueError as problem:
        raise Unusable(str(problem)) from problem
    if options.output:
        write_sheet(options.output, sheet, table, paper=options.paper)
    if options.json:
        print_json({"written": options.output, "sheet": sheet_json(sheet)})
    elif options.output:
        print(f"written: {options.output}")
    else:
        raise Unusable("sheet needs -o, the file to write, or --json")
    return 0


def _schema(_options: argparse.Namespace) -> int:
    from kymaphon.files.show_file import show_schema

    print_json(show_schema())
    return 0


if __name__ == "__main__":
    sys.exit(main())
