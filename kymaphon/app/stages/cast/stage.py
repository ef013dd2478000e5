"""Cast: who and what must be heard, who must hear, where they are, and which microphone gives voice over room."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.cast import view as view
from kymaphon.app.stages.cast.adviser import Adviser, subject_of, use_edits
from kymaphon.app.stages.cast.forms import CastForms
from kymaphon.app.stages.cast.head import ELSEWHERE, CastHead, first_steps
from kymaphon.app.stages.cast.pages import BleedPage, CastPage, Drawn, MicrophonesPage, RankPage
from kymaphon.app.stages.cast.words import CAST_VIEWS
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Key, RowTable
from kymaphon.app.widgets.plan import PlanPicture
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.acoustics.cast import PlaceSound
from kymaphon.core.acoustics.spots import bounds_of
from kymaphon.core.model.base import Point
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.edits import Edit, apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.show import Show
from kymaphon.core.placement.plan import Thing, move_edits, remove_edits, things_of, turn_edits, without_place

WORDS_MS = 80


class CastStage(PagedStage):
    """One place at a time: its plan, and under it the microphones, the bleed matrix or the adviser's ranking."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, CAST_VIEWS, "microphones", self._made)
        self.place = ""
        self._guess: tuple[str, str] | None = None
        """What was chosen before anybody had looked for what is wrong."""
        self.bands = True
        self._live: tuple[Show, PlaceSound] | None = None
        self._adviser = Adviser()
        self._words = QTimer(self)
        self._words.setSingleShot(True)
        self._words.setInterval(WORDS_MS)
        self._words.timeout.connect(self.why_changed)
        self.forms = CastForms(self, document)
        self.top = CastHead(self, theme, self.head)
        self.column.addLayout(self.top.chip_row)
        self.card = QWidget()
        self.card.setObjectName("card")
        inside = QVBoxLayout(self.card)
        inside.setContentsMargins(0, 0, 0, 0)
        self.picture = PlanPicture(theme)
        inside.addWidget(self.picture)
        self.column.addWidget(self.card, 5)
        self.column.addWidget(self.stack, 3)
        self.start = first_steps(view.START)
        self.column.addWidget(self.start, 8)
        self._connect()
        self.show_view(self.view)
        self._first_place()

    def _made(self, name: str) -> CastPage:
        """A table, made when it is first wanted."""
        if name == "microphones":
            return MicrophonesPage(self.document, self.theme)
        if name == "bleed":
            return BleedPage(self.document, self.theme)
        return RankPage(self.document, self.theme, name, self._adviser, self._kinds)

    def _page_made(self, page: StagePage) -> None:
        assert isinstance(page, CastPage)
        page.picked.connect(lambda sort, name: self.picture.choose((sort, name)))
        page.opened.connect(lambda sort, name: self._with((sort, name), self._open))
        page.removed.connect(lambda sort, name: self._with((sort, name), self._remove))
        page.looked.connect(self._looked)

    def _connect(self) -> None:
        self.top.place.connect(self.choose_place)
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

    # what is shown

    @property
    def page(self) -> CastPage:
        """The table on screen: of those without a place there is but one."""
        page = self.page_of("microphones" if self.place == ELSEWHERE else self.view)
        assert isinstance(page, CastPage)
        return page

    @property
    def table(self) -> RowTable:
        """The table on screen."""
        return self.page.table

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
        super().set_scale(scale)

    def zoom(self, steps: int) -> None:
        self.picture.zoom(steps)

    def first(self) -> QWidget:
        return self.table if self.place == ELSEWHERE else self.picture

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
        """Plan, table and words from what is drawn now."""
        sound, page = self.sound, self.page
        self.stack.setCurrentWidget(page)
        self.card.setVisible(sound is not None)
        self.stack.setVisible(sound is not None or self.place == ELSEWHERE)
        self.start.setVisible(not self.place)
        if self.place == ELSEWHERE:
            self.title.setText("Elsewhere")
            self.subtitle.setText("Who takes part without a place on a plan: audiences, recorders, players, lines.")
            assert isinstance(page, MicrophonesPage)
            page.draw_elsewhere(self.document.analysis, self.shown, self.key)
            self.stack.setMaximumHeight(16777215)
        elif sound is None:
            self.title.setText("Cast")
            self.subtitle.setText("Start with a place: Add, Place. Then put into it who must be heard.")
            self.picture.set_content(view.nothing(), ("", ""))
            page.draw(None)
        else:
            self.title.setText(sound.place.name)
            self.subtitle.setText(view.place_words(sound))
            drawn = self._drawn(sound)
            page.draw(drawn)
            self._draw_plan(drawn, page)
            self.stack.setMaximumHeight(page.fitting_height())

    def _drawn(self, sound: PlaceSound) -> Drawn:
        subject, held = subject_of(sound, self.key), self._live is not None
        return Drawn(self.document.analysis, self.shown, sound, self.things, self.key, subject, held)

    def _draw_plan(self, drawn: Drawn, page: CastPage) -> None:
        """The plan, with the map of the selected voice for its microphone or for the one that a ranking chose."""
        choice, howl = page.choice(), page.howl if isinstance(page, RankPage) else None
        found = None
        if self.bands and (howl is not None or self.view != "howl"):
            kind, seen = choice.kind if choice else None, self.picture.seen_of(bounds_of(drawn.sound))
            found = self._adviser.placement(drawn.sound, drawn.subject, kind, seen, howl)
        at, mic = choice.at if choice else None, drawn.subject.mic
        content = view.plan_content(drawn.analysis, drawn.show, drawn.sound, drawn.things, drawn.key, mic, found, at)
        self.picture.set_content(content, drawn.key)

    def _kinds(self) -> tuple[Kind, ...]:
        """The microphones that can be had."""
        return tuple(kind for kind in self.forms.catalogue if kind.microphone is not None)

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
        return self.page.why()

    def act(self, action: str) -> None:
        if action in ("place", "party", "microphone"):
            self.wanted(action)
        elif action == "best":
            self.choose_view("best")
        elif action == "details":
            self._with(self.key, self._open)
        elif action == "use":
            self._use_choice()

    def _use_choice(self) -> None:
        """Puts the chosen kind of the ranking where it is best."""
        sound, choice = self.sound, self.page.choice()
        thing = next((row for row in self.things if row.key == self.key), None)
        if thing is None or not self._still(thing):
            return
        if sound is not None and choice is not None:
            known = self.document.analysis.catalogue
            edits, text = use_edits(self._show, self.place, known, sound, subject_of(sound, self.key), choice)
            self._do(edits, text)

    # what the user does

    def choose_place(self, place: str) -> None:
        """Another place."""
        self.document.end_preview()
        self.place, self._live = place, None
        self._choose_worst()
        self.page.begin()
        self.refresh()
        self.why_changed.emit()

    def show_view(self, view: str) -> None:
        super().show_view(view)
        self.page.begin()

    def choose_view(self, view: str) -> None:
        """Microphones, bleed, or a ranking."""
        super().choose_view(view)
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
        self.page.begin()
        self._looked()

    def _looked(self) -> None:
        self._draw()
        self.why_changed.emit()

    def _with(self, key: Key, do: Callable[[Thing], None]) -> None:
        """Does something with the thing of a row."""
        thing = next((thing for thing in self.things if thing.key == key), None)
        if thing is not None:
            do(thing)

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
        elif name == "talker":
            self._opened(self.forms.talker(place.id if place else None))
        elif name == "far":
            if self.forms.far_guest():
                self.document.trouble.emit("Feeds, Plan gives everyone far away a mix-minus: everybody but themselves.")
        elif name == "title":
            self.forms.title()
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
