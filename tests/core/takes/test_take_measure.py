"""Measuring recordings, on signals whose levels are known."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.takes.measure import (
    CLIP_LEVEL,
    CLIP_RUN,
    GATHERED_FRAMES,
    NotANumberError,
    TakeMeasure,
    TakeMeter,
)
from tests.budget import tries

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
    @settings(max_examples=tries(8))
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

    @given(st.data())
    @settings(max_examples=tries(20))
    def test_a_run_over_a_border_is_one_run(self, data: st.DataObject) -> None:
        """Frames are gathered by GATHERED_FRAMES; runs that touch, cross or span such borders are counted as by a plain scan."""
        count = 3 * GATHERED_FRAMES + 100
        take = np.full((count, 2), 0.1)
        border = st.sampled_from([GATHERED_FRAMES, 2 * GATHERED_FRAMES])
        lengths = st.one_of(st.integers(1, 12), st.just(GATHERED_FRAMES + 7))
        runs = st.tuples(st.integers(0, 1), border, st.integers(-6, 6), lengths)
        for channel, at, off, length in data.draw(st.lists(runs, min_size=1, max_size=4)):
            take[at + off : at + off + length, channel] = data.draw(st.sampled_from([1.0, -1.0]))
        expected = []
        for channel in range(2):
            at = 0
            for hot, row in itertools.groupby(np.abs(take[:, channel]) >= CLIP_LEVEL):
                length = len(list(row))
                if hot and length >= CLIP_RUN:
                    expected.append((at, length, channel + 1))
                at += length
        row = measure(take, block=data.draw(st.sampled_from([1000, 4096, 8192, count])))
        assert row.clipped_runs == len(expected)
        assert row.longest_run == max((length for _, length, _ in expected), default=0)
        got = [(round(run.at_s * RATE), run.samples, run.channel) for run in row.first_runs]
        assert sorted(got) == sorted(expected)

    def test_a_run_that_ends_with_what_was_gathered_is_not_the_next_ones(self) -> None:
        """Clipped up to a border, nothing for a whole stretch, then clipped again: two runs, each where it is."""
        take = np.full(4 * GATHERED_FRAMES, 0.1)
        take[GATHERED_FRAMES - 5 : GATHERED_FRAMES] = 1.0
        take[2 * GATHERED_FRAMES + 50 : 2 * GATHERED_FRAMES + 57] = 1.0
        rows = measure(take, block=GATHERED_FRAMES).first_runs
        told = [(round(run.at_s * RATE), run.samples) for run in rows]
        assert told == [(GATHERED_FRAMES - 5, 5), (2 * GATHERED_FRAMES + 50, 7)]

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


class TestEverythingOfATake:
    """Loudness, true peak and speech level as a take tells them; and what it says where it cannot."""

    def test_loudness_is_that_of_the_meter_and_of_an_independent_library(self) -> None:
        """pyloudnorm (Steinmetz and Reiss 2021), mono and stereo."""
        import pyloudnorm

        noise = (
            np.random.default_rng(7).normal(0, 0.05, (RATE * 8, 2))
            * np.repeat([1.0, 0.2, 2.0, 0.01], RATE * 2)[:, None]
        )
        for signal in (noise, noise[:, :1]):
            row = measure(signal)
            other = pyloudnorm.Meter(RATE, filter_class="DeMan").integrated_loudness(signal)
            assert row.integrated_lufs == pytest.approx(other, abs=0.1)
            assert row.momentary_max_lufs >= row.short_max_lufs >= row.integrated_lufs - 1

    def test_true_peak_lies_over_the_samples(self) -> None:
        """EBU Tech 3341, case 16: a quarter of the rate at 45 degrees has its peaks between the samples."""
        time = np.arange(RATE) / RATE
        wave = 0.5 * np.sin(2 * np.pi * RATE / 4 * time + np.pi / 4)
        wave[:480] *= np.linspace(0, 1, 480)
        row = measure(wave)
        assert row.peak_dbfs == pytest.approx(-9.03, abs=0.05)
        assert -6.4 <= row.true_peak_dbtp <= -5.8

    def test_speech_level_leaves_pauses_out(self) -> None:
        """ITU-T P.56: talk at -20 for 60 % of the time reads about -20, its rms 2.2 dB less."""
        rng = np.random.default_rng(3)
        take = np.concatenate(
            [np.concatenate([rng.normal(0, 0.0707, RATE * 3), rng.normal(0, 1e-4, RATE * 2)]) for _ in range(4)]
        )
        row = measure(take)
        assert row.speech_dbfs == pytest.approx(-20.0, abs=0.6)
        assert row.rms_dbfs == pytest.approx(-20 + 10 * math.log10(0.6), abs=0.2)
        assert 0.58 <= row.speech_share <= 0.68
        assert row.noise_floor_dbfs == pytest.approx(-80 + 3.01, abs=0.5)
        assert len(row.hop_power) == pytest.approx(20 * 20, abs=2)

    def test_many_channels_are_tracks(self) -> None:
        rng = np.random.default_rng(4)
        row = measure(rng.normal(0, 0.05, (RATE * 2, 5)) * np.array([1, 1, 3, 1, 1]))
        assert row.integrated_lufs is None
        assert any("5 separate tracks" in note for note in row.notes)
        assert row.channel_rms_dbfs[2] - row.channel_rms_dbfs[0] == pytest.approx(9.54, abs=0.2)
        assert row.rms_dbfs == row.channel_rms_dbfs[2]

    @pytest.mark.parametrize(
        ("samples", "rate", "words"),
        [
            (np.zeros(RATE * 2), RATE, "digital silence"),
            (np.random.default_rng(1).normal(0, 0.1, RATE // 5), RATE, "shorter than 0.4 s"),
            (np.sign(np.random.default_rng(2).normal(0, 1, RATE * 2)), RATE, "clipped from end to end (100%"),
            (np.random.default_rng(3).normal(0, 0.1, RATE * 2), RATE, "no speech found"),
            (np.random.default_rng(3).normal(0, 0.1, 8000), 4000, "below 8000 samples a second"),
        ],
    )
    def test_what_cannot_be_told_is_said(self, samples: np.ndarray, rate: int, words: str) -> None:
        row = measure(samples, rate)
        assert any(words in note for note in row.notes), row.notes
        assert row.speech_dbfs is None

    def test_the_table_has_all_that_the_data_have(self) -> None:
        row = measure(np.random.default_rng(5).normal(0, 0.1, RATE * 4))
        data = row.to_json()
        told = {name: value for name, value, _ in row.table()}
        assert told["true peak"] == pytest.approx(data["true_peak_dbtp"], abs=1e-3)
        assert told["loudness, integrated"] == pytest.approx(data["integrated_lufs"], abs=1e-3)
        assert told["loudness range"] == pytest.approx(data["range_lu"], abs=1e-3)
        assert told["speech level"] is None

    @pytest.mark.parametrize("rate", [8000, 11025, 22050, 44100, 96000, 192000])
    def test_any_rate_reads_the_same_tone_alike(self, rate: int) -> None:
        """A 1 kHz sine of -23 dBFS in both channels reads -23 LUFS (EBU Tech 3341), whatever the rate."""
        time = np.arange(rate * 4) / rate
        tone = 10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * time)
        # Faded at both ends: a sine cut off at full height has a true peak of its own there.
        tone *= np.minimum(1, np.minimum(time, time[-1] - time) / 0.01)
        row = measure(np.column_stack([tone, tone]), rate)
        assert row.integrated_lufs == pytest.approx(-23.0, abs=0.15)
        assert row.peak_dbfs == pytest.approx(-23.0, abs=0.2)
        # The filter of annex 2 reads up to 0.25 dB high below a tenth of the rate.
        assert -23.4 <= row.true_peak_dbtp <= -22.75
