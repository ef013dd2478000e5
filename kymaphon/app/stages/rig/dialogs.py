"""The two dialogs by which a rig grows: add from the catalogue, plug by choosing sockets."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.document import Document
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.form import number_of
from kymaphon.app.widgets.pick import PickList, PickRow
from kymaphon.app.widgets.why import label
from kymaphon.core.compose.together import computers_here, headphones_for, heard_by, usb_lead
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.connectors import connectors
from kymaphon.core.model.edits import AddRow, Edit, Plug, SetField, SetValue
from kymaphon.core.model.ends import end_of, ends_of
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Cable, Device, Party
from kymaphon.core.wiring.fit import Comes, Fit, partners
from kymaphon.core.wiring.power import FEED_WORDS

GROUP_WORDS = {
    "microphone": "microphone",
    "booster": "booster",
    "interface": "interface",
    "desk": "desk",
    "software": "software",
    "codec": "codec",
    "phone": "telephone",
    "encoder": "encoder",
    "recorder": "recorder",
    "headphones": "headphones",
    "loudspeaker": "loudspeaker",
    "player": "player",
    "di": "DI box",
    "pad": "pad",
    "splitter": "splitter",
    "isolator": "isolator",
    "wireless": "wireless",
    "preamp": "preamplifier",
    "amplifier": "amplifier",
    "host": "computer",
    "hub": "USB hub",
    "app": "app",
    "line": "line",
    "instrument": "instrument",
    "talkback": "talkback",
    "camera": "camera",
}


def kind_words(kind: Kind) -> str:
    """A kind's sockets and power in a line or two."""
    parts = []
    for title, ports in (("in", kind.inputs), ("out", kind.outputs)):
        counts: dict[str, int] = {}
        for port in ports:
            if port.domain == "acoustic":
                continue
            plug = connectors()[port.connector].name if port.connector else "socket"
            words = f"{port.level} {plug}" if port.domain == "analog" else plug
            counts[words] = counts.get(words, 0) + (1 if not port.stereo else 2)
        if counts:
            parts.append(f"{title.capitalize()}: {', '.join(f'{n} × {words}' for words, n in counts.items())}.")
    if kind.power is not None:
        parts.append(f"Runs from {' or '.join(FEED_WORDS[feed] for feed in kind.power.by)}.")
    return " ".join(parts)


