"""Takes the pictures in docs/screenshots from the demo, at 1280 by 800.

make screenshots; or some of them: python tools/make_screenshots.py welcome-dark
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtCore import QPoint, QTimer
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QApplication, QLineEdit

from kymaphon.app import theme
from kymaphon.app.document import Document
from kymaphon.app.stages.prove.faults import FaultsPage
from kymaphon.app.widgets.form import Form
from kymaphon.app.window import Window
from kymaphon.core.model.edits import Plug, SetField, SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.rundown import NoteKind
from kymaphon.core.model.show import Cable, Show
from kymaphon.core.prove.faults import audible_faults
from kymaphon.core.rundown.carry import moved_by
from kymaphon.files.demo import demo_path, evening, second_act
from kymaphon.files.show_file import read_show
from kymaphon.files.takes import write_audio
from kymaphon.sim.playing import ShowPlayer

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


def cast(window: Window) -> None:
    window.go("Cast")


def level(window: Window) -> None:
    window.go("Level")


def feeds(window: Window) -> None:
    window.go("Feeds")
    window.feeds.choose("ferry", "ferry")


def _level_view(window: Window, view: str) -> None:
    window.go("Level")
    window.level.choose_view(view)
    _wait(window)


def _wait(window: Window) -> None:
    """Until the worker of a view has answered."""
    page = window.level.page
    while window.document.busy or window.offering.busy or (page is not None and page._worker.busy):
        QApplication.processEvents()
        time.sleep(0.005)
    QApplication.processEvents()


def level_noise(window: Window) -> None:
    window.level.choose_voice("tam")
    _level_view(window, "noise")


def level_line_up(window: Window) -> None:
    _level_view(window, "solve")
    window.level.page.moves.chosen.emit(3, 0)


def _quiet(window: Window, view: str = "gate") -> None:
    window.go("Quiet")
    window.quiet.choose_voice("ilse")
    _heard(window)
    if view != "gate":
        window.quiet.choose_view(view)
    _heard(window)


def _heard(window: Window) -> None:
    """Until the takes are listened to."""
    for _ in range(4000):
        QApplication.processEvents()
        worker = getattr(window.quiet.page, "_worker", None)
        if (
            not (window.document.busy or window.offering.busy)
            and not window.quiet.model.busy
            and not (worker is not None and worker.busy)
        ):
            break
        time.sleep(0.005)
    QApplication.processEvents()


def quiet_gate(window: Window) -> None:
    _quiet(window)


def _planned(window: Window) -> None:
    """Waits for the plan, which a worker makes."""
    model = window.feeds.model
    app = QApplication.instance()
    assert app is not None
    while not model.fresh or model.busy:
        app.processEvents()
        time.sleep(0.01)


def feeds_plan(window: Window) -> None:
    window.go("Feeds")
    window.feeds.choose_view("plan")
    _planned(window)


def prove_tap(window: Window) -> None:
    """A send that stands off at the desk, found by its third tap."""
    window.go("Prove")
    bench = window.prove.bench
    wait_for(lambda: bench.model is None)
    assert bench.model is not None
    bench.hidden = tuple(row for row in bench.model.faults if row.id == "open-crosspoint:desk.in3>send1.on")
    for tap in ("trio", "jingles", "ilse"):
        bench.choose(tap)
        bench.read()
        wait_for(lambda: bench.busy)


def prove_faults(window: Window) -> None:
    """The podcast as the simulated rig plays it, with a telephone beside a lead."""
    report = window.document.analysis
    telephone = next(row for row in audible_faults(report) if row.id == "telephone-burst:desk.in1")
    rate = report.show.sample_rate_hz
    sound = ShowPlayer(report, sample_rate_hz=rate, faults=(telephone,)).arrived("podcast", 24.0)
    path = Path(tempfile.mkdtemp()) / "rehearsal.wav"
    write_audio(path, np.clip(sound, -1, 1).T.astype(np.float32), rate, about="Simulated: the podcast")
    window.go("Prove")
    window.prove.choose_view("faults")
    window.prove.ear.choose(path)
    wait_for(lambda: window.prove.ear.busy)
    page = window.prove.page
    assert isinstance(page, FaultsPage)
    row = next(n for n, fault in enumerate(page.faults) if fault.code == "telephone-burst")
    page.table.setCurrentIndex(page.table.words.index(row, 0))


def prove_ready(window: Window) -> None:
    window.swap_theme()
    window.go("Prove")
    wait_for(lambda: window.prove.bench.model is None or window.document.busy)
    window.prove.choose_view("ready")


def feeds_loops(window: Window) -> None:
    """The demo with one cable more: the software's monitor mix back into the desk, turned down a little."""
    fader = SetValue(SettingRef("desk", "usb-in", "fader_db"), -10.0)
    window.document.apply((Plug(Cable(source="mixer.mon", target="desk.usb-in")), fader), "Monitor into the desk")
    window.go("Feeds")
    window.feeds.choose_view("circles")


