"""Compressor by its curve and time constants, limiter by its promise, ducker by its depth; chains and presets."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.derive import Derived
from kymaphon.core.dynamics.chain import (
    brought_together,
    delay_ms,
    in_order,
    moved,
    order_problems,
    put_in,
    run_chain,
    words_of,
)
from kymaphon.core.dynamics.duck import choose_ducker, duck, duck_traces, ducker_points, ducker_turns
from kymaphon.core.dynamics.dynamics import (
    choose_compressor,
    choose_limiter,
    compress,
    compressor_curve,
    compressor_reduction,
    limit,
    limiter_gain,
)
from kymaphon.core.dynamics.key import key_of
from kymaphon.core.dynamics.preset import PresetProblem, preset_text, read_preset
from kymaphon.core.dynamics.speakers import planned, speakers_allowed
from kymaphon.core.dynamics.speech import segment_speech
from kymaphon.core.model import processing as records
from kymaphon.core.model.processing import (
    ORDER,
    Band,
    Compressor,
    Ducker,
    Equaliser,
    Gate,
    Limiter,
    LowCut,
)
from tests.budget import tries
from tests.core.dynamics.takes import RATE, burst, mixed, noise

FAST = 48000


def heard():
    talk, room = mixed(25)
    return segment_speech(key_of(talk, RATE), key_of(room, RATE))


def test_the_compressors_curve() -> None:
    """Hard knee: 12 dB over at 4 to 1 leaves 3. Soft knee: an eighth of its width times the slope, in its middle."""
    hard = Compressor(threshold_db=-20, ratio=4, knee_db=0)
    assert compressor_curve(np.array([-30.0, -20.0, -8.0]), hard) == pytest.approx([0, 0, 9])
    soft = hard.with_(knee_db=8)
    assert compressor_curve(np.array([-20.0]), soft)[0] == pytest.approx(0.75 * 8 / 8)
    ends = compressor_curve(np.array([-24.0, -16.0]), soft)
    assert ends == pytest.approx([0, 3])


def test_the_compressor_moves_by_its_time_constants() -> None:
    """A tone that steps up by 20 dB: 1 - 1/e of the reduction after the attack, 1/e of it left after the release."""
    row = Compressor(threshold_db=-30, ratio=2, knee_db=0, attack_ms=20, release_ms=100, detector_ms=0.25)
    loud = burst(0.2, 0.8, 1.5, -10, hz=4000.0)
    key = key_of(loud, FAST)
    taken = compressor_reduction(key, row)
    top = taken[key.steps(0.75)]
    assert top == pytest.approx(10, abs=0.1)
    assert taken[key.steps(0.22)] == pytest.approx(top * (1 - 1 / math.e), rel=0.04)
    assert taken[key.steps(0.9)] == pytest.approx(top / math.e, rel=0.04)
    out = compress(loud, row, FAST)
    assert 20 * np.log10(np.abs(out[round(0.7 * FAST) : round(0.78 * FAST)]).max()) == pytest.approx(-20, abs=0.1)


@given(
    st.integers(0, 10_000),
    st.floats(-30, -1),
    st.sampled_from([0.0, 1.0, 5.0]),
    st.sampled_from([0.0, 50.0, 500.0]),
)
@settings(max_examples=tries(13))
def test_nothing_passes_the_limiter(seed: int, ceiling: float, ahead: float, release: float) -> None:
    rng = np.random.default_rng(seed)
    sound = (rng.normal(0, 1, 4000) * rng.choice([0.01, 0.1, 1.0], 4000)).astype(np.float32)
    out = limit(sound, Limiter(ceiling_db=ceiling, look_ahead_ms=ahead, release_ms=release), FAST)
    assert np.abs(out).max() <= np.float32(10 ** (ceiling / 20))


def test_under_the_ceiling_the_limiter_only_delays() -> None:
    sound = burst(0.1, 0.5, 1.0, -20)
    out = limit(sound, Limiter(ceiling_db=-6, look_ahead_ms=2), FAST)
    assert np.array_equal(out[96:], sound[:-96])


def test_the_limiter_is_down_when_the_peak_comes_and_recovers_by_its_slope() -> None:
    sound = np.zeros(FAST, dtype=np.float32)
    sound[10000] = 1.0
    gain = limiter_gain(sound, Limiter(ceiling_db=-20, look_ahead_ms=2, release_ms=200), FAST)
    late = 10000 + 96
    assert gain[late] == pytest.approx(0.1, rel=1e-3)
    assert gain[late - 97] == pytest.approx(1.0)
    # 20 dB in 200 ms: half way, 10 dB, after a hundred; the smoothing is 2 ms.
    assert 20 * math.log10(gain[late + round(0.1 * FAST)]) == pytest.approx(-10, abs=0.3)


def test_a_limiter_for_a_talker_who_grows() -> None:
    talk = heard()
    highest = 20 * math.log10(float(talk.key.peak.max()))
    found = choose_limiter(talk, -6.0, Derived("growth", 6.0, "dB", source="given"))
    assert found.now_db == pytest.approx(max(0.0, highest + 6))
    assert found.grown_db == pytest.approx(max(0.0, highest + 12))
    assert found.why.value == pytest.approx(sum(term.value for term in found.why.terms))
    assert 0 <= found.busy_now <= found.busy_grown < 0.2


def test_a_compressor_evens_words_out() -> None:
    talk = heard()
    row, why = choose_compressor(talk)
    assert 1.5 <= row.ratio <= 4
    assert why.value <= why.terms[0].value
    assert row.threshold_db == pytest.approx(np.median([word.level_dbfs for word in talk.words]), abs=0.06)


def test_a_compressor_before_the_gate_brings_voice_and_room_together() -> None:
    talk = heard()
    row = Compressor(threshold_db=talk.speech_dbfs - 12, ratio=4, knee_db=0)
    why = brought_together(talk, row)
    # 12 dB over at 4 to 1: 9 dB less voice, the room untouched.
    assert why.value == pytest.approx(talk.snr_db - 9, abs=0.01)


def test_ducking_goes_down_holds_and_comes_back() -> None:
    row = Ducker(threshold_db=-40, depth_db=12, attack_ms=100, hold_ms=200, release_ms=400)
    voice = key_of(burst(0.5, 1.0, 3.0, -20), FAST)
    music = np.full(3 * FAST, 0.5, dtype=np.float32)
    out = duck(music, voice, row)
    db = 20 * np.log10(out / 0.5)
    assert db[round(0.49 * FAST)] == pytest.approx(0, abs=0.01)
    assert db[round(0.55 * FAST)] == pytest.approx(-6, abs=0.2)
    assert db[round(0.9 * FAST)] == pytest.approx(-12, abs=0.01)
    # The tone, 10 ms of detector, the hold; then 12 dB in 400 ms.
    back = 1.0 + 0.01 + 0.2
    assert db[round((back - 0.01) * FAST)] == pytest.approx(-12, abs=0.1)
    assert db[round((back + 0.2) * FAST)] == pytest.approx(-6, abs=0.2)
    assert db[-1] == pytest.approx(0, abs=0.01)


def test_a_picture_of_ducking_is_what_is_rendered() -> None:
    """The gain of the traces against the samples of the ducked music; music shorter than the talk goes round."""
    row = Ducker(threshold_db=-40, depth_db=12, attack_ms=100, hold_ms=200, release_ms=400)
    voice = key_of(burst(0.5, 1.0, 3.0, -20), FAST)
    tone = np.full(3 * FAST, 0.5, dtype=np.float32)
    rendered = 20 * np.log10(duck(tone, voice, row) / 0.5)
    short = key_of(np.concatenate([np.full(FAST // 2, 0.5), np.full(FAST // 2, 0.05)]).astype(np.float32), FAST)
    music, gain = duck_traces(voice, short, row, 600)
    at = np.round((np.arange(600) + 0.5) * 3.0 / 600 * FAST).astype(int)
    assert gain == pytest.approx(rendered[at], abs=0.1)
    # A steady 0.5 reads -6.02 + 3.01 dBFS (AES17: a full sine is 0), then 20 dB less; read where the window lies within one of them.
    for second in range(3):
        assert music[round((second + 0.3) * 200)] == pytest.approx(-3.01, abs=0.1)
        assert music[round((second + 0.8) * 200)] == pytest.approx(-23.01, abs=0.1)


def test_turned_round_half_way_ducking_goes_on_from_there() -> None:
    row = Ducker(threshold_db=-40, depth_db=10, attack_ms=100, hold_ms=0, release_ms=100)
    levels = np.full(4000, -80, dtype=np.float32)
    levels[400:600] = -20
    levels[700:1500] = -20
    at, gain = ducker_points(ducker_turns(levels, row, 0.00025), row, 0.00025)
    curve = np.interp(np.arange(4000), at, gain)
    assert curve[600] == pytest.approx(-5, abs=0.1)
    assert curve[700] == pytest.approx(-2.5, abs=0.1)
    assert curve[1400] == pytest.approx(-10)
    assert np.abs(np.diff(curve)).max() <= 10 / 400 + 1e-6


def test_music_lies_twenty_decibels_under_the_voice() -> None:
    """WCAG 2.2, success criterion 1.4.7: background at least 20 dB lower than speech."""
    talk = heard()
    music = key_of(noise(20, talk.speech_dbfs - 4, 9).astype(np.float32), RATE)
    found = choose_ducker(talk, music, talk.noise_dbfs + 15)
    assert found.music_dbfs == pytest.approx(talk.speech_dbfs - 4, abs=0.3)
    assert 20 <= found.under_db < 21
    assert found.why.value == pytest.approx(sum(term.value for term in found.why.terms))
    assert found.gain_db.min() == pytest.approx(-found.ducker.depth_db)
    with pytest.raises(ValueError, match="silent"):
        choose_ducker(talk, key_of(np.zeros(RATE, dtype=np.float32), RATE), -40)


def test_loudspeakers_stay_under_both_thresholds() -> None:
    gate = Gate(open_db=-40, close_db=-43)
    tone = key_of(burst(0, 5, 5, -52), FAST)
    found = speakers_allowed(gate, tone)
    # 6 dB under the opening threshold is -46, and that lies under the closing one.
    assert found.may_turn_db == pytest.approx(6.0, abs=0.05)
    assert found.why.value == pytest.approx(sum(term.value for term in found.why.terms))
    wide = gate.with_(close_db=-50)
    assert speakers_allowed(wide, tone).may_turn_db == pytest.approx(2.0, abs=0.05)
    loud = speakers_allowed(gate, key_of(burst(0, 5, 5, -38), FAST))
    assert loud.may_turn_db == pytest.approx(-8.0, abs=0.05)
    assert "open the gate and hold it open" in loud.text
    plan = planned(gate, Derived("loudspeakers", 60.0, "dB SPL"), Derived("rig", -118.0, "dB"))
    assert plan.music_db == pytest.approx(60 - 118 + 12)
    with pytest.raises(ValueError, match="silent"):
        speakers_allowed(gate, key_of(np.zeros(FAST, dtype=np.float32), FAST))


def test_the_order_of_a_chain() -> None:
    """Common practice: low cut first, gate before compressor, limiter last."""
    assert not order_problems(ORDER)
    wrong = order_problems(["compressor", "gate", "low-cut"])
    assert {(row.first, row.second) for row in wrong} == {
        ("low-cut", "gate"),
        ("low-cut", "compressor"),
        ("gate", "compressor"),
    }
    assert order_problems(["limiter", "equaliser"])[0].first == "equaliser"
    assert order_problems(["equaliser", "low-cut"])[0].harmless
    chain = (Limiter(), Gate(), LowCut())
    assert [row.sort for row in in_order(chain)] == ["low-cut", "gate", "limiter"]
    assert [row.sort for row in put_in(in_order(chain), Compressor())] == [
        "low-cut",
        "gate",
        "compressor",
        "limiter",
    ]
    changed = put_in(chain, Gate(open_db=-30))
    assert len(changed) == 3
    assert changed[1] == Gate(open_db=-30)


def test_a_chain_does_what_its_parts_do() -> None:
    sound = burst(0.3, 0.6, 1.0, -12) + noise(1.0, -60, 2, FAST).astype(np.float32)
    chain = (LowCut(corner_hz=60), Gate(open_db=-30, close_db=-36), Limiter(ceiling_db=-18))
    out = run_chain(sound, chain, FAST)
    assert np.abs(out).max() <= 10 ** (-18 / 20) + 1e-6
    assert delay_ms(chain) == 2.0
    # Thresholds elsewhere: the same chain where levels are 10 dB higher.
    higher = tuple(moved(row, 10.0) for row in chain)
    assert run_chain(sound, higher, FAST, shift_db=10.0) == pytest.approx(out, abs=1e-6)
    off = tuple(row.model_copy(update={"on": False}) for row in chain)
    assert np.array_equal(run_chain(sound, off, FAST), sound)
    assert "(off)" in words_of(off[0])


ROWS = st.one_of(
    st.builds(LowCut, corner_hz=st.integers(10, 1000), slope_db_per_octave=st.sampled_from([6, 12, 18, 24])),
    st.builds(
        Gate,
        on=st.booleans(),
        open_db=st.integers(-40, 0),
        close_db=st.integers(-90, -41),
        detector=st.sampled_from(["peak", "rms"]),
        detector_ms=st.integers(1, 50),
        key_low_hz=st.one_of(st.none(), st.integers(50, 500)),
        set_at_gain_db=st.one_of(st.none(), st.integers(0, 60)),
    ),
    st.builds(Compressor, ratio=st.integers(1, 20), threshold_db=st.integers(-60, 0)),
    st.builds(Limiter, ceiling_db=st.integers(-40, 0)),
    st.builds(Ducker, depth_db=st.integers(0, 60)),
    st.builds(
        Equaliser,
        bands=st.lists(
            st.builds(Band, shape=st.sampled_from(["bell", "low-shelf", "high-shelf"]), gain_db=st.integers(-20, 20)),
            min_size=1,
            max_size=4,
        ).map(tuple),
    ),
)


@given(st.lists(ROWS, max_size=6), st.sampled_from(["dBFS", "dBu"]))
@settings(max_examples=tries(20))
def test_a_preset_is_read_back_as_it_was_written(chain: list[records.Processing], unit: str) -> None:
    text = preset_text(chain, name="Ilse", at="desk, channel 3", unit=unit)
    assert read_preset(text) == (tuple(chain), unit)


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        ("", 1, "is no"),
        ("Kymaphon strip settings 9\n", 1, "version 9"),
        ("Kymaphon strip settings 1\n[oven]\n", 2, "no oven"),
        ("Kymaphon strip settings 1\n[gate]\nopen\n", 3, "after a colon"),
        ("Kymaphon strip settings 1\n[gate]\nheat: 3\n", 3, "has no heat"),
        ("Kymaphon strip settings 1\n\n[gate]\nopen: -50 dBFS\nclose: -40 dBFS\n", 3, "above where it opens"),
        ("Kymaphon strip settings 1\n[gate]\nattack: soon\n", 3, "number"),
        ("Kymaphon strip settings 1\n[equaliser]\nband 1: bell, x Hz, 0 dB, q 1\n", 3, "not a number"),
        ("Kymaphon strip settings 1\n[equaliser]\nband 1: bell\n", 3, "parted by commas"),
    ],
)
def test_bad_presets_say_where(text: str, line: int, words: str) -> None:
    with pytest.raises(PresetProblem, match=words) as found:
        read_preset(text)
    assert found.value.line == line


def test_thresholds_carried_anywhere_can_still_be_read() -> None:
    """A show is saved without being checked again: what is carried over has to stay within what it can hold."""
    for by in (-300.0, 300.0):
        for row in (Gate(), Compressor(), Limiter(), Ducker()):
            there = moved(row, by)
            assert type(row).model_validate(there.model_dump()) == there
