"""The work surface of a stage, made when it is first gone to; only then is its code read."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from kymaphon.app.document import Document
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme

if TYPE_CHECKING:
    from kymaphon.app.stages.welcome.surface import WelcomeSurface


def made(stage: str, document: Document, theme: Theme, say: Callable[[str], None]) -> StageSurface:
    """A stage's surface.

    Args:
        say: puts one line into the status line.
    """
    surface = _surface(stage, document, theme)
    surface.say.connect(say)
    return surface


def _surface(stage: str, document: Document, theme: Theme) -> PagedStage | WelcomeSurface:
    if stage == "Welcome":
        from kymaphon.app.stages.welcome.surface import WelcomeSurface

        return WelcomeSurface(document, theme)
    if stage == "Cast":
        from kymaphon.app.stages.cast.stage import CastStage

        return CastStage(document, theme)
    if stage == "Rig":
        from kymaphon.app.stages.rig.stage import RigStage

        return RigStage(document, theme)
    if stage == "Level":
        from kymaphon.app.stages.level.stage import LevelStage

        return LevelStage(document, theme)
    if stage == "Quiet":
        from kymaphon.app.stages.quiet.stage import QuietStage

        return QuietStage(document, theme)
    if stage == "Feeds":
        from kymaphon.app.stages.feeds.stage import FeedsStage

        return FeedsStage(document, theme)
    if stage == "Talk":
        from kymaphon.app.stages.talk.stage import TalkStage

        return TalkStage(document, theme)
    if stage == "Prove":
        from kymaphon.app.stages.prove.stage import ProveStage

        return ProveStage(document, theme)
    if stage == "Air":
        from kymaphon.app.stages.air.stage import AirStage

        return AirStage(document, theme)
    from kymaphon.app.stages.book.stage import BookStage

    return BookStage(document, theme)
