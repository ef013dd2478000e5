"""Faults heard in a recording: each planted into real speech (tests/data/speech) with known figures, and none heard where there is none."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from scipy.signal import resample_poly

from kymaphon.cli import main
from kymaphon.core.figures import data_table
from kymaphon.core.takes.sound_faults import STRETCH_S, FaultFinder, SoundFault, tone_fault
from kymaphon.core.takes.spectrum import HumLines
from tests.core.dynamics.takes import RATE as READ_RATE
from tests.core.dynamics.takes import reading

RATE = 48000


def speech(seconds: float = 24.0, level: float = 0.3, seed: int = 1, hiss: float = 2e-4) -> np.ndarray:
    """Real speech with the noise of a quiet preamplifier; shape (frames,)."""
    sound = resample_poly(reading(), RATE, READ_RATE)
    sound = np.resize(
        np.roll(sound - sound.mean(), -seed * 9001), round(seconds * RATE)
    )  # the corpus stands off its middle
    return level * sound / np.abs(sound).max() + np.random.default_rng(seed).normal(0, hiss, round(seconds * RATE))


def heard(*channels: np.ndarray, rate: int = RATE, block: int = 50_000) -> tuple[SoundFault, ...]:
    rows = np.stack(channels, axis=1).astype(np.float32)
    finder = FaultFinder(rate, rows.shape[1])
    for start in range(0, len(rows), block):
        finder.add(rows[start : start + block])
    return finder.result()


def codes(found: tuple[SoundFault, ...]) -> list[str]:
    return [row.code for row in found]


def time(sound: np.ndarray) -> np.ndarray:
    return np.arange(len(sound)) / RATE


class TestFound:
    def test_hum_and_the_buzz_of_a_dimmer_are_told_apart(self) -> None:
        """Rectified mains has even multiples alone."""
        plain = HumLines(50.0, ((50.0, -50.0), (150.0, -56.0), (250.0, -60.0)))
        rectified = HumLines(50.0, ((100.0, -50.0), (200.0, -56.0), (300.0, -60.0)))
        assert tone_fault(plain).code == "hum"
        assert "protective earth" in tone_fault(plain).cure
        assert tone_fault(rectified).code == "dimmer-buzz"

    def test_a_telephone_stutters_at_its_frames_and_where(self) -> None:
        """One slot of eight in frames of 4.615 ms, for eight seconds of twenty-four."""
        sound = speech()
        t = time(sound)
        sending = (t >= 8) & (t < 16)
        sound = sound + 0.01 * ((np.mod(t, 0.004615) < 0.000577) & sending)
        found = heard(sound)
        assert "telephone-burst" in codes(found)
        row = next(row for row in found if row.code == "telephone-burst")
        assert row.at_s == (8.0, 12.0)
        assert "216.7 Hz" in row.evidence

    def test_clipping_at_the_recorder_and_before_it(self) -> None:
        loud = speech(level=2.5)
        assert codes(heard(np.clip(loud, -1, 1))) == ["clipping"]
        found = heard(0.35 * np.clip(loud, -1, 1))
        assert codes(found) == ["clipping-before"]
        assert f"{20 * np.log10(0.35):.1f} dBFS" in found[0].evidence.replace("\u2212", "-")
        assert found[0].at_s

    def test_every_flat_top_is_where_it_was_made(self) -> None:
        sound = speech(level=0.4)
        places = [3 * RATE, 7 * RATE + 11, 9 * RATE + 500, 13 * RATE, 17 * RATE, 21 * RATE]
        for at in places:
            sound[at - 20 : at + 30] = 0.0
            sound[at : at + 9] = 1.0
        found = next(row for row in heard(sound) if row.code == "clipping")
        assert found.at_s == pytest.approx([at / RATE for at in places], abs=1 / RATE)
        assert "the longest of 9 samples" in found.evidence

    def test_gaps_are_found_where_they_are(self) -> None:
        sound = speech(hiss=5e-3)
        places = [2.5, 6.1, 14.2]
        for at in places:
            sound[round(at * RATE) : round(at * RATE) + 200] = 0.0
        found = heard(sound)
        assert codes(found) == ["dropped-samples"]
        assert found[0].at_s == pytest.approx(places, abs=0.001)

    def test_polarity_delay_and_a_silent_side(self) -> None:
        sound = speech()
        assert codes(heard(sound, -sound)) == ["polarity"]
        late = np.concatenate((np.zeros(144), sound[:-144]))  # 3 ms
        found = heard(sound, late)
        assert codes(found) == ["channels-apart"]
        assert "channel 2 comes 3.00 ms after" in found[0].evidence
        both = heard(sound, -late)
        assert set(codes(both)) == {"polarity", "channels-apart"}
        assert codes(heard(sound, 1e-5 * sound)) == ["one-side-silent"]

    def test_what_lies_after_the_last_whole_stretch_is_heard_too(self) -> None:
        """Two seconds in all, and the last second of nine."""
        assert codes(heard(np.clip(speech(2.0, level=2.5), -1, 1))) == ["clipping"]
        sound = speech(9.5, level=0.4)
        for at in range(5):
            sound[round((8.2 + 0.2 * at) * RATE) : round((8.2 + 0.2 * at) * RATE) + 9] = 1.0
        found = next(row for row in heard(sound) if row.code == "clipping")
        assert found.at_s[0] == pytest.approx(8.2, abs=1 / RATE)

    def test_an_offset_is_told_in_figures(self) -> None:
        """0.02 of full scale is -34.0 dBFS."""
        found = heard(speech() + 0.02)
        assert codes(found) == ["dc"]
        assert float(found[0].evidence.split()[3]) == pytest.approx(-33.98, abs=0.1)


class TestNothingFound:
    def test_ten_minutes_of_clean_speech_give_no_false_alarm(self) -> None:
        """Real speech at levels, with noises and as pairs of channels, 10 minutes over all: fewer than one false alarm."""
        alarms, seconds = [], 0.0
        draw = np.random.default_rng(3)
        for seed in range(1, 16):
            level, hiss = float(draw.uniform(0.03, 0.9)), float(10 ** draw.uniform(-5, -2.5))
            one = speech(24, level, seed, hiss)
            other = speech(24, level, seed + 40, hiss)
            # The same voice in both, and two voices.
            for pair in ((one,), (one, 0.8 * one + 0.3 * other)):
                alarms += [(seed, len(pair), row.code, row.evidence) for row in heard(*pair)]
                seconds += 24
        assert seconds >= 600
        assert alarms == []

    @pytest.mark.parametrize("bits", [16, 24])
    def test_quantised_speech_is_no_clipping(self, bits: int) -> None:
        scale = 2 ** (bits - 1)
        assert heard(np.round(speech(level=0.7) * scale) / scale) == ()

    def test_silence_noise_short_and_many_channels(self) -> None:
        frames = round(12 * RATE)
        assert heard(np.zeros(frames)) == ()
        assert heard(np.zeros(frames), np.zeros(frames)) == ()
        noise = [np.random.default_rng(k).normal(0, 0.1, frames) for k in range(8)]
        assert heard(*noise) == ()
        assert heard(noise[0], noise[1]) == ()
        assert heard(speech(STRETCH_S / 2)) == ()

    def test_a_square_wave_is_clipping_and_nothing_worse(self) -> None:
        wave = 0.5 * np.sign(np.sin(2 * np.pi * 440 * np.arange(12 * RATE) / RATE) + 1e-9)
        assert set(codes(heard(wave))) <= {"clipping-before"}

    @pytest.mark.parametrize("rate", [8000, 16000, 44100, 96000])
    def test_any_rate(self, rate: int) -> None:
        sound = resample_poly(reading() - reading().mean(), rate, READ_RATE) * 0.3
        sound = sound + np.random.default_rng(1).normal(0, 2e-4, len(sound))
        assert heard(sound, rate=rate) == ()

    def test_blocks_of_any_length_are_one_recording(self) -> None:
        sound = speech() + 0.02
        assert heard(sound, block=777) == heard(sound, block=len(sound))


def test_every_code_has_a_cure_and_every_limit_a_source() -> None:
    table = data_table("prove")["sound"]
    assert all(row.endswith(".") for row in table["cures"].values())
    assert all(row["source"] for row in table["limits"].values())


def test_the_command_tells_them(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    bad, good = tmp_path / "bad.wav", tmp_path / "good.wav"
    soundfile.write(bad, np.stack((speech(), -speech()), axis=1), RATE, subtype="PCM_24")
    soundfile.write(good, speech(), RATE, subtype="PCM_24")
    assert main(["take", "--faults", "--json", str(bad), str(good)]) == 0
    rows = json.loads(capsys.readouterr().out)["takes"]
    assert [row["code"] for row in rows[0]["faults"]] == ["polarity"]
    assert set(rows[0]["faults"][0]) == {"code", "confidence", "evidence", "at_s", "cure"}
    assert rows[1]["faults"] == []
    assert main(["take", "--faults", str(good)]) == 0
    assert "nothing is heard to be wrong" in capsys.readouterr().out
    assert main(["take", str(good), "--json"]) == 0
    assert "faults" not in json.loads(capsys.readouterr().out)["takes"][0]
