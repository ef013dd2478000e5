"""The fault finder by questions: Bayes' rule against counting by hand, each cause found by its own answers, the show weighed in."""

from __future__ import annotations

import itertools
import json
import math
import random

import pytest

from kymaphon.cli import main
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.figures import data_table
from kymaphon.core.prove.questions import NEEDS, Cause, Standing, causes, question, questions
from kymaphon.core.rules import RULES
from kymaphon.core.takes.faults.kinds import SoundFault, codes
from kymaphon.files.demo import demo_path
from tests.core.rigs import dev, rig, wire


def likeliest(cause: Cause, name: str) -> str:
    asked = question(name)
    return max((answer for answer, _ in asked.answers), key=lambda answer: cause.chance(asked, answer))


class TestTable:
    def test_all_that_it_names_is_there(self) -> None:
        known = {code for rule in RULES for code in rule.codes}
        for cause in causes():
            assert set(cause.heard) <= set(codes()), cause.id
            assert set(cause.findings) <= known, cause.id
            assert not cause.needs or cause.needs in NEEDS
            for name, said in cause.says.items():
                assert set(said) <= {answer for answer, _ in question(name).answers}, (cause.id, name)
                assert sum(said.values()) <= 1 + 1e-9
        assert all(row["source"] for row in data_table("prove")["questions"]["figures"].values())

    def test_answers_of_a_question_are_all_there_is(self) -> None:
        for cause, asked in itertools.product(causes(), questions()):
            assert sum(cause.chance(asked, answer) for answer, _ in asked.answers) == pytest.approx(1)

    def test_earth_is_never_lifted_and_both_schools_are_told(self) -> None:
        """Common practice and electrical safety: no cure may tell to defeat a protective earth."""
        loop = next(row for row in causes() if row.id == "two-earths")
        assert "Never lift a protective earth" in loop.cure
        assert "two phases" in loop.note
        assert "earthed at two points" in loop.note
        assert "protective earth" in question("mains").hint


class TestRanking:
    @pytest.mark.parametrize("cause", causes(), ids=lambda row: row.id)
    def test_every_cause_is_found_by_its_own_answers(self, cause: Cause) -> None:
        """Always the next question, answered as this cause makes likeliest: first of all causes, and soon."""
        answers: dict[str, str] = {}
        for _ in range(len(questions())):
            asked = Standing(answers).next_question
            assert asked is not None
            answers[asked.id] = likeliest(cause, asked.id)
        ranking = [row.cause.id for row in Standing(answers).ranking]
        # Two that say the same of everything are told apart by how often they are the one alone.
        assert cause.id in ranking[:3]
        assert Standing(answers).ranking[0].chance > 0.2

    def test_the_first_place_goes_to_most_of_them(self) -> None:
        right = 0
        for cause in causes():
            answers = {row.id: likeliest(cause, row.id) for row in questions()}
            right += Standing(answers).ranking[0].cause is cause
        assert right >= 0.8 * len(causes())

    def test_as_counted_by_hand(self) -> None:
        answers = {"sound": "hum", "touch": "less", "where": "one"}
        weights = {
            row.id: row.prior * math.prod(row.chance(question(name), what) for name, what in answers.items())
            for row in causes()
        }
        whole = sum(weights.values())
        for row in Standing(answers).ranking:
            assert row.chance == pytest.approx(weights[row.cause.id] / whole)
        assert sum(row.chance for row in Standing(answers).ranking) == pytest.approx(1)

    def test_lines_of_a_weight_add_up_to_it(self) -> None:
        now = Standing({"sound": "crackle", "move": "changes"}, (SoundFault("crackle", 0.9, "12 clicks"),))
        for row in now.ranking:
            told = row.explain(now.together)
            assert sum(term.value for term in told.terms) == pytest.approx(10 * math.log10(row.chance))

    def test_the_order_of_answers_is_nothing(self) -> None:
        rows = [("sound", "rasp"), ("light", "changes"), ("constant", "comes")]
        first = Standing(dict(rows)).ranking
        for other in itertools.permutations(rows):
            assert [row.cause.id for row in Standing(dict(other)).ranking] == [row.cause.id for row in first]

    @pytest.mark.parametrize("seed", range(5))
    def test_bits_are_entropy_before_less_entropy_after(self, seed: int) -> None:
        """Mutual information by its other formula: what is open now, less what is left after each answer, by how likely that is."""
        draw = random.Random(seed)
        answers = {row.id: draw.choice(row.answers)[0] for row in draw.sample(list(questions()), draw.randrange(4))}
        now = Standing(answers)

        def open_(chances: list[float]) -> float:
            return -sum(p * math.log2(p) for p in chances if p > 0)

        for asked, bits in now.open_questions():
            left = 0.0
            for answer, _ in asked.answers:
                p = sum(row.chance * row.cause.chance(asked, answer) for row in now.ranking)
                left += p * open_([row.chance for row in Standing({**answers, asked.id: answer}).ranking])
            assert bits == pytest.approx(open_([row.chance for row in now.ranking]) - left, abs=1e-9)

    def test_answers_that_do_not_go_together_are_told(self) -> None:
        now = Standing({"sound": "hum", "constant": "constant", "phone": "changes"})
        assert any("telephones" in row for row in now.against_each_other)
        assert not Standing({"sound": "stutter", "phone": "changes"}).against_each_other

    def test_what_is_no_question_or_no_answer_is_refused(self) -> None:
        with pytest.raises(ValueError, match="there is no question 'colour'"):
            Standing({"colour": "red"})
        with pytest.raises(ValueError, match="touch is answered with no, less, more, not 'maybe'"):
            Standing({"touch": "maybe"})


