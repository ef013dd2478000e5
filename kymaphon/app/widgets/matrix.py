"""Listeners by voices as a table: each cell a glyph and a figure, told apart by shape as well as by colour."""

from __future__ import annotations

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QKeyEvent, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from kymaphon.app.theme import Theme, font
from kymaphon.app.widgets.marks import draw_mark
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.routing import Delivery
from kymaphon.core.model.stages import Severity
from kymaphon.core.report.sheet import VERDICT_WORDS, feed_severity, feed_words

Index = QModelIndex | QPersistentModelIndex
FEED_ROLE = Qt.ItemDataRole.UserRole + 1
NARROWEST = 84
"""A cell's width at usual text size: a glyph, a mark and a figure."""
WAS_ROLE = Qt.ItemDataRole.UserRole + 2
SEVERITY_ROLE = Qt.ItemDataRole.UserRole + 3
WANT_WORDS = {
    "hear": "should hear",
    "never": "must not hear",
    "local": "own voice direct",
    "any": "nobody asked",
}
FOLDBACK_WORDS = "should hear itself from wedge or headphones"


def want_words(feed: Delivery) -> str:
    """What is wanted of a pair; oneself is heard at once anyhow, so hearing oneself means from a wedge or headphones."""
    return FOLDBACK_WORDS if feed.listener == feed.voice and feed.want == "hear" else WANT_WORDS[feed.want]


