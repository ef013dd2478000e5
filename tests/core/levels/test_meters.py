"""Meters against their standards, an independent loudness library and hand calculation."""

from __future__ import annotations

import math

import numpy as np
import pyloudnorm
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import resample_poly

from kymaphon.core.levels.meter.active import SpeechMeter
from kymaphon.core.levels.meter.loudness import LAYOUTS, LoudnessMeter
from kymaphon.core.levels.meter.needles import QuasiPeakMeter, RmsMeter, VuMeter
from kymaphon.core.levels.meter.peaks import TruePeakMeter
from kymaphon.core.weighting import k_gain_db, k_sections
from tests.budget import tries

RATE = 48000


def sine(level_dbfs: float, seconds: float, hertz: float = 1000.0, rate: int = RATE, phase: float = 0.0) -> np.ndarray:
    time = np.arange(round(seconds * rate)) / rate
    return 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hertz * time + np.deg2rad(phase))


def row(*parts: tuple[float, float], hertz: float = 1000.0) -> np.ndarray:
    """Sines of some levels and lengths, one after another."""
    return np.concatenate([sine(level, seconds, hertz) for level, seconds in parts])


def measured(signal: np.ndarray, rate: int = RATE, layout: str = "stereo", block: int = 9001) -> LoudnessMeter:
    if signal.ndim == 1:
        signal = np.column_stack([signal] * len(LAYOUTS[layout]))
    meter = LoudnessMeter(rate, LAYOUTS[layout])
    for start in range(0, len(signal), block):
        meter.add(signal[start : start + block])
    return meter


def test_k_weighting_has_the_coefficients_of_bs_1770() -> None:
    # ITU-R BS.1770-5, annex 1, tables 1 and 2 (48 kHz).
    shelf, high_pass = k_sections(48000)
    assert shelf == pytest.approx(
        [1.53512485958697, -2.69169618940638, 1.19839281085285, 1, -1.69065929318241, 0.73248077421585],
        abs=1e-8,
    )
    assert high_pass == pytest.approx([1, -2, 1, 1, -1.99004745483398, 0.99007225036621], abs=1e-8)
    for rate in (8000, 16000, 44100, 96000, 192000):
        assert k_gain_db(1000.0, rate) == pytest.approx(k_gain_db(1000.0), abs=0.15)
    with pytest.raises(ValueError, match="sample rate"):
        k_sections(3000)


# EBU Tech 3341, table 1, cases 1 to 5: 1 kHz stereo sines, ± 0.1.
@pytest.mark.parametrize(
    ("parts", "wanted"),
    [
        (((-23, 20),), -23.0),
        (((-33, 20),), -33.0),
        (((-36, 10), (-23, 60), (-36, 10)), -23.0),
        (((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)), -23.0),
        (((-26, 20), (-20, 20.1), (-26, 20)), -23.0),
    ],
)
def test_tech_3341_integrated(parts: tuple[tuple[float, float], ...], wanted: float) -> None:
    meter = measured(row(*parts))
    assert meter.integrated_lufs() == pytest.approx(wanted, abs=0.1)
    if len(parts) == 1:
        assert meter.momentary_lufs == pytest.approx(wanted, abs=0.1)
        assert meter.short_lufs == pytest.approx(wanted, abs=0.1)


def test_tech_3341_case_6_five_channels() -> None:
    # Left and right -28, centre -24, surrounds -30 dBFS, 20 s: -23.0 ± 0.1 LUFS.
    levels = (-28, -28, -24, None, -30, -30)
    signal = np.column_stack([np.zeros(20 * RATE) if level is None else sine(level, 20) for level in levels])
    assert measured(signal, layout="5.1").integrated_lufs() == pytest.approx(-23.0, abs=0.1)


