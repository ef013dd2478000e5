"""The work surface of a stage, made when it is first gone to; only then is its code read."""

from __future__ import annotations

from collections.abc import Callable

from kymaphon.app.document import Document
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme


def made(stage: str, document: Document, theme: Theme, say: Callable[[str], None]) -> StageSurface:
    """A stage's surface.

    Args:
        say: puts one line into the status line.
    """
    if stage == "Level":
        from kymaphon.app.stages.level.stage import LevelStage

        level = LevelStage(document, theme)
        level.say.connect(say)
        return level
    if stage == "Quiet":
        from kymaphon.app.stages.quiet.stage import QuietStage

        quiet = QuietStage(document, theme)
        quiet.say.connect(say)
        return quiet
    if stage == "Feeds":
        from kymaphon.app.stages.feeds.stage import FeedsStage

        feeds = FeedsStage(document, theme)
        feeds.say.connect(say)
        return feeds
    if stage == "Cast":
        from kymaphon.app.stages.cast.stage import CastStage

        return CastStage(document, theme)
    if stage == "Rig":
        from kymaphon.app.stages.rig.stage import RigStage

        return RigStage(document, theme)
    if stage == "Prove":
        from kymaphon.app.stages.prove.stage import ProveStage

        prove = ProveStage(document, theme)
        prove.say.connect(say)
        return prove
    from kymaphon.app.stages.coming import ComingStage

    return ComingStage(stage, document, theme)