class FeedModel(QAbstractTableModel):
    """The feeds of an analysis, listeners down and voices across."""

    def __init__(self) -> None:
        super().__init__()
        self.analysis: Report | None = None
        self.before: Report | None = None
        self.listeners: tuple[str, ...] = ()
        self.voices: tuple[str, ...] = ()

    def set_analysis(self, analysis: Report, before: Report | None = None) -> None:
        """Another state of the show; the selection stays where rows and columns stay.

        Args:
            before: what a preview is held against; cells that stand otherwise there are outlined.
        """
        self.before = before
        listeners = tuple(party.id for party in analysis.listeners)
        voices = tuple(party.id for party in analysis.voices)
        if (listeners, voices) != (self.listeners, self.voices):
            self.beginResetModel()
            self.analysis, self.listeners, self.voices = analysis, listeners, voices
            self.endResetModel()
            return
        self.analysis = analysis
        if listeners and voices:
            self.dataChanged.emit(self.index(0, 0), self.index(len(listeners) - 1, len(voices) - 1))

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.listeners)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.voices)

    def feed(self, index: Index) -> Delivery | None:
        """The cell's feed."""
        if self.analysis is None or not index.isValid():
            return None
        return self.analysis.feeds.get((self.listeners[index.row()], self.voices[index.column()]))

    def was(self, feed: Delivery) -> Delivery | None:
        """How a pair stands before what is previewed; None where that changes nothing of it."""
        old = self.before.feeds.get(feed.key) if self.before is not None else None
        return old if old is not None and old.verdict != feed.verdict else None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        feed = self.feed(index)
        if feed is None or self.analysis is None:
            return None
        if role == FEED_ROLE:
            return feed
        if role == WAS_ROLE:
            return self.was(feed)
        if role == SEVERITY_ROLE:
            return feed_severity(self.analysis, feed)
        if role in (
            Qt.ItemDataRole.ToolTipRole,
            Qt.ItemDataRole.StatusTipRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            listener, voice = (self.analysis.party_name(row) for row in feed.key)
            old = self.was(feed)
            was = f"; was: {feed_words(old)}" if old is not None else ""
            words = f"{listener} and {voice}: {want_words(feed)}; {feed_words(feed)}{was}"
            return plain_tip(words) if role == Qt.ItemDataRole.ToolTipRole else words
        if role == Qt.ItemDataRole.DisplayRole:
            return feed_words(feed)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if self.analysis is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            rows = self.voices if orientation == Qt.Orientation.Horizontal else self.listeners
            return self.analysis.party_name(rows[section])
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.FontRole and orientation == Qt.Orientation.Vertical:
            row = QApplication.font()
            row.setWeight(QFont.Weight.DemiBold)
            return row
        return None


class FeedDelegate(QStyledItemDelegate):
    """Paints a cell. Filled disc: heard as wanted. Ring with a dot: own voice, at once. Disc with a tail:
    late. Two discs: twice. Broken ring: wanted, missing.
    """

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.scale = 1.0

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(round(104 * self.scale), round(36 * self.scale))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        feed = index.data(FEED_ROLE)
        if not isinstance(feed, Delivery):
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect)
        theme = self.theme
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setBrush(theme.color("raised"))
            painter.setPen(QPen(theme.color("lantern"), 2))
            painter.drawRoundedRect(box.adjusted(2, 2, -2, -2), 5, 5)
        if isinstance(index.data(WAS_ROLE), Delivery):
            # A preview changes this one.
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("lantern"), 1, Qt.PenStyle.DashLine))
            painter.drawRoundedRect(box.adjusted(4.5, 4.5, -4.5, -4.5), 4, 4)
        hue = theme.party(index.column())
        middle = QPointF(box.left() + 12, box.center().y())
        severity = index.data(SEVERITY_ROLE)
        text, color = self._glyph(painter, feed, middle, hue, severity)
        left = box.left() + 23
        if severity:
            left += {"twice": 6, "back": 1}.get(feed.verdict, 0)
            draw_mark(painter, QRectF(left, box.center().y() - 6, 12, 12), severity, theme)
            left += 14
        painter.setPen(color)
        painter.setFont(font(9, QFont.Weight.DemiBold if severity else QFont.Weight.Normal, self.scale))
        metrics = QFontMetricsF(painter.font())
        room = QRectF(left, box.top(), box.right() - left - 1, box.height())
        painter.drawText(
            room,
            Qt.AlignmentFlag.AlignVCenter,
            metrics.elidedText(text, Qt.TextElideMode.ElideRight, room.width()),
        )
        painter.restore()

    def _glyph(
        self, painter: QPainter, feed: Delivery, at: QPointF, hue: QColor, severity: Severity | None
    ) -> tuple[str, QColor]:
        theme = self.theme
        ink = theme.color("text" if severity in (None, "note") else severity)
        gain = 0.0 if feed.gain_db is None else feed.gain_db
        level = show_number(gain, "dB", sign=True).removesuffix(" dB") if round(gain, 1) else "0"
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(hue)
        if feed.howling:
            painter.setBrush(theme.color("stop"))
            painter.drawPolygon([at + QPointF(0, -7), at + QPointF(7, 6), at + QPointF(-7, 6)])
            return "howls", theme.color("stop")
        if feed.verdict == "local":
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(hue, 2))
            painter.drawEllipse(at, 6, 6)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(hue)
            painter.drawEllipse(at, 2, 2)
            return "local", theme.color("muted")
        if feed.verdict == "back":
            tail = QColor(theme.color(severity or "stop"))
            tail.setAlphaF(0.6)
            painter.setBrush(tail)
            painter.drawPolygon([at, at + QPointF(10, -5), at + QPointF(10, 5)])
            painter.setBrush(hue)
            painter.drawEllipse(at - QPointF(3, 0), 6, 6)
            return _short_ms(feed.delay_ms or 0.0), ink
        if feed.verdict == "twice":
            painter.drawEllipse(at - QPointF(4, 0), 5.5, 5.5)
            painter.drawEllipse(at + QPointF(7, 0), 5.5, 5.5)
            delays = sorted(row.delay_ms for row in feed.arrivals[:2])
            apart = delays[1] - delays[0] if len(delays) == 2 else 0.0
            return show_number(apart, "ms"), ink
        if feed.verdict == "missing":
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(hue, 2, Qt.PenStyle.DotLine))
            painter.drawEllipse(at, 6, 6)
            return "no path" if feed.gain_db is None else level, ink
        if feed.verdict == "silent" or feed.gain_db is None or feed.gain_db < number("heard-floor"):
            painter.setBrush(theme.color("muted"))
            if feed.want == "never":
                painter.drawRect(QRectF(at.x() - 6, at.y() - 1, 12, 2.4))
                return "", theme.color("muted")
            painter.drawEllipse(at, 1.6, 1.6)
            return "", theme.color("muted")
        painter.drawEllipse(at, 6, 6)
        if feed.verdict in ("unwanted", "late"):
            return VERDICT_WORDS[feed.verdict], ink
        return level, theme.color("text" if feed.verdict != "free" else "muted")


