"""Files, recordings and recovery in the real window: nothing that was typed or measured is lost."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QLabel, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from kymaphon.app import recovery, state
from kymaphon.app.document import Document
from kymaphon.app.takes import TakeDialog
from kymaphon.app.window import Window
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.files.audio import fingerprint
from kymaphon.files.demo import FAULTY, demo_path
from kymaphon.files.show_file import read_show, write_show
from kymaphon.files.take_places import missing
from kymaphon.files.takes import write_audio


class TestFiles:
    def answer(self, monkeypatch: pytest.MonkeyPatch, reply: QMessageBox.StandardButton) -> list[str]:
        seen: list[str] = []

        def run(box: QMessageBox) -> int:
            seen.append(f"{box.text()} {box.informativeText()}")
            return reply.value if hasattr(reply, "value") else reply

        monkeypatch.setattr(QMessageBox, "exec", run)
        return seen

    def test_save_open_recent(self, window: Window, tmp_path: Path, qtbot: QtBot) -> None:
        path = tmp_path / "mine.json"
        qtbot.keyClick(window.level.picture, Qt.Key.Key_Up)
        assert window.document.unsaved
        assert window.filing._save(path)
        assert not window.document.unsaved
        assert read_show(path) == window.document.show
        assert state.recent_files() == [str(path)]
        window.filing.fill_recent(window.menus.recent)
        assert window.menus.recent.actions()[0].text() == "mine.json"

    @pytest.mark.parametrize(
        "text", ["", "{", '{"kymaphon": 9}', '{"kymaphon": 1, "cables": [{"from": "a.b", "to": "c.d"}]}']
    )
    def test_a_bad_file_leaves_the_open_show_alone(
        self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, text: str
    ) -> None:
        seen = self.answer(monkeypatch, QMessageBox.StandardButton.Close)
        path = tmp_path / "bad.json"
        path.write_text(text)
        before = window.document.show
        window.take_file(path)
        assert window.document.show is before
        assert len(seen) == 1
        assert "bad.json" in seen[0]

    def test_a_failed_save_keeps_everything(
        self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        seen = self.answer(monkeypatch, QMessageBox.StandardButton.Close)
        qtbot.keyClick(window.level.picture, Qt.Key.Key_Up)
        assert not window.filing._save(tmp_path / "no" / "x.json")
        assert window.document.unsaved
        assert "nothing is lost" in seen[0]

    def test_leaving_asks_only_when_something_is_unsaved(
        self, window: Window, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        seen = self.answer(monkeypatch, QMessageBox.StandardButton.Cancel)
        assert window.filing.may_leave()
        assert not seen
        qtbot.keyClick(window.level.picture, Qt.Key.Key_Up)
        assert not window.filing.may_leave()
        window.filing.new()
        assert window.document.show.title == "Lantern Quay"

    def test_sheet_from_the_window(self, window: Window, tmp_path: Path) -> None:
        window.filing.write_sheet(tmp_path / "s.pdf")
        assert (tmp_path / "s.pdf").read_bytes().startswith(b"%PDF")

    def test_a_recording_dropped_is_measured_and_attached(
        self, window: Window, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        monkeypatch.setattr(TakeDialog, "exec", lambda _self: 1)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(demo_path("room-tone.flac")))])
        drop = QDropEvent(
            QPointF(5, 5),
            Qt.DropAction.CopyAction,
            mime,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        window.dropEvent(drop)
        before = window.document.show.takes
        qtbot.waitUntil(lambda: len(window.document.show.takes) > len(before), timeout=30000)
        take = window.document.show.takes[-1]
        assert take.voice == "mira"
        assert take.noise_dbfs == pytest.approx(-63, abs=1)
        assert "measured" in next(p.name for p in window.level.ladder.rungs[1].noise_parts)
        window.takes.fill_detach(window.menus.detach)
        window.menus.detach.actions()[-1].trigger()
        assert window.document.show.takes == before

    def test_a_broken_recording_says_so(
        self, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
    ) -> None:
        seen = self.answer(monkeypatch, QMessageBox.StandardButton.Close)
        path = tmp_path / "broken.wav"
        path.write_bytes(b"RIFFxxxx")
        window.take_file(path)
        qtbot.waitUntil(lambda: bool(seen), timeout=30000)
        assert "broken.wav" in seen[0]

    def test_a_take_without_a_floor_is_shown_and_not_offered(
        self, window: Window, tmp_path: Path, qtbot: QtBot
    ) -> None:
        from kymaphon.files.audio import measure_take

        path = tmp_path / "short.wav"
        soundfile.write(path, np.full(4800, 0.1), 48000)
        dialog = TakeDialog(path, measure_take(path), window.document.analysis, "mira", window)
        qtbot.addWidget(dialog)
        words = " ".join(row.text() for row in dialog.findChildren(QLabel))
        assert "Shorter than half a second" in words
        assert not [row for row in dialog.findChildren(QPushButton) if row.text() == "Attach"]


class TestRecovery:
    def kill(self, show: Show, path: Path | None) -> None:
        """What a killed program leaves: a recovery file, and a lock that nobody holds any more."""
        keeper = recovery.Autosave()
        keeper.keep(show, path)
        assert keeper._lock is not None
        keeper._lock.let_go()

    def test_edits_are_kept_while_working_and_dropped_on_save(
        self, window: Window, tmp_path: Path, qtbot: QtBot
    ) -> None:
        folder = state.state_folder() / "recovery"
        qtbot.keyClick(window.level.picture, Qt.Key.Key_Up)
        qtbot.waitUntil(lambda: any(folder.glob("*.json")), timeout=20000)
        kept = json.loads(next(folder.glob("*.json")).read_text())
        desk = next(row for row in json.loads(kept["show"])["devices"] if row["id"] == "desk")
        assert desk["settings"]["in1"]["gain_db"] == 43
        window.filing._save(tmp_path / "x.json")
        assert not list(folder.glob("*.json"))

    def test_an_unsaved_show_comes_back_after_a_kill(self, window: Window, demo: Show) -> None:
        self.kill(demo.with_(title="Was not saved"), Path("gone.json"))
        window.filing.offer_recovery()
        assert window.filing.recovery.isVisible()
        window.filing.restore()
        assert window.document.show.title == "Was not saved"
        assert window.document.unsaved
        assert not window.filing.recovery.isVisible()
        assert len(list((state.state_folder() / "recovery").glob("*.json"))) == 1, "kept again under this process"

    def test_letting_go_asks_no_more_and_destroys_nothing(self, window: Window, demo: Show) -> None:
        self.kill(demo, None)
        window.filing.offer_recovery()
        window.filing.let_go()
        assert not window.filing.recovery.isVisible()
        assert len(list((state.state_folder() / "recovery").glob("*.json.old"))) == 1

    def test_a_damaged_recovery_file_is_told_and_stays(self, window: Window) -> None:
        file = recovery.recovery_folder() / "x.json"
        file.write_text("{")
        window.filing.offer_recovery()
        assert window.filing.recovery.isVisible()
        assert window.filing.left_behind == []
        assert file.read_text() == "{"

    def test_damaged_settings_are_set_aside(self) -> None:
        (state.state_folder() / "settings.json").write_text("{")
        assert state.read_settings() == {}
        assert (state.state_folder() / "settings.json.bad").exists()


class TestDocument:
    def test_an_edit_that_does_not_fit_changes_nothing(self, demo: Show) -> None:
        from kymaphon.core.model.edits import SetValue
        from kymaphon.core.model.references import ShowProblem

        document = Document(demo, autosave=False)
        with pytest.raises(ShowProblem):
            document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), 90.0),), "too much")
        assert document.show is demo
        assert document.undo_stack.count() == 0

    def test_nothing_changed_is_no_step(self, demo: Show) -> None:
        from kymaphon.core.model.edits import SetValue

        document = Document(demo, autosave=False)
        document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), 42.0),), "same")
        assert document.undo_stack.count() == 0

    def test_a_slow_show_is_computed_in_a_worker_and_the_newest_wins(self, demo: Show, qtbot: QtBot) -> None:
        from kymaphon.core.model.edits import SetValue

        document = Document(demo, autosave=False)
        document.at_once = False
        for value in (40.0, 41.0, 42.0):
            document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), value),), f"{value}")
        qtbot.waitUntil(lambda: document.analysis.show.device("desk").settings["in1"].gain_db == 42, timeout=30000)

    def test_saving_without_a_name(self) -> None:
        with pytest.raises(ValueError, match="file name"):
            Document(autosave=False).save()

    def test_opening_from_disk(self, demo: Show, tmp_path: Path) -> None:
        write_show(tmp_path / "a.json", demo)
        document = Document(autosave=False)
        document.open(tmp_path / "a.json")
        assert document.show == demo
        assert document.path == tmp_path / "a.json"
        assert not document.unsaved


def test_the_demo_is_not_written_to() -> None:
    """Opening it gives a show without a file, so that saving asks for a name."""
    document = Document(read_show(demo_path(FAULTY)), autosave=False)
    assert document.path is None


class TestSavedElsewhere:
    """Two programs at one file: whoever saves second is asked, with what differs."""

    def answer(self, monkeypatch: pytest.MonkeyPatch, words: str) -> list[str]:
        told: list[str] = []

        def press(box: QMessageBox) -> int:
            told.append(f"{box.text()}\n{box.informativeText()}")
            pressed = next(row for row in box.buttons() if row.text().replace("&", "").startswith(words))
            monkeypatch.setattr(box, "clickedButton", lambda: pressed, raising=False)
            return 0

        monkeypatch.setattr(QMessageBox, "exec", press)
        return told

    @pytest.fixture
    def opened(self, window: Window, demo: Show, tmp_path: Path) -> Path:
        path = tmp_path / "show.json"
        write_show(path, demo)
        window.document.open(path)
        return path

    def test_nobody_is_asked_where_nobody_wrote(
        self, window: Window, opened: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        told = self.answer(monkeypatch, "Cancel")
        for gain in (40.0, 41.0):
            window.document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), gain),), "gain")
            assert window.filing.save()
        assert told == []

    @pytest.mark.parametrize(("button", "kept"), [("Cancel", 30.0), ("Save over it", 40.0)])
    def test_asked_with_what_differs(
        self,
        window: Window,
        opened: Path,
        demo: Show,
        monkeypatch: pytest.MonkeyPatch,
        button: str,
        kept: float,
    ) -> None:
        write_show(opened, SetValue(SettingRef("desk", "in1", "gain_db"), 30.0).apply(demo))
        window.document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), 40.0),), "gain")
        told = self.answer(monkeypatch, button)
        assert window.filing.save() is (button != "Cancel")
        assert "+30.0 dB there, +40.0 dB here" in told[0]
        assert read_show(opened).device("desk").settings["in1"].gain_db == kept
        assert window.document.unsaved is (button == "Cancel")

    def test_a_file_that_is_no_show_any_more(
        self, window: Window, opened: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        opened.write_text("{")
        window.document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), 40.0),), "gain")
        told = self.answer(monkeypatch, "Cancel")
        assert not window.filing.save()
        assert "can no longer be read" in told[0]
        assert opened.read_text() == "{"

    def test_brought_back_after_a_kill_it_still_asks(
        self, window: Window, opened: Path, demo: Show, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        window.document.apply((SetValue(SettingRef("desk", "in1", "gain_db"), 40.0),), "gain")
        assert window.document.keep()
        keeper = window.document._autosave
        assert keeper is not None
        assert keeper._lock is not None
        assert keeper.file is not None
        left = keeper.file.with_name("left.json")
        left.write_bytes(keeper.file.read_bytes())
        window.document.undo_stack.undo()
        write_show(opened, demo.with_(title="Theirs"))
        window.filing.offer_recovery()
        window.filing.restore()
        told = self.answer(monkeypatch, "Cancel")
        assert not window.filing.save()
        assert "Theirs there" in told[0]

    def test_a_recording_is_not_saved_over(self, window: Window, tmp_path: Path) -> None:
        sound = tmp_path / "take.wav"
        write_audio(sound, np.zeros(4800), 48000)
        before, problems = sound.read_bytes(), []
        window.filing.problem = lambda title, text: problems.append(text)
        assert not window.filing._save(sound)
        assert "recording" in problems[0]
        assert sound.read_bytes() == before


class TestMissingTakes:
    @pytest.fixture
    def moved(self, window: Window, demo: Show, tmp_path: Path) -> Path:
        """A show whose recordings lie elsewhere than it says: one beside it, one two folders away, one nowhere."""
        away = tmp_path / "disk" / "old"
        away.mkdir(parents=True)
        rows = []
        for n, folder in enumerate((tmp_path, away, None)):
            take = demo.takes[0].model_copy(update={"id": f"t{n}", "file": f"takes/mine{n}.wav", "sha256": None})
            if folder is not None:
                write_audio(folder / f"mine{n}.wav", np.zeros(4800), 48000)
                take = take.model_copy(update={"sha256": fingerprint(folder / f"mine{n}.wav")})
            rows.append(take)
        # One of the same name and other content is not it.
        (tmp_path / "disk" / "a").mkdir()
        write_audio(tmp_path / "disk" / "a" / "mine1.wav", np.ones(4800) * 0.1, 48000)
        path = tmp_path / "show.json"
        write_show(path, demo.with_(takes=rows))
        window.document.open(path)
        return path

    def words(self, window: Window) -> str:
        return " ".join(row.text() for row in window.filing.recovery.findChildren(QLabel))

    def test_they_are_told_at_opening_and_found(self, window: Window, moved: Path) -> None:
        assert window.filing.recovery.isVisible()
        assert "mine1.wav, mine2.wav" in self.words(window)
        assert "mine0.wav" not in self.words(window), "beside the show it is found"
        window.filing.find(moved.parent / "disk")
        files = {take.id: take.file for take in window.document.show.takes}
        assert files["t1"] == "disk/old/mine1.wav"
        assert files["t2"] == "takes/mine2.wav"
        assert "Found 1 of 2" in window.status.text()
        window.document.undo_stack.undo()
        assert {take.id: take.file for take in window.document.show.takes}["t1"] == "takes/mine1.wav"

    def test_saved_elsewhere_they_are_still_found(self, window: Window, moved: Path, tmp_path: Path) -> None:
        window.filing.find(moved.parent / "disk")
        other = tmp_path / "other"
        other.mkdir()
        assert window.filing._save(other / "show.json")
        assert [take.id for take in missing(window.document.show, other)] == ["t2"]

    def test_detach_says_what_they_are(self, window: Window) -> None:
        window.takes.fill_detach(window.menus.detach)
        words = [row.text() for row in window.menus.detach.actions()]
        assert words
        assert all(", " in row and not row.startswith("room-tone-") for row in words), words
        window.menus.detach.actions()[0].trigger()
        assert "off the show" in window.status.text()
        window.undo()
        assert window.status.text().startswith("Taken back: Detach")
        window.redo()
        assert window.status.text().startswith("Done again: Detach")