def rig(window: Window) -> None:
    window.go("Rig")


def _talk(window: Window, view: str) -> None:
    """A view of Talk on the demo's second act, an hour into its work."""
    now = datetime.now(UTC)
    window.document.replace(second_act(now), None)
    wait_for(lambda: window.document.busy)
    window.go("Talk")
    window.talk.bench.now = lambda: now  # type: ignore[method-assign]
    wait_for(lambda: window.document.busy or window.offering.busy)
    window.talk.choose_view(view)
    wait_for(lambda: window.talk.bench.busy)


def talk_circuits(window: Window) -> None:
    window.swap_theme()
    _talk(window, "circuits")


def talk_work(window: Window) -> None:
    """The list filled, the first task done and two under way."""
    _talk(window, "work")
    page = window.talk.page
    page.act("fill")
    wait_for(lambda: window.document.busy or window.talk.bench.busy)
    now = window.talk.bench.now()
    rows = [row.job for row in window.talk.bench.plan.schedule.rows[:3]]
    edits = [SetField("tasks", rows[0], "started_at", now - timedelta(minutes=16))]
    edits += [
        SetField("tasks", rows[0], "done_at", now - timedelta(minutes=1)),
        SetField("tasks", rows[0], "done", True),
    ]
    edits += [SetField("tasks", name, "started_at", now - timedelta(minutes=1)) for name in rows[1:]]
    window.document.apply(tuple(edits), "ticked")
    wait_for(lambda: window.document.busy or window.talk.bench.busy)


RUN_S = (22, 105, 215, 340)
"""So long each of the first segments is on before the picture is taken, in the interview."""


NOTED: dict[int, tuple[NoteKind, str]] = {95: ("clip", "Tam laughs"), 190: ("retake", "the name of the boat")}


def _evening(window: Window) -> None:
    """The evening run by keys as far as the interview, by a clock that goes fast; the picture is of now."""
    whole = timedelta(seconds=sum(RUN_S))
    at = [(datetime.now(UTC) - whole).replace(microsecond=0)]
    show = evening(at[0].astimezone())
    by = at[0] - (show.air_at or at[0])
    window.document.replace(moved_by(show, by), None)
    wait_for(lambda: window.document.busy)
    window.go("Air")
    bench = window.air.bench
    bench._timer.stop()
    bench.now = lambda: at[0]  # type: ignore[method-assign]
    window.air.act("meters sim")
    wait_for(lambda: bench.busy)
    for n, seconds in enumerate(RUN_S):
        bench.go()
        for second in range(seconds):
            at[0] += timedelta(seconds=1)
            bench.tick()
            if n == 3 and second in NOTED:
                bench.note(*NOTED[second])
    wait_for(lambda: window.document.busy)


def _settled() -> None:
    """The rows of a picture are painted a few a frame."""
    for _ in range(30):
        QApplication.processEvents()
        time.sleep(0.005)


def air_now(window: Window) -> None:
    _evening(window)
    _settled()


def air_rundown(window: Window) -> None:
    window.swap_theme()
    window.document.replace(evening(datetime.now(UTC).astimezone()), None)
    wait_for(lambda: window.document.busy)
    window.go("Air")
    window.air.choose_view("rundown")
    window.air.page._go_to("ferry")
    wait_for(lambda: window.air.page._worker.busy)
    _settled()


