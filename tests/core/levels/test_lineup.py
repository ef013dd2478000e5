"""The line-up solver against trying every setting, and on the demo."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.figures import number
from kymaphon.core.levels.lineup.model import (
    Adjustment,
    Floats,
    Limit,
    LineUpModel,
    NoiseTerm,
    VoiceModel,
    _convex,
    model_of,
    peak_growth,
)
from kymaphon.core.levels.lineup.plan import line_up
from kymaphon.core.levels.lineup.solver import recipe, solve
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.practice import PointMark
from kymaphon.core.model.show import Show
from tests.budget import tries
from tests.core.levels.test_levels import one_chain

LATENESS = np.array([1.0, 1.0, 4.0])
"""Turns of the first gains of the generated voices count once, of the one that both share twice for each voice."""
CURVE = ((0.0, -100.0), (20.0, -118.0), (40.0, -126.0), (60.0, -128.0))


def generated(seed: int) -> LineUpModel:
    """Two voices over two gains of their own and one that they share, with ceilings here and there."""
    rng = np.random.default_rng(seed)
    turns = tuple(
        Adjustment(SettingRef("desk", f"in{i}", "gain_db"), f"gain {i}", 0.0, high, step, 0.0, "gain")
        for i, (high, step) in enumerate([(18.0, 3.0), (18.0, 3.0), (10.0, 2.0)])
    )
    voices = []
    for v in range(2):
        first, both = np.zeros(3), np.zeros(3)
        first[v] = both[v] = both[2] = 1.0
        source = float(rng.uniform(-60, -20))
        limits = (
            Limit("first", "a", "dBu", source + 12, first, float(rng.uniform(-25, 5))),
            Limit("second", "b", "dBu", source + 12, both, float(rng.uniform(-20, 10))),
        )
        noises = (
            NoiseTerm("room", "room", float(rng.uniform(-60, -20)), np.zeros(3)),
            NoiseTerm("preamp", "preamp", 80.0, np.zeros(3), CURVE, v),
            NoiseTerm("converter", "converter", float(rng.uniform(-50, -10)), -first),
            NoiseTerm("last", "converter", float(rng.uniform(-60, -20)), -both),
        )
        voices.append(
            VoiceModel(
                f"v{v}",
                None,
                None,
                float(rng.uniform(-30, 0)),
                "",
                (source, both),
                limits,
                noises,
                knobs=(turns[v].ref, turns[2].ref),
                near_db=float(rng.choice([0.5, 1.0])),
                tolerance_db=3.0,
            )
        )
    return LineUpModel(turns, tuple(voices))


def worth(model: LineUpModel, x: Floats) -> tuple[float, ...]:
    """Clipping, outside of what the marks let pass, over ceilings once warm, from the marks, each summed; then the cost."""
    # Talkers warm up by 6 dB, and the peaks of the mildest lie 2 dB under the usual.
    voices, growth = model.voices, 4.0
    noise = sum(voice.noise(x, -number("noise-unheard"))[0] for voice in voices)
    return (
        sum(max(0.0, voice.over(x) - growth) for voice in voices),
        sum(max(0.0, abs(voice.off(x)) - voice.tolerance_db) for voice in voices),
        sum(max(0.0, voice.over(x)) for voice in voices),
        sum(max(0.0, abs(voice.off(x)) - voice.near_db) for voice in voices),
        noise + number("turning-cost") * float(LATENESS @ np.abs(x - model.now)),
    )


def by_trying(model: LineUpModel) -> tuple[float, ...]:
    """What the best of all settings is worth, the first figure before the second and so on."""
    rows = []
    spaces = [np.arange(turn.positions + 1) * turn.step + turn.low for turn in model.turns]
    for row in itertools.product(*spaces):
        rows.append(worth(model, np.array(row)))
    out = []
    for n in range(4):
        out.append(min(row[n] for row in rows))
        rows = [row for row in rows if row[n] <= out[-1] + 1e-6]
    return (*out, min(row[4] for row in rows))


@settings(max_examples=tries(13))
@given(st.integers(0, 10**6))
@example(773273)
@example(895310)
@example(87067)
def test_nothing_better_is_found_by_trying_every_setting(seed: int) -> None:
    model = generated(seed)
    assert model.convex
    found = solve(model)
    best, mine = by_trying(model), worth(model, found.x)
    assert mine[:4] == pytest.approx(best[:4], abs=1e-3)
    if np.array_equal(found.x, model.now):
        # Left alone: by turning no voice would win what is heard side by side.
        assert mine[4] < best[4] + len(model.voices) * number("worth-little")
    else:
        assert mine[4] <= best[4] + 0.02
    for turn, value in zip(model.turns, found.x, strict=True):
        assert turn.low <= value <= turn.high
        assert (value - turn.low) / turn.step == pytest.approx(round((value - turn.low) / turn.step))


def test_every_shipped_ein_curve_is_convex() -> None:
    """The proof of the solver stands on it; common practice: a preamplifier's EIN falls ever less as its gain rises."""
    for kind in shipped_catalogue():
        for port in kind.inputs:
            if port.strip is not None:
                assert _convex(port.strip.ein_dbu), (kind.id, port.id)


