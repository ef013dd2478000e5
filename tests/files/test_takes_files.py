"""Recordings in and out: every format, Broadcast Wave, odd rates and channels, broken files; and studies of them."""

from __future__ import annotations

import struct
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
import soundfile

from kymaphon.core.dynamics.design import design
from kymaphon.core.dynamics.preset import preset_text
from kymaphon.core.dynamics.speech import NoTalkError
from kymaphon.core.dynamics.study import Held, Stopped, study
from kymaphon.core.model.processing import Band, Equaliser, Gate, LowCut
from kymaphon.core.takes.measure import NotANumberError
from kymaphon.files.audio import Cancelled
from kymaphon.files.errors import FileProblem
from kymaphon.files.preset_file import open_preset, write_text
from kymaphon.files.takes import BEXT, FORMATS, convert, excerpt, read_bext, take_file, write_audio
from kymaphon.sim.talker import talk
from tests.core.dynamics.takes import noise

RATE = 48000


def tone(seconds: float = 1.0, rate: int = RATE) -> np.ndarray:
    return (0.25 * np.sin(2 * np.pi * 440 * np.arange(round(seconds * rate)) / rate)).astype(np.float32)


def a_take(rate: int = RATE, seconds: float = 14.0) -> np.ndarray:
    """Talk with two seconds of room before it, 30 dB over white noise."""
    voice = np.concatenate((np.zeros(2 * rate), talk(seconds, rate, level_dbfs=-24, seed=5)))
    return (voice + noise(len(voice) / rate, -54, 6, rate)).astype(np.float32)


@pytest.mark.parametrize("ending", sorted(set(FORMATS) - {".bwf"}))
def test_every_format_is_written_and_read(tmp_path: Path, ending: str) -> None:
    path = tmp_path / f"take{ending}"
    write_audio(path, tone(), RATE, about="a tone")
    take = take_file(path)
    assert take.sample_rate_hz == RATE
    assert take.channels == 1
    sound = np.concatenate(list(take.blocks()))[:, 0]
    assert len(sound) == pytest.approx(RATE, abs=3000)
    middle = sound[10000:38000]
    assert 20 * np.log10(np.sqrt(np.mean(middle**2) * 2)) == pytest.approx(20 * np.log10(0.25), abs=0.3)
    assert sorted(file.name for file in tmp_path.iterdir()) == [path.name]


def test_broadcast_wave_carries_its_date(tmp_path: Path) -> None:
    """EBU Tech 3285: the chunk bext, read here by its published layout: description 0, originator 256, date 320, time 330."""
    path = tmp_path / "take.wav"
    at = datetime(2026, 6, 12, 17, 42, 5).astimezone()
    write_audio(path, tone(1.0)[:24001], RATE, about="Ilse, talk", recorded_at=at)
    data = path.read_bytes()
    place = data.index(b"bext") + 8
    assert struct.unpack("<I", data[place - 4 : place])[0] == 602 == BEXT.size
    assert data[place : place + 10] == b"Ilse, talk"
    assert data[place + 256 : place + 264] == b"Kymaphon"
    assert data[place + 320 : place + 330] == b"2026-06-12"
    assert data[place + 330 : place + 338] == b"17:42:05"
    assert struct.unpack("<I", data[4:8])[0] == len(data) - 8
    assert read_bext(path) == (at, "Ilse, talk")
    assert take_file(path).recorded_at == at
    assert soundfile.info(path).frames == 24001


def test_files_without_or_with_a_broken_bext_have_no_date(tmp_path: Path) -> None:
    plain = tmp_path / "plain.wav"
    soundfile.write(plain, tone(), RATE)
    assert read_bext(plain) == (None, "")
    dated = tmp_path / "dated.wav"
    write_audio(dated, tone(), RATE)
    data = bytearray(dated.read_bytes())
    place = data.index(b"bext") + 8
    data[place + 320 : place + 330] = b"20x6-99-12"
    dated.write_bytes(data)
    assert read_bext(dated)[0] is None
    assert read_bext(tmp_path / "gone.wav") == (None, "")
    # Other marks between the numbers are allowed.
    data[place + 320 : place + 338] = b"2026:06:1217.42.05"
    dated.write_bytes(data)
    assert read_bext(dated)[0] == datetime(2026, 6, 12, 17, 42, 5).astimezone()


