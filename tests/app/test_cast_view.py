"""What Cast writes and how its parts lay themselves out, without driving the window."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QPushButton, QWidget
from pytestqt.qtbot import QtBot

from kymaphon.app import theme
from kymaphon.app.stages.cast import view as view
from kymaphon.app.widgets import plan_paint as paint
from kymaphon.app.widgets.cast_table import DASH, NARROWEST, Row, RowTable
from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.core.acoustics.pickup import Pickup
from kymaphon.core.acoustics.spots import PlacementMap, placement_map
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.edits import SetField, SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show


class TestWords:
    def test_a_place_in_one_line(self, demo_analysis: Report) -> None:
        words = {place.id: view.place_words(demo_analysis.sound(place.id)) for place in demo_analysis.show.places}
        assert words["boathouse"] == "6 by 4.5 m, treated, 34 dBA of room tone; 3 open microphones"
        assert words["slipway"] == "14 by 9 m, open air, 56 dBA of crowd, wind 4 m/s; 2 open microphones"
        assert words["ferry-deck"].startswith("12 by 8 m, open air, 60 dBA of wind")

    def test_the_worst_of_each_place(self, demo_analysis: Report) -> None:
        found = {place.id: view.worst_in_place(demo_analysis, place.id) for place in demo_analysis.show.places}
        assert found == {"boathouse": "fix", "slipway": "fix", "ferry-deck": "", "lantern-room": ""}

    def test_a_shut_channel_is_told_in_the_table_and_on_the_plan(self, demo: Show) -> None:
        analysis = analyse(SetValue(SettingRef("desk", "in3", "mute"), True).apply(demo))
        sound = analysis.sound("boathouse")
        rows = view.microphone_rows(analysis, analysis.show, sound)
        assert rows[2].cells[1] == "Quay handheld condenser, shut"
        assert "2 open microphones" in view.place_words(sound)

    def test_who_has_no_microphone_is_still_in_the_table(self, demo: Show) -> None:
        analysis = analyse(SetField("devices", "mic-tam", "party", None).apply(demo))
        rows = view.microphone_rows(analysis, analysis.show, analysis.sound("boathouse"))
        assert ("party", "tam") in [row.key for row in rows]
        assert next(row for row in rows if row.key == ("party", "tam")).cells[1] == "no microphone"
        nobody = next(row for row in rows if row.key == ("microphone", "mic-tam"))
        assert nobody.cells[0] == "nobody"
        assert set(nobody.cells[2:]) == {DASH}

    def test_marks_stand_at_the_figure_that_they_are_about(self, demo_analysis: Report) -> None:
        rows = view.microphone_rows(demo_analysis, demo_analysis.show, demo_analysis.sound("boathouse"))
        ilse = rows[2]
        marked = {view.MIC_HEADINGS[column] for column, _ in ilse.marks}
        assert marked == {"Distance", "Next loudest in it"}
        assert {view.MIC_HEADINGS[column] for column, _ in rows[1].marks} == {"Angle"}

    def test_the_bleed_matrix_is_that_of_the_core(self, demo_analysis: Report) -> None:
        sound = demo_analysis.sound("boathouse")
        headings, _, rows = view.bleed_rows(demo_analysis, sound)
        assert headings == ("In the microphone of", "Mira", "Tam", "Ilse")
        for v, row in enumerate(rows):
            for m in range(3):
                level = float(sound.level_db[v, m])
                under = float(sound.own_db[m]) - level
                assert row.cells[m + 1] == (f"{level:.1f} dB SPL" if v == sound.own[m] else f"\u2212{under:.1f} dB")

    def test_a_crossing_that_is_not_there_is_no_trouble(self, demo_analysis: Report) -> None:
        sound = demo_analysis.sound("boathouse")
        for row, column in ((-1, 1), (9, 1), (0, 0), (0, 9)):
            assert view.why_bleed(demo_analysis, demo_analysis.show, sound, row, column).title == "Bleed"


class TestPainting:
    FRAME = paint.Frame.fitted((0, 0, 8, 4), QRectF(10, 10, 400, 400))

    def test_metres_to_pixels_and_back(self) -> None:
        for at in ((0.0, 0.0), (8.0, 4.0), (3.3, 1.2)):
            assert self.FRAME.to_m(self.FRAME.to_px(at)) == pytest.approx(at)
        assert self.FRAME.to_px((0, 4)).y() < self.FRAME.to_px((0, 0)).y(), "up is up"
        assert self.FRAME.per_m == 50

    def test_the_lobe_is_the_pattern_as_computed(self) -> None:
        """A cardioid aimed right: full radius ahead, half at the sides, next to nothing behind."""
        shape = paint.lobe(Pickup("cardioid"), 0, 100)
        assert shape.contains(QPointF(98, 0))
        assert not shape.contains(QPointF(102, 0))
        box = shape.boundingRect()
        assert box.right() == pytest.approx(100, abs=0.5)
        assert box.left() > -15
        # The widest point of (1 + cos t)/2 lies at 60 degrees: 0.75 sin 60 = 0.65.
        assert box.bottom() == pytest.approx(65, abs=1)

    def test_an_eight_has_two_lobes_and_one_without_aim_is_a_circle(self) -> None:
        eight = paint.lobe(Pickup("figure-of-eight"), 90, 100)
        assert eight.boundingRect().top() == pytest.approx(-100, abs=1)
        assert eight.boundingRect().bottom() == pytest.approx(100, abs=1)
        assert paint.lobe(Pickup("cardioid"), None, 100).boundingRect().width() == pytest.approx(160, abs=0.1)

    def test_the_map_is_denser_where_the_voice_is_better_and_the_right_way_up(self) -> None:
        over = np.full((100, 100), -3.0)
        over[80:, :20] = 50.0
        found = PlacementMap(np.linspace(0, 1, 100), np.linspace(0, 1, 100), over, over > 0)
        image = paint.map_image(found, QColor("#8FE0C8"))
        width, height = image.width(), image.height()
        assert QColor.fromRgba(image.pixel(5, 5)).alpha() > 100, "high y is at the top"
        assert QColor.fromRgba(image.pixel(width - 5, height - 5)).alpha() == 0

    def test_a_real_map_is_drawn_in_bands(self, demo_analysis: Report) -> None:
        sound = demo_analysis.sound("boathouse")
        image = paint.map_image(placement_map(sound, 2, sound.mics[2].kind), QColor("#0F7A66"))
        alphas = {QColor.fromRgba(image.pixel(x, y)).alpha() for x in range(0, 300, 7) for y in range(0, 300, 7)}
        assert 4 <= len(alphas) <= paint.STRONGEST + 1


class TestLayout:
    def test_chips_go_on_in_the_next_line(self, qtbot: QtBot) -> None:
        whole = QWidget()
        qtbot.addWidget(whole)
        flow = FlowLayout(8)
        whole.setLayout(flow)
        for n in range(6):
            button = QPushButton(f"Place number {n}")
            button.setFixedSize(100, 20)
            flow.addWidget(button)
        assert flow.heightForWidth(1000) == 20
        assert flow.heightForWidth(330) == 20 * 2 + 8
        assert flow.heightForWidth(50) == 20 * 6 + 8 * 5
        whole.resize(330, 100)
        whole.show()
        tops = [button.y() for button in whole.findChildren(QPushButton)]
        assert tops == [0, 0, 0, 28, 28, 28]
        assert flow.takeAt(0) is not None
        assert flow.itemAt(9) is None

    def test_columns_that_do_not_fit_give_way_and_come_back(self, qtbot: QtBot) -> None:
        table = RowTable(theme.DARK, "rows", "tip")
        qtbot.addWidget(table)
        table.spare = (2, 1)
        rows = tuple(
            Row(("x", str(n)), ("A name that is rather long", "second words", "third words")) for n in range(3)
        )
        table.set_rows(("Name", "Second", "Third"), (), rows)
        table.resize(900, 200)
        table.show()
        assert not any(table.isColumnHidden(column) for column in range(3))
        table.resize(200, 200)
        assert table.isColumnHidden(2)
        assert table.columnWidth(0) >= NARROWEST
        table.resize(900, 200)
        assert not table.isColumnHidden(2)

    def test_other_rows_under_other_headings(self, qtbot: QtBot) -> None:
        table = RowTable(theme.DARK, "rows", "tip")
        qtbot.addWidget(table)
        table.set_rows(("A", "B"), ("a", "b"), (Row(("x", "1"), ("1", "2")),))
        table.set_rows(("A",), ("a",), (Row(("x", "1"), ("1",)), Row(("x", "2"), ("2",))))
        assert (table.words.rowCount(), table.words.columnCount()) == (2, 1)
        table.set_rows((), (), ())
        assert table.words.columnCount() == 0
        table.choose(-1)
        assert table.currentIndex().row() == -1
