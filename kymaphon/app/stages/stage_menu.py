"""What a stage's menu has in common with the others: its views, then what can be done in them, as commands."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

if TYPE_CHECKING:
    from kymaphon.app.stages.paged import PagedStage

MakeAction = Callable[..., QAction]


def fill_views(
    menu: QMenu, action: MakeAction, gone_to: Callable[[], PagedStage], rows: Iterable[tuple[str, str, str, str]]
) -> None:
    """A command for each view: (view, words, tip, key, empty for none).

    Args:
        action: what the window makes its actions with: menu, words, what to run, tip, key.
        gone_to: shows the stage, and gives it.
    """

    def viewing(name: str) -> Callable[[], None]:
        return lambda: gone_to().choose_view(name)

    for name, words, tip, key in rows:
        action(menu, words, viewing(name), tip, key or None)


def fill_acts(
    menu: QMenu, action: MakeAction, gone_to: Callable[[], PagedStage], rows: Iterable[tuple[str, str, str, str]]
) -> None:
    """A command for each act: (view that it is done in, act, words, tip), below a line."""

    def doing(view: str, name: str) -> Callable[[], None]:
        def run() -> None:
            stage = gone_to()
            if stage.view != view:
                stage.choose_view(view)
            stage.act(name)

        return run

    menu.addSeparator()
    for view, name, words, tip in rows:
        action(menu, words, doing(view, name), tip)


def fill_names(
    menu: QMenu, action: MakeAction, run: Callable[[str], object], rows: Iterable[tuple[str, str, str]]
) -> None:
    """A command for each name: (name, words, tip), below a line; `run` gets the name."""

    def running(name: str) -> Callable[[], object]:
        return lambda: run(name)

    menu.addSeparator()
    for name, words, tip in rows:
        action(menu, words, running(name), tip)
