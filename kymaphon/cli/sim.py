"""`kymaphon sim`: what a listener hears of the whole show, written as a sound file."""

from __future__ import annotations

import argparse
import math
from typing import TYPE_CHECKING

from kymaphon.cli.answer import Unusable, load, print_json

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report
    from kymaphon.core.prove.faults import Fault

LONGEST_S = 600.0
THROUGH = ("phone", "laptop", "headphones")
FULL_DB_SPL = 104.0
"""Sound pressure that fills the file, where ears are in the air: speech at 1 m then lies some 40 dB below full scale."""


def add_sim_options(row: argparse.ArgumentParser) -> None:
    """The options of the command."""
    row.add_argument("--listener", required=True, metavar="ID", help="the party whose ears it is")
    row.add_argument(
        "-o",
        "--output",
        dest="render",
        required=True,
        metavar="FILE",
        help="sound file to write: .wav, .flac, .ogg \u2026",
    )
    row.add_argument(
        "--fault", action="append", metavar="ID", help="a fault in the rig that plays, not in the show; several"
    )
    row.add_argument("--faults", action="store_true", help="list every fault by its id, instead of playing")
    row.add_argument("--seconds", type=float, default=10.0, metavar="N", help="how long, 1 to 600; 10 if left out")
    row.add_argument("--seed", type=int, default=1, metavar="N", help="which talk and which noise; 1 if left out")
    row.add_argument("--through", choices=THROUGH, help="heard on a telephone, a laptop or headphones")


def sim(options: argparse.Namespace) -> int:
    """Runs the command; 0. Raises FileProblem, Unusable."""
    if not (math.isfinite(options.seconds) and 1 <= options.seconds <= LONGEST_S):
        raise Unusable(f"--seconds is from 1 to {LONGEST_S:.0f}")
    if options.seed < 0:
        raise Unusable("--seed is a counting number")
    report = load(options.show)
    known = _faults(report)
    if options.faults:
        for row in known.values():
            print(f"{row.id}  {row.label}")
        return 0
    if options.listener not in report.graph.ears:
        there = ", ".join(report.graph.ears) or "nobody"
        raise Unusable(f"{options.listener} does not listen in this show; there is {there}")
    faults = tuple(_named(known, name) for name in options.fault or ())
    _play(report, faults, options)
    return 0


def _faults(report: Report) -> dict[str, Fault]:
    from kymaphon.core.prove.faults import audible_faults, single_faults

    return {row.id: row for row in (*single_faults(report), *audible_faults(report))}


def _named(known: dict[str, Fault], name: str) -> Fault:
    if name not in known:
        place = name.partition(":")[2]
        near = [row for row in known if place and place in row][:3]
        raise Unusable(
            f"{name} is no fault of this rig{'; near it: ' + ', '.join(near) if near else '; --faults lists them'}"
        )
    return known[name]


def _play(report: Report, faults: tuple[Fault, ...], options: argparse.Namespace) -> None:
    import numpy as np

    from kymaphon.files.takes import write_audio
    from kymaphon.sim.playing import ShowPlayer, rms_dbfs
    from kymaphon.sim.through import heard_through, throughs

    rate = report.show.sample_rate_hz
    player = ShowPlayer(report, sample_rate_hz=rate, seed=options.seed, faults=faults)
    ears = report.graph.ears[options.listener]
    late = player.skipped_ms(options.listener)
    sound = player.arrived(options.listener, options.seconds)
    if options.through:
        try:
            sound = heard_through(sound, rate, throughs()[options.through])
        except ValueError as problem:
            raise Unusable(str(problem)) from problem
    unit = report.graph.nodes[ears[0]].unit
    full = FULL_DB_SPL if unit == "dB SPL" else {"dBu": 24.0}.get(unit, 0.0)
    sound = sound * 10 ** (-full / 20)
    clipped = int((np.abs(sound) > 1).sum())
    about = f"Simulated: what {report.party_name(options.listener)} hears of {report.show.title}"
    write_audio(options.render, np.clip(sound, -1, 1).T.astype(np.float32), rate, about=about)
    rms = list(map(float, rms_dbfs(sound)))
    if options.json:
        print_json(
            {
                "file": options.render,
                "listener": options.listener,
                "seconds": options.seconds,
                "sample_rate_hz": rate,
                "skipped_ms": round(late, 1),
                "full_scale": {"value": full, "unit": unit},
                "rms_dbfs": [round(row, 2) for row in rms],
                "clipped_samples": clipped,
                "faults": [row.id for row in faults],
                "through": options.through,
            }
        )
        return
    print(f"{options.render}: {options.seconds:g} s of what {report.party_name(options.listener)} hears, {rate} Hz.")
    print(
        f"Full scale is {full:g} {unit}; RMS {', '.join(f'{row:.1f} dBFS' for row in rms)}; {clipped} samples clipped."
    )
    if late >= 1:
        print(f"It begins {late:.0f} ms in, when everybody has arrived there.")
    for row in faults:
        print(f"In the rig that plays: {row.label}.")
