"""Shows and their recordings in one file and back; hostile and damaged archives are refused, and leave nothing behind."""

from __future__ import annotations

import io
import json
import os
import stat
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kymaphon.files.archive import SHOW_NAME, pack, unpack
from kymaphon.files.audio import fingerprint
from kymaphon.files.demo import EVENING, demo_path
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import read_show, show_text
from kymaphon.files.take_places import missing


@pytest.fixture(scope="module")
def packed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("packed") / "evening.zip"
    count, lost = pack(path, read_show(demo_path(EVENING)), demo_path(EVENING).parent)
    assert (count, lost) == (5, ())
    return path


def left(folder: Path) -> list[str]:
    return sorted(row.name for row in folder.iterdir())


class TestThereAndBack:
    def test_the_show_and_its_recordings_come_back(self, packed: Path, tmp_path: Path) -> None:
        path = unpack(packed, tmp_path)
        assert path == tmp_path / "evening" / SHOW_NAME
        show, before = read_show(path), read_show(demo_path(EVENING))
        assert missing(show, path.parent) == ()
        assert show.model_copy(update={"takes": ()}) == before.model_copy(update={"takes": ()})
        for take, was in zip(show.takes, before.takes, strict=True):
            assert fingerprint(path.parent / take.file) == fingerprint(demo_path(was.file))
        assert unpack(packed, tmp_path) == tmp_path / "evening-2" / SHOW_NAME
        assert left(tmp_path) == ["evening", "evening-2"]

    def test_any_zip_program_reads_it(self, packed: Path) -> None:
        with zipfile.ZipFile(packed) as archive:
            assert archive.testzip() is None
            assert json.loads(archive.read(SHOW_NAME))["title"] == "Lantern Quay"

    def test_recordings_that_are_gone_are_named(self, tmp_path: Path) -> None:
        show = read_show(demo_path(EVENING))
        takes = tuple(row.model_copy(update={"file": f"gone-{n}.wav"}) for n, row in enumerate(show.takes))
        count, lost = pack(tmp_path / "a.zip", show.model_copy(update={"takes": takes}), tmp_path)
        assert (count, len(lost)) == (0, 5)
        assert unpack(tmp_path / "a.zip", tmp_path).is_file()

    def test_two_recordings_of_one_name_are_both_there(self, tmp_path: Path) -> None:
        show = read_show(demo_path(EVENING))
        (tmp_path / "a").mkdir()
        (tmp_path / "b").mkdir()
        for n, folder in enumerate("ab"):
            (tmp_path / folder / "t.flac").write_bytes(demo_path("jingle.flac").read_bytes()[n:])
        takes = tuple(
            show.takes[n].model_copy(update={"file": str(tmp_path / folder / "t.flac"), "sha256": None})
            for n, folder in enumerate("ab")
        )
        pack(tmp_path / "a.zip", show.model_copy(update={"takes": takes}), tmp_path)
        path = unpack(tmp_path / "a.zip", tmp_path)
        assert [row.file for row in read_show(path).takes] == ["takes/t.flac", "takes/t-2.flac"]

    def test_it_takes_the_place_of_no_show_and_no_recording(self, tmp_path: Path) -> None:
        show = read_show(demo_path(EVENING))
        for name in (EVENING, "jingle.flac"):
            target = tmp_path / name
            target.write_bytes(demo_path(name).read_bytes())
            with pytest.raises(FileProblem):
                pack(target, show, None)
            assert target.read_bytes() == demo_path(name).read_bytes()
        with pytest.raises(FileProblem):
            pack(tmp_path / "no" / "a.zip", show, None)


def made(members: dict[str, bytes], change: Callable[[zipfile.ZipInfo], None] | None = None) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            info = zipfile.ZipInfo(name)
            info.compress_type = zipfile.ZIP_DEFLATED
            if change is not None:
                change(info)
            archive.writestr(info, data)
    return out.getvalue()


def plain() -> bytes:
    show = read_show(demo_path(EVENING))
    return show_text(show.model_copy(update={"takes": ()})).encode()


def naming(file: str) -> bytes:
    show = read_show(demo_path(EVENING))
    return show_text(
        show.model_copy(update={"takes": (show.takes[0].model_copy(update={"file": file, "sha256": "0" * 64}),)})
    ).encode()


