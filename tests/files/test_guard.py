"""Nothing that is written takes the place of a recording, of a show or of what is being read: tried with the real commands."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest

from kymaphon.cli import main
from kymaphon.core.model.show import Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard, is_show
from kymaphon.files.preset_file import write_text
from kymaphon.files.show_file import write_show
from kymaphon.files.takes import convert, write_audio


@pytest.fixture
def here(tmp_path: Path, demo: Show, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.chdir(tmp_path)
    write_show("m.json", demo)
    write_show("m.html", demo)
    write_show("m.csv", demo)
    write_show("other.json", demo.with_(title="Another"))
    talk = np.random.default_rng(3).normal(0, 0.05, 48000 * 3)
    for name in ("x.wav", "x.flac", "x.txt.wav"):
        write_audio(name, talk, 48000)
    os.link("x.flac", "hard.txt")
    Path("soft.txt").symlink_to("x.flac")
    Path("patch.csv").write_text("from,to\n")
    return tmp_path


@pytest.mark.parametrize(
    "command",
    [
        "gate x.flac --preset x.flac",
        "gate x.flac --preset hard.txt",
        "gate x.flac --preset soft.txt",
        "gate x.flac --render x.flac",
        "gate x.flac --render x.wav",
        "gate x.flac --preset m.json",
        "rig m.json --export m.json",
        "rig m.csv --export m.csv",
        "rig m.json --export other.json",
        "rig m.json --export x.wav",
        "rig m.json --import patch.csv --export patch.csv -o n.json",
        "sheet m.html -o m.html",
        "sheet m.json -o m.html",
        "sheet m.csv -o m.csv",
        "kinds --export m.json",
        "level m.json --line-up -o other.json",
        "level m.json --line-up -o x.wav",
        "level m.json --line-up -o patch.csv",
        "feeds m.json --plan -o x.flac",
        "check m.json --do a:b -o x.wav",
        "m.json --picture m.json",
        "--demo --picture x.wav",
    ],
)
def test_a_command_that_would_destroy_something_says_so_and_touches_nothing(
    here: Path, command: str, capsys: pytest.CaptureFixture[str]
) -> None:
    before = {path.name: path.read_bytes() for path in here.iterdir()}
    assert main(command.split()) == 2
    error = capsys.readouterr().err
    assert error.startswith("kymaphon: ")
    assert error.count("\n") == 1
    assert {path.name: path.read_bytes() for path in here.iterdir()} == before


def test_a_show_may_be_written_back_into_itself(here: Path) -> None:
    assert main(["level", "m.json", "--line-up", "-o", "m.json"]) == 0
    assert main(["sheet", "m.json", "-o", "sheet.csv"]) == 0
    assert main(["sheet", "m.json", "-o", "sheet.csv"]) == 0, "a list may be written anew"


def test_conversion_writes_over_no_recording(here: Path) -> None:
    for target in ("x.wav", "x.txt.wav"):
        before = Path(target).read_bytes()
        with pytest.raises(FileProblem, match=r"recording|being read"):
            convert("x.flac", target)
        assert Path(target).read_bytes() == before


@pytest.mark.parametrize("suffix", [".wav", ".flac", ".ogg", ".mp3", ".aiff", ".w64", ".rf64", ".opus"])
def test_recordings_are_told_by_their_first_bytes(tmp_path: Path, suffix: str) -> None:
    """Whatever they are called: each format as libsndfile writes it."""
    sound = tmp_path / f"x{suffix}"
    write_audio(sound, np.zeros(48000), 48000)
    called = sound.rename(tmp_path / "notes.txt")
    with pytest.raises(FileProblem, match="recording"):
        guard(called)


def test_what_is_no_show_is_not_taken_for_one(tmp_path: Path) -> None:
    path = tmp_path / "a.json"
    path.write_text('{"kymaphon_kinds": 1, "kinds": []}')
    assert not is_show(path)
    guard(path)
    path.write_text("")
    guard(path, "show")
    path.write_text('\ufeff {\n "title": "x", "kymaphon" : 1}')
    assert is_show(path)
    with pytest.raises(FileProblem, match="folder"):
        guard(tmp_path)
    with pytest.raises(FileProblem, match="cannot be written"):
        write_text(tmp_path / "a\0b", "x")
