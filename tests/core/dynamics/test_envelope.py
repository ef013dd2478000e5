"""The gate's timing against the analytic envelope of tone bursts, and against its own rules walked step by step."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import maximum_filter1d

from kymaphon.core.dynamics.envelope import edges, gain_at, gate_turns, passing, render, turns
from kymaphon.core.dynamics.filters import key_sections
from kymaphon.core.dynamics.key import key_of, sliding_max, sliding_sum
from kymaphon.core.model.processing import Gate
from tests.budget import tries
from tests.core.dynamics.takes import burst, noise

RATE = 48000


def walked(levels: np.ndarray, open_db: float, close_db: float, hold: int) -> list[tuple[int, int]]:
    """The rules as they are written down, one step after the other."""
    out, is_open, below, since = [], False, 0, 0
    for i, level in enumerate(levels):
        if not is_open and level >= open_db:
            is_open, below, since = True, 0, i
        elif is_open:
            below = 0 if level >= close_db else below + 1
            if below > hold:
                out.append((since, i))
                is_open = False
                if level >= open_db:
                    is_open, below, since = True, 0, i
    return [*out, (since, len(levels))] if is_open else out


@given(
    st.lists(st.integers(-60, -20), min_size=0, max_size=120),
    st.integers(-50, -25),
    st.integers(0, 12),
    st.integers(0, 9),
)
@settings(max_examples=tries(100))
def test_arrays_turn_as_the_rules_say(levels: list[int], open_db: int, between: int, hold: int) -> None:
    rows = np.array(levels, dtype=np.float32)
    turned = turns(rows, open_db, open_db - between, hold)
    assert list(zip(turned.opened.tolist(), turned.shut.tolist(), strict=True)) == walked(
        rows, open_db, open_db - between, hold
    )


@given(st.lists(st.booleans(), max_size=60))
def test_edges_are_where_runs_begin_and_end(bits: list[bool]) -> None:
    starts, ends = edges(np.array(bits, dtype=np.bool_))
    again = np.zeros(len(bits), dtype=np.bool_)
    for a, b in zip(starts, ends, strict=True):
        assert a < b
        again[a:b] = True
    assert again.tolist() == bits


def test_a_burst_is_gated_by_the_analytic_envelope() -> None:
    """1 kHz from 0.5 to 1.0 s: open within a step of its crossing, then a line of amplitude; hold and a line of dB after."""
    gate = Gate(open_db=-40, close_db=-46, attack_ms=10, hold_ms=50, release_ms=100, range_db=40)
    sound = burst(0.5, 1.0, 2.0, -12)
    key = key_of(sound, RATE)
    turned = gate_turns(key.detector(), gate, key.step_s)
    assert turned.opened.tolist() == [2000]
    # The last half wave, 10 ms of detector, 50 ms of hold, one step.
    assert turned.shut[0] * key.step_s == pytest.approx(1.0 + 0.010 + 0.050, abs=0.0006)
    time = np.arange(2000, 8000, dtype=float)
    gain = gain_at(turned, gate, key.step_s, time)
    floor = 10 ** (-40 / 20)
    seconds = time * key.step_s
    rise = floor + (1 - floor) * (seconds - 0.5) / 0.010
    shut = turned.shut[0] * key.step_s
    fall = 10 ** (-40 * (seconds - shut) / 0.100 / 20)
    analytic = np.where(seconds < 0.51, rise, np.where(seconds < shut, 1.0, np.maximum(fall, floor)))
    assert gain == pytest.approx(np.minimum(analytic, 1.0), abs=1e-9)


def test_rendered_sound_is_the_sound_times_the_gain() -> None:
    gate = Gate(open_db=-40, close_db=-46, attack_ms=7, hold_ms=20, release_ms=60, range_db=30)
    sound = burst(0.3, 0.5, 1.0, -12) + noise(1.0, -70, 3, RATE).astype(np.float32)
    key = key_of(sound, RATE)
    turned = gate_turns(key.detector(), gate, key.step_s)
    out = render(sound, turned, gate, key.samples, RATE)
    gain = gain_at(turned, gate, key.step_s, np.arange(len(sound)) / key.samples)
    assert out == pytest.approx(sound * gain, abs=2e-6)
    stereo = render(np.stack((sound, -sound), axis=1), turned, gate, key.samples, RATE)
    assert np.array_equal(stereo[:, 0], out)


@pytest.mark.parametrize("rate", [8000, 16000, 44100, 48000, 96000])
def test_times_hold_at_every_rate(rate: int) -> None:
    gate = Gate(open_db=-40, close_db=-46, attack_ms=0, hold_ms=100, release_ms=0, range_db=120)
    sound = burst(0.25, 0.5, 1.0, -12, rate)
    key = key_of(sound, rate)
    turned = gate_turns(key.detector(), gate, key.step_s)
    assert turned.opened[0] * key.step_s == pytest.approx(0.25, abs=0.0005)
    assert turned.shut[0] * key.step_s == pytest.approx(0.5 + 0.11, abs=0.001)
    out = render(sound, turned, gate, key.samples, rate)
    assert not out[round(0.62 * rate) :].any()
    assert np.array_equal(out[round(0.26 * rate) : round(0.5 * rate)], sound[round(0.26 * rate) : round(0.5 * rate)])


def test_turned_round_half_way_the_gain_goes_on_from_where_it_is() -> None:
    gate = Gate(open_db=-40, close_db=-46, attack_ms=40, hold_ms=0, release_ms=100, range_db=40, detector_ms=0.25)
    levels = np.full(2000, -80, dtype=np.float32)
    levels[100:900] = -20
    levels[1100:1400] = -20
    step_s = 0.00025
    turned = gate_turns(levels, gate, step_s)
    assert turned.opened.tolist() == [100, 1100]
    assert turned.shut.tolist() == [900, 1400]
    gain = gain_at(turned, gate, step_s, np.arange(2000, dtype=float))
    # 200 steps are 50 ms: half of the release, 20 dB down, an amplitude of 0.1.
    assert gain[1100] == pytest.approx(0.1)
    # Up again by the attack's slope: 0.99 in 160 steps.
    assert gain[1150] == pytest.approx(0.1 + 0.99 * 50 / 160)
    # The steepest: a release of 40 dB in 100 ms.
    assert np.abs(np.diff(gain)).max() < 1.01 - 10 ** (-40 / 400 / 20)


def test_look_ahead_opens_before_the_word() -> None:
    gate = Gate(open_db=-40, close_db=-46, attack_ms=4, hold_ms=50, release_ms=50, look_ahead_ms=5)
    sound = burst(0.5, 0.7, 1.0, -12)
    key = key_of(sound, RATE)
    turned = gate_turns(key.detector(), gate, key.step_s)
    starts, ends = passing(turned, gate, key.step_s, at_db=-10)
    assert starts[0] * key.step_s < 0.5 < ends[0] * key.step_s
    out = render(sound, turned, gate, key.samples, RATE)
    late = round(0.005 * RATE)
    whole = slice(round(0.5 * RATE) + late, round(0.7 * RATE) + late)
    assert np.array_equal(out[whole], sound[round(0.5 * RATE) : round(0.7 * RATE)])


@given(
    st.lists(st.tuples(st.integers(-60, -20), st.integers(1, 300)), min_size=1, max_size=8),
    st.floats(0.1, 20),
    st.floats(1, 100),
    st.floats(0, 20),
    st.sampled_from([15.0, 40.0, 90.0]),
)
@settings(max_examples=tries(50))
def test_what_passes_is_what_the_rendered_sound_lets_through(
    runs: list[tuple[int, int]], attack: float, release: float, ahead: float, range_db: float
) -> None:
    """A steady sound through the gate, late by the look-ahead: its samples are over the line just where it says so, in the
    steps of what went in."""
    gate = Gate(
        open_db=-40,
        close_db=-46,
        attack_ms=attack,
        hold_ms=10,
        release_ms=release,
        range_db=range_db,
        look_ahead_ms=ahead,
    )
    levels = np.concatenate([np.full(count, level, dtype=np.float32) for level, count in runs])
    turned, samples = gate_turns(levels, gate, 12 / RATE), 12
    late = round(ahead / 1000 * RATE)
    sound = np.ones(len(levels) * samples, dtype=np.float32)
    out = render(sound, turned, gate, samples, RATE)
    starts, ends = passing(turned, gate, samples / RATE, at_db=-10)
    at = np.arange(len(sound) - late) / samples
    inside = (at[:, None] >= starts) & (at[:, None] < ends)
    told = inside.any(axis=1)
    heard = out[late:] > 10 ** (-10 / 20)
    # On the very edge a sample may fall to either side, as the delay is one of whole samples.
    edge = (np.abs(at[:, None] - np.concatenate((starts, ends))) <= 1.5 / samples).any(axis=1)
    assert np.array_equal(told[~edge], heard[~edge])


def test_a_range_that_is_heard_through_passes_always() -> None:
    turned = turns(np.full(100, -80, dtype=np.float32), -40, -46, 0)
    starts, ends = passing(turned, Gate(range_db=8), 0.00025, at_db=-10)
    assert (starts.tolist(), ends.tolist()) == ([0.0], [100.0])


def test_a_gate_that_never_opens_and_one_that_never_shuts() -> None:
    gate = Gate(open_db=-40, close_db=-46, range_db=120)
    quiet = np.full(400, -60, dtype=np.float32)
    sound = np.full(400 * 12, 0.001, dtype=np.float32)
    assert not render(sound, gate_turns(quiet, gate, 0.00025), gate, 12, RATE).any()
    loud = np.full(400, -20, dtype=np.float32)
    assert render(sound, gate_turns(loud, gate, 0.00025), gate, 12, RATE)[200:].tolist() == sound[200:].tolist()
    empty = np.zeros(0, dtype=np.float32)
    assert len(render(empty, gate_turns(empty, gate, 0.00025), gate, 12, RATE)) == 0


@pytest.mark.parametrize("count", [1, 2, 3, 7, 40, 41, 63, 300])
def test_detectors_see_just_the_last_window(count: int) -> None:
    """Against scipy's maximum filter, and plain sums."""
    values = np.random.default_rng(count).random(200).astype(np.float32)
    expected = maximum_filter1d(values, count, origin=(count - 1) // 2, mode="constant", cval=0.0)
    assert np.array_equal(sliding_max(values, count), expected)
    sums = [values[max(0, i - count + 1) : i + 1].sum(dtype=np.float64) for i in range(len(values))]
    assert sliding_sum(values, count) == pytest.approx(sums, rel=1e-5)


def test_a_sine_reads_the_same_on_both_detectors() -> None:
    """AES17: a sine of amplitude A reads 20 lg A, peak or rms."""
    key = key_of(burst(0.0, 1.0, 1.0, -23.0), RATE)
    assert key.detector("peak")[1000:].min() == pytest.approx(-23.0, abs=0.02)
    assert key.detector("rms")[1000:] == pytest.approx(-23.0, abs=0.02)


def test_blocks_of_any_length_make_the_same_key() -> None:
    sound = noise(1.3, -30, 4, RATE).astype(np.float32)
    whole = key_of(sound, RATE)
    cut = np.random.default_rng(5).choice(len(sound), 30, replace=False)
    blocks = np.split(sound, np.sort(cut))
    parts = key_of(blocks, RATE)
    assert np.array_equal(parts.peak, whole.peak)
    assert parts.power == pytest.approx(whole.power, rel=1e-5)


def test_a_key_filter_keeps_rumble_from_opening() -> None:
    rumble = burst(0.2, 0.8, 1.0, -20, hz=40.0)
    gate = Gate(open_db=-40, close_db=-46, key_low_hz=300)
    plain = key_of(rumble, RATE)
    assert len(gate_turns(plain.detector(), gate, plain.step_s).opened) == 1
    keyed = key_of(rumble[round(0.3 * RATE) : round(0.7 * RATE)], RATE, key_sections(gate, RATE))
    settled = keyed.part(0.1, 0.4)
    # Second-order high-pass: 40 dB a decade, 300 to 40 Hz is 35 dB.
    assert settled.detector().max() == pytest.approx(-20 - 40 * np.log10(300 / 40), abs=1.0)


def test_settings_refuse_what_makes_no_sense() -> None:
    with pytest.raises(ValueError, match="above where it opens"):
        Gate(open_db=-40, close_db=-30)
    with pytest.raises(ValueError, match="key filter"):
        Gate(key_low_hz=900, key_high_hz=800)
