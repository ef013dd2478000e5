"""The menu Level: everything of the stage as commands, so that it can be searched and has keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction, QActionGroup
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.level.words import LEVEL_COMMANDS

if TYPE_CHECKING:
    from kymaphon.app.document import Document
    from kymaphon.app.stages.level.forms import LevelForms
    from kymaphon.app.stages.level.stage import LevelStage


def fill_level_menu(
    menu: QMenu,
    action: Callable[..., QAction],
    gone_to: Callable[[], LevelStage],
    forms: Callable[[], LevelForms],
) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
        forms: the forms of marks and practices, made when they are first wanted.
    """

    def viewing(name: str) -> Callable[[], None]:
        return lambda: gone_to().choose_view(name)

    for name, words, tip, key in LEVEL_COMMANDS:
        action(menu, words, viewing(name), tip, key or None)
    menu.addSeparator()
    action(
        menu,
        "L&ouder or quieter\u2026",
        lambda: forms().louder(gone_to().voice),
        "What to turn for one voice to be so much louder, whether it then clips, and who moves with it.",
        "Ctrl+Shift+U",
    )
    action(
        menu,
        "&Marks of points\u2026",
        lambda: forms().marks(),
        "A practice for each sort of point, and the alignments of the house.",
    )
    action(
        menu,
        "A practice of your &own\u2026",
        lambda: forms().own_practice(),
        "A copy of the practice in force, with figures of your own.",
    )
    action(
        menu,
        "&Safety copy of the voice\u2026",
        lambda: forms().safety(gone_to().voice),
        "A second track of the voice on screen, recorded lower.",
    )


def fill_practice_menu(menu: QMenu, document: Document) -> None:
    """The practices that there are, shipped and own; the one in force is marked."""
    from kymaphon.core.model.edits import SetField
    from kymaphon.core.model.practice import practices
    from kymaphon.core.model.scales import SOUND

    menu.clear()
    group = QActionGroup(menu)
    for practice in practices(document.show.practices).values():
        if practice.scale == SOUND:
            continue  # a room's loudspeakers have a mark of their own
        row = QAction(practice.name, menu)
        row.setCheckable(True)
        row.setChecked(practice.id == document.show.practice)
        row.setStatusTip(practice.source or practice.where)
        row.setData(practice.id)
        row.triggered.connect(
            lambda _checked=False, chosen=practice: document.apply(
                (SetField("show", None, "practice", chosen.id),), f"Practice: {chosen.name}"
            )
        )
        group.addAction(row)
        menu.addAction(row)
