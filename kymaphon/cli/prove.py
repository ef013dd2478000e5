"""`kymaphon prove`: whom to tap and what must move; which fault explains what was seen; a fault planted and found."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kymaphon.cli.answer import Unusable, load, print_json
from kymaphon.core.words import counted

WORTHLESS_BITS = 0.02
"""A tap that settles less is not made once the one fault is found."""

if TYPE_CHECKING:
    from kymaphon.core.prove.diagnosis import Diagnosis, Seen
    from kymaphon.core.prove.faults import Fault
    from kymaphon.core.prove.model import TapModel


def add_prove_options(row: argparse.ArgumentParser) -> None:
    """The options of the command."""
    row.add_argument(
        "--seen",
        action="append",
        metavar="TAP:METER=WHAT",
        help="what a tap showed: moved, silent, or a reading in dB against what the meter should show; several",
    )
    row.add_argument(
        "--plant",
        action="append",
        metavar="FAULT",
        help="tap a simulated rig with this fault in it instead; two at most",
    )
    row.add_argument("--ask", action="store_true", help="which cause explains a fault that is heard: by questions")
    row.add_argument(
        "--answer",
        action="append",
        metavar="QUESTION=ANSWER",
        help="what was tried and heard, as sound=hum or touch=no; several; the most telling question is told next",
    )
    row.add_argument("--take", metavar="FILE", help="a recording of the fault: what it shows counts with the answers")
    row.add_argument("--ready", action="store_true", help="what is still open before air, and how long it takes")
    row.add_argument("--faults", action="store_true", help="list every fault that can be planted, by its id")


def prove(options: argparse.Namespace) -> int:
    """Runs the command; 0. Raises FileProblem, Unusable."""
    from kymaphon.core.prove.diagnosis import diagnose
    from kymaphon.core.prove.model import RigHowlsError, tap_model
    from kymaphon.core.report.prove import diagnosis_json, plan_json

    if options.seen and options.plant:
        raise Unusable("--seen and --plant: what was seen comes from a rig or from a simulated one, not from both")
    if options.ready:
        _ready(options)
        return 0
    if options.ask or options.answer or options.take:
        _ask(options)
        return 0
    try:
        model = tap_model(load(options.show))
    except RigHowlsError as problem:
        raise Unusable(str(problem)) from problem
    if options.faults:
        _list(model, as_json=options.json)
        return 0
    if not model.taps:
        raise Unusable("there is nothing to tap: nobody in this show speaks or plays into the rig")
    if options.plant:
        _planted(model, [_fault(model, name) for name in options.plant], as_json=options.json)
        return 0
    seen = dict(_seen(model, text) for text in options.seen or ())
    diagnosis = diagnose(model, seen)
    if options.json:
        print_json({**plan_json(model), "diagnosis": diagnosis_json(diagnosis)})
    elif seen:
        _print_diagnosis(diagnosis)
    else:
        _print_plan(model, diagnosis)
    return 0


def _ask(options: argparse.Namespace) -> None:
    from kymaphon.core.prove.questions import Standing
    from kymaphon.core.report.questions import standing_json, standing_lines
    from kymaphon.files.audio import faults_of, measure_take

    report = load(options.show)
    answers: dict[str, str] = {}
    for text in options.answer or ():
        name, equals, what = text.partition("=")
        if not equals:
            raise Unusable(f'"{text}" is not QUESTION=ANSWER, as sound=hum')
        answers[name.strip()] = what.strip()
    heard = faults_of(options.take, measure_take(options.take)) if options.take else None
    try:
        now = Standing(answers, heard, report, report.findings)
    except ValueError as problem:
        raise Unusable(str(problem)) from problem
    if options.json:
        print_json(standing_json(now))
        return
    for line in standing_lines(now):
        print(line)


def _ready(options: argparse.Namespace) -> None:
    from datetime import UTC, datetime

    from kymaphon.core.report.ready import open_points, time_words

    report = load(options.show)
    points = open_points(report)
    if options.json:
        rows = [
            {"id": row.id, "title": row.title, "evidence": row.evidence, "minutes": row.minutes, "stage": row.stage}
            for row in points
        ]
        print_json({"open": rows})
        return
    print(time_words(points, report.show.air_at, datetime.now(UTC)))
    for row in points:
        print(f"  {row.minutes:4.1f} min  {row.title}: {row.evidence}")


def _list(model: TapModel, *, as_json: bool) -> None:
    unseen = {row.id for row in model.unseen}
    if as_json:
        print_json([{"id": row.id, "label": row.label, "seen_by_taps": row.id not in unseen} for row in model.faults])
        return
    for row in model.faults:
        print(f"{row.id}  {row.label}{'  (no tap shows it)' if row.id in unseen else ''}")


def _fault(model: TapModel, name: str) -> Fault:
    found = next((row for row in model.faults if row.id == name), None)
    if found is None:
        near = [row.id for row in model.faults if name.partition(":")[2] and name.partition(":")[2] in row.id][:3]
        hint = f"; near it: {', '.join(near)}" if near else "; --faults lists them"
        raise Unusable(f"{name} is no fault of this rig{hint}")
    return found


def _seen(model: TapModel, text: str) -> tuple[tuple[int, int], Seen]:
    """One `--seen`. Raises Unusable."""
    where, equals, what = text.rpartition("=")
    tap, colon, meter = where.partition(":")
    if not equals or not colon:
        raise Unusable(f'"{text}" is not TAP:METER=WHAT, as mira:desk.in1:pre=silent')
    taps = [row.id for row in model.taps]
    meters = [row.id for row in model.meters]
    if tap not in taps:
        raise Unusable(f"{tap} cannot be tapped; there are {', '.join(taps)}")
    if meter not in meters:
        near = [row for row in meters if row.startswith(meter.partition(":")[0])] or meters
        raise Unusable(f"there is no meter {meter}; there are {', '.join(near[:8])}")
    return (taps.index(tap), meters.index(meter)), _what(what)


def _what(text: str) -> Seen:
    from math import isfinite

    from kymaphon.core.prove.diagnosis import MOVED, SILENT

    if text in (MOVED, SILENT):
        return text
    try:
        value = float(text.replace("\u2212", "-"))
    except ValueError:
        value = float("nan")
    if not isfinite(value) or abs(value) > 100:
        raise Unusable(f'"{text}" is neither moved, silent nor a reading in dB against what the meter should show')
    return value


def _print_plan(model: TapModel, diagnosis: Diagnosis) -> None:
    from kymaphon.core.report.prove import must_move, must_not_move

    order = sorted(range(len(model.taps)), key=lambda k: -diagnosis.worth_bits(k))
    print(f"{len(model.taps)} to tap, {counted(len(model.meters), 'meter')}; the first tells most.")
    for number, k in enumerate(order, 1):
        tap = model.taps[k]
        print(f"{number}. {tap.act} ({tap.id}), worth {diagnosis.worth_bits(k):.2f} bits now")
        for words, rows in (("must move", must_move(model, k)), ("must not move", must_not_move(model, k))):
            for n in rows:
                level = f", {model.planned[k, n]:+.0f} dB" if words == "must move" and model.planned[k, n] < -1 else ""
                print(f"   {words}: {model.meters[n].label} ({model.meters[n].id}){level}")
    print(
        f"{counted(len(model.faults), 'fault is', 'faults are')} weighed, {len(model.unseen)} of them no tap can show: --faults"
    )


def _print_diagnosis(diagnosis: Diagnosis) -> None:
    from kymaphon.core.report.prove import cure_of, explanation, look_at, told, verdict

    print(verdict(diagnosis))
    for row in told(diagnosis):
        print(f"  {row.chance:4.0%}  {row.label}; {explanation(diagnosis, row)}")
        if row is diagnosis.ranked[0]:
            for text in look_at(row)[1:]:
                print(f"        or {text}" if not text.startswith("and ") else f"        {text}")
            for suspect in row.suspects:
                print(f"        {cure_of(suspect.faults[0])}")
    ask = diagnosis.next_tap()
    print(f"Still open: {diagnosis.open_bits:.2f} bits.")
    if ask is not None:
        print(f"Next: {diagnosis.model.taps[ask[0]].act}, worth {ask[1]:.2f} bits.")


def _planted(model: TapModel, faults: list[Fault], *, as_json: bool) -> None:
    """Taps a rig with faults in it, always the most telling next, until it is found or everything was tapped."""
    from kymaphon.core.prove.diagnosis import diagnose
    from kymaphon.core.report.prove import diagnosis_json, read_by

    if len(faults) > 2:
        raise Unusable("two faults at once are as many as are weighed")
    seen: dict[tuple[int, int], Seen] = {}
    diagnosis = diagnose(model, seen)
    steps = []
    while (ask := diagnosis.next_tap()) is not None:
        if len(faults) == 1 and diagnosis.found and ask[1] < WORTHLESS_BITS:
            break
        seen = {**seen, **read_by(model, tuple(faults), ask[0])}
        diagnosis = diagnose(model, seen)
        steps.append(diagnosis)
        if not as_json:
            print(f"-- {model.taps[ask[0]].act}")
            _print_diagnosis(diagnosis)
    if as_json:
        print_json({"planted": [row.id for row in faults], "steps": [diagnosis_json(row) for row in steps]})