def test_what_cannot_be_written_says_why_and_leaves_nothing(tmp_path: Path) -> None:
    with pytest.raises(FileProblem, match="ending"):
        write_audio(tmp_path / "take.xyz", tone(), RATE)
    with pytest.raises(FileProblem, match="cannot be written"):
        write_audio(tmp_path / "none" / "take.wav", tone(), RATE)
    with pytest.raises(FileProblem, match="only some sample rates"):
        write_audio(tmp_path / "take.mp3", tone(), 12345)
    kept = tmp_path / "kept.opus"
    kept.write_bytes(b"before")
    with pytest.raises(FileProblem):
        write_audio(kept, tone(), 44100)
    assert kept.read_bytes() == b"before"
    assert [file.name for file in tmp_path.iterdir()] == ["kept.opus"]


def test_excerpts_stay_inside_the_take(tmp_path: Path) -> None:
    path = tmp_path / "two.wav"
    soundfile.write(path, np.stack((tone(), -tone()), axis=1), RATE, subtype="FLOAT")
    take = take_file(path)
    assert np.array_equal(excerpt(take, 0.25, 0.5, 1), tone()[12000:24000])
    assert np.array_equal(excerpt(take, 0.9, 9.0, 2), -tone()[43200:])
    assert len(excerpt(take, 5, 9, 1)) == 0
    assert len(excerpt(take, -1, 0.1, 1)) == 4800


@pytest.mark.parametrize("rate", [8000, 11025, 44100, 96000])
def test_takes_of_any_rate_are_studied(tmp_path: Path, rate: int) -> None:
    path = tmp_path / "take.wav"
    soundfile.write(path, a_take(rate), rate)
    found = study(take_file(path))
    assert found.talk.snr_db == pytest.approx(30, abs=1.5)
    assert design(found.talk, "never-eat").verdict.words_clipped == 0
    assert any("consonants" in note for note in found.notes) == (rate < 16000)


