"""What breaks in a segment and not in the show as it stands: every rule asked of the rig in that segment's state."""

from __future__ import annotations

from kymaphon.core.analysis.analyse import report
from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.rundown import Segment
from kymaphon.core.rundown.states import heard_in, state_of


@reading("feeds", "takes")
def _kept(analysis: Computed) -> dict[frozenset[str], tuple[Finding, ...]]:
    """What was found of states that were asked for; with the figures that they are of."""
    return {}


def breaks_in(analysis: Report, segment: Segment) -> tuple[Finding, ...]:
    """What is to stop for or to fix once a segment is on, and is not now: an echo by a channel that is shut as the show stands, a loop that
    its mute holds. What the rundown's own rules find is told by them.

    Raises:
        Stopped: it is no longer wanted; see `stopping`.
    """
    on = heard_in(segment)
    kept = analysis.once(_kept)
    if on not in kept:
        known = {row.key for row in analysis.findings}
        found = report(state_of(analysis, on).figures).findings
        kept[on] = tuple(row for row in found if row.severity != "note" and row.stage != "Air" and row.key not in known)
    return kept[on]
