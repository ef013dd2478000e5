"""A show, computed: graph, levels, who hears whom. No findings; those are the rules' (`analyse`)."""

from __future__ import annotations

from collections.abc import Callable

from kymaphon.core.computing.build import build_graph
from kymaphon.core.computing.computed import Computed
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


def computed(
    show: Show, kinds: Catalogue, unwanted: Callable[[], bool] | None = None, *, remedies: bool = True
) -> Computed:
    """The same for a show whose references were checked, with its own kinds in the catalogue.

    Args:
        remedies: whether rules are to look for remedies in it.

    Raises:
        Stopped: `unwanted` said so.
    """
    graph = build_graph(show, kinds)
    transfer = Transfer(graph)
    transfer.effort.unwanted = unwanted
    return Computed(show, kinds, graph, transfer, all_feeds(show, graph, transfer), remedies)
