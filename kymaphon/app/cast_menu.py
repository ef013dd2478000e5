"""The menu Cast: everything of the stage as commands, so that it can be searched and has keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.cast_words import CAST_COMMANDS, CAST_VIEWS

if TYPE_CHECKING:
    from kymaphon.app.window import Window


def fill_cast_menu(window: Window, menu: QMenu, action: Callable[..., QAction]) -> QAction:
    """Fills the menu; gives the action that shows the bands.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key, check.
    """

    def there(run: Callable[[Any], None]) -> Callable[[], None]:
        def go() -> None:
            window.go("Cast")
            run(window.cast)

        return go

    def wanting(name: str) -> Callable[[], None]:
        return there(lambda cast: cast.wanted(name))

    def viewing(name: str) -> Callable[[], None]:
        return there(lambda cast: cast.choose_view(name))

    for name, words, tip in CAST_COMMANDS:
        action(menu, words, wanting(name), tip)
    menu.addSeparator()
    for name, words, tip in CAST_VIEWS:
        action(menu, f"Show {words.lower()}", viewing(name), tip)
    tip = "The selected party's voice over the room at every spot, in bands of 6 dB."
    bands: QAction = action(
        menu, "&Bands on the plan", lambda: window.cast.show_bands(bands.isChecked()), tip, check=True
    )
    menu.addSeparator()
    keys = QKeySequence.StandardKey
    action(
        menu,
        "Nearer to the plan",
        there(lambda cast: cast.picture.zoom(1)),
        "Around what is selected. Also Ctrl and the wheel.",
        keys.ZoomIn,
    )
    action(
        menu,
        "Further from the plan",
        there(lambda cast: cast.picture.zoom(-1)),
        "Around what is selected. Also Ctrl and the wheel.",
        keys.ZoomOut,
    )
    action(
        menu,
        "The whole place",
        there(lambda cast: cast.picture.zoom(0)),
        "Shows the whole plan again.",
        "Ctrl+0",
    )
    return bands
