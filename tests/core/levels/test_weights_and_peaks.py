"""Both weightings and the one table of peaks, against published tables, another integration and real talkers."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from scipy import integrate, signal

from kymaphon.core.figures import figure, number
from kymaphon.core.levels.meter.active import SpeechMeter
from kymaphon.core.levels.meter.recursive import RecursiveFilter, one_pole
from kymaphon.core.model import weights

SPEECH = sorted((Path(__file__).parents[2] / "data" / "speech").glob("*.flac"))
THIRDS_HZ = (
    63,
    80,
    100,
    125,
    160,
    200,
    250,
    315,
    400,
    500,
    630,
    800,
    1000,
    1250,
    1600,
    2000,
    2500,
    3150,
    4000,
    5000,
    6300,
    8000,
    10000,
    12500,
    16000,
)
# IEC 61672-1, table of A-weighting at nominal third-octave frequencies.
A_TABLE = (
    -26.2,
    -22.5,
    -19.1,
    -16.1,
    -13.4,
    -10.9,
    -8.6,
    -6.6,
    -4.8,
    -3.2,
    -1.9,
    -0.8,
    0.0,
    0.6,
    1.0,
    1.2,
    1.3,
    1.2,
    1.0,
    0.5,
    -0.1,
    -1.1,
    -2.5,
    -4.3,
    -6.6,
)
# Byrne et al. 1994, long-term average speech, all talkers, third-octaves for 70 dB overall; from memory.
BYRNE = (
    38.6,
    43.5,
    54.4,
    57.7,
    56.8,
    60.2,
    60.3,
    59.0,
    62.1,
    62.1,
    60.5,
    56.8,
    53.7,
    53.0,
    52.0,
    48.7,
    48.1,
    46.8,
    45.6,
    44.5,
    44.3,
    43.7,
    43.4,
    41.3,
    40.7,
)


def a_power(hz: float) -> float:
    """A-weighting as a power ratio, by its poles (IEC 61672-1, Annex E)."""
    f = hz * hz
    poles = [(20.598997**2, 2), (107.65265**2, 1), (737.86223**2, 1), (12194.217**2, 2)]
    amplitude = 12194.217**2 * f * f
    for pole, order in poles:
        amplitude /= (f + pole) ** (order / 2 if order == 1 else 1)
    return float((amplitude * 10**0.1) ** 2)


def test_the_other_integration_has_the_a_curve() -> None:
    for hz, db in zip(THIRDS_HZ[::4], A_TABLE[::4], strict=True):
        exact = 1000 * 10 ** (round(10 * np.log10(hz / 1000)) / 10)
        assert 10 * np.log10(a_power(exact)) == pytest.approx(db, abs=0.1)


def test_speech_by_the_published_third_octaves() -> None:
    flat = 10 * np.log10(np.sum(10 ** (np.array(BYRNE) / 10)))
    weighted = 10 * np.log10(np.sum(10 ** ((np.array(BYRNE) + np.array(A_TABLE)) / 10)))
    assert flat == pytest.approx(70, abs=0.3), "the table itself is that of 70 dB"
    assert weights.speech_a_db() == pytest.approx(weighted - flat, abs=0.5)


@pytest.mark.parametrize("path", SPEECH, ids=lambda path: path.stem)
def test_speech_by_a_real_talker(path: Path) -> None:
    """One talker at one microphone is not the average of all: within 2.5 dB of it."""
    samples, rate = soundfile.read(path)
    frequency, density = signal.welch(samples, rate, nperseg=4096)
    voiced = frequency >= 90
    power = density[voiced]
    weighted = power * [a_power(hz) for hz in frequency[voiced]]
    assert 10 * np.log10(weighted.sum() / power.sum()) == pytest.approx(weights.speech_a_db(), abs=2.5)


def test_white_by_quadrature() -> None:
    high = number("noise-bandwidth")
    mean = integrate.quad(a_power, 20, high, limit=400)[0] / (high - 20)
    assert weights.white_a_db() == pytest.approx(10 * np.log10(mean), abs=0.02)


def test_peaks_of_a_real_talker_lie_where_the_table_has_them() -> None:
    """Highest sample over the active level (ITU-T P.56, as AES17 dB) of half a minute of reading."""
    signals = [soundfile.read(path) for path in SPEECH]
    assert sum(len(samples) for samples, _ in signals) / signals[0][1] > 20
    meter = SpeechMeter(signals[0][1])
    for samples, _ in signals:
        meter.add(samples)
    level = meter.level_dbfs()
    assert level is not None
    crest = 20 * np.log10(max(np.abs(samples).max() for samples, _ in signals)) - level
    row = figure("crest-highest")
    assert row.spread is not None
    assert row.spread[0] <= crest <= row.spread[1]


def test_headroom_wanted_is_growth_less_the_mildest_talker() -> None:
    low = figure("crest-highest").spread
    assert low is not None
    assert weights.headroom_wanted("guest").value == pytest.approx(number("growth") + low[0] - number("crest-highest"))
    assert weights.headroom_wanted("player").value == 0


class TestRecursiveFilter:
    """Held against scipy.signal, whose import it spares."""

    @pytest.mark.parametrize("seed", range(12))
    def test_random_sections_in_random_blocks(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        order = int(rng.integers(1, 7))
        edge = float(rng.uniform(0.0015, 0.4))
        kind = ["lowpass", "highpass"][seed % 2]
        sections = signal.butter(order, edge * 2, kind, output="sos")
        channels = int(rng.integers(1, 5))
        samples = rng.normal(0, 1, (6001, channels))
        wanted = signal.sosfilt(sections, samples, axis=0)
        mine = RecursiveFilter(sections, channels)
        got, at = [], 0
        while at < len(samples):
            step = int(rng.choice([1, 7, 16, 17, 960, 2205]))
            got.append(mine(samples[at : at + step]))
            at += step
        np.testing.assert_allclose(np.concatenate(got), wanted, atol=2e-9)

    def test_one_pole(self) -> None:
        samples = np.random.default_rng(1).normal(0, 1, (5000, 1))
        wanted = signal.lfilter([1.0], [1.0, -0.9995], samples, axis=0)
        np.testing.assert_allclose(
            one_pole(0.9995)(samples) / wanted, one_pole(0.9995)(samples[:1])[0, 0] / samples[0, 0], rtol=1e-6
        )
