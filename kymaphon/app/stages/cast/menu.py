"""The menu Cast: everything of the stage as commands, so that it can be searched and has keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.cast.words import CAST_COMMANDS, CAST_VIEWS

if TYPE_CHECKING:
    from kymaphon.app.stages.cast.stage import CastStage


def fill_cast_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], CastStage]) -> QAction:
    """Fills the menu; gives the action that shows the bands.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key, check.
        gone_to: shows the stage, and gives it.
    """

    def there(run: Callable[[CastStage], None]) -> Callable[[], None]:
        return lambda: run(gone_to())

    def wanting(name: str) -> Callable[[], None]:
        return there(lambda cast: cast.wanted(name))

    def viewing(name: str) -> Callable[[], None]:
        return there(lambda cast: cast.choose_view(name))

    for name, words, tip, key in CAST_COMMANDS:
        action(menu, words, wanting(name), tip, key or None)
    menu.addSeparator()
    for name, words, tip in CAST_VIEWS:
        action(menu, f"Show {words.lower()}", viewing(name), tip)
    tip = "The selected party's voice over the room at every spot, in bands of 6 dB."
    bands: QAction = action(
        menu, "&Bands on the plan", there(lambda cast: cast.show_bands(bands.isChecked())), tip, check=True
    )
    return bands
