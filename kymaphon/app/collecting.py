"""What Python's interpreter does beside the window: cyclic garbage is collected in the window's thread, and in no other.

Python collects it in whatever thread happens to allocate. A worker that computes would then end widgets which only a cycle
still held, and Qt's objects may be ended in their own thread alone: the interpreter crashes, seldom and anywhere.
"""

from __future__ import annotations

import gc
import sys

from PySide6.QtCore import QObject, QTimer

EVERY_MS = 250
SWITCH_S = 0.0005
"""So long a worker that computes may keep the interpreter while the window wants it; Python's own 5 ms are felt at every call into Qt."""


class Collector(QObject):
    """Takes the collector's work over from Python, by the same thresholds, for as long as the program runs."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        sys.setswitchinterval(SWITCH_S)
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(collect_what_is_due)

    def begin(self) -> None:
        """From now on garbage is collected: the start makes none that is worth its wait."""
        self._timer.start()


def spare_what_is_there() -> None:
    """What the start has made stays until the end: collections do not look through it again (60 of their 70 ms on the demo)."""
    gc.freeze()


def collect_what_is_due() -> int:
    """Collects the oldest generation that is over its threshold; returns its number, -1 where none is."""
    due = [
        number
        for number, (count, most) in enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True))
        if most and count > most
    ]
    if not due:
        return -1
    gc.collect(due[-1])
    return due[-1]
