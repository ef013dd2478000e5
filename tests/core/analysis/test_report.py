"""Figures and findings as two results that share what was computed."""

from __future__ import annotations

import gc
import threading
import weakref
from dataclasses import FrozenInstanceError, fields, replace

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import with_offers
from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.compute import without_rules
from kymaphon.core.computing.computed import Computed, lazy
from kymaphon.core.levels.down import downs
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.rules import RULES
from kymaphon.files.demo import demo_path
from kymaphon.files.show_file import read_show


@pytest.fixture(scope="module")
def computed() -> Computed:
    return without_rules(read_show(demo_path()), shipped_catalogue())


def test_a_report_shares_what_was_computed_before_it_and_after(computed: Computed) -> None:
    ladders = computed.ladders
    report = Report.of(computed, {})
    assert report.ladders is ladders
    assert report.flow is computed.flow, "computed by the report, kept for both"
    assert downs(report) is downs(computed)
    for row in fields(Computed):
        assert getattr(report, row.name) is getattr(computed, row.name)


def test_every_rule_reads_figures_alone(computed: Computed) -> None:
    """None of them asks for findings, which figures do not have: so none can depend on another's."""
    assert not hasattr(computed, "findings")
    found = [finding for rule in RULES for finding in rule.check(computed)]
    assert {row.code for row in found} == {row.code for row in analyse(computed.show).findings}


def test_nothing_of_another_show_is_taken_along(computed: Computed) -> None:
    shorter = computed.show.model_copy(update={"title": "Another"})
    changed = replace(computed, show=shorter, kept={})
    assert not changed.kept
    assert changed.circles == computed.circles
    assert set(changed.kept) == {"circles"}


def test_figures_are_frozen_and_a_question_is_asked_once(computed: Computed) -> None:
    with pytest.raises(FrozenInstanceError):
        computed.show = None  # type: ignore[misc]
    asked = []

    def count(of: Computed) -> int:
        asked.append(of)
        return len(of.show.devices)

    assert computed.once(count) == computed.once(count) == len(computed.show.devices)
    assert len(asked) == 1


def test_two_threads_that_ask_at_once_are_told_the_same_one(computed: Computed) -> None:
    gate, told = threading.Barrier(2), []

    def slow(of: Computed) -> list[int]:
        gate.wait(5)
        return []

    threads = [threading.Thread(target=lambda: told.append(computed.once(slow))) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(10)
    assert len(told) == 2
    assert told[0] is told[1]


def test_lazy_properties_keep_their_words() -> None:
    rows = [row for row in vars(Computed).values() if isinstance(row, lazy)]
    assert len(rows) > 10
    assert Computed.noise.__doc__ is None or isinstance(Computed.noise, lazy)
    assert "microphone" in (Computed.microphones.__doc__ or "")


def test_a_report_goes_when_nobody_wants_it_any_more() -> None:
    """With remedies tried and looked at, and no garbage collected: a session of edits holds on to none of its analyses."""
    gc.collect()
    gc.disable()
    try:
        report = analyse(read_show(demo_path()))
        for finding in report.findings:
            with_offers(report, finding)
            list(finding.remedies)
        held = weakref.ref(report.transfer), weakref.ref(report.graph), weakref.ref(report)
        del report, finding
        assert [row() for row in held] == [None, None, None]
    finally:
        gc.enable()
