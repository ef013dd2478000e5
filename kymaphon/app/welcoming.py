"""Between the page for a new show and the window: what the page asks for, and what becomes of a show that was composed.

Nothing of the core may be imported here at the top: the frame of the window is painted before that is read.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from kymaphon.app.stages.welcome.surface import WelcomeSurface
    from kymaphon.app.window import Window
    from kymaphon.core.compose.again import Recomposed
    from kymaphon.core.compose.compose import Composed

WELCOME = "Welcome"
"""The page for a new show: no stage of the order of work."""


class Welcoming:
    """Opens what is composed, and changes the answers of a show that was."""

    def __init__(self, window: Window) -> None:
        self._window = window

    def greet(self, page: WelcomeSurface) -> None:
        """Listens to the page, once it is made."""
        page.started.connect(self._start)
        page.changed.connect(self._change)
        page.wanted.connect(self._wanted)

    def ask(self) -> None:
        """The three questions, for a new show."""
        self._window.welcome.begin(None)
        self._window.go(WELCOME)

    def change_answers(self) -> None:
        """The answers that the show was composed from, to be changed."""
        window = self._window
        if window.document.show.answers is None:
            window.say("This show was made by hand: there are no answers to change.")
            return
        window.welcome.begin(window.document.show)
        window.go(WELCOME)

    def _wanted(self, name: str) -> None:
        window = self._window
        if name == "open":
            window.filing.ask_open()
        elif name == "demo":
            window.filing.open_demo()
        elif name == "back":
            window.go("Level")
        else:
            window.filing.fill_recent(window.welcome.recent)

    def _start(self, composed: Composed | None) -> None:
        """Opens a show that was composed, at its doing list; None: the empty one, at its first stage."""
        window = self._window
        if composed is None:
            window.go("Cast")
            return

        def opened() -> None:
            window.go_to_view("Feeds", "doing")
            window.say("First the doing list: what to plug and set, in a safe order. Ctrl+S saves the show.")

        # Nobody has saved it yet: it is kept for recovery, and asked about when the window is closed.
        window.document.replace(composed.show, None, restored=True, then=opened)

    def _change(self, again: Recomposed) -> None:
        """Other answers for the show that is open, as one step of undo."""
        self._window.document.apply(again.edits, "Answers changed")
        self._window.go_to_view("Feeds", "doing")
        self._window.say("The answers are changed; what is new to do stands on the list. Ctrl+Z takes it back.")
