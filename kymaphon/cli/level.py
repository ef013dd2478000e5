"""The command level: ladders, the line-up, noise budgets, the run through the sources."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from kymaphon.cli.answer import Unusable, load, print_json, save
from kymaphon.core.derive import show_number

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report


MOST_LOUDER = 60


def add_level_options(parser: argparse.ArgumentParser) -> None:
    """What the command takes beside a show, --from and --to."""
    parser.add_argument(
        "--line-up",
        action="store_true",
        help="gains and pads that put speech on its marks with the least noise; of --from only what moves nobody else",
    )
    parser.add_argument(
        "--faders",
        choices=("stay", "unity", "free"),
        help="with --line-up: stay as they are, go to 0, or may move too; left out: as the practice has it",
    )
    parser.add_argument(
        "-o", "--output", metavar="SHOW", help="with --line-up, --louder or --safety: the show file to write"
    )
    parser.add_argument("--budget", action="store_true", help="who brings how much noise, and what each move would buy")
    parser.add_argument(
        "--run",
        dest="sources",
        action="store_true",
        help="the run through the sources: what to say, what to watch, what it should read",
    )
    parser.add_argument(
        "--tone",
        action="store_true",
        help="what every meter along the way should read of a line-up tone at the house's reference",
    )
    parser.add_argument(
        "--louder",
        type=float,
        metavar="DB",
        help="with --from: what to turn for that voice to be so much louder (negative: quieter), and whether it then clips",
    )
    parser.add_argument("--safety", type=float, metavar="DB", help="with --from: a safety copy recorded so much lower")


def level(options: argparse.Namespace) -> int:
    """Ladders, and what else was asked for."""
    analysis = load(options.show)
    if options.output and not (options.line_up or options.safety is not None or options.louder is not None):
        raise Unusable("-o needs --line-up, --louder or --safety: a ladder alone changes nothing")
    if options.line_up:
        return _line_up(analysis, options)
    if options.louder is not None:
        return _louder(analysis, options)
    if options.safety is not None:
        return _safety(analysis, options)
    if options.sources:
        return _run(analysis, options)
    from kymaphon.core.levels.programme import programme

    ladders = _chosen_ladders(analysis, options.source, options.target)
    if options.budget:
        return _budgets(analysis, ladders, options)
    if options.tone:
        return _tone(analysis, ladders, options)
    if options.json:
        from kymaphon.core.levels.lineup.tone import tone_along

        rows = [{**row.to_json(), "tone": [point.to_json() for point in tone_along(analysis, row)]} for row in ladders]
        print_json({"ladders": rows, "programme": [row.to_json() for row in programme(analysis)]})
        return 0
    names = {party.id: party.name for party in analysis.show.parties}
    for ladder in ladders:
        print(f"{names[ladder.voice]} to {names.get(ladder.target, ladder.target)}")
        print(f"  {'point':42}{'speech':>16}{'noise':>16}{'headroom':>11}{'late':>10}  loudest noise")
        for rung in ladder.shown():
            noise = show_number(rung.noise_total_db, rung.noise_unit) if rung.noise_db else "-"
            headroom = "-" if rung.headroom_db is None else show_number(rung.headroom_db, "dB")
            speech, late = show_number(rung.speech_db, rung.unit), show_number(rung.delay_ms, "ms")
            print(f"  {rung.label[:41]:42}{speech:>16}{noise:>16}{headroom:>11}{late:>10}  {rung.loudest_noise or '-'}")
        last = ladder.last
        if last.noise_db:
            print(f"  voice over noise {show_number(last.voice_over_noise_db, 'dB')}, both A-weighted")
    if options.source is None:
        for row in programme(analysis):
            print(row.words())
    return 0


def _voice(analysis: Report, source: str) -> str:
    """A party's id, from its own or from that of a device that it speaks into. Raises Unusable."""
    by_device = {device.id: device.party for device in analysis.show.devices}
    voice = by_device.get(source) or source
    voices = [row.id for row in analysis.voices]
    if voice not in voices:
        raise Unusable(f"--from {source}: no such voice; there are: {', '.join(voices)}")
    return voice


def _written(analysis: Report, edits: Any, options: argparse.Namespace) -> list[str]:
    from kymaphon.core.model.edits import apply_all

    if not options.output:
        return []
    save(apply_all(analysis.show, tuple(edits)), options.show, options.output)
    return [f"written: {options.output}"]


