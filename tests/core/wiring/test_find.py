"""Finding in the rig: the whole word first, and knobs."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.report import Report
from kymaphon.core.report.chain import chain_of
from kymaphon.core.report.find import Hit, found_in_rig


def found(report: Report, text: str) -> list[Hit]:
    return found_in_rig(report, chain_of(report, frozenset()), tuple(text.lower().split()))


def test_the_whole_word_comes_first(demo_analysis: Report) -> None:
    # "Desk" is a word of its own in the desk's name; elsewhere it stands in sockets and kinds.
    assert found(demo_analysis, "desk")[0].box.name == "Desk"
    assert found(demo_analysis, "mixer")[0].box.name.lower().endswith("mixer")


@pytest.mark.parametrize("text", ["mira", "ilse mic", "codec", "usb", "fader"])
def test_the_order_is_whole_words_then_beginnings_then_middles(demo_analysis: Report, text: str) -> None:
    hits = found(demo_analysis, text)
    assert hits
    assert [row.rank for row in hits] == sorted(row.rank for row in hits)


def test_a_knob_is_found_with_what_it_is(demo_analysis: Report) -> None:
    row = next(row for row in found(demo_analysis, "channel 1 gain") if row.box.name == "Desk")
    assert row.knob is not None
    assert row.knob.label == "Desk, channel 1, gain"


def test_what_is_not_there_is_not_found(demo_analysis: Report) -> None:
    assert found(demo_analysis, "abacus") == []
    assert found(demo_analysis, "desk abacus") == []
