"""Now and next on a second screen: nothing to press, to be read by everybody in the room."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QGuiApplication, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.air.bench import AirBench
from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.core.air.run import next_of
from kymaphon.core.model.clock import by_the_clock, span_words
from kymaphon.core.rundown.timing import planned_s


class SecondScreen(QWidget):
    """The window. It never takes the keyboard: that stays with the show. F8 opens it and closes it."""

    def __init__(self, bench: AirBench, theme: Theme) -> None:
        super().__init__(None, Qt.WindowType.Window | Qt.WindowType.WindowDoesNotAcceptFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)
        self.bench, self.theme = bench, theme
        self.setWindowTitle("On air")
        self.setAccessibleName("On air, second screen")
        self.resize(960, 540)
        self._told: tuple[str, ...] = ()
        bench.ticked.connect(self._follow)
        bench.changed.connect(self._follow)

    def sizeHint(self) -> QSize:
        return QSize(960, 540)

    def place(self, beside: QWidget) -> None:
        """Shows it on another screen than a window's, filling it; on the only one small, in its corner."""
        own = beside.screen()
        other = next((row for row in QGuiApplication.screens() if row is not own), None)
        if other is not None:
            self.setGeometry(other.availableGeometry())
            self.showFullScreen()
            return
        room = own.availableGeometry()
        size = QSize(min(480, room.width()), min(270, room.height()))
        self.setGeometry(room.right() - size.width(), room.bottom() - size.height(), size.width(), size.height())
        self.show()

    def _follow(self) -> None:
        told = self.words()
        if self.isVisible() and told != self._told:
            self._told = told
            self.setAccessibleDescription("; ".join(told))
            self.update()

    def words(self) -> tuple[str, ...]:
        """Title, time, what the time is, who is open, next, the worst hazard and its severity, clock."""
        show, state, line = self.bench.document.show, self.bench.state, self.bench.timeline
        now = self.bench.now()
        names = {row.id: row.name for row in show.parties}
        on = line.on
        clock = by_the_clock(show, now)
        if on is None:
            wait = (show.air_at - now).total_seconds() if show.air_at is not None and state.ended is None else None
            title = "Off air" if state.ended is not None else show.title
            time, what = (span_words(wait), "to air") if wait is not None else ("", "")
        else:
            title = on.segment.name
            planned = planned_s(on.segment)
            time, what = (span_words(on.left_s), "left") if planned is not None else (span_words(on.spent_s), "on for")
        opened = [row.id for row in show.parties if row.id in state.open | state.playing]
        heard = ", ".join(names[name] for name in opened) or ("nobody" if state.on_air else "")
        following = next_of(show, self.bench.fresh())
        after = following.name if following is not None else "off air" if state.on_air else ""
        worst = next((row for row in self.bench.hazards if not row.soon), None)
        return title, time, what, heard, after, worst.title if worst else "", worst.severity if worst else "", clock

    def paintEvent(self, event: QPaintEvent) -> None:
        title, time, what, heard, after, worst, severity, clock = self.words()
        theme = self.theme
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("ground"))
        unit = min(self.width() / 960, self.height() / 540)
        edge = 32 * unit
        wide = self.width() - 2 * edge

        def line(top: float, high: float, text: str, points: float, role: str, bold: bool = False) -> None:
            painter.setFont(self._fitting(text, points * unit, bold, wide))
            painter.setPen(theme.color(role))
            box = QRectF(edge, top * unit, wide, high * unit)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

        line(16, 60, title, 34, "text", True)
        late = time.startswith("\u2212")
        line(70, 190, time, 120, "fix" if late else "text", True)
        line(250, 30, what, 16, "muted")
        line(292, 50, f"Open: {heard}" if heard else "", 24, "voice", True)
        line(348, 44, f"Next: {after}" if after else "", 22, "text")
        if worst:
            draw_mark(painter, QRectF(edge, 418 * unit, 24 * unit, 24 * unit), severity, theme)
            painter.setFont(self._fitting(worst, 20 * unit, True, wide - 40 * unit))
            painter.setPen(theme.color(severity))
            box = QRectF(edge + 38 * unit, 404 * unit, wide - 38 * unit, 52 * unit)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, worst)
        line(470, 50, clock, 26, "muted")
        painter.end()

    @staticmethod
    def _fitting(text: str, points: float, bold: bool, wide: float) -> QFont:
        """As large as wanted, or as fits: nothing here is cut."""
        row = font(max(points, 6.0), QFont.Weight.Bold if bold else QFont.Weight.Normal)
        needs = QFontMetricsF(row).horizontalAdvance(text)
        if needs > wide:
            row.setPointSizeF(max(6.0, points * wide / needs))
        return row
