"""From a show to everything computed of it: the one way in for the window, the commands and the tests."""

from __future__ import annotations

from collections.abc import Callable

from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.compute import computed
from kymaphon.core.computing.computed import Computed
from kymaphon.core.computing.facets import ALL, Facet, changed
from kymaphon.core.model.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.references import check_references
from kymaphon.core.model.show import Show
from kymaphon.core.stopping import check_wanted, stopped_by


def analyse(
    show: Show,
    catalogue: Catalogue | None = None,
    *,
    before: Report | None = None,
    remedies: bool = True,
    unwanted: Callable[[], bool] | None = None,
) -> Report:
    """Computes a show.

    Args:
        before: the report of another state of it, with the same kinds: what an edit did not touch is taken from it.
        remedies: whether to look for the switches that would cure what is found; without, only what is wrong is told.
        unwanted: asked between steps whether the answer is no longer wanted; from any thread.

    Raises:
        ShowProblem: a reference in the show leads nowhere.
        Stopped: `unwanted` said so.
    """
    with stopped_by(unwanted):
        return report(figures_of(show, catalogue, before=before, remedies=remedies), before)


def figures_of(
    show: Show,
    catalogue: Catalogue | None = None,
    *,
    before: Computed | None = None,
    remedies: bool = True,
) -> Computed:
    """The figures of a show, without findings; those `report` adds. Arguments and errors are those of `analyse`."""
    kinds = (catalogue or shipped_catalogue()).with_kinds(*show.kinds)
    check_references(show, kinds)
    return computed(show, kinds, before, remedies=remedies)


def report(figures: Computed, before: Report | None = None) -> Report:
    """What the rules find in some figures. Those that read no facet that has changed since `before` are not asked anew.

    Raises:
        Stopped: it is no longer wanted; see `stopping`.
    """
    # Read when they are first asked: the figures are on screen by then.
    from kymaphon.core.rules import RULES

    changes = _changes(figures, before)
    found: dict[str, tuple[Finding, ...]] = {}
    for rule in RULES:
        if rule.notes_only and not figures.remedies:
            continue
        check_wanted()
        known = before.found.get(rule.name) if before is not None and rule.reads.isdisjoint(changes) else None
        found[rule.name] = tuple(rule.check(figures)) if known is None else known
    return Report.of(figures, found)


def _changes(figures: Computed, before: Report | None) -> frozenset[Facet]:
    if before is None or before.remedies != figures.remedies or before.searched_short:
        return ALL
    changes = changed(before.show, figures.show)
    if "sound" in changes and (
        before.shut_microphones == figures.shut_microphones and before.loudspeaker_db == figures.loudspeaker_db
    ):
        # A gain seldom reaches a loudspeaker.
        changes -= {"sound"}
        figures.take_from(before, changes)
    return changes
