"""The menu bar: every command of the program, each in one place. Made with the window's frame, before there is anything to command:
what is chosen that early is done once the show is there.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction, QActionGroup, QKeySequence
from PySide6.QtWidgets import QMenu, QMenuBar

from kymaphon.app.stages.air.menu import fill_air_menu
from kymaphon.app.stages.book.menu import fill_book_menu
from kymaphon.app.stages.cast.menu import fill_cast_menu
from kymaphon.app.stages.feeds.menu import fill_feeds_menu
from kymaphon.app.stages.level.menu import fill_level_menu, fill_practice_menu
from kymaphon.app.stages.prove.menu import fill_prove_menu
from kymaphon.app.stages.quiet.menu import fill_quiet_menu
from kymaphon.app.stages.rig.menu import fill_rig_menu
from kymaphon.app.stages.talk.menu import fill_talk_menu
from kymaphon.core.model.stages import STAGES

if TYPE_CHECKING:
    from kymaphon.app.stages.air.stage import AirStage
    from kymaphon.app.stages.book.stage import BookStage
    from kymaphon.app.stages.cast.stage import CastStage
    from kymaphon.app.stages.feeds.stage import FeedsStage
    from kymaphon.app.stages.level.forms import LevelForms
    from kymaphon.app.stages.level.stage import LevelStage
    from kymaphon.app.stages.prove.stage import ProveStage
    from kymaphon.app.stages.quiet.stage import QuietStage
    from kymaphon.app.stages.rig.stage import RigStage
    from kymaphon.app.stages.talk.stage import TalkStage
    from kymaphon.app.window import Window

KEYS = QKeySequence.StandardKey
SHEETS = (
    ("patch", "&Patch list\u2026", "Every lead, what plugs where, the chain drawn."),
    ("channels", "&Channel list\u2026", "The desk allotted, with strip labels."),
    ("feeds", "&Feeds sheet\u2026", "Who hears whom, recorder tracks, marks."),
    ("talkback", "&Talkback sheet\u2026", "Circuits, keys, and what never reaches air."),
    ("schedule", "&Schedule sheet\u2026", "Who does what when before air."),
    ("line-up", "&Line-up sheet\u2026", "What every source should show, and showed."),
    ("rundown", "&Rundown sheet\u2026", "Segments against the clock, moves, who then hears whom."),
    ("pull", "P&ull list\u2026", "What to take out of the store."),
)
"""Sheets beside the rig sheet, by their names in `core/report/sheets.py`."""
SCALES = (1.0, 1.25, 1.5)
"""Sizes of text."""


class Menus:
    """The menus of a window.

    Attributes:
        recent, practice, detach: filled whenever they are opened.
        undo, redo: say what they would take back, or do again.
    """

    def __init__(self, window: Window) -> None:
        self._window = window
        bar = window.menuBar()
        self._fill_show(bar.addMenu("&Show"))
        self._fill_edit(bar.addMenu("&Edit"))
        self._fill_stages()
        self._fill_take(bar.addMenu("&Take"))
        self._fill_view(bar.addMenu("&View"))
        self._fill_help(bar.addMenu("&Help"))
        # What Python lets go of a menu takes the handles of all in it along: they are kept as long as the window.
        self._kept = handles_of(bar)

    def _action(
        self,
        menu: QMenu,
        text: str,
        run: Callable[[], object],
        tip: str,
        key: str | QKeySequence.StandardKey | None = None,
        *,
        check: bool | None = None,
    ) -> QAction:
        window = self._window
        row = QAction(text, window)
        if key is not None:
            row.setShortcut(QKeySequence(key))
        row.setStatusTip(tip)
        if check is not None:
            row.setCheckable(True)
            row.setChecked(check)
        row.triggered.connect(lambda *_: window.once_ready(run))
        menu.addAction(row)
        return row

    def _fill_show(self, menu: QMenu) -> None:
        window, action = self._window, self._action
        action(
            menu, "&New show", lambda: window.filing.new(), "Begins a show: three questions, or an empty one.", KEYS.New
        )
        action(menu, "&Open\u2026", lambda: window.filing.ask_open(), "Opens a show file.", KEYS.Open)
        self.recent = menu.addMenu("Open &recent")
        self.recent.aboutToShow.connect(lambda: window.once_ready(lambda: window.filing.fill_recent(self.recent)))
        action(
            menu,
            "Open the &demo",
            lambda: window.filing.open_demo(),
            "Opens Lantern Quay, with its faults in.",
        )
        action(
            menu,
            "Open the repaired demo",
            lambda: window.filing.open_repaired(),
            "Opens Lantern Quay, with its faults mended.",
        )
        action(
            menu,
            "Open the demo's evening",
            lambda: window.filing.open_evening(),
            "Opens Lantern Quay minutes before air, lined up, with its rundown.",
        )
        action(
            menu,
            "Open the demo's second act",
            lambda: window.filing.open_second_act(),
            "Opens the rowing final at Lantern Quay: circuits, crew and lines, with four faults left in.",
        )
        action(
            menu,
            "&Change the answers\u2026",
            lambda: window.welcoming.change_answers(),
            "The answers that this show was composed from: another guest, another interface. What was set by hand stays.",
        )
        menu.addSeparator()
        action(menu, "&Save", lambda: window.filing.save(), "Saves the show.", KEYS.Save)
        action(
            menu,
            "Save &as\u2026",
            lambda: window.filing.save_as(),
            "Saves the show under another name.",
            KEYS.SaveAs,
        )
        action(
            menu,
            "Rig &sheet\u2026",
            lambda: window.filing.ask_sheet(),
            "Writes the rig sheet as a page or PDF, or the patch list as CSV.",
            KEYS.Print,
        )

        def writing(name: str) -> Callable[[], None]:
            return lambda: window.filing.ask_sheet(name)

        sheets = menu.addMenu("Other s&heets")
        for name, words, tip in SHEETS:
            action(sheets, words, writing(name), tip)
        menu.addSeparator()
        action(menu, "&Quit", window.close, "Ends the program. Asks when something is not saved.", "Ctrl+Q")

    def _fill_edit(self, menu: QMenu) -> None:
        window, action = self._window, self._action
        action(
            menu,
            "End the pre&view",
            window.escape,
            "Back to the show as it is.",
            "Esc",
        )
        self.undo = action(menu, "&Undo", window.undo, "Takes the last change back.", KEYS.Undo)
        self.redo = action(menu, "&Redo", window.redo, "Does again what was taken back.", KEYS.Redo)
        tip = "The first remedy, plan or line-up that the Why panel offers; on the page for a new show it starts with it. Can be undone."
        # On both keys that are called Enter.
        action(menu, "&Do what is proposed", window.do_proposed, tip).setShortcuts(
            [QKeySequence("Ctrl+Return"), QKeySequence("Ctrl+Enter")]
        )
        for severity, words, key in (
            ("stop", "Findings to s&top for", "Ctrl+Shift+1"),
            ("fix", "Findings to &fix", "Ctrl+Shift+2"),
            ("note", "Findings to &note", "Ctrl+Shift+3"),
        ):
            tip = "A list with stage, sentence and first remedy; Up and Down walk through it, each where it stands."
            action(menu, words, partial(window.walk.jump, severity), tip, key)
        self.practice = menu.addMenu("&Practice: where speech should sit")
        self.practice.aboutToShow.connect(
            lambda: window.once_ready(lambda: fill_practice_menu(self.practice, window.document))
        )

    def _fill_stages(self) -> None:
        window, action, bar = self._window, self._action, self._window.menuBar()

        def cast_stage() -> CastStage:
            window.go("Cast")
            return window.cast

        def rig_stage() -> RigStage:
            window.go("Rig")
            return window.rig

        def level_stage() -> LevelStage:
            window.go("Level")
            return window.level

        def quiet_stage() -> QuietStage:
            window.go("Quiet")
            return window.quiet

        def feeds_stage() -> FeedsStage:
            window.go("Feeds")
            return window.feeds

        def prove_stage() -> ProveStage:
            window.go("Prove")
            return window.prove

        def talk_stage() -> TalkStage:
            window.go("Talk")
            return window.talk

        def air_stage() -> AirStage:
            window.go("Air")
            return window.air

        def book_stage() -> BookStage:
            window.go("Book")
            return window.book

        def level_forms() -> LevelForms:
            from kymaphon.app.stages.level.forms import LevelForms

            return LevelForms(window, window.document, window.say)

        self.cast = bar.addMenu("&Cast")
        self.bands = fill_cast_menu(self.cast, action, cast_stage)
        fill_rig_menu(bar.addMenu("&Rig"), action, rig_stage)
        fill_talk_menu(bar.addMenu("&Talk"), action, talk_stage)
        fill_level_menu(bar.addMenu("&Level"), action, level_stage, level_forms)
        fill_quiet_menu(bar.addMenu("&Quiet"), action, quiet_stage, lambda: window.takes)
        fill_feeds_menu(bar.addMenu("&Feeds"), action, feeds_stage)
        fill_prove_menu(bar.addMenu("&Prove"), action, prove_stage)
        fill_air_menu(bar.addMenu("&Air"), action, air_stage)
        fill_book_menu(bar.addMenu("&Book"), action, book_stage)

    def _fill_take(self, menu: QMenu) -> None:
        window, action = self._window, self._action
        action(
            menu,
            "&Measure recordings\u2026",
            lambda: window.takes.ask_take(),
            "Measures recordings; talk, room, loudspeakers or music can be attached to a voice.",
            "Ctrl+M",
        )
        action(
            menu,
            "&Compare takes of one voice\u2026",
            lambda: window.compare.ask(),
            "Which has the least noise at equal speech level, and whether that is real.",
        )
        action(
            menu,
            "Save a recording in another &format\u2026",
            lambda: window.takes.ask_convert(),
            "WAV with its date, FLAC, OGG, Opus, MP3, AIFF, W64 or RF64; the recording itself stays.",
        )
        self.detach = menu.addMenu("&Detach")
        self.detach.aboutToShow.connect(lambda: window.once_ready(lambda: window.takes.fill_detach(self.detach)))

    def _fill_view(self, menu: QMenu) -> None:
        window, action = self._window, self._action

        def going(stage: str) -> Callable[[], None]:
            return lambda: window.go(stage)

        def zooming(steps: int) -> Callable[[], None]:
            return lambda: window.page(window.stage).zoom(steps)

        def sizing(size: float) -> Callable[[], None]:
            return lambda: window.set_scale(size)

        for i, stage in enumerate(STAGES):
            action(menu, stage, going(stage), f"Goes to {stage}.", f"Ctrl+{i + 1}")
        menu.addSeparator()
        self.light = action(
            menu,
            "&Light theme",
            window.swap_theme,
            "Light for bright places, dark for dim ones.",
            "Ctrl+L",
            check=window.theme.name == "light",
        )
        tip = "Plan and rig. Also Ctrl and the wheel."
        action(menu, "Nearer to the picture", zooming(1), tip, KEYS.ZoomIn)
        action(menu, "Further from the picture", zooming(-1), tip, KEYS.ZoomOut)
        action(menu, "All of the picture", zooming(0), tip, "Ctrl+0")
        sizes = menu.addMenu("Text &size")
        group = QActionGroup(window)
        for size in SCALES:
            row = action(sizes, f"{size:.0%}", sizing(size), "Size of all text.", check=size == window.scale)
            group.addAction(row)
        action(menu, "Why &panel", window.focus_why, "Puts the keyboard into the Why panel.", "F4")

    def _fill_help(self, menu: QMenu) -> None:
        window, action = self._window, self._action
        action(
            menu,
            "&Find a command\u2026",
            window.find_command,
            "A list of every command, searched as you type.",
            "Ctrl+K",
        )
        action(
            menu,
            "&Guide",
            lambda: window.guide(),
            "The page of the guide for the stage that is open, without a network.",
            "F1",
        )
        action(
            menu,
            "G&lossary",
            lambda: window.guide("glossary"),
            "The trade's terms in plain words: mix-minus, loop, loopback, latency, comb filtering.",
            "Shift+F1",
        )
        action(menu, "&About", window.about, "Version and licences.")


def handles_of(bar: QMenuBar) -> list[QMenu | QAction]:
    """Every menu of a bar, those within others too, and every row that opens one: what has to be held for the rest to live."""
    held: list[QMenu | QAction] = []
    rows = list(bar.actions())
    while rows:
        row = rows.pop()
        held.append(row)
        below = row.menu()
        if isinstance(below, QMenu):
            held.append(below)
            rows += below.actions()
    return held
