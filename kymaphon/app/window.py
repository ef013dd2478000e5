"""The main window: show bar, stage rail, work surface, Why panel, status line, menus."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QEvent, Qt, QThreadPool
from PySide6.QtGui import QAction, QActionGroup, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QProgressDialog,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app import state, theme
from kymaphon.app.document import Document
from kymaphon.app.stages.coming import SENTENCES, ComingStage
from kymaphon.app.stages.feeds import FeedsStage
from kymaphon.app.stages.level import LevelStage
from kymaphon.app.takes import AUDIO_SUFFIXES, MeasureWork, TakeDialog
from kymaphon.app.widgets.command_list import CommandList
from kymaphon.app.widgets.rail import StageRail
from kymaphon.app.widgets.showbar import ShowBar
from kymaphon.app.widgets.why import WhyContent, WhyPanel, empty, label
from kymaphon.core.analysis import STAGES
from kymaphon.core.edits import AttachTake, DetachTake, SetField, SetValue
from kymaphon.core.figures import practices
from kymaphon.core.findings import Remedy
from kymaphon.core.graph import Switch
from kymaphon.core.references import ShowProblem
from kymaphon.core.show import Show
from kymaphon.core.takes import room_tone_take
from kymaphon.files.errors import FileProblem

WHY_WIDTH = 312
SHOW_FILTER = "Shows (*.json);;All files (*)"
SCALES = (1.0, 1.25, 1.5)


class Window(QMainWindow):
    """Owns the document and lays out the views; holds no arithmetic."""

    def __init__(self, document: Document | None = None) -> None:
        super().__init__()
        self.document = document or Document()
        settings = state.read_settings()
        self.theme = theme.THEMES.get(str(settings.get("theme")), theme.DARK)
        scale = settings.get("text_scale")
        self.scale = scale if scale in SCALES else 1.0
        self.stage = "Level"
        self._recovered: list[state.Recovered] = []
        self._work: MeasureWork | None = None
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1000, 640)
        self._make_actions()
        self._build()
        self.document.analysed.connect(self.refresh)
        self.document.changed.connect(self._document_changed)
        self.document.trouble.connect(self.say)
        self._document_changed()
        self.refresh()

    # building

    def _build(self) -> None:
        app = QApplication.instance()
        if isinstance(app, QApplication):
            theme.apply_theme(app, self.theme, self.scale)
        before: LevelStage | None = getattr(self, "level", None)
        held = (before.voice, before.end, before.picture.index) if before else None
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.bar = ShowBar(self.theme)
        self.bar.undo.connect(self.document.undo_stack.undo)
        self.bar.jump.connect(self._jump)
        column.addWidget(self.bar)
        self.recovery = QWidget()
        self.recovery.setVisible(False)
        self._recovery_row = QHBoxLayout(self.recovery)
        self._recovery_row.setContentsMargins(20, 6, 20, 6)
        column.addWidget(self.recovery)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        column.addLayout(middle, 1)
        self.rail = StageRail(STAGES, self.theme)
        self.rail.set_scale(self.scale)
        self.rail.chosen.connect(self.go)
        middle.addWidget(self.rail)
        self.surface = QStackedWidget()
        middle.addWidget(self.surface, 1)
        self.why = WhyPanel(self.theme)
        self.why.setFixedWidth(round(WHY_WIDTH * (0.5 + 0.5 * self.scale)))
        self.why.apply_remedy.connect(self._apply_remedy)
        self.why.preview_remedy.connect(self._preview_remedy)
        self.why.end_preview.connect(self.document.end_preview)
        self.why.flip.connect(self._flip)
        middle.addWidget(self.why)
        self.status = QLabel()
        self.status.setObjectName("status")
        self.status.setTextFormat(Qt.TextFormat.PlainText)
        self.status.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        column.addWidget(self.status)
        self.level = LevelStage(self.document, self.theme)
        self.feeds = FeedsStage(self.document, self.theme)
        for picture in (
            self.level.picture,
            self.feeds.arrivals,
            self.feeds.matrix.delegate,
            self.feeds.matrix.voices,
        ):
            picture.scale = self.scale
        self.feeds.matrix.fit_rows()
        self.level.table.verticalHeader().setDefaultSectionSize(round(26 * self.scale))
        self.level.why_changed.connect(self._show_why)
        self.feeds.why_changed.connect(self._show_why)
        self.feeds.go_to_why.connect(self._focus_why)
        self._pages: dict[str, QWidget] = {}
        for stage in STAGES:
            page: QWidget = {"Level": self.level, "Feeds": self.feeds}.get(stage) or ComingStage(stage)
            self._pages[stage] = page
            self.surface.addWidget(page)
        if held:
            self.level.voice, self.level.end, self.level.picture.index = held
        self.setCentralWidget(whole)
        self._tip_rest = "Ctrl+1 to Ctrl+9 choose a stage, Ctrl+K finds a command."
        self.status.setText(self._tip_rest)
        self.go(self.stage)

    def _make_actions(self) -> None:
        bar = self.menuBar()
        keys = QKeySequence.StandardKey

        def action(
            menu: QMenu, text: str, run: object, tip: str, key: object = None, *, check: bool | None = None
        ) -> QAction:
            row = QAction(text, self)
            if key is not None:
                row.setShortcut(QKeySequence(key) if isinstance(key, str) else key)  # type: ignore[call-overload]
            row.setStatusTip(tip)
            if check is not None:
                row.setCheckable(True)
                row.setChecked(check)
            row.triggered.connect(lambda *_: run())  # type: ignore[operator]
            menu.addAction(row)
            return row

        file = bar.addMenu("&Show")
        action(file, "&New show", self.new, "Starts an empty show.", keys.New)
        action(file, "&Open\u2026", self.ask_open, "Opens a show file.", keys.Open)
        self.recent_menu = file.addMenu("Open &recent")
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        action(file, "Open the &demo", self.open_demo, "Opens Lantern Quay, with its faults in.")
        action(
            file, "Open the repaired demo", self.open_repaired, "Opens Lantern Quay, with its faults mended."
        )
        file.addSeparator()
        action(file, "&Save", self.save, "Saves the show.", keys.Save)
        action(file, "Save &as\u2026", self.save_as, "Saves the show under another name.", keys.SaveAs)
        action(
            file,
            "Rig &sheet\u2026",
            self.ask_sheet,
            "Writes the rig sheet as a page or PDF, or the patch list as CSV.",
            keys.Print,
        )
        file.addSeparator()
        action(file, "&Quit", self.close, "Ends the program. Asks when something is not saved.", keys.Quit)
        edit = bar.addMenu("&Edit")
        action(edit, "End the pre&view", self.document.end_preview, "Back to the show as it is.", "Esc")
        undo, redo = (
            self.document.undo_stack.createUndoAction(self, "&Undo"),
            self.document.undo_stack.createRedoAction(self, "&Redo"),
        )
        undo.setShortcut(keys.Undo)
        redo.setShortcut(keys.Redo)
        edit.addActions([undo, redo])
        self.practice_menu = edit.addMenu("&Practice: where speech should sit")
        self._practices = QActionGroup(self)
        for practice in practices().values():
            row = action(
                self.practice_menu,
                practice.name,
                lambda practice=practice: self._set_practice(practice.id),
                practice.source,
                check=False,
            )
            row.setData(practice.id)
            self._practices.addAction(row)
        take = bar.addMenu("&Take")
        action(
            take,
            "&Measure a recording\u2026",
            self.ask_take,
            "Measures a recording; a room tone can be attached to a voice.",
            "Ctrl+M",
        )
        self.detach_menu = take.addMenu("&Detach")
        self.detach_menu.aboutToShow.connect(self._fill_detach)
        view = bar.addMenu("&View")
        for i, stage in enumerate(STAGES):
            action(view, stage, lambda stage=stage: self.go(stage), f"Goes to {stage}.", f"Ctrl+{i + 1}")
        view.addSeparator()
        self.light_action = action(
            view,
            "&Light theme",
            self.swap_theme,
            "Light for bright places, dark for dim ones.",
            "Ctrl+L",
            check=self.theme.name == "light",
        )
        sizes = view.addMenu("Text &size")
        group = QActionGroup(self)
        for size in SCALES:
            group.addAction(
                action(
                    sizes,
                    f"{size:.0%}",
                    lambda size=size: self.set_scale(size),
                    "Size of all text.",
                    check=size == self.scale,
                )
            )
        action(view, "Why &panel", self._focus_why, "Puts the keyboard into the Why panel.", "F4")
        helps = bar.addMenu("&Help")
        action(
            helps,
            "&Find a command\u2026",
            self.find_command,
            "A list of every command, searched as you type.",
            "Ctrl+K",
        )
        action(helps, "&About", self.about, "Version and licences.")

    # following the document

    def refresh(self) -> None:
        """Draws what the document has computed."""
        analysis = self.document.analysis
        self.rail.set_states(analysis.stages)
        self.bar.set_counts(analysis.counts())
        if not self.document.previewing:
            self.why.held = None
        self.level.refresh()
        self.feeds.refresh()
        self._show_why()

    def _document_changed(self) -> None:
        show = self.document.show
        self.bar.set_show(show.title, show.subtitle, show.air_at, self.document.unsaved)
        self.bar.set_last(self.document.undo_stack.undoText())
        name = self.document.path.name if self.document.path else "new show"
        self.setWindowTitle(f"{show.title} ({name})[*] \u2013 Kymaphon")
        self.setWindowModified(self.document.unsaved)
        for row in self._practices.actions():
            row.setChecked(row.data() == show.practice)

    def _show_why(self) -> None:
        if not hasattr(self, "_pages"):
            return
        page = self._pages[self.stage]
        if isinstance(page, LevelStage | FeedsStage):
            self.why.show_content(page.why())
            return
        rows = tuple(row for row in self.document.analysis.findings if row.stage == self.stage)
        hint = "" if rows else "Nothing found at this stage, as far as it is computed today."
        self.why.show_content(
            WhyContent(self.stage, SENTENCES[self.stage].split(";")[0], findings=rows, hint=hint)
        )

    def go(self, stage: str) -> None:
        """Shows a stage."""
        self.document.end_preview()
        self.stage = stage
        self.rail.select(stage)
        self.surface.setCurrentWidget(self._pages[stage])
        self._show_why()
        first: QWidget | None = {"Level": self.level.picture, "Feeds": self.feeds.matrix}.get(stage)
        if first is not None and not self.rail.hasFocus():
            first.setFocus()

    def _jump(self, severity: str) -> None:
        found = next((row for row in self.document.analysis.findings if row.severity == severity), None)
        if found is None:
            self.say(f"No finding of this kind: {severity}.")
            return
        self.go(found.stage)
        if found.pairs:
            self.feeds.choose(*found.pairs[0])
        elif (
            found.stage == "Level"
            and found.subjects
            and any(row.id == found.subjects[0] for row in self.document.analysis.voices)
        ):
            self.level.choose_voice(found.subjects[0])
        self.say(found.message)

    def say(self, text: str) -> None:
        """One line in the status line."""
        self.status.setText(text)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.StatusTip:
            text = event.tip()  # type: ignore[attr-defined]
            self.status.setText(text or self._tip_rest)
            return True
        return super().event(event)

    # edits

    def _apply_remedy(self, remedy: Remedy) -> None:
        self.document.apply(remedy.edits, remedy.label)
        self.say(f"Done: {remedy.label}. Ctrl+Z takes it back.")

    def _preview_remedy(self, remedy: Remedy) -> None:
        self.why.held = remedy
        self.document.preview(remedy.edits, remedy.label)

    def _flip(self, switch: Switch) -> None:
        words = "off" if switch.passes else "on"
        self.document.apply(
            (SetValue(switch.ref, not switch.now),), f"{switch.label.removesuffix(', mute')} {words}"
        )

    def _set_practice(self, practice: str) -> None:
        self.document.apply(
            (SetField("show", None, "practice", practice),), f"Practice: {practices()[practice].name}"
        )

    def _focus_why(self) -> None:
        buttons = self.why.findChildren(QPushButton)
        if buttons:
            buttons[0].setFocus(Qt.FocusReason.ShortcutFocusReason)

    # files

    def may_leave(self) -> bool:
        """Asks about unsaved changes; True when the show may be left."""
        if not self.document.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        box = QMessageBox(
            QMessageBox.Icon.NoIcon,
            "Not saved",
            f"{self.document.show.title} has changes that are not saved.",
            parent=self,
        )
        box.setStandardButtons(buttons.Save | buttons.Discard | buttons.Cancel)
        box.setDefaultButton(buttons.Save)
        answer = box.exec()
        if answer == buttons.Save:
            return self.save()
        return answer == buttons.Discard

    def new(self) -> None:
        if self.may_leave():
            self.document.replace(Show(), None)

    def ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a show", str(self._folder()), SHOW_FILTER)
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
        self._open_shipped("lantern-quay.json")

    def open_repaired(self) -> None:
        self._open_shipped("lantern-quay-repaired.json")

    def _open_shipped(self, name: str) -> None:
        from kymaphon.files.demo import demo_path
        from kymaphon.files.show_file import read_show

        if self.may_leave():
            self.document.replace(read_show(demo_path(name)), None)

    def save(self) -> bool:
        if self.document.path is None:
            return self.save_as()
        return self._save(self.document.path)

    def save_as(self) -> bool:
        start = (
            self._folder() / f"{self.document.show.title.lower().replace(' ', '-').replace('/', '-')}.json"
        )
        name, _ = QFileDialog.getSaveFileName(self, "Save the show", str(start), SHOW_FILTER)
        if not name:
            return False
        path = Path(name)
        return self._save(path if path.suffix else path.with_suffix(".json"))

    def _save(self, path: Path) -> bool:
        try:
            self.document.save(path)
        except FileProblem as problem:
            self.problem("The show was not saved", f"{problem}. It is still open and nothing is lost.")
            return False
        self.say(f"Saved: {path.name}")
        return True

    def _folder(self) -> Path:
        return self.document.path.parent if self.document.path else Path.home()

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for name in state.recent_files():
            row = self.recent_menu.addAction(Path(name).name)
            row.setStatusTip(name)
            row.triggered.connect(lambda _checked=False, name=name: self.open(Path(name)))
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction("None yet").setEnabled(False)

    def ask_sheet(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Write the rig sheet",
            str(self._folder() / "rig-sheet.pdf"),
            "PDF (*.pdf);;Page (*.html);;Patch list (*.csv)",
        )
        if name:
            self.write_sheet(Path(name))

    def write_sheet(self, path: Path) -> None:
        """Writes the sheet of the show as it stands."""
        from kymaphon.core.sheet import patch_list, rig_sheet
        from kymaphon.files.sheet_file import write_sheet

        try:
            write_sheet(path, rig_sheet(self.document.analysis), patch_list(self.document.analysis))
        except FileProblem as problem:
            self.problem("The sheet was not written", str(problem))
            return
        self.say(f"Written: {path.name}")

    def problem(self, title: str, text: str) -> None:
        """A dialog that says what is wrong."""
        box = QMessageBox(
            QMessageBox.Icon.NoIcon, title, f"<b>{title}</b>", QMessageBox.StandardButton.Close, self
        )
        box.setInformativeText(text)
        box.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        box.exec()

    # recovery

    def offer_recovery(self) -> None:
        """Offers the newest show that was not saved when its program ended."""
        self._recovered = state.left_behind()
        empty(self._recovery_row)
        self.recovery.setVisible(bool(self._recovered))
        if not self._recovered:
            return
        newest = self._recovered[0]
        name = newest.path.name if newest.path else "a show never saved"
        self._recovery_row.addWidget(
            label(f"{newest.show.title} ({name}) was not saved when the program ended."), 1
        )
        for text, run, role in (("Bring it back", self.restore, "primary"), ("Let it go", self.let_go, "")):
            button = QPushButton(text)
            button.setProperty("role", role)
            button.clicked.connect(lambda _checked=False, run=run: run())
            self._recovery_row.addWidget(button)

    def restore(self) -> None:
        """Opens the recovered show; its recovery file goes once the show is kept again."""
        if not self._recovered or not self.may_leave():
            return
        newest = self._recovered[0]
        try:
            self.document.replace(newest.show, newest.path, restored=True)
        except ShowProblem as problem:
            self.problem("The show was not brought back", str(problem))
            return
        self.document.keep()
        newest.file.unlink(missing_ok=True)
        self.offer_recovery()

    def let_go(self) -> None:
        """Sets the recovered show aside: it keeps its place on disk under another name, and is offered no
        more.
        """
        if self._recovered:
            file = self._recovered[0].file
            file.replace(file.with_suffix(".json.old"))
            self.offer_recovery()

    # takes

    def ask_take(self) -> None:
        names = " ".join(f"*{suffix}" for suffix in AUDIO_SUFFIXES)
        name, _ = QFileDialog.getOpenFileName(
            self, "Measure a recording", str(self._folder()), f"Recordings ({names});;All files (*)"
        )
        if name:
            self.measure(Path(name))

    def measure(self, path: Path) -> None:
        """Measures a recording in a worker thread, with progress; then offers to attach it."""
        work = MeasureWork(path)
        progress = QProgressDialog(f"Measuring {path.name}", "Stop", 0, 1000, self)
        progress.setMinimumDuration(400)
        progress.setWindowModality(Qt.WindowModality.WindowModal)
        progress.canceled.connect(lambda: setattr(work, "stop", True))
        work.signals.progress.connect(lambda part: progress.setValue(min(999, round(part * 1000))))
        work.signals.done.connect(lambda measure, sha: self._measured(path, measure, sha, progress))
        work.signals.failed.connect(lambda text: self._not_measured(text, progress))
        work.setAutoDelete(False)
        self._work = work
        QThreadPool.globalInstance().start(work)

    def _measured(self, path: Path, measure: object, sha256: str, progress: QProgressDialog) -> None:
        progress.reset()
        progress.deleteLater()
        dialog = TakeDialog(path, measure, self.document.analysis, self.level.voice, self)  # type: ignore[arg-type]
        if dialog.exec():
            self.attach(path, measure.noise_floor_dbfs, dialog.voice, sha256)  # type: ignore[attr-defined]

    def _not_measured(self, text: str, progress: QProgressDialog) -> None:
        progress.reset()
        progress.deleteLater()
        if text:
            self.problem("The recording was not measured", text)
        else:
            self.say("Measuring was stopped; nothing was changed.")

    def attach(self, path: Path, noise_dbfs: float, voice: str, sha256: str | None = None) -> None:
        """Attaches a room tone to a voice."""
        file = str(path)
        if self.document.path is not None and path.is_relative_to(self.document.path.parent):
            file = str(path.relative_to(self.document.path.parent))
        try:
            take = room_tone_take(
                self.document.analysis,
                voice,
                take_id=f"room-tone-{voice}",
                file=file,
                noise_dbfs=noise_dbfs,
                sha256=sha256,
            )
        except ValueError as error:
            self.problem("The take was not attached", str(error))
            return
        self.document.apply((AttachTake(take),), f"room tone of {self.document.analysis.party_name(voice)}")

    def _fill_detach(self) -> None:
        self.detach_menu.clear()
        for take in self.document.show.takes:
            row = self.detach_menu.addAction(take.id)
            row.setStatusTip(
                f"Takes {take.file} off the show; the recording stays where it is. Can be undone."
            )
            row.triggered.connect(
                lambda _checked=False, take=take: self.document.apply(
                    (DetachTake(take.id),), f"detached {take.id}"
                )
            )
        if self.detach_menu.isEmpty():
            self.detach_menu.addAction("None attached").setEnabled(False)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            if url.isLocalFile():
                self.take_file(Path(url.toLocalFile()))
                event.acceptProposedAction()
                return

    def take_file(self, path: Path) -> None:
        """A file dropped on the window: a show is opened, anything else is measured."""
        if path.suffix.lower() == ".json":
            self.open(path)
        else:
            self.measure(path)

    # view

    def swap_theme(self) -> None:
        """Dark to light or back."""
        self.theme = theme.LIGHT if self.theme.name == "dark" else theme.DARK
        self.light_action.setChecked(self.theme.name == "light")
        self._keep_setting("theme", self.theme.name)
        self._rebuild()

    def set_scale(self, scale: float) -> None:
        """Size of all text."""
        self.scale = scale
        self._keep_setting("text_scale", scale)
        self._rebuild()

    def _rebuild(self) -> None:
        self._build()
        self._document_changed()
        self.refresh()
        if self._recovered:
            self.offer_recovery()

    def _keep_setting(self, name: str, value: object) -> None:
        try:
            state.write_setting(name, value)
        except FileProblem as problem:
            self.say(str(problem))

    def find_command(self) -> None:
        """The searchable command list."""
        actions: list[QAction] = []

        def collect(menu: QMenu) -> None:
            for row in menu.actions():
                below = row.menu()
                if isinstance(below, QMenu):
                    below.aboutToShow.emit()
                    collect(below)
                elif not row.isSeparator():
                    actions.append(row)

        for row in self.menuBar().actions():
            below = row.menu()
            if isinstance(below, QMenu):
                collect(below)
        dialog = CommandList(actions, self)
        if dialog.exec() and dialog.chosen is not None:
            dialog.chosen.trigger()

    def about(self) -> None:
        from kymaphon import __version__

        text = f"Kymaphon {__version__}. MIT licence. Typeface: Atkinson Hyperlegible Next, SIL Open Font License. Notices of all that it uses: NOTICES.md."
        self.problem("Kymaphon", text)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.may_leave():
            event.ignore()
            return
        if self._work is not None:
            self._work.stop = True
        self.document.close()
        event.accept()
