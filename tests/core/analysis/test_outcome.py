"""The one judge: a show against itself is equal, nothing that people hear is outside it, and what is offered takes nothing away."""

from __future__ import annotations

import json
from random import Random
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import OPENS, costs_of, offers_of, tried
from kymaphon.core.analysis.outcome import PLUGS, outcome_of, worse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.edits import Edit, SetField, SetValue, Unplug, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.report.mixes import feeds_json
from kymaphon.core.report.rundown import rundown_json
from kymaphon.core.report.talk import talk_json
from kymaphon.files.demo import FAULTY, FINAL, demo_path
from kymaphon.files.show_file import read_show
from tests.budget import some, tries
from tests.core import hand_typed
from tests.core.talk.rigs import van

SHOWS = {"first act": FAULTY, "second act": FINAL}
TYPED = ("lesson", "choir", "commentary", "interpreter", "play", "phone_in", "rehearsal", "concert", "classroom")


@pytest.fixture(scope="module", params=SHOWS)
def report(request: pytest.FixtureRequest) -> Report:
    return analyse(read_show(demo_path(SHOWS[request.param])), remedies=False)


def printed(report: Report) -> str:
    """What the commands tell of who hears whom, of the circuits, and of the rundown."""
    talk = talk_json(report)
    return json.dumps([feeds_json(report), talk, rundown_json(report)], sort_keys=True, default=str)


def any_edit(report: Report, draw: Random) -> Edit:
    """A knob, a switch, a lead out, somebody elsewhere, a segment longer."""
    knobs = [knob for edge in report.graph.edges for knob in edge.knobs if knob.highest > knob.lowest]
    switches = [row for edge in report.graph.edges for row in edge.switches]
    placed = [row for row in report.show.parties if row.at_m is not None]
    sorts: list[Edit] = [Unplug(*draw.choice(report.show.cables).ends)]
    knob, switch = draw.choice(knobs), draw.choice(switches)
    sorts += [
        SetValue(knob.ref, knob.snap(draw.uniform(knob.lowest, knob.highest))),
        SetValue(switch.ref, not switch.now),
    ]
    who = draw.choice(placed)
    sorts.append(SetField("parties", who.id, "at_m", (draw.uniform(0.5, 2), draw.uniform(0.5, 2))))
    if report.show.rundown:
        segment = draw.choice(report.show.rundown)
        sorts.append(SetField("rundown", segment.id, "length_s", (segment.longest_s or segment.length_s or 60.0) + 0.0))
    return draw.choice(sorts)


def test_a_show_against_itself_is_equal(report: Report) -> None:
    again = analyse(report.show, report.catalogue, remedies=False)
    assert outcome_of(report).same(outcome_of(again))
    assert worse(outcome_of(report), outcome_of(again)) == ()
    assert costs_of(report, again) == ()


@pytest.mark.parametrize("seed", range(tries(10)))
def test_nothing_that_is_told_is_outside_it(report: Report, seed: int) -> None:
    """What changes any figure that `feeds`, `talk` or `rundown` print changes the outcome."""
    edit = any_edit(report, Random(seed))
    after = analyse(apply_all(report.show, (edit,)), report.catalogue, remedies=False)
    if printed(after) != printed(report):
        assert not outcome_of(after).same(outcome_of(report)), edit


def test_a_key_released_that_takes_somebody_from_a_circuit_is_told() -> None:
    """Nobody's Feeds change by it: circuits are solved with their keys down."""
    show = read_show(demo_path(FINAL))
    report = analyse(show, remedies=False)
    off = tried(report, (SetValue(SettingRef("matrix", "k1-8", "on"), False),))
    assert off is not None
    lost = [row for row in costs_of(report, off) if row.sort == "circuit"]
    was, now = outcome_of(report).rows, outcome_of(off).rows
    gone = [
        key for key, row in was.items() if key[0] == "circuit" and row.state == "usable" and now[key].state != "usable"
    ]
    assert len([row for row in lost if "no longer" in row.words]) == len(gone)


def test_what_only_the_circuits_have_is_seen() -> None:
    show = van()
    report = analyse(show, remedies=False)
    quiet = tried(report, (SetValue(SettingRef("box", "volume", "gain_db"), -60.0),))
    assert quiet is not None
    assert {row.sort for row in costs_of(report, quiet)} & {"circuit", "pair", "lost"}


def _typed(name: str) -> Show:
    make: Any = getattr(hand_typed, name)
    return make()


@pytest.mark.parametrize("name", some(("second act", *TYPED), 6))
def test_no_remedy_that_is_offered_lowers_what_a_stage_counts_as_settled(name: str) -> None:
    """But where it says so first: what it plugs anew, or what was silent and is not any more, may leave a level to be set after it."""
    report = analyse(read_show(demo_path(FINAL)) if name == "second act" else _typed(name))
    before = analyse(report.show, report.catalogue, remedies=False)
    for finding in report.findings:
        for remedy in offers_of(report, finding).remedies:
            after = analyse(remedy.apply(report.show), report.catalogue, remedies=False)
            fewer = [
                stage
                for stage, was in before.stages.items()
                if stage not in ("Prove", "Book") and after.stages[stage].settled < was.settled
            ]
            said = remedy.label.startswith("Then ") or finding.code in OPENS
            assert not fewer or (
                said and any(isinstance(edit, PLUGS) or finding.code in OPENS for edit in remedy.edits)
            ), (
                finding.code,
                remedy.label,
                fewer,
            )
