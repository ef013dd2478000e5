"""The main window: show bar, stage rail, work surface, Why panel, status line, menus.

Its frame is painted before the core, and what that needs, is imported: nothing of those may be imported here at the top.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app import state, theme
from kymaphon.app.collecting import Collector
from kymaphon.app.finding_walk import FindingWalk
from kymaphon.app.menus import SCALES, Menus
from kymaphon.app.welcoming import WELCOME, Welcoming
from kymaphon.app.widgets.focus import in_screen_order
from kymaphon.app.widgets.rail import StageRail
from kymaphon.app.widgets.showbar import ShowBar
from kymaphon.app.widgets.why import WhyPanel
from kymaphon.core.model.stages import STAGES
from kymaphon.files.errors import FileProblem

if TYPE_CHECKING:
    from kymaphon.app.compare import CompareDesk
    from kymaphon.app.document import Document
    from kymaphon.app.filing import Filing
    from kymaphon.app.help import HelpWindow
    from kymaphon.app.offering import Offering
    from kymaphon.app.stages.air.stage import AirStage
    from kymaphon.app.stages.book.stage import BookStage
    from kymaphon.app.stages.cast.stage import CastStage
    from kymaphon.app.stages.feeds.stage import FeedsStage
    from kymaphon.app.stages.level.stage import LevelStage
    from kymaphon.app.stages.prove.stage import ProveStage
    from kymaphon.app.stages.quiet.stage import QuietStage
    from kymaphon.app.stages.rig.stage import RigStage
    from kymaphon.app.stages.surface import StageSurface
    from kymaphon.app.stages.talk.stage import TalkStage
    from kymaphon.app.stages.welcome.surface import WelcomeSurface
    from kymaphon.app.takes import TakeDesk
    from kymaphon.core.graph.signal import Switch
    from kymaphon.core.model.findings import Remedy

WHY_WIDTH = 312
WHY_MS = 120
"""So long after a picture, at most, the arithmetic of what is still being turned follows it."""
SEEKING = "The figures are there; what is wrong with them is being looked for \u2026"


class Window(QMainWindow):
    """Lays out the views of a document; holds no arithmetic. Without a document it is the frame alone, to be furnished once there is one.

    Attributes:
        furnished: it has a document.
        ready: there is something to work with. What is typed or chosen before is done then, in its order.
    """

    document: Document
    filing: Filing
    offering: Offering

    def __init__(self, document: Document | None = None) -> None:
        super().__init__()
        self._collector = Collector(self)
        settings = state.read_settings()
        self.theme = theme.living(theme.THEMES.get(str(settings.get("theme")), theme.DARK))
        scale = settings.get("text_scale")
        self.scale = scale if scale in SCALES else 1.0
        self.stage = ""
        self.furnished = self.ready = False
        self._held: list[Callable[[], object]] = []
        self._empty = True
        self.walk = FindingWalk(self)
        self.welcoming = Welcoming(self)
        self._help: HelpWindow | None = None
        self._stale: set[str] = set(STAGES)
        self._quiet = True
        self._pages: dict[str, StageSurface] = {}
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
        # Once what has changed is laid out.
        self._order = QTimer(self)
        self._order.setSingleShot(True)
        self._order.setInterval(0)
        self._order.timeout.connect(lambda: in_screen_order(self.page(self.stage)))
        self._takes: TakeDesk | None = None
        self._compare: CompareDesk | None = None
        self.resize(1280, 800)
        self.setMinimumSize(1000, 640)
        self.menus = Menus(self)
        self._build()
        if document is not None:
            self.furnish(document)
            self.begin()

    def furnish(self, document: Document) -> None:
        """Gives the frame what it is to show. It is shown by `begin`, at once or when a show that is being opened is there."""
        from kymaphon.app.bookkeeping import BookKeeper
        from kymaphon.app.filing import Filing
        from kymaphon.app.offering import Offering

        self.document, self.furnished = document, True
        self.filing = Filing(self, document, self.say, self.problem)
        self.filing.use_bar(self._recovery)
        self.offering = Offering(self, document, self._show_why)
        self.keeper = BookKeeper(document)
        self.keeper.setParent(self)
        self.keeper.trouble.connect(self.say)
        self.bar.stop.connect(document.stop)
        self.bar.go_on.connect(document.go_on)
        self.why.end_preview.connect(document.end_preview)
        document.analysed.connect(self.refresh)
        document.exchanged.connect(self._exchanged)
        document.working.connect(self._tell_work)
        document.changed.connect(self._document_changed)
        # The undo stack moves its index only after the edit was done, so what undo would take back is read again then.
        document.undo_stack.indexChanged.connect(self._document_changed)
        document.undo_stack.cleanChanged.connect(self._document_changed)
        document.trouble.connect(self.say)

    def begin(self) -> None:
        """Shows the document's show, and does what was typed and chosen before it was there."""
        if self.ready:
            return
        self.ready = True
        # A show begins with who takes part; one that has them, with their levels.
        self._empty = not self.document.show.parties
        self.whole.setEnabled(True)
        self.setAcceptDrops(True)
        self._document_changed()
        self._tell_counts()
        self._tell_work()
        if not self.document.analysis.unsearched:
            self.status.setText(self._tip_rest)
        self.go(WELCOME if self._empty else "Level")
        self._collector.begin()
        held, self._held = self._held, []
        for row in held:
            row()

    def once_ready(self, run: Callable[[], object]) -> None:
        """Does it, at once or as soon as there is a show to do it to."""
        if self.ready:
            run()
        else:
            self._held.append(run)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        self._hold(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        self._hold(event)

    def _hold(self, event: QKeyEvent) -> None:
        """A key that comes before there is anything to take it is kept for what will have the keyboard."""
        if self.ready:
            event.ignore()
        else:
            self._held.append(partial(self._play, event.clone()))

    def _play(self, event: QKeyEvent) -> None:
        QApplication.sendEvent(self.focusWidget() or self, event)

    # building

    def _build(self) -> None:
        self._style()
        # Nothing in it takes the keyboard before there is something to work with.
        self.whole = whole = QWidget()
        whole.setEnabled(False)
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.bar = ShowBar(self.theme)
        self.bar.undo.connect(self.undo)
        self.bar.name.connect(lambda: self.once_ready(self.name_show))
        self.bar.jump.connect(self.walk.jump)
        column.addWidget(self.bar)
        self._recovery = QWidget()
        self._recovery.setVisible(False)
        column.addWidget(self._recovery)
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
        self.rail.select("")

    def page(self, stage: str) -> StageSurface:
        """The work surface of a stage, made when it is first asked for."""
        if stage not in self._pages:
            from kymaphon.app.stages.made import made

            page = made(stage, self.document, self.theme, self.say)
            page.set_scale(self.scale)
            page.why_changed.connect(self._why_due.start)
            page.go_to_why.connect(self.focus_why)
            if stage == WELCOME:
                self.welcoming.greet(cast("WelcomeSurface", page))
            wants_stage = getattr(page, "wants_stage", None)
            if wants_stage is not None:
                wants_stage.connect(self.go_to_view)
            self._pages[stage] = page
            self._stale.add(stage)
            self.surface.addWidget(page)
        return self._pages[stage]

    @property
    def welcome(self) -> WelcomeSurface:
        """The page for a new show."""
        return cast("WelcomeSurface", self.page(WELCOME))

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
    def talk(self) -> TalkStage:
        """The stage Talk."""
        return cast("TalkStage", self.page("Talk"))

    @property
    def air(self) -> AirStage:
        """The stage Air."""
        return cast("AirStage", self.page("Air"))

    @property
    def book(self) -> BookStage:
        """The stage Book."""
        return cast("BookStage", self.page("Book"))

    @property
    def prove(self) -> ProveStage:
        """The stage Prove."""
        return cast("ProveStage", self.page("Prove"))

    @property
    def feeds(self) -> FeedsStage:
        """The stage Feeds."""
        return cast("FeedsStage", self.page("Feeds"))

    # following the document

    def refresh(self) -> None:
        """Draws what the document has computed."""
        if not self.ready:
            return
        self._tell_counts()
        if not self.document.previewing:
            self.why.held = None
        self._stale = set(STAGES)
        self._refresh_stage()
        self.walk.follow()

    def _tell_counts(self) -> None:
        """How far each stage is and how many findings there are: while those are looked for, what is known of them stays."""
        analysis = self.document.analysis
        if analysis.unsearched:
            self.rail.set_states({})
            self.bar.set_counts(None)
            self.say(SEEKING)
        elif not analysis.standing:
            self.rail.set_states(analysis.stages)
            self.bar.set_counts(analysis.counts())
            if self.status.text() == SEEKING:
                self.say(self._tip_rest)

    def _exchanged(self) -> None:
        """Another show is open: one that has people in it begins with their levels, where only an empty one was there."""
        if not self.ready:
            self.begin()
        empty = not self.document.show.parties
        if empty:
            self.welcoming.ask()
        elif self.stage == WELCOME or (self._empty and self.stage == "Cast"):
            self.go("Level")
        self._empty = empty
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
        from kymaphon.core.air.run import run_of

        show = self.document.show
        state = run_of(show.log)
        since = state.started if state.on_air else None
        self.bar.set_show(show.title, show.subtitle, show.air_at, self.document.unsaved, since=since)
        stack = self.document.undo_stack
        self.bar.set_last(stack.undoText())
        self.menus.undo.setText(f"&Undo {stack.undoText()}".rstrip())
        self.menus.redo.setText(f"&Redo {stack.redoText()}".rstrip())
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
        """Shows a stage; the page for a new show has the window for itself."""
        self.document.end_preview()
        self.stage = stage
        for part in (self.bar, self.rail, self.why):
            part.setVisible(stage != WELCOME)
        self.walk.hide()
        self.rail.select(stage)
        self.surface.setCurrentWidget(self.page(stage))
        self._refresh_stage()
        first = self.page(stage).first()
        if first is not None and not self.rail.hasFocus() and not self.walk.walking:
            first.setFocus()

    def go_to_view(self, stage: str, view: str) -> None:
        self.go(stage)
        choose = getattr(self.page(stage), "choose_view", None)
        if view and choose is not None:
            choose(view)

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

    def undo(self) -> None:
        stack = self.document.undo_stack
        text = stack.undoText()
        if not stack.canUndo():
            self.say("Nothing to take back.")
            return
        stack.undo()
        self.say(f"Taken back: {text}. {QKeySequence(QKeySequence.StandardKey.Redo).toString()} does it again.")

    def redo(self) -> None:
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
        from kymaphon.core.graph.cuts import switch_words
        from kymaphon.core.model.edits import SetValue

        self.document.apply((SetValue(switch.ref, not switch.now),), switch_words(switch))

    def escape(self) -> None:
        """Esc: back to the show as it is, and out of whatever the stage has begun."""
        self.document.end_preview()
        if self.walk.end():
            return
        self.page(self.stage).escape()

    def name_show(self) -> None:
        """Title, subtitle and time on air, by a form over whatever stage is open."""
        from kymaphon.app.stages.cast.forms import CastForms

        CastForms(self, self.document).title()

    def do_proposed(self) -> None:
        """What is offered first, from wherever the keyboard is."""
        if self.stage == WELCOME:
            self.welcome.go()
            return
        found = self.walk.chosen
        button = self.why.proposal(found.code if found is not None else "")
        if button is None and self.why.trying:
            self.say("What can be done is still being tried on the show; once more in a moment.")
        elif button is None and found is not None:
            self.say(f"Nothing is proposed for this: {found.title}.")
        elif button is None:
            self.say("Nothing is proposed here. Select what is wrong, or choose a finding: Ctrl+Shift+2.")
        else:
            self.say(f"{button.accessibleName() or button.text()}")
            button.click()

    def focus_why(self) -> None:
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

    def tells_on_air(self, text: str) -> bool:
        """Tells something in the page that a show is run from, where that is on air: nothing covers it. False elsewhere."""
        return "Air" in self._pages and self.air.tell_trouble(text)

    def problem(self, title: str, text: str) -> None:
        """A dialog that says what is wrong; on air a line in the page, which nothing covers."""
        if self.tells_on_air(f"{title}. {text}"):
            return
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
        self.menus.light.setChecked(self.theme.name == "light")
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

    def guide(self, page: str = "") -> None:
        """The guide beside the window: the page of the stage that is open, or another."""
        from kymaphon.app.help import OF_STAGE, HelpWindow

        if self._help is None:
            self._help = HelpWindow(self)
        self._help.show_page(page or OF_STAGE.get(self.stage, "first-show"))

    def about(self) -> None:
        from kymaphon import __version__

        text = (
            f"Kymaphon {__version__}. MIT licence. Typeface: Atkinson Hyperlegible Next, SIL Open "
            "Font License. Notices of all that it uses: NOTICES.md."
        )
        self.problem("Kymaphon", text)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.furnished:
            event.accept()
            return
        if not self.filing.may_leave():
            event.ignore()
            return
        for desk in (self._takes, self._compare):
            if desk is not None:
                desk.stop()
        if "Air" in self._pages:
            self.air.close_screens()
        self.offering.close()
        self.document.close()
        event.accept()
