"""The page for a new show, from the keyboard, on the real window."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from kymaphon.app.stages.welcome.surface import WelcomeSurface
from kymaphon.app.window import Window
from kymaphon.core.compose.starts import starts
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.files.kinds_file import put_on_shelf

KEY = Qt.Key


class Keys:
    """Presses keys where the keyboard is, as an operator would, and counts them."""

    def __init__(self) -> None:
        self.count = 0

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        self.count += 1
        where = QApplication.focusWidget()
        assert isinstance(where, QWidget)
        QTest.keyClick(where, key, modifier)
        QApplication.processEvents()

    def type(self, text: str) -> None:
        for letter in text:
            self.count += 1
            where = QApplication.focusWidget()
            assert isinstance(where, QWidget)
            QTest.keyClicks(where, letter)
        self.press(KEY.Key_Return)


@pytest.fixture
def window(empty: Window) -> Window:
    return empty


@pytest.fixture
def page(window: Window) -> WelcomeSurface:
    return window.welcome


def composed(qtbot: QtBot, page: WelcomeSurface) -> None:
    qtbot.waitUntil(lambda: page.composed is not None, timeout=60_000)


def names(page: WelcomeSurface, question: str) -> list[str]:
    return [chip.text().split("   ")[0] for chip in page.cards[question].chips()]  # type: ignore[index]


def test_an_empty_show_is_greeted_with_three_questions(window: Window, page: WelcomeSurface) -> None:
    assert window.stage == "Welcome"
    assert not window.rail.isVisible()
    assert not window.why.isVisible()
    assert QApplication.focusWidget() is page.cards["heard"].line
    assert not page.start.isEnabled()


def test_a_podcast_with_a_guest_far_away_in_at_most_thirty_keys(
    qtbot: QtBot, window: Window, page: WelcomeSurface
) -> None:
    keys = Keys()
    keys.type("Ann")
    keys.type("Ben")
    keys.type("Cy far")
    keys.press(KEY.Key_Tab)
    keys.type("rec")
    assert page.hearing.describe().count("Cy must not hear, and does not Cy") == 1
    keys.press(KEY.Key_Return, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: window.stage == "Feeds", timeout=60_000)
    assert keys.count <= 30
    show = window.document.show
    assert [party.name for party in show.parties if party.kind in ("presenter", "guest", "remote")] == [
        "Ann",
        "Ben",
        "Cy",
    ]
    assert window.document.analysis.counts()["stop"] == window.document.analysis.counts()["fix"] == 0
    # The doing list is the first thing to do, and nothing of it is lost when the window is closed.
    assert window.feeds.view == "doing"
    assert show.tasks
    assert window.document.unsaved
    assert window.rail.isVisible()


def test_the_pictures_are_there_with_the_key(window: Window, page: WelcomeSurface) -> None:
    keys = Keys()
    keys.type("Mira")
    assert "Mira to " in page.outline.describe()
    keys.type("fiddle")
    assert "Fiddle" in page.outline.describe()
    assert page.composed is None  # drawn before anything is planned


def test_what_enter_would_take_is_told_and_what_is_not_understood_stays_typed(page: WelcomeSurface) -> None:
    card = page.cards["hears"]
    card.line.setFocus()
    QTest.keyClicks(card.line, "rec each")
    assert card.told.text() == "Enter: Recording, each on a track"
    card.line.clear()
    QTest.keyClicks(card.line, "the moon")
    QTest.keyClick(card.line, KEY.Key_Return)
    assert card.line.text() == "the moon"
    assert "stream, recording" in card.told.text()
    assert names(page, "hears") == []


def test_backspace_takes_the_last_away_and_delete_the_chip(page: WelcomeSurface) -> None:
    keys = Keys()
    keys.type("Ann")
    keys.type("Ben")
    keys.type("Cy")
    keys.press(KEY.Key_Backspace)
    assert names(page, "heard") == ["Ann", "Ben"]
    keys.press(KEY.Key_Left)
    keys.press(KEY.Key_Left)
    keys.press(KEY.Key_Delete)
    assert names(page, "heard") == ["Ben"]
    assert QApplication.focusWidget() is page.cards["heard"].line


def test_what_is_proposed_becomes_what_is_there(qtbot: QtBot, page: WelcomeSurface) -> None:
    keys = Keys()
    keys.type("Ann")
    page.cards["hears"].line.setFocus()
    keys.type("stream")
    composed(qtbot, page)
    chip = next(row for row in page.cards["have"].chips() if row.property("answer") == "+interface-2")
    chip.click()
    assert [row.kind for row in page.answers.have] == ["interface-2"]
    composed(qtbot, page)
    assert page.composed is not None
    assert "interface-2" not in page.composed.to_get


def test_kinds_of_the_own_shelf_are_found_as_they_are_typed(window: Window, page: WelcomeSurface) -> None:
    kind = shipped_catalogue()["interface-2"].model_copy(update={"id": "trusty-box", "name": "Trusty box"})
    put_on_shelf(kind)
    window.welcoming.ask()
    card = page.cards["have"]
    card.line.setFocus()
    QTest.keyClicks(card.line, "trusty")
    assert card.told.text() == "Enter: Trusty box"
    QTest.keyClick(card.line, KEY.Key_Return)
    assert page.answers.have[0].kind == "trusty-box"


@pytest.mark.parametrize("n", range(6))
def test_each_starting_point_fills_the_answers(page: WelcomeSurface, n: int) -> None:
    page.start_buttons[n].click()
    assert page.answers == starts()[n].answers
    assert QApplication.focusWidget() is page.cards["heard"].line


def test_a_chip_opens_the_other_ways_to_have_it(page: WelcomeSurface) -> None:
    page.start_buttons[0].click()
    next(row for row in page.cards["heard"].chips() if row.property("answer") == "guest").click()
    rows = {row.text(): row for row in page.options.actions()}
    assert rows["By call, in the computer"].isChecked()
    page.options.close()
    rows["By telephone"].trigger()
    assert page.answers.voices[-1].by == "telephone"


def test_what_cannot_be_is_told_at_its_answer(page: WelcomeSurface) -> None:
    keys = Keys()
    keys.type("40 people")
    assert "largest interface" in page.cards["heard"].remarks.text()
    assert not page.cards["heard"].remarks.isHidden()


def test_an_empty_show_stays_possible(window: Window, page: WelcomeSurface) -> None:
    page.links["empty"].click()
    assert window.stage == "Cast"
    assert window.rail.isVisible()
    assert not window.document.show.parties


def test_another_guest_for_a_show_at_work_keeps_what_was_set_by_hand(
    qtbot: QtBot, window: Window, page: WelcomeSurface
) -> None:
    page.start_buttons[0].click()
    page.go()
    qtbot.waitUntil(lambda: window.stage == "Feeds", timeout=60_000)
    window.document.apply((SetValue(SettingRef("interface", "in1", "gain_db"), 33.0),), "Gain")
    window.welcoming.change_answers()
    assert window.stage == "Welcome"
    keys = Keys()
    keys.type("Dora far")
    qtbot.waitUntil(lambda: "It would change" in page.about.text(), timeout=60_000)
    page.go()
    qtbot.waitUntil(lambda: window.stage == "Feeds", timeout=60_000)
    show = window.document.show
    assert any(party.name == "Dora" for party in show.parties)
    assert show.device("interface").settings["in1"].gain_db == 33.0
    window.undo()
    assert not any(party.name == "Dora" for party in window.document.show.parties)


def test_escape_leaves_the_answers_of_a_show_as_they_are(qtbot: QtBot, window: Window, page: WelcomeSurface) -> None:
    page.start_buttons[0].click()
    page.go()
    qtbot.waitUntil(lambda: window.stage == "Feeds", timeout=60_000)
    window.welcoming.change_answers()
    window.escape()
    assert window.stage == "Level"


def test_every_control_tells_what_it_is(page: WelcomeSurface) -> None:
    page.start_buttons[0].click()
    for card in page.cards.values():
        for chip in card.chips():
            assert chip.accessibleName()
            assert chip.toolTip()
    for button in (*page.start_buttons, *page.links.values(), page.start):
        assert button.toolTip()
    assert page.outline.accessibleDescription()
    assert page.hearing.accessibleDescription()
