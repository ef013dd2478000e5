"""How long the window's thread is held by random edits, what changing the theme costs, and rigs of loops: `python bench/run.py steady`."""

from __future__ import annotations

import random
import time
from statistics import median

from kymaphon.core.edits import Edit, SetValue, Unplug
from kymaphon.core.show import Show

EDITS = 100


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
        parties.append({"id": f"p{i}", "name": f"P{i}", "kind": "presenter", "place": "r", "at_m": [1 + 2 * i, 1], "speaks": True, "listens": True, "hears_on": f"h{i}"})  # fmt: skip
        outs = (("main-out.l", "in5"), ("main-out.r", "in6"), ("send1", "in7"), ("send2", "in8"))
        cables += [{"from": f"d{i}.{out}", "to": f"d{after}.{into}"} for out, into in outs]
        cables += [{"from": f"m{i}.out", "to": f"d{i}.in1"}, {"from": f"d{i}.phones", "to": f"h{i}.in"}]
    return Show.model_validate({"kymaphon": 1, "places": [{"id": "r", "name": "R"}], "parties": parties, "devices": devices, "cables": cables})  # fmt: skip


def bench_rings() -> None:
    from kymaphon.core.analyse import analyse

    for desks in (4, 8, 12):
        show = ring(desks)
        start = time.perf_counter()
        found = analyse(show)
        print(
            f"ring of {desks} desks: {time.perf_counter() - start:.2f} s, {len(found.findings)} findings (12 desks: at most 2 s)"
        )


def random_edits(show: Show, count: int, seed: int = 1) -> list[tuple[Edit, ...]]:
    """Gains turned, switches thrown, cables unplugged."""
    from kymaphon.core.analyse import analyse

    analysis = analyse(show, remedies=False)
    knobs = {knob.ref: knob for edge in analysis.graph.edges for knob in edge.knobs}
    switches = {row.ref: row for edge in analysis.graph.edges for row in edge.switches}
    rows: list[tuple[Edit, ...]] = [(Unplug(*cable.ends),) for cable in show.cables]
    rows += [(SetValue(row.ref, not row.now),) for row in switches.values()]
    for knob in knobs.values():
        rows += [(SetValue(knob.ref, float(value)),) for value in {knob.lowest, knob.highest, min(knob.value + 6, knob.highest)}]  # fmt: skip
    random.Random(seed).shuffle(rows)
    return rows[:count]


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
    """Rings of desks, then the window."""
    bench_rings()
    bench_window()
