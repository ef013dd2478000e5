"""Sheets as somebody gets them: what stands on the first page, words kept whole, names and numbers at the foot, pictures, paper."""

from __future__ import annotations

import csv
import io
import json
import re
from html.parser import HTMLParser
from pathlib import Path
from xml.etree import ElementTree

import pypdf
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kymaphon.cli import SHEETS, main
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Show
from kymaphon.core.report.drawing import Dot, Words, chain_drawings, plan_drawings
from kymaphon.core.report.sheet import Sheet, Table, grouped, rig_sheet, urgent
from kymaphon.core.report.sheets import SORTS, sheet_of
from kymaphon.files.demo import EVENING, FAULTY, FINAL, demo_path
from kymaphon.files.sheet_file import drawing_svg, fitted, parted, sheet_html
from kymaphon.files.sheet_pdf import SMALLEST, _needs, _parts, _size, _widths, sheet_pdf
from kymaphon.files.show_file import read_show

# Points, of an inch 72: ISO 216 A4 is 210 by 297 mm, ANSI Letter 8.5 by 11 inches.
PAPERS = {"a4": (595.3, 841.9), "letter": (612.0, 792.0)}


@pytest.fixture(scope="module")
def evening() -> Report:
    return analyse(read_show(demo_path(EVENING)))


@pytest.fixture(scope="module")
def faulty(demo_analysis: Report) -> Report:
    return demo_analysis


@pytest.fixture(scope="module")
def sheet(faulty: Report) -> Sheet:
    return rig_sheet(faulty)


@pytest.fixture(scope="module")
def printed(sheet: Sheet) -> bytes:
    return sheet_pdf(sheet)


def pages(data: bytes) -> list[str]:
    return [page.extract_text() for page in pypdf.PdfReader(io.BytesIO(data)).pages]


class TestRigSheet:
    def test_the_first_page_is_for_who_walks_in_now(self, printed: bytes) -> None:
        first = pages(printed)[0]
        for words in (
            "First of all",
            "Echo: Ferry hears itself",
            "Switch off: Desk, channel 5 to send 1",
            "Who is where",
            "Lighthouse phone",
            "What plugs where: Desk",
            "Booster, output [2b]",
            "Marks",
            "digital voice: average \u221220.0 dBFS",
            "Boathouse studio, 6 \u00d7 4.5 m",
        ):
            assert words in " ".join(first.split()), words

    @pytest.mark.parametrize("paper", PAPERS)
    def test_each_page_has_its_name_and_number_and_the_paper_asked_for(
        self, faulty: Report, sheet: Sheet, paper: str
    ) -> None:
        data = sheet_pdf(sheet, paper)  # type: ignore[arg-type]
        reader = pypdf.PdfReader(io.BytesIO(data))
        count = len(reader.pages)
        turned = 0
        for n, page in enumerate(reader.pages, start=1):
            text = page.extract_text()
            assert "Lantern Quay, rig sheet" in text
            assert f"page {n} of {count}" in text
            size = (float(page.mediabox.width), float(page.mediabox.height))
            turned += size[0] > size[1]
            assert sorted(size) == pytest.approx(sorted(PAPERS[paper]), abs=1)
        assert turned == len(chain_drawings(faulty))

    def test_it_is_black_and_grey(self, printed: bytes) -> None:
        """No colour operator of PDF has unequal parts: a printer without colour loses nothing."""
        reader = pypdf.PdfReader(io.BytesIO(printed))
        for page in reader.pages:
            data = page.get_contents()
            assert data is not None
            for red, green, blue in re.findall(rb"([\d.]+) ([\d.]+) ([\d.]+) (?:rg|RG)\b", data.get_data()):
                assert red == green == blue

    def test_names_are_whole_wherever_they_stand(self, printed: bytes) -> None:
        text = "\n".join(pages(printed))
        lines = {word for line in text.splitlines() for word in line.split()}
        for broken in ("Lightho", "use", "Shant", "micropho"):
            assert broken not in lines

    def test_one_row_for_one_cause(self, faulty: Report, sheet: Sheet) -> None:
        table = next(row for row in sheet.tables if row.title.startswith("What is wrong"))
        causes = grouped(faulty.findings)
        assert len(table.rows) == len(causes) < len(faulty.findings)
        text = " ".join(row[1] for row in table.rows)
        for finding in faulty.findings:
            assert finding.message in text or finding.title in text
        assert any("Likewise: " in row[1] for row in table.rows)
        assert len(urgent(faulty).rows) <= 6

    def test_a_show_of_nothing_and_one_without_a_desk_have_a_page_too(self) -> None:
        for show in (
            Show(),
            Show.model_validate({"title": "=1+1 <b>", "parties": [{"id": "a", "name": "A & B", "kind": "guest"}]}),
        ):
            sheet = rig_sheet(analyse(show))
            assert pages(sheet_pdf(sheet))
            assert sheet_html(sheet).rstrip().endswith("</html>")


