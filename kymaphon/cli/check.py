"""The command `check`: findings; what can be done, each remedy tried on the show; and remedies applied."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kymaphon.cli.answer import Unusable, load, print_json, save

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report
    from kymaphon.core.model.findings import Finding


def add_check_options(row: argparse.ArgumentParser) -> None:
    row.add_argument(
        "--do",
        action="append",
        metavar="FINDING:REMEDY",
        help="apply a remedy, by the ids that are printed; several in order; needs -o",
    )
    row.add_argument(
        "--remedies",
        action="store_true",
        help="what can be done about each finding, every remedy tried on the show: some seconds (--json has them always)",
    )
    row.add_argument("-o", "--output", metavar="SHOW", help="with --do: the show file to write")


def check(options: argparse.Namespace) -> int:
    if bool(options.do) != bool(options.output):
        raise Unusable("--do and -o go together: what to apply, and the show file to write")
    analysis = load(options.show)
    if options.do:
        analysis = _done(analysis, options.do)
        save(analysis.show, options.show, options.output)
    from kymaphon.core.report.before_air import before_air

    counts = analysis.counts()
    if options.json:
        rows = offered(analysis)
        print_json(
            {
                "findings": [{"id": name, **row.to_json()} for name, row in rows.items()],
                "before_air": list(before_air(analysis)),
            }
        )
    else:
        _print(analysis, remedies=options.remedies)
        rows_before = before_air(analysis)
        if rows_before:
            print("Before air:")
            for text in rows_before:
                print(f"  [ ] {text}")
        print(f"{counts['stop']} to stop for, {counts['fix']} to fix, {counts['note']} to note")
        if not options.remedies and any(row.may_have_remedies for row in analysis.findings):
            print("What can be done about them: --remedies")
    return 1 if counts["stop"] else 0


def _print(analysis: Report, *, remedies: bool) -> None:
    from kymaphon.core.analysis.offers import with_offers
    from kymaphon.core.model.findings import finding_ids

    for name, found in finding_ids(analysis.findings).items():
        print(f"{found.severity.upper():5}{found.code}: {found.message}")
        if not remedies:
            continue
        row = with_offers(analysis, found)
        for remedy in row.remedies:
            print(f"       - {remedy.label}  [{name}:{remedy.id}]")
        for text in row.refused:
            print(f"         {text}")


def offered(analysis: Report) -> dict[str, Finding]:
    """Finding id -> finding with just what is offered, worst first."""
    from kymaphon.core.analysis.offers import with_offers
    from kymaphon.core.model.findings import finding_ids

    return {name: with_offers(analysis, row) for name, row in finding_ids(analysis.findings).items()}


def _done(analysis: Report, wanted: list[str]) -> Report:
    """The show with remedies applied one after the other, each found in what the last one left.

    Raises:
        Unusable: there is no such finding any more, or it offers no such remedy.
    """
    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.core.analysis.offers import with_offers
    from kymaphon.core.model.findings import finding_ids, present_id

    for name in wanted:
        given, _, remedy_id = name.rpartition(":")
        finding_id = present_id(given)
        known = finding_ids(analysis.findings)
        if finding_id not in known:
            raise Unusable(f"--do {name}: no such finding; there are: {', '.join(known) or 'none'}")
        finding = with_offers(analysis, known[finding_id])
        remedy = next((row for row in finding.remedies if row.id == remedy_id), None)
        if remedy is None:
            ids = ", ".join(row.id for row in finding.remedies) or "none"
            raise Unusable(f"--do {name}: {finding_id} offers no such remedy; it offers: {ids}")
        analysis = analyse(remedy.apply(analysis.show), analysis.catalogue)
    return analysis
