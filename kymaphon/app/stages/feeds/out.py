"""Feeds, out: what each recorder track gets, and what the network has to carry."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtWidgets import QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.mixes.doing import doing_edits
from kymaphon.core.mixes.stream import Delays, StreamBudget, delays, stream_budget
from kymaphon.core.mixes.tracks import PlannedTrack, TrackPlan, duration, track_plan
from kymaphon.core.model.edits import SetField, apply_all
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Show
from kymaphon.core.report.before_air import before_air
from kymaphon.files.errors import FileProblem

HEADINGS = ("Track and file", "Who", "From", "Into", "Others under")
HELP = (
    "Its name, and its file's: date, time, number, name",
    "Whose voices are on it",
    "The output that it records",
    "The recorder's input",
    "How far the loudest other voice lies under, by bleed",
)
NET_HEADINGS = ("Network and delay", "Figure", "From")
NET_HELP = ("What", "How much", "Where it comes from")


class OutPage(StagePage):
    """Tracks above, the network below."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        self.plan: TrackPlan | None = None
        self.budget: StreamBudget | None = None
        self.late: tuple[Delays, ...] = ()
        self._worker = Worker(self, self._arrived, self._failed)
        self._of: Show | None = None
        self.now = datetime.now(UTC).astimezone()
        """Date and time for file names of a show without a time of its own."""
        self.tracks = RowTable(theme, "Recorder tracks", "What each track gets; the Why panel has sizes and times.")
        self.tracks.let_grow(1, 2)
        self.tracks.chosen.connect(lambda _row, _column: self._to(net=False))
        self.words = label("", "muted")
        self.net = RowTable(
            theme, "Network and delay", "What has to go up and come down, and how late the world answers."
        )
        self.net.let_grow(0, 2)
        self.net.chosen.connect(lambda _row, _column: self._to(net=True))
        self._on_net = False
        for part, stretch, under in ((self.tracks, 3, self.words), (self.net, 3, None)):
            card = QWidget()
            card.setObjectName("card")
            inside = QVBoxLayout(card)
            inside.setContentsMargins(8, 8, 8, 8)
            inside.addWidget(part, 1)
            if under is not None:
                inside.addWidget(under)
            self.column.addWidget(card, stretch)

    def set_scale(self, scale: float) -> None:
        self.tracks.verticalHeader().setMinimumSectionSize(round(30 * scale))
        self.net.verticalHeader().setMinimumSectionSize(round(30 * scale))
        for part in (self.tracks, self.net):
            part.setMinimumHeight(round(130 * scale))

    def first(self) -> QWidget | None:
        return self.tracks

    def _to(self, *, net: bool) -> None:
        self._on_net = net
        self.why_changed.emit()

    def refresh(self, voice: str, end: str) -> None:
        analysis, now = self.document.analysis, self.now
        if self.plan is None:
            self.title.emit("Recorder and stream", "Being computed \u2026")
        # Safety copies are each tried on a changed show: a large one takes its time.
        self._worker.ask(
            lambda: (
                track_plan(analysis, now),
                stream_budget(analysis.show, analysis.catalogue),
                delays(analysis),
            ),
            analysis,
        )

    @property
    def busy(self) -> bool:
        """Whether tracks and stream are still being computed."""
        return self._worker.busy

    def _failed(self, error: Exception) -> None:
        self.title.emit("Recorder and stream", f"Cannot be computed: {error}")

    def _arrived(self, about: object, result: object) -> None:
        assert isinstance(result, tuple)
        assert isinstance(about, Report)
        self._of = about.show
        self.plan, self.budget, self.late = result
        assert self.plan is not None
        assert self.budget is not None
        rows = [self._track_row(track) for track in self.plan.tracks]
        self.tracks.set_rows(HEADINGS, HELP, tuple(rows))
        self.net.set_rows(NET_HEADINGS, NET_HELP, tuple(self._net_rows(self.budget)))
        self.words.setText(self._size_words(self.plan))
        problems = len(self.plan.problems) + len(self.budget.problems)
        words = f"{len(self.plan.tracks)} {'track' if len(self.plan.tracks) == 1 else 'tracks'}; "
        words += (
            "all as it should be."
            if not problems
            else f"{problems} {'thing' if problems == 1 else 'things'} to look at, in the Why panel."
        )
        self.title.emit("Recorder and stream", words)
        self.why_changed.emit()

    def _track_row(self, track: PlannedTrack) -> Row:
        who = ", ".join(self._party(row) for row in track.voices)
        under = show_number(track.under_db, "dB") if track.under_db is not None else DASH
        into = self._end(track.into) if track.into is not None else "no input left"
        sources = [self._end(row) for row in track.sources]
        source = sources[0].removesuffix(", left") + ", both sides" if len(sources) == 2 else sources[0]
        marks: tuple[tuple[int, str], ...] = (
            (3, "tick" if track.plugged else "fix" if track.into is None else "note"),
        )
        return Row(("track", track.id), (f"{track.name}\n{track.file}", who, source, into, under), marks=marks)

    def _party(self, party_id: str) -> str:
        """A party's name; its id where it is gone meanwhile."""
        return next((row.name for row in self.document.show.parties if row.id == party_id), party_id)

    def _end(self, reference: str) -> str:
        """A socket in words; a reference that leads nowhere as it is."""
        try:
            return end_of(self.document.analysis.show, self.document.analysis.catalogue, reference).name
        except KeyError:
            return reference

    def _size_words(self, plan: TrackPlan) -> str:
        parts = [f"{plan.size.value / 1e9:.2f} GB in {duration(plan.length_s.value)}"]
        if plan.limit_s is not None:
            parts.append(f"a file is full after {duration(plan.limit_s.value)}")
        parts.append(
            f"the disk after {duration(plan.left_s.value)}"
            if plan.left_s is not None
            else "free space of the disk not known"
        )
        return "; ".join(parts) + "."

    def _net_rows(self, budget: StreamBudget) -> list[Row]:
        rows: list[Row] = []

        def add(name: str, figure: str, source: str, mark: str = "") -> None:
            rows.append(
                Row(
                    ("net", str(len(rows))),
                    (name, figure, source or DASH),
                    marks=((1, mark),) if mark else (),
                )
            )

        for part in budget.sends.terms:
            add(part.name, f"{part.value:.0f} kbit/s", part.source)
        short = budget.enough is False
        for need, have, word in (
            (budget.needed_up, budget.up, "Upload"),
            (budget.needed_down, budget.down, "Download"),
        ):
            measured = f"{have.value:.1f} Mbit/s measured" if have is not None else "not measured"
            mark = "" if have is None else "fix" if short and have.value < need.value else "tick"
            add(f"{word} needed", f"{need.value:.1f} Mbit/s; {measured}", need.source, mark or "note")
        for row in self.late:
            name = self._party(row.listener)
            add(f"{name} hears it", show_number(row.heard.value, "ms"), "delays add along the way")
            add(
                f"Chat of {name} is behind by",
                f"{row.chat[0].value:.0f} to {row.chat[1].value:.0f} s",
                row.chat[0].source,
            )
        return rows

    def why(self) -> WhyContent:
        plan, budget = self.plan, self.budget
        if plan is None or budget is None:
            return WhyContent("Recorder and stream")
        if self._on_net:
            lines: tuple[Derived, ...] = (budget.sends, budget.needed_up, budget.needed_down)
            notes = (*budget.problems, *(row.words() for row in self.late[:1]), *self._before_air())
            actions: tuple[Action, ...] = (
                Action(
                    "stream",
                    "Rates and measured network \u2026",
                    "What is sent, and what the network was measured to carry.",
                ),
            )
            bad = bool(budget.problems)
            return WhyContent("The network", "what goes up and comes down", bad, lines, lead=actions, notes=notes)
        lines = tuple(row for row in (plan.size, plan.limit_s, plan.left_s, plan.length_s) if row is not None)
        actions = (Action("recording", "How it is recorded \u2026", "Tracks, bits, files, length, free space."),)
        if self._of is self.document.show and self._differs(plan):
            actions = (
                Action(
                    "take over",
                    "Take these tracks over",
                    "Writes the tracks into the show and plugs what is not plugged; one step of undo.",
                ),
                *actions,
            )
        more = (Action("free", "Read the free space of this disk", "Of the disk that the show's file is on."),)
        return WhyContent(
            "The recording",
            self._size_words(plan),
            bool(plan.problems),
            lines,
            lead=actions,
            actions=more,
            notes=(*plan.problems, *plan.stays),
        )

    def _before_air(self) -> tuple[str, ...]:
        """The short list before going live."""
        rows = before_air(self.document.analysis)
        return ("Before air:", *(f"\u25a1 {row}" for row in rows)) if rows else ()

    def _differs(self, plan: TrackPlan) -> bool:
        """Whether taking the tracks over would change the show."""
        show = self.document.show
        after = apply_all(show, plan.edits)
        had, has = (sorted(row.tracks, key=lambda track: track.id) for row in (show, after))
        return had != has or (show.devices, show.cables) != (after.devices, after.cables)

    def act(self, action: str) -> None:
        from kymaphon.app.stages.feeds.forms import edit_recording, edit_streaming, read_free_space

        if action == "recording":
            edit_recording(self.window(), self.document)
        elif action == "stream":
            edit_streaming(self.window(), self.document)
        elif action == "free":
            try:
                free = read_free_space(self.document)
            except FileProblem as problem:
                self.say.emit(str(problem))
                return
            self.say.emit(f"{free / 1e9:.1f} GB free on this disk.")
        elif action == "take over" and self.plan is not None and self._of is self.document.show:
            changes = (SetField("", None, "recording", self.plan.recording), *self.plan.edits)
            edits = doing_edits(self.document.show, changes, self.document.analysis.catalogue)
            self.document.apply(edits, "Recorder tracks")
