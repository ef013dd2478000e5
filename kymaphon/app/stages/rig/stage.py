"""Rig: what plugs into what, drawn from left to right, with its patch list, cable routes and pull list."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QStackedWidget, QTableView, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.cast.head import first_steps
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.paged import PagedStage
from kymaphon.app.stages.rig import view as view
from kymaphon.app.stages.rig.forms import RigForms
from kymaphon.app.stages.rig.head import RigHead
from kymaphon.app.stages.rig.lists import RigLists, do
from kymaphon.app.stages.rig.pages import PatchPage, RigPage, made
from kymaphon.app.stages.rig.words import RIG_VIEWS, START
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.rig_picture import NOTHING, Key, RigPicture
from kymaphon.app.widgets.route_plan import RoutePicture
from kymaphon.app.widgets.why import WhyContent
from kymaphon.core.compose.together import usb_lead
from kymaphon.core.model.edits import Edit, RemoveRow, SetField, Unplug
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable, Device, Place, PowerRun, Show
from kymaphon.core.report.chain import PLACE, Chain, chain_of
from kymaphon.core.report.find import found_in_rig
from kymaphon.core.wiring.controls import touched_words
from kymaphon.core.words import counted


class RigStage(PagedStage):
    """The chain as a picture, and under it one of five tables. Everything follows one selection."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme, RIG_VIEWS, "patch", self._made)
        self._guess: Key | None = None
        """What was chosen before anybody had looked for what is wrong."""
        self._found: tuple[str, ...] = ()
        """The words that were looked for last."""
        self.collapsed: frozenset[str] = frozenset()
        self.forms = RigForms(self, theme, document)
        self.lists = RigLists(self, document, self.forms)
        self.title.setText("Rig")
        self.top = RigHead(self)
        self.column.addLayout(self.top.chips)
        self.card = QWidget()
        self.card.setObjectName("card")
        inside = QVBoxLayout(self.card)
        inside.setContentsMargins(0, 0, 0, 0)
        self.picture = RigPicture(theme)
        self.pictures = QStackedWidget()
        self.pictures.addWidget(self.picture)
        self.routes_plan = RoutePicture(theme)
        self.pictures.addWidget(self.routes_plan)
        inside.addWidget(self.pictures)
        self.column.addWidget(self.card, 7)
        self.column.addWidget(self.stack, 4)
        self.start = first_steps(START)
        self.column.addWidget(self.start, 10)
        self._connect()
        self.show_view(self.view)

    def _made(self, name: str) -> RigPage:
        return made(name, self.document, self.theme, self.lists.options)

    def _page_made(self, page: StagePage) -> None:
        assert isinstance(page, RigPage)
        page.picked.connect(lambda sort, name: self._choose((sort, name)))
        page.opened.connect(self._open)
        page.removed.connect(self._remove)
        if isinstance(page, PatchPage):
            page.table.removed.connect(self._unplug)
            page.table.edited.connect(self.lists.edit)

    def _connect(self) -> None:
        self.top.wanted.connect(self.wanted)
        self.top.fold.connect(self.fold)
        self.top.find.connect(lambda text, onward: self._find(text, onward=onward))
        picture = self.picture
        picture.selected.connect(lambda *_: self._chosen())
        picture.opened.connect(lambda *_: self._open())
        picture.removed.connect(lambda *_: self._remove())
        picture.pulled.connect(self._pulled)
        self.routes_plan.chosen.connect(lambda name: self._choose(("cable" if ">" in name else "run", name)))
        self.routes_plan.opened.connect(self._open)
        self.routes_plan.removed.connect(self._remove)
        self.lists.renamed.connect(lambda name: self.picture.choose(("cable", name), show=False))

    # what is shown

    @property
    def _show(self) -> Show:
        return self.document.show

    @property
    def page(self) -> RigPage:
        """The table on screen."""
        page = self.page_of(self.view)
        assert isinstance(page, RigPage)
        return page

    @property
    def table(self) -> QTableView:
        """The table on screen."""
        return self.page.table

    @property
    def key(self) -> Key:
        """What is selected: kind and id."""
        return self.picture.chosen

    @property
    def chain(self) -> Chain | None:
        """The picture that is drawn."""
        return self.picture.chain

    def refresh(self) -> None:
        analysis = self.document.analysis
        show = analysis.show
        self.collapsed &= {place.id for place in show.places}
        chain = chain_of(analysis, self.collapsed)
        hues = {party.id: k for k, party in enumerate(show.parties)}
        places = {place.id: k for k, place in enumerate(show.places)}
        self.picture.set_chain(chain, hues, places)
        empty_ = not show.devices
        self.card.setVisible(not empty_)
        self.stack.setVisible(not empty_)
        self.start.setVisible(empty_)
        counts = f"{counted(len(show.devices), 'device')}, {counted(len(show.cables), 'cable')}"
        self.subtitle.setText(f"{counts}. {self._summary()}" if show.devices else "Nothing is in it yet.")
        self.top.show_places(show, self.collapsed)
        if self._missing(self.key) or (self.key == self._guess and not analysis.unsearched):
            self._choose_worst()
            self._guess = self.key if analysis.unsearched else None
        self.page.refresh("", "")
        self._follow()

    def _summary(self) -> str:
        rows = [row for row in self.document.analysis.findings if row.stage == "Rig" and row.severity != "note"]
        silent = sum(bool(link.silence) for link in self.chain.links) if self.chain else 0
        if self.document.analysis.unsearched:
            return "What is to mend is being looked for \u2026"
        words = f"{len(rows)} to mend" if rows else "Nothing to mend"
        if not self._show.cables:
            return f"{words}; nothing is plugged yet." if rows else "Nothing is plugged yet."
        return (
            f"{words}; {counted(silent, 'carries', 'carry')} no signal yet."
            if silent
            else f"{words}; signal in every cable."
        )

    def _missing(self, key: Key) -> bool:
        if key[0] == "run":
            return self._run(self.document.analysis.show) is None
        return self.picture.box is None and self.picture.link is None and key != ("", " all")

    def _choose_worst(self) -> None:
        """Selects what the first finding to mend is about, else the first box."""
        chain = self.chain
        if chain is None or not chain.boxes:
            self.picture.choose(NOTHING, show=False)
            return
        for finding in self.document.analysis.findings:
            if finding.stage == "Rig" and finding.severity != "note":
                found = self._key_for(finding)
                if found != NOTHING:
                    self.picture.choose(found)
                    return
        box = chain.boxes[0]
        self.picture.choose(("place" if box.group == "place" else "device", box.id))

    def _key_for(self, finding: Finding) -> Key:
        """The cable that a finding names by both ends, else the first device."""
        chain = self.chain
        if chain is None:
            return NOTHING
        for link in chain.links:
            if set(link.ends) <= set(finding.subjects):
                return "cable", ">".join(link.ends)
        for name in finding.subjects:
            box = chain.box_of(PortId.of(name).device)
            if box is not None:
                return ("place" if box.group == "place" else "device", box.id)
        return NOTHING

    def _follow(self) -> None:
        """Table and plan follow the selection."""
        self.page.follow(self.key)
        analysis = self.document.analysis
        place = view.route_place(analysis, self.key) if self.view == "routes" else None
        self.pictures.setCurrentWidget(self.routes_plan if place is not None else self.picture)
        if place is not None:
            self.routes_plan.set_plan(view.route_plan(analysis, place), self.key[1])

    # the Why panel

    def why(self) -> WhyContent:
        analysis = self.document.analysis
        device, cable, box = self._device(analysis.show), self._cable(analysis.show), self.picture.box
        if device is not None:
            return view.why_device(analysis, device)
        if cable is not None:
            return view.why_cable(analysis, cable)
        power = self._run(analysis.show)
        if power is not None:
            return view.why_run(analysis, *power)
        if box is not None and box.group == "place":
            return view.why_place(analysis, box, collapsed=True)
        return view.why_nothing(analysis)

    def _device(self, show: Show) -> Device | None:
        kind, name = self.key
        return next((row for row in show.devices if kind == "device" and row.id == name), None)

    def _cable(self, show: Show) -> Cable | None:
        kind, name = self.key
        return next((row for row in show.cables if kind == "cable" and ">".join(row.ends) == name), None)

    def _run(self, show: Show) -> tuple[Place, PowerRun] | None:
        kind, name = self.key
        rows = ((place, run) for place in show.places for run in place.runs)
        return next((row for row in rows if kind == "run" and row[1].id == name), None)

    def act(self, action: str) -> None:
        if action == "unfold" and self.picture.box is not None:
            self.fold(self.picture.box.place)
        else:
            self.wanted(action)

    # what the user does

    def fold(self, place: str) -> None:
        """Collapses a place into one box, or opens it."""
        self.collapsed ^= {place}
        if self.key[1] in (f"{PLACE}{place}",) or self._missing(self.key):
            self.picture.choose(NOTHING, show=False)
        self.refresh()
        self.why_changed.emit()

    def zoom(self, steps: int) -> None:
        self.picture.zoom(steps)

    def _choose(self, key: Key) -> None:
        self.picture.choose(key)
        self._chosen()

    def _chosen(self) -> None:
        self._follow()
        self.why_changed.emit()

    def _find(self, text: str, *, onward: bool = False) -> None:
        """Dims what does not match and goes to the first that does, whole words before parts of them; Enter goes on to the next. A knob
        is found too: its device is chosen, and what it moves is told.
        """
        chain = self.chain
        words = tuple(text.lower().split())
        if chain is None or not words:
            self.picture.found = None
            self.picture.update()
            return
        hits = found_in_rig(self.document.analysis, chain, words)
        self.picture.found = frozenset(row.box.id for row in hits)
        if hits:
            here = next((k for k, row in enumerate(hits) if row.box.id == self.key[1]), -1)
            row = (
                hits[(here + 1) % len(hits)] if onward or here < 0 else hits[here] if self._found == words else hits[0]
            )
            self._choose(("place" if row.box.group == "place" else "device", row.box.id))
            if row.knob is not None:
                self.document.trouble.emit(f"{row.knob.label}: {touched_words(self.document.analysis, row.knob.ref)}")
        else:
            self.document.trouble.emit(f"Nothing in the rig is called {text[:40]}.")
        self._found = words
        self.picture.update()

    def wanted(self, name: str) -> None:
        """What an entry of the menu or a button asks for."""
        if name == "add":
            self._add()
        elif name == "plug":
            device, cable = self._device(self._show), self._cable(self._show)
            self._plug(device.id if device else cable.source if cable else "")
        elif name == "usb":
            self._plug_usb()
        elif name == "details":
            self._open()
        elif name == "remove":
            self._remove()
        elif name == "run":
            self._add_run()
        elif name == "find":
            self.top.search.setFocus(Qt.FocusReason.ShortcutFocusReason)
            self.top.search.selectAll()
        elif name == "import":
            self.lists.ask_import()
        elif name in ("export", "pull"):
            self.lists.ask_export(name)

    def _plug_usb(self) -> None:
        """All channels of the selected box, or of the only one there is, by one lead."""
        known = self.document.analysis.catalogue
        device = self._device(self._show)
        boxes = [row for row in self._show.devices if known[row.kind].group in ("interface", "desk")]
        if device is None and len(boxes) == 1:
            device = boxes[0]
        if device is None:
            self.document.trouble.emit("Select the interface or desk first.")
            return
        try:
            edits = usb_lead(self._show, known, device.id)
        except ValueError as problem:
            self.document.trouble.emit(f"Not plugged: {problem}.")
            return
        if not edits:
            self.document.trouble.emit("All of its channels are plugged already.")
            return
        self.document.apply(edits, f"USB lead of {device.name or known[device.kind].name}")

    def _place_of_selection(self) -> str | None:
        device, cable = self._device(self._show), self._cable(self._show)
        if device is None and cable is not None:
            owner = cable.source_device
            device = next((row for row in self._show.devices if row.id == owner), None)
        if device is not None and device.place is not None:
            return device.place
        return self._show.places[0].id if self._show.places else None

    def _add(self) -> None:
        added, plug_on = self.forms.add(self._place_of_selection())
        if not added:
            return
        self._wait_for(("device", added))
        # What is at an end is fed first, whatever else comes out of it: an encoder, a recorder.
        feeds, fed = (self.forms.can_plug(added), self.forms.can_be_fed(added)) if plug_on else (False, False)
        if fed and (not feeds or self.forms.is_an_end(added)):
            self._plug("", added)
        elif feeds:
            self._plug(added)
        elif plug_on:
            self.document.trouble.emit("It is added; nothing is there yet that it plugs into, or that plugs into it.")
        # The picture of the first device is not there before it is computed.
        (self.picture if self.card.isVisible() else self.top.buttons[0]).setFocus()

    def _plug(self, source: str, target: str = "") -> None:
        if source and not target and "." not in source and self.forms.only_takes(source):
            source, target = "", source
        plugged = self.forms.plug(source, target)
        if plugged is not None:
            self._wait_for(("cable", ">".join(plugged)))
        self.picture.setFocus()

    def _wait_for(self, key: Key) -> None:
        """Selects what was just made, now or when it has been computed."""
        self.picture.choose(key)
        if not self.document.busy:
            self.refresh()
            self.why_changed.emit()

    def _pulled(self, source: str, target: str) -> None:
        ids = [name for name in (source, target) if not name.startswith(PLACE)]
        if len(ids) == 2:
            self._plug(source, target)
        else:
            self.document.trouble.emit("Open the place first: a cable is plugged into a device.")

    def _open(self) -> None:
        device, cable = self._device(self._show), self._cable(self._show)
        if device is not None:
            self.forms.device(device)
        elif cable is not None:
            self.forms.cable(cable)
        elif (power := self._run(self._show)) is not None:
            self.forms.run(*power)
        elif self.picture.box is not None:
            self.fold(self.picture.box.place)
        self.pictures.currentWidget().setFocus()

    def _remove(self) -> None:
        device, cable = self._device(self._show), self._cable(self._show)
        if device is not None:
            name = device.name or self.document.analysis.catalogue.with_kinds(*self._show.kinds)[device.kind].name
            self._do((RemoveRow("devices", device.id),), f"Remove {name}")
            self.document.trouble.emit(f"{name} is taken off the show, with its cables. Ctrl+Z brings it back.")
        elif cable is not None:
            self._unplug(cable.ends)
        elif (power := self._run(self._show)) is not None:
            place, run = power
            kept = tuple(row for row in place.runs if row.id != run.id)
            self._do((SetField("places", place.id, "runs", kept),), f"Remove {run.name}")
            self.document.trouble.emit(f"{run.name} is off the plan. Ctrl+Z puts it back.")

    def _unplug(self, ends: tuple[str, str]) -> None:
        if any(row.ends == tuple(ends) for row in self._show.cables):
            self._do((Unplug(*ends),), f"Unplug {ends[0]} from {ends[1]}")
            self.document.trouble.emit("Unplugged. Ctrl+Z puts it back.")

    def _do(self, edits: tuple[Edit, ...], text: str) -> None:
        do(self.document, edits, text)

    def _add_run(self) -> None:
        place = next((row for row in self._show.places if row.id == self._place_of_selection()), None)
        if place is None:
            self.document.trouble.emit("Add a place at Cast first: a lead lies somewhere.")
        elif self.forms.run(place, None):
            self.choose_view("routes")

    # for the window

    def show_finding(self, finding: Finding) -> None:
        found = self._key_for(finding)
        if found != NOTHING:
            self._choose(found)

    def set_scale(self, scale: float) -> None:
        self.picture.scale = self.routes_plan.scale = scale
        super().set_scale(scale)

    def first(self) -> QWidget:
        return self.picture if self._show.devices else self.top.buttons[0]
