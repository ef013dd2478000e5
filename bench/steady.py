"""How long the window's thread is held by random edits, what changing the theme costs, and rigs of loops: `python bench/run.py steady`."""

from __future__ import annotations

import random
import subprocess
import sys
import time
from pathlib import Path
from statistics import median

from kymaphon.core.model.edits import Edit, SetValue, Unplug
from kymaphon.core.model.show import Show

EDITS = 100
ACTIONS = (2_000, 20_000)
"""After so many random actions the memory is read."""


def ring(desks: int) -> Show:
    """Desks that feed each other in a ring by four ways, each with a talker who listens."""
    devices, cables, parties = [], [], []
    for i in range(desks):
        after = (i + 1) % desks
        devices += [
            {"id": f"d{i}", "kind": "desk-8"},
            {
                "id": f"m{i}",
                "kind": "dynamic-close",
                "party": f"p{i}",
                "place": "r",
                "at_m": [1.1 + 2 * i, 1],
            },
            {"id": f"h{i}", "kind": "headphones", "place": "r"},
        ]
        parties.append(
            {
                "id": f"p{i}",
                "name": f"P{i}",
                "kind": "presenter",
                "place": "r",
                "at_m": [1 + 2 * i, 1],
                "speaks": True,
                "listens": True,
                "hears_on": f"h{i}",
            }
        )
        outs = (("main-out.l", "in5"), ("main-out.r", "in6"), ("send1", "in7"), ("send2", "in8"))
        cables += [{"from": f"d{i}.{out}", "to": f"d{after}.{into}"} for out, into in outs]
        cables += [{"from": f"m{i}.out", "to": f"d{i}.in1"}, {"from": f"d{i}.phones", "to": f"h{i}.in"}]
    return Show.model_validate(
        {"kymaphon": 1, "places": [{"id": "r", "name": "R"}], "parties": parties, "devices": devices, "cables": cables}
    )


def bench_rings() -> None:
    from kymaphon.core.analysis.analyse import analyse

    for desks in (4, 8, 12):
        show = ring(desks)
        start = time.perf_counter()
        found = analyse(show)
        print(
            f"ring of {desks} desks: {time.perf_counter() - start:.2f} s, {len(found.findings)} findings (12 desks: at most 2 s)"
        )


def random_edits(show: Show, count: int, seed: int = 1) -> list[tuple[Edit, ...]]:
    """Gains turned, switches thrown, cables unplugged."""
    from kymaphon.core.analysis.analyse import analyse

    analysis = analyse(show, remedies=False)
    knobs = {knob.ref: knob for edge in analysis.graph.edges for knob in edge.knobs}
    switches = {row.ref: row for edge in analysis.graph.edges for row in edge.switches}
    rows: list[tuple[Edit, ...]] = [(Unplug(*cable.ends),) for cable in show.cables]
    rows += [(SetValue(row.ref, not row.now),) for row in switches.values()]
    for knob in knobs.values():
        rows += [
            (SetValue(knob.ref, float(value)),)
            for value in {knob.lowest, knob.highest, min(knob.value + 6, knob.highest)}
        ]
    random.Random(seed).shuffle(rows)
    return rows[:count]


