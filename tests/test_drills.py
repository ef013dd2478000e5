"""Practice: every drill is done right by its own expert and wrong by a fool, is the same for the same seed, and changes nothing."""

from __future__ import annotations

import re
from functools import cache

import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Show
from kymaphon.core.prove.model import tap_model
from kymaphon.core.prove.questions import Standing, causes, question, questions
from kymaphon.files.demo import FAULTY, REPAIRED, demo_path
from kymaphon.files.show_file import read_show
from kymaphon.sim.drills import begin, tasks
from kymaphon.sim.drills.asking import ByQuestions
from kymaphon.sim.drills.ear import ByEar
from kymaphon.sim.drills.gate import SetGate
from kymaphon.sim.drills.line_up import LineUp
from kymaphon.sim.drills.mixes import Mixes
from kymaphon.sim.drills.tapping import BY_TAPPING, choose_hidden, expert_taps
from tests.core.rigs import rig


@cache
def quay(name: str = REPAIRED) -> Report:
    return analyse(read_show(demo_path(name)))


@cache
def nothing() -> Report:
    return analyse(rig([], []))


class TestTasks:
    def test_they_grow_and_all_can_be_done_on_the_demo(self) -> None:
        rows = tasks(quay())
        assert [row.level for row in rows] == sorted(row.level for row in rows)
        assert not [row.id for row in rows if row.missing]
        assert len(rows) == 8

    def test_a_show_of_nothing_says_what_it_lacks(self) -> None:
        rows = {row.id: row.missing for row in tasks(nothing())}
        assert rows["line-up"] == "nobody speaks into a channel with a gain"
        assert rows["tap"] == "there is nothing to tap"
        assert not rows["questions"], "a cause can be looked for without any rig"
        with pytest.raises(ValueError, match="nobody speaks"):
            begin(nothing(), "line-up", 1)
        with pytest.raises(KeyError):
            begin(quay(), "juggling", 1)

    @pytest.mark.parametrize("name", ["line-up", "mix-minus", "questions"])
    def test_the_same_seed_asks_the_same_and_another_another(self, name: str) -> None:
        rounds = [begin(quay(), name, seed).round for seed in (3, 3)]
        assert rounds[0] is not None
        assert rounds[1] is not None
        assert rounds[0].prompt == rounds[1].prompt
        if name == "line-up":
            prompts = {row.prompt for seed in range(8) if (row := begin(quay(), name, seed).round) is not None}
            assert len(prompts) > 4


class TestLineUp:
    @pytest.mark.parametrize("name", [FAULTY, REPAIRED])
    def test_mark_less_reading_is_right_and_its_opposite_wrong(self, name: str) -> None:
        for sign in (1, -1):
            drill = begin(quay(name), "line-up", 5)
            assert isinstance(drill, LineUp)
            while drill.round is not None:
                figures = re.search(r"reads (\S+) \S+, the mark is (\S+) ", drill.round.prompt)
                assert figures is not None
                reading, mark = (float(row.replace("\u2212", "-")) for row in figures.groups())
                told = drill.answer(sign * (mark - reading))
                assert told.right == (sign > 0), told.words
                assert "mark less the reading" in told.words
            assert drill.steps == drill.of == drill.expert_steps
            assert drill.right == (drill.of if sign > 0 else 0)
            assert f"{drill.right} of {drill.of} right in 70 s" in drill.result(70)
            with pytest.raises(ValueError, match="over"):
                drill.answer(0.0)

    def test_a_decibel_is_close_enough_and_three_are_not(self) -> None:
        for off, right in ((0.9, True), (3.0, False)):
            drill = begin(quay(), "line-up", 2)
            assert isinstance(drill, LineUp)
            _, strip, reading, mark = drill.rows[0]
            turned = round((mark - reading) / strip.step) * strip.step
            assert drill.answer(turned + off).right == right


class TestMixes:
    def test_what_the_show_wants_is_right_and_a_missing_mix_minus_is_told(self) -> None:
        for seed in range(4):
            drill, other = (begin(quay(), "mix-minus", seed) for _ in range(2))
            assert isinstance(drill, Mixes)
            assert isinstance(other, Mixes)
            voices = [row.id for row in quay().voices]
            for listener, hear, _ in drill.rows:
                assert drill.answer(hear).right
                everybody = frozenset(range(len(voices)))
                told = other.answer(everybody)
                if listener in voices:
                    assert not told.right
                    assert "must not get themselves back" in told.words
            assert drill.round is None

    def test_nothing_at_all_lacks_them_all(self) -> None:
        drill = begin(quay(), "mix-minus", 1)
        told = drill.answer(frozenset())
        assert not told.right
        assert "wanted and missing" in told.words


