"""One voice louder: held against the changed show itself, and against turning the gain step by step until it clips."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.analysis.louder import louder
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.wiring.controls import touched_by, touched_words, touches

VOICES = ("mira", "tam", "ilse", "ferry", "trio", "jingles")


@pytest.mark.parametrize("voice", VOICES)
@pytest.mark.parametrize("by_db", [6.0, -3.0])
def test_it_is_what_the_changed_show_says(demo_analysis: Report, voice: str, by_db: float) -> None:
    row = louder(demo_analysis, voice, by_db)
    assert row.remedy is not None
    after = figures_of(apply_all(demo_analysis.show, row.remedy.edits), demo_analysis.catalogue)
    now, then = demo_analysis.main_ladders[voice], after.main_ladders[voice]
    assert then.last.speech_db - now.last.speech_db == pytest.approx(by_db, abs=0.5)
    spare = min(rung.headroom_db for rung in then.rungs if rung.headroom_db is not None)
    assert row.spare_db == pytest.approx(spare, abs=1e-9)
    assert row.clips == (spare < 0)
    for party in demo_analysis.voices:
        if party.id == voice or party.name in row.moved:
            continue
        for key, feed in demo_analysis.feeds.items():
            other = after.feeds[key]
            if key[1] != party.id or feed.gain_db is None or other.gain_db is None:
                continue
            audible = feed.gain_db - feed.wanted_gain_db > -20
            assert not audible or abs(other.gain_db - feed.gain_db) <= 1.0


def test_the_most_is_where_warm_peaks_clip_when_the_gain_is_turned_step_by_step(demo_analysis: Report) -> None:
    show = demo_analysis.show
    row = louder(demo_analysis, "mira", 6.0)
    ref = SettingRef("desk", "in1", "gain_db")
    now = show.device("desk").settings["in1"].gain_db
    assert now is not None
    assert row.most_db is not None
    for step in range(1, 10):
        after = figures_of(apply_all(show, (SetValue(ref, now + step),)), demo_analysis.catalogue)
        tightest = after.main_ladders["mira"].tightest()
        assert tightest is not None
        assert tightest.headroom_db is not None
        if tightest.headroom_db < row.growth_db:
            assert step - 1 <= row.most_db < step
            return
    pytest.fail("it never clips")


def test_what_lies_before_the_knob_sets_no_limit(demo_analysis: Report) -> None:
    """Jingles are 1.8 dB under the ceiling of their player, which no gain of the desk brings nearer: the desk's own ceilings count."""
    row = louder(demo_analysis, "jingles", 6.0)
    assert row.spare_at == "Jingle player, output, left"
    assert row.remedy is not None
    assert row.most_db is not None
    assert row.spare_db is not None
    assert row.most_db > row.spare_db + 1
    show = demo_analysis.show
    now = show.device("desk").settings["in7"].gain_db or 0.0
    for by, clips in ((int(row.most_db), False), (int(row.most_db) + 1, True)):
        edits = [SetValue(SettingRef("desk", f"in{n}", "gain_db"), now + by) for n in (7, 8)]
        ladder = figures_of(apply_all(show, edits), demo_analysis.catalogue).main_ladders["jingles"]
        behind = [
            rung.headroom_db
            for rung in ladder.rungs
            if rung.headroom_db is not None and not rung.node.startswith("player")
        ]
        assert (min(behind) < row.growth_db) is clips


def test_where_no_knob_has_so_much_left_it_says_so(demo_analysis: Report) -> None:
    row = louder(demo_analysis, "mira", 200.0)
    assert row.remedy is None
    assert "has 200 dB left" in row.words()


def test_clipping_is_said_first(demo_analysis: Report) -> None:
    row = louder(demo_analysis, "mira", 20.0)
    assert row.clips
    assert row.words().startswith("It clips: ")
    assert row.to_json()["clips"] is True


def test_unknown_and_unheard_voices_are_refused(demo_analysis: Report) -> None:
    with pytest.raises(KeyError):
        louder(demo_analysis, "nobody", 6.0)
    lonely = demo_analysis.show.model_copy(update={"cables": ()})
    with pytest.raises(ValueError, match="comes to no end"):
        louder(figures_of(lonely, demo_analysis.catalogue), "mira", 6.0)


def test_whom_a_knob_moves_is_whom_turning_it_moves(demo: Show, demo_analysis: Report) -> None:
    """Each gain of the desk by 6 dB, and who is then heard otherwise by the strongest way."""
    desk = [row.ref for row in touches(demo_analysis) if row.ref.device == "desk" and row.ref.field == "gain_db"]
    for ref in [ref for ref in desk if ">" not in ref.key][:6]:
        told = set(touched_by(demo_analysis, ref))
        knob = next(row for row in touches(demo_analysis) if row.ref == ref)
        to = knob.now - 6.0 if knob.now - 6.0 >= knob.lowest else knob.now + 6.0
        after = figures_of(apply_all(demo, (SetValue(ref, to),)), demo_analysis.catalogue)
        moved = {
            key
            for key, feed in demo_analysis.feeds.items()
            if feed.gain_db is not None
            and after.feeds[key].gain_db is not None
            and abs(after.feeds[key].gain_db - feed.gain_db) > 5.5
        }
        assert moved <= told, ref
        assert touched_words(demo_analysis, ref).startswith("It moves ")
