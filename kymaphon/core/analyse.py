"""From a show to everything computed of it: the one way in for the window, the commands and the tests."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from kymaphon.core.analysis import Analysis
from kymaphon.core.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.compute import computed
from kymaphon.core.findings import Finding, worst_first
from kymaphon.core.references import check_references
from kymaphon.core.rules import ALL_RULES, NOTES_ONLY
from kymaphon.core.show import Show

KEPT = (
    "circles",
    "noise",
    "flow",
    "ladders",
    "open_microphones",
    "loudspeaker_db",
    "_sounds",
    "main_ladders",
    "microphones",
)


def analyse(
    show: Show,
    catalogue: Catalogue | None = None,
    *,
    remedies: bool = True,
    unwanted: Callable[[], bool] | None = None,
) -> Analysis:
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
    bare = replace(computed(show, kinds, unwanted), remedies=remedies)
    rules = [check for check in ALL_RULES if remedies or check not in NOTES_ONLY]
    found: list[Finding] = []
    for check in rules:
        bare.transfer.effort.check()
        found += check(bare)
    bare.transfer.effort.unwanted = None
    done = replace(bare, findings=worst_first(found))
    # What the rules already had computed is not computed again.
    done.__dict__.update({name: bare.__dict__[name] for name in KEPT if name in bare.__dict__})
    return done
