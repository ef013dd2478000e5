"""The pictures of Rig by pointer and keys: the chain, the plan of routes, the small map, the list that is narrowed."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from kymaphon.app import theme
from kymaphon.app.stages.rig.stage import RigStage
from kymaphon.app.widgets.pick import PickList, PickRow
from kymaphon.app.widgets.rig_paint import LINK_LOOKS, LINK_WORDS
from kymaphon.app.widgets.rig_picture import LEAST, MOST
from kymaphon.app.window import Window
from tests.app.conftest import fill, settle, why_words, with_form


def _wheel(rig: RigStage, turn: int, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    spot = QPointF(300, 150)
    event = QWheelEvent(
        spot, spot, QPoint(), QPoint(0, turn), Qt.MouseButton.NoButton, held, Qt.ScrollPhase.NoScrollPhase, False
    )
    QApplication.sendEvent(rig.picture, event)


class TestChain:
    def test_the_wheel_moves_and_with_ctrl_goes_nearer_around_the_pointer(self, rig: RigStage) -> None:
        picture = rig.picture
        rig._choose(("device", "mic-tam"))
        before = QPointF(picture._offset)
        _wheel(rig, -120)
        lower = QPointF(picture._offset)
        _wheel(rig, 120)
        assert lower.y() < before.y() or picture._offset.y() > lower.y()
        under = picture._to_drawing(QPointF(300, 150))
        near = picture.nearness
        _wheel(rig, 120, Qt.KeyboardModifier.ControlModifier)
        assert picture.nearness > near
        after = picture._to_drawing(QPointF(300, 150))
        assert abs(under.x() - after.x()) < 30
        for _ in range(40):
            picture.zoom(1)
        assert picture.nearness == MOST
        for _ in range(80):
            picture.zoom(-1)
        assert picture.nearness == LEAST

    def test_a_press_selects_a_box_and_one_on_a_line_its_cable(
        self, window: Window, rig: RigStage, qtbot: QtBot
    ) -> None:
        picture = rig.picture
        picture.see_all()
        assert rig.chain is not None
        place = rig.chain.drawing.boxes["desk"]
        spot = QPointF(place.x + 30, place.y + 20) * picture.nearness + picture._offset
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=spot.toPoint())
        assert rig.key == ("device", "desk")
        assert "Runs from earthed mains" in why_words(window)
        number = next(k for k, link in enumerate(rig.chain.links) if link.cable.target == "desk.in2")
        middle = picture._paths[number].pointAtPercent(0.5)
        qtbot.mouseClick(
            picture, Qt.MouseButton.LeftButton, pos=(middle * picture.nearness + picture._offset).toPoint()
        )
        assert rig.key[0] == "cable"

    def test_the_small_map_leads_there(self, rig: RigStage, qtbot: QtBot) -> None:
        picture = rig.picture
        for _ in range(4):
            picture.zoom(1)
        box = picture._map_box()
        assert box is not None
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=(box.topLeft() + QPointF(8, 8)).toPoint())
        left = picture.seen().center()
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=(box.bottomRight() - QPointF(8, 8)).toPoint())
        assert picture.seen().center().x() > left.x()
        rig.zoom(0)
        assert picture._map_box() is None

    def test_every_box_can_be_reached_by_the_arrows(self, rig: RigStage, qtbot: QtBot) -> None:
        assert rig.chain is not None
        seen = {rig.chain.boxes[0].id}
        work = [rig.chain.boxes[0].id]
        while work:
            here = work.pop()
            for key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
                rig.picture.choose(("device", here), show=False)
                qtbot.keyClick(rig.picture, key)
                if rig.key[0] == "device" and rig.key[1] not in seen:
                    seen.add(rig.key[1])
                    work.append(rig.key[1])
        assert seen == {box.id for box in rig.chain.boxes}

    def test_what_is_selected_is_in_sight(self, window: Window, rig: RigStage) -> None:
        assert rig.chain is not None
        for box in rig.chain.boxes:
            rig._choose(("device", box.id))
            place = rig.chain.drawing.boxes[box.id]
            middle = QPointF(place.x + place.width / 2, place.y + place.height / 2)
            assert rig.picture.seen().contains(middle), box.id

    def test_it_says_in_words_what_is_selected(self, rig: RigStage) -> None:
        rig._choose(("cable", "mic-mira.out>desk.in1"))
        assert (
            "Cable from Mira's microphone, output to Desk, channel 1, −46.9 dBu" in rig.picture.accessibleDescription()
        )
        rig._choose(("device", "booster"))
        assert "Booster, In-line booster" in rig.picture.accessibleDescription()

    def test_every_class_of_level_has_its_look_and_its_word(self) -> None:
        assert LINK_LOOKS.keys() == LINK_WORDS.keys()
        looks = set(LINK_LOOKS.values())
        assert len(looks) == len(LINK_LOOKS)
        for scheme in theme.THEMES.values():
            for _, role in looks:
                assert theme.contrast(scheme.color(role), scheme.color("panel")) >= 3


class TestRoutes:
    def test_the_plan_shows_the_place_of_the_selection(self, window: Window, rig: RigStage) -> None:
        rig.choose_view("routes")
        assert rig.pictures.currentWidget() is rig.routes_plan
        rig._choose(("cable", "mic-trio.out>slip-mixer.in1"))
        names = [line.name for line in rig.routes_plan.plan.lines]
        assert "Generator lead" in names
        rig._choose(("device", "desk"))
        assert "Festoon feed" in [line.name for line in rig.routes_plan.plan.lines]
        rig.choose_view("patch")
        assert rig.pictures.currentWidget() is rig.picture

    def test_keys_and_presses_select_cables(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        rig.choose_view("routes")
        rig._choose(("device", "desk"))
        plan = rig.routes_plan
        qtbot.keyClick(plan, Qt.Key.Key_Down)
        first = rig.key
        assert first == ("run", "festoon")
        qtbot.keyClick(plan, Qt.Key.Key_Down)
        assert rig.key[0] == "cable"
        qtbot.keyClick(plan, Qt.Key.Key_Up)
        assert rig.key == first
        line = next(row for row in plan.plan.lines if row.id == "desk.main-out.l>interface.in1")
        QApplication.processEvents()
        spot = plan._frame.to_px(((line.points[1][0] + line.points[2][0]) / 2, line.points[1][1]))
        qtbot.mouseClick(plan, Qt.MouseButton.LeftButton, pos=spot.toPoint())
        assert rig.key[1].startswith("desk.main-out")
        assert "Hum under the voice" in why_words(window)

    def test_a_power_lead_is_chosen_changed_and_taken_away(self, window: Window, rig: RigStage, qtbot: QtBot) -> None:
        rig.choose_view("routes")
        rig._choose(("device", "desk"))
        plan = rig.routes_plan
        spot = plan._frame.to_px((5.4, 0.3))
        qtbot.mouseClick(plan, Qt.MouseButton.LeftButton, pos=spot.toPoint())
        assert rig.key == ("run", "festoon")
        assert "Dimmed lead in Boathouse studio, 6 A" in why_words(window)
        with_form(
            lambda: qtbot.keyClick(plan, Qt.Key.Key_Return),
            lambda form: fill(form, sort="mains", points="0.3 4.2, 5.7 4.2"),
        )
        settle(window)
        run = window.document.show.place("boathouse").runs[0]
        assert (run.sort, run.points_m[0]) == ("mains", (0.3, 4.2))
        assert "beside-power" not in {row.code for row in window.document.analysis.findings}
        qtbot.keyClick(plan, Qt.Key.Key_Delete)
        settle(window)
        assert window.document.show.place("boathouse").runs == ()
        window.document.undo_stack.undo()
        settle(window)
        assert window.document.show.place("boathouse").runs == (run,)

    def test_what_is_at_risk_bears_its_mark(self, rig: RigStage) -> None:
        rig.choose_view("routes")
        rig._choose(("device", "desk"))
        worst = {line.id: line.worst for line in rig.routes_plan.plan.lines}
        assert worst["desk.main-out.l>interface.in1"] == "note"
        assert worst["mic-mira.out>desk.in1"] == ""
        marks = dict(rig.table.words.rows[0].marks)
        assert set(marks.values()) <= {"note", "fix", "tick"}


class TestPickList:
    def _list(self, qtbot: QtBot, *, by_name: bool) -> PickList:
        pick = PickList(theme.DARK, "Kinds", "type", by_name=by_name)
        qtbot.addWidget(pick)
        pick.set_rows(
            tuple(
                PickRow(name, name, more)
                for name, more in (("Large desk", ""), ("Desk", ""), ("Booster", "goes before a desk"))
            )
        )
        return pick

    def test_names_come_before_descriptions(self, qtbot: QtBot) -> None:
        pick = self._list(qtbot, by_name=True)
        qtbot.keyClicks(pick.field, "desk")
        assert [pick.list.item(k).text() for k in range(pick.list.count())] == [
            "Desk",
            "Large desk",
            "Booster",
        ]
        assert pick.value() == "Desk"

    def test_the_given_order_is_kept_where_it_means_something(self, qtbot: QtBot) -> None:
        pick = self._list(qtbot, by_name=False)
        qtbot.keyClicks(pick.field, "desk")
        assert [pick.list.item(k).text() for k in range(pick.list.count())] == [
            "Large desk",
            "Desk",
            "Booster",
        ]

    def test_up_and_down_while_typing_and_nothing_found(self, qtbot: QtBot) -> None:
        pick = self._list(qtbot, by_name=False)
        qtbot.keyClick(pick.field, Qt.Key.Key_Down)
        assert pick.value() == "Desk"
        qtbot.keyClick(pick.field, Qt.Key.Key_Up)
        qtbot.keyClick(pick.field, Qt.Key.Key_Up)
        assert pick.value() == "Booster"
        qtbot.keyClicks(pick.field, "zzz")
        assert pick.value() is None