def book_log(window: Window) -> None:
    _evening(window)
    window.go("Book")
    page = window.book.page
    place = next(n for n, row in enumerate(page.table.words.rows) if "Tam laughs" in row.text)
    page.table.setCurrentIndex(page.table.words.index(place, 0))
    wait_for(lambda: page._worker.busy)
    _settled()


def welcome(window: Window) -> None:
    """A podcast of Lantern Quay's own people, half its things there and half proposed."""
    window.document.replace(Show(), None)
    wait_for(lambda: bool(window.document.opening))
    page = window.welcome
    for question, rows in (
        ("heard", ("room 4x3", "Mira", "Tam", "Ferry by call", "jingles")),
        ("hears", ("stream", "recording each on a track", "headphones")),
        ("have", ("two-input interface", "laptop", "2 headphones")),
    ):
        card = page.cards[question]  # type: ignore[index]
        for row in rows:
            card.line.setText(row)
            card.line.returnPressed.emit()
    wait_for(lambda: page.composed is None)
    page.cards["have"].line.setFocus()
    page.cards["have"].line.setText("dynamic close")
    window.resize(1280, 800)


def form(window: Window) -> None:
    """The form of a place over the plan that it belongs to, the effect of its values beside them."""
    window.swap_theme()
    window.go("Cast")
    QApplication.processEvents()

    def fill() -> None:
        sheet = QApplication.activeModalWidget()
        assert isinstance(sheet, Form)
        for name, text in (("name", "Boathouse loft"), ("size_m", "6, 4.5")):
            line = sheet.findChild(QLineEdit, f"field {name}")
            assert line is not None
            line.setText(text)
        QApplication.processEvents()
        window.pictured = _over(window.grab(), sheet.grab())  # type: ignore[attr-defined]
        sheet.reject()

    QTimer.singleShot(0, fill)
    window.cast.wanted("place")


def _over(ground: QPixmap, sheet: QPixmap) -> QPixmap:
    """One picture of a window with its dialog in the middle."""
    painter = QPainter(ground)
    at = QPoint((ground.width() - sheet.width()) // 2, (ground.height() - sheet.height()) // 2)
    painter.drawPixmap(at, sheet)
    painter.end()
    return ground


VIEWS: dict[str, Callable[[Window], None]] = {
    "welcome-dark": welcome,
    "cast-form-light": form,
    "cast-dark": cast,
    "rig-dark": rig,
    "talk-circuits-light": talk_circuits,
    "talk-work-dark": talk_work,
    "level-dark": level,
    "level-noise-dark": level_noise,
    "level-line-up-dark": level_line_up,
    "quiet-gate-dark": quiet_gate,
    "feeds-dark": feeds,
    "feeds-plan-dark": feeds_plan,
    "feeds-loops-dark": feeds_loops,
    "prove-tap-dark": prove_tap,
    "prove-faults-dark": prove_faults,
    "prove-ready-light": prove_ready,
    "air-now-dark": air_now,
    "air-rundown-light": air_rundown,
    "book-log-dark": book_log,
}


def wait_for(busy: Callable[[], bool]) -> None:
    while busy():
        QApplication.processEvents()
        time.sleep(0.005)


def main() -> int:
    """Writes every picture; exit 1 when one could not be written."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    theme.load_fonts()
    FOLDER.mkdir(parents=True, exist_ok=True)
    show = read_show(demo_path())
    wanted = set(sys.argv[1:]) or set(VIEWS)
    for name, arrange in VIEWS.items():
        if name not in wanted:
            continue
        with tempfile.TemporaryDirectory() as folder:
            os.environ["KYMAPHON_STATE"] = folder
            air = datetime.now(UTC) + timedelta(minutes=18, seconds=40)
            window = Window(Document(show.with_(air_at=air), autosave=False))
            window.resize(1280, 800)
            window.show()
            arrange(window)
            app.processEvents()
            while window.document.busy or window.offering.busy:
                app.processEvents()
                time.sleep(0.005)
            app.processEvents()
            picture = getattr(window, "pictured", None) or window.grab()
            if not picture.save(str(FOLDER / f"{name}.png")):
                print(f"{name}.png could not be written", file=sys.stderr)
                return 1
            window.document.close()
            window.deleteLater()
            app.processEvents()
    return 0


if __name__ == "__main__":
    sys.exit(main())