def test_tech_3341_cases_9_to_14_short_and_momentary() -> None:
    # Case 9: -20 for 1.34 s and -30 for 1.66 s, five times: short-term -23.0 ± 0.1 from 3 s on.
    assert measured(row(*[(-20, 1.34), (-30, 1.66)] * 5)).short_max_lufs == pytest.approx(-23.0, abs=0.1)
    # Case 12: -20 for 0.18 s and -30 for 0.22 s, 25 times: momentary -23.0 ± 0.1.
    assert measured(row(*[(-20, 0.18), (-30, 0.22)] * 25)).momentary_max_lufs == pytest.approx(-23.0, abs=0.1)
    for i in range(0, 20, 3):
        # Case 10: silence of i * 0.15 s, then 3 s of -23: highest short-term -23.0 ± 0.1.
        short = np.concatenate([np.zeros(round(i * 0.15 * RATE)), sine(-23, 3), np.zeros(RATE)])
        assert measured(short).short_max_lufs == pytest.approx(-23.0, abs=0.1)
        # Case 13: silence of i * 0.02 s, then 0.4 s of -23: highest momentary -23.0 ± 0.1.
        brief = np.concatenate([np.zeros(round(i * 0.02 * RATE)), sine(-23, 0.4), np.zeros(RATE)])
        assert measured(brief).momentary_max_lufs == pytest.approx(-23.0, abs=0.1)


# EBU Tech 3342, table 1, cases 1 to 4: range ± 1 LU.
@pytest.mark.parametrize(
    ("levels", "wanted"),
    [((-20, -30), 10), ((-20, -15), 5), ((-40, -20), 20), ((-50, -35, -20, -35, -50), 15)],
)
def test_tech_3342_range(levels: tuple[float, ...], wanted: float) -> None:
    assert measured(row(*[(level, 20) for level in levels])).range_lu() == pytest.approx(wanted, abs=1.0)


# EBU Tech 3341, table 1, cases 15 to 19: sines at a part of the sample rate; +0.2, -0.4 dB.
@pytest.mark.parametrize(
    ("part", "phase", "level", "wanted"),
    [
        (4, 0, -6.02, -6.0),
        (4, 45, -6.02, -6.0),
        (6, 60, -6.02, -6.0),
        (8, 67.5, -6.02, -6.0),
        (4, 45, 2.98, 3.0),
    ],
)
def test_tech_3341_true_peak_of_sines(part: int, phase: float, level: float, wanted: float) -> None:
    # Faded in: a sine that starts at full height has a true peak of its own at the edge.
    signal = sine(level, 0.1, RATE / part, phase=phase)[:, None]
    signal[:480] *= np.linspace(0, 1, 480)[:, None]
    meter = TruePeakMeter(RATE)
    meter.add(signal)
    found = 20 * math.log10(meter.true_peak[0])
    assert wanted - 0.4 <= found <= wanted + 0.2
    assert meter.peak[0] == pytest.approx(np.abs(signal).max())


@settings(max_examples=tries(8))
@given(st.integers(0, 2**31), st.integers(1, 700))
def test_true_peak_looks_everywhere_that_matters(seed: int, block: int) -> None:
    """The same as interpolating between all samples, in blocks of any length, for sound below 0.45 of the rate."""
    from kymaphon.core.levels.meter.peaks import OVERSAMPLING, TAPS, interpolator

    draw = np.random.default_rng(seed)
    spectrum = np.fft.rfft(draw.normal(0, 0.1, 4000) * np.linspace(0, 2, 4000))
    spectrum[int(0.45 * 4000) :] = 0
    signal = np.fft.irfft(spectrum, 4000)
    meter = TruePeakMeter(RATE)
    for start in range(0, len(signal), block):
        meter.add(signal[start : start + block, None])
    meter.finish()
    padded = np.concatenate((np.zeros(TAPS - 1), signal, np.zeros(TAPS - 1)))
    full = max(np.abs(np.convolve(padded, interpolator()[::-1, phase])).max() for phase in range(OVERSAMPLING - 1))
    assert meter.true_peak[0] == pytest.approx(max(full, np.abs(signal).max()), rel=1e-5)


