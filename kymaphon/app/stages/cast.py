"""Cast: who and what must be heard, who must hear, where they are, and which microphone gives voice over room."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.cast_forms import CastForms
from kymaphon.app.document import Document
from kymaphon.app.stages import cast_view as view
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Key, RowTable
from kymaphon.app.widgets.plan import PlanPicture
from kymaphon.app.widgets.why import Action, WhyContent, empty
from kymaphon.core.cast import PlaceSound
from kymaphon.core.catalogue import Kind
from kymaphon.core.edits import AddRow, Edit, SetField, apply_all
from kymaphon.core.findings import Finding
from kymaphon.core.model import Point
from kymaphon.core.placing import Advice, PlacementMap, advise, placement_map
from kymaphon.core.plan import Thing, move_edits, remove_edits, things_of, turn_edits
from kymaphon.core.show import Show
from kymaphon.files.errors import FileProblem
from kymaphon.files.kinds_file import read_shelf

VIEWS = (
    ("microphones", "Microphones", "Each microphone with its party: distance, angle, voice, room, bleed."),
    (
        "bleed",
        "Bleed",
        "Every voice and loudspeaker in every microphone, against the microphone's own voice.",
    ),
    (
        "best",
        "Best places",
        "All kinds of microphone for the selected party, each at its best allowed spot, ranked.",
    ),
)


class CastStage(StageSurface):
    """One place at a time: its plan, and under it the microphones, the bleed matrix or the adviser's ranking."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, theme, parent)
        self.place = ""
        self.view = "microphones"
        self.row = 0
        self.cell = (0, 1)
        self._live: tuple[Show, PlaceSound] | None = None
        self._map: tuple[object, PlacementMap] | None = None
        self._advice: tuple[object, Advice] | None = None
        self.forms = CastForms(self, document, self._shelf)
        self._build_head()
        card = QWidget()
        card.setObjectName("card")
        inside = QVBoxLayout(card)
        inside.setContentsMargins(0, 0, 0, 0)
        self.picture = PlanPicture(theme)
        inside.addWidget(self.picture)
        self.column.addWidget(card, 5)
        self.tables = QStackedWidget()
        self.microphones = RowTable(theme, "Microphones and their parties", "One row for each microphone. The plan and the Why panel follow the row; Enter opens its details.")  # fmt: skip
        self.bleed = RowTable(theme, "Bleed: sources by microphones", "How far each source lies under the microphone's own voice. The Why panel follows the cell.", cells=True)  # fmt: skip
        self.best = RowTable(theme, "Microphones ranked for the selected party", "Each kind at its best allowed spot. The map follows the row; the Why panel has the arithmetic and a button to use it.")  # fmt: skip
        self.microphones.spare = (6, 3, 4)
        self.best.spare = (5, 2)
        for table in (self.microphones, self.bleed, self.best):
            self.tables.addWidget(table)
        self.column.addWidget(self.tables, 3)
        self._connect()
        self._first_place()

    def _build_head(self) -> None:
        self._chip_row = QHBoxLayout()
        self._chip_row.setSpacing(8)
        self._chips = QButtonGroup(self)
        self._chips.setExclusive(True)
        self.column.addLayout(self._chip_row)
        self.add = QPushButton("Add\u2026")
        self.add.setObjectName("add")
        self.add.setToolTip("Adds somebody, a microphone, a loudspeaker, a noise, a surface or a place.")
        self.add.setStatusTip("Adds somebody, a microphone, a loudspeaker, a noise, a surface or a place.")
        self.add_menu = QMenu(self.add)
        for words, run in (
            ("&Somebody or something\u2026", lambda: self._opened(self.forms.party(None, self.place or None))),
            ("&Microphone\u2026", lambda: self._in_place(lambda: self.forms.device(None, self.place))),
            ("&Loudspeaker\u2026", lambda: self._in_place(lambda: self.forms.device(None, self.place, loudspeaker=True))),
            ("&Noise\u2026", lambda: self._in_place(lambda: self.forms.noise(self._show.place(self.place), None))),
            ("S&urface\u2026", lambda: self._in_place(lambda: self.forms.surface(self._show.place(self.place), None))),
            ("&Place\u2026", self._add_place),
        ):  # fmt: skip
            action = QAction(words, self)
            action.triggered.connect(lambda _checked=False, run=run: run())
            self.add_menu.addAction(action)
        self.add_menu.addSeparator()
        for words, run in (
            ("Details of this place\u2026", self._edit_place),
            ("Remove this place", self._remove_place),
            ("Your own &kinds\u2026", self.open_kinds),
        ):
            action = QAction(words, self)
            action.triggered.connect(lambda _checked=False, run=run: run())
            self.add_menu.addAction(action)
        self.add.setMenu(self.add_menu)
        self._views = QButtonGroup(self)
        self._views.setExclusive(True)
        for name, words, tip in VIEWS:
            button = QPushButton(words)
            button.setCheckable(True)
            button.setObjectName(f"view {name}")
            button.setChecked(name == self.view)
            button.setToolTip(tip)
            button.setStatusTip(tip)
            button.clicked.connect(lambda _checked=False, name=name: self.choose_view(name))
            self._views.addButton(button)
            self.head.addWidget(button)
        self.head.addWidget(self.add)

    def _connect(self) -> None:
        picture = self.picture
        picture.selected.connect(self._select)
        picture.moving.connect(
            lambda thing, to, carry: self._sketch(move_edits(self._show, self.place, thing, to, carry=carry))
        )
        picture.moved.connect(
            lambda thing, to, carry: self._do(
                move_edits(self._show, self.place, thing, to, carry=carry), f"Move {thing.name}"
            )
        )
        picture.turning.connect(lambda thing, to: self._sketch(turn_edits(self._show, self.place, thing, to)))
        picture.turned.connect(
            lambda thing, to: self._do(turn_edits(self._show, self.place, thing, to), f"Turn {thing.name}")
        )
        picture.nudged.connect(self._nudge)
        picture.spun.connect(self._spin)
        picture.opened.connect(lambda thing: self._opened(self.forms.edit(self.place, thing)))
        picture.removed.connect(self._remove)
        picture.dropped.connect(self._drop)
        self.microphones.chosen.connect(lambda row, _column: self._row_chosen(row))
        self.microphones.opened.connect(self._row_opened)
        self.bleed.chosen.connect(self._cell_chosen)
        self.best.chosen.connect(lambda row, _column: self._rank_chosen(row))  # fmt: skip

    # what is shown

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
        if self.sound is None:
            return ()
        return things_of(self.shown, self.document.analysis.catalogue, self.place)

    @property
    def key(self) -> Key:
        return self.picture.chosen

    def _shelf(self) -> tuple[Kind, ...]:
        try:
            return read_shelf()
        except FileProblem as problem:
            self.document.trouble.emit(str(problem))
            return ()

    def _first_place(self) -> None:
        places = self.document.analysis.show.places
        self.place = places[0].id if places else ""
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
        for table in (self.microphones, self.bleed, self.best):
            table.verticalHeader().setDefaultSectionSize(round(26 * scale))

    def first(self) -> QWidget:
        return self.picture

    def keep(self) -> object:
        return self.place, self.picture.chosen, self.view, self.row, self.cell

    def restore(self, kept: object) -> None:
        if isinstance(kept, tuple):
            self.place, self.picture.chosen, name, row, self.cell = kept
            self.choose_view(name)
            self.row = row

    def refresh(self) -> None:
        self._live = None
        places = self.document.analysis.show.places
        if not any(place.id == self.place for place in places):
            self._first_place()
        if not any(thing.key == self.key for thing in self.things):
            self._choose_worst()
        self._set_chips()
        self._draw()

    def _set_chips(self) -> None:
        places = self.document.analysis.show.places
        if [button.objectName() for button in self._chips.buttons()] != [f"place {row.id}" for row in places]:
            self._make_chips()
        for button, place in zip(self._chips.buttons(), places, strict=True):
            worst = view.worst_in_place(self.document.analysis, place.id)
            button.setText(place.name)
            button.setChecked(place.id == self.place)
            button.setIcon(view.mark(worst or "tick", self.theme))
            button.setToolTip(f"The plan of {place.name}")
            button.setAccessibleName(f"{place.name}, {worst or 'settled'}")

    def _make_chips(self) -> None:
        empty(self._chip_row)
        for button in self._chips.buttons():
            self._chips.removeButton(button)
        for place in self.document.analysis.show.places:
            button = QPushButton()
            button.setProperty("role", "chip")
            button.setCheckable(True)
            button.setObjectName(f"place {place.id}")
            button.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
            button.clicked.connect(lambda _checked=False, name=place.id: self.choose_place(name))
            self._chips.addButton(button)
            self._chip_row.addWidget(button)
        self._chip_row.addStretch(1)

    def _draw(self) -> None:
        """Plan, tables and words from what is drawn now."""
        sound, analysis = self.sound, self.document.analysis
        self.tables.setCurrentIndex([name for name, _, _ in VIEWS].index(self.view))
        if sound is None:
            self.title.setText("Cast")
            self.subtitle.setText("Start with a place: Add, Place. Then put into it who must be heard.")
            self.picture.set_content(view.nothing(), ("", ""))
            for table in (self.microphones, self.bleed, self.best):
                table.set_rows((), (), ())
            return
        self.title.setText(sound.place.name)
        self.subtitle.setText(view.place_words(sound))
        mic = self._mic(sound)
        advice = self._advise(sound) if self.view == "best" else None
        choice = advice.choices[self.row] if advice and self.row < len(advice.choices) else None
        found = self._placement(sound, mic, choice.kind if choice else None)
        content = view.plan_content(analysis, self.shown, sound, self.things, self.key, mic, found, choice.at if choice else None)  # fmt: skip
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
        if advice is not None:
            self.best.set_rows(view.BEST_HEADINGS, view.BEST_HELP, view.best_rows(advice))
            self.best.choose(self.row)
        elif self.view == "best":
            self.best.set_rows((), (), ())
        current = self.tables.currentWidget()
        if isinstance(current, RowTable):
            self.tables.setMaximumHeight(max(current.fitting_height(), 110))

    def _mic(self, sound: PlaceSound) -> int | None:
        """The microphone that the selection is about: itself, or the first one of the selected party."""
        sort, name = self.key
        if sort == "microphone":
            return sound.mic_index.get(name)
        if sort == "party":
            voice = sound.source_index.get(name)
            return next(
                (m for m in range(len(sound.mics)) if voice is not None and sound.own[m] == voice), None
            )
        return None

    def _voice(self, sound: PlaceSound) -> int | None:
        """The voice that the selection is about."""
        mic = self._mic(sound)
        if mic is not None and sound.own[mic] >= 0:
            return int(sound.own[mic])
        return sound.source_index.get(self.key[1]) if self.key[0] == "party" else None

    def _placement(self, sound: PlaceSound, mic: int | None, kind: Kind | None) -> PlacementMap | None:
        """The map of the selected party for its own microphone, or for the kind chosen in the ranking."""
        voice = self._voice(sound)
        if voice is None or (mic is None and kind is None):
            return None
        stand = sound.mics[mic] if mic is not None else None
        kind = kind or (stand.kind if stand else None)
        if kind is None or (kind.microphone is None and kind.group != "phone"):
            return None
        shield = stand.device.shield if stand else "none"
        source = sound.sources[voice]
        key = (sound.place, source.at, source.faces_deg, source.level.value, kind.id, shield, tuple(row.at for row in sound.sources))  # fmt: skip
        if self._map is None or self._map[0] != key:
            self._map = key, placement_map(sound, voice, kind, shield)
        return self._map[1]

    def _advise(self, sound: PlaceSound) -> Advice | None:
        voice, mic = self._voice(sound), self._mic(sound)
        if voice is None:
            return None
        kinds = tuple(kind for kind in self.forms.catalogue if kind.microphone is not None)
        stand = sound.mics[mic] if mic is not None else None
        kind = stand.kind if stand is not None and stand.kind.microphone is not None else kinds[0]
        key = (id(sound), voice, mic, kinds)
        if self._advice is None or self._advice[0] != key:
            shield = stand.device.shield if stand else "none"
            self._advice = key, advise(sound, voice, kind, kinds, mic, shield)
        return self._advice[1]

    # the Why panel

    def why(self) -> WhyContent:
        sound, analysis = self.sound, self.document.analysis
        if sound is None:
            return WhyContent("No place yet", hint="Add a place, then people and microphones.", actions=(Action("place", "Add a place\u2026", "A room, deck or yard with its own air."),))  # fmt: skip
        if self.view == "bleed":
            return view.why_bleed(analysis, self.shown, sound, *self.cell)
        voice = self._voice(sound)
        if self.view == "best":
            advice = self._advise(sound)
            if advice is None or voice is None:
                return WhyContent(
                    "Best places", hint="Select somebody who is heard, or a microphone that is theirs."
                )
            return view.why_best(
                advice, sound.sources[voice].name, self.row, mine=self._mic(sound) is not None
            )
        thing = next((row for row in self.things if row.key == self.key), None)
        return view.why_thing(analysis, self.shown, sound, thing, self._mic(sound))

    def act(self, action: str) -> None:
        if action == "place":
            self._add_place()
        elif action == "best":
            self.choose_view("best")
        elif action == "details":
            thing = next((row for row in self.things if row.key == self.key), None)
            if thing is not None:
                self._opened(self.forms.edit(self.place, thing))
        elif action == "use":
            self._use_choice()

    def _use_choice(self) -> None:
        """Puts the chosen kind of the ranking where it is best."""
        sound = self.sound
        advice = self._advise(sound) if sound is not None else None
        if sound is None or advice is None or self.row >= len(advice.choices):
            return
        choice, mic, voice = advice.choices[self.row], self._mic(sound), self._voice(sound)
        if voice is None:
            return
        edits: list[Edit] = []
        if choice.kind.id not in self.document.analysis.catalogue:
            edits.append(AddRow("kinds", choice.kind))
        if mic is not None:
            name = sound.mics[mic].device.id
            if sound.mics[mic].kind.id != choice.kind.id:
                edits.append(SetField("devices", name, "kind", choice.kind.id))
            if choice.at is not None:
                edits += [
                    SetField("devices", name, "at_m", choice.at),
                    SetField("devices", name, "aim_deg", None),
                ]
            text = f"{choice.kind.name} for {sound.sources[voice].name}"
        else:
            edits.append(view.new_microphone(self._show, self.place, sound.sources[voice], choice))
            text = f"Add {choice.kind.name} for {sound.sources[voice].name}"
        self._do(tuple(edits), text)

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
        for button in self._views.buttons():
            button.setChecked(button.objectName() == f"view {name}")
        self._draw()
        self.why_changed.emit()

    def show_finding(self, finding: Finding) -> None:
        places = {row.id: row.place for rows in (self._show.parties, self._show.devices) for row in rows}
        place = next((name if name in [row.id for row in self._show.places] else places.get(name) for name in finding.subjects if name in places or name in [row.id for row in self._show.places]), None)  # fmt: skip
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
            self._opened(self.forms.edit(self.place, thing))

    def _cell_chosen(self, row: int, column: int) -> None:
        self.cell = (row, max(column, 1))
        self.why_changed.emit()

    def _rank_chosen(self, row: int) -> None:
        self.row = row
        self._draw()
        self.why_changed.emit()

    def _sketch(self, edits: tuple[Edit, ...]) -> None:
        """Draws what an edit would come to, in the core's quick way, without doing it."""
        if not edits:
            return
        show = apply_all(self._show, edits)
        self._live = show, self.document.analysis.sketch(show, self.place)
        self._draw()
        self.why_changed.emit()

    def _drop(self) -> None:
        """Back from a drag to where it began."""
        if self._live is not None:
            self._live = None
            self._draw()
            self.why_changed.emit()

    def _do(self, edits: tuple[Edit, ...], text: str, merge: str = "") -> None:
        before = self._show
        if edits:
            self._sketch(edits)
            self.document.apply(edits, text, merge=merge)
        if self._show is before:
            self._drop()

    def _now(self, thing: Thing) -> Thing | None:
        """A thing where it stands in the show as it is, even while its analysis is on the way."""
        rows = things_of(self._show, self.document.analysis.catalogue, self.place)
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
        self._do(remove_edits(self._show, self.place, thing), f"Remove {thing.name}")
        self.document.trouble.emit(f"{thing.name} is taken off the show, with its cables and wants. Ctrl+Z brings it back.")  # fmt: skip

    def _opened(self, taken: bool) -> None:
        if taken and not self.place:
            QTimer.singleShot(0, self.refresh)
        self.picture.setFocus()

    def _in_place(self, run: object) -> None:
        if not self.place:
            self.document.trouble.emit("Add a place first: Add, Place.")
            return
        assert callable(run)
        self._opened(bool(run()))

    def _add_place(self) -> None:
        before = {place.id for place in self._show.places}
        if self.forms.place(None):
            new = next((place.id for place in self._show.places if place.id not in before), None)
            if new is not None and not self.document.busy:
                self.choose_place(new)

    def _edit_place(self) -> None:
        if self.place:
            self.forms.place(self._show.place(self.place))

    def _remove_place(self) -> None:
        if self.place:
            self.forms.remove_place(self._show.place(self.place))

    def open_kinds(self) -> None:
        """The shelf of the user's own kinds."""
        from kymaphon.app.kinds import KindsDialog

        KindsDialog(self, self.document).exec()
        self._advice = None
        self._draw()
