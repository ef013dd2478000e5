"""Cast driven as a user drives it: the plan by keyboard and mouse, the tables, the forms, the shelf."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from kymaphon.app.document import Document
from kymaphon.app.kinds import KindsDialog
from kymaphon.app.stages.cast import CastStage
from kymaphon.app.stages.cast_head import ELSEWHERE
from kymaphon.app.stages.cast_words import CAST_COMMANDS
from kymaphon.app.widgets.form import Form, number_of
from kymaphon.app.window import Window
from kymaphon.core.show import Show
from kymaphon.files.kinds_file import read_shelf, shelf_path
from tests.app.conftest import button, why_words

SHIFT, ALT, CTRL = (
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ControlModifier,
)


@pytest.fixture
def cast(window: Window) -> CastStage:
    window.go("Cast")
    window.cast.picture.setFocus()
    return window.cast


def press(
    qtbot: QtBot,
    cast: CastStage,
    key: Qt.Key,
    held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    times: int = 1,
) -> None:
    for _ in range(times):
        qtbot.keyClick(cast.picture, key, held)


def at(window: Window, device: str) -> tuple[float, float]:
    found = window.document.show.device(device).at_m
    assert found is not None
    return found


def fill(form: Form, **values: Any) -> None:
    """Types into a form."""
    for name, value in values.items():
        field = form.findChild(QWidget, f"field {name}")
        if isinstance(field, QComboBox):
            field.setCurrentIndex(field.findData(value))
        elif isinstance(field, QLineEdit):
            field.setText(value)
        else:
            field.setChecked(value)  # type: ignore[union-attr]


def with_form(run: Callable[[], Any], type_: Callable[[Form], None]) -> None:
    """Opens a modal form by `run`, types into it, and takes it over."""
    seen: list[Form] = []

    def drive() -> None:
        form = QApplication.activeModalWidget()
        assert isinstance(form, Form)
        seen.append(form)
        type_(form)
        form.accept()
        if form.isVisible():
            form.reject()

    QTimer.singleShot(0, drive)
    run()
    assert seen


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

    def test_arrows_nudge_five_centimetres_and_alt_one(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
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
        press(qtbot, cast, Qt.Key.Key_Down, times=36)
        assert at(window, "mic-ilse")[1] == 0

    def test_delete_takes_it_off_and_undo_brings_it_back(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
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
            cast.picture.accessibleDescription()
            == "Ilse's microphone, microphone, at 3.02, 1.76 m, turned 357 degrees"
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
    def test_nearer_keeps_what_is_selected_in_view_and_the_whole_place_comes_back(
        self, cast: CastStage
    ) -> None:
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

    def test_a_drag_goes_as_far_as_the_pointer_says(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
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

    def test_it_is_never_nearer_than_makes_sense_and_another_place_is_seen_whole(
        self, cast: CastStage
    ) -> None:
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
        assert cast.microphones.currentIndex().row() == 1
        qtbot.keyClick(cast.microphones, Qt.Key.Key_Up)
        assert cast.key == ("microphone", "mic-mira")

    def test_figures_are_those_of_the_core(self, window: Window, cast: CastStage) -> None:
        sound = window.document.analysis.sound("boathouse")
        row = cast.microphones.words.rows[2]
        assert row.cells[:3] == ("Ilse", "Quay handheld condenser", "46 cm")
        assert row.cells[5] == f"{sound.voice_over_room[2]:.1f} dB"

    def test_a_cell_of_the_bleed_matrix_explains_itself(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
        cast.choose_view("bleed")
        cast.bleed.setCurrentIndex(cast.bleed.words.index(1, 3))
        words = why_words(window)
        assert "Tam in Ilse's microphone" in words
        assert "Tam under Ilse" in words
        assert "Three to one" in words

    def test_the_ranking_puts_the_chosen_kind_to_use_in_one_step(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
        cast.choose_view("best")
        assert "At its best" in why_words(window)
        row = next(i for i, row in enumerate(cast.best.words.rows) if row.key == ("kind", "dynamic-close"))
        cast.best.setCurrentIndex(cast.best.words.index(row, 1))
        qtbot.mouseClick(button(window, "act use"), Qt.MouseButton.LeftButton)
        device = window.document.show.device("mic-ilse")
        assert device.kind == "dynamic-close"
        assert device.aim_deg is None
        assert window.document.undo_stack.count() == 1

    def test_remedies_of_the_plan_preview_and_mend(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
        show = window.document.show
        qtbot.mouseClick(button(window, "preview too-far nearer"), Qt.MouseButton.LeftButton)
        assert window.document.show is show
        assert cast.microphones.words.rows[2].cells[2] == "15 cm"
        qtbot.mouseClick(button(window, "do held"), Qt.MouseButton.LeftButton)
        codes = {row.code for row in window.document.analysis.findings if "mic-ilse" in row.subjects}
        assert not codes & {"too-far", "three-to-one"}

    def test_a_count_jumps_to_the_finding_on_its_plan(self, window: Window, qtbot: QtBot) -> None:
        window.bar.jump.emit("fix")
        assert window.stage == "Cast"
        assert window.cast.key == ("microphone", "mic-ilse")


class TestForms:
    def test_enter_opens_the_details_and_what_is_typed_is_taken(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
        with_form(
            lambda: press(qtbot, cast, Qt.Key.Key_Return),
            lambda form: fill(form, at_m="3,25; 1,6", aim_deg="", shield="foam"),
        )
        device = window.document.show.device("mic-ilse")
        assert (device.at_m, device.aim_deg, device.shield) == ((3.25, 1.6), None, "foam")

    @pytest.mark.parametrize(
        ("values", "words"),
        [
            ({"at_m": "here"}, "two figures"),
            ({"at_m": "1, x"}, "not a number"),
            ({"aim_deg": "nan"}, "not a number"),
            ({"aim_deg": "99999"}, "3600"),
        ],
    )
    def test_what_is_wrong_is_told_and_nothing_is_lost(
        self, window: Window, cast: CastStage, qtbot: QtBot, values: dict[str, str], words: str
    ) -> None:
        show, told = window.document.show, []

        def type_(form: Form) -> None:
            fill(form, **values)
            form.accept()
            told.append(form.trouble.text())

        with_form(lambda: press(qtbot, cast, Qt.Key.Key_Return), type_)
        assert words in told[0]
        assert window.document.show is show

    def test_somebody_new_gets_a_free_spot_and_a_microphone_from_the_ranking(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
        with_form(
            lambda: cast.forms.party(None, "boathouse"), lambda form: fill(form, name="Nan", kind="guest")
        )
        party = window.document.show.party("nan")
        assert party.at_m is not None
        cast.picture.choose(("party", "nan"))
        assert "no microphone" in why_words(window)
        qtbot.mouseClick(button(window, "act best"), Qt.MouseButton.LeftButton)
        qtbot.mouseClick(button(window, "act use"), Qt.MouseButton.LeftButton)
        assert window.document.show.device("mic-nan").party == "nan"

    def test_places_noises_surfaces_and_loudspeakers(self, window: Window, cast: CastStage) -> None:
        with_form(lambda: cast.forms.place(None), lambda form: fill(form, name="Attic", size_m="3, 2"))
        place = window.document.show.place("attic")
        assert place.size_m == (3, 2)
        with_form(
            lambda: cast.forms.noise(place, None), lambda form: fill(form, name="Clock", level_dba_1m="30")
        )
        with_form(
            lambda: cast.forms.surface(place, None), lambda form: fill(form, name="Shelf", shape="wall")
        )
        with_form(
            lambda: cast.forms.device(None, "attic", loudspeaker=True), lambda form: fill(form, at_m="1, 1")
        )
        place = window.document.show.place("attic")
        assert [row.name for row in (*place.noises, *place.surfaces)] == ["Clock", "Shelf"]
        assert [row.kind for row in window.document.show.devices if row.place == "attic"] == ["loudspeaker"]
        cast.choose_place("attic")
        assert {thing.sort for thing in cast.things} == {"loudspeaker", "noise", "surface"}
        cast.forms.remove_place(place)
        assert cast.place != "attic"

    @pytest.mark.parametrize("size", ["0, 4", "-3, 4", "1"])
    def test_a_place_without_room_is_refused(self, window: Window, cast: CastStage, size: str) -> None:
        show = window.document.show
        with_form(lambda: cast.forms.place(None), lambda form: fill(form, name="Nowhere", size_m=size))
        assert window.document.show is show

    def test_numbers_as_people_type_them(self) -> None:
        assert number_of("\u22124,5", "x") == -4.5
        for text in ("", "1.2.3", "inf", "nan", "four"):
            with pytest.raises(ValueError):
                number_of(text, "x")


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
        assert len(opened) == 7

    def test_every_command_of_cast_is_in_the_menu_bar_too(self, window: Window) -> None:
        menu = window.cast_menu
        words = [action.text() for action in menu.actions() if action.text()]
        assert [text for text in words if "Add" in text] == [
            text for _, text, _ in CAST_COMMANDS if "Add" in text
        ]
        next(action for action in menu.actions() if action.text() == "Show bleed").trigger()
        assert (window.stage, window.cast.view) == ("Cast", "bleed")

    def test_the_bands_can_be_put_away_and_stay_away(self, window: Window, cast: CastStage) -> None:
        assert cast.picture.content.map is not None
        window.bands_action.trigger()
        assert cast.picture.content.map is None
        window.swap_theme()
        assert window.cast.picture.content.map is None

    def test_the_menu_is_reached_by_key(self, cast: CastStage) -> None:
        assert isinstance(cast.top.add, QPushButton)
        assert all(isinstance(action, QAction) for action in cast.top.menu.actions())


class TestElsewhere:
    def test_who_has_no_place_is_listed_and_edited_there(
        self, window: Window, cast: CastStage, qtbot: QtBot
    ) -> None:
        cast.choose_place(ELSEWHERE)
        names = [row.cells[0] for row in cast.microphones.words.rows]
        assert names == ["Jingles", "Stream", "Harbour station", "Podcast"]
        assert "player" in why_words(window)
        cast.microphones.choose(1)
        cast._row_chosen(1)
        with_form(
            lambda: qtbot.keyClick(cast.microphones, Qt.Key.Key_Return),
            lambda form: fill(form, name="Internet"),
        )
        assert window.document.show.party("stream").name == "Internet"
        qtbot.keyClick(cast.microphones, Qt.Key.Key_Delete)
        assert "stream" not in [row.id for row in window.document.show.parties]
        window.document.undo_stack.undo()
        assert window.document.show.party("stream").hears_on == "encoder"

    def test_somebody_put_into_a_place_leaves(self, window: Window, cast: CastStage) -> None:
        cast.choose_place(ELSEWHERE)
        with_form(lambda: cast.act("details"), lambda form: fill(form, place="slipway", at_m="1, 1"))
        assert window.document.show.party("jingles").place == "slipway"
        assert "Jingles" not in [row.cells[0] for row in cast.microphones.words.rows]


class TestKinds:
    @pytest.fixture
    def dialog(self, window: Window, qtbot: QtBot) -> KindsDialog:
        dialog = KindsDialog(window, window.document)
        qtbot.addWidget(dialog)
        dialog.show()
        return dialog

    def test_a_new_one_is_on_the_shelf_and_can_be_chosen_in_a_show(
        self, window: Window, cast: CastStage, dialog: KindsDialog
    ) -> None:
        with_form(
            lambda: dialog.new("microphone"),
            lambda form: fill(form, name="Barge mic", sensitivity_dbv_pa="-40"),
        )
        assert [kind.id for kind in read_shelf()] == ["barge-mic"]
        assert dialog.list.count() == 1
        with_form(
            lambda: cast.forms.device(window.document.show.device("mic-tam"), "boathouse"),
            lambda form: fill(form, kind="barge-mic"),
        )
        assert window.document.show.device("mic-tam").kind == "barge-mic"
        assert "barge-mic" in [kind.id for kind in window.document.show.kinds]

    def test_an_edit_reaches_the_show_that_uses_it(
        self, window: Window, cast: CastStage, dialog: KindsDialog
    ) -> None:
        self.test_a_new_one_is_on_the_shelf_and_can_be_chosen_in_a_show(window, cast, dialog)
        dialog.list.setCurrentRow(0)
        with_form(dialog.edit, lambda form: fill(form, farthest_m="0.7"))
        kind = next(row for row in window.document.show.kinds if row.id == "barge-mic")
        assert kind.microphone is not None
        assert kind.microphone.farthest_m == 0.7

    def test_one_of_the_shelf_is_ranked_and_taken_into_the_show(
        self, window: Window, cast: CastStage, dialog: KindsDialog, qtbot: QtBot
    ) -> None:
        with_form(lambda: dialog.new("microphone"), lambda form: fill(form, name="Barge mic"))
        cast.choose_view("best")
        row = next(i for i, row in enumerate(cast.best.words.rows) if row.key == ("kind", "barge-mic"))
        cast.best.setCurrentIndex(cast.best.words.index(row, 1))
        qtbot.mouseClick(button(window, "act use"), Qt.MouseButton.LeftButton)
        assert window.document.show.device("mic-ilse").kind == "barge-mic"
        assert window.document.analysis.sound("boathouse").mics[2].kind.name == "Barge mic"

    def test_a_wrong_figure_is_told(self, dialog: KindsDialog) -> None:
        told: list[str] = []

        def type_(form: Form) -> None:
            fill(form, name="Wrong", nearest_m="3")
            form.accept()
            told.append(form.trouble.text())

        with_form(lambda: dialog.new("microphone"), type_)
        assert "nearest distance must lie below" in told[0]
        assert read_shelf() == ()

    def test_import_export_remove(self, dialog: KindsDialog, tmp_path: Path) -> None:
        with_form(lambda: dialog.new("desk"), lambda form: fill(form, name="Barge desk", mic_channels="2"))
        dialog.give_out(tmp_path / "kinds.csv")
        assert "Written" in dialog.trouble.text()
        dialog.remove()
        assert read_shelf() == ()
        dialog.take_in(tmp_path / "kinds.csv")
        assert [kind.id for kind in read_shelf()] == ["barge-desk"]
        dialog.take_in(tmp_path / "nothing.csv")
        assert "no such file" in dialog.trouble.text()

    def test_good_rows_are_kept_only_when_agreed(
        self, dialog: KindsDialog, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        path = tmp_path / "list.csv"
        path.write_text("group,id,name\nmicrophone,a,A\nkazoo,b,B\n")
        for agrees, count in ((False, 0), (True, 1)):
            monkeypatch.setattr(dialog, "_agrees", lambda _problem, agrees=agrees: agrees)
            dialog.take_in(path)
            assert len(read_shelf()) == count

    def test_a_damaged_shelf_is_told(self, window: Window, dialog: KindsDialog) -> None:
        shelf_path().write_text("{")
        dialog.fill()
        assert "Nothing is written over it" in dialog.trouble.text()
        assert window.cast.forms.catalogue is not None
