"""Talkback beside what the other stages do: its boxes are no mixers, and every remedy and plan of the second act can be looked at."""

from __future__ import annotations

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import with_offers
from kymaphon.core.mixes.mixer import mixers_of, mixes
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.wants import unsaid, wants_of
from kymaphon.core.report.sheet import rig_sheet
from kymaphon.files.demo import FINAL, demo_path
from kymaphon.files.show_file import read_show


def test_talkbacks_boxes_make_no_mixes() -> None:
    assert not any(mixes(kind) for kind in shipped_catalogue() if kind.is_talkback)
    show = read_show(demo_path(FINAL))
    assert [row.id for row in mixers_of(show, shipped_catalogue())] == ["desk"]


def test_everything_that_is_offered_on_the_second_act_can_be_looked_at() -> None:
    report = analyse(read_show(demo_path(FINAL)))
    for finding in report.findings:
        for remedy in with_offers(report, finding).remedies:
            assert remedy.label
    assert plan_feeds(report.show, report.catalogue).edits is not None
    assert rig_sheet(report).tables


def test_the_crew_on_a_circuit_is_not_asked_about_in_feeds() -> None:
    show = read_show(demo_path(FINAL))
    assert not {row.id for row in unsaid(show)} & {row.party for circuit in show.circuits for row in circuit.members}
    wants = wants_of(show)
    assert wants["soli", "wren"].want == "any"
    without = wants_of(show.model_copy(update={"circuits": ()}))
    assert without["soli", "wren"].want == "hear"
