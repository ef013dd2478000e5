"""A thousand careless hands: any keys and clicks in any order, and the window still stands and the show is still whole."""

from __future__ import annotations

import random

import pytest
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QApplication, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from kymaphon.app.stages.feeds.hearing import BELOW
from kymaphon.app.stages.feeds.words import FEED_VIEWS
from kymaphon.app.stages.level.run import RunPage
from kymaphon.app.widgets.cast_table import RowTable
from kymaphon.app.widgets.gate_picture import GatePicture
from kymaphon.app.window import Window
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.show import Show
from tests.budget import some

KEYS = [
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
    Qt.Key.Key_PageUp,
    Qt.Key.Key_PageDown,
    Qt.Key.Key_Space,
    Qt.Key.Key_Tab,
    Qt.Key.Key_Escape,
    Qt.Key.Key_Return,
    Qt.Key.Key_Home,
    Qt.Key.Key_End,
    Qt.Key.Key_Delete,
    Qt.Key.Key_N,
    Qt.Key.Key_T,
    Qt.Key.Key_B,
]


def poke(window: Window, qtbot: QtBot, draw: random.Random) -> None:
    """One careless act."""
    act = draw.choice(["key", "key", "key", "stage", "click", "button", "undo", "redo", "drag"])
    target: QWidget = window.focusWidget() or window
    if act == "key":
        qtbot.keyClick(target, draw.choice(KEYS))
    elif act == "stage":
        qtbot.keyClick(window, Qt.Key(Qt.Key.Key_1 + draw.randrange(9)), Qt.KeyboardModifier.ControlModifier)
    elif act == "click":
        place = draw.choice(
            [
                window.level.picture,
                window.feeds.matrix.viewport(),
                window.rail,
                window.cast.picture,
                window.rig.picture,
                window.rig.routes_plan,
            ]
        )
        if place.isVisible():
            spot = QPoint(draw.randrange(max(place.width(), 1)), draw.randrange(max(place.height(), 1)))
            qtbot.mouseClick(place, Qt.MouseButton.LeftButton, pos=spot)
    elif act == "button":
        rows = [row for row in window.why.findChildren(QPushButton) if row.isVisible()]
        rows += [row for row in window.surface.currentWidget().findChildren(QPushButton) if row.isVisible()]
        if rows:
            draw.choice(rows).click()
    elif act in ("undo", "redo"):
        getattr(window.document.undo_stack, act)()
    elif window.stage == "Cast":
        picture, thing = window.cast.picture, draw.choice(window.cast.things or (None,))
        if thing is not None and thing.at is not None and picture.isVisible():
            start = picture._frame.to_px(thing.at).toPoint()
            to = start + QPoint(draw.randrange(-200, 200), draw.randrange(-200, 200))
            qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
            qtbot.mouseMove(picture, to)
            qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=to)
    elif window.stage == "Rig":
        careless_rig(window, qtbot, draw)
    elif window.stage == "Quiet":
        careless_quiet(window, qtbot, draw)
    elif window.stage == "Feeds":
        careless_feeds(window, draw)
    elif window.stage == "Level" and draw.random() < 0.6:
        careless_level(window, qtbot, draw)
    elif window.level.picture.isVisible() and window.level.picture._pills:
        picture = window.level.picture
        box, _, _ = draw.choice(picture._pills)
        start = box.center().toPoint()
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
        qtbot.mouseMove(picture, start + QPoint(0, draw.randrange(-80, 80)))
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=start + QPoint(0, draw.randrange(-80, 80)))
    QApplication.processEvents()


def careless_feeds(window: Window, draw: random.Random) -> None:
    """Another view, another picture of the pair, a listener, a row of whatever table is there."""
    feeds = window.feeds
    act = draw.choice(["view", "below", "listener", "row"])
    if act == "view":
        feeds.choose_view(draw.choice(FEED_VIEWS)[0])
    elif act == "below":
        feeds.hearing.choose_below(draw.choice(BELOW)[0])
    elif act == "listener" and feeds.matrix.feeds.listeners:
        feeds.hearing.choose_listener(draw.choice(feeds.matrix.feeds.listeners))
    else:
        for table in feeds.page.findChildren(RowTable):
            if table.isVisible() and table.words.rows:
                table.setCurrentIndex(table.words.index(draw.randrange(len(table.words.rows)), 0))


