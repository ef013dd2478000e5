"""`kymaphon feeds`: who hears what; the feeds planned; tracks; the stream's budget."""

from __future__ import annotations

import argparse
from dataclasses import replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from kymaphon.cli.answer import Unusable, load, print_json, save

if TYPE_CHECKING:
    from kymaphon.core.analysis.outcome import Cost
    from kymaphon.core.analysis.report import Report
    from kymaphon.core.mixes.ways_out import WayOut
    from kymaphon.core.model.edits import Edit
    from kymaphon.core.model.show import Show

WAYS = ("mix", "split", "each")


def add_feeds_options(row: argparse.ArgumentParser) -> None:
    """The options of the command."""
    what = row.add_mutually_exclusive_group()
    what.add_argument("--plan", action="store_true", help="put every needed mix on a bus; steps at the desk")
    what.add_argument(
        "--tracks",
        nargs="?",
        const="",
        choices=("", *WAYS),
        metavar="WAY",
        help="what each recorder track gets: mix, split or each; left out: the show's",
    )
    what.add_argument(
        "--stream", action="store_true", help="upload needed against measured; how late chat and checking are"
    )
    row.add_argument(
        "--all",
        action="store_true",
        help="with --plan: every step from a rig with nothing set, not only what differs from now",
    )
    row.add_argument(
        "--way",
        choices=("lead", "share", "computer", "desk"),
        help="with --plan: where it falls short, the plan of this way out instead",
    )
    row.add_argument(
        "--lossy",
        action="store_true",
        help="with --plan: write it though somebody loses what they hear, or something is found that was not there",
    )
    row.add_argument("-o", "--output", metavar="SHOW", help="with --plan or --tracks: the show file to write it into")


def feeds(options: argparse.Namespace) -> int:
    """Runs the command; 0, or 1 where a plan lacks a mix or an input, or would take something away. Raises FileProblem, Unusable."""
    if options.output and not (options.plan or options.tracks is not None):
        raise Unusable("-o goes with --plan or --tracks")
    if options.all and not options.plan:
        raise Unusable("--all goes with --plan")
    if options.lossy and not (options.plan and options.output):
        raise Unusable("--lossy goes with --plan and -o")
    if options.way and not options.plan:
        raise Unusable("--way goes with --plan")
    analysis = load(options.show)
    if options.plan:
        return _plan(options, analysis)
    if options.tracks is not None:
        return _tracks(options, analysis)
    if options.stream:
        return _stream(options, analysis)
    return _hearing(options, analysis)


def _hearing(options: argparse.Namespace, analysis: Report) -> int:
    from kymaphon.core.derive import show_number
    from kymaphon.core.mixes.returns import loops_of
    from kymaphon.core.mixes.sentence import listener_sentence
    from kymaphon.core.placement.howl import spares
    from kymaphon.core.report.mixes import hearing_json
    from kymaphon.core.report.sheet import VERDICT_WORDS, feed_words

    if options.json:
        print_json({**hearing_json(analysis), "before_it_howls": [row.to_json() for row in spares(analysis)]})
        return 0
    for listener in analysis.listeners:
        print(listener_sentence(analysis, listener.id))
        for voice in analysis.voices:
            feed = analysis.feeds[listener.id, voice.id]
            flag = " " if feed.well else "!"
            words = feed_words(feed) if feed.gain_db is not None else VERDICT_WORDS[feed.verdict]
            print(f"  {flag} {voice.name:16} want {feed.want:6} {words}")
    for circle in loops_of(analysis):
        print(
            f"loop: {circle.in_hand()}, {show_number(circle.path.delay_ms, 'ms')} round, through "
            f"{', '.join(analysis.device_name(row) for row in circle.devices)}"
        )
    for row in spares(analysis):
        print(row.words())
    return 0


