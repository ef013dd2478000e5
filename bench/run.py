"""Speed and memory, each as a ratio against something measured in the same run, or as a figure reported.

make bench            everything but `memory`, which takes most of an hour
python bench/run.py start analysis cast rig level take gate feeds edit prove steady memory
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from statistics import median

import numpy as np

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
ROUNDS = 7

EMPTY = """
import sys, time
from PySide6.QtWidgets import QApplication, QMainWindow
from PySide6.QtCore import QTimer
app = QApplication(sys.argv)
window = QMainWindow()
window.resize(1280, 800)
window.show()
app.processEvents()
print(time.time())
"""
START = """
import os, sys, time
from kymaphon.app.early import start_sooner
start_sooner()
from PySide6.QtWidgets import QApplication
app = QApplication(sys.argv)
from kymaphon.app.start import fill, frame
window = frame()
shell = time.time()
late = [name for name in sys.modules if name.split(".")[0] in ("numpy", "pydantic") or name == "kymaphon.core.model.show"]
assert not late, late
fill(window, None, demo=True, autosave=False)
app.processEvents()
figures = time.time()
assert window.document.show.parties
while window.document.busy:
    app.processEvents()
    time.sleep(0.001)
app.processEvents()
print(shell, figures, time.time())
assert not [name for name in sys.modules if name.split(".")[0] in ("scipy", "networkx", "soundfile", "reportlab")]
sys.stdout.flush()
os._exit(0)
"""


def seconds(code: str) -> list[float]:
    """From starting a fresh interpreter to each moment that the code prints."""
    start = time.time()
    done = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True)
    return [float(row) - start for row in done.stdout.split()]


def bench_start() -> None:
    """From the start of the program to its frame, to the demo with its figures, and to its findings, against an empty window."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["KYMAPHON_STATE"] = folder
        seconds(EMPTY), seconds(START)
        rows = [(*seconds(EMPTY), *seconds(START)) for _ in range(ROUNDS)]
    empty, *ours = (median(row[i] for row in rows) for i in range(4))
    told = ", ".join(
        f"{name} {1000 * value:.0f} ms, {value / empty:.2f} times (at most {most:g})"
        for name, value, most in zip(("frame", "figures", "findings"), ours, (1.5, 4, 5.5), strict=True)
    )
    print(f"start: empty window {1000 * empty:.0f} ms; {told}")


def yardstick_ms() -> float:
    """A fixed piece of plain Python, so that figures from different machines can be compared."""
    start = time.perf_counter()
    sum(i * i for i in range(300_000))
    return 1000 * (time.perf_counter() - start)


def bench_analysis() -> None:
    """Report of the demo and of a generated show, with a yardstick beside them."""
    from generated import big_show

    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    rows = [("demo", read_show(demo_path()), None, 20)]
    for voices, listeners in ((8, 6), (16, 12), (32, 24), (64, 24)):
        show, catalogue = big_show(voices, listeners)
        rows.append((f"{voices} voices, {listeners} listeners", show, catalogue, 250 if voices == 64 else 0))
    for name, show, catalogue, limit in rows:
        analysis = analyse(show, catalogue)
        times, yards = [], []
        for _ in range(ROUNDS):
            yards.append(yardstick_ms())
            start = time.perf_counter()
            analyse(show, catalogue)
            times.append(1000 * (time.perf_counter() - start))
        goal = f" (goal {limit} ms)" if limit else ""
        size = f"{len(analysis.graph.nodes)} nodes, {len(analysis.graph.live)} live edges"
        print(
            f"analysis: {name}: {median(times):.1f} ms, best {min(times):.1f}{goal}; "
            f"{median(times) / median(yards):.2f} of the yardstick ({median(yards):.1f} ms); {size}"
        )


TAKE = """
import resource, sys, time
from kymaphon.files.audio import measure_take
start = time.perf_counter()
row = measure_take(sys.argv[1])
print(time.perf_counter() - start, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, row.duration_s)
"""