class AddDialog(QDialog):
    """Choose a kind by typing, a name and a place. `plug_on` says that the new device is to be plugged at once."""

    def __init__(
        self, parent: QWidget, theme: Theme, catalogue: Catalogue, document: Document, place: str | None
    ) -> None:
        super().__init__(parent)
        self.catalogue, self.document = catalogue, document
        self.plug_on = self._worn = False
        self.added = self.told = ""
        self.setWindowTitle("Add from the catalogue")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(label("Add from the catalogue", "title"))
        self.kinds = PickList(theme, "Kinds", "Type part of a name: booster, two inputs, phone \u2026", by_name=True)
        rows = tuple(
            PickRow(
                kind.id,
                f"{kind.name}  \u00b7  {GROUP_WORDS[kind.group]}",
                f"{kind.about} {kind.id}",
                tip=kind.about or kind.name,
            )
            for kind in catalogue
        )
        column.addWidget(self.kinds, 1)
        self.about = label("", "muted")
        self.about.setMinimumHeight(64)
        self.about.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.about)
        form = QFormLayout()
        self.name = QLineEdit()
        self.name.setAccessibleName("Name")
        self.name.setPlaceholderText("its kind")
        self.place = ChoiceBox()
        self.place.setAccessibleName("Place")
        self.place.addItem("nowhere on a plan", None)
        for row in document.show.places:
            self.place.addItem(row.name, row.id)
        self.place.setCurrentIndex(max(0, self.place.findData(place)))
        form.addRow(label("Name", wrap=False), self.name)
        form.addRow(label("Place", wrap=False), self.place)
        self.whose = ChoiceBox()
        self.whose.setAccessibleName("Whose")
        self.whose.addItem("nobody's yet", None)
        deaf = [party for party in document.show.parties if party.kind not in ("audience", "recorder", "player")]
        for party in sorted(deaf, key=lambda row: row.hears_on is not None):
            self.whose.addItem(party.name, party.id)
        self._form = form
        form.addRow(label("Whose ears", wrap=False), self.whose)
        form.setRowVisible(self.whose, False)
        column.addLayout(form)
        self.trouble = label("", "bad")
        self.trouble.setObjectName("trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        line = QHBoxLayout()
        line.addStretch(1)
        for words, name, role, run in (
            ("Cancel", "leave", "", self.reject),
            ("Add", "add only", "", self._add),
            ("Add and plug\u2026", "add and plug", "primary", self._add_and_plug),
        ):
            button = QPushButton(words)
            button.setObjectName(name)
            button.setProperty("role", role)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _checked=False, run=run: run())
            line.addWidget(button)
        column.addLayout(line)
        self.kinds.changed.connect(self._describe)
        self.kinds.taken.connect(self._add_and_plug)
        self.kinds.set_rows(rows)
        self.resize(620, 560)

    def _describe(self) -> None:
        kind = self._kind()
        self.about.setText(
            f"{kind.about} {kind_words(kind)} {self._comes_with(kind)}".rstrip()
            if kind is not None
            else "No kind is called so."
        )
        worn = kind is not None and kind.is_headphones
        if worn != self._worn:
            # Whoever has nothing to listen on comes first.
            self._worn = worn
            self.whose.setCurrentIndex(1 if worn and self.whose.count() > 1 else 0)
            self._form.setRowVisible(self.whose, worn)

    def _kind(self) -> Kind | None:
        value = self.kinds.value()
        return self.catalogue[value] if isinstance(value, str) else None

    def _add_and_plug(self) -> None:
        self.plug_on = True
        self._add()

    def _add(self) -> None:
        kind = self._kind()
        if kind is None:
            self.plug_on = False
            self.trouble.setText("Choose a kind first.")
            self.trouble.show()
            return
        show = self.document.show
        name = self.name.text().strip() or None
        place = self.place.currentData()
        device = Device(
            id=fresh_id(show, name or kind.id),
            kind=kind.id,
            name=name,
            place=place,
            host=_likely_host(self.document, kind),
        )
        edits: list[Edit] = []
        if kind.id not in self.document.analysis.catalogue:
            edits.append(AddRow("kinds", kind))
        whose = self.whose.currentData() if self._worn else None
        if whose is not None:
            # Somebody's headphones are what they hear on, plugged where headphones go.
            known = self.document.analysis.catalogue.with_kinds(kind)
            rows = headphones_for(show, known, whose, kind.id, name or "")
            edits += rows
            device = next(row.row for row in rows if isinstance(row, AddRow) and isinstance(row.row, Device))
            self.plug_on = False
        else:
            edits += [AddRow("devices", device), *self._with_it(device, kind)]
        self.document.apply(tuple(edits), f"Add {device.name or kind.name}")
        self.added = device.id
        self.accept()

    def _comes_with(self, kind: Kind) -> str:
        """What is added with a kind, told before it is."""
        show = self.document.show
        ears = heard_by(show, Device(id=fresh_id(show, kind.id), kind=kind.id), kind)
        names = [row.row.name for row in ears if isinstance(row, AddRow) and isinstance(row.row, Party)]
        return f"With it comes {names[0]}, who hears what it gets." if names else ""

    def _with_it(self, device: Device, kind: Kind) -> tuple[Edit, ...]:
        """What belongs to a new device: who hears what an encoder or a recorder gets; where it is to be plugged at once, all channels of
        a USB lead.
        """
        show = self.document.show
        ears = heard_by(show, device, kind)
        if not self.plug_on or kind.group not in ("interface", "desk"):
            return ears
        known = self.document.analysis.catalogue.with_kinds(kind)
        try:
            lead = usb_lead(show.model_copy(update={"devices": (*show.devices, device)}), known, device.id)
        except ValueError:
            return ears  # no mixer program on a computer yet: nothing to plug it into
        self.plug_on = False
        count = sum(isinstance(row, Plug) for row in lead)
        self.told = f"All of its USB lead is plugged: {count} channels, to the mixer program and back."
        return (*ears, *lead)


