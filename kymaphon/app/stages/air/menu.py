"""The menu Air: the stage's views, what is done on air, and its sheets as commands, so that they can be searched."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.air.words import ACTS, AIR_COMMANDS, SHEETS

if TYPE_CHECKING:
    from kymaphon.app.stages.air.stage import AirStage


def fill_air_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], AirStage]) -> None:
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

    for name, words, tip, key in AIR_COMMANDS:
        action(menu, words, viewing(name), tip, key or None)
    action(
        menu,
        "On a second s&creen",
        lambda: gone_to().second_screen(),
        "Now and next in a window of its own; again, and it is gone.",
        "F8",
    )
    menu.addSeparator()
    for view, name, words, tip in ACTS:
        action(menu, words, doing(view, name), tip)
    menu.addSeparator()
    for what, words, tip in SHEETS:
        action(menu, words, lambda what=what: gone_to().save_sheet(what), tip)
