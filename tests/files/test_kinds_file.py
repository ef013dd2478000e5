"""The user's own kinds in and out: JSON, CSV as spreadsheets write it, the shelf, and files that nobody should make."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.cli import main
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.catalogue.recipe import (
    PATTERNS,
    DeskRecipe,
    MicrophoneRecipe,
    PlayerRecipe,
    recipe_of,
)
from kymaphon.core.model.show import Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.kinds_file import (
    put_on_shelf,
    read_kinds,
    read_shelf,
    shelf_path,
    take_off_shelf,
    write_kinds,
)
from kymaphon.files.row_file import RowProblems
from tests.budget import tries

MIC = MicrophoneRecipe(id="my-mic", name="My microphone", sensitivity_dbv_pa=-44, phantom_ma=2.5, pattern="gun")
PLAYER = PlayerRecipe(id="my-player", name="=HYPERLINK(1)", about='-1 says; "quoted"', max_dbu=4.5)
DESK = DeskRecipe(id="my-desk", name="My desk", mic_channels=3, line_channels=1, sends=2)
OWN = (MIC.kind(), PLAYER.kind(), DESK.kind())


@pytest.mark.parametrize("suffix", [".json", ".csv"])
def test_out_and_in_again_is_the_same(tmp_path: Path, suffix: str) -> None:
    path = tmp_path / f"kinds{suffix}"
    assert write_kinds(path, OWN) == ()
    assert read_kinds(path) == OWN


def test_every_shipped_kind_goes_through_json(tmp_path: Path) -> None:
    path = tmp_path / "all.json"
    write_kinds(path, shipped_catalogue())
    assert read_kinds(path) == tuple(shipped_catalogue())


def test_csv_says_what_a_row_cannot_hold(tmp_path: Path) -> None:
    left = write_kinds(tmp_path / "some.csv", shipped_catalogue())
    ids = {kind.id for kind in left}
    assert "call-codec" in ids
    assert "dynamic-close" not in ids


def test_cells_are_harmless(tmp_path: Path) -> None:
    path = tmp_path / "kinds.csv"
    write_kinds(path, OWN)
    rows = list(csv.reader(io.StringIO(path.read_text())))
    text = [cell for row in rows for cell in row if cell]
    assert "'=HYPERLINK(1)" in text
    assert not [cell for cell in text if cell[0] in "=+@"]
    assert "-44" in text, "a number may begin with a minus"


@given(
    st.builds(
        MicrophoneRecipe,
        id=st.just("m"),
        name=st.text("abc =+-@'\";,\n", min_size=1, max_size=9).map(lambda t: f"x{t}".strip()),
        pattern=st.sampled_from(PATTERNS),
        sensitivity_dbv_pa=st.integers(-80, 0).map(float),
        self_noise_dba=st.none() | st.integers(0, 40).map(float),
        worn=st.sampled_from([None, "chest", "head"]),
        nearest_m=st.just(0.05),
        farthest_m=st.sampled_from([0.2, 1.5]),
    )
)
@settings(max_examples=tries(13))
def test_any_recipe_comes_back(recipe: MicrophoneRecipe) -> None:
    assert recipe_of(recipe.kind()) == recipe


class TestSpreadsheets:
    HEAD = "group,id,name,pattern,sensitivity_dbv_pa,nearest_m,farthest_m"

    def read(self, tmp_path: Path, text: str | bytes) -> Any:
        path = tmp_path / "list.csv"
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return read_kinds(path)

    @pytest.mark.parametrize("separator", [",", ";", "\t"])
    def test_separators_and_byte_order_marks(self, tmp_path: Path, separator: str) -> None:
        text = f"\ufeff{self.HEAD}\r\nmicrophone,a,A,cardioid,-50,0.1,0.4\r\n".replace(",", separator)
        (kind,) = self.read(tmp_path, text)
        assert kind.microphone.sensitivity_dbv_pa == -50

    def test_decimal_commas_and_true_minus_signs(self, tmp_path: Path) -> None:
        text = f"{self.HEAD}\nmicrophone,a,A,cardioid,\u221250.5,0.1,0.4\n".replace(",", ";").replace(".", ",")
        (kind,) = self.read(tmp_path, text)
        assert kind.microphone.sensitivity_dbv_pa == -50.5
        assert kind.microphone.nearest_m == 0.1

    def test_empty_rows_and_cells_are_let_pass(self, tmp_path: Path) -> None:
        (kind,) = self.read(tmp_path, f"{self.HEAD}\n,,,,,,\nmicrophone,a,A,,,,\n\n")
        assert kind.microphone.pattern == "cardioid"

    def test_bad_rows_are_numbered_and_the_good_ones_kept_apart(self, tmp_path: Path) -> None:
        rows = [
            "microphone,a,A,cardioid,-50,0.1,0.4",
            "microphone,b,B,heart,-50,0.1,0.4",
            "kazoo,c,C,,,,",
            "microphone,a,A,,,,",
            "microphone,d,D,omni,loud,0.1,0.4",
            "microphone,e,E,omni,-40,0.5,0.4",
        ]
        with pytest.raises(RowProblems) as caught:
            self.read(tmp_path, "\n".join([self.HEAD, *rows]))
        problem = caught.value
        assert [kind.id for kind in problem.good] == ["a"]
        assert [text.partition(":")[0] for text in problem.problems] == [
            "row 3",
            "row 4",
            "row 5",
            "row 6",
            "row 7",
        ]
        assert "\n" not in str(problem)

    @pytest.mark.parametrize(
        ("text", "words"),
        [
            ("", "empty"),
            ("a,b\n1,2\n", "column"),
            ("group,id,name,group\n", "twice"),
            ("group,id,name,colour\n", "colour"),
            ('group,id,name\nmicrophone,a,"A\n', "CSV"),
            (b"\xff\xfe\x00", "UTF-8"),
        ],
    )
    def test_what_is_no_list_is_refused_in_one_line(self, tmp_path: Path, text: str | bytes, words: str) -> None:
        with pytest.raises(FileProblem, match=words) as caught:
            self.read(tmp_path, text)
        assert "\n" not in str(caught.value)

    def test_ten_thousand_rows_are_read(self, tmp_path: Path) -> None:
        text = "\n".join([self.HEAD, *(f"microphone,m{n},M,cardioid,-50,0.1,0.4" for n in range(10000))])
        assert len(self.read(tmp_path, text)) == 10000


class TestJson:
    @pytest.mark.parametrize(
        "text",
        [
            "",
            "{",
            "[]",
            "{}",
            '{"kymaphon_kinds": 9, "kinds": []}',
            '{"kymaphon_kinds": true, "kinds": []}',
            '{"kymaphon_kinds": 1, "kinds": 3}',
            '{"kymaphon_kinds": 1, "kinds": [7]}',
            '{"kymaphon_kinds": 1, "kinds": [{"id": "x"}]}',
            '{"kymaphon_kinds": 1, "kinds": [{"id": "x", "name": "X", "group": "desk"}, {"id": "x", "name": "X", "group": "desk"}]}',
        ],
    )
    def test_what_is_no_list_of_kinds_is_refused(self, tmp_path: Path, text: str) -> None:
        path = tmp_path / "kinds.json"
        path.write_text(text)
        with pytest.raises(FileProblem) as caught:
            read_kinds(path)
        assert "\n" not in str(caught.value)

    def test_another_ending_is_refused(self, tmp_path: Path) -> None:
        with pytest.raises(FileProblem, match=r"\.json or \.csv"):
            write_kinds(tmp_path / "kinds.xls", OWN)


class TestShelf:
    def test_it_is_empty_then_holds_then_lets_go(self) -> None:
        assert read_shelf() == ()
        put_on_shelf(*OWN)
        assert read_shelf() == OWN
        louder = MIC.with_(max_db_spl=150).kind()
        put_on_shelf(louder)
        assert read_shelf()[0] == louder
        take_off_shelf("my-mic")
        assert [kind.id for kind in read_shelf()] == ["my-player", "my-desk"]

    def test_a_damaged_shelf_is_told_and_never_written_over(self) -> None:
        shelf_path().parent.mkdir(parents=True, exist_ok=True)
        shelf_path().write_text("not a shelf")
        with pytest.raises(FileProblem):
            put_on_shelf(*OWN)
        assert shelf_path().read_text() == "not a shelf"

    def test_by_command(self, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
        path = tmp_path / "kinds.json"
        write_kinds(path, OWN)
        assert main(["kinds", "--import", str(path), "--json"]) == 0
        assert [row["id"] for row in json.loads(capsys.readouterr().out)["kinds"]] == [kind.id for kind in OWN]
        assert main(["kinds", "--export", str(tmp_path / "out.csv"), "--kind", "my-mic"]) == 0
        assert [kind.id for kind in read_kinds(tmp_path / "out.csv")] == ["my-mic"]
        assert main(["kinds", "--remove", "my-desk"]) == 0
        assert main(["kinds", "--remove", "my-desk"]) == 2
        assert main(["kinds"]) == 0
        assert "2 of your own" in capsys.readouterr().out

    def test_good_rows_are_taken_only_when_asked(self, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
        path = tmp_path / "list.csv"
        path.write_text("group,id,name\nmicrophone,a,A\nkazoo,b,B\n")
        assert main(["kinds", "--import", str(path)]) == 2
        assert read_shelf() == ()
        assert "row 3" in capsys.readouterr().err
        assert main(["kinds", "--import", str(path), "--partial"]) == 0
        assert [kind.id for kind in read_shelf()] == ["a"]


def test_own_kinds_work_in_a_show() -> None:
    show = Show.model_validate(
        {
            "kymaphon": 1,
            "kinds": [kind.model_dump(by_alias=True) for kind in OWN],
            "places": [{"id": "p", "name": "P"}],
            "parties": [
                {"id": "ann", "name": "Ann", "kind": "guest", "place": "p", "speaks": True},
                {"id": "tune", "name": "Tune", "kind": "player", "speaks": True, "plays_on": "player.out"},
                {"id": "ear", "name": "Ear", "kind": "crew", "listens": True, "hears_on": "phones"},
            ],
            "devices": [
                {"id": "mic", "kind": "my-mic", "place": "p", "party": "ann"},
                {"id": "player", "kind": "my-player"},
                {"id": "desk", "kind": "my-desk", "settings": {"in1": {"gain_db": 30, "phantom": True}}},
                {"id": "phones", "kind": "headphones"},
            ],
            "cables": [
                {"from": "mic.out", "to": "desk.in1"},
                {"from": "player.out.l", "to": "desk.in4"},
                {"from": "desk.phones", "to": "phones.in"},
            ],
        }
    )
    feeds = analyse(show).feeds
    assert feeds["ear", "ann"].gain_db is not None
    assert feeds["ear", "tune"].gain_db is not None