def careless_rig(window: Window, qtbot: QtBot, draw: random.Random) -> None:
    """A cable pulled anywhere, something typed into the search, another table, a place folded, something taken away."""
    rig = window.rig
    act = draw.choice(["pull", "find", "view", "fold", "unplug", "remove", "zoom", "edit"])
    if act == "pull" and rig.picture.isVisible():
        spots = [
            QPoint(draw.randrange(max(rig.picture.width(), 1)), draw.randrange(max(rig.picture.height(), 1)))
            for _ in range(2)
        ]
        qtbot.mousePress(rig.picture, Qt.MouseButton.LeftButton, pos=spots[0])
        qtbot.mouseMove(rig.picture, spots[1])
        qtbot.mouseRelease(rig.picture, Qt.MouseButton.LeftButton, pos=spots[1])
    elif act == "find":
        rig.top.search.setText(draw.choice(["", "desk", "codec", "zzz", "channel 1"]))
    elif act == "view":
        rig.choose_view(draw.choice(["patch", "devices", "routes", "pull"]))
    elif act == "fold" and window.document.show.places:
        rig.fold(draw.choice(window.document.show.places).id)
    elif act in ("unplug", "edit") and window.document.show.cables:
        row = draw.choice(window.document.show.cables)
        if act == "unplug":
            rig._unplug(row.ends)
        else:
            field = draw.choice(["label", "length_m", "adapter", "source", "target"])
            rig.lists.edit(row.ends, field, draw.choice(["", "5", "x", "xlr-jack", "desk.in1", "mic-mira.out"]))
    elif act == "remove" and window.document.show.devices:
        rig.picture.choose(("device", draw.choice(window.document.show.devices).id))
        rig.wanted("remove")
    elif act == "zoom":
        rig.zoom(draw.choice([-1, 0, 1]))


def careless_level(window: Window, qtbot: QtBot, draw: random.Random) -> None:
    """Another view, a reading that may be none, a move tried, a source gone to."""
    level = window.level
    act = draw.choice(["view", "view", "type", "move", "page"])
    page = level.page
    if act == "view" or page is None:
        level.choose_view(draw.choice(["ladder", "noise", "solve", "run"]))
    elif isinstance(page, RunPage):
        if act == "type":
            page.reading.clear()
            # Put in as from an input method: keyClicks ends the process at a letter that is not ASCII.
            page.reading.insert(draw.choice(["3", "-4", "12.5", "x", "", "999", "\u22126,5"]))
            qtbot.keyClick(page.reading, draw.choice([Qt.Key.Key_Return, Qt.Key.Key_T, Qt.Key.Key_Space]))
        else:
            qtbot.keyClick(page.reading, draw.choice([Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_F2]))
    elif act == "move":
        page.act(draw.choice(["do move", "preview move", "do line-up", "turn one"]))


def careless_quiet(window: Window, qtbot: QtBot, draw: random.Random) -> None:
    """A threshold or a stretch dragged anywhere, another view, another voice, another row, nearer and further."""
    quiet = window.quiet
    act = draw.choice(["drag", "drag", "view", "voice", "row", "zoom", "prefer"])
    picture = getattr(quiet.page, "picture", None)
    if act == "drag" and isinstance(picture, GatePicture) and picture.isVisible():
        spots = [
            QPoint(draw.randrange(max(picture.width(), 1)), draw.randrange(max(picture.height(), 1))) for _ in range(2)
        ]
        qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=spots[0])
        qtbot.mouseMove(picture, spots[1])
        qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=spots[1])
    elif act == "view":
        quiet.choose_view(draw.choice(["gate", "gate", "spectrum", "strip", "duck"]))
    elif act == "voice" and quiet.model.talkers:
        quiet.choose_voice(draw.choice(quiet.model.talkers))
    elif act == "row":
        quiet.page.table.chosen.emit(draw.randrange(8), 0)
    elif act == "zoom":
        quiet.zoom(draw.choice([-1, 0, 1, 2]))
    elif act == "prefer":
        quiet.choose_preference(draw.randrange(3))


def shut_what_opened() -> None:
    """Dialogs and menus are left as they came."""
    opened = QApplication.activeModalWidget() or QApplication.activePopupWidget()
    if opened is not None:
        opened.close()


@pytest.mark.parametrize("seed", some([1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11], 5))
def test_careless_hands(window: Window, qtbot: QtBot, demo: Show, seed: int) -> None:
    draw = random.Random(seed)
    closer = QTimer()
    closer.timeout.connect(shut_what_opened)
    closer.start(20)
    stay = {4: "Cast", 5: "Cast", 6: "Rig", 7: "Rig", 8: "Level", 9: "Level", 10: "Quiet", 11: "Quiet"}.get(seed)
    if stay is not None:
        window.go(stay)
    if seed in (5, 7, 9, 11):
        window.document.at_once = False  # every analysis by a worker, as with a large show
    for _ in range(90):
        poke(window, qtbot, draw)
        if stay is not None and window.stage != stay:
            window.go(stay)
    window.document.end_preview()
    if stay == "Quiet":
        qtbot.waitUntil(lambda: not window.quiet.model.busy, timeout=30000)
    qtbot.waitUntil(lambda: not window.document.busy, timeout=30000)
    assert window.document.analysis.show == window.document.show
    fresh = analyse(window.document.show)
    assert [row.to_json() for row in window.document.analysis.findings] == [row.to_json() for row in fresh.findings]
    while window.document.undo_stack.canUndo():
        window.document.undo_stack.undo()
    assert window.document.show.model_copy(update={"log": ()}) == demo, (
        "every edit can be taken back but what was logged"
    )
