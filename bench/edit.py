"""What an edit costs: a gain and a plug of the demo computed anew, one step of a gain that is dragged, and a large show."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable, Sequence
from statistics import median

from generated import big_show

ROUNDS = 15


def bench_edit() -> None:
    """Figures and findings after an edit, with what was known before it."""
    from kymaphon.core.analysis.analyse import analyse, figures_of, report
    from kymaphon.core.model.edits import Edit, SetValue, Unplug, apply_all
    from kymaphon.core.model.ids import SettingRef
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    demo = read_show(demo_path())
    big, kinds = big_show(64, 24)
    knob = next(row.ref for edge in analyse(big, kinds).graph.edges for row in edge.knobs if row.own)
    gain = SettingRef("desk", "in1", "gain_db")
    cable = demo.cables[0]
    cases: tuple[tuple[str, object, object, Callable[[int], Sequence[Edit]], int], ...] = (
        ("demo, a gain turned", demo, None, lambda n: (SetValue(gain, 20.0 + n),), 40),
        ("demo, a lead pulled and put back", demo, None, lambda _n: (Unplug(*cable.ends),), 100),
        ("64 voices, 24 listeners, a gain turned", big, kinds, lambda n: (SetValue(knob, 20.0 + n),), 500),
    )
    gc.disable()
    for name, show, catalogue, edits, goal in cases:
        before = analyse(show, catalogue)  # type: ignore[arg-type]
        rows = []
        for n in range(ROUNDS if catalogue is None else 5):
            changed = apply_all(before.show, tuple(edits(n)))
            start = time.perf_counter()
            figures = figures_of(changed, catalogue, before=before)  # type: ignore[arg-type]
            middle = time.perf_counter()
            report(figures, before)
            rows.append((1000 * (middle - start), 1000 * (time.perf_counter() - start)))
            gc.collect()
        first, all_ = (median(row[k] for row in rows) for k in (0, 1))
        print(f"edit: {name}: figures {first:.0f} ms, findings complete {all_:.0f} ms (goal {goal})")
    gc.enable()
    _bench_drag()


def _bench_drag() -> None:
    """One step of dragging a gain on Level's ladder, from the preview to the picture drawn, in a window without a screen."""
    import os
    import sys

    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from kymaphon.app import theme
    from kymaphon.app.document import Document
    from kymaphon.app.window import Window
    from kymaphon.core.model.edits import SetValue
    from kymaphon.core.model.ids import SettingRef
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show

    app = QApplication.instance() or QApplication(sys.argv[:1])
    theme.load_fonts()
    window = Window(Document(read_show(demo_path()), autosave=False))
    window.show()
    ref = SettingRef("desk", "in1", "gain_db")

    def drawn() -> float | None:
        return next(knob.value for row in window.level.rungs for knob in row.knobs if knob.ref == ref)

    def spin(until: Callable[[], bool]) -> None:
        while not until():
            app.processEvents()
            time.sleep(0.001)

    spin(lambda: not (window.document.busy or window.offering.busy))
    times = []
    for n in range(40):
        value = 20.0 + n
        start = time.perf_counter()
        window.document.preview((SetValue(ref, value),), "drag")
        spin(lambda value=value: drawn() == value)
        app.processEvents()
        times.append(1000 * (time.perf_counter() - start))
        pause = time.perf_counter() + 0.02
        spin(lambda pause=pause: time.perf_counter() > pause)
    window.document.end_preview()
    print(
        f"edit: one step of a drag, painted: median {median(times):.0f} ms (goal 60), worst {max(times):.0f} (goal 100)"
    )