def bench_take() -> None:
    """A take of 60 minutes: peak memory, and time against reading the file alone."""
    import soundfile

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hour.wav"
        draw = np.random.default_rng(0)
        block = (draw.standard_normal(48000 * 60) * 0.01).astype(np.float32)
        with soundfile.SoundFile(path, "w", 48000, 1, "PCM_24") as file:
            for _ in range(60):
                file.write(block)
        start = time.perf_counter()
        with soundfile.SoundFile(path) as file:
            for _ in file.blocks(1 << 16, dtype="float32"):
                pass
        reading = time.perf_counter() - start
        done = subprocess.run([sys.executable, "-c", TAKE, str(path)], check=True, capture_output=True, text=True)
        wall, peak, length = (float(part) for part in done.stdout.split())
        _bench_ten_minutes(Path(folder))
    print(
        f"take: {length / 60:.0f} minutes of 48 kHz 24 bit mono in {wall:.1f} s, {wall / reading:.1f} times reading it; "
        f"peak memory {peak:.0f} MB (at most 300)"
    )


def _bench_ten_minutes(folder: Path) -> None:
    """Ten minutes of talk: everything that is told of a take, against a general command-line loudness filter with true
    peak on the same file, where one is installed (`apt-get install ffmpeg`, for this bench only).
    """
    import shutil

    import soundfile

    from kymaphon.sim.talker import talk

    path = folder / "ten.wav"
    rng = np.random.default_rng(1)
    part = talk(30.0, seed=2, level_dbfs=-22.0) + rng.normal(0, 1e-4, 48000 * 30)
    with soundfile.SoundFile(path, "w", 48000, 1, "PCM_24") as file:
        for _ in range(20):
            file.write(part.clip(-0.99, 0.99))
    ours, peaks, theirs = [], [], []
    filter_ = shutil.which("ffmpeg")
    for _ in range(3):
        done = subprocess.run([sys.executable, "-c", TAKE, str(path)], check=True, capture_output=True, text=True)
        wall, peak, _ = (float(row) for row in done.stdout.split())
        ours.append(wall)
        peaks.append(peak)
        if filter_ is not None:
            start = time.perf_counter()
            command = [
                filter_,
                "-nostats",
                "-hide_banner",
                "-i",
                str(path),
                "-filter_complex",
                "ebur128=peak=true",
                "-f",
                "null",
                "-",
            ]
            subprocess.run(command, check=True, capture_output=True)
            theirs.append(time.perf_counter() - start)
    beside = (
        f"{median(ours) / median(theirs):.2f} of a loudness filter's {median(theirs):.1f} s (at most 1)"
        if theirs
        else "no loudness filter is installed to hold it against"
    )
    print(
        f"take: 10 minutes of talk, all that is told of it: {median(ours):.1f} s, {beside}; peak memory {max(peaks):.0f} MB (at most 200)"
    )


def bench_gate() -> None:
    """Ten minutes at 48 kHz: a gate, its verdict and its sound, against the gate of a general audio effects library on the
    same samples, where it is installed (the extra `bench`); a threshold dragged; a gate found.
    """
    from kymaphon.core.dynamics.design import design
    from kymaphon.core.dynamics.envelope import render
    from kymaphon.core.dynamics.evaluation import Trial, trial_of
    from kymaphon.core.dynamics.key import key_of
    from kymaphon.core.dynamics.study import Held, study
    from kymaphon.core.model.processing import Gate
    from kymaphon.sim.talker import talk

    rng = np.random.default_rng(1)
    part = talk(60.0, 48000, level_dbfs=-22.0, seed=2) + rng.normal(0, 1e-3, 48000 * 60)
    sound = np.tile(part, 10).clip(-0.99, 0.99).astype(np.float32)
    gate = Gate(open_db=-38, close_db=-44)
    start = time.perf_counter()
    found = study(Held(sound, 48000))
    listened = time.perf_counter() - start
    ours, theirs = [], []
    try:
        import pedalboard
    except ModuleNotFoundError:
        pedalboard = None
    for _ in range(5):
        start = time.perf_counter()
        key = key_of(sound, 48000)
        levels = key.detector(gate.detector, gate.detector_ms)
        trial = Trial(found.talk, levels, levels[:0], key.step_s)
        turned = trial.turns(gate)
        trial.judge(gate)
        render(sound, turned, gate, key.samples, 48000)
        ours.append(time.perf_counter() - start)
        if pedalboard is not None:
            board = pedalboard.Pedalboard([pedalboard.NoiseGate(threshold_db=-38, attack_ms=2, release_ms=150)])
            start = time.perf_counter()
            board(sound, 48000)
            theirs.append(time.perf_counter() - start)
    beside = (
        f"{median(ours) / median(theirs):.2f} of an effects library's gate alone, {median(theirs):.2f} s (at most 1)"
        if theirs
        else "no effects library is installed to hold it against"
    )
    print(f"gate: 10 minutes at 48 kHz, key, gate, verdict and sound: {median(ours):.2f} s, {beside}")
    whole = trial_of(found.talk, gate)
    drags = []
    for step in range(40):
        start = time.perf_counter()
        whole.judge(gate.model_copy(update={"open_db": -44.0 + step * 0.5, "close_db": -50.0 + step * 0.5}))
        drags.append((time.perf_counter() - start) * 1000)
    start = time.perf_counter()
    design(found.talk, "balanced")
    searched = time.perf_counter() - start
    print(
        f"gate: a threshold dragged on it: {median(drags):.1f} ms, worst {max(drags):.1f} (at most 50); listening {listened:.1f} s, "
        f"a gate found in {searched:.1f} s"
    )


