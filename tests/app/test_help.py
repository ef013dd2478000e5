"""The guide and the glossary in the window, held against the demo, the documents and the commands."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from PySide6.QtTest import QTest

from kymaphon.app.help import OF_STAGE, PAGES, glossary_text, page_text, terms
from kymaphon.app.trade_words import ALSO
from kymaphon.app.window import Window
from kymaphon.core.analysis.report import Report
from kymaphon.core.compose.compose import compose
from kymaphon.core.model.answers import Answers, HearerAnswer, VoiceAnswer
from kymaphon.core.model.stages import STAGES

ROOT = Path(__file__).resolve().parent.parent.parent


@pytest.mark.parametrize("name", PAGES)
def test_each_page_has_one_picture_and_one_worked_example(name: str) -> None:
    text = page_text(name)
    (picture,) = re.findall(r"!\[[^]]+\]\(([^)]+)\)", text)
    assert (ROOT / "kymaphon" / "guide" / picture).resolve().exists()
    assert text.count("**Worked example.**") == 1
    assert text.startswith("# ")


def test_every_stage_has_its_page() -> None:
    assert {*STAGES, "Welcome"} == set(OF_STAGE)
    assert set(OF_STAGE.values()) == set(PAGES)


def test_the_worked_examples_are_those_of_the_demo(demo_analysis: Report) -> None:
    """The sums in the pages, computed anew."""
    ferry = demo_analysis.feeds["ferry", "ferry"]
    assert f"{ferry.delay_ms:.0f} ms in all" in page_text("feeds")
    assert "= 38.5 dB over the room" in page_text("place-microphones")
    assert pytest.approx(38.5) == 64.0 + 14.9 + 0.0 - 4.0 - 36.4
    two = Answers(
        voices=(VoiceAnswer(id="ann", name="Ann"), VoiceAnswer(id="ben", name="Ben")),
        hearers=(HearerAnswer(sort="recording", each=True),),
    )
    gain = compose(two).show.device("interface").settings["in1"].gain_db
    assert f"= {gain:.0f} dB" in page_text("first-show")


def test_the_page_of_documents_is_the_glossary_of_the_window() -> None:
    assert (ROOT / "docs" / "glossary.md").read_text(encoding="utf-8") == glossary_text()
    assert len({row.term for row in terms()}) == len(terms())
    assert all(row.means and row.where and row.source for row in terms())


@pytest.mark.parametrize("term", ["mix-minus", "loopback"])
def test_the_words_that_people_look_for_are_found(term: str) -> None:
    assert any(term in words for words in ALSO.values())
    assert term in page_text("feeds")
    assert any(row.term == term for row in terms())
    assert term in glossary_text(term)


def test_f1_opens_the_page_of_the_stage_and_a_term_is_found_as_it_is_typed(window: Window) -> None:
    window.go("Cast")
    window.guide()
    assert window._help is not None
    assert "Halve the distance" in window._help.page.toPlainText()
    QTest.keyClicks(window._help.line, "clean f")
    assert window._help.page.toPlainText().count("mix-minus") == 1
    window._help.line.clear()
    assert "Halve the distance" in window._help.page.toPlainText()
    window.guide("glossary")
    assert "gain margin" in window._help.page.toPlainText()
    window._help.close()
