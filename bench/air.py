"""Air and Book measured: repaints with many meters, long logs and rundowns, and notes under kills at random."""

from __future__ import annotations

import os
import random
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from statistics import median

AT = datetime(2026, 8, 14, 18, 0, tzinfo=UTC)


def bench_air() -> None:
    """Everything of it; a loop of arithmetic of the same run is the yardstick."""
    yard = _median(lambda: sum(i * i for i in range(1_000_000)))
    print(f"yardstick: a million squares summed in {yard * 1000:.0f} ms")
    # First what forks: Qt's threads must not be there yet.
    kills(200)
    frames(yard)
    long_shows(yard)


def _median(run: Callable[[], object], times: int = 5) -> float:
    rows = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        rows.append(time.perf_counter() - start)
    return median(rows)


def kills(times: int) -> None:
    """Children that note as fast as they can, each killed at some moment; what they said was kept has to be there."""
    from kymaphon.app import recovery
    from kymaphon.app.document import Document
    from kymaphon.core.air import run
    from kymaphon.files.demo import EVENING, demo_path
    from kymaphon.files.show_file import read_show

    show = read_show(demo_path(EVENING))
    draw, lost, noted, begun = random.Random(7), 0, 0, 0
    with tempfile.TemporaryDirectory() as folder:
        for n in range(times):
            os.environ["KYMAPHON_STATE"] = f"{folder}/{n}"
            out, into = os.pipe()
            child = os.fork()
            if child == 0:
                os.close(out)
                _note_on(Document, run, show, into)
            os.close(into)
            time.sleep(0.35 + draw.random() * 0.5)
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
            with os.fdopen(out, "rb") as pipe:
                said = [int(row) for row in pipe.read().split(b"\n")[:-1]]
            found, problems = recovery.look()
            kept = {row.text for one in found for row in one.show.log}
            missing = [row for row in said if f"Note {row}" not in kept]
            lost += len(missing) + len(problems)
            noted += len(said)
            begun += bool(said)
    print(
        f"kills: {times} programs killed while noting, {begun} of them in it; {noted} notes said to be kept, {lost} of them lost (0)"
    )


def _note_on(document_type: type, run: object, show: object, into: int) -> None:
    """In the child: notes, and says of each on the pipe that it is kept. Never returns."""
    from PySide6.QtCore import QCoreApplication

    app = QCoreApplication([])
    document = document_type(show)
    document._compute = lambda _show: None  # what is computed of it is no part of keeping it
    for n in range(100_000):
        entry = run.note(document.show, run.RunState(), "text", f"Note {n}", AT + timedelta(seconds=n))  # type: ignore[attr-defined]
        if document.log(entry):
            os.write(into, f"{n}\n".encode())
        if n % 40 == 39:
            document.keep()
    del app
    os._exit(0)


def frames(yard: float) -> None:
    """One repaint of the meters, and one of the whole picture, with 24 voices."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from kymaphon.app import theme
    from kymaphon.app.widgets.air_strips import AirStrips, Strip

    app = QApplication.instance() or QApplication([])
    theme.load_fonts()
    strips = AirStrips(theme.DARK)
    rows = tuple(
        Strip(
            f"v{n}",
            f"Voice {n}",
            n,
            "open",
            tuple((600.0 - 4 * k, 3 * ((k * 7 + n) % 5 - 2)) for k in range(150)),
            "+1.2 dB",
            "on the line-up",
            "settled",
        )
        for n in range(24)
    )
    strips.resize(800, 640)
    strips.show_rows(rows, metered=True)
    strips.show()
    app.processEvents()
    draw = random.Random(1)
    times = []
    for turn in range(400):
        if turn % 10 == 0:
            # Each second every row is another one: its trace has moved on.
            rows = tuple(replace(row, trace=tuple((t + 1, off) for t, off in row.trace)) for row in rows)
            strips.show_rows(rows, metered=True)
        strips.show_needles([draw.uniform(-20, 6) for _ in rows])
        start = time.perf_counter()
        strips.repaint()
        times.append(time.perf_counter() - start)
    whole = _median(lambda: (strips.select("v1"), strips.repaint()), 20)
    times.sort()
    print(
        f"Air: a frame with 24 meters {median(times) * 1000:.1f} ms, the longest but ten {times[-10] * 1000:.1f} ms (8), "
        f"{median(times) / yard:.2f} yardsticks; all of the picture anew {whole * 1000:.1f} ms"
    )
    del app


def long_shows(yard: float) -> None:
    """Ten thousand rows of log and 500 segments: opened, timed, searched."""
    from kymaphon.core.air.run import run_of
    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.core.book.entries import LogIndex, Wanted, names_of
    from kymaphon.core.model.rundown import Segment
    from kymaphon.core.model.show import LogEntry
    from kymaphon.core.rundown.catch_up import catch_up
    from kymaphon.core.rundown.timing import timeline
    from kymaphon.files.demo import EVENING, demo_path
    from kymaphon.files.show_file import read_show, write_show

    show = read_show(demo_path(EVENING))
    rows = tuple(
        Segment(id=f"s{n}", name=f"Segment {n}", length_s=60, shortest_s=50, open=("mira",) if n % 3 else ("trio",))
        for n in range(500)
    )
    rows = (*rows[:-1], rows[-1].with_(ends_by=(show.air_at or AT) + timedelta(seconds=500 * 60 - 90)))
    log = tuple(
        LogEntry(at=AT + timedelta(seconds=n), text=f"Row {n} of what happened at the desk", subject="tam")
        for n in range(10_000)
    )
    large = show.model_copy(update={"rundown": rows, "log": log})
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "large.json")
        write_show(path, large)
        read = _median(lambda: read_show(path), 3)
    started = time.perf_counter()
    report = analyse(large)
    first = time.perf_counter() - started
    index = LogIndex(names_of(large))
    fill = _median(lambda: LogIndex(names_of(large)).follow(log), 3)
    index.follow(log)
    find = _median(lambda: index.find(Wanted(words="row 77 desk")))
    line = _median(lambda: timeline(report.show))
    state = _median(lambda: run_of(log))
    cut = _median(lambda: catch_up(timeline(report.show)))
    print(
        f"Book: 10,000 rows and 500 segments read in {read:.2f} s, analysed in {first:.2f} s, indexed in {fill * 1000:.0f} ms (open 1 s); "
        f"words found in {find * 1000:.0f} ms (50), {find / yard:.2f} yardsticks"
    )
    print(
        f"rundown: 500 segments timed in {line * 1000:.1f} ms, what to cut in {cut * 1000:.0f} ms, "
        f"the state from 10,000 rows in {state * 1000:.1f} ms"
    )


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parent))
    bench_air()
