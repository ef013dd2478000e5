"""`kymaphon feeds` as a user runs it: the plan, its steps, tracks, the stream; and what cannot be used."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import SILENCES
from kymaphon.core.analysis.outcome import comes
from kymaphon.core.model.wants import wants_of
from kymaphon.files.demo import demo_path
from kymaphon.files.show_file import read_show, write_show
from tests.core import hand_typed
from tests.core.analysis.test_random_rigs import random_rig
from tests.core.mixes.rooms import calls, studio
from tests.test_cli import run, run_json

DEMO = str(demo_path())


def test_the_plan_in_words(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(capsys, "feeds", DEMO, "--plan")
    assert code == 0
    assert "Ferry: Desk, send 1, mix-minus, with channel 1, channel 2" in out
    assert "without channel 5" in out
    assert "  1 Desk, channel 5, send 1: off" in out
    assert out.rstrip().splitlines()[-2:] == [
        "all as wanted then but for levels: nobody hears themselves late",
        "left to the line-up: Ilse too quiet for everybody",
    ]


def test_the_plan_as_data(capsys: pytest.CaptureFixture[str]) -> None:
    plan = run_json(capsys, "feeds", DEMO, "--plan")["plan"]
    assert {"mixes", "missing", "ways_out", "edits", "steps", "changed", "unmet"} <= set(plan)
    assert plan["steps"][0]["text"] == "Desk, channel 5, send 1: off"
    assert {"listener": "ferry", "voice": "ferry", "before": "back", "after": "silent"} in plan["changed"]
    assert plan["unmet"] == []
    [level] = plan["off_level"]
    assert (level["voice"], level["verdict"]) == ("ilse", "quiet")
    assert set(level["listeners"]) == {"mira", "tam", "ferry", "lighthouse", "stream", "station", "podcast"}


def test_every_step_from_nothing(capsys: pytest.CaptureFixture[str]) -> None:
    few, many = (run_json(capsys, "feeds", DEMO, "--plan", *more)["plan"]["steps"] for more in ((), ("--all",)))
    assert len(few) == 2
    assert len(many) > 30
    assert many[0]["act"] == "mute"


def test_a_plan_is_written_with_its_steps_as_tasks(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out = tmp_path / "planned.json"
    code, _, _ = run(capsys, "feeds", DEMO, "--plan", "-o", str(out))
    assert code == 0
    show = read_show(out)
    assert [task.text for task in show.tasks] == [
        "Desk, channel 5, send 1: off",
        "Software mixer, stereo input 5, programme: off",
    ]
    assert not [row for row in analyse(show).findings if row.stage == "Feeds" and row.severity != "note"]


TYPED = ("backing_track", "interpreter", "lesson", "rehearsal", "two_calls")


@pytest.mark.parametrize("name", [*TYPED, 0, 5, 10, 13, 23])
def test_a_plan_that_is_written_takes_nothing_away(
    name: str | int, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """By the show that is written, analysed anew: no wanted voice is gone, nothing is found to stop for or to fix that was not there.
    What does take something away is told, and written with --lossy alone.
    """
    show = random_rig(name) if isinstance(name, int) else getattr(hand_typed, name)()
    rig, out = tmp_path / "rig.json", tmp_path / "planned.json"
    write_show(rig, show)
    code, words, _ = run(capsys, "feeds", str(rig), "--plan", "-o", str(out))
    before = analyse(show, remedies=False)
    if not out.exists():
        assert code == 1
        assert "Nothing is written" in words
        assert words.startswith("Then ")
        assert run(capsys, "feeds", str(rig), "--plan", "--lossy", "-o", str(out))[0] in (0, 1)
        assert out.exists()
        return
    after = analyse(read_show(out), remedies=False)
    wanted = [key for key, row in wants_of(show).items() if row.want in ("hear", "local")]
    assert [key for key in wanted if comes(before.feeds.get(key)) and not comes(after.feeds.get(key))] == []
    known = {(row.code, who) for row in before.findings if row.severity != "note" for who in row.subjects}
    new = [
        row.title
        for row in after.findings
        if row.severity != "note"
        and row.code not in SILENCES
        and known.isdisjoint((row.code, who) for who in row.subjects)
    ]
    assert new == []


def test_lossy_goes_with_a_plan_that_is_written(capsys: pytest.CaptureFixture[str]) -> None:
    code, _, error = run(capsys, "feeds", DEMO, "--plan", "--lossy")
    assert (code, error.count("\n")) == (2, 1)


def test_takes_are_still_found_where_it_is_written(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    home, away = tmp_path / "home", tmp_path / "away"
    home.mkdir()
    away.mkdir()
    (home / "talk.wav").write_bytes(b"x")
    data = json.loads(Path(DEMO).read_text(encoding="utf-8"))
    data["takes"] = [{"id": "t", "file": "talk.wav", "what": "voice", "voice": "mira"}]
    (home / "show.json").write_text(json.dumps(data), encoding="utf-8")
    run(capsys, "feeds", str(home / "show.json"), "--plan", "-o", str(away / "show.json"))
    assert Path(read_show(away / "show.json").takes[0].file) == home / "talk.wav"


def test_a_shortage_is_exit_one_with_its_ways_out(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "short.json"
    write_show(path, studio("desk-1-send", 4))
    code, out, _ = run(capsys, "feeds", str(path), "--plan")
    assert code == 1
    assert "MISSING Far 4 gets no mix: Desk with one send is asked for 5 different mixes" in out
    assert "way out: Far 4 and Far" in out
    assert "instead of" in out


def test_a_voice_without_an_input_is_exit_one_and_a_way_out_can_be_taken(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path, done = tmp_path / "calls.json", tmp_path / "done.json"
    write_show(path, calls(2))
    code, out, _ = run(capsys, "feeds", str(path), "--plan")
    assert code == 1
    assert "MISSING Far 2 gets as far as Call 2, far end's voice and no further" in out
    assert (
        "way out: Put a software mixer into Laptop (Software mixer, eight sends): it takes Interface, Call 1 and Call 2"
        in out
    )
    code, out, _ = run(capsys, "feeds", str(path), "--plan", "--way", "computer", "-o", str(done))
    assert code == 0
    assert "1 Software mixer: start it in Laptop" in out
    assert read_show(done).tasks[0].text == "Software mixer: start it in Laptop"
    plan = run_json(capsys, "feeds", str(path), "--plan", "--way", "computer")["plan"]
    assert plan["strays"] == plan["missing"] == plan["ways_out"] == []
    assert any("add" in row for row in plan["edits"])
    assert {(row["listener"], row["voice"]) for row in plan["changed"]} >= {
        ("host", "far2"),
        ("stream", "far2"),
    }


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--way", "computer"), "--way goes with --plan"),
        (("--plan", "--way", "desk"), "no way out by desk: there is one by computer"),
    ],
)
def test_a_way_out_that_is_not_there(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], options: tuple[str, ...], words: str
) -> None:
    path = tmp_path / "calls.json"
    write_show(path, calls(2))
    code, _, err = run(capsys, "feeds", str(path), *options)
    assert code == 2
    assert words in err


def test_a_whole_plan_needs_no_way_out(capsys: pytest.CaptureFixture[str]) -> None:
    code, _, err = run(capsys, "feeds", DEMO, "--plan", "--way", "share")
    assert code == 2
    assert "the plan needs none" in err


def test_tracks(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(capsys, "feeds", DEMO, "--tracks", "each")
    assert code == 0
    assert "! One track a person cannot be had" in out
    data = run_json(capsys, "feeds", DEMO, "--tracks")
    assert data["file_full_after_s"] == pytest.approx(2**32 / (48000 * 3 * 2), abs=0.001)
    assert data["tracks"][0]["plugged"] is True
    written = tmp_path / "tracks.json"
    run(capsys, "feeds", DEMO, "--tracks", "split", "-o", str(written))
    show = read_show(written)
    assert show.recording is not None
    assert show.recording.way == "split"
    assert [row.id for row in show.tracks] == ["plan-1"]


def test_stream(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(capsys, "feeds", DEMO, "--stream")
    assert code == 0
    assert "2 calls of 100 kbit/s: 200 kbit/s" in out
    assert "12 to 15 s ago" in out
    assert run_json(capsys, "feeds", DEMO, "--stream")["enough"] is None


def test_circles_and_sentences_are_there(capsys: pytest.CaptureFixture[str]) -> None:
    data = run_json(capsys, "feeds", DEMO)
    assert data["sentences"]["ferry"].startswith("Ferry hears itself 164.1 ms late")
    assert data["circles_together_db"] == pytest.approx(-51.68, abs=0.1)


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("-o", "x.json"), "-o goes with --plan or --tracks"),
        (("--all",), "--all goes with --plan"),
        (("--stream", "-o", "x.json"), "-o goes with"),
    ],
)
def test_what_does_not_go_together(arguments: tuple[str, ...], words: str, capsys: pytest.CaptureFixture[str]) -> None:
    code, _, err = run(capsys, "feeds", DEMO, *arguments)
    assert code == 2
    assert words in err


def test_a_show_with_nobody_in_it(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "empty.json"
    path.write_text('{"kymaphon": 1}', encoding="utf-8")
    for more in ((), ("--plan",), ("--tracks",), ("--stream",)):
        code, _, err = run(capsys, "feeds", str(path), *more)
        assert (code, err) == (0, "")
