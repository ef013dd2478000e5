"""A show, computed: graph, levels, who hears whom. No findings; those are the rules' (`analyse`)."""

from __future__ import annotations

from kymaphon.core.computing.build import build_graph
from kymaphon.core.computing.computed import Computed
from kymaphon.core.computing.facets import changed
from kymaphon.core.graph.routing import all_feeds
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.references import check_references
from kymaphon.core.model.show import Show


def without_rules(show: Show, catalogue: Catalogue) -> Computed:
    """A show, computed, with no findings: for trying what a change would do.

    Raises:
        ShowProblem: a reference in the show leads nowhere.
    """
    kinds = catalogue.with_kinds(*show.kinds)
    check_references(show, kinds)
    return computed(show, kinds)


def computed(show: Show, kinds: Catalogue, before: Computed | None = None, *, remedies: bool = True) -> Computed:
    """The same for a show whose references were checked, with its own kinds in the catalogue.

    Args:
        before: another state of the show: what an edit did not touch is taken from it.
        remedies: whether rules are to look for remedies in it.

    Raises:
        Stopped: it is no longer wanted; see `stopping`.
    """
    if before is None or before.searched_short:
        graph = build_graph(show, kinds)
        transfer = Transfer(graph)
        return Computed(show, kinds, graph, transfer, all_feeds(show, graph, transfer), remedies)
    changes = changed(before.show, show)
    if "levels" in changes:
        graph = build_graph(show, kinds)
        transfer = Transfer(graph)
    else:
        graph, transfer = before.graph, before.transfer
    feeds = all_feeds(show, graph, transfer) if "feeds" in changes else before.feeds
    return Computed(show, kinds, graph, transfer, feeds, remedies, before.left_by(changes))
