"""New, open, save, sheets, recent files, recovery: everything that the window does with files. The show
that is open is never lost to a file that fails.

Dialogs and sheets are imported where they are used, so that the window opens without them.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from kymaphon.app import recovery, state
from kymaphon.app.document import Document
from kymaphon.app.widgets.why import empty, label
from kymaphon.core.changes import changes
from kymaphon.core.references import ShowProblem
from kymaphon.core.show import Show
from kymaphon.files.demo import FAULTY, REPAIRED, demo_path
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard, is_show
from kymaphon.files.show_file import read_show

Say = Callable[[str], None]
Problem = Callable[[str, str], None]
SHOW_FILTER = "Shows (*.json);;All files (*)"
MOST_TOLD = 12
SHEET_FILTER = "PDF (*.pdf);;Page (*.html);;Patch list (*.csv)"


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

    def may_leave(self) -> bool:
        """Asks about unsaved changes; True when the show may be left."""
        if not self.document.unsaved:
            return True
        from PySide6.QtWidgets import QMessageBox

        buttons = QMessageBox.StandardButton
        box = QMessageBox(
            QMessageBox.Icon.NoIcon,
            "Not saved",
            f"{self.document.show.title} has changes that are not saved.",
            parent=self.window,
        )
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
        box = QMessageBox(
            QMessageBox.Icon.NoIcon,
            "Saved elsewhere meanwhile",
            f"{path.name} was written by another program or window since it was opened here.",
            parent=self.window,
        )
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setInformativeText(told)
        over = box.addButton("Save over it", QMessageBox.ButtonRole.DestructiveRole)
        aside = box.addButton("Save under another name\u2026", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
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

    def ask_sheet(self) -> None:
        """Asks where the rig sheet goes and writes it."""
        from PySide6.QtWidgets import QFileDialog

        name, _ = QFileDialog.getSaveFileName(
            self.window,
            "Write the rig sheet",
            str(self.folder() / "rig-sheet.pdf"),
            SHEET_FILTER,
        )
        if name:
            self.write_sheet(Path(name))

    def write_sheet(self, path: Path) -> None:
        """Writes the sheet of the show as it stands."""
        from kymaphon.core.sheet import lists, rig_sheet
        from kymaphon.files.sheet_file import write_sheet

        try:
            write_sheet(path, rig_sheet(self.document.analysis), lists(self.document.analysis)["patch"])
        except FileProblem as problem:
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
        self.recovery.setVisible(bool(self.left_behind or lost or problems))
        if not self.left_behind:
            if lost:
                words = f"Nothing can be kept here: unsaved shows, settings and recent files are lost when the program ends. {lost}. Saving elsewhere works."
                self.recovery_row.addWidget(label(words), 1)
            elif problems:
                more = f" and {len(problems) - 1} more" if len(problems) > 1 else ""
                words = f"An unsaved show cannot be read: {problems[0]}{more}. It stays in {problems[0].path.parent}."
                self.recovery_row.addWidget(label(words), 1)
            return
        newest = self.left_behind[0]
        name = newest.path.name if newest.path else "a show never saved"
        self.recovery_row.addWidget(
            label(f"{newest.show.title} ({name}) was not saved when the program ended."), 1
        )
        for text, run, role in (("Bring it back", self.restore, "primary"), ("Let it go", self.let_go, "")):
            button = QPushButton(text)
            button.setProperty("role", role)
            button.clicked.connect(lambda _checked=False, run=run: run())
            self.recovery_row.addWidget(button)

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
