"""Widgets that are used again."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QPushButton, QVBoxLayout, QWidget

from kymaphon.app import theme
from kymaphon.app.widgets.reuse import SPARE, PushButton, Reused, loosen
from kymaphon.app.widgets.why import Action, WhyContent, WhyPanel
from kymaphon.core.derive import Derived
from kymaphon.core.model.findings import Finding, Remedy


def panel(qtbot) -> WhyPanel:
    made = WhyPanel(theme.living(theme.DARK))
    qtbot.addWidget(made)
    made.resize(340, 700)
    with qtbot.waitActive(made):
        made.show()
        made.activateWindow()
    return made


def content(title: str, *actions: str, lines: int = 1) -> WhyContent:
    rows = tuple(Derived(f"level {n}", n - 20.0, "dBFS", source="the take") for n in range(lines))
    return WhyContent(title, lines=rows, actions=tuple(Action(row, row.capitalize(), "tip") for row in actions))


def shown(made: WhyPanel) -> list[str]:
    """What a screen reader goes through: the children in their order, without what is hidden."""
    return [row.text() for row in made.widget().children() if isinstance(row, QLabel | QPushButton) and row.isVisible()]


class TestWhyPanel:
    def test_the_same_widgets_show_the_next_thing_in_the_order_of_the_screen(self, qtbot) -> None:
        made = panel(qtbot)
        made.show_content(content("One", "alpha", "beta", lines=3))
        count = len(made.widget().children())
        made.show_content(content("Two", "gamma"))
        assert shown(made) == ["Two", "Level 0", "\N{MINUS SIGN}20.0 dBFS", "The take", "Gamma"]
        made.show_content(content("One", "alpha", "beta", lines=3))
        assert shown(made)[-2:] == ["Alpha", "Beta"]
        assert len(made.widget().children()) == count
        QApplication.processEvents()
        tops = [row.y() for row in made.widget().children() if isinstance(row, QPushButton) and row.isVisible()]
        assert tops == sorted(tops)

    def test_a_press_begun_on_what_a_button_was_does_nothing_of_what_it_is(self, qtbot) -> None:
        made = panel(qtbot)
        done: list[str] = []
        made.act.connect(done.append)
        made.show_content(content("One", "alpha"))
        button = next(row for row in made.findChildren(QPushButton) if row.text() == "Alpha")
        button.setFocus()
        QTest.mousePress(button, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
        made.show_content(content("One", "delete"))
        assert button.text() == "Delete"
        QTest.mouseRelease(button, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
        assert done == []
        assert not button.hasFocus()
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        assert done == ["delete"]

    def test_a_press_is_meant_for_the_remedy_that_stood_there_though_the_next_has_its_name(self, qtbot) -> None:
        made = panel(qtbot)
        done: list[Remedy] = []
        made.apply_remedy.connect(done.append)
        for who in ("Mira", "Tam"):
            remedy = Remedy("turn", f"Turn {who} up", "Then it is right.", ())
            row = Finding("off-mark", "fix", "Level", (who,), f"{who} is quiet", "Too quiet.", (), None, (remedy,))
            made.show_content(WhyContent(who, findings=(row,)))
            if who == "Mira":
                button = made.findChild(QPushButton, "do off-mark turn")
                QTest.mousePress(button, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
        QTest.mouseRelease(button, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
        assert done == []
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        assert [row.label for row in done] == ["Turn Tam up"]

    def test_the_button_in_focus_keeps_it_while_it_is_there(self, qtbot) -> None:
        made = panel(qtbot)
        made.show_content(content("One", "alpha", "beta"))
        beta = next(row for row in made.findChildren(QPushButton) if row.text() == "Beta")
        beta.setFocus()
        made.show_content(content("One", "gamma", "beta", lines=2))
        assert beta.hasFocus()
        assert beta.text() == "Beta"

    def test_what_vanishes_under_the_finger_hands_the_key_on_to_nothing(self, qtbot) -> None:
        made = panel(qtbot)
        done: list[str] = []
        made.act.connect(done.append)
        made.show_content(content("One", "alpha", "beta"))
        next(row for row in made.findChildren(QPushButton) if row.text() == "Beta").setFocus()
        made.show_content(content("One", "alpha"))
        focused = QApplication.focusWidget()
        assert not isinstance(focused, QPushButton)
        QTest.keyClick(focused or made, Qt.Key.Key_Space)
        assert done == []

    def test_while_something_is_previewed_the_way_back_is_under_the_finger(self, qtbot) -> None:
        made = panel(qtbot)
        made.show_content(content("One", "alpha", "beta"))
        next(row for row in made.findChildren(QPushButton) if row.text() == "Beta").setFocus()
        made.held = Remedy("r", "Switch it off", "Then it is quiet.", ())
        made.show_content(content("One", "alpha"))
        focused = QApplication.focusWidget()
        assert isinstance(focused, QPushButton)
        assert focused.text() == "End preview"

    def test_what_is_not_shown_says_nothing(self, qtbot) -> None:
        made = panel(qtbot)
        made.show_content(content("One", "alpha", lines=9))
        made.show_content(WhyContent("Sum", lines=(Derived("sum", 1.0, "dB", terms=(Derived("one", 1.0, "dB"),)),)))
        made.show_content(WhyContent("Two"))
        hidden = [row for row in made.widget().findChildren(QLabel) if not row.isVisible()]
        assert hidden
        assert {row.text() for row in hidden} == {""}
        assert made.findChildren(QWidget, "rule")  # the style sheet goes by this name, shown or not
        assert all(row.then is None for row in made.findChildren(PushButton) if not row.isVisible())

    def test_longer_words_in_the_same_place_and_larger_text_are_not_cut(self, qtbot) -> None:
        made = panel(qtbot)

        def cut() -> list[str]:
            QApplication.processEvents()
            rows = [row for row in made.findChildren(QLabel) if row.isVisible() and row.wordWrap()]
            assert rows
            return [row.text() for row in rows if row.height() < row.heightForWidth(row.width())]

        for lines in (1, 3, 2):
            made.show_content(content("One", lines=lines))
            assert cut() == []
        for words in (
            "Short.",
            "Why it is so takes more than a line to tell, and more than two of them. " * 4,
            "Short.",
        ):
            made.show_content(WhyContent("One", subtitle=words, notes=(words,), hint=words))
            assert cut() == []
        made.show_content(WhyContent("One", notes=("Words that fill a line or two at this size.",) * 3))
        made.setStyleSheet("QLabel { font-size: 28px; }")
        assert cut() == []


class TestReused:
    def test_what_is_over_goes(self, qtbot) -> None:
        body = QWidget()
        qtbot.addWidget(body)
        column = QVBoxLayout(body)
        parts = Reused(body)
        for count in (SPARE + 30, 1):
            parts.begin()
            loosen(column)
            for _ in range(count):
                column.addWidget(parts.take("row", QLabel))
            parts.end()
        qtbot.waitUntil(lambda: len(body.findChildren(QLabel)) == SPARE + 1)
        assert column.count() == 1