def test_of_thirty_two_channels_the_loudest_is_heard(tmp_path: Path) -> None:
    path = tmp_path / "many.wav"
    rows = np.random.default_rng(1).normal(0, 1e-4, (16 * RATE // 2, 32)).astype(np.float32)
    rows[:, 18] = a_take(RATE // 2)
    soundfile.write(path, rows, RATE // 2)
    found = study(take_file(path))
    assert found.channel == 19
    assert "channel 19 of 32" in found.notes[0]
    assert study(take_file(path), channel=19).talk.words == found.talk.words
    with pytest.raises(ValueError, match="channel 33 is wanted"):
        study(take_file(path), channel=33)
    with pytest.raises(NoTalkError):
        study(take_file(path), channel=2)


def test_clipping_is_told_and_too_much_of_it_refused() -> None:
    loud = np.clip(a_take() * 30, -1, 1)
    found = study(Held(np.clip(a_take() * 12, -1, 1), RATE))
    assert any("clipped in" in note for note in found.notes)
    with pytest.raises(NoTalkError, match="clipped from end to end"):
        study(Held(np.clip(loud * 60, -1, 1), RATE))


def test_samples_that_are_no_numbers_say_where() -> None:
    bad = a_take()
    bad[RATE] = np.nan
    with pytest.raises(NotANumberError) as found:
        study(Held(bad, RATE))
    assert found.value.at_s == pytest.approx(1.0)


def test_another_rate_for_the_room_and_a_low_cut_are_told() -> None:
    room = noise(10, -54, 7, 44100).astype(np.float32)
    found = study(Held(a_take(), RATE), Held(room, 44100), low_cut=LowCut(corner_hz=90))
    assert any("different widths" in note for note in found.notes)
    assert found.low_cut == LowCut(corner_hz=90)
    assert found.room is not None
    assert found.voice is not None


def test_a_study_can_be_stopped_and_tells_how_far_it_is() -> None:
    parts: list[float] = []

    def step(part: float) -> bool:
        parts.append(part)
        return True

    study(Held(a_take(), RATE), progress=step)
    assert parts == sorted(parts)
    assert parts[-1] == pytest.approx(1.0, abs=0.1)
    with pytest.raises(Stopped):
        study(Held(a_take(), RATE), progress=lambda _part: False)


def test_a_take_that_breaks_off_says_where(tmp_path: Path) -> None:
    path = tmp_path / "cut.flac"
    soundfile.write(path, a_take(), RATE)
    data = path.read_bytes()
    path.write_bytes(data[: len(data) // 2] + b"\0" * 4000)
    with pytest.raises(FileProblem, match=r"breaks off|no recording"):
        study(take_file(path))
    empty = tmp_path / "empty.wav"
    soundfile.write(empty, np.zeros(0), RATE)
    with pytest.raises(FileProblem, match="holds no audio"):
        take_file(empty)


def test_presets_on_disk(tmp_path: Path) -> None:
    path = tmp_path / "strip.txt"
    write_text(path, "Kymaphon strip settings 1\nthresholds in: dBu\n\n[low cut]\ncorner: 70 Hz\n")
    assert open_preset(path) == ((LowCut(corner_hz=70),), "dBu")
    path.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(FileProblem, match="no plain text"):
        open_preset(path)
    with pytest.raises(FileProblem, match="cannot be read"):
        open_preset(tmp_path / "gone.txt")
    path.write_text("Kymaphon strip settings 1\n[gate]\nhold: 99999 ms\n")
    with pytest.raises(FileProblem, match="line 3"):
        open_preset(path)


@pytest.mark.parametrize("ending", [".flac", ".wav", ".ogg"])
def test_recordings_go_into_another_format_with_their_date(tmp_path: Path, ending: str) -> None:
    source, target = tmp_path / "two.wav", tmp_path / f"out{ending}"
    at = datetime(2026, 6, 12, 17, 42, 5).astimezone()
    stereo = np.stack((tone(3.0), -0.5 * tone(3.0)), axis=1)
    write_audio(source, stereo, RATE, about="both", recorded_at=at)
    convert(source, target)
    take = take_file(target)
    assert (take.channels, take.sample_rate_hz) == (2, RATE)
    sound = np.concatenate(list(take.blocks()))
    assert np.abs(sound[20000:60000] - stereo[20000:60000]).max() < 0.02
    if ending == ".wav":
        assert read_bext(target) == (at, "both")


def test_a_conversion_that_fails_or_is_stopped_leaves_all_as_it_was(tmp_path: Path) -> None:
    source, target = tmp_path / "a.wav", tmp_path / "b.flac"
    write_audio(source, tone(), RATE)
    target.write_bytes(b"before")
    with pytest.raises(Cancelled):
        convert(source, target, progress=lambda _part: False)
    with pytest.raises(FileProblem, match="is what is being read"):
        convert(source, source)
    with pytest.raises(FileProblem, match="ending"):
        convert(source, tmp_path / "b.doc")
    with pytest.raises(FileProblem, match="no such file"):
        convert(tmp_path / "gone.wav", target)
    assert target.read_bytes() == b"before"
    assert sorted(file.name for file in tmp_path.iterdir()) == ["a.wav", "b.flac"]


@pytest.mark.parametrize(
    ("before", "after", "line"),
    [
        ("hold: 120 ms", "hold: 120000000 ms", "hold: 120000000 ms"),
        ("bell, 900 Hz", "bell, 900000 Hz", "900000"),
        ("bell, 900 Hz", "well, 900 Hz", "well"),
        ("low cut", "low cup", "low cup"),
    ],
)
def test_a_preset_names_the_very_line_that_is_wrong(tmp_path: Path, before: str, after: str, line: str) -> None:
    bands = (Band(centre_hz=300.0, gain_db=-2.0), Band(centre_hz=900.0, gain_db=1.0))
    chain = (LowCut(corner_hz=70), Gate(hold_ms=120.0), Equaliser(bands=bands))
    text = preset_text(chain, name="Voice", at="input 1")
    assert before in text
    text = text.replace(before, after)
    path = tmp_path / "p.txt"
    path.write_text(text, encoding="utf-8")
    number = next(i for i, row in enumerate(text.splitlines(), start=1) if line in row)
    with pytest.raises(FileProblem, match=rf"line {number}\b"):
        open_preset(path)