class TestDrawings:
    def test_the_chain_has_every_device_and_every_lead(self, faulty: Report) -> None:
        drawn = chain_drawings(faulty)
        words = {row.text for part in drawn for row in part.shapes if isinstance(row, Words)}
        for device in faulty.show.devices:
            if any(device.id in (c.source_device, c.target_device) for c in faulty.show.cables):
                name = faulty.device_name(device.id)
                assert any(text.endswith(name) for text in words), name
        assert all(part.width <= 1400 for part in drawn)

    def test_a_plan_has_everybody_where_they_stand(self, faulty: Report) -> None:
        plan = next(row for row in plan_drawings(faulty) if row.title.startswith("Boathouse"))
        names = [row.text for row in plan.shapes if isinstance(row, Words)]
        assert {"Mira", "Tam", "Ilse", "Mira's microphone", "Desk"} <= set(names)
        dots = [row for row in plan.shapes if isinstance(row, Dot)]
        mira, tam = (dots[n] for n in (0, 1))
        scale = (tam.x - mira.x) / (3.6 - 1.4)
        assert mira.y == pytest.approx(tam.y)
        assert scale == pytest.approx(min(250 / 6, 0.72 * 250 / 4.5), rel=0.01)

    def test_no_name_stands_over_another(self, faulty: Report) -> None:
        for plan in plan_drawings(faulty):
            boxes = []
            for row in plan.shapes:
                if isinstance(row, Words) and row.text != "1 m":
                    wide = len(row.text) * row.size * 0.5
                    left = row.x if row.anchor == "start" else row.x - wide
                    boxes.append((left, row.y - row.size + 1, left + wide, row.y))
            for n, a in enumerate(boxes):
                assert not any(a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3] for b in boxes[n + 1 :])

    def test_svg_is_well_formed_whatever_things_are_called(self) -> None:
        show = read_show(demo_path(FAULTY))
        rows = tuple(row.model_copy(update={"name": f'<&"{row.name}\u2192'}) for row in show.parties)
        report = analyse(show.model_copy(update={"parties": rows}))
        for drawing in (*plan_drawings(report), *chain_drawings(report)):
            ElementTree.fromstring(str(drawing_svg(drawing).markup))

    def test_html_holds_the_pictures_and_no_script(self, faulty: Report, sheet: Sheet) -> None:
        page = sheet_html(sheet)
        assert page.count("<svg") == len(plan_drawings(faulty)) + len(chain_drawings(faulty))
        tags: list[str] = []

        class Reader(HTMLParser):
            def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
                tags.append(tag)

        Reader().feed(page)
        assert not {"script", "img", "iframe", "link"} & set(tags)


cells = st.text(st.characters(codec="ascii", categories=("L", "N", "Zs", "P")), max_size=40)
tables = st.integers(2, 14).flatmap(
    lambda columns: st.builds(
        Table,
        st.just("T"),
        st.tuples(*[cells] * columns),
        st.lists(st.tuples(*[cells] * columns), min_size=1, max_size=6).map(tuple),
    )
)


