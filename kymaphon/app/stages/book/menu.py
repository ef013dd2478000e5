"""The menu Book: the stage's views, what is done with the log and the memory, and shows as files, as commands."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.book.words import ACTS, BOOK_COMMANDS, FILES
from kymaphon.app.stages.stage_menu import fill_acts, fill_names, fill_views

if TYPE_CHECKING:
    from kymaphon.app.stages.book.stage import BookStage


def fill_book_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], BookStage]) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
    """

    fill_views(menu, action, gone_to, BOOK_COMMANDS)
    fill_acts(menu, action, gone_to, ACTS)
    fill_names(menu, action, lambda name: gone_to().file_act(name), FILES)
