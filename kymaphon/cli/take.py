"""The command take: recordings measured, and takes of one voice compared."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from kymaphon.cli.answer import Unusable, print_json
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.files.errors import FileProblem


def take(options: argparse.Namespace) -> int:
    from kymaphon.core.takes.faults.finder import in_common
    from kymaphon.core.takes.faults.stretch import STRETCH_S
    from kymaphon.files.audio import faults_of, measure_take

    group = _channels(options.group)
    rows, failed = [], False
    for path in options.files:
        try:
            rows.append((path, measure_take(path, partial=options.partial, group=group, layout=options.layout)))
        except ValueError as problem:
            raise Unusable(f"{path}: {problem}") from problem
        except FileProblem as problem:
            failed = True
            print(f"kymaphon: {problem}", file=sys.stderr)
    if options.compare:
        return _compare(rows, options, failed=failed)
    heard = {path: faults_of(path, row, partial=options.partial) for path, row in rows} if options.faults else {}
    if options.json:
        told = {path: {"faults": [row.to_json() for row in found]} for path, found in heard.items()}
        answer: dict[str, Any] = {
            "takes": [{"file": path, **row.to_json(), **told.get(path, {})} for path, row in rows]
        }
        if len(heard) > 1:
            every, alone = in_common(list(heard.values()))
            answer["faults_in_all"] = list(every)
            answer["faults_in_one"] = {list(heard)[n]: list(codes) for n, codes in alone.items()}
        print_json(answer)
    else:
        for path, row in rows:
            print(path)
            channels = "1 channel" if row.channels == 1 else f"{row.channels} channels"
            print(f"  {row.sample_rate_hz} Hz, {channels}, {row.duration_s:.2f} s")
            for name, value, unit in row.table():
                print(f"  {name:22} {'-' if value is None else show_number(value, unit)}")
            print(f"  {'clipped runs':22} {row.clipped_runs}")
            if row.loudness_of:
                print(f"  {'loudness counted of':22} {row.loudness_of}")
            for note in row.notes:
                print(f"  {note}")
            for fault in heard.get(path, ()):
                where = f", at {', '.join(f'{at:.1f}' for at in fault.at_s[:5])} s" if fault.at_s else ""
                print(f"  {fault.code} ({fault.confidence:.0%}): {fault.evidence}{where}. {fault.cure}")
                print(f"    To be sure: {fault.test}")
            if options.faults and row.duration_s < STRETCH_S:
                print(f"  shorter than {STRETCH_S:.0f} s: telephones and differences of channels were not listened for")
            if options.faults and not heard.get(path):
                print("  nothing is heard to be wrong with it")
        if len(heard) > 1:
            every, alone = in_common(list(heard.values()))
            print(f"in all of them: {', '.join(every) if every else 'nothing'}")
            for n, codes in alone.items():
                print(f"in {Path(list(heard)[n]).name} alone: {', '.join(codes)}")
    return 2 if failed else 0


def _channels(text: str | None) -> tuple[int, ...] | None:
    """Channels of `--group`, from 1: `1,2` or `3-8`."""
    if text is None:
        return None
    out: list[int] = []
    for part in text.split(","):
        first, dash, last = part.strip().partition("-")
        if not first.isdecimal() or (dash and not last.isdecimal()) or max(len(first), len(last)) > 4:
            raise Unusable(f"--group names channels such as 1,2 or 3-8, not {text!r}")
        out += range(int(first), int(last or first) + 1)
    return tuple(out)


def _compare(rows: list[tuple[str, Any]], options: argparse.Namespace, *, failed: bool) -> int:
    from kymaphon.core.takes.compare import compare

    try:
        result = compare([(Path(path).name, row) for path, row in rows])
    except ValueError as error:
        raise Unusable(str(error)) from error
    if options.json:
        print_json({"comparison": result.to_json()})
        return 2 if failed else 0
    print(f"{'take':24}{'noise re speech':>17}{'give or take':>14}{'speech':>14}{'to be equal':>13}")
    wide = number("coverage")
    for take in result.takes:
        print(
            f"{take.name[:23]:24}{show_number(take.noise_re_speech_db, 'dB'):>17}{show_number(wide * take.u_db, 'dB'):>14}"
            f"{show_number(take.speech_dbfs, 'dBFS'):>14}{show_number(take.equal_gain_db, 'dB', sign=True):>13}"
        )
        for note in take.notes:
            print(f"  {note}")
    print(result.verdict)
    return 2 if failed else 0
