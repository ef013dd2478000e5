"""Attacks on files and on the running program, bounded by numbers and seeds: the tests run a few of them, `make soak` many."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from kymaphon.app import recovery
from kymaphon.core.dynamics.preset import preset_text
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.processing import Gate
from kymaphon.core.model.show import Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.kinds_file import kinds_csv, kinds_json, read_kinds
from kymaphon.files.patch_file import read_patch
from kymaphon.files.preset_file import open_preset
from kymaphon.files.show_file import read_show, show_text, write_show

SMALL = Show.model_validate(
    {
        "kymaphon": 1,
        "title": "Small",
        "places": [{"id": "r", "name": "Room", "size_m": [4, 3]}],
        "parties": [
            {"id": "a", "name": "Ann", "kind": "guest", "place": "r", "at_m": [1, 1], "speaks": True},
            {"id": "t", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        "devices": [
            {"id": "m", "kind": "dynamic-close", "place": "r", "party": "a", "at_m": [1.1, 1]},
            {"id": "d", "kind": "desk-8", "settings": {"in1": {"gain_db": 50}}},
            {"id": "rec", "kind": "recorder"},
        ],
        "cables": [{"from": "m.out", "to": "d.in1", "length_m": 5}, {"from": "d.usb", "to": "rec.in"}],
    }
)
ODD = (0x00, 0x22, 0x5B, 0x7B, 0x2C, 0x0A, 0x39, 0x80, 0xFF)
"""Bytes that a reader may trip over: nought, quote, brackets, comma, line feed, a digit, and what is no UTF-8."""


def samples() -> dict[str, tuple[bytes, Callable[[Path], object]]]:
    """File name -> a good file of that sort, and what reads it."""
    kinds = [shipped_catalogue()["dynamic-close"]]
    return {
        "show.json": (show_text(SMALL).encode(), read_show),
        "kinds.json": (kinds_json(kinds).encode(), read_kinds),
        "kinds.csv": (kinds_csv(kinds)[0].encode(), read_kinds),
        "patch.csv": (
            b"from,to,label,length\nm.out,d.in2,A1,3\nd.send1,d.in5,B,2.5\n",
            lambda path: read_patch(path, SMALL, shipped_catalogue()),
        ),
        "preset.txt": (preset_text((Gate(),), name="x", at="here").encode(), open_preset),
    }


def mutations(data: bytes, seed: int, count: int) -> Iterator[bytes]:
    """Every byte turned into something else, taken out, or doubled; then `count` with several such at once."""
    for at in range(len(data)):
        odd = ODD[(at + seed) % len(ODD)]
        yield data[:at] + bytes([odd]) + data[at + 1 :]
        yield data[:at] + data[at + 1 :]
        yield data[: at + 1] + data[at:]
    draw = random.Random(seed)
    for _ in range(count):
        rows = bytearray(data)
        for _ in range(draw.randint(2, 6)):
            at = draw.randrange(len(rows)) if rows else 0
            what = draw.randrange(4)
            if what == 0 and rows:
                rows[at] = draw.choice(ODD)
            elif what == 1:
                del rows[at : at + draw.randint(1, 40)]
            elif what == 2:
                rows[at:at] = rows[at : at + draw.randint(1, 60)] * draw.randint(1, 3)
            else:
                rows[at:at] = draw.choice(
                    [b"9" * 400, b"[" * 200, b"\\ud800", b"1e999", b"null", b'""', b"\xf0\x9f\x98\x80"]
                )
        yield bytes(rows)


def attack_readers(folder: Path, seed: int, count: int) -> tuple[int, list[str]]:
    """Reads every mutation of every sample; how many, and what went wrong: anything but a value or one line with the file's name."""
    wrong: list[str] = []
    tried = 0
    for name, (data, read) in samples().items():
        path = folder / name
        for mutated in mutations(data, seed, count):
            path.write_bytes(mutated)
            tried += 1
            try:
                read(path)
            except FileProblem as problem:
                if "\n" in str(problem) or not str(problem).startswith(name) or len(str(problem)) > 2000:
                    wrong.append(f"{name}: {str(problem)[:200]!r}")
            except Exception as error:  # noqa: BLE001 - that is what is looked for
                wrong.append(f"{name}: {type(error).__name__}: {error} for {mutated[:300]!r}")
    return tried, wrong