def test_gain_early_until_nothing_is_won() -> None:
    """Two gains in a row: what can be had at the first is had there (cascade, Friis 1944), as long as it can be heard."""
    show = one_chain(
        devices=[
            {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
            {"id": "pre", "kind": "preamp-1", "settings": {"in": {"gain_db": 20}}},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 30}, "in2": {}}},
            {"id": "rec", "kind": "recorder"},
        ],
        cables=[
            {"from": "mic.out", "to": "pre.in"},
            {"from": "pre.out", "to": "face.in1"},
            {"from": "face.usb1", "to": "rec.in"},
        ],
    )
    plan = line_up(analyse(show))
    by_label = {move.turn.ref.device: move for move in plan.moves}
    assert by_label["pre"].after >= 40
    assert by_label["face"].after <= 20
    furthest = analyse(
        apply_all(
            show,
            (
                SetValue(SettingRef("pre", "in", "gain_db"), 66.0),
                SetValue(SettingRef("face", "in1", "gain_db"), 14.0),
                SetValue(SettingRef("face", "in1", "pad"), True),
            ),
        )
    )
    assert furthest.main_ladders["ann"].last.voice_over_noise_db - plan.voices[0].over_noise_db < number("worth-little")
    row = plan.voices[0]
    assert row.on_mark
    assert abs(row.off_db) <= number("mark-near") + 0.05
    assert row.spare_db >= 0
    assert row.over_noise_db > row.over_noise_before_db
    assert plan.proven


def test_a_pad_goes_in_where_only_that_keeps_it_from_clipping() -> None:
    loud = one_chain(
        parties=[
            {
                "id": "ann",
                "name": "Ann",
                "kind": "presenter",
                "place": "room",
                "at_m": [1, 1],
                "speaks": True,
                "level_db_spl_1m": 104,
            },
            {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        devices=[
            {"id": "mic", "kind": "condenser-broad", "place": "room", "party": "ann", "at_m": [1.15, 1]},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 10, "phantom": True}, "in2": {}}},
            {"id": "rec", "kind": "recorder"},
        ],
    )
    analysis = analyse(loud)
    plan = line_up(analysis)
    strip = next(port.strip for port in analysis.catalogue["interface-2"].inputs if port.id == "in1")
    assert strip.pad_db
    assert any(move.turn.sort == "pad" and move.after < 0 for move in plan.moves)
    socket = next(limit for limit in model_of(analysis, [("ann", "tape")]).voices[0].limits if limit.node == "face.in1")
    now = model_of(analysis, [("ann", "tape")]).now
    assert socket.level + float(socket.slopes @ now) > socket.most
    assert plan.voices[0].over_noise_db is not None


@pytest.mark.parametrize("before", [(False, 10.0), (True, 30.0)])
@pytest.mark.parametrize("after", [(False, 0.0), (True, 10.0), (False, 45.0), (True, 58.0)])
def test_the_model_foretells_the_show_with_the_pad_in_or_out(
    before: tuple[bool, float], after: tuple[bool, float]
) -> None:
    """Whatever the model was made at: peaks against every ceiling, the level and the noise at other settings are those of the
    show computed anew with these settings. The pad sits before what clips and after the microphone's noise."""

    def show(pad: bool, gain_db: float) -> Show:
        strip = {"gain_db": gain_db, "pad": pad, "phantom": True}
        return one_chain(
            devices=[
                {"id": "mic", "kind": "condenser-broad", "place": "room", "party": "ann", "at_m": [1.15, 1]},
                {"id": "face", "kind": "interface-2", "settings": {"in1": strip, "in2": {}}},
                {"id": "rec", "kind": "recorder"},
            ],
        )

    pair = [("ann", "tape")]
    model, truth = model_of(analyse(show(*before)), pair), model_of(analyse(show(*after)), pair)
    assert sorted(turn.sort for turn in model.turns) == ["gain", "pad"]
    x = truth.now
    guess, real = model.voices[0], truth.voices[0]
    assert guess.speech[0] + float(guess.speech[1] @ x) == pytest.approx(real.speech[0] + float(real.speech[1] @ x))
    ladder = analyse(show(*after)).ladders["ann", "tape"]
    growth = peak_growth(guess).value
    seen = 0
    for limit in guess.limits:
        rung = next(row for row in ladder.rungs if row.node == limit.node)
        assert rung.headroom_db is not None
        assert limit.most - limit.level - float(limit.slopes @ x) == pytest.approx(rung.headroom_db - growth)
        seen += limit.node == "face.in1"
    assert seen == 1
    assert guess.noise(x)[0] == pytest.approx(-ladder.last.voice_over_noise_db, abs=1e-6)


