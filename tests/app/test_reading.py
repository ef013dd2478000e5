"""What a screen reader is told of the painted pictures: children with names, values and places; and the keyboard in all of them."""

from __future__ import annotations

import gc

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from kymaphon.app.theme import DARK
from kymaphon.app.widgets.arrivals import ArrivalPicture
from kymaphon.app.widgets.duck_picture import DuckPicture
from kymaphon.app.widgets.painted import Painted, Walked, install
from kymaphon.app.widgets.response_picture import ResponsePicture
from kymaphon.app.window import Window

NAME, VALUE = QAccessible.Text.Name, QAccessible.Text.Value


@pytest.fixture(autouse=True)
def readers() -> None:
    install()


def read(picture: QWidget) -> list[QAccessibleInterface]:
    """The children, as a reader goes through them."""
    whole = QAccessible.queryAccessibleInterface(picture)
    assert whole is not None
    assert whole.role() == QAccessible.Role.List
    rows = [whole.child(n) for n in range(whole.childCount())]
    assert whole.child(len(rows)) is None
    return rows


def names(picture: QWidget) -> list[str]:
    return [row.text(NAME) for row in read(picture)]


def test_the_ladder_has_a_child_for_each_stage_with_its_levels(window: Window) -> None:
    picture = window.level.picture
    rows = names(picture)
    assert len(rows) == len(picture.rungs)
    at = next(n for n, rung in enumerate(picture.rungs) if rung.label == "Desk, channel 1, after gain")
    assert "speech \u22125.2 dBu" in rows[at]
    assert "clipping" in rows[at]
    assert "Desk, channel 1, gain at +42.0 dB" in rows[at]
    chosen = [row for row in read(picture) if row.state().selected]
    assert [row.text(NAME) for row in chosen] == [rows[picture.index]]
    QTest.keyClick(picture, Qt.Key.Key_Right)
    assert next(n for n, row in enumerate(read(picture)) if row.state().selected) == picture.index


def test_the_rig_has_a_child_for_each_device_and_cable_by_name(window: Window) -> None:
    window.go("Rig")
    picture = window.rig.picture
    assert picture.chain is not None
    rows = names(picture)
    assert len(rows) == len(picture.chain.boxes) + len(picture.chain.links)
    assert any(row.startswith("Mira's microphone, ") for row in rows)
    cable = next(row for row in rows if row.startswith("Cable from Mira's microphone"))
    assert "to Desk, channel 1" in cable
    ids = [cable.source for cable in window.document.show.cables]
    assert not [row for row in rows if any(name in row for name in ids)]
    assert not any(name in picture.describe() for name in ids)


def test_the_plan_has_a_child_for_each_microphone_where_it_is_painted(window: Window) -> None:
    window.go("Cast")
    QApplication.processEvents()
    picture = window.cast.picture
    picture.grab()
    row = next(row for row in read(picture) if row.text(NAME).startswith("Ilse's microphone, microphone, at "))
    place = row.rect()
    assert picture.rect().contains(picture.mapFromGlobal(place.center()))
    whole = QAccessible.queryAccessibleInterface(picture)
    there = whole.childAt(place.center().x(), place.center().y())
    assert there is not None
    assert there.text(NAME) in names(picture)
    assert row.parent() is not None


def test_a_child_of_a_picture_that_is_gone_says_nothing(qtbot: QtBot) -> None:
    picture = ResponsePicture(DARK)
    show_response(picture)
    row = read(picture)[0]
    assert row.isValid()
    picture.deleteLater()
    del picture
    QApplication.sendPostedEvents(None, 52)  # deferred deletion
    QApplication.processEvents()
    gc.collect()
    assert not row.isValid()
    assert row.text(NAME) == ""


def show_response(picture: ResponsePicture) -> None:
    """Two arrivals 1 ms apart: notches at 500 and 1500 Hz, 6 dB up at 1 kHz."""
    import numpy as np

    frequencies = np.geomspace(100, 2000, 400)
    level = 20 * np.log10(np.maximum(np.abs(1 + np.exp(-2j * np.pi * frequencies * 1e-3)), 1e-3))
    picture.resize(500, 200)
    picture.set_curve(frequencies, level, (500.0, 1500.0), "two arrivals", picture.hue)


def test_the_keyboard_goes_through_notches(qtbot: QtBot) -> None:
    picture = ResponsePicture(DARK)
    qtbot.addWidget(picture)
    show_response(picture)
    picture.show()
    picture.setFocus()
    assert names(picture)[0].startswith("Notch at 500 Hz")
    said = [picture.part.name if picture.part else ""]
    for _ in range(4):
        QTest.keyClick(picture, Qt.Key.Key_Right)
        said.append(picture.part.name if picture.part else "")
    # Two in step are highest at whole multiples of 1 kHz: here at the upper end, 2 kHz.
    assert said == [
        "Notch at 500 Hz",
        "Notch at 1500 Hz",
        "Highest at 2000 Hz",
        "Highest at 2000 Hz",
        "Highest at 2000 Hz",
    ]
    picture.grab()
    QTest.keyClick(picture, Qt.Key.Key_Home)
    assert picture.at == 0


def test_arrivals_response_and_ducking_take_the_keyboard(window: Window) -> None:
    for sort in (ArrivalPicture, ResponsePicture, DuckPicture):
        assert issubclass(sort, Walked)
    window.go("Feeds")
    arrivals = window.feeds.hearing.arrivals
    assert isinstance(arrivals, ArrivalPicture)
    assert arrivals.focusPolicy() & Qt.FocusPolicy.TabFocus
    arrivals.setFocus()
    rows = names(arrivals)
    assert rows[0].startswith("After ")
    assert "against the mark" in rows[0]
    before = arrivals.at
    QTest.keyClick(arrivals, Qt.Key.Key_End)
    assert arrivals.at == len(rows) - 1 >= before
    arrivals.grab()


def test_a_reader_that_listens_does_not_disturb_the_window(window: Window) -> None:
    """As with a reader at work: events are sent for each choice, and everything in sight is asked for."""
    QAccessible.setActive(True)
    try:
        for stage in ("Cast", "Rig", "Level", "Quiet", "Feeds"):
            window.go(stage)
            QApplication.processEvents()
            for picture in window.page(stage).findChildren(Painted):
                if not picture.isVisible():
                    continue
                picture.setFocus()
                for key in (Qt.Key.Key_Right, Qt.Key.Key_PageDown, Qt.Key.Key_Left):
                    QTest.keyClick(picture, key)
                    QApplication.processEvents()
                assert all(row.text(NAME).strip() for row in read(picture))
    finally:
        QAccessible.setActive(False)
