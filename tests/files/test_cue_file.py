"""Cue points in copies of recordings, read back by another reader; and what is no recording."""

from __future__ import annotations

import struct
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import soundfile
import wavinfo
from hypothesis import given
from hypothesis import strategies as st

from kymaphon.core.air.cues import Cue
from kymaphon.files.cue_file import form_of, mark_recording, write_cues
from kymaphon.files.errors import FileProblem

AT = datetime(2026, 8, 14, 18, 0, tzinfo=UTC)
RATE = 8000


def cue(at_s: float, text: str, kind: str = "text") -> Cue:
    return Cue(at_s, kind, text, "Interview", AT + timedelta(seconds=at_s))


def recording(path: Path, seconds: float = 4.0, form: str = "WAV", subtype: str = "PCM_16") -> Path:
    sound = np.random.default_rng(1).normal(0, 0.1, (round(seconds * RATE), 2))
    soundfile.write(path, sound, RATE, format=form, subtype=subtype)
    return path


def read_back(path: Path) -> list[tuple[int, str]]:
    """Sample and label of each cue point, by wavinfo."""
    info = wavinfo.WavInfoReader(str(path), info_encoding="utf-8")
    labels = {row.name: row.text for row in info.cues.labels}
    return [(row.position, labels.get(row.name, "")) for row in info.cues.cues]


@pytest.mark.parametrize(
    ("form", "subtype"),
    [("WAV", "PCM_16"), ("WAV", "PCM_24"), ("WAV", "FLOAT"), ("RF64", "PCM_16"), ("WAVEX", "PCM_16")],
)
def test_cue_points_are_read_by_another_reader_and_the_sound_is_the_same(
    tmp_path: Path, form: str, subtype: str
) -> None:
    source = recording(tmp_path / "a.wav", form=form, subtype=subtype)
    before = source.read_bytes()
    target = tmp_path / "b.wav"
    assert (
        mark_recording(
            source, target, [cue(0.5, "first"), cue(3.0, "zwölf – two", "retake"), cue(9.0, "after the end")]
        )
        == 2
    )
    assert read_back(target) == [(4000, "first"), (24000, "Retake: zwölf – two")]
    assert source.read_bytes() == before
    one, other = (soundfile.read(path)[0] for path in (source, target))
    assert np.array_equal(one, other)


def test_cue_points_that_are_there_are_carried_over(tmp_path: Path) -> None:
    source, once, twice = (tmp_path / f"{name}.wav" for name in "abc")
    recording(source)
    mark_recording(source, once, [cue(1.0, "one")])
    assert mark_recording(once, twice, [cue(0.5, "half")]) == 2
    assert read_back(twice) == [(4000, "half"), (8000, "one")]


@given(
    st.lists(
        st.tuples(
            st.floats(0, 3.9), st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=60)
        ),
        max_size=12,
    )
)
def test_any_notes_go_in_and_come_out(rows: list[tuple[float, str]]) -> None:
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder, "a.wav"), Path(folder, "b.wav")
        recording(source)
        assert mark_recording(source, target, [cue(at, text) for at, text in rows]) == len(rows)
        assert sorted(row for row, _ in read_back(target)) == sorted(round(at * RATE) for at, _ in rows)
        soundfile.info(str(target))


class TestRefused:
    def test_what_is_no_recording(self, tmp_path: Path) -> None:
        text = tmp_path / "a.wav"
        text.write_text("no sound at all, only words that are long enough")
        flac = tmp_path / "b.flac"
        soundfile.write(flac, np.zeros(100), RATE)
        for source in (text, flac, tmp_path / "gone.wav"):
            with pytest.raises(FileProblem):
                mark_recording(source, tmp_path / "c.wav", [cue(0.1, "a")])
            assert not (tmp_path / "c.wav").exists()

    @pytest.mark.parametrize("cut", [13, 20, 40, 200, 5000])
    def test_one_that_is_cut_short(self, tmp_path: Path, cut: int) -> None:
        source = recording(tmp_path / "a.wav")
        source.write_bytes(source.read_bytes()[:cut])
        with pytest.raises(FileProblem):
            mark_recording(source, tmp_path / "b.wav", [cue(0.1, "a")])
        assert list(tmp_path.glob(".*part")) == []

    def test_chunks_that_lie(self, tmp_path: Path) -> None:
        source = recording(tmp_path / "a.wav")
        data = bytearray(source.read_bytes())
        at = data.index(b"fmt ")
        struct.pack_into("<I", data, at + 4, 0xFFFFFFF0)
        source.write_bytes(bytes(data))
        with pytest.raises(FileProblem, match="cut short"):
            mark_recording(source, tmp_path / "b.wav", [cue(0.1, "a")])

    def test_itself_and_another_recording_are_not_written_over(self, tmp_path: Path) -> None:
        source, other = recording(tmp_path / "a.wav"), recording(tmp_path / "b.wav")
        for target in (source, other):
            with pytest.raises(FileProblem):
                mark_recording(source, target, [cue(0.1, "a")])

    def test_a_folder_that_is_not_there(self, tmp_path: Path) -> None:
        with pytest.raises(FileProblem):
            mark_recording(recording(tmp_path / "a.wav"), tmp_path / "no" / "b.wav", [cue(0.1, "a")])


class TestFiles:
    @pytest.mark.parametrize(
        ("name", "begins"),
        [
            ("a.txt", "1.000000\t"),
            ("a.vtt", "WEBVTT"),
            ("a.json", "{"),
            ("a.edl.txt", "001  00:00:00.000"),
            ("a.csv", "time,at_s"),
        ],
    )
    def test_the_ending_tells_the_format(self, tmp_path: Path, name: str, begins: str) -> None:
        path = tmp_path / name
        write_cues(path, [cue(1.0, "=1+1", "retake")], "Lantern Quay")
        assert path.read_text(encoding="utf-8").startswith(begins)
        if name == "a.csv":
            assert ",'=1+1" in path.read_text(encoding="utf-8")

    def test_any_other_ending_is_told(self, tmp_path: Path) -> None:
        with pytest.raises(FileProblem, match="one of"):
            form_of("notes.doc")
        with pytest.raises(FileProblem):
            write_cues(tmp_path / "no" / "a.vtt", [], "x")
