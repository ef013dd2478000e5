"""The menu Rig: everything of the stage as commands, so that it can be searched and has keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.rig.words import RIG_COMMANDS, RIG_VIEWS

if TYPE_CHECKING:
    from kymaphon.app.stages.rig.stage import RigStage


def fill_rig_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], RigStage]) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
    """

    def wanting(name: str) -> Callable[[], None]:
        return lambda: gone_to().wanted(name)

    def viewing(name: str) -> Callable[[], None]:
        return lambda: gone_to().choose_view(name)

    for name, words, tip, key in RIG_COMMANDS:
        if name in ("run", "find", "import"):
            menu.addSeparator()
        action(menu, words, wanting(name), tip, key or None)
    menu.addSeparator()
    for name, words, tip in RIG_VIEWS:
        action(menu, f"Show {words.lower()}", viewing(name), tip)
