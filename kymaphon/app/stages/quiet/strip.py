"""Quiet, strip: every processor of a voice's strips in its order, beside what this take asks for."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.quiet.model import QuietModel
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent, findings_about
from kymaphon.app.worker import Worker
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.chain import REASONS, brought_together, delay_ms, moved, words_of
from kymaphon.core.dynamics.dynamics import choose_compressor, choose_limiter
from kymaphon.core.dynamics.places import StripPlace, missing_words
from kymaphon.core.dynamics.through import LONGEST_S, through
from kymaphon.core.figures import number
from kymaphon.core.model.processing import (
    NAMES,
    Band,
    Compressor,
    Equaliser,
    Gate,
    Limiter,
    LowCut,
    Processing,
    Sort,
)
from kymaphon.core.units import SILENCE_DB
from kymaphon.files.takes import excerpt

SORTS: tuple[Sort, ...] = ("low-cut", "gate", "equaliser", "compressor", "limiter")
BEHIND = ("Behind", "Speech", "Peaks", "Room in pauses", "Speech over room", "Latency")
BEHIND_HELP = (
    "This take through the strip as the show has it, as far as here",
    "Mean level in the words, as it reads where the take was made",
    "Highest sample",
    "Mean level where nobody speaks",
    "What the strip buys",
    "By look-ahead",
)
HEADINGS = ("In this order", "In the show", "By this take", "Where")
HELP = (
    "The order in which a strip does its work",
    "As it is set; thresholds in the unit of its strip",
    "What the take asks for, thresholds as they would read in the strip",
    "The strip that it is in, or would best be put into",
)


class StripPage(StagePage):
    """One row for each sort of processor."""

    def __init__(self, model: QuietModel, theme: Theme) -> None:
        super().__init__(model.document, theme)
        self.model = model
        self.table = RowTable(
            theme,
            "Processors of this voice",
            "Enter edits what is set; the Why panel has the sums and puts it in.",
        )
        self.table.setWordWrap(True)
        self.table.wide = (1, 2)
        self.table.chosen.connect(lambda row, _column: self._chosen(row))
        self.table.opened.connect(lambda _row: self.act("edit"))
        self.table.removed.connect(lambda _row: self.act("out"))
        self.column.addWidget(self.table)
        self.behind = RowTable(
            theme,
            "This take through the strip",
            "Speech, peaks and room behind each processor of the show's strip.",
        )
        self.column.addWidget(self.behind, 1)
        self._worker = Worker(self, self._went_through, lambda error: self.say.emit(str(error)))
        self._about: object = None
        self.index = 1
        model.heard_changed.connect(self._follow)
        model.gate_changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(44 * scale))
        self.table.setFixedHeight(self.table.fitting_height())
        self.behind.setMinimumHeight(round(110 * scale))
        self.behind.verticalHeader().setDefaultSectionSize(round(26 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        self._fill()

    @property
    def sort(self) -> Sort:
        """The sort of processor that is chosen."""
        return SORTS[self.index]

    def _chosen(self, row: int) -> None:
        self.index = max(0, min(row, len(SORTS) - 1))
        self.table.choose(self.index)
        self.why_changed.emit()

    def set_here(self, sort: Sort) -> tuple[StripPlace, Processing] | None:
        """What the show has of a sort, and where."""
        for strip in self.model.strips:
            for row in strip.chain:
                if row.sort == sort:
                    return strip, row
        return None

    def proposed(self, sort: Sort) -> tuple[Processing | None, Derived | None, str]:
        """What this take asks for, its sum, and a sentence; thresholds as in the take."""
        heard = self.model.heard
        if heard is None or heard.study is None:
            return None, None, "Needs a take of this voice."
        study = heard.study
        if sort == "low-cut":
            choice = study.choice
            if choice is None or choice.low_cut is None:
                return study.low_cut, None, "No corner is worth it by this room and this voice."
            return choice.low_cut, choice.why(), "See Spectrum."
        if sort == "gate":
            gate = self.model.gate
            return gate, None, "See Gate: margins, words and schools."
        if sort == "compressor":
            row, why = choose_compressor(study.talk)
            return row, why, "Evens the loud words out, after the gate."
        if sort == "limiter":
            choice_ = choose_limiter(study.talk, number("limiter-ceiling"))
            text = (
                f"Catches the shout: today it works {choice_.busy_now:.1%} of the time in talk, {choice_.busy_grown:.1%} once the "
                "talker has grown."
            )
            return choice_.limiter, choice_.why, text
        return None, None, "Four bands; nothing is proposed, as what a voice should sound like is for ears."

    def _follow(self) -> None:
        # A view that is not on screen catches up when it is gone to.
        if self.isVisible():
            self._fill()

    def _fill(self) -> None:
        rows = []
        for sort in SORTS:
            here = self.set_here(sort)
            row, _, _ = self.proposed(sort)
            strip = here[0] if here is not None else self.model.strip(sort)
            asked = self._there(row, strip) if row is not None else None
            same = asked is not None and here is not None and words_of(asked) == words_of(here[1])
            cells = (
                NAMES[sort][:1].upper() + NAMES[sort][1:],
                _words(here[1]) if here is not None else DASH,
                "as set" if same else _words(asked) if asked is not None else DASH,
                strip.name if strip is not None else DASH,
            )
            rows.append(Row(("processor", sort), cells, marks=((0, self._mark(sort)),) if here else ()))
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.table.choose(self.index)
        self.table.setFixedHeight(self.table.fitting_height())
        self._go_through()
        name = self.document.analysis.party_name(self.model.voice) if self.model.voice else "No talker"
        chain = [row for strip in self.model.strips for row in strip.chain]
        late = delay_ms(chain)
        words = f"{len(chain)} in the show" + (f", {show_number(late, 'ms')} late by look-ahead" if late else "")
        self.title.emit(f"{name}: the strip", words)
        self.why_changed.emit()

    def _go_through(self) -> None:
        """Asks for the take through the show's strip, in a worker."""
        heard = self.model.heard
        if heard is None or heard.study is None or heard.source is None:
            self._about = None
            self.behind.set_rows(BEHIND, BEHIND_HELP, ())
            return
        parts = []
        try:
            for strip in self.model.strips:
                shift = self.model.step(strip).value if strip.chain else 0.0
                # In the levels of the take, whatever strip it is in.
                parts += [moved(row, -shift) for row in strip.chain]
        except ValueError as error:
            self.say.emit(f"{error}.")
        chain, source, found = tuple(parts), heard.source, heard.study
        about = (id(heard), chain)
        if about == self._about:
            return
        self._about = about

        def run() -> object:
            sound = excerpt(source, 0, LONGEST_S, found.channel)
            return through(sound, found.talk, chain, source.sample_rate_hz)

        self._worker.ask(run, about)

    def _went_through(self, about: object, result: object) -> None:
        if about != self._about or not isinstance(result, tuple):
            return
        rows = tuple(
            Row(
                ("behind", row.name),
                (
                    row.name[:1].upper() + row.name[1:],
                    show_number(row.speech_dbfs, "dBFS"),
                    show_number(row.peak_dbfs, "dBFS"),
                    "nothing" if row.room_dbfs <= SILENCE_DB else show_number(row.room_dbfs, "dBFS"),
                    DASH if row.room_dbfs <= SILENCE_DB else show_number(row.over_room_db, "dB"),
                    show_number(row.late_ms, "ms"),
                ),
            )
            for row in result
        )
        self.behind.set_rows(BEHIND, BEHIND_HELP, rows)

    def _mark(self, sort: Sort) -> str:
        for finding in findings_about(self.document.analysis.findings, self.model.voice):
            if finding.stage == "Quiet" and (NAMES[sort] in finding.message or sort in finding.code):
                return finding.severity
        return "tick"

    def _there(self, row: Processing, strip: StripPlace | None) -> Processing:
        if strip is None:
            return row
        try:
            return moved(row, self.model.step(strip).value)
        except ValueError:
            return row

    def why(self) -> WhyContent:
        if not self.model.voice:
            return WhyContent("No talker yet", hint="Add a party that speaks; open a show or the demo to see one.")
        sort = self.sort
        here = self.set_here(sort)
        row, why, text = self.proposed(sort)
        strip = here[0] if here is not None else self.model.strip(sort)
        about = tuple(
            found
            for found in findings_about(self.document.analysis.findings, self.model.voice)
            if found.stage == "Quiet"
        )
        lines = [why] if why is not None else []
        notes = [reason for (first, second), reason in REASONS.items() if sort in (first, second)][:3]
        if strip is not None and row is not None:
            try:
                lines.append(self.model.step(strip))
            except ValueError as error:
                notes.append(f"{error}.")
            missing = missing_words(strip, sort)
            if missing:
                notes.insert(0, missing)
            if strip.shared:
                names = ", ".join(self.document.analysis.party_name(other) for other in strip.shared)
                notes.append(f"{names} pass this strip too.")
        heard = self.model.heard
        if (
            sort == "compressor"
            and row is not None
            and heard is not None
            and heard.study is not None
            and row.sort == "compressor"
        ):
            lines.append(brought_together(heard.study.talk, row))
        actions: list[Action] = []
        lead: tuple[Action, ...] = ()
        same = here is not None and row is not None and words_of(self._there(row, strip)) == words_of(here[1])
        if row is not None and strip is not None and not same:
            lead = (
                Action(
                    "put",
                    f"Put it into {strip.name}",
                    "In its place in the order, thresholds as they read there. Can be undone.",
                ),
            )
        if here is not None:
            actions.append(Action("edit", "Edit what is set\u2026", "Every value, typed. Enter."))
            on = here[1].on
            actions.append(
                Action("switch", "Switch it off" if on else "Switch it on", "Stays in its place. Can be undone.")
            )
            actions.append(Action("out", "Take it out", "Delete. Can be undone."))
        elif strip is not None:
            actions.append(
                Action("new", "Set one by hand\u2026", "Puts one in with values that you type. Can be undone.")
            )
        if any(row_.chain for row_ in self.model.strips):
            actions.append(
                Action(
                    "save preset",
                    "Save as plain text\u2026",
                    "Writes the strip's settings as text, thresholds as they read at the strip.",
                )
            )
        actions.append(
            Action(
                "load preset",
                "Read from plain text\u2026",
                "Puts the processors of a text into the strip. Can be undone.",
            )
        )
        state = words_of(here[1])[:1].upper() + words_of(here[1])[1:] if here is not None else "not in the show"
        return WhyContent(
            NAMES[sort][:1].upper() + NAMES[sort][1:],
            state,
            extra=(text,),
            lines=tuple(lines),
            findings=about,
            notes=tuple(dict.fromkeys(notes)),
            lead=lead,
            actions=tuple(actions),
        )

    def act(self, action: str) -> None:
        sort = self.sort
        here = self.set_here(sort)
        if action == "put":
            row, _, _ = self.proposed(sort)
            if row is not None:
                self.model.put(row)
        elif action == "switch" and here is not None:
            self.model.replace(here[0], here[1], here[1].model_copy(update={"on": not here[1].on}))
        elif action == "out":
            self.model.take_out(sort)
        elif action in ("edit", "new", "save preset", "load preset"):
            from kymaphon.app.stages.quiet.forms import QuietForms

            forms = QuietForms(self, self.model, self.say.emit)
            if action == "edit" and here is not None:
                forms.edit(here[0], here[1])
            elif action in ("edit", "new"):
                strip = self.model.strip(sort)
                if strip is not None:
                    forms.edit(strip, self._there(self._fresh(sort), strip), new=True)
            else:
                forms.do(action)

    def _fresh(self, sort: Sort) -> Processing:
        row, _, _ = self.proposed(sort)
        if row is not None:
            return row
        if sort == "equaliser":
            return Equaliser(
                bands=(
                    Band(shape="low-shelf", centre_hz=120),
                    Band(centre_hz=400),
                    Band(centre_hz=3000),
                    Band(shape="high-shelf", centre_hz=8000),
                )
            )
        plain: dict[Sort, Processing] = {
            "low-cut": LowCut(),
            "gate": Gate(),
            "compressor": Compressor(),
            "limiter": Limiter(),
        }
        return plain[sort]


def _words(row: Processing) -> str:
    text = words_of(row)
    text = text.removeprefix(NAMES[row.sort]).strip()
    return text[:1].upper() + text[1:]
