"""A show, computed: graph, levels, who hears whom. No findings; those are the rules' (`analyse`)."""

from __future__ import annotations

from collections.abc import Callable

from kymaphon.core.analysis import Analysis
from kymaphon.core.build import build_graph
from kymaphon.core.catalogue import Catalogue
from kymaphon.core.references import check_references
from kymaphon.core.routing import all_feeds
from kymaphon.core.show import Show
from kymaphon.core.transfer import Transfer


def without_rules(show: Show, catalogue: Catalogue) -> Analysis:
    """A show, computed, with no findings: for trying what a change would do.

    Raises:
        ShowProblem: a reference in the show leads nowhere.
    """
    kinds = catalogue.with_kinds(*show.kinds)
    check_references(show, kinds)
    return computed(show, kinds)


def computed(show: Show, kinds: Catalogue, unwanted: Callable[[], bool] | None = None) -> Analysis:
    """The same for a show whose references were checked, with its own kinds in the catalogue.

    Raises:
        Stopped: `unwanted` said so.
    """
    graph = build_graph(show, kinds)
    transfer = Transfer(graph)
    transfer.effort.unwanted = unwanted
    return Analysis(show, kinds, graph, transfer, all_feeds(show, graph, transfer))
