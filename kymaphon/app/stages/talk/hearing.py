"""Talk, hearing: every way of a circuit as it comes to the ear, and what else is there."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.talk.bench import TalkBench
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.picker import Picker
from kymaphon.app.widgets.way_picture import Station, WayPicture, WayRow
from kymaphon.app.widgets.why import WhyContent
from kymaphon.core.derive import show_number
from kymaphon.core.mixes.returns import legs_of
from kymaphon.core.report.talk import plain_line
from kymaphon.core.talk.hearing import Hearing, TalkHearing, hearing_of
from kymaphon.core.words import counted

HEADINGS = ("To", "From", "At the ear", "Over the programme", "Index", "Latency", "Followed")
HELP = (
    "Who hears it",
    "Who speaks",
    "Level of the talkback there, with the key down",
    "Over the loudest of the programme in the same ear, dimmed as the circuit says",
    "Speech Intelligibility Index over everything else in that ear, ANSI S3.5-1997: good from 0.75, poor below 0.45",
    "Delay along the strongest path",
    "What that means",
)
FOLLOWED = {"good": "well", "fair": "just", "poor": "hardly"}


def _key(row: Hearing) -> tuple[str, str, str]:
    return row.way.circuit, row.way.speaker, row.way.listener


class HearingPage(StagePage):
    """A table of ways; the Why panel unfolds the one that is chosen."""

    def __init__(self, bench: TalkBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        self.picker = Picker("Circuit", "The paths of which circuit, or of all.")
        self.picker.picked.connect(self._choose)
        self.picker.addStretch(1)
        self.column.addLayout(self.picker)
        inside = self.card(1)
        self.table = RowTable(
            theme, "Talkback as it comes to each ear", "One path a row; the Why panel has its arithmetic."
        )
        self.table.spare = (5,)
        self.table.chosen.connect(self._went)
        inside.addWidget(self.table)
        self.way = WayPicture(theme)
        self.column.addWidget(self.way)
        self.rows: tuple[Hearing, ...] = ()
        self._all = False
        self._at: tuple[str, str, str] | None = None

    def set_scale(self, scale: float) -> None:
        self.way.scale = scale
        self.way.setFixedHeight(round(76 * scale))
        self.table.verticalHeader().setDefaultSectionSize(round(28 * scale))
        self.table.setMinimumHeight(round(220 * scale))

    def first(self) -> QWidget | None:
        return self.table if self.rows else self.picker.box

    def _choose(self) -> None:
        name = self.picker.value
        self._all = name is None
        if name is not None:
            self.bench.circuit = name
        self._at = None
        self.refresh("", "")

    def _went(self, row: int, _column: int) -> None:
        self._at = _key(self.rows[row]) if 0 <= row < len(self.rows) else None
        self._draw_way()
        self.why_changed.emit()

    @property
    def hearing(self) -> TalkHearing:
        return self.document.analysis.once(hearing_of)

    def refresh(self, voice: str, end: str) -> None:
        report = self.document.analysis
        if report.standing:
            return
        circuits = report.show.circuits
        if self.bench.circuit not in {row.id for row in circuits}:
            self.bench.circuit = circuits[0].id if circuits else ""
        self.picker.offer([(None, "all circuits"), *((row.id, row.called) for row in circuits)])
        self.picker.show_value(None if self._all else self.bench.circuit)
        rows = [row for row in self.hearing.rows.values() if self._all or row.way.circuit == self.bench.circuit]
        self.rows = tuple(sorted(rows, key=lambda row: (row.usable, row.index if row.index is not None else 1.0)))
        self.table.set_rows(HEADINGS, HELP, tuple(self._row(row) for row in self.rows))
        place = next((n for n, row in enumerate(self.rows) if _key(row) == self._at), 0)
        self.table.choose(place if self.rows else -1)
        bad = sum(not row.usable or row.verdict == "poor" for row in self.rows)
        words = (
            f"{counted(len(self.rows), 'path')}, {bad or 'none'} not followed; the worst first"
            if self.rows
            else plain_line(report)
        )
        self.title.emit("Talkback in each ear", words)
        self._draw_way()
        self.why_changed.emit()

    def _draw_way(self) -> None:
        """The way of the one that is chosen, box after box, its key down."""
        row = self.chosen
        found = self.hearing.model.path(row.way) if row is not None else None
        rows: tuple[WayRow, ...] = ()
        if row is not None and found is not None:
            stations = tuple(Station(leg.name, leg.delay_ms) for leg in legs_of(self.document.analysis, found))
            rows = (WayRow(stations, row.way.gain_db or 0.0, found.delay_ms),)
        place = next((n for n, one in enumerate(self.document.show.circuits) if row and one.id == row.way.circuit), 0)
        self.way.set_rows(rows, self.theme.party(place + 1))

    def _row(self, row: Hearing) -> Row:
        report, way = self.document.analysis, row.way
        steps, delay = self.hearing.model.steps(way)
        level = show_number(way.level_db, way.unit) if way.level_db is not None else DASH
        over = show_number(row.over_db, "dB", sign=True) if row.over_db is not None else DASH
        index = f"{row.index:.2f}" if row.index is not None else DASH
        late = show_number(delay, "ms") if steps else DASH
        words = FOLLOWED.get(row.verdict or "", "heard")
        if way.state == "outside":
            words = "by telephone"
        elif way.state in ("none", "howls"):
            words = "no path" if way.state == "none" else "howls"
        elif row.by_air:
            words = "across the place" if row.usable else "drowned across the place"
        elif not row.usable:
            words = "too weak"
        mark = "stop" if way.state == "howls" else "fix" if row.verdict == "poor" and not row.by_air else ""
        names = report.party_name(way.listener), report.party_name(way.speaker)
        return Row(
            (way.listener, way.speaker), (*names, level, over, index, late, words), marks=((6, mark),) if mark else ()
        )

    @property
    def chosen(self) -> Hearing | None:
        place = self.table.currentIndex().row()
        return self.rows[place] if 0 <= place < len(self.rows) else None

    def why(self) -> WhyContent:
        report, row = self.document.analysis, self.chosen
        if row is None or report.standing:
            return WhyContent("Hearing", "" if report.standing else plain_line(report))
        way = row.way
        title = f"{report.party_name(way.speaker)} to {report.party_name(way.listener)}"
        told = self.hearing.explain(row)
        subtitle = next((one.called for one in report.show.circuits if one.id == way.circuit), "")
        findings = tuple(
            one for one in report.findings if one.stage == "Talk" and {way.listener, way.circuit} <= set(one.subjects)
        )
        if told is None:
            hint = (
                "By telephone: nothing of the rig is needed, and nothing of it is computed."
                if way.state == "outside"
                else ""
            )
            return WhyContent(title, subtitle, findings=findings, hint=hint or "Nothing comes with the key down.")
        notes = tuple(self._beside(row))
        lines = tuple(one for one in (told.index, told.level) if one is not None)
        more = (*(masker.level for masker in told.maskers), told.delay)
        if findings:
            return WhyContent(title, subtitle, findings=findings, more=(*lines, *more), notes=notes)
        return WhyContent(title, subtitle, lines=lines, more=more, notes=notes)

    def _beside(self, row: Hearing) -> Iterator[str]:
        """What of other circuits is in the same ear, should somebody talk there at the same time."""
        names = {one.id: one.called for one in self.document.analysis.show.circuits}
        for other in self.hearing.beside(row):
            over = show_number(other.over_db, "dB", sign=True)
            words = "goes down for it" if other.overridden else "is not overridden"
            yield f"Should somebody talk on {names[other.circuit]} at once, which {words}: {over} over them."
