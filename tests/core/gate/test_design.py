"""The designer: words kept on real speech, never beaten by a grid of settings, honest where no gate can do it."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from kymaphon.core.figures import data_table, number
from kymaphon.core.gate.design import PREFERENCES, Design, cost_of, design, preference_of
from kymaphon.core.gate.key import Key, key_of
from kymaphon.core.gate.machine import gain_at
from kymaphon.core.gate.settings import Gate
from kymaphon.core.gate.talk import Talk, Word, hear
from kymaphon.core.gate.verdict import Trial, trial_of
from tests.core.gate.takes import RATE, mixed


def designed(snr_db: float, preference: str, **more: object) -> Design:
    talk, room = mixed(snr_db, seed=int(snr_db))
    return design(hear(key_of(talk, RATE), key_of(room, RATE)), preference, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize("snr_db", [15, 18, 20, 25, 30])
@pytest.mark.parametrize("detector", ["peak", "rms"])
def test_no_word_is_eaten_from_fifteen_decibels_on(snr_db: float, detector: str) -> None:
    """Real speech (tests/data/speech) in white noise at known ratios, with the preference that keeps words."""
    found = designed(snr_db, "never-eat", like=Gate(detector=detector))  # type: ignore[arg-type]
    assert found.verdict.words >= 5
    assert found.verdict.words_clipped == 0


def test_preferences_pull_the_way_they_say() -> None:
    rows = {name: designed(20, name).verdict for name in PREFERENCES}
    assert rows["never-eat"].lost_ms <= rows["balanced"].lost_ms <= rows["keep-silent"].lost_ms
    assert rows["keep-silent"].noise_open_ratio <= rows["balanced"].noise_open_ratio
    with pytest.raises(KeyError):
        preference_of("loud")


@pytest.mark.parametrize("preference", PREFERENCES)
def test_no_setting_of_a_grid_is_better(preference: str) -> None:
    found = designed(20, preference)
    weights = preference_of(preference)["weights"]
    wanted = data_table("gates")["margin_wanted_db"]

    def cost(gate: Gate) -> float:
        return cost_of(
            found.trial.judge(gate), gate, weights, found.room_loudest_db, found.word_quietest_db, wanted
        )

    ours = cost(found.gate)
    room = found.room_loudest_db
    grid = itertools.product(
        np.arange(room - 2, room + 22, 3.0), (5.0, 8.0), (1.0, 5.0), (40.0, 200.0, 400.0), (50.0, 200.0)
    )
    best = min(
        cost(
            found.gate.with_(
                open_db=round(float(o), 1),
                close_db=round(float(o) - b, 1),
                attack_ms=a,
                hold_ms=h,
                release_ms=r,
            )
        )
        for o, b, a, h, r in grid
    )
    assert ours <= best * 1.05 + 0.05


def test_thresholds_keep_the_customary_distance() -> None:
    """Common practice: 5 to 10 dB between the two thresholds."""
    for preference in PREFERENCES:
        gate = designed(20, preference).gate
        assert 5 <= round(gate.open_db - gate.close_db, 6) <= 10


def test_schools_are_shown_on_the_same_take() -> None:
    """Common practice of two schools: all three times 10 ms, all three 25 ms. Both shut within words."""
    found = designed(25, "balanced")
    rows = {id_: verdict for id_, _, _, verdict in found.schools}
    assert set(rows) == {"start-values", "times-10", "times-25", "none"}
    for name, ms in (("times-10", 10), ("times-25", 25)):
        gate = rows[name].gate
        assert gate is not None
        assert (gate.attack_ms, gate.hold_ms, gate.release_ms) == (ms, ms, ms)
        assert rows[name].words_clipped >= found.verdict.words_clipped
    assert rows["times-10"].chatter_per_min > found.verdict.chatter_per_min
    assert rows["none"].noise_open_ratio == 1.0
    assert rows["none"].words_clipped == 0
    assert all(source.startswith("common practice") for id_, _, source, _ in found.schools if id_ != "none")


def test_margins_are_sums_of_their_lines() -> None:
    found = designed(25, "balanced")
    opening, word, closing = found.margins()
    assert opening.value == pytest.approx(found.gate.open_db - found.room_loudest_db)
    assert word.value == pytest.approx(found.word_quietest_db - found.gate.open_db)
    assert closing.value < opening.value
    for row in (opening, word, closing):
        assert row.value == pytest.approx(sum(term.value for term in row.terms))


def test_where_no_gate_does_it_says_what_would() -> None:
    found = designed(8, "keep-silent")
    assert not found.works
    assert found.expander is not None
    assert found.expander.words_clipped == 0
    text = " ".join(found.notes)
    assert "more gain does not" in text
    assert "An expander instead" in text
    assert "% of the distance" in text


def test_a_coarse_trial_agrees_with_the_fine_one() -> None:
    talk, room = mixed(25)
    heard = hear(key_of(talk, RATE), key_of(room, RATE))
    gate = Gate(open_db=-33, close_db=-39, hold_ms=200, release_ms=150)
    fine, coarse = trial_of(heard, gate).judge(gate), trial_of(heard, gate, coarse=4).judge(gate)
    assert coarse.words_clipped == fine.words_clipped
    assert coarse.noise_open_ratio == pytest.approx(fine.noise_open_ratio, abs=0.01)
    assert coarse.onset_lost_ms == pytest.approx(fine.onset_lost_ms, abs=1.0)


def by_hand(levels: np.ndarray, words: list[tuple[float, float]]) -> Trial:
    """A trial of levels and words that are simply given, at a step of a millisecond."""
    step = 0.001
    key = Key(48000, 48, np.zeros(len(levels), dtype=np.float32), np.zeros(len(levels), dtype=np.float32))
    rows = tuple(Word(a, b, -20.0, -25.0) for a, b in words)
    spans = tuple(words)
    talk = Talk(key, rows, spans, (), -25.0, 0.5, -60.0, key, False)
    return Trial(talk, levels.astype(np.float32), levels[:0].astype(np.float32), step)


def test_losses_counted_by_hand() -> None:
    """Two words; the first rises late over the threshold, the second is left too soon."""
    levels = np.full(3000, -70.0)
    levels[500:520], levels[520:900] = -45, -20
    levels[1500:1800], levels[1800:1900] = -20, -45
    trial = by_hand(levels, [(0.5, 0.9), (1.5, 1.9)])
    verdict = trial.judge(Gate(open_db=-30, close_db=-36, attack_ms=0, hold_ms=20, release_ms=0, range_db=60))
    assert [row.part for row in verdict.eaten] == ["start", "end"]
    assert verdict.eaten[0].start_ms == pytest.approx(20, abs=0.01)
    assert verdict.eaten[1].end_ms == pytest.approx(80, abs=1.01)
    assert verdict.onset_lost_ms == pytest.approx(20, abs=0.01)
    assert verdict.chatter_per_min == 0
    # Of 3.0 s less 0.8 s of words, it stays open for 20 ms after the first.
    assert verdict.noise_open_ratio == pytest.approx(0.02 / 2.2, abs=0.001)
    assert verdict.mark == "stop"


def test_a_word_with_a_hole_and_one_that_is_gone() -> None:
    levels = np.full(3000, -70.0)
    levels[500:700], levels[800:1000] = -20, -20
    levels[1500:1700] = -40
    trial = by_hand(levels, [(0.5, 1.0), (1.5, 1.7)])
    verdict = trial.judge(Gate(open_db=-30, close_db=-36, attack_ms=0, hold_ms=0, release_ms=0, range_db=60))
    assert [row.part for row in verdict.eaten] == ["middle", "all of it"]
    assert verdict.eaten[0].middle_ms == pytest.approx(100, abs=2)
    assert verdict.eaten[1].lost_ms == pytest.approx(200)
    assert verdict.chatter == 1
    assert verdict.false_openings == 0


def test_losses_are_those_of_the_rendered_gain() -> None:
    """Counted from the turns, and measured on the gain sample by sample: the same."""
    talk, room = mixed(20)
    heard = hear(key_of(talk, RATE), key_of(room, RATE))
    gate = Gate(open_db=-24, close_db=-30, attack_ms=6, hold_ms=30, release_ms=40)
    trial = trial_of(heard, gate)
    verdict = trial.judge(gate)
    gain = gain_at(trial.turns(gate), gate, trial.step_s, np.arange(len(trial.levels), dtype=float))
    passes = gain > 10 ** (-number("gate-eaten-at") / 20)
    lost = 0
    for a, b in trial.words:
        lost += int((~passes[round(a) : round(b)]).sum())
    assert verdict.lost_ms == pytest.approx(lost * trial.step_s * 1000, abs=2.0 + 0.6 * len(heard.words))
    assert verdict.words_clipped > 0
