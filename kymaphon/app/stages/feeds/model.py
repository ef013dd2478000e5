"""What the views of Feeds share: the plan, computed in a worker when a view wants it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from kymaphon.app.document import Document
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import cost_words
from kymaphon.core.analysis.report import Report
from kymaphon.core.mixes.planner import FeedPlan, plan_feeds
from kymaphon.core.mixes.ways_out import WayOut, ways_out
from kymaphon.core.model.show import Show

Planned = tuple[FeedPlan, tuple[WayOut, ...], str]


def _planned(show: Show, known: Report) -> Planned:
    # What is found in another state of the show, or was held over from one, is nothing to hold a plan against.
    report = known if known.show is show and not known.standing else analyse(show, known.catalogue, remedies=False)
    plan = plan_feeds(show, report.catalogue)
    return plan, ways_out(show, report.catalogue, plan), cost_words(report, plan.edits)


class FeedsModel(QObject):
    """The newest plan.

    Signals:
        planned: another plan is there, or none can be made.
    """

    planned = Signal()

    def __init__(self, document: Document, say: Callable[[str], object]) -> None:
        super().__init__()
        self.document, self._say = document, say
        self.plan: FeedPlan | None = None
        self.ways: tuple[WayOut, ...] = ()
        self.costs = ""
        self.problem = ""
        self._of: Show | None = None
        self._asked: Show | None = None
        self._worker = Worker(self, self._arrived, self._failed)

    @property
    def fresh(self) -> bool:
        """Whether the plan is that of the show as it is."""
        return self._of is self.document.show

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def want(self) -> None:
        """Somebody looks at the plan: it is made anew if the show has changed since."""
        show, analysis = self.document.show, self.document.analysis
        if self._of is show or self._asked is show:
            return
        self._asked = show
        self._worker.ask(lambda: _planned(show, analysis), show)

    def _arrived(self, about: object, result: object) -> None:
        assert isinstance(about, Show)
        assert isinstance(result, tuple)
        self._of = about
        self.plan, self.ways, self.costs = result
        self.problem = ""
        self.planned.emit()

    def _failed(self, error: Exception) -> None:
        self._of, self.plan, self.ways, self.costs = self._asked, None, (), ""
        self.problem = str(error)
        self._say(f"No plan: {error}")
        self.planned.emit()