def _likely_host(document: Document, kind: Kind) -> str | None:
    """The only computer of the show, for what runs on one or from one."""
    runs_on = kind.runs_in_computer or (kind.power is not None and kind.power.by[0] == "bus")
    if not runs_on:
        return None
    hosts = computers_here(document.show, document.analysis.catalogue.with_kinds(*document.show.kinds))
    return hosts[0] if len(hosts) == 1 else None


class PlugDialog(QDialog):
    """An output at the left, the inputs ordered by fit at the right, and what speaks for or against the chosen pair."""

    def __init__(
        self, parent: QWidget, theme: Theme, document: Document, levels: dict[str, Comes], source: str, target: str
    ) -> None:
        super().__init__(parent)
        self.document, self.levels = document, levels
        self.prefer = target
        self.plugged: tuple[str, str] | None = None
        self.setWindowTitle("Plug a cable")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(label("Plug a cable", "title"))
        column.addWidget(label("Inputs are ordered by fit; sockets that are taken are left out.", "muted"))
        lists = QHBoxLayout()
        lists.setSpacing(12)
        self.outs = PickList(theme, "From", "From: type part of a name")
        self.ins = PickList(theme, "Into", "Into: type part of a name")
        for title, box in (("From", self.outs), ("Into", self.ins)):
            side = QVBoxLayout()
            side.addWidget(label(title, "figure"))
            side.addWidget(box, 1)
            lists.addLayout(side, 2 if box is self.outs else 3)
        column.addLayout(lists, 1)
        self.verdict = label("")
        self.verdict.setMinimumHeight(58)
        self.verdict.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.verdict)
        form = QHBoxLayout()
        self.length, self.mark = QLineEdit(), QLineEdit()
        for words, field in (("Length (m)", self.length), ("Label", self.mark)):
            field.setAccessibleName(words)
            form.addWidget(label(words, wrap=False))
            form.addWidget(field, 1)
        column.addLayout(form)
        self.trouble = label("", "bad")
        self.trouble.setObjectName("trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        buttons = QDialogButtonBox()
        self.button = QPushButton("Plug")
        self.button.setObjectName("plug")
        self.button.setProperty("role", "primary")
        self.button.setAutoDefault(False)
        self.button.clicked.connect(lambda *_: self._plug())
        leave = QPushButton("Cancel")
        leave.setAutoDefault(False)
        leave.clicked.connect(lambda *_: self.reject())
        buttons.addButton(leave, QDialogButtonBox.ButtonRole.RejectRole)
        buttons.addButton(self.button, QDialogButtonBox.ButtonRole.ActionRole)
        column.addWidget(buttons)
        self.outs.changed.connect(self._fill_inputs)
        self.outs.taken.connect(lambda: self.ins.field.setFocus())
        self.ins.changed.connect(self._judge)
        self.ins.taken.connect(self._plug)
        self._fits: dict[str, Fit] = {}
        self._fill_outputs(source)
        self.resize(860, 560)
        (self.ins if source else self.outs).field.setFocus()

    @property
    def _known(self) -> Catalogue:
        return self.document.analysis.catalogue.with_kinds(*self.document.show.kinds)

    def _fill_outputs(self, source: str) -> None:
        """Outputs: free ones before those in use, those of the device asked for first among each; then those of its sort, from it on."""
        used = {cable.source for cable in self.document.show.cables}
        rows: list[tuple[int, bool, bool, int, PickRow]] = []
        ends = list(ends_of(self.document.show, self._known, "output"))
        asked = next((i for i, end in enumerate(ends) if source in (end.device.id, end.ref)), 0)
        sort = ends[asked].kind.group if ends and source else ""
        for i, end in enumerate(ends):
            base = f"{end.device.id}.{end.port.id}"
            sides = {f"{base}.l", f"{base}.r"} & used
            busy = end.ref in used or base in used or (bool(sides) if not end.side else len(sides) == 2)
            mine = end.device.id == source or end.ref == source
            words = end.name + ("  \u00b7  in use" if busy else "")
            other = bool(sort) and end.kind.group != sort
            rows.append((2 * busy + (not mine), other, i < asked, i, PickRow(end.ref, words, end.device.id)))
        rows.sort(key=lambda row: row[:4])
        first = self._best_for(self.prefer) if self.prefer and not source else None
        self.outs.set_rows(tuple(row[-1] for row in rows), first or (rows[0][-1].value if rows else None))

    def _best_for(self, target: str) -> str | None:
        """The free output that fits the first free input of a device best."""
        show = self.document.show
        used = {cable.source for cable in show.cables}
        taken = {cable.target for cable in show.cables}
        for end in ends_of(show, self._known, "input"):
            if end.device.id != target or end.ref in taken or end.side:
                continue
            for fit in partners(show, self._known, end, output=False, levels=self.levels):
                if fit.works and fit.source.ref not in used:
                    return fit.source.ref
        return None

    def _fill_inputs(self) -> None:
        reference = self.outs.value()
        rows: list[PickRow] = []
        self._fits = {}
        chosen = None
        if isinstance(reference, str):
            end = end_of(self.document.show, self._known, reference)
            for fit in partners(self.document.show, self._known, end, output=True, levels=self.levels):
                mark = fit.faults[0].severity if fit.faults else "tick"
                if not fit.works:
                    mark = "stop"
                rows.append(
                    PickRow(fit.target.ref, f"{fit.target.name}  \u00b7  {fit.words}", fit.target.device.id, mark)
                )
                self._fits[fit.target.ref] = fit
                if chosen is None and fit.target.device.id == self.prefer:
                    chosen = fit.target.ref
        self.ins.list.clear()
        self.ins.set_rows(tuple(rows), chosen)

    def _judge(self) -> None:
        fit = self._fits.get(str(self.ins.value()))
        self.button.setEnabled(fit is not None and fit.works)
        if fit is None:
            self.verdict.setText("No free input is called so." if self.outs.value() else "Nothing has an output yet.")
            return
        words = [fault.text for fault in fit.faults]
        if fit.adapter is not None:
            words.append(f"It will be plugged with: {fit.adapter.name}.")
        self.verdict.setText(" ".join(words) or "They fit as they are: plug, level and impedance.")

    def _plug(self) -> None:
        fit = self._fits.get(str(self.ins.value()))
        if fit is None:
            return
        if not fit.works:
            self._tell(fit.faults[0].text)
            return
        text = self.length.text().strip()
        try:
            metres = number_of(text.removesuffix("m").strip(), "Length") if text else None
            adapter = fit.adapter.id if fit.adapter is not None else None
            cable = Cable(
                source=fit.source.ref,
                target=fit.target.ref,
                length_m=metres,
                label=self.mark.text().strip(),
                adapter=adapter,
            )
        except ValueError as error:
            short = str(error).splitlines()[0] if metres_typed(text) else "Length: from 0 to 100 000 m"
            self._tell(short)
            return
        edits: list[Edit] = [Plug(cable, fit.target.port.mixes)]
        strip = fit.target.port.strip
        needs = fit.source.port.phantom_ma is not None
        if needs and strip is not None and strip.phantom and not fit.target.setting.phantom:
            edits.append(SetValue(SettingRef(fit.target.device.id, fit.target.port.id, "phantom"), True))
        by_usb = fit.source.port.connector == "usb" and fit.target.kind.has_usb_ports
        if by_usb and fit.source.device.host is None:
            edits.append(SetField("devices", fit.source.device.id, "host", fit.target.device.id))
        self.document.apply(tuple(edits), f"Plug {fit.source.name} into {fit.target.name}")
        self.plugged = cable.ends
        self.accept()

    def _tell(self, text: str) -> None:
        self.trouble.setText(text)
        self.trouble.show()


def metres_typed(text: str) -> bool:
    """Whether what was typed is no number at all, so that the message about that is the right one."""
    try:
        number_of(text.removesuffix("m").strip(), "Length")
    except ValueError:
        return True
    return False
