"""Air, notes: what was noted, by the time of the recording, and out in the formats that the edit takes."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.air.bench import AirBench
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.button_row import button_row
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.form import Field, Form
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.app.worker import Worker
from kymaphon.core.air.cues import DOES, FORMATS, Cue, cues_of, inside, recording_begins, timecode
from kymaphon.core.air.run import NOTE_WORDS
from kymaphon.core.model.clock import by_the_clock, clock_of, zone_of
from kymaphon.core.words import counted
from kymaphon.files.cue_file import mark_recording, write_cues
from kymaphon.files.errors import FileProblem

HEADINGS = ("In the recording", "Clock", "What", "Segment", "Note", "In the edit")
HELP = (
    "Time from the start of the recording",
    "When it was noted",
    "Its sort",
    "What was on",
    "What was noted",
    "What is usually done about it",
)
FILTER = ";;".join(f"{words} (*{ending})" for ending, words in FORMATS.values())


def save_notes(parent: QWidget, document: Document, say: Callable[[str], None], begins: datetime | None = None) -> None:
    """Asks where to, and writes the notes in the format that the name ends in."""
    begins = begins or recording_begins(document.show)
    cues = cues_of(document.show, begins) if begins is not None else ()
    if not cues:
        say("There are no notes to write yet.")
        return
    given, chosen = QFileDialog.getSaveFileName(parent, "Notes of the show", "notes.vtt", FILTER)
    if not given:
        return
    path = Path(given)
    if not path.suffix:
        ending = next((end for end, words in FORMATS.values() if chosen.startswith(words)), ".vtt")
        path = path.with_name(path.name + ending)
    try:
        write_cues(path, cues, document.show.title)
    except FileProblem as problem:
        document.trouble.emit(str(problem))
        return
    say(f"{len(inside(cues))} points written: {path.name}.")


class NotesPage(StagePage):
    """The notes as a list."""

    def __init__(self, bench: AirBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        self.begins: datetime | None = None
        """When the recording began, where somebody said; else as the show did."""
        inside_ = self.card(1)
        self.told = label("", "muted")
        inside_.addWidget(self.told)
        self.table = RowTable(theme, "Notes of the show", "What was noted, in order; the segments between them.")
        self.table.let_grow(4)
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        inside_.addWidget(self.table)
        buttons = (
            ("Save the notes\u2026", "Labels, subtitles, chapters, a list of cuts, or a table.", "save"),
            ("Into a recording\u2026", "A copy of a WAV recording with the notes as cue points.", "mark"),
            (
                "When it begins\u2026",
                "When the recording was started, where that is not when the show began.",
                "begins",
            ),
        )
        inside_.addLayout(button_row(buttons, self.act))
        self.cues: tuple[Cue, ...] = ()
        self._copier = Worker(
            self, lambda _about, told: self.say.emit(str(told)), lambda error: self.say.emit(str(error))
        )
        bench.document.exchanged.connect(self._forget)
        bench.document.logged.connect(lambda _entries: self.refresh("", "") if self.isVisible() else None)

    def _forget(self) -> None:
        self.begins = None

    def set_scale(self, scale: float) -> None:
        self.table.setMinimumHeight(round(240 * scale))

    def first(self) -> QWidget | None:
        return self.table

    @property
    def _begins(self) -> datetime | None:
        return self.begins or recording_begins(self.document.show)

    def refresh(self, voice: str, end: str) -> None:
        show, begins = self.document.show, self._begins
        self.cues = cues_of(show, begins) if begins is not None else ()
        chosen = self.table.currentIndex().row()
        self.table.set_rows(HEADINGS, HELP, tuple(self._row(n, row) for n, row in enumerate(self.cues)))
        self.table.choose(min(max(chosen, 0), len(self.cues) - 1))
        notes = [row for row in self.cues if row.kind != "segment"]
        at = f"; the recording begins at {by_the_clock(show, begins)}" if begins is not None else ""
        self.title.emit("Notes of the show", f"{counted(len(notes), 'note')}{at}")
        early = sum(row.at_s < 0 for row in self.cues)
        self.told.setText(
            f"{early} of them lie before the recording began, and are only in the list."
            if early
            else "Noted in Now with one key; from here into the edit."
        )
        self.why_changed.emit()

    def _row(self, n: int, row: Cue) -> Row:
        at = timecode(row.at_s) if row.at_s >= 0 else f"\u2212{timecode(-row.at_s)}"
        what = "Segment" if row.kind == "segment" else NOTE_WORDS.get(row.kind, row.kind)  # type: ignore[call-overload]
        does = "" if row.kind == "segment" else DOES[row.kind]
        return Row(
            ("cue", str(n)), (at, by_the_clock(self.document.show, row.clock), what, row.segment, row.text, does)
        )

    def act(self, action: str) -> None:
        if action == "save":
            save_notes(self, self.document, self.say.emit, self._begins)
        elif action == "mark":
            self._mark()
        elif action == "begins":
            self._ask_begins()

    def _mark(self) -> None:
        if not self.cues:
            self.say.emit("There are no notes to write yet.")
            return
        if self._copier.busy:
            self.say.emit("A copy is being made: wait until it is done.")
            return
        source, _ = QFileDialog.getOpenFileName(self, "The recording", "", "WAV (*.wav *.rf64 *.bwf)")
        if not source:
            return
        path = Path(source)
        target, _ = QFileDialog.getSaveFileName(
            self, "Its copy with cue points", str(path.with_name(f"{path.stem}-notes.wav")), "WAV (*.wav)"
        )
        if not target:
            return
        cues = self.cues
        self.say.emit("Being copied\u2026")

        def work() -> str:
            try:
                count = mark_recording(source, target, cues)
            except FileProblem as problem:
                return str(problem)
            return f"{count} cue points in {Path(target).name}; the recording itself stays as it is."

        self._copier.ask(work, None)

    def _ask_begins(self) -> None:
        show, begins = self.document.show, self._begins
        if begins is None:
            self.say.emit("There is no show yet that a recording could be of.")
            return
        local = begins.astimezone(zone_of(show))

        def take(values: dict[str, Any]) -> None:
            found = clock_of(values["at"], local, local - timedelta(hours=12))
            if found is None:
                raise ValueError("give a time, such as 18:58:30")
            self.begins = found

        field = Field("at", "Begins at", value=f"{local:%H:%M:%S}", tip="By the clock of the show, to the second")
        if Form("The recording", (field,), take, self, note="Notes are put into it by the clock.").exec():
            self.refresh("", "")

    def why(self) -> WhyContent:
        place = self.table.currentIndex().row()
        actions = (
            Action("save", "Save the notes\u2026", "Labels, subtitles, chapters, cuts, a table."),
            Action("mark", "Into a recording\u2026", "A copy with cue points."),
        )
        if not 0 <= place < len(self.cues):
            return WhyContent("Notes", hint="Nothing was noted yet: in Now, R N C G W and T.", actions=actions)
        row = self.cues[place]
        return WhyContent(
            row.text,
            f"{timecode(row.at_s)} in the recording",
            actions=actions,
            notes=(f"On then: {row.segment or 'nothing'}.",),
        )
