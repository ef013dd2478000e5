"""The menu Prove: the stage's views and what is done in them as commands, so that they can be searched and have keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.prove.words import PROVE_COMMANDS

if TYPE_CHECKING:
    from kymaphon.app.stages.prove.stage import ProveStage

ACTS = (
    ("next", "Ne&xt tap", "The tap that settles most of what is still open."),
    (
        "read",
        "&Read from the simulated rig",
        "Answers this tap as a rig plays it, with the hidden fault where there is one.",
    ),
    ("plant", "&Hide a fault in the simulated rig", "For practice: one fault, somewhere, to be found by tapping."),
    ("reveal", "Show the hidden &fault", "Ends the practice: where it was."),
    ("restart", "&Begin the tap test anew", "Forgets what was seen; what is proven stays in the log."),
)


def fill_prove_menu(menu: QMenu, action: Callable[..., QAction], gone_to: Callable[[], ProveStage]) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
    """

    def viewing(name: str) -> Callable[[], None]:
        return lambda: gone_to().choose_view(name)

    def doing(name: str) -> Callable[[], None]:
        def run() -> None:
            stage = gone_to()
            if stage.view != "tap":
                stage.choose_view("tap")
            stage.act(name)

        return run

    for name, words, tip, key in PROVE_COMMANDS:
        action(menu, words, viewing(name), tip, key or None)
    menu.addSeparator()
    for name, words, tip in ACTS:
        action(menu, words, doing(name), tip)