def large(desks: int = 100, cables: int = 2000, people: int = 200, rooms: int = 20) -> Show:
    """500 devices: people with a microphone and headphones each, in rooms of ten, and desks of 24 channels that feed each other
    round and round at random until all cables are plugged.
    """
    draw = random.Random(1)
    devices = [{"id": f"d{i}", "kind": "desk-24-mono"} for i in range(desks)]
    parties, ends, used = [], [], set()
    for i in range(people):
        place, spot = f"r{i % rooms}", [1 + 2 * (i % 20), 1 + 2 * (i // 20)]
        devices += [
            {
                "id": f"m{i}",
                "kind": "dynamic-close",
                "party": f"p{i}",
                "place": place,
                "at_m": [spot[0] + 0.1, spot[1]],
            },
            {"id": f"h{i}", "kind": "headphones", "place": place},
        ]
        parties.append(
            {
                "id": f"p{i}",
                "name": f"P{i}",
                "kind": "presenter",
                "place": place,
                "at_m": spot,
                "speaks": True,
                "listens": True,
                "hears_on": f"h{i}",
            }
        )
        into = f"d{i % desks}.in{i // desks + 1}"
        used.add(into)
        ends += [(f"m{i}.out", into), (f"d{i % desks}.phones", f"h{i}.in")]
    while len(ends) < cables:
        first = draw.randrange(desks)
        into = f"d{(first + draw.choice((1, 2, 3, -1, 5))) % desks}.in{draw.randrange(1, 25)}"
        if into not in used:
            used.add(into)
            ends.append((f"d{first}.{draw.choice(('main-out', 'send1', 'send2'))}", into))
    places = [{"id": f"r{k}", "name": f"R{k}"} for k in range(rooms)]
    return Show.model_validate(
        {
            "kymaphon": 1,
            "places": places,
            "parties": parties,
            "devices": devices,
            "cables": [{"from": a, "to": b} for a, b in ends],
        }
    )


def bench_large() -> None:
    """In a process of its own, for its memory."""
    code = """
import resource, sys, time
sys.path.insert(0, "bench")
from steady import large
from kymaphon.core.analysis.analyse import analyse
show = large()
start = time.perf_counter()
found = analyse(show)
print(f"{len(show.devices)} devices, {len(show.cables)} cables, {len(show.parties)} people: "
      f"{time.perf_counter() - start:.1f} s, {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB, "
      f"{len(found.findings)} findings (goal 15 s, 600 MB)")
"""
    root = Path(__file__).parent.parent
    print(
        subprocess.run(
            [sys.executable, "-c", code], check=True, capture_output=True, text=True, cwd=root
        ).stdout.strip()
    )


def bench_memory() -> None:
    """Random actions on the demo, each with its analysis: `python bench/run.py memory`, most of an hour."""
    from PySide6.QtWidgets import QApplication

    from kymaphon.app.document import Document
    from kymaphon.app.window import Window
    from kymaphon.core.analysis.report import STAGES
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    app = QApplication.instance() or QApplication(["bench"])
    show = read_show(demo_path())
    window = Window(Document(show, autosave=False))
    window.show()
    rows = random_edits(show, 1_000_000)
    draw = random.Random(2)
    first = 0.0
    for done in range(1, ACTIONS[-1] + 1):
        stack, what = window.document.undo_stack, draw.random()
        if what < 0.35 and stack.canUndo():
            stack.undo()
        elif what < 0.45 and stack.canRedo():
            stack.redo()
        elif what < 0.5:
            window.go(draw.choice(STAGES))
        else:
            try:
                window.document.apply(draw.choice(rows), "edit")
            except (KeyError, ValueError):
                continue  # that cable is out already
        while window.document.busy:
            app.processEvents()
            time.sleep(0.0005)
        if done in ACTIONS:
            resident = next(
                row for row in Path("/proc/self/status").read_text().splitlines() if row.startswith("VmRSS")
            )
            now = int(resident.split()[1]) / 1024
            first = first or now
            print(f"after {done} actions: {now:.0f} MB, {now - first:+.0f} MB (goal +50)", flush=True)
    window.document.close()


def bench_window() -> None:
    """A real window without a display: between two turns of its event loop, the longest for each edit."""
    from PySide6.QtWidgets import QApplication

    from kymaphon.app import theme
    from kymaphon.app.collecting import spare_what_is_there
    from kymaphon.app.document import Document
    from kymaphon.app.window import Window
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    app = QApplication.instance() or QApplication(["bench"])
    theme.load_fonts()
    show = read_show(demo_path())
    window = Window(Document(show, autosave=False))
    window.show()

    def settle() -> float:
        """Turns the loop until nothing is computed; the longest turn, in seconds."""
        longest, rest = 0.0, 5
        while rest:
            start = time.perf_counter()
            app.processEvents()
            longest = max(longest, time.perf_counter() - start)
            rest = 5 if window.document.busy or window.offering.busy else rest - 1
            time.sleep(0.001)
        return longest

    settle()
    spare_what_is_there()
    held: dict[str, list[float]] = {}
    for stage in ("Cast", "Rig", "Level", "Quiet", "Feeds"):
        window.go(stage)
        settle()
        for edits in random_edits(show, EDITS // 5):
            start = time.perf_counter()
            window.document.apply(edits, "edit")
            applied = time.perf_counter() - start
            held.setdefault(stage, []).append(max(applied, settle()))
            window.document.undo_stack.undo()
            settle()
    for stage, times in held.items():
        print(
            f"window held by an edit, {stage}: median {1000 * median(times):.0f} ms, longest {1000 * max(times):.0f} ms (goal 50)"
        )
    before, times = len(app.allWidgets()), []
    for _ in range(6):
        start = time.perf_counter()
        window.swap_theme()
        app.processEvents()
        times.append(time.perf_counter() - start)
        settle()
    print(
        f"theme changed: median {1000 * median(times):.0f} ms (goal 150); widgets {before}, then {len(app.allWidgets())}"
    )
    window.document.close()


def bench_steady() -> None:
    """Rings of desks, a large rig, then the window."""
    bench_rings()
    bench_large()
    bench_window()
