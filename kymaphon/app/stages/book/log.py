"""Book, log: what was logged, found as somebody types; and of the row that is chosen what was set, open and heard at that moment."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import cast

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableView,
    QWidget,
)

from kymaphon.app.document import Document
from kymaphon.app.stages.book.words import EMPTY
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.form import Field, Form
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.app.worker import Worker
from kymaphon.core.air.run import run_of
from kymaphon.core.book.entries import SORT_WORDS, LogIndex, Names, Wanted, names_of
from kymaphon.core.book.review import Review, review
from kymaphon.core.model.clock import zone_of
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.core.report.book import incident_sheet, review_lines
from kymaphon.files.errors import FileProblem
from kymaphon.files.sheet_file import write_sheet

HEADINGS = ("When", "What", "About", "")
Index = QModelIndex | QPersistentModelIndex


class LogModel(QAbstractTableModel):
    """Rows of the log by their places in it, the newest first."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[LogEntry] = []
        self.names = names_of(Show())
        self.show = Show()

    def show_rows(self, rows: list[LogEntry], show: Show, names: Names) -> None:
        self.beginResetModel()
        self.rows, self.show, self.names = rows, show, names
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.rows)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(HEADINGS)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self._cell(row, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(row.text)
        return None

    def _cell(self, row: LogEntry, column: int) -> str:
        if column == 0:
            return f"{row.at.astimezone(zone_of(self.show)):%d %b %H:%M:%S}"
        if column == 1:
            return SORT_WORDS[row.told_sort]
        if column == 2:
            return self.names.of(row) or "\u2013"
        return row.text

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return HEADINGS[section]
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        return None


class LogTable(QTableView):
    """The rows; columns of a fixed width, so that ten thousand of them cost nothing.

    Signals:
        chosen: place of the row that the user went to.
    """

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.words = LogModel()
        self.setModel(self.words)
        self.setAccessibleName("Log")
        self.setStatusTip(
            "What was logged, the newest first. Of the row that is chosen the panel says what was so then."
        )
        self.setTabKeyNavigation(False)
        self.verticalHeader().hide()
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.horizontalHeader().setHighlightSections(False)
        self.horizontalHeader().setStretchLastSection(True)

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        if current.isValid():
            self.chosen.emit(current.row())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit()

    def fit(self) -> None:
        """Columns as wide as the words that they hold for sure."""
        metrics = self.fontMetrics()
        for column, words in enumerate(("00 Mmm 00:00:00 ", "Change on air ", "Interview with the b ")):
            self.setColumnWidth(column, metrics.horizontalAdvance(words) + 14)


class LogPage(StagePage):
    """The log with what it is searched by."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, scrolls=False)
        self.column.setSpacing(8)
        row = QHBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("words that the row has")
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("Words to look for in the log")
        self.search.textChanged.connect(lambda _text: self._fill())
        self.sort = ChoiceBox()
        self.sort.setAccessibleName("Sort of row")
        self.sort.setToolTip("All rows, or those of one sort.")
        self.sort.activated.connect(lambda _index: self._fill())
        self.whole = ChoiceBox()
        self.whole.setAccessibleName("Which part of the log")
        self.whole.setToolTip("The whole log, or the last run on air alone.")
        self.whole.addItem("The whole log", "")
        self.whole.addItem("Last run on air", "run")
        self.whole.activated.connect(lambda _index: self._fill())
        incident = QPushButton("Note an incident\u2026")
        incident.setToolTip("Something that went wrong, in words, with the time.")
        incident.clicked.connect(lambda: self.act("incident"))
        row.addWidget(self.search, 1)
        for widget in (self.sort, self.whole, incident):
            row.addWidget(widget)
        self.column.addLayout(row)
        self.empty = label(EMPTY, "muted")
        self.column.addWidget(self.empty)
        self.table = LogTable()
        self.table.chosen.connect(self._go)
        self.column.addWidget(self.table, 1)
        self.index = LogIndex(names_of(Show()))
        self._review: Review | None = None
        self._at: LogEntry | None = None
        self._worker = Worker(self, self._reviewed, lambda error: self.say.emit(str(error)))
        document.logged.connect(lambda _rows: self.refresh("", "") if self.isVisible() else None)

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(24 * scale))
        self.table.fit()

    def first(self) -> QWidget | None:
        return self.search

    def refresh(self, voice: str, end: str) -> None:
        show = self.document.show
        names = names_of(show)
        if names != self.index.names:
            self.index = LogIndex(names)
        self.index.follow(show.log)
        counts = self.index.counts()
        chosen = self.sort.currentData()
        self.sort.clear()
        self.sort.addItem("All sorts", "")
        for sort, count in counts.items():
            self.sort.addItem(f"{SORT_WORDS[sort]} ({count})", sort)  # type: ignore[index]
        self.sort.setCurrentIndex(max(0, self.sort.findData(chosen)))
        self._fill()

    def _fill(self) -> None:
        sort = self.sort.currentData() or ""
        since = run_of(self.document.show.log).started if self.whole.currentData() == "run" else None
        wanted = Wanted(frozenset((sort,) if sort else ()), self.search.text(), since=since)
        places = self.index.find(wanted)
        rows = [self.index.rows[n] for n in reversed(places)]
        self.table.words.show_rows(rows, self.document.show, self.index.names)
        self.empty.setVisible(not self.index.rows)
        whole = len(self.index.rows)
        words = f"{whole} rows" if len(rows) == whole else f"{len(rows)} of {whole} rows"
        self.title.emit("Log", words)
        kept = next((n for n, row in enumerate(rows) if row is self._at), -1)
        if kept >= 0:
            self.table.setCurrentIndex(self.table.words.index(kept, 0))
        else:
            self._at = self._review = None
        self.why_changed.emit()

    def _go(self, place: int) -> None:
        row = self.table.words.rows[place] if 0 <= place < len(self.table.words.rows) else None
        if row is self._at and self._review is not None:
            return
        self._at, self._review = row, None
        report = self.document.analysis
        if row is not None and not report.unsearched:
            at = row.at
            self._worker.ask(lambda: review(report, at), row)
        self.why_changed.emit()

    def _reviewed(self, about: object, result: object) -> None:
        if about is self._at:
            self._review = cast(Review, result)
            self.why_changed.emit()

    def now(self) -> datetime:
        """The clock."""
        return datetime.now(UTC)

    def act(self, action: str) -> None:
        if action == "incident":
            self._incident()
        elif action == "report":
            self._report()

    def _incident(self) -> None:
        parties = tuple((row.id, row.name) for row in self.document.show.parties)
        devices = tuple((row.id, self.document.analysis.device_name(row.id)) for row in self.document.show.devices)
        fields = (
            Field("text", "What happened", "words", ""),
            Field("subject", "About", "choice", "", (("", "the show"), *parties, *devices)),
        )

        def take(values: dict[str, object]) -> None:
            text = " ".join(str(values["text"]).split())
            if not text:
                raise ValueError("say what happened")
            self.document.log(
                LogEntry(at=self.now(), text=text[:2000], subject=str(values["subject"]) or None, sort="incident")
            )

        Form(
            "Incident",
            fields,
            take,
            self,
            note="It goes into the log with the time of now; a battery that was changed too.",
        ).exec()

    def _report(self) -> None:
        if self._review is None:
            self.say.emit("Choose a row of the log first: the report is of its moment.")
            return
        given, _ = QFileDialog.getSaveFileName(
            self, "Incident report", "incident.html", "Page (*.html);;PDF (*.pdf);;List (*.csv)"
        )
        if not given:
            return
        sheet = incident_sheet(self.document.analysis, self._review)
        try:
            write_sheet(given if "." in given.rpartition("/")[2] else f"{given}.html", sheet, sheet.tables[0])
        except FileProblem as problem:
            self.document.trouble.emit(str(problem))
            return
        self.say.emit("Incident report written.")

    def why(self) -> WhyContent:
        row = self._at
        if row is None:
            return WhyContent("Log", hint="Of the row that is chosen it says here what was set, open and heard then.")
        found = self._review
        at = f"{row.at.astimezone(zone_of(self.document.show)):%Y-%m-%d %H:%M:%S}"
        if found is None:
            return WhyContent(
                SORT_WORDS[row.told_sort], at, extra=(row.text,), hint="What was so then is being put together\u2026"
            )
        return WhyContent(
            SORT_WORDS[row.told_sort],
            at,
            extra=(row.text,),
            lead=(Action("report", "Incident report\u2026", "A page of this moment."),),
            notes=tuple(review_lines(self.document.analysis, found)),
        )
