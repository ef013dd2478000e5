"""A show as it is, and as its first remedies would leave it, for somebody who wants to hear the difference."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.analysis.offers import with_offers
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Show

MOST = 5


@dataclass(frozen=True, slots=True)
class Version:
    """One state of a show.

    Attributes:
        label: what was done; `about`: the finding that it is for.
    """

    label: str
    about: str
    show: Show


def versions_for(report: Report, listener: str) -> tuple[Version, ...]:
    """The show as it is, then with the first remedy of each finding that a listener hears of, those that may be offered."""
    out = [Version("As the show is", "", report.show)]
    for finding in report.findings:
        heard = listener in finding.subjects or any(pair[0] == listener for pair in finding.pairs)
        if finding.severity == "note" or not heard or len(out) > MOST:
            continue
        first = next(iter(with_offers(report, finding).remedies), None)
        if first is not None:
            out.append(Version(first.label, finding.title, first.apply(report.show)))
    return tuple(out)
