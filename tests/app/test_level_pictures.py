"""Pictures of Level beside the ladder: drawn at extremes, in both themes and at large text; and workers that fail."""

from __future__ import annotations

import time
from dataclasses import replace

import pytest
from PySide6.QtCore import QObject, QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from kymaphon.app import theme
from kymaphon.app.widgets.budget_picture import BudgetPicture
from kymaphon.app.widgets.meter_face import MeterFace
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.lineup.run import Trace, steps_of
from kymaphon.core.model.show import Show


def colours(widget: object) -> set[int]:
    """Every colour of the picture, on a coarse grid."""
    image: QImage = widget.grab().toImage()  # type: ignore[attr-defined]
    return {image.pixel(x, y) for x in range(0, image.width(), 3) for y in range(0, image.height(), 3)}


@pytest.fixture
def faces(qtbot: QtBot, demo: Show) -> list[MeterFace]:
    theme.load_fonts()
    out = []
    for look in (theme.DARK, theme.LIGHT):
        face = MeterFace(look)
        qtbot.addWidget(face)
        face.resize(620, 180)
        out.append(face)
    return out


class TestMeterFace:
    def test_reading_and_mark_are_drawn_and_told(self, faces: list[MeterFace], demo: Show) -> None:
        expected = steps_of(analyse(demo))[0].expected
        for face in faces:
            face.set_meter(expected, None)
            empty = colours(face)
            assert "It shows" not in face.words()
            trace = Trace(tuple(expected.shows.value + 3 * (i % 5 - 2) for i in range(100)), expected.shows.value)
            face.set_meter(expected, expected.shows.value, trace)
            assert len(colours(face)) > len(empty)
            assert "on the mark" in face.words()
            assert face.accessibleDescription() == face.words()

    @pytest.mark.parametrize(
        ("off", "words"), [(2.0, "still right"), (9.0, "dB over"), (-60.0, "dB under"), (80.0, "dB over")]
    )
    def test_wherever_the_reading_lies_it_is_in_the_picture(
        self, faces: list[MeterFace], demo: Show, off: float, words: str
    ) -> None:
        expected = steps_of(analyse(demo))[0].expected
        shown = expected.shows.value + off
        faces[0].set_meter(expected, shown, Trace((shown,) * 40, shown))
        low, high = faces[0]._ends(expected)
        assert low < shown < high
        assert low < expected.low < expected.high < high
        assert words in faces[0].words()
        assert colours(faces[0])

    def test_without_a_source_it_says_so(self, faces: list[MeterFace]) -> None:
        faces[0].set_meter(None, None)
        assert "No source" in faces[0].words()
        assert len(colours(faces[0])) > 1

    def test_a_meter_with_marks_of_its_own_has_them(self, faces: list[MeterFace], demo: Show) -> None:
        """Type IIa: marks 1 to 7, 4 dB apart (common practice)."""
        from kymaphon.core.model.scales import reading

        plain = steps_of(analyse(demo))[0].expected
        rows = [
            reading("ppm-2a", plain.wanted_db + more, plain.point.unit, plain.house, peaks=True)
            for more in (0.0, -3.0, 3.0)
        ]
        expected = replace(plain, scale="ppm-2a", peaks=True, shows=rows[0], low=rows[1].value, high=rows[2].value)
        assert expected.high - expected.low == pytest.approx(6 / 4)
        faces[0].set_meter(expected, rows[0].value)
        assert "PPM" in faces[0].words()
        assert colours(faces[0])


class TestBudgetPicture:
    def test_points_are_chosen_by_mouse_and_keys(self, qtbot: QtBot, demo: Show) -> None:
        theme.load_fonts()
        analysis = analyse(demo)
        picture = BudgetPicture(theme.DARK)
        qtbot.addWidget(picture)
        picture.resize(800, 320)
        picture.set_rungs(analysis.any_ladder("tam").shown(), 0)
        heard: list[int] = []
        picture.chosen.connect(heard.append)
        last = len(picture.rungs) - 1
        spot = picture._column(last).center().toPoint()
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=QPoint(spot.x(), spot.y()))
        assert heard == [last]
        qtbot.keyClick(picture, Qt.Key.Key_Right)
        assert heard == [last]
        qtbot.keyClick(picture, Qt.Key.Key_Left)
        assert heard == [last, last - 1]
        assert picture.rungs[last - 1].label in picture.accessibleDescription()

    @pytest.mark.parametrize("scale", [1.0, 1.5])
    @pytest.mark.parametrize("look", [theme.DARK, theme.LIGHT])
    def test_every_voice_can_be_drawn(self, qtbot: QtBot, demo: Show, scale: float, look: theme.Theme) -> None:
        theme.load_fonts()
        analysis = analyse(demo)
        picture = BudgetPicture(look)
        qtbot.addWidget(picture)
        picture.scale = scale
        for width in (420, 1000):
            picture.resize(width, 300)
            for voice in analysis.voices:
                ladder = analysis.any_ladder(voice.id)
                picture.set_rungs(ladder.shown(), 99)
                assert picture.index == len(picture.rungs) - 1
                assert len(colours(picture)) > 3
        picture.set_rungs((), 0)
        assert "No noise is known" in picture.describe()
        assert colours(picture)


class TestWorker:
    def wait(self, worker: Worker) -> None:
        for _ in range(2000):
            QApplication.processEvents()
            if not worker.busy:
                QApplication.processEvents()
                return
            time.sleep(0.002)
        raise AssertionError("the worker never answered")

    def test_the_newest_question_is_answered_and_those_between_are_let_go(self, qtbot: QtBot) -> None:
        owner, heard = QObject(), []
        worker = Worker(owner, lambda about, result: heard.append((about, result)), lambda error: None)
        for number in range(6):
            worker.ask(lambda number=number: time.sleep(0.02) or number * 10, number)
        self.wait(worker)
        assert heard[-1] == (5, 50)
        assert len(heard) <= 3

    def test_what_was_no_fault_of_the_program_is_told(self, qtbot: QtBot) -> None:
        owner, told = QObject(), []

        def fail() -> None:
            raise ValueError("no signal at this point")

        worker = Worker(owner, lambda *_: None, lambda error: told.append(str(error)))
        worker.ask(fail, "x")
        self.wait(worker)
        assert told == ["no signal at this point"]

    def test_what_was_a_fault_is_not_swallowed(self, qtbot: QtBot) -> None:
        owner = QObject()

        def fail() -> None:
            raise RuntimeError("broken")

        worker = Worker(owner, lambda *_: None, lambda error: None)
        with qtbot.captureExceptions() as caught:
            worker.ask(fail, "x")
            self.wait(worker)
        assert [str(row[1]) for row in caught] == ["broken"]
