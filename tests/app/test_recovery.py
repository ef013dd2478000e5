"""Nothing that was typed is lost: kept from the first edit on, found again whatever process numbers do, gone only when its successor is read back."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from kymaphon.app import recovery, state
from kymaphon.app.document import Document
from kymaphon.app.window import Window
from kymaphon.core.model.edits import SetField, SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import show_text, write_show

HOSTILE = {
    "empty": "",
    "cut short": '{"show": "{',
    "no object": "[1, 2]",
    "show is a number": '{"show": 5, "path": null, "saved_at": 1}',
    "path is a list": '{"show": "{}", "path": ["/"], "saved_at": 1}',
    "path has a nought": '{"show": "{}", "path": "a\\u0000b", "saved_at": 1}',
    "time is text": '{"show": "{}", "path": null, "saved_at": "now"}',
    "time is endless": '{"show": "{}", "path": null, "saved_at": 1e400}',
    "a long integer": '{"show": "{}", "path": null, "saved_at": ' + "9" * 6000 + "}",
    "deep": "[" * 60000,
    "half of a letter": '{"show": "\\ud800", "path": null, "saved_at": 1}',
}


def keep(show: Show) -> recovery.Autosave:
    keeper = recovery.Autosave()
    keeper.keep(show, None)
    return keeper


def leave(show: Show) -> Path:
    """As a killed program leaves it."""
    keeper = keep(show)
    assert keeper.file is not None
    assert keeper._lock is not None
    keeper._lock.let_go()
    return keeper.file


class TestKept:
    def test_who_edits_on_and_on_is_kept_all_the_same(self, demo: Show, qtbot: QtBot) -> None:
        """An edit every tenth of a second for two seconds: within 1.5 s of the first there is a file, though the edits go on."""
        document = Document(demo)
        folder = recovery.recovery_folder()
        begin, seen = time.monotonic(), None
        for n in range(40):
            document.apply((SetField("show", None, "title", f"Title {n}"),), "title")
            qtbot.wait(100)
            if any(folder.glob("*.json")):
                seen = time.monotonic() - begin
                break
        assert seen is not None
        assert seen < 3.0  # 1.5 s, and a slow machine
        document.close()

    def test_a_living_program_is_not_offered_and_a_gone_one_is(self, demo: Show) -> None:
        keeper = keep(demo)
        assert recovery.left_behind() == []
        assert keeper._lock is not None
        keeper._lock.let_go()
        assert [row.show for row in recovery.left_behind()] == [demo]

    def test_a_process_number_that_lives_again_hides_nothing(self, demo: Show) -> None:
        """After a restart, or in a container, some other program has the number of the one that was killed."""
        file = leave(demo)
        named = file.with_name(f"{os.getpid()}-1.json")
        file.rename(named)
        assert [row.file for row in recovery.left_behind()] == [named]

    def test_a_killed_process_lets_go(self, demo: Show) -> None:
        code = (
            "import sys, time\nfrom kymaphon.app.recovery import Autosave\nfrom kymaphon.core.model.show "
            "import Show\nAutosave_ = Autosave(); Autosave_.keep(Show(title='Kept'), None)\nprint('kept', flush=True)\ntime.sleep(60)\n"
        )
        other = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
        assert other.stdout is not None
        assert other.stdout.readline().strip() == "kept"
        assert recovery.left_behind() == []
        other.send_signal(signal.SIGKILL)
        other.wait(timeout=30)
        assert [row.show.title for row in recovery.left_behind()] == ["Kept"]

    def test_locks_that_guard_nothing_are_swept(self, demo: Show) -> None:
        leave(demo).unlink()
        assert list(recovery.recovery_folder().glob("*.lock"))
        recovery.look()
        assert not list(recovery.recovery_folder().glob("*.lock"))


class TestFullDisk:
    def test_bringing_it_back_leaves_the_only_copy(
        self, window: Window, demo: Show, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        file = leave(demo.with_(title="The only copy"))
        before = file.read_bytes()
        window.filing.offer_recovery()
        monkeypatch.setattr("kymaphon.app.recovery.write_whole", _no_room)
        window.filing.restore()
        assert window.document.show.title == "The only copy"
        assert file.read_bytes() == before

    def test_a_disk_that_takes_it_and_does_not_keep_it(
        self, window: Window, demo: Show, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        """The write says that all is well, and what reads back is something else: the old file stays."""
        file = leave(demo.with_(title="The only copy"))
        window.filing.offer_recovery()
        monkeypatch.setattr("kymaphon.app.recovery.write_whole", lambda path, data: Path(path).write_bytes(data[:100]))
        window.filing.restore()
        assert file.exists()

    def test_it_is_tried_again(self, demo: Show, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
        document = Document(demo)
        heard: list[str] = []
        document.trouble.connect(heard.append)
        with monkeypatch.context() as patch:
            patch.setattr("kymaphon.app.recovery.write_whole", _no_room)
            document.apply((SetField("show", None, "title", "Once"),), "title")
            assert not document.keep()
        assert "No space left" in heard[0]
        qtbot.waitUntil(lambda: bool(list(recovery.recovery_folder().glob("*.json"))), timeout=20000)
        document.close()


def _no_room(path: Path, _data: bytes) -> None:
    raise FileProblem(path, "cannot be written: No space left on device")


@pytest.mark.parametrize("name", HOSTILE)
def test_whatever_lies_in_the_state_folder_the_program_starts(name: str, window: Window, demo: Show) -> None:
    good = leave(demo)
    bad = recovery.recovery_folder() / "bad.json"
    bad.write_text(HOSTILE[name])
    (state.state_folder() / "settings.json").write_text(HOSTILE[name])
    window.filing.offer_recovery()
    assert [row.file for row in window.filing.left_behind] == [good]
    assert bad.read_text() == HOSTILE[name]
    assert isinstance(state.read_settings(), dict)
    state.write_setting("theme", "light")
    assert state.read_settings()["theme"] == "light"


def test_a_pipe_and_a_loop_of_links_in_the_recovery_folder_hold_nothing_up(demo: Show) -> None:
    folder = recovery.recovery_folder()
    os.mkfifo(folder / "pipe.json")
    (folder / "a.json").symlink_to(folder / "b.json")
    (folder / "b.json").symlink_to(folder / "a.json")
    (folder / "c.json").mkdir()
    found, problems = recovery.look()
    assert found == []
    assert len(problems) == 4


@pytest.mark.parametrize(
    "settings",
    [
        {"theme": ["light"]},
        {"text_scale": {"a": 1}},
        {"text_scale": 1e300},
        {"text_scale": True},
        {"recent": 5},
        {"recent": ["\0", {"a": 1}, "/no/such"]},
    ],
)
def test_settings_of_any_shape_start_the_window(settings: object, qtbot: QtBot) -> None:
    (state.state_folder() / "settings.json").write_text(json.dumps(settings))
    window = Window(Document())
    qtbot.addWidget(window)
    window.show()
    assert window.scale == 1.0
    assert state.recent_files() == []
    window.filing.fill_recent(window.menus.recent)
    window.document.close()


def test_a_home_that_cannot_be_written_opens_says_so_and_saves_elsewhere(
    demo: Show, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A file where the folder should be: nobody, not even root, can write there."""
    blocked = tmp_path / "state"
    blocked.write_text("a file")
    monkeypatch.setenv("KYMAPHON_STATE", str(blocked))
    window = Window(Document(demo))
    qtbot.addWidget(window)
    window.show()
    window.filing.offer_recovery()
    assert window.filing.recovery.isVisible()
    words = window.filing.recovery_row.itemAt(0).widget().text()  # type: ignore[union-attr]
    assert "Nothing can be kept" in words
    assert str(blocked) in words
    window.document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), 40.0),), "gain")
    assert not window.document.keep()
    window.swap_theme()
    assert window.filing._save(tmp_path / "elsewhere.json")
    assert (tmp_path / "elsewhere.json").read_text() == show_text(window.document.show)
    assert blocked.read_text() == "a file"
    window.document.close()


