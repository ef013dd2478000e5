"""Patch lists in and out of CSV: whatever people's spreadsheets make of them."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.show import Cable, Show
from kymaphon.core.wiring.patching import merged
from kymaphon.files.errors import FileProblem
from kymaphon.files.patch_file import patch_csv, read_patch, write_patch
from kymaphon.files.row_file import RowProblems
from kymaphon.files.sheet_file import as_it_was, harmless
from tests.budget import tries
from tests.core.rigs import dev, rig, wire

KINDS = shipped_catalogue()
SHOW = rig(
    [
        dev("mic", "dynamic-close", name="Mira"),
        dev("mic2", "dynamic-close", name="=Tam"),
        dev("desk", "desk-8", name="Desk"),
    ],
    [wire("mic.out", "desk.in1", length_m=5, label="1")],
)


def _read(tmp_path: Path, text: str, show: Show = SHOW) -> tuple[Cable, ...]:
    path = tmp_path / "patch.csv"
    path.write_bytes(text.encode("utf-8"))
    return read_patch(path, show, KINDS)


def test_what_is_written_reads_back_the_same(tmp_path: Path, demo: Show) -> None:
    path = tmp_path / "patch.csv"
    write_patch(path, analyse(demo))
    cables = read_patch(path, demo, KINDS)
    assert cables == demo.cables
    assert merged(demo, cables).apply(demo) == demo
    with path.open(encoding="utf-8", newline="") as file:
        assert len(list(csv.DictReader(file))) == len(demo.cables)


@pytest.mark.parametrize("separator", [",", ";", "\t"])
@pytest.mark.parametrize("mark", ["", "\ufeff"])
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_separators_and_byte_order_marks(tmp_path: Path, separator: str, mark: str, end: str) -> None:
    length = "7.5" if separator == "," else "7,5"
    rows = [["From", "To", "Length", "Label"], ["mic2.out", "Desk, channel 2", length, "T"]]
    if separator == ",":
        rows[1][1] = '"Desk, channel 2"'
    text = mark + end.join(separator.join(row) for row in rows) + end
    assert _read(tmp_path, text) == (Cable(source="mic2.out", target="desk.in2", length_m=7.5, label="T"),)


def test_ends_by_name_and_a_length_with_its_unit(tmp_path: Path) -> None:
    cables = _read(tmp_path, 'from,to,length_m\n"Mira, output","desk, CHANNEL 3",12 m\n')
    assert cables[0].ends == ("mic.out", "desk.in3")
    assert cables[0].length_m == 12


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("\ufeff", "empty"),
        ("who,what\na,b\n", "no column from"),
        ("from,to,colour\na,b,c\n", "column colour is not known"),
        ("from,from,to\na,b,c\n", "names a column twice"),
        ('from,to\n"mic.out,desk.in1\n', "is not CSV"),
    ],
)
def test_wrong_columns_are_told_with_the_right_ones(tmp_path: Path, text: str, words: str) -> None:
    with pytest.raises(FileProblem, match=words) as caught:
        _read(tmp_path, text)
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize(
    ("row", "words"),
    [
        ("mic.out,desk.in99", "row 3: to: no input called desk.in99; did you mean desk.in"),
        (",desk.in2", "row 3: from: an output is needed"),
        ("desk.in2,mic.out", "row 3: from: no output called desk.in2"),
        ("mic2.out,desk.usb-in", "row 3: .* a converter must stand between"),
        ("mic2.out,desk.in1", "row 3: desk.in1 is taken by row 2"),
        ("mic2.out,desk.in2,long", "row 3: length_m: .*number"),
        ("mic2.out,desk.in2,-4", "row 3: length_m"),
        ("mic2.out,desk.in2,4,x,y,z", "row 3: has 6 cells, and there are 3 columns"),
    ],
)
def test_bad_rows_are_told_by_number_and_the_good_ones_kept_for_asking(tmp_path: Path, row: str, words: str) -> None:
    with pytest.raises(RowProblems, match=words) as caught:
        _read(tmp_path, f"from,to,length_m\nmic.out,desk.in1,3\n{row}\n")
    assert [cable.ends for cable in caught.value.good] == [("mic.out", "desk.in1")]
    assert caught.value.good[0].length_m == 3


def test_formulas_go_out_harmless_and_come_back_as_they_were(tmp_path: Path) -> None:
    evil = '=HYPERLINK("x")'
    show = rig(
        [dev("mic", "dynamic-close"), dev("desk", "desk-8")],
        [wire("mic.out", "desk.in1", label=evil), wire("desk.send1", "desk.in5", label="-2 dB")],
    )
    text = patch_csv(analyse(show))
    for cell in (cell for row in csv.reader(text.splitlines()) for cell in row):
        assert cell[:1] not in ("=", "+", "-", "@")
    labels = [cable.label for cable in _read(tmp_path, text, show)]
    assert labels == [evil, "-2 dB"]


EVIL = [
    "=1+1",
    "+1",
    "-1",
    "@SUM(A1)",
    "x;=1+1",
    "x\t=1+1",
    "x|=1+1",
    "x,=1+1",
    "a\n=1+1",
    "\n=1+1",
    "\r=1",
    "\t=1",
    " =1+1",
    "\uff1d1+1",
    "x;\uff0b1",
    "\u3000=1",
    "'quoted'",
    "''",
    "a;'b'",
    '"=1',
    'x;"=1',
    "x\u2028=1",
    ";;=1",
    ",'=1",
]


@pytest.mark.parametrize("cell", EVIL)
@pytest.mark.parametrize("separator", [",", ";", "\t", "|"])
def test_no_spreadsheet_of_any_locale_takes_a_cell_for_a_formula(cell: str, separator: str) -> None:
    """The text as a spreadsheet with another separator parts it: no part begins with what starts a formula, full-width signs
    included (OWASP, CSV injection)."""
    out = io.StringIO()
    csv.writer(out).writerow(["a", harmless(cell), "b"])
    text = out.getvalue().replace("\r\n", "\n").replace("\r", "\n")
    for row in csv.reader(io.StringIO(text), delimiter=separator):
        for part in row:
            for line in part.splitlines() or [""]:
                assert line.lstrip(' "\u3000')[:1] not in tuple("=+-@\uff1d\uff0b\uff0d\uff20"), (
                    row,
                    separator,
                )


@given(st.text(alphabet=st.sampled_from("=+-@'\" ;,\t|\n\rax\uff1d\u3000\u2028"), max_size=12))
@settings(max_examples=tries(166))
def test_and_it_comes_back_exactly_as_it_was(cell: str) -> None:
    assert as_it_was(harmless(cell)) == cell
    if cell.startswith("'"):
        assert harmless(cell).startswith("''")


def test_ten_thousand_rows(tmp_path: Path) -> None:
    """Each is read and told by its row."""
    rows = "".join(f"mic2.out,desk.in{n}\n" for n in range(2, 10002))
    with pytest.raises(RowProblems) as caught:
        _read(tmp_path, "from,to\n" + rows)
    # Seven inputs are free; the rest do not exist.
    assert len(caught.value.good) == 7
    assert len(caught.value.problems) == 10000 - 7
    assert caught.value.problems[-1].startswith("row 10001: ")


def test_too_many_rows(tmp_path: Path) -> None:
    with pytest.raises(FileProblem, match="at most 20000"):
        _read(tmp_path, "from,to\n" + "mic.out,desk.in1\n" * 20001)


def test_two_devices_of_one_name_must_be_told_apart(tmp_path: Path) -> None:
    show = rig(
        [
            dev("one", "dynamic-close", name="Mic"),
            dev("two", "dynamic-close", name="Mic"),
            dev("desk", "desk-8"),
        ],
        [],
    )
    name = '"Mic, output"'
    with pytest.raises(RowProblems, match="more than one output is called"):
        _read(tmp_path, f"from,to\n{name},desk.in1\n", show)


def test_two_without_a_name_are_told_apart_by_their_ids(tmp_path: Path) -> None:
    show = rig([dev("one", "dynamic-close"), dev("two", "dynamic-close"), dev("desk", "desk-8")], [])
    name = '"Dynamic microphone, close two, output"'
    (row,) = _read(tmp_path, f"from,to\n{name},desk.in1\n", show)
    assert row.source == "two.out"


def test_merging_keeps_what_the_list_does_not_name() -> None:
    fresh = Cable(source="mic2.out", target="desk.in2")
    assert {row.target for row in merged(SHOW, [fresh]).apply(SHOW).cables} == {"desk.in1", "desk.in2"}
    other = Cable(source="mic2.out", target="desk.in1")
    after = merged(SHOW, [other]).apply(SHOW)
    assert [row.source for row in after.cables] == ["mic2.out"]


@given(st.text(alphabet="from,to;\t\"'=+-@\n\r mic.outdesk1\ufeff\x00é", max_size=200))
@settings(max_examples=tries(66))
def test_any_text_is_read_or_refused_in_words(tmp_path_factory: pytest.TempPathFactory, text: str) -> None:
    path = tmp_path_factory.mktemp("patch") / "x.csv"
    path.write_text(text, encoding="utf-8", newline="")
    try:
        read_patch(path, SHOW, KINDS)
    except FileProblem as problem:
        told = str(problem)
    else:
        told = "read"
    assert told
    assert "\n" not in told
