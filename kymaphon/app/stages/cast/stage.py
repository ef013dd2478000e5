"""Cast: who and what must be heard, who must hear, where they are, and which microphone gives voice over room."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.document import Document
from kymaphon.app.stages.cast import view as view
from kymaphon.app.stages.cast.adviser import Adviser, Subject, subject_of, use_edits
from kymaphon.app.stages.cast.forms import CastForms
from kymaphon.app.stages.cast.head import ELSEWHERE, CastHead, first_steps
from kymaphon.app.stages.cast.rank import RANKINGS, Ranked, fill, ranked, why_ranked
from kymaphon.app.stages.cast.words import CAST_VIEWS
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Key, RowTable
from kymaphon.app.widgets.plan import PlanPicture
from kymaphon.app.widgets.views import three_rows
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.acoustics.cast import PlaceSound
from kymaphon.core.acoustics.spots import bounds_of
from kymaphon.core.model.base import Point
from kymaphon.core.model.edits import Edit, apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.show import Show
from kymaphon.core.placement.plan import Thing, move_edits, remove_edits, things_of, turn_edits, without_place

WORDS_MS = 80
TABLES = tuple(name for name, _, _ in CAST_VIEWS)


class CastStage(StageSurface):
    """One place at a time: its plan, and under it the microphones, the bleed matrix or the adviser's ranking."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, theme, parent)
        self.place = ""
        self._guess: tuple[str, str] | None = None
        """What was chosen before anybody had looked for what is wrong."""
        self.view = "microphones"
        self.bands = True
        self.row = 0
        self.cell = (0, 1)
        self._live: tuple[Show, PlaceSound] | None = None
        self._adviser = Adviser()
        self._words = QTimer(self)
        self._words.setSingleShot(True)
        self._words.setInterval(WORDS_MS)
        self._words.timeout.connect(self.why_changed)
        self.forms = CastForms(self, document)
        self.top = CastHead(self, theme, self.head)
        self.top.show_view(self.view)
        self.offer_views(self.top.views, self.choose_view)
        self.column.addLayout(self.top.chip_row)
        self.card = QWidget()
        self.card.setObjectName("card")
        inside = QVBoxLayout(self.card)
        inside.setContentsMargins(0, 0, 0, 0)
        self.picture = PlanPicture(theme)
        inside.addWidget(self.picture)
        self.column.addWidget(self.card, 5)
        self.tables = QStackedWidget()
        self.microphones = RowTable(
            theme,
            "Microphones and their parties",
            "One row for each microphone. The plan and the Why panel follow the row; Enter opens its details.",
        )
        self.bleed = RowTable(
            theme,
            "Bleed: sources by microphones",
            "How far each source lies under the microphone's own voice. The Why panel follows the cell.",
            cells=True,
        )
        self.best = RowTable(
            theme,
            "Microphones ranked for the selected party",
            "Each kind at its best allowed spot. The map follows the row; the Why panel has the arithmetic and a button to use it.",
        )
        self.microphones.spare = (6, 3, 4)
        self.howl = RowTable(
            theme,
            "Microphones ranked by how far from howling they would be",
            "Each kind at the spot that lets most through. The map follows the row; the Why panel has a button to use it.",
        )
        self.best.spare = self.howl.spare = (5, 2)
        for table in self._tables:
            self.tables.addWidget(table)
        self.column.addWidget(self.tables, 3)
        self.start = first_steps(view.START)
        self.column.addWidget(self.start, 8)
        self._connect()
        self._first_place()

    def _connect(self) -> None:
        self.top.place.connect(self.choose_place)
        self.top.view.connect(self.choose_view)
        self.top.wanted.connect(self.wanted)
        picture = self.picture
        picture.selected.connect(self._select)
        picture.moving.connect(lambda thing, to, carry: self._move(thing, to, carry, done=False))
        picture.moved.connect(lambda thing, to, carry: self._move(thing, to, carry, done=True))
        picture.turning.connect(lambda thing, to: self._turn(thing, to, done=False))
        picture.turned.connect(lambda thing, to: self._turn(thing, to, done=True))
        picture.nudged.connect(self._nudge)
        picture.spun.connect(self._spin)
        picture.opened.connect(self._open)
        picture.removed.connect(self._remove)
        picture.dropped.connect(self._drop)
        picture.looked.connect(self._draw)
        self.microphones.chosen.connect(lambda row, _column: self._row_chosen(row))
        self.microphones.opened.connect(self._row_opened)
        self.microphones.removed.connect(self._row_removed)
        self.bleed.chosen.connect(self._cell_chosen)
        for table in (self.best, self.howl):
            table.chosen.connect(lambda row, _column: self._rank_chosen(row))

    # what is shown

    @property
    def _tables(self) -> tuple[RowTable, ...]:
        return self.microphones, self.bleed, self.best, self.howl

    @property
    def _show(self) -> Show:
        """The show as it is, edits still being computed with it."""
        return self.document.show

    @property
    def shown(self) -> Show:
        """The show that is drawn: under the pointer while something is dragged, else that of the analysis."""
        return self._live[0] if self._live else self.document.analysis.show

    @property
    def sound(self) -> PlaceSound | None:
        """The sound of the place that is drawn; None when there is no place."""
        if self._live:
            return self._live[1]
        if not any(place.id == self.place for place in self.document.analysis.show.places):
            return None
        return self.document.analysis.sound(self.place)

    @property
    def things(self) -> tuple[Thing, ...]:
        """What can be selected: everything on the plan, or everybody without a place."""
        if self.place == ELSEWHERE:
            return without_place(self.shown)
        return self._things(self.shown) if self.sound is not None else ()

    def _things(self, show: Show) -> tuple[Thing, ...]:
        return things_of(show, self.document.analysis.catalogue.with_kinds(*show.kinds), self.place)

    @property
    def key(self) -> Key:
        return self.picture.chosen

    def _first_place(self) -> None:
        show = self.document.analysis.show
        self.place = show.places[0].id if show.places else ELSEWHERE if show.parties else ""
        self._choose_worst()

    def _choose_worst(self) -> None:
        """Selects the microphone of the first finding to fix here, else the first thing on the plan."""
        here = {thing.id: thing for thing in self.things}
        self.picture.chosen = ("", "")
        for finding in self.document.analysis.findings:
            if finding.stage == "Cast" and finding.severity != "note":
                named = [here[name] for name in finding.subjects if name in here]
                mics = [thing for thing in named if thing.sort == "microphone"]
                if mics or named:
                    self.picture.chosen = (mics or named)[0].key
                    return
        first = next(iter(self.things), None)
        if first is not None:
            self.picture.chosen = first.key

    def set_scale(self, scale: float) -> None:
        self.picture.scale = scale
        for table in self._tables:
            table.verticalHeader().setDefaultSectionSize(round(26 * scale))
            table.setMinimumHeight(three_rows(scale))

    def zoom(self, steps: int) -> None:
        self.picture.zoom(steps)

    def first(self) -> QWidget:
        return self.microphones if self.place == ELSEWHERE else self.picture

    def refresh(self) -> None:
        self._live = None
        here = [place.id for place in self.document.analysis.show.places]
        if any(party.place is None for party in self.document.analysis.show.parties):
            here.append(ELSEWHERE)
        if self.place not in here:
            self._first_place()
        if not any(thing.key == self.key for thing in self.things) or (
            self.key == self._guess and not self.document.analysis.unsearched
        ):
            self._choose_worst()
            self._guess = self.key if self.document.analysis.unsearched else None
        self.top.show_places(self.document.analysis, self.place)
        self._draw()

    def _draw(self) -> None:
        """Plan, tables and words from what is drawn now."""
        sound, analysis = self.sound, self.document.analysis
        self.tables.setCurrentIndex(TABLES.index(self.view if sound is not None else "microphones"))
        self.card.setVisible(sound is not None)
        self.tables.setVisible(sound is not None or self.place == ELSEWHERE)
        self.start.setVisible(not self.place)
        if self.place == ELSEWHERE:
            self.title.setText("Elsewhere")
            self.subtitle.setText("Who takes part without a place on a plan: audiences, recorders, players, lines.")
            rows = view.elsewhere_rows(analysis, self.shown)
            self.microphones.set_rows(view.ELSEWHERE_HEADINGS, view.ELSEWHERE_HELP, rows)
            self.microphones.choose(next((i for i, row in enumerate(rows) if row.key == self.key), -1))
            self.tables.setMaximumHeight(16777215)
            return
        if sound is None:
            self.title.setText("Cast")
            self.subtitle.setText("Start with a place: Add, Place. Then put into it who must be heard.")
            self.picture.set_content(view.nothing(), ("", ""))
            for table in self._tables:
                table.set_rows((), (), ())
            return
        self.title.setText(sound.place.name)
        self.subtitle.setText(view.place_words(sound))
        subject = self._subject(sound)
        mic = subject.mic
        now = self._ranked(sound)
        choice = now.at(self.row)
        seen = self.picture.seen_of(bounds_of(sound))
        shows = self.bands and (now.howl is not None or self.view != "howl")
        kind = choice.kind if choice else None
        found = self._adviser.placement(sound, subject, kind, seen, now.howl) if shows else None
        content = view.plan_content(
            analysis, self.shown, sound, self.things, self.key, mic, found, choice.at if choice else None
        )
        self.picture.set_content(content, self.key)
        rows = view.microphone_rows(analysis, self.shown, sound)
        self.microphones.set_rows(view.MIC_HEADINGS, view.MIC_HELP, rows)
        chosen = next((i for i, row in enumerate(rows) if row.key == self.key), -1)
        if chosen < 0 and mic is not None:
            chosen = next((i for i, row in enumerate(rows) if row.key[1] == sound.mics[mic].device.id), -1)
        self.microphones.choose(chosen)
        headings, help_, cells = view.bleed_rows(analysis, sound)
        self.bleed.set_rows(headings, help_, cells)
        if cells and len(headings) > 1:
            self.cell = (min(self.cell[0], len(cells) - 1), min(max(self.cell[1], 1), len(headings) - 1))
            self.bleed.choose(*self.cell)
        if self.view in RANKINGS:
            own = sound.mics[mic].kind.id if mic is not None else ""
            fill(self.best if self.view == "best" else self.howl, now, self.row, own)
        current = self.tables.currentWidget()
        if isinstance(current, RowTable):
            self.tables.setMaximumHeight(max(current.fitting_height(), 110))

    def _subject(self, sound: PlaceSound) -> Subject:
        """What the selection is about."""
        return subject_of(sound, self.key)

    def _ranked(self, sound: PlaceSound) -> Ranked:
        """What the view ranks for the selection."""
        kinds = tuple(kind for kind in self.forms.catalogue if kind.microphone is not None)
        subject, held = self._subject(sound), self._live is not None
        return ranked(self._adviser, self.view, self.document.analysis, sound, subject, kinds, held=held)

    # the Why panel

    def why(self) -> WhyContent:
        sound, analysis = self.sound, self.document.analysis
        if self.place == ELSEWHERE:
            party = next((row for row in self.shown.parties if row.id == self.key[1]), None)
            return view.why_elsewhere(analysis, party)
        if sound is None:
            return WhyContent(
                "No place yet",
                hint="Add a place, then people and microphones.",
                actions=(Action("place", "Add a place\u2026", "A room, deck or yard with its own air."),),
            )
        if self.view == "bleed":
            return view.why_bleed(analysis, self.shown, sound, *self.cell)
        subject = self._subject(sound)
        if self.view in RANKINGS:
            return why_ranked(analysis, sound, subject, self._ranked(sound), self.row)
        thing = next((row for row in self.things if row.key == self.key), None)
        return view.why_thing(analysis, self.shown, sound, thing, subject.mic)

    def act(self, action: str) -> None:
        if action in ("place", "party", "microphone"):
            self.wanted(action)
        elif action == "best":
            self.choose_view("best")
        elif action == "details":
            thing = next((row for row in self.things if row.key == self.key), None)
            if thing is not None:
                self._open(thing)
        elif action == "use":
            self._use_choice()

    def _use_choice(self) -> None:
        """Puts the chosen kind of the ranking where it is best."""
        sound = self.sound
        choice = self._ranked(sound).at(self.row) if sound is not None else None
        thing = next((row for row in self.things if row.key == self.key), None)
        if thing is None or not self._still(thing):
            return
        if sound is not None and choice is not None:
            known = self.document.analysis.catalogue
            edits, text = use_edits(self._show, self.place, known, sound, self._subject(sound), choice)
            self._do(edits, text)

    # what the user does

    def choose_place(self, place: str) -> None:
        """Another place."""
        self.document.end_preview()
        self.place, self.row, self._live = place, 0, None
        self._choose_worst()
        self.refresh()
        self.why_changed.emit()

    def choose_view(self, name: str) -> None:
        """Microphones, bleed, or the ranking."""
        self.view, self.row = name, 0
        self.top.show_view(name)
        self._draw()
        self.why_changed.emit()

    def show_bands(self, on: bool) -> None:
        """The bands of voice over room on the plan, or none."""
        self.bands = on
        self._draw()

    def show_finding(self, finding: Finding) -> None:
        places = {row.id: row.place or ELSEWHERE for rows in (self._show.devices, self._show.parties) for row in rows}
        place = next(
            (
                name if name in [row.id for row in self._show.places] else places.get(name)
                for name in finding.subjects
                if name in places or name in [row.id for row in self._show.places]
            ),
            None,
        )
        if place is not None and place != self.place:
            self.choose_place(place)
        self.choose_view("microphones")
        named = [thing for thing in self.things if thing.id in finding.subjects]
        first = next((thing for thing in named if thing.sort == "microphone"), next(iter(named), None))
        if first is not None:
            self.picture.choose(first.key)

    def _select(self, _sort: str, _name: str) -> None:
        self.row = 0
        self._draw()
        self.why_changed.emit()

    def _row_chosen(self, row: int) -> None:
        rows = self.microphones.words.rows
        if row < len(rows):
            self.picture.choose(rows[row].key)

    def _row_opened(self, row: int) -> None:
        rows = self.microphones.words.rows
        thing = next((thing for thing in self.things if row < len(rows) and thing.key == rows[row].key), None)
        if thing is not None:
            self._open(thing)

    def _row_removed(self, row: int) -> None:
        rows = self.microphones.words.rows
        thing = next((thing for thing in self.things if row < len(rows) and thing.key == rows[row].key), None)
        if thing is not None:
            self._remove(thing)

    def _cell_chosen(self, row: int, column: int) -> None:
        self.cell = (row, max(column, 1))
        self.why_changed.emit()

    def _rank_chosen(self, row: int) -> None:
        self.row = row
        self._draw()
        self.why_changed.emit()

    def _move(self, thing: Thing, to: Point, carry: bool, *, done: bool) -> None:
        if self._still(thing):
            edits = move_edits(self._show, self.place, thing, to, carry=carry)
            self._do(edits, f"Move {thing.name}") if done else self._sketch(edits)

    def _turn(self, thing: Thing, to: float, *, done: bool) -> None:
        if self._still(thing):
            edits = turn_edits(self._show, self.place, thing, to)
            self._do(edits, f"Turn {thing.name}") if done else self._sketch(edits)

    def _sketch(self, edits: tuple[Edit, ...]) -> None:
        """Draws what an edit would come to, in the core's quick way, without doing it."""
        if not edits:
            return
        if self.sound is None:
            return
        show = apply_all(self._show, edits)
        self._live = show, self.document.analysis.sketch(show, self.place)
        self._draw()
        # The panel's words are laid out anew each time: often enough to read, not with every move of the pointer.
        if not self._words.isActive():
            self._words.start()

    def _drop(self) -> None:
        """Back from a drag to where it began."""
        if self._live is not None:
            self._live = None
            self._draw()
            self.why_changed.emit()

    def _do(self, edits: tuple[Edit, ...], text: str, merge: str = "") -> None:
        before = self._show
        try:
            if edits:
                self._sketch(edits)
                self.document.apply(edits, text, merge=merge)
        except ValueError as problem:
            # Another kind may lack the socket that a cable is in: told, and nothing is changed.
            self.document.trouble.emit(str(problem))
        if self._show is before:
            self._drop()

    def _now(self, thing: Thing) -> Thing | None:
        """A thing where it stands in the show as it is, even while its analysis is on the way."""
        show = self._show
        rows = (
            without_place(show)
            if self.place == ELSEWHERE
            else self._things(show)
            if any(row.id == self.place for row in show.places)
            else ()
        )
        return next((row for row in rows if row.key == thing.key), None)

    def _nudge(self, thing: Thing, dx: float, dy: float, carry: bool) -> None:
        now = self._now(thing)
        if now is None:
            return
        if now.at is None:
            self.document.trouble.emit(f"{now.name} has no position yet; Enter opens its details.")
        elif now.fixed:
            self.document.trouble.emit(f"{now.name} goes where its party goes.")
        else:
            to: Point = (now.at[0] + dx, now.at[1] + dy)
            self._do(
                move_edits(self._show, self.place, now, to, carry=carry),
                f"Move {now.name}",
                f"move {now.key}",
            )

    def _spin(self, thing: Thing, by: float) -> None:
        now = self._now(thing)
        if now is not None:
            turned = (now.angle_deg if now.angle_deg is not None else 0.0) + by
            self._do(turn_edits(self._show, self.place, now, turned), f"Turn {now.name}", f"turn {now.key}")

    def _remove(self, thing: Thing) -> None:
        if not self._still(thing):
            return
        place = "" if self.place == ELSEWHERE else self.place
        self._do(remove_edits(self._show, place, thing), f"Remove {thing.name}")
        self.document.trouble.emit(
            f"{thing.name} is taken off the show, with its cables and wants. Ctrl+Z brings it back."
        )

    def _open(self, thing: Thing) -> None:
        """The form of a thing, as it is now: the plan may still be that of a moment ago."""
        if self._still(thing):
            self._opened(self.forms.edit(self.place, thing))

    def _still(self, thing: Thing) -> bool:
        """Whether a thing is still there; says so when it is not."""
        there = self._now(thing) is not None
        if not there:
            self.document.trouble.emit(f"{thing.name} is no longer there.")
        return there

    def _opened(self, taken: bool) -> None:
        if taken and not self.place:
            QTimer.singleShot(0, self.refresh)
        self.first().setFocus()

    def wanted(self, name: str) -> None:
        """What an entry of the Add menu asks for."""
        place = next((row for row in self._show.places if row.id == self.place), None)
        if name == "party":
            self._opened(self.forms.party(None, place.id if place else None))
        elif name == "place":
            self._add_place()
        elif name == "kinds":
            self.open_kinds()
        elif place is None:
            self.document.trouble.emit("Choose or add a place first.")
        elif name in ("microphone", "loudspeaker"):
            self._opened(self.forms.device(None, place.id, loudspeaker=name == "loudspeaker"))
        elif name == "noise":
            self._opened(self.forms.noise(place, None))
        elif name == "surface":
            self._opened(self.forms.surface(place, None))
        elif name == "edit-place":
            self._opened(self.forms.place(place))
        elif name == "remove-place":
            self.forms.remove_place(place)
            self.document.trouble.emit(
                f"{place.name} is taken off; who was there is under Elsewhere. Ctrl+Z brings it back."
            )

    def _add_place(self) -> None:
        before = {place.id for place in self._show.places}
        if self.forms.place(None):
            new = next((place.id for place in self._show.places if place.id not in before), None)
            if new is not None and not self.document.busy:
                self.choose_place(new)

    def open_kinds(self) -> None:
        """The shelf of the user's own kinds."""
        from kymaphon.app.kinds import KindsDialog

        KindsDialog(self, self.document).exec()
        self._adviser.forget()
        self._draw()
