"""The forms of Rig: details of a device or a cable, power leads of a place; and the way to its two dialogs."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QDialog, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.cast.forms import CastForms
from kymaphon.app.stages.rig.dialogs import AddDialog, PlugDialog, kind_words
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.form import Field, Form, number_of
from kymaphon.core.levels.programme import SHOWN as METERED
from kymaphon.core.model.edits import AddRow, Edit, SetField, SetValue
from kymaphon.core.model.ends import ends_of
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.references import SINGLE
from kymaphon.core.model.show import Cable, Device, Place, PowerRun, Setting
from kymaphon.core.placement.plan import free_spot
from kymaphon.core.wiring.fit import Comes, partners
from kymaphon.core.wiring.open_ends import level_at
from kymaphon.core.wiring.plugging import same_sockets
from kymaphon.core.wiring.power import FEED_WORDS

RUNS = (("mains", "mains lead"), ("dimmed", "dimmed lead"), ("coil", "coiled mains lead"), ("lamp", "lamp"))


class RigForms:
    """Opens the dialogs over a window; each gives one step of undo."""

    def __init__(self, parent: QWidget, theme: Theme, document: Document) -> None:
        self.parent, self.theme, self.document = parent, theme, document
        self.cast = CastForms(parent, document)
        self.last: QDialog | None = None

    def add(self, place: str | None) -> tuple[str, bool]:
        """Id of the device that was added, and whether it is to be plugged; empty when none was."""
        dialog = AddDialog(self.parent, self.theme, self.cast.catalogue, self.document, place)
        self.last = dialog
        dialog.exec()
        if dialog.told:
            self.document.trouble.emit(dialog.told)
        return dialog.added, dialog.plug_on

    def plug(self, source: str = "", target: str = "") -> tuple[str, str] | None:
        """The ends of the cable that was plugged; None when none was."""
        dialog = PlugDialog(self.parent, self.theme, self.document, self.levels(), source, target)
        self.last = dialog
        dialog.exec()
        return dialog.plugged

    def can_plug(self, device_id: str) -> bool:
        """Whether some output of a device goes into something that is there."""
        show = self.document.show
        known = self.document.analysis.catalogue.with_kinds(*show.kinds)
        ends = (end for end in ends_of(show, known, "output") if end.device.id == device_id and not end.side)
        return any(fit.works for end in ends for fit in partners(show, known, end, output=True))

    def can_be_fed(self, device_id: str) -> bool:
        """Whether some free output of what is there goes into a device, for the first time."""
        show = self.document.show
        known = self.document.analysis.catalogue.with_kinds(*show.kinds)
        used = {cable.source for cable in show.cables}
        ends = (end for end in ends_of(show, known, "input") if end.device.id == device_id and not end.side)
        return any(
            fit.works and fit.source.ref not in used for end in ends for fit in partners(show, known, end, output=False)
        )

    def is_an_end(self, device_id: str) -> bool:
        """Whether somebody hears what a device gets: an encoder, a recorder, headphones."""
        device = self.document.show.device(device_id)
        known = self.document.analysis.catalogue.with_kinds(*self.document.show.kinds)
        kind = known[device.kind]
        return kind.group in ("encoder", "recorder") or kind.is_headphones

    def only_takes(self, device_id: str) -> bool:
        """Whether a device has no output to plug from: headphones, a loudspeaker, a recorder."""
        show = self.document.show
        known = self.document.analysis.catalogue.with_kinds(*show.kinds)
        return not any(end.device.id == device_id for end in ends_of(show, known, "output"))

    def levels(self) -> dict[str, Comes]:
        """What comes out of each output, as far as it is computed."""
        analysis = self.document.analysis
        out = {}
        for end in ends_of(analysis.show, analysis.catalogue, "output"):
            level = level_at(analysis, end)
            if level is not None:
                out[end.ref] = level
        return out

    def device(self, device: Device) -> bool:
        """Details of a device: what it is, where, what it runs from, what it hangs on, its knobs that move paths."""
        show = self.document.show
        known = self.cast.catalogue.with_kinds(*show.kinds)
        kind = known[device.kind]
        alike = [(row.id, row.name) for row in known if row.id == kind.id or same_sockets(kind, row)]
        places = ((None, "nowhere on a plan"), *((place.id, place.name) for place in show.places))
        parties = ((None, "nobody's"), *((party.id, party.name) for party in show.parties))
        fields = [
            Field("name", "Name", value=device.name, empty="its kind"),
            Field(
                "kind", "Kind", "choice", device.kind, tuple(alike), tip="Kinds with the same sockets: the cables stay."
            ),
            Field("place", "Place", "choice", device.place, places),
            Field("at_m", "Stands at (x, y in m)", "point", device.at_m, empty="not known"),
            Field("party", "Whose", "choice", device.party, parties),
        ]
        if kind.power is not None and len(kind.power.by) > 1:
            options = (
                (None, f"as delivered: {FEED_WORDS[kind.power.by[0]]}"),
                *((feed, FEED_WORDS[feed]) for feed in kind.power.by),
            )
            fields.append(Field("power", "Runs from", "choice", device.power, options))
        hosts = [
            (row.id, row.name or known[row.kind].name)
            for row in show.devices
            if known[row.kind].has_usb_ports and row.id != device.id
        ]
        fields.append(Field("host", "Hangs or runs on", "choice", device.host, ((None, "no computer"), *hosts)))
        if kind.power is not None and any(feed.startswith("mains") for feed in kind.power.by):
            fields.append(Field("circuit", "Mains circuit", value=device.circuit, empty="that of its place"))
        if kind.runs_on:
            fields.append(
                Field(
                    "single",
                    "Armed for a single piece",
                    "check",
                    bool(device.settings.get(SINGLE, Setting()).on),
                    tip="Else it goes on into the next one by itself.",
                )
            )
        if kind.group in METERED:
            fields.append(
                Field(
                    "meter_offset_db",
                    "Its meter reads more by (dB)",
                    "number",
                    device.meter_offset_db,
                    tip="As its meter is trimmed, or as was found with a tone: what it should show follows.",
                )
            )
        for control in kind.controls:
            value = device.settings.get(control.id, Setting()).gain_db
            low, high = (f"{bound:+.0f}".replace("-", "\u2212") for bound in control.gain_db)
            fields.append(
                Field(
                    f"knob {control.id}",
                    f"{control.name} ({low} to {high} dB)",
                    "number",
                    value,
                    empty=f"{control.default_gain_db:g}, as delivered",
                )
            )

        def take(values: dict[str, Any]) -> None:
            edits: list[Edit] = []
            chosen = known[values["kind"]]
            if chosen.id not in self.document.analysis.catalogue:
                edits.append(AddRow("kinds", chosen))
            for name, value in values.items():
                if name == SINGLE:
                    if value != bool(device.settings.get(SINGLE, Setting()).on):
                        edits.append(SetValue(SettingRef(device.id, SINGLE, "on"), value))
                elif name.startswith("knob "):
                    knob = name.removeprefix("knob ")
                    if value != device.settings.get(knob, Setting()).gain_db:
                        edits.append(SetValue(SettingRef(device.id, knob, "gain_db"), value))
                elif value != getattr(device, name):
                    edits.append(SetField("devices", device.id, name, value))
            if edits:
                self.document.apply(tuple(edits), f"Details of {values['name'] or kind.name}")

        form = Form(device.name or kind.name, tuple(fields), take, self.parent, note=kind_words(kind))
        self.last = form
        return bool(form.exec())

    def cable(self, cable: Cable) -> bool:
        """Details of a cable: label, length, the way it lies, whether its slack is coiled."""
        route = ", ".join(f"{x:g} {y:g}" for x, y in cable.route_m)
        fields = (
            Field("label", "Label", value=cable.label),
            Field("length_m", "Length (m)", "number", cable.length_m, empty="its route on the plan"),
            Field(
                "route",
                "Route by (x y in m, \u2026)",
                "text",
                route,
                empty="straight",
                tip="Spots on the plan between its two ends, such as 1 0.4, 5 0.4",
            ),
            Field("coiled", "Its slack lies coiled", "check", cable.coiled),
        )

        def take(values: dict[str, Any]) -> None:
            spots = read_route(values.pop("route") or "")
            fresh = cable.with_(**{**values, "label": values["label"] or ""}, route_m=spots)
            rows = tuple(fresh if row.ends == cable.ends else row for row in self.document.show.cables)
            if rows != self.document.show.cables:
                self.document.apply((SetField("show", None, "cables", rows),), "Details of a cable")

        form = Form("A cable", fields, take, self.parent, note=f"{cable.source} to {cable.target}")
        self.last = form
        return bool(form.exec())

    def run(self, place: Place, run: PowerRun | None) -> bool:
        """A power lead or lamp of a place, or a new one when it is None."""
        spot = free_spot(self.document.show, place)
        points = run.points_m if run else (spot, (round(spot[0] + 1.0, 2), spot[1]))
        fields = (
            Field("name", "Name", value=run.name if run else ""),
            Field("sort", "Is a", "choice", run.sort if run else "mains", RUNS),
            Field(
                "points",
                "Runs by (x y in m, \u2026)",
                "text",
                ", ".join(f"{x:g} {y:g}" for x, y in points),
                tip="Spots on the plan that it runs through; one spot for a lamp.",
            ),
            Field("current_a", "Current (A)", "number", run.current_a if run else 5.0),
        )

        def take(values: dict[str, Any]) -> None:
            spots = read_route(values.pop("points") or "")
            if not spots:
                raise ValueError("Runs by: at least one spot is needed, such as 1 0.4")
            rows = self.document.show.place(place.id).runs
            name = values["name"] or dict(RUNS)[values["sort"]].capitalize()
            if run is None:
                new = PowerRun.model_validate(
                    {**values, "name": name, "points_m": spots, "id": fresh_id(self.document.show, name)}
                )
                rows = (*rows, new)
            else:
                rows = tuple(
                    row.with_(**{**values, "name": name}, points_m=spots) if row.id == run.id else row for row in rows
                )
            self.document.apply(
                (SetField("places", place.id, "runs", rows),), f"{'Details of' if run else 'Add'} {name}"
            )

        form = Form(
            run.name if run else f"A lead or lamp in {place.name}",
            fields,
            take,
            self.parent,
            note="What audio cables should keep away from. Mains on temporary sites is for a licensed person, by local codes.",
        )
        self.last = form
        return bool(form.exec())


def read_route(text: str) -> tuple[tuple[float, float], ...]:
    """Spots as they are typed: `1 0.4, 5 0.4`.

    Raises:
        ValueError: a spot is not two numbers.
    """
    out = []
    for part in text.replace(";", ",").split(","):
        words = part.split()
        if not words:
            continue
        if len(words) != 2:
            raise ValueError(f"{part.strip()[:30]} is no spot: two figures in metres, such as 1 0.4, 5 0.4")
        out.append((number_of(words[0], "Spot"), number_of(words[1], "Spot")))
    return tuple(out)
