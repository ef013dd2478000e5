"""The commands, run as a user runs them."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from kymaphon.cli import main
from kymaphon.files.demo import FAULTY, REPAIRED, demo_path
from kymaphon.files.show_file import read_show
from tests.conftest import write_json

DEMO, MENDED = str(demo_path(FAULTY)), str(demo_path(REPAIRED))


def run(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str, str]:
    code = main(arguments)
    out, err = capsys.readouterr()
    return code, out, err


def run_json(capsys: pytest.CaptureFixture[str], *arguments: str) -> Any:
    _, out, _ = run(capsys, *arguments, "--json")
    return json.loads(out)


def test_check_exits_one_then_nought(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, err = run(capsys, "check", DEMO)
    assert (code, err) == (1, "")
    assert "STOP own-voice-back" in out
    assert "1 to stop for, 10 to fix" in out
    assert run(capsys, "check", MENDED)[0] == 0


def test_check_json_has_the_published_shape(capsys: pytest.CaptureFixture[str]) -> None:
    rows = run_json(capsys, "check", DEMO)["findings"]
    for row in rows:
        assert {"code", "severity", "subjects", "figures", "message", "remedies"} <= set(row)
        assert row["severity"] in ("stop", "fix", "note")
        assert row["code"] == row["code"].lower()
    back = next(row for row in rows if row["code"] == "own-voice-back")
    assert back["figures"]["delay_ms"] == pytest.approx(164.15, abs=0.01)
    assert back["remedies"][0]["edits"] == [{"set": "desk.settings.in5>send1.on", "to": False}]


def test_feeds_json_has_the_published_shape(capsys: pytest.CaptureFixture[str]) -> None:
    data = run_json(capsys, "feeds", DEMO)
    rows = {(row["listener"], row["voice"]): row for row in data["feeds"]}
    assert len(rows) == 8 * 8
    for row in rows.values():
        assert {"listener", "voice", "want", "gain_db", "delay_ms", "paths", "verdict"} <= set(row)
        for path in row["paths"]:
            assert {"nodes", "gain_db", "delay_ms"} <= set(path)
    own = rows["ferry", "ferry"]
    assert own["verdict"] == "back"
    assert own["own_voice_class"] == "stops"
    assert own["paths"][0]["nodes"][0] == "ferry.mouth"
    assert own["paths"][0]["gain_db"] == pytest.approx(own["gain_db"], abs=0.01)
    twice = rows["stream", "mira"]
    assert len(twice["paths"]) >= 2
    assert twice["paths"][1]["delay_ms"] - twice["paths"][0]["delay_ms"] == pytest.approx(5.333, abs=0.001)


def test_feeds_words(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(capsys, "feeds", DEMO)
    assert code == 0
    assert "! Ferry" in out
    assert "own voice back" in out


class TestLouder:
    def test_what_to_turn_and_how_near_to_clipping(self, capsys: pytest.CaptureFixture[str]) -> None:
        assert main(["level", str(demo_path()), "--from", "ilse", "--louder", "6"]) == 0
        assert capsys.readouterr().out.startswith("Add 6 dB at: Desk, channel 3, gain. Peaks ")
        assert main(["level", str(demo_path()), "--from", "mira", "--louder", "20", "--json"]) == 0
        assert json.loads(capsys.readouterr().out)["clips"] is True

    def test_it_is_written_where_asked(self, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
        path = tmp_path / "louder.json"
        assert main(["level", str(demo_path()), "--from", "ilse", "--louder", "-3", "-o", str(path)]) == 0
        was, now = (read_show(row).device("desk").settings["in3"].gain_db for row in (demo_path(), path))
        assert was is not None
        assert now == was - 3

    @pytest.mark.parametrize(
        ("options", "words"),
        [
            (["--louder", "6"], "needs --from"),
            (["--from", "nobody", "--louder", "6"], "no voice is called nobody"),
            (["--from", "ilse", "--louder", "nan"], "up to 60 dB"),
            (["--from", "ilse", "--louder", "0"], "not 0"),
        ],
    )
    def test_what_cannot_be_meant_is_one_line(
        self, options: list[str], words: str, capsys: pytest.CaptureFixture[str]
    ) -> None:
        assert main(["level", str(demo_path()), *options]) == 2
        error = capsys.readouterr().err
        assert words in error
        assert error.count("\n") == 1


def test_level(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(capsys, "level", DEMO, "--from", "mira", "--to", "stream")
    assert code == 0
    assert "Mira to Stream" in out
    assert "voice over noise" in out
    rows = run_json(capsys, "level", DEMO, "--from", "mic-mira", "--to", "desk.main-out")["ladders"]
    assert rows[0]["voice"] == "mira"
    assert rows[0]["rungs"][-1]["node"] == "desk.main-out.l"
    assert "speech_dbu" in rows[0]["rungs"][-1]
    assert len(run_json(capsys, "level", DEMO)["ladders"]) == 8 * 3
    assert run_json(capsys, "level", DEMO, "--to", "ferry", "--from", "tam")["ladders"][0]["to"] == "ferry"
    assert run_json(capsys, "level", DEMO, "--to", "interface", "--from", "tam")["ladders"]


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("level", DEMO, "--from", "nobody"), "no such voice; there are: mira"),
        (("level", DEMO, "--to", "nowhere"), "no such party, device or port"),
        (("level", DEMO, "--from", "mira", "--to", "mic-tam.out.l"), "no such party"),
        (("check", "none.json"), "no such file"),
        (("sheet", DEMO, "-o", "x.odt"), "written as one of"),
        (("take", "none.wav"), "no such file"),
        (("--demo", DEMO), "not both"),
    ],
)
def test_what_cannot_be_used_is_one_line_and_exit_two(
    capsys: pytest.CaptureFixture[str], arguments: tuple[str, ...], words: str
) -> None:
    code, out, err = run(capsys, *arguments)
    assert code == 2
    assert out == ""
    assert words in err
    assert err.count("\n") == 1


def test_without_a_display_the_window_says_so(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    code, _, err = run(capsys, "--demo")
    assert code == 2
    assert "no display" in err
    assert err.count("\n") == 1


def test_take_measures_the_good_and_names_the_bad(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    bad = write_json(tmp_path / "bad.wav", "no audio")
    code, out, err = run(capsys, "take", str(demo_path("room-tone.flac")), str(bad))
    assert code == 2
    assert "noise floor" in out
    assert err.startswith("kymaphon: bad.wav")
    row = run_json(capsys, "take", str(demo_path("voice.flac")))["takes"][0]
    assert row["sample_rate_hz"] == 48000
    assert row["clipped_runs"] == 0
    assert row["noise_floor_dbfs"] < row["rms_dbfs"] < row["peak_dbfs"]


@pytest.mark.parametrize("suffix", ["html", "pdf", "csv"])
def test_sheet(capsys: pytest.CaptureFixture[str], tmp_path: Path, suffix: str) -> None:
    target = tmp_path / f"sheet.{suffix}"
    code, out, _ = run(capsys, "sheet", DEMO, "-o", str(target))
    assert code == 0
    assert "written" in out
    assert target.stat().st_size > 500


def test_schema(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(capsys, "schema")
    assert code == 0
    assert json.loads(out)["properties"]["kymaphon"]


def test_as_a_program_of_its_own(tmp_path: Path) -> None:
    """A fresh interpreter; nothing but the command's answer comes out, and no interface or scipy is loaded for it."""
    code = (
        "import sys; from kymaphon.cli import main; r = main(sys.argv[1:]); assert not {m for m "
        "in "
        "sys.modules if m.startswith(('PySide6', 'scipy', 'networkx'))}; sys.exit(r)"
    )
    done = subprocess.run([sys.executable, "-c", code, "check", DEMO, "--json"], capture_output=True, text=True)
    assert done.returncode == 1, done.stderr
    assert json.loads(done.stdout)["findings"]
    bad = write_json(tmp_path / "x.json", '{"kymaphon": 7}')
    done = subprocess.run([sys.executable, "-m", "kymaphon", "feeds", str(bad)], capture_output=True, text=True)
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1


