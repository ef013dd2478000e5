"""The menu Quiet: the stage's views and the recording of takes as commands, so that they can be searched and have keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from kymaphon.app.stages.quiet.words import QUIET_COMMANDS

if TYPE_CHECKING:
    from kymaphon.app.stages.quiet.stage import QuietStage
    from kymaphon.app.takes import TakeDesk


def fill_quiet_menu(
    menu: QMenu,
    action: Callable[..., QAction],
    gone_to: Callable[[], QuietStage],
    takes: Callable[[], TakeDesk],
) -> None:
    """Fills the menu.

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
        takes: what records and attaches takes.
    """

    def viewing(name: str) -> Callable[[], None]:
        return lambda: gone_to().choose_view(name)

    for name, words, tip, key in QUIET_COMMANDS:
        action(menu, words, viewing(name), tip, key or None)
    menu.addSeparator()

    def record(what: str, *, real: bool = False) -> Callable[[], None]:
        return lambda: takes().record(gone_to().model.voice, what, real=real)

    action(
        menu,
        "Record the &room on the simulated rig",
        record("room-tone"),
        "Ten seconds of the voice's channel with nobody speaking, attached to the voice.",
    )
    action(
        menu,
        "Record &talk on the simulated rig",
        record("voice"),
        "Half a minute of the voice's channel, attached to the voice. With people: tell them before you record.",
    )
    action(
        menu,
        "Record the room from a real input\u2026",
        record("room-tone", real=True),
        "Through the sound library, if the extra 'capture' is installed.",
    )
    action(
        menu,
        "Record talk from a real input\u2026",
        record("voice", real=True),
        "Through the sound library, if the extra 'capture' is installed.",
    )