def _line_up(analysis: Report, options: argparse.Namespace) -> int:
    from kymaphon.core.analysis.offers import cost_words
    from kymaphon.core.levels.lineup.plan import line_up, strategy_words

    voices = None if options.source is None else (_voice(analysis, options.source),)
    try:
        plan = line_up(analysis, voices, strategy=options.faders)
    except ValueError as error:
        raise Unusable(str(error)) from error
    done = _written(analysis, plan.edits, options)
    costs = cost_words(analysis, plan.edits)
    if options.json:
        print_json({"line_up": plan.to_json(), "costs": costs or None, "done": done})
        return 0
    if costs:
        print(f"{costs}.")
    print(f"{plan.sentence()} {strategy_words(plan.strategy)}.")
    print(plan.against_recipe())
    for move in plan.moves:
        why = "; ".join(part for part in (move.without and f"without it {move.without}", move.limit) if part)
        limit = f"  ({why})" if why else ""
        print(
            f"  {show_number(move.turn.now, 'dB', sign=True):>9} -> {show_number(move.after, 'dB', sign=True):>9}  {move.turn.label}{limit}"
        )
    for row in plan.voices:
        off = "no mark" if row.off_db is None else f"{show_number(row.off_db, 'dB', sign=True)} of the mark"
        spare = "" if row.spare_db is None else f", {show_number(row.spare_db, 'dB')} to spare at {row.spare_at}"
        print(f"  {analysis.party_name(row.voice):16} {off}{spare}{'. ' + row.forbids if row.forbids else ''}")
    if plan.unproven:
        print(f"Not proven to be the least noise: {plan.unproven}.")
    for line in (*plan.held, *done):
        print(line)
    return 0


def _louder(analysis: Report, options: argparse.Namespace) -> int:
    """One voice so much louder; what it costs is told, in words or as JSON."""
    import math

    from kymaphon.core.analysis.louder import louder
    from kymaphon.core.model.edits import apply_all

    if options.source is None:
        raise Unusable("--louder needs --from: which voice")
    if not math.isfinite(options.louder) or not 0 < abs(options.louder) <= MOST_LOUDER:
        raise Unusable(f"--louder takes up to {MOST_LOUDER} dB either way, and not 0")
    try:
        made = louder(analysis, options.source, options.louder)
    except KeyError:
        known = ", ".join(party.id for party in analysis.voices)
        raise Unusable(f"no voice is called {options.source}; there are {known}") from None
    except ValueError as problem:
        raise Unusable(str(problem)) from None
    if options.output and made.remedy is not None:
        save(apply_all(analysis.show, made.remedy.edits), options.show, options.output)
    if options.json:
        print_json(made.to_json())
    else:
        print(made.words())
    return 0


def _safety(analysis: Report, options: argparse.Namespace) -> int:
    from kymaphon.core.levels.lineup.safety import safety_copy

    if options.source is None:
        raise Unusable("--safety needs --from, the voice that is copied")
    try:
        copy = safety_copy(analysis, _voice(analysis, options.source), options.safety)
    except ValueError as error:
        raise Unusable(str(error)) from error
    done = _written(analysis, copy.edits, options) if copy.possible else []
    if options.json:
        print_json({"safety": copy.to_json(), "done": done})
        return 0
    for line in (copy.text, *done):
        print(line)
    return 0


def _tone(analysis: Report, ladders: list[Any], options: argparse.Namespace) -> int:
    """A line-up tone along each way."""
    from kymaphon.core.levels.lineup.tone import tone_along
    from kymaphon.core.model.scales import scales

    if options.json:
        print_json(
            {
                "tone": [
                    {
                        "voice": row.voice,
                        "to": row.target,
                        "points": [point.to_json() for point in tone_along(analysis, row)],
                    }
                    for row in ladders
                ]
            }
        )
        return 0
    names = {party.id: party.name for party in analysis.show.parties}
    for ladder in ladders:
        print(
            f"Tone of 1 kHz at the house's reference, {names[ladder.voice]} to {names.get(ladder.target, ladder.target)}"
        )
        for point in tone_along(analysis, ladder):
            shown = "; ".join(f"{scales()[name].name} {figure.text()}" for name, figure in point.readings.items())
            print(f"  {point.rung.label[:41]:42}{show_number(point.level.value, point.rung.unit):>12}  {shown}")
    return 0


