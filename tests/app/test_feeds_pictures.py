"""What the pictures of Feeds draw: seen in their pixels and said in their words."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtGui import QColor, QImage
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from kymaphon.app.theme import DARK, LIGHT, Theme
from kymaphon.app.widgets.response_picture import ResponsePicture
from kymaphon.app.widgets.way_picture import MOST, Station, WayPicture, WayRow
from kymaphon.app.window import Window
from tests.app.conftest import button, settle

RING = WayRow(
    (Station("Ferry phone", 0.1), Station("Desk", 82.0, turns=True), Station("Ferry phone", 82.0)),
    -3.1,
    164.1,
)


def pixels(widget: QWidget) -> np.ndarray:
    """Rows, columns and red, green, blue."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    data = np.frombuffer(image.constBits(), dtype=np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)
    return data[:, : image.width(), 2::-1].astype(int)


def near(data: np.ndarray, color: QColor, within: int = 30) -> np.ndarray:
    """Where a colour is, or nearly."""
    return np.abs(data - np.array([color.red(), color.green(), color.blue()])).max(axis=2) <= within


@pytest.fixture(params=[DARK, LIGHT], ids=["dark", "light"])
def theme(request: pytest.FixtureRequest) -> Theme:
    row: Theme = request.param
    return row


class TestWays:
    def test_the_device_where_a_voice_turns_round_is_framed(self, qtbot: QtBot, theme: Theme) -> None:
        picture = WayPicture(theme)
        qtbot.addWidget(picture)
        picture.resize(700, 160)
        picture.set_rows((RING,), QColor(theme.voice))
        framed = near(pixels(picture), theme.color("stop")).sum()
        plain = WayRow(tuple(Station(row.name, row.delay_ms) for row in RING.stations), RING.gain_db, RING.delay_ms)
        picture.set_rows((plain,), QColor(theme.voice))
        assert framed > 40
        assert near(pixels(picture), theme.color("stop")).sum() < framed / 4

    def test_more_ways_than_there_is_room_for_are_counted(self, qtbot: QtBot, theme: Theme) -> None:
        picture = WayPicture(theme)
        qtbot.addWidget(picture)
        picture.set_rows((RING,) * (MOST + 3), QColor(theme.voice))
        assert (len(picture.rows), picture.more) == (MOST, 3)
        assert picture.accessibleDescription().count("Ferry phone to Desk") == MOST + 3

    @pytest.mark.parametrize("size", [(60, 40), (300, 130), (1600, 500)])
    def test_any_size_and_text(self, qtbot: QtBot, theme: Theme, size: tuple[int, int]) -> None:
        picture = WayPicture(theme)
        qtbot.addWidget(picture)
        picture.setMinimumHeight(1)
        picture.resize(*size)
        for scale in (1.0, 1.5):
            picture.scale = scale
            for rows in ((), (RING,), (RING,) * 9):
                picture.set_rows(rows, QColor(theme.voice))
                assert not picture.grab().isNull()


class TestResponse:
    def curve(self, picture: ResponsePicture, apart_ms: float) -> None:
        frequencies = np.geomspace(40, 16000, 4096)
        level = 20 * np.log10(np.abs(1 + 0.8 * np.exp(-2j * np.pi * frequencies * apart_ms / 1000)) + 1e-9)
        picture.set_curve(frequencies, level, (500 / apart_ms,), f"{apart_ms} ms apart", QColor(picture.theme.voice))

    def test_a_comb_finer_than_the_screen_fills_a_band(self, qtbot: QtBot, theme: Theme) -> None:
        """At the right, where the comb is finest, nearly every pixel between peak and dip has some of the band's colour."""
        picture = ResponsePicture(theme)
        qtbot.addWidget(picture)
        picture.resize(700, 200)
        empty = pixels(picture)
        self.curve(picture, 40.0)
        changed = np.abs(pixels(picture) - empty).max(axis=2) > 12
        right = changed[60:100, 620:680]
        assert right.mean() > 0.9

    def test_the_first_notch_is_drawn_and_named(self, qtbot: QtBot, theme: Theme) -> None:
        picture = ResponsePicture(theme)
        qtbot.addWidget(picture)
        picture.resize(700, 200)
        self.curve(picture, 2.0)
        assert picture.notches == (250.0,)
        marked = near(pixels(picture), theme.color("fix"), 60).any(axis=0)
        place = np.flatnonzero(marked)
        # 250 Hz lies at ln(250/40) / ln(16000/40) of the plot's width.
        expected = 46 + (700 - 60) * np.log(250 / 40) / np.log(400)
        assert np.abs(place - expected).min() < 3

    def test_without_a_curve_only_the_words(self, qtbot: QtBot, theme: Theme) -> None:
        picture = ResponsePicture(theme)
        qtbot.addWidget(picture)
        picture.resize(400, 150)
        picture.set_curve(np.zeros(0), np.zeros(0), (), "No signal path leads there.", QColor(theme.voice))
        assert picture.accessibleDescription() == "No signal path leads there."
        assert near(pixels(picture), QColor(theme.voice), 20).sum() == 0


def test_a_preview_is_outlined_in_the_table(window: Window) -> None:
    """The cell that a remedy changes gets a border in the colour of what is chosen; its neighbours do not."""
    window.go("Feeds")
    feeds = window.feeds
    feeds.choose("ferry", "ferry")
    button(window, "preview own-voice-back cut-1").click()
    settle(window)
    feeds.choose("mira", "mira")
    window.resize(1280, 800)
    view = feeds.matrix
    lantern = window.theme.color("lantern")
    model = view.feeds

    def bordered(listener: str, voice: str) -> int:
        box = view.visualRect(model.index(model.listeners.index(listener), model.voices.index(voice)))
        data = pixels(view.viewport())[box.top() : box.bottom(), box.left() : box.right()]
        return int(near(data, lantern, 60).sum())

    assert bordered("ferry", "ferry") > 60
    assert bordered("ferry", "tam") < 10
