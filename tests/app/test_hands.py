"""Keyboard and mouse as an operator has them: Tab gets everywhere and out again, forms take what is typed, a plug goes where it should."""

from __future__ import annotations

import time
from collections.abc import Iterator

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QTableView,
    QWidget,
)
from pytestqt.qtbot import QtBot

from kymaphon.app.stages.rig.dialogs import PlugDialog
from kymaphon.app.widgets.form import Form
from kymaphon.app.window import Window
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.edits import AddRow, Unplug
from kymaphon.core.model.show import Device, Show
from kymaphon.core.wiring.fit import partners
from tests.app.conftest import settle
from tests.budget import some, tries

STAGES = ("Cast", "Rig", "Level", "Quiet", "Feeds")


def views(window: Window, stage: str) -> Iterator[str]:
    """Goes through every view of a stage."""
    window.go(stage)
    settle(window)
    names = [
        row.objectName()
        for row in window.page(stage).findChildren(QPushButton)
        if row.isCheckable() and row.isVisible() and row.objectName().startswith("view ")
    ]
    for name in names or [""]:
        if name:
            window.page(stage).findChild(QPushButton, name).click()
        settle(window)
        for _ in range(5):
            QApplication.processEvents()
            time.sleep(0.01)
        yield name


@pytest.mark.parametrize("stage", STAGES)
def test_tab_leaves_everything_and_goes_down_the_screen(stage: str, window: Window, qtbot: QtBot) -> None:
    window.activateWindow()
    for name in views(window, stage):
        window.rail.setFocus()
        seen: list[QWidget] = []
        for _ in range(80):
            qtbot.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Tab)
            here = QApplication.focusWidget()
            assert here is not None
            if here in seen:
                break
            seen.append(here)
        assert QApplication.focusWidget() is not seen[-1] or len(seen) > 3, (stage, name)
        page = window.page(stage)
        inside = [row for row in seen if page.isAncestorOf(row)]
        assert len(inside) >= 2, (stage, name)
        spots = [row.mapTo(page, QPoint(0, 0)) for row in inside]
        for before, after, one, other in zip(spots, spots[1:], inside, inside[1:], strict=False):
            assert after.y() >= before.y() - 24, (stage, name, one.objectName(), other.objectName())


def test_every_form_begins_in_its_first_field(window: Window, qtbot: QtBot) -> None:
    """Every command that opens a form: what is typed at once stands in the form."""
    seen: list[tuple[str, bool]] = []

    def actions(menu: object) -> Iterator[QAction]:
        for row in menu.actions():  # type: ignore[attr-defined]
            if row.menu() is not None:
                yield from actions(row.menu())
            elif row.text().endswith("\u2026"):
                yield row

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        if isinstance(dialog, Form):
            first = next(iter(dialog._inputs.values()))
            focused = dialog.focusWidget()
            seen.append((dialog.windowTitle(), focused is first and not isinstance(focused, QScrollArea)))
            if isinstance(first, QLineEdit):
                qtbot.keyClicks(dialog.focusWidget(), "7")
                assert first.text() == "7"
        if isinstance(dialog, QDialog):
            dialog.reject()

    for row in list(actions(window.menuBar())):
        timer = QTimer()
        timer.setInterval(60)
        timer.timeout.connect(look)
        timer.start()
        row.trigger()
        timer.stop()
    assert len(seen) >= 10
    assert all(fine for _, fine in seen), [title for title, fine in seen if not fine]