def _short_ms(delay_ms: float) -> str:
    """A delay in a cell: no decimal from 100 ms on."""
    return f"{delay_ms:.0f} ms" if 100 <= delay_ms < 1000 else show_number(delay_ms, "ms")


class VoiceHeader(QHeaderView):
    """Names of the voices, each over a bar of its own hue."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.theme = theme
        self.scale = 1.0

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), round(34 * self.scale))

    def paintSection(self, painter: QPainter, rect: QRect, index: int) -> None:
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(10, QFont.Weight.DemiBold, self.scale))
        metrics = QFontMetricsF(painter.font())
        box = QRectF(rect).adjusted(8, 2, -2, -6)
        text = metrics.elidedText(
            str(self.model().headerData(index, Qt.Orientation.Horizontal)),
            Qt.TextElideMode.ElideRight,
            box.width(),
        )
        painter.setPen(self.theme.color("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.party(index))
        painter.drawRoundedRect(
            QRectF(box.left(), rect.bottom() - 4, max(24.0, metrics.horizontalAdvance(text)), 3), 1.5, 1.5
        )
        painter.restore()


class FeedMatrix(QTableView):
    """The table. Space asks for the next want, Enter goes to the Why panel."""

    cell_chosen = Signal(object)
    next_want = Signal(object)
    listener_chosen = Signal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabKeyNavigation(False)  # Tab goes on; the arrows go about in it
        self.feeds = FeedModel()
        self.setModel(self.feeds)
        self.delegate = FeedDelegate(theme, self)
        self.setItemDelegate(self.delegate)
        self.setShowGrid(False)
        self.setMouseTracking(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setAccessibleName("Who hears whom: listeners down, voices across")
        self.voices = VoiceHeader(theme, self)
        self.setHorizontalHeader(self.voices)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.fit_rows()
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for header in (self.horizontalHeader(), self.verticalHeader()):
            header.setSectionsClickable(False)
            header.setHighlightSections(False)
        self.verticalHeader().setSectionsClickable(True)
        self.verticalHeader().sectionClicked.connect(lambda row: self.listener_chosen.emit(self.feeds.listeners[row]))
        self.verticalHeader().setMinimumWidth(96)
        self.setStatusTip(
            "A cell: Space switches the want, Enter shows its arithmetic; a name at the left shows "
            "its listener. Filled: heard as wanted. Ring: own voice direct. Tail: late. Two discs: twice. Dotted: missing."
        )

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        self.cell_chosen.emit(self.feeds.feed(current))

    def fit_rows(self) -> None:
        """Rows as high as there is room for, within reason."""
        self.horizontalHeader().setMinimumSectionSize(round(NARROWEST * self.delegate.scale))
        least = round(34 * self.delegate.scale)
        rows = max(self.feeds.rowCount(), 1)
        room = self.viewport().height() // rows
        self.verticalHeader().setDefaultSectionSize(max(least, min(room, round(least * 1.4))))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit_rows()

    def current_feed(self) -> Delivery | None:
        """The selected cell."""
        return self.feeds.feed(self.currentIndex())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and self.current_feed() is not None:
            self.next_want.emit(self.current_feed())
            return
        super().keyPressEvent(event)
