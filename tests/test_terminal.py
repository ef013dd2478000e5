"""Real processes into pipes, full devices and terminals that lack letters; names that would steer a terminal."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from kymaphon.cli import main
from kymaphon.cli.terminal import PLAIN, escaped_json, visible
from kymaphon.core.model.show import Show
from kymaphon.files.demo import demo_path
from kymaphon.files.show_file import write_show

RED = "\x1b[31mMira\x07\x9b2J\u202eoo\x00"[:-1]


def run(*words: str, **more: object) -> subprocess.CompletedProcess[bytes]:
    command = [sys.executable, "-m", "kymaphon", *words]
    return subprocess.run(command, stderr=subprocess.PIPE, timeout=120, **more)  # type: ignore[call-overload,no-any-return]


@pytest.mark.skipif(not os.path.exists("/dev/full"), reason="no full device here")
@pytest.mark.parametrize("command", ["check", "kinds"])
def test_a_full_device_is_one_line_and_no_finding(command: str) -> None:
    """Exit 1 would say that the show has something to stop for."""
    with open("/dev/full", "wb") as full:
        words = [str(demo_path())] if command == "check" else ["--all", "--json"]
        done = run(command, *words, stdout=full)
    assert done.returncode == 2
    assert done.stderr.decode().strip() == "kymaphon: standard output cannot be written: No space left on device"


def test_a_pipe_that_nobody_reads_any_more_ends_it_quietly() -> None:
    code = (
        "import subprocess, sys; p = subprocess.Popen([sys.executable, '-m', 'kymaphon', 'kinds', "
        "'--all', '--json'], stdout=subprocess.PIPE, stderr=subprocess.PIPE); p.stdout.read(10); p.stdout.close(); print(p.wait(), p.stderr.read())"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=120)
    assert done.stdout.strip() == "2 b''"


@pytest.mark.parametrize("encoding", ["ascii", "latin-1", "cp437"])
def test_a_terminal_that_lacks_letters_gets_plain_ones(encoding: str) -> None:
    done = run("check", str(demo_path()), stdout=subprocess.PIPE, env={**os.environ, "PYTHONIOENCODING": encoding})
    assert done.returncode == 1
    text = done.stdout.decode(encoding)
    assert "own-voice-back" in text
    assert "3.1 dB under the mark" in text


def test_control_characters_of_names_are_written_out(
    tmp_path: Path, demo: Show, capsys: pytest.CaptureFixture[str]
) -> None:
    """Escape, bell, the eight-bit control introducer and a turned direction (ECMA-48, Unicode UAX 9)."""
    parties = [row.with_(name=RED) if row.id == "mira" else row for row in demo.parties]
    path = tmp_path / "a.json"
    write_show(path, demo.with_(parties=parties))
    for words in (["check"], ["level"], ["cast"], ["feeds"], ["rig"]):
        main([*words, str(path)])
        text = capsys.readouterr().out
        assert not set(text) & set("\x1b\x07\x9b\u202e")
    assert "\\x1b[31mMira\\x07\\x9b2J\\u202eoo" in text or "Mira" not in text
    main(["check", "--json", str(path)])
    text = capsys.readouterr().out
    assert not set(text) & set("\x1b\x07\x9b\u202e")
    assert any(RED in row["message"] for row in json.loads(text)["findings"])


def test_json_reads_the_same_with_its_controls_written_out() -> None:
    data = {"a": "\x9b\u2028\ufeff\u2066", "b": "plain \u2212"}
    text = escaped_json(json.dumps(data, ensure_ascii=False))
    assert json.loads(text) == data
    assert not set(text) & set("\x9b\u2028\ufeff\u2066")
    assert visible("a\tb\nc") == "a\tb\nc"


def test_every_letter_of_ours_has_a_plain_one() -> None:
    for letter, plain in PLAIN.items():
        assert not letter.isascii()
        assert plain.isascii()


def test_a_mistake_of_the_program_is_exit_three_with_a_line_and_a_log(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    monkeypatch.setenv("KYMAPHON_STATE", str(tmp_path))

    def broken(_path: str) -> object:
        raise ZeroDivisionError("made\nfor this test")

    monkeypatch.setattr(sys.modules["kymaphon.cli.check"], "load", broken)
    assert main(["check", str(demo_path())]) == 3
    error = capsys.readouterr().err
    assert error.startswith("kymaphon: a mistake of the program: ZeroDivisionError: made for this test; details in ")
    assert error.count("\n") == 1
    assert "ZeroDivisionError" in (tmp_path / "errors.log").read_text()


def test_a_name_that_nobody_can_read_is_refused_with_its_place(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    data = json.loads(demo_path().read_text())
    data["parties"][0]["name"] = "N" * 100_000
    path = tmp_path / "a.json"
    path.write_text(json.dumps(data))
    assert main(["check", str(path)]) == 2
    error = capsys.readouterr().err
    assert "at most 400 characters" in error
    assert len(error) < 300
    data["parties"][0]["name"] = "N" * 300
    path.write_text(json.dumps(data))
    for suffix in ("html", "pdf", "csv"):
        assert main(["sheet", str(path), "-o", str(tmp_path / f"s.{suffix}")]) == 0


@pytest.mark.parametrize(
    ("bad", "words"),
    [
        ('"title": "\\ud800"', "line 1"),
        (f'"mains_hz": {"5" * 5000}', "5000 digits"),
        ('"vu_zero_dbu": 1e999', "more than a number can be"),
        ('"kinds": [5]', "kinds[0]"),
        (
            '"kinds": [{"id": "b", "name": "B", "group": "desk", "inputs": [{"each": [1, 100000000], "id": "in{n}"}]}]',
            '"each"',
        ),
    ],
)
def test_what_no_show_can_hold_is_one_line_with_its_place(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], bad: str, words: str
) -> None:
    path = tmp_path / "a.json"
    path.write_text(f'{{"kymaphon": 1, {bad}}}')
    assert main(["check", str(path)]) == 2
    error = capsys.readouterr().err
    assert error.startswith("kymaphon: a.json")
    assert error.count("\n") == 1
    assert words in error