def bench_level() -> None:
    """The line-up solver, a noise budget and the run, on the demo and on a generated show."""
    from generated import big_show

    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.core.levels.budget import budget_of
    from kymaphon.core.levels.lineup.plan import line_up
    from kymaphon.core.levels.lineup.run import steps_of
    from kymaphon.core.levels.noise_moves import buys
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    shows = [("demo", read_show(demo_path()), None), ("24 voices, 12 listeners", *big_show(24, 12))]
    for name, show, catalogue in shows:
        analysis = analyse(show, catalogue)
        voice, end = next(iter(analysis.ladders))
        budget = budget_of(analysis, voice, end)
        if budget is None:
            continue
        line_up(analysis)
        for what, run in (
            ("line-up of the whole show, proven", partial(line_up, analysis)),
            ("moves of one budget", partial(buys, budget)),
            ("steps of the run", partial(steps_of, analysis)),
        ):
            times, yards = [], []
            for _ in range(ROUNDS):
                yards.append(yardstick_ms())
                start = time.perf_counter()
                run()
                times.append(1000 * (time.perf_counter() - start))
            print(
                f"level: {name}: {what}: {median(times):.0f} ms; {median(times) / median(yards):.2f} of the yardstick"
            )


def bench_cast() -> None:
    """A place of 16 microphones and 16 parties: what one frame of a drag computes, the placement map, the adviser."""
    from generated import full_place

    from kymaphon.core.acoustics.spots import placement_map
    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.core.model.edits import SetField
    from kymaphon.core.placement.advice import advise

    show = full_place(16)
    analysis = analyse(show)
    sound = analysis.sound("hall")
    kinds = [kind for kind in analysis.catalogue if kind.microphone is not None]

    def frame(step: int) -> None:
        moved = SetField("devices", "mic-3", "at_m", (3.0 + step * 0.01, 2.0)).apply(show)
        row = analysis.sketch(moved, "hall")
        placement_map(row, 3, row.mics[3].kind)

    def sketch(step: int) -> None:
        analysis.sketch(SetField("devices", "mic-3", "at_m", (3.0 + step * 0.01, 2.0)).apply(show), "hall")

    for name, run, limit in (
        ("drag, one frame, 16 by 16", sketch, 16),
        ("drag of the talker, frame and map", frame, 0),
        (
            "map, 100 by 100, cardioid",
            lambda _: placement_map(sound, 3, analysis.catalogue["dynamic-close"]),
            50,
        ),
        ("map, 100 by 100, gun", lambda _: placement_map(sound, 3, analysis.catalogue["gun-long"]), 50),
        (
            "map, 100 by 100, close-talking",
            lambda _: placement_map(sound, 3, analysis.catalogue["lip-ribbon"]),
            50,
        ),
        (f"adviser, {len(kinds)} kinds", lambda _: advise(sound, 3, kinds[0], kinds), 0),
        ("whole analysis after the drag", lambda _: analyse(show), 0),
    ):
        times, yards = [], []
        for step in range(30 if "whole" not in name else ROUNDS):
            yards.append(yardstick_ms())
            start = time.perf_counter()
            run(step)
            times.append(1000 * (time.perf_counter() - start))
        goal = f" (at most {limit} ms)" if limit else ""
        print(
            f"cast: {name}: {median(times):.1f} ms, worst {max(times):.1f}{goal}; {median(times) / median(yards):.2f} of the yardstick"
        )


