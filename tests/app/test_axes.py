"""The axes of pictures: round steps, words of times, and lines where their level is."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPainter
from pytestqt.qtbot import QtBot

from kymaphon.app import theme
from kymaphon.app.widgets.axes import Axes, plot_area, round_levels, time_step, time_words


@pytest.mark.parametrize(
    ("seconds", "most", "step"), [(1, 10, 0.1), (9, 10, 1), (55, 10, 10), (3600, 10, 600), (90000, 10, 3600)]
)
def test_times_go_in_round_steps(seconds: float, most: float, step: float) -> None:
    assert time_step(seconds, most) == step


def test_levels_go_in_round_steps() -> None:
    assert list(round_levels(-61.5, -20)) == [-60, -50, -40, -30, -20]
    assert list(round_levels(-100, 0, 20)) == [-100, -80, -60, -40, -20, 0]


@pytest.mark.parametrize(
    ("at", "step", "words"), [(0.25, 0.1, "0.2 s"), (7, 1, "7 s"), (125, 5, "2:05"), (3600, 600, "60:00")]
)
def test_times_are_said_as_long_as_they_are(at: float, step: float, words: str) -> None:
    assert time_words(at, step) == words


def test_a_line_lies_at_its_level_and_its_number_before_it(qtbot: QtBot) -> None:
    theme.load_fonts()
    image = QImage(400, 200, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.black)
    plot = plot_area(400, 200, 1.0)
    painter = QPainter(image)

    def y(level: float) -> float:
        return plot.top() + plot.height() * -level / 100

    Axes(painter, theme.DARK, plot, 1.0).levels([-50.0], y)
    painter.end()
    lit = {
        (column, row) for column in range(400) for row in range(200) if image.pixelColor(column, row).lightness() > 0
    }
    line = {row for column, row in lit if column > plot.left() + 5}
    assert line
    assert all(abs(row - y(-50)) <= 1 for row in line)
    assert max(column for column, _ in lit) <= plot.right() + 1
    assert any(column < plot.left() - 4 for column, _ in lit), "the number stands before the plot"
