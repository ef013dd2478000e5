"""Talk's forms: a circuit, somebody's place on it, a task, a pair of hands, a line. Each is one step of undo."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from PySide6.QtWidgets import QWidget

from kymaphon.app.document import Document
from kymaphon.app.widgets.form import Field, Form
from kymaphon.core.model.clock import clock_of
from kymaphon.core.model.edits import AddRow, Edit, SetField
from kymaphon.core.model.talk import Circuit, CrewMember, Line, Task
from kymaphon.core.report.talk import BY_WORDS
from kymaphon.core.report.work import time_words
from kymaphon.core.talk.cures import with_member
from kymaphon.core.talk.keys import key_words
from kymaphon.core.talk.named import keys_of

PURPOSES = (
    ("production", "production: the director to all"),
    ("sound", "sound"),
    ("lighting", "lighting"),
    ("vision", "vision"),
    ("camera", "cameras"),
    ("commentary", "commentary"),
    ("rigging", "rigging"),
    ("studio", "studio or station"),
    ("guests", "guests"),
    ("emergency", "emergency"),
    ("general", "general"),
)
SORTS = (
    ("communications", "communications"),
    ("power", "power"),
    ("rigging", "rigging"),
    ("commentary", "commentary position"),
    ("effects", "effects microphones"),
    ("crowd", "crowd microphones"),
    ("lines", "lines"),
    ("tone", "tone and ident"),
    ("line-up", "line-up"),
    ("tap-test", "tap test"),
    ("rehearsal", "rehearsal"),
    ("other", "other"),
)


def fresh(stem: str, taken: set[str]) -> str:
    """An id of a stem that is not taken."""
    clean = (
        "".join(c if c.isascii() and (c.isalnum() or c in "-_") else "-" for c in stem.lower()).strip("-_")[:48]
        or "new"
    )
    return (
        clean
        if clean not in taken
        else next(f"{clean}-{n}" for n in range(2, len(taken) + 3) if f"{clean}-{n}" not in taken)
    )


EVE = timedelta(hours=18)
"""So long before air at most somebody comes: what is typed as 20:00 for a show at a quarter past midnight is the evening before."""
ABOUT = timedelta(hours=12)
"""So far from air somebody leaves, where nobody said when they come."""


class TalkForms:
    """Opens forms over a window and puts what is taken over into the document."""

    def __init__(self, parent: QWidget, document: Document) -> None:
        self.parent, self.document = parent, document
        self.last: Form | None = None

    def open(
        self, title: str, fields: tuple[Field, ...], take: Callable[[dict[str, Any]], None], note: str = ""
    ) -> bool:
        """Shows a form; True when it was taken over."""
        self.last = Form(title, fields, take, self.parent, note=note)
        return bool(self.last.exec())

    # circuits

    def circuit(self, circuit: Circuit | None) -> bool:
        """A circuit, or a new one when it is None."""
        show = self.document.show
        others = tuple(row for row in show.circuits if circuit is None or row.id != circuit.id)
        known = circuit.overrides if circuit is not None else ()
        fields = (
            Field("name", "Name", value=circuit.name if circuit else ""),
            Field("purpose", "For", "choice", circuit.purpose if circuit else "production", PURPOSES),
            Field("private", "Private: nobody else may hear it", "check", circuit.private if circuit else False),
            Field(
                "dim_db",
                "Dims what else is in those ears by (dB)",
                "number",
                circuit.dim_db if circuit else None,
                empty="as each ear says",
                tip="Common practice: 15 to 20 dB.",
            ),
            *(Field(f"over {row.id}", f"Overrides {row.called}", "check", row.id in known) for row in others),
        )

        def take(values: dict[str, Any]) -> None:
            name = values["name"]
            if not name:
                raise ValueError("a name is needed")
            over = tuple(row.id for row in others if values[f"over {row.id}"])
            parts = {
                "name": name,
                "purpose": values["purpose"],
                "private": values["private"],
                "dim_db": values["dim_db"],
                "overrides": over,
            }
            edits: tuple[Edit, ...]
            if circuit is None:
                row = Circuit(id=fresh(name, {one.id for one in show.circuits}), **parts)
                edits = (AddRow("circuits", row),)
            else:
                Circuit.model_validate({**circuit.model_dump(), **parts})
                edits = tuple(SetField("circuits", circuit.id, field, value) for field, value in parts.items())
            self.document.apply(edits, f"circuit {name}")

        return self.open("New circuit" if circuit is None else circuit.called, fields, take)

    def member(self, circuit: Circuit, party_id: str) -> bool:
        """Somebody's place on a circuit; who is not on it yet is put on it."""
        report = self.document.analysis
        show = report.show
        party = show.party(party_id)
        member = circuit.member(party_id)
        keys: list[tuple[str | None, str]] = [(None, "none")]
        # Keys of their own boxes first, then all others by name.
        mine = {row.id for row in show.devices if row.party == party_id}
        names = sorted(
            keys_of(show, report.catalogue),
            key=lambda name: (name.partition(".")[0] not in mine, key_words(report, name)),
        )
        if member is not None and member.key and member.key not in names:
            names.insert(0, member.key)
        keys += [(name, key_words(report, name)) for name in names]
        lamps: list[tuple[str | None, str]] = [(None, "none")]
        lamps += [(row.id, report.device_name(row.id)) for row in show.devices if row.kind == "cue-light"]
        others: list[tuple[str | None, str]] = [(None, "nobody")]
        others += [
            (row.party, report.party_name(row.party))
            for row in circuit.members
            if row.party != party_id and any(one.id == row.party for one in show.parties)
        ]
        ways = tuple((value, words or "as the rig shows") for value, words in BY_WORDS.items())
        fields = (
            Field("speaks", "May speak", "check", member.speaks if member else True),
            Field("hears", "Hears it", "check", member.hears if member else True),
            Field("key", "Talk key", "choice", member.key if member else None, tuple(keys)),
            Field(
                "action",
                "The key",
                "choice",
                member.action if member else None,
                ((None, "as it is made"), ("momentary", "is held"), ("latching", "stays down by itself")),
            ),
            Field("acts", "Acts on cues given on it", "check", member.acts if member else party.kind == "crew"),
            Field("by", "Comes by", "choice", member.by if member else None, ways),
            Field("listen_key", "Listen key", "choice", member.listen_key if member else None, tuple(keys)),
            Field(
                "spoken_for_by",
                "Who answers for them",
                "choice",
                member.spoken_for_by if member else None,
                tuple(others),
            ),
            Field("cue_light", "Cue lamp", "choice", member.cue_light if member else None, tuple(lamps)),
        )

        def take(values: dict[str, Any]) -> None:
            edit = with_member(circuit, party_id, **values)
            self.document.apply((edit,), f"{party.name} on {circuit.called}")

        return self.open(f"{party.name} on {circuit.called}", fields, take)

    # work

    def task(self, task: Task | None) -> bool:
        """A task, or a new one when it is None."""
        show = self.document.show
        places = ((None, "anywhere"), *((row.id, row.name) for row in show.places))
        fields = (
            Field("text", "What", value=task.text if task else ""),
            Field("minutes", "Takes (min)", "number", task.minutes if task else None, empty="as usual for its sort"),
            Field("people", "People at once", "number", task.people if task else 1),
            Field("sort", "Sort", "choice", task.sort if task else "other", SORTS),
            Field("place", "Where", "choice", task.place if task else None, places),
            Field("can_drop", "Can be left out when it is late", "check", task.can_drop if task else False),
            Field("loses", "What the show goes without then", value=task.loses if task else ""),
            *(
                Field(f"who {row.id}", f"{row.name} has to be there", "check", task is not None and row.id in task.who)
                for row in show.crew
            ),
            Field(
                "after",
                "After",
                value=", ".join(task.after) if task else "",
                empty="nothing: at once",
                tip=f"Ids of tasks that come first, with commas: {', '.join(row.id for row in show.tasks[:8])}",
            ),
        )

        def take(values: dict[str, Any]) -> None:
            if not values["text"]:
                raise ValueError("say what is to be done")
            people = values["people"]
            if people != int(people) or people < 1:
                raise ValueError("people at once: a whole number from 1 on")
            after = tuple(name.strip() for name in (values["after"] or "").split(",") if name.strip())
            unknown = [name for name in after if name not in {row.id for row in show.tasks}]
            if unknown:
                raise ValueError(f"after: there is no task {unknown[0]}")
            parts = {
                "text": values["text"],
                "minutes": values["minutes"],
                "people": int(people),
                "sort": values["sort"],
                "place": values["place"],
                "can_drop": values["can_drop"],
                "loses": values["loses"],
                "after": after,
                "who": tuple(row.id for row in show.crew if values[f"who {row.id}"]),
            }
            edits: tuple[Edit, ...]
            if task is None:
                if parts["minutes"] is None and parts["sort"] == "other":
                    parts["minutes"] = 10.0
                row = Task(id=fresh(values["text"], {one.id for one in show.tasks}), **parts)
                edits = (AddRow("tasks", row),)
            else:
                Task.model_validate({**task.model_dump(), **parts})
                edits = tuple(SetField("tasks", task.id, field, value) for field, value in parts.items())
            self.document.apply(edits, f"task: {values['text'][:40]}")

        return self.open("New task" if task is None else "Task", fields, take)

    def hand(self, hand: CrewMember | None) -> bool:
        """Somebody of the crew, or somebody new when it is None."""
        show = self.document.show
        day = show.air_at
        parties = ((None, "nobody in the show"), *((row.id, row.name) for row in show.parties if row.kind == "crew"))
        does = hand.does if hand else ()
        fields = (
            Field("name", "Name", value=hand.name if hand else ""),
            Field("party", "Who they are in the show", "choice", hand.party if hand else None, parties),
            Field(
                "from_at",
                "There from",
                value=time_words(show, hand.from_at) if hand and hand.from_at else "",
                empty="the beginning",
            ),
            Field(
                "until_at",
                "Until",
                value=time_words(show, hand.until_at) if hand and hand.until_at else "",
                empty="the end",
            ),
            *(
                Field(f"does {name}", f"Can do {words}", "check", name in does)
                for name, words in SORTS
                if name != "other"
            ),
        )

        def take(values: dict[str, Any]) -> None:
            name = values["name"]
            if not name:
                raise ValueError("a name is needed")
            begins = clock_of(values["from_at"] or "", day, day - EVE if day is not None else None)
            ends_after = begins or (day - ABOUT if day is not None else None)
            parts: dict[str, Any] = {
                "name": name,
                "party": values["party"],
                "does": tuple(one for one, _ in SORTS if one != "other" and values[f"does {one}"]),
                "from_at": begins,
                "until_at": clock_of(values["until_at"] or "", day, ends_after),
            }
            edits: tuple[Edit, ...]
            if hand is None:
                edits = (AddRow("crew", CrewMember(id=fresh(name, {one.id for one in show.crew}), **parts)),)
            else:
                CrewMember.model_validate({**hand.model_dump(), **parts})
                edits = tuple(SetField("crew", hand.id, field, value) for field, value in parts.items())
            self.document.apply(edits, f"crew: {name}")

        note = "Nothing ticked: they can be given anything."
        return self.open("Somebody for the crew" if hand is None else hand.name, fields, take, note)

    # lines

    def line(self, line: Line | None) -> bool:
        """A line out, or a new one when it is None."""
        report = self.document.analysis
        show = report.show
        ends = [
            (f"{row.id}.{port.id}", f"{report.device_name(row.id)}, {port.name}")
            for row in show.devices
            if report.catalogue[row.kind].is_line
            or report.catalogue[row.kind].is_call
            or report.catalogue[row.kind].is_encoder
            for port in report.catalogue[row.kind].inputs
            if port.domain != "acoustic"
        ]
        if not ends:
            self.document.trouble.emit(
                "No device of this show is a line: add one in Rig first, such as a line to the studio."
            )
            return False
        mains = (
            (None, "nothing: it is a main line"),
            *((row.id, row.called) for row in show.lines if line is None or row.id != line.id),
        )
        results = (("untested", "not tried yet"), ("good", "good"), ("bad", "bad"))
        fields = (
            Field("name", "Name", value=line.name if line else ""),
            Field("number", "Number", value=line.number if line else ""),
            Field("at", "Begins at", "choice", line.at if line else ends[0][0], tuple(ends)),
            Field("reserve_for", "Stands in for", "choice", line.reserve_for if line else None, mains),
            Field("level_dbu", "Line-up level (dBu)", "number", line.level_dbu if line else None, empty="not agreed"),
            Field(
                "delay_ms", "Delay to the far end (ms)", "number", line.delay_ms if line else None, empty="not measured"
            ),
            Field("ident", "Ident", value=line.ident if line else ""),
            Field("jack", "Jack", value=line.jack if line else ""),
            Field(
                "received_dbu",
                "Tone as the far end read it (dBu)",
                "number",
                line.received_dbu if line else None,
                empty="not read",
            ),
            Field("result", "Result", "choice", line.result if line else "untested", results),
        )

        def take(values: dict[str, Any]) -> None:
            if not (values["name"] or values["number"]):
                raise ValueError("a name or a number is needed")
            edits: tuple[Edit, ...]
            if line is None:
                name = fresh(values["name"] or values["number"], {one.id for one in show.lines})
                edits = (AddRow("lines", Line(id=name, **values)),)
            else:
                Line.model_validate({**line.model_dump(), **values})
                edits = tuple(SetField("lines", line.id, field, value) for field, value in values.items())
            self.document.apply(edits, f"line {values['name'] or values['number']}")

        return self.open("New line" if line is None else line.called, fields, take)
