"""Shows typed by hand, each with its usual mistakes: the first remedy of every finding is followed blindly, until none is left."""

from __future__ import annotations

from dataclasses import dataclass, field

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.analysis.report import Report
from kymaphon.core.figures import number
from kymaphon.core.graph.routing import goes_astray
from kymaphon.core.levels.lineup.plan import line_up
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.model.edits import apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.show import Show
from kymaphon.core.model.wants import wants_of
from tests.core.hand_typed import CLEAN, SHOWS


@dataclass
class Followed:
    """How it went: the show as typed and as it ended, and what was done for what."""

    before: Report
    after: Report
    done: list[tuple[Finding, str]] = field(default_factory=list)


def follow(show: Show) -> Followed:
    """Does the first remedy of the first finding that has one, and looks again; a note that comes back once done is left alone."""
    analysis = analyse(show)
    out = Followed(analysis, analysis)
    noted: set[tuple[str, tuple[str, ...]]] = set()
    for _ in range(60):
        for finding in analysis.findings:
            if finding.severity == "note" and (finding.code, finding.subjects) in noted:
                continue
            remedies = offers_of(analysis, finding).remedies
            if remedies:
                break
        else:
            break
        noted.add((finding.code, finding.subjects))
        out.done.append((finding, remedies[0].label))
        show = remedies[0].apply(show)
        analysis = analyse(show)
    out.after = analysis
    return out


@pytest.fixture(scope="module", params=list(SHOWS))
def followed(request: pytest.FixtureRequest) -> Followed:
    return follow(SHOWS[request.param]())


def test_it_ends_with_nothing_to_stop_for_and_nothing_to_fix(followed: Followed) -> None:
    left = [(row.code, row.message) for row in followed.after.findings if row.severity != "note"]
    assert not left, [label for _, label in followed.done]


def test_in_at_most_as_many_steps_as_there_were_findings(followed: Followed) -> None:
    assert followed.before.findings
    steps = [label for finding, label in followed.done if finding.severity != "note"]
    assert len(steps) <= len(followed.before.findings), steps


def test_every_wanted_voice_is_heard_at_its_level(followed: Followed) -> None:
    """By its own way, within what counts as neither loud nor quiet; what bleeds beside it is Cast's to tell."""
    analysis, tolerance = followed.after, number("level-tolerance")
    for key, wanted in wants_of(analysis.show).items():
        feed = analysis.feeds.get(key)
        if wanted.want != "hear" or feed is None or not wanted.asked:
            continue
        assert feed.path is not None, key
        assert not goes_astray(feed.path), key
        assert abs((feed.gain_db or 0.0) - wanted.gain_db) <= tolerance, (key, feed.gain_db)


def test_nobody_is_heard_where_that_was_forbidden(followed: Followed) -> None:
    assert not [key for key, feed in followed.after.feeds.items() if feed.verdict == "unwanted"]


def test_no_loop_comes_within_six_decibels(followed: Followed) -> None:
    """Davis and Patronis: keep 6 dB of stability margin."""
    assert followed.after.transfer.stability.margin_db >= number("loop-margin")


def test_a_clean_show_has_at_most_five_notes(followed: Followed) -> None:
    notes = [row.code for row in followed.after.findings if row.severity == "note"]
    assert len(notes) <= 5, notes


def test_a_plan_changes_nothing_on_a_show_that_is_right(followed: Followed) -> None:
    """What a role wants and nobody said may still be added; once it is, there is nothing left to do."""
    show = followed.after.show
    plan = plan_feeds(show, followed.after.catalogue)
    moved = [edit for edit in plan.edits if edit not in plan.wants]
    # Only where somebody in headphones does not hear themselves, which is what their role wants.
    unmet = [
        key
        for key, row in wants_of(show).items()
        if row.want == "local" and key in followed.after.feeds and followed.after.feeds[key].verdict == "silent"
    ]
    assert not moved or unmet
    settled = apply_all(show, plan.edits)
    again = plan_feeds(settled, followed.after.catalogue)
    assert again.edits == ()
    assert not [row for row in analyse(settled).findings if row.severity == "stop"]


def test_nor_does_a_line_up_take_a_voice_off_its_mark(followed: Followed) -> None:
    plan = line_up(followed.after, reasons=False)
    assert [row.voice for row in plan.voices if row.on_mark is False] == []


def test_and_lined_up_once_there_is_nothing_left_to_turn(followed: Followed) -> None:
    """What is as near as can be to its mark is not turned by a decibel for noise that nobody hears."""
    once = line_up(followed.after, reasons=False)
    again = line_up(once.after, reasons=False)
    assert [(row.turn.label, row.turn.now, row.after) for row in again.moves] == []
    for row in once.voices:
        if row.off_before_db is not None and row.off_db is not None:
            assert abs(row.off_db) <= max(abs(row.off_before_db), 0.5) + 0.05, row.voice


@pytest.mark.parametrize("name", CLEAN)
def test_a_show_that_an_expert_typed_draws_nothing_above_a_note(name: str) -> None:
    """An interview by wireless, a class with one pupil at home: nothing to stop for, nothing to fix, five notes at most."""
    analysis = analyse(CLEAN[name]())
    assert [(row.code, row.message) for row in analysis.findings if row.severity != "note"] == []
    assert len(analysis.findings) <= 5


@pytest.mark.parametrize("name", CLEAN)
def test_and_neither_plan_nor_line_up_has_anything_to_do_on_it(name: str) -> None:
    analysis = analyse(CLEAN[name]())
    after = apply_all(analysis.show, plan_feeds(analysis.show, analysis.catalogue).edits)
    assert [row.code for row in analyse(after).findings if row.severity != "note"] == []
    plan = line_up(analysis, reasons=False)
    assert [row.voice for row in plan.voices if row.on_mark is False] == []
    assert plan.moves == ()