@pytest.mark.parametrize("strategy", ["stay", "unity", "free"])
def test_the_demo_comes_onto_its_marks(demo: Show, strategy: str) -> None:
    analysis = analyse(demo)
    plan = line_up(analysis, strategy=strategy)
    assert {row.voice for row in plan.voices} == {voice.id for voice in analysis.voices}
    for row in plan.voices:
        assert row.on_mark or row.forbids
        # What the plan says is what an analysis of the changed show says.
        ladder = plan.after.ladders[row.voice, row.end]
        assert ladder.last.voice_over_noise_db == pytest.approx(row.over_noise_db)
        assert row.spare_db is None or row.spare_db >= -1e-6
    found = analyse(plan.after.show).findings
    assert not [row for row in found if row.code in ("off-mark", "clips")]
    assert apply_all(demo, plan.edits) == plan.after.show
    for move in plan.moves:
        assert move.turn.sort != "fader" or strategy == "free" or (strategy == "unity" and move.after == 0)
    assert plan.to_json()["proven"]
    assert plan.sentence()
    assert plan.against_recipe().startswith("The simple recipe")


def test_one_voice_alone_turns_nothing_that_others_share(demo: Show) -> None:
    plan = line_up(analyse(demo), ("ilse",))
    assert [move.turn.ref.key for move in plan.moves] == ["in3"]
    row = plan.voices[0]
    assert not row.on_mark
    assert "end of the range" in row.forbids
    assert "held" in row.forbids
    assert any("also moves Mira" in text for text in plan.held)
    before, after = analyse(demo), plan.after
    for voice in before.voices:
        if voice.id != "ilse" and before.any_ladder(voice.id) is not None:
            assert after.any_ladder(voice.id).last.speech_db == pytest.approx(
                before.any_ladder(voice.id).last.speech_db
            )
    with pytest.raises(KeyError):
        line_up(analyse(demo), ("nobody",))


def test_the_recipe_turns_the_first_gain_and_looks_no_further(demo: Show) -> None:
    model = model_of(analyse(demo), [("mira", "stream")])
    x = recipe(model)
    changed = [turn.label for turn, value in zip(model.turns, x, strict=True) if value != turn.now]
    assert changed == ["Desk, channel 1, gain"]
    assert abs(model.voices[0].off(x)) <= 0.5 + 1e-9


def test_a_show_without_voices_or_marks_is_told() -> None:
    assert line_up(analyse(Show())).moves == ()
    assert "No voice reaches an end" in line_up(analyse(Show())).sentence()
    bare = one_chain(practice="desk-pfl")
    assert "No mark" in line_up(analyse(bare)).sentence()
    show = one_chain(practice="desk-pfl", marks=(PointMark(at="recorder", practice="digital-voice"),))
    assert line_up(analyse(show)).voices[0].wanted == pytest.approx(-20)


def test_the_two_sides_of_a_stereo_way_are_turned_together(demo: Show) -> None:
    """What comes through inputs 1 and 2 of the interface is the desk's left and right: one alone would tilt it."""
    analysis = analyse(demo)
    plan = line_up(analysis)
    names = [move.turn.label for move in plan.moves]
    assert "Interface, input 1, gain, both sides" in names
    both = {edit.ref.key: edit.value for edit in plan.edits if edit.ref.device == "interface"}
    assert both["in1"] == both["in2"]
    for voice in analysis.voices:
        levels = [plan.after.ladder_to_node(voice.id, f"stream.ear.{side}").last.speech_db for side in "lr"]
        assert levels[0] == pytest.approx(levels[1], abs=0.1), voice.id
    finding = next(row for row in analysis.findings if row.code == "off-mark" and row.subjects[0] == "ilse")
    remedy = next(row for row in finding.remedies if "Interface" in row.label)
    assert "both sides" in remedy.label
    after = analyse(apply_all(demo, remedy.edits))
    sides = [after.ladder_to_node("ilse", f"stream.ear.{side}").last.speech_db for side in "lr"]
    assert sides[0] == pytest.approx(sides[1], abs=0.1)