class TestShow:
    def test_a_microphone_that_lacks_phantom_is_a_better_cause_than_a_broken_strand(self) -> None:
        """Common practice, and what the show knows."""
        show = rig(
            [dev("mic", "condenser-wide"), dev("desk", "desk-8", settings={"in1": {"phantom": False}})],
            [wire("mic.out", "desk.in1")],
        )
        known = analyse(show)
        now = Standing({"sound": "nothing"}, None, known, known.findings)
        order = [row.cause.id for row in now.ranking]
        assert any(row.code.startswith("phantom") for row in known.findings)
        assert order.index("no-phantom") == 0
        assert order.index("broken-strand") > order.index("no-phantom")

    def test_what_the_show_has_not_is_not_likely(self) -> None:
        show = analyse(rig([], []))
        alone = {row.cause.id: row.chance for row in Standing({"sound": "wash"}).ranking}
        there = {row.cause.id: row.chance for row in Standing({"sound": "wash"}, None, show).ranking}
        assert there["other-transmitter"] < 0.3 * alone["other-transmitter"]

    def test_a_recording_counts_as_an_answer(self) -> None:
        burst = (SoundFault("telephone-burst", 0.95, "9 of 10 multiples of 216.7 Hz"),)
        assert Standing({}, burst).ranking[0].cause.id == "telephone"
        gone = {row.cause.id: row.chance for row in Standing({}, ()).ranking}
        assert gone["telephone"] < {row.cause.id: row.chance for row in Standing({}).ranking}["telephone"]


def test_the_command(capsys: pytest.CaptureFixture[str]) -> None:
    demo = str(demo_path())
    assert main(["prove", demo, "--answer", "sound=stutter", "--answer", "phone=changes", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["causes"][0]["id"] == "telephone"
    assert told["next"]["bits"] >= 0
    assert main(["prove", demo, "--ask"]) == 0
    assert "Next, worth" in capsys.readouterr().out
    assert main(["prove", demo, "--answer", "sound"]) == 2
    assert "QUESTION=ANSWER" in capsys.readouterr().err
