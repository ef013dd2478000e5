"""The command `book`: the log, a moment reviewed, notes, the memory, shows carried over, compared and put away; what it refuses."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import numpy as np
import pytest
import soundfile

from kymaphon.cli import main
from kymaphon.files.demo import EVENING, demo_path
from kymaphon.files.show_file import read_show, write_show
from tests.core.book.evenings import ran


@pytest.fixture(scope="module")
def evening(tmp_path_factory: pytest.TempPathFactory) -> str:
    path = tmp_path_factory.mktemp("book") / "evening.json"
    write_show(path, ran())
    return str(path)


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> str:
    assert main(["book", *arguments]) == 0
    return capsys.readouterr().out


class TestLog:
    def test_by_words_and_sort(self, capsys: pytest.CaptureFixture[str], evening: str) -> None:
        out = said(capsys, evening, "--search", "ferry", "--sort", "incident")
        assert out == "2026-11-06 19:26:18  Incident       Ferry gone for 14 s\n"
        data = json.loads(said(capsys, evening, "--sort", "note", "--json"))
        assert [row["text"] for row in data["log"]] == ["Clipped: Tam laughs"]
        assert said(capsys, evening, "--search", "nothing like it") == "Nothing in the log fits.\n"

    def test_as_a_list(self, capsys: pytest.CaptureFixture[str], evening: str, tmp_path: Path) -> None:
        said(capsys, evening, "-o", str(tmp_path / "log.csv"))
        rows = list(csv.DictReader((tmp_path / "log.csv").read_text(encoding="utf-8").splitlines()))
        assert len(rows) == 23
        assert rows[-1]["sort"] == "air"


class TestReview:
    @pytest.mark.parametrize("at", ["+26:18", "19:26:18", "2026-11-06T19:26:18+00:00", "2026-11-06 19:26:18"])
    def test_a_moment_however_it_is_said(self, capsys: pytest.CaptureFixture[str], evening: str, at: str) -> None:
        out = said(capsys, evening, "--review", at)
        assert "On: Round the table." in out
        assert "Ferry heard: Mira, Tam, Ilse." in out

    def test_a_page_and_json(self, capsys: pytest.CaptureFixture[str], evening: str, tmp_path: Path) -> None:
        said(capsys, evening, "--review", "+26:18", "-o", str(tmp_path / "i.pdf"))
        assert (tmp_path / "i.pdf").read_bytes().startswith(b"%PDF")
        data = json.loads(said(capsys, evening, "--review", "+9:00", "--json"))
        assert (data["segment"], data["show_s"]) == ("interview", 540.0)

    @pytest.mark.parametrize("at", ["soon", "+x", "2026-99-99", "+-5"])
    def test_what_is_no_time(self, capsys: pytest.CaptureFixture[str], evening: str, at: str) -> None:
        assert main(["book", evening, "--review", at]) == 2
        assert "is no time" in capsys.readouterr().err


class TestNotes:
    def test_in_the_format_of_the_name(self, capsys: pytest.CaptureFixture[str], evening: str, tmp_path: Path) -> None:
        assert said(capsys, evening, "--notes", str(tmp_path / "n.edl.txt")) == "12 points written.\n"
        assert "check   Interview with the boatbuilder  Clipped: Tam laughs" in (tmp_path / "n.edl.txt").read_text()
        assert main(["book", evening, "--notes", str(tmp_path / "n.doc")]) == 2

    def test_into_a_recording_that_began_earlier(
        self, capsys: pytest.CaptureFixture[str], evening: str, tmp_path: Path
    ) -> None:
        wav = tmp_path / "r.wav"
        soundfile.write(wav, np.zeros(8000 * 60), 8000)
        out = said(capsys, evening, "--mark", str(wav), "--begins", "18:59:50", "-o", str(tmp_path / "m.wav"))
        assert out.startswith("2 cue points")
        assert main(["book", evening, "--mark", str(wav), "-o", str(wav)]) == 2
        assert main(["book", evening, "--mark", str(wav)]) == 2


class TestShows:
    def test_remembered_and_proposed(self, capsys: pytest.CaptureFixture[str], evening: str, tmp_path: Path) -> None:
        assert said(capsys, evening, "--memory") == "Nothing that is remembered fits this show.\n"
        assert said(capsys, evening, "--remember").startswith("Remembered: ")
        said(capsys, evening, "--next-week", "-o", str(tmp_path / "next.json"))
        out = said(capsys, str(tmp_path / "next.json"), "--memory")
        assert "Tam, gain: 36.0 dB; one time only: a guess." in out
        data = json.loads(said(capsys, str(tmp_path / "next.json"), "--memory", "--json"))
        row = next(one for one in data["proposals"] if (one["name"], one["what"]) == ("Ilse", "distance"))
        assert row["usual_m"] == pytest.approx(0.15, abs=0.01)
        assert "figures are gone" in said(capsys, evening, "--forget", "Tam")
        assert "Tam" not in said(capsys, str(tmp_path / "next.json"), "--memory")

    def test_next_week_never_writes_over_last_week(self, capsys: pytest.CaptureFixture[str], evening: str) -> None:
        assert main(["book", evening, "--next-week", "-o", evening]) == 2
        assert main(["book", evening, "--next-week"]) == 2
        assert read_show(evening).log

    def test_compared(self, capsys: pytest.CaptureFixture[str], evening: str) -> None:
        out = said(capsys, evening, "--compare", str(demo_path(EVENING)))
        assert "Desk, channel 2, gain: +40.0 dB there, +36.0 dB here." in out
        assert said(capsys, evening, "--compare", evening) == "They are the same.\n"

    def test_put_away_and_back(self, capsys: pytest.CaptureFixture[str], evening: str, tmp_path: Path) -> None:
        said(capsys, evening, "--archive", str(tmp_path / "a.zip"))
        out = said(capsys, str(tmp_path / "a.zip"), "--unpack", "-o", str(tmp_path))
        path = Path(out.removeprefix("Unpacked: ").strip())
        assert read_show(path).title == "Lantern Quay"
        assert main(["book", str(tmp_path / "a.zip"), "--unpack"]) == 2
        assert main(["book", evening, "--unpack", "-o", str(tmp_path)]) == 2
        assert main(["book", evening, "--archive", evening]) == 2

    def test_two_at_once_are_refused(self, capsys: pytest.CaptureFixture[str], evening: str) -> None:
        assert main(["book", evening, "--memory", "--remember"]) == 2
        assert "not both" in capsys.readouterr().err
        assert main(["book", evening, "--sort", "nonsense"]) == 2