def test_the_error_dialog_survives_a_full_disk(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    from PySide6.QtWidgets import QMessageBox

    from kymaphon.app.start import unexpected

    shown: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: shown.append(box.informativeText()) or 0)
    monkeypatch.setattr("kymaphon.app.recovery.write_whole", _no_room)
    (state.state_folder() / "errors.log").mkdir()
    window.document.apply((SetField("show", None, "title", "Precious"),), "title")
    unexpected(window, RuntimeError, RuntimeError("no room"), None)
    assert "could not be kept" in shown[0]
    assert "could not be written" in shown[0]


EIGHT = """
import sys
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.files.kinds_file import put_on_shelf
kind = shipped_catalogue()["dynamic-close"]
put_on_shelf(kind.model_copy(update={"id": f"mine-{sys.argv[1]}", "name": sys.argv[1]}))
"""


def test_eight_imports_at_once_keep_all_eight(tmp_path: Path) -> None:
    environment = {**os.environ, "KYMAPHON_SHELF": str(tmp_path / "deep" / "shelf.json")}
    rows = [subprocess.Popen([sys.executable, "-c", EIGHT, str(n)], env=environment) for n in range(8)]
    assert [row.wait(timeout=120) for row in rows] == [0] * 8
    shelf = json.loads((tmp_path / "deep" / "shelf.json").read_text())
    assert sorted(row["id"] for row in shelf["kinds"]) == [f"mine-{n}" for n in range(8)]


def test_undo_ends_somewhere_and_what_is_older_still_counts_as_unsaved(
    demo: Show, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A day's work: the oldest steps go, the show does not, and the file on disk is never taken for what is open."""
    monkeypatch.setattr("kymaphon.app.document.UNDO_STEPS", 5)
    path = tmp_path / "show.json"
    write_show(path, demo)
    document = Document(autosave=False)
    document.open(path)
    ref = SettingRef("desk", "in1", "gain_db")
    for gain in range(20, 32):
        document.apply((SetValue(ref, float(gain)),), f"gain to {gain}")
    assert document.undo_stack.count() == 5
    while document.undo_stack.canUndo():
        document.undo_stack.undo()
    assert document.show.device("desk").settings["in1"].gain_db == 26
    assert document.unsaved
    assert document.show != demo
