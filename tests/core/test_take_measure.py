"""Measuring recordings, on signals whose levels are known."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.take.measure import NotANumberError, TakeMeasure, TakeMeter

RATE = 48000


def measure(samples: np.ndarray, rate: int = RATE, block: int = 5000) -> TakeMeasure:
    rows = np.asarray(samples, dtype=np.float32)
    rows = rows[:, None] if rows.ndim == 1 else rows
    meter = TakeMeter(rate, rows.shape[1])
    for start in range(0, len(rows), block):
        meter.add(rows[start : start + block])
    return meter.result()


def sine(seconds: float, level_dbfs: float, frequency: float = 1000.0) -> np.ndarray:
    time = np.arange(round(seconds * RATE)) / RATE
    return 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * frequency * time)


class TestLevels:
    """AES17: a full-scale sine reads 0 dBFS rms; a full-scale square wave +3.01."""

    def test_full_scale_sine(self) -> None:
        row = measure(sine(1, 0))
        assert row.rms_dbfs == pytest.approx(0, abs=1e-3)
        assert row.peak_dbfs == pytest.approx(0, abs=1e-3)

    def test_square_wave(self) -> None:
        row = measure(np.sign(sine(1, 0, 997) + 1e-9) * 0.5)
        assert row.rms_dbfs == pytest.approx(20 * math.log10(0.5) + 3.01, abs=0.01)

    @pytest.mark.parametrize("level", [-20.0, -60.0, -96.0])
    def test_noise_floor_of_a_steady_tone_is_its_level(self, level: float) -> None:
        assert measure(sine(2, level)).noise_floor_dbfs == pytest.approx(level, abs=0.02)

    def test_white_noise(self) -> None:
        """Gaussian noise of rms s reads 20 lg s + 3.01 (AES17)."""
        noise = np.random.default_rng(1).standard_normal(RATE * 4) * 0.01
        row = measure(noise)
        assert row.rms_dbfs == pytest.approx(-40 + 3.01, abs=0.05)
        assert row.noise_floor_dbfs == pytest.approx(-40 + 3.01, abs=0.3)

    def test_the_quietest_sustained_half_second_is_found(self) -> None:
        take = np.concatenate((sine(2, -20), sine(0.7, -60), sine(2, -20), sine(0.3, -90), sine(1, -20)))
        row = measure(take)
        assert row.noise_floor_dbfs == pytest.approx(-60, abs=0.1)
        assert 2.0 <= row.floor_at_s <= 2.2

    @given(st.integers(1, 20000))
    @settings(max_examples=20, deadline=None)
    def test_block_size_changes_nothing(self, block: int) -> None:
        take = np.concatenate((sine(0.6, -30), np.ones(50), sine(0.9, -50, 333)))
        assert measure(take, block=block).to_json() == measure(take, block=len(take)).to_json()

    def test_the_loudest_channel_leads(self) -> None:
        row = measure(np.stack((sine(1, -20), sine(1, -40)), axis=1))
        assert row.rms_dbfs == pytest.approx(-20, abs=0.01)
        assert row.channel_rms_dbfs[1] == pytest.approx(-40, abs=0.01)
        assert row.noise_floor_dbfs == pytest.approx(-20, abs=0.02)


class TestClipping:
    def test_runs_are_counted_with_place_and_length(self) -> None:
        take = sine(1, -12)
        take[1000:1010] = 1.0
        take[30000:30004] = -1.0
        take[40000:40002] = 1.0
        row = measure(take, block=1004)
        assert row.clipped_runs == 2
        assert row.longest_run == 10
        assert [(round(run.at_s * RATE), run.samples) for run in row.first_runs] == [(1000, 10), (30000, 4)]

    def test_a_run_to_the_very_end(self) -> None:
        take = np.concatenate((np.zeros(100), np.ones(7)))
        assert measure(take).longest_run == 7

    def test_sixteen_bit_full_scale_counts(self) -> None:
        take = np.full(10, 32767 / 32768)
        assert measure(take).clipped_runs == 1

    def test_wholly_clipped(self) -> None:
        row = measure(np.ones(RATE), block=777)
        assert row.clipped_runs == 1
        assert row.longest_run == RATE


class TestNothingToTell:
    def test_silence(self) -> None:
        row = measure(np.zeros(RATE))
        assert row.peak_dbfs is None
        assert row.noise_floor_dbfs is None
        assert "digital silence" in row.notes[0]

    def test_too_short(self) -> None:
        row = measure(sine(0.3, -20))
        assert row.noise_floor_dbfs is None
        assert "shorter than half a second" in row.notes[0]
        assert row.noise_floor() is None

    def test_a_gated_take(self) -> None:
        row = measure(np.concatenate((sine(1, -20), np.zeros(RATE))))
        assert row.noise_floor_dbfs is None
        assert "digital silence" in row.notes[0]

    def test_empty(self) -> None:
        assert measure(np.zeros((0, 1))).notes == ("the take is empty",)

    def test_samples_that_are_not_numbers(self) -> None:
        take = sine(1, -20)
        take[24000] = math.nan
        with pytest.raises(NotANumberError) as caught:
            measure(take)
        assert caught.value.at_s == pytest.approx(0.5)

    def test_refusals(self) -> None:
        with pytest.raises(ValueError, match="at least one channel"):
            TakeMeter(48000, 0)
        with pytest.raises(ValueError, match="expected 2 channels"):
            TakeMeter(48000, 2).add(np.zeros((4, 1), dtype=np.float32))


def test_the_floor_explains_itself() -> None:
    floor = measure(sine(2, -50)).noise_floor()
    assert floor is not None
    assert "quietest half second" in floor.source