def link(info: zipfile.ZipInfo) -> None:
    if info.filename != SHOW_NAME:
        info.external_attr = (stat.S_IFLNK | 0o777) << 16


HOSTILE: dict[str, bytes] = {
    "up": made({SHOW_NAME: plain(), "../evil.wav": b"x"}),
    "up inside": made({SHOW_NAME: plain(), "takes/../../evil.wav": b"x"}),
    "absolute": made({SHOW_NAME: plain(), "/tmp/evil.wav": b"x"}),
    "drive": made({SHOW_NAME: plain(), "C:/evil.wav": b"x"}),
    "backslash": made({SHOW_NAME: plain(), "takes\\..\\evil.wav": b"x"}),
    "deeper": made({SHOW_NAME: plain(), "takes/a/b.wav": b"x"}),
    "program": made({SHOW_NAME: plain(), ".bashrc": b"x"}),
    "control": made({SHOW_NAME: plain(), "takes/a\nb.wav": b"x"}),
    "link": made({SHOW_NAME: plain(), "takes/a.wav": b"/etc/passwd"}, link),
    "bomb": made({SHOW_NAME: plain(), "takes/a.wav": b"\0" * (64 << 20)}),
    "case": made({SHOW_NAME: plain(), "takes/a.wav": b"x", "takes/A.WAV": b"y"}),
    "no show": made({"takes/a.wav": b"x"}),
    "no json": made({SHOW_NAME: b"{}}"}),
    "no text": made({SHOW_NAME: b"\xff\xfe\x00"}),
    "names outside": made({SHOW_NAME: naming("/etc/passwd")}),
    "names up": made({SHOW_NAME: naming("../../secret.wav")}),
    "other sound": made({SHOW_NAME: naming("takes/a.flac"), "takes/a.flac": b"not what was measured"}),
    "many": made({SHOW_NAME: plain(), **{f"takes/{n}.wav": b"x" for n in range(2100)}}),
    "no archive": b"only words, and no archive",
    "empty": b"",
}


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_archives_are_refused_and_leave_nothing(name: str, tmp_path: Path) -> None:
    source, into = tmp_path / "in" / "a.zip", tmp_path / "in" / "out"
    into.mkdir(parents=True)
    source.write_bytes(HOSTILE[name])
    with pytest.raises(FileProblem) as caught:
        unpack(source, into)
    assert "Traceback" not in str(caught.value)
    assert left(into) == []
    assert left(tmp_path / "in") == ["a.zip", "out"]
    assert left(tmp_path) == ["in"]


@given(st.data())
def test_a_damaged_archive_is_refused_or_unpacks_whole(data: st.DataObject) -> None:
    import tempfile

    whole = bytearray(made({SHOW_NAME: plain(), "takes/a.wav": bytes(range(256)) * 40}))
    for _ in range(data.draw(st.integers(1, 4))):
        whole[data.draw(st.integers(0, len(whole) - 1))] ^= data.draw(st.integers(1, 255))
    with tempfile.TemporaryDirectory() as folder:
        source, into = Path(folder, "a.zip"), Path(folder, "out")
        into.mkdir()
        source.write_bytes(bytes(whole))
        try:
            path = unpack(source, into)
        except FileProblem:
            assert left(into) == []
        else:
            read_show(path)
        assert left(Path(folder)) == ["a.zip", "out"]


def test_a_folder_that_is_not_there(packed: Path, tmp_path: Path) -> None:
    with pytest.raises(FileProblem):
        unpack(packed, tmp_path / "no")


def test_an_archive_is_as_private_as_the_user_has_files(packed: Path, tmp_path: Path) -> None:
    before = os.umask(0o077)
    try:
        pack(tmp_path / "a.zip", read_show(demo_path(EVENING)), demo_path(EVENING).parent)
        unpacked = unpack(tmp_path / "a.zip", tmp_path)
    finally:
        os.umask(before)
    for path in (tmp_path / "a.zip", unpacked, unpacked.parent):
        assert stat.S_IMODE(path.stat().st_mode) & 0o077 == 0