EDITING = """
import sys, time
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
app = QApplication(["kymaphon"])
from kymaphon.app.document import Document
from kymaphon.app.window import Window
from kymaphon.files.show_file import read_show
window = Window(Document())
window.document.open(__import__("pathlib").Path(sys.argv[1]))
window.show()
state = {"up": True}
def turn():
    if window.document.busy and window.document.opening:
        return
    window.go("Level") if window.stage != "Level" else None
    value = window.document.show.device("d").settings["in1"].gain_db
    if value >= 58: state["up"] = False
    if value <= 22: state["up"] = True
    QTest.keyClick(window.level.picture, Qt.Key.Key_Up if state["up"] else Qt.Key.Key_Down)
    if len(sys.argv) > 2 and window.document.undo_stack.count() and window.document.undo_stack.index() % 5 == 0:
        QTest.keySequence(window, "Ctrl+S")
    print(time.time(), window.document.show.device("d").settings["in1"].gain_db, flush=True)
timer = QTimer(); timer.setInterval(70); timer.timeout.connect(turn); timer.start()
app.exec()
"""


def kill_while_editing(folder: Path, state: Path, after_s: float) -> list[str]:
    """Edits by keys in a window of its own, killed after a while. What is wrong: a show file that no longer reads, no recovery, or one
    that lacks what had been typed for longer than the time of keeping.
    """
    path = folder / "edited.json"
    write_show(path, SMALL)
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "KYMAPHON_STATE": str(state)}
    child = subprocess.Popen(
        [sys.executable, "-c", EDITING, str(path)],
        env=environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    assert child.stdout is not None
    first = child.stdout.readline()
    if not first:
        return [f"it never began: {child.communicate()[1][-400:]}"]
    time.sleep(after_s)
    child.send_signal(signal.SIGKILL)
    killed = time.time()
    typed = [line.split() for line in (first + child.communicate()[0]).splitlines() if len(line.split()) == 2]
    wrong: list[str] = []
    try:
        read_show(path)
    except FileProblem as problem:
        wrong.append(f"the show file: {problem}")
    held = os.environ.get("KYMAPHON_STATE")
    os.environ["KYMAPHON_STATE"] = str(state)
    try:
        found, problems = recovery.look()
    finally:
        if held is not None:
            os.environ["KYMAPHON_STATE"] = held
    wrong += [f"recovery: {row}" for row in problems]
    # A second and a half, and what the disk and a loaded machine take.
    old = [float(value) for at, value in typed if float(at) < killed - 3.0]
    if old and not found:
        wrong.append("nothing was kept")
    if old and found:
        gains = [row.show.device("d").settings["in1"].gain_db for row in found]
        later = [float(value) for at, value in typed if float(at) >= killed - 3.2]
        if not any(value in later or value == old[-1] for value in gains):
            wrong.append(f"kept {gains}, typed {old[-3:]} and then {later[:8]}")
    for row in found:
        row.file.unlink()
    return wrong


WRITING = """
import sys
from pathlib import Path
from kymaphon.files.show_file import write_show
from tests.attacks import SMALL
for n in range(int(sys.argv[2])):
    write_show(sys.argv[1], SMALL.with_(title=f"{sys.argv[3]} {n}", subtitle="x" * (n % 300)))
"""


def two_writers(folder: Path, times: int) -> list[str]:
    """Two programs that write one file on and on, and one that reads it: it is whole at every moment, and nothing is left beside it."""
    path = folder / "shared.json"
    write_show(path, SMALL)
    root = Path(__file__).parent.parent
    environment = {**os.environ, "PYTHONPATH": str(root)}
    rows = [
        subprocess.Popen([sys.executable, "-c", WRITING, str(path), str(times), name], env=environment)
        for name in ("one", "two")
    ]
    wrong: list[str] = []
    while any(row.poll() is None for row in rows):
        try:
            read_show(path)
        except FileProblem as problem:
            wrong.append(str(problem))
    wrong += [f"a writer ended with {row.returncode}" for row in rows if row.returncode]
    wrong += [f"left behind: {left.name}" for left in folder.glob(".*.part")]
    return wrong
