"""From a show to everything computed of it: the one way in for the window, the commands and the tests."""

from __future__ import annotations

from collections.abc import Callable

from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.compute import computed
from kymaphon.core.model.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.model.findings import Finding, worst_first
from kymaphon.core.model.references import check_references
from kymaphon.core.model.show import Show
from kymaphon.core.rules import ALL_RULES, NOTES_ONLY


def analyse(
    show: Show,
    catalogue: Catalogue | None = None,
    *,
    remedies: bool = True,
    unwanted: Callable[[], bool] | None = None,
) -> Report:
    """Computes a show.

    Args:
        remedies: whether to look for the switches that would cure what is found; without, only what is wrong is told.
        unwanted: asked between steps whether the answer is no longer wanted; from any thread.

    Raises:
        ShowProblem: a reference in the show leads nowhere.
        Stopped: `unwanted` said so.
    """
    kinds = (catalogue or shipped_catalogue()).with_kinds(*show.kinds)
    check_references(show, kinds)
    bare = computed(show, kinds, unwanted, remedies=remedies)
    rules = [check for check in ALL_RULES if remedies or check not in NOTES_ONLY]
    found: list[Finding] = []
    for check in rules:
        bare.transfer.effort.check()
        found += check(bare)
    bare.transfer.effort.unwanted = None
    return Report.of(bare, worst_first(found))
