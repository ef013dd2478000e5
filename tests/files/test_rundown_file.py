"""The rundown as a list: what is written is read again, by us and by the standard reader; what is wrong is told by row."""

from __future__ import annotations

import csv
import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kymaphon.cli import main
from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.model.rundown import Play, Segment, Topic
from kymaphon.core.model.show import Show
from kymaphon.core.report.rundown import COLUMNS, rundown_list
from kymaphon.files.demo import EVENING, demo_path
from kymaphon.files.errors import FileProblem
from kymaphon.files.row_file import RowProblems
from kymaphon.files.rundown_file import read_rundown, write_rundown
from kymaphon.files.sheet_file import table_csv
from kymaphon.files.show_file import read_show

TONIGHT = str(demo_path(EVENING))
words = (
    st.text(
        st.characters(blacklist_categories=("Cs", "Cc", "Zl", "Zp"), blacklist_characters="|"), min_size=1, max_size=12
    )
    .map(str.strip)
    .filter(lambda text: bool(text) and not text.startswith("'"))
)
spans = st.none() | st.integers(0, 5000).map(float)
plays = st.builds(
    Play,
    party=st.just("jingles"),
    title=words | st.just(""),
    length_s=spans,
    follow=st.sampled_from(("single", "run-on")),
    under=st.booleans(),
    can_drop=st.booleans(),
)
topics = st.builds(
    Topic,
    text=words.filter(lambda text: ":" not in text and not text.endswith(")")),
    party=st.sampled_from((None, "tam")),
    minutes=st.none() | st.integers(1, 90).map(float),
)


@pytest.fixture(scope="module")
def tonight() -> Show:
    return read_show(TONIGHT)


@given(
    st.lists(
        st.builds(
            Segment,
            id=st.just("x"),
            name=words,
            length_s=spans,
            sort=st.sampled_from(("talk", "music", "other")),
            open=st.lists(st.sampled_from(("mira", "tam", "ferry")), unique=True).map(tuple),
            plays=st.lists(plays, max_size=2).map(tuple),
            can_drop=st.booleans(),
            ends_by=st.none() | st.just(datetime(2026, 8, 14, 19, 30, tzinfo=UTC)),
            note=words | st.just(""),
            topics=st.lists(topics, max_size=2).map(tuple),
        ),
        min_size=1,
        max_size=3,
    )
)
def test_what_is_written_is_read_again(rows: list[Segment]) -> None:
    show = _SHOW
    given = tuple(row.model_copy(update={"id": f"s{n}"}) for n, row in enumerate(rows))
    text = table_csv(rundown_list(replace(_FIGURES, show=show.model_copy(update={"rundown": given}))))
    assert next(iter(csv.reader(text.splitlines()))) == list(COLUMNS)
    path = Path(f"{_FOLDER}/rundown.csv")
    path.write_text(text, encoding="utf-8", newline="")
    assert read_rundown(path, show) == given


@pytest.fixture(autouse=True, scope="module")
def _folder(tmp_path_factory: pytest.TempPathFactory) -> None:
    global _FOLDER
    _FOLDER = str(tmp_path_factory.mktemp("rundown"))


_FOLDER = ""
_SHOW = read_show(TONIGHT)
_FIGURES = figures_of(_SHOW)


def read(tmp_path: Path, text: str, show: Show) -> tuple[Segment, ...]:
    path = tmp_path / "list.csv"
    path.write_text(text, encoding="utf-8")
    return read_rundown(path, show)


