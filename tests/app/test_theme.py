"""Contrast of both themes by WCAG 2.2: text 4.5 to 1, shapes 3 to 1."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QColor, QFont, QFontDatabase
from PySide6.QtWidgets import QMainWindow, QMenuBar
from pytestqt.qtbot import QtBot

from kymaphon.app import theme
from kymaphon.app.theme import DARK, LIGHT, Theme, contrast

BOTH = pytest.mark.parametrize("colours", [DARK, LIGHT], ids=["dark", "light"])


def test_the_measure_itself() -> None:
    """Black on white is 21 to 1; #777 on white is 4.48 to 1 (W3C's worked figures)."""
    assert contrast(QColor("#000"), QColor("#fff")) == pytest.approx(21)
    assert contrast(QColor("#777777"), QColor("#ffffff")) == pytest.approx(4.48, abs=0.01)


@BOTH
@pytest.mark.parametrize("ground", ["ground", "panel", "raised"])
@pytest.mark.parametrize("role", ["text", "muted"])
def test_text(colours: Theme, ground: str, role: str) -> None:
    assert contrast(colours.color(role), colours.color(ground)) >= 4.5


@BOTH
@pytest.mark.parametrize(
    "role", ["stop", "fix", "note", "room", "microphone", "preamp", "converter", "others", "voice"]
)
def test_coloured_text_on_panels(colours: Theme, role: str) -> None:
    wanted = 4.5 if role in ("stop", "fix", "note") else 3.0
    assert contrast(colours.color(role), colours.color("panel")) >= wanted


@BOTH
def test_buttons_and_focus(colours: Theme) -> None:
    assert contrast(colours.color("on_lantern"), colours.color("lantern")) >= 4.5
    for ground in ("ground", "panel", "raised"):
        assert contrast(colours.color("lantern"), colours.color(ground)) >= 3


@BOTH
def test_parties_are_seen_and_told_apart(colours: Theme) -> None:
    assert len(set(colours.parties)) == len(colours.parties) == 8
    for i in range(8):
        assert contrast(colours.party(i), colours.color("panel")) >= 3
    assert colours.party(8) == colours.party(0)


def test_the_shipped_typeface_is_used_with_tabular_figures(qtbot: QtBot) -> None:
    theme.load_fonts()
    assert theme.FAMILY in QFontDatabase.families()
    row = theme.font()
    assert row.featureValue(QFont.Tag("tnum")) == 1
    widths = {QFontDatabase.font(theme.FAMILY, "Regular", 12).family()}
    assert widths == {theme.FAMILY}


@pytest.mark.parametrize("scale", [1.0, 1.5])
def test_menus_have_the_shipped_typeface_where_the_desktop_gives_them_its_own(qtbot: QtBot, scale: float) -> None:
    """Found with the real program: until its text was resized, the menu bar stood in the desktop's own small type."""
    bar = QMenuBar()
    bar.addMenu("Air")
    whole = QMainWindow()
    qtbot.addWidget(whole)
    whole.setMenuBar(bar)
    bar.setFont(QFont("Some desktop's own", 7))
    theme.load_fonts()
    whole.setStyleSheet(theme.style_sheet(theme.DARK, scale))
    whole.show()
    assert bar.font().family() == theme.FAMILY
    assert bar.font().pointSizeF() == pytest.approx(theme.BASE_POINTS * scale)
