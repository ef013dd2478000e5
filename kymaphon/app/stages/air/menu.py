"""The menu Air: the stage's views, what is done on air, and its sheets as commands, so that they can be searched."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.air.words import ACTS, AIR_COMMANDS, SHEETS
from kymaphon.app.stages.stage_menu import fill_acts, fill_names, fill_views

if TYPE_CHECKING:
    from kymaphon.app.stages.air.stage import AirStage


def fill_air_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], AirStage]) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
    """

    fill_views(menu, action, gone_to, AIR_COMMANDS)
    action(
        menu,
        "On a second s&creen",
        lambda: gone_to().second_screen(),
        "Now and next in a window of its own; again, and it is gone.",
        "F8",
    )
    fill_acts(menu, action, gone_to, ACTS)
    fill_names(menu, action, lambda what: gone_to().save_sheet(what), SHEETS)
