"""The menu Book: the stage's views, what is done with the log and the memory, and shows as files, as commands."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.book.words import ACTS, BOOK_COMMANDS, FILES

if TYPE_CHECKING:
    from kymaphon.app.stages.book.stage import BookStage


def fill_book_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], BookStage]) -> None:
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

    def filing(name: str) -> Callable[[], None]:
        return lambda: gone_to().file_act(name)

    for name, words, tip, key in BOOK_COMMANDS:
        action(menu, words, viewing(name), tip, key or None)
    menu.addSeparator()
    for view, name, words, tip in ACTS:
        action(menu, words, doing(view, name), tip)
    menu.addSeparator()
    for name, words, tip in FILES:
        action(menu, words, filing(name), tip)
