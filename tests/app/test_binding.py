"""The Qt binding must not let go of what it was lent: wheels that do end a long session in a crash."""

from __future__ import annotations

import gc
import sys
import threading
from typing import ClassVar

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from kymaphon.app.collecting import Collector, collect_what_is_due

ROUNDS = 2000
SLACK = 200


class Sender(QObject):
    turned = Signal(object, float, bool)


class Merging(QUndoCommand):
    def id(self) -> int:
        return 1

    def mergeWith(self, other: QUndoCommand) -> bool:
        return True


def test_none_true_and_false_are_given_back(qtbot: QtBot) -> None:
    """On a Python with immortal objects (3.12 on) the counts do not move at all; before, they must not sink."""
    sender, stack, button = Sender(), QUndoStack(), QPushButton("x")
    qtbot.addWidget(button)
    sender.turned.connect(lambda *_: None)
    button.clicked.connect(lambda _checked=False: None)
    # What earlier tests left is let go of first: it holds True and False too.
    qtbot.wait(20)
    gc.collect()
    before = [sys.getrefcount(one) for one in (None, True, False)]
    for i in range(ROUNDS):
        sender.turned.emit(None, 1.0, i % 2 == 0)
        stack.push(Merging("x"))
        button.click()
    after = [sys.getrefcount(one) for one in (None, True, False)]
    assert all(late > early - SLACK for early, late in zip(before, after, strict=True)), (before, after)


class Ended(QObject):
    """Tells in which thread it was let go of."""

    where: ClassVar[list[int]] = []

    def __del__(self) -> None:
        Ended.where.append(threading.get_ident())


def test_no_worker_ever_collects_garbage(qtbot: QtBot) -> None:
    """What only a cycle holds is ended in the window's thread, however much a worker allocates."""
    parent = QObject()
    Collector(parent).begin()
    try:
        assert not gc.isenabled()
        Ended.where.clear()
        knot = [Ended()]
        knot.append(knot)  # type: ignore[arg-type]
        del knot

        kept: list[list[int]] = []

        def allocate() -> None:
            kept.extend([i] for i in range(50_000))

        worker = threading.Thread(target=allocate)
        worker.start()
        worker.join()
        assert Ended.where == []
        qtbot.waitUntil(lambda: Ended.where == [threading.get_ident()], timeout=20000)
        while collect_what_is_due() >= 0:
            pass
        assert gc.get_count()[0] <= gc.get_threshold()[0]
    finally:
        gc.enable()
