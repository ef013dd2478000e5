"""Filters against scipy's and against their analogue prototypes; spectra against Welch's in scipy; weighting by its table."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import signal

from kymaphon.core.dynamics.filters import (
    band_sections,
    butterworth,
    choose_low_cut,
    equaliser_sections,
    gain_db,
    key_sections,
    low_cut_sections,
)
from kymaphon.core.figures import number
from kymaphon.core.model.processing import Band, Equaliser, Gate, LowCut
from kymaphon.core.takes.spectrum import SpectrumMeter, noise_kind, spectrum_of
from kymaphon.core.weighting import a_gain_db
from kymaphon.sim.talker import talk
from tests.core.dynamics.takes import noise

RATE = 48000
AT = np.geomspace(15, 20000, 60)


@pytest.mark.parametrize("order", [1, 2, 3, 4])
@pytest.mark.parametrize("way", ["highpass", "lowpass"])
def test_butterworth_is_scipys(order: int, way: str) -> None:
    ours = gain_db(butterworth(90, order, RATE, low_pass=way == "lowpass"), AT, RATE)
    _, theirs = signal.sosfreqz(signal.butter(order, 90, way, fs=RATE, output="sos"), worN=AT, fs=RATE)
    assert ours == pytest.approx(20 * np.log10(np.maximum(np.abs(theirs), 1e-15)), abs=1e-6)


def test_a_low_cut_is_three_decibels_down_at_its_corner_and_falls_by_its_slope() -> None:
    for slope in (6, 12, 18, 24):
        sections = low_cut_sections(LowCut(corner_hz=80, slope_db_per_octave=slope), RATE)
        corner, octave, two = gain_db(sections, np.array([80.0, 10.0, 5.0]), RATE)
        assert corner == pytest.approx(-3.01, abs=0.01)
        assert octave - two == pytest.approx(slope, abs=0.15)


@pytest.mark.parametrize("gain", [-9.0, 4.0])
@pytest.mark.parametrize("shape", ["bell", "low-shelf", "high-shelf"])
def test_bands_are_their_analogue_prototypes(shape: str, gain: float) -> None:
    """Audio EQ Cookbook (W3C note): the analogue prototypes with s = j tan(w/2) / tan(w0/2)."""
    band = Band(shape=shape, centre_hz=700, gain_db=gain, q=1.3)  # type: ignore[arg-type]
    a, q = 10 ** (gain / 40), band.q
    s = 1j * np.tan(np.pi * AT / RATE) / math.tan(math.pi * 700 / RATE)
    root = math.sqrt(a)
    if shape == "bell":
        h = (s**2 + s * a / q + 1) / (s**2 + s / (a * q) + 1)
    elif shape == "low-shelf":
        h = a * (s**2 + root / q * s + a) / (a * s**2 + root / q * s + 1)
    else:
        h = a * (a * s**2 + root / q * s + 1) / (s**2 + root / q * s + a)
    assert gain_db(band_sections(band, RATE), AT, RATE) == pytest.approx(20 * np.log10(np.abs(h)), abs=1e-6)


def test_bands_add_up() -> None:
    bands = (Band(centre_hz=200, gain_db=3), Band(shape="high-shelf", centre_hz=5000, gain_db=-4))
    both = gain_db(equaliser_sections(Equaliser(bands=bands), RATE), AT, RATE)
    assert both == pytest.approx(sum(gain_db(band_sections(band, RATE), AT, RATE) for band in bands))


def test_corners_that_do_not_fit_are_refused() -> None:
    with pytest.raises(ValueError, match="does not fit"):
        low_cut_sections(LowCut(corner_hz=900), 1600)
    with pytest.raises(ValueError, match="does not fit"):
        band_sections(Band(centre_hz=9000), 16000)
    with pytest.raises(ValueError, match="first order"):
        butterworth(80, 0, RATE)
    # A key filter whose high corner lies above the band lets everything through.
    assert key_sections(Gate(key_high_hz=9000), 16000) is None
    both = key_sections(Gate(key_low_hz=200, key_high_hz=3000), RATE)
    assert both is not None
    assert both.shape == (2, 6)


def test_a_weighting_is_the_standards_table() -> None:
    """IEC 61672-1:2013, table 3, nominal frequencies at their exact values."""
    table = {
        31.5: -39.4,
        63: -26.2,
        125: -16.1,
        250: -8.6,
        500: -3.2,
        1000: 0.0,
        2000: 1.2,
        4000: 1.0,
        8000: -1.1,
        16000: -6.6,
    }
    for nominal, weight in table.items():
        exact = 1000 * 10 ** (round(10 * math.log10(nominal / 1000)) / 10)
        assert a_gain_db(np.array([exact]))[0] == pytest.approx(weight, abs=0.06), nominal


def test_the_spectrum_is_welchs() -> None:
    """scipy.signal.welch with the same windows."""
    samples = noise(3, -30, 6, RATE)
    ours = spectrum_of([samples.astype(np.float32)], RATE)
    assert ours is not None
    size = SpectrumMeter(RATE).size
    _, theirs = signal.welch(
        samples, RATE, window="hann", nperseg=size, noverlap=size // 2, detrend=False, scaling="density"
    )
    density = theirs * RATE / size
    assert ours.power == pytest.approx(density, rel=2e-3)


def test_levels_flat_and_weighted() -> None:
    time = np.arange(2 * RATE) / RATE
    tone = (10 ** (-20 / 20) * np.sin(2 * np.pi * 125 * time)).astype(np.float32)
    spectrum = spectrum_of([tone], RATE)
    assert spectrum is not None
    assert spectrum.level_dbfs == pytest.approx(-20, abs=0.01)
    assert spectrum.weighted_dbfs == pytest.approx(-20 - 16.1, abs=0.3)
    assert spectrum.share(100, 150) > 0.999
    middles, levels = spectrum.bands()
    assert middles[int(np.argmax(levels))] == pytest.approx(125, rel=0.01)
    assert 10 * np.log10(np.sum(10 ** (levels / 10))) == pytest.approx(-20, abs=0.05)


def _low(seconds: float, corner: float, seed: int) -> np.ndarray:
    return signal.sosfilt(signal.butter(4, corner, fs=RATE, output="sos"), noise(seconds, -20, seed, RATE))


def test_kinds_of_noise() -> None:
    time = np.arange(8 * RATE) / RATE
    hum = sum(0.02 / k * np.sin(2 * np.pi * 50 * k * time) for k in (1, 2, 3)) + noise(8, -70, 1, RATE)
    swell = noise(8, -40, 2, RATE) * 10 ** (np.sin(2 * np.pi * 0.25 * time) * 10 / 20)
    fan = signal.sosfilt(signal.butter(1, 600, fs=RATE, output="sos"), noise(8, -30, 3, RATE))
    for samples, sort in (
        (hum, "hum"),
        (_low(8, 60, 4), "rumble"),
        (noise(8, -40, 5, RATE), "hiss"),
        (swell, "unsteady"),
        (fan, "broad"),
    ):
        spectrum = spectrum_of([np.asarray(samples, dtype=np.float32)], RATE)
        assert spectrum is not None
        kind = noise_kind(spectrum)
        assert sort in [name for name, _ in kind.sorts], (sort, kind.words)
        if sort == "hum":
            assert "50 Hz" in kind.words


@pytest.mark.parametrize(
    ("lines", "mains"),
    [
        ((117.0,), None),
        ((117.0, 234.0, 351.0), None),
        ((118.5, 237.0, 355.5, 474.0), None),
        ((58.0, 116.0, 174.0), None),
        ((120.0,), None),
        ((47.5, 95.0, 142.5), None),
        ((60.0, 120.0, 180.0), 60),
        ((120.0, 240.0, 360.0), 60),
        ((100.0, 200.0), 50),
        ((50.05, 100.1, 150.15), 50),
        ((49.95, 149.85, 249.75), 50),
    ],
)
def test_a_fan_is_no_hum_however_near_its_blades_come_to_the_mains(
    lines: tuple[float, ...], mains: float | None
) -> None:
    """Mains keep to a tenth of a hertz (EN 50160, from memory); a fan's tone stands where its blades put it, and one line is no hum."""
    time = np.arange(8 * RATE) / RATE
    tones = sum(0.02 / k * np.sin(2 * np.pi * at * time + k) for k, at in enumerate(lines, start=1))
    spectrum = spectrum_of([np.asarray(tones + noise(8, -70, 1, RATE), dtype=np.float32)], RATE)
    assert spectrum is not None
    kind = noise_kind(spectrum)
    assert ("hum" in [name for name, _ in kind.sorts]) == (mains is not None), kind.words
    if mains is not None:
        assert f"multiples of {mains:g} Hz mains" in kind.words