@pytest.mark.parametrize("seed", range(12))
def test_true_peak_of_clipped_sound_beside_its_band_limited_reconstruction(seed: int) -> None:
    """Any sound below 0.45 of the rate within 0.2 dB: noise of random spectra, clipped hard and band-limited again, against
    the reconstruction by its whole spectrum (Shannon 1949; scipy's Fourier resampler at 64 times the rate).
    """
    from scipy.signal import resample

    draw = np.random.default_rng(seed)
    count = 4000
    limit = np.fft.rfftfreq(count) <= 0.45
    spectrum = np.fft.rfft(draw.normal(0, 1, count)) * np.exp(draw.normal(0, 1, count // 2 + 1))
    signal = np.fft.irfft(spectrum * limit, count)
    signal = np.fft.irfft(np.fft.rfft(np.clip(2 * signal / np.abs(signal).max(), -1, 1)) * limit, count)
    meter = TruePeakMeter(RATE)
    # Round a circle, as the reconstruction sees it.
    meter.add(np.tile(signal, 3)[:, None])
    meter.finish()
    reference = np.abs(resample(signal, count * 64)).max()
    assert 20 * math.log10(meter.true_peak[0] / reference) == pytest.approx(0, abs=0.2)


def test_true_peak_beside_a_general_resampler() -> None:
    noise = np.random.default_rng(4).normal(0, 0.2, RATE)
    smooth = np.convolve(noise, np.hanning(9), "same")
    meter = TruePeakMeter(RATE)
    meter.add(smooth[:, None])
    reference = np.abs(resample_poly(smooth, 16, 1)).max()
    assert 20 * math.log10(meter.true_peak[0] / reference) == pytest.approx(0, abs=0.2)


@pytest.mark.parametrize("rate", [16000, 22050, 44100, 48000, 96000])
def test_integrated_loudness_beside_pyloudnorm(rate: int) -> None:
    # pyloudnorm (Steinmetz and Reiss 2021), its meter by De Man's filter formulae: an independent reading of BS.1770.
    noise = np.random.default_rng(rate).normal(0, 0.05, (rate * 12, 2))
    noise *= np.repeat([0.02, 1.0, 0.3, 2.0], rate * 3)[:, None]
    mine = measured(noise, rate).integrated_lufs()
    other = pyloudnorm.Meter(rate, filter_class="DeMan").integrated_loudness(noise)
    assert mine == pytest.approx(other, abs=0.1)


def test_loudness_does_not_depend_on_blocks_and_knows_silence() -> None:
    noise = np.random.default_rng(1).normal(0, 0.1, (RATE * 5, 1))
    rows = [measured(noise, layout="mono", block=block) for block in (480, 1001, RATE * 5)]
    for name in ("momentary_max_lufs", "short_max_lufs", "momentary_lufs"):
        assert getattr(rows[0], name) == pytest.approx(getattr(rows[2], name), abs=1e-9)
    assert rows[0].integrated_lufs() == pytest.approx(rows[1].integrated_lufs(), abs=1e-9)
    quiet = measured(np.zeros(RATE * 4), layout="mono")
    assert quiet.integrated_lufs() is None
    assert quiet.range_lu() is None
    assert quiet.momentary_lufs is None
    with pytest.raises(ValueError, match="channels"):
        quiet.add(np.zeros((3, 2)))
    with pytest.raises(ValueError, match="8 kHz"):
        LoudnessMeter(4000)
    with pytest.raises(ValueError, match="one channel"):
        LoudnessMeter(48000, ())


def burst(milliseconds: float, hertz: float = 5000.0) -> np.ndarray:
    return sine(0, milliseconds / 1000, hertz)


# IEC 60268-10, tone bursts of 5 kHz: length in ms, reading in dB, tolerance (from memory).
@pytest.mark.parametrize(
    ("kind", "length", "wanted", "tolerance"),
    [
        ("I", 100, 0, 0.5),
        ("I", 10, -1, 0.5),
        ("I", 5, -2, 1),
        ("I", 3, -4, 1),
        ("I", 0.4, -15, 4),
        ("II", 100, 0, 0.5),
        ("II", 10, -2, 0.5),
        ("II", 5, -4, 0.75),
        ("II", 1.5, -9, 1),
        ("II", 0.5, -17, 2),
    ],
)
def test_quasi_peak_bursts(kind: str, length: float, wanted: float, tolerance: float) -> None:
    meter = QuasiPeakMeter(RATE, kind)
    meter.add(burst(length))
    assert meter.highest_dbfs == pytest.approx(wanted, abs=tolerance)


@pytest.mark.parametrize(("kind", "fall", "seconds", "tolerance"), [("I", 20, 1.7, 0.3), ("II", 24, 2.8, 0.3)])
def test_quasi_peak_returns_in_time(kind: str, fall: float, seconds: float, tolerance: float) -> None:
    # IEC 60268-10: type I 20 dB in 1.7 ± 0.3 s, type II 24 dB in 2.8 ± 0.3 s.
    meter = QuasiPeakMeter(RATE, kind)
    meter.add(sine(-3, 1.0))
    before = meter.dbfs
    assert before == pytest.approx(-3, abs=0.1)
    meter.add(np.zeros(round(RATE * seconds)))
    assert before - meter.dbfs == pytest.approx(fall, abs=fall * tolerance / seconds)


def test_quasi_peak_by_every_sample_is_the_same() -> None:
    signal = np.random.default_rng(2).normal(0, 0.2, 3000)
    one, whole = QuasiPeakMeter(RATE), QuasiPeakMeter(RATE)
    whole.add(signal)
    for sample in signal:
        one.add(np.array([sample]))
    assert one.dbfs == pytest.approx(whole.dbfs, abs=1e-9)
    assert one.highest_dbfs == pytest.approx(whole.highest_dbfs, abs=1e-9)
    assert QuasiPeakMeter(RATE).dbfs is None


def test_vu_needle() -> None:
    # IEC 60268-17: 99 % after 300 ms ± 10 %, overshoot 1 to 1.5 %; a sine reads its level.
    meter = VuMeter(RATE)
    tone = sine(-18, 2.0)
    readings = []
    for start in range(0, len(tone), 480):
        meter.add(tone[start : start + 480])
        readings.append(10 ** ((meter.dbfs + 18) / 20))
    reached = next(i for i, value in enumerate(readings) if value >= 0.99) * 0.01
    assert 0.27 <= reached <= 0.33
    assert 1.01 <= max(readings) <= 1.015
    assert readings[-1] == pytest.approx(1.0, abs=0.003)
    assert meter.highest_dbfs == pytest.approx(-18 + 20 * math.log10(max(readings)), abs=0.01)
    assert VuMeter(RATE).dbfs is None


def test_rms_reads_a_square_wave_three_decibels_up() -> None:
    # AES17: a full-scale sine is 0 dBFS, so a full-scale square wave is +3.01.
    meter = RmsMeter(RATE)
    meter.add(np.sign(sine(0, 1.0)))
    assert meter.dbfs == pytest.approx(3.01, abs=0.02)
    assert meter.highest_dbfs == pytest.approx(3.01, abs=0.02)


@pytest.mark.parametrize("share", [1.0, 0.6, 0.3])
def test_active_speech_level_of_constructed_signals(share: float) -> None:
    """ITU-T P.56: the level of what is active, whatever the pauses; hangover and envelope add a little activity."""
    rng = np.random.default_rng(5)
    parts = []
    for _ in range(8):
        parts.append(rng.normal(0, 0.05, round(RATE * 4 * share)))
        parts.append(np.zeros(round(RATE * 4 * (1 - share))))
    signal = np.concatenate(parts)
    meter = SpeechMeter(RATE)
    for start in range(0, len(signal), 6001):
        meter.add(signal[start : start + 6001])
    active = 20 * math.log10(0.05) + 10 * math.log10(2)
    # The hangover counts up to 0.25 s after each burst as active.
    longest = min(1.0, share + 0.3 / 4)
    lowest = 10 * math.log10(share / longest)
    assert active + lowest - 0.1 <= meter.level_dbfs() <= active + 0.1
    assert share - 0.02 <= meter.activity <= longest + 0.02


def test_active_speech_level_follows_gain_and_leaves_noise_out() -> None:
    rng = np.random.default_rng(6)
    words = np.concatenate([np.concatenate([rng.normal(0, 0.1, RATE), np.zeros(RATE)]) for _ in range(6)])
    words += rng.normal(0, 0.0005, len(words))
    levels = []
    for gain in (1.0, 0.1):
        meter = SpeechMeter(RATE)
        meter.add(words * gain)
        levels.append(meter.level_dbfs())
    assert levels[0] - levels[1] == pytest.approx(20.0, abs=0.4)
    silent = SpeechMeter(RATE)
    silent.add(np.zeros(RATE))
    assert silent.level_dbfs() is None
    assert silent.activity is None
    with pytest.raises(ValueError, match="2 kHz"):
        SpeechMeter(1000)
