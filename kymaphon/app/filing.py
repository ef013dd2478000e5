"""New, open, save, sheets, recent files, recovery: everything that the window does with files. The show
that is open is never lost to a file that fails.

Dialogs and sheets are imported where they are used, so that the window opens without them.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from kymaphon.app import recovery, state
from kymaphon.app.document import Document
from kymaphon.app.widgets.why import empty, label
from kymaphon.core.model.changes import changes
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.references import ShowProblem
from kymaphon.core.model.show import Show, Take
from kymaphon.core.words import counted
from kymaphon.files.demo import FAULTY, REPAIRED, demo_path, evening, second_act
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard, is_show
from kymaphon.files.show_file import read_show
from kymaphon.files.take_places import find, missing

if TYPE_CHECKING:
    from PySide6.QtWidgets import QMessageBox

Say = Callable[[str], None]
Problem = Callable[[str, str], None]
SHOW_FILTER = "Shows (*.json);;All files (*)"
MOST_TOLD = 12
SHEET_FILTER = "PDF (*.pdf);;Page (*.html);;List (*.csv);;Data (*.json)"


class Filing:
    """The file commands of one window.

    Args:
        say: one line for the status line.
        problem: a dialog, with title and text.
    """

    def __init__(self, window: QWidget, document: Document, say: Say, problem: Problem) -> None:
        self.window, self.document, self.say, self.problem = window, document, say, problem
        self.left_behind: list[recovery.Recovered] = []
        self.use_bar(QWidget())

    def use_bar(self, recovery: QWidget) -> None:
        """The strip under the show bar in which unsaved shows are offered."""
        self.recovery = recovery
        self.recovery_row = QHBoxLayout(recovery)
        self.recovery_row.setContentsMargins(20, 6, 20, 6)
        recovery.setVisible(False)

    def _box(self, title: str, text: str) -> QMessageBox:
        """A box whose words are shown as they are."""
        from PySide6.QtWidgets import QMessageBox

        box = QMessageBox(QMessageBox.Icon.NoIcon, title, text, parent=self.window)
        box.setTextFormat(Qt.TextFormat.PlainText)
        return box

    def may_leave(self) -> bool:
        """Asks about unsaved changes; True when the show may be left."""
        if not self.document.unsaved:
            return True
        from PySide6.QtWidgets import QMessageBox

        buttons = QMessageBox.StandardButton
        box = self._box("Not saved", f"{self.document.show.title} has changes that are not saved.")
        box.setStandardButtons(buttons.Save | buttons.Discard | buttons.Cancel)
        box.setDefaultButton(buttons.Save)
        answer = box.exec()
        if answer == buttons.Save:
            return self.save()
        return bool(answer == buttons.Discard)

    def new(self) -> None:
        """An empty show."""
        if self.may_leave():
            self.document.replace(Show(), None)

    def ask_open(self) -> None:
        """Asks for a show file and opens it."""
        from PySide6.QtWidgets import QFileDialog

        name, _ = QFileDialog.getOpenFileName(self.window, "Open a show", str(self.folder()), SHOW_FILTER)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Opens a show file; when it cannot be used, says why and leaves the open show alone."""
        if not self.may_leave():
            return
        try:
            self.document.open(path)
        except FileProblem as problem:
            self.problem("This show was not opened", str(problem))

    def open_demo(self) -> None:
        """The demo with its faults in."""
        self._open_shipped(FAULTY)

    def open_repaired(self) -> None:
        """The demo with its faults mended."""
        self._open_shipped(REPAIRED)

    def open_evening(self) -> None:
        """The demo's evening with its rundown, its time moved to now."""
        if self.may_leave():
            self.document.replace(evening(datetime.now(UTC).astimezone()), None)

    def open_second_act(self) -> None:
        """The demo's outside broadcast, its day moved to now."""
        if self.may_leave():
            self.document.replace(second_act(datetime.now(UTC).astimezone()), None)

    def _open_shipped(self, name: str) -> None:
        if self.may_leave():
            self.document.replace(read_show(demo_path(name)), None)

    def save(self) -> bool:
        """Saves; asks for a name when there is none yet. False when it was not saved."""
        if self.document.path is None:
            return self.save_as()
        return self._save(self.document.path)

    def save_as(self) -> bool:
        """Asks for a name and saves. False when it was not saved."""
        start = self.folder() / f"{self.document.show.title.lower().replace(' ', '-').replace('/', '-')}.json"
        from PySide6.QtWidgets import QFileDialog

        name, _ = QFileDialog.getSaveFileName(self.window, "Save the show", str(start), SHOW_FILTER)
        if not name:
            return False
        path = Path(name)
        return self._save(path if path.suffix else path.with_suffix(".json"))

    def _save(self, path: Path) -> bool:
        mine = self.document.path is not None and path == self.document.path
        if mine and self.document.changed_on_disk:
            return self._save_over(path)
        try:
            if not mine:
                # That another show is there the dialog has asked about.
                guard(path, "show", read=[path] if is_show(path) else ())
            self.document.save(path)
        except FileProblem as problem:
            self.problem("The show was not saved", f"{problem}. It is still open and nothing is lost.")
            return False
        self.say(f"Saved: {path.name}")
        return True

    def _save_over(self, path: Path) -> bool:
        """The file was written by another program or window meanwhile: asks, with what differs."""
        from PySide6.QtWidgets import QMessageBox

        try:
            rows = changes(self.document.show, read_show(path), self.document.analysis.catalogue)
            told = "\n".join(rows[:MOST_TOLD]) or "What it says is the same; only its form differs."
            told += f"\nAnd {len(rows) - MOST_TOLD} more." if len(rows) > MOST_TOLD else ""
        except FileProblem as problem:
            told = f"It can no longer be read as a show: {problem}"
        box = self._box(
            "Saved elsewhere meanwhile",
            f"{path.name} was written by another program or window since it was opened here.",
        )
        box.setInformativeText(told)
        over = box.addButton("Save over it", QMessageBox.ButtonRole.DestructiveRole)
        aside = box.addButton("Save under another name\u2026", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        for button in box.buttons():
            button.setIcon(QIcon())
        box.setDefaultButton(aside)
        box.exec()
        if box.clickedButton() is aside:
            return self.save_as()
        if box.clickedButton() is not over:
            return False
        try:
            self.document.save(path)
        except FileProblem as problem:
            self.problem("The show was not saved", f"{problem}. It is still open and nothing is lost.")
            return False
        self.say(f"Saved: {path.name}")
        return True

    def folder(self) -> Path:
        """Where file dialogs start."""
        return self.document.path.parent if self.document.path else Path.home()

    def fill_recent(self, menu: QMenu) -> None:
        """The recent files, newest first."""
        menu.clear()
        for name in state.recent_files():
            row = menu.addAction(Path(name).name)
            row.setStatusTip(name)
            row.triggered.connect(lambda _checked=False, name=name: self.open(Path(name)))
        if menu.isEmpty():
            menu.addAction("None yet").setEnabled(False)

    def ask_sheet(self, which: str = "rig") -> None:
        """Asks where a sheet goes and writes it."""
        from PySide6.QtWidgets import QFileDialog

        title = "Write the rig sheet" if which == "rig" else f"Write the {which} sheet"
        name, _ = QFileDialog.getSaveFileName(
            self.window, title, str(self.folder() / f"{which}-sheet.pdf"), SHEET_FILTER
        )
        if name:
            self.write_sheet(Path(name), which)

    def write_sheet(self, path: Path, which: str = "rig") -> None:
        """Writes a sheet of the show as it stands, on the paper that is usual where the computer stands."""
        from PySide6.QtCore import QLocale

        from kymaphon.core.report.sheets import sheet_of
        from kymaphon.files.sheet_file import write_sheet

        imperial = QLocale.system().measurementSystem() == QLocale.MeasurementSystem.ImperialUSSystem
        try:
            sheet, table = sheet_of(self.document.analysis, which)
            write_sheet(path, sheet, table, paper="letter" if imperial else "a4")
        except (FileProblem, ValueError) as problem:
            self.problem("The sheet was not written", str(problem))
            return
        self.say(f"Written: {path.name}")

    # recovery

    def offer_recovery(self) -> None:
        """Offers the newest show that was not saved when its program ended."""
        found, problems = recovery.look()
        self.left_behind = sorted(found, key=lambda row: -row.saved_at)
        empty(self.recovery_row)
        lost = state.why_nothing_is_kept()
        gone = missing(self.document.show, self._place())
        self.recovery.setVisible(bool(self.left_behind or lost or problems or gone))
        if not self.left_behind:
            if lost:
                words = (
                    "Nothing can be kept here: unsaved shows, settings and recent files are lost "
                    f"when the program ends. {lost}. Saving elsewhere works."
                )
                self.recovery_row.addWidget(label(words), 1)
            elif problems:
                more = f" and {len(problems) - 1} more" if len(problems) > 1 else ""
                words = f"An unsaved show cannot be read: {problems[0]}{more}. It stays in {problems[0].path.parent}."
                self.recovery_row.addWidget(label(words), 1)
            elif gone:
                self._offer_to_find(gone)
            return
        newest = self.left_behind[0]
        name = newest.path.name if newest.path else "a show never saved"
        self.recovery_row.addWidget(label(f"{newest.show.title} ({name}) was not saved when the program ended."), 1)
        for text, run, role in (("Bring it back", self.restore, "primary"), ("Let it go", self.let_go, "")):
            button = QPushButton(text)
            button.setProperty("role", role)
            button.clicked.connect(lambda _checked=False, run=run: run())
            self.recovery_row.addWidget(button)

    def _place(self) -> Path | None:
        return self.document.path.parent if self.document.path is not None else None

    def _offer_to_find(self, gone: tuple[Take, ...]) -> None:
        """Recordings that the show names and that are not there: said at opening, with a way to find them."""
        names = ", ".join(dict.fromkeys(Path(take.file).name for take in gone[:3]))
        more = f" and {len(gone) - 3} more" if len(gone) > 3 else ""
        words = f"Not found: {names}{more}. What was measured of them stands in the show; they can be listened to once they are found."
        self.recovery_row.addWidget(label(words), 1)
        for text, run, role in (
            ("Find\u2026", self.ask_find, "primary"),
            ("Not now", self.recovery.hide, ""),
        ):
            button = QPushButton(text)
            button.setProperty("role", role)
            button.clicked.connect(lambda _checked=False, run=run: run())
            self.recovery_row.addWidget(button)

    def ask_find(self) -> None:
        """Asks for a folder, and points the show at the recordings that are in it."""
        from PySide6.QtWidgets import QFileDialog

        name = QFileDialog.getExistingDirectory(self.window, "Where the recordings are", str(self.folder()))
        if name:
            self.find(Path(name))

    def find(self, folder: Path) -> None:
        """Points the show at missing recordings that lie in a folder or under it."""
        place = self._place()
        gone = missing(self.document.show, place)
        found = find(gone, folder)
        edits = tuple(
            SetField(
                "takes",
                take_id,
                "file",
                str(path.relative_to(place) if place is not None and path.is_relative_to(place) else path),
            )
            for take_id, path in found.items()
        )
        if edits:
            self.document.apply(edits, f"Find {counted(len(edits), 'recording')}")
        left = len(gone) - len(found)
        rest = f"; {left} still missing" if left else ""
        self.say(f"Found {len(found)} of {len(gone)} recordings in {folder.name}{rest}.")
        self.offer_recovery()

    def restore(self) -> None:
        """Opens the recovered show; its recovery file goes once the show is kept again."""
        if not self.left_behind or not self.may_leave():
            return
        newest = self.left_behind[0]
        try:
            self.document.replace(
                newest.show,
                newest.path,
                restored=True,
                on_disk=newest.on_disk,
                then=lambda: self._restored(newest),
            )
        except ShowProblem as problem:
            self.problem("The show was not brought back", str(problem))

    def _restored(self, found: recovery.Recovered) -> None:
        """Its recovery file goes only once its successor is on disk and reads the same."""
        if self.document.keep() and self.document.is_kept:
            with suppress(OSError):
                found.file.unlink(missing_ok=True)
        self.offer_recovery()

    def let_go(self) -> None:
        """Sets the recovered show aside: it keeps its place on disk under another name, and is offered no
        more.
        """
        if self.left_behind:
            try:
                self.left_behind[0].set_aside()
            except FileProblem as problem:
                self.problem("The unsaved show stays", str(problem))
            self.offer_recovery()