def test_marks_at_other_ends_are_lined_up_too(demo: Show) -> None:
    show = demo.with_(marks=(PointMark(at="recorder", practice="podcast-stereo"),))
    plan = line_up(analyse(show))
    ends = {(row.voice, row.end) for row in plan.voices}
    assert {("mira", "stream"), ("mira", "podcast")} <= ends
    # Recorder and stream get one mix: both marks cannot be met, and it says so.
    row = next(row for row in plan.voices if (row.voice, row.end) == ("mira", "podcast"))
    assert row.on_mark or row.forbids


def test_every_turn_says_what_would_be_without_it(demo: Show) -> None:
    """Held against doing all the others and analysing the show again."""
    analysis = analyse(demo)
    plan = line_up(analysis)
    for move in plan.moves:
        assert move.without, move.turn.label
        others = tuple(edit for other in plan.moves if other is not move for edit in other.edits)
        after = analyse(apply_all(demo, others))
        name = next(party.name for party in analysis.voices if move.without.startswith(party.name))
        voice = next(party.id for party in analysis.voices if party.name == name)
        figure = float(move.without.removeprefix(name).split()[0])
        ladder = after.any_ladder(voice)
        if "ceiling" in move.without:
            grows = 4 if analysis.show.party(voice).kind != "player" else 0
            spare = min(rung.headroom_db for rung in ladder.rungs if rung.headroom_db is not None) - grows
            assert -spare == pytest.approx(figure, abs=0.1), move.without
        else:
            row = next(row for row in plan.voices if row.voice == voice)
            there = next(rung for rung in ladder.rungs if rung.label == row.point)
            assert abs(there.speech_db - row.wanted) == pytest.approx(figure, abs=0.1), move.without


def test_why_no_further_up_is_told(demo: Show) -> None:
    plan = line_up(analyse(demo))
    limits = {move.turn.label: move.limit for move in plan.moves}
    assert limits["Desk, channel 3, gain"] == "its range ends at +60.0 dB"
    assert "nothing to win" in limits["Desk, channel 1, gain"]
    # Behind a quiet room and a strong preamplifier, gain early is held by the ceiling after it.
    show = one_chain(
        places=[{"id": "room", "name": "Room", "ambient_dba": -10}],
        parties=[
            {
                "id": "ann",
                "name": "Ann",
                "kind": "presenter",
                "place": "room",
                "at_m": [1, 1],
                "speaks": True,
                "level_db_spl_1m": 84,
            },
            {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ],
        devices=[
            {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
            {"id": "pre", "kind": "preamp-1", "settings": {"in": {"gain_db": 10}}},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 40}, "in2": {}}},
            {"id": "rec", "kind": "recorder"},
        ],
        cables=[
            {"from": "mic.out", "to": "pre.in"},
            {"from": "pre.out", "to": "face.in1"},
            {"from": "face.usb1", "to": "rec.in"},
        ],
    )
    plan = line_up(analyse(show))
    assert plan.voices[0].spare_db >= 0
    pre = next(move for move in plan.moves if move.turn.ref.device == "pre")
    assert pre.limit
    step = pre.turn.step
    further = apply_all(show, tuple(edit for move in plan.moves if move is not pre for edit in move.edits))
    further = apply_all(further, (SetValue(pre.turn.ref, pre.after + step),))
    worse = analyse(further).ladders["ann", "tape"]
    if "clips" in pre.limit:
        assert min(rung.headroom_db for rung in worse.rungs if rung.headroom_db is not None) < 6


def test_every_figure_of_a_voice_adds_up(demo: Show) -> None:
    plan = line_up(analyse(demo))
    for row in plan.voices:
        lines = {line.name: line for line in plan.lines(row)}
        assert lines["off the mark, then"].value == pytest.approx(row.off_db)
        assert lines["voice over noise, then"].value == pytest.approx(row.over_noise_db)
        assert row.spare.value == pytest.approx(row.spare_db)
        for line in lines.values():
            assert sum(term.value for term in line.terms) == pytest.approx(line.value), line.name
    for move in plan.moves:
        assert move.line().value == pytest.approx(move.after)
