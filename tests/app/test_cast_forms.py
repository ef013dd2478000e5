"""The forms of Cast, those without a place, and the shelf of the user's own kinds, driven as a user drives them."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel, QLineEdit
from pytestqt.qtbot import QtBot

from kymaphon.app.kinds import KindsDialog
from kymaphon.app.stages.cast.head import ELSEWHERE
from kymaphon.app.stages.cast.stage import CastStage
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.form import Field, Form, number_of
from kymaphon.app.window import Window
from kymaphon.files.kinds_file import read_shelf, shelf_path
from tests.app.conftest import button, fill, press, why_words, with_form


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
        with_form(lambda: cast.forms.party(None, "boathouse"), lambda form: fill(form, name="Nan", kind="guest"))
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
        with_form(lambda: cast.forms.noise(place, None), lambda form: fill(form, name="Clock", level_dba_1m="30"))
        with_form(lambda: cast.forms.surface(place, None), lambda form: fill(form, name="Shelf", shape="wall"))
        with_form(lambda: cast.forms.device(None, "attic", loudspeaker=True), lambda form: fill(form, at_m="1, 1"))
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


class TestElsewhere:
    def test_who_has_no_place_is_listed_and_edited_there(self, window: Window, cast: CastStage, qtbot: QtBot) -> None:
        cast.choose_place(ELSEWHERE)
        names = [row.cells[0] for row in cast.table.words.rows]
        assert names == ["Jingles", "Stream", "Harbour station", "Podcast"]
        assert "player" in why_words(window)
        cast.table.choose(1)
        cast.table.chosen.emit(1, 0)
        with_form(
            lambda: qtbot.keyClick(cast.table, Qt.Key.Key_Return),
            lambda form: fill(form, name="Internet"),
        )
        assert window.document.show.party("stream").name == "Internet"
        qtbot.keyClick(cast.table, Qt.Key.Key_Delete)
        assert "stream" not in [row.id for row in window.document.show.parties]
        window.document.undo_stack.undo()
        assert window.document.show.party("stream").hears_on == "encoder"

    def test_somebody_put_into_a_place_leaves(self, window: Window, cast: CastStage) -> None:
        cast.choose_place(ELSEWHERE)
        with_form(lambda: cast.act("details"), lambda form: fill(form, place="slipway", at_m="1, 1"))
        assert window.document.show.party("jingles").place == "slipway"
        assert "Jingles" not in [row.cells[0] for row in cast.table.words.rows]


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

    def test_an_edit_reaches_the_show_that_uses_it(self, window: Window, cast: CastStage, dialog: KindsDialog) -> None:
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
        row = next(i for i, row in enumerate(cast.table.words.rows) if row.key == ("kind", "barge-mic"))
        cast.table.setCurrentIndex(cast.table.words.index(row, 1))
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


def test_the_role_fills_the_form(window: Window) -> None:
    """Who hears only does not speak; what records stands nowhere; a newcomer gets a spot that is free."""
    window.go("Cast")
    seen: dict[str, dict[str, object]] = {}

    def type_(form: Form) -> None:
        box = form.findChild(ChoiceBox, "field kind")
        assert box is not None
        for role in ("recorder", "audience", "remote", "player", "guest"):
            box.setCurrentIndex(box.findData(role))
            box.activated.emit(box.currentIndex())
            seen[role] = form.values()
        fill(form, name="Newcomer")

    with_form(lambda: window.cast.wanted("party"), type_)
    assert seen["recorder"]["speaks"] is seen["audience"]["speaks"] is False
    assert seen["recorder"]["place"] is seen["remote"]["place"] is None
    assert seen["player"]["listens"] is False
    assert seen["guest"]["speaks"] is seen["guest"]["listens"] is True
    spots = [row.at_m for row in window.document.show.parties if row.place == "boathouse"]
    assert len(set(spots)) == len(spots)


def test_a_guest_far_away_and_the_title_are_one_step_each(window: Window) -> None:
    window.go("Cast")
    before = window.document.show
    with_form(lambda: window.cast.wanted("far"), lambda form: fill(form, name="Pier"))
    after = window.document.show
    assert next(row for row in after.parties if row.name == "Pier").hears_on
    assert len(after.devices) > len(before.devices) + 2
    window.undo()
    assert window.document.show == before
    with_form(
        lambda: window.cast.wanted("title"), lambda form: fill(form, title="Quay talk", subtitle="", time="19:30")
    )
    assert window.document.show.title == "Quay talk"
    assert window.bar.title.text() == "Quay talk"
    assert window.document.show.air_at is not None
    # The same where it stands: in the bar, from any stage.
    window.go("Rig")
    with_form(window.bar.title.click, lambda form: fill(form, title="Quay & tide"))
    assert window.document.show.title == "Quay & tide"
    assert window.bar.title.text() == "Quay && tide"  # an ampersand, and no key
    assert window.stage == "Rig"


def test_no_field_is_covered_by_what_is_told_under_it(qtbot: QtBot) -> None:
    fields = (Field("a", "First"), Field("b", "Second"))
    form = Form(
        "Short", fields, lambda values: None, shows=lambda values: "A sentence that goes on. " * values["a"].count("x")
    )
    qtbot.addWidget(form)
    form.show()
    for text in ("x", "x" * 12, "x" * 30, "x" * 60):
        form.findChild(QLineEdit, "field a").setText(text)  # type: ignore[union-attr]
        QApplication.processEvents()
        last = form.findChild(QLineEdit, "field b")
        assert last is not None
        assert last.visibleRegion().boundingRect().height() == last.height()
        # And all of the sentence is seen.
        assert form.effect.height() >= form.effect.heightForWidth(form.effect.width())


def test_what_a_room_comes_to_is_told_as_it_is_typed(window: Window) -> None:
    window.go("Cast")
    told: list[str] = []

    def type_(form: Form) -> None:
        effect = form.findChild(QLabel, "effect")
        assert effect is not None
        fill(form, name="Loft", size_m="6, 4.5")
        told.append(effect.text())
        fill(form, size_m="12, 9")
        told.append(effect.text())

    with_form(lambda: window.cast.wanted("place"), type_)
    assert all(text.startswith("Critical distance") for text in told)
    assert told[0] != told[1]