def _plan(options: argparse.Namespace, analysis: Report) -> int:
    from kymaphon.core.analysis.offers import told
    from kymaphon.core.mixes.doing import doing_edits, from_nothing, steps_between
    from kymaphon.core.mixes.planner import plan_feeds
    from kymaphon.core.mixes.ways_out import ways_out
    from kymaphon.core.model.edits import apply_all
    from kymaphon.core.report.mixes import plan_json, plan_lines

    show = analysis.show
    try:
        plan = plan_feeds(show, analysis.catalogue)
        ways = ways_out(show, analysis.catalogue, plan)
    except ValueError as error:
        raise Unusable(f"no plan: {error}") from error
    if options.way:
        edits = _way_out(options.way, ways)
        done = plan_feeds(apply_all(show, edits), analysis.catalogue)
        plan, ways = replace(done, edits=edits, wants=plan.wants, before=plan.before), ()
    edits, costs = plan.edits, _costs(analysis, plan.edits)
    spoils = [row for row in costs if row.spoils]
    if spoils and not options.lossy:
        # The best that keeps all: the first way out that costs nobody anything, else none.
        better = next(
            (row for row in ways if row.edits and not any(c.spoils for c in _costs(analysis, row.edits))), None
        )
        if better is not None:
            edits, costs, spoils = better.edits, _costs(analysis, better.edits), []
            done = plan_feeds(apply_all(show, edits), analysis.catalogue)
            plan, ways = replace(done, edits=edits, wants=plan.wants, before=plan.before), ()
    after = apply_all(show, edits)
    start = from_nothing(after) if options.all else show
    steps = steps_between(start, after, analysis.catalogue)
    written = options.output if options.lossy or not spoils else None
    if written:
        _write(options, apply_all(show, doing_edits(show, edits, analysis.catalogue)))
    words = told(spoils or costs, most=8) if costs else ""
    if options.json:
        print_json({"written": written, "plan": plan_json(plan, ways, steps), "costs": words or None})
    else:
        if words:
            print(f"{words}.")
        if options.output and not written:
            print(
                "Nothing is written: a plan that takes something away is none. With --lossy it is written all the same."
            )
        for line in plan_lines(plan, ways, steps):
            print(line)
    return 0 if plan.whole and (written or not options.output) else 1


def _costs(analysis: Report, edits: tuple[Edit, ...]) -> tuple[Cost, ...]:
    """What a plan would spoil, the losses first."""
    from kymaphon.core.analysis.offers import costs_of, tried

    after = tried(analysis, edits) if edits else None
    return costs_of(analysis, after) if after is not None else ()


def _way_out(sort: str, ways: tuple[WayOut, ...]) -> tuple[Edit, ...]:
    """The edits of one of the ways out. Raises Unusable where that is none of them, or takes more than settings and plugs."""
    way = next((row for row in ways if row.sort == sort), None)
    if way is None:
        there = ", ".join(row.sort for row in ways if row.edits)
        raise Unusable(
            f"no way out by {sort}: "
            f"{'the plan needs none' if not ways else f'there is one by {there}' if there else 'none can be made by settings and plugs'}"
        )
    if not way.edits:
        raise Unusable(f"that takes more than settings and plugs: {way.text}")
    return way.edits


def _write(options: argparse.Namespace, show: Show) -> None:
    from kymaphon.core.analysis.analyse import analyse

    analyse(show)
    save(show, options.show, options.output)


def _tracks(options: argparse.Namespace, analysis: Report) -> int:
    from kymaphon.core.mixes.doing import doing_edits
    from kymaphon.core.mixes.tracks import track_plan
    from kymaphon.core.model.delivery import Recording
    from kymaphon.core.model.edits import SetField, apply_all
    from kymaphon.core.report.mixes import track_json, track_lines

    how = analysis.show.recording or Recording()
    if options.tracks:
        how = how.with_(way=options.tracks)
    plan = track_plan(analysis, datetime.now(UTC).astimezone(), how)
    if options.output:
        changes = (SetField("", None, "recording", how), *plan.edits)
        _write(options, apply_all(analysis.show, doing_edits(analysis.show, changes, analysis.catalogue)))
    if options.json:
        print_json({"written": options.output, **track_json(plan)})
        return 0
    for line in track_lines(analysis, plan):
        print(line)
    return 0


def _stream(options: argparse.Namespace, analysis: Report) -> int:
    from kymaphon.core.mixes.stream import delays, stream_budget
    from kymaphon.core.report.mixes import stream_json, stream_lines

    budget, late = stream_budget(analysis.show, analysis.catalogue), delays(analysis)
    if options.json:
        print_json(stream_json(budget, late))
        return 0
    for line in stream_lines(budget, late):
        print(line)
    return 0
