"""Cast driven as a user drives it: the plan by keyboard and mouse, the tables, the remedies, an empty show."""

from __future__ import annotations

import math
import re

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from kymaphon.app.document import Document
from kymaphon.app.stages.cast.stage import CastStage
from kymaphon.app.stages.cast.words import CAST_COMMANDS
from kymaphon.app.window import Window
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.show import Show
from tests.app.conftest import at, button, fill, press, why_words, with_form

SHIFT, ALT, CTRL = (
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ControlModifier,
)


class TestPlan:
    def test_the_worst_microphone_is_chosen_and_explained(self, window: Window, cast: CastStage) -> None:
        words = why_words(window)
        assert cast.key == ("microphone", "mic-ilse")
        assert "46 cm" in words
        assert "Ilse over the room" in words
        assert "first notch at 159 Hz" in words

    def test_page_keys_go_through_everything_and_come_round(self, cast: CastStage, qtbot: QtBot) -> None:
        first, seen = cast.key, []
        for _ in cast.things:
            press(qtbot, cast, Qt.Key.Key_PageDown)
            seen.append(cast.key)
        assert cast.key == first
        assert len(set(seen)) == len(cast.things)
        press(qtbot, cast, Qt.Key.Key_PageUp)
        assert cast.key == seen[-2]

    def test_arrows_nudge_five_centimetres_and_alt_one(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        x, y = at(window, "mic-ilse")
        press(qtbot, cast, Qt.Key.Key_Right)
        press(qtbot, cast, Qt.Key.Key_Up, ALT, 2)
        assert at(window, "mic-ilse") == pytest.approx((x + 0.05, y + 0.02))

    def test_nudging_on_and_on_is_one_step_back(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        before = window.document.show
        press(qtbot, cast, Qt.Key.Key_Right, times=6)
        assert window.document.undo_stack.count() == 1
        window.document.undo_stack.undo()
        assert window.document.show == before

    def test_shift_turns(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        press(qtbot, cast, Qt.Key.Key_Left, SHIFT, 2)
        press(qtbot, cast, Qt.Key.Key_Right, SHIFT | ALT)
        assert window.document.show.device("mic-ilse").aim_deg == pytest.approx((357 + 10 - 1) % 360)

    def test_ctrl_takes_the_microphone_along(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        cast.picture.choose(("party", "ilse"))
        x, y = at(window, "mic-ilse")
        press(qtbot, cast, Qt.Key.Key_Down, CTRL)
        assert at(window, "mic-ilse") == pytest.approx((x, y - 0.05))

    def test_nothing_leaves_the_room(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        x, _ = at(window, "mic-ilse")
        window.document.apply((SetField("devices", "mic-ilse", "at_m", (x, 0.12)),), "near the wall")
        for y in (0.07, 0.02, 0.0, 0.0):
            press(qtbot, cast, Qt.Key.Key_Down)
            assert at(window, "mic-ilse") == pytest.approx((x, y))

    def test_delete_takes_it_off_and_undo_brings_it_back(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        press(qtbot, cast, Qt.Key.Key_Delete)
        assert "mic-ilse" not in [row.id for row in window.document.show.devices]
        assert "mic-ilse.out" not in [row.source for row in window.document.show.cables]
        window.document.undo_stack.undo()
        assert window.document.show.device("mic-ilse")

    def test_a_drag_shows_its_figures_at_once_and_is_one_step(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
        picture, show = cast.picture, window.document.show
        picture.grab()
        start = picture._frame.to_px(at(window, "mic-ilse")).toPoint()
        to = picture._frame.to_px((3.3, 1.6)).toPoint()
        before = why_words(window)
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
        qtbot.mouseMove(picture, (start + to) / 2)
        qtbot.mouseMove(picture, to)
        assert window.document.show is show, "nothing is changed before the button is let go"
        qtbot.waitUntil(lambda: why_words(window) != before, timeout=5000)
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=to)
        assert at(window, "mic-ilse") == pytest.approx((3.3, 1.6), abs=0.02)
        assert window.document.undo_stack.count() == 1

    def test_escape_ends_a_drag_where_it_began(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        picture, show, before = cast.picture, window.document.show, why_words(window)
        picture.grab()
        start = picture._frame.to_px(at(window, "mic-ilse")).toPoint()
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
        qtbot.mouseMove(picture, start + QPoint(80, 40))
        qtbot.keyClick(picture, Qt.Key.Key_Escape)
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=start + QPoint(80, 40))
        assert window.document.show is show
        assert why_words(window) == before

    def test_the_handle_turns(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        picture = cast.picture
        picture.grab()
        spot = picture._frame.to_px(at(window, "mic-ilse"))
        angle = math.radians(357)
        arm = spot + QPointF(40 * math.cos(angle), -40 * math.sin(angle))
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=arm.toPoint())
        qtbot.mouseMove(picture, (spot + QPointF(0, -60)).toPoint())
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=(spot + QPointF(0, -60)).toPoint())
        assert window.document.show.device("mic-ilse").aim_deg == pytest.approx(90, abs=2)

    def test_a_click_selects_and_changes_nothing(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        show = window.document.show
        cast.picture.grab()
        spot = cast.picture._frame.to_px((1.4, 2.9)).toPoint()
        qtbot.mouseClick(cast.picture, Qt.MouseButton.LeftButton, pos=spot)
        assert cast.key == ("party", "mira")
        assert window.document.show is show

    def test_it_tells_itself_to_a_screen_reader(self, cast: CastStage) -> None:
        assert (
            cast.picture.accessibleDescription() == "Ilse's microphone, microphone, at 3.02, 1.76 m, turned 357 degrees"
        )

    def test_every_place_and_view_is_drawn_at_every_size(self, window: Window, cast: CastStage) -> None:
        for size in (1.0, 1.5):
            window.set_scale(size)
            for place in window.document.show.places:
                window.cast.choose_place(place.id)
                for view in ("microphones", "bleed", "best"):
                    window.cast.choose_view(view)
                    for thing in window.cast.things:
                        window.cast.picture.choose(thing.key)
                        assert not re.search(r"\bnan\b|\binf\b", why_words(window))
                    window.grab()

    def test_the_theme_keeps_what_is_selected(self, window: Window, cast: CastStage) -> None:
        cast.choose_place("slipway")
        cast.choose_view("bleed")
        window.swap_theme()
        assert (window.cast.place, window.cast.view) == ("slipway", "bleed")


class TestNearness:
    def test_nearer_keeps_what_is_selected_in_view_and_the_whole_place_comes_back(self, cast: CastStage) -> None:
        picture, whole = cast.picture, cast.picture.content.bounds
        for steps in (1, 1, 1, 1):
            picture.zoom(steps)
            left, bottom, right, top = picture.seen()
            assert left <= 3.02 <= right
            assert bottom <= 1.76 <= top
            assert whole[0] <= left < right <= whole[2]
            assert whole[1] <= bottom < top <= whole[3]
        assert right - left == pytest.approx(6 / 1.5**4)
        picture.zoom(-1)
        assert picture.seen()[2] - picture.seen()[0] == pytest.approx(6 / 1.5**3)
        picture.zoom(0)
        assert picture.seen() == whole

    def test_the_map_is_computed_anew_for_what_is_seen(self, cast: CastStage) -> None:
        cast.picture.zoom(3)
        found = cast.picture.content.map
        assert found is not None
        left, bottom, right, top = cast.picture.seen()
        assert (found.x_m[0], found.x_m[-1]) == pytest.approx((left, right))
        assert (found.y_m[0], found.y_m[-1]) == pytest.approx((bottom, top))

    def test_a_drag_goes_as_far_as_the_pointer_says(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        picture = cast.picture
        picture.zoom(4)
        picture.grab()
        start = picture._frame.to_px(at(window, "mic-ilse")).toPoint()
        to = picture._frame.to_px((3.1, 1.7)).toPoint()
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
        qtbot.mouseMove(picture, to)
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=to)
        assert at(window, "mic-ilse") == pytest.approx((3.1, 1.7), abs=0.005)

    def test_the_empty_plan_is_pulled_along(self, cast: CastStage, qtbot: QtBot) -> None:
        picture = cast.picture
        picture.zoom(3)
        picture.grab()
        before = picture.seen()
        spot = picture._frame.to_px((before[0] + 0.1, before[1] + 0.1)).toPoint()
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=spot)
        qtbot.mouseMove(picture, spot + QPoint(60, 0))
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=spot + QPoint(60, 0))
        assert picture.seen()[0] < before[0]
        assert picture.seen()[1] == pytest.approx(before[1])

    def test_it_is_never_nearer_than_makes_sense_and_another_place_is_seen_whole(self, cast: CastStage) -> None:
        cast.picture.zoom(99)
        assert cast.picture.seen()[2] - cast.picture.seen()[0] == pytest.approx(6 / 60)
        cast.picture.grab()
        cast.choose_place("slipway")
        assert cast.picture.seen() == (0, 0, 14, 9)

    def test_it_has_keys(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        qtbot.keyClick(window, Qt.Key.Key_Plus, CTRL)
        assert cast.picture.seen() != cast.picture.content.bounds
        qtbot.keyClick(window, Qt.Key.Key_0, CTRL)
        assert cast.picture.seen() == cast.picture.content.bounds


class TestTables:
    def test_the_row_and_the_plan_follow_each_other(self, cast: CastStage, qtbot: QtBot) -> None:
        cast.picture.choose(("party", "tam"))
        assert cast.table.currentIndex().row() == 1
        qtbot.keyClick(cast.table, Qt.Key.Key_Up)
        assert cast.key == ("microphone", "mic-mira")

    def test_figures_are_those_of_the_core(self, window: Window, cast: CastStage) -> None:
        sound = window.document.analysis.sound("boathouse")
        row = cast.table.words.rows[2]
        assert row.cells[:3] == ("Ilse", "Quay handheld condenser", "46 cm")
        assert row.cells[5] == f"{sound.voice_over_room[2]:.1f} dB"

    def test_a_cell_of_the_bleed_matrix_explains_itself(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        cast.choose_view("bleed")
        cast.table.setCurrentIndex(cast.table.words.index(1, 3))
        words = why_words(window)
        assert "Tam in Ilse's microphone" in words
        assert "Tam under Ilse" in words
        assert "Three to one" in words

    def test_the_ranking_puts_the_chosen_kind_to_use_in_one_step(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
        cast.choose_view("best")
        assert "At its best" in why_words(window)
        row = next(i for i, row in enumerate(cast.table.words.rows) if row.key == ("kind", "dynamic-close"))
        cast.table.setCurrentIndex(cast.table.words.index(row, 1))
        qtbot.mouseClick(button(window, "act use"), Qt.MouseButton.LeftButton)
        device = window.document.show.device("mic-ilse")
        assert device.kind == "dynamic-close"
        assert device.aim_deg is None
        assert window.document.undo_stack.count() == 1

    def test_remedies_of_the_plan_preview_and_mend(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        show = window.document.show
        qtbot.mouseClick(button(window, "preview too-far nearer"), Qt.MouseButton.LeftButton)
        assert window.document.show is show
        assert cast.table.words.rows[2].cells[2] == "15 cm"
        qtbot.mouseClick(button(window, "do held"), Qt.MouseButton.LeftButton)
        codes = {row.code for row in window.document.analysis.findings if "mic-ilse" in row.subjects}
        assert not codes & {"too-far", "three-to-one"}

    def test_a_count_jumps_to_the_finding_on_its_plan(self, window: Window, qtbot: QtBot) -> None:
        window.bar.jump.emit("fix")
        assert window.stage == "Cast"
        assert window.cast.key == ("microphone", "mic-ilse")


class TestEmpty:
    def test_a_show_without_places_says_what_to_do_first(self, qtbot: QtBot) -> None:
        window = Window(Document(Show(), autosave=False))
        qtbot.addWidget(window)
        window.show()
        window.go("Cast")
        assert window.stage == "Cast", "a show begins with who takes part"
        assert "Start with a place" in window.cast.subtitle.text()
        assert window.cast.start.isVisible()
        assert not window.cast.picture.isVisible()
        with_form(lambda: window.cast.act("place"), lambda form: fill(form, name="Yard"))
        assert window.cast.place == "yard"
        assert window.cast.title.text() == "Yard"
        assert window.cast.picture.isVisible()
        with_form(lambda: window.cast.act("party"), lambda form: fill(form, name="Ann"))
        assert window.document.show.party("ann").place == "yard"
        window.document.undo_stack.setClean()
        window.document.close()

    def test_every_entry_of_the_add_menu_opens_something(self, window: Window, cast: CastStage) -> None:
        opened = []
        for action in cast.top.menu.actions():
            if action.text().endswith("\u2026") and "kinds" not in action.text():
                with_form(action.trigger, lambda form: opened.append(form.windowTitle()) or form.reject())
        assert len(opened) == 10

    def test_every_command_of_cast_is_in_the_menu_bar_too(self, window: Window) -> None:
        menu = window.menus.cast
        words = [action.text() for action in menu.actions() if action.text()]
        assert [text for text in words if "Add" in text] == [text for _, text, _, _ in CAST_COMMANDS if "Add" in text]
        next(action for action in menu.actions() if action.text() == "Show bleed").trigger()
        assert (window.stage, window.cast.view) == ("Cast", "bleed")

    def test_the_bands_can_be_put_away_and_stay_away(self, window: Window, cast: CastStage) -> None:
        assert cast.picture.content.map is not None
        window.menus.bands.trigger()
        assert cast.picture.content.map is None
        window.swap_theme()
        assert window.cast.picture.content.map is None

    def test_the_menu_is_reached_by_key(self, cast: CastStage) -> None:
        assert isinstance(cast.top.add, QPushButton)
        assert all(isinstance(action, QAction) for action in cast.top.menu.actions())