def _run(analysis: Report, options: argparse.Namespace) -> int:
    from kymaphon.core.levels.lineup.run import caution, not_read, steps_of

    steps, missing = steps_of(analysis), not_read(analysis)
    if options.source is not None:
        voice = _voice(analysis, options.source)
        steps = tuple(step for step in steps if step.voice == voice)
    if options.json:
        rows = [
            {
                "voice": step.voice,
                "say": step.say,
                "listen": step.listen,
                "watch": step.watch,
                "at": step.point.node,
                "meter": step.expected.scale,
                "expected": round(step.expected.shows.value, 3),
                "from": round(step.expected.low, 3),
                "to": round(step.expected.high, 3),
                "unit": step.expected.unit,
            }
            for step in steps
        ]
        print_json({"run": rows, "not_read": list(missing)})
        return 0
    print(caution())
    for line in missing:
        print(line)
    for number, step in enumerate(steps, start=1):
        print(f"{number}. {step.name}")
        for line in (step.say, step.listen, step.watch):
            print(f"   {line}")
    return 0


def _budgets(analysis: Report, ladders: list[Any], options: argparse.Namespace) -> int:
    from kymaphon.core.levels.boosters import booster_verdict
    from kymaphon.core.levels.budget import budget_of, contributions, shares
    from kymaphon.core.levels.noise_moves import buys

    listeners = {row.id for row in analysis.listeners}
    out = []
    for ladder in ladders:
        budget = budget_of(analysis, ladder.voice, ladder.target) if ladder.target in listeners else None
        out.append((ladder, budget, buys(budget) if budget is not None else ()))
    if options.json:
        rows = [
            {
                "voice": ladder.voice,
                "to": ladder.target,
                "voice_over_noise_db": round(ladder.last.voice_over_noise_db, 3) if ladder.last.noise_db else None,
                "shares": [row.to_json() for row in shares(ladder.last)],
                "contributions": [row.to_json() for row in contributions(ladder.last)],
                "moves": [row.to_json() for row in moves],
                "booster": (booster_verdict(budget) or None) if budget is not None else None,
            }
            for ladder, budget, moves in out
        ]
        print_json({"budgets": rows})
        return 0
    names = {party.id: party.name for party in analysis.show.parties}
    for ladder, budget, moves in out:
        print(f"{names[ladder.voice]} to {names.get(ladder.target, ladder.target)}")
        for row in shares(ladder.last):
            print(f"  {row.part:6.1%}  {show_number(row.level_db, ladder.last.unit):>14}  {row.name}")
        if moves:
            print("  what each move would buy: at the end, and with the other channels shut")
        for move in moves:
            print(
                f"  {show_number(move.gain_db, 'dB', sign=True):>9} {show_number(move.alone_db, 'dB', sign=True):>9}  {move.label}: {move.text}"
            )
        if budget is not None and booster_verdict(budget):
            print(f"  {booster_verdict(budget)}")
    return 0


def _chosen_ladders(analysis: Report, source: str | None, target: str | None) -> list[Any]:
    voices = [voice.id for voice in analysis.voices]
    if source is not None:
        voices = [_voice(analysis, source)]
    if target is None:
        return [ladder for (voice, _), ladder in analysis.ladders.items() if voice in voices]
    listeners = {party.id for party in analysis.listeners}
    found = []
    for voice in voices:
        ladder = (
            analysis.ladder(voice, target)
            if target in listeners
            else analysis.ladder_to_node(voice, _node(analysis, target))
        )
        if ladder is not None:
            found.append(ladder)
    if not found:
        raise Unusable(f"no signal path from {', '.join(voices)} to {target}")
    return found


def _node(analysis: Report, target: str) -> str:
    index = analysis.graph.index
    kinds = {device.id: analysis.catalogue[device.kind] for device in analysis.show.devices}
    candidates = [target, f"{target}.l"]
    if target in kinds:
        candidates += [f"{target}.{port.id}{side}" for port in kinds[target].outputs for side in ("", ".l")]
    for node in candidates:
        if node in index:
            return node
    raise Unusable(f"--to {target}: no such party, device or port")
