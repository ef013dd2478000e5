"""The designer: words kept on real speech, never beaten by a grid of settings, honest where no gate can do it."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from kymaphon.core.dynamics.design import (
    PREFERENCES,
    Design,
    cost_of,
    design,
    options_of,
    preference_of,
    what_it_buys,
)
from kymaphon.core.dynamics.envelope import gain_at, gate_turns, render
from kymaphon.core.dynamics.evaluation import Trial, trial_of
from kymaphon.core.dynamics.key import Key, key_of
from kymaphon.core.dynamics.speech import NoTalkError, SpeechSegments, Word, segment_speech
from kymaphon.core.figures import data_table, number
from kymaphon.core.model.processing import Gate
from tests.budget import some
from tests.core.dynamics.takes import RATE, mixed


def designed(snr_db: float, preference: str, **more: object) -> Design:
    talk, room = mixed(snr_db, seed=int(snr_db))
    return design(segment_speech(key_of(talk, RATE), key_of(room, RATE)), preference, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize("snr_db", some([15, 18, 20, 25, 30], 2))
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


REAL = [(noise, snr, seed) for noise in ("white", "pink") for snr in (8, 12, 16, 20, 30) for seed in (1, 2)]
"""Twenty takes of real speech (tests/data/speech)."""


@pytest.mark.parametrize(("noise", "snr_db", "seed"), some(REAL, 5))
def test_no_setting_of_a_fine_grid_is_better(noise: str, snr_db: float, seed: int) -> None:
    """Every decibel of threshold from under the room to over the words, with short and long times: never 2 % better."""
    talk, room = mixed(snr_db, seed, noise)
    preference = PREFERENCES[seed % 3]
    like = Gate(look_ahead_ms=10.0 if seed == 2 else 0.0)
    found = design(segment_speech(key_of(talk, RATE), key_of(room, RATE)), preference, like=like)
    weights = preference_of(preference)["weights"]
    wanted = data_table("gates")["margin_wanted_db"]

    def cost(gate: Gate) -> float:
        return cost_of(found.trial.judge(gate), gate, weights, found.room_loudest_db, found.word_quietest_db, wanted)

    opens = np.arange(np.floor(found.room_loudest_db - 2), found.word_quietest_db + 2, 1.0)
    grid = itertools.product(opens, (5.0, 7.5, 10.0), (40.0, 120.0, 250.0, 500.0), (50.0, 160.0))
    rows = [
        found.gate.with_(
            open_db=round(float(o), 1),
            close_db=round(float(o) - b, 1),
            attack_ms=2.0,
            hold_ms=h,
            release_ms=r,
        )
        for o, b, h, r in grid
    ]
    assert len(rows) >= 100
    assert cost(found.gate) <= min(cost(row) for row in rows) * 1.02


@pytest.mark.parametrize("noise", ["white", "pink"])
def test_from_fifteen_decibels_on_the_default_works(noise: str) -> None:
    """Real speech, default preference: no word audibly eaten, at most a tenth of the room let through."""
    for snr_db in some((15, 20, 25, 30), 2):
        talk, room = mixed(snr_db, snr_db, noise)
        found = design(segment_speech(key_of(talk, RATE), key_of(room, RATE)))
        assert found.verdict.words_clipped == 0, snr_db
        assert found.verdict.noise_open_ratio <= 0.10, snr_db
        assert found.works, snr_db


def test_no_gate_that_one_brings_is_said_to_work_where_that_cannot_be_told() -> None:
    """A voice 8 dB over the room, whatever the thresholds: also one that happens to shut out all of it and keep the words."""
    talk, room = mixed(8, 2)
    heard = segment_speech(key_of(talk, RATE), key_of(room, RATE))
    trial = trial_of(heard, Gate())
    verdicts = [
        trial.judge(Gate(open_db=float(db), close_db=float(db) - 5, hold_ms=float(hold)))
        for db in range(-50, -10, 2)
        for hold in (50, 200, 500)
    ]
    assert len(verdicts) == 60
    assert not any(row.told or row.works for row in verdicts)
    assert any(not row.words_clipped for row in verdicts)


@pytest.mark.parametrize("noise", some(["white", "pink"], 1))
def test_the_better_the_voice_over_the_room_the_better_the_gate(noise: str) -> None:
    """From 5 to 30 dB: once it works it goes on working; what is eaten, weighed, and the room let through stay small then."""
    works = []
    for snr_db in (5, 10, 15, 20, 25, 30):
        talk, room = mixed(snr_db, 3, noise)
        try:
            found = design(segment_speech(key_of(talk, RATE), key_of(room, RATE)))
        except NoTalkError:
            assert not works, "once words can be told, they can be told at every better ratio"
            continue
        works.append(found.works)
        if found.works:
            assert not found.verdict.held_open
            assert found.gate.close_db > found.room_loudest_db
            assert found.verdict.noise_open_ratio <= 0.10
    assert len(works) >= 5
    assert works == sorted(works), works
    assert not works[0]
    assert works[-1]


def test_five_decibels_over_noise_do_not_work() -> None:
    talk, room = mixed(5)
    found = design(segment_speech(key_of(talk, RATE), key_of(room, RATE)), like=Gate())
    assert not found.works
    assert found.expander is not None


def test_what_is_eaten_is_what_is_heard_to_be_missing() -> None:
    """Eleven milliseconds of a soft consonant, 20 dB down, are a quarter of as much (sone scale); of a vowel all of it."""
    step = 0.001
    for down_db, weight in ((0.0, 1.0), (10.0, 0.5), (20.0, 0.25)):
        power = np.zeros(2000, dtype=np.float32)
        power[500:1000] = 10 ** (-2.5) / 2
        power[500:600] *= 10 ** (-down_db / 10)
        key = Key(48000, 48, np.zeros(2000, dtype=np.float32), power)
        talk = SpeechSegments(key, (Word(0.5, 1.0, -20.0, -25.0),), ((0.5, 1.0),), (), -25.0, 0.25, -90.0, key, False)
        levels = np.full(2000, -70.0, dtype=np.float32)
        levels[560:1000] = -20
        verdict = Trial(talk, levels, levels[:0], step).judge(
            Gate(open_db=-30, close_db=-36, attack_ms=0, hold_ms=20, release_ms=0, range_db=60)
        )
        # Beside a room 65 dB under the word nothing is masked.
        level = (0.1 * 10 ** (-down_db / 10) + 0.4) / 0.5
        room = 10**-6.5
        loudness = [max(row, room) ** 0.30103 - room**0.30103 for row in (10 ** (-down_db / 10), level)]
        expected = 60 * min(loudness[0] / loudness[1], 1.0)
        assert verdict.lost_ms == pytest.approx(60, abs=0.1)
        assert verdict.heard_lost_ms == pytest.approx(expected, abs=0.5)
        assert verdict.heard_lost_ms / 60 == pytest.approx(weight, abs=0.06)


def test_a_word_before_the_detector_has_filled_is_not_judged() -> None:
    talk, room = mixed(25)
    late = talk[round(0.4 * RATE) :]
    heard = segment_speech(key_of(late, RATE), key_of(room, RATE))
    assert heard.words[0].start_s < 0.01, "the take begins in a word"
    gate = Gate(open_db=-33, close_db=-39, attack_ms=200, hold_ms=200)
    verdict = trial_of(heard, gate).judge(gate)
    assert all(row.number != 0 for row in verdict.eaten)


def test_options_say_what_they_buy() -> None:
    found = designed(20, "balanced", like=Gate())
    rows = {row.id: row for row in options_of(found)}
    assert set(rows) == {"detector", "look-ahead"}
    assert rows["look-ahead"].design.gate.look_ahead_ms == 10
    assert "10 ms later" in rows["look-ahead"].text
    less = found.verdict.heard_lost_ms - rows["look-ahead"].design.verdict.heard_lost_ms
    if less >= 1:
        assert f"{less:.1f} ms less" in rows["look-ahead"].text
    assert what_it_buys(found, found) == "buys nothing here"


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
    heard = segment_speech(key_of(talk, RATE), key_of(room, RATE))
    gate = Gate(open_db=-33, close_db=-39, hold_ms=200, release_ms=150)
    fine, coarse = trial_of(heard, gate).judge(gate), trial_of(heard, gate, coarse=4).judge(gate)
    assert coarse.words_clipped == fine.words_clipped
    assert coarse.noise_open_ratio == pytest.approx(fine.noise_open_ratio, abs=0.01)
    assert coarse.onset_lost_ms == pytest.approx(fine.onset_lost_ms, abs=1.0)


def by_hand(levels: np.ndarray, words: list[tuple[float, float]]) -> Trial:
    """A trial of levels and words that are simply given, at a step of a millisecond."""
    step = 0.001
    power = np.zeros(len(levels), dtype=np.float32)
    for a, b in words:
        # One loudness throughout: every millisecond lost is heard as one.
        power[round(a / step) : round(b / step)] = 10 ** (-2.5) / 2
    key = Key(48000, 48, np.zeros(len(levels), dtype=np.float32), power)
    rows = tuple(Word(a, b, -20.0, -25.0) for a, b in words)
    spans = tuple(words)
    talk = SpeechSegments(key, rows, spans, (), -25.0, 0.5, -60.0, key, False)
    return Trial(talk, levels.astype(np.float32), levels[:0].astype(np.float32), step)


def test_losses_counted_by_hand() -> None:
    """Two words; the first rises late over the threshold, the second is left too soon."""
    levels = np.full(3000, -70.0)
    levels[500:540], levels[540:900] = -45, -20
    levels[1500:1800], levels[1800:1900] = -20, -45
    trial = by_hand(levels, [(0.5, 0.9), (1.5, 1.9)])
    verdict = trial.judge(Gate(open_db=-30, close_db=-36, attack_ms=0, hold_ms=20, release_ms=0, range_db=60))
    assert [row.part for row in verdict.eaten] == ["start", "end"]
    assert verdict.eaten[0].start_ms == pytest.approx(40, abs=0.01)
    assert verdict.eaten[0].start_heard_ms == pytest.approx(40, abs=0.01)
    assert verdict.eaten[1].end_ms == pytest.approx(80, abs=1.01)
    assert verdict.onset_lost_ms == pytest.approx(40, abs=0.01)
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
    heard = segment_speech(key_of(talk, RATE), key_of(room, RATE))
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


@pytest.mark.parametrize("ahead_ms", [0.0, 12.0])
def test_a_door_in_the_rooms_own_take_counts_in_the_verdict(ahead_ms: float) -> None:
    """The pauses of the talk are quiet; in ten seconds of room a door is heard for two: the share let through is that of the
    rendered gain over the pauses and the room together, and the door can hold the gate open."""
    talk, room = mixed(25)
    door = room.copy()
    door[4 * RATE : 6 * RATE] *= np.float32(10 ** (10 / 20))
    plain, knocked = (segment_speech(key_of(talk, RATE), key_of(row, RATE)) for row in (room, door))
    loudest = trial_of(plain, Gate()).room_loudest_db
    gate = Gate(
        open_db=loudest + 4,
        close_db=loudest + 1,
        attack_ms=2,
        hold_ms=40,
        release_ms=80,
        range_db=40,
        look_ahead_ms=ahead_ms,
    )
    before, after = (trial_of(row, gate).judge(gate) for row in (plain, knocked))
    trial = trial_of(knocked, gate)
    passed, steps = 0.0, 0
    late = round(ahead_ms / 1000 * RATE)
    for levels, spans in (
        (trial.levels, knocked.room_s),
        (trial.room, ((0.0, len(trial.room) * trial.step_s),)),
    ):
        ones = np.ones(len(levels) * knocked.key.samples, dtype=np.float32)
        gain = render(ones, gate_turns(levels, gate, trial.step_s), gate, knocked.key.samples, RATE)[late:]
        for start, end in spans:
            part = gain[round(start * RATE) : round(end * RATE)]
            passed += float((part > 10 ** (-number("gate-eaten-at") / 20)).sum())
            steps += round(end * RATE) - round(start * RATE)
    assert after.noise_open_ratio == pytest.approx(passed / steps, abs=0.002)
    assert after.noise_open_ratio > before.noise_open_ratio + 0.08
    assert after.held_open
    assert not before.held_open
    assert trial.room_loudest_db == pytest.approx(trial_of(plain, gate).room_loudest_db + 10, abs=1.0)
    assert not after.works
    assert after.false_openings > before.false_openings
