"""The show bar: title, time to air, how many findings, what changed last with undo."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.marks import SEVERITY_NAMES, mark_icon
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import label
from kymaphon.core.model.stages import SEVERITIES, Severity

PATIENCE_MS = 250
"""So long something may be computed before it is said."""


class ShowBar(QWidget):
    """One line over everything.

    Signals:
        name: title and time on air are to be set.
    """

    name = Signal()
    undo = Signal()
    jump = Signal(str)
    stop = Signal()
    go_on = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("showbar")
        self.theme = theme
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 8, 20, 8)
        row.setSpacing(12)
        self.title = QPushButton()
        self.title.setProperty("role", "name")
        tip = "Title, subtitle and time on air: press to set them."
        self.title.setToolTip(tip)
        self.title.setStatusTip(tip)
        self.title.clicked.connect(self.name)
        self.subtitle = label("", "muted", wrap=False)
        row.addWidget(self.title)
        row.addWidget(self.subtitle)
        row.addStretch(1)
        self.air_words = label("To air", "muted", wrap=False)
        self.clock = label("", "clock", wrap=False)
        row.addWidget(self.air_words)
        row.addWidget(self.clock)
        row.addStretch(1)
        self.counts: dict[Severity, QPushButton] = {}
        for severity in SEVERITIES:
            button = QPushButton("\u2013")
            button.setProperty("role", "flat")
            button.setToolTip(
                f"Findings: {SEVERITY_NAMES[severity]}. A list of them, and on to each where it stands; pressed again, the next."
            )
            button.setStatusTip(
                f"Findings: {SEVERITY_NAMES[severity]}. A list of them, and on to each where it stands; pressed again, the next."
            )
            button.clicked.connect(lambda _checked=False, severity=severity: self.jump.emit(severity))
            self.counts[severity] = button
            row.addWidget(button)
        self._stopped, self._work_words = False, ""
        self.work = label("", "muted", wrap=False)
        self.halt = QPushButton("Stop")
        self.halt.setProperty("role", "flat")
        self.halt.clicked.connect(lambda: (self.go_on if self._stopped else self.stop).emit())
        row.addWidget(self.work)
        row.addWidget(self.halt)
        row.addStretch(1)
        self.last = QPushButton("Nothing changed yet")
        self.last.setProperty("role", "flat")
        self.last.setEnabled(False)
        self.last.clicked.connect(self.undo)
        row.addWidget(self.last)
        # What is there in no time is not announced.
        self._patience = QTimer(self)
        self._patience.setSingleShot(True)
        self._patience.setInterval(PATIENCE_MS)
        self._patience.timeout.connect(self._show_work)
        self._show_work()
        self.restyle()
        self._air: datetime | None = None
        self._since: datetime | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(500)
        self._timer.timeout.connect(self._tick)
        self._timer.start()
        self._tick()

    def restyle(self) -> None:
        """The marks in the colours of the theme."""
        for severity, button in self.counts.items():
            button.setIcon(mark_icon(severity, self.theme))

    def set_show(
        self, title: str, subtitle: str, air: datetime | None, unsaved: bool, *, since: datetime | None = None
    ) -> None:
        """Title, and when it goes on air; `since` when it is, by its log."""
        self.title.setText(title.replace("&", "&&"))
        self.title.setAccessibleName(f"{title}: title, subtitle and time on air")
        saved = "not saved" if unsaved else ""
        self.subtitle.setText("  \u00b7  ".join(words for words in (subtitle, saved) if words))
        self._air, self._since = air, since
        self._tick()

    def set_counts(self, counts: dict[Severity, int] | None) -> None:
        """Findings by severity; None while nobody knows."""
        for severity, button in self.counts.items():
            if counts is None:
                button.setText("\u2013")
                button.setAccessibleName(f"{SEVERITY_NAMES[severity]}: not known yet")
                continue
            button.setText(str(counts[severity]))
            button.setAccessibleName(f"{counts[severity]} {SEVERITY_NAMES[severity]}")

    def set_work(self, words: str, *, stopped: bool = False) -> None:
        """What is being computed, with a button that stops it; or that it was stopped, with one that goes on. Empty for neither."""
        self._work_words, self._stopped = words, stopped
        if not words or stopped or self.work.isVisibleTo(self):
            self._patience.stop()
            self._show_work()
        elif not self._patience.isActive():
            self._patience.start()

    def _show_work(self) -> None:
        self.work.setText(self._work_words)
        tip = (
            "Computes what was stopped."
            if self._stopped
            else "Stops computing; the show stays as it is, and what is drawn is from before."
        )
        self.halt.setText("Compute" if self._stopped else "Stop")
        self.halt.setToolTip(tip)
        self.halt.setStatusTip(tip)
        for row in (self.work, self.halt):
            row.setVisible(bool(self._work_words))
        stale = bool(self._work_words)
        for severity, button in self.counts.items():
            count = button.text().removesuffix(" \u2026")
            button.setText(f"{count} \u2026" if stale else count)
            words = ", from before the last edit" if stale else ""
            button.setAccessibleName(f"{count} {SEVERITY_NAMES[severity]}{words}")

    def set_last(self, text: str) -> None:
        """What undo would take back; empty for nothing."""
        words = f"Undo: {text}" if text else "Nothing to undo"
        self.last.setEnabled(bool(text))
        self.last.setToolTip(plain_tip(f"{words}. Ctrl+Z" if text else words))
        self.last.setAccessibleName(words)
        self.last.setText(words if len(words) <= 34 else words[:33] + "\u2026")

    def _tick(self) -> None:
        known = self._air is not None or self._since is not None
        self.air_words.setVisible(known)
        self.clock.setVisible(known)
        if self._since is not None:
            self.air_words.setText("On air")
            self.clock.setText(clock_words(max(0, round((datetime.now(UTC) - self._since).total_seconds()))))
            return
        if self._air is None:
            return
        seconds = round((self._air - datetime.now(UTC)).total_seconds())
        self.air_words.setText("To air" if seconds >= 0 else "On air since")
        self.clock.setText(clock_words(abs(seconds)))


def clock_words(seconds: int) -> str:
    """A span as it stands on the clock: 00:18:40, with days in front when there are any."""
    days, rest = divmod(seconds, 86400)
    text = f"{rest // 3600:02d}:{rest // 60 % 60:02d}:{rest % 60:02d}"
    return f"{days} d {text}" if days else text