class TestReading:
    def test_as_somebody_types_it(self, tmp_path: Path, tonight: Show) -> None:
        text = "Segment;Duration;Who;Start\nHello;1:30;Mira, Tam;\nSong, long;3m;trio;19:02\nLate;10;;0:15\n"
        rows = read(tmp_path, text, tonight)
        assert [(row.id, row.name, row.length_s, row.open) for row in rows] == [
            ("hello", "Hello", 90, ("mira", "tam")),
            ("song-long", "Song, long", 180, ("trio",)),
            ("late", "Late", 10, ()),
        ]
        air = tonight.air_at
        assert air is not None
        assert rows[1].starts_at == air + timedelta(minutes=2)
        assert rows[2].starts_at == air + timedelta(hours=5, minutes=15)

    @pytest.mark.parametrize(
        ("line", "told"),
        [
            ("A,-4:00,,", "row 2: -4:00 is below nothing"),
            ("A,soon,,", "row 2: soon is no length"),
            ("A,1:00,nobody,", "row 2: nobody called nobody"),
            ("A,1:00,mirra,", "did you mean mira?"),
            ("A,1:00,stream,", "row 2: stream is never heard"),
            ("A,1:00,,25:70", "row 2: 25:70 is no time of day"),
            (",1:00,,", "row 2: has no name"),
            ("A,1:00,,,extra", "row 2: has 5 cells"),
        ],
    )
    def test_what_is_wrong_is_told_by_row_and_the_good_rows_are_kept(
        self, tmp_path: Path, tonight: Show, line: str, told: str
    ) -> None:
        with pytest.raises(RowProblems) as caught:
            read(tmp_path, f"name,length,open,starts_at\n{line}\nB,2:00,mira,\n", tonight)
        assert told in str(caught.value)
        assert [row.name for row in caught.value.good] == ["B"]

    @pytest.mark.parametrize("head", ["length,open", "name,colour", "name,name", ""])
    def test_columns_that_are_wrong_are_told(self, tmp_path: Path, tonight: Show, head: str) -> None:
        with pytest.raises(FileProblem):
            read(tmp_path, f"{head}\na,b\n" if head else "", tonight)

    def test_too_many_rows_are_refused(self, tmp_path: Path, tonight: Show) -> None:
        with pytest.raises(FileProblem, match="at most 2000"):
            read(tmp_path, "name\n" + "a\n" * 2001, tonight)

    def test_an_id_twice_is_told(self, tmp_path: Path, tonight: Show) -> None:
        with pytest.raises(RowProblems, match="is there twice"):
            read(tmp_path, "id,name\na,A\na,B\n", tonight)


class TestCommand:
    def test_text_json_and_outline(self, capsys: pytest.CaptureFixture[str]) -> None:
        assert main(["rundown", TONIGHT, "--hears"]) == 0
        out = capsys.readouterr().out
        assert "11 segments, 29:40, over at 19:29:40; 0:20 under at Close: stretch Round the table by 0:20." in out
        assert "Ferry: Mira" in out
        assert main(["rundown", TONIGHT, "--json", "--hears"]) == 0
        data = json.loads(capsys.readouterr().out)
        assert data["segments"][2]["hears"]["ferry"] == ["mira"]
        assert data["segments"][4]["moves"][0] == {
            "does": "close",
            "party": "mira",
            "words": "Close Mira",
            "where": "Desk, channel 1",
        }
        assert data["hard_times"] == [
            {"segment": "close", "sort": "out", "at": "2026-08-14T18:30:00+00:00", "over_s": -20.0}
        ]
        assert main(["rundown", TONIGHT, "--outline"]) == 0
        assert "The hull, plank by plank" in capsys.readouterr().out

    def test_out_as_a_list_and_in_again_nothing_is_lost(self, tmp_path: Path, tonight: Show) -> None:
        out, back = tmp_path / "r.csv", tmp_path / "back.json"
        assert main(["rundown", TONIGHT, "-o", str(out)]) == 0
        assert main(["rundown", TONIGHT, "--import", str(out), "-o", str(back)]) == 0
        assert read_show(back).rundown == tonight.rundown

    @pytest.mark.parametrize("ending", ["html", "pdf"])
    def test_a_page(self, tmp_path: Path, ending: str) -> None:
        assert main(["rundown", TONIGHT, "-o", str(tmp_path / f"r.{ending}")]) == 0

    def test_what_it_refuses(self, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
        assert main(["rundown", TONIGHT, "--import", str(tmp_path / "no.csv"), "-o", str(tmp_path / "s.json")]) == 2
        assert main(["rundown", TONIGHT, "--import", str(tmp_path / "no.csv")]) == 2
        assert main(["rundown", TONIGHT, "-o", TONIGHT]) == 2
        assert "Traceback" not in capsys.readouterr().err

    def test_it_cannot_be_written(self, tonight: Show) -> None:
        with pytest.raises(FileProblem):
            write_rundown("/proc/nowhere/r.csv", figures_of(tonight))
