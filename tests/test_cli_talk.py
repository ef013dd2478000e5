"""The command `talk`: circuits, checks, schedule, allotment, lines, sheets, and everything that it refuses."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import pypdf
import pytest

from kymaphon.cli import main
from kymaphon.files.demo import FAULTY, FINAL, REPAIRED, demo_path
from kymaphon.files.show_file import read_show, write_show
from tests.core.hand_typed import podcast_for_two
from tests.core.talk.rigs import van

FINAL_SHOW = str(demo_path(FINAL))


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> str:
    assert main(["talk", *arguments]) == 0
    return capsys.readouterr().out


def data(capsys: pytest.CaptureFixture[str], *arguments: str) -> dict:
    found: dict = json.loads(said(capsys, *arguments, "--json"))
    return found


class TestSecondAct:
    def test_circuits_with_who_speaks_by_which_key_and_what_comes(self, capsys: pytest.CaptureFixture[str]) -> None:
        out = said(capsys, FINAL_SHOW)
        assert "Production (production)" in out
        assert "Wren: speaks by Talkback matrix, Key 1 to 3 (momentary)" in out
        assert "Camera 4: hears" in out
        assert "Perrin answers" in out

    def test_check_tells_what_is_wrong_what_cures_it_and_what_is_proven(
        self, capsys: pytest.CaptureFixture[str]
    ) -> None:
        out = said(capsys, FINAL_SHOW, "--check")
        assert "Stop: While Wren talks" in out
        assert "Release Talkback matrix, Key 1 to 8" in out
        assert "Odile on Commentary: by wire never to air, a recorder or a loudspeaker, in every position of" in out

    def test_json_has_one_document_with_units_in_its_keys(self, capsys: pytest.CaptureFixture[str]) -> None:
        found = data(capsys, FINAL_SHOW)
        assert [row["id"] for row in found["circuits"]][:2] == ["production", "commentary"]
        way = next(
            row for row in found["circuits"][0]["ways"] if (row["speaker"], row["listener"]) == ("wren", "cam-1")
        )
        assert way["level_db_spl"] == pytest.approx(78.8, abs=0.2)
        assert way["state"] == "heard"
        assert 0 <= way["intelligibility_index"] <= 1
        lazy = next(row for row in found["proofs"] if row["speaker"] == "odile" and row["circuit"] == "commentary")
        assert lazy["proven"] is True
        assert found["lines"][0]["number"] == "LQ 4471"

    def test_everything_at_once(self, capsys: pytest.CaptureFixture[str]) -> None:
        found = data(capsys, FINAL_SHOW, "--check", "--schedule", "--allot", "--lines")
        assert {"findings", "schedule", "allotment", "lines"} <= set(found)
        assert {row["code"] for row in found["findings"]} >= {"talk-on-air", "camera-video-only"}

    def test_the_schedule(self, capsys: pytest.CaptureFixture[str]) -> None:
        found = data(capsys, FINAL_SHOW, "--schedule")["schedule"]
        assert found["told_from_the_show"] is True
        assert found["length_min"] >= found["bound_min"]
        assert found["tasks"][0]["sort"] == "communications"
        assert any(row["critical"] for row in found["tasks"])
        later = data(capsys, FINAL_SHOW, "--schedule", "--now", "2026-08-15T13:00:00+01:00")["schedule"]
        assert later["spare_min"] < 0
        assert later["drops"]

    def test_late_it_says_what_to_leave_out(self, capsys: pytest.CaptureFixture[str]) -> None:
        out = said(capsys, FINAL_SHOW, "--schedule", "--now", "2026-08-15T11:40:00+01:00")
        assert "min too late for stand-by" in out
        assert "Costs: nobody has run it once." in out

    def test_the_allotment(self, capsys: pytest.CaptureFixture[str]) -> None:
        out = said(capsys, FINAL_SHOW, "--allot")
        assert "none is better." in out
        assert "[Odile], group 1" in out
        assert "[Far crowd mi], group 3" in out
        tight = data(capsys, FINAL_SHOW, "--allot", "--spares", "23")["allotment"]
        assert tight["proven"] in (True, False)

    def test_the_lines_and_their_reserve(self, capsys: pytest.CaptureFixture[str]) -> None:
        out = said(capsys, FINAL_SHOW, "--lines")
        assert "Programme, main (LQ 4471): fed by Desk, mono out" in out
        assert "If Programme, main fails: Over to Programme, reserve." in out


class TestSheets:
    @pytest.mark.parametrize("what", ["", "--schedule", "--allot", "--lines"])
    def test_a_page_each(self, capsys: pytest.CaptureFixture[str], tmp_path: Path, what: str) -> None:
        page, pdf = tmp_path / "a.html", tmp_path / "a.pdf"
        asked = [what] if what else []
        said(capsys, FINAL_SHOW, *asked, "-o", str(page))
        said(capsys, FINAL_SHOW, *asked, "-o", str(pdf))
        text = page.read_text(encoding="utf-8")
        assert "Lantern Quay" in text
        assert "Rowing final" in text or what == "--lines"
        assert len(pypdf.PdfReader(pdf).pages) == 1

    def test_the_channel_list_as_csv(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        path = tmp_path / "channels.csv"
        said(capsys, FINAL_SHOW, "--allot", "-o", str(path))
        rows = list(csv.reader(io.StringIO(path.read_text(encoding="utf-8"))))
        assert rows[0][:2] == ["Channel", "Label"]
        assert len(rows) == 25

    def test_the_work_onto_the_list(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        path = tmp_path / "with-work.json"
        out = said(capsys, FINAL_SHOW, "--add-work", "-o", str(path))
        show = read_show(path)
        assert out == f"{len(show.tasks)} tasks put on the list.\n"
        assert len(show.tasks) > 20
        again = tmp_path / "again.json"
        assert said(capsys, str(path), "--add-work", "-o", str(again)) == "0 tasks put on the list.\n"
        assert data(capsys, str(path), "--schedule")["schedule"]["told_from_the_show"] is False


class TestOneLine:
    def test_a_podcast_for_two_has_one_plain_line(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        path = tmp_path / "two.json"
        write_show(path, podcast_for_two())
        out = said(capsys, str(path))
        assert len(out.strip().splitlines()) == 1
        assert "speaks to" in out
        assert "agree a call or a message" in out
        assert said(capsys, str(path), "--check") == out

    @pytest.mark.parametrize("name", [FAULTY, REPAIRED])
    def test_the_first_act_too(self, capsys: pytest.CaptureFixture[str], name: str) -> None:
        assert said(capsys, str(demo_path(name))).startswith("Mira speaks to ")

    def test_nobody_there(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        path = tmp_path / "empty.json"
        path.write_text('{"kymaphon": 1}')
        assert said(capsys, str(path)) == "Nobody who leads speaks in this show.\n"
        assert said(capsys, str(path), "--schedule").startswith("Nothing is to be done")
        assert said(capsys, str(path), "--lines") == "There are no lines out in this show.\n"


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--now", "noon", "--schedule"], 'kymaphon: --now "noon" is no time'),
        (["--now", "2026-08-15T10:00", "--schedule"], "has no offset from UTC"),
        (["--desk", "table", "--allot"], "there is no desk table; there are desk"),
        (["--spares", "-1", "--allot"], "--spares cannot be less than none"),
        (["--add-work"], "--add-work needs -o"),
        (["--schedule", "--allot", "-o", "x.html"], "-o writes one of them"),
        (["-o", "x.txt"], "is written as one of"),
    ],
)
def test_what_cannot_be_is_told_in_one_line(
    capsys: pytest.CaptureFixture[str],
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    arguments: list[str],
    words: str,
) -> None:
    monkeypatch.chdir(tmp_path)
    assert main(["talk", FINAL_SHOW, *arguments]) == 2
    told = capsys.readouterr().err
    assert words in told
    assert told.count("\n") == 1


def test_a_show_without_a_desk(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    path = tmp_path / "van.json"
    write_show(
        path, van(lambda rows: rows.update(devices=[row for row in rows["devices"] if row["id"] != "desk"], cables=[]))
    )
    assert main(["talk", str(path), "--allot"]) == 2
    assert "there is no desk in this show" in capsys.readouterr().err


def test_the_show_itself_is_not_written_over(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    path = tmp_path / "show.json"
    path.write_bytes(Path(FINAL_SHOW).read_bytes())
    before = path.read_bytes()
    assert main(["talk", str(path), "-o", str(path)]) == 2
    assert path.read_bytes() == before
