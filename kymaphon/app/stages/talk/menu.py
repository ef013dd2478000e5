"""The menu Talk: the stage's views, forms and sheets as commands, so that they can be searched and have keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.talk.words import ACTS, SHEETS, TALK_COMMANDS

if TYPE_CHECKING:
    from kymaphon.app.stages.talk.stage import TalkStage


def fill_talk_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], TalkStage]) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
    """

    def viewing(name: str) -> Callable[[], None]:
        return lambda: gone_to().choose_view(name)

    def doing(view: str, name: str) -> Callable[[], None]:
        def run() -> None:
            stage = gone_to()
            if stage.view != view:
                stage.choose_view(view)
            stage.act(name)

        return run

    def saving(what: str) -> Callable[[], None]:
        return lambda: gone_to().save_sheet(what)

    for name, words, tip, key in TALK_COMMANDS:
        action(menu, words, viewing(name), tip, key or None)
    menu.addSeparator()
    for view, name, words, tip in ACTS:
        action(menu, words, doing(view, name), tip)
    menu.addSeparator()
    for what, words, tip in SHEETS:
        action(menu, words, saving(what), tip)
