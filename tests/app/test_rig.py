"""Rig driven as a user drives it: wiring by the keyboard alone, the patch list in place, folding, finding, lists."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PySide6.QtWidgets import QApplication, QDialog, QLabel, QLineEdit, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from kymaphon.app.stages.rig.dialogs import AddDialog, PlugDialog
from kymaphon.app.stages.rig.forms import read_route
from kymaphon.app.stages.rig.stage import RigStage
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.form import Form
from kymaphon.app.window import Window
from kymaphon.core.model.show import Show
from tests.app.conftest import fill, settle, why_words, with_form

CTRL = Qt.KeyboardModifier.ControlModifier


class Hands:
    """Does one thing after the other in the dialogs that come up, by keys."""

    def __init__(self, qtbot: QtBot, *acts: Callable[[QDialog], None]) -> None:
        self.qtbot, self.acts = qtbot, list(acts)
        self.timer = QTimer()
        self.timer.timeout.connect(self._go)
        self.timer.start(15)
        self._done: list[QDialog] = []

    def _go(self) -> None:
        dialog = QApplication.activeModalWidget()
        if isinstance(dialog, QDialog) and self.acts and dialog not in self._done:
            self._done.append(dialog)
            try:
                self.acts.pop(0)(dialog)
            except BaseException:
                dialog.reject()
                raise
        elif isinstance(dialog, QDialog) and not self.acts and dialog not in self._done:
            dialog.reject()


def adds(qtbot: QtBot, words: str) -> Callable[[QDialog], None]:
    """Types into the catalogue and presses Enter."""

    def act(dialog: QDialog) -> None:
        assert isinstance(dialog, AddDialog)
        qtbot.keyClicks(dialog.kinds.field, words)
        qtbot.keyClick(dialog.kinds.field, Qt.Key.Key_Return)

    return act


def plugs(qtbot: QtBot, into: str) -> Callable[[QDialog], None]:
    """Types where to and presses Enter."""

    def act(dialog: QDialog) -> None:
        assert isinstance(dialog, PlugDialog)
        qtbot.keyClicks(dialog.ins.field, into)
        qtbot.keyClick(dialog.ins.field, Qt.Key.Key_Return)

    return act


def test_a_stranger_wires_a_rig_with_the_keyboard_alone(window: Window, qtbot: QtBot) -> None:
    """Two-input interface, microphone, booster and laptop, from an empty show, and it can all be taken back."""
    window.document.replace(Show(), None)
    settle(window)
    qtbot.keyClick(window, Qt.Key.Key_2, CTRL)
    assert window.stage == "Rig"
    words = [row.text() for row in window.rig.start.findChildren(QLabel)]
    assert any("Ctrl+D" in text for text in words)
    hands = Hands(
        qtbot,
        adds(qtbot, "laptop"),
        adds(qtbot, "two-input interface"),
        plugs(qtbot, "laptop usb"),
        adds(qtbot, "in-line booster"),
        plugs(qtbot, "interface input 1"),
        adds(qtbot, "dynamic close"),
        plugs(qtbot, "booster"),
    )
    for _ in range(4):
        window.activateWindow()
        QApplication.processEvents()
        qtbot.keyClick(window, Qt.Key.Key_D, CTRL)
        settle(window)
    assert hands.acts == []
    show = window.document.show
    assert [device.kind for device in show.devices] == [
        "laptop",
        "interface-2",
        "booster-inline",
        "dynamic-close",
    ]
    assert [row.ends for row in show.cables] == [
        ("interface-2.usb1", "laptop.usb1"),
        ("booster-inline.out", "interface-2.in1"),
        ("dynamic-close.out", "booster-inline.in"),
    ]
    assert show.device("interface-2").host == "laptop"
    assert show.device("interface-2").settings["in1"].phantom is True
    severe = [row for row in window.document.analysis.findings if row.stage == "Rig" and row.severity != "note"]
    assert severe == []
    while window.document.undo_stack.canUndo():
        window.document.undo_stack.undo()
    assert window.document.show == Show()


class TestPicture:
    def test_it_opens_at_what_is_to_mend_and_the_remedy_mends_it(self, window: Window, rig: RigStage) -> None:
        assert rig.key == ("cable", "codec-ferry.near-out>desk.in5")
        assert "1 to mend" in rig.subtitle.text()
        next(row for row in window.why.findChildren(QPushButton) if row.text() == "Do this").click()
        settle(window)
        cable = next(row for row in window.document.show.cables if row.target == "desk.in5")
        assert cable.adapter == "xlr-jack"
        assert "Nothing to mend" in rig.subtitle.text()

    def test_arrows_walk_the_chain_and_the_why_panel_follows(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        rig._choose(("device", "mic-tam"))
        qtbot.keyClick(rig.picture, Qt.Key.Key_Right)
        assert rig.chain is not None
        columns = {name: place.column for name, place in rig.chain.drawing.boxes.items()}
        assert columns[rig.key[1]] == columns["mic-tam"] + 1
        rig._choose(("device", "booster"))
        assert "3.1 of the 10 mA" in why_words(window)
        assert "a condenser behind it would get nothing" in why_words(window)
        qtbot.keyClick(rig.picture, Qt.Key.Key_PageDown)
        assert rig.key[0] == "cable"
        assert "booster" in rig.key[1]
        qtbot.keyClick(rig.picture, Qt.Key.Key_PageDown)
        assert "booster" in rig.key[1]

    def test_delete_unplugs_and_undo_puts_it_back(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        before = window.document.show
        rig._choose(("cable", "mic-mira.out>desk.in1"))
        qtbot.keyClick(rig.picture, Qt.Key.Key_Delete)
        settle(window)
        assert "mic-mira.out" not in [row.source for row in window.document.show.cables]
        assert any(row.code == "not-plugged" for row in window.document.analysis.findings)
        window.document.undo_stack.undo()
        settle(window)
        assert window.document.show == before

    def test_what_carries_nothing_says_why_on_the_picture(self, window: Window, rig: RigStage) -> None:
        rig._choose(("device", "desk"))
        settle(window)
        flip = next(
            row for row in window.why.findChildren(QPushButton) if "channel 1, phantom power" in row.accessibleName()
        )
        flip.click()
        settle(window)
        assert rig.chain is not None
        link = next(row for row in rig.chain.links if row.cable.source == "mic-mira.out")
        assert link.silence == "no phantom power"
        box = rig.chain.box_of("mic-mira")
        assert box is not None
        assert box.note == "no signal: no phantom power"
        rig._choose(("cable", "mic-mira.out>desk.in1"))
        assert "No signal here, because no phantom power" in why_words(window)

    def test_a_place_folds_into_one_box(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        chip = rig.findChild(QPushButton, "fold slipway")
        assert chip is not None
        qtbot.mouseClick(chip, Qt.MouseButton.LeftButton)
        assert rig.chain is not None
        box = rig.chain.box_of("mic-trio")
        assert box is not None
        assert (box.group, len(box.members)) == ("place", 3)
        rig._choose(("place", box.id))
        assert "3 devices" in why_words(window)
        qtbot.keyClick(rig.picture, Qt.Key.Key_Return)
        assert rig.collapsed == frozenset()
        assert "mic-trio" in rig.chain.drawing.boxes

    def test_a_fold_outlives_another_theme(self, window: Window, rig: RigStage) -> None:
        rig.fold("slipway")
        rig.choose_view("routes")
        window.swap_theme()
        settle(window)
        assert window.rig.collapsed == frozenset({"slipway"})
        assert window.rig.view == "routes"
        assert window.rig.findChild(QPushButton, "fold slipway").isChecked()  # type: ignore[union-attr]

    def test_typing_finds_and_enter_goes_on(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        qtbot.keyClick(window, Qt.Key.Key_F, CTRL)
        qtbot.keyClicks(rig.top.search, "codec")
        first = rig.key
        assert first[1] in ("codec-ferry", "codec-lighthouse")
        qtbot.keyClick(rig.top.search, Qt.Key.Key_Return)
        assert {first[1], rig.key[1]} == {"codec-ferry", "codec-lighthouse"}
        assert rig.picture.found == {"codec-ferry", "codec-lighthouse"}
        rig.top.search.clear()
        assert rig.picture.found is None

    def test_a_knob_is_found_and_what_it_moves_is_told(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        said: list[str] = []
        window.document.trouble.connect(said.append)
        qtbot.keyClick(window, Qt.Key.Key_F, CTRL)
        qtbot.keyClicks(rig.top.search, "channel 1 gain")
        while rig.key != ("device", "desk"):
            qtbot.keyClick(rig.top.search, Qt.Key.Key_Return)
        assert said[-1].startswith("Desk, channel 1, gain: It moves Mira for ")

    def test_nearer_further_and_all_of_it(self, window: Window, rig: RigStage) -> None:
        before = rig.picture.nearness
        window.page("Rig").zoom(1)
        assert rig.picture.nearness > before
        window.page("Rig").zoom(0)
        assert rig.chain is not None
        seen = rig.picture.seen()
        assert seen.width() >= rig.chain.drawing.width - 1
        assert rig.picture.nearness < before

    def test_a_cable_pulled_with_the_pointer_asks_for_the_sockets(
        self, window: Window, rig: RigStage, qtbot: QtBot
    ) -> None:
        picture = rig.picture
        picture.see_all()
        assert rig.chain is not None
        spots = []
        for name in ("slip-mixer", "desk"):
            place = rig.chain.drawing.boxes[name]
            middle = QPointF(place.x + place.width / 2, place.y + 10)
            spots.append((middle * picture.nearness + picture._offset).toPoint())
        hands = Hands(qtbot, lambda dialog: seen.append(dialog) or dialog.reject())  # type: ignore[func-returns-value]
        seen: list[QDialog] = []
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=spots[0])
        qtbot.mouseMove(picture, spots[0] + QPoint(20, 0))
        qtbot.mouseMove(picture, spots[1])
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=spots[1])
        assert hands.acts == []
        dialog = seen[0]
        assert isinstance(dialog, PlugDialog)
        assert str(dialog.outs.value()).startswith("slip-mixer.")
        assert str(dialog.ins.value()).startswith("desk.") or not dialog.ins.rows


class TestPlugging:
    def test_inputs_are_ordered_by_fit_and_the_unsuitable_say_why(
        self, window: Window, rig: RigStage, qtbot: QtBot
    ) -> None:
        rows: list[str] = []

        def look(dialog: QDialog) -> None:
            assert isinstance(dialog, PlugDialog)
            rows.extend(row.words for row in dialog.ins.rows)
            qtbot.keyClicks(dialog.ins.field, "software mixer input 3")
            assert not dialog.button.isEnabled()
            assert "a converter must stand between" in dialog.verdict.text()
            qtbot.keyClick(dialog.ins.field, Qt.Key.Key_Return)
            assert dialog.trouble.isVisible()
            dialog.reject()

        rig._unplug(("slip-mixer.main-out.l", "desk.in4"))
        settle(window)
        show = window.document.show
        hands = Hands(qtbot, look)
        rig._plug("slip-mixer.main-out.l")
        assert rows[0].startswith("Desk, channel 4")
        assert rows[0].endswith("fits")
        assert "analogue into digital" in rows[-1]
        assert window.document.show is show
        assert hands.acts == []

    def test_length_and_label_are_taken_over(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        def act(dialog: QDialog) -> None:
            assert isinstance(dialog, PlugDialog)
            dialog.length.setText("far")
            dialog._plug()
            assert "not a number" in dialog.trouble.text()
            dialog.length.setText("-3")
            dialog._plug()
            assert "Length" in dialog.trouble.text()
            dialog.length.setText("3,5 m")
            dialog.mark.setText("spare")
            dialog._plug()

        hands = Hands(qtbot, act)
        rig._plug("slip-mixer.phones")
        assert hands.acts == []
        cable = window.document.show.cables[-1]
        assert (cable.source, cable.length_m, cable.label) == ("slip-mixer.phones", 3.5, "spare")


class TestPatchList:
    def _edit(self, rig: RigStage, qtbot: QtBot, target: str, column: int, text: str) -> None:
        row = next(k for k, row in enumerate(rig.table.patch.rows) if row.ends[1] == target)
        rig.table.setFocus()
        rig.table.setCurrentIndex(rig.table.patch.index(row, column))
        qtbot.keyClick(rig.table, Qt.Key.Key_F2)
        editor = rig.table.findChild(QLineEdit) or rig.table.findChild(ChoiceBox)
        if isinstance(editor, ChoiceBox):
            editor.setCurrentIndex(next(k for k in range(editor.count()) if editor.itemData(k) == text))
            rig.table.commitData(editor)
            rig.table.closeEditor(editor, rig.table.itemDelegate().EndEditHint.NoHint)
        else:
            assert editor is not None
            editor.selectAll()
            qtbot.keyClicks(editor, text)
            qtbot.keyClick(editor, Qt.Key.Key_Return)
        QApplication.processEvents()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)

    def test_label_and_length_in_place(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        self._edit(rig, qtbot, "desk.in1", 0, "A1")
        settle(window)
        self._edit(rig, qtbot, "desk.in1", 4, "7,5")
        settle(window)
        cable = next(row for row in window.document.show.cables if row.target == "desk.in1")
        assert (cable.label, cable.length_m) == ("A1", 7.5)

    @pytest.mark.parametrize("text", ["long", "-2", "nan", "1e9"])
    def test_a_length_that_is_none_is_told_and_nothing_changes(
        self, window: Window, rig: RigStage, qtbot: QtBot, text: str
    ) -> None:
        show, told = window.document.show, []
        window.document.trouble.connect(told.append)
        self._edit(rig, qtbot, "desk.in1", 4, text)
        assert window.document.show is show
        assert told

    def test_another_end_from_the_list_that_is_ordered_by_fit(
        self, window: Window, rig: RigStage, qtbot: QtBot
    ) -> None:
        rig._unplug(("mic-trio.out", "slip-mixer.in1"))
        settle(window)
        options = rig.lists.options(("mic-crowd.out", "slip-mixer.in2"), "target")
        assert options[0] == ("slip-mixer.in2", "Slipway mixer, channel 2")
        assert options[1][0] == "slip-mixer.in1"
        assert "fits" in options[1][1]
        assert "analogue into digital" in options[-1][1]
        self._edit(rig, qtbot, "slip-mixer.in2", 2, "slip-mixer.in1")
        settle(window)
        assert ("mic-crowd.out", "slip-mixer.in1") in [row.ends for row in window.document.show.cables]

    def test_an_adapter_from_the_list(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        options = rig.lists.options(("codec-ferry.near-out", "desk.in5"), "adapter")
        assert [value for value, _ in options[:2]] == ["", "xlr-jack"]
        self._edit(rig, qtbot, "desk.in5", 3, "xlr-jack")
        settle(window)
        assert "plug-mismatch" not in {row.code for row in window.document.analysis.findings}

    def test_a_list_comes_in_and_goes_out(self, window: Window, rig: RigStage, tmp_path: Path) -> None:
        before = window.document.show
        rig.lists.give_out(tmp_path / "patch.csv")
        text = (tmp_path / "patch.csv").read_text(encoding="utf-8")
        assert text.startswith("from,to,cable,length_m,label")
        (tmp_path / "more.csv").write_text("from;to;length_m\nmic-mira.out;desk.in1;9,5\n", encoding="utf-8")
        rig.lists.take_in(tmp_path / "more.csv")
        settle(window)
        cable = next(row for row in window.document.show.cables if row.target == "desk.in1")
        assert (cable.length_m, cable.label) == (9.5, "1")
        window.document.undo_stack.undo()
        assert window.document.show == before
        rig.lists.give_out(tmp_path / "pull.csv", "pull")
        assert "XLR, balanced" in (tmp_path / "pull.csv").read_text(encoding="utf-8")

    @pytest.mark.parametrize("agree", [True, False])
    def test_good_rows_are_kept_only_when_the_user_agrees(
        self, window: Window, rig: RigStage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, agree: bool
    ) -> None:
        answer = QMessageBox.StandardButton.Yes if agree else QMessageBox.StandardButton.No
        asked: list[str] = []

        def exec_(box: QMessageBox) -> QMessageBox.StandardButton:
            asked.append(f"{box.text()}\n{box.informativeText()}")
            return answer

        monkeypatch.setattr(QMessageBox, "exec", exec_)
        path = tmp_path / "mixed.csv"
        path.write_text("from,to\nslip-mixer.phones,interface.in9\nmic-mira.out,desk.in3\n", encoding="utf-8")
        before = window.document.show
        rig.lists.take_in(path)
        settle(window)
        assert "1 row cannot be used, 1 can" in asked[0]
        assert "row 2: " in asked[0]
        assert (window.document.show == before) != agree


class TestDetails:
    def test_power_host_and_knobs(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        rig._choose(("device", "laptop"))
        with_form(
            lambda: qtbot.keyClick(rig.picture, Qt.Key.Key_Return),
            lambda form: fill(form, power="battery", name="Old laptop"),
        )
        settle(window)
        laptop = window.document.show.device("laptop")
        assert (laptop.power, laptop.name) == ("battery", "Old laptop")
        assert "earth-loop" not in {row.code for row in window.document.analysis.findings}

    def test_a_knob_out_of_its_range_is_told(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        rig._choose(("device", "desk"))
        told: list[str] = []

        def type_(form: Form) -> None:
            field = form.findChild(QLineEdit, "field knob phones-knob")
            assert field is not None
            field.setText("99")
            form.accept()
            told.append(form.trouble.text())

        show = window.document.show
        with_form(lambda: qtbot.keyClick(rig.picture, Qt.Key.Key_Return), type_)
        assert "outside" in told[0]
        assert window.document.show is show

    def test_the_way_of_a_cable(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        rig._choose(("cable", "desk.main-out.l>interface.in1"))
        with_form(
            lambda: qtbot.keyClick(rig.picture, Qt.Key.Key_Return),
            lambda form: fill(form, route="0.8 2.9; 4.9 2.9"),
        )
        settle(window)
        cable = next(row for row in window.document.show.cables if row.target == "interface.in1")
        assert cable.route_m == ((0.8, 2.9), (4.9, 2.9))
        beside = [row for row in window.document.analysis.findings if row.code == "beside-power"]
        assert all(cable.source not in row.subjects for row in beside)

    def test_a_power_lead_is_added_and_ranked(self, window: Window, rig: RigStage) -> None:
        rig._choose(("device", "desk"))
        with_form(
            lambda: rig.wanted("run"),
            lambda form: fill(form, name="Kettle", sort="coil", points="0.9 2, 2.9 1.8", current_a="10"),
        )
        settle(window)
        assert rig.view == "routes"
        assert any(row.cells[1] == "Kettle" for row in rig.table.words.rows)
        kettle = [row for row in window.document.analysis.findings if "kettle" in row.subjects]
        assert kettle
        assert any(remedy.id == "uncoil" for row in kettle for remedy in row.remedies) or kettle[0].remedies


@pytest.mark.parametrize("text", ["1", "1 2 3", "a b", "1 nan"])
def test_a_way_that_is_none(text: str) -> None:
    with pytest.raises(ValueError, match=r"spot|Spot"):
        read_route(text)


def test_all_four_tables_and_both_themes_at_every_size(window: Window, rig: RigStage) -> None:
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        for scale in (1.0, 1.5):
            window.set_scale(scale)
            for name in ("patch", "devices", "routes", "pull"):
                window.rig.choose_view(name)
                QApplication.processEvents()
                assert window.grab().width() == size[0]
    assert window.rig.table.words.rowCount() > 20