def bench_rig() -> None:
    """The layout of rigs of 60 and 300 devices, the picture made of it, and Rig's rules on the demo."""
    from generated import big_rig

    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.core.report.chain import chain_of
    from kymaphon.core.rules import RULES
    from kymaphon.core.wiring.layered import BoxSpec, LinkSpec, draw_layers
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    rules = [row.check for row in RULES if row.stage == "Rig"]
    runs: list[tuple[str, Callable[[], object], int]] = []
    for count, limit in ((60, 100), (300, 1000)):
        analysis = analyse(big_rig(count))
        chain = chain_of(analysis)
        boxes = [
            BoxSpec(box.id, 168.0, tuple(p.ref for p in box.inputs), tuple(p.ref for p in box.outputs))
            for box in chain.boxes
        ]
        links = [LinkSpec(row.source, row.cable.source, row.target, row.cable.target) for row in chain.links]
        size = f"{len(boxes)} devices, {len(links)} cables"
        runs.append((f"layout, {size}", partial(draw_layers, boxes, links), limit))
        runs.append((f"whole picture, {size}", partial(chain_of, analysis), 0))
    demo = analyse(read_show(demo_path()))
    runs.append(("Rig's rules on the demo", lambda: [list(rule(demo)) for rule in rules], 50))
    for name, run, limit in runs:
        times, yards = [], []
        for _ in range(ROUNDS):
            yards.append(yardstick_ms())
            start = time.perf_counter()
            run()
            times.append(1000 * (time.perf_counter() - start))
        goal = f" (at most {limit} ms)" if limit else ""
        print(
            f"rig: {name}: {median(times):.1f} ms, worst {max(times):.1f}{goal}; {median(times) / median(yards):.2f} of the yardstick"
        )


def bench_feeds() -> None:
    """24 remotes, 40 voices, 30 listeners: full analysis, the cut finder with every remote hearing itself, the planner from nothing; and how
    they grow.
    """
    from generated import remote_show

    from kymaphon.core.analysis.analyse import analyse, without_rules
    from kymaphon.core.mixes.planner import plan_feeds
    from kymaphon.core.model.edits import SetValue, apply_all
    from kymaphon.core.model.ids import SettingRef
    from kymaphon.core.rules.feeds import own_voice_back

    def timed(run: Callable[[], object], rounds: int = 3) -> float:
        rows = []
        for _ in range(rounds):
            start = time.perf_counter()
            run()
            rows.append(1000 * (time.perf_counter() - start))
        return median(rows)

    sizes = ((24, 40, 30), (5, 8, 6), (10, 16, 12), (19, 32, 24), (38, 64, 48))
    for remotes, voices, listeners in sizes:
        show, catalogue = remote_show(remotes, voices, listeners)
        local = voices - remotes
        wrong = apply_all(
            show,
            tuple(SetValue(SettingRef("desk", f"in{local + i}>send{i}", "on"), True) for i in range(1, remotes + 1)),
        )
        bare, _ = remote_show(remotes, voices, listeners, routed=False)
        analyse(show, catalogue)
        whole = timed(lambda show=show, catalogue=catalogue: analyse(show, catalogue))
        faulty = without_rules(wrong, catalogue)
        cuts = timed(lambda faulty=faulty: list(own_voice_back(faulty)), 1)
        found = list(own_voice_back(faulty))
        plan = plan_feeds(bare, catalogue)
        planned = timed(lambda bare=bare, catalogue=catalogue: plan_feeds(bare, catalogue))
        goals = (" (goal 500)", " (goal 2000)", " (goal 2000)") if voices == 40 else ("", "", "")
        print(
            f"feeds: {remotes} remotes, {voices} voices, {listeners} listeners: analysis {whole:.0f} ms{goals[0]}; "
            f"{len(found)} own voices back, cured in {cuts:.0f} ms{goals[1]}; planned and proven in {planned:.0f} ms{goals[2]}, "
            f"{len(plan.mixes)} mixes, {len(plan.missing)} missing, {len(plan.unmet)} not as wanted; yardstick {yardstick_ms():.1f} ms"
        )


def main() -> None:
    """Runs the parts named, or all."""
    from air import bench_air
    from edit import bench_edit
    from prove import bench_prove
    from steady import bench_memory, bench_steady
    from talk import bench_talk

    parts = {
        "start": bench_start,
        "analysis": bench_analysis,
        "cast": bench_cast,
        "rig": bench_rig,
        "level": bench_level,
        "take": bench_take,
        "gate": bench_gate,
        "feeds": bench_feeds,
        "edit": bench_edit,
        "prove": bench_prove,
        "air": bench_air,
        "talk": bench_talk,
        "steady": bench_steady,
        "memory": bench_memory,
    }
    for name in sys.argv[1:] or [name for name in parts if name != "memory"]:
        parts[name]()


if __name__ == "__main__":
    main()
