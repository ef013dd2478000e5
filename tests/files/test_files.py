"""Show files, recordings and sheets on disk: round trips, bad input, crashes half-way."""

from __future__ import annotations

import csv
import io
import json
import os
import struct
import tracemalloc
from datetime import UTC, datetime
from pathlib import Path

import jsonschema
import numpy as np
import pypdf
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.show import Show
from kymaphon.core.report.sheet import Table, patch_list, rig_sheet
from kymaphon.files.audio import Cancelled, fingerprint, measure_take
from kymaphon.files.demo import FAULTY, REPAIRED, demo_path
from kymaphon.files.errors import FileProblem
from kymaphon.files.sheet_file import sheet_html, table_csv, write_sheet
from kymaphon.files.show_file import read_show, show_schema, show_text, write_show
from kymaphon.files.text_file import write_whole
from tests.budget import tries
from tests.conftest import two_desks, write_json


class TestRoundTrip:
    def test_what_is_written_is_read(self, tmp_path: Path, demo: Show) -> None:
        write_show(tmp_path / "a.json", demo)
        assert read_show(tmp_path / "a.json") == demo

    @given(st.text(max_size=40), st.floats(-60, 10), st.booleans())
    @settings(max_examples=tries(10))
    def test_any_title_and_setting(self, title: str, gain: float, on: bool) -> None:
        settings_ = {"in1>send1": {"on": on, "gain_db": gain}}
        show = two_desks(a=settings_).with_(title=title.encode("utf-8", "ignore").decode())
        assert Show.model_validate(json.loads(show_text(show))) == show

    def test_a_byte_order_mark_is_no_matter(self, tmp_path: Path, demo: Show) -> None:
        path = tmp_path / "bom.json"
        path.write_bytes(b"\xef\xbb\xbf" + show_text(demo).encode())
        assert read_show(path) == demo

    @pytest.mark.parametrize("name", [FAULTY, REPAIRED])
    def test_the_shipped_shows_fit_the_published_schema(self, name: str) -> None:
        """Held against the jsonschema library, JSON Schema 2020-12."""
        schema = show_schema()
        jsonschema.Draft202012Validator.check_schema(schema)
        data = json.loads(demo_path(name).read_text(encoding="utf-8"))
        jsonschema.validate(data, schema, cls=jsonschema.Draft202012Validator)
        data["devices"][0]["colour"] = "red"
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(data, schema, cls=jsonschema.Draft202012Validator)


class TestBadShows:
    @pytest.mark.parametrize(
        ("text", "words"),
        [
            ("", "is empty"),
            ("   \n", "is empty"),
            ("{", "is not JSON"),
            ('{"kymaphon": 1,\n "title": }', "line 2, column 11"),
            ("[]", "not a show"),
            ("{}", 'no "kymaphon" version'),
            ('{"kymaphon": 99}', "newer than this program knows"),
            ('{"kymaphon": 0}', "is not a version number"),
            ('{"kymaphon": true}', "is not a version number"),
            ('{"kymaphon": "1"}', "is not a version number"),
            ('{"kymaphon": 1, "mains_hz": 55}', "mains_hz"),
            ('{"kymaphon": 1, "title": NaN}', "NaN is not a number"),
            ('{"kymaphon": 1, "places": [], "places": []}', "stands twice"),
            (
                '{"kymaphon": 1, "devices": [{"id": "d", "kind": "desk-8", "settings": {"in1": {"gain_db": "loud"}}}]}',
                "devices[0] (d).settings.in1.gain_db",
            ),
            ('{"kymaphon": 1, "devices": [{"id": "d"}]}', "devices[0] (d).kind: is missing"),
            ('{"kymaphon": 1, "devices": [{"id": "d", "kind": "desk-8", "colour": 1}]}', "no known key"),
            ('{"kymaphon": 1, "cables": [{"from": "nowhere", "to": "desk.in1"}]}', "cables[0].from"),
            ("[" * 100000, "JSON"),
        ],
    )
    def test_one_line_that_names_file_and_place(self, tmp_path: Path, text: str, words: str) -> None:
        path = write_json(tmp_path / "bad.json", text)
        with pytest.raises(FileProblem) as caught:
            read_show(path)
        message = str(caught.value)
        assert words in message or words == "JSON"
        assert message.startswith("bad.json")
        assert "\n" not in message

    def test_missing_folder_and_binary(self, tmp_path: Path) -> None:
        with pytest.raises(FileProblem, match="no such file"):
            read_show(tmp_path / "none.json")
        with pytest.raises(FileProblem, match="folder"):
            read_show(tmp_path)
        for endless in ("/dev/zero", "/dev/null"):
            with pytest.raises(FileProblem, match="no ordinary file"):
                read_show(endless)
            with pytest.raises(FileProblem, match="no ordinary file"):
                measure_take(endless)
        (tmp_path / "b.json").write_bytes(b"\x80\x81\xff" * 50)
        with pytest.raises(FileProblem, match="not text"):
            read_show(tmp_path / "b.json")

    def test_a_hundred_megabytes_of_junk_are_refused_unread(self, tmp_path: Path) -> None:
        path = tmp_path / "junk.json"
        with path.open("wb") as file:
            file.truncate(100_000_000)
        tracemalloc.start()
        with pytest.raises(FileProblem, match="too large"):
            read_show(path)
        _, peak = tracemalloc.get_traced_memory()
        tracemalloc.stop()
        assert peak < 1_000_000


