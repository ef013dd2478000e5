"""The command `prove`: the order of taps, observations typed in, faults planted, and everything that it refuses."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from kymaphon.cli import main
from kymaphon.core.model.show import Show
from kymaphon.files.demo import REPAIRED, demo_path
from kymaphon.files.show_file import write_show
from tests.conftest import two_desks

QUAY = str(demo_path(REPAIRED))


def test_it_says_whom_to_tap_and_what_must_move(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["prove", QUAY]) == 0
    out = capsys.readouterr().out
    assert out.startswith("8 to tap, 41 meters")
    first = out.split("\n2. ")[0]
    assert "must move: Desk, main mix (desk.main)" in first
    assert "must not move: Desk, channel" in first
    worth = [float(row.partition("worth ")[2].split()[0]) for row in out.splitlines() if " worth " in row]
    assert worth == sorted(worth, reverse=True)


def test_json_carries_the_plan_and_what_is_known(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["prove", QUAY, "--json", "--seen", "mira:desk.in1:pre=silent", "--seen", "mira:desk.main=silent"]) == 0
    data = json.loads(capsys.readouterr().out)
    assert {row["id"] for row in data["taps"]} >= {"mira", "tam", "jingles"}
    assert data["diagnosis"]["seen"][0] == {"tap": "mira", "meter": "desk.in1:pre", "seen": "silent"}
    best = data["diagnosis"]["ranked"][0]
    assert "dead-cable:mic-mira.out>desk.in1" in best["faults"][0]
    assert best["chance"] > 0.5
    assert best["cures"] == ["Change the lead for one that is known to work; mark the dead one and put it away."]
    assert data["diagnosis"]["next"]["tap"] != "mira"


def test_a_planted_fault_is_found_and_tapping_ends_there(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["prove", QUAY, "--plant", "dead-cable:mic-ilse.out>desk.in3"]) == 0
    out = capsys.readouterr().out
    last = out.split("-- ")[-1]
    assert last.startswith("Tap Ilse's microphone")
    assert "The lead from Ilse's microphone to Desk, channel 3 (3) is dead" in last
    assert "or Ilse's microphone gets no phantom power" in last, "no tap can tell them apart"
    assert "Tap Crowd" not in last.splitlines()[0]


def test_what_is_open_before_air(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["prove", QUAY, "--ready"]) == 0
    out = capsys.readouterr().out
    assert " open, about " in out.splitlines()[0]
    assert "57 pairs are not proven: 8 to tap" in out
    assert main(["prove", QUAY, "--ready", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["open"][0]["minutes"] > 0


def test_two_planted_faults_are_found(capsys: pytest.CaptureFixture[str]) -> None:
    faults = ["muted-channel:desk.in2.mute", "dead-cable:codec-ferry.near-out>desk.in5"]
    assert main(["prove", QUAY, "--json", "--plant", faults[0], "--plant", faults[1]]) == 0
    steps = json.loads(capsys.readouterr().out)["steps"]
    best = steps[-1]["ranked"][0]["faults"]
    assert sorted(any(name in group for group in best) for name in faults) == [True, True]


def test_every_fault_that_can_be_planted_has_a_name(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["prove", QUAY, "--faults", "--json"]) == 0
    rows = json.loads(capsys.readouterr().out)
    assert len(rows) > 150
    assert len({row["id"] for row in rows}) == len(rows)
    assert any(not row["seen_by_taps"] for row in rows)


@pytest.mark.parametrize(
    ("more", "words"),
    [
        (["--seen", "nobody:desk.main=moved"], "nobody cannot be tapped; there are mira"),
        (["--seen", "mira:desk.out9=moved"], "there is no meter desk.out9"),
        (["--seen", "mira:desk.main=loud"], "neither moved, silent nor a reading"),
        (["--seen", "mira:desk.main=nan"], "neither moved, silent nor a reading"),
        (["--seen", "mira:desk.main=1e9"], "neither moved, silent nor a reading"),
        (["--seen", "desk.main"], "is not TAP:METER=WHAT"),
        (["--plant", "dead-cable:nowhere"], "is no fault of this rig"),
        (["--plant", "x", "--seen", "mira:desk.main=moved"], "not from both"),
        (
            ["--plant", "muted-channel:desk.in1.mute"] + ["--plant", "muted-channel:desk.in2.mute"] * 2,
            "as many as are weighed",
        ),
    ],
)
def test_what_cannot_be_used_is_one_line_and_exit_two(
    more: list[str], words: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["prove", QUAY, *more]) == 2
    error = capsys.readouterr().err
    assert words in error
    assert error.count("\n") == 1


def test_rigs_that_cannot_be_tapped_say_why(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    empty, loud = tmp_path / "empty.json", tmp_path / "loud.json"
    write_show(empty, Show())
    both = {"in5>send1": {"on": True}, "in5": {"gain_db": 20}}
    write_show(loud, two_desks(a=both, b=both))
    assert main(["prove", str(empty)]) == 2
    assert "nothing to tap" in capsys.readouterr().err
    assert main(["prove", str(loud)]) == 2
    assert "howls as it is planned" in capsys.readouterr().err