def test_low_cut_goes_by_rumble_and_voice() -> None:
    voice = talk(12, RATE, level_dbfs=-20, seed=3)
    rumble = _low(12, 45, 7) * 10 ** (-25 / 20)
    room = spectrum_of([rumble.astype(np.float32)], RATE)
    with_voice = spectrum_of([(voice + rumble).astype(np.float32)], RATE)
    assert room is not None
    assert with_voice is not None
    found = choose_low_cut(with_voice, room)
    assert found.low_cut is not None
    assert found.room_db > 6
    assert found.voice_db <= number("low-cut-voice")
    assert found.buys_db == pytest.approx(found.why().value)
    # Against doing it: the filtered room, measured.
    filtered = signal.sosfilt(low_cut_sections(found.low_cut, RATE), rumble)
    after = spectrum_of([filtered[RATE:].astype(np.float32)], RATE)
    assert after is not None
    assert room.level_dbfs - after.level_dbfs == pytest.approx(found.room_db, abs=1.0)
    hiss = spectrum_of([noise(12, -60, 8, RATE).astype(np.float32)], RATE)
    assert hiss is not None
    clean = spectrum_of([voice.astype(np.float32)], RATE)
    assert clean is not None
    assert choose_low_cut(clean, hiss).low_cut is None


def test_nothing_to_tell() -> None:
    assert spectrum_of([np.zeros(100, dtype=np.float32)], RATE) is None
    with pytest.raises(ValueError, match="above zero"):
        SpectrumMeter(0)
