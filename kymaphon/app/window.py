"""The main window: show bar, stage rail, work surface, Why panel, status line, menus."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import QAction, QActionGroup, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app import state, theme
from kymaphon.app.collecting import Collector
from kymaphon.app.document import Document
from kymaphon.app.filing import Filing
from kymaphon.app.offering import Offering
from kymaphon.app.stages.cast.menu import fill_cast_menu
from kymaphon.app.stages.feeds.menu import fill_feeds_menu
from kymaphon.app.stages.level.menu import fill_level_menu, fill_practice_menu
from kymaphon.app.stages.made import made
from kymaphon.app.stages.quiet.menu import fill_quiet_menu
from kymaphon.app.stages.rig.menu import fill_rig_menu
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.widgets.focus import in_screen_order
from kymaphon.app.widgets.marks import SEVERITY_NAMES
from kymaphon.app.widgets.rail import StageRail
from kymaphon.app.widgets.showbar import ShowBar
from kymaphon.app.widgets.why import WhyPanel
from kymaphon.core.analysis.report import STAGES
from kymaphon.core.graph.cuts import switch_words
from kymaphon.core.graph.signal import Switch
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Remedy
from kymaphon.files.errors import FileProblem

if TYPE_CHECKING:
    from kymaphon.app.compare import CompareDesk
    from kymaphon.app.stages.cast.stage import CastStage
    from kymaphon.app.stages.feeds.stage import FeedsStage
    from kymaphon.app.stages.level.forms import LevelForms
    from kymaphon.app.stages.level.stage import LevelStage
    from kymaphon.app.stages.quiet.stage import QuietStage
    from kymaphon.app.stages.rig.stage import RigStage
    from kymaphon.app.takes import TakeDesk

WHY_WIDTH = 312
WHY_MS = 120
"""So long after a picture, at most, the arithmetic of what is still being turned follows it."""
SHOW_FILTER = "Shows (*.json);;All files (*)"
SCALES = (1.0, 1.25, 1.5)


class Window(QMainWindow):
    """Owns the document and lays out the views; holds no arithmetic."""

    def __init__(self, document: Document | None = None) -> None:
        super().__init__()
        self._collector = Collector(self)
        self.document = document or Document()
        settings = state.read_settings()
        self.theme = theme.living(theme.THEMES.get(str(settings.get("theme")), theme.DARK))
        scale = settings.get("text_scale")
        self.scale = scale if scale in SCALES else 1.0
        # A show begins with who takes part; one that has them, with their levels.
        self.stage = "Level" if self.document.show.parties else "Cast"
        self._empty = not self.document.show.parties
        self._jumped: tuple[int, tuple[str, tuple[str, ...]]] = 0, ("", ())
        self._stale = set(STAGES)
        self._quiet = True
        self._pages: dict[str, StageSurface] = {}
        self.filing = Filing(self, self.document, self.say, self.problem)
        self._why_due = QTimer(self)
        """What a selection brings along is told once, however many of its parts say so."""
        self._why_due.setSingleShot(True)
        self._why_due.setInterval(0)
        self._why_due.timeout.connect(self._show_why)
        self._why_late = QTimer(self)
        """Arithmetic follows a knob that is being turned a moment later than the picture, at the latest."""
        self._why_late.setSingleShot(True)
        self._why_late.setInterval(WHY_MS)
        self._why_late.timeout.connect(self._show_why)
        self.offering = Offering(self, self.document, self._show_why)
        # Once what has changed is laid out.
        self._order = QTimer(self)
        self._order.setSingleShot(True)
        self._order.setInterval(0)
        self._order.timeout.connect(lambda: in_screen_order(self.page(self.stage)))
        self._takes: TakeDesk | None = None
        self._compare: CompareDesk | None = None
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1000, 640)
        self._make_actions()
        self._build()
        self.document.analysed.connect(self.refresh)
        self.document.exchanged.connect(self._exchanged)
        self.document.working.connect(self._tell_work)
        self.document.changed.connect(self._document_changed)
        # The undo stack moves its index only after the edit was done, so what undo would take back is read again then.
        self.document.undo_stack.indexChanged.connect(self._document_changed)
        self.document.undo_stack.cleanChanged.connect(self._document_changed)
        self.document.trouble.connect(self.say)
        self._document_changed()
        self.rail.set_states(self.document.analysis.stages)
        self.bar.set_counts(self.document.analysis.counts())

    # building

    def _build(self) -> None:
        self._style()
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.bar = ShowBar(self.theme)
        self.bar.undo.connect(self._undo)
        self.bar.jump.connect(self._jump)
        self.bar.stop.connect(self.document.stop)
        self.bar.go_on.connect(self.document.go_on)
        column.addWidget(self.bar)
        recovery = QWidget()
        self.filing.use_bar(recovery)
        column.addWidget(recovery)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        column.addLayout(middle, 1)
        self.rail = StageRail(STAGES, self.theme)
        self.rail.chosen.connect(self.go)
        middle.addWidget(self.rail)
        self.surface = QStackedWidget()
        middle.addWidget(self.surface, 1)
        self.why = WhyPanel(self.theme)
        self.why.apply_remedy.connect(self._apply_remedy)
        self.why.preview_remedy.connect(self._preview_remedy)
        self.why.end_preview.connect(self.document.end_preview)
        self.why.flip.connect(self._flip)
        self.why.act.connect(lambda action: self.page(self.stage).act(action))
        middle.addWidget(self.why)
        self.status = QLabel()
        self.status.setObjectName("status")
        self.status.setTextFormat(Qt.TextFormat.PlainText)
        self.status.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        column.addWidget(self.status)
        self.setCentralWidget(whole)
        self._scale_parts()
        self._tip_rest = "Ctrl+1 to Ctrl+9 choose a stage, Ctrl+K finds a command."
        self.status.setText(self._tip_rest)
        self.go(self.stage)

    def page(self, stage: str) -> StageSurface:
        """The work surface of a stage, made when it is first asked for."""
        if stage not in self._pages:
            page = made(stage, self.document, self.theme, self.say)
            page.set_scale(self.scale)
            page.why_changed.connect(self._why_due.start)
            page.go_to_why.connect(self._focus_why)
            self._pages[stage] = page
            self._stale.add(stage)
            self.surface.addWidget(page)
        return self._pages[stage]

    @property
    def takes(self) -> TakeDesk:
        """What measures recordings, made when it is first wanted."""
        if self._takes is None:
            from kymaphon.app.takes import TakeDesk

            self._takes = TakeDesk(
                self,
                self.document,
                self.filing,
                lambda: self.quiet.model.voice if self.stage == "Quiet" else self.level.voice,
            )
        return self._takes

    @property
    def compare(self) -> CompareDesk:
        """What compares recordings, made when it is first wanted."""
        if self._compare is None:
            from kymaphon.app.compare import CompareDesk

            self._compare = CompareDesk(self, self.filing, self.theme)
        self._compare.theme = self.theme
        return self._compare

    @property
    def cast(self) -> CastStage:
        """The stage Cast."""
        return cast("CastStage", self.page("Cast"))

    @property
    def rig(self) -> RigStage:
        """The stage Rig."""
        return cast("RigStage", self.page("Rig"))

    @property
    def level(self) -> LevelStage:
        """The stage Level."""
        return cast("LevelStage", self.page("Level"))

    @property
    def quiet(self) -> QuietStage:
        """The stage Quiet."""
        return cast("QuietStage", self.page("Quiet"))

    @property
    def feeds(self) -> FeedsStage:
        """The stage Feeds."""
        return cast("FeedsStage", self.page("Feeds"))

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
        action(file, "&New show", self.filing.new, "Starts an empty show.", keys.New)
        action(file, "&Open\u2026", self.filing.ask_open, "Opens a show file.", keys.Open)
        self.recent_menu = file.addMenu("Open &recent")
        self.recent_menu.aboutToShow.connect(lambda: self.filing.fill_recent(self.recent_menu))
        action(file, "Open the &demo", self.filing.open_demo, "Opens Lantern Quay, with its faults in.")
        action(
            file,
            "Open the repaired demo",
            self.filing.open_repaired,
            "Opens Lantern Quay, with its faults mended.",
        )
        file.addSeparator()
        action(file, "&Save", self.filing.save, "Saves the show.", keys.Save)
        action(file, "Save &as\u2026", self.filing.save_as, "Saves the show under another name.", keys.SaveAs)
        action(
            file,
            "Rig &sheet\u2026",
            self.filing.ask_sheet,
            "Writes the rig sheet as a page or PDF, or the patch list as CSV.",
            keys.Print,
        )
        file.addSeparator()
        action(file, "&Quit", self.close, "Ends the program. Asks when something is not saved.", "Ctrl+Q")
        edit = bar.addMenu("&Edit")
        action(edit, "End the pre&view", self.document.end_preview, "Back to the show as it is.", "Esc")
        self.undo_action = action(edit, "&Undo", self._undo, "Takes the last change back.", keys.Undo)
        self.redo_action = action(edit, "&Redo", self._redo, "Does again what was taken back.", keys.Redo)
        self.practice_menu = edit.addMenu("&Practice: where speech should sit")
        self.practice_menu.aboutToShow.connect(lambda: fill_practice_menu(self.practice_menu, self.document))
        self.cast_menu = bar.addMenu("&Cast")
        self.bands_action = fill_cast_menu(self.cast_menu, action, self._gone_to_cast)
        fill_rig_menu(bar.addMenu("&Rig"), action, self._gone_to_rig)
        fill_level_menu(bar.addMenu("&Level"), action, self._gone_to_level, self._level_forms)
        fill_quiet_menu(bar.addMenu("&Quiet"), action, self._gone_to_quiet, lambda: self.takes)
        fill_feeds_menu(bar.addMenu("&Feeds"), action, self._gone_to_feeds)
        take = bar.addMenu("&Take")
        action(
            take,
            "&Measure recordings\u2026",
            lambda: self.takes.ask_take(),
            "Measures recordings; talk, room, loudspeakers or music can be attached to a voice.",
            "Ctrl+M",
        )
        action(
            take,
            "&Compare takes of one voice\u2026",
            lambda: self.compare.ask(),
            "Which has the least noise at equal speech level, and whether that is real.",
        )
        action(
            take,
            "Save a recording in another &format\u2026",
            lambda: self.takes.ask_convert(),
            "WAV with its date, FLAC, OGG, Opus, MP3, AIFF, W64 or RF64; the recording itself stays.",
        )
        self.detach_menu = take.addMenu("&Detach")
        self.detach_menu.aboutToShow.connect(lambda: self.takes.fill_detach(self.detach_menu))
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
        for words, steps, key in (("Nearer to the picture", 1, keys.ZoomIn), ("Further from the picture", -1, keys.ZoomOut), ("All of the picture", 0, "Ctrl+0")):  # fmt: skip
            tip = "Plan and rig. Also Ctrl and the wheel."
            action(view, words, lambda steps=steps: self.page(self.stage).zoom(steps), tip, key)
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
        # What Python lets go of a menu takes the handles of all in it along: they are kept as long as the window.
        from kymaphon.app.widgets.command_list import handles_of

        self._menus = handles_of(bar)

    # following the document

    def refresh(self) -> None:
        """Draws what the document has computed."""
        analysis = self.document.analysis
        if not analysis.standing:
            self.rail.set_states(analysis.stages)
            self.bar.set_counts(analysis.counts())
        if not self.document.previewing:
            self.why.held = None
        self._stale = set(STAGES)
        self._refresh_stage()

    def _exchanged(self) -> None:
        """Another show is open: one that has people in it begins with their levels, where only an empty one was there."""
        if self._empty and self.document.show.parties and self.stage == "Cast":
            self.go("Level")
        self._empty = not self.document.show.parties
        self.filing.offer_recovery()

    def _tell_work(self) -> None:
        document = self.document
        if document.stopped:
            self.bar.set_work("Stopped: not up to date", stopped=True)
        elif document.opening:
            self.bar.set_work(f"Opening {document.opening} \u2026")
        else:
            self.bar.set_work("Computing \u2026" if document.busy else "")

    def _refresh_stage(self) -> None:
        """Draws the stage on screen; the others wait until they are gone to."""
        self._quiet = True
        page = self.page(self.stage)
        if self.stage in self._stale:
            page.refresh()
        self._stale.discard(self.stage)
        self._quiet = False
        if not self.document.analysis.standing:
            self._show_why()
            return
        self._why_due.stop()
        if not self._why_late.isActive():
            self._why_late.start()

    def _document_changed(self) -> None:
        show = self.document.show
        self.bar.set_show(show.title, show.subtitle, show.air_at, self.document.unsaved)
        stack = self.document.undo_stack
        self.bar.set_last(stack.undoText())
        self.undo_action.setText(f"&Undo {stack.undoText()}".rstrip())
        self.redo_action.setText(f"&Redo {stack.redoText()}".rstrip())
        name = self.document.path.name if self.document.path else "new show"
        self.setWindowTitle(f"{show.title} ({name})[*] \u2013 Kymaphon")
        self.setWindowModified(self.document.unsaved)

    def _show_why(self) -> None:
        if not self._quiet:
            self._why_due.stop()
            self._why_late.stop()
            self._order.start()
            self.offering.show(self.why, self.page(self.stage).why())

    def go(self, stage: str) -> None:
        """Shows a stage."""
        self.document.end_preview()
        self.stage = stage
        self.rail.select(stage)
        self.surface.setCurrentWidget(self.page(stage))
        self._refresh_stage()
        first = self.page(stage).first()
        if first is not None and not self.rail.hasFocus():
            first.setFocus()

    def _jump(self, severity: str) -> None:
        """To the first finding of a kind; pressed again, to the next, and round."""
        rows = [row for row in self.document.analysis.findings if row.severity == severity]
        if not rows:
            self.say(f"No finding of this kind: {SEVERITY_NAMES.get(severity, severity)}.")
            return
        # Two findings may be about the same: where one stands counts, as long as it stands there.
        at, key = self._jumped
        at = at + 1 if at < len(rows) and rows[at].key == key else 0
        found = rows[at % len(rows)]
        self._jumped = at % len(rows), found.key
        self.go(found.stage)
        self.page(found.stage).show_finding(found)
        more = f" ({at % len(rows) + 1} of {len(rows)})" if len(rows) > 1 else ""
        self.say(f"{found.message}{more}")

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

    def _undo(self) -> None:
        stack = self.document.undo_stack
        text = stack.undoText()
        if not stack.canUndo():
            self.say("Nothing to take back.")
            return
        stack.undo()
        self.say(
            f"Taken back: {text}. {QKeySequence(QKeySequence.StandardKey.Redo).toString()} does it again."
        )

    def _redo(self) -> None:
        stack = self.document.undo_stack
        text = stack.redoText()
        if not stack.canRedo():
            self.say("Nothing was taken back.")
            return
        stack.redo()
        self.say(f"Done again: {text}. Ctrl+Z takes it back.")

    def _apply_remedy(self, remedy: Remedy) -> None:
        try:
            self.document.apply(remedy.edits, remedy.label)
        except KeyError as gone:
            self.say(f"{gone.args[0]} is no longer there; what is shown is being computed anew.")
        else:
            self.say(f"Done: {remedy.label}. Ctrl+Z takes it back.")

    def _preview_remedy(self, remedy: Remedy) -> None:
        self.why.held = remedy
        try:
            self.document.preview(remedy.edits, remedy.label)
        except KeyError as gone:
            self.why.held = None
            self.document.end_preview()
            self.say(f"{gone.args[0]} is no longer there; what is shown is being computed anew.")

    def _flip(self, switch: Switch) -> None:
        self.document.apply((SetValue(switch.ref, not switch.now),), switch_words(switch))

    def _gone_to_cast(self) -> CastStage:
        self.go("Cast")
        return self.cast

    def _gone_to_rig(self) -> RigStage:
        self.go("Rig")
        return self.rig

    def _gone_to_level(self) -> LevelStage:
        self.go("Level")
        return self.level

    def _gone_to_quiet(self) -> QuietStage:
        self.go("Quiet")
        return self.quiet

    def _gone_to_feeds(self) -> FeedsStage:
        self.go("Feeds")
        return self.feeds

    def _level_forms(self) -> LevelForms:
        from kymaphon.app.stages.level.forms import LevelForms

        return LevelForms(self, self.document, self.say)

    def _focus_why(self) -> None:
        buttons = self.why.findChildren(QPushButton)
        if buttons:
            buttons[0].setFocus(Qt.FocusReason.ShortcutFocusReason)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.take_file(*paths)

    def take_file(self, *paths: Path) -> None:
        """Files dropped on the window: a show is opened, anything else is measured."""
        show = next((path for path in paths if path.suffix.lower() == ".json"), None)
        if show is not None:
            self.filing.open(show)
        else:
            self.takes.measure(*paths)

    def problem(self, title: str, text: str) -> None:
        """A dialog that says what is wrong."""
        from PySide6.QtWidgets import QMessageBox

        box = QMessageBox(QMessageBox.Icon.NoIcon, title, title, QMessageBox.StandardButton.Close, self)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setInformativeText(text)
        box.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        box.exec()

    # view

    def swap_theme(self) -> None:
        """Dark to light or back."""
        theme.become(self.theme, theme.LIGHT if self.theme.name == "dark" else theme.DARK)
        self.light_action.setChecked(self.theme.name == "light")
        self._keep_setting("theme", self.theme.name)
        self._restyle()

    def set_scale(self, scale: float) -> None:
        """Size of all text."""
        self.scale = scale
        self._keep_setting("text_scale", scale)
        self._scale_parts()
        self._restyle()

    def _style(self) -> None:
        app = QApplication.instance()
        if isinstance(app, QApplication):
            theme.apply_theme(app, self, self.theme, self.scale)

    def _scale_parts(self) -> None:
        """What is painted by hand, and what has a width of its own."""
        self.rail.set_scale(self.scale)
        self.why.setFixedWidth(round(WHY_WIDTH * (0.5 + 0.5 * self.scale)))
        for page in self._pages.values():
            page.set_scale(self.scale)

    def _restyle(self) -> None:
        """Everything where it stands, in other colours or another size."""
        self._style()
        self.bar.restyle()
        self.refresh()
        self.update()

    def _keep_setting(self, name: str, value: object) -> None:
        try:
            state.write_setting(name, value)
        except FileProblem as problem:
            self.say(str(problem))

    def find_command(self) -> None:
        """The searchable command list."""
        from kymaphon.app.trade_words import also
        from kymaphon.app.widgets.command_list import CommandList, commands_of

        dialog = CommandList(commands_of(self.menuBar()), self, also=also)
        if dialog.exec() and dialog.chosen is not None:
            dialog.chosen.trigger()

    def about(self) -> None:
        from kymaphon import __version__

        text = f"Kymaphon {__version__}. MIT licence. Typeface: Atkinson Hyperlegible Next, SIL Open Font License. Notices of all that it uses: NOTICES.md."
        self.problem("Kymaphon", text)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.filing.may_leave():
            event.ignore()
            return
        for desk in (self._takes, self._compare):
            if desk is not None:
                desk.stop()
        self.offering.close()
        self.document.close()
        event.accept()
