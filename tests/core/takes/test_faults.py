"""Faults heard in a recording: each planted into real speech (tests/data/speech) with known figures, and none heard where there is none."""

from __future__ import annotations

import json
import re
from functools import cache
from pathlib import Path

import numpy as np
import pytest
import soundfile
from scipy.signal import butter, fftconvolve, filtfilt, iirnotch, resample_poly, sosfilt

from kymaphon.cli import main
from kymaphon.core.figures import data_table
from kymaphon.core.takes.faults.finder import FaultFinder, in_common
from kymaphon.core.takes.faults.kinds import SoundFault, confidence, limit, often
from kymaphon.core.takes.faults.kinds import codes as every_code
from kymaphon.core.takes.faults.stretch import STRETCH_S
from kymaphon.core.takes.faults.tones import pause_fault
from kymaphon.core.takes.spectrum import HumLines
from tests.core.dynamics.takes import RATE as READ_RATE
from tests.core.dynamics.takes import reading

RATE = 48000


@cache
def clean() -> np.ndarray:
    """The reading without what its recordings really have: an offset, and hum of 59.94 Hz (which the finder hears: see below)."""
    return filtfilt(*iirnotch(59.94, 8, READ_RATE), reading() - reading().mean())


def speech(
    seconds: float = 24.0, level: float = 0.3, seed: int = 1, hiss: float = 6e-5, rate: int = RATE, pitch: float = 1.0
) -> np.ndarray:
    """Real speech with the noise of a quiet preamplifier; shape (frames,). Of another pitch it is another, slower or faster, voice."""
    sound = resample_poly(clean(), round(rate / 100 * pitch), READ_RATE // 100)
    sound = np.resize(np.roll(sound, -seed * 9001), round(seconds * rate))
    return level * sound / np.abs(sound).max() + np.random.default_rng(seed).normal(0, hiss, round(seconds * rate))


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
        assert pause_fault(plain).code == "hum"
        assert "protective earth" in pause_fault(plain).cure
        assert pause_fault(rectified).code == "dimmer-buzz"

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
        row = one(heard(sound), "dropped-samples")
        assert row.at_s == pytest.approx(places, abs=0.001)

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

    @pytest.mark.parametrize(("db", "found"), [(-4, []), (-7, []), (-12, ["one-side-low"]), (-20, ["one-side-low"])])
    def test_one_side_lower_is_told_with_how_far(self, db: float, found: list[str]) -> None:
        sound = speech(12)
        rows = heard(sound, sound * 10 ** (db / 20))
        assert codes(rows) == found
        assert all(f"{-db:.1f} dB under" in row.evidence for row in rows)

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


def one(found: tuple[SoundFault, ...], code: str) -> SoundFault:
    assert code in codes(found), found
    return next(row for row in found if row.code == code)


def figure(row: SoundFault, after: str) -> float:
    """The first number after some words of the evidence."""
    text = row.evidence.replace("\u2212", "-")
    return float(re.search(r"-?\d+(\.\d+)?", text[text.index(after) + len(after) :]).group())  # type: ignore[union-attr]


class TestTones:
    @pytest.mark.parametrize("hertz", [49.93, 50.0, 50.07, 59.96, 60.05])
    def test_hum_at_minus_60_under_speech_is_found_to_a_twentieth_of_a_hertz(self, hertz: float) -> None:
        sound = speech(48)
        t = time(sound)
        sound = sound + 1e-3 * np.sin(2 * np.pi * hertz * t) + 3e-4 * np.sin(6 * np.pi * hertz * t)
        row = one(heard(sound), "hum")
        assert figure(row, "multiples of") == pytest.approx(hertz, abs=0.05)
        assert figure(row, "Hz,") == pytest.approx(-60, abs=2.5)

    def test_the_hum_of_the_readings_own_room_is_heard(self) -> None:
        """The recordings have a line at 59.94 Hz, some 35 dB under the voice: seen in a spectrum of the whole, once, by eye."""
        row = one(heard(reading(), rate=READ_RATE), "hum")
        assert figure(row, "multiples of") == pytest.approx(59.94, abs=0.05)

    def test_a_dimmer_has_even_multiples(self) -> None:
        sound = speech(24, level=0.1)
        t = time(sound)
        found = heard(sound + 4e-3 * sum(np.sin(4 * np.pi * 50 * n * t) / np.sqrt(n) for n in range(1, 21)))
        assert one(found, "dimmer-buzz").evidence.count("x ") >= 2


class TestTwice:
    @pytest.mark.parametrize(("ms", "db"), [(0.7, -8), (1.5, -14), (3.0, -6), (3.021, -12), (8.0, -18), (16.5, -10)])
    def test_a_comb_is_found_to_a_tenth_of_a_millisecond(self, ms: float, db: float) -> None:
        """A second arrival of known delay and strength, of real speech."""
        sound, late = speech(), round(ms * RATE / 1000)
        sound[late:] += 10 ** (db / 20) * sound[:-late].copy()
        row = one(heard(sound), "comb")
        assert figure(row, "after") == pytest.approx(ms, abs=0.1)
        assert figure(row, "ms,") == pytest.approx(db, abs=1.5)

    @pytest.mark.parametrize(("ms", "db"), [(40.0, -6), (120.0, -15), (333.3, -22), (800.0, -20)])
    def test_an_echo_too(self, ms: float, db: float) -> None:
        sound, late = speech(), round(ms * RATE / 1000)
        sound[late:] += 10 ** (db / 20) * sound[:-late].copy()
        found = heard(sound)
        row = one(found, "echo")
        assert figure(row, "after") == pytest.approx(ms, abs=0.1)
        assert "comb" not in codes(found)

    @pytest.mark.parametrize("seconds", [0.6, 0.8, 1.0])
    def test_a_room_is_told_by_how_its_sound_goes(self, seconds: float) -> None:
        """Noise that falls by 60 dB in that time (the definition of ISO 3382), a quarter as strong as the direct sound."""
        sound, count = speech(), round(seconds * RATE)
        room = np.random.default_rng(5).normal(0, 1, count) * 10 ** (-3 * np.arange(count) / count)
        room *= 0.5 / np.sqrt((room**2).sum())
        room[0] = 1.0
        row = one(heard(fftconvolve(sound, room)[: len(sound)]), "reverberant")
        assert figure(row, "takes") == pytest.approx(seconds, rel=0.2)


class TestVoice:
    def test_too_quiet_and_how_much(self) -> None:
        row = one(heard(speech(level=0.01, hiss=2e-6)), "too-quiet")
        loud = heard(speech(level=0.3))
        assert codes(loud) == []
        assert figure(row, "at") < -50

    @pytest.mark.parametrize("by", [-12.0, 12.0])
    def test_drift_has_its_way_and_size(self, by: float) -> None:
        sound = speech(60, level=0.15)
        row = one(heard(sound * 10 ** (np.linspace(0, by, len(sound)) / 20)), "drift")
        assert ("rises" if by > 0 else "falls") in row.evidence
        assert figure(row, "by") == pytest.approx(abs(by), abs=4)

    def test_a_passage_off_the_microphone_is_where_it_is(self) -> None:
        """Turned away: 12 dB softer, and highs lost from 1.5 kHz on."""
        sound = speech(60)
        away = 0.25 * sosfilt(butter(1, 1500, fs=RATE, output="sos"), sound)
        part = slice(30 * RATE, 36 * RATE)
        sound[part] = away[part]
        row = one(heard(sound), "off-microphone")
        assert all(28 <= at <= 36 for at in row.at_s)

    def test_blasts_are_where_they_were_blown(self) -> None:
        sound, count = speech(30), round(0.12 * RATE)
        places = [3.0, 9.0, 15.0, 21.0, 27.5]
        for at in places:
            t = np.arange(count) / RATE
            sound[round(at * RATE) : round(at * RATE) + count] += 0.4 * np.sin(50 * np.pi * t) * np.exp(-t / 0.04)
        row = one(heard(sound), "breath")
        assert row.at_s == pytest.approx(places, abs=0.06)

    def test_muffled_and_thin(self) -> None:
        sound = speech()
        assert "muffled" in codes(heard(sosfilt(butter(2, 900, fs=RATE, output="sos"), sound)))
        assert "thin" in codes(heard(sosfilt(butter(2, 600, "highpass", fs=RATE, output="sos"), sound)))

    @pytest.mark.parametrize("edge", [3400, 7000, 12000])
    def test_the_edge_of_a_codec(self, edge: int) -> None:
        """Nothing at all above it; the reading reaches 8 kHz, so noise stands for the rest."""
        lines = np.fft.rfft(speech(24, hiss=1e-3))
        lines[edge * 24 :] = 0
        row = one(heard(np.fft.irfft(lines)), "codec-band")
        assert 1000 * figure(row, "above") == pytest.approx(edge, abs=150)

    def test_a_gate_that_chops_and_one_that_does_not(self) -> None:
        """Shut below -30 dBFS of a fast detector at once; against one that falls within a quarter of a second."""
        sound = speech()
        level = sosfilt(butter(1, 30, fs=RATE, output="sos"), np.abs(sound))
        open_ = level > 0.02
        hard = np.where(open_, 1.0, 0.0005)
        found = one(heard(sound * hard), "gate-chopping")
        assert len(found.at_s) == 20
        held = np.convolve(open_, np.ones(round(0.3 * RATE)), "same") > 0
        slow = 10 ** (sosfilt(butter(1, 2, fs=RATE, output="sos"), np.where(held, 0.0, -40.0)) / 20)
        assert "gate-chopping" not in codes(heard(sound * slow))


class TestNoise:
    def test_hiss_and_how_far_under_the_voice(self) -> None:
        sound = speech(hiss=0.0)
        rms = float(np.sqrt(np.mean(sound[np.abs(sound) > 0.01] ** 2)))
        row = one(heard(sound + np.random.default_rng(2).normal(0, rms * 10 ** (-25 / 20), len(sound))), "hiss")
        assert figure(row, "lies") == pytest.approx(25, abs=4)

    def test_wash_on_a_wireless_swells_and_goes(self) -> None:
        sound = speech()
        swell = np.maximum(0, np.sin(2 * np.pi * time(sound) / 6.2)) ** 2
        row = one(heard(sound + 0.05 * swell * np.random.default_rng(3).normal(0, 1, len(sound))), "wireless-wash")
        # It swells around 1.55 s and every 6.2 s after.
        assert all(min(abs((at - 1.55) % 6.2), 6.2 - (at - 1.55) % 6.2) < 1.6 for at in row.at_s)

    def test_crackle_and_a_clock_that_slips_are_told_apart(self) -> None:
        draw = np.random.default_rng(4)
        sound = speech()
        at = np.sort(draw.integers(RATE, len(sound) - RATE, 25))
        sound[at] += 0.1 * draw.choice([-1, 1], 25)
        row = one(heard(sound), "crackle")
        assert len(row.at_s) >= 18
        assert np.abs(np.subtract.outer(np.array(row.at_s), at / RATE)).min(axis=1).max() < 0.002
        even = speech()
        even[np.arange(RATE, len(even), round(1.7 * RATE))] += 0.05
        assert figure(one(heard(even), "clicks"), "every") == pytest.approx(1.7, abs=0.001)


class TestSets:
    def test_what_all_have_and_what_one_has(self) -> None:
        """A fault that is in all takes comes after where the sources meet."""
        hum, comb, dc = (SoundFault(code, 0.9, "") for code in ("hum", "comb", "dc"))
        assert in_common([[hum, comb], [hum], [hum, dc]]) == (("hum",), {0: ("comb",), 2: ("dc",)})
        assert in_common([]) == ((), {})


class TestNothingFound:
    def test_ten_minutes_of_clean_speech_give_less_than_one_false_alarm(self) -> None:
        """Real speech (LibriVox; tests/data/speech) at levels, pitches, rates and lengths, one channel and two, all detectors together."""
        draw = np.random.default_rng(3)
        alarms, seconds = [], 0.0
        for seed in range(1, 23):
            level = float(draw.uniform(0.15, 0.95))
            rate, pitch = int(draw.choice([16000, 44100, 48000])), float(draw.choice([0.85, 0.95, 1.0, 1.1, 1.2]))
            length = float(draw.choice([12, 24, 60]))
            hiss = level * 10 ** draw.uniform(-5, -3.7)
            sound = speech(length, level, seed, hiss, rate, pitch)
            pair = (sound,) if seed % 4 else (sound, 0.8 * sound)
            alarms += [(seed, row.code, row.evidence) for row in heard(*pair, rate=rate)]
            seconds += length
        assert seconds >= 600
        assert alarms == []

    @pytest.mark.parametrize("pitch", [0.85, 0.95, 1.0, 1.1, 1.2])
    def test_a_clean_take_said_ten_times_over_has_no_fault_that_it_has_not_once(self, pitch: float) -> None:
        """What is counted is a rate, and a bar that sinks with the length is none."""
        once = speech(24, 0.5, 3, pitch=pitch, rate=16000)
        assert set(codes(heard(np.tile(once, 10), rate=16000))) <= set(codes(heard(once, rate=16000)))

    def test_a_fault_of_one_minute_in_a_long_recording_is_still_told(self) -> None:
        assert often("clicks", [600 + 5 * k for k in range(8)], 3600)
        assert not often("clicks", [400.0 * k for k in range(8)], 3600)
        assert often("clicks", [1.0, 2.0, 3.0, 4.0], 12)
        assert not often("clicks", [1.0, 2.0, 3.0], 12)

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

    @pytest.mark.parametrize("hertz", [44.1, 110.0, 382.0, 440.0, 1000.0])
    def test_a_square_wave_is_clipping_and_nothing_worse(self, hertz: float) -> None:
        """A tone comes again after each of its periods: no echo, no comb."""
        wave = 0.5 * np.sign(np.sin(2 * np.pi * hertz * np.arange(12 * RATE) / RATE) + 1e-9)
        # Edges that stand alone are clicks.
        assert set(codes(heard(wave - wave.mean()))) <= {"clipping-before", *(["clicks"] if hertz < 50 else [])}
        tone = 0.5 * np.sin(2 * np.pi * hertz * np.arange(12 * RATE) / RATE)
        assert set(codes(heard(tone))) <= {"clipping-before"}

    @pytest.mark.parametrize("rate", [10, 100, 999, 3999, 4000, 768000])
    def test_odd_rates_and_lengths_break_nothing(self, rate: int) -> None:
        for frames in (1, 7, rate, 5 * min(rate, 48000)):
            noise = np.random.default_rng(1).normal(0, 0.1, frames)
            assert set(codes(heard(noise, rate=rate))) <= {"dc"}
            assert set(codes(heard(noise, np.zeros(frames), rate=rate))) <= {"dc", "one-side-silent"}

    @pytest.mark.parametrize("rate", [8000, 16000, 44100, 96000])
    def test_any_rate(self, rate: int) -> None:
        sound = speech(24, rate=rate)
        assert heard(sound, rate=rate) == ()

    def test_blocks_of_any_length_are_one_recording(self) -> None:
        sound = speech() + 0.02
        assert heard(sound, block=777) == heard(sound, block=len(sound))


def test_every_code_has_a_cure_and_every_limit_a_source() -> None:
    table = data_table("prove")["sound"]
    assert all(row["cure"].endswith(".") and row["test"].endswith(".") for row in table["kinds"])
    assert all(row["source"] for row in table["limits"].values())
    assert all(set(row.get("explained", ())) <= set(every_code()) for row in table["kinds"])
    for name in (name for name, row in table["limits"].items() if "sure" in row):
        assert confidence(name, limit(name)) == pytest.approx(0.5)
        assert confidence(name, table["limits"][name]["sure"]) == pytest.approx(0.95)


def test_how_sure_can_be_unfolded() -> None:
    found = heard(speech() + 0.02)[0]
    told = found.explain()
    assert told is not None
    assert told.value == pytest.approx(100 * found.confidence)
    measured, at, sure = (term.value for term in told.terms)
    assert (measured, at, sure) == (found.measured, limit("dc-level"), pytest.approx(-36))
    assert measured > at


def test_the_command_tells_them(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    bad, good = tmp_path / "bad.wav", tmp_path / "good.wav"
    soundfile.write(bad, np.stack((speech(), -speech()), axis=1), RATE, subtype="PCM_24")
    soundfile.write(good, speech(), RATE, subtype="PCM_24")
    assert main(["take", "--faults", "--json", str(bad), str(good)]) == 0
    rows = json.loads(capsys.readouterr().out)["takes"]
    assert [row["code"] for row in rows[0]["faults"]] == ["polarity"]
    assert set(rows[0]["faults"][0]) == {"code", "name", "confidence", "evidence", "at_s", "test", "cure"}
    assert rows[1]["faults"] == []
    assert main(["take", "--faults", str(good)]) == 0
    assert "nothing is heard to be wrong" in capsys.readouterr().out
    assert main(["take", str(good), "--json"]) == 0
    assert "faults" not in json.loads(capsys.readouterr().out)["takes"][0]