class TestWideTables:
    @given(tables)
    def test_a_table_in_parts_has_every_cell_once_and_its_first_column_in_each(self, table: Table) -> None:
        for parts in (parted(table, 60), _parts_of(table)):
            assert all(part.headings[0] == table.headings[0] for part in parts)
            joined = [parts[0].headings[0], *(head for part in parts for head in part.headings[1:])]
            assert tuple(joined) == table.headings
            for n, row in enumerate(table.rows):
                again = [row[0], *(cell for part in parts for cell in part.rows[n][1:])]
                assert tuple(again) == row

    @given(tables)
    def test_columns_fill_the_page_and_hold_their_longest_word(self, table: Table) -> None:
        for part in _parts_of(table):
            size = _size(part, 500.0, 8.5)
            assert SMALLEST <= size <= 8.5
            widths = _widths(part, 500.0, size)
            assert sum(widths) == pytest.approx(500.0, abs=0.5)
            if sum(_needs(part, size)) <= 500:
                assert all(have >= need - 0.01 for have, need in zip(widths, _needs(part, size), strict=True))

    def test_a_word_that_is_longer_than_the_page_breaks_and_no_other(self) -> None:
        table = Table("T", ("Who", "What"), (("Tam", "x" * 400), ("Lighthouse", "short")))
        sheet = Sheet("S", "", "", (table,), ())
        text = "\n".join(pages(sheet_pdf(sheet)))
        assert "Lighthouse" in text
        assert text.replace("\n", "").count("x") >= 400

    def test_words_are_cut_only_with_dots(self) -> None:
        assert fitted("Boathouse", 5.0, len) == "Boat\u2026"
        assert fitted("Boat", 5.0, len) == "Boat"
        assert fitted("Boathouse", None, len) == "Boathouse"


def _parts_of(table: Table) -> list[Table]:
    from kymaphon.files.sheet_pdf import _fonts

    _fonts()
    return _parts(table, 500.0)


class TestEverySheet:
    def test_the_command_knows_them_all(self) -> None:
        assert tuple(SORTS) == SHEETS

    @pytest.mark.parametrize("name", SHEETS)
    @pytest.mark.parametrize("ending", ["html", "pdf", "csv", "json"])
    def test_each_in_each_form(self, name: str, ending: str, tmp_path: Path) -> None:
        show = FINAL if name in ("talkback", "schedule", "channels") else EVENING
        path = tmp_path / f"x.{ending}"
        assert main(["sheet", str(demo_path(show)), "--which", name, "-o", str(path), "--paper", "letter"]) == 0
        data = path.read_bytes()
        if ending == "pdf":
            assert "page 1 of" in pages(data)[0]
        elif ending == "csv":
            assert len(list(csv.reader(data.decode("utf-8").splitlines()))) > 1
        elif ending == "json":
            found = json.loads(data)
            assert found["title"]
            assert found["tables"]
        else:
            assert data.startswith(b"<!doctype html>")

    def test_json_on_standard_output_needs_no_file(self, capsys: pytest.CaptureFixture[str]) -> None:
        assert main(["sheet", str(demo_path(EVENING)), "--which", "pull", "--json"]) == 0
        data = json.loads(capsys.readouterr().out)
        assert data["sheet"]["sort"] == "pull list"
        assert main(["sheet", str(demo_path(EVENING))]) == 2

    def test_what_a_show_has_nothing_for_is_told(self, capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
        path = tmp_path / "empty.json"
        path.write_text('{"kymaphon": 1}', encoding="utf-8")
        for name in ("channels", "talkback", "line-up", "rundown"):
            assert main(["sheet", str(path), "--which", name, "-o", str(tmp_path / "x.pdf")]) == 2
            assert "nothing to put on" in capsys.readouterr().err
        with pytest.raises(KeyError):
            sheet_of(analyse(Show()), "nonsense")
