"""The command list is asked in the trade's words, not only in the menus'."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from kymaphon.app.trade_words import ALSO, also
from kymaphon.app.widgets.command_list import CommandList, commands_of
from kymaphon.app.window import Window


def _names(dialog: CommandList) -> list[str]:
    rows = (dialog.rows.item(row) for row in range(dialog.rows.count()))
    held = (row.data(Qt.ItemDataRole.UserRole) for row in rows)
    return [action.text().replace("&", "") for action in held if action is not None]


@pytest.mark.parametrize(
    ("typed", "first"),
    [
        ("loop", "Loops"),
        ("Feedback", "Loops"),
        ("mix-minus", "Who hears whom"),
        ("latency", "Who hears whom"),
        ("hpf", "Spectrum and low cut"),
        ("sound check", "Run through the sources"),
        ("packing", "Show pull list"),
        ("spill", "Show bleed"),
        ("undo", "Undo"),
        ("running order", "Rundown"),
        ("edl", "Notes of the show"),
        ("last week", "Begin next week's from this show\u2026"),
    ],
)
def test_the_trades_word_finds_the_command(window: Window, typed: str, first: str) -> None:
    """Words that operators use for these things (common practice)."""
    dialog = CommandList(commands_of(window.menuBar()), window, also=also)
    QTest.keyClicks(dialog.field, typed)
    found = _names(dialog)
    assert first in found
    if typed in ("loop", "hpf", "packing", "spill", "undo"):
        QTest.keyClick(dialog.field, Qt.Key.Key_Return)
        assert dialog.chosen is not None
        assert dialog.chosen.text().replace("&", "") == first == found[0]


def test_what_is_called_so_comes_before_what_means_it(window: Window) -> None:
    dialog = CommandList(commands_of(window.menuBar()), window, also=also)
    QTest.keyClicks(dialog.field, "gate")
    assert _names(dialog)[0] == "Gate"


def test_where_nothing_is_found_it_says_so_and_enter_does_nothing(window: Window) -> None:
    dialog = CommandList(commands_of(window.menuBar()), window, also=also)
    QTest.keyClicks(dialog.field, "zzz <b>x</b>")
    assert dialog.rows.count() == 1
    assert "\u201czzz <b>x</b>\u201d" in dialog.rows.item(0).text()
    QTest.keyClick(dialog.field, Qt.Key.Key_Return)
    assert dialog.chosen is None
    for _ in range(12):
        QTest.keyClick(dialog.field, Qt.Key.Key_Backspace)
    assert len(_names(dialog)) > 80


def test_every_word_is_of_a_command_that_there_is(window: Window) -> None:
    there = {action.text().replace("&", "").rstrip("\u2026") for action in commands_of(window.menuBar())}
    assert set(ALSO) <= there
    assert all(words == words.lower() for words in ALSO.values())
