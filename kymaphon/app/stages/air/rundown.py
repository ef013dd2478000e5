"""Air, rundown: the segments as a table against the clock, worked on with forms and lists; who then hears whom beside it."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFileDialog, QWidget

from kymaphon.app.stages.air.along import draw_along
from kymaphon.app.stages.air.bench import AirBench
from kymaphon.app.stages.air.forms import AirForms
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.button_row import button_row
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.rundown_bar import RundownBar
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.segments import breaks_in
from kymaphon.core.derive import Derived
from kymaphon.core.model.clock import by_the_clock, span_words
from kymaphon.core.model.edits import MoveRow, RemoveRow, SetField
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.rundown import Segment
from kymaphon.core.report.rundown import all_moves, hearing_rows, names_of, play_words, timing_words
from kymaphon.core.rundown.timing import Timed, timeline
from kymaphon.core.words import counted
from kymaphon.files.errors import FileProblem
from kymaphon.files.row_file import RowProblems
from kymaphon.files.rundown_file import read_rundown

HEADINGS = ("", "From", "Length", "Latest", "Segment", "Open", "Plays")
HELP = (
    "Its place",
    "When it begins as planned",
    "Planned length",
    "By then it has to begin for every hard time after it",
    "What it is called; with its hard times",
    "Whose microphones or lines are open",
    "What plays, and how",
)


class SegmentTable(RowTable):
    """The segments; Alt with Up or Down moves one, Insert makes one."""

    def __init__(self, theme: Theme, page: RundownPage) -> None:
        super().__init__(
            theme,
            "Rundown",
            "Enter opens a segment, Insert makes one after it, Delete takes it out; Alt with Up or Down moves it.",
        )
        self._page = page

    def keyPressEvent(self, event: QKeyEvent) -> None:
        alt = event.modifiers() == Qt.KeyboardModifier.AltModifier
        if alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._page.act("up" if event.key() == Qt.Key.Key_Up else "down")
        elif event.key() == Qt.Key.Key_Insert:
            self._page.act("new")
        else:
            super().keyPressEvent(event)


class RundownPage(StagePage):
    """The rundown as planned."""

    def __init__(self, bench: AirBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        self.forms = AirForms(self, bench.document)
        inside = self.card()
        self.bar = RundownBar(theme)
        self.bar.chosen.connect(self._go_to)
        inside.addWidget(self.bar)
        self.told = label("", "muted")
        inside.addWidget(self.told)
        self.table = SegmentTable(theme, self)
        self.table.let_grow(4, 5)
        self.table.chosen.connect(lambda row, _column: self._chosen(row))
        self.table.opened.connect(lambda _row: self.act("open"))
        self.table.removed.connect(lambda _row: self.act("remove"))
        self.column.addWidget(self.table, 1)
        buttons = (
            ("New segment\u2026", "After the one that is chosen. Insert.", "new"),
            ("This one\u2026", "Enter.", "open"),
            (
                "On air at\u2026",
                "Day, time and time zone of the show; on another day its hard times go along.",
                "air-time",
            ),
            ("From a list\u2026", "Takes a rundown over from CSV.", "import"),
        )
        self.column.addLayout(button_row(buttons, self.act))
        self._at = ""
        self._hears: dict[str, tuple[list[tuple[str, str]], tuple[Finding, ...]]] = {}
        self._hears_of: object = None
        self._worker = Worker(self, self._heard, lambda error: self.say.emit(str(error)))

    def set_scale(self, scale: float) -> None:
        self.bar.set_scale(scale)
        self.table.setMinimumHeight(round(240 * scale))

    def first(self) -> QWidget | None:
        return self.table

    # what is shown

    def refresh(self, voice: str, end: str) -> None:
        report = self.document.analysis
        line = timeline(report.show)
        self.table.set_rows(HEADINGS, HELP, tuple(self._row(n, row) for n, row in enumerate(line.rows, start=1)))
        names = [row.segment.id for row in line.rows]
        if self._at not in names:
            self._at = names[0] if names else ""
        self.table.choose(names.index(self._at) if self._at else -1)
        words = timing_words(report, line)
        draw_along(self.bar, report.show, line, words)
        self.bar.select(self._at)
        head, _, rest = words.partition(". ")
        self.title.emit("Rundown", head if rest else words)
        self.told.setText(rest or ("" if line.rows else "No segments yet: make one, or take a list over."))
        self.told.setVisible(bool(self.told.text()))
        if report is not self._hears_of:
            self._hears = {}
            self._hears_of = report
        self._ask_hears()
        self.why_changed.emit()

    def _row(self, n: int, row: Timed) -> Row:
        report, segment = self.document.analysis, row.segment
        show = report.show
        hard = f" (hard {by_the_clock(show, segment.starts_at)})" if segment.starts_at is not None else ""
        out = f" (out {by_the_clock(show, segment.ends_by)})" if segment.ends_by is not None else ""
        worst = next((one.severity for one in report.findings if one.stage == "Air" and segment.id in one.subjects), "")
        cells = (
            f"{n}",
            by_the_clock(show, row.starts) if row.starts is not None else DASH,
            span_words(row.length_s) if row.known else DASH,
            by_the_clock(show, row.latest) if row.latest is not None else DASH,
            f"{segment.name}{hard}{out}",
            names_of(report, segment.open) or DASH,
            play_words(segment) or DASH,
        )
        marks = ((4, worst),) if worst else ()
        return Row(("segment", segment.id), cells, marks=((3, "fix"), *marks) if row.late else marks)

    def _ask_hears(self) -> None:
        """Who hears whom in the segment that is chosen, from a worker: the rig is computed in that state."""
        segment, report = self.segment, self.document.analysis
        if segment is None or segment.id in self._hears or report.unsearched:
            return
        name = segment.id
        self._worker.ask(lambda: (hearing_rows(report, segment), breaks_in(report, segment)), (report, name))

    def _heard(self, about: object, result: object) -> None:
        report, name = cast("tuple[object, str]", about)
        if report is self._hears_of:
            self._hears[name] = cast("tuple[list[tuple[str, str]], tuple[Finding, ...]]", result)
            self.why_changed.emit()
        self._ask_hears()

    @property
    def segment(self) -> Segment | None:
        """The one that is chosen."""
        return next((row for row in self.document.show.rundown if row.id == self._at), None)

    def _chosen(self, row: int) -> None:
        rundown = self.document.show.rundown
        self._at = rundown[row].id if 0 <= row < len(rundown) else ""
        self.bar.select(self._at)
        self._ask_hears()
        self.why_changed.emit()

    def _go_to(self, segment: str) -> None:
        place = next((n for n, row in enumerate(self.document.show.rundown) if row.id == segment), -1)
        if place >= 0:
            self.table.choose(place)
            self.table.setFocus()
            self._chosen(place)

    def show_finding(self, finding: Finding) -> None:
        found = next((row.id for row in self.document.show.rundown if row.id in finding.subjects), None)
        if found is not None:
            self._go_to(found)

    # what the user does

    def act(self, action: str) -> None:
        segment = self.segment
        rundown = self.document.show.rundown
        place = next((n for n, row in enumerate(rundown) if row.id == self._at), -1)
        if action == "new":
            made = self.forms.segment(None, place)
            if made:
                self._at = made
                self.refresh("", "")
        elif action == "air-time":
            self.forms.air_time()
        elif action == "import":
            self._import()
        elif segment is None:
            self.say.emit("There is no segment yet: Insert makes one.")
        elif action == "open":
            self.forms.segment(segment)
        elif action == "remove":
            left = [row.id for row in rundown if row is not segment]
            self._at = left[min(place, len(left) - 1)] if left else ""
            self.document.apply((RemoveRow("rundown", segment.id),), f"segment {segment.name[:40]} taken out")
        elif action in ("up", "down"):
            to = place + (-1 if action == "up" else 1)
            if 0 <= to < len(rundown):
                self.document.apply((MoveRow("rundown", segment.id, to),), f"segment {segment.name[:40]} {action}")

    def _import(self) -> None:
        given, _ = QFileDialog.getOpenFileName(self, "Rundown from a list", "", "Lists (*.csv);;All files (*)")
        if given:
            self.take_list(Path(given))

    def take_list(self, path: Path) -> None:
        """Takes a rundown over from a list; of one with bad rows nothing, and what is wrong is said."""
        try:
            rows = read_rundown(path, self.document.show)
        except RowProblems as problem:
            self.told.setText("Nothing was imported. " + "; ".join(problem.problems[:6]))
            self.told.setVisible(True)
            self.document.trouble.emit(str(problem))
            return
        except FileProblem as problem:
            self.document.trouble.emit(str(problem))
            return
        self.document.apply((SetField("", None, "rundown", rows),), f"rundown from {path.name}")
        self.say.emit(f"{counted(len(rows), 'segment')} imported from {path.name}; Ctrl+Z takes it back.")

    # beside it

    def why(self) -> WhyContent:
        segment, report = self.segment, self.document.analysis
        if segment is None or report.unsearched:
            return WhyContent("Rundown", hint="A segment: how long, who is open, what plays.")
        place = next(n for n, row in enumerate(report.show.rundown) if row.id == segment.id)
        line = timeline(report.show)
        row = line.rows[place]
        lines: tuple[Derived, ...] = ()
        if row.spare_s is not None:
            terms = tuple(Derived(one.segment.name, one.length_s, "s", source="rundown") for one in line.rows[place:])
            lines = (
                Derived("spare before the next hard time", row.spare_s, "s", "latest \u2212 planned start", terms),
            )
        moves = all_moves(report)[place]
        findings = tuple(one for one in report.findings if one.stage == "Air" and segment.id in one.subjects)
        heard, breaks = self._hears.get(segment.id, ([], ()))
        groups: dict[str, list[str]] = {}
        for listener, whom in heard:
            groups.setdefault(whom, []).append(listener)
        notes = [f"{', '.join(names)}: {whom}" for whom, names in groups.items()]
        notes = ["Who then hears whom:", *notes] if notes else ["Who then hears whom is being computed\u2026"]
        extra = tuple(
            f"{n}. {move.words} ({move.where})" if move.where else f"{n}. {move.words}"
            for n, move in enumerate(moves, start=1)
        )
        return WhyContent(
            segment.name,
            f"{span_words(row.length_s)}, {segment.sort}",
            lines=lines,
            findings=(*findings, *breaks),
            extra=("Before it:", *extra) if extra else ("Nothing is moved for it.",),
            lead=(Action("open", "This segment\u2026", "Enter."),),
            notes=tuple(notes),
        )