class TestPlug:
    def dialog(self, window: Window, source: str = "", target: str = "") -> PlugDialog:
        window.go("Rig")
        settle(window)
        return PlugDialog(window, window.theme, window.document, window.rig.forms.levels(), source, target)

    def test_a_source_in_use_is_never_offered_first(self, window: Window) -> None:
        """Enter, Enter would double the microphone that was plugged a moment ago."""
        window.document.apply((AddRow("devices", Device(id="spare", kind="dynamic-close", place="boathouse")),), "add")
        dialog = self.dialog(window, "mic-mira")
        used = {cable.source for cable in window.document.show.cables}
        assert dialog.outs.value() == "spare.out"
        assert dialog.outs.value() not in used

    def test_what_only_takes_is_the_target(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
        window.document.apply((Unplug("desk.phones", "phones-ilse.in"),), "unplug")
        asked: list[tuple[str, str]] = []
        window.go("Rig")
        monkeypatch.setattr(window.rig.forms, "plug", lambda source="", target="": asked.append((source, target)))
        window.rig._plug("phones-ilse")
        assert asked == [("", "phones-ilse")]
        dialog = self.dialog(window, "", "phones-ilse")
        assert str(dialog.ins.value()).startswith("phones-ilse.")
        assert dialog._fits[str(dialog.ins.value())].works

    def test_the_best_match_is_chosen_anew_at_every_key(self, window: Window, qtbot: QtBot) -> None:
        dialog = self.dialog(window, "interface")
        qtbot.addWidget(dialog)
        rows = {row.value: row.words.partition("  ")[0] for row in dialog.outs.rows}
        wanted = next(ref for ref, words in rows.items() if words.endswith("computer input 2"))
        qtbot.keyClicks(dialog.outs.field, "computer input 1")
        assert rows[dialog.outs.value()].endswith("computer input 1")
        dialog.outs.field.clear()
        qtbot.keyClicks(dialog.outs.field, "computer input 2")
        assert dialog.outs.value() == wanted

    def test_what_the_far_end_hears_goes_into_no_playback(self, demo: Show) -> None:
        show = AddRow("devices", Device(id="call", kind="conference-app", host="laptop")).apply(demo)
        analysis = analyse(show, remedies=False)
        from kymaphon.core.model.ends import end_of

        first = partners(show, analysis.catalogue, end_of(show, analysis.catalogue, "call.far"), output=True)[0]
        assert first.target.port.connector in ("network", "inside")
        assert first.target.device.id != "laptop"

    def test_a_mixer_is_added_with_microphones_waiting(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
        """Nothing that it goes into is there, but what goes into it is: that is offered."""
        window.document.replace(
            Show.model_validate(
                {
                    "kymaphon": 1,
                    "places": [{"id": "r", "name": "Room"}],
                    "devices": [
                        {"id": "m", "kind": "dynamic-close", "place": "r"},
                        {"id": "d", "kind": "desk-8", "place": "r"},
                    ],
                }
            ),
            None,
        )
        window.go("Rig")
        asked: list[tuple[str, str]] = []
        monkeypatch.setattr(window.rig.forms, "add", lambda _place: ("d", True))
        monkeypatch.setattr(window.rig.forms, "plug", lambda source="", target="": asked.append((source, target)))
        window.rig._add()
        assert asked == [("", "d")]


@pytest.mark.parametrize("stage", STAGES)
def test_large_text_in_a_small_window_cuts_no_button_and_shows_three_rows(stage: str, window: Window) -> None:
    window.set_scale(1.5)
    window.resize(1024, 700)
    window.go(stage)
    settle(window)
    page = window.page(stage)
    names = [page.short.itemData(n) for n in range(page.short.count())]
    for name in names or [""]:
        if name:
            page.choose_view(name)  # type: ignore[attr-defined]
        settle(window)
        QApplication.processEvents()
        assert (window.width(), window.height()) == (1024, 700)
        cut = [
            (row.text(), row.width(), row.sizeHint().width())
            for row in window.findChildren(QPushButton)
            if row.isVisible() and row.text() and row.width() < row.sizeHint().width() - 2
        ]
        assert cut == [], name
        for table in page.findChildren(QTableView):
            if table.isVisible() and table.model() is not None and table.model().rowCount() >= 3:
                assert table.viewport().height() >= 3 * table.rowHeight(0) - 2, (name, table.accessibleName())


def test_a_theme_and_a_size_change_everything_where_it_stands(window: Window) -> None:
    for stage in STAGES:
        window.go(stage)
        settle(window)
    window.level.choose_voice("tam")
    window.go("Level")
    pages = dict(window._pages)
    for _ in range(1):
        window.swap_theme()
        window.set_scale(1.25)
        window.set_scale(1.0)
        settle(window)
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    before = len(QApplication.allWidgets())
    for _ in range(tries(1)):
        window.swap_theme()
        window.set_scale(1.5)
        window.set_scale(1.0)
        settle(window)
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert len(QApplication.allWidgets()) <= before + 5
    assert window._pages == pages
    assert window.level.voice == "tam"
    shot = window.level.picture.grab().toImage()
    window.swap_theme()
    settle(window)
    other = window.level.picture.grab().toImage()
    assert shot.pixelColor(3, 3) != other.pixelColor(3, 3)


def test_lozenges_walk_through_all_of_their_findings(window: Window, qtbot: QtBot) -> None:
    rows = [row for row in window.document.analysis.findings if row.severity == "fix"]
    seen = []
    for n in range(len(rows) + 1):
        window.bar.counts["fix"].click()
        settle(window)
        seen.append(window.status.text())
        assert f"({n % len(rows) + 1} of {len(rows)})" in seen[-1]
        assert window.stage == rows[n % len(rows)].stage
    assert seen[0] == seen[-1]
    assert len(set(seen)) == len(rows)


def test_no_sentence_says_what_is_not_so(window: Window) -> None:
    bare = Show.model_validate(
        {
            "kymaphon": 1,
            "places": [{"id": "r", "name": "Room"}],
            "parties": [
                {"id": "a", "name": "Ann", "kind": "guest", "place": "r", "at_m": [1, 1], "speaks": True},
                {"id": "t", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
            ],
            "devices": [
                {"id": "m", "kind": "dynamic-close", "place": "r", "party": "a", "at_m": [1.1, 1]},
                {"id": "rec", "kind": "recorder"},
            ],
        }
    )
    window.document.replace(bare, None)
    window.go("Rig")
    settle(window)
    assert "signal in every cable" not in window.rig.subtitle.text()
    assert "othing is plugged yet" in window.rig.subtitle.text()
    window.go("Feeds")
    settle(window)
    assert "All as wanted" not in window.feeds.subtitle.text()


def test_a_press_on_a_gain_without_a_turn_changes_nothing_and_a_key_at_its_end_says_why(
    window: Window, qtbot: QtBot
) -> None:
    window.go("Level")
    settle(window)
    picture = window.level.picture
    picture.grab()  # what can be pressed is known once it is painted
    for box, _, _ in some(list(picture._pills), 3):
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
        settle(window)
    assert window.document.undo_stack.count() == 0
    picture.setFocus()
    for _ in range(12):
        qtbot.keyClick(picture, Qt.Key.Key_PageUp)
    settle(window)
    assert "its range ends at" in window.status.text()


def test_no_text_of_a_show_is_read_as_markup(window: Window) -> None:
    """A name with tags in it, in every label, tip and box of every stage."""
    evil = "<b>Mira</b><img src=x>"
    parties = [row.with_(name=evil) if row.id == "mira" else row for row in window.document.show.parties]
    devices = [row.with_(name=evil) if row.id == "desk" else row for row in window.document.show.devices]
    window.document.replace(window.document.show.with_(parties=parties, devices=devices, title=evil), None)
    seen = 0
    for stage in STAGES:
        for _ in views(window, stage):
            for row in window.findChildren(QLabel):
                if evil in row.text():
                    seen += 1
                    assert row.textFormat() == Qt.TextFormat.PlainText, row.text()
            for widget in window.findChildren(QWidget):
                assert "<img" not in widget.toolTip(), widget.objectName()
            for table in window.page(stage).findChildren(QTableView):
                model = table.model()
                if model is None:
                    continue
                for at in range(model.rowCount()):
                    for column in range(model.columnCount()):
                        told = model.index(at, column).data(Qt.ItemDataRole.ToolTipRole)
                        assert "<img" not in str(told)
    assert seen > 10


def test_the_list_of_findings_names_stage_sentence_and_remedy_and_is_walked_by_arrows(window: Window) -> None:
    rows = [row for row in window.document.analysis.findings if row.severity == "fix"]
    window.bar.counts["fix"].click()
    found = window.walk.list
    assert found is not None
    assert found.list.count() == len(rows)
    assert found.list.item(0).text().startswith(f"{rows[0].stage}: {rows[0].message}")
    assert any("\u2192" in found.list.item(n).text() for n in range(found.list.count()))
    QTest.keyClick(found.list, Qt.Key.Key_Down)
    settle(window)
    assert window.stage == rows[1].stage
    assert found.isVisible()
    QTest.keyClick(found.list, Qt.Key.Key_Escape)
    assert not found.isVisible()
    window.go("Level")
    assert not found.isVisible()
