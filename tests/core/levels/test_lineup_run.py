"""The run through the sources, on typed readings; simulated ones are tried in tests/test_sim.py."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.lineup.run import (
    caution,
    edits_of,
    entry_of,
    judge,
    last_readings,
    read_meter,
    steps_of,
)
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.show import Show
from kymaphon.core.report.sheet import rig_sheet
from tests.core.levels.test_levels import one_chain

NOW = datetime(2026, 6, 5, 19, 0, tzinfo=UTC)


def test_every_source_once_talkers_first(demo: Show) -> None:
    analysis = analyse(demo)
    steps = steps_of(analysis)
    assert sorted(step.voice for step in steps) == sorted({voice for voice, _ in analysis.ladders})
    assert steps[0].voice == "mira"
    assert steps[-1].voice == "jingles"
    for step in steps:
        assert step.say
        assert step.listen.startswith("Pre-fade listen")
        assert step.expected.low < step.expected.shows.value < step.expected.high
        assert step.name in analysis.party_name(step.voice)
    assert "low" in caution()


def test_a_desk_reading_stands_for_the_recorder_level(demo: Show) -> None:
    """Common practice: with speech on -20 dBFS at the recorder, the desk's meter shows what the gains after it leave."""
    step = steps_of(analyse(demo))[0]
    analysis = analyse(demo)
    ladder = analysis.any_ladder("mira")
    after = ladder.last.speech_db - step.point.speech_db
    assert step.point.node == "desk.in1:pre"
    assert step.expected.scale == "desk-peak"
    # Lamps that show samples, whose usual peaks lie 8.5 dB over the average (measured), with 0 at +4 dBu.
    assert step.expected.shows.value == pytest.approx(-20 - after + 8.5 - 4)
    assert step.expected.level(step.expected.shows.value) == pytest.approx(step.expected.wanted_db)


@pytest.mark.parametrize(("more", "passed"), [(0.0, True), (2.6, True), (-2.6, True), (5.0, False), (-9.0, False)])
def test_a_reading_off_by_so_much_asks_for_that_turn(demo: Show, more: float, passed: bool) -> None:
    step = steps_of(analyse(demo))[0]
    outcome = judge(step, step.expected.shows.value + more)
    assert outcome.off_db == pytest.approx(more)
    assert outcome.passed is passed
    assert outcome.turn_db == pytest.approx(-more, abs=step.knob.step / 2 + 1e-6)
    if abs(more) > 1:
        assert ("down, anticlockwise" if more > 0 else "up, clockwise") in outcome.words
        assert f"{abs(outcome.turn_db):g} dB" in outcome.words


def test_after_turning_and_learning_the_plan_agrees_with_what_was_heard(demo: Show) -> None:
    analysis = analyse(demo)
    step = steps_of(analysis)[0]
    shown = step.expected.shows.value + 5.0
    outcome = judge(step, shown)
    entry = entry_of(step, outcome, NOW, note="warm voice", turned=True)
    show = apply_all(demo, edits_of(analysis, step, outcome, entry, turned=True))
    after = analyse(show)
    again = steps_of(after)[0]
    assert again.point.speech_db == pytest.approx(step.expected.wanted_db, abs=0.6)
    assert show.log[-1].text.endswith("warm voice")
    assert show.log[-1].line_up.passed
    assert not judge(step, shown).passed
    assert last_readings(after)["mira"].line_up.shown == pytest.approx(shown, abs=1e-3)
    # Read again as it now stands: nothing more to learn.
    second = judge(again, again.expected.shows.value + (again.point.speech_db - again.expected.wanted_db))
    assert second.learnt_db == pytest.approx(0, abs=1e-6)
    assert [type(edit) for edit in edits_of(after, again, second, entry, turned=False)].count(SetField) == 0


def test_a_gain_at_the_end_of_its_range_says_so(demo: Show) -> None:
    step = next(row for row in steps_of(analyse(demo)) if row.voice == "ilse")
    outcome = judge(step, step.expected.shows.value - 20)
    assert outcome.turn_db == pytest.approx(6.0)
    assert outcome.left_db == pytest.approx(-14.0)
    assert "Its range ends there" in outcome.words
    assert "come nearer" in outcome.words
    with pytest.raises(ValueError, match="on no meter"):
        judge(step, float("nan"))
    with pytest.raises(ValueError, match="on no meter"):
        judge(step, 400)


def test_without_a_gain_of_its_own_it_is_read_at_the_mark() -> None:
    show = one_chain(
        parties=[
            {"id": "ann", "name": "Ann", "kind": "remote", "speaks": True, "plays_on": "rec.in"},
            {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        devices=[{"id": "rec", "kind": "recorder"}],
        cables=[],
    )
    steps = steps_of(analyse(show))
    assert [step.knob for step in steps] == [None]
    outcome = judge(steps[0], steps[0].expected.shows.value + 8)
    assert outcome.turn_db == 0
    assert "Nothing here is its own to turn" in outcome.words
    edits = edits_of(analyse(show), steps[0], outcome, entry_of(steps[0], outcome, NOW), turned=True)
    assert not [edit for edit in edits if isinstance(edit, SetValue | SetField)]


def test_silence_cannot_be_read(demo: Show) -> None:
    step = steps_of(analyse(demo))[0]
    with pytest.raises(ValueError, match="nothing came"):
        read_meter(step.expected, np.zeros(48000), 48000, 0.0)


def test_the_sheet_has_what_came_of_each_source(demo: Show) -> None:
    analysis = analyse(demo)
    step = steps_of(analysis)[0]
    outcome = judge(step, step.expected.shows.value + 5)
    entries = [
        entry_of(step, judge(step, step.expected.shows.value), NOW),
        entry_of(step, outcome, NOW, note="warm", turned=True),
    ]
    show = demo.with_(log=tuple(entries))
    table = next(row for row in rig_sheet(analyse(show)).tables if row.title == "Line-up")
    assert [row[0] for row in table.rows] == ["Mira"]
    assert table.rows[0][3:8] == ("+5.0 dB", "\u22125.0 dB", "passed", "2026-06-05 19:00 UTC", "warm")
    # A voice that has left the show stays in the log, and is on no sheet.
    gone = show.with_(
        parties=tuple(row for row in demo.parties if row.id != "mira"),
        wants=(),
        takes=(),
        devices=tuple(row.with_(party=None) if row.party == "mira" else row for row in demo.devices),
    )
    assert not [row for row in rig_sheet(analyse(gone)).tables if row.title == "Line-up"]


def test_a_stereo_source_is_turned_on_both_sides(demo: Show) -> None:
    """The jingle player comes on two channels: one alone would tilt it."""
    analysis = analyse(demo)
    step = next(row for row in steps_of(analysis) if row.voice == "jingles")
    assert step.twins
    outcome = judge(step, step.expected.shows.value + 6)
    show = apply_all(demo, edits_of(analysis, step, outcome, entry_of(step, outcome, NOW, turned=True), turned=True))
    settings = show.device("desk").settings
    keys = [step.knob.ref.key, *(ref.key for ref in step.twins)]
    assert len({settings[key].gain_db for key in keys}) == 1
    assert settings[keys[0]].gain_db == pytest.approx(step.knob.value + outcome.turn_db)
