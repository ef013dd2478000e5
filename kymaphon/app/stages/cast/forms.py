"""The forms of Cast: people, places, microphones, loudspeakers, noises, surfaces. Each gives edits to the document."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Any

from PySide6.QtWidgets import QWidget

from kymaphon.app.document import Document
from kymaphon.app.shelf import Shelf
from kymaphon.app.stages.cast.form_words import (
    EFFORTS,
    FACED,
    KINDS,
    LINK_WORDS,
    LINKS,
    LIVELINESS,
    NOISES,
    SHIELDS,
    indoors,
    of_role,
    played,
    plugged_words,
    role_words,
    room_words,
    somewhere,
    standing,
)
from kymaphon.app.widgets.form import Field, Form
from kymaphon.core.acoustics.cast import is_loudspeaker
from kymaphon.core.compose.together import (
    far_guest,
    proposed_microphone,
    proposed_room_m,
    rooms_here,
    talker,
    wanted_by_role,
)
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.clock import zone_of
from kymaphon.core.model.edits import AddRow, Edit, RemoveRow, SetField
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Device, NoiseSpot, Party, Place, Surface
from kymaphon.core.placement.plan import Thing, free_spot


class CastForms:
    """Opens forms over a window and puts what is taken over into the document, each as one step of undo."""

    def __init__(self, parent: QWidget, document: Document) -> None:
        self.parent, self.document = parent, document
        self._shelf = Shelf(document.trouble.emit)
        self.last: Form | None = None

    @property
    def catalogue(self) -> Catalogue:
        """Shipped kinds, those of the show, and the user's own on the shelf."""
        return self._shelf.on(self.document.analysis.catalogue)

    def open(
        self,
        title: str,
        fields: tuple[Field, ...],
        take: Callable[[dict[str, Any]], None],
        note: str = "",
        *,
        shows: Callable[[dict[str, Any]], str] | None = None,
        fills: Callable[[str, Any], dict[str, Any]] | None = None,
    ) -> bool:
        """Shows a form; True when it was applied. For `shows` and `fills` see `Form`."""
        self.last = Form(title, fields, take, self.parent, note=note, shows=shows, fills=fills)
        return bool(self.last.exec())

    def _apply(self, edits: tuple[Edit, ...], text: str) -> None:
        self.document.apply(edits, text)

    def _put(
        self, table: str, sort: type[Party] | type[Place], before: Party | Place | None, values: dict[str, Any]
    ) -> None:
        """A new row of somebody or some place, or the changed fields of one, as one step.

        Raises:
            ValueError: it has no name.
        """
        if not values["name"]:
            raise ValueError("a name is needed")
        if before is not None:
            after = before.with_(**values)
            self._apply(_changes(table, before, after), f"Details of {after.name}")
            return
        show = self.document.show
        row = sort.model_validate({**values, "id": fresh_id(show, values["name"])})
        edits: list[Edit] = [AddRow(table, row)]
        if isinstance(row, Party):
            edits += wanted_by_role(show.model_copy(update={"parties": (*show.parties, row)}), row.id)
        self._apply(tuple(edits), f"Add {row.name}")

    def edit(self, place_id: str, thing: Thing) -> bool:
        """The form of a thing on the plan."""
        show = self.document.show
        if thing.sort == "party":
            return self.party(show.party(thing.id), place_id)
        if thing.sort in ("microphone", "loudspeaker"):
            return self.device(show.device(thing.id), place_id, loudspeaker=thing.sort == "loudspeaker")
        place = show.place(place_id)
        if thing.sort == "noise":
            return self.noise(place, next(row for row in place.noises if row.id == thing.id))
        return self.surface(place, next(row for row in place.surfaces if row.id == thing.id))

    # people

    def party(self, party: Party | None, place_id: str | None) -> bool:
        """A party, or a new one when it is None."""
        show = self.document.show
        places = ((None, "nowhere on a plan"), *((place.id, place.name) for place in show.places))
        ears: list[tuple[str | None, str]] = [(None, "nothing: own ears")]
        for device in show.devices:
            kind = self.document.analysis.catalogue[device.kind]
            if any(port.ear for port in kind.outputs):
                ears.append((device.id, device.name or kind.name))
        if party is not None and party.hears_on not in [value for value, _ in ears]:
            ears.append((party.hears_on, party.hears_on or ""))
        place = next((row for row in show.places if row.id == place_id), None)
        spot = party.at_m if party else free_spot(show, place) if place else None
        fields = (
            Field("name", "Name", value=party.name if party else ""),
            Field(
                "kind",
                "Is a",
                "choice",
                party.kind if party else "guest",
                KINDS,
                tip="Instruments, crowds and effects sound alike to all sides; the others have a mouth and a face.",
            ),
            Field("speaks", "Is heard", "check", party.speaks if party else True),
            Field("listens", "Hears", "check", party.listens if party else True),
            Field("place", "Place", "choice", party.place if party else place_id, places, when=somewhere),
            Field("at_m", "Stands at (x, y in m)", "point", spot, empty="not known", when=standing),
            Field(
                "faces_deg",
                "Faces (\u00b0)",
                "number",
                party.faces_deg if party else None,
                empty="towards its own microphone",
                tip="0 is to the right, 90 up on the plan.",
                more=True,
                when=standing,
            ),
            Field(
                "effort",
                "Speaks",
                "choice",
                party.effort if party else "normal",
                EFFORTS,
                tip="Used for talkers without a measured level.",
                when=lambda values: bool(values["speaks"]) and values["kind"] in FACED,
            ),
            Field(
                "level_db_spl_1m",
                "Measured at 1 m (dB SPL)",
                "number",
                party.level_db_spl_1m if party else None,
                empty="not measured: the usual level",
                tip="Unweighted: Z or C on the meter.",
                more=True,
                when=lambda values: bool(values["speaks"]),
            ),
            *played(party),
            Field(
                "hears_on",
                "Listens on",
                "choice",
                party.hears_on if party else None,
                tuple(ears),
                when=lambda values: bool(values["listens"]),
            ),
            Field(
                "dim_db",
                "Programme dims under talkback by (dB)",
                "number",
                party.dim_db if party else None,
                empty="not dimmed",
                more=True,
                when=lambda values: bool(values["listens"]),
            ),
            Field(
                "time_zone",
                "Their time zone",
                value=party.time_zone or "" if party else "",
                empty="the show's",
                tip="Of the standard database, such as Asia/Tokyo: the rundown's outline then tells when that is for them",
                more=True,
            ),
        )

        def fills(name: str, value: Any) -> dict[str, Any]:
            if name == "kind":
                return of_role(str(value), place_id)
            if name == "place":
                there = next((row for row in self.document.show.places if row.id == value), None)
                return {"at_m": free_spot(self.document.show, there) if there is not None else None}
            return {}

        def take(values: dict[str, Any]) -> None:
            self._put("parties", Party, party, values)

        return self.open(party.name if party else "New in the cast", fields, take, fills=fills, shows=role_words)

    def talker(self, place_id: str | None) -> bool:
        """Somebody in a room, with a microphone and headphones."""
        show, known = self.document.show, self.catalogue
        places: tuple[tuple[str | None, str], ...] = tuple((row.id, row.name) for row in rooms_here(show))
        if not places:
            size = proposed_room_m()
            places = ((None, f"a new room, {size[0]:g} by {size[1]:g} m"),)
        here = place_id if place_id in dict(places) else places[0][0]
        best = proposed_microphone(show, known)
        microphones = sorted((kind for kind in known if kind.is_microphone), key=lambda kind: kind.id != best)
        worn = sorted((kind for kind in known if kind.is_headphones), key=lambda kind: kind.id != "headphones")
        fields = (
            Field("name", "Name", value=""),
            Field(
                "microphone",
                "Speaks into",
                "choice",
                best,
                (*((kind.id, kind.name) for kind in microphones), (None, "nothing yet")),
            ),
            Field(
                "headphones",
                "Listens on",
                "choice",
                worn[0].id if worn else None,
                (*((kind.id, kind.name) for kind in worn), (None, "nothing: own ears")),
            ),
            Field("place", "Place", "choice", here, places),
        )

        def made(values: dict[str, Any]) -> tuple[Edit, ...]:
            row = {key: values[key] for key in ("microphone", "headphones")}
            name = values["name"] or "Talker"
            edits = talker(self.document.show, known, name, place_id=values["place"], **row)
            have = self.document.analysis.catalogue
            own = (AddRow("kinds", known[kind]) for kind in row.values() if kind is not None and kind not in have)
            return (*own, *edits)

        def take(values: dict[str, Any]) -> None:
            if not values["name"]:
                raise ValueError("a name is needed")
            self._apply(made(values), f"Add {values['name']}")

        def shows(values: dict[str, Any]) -> str:
            return plugged_words(self.document.show, known, made({**values, "name": "Talker"}))

        return self.open("New talker", fields, take, shows=shows)

    def far_guest(self) -> bool:
        """Somebody far away, with all that joins them."""
        fields = (
            Field("name", "Name", value=""),
            Field("by", "Comes in by", "choice", "call", LINKS),
        )

        def take(values: dict[str, Any]) -> None:
            if not values["name"]:
                raise ValueError("a name is needed")
            known = self.document.analysis.catalogue
            edits = far_guest(self.document.show, known, values["name"], values["by"])
            self._apply(edits, f"Add {values['name']}, far away")

        return self.open("New guest far away", fields, take, shows=lambda values: LINK_WORDS[str(values["by"])])

    def title(self) -> bool:
        """Title, subtitle and when the show goes on air."""
        show = self.document.show
        zone = zone_of(show)
        air = show.air_at.astimezone(zone) if show.air_at is not None else None
        fields = (
            Field("title", "Title", value=show.title),
            Field("subtitle", "Subtitle", value=show.subtitle, empty="none"),
            Field("day", "Day", value=f"{air:%Y-%m-%d}" if air else f"{datetime.now():%Y-%m-%d}", tip="2026-08-15"),
            Field("time", "On air at", value=f"{air:%H:%M:%S}" if air else "", empty="no time yet", tip="19:00"),
        )

        def take(values: dict[str, Any]) -> None:
            if not values["title"]:
                raise ValueError("a title is needed")
            edits: list[Edit] = [
                SetField("", None, "title", values["title"]),
                SetField("", None, "subtitle", values["subtitle"] or ""),
            ]
            moment = None
            if values["time"]:
                try:
                    text = f"{values['day']} {values['time']}"
                    moment = datetime.strptime(text, f"%Y-%m-%d %H:%M{':%S' if text.count(':') == 2 else ''}")
                except ValueError:
                    raise ValueError("Day and time are such as 2026-08-15 and 19:00") from None
                moment = moment.replace(tzinfo=zone) if zone is not None else moment.astimezone()
            if moment != show.air_at:
                edits.append(SetField("", None, "air_at", moment))
            self._apply(tuple(edits), "Title and time on air")

        return self.open("Title and time on air", fields, take)

    # places

    def place(self, place: Place | None) -> bool:
        """A place, or a new one when it is None."""
        size = place.size_m if place else (5.0, 4.0)
        fields = (
            Field("name", "Name", value=place.name if place else ""),
            Field("size_m", "Width, depth (m)", "point", size, empty="not known"),
            Field(
                "height_m",
                "Height (m)",
                "number",
                place.height_m if place else None,
                empty="2.7 assumed",
                more=True,
                when=indoors,
            ),
            Field(
                "outdoors",
                "Out of doors",
                "check",
                place.outdoors if place else False,
                tip="No walls on the outline, no reverberation.",
            ),
            Field(
                "liveliness", "Sounds", "choice", place.liveliness if place else "ordinary", LIVELINESS, when=indoors
            ),
            Field(
                "rt60_s",
                "Reverberation time (s)",
                "number",
                place.rt60_s if place else None,
                empty="not measured: as it sounds",
                more=True,
                when=indoors,
            ),
            Field("ambient_dba", "Noise all around (dBA)", "number", place.ambient_dba if place else 35.0),
            Field("noise", "Kind of noise", "choice", place.noise if place else "room-tone", NOISES),
            Field(
                "speakers_mute",
                "An open microphone mutes the loudspeakers",
                "check",
                place.speakers_mute if place else False,
                more=True,
            ),
            Field(
                "wind_m_s",
                "Wind (m/s)",
                "number",
                place.wind_m_s if place else None,
                empty="none, or 5 where the noise is wind",
                more=True,
                when=lambda values: bool(values["outdoors"]) or values["noise"] == "wind",
            ),
        )

        def take(values: dict[str, Any]) -> None:
            self._put("places", Place, place, values)

        return self.open(place.name if place else "New place", fields, take, shows=room_words)

    def remove_place(self, place: Place) -> None:
        """Takes a place off the show; who was there stays, without a place."""
        self._apply((RemoveRow("places", place.id),), f"Remove {place.name}")

    # microphones and loudspeakers

    def device(self, device: Device | None, place_id: str, *, loudspeaker: bool = False) -> bool:
        """A microphone or loudspeaker of a place, or a new one when it is None."""
        show = self.document.show
        kinds = [
            (kind.id, kind.name)
            for kind in self.catalogue
            if (is_loudspeaker(kind) if loudspeaker else kind.microphone is not None)
            or (device is not None and kind.id == device.kind)
        ]
        place = show.place(place_id)
        spot = device.at_m if device else free_spot(show, place)
        fields: tuple[Field, ...] = (
            Field("name", "Name", value=device.name if device else None, empty="its kind"),
            Field("kind", "Kind", "choice", device.kind if device else kinds[0][0], tuple(kinds)),
            Field("at_m", "Stands at (x, y in m)", "point", spot, empty="not known"),
            Field(
                "aim_deg",
                "Points to (\u00b0)",
                "number",
                device.aim_deg if device else None,
                empty="nowhere" if loudspeaker else "its own party",
            ),
        )
        if not loudspeaker:
            here = ((party.id, party.name) for party in show.parties if party.speaks and party.place == place_id)
            fields += (
                Field("party", "Whose", "choice", device.party if device else None, ((None, "nobody's"), *here)),
                Field("shield", "Shield", "choice", device.shield if device else "none", SHIELDS),
            )

        def take(values: dict[str, Any]) -> None:
            kind = self.catalogue[values["kind"]]
            edits: list[Edit] = []
            if kind.id not in self.document.analysis.catalogue:
                edits.append(AddRow("kinds", kind))
            if device is None:
                name = fresh_id(self.document.show, values["name"] or kind.id)
                row = Device.model_validate({**values, "id": name, "place": place_id})
                edits.append(AddRow("devices", row))
                self._apply(tuple(edits), f"Add {row.name or kind.name}")
            else:
                after = device.with_(**values)
                edits += _changes("devices", device, after)
                self._apply(tuple(edits), f"Details of {after.name or kind.name}")

        title = (device.name or device.id) if device else "New loudspeaker" if loudspeaker else "New microphone"
        return self.open(title, fields, take)

    # noises and surfaces

    def noise(self, place: Place, spot: NoiseSpot | None) -> bool:
        """A noise that stands in a place, or a new one when it is None."""
        fields = (
            Field("name", "Name", value=spot.name if spot else ""),
            Field(
                "at_m", "Stands at (x, y in m)", "point", spot.at_m if spot else free_spot(self.document.show, place)
            ),
            Field("level_dba_1m", "At 1 m (dBA)", "number", spot.level_dba_1m if spot else 45.0),
            Field("noise", "Kind of noise", "choice", spot.noise if spot else "fan", NOISES),
        )

        def take(values: dict[str, Any]) -> None:
            rows = self.document.show.place(place.id).noises
            if spot is None:
                new = NoiseSpot.model_validate(
                    {
                        **values,
                        "name": values["name"] or "Noise",
                        "id": fresh_id(self.document.show, values["name"] or "noise"),
                    }
                )
                rows = (*rows, new)
            else:
                rows = tuple(row.with_(**values) if row.id == spot.id else row for row in rows)
            name = values["name"] or "noise"
            self._apply((SetField("places", place.id, "noises", rows),), f"{'Details of' if spot else 'Add'} {name}")

        return self.open(spot.name if spot else "New noise source", fields, take)

    def surface(self, place: Place, surface: Surface | None) -> bool:
        """A surface of a place, or a new one when it is None."""
        x, y = free_spot(self.document.show, place)
        fields = (
            Field("name", "Name", value=surface.name if surface else ""),
            Field(
                "shape",
                "Is a",
                "choice",
                surface.shape if surface else "table",
                (("table", "table"), ("wall", "wall, window or screen")),
            ),
            Field(
                "from_m",
                "From (x, y in m)",
                "point",
                surface.from_m if surface else (round(x - 0.4, 2), round(y - 0.3, 2)),
            ),
            Field(
                "to_m", "To (x, y in m)", "point", surface.to_m if surface else (round(x + 0.4, 2), round(y + 0.3, 2))
            ),
            Field(
                "finish",
                "Finish",
                "choice",
                surface.finish if surface else "hard",
                (("hard", "hard"), ("soft", "covered with cloth")),
            ),
        )

        def take(values: dict[str, Any]) -> None:
            if values["from_m"] == values["to_m"]:
                raise ValueError("From and To are one spot: a surface needs a length")
            rows = self.document.show.place(place.id).surfaces
            if surface is None:
                new = Surface.model_validate(
                    {
                        **values,
                        "name": values["name"] or "Surface",
                        "id": fresh_id(self.document.show, values["name"] or "surface"),
                    }
                )
                rows = (*rows, new)
            else:
                rows = tuple(row.with_(**values) if row.id == surface.id else row for row in rows)
            name = values["name"] or "surface"
            self._apply(
                (SetField("places", place.id, "surfaces", rows),), f"{'Details of' if surface else 'Add'} {name}"
            )

        return self.open(surface.name if surface else "New reflecting surface", fields, take)


def _changes(table: str, before: Party | Place | Device, after: Party | Place | Device) -> tuple[Edit, ...]:
    """The fields in which a row has changed."""
    names = [name for name in type(before).model_fields if getattr(before, name) != getattr(after, name)]
    return tuple(SetField(table, before.id, name, getattr(after, name)) for name in names)