class TestByEar:
    @pytest.mark.parametrize("name", ["ear", "ear-mix"])
    def test_what_is_planted_is_heard_and_is_the_right_answer(self, name: str) -> None:
        drill = begin(quay(), name, 3)
        assert isinstance(drill, ByEar)
        assert len(drill.names) == 6
        for sort, _, _ in list(drill.rows):
            assert drill.round is not None
            assert drill.round.play is not None
            if drill.steps == 0:
                sound = drill.round.play()
                assert np.isfinite(sound).all()
                assert np.abs(sound).max() == pytest.approx(1.0)
            assert drill.answer(drill.names.index(sort)).right
        assert drill.right == drill.of

    def test_another_answer_is_wrong_and_told_what_it_was(self) -> None:
        drill = begin(quay(), "ear", 4)
        assert isinstance(drill, ByEar)
        wrong = next(n for n, row in enumerate(drill.names) if row != drill.rows[0][0])
        told = drill.answer(wrong)
        assert not told.right
        assert told.words.startswith("It was ")


class TestByQuestions:
    @pytest.mark.parametrize("seed", range(6))
    def test_an_expert_names_it_in_as_many_steps_as_are_told(self, seed: int) -> None:
        drill = begin(quay(), "questions", seed)
        assert isinstance(drill, ByQuestions)
        while drill.standing.ranking[0].chance < 0.8:
            asked = drill.standing.next_question
            assert asked is not None
            left = [row for row in questions() if row.id not in drill.standing.answers]
            drill.answer(left.index(asked))
        drill.answer(len(questions()) - len(drill.standing.answers))
        told = drill.answer([row.id for row in causes()].index(drill.standing.ranking[0].cause.id))
        assert told.right, told.words
        assert (drill.steps, drill.right, drill.of) == (drill.expert_steps, 1, 1)

    def test_a_wrong_name_is_told_with_what_the_answers_spoke_for(self) -> None:
        drill = begin(quay(), "questions", 2)
        assert isinstance(drill, ByQuestions)
        drill.answer(len(questions()))
        wrong = next(n for n, row in enumerate(causes()) if row.id != drill.cause)
        told = drill.answer(wrong)
        assert not told.right
        assert drill.right == 0
        assert drill.round is None

    def test_a_question_that_tells_little_is_met_with_a_better_one(self) -> None:
        drill = begin(quay(), "questions", 1)
        assert isinstance(drill, ByQuestions)
        least = min(questions(), key=Standing({}, None, quay()).bits)
        told = drill.answer(list(questions()).index(least))
        assert "More would have told" in told.words
        assert question("sound").text in told.words


class TestGate:
    def test_the_designers_gate_is_right_and_one_far_too_high_is_not(self) -> None:
        drill = begin(quay(), "gate", 1)
        assert isinstance(drill, SetGate)
        assert drill.best is not None
        gate = drill.best.gate
        for value in (0.0, -3.0, 20.0):
            told = drill.answer(value)
        assert not told.right
        assert "words lose something" in told.words
        assert drill.round is not None, "two more tries"
        for value in (gate.open_db, gate.close_db, gate.hold_ms):
            told = drill.answer(value)
        assert told.right
        assert "An expert" in told.words
        assert (drill.steps, drill.right, drill.round) == (2, 1, None)


class TestTapping:
    def test_an_expert_needs_no_more_taps_than_there_are(self) -> None:
        model = tap_model(quay())
        import random

        for seed, count in ((1, 1), (2, 1), (3, 2)):
            hidden = choose_hidden(model, random.Random(seed), count)
            assert len(hidden) == count
            assert 1 <= expert_taps(model, hidden) <= len(model.taps)
        assert set(BY_TAPPING) <= {row.id for row in tasks(quay())}


def test_nothing_of_the_show_is_changed() -> None:
    show = read_show(demo_path())
    before = show.model_dump_json()
    report = analyse(show)
    for name in ("line-up", "mix-minus", "ear", "questions"):
        drill = begin(report, name, 1)
        while drill.round is not None and drill.steps < 3:
            drill.answer(0)
    assert report.show.model_dump_json() == before
    assert isinstance(report.show, Show)