class TestCast:
    def test_every_place_with_its_microphones(self, capsys: pytest.CaptureFixture[str]) -> None:
        code, out, err = run(capsys, "cast", DEMO)
        assert (code, err) == (0, "")
        assert "Ilse's microphone" in out
        assert "46 cm" in out
        places = run_json(capsys, "cast", DEMO)["places"]
        assert [row["id"] for row in places] == ["boathouse", "slipway", "ferry-deck", "lantern-room"]
        ilse = next(row for row in places[0]["microphones"] if row["party"] == "ilse")
        assert ilse["distance_m"] == pytest.approx(0.46, abs=0.005)
        assert ilse["angle_deg"] == pytest.approx(31, abs=0.5)
        assert ilse["next_loudest"]["source"] == "tam"
        assert {row["turn_deg"] for row in ilse["turns"]} >= {-30.0, -60.0} or ilse["turns"]
        assert len(places[0]["bleed"]) == 9

    def test_one_place(self, capsys: pytest.CaptureFixture[str]) -> None:
        assert [row["id"] for row in run_json(capsys, "cast", DEMO, "--place", "slipway")["places"]] == ["slipway"]

    def test_the_best_for_a_party(self, capsys: pytest.CaptureFixture[str]) -> None:
        data = run_json(capsys, "cast", DEMO, "--best", "crowd")
        assert not data["reached"]
        assert "No placement" in data["sentence"]
        assert {"shielded", "quieter"} <= {row["way"] for row in data["ways"]}
        assert "1 " in run(capsys, "cast", DEMO, "--best", "tam")[1]

    @pytest.mark.parametrize("arguments", [("--place", "moon"), ("--best", "nobody"), ("--best", "stream")])
    def test_what_is_not_there_is_told(self, capsys: pytest.CaptureFixture[str], arguments: tuple[str, ...]) -> None:
        code, out, err = run(capsys, "cast", DEMO, *arguments)
        assert (code, out) == (2, "")
        assert err.count("\n") == 1

    def test_a_show_without_places(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        path = write_json(tmp_path / "none.json", {"kymaphon": 1})
        assert run(capsys, "cast", str(path)) == (0, "no places in this show\n", "")


class TestRig:
    def test_the_chain_power_earths_routes_and_controls_in_words(self, capsys: pytest.CaptureFixture[str]) -> None:
        code, out, err = run(capsys, "rig", DEMO)
        assert (code, err) == (0, "")
        for words in (
            "Mira's microphone, output -> Desk, channel 1: −46.9 dBu",
            "Booster: 3.1 mA, from Desk, channel 2, 37.4 V left",
            "Earth loops: 1",
            "Festoon feed",
            "What each control moves",
        ):
            assert words in out

    def test_json_has_units_in_its_keys(self, capsys: pytest.CaptureFixture[str]) -> None:
        data = run_json(capsys, "rig", DEMO)
        assert {"cables", "phantom", "usb", "earth_loops", "routes", "controls", "pull"} <= set(data)
        first = next(row for row in data["cables"] if row["from"] == "mic-mira.out")
        assert first["level_dbu"] == pytest.approx(-46.88, abs=0.02)
        assert next(row for row in data["usb"])["drawn_ma"] == 420
        assert data["earth_loops"][0]["isolate"]

    def test_a_patch_list_goes_out_and_comes_back(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        listed, made = tmp_path / "p.csv", tmp_path / "new.json"
        assert run(capsys, "rig", DEMO, "--export", str(listed))[0] == 0
        assert run(capsys, "rig", DEMO, "--import", str(listed), "-o", str(made))[0] == 0
        assert read_show(made).cables == read_show(DEMO).cables

    def test_bad_rows_end_it_unless_the_good_are_asked_for(
        self, capsys: pytest.CaptureFixture[str], tmp_path: Path
    ) -> None:
        listed, made = tmp_path / "p.csv", tmp_path / "new.json"
        listed.write_text("from,to,length_m\nmic-mira.out,desk.in1,12\nnobody.out,desk.in2,1\n", encoding="utf-8")
        code, _, err = run(capsys, "rig", DEMO, "--import", str(listed), "-o", str(made))
        assert code == 2
        assert "row 3: from: no output called nobody.out" in err
        assert len(err.strip().splitlines()) == 1
        assert not made.exists()
        assert run(capsys, "rig", DEMO, "--import", str(listed), "-o", str(made), "--partial")[0] == 0
        cable = next(row for row in json.loads(made.read_text())["cables"] if row["to"] == "desk.in1")
        assert cable["length_m"] == 12

    def test_an_import_needs_somewhere_to_go(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        code, _, err = run(capsys, "rig", DEMO, "--import", str(tmp_path / "p.csv"))
        assert code == 2
        assert "-o" in err

    def test_the_pull_list_by_itself(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        out = tmp_path / "pull.csv"
        assert run(capsys, "sheet", DEMO, "-o", str(out), "--list", "pull")[0] == 0
        assert out.read_text(encoding="utf-8").startswith("Sort,What,Take")


class TestLevelWork:
    """The line-up, budgets, the run and safety copies as commands."""

    def test_line_up_is_told_and_written(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        target = tmp_path / "lined-up.json"
        code, out, _ = run(capsys, "level", DEMO, "--line-up", "--json", "-o", str(target))
        assert code == 0
        plan = json.loads(out)["line_up"]
        assert plan["proven"]
        assert all(row["on_mark"] for row in plan["voices"])
        assert "off-mark" not in run(capsys, "check", str(target))[1]
        code, out, _ = run(capsys, "level", DEMO, "--line-up", "--from", "ilse", "--faders", "free")
        assert code == 0
        assert "also moves Mira" in out
        assert "Faders may move too" in out

    def test_budgets_rank_their_moves(self, capsys: pytest.CaptureFixture[str]) -> None:
        code, out, _ = run(capsys, "level", DEMO, "--budget", "--from", "tam", "--json")
        assert code == 0
        for budget in json.loads(out)["budgets"]:
            assert sum(row["share"] for row in budget["shares"]) == pytest.approx(1, abs=1e-3)
            gains = [round(row["buys_db"], 1) for row in budget["moves"]]
            assert gains == sorted(gains, reverse=True)
            assert "booster is worth" in budget["booster"]
        out = run(capsys, "level", DEMO, "--budget", "--from", "tam")[1]
        assert "what each move would buy" in out
        assert "worth it" in out

    def test_the_run_says_what_to_watch(self, capsys: pytest.CaptureFixture[str]) -> None:
        code, out, _ = run(capsys, "level", DEMO, "--run")
        assert code == 0
        assert out.startswith("Headphones on low")
        assert "Pre-fade listen on Desk, channel 1" in out
        rows = json.loads(run(capsys, "level", DEMO, "--run", "--from", "mira", "--json")[1])["run"]
        assert [row["voice"] for row in rows] == ["mira"]
        assert rows[0]["from"] < rows[0]["expected"] < rows[0]["to"]

    def test_a_safety_copy_or_why_not(self, capsys: pytest.CaptureFixture[str]) -> None:
        code, out, _ = run(capsys, "level", DEMO, "--from", "mira", "--safety", "12")
        assert code == 0
        assert "one mix" in out
        assert run(capsys, "level", DEMO, "--safety", "12")[0] == 2
        assert run(capsys, "level", DEMO, "--from", "mira", "--safety", "-3")[0] == 2
        assert run(capsys, "level", DEMO, "-o", "x.json")[0] == 2

    def test_takes_compared(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        import soundfile

        from kymaphon.sim.talker import talk

        names = []
        for name, noise in (("boosted.wav", -66), ("plain.wav", -50)):
            signal = talk(40, 16000, level_dbfs=-20, seed=3)
            signal = signal + np.random.default_rng(noise + 99).normal(0, 10 ** (noise / 20), len(signal))
            soundfile.write(tmp_path / name, signal, 16000, subtype="PCM_24")
            names.append(str(tmp_path / name))
        code, out, _ = run(capsys, "take", *names, "--compare")
        assert code == 0
        assert "boosted.wav is quieter than plain.wav" in out
        assert ": real" in out
        data = json.loads(run(capsys, "take", *names, "--compare", "--json")[1])["comparison"]
        assert data["differences"][0]["real"]
        assert data["differences"][0]["by_db"] == pytest.approx(16, abs=2)
        code, _, err = run(capsys, "take", names[0], "--compare")
        assert code == 2
        assert "at least two" in err


class TestGate:
    TALK, ROOM = str(demo_path("guest-talk.flac")), str(demo_path("guest-room.flac"))

    def test_json_has_the_published_shape(self, capsys: pytest.CaptureFixture[str]) -> None:
        row = run_json(capsys, "gate", self.TALK, "--noise", self.ROOM)
        keys = (
            "open_dbfs close_dbfs attack_ms hold_ms release_ms range_db words words_clipped "
            "onset_lost_ms noise_open_ratio chatter_per_min snr_db schools"
        )
        assert set(keys.split()) <= set(row)
        assert row["words"] > 30
        assert row["words_clipped"] == 0
        assert row["close_dbfs"] < row["open_dbfs"] < row["speech_dbfs"]
        assert row["snr_db"] == pytest.approx(19.6, abs=0.5)
        assert [school["id"] for school in row["schools"]] == ["start-values", "times-10", "times-25", "none"]
        assert row["schools"][1]["hold_ms"] == 10
        assert "open_dbfs" not in row["schools"][3]
        assert row["noise_kind"] == ["rumble"]
        assert row["low_cut_choice"]["corner_hz"] < 120

    def test_words_lines_and_the_gated_sound(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        import soundfile

        out, text = tmp_path / "gated.wav", tmp_path / "gate.txt"
        code, words, err = run(
            capsys,
            "gate",
            self.TALK,
            "--noise",
            self.ROOM,
            "--low-cut",
            "auto",
            "--prefer",
            "never-eat",
            "--render",
            str(out),
            "--preset",
            str(text),
            "--look-ahead",
            "3",
            "--detector",
            "rms",
            "--range",
            "60",
        )
        assert code == 0
        assert "written" in err
        assert "words eaten" in words
        assert "range 60.0 dB" in words
        assert "[low cut]" in text.read_text()
        dry, _ = soundfile.read(self.TALK)
        gated, rate = soundfile.read(out)
        assert (len(gated), rate) == (len(dry), 32000)
        assert np.abs(gated[1000:30000]).max() < np.abs(dry[1000:30000]).max() / 100

    def test_a_gate_that_one_has_is_judged_and_heard(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        text, out = tmp_path / "gate.txt", tmp_path / "gated.flac"
        run(capsys, "gate", self.TALK, "--noise", self.ROOM, "--preset", str(text))
        code, words, err = run(
            capsys, "gate", self.TALK, "--noise", self.ROOM, "--settings", str(text), "--render", str(out)
        )
        assert code == 0
        assert "0 of 39 words eaten" in words
        assert "It works." in words
        assert "written" in err
        assert out.stat().st_size > 10000
        # 20 dB higher it eats most words, and says which part of each.
        lines = [f"open: {-15.0} dBFS" if row.startswith("open:") else row for row in text.read_text().splitlines()]
        text.write_text("\n".join(lines) + "\n")
        row = run_json(capsys, "gate", self.TALK, "--noise", self.ROOM, "--settings", str(text))
        assert not row["works"]
        assert row["words_clipped"] > 10
        assert {eaten["part"] for eaten in row["eaten"]}
        for more, words in (
            (("--settings", str(text), "--range", "20"), "--range is for finding a gate"),
            (("--settings", str(tmp_path / "none.txt")), "No such file"),
        ):
            code, _, err = run(capsys, "gate", self.TALK, *more)
            assert code == 2
            assert words in err
            assert err.count("\n") == 1

    def test_what_the_unit_could_do_too(self, capsys: pytest.CaptureFixture[str]) -> None:
        row = run_json(capsys, "gate", self.TALK, "--noise", self.ROOM, "--options")
        assert [option["id"] for option in row["options"]] == ["detector", "look-ahead", "key-low-cut"]
        assert row["options"][1]["look_ahead_ms"] == 10
        assert row["options"][2]["key_low_hz"] == 150
        assert all(option["buys"] for option in row["options"])

    def test_loudspeakers(self, capsys: pytest.CaptureFixture[str]) -> None:
        row = run_json(capsys, "gate", self.TALK, "--noise", self.ROOM, "--music", str(demo_path("jingle.flac")))
        assert row["loudspeakers"]["value_db"] < 0
        assert (
            "Turn the loudspeakers down" in run(capsys, "gate", self.TALK, "--music", str(demo_path("jingle.flac")))[1]
        )

    @pytest.mark.parametrize(
        ("more", "words"),
        [
            (("--low-cut", "deep"), "a corner in Hz, or auto"),
            (("--low-cut", "3"), "10 to 1000 Hz"),
            (("--look-ahead", "500"), "0 to 100 ms"),
            (("--range", "-4"), "0 to 120 dB"),
            (("--channel", "3"), "channel 3 is wanted"),
            (("--noise", "none.wav"), "no such file"),
            (("--render", str(demo_path("guest-talk.flac"))), "is what is being read here"),
            (("--render", "out.xyz"), "ending"),
        ],
    )
    def test_what_cannot_be_used_says_so(
        self, capsys: pytest.CaptureFixture[str], more: tuple[str, ...], words: str
    ) -> None:
        code, out, err = run(capsys, "gate", self.TALK, *more)
        assert code == 2
        assert out == ""
        assert words in err
        assert err.count("\n") == 1

    def test_a_take_without_speech_is_explained(self, capsys: pytest.CaptureFixture[str]) -> None:
        code, _, err = run(capsys, "gate", self.ROOM)
        assert code == 2
        assert "no speech found" in err


@pytest.mark.parametrize(
    ("more", "words"),
    [
        (("--group", "1;2"), "--group names channels"),
        (("--group", "9"), "channel"),
        (("--group", "1,1"), "channel"),
        (("--group", "0"), "channel"),
        (("--layout", "5.1"), "5.1"),
    ],
)
def test_channels_that_are_not_there_are_refused(
    capsys: pytest.CaptureFixture[str], more: tuple[str, ...], words: str
) -> None:
    code, out, err = run(capsys, "take", str(demo_path("jingle.flac")), *more)
    assert code == 2
    assert out == ""
    assert words in err
    assert err.count("\n") == 1


def test_the_tone_is_read_along_the_way(capsys: pytest.CaptureFixture[str]) -> None:
    code, words, _ = run(capsys, "level", DEMO, "--from", "mira", "--to", "stream", "--tone")
    assert code == 0
    first = next(row for row in words.splitlines() if "Desk, channel 1, after gain" in row)
    assert "4.0 dBu" in first
    assert "VU meter 0.0 VU" in first
    row = run_json(capsys, "level", DEMO, "--from", "mira", "--to", "stream")["ladders"][0]
    assert row["tone"][0]["meters"]["vu_vu"] == pytest.approx(0)


def test_new_composes_a_show_that_has_nothing_wrong(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "new.json"
    options = ["--room", "2", "--remote", "1", "--record", "each", "--stream", "--have", "interface-2", "--json"]
    assert main(["new", "-o", str(path), *options]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["findings"]["stop"] == told["findings"]["fix"] == 0
    assert told["steps"]
    assert "interface-2" not in told["to_get"]
    assert main(["check", str(path), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)["findings"]
    assert not [row for row in found if row["severity"] != "note"]


@pytest.mark.parametrize(
    "options", [["--start", "opera"], ["--size", "big"], ["--have", "x*y"], ["--have", "*3"], ["--have", "laptop*0"]]
)
def test_new_says_what_it_cannot_use(tmp_path: Path, capsys: pytest.CaptureFixture[str], options: list[str]) -> None:
    path = tmp_path / "new.json"
    assert main(["new", "-o", str(path), *options]) == 2
    assert capsys.readouterr().err.startswith("kymaphon: ")
    assert not path.exists()


def test_new_writes_over_no_show(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "new.json"
    assert main(["new", "-o", str(path), "--start", "song"]) == 0
    before = path.read_bytes()
    assert main(["new", "-o", str(path), "--start", "podcast"]) == 2
    assert path.read_bytes() == before
