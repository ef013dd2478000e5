"""Rigs plugged at random from the whole catalogue: a plan can be made of any, it does no harm, and everything can be said of it."""

from __future__ import annotations

import json
from datetime import UTC, datetime

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.mixes.doing import doing_edits, from_nothing, steps_between
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.mixes.returns import combined, legs_of, turn_of
from kymaphon.core.mixes.stream import delays, stream_budget
from kymaphon.core.mixes.tracks import track_plan
from kymaphon.core.mixes.ways_out import ways_out
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.delivery import Recording
from kymaphon.core.model.edits import apply_all
from kymaphon.core.report.mixes import (
    hearing_json,
    plan_json,
    plan_lines,
    stream_json,
    track_json,
    track_lines,
)
from tests.budget import some
from tests.core.analysis.test_random_rigs import random_rig

CATALOGUE = shipped_catalogue()
NOW = datetime(2026, 1, 1, tzinfo=UTC)


def count(analysis: Report, verdict: str) -> int:
    return sum(feed.verdict == verdict for feed in analysis.feeds.values())


@pytest.mark.parametrize("seed", some(range(24), 7))
def test_a_plan_of_any_rig_does_no_harm(seed: int) -> None:
    show = random_rig(seed, 18)
    plan = plan_feeds(show, CATALOGUE)
    after = apply_all(show, plan.edits)
    assert after == plan.after.show
    assert count(plan.after, "back") <= count(plan.before, "back")
    faint = {(listener, voice) for (voice, how), rows in plan.off_level.items() if how == "faint" for listener in rows}
    plugged = {listener for mix in plan.mixes if mix.moved for listener in mix.listeners}
    # Freshly plugged into headphones' own socket, somebody may have its knob down: that is the line-up's, and hearing is spared.
    spared = sum(key[0] in plugged for key in faint)
    assert count(plan.after, "missing") <= count(plan.before, "missing") + spared
    assert not plan.howls or plan.before.transfer.howls
    ways = ways_out(show, CATALOGUE, plan)
    for way in ways:
        analyse(apply_all(show, way.edits))
    steps = steps_between(show, after, CATALOGUE)
    assert len(steps_between(from_nothing(after), after, CATALOGUE)) >= len(after.cables)
    assert len(apply_all(show, doing_edits(show, plan.edits, CATALOGUE)).tasks) == len(steps)
    assert list(plan_lines(plan, ways, steps))
    json.dumps(plan_json(plan, ways, steps), allow_nan=False)


@pytest.mark.parametrize("seed", some(range(200, 212), 4))
def test_everything_can_be_said_of_any_rig(seed: int) -> None:
    show = random_rig(seed, 16)
    analysis = analyse(show)
    json.dumps(hearing_json(analysis), allow_nan=False)
    for feed in analysis.feeds.values():
        found = combined(analysis, feed)
        assert (found is None) == (feed.path is None or feed.node is None or feed.unstable)
        if feed.path is not None:
            legs = legs_of(analysis, feed.path)
            assert sum(leg.delay_ms for leg in legs) == pytest.approx(feed.path.delay_ms) or not legs
            turn_of(analysis, feed.path, feed.listener)
    for way in ("mix", "split", "each"):
        plan = track_plan(analysis, NOW, Recording(way=way, safety=True))
        analyse(apply_all(show, plan.edits))
        assert list(track_lines(analysis, plan))
        json.dumps(track_json(plan), allow_nan=False)
    json.dumps(stream_json(stream_budget(show, CATALOGUE), delays(analysis)), allow_nan=False)
