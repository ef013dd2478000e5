"""The menu Talk: the stage's views, forms and sheets as commands, so that they can be searched and have keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.stage_menu import fill_acts, fill_names, fill_views
from kymaphon.app.stages.talk.words import ACTS, SHEETS, TALK_COMMANDS

if TYPE_CHECKING:
    from kymaphon.app.stages.talk.stage import TalkStage


def fill_talk_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], TalkStage]) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
    """

    fill_views(menu, action, gone_to, TALK_COMMANDS)
    fill_acts(menu, action, gone_to, ACTS)
    fill_names(menu, action, lambda what: gone_to().save_sheet(what), SHEETS)
