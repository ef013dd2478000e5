"""Recordings cut short, in every sort of file that libsndfile writes: whole ones pass, halves are refused and can be had."""

from __future__ import annotations

import os
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from kymaphon.cli import main
from kymaphon.files.audio import measure_take
from kymaphon.files.cut_short import mp3_frame
from kymaphon.files.errors import FileProblem

RATE = 48000
SORTS = (
    ("wav", "WAV", "PCM_16"),
    ("wav", "WAVEX", "PCM_24"),
    ("rf64", "RF64", "PCM_16"),
    ("w64", "W64", "PCM_24"),
    ("aiff", "AIFF", "PCM_16"),
    ("ogg", "OGG", "VORBIS"),
    ("opus", "OGG", "OPUS"),
    ("mp3", "MP3", "MPEG_LAYER_III"),
    ("flac", "FLAC", "PCM_16"),
)


def recording(path: Path, sort: str, subtype: str, channels: int = 1, seconds: float = 4.0) -> None:
    rng = np.random.default_rng(5)
    loud = 0.1 * np.repeat(rng.uniform(0.02, 1, round(seconds * 4)), RATE // 4)
    samples = rng.normal(0, 1, (len(loud), channels)) * loud[:, None]
    soundfile.write(path, np.clip(samples, -0.9, 0.9), RATE, format=sort, subtype=subtype)


@pytest.mark.parametrize(("suffix", "sort", "subtype"), SORTS, ids=lambda row: str(row))
def test_half_of_it_is_refused_and_measured_only_when_asked(
    tmp_path: Path, suffix: str, sort: str, subtype: str
) -> None:
    path = tmp_path / f"take.{suffix}"
    recording(path, sort, subtype)
    assert measure_take(path).duration_s == pytest.approx(4.0, abs=0.1)
    data = path.read_bytes()
    for share in (0.55, 0.97):
        path.write_bytes(data[: round(len(data) * share)])
        with pytest.raises(FileProblem, match=r"cut short|breaks off") as caught:
            measure_take(path)
        assert str(path.name) in str(caught.value)
    path.write_bytes(data[: round(len(data) * 0.55)])
    part = measure_take(path, partial=True)
    assert 0.5 < part.duration_s < 3.0
    assert any("cut short" in note or "part" in note for note in part.notes)


def test_the_command_says_so_and_exits_with_two(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "take.w64"
    recording(path, "W64", "PCM_16")
    path.write_bytes(path.read_bytes()[:200000])
    assert main(["take", str(path)]) == 2
    assert "cut short" in capsys.readouterr().err
    assert main(["take", str(path), "--partial"]) == 0


@pytest.mark.parametrize(
    ("head", "length", "samples"),
    [
        # ISO/IEC 11172-3: 144 x 128000 / 44100 = 417.96; the padding bit adds a byte.
        ("fffb9000", 417, 1152),
        ("fffb9200", 418, 1152),
        # ISO/IEC 13818-3, half rates: 72 x 64000 / 22050 = 208.98.
        ("fff38000", 208, 576),
        # Layer II, 48 kHz, 192 kbit/s: 144 x 192000 / 48000.
        ("fffda400", 576, 1152),
    ],
)
def test_mp3_frames_by_the_standards_formula(head: str, length: int, samples: int) -> None:
    frame = mp3_frame(bytes.fromhex(head))
    assert frame is not None
    assert frame[:2] == (length, samples)


def test_no_header_is_no_frame() -> None:
    for head in (
        b"",
        b"\xff\xfb",
        b"RIFF",
        bytes.fromhex("fffbf000"),
        bytes.fromhex("fffb9c00"),
        bytes.fromhex("ffe90000"),
    ):
        assert mp3_frame(head) is None


class TestWhatIsInIt:
    def test_a_number_past_all_scales_is_refused(self, tmp_path: Path) -> None:
        path = tmp_path / "far.wav"
        samples = np.random.default_rng(2).normal(0, 0.1, RATE)
        samples[RATE // 2] = 1e20
        soundfile.write(path, samples, RATE, subtype="FLOAT")
        with pytest.raises(FileProblem, match="far beyond full scale"):
            measure_take(path)

    def test_six_channels_are_surround_only_where_the_file_says_so(self, tmp_path: Path) -> None:
        """ITU-R BS.1770: the LFE channel does not count; here it is 14 dB louder than the only other one."""
        time = np.arange(RATE * 5) / RATE
        sine = 0.1 * np.sin(2 * np.pi * 997 * time)
        plain, said = tmp_path / "plain.wav", tmp_path / "said.wav"
        samples = np.zeros((len(sine), 6))
        samples[:, 3] = 5 * sine
        samples[:, 0] = sine
        soundfile.write(plain, samples, RATE, format="WAVEX", subtype="PCM_24")
        data = bytearray(plain.read_bytes())
        at = data.index(b"fmt ") + 8 + 20
        said.write_bytes(data[:at] + struct.pack("<I", 0x3F) + data[at + 4 :])
        surround = measure_take(said).integrated_lufs
        assert surround is not None
        # 20 lg 0.1 = -20 dBFS (AES17): a 997 Hz sine of 0 dBFS in one channel reads -3.01 LUFS (BS.1770, note).
        assert surround == pytest.approx(-23.01, abs=0.1)


class TestDirectCurrentAndHum:
    def test_the_floor_is_that_of_the_sound_and_both_weightings_are_told(self, tmp_path: Path) -> None:
        """White noise at -60 dBFS on half a volt of nothing; -2.3 dB or so from A-weighting to 24 kHz."""
        path = tmp_path / "dc.wav"
        rng = np.random.default_rng(3)
        noise = rng.normal(0, 10 ** (-63.01 / 20), RATE * 10)
        soundfile.write(path, noise + 0.25, RATE, subtype="FLOAT")
        measure = measure_take(path)
        assert measure.noise_floor_dbfs == pytest.approx(-60, abs=0.3)
        assert any("DC" in note for note in measure.notes)

    def test_hum_is_found_at_its_level(self, tmp_path: Path) -> None:
        path = tmp_path / "hum.wav"
        time = np.arange(RATE * 10) / RATE
        rng = np.random.default_rng(4)
        hum = 10 ** (-50 / 20) * np.sin(2 * np.pi * 50 * time) + 10 ** (-60 / 20) * np.sin(2 * np.pi * 150 * time)
        soundfile.write(path, hum + rng.normal(0, 10 ** (-83 / 20), len(time)), RATE, subtype="FLOAT")
        hum_found = measure_take(path).hum
        assert hum_found is not None
        lines = {round(hz): level for hz, level in hum_found.lines}
        assert lines[50] == pytest.approx(-50, abs=0.5)
        assert lines[150] == pytest.approx(-60, abs=0.7)


@pytest.mark.parametrize("step", ["exists", "is_file", "stat", "open"])
def test_one_that_goes_while_it_is_opened_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, step: str) -> None:
    """A stick that is pulled, a file that another program takes away: between any two looks at it."""
    path = tmp_path / "take.wav"
    recording(path, "WAV", "PCM_16")
    plain = getattr(Path, step)

    def looked(self: Path, *args: object, **more: object) -> object:
        answer = plain(self, *args, **more)
        if self == path and os.path.lexists(path):
            os.unlink(path)
        return answer

    monkeypatch.setattr(Path, step, looked)
    with pytest.raises(FileProblem, match=r"take\.wav"):
        measure_take(path)