class TestWriting:
    def test_a_failed_write_leaves_the_old_file(
        self, tmp_path: Path, demo: Show, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        path = tmp_path / "show.json"
        write_show(path, demo)
        before = path.read_bytes()

        def fail(*_: object) -> None:
            raise OSError(28, "No space left on device")

        monkeypatch.setattr(os, "replace", fail)
        with pytest.raises(FileProblem, match="No space left"):
            write_show(path, demo.with_(title="new"))
        assert path.read_bytes() == before
        assert list(tmp_path.iterdir()) == [path]

    def test_a_folder_that_is_not_there(self, tmp_path: Path, demo: Show) -> None:
        with pytest.raises(FileProblem, match=r"cannot be written: there is no folder .*no"):
            write_show(tmp_path / "no" / "show.json", demo)

    def test_a_link_stays_a_link(self, tmp_path: Path) -> None:
        real, link = tmp_path / "real.json", tmp_path / "link.json"
        real.write_text("old")
        link.symlink_to(real)
        write_whole(link, b"new")
        assert link.is_symlink()
        assert real.read_text() == "new"


def save(path: Path, samples: np.ndarray, rate: int = 48000, **more: str) -> Path:
    soundfile.write(path, samples, rate, **more)
    return path


class TestRecordings:
    def noise(self, seconds: float, channels: int = 1, rate: int = 48000) -> np.ndarray:
        return np.random.default_rng(0).standard_normal((int(seconds * rate), channels)) * 0.01

    @pytest.mark.parametrize(
        ("suffix", "subtype", "tolerance"),
        [
            ("wav", "PCM_16", 0.01),
            ("wav", "PCM_24", 0.01),
            ("wav", "FLOAT", 0.01),
            ("flac", "PCM_24", 0.01),
            ("ogg", "VORBIS", 1.5),
            ("aiff", "PCM_16", 0.01),
        ],
    )
    def test_formats_agree(self, tmp_path: Path, suffix: str, subtype: str, tolerance: float) -> None:
        row = measure_take(save(tmp_path / f"t.{suffix}", self.noise(2), subtype=subtype))
        assert row.rms_dbfs == pytest.approx(-40 + 3.01, abs=max(tolerance, 0.1))
        assert row.duration_s == pytest.approx(2, abs=0.01)

    @pytest.mark.parametrize(("rate", "channels"), [(8000, 1), (96000, 2), (48000, 32)])
    def test_rates_and_channels(self, tmp_path: Path, rate: int, channels: int) -> None:
        row = measure_take(save(tmp_path / "t.wav", self.noise(1, channels, rate), rate))
        assert (row.sample_rate_hz, row.channels) == (rate, channels)

    def test_cut_short_and_what_is_there(self, tmp_path: Path) -> None:
        path = save(tmp_path / "t.wav", self.noise(2), subtype="PCM_16")
        path.write_bytes(path.read_bytes()[:96044])
        with pytest.raises(FileProblem, match=r"t.wav at byte \d+: is cut short: 2.0 s promised, 1.0 s there"):
            measure_take(path)
        assert measure_take(path, partial=True).duration_s == pytest.approx(1, abs=0.01)

    @given(st.integers(0, 80), st.binary(min_size=1, max_size=6), st.integers(1, 4000))
    @settings(max_examples=tries(50))
    def test_any_damage_to_a_header_is_one_clear_line(
        self, tmp_path_factory: pytest.TempPathFactory, place: int, junk: bytes, length: int
    ) -> None:
        path = save(tmp_path_factory.mktemp("wav") / "t.wav", self.noise(0.02), subtype="PCM_16")
        content = bytearray(path.read_bytes())
        content[place : place + len(junk)] = junk
        path.write_bytes(bytes(content[:length]))
        try:
            row = measure_take(path)
        except FileProblem as problem:
            message = str(problem)
        else:
            assert row.frames > 0
            return
        assert message.startswith("t.wav")
        assert "\n" not in message

    def test_a_rate_that_no_converter_has(self, tmp_path: Path) -> None:
        path = save(tmp_path / "t.wav", self.noise(0.02), subtype="PCM_16")
        content = bytearray(path.read_bytes())
        content[24:28] = struct.pack("<I", 0x0100BB80)
        path.write_bytes(bytes(content))
        with pytest.raises(FileProblem, match="16825216 samples in a second"):
            measure_take(path)

    def test_a_header_without_audio(self, tmp_path: Path) -> None:
        path = tmp_path / "t.wav"
        path.write_bytes(b"RIFF" + struct.pack("<I", 1000) + b"WAVE")
        with pytest.raises(FileProblem, match="cut short"):
            measure_take(path)

    @pytest.mark.parametrize("content", [b"", b"not audio at all" * 100, b"fLaC\x00\x00", b"RIFF....WAVEjunk"])
    def test_no_recording(self, tmp_path: Path, content: bytes) -> None:
        path = tmp_path / "t.wav"
        path.write_bytes(content)
        with pytest.raises(FileProblem, match=r"^t\.wav"):
            measure_take(path)

    def test_missing_and_folder(self, tmp_path: Path) -> None:
        with pytest.raises(FileProblem, match="no such file"):
            measure_take(tmp_path / "none.wav")
        with pytest.raises(FileProblem, match="folder"):
            measure_take(tmp_path)

    def test_no_frames(self, tmp_path: Path) -> None:
        with pytest.raises(FileProblem, match="holds no audio"):
            measure_take(save(tmp_path / "t.wav", np.zeros((0, 1))))

    def test_not_numbers(self, tmp_path: Path) -> None:
        samples = self.noise(1)
        samples[24000] = np.inf
        with pytest.raises(FileProblem, match=r"at 0.500 s: holds samples that are not numbers"):
            measure_take(save(tmp_path / "t.wav", samples, subtype="FLOAT"))

    def test_progress_and_stop(self, tmp_path: Path) -> None:
        path = save(tmp_path / "t.wav", self.noise(5))
        parts: list[float] = []
        measure_take(path, progress=lambda part: parts.append(part) or True)
        assert parts == sorted(parts)
        assert parts[-1] == 1
        with pytest.raises(Cancelled):
            measure_take(path, progress=lambda _part: False)

    def test_fingerprint(self, tmp_path: Path) -> None:
        """SHA-256 of "abc" from FIPS 180-2."""
        (tmp_path / "abc").write_bytes(b"abc")
        assert fingerprint(tmp_path / "abc").startswith("ba7816bf8f01cfea414140de5dae2223")
        with pytest.raises(FileProblem):
            fingerprint(tmp_path / "none")

    def test_the_demo_takes_are_what_the_rig_would_record(self, demo: Show) -> None:
        voice, room = (measure_take(demo_path(name)) for name in ("voice.flac", "room-tone.flac"))
        assert voice.clipped_runs == room.clipped_runs == 0
        last = analyse(demo).ladders["mira", "podcast"].last
        assert room.noise_floor_dbfs == pytest.approx(-63, abs=1)
        assert room.noise_floor_dbfs < last.speech_db - 30


class TestSheet:
    def test_html_holds_everything_and_nothing_foreign(self, demo: Show) -> None:
        hostile = demo.with_(title='<script>alert("x")</script>')
        page = sheet_html(rig_sheet(analyse(hostile)))
        assert "<script>" not in page
        assert "Ferry gets its own voice back" in page
        for name in (
            "Mira&#39;s microphone, output",
            "Slipway mixer, main out, left",
            "Pull list",
            "XLR, balanced, 50 m",
        ):
            assert name in page

    def test_pdf_is_read_by_another_library(self, tmp_path: Path, demo: Show) -> None:
        """Text taken out again by pypdf."""
        analysis = analyse(demo)
        write_sheet(tmp_path / "s.pdf", rig_sheet(analysis), patch_list(analysis))
        reader = pypdf.PdfReader(tmp_path / "s.pdf")
        text = " ".join(page.extract_text() for page in reader.pages)
        for words in ("Lantern Quay", "Patch list", "Who hears whom", "protective earth", "164.1 ms"):
            assert words in " ".join(text.split())

    def test_csv_is_read_by_another_reader_and_harmless(self, demo: Show) -> None:
        table = Table("t", ("a", "b"), (("=1+1", "plain, with comma"), ("@x", '"q"')))
        rows = list(csv.reader(io.StringIO(table_csv(table))))
        assert rows == [["a", "b"], ["'=1+1", "plain, with comma"], ["'@x", '"q"']]
        patch = list(csv.reader(io.StringIO(table_csv(patch_list(analyse(demo))))))
        assert len(patch) == 1 + len(demo.cables)

    def test_other_endings_are_refused(self, tmp_path: Path, demo: Show) -> None:
        analysis = analyse(demo)
        with pytest.raises(FileProblem, match=r"\.html, \.pdf, \.csv"):
            write_sheet(tmp_path / "s.docx", rig_sheet(analysis), patch_list(analysis))

    def test_an_empty_show_makes_a_sheet_too(self, tmp_path: Path) -> None:
        analysis = analyse(Show())
        for name in ("s.html", "s.pdf", "s.csv"):
            write_sheet(tmp_path / name, rig_sheet(analysis), patch_list(analysis))
            assert (tmp_path / name).stat().st_size > 20


def test_practices_marks_and_the_log_come_back_as_they_were(tmp_path: Path) -> None:
    """The schema that is published knows them too."""

    from kymaphon.core.model.practice import PointMark, Practice
    from kymaphon.core.model.show import LineUpReading, LogEntry

    reading = LineUpReading(
        voice="ann",
        at="face.in1:pre",
        scale="ppm-2a",
        peaks=True,
        expected=5.1,
        shown=4.2,
        off_db=-3.6,
        turn_db=4,
        turned=True,
        passed=True,
        note="hoarse",
    )
    show = Show(
        title="Kept",
        practices=(Practice(id="van", name="Van", scale="ppm-2a", peak=5, never_over=6, unity=True),),
        practice="van",
        marks=(PointMark(at="recorder", practice="digital-voice"),),
        vu_zero_dbu=6,
        line_up_dbfs=-20,
        log=(
            LogEntry(at=datetime(2026, 6, 5, 19, 4, tzinfo=UTC), text="Line-up, Ann", subject="ann", line_up=reading),
        ),
    )
    path = tmp_path / "kept.json"
    write_show(path, show)
    assert read_show(path) == show
    jsonschema.validate(json.loads(path.read_text(encoding="utf-8")), show_schema())
    text = path.read_text(encoding="utf-8").replace('"scale": "ppm-2a"', '"scale": "needle"', 1)
    path.write_text(text, encoding="utf-8")
    with pytest.raises(FileProblem, match="scale"):
        read_show(path)
