"""Proving a rig: how long the choice of a tap takes, and how much faster than time the whole show plays."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report


def bench_prove() -> None:
    """Lantern Quay: taps chosen and faults weighed; the show rendered for one listener, and a large rig for all."""
    from generated import big_show

    from kymaphon.core.analysis.analyse import figures_of
    from kymaphon.core.prove.diagnosis import diagnose
    from kymaphon.core.prove.model import tap_model
    from kymaphon.core.report.prove import read_by
    from kymaphon.files.demo import REPAIRED, demo_path
    from kymaphon.files.show_file import read_show
    from kymaphon.sim.playing import ShowPlayer

    report = figures_of(read_show(demo_path(REPAIRED)))
    start = time.perf_counter()
    model = tap_model(report)
    count = len(model.suspects)
    built = time.perf_counter()
    found = diagnose(model, {})
    before = time.perf_counter()
    ask = found.next_tap()
    chosen = time.perf_counter()
    assert ask is not None
    seen = read_by(model, (model.suspects[0].faults[0],), ask[0])
    weighed = time.perf_counter()
    diagnose(model, seen)
    done = time.perf_counter()
    print(
        f"prove: {len(model.faults)} faults in {count} groups, {1000 * (built - start):.0f} ms; next tap chosen in "
        f"{1000 * (chosen - before):.0f} ms (at most 50); weighed with pairs in {1000 * (done - weighed):.0f} ms"
    )
    for name, analysis, nodes in (
        ("Lantern Quay for one listener", report, report.graph.ears["podcast"]),
        ("64 voices and 24 listeners, all of them", figures_of(*big_show(64, 24)), None),
    ):
        ears = nodes or tuple(node for row in analysis.graph.ears.values() for node in row)
        start = time.perf_counter()
        ShowPlayer(analysis).at(ears, 20.0)
        took = time.perf_counter() - start
        print(f"sim: {name}: {20.0 / took:.1f} times as fast as time")
    _bench_faults()
    _bench_questions(report)


def _bench_faults() -> None:
    """Ten minutes of talk in stereo, measured and then listened to for what is wrong."""
    import tempfile
    from pathlib import Path

    import numpy as np

    from kymaphon.files.audio import faults_of, measure_take
    from kymaphon.files.takes import write_audio
    from kymaphon.sim.talker import talk

    rate = 48000
    voice = np.resize(talk(20.0, rate, level_dbfs=-20.0, seed=1), 600 * rate)
    sound = np.stack((voice, 0.5 * voice), axis=1) + np.random.default_rng(1).normal(0, 1e-4, (600 * rate, 2))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "ten.wav"
        write_audio(path, sound.astype(np.float32), rate, about="talk")
        start = time.perf_counter()
        measured = measure_take(path)
        taken = time.perf_counter()
        faults_of(path, measured)
        done = time.perf_counter()
    ratio = (done - taken) / (taken - start)
    print(f"faults: ten minutes in {done - taken:.1f} s, {ratio:.2f} times what measuring takes (at most 2)")


def _bench_questions(report: Report) -> None:
    """The next question with half of them answered."""
    from kymaphon.core.prove.questions import Standing, questions

    answers = {row.id: row.answers[0][0] for row in questions()[:5]}
    start = time.perf_counter()
    asked = Standing(answers, None, report).next_question
    print(f"questions: the next one in {1000 * (time.perf_counter() - start):.0f} ms")
    assert asked is not None
