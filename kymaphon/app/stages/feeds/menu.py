"""The menu Feeds: the stage's views and forms as commands, so that they can be searched and have keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.feeds.words import FEED_COMMANDS
from kymaphon.core.words import counted

if TYPE_CHECKING:
    from kymaphon.app.stages.feeds.stage import FeedsStage


def fill_feeds_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], FeedsStage]) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
    """

    def viewing(name: str) -> Callable[[], None]:
        return lambda: gone_to().choose_view(name)

    for name, words, tip, key in FEED_COMMANDS:
        action(menu, words, viewing(name), tip, key or None)
    menu.addSeparator()

    def by_role() -> None:
        from kymaphon.core.model.wants import wants_by_role

        stage = gone_to()
        edits = wants_by_role(stage.document.show)
        if edits:
            stage.document.apply(edits, f"{counted(len(edits), 'want')} by role")
        else:
            stage.say.emit("Everything that goes by the roles has been asked for.")

    action(
        menu,
        "This &listener in one sentence",
        lambda: gone_to().choose_listener(),
        "What the listener of the chosen pair hears, and should.",
        "Ctrl+T",
    )
    action(
        menu,
        "Ask for everything by &role",
        by_role,
        "Adds the wants that go by the roles and that nobody has said; what was asked stays.",
    )
    menu.addSeparator()

    def form(name: str) -> Callable[[], None]:
        def run() -> None:
            stage = gone_to()
            stage.choose_view("out")
            stage.act(name)

        return run

    action(menu, "&Recording\u2026", form("recording"), "Tracks, bits, files, length, free space.")
    action(
        menu,
        "Stream and &network\u2026",
        form("stream"),
        "What is sent, and what the network was measured to carry.",
    )
